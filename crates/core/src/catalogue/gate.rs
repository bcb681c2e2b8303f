//! What is looked at before anything is switched on, what stops, what is confirmed first, and what is measured dead after
//! a power fault. From `data/gate.toml`.

use super::Catalogue;
use serde::Deserialize;
use spannung_circuit::Family;
use std::collections::{BTreeMap, BTreeSet};
use toml::Spanned;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct GateFile {
    pub(super) released_by: Vec<String>,
    pub(super) power_fault: PowerFaultSigns,
    pub(super) floor: Vec<CellFloor>,
    pub(super) check: Vec<GateCheck>,
    pub(super) quarantine: Vec<QuarantineStep>,
    pub(super) dead: Vec<DeadSpec>,
    pub(super) need: Vec<Need>,
}

/// An answer to a gate check.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct GateAnswer {
    /// Id.
    pub id: String,
    /// Words.
    pub name: String,
    /// `clear`, `stop` or `open`.
    pub result: String,
    /// The order of a STOP.
    #[serde(default)]
    pub order: Option<String>,
    /// Its reason.
    #[serde(default)]
    pub reason: Option<String>,
}

/// A gate check.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct GateCheck {
    /// Id.
    pub id: Spanned<String>,
    /// Name.
    pub name: String,
    /// `pack` or `job`.
    pub rests: String,
    /// Question.
    pub ask: String,
    /// How to look.
    pub how: String,
    /// By which means.
    pub means: String,
    /// Answered with a figure in volts.
    #[serde(default)]
    pub figure: bool,
    /// Answers.
    pub answers: Vec<GateAnswer>,
}

impl GateCheck {
    /// An answer by its id.
    pub fn answer(&self, id: &str) -> Option<&GateAnswer> {
        self.answers.iter().find(|a| a.id == id)
    }
}

/// Floor of a kind of cell, for packs that no wiring model describes.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct CellFloor {
    /// Chemistry.
    pub name: String,
    /// Chemistries of the families that it is the floor of.
    pub of: Vec<String>,
    /// Usual volts of a group.
    pub group_volts: f64,
    /// Volts below which a group must not rest.
    pub floor_volts: f64,
    /// Between floor and this a group is charged under watch and at a trickle only.
    pub restricted_volts: f64,
    /// Volts of a group at rest with a tenth of its charge.
    pub tenth_volts: f64,
    /// Volts of a group at which its charger ends.
    pub charged_volts: f64,
}

impl CellFloor {
    /// Groups in series that a pack of a voltage class has.
    pub fn groups(&self, volts_class: u16) -> f64 {
        (f64::from(volts_class) / self.group_volts).round().max(1.0)
    }
}

/// A step of the quarantine.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct QuarantineStep {
    /// Id.
    pub id: String,
    /// Name.
    pub name: String,
    /// What it means.
    pub detail: String,
    /// Hours that must have passed since it was recorded before a specialist clears the pack.
    #[serde(default)]
    pub least_hours: f64,
}

/// A precondition.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Need {
    /// Id.
    pub id: Spanned<String>,
    /// Question.
    pub ask: String,
    /// Caution.
    pub caution: String,
    /// Other words for vehicles with a trait or without it: the first that fits.
    #[serde(default)]
    pub by_kind: Vec<NeedWords>,
    /// State field it holds with.
    #[serde(rename = "while")]
    pub holds_while: String,
}

/// Words of a precondition for vehicles with these traits.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct NeedWords {
    /// Traits; with `!` one that it lacks.
    pub fits: Vec<String>,
    /// Question, where it is another.
    #[serde(default)]
    pub ask: Option<String>,
    /// Caution.
    pub caution: String,
}

impl Need {
    fn words_for(&self, family: Option<&Family>) -> Option<&NeedWords> {
        self.by_kind
            .iter()
            .find(|c| family.is_some_and(|f| f.fits(&c.fits)))
    }

    /// The question on this vehicle; on one without a wiring model what holds for all.
    pub fn ask_for(&self, family: Option<&Family>) -> &str {
        let own = self.words_for(family).and_then(|w| w.ask.as_ref());
        own.unwrap_or(&self.ask)
    }

    /// The caution on this vehicle.
    pub fn caution_for(&self, family: Option<&Family>) -> &str {
        self.words_for(family).map_or(&self.caution, |w| &w.caution)
    }
}

/// What tells of a power fault: after any of these the vehicle is measured dead before it is switched on.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct PowerFaultSigns {
    /// Symptoms told or seen.
    pub symptoms: BTreeSet<String>,
    /// Gate check → answer.
    pub gate: BTreeMap<String, String>,
    /// Sign → values seen on the Bench.
    pub seen: BTreeMap<String, BTreeSet<String>>,
    /// Repair classes that put in a fuse.
    pub fuses: BTreeSet<String>,
    /// So many of them on one job.
    pub fuses_most: usize,
    /// What is said while it holds.
    pub caution: String,
}

/// A reading, or some that belong together, taken with the pack out before a vehicle with a power fault is switched on.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct DeadSpec {
    /// Id.
    pub id: Spanned<String>,
    /// Name.
    pub name: String,
    /// Traits of the vehicles it is asked of.
    #[serde(default)]
    pub fits: Vec<String>,
    /// Tests of the Bench, all of them.
    pub tests: Vec<String>,
    /// Lowest figure that is as it should, in the unit of the meter's range (Ω, V).
    #[serde(default)]
    pub least: Option<f64>,
    /// Highest.
    #[serde(default)]
    pub most: Option<f64>,
    /// How far highest and lowest may differ, as a share of their mean.
    #[serde(default)]
    pub alike: Option<f64>,
    /// The limit in words.
    pub limit: String,
    /// How it is done where no wiring model shows the points.
    pub how: String,
    /// Name of the point where there is no wiring model; none where it is not asked of such a vehicle.
    #[serde(default)]
    pub point: Option<String>,
    /// Repair classes that renew what it measures: it is taken again after them.
    pub renewed_by: BTreeSet<String>,
}

impl Catalogue {
    /// Dead readings and signs of a power fault name what there is.
    pub(super) fn check_dead(&self) -> Result<(), (usize, String)> {
        let signs = &self.power_fault;
        if let Some(s) = signs.symptoms.iter().find(|s| self.symptom(s).is_none()) {
            return Err((0, format!("power_fault: there is no symptom “{s}”")));
        }
        for (check, answer) in &signs.gate {
            if self
                .gate_check(check)
                .and_then(|c| c.answer(answer))
                .is_none()
            {
                let m = format!("power_fault: “{answer}” is no answer to the check “{check}”");
                return Err((0, m));
            }
        }
        for (sign, values) in &signs.seen {
            let spec = self.faults.sign(sign);
            if let Some(v) = values
                .iter()
                .find(|v| spec.is_none_or(|s| !s.values.contains(v)))
            {
                return Err((0, format!("power_fault: there is no sign {sign} = {v}")));
            }
        }
        if let Some(c) = signs.fuses.iter().find(|c| !self.classes.contains_key(*c)) {
            return Err((0, format!("power_fault: there is no repair class “{c}”")));
        }
        for d in &self.dead {
            let start = d.id.span().start;
            if let Some(word) = spannung_circuit::family::unknown_trait(&d.fits) {
                return Err((start, format!("there is no trait “{word}”")));
            }
            if let Some(t) = d.tests.iter().find(|t| self.probe(t).is_none()) {
                return Err((start, format!("there is no probe “{t}”")));
            }
            if let Some(c) = d.renewed_by.iter().find(|c| !self.classes.contains_key(*c)) {
                return Err((start, format!("there is no repair class “{c}”")));
            }
            if d.least.is_none() && d.most.is_none() && d.alike.is_none() {
                return Err((start, "a dead reading has a limit".into()));
            }
        }
        Ok(())
    }
}
