//! The one error type of this crate.

/// Why a data file, a profile or a circuit cannot be used. Data errors name file and line, because
/// the person who edits a family or a fault is a technician with a text editor.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum CircuitError {
    /// A data file does not read or does not make sense.
    #[error("{file}, line {line}: {message}")]
    Data {
        /// File name as shown to the person who edits it.
        file: String,
        /// Line number from 1.
        line: usize,
        /// What is wrong and what is accepted.
        message: String,
    },
    /// A change names something that this vehicle does not have.
    #[error("this vehicle has no {kind} “{name}”")]
    Unknown {
        /// Kind of thing: strand, pin, plug, element, node.
        kind: &'static str,
        /// The name that was not found.
        name: String,
    },
    /// A change that cannot be (a pin beyond the plug, a pull-up of 400 V).
    #[error("{0}")]
    Change(String),
}

impl CircuitError {
    /// Error at a byte offset of a data file.
    pub fn at(file: &str, text: &str, offset: usize, message: impl Into<String>) -> Self {
        Self::Data {
            file: file.into(),
            line: crate::line_of(text, offset),
            message: message.into(),
        }
    }

    /// A TOML error with its line.
    pub fn toml(file: &str, text: &str, error: &toml::de::Error) -> Self {
        let offset = error.span().map_or(0, |s| s.start);
        Self::at(file, text, offset, error.message())
    }
}
