//! From a log to the job's present state: [`lines`] is what entries leave, `apply` what each does, `gate`
//! what it says about the gate.

mod apply;
mod gate;
pub mod lines;

pub use lines::*;

use crate::catalogue::Catalogue;
use crate::job::danger::{self, Found, Happened, OnPack, PackStanding, Stop};
use crate::job::entry::{Body, Logged, ProofResult, SheetPoint};
use crate::job::gate::{Standing, standing};
use crate::reading::Unit;
use spannung_circuit::{Change, Family, KnownFrom, VehicleState};
use std::collections::{BTreeMap, BTreeSet};
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
    /// How the pack on it stands; before one is named, what was told of it.
    pub on_pack: PackStanding,
    /// How packs stand that are not on it: those it had before.
    off_vehicle: BTreeMap<Uuid, PackStanding>,
    /// Dangers that entries of this job raised, with the packs they rest on.
    pub found: Vec<Found>,
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
    /// Entry of each of them.
    pub changed_by: Vec<Uuid>,
    /// Entries folded: what can be referred to.
    pub written: BTreeMap<Uuid, Written>,
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
    /// Clocks that run: whose, since when, and their name.
    pub clocks: BTreeMap<Whose, (OffsetDateTime, String)>,
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
    /// Fold a job's entries, with what happened on its packs: in other jobs, and the dangers kept of this
    /// one, which count as they were judged then.
    pub fn fold(catalogue: &Catalogue, entries: &[Logged], brought: &[OnPack]) -> Self {
        Self::fold_imported(catalogue, entries, brought, 0)
    }

    /// As [`Self::fold`], for a job whose entries up to `imported` came in from elsewhere: what they
    /// release at the gate does not count here, what they stop does.
    pub fn fold_imported(
        catalogue: &Catalogue,
        entries: &[Logged],
        brought: &[OnPack],
        imported: i64,
    ) -> Self {
        let mut job = Self::default();
        let own: BTreeSet<Uuid> = entries.iter().map(|e| e.id).collect();
        let (kept, mut others): (Vec<&OnPack>, Vec<&OnPack>) =
            brought.iter().partition(|b| own.contains(&b.entry));
        others.sort_by_key(|b| b.seq);
        let mut others = others.into_iter().peekable();
        let kept: BTreeMap<Uuid, &Stop> = kept
            .into_iter()
            .filter_map(|b| match &b.what {
                Happened::Found(stop) => Some((b.entry, stop)),
                _ => None,
            })
            .collect();
        for e in entries {
            if let Body::Void { entry, reason } = &e.body {
                job.voided.insert(*entry, reason.clone());
            }
        }
        for e in entries {
            while let Some(event) = others.next_if(|b| b.seq < e.seq) {
                job.elsewhere(catalogue, event);
            }
            let counts = e.seq > imported || !catalogue.releases(&e.body);
            job.step(catalogue, e, kept.get(&e.id).copied(), counts);
        }
        for event in others {
            job.elsewhere(catalogue, event);
        }
        job
    }

    /// Fold one entry more onto a job, where nothing that follows strikes it out.
    pub(crate) fn next(&mut self, catalogue: &Catalogue, e: &Logged) {
        self.step(catalogue, e, None, true);
    }

    /// One entry: what it does to the job, unless it does not count here, and the danger it raises. One
    /// that is kept stays a danger, whatever the present catalogue would say of the entry.
    fn step(&mut self, catalogue: &Catalogue, e: &Logged, kept: Option<&Stop>, counts: bool) {
        self.head = self.head.max(e.seq);
        self.written.insert(
            e.id,
            Written {
                kind: e.body.kind(),
                can_be_struck_out: e.body.can_be_struck_out(),
            },
        );
        let voided = self.voided.contains_key(&e.id);
        let stop = match kept {
            Some(stop) => Some(stop.clone()),
            None if voided => None,
            None => danger::judge(catalogue, self, e),
        };
        if counts && (!voided || is_reading(&e.body)) {
            self.apply(catalogue, e, voided);
        }
        if let Some(stop) = stop {
            self.find(stop);
        }
    }

    /// Family by voltage class and drive.
    pub fn family<'a>(&self, catalogue: &'a Catalogue) -> Option<&'a Family> {
        catalogue.family(self.volts_class, &self.drive)
    }

    /// A job of which nothing is known but its newest sequence.
    pub fn unfolded(head: i64) -> Self {
        Self {
            head,
            ..Self::default()
        }
    }

    /// Why the changes of this vehicle do not make one: written under another catalogue, or before changes
    /// were checked. None when they do, and for a vehicle without a wiring model.
    pub fn misfit(&self, catalogue: &Catalogue) -> Option<String> {
        let family = self.family(catalogue)?;
        let made = spannung_circuit::Profile::new(family, &self.changes);
        made.err().map(|why| why.to_string())
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
        let running: f64 = self.clocks.values().map(|c| between(c.0, now)).sum();
        self.minutes + running
    }

    /// Minutes of an entry; while the person's clock runs they are in its time already.
    fn spend(&mut self, e: &Logged, minutes: f64) {
        if !self.clocks.contains_key(&Whose::of(e)) {
            self.minutes += minutes;
        }
    }
}

/// Readings and checks stay in sight when they are struck out.
fn is_reading(body: &Body) -> bool {
    matches!(
        body,
        Body::Reading { .. } | Body::Check { .. } | Body::PointReading { .. }
    )
}

/// Longest time a clock counts by itself, minutes: one that was forgotten overnight is cut, and can be
/// corrected by hand.
const LONGEST_CLOCK: f64 = 720.0;

/// Minutes between two times of a person's clock; a clock that was set back counts nothing.
pub fn between(since: OffsetDateTime, until: OffsetDateTime) -> f64 {
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
