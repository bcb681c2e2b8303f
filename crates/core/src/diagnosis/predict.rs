//! Builds a [`Model`]: [`forward`](super::forward) solves the circuits of faults and of [`ways`](super::ways) to build it, [`bins`](super::bins) cuts figures into outcomes;
//! here they become a column per test. What a change of the vehicle leaves alone is taken from before.

use crate::catalogue::Catalogue;
use crate::diagnosis::choices::{CHOICE, choices};
use crate::diagnosis::column::{Column, Readings};
use crate::diagnosis::columns::Columns;
use crate::diagnosis::forward::Forward;
use crate::diagnosis::hypothesis::{Hypotheses, class_id};
use crate::diagnosis::kept::Kept;
use crate::diagnosis::model::Model;
use crate::diagnosis::near::Near;
use crate::diagnosis::nets::Nets;
use crate::diagnosis::repertoire::{Kind, Probe, build};
use crate::diagnosis::shared::Factor;
use crate::diagnosis::signs::Asked;
use crate::diagnosis::solved::{Moved, Vehicle};
use crate::diagnosis::unlisted::{Known, unlisted};
use crate::diagnosis::ways::{PutTogether, Ways, case_of};
use crate::error::CoreError;
use spannung_circuit::behaviour::Scene;
use spannung_circuit::{CircuitError, FaultCase, Netlist, Profile, VehicleState};
use std::collections::BTreeMap;
use std::panic::resume_unwind;
use std::sync::Arc;
use std::thread::scope;

impl Model {
    /// Work everything out for a profile: 0.1 to 1.5 s on one core.
    ///
    /// # Errors
    /// A profile that does not build, a named probe or fault that does not fit the family.
    pub fn build(catalogue: &Catalogue, profile: &Profile) -> Result<Self, CoreError> {
        Self::work_out(catalogue, profile, None, None)
    }

    /// Work it out for a vehicle of which one thing more is known. When only signal wires and their pull-ups differ,
    /// what the change does not move is taken from here: a reading whose sound value stays is taken not to move under the
    /// faults either, but for those on or beside what changed. So it is when another component stands at the end of signal
    /// wires. A change in the way of the power reaches every short circuit: everything is worked out anew.
    ///
    /// # Errors
    /// As [`Self::build`].
    pub fn edited(&self, catalogue: &Catalogue, profile: &Profile) -> Result<Self, CoreError> {
        Self::work_out(catalogue, profile, Some(self), None)
    }

    /// What somebody would know who has never heard of a fault, but has the same drawing and does the same repairs: its
    /// cases weigh nothing.
    ///
    /// # Errors
    /// As [`Self::build`].
    pub fn without(&self, catalogue: &Catalogue, fault: &str) -> Result<Self, CoreError> {
        Self::work_out(catalogue, &self.profile, Some(self), Some(fault))
    }

    fn work_out(
        catalogue: &Catalogue,
        profile: &Profile,
        before: Option<&Self>,
        struck: Option<&str>,
    ) -> Result<Self, CoreError> {
        let net = profile.netlist()?;
        scope(|scope| {
            // what may be built otherwise is put together beside the rest
            let ways = scope.spawn(|| PutTogether::all(profile, &net));
            let ways = || ways.join().unwrap_or_else(|panic| resume_unwind(panic));
            Self::of(catalogue, profile, &net, before, struck, ways)
        })
    }

    /// `built` gives the ways to build it.
    fn of(
        catalogue: &Catalogue,
        profile: &Profile,
        net: &Netlist,
        before: Option<&Self>,
        struck: Option<&str>,
        built: impl FnOnce() -> Result<Vec<PutTogether>, CircuitError>,
    ) -> Result<Self, CoreError> {
        let mut cases = catalogue.faults.cases(profile, net)?;
        let weight = |c: &FaultCase| catalogue.priors[&c.fault].weight_on(&profile.family);
        cases.retain(|c| weight(c) > 0.0);
        let listed = cases.len();
        let unheard = |c: &FaultCase| struck == Some(c.fault.as_str());
        let known = |c: &FaultCase| {
            let prior = &catalogue.priors[&c.fault];
            Known {
                weight: weight(c) * c.share,
                class: class_id(catalogue, profile, c),
                renews: prior.band != "0",
                struck: unheard(c),
            }
        };
        let known: Vec<Known> = cases.iter().map(known).collect();
        let more = unlisted(profile, net, &cases, &known);
        let beside: Vec<usize> = more.iter().map(|u| u.beside).collect();
        cases.extend(more.into_iter().map(|u| u.case));
        let choices = choices(profile, net, &cases[..listed]);
        let chosen = choices.len();
        cases.extend(choices);
        let tests = build(catalogue, profile, net)?;
        let rest = VehicleState::default();
        let probes: Vec<(Probe, VehicleState)> = tests
            .iter()
            .filter_map(|t| match &t.kind {
                Kind::Probe(p) => Some((p.clone(), t.state.bring(&rest))),
                Kind::Procedure { .. } => None,
            })
            .collect();
        let forward = Forward::new(&profile.family, net, &probes);
        let base = forward.healthy();
        let asked = Asked::of(catalogue, &tests);
        let sound = asked.look(catalogue, &Scene::of(profile, net, &forward.circuit, None));
        let kept = before
            .filter(|old| old.profile.decides_like(profile))
            .and_then(|old| {
                Kept::of(
                    catalogue, old, profile, net, &cases, &tests, &base, &asked, &sound, &forward,
                )
            });
        let base = kept.as_ref().map_or(base.clone(), |k| k.sound(&base));
        let moved = kept.as_ref().map_or_else(Vec::new, Kept::moved);
        let some: Vec<(Probe, VehicleState)> = moved.iter().map(|p| probes[*p].clone()).collect();
        let moved = Moved {
            forward: Forward::new(&profile.family, net, &some),
            probes: moved,
        };
        let again = kept.as_ref().map(|kept| (kept, &moved));
        let faults = cases.clone();
        let vehicle = Vehicle {
            catalogue,
            profile,
            net,
            cases: &faults,
            probes: &probes,
            forward: &forward,
            sound: &base,
            asked: &asked,
        };
        let solved = vehicle.solve(again);
        let mut signs = solved.signs.clone();
        for (case, seen) in cases.iter_mut().zip(&signs) {
            if case.fault == CHOICE && !asked.drives_like(catalogue, seen, &sound) {
                case.share = 0.0;
            }
        }
        let ways = Ways::of(&vehicle, again, &sound, built()?);
        cases.extend(ways.all.iter().map(|w| case_of(w)));
        signs.extend(ways.signs);
        let shares: Vec<f64> = ways.all.iter().map(|w| w.share).collect();
        let held = Hypotheses::of(
            catalogue, profile, &cases, listed, &beside, &shares, &unheard,
        )?;
        let mut model = Self {
            near: Near::of(&cases, &held.all, &held.classes),
            profile: profile.clone(),
            net: net.clone(),
            cases: cases.clone(),
            listed,
            variants: chosen + ways.all.len(),
            ways: ways.all,
            looked_into: ways.looked_into,
            hypotheses: held.all,
            classes: held.classes,
            tests,
            nets: Nets::default(),
            variances: Factor::variances(&profile.family),
            columns: Vec::new(),
            rows: Vec::new(),
            symptoms: BTreeMap::new(),
            symptom_base: BTreeMap::new(),
            risk: held.risk,
            risk_rate: catalogue
                .risks
                .iter()
                .map(|r| (r.id.clone(), r.rate))
                .collect(),
            disagreements: Vec::new(),
            asked: asked.clone(),
            signs,
            sound: Arc::clone(&sound),
            pairs: Arc::default(),
        };
        // whole columns stay when cases and weights do, and no case reads otherwise
        let same = kept
            .as_ref()
            .filter(|kept| kept.old.hypotheses == model.hypotheses);
        let filled = Columns {
            catalogue,
            model: &model,
            kept: kept.as_ref(),
            same,
            solved: &solved,
            built: &ways.rows,
            sound: &base,
        }
        .all();
        // a look at what this vehicle does not have tells nothing
        let tests = std::mem::take(&mut model.tests);
        for (test, (column, rows)) in tests.into_iter().zip(filled) {
            if matches!(test.kind, Kind::Probe(_)) || !rows.own.is_empty() {
                model.tests.push(test);
                model.columns.push(column);
                model.rows.push(rows);
            }
        }
        model.nets = Nets::of(profile, net, &model.tests);
        match same.filter(|kept| kept.signs && kept.alike && kept.old.signs == model.signs) {
            Some(kept) => {
                model.symptoms.clone_from(&kept.old.symptoms);
                model.symptom_base.clone_from(&kept.old.symptom_base);
                model.disagreements.clone_from(&kept.old.disagreements);
            }
            None => {
                let scene = Scene::of(profile, net, &forward.circuit, None);
                model.symptomise(catalogue, &|sign| {
                    let computed = catalogue.faults.sign(sign).is_some_and(|s| s.computed);
                    !computed || scene.has(sign)
                });
            }
        }
        Ok(model)
    }

    /// Predict one probe in another state than its own, for a reading taken as the vehicle stood.
    pub fn column_in(&self, test: usize, state: &VehicleState) -> Option<Column> {
        let Kind::Probe(probe) = &self.tests[test].kind else {
            return None;
        };
        let at = [(probe.clone(), state.clone())];
        let forward = Forward::new(&self.profile.family, &self.net, &at);
        let base = forward.healthy();
        let solved = &self.cases[..self.cases.len() - self.ways.len()];
        let all: Vec<&FaultCase> = solved.iter().collect();
        let predicted = forward.cases(&all, &base, None);
        let built = self.ways.iter().map(|w| forward.built(&w.net, &base).1[0]);
        let cases = predicted.into_iter().map(|(row, _)| row[0]).chain(built);
        let readings = Readings::new(cases, base[0]);
        Some(Column::figures(
            probe,
            readings,
            self.listed,
            &self.variances,
        ))
    }
}
