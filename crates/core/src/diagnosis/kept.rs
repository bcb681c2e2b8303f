//! What a change of the vehicle leaves as it was, so that a model can take it over from the one before.

use crate::catalogue::Catalogue;
use crate::diagnosis::column::Column;
use crate::diagnosis::forward::Forward;
use crate::diagnosis::model::Model;
use crate::diagnosis::reach::Reach;
use crate::diagnosis::repertoire::{Kind, Test};
use crate::diagnosis::scale::Prediction;
use crate::diagnosis::signs::{Asked, Seen};
use spannung_circuit::behaviour::BRAKES;
use spannung_circuit::{FaultCase, Netlist, Profile, VehicleState};
use std::collections::BTreeMap;

/// Where the value of a sign stands in what was seen before.
enum Before {
    /// There.
    There(usize),
    /// Nowhere, but no circuit tells it: a fault shows it by itself or not at all.
    Declared(String),
}

/// What a change of the vehicle leaves as it was.
pub(super) struct Kept<'a> {
    /// The model before.
    pub old: &'a Model,
    /// Per case: its place in the old model.
    pub known: Vec<Option<usize>>,
    /// What the change reaches.
    pub reach: Reach<'a>,
    /// Per case: does it reach it?
    pub reached: Vec<bool>,
    /// Per probe: its column in the old model when it is taken as before, and whether a sound vehicle reads the same.
    probes: Vec<Option<(usize, bool)>>,
    /// Is everything that is asked about seen the same on a sound vehicle?
    pub signs: bool,
    /// Is the same asked, in the same order?
    pub alike: bool,
    /// Where each sign that is asked about was seen before.
    before: Vec<Before>,
}

impl<'a> Kept<'a> {
    /// None when something in the way of the power changed, or the controller judges otherwise.
    #[allow(clippy::too_many_arguments)] // what a model is made of
    pub fn of(
        catalogue: &Catalogue,
        old: &'a Model,
        profile: &'a Profile,
        net: &'a Netlist,
        cases: &[FaultCase],
        tests: &[Test],
        base: &[Prediction],
        asked: &Asked,
        sound: &Seen,
        forward: &Forward<'_>,
    ) -> Option<Self> {
        let reach = Reach::of(old, profile, net, forward)?;
        let places: BTreeMap<&str, usize> = old
            .cases
            .iter()
            .enumerate()
            .map(|(k, c)| (c.key.as_str(), k))
            .collect();
        let columns: BTreeMap<&str, usize> = old
            .tests
            .iter()
            .enumerate()
            .map(|(k, t)| (t.id.as_str(), k))
            .collect();
        let probes = tests.iter().filter(|t| matches!(t.kind, Kind::Probe(_)));
        // old column of a probe that is taken as before, and whether a sound vehicle reads the same at it
        let known_probe = |(test, healthy): (&Test, &Prediction)| {
            let known = columns.get(test.id.as_str()).copied()?;
            let (Kind::Probe(now), Kind::Probe(then)) = (&test.kind, &old.tests[known].kind) else {
                return None;
            };
            let Column::Figures { readings, .. } = &*old.columns[known] else {
                return None;
            };
            let named = |a: usize, b: usize| net.nodes[a] == old.net.nodes[b];
            let taken_alike = now.mode == then.mode
                && now.shunt_ohms == then.shunt_ohms
                && now.sweep == then.sweep
                && now.groups == then.groups
                && test.state == old.tests[known].state
                && named(now.pair.red, then.pair.red)
                && named(now.pair.black, then.pair.black);
            taken_alike.then(|| (known, now.scale().same(healthy, &readings.healthy)))
        };
        let probes: Vec<Option<(usize, bool)>> = probes.zip(base).map(known_probe).collect();
        // a plug that was not there before is apart like one that hangs at nothing
        let before = |(sign, state): &(String, VehicleState)| {
            let there = |plug: &String| old.profile.family.plug(plug).is_some();
            let mut then = state.clone();
            then.apart.retain(there);
            let computed = catalogue.faults.sign(sign).is_some_and(|s| s.computed);
            let asked = old.asked.place(sign, state);
            match asked.or_else(|| old.asked.place(sign, &then)) {
                Some(k) => Some(Before::There(k)),
                None => (!computed).then(|| Before::Declared(sign.clone())),
            }
        };
        let before: Option<Vec<Before>> = asked.list().iter().map(before).collect();
        let seen_alike = before.as_ref().is_some_and(|all| {
            let mut each = all.iter().zip(sound.iter());
            each.all(|(b, now)| {
                *now == if let Before::There(k) = b {
                    old.sound[*k]
                } else {
                    0
                }
            })
        });
        // what lights, and by what it is asked to drive
        let there = |point: &str| net.find(point).is_some() == old.net.find(point).is_some();
        let brakes = |net: &Netlist| BRAKES.iter().any(|(line, _)| net.find(line).is_some());
        let shown_alike = profile.family.shows == old.profile.family.shows
            && ["THR", "THR2", "PAS"].into_iter().all(there)
            && brakes(net) == brakes(&old.net);
        Some(Self {
            old,
            known: cases
                .iter()
                .map(|c| places.get(c.key.as_str()).copied())
                .collect(),
            reached: cases.iter().map(|c| reach.reaches(c)).collect(),
            reach,
            probes,
            signs: seen_alike && shown_alike && old.profile.judges_like(profile),
            alike: *asked == old.asked,
            before: before.unwrap_or_default(),
        })
    }

    /// Probes that read otherwise on a sound vehicle now, and new ones.
    pub fn moved(&self) -> Vec<usize> {
        let moves = |p: &usize| !self.probes[*p].is_some_and(|p| p.1);
        (0..self.probes.len()).filter(moves).collect()
    }

    /// Does an old case touch one of these probes?
    pub fn touches(&self, old: usize, probes: &[usize]) -> bool {
        probes.iter().any(|p| match self.column(*p) {
            Some(Column::Figures { readings, .. }) => readings.moved(old).is_some(),
            _ => true,
        })
    }

    /// The old column of a probe.
    fn column(&self, probe: usize) -> Option<&'a Column> {
        self.probes[probe].map(|(column, _)| &*self.old.columns[column])
    }

    /// The old column of a probe whose sound reading stays, when every case that the change reaches reads the same.
    pub fn still(&self, probe: usize, now: impl Fn(usize) -> Prediction) -> Option<usize> {
        let (at, _) = self.probes[probe].filter(|p| p.1)?;
        let Column::Figures { scale, .. } = &*self.old.columns[at] else {
            return None;
        };
        let mut reached = (0..self.reached.len()).filter(|k| self.reached[*k]);
        reached
            .all(|k| scale.same(&now(k), &self.read(k, probe)))
            .then_some(at)
    }

    /// The old column of a probe that is taken as before, its place.
    pub fn known(&self, probe: usize) -> Option<usize> {
        self.probes[probe].map(|(column, _)| column)
    }

    /// What a case read at a probe before; nothing of what was not there.
    pub fn read(&self, case: usize, probe: usize) -> Prediction {
        let old = self.known[case];
        old.map_or_else(Prediction::default, |old| self.read_then(old, probe))
    }

    /// The same where it was another figure than on a sound vehicle.
    pub fn own(&self, case: usize, probe: usize) -> Option<&'a Prediction> {
        match self.column(probe)? {
            Column::Figures { readings, .. } => readings.moved(self.known[case]?),
            Column::Outcomes { .. } => None,
        }
    }

    /// What a case of the old model read at a probe.
    pub fn read_then(&self, old: usize, probe: usize) -> Prediction {
        match self.column(probe) {
            Some(Column::Figures { readings, .. }) => *readings.of(old),
            _ => Prediction::default(),
        }
    }

    /// What a sound vehicle reads: as before, where it is the same.
    pub fn sound(&self, now: &[Prediction]) -> Vec<Prediction> {
        let before = |(p, now): (usize, &Prediction)| match (self.probes[p], self.column(p)) {
            (Some((_, true)), Some(Column::Figures { readings, .. })) => readings.healthy,
            _ => *now,
        };
        now.iter().enumerate().map(before).collect()
    }

    /// What was seen in a case before.
    pub fn seen(&self, catalogue: &Catalogue, k: usize, case: &FaultCase) -> Option<Seen> {
        self.seen_then(catalogue, self.known[k]?, case)
    }

    /// What was seen in a case of the old model, by what is asked about now.
    pub fn seen_then(&self, catalogue: &Catalogue, old: usize, case: &FaultCase) -> Option<Seen> {
        let old = &self.old.signs[old];
        if self.alike {
            return Some(Seen::clone(old));
        }
        let declared = |sign: &str| {
            let values = &catalogue.faults.sign(sign)?.values;
            values.iter().position(|v| Some(v) == case.signs.get(sign))
        };
        let value = |b: &Before| match b {
            Before::There(k) => old[*k],
            Before::Declared(sign) => declared(sign).unwrap_or(0) as u8,
        };
        Some(self.before.iter().map(value).collect())
    }

    /// The old column of a procedure that asks and answers alike.
    pub fn procedure(&self, test: &Test) -> Option<usize> {
        let old = self.old.tests.iter().position(|t| t.id == test.id)?;
        (self.old.tests[old].kind == test.kind).then_some(old)
    }
}
