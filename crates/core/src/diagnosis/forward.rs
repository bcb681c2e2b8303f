//! What probes read: the circuit of every fault case solved forward at the values as named, and how each reading moves with
//! what may differ.
//!
//! One substitution with the transposed factors of a solved circuit tells the slope of a reading with every element at once
//! ([`spannung_circuit::sensitivity`]). Slopes of elements that a vehicle shares ([`Factor`]) are kept one by one, for the
//! belief filters those factors; those of single elements, with each one's tolerance, make the spread that a net has for
//! itself. Slopes belong to the case: a fault that cuts a net cuts what moves it. Cases are solved side by side.

use crate::diagnosis::choices::{CHOICE, WIDER};
use crate::diagnosis::repertoire::Probe;
use crate::diagnosis::scale::{Prediction, Scale};
use crate::diagnosis::shared::{FACTORS, Factor};
use crate::diagnosis::signs::Seen;
use spannung_circuit::behaviour::At;
use spannung_circuit::fault::Effect;
use spannung_circuit::meter::{METER_OHMS, Meter};
use spannung_circuit::solve::{Draw, Extra, Lane, Moment, Room, Solution};
use spannung_circuit::state::Throttle;
use spannung_circuit::{Circuit, Family, FaultCase, Mode, Netlist, Part, VehicleState};
use std::array::from_fn;
use std::rc::Rc;

/// Circuits solved side by side.
const LANES: usize = 8;
/// Lowest and highest figure of a reading, on its scale.
type Range = [f64; 2];

/// How far a fault's own value ranges within its case, natural log (one sigma): ohms that are added, a short's ohms, a
/// value that drifted; and a ratio that is stuck, as a part of the supply.
const ADDED: f64 = 0.7;
const SHORT: f64 = 1.0;
const DRIFT: f64 = 0.4;
const STUCK: f64 = 0.12;
const STUCK_LEAST: f64 = 0.012;
const CELLS: f64 = 0.04;
/// What a sensor leaves on the line that it pulls down differs from maker to maker, volts; a reading that follows the sensor's
/// own ohms by at least this part is such a line.
const SATURATES: f64 = 0.2;
const HELD: f64 = 0.3;
/// A maker's converter stands within so much of the usual.
const REGULATED: f64 = 0.03;
/// Spread of a group's volts against the others of its pack.
const GROUPS: f64 = 0.003;

/// One reading of one probe at one moment.
struct Slot {
    probe: usize,
    meter: Meter,
    /// What the meter itself puts on the circuit.
    extras: Vec<Extra>,
    scale: Scale,
    groups: bool,
}

/// A state and rotor step, what it means for the sound vehicle, and what is read there.
struct Stand {
    state: VehicleState,
    step: u8,
    moment: Moment,
    /// The first of all stands that means the same.
    alike: usize,
    slots: Vec<Slot>,
}

/// What is looked at beside the readings of a case: what is solved for them serves the looks as well.
pub(super) struct Looks<'a> {
    /// States and rotor steps that a look solves.
    pub states: &'a [At],
    /// Is a case that reads so looked at?
    pub wanted: &'a dyn Fn(usize, &[Prediction]) -> bool,
    /// The look: a case, its circuit, and that solved in these states.
    pub look: &'a Look<'a>,
}

type Look<'a> = dyn Fn(usize, &Circuit, Vec<Rc<Solution>>) -> Seen + 'a;

/// A sound vehicle at a moment.
pub(super) struct Sound<'a> {
    pub state: &'a VehicleState,
    pub step: u8,
    /// Are ohms read then?
    pub ohms: bool,
    pub solved: &'a Solution,
}

/// What some circuits read and how they were solved, by the first of the stands that mean the same.
struct Abreast<const L: usize> {
    found: [Found; L],
    solved: Vec<Option<[Rc<Solution>; L]>>,
}

/// A figure with its slopes.
#[derive(Clone, Copy)]
struct Figure {
    y: f64,
    spread: f64,
    slopes: [f32; FACTORS],
}

/// How far the ratio of a stuck output ranges: one that is dead or at its supply is that, one between may be anywhere.
fn stuck_within(ratio: f64) -> f64 {
    (STUCK * 4.0 * ratio * (1.0 - ratio)).max(STUCK_LEAST)
}

/// An end of what is read at a probe, and where its figure stands.
#[derive(Clone, Copy)]
struct End {
    y: f64,
    at: Place,
}

#[derive(Clone, Copy)]
enum Place {
    /// With a sound vehicle: stand and slot.
    Sound(usize, usize),
    /// With the case.
    Own(usize),
}

/// What a case reads, by probe: the lowest and the highest of all moments.
struct Found {
    ends: Vec<Option<[End; 2]>>,
    /// Figures of its own, each with both ends.
    own: Vec<[Figure; 2]>,
    touched: Vec<bool>,
}

impl Found {
    fn new(probes: usize) -> Self {
        Self {
            ends: vec![None; probes],
            own: Vec::new(),
            touched: vec![false; probes],
        }
    }

    /// Does a range reach beyond what was found at this probe?
    fn wider(&self, probe: usize, range: Range) -> bool {
        self.ends[probe].is_none_or(|ends| range[0] < ends[0].y || range[1] > ends[1].y)
    }

    fn take(&mut self, probe: usize, range: Range, at: Place) {
        let ends = range.map(|y| End { y, at });
        let known = self.ends[probe].get_or_insert(ends);
        if ends[0].y < known[0].y {
            known[0] = ends[0];
        }
        if ends[1].y > known[1].y {
            known[1] = ends[1];
        }
    }

    /// Take figures of its own.
    fn take_own(&mut self, probe: usize, ends: [Figure; 2]) {
        self.take(probe, ends.map(|e| e.y), Place::Own(self.own.len()));
        self.own.push(ends);
    }

    /// What all probes read; where nothing is touched, as on a sound vehicle.
    fn row(&self, sound: &[Vec<Base>], healthy: &[Prediction]) -> Vec<Prediction> {
        let probe = |(k, healthy): (usize, &Prediction)| match self.touched[k] {
            true => self.prediction(k, sound),
            false => *healthy,
        };
        healthy.iter().enumerate().map(probe).collect()
    }

    fn prediction(&self, probe: usize, sound: &[Vec<Base>]) -> Prediction {
        let Some(ends) = self.ends[probe] else {
            return Prediction::default();
        };
        let figure = |d: usize| match ends[d].at {
            Place::Sound(stand, slot) => &sound[stand][slot].ends[d],
            Place::Own(k) => &self.own[k][d],
        };
        let ends = [figure(0), figure(1)];
        Prediction {
            mean: ends.map(|e| e.y),
            spread: ends.map(|e| e.spread),
            slopes: ends.map(|e| e.slopes),
        }
    }
}

/// What a sound vehicle reads in a slot.
struct Base {
    ends: [Figure; 2],
    /// As long as a reading is no farther from either end, nothing moved it.
    still: [f64; 2],
}

impl Base {
    fn of(slot: &Slot, ends: [Figure; 2]) -> Self {
        let still = |e: &Figure| Scale::STILL * slot.scale.instrument(e.y);
        Self {
            still: [still(&ends[0]), still(&ends[1])],
            ends,
        }
    }

    fn moved(&self, range: Range) -> bool {
        (0..2).any(|d| (range[d] - self.ends[d].y).abs() > self.still[d])
    }

    fn range(&self) -> Range {
        [self.ends[0].y, self.ends[1].y]
    }
}

/// A range that was read, and the circuit with the meter on it where that loads it.
struct Read {
    range: Range,
    loaded: Option<Solution>,
}

/// A sound vehicle with the probes that are asked about, ready to solve fault cases.
pub struct Forward<'a> {
    net: &'a Netlist,
    /// The sound circuit.
    pub circuit: Circuit,
    pairs: Vec<(usize, usize)>,
    groups: Vec<(usize, usize)>,
    stands: Vec<Stand>,
    probes: usize,
    /// Per element: its factor with the throttle released, and held open.
    factors: Vec<[Option<Factor>; 2]>,
    /// By moment, a sound vehicle.
    solved: Vec<Solution>,
    /// By moment and slot, what it reads.
    sound: Vec<Vec<Base>>,
}

impl<'a> Forward<'a> {
    /// Prepare probes, each in the state given with it.
    pub fn new(family: &Family, net: &'a Netlist, probes: &[(Probe, VehicleState)]) -> Self {
        let mut stands: Vec<Stand> = Vec::new();
        for (k, (probe, state)) in probes.iter().enumerate() {
            for (state, step) in probe.moments(state) {
                let known = stands
                    .iter()
                    .position(|m| m.state == state && m.step == step);
                let at = known.unwrap_or_else(|| {
                    let moment = Moment::of(&net.elements, &state, step);
                    let alike = stands.iter().position(|s| s.moment == moment);
                    stands.push(Stand {
                        state,
                        step,
                        moment,
                        alike: alike.unwrap_or(stands.len()),
                        slots: Vec::new(),
                    });
                    stands.len() - 1
                });
                stands[at].slots.push(Slot {
                    probe: k,
                    meter: probe.meter(),
                    extras: probe.meter().extras(),
                    scale: probe.scale(),
                    groups: probe.groups,
                });
            }
        }
        let pairs: Vec<_> = probes
            .iter()
            .filter_map(|(p, _)| p.meter().own_pair())
            .collect();
        let group = |k: usize| net.find(&format!("C{k}"));
        let both = |e| [false, true].map(|open| Factor::of(family, e, open));
        let mut forward = Self {
            net,
            circuit: Circuit::compile(net, &[], &pairs),
            pairs,
            groups: (1..)
                .map_while(|k| Some((group(k)?, group(k - 1)?)))
                .collect(),
            stands,
            probes: probes.len(),
            factors: net.elements.iter().map(both).collect(),
            solved: Vec::new(),
            sound: Vec::new(),
        };
        let named = forward.circuit.draw(&[]);
        let circuit = &forward.circuit;
        let solved: Vec<Solution> = forward
            .stands
            .iter()
            .map(|stand| {
                let [solved] = solve(&stand.moment, [circuit], [&named]);
                solved
            })
            .collect();
        let mut room = Room::default();
        let mut sound = |(stand, solved): (&Stand, &Solution)| {
            let slots = stand.slots.iter().map(|slot| {
                let [read] = forward.read(
                    &stand.moment,
                    slot,
                    [circuit],
                    [&named],
                    [solved],
                    &mut room,
                );
                Base::of(
                    slot,
                    forward.ends(&stand.state, slot, circuit, solved, &read),
                )
            });
            slots.collect()
        };
        forward.sound = forward.stands.iter().zip(&solved).map(&mut sound).collect();
        forward.solved = solved;
        forward
    }

    /// One slot on every lane. A meter that loads the circuit is put on it as it stands.
    fn read<const L: usize>(
        &self,
        moment: &Moment,
        slot: &Slot,
        circuits: [&Circuit; L],
        draws: [&Draw; L],
        solved: [&Solution; L],
        room: &mut Room<L>,
    ) -> [Read; L] {
        if slot.groups {
            return solved.map(|s| {
                let each = self.groups.iter().map(|(a, b)| s.volts[*a] - s.volts[*b]);
                let range = each.fold([f64::MAX, f64::MIN], |r, v| [r[0].min(v), r[1].max(v)]);
                Read {
                    range,
                    loaded: None,
                }
            });
        }
        let mut figures = |solved: [&Solution; L]| -> [Range; L] {
            let shown = slot.meter.read_abreast(circuits, solved, room);
            shown.map(|shown| {
                let value = shown.capped(slot.meter.mode);
                let amps = slot.meter.mode == Mode::Amps;
                [slot.scale.to(if amps { value.abs() } else { value }); 2]
            })
        };
        if slot.extras.is_empty() {
            return figures(solved).map(|range| Read {
                range,
                loaded: None,
            });
        }
        let lanes = from_fn(|l| Lane {
            circuit: circuits[l],
            draw: draws[l],
            near: Some(solved[l]),
        });
        let loaded: [Solution; L] = Circuit::solve_lanes(lanes, moment, &slot.extras);
        let mut ranges = figures(from_fn(|l| &loaded[l])).into_iter();
        loaded.map(|s| Read {
            range: ranges.next().unwrap_or_default(),
            loaded: Some(s),
        })
    }

    /// The ends of a reading with their slopes.
    fn ends(
        &self,
        state: &VehicleState,
        slot: &Slot,
        circuit: &Circuit,
        solved: &Solution,
        read: &Read,
    ) -> [Figure; 2] {
        if slot.groups {
            return read.range.map(|y| {
                let mut slopes = [0.0; FACTORS];
                slopes[Factor::Charge as usize] = y as f32;
                let spread = GROUPS * y.abs();
                Figure { y, spread, slopes }
            });
        }
        let s = read.loaded.as_ref().unwrap_or(solved);
        [self.with_slopes(state, slot, circuit, s, read.range[0]); 2]
    }

    fn with_slopes(
        &self,
        state: &VehicleState,
        slot: &Slot,
        circuit: &Circuit,
        s: &Solution,
        y: f64,
    ) -> Figure {
        let bare = Figure {
            y,
            spread: 0.0,
            slopes: [0.0; FACTORS],
        };
        let open = usize::from(state.throttle == Throttle::Full);
        let mut slopes = [0.0f64; FACTORS];
        let mut own = 0.0;
        let flat = self.flat(circuit);
        let severity = Factor::Severity as usize;
        let mut add = |k: usize, value: f64, series: f64| {
            slopes[severity] += circuit.stuck(k).map_or(ADDED, stuck_within) * series;
            let Some(factors) = self.factors.get(k) else {
                // a bridge of the fault, or what another maker added
                slopes[severity] += SHORT * value;
                return;
            };
            let part = &circuit.elements[k].part;
            let charge = factors[open] == Some(Factor::Charge);
            // how flat a whole pack is, is its charge already
            if circuit.drifted(k) && !(charge && flat) {
                // cells that are weak keep close to what their chemistry allows
                let drift = if matches!(part, Part::Source { .. }) {
                    CELLS
                } else {
                    DRIFT
                };
                slopes[severity] += drift * value;
            }
            if let Some(factor) = factors[open] {
                slopes[factor as usize] += value;
            }
            if matches!(part, Part::OpenCollector { .. }) && value.abs() > HELD * y.abs() {
                own += SATURATES * SATURATES;
            }
            if !charge {
                let least = if matches!(part, Part::Regulator { .. }) {
                    REGULATED
                } else {
                    0.0
                };
                own += (value * circuit.elements[k].spread.max(least)).powi(2);
            }
        };
        let (r, b) = (slot.meter.pair.red, slot.meter.pair.black);
        let si = slot.scale.from(y);
        let mut gain = slot.scale.slope(si);
        match slot.meter.mode {
            Mode::Ohms | Mode::Milliohms if si.is_infinite() => return bare,
            Mode::Ohms | Mode::Milliohms => circuit.ohm_slopes(s, r, b, &mut add),
            Mode::Amps => {
                let Some(e) = slot.meter.element else {
                    return bare;
                };
                gain = if circuit.amps(s, e) < 0.0 { -1.0 } else { 1.0 };
                circuit.amp_slopes(s, e, &mut add);
            }
            Mode::Volts | Mode::Diode if s.island[r] != s.island[b] => return bare,
            Mode::Volts | Mode::Diode => {
                let ohms = circuit.slopes(s, &[(r, 1.0), (b, -1.0)], &mut add);
                if slot.meter.mode == Mode::Volts {
                    gain *= METER_OHMS / (METER_OHMS + ohms.max(0.0));
                }
            }
        }
        if slot.meter.mode == Mode::Ohms {
            slopes[Factor::TestLeads as usize] += 1.0;
        }
        Figure {
            spread: own.sqrt() * gain.abs(),
            slopes: slopes.map(|v| (v * gain) as f32),
            ..bare
        }
    }

    /// Does the fault set the volts of every group?
    fn flat(&self, circuit: &Circuit) -> bool {
        let groups = self.factors.iter().enumerate();
        let mut groups = groups.filter(|(_, f)| f[0] == Some(Factor::Charge));
        groups.all(|(k, _)| circuit.drifted(k))
    }

    /// A sound vehicle at all moments that are read, each once.
    pub(super) fn sound_solved(&self) -> impl Iterator<Item = Sound<'_>> {
        let each = self.stands.iter().zip(&self.solved).enumerate();
        let first = each.filter(|(at, (stand, _))| stand.alike == *at);
        first.map(|(_, (stand, solved))| Sound {
            state: &stand.state,
            step: stand.step,
            ohms: stand.slots.iter().any(|s| s.meter.mode == Mode::Ohms),
            solved,
        })
    }

    /// Predictions of all probes for the sound vehicle.
    pub fn healthy(&self) -> Vec<Prediction> {
        let mut found = Found::new(self.probes);
        for (at, (stand, sound)) in self.stands.iter().zip(&self.sound).enumerate() {
            for (k, (slot, base)) in stand.slots.iter().zip(sound).enumerate() {
                found.take(slot.probe, base.range(), Place::Sound(at, k));
            }
        }
        let probes = 0..self.probes;
        probes.map(|k| found.prediction(k, &self.sound)).collect()
    }

    /// Predictions of all probes for each of some cases, and what is seen of those that are looked at; `healthy` from
    /// [`Self::healthy`].
    pub(super) fn cases(
        &self,
        cases: &[&FaultCase],
        healthy: &[Prediction],
        looks: Option<&Looks<'_>>,
    ) -> Vec<(Vec<Prediction>, Option<Seen>)> {
        let bridged = |k: &usize| {
            let mut effects = cases[*k].effects.iter();
            effects.any(|e| matches!(e, Effect::Bridge(..)))
        };
        // a bridge asks for an order of its own, and one that shows only by itself reads as a sound vehicle
        let (own, whole): (Vec<usize>, Vec<usize>) =
            (0..cases.len()).partition(|k| !cases[*k].effects.is_empty());
        let (bridges, others): (Vec<usize>, Vec<usize>) = own.into_iter().partition(bridged);
        let mut out: Vec<(Vec<Prediction>, Option<Seen>)> = vec![(Vec::new(), None); cases.len()];
        for k in whole {
            let looked = looks.filter(|l| (l.wanted)(k, healthy));
            let seen = looked.map(|l| (l.look)(k, &self.circuit, Vec::new()));
            out[k] = (healthy.to_vec(), seen);
        }
        let moments: Vec<&Moment> = self.stands.iter().map(|s| &s.moment).collect();
        let alike: Vec<usize> = self.stands.iter().map(|s| s.alike).collect();
        let asked = looks.map_or_else(Vec::new, |l| self.asked(l.states));
        for chunk in bridges.chunks(LANES).chain(others.chunks(LANES)) {
            let effects: Vec<&[Effect]> = chunk.iter().map(|k| &*cases[*k].effects).collect();
            let circuits = self.circuit.together(self.net, &effects, &self.pairs);
            let lanes: [(&Circuit, f64); LANES] = from_fn(|l| {
                let l = l.min(chunk.len() - 1);
                let choice = cases[chunk[l]].fault == CHOICE;
                (&circuits[l], if choice { WIDER } else { 1.0 })
            });
            let abreast = self.side_by_side(lanes, &moments, &alike);
            for (k, one) in chunk.iter().zip(&abreast.found) {
                out[*k].0 = one.row(&self.sound, healthy);
            }
            let Some(looks) = looks else { continue };
            let wanted: Vec<bool> = chunk
                .iter()
                .map(|k| (looks.wanted)(*k, &out[*k].0))
                .collect();
            if !wanted.contains(&true) {
                continue;
            }
            let mut known = look_abreast(lanes.map(|l| l.0), &asked, &abreast.solved);
            for (l, k) in chunk.iter().enumerate().filter(|(l, _)| wanted[*l]) {
                let solved = std::mem::take(&mut known[l]);
                out[*k].1 = Some((looks.look)(*k, &circuits[l], solved));
            }
        }
        out
    }

    /// What the states of looks mean, each with the first stand or the first of the states before it that means the same.
    fn asked(&self, states: &[At]) -> Vec<(Moment, Alike)> {
        let mut asked: Vec<(Moment, Alike)> = Vec::with_capacity(states.len());
        for (state, step) in states {
            let moment = Moment::of(&self.net.elements, state, *step);
            let stand = self.stands.iter().position(|s| s.moment == moment);
            let before = || asked.iter().position(|(m, _)| *m == moment);
            let alike = match stand {
                Some(stand) => Alike::Stand(stand),
                None => before().map_or(Alike::None, Alike::State),
            };
            asked.push((moment, alike));
        }
        asked
    }

    /// Predictions of all probes for a vehicle that is built otherwise, with its circuit. Its points and elements are those
    /// of this one, and more.
    pub fn built(&self, net: &Netlist, healthy: &[Prediction]) -> (Circuit, Vec<Prediction>) {
        let circuit = Circuit::compile(net, &[], &self.pairs);
        let own = |s: &Stand| Moment::of(&net.elements, &s.state, s.step);
        let own: Vec<Moment> = self.stands.iter().map(own).collect();
        let first = |m: &Moment| own.iter().position(|o| o == m).unwrap_or_default();
        let alike: Vec<usize> = own.iter().map(first).collect();
        let moments: Vec<&Moment> = own.iter().collect();
        let Abreast { found, .. } = self.side_by_side([(&circuit, 1.0)], &moments, &alike);
        let row = found[0].row(&self.sound, healthy);
        (circuit, row)
    }

    /// What some cases read at all stands, each with how much wider than usual its own value ranges; what the stands mean for
    /// them, and which of them mean the same.
    fn side_by_side<const L: usize>(
        &self,
        lanes: [(&Circuit, f64); L],
        moments: &[&Moment],
        alike: &[usize],
    ) -> Abreast<L> {
        let circuits = lanes.map(|l| l.0);
        let named: [Draw; L] = from_fn(|l| circuits[l].draw(&[]));
        let named: [&Draw; L] = from_fn(|l| &named[l]);
        let mut found: [Found; L] = from_fn(|_| Found::new(self.probes));
        let mut room = Room::default();
        let mut all: Vec<Option<[Rc<Solution>; L]>> = vec![const { None }; self.stands.len()];
        for (at, (stand, sound)) in self.stands.iter().zip(&self.sound).enumerate() {
            let moment = moments[at];
            let solved = all[alike[at]]
                .get_or_insert_with(|| solve(moment, circuits, named).map(Rc::new))
                .clone();
            let solved: [&Solution; L] = from_fn(|l| &*solved[l]);
            for (k, (slot, base)) in stand.slots.iter().zip(sound).enumerate() {
                let read = self.read(moment, slot, circuits, named, solved, &mut room);
                for (l, read) in read.iter().enumerate() {
                    // lanes that only fill up stand for one that was there before
                    if l > 0 && std::ptr::eq(circuits[l], circuits[l - 1]) {
                        continue;
                    }
                    if !base.moved(read.range) {
                        found[l].take(slot.probe, base.range(), Place::Sound(at, k));
                        continue;
                    }
                    found[l].touched[slot.probe] = true;
                    if found[l].wider(slot.probe, read.range) {
                        let mut ends = self.ends(&stand.state, slot, circuits[l], solved[l], read);
                        for end in &mut ends {
                            end.slopes[Factor::Severity as usize] *= lanes[l].1 as f32;
                        }
                        found[l].take_own(slot.probe, ends);
                    }
                }
            }
        }
        Abreast { found, solved: all }
    }
}

/// Where a look's state is solved already.
enum Alike {
    /// With the readings of this stand.
    Stand(usize),
    /// With this state, one of those before it.
    State(usize),
    None,
}

/// The states of looks, solved for circuits side by side: by lane, in order of state.
fn look_abreast<const L: usize>(
    circuits: [&Circuit; L],
    asked: &[(Moment, Alike)],
    stands: &[Option<[Rc<Solution>; L]>],
) -> [Vec<Rc<Solution>>; L] {
    let named: [Draw; L] = from_fn(|l| circuits[l].draw(&[]));
    let mut known: [Vec<Rc<Solution>>; L] = from_fn(|_| Vec::with_capacity(asked.len()));
    for (moment, alike) in asked {
        let there = match alike {
            Alike::Stand(k) => stands[*k].clone(),
            Alike::State(k) => Some(from_fn(|l| Rc::clone(&known[l][*k]))),
            Alike::None => None,
        };
        let solved =
            there.unwrap_or_else(|| solve(moment, circuits, from_fn(|l| &named[l])).map(Rc::new));
        for (known, solved) in known.iter_mut().zip(solved) {
            known.push(solved);
        }
    }
    known
}

fn solve<const L: usize>(
    moment: &Moment,
    circuits: [&Circuit; L],
    draws: [&Draw; L],
) -> [Solution; L] {
    let lanes = from_fn(|l| Lane {
        circuit: circuits[l],
        draw: draws[l],
        near: None,
    });
    Circuit::solve_lanes(lanes, moment, &[])
}
