//! What the entries of a log leave in the job: one line or answer each, with where it stands in the log.

use crate::desks::money::Terms;
use crate::job::entry::vocabulary::{
    ClaimWants, Fate, Outcome, ProofResult, QuoteLine, QuoteReply, ReadOn, ReadingResult, Recheck,
    SheetPoint, WaitKind,
};
use crate::reading::{Figure, Unit};
use spannung_circuit::{Change, KnownFrom, VehicleState};
use std::collections::BTreeMap;
use time::OffsetDateTime;
use uuid::Uuid;

/// Whose clock: the person's, whatever they are called by now; by name where the entry is from elsewhere.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Whose {
    /// A person of this shop.
    Person(Uuid),
    /// Somebody known by name only.
    Named(String),
}

impl Whose {
    /// Whose clock an entry speaks of.
    pub fn of(mark: &Mark) -> Self {
        mark.by_id
            .map_or_else(|| Self::Named(mark.by.clone()), Self::Person)
    }
}

/// A symptom told, seen or denied.
#[derive(Debug, Clone, PartialEq)]
pub struct SymptomTold {
    /// Symptom.
    pub symptom: String,
    /// Yes, no, or not known.
    pub yes: Option<bool>,
    /// Told by the customer.
    pub by_customer: bool,
    /// Entry.
    pub entry: Uuid,
}

/// A risk factor told or denied.
#[derive(Debug, Clone, PartialEq)]
pub struct RiskTold {
    /// Risk factor.
    pub risk: String,
    /// Yes, no, or not known.
    pub yes: Option<bool>,
    /// Entry.
    pub entry: Uuid,
}

/// The pack on the vehicle.
#[derive(Debug, Clone, PartialEq)]
pub struct PackOn {
    /// Pack.
    pub pack: Uuid,
    /// The shop's sticker.
    pub sticker: String,
}

/// A suspect ruled out or in by hand.
#[derive(Debug, Clone, PartialEq)]
pub struct Ruled {
    /// Out, otherwise in.
    pub out: bool,
    /// Why.
    pub reason: String,
    /// Entry.
    pub entry: Uuid,
}

/// A difference of this vehicle from its family.
#[derive(Debug, Clone, PartialEq)]
pub struct Changed {
    /// What differs.
    pub change: Change,
    /// Where that is known from.
    pub source: Option<KnownFrom>,
    /// Entry.
    pub entry: Uuid,
}

/// A note.
#[derive(Debug, Clone, PartialEq)]
pub struct NoteWritten {
    /// Where in the log.
    pub mark: Mark,
    /// Text.
    pub text: String,
}

/// Locked or ex-fleet electronics, and what was seen of ownership.
#[derive(Debug, Clone, PartialEq)]
pub struct Ownership {
    /// Locked, or from a fleet.
    pub locked: bool,
    /// Proof that was seen.
    pub proof: Option<String>,
}

impl Ownership {
    /// Locked, and nobody has shown whose it is.
    pub fn unproved(&self) -> bool {
        self.locked && self.proof.is_none()
    }
}

/// The sheet of points in use.
#[derive(Debug, Clone, PartialEq)]
pub struct SheetInUse {
    /// Sheet.
    pub sheet: Uuid,
    /// Its name.
    pub name: String,
    /// Its points.
    pub points: Vec<SheetPoint>,
}

/// A clock that runs.
#[derive(Debug, Clone, PartialEq)]
pub struct Running {
    /// Since.
    pub since: OffsetDateTime,
    /// Whose, by name.
    pub by: String,
}

/// Something closed or let go: by whom, and how or why.
#[derive(Debug, Clone, PartialEq)]
pub struct Settled {
    /// Where in the log.
    pub mark: Mark,
    /// How, or why.
    pub words: String,
}

/// What the customer said to a quote.
#[derive(Debug, Clone, PartialEq)]
pub struct QuoteSaid {
    /// Answer.
    pub answer: QuoteReply,
    /// Limit, cents, tax included, when it is for less.
    pub limit_cents: Option<i64>,
    /// In the customer's words.
    pub words: String,
}

/// An answer at the gate with where it came from.
#[derive(Debug, Clone, PartialEq)]
pub struct GateAnswer {
    /// Answer id.
    pub answer: String,
    /// What was typed.
    pub typed: Option<String>,
    /// When.
    pub at: OffsetDateTime,
    /// Who.
    pub by: String,
}

/// A repair after which the complaint still showed.
#[derive(Debug, Clone, PartialEq)]
pub struct FailedRepair {
    /// Repair class.
    pub class: String,
    /// Sequence of the proof that failed.
    pub seq: i64,
    /// Its entry.
    pub entry: Uuid,
    /// Of the symptoms told: which show still, and which are gone.
    pub still: BTreeMap<String, bool>,
}

/// Who wrote something, when, and where it stands in the log.
#[derive(Debug, Clone, PartialEq)]
pub struct Mark {
    /// Entry.
    pub entry: Uuid,
    /// Sequence.
    pub seq: i64,
    /// When.
    pub at: OffsetDateTime,
    /// Who, by name.
    pub by: String,
    /// Who, as a person of this shop; none for what came in from elsewhere.
    pub by_id: Option<Uuid>,
}

/// A reading at a point named by hand.
#[derive(Debug, Clone, PartialEq)]
pub struct PointTaken {
    /// Where in the log.
    pub mark: Mark,
    /// Point.
    pub point: String,
    /// Unit.
    pub unit: Unit,
    /// On which vehicle.
    pub on: ReadOn,
    /// How it came out.
    pub result: ReadingResult,
    /// What was typed.
    pub typed: String,
    /// Figure, when there is one.
    pub figure: Option<Figure>,
    /// Struck out.
    pub voided: bool,
}

/// A quote and what the customer said.
#[derive(Debug, Clone, PartialEq)]
pub struct QuoteMade {
    /// Where in the log.
    pub mark: Mark,
    /// Lines.
    pub lines: Vec<QuoteLine>,
    /// Minutes of labour.
    pub minutes: f64,
    /// In words.
    pub words: String,
    /// Terms.
    pub terms: Terms,
    /// What the customer said; none while it is open.
    pub said: Option<QuoteSaid>,
}

impl QuoteMade {
    /// The quote worked out.
    pub fn sum(&self) -> crate::desks::money::Sum {
        let lines: Vec<(f64, i64)> = self
            .lines
            .iter()
            .map(|l| (l.quantity, l.unit_cents))
            .collect();
        crate::desks::money::sum(&lines, self.minutes, &self.terms)
    }

    /// Not answered yet.
    pub fn open(&self) -> bool {
        let said = self.said.as_ref();
        said.is_none_or(|s| s.answer == QuoteReply::NoAnswer)
    }
}

/// An arrival that was looked at.
#[derive(Debug, Clone, PartialEq)]
pub struct Arrival {
    /// Where in the log.
    pub mark: Mark,
    /// What.
    pub what: String,
    /// Undamaged, complete and as ordered.
    pub good: bool,
    /// What was seen.
    pub words: String,
}

/// A claim to a supplier.
#[derive(Debug, Clone, PartialEq)]
pub struct ClaimMade {
    /// Where in the log.
    pub mark: Mark,
    /// Supplier.
    pub supplier: String,
    /// Part.
    pub what: String,
    /// Facts.
    pub facts: String,
    /// What is asked.
    pub wants: ClaimWants,
}

/// How a part goes together again.
#[derive(Debug, Clone, PartialEq)]
pub struct AssemblyStep {
    /// Where in the log.
    pub mark: Mark,
    /// Part.
    pub part: String,
    /// Place in the order.
    pub step: u16,
    /// Orientation.
    pub orientation: String,
    /// Lubricant.
    pub lubricant: String,
    /// Torque, N·m.
    pub torque_nm: Option<f64>,
}

/// An open item as it was written; those the job makes by itself are in [`crate::job::items`].
#[derive(Debug, Clone, PartialEq)]
pub struct ItemWritten {
    /// Where in the log.
    pub mark: Mark,
    /// Kind.
    pub kind: String,
    /// What and where.
    pub what: String,
}

/// A check of the proof as it was done.
#[derive(Debug, Clone, PartialEq)]
pub struct ProofTaken {
    /// Where in the log.
    pub mark: Mark,
    /// Check.
    pub check: String,
    /// How it came out.
    pub result: ProofResult,
    /// What was typed.
    pub typed: String,
    /// What was seen.
    pub words: String,
}

/// A photo.
#[derive(Debug, Clone, PartialEq)]
pub struct PhotoTaken {
    /// Where in the log.
    pub mark: Mark,
    /// Id of the picture.
    pub photo: Uuid,
    /// Entry it belongs to.
    pub of: Option<Uuid>,
    /// What it shows.
    pub caption: String,
}

/// A reading or check that counts, with the state it was taken in.
#[derive(Debug, Clone, PartialEq)]
pub struct Taken {
    /// Entry.
    pub entry: Uuid,
    /// Sequence.
    pub seq: i64,
    /// Test.
    pub test: String,
    /// Reading result, none for a check.
    pub result: Option<ReadingResult>,
    /// What was typed, or the outcome.
    pub typed: String,
    /// Strand at which a look found it, when that was said.
    pub place: Option<String>,
    /// Figure, when there is one.
    pub figure: Option<Figure>,
    /// State at that time.
    pub state: VehicleState,
    /// Struck out.
    pub voided: bool,
    /// When.
    pub at: OffsetDateTime,
    /// Who.
    pub by: String,
}

/// A part out and in.
#[derive(Debug, Clone, PartialEq)]
pub struct PartLine {
    /// Where in the log.
    pub mark: Mark,
    /// Old part.
    pub old: Option<String>,
    /// What becomes of it.
    pub fate: Option<Fate>,
    /// New part.
    pub new: Option<String>,
    /// Repair class it mends.
    pub class: Option<String>,
    /// Minutes.
    pub minutes: f64,
    /// Price, cents without tax.
    pub price_cents: Option<i64>,
}

/// What the job waits for.
#[derive(Debug, Clone, PartialEq)]
pub struct Waiting {
    /// Kind.
    pub kind: WaitKind,
    /// In words.
    pub what: String,
    /// Comes free.
    pub until: Option<OffsetDateTime>,
    /// Since.
    pub since: OffsetDateTime,
    /// Who delivers.
    pub supplier: Option<String>,
    /// Quote that is not answered yet.
    pub quote: Option<Uuid>,
}

/// How it was closed.
#[derive(Debug, Clone, PartialEq)]
pub struct Closed {
    /// Outcome.
    pub outcome: Outcome,
    /// Class mended.
    pub class: Option<String>,
    /// Cause confirmed.
    pub cause_confirmed: bool,
    /// Words.
    pub words: String,
    /// What the owner should watch.
    pub watch: String,
    /// Comes back to be looked at.
    pub recheck: Option<Recheck>,
    /// Terms of the bill.
    pub terms: Option<Terms>,
    /// When.
    pub at: OffsetDateTime,
    /// Who handed it back.
    pub by: String,
}

/// Where the job stands.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, serde::Serialize, serde::Deserialize, utoipa::ToSchema,
)]
#[serde(rename_all = "lowercase")]
pub enum Stage {
    /// Gate being asked.
    Gate,
    /// Pack stopped or in quarantine.
    Quarantine,
    /// On the bench.
    Bench,
    /// Parts have been changed.
    Repair,
    /// Being proved.
    Proof,
    /// Closed.
    Closed,
}
