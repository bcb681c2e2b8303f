//! The present state of a job: [`lines`] is what entries leave in it, `gate` how it stands at the gate. What
//! each kind of entry does to it stands with the kind, in [`crate::job::entry`].

mod gate;
pub mod lines;

pub use gate::state_words;
pub use lines::*;

use crate::catalogue::Catalogue;
use crate::job::danger::{Found, PackStanding};
use crate::job::dead::PowerFault;
use spannung_circuit::{Change, Family, VehicleState};
use std::collections::BTreeMap;
use std::sync::Arc;
use time::OffsetDateTime;
use uuid::Uuid;

/// The present state of a job.
#[derive(Debug, Clone, Default)]
pub struct Job {
    /// Customer's words.
    pub words: String,
    /// Voltage class.
    pub volts_class: u16,
    /// Drive.
    pub drive: String,
    /// Begun.
    pub opened_at: Option<OffsetDateTime>,
    /// Vehicle's name.
    pub vehicle: String,
    /// Frame number.
    pub frame_number: Option<String>,
    /// Controller label.
    pub controller: Option<String>,
    /// Symptoms, in order of saying.
    pub symptoms: Vec<SymptomTold>,
    /// Risk factors.
    pub risks: Vec<RiskTold>,
    /// Customer card.
    pub customer: Option<Uuid>,
    /// Promised for.
    pub promised: Option<OffsetDateTime>,
    /// Value of the vehicle, cents.
    pub value_cents: Option<i64>,
    /// Limit, cents.
    pub limit_cents: Option<i64>,
    /// Pack on it.
    pub pack: Option<PackOn>,
    /// Answers at the gate that hold.
    pub gate: BTreeMap<String, GateAnswer>,
    /// How the pack on it stands; before one is named, what was told of it.
    pub on_pack: PackStanding,
    /// How packs stand that are not on it: those it had before.
    off_vehicle: BTreeMap<Uuid, PackStanding>,
    /// Dangers that entries of this job raised, with the packs they rest on.
    pub found: Vec<Found>,
    /// Vehicle state.
    pub state: VehicleState,
    /// Where in the log a plug was apart last.
    pub moved: Option<i64>,
    /// What told of a power fault last.
    pub power_fault: Option<PowerFault>,
    /// Preconditions that hold, with the value of the state they hold with.
    pub confirmed: BTreeMap<String, String>,
    /// Readings and checks in order, struck-out ones too.
    pub taken: Vec<Taken>,
    /// Tests passed over: id → reason.
    pub skipped: BTreeMap<String, String>,
    /// Suspects ruled out or in by hand, by repair class.
    pub by_hand: BTreeMap<String, Ruled>,
    /// Repairs after which the complaint still showed.
    pub failed: Vec<FailedRepair>,
    /// What is different on this vehicle.
    pub changes: Vec<Changed>,
    /// The family that comes of those that put it together otherwise.
    pub put_together: Option<Arc<Family>>,
    /// Entries folded, and whether each can be struck out.
    pub written: BTreeMap<Uuid, bool>,
    /// Parts.
    pub parts: Vec<PartLine>,
    /// Minutes spent.
    pub minutes: f64,
    /// Waiting.
    pub waiting: Option<Waiting>,
    /// Notes.
    pub notes: Vec<NoteWritten>,
    /// Job the vehicle came back from.
    pub from_job: Option<Uuid>,
    /// Stop-loss, minutes.
    pub stop_loss_minutes: Option<f64>,
    /// Locked or ex-fleet, and the proof of ownership seen.
    pub ownership: Option<Ownership>,
    /// The identical working vehicle.
    pub reference: Option<String>,
    /// Readings at points named by hand, struck-out ones too.
    pub points: Vec<PointTaken>,
    /// Sheet of points in use.
    pub sheet: Option<SheetInUse>,
    /// Quotes.
    pub quotes: Vec<QuoteMade>,
    /// Arrivals.
    pub arrivals: Vec<Arrival>,
    /// Claims.
    pub claims: Vec<ClaimMade>,
    /// Reassembly notes.
    pub assembly: Vec<AssemblyStep>,
    /// Clocks that run, by whose they are.
    pub clocks: BTreeMap<Whose, Running>,
    /// Open items as written.
    pub items: Vec<ItemWritten>,
    /// Items closed, by key.
    pub closings: BTreeMap<String, Settled>,
    /// Checks and items let go, by check or key.
    pub exceptions: BTreeMap<String, Settled>,
    /// Checks of the proof in order.
    pub proofs: Vec<ProofTaken>,
    /// What the owner gets to read, when it was changed.
    pub owner_sheet: Option<Vec<String>>,
    /// Photos.
    pub photos: Vec<PhotoTaken>,
    /// Closed.
    pub closed: Option<Closed>,
    /// Highest sequence folded.
    pub head: i64,
    /// Entries struck out: id → reason.
    pub voided: BTreeMap<Uuid, String>,
}

/// A loaded pack reading between these and the floor is live and too low; under it, a dead output.
pub(crate) const LIVE_VOLTS: f64 = 5.0;

impl Job {
    /// The family that its voltage class and drive begin with.
    pub fn begun<'a>(&self, catalogue: &'a Catalogue) -> Option<&'a Family> {
        catalogue.family(self.volts_class, &self.drive)
    }

    /// Its family: the one it began with, or what has been put together since.
    pub fn family<'a>(&'a self, catalogue: &'a Catalogue) -> Option<&'a Family> {
        let own = self.put_together.as_deref();
        own.or_else(|| self.begun(catalogue))
    }

    /// Put the vehicle together as its changes say. Changes that make none, which an older catalogue let in, leave it.
    pub(in crate::job) fn put_together(&mut self, catalogue: &Catalogue) {
        let Some(begun) = self.begun(catalogue) else {
            return;
        };
        let made = spannung_circuit::profile::put_together(begun, &self.differences());
        self.put_together = made.ok().map(Arc::new);
    }

    /// A job of which nothing is known but its newest sequence.
    pub fn unfolded(head: i64) -> Self {
        Self {
            head,
            ..Self::default()
        }
    }

    /// Is this symptom told or seen?
    pub fn told(&self, symptom: &str) -> bool {
        let yes = |s: &SymptomTold| s.symptom == symptom && s.yes == Some(true);
        self.symptoms.iter().any(yes)
    }

    /// What is different on this vehicle, without where it is known from.
    pub fn differences(&self) -> Vec<Change> {
        self.changes.iter().map(|c| c.change.clone()).collect()
    }

    /// What is different on this vehicle, as it is kept for the next one like it: of each slot what was said last.
    pub fn kept_as_build(&self) -> Vec<Change> {
        let all = self.differences();
        let said_later = |k: usize| {
            let slot = match &all[k] {
                Change::Component { slot, .. } | Change::Likely { slot, .. } => slot,
                _ => return false,
            };
            all[k + 1..].iter().any(|c| {
                matches!(c, Change::Component { slot: s, .. } | Change::Likely { slot: s, .. } if s == slot)
            })
        };
        let last = (0..all.len()).filter(|k| !said_later(*k));
        last.filter_map(|k| all[k].kept()).collect()
    }

    /// Why the changes of this vehicle do not make one: written under another catalogue, or before changes
    /// were checked. None when they do, and for a vehicle without a wiring model.
    pub fn misfit(&self, catalogue: &Catalogue) -> Option<String> {
        let family = self.begun(catalogue)?;
        let made = spannung_circuit::Profile::new(family, &self.differences());
        made.err().map(|why| why.to_string())
    }

    /// Minutes spent, with the clocks that run counted up to now.
    pub fn minutes_at(&self, now: OffsetDateTime) -> f64 {
        let running: f64 = self.clocks.values().map(|c| between(c.since, now)).sum();
        self.minutes + running
    }

    /// Minutes of an entry; while the person's clock runs they are in its time already.
    pub(in crate::job) fn spend(&mut self, mark: &Mark, minutes: f64) {
        if !self.clocks.contains_key(&Whose::of(mark)) {
            self.minutes += minutes;
        }
    }
}

/// Longest time a clock counts by itself, minutes: one that was forgotten overnight is cut, and can be
/// corrected by hand.
const LONGEST_CLOCK: f64 = 720.0;

/// Minutes between two times of a person's clock; a clock that was set back counts nothing.
pub fn between(since: OffsetDateTime, until: OffsetDateTime) -> f64 {
    ((until - since).as_seconds_f64() / 60.0).clamp(0.0, LONGEST_CLOCK)
}
