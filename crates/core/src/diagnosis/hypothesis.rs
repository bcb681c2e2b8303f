//! What is held possible on a vehicle: a hypothesis per fault case, per “something else in a class”, nothing wrong,
//! and what the drawing does not hold, with their weights before anything is told.

use crate::catalogue::Catalogue;
use crate::error::{Code, CoreError};
use spannung_circuit::family::SECOND;
use spannung_circuit::{FaultCase, Profile};
use std::collections::BTreeMap;

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
    /// A part of another value than the family's, index into [`Model::cases`]: no suspect, for it may stand beside every
    /// one ([`chosen`](super::chosen)); it weighs nothing.
    Choice(usize),
    /// The vehicle is built otherwise, nothing to repair: index into [`Model::cases`].
    Built(usize),
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
    /// Ids of tests that are done before.
    pub first: Vec<String>,
    /// Hypotheses of its cases.
    pub members: Vec<usize>,
    /// Mean minutes of its repairs, by prior.
    pub minutes: f64,
    /// Price band of its likeliest member.
    pub band: String,
}

/// What is held possible on a vehicle, and the odds it comes with.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Hypotheses {
    /// Hypotheses: cases, then one per class, then nothing, then outside.
    pub all: Vec<Hypothesis>,
    /// Repair classes in order of first appearance.
    pub classes: Vec<Class>,
    /// Odds multipliers per case: risk letter → multiplier.
    pub risk: Vec<BTreeMap<String, f64>>,
}

impl Hypotheses {
    /// Hypotheses of a vehicle's cases, of which the first `listed` stand in the catalogue. `beside`: for each of the
    /// others, the one whose repair cures it; `built` are the shares of the variants, which come last, and before
    /// them the parts of other values; `unheard` are the cases that weigh nothing.
    ///
    /// # Errors
    /// A fault without a repair class.
    pub fn of(
        catalogue: &Catalogue,
        profile: &Profile,
        cases: &[FaultCase],
        listed: usize,
        beside: &[usize],
        built: &[f64],
        unheard: &dyn Fn(&FaultCase) -> bool,
    ) -> Result<Self, CoreError> {
        let mut new = Self::default();
        let found = &profile.alterations;
        let altered: Vec<_> = catalogue
            .alterations
            .iter()
            .filter(|a| found.contains(a.id.get_ref()))
            .collect();
        let colours = Colours::of(profile);
        let mut known = 0.0;
        let mut index: BTreeMap<String, usize> = BTreeMap::new();
        let mut minutes: Vec<(f64, f64)> = Vec::new();
        let mut heaviest: Vec<f64> = Vec::new();
        for (k, case) in cases[..listed].iter().enumerate() {
            let prior = &catalogue.priors[&case.fault];
            let id = class_id(catalogue, profile, case);
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
                new.classes.push(Class {
                    id: id.clone(),
                    name: spec.name.clone(),
                    act: spec.act.clone(),
                    segment: spec.segment.clone(),
                    access: spec.access.clone(),
                    first: spec.first.clone(),
                    members: Vec::new(),
                    minutes: 0.0,
                    band: String::new(),
                });
                minutes.push((0.0, 0.0));
                heaviest.push(0.0);
                new.classes.len() - 1
            });
            let weight = prior.weight_on(&profile.family) * case.share;
            let altered = altered.iter().map(|a| a.factor(&case.fault));
            let weight = weight * altered.product::<f64>();
            let weight = weight * if colours.crossed(case) { CROSSED } else { 1.0 };
            known += weight;
            minutes[class].0 += weight * prior.minutes;
            minutes[class].1 += weight;
            if weight > heaviest[class] {
                heaviest[class] = weight;
                new.classes[class].band = prior.band.clone();
            }
            new.classes[class].members.push(k);
            new.risk.push(prior.risk.clone());
            new.all.push(Hypothesis {
                key: case.key.clone(),
                kind: Suspicion::Case(k),
                class: Some(class),
                weight,
            });
        }
        for (class, (sum, weight)) in new.classes.iter_mut().zip(&minutes) {
            class.minutes = sum / weight.max(1e-12);
        }
        // what the catalogue knows is what the others leave
        let outside = OUTSIDE * altered.iter().map(|a| a.outside).product::<f64>();
        let alone = BUILT.min(MOST_BUILT / built.iter().sum::<f64>().max(1e-9));
        let ways: f64 = built.iter().map(|share| alone * share).sum();
        let choices = cases.len() - listed - beside.len() - built.len();
        let known_share = 1.0 - OTHER - NOTHING - outside - ways;
        for (h, case) in new.all.iter_mut().zip(cases) {
            h.weight *= if unheard(case) {
                0.0
            } else {
                known_share / known
            };
        }
        // of something else the drawing can name most, where it names anything
        let mut drawn = vec![0usize; new.classes.len()];
        let class_of = |k: &usize| new.all[*k].class.unwrap_or(0);
        let places: Vec<usize> = beside.iter().map(class_of).collect();
        places.iter().for_each(|c| drawn[*c] += 1);
        let other = |c: usize| OTHER * minutes[c].1 / known;
        for (k, class) in (listed..).zip(places) {
            new.classes[class].members.push(k);
            new.risk.push(BTreeMap::new());
            new.all.push(Hypothesis {
                key: cases[k].key.clone(),
                kind: Suspicion::Case(k),
                class: Some(class),
                weight: DRAWN * other(class) / drawn[class] as f64,
            });
        }
        for k in (new.all.len()..).take(choices) {
            new.risk.push(BTreeMap::new());
            new.all.push(Hypothesis {
                key: cases[k].key.clone(),
                kind: Suspicion::Choice(k),
                class: None,
                weight: 0.0,
            });
        }
        for (k, share) in (new.all.len()..).zip(built) {
            new.risk.push(BTreeMap::new());
            new.all.push(Hypothesis {
                key: cases[k].key.clone(),
                kind: Suspicion::Built(k),
                class: None,
                weight: alone * share,
            });
        }
        for (k, class) in new.classes.iter().enumerate() {
            new.all.push(Hypothesis {
                key: format!("?{}", class.id),
                kind: Suspicion::Other,
                class: Some(k),
                weight: other(k) * if drawn[k] > 0 { 1.0 - DRAWN } else { 1.0 },
            });
        }
        new.all.push(Hypothesis {
            key: "nothing".into(),
            kind: Suspicion::Nothing,
            class: None,
            weight: NOTHING,
        });
        new.all.push(Hypothesis {
            key: "outside".into(),
            kind: Suspicion::Outside,
            class: None,
            weight: outside,
        });
        Ok(new)
    }
}

/// How many times as likely two wires are to sit on each other's pins where the leads on the device half have each other's
/// colours: nearly all that were put in wrongly look so, and about one device in twelve whose maker has other colours (estimate).
const CROSSED: f64 = 10.0;

/// Pins at which the colours of a plug's halves cross.
struct Colours<'a>(Vec<(&'a str, [u8; 2])>);

impl<'a> Colours<'a> {
    fn of(profile: &'a Profile) -> Self {
        let each = profile.family.strands.iter().flat_map(|s| {
            let pairs = s.crossed_colours().into_iter();
            pairs.map(|pins| (s.id.get_ref().as_str(), pins))
        });
        Self(each.collect())
    }

    /// Is a case that of two wires on each other's pins, where these colours cross?
    fn crossed(&self, case: &FaultCase) -> bool {
        let of = |(strand, [a, b]): &(&str, [u8; 2])| {
            [format!("{strand}.{a}.{b}"), format!("{strand}.{b}.{a}")].contains(&case.x)
        };
        case.fault == "har-crossed" && self.0.iter().any(of)
    }
}

/// Shares before anything is told: something else in a class, nothing wrong, outside the drawing; the rest are faults of the
/// catalogue.
const OTHER: f64 = 0.18;
const NOTHING: f64 = 0.08;
const OUTSIDE: f64 = 0.03;
/// Of vehicles that are built in one of the known other ways, how many come with nothing to repair.
const BUILT: f64 = 0.08;
/// Share of vehicles that come in with nothing to repair and built otherwise, however many ways there are.
const MOST_BUILT: f64 = 0.10;
/// Share of “something else in a class” that the drawing can name: every contact, run, lead, winding, pull-up, sensor and
/// switch can fail, known or not.
const DRAWN: f64 = 0.85;

/// Repair class of a listed case.
pub(super) fn class_id(catalogue: &Catalogue, profile: &Profile, case: &FaultCase) -> String {
    let own = spannung_circuit::fault::fill(&catalogue.priors[&case.fault].class, &case.x, profile);
    // a second drive is mended as the first is
    match own.strip_suffix(SECOND) {
        Some(first) if !catalogue.classes.contains_key(&own) => first.into(),
        _ => own,
    }
}
