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
use spannung_circuit::fault::Effect;
use spannung_circuit::meter::{METER_OHMS, Meter};
use spannung_circuit::solve::{Draw, Lane, Solution};
use spannung_circuit::state::Throttle;
use spannung_circuit::{Circuit, Family, FaultCase, Mode, Netlist, Part, VehicleState};
use std::array::from_fn;

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
    scale: Scale,
    groups: bool,
}

/// A state and rotor step, and what is read there.
struct Moment {
    state: VehicleState,
    step: u8,
    slots: Vec<Slot>,
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

/// What a case reads, by probe: the lowest and the highest of all moments.
struct Found {
    ends: Vec<Option<[Figure; 2]>>,
    touched: Vec<bool>,
}

impl Found {
    fn new(probes: usize) -> Self {
        Self {
            ends: vec![None; probes],
            touched: vec![false; probes],
        }
    }

    /// Does a range reach beyond what was found at this probe?
    fn wider(&self, probe: usize, range: Range) -> bool {
        self.ends[probe].is_none_or(|ends| range[0] < ends[0].y || range[1] > ends[1].y)
    }

    fn take(&mut self, probe: usize, ends: [Figure; 2]) {
        let known = self.ends[probe].get_or_insert(ends);
        if ends[0].y < known[0].y {
            known[0] = ends[0];
        }
        if ends[1].y > known[1].y {
            known[1] = ends[1];
        }
    }

    fn prediction(&self, probe: usize) -> Prediction {
        let Some(ends) = self.ends[probe] else {
            return Prediction::default();
        };
        Prediction {
            mean: ends.map(|e| e.y),
            spread: ends.map(|e| e.spread),
            slopes: ends.map(|e| e.slopes),
        }
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
    moments: Vec<Moment>,
    probes: usize,
    /// Per element: its factor with the throttle released, and held open.
    factors: Vec<[Option<Factor>; 2]>,
    /// By moment and slot, what a sound vehicle reads.
    sound: Vec<Vec<[Figure; 2]>>,
}

impl<'a> Forward<'a> {
    /// Prepare probes, each in the state given with it.
    pub fn new(family: &Family, net: &'a Netlist, probes: &[(Probe, VehicleState)]) -> Self {
        let mut moments: Vec<Moment> = Vec::new();
        for (k, (probe, state)) in probes.iter().enumerate() {
            for (state, step) in probe.moments(state) {
                let known = moments
                    .iter()
                    .position(|m| m.state == state && m.step == step);
                let at = known.unwrap_or_else(|| {
                    moments.push(Moment {
                        state,
                        step,
                        slots: Vec::new(),
                    });
                    moments.len() - 1
                });
                moments[at].slots.push(Slot {
                    probe: k,
                    meter: probe.meter(),
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
            moments,
            probes: probes.len(),
            factors: net.elements.iter().map(both).collect(),
            sound: Vec::new(),
        };
        let named = forward.circuit.draw(&[]);
        let circuit = &forward.circuit;
        let sound = |moment: &Moment| {
            let [solved] = forward.solve(moment, [circuit], [&named]);
            let slots = moment.slots.iter().map(|slot| {
                let [read] = forward.read(moment, slot, [circuit], [&named], [&solved]);
                forward.ends(moment, slot, circuit, &solved, &read)
            });
            slots.collect()
        };
        forward.sound = forward.moments.iter().map(sound).collect();
        forward
    }

    fn solve<const L: usize>(
        &self,
        moment: &Moment,
        circuits: [&Circuit; L],
        draws: [&Draw; L],
    ) -> [Solution; L] {
        let lanes = from_fn(|l| Lane {
            circuit: circuits[l],
            draw: draws[l],
            near: None,
        });
        Circuit::solve_lanes(lanes, &moment.state, moment.step, &[])
    }

    /// One slot on every lane. A meter that loads the circuit is put on it as it stands.
    fn read<const L: usize>(
        &self,
        moment: &Moment,
        slot: &Slot,
        circuits: [&Circuit; L],
        draws: [&Draw; L],
        solved: [&Solution; L],
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
        let extras = slot.meter.extras();
        let figure = |circuit: &Circuit, s: &Solution| -> Range {
            let value = slot.meter.read(circuit, s).capped(slot.meter.mode);
            let amps = slot.meter.mode == Mode::Amps;
            [slot.scale.to(if amps { value.abs() } else { value }); 2]
        };
        if extras.is_empty() {
            return from_fn(|l| Read {
                range: figure(circuits[l], solved[l]),
                loaded: None,
            });
        }
        let lanes = from_fn(|l| Lane {
            circuit: circuits[l],
            draw: draws[l],
            near: Some(solved[l]),
        });
        let loaded: [Solution; L] =
            Circuit::solve_lanes(lanes, &moment.state, moment.step, &extras);
        let mut lane = 0;
        loaded.map(|s| {
            let range = figure(circuits[lane], &s);
            lane += 1;
            Read {
                range,
                loaded: Some(s),
            }
        })
    }

    /// The ends of a reading with their slopes.
    fn ends(
        &self,
        moment: &Moment,
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
        [self.with_slopes(moment, slot, circuit, s, read.range[0]); 2]
    }

    fn with_slopes(
        &self,
        moment: &Moment,
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
        let open = usize::from(moment.state.throttle == Throttle::Full);
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
            Mode::Volts | Mode::Diode => {
                let Some(ohms) = circuit.source_ohms(s, r, b) else {
                    return bare;
                };
                if slot.meter.mode == Mode::Volts {
                    gain *= METER_OHMS / (METER_OHMS + ohms);
                }
                circuit.slopes(s, &[(r, 1.0), (b, -1.0)], &mut add);
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

    /// The circuit with a case's effects.
    pub fn circuit_of(&self, effects: &[Effect]) -> Circuit {
        self.circuit.with(self.net, effects, &self.pairs)
    }

    /// Predictions of all probes for the sound vehicle.
    pub fn healthy(&self) -> Vec<Prediction> {
        let mut found = Found::new(self.probes);
        for (moment, sound) in self.moments.iter().zip(&self.sound) {
            for (slot, ends) in moment.slots.iter().zip(sound) {
                found.take(slot.probe, *ends);
            }
        }
        (0..self.probes).map(|k| found.prediction(k)).collect()
    }

    /// Predictions of all probes for each of some cases; `healthy` from [`Self::healthy`]. The circuits come with them.
    pub fn cases(
        &self,
        cases: &[&FaultCase],
        healthy: &[Prediction],
    ) -> Vec<(Circuit, Vec<Prediction>)> {
        let circuits: Vec<Circuit> = cases.iter().map(|c| self.circuit_of(&c.effects)).collect();
        let mut found: Vec<Option<Found>> = cases.iter().map(|_| None).collect();
        let bridged = |c: &FaultCase| c.effects.iter().any(|e| matches!(e, Effect::Bridge(..)));
        let own = |k: &usize| !cases[*k].effects.is_empty();
        let wider = |k: usize| if cases[k].fault == CHOICE { WIDER } else { 1.0 };
        let lane = |k: usize| (&circuits[k], wider(k));
        let (alone, together): (Vec<usize>, Vec<usize>) = (0..cases.len())
            .filter(own)
            .partition(|k| bridged(cases[*k]));
        // a bridge asks for an order of its own
        for k in alone {
            let [one] = self.side_by_side([lane(k)]);
            found[k] = Some(one);
        }
        for chunk in together.chunks(LANES) {
            let last = chunk.len() - 1;
            let lanes: [(&Circuit, f64); LANES] = from_fn(|l| lane(chunk[l.min(last)]));
            for (k, one) in chunk.iter().zip(self.side_by_side(lanes)) {
                found[*k] = Some(one);
            }
        }
        let predict = |one: Option<Found>| -> Vec<Prediction> {
            let Some(one) = one else {
                return healthy.to_vec();
            };
            let probe = |k: usize| {
                if one.touched[k] {
                    one.prediction(k)
                } else {
                    healthy[k]
                }
            };
            (0..self.probes).map(probe).collect()
        };
        let rows: Vec<_> = found.into_iter().map(predict).collect();
        circuits.into_iter().zip(rows).collect()
    }

    /// Predictions of all probes for a vehicle that is built otherwise, with its circuit. Its points and elements are those
    /// of this one, and more.
    pub fn built(&self, net: &Netlist, healthy: &[Prediction]) -> (Circuit, Vec<Prediction>) {
        let circuit = Circuit::compile(net, &[], &self.pairs);
        let [found] = self.side_by_side([(&circuit, 1.0)]);
        let probe = |k: usize| {
            if found.touched[k] {
                found.prediction(k)
            } else {
                healthy[k]
            }
        };
        let row = (0..self.probes).map(probe).collect();
        (circuit, row)
    }

    /// What some cases read at all moments, each with how much wider than usual its own value ranges.
    fn side_by_side<const L: usize>(&self, lanes: [(&Circuit, f64); L]) -> [Found; L] {
        let circuits = lanes.map(|l| l.0);
        let named: [Draw; L] = from_fn(|l| circuits[l].draw(&[]));
        let named: [&Draw; L] = from_fn(|l| &named[l]);
        let mut found: [Found; L] = from_fn(|_| Found::new(self.probes));
        for (moment, sound) in self.moments.iter().zip(&self.sound) {
            let solved = self.solve(moment, circuits, named);
            let solved: [&Solution; L] = from_fn(|l| &solved[l]);
            for (slot, base) in moment.slots.iter().zip(sound) {
                let read = self.read(moment, slot, circuits, named, solved);
                for (l, read) in read.iter().enumerate() {
                    // lanes that only fill up stand for one that was there before
                    if l > 0 && std::ptr::eq(circuits[l], circuits[l - 1]) {
                        continue;
                    }
                    let apart = |d: usize| {
                        let still = Scale::STILL * slot.scale.instrument(base[d].y);
                        (read.range[d] - base[d].y).abs() > still
                    };
                    if !(apart(0) || apart(1)) {
                        found[l].take(slot.probe, *base);
                        continue;
                    }
                    found[l].touched[slot.probe] = true;
                    if found[l].wider(slot.probe, read.range) {
                        let mut ends = self.ends(moment, slot, circuits[l], solved[l], read);
                        for end in &mut ends {
                            end.slopes[Factor::Severity as usize] *= lanes[l].1 as f32;
                        }
                        found[l].take(slot.probe, ends);
                    }
                }
            }
        }
        found
    }
}
