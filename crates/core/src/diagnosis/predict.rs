//! What each test reads under each hypothesis: built once per profile, then only looked up.
//!
//! [`forward`](super::forward) solves the circuits, [`bins`](super::bins) cuts figures into outcomes; here they become
//! hypotheses with their weights, a column per test, and the chances of the symptoms.

use crate::catalogue::Catalogue;
use crate::diagnosis::bins::{Bins, figures};
use crate::diagnosis::forward::Forward;
use crate::diagnosis::kept::Kept;
use crate::diagnosis::pairs::Pairs;
use crate::diagnosis::repertoire::{Kind, Probe, Test, build};
use crate::diagnosis::rows::Rows;
use crate::diagnosis::signs::{Asked, Seen, outcome_rows};
use crate::diagnosis::solved::Vehicle;
use crate::diagnosis::unknown::Near;
use crate::diagnosis::unlisted::{Known, UNLISTED, unlisted};
use crate::error::{Code, CoreError};
use spannung_circuit::behaviour::Scene;
use spannung_circuit::meter::OL_OHMS;
use spannung_circuit::{Circuit, FaultCase, Mode, Netlist, Pair, Profile, VehicleState};
use std::collections::BTreeMap;
use std::sync::Arc;

/// Predicted figure: mean and spread on the test's scale, slope with the log of the pack's voltage.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Prediction {
    /// With all values as named, per dimension (low, high of a sweep).
    pub nominal: [f64; 2],
    /// Mean per dimension.
    pub mean: [f64; 2],
    /// Spread from component tolerances.
    pub spread: [f64; 2],
    /// d(mean)/d(ln pack volts).
    pub slope: [f64; 2],
}

impl Prediction {
    /// What a change of the vehicle that moves the nominal value leaves of it: the rest moves along, in proportion on a
    /// scale with a zero.
    pub(super) fn shifted(mut self, nominal: [f64; 2], scale: Scale) -> Self {
        for (d, now) in nominal.into_iter().enumerate() {
            let was = self.nominal[d];
            let proportion = match scale {
                Scale::Ohms => 1.0,
                _ if was.abs() < 1e-6 => 1.0,
                _ => (now / was).abs().min(2.0),
            };
            self.mean[d] = now + (self.mean[d] - was) * proportion;
            self.spread[d] *= proportion;
            self.slope[d] *= proportion;
        }
        self.nominal = nominal;
        self
    }
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
    /// Fault cases: those of the catalogue, then what the drawing alone tells of.
    pub cases: Vec<FaultCase>,
    /// How many of the cases stand in the catalogue.
    pub listed: usize,
    /// Hypotheses: cases, then one per class, then nothing, then outside.
    pub hypotheses: Vec<Hypothesis>,
    /// Repair classes in order of first appearance.
    pub classes: Vec<Class>,
    /// Which known faults are near a class.
    pub near: Near,
    /// Tests.
    pub tests: Vec<Test>,
    /// Columns, one per test.
    pub columns: Vec<Arc<Column>>,
    /// Chances of the outcomes of each test under each hypothesis.
    pub rows: Vec<Arc<Rows>>,
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
    /// Signs that are asked about.
    pub(super) asked: Asked,
    /// What is seen of them in each case.
    pub(super) signs: Vec<Seen>,
    /// What is seen on a sound vehicle.
    pub(super) sound: Seen,
    /// What two faults at once read, as far as it was asked for.
    pub(super) pairs: Arc<Pairs>,
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

impl Column {
    /// About how many bytes it takes up.
    fn bytes(&self) -> usize {
        match self {
            Self::Figures { cases, bins, .. } => {
                let rows: usize = bins.cases.iter().map(|r| 24 + 4 * r.len()).sum();
                cases.len() * size_of::<Prediction>() + rows
            }
            Self::Outcomes { cases, .. } => cases.iter().map(|r| 24 + 8 * r.len()).sum(),
        }
    }
}

impl Model {
    /// About how many bytes it takes up. What it shares with the model it was edited from counts in both.
    pub fn bytes(&self) -> usize {
        let columns: usize = self.columns.iter().map(|c| c.bytes()).sum();
        // rows of chances, symptoms and signs go with the number of cases
        let rows: usize = self.rows.iter().map(|r| r.bytes()).sum();
        columns + rows + self.cases.len() * (self.symptoms.len() * 8 + 400)
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

    /// A fault or a change that moves a reading by less than this share of the instrument's own deviation leaves it as
    /// it was.
    pub const STILL: f64 = 0.02;

    /// Do two predictions read the same?
    pub(super) fn same(self, a: &Prediction, b: &Prediction) -> bool {
        (0..2).all(|d| {
            let still = Self::STILL * self.instrument(a.mean[d]);
            (a.mean[d] - b.mean[d]).abs() <= still
                && (a.slope[d] - b.slope[d]).abs() * 0.05 <= still
        })
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

impl Model {
    /// Work everything out for a profile: 0.1 to 1.5 s on one core.
    ///
    /// # Errors
    /// A profile that does not build, a named probe or fault that does not fit the family.
    pub fn build(catalogue: &Catalogue, profile: &Profile) -> Result<Self, CoreError> {
        Self::work_out(catalogue, profile, None, None)
    }

    /// Work it out for a vehicle of which one thing more is known. When only signal wires and their pull-ups differ,
    /// what the change does not move is taken from here: a reading whose sound value stays is taken not to move under the
    /// faults either, but for those on or beside what changed. What it moves is solved with the values as named, and with
    /// drawn ones only where it moves far; the spread goes along in proportion. A change in the way of the power reaches
    /// every short circuit, a switch turned round sends current where none went: they are worked out anew.
    ///
    /// # Errors
    /// As [`Self::build`].
    pub fn edited(&self, catalogue: &Catalogue, profile: &Profile) -> Result<Self, CoreError> {
        Self::work_out(catalogue, profile, Some(self), None)
    }

    /// What somebody would know who has never heard of a fault, but has the same drawing and does the same repairs: its
    /// cases weigh nothing.
    ///
    /// # Errors
    /// As [`Self::build`].
    pub fn without(&self, catalogue: &Catalogue, fault: &str) -> Result<Self, CoreError> {
        Self::work_out(catalogue, &self.profile, Some(self), Some(fault))
    }

    /// The cases of the catalogue.
    pub fn listed(&self) -> &[FaultCase] {
        &self.cases[..self.listed]
    }

    fn work_out(
        catalogue: &Catalogue,
        profile: &Profile,
        before: Option<&Self>,
        struck: Option<&str>,
    ) -> Result<Self, CoreError> {
        let net = profile.netlist()?;
        let mut cases = catalogue.faults.cases(profile, &net)?;
        let group = &profile.family.group;
        cases.retain(|c| catalogue.priors[&c.fault].weight.contains_key(group));
        let listed = cases.len();
        let unheard = |c: &FaultCase| struck == Some(c.fault.as_str());
        let known = |c: &FaultCase| {
            let prior = &catalogue.priors[&c.fault];
            Known {
                weight: prior.weight[group] * c.share,
                class: class_id(catalogue, profile, c),
                renews: prior.band != "0",
                struck: unheard(c),
            }
        };
        let known: Vec<Known> = cases.iter().map(known).collect();
        let more = unlisted(profile, &net, &cases, &known);
        let beside: Vec<usize> = more.iter().map(|u| u.beside).collect();
        cases.extend(more.into_iter().map(|u| u.case));
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
        let asked = Asked::of(catalogue, &tests);
        let sound = asked.look(catalogue, &Scene::of(profile, &net, &forward.circuit, None));
        let kept = before
            .filter(|old| {
                old.profile.family.logic == profile.family.logic
                    && old.profile.halls_60 == profile.halls_60
            })
            .and_then(|old| Kept::of(old, profile, &net, &cases, &tests, &base, &asked, &sound));
        let vehicle = Vehicle {
            catalogue,
            profile,
            net: &net,
            cases: &cases,
            probes: &probes,
            forward: &forward,
            sound: &base,
            asked: &asked,
        };
        let solved = vehicle.solve(kept.as_ref());
        let mut model = Self {
            profile: profile.clone(),
            net: net.clone(),
            cases: cases.clone(),
            listed,
            hypotheses: Vec::new(),
            classes: Vec::new(),
            near: Near::default(),
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
            asked: asked.clone(),
            signs: solved.signs.clone(),
            sound: Arc::clone(&sound),
            pairs: Arc::default(),
        };
        model.hypothesise(catalogue, &beside, &unheard)?;
        // whole columns stay when cases and weights do, and no case reads otherwise
        let same = kept
            .as_ref()
            .filter(|kept| kept.old.hypotheses == model.hypotheses);
        let mut k = 0;
        let mut columns = Vec::with_capacity(model.tests.len());
        for (t, test) in model.tests.iter().enumerate() {
            let column = match &test.kind {
                Kind::Probe(probe) => {
                    let place = k;
                    k += 1;
                    let still = |kept: &&Kept<'_>| kept.still(place, |k| solved.read(k, place));
                    match same.and_then(|kept| Some((kept, still(&kept)?))) {
                        Some((kept, old)) => Arc::clone(&kept.old.columns[old]),
                        None => {
                            let column = solved.column(place);
                            Arc::new(figures(probe, column, base[place], &model.cases, listed))
                        }
                    }
                }
                Kind::Procedure { .. } => {
                    let old = same.filter(|kept| kept.signs && model.signs == kept.old.signs);
                    match old.and_then(|kept| Some((kept, kept.procedure(test)?))) {
                        Some((kept, old)) => Arc::clone(&kept.old.columns[old]),
                        None => {
                            let (cases, healthy) = outcome_rows(
                                catalogue,
                                &model.asked,
                                &model.tests[t],
                                &model.cases,
                                &model.signs,
                                &sound,
                            )
                            .unwrap_or_default();
                            Arc::new(Column::Outcomes { cases, healthy })
                        }
                    }
                }
            };
            columns.push(column);
        }
        let rows = |column: &Arc<Column>| {
            let old = same.and_then(|kept| {
                let known = kept.old.columns.iter().position(|c| Arc::ptr_eq(c, column));
                known.map(|k| Arc::clone(&kept.old.rows[k]))
            });
            old.unwrap_or_else(|| Arc::new(Rows::of(column)))
        };
        let rows: Vec<Arc<Rows>> = columns.iter().map(rows).collect();
        // a look at what this vehicle does not have tells nothing
        let tests = std::mem::take(&mut model.tests);
        for ((test, column), rows) in tests.into_iter().zip(columns).zip(rows) {
            if matches!(test.kind, Kind::Probe(_)) || !rows.own.is_empty() {
                model.tests.push(test);
                model.columns.push(column);
                model.rows.push(rows);
            }
        }
        match same.filter(|kept| kept.signs && kept.old.signs == model.signs) {
            Some(kept) => {
                model.symptoms.clone_from(&kept.old.symptoms);
                model.symptom_base.clone_from(&kept.old.symptom_base);
                model.disagreements.clone_from(&kept.old.disagreements);
            }
            None => {
                let scene = Scene::of(profile, &net, &forward.circuit, None);
                model.symptomise(catalogue, &|sign| {
                    let computed = catalogue.faults.sign(sign).is_some_and(|s| s.computed);
                    !computed || scene.has(sign)
                });
            }
        }
        Ok(model)
    }

    /// `beside`: for each case that is not listed, the one whose repair cures it; `unheard` are the cases that weigh
    /// nothing.
    fn hypothesise(
        &mut self,
        catalogue: &Catalogue,
        beside: &[usize],
        unheard: &dyn Fn(&FaultCase) -> bool,
    ) -> Result<(), CoreError> {
        let found = &self.profile.alterations;
        let altered: Vec<_> = catalogue
            .alterations
            .iter()
            .filter(|a| found.contains(a.id.get_ref()))
            .collect();
        let mut known = 0.0;
        let mut index: BTreeMap<String, usize> = BTreeMap::new();
        let mut minutes: Vec<(f64, f64)> = Vec::new();
        let mut heaviest: Vec<f64> = Vec::new();
        for (k, case) in self.cases[..self.listed].iter().enumerate() {
            let prior = &catalogue.priors[&case.fault];
            let id = class_id(catalogue, &self.profile, case);
            let spec = catalogue.classes.get(&id).ok_or_else(|| {
                CoreError::entry(
                    Code::UnknownClass,
                    "class",
                    format!(
                        "priors.toml: fault “{}” has no repair class “{id}”",
                        case.key
                    ),
                )
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
            let weight = weight
                * altered
                    .iter()
                    .map(|a| a.factor(&case.fault))
                    .product::<f64>();
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
        for (h, case) in self.hypotheses.iter_mut().zip(&self.cases) {
            h.weight *= if unheard(case) { 0.0 } else { 0.82 / known };
        }
        // of the 10 % the drawing can name half, where it names anything
        let mut drawn = vec![0usize; self.classes.len()];
        let class_of = |k: &usize| self.hypotheses[*k].class.unwrap_or(0);
        let places: Vec<usize> = beside.iter().map(class_of).collect();
        places.iter().for_each(|c| drawn[*c] += 1);
        let other = |c: usize| 0.10 * minutes[c].1 / known;
        for (k, class) in (self.listed..).zip(places) {
            self.classes[class].members.push(k);
            self.risk.push(BTreeMap::new());
            self.hypotheses.push(Hypothesis {
                key: self.cases[k].key.clone(),
                kind: Suspicion::Case(k),
                class: Some(class),
                weight: DRAWN * other(class) / drawn[class] as f64,
            });
        }
        for (k, class) in self.classes.iter().enumerate() {
            self.hypotheses.push(Hypothesis {
                key: format!("?{}", class.id),
                kind: Suspicion::Other,
                class: Some(k),
                weight: other(k) * if drawn[k] > 0 { 1.0 - DRAWN } else { 1.0 },
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
            weight: 0.03 * altered.iter().map(|a| a.outside).product::<f64>(),
        });
        self.near = Near::of(&self.cases, &self.hypotheses, &self.classes);
        Ok(())
    }

    /// P(symptom | case): the table's figure, moved by what the circuit shows.
    fn symptomise(&mut self, catalogue: &Catalogue, has: &dyn Fn(&str) -> bool) {
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
            for (case, seen) in self.cases.iter().zip(&self.signs) {
                let none = BTreeMap::new();
                let prior = catalogue.priors.get(&case.fault);
                let table = prior.map_or(&none, |p| &p.symptoms);
                let listed = if id == NO_DRIVE && !pedals {
                    none_of(NO_DRIVE_APART.iter().filter_map(|s| table.get(*s)))
                } else {
                    table.get(id).copied()
                };
                let derived = (!symptom.when.is_empty()).then(|| {
                    symptom.when.iter().filter(|(s, _)| has(s)).all(|(s, v)| {
                        self.asked.value(catalogue, seen, s, &rest) == Some(v.as_str())
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
                    (None, Some(true)) if case.fault != UNLISTED => {
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
        let all: Vec<&FaultCase> = self.cases.iter().collect();
        let predicted = forward.cases(&all, &base);
        let cases = predicted.into_iter().map(|(_, row)| row[0]).collect();
        Some(figures(probe, cases, base[0], &self.cases, self.listed))
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

/// Share of “something else in a class” that the drawing can name.
const DRAWN: f64 = 0.5;

/// Repair class of a listed case.
fn class_id(catalogue: &Catalogue, profile: &Profile, case: &FaultCase) -> String {
    spannung_circuit::fault::fill(&catalogue.priors[&case.fault].class, &case.x, profile)
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
