//! The one error type of this crate, and the codes by which programs tell refusals apart.

/// Names the codes with their words.
macro_rules! codes {
    ($($name:ident = $word:literal,)*) => {
        /// Why an entry is refused, for programs. The words are part of the API and never change.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
        pub enum Code {
            $(#[doc = $word] $name,)*
        }

        impl Code {
            /// As it goes out.
            pub fn word(self) -> &'static str {
                match self {
                    $(Self::$name => $word,)*
                }
            }
        }
    };
}

codes! {
    AbsurdReading = "absurd-reading",
    AlreadyOpen = "already-open",
    Answered = "answered",
    BadBundle = "bad-bundle",
    BadChange = "bad-change",
    BadDate = "bad-date",
    BadLetter = "bad-letter",
    BadMinutes = "bad-minutes",
    BadMoney = "bad-money",
    BadName = "bad-name",
    BadNote = "bad-note",
    BadNumber = "bad-number",
    BadQuote = "bad-quote",
    BadReading = "bad-reading",
    BadSheet = "bad-sheet",
    BadStep = "bad-step",
    BadSticker = "bad-sticker",
    BadTorque = "bad-torque",
    ByState = "by-state",
    CannotExcept = "cannot-except",
    FigureDiffers = "figure-differs",
    WhichPack = "which-pack",
    Fitted = "fitted",
    GateClosed = "gate-closed",
    GateStopped = "gate-stopped",
    Held = "held",
    JobClosed = "job-closed",
    NeedOpen = "need-open",
    Needed = "needed",
    NoFate = "no-fate",
    NoLimit = "no-limit",
    NoOwnership = "no-ownership",
    NoPack = "no-pack",
    NoPart = "no-part",
    NoReason = "no-reason",
    NoStop = "no-stop",
    NoText = "no-text",
    NotACheck = "not-a-check",
    NotAProbe = "not-a-probe",
    NotAllowed = "not-allowed",
    NotClearable = "not-clearable",
    NotConfirmed = "not-confirmed",
    NotOpened = "not-opened",
    NotQuarantined = "not-quarantined",
    NotSpecialist = "not-specialist",
    NotTheComplaint = "not-the-complaint",
    NotTold = "not-told",
    NotVoidable = "not-voidable",
    PackStopped = "pack-stopped",
    RideFirst = "ride-first",
    Waits = "waits",
    StillWatched = "still-watched",
    StopHolds = "stop-holds",
    StruckOut = "struck-out",
    TooDeep = "too-deep",
    TooLong = "too-long",
    TooMany = "too-many",
    UnknownAnswer = "unknown-answer",
    UnknownCheck = "unknown-check",
    UnknownClass = "unknown-class",
    UnknownEntry = "unknown-entry",
    UnknownFamily = "unknown-family",
    UnknownFault = "unknown-fault",
    UnknownField = "unknown-field",
    UnknownItem = "unknown-item",
    UnknownNeed = "unknown-need",
    UnknownOutcome = "unknown-outcome",
    UnknownQuote = "unknown-quote",
    UnknownRisk = "unknown-risk",
    UnknownStep = "unknown-step",
    UnknownSymptom = "unknown-symptom",
    UnknownTest = "unknown-test",
}

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
        code: Code,
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
    pub fn entry(code: Code, field: &'static str, message: impl Into<String>) -> Self {
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
