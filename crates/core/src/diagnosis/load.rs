//! What another load is felt by, told from the sound vehicle before and after a change. For a linear circuit with one element
//! taken out, what is across its ends follows from two figures (Thévenin 1883): so the amps that an element carries, its ohms and
//! those of the rest between its ends tell what ohms put in there will have across them, without solving the fault.

use crate::diagnosis::forward::{Forward, Sound};
use crate::diagnosis::model::Model;
use spannung_circuit::fault::Effect;
use spannung_circuit::meter::OL_OHMS;
use spannung_circuit::netlist::Part;
use spannung_circuit::{Circuit, Netlist, Solution};

/// A current that moves by no more than this, amps, did not move.
const NO_CURRENT: f64 = 1e-8;
/// Volts from which it is felt what a fault keeps from a current that is another one now.
const FELT: f64 = 0.001;
/// And the share of those that the fault keeps back anyway.
const FELT_OF: f64 = 0.002;
/// Natural log of the ohms seen, before and now, from which they are others.
const OTHER_OHMS: f64 = 0.05;

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
    fn of(old: &Model, net: &Netlist, same: &[bool], forward: &Forward<'_>) -> Self {
        let circuit = &forward.circuit;
        let before = old.healthy_circuit(&[]);
        let named = before.draw(&[]);
        let known = |k: usize| old.net.element(&net.elements[k].id).filter(|_| same[k]);
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

/// Another load, and what it is felt by.
pub(super) struct Load {
    currents: Currents,
    /// Per point: of the rail that feeds it.
    rail: Vec<bool>,
}

impl Load {
    /// Of a change that leaves the elements that are the `same`; `rail` tells the points of what feeds it.
    pub fn of(
        old: &Model,
        net: &Netlist,
        same: &[bool],
        forward: &Forward<'_>,
        rail: Vec<bool>,
    ) -> Self {
        Self {
            currents: Currents::of(old, net, same, forward),
            rail,
        }
    }

    /// Is a point of the rail that feeds it?
    pub fn at_rail(&self, point: usize) -> bool {
        self.rail[point]
    }

    /// Is a fault in the way of what the change draws, or does it load or feed the same rail?
    pub fn felt_by(&self, net: &Netlist, e: &Effect) -> bool {
        let at_rail = || e.ends(net).into_iter().any(|n| self.at_rail(n));
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
