//! Which faults a change of the vehicle reaches: those on or beside what changed, and those that a part more at a rail is felt by.

use crate::diagnosis::forward::{Forward, Sound};
use crate::diagnosis::model::Model;
use spannung_circuit::build::{fed_by_host, from_the_pack};
use spannung_circuit::family::{Carries, Strand, Wire};
use spannung_circuit::fault::Effect;
use spannung_circuit::meter::OL_OHMS;
use spannung_circuit::netlist::{Element, Part, wire};
use spannung_circuit::solve::Solution;
use spannung_circuit::{Circuit, FaultCase, Netlist, Profile};

/// Elements that meet at a point from which it counts as a rail.
const RAIL: usize = 4;
/// A resistor from here on pulls a line and feeds nothing.
const PULLS: f64 = 300.0;

/// A current that moves by no more than this, amps, did not move.
const NO_CURRENT: f64 = 1e-8;
/// Volts from which it is felt what a fault keeps from a current that is another one now.
const FELT: f64 = 0.001;
/// And the share of those that the fault keeps back anyway.
const FELT_OF: f64 = 0.002;
/// Natural log of the ohms seen, before and now, from which they are others.
const OTHER_OHMS: f64 = 0.05;

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

/// An element of a sound vehicle at a moment.
#[derive(Clone, Copy)]
struct Port {
    /// What it carries, amps.
    amps: f64,
    /// Its own ohms and those that the rest of the circuit has between its ends.
    ohms: f64,
}

impl Port {
    fn of(circuit: &Circuit, solved: &Solution, element: usize) -> Self {
        let own = circuit.own_ohms(solved, element);
        Self {
            amps: circuit.amps(solved, element),
            ohms: own + circuit.ohms_apart(solved, element),
        }
    }

    /// Volts across so many ohms that are put in.
    fn volts(self, ohms: f64) -> f64 {
        self.amps * self.beside(ohms)
    }

    /// Ohms seen between the ends of so many that are put in.
    fn beside(self, ohms: f64) -> f64 {
        1.0 / (1.0 / ohms + 1.0 / self.ohms)
    }
}

/// What a sound vehicle draws otherwise with a change, at the moments that are read.
struct Currents {
    /// Per element, before and now: the moments at which it carries another current, the one with the most amps and the one
    /// with the largest share.
    carried: Vec<Vec<[Port; 2]>>,
    /// Per element, before and now: the moments at which ohms are read.
    ohms: Vec<Vec<[Port; 2]>>,
}

impl Currents {
    fn of(change: &Change<'_>, forward: &Forward<'_>, old: &Model) -> Self {
        let (net, circuit) = (change.net, &forward.circuit);
        let before = old.healthy_circuit(&[]);
        let named = before.draw(&[]);
        let known = |k: usize| {
            old.net
                .element(&net.elements[k].id)
                .filter(|_| change.same[k])
        };
        let known: Vec<Option<usize>> = (0..net.elements.len()).map(known).collect();
        let was = |s: &Sound<'_>| before.solve_drawn(s.state, s.step, &named, &[], None);
        let moments: Vec<(Solution, Sound<'_>)> =
            forward.sound_solved().map(|s| (was(&s), s)).collect();
        let carried = |k: usize| {
            let Some(o) = known[k] else { return Vec::new() };
            let mut most = [(0.0, None); 2];
            for (at, (was, sound)) in moments.iter().enumerate() {
                let (then, now) = (before.amps(was, o), circuit.amps(sound.solved, k));
                let moved = (now - then).abs();
                if moved <= NO_CURRENT {
                    continue;
                }
                for (most, much) in most
                    .iter_mut()
                    .zip([moved, moved / now.abs().max(then.abs())])
                {
                    if much > most.0 {
                        *most = (much, Some(at));
                    }
                }
            }
            let at = most.iter().filter_map(|m| m.1);
            at.map(|at| ports([&before, circuit], &moments[at], [o, k]))
                .collect()
        };
        let ohms = |k: usize| {
            let Some(o) = known[k] else { return Vec::new() };
            let read = moments.iter().filter(|(_, s)| s.ohms);
            read.map(|m| ports([&before, circuit], m, [o, k])).collect()
        };
        Self {
            carried: (0..known.len()).map(carried).collect(),
            ohms: (0..known.len()).map(ohms).collect(),
        }
    }

    /// Are the volts across `ohms` more in an element others than before?
    fn starves(&self, element: usize, ohms: f64) -> bool {
        let felt = |[then, now]: &[Port; 2]| {
            let (then, now) = (then.volts(ohms), now.volts(ohms));
            (now - then).abs() > FELT + FELT_OF * now.abs()
        };
        self.carried[element].iter().any(felt)
    }

    /// With `ohms` in an element, is what is seen past it another figure?
    fn past(&self, element: usize, ohms: f64) -> bool {
        let other = |[then, now]: &[Port; 2]| {
            (now.beside(ohms) / then.beside(ohms)).ln().abs() > OTHER_OHMS
        };
        self.ohms[element].iter().any(other)
    }
}

/// An element before and now, at a moment.
fn ports(
    circuits: [&Circuit; 2],
    (was, sound): &(Solution, Sound<'_>),
    at: [usize; 2],
) -> [Port; 2] {
    let [before, now] = circuits;
    [
        Port::of(before, was, at[0]),
        Port::of(now, sound.solved, at[1]),
    ]
}

/// What another load is felt by.
struct Load {
    currents: Currents,
    /// Per point: of the rail that feeds it.
    rail: Vec<bool>,
}

impl Load {
    /// Is a fault in the way of what the change draws, or does it load or feed the same rail?
    fn felt_by(&self, net: &Netlist, e: &Effect) -> bool {
        let at_rail = || e.ends(net).into_iter().any(|n| self.rail[n]);
        let more =
            |k: usize, ohms: f64| self.currents.starves(k, ohms) || self.currents.past(k, ohms);
        match e {
            Effect::Series(k, ohms) => more(*k, *ohms),
            Effect::Scale(k, factor) => match net.elements[*k].part {
                Part::Resistor { ohms } | Part::Switch { ohms, .. } => {
                    more(*k, ohms * (factor - 1.0).abs())
                }
                Part::Regulator { .. } => at_rail(),
                _ => false,
            },
            // what is cut off draws nothing, whatever it was
            Effect::Open(k) => self.currents.past(*k, OL_OHMS),
            Effect::Force(k, _) => match net.elements[*k].part {
                Part::Switch { .. } | Part::Relay { .. } => self.currents.past(*k, OL_OHMS),
                Part::Regulator { .. } => at_rail(),
                _ => false,
            },
            Effect::Bridge(..) => at_rail(),
            Effect::Ratio(..) => false,
        }
    }
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
        let load = Load {
            currents: Currents::of(&change, forward, old),
            rail: change.rail(&fed),
        };
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
    /// changed?
    pub fn reaches_way(&self, way: &Netlist) -> bool {
        let (net, change) = (self.change.net, &self.change);
        let beside = |n: usize| n < net.nodes.len() && change.beside(n);
        let mut each = way.elements.iter().enumerate();
        each.any(|(k, e)| {
            let drawn = net.elements.get(k);
            let as_was = drawn.is_some() && change.same[k];
            drawn != Some(e)
                && (!as_was && drawn.is_some() || [e.a, e.b, e.c].into_iter().any(beside))
        })
    }
}
