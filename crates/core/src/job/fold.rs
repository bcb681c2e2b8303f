//! From a log to the job's present state.

use crate::catalogue::Catalogue;
use crate::job::entry::{Body, Logged, Outcome, ReadingResult, WaitKind};
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

/// A reading or check that counts, with the state it was taken in.
#[derive(Debug, Clone, PartialEq)]
pub struct Taken {
    /// Entry.
    pub entry: Uuid,
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

/// A part entry.
#[derive(Debug, Clone, PartialEq)]
pub struct PartLine {
    /// Entry.
    pub entry: Uuid,
    /// Content.
    pub body: Body,
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
    /// When.
    pub at: OffsetDateTime,
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
            if voided && !matches!(e.body, Body::Reading { .. } | Body::Check { .. }) {
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
            Standing::Open if !self.parts.is_empty() => Stage::Repair,
            Standing::Open => Stage::Bench,
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
                ..
            } => {
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
            } => {
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
                    self.minutes += minutes;
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
            Body::Part { minutes, .. } => {
                self.minutes += minutes;
                self.parts.push(PartLine {
                    entry: e.id,
                    body: e.body.clone(),
                });
                // a swap ends what was confirmed before it
                self.confirmed.clear();
                self.gate.remove("smell");
            }
            Body::Minutes { minutes, .. } => self.minutes += minutes,
            Body::Wait { wait, what, until } => {
                self.waiting = Some(Waiting {
                    kind: *wait,
                    what: what.clone(),
                    until: *until,
                    since: e.at,
                });
            }
            Body::Resume {} => self.waiting = None,
            Body::Note { text } => self.notes.push((e.at, e.by.clone(), text.clone())),
            Body::Void { .. } => {}
            Body::Close {
                outcome,
                class,
                cause_confirmed,
                words,
                ..
            } => {
                self.closed = Some(Closed {
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
            self.minutes += minutes;
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
