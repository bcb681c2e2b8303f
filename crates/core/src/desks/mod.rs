//! Desks: one area in depth, each the same shape: input → judge → finding.

pub mod money;
