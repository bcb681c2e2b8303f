//! What a change of the vehicle leaves as it was, so that a model can take it over from the one before.

use crate::catalogue::Catalogue;
use crate::diagnosis::column::Column;
use crate::diagnosis::model::Model;
use crate::diagnosis::repertoire::{Kind, Test};
use crate::diagnosis::scale::Prediction;
use crate::diagnosis::signs::{Asked, Seen};
use spannung_circuit::build::{fed_by_host, from_the_pack};
use spannung_circuit::family::{Carries, Strand, Wire};
use spannung_circuit::fault::Effect;
use spannung_circuit::netlist::{Element, Part, wire};
use spannung_circuit::{FaultCase, Netlist, Profile, VehicleState};
use std::collections::BTreeMap;

/// Elements that meet at a point from which it counts as a rail.
const RAIL: usize = 4;
/// A resistor from here on pulls a line and feeds nothing.
const PULLS: f64 = 300.0;

/// Ohms in a feed from which some milliamperes more behind it are felt.
const STARVES: f64 = 20.0;

/// The elements that carry signals and nothing else: the wires of signal strands, what hangs at their far ends by itself, and
/// the resistors that pull such lines up or down.
fn signal_side(profile: &Profile, net: &Netlist) -> Vec<bool> {
    let of_strand = |e: &Element| {
        let id = e.id.split('.').next().unwrap_or_default();
        let strand = wire(&e.id).and_then(|_| profile.family.strand(id));
        strand.is_some_and(|s| s.carries == Carries::Signals)
    };
    let wires: Vec<bool> = net.elements.iter().map(of_strand).collect();
    // what hangs together without those wires
    let mut island: Vec<usize> = (0..net.nodes.len()).collect();
    fn root(island: &mut [usize], mut node: usize) -> usize {
        while island[node] != node {
            island[node] = island[island[node]];
            node = island[node];
        }
        node
    }
    for (e, wire) in net.elements.iter().zip(&wires) {
        if !wire {
            for other in [e.b, e.c] {
                let (a, b) = (root(&mut island, e.a), root(&mut island, other));
                island[a] = b;
            }
        }
    }
    let mut feeds = vec![false; net.nodes.len()];
    for e in &net.elements {
        let passive = matches!(
            e.part,
            Part::Resistor { .. }
                | Part::Ratio { .. }
                | Part::OpenCollector { .. }
                | Part::Switch { .. }
        );
        feeds[root(&mut island, e.a)] |= !passive;
    }
    let pull = |e: &Element| matches!(e.part, Part::Resistor { ohms } if ohms >= PULLS);
    let line = |node: usize| {
        let mut at = net.elements.iter().zip(&wires);
        at.all(|(e, wire)| *wire || pull(e) || ![e.a, e.b, e.c].contains(&node))
    };
    let each = net.elements.iter().zip(&wires);
    each.map(|(e, wire)| {
        let hangs = !feeds[root(&mut island, e.a)];
        *wire || hangs || (pull(e) && (line(e.a) || line(e.b)))
    })
    .collect()
}

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
    /// Per case: does it sit on or beside what changed?
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
        let (small, small_before) = (
            signal_side(profile, net),
            signal_side(&old.profile, &old.net),
        );
        let wired = |k: usize| wire(&net.elements[k].id).is_some();
        let driven = |k: usize| {
            matches!(
                net.elements[k].part,
                Part::Ratio { .. } | Part::OpenCollector { .. }
            )
        };
        if (0..same.len()).any(|k| !same[k] && !small[k] && !driven(k)) {
            return None;
        }
        let gone: Vec<&Element> = {
            let all = old.net.elements.iter().zip(&small_before);
            let gone = all.filter(|(e, _)| net.element(&e.id).is_none());
            if gone.clone().any(|(_, small)| !small) {
                return None;
            }
            gone.map(|(e, _)| e).collect()
        };
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
        for e in &gone {
            for node in [e.a, e.b, e.c] {
                if let Some(node) = net.find(&old.net.nodes[node]) {
                    near[node] = true;
                }
            }
        }
        // of a strand at whose end something else hangs now, every point
        let ends_otherwise = |s: &&Strand| {
            let to = s.wires.iter().filter_map(|w| net.find(&w.to));
            let mut to = to.filter(|n| ends[*n] <= RAIL);
            s.carries == Carries::Signals && to.any(|n| near[n])
        };
        let other: Vec<&Strand> = profile
            .family
            .strands
            .iter()
            .filter(ends_otherwise)
            .collect();
        for e in &net.elements {
            let of = |s: &&&Strand| e.id.split('.').next() == Some(s.id.get_ref());
            if wire(&e.id).is_some() && other.iter().any(|s| of(&s)) {
                near[e.a] = true;
                near[e.b] = true;
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
        // another part loads the rail that feeds it: what loads or feeds that as well, and two wires on each other's pins, read
        // by all that hangs there
        let other_part = (0..same.len()).any(|k| !same[k] && !driven(k) && !wired(k));
        let other_load = other_part || !gone.is_empty();
        let still_there = |s: &&Strand| {
            let known = profile.family.strand(s.id.get_ref());
            known.is_some_and(|now| !other.iter().any(|o| o.id.get_ref() == now.id.get_ref()))
        };
        let off: Vec<&Strand> = old
            .profile
            .family
            .strands
            .iter()
            .filter(|s| !still_there(s))
            .collect();
        let strands = other.iter().chain(&off);
        let feeds: Vec<&Wire> = strands
            .flat_map(|s| &s.wires)
            .filter(|w| fed_by_host(&w.function))
            .collect();
        // what hangs at the pack itself is felt everywhere
        if other_load && feeds.iter().any(|w| from_the_pack(&w.function)) {
            return None;
        }
        let fed: Vec<usize> = feeds.iter().filter_map(|w| net.find(&w.from)).collect();
        let mut rail = vec![false; net.nodes.len()];
        for strand in &profile.family.strands {
            let id = strand.id.get_ref();
            let from = |w: &&Wire| net.find(&w.from).is_some_and(|n| fed.contains(&n));
            for w in strand.wires.iter().filter(from) {
                let [c, d] = ["c", "d"].map(|e| format!("{id}.{}.{e}", w.pin));
                let points = [&w.from, &c, &d, &w.to];
                points
                    .into_iter()
                    .filter_map(|n| net.find(n))
                    .for_each(|n| rail[n] = true);
            }
        }
        let at_rail = |e: &Effect| e.ends(net).into_iter().any(|n| rail[n]);
        // nor is a bad contact through which the rail itself is fed
        let from_pack = |w: &Wire| from_the_pack(&w.function);
        let feeding = profile.family.strands.iter();
        let feeding = feeding.filter(|s| s.wires.iter().any(from_pack));
        let ends_of_feed: Vec<usize> = feeding
            .flat_map(|s| &s.wires)
            .flat_map(|w| [net.find(&w.from), net.find(&w.to)])
            .flatten()
            .collect();
        let passes_feed = |k: usize| {
            let e = &net.elements[k];
            let id = e.id.split('.').next().unwrap_or_default();
            let strand = profile.family.strand(id).filter(|_| wired(k));
            let on_its_way = || !small[k] || [e.a, e.b].iter().any(|n| ends_of_feed.contains(n));
            strand.map_or_else(on_its_way, |s| s.wires.iter().any(from_pack))
        };
        let starves = |e: &Effect| matches!(e, Effect::Series(k, ohms) if *ohms >= STARVES && passes_feed(*k));
        let crossed = |case: &FaultCase| {
            let is = |e: &&Effect| matches!(e, Effect::Bridge(..));
            case.effects.iter().filter(is).count() > 1
        };
        let still = |case: &FaultCase| {
            let loads = |e: &Effect| at_rail(e) || starves(e);
            let loaded = other_load && (crossed(case) || case.effects.iter().any(loads));
            !loaded
                && case.effects.iter().all(|e| match e {
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
        let shown_alike = profile.family.shows == old.profile.family.shows
            && ["THR", "THR2", "PAS"].into_iter().all(there);
        Some(Self {
            old,
            known: cases
                .iter()
                .map(|c| places.get(c.key.as_str()).copied())
                .collect(),
            reached: cases.iter().map(|c| !still(c)).collect(),
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
    pub fn seen(&self, catalogue: &Catalogue, k: usize, case: &FaultCase) -> Option<Seen> {
        let old = &self.old.signs[self.known[k]?];
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
