//! What we believe: priors, symptoms, risk factors, repair classes, tests, the gate's checks.
//! Read from `data/*.toml`, checked on load; errors name file and line.

use crate::error::CoreError;
use crate::hearing::Lexicon;
use serde::Deserialize;
use spannung_circuit::build;
use spannung_circuit::family::SECOND;
use spannung_circuit::{CircuitError, Family, FaultBook, Mode, Profile, Requirement, Shelf};
use std::collections::BTreeMap;
use toml::Spanned;

pub mod altered;
mod gate;
pub mod proof;

pub use altered::Altered;
pub use gate::{
    CellFloor, DeadSpec, GateAnswer, GateCheck, Need, NeedWords, PowerFaultSigns, QuarantineStep,
};

const PRIORS: (&str, &str) = ("priors.toml", include_str!("../../data/priors.toml"));
const CLASSES: (&str, &str) = ("classes.toml", include_str!("../../data/classes.toml"));
const SYMPTOMS: (&str, &str) = ("symptoms.toml", include_str!("../../data/symptoms.toml"));
const TESTS: (&str, &str) = ("tests.toml", include_str!("../../data/tests.toml"));
const GATE: (&str, &str) = ("gate.toml", include_str!("../../data/gate.toml"));
const HEARING: (&str, &str) = ("hearing.toml", include_str!("../../data/hearing.toml"));
const PROOF: (&str, &str) = ("proof.toml", include_str!("../../data/proof.toml"));
/// What alterations do to the odds.
pub const ALTERATIONS: (&str, &str) = (
    "alterations.toml",
    include_str!("../../data/alterations.toml"),
);

/// Prior, symptoms and repair of a fault.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Prior {
    /// Fault id.
    pub fault: Spanned<String>,
    /// Repair class; may hold `{x}` or `{strand}`.
    pub class: String,
    /// Weight per 1000 jobs by vehicle group (`EB`, `SC`, `RO`, `DI`). A group that is not named has it as seldom as the
    /// seldomest: only what is built in can break, wherever it is. 0 of a group that never has it.
    pub weight: BTreeMap<String, f64>,
    /// Odds multiplier per risk factor.
    #[serde(default)]
    pub risk: BTreeMap<String, f64>,
    /// P(symptom | fault).
    #[serde(default)]
    pub symptoms: BTreeMap<String, f64>,
    /// Hands-on minutes of the repair, access not included.
    pub minutes: f64,
    /// Price band of the part: 0, A … E.
    pub band: String,
}

impl Prior {
    /// Weight per 1000 jobs on such a vehicle, by its group and by the component kinds that it has; 0 of what cannot break there.
    pub fn weight_on(&self, family: &Family) -> f64 {
        let seldomest = || self.weight.values().copied().fold(f64::INFINITY, f64::min);
        let group = self.weight.get(&family.group).copied();
        let odds = family.odds.get(self.fault.get_ref()).copied();
        group.unwrap_or_else(seldomest) * odds.unwrap_or(1.0)
    }
}

/// One act on one part at one place.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct RepairClass {
    /// Id.
    pub id: Spanned<String>,
    /// Name as a suspect.
    pub name: String,
    /// What is done.
    pub act: String,
    /// Segment.
    pub segment: String,
    /// Access code of the place where it is done.
    pub access: String,
    /// Tests that are done before, or passed over by hand: quick, and they decide what is costly or cannot be undone.
    #[serde(default)]
    pub first: Vec<String>,
}

/// What a STOP says: an order in a few words, and why.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct StopWords {
    /// The order.
    pub order: String,
    /// Why.
    pub reason: String,
}

/// A symptom.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Symptom {
    /// Id.
    pub id: Spanned<String>,
    /// Plain words.
    pub name: String,
    /// Crisp definition.
    pub definition: String,
    /// Question to the customer; empty when only a technician can tell.
    pub ask: String,
    /// Traits a vehicle must have to show it.
    #[serde(default)]
    pub fits: Vec<String>,
    /// Slow, dead or weak: where the controls stand is asked before anything is opened.
    #[serde(default)]
    pub controls_first: bool,
    /// Signs it follows from, those that the vehicle has.
    #[serde(default)]
    pub when: BTreeMap<String, String>,
    /// Reported without a listed cause.
    pub leak: f64,
    /// How far a customer's answer can be trusted.
    pub reliability: f64,
    /// What to do at once.
    #[serde(default)]
    pub caution: Option<String>,
    /// It speaks of a pack that can hurt somebody: a STOP on that pack.
    #[serde(default)]
    pub stop: Option<StopWords>,
    /// Nobody rides the vehicle while it is open.
    #[serde(default)]
    pub no_ride: bool,
}

/// A risk factor.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Risk {
    /// Letter.
    pub id: String,
    /// Name.
    pub name: String,
    /// Definition.
    pub definition: String,
    /// Share of all jobs that have it.
    pub rate: f64,
}

/// A procedure: answered with a sign's value.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Procedure {
    /// Id.
    pub id: Spanned<String>,
    /// Name.
    pub name: String,
    /// Traits a vehicle must have for it to be done.
    #[serde(default)]
    pub fits: Vec<String>,
    /// Sign it shows.
    pub sign: String,
    /// How it is done.
    pub how: String,
    /// Access code.
    pub access: String,
    /// Hands-on minutes.
    pub minutes: f64,
    /// 0 dead or looking … 4 specialist.
    pub risk: u8,
    /// State it needs.
    #[serde(default)]
    pub state: Requirement,
    /// P(seen | there).
    pub sensitivity: f64,
    /// P(healthy | healthy).
    pub specificity: f64,
    /// Order among the first-minute checks.
    #[serde(default)]
    pub first_minute: Option<u8>,
    /// Where something stands that the rider sets: switch, lever, level, lock.
    #[serde(default)]
    pub control: bool,
    /// Preconditions asked before it.
    #[serde(default)]
    pub needs: Vec<String>,
    /// What doing it destroys.
    #[serde(default)]
    pub destroys: Option<String>,
    /// Price band of the known-good part that is lent for a substitution.
    #[serde(default)]
    pub lends: Option<String>,
    /// Repair classes that would ruin the lent part.
    #[serde(default)]
    pub ruined_by: Vec<String>,
    /// Sign value → words of the answer.
    pub outcomes: BTreeMap<String, String>,
    /// Other procedure → answers to it that say what this one would ask.
    #[serde(default)]
    pub said_by: BTreeMap<String, Vec<String>>,
    /// Sign values that are a STOP on the pack.
    #[serde(default)]
    pub stops: BTreeMap<String, StopWords>,
}

/// A probe with a name of its own; the others are generated.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ProbeSpec {
    /// Id.
    pub id: Spanned<String>,
    /// Name.
    pub name: String,
    /// Why, in one line.
    pub why: String,
    /// Traits a vehicle must have, beside the points themselves.
    #[serde(default)]
    pub fits: Vec<String>,
    /// `volts`, `ohms`, `milliohms`, `diode`, `amps`, `groups`.
    pub mode: String,
    /// Red tip.
    #[serde(default)]
    pub red: String,
    /// Black tip.
    #[serde(default)]
    pub black: String,
    /// Element whose current is taken.
    #[serde(default)]
    pub element: Option<String>,
    /// Access code.
    pub access: String,
    /// Hands-on minutes.
    pub minutes: f64,
    /// Risk.
    pub risk: u8,
    /// State.
    #[serde(default)]
    pub state: Requirement,
    /// Load across the tips.
    #[serde(default)]
    pub shunt_ohms: Option<f64>,
    /// Input moved while watching: `wheel`, `crank`, `brake-left`, `brake-right`.
    #[serde(default)]
    pub sweep: Option<String>,
    /// Preconditions.
    #[serde(default)]
    pub needs: Vec<String>,
    /// The reading is taken under load, so a live pack shows its true volts.
    #[serde(default)]
    pub loaded: bool,
    /// Ohms through electronics without power: only a short says something, for makers differ.
    #[serde(default)]
    pub electronics: bool,
}

/// What is on the road: volts and drive as they look, and what such a vehicle begins with.
#[derive(Debug, Clone)]
pub struct OnRoad {
    /// Voltage class.
    pub volts: u16,
    /// Drive.
    pub drive: String,
    /// The family.
    pub family: Family,
    /// So common that its model is worked out before anybody asks.
    pub common: bool,
}

/// Everything we believe, with the book of faults it speaks of.
#[derive(Debug, Clone)]
pub struct Catalogue {
    /// What can have been done to a vehicle.
    pub alterations: Vec<Altered>,
    /// Fault modes and signs.
    pub faults: FaultBook,
    /// Families that ship: ready builds.
    pub families: Vec<Family>,
    /// What a vehicle of these volts and drive begins with, the likeliest first.
    pub road: Vec<OnRoad>,
    /// Priors by fault id.
    pub priors: BTreeMap<String, Prior>,
    /// Repair classes by id.
    pub classes: BTreeMap<String, RepairClass>,
    /// Symptoms in order.
    pub symptoms: Vec<Symptom>,
    /// Risk factors in order.
    pub risks: Vec<Risk>,
    /// Procedures in order.
    pub procedures: Vec<Procedure>,
    /// Named probes in order.
    pub probes: Vec<ProbeSpec>,
    /// Gate checks in order.
    pub gate: Vec<GateCheck>,
    /// Quarantine steps in order.
    pub quarantine: Vec<QuarantineStep>,
    /// Kinds of entry that open something at the gate.
    pub released_by: Vec<String>,
    /// Floors by chemistry.
    pub floors: Vec<CellFloor>,
    /// Preconditions.
    pub needs: Vec<Need>,
    /// What tells of a power fault.
    pub power_fault: PowerFaultSigns,
    /// What is measured dead before a vehicle with a power fault is switched on, in order.
    pub dead: Vec<DeadSpec>,
    /// How a customer's words are understood.
    pub hearing: Lexicon,
    /// What has to be proved before a vehicle leaves.
    pub proof: proof::ProofBook,
    /// Changes whenever any data file changes.
    pub hash: String,
}

#[derive(Deserialize)]
struct PriorFile {
    prior: Vec<Prior>,
}
#[derive(Deserialize)]
struct ClassFile {
    class: Vec<RepairClass>,
}
#[derive(Deserialize)]
struct SymptomFile {
    symptom: Vec<Symptom>,
    risk: Vec<Risk>,
}
#[derive(Deserialize)]
struct TestFile {
    procedure: Vec<Procedure>,
    probe: Vec<ProbeSpec>,
}

fn read<T: serde::de::DeserializeOwned>(file: (&str, &str)) -> Result<T, CircuitError> {
    toml::from_str(file.1).map_err(|e| CircuitError::toml(file.0, file.1, &e))
}

/// The texts of the data files, so that a test or a shop can put its own in place of one.
#[derive(Debug, Clone)]
pub struct Sources {
    /// (file name, text) of priors, classes, symptoms, tests, gate, proof, alterations, hearing.
    pub files: [(String, String); 8],
    /// (file name, text) of the faults and of the signs.
    pub book: [(String, String); 2],
    /// (file name, text) of each vehicle family.
    pub families: Vec<(String, String)>,
    /// (file name, text) of what is on the road.
    pub road: (String, String),
}

impl Default for Sources {
    fn default() -> Self {
        Self {
            files: [
                PRIORS,
                CLASSES,
                SYMPTOMS,
                TESTS,
                GATE,
                PROOF,
                ALTERATIONS,
                HEARING,
            ]
            .map(|(a, b)| (a.into(), b.into())),
            book: [
                spannung_circuit::fault::FAULTS,
                spannung_circuit::fault::SIGNS,
            ]
            .map(|(a, b)| (a.into(), b.into())),
            families: spannung_circuit::family::shipped()
                .into_iter()
                .map(|(a, b)| (a.into(), b.into()))
                .collect(),
            road: (build::ROAD.0.into(), build::ROAD.1.into()),
        }
    }
}

impl Catalogue {
    /// The catalogue that ships with the program.
    ///
    /// # Errors
    /// As [`Self::load`].
    pub fn shipped() -> Result<Self, CoreError> {
        Self::load(&Sources::default())
    }

    /// Read and check the data files.
    ///
    /// # Errors
    /// File and line of the first thing wrong: TOML, a fault without prior or the other way round, a
    /// class, sign, symptom, risk letter, access code, need or mode that does not exist.
    pub fn load(sources: &Sources) -> Result<Self, CoreError> {
        let file = |k: usize| (sources.files[k].0.as_str(), sources.files[k].1.as_str());
        let [fault_file, sign_file] = &sources.book;
        let faults = FaultBook::parse(&fault_file.0, &fault_file.1, &sign_file.0, &sign_file.1)?;
        let families = sources
            .families
            .iter()
            .map(|(name, text)| Family::parse(name, text))
            .collect::<Result<Vec<_>, _>>()?;
        let road = road(&families, &sources.road)?;
        let priors: PriorFile = read(file(0))?;
        let classes: ClassFile = read(file(1))?;
        let symptoms: SymptomFile = read(file(2))?;
        let tests: TestFile = read(file(3))?;
        let gate: gate::GateFile = read(file(4))?;
        let proof: proof::ProofBook = read(file(5))?;
        let known = |id: &str| {
            symptoms.symptom.iter().any(|s| s.id.get_ref() == id)
                || symptoms.risk.iter().any(|r| r.id == id)
        };
        let hearing = Lexicon::parse(file(7).0, file(7).1, &known)?;
        let alterations = altered::read(file(6).0, file(6).1, &faults)?;
        let catalogue = Self {
            faults,
            alterations,
            families,
            road,
            priors: priors
                .prior
                .into_iter()
                .map(|p| (p.fault.get_ref().clone(), p))
                .collect(),
            classes: classes
                .class
                .into_iter()
                .map(|c| (c.id.get_ref().clone(), c))
                .collect(),
            symptoms: symptoms.symptom,
            risks: symptoms.risk,
            procedures: tests.procedure,
            probes: tests.probe,
            gate: gate.check,
            quarantine: gate.quarantine,
            released_by: gate.released_by,
            floors: gate.floor,
            needs: gate.need,
            power_fault: gate.power_fault,
            dead: gate.dead,
            hearing,
            proof,
            hash: fingerprint(sources),
        };
        catalogue.check(sources)?;
        Ok(catalogue)
    }

    fn check(&self, sources: &Sources) -> Result<(), CircuitError> {
        let at = |k: usize, offset: usize, m: String| {
            let (file, text) = &sources.files[k];
            CircuitError::at(file, text, offset, m)
        };
        let codes = self.faults.sign("code").map(|s| &s.values[..]);
        for family in &self.families {
            let known = |c: &&String| codes.is_some_and(|v| v.contains(c));
            let mut named = family.plugs.iter().filter_map(|p| p.code_apart.as_ref());
            if let Some(code) = named.find(|c| !known(c)) {
                return Err(CircuitError::Unknown {
                    kind: "error code of a plug",
                    name: format!("{code}, {}", family.id),
                });
            }
        }
        for kind in &Shelf::shipped()?.kinds {
            if let Some(fault) = kind.odds.keys().find(|f| !self.priors.contains_key(*f)) {
                return Err(CircuitError::Unknown {
                    kind: "fault of the odds",
                    name: format!("{fault}, {}", kind.id.get_ref()),
                });
            }
        }
        for prior in self.priors.values() {
            let start = prior.fault.span().start;
            let id = prior.fault.get_ref();
            if self.faults.line(id).is_none() {
                return Err(at(0, start, format!("there is no fault “{id}”")));
            }
            if !prior.class.contains('{') && !self.classes.contains_key(&prior.class) {
                return Err(at(
                    0,
                    start,
                    format!("there is no repair class “{}”", prior.class),
                ));
            }
            for symptom in prior.symptoms.keys() {
                if self.symptom(symptom).is_none() {
                    return Err(at(0, start, format!("there is no symptom “{symptom}”")));
                }
            }
            for risk in prior.risk.keys() {
                if !self.risks.iter().any(|r| &r.id == risk) {
                    return Err(at(0, start, format!("there is no risk factor “{risk}”")));
                }
            }
        }
        for class in self.classes.values() {
            let named = |id: &str| {
                self.procedures.iter().any(|p| p.id.get_ref() == id)
                    || self.probes.iter().any(|p| p.id.get_ref() == id)
            };
            if let Some(test) = class.first.iter().find(|id| !named(id)) {
                let message = format!("first: there is no test “{test}”");
                return Err(at(1, class.id.span().start, message));
            }
        }
        for fault in &self.faults.faults {
            if !self.priors.contains_key(fault.id.get_ref()) {
                return Err(at(
                    0,
                    0,
                    format!("fault “{}” has no prior", fault.id.get_ref()),
                ));
            }
        }
        for p in &self.procedures {
            let start = p.id.span().start;
            let Some(sign) = self.faults.sign(&p.sign) else {
                return Err(at(3, start, format!("there is no sign “{}”", p.sign)));
            };
            if let Some(v) = sign.values.iter().find(|v| !p.outcomes.contains_key(*v)) {
                return Err(at(
                    3,
                    start,
                    format!("no answer for the value “{v}” of {}", p.sign),
                ));
            }
            for (other, answers) in &p.said_by {
                let found = self.procedures.iter().find(|o| o.id.get_ref() == other);
                let known = |a: &String| found.is_some_and(|o| o.outcomes.contains_key(a));
                if let Some(answer) = answers.iter().find(|a| !known(a)) {
                    let message = format!("“{answer}” is no answer of “{other}”");
                    return Err(at(3, start, message));
                }
            }
            self.check_common(&p.fits, &p.access, &p.needs)
                .map_err(|m| at(3, start, m))?;
        }
        for p in &self.probes {
            let start = p.id.span().start;
            if p.mode != "groups" && mode(&p.mode).is_none() {
                return Err(at(3, start, format!("there is no mode “{}”", p.mode)));
            }
            self.check_common(&p.fits, &p.access, &p.needs)
                .map_err(|m| at(3, start, m))?;
        }
        self.check_points().map_err(|(start, m)| at(3, start, m))?;
        self.check_guards(&at)?;
        self.check_dead().map_err(|(start, m)| at(4, start, m))?;
        for s in &self.symptoms {
            if let Some(word) = spannung_circuit::family::unknown_trait(&s.fits) {
                let start = s.id.span().start;
                return Err(at(2, start, format!("there is no trait “{word}”")));
            }
            for (sign, value) in &s.when {
                let spec = self.faults.sign(sign);
                if spec.is_none_or(|x| !x.values.contains(value)) {
                    return Err(at(
                        2,
                        s.id.span().start,
                        format!("there is no sign {sign} = {value}"),
                    ));
                }
            }
        }
        self.proof.check(self).map_err(|(start, m)| at(5, start, m))
    }

    /// What guards people: every answer of the gate is one that is known, a STOP is kept with the pack and says
    /// what to do and why, what releases is a kind of entry, a look that stops is one that can be answered.
    fn check_guards(
        &self,
        at: &dyn Fn(usize, usize, String) -> CircuitError,
    ) -> Result<(), CircuitError> {
        for c in &self.gate {
            let start = c.id.span().start;
            if !matches!(c.rests.as_str(), "pack" | "job") {
                let m = format!(
                    "a finding is kept with the pack or the job, not on “{}”",
                    c.rests
                );
                return Err(at(4, start, m));
            }
            for a in &c.answers {
                let stop = a.result == "stop";
                if !stop && !matches!(a.result.as_str(), "clear" | "open") {
                    let m = format!("an answer is clear, stop or open, not “{}”", a.result);
                    return Err(at(4, start, m));
                }
                if stop && (c.rests != "pack" || a.order.is_none() || a.reason.is_none()) {
                    let m = format!(
                        "“{}” is a STOP: it is kept with the pack, with order and reason",
                        a.id
                    );
                    return Err(at(4, start, m));
                }
            }
        }
        let kinds = crate::job::entry::vocabulary::KINDS;
        if let Some(kind) = self
            .released_by
            .iter()
            .find(|k| !kinds.contains(&k.as_str()))
        {
            return Err(at(4, 0, format!("there is no kind of entry “{kind}”")));
        }
        for p in &self.procedures {
            if let Some(value) = p.stops.keys().find(|v| !p.outcomes.contains_key(*v)) {
                let m = format!("“{value}” stops, but is no answer");
                return Err(at(3, p.id.span().start, m));
            }
        }
        Ok(())
    }

    /// A named probe whose points no family has is a slip of the pen.
    fn check_points(&self) -> Result<(), (usize, String)> {
        let mut nets = Vec::new();
        for family in &self.families {
            let profile = Profile::new(family, &[]).map_err(|e| (0, e.to_string()))?;
            let net = profile.netlist().map_err(|e| (0, e.to_string()))?;
            nets.push((family, net));
        }
        let lost = self.probes.iter().find(|p| {
            let mut fitting = nets.iter().filter(|(f, _)| f.fits(&p.fits));
            p.mode != "groups"
                && !fitting.any(|(_, net)| crate::diagnosis::repertoire::tips(p, net).is_some())
        });
        lost.map_or(Ok(()), |p| {
            let tips = format!("{} {}", p.red, p.black);
            let message = format!("no family has the points “{}”", tips.trim());
            Err((p.id.span().start, message))
        })
    }

    fn check_common(&self, fits: &[String], access: &str, needs: &[String]) -> Result<(), String> {
        if let Some(word) = spannung_circuit::family::unknown_trait(fits) {
            return Err(format!("there is no trait “{word}”"));
        }
        let mut fitting = self.families.iter().filter(|f| f.fits(fits));
        if !fitting.all(|f| f.access.contains_key(access)) {
            return Err(format!("there is no access code “{access}”"));
        }
        match needs.iter().find(|n| self.need(n).is_none()) {
            Some(n) => Err(format!("there is no precondition “{n}”")),
            None => Ok(()),
        }
    }

    /// Symptom by id.
    pub fn symptom(&self, id: &str) -> Option<&Symptom> {
        self.symptoms.iter().find(|s| s.id.get_ref() == id)
    }

    /// Named probe by the id of its test, on the first or on a second drive.
    pub fn probe(&self, test: &str) -> Option<&ProbeSpec> {
        let first = test.strip_suffix(SECOND).unwrap_or(test);
        let id = |p: &&ProbeSpec| [test, first].contains(&p.id.get_ref().as_str());
        self.probes.iter().find(id)
    }

    /// Precondition by id.
    pub fn need(&self, id: &str) -> Option<&Need> {
        self.needs.iter().find(|n| n.id.get_ref() == id)
    }

    /// Gate check by id.
    pub fn gate_check(&self, id: &str) -> Option<&GateCheck> {
        self.gate.iter().find(|c| c.id.get_ref() == id)
    }

    /// The answer to a check of the gate, when it is a STOP. The one place that says so.
    pub fn stop_answer(&self, check: &str, answer: &str) -> Option<&GateAnswer> {
        let given = self.gate_check(check)?.answer(answer)?;
        (given.result == "stop").then_some(given)
    }

    /// The families that are commonest on the road.
    pub fn common(&self) -> impl Iterator<Item = &Family> {
        let common = |f: &&Family| self.road.iter().any(|r| r.common && r.family.id == f.id);
        self.families.iter().filter(common)
    }

    /// Family that a vehicle of this voltage class and drive begins with.
    pub fn family(&self, volts_class: u16, drive: &str) -> Option<&Family> {
        self.on_road(volts_class, drive).next()
    }

    /// All that is on the road with this voltage class and drive, the likeliest first.
    pub fn on_road(&self, volts_class: u16, drive: &str) -> impl Iterator<Item = &Family> {
        let such = move |r: &&OnRoad| r.volts == volts_class && r.drive == drive;
        self.road.iter().filter(such).map(|r| &r.family)
    }
}

/// What the table of the road makes of the ready builds.
fn road(families: &[Family], (file, text): &(String, String)) -> Result<Vec<OnRoad>, CircuitError> {
    let shelf = Shelf::shipped()?;
    let made = |one: &build::Road| {
        let known = families.iter().find(|f| &f.id == one.family.get_ref());
        let known = known.ok_or_else(|| {
            let message = format!("there is no family “{}”", one.family.get_ref());
            CircuitError::at(file, text, one.family.span().start, message)
        })?;
        let family = match one.scaled(&known.build) {
            Some(build) => build.family(shelf)?,
            None => known.clone(),
        };
        Ok(OnRoad {
            volts: one.volts,
            drive: one.drive.clone(),
            family,
            common: one.common,
        })
    };
    build::read_road(file, text)?.iter().map(made).collect()
}

/// Meter mode by its word.
pub fn mode(word: &str) -> Option<Mode> {
    Some(match word {
        "volts" => Mode::Volts,
        "ohms" => Mode::Ohms,
        "milliohms" => Mode::Milliohms,
        "diode" => Mode::Diode,
        "amps" => Mode::Amps,
        _ => return None,
    })
}

/// FNV-1a over all data texts: tells whether two catalogues are the same, nothing more.
fn fingerprint(sources: &Sources) -> String {
    let texts = sources
        .files
        .iter()
        .chain(&sources.book)
        .chain(&sources.families)
        .chain([&sources.road])
        .map(|f| f.1.as_str())
        .chain(build::texts().map(|(_, text)| text));
    format!("{:016x}", fnv(texts.flat_map(str::bytes)))
}

/// FNV-1a, 64 bits.
pub fn fnv(bytes: impl Iterator<Item = u8>) -> u64 {
    bytes.fold(0xcbf2_9ce4_8422_2325, |h, b| {
        (h ^ u64::from(b)).wrapping_mul(0x100_0000_01b3)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn shipped_files_read_and_are_of_working_size() {
        let c = Catalogue::shipped().unwrap();
        assert!(c.faults.faults.len() >= 100);
        assert!(c.procedures.len() + c.probes.len() >= 100);
    }

    #[test]
    fn errors_name_file_and_line() {
        let mut sources = Sources::default();
        sources.files[0].1 = sources.files[0]
            .1
            .replace("class = \"throttle\"", "class = \"throtle\"");
        let error = Catalogue::load(&sources).unwrap_err().to_string();
        assert!(error.starts_with("priors.toml, line "), "{error}");
        assert!(error.contains("throtle"), "{error}");
    }
}
