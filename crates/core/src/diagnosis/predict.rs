//! What each test reads under each hypothesis: built once per profile, then only looked up.
//!
//! Each figure is predicted from six draws of the component tolerances (a Latin hypercube over
//! normal quantiles, permuted by a hash of the element's name, so that the same vehicle gives the
//! same numbers whatever the order of its elements). The pack's charge is not drawn: how far a
//! figure follows the pack's voltage is kept as a slope, and the charge is a shared unknown of the
//! belief. Where a fault leaves a state's readings untouched at nominal values, the healthy draws
//! stand for it.

use crate::catalogue::{Catalogue, fnv};
use crate::diagnosis::rows::Rows;
use crate::diagnosis::tests::{Kind, Probe, Test, build};
use crate::error::CoreError;
use spannung_circuit::behaviour::Scene;
use spannung_circuit::meter::{Meter, OL_OHMS, Shown};
use spannung_circuit::solve::Solution;
use spannung_circuit::{Circuit, FaultCase, Mode, Netlist, Pair, Profile, VehicleState};
use std::collections::BTreeMap;

/// Draws of component tolerances.
pub const DRAWS: usize = 6;
/// Normal quantiles at (k + ½)/6.
const QUANTILES: [f64; DRAWS] = [
    -1.382_994, -0.674_490, -0.210_428, 0.210_428, 0.674_490, 1.382_994,
];
/// Log step of the pack's voltage used for the slope.
const PACK_STEP: f64 = 0.03;

/// Predicted figure: mean and spread on the test's scale, slope with the log of the pack's voltage.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Prediction {
    /// Mean per dimension (low, high of a sweep).
    pub mean: [f64; 2],
    /// Spread from component tolerances.
    pub spread: [f64; 2],
    /// d(mean)/d(ln pack volts).
    pub slope: [f64; 2],
}

/// A hypothesis.
#[derive(Debug, Clone, PartialEq)]
pub struct Hypothesis {
    /// Key: a case's key, `?class`, `nothing`, `outside`.
    pub key: String,
    /// What it is.
    pub kind: Suspicion,
    /// Index into [`Model::classes`], none for nothing and outside.
    pub class: Option<usize>,
    /// Prior before symptoms and risk factors.
    pub weight: f64,
}

/// Kind of hypothesis.
#[derive(Debug, Clone, PartialEq)]
pub enum Suspicion {
    /// A fault case, index into [`Model::cases`].
    Case(usize),
    /// Something else in a repair class.
    Other,
    /// Nothing wrong.
    Nothing,
    /// Something this drawing does not hold.
    Outside,
}

/// A repair class that has a fault on this vehicle.
#[derive(Debug, Clone, PartialEq)]
pub struct Class {
    /// Id.
    pub id: String,
    /// Name.
    pub name: String,
    /// Act.
    pub act: String,
    /// Segment.
    pub segment: String,
    /// Access code of the place where it is done.
    pub access: String,
    /// Hypotheses of its cases.
    pub members: Vec<usize>,
    /// Mean minutes of its repairs, by prior.
    pub minutes: f64,
    /// Price band of its likeliest member.
    pub band: String,
}

/// Everything worked out for one profile.
#[derive(Debug, Clone)]
pub struct Model {
    /// The vehicle.
    pub profile: Profile,
    /// Its netlist.
    pub net: Netlist,
    /// Fault cases.
    pub cases: Vec<FaultCase>,
    /// Hypotheses: cases, then one per class, then nothing, then outside.
    pub hypotheses: Vec<Hypothesis>,
    /// Repair classes in order of first appearance.
    pub classes: Vec<Class>,
    /// Tests.
    pub tests: Vec<Test>,
    /// Columns, one per test.
    pub columns: Vec<Column>,
    /// Chances of the outcomes of each test under each hypothesis.
    pub rows: Vec<Rows>,
    /// P(symptom | case) by symptom id; index as cases.
    pub symptoms: BTreeMap<String, Vec<f64>>,
    /// Base rate of each symptom among complaints, and its leak and reliability.
    pub symptom_base: BTreeMap<String, (f64, f64, f64)>,
    /// Odds multipliers per case: risk letter → multiplier.
    pub risk: Vec<BTreeMap<String, f64>>,
    /// Population rate per risk letter.
    pub risk_rate: BTreeMap<String, f64>,
    /// Fault cases where table and circuit disagree on a symptom: (case, symptom, table, circuit).
    pub disagreements: Vec<(String, String, f64, bool)>,
}

/// Predictions of one test (or of one point in one state): per case, and healthy.
#[derive(Debug, Clone, PartialEq)]
pub enum Column {
    /// Figures.
    Figures {
        /// Scale.
        scale: Scale,
        /// Dimensions, 1 or 2.
        dims: usize,
        /// Per case.
        cases: Vec<Prediction>,
        /// No fault.
        healthy: Prediction,
        /// Distinct outcome ranges and the chance of each, for choosing.
        bins: Bins,
    },
    /// Categories: P(outcome | case), and healthy.
    Outcomes {
        /// Per case, per outcome.
        cases: Vec<Vec<f64>>,
        /// Healthy.
        healthy: Vec<f64>,
    },
}

/// Outcome ranges of a figure column: chance of each bin under each case and healthy.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Bins {
    /// Cut points of the low dimension (scale units).
    pub cuts: [Vec<f64>; 2],
    /// P(bin | case), row-major over bins (low index × high index).
    pub cases: Vec<Vec<f32>>,
    /// P(bin | healthy).
    pub healthy: Vec<f32>,
}

impl Bins {
    /// Number of bins.
    pub fn count(&self) -> usize {
        (self.cuts[0].len() + 1) * (self.cuts[1].len() + 1)
    }
}

/// How a figure is compared.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Scale {
    /// Volts, diode volts: linear.
    Volts,
    /// Ohms: log10(R + 0.1), OL at the end of the range.
    Ohms,
    /// Four-wire: linear.
    Milliohms,
    /// Amps: linear.
    Amps,
}

impl Scale {
    /// Scale of a meter mode.
    pub fn of(mode: Mode) -> Self {
        match mode {
            Mode::Volts | Mode::Diode => Self::Volts,
            Mode::Ohms => Self::Ohms,
            Mode::Milliohms => Self::Milliohms,
            Mode::Amps => Self::Amps,
        }
    }

    /// From SI to the scale.
    pub fn to(self, value: f64) -> f64 {
        match self {
            Self::Ohms => (value.clamp(0.0, OL_OHMS) + 0.1).log10(),
            Self::Milliohms => value.clamp(-1.0, 10.0),
            Self::Volts | Self::Amps => value.clamp(-200.0, 200.0),
        }
    }

    /// From the scale to SI; the end of the ohm range is infinite.
    pub fn from(self, y: f64) -> f64 {
        match self {
            Self::Ohms => {
                let ohms = 10f64.powf(y) - 0.1;
                if ohms > OL_OHMS * 0.9 {
                    f64::INFINITY
                } else {
                    ohms.max(0.0)
                }
            }
            _ => y,
        }
    }

    /// Instrument deviation (one sigma) at a scale value: volts 3 mV + 1 % below 0.4 V, else
    /// 20 mV + 0.6 %; ohms 30 mΩ + 1.2 % carried to the log; four-wire 0.3 mΩ + 1 %; amps
    /// 5 mA + 2.5 %.
    pub fn instrument(self, y: f64) -> f64 {
        match self {
            Self::Volts => {
                let v = y.abs();
                (0.003 + 0.01 * v).min(0.02 + 0.006 * v)
            }
            Self::Ohms => {
                let ohms = (10f64.powf(y) - 0.1).max(0.0);
                (0.03 + 0.012 * ohms) / ((ohms + 0.1) * std::f64::consts::LN_10) + 0.01
            }
            Self::Milliohms => 0.0003 + 0.01 * y.abs(),
            Self::Amps => 0.005 + 0.025 * y.abs(),
        }
    }

    /// Width of what could be read by mistake.
    pub fn width(self) -> f64 {
        match self {
            Self::Volts => 60.0,
            Self::Ohms => 8.3,
            Self::Milliohms => 0.6,
            Self::Amps => 20.0,
        }
    }
}

struct Built<'a> {
    net: &'a Netlist,
    circuit: Circuit,
    z: Vec<Vec<f64>>,
}

impl<'a> Built<'a> {
    fn new(net: &'a Netlist, circuit: Circuit) -> Self {
        let z = (0..DRAWS)
            .map(|draw| {
                let own = |(k, e): (usize, &spannung_circuit::netlist::Element)| {
                    if e.id.starts_with("group.") {
                        return 0.0;
                    }
                    let name = e.id.bytes().chain((k >= net.elements.len()).then_some(1));
                    QUANTILES[rank(fnv(name), draw)]
                };
                let mut z: Vec<f64> = circuit.elements.iter().enumerate().map(own).collect();
                z.push(QUANTILES[(draw * 5 + 2) % DRAWS]);
                z
            })
            .collect();
        Self { net, circuit, z }
    }

    /// Nominal values with the pack's voltage raised by [`PACK_STEP`].
    fn raised(&self) -> Vec<f64> {
        self.circuit
            .elements
            .iter()
            .map(|e| {
                if e.id.starts_with("group.") {
                    PACK_STEP / e.spread.max(1e-9)
                } else {
                    0.0
                }
            })
            .collect()
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

/// Sign values seen, by sign and the plugs apart.
type Seen = BTreeMap<(String, VehicleState), String>;

/// Tests grouped so that each state and step is solved once.
struct Plan {
    moments: Vec<(VehicleState, u8)>,
    /// per test: (moment index, own solve)
    of: Vec<Vec<usize>>,
}

fn plan(probes: &[(Probe, VehicleState)]) -> Plan {
    let mut moments: Vec<(VehicleState, u8)> = Vec::new();
    let of = probes
        .iter()
        .map(|(probe, state)| {
            let list = probe.moments(state);
            list.into_iter()
                .map(|m| {
                    moments.iter().position(|x| *x == m).unwrap_or_else(|| {
                        moments.push(m);
                        moments.len() - 1
                    })
                })
                .collect()
        })
        .collect();
    Plan { moments, of }
}

fn meter_of(probe: &Probe) -> Meter {
    Meter {
        mode: probe.mode,
        pair: probe.pair.clone(),
        shunt_ohms: probe.shunt_ohms,
        element: probe.element,
    }
}

fn read(
    built: &Built,
    probe: &Probe,
    moments: &[(VehicleState, u8, &Solution)],
    z: &[f64],
) -> [f64; 2] {
    let scale = Scale::of(probe.mode);
    if probe.groups {
        let s = moments[0].2;
        let groups = (1..).map_while(|k| {
            let plus = built.net.find(&format!("C{k}"))?;
            let minus = built.net.find(&format!("C{}", k - 1))?;
            Some(s.volts[plus] - s.volts[minus])
        });
        let (low, high) = groups.fold((f64::MAX, f64::MIN), |(l, h), v| (l.min(v), h.max(v)));
        return [low, high];
    }
    let meter = meter_of(probe);
    let mut low = f64::MAX;
    let mut high = f64::MIN;
    for (state, step, s) in moments {
        let shown: Shown = if meter.own_solve() {
            meter.read_alone(&built.circuit, state, *step, z)
        } else {
            meter.read(&built.circuit, s)
        };
        let mut value = shown.capped(probe.mode);
        if probe.mode == Mode::Amps {
            value = value.abs();
        }
        let y = scale.to(value);
        low = low.min(y);
        high = high.max(y);
    }
    [low, high]
}

/// Predict a set of probes for one circuit. `base` (healthy) lets untouched moments be copied.
fn predict(
    built: &Built,
    probes: &[(Probe, VehicleState)],
    plan: &Plan,
    base: Option<(&[[f64; 2]], &[Prediction])>,
) -> (Vec<[f64; 2]>, Vec<Prediction>) {
    let solve = |z: &[f64], wanted: &[bool]| -> Vec<Option<Solution>> {
        plan.moments
            .iter()
            .zip(wanted)
            .map(|((state, step), w)| w.then(|| built.circuit.solve(state, *step, z, &[])))
            .collect()
    };
    let read_all = |z: &[f64], solved: &[Option<Solution>], wanted: &[bool]| -> Vec<[f64; 2]> {
        probes
            .iter()
            .enumerate()
            .map(|(k, (probe, _))| {
                if !wanted[k] {
                    return [0.0; 2];
                }
                let moments: Vec<_> = plan.of[k]
                    .iter()
                    .filter_map(|m| {
                        let (state, step) = &plan.moments[*m];
                        solved[*m].as_ref().map(|s| (state.clone(), *step, s))
                    })
                    .collect();
                read(built, probe, &moments, z)
            })
            .collect()
    };
    let all = vec![true; plan.moments.len()];
    let nominal_solved = solve(&[], &all);
    let every = vec![true; probes.len()];
    let nominal = read_all(&[], &nominal_solved, &every);
    let touched: Vec<bool> = nominal
        .iter()
        .enumerate()
        .map(|(k, y)| {
            base.is_none_or(|(b, _)| {
                (0..2).any(|d| (y[d] - b[k][d]).abs() > 1e-6 * (1.0 + b[k][d].abs()))
            })
        })
        .collect();
    let mut out: Vec<Prediction> = (0..probes.len())
        .map(|k| base.map_or_else(Prediction::default, |(_, p)| p[k]))
        .collect();
    if touched.iter().any(|t| *t) {
        let mut wanted = vec![false; plan.moments.len()];
        for (k, t) in touched.iter().enumerate() {
            if *t {
                plan.of[k].iter().for_each(|m| wanted[*m] = true);
            }
        }
        let raised_z = built.raised();
        let raised = read_all(&raised_z, &solve(&raised_z, &wanted), &touched);
        let draws: Vec<Vec<[f64; 2]>> = built
            .z
            .iter()
            .map(|z| read_all(z, &solve(z, &wanted), &touched))
            .collect();
        for k in 0..probes.len() {
            if !touched[k] {
                continue;
            }
            let mut p = Prediction::default();
            for d in 0..2 {
                let mean = draws.iter().map(|r| r[k][d]).sum::<f64>() / DRAWS as f64;
                let var = draws.iter().map(|r| (r[k][d] - mean).powi(2)).sum::<f64>()
                    / (DRAWS - 1) as f64;
                p.mean[d] = mean;
                p.spread[d] = var.sqrt();
                p.slope[d] = (raised[k][d] - nominal[k][d]) / PACK_STEP;
            }
            out[k] = p;
        }
    }
    (nominal, out)
}

impl Model {
    /// Work everything out for a profile. Takes about a second on one core.
    ///
    /// # Errors
    /// A profile that does not build, a named probe or fault that does not fit the family.
    pub fn build(catalogue: &Catalogue, profile: &Profile) -> Result<Self, CoreError> {
        let net = profile.netlist()?;
        let mut cases = catalogue.faults.cases(profile, &net)?;
        let group = &profile.family.group;
        cases.retain(|c| catalogue.priors[&c.fault].weight.contains_key(group));
        let tests = build(catalogue, profile, &net)?;
        let rest = VehicleState::default();
        let probes: Vec<(Probe, VehicleState)> = tests
            .iter()
            .filter_map(|t| match &t.kind {
                Kind::Probe(p) => Some((p.clone(), t.state.bring(&rest))),
                Kind::Procedure { .. } => None,
            })
            .collect();
        let pairs: Vec<_> = probes
            .iter()
            .filter_map(|(p, _)| meter_of(p).own_pair())
            .collect();
        let plan = plan(&probes);
        let healthy = Built::new(&net, Circuit::compile(&net, &[], &pairs));
        let (nominal, base) = predict(&healthy, &probes, &plan, None);
        let asked: Vec<(String, VehicleState)> = tests
            .iter()
            .filter_map(|t| match &t.kind {
                Kind::Procedure { sign, .. } => Some((sign.clone(), apart_only(t))),
                Kind::Probe(_) => None,
            })
            .chain(catalogue.symptoms.iter().flat_map(|s| {
                let signs = s.when.keys();
                signs.map(|sign| (sign.clone(), VehicleState::default()))
            }))
            .collect();
        let seen = |circuit: &Circuit,
                    case: Option<&FaultCase>|
         -> BTreeMap<(String, VehicleState), String> {
            let scene = Scene::of(profile, &net, circuit, case);
            let mut out = BTreeMap::new();
            for key in &asked {
                if !out.contains_key(key) {
                    let value = scene.observe(&key.0, &key.1).unwrap_or_else(|| {
                        let spec = catalogue.faults.sign(&key.0);
                        spec.map_or_else(String::new, |s| s.values[0].clone())
                    });
                    out.insert(key.clone(), value);
                }
            }
            out
        };
        let healthy_signs = seen(&healthy.circuit, None);
        // cases are independent of each other: every core takes its share, the order stays
        let one = |case: &FaultCase| -> (Vec<Prediction>, Seen) {
            if case.effects.is_empty() {
                return (base.clone(), seen(&healthy.circuit, Some(case)));
            }
            let circuit = healthy.circuit.with(&net, &case.effects, &pairs);
            let built = Built::new(&net, circuit);
            let row = predict(&built, &probes, &plan, Some((&nominal, &base))).1;
            (row, seen(&built.circuit, Some(case)))
        };
        let cores = std::thread::available_parallelism().map_or(1, usize::from);
        let part = cases.len().div_ceil(cores).max(1);
        let parts: Vec<Vec<(Vec<Prediction>, Seen)>> = std::thread::scope(|scope| {
            let workers: Vec<_> = cases
                .chunks(part)
                .map(|chunk| scope.spawn(|| chunk.iter().map(&one).collect::<Vec<_>>()))
                .collect();
            let join = |w: std::thread::ScopedJoinHandle<'_, _>| {
                w.join()
                    .unwrap_or_else(|panic| std::panic::resume_unwind(panic))
            };
            workers.into_iter().map(join).collect()
        });
        let (rows, signs): (Vec<Vec<Prediction>>, Vec<Seen>) = parts.into_iter().flatten().unzip();
        let mut model = Self {
            profile: profile.clone(),
            net: net.clone(),
            cases,
            hypotheses: Vec::new(),
            classes: Vec::new(),
            tests,
            columns: Vec::new(),
            rows: Vec::new(),
            symptoms: BTreeMap::new(),
            symptom_base: BTreeMap::new(),
            risk: Vec::new(),
            risk_rate: catalogue
                .risks
                .iter()
                .map(|r| (r.id.clone(), r.rate))
                .collect(),
            disagreements: Vec::new(),
        };
        model.hypothesise(catalogue)?;
        let mut k = 0;
        let mut columns = Vec::with_capacity(model.tests.len());
        for test in &model.tests {
            columns.push(match &test.kind {
                Kind::Probe(probe) => {
                    let column: Vec<Prediction> = rows.iter().map(|r| r[k]).collect();
                    let one = figures(probe, column, base[k], &model.cases);
                    k += 1;
                    one
                }
                Kind::Procedure {
                    sign,
                    outcomes,
                    sensitivity,
                    specificity,
                } => {
                    let key = (sign.clone(), apart_only(test));
                    let n = outcomes.len();
                    let at = |value: &str| outcomes.iter().position(|o| o.0 == value).unwrap_or(0);
                    let usual = at(&healthy_signs[&key]);
                    let row =
                        |value: usize| outcome_row(value, usual, n, *sensitivity, *specificity);
                    Column::Outcomes {
                        cases: signs
                            .iter()
                            .zip(&model.cases)
                            .map(|(s, case)| {
                                let mine = row(at(&s[&key]));
                                // a sign the fault names is one its stimulus brings out
                                if case.intermittent && !case.signs.contains_key(sign) {
                                    let usual = row(usual);
                                    mine.iter()
                                        .zip(&usual)
                                        .map(|(m, u)| 0.35 * m + 0.65 * u)
                                        .collect()
                                } else {
                                    mine
                                }
                            })
                            .collect(),
                        healthy: row(usual),
                    }
                }
            });
        }
        let rows = |c| Rows::of(c, &model.hypotheses, &model.classes);
        model.rows = columns.iter().map(rows).collect();
        model.columns = columns;
        let scene = Scene::of(profile, &net, &healthy.circuit, None);
        model.symptomise(catalogue, &signs, &|sign| {
            let computed = catalogue.faults.sign(sign).is_some_and(|s| s.computed);
            !computed || scene.has(sign)
        });
        Ok(model)
    }

    fn hypothesise(&mut self, catalogue: &Catalogue) -> Result<(), CoreError> {
        let mut known = 0.0;
        let mut index: BTreeMap<String, usize> = BTreeMap::new();
        let mut minutes: Vec<(f64, f64)> = Vec::new();
        let mut heaviest: Vec<f64> = Vec::new();
        for (k, case) in self.cases.iter().enumerate() {
            let prior = &catalogue.priors[&case.fault];
            let id = spannung_circuit::fault::fill(&prior.class, &case.x, &self.profile);
            let spec = catalogue.classes.get(&id).ok_or_else(|| CoreError::Entry {
                code: "unknown-class",
                field: "class",
                message: format!(
                    "priors.toml: fault “{}” has no repair class “{id}”",
                    case.key
                ),
            })?;
            let class = *index.entry(id.clone()).or_insert_with(|| {
                self.classes.push(Class {
                    id: id.clone(),
                    name: spec.name.clone(),
                    act: spec.act.clone(),
                    segment: spec.segment.clone(),
                    access: spec.access.clone(),
                    members: Vec::new(),
                    minutes: 0.0,
                    band: String::new(),
                });
                minutes.push((0.0, 0.0));
                heaviest.push(0.0);
                self.classes.len() - 1
            });
            let group = &self.profile.family.group;
            let weight = prior.weight.get(group).copied().unwrap_or(0.0) * case.share;
            known += weight;
            minutes[class].0 += weight * prior.minutes;
            minutes[class].1 += weight;
            if weight > heaviest[class] {
                heaviest[class] = weight;
                self.classes[class].band = prior.band.clone();
            }
            self.classes[class].members.push(k);
            self.risk.push(prior.risk.clone());
            self.hypotheses.push(Hypothesis {
                key: case.key.clone(),
                kind: Suspicion::Case(k),
                class: Some(class),
                weight,
            });
        }
        for (class, (sum, weight)) in self.classes.iter_mut().zip(&minutes) {
            class.minutes = sum / weight.max(1e-12);
        }
        // Known faults 82 %, something else in a class 10 %, nothing wrong 5 %, outside 3 %.
        for h in &mut self.hypotheses {
            h.weight *= 0.82 / known;
        }
        for (k, class) in self.classes.iter().enumerate() {
            self.hypotheses.push(Hypothesis {
                key: format!("?{}", class.id),
                kind: Suspicion::Other,
                class: Some(k),
                weight: 0.10 * minutes[k].1 / known,
            });
        }
        self.hypotheses.push(Hypothesis {
            key: "nothing".into(),
            kind: Suspicion::Nothing,
            class: None,
            weight: 0.05,
        });
        self.hypotheses.push(Hypothesis {
            key: "outside".into(),
            kind: Suspicion::Outside,
            class: None,
            weight: 0.03,
        });
        Ok(())
    }

    /// P(symptom | case): the table's figure, moved by what the circuit shows.
    fn symptomise(&mut self, catalogue: &Catalogue, signs: &[Seen], has: &dyn Fn(&str) -> bool) {
        let rest = VehicleState::default();
        let pedals = self.profile.family.has("pedals");
        let total: f64 = self.hypotheses[..self.cases.len()]
            .iter()
            .map(|h| h.weight)
            .sum();
        for symptom in &catalogue.symptoms {
            if !self.profile.family.fits(&symptom.fits) {
                continue;
            }
            let id = symptom.id.get_ref();
            let mut column = Vec::with_capacity(self.cases.len());
            for (case, seen) in self.cases.iter().zip(signs) {
                let table = &catalogue.priors[&case.fault].symptoms;
                let listed = if id == NO_DRIVE && !pedals {
                    none_of(NO_DRIVE_APART.iter().filter_map(|s| table.get(*s)))
                } else {
                    table.get(id).copied()
                };
                let derived =
                    (!symptom.when.is_empty()).then(|| {
                        symptom.when.iter().filter(|(s, _)| has(s)).all(|(s, v)| {
                            seen.get(&(s.clone(), rest.clone())).is_some_and(|x| x == v)
                        })
                    });
                let p = match (listed, derived) {
                    (Some(p), Some(true)) => p.max(0.8),
                    (Some(p), Some(false)) if case.intermittent => p,
                    (Some(p), Some(false)) => p * 0.6,
                    (Some(p), None) => p,
                    (None, Some(true)) => 0.75,
                    (None, _) => 0.0,
                };
                match (listed, derived) {
                    (Some(p), Some(false)) if p >= 0.5 => {
                        self.disagreements
                            .push((case.key.clone(), id.clone(), p, false));
                    }
                    (None, Some(true)) => {
                        self.disagreements
                            .push((case.key.clone(), id.clone(), 0.0, true));
                    }
                    _ => {}
                }
                column.push(1.0 - (1.0 - symptom.leak) * (1.0 - p));
            }
            let base = column
                .iter()
                .zip(&self.hypotheses)
                .map(|(p, h)| p * h.weight)
                .sum::<f64>()
                / total;
            self.symptom_base
                .insert(id.clone(), (base, symptom.leak, symptom.reliability));
            self.symptoms.insert(id.clone(), column);
        }
    }

    /// Predict one probe in another state than its own, for a reading taken as the vehicle stood.
    pub fn column_in(&self, test: usize, state: &VehicleState) -> Option<Column> {
        let Kind::Probe(probe) = &self.tests[test].kind else {
            return None;
        };
        let probes = [(probe.clone(), state.clone())];
        let plan = plan(&probes);
        let pairs: Vec<_> = meter_of(probe).own_pair().into_iter().collect();
        let healthy = Built::new(&self.net, Circuit::compile(&self.net, &[], &pairs));
        let (nominal, base) = predict(&healthy, &probes, &plan, None);
        let cases = self
            .cases
            .iter()
            .map(|case| {
                if case.effects.is_empty() {
                    return base[0];
                }
                let circuit = healthy.circuit.with(&self.net, &case.effects, &pairs);
                predict(
                    &Built::new(&self.net, circuit),
                    &probes,
                    &plan,
                    Some((&nominal, &base)),
                )
                .1[0]
            })
            .collect();
        Some(figures(probe, cases, base[0], &self.cases))
    }

    /// What a healthy vehicle of this profile shows between two points in a state, on the scale.
    pub fn healthy_in(&self, circuit: &Circuit, probe: &Probe, state: &VehicleState) -> [f64; 2] {
        let built = Built {
            net: &self.net,
            circuit: circuit.clone(),
            z: Vec::new(),
        };
        let moments = probe.moments(state);
        let solved: Vec<Solution> = moments
            .iter()
            .map(|(s, step)| circuit.solve(s, *step, &[], &[]))
            .collect();
        let list: Vec<_> = moments
            .iter()
            .zip(&solved)
            .map(|((state, step), s)| (state.clone(), *step, s))
            .collect();
        read(&built, probe, &list, &[])
    }

    /// A healthy circuit of this profile that knows the given pairs.
    pub fn healthy_circuit(&self, pairs: &[Pair]) -> Circuit {
        let pairs: Vec<_> = pairs.iter().map(|p| (p.red, p.black)).collect();
        Circuit::compile(&self.net, &[], &pairs)
    }

    /// Index of a class by id.
    pub fn class(&self, id: &str) -> Option<usize> {
        self.classes.iter().position(|c| c.id == id)
    }
}

/// “Lights up, no drive”. Where nobody can pedal, a dead throttle and a dead pedal assist are told in these words
/// as well.
const NO_DRIVE: &str = "S02";
const NO_DRIVE_APART: [&str; 3] = ["S02", "S03", "S04"];

/// Noisy-or of chances; none when there is none.
fn none_of<'a>(chances: impl Iterator<Item = &'a f64>) -> Option<f64> {
    let none = chances.fold(None, |n: Option<f64>, p| Some(n.unwrap_or(1.0) * (1.0 - p)));
    none.map(|n| 1.0 - n)
}

fn apart_only(test: &Test) -> VehicleState {
    VehicleState {
        apart: test.state.apart.clone(),
        ..VehicleState::default()
    }
}

/// Chances of the outcomes of a procedure when `value` is there.
fn outcome_row(
    value: usize,
    usual: usize,
    n: usize,
    sensitivity: f64,
    specificity: f64,
) -> Vec<f64> {
    let smooth = 0.01;
    let mut row = vec![0.0; n];
    if value == usual {
        row[usual] = specificity;
        let others = (n - 1).max(1) as f64;
        for (k, p) in row.iter_mut().enumerate() {
            if k != usual {
                *p = (1.0 - specificity) / others;
            }
        }
    } else {
        let others = n.saturating_sub(2).max(1) as f64;
        let missed = if n > 2 { 0.7 } else { 1.0 };
        for (k, p) in row.iter_mut().enumerate() {
            *p = if k == value {
                sensitivity
            } else if k == usual {
                (1.0 - sensitivity) * missed
            } else {
                (1.0 - sensitivity) * (1.0 - missed) / others
            };
        }
    }
    row.iter()
        .map(|p| (1.0 - smooth) * p + smooth / n as f64)
        .collect()
}

/// Deviations, in those of the usual and the healthy prediction, above which a prediction does not decide
/// where outcomes are told apart: one after the other, the widest first.
const WIDE: [f64; 4] = [100.0, 30.0, 10.0, 3.0];

/// A gap between two neighbouring predictions, and where to cut it.
struct Gap {
    from: f64,
    to: f64,
    cut: f64,
}

/// How far towards zero a figure reaches at most, as a share of itself: two deviations of a resistance that is known
/// to a factor (log-normal) do not carry it to nothing.
const TOWARDS_ZERO: f64 = 0.75;

/// Gaps between sorted predictions (mean, deviation) that differ by more than twice the sum of their
/// deviations. The cut stands where both neighbours are equally far in their own deviations. `linear` tells whether
/// zero of the scale is zero of the figure.
fn gaps_between(points: &[(f64, f64)], linear: bool) -> Vec<Gap> {
    let reach = |p: (f64, f64), inward: bool| {
        if linear && inward {
            (2.0 * p.1).min(TOWARDS_ZERO * p.0.abs())
        } else {
            2.0 * p.1
        }
    };
    points
        .windows(2)
        .filter_map(|w| {
            let (low, high) = (w[0], w[1]);
            let (up, down) = (reach(low, low.0 < 0.0), reach(high, high.0 > 0.0));
            let between = high.0 - low.0;
            (between > up + down && between > 0.0).then(|| Gap {
                from: low.0,
                to: high.0,
                cut: low.0 + up / (up + down).max(1e-12) * between,
            })
        })
        .collect()
}

/// Make a figure column with its bins: sort the predicted means, cut where neighbours differ by more
/// than twice the sum of their deviations, at most ten bins (finer ones chase noise).
fn figures(
    probe: &Probe,
    cases: Vec<Prediction>,
    healthy: Prediction,
    specs: &[FaultCase],
) -> Column {
    let scale = Scale::of(probe.mode);
    let dims = probe.dims();
    let sigma = |p: &Prediction, d: usize| -> f64 {
        let pack = 0.015 * p.slope[d];
        (p.spread[d].powi(2) * 7.0 / 6.0 + scale.instrument(p.mean[d]).powi(2) + pack * pack).sqrt()
    };
    let mut cuts: [Vec<f64>; 2] = [Vec::new(), Vec::new()];
    let most = if dims == 1 { 10 } else { 4 };
    for (d, cut) in cuts.iter_mut().enumerate().take(dims) {
        let mut points: Vec<(f64, f64)> = cases
            .iter()
            .chain(std::iter::once(&healthy))
            .map(|p| (p.mean[d], sigma(p, d)))
            .collect();
        points.sort_by(|a, b| a.0.total_cmp(&b.0));
        let linear = scale != Scale::Ohms;
        let mut gaps = gaps_between(&points, linear);
        // A fault whose own value is uncertain (a bad contact of any ohms) can lie across a gap and hide it:
        // without it 0 V and 5 V would be one outcome. Its chances are spread over the bins all the same.
        let mut sigmas: Vec<f64> = points.iter().map(|p| p.1).collect();
        sigmas.sort_by(f64::total_cmp);
        let usual = sigmas[sigmas.len() / 2].max(sigma(&healthy, d));
        for wide in WIDE {
            points.retain(|p| p.1 <= wide * usual);
            for hidden in gaps_between(&points, linear) {
                if !gaps
                    .iter()
                    .any(|g| (hidden.from..hidden.to).contains(&g.cut))
                {
                    gaps.push(hidden);
                }
            }
        }
        gaps.sort_by(|a, b| (b.to - b.from).total_cmp(&(a.to - a.from)));
        gaps.truncate(most - 1);
        *cut = gaps.iter().map(|g| g.cut).collect();
        cut.sort_by(f64::total_cmp);
    }
    let chance = |p: &Prediction| -> Vec<f64> {
        let one = |d: usize| -> Vec<f64> {
            let s = sigma(p, d);
            let mut last = 0.0;
            let mut out: Vec<f64> = cuts[d]
                .iter()
                .map(|c| {
                    let below = normal_below((c - p.mean[d]) / s);
                    let share = below - last;
                    last = below;
                    share.max(0.0)
                })
                .collect();
            out.push((1.0 - last).max(0.0));
            out
        };
        let low = one(0);
        if dims == 1 {
            return low;
        }
        let high = one(1);
        low.iter()
            .flat_map(|a| high.iter().map(move |b| a * b))
            .collect()
    };
    let healthy_row = chance(&healthy);
    let n = healthy_row.len() as f64;
    let noise = |row: Vec<f64>| -> Vec<f32> {
        row.iter()
            .map(|p| ((1.0 - 0.03) * p + 0.03 / n) as f32)
            .collect()
    };
    let rows = cases
        .iter()
        .zip(specs)
        .map(|(p, spec)| {
            let mut row = chance(p);
            if spec.intermittent {
                for (r, h) in row.iter_mut().zip(&healthy_row) {
                    *r = 0.35 * *r + 0.65 * h;
                }
            }
            noise(row)
        })
        .collect();
    Column::Figures {
        scale,
        dims,
        cases,
        healthy,
        bins: Bins {
            cuts,
            cases: rows,
            healthy: noise(healthy_row),
        },
    }
}

/// Standard normal distribution function.
fn normal_below(x: f64) -> f64 {
    0.5 * libm::erfc(-x / std::f64::consts::SQRT_2)
}
