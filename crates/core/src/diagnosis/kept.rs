//! What a change of the vehicle leaves as it was, so that a model can take it over from the one before.

use crate::diagnosis::column::Column;
use crate::diagnosis::model::Model;
use crate::diagnosis::repertoire::{Kind, Test};
use crate::diagnosis::scale::Prediction;
use crate::diagnosis::signs::{Asked, Seen};
use spannung_circuit::family::Carries;
use spannung_circuit::fault::Effect;
use spannung_circuit::netlist::{Element, Part, wire};
use spannung_circuit::{FaultCase, Netlist, Profile};
use std::collections::BTreeMap;

/// Elements that meet at a point from which it counts as a rail.
const RAIL: usize = 4;

/// What a change of the vehicle leaves as it was.
pub(super) struct Kept<'a> {
    /// The model before.
    pub old: &'a Model,
    /// Per case: its place in the old model.
    pub known: Vec<Option<usize>>,
    /// Per case: does it sit on or beside what changed?
    pub reached: Vec<bool>,
    /// Per probe: its column in the old model when it is taken as before, and whether a sound vehicle reads the same.
    probes: Vec<Option<(usize, bool)>>,
    /// Are the signs asked about the same, and seen the same on a sound vehicle?
    pub signs: bool,
}

impl<'a> Kept<'a> {
    /// None when something in the way of the power changed, or something was taken away.
    #[allow(clippy::too_many_arguments)] // what a model is made of
    pub fn of(
        old: &'a Model,
        profile: &Profile,
        net: &Netlist,
        cases: &[FaultCase],
        tests: &[Test],
        base: &[Prediction],
        asked: &Asked,
        sound: &Seen,
    ) -> Option<Self> {
        let same_element = |k: usize| {
            let e = &net.elements[k];
            let known = old.net.element(&e.id).map(|k| &old.net.elements[k]);
            known.is_some_and(|o| {
                let named = |a: usize, b: usize| net.nodes[a] == old.net.nodes[b];
                let values = o.part == e.part && o.spread == e.spread && o.plug == e.plug;
                values && named(e.a, o.a) && named(e.b, o.b) && named(e.c, o.c)
            })
        };
        let same: Vec<bool> = (0..net.elements.len()).map(same_element).collect();
        let small = |k: usize| match &net.elements[k].part {
            Part::Resistor { .. } => {
                let id = net.elements[k].id.split('.').next().unwrap_or_default();
                let strand = profile.family.strand(id);
                strand.is_some_and(|s| s.carries == Carries::Signals)
            }
            Part::Ratio { .. } | Part::OpenCollector { .. } => true,
            _ => false,
        };
        let gone = |id: &str| net.element(id).is_none();
        let taken_away = old.net.elements.iter().any(|e| gone(&e.id));
        if taken_away || (0..same.len()).any(|k| !same[k] && !small(k)) {
            return None;
        }
        let places: BTreeMap<&str, usize> = old
            .cases
            .iter()
            .enumerate()
            .map(|(k, c)| (c.key.as_str(), k))
            .collect();
        // where a changed element ends a fault can send its current through it; rails, where many meet, are shared
        let mut ends = vec![0usize; net.nodes.len()];
        let mut near = vec![false; net.nodes.len()];
        for (e, same) in net.elements.iter().zip(&same) {
            for node in [e.a, e.b] {
                ends[node] += 1;
                near[node] |= !same;
            }
        }
        let beside = |node: usize| near[node] && ends[node] <= RAIL;
        // two wires that touch join all that hangs on either, from plug to part and one part farther
        let on = |e: &Element, nodes: &[usize]| nodes.contains(&e.a) || nodes.contains(&e.b);
        let along = |node: usize| {
            let all = || net.elements.iter();
            let at = all().filter(|e| on(e, &[node]));
            let wires: Vec<&str> = at.filter_map(|e| wire(&e.id)).collect();
            let pieces = all().filter(|e| wire(&e.id).is_some_and(|w| wires.contains(&w)));
            let ends_of = pieces.flat_map(|e| [e.a, e.b]);
            let nodes: Vec<usize> = ends_of.filter(|n| ends[*n] <= RAIL).collect();
            let mut hung = all().filter(|e| on(e, &nodes));
            ends[node] <= RAIL && (beside(node) || hung.any(|e| beside(e.a) || beside(e.b)))
        };
        let still = |case: &FaultCase| {
            case.effects.iter().all(|e| match e {
                Effect::Open(k)
                | Effect::Series(k, _)
                | Effect::Scale(k, _)
                | Effect::Force(k, _)
                | Effect::Ratio(k, _) => {
                    let e = &net.elements[*k];
                    same[*k] && ![e.a, e.b, e.c].into_iter().any(beside)
                }
                Effect::Bridge(a, b, _) => {
                    let known = |n: usize| old.net.find(&net.nodes[n]).is_some();
                    [*a, *b].into_iter().all(|n| known(n) && !along(n))
                }
            })
        };
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
        Some(Self {
            old,
            known: cases
                .iter()
                .map(|c| places.get(c.key.as_str()).copied())
                .collect(),
            reached: cases.iter().map(|c| !still(c)).collect(),
            probes,
            signs: *asked == old.asked && *sound == old.sound && old.profile.judges_like(profile),
        })
    }

    /// Probes that read otherwise on a sound vehicle now, and new ones.
    pub fn moved(&self) -> Vec<usize> {
        let moves = |p: &usize| !self.probes[*p].is_some_and(|p| p.1);
        (0..self.probes.len()).filter(moves).collect()
    }

    /// Was every probe there before?
    pub fn comparable(&self) -> bool {
        self.probes.iter().all(Option::is_some)
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

    /// What a case read at a probe before; nothing of what was not there.
    pub fn read(&self, case: usize, probe: usize) -> Prediction {
        match (self.known[case], self.column(probe)) {
            (Some(old), Some(Column::Figures { readings, .. })) => *readings.of(old),
            _ => Prediction::default(),
        }
    }

    /// What was seen in a case before.
    pub fn seen(&self, case: usize) -> Option<Seen> {
        self.known[case].map(|old| Seen::clone(&self.old.signs[old]))
    }

    /// The old column of a procedure that asks and answers alike.
    pub fn procedure(&self, test: &Test) -> Option<usize> {
        let old = self.old.tests.iter().position(|t| t.id == test.id)?;
        (self.old.tests[old].kind == test.kind).then_some(old)
    }
}
