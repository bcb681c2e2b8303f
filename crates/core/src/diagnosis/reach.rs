//! Which faults a change of the vehicle reaches: those on or beside what changed, and those that feel another load
//! ([`load`](super::load)).

use crate::diagnosis::forward::Forward;
use crate::diagnosis::load::Load;
use crate::diagnosis::model::Model;
use spannung_circuit::build::{fed_by_host, from_the_pack};
use spannung_circuit::family::{Carries, Strand, Wire};
use spannung_circuit::fault::Effect;
use spannung_circuit::netlist::{Element, Part, wire};
use spannung_circuit::{FaultCase, Netlist, Profile};

/// Elements that meet at a point from which it counts as a rail.
const RAIL: usize = 4;
/// A resistor from here on pulls a line and feeds nothing.
const PULLS: f64 = 300.0;

/// The elements that carry signals and nothing else: the wires of signal strands, what hangs at their far ends by itself, and
/// the resistors that pull such lines up or down.
fn signal_side(profile: &Profile, net: &Netlist) -> Vec<bool> {
    let of_strand = |e: &Element| {
        let strand = profile.family.strand_of(&e.id);
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

/// What of the circuit is not as it was.
struct Change<'a> {
    net: &'a Netlist,
    old: &'a Netlist,
    profile: &'a Profile,
    /// Per element: as it was?
    same: Vec<bool>,
    /// What was taken away.
    gone: Vec<&'a Element>,
    /// Per point: elements that end there.
    ends: Vec<usize>,
    /// Per point: something that ends there is not as it was.
    near: Vec<bool>,
}

impl<'a> Change<'a> {
    /// None when something else than signals changed.
    fn of(old: &'a Model, profile: &'a Profile, net: &'a Netlist) -> Option<Self> {
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
        let small = signal_side(profile, net);
        if (0..same.len()).any(|k| !same[k] && !small[k] && !driven(&net.elements[k])) {
            return None;
        }
        let small_before = signal_side(&old.profile, &old.net);
        let all = old.net.elements.iter().zip(&small_before);
        let gone = all.filter(|(e, _)| net.element(&e.id).is_none());
        if gone.clone().any(|(_, small)| !small) {
            return None;
        }
        let gone: Vec<&Element> = gone.map(|(e, _)| e).collect();
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
        Some(Self {
            net,
            old: &old.net,
            profile,
            same,
            gone,
            ends,
            near,
        })
    }

    /// The signal strands at whose end something else hangs now; from here on every point of them is near.
    fn strands(&mut self) -> Vec<&'a Strand> {
        let net = self.net;
        let ends_otherwise = |s: &&Strand| {
            let to = s.wires.iter().filter_map(|w| net.find(&w.to));
            let mut to = to.filter(|n| self.ends[*n] <= RAIL);
            s.carries == Carries::Signals && to.any(|n| self.near[n])
        };
        let all = self.profile.family.strands.iter();
        let other: Vec<&Strand> = all.filter(ends_otherwise).collect();
        for e in &net.elements {
            let of = self.profile.family.strand_of(&e.id);
            if of.is_some_and(|s| other.iter().any(|o| o.id.get_ref() == s.id.get_ref())) {
                self.near[e.a] = true;
                self.near[e.b] = true;
            }
        }
        other
    }

    /// Where a changed element ends a fault can send its current through it; rails, where many meet, are shared.
    fn beside(&self, node: usize) -> bool {
        self.near[node] && self.ends[node] <= RAIL
    }

    /// Two wires that touch join all that hangs on either, from plug to part and one part farther.
    fn along(&self, node: usize) -> bool {
        let all = || self.net.elements.iter();
        let on = |e: &Element, nodes: &[usize]| nodes.contains(&e.a) || nodes.contains(&e.b);
        let at = all().filter(|e| on(e, &[node]));
        let wires: Vec<&str> = at.filter_map(|e| wire(&e.id)).collect();
        let pieces = all().filter(|e| wire(&e.id).is_some_and(|w| wires.contains(&w)));
        let ends_of = pieces.flat_map(|e| [e.a, e.b]);
        let nodes: Vec<usize> = ends_of.filter(|n| self.ends[*n] <= RAIL).collect();
        let mut hung = all().filter(|e| on(e, &nodes));
        let near = |e: &Element| self.beside(e.a) || self.beside(e.b);
        self.ends[node] <= RAIL && (self.beside(node) || hung.any(near))
    }

    /// Does an effect sit elsewhere?
    fn misses(&self, effect: &Effect) -> bool {
        match effect {
            Effect::Open(k)
            | Effect::Series(k, _)
            | Effect::Scale(k, _)
            | Effect::Force(k, _)
            | Effect::Ratio(k, _) => {
                let e = &self.net.elements[*k];
                self.same[*k] && ![e.a, e.b, e.c].into_iter().any(|n| self.beside(n))
            }
            Effect::Bridge(a, b, _) => {
                let known = |n: usize| self.old.find(&self.net.nodes[n]).is_some();
                [*a, *b].into_iter().all(|n| known(n) && !self.along(n))
            }
        }
    }

    /// Per point: of the wires that these points feed.
    fn rail(&self, fed: &[usize]) -> Vec<bool> {
        let net = self.net;
        let mut rail = vec![false; net.nodes.len()];
        for strand in &self.profile.family.strands {
            let id = strand.id.get_ref();
            let from = |w: &&Wire| net.find(&w.from).is_some_and(|n| fed.contains(&n));
            for w in strand.wires.iter().filter(from) {
                let [c, d] = ["c", "d"].map(|e| format!("{id}.{}.{e}", w.pin));
                let points = [&w.from, &c, &d, &w.to];
                let known = points.into_iter().filter_map(|n| net.find(n));
                known.for_each(|n| rail[n] = true);
            }
        }
        rail
    }

    /// Is there another part, or one less: another load at what feeds it?
    fn loads(&self) -> bool {
        let part = |e: &Element| !driven(e) && wire(&e.id).is_none();
        let mut all = self.net.elements.iter().zip(&self.same);
        !self.gone.is_empty() || all.any(|(e, same)| !same && part(e))
    }
}

/// An output that is told what to stand at.
fn driven(e: &Element) -> bool {
    matches!(e.part, Part::Ratio { .. } | Part::OpenCollector { .. })
}

/// Does a strand carry the volts of the pack?
fn from_pack(strand: &Strand) -> bool {
    strand.wires.iter().any(|w| from_the_pack(&w.function))
}

/// What a change of the vehicle reaches.
pub(super) struct Reach<'a> {
    change: Change<'a>,
    /// What it draws otherwise, where it loads anything.
    load: Option<Load>,
}

impl<'a> Reach<'a> {
    /// None when the change is in the way of the power, or hangs at the pack itself, and so is felt everywhere.
    pub fn of(
        old: &'a Model,
        profile: &'a Profile,
        net: &'a Netlist,
        forward: &Forward<'_>,
    ) -> Option<Self> {
        let mut change = Change::of(old, profile, net)?;
        let other = change.strands();
        if !change.loads() {
            return Some(Self { change, load: None });
        }
        let still_there = |s: &&Strand| {
            let known = profile.family.strand(s.id.get_ref()).is_some();
            known && !other.iter().any(|o| o.id.get_ref() == s.id.get_ref())
        };
        let before = old.profile.family.strands.iter();
        let off: Vec<&Strand> = before.filter(|s| !still_there(s)).collect();
        if other.iter().chain(&off).any(|s| from_pack(s)) {
            return None;
        }
        let wires = other.iter().chain(&off).flat_map(|s| &s.wires);
        let feeds = wires.filter(|w| fed_by_host(&w.function));
        let fed: Vec<usize> = feeds.filter_map(|w| net.find(&w.from)).collect();
        let load = Load::of(old, net, &change.same, forward, change.rail(&fed));
        Some(Self {
            change,
            load: Some(load),
        })
    }

    /// Does it reach a fault: one on or beside what changed, or one that feels what is drawn otherwise?
    pub fn reaches(&self, case: &FaultCase) -> bool {
        let net = self.change.net;
        let felt = |e: &Effect| self.load.as_ref().is_some_and(|l| l.felt_by(net, e));
        case.effects
            .iter()
            .any(|e| felt(e) || !self.change.misses(e))
    }

    /// Does it reach what is built otherwise, a netlist laid over that of the vehicle: something that sits on or beside what
    /// changed, or at the rail that feeds it?
    pub fn reaches_way(&self, way: &Netlist) -> bool {
        let (net, change) = (self.change.net, &self.change);
        let at_rail = |n: usize| self.load.as_ref().is_some_and(|l| l.at_rail(n));
        let near = |n: usize| n < net.nodes.len() && (change.beside(n) || at_rail(n));
        let mut each = way.elements.iter().enumerate();
        each.any(|(k, e)| {
            let drawn = net.elements.get(k);
            let changed = drawn.is_some() && !change.same[k];
            drawn != Some(e) && (changed || [e.a, e.b, e.c].into_iter().any(near))
        })
    }
}
