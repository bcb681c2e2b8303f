//! What can be written into a job's log. Entries are never changed; a correction voids one and adds
//! another. No entry holds a customer's name or contact.

use serde::{Deserialize, Serialize};
use spannung_circuit::{Change, VehicleState};
use time::OffsetDateTime;
use utoipa::ToSchema;
use uuid::Uuid;

/// What a person may do.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum Role {
    /// Learning: risk up to 2.
    Trainee,
    /// Risk up to 3.
    Technician,
    /// Risk up to 4: may open packs and clear them.
    Specialist,
    /// Runs the shop: risk up to 3.
    Owner,
}

impl Role {
    /// Highest risk of a test this person may be proposed, on a vehicle up to 60 V.
    pub fn risk_limit(self) -> u8 {
        match self {
            Self::Trainee => 2,
            Self::Technician | Self::Owner => 3,
            Self::Specialist => 4,
        }
    }

    /// Word in the database.
    pub fn word(self) -> &'static str {
        match self {
            Self::Trainee => "trainee",
            Self::Technician => "technician",
            Self::Specialist => "specialist",
            Self::Owner => "owner",
        }
    }

    /// From the database's word.
    pub fn parse(word: &str) -> Option<Self> {
        [
            Self::Trainee,
            Self::Technician,
            Self::Specialist,
            Self::Owner,
        ]
        .into_iter()
        .find(|r| r.word() == word)
    }
}

/// How a job ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Outcome {
    /// Works again.
    Repaired,
    /// Cannot hurt anybody any more.
    MadeSafe,
    /// Not taken on.
    Declined,
    /// Handed to somebody else.
    Referred,
    /// Nothing found.
    NoFaultFound,
    /// Back as it came.
    HandedBackAsIs,
    /// At its end.
    Scrapped,
}

impl Outcome {
    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Repaired => "repaired",
            Self::MadeSafe => "made safe",
            Self::Declined => "declined",
            Self::Referred => "referred",
            Self::NoFaultFound => "no fault found",
            Self::HandedBackAsIs => "handed back as is",
            Self::Scrapped => "scrapped",
        }
    }
}

/// What becomes of an old part.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Fate {
    /// Back to the customer.
    Returned,
    /// Kept by the shop.
    Kept,
    /// Recycled.
    Recycled,
    /// To the hazardous-waste handler.
    HazardousWaste,
}

/// What a job waits for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum WaitKind {
    /// A part on order.
    Part,
    /// A charge.
    Charge,
    /// Something that cures or dries.
    Cure,
    /// A pack at rest or under watch.
    Rest,
    /// The customer's word.
    Customer,
}

/// How a reading came out.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum ReadingResult {
    /// A figure or OL.
    Figure,
    /// Reads nothing.
    Nothing,
    /// Not steady.
    NotSteady,
    /// Cannot be reached.
    CannotReach,
}

/// The content of an entry.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "kind", rename_all = "kebab-case")]
pub enum Body {
    /// The job begins: what the customer said, voltage class and drive.
    Opened {
        /// In the customer's words.
        words: String,
        /// Voltage class.
        volts_class: u16,
        /// Drive as it looks.
        drive: String,
        /// Seconds from “new job” to here.
        #[serde(default)]
        seconds: f64,
    },
    /// The vehicle.
    Vehicle {
        /// Name by which the shop knows it.
        name: String,
        /// Frame number.
        #[serde(default)]
        frame_number: Option<String>,
        /// Label of the controller.
        #[serde(default)]
        controller: Option<String>,
    },
    /// A symptom told or seen, or denied.
    Symptom {
        /// Id.
        symptom: String,
        /// Yes, no, or not known.
        yes: Option<bool>,
        /// Told by the customer, or seen by the technician.
        by_customer: bool,
    },
    /// A risk factor.
    Risk {
        /// Letter.
        risk: String,
        /// Yes, no, or not known.
        yes: Option<bool>,
    },
    /// Whose it is: a reference only.
    Customer {
        /// Id of the customer's card.
        customer: Uuid,
    },
    /// Promise and money.
    Terms {
        /// Promised for.
        #[serde(default, with = "time::serde::rfc3339::option")]
        promised: Option<OffsetDateTime>,
        /// Value of the vehicle, cents.
        #[serde(default)]
        value_cents: Option<i64>,
        /// The customer's limit, cents.
        #[serde(default)]
        limit_cents: Option<i64>,
    },
    /// Which pack is on it.
    Pack {
        /// Id of the pack.
        pack: Uuid,
        /// The shop's sticker.
        sticker: String,
    },
    /// An answer at the gate.
    Gate {
        /// Check.
        check: String,
        /// Answer.
        answer: String,
        /// What was typed, for checks with a figure.
        #[serde(default)]
        typed: Option<String>,
    },
    /// A step of the quarantine.
    Quarantine {
        /// Step.
        step: String,
    },
    /// A specialist clears the pack in writing.
    Clearance {
        /// The written clearance.
        text: String,
    },
    /// The vehicle stands differently now.
    State {
        /// State.
        state: VehicleState,
    },
    /// A precondition is confirmed.
    Confirmed {
        /// Precondition.
        need: String,
    },
    /// A reading.
    Reading {
        /// Test.
        test: String,
        /// How it came out.
        result: ReadingResult,
        /// What was typed.
        #[serde(default)]
        typed: String,
        /// Minutes it took.
        #[serde(default)]
        minutes: f64,
        /// The technician says this figure is right although it cannot be.
        #[serde(default)]
        insisted: bool,
    },
    /// A look, feel or try.
    Check {
        /// Test.
        test: String,
        /// Value of its sign, or `cannot-tell`.
        outcome: String,
        /// Minutes it took.
        #[serde(default)]
        minutes: f64,
    },
    /// A proposal is passed over.
    Skip {
        /// Test.
        test: String,
        /// Why.
        reason: String,
    },
    /// A suspect ruled out or in by hand, or left to the readings again.
    ByHand {
        /// Repair class.
        class: String,
        /// Out (true), in (false), or neither.
        out: Option<bool>,
        /// Why.
        reason: String,
    },
    /// Not like this here.
    Change {
        /// What is different on this vehicle.
        change: Change,
    },
    /// A part out and in.
    Part {
        /// Old part.
        #[serde(default)]
        old: Option<String>,
        /// What becomes of it.
        #[serde(default)]
        fate: Option<Fate>,
        /// New part.
        #[serde(default)]
        new: Option<String>,
        /// Repair class it mends.
        #[serde(default)]
        class: Option<String>,
        /// Minutes.
        minutes: f64,
        /// Price, cents.
        #[serde(default)]
        price_cents: Option<i64>,
    },
    /// Minutes of other work, or a correction (negative).
    Minutes {
        /// Minutes.
        minutes: f64,
        /// What for.
        what: String,
    },
    /// The job waits.
    Wait {
        /// For what.
        wait: WaitKind,
        /// In words.
        what: String,
        /// When it comes free.
        #[serde(default, with = "time::serde::rfc3339::option")]
        until: Option<OffsetDateTime>,
    },
    /// The wait is over.
    Resume {},
    /// A note.
    Note {
        /// Text.
        text: String,
    },
    /// An entry is struck out.
    Void {
        /// Entry.
        entry: Uuid,
        /// Why.
        reason: String,
    },
    /// The end.
    Close {
        /// Outcome.
        outcome: Outcome,
        /// Suspect that was mended.
        #[serde(default)]
        class: Option<String>,
        /// The cause was seen, not only likely.
        cause_confirmed: bool,
        /// In words, for the owner.
        #[serde(default)]
        words: String,
        /// What was shown when it was closed; set by the server.
        #[serde(default)]
        shown: Option<Shown>,
    },
}

/// What the screen said at a decision.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Shown {
    /// First suspects and their shares.
    pub suspects: Vec<ShownSuspect>,
    /// Hash of the catalogue.
    pub catalogue: String,
    /// Version of the engine.
    pub engine: String,
}

/// A suspect as it was shown.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct ShownSuspect {
    /// Repair class.
    pub class: String,
    /// Share, 0 to 1.
    pub share: f64,
}

impl Body {
    /// The kind's word.
    pub fn kind(&self) -> &'static str {
        match self {
            Self::Opened { .. } => "opened",
            Self::Vehicle { .. } => "vehicle",
            Self::Symptom { .. } => "symptom",
            Self::Risk { .. } => "risk",
            Self::Customer { .. } => "customer",
            Self::Terms { .. } => "terms",
            Self::Pack { .. } => "pack",
            Self::Gate { .. } => "gate",
            Self::Quarantine { .. } => "quarantine",
            Self::Clearance { .. } => "clearance",
            Self::State { .. } => "state",
            Self::Confirmed { .. } => "confirmed",
            Self::Reading { .. } => "reading",
            Self::Check { .. } => "check",
            Self::Skip { .. } => "skip",
            Self::ByHand { .. } => "by-hand",
            Self::Change { .. } => "change",
            Self::Part { .. } => "part",
            Self::Minutes { .. } => "minutes",
            Self::Wait { .. } => "wait",
            Self::Resume {} => "resume",
            Self::Note { .. } => "note",
            Self::Void { .. } => "void",
            Self::Close { .. } => "close",
        }
    }

    /// Kinds whose newer entries an entry of this kind must have seen; empty when it never conflicts.
    pub fn guards(&self) -> &'static [&'static str] {
        match self {
            Self::Gate { .. } | Self::Pack { .. } | Self::Clearance { .. } => {
                &["gate", "pack", "clearance", "close"]
            }
            Self::Vehicle { .. } | Self::Change { .. } => &["vehicle", "change", "close"],
            Self::Close { .. } => &[
                "opened",
                "vehicle",
                "symptom",
                "risk",
                "pack",
                "gate",
                "quarantine",
                "clearance",
                "reading",
                "check",
                "by-hand",
                "change",
                "part",
                "minutes",
                "wait",
                "resume",
                "void",
                "close",
            ],
            _ => &[],
        }
    }

    /// Does it rest on the pack, so that it follows the pack into other jobs?
    pub fn rests_on_pack(&self, catalogue: &crate::catalogue::Catalogue) -> bool {
        match self {
            Self::Gate { check, .. } => catalogue
                .gate_check(check)
                .is_some_and(|c| c.rests == "pack"),
            Self::Quarantine { .. } | Self::Clearance { .. } => true,
            _ => false,
        }
    }
}

/// An entry as it stands in the log.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Logged {
    /// Made by the client; sending it twice is the same as once.
    pub id: Uuid,
    /// The server's order.
    pub seq: i64,
    /// When the person did it, by the person's clock.
    #[serde(with = "time::serde::rfc3339")]
    pub at: OffsetDateTime,
    /// Who, as a name of the shop's staff.
    pub by: String,
    /// Content.
    pub body: Body,
}
