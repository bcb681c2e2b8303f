//! What each test reads under each hypothesis: built once per profile, then only looked up.
//!
//! [`forward`](super::forward) solves the circuits, [`bins`](super::bins) cuts figures into outcomes; here they become
//! hypotheses with their weights, a column per test, and the chances of the symptoms.

use crate::catalogue::Catalogue;
use crate::diagnosis::bins::{Bins, figures};
use crate::diagnosis::forward::Forward;
use crate::diagnosis::rows::Rows;
use crate::diagnosis::tests::{Kind, Probe, Test, build};
use crate::error::CoreError;
use spannung_circuit::behaviour::Scene;
use spannung_circuit::meter::OL_OHMS;
use spannung_circuit::{Circuit, FaultCase, Mode, Netlist, Pair, Profile, VehicleState};
use std::collections::BTreeMap;

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

/// Sign values seen, by sign and the plugs apart.
type Seen = BTreeMap<(String, VehicleState), String>;

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
        let forward = Forward::new(&net, &probes);
        let base = forward.healthy();
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
        let healthy_signs = seen(&forward.circuit, None);
        // cases are independent of each other: every core takes its share, the order stays
        let some = |cases: &[FaultCase]| -> Vec<(Vec<Prediction>, Seen)> {
            let each: Vec<&FaultCase> = cases.iter().collect();
            let predicted = forward.cases(&each, &base).into_iter().zip(cases);
            predicted
                .map(|((circuit, row), case)| (row, seen(&circuit, Some(case))))
                .collect()
        };
        let cores = std::thread::available_parallelism().map_or(1, usize::from);
        let part = cases.len().div_ceil(cores).max(1);
        let parts: Vec<Vec<(Vec<Prediction>, Seen)>> = std::thread::scope(|scope| {
            let workers: Vec<_> = cases
                .chunks(part)
                .map(|chunk| scope.spawn(|| some(chunk)))
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
        let scene = Scene::of(profile, &net, &forward.circuit, None);
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
        let forward = Forward::new(&self.net, &[(probe.clone(), state.clone())]);
        let base = forward.healthy();
        let each: Vec<&FaultCase> = self.cases.iter().collect();
        let predicted = forward.cases(&each, &base);
        let cases = predicted.into_iter().map(|(_, row)| row[0]).collect();
        Some(figures(probe, cases, base[0], &self.cases))
    }

    /// What a healthy vehicle of this profile shows at a probe in a state, on the scale.
    pub fn healthy_in(&self, circuit: &Circuit, probe: &Probe, state: &VehicleState) -> [f64; 2] {
        let (meter, scale) = (probe.meter(), Scale::of(probe.mode));
        let draw = circuit.draw(&[]);
        let mut range = [f64::MAX, f64::MIN];
        for (state, step) in probe.moments(state) {
            let shown = meter.measure(circuit, &state, step, &draw);
            let y = scale.to(shown.capped(probe.mode));
            range = [range[0].min(y), range[1].max(y)];
        }
        range
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
