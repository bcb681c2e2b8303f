//! Everything worked out for one profile: the hypotheses, what each test reads under each of them, and the chances of
//! the symptoms. [`predict`](super::predict) builds it once; from then on it is only looked up.

use crate::diagnosis::chosen::material;
use crate::diagnosis::column::Column;
use crate::diagnosis::evidence::Answer;
use crate::diagnosis::hypothesis::{Class, Hypothesis};
use crate::diagnosis::near::Near;
use crate::diagnosis::nets::Nets;
use crate::diagnosis::repertoire::{Kind, Probe, Test};
use crate::diagnosis::rows::Rows;
use crate::diagnosis::scale::Prediction;
use crate::diagnosis::shared::FACTORS;
use crate::diagnosis::signs::{Asked, Seen};
use crate::diagnosis::ways::LookedInto;
use spannung_circuit::family::SECOND;
use spannung_circuit::otherwise::Way;
use spannung_circuit::{Change, Circuit, FaultCase, Netlist, Pair, Profile, VehicleState};
use std::collections::{BTreeMap, HashMap};
use std::sync::{Arc, Mutex};

/// What pairs of cases read together.
pub(super) type Together = HashMap<[usize; 2], Prediction>;

/// What pairs of cases read together at a test in a state, as far as it was asked for. Solving a pair again gives the
/// same bytes.
#[derive(Debug, Default)]
pub struct Pairs(pub(super) Mutex<HashMap<(usize, VehicleState), Together>>);

/// How a symptom is told among all complaints.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Rate {
    /// Among complaints.
    pub base: f64,
    /// Told although nothing here causes it.
    pub leak: f64,
    /// How far it can be relied on.
    pub reliability: f64,
}

/// Where table and circuit disagree on a symptom of a case.
#[derive(Debug, Clone, PartialEq)]
pub struct Disagreement {
    /// Case.
    pub case: String,
    /// Symptom.
    pub symptom: String,
    /// Chance by the table.
    pub table: f64,
    /// Does the circuit show it?
    pub circuit: bool,
}

/// Everything worked out for one profile.
#[derive(Debug, Clone)]
pub struct Model {
    /// The vehicle.
    pub profile: Profile,
    /// Its netlist.
    pub net: Netlist,
    /// Fault cases: those of the catalogue, then what the drawing alone tells of; then what may differ on a sound vehicle.
    pub cases: Vec<FaultCase>,
    /// How many of the cases stand in the catalogue.
    pub listed: usize,
    /// How many of the cases, the last ones, are with nothing to repair: a maker's choices, then known ways to build the vehicle.
    pub variants: usize,
    /// The ways in which it may be built otherwise: the last of the cases, in this order.
    pub ways: Vec<Arc<Way>>,
    /// All ways that were looked into, those that are nobody's question as well.
    pub(super) looked_into: Vec<LookedInto>,
    /// Hypotheses: cases, then one per class, then nothing, then outside.
    pub hypotheses: Vec<Hypothesis>,
    /// Repair classes in order of first appearance.
    pub classes: Vec<Class>,
    /// Which known faults are near a class.
    pub near: Near,
    /// Tests.
    pub tests: Vec<Test>,
    /// Which net each test reads.
    pub nets: Nets,
    /// Variances of what vehicles of this kind share everywhere.
    pub variances: [f64; FACTORS],
    /// Columns, one per test.
    pub columns: Vec<Arc<Column>>,
    /// Chances of the outcomes of each test under each hypothesis.
    pub rows: Vec<Arc<Rows>>,
    /// P(symptom | case) by symptom id; index as cases.
    pub symptoms: BTreeMap<String, Vec<f64>>,
    /// How each symptom is told among complaints.
    pub symptom_base: BTreeMap<String, Rate>,
    /// Odds multipliers per case: risk letter → multiplier.
    pub risk: Vec<BTreeMap<String, f64>>,
    /// Population rate per risk letter.
    pub risk_rate: BTreeMap<String, f64>,
    /// Where table and circuit disagree on a symptom.
    pub disagreements: Vec<Disagreement>,
    /// Signs that are asked about.
    pub(super) asked: Asked,
    /// What is seen of them in each case.
    pub(super) signs: Vec<Seen>,
    /// What is seen on a sound vehicle.
    pub(super) sound: Seen,
    /// What two faults at once read, as far as it was asked for.
    pub(super) pairs: Arc<Pairs>,
}

impl Model {
    /// About how many bytes it takes up. What it shares with the model it was edited from counts in both.
    pub fn bytes(&self) -> usize {
        let columns: usize = self.columns.iter().map(|c| c.bytes()).sum();
        // rows of chances, symptoms and signs go with the number of cases
        let rows: usize = self.rows.iter().map(|r| r.bytes()).sum();
        columns + rows + self.cases.len() * (self.symptoms.len() * 8 + 400)
    }

    /// Of a vehicle with two drives, does a case lie in the second one? None of what both have in common.
    pub fn side_of(&self, case: usize) -> Option<bool> {
        if !self.profile.family.has("second-drive") {
            return None;
        }
        let base = |k: usize| {
            let key = &self.cases[k].key;
            key.split('#').next().unwrap_or(key)
        };
        let own = base(case);
        if own.ends_with(SECOND) {
            return Some(true);
        }
        let beside = format!("{own}{SECOND}");
        (0..self.cases.len())
            .any(|k| base(k) == beside)
            .then_some(false)
    }

    /// Does a case move a test by more than what sound vehicles differ in?
    pub fn moves(&self, test: usize, case: usize) -> bool {
        material(&self.columns[test], case, &self.variances)
    }

    /// The way in which a case has the vehicle built.
    pub fn way(&self, case: usize) -> Option<&Way> {
        let first = self.cases.len() - self.ways.len();
        self.ways.get(case.checked_sub(first)?).map(Arc::as_ref)
    }

    /// The ways that put yet another kind where a way has another one: whoever looks at it sees these as well. Their cases.
    pub fn other_kinds(&self, case: usize) -> impl Iterator<Item = usize> {
        let slots = |way: &Way| -> Vec<String> {
            let changes = way.changes.iter();
            let slot = |c: &Change| match c {
                Change::Component { slot, .. } => Some(slot.clone()),
                _ => None,
            };
            changes.filter_map(slot).collect()
        };
        let here = self.way(case).map_or_else(Vec::new, slots);
        let first = self.cases.len() - self.ways.len();
        let beside = move |k: &usize| {
            let there = self.way(*k).map_or_else(Vec::new, slots);
            *k != case && there.iter().any(|s| here.contains(s))
        };
        (first..self.cases.len()).filter(beside)
    }

    /// Volts of the pack as its family's figures have it.
    pub fn pack_volts(&self) -> f64 {
        let cells = &self.profile.family.cells;
        cells.rest_volts * cells.groups as f64
    }

    /// The cases of the catalogue.
    pub fn listed(&self) -> &[FaultCase] {
        &self.cases[..self.listed]
    }

    /// What a healthy vehicle of this profile shows at a probe in a state, on the scale.
    pub fn healthy_in(&self, circuit: &Circuit, probe: &Probe, state: &VehicleState) -> [f64; 2] {
        let (meter, scale) = (probe.meter(), probe.scale());
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

    /// Ids of the looks that an answer to a test says already: with every light dark, nobody asks for the front lamp.
    pub fn says(&self, test: usize, answer: &Answer) -> Vec<String> {
        let (Kind::Procedure { outcomes, .. }, Answer::Outcome(k, _)) =
            (&self.tests[test].kind, answer)
        else {
            return Vec::new();
        };
        let Some((value, _)) = outcomes.get(*k) else {
            return Vec::new();
        };
        let id = &self.tests[test].id;
        let said = |t: &&Test| match &t.kind {
            Kind::Procedure { said_by, .. } => said_by.get(id).is_some_and(|a| a.contains(value)),
            Kind::Probe(_) => false,
        };
        self.tests
            .iter()
            .filter(said)
            .map(|t| t.id.clone())
            .collect()
    }

    /// Index of a class by id.
    pub fn class(&self, id: &str) -> Option<usize> {
        self.classes.iter().position(|c| c.id == id)
    }
}
