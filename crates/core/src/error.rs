//! The one error type of this crate.

/// What cannot be computed, in a sentence for the person at the bench.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum CoreError {
    /// A data file does not read; carries file and line.
    #[error(transparent)]
    Circuit(#[from] spannung_circuit::CircuitError),
    /// A figure cannot be read.
    #[error("{0}")]
    Reading(String),
    /// An entry does not fit the job it is meant for.
    #[error("{message}")]
    Entry {
        /// Short code for programs.
        code: &'static str,
        /// Field at fault.
        field: &'static str,
        /// The sentence.
        message: String,
        /// What may have been meant, as it would be typed.
        suggestion: Option<String>,
    },
}

impl CoreError {
    /// An entry that does not fit.
    pub fn entry(code: &'static str, field: &'static str, message: impl Into<String>) -> Self {
        Self::Entry {
            code,
            field,
            message: message.into(),
            suggestion: None,
        }
    }

    /// The same, with what may have been meant.
    #[must_use]
    pub fn suggesting(self, meant: Option<String>) -> Self {
        match self {
            Self::Entry {
                code,
                field,
                message,
                ..
            } => Self::Entry {
                code,
                field,
                message,
                suggestion: meant,
            },
            other => other,
        }
    }
}
