//! From a log to the job's present state: [`lines`] is what entries leave, `apply` what each does, `gate`
//! what it says about the gate.

mod apply;
mod gate;
pub mod lines;

pub use lines::*;

use crate::catalogue::Catalogue;
use crate::job::entry::{Body, Logged, ProofResult, SheetPoint};
use crate::job::gate::{Standing, Stop, standing};
use crate::reading::Unit;
use spannung_circuit::{Change, Family, KnownFrom, VehicleState};
use std::collections::BTreeMap;
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
    /// Symptoms: yes, no, unknown, and whether the customer said so; in order of saying.
    pub symptoms: Vec<(String, Option<bool>, bool, Uuid)>,
    /// Risk factors.
    pub risks: Vec<(String, Option<bool>, Uuid)>,
    /// Customer card.
    pub customer: Option<Uuid>,
    /// Promised for.
    pub promised: Option<OffsetDateTime>,
    /// Value of the vehicle, cents.
    pub value_cents: Option<i64>,
    /// Limit, cents.
    pub limit_cents: Option<i64>,
    /// Pack and its sticker.
    pub pack: Option<(Uuid, String)>,
    /// Answers at the gate that hold.
    pub gate: BTreeMap<String, GateAnswer>,
    /// STOPs that hold.
    pub stops: Vec<Stop>,
    /// Quarantine steps recorded, with when and who.
    pub quarantine: BTreeMap<String, (OffsetDateTime, String)>,
    /// Vehicle state.
    pub state: VehicleState,
    /// Preconditions that hold, with the value of the state they hold with.
    pub confirmed: BTreeMap<String, String>,
    /// Readings and checks in order, struck-out ones too.
    pub taken: Vec<Taken>,
    /// Tests passed over: id → reason.
    pub skipped: BTreeMap<String, String>,
    /// Suspects ruled out or in by hand: class → out.
    pub by_hand: BTreeMap<String, (bool, String, Uuid)>,
    /// Repairs after which the complaint still showed.
    pub failed: Vec<FailedRepair>,
    /// What is different on this vehicle.
    pub changes: Vec<Change>,
    /// Where each of them is known from.
    pub sources: Vec<Option<KnownFrom>>,
    /// Parts.
    pub parts: Vec<PartLine>,
    /// Minutes spent.
    pub minutes: f64,
    /// Waiting.
    pub waiting: Option<Waiting>,
    /// Notes.
    pub notes: Vec<(OffsetDateTime, String, String)>,
    /// Job the vehicle came back from.
    pub from_job: Option<Uuid>,
    /// Stop-loss, minutes.
    pub stop_loss_minutes: Option<f64>,
    /// Locked or ex-fleet, and the proof of ownership seen.
    pub ownership: Option<(bool, Option<String>)>,
    /// The identical working vehicle.
    pub reference: Option<String>,
    /// Readings at points named by hand, struck-out ones too.
    pub points: Vec<PointTaken>,
    /// Sheet of points in use: its id and name.
    pub sheet: Option<(Uuid, String, Vec<SheetPoint>)>,
    /// Quotes.
    pub quotes: Vec<QuoteMade>,
    /// Arrivals.
    pub arrivals: Vec<Arrival>,
    /// Claims.
    pub claims: Vec<ClaimMade>,
    /// Reassembly notes.
    pub assembly: Vec<AssemblyStep>,
    /// Clocks that run: who, since when.
    pub clocks: BTreeMap<String, OffsetDateTime>,
    /// Open items as written.
    pub items: Vec<ItemWritten>,
    /// Items closed: key → where and how.
    pub closings: BTreeMap<String, (Mark, String)>,
    /// Checks and items let go: check or key → where and why.
    pub exceptions: BTreeMap<String, (Mark, String)>,
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
    /// The wheel has been up since the gate's wheel contact was closed.
    wheel_was_up: bool,
}

/// A loaded pack reading between these and the floor is live and too low; under it, a dead output.
pub(crate) const LIVE_VOLTS: f64 = 5.0;

impl Job {
    /// Fold a job's entries, with the entries that its packs bring from other jobs (their findings).
    pub fn fold(catalogue: &Catalogue, entries: &[Logged], brought: &[(Uuid, Logged)]) -> Self {
        Self::fold_imported(catalogue, entries, brought, 0)
    }

    /// As [`Self::fold`], for a job whose entries up to `imported` came in from elsewhere: what they
    /// release at the gate does not count here, what they stop does.
    pub fn fold_imported(
        catalogue: &Catalogue,
        entries: &[Logged],
        brought: &[(Uuid, Logged)],
        imported: i64,
    ) -> Self {
        let mut job = Self::default();
        for e in entries {
            if let Body::Void { entry, reason } = &e.body {
                job.voided.insert(*entry, reason.clone());
            }
        }
        for e in entries {
            job.head = job.head.max(e.seq);
            if let Body::Void { .. } = e.body {
                continue;
            }
            let voided = job.voided.contains_key(&e.id);
            if voided
                && !matches!(
                    e.body,
                    Body::Reading { .. } | Body::Check { .. } | Body::PointReading { .. }
                )
            {
                continue;
            }
            if e.seq <= imported && gate::releases(catalogue, &e.body) {
                continue;
            }
            job.apply(catalogue, e, brought, voided);
        }
        job
    }

    /// Family by voltage class and drive.
    pub fn family<'a>(&self, catalogue: &'a Catalogue) -> Option<&'a Family> {
        catalogue.family(self.volts_class, &self.drive)
    }

    /// Where it stands.
    pub fn stage(&self, catalogue: &Catalogue) -> Stage {
        if self.closed.is_some() {
            return Stage::Closed;
        }
        match standing(catalogue, self) {
            Standing::Stopped | Standing::Quarantined => Stage::Quarantine,
            Standing::Asking => Stage::Gate,
            Standing::Open if self.failed_last() => Stage::Bench,
            Standing::Open if !self.proofs.is_empty() => Stage::Proof,
            Standing::Open if !self.parts.is_empty() => Stage::Repair,
            Standing::Open => Stage::Bench,
        }
    }

    /// Did a check fail that has not passed since?
    fn failed_last(&self) -> bool {
        let mut last: BTreeMap<&str, ProofResult> = BTreeMap::new();
        for p in &self.proofs {
            last.insert(&p.check, p.result);
        }
        last.values().any(|r| *r == ProofResult::Fail)
    }

    /// Minutes spent, with the clocks that run counted up to now.
    pub fn minutes_at(&self, now: OffsetDateTime) -> f64 {
        let running: f64 = self.clocks.values().map(|since| between(*since, now)).sum();
        self.minutes + running
    }

    /// Minutes of an entry; while the person's clock runs they are in its time already.
    fn spend(&mut self, by: &str, minutes: f64) {
        if !self.clocks.contains_key(by) {
            self.minutes += minutes;
        }
    }
}

/// Longest time a clock counts by itself, minutes: one that was forgotten overnight is cut, and can be
/// corrected by hand.
const LONGEST_CLOCK: f64 = 720.0;

/// Minutes between two times of a person's clock; a clock that was set back counts nothing.
pub(crate) fn between(since: OffsetDateTime, until: OffsetDateTime) -> f64 {
    ((until - since).as_seconds_f64() / 60.0).clamp(0.0, LONGEST_CLOCK)
}

/// Unit in which a test is read.
pub fn unit_of(catalogue: &Catalogue, test: &str) -> Option<Unit> {
    if let Some(p) = catalogue.probes.iter().find(|p| p.id.get_ref() == test) {
        return Some(match p.mode.as_str() {
            "ohms" | "milliohms" => Unit::Ohms,
            "amps" => Unit::Amps,
            _ => Unit::Volts,
        });
    }
    match test.split('.').next() {
        Some("v" | "bare") => Some(Unit::Volts),
        Some("ohm" | "iso" | "drop" | "run" | "lead") => Some(Unit::Ohms),
        _ => None,
    }
}
