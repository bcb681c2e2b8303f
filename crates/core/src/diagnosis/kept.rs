//! What a change of the vehicle leaves as it was, so that a model can take it over from the one before.

use crate::diagnosis::predict::{Column, Model, Prediction, Scale};
use crate::diagnosis::signs::{Asked, Seen};
use crate::diagnosis::tests::{Kind, Test};
use spannung_circuit::family::Carries;
use spannung_circuit::fault::Effect;
use spannung_circuit::netlist::{Element, Part};
use spannung_circuit::{FaultCase, Netlist, Profile};
use std::collections::BTreeMap;

/// Elements that meet at a point from which it counts as a rail.
const RAIL: usize = 4;

/// What a change of the vehicle leaves as it was.
pub(super) struct Kept<'a> {
    /// The model before.
    pub old: &'a Model,
    /// Per case: its place in the old model, when it sits on nothing that changed.
    pub cases: Vec<Option<usize>>,
    /// Per probe: its column in the old model, when it reads the same on a sound vehicle.
    pub probes: Vec<Option<usize>>,
    /// Columns of the old model whose probes read otherwise now; none when some of them are new.
    moved: Option<Vec<usize>>,
    /// Are the signs asked about the same, and seen the same on a sound vehicle?
    pub signs: bool,
}

/// The wire that an element is a piece of.
pub(super) fn wire(id: &str) -> Option<&str> {
    id.match_indices('.').nth(1).map(|(end, _)| &id[..end])
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
            beside(node) || hung.any(|e| beside(e.a) || beside(e.b))
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
        let kept_case = |case: &FaultCase| {
            let known = places.get(case.key.as_str()).copied();
            known.filter(|_| still(case))
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
            let Column::Figures {
                healthy: before, ..
            } = &*old.columns[known]
            else {
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
            taken_alike.then(|| (known, Scale::of(now.mode).same(healthy, before)))
        };
        let probes: Vec<Option<(usize, bool)>> = probes.zip(base).map(known_probe).collect();
        let same_reading = |p: &Option<(usize, bool)>| p.filter(|p| p.1).map(|p| p.0);
        let moved = probes.iter().filter(|p| !p.is_some_and(|p| p.1));
        Some(Self {
            old,
            cases: cases.iter().map(kept_case).collect(),
            moved: moved.map(|p| p.map(|p| p.0)).collect(),
            probes: probes.iter().map(same_reading).collect(),
            signs: *asked == old.asked && *sound == old.sound && old.profile.judges_like(profile),
        })
    }

    /// Does a case touch a reading that moved?
    pub fn touches_moved(&self, case: usize) -> bool {
        self.moved.as_ref().is_none_or(|moved| {
            moved.iter().any(|k| match &*self.old.columns[*k] {
                Column::Figures { cases, healthy, .. } => cases[case] != *healthy,
                Column::Outcomes { .. } => false,
            })
        })
    }

    /// The old column of a procedure that asks and answers alike.
    pub fn procedure(&self, test: &Test) -> Option<usize> {
        let old = self.old.tests.iter().position(|t| t.id == test.id)?;
        (self.old.tests[old].kind == test.kind).then_some(old)
    }
}
