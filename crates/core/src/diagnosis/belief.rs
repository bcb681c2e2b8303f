//! Evidence → likelihood → shares.
//!
//! Every hypothesis filters what the vehicle shares, what each net has for itself and which nets are not as drawn
//! ([`filter`](super::filter)); how faults read that the catalogue does not hold is [`unknown`](super::unknown)'s, what is
//! left after a repair that did not help [`pairs`](super::pairs)'.

use crate::catalogue::fnv;
use crate::diagnosis::column::Column;
use crate::diagnosis::evidence::{Answer, BY_HAND, Evidence, Item, TakenIn};
use crate::diagnosis::figure::{Figure, MISPROBE, SHOWS};
use crate::diagnosis::filter::{Filter, Reading, Shared, UNDRAWN};
use crate::diagnosis::hypothesis::{Hypothesis, Suspicion};
use crate::diagnosis::model::{Model, Rate};
use crate::diagnosis::nets::Place;
use crate::diagnosis::pairs::Failed;
use crate::diagnosis::unknown::{Looks, Unknown};
use spannung_circuit::FaultCase;

/// Shares after all evidence.
#[derive(Debug, Clone)]
pub struct Belief {
    /// Share of each hypothesis, sums to one.
    pub shares: Vec<f64>,
    /// Log-likelihood of each item under each hypothesis.
    pub items: Vec<Vec<f64>>,
    /// Share of each class after each item (index 0: before any).
    pub trail: Vec<Vec<f64>>,
    /// Share of the hypotheses under which an item is no more likely than a slip of the tips or a
    /// figure out of the blue (0 for items that are no figures).
    pub unexplained: Vec<f64>,
    /// What is known of unknown faults.
    pub unknown: Unknown,
}

/// Share of each class.
pub fn class_shares(model: &Model, shares: &[f64]) -> Vec<f64> {
    let mut out = vec![0.0; model.classes.len()];
    for (h, p) in model.hypotheses.iter().zip(shares) {
        if let Some(c) = h.class {
            out[c] += p;
        }
    }
    out
}

fn normalise(log: &[f64]) -> Vec<f64> {
    let top = log.iter().copied().fold(f64::MIN, f64::max);
    let raw: Vec<f64> = log.iter().map(|l| (l - top).exp()).collect();
    let sum: f64 = raw.iter().sum();
    raw.iter().map(|r| r / sum).collect()
}

/// What is known of the vehicle under each case, and with nothing wrong. A case that reads as a sound vehicle at all that
/// was read so far has none of its own.
struct Filters {
    cases: Vec<Option<Box<Filter>>>,
    healthy: Filter,
}

impl Filters {
    fn new(model: &Model) -> Self {
        Self {
            cases: vec![None; model.cases.len()],
            healthy: Filter::new(&model.variances, model.nets.names.len()),
        }
    }

    /// After a repair.
    fn anew(&mut self, model: &Model) {
        let own = self.cases.iter_mut().flatten().map(AsMut::as_mut);
        own.chain([&mut self.healthy])
            .for_each(|f| f.anew(&model.variances));
    }
}

impl Belief {
    /// Work out the shares from scratch: the same evidence in the same order gives the same bytes.
    pub fn of(model: &Model, evidence: &[Evidence]) -> Self {
        let n = model.hypotheses.len();
        let mut log: Vec<f64> = model
            .hypotheses
            .iter()
            .map(|h| h.weight.max(1e-300).ln())
            .collect();
        let mut filters = Filters::new(model);
        let mut belief = Self {
            shares: normalise(&log),
            items: Vec::new(),
            trail: Vec::new(),
            unexplained: Vec::new(),
            unknown: Unknown::new(model),
        };
        let mut floors = Vec::new();
        let sound = model
            .hypotheses
            .iter()
            .position(|h| h.kind == Suspicion::Nothing)
            .unwrap_or(0);
        let mut mended = vec![0u32; model.classes.len()];
        belief.trail.push(class_shares(model, &belief.shares));
        for e in evidence {
            let mut floor = 0.0;
            // what was repaired shows and reads as sound from then on, unless the repair was botched
            let mend = |like: Vec<f64>, mended: &[u32]| -> Vec<f64> {
                let now = |(h, l): (&Hypothesis, &f64)| match h.class {
                    Some(c) if mended[c] == 1 => BOTCHED * l + (1.0 - BOTCHED) * like[sound],
                    Some(c) if mended[c] > 1 => like[sound],
                    _ => *l,
                };
                let each = model.hypotheses.iter().zip(&like).map(now);
                each.map(|l| l.max(1e-30).ln()).collect()
            };
            let item: Vec<f64> = match &e.item {
                Item::Symptom { id, yes, customer } => {
                    let like = symptom(model, id, *yes, *customer, &mut belief.unknown);
                    mend(like, &mended)
                }
                Item::Risk { id, yes } => risk(model, id, *yes, &mut belief.unknown),
                Item::NotBuilt { case } => {
                    let this = Suspicion::Built(*case);
                    let each = model.hypotheses.iter();
                    each.map(|h| if h.kind == this { -LOOKED_AT } else { 0.0 })
                        .collect()
                }
                Item::ByHand { class, out } => (0..n)
                    .map(|h| {
                        let mine = model.hypotheses[h].class == Some(*class);
                        if mine == *out { -BY_HAND } else { 0.0 }
                    })
                    .collect(),
                Item::Failed { class, still } => {
                    mended[*class] += 1;
                    // charged for the repair, or ridden to try it: the pack's charge is not known any more
                    filters.anew(model);
                    let failed = Failed {
                        model,
                        class: *class,
                        again: mended[*class] > 1,
                        still,
                        before: &evidence[..belief.items.len()],
                        items: &belief.items,
                        shared: Shared::new(&model.variances),
                    };
                    failed.weigh(&log)
                }
                Item::Test {
                    test,
                    answer,
                    taken_in,
                } => {
                    let at = At::of(model, *test, taken_in.as_ref());
                    let (like, dust) =
                        test_likelihood(model, &at, answer, &mut filters, &mut belief.unknown);
                    floor = dust;
                    mend(like, &mended)
                }
            };
            for (l, i) in log.iter_mut().zip(&item) {
                *l += i;
            }
            belief.shares = normalise(&log);
            belief.trail.push(class_shares(model, &belief.shares));
            belief.items.push(item);
            floors.push(floor);
        }
        belief.unexplained = belief
            .items
            .iter()
            .zip(&floors)
            .map(|(item, floor)| {
                let below = item
                    .iter()
                    .zip(&belief.shares)
                    .filter(|(l, _)| l.exp() <= *floor);
                below.map(|(_, p)| p).sum()
            })
            .collect();
        belief
    }

    /// Share of each class.
    pub fn classes(&self, model: &Model) -> Vec<f64> {
        class_shares(model, &self.shares)
    }

    /// Shares by what they read, whatever the repair.
    pub fn looks(&self, model: &Model) -> Looks {
        self.unknown.looks(model, &self.shares)
    }

    /// Share of “nothing wrong” and of “something this drawing does not hold”.
    pub fn others(&self, model: &Model) -> (f64, f64) {
        let pick = |kind: &Suspicion| {
            let fits = model
                .hypotheses
                .iter()
                .zip(&self.shares)
                .filter(|(h, _)| h.kind == *kind);
            fits.map(|(_, p)| p).sum::<f64>()
        };
        (pick(&Suspicion::Nothing), pick(&Suspicion::Outside))
    }

    /// Share of vehicles that are built otherwise, with nothing to repair.
    pub fn built(&self, model: &Model) -> f64 {
        let fits = model.hypotheses.iter().zip(&self.shares);
        let built = fits.filter(|(h, _)| matches!(h.kind, Suspicion::Built(_)));
        built.map(|(_, p)| p).sum()
    }

    /// What an item did to a class, as a natural log of odds against all others.
    pub fn weight(&self, model: &Model, item: usize, class: usize) -> f64 {
        let mut mine = (0.0, 0.0);
        let mut rest = (0.0, 0.0);
        for ((h, p), l) in model
            .hypotheses
            .iter()
            .zip(&self.shares)
            .zip(&self.items[item])
        {
            // shares after all evidence over this item's likelihood = shares without it
            let without = p / l.exp();
            let side = if h.class == Some(class) {
                &mut mine
            } else {
                &mut rest
            };
            side.0 += p;
            side.1 += without;
        }
        if mine.1 <= 0.0 || rest.1 <= 0.0 || mine.0 <= 0.0 || rest.0 <= 0.0 {
            return 0.0;
        }
        (mine.0 / mine.1).ln() - (rest.0 / rest.1).ln()
    }
}

/// Log weight of a way to build the vehicle that somebody looked for and did not find.
const LOOKED_AT: f64 = 14.0;
/// Repairs that leave the fault as it was.
const BOTCHED: f64 = 0.02;
fn symptom(model: &Model, id: &str, yes: bool, customer: bool, unknown: &mut Unknown) -> Vec<f64> {
    let Some(column) = model.symptoms.get(id) else {
        return vec![1.0; model.hypotheses.len()];
    };
    let Rate {
        base,
        leak,
        reliability,
    } = model.symptom_base[id];
    let r = if customer { reliability } else { 0.97 };
    let told = |p: f64| {
        let p = r * p + (1.0 - r) * leak;
        if yes { p } else { 1.0 - p }
    };
    let cases: Vec<f64> = column.iter().map(|p| told(*p)).collect();
    unknown.read(model, &cases, told(base), None)
}

fn risk(model: &Model, id: &str, yes: bool, unknown: &mut Unknown) -> Vec<f64> {
    let rate = model.risk_rate.get(id).copied().unwrap_or(0.0);
    let of = |case: usize| {
        let k = model.risk[case].get(id).copied().unwrap_or(1.0);
        let base = 1.0 + rate * (k - 1.0);
        if yes { k / base } else { 1.0 / base }
    };
    let cases: Vec<f64> = (0..model.cases.len()).map(of).collect();
    let like = unknown.read(model, &cases, 1.0, None);
    like.iter().map(|l| l.ln()).collect()
}

/// A test as it was taken.
struct At<'a> {
    column: &'a Column,
    place: Place,
    /// Tells readings apart that can be repeated.
    key: u64,
}

impl<'a> At<'a> {
    fn of(model: &'a Model, test: usize, taken_in: Option<&'a TakenIn>) -> Self {
        let state = taken_in.map_or_else(String::new, |t| format!("{:?}", t.state));
        Self {
            column: taken_in.map_or(&*model.columns[test], |t| &t.column),
            place: model.nets.places[test].unwrap_or_default(),
            key: fnv(state.bytes().chain(test.to_le_bytes())),
        }
    }
}

/// Likelihood of a test's answer under each hypothesis, and what a slip of the tips or a net that is not as drawn is worth.
fn test_likelihood(
    model: &Model,
    at: &At<'_>,
    answer: &Answer,
    filters: &mut Filters,
    unknown: &mut Unknown,
) -> (Vec<f64>, f64) {
    let flat = || (vec![1.0; model.hypotheses.len()], 0.0);
    match (at.column, answer) {
        (_, Answer::CannotReach | Answer::CannotTell) => flat(),
        (Column::Outcomes { cases, healthy }, Answer::Outcome(k)) if *k < healthy.len() => {
            let k = *k;
            let any = 1.0 / healthy.len() as f64;
            let h = healthy[k];
            let values: Vec<f64> = cases.iter().map(|c| c[k]).collect();
            (unknown.read(model, &values, h, Some(any)), 0.0)
        }
        (Column::Outcomes { .. }, _) => flat(),
        (Column::Figures { .. }, Answer::NotSteady) => {
            let shaky = |c: &FaultCase| if c.intermittent { 0.5 } else { 0.05 };
            let values: Vec<f64> = model.cases.iter().map(shaky).collect();
            (unknown.read(model, &values, 0.05, Some(0.2)), 0.0)
        }
        (Column::Figures { readings, .. }, answer) => {
            let Some(figure) = Figure::of(at.column, answer) else {
                return flat();
            };
            let reading = Reading {
                figure: &figure,
                place: at.place,
                key: at.key,
                undrawn: figure.undrawn(model.pack_volts()),
                slip: figure.slip(),
            };
            let before = filters.healthy.clone();
            let sound = filters.healthy.take(&reading, &readings.healthy, None);
            let each = model.cases.iter().zip(&mut filters.cases).enumerate();
            let values: Vec<f64> = each
                .map(|(k, (case, own))| {
                    let moved = readings.moved(k);
                    if moved.is_none() && own.is_none() {
                        return sound;
                    }
                    let rests = (case.intermittent && moved.is_some())
                        .then_some((&readings.healthy, SHOWS));
                    let filter = own.get_or_insert_with(|| Box::new(before.clone()));
                    filter.take(&reading, readings.of(k), rests)
                })
                .collect();
            let like = unknown.read(model, &values, sound, Some(reading.undrawn));
            let dust = (1.0 - MISPROBE) * UNDRAWN * reading.undrawn + MISPROBE * reading.slip;
            (like, 1.5 * dust)
        }
    }
}
