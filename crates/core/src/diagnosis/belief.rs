//! Evidence → likelihood → shares.
//!
//! A figure's likelihood under a fault is (1−ε)·[q·t(y; fault) + (1−q)·t(y; healthy)] plus ε/2 for
//! tips that touched nothing and ε/2 uniform (ε = 2 %; q = 0.35 for an intermittent fault; t is
//! Student's with 5 degrees of freedom). The pack's charge is a shared unknown: each hypothesis keeps
//! mean and variance of the log of the pack's voltage against its nominal one and updates them with
//! every figure that follows it. How faults read that the catalogue does not hold is [`unknown`](super::unknown)'s.

use crate::diagnosis::predict::{Column, Hypothesis, Model, Prediction, Scale, Suspicion};
use crate::diagnosis::unknown::{Looks, Unknown};
use spannung_circuit::FaultCase;
use std::collections::BTreeMap;
use std::sync::Arc;

/// Share of readings taken at the wrong place.
pub const MISPROBE: f64 = 0.02;
/// Chance that an intermittent fault shows in a still reading.
const SHOWS: f64 = 0.35;
/// Deviation of the log of the pack's voltage before it is measured: lithium rests anywhere between 3.3 and 4.2 V a
/// group, lead between 11.7 and 12.8 V a block.
const PACK_SIGMA: f64 = 0.05;
const PACK_SIGMA_LEAD: f64 = 0.028;
/// Log weight of a suspect ruled out (or in) by hand.
pub const BY_HAND: f64 = 8.0;

/// What came out of a test.
#[derive(Debug, Clone, PartialEq)]
pub enum Answer {
    /// Figure, SI; low = high for a steady one.
    Figure {
        /// Lowest.
        low: f64,
        /// Highest.
        high: f64,
    },
    /// The meter showed OL.
    OverRange,
    /// The meter showed nothing: 0 V, or OL on ohms.
    Nothing,
    /// It would not stand still.
    NotSteady,
    /// Could not be reached: no evidence.
    CannotReach,
    /// Index of the sign's value that was seen.
    Outcome(usize),
    /// Could not be told: no evidence.
    CannotTell,
}

/// One piece of evidence.
#[derive(Debug, Clone, PartialEq)]
pub enum Item {
    /// A symptom told or denied.
    Symptom {
        /// Id.
        id: String,
        /// Told (true) or denied.
        yes: bool,
        /// By the customer; otherwise seen by the technician (reliability 0.97).
        customer: bool,
    },
    /// A risk factor present or absent.
    Risk {
        /// Letter.
        id: String,
        /// Present.
        yes: bool,
    },
    /// A test.
    Test {
        /// Index.
        test: usize,
        /// Result.
        answer: Answer,
        /// Predictions for the state it was taken in, when that differs from the test's own.
        column: Option<Arc<Column>>,
    },
    /// The repair of a class was done and the complaint still shows: either it was another fault, or this one and a
    /// second. What is read from here on is read with the repair done.
    Failed {
        /// Class index.
        class: usize,
        /// Of what was told: what shows still, and what is gone.
        still: BTreeMap<String, bool>,
    },
    /// A class ruled out or in by hand.
    ByHand {
        /// Class index.
        class: usize,
        /// Out or in.
        out: bool,
    },
}

/// An item with the id of the entry it came from.
#[derive(Debug, Clone, PartialEq)]
pub struct Evidence {
    /// Entry id.
    pub entry: String,
    /// What.
    pub item: Item,
}

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

/// Student's t density, 5 degrees of freedom, scaled.
fn student(residual: f64, sigma: f64) -> f64 {
    let r = residual / sigma;
    0.379_606_690 / sigma * (1.0 + r * r / 5.0).powi(-3)
}

#[derive(Clone, Copy)]
struct Latent {
    mean: f64,
    var: f64,
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
        let sigma = if model.profile.family.has("lead") {
            PACK_SIGMA_LEAD
        } else {
            PACK_SIGMA
        };
        let start = Latent {
            mean: 0.0,
            var: sigma * sigma,
        };
        let mut latent = vec![start; model.cases.len()];
        let mut latent_healthy = start;
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
                Item::ByHand { class, out } => (0..n)
                    .map(|h| {
                        let mine = model.hypotheses[h].class == Some(*class);
                        if mine == *out { -BY_HAND } else { 0.0 }
                    })
                    .collect(),
                Item::Failed { class, still } => {
                    mended[*class] += 1;
                    // charged for the repair, or ridden to try it: the pack's charge is not known any more
                    latent.fill(start);
                    latent_healthy = start;
                    let failed = Failed {
                        class: *class,
                        again: mended[*class] > 1,
                        still,
                    };
                    failed.weigh(model, &log, evidence, &belief.items)
                }
                Item::Test {
                    test,
                    answer,
                    column,
                } => {
                    let column = column.as_deref().unwrap_or(&model.columns[*test]);
                    let (like, dust) = test_likelihood(
                        model,
                        column,
                        answer,
                        &mut latent,
                        &mut latent_healthy,
                        &mut belief.unknown,
                    );
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

/// Repairs that leave the fault as it was.
const BOTCHED: f64 = 0.02;
/// Log weight of a class whose repair was done twice and did not help.
const TWICE: f64 = 40.0;
/// Two independent faults on one vehicle, against one.
const PAIR: f64 = 0.03;
/// Faults of the repaired class that pairs are opened for, the likeliest.
const PAIRED: usize = 4;
/// Chance that a fault which is not mended stops showing what was told of it.
const GONE: f64 = 0.05;
/// Log-likelihoods closer than this to those of a sound vehicle: the fault does not move this reading.
const STILL: f64 = 0.1;

/// The repair of a class did not end the complaint. What is left is (a) another fault alone, with all readings so far
/// speaking of it, and (b) a fault of the class, now mended, beside a second fault: readings taken before the repair
/// then speak of both. Of two faults the one that moves a reading decides it; where both do, neither is known to win
/// and the mean of both stands. Of what was told, what is gone came from the mended fault alone, and what shows still
/// comes from the second.
struct Failed<'a> {
    class: usize,
    /// It was done before.
    again: bool,
    still: &'a BTreeMap<String, bool>,
}

impl Failed<'_> {
    /// Log-likelihood of one item of before under a mended fault and a second one.
    fn both(&self, item: &Item, of_mended: f64, of_second: f64, sound: f64) -> f64 {
        match item {
            // told symptoms add up: a yes is explained by either, a no needs both silent
            Item::Symptom { id, yes: true, .. } => match self.still.get(id) {
                Some(true) => of_second,
                Some(false) => of_mended + (-of_second.exp()).ln_1p().max(GONE.ln()),
                None => of_mended.max(of_second),
            },
            Item::Symptom { .. } => of_mended.min(of_second),
            Item::Test { .. } if (of_mended - sound).abs() < STILL => of_second,
            Item::Test { .. } if (of_second - sound).abs() < STILL => of_mended,
            Item::Test { .. } => ((of_mended.exp() + of_second.exp()) / 2.0).ln(),
            Item::Risk { .. } => of_mended + of_second,
            Item::ByHand { .. } | Item::Failed { .. } => of_second,
        }
    }

    /// Log-weight to add per hypothesis.
    fn weigh(
        &self,
        model: &Model,
        log: &[f64],
        evidence: &[Evidence],
        items: &[Vec<f64>],
    ) -> Vec<f64> {
        let nothing = |h: &Hypothesis| h.kind == Suspicion::Nothing;
        let sound = model.hypotheses.iter().position(nothing).unwrap_or(0);
        let total: f64 = model.hypotheses.iter().map(|h| h.weight).sum();
        let prior = |h: usize| (model.hypotheses[h].weight / total).max(1e-300).ln();
        let is_mended = |h: usize| model.hypotheses[h].class == Some(self.class);
        let mut mended: Vec<usize> = (0..log.len()).filter(|h| is_mended(*h)).collect();
        mended.sort_by(|a, b| log[*b].total_cmp(&log[*a]).then(a.cmp(b)));
        mended.truncate(PAIRED);
        // nobody botches the same repair twice
        let down = if self.again { TWICE } else { BY_HAND };
        // one fault that is not mended goes on showing what it showed
        let gone = self.still.values().filter(|yes| !**yes).count() as f64 * GONE.ln();
        // all on the scale on which the log of a hypothesis is its prior and its items
        let own: f64 = items.iter().map(|i| i[0]).sum();
        let offset = log.first().map_or(0.0, |l| l - own - prior(0));
        let weight = |g: usize| {
            let now = log[g] - offset;
            let alone = now + gone - if is_mended(g) { down } else { 0.0 };
            let kind = &model.hypotheses[g].kind;
            if is_mended(g) || !matches!(kind, Suspicion::Case(_) | Suspicion::Other) {
                return alone - now;
            }
            let joint = |r: usize| -> f64 {
                let each = evidence.iter().zip(items);
                each.map(|(e, i)| self.both(&e.item, i[r], i[g], i[sound]))
                    .sum()
            };
            let pairs = mended.iter().map(|&r| prior(r) + joint(r) + prior(g));
            let all: Vec<f64> = pairs.map(|p| p + PAIR.ln()).chain([alone]).collect();
            let top = all.iter().copied().fold(f64::MIN, f64::max);
            top + all.iter().map(|l| (l - top).exp()).sum::<f64>().ln() - now
        };
        (0..log.len()).map(weight).collect()
    }
}

fn symptom(model: &Model, id: &str, yes: bool, customer: bool, unknown: &mut Unknown) -> Vec<f64> {
    let Some(column) = model.symptoms.get(id) else {
        return vec![1.0; model.hypotheses.len()];
    };
    let (base, leak, reliability) = model.symptom_base[id];
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

fn test_likelihood(
    model: &Model,
    column: &Column,
    answer: &Answer,
    latent: &mut [Latent],
    healthy_latent: &mut Latent,
    unknown: &mut Unknown,
) -> (Vec<f64>, f64) {
    let flat = || (vec![1.0; model.hypotheses.len()], 0.0);
    match (column, answer) {
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
        (
            Column::Figures {
                scale,
                dims,
                cases,
                healthy,
                ..
            },
            answer,
        ) => {
            let y = match answer {
                Answer::Figure { low, high } => [scale.to(*low), scale.to(*high)],
                Answer::OverRange => [over(*scale); 2],
                Answer::Nothing if *scale == Scale::Ohms || *scale == Scale::Milliohms => {
                    [over(*scale); 2]
                }
                _ => [scale.to(0.0); 2],
            };
            figure_likelihood(
                model,
                *scale,
                *dims,
                cases,
                healthy,
                y,
                latent,
                healthy_latent,
                unknown,
            )
        }
    }
}

/// Scale value of OL.
fn over(scale: Scale) -> f64 {
    match scale {
        Scale::Ohms => scale.to(f64::INFINITY),
        Scale::Milliohms => scale.to(10.0),
        Scale::Volts => 3.0,
        Scale::Amps => 0.0,
    }
}

#[allow(clippy::too_many_arguments)]
fn figure_likelihood(
    model: &Model,
    scale: Scale,
    dims: usize,
    cases: &[Prediction],
    healthy: &Prediction,
    y: [f64; 2],
    latent: &mut [Latent],
    healthy_latent: &mut Latent,
    unknown: &mut Unknown,
) -> (Vec<f64>, f64) {
    let density = |p: &Prediction, l: &mut Latent| -> f64 {
        let mut total = 1.0;
        for (d, &seen) in y.iter().enumerate().take(dims) {
            let c = p.slope[d];
            let inst = scale.instrument(p.mean[d]);
            let var = p.spread[d].powi(2) * 7.0 / 6.0 + inst * inst + c * c * l.var + 1e-8;
            let residual = seen - p.mean[d] - c * l.mean;
            let sigma = var.sqrt();
            total *= student(residual, sigma);
            if c.abs() > 1e-6 && residual.abs() < 4.0 * sigma {
                let gain = l.var * c / var;
                l.mean += gain * residual;
                l.var -= gain * c * l.var;
            }
        }
        total
    };
    let width = scale.width().powi(dims as i32);
    let uniform = 1.0 / width;
    let none = {
        let at_zero =
            |v: f64| student(v - scale.to(0.0), scale.instrument(scale.to(0.0)).max(0.01));
        let at_open = |v: f64| student(v - over(scale), scale.instrument(over(scale)).max(0.02));
        let one = |v: f64| match scale {
            Scale::Ohms | Scale::Milliohms => at_open(v),
            _ => at_zero(v),
        };
        y.iter().take(dims).map(|v| one(*v)).product::<f64>()
    };
    let noise = MISPROBE / 2.0 * none + MISPROBE / 2.0 * uniform;
    let keep = 1.0 - MISPROBE;
    let before = *healthy_latent;
    let h = density(healthy, healthy_latent);
    let mut values = Vec::with_capacity(cases.len());
    for (k, p) in cases.iter().enumerate() {
        let mine = if p == healthy && latent[k].mean == before.mean && latent[k].var == before.var {
            latent[k] = *healthy_latent;
            h
        } else {
            density(p, &mut latent[k])
        };
        let mixed = if model.cases[k].intermittent {
            SHOWS * mine + (1.0 - SHOWS) * h
        } else {
            mine
        };
        values.push(keep * mixed + noise);
    }
    let like = unknown.read(model, &values, keep * h + noise, Some(uniform));
    (like, 0.5 * uniform + noise)
}
