//! The exact optimum on problems small enough for it: some faults of a model, some of its tests, every sequence.
