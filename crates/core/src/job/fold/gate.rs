//! What the log says about the gate: answers, STOPs, how the vehicle stands, what a pack brings along.

use super::lines::GateAnswer;
use super::{Job, LIVE_VOLTS};
use crate::catalogue::{Catalogue, Need};
use crate::job::entry::{Body, Logged, ReadingResult};
use crate::job::gate::Stop;
use crate::reading::{self, Unit};
use spannung_circuit::VehicleState;
use spannung_circuit::state::Wheel;
use std::collections::BTreeSet;
use uuid::Uuid;

/// What a state says of the field that a confirmation holds with.
fn field_of(state: &VehicleState, field: &str) -> String {
    match field {
        "wheel" if state.wheel == Wheel::Ground => "ground".into(),
        "wheel" => "up".into(),
        "plugs" => state.apart.iter().cloned().collect::<Vec<_>>().join(","),
        other => state.word(other).unwrap_or_default().into(),
    }
}

impl Job {
    pub(super) fn field(&self, field: &str) -> String {
        field_of(&self.state, field)
    }

    /// Is a precondition confirmed, and will it still be when the vehicle has been brought to a state?
    pub fn confirmed_in(&self, need: &Need, state: &VehicleState) -> bool {
        let said = self.confirmed.get(need.id.get_ref());
        said.is_some_and(|v| *v == field_of(state, &need.holds_while))
    }

    /// Bring the vehicle to a state; confirmations that spoke of another state end.
    pub(super) fn stand(&mut self, catalogue: &Catalogue, state: VehicleState) {
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

    pub(super) fn stop(&mut self, stop: Stop) {
        if !self.stops.iter().any(|s| s.from == stop.from) {
            self.stops.push(stop);
        }
    }

    pub(super) fn answer_gate(
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

    pub(super) fn clear(&mut self, catalogue: &Catalogue) {
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
    pub(super) fn bring_findings(
        &mut self,
        catalogue: &Catalogue,
        pack: Uuid,
        brought: &[(Uuid, Logged)],
    ) {
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

    /// A reading can raise the gate: a loaded, live pack below its floor, or a group below its floor.
    pub(super) fn raise(
        &mut self,
        catalogue: &Catalogue,
        e: &Logged,
        test: &str,
        result: ReadingResult,
        typed: &str,
    ) {
        let Some(family) = self.own_family(catalogue) else {
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
pub(super) fn releases(catalogue: &Catalogue, body: &Body) -> bool {
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
