//! From a log to the job's present state.

use crate::catalogue::Catalogue;
use crate::desks::money::Terms;
use crate::job::entry::{
    Body, ClaimWants, Fate, Logged, Outcome, ProofResult, QuoteLine, QuoteReply, ReadOn,
    ReadingResult, Recheck, SheetPoint, WaitKind,
};
use crate::job::gate::{self, Standing, Stop};
use crate::reading::{self, Figure, Unit};
use spannung_circuit::state::Wheel;
use spannung_circuit::{Change, Family, VehicleState};
use std::collections::{BTreeMap, BTreeSet};
use time::OffsetDateTime;
use uuid::Uuid;

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
    /// It came with the pack from another job.
    pub brought: bool,
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
    /// Who.
    pub by: String,
}

impl Mark {
    fn of(e: &Logged) -> Self {
        Self {
            entry: e.id,
            seq: e.seq,
            at: e.at,
            by: e.by.clone(),
        }
    }
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
    /// Answer, limit and the customer's words; none while it is open.
    pub answer: Option<(QuoteReply, Option<i64>, String)>,
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
        self.answer
            .as_ref()
            .is_none_or(|a| a.0 == QuoteReply::NoAnswer)
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
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Serialize, utoipa::ToSchema)]
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
    /// What is different on this vehicle.
    pub changes: Vec<Change>,
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
            if e.seq <= imported && releases(catalogue, &e.body) {
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
        match gate::standing(catalogue, self) {
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

    fn field(&self, field: &str) -> String {
        match field {
            "wheel" if self.state.wheel == Wheel::Ground => "ground".into(),
            "wheel" => "up".into(),
            "plugs" => self
                .state
                .apart
                .iter()
                .cloned()
                .collect::<Vec<_>>()
                .join(","),
            other => self.state.word(other).unwrap_or_default().into(),
        }
    }

    /// Bring the vehicle to a state; confirmations that spoke of another state end.
    fn stand(&mut self, catalogue: &Catalogue, state: VehicleState) {
        self.state = state;
        let holds: BTreeSet<String> = self
            .confirmed
            .iter()
            .filter(|(need, value)| {
                catalogue
                    .need(need)
                    .is_some_and(|n| self.field(&n.holds_while) == **value)
            })
            .map(|(need, _)| need.clone())
            .collect();
        self.confirmed.retain(|need, _| holds.contains(need));
        if self.state.wheel == Wheel::Ground {
            // the gate's own wheel contact speaks of the wheel being up
            if self.gate.get("wheel").is_some_and(|_| self.wheel_was_up) {
                self.gate.remove("wheel");
                self.wheel_was_up = false;
            }
        } else {
            self.wheel_was_up = true;
        }
    }

    fn stop(&mut self, stop: Stop) {
        if !self.stops.iter().any(|s| s.from == stop.from) {
            self.stops.push(stop);
        }
    }

    fn answer_gate(
        &mut self,
        catalogue: &Catalogue,
        e: &Logged,
        check: &str,
        answer: &str,
        typed: Option<&String>,
        brought: bool,
    ) {
        let Some(spec) = catalogue.gate_check(check) else {
            return;
        };
        self.gate.insert(
            check.into(),
            GateAnswer {
                answer: answer.into(),
                typed: typed.cloned(),
                at: e.at,
                by: e.by.clone(),
                brought,
            },
        );
        if check == "wheel" && answer == "up" {
            let mut state = self.state.clone();
            if state.wheel == Wheel::Ground {
                state.wheel = Wheel::Lifted;
            }
            self.stand(catalogue, state);
        }
        let Some(given) = spec.answers.iter().find(|a| a.id == answer) else {
            return;
        };
        if given.result == "stop" {
            let figure = typed.map(|t| format!(" Read {t}.")).unwrap_or_default();
            self.stop(Stop {
                entry: e.id,
                from: check.into(),
                order: given
                    .order
                    .clone()
                    .unwrap_or_else(|| "Do not switch on".into()),
                reason: format!("{}{figure}", given.reason.clone().unwrap_or_default()),
                clearable: true,
            });
        }
    }

    fn apply(
        &mut self,
        catalogue: &Catalogue,
        e: &Logged,
        brought: &[(Uuid, Logged)],
        voided: bool,
    ) {
        match &e.body {
            Body::Opened {
                words,
                volts_class,
                drive,
                from_job,
                ..
            } => {
                self.from_job = *from_job;
                self.words.clone_from(words);
                self.volts_class = *volts_class;
                self.drive.clone_from(drive);
                self.opened_at = Some(e.at);
            }
            Body::Vehicle {
                name,
                frame_number,
                controller,
            } => {
                self.vehicle.clone_from(name);
                self.frame_number.clone_from(frame_number);
                self.controller.clone_from(controller);
            }
            Body::Symptom {
                symptom,
                yes,
                by_customer,
            } => {
                self.symptoms.retain(|s| &s.0 != symptom);
                self.symptoms
                    .push((symptom.clone(), *yes, *by_customer, e.id));
                if symptom == "S21" && *yes == Some(true) {
                    self.stop(Stop {
                        entry: e.id,
                        from: "S21".into(),
                        order: "Do not switch on, do not charge".into(),
                        reason: "Told hot, swollen, leaking or hissing.".into(),
                        clearable: true,
                    });
                }
            }
            Body::Risk { risk, yes } => {
                self.risks.retain(|r| &r.0 != risk);
                self.risks.push((risk.clone(), *yes, e.id));
            }
            Body::Customer { customer } => self.customer = Some(*customer),
            Body::Terms {
                promised,
                value_cents,
                limit_cents,
                stop_loss_minutes,
            } => {
                self.stop_loss_minutes = *stop_loss_minutes;
                self.promised = *promised;
                self.value_cents = *value_cents;
                self.limit_cents = *limit_cents;
            }
            Body::Pack { pack, sticker } => {
                let same = self.pack.as_ref().is_some_and(|p| p.0 == *pack);
                let first = self.pack.is_none();
                self.pack = Some((*pack, sticker.clone()));
                if !same && !first {
                    // another pack on the vehicle: what was found on the old one stays with it
                    self.gate.retain(|check, _| {
                        catalogue
                            .gate_check(check)
                            .is_some_and(|c| c.rests == "job")
                    });
                    self.stops.clear();
                    self.quarantine.clear();
                }
                if !same {
                    self.bring_findings(catalogue, *pack, brought);
                }
            }
            Body::Gate {
                check,
                answer,
                typed,
            } => {
                self.answer_gate(catalogue, e, check, answer, typed.as_ref(), false);
            }
            Body::Quarantine { step } => {
                self.quarantine.insert(step.clone(), (e.at, e.by.clone()));
            }
            Body::Clearance { .. } => self.clear(catalogue),
            Body::State { state } => self.stand(catalogue, state.clone()),
            Body::Confirmed { need } => {
                if let Some(spec) = catalogue.need(need) {
                    let value = self.field(&spec.holds_while);
                    self.confirmed.insert(need.clone(), value);
                }
            }
            Body::Reading {
                test,
                result,
                typed,
                minutes,
                ..
            } => self.take_reading(catalogue, e, test, *result, typed, *minutes, voided),
            Body::Check {
                test,
                outcome,
                minutes,
            } => {
                self.taken.push(Taken {
                    entry: e.id,
                    seq: e.seq,
                    test: test.clone(),
                    result: None,
                    typed: outcome.clone(),
                    figure: None,
                    state: self.state.clone(),
                    voided,
                    at: e.at,
                    by: e.by.clone(),
                });
                if !voided {
                    self.spend(&e.by, *minutes);
                    if test == "t-pack-case" && (outcome == "swollen" || outcome == "wet") {
                        self.stop(Stop {
                            entry: e.id,
                            from: test.clone(),
                            order: "Do not switch on, do not charge".into(),
                            reason: format!("Case of the pack: {outcome}."),
                            clearable: true,
                        });
                    }
                }
            }
            Body::Skip { test, reason } => {
                self.skipped.insert(test.clone(), reason.clone());
            }
            Body::ByHand { class, out, reason } => match out {
                Some(out) => {
                    self.by_hand
                        .insert(class.clone(), (*out, reason.clone(), e.id));
                }
                None => {
                    self.by_hand.remove(class);
                }
            },
            Body::Change { change } => self.changes.push(change.clone()),
            Body::Part {
                old,
                fate,
                new,
                class,
                minutes,
                price_cents,
            } => {
                self.spend(&e.by, *minutes);
                self.parts.push(PartLine {
                    mark: Mark::of(e),
                    old: old.clone(),
                    fate: *fate,
                    new: new.clone(),
                    class: class.clone(),
                    minutes: *minutes,
                    price_cents: *price_cents,
                });
                // a swap ends what was confirmed before it
                self.confirmed.clear();
                self.gate.remove("smell");
            }
            Body::Minutes { minutes, .. } => self.minutes += minutes,
            Body::Wait {
                wait,
                what,
                until,
                supplier,
            } => {
                self.waiting = Some(Waiting {
                    kind: *wait,
                    what: what.clone(),
                    until: *until,
                    since: e.at,
                    supplier: supplier.clone(),
                    quote: None,
                });
            }
            Body::Resume {} => self.waiting = None,
            Body::GoodsIn {
                what,
                undamaged,
                complete,
                as_ordered,
                words,
            } => {
                let good = *undamaged && *complete && *as_ordered;
                self.arrivals.push(Arrival {
                    mark: Mark::of(e),
                    what: what.clone(),
                    good,
                    words: words.clone(),
                });
                if good
                    && self
                        .waiting
                        .as_ref()
                        .is_some_and(|w| w.kind == WaitKind::Part)
                {
                    self.waiting = None;
                }
            }
            Body::Claim {
                supplier,
                what,
                facts,
                wants,
            } => self.claims.push(ClaimMade {
                mark: Mark::of(e),
                supplier: supplier.clone(),
                what: what.clone(),
                facts: facts.clone(),
                wants: *wants,
            }),
            Body::Quote {
                lines,
                minutes,
                words,
                terms,
            } => {
                self.quotes.push(QuoteMade {
                    mark: Mark::of(e),
                    lines: lines.clone(),
                    minutes: *minutes,
                    words: words.clone(),
                    terms: terms.clone().unwrap_or_default(),
                    answer: None,
                });
                self.waiting = Some(Waiting {
                    kind: WaitKind::Customer,
                    what: "answer to the quote".into(),
                    until: None,
                    since: e.at,
                    supplier: None,
                    quote: Some(e.id),
                });
            }
            Body::QuoteAnswer {
                quote,
                answer,
                limit_cents,
                words,
            } => {
                if let Some(q) = self.quotes.iter_mut().find(|q| q.mark.entry == *quote) {
                    q.answer = Some((*answer, *limit_cents, words.clone()));
                    let sum = q.sum().total_cents;
                    match answer {
                        QuoteReply::Accepted => {
                            self.limit_cents = Some(self.limit_cents.unwrap_or(sum).max(sum));
                        }
                        QuoteReply::Less => self.limit_cents = *limit_cents,
                        QuoteReply::Declined | QuoteReply::NoAnswer => {}
                    }
                }
                let of_this = self
                    .waiting
                    .as_ref()
                    .is_some_and(|w| w.quote == Some(*quote));
                if of_this && *answer != QuoteReply::NoAnswer {
                    self.waiting = None;
                }
            }
            Body::Ownership { locked, proof } => {
                let seen = proof.clone().filter(|p| !p.trim().is_empty());
                self.ownership = Some((*locked, seen));
            }
            Body::Reference { vehicle } => self.reference = Some(vehicle.clone()),
            Body::PointReading {
                point,
                unit,
                on,
                result,
                typed,
                minutes,
            } => {
                if !voided {
                    self.spend(&e.by, *minutes);
                }
                let figure = (*result == ReadingResult::Figure)
                    .then(|| reading::parse(typed, Some(*unit)).ok())
                    .flatten();
                self.points.push(PointTaken {
                    mark: Mark::of(e),
                    point: point.trim().into(),
                    unit: *unit,
                    on: *on,
                    result: *result,
                    typed: typed.clone(),
                    figure,
                    voided,
                });
            }
            Body::Sheet {
                sheet,
                name,
                points,
            } => self.sheet = Some((*sheet, name.clone(), points.clone())),
            Body::Reassembly {
                part,
                step,
                orientation,
                lubricant,
                torque_nm,
            } => {
                self.assembly.push(AssemblyStep {
                    mark: Mark::of(e),
                    part: part.clone(),
                    step: *step,
                    orientation: orientation.clone(),
                    lubricant: lubricant.clone(),
                    torque_nm: *torque_nm,
                });
                self.assembly.sort_by_key(|a| (a.step, a.mark.seq));
            }
            Body::Clock { run } => {
                if *run {
                    self.clocks.entry(e.by.clone()).or_insert(e.at);
                } else if let Some(since) = self.clocks.remove(&e.by) {
                    self.minutes += between(since, e.at);
                }
            }
            Body::OpenItem { item, what } => self.items.push(ItemWritten {
                mark: Mark::of(e),
                kind: item.clone(),
                what: what.clone(),
            }),
            Body::CloseItem { item, how } => {
                self.closings
                    .insert(item.clone(), (Mark::of(e), how.clone()));
            }
            Body::Proof {
                check,
                result,
                typed,
                words,
                minutes,
            } => self.prove(catalogue, e, check, *result, typed, words, *minutes),
            Body::Except { what, reason } => {
                self.exceptions
                    .insert(what.clone(), (Mark::of(e), reason.clone()));
            }
            Body::OwnerSheet { lines } => self.owner_sheet = Some(lines.clone()),
            Body::Photo { photo, of, caption } => self.photos.push(PhotoTaken {
                mark: Mark::of(e),
                photo: *photo,
                of: *of,
                caption: caption.clone(),
            }),
            Body::Note { text } => self.notes.push((e.at, e.by.clone(), text.clone())),
            Body::Void { .. } => {}
            Body::Close {
                outcome,
                class,
                cause_confirmed,
                words,
                watch,
                recheck,
                terms,
                ..
            } => {
                let running: Vec<OffsetDateTime> = self.clocks.values().copied().collect();
                self.minutes += running.iter().map(|s| between(*s, e.at)).sum::<f64>();
                self.clocks.clear();
                self.closed = Some(Closed {
                    watch: watch.clone(),
                    recheck: recheck.clone(),
                    terms: terms.clone(),
                    by: e.by.clone(),
                    outcome: *outcome,
                    class: class.clone(),
                    cause_confirmed: *cause_confirmed,
                    words: words.clone(),
                    at: e.at,
                });
                self.waiting = None;
            }
        }
    }

    /// A check of the proof. One that fails goes back to the Bench: its symptom is seen, and when it
    /// is the complaint itself, what was changed so far is not (or not alone) the fault.
    #[allow(clippy::too_many_arguments)]
    fn prove(
        &mut self,
        catalogue: &Catalogue,
        e: &Logged,
        check: &str,
        result: ProofResult,
        typed: &str,
        words: &str,
        minutes: f64,
    ) {
        self.spend(&e.by, minutes);
        let spec = catalogue.proof.find(check);
        let result = spec
            .and_then(|s| crate::job::proof::judge(s, result, typed))
            .unwrap_or(result);
        self.proofs.push(ProofTaken {
            mark: Mark::of(e),
            check: check.into(),
            result,
            typed: typed.into(),
            words: words.into(),
        });
        if result != ProofResult::Fail {
            return;
        }
        if let Some(symptom) = spec.and_then(|s| s.fails_as.clone()) {
            self.symptoms.retain(|s| s.0 != symptom);
            self.symptoms.push((symptom, Some(true), false, e.id));
        }
        if check == crate::job::proof::COMPLAINT {
            let changed: BTreeSet<String> =
                self.parts.iter().filter_map(|p| p.class.clone()).collect();
            for class in changed {
                let reason = "Changed, and the complaint still shows".to_string();
                self.by_hand.insert(class, (true, reason, e.id));
            }
        }
    }

    fn clear(&mut self, catalogue: &Catalogue) {
        self.stops.retain(|s| !s.clearable);
        if self.stops.is_empty() {
            self.quarantine.clear();
            let stopping: Vec<String> = self
                .gate
                .iter()
                .filter(|(check, a)| {
                    let spec = catalogue.gate_check(check);
                    spec.is_some_and(|c| {
                        c.answers
                            .iter()
                            .any(|x| x.id == a.answer && x.result == "stop")
                    })
                })
                .map(|(check, _)| check.clone())
                .collect();
            for check in stopping {
                self.gate.remove(&check);
            }
        }
    }

    /// Findings that a pack brings along: dangers and quarantine only; what was clear in another
    /// job is asked again.
    fn bring_findings(&mut self, catalogue: &Catalogue, pack: Uuid, brought: &[(Uuid, Logged)]) {
        for (_, e) in brought.iter().filter(|(p, _)| *p == pack) {
            match &e.body {
                Body::Gate {
                    check,
                    answer,
                    typed,
                } => {
                    let stops = catalogue.gate_check(check).is_some_and(|c| {
                        c.answers
                            .iter()
                            .any(|a| &a.id == answer && a.result == "stop")
                    });
                    if stops {
                        self.answer_gate(catalogue, e, check, answer, typed.as_ref(), true);
                    }
                }
                Body::Quarantine { step } => {
                    self.quarantine.insert(step.clone(), (e.at, e.by.clone()));
                }
                Body::Clearance { .. } => self.clear(catalogue),
                Body::Reading {
                    test,
                    result,
                    typed,
                    ..
                } => {
                    self.raise(catalogue, e, test, *result, typed);
                }
                _ => {}
            }
        }
    }

    #[allow(clippy::too_many_arguments)]
    fn take_reading(
        &mut self,
        catalogue: &Catalogue,
        e: &Logged,
        test: &str,
        result: ReadingResult,
        typed: &str,
        minutes: f64,
        voided: bool,
    ) {
        let figure = (result == ReadingResult::Figure)
            .then(|| reading::parse(typed, unit_of(catalogue, test)).ok())
            .flatten();
        self.taken.push(Taken {
            entry: e.id,
            seq: e.seq,
            test: test.into(),
            result: Some(result),
            typed: typed.into(),
            figure,
            state: self.state.clone(),
            voided,
            at: e.at,
            by: e.by.clone(),
        });
        if !voided {
            self.spend(&e.by, minutes);
            self.raise(catalogue, e, test, result, typed);
        }
    }

    /// A reading can raise the gate: a loaded, live pack below its floor, or a group below its floor.
    fn raise(
        &mut self,
        catalogue: &Catalogue,
        e: &Logged,
        test: &str,
        result: ReadingResult,
        typed: &str,
    ) {
        let Some(family) = self.family(catalogue) else {
            return;
        };
        let Some(spec) = catalogue.probes.iter().find(|p| p.id.get_ref() == test) else {
            return;
        };
        if result != ReadingResult::Figure {
            return;
        }
        let Ok(figure) = reading::parse(typed, Some(Unit::Volts)) else {
            return;
        };
        if spec.mode == "groups" && figure.low < family.cells.floor_volts {
            let reason = format!(
                "Lowest group {} under its floor of {}.",
                reading::show_text(figure.low, Unit::Volts),
                reading::show_text(family.cells.floor_volts, Unit::Volts)
            );
            self.stop(Stop {
                entry: e.id,
                from: test.into(),
                order: "Never charge this pack".into(),
                reason,
                clearable: false,
            });
        } else if spec.loaded && figure.low >= LIVE_VOLTS && figure.low < family.floor_volts() {
            let reason = format!(
                "Live under load at {}, floor {}.",
                reading::show_text(figure.low, Unit::Volts),
                reading::show_text(family.floor_volts(), Unit::Volts)
            );
            self.stop(Stop {
                entry: e.id,
                from: test.into(),
                order: "Do not charge".into(),
                reason,
                clearable: true,
            });
        }
    }
}

/// Does an entry open something at the gate: a clear answer, a confirmation, a clearance, a quarantine
/// recorded, the pack put in or switched on?
fn releases(catalogue: &Catalogue, body: &Body) -> bool {
    match body {
        Body::Gate { check, answer, .. } => catalogue
            .gate_check(check)
            .and_then(|c| c.answers.iter().find(|a| &a.id == answer))
            .is_none_or(|a| a.result != "stop"),
        Body::Clearance { .. }
        | Body::Confirmed { .. }
        | Body::Quarantine { .. }
        | Body::State { .. } => true,
        _ => false,
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
