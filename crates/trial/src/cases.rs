//! Bench cases: jobs whose readings somebody worked out by hand, played by the engine up to its first repair.

use crate::job::{BECAUSE, because, leading, taken};
use crate::policy::{Lists, Point, Policy, decide};
use serde::Deserialize;
use spannung_core::diagnosis::choose::Situation;
use spannung_core::diagnosis::plan::{Action, Prices};
use spannung_core::diagnosis::{Answer, Course, Evidence, Item, Kind, Model};
use std::collections::BTreeMap;

/// Steps after which a case counts as not ended.
const MOST_STEPS: usize = 60;

/// What a sound vehicle shows: patterns of test ids with figures or words, the first that fits counts.
#[derive(Debug, Clone, PartialEq, Deserialize)]
pub struct Sound {
    /// Which vehicle.
    pub vehicle: String,
    /// Pattern, value.
    pub reads: Vec<(String, String)>,
}

/// One case.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct BenchCase {
    /// Name.
    pub name: String,
    /// Family id.
    pub family: String,
    /// Kind: single, control, nothing, built, two, repair.
    pub kind: String,
    /// Symptom ids.
    pub told: Vec<String>,
    /// Repair classes that end it; `sound`, `built:ID`.
    pub right: Vec<String>,
    /// Why.
    pub why: String,
    /// What differs from a sound vehicle.
    pub finds: BTreeMap<String, String>,
}

#[derive(Deserialize)]
struct Cases {
    case: Vec<BenchCase>,
}

/// How a case ended.
#[derive(Debug, Clone, PartialEq)]
pub struct Ended {
    /// Name of the case.
    pub name: String,
    /// Was it right?
    pub right: bool,
    /// What was done, one line each.
    pub trail: Vec<String>,
}

/// Sound vehicles by family id.
///
/// # Panics
/// When the file does not read; a test proves that it does.
pub fn sound() -> BTreeMap<String, Sound> {
    toml::from_str(include_str!("../data/bench/sound.toml")).expect("the sound vehicles read")
}

/// What the files of cases are called: those of the first four families in two halves, those of later ones likewise.
pub const FILES: [&str; 4] = [
    "first half",
    "second half",
    "later families, first half",
    "later families, second half",
];

/// The cases of each file.
///
/// # Panics
/// When a file does not read; a test proves that they do.
pub fn halves() -> [Vec<BenchCase>; 4] {
    [
        include_str!("../data/bench/first-half.toml"),
        include_str!("../data/bench/second-half.toml"),
        include_str!("../data/bench/builds-first.toml"),
        include_str!("../data/bench/builds-second.toml"),
    ]
    .map(|text| {
        let read: Cases = toml::from_str(text).expect("the bench cases read");
        read.case
    })
}

/// Does a pattern with `*` and `?` fit?
fn fits(pattern: &[u8], id: &[u8]) -> bool {
    match (pattern.split_first(), id.split_first()) {
        (None, None) => true,
        (Some((b'*', rest)), _) if fits(rest, id) => true,
        (Some((b'*', _)), Some((_, left))) => fits(pattern, left),
        (Some((b'?', rest)), Some((_, left))) => fits(rest, left),
        (Some((p, rest)), Some((c, left))) if p == c => fits(rest, left),
        _ => false,
    }
}

/// The longest pattern that fits, among what the case finds.
fn found<'a>(finds: &'a BTreeMap<String, String>, id: &str) -> Option<&'a str> {
    let fit = finds
        .iter()
        .filter(|(p, _)| fits(p.as_bytes(), id.as_bytes()));
    let plain = |p: &str| p.bytes().filter(|c| *c != b'*').count();
    fit.max_by_key(|(p, _)| plain(p)).map(|(_, v)| v.as_str())
}

impl BenchCase {
    /// What is found at a test, as the table has it.
    ///
    /// # Errors
    /// A figure that nobody worked out, a word that the test does not know.
    pub fn answer(&self, sound: &Sound, model: &Model, test: usize) -> Result<Answer, String> {
        let spec = &model.tests[test];
        let usual = || {
            let mut fit = sound.reads.iter();
            let fits = |r: &&(String, String)| fits(r.0.as_bytes(), spec.id.as_bytes());
            fit.find(fits).map(|r| r.1.as_str())
        };
        let said = found(&self.finds, &spec.id);
        match &spec.kind {
            Kind::Procedure {
                outcomes, places, ..
            } => {
                // patterns of points are not meant for looks
                let word = self.finds.get(&spec.id).map(String::as_str);
                let Some(word) = word else {
                    return Ok(Answer::Outcome(0, None));
                };
                // `loose@throttle`: where, too
                let (value, place) = match word.split_once('@') {
                    Some((value, place)) => (value, Some(place)),
                    None => (word, None),
                };
                let value = outcomes.iter().position(|o| o.0 == value);
                let there = place.map(|p| places.iter().position(|own| own == p));
                match (value, there) {
                    (Some(value), None) => Ok(Answer::Outcome(value, None)),
                    (Some(value), Some(Some(place))) => Ok(Answer::Outcome(value, Some(place))),
                    _ => Err(format!("{}: {} has no answer “{word}”", self.name, spec.id)),
                }
            }
            Kind::Probe(probe) => {
                let Some(text) = said.or_else(usual) else {
                    return Err(format!("{}: nobody worked out {}", self.name, spec.id));
                };
                if text == "OL" {
                    return Ok(Answer::OverRange);
                }
                let (low, high) = text.split_once("..").unwrap_or((text, text));
                let number = |t: &str| {
                    t.parse::<f64>()
                        .map_err(|_| format!("{}: {}: “{t}” is no figure", self.name, spec.id))
                };
                let (low, high) = (number(low)?, number(high)?);
                if probe.dims() == 1 && low != high {
                    return Err(format!("{}: {} has one figure", self.name, spec.id));
                }
                Ok(Answer::Figure { low, high })
            }
        }
    }

    /// Every test that no figure or word was worked out for.
    pub fn gaps(&self, sound: &Sound, model: &Model) -> Vec<String> {
        let each = (0..model.tests.len()).filter_map(|t| self.answer(sound, model, t).err());
        each.collect()
    }

    /// Play it up to the first repair.
    ///
    /// # Errors
    /// As [`Self::answer`].
    pub fn play(&self, sound: &Sound, model: &Model) -> Result<Ended, String> {
        let mut evidence: Vec<Evidence> = self
            .told
            .iter()
            .map(|id| Evidence {
                entry: id.clone(),
                item: Item::Symptom {
                    id: id.clone(),
                    yes: true,
                    customer: true,
                },
            })
            .collect();
        let mut situation = Situation {
            risk_limit: 4,
            ..Situation::default()
        };
        let mut trail = Vec::new();
        let prices = Prices::default();
        let end = |what: String, mut trail: Vec<String>| {
            let right = self.right.contains(&what);
            trail.push(what);
            Ok(Ended {
                name: self.name.clone(),
                right,
                trail,
            })
        };
        // a control that is found standing wrong is put right as soon as something else is done than looking at controls
        let righted = Self {
            finds: BTreeMap::new(),
            ..self.clone()
        };
        let (mut stands, mut stood_wrong) = (self, false);
        let mut course = Course::new(model);
        let none = Lists::shipped().tests(model, &[], Policy::Fixed);
        for _ in 0..MOST_STEPS {
            let belief = course.after(model, &evidence);
            let at = Point {
                model,
                belief,
                evidence: &evidence,
                situation: &situation,
                prices: &prices,
            };
            let (action, _) = decide(Policy::Engine, at, &none, &mut 0);
            match action {
                Action::Test(test) | Action::Ask(test, _) => {
                    let spec = &model.tests[test];
                    if stood_wrong && !spec.control {
                        stands = &righted;
                    }
                    let answer = stands.answer(sound, model, test)?;
                    let wrong = !matches!(answer, Answer::Outcome(0, _));
                    stood_wrong |= self.kind == "control" && spec.control && wrong;
                    trail.push(format!("{} {answer:?}", spec.id));
                    evidence.push(taken(model, test, answer, &mut situation));
                }
                Action::Built(case) => {
                    let key = model.cases[case].key.clone();
                    if self.right.contains(&key) {
                        return end(key, trail);
                    }
                    trail.push(format!("not {key}"));
                    evidence.push(Evidence {
                        entry: key,
                        item: Item::NotBuilt { case },
                    });
                }
                Action::Repair(class) | Action::Decline(class) => {
                    let share = belief.classes(model)[class];
                    trail.push(format!(
                        "at {share:.2} of {}, {BECAUSE}{}",
                        leading(model, belief),
                        because(model, belief, &evidence, class)
                    ));
                    return end(model.classes[class].id.clone(), trail);
                }
                Action::HandBack => {
                    trail.push(leading(model, belief));
                    return end("sound".into(), trail);
                }
                Action::Refer => return end("refer".into(), trail),
            }
        }
        end("never".into(), trail)
    }
}
