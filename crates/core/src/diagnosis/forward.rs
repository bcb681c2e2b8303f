//! What probes read: the circuit of every fault case solved forward, with draws of the component tolerances.
//!
//! Each figure is predicted from six draws (a Latin hypercube over normal quantiles, permuted by a hash of the
//! element's name, so that the same vehicle gives the same numbers whatever the order of its elements). The pack's
//! charge is not drawn: how far a figure follows the pack's voltage is kept as a slope. Where a fault leaves a reading
//! untouched at nominal values, the draws of the sound vehicle stand for it. Cases are solved side by side, and so are
//! the draws of a case.

use crate::catalogue::fnv;

use crate::diagnosis::repertoire::Probe;
use crate::diagnosis::scale::{Prediction, Scale};
use crate::diagnosis::unlisted::UNLISTED;
use spannung_circuit::fault::Effect;
use spannung_circuit::meter::Meter;
use spannung_circuit::solve::{Draw, Lane, Solution};
use spannung_circuit::{Circuit, FaultCase, Mode, Netlist, VehicleState};
use std::array::from_fn;

/// Draws of component tolerances.
pub const DRAWS: usize = 6;
/// Normal quantiles at (k + ½)/6.
const QUANTILES: [f64; DRAWS] = [
    -1.382_994, -0.674_490, -0.210_428, 0.210_428, 0.674_490, 1.382_994,
];
/// Log step of the pack's voltage used for the slope.
const PACK_STEP: f64 = 0.03;
/// Spread of a prediction without draws, as a share of what the fault moves it by.
const ROUGHLY: f64 = 0.1;
/// Less than this (V, A, decades of ohms) is nothing, and in proportion to nothing stands nothing.
const ANYTHING: f64 = 0.3;
/// Deviations of the instrument up to which what a change moves is added to what a reading was.
const SHIFTS: f64 = 20.0;
/// Circuits solved side by side.
const LANES: usize = 8;
/// Of the lanes of one case: the draws, then the raised pack, then the values as named.
const RAISED: usize = DRAWS;
/// Lowest and highest figure of a reading, on its scale.
type Range = [f64; 2];
/// A reading with drawn values: the draws, the raised pack, nothing, on lanes.
type Drawn = [Range; LANES];

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

/// What a case reads, by probe: nominal ranges, and the same with drawn values.
struct Readings {
    nominal: Vec<Range>,
    drawn: Vec<Drawn>,
    touched: Vec<bool>,
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
    scales: Vec<Scale>,
    /// By moment and slot, readings of the sound vehicle.
    sound: Vec<Vec<(Range, Drawn)>>,
}

/// Multipliers of one circuit: as named, and for the lanes of its draws.
struct Draws {
    named: Draw,
    lanes: [Draw; LANES],
}

impl Draws {
    fn of(circuit: &Circuit, own: usize) -> Self {
        let group = |id: &str| id.starts_with("group.");
        let lanes = from_fn(|draw| match draw {
            RAISED => {
                let raised = |e: &spannung_circuit::netlist::Element| {
                    let step = PACK_STEP / e.spread.max(1e-9);
                    if group(&e.id) { step } else { 0.0 }
                };
                let z: Vec<f64> = circuit.elements.iter().map(raised).collect();
                circuit.draw(&z)
            }
            draw if draw < DRAWS => {
                let drawn = |(k, e): (usize, &spannung_circuit::netlist::Element)| {
                    if group(&e.id) {
                        return 0.0;
                    }
                    let name = e.id.bytes().chain((k >= own).then_some(1));
                    QUANTILES[rank(fnv(name), draw)]
                };
                let each = circuit.elements.iter().enumerate().map(drawn);
                let fault = QUANTILES[(draw * 5 + 2) % DRAWS];
                circuit.draw(&each.chain([fault]).collect::<Vec<f64>>())
            }
            _ => circuit.draw(&[]),
        });
        Self {
            named: circuit.draw(&[]),
            lanes,
        }
    }
}

/// Place of a draw in the permutation given by a hash (Lehmer code).
fn rank(mut hash: u64, draw: usize) -> usize {
    let mut left: Vec<usize> = (0..DRAWS).collect();
    for k in 0.. {
        let at = (hash % left.len() as u64) as usize;
        hash = (hash / left.len() as u64) ^ hash.rotate_left(17);
        let value = left.remove(at);
        if k == draw {
            return value;
        }
    }
    unreachable!("a permutation of {DRAWS} has {DRAWS} places")
}

/// Does the catalogue hold it, so that its spread is known?
fn is_listed(case: &FaultCase) -> bool {
    case.fault != UNLISTED
}

fn wider(range: Range, other: Range) -> Range {
    [range[0].min(other[0]), range[1].max(other[1])]
}

const NO_RANGE: Range = [f64::MAX, f64::MIN];

impl<'a> Forward<'a> {
    /// Prepare probes, each in the state given with it.
    pub fn new(net: &'a Netlist, probes: &[(Probe, VehicleState)]) -> Self {
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
                    scale: Scale::of(probe.mode),
                    groups: probe.groups,
                });
            }
        }
        let pairs: Vec<_> = probes
            .iter()
            .filter_map(|(p, _)| p.meter().own_pair())
            .collect();
        let group = |k: usize| net.find(&format!("C{k}"));
        let mut forward = Self {
            net,
            circuit: Circuit::compile(net, &[], &pairs),
            pairs,
            groups: (1..)
                .map_while(|k| Some((group(k)?, group(k - 1)?)))
                .collect(),
            moments,
            probes: probes.len(),
            scales: probes.iter().map(|p| Scale::of(p.0.mode)).collect(),
            sound: Vec::new(),
        };
        let draws = Draws::of(&forward.circuit, net.elements.len());
        forward.sound = forward
            .moments
            .iter()
            .map(|moment| {
                let [nominal] = forward.solve(moment, [&forward.circuit], [&draws.named], [None]);
                let wanted: Vec<usize> = (0..moment.slots.len()).collect();
                let circuit = &forward.circuit;
                let drawn = forward.draw(moment, circuit, &draws, &nominal, &wanted);
                wanted
                    .iter()
                    .zip(drawn)
                    .map(|(s, drawn)| {
                        let slot = &moment.slots[*s];
                        let [y] = forward.read(moment, slot, [circuit], [&draws.named], [&nominal]);
                        (y, drawn)
                    })
                    .collect()
            })
            .collect();
        forward
    }

    fn solve<const L: usize>(
        &self,
        moment: &Moment,
        circuits: [&Circuit; L],
        draws: [&Draw; L],
        near: [Option<&Solution>; L],
    ) -> [Solution; L] {
        let lanes = from_fn(|l| Lane {
            circuit: circuits[l],
            draw: draws[l],
            near: near[l],
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
    ) -> [Range; L] {
        if slot.groups {
            return solved.map(|s| {
                let each = self.groups.iter().map(|(a, b)| s.volts[*a] - s.volts[*b]);
                each.fold(NO_RANGE, |r, v| wider(r, [v; 2]))
            });
        }
        let extras = slot.meter.extras();
        let figure = |circuit: &Circuit, s: &Solution| -> Range {
            let value = slot.meter.read(circuit, s).capped(slot.meter.mode);
            let amps = slot.meter.mode == Mode::Amps;
            [slot.scale.to(if amps { value.abs() } else { value }); 2]
        };
        if extras.is_empty() {
            return from_fn(|l| figure(circuits[l], solved[l]));
        }
        let lanes = from_fn(|l| Lane {
            circuit: circuits[l],
            draw: draws[l],
            near: Some(solved[l]),
        });
        let loaded: [Solution; L] =
            Circuit::solve_lanes(lanes, &moment.state, moment.step, &extras);
        from_fn(|l| figure(circuits[l], &loaded[l]))
    }

    /// Some slots of a moment with drawn values.
    fn draw(
        &self,
        moment: &Moment,
        circuit: &Circuit,
        draws: &Draws,
        near: &Solution,
        wanted: &[usize],
    ) -> Vec<Drawn> {
        let circuits = [circuit; LANES];
        let lanes: [&Draw; LANES] = from_fn(|l| &draws.lanes[l]);
        let solved = self.solve(moment, circuits, lanes, [Some(near); LANES]);
        let solved: [&Solution; LANES] = from_fn(|l| &solved[l]);
        wanted
            .iter()
            .map(|s| self.read(moment, &moment.slots[*s], circuits, lanes, solved))
            .collect()
    }

    /// The circuit with a case's effects.
    pub fn circuit_of(&self, effects: &[Effect]) -> Circuit {
        self.circuit.with(self.net, effects, &self.pairs)
    }

    /// Predictions of all probes for the sound vehicle.
    pub fn healthy(&self) -> Vec<Prediction> {
        let mut readings = self.nothing_yet();
        for (moment, sound) in self.moments.iter().zip(&self.sound) {
            for (slot, (y, drawn)) in moment.slots.iter().zip(sound) {
                readings.add(slot.probe, *y, drawn, true);
            }
        }
        (0..self.probes).map(|k| readings.prediction(k)).collect()
    }

    fn nothing_yet(&self) -> Readings {
        Readings {
            nominal: vec![NO_RANGE; self.probes],
            drawn: vec![[NO_RANGE; LANES]; self.probes],
            touched: vec![false; self.probes],
        }
    }

    /// Predictions of all probes for each of some cases; `healthy` from [`Self::healthy`]. The circuits come with them.
    /// What the drawing alone tells of is solved without draws, at a tenth of the time: it spreads as a sound vehicle
    /// does, and by a share of how far it moves a reading.
    pub fn cases(
        &self,
        cases: &[&FaultCase],
        healthy: &[Prediction],
    ) -> Vec<(Circuit, Vec<Prediction>)> {
        let circuits: Vec<Circuit> = cases.iter().map(|c| self.circuit_of(&c.effects)).collect();
        let drawn = |k: usize, _| is_listed(cases[k]);
        let all = self.solve_cases(cases, &circuits, |_| true, drawn);
        let predict = |(one, case): (Option<Readings>, &&FaultCase)| -> Vec<Prediction> {
            let Some(one) = one else {
                return healthy.to_vec();
            };
            let probe = |k: usize| match (one.touched[k], is_listed(case)) {
                (false, _) => healthy[k],
                (true, true) => one.prediction(k),
                (true, false) => one.rough(k, &healthy[k], self.scales[k]),
            };
            (0..self.probes).map(probe).collect()
        };
        let rows: Vec<_> = all.into_iter().zip(cases).map(predict).collect();
        circuits.into_iter().zip(rows).collect()
    }

    /// The same on a vehicle that was changed, given what the cases read before the change: without draws where the
    /// change moves a reading by little.
    pub fn cases_again(
        &self,
        cases: &[&FaultCase],
        healthy: &[Prediction],
        before: &[Vec<Prediction>],
    ) -> Vec<(Circuit, Vec<Prediction>)> {
        let circuits: Vec<Circuit> = cases.iter().map(|c| self.circuit_of(&c.effects)).collect();
        let named = self.solve_cases(cases, &circuits, |_| true, |_, _| false);
        let far = |k: usize, p: usize| {
            let (Some(one), scale) = (&named[k], self.scales[p]) else {
                return false;
            };
            let was = &before[k][p];
            let moved = |d: usize| (one.nominal[p][d] - was.nominal[d]).abs();
            let apart = |d: usize| moved(d) > SHIFTS * scale.instrument(was.nominal[d]);
            is_listed(cases[k]) && one.touched[p] && (apart(0) || apart(1))
        };
        let any_far = |k: usize| (0..self.probes).any(|p| far(k, p));
        let drawn = self.solve_cases(cases, &circuits, any_far, far);
        let predict = |k: usize| -> Vec<Prediction> {
            let Some(named) = &named[k] else {
                return healthy.to_vec();
            };
            let probe = |p: usize| match &drawn[k] {
                _ if !named.touched[p] => healthy[p],
                _ if !is_listed(cases[k]) => named.rough(p, &healthy[p], self.scales[p]),
                Some(drawn) if far(k, p) => drawn.prediction(p),
                _ => before[k][p].shifted(named.nominal[p], self.scales[p]),
            };
            (0..self.probes).map(probe).collect()
        };
        let rows: Vec<_> = (0..cases.len()).map(predict).collect();
        circuits.into_iter().zip(rows).collect()
    }

    /// Readings of some cases, side by side where that is possible; none of cases that are not wanted or touch nothing.
    /// `drawn`: which probes of a case are solved with drawn values.
    fn solve_cases(
        &self,
        cases: &[&FaultCase],
        circuits: &[Circuit],
        wanted: impl Fn(usize) -> bool,
        drawn: impl Fn(usize, usize) -> bool,
    ) -> Vec<Option<Readings>> {
        let bridged = |c: &FaultCase| c.effects.iter().any(|e| matches!(e, Effect::Bridge(..)));
        let mut readings: Vec<Option<Readings>> = cases.iter().map(|_| None).collect();
        let own = |k: &usize| !cases[*k].effects.is_empty() && wanted(*k);
        let (alone, together): (Vec<usize>, Vec<usize>) = (0..cases.len())
            .filter(own)
            .partition(|k| bridged(cases[*k]));
        // a bridge asks for an order of its own
        for k in alone {
            let [one] = self.case_lanes([&circuits[k]], |_, p| drawn(k, p));
            readings[k] = Some(one);
        }
        for chunk in together.chunks(LANES) {
            let last = chunk.len() - 1;
            let lanes: [&Circuit; LANES] = from_fn(|l| &circuits[chunk[l.min(last)]]);
            let solved = self.case_lanes(lanes, |l, p| drawn(chunk[l.min(last)], p));
            for (k, one) in chunk.iter().zip(solved) {
                readings[*k] = Some(one);
            }
        }
        readings
    }

    fn case_lanes<const L: usize>(
        &self,
        circuits: [&Circuit; L],
        with_draws: impl Fn(usize, usize) -> bool,
    ) -> [Readings; L] {
        let named: [Draw; L] = from_fn(|l| circuits[l].draw(&[]));
        let named: [&Draw; L] = from_fn(|l| &named[l]);
        let mut draws: [Option<Draws>; L] = from_fn(|_| None);
        let mut readings: [Readings; L] = from_fn(|_| self.nothing_yet());
        for (moment, sound) in self.moments.iter().zip(&self.sound) {
            let solved = self.solve(moment, circuits, named, [None; L]);
            let solved: [&Solution; L] = from_fn(|l| &solved[l]);
            let mut touched: [Vec<usize>; L] = from_fn(|_| Vec::new());
            for (s, (slot, (base, drawn))) in moment.slots.iter().zip(sound).enumerate() {
                let read = self.read(moment, slot, circuits, named, solved);
                for (l, y) in read.into_iter().enumerate() {
                    let apart = |d: usize| {
                        (y[d] - base[d]).abs() > Scale::STILL * slot.scale.instrument(base[d])
                    };
                    if apart(0) || apart(1) {
                        touched[l].push(s);
                        readings[l].nominal[slot.probe] = wider(readings[l].nominal[slot.probe], y);
                    } else {
                        readings[l].add(slot.probe, *base, drawn, false);
                    }
                }
            }
            for (l, wanted) in touched.iter().enumerate() {
                // lanes that only fill up stand for one that was there before
                let filler = l > 0 && std::ptr::eq(circuits[l], circuits[l - 1]);
                if wanted.is_empty() || filler {
                    continue;
                }
                let probes = wanted.iter().map(|s| moment.slots[*s].probe);
                probes.for_each(|p| readings[l].touched[p] = true);
                let drawn = |s: &usize| with_draws(l, moment.slots[*s].probe);
                let wanted: Vec<usize> = wanted.iter().copied().filter(drawn).collect();
                if wanted.is_empty() {
                    continue;
                }
                let own = self.net.elements.len();
                let values = draws[l].get_or_insert_with(|| Draws::of(circuits[l], own));
                let drawn = self.draw(moment, circuits[l], values, solved[l], &wanted);
                for (s, drawn) in wanted.iter().zip(&drawn) {
                    readings[l].add(moment.slots[*s].probe, NO_RANGE, drawn, true);
                }
            }
        }
        readings
    }
}

impl Readings {
    fn add(&mut self, probe: usize, nominal: Range, drawn: &Drawn, touched: bool) {
        self.nominal[probe] = wider(self.nominal[probe], nominal);
        for (mine, y) in self.drawn[probe].iter_mut().zip(drawn) {
            *mine = wider(*mine, *y);
        }
        self.touched[probe] |= touched;
    }

    /// From the values as named alone: what the pack's voltage does to a reading it does in proportion, and nothing is
    /// as sure as a dead or an open line.
    fn rough(&self, probe: usize, healthy: &Prediction, scale: Scale) -> Prediction {
        let mut p = *healthy;
        for (d, y) in self.nominal[probe].into_iter().enumerate() {
            let sound = healthy.mean[d];
            let moved = (y - sound).abs();
            let in_proportion = if sound.abs() > ANYTHING {
                y / sound
            } else {
                0.0
            };
            p.nominal[d] = y;
            p.mean[d] = y;
            p.slope[d] *= in_proportion;
            p.spread[d] = match scale {
                Scale::Ohms if scale.from(y).is_infinite() => 0.0,
                Scale::Ohms => p.spread[d] + ROUGHLY * moved.min(1.0),
                _ => p.spread[d] * in_proportion.abs().min(1.0) + ROUGHLY * moved.min(y.abs()),
            };
        }
        p
    }

    fn prediction(&self, probe: usize) -> Prediction {
        let (nominal, drawn) = (&self.nominal[probe], &self.drawn[probe]);
        let mut p = Prediction {
            nominal: *nominal,
            ..Prediction::default()
        };
        for d in 0..2 {
            let draws = drawn[..DRAWS].iter().map(|y| y[d]);
            let mean = draws.clone().sum::<f64>() / DRAWS as f64;
            let var = draws.map(|y| (y - mean).powi(2)).sum::<f64>() / (DRAWS - 1) as f64;
            p.mean[d] = mean;
            p.spread[d] = var.sqrt();
            p.slope[d] = (drawn[RAISED][d] - nominal[d]) / PACK_STEP;
        }
        p
    }
}
