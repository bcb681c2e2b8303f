//! What entries are made of: who may what, outcomes, answers, lines.

use crate::reading::Unit;
use serde::{Deserialize, Serialize};
use time::OffsetDateTime;
use utoipa::ToSchema;

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
    /// May hand a vehicle back, grant exceptions apart.
    pub fn may_release(self) -> bool {
        self != Self::Trainee
    }

    /// May let something go that must not hurt anybody, with a reason that prints.
    pub fn may_except(self) -> bool {
        matches!(self, Self::Technician | Self::Specialist)
    }

    /// Highest risk of a test this person may be proposed, on a vehicle of so many volts when full.
    pub fn risk_limit(self, full_volts: f64) -> u8 {
        match self {
            Self::Trainee if full_volts > 60.0 => 1,
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

impl Fate {
    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Returned => "returned to the customer",
            Self::Kept => "kept",
            Self::Recycled => "recycled",
            Self::HazardousWaste => "hazardous waste",
        }
    }
}

/// Which vehicle a reading at a point named by hand was taken on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum ReadOn {
    /// The vehicle on the bench.
    This,
    /// The identical working vehicle.
    Reference,
}

/// The customer's answer to a quote.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum QuoteReply {
    /// Do it.
    Accepted,
    /// Do not.
    Declined,
    /// Do it for less, up to a limit.
    Less,
    /// Asked, and not answered.
    NoAnswer,
}

/// How a proof check came out.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum ProofResult {
    /// Passed.
    Pass,
    /// Failed.
    Fail,
    /// This vehicle has no such thing.
    NotFitted,
}

/// What is asked of a supplier.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum ClaimWants {
    /// Another one.
    Replacement,
    /// The money back.
    Refund,
    /// The missing piece.
    MissingPart,
}

/// A line of a quote.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct QuoteLine {
    /// What.
    pub what: String,
    /// How many.
    pub quantity: f64,
    /// Price of one, cents, without tax.
    pub unit_cents: i64,
}

/// A point of a sheet: where, in which unit, and what an identical working vehicle read there.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct SheetPoint {
    /// Name of the point.
    pub point: String,
    /// Unit.
    pub unit: Unit,
    /// Expected reading, as it was typed.
    pub expected: String,
}

/// When the vehicle comes back to be looked at.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Recheck {
    /// By this day.
    #[serde(with = "time::serde::rfc3339")]
    pub by: OffsetDateTime,
    /// Or after these kilometres.
    #[serde(default)]
    pub km: Option<u32>,
    /// What is looked at.
    pub what: String,
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

/// The words of all kinds.
pub const KINDS: [&str; 40] = [
    "opened",
    "vehicle",
    "symptom",
    "risk",
    "customer",
    "terms",
    "ownership",
    "reference",
    "point-reading",
    "sheet",
    "goods-in",
    "claim",
    "quote",
    "quote-answer",
    "reassembly",
    "clock",
    "open-item",
    "close-item",
    "proof",
    "except",
    "owner-sheet",
    "photo",
    "pack",
    "gate",
    "quarantine",
    "clearance",
    "state",
    "confirmed",
    "reading",
    "check",
    "skip",
    "by-hand",
    "change",
    "part",
    "minutes",
    "wait",
    "resume",
    "note",
    "void",
    "close",
];
