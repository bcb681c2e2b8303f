//! What can be written into a job's log. Entries are never changed; a correction voids one and adds
//! another. No entry holds a customer's name or contact.

use crate::desks::money::Terms;
use crate::reading::Unit;
use serde::{Deserialize, Serialize};
use spannung_circuit::{Change, KnownFrom, VehicleState};
use std::collections::BTreeMap;
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
        /// Job that this vehicle comes back from: a re-check or a complaint again.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        from_job: Option<Uuid>,
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
        /// Stop-loss: minutes after which the job is not worth doing without asking again.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        stop_loss_minutes: Option<f64>,
        /// Names of the fields that this entry sets; the others stay as they are. Empty sets all four.
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        set: Vec<String>,
    },
    /// Locked or ex-fleet electronics, and the proof of ownership that was seen.
    Ownership {
        /// Locked, or from a fleet.
        locked: bool,
        /// What was seen: receipt, registration, letter of the fleet. None when nothing was.
        #[serde(default)]
        proof: Option<String>,
    },
    /// The identical working vehicle whose readings are the expected ones.
    Reference {
        /// Which one, and why it is identical.
        vehicle: String,
    },
    /// A reading at a point named by hand.
    PointReading {
        /// Name of the point.
        point: String,
        /// Unit.
        unit: Unit,
        /// On which vehicle.
        on: ReadOn,
        /// How it came out.
        result: ReadingResult,
        /// What was typed.
        #[serde(default)]
        typed: String,
        /// Minutes it took.
        #[serde(default)]
        minutes: f64,
    },
    /// Points and expected values kept from an earlier vehicle; unverified until measured again.
    Sheet {
        /// Id of the sheet.
        sheet: Uuid,
        /// Its name.
        name: String,
        /// Its points.
        points: Vec<SheetPoint>,
    },
    /// Which pack is on it.
    Pack {
        /// Id of the pack.
        pack: Uuid,
        /// The shop's sticker.
        sticker: String,
        /// Said to be the pack that has carried this sticker before: its history comes along.
        #[serde(default, skip_serializing_if = "std::ops::Not::not")]
        known: bool,
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
        /// Where that is known from.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        source: Option<KnownFrom>,
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
        /// Who delivers, for a part on order.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        supplier: Option<String>,
    },
    /// The wait is over.
    Resume {},
    /// A part has arrived and was looked at.
    GoodsIn {
        /// What.
        what: String,
        /// Free of damage.
        undamaged: bool,
        /// Contents complete, against the order.
        complete: bool,
        /// Label and plate as ordered.
        as_ordered: bool,
        /// What was seen.
        #[serde(default)]
        words: String,
    },
    /// A claim to the supplier, with its facts.
    Claim {
        /// Supplier.
        supplier: String,
        /// Part.
        what: String,
        /// Facts: order, label, readings, photos.
        facts: String,
        /// What is asked.
        wants: ClaimWants,
    },
    /// A quote to the customer.
    Quote {
        /// Parts and other work.
        lines: Vec<QuoteLine>,
        /// Minutes of labour.
        minutes: f64,
        /// In words.
        #[serde(default)]
        words: String,
        /// Rate, step and tax it was worked out with; set by the server.
        #[serde(default)]
        terms: Option<Terms>,
    },
    /// The customer's answer to a quote.
    QuoteAnswer {
        /// Entry of the quote.
        quote: Uuid,
        /// Answer.
        answer: QuoteReply,
        /// Limit, cents, tax included, when it is for less.
        #[serde(default)]
        limit_cents: Option<i64>,
        /// In the customer's words.
        #[serde(default)]
        words: String,
    },
    /// How something goes together again.
    Reassembly {
        /// Part.
        part: String,
        /// Place in the order of assembly, from 1.
        step: u16,
        /// Orientation.
        #[serde(default)]
        orientation: String,
        /// Lubricant, lock or sealant.
        #[serde(default)]
        lubricant: String,
        /// Torque, N·m.
        #[serde(default)]
        torque_nm: Option<f64>,
    },
    /// A person's clock on this job starts or pauses.
    Clock {
        /// Runs from here.
        run: bool,
    },
    /// Something is left open that holds the hand-back.
    OpenItem {
        /// Kind: an id of the catalogue's open items.
        item: String,
        /// What and where.
        what: String,
    },
    /// An open item is closed.
    CloseItem {
        /// Key of the item: the entry's id, or the key the server gave it.
        item: String,
        /// How.
        how: String,
    },
    /// A check of the proof.
    Proof {
        /// Check.
        check: String,
        /// How it came out; worked out by the server where the check has a figure.
        result: ProofResult,
        /// Figure as it was typed.
        #[serde(default)]
        typed: String,
        /// What was seen.
        #[serde(default)]
        words: String,
        /// When the complaint still shows: of the symptoms told, which show still (true) and which are gone.
        #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
        still: BTreeMap<String, bool>,
        /// Minutes it took.
        #[serde(default)]
        minutes: f64,
    },
    /// A check or open item is let go, with a reason that prints.
    Except {
        /// Id of the check or key of the item.
        what: String,
        /// Why.
        reason: String,
    },
    /// What the owner gets to read about using it.
    OwnerSheet {
        /// Lines.
        lines: Vec<String>,
    },
    /// A photo.
    Photo {
        /// Id of the picture.
        photo: Uuid,
        /// Entry it belongs to.
        #[serde(default)]
        of: Option<Uuid>,
        /// What it shows.
        #[serde(default)]
        caption: String,
    },
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
        /// What the owner should watch.
        #[serde(default, skip_serializing_if = "String::is_empty")]
        watch: String,
        /// Comes back to be looked at.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        recheck: Option<Recheck>,
        /// What was shown when it was closed; set by the server.
        #[serde(default)]
        shown: Option<Shown>,
        /// Rate, step and tax of the bill; set by the server.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        terms: Option<Terms>,
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

impl Body {
    /// Can it be struck out: what somebody measured, wrote or planned? What the gate rests on, a proof, an
    /// item closed and the closing cannot be undone that way.
    pub fn can_be_struck_out(&self) -> bool {
        matches!(
            self,
            Self::Reading { .. }
                | Self::Check { .. }
                | Self::Skip { .. }
                | Self::Part { .. }
                | Self::Minutes { .. }
                | Self::Symptom { .. }
                | Self::Risk { .. }
                | Self::ByHand { .. }
                | Self::Change { .. }
                | Self::Wait { .. }
                | Self::PointReading { .. }
                | Self::Sheet { .. }
                | Self::Quote { .. }
                | Self::GoodsIn { .. }
                | Self::Claim { .. }
                | Self::Reassembly { .. }
                | Self::OpenItem { .. }
                | Self::Except { .. }
                | Self::Photo { .. }
                | Self::Note { .. }
        )
    }

    /// The kind's word.
    pub fn kind(&self) -> &'static str {
        match self {
            Self::Opened { .. } => "opened",
            Self::Vehicle { .. } => "vehicle",
            Self::Symptom { .. } => "symptom",
            Self::Risk { .. } => "risk",
            Self::Customer { .. } => "customer",
            Self::Terms { .. } => "terms",
            Self::Ownership { .. } => "ownership",
            Self::Reference { .. } => "reference",
            Self::PointReading { .. } => "point-reading",
            Self::Sheet { .. } => "sheet",
            Self::GoodsIn { .. } => "goods-in",
            Self::Claim { .. } => "claim",
            Self::Quote { .. } => "quote",
            Self::QuoteAnswer { .. } => "quote-answer",
            Self::Reassembly { .. } => "reassembly",
            Self::Clock { .. } => "clock",
            Self::OpenItem { .. } => "open-item",
            Self::CloseItem { .. } => "close-item",
            Self::Proof { .. } => "proof",
            Self::Except { .. } => "except",
            Self::OwnerSheet { .. } => "owner-sheet",
            Self::Photo { .. } => "photo",
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
            Self::QuoteAnswer { .. } => &["quote", "quote-answer", "close"],
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
                "point-reading",
                "ownership",
                "quote",
                "quote-answer",
                "open-item",
                "close-item",
                "proof",
                "except",
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
    /// Who, as a person of this shop; none for what came in from elsewhere. It means nothing in another
    /// shop, so it is in no document.
    #[serde(skip)]
    pub by_id: Option<Uuid>,
    /// Content.
    pub body: Body,
}
