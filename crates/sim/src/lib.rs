//! The simulated vehicle: plays the outside world for tests and practice. The program puts one beside the bench with a
//! [`meter`] on TCP and a [`panel`] for hands and eyes.
//!
//! It shares the circuit graph and the solver with the product, and nothing else: its component
//! values, instrument noise, misplaced tips, fault frequencies and the words of its owner are its
//! own, and the diagnosis never sees its true state.

pub mod builds;
pub mod complaint;
pub mod design;
pub mod draw;
pub mod frequency;
pub mod meter;
pub mod panel;
pub mod world;

use rand::{Rng, RngExt, SeedableRng};
use rand_chacha::ChaCha8Rng;
use spannung_circuit::behaviour::Scene;
use spannung_circuit::meter::{Meter, OL_OHMS};
use spannung_circuit::netlist::Part;
use std::collections::BTreeMap;

use spannung_circuit::{Circuit, FaultCase, Mode, Netlist, Pair, Profile, VehicleState};

/// What the display of the instrument showed, SI; OL is infinite.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Display {
    /// Lowest figure seen.
    pub low: f64,
    /// Highest figure seen.
    pub high: f64,
}

/// How the simulated technician and instruments err.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Errors {
    /// Share of readings taken at a wrong place.
    pub misprobe: f64,
    /// Share of looks at a faulty thing that miss it.
    pub missed: f64,
    /// Share of looks at a sound thing that see something.
    pub imagined: f64,
}

impl Default for Errors {
    fn default() -> Self {
        Self {
            misprobe: 0.05,
            missed: 0.10,
            imagined: 0.04,
        }
    }
}

/// Where a vehicle's component values come from.
#[derive(Debug, Clone, PartialEq)]
pub enum Values {
    /// As its family's maker has them.
    Own,
    /// As another maker chose them: whole groups differ together and far. With what is seen on it whatever the circuit
    /// says.
    Another(BTreeMap<String, String>),
}

/// How far another maker's choice lies from the family's, log deviations that a whole group shares.
#[derive(Debug)]
struct Choice {
    winding: f64,
    pull_up: f64,
    wire: f64,
    rail: f64,
    idle: f64,
    supply: f64,
    throttle: f64,
    data: f64,
    insulation: f64,
}

impl Choice {
    fn draw(rng: &mut impl Rng) -> Self {
        let mut some = |sigma: f64| sigma * normal(rng);
        Self {
            winding: some(0.28),
            pull_up: some(0.6),
            wire: some(0.45),
            rail: some(0.02),
            idle: some(0.65),
            supply: some(0.5),
            throttle: some(0.05),
            data: some(0.10),
            insulation: some(1.0),
        }
    }

    /// Log deviation of a part, and that of a single piece.
    fn of(&self, id: &str, part: &Part) -> (f64, f64) {
        let has = |word: &str| id.contains(word);
        match part {
            Part::Source { .. } => (0.0, 0.002),
            Part::Resistor { .. } if has("frame") => (self.insulation, 0.3),
            Part::Resistor { .. } if has("winding") || has("armature") || has("brush") => {
                (self.winding, 0.01)
            }
            Part::Resistor { .. } if has("pull") => (self.pull_up, 0.03),
            Part::Resistor { .. } if has("supply") => (self.supply, 0.15),
            Part::Resistor { .. } if has("load") || has("bleed") || has("coil") => (self.idle, 0.1),
            Part::Resistor { ohms } if *ohms < 1.0 => (self.wire, 0.2),
            Part::Resistor { .. } => (0.0, 0.12),
            Part::Regulator { .. } if has("rail") => (self.rail, 0.005),
            Part::Ratio { .. } if has("throttle") => (self.throttle, 0.01),
            Part::Ratio { .. } if has("data") => (self.data, 0.02),
            Part::Ratio { .. } => (0.0, 0.002),
            Part::Regulator { .. } | Part::Diode { .. } => (0.0, 0.03),
            Part::Switch { .. } | Part::Relay { .. } | Part::OpenCollector { .. } => (0.0, 0.3),
        }
    }
}

/// A vehicle with its own component values and none, one or two faults.
#[derive(Debug, Clone)]
pub struct Vehicle {
    profile: Profile,
    net: Netlist,
    cases: Vec<FaultCase>,
    pairs: Vec<(usize, usize)>,
    /// By the faults that show at the moment, as bits.
    circuits: Vec<Circuit>,
    signs: Vec<BTreeMap<String, String>>,
    /// What is seen on it whatever the circuit says, with no fault.
    base: BTreeMap<String, String>,
    z: Vec<f64>,
    errors: Errors,
    rng: ChaCha8Rng,
}

/// How often somebody who sees what is there says another plug.
const TAKEN_FOR_ANOTHER: f64 = 0.07;

/// One standard normal draw (sum of twelve uniforms: tails end at six sigma, as real parts' do).
fn normal(rng: &mut impl Rng) -> f64 {
    (0..12).map(|_| rng.random::<f64>()).sum::<f64>() - 6.0
}

impl Vehicle {
    /// Make a vehicle. `pairs` are the probe pairs that put a load or a current on the circuit.
    pub fn new(
        profile: &Profile,
        net: &Netlist,
        cases: Vec<FaultCase>,
        pairs: &[(usize, usize)],
        errors: Errors,
        seed: u64,
    ) -> Self {
        Self::with(profile, net, cases, pairs, errors, seed, Values::Own)
    }

    /// As [`Self::new`], with values from elsewhere.
    #[allow(clippy::too_many_arguments)] // what a vehicle is made of
    pub fn with(
        profile: &Profile,
        net: &Netlist,
        cases: Vec<FaultCase>,
        pairs: &[(usize, usize)],
        errors: Errors,
        seed: u64,
        values: Values,
    ) -> Self {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let all: Vec<_> = cases.iter().flat_map(|c| c.effects.clone()).collect();
        let most = Circuit::compile(net, &all, pairs);
        // volts per group anywhere between a fifth and full, each group within a few millivolts; a lead
        // block has six cells
        let (charge, apart, of) = if profile.family.has("lead") {
            (rng.random_range(12.05..12.75), 0.02, 12.6)
        } else {
            (rng.random_range(3.60..4.08), 0.004, 3.85)
        };
        // a small block has three cells, iron phosphate rests lower
        let cells = profile.family.cells.rest_volts / of;
        let (charge, apart) = (charge * cells, apart * cells);
        let winding = 0.10 * normal(&mut rng);
        let choice = match &values {
            Values::Own => None,
            Values::Another(_) => Some(Choice::draw(&mut rng)),
        };
        let z = most
            .elements
            .iter()
            .map(|e| {
                let draw = normal(&mut rng);
                let deviation = match &e.part {
                    Part::Source { volts, .. } if e.id.starts_with("group.") => {
                        ((charge + apart * draw) / volts).ln()
                    }
                    // the second pack was used and charged beside the first, not with it
                    Part::Source { .. } if e.id == "other-pack" => {
                        (charge / (of * cells)).ln() + 0.015 * draw
                    }
                    part if let Some(choice) = &choice => {
                        let (all, own) = choice.of(&e.id, part);
                        all + own * draw
                    }
                    Part::Source { .. } => 0.002 * draw,
                    Part::Resistor { .. }
                        if e.id.starts_with("winding-") && !e.id.ends_with("frame") =>
                    {
                        winding + 0.008 * draw
                    }
                    Part::Resistor { ohms } if *ohms < 1.0 => 0.22 * draw,
                    Part::Resistor { ohms } if *ohms > 1e6 => 0.5 * draw,
                    Part::Resistor { .. } => 0.06 * draw,
                    Part::Regulator { .. } => 0.02 * draw,
                    Part::Ratio { .. } if e.id.ends_with("-pull") => 0.002 * draw,
                    Part::Ratio { .. } => 0.03 * draw,
                    Part::Diode { .. } => 0.03 * draw,
                    Part::Switch { .. } | Part::Relay { .. } | Part::OpenCollector { .. } => {
                        0.25 * draw
                    }
                };
                // the circuit multiplies by exp(spread · z)
                if e.spread > 0.0 {
                    deviation / e.spread
                } else {
                    0.0
                }
            })
            .chain(std::iter::once(0.0))
            .collect::<Vec<_>>();
        let mut vehicle = Self {
            profile: profile.clone(),
            net: net.clone(),
            cases: Vec::new(),
            pairs: pairs.to_vec(),
            circuits: Vec::new(),
            signs: Vec::new(),
            base: match values {
                Values::Own => BTreeMap::new(),
                Values::Another(signs) => signs,
            },
            z,
            errors,
            rng,
        };
        let last = vehicle.z.len() - 1;
        vehicle.z[last] = normal(&mut vehicle.rng);
        vehicle.have(cases);
        vehicle
    }

    /// These faults from now on.
    fn have(&mut self, cases: Vec<FaultCase>) {
        let shown = |bits: usize| {
            let on = |k: &usize| bits & (1 << k) != 0;
            (0..cases.len()).filter(on).collect::<Vec<_>>()
        };
        let subsets: Vec<Vec<usize>> = (0..1 << cases.len()).map(shown).collect();
        self.circuits = subsets
            .iter()
            .map(|s| {
                let effects: Vec<_> = s.iter().flat_map(|k| cases[*k].effects.clone()).collect();
                Circuit::compile(&self.net, &effects, &self.pairs)
            })
            .collect();
        // of two faults that name a sign, the first is what one sees
        self.signs = subsets
            .iter()
            .map(|s| {
                let all = s.iter().rev().flat_map(|k| cases[*k].signs.clone());
                self.base.clone().into_iter().chain(all).collect()
            })
            .collect();
        self.cases = cases;
    }

    /// Its points and parts by name.
    pub fn net(&self) -> &Netlist {
        &self.net
    }

    /// The faults it hides, for the score only.
    pub fn truth(&self) -> &[FaultCase] {
        &self.cases
    }

    /// A repair: the faults that it cures are gone.
    pub fn mend(&mut self, cures: impl Fn(&FaultCase) -> bool) {
        let left = self.cases.iter().filter(|c| !cures(c)).cloned().collect();
        self.have(left);
    }

    /// Which faults show at this moment, as bits: an intermittent one does in three of ten looks; one that names the
    /// sign looked for shows it when its stimulus is there.
    fn showing(&mut self, sign: Option<&str>) -> usize {
        let mut bits = 0;
        for (k, case) in self.cases.iter().enumerate() {
            let named = sign.is_some_and(|s| case.signs.contains_key(s));
            if !case.intermittent || named || self.rng.random::<f64>() < 0.3 {
                bits |= 1 << k;
            }
        }
        bits
    }

    /// Measure: the moments are solved one by one and the display shows lowest and highest.
    pub fn measure(
        &mut self,
        mode: Mode,
        pair: &Pair,
        shunt_ohms: Option<f64>,
        element: Option<usize>,
        moments: &[(VehicleState, u8)],
    ) -> Display {
        let mut pair = pair.clone();
        if self.rng.random::<f64>() < self.errors.misprobe && mode != Mode::Amps {
            if self.rng.random::<bool>() {
                let nothing = match mode {
                    Mode::Volts => 0.0,
                    _ => f64::INFINITY,
                };
                return Display {
                    low: nothing,
                    high: nothing,
                };
            }
            if shunt_ohms.is_none() && mode != Mode::Diode {
                pair.red = self.rng.random_range(0..self.net.nodes.len());
            }
        }
        let meter = Meter {
            mode,
            pair,
            shunt_ohms,
            element,
        };
        let showing = self.showing(None);
        let circuit = &self.circuits[showing];
        let mut low = f64::MAX;
        let mut high = f64::MIN;
        let draw = circuit.draw(&self.z);
        for (state, step) in moments {
            let value = match meter.measure(circuit, state, *step, &draw) {
                spannung_circuit::meter::Shown::OverRange => f64::INFINITY,
                spannung_circuit::meter::Shown::Value(v) => v,
            };
            low = low.min(value);
            high = high.max(value);
        }
        Display {
            low: self.noisy(mode, low),
            high: self.noisy(mode, high),
        }
    }

    /// Lowest and highest group voltage.
    pub fn groups(&mut self, state: &VehicleState) -> Display {
        let all = &self.circuits[self.circuits.len() - 1];
        let s = all.solve(state, 0, &self.z, &[]);
        let mut low = f64::MAX;
        let mut high = f64::MIN;
        for k in 1..=self.profile.family.cells.groups {
            let (Some(a), Some(b)) = (
                self.net.find(&format!("C{k}")),
                self.net.find(&format!("C{}", k - 1)),
            ) else {
                continue;
            };
            let v = s.volts[a] - s.volts[b];
            low = low.min(v);
            high = high.max(v);
        }
        Display {
            low: self.noisy(Mode::Volts, low),
            high: self.noisy(Mode::Volts, high),
        }
    }

    fn noisy(&mut self, mode: Mode, value: f64) -> f64 {
        if value.is_infinite() {
            return value;
        }
        let n = normal(&mut self.rng);
        let v = match mode {
            Mode::Volts if value.abs() < 0.4 => value + n * (0.001 + 0.004 * value.abs()),
            Mode::Volts => value * (1.0 + 0.003 * n) + 0.005 * n,
            Mode::Diode => value * (1.0 + 0.006 * n),
            Mode::Ohms => (value * (1.0 + 0.008 * n) + 0.015 * n.abs()).max(0.0),
            Mode::Milliohms => (value * (1.0 + 0.005 * n) + 0.000_15 * n).max(0.0),
            Mode::Amps => (value * (1.0 + 0.015 * n)).abs() + 0.002 * n.abs(),
        };
        if mode == Mode::Ohms && v > OL_OHMS {
            f64::INFINITY
        } else {
            v
        }
    }

    fn scene<'a>(&'a self, circuit: usize, signs: &'a BTreeMap<String, String>) -> Scene<'a> {
        Scene::drawn(
            &self.profile,
            &self.net,
            &self.circuits[circuit],
            &self.z,
            signs,
        )
    }

    /// Where a value of a sign is seen, of some places: a plug is now and then taken for another, and what is imagined, or sits
    /// at none of them, is said of any.
    pub fn where_seen(&mut self, sign: &str, value: &str, places: &[String]) -> Option<usize> {
        if places.is_empty() {
            return None;
        }
        let shows = |c: &&FaultCase| c.signs.get(sign).is_some_and(|v| v == value);
        let real = self.cases.iter().find(shows);
        let strand = real.and_then(|c| c.strand.clone());
        let there = places.iter().position(|p| Some(p) == strand.as_ref());
        let taken_for_another = self.rng.random::<f64>() < TAKEN_FOR_ANOTHER;
        let anywhere = self.rng.random_range(0..places.len());
        Some(there.filter(|_| !taken_for_another).unwrap_or(anywhere))
    }

    /// Look, feel or try: index of the value that the person reports.
    pub fn look(&mut self, sign: &str, values: &[String], state: &VehicleState) -> usize {
        let showing = self.showing(Some(sign));
        let scene = self.scene(showing, &self.signs[showing]);
        let healthy = self.scene(0, &self.base);
        let at = |seen: Option<String>| {
            seen.and_then(|s| values.iter().position(|v| *v == s))
                .unwrap_or(0)
        };
        let value = at(scene.observe(sign, state));
        let usual = at(healthy.observe(sign, state));
        let roll: f64 = self.rng.random();
        if value == usual && roll < self.errors.imagined {
            let other = self.rng.random_range(0..values.len());
            return other;
        }
        if value != usual && roll < self.errors.missed {
            return usual;
        }
        value
    }

    /// What the owner says: symptom ids, most telling first.
    pub fn complaint(&mut self) -> Vec<String> {
        let all = self.circuits.len() - 1;
        let scene = self.scene(all, &self.signs[all]);
        let intermittent = !self.cases.is_empty() && self.cases.iter().all(|c| c.intermittent);
        complaint::tell(&scene, intermittent, &self.circuits[all], &self.z)
    }
}
