//! The exact optimum on problems small enough for it: some faults of a model, some of its tests, every sequence.
//!
//! A problem keeps the predictions of its faults and tests, with the outcomes of a test merged to three at most, and
//! lets every test be done from where one stands. Its optimum is found by dynamic programming over what has been seen
//! and what has been repaired; the engine's plan is followed through the same tree.

use rand::{RngExt, SeedableRng};
use rand_chacha::ChaCha8Rng;
use spannung_core::diagnosis::choose::{self, Situation};
use spannung_core::diagnosis::hypothesis::{Class, Hypothesis, Suspicion};
use spannung_core::diagnosis::plan::{self, Action, PROVE_MINUTES, Prices};
use spannung_core::diagnosis::rows::Rows;
use spannung_core::diagnosis::unknown::Unknown;
use spannung_core::diagnosis::{Belief, Model};
use std::collections::HashMap;

/// Outcomes of a test in a small problem.
const OUTCOMES: usize = 3;
/// A vehicle that nobody can repair here costs so much, as in the plan.
const REFER_MINUTES: f64 = 240.0;

/// A small problem.
pub struct Small {
    model: Model,
    prices: Prices,
    /// Minutes and part of each repair, as minutes.
    repair: Vec<f64>,
}

/// What has been seen of each test (0 not done, else outcome + 1), and what has been repaired, as bits.
type Seen = (Vec<u8>, u32);

impl Small {
    /// Draw a problem of so many faults and tests from a model.
    pub fn draw(model: &Model, faults: usize, tests: usize, seed: u64) -> Self {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let mut chosen: Vec<usize> = Vec::new();
        let mut classes: Vec<usize> = Vec::new();
        while chosen.len() < faults {
            let k = rng.random_range(0..model.listed);
            let class = model.hypotheses[k].class.unwrap_or(0);
            if !classes.contains(&class) {
                classes.push(class);
                chosen.push(k);
            }
        }
        // tests that say something about these faults
        let tells = |t: usize| {
            let rows = &model.rows[t];
            let differs = |k: &&usize| {
                let pairs = rows.row(**k).iter().zip(&rows.healthy);
                pairs.map(|(a, b)| (a - b).abs()).sum::<f64>() > 0.3
            };
            chosen.iter().filter(differs).count()
        };
        let mut able: Vec<usize> = (0..model.tests.len()).filter(|t| tells(*t) > 0).collect();
        let mut picked: Vec<usize> = Vec::new();
        while picked.len() < tests && !able.is_empty() {
            picked.push(able.swap_remove(rng.random_range(0..able.len())));
        }
        let merged = |t: usize| -> Vec<Vec<f64>> {
            let rows = &model.rows[t];
            let n = rows.healthy.len();
            let into = |row: &[f64]| {
                let mut out = vec![0.0; OUTCOMES.min(n)];
                for (o, p) in row.iter().enumerate() {
                    let last = out.len() - 1;
                    out[o.min(last)] += p;
                }
                out
            };
            let mut all: Vec<Vec<f64>> = chosen.iter().map(|k| into(rows.row(*k))).collect();
            all.push(into(&rows.healthy));
            all
        };
        let mut small = model.clone();
        small.cases = chosen.iter().map(|k| model.cases[*k].clone()).collect();
        let total: f64 = chosen.iter().map(|k| model.hypotheses[*k].weight).sum();
        small.hypotheses = chosen
            .iter()
            .enumerate()
            .map(|(k, old)| Hypothesis {
                key: model.hypotheses[*old].key.clone(),
                kind: Suspicion::Case(k),
                class: Some(k),
                // none so rare that it does not matter
                weight: 0.5 * model.hypotheses[*old].weight / total + 0.5 / chosen.len() as f64,
            })
            .collect();
        small.classes = classes
            .iter()
            .enumerate()
            .map(|(k, old)| Class {
                members: vec![k],
                access: "a0".into(),
                ..model.classes[*old].clone()
            })
            .collect();
        small.tests = picked
            .iter()
            .map(|t| {
                let mut test = model.tests[*t].clone();
                let access = model.profile.family.access.get(&test.access);
                test.minutes += access.map_or(0.0, |a| a.minutes) * 0.5 + 0.5;
                test.access = "a0".into();
                test.state = spannung_circuit::Requirement::default();
                test.first_minute = None;
                test.lends = None;
                test.risk = 0;
                test
            })
            .collect();
        small.rows = picked
            .iter()
            .map(|t| {
                let mut rows = merged(*t);
                let healthy = rows.pop().unwrap_or_default();
                Rows::given(rows.into_iter(), healthy)
            })
            .map(std::sync::Arc::new)
            .collect();
        small.columns = Vec::new();
        let prices = Prices::default();
        let repair = small
            .classes
            .iter()
            .map(|c| c.minutes + PROVE_MINUTES + prices.part_minutes(&c.band))
            .collect();
        Self {
            model: small,
            prices,
            repair,
        }
    }

    /// Shares after what has been seen and repaired, not normalised.
    fn shares(&self, seen: &Seen) -> Vec<f64> {
        let m = &self.model;
        (0..m.hypotheses.len())
            .map(|h| {
                if seen.1 & (1 << h) != 0 {
                    return 0.0;
                }
                let each = seen.0.iter().enumerate().filter(|(_, o)| **o > 0);
                each.fold(m.hypotheses[h].weight, |p, (t, o)| {
                    p * m.rows[t].row(h)[usize::from(*o) - 1]
                })
            })
            .collect()
    }

    fn minutes(&self, test: usize) -> f64 {
        self.model.tests[test].minutes
    }

    /// Expected cost of the best that can be done, minutes.
    pub fn best(&self) -> f64 {
        let start = (vec![0; self.model.tests.len()], 0);
        self.best_from(&start, &mut HashMap::new())
    }

    fn best_from(&self, seen: &Seen, known: &mut HashMap<Seen, f64>) -> f64 {
        if let Some(v) = known.get(seen) {
            return *v;
        }
        let shares = self.shares(seen);
        let total: f64 = shares.iter().sum();
        if total < 1e-12 {
            return 0.0;
        }
        // refer: the right repair is then paid elsewhere
        let elsewhere: f64 = shares.iter().zip(&self.repair).map(|(p, c)| p * c).sum();
        let mut best = REFER_MINUTES + elsewhere / total;
        for (h, p) in shares.iter().enumerate().filter(|(_, p)| **p > 0.0) {
            let left = (total - p) / total;
            let mut next = seen.clone();
            next.1 |= 1 << h;
            let after = if left > 1e-9 {
                left * self.best_from(&next, known)
            } else {
                0.0
            };
            best = best.min(self.repair[h] + after);
        }
        for test in (0..seen.0.len()).filter(|t| seen.0[*t] == 0) {
            let after = self.split(seen, test, &shares, total, &mut |next| {
                self.best_from(next, known)
            });
            best = best.min(self.minutes(test) + after);
        }
        known.insert(seen.clone(), best);
        best
    }

    /// Expected value over the outcomes of a test.
    fn split(
        &self,
        seen: &Seen,
        test: usize,
        shares: &[f64],
        total: f64,
        value: &mut dyn FnMut(&Seen) -> f64,
    ) -> f64 {
        let rows = &self.model.rows[test];
        let mut sum = 0.0;
        for o in 0..rows.healthy.len() {
            let p: f64 = shares
                .iter()
                .enumerate()
                .map(|(h, s)| s * rows.row(h)[o])
                .sum();
            if p / total < 1e-9 {
                continue;
            }
            let mut next = seen.clone();
            next.0[test] = o as u8 + 1;
            sum += p / total * value(&next);
        }
        sum
    }

    /// Expected cost when the engine's plan is followed, minutes.
    pub fn planned(&self) -> f64 {
        let start = (vec![0; self.model.tests.len()], 0);
        self.planned_from(&start, &mut HashMap::new())
    }

    fn planned_from(&self, seen: &Seen, known: &mut HashMap<Seen, f64>) -> f64 {
        if let Some(v) = known.get(seen) {
            return *v;
        }
        let shares = self.shares(seen);
        let total: f64 = shares.iter().sum();
        if total < 1e-12 {
            return 0.0;
        }
        let belief = Belief {
            chosen: Vec::new(),
            ways: Vec::new(),
            shares: shares.iter().map(|p| p / total).collect(),
            items: Vec::new(),
            trail: Vec::new(),
            unexplained: Vec::new(),
            unknown: Unknown::default(),
        };
        let situation = Situation {
            risk_limit: 4,
            closed: seen
                .0
                .iter()
                .enumerate()
                .filter(|(_, o)| **o > 0)
                .map(|(t, _)| self.model.tests[t].id.clone())
                .collect(),
            ..Situation::default()
        };
        let ranked = choose::rank(&self.model, &belief, &situation);
        let plan = plan::plan(&self.model, &belief, &[], &situation, &self.prices, &ranked);
        let value = match plan.action {
            Action::Test(test) | Action::Ask(test, _) => {
                let after = self.split(seen, test, &shares, total, &mut |next| {
                    self.planned_from(next, known)
                });
                self.minutes(test) + after
            }
            Action::Repair(class) | Action::Decline(class) => {
                let left = (total - shares[class]) / total;
                let mut next = seen.clone();
                next.1 |= 1 << class;
                let after = if left > 1e-9 {
                    left * self.planned_from(&next, known)
                } else {
                    0.0
                };
                self.repair[class] + after
            }
            Action::HandBack | Action::Built(_) | Action::Refer => {
                let elsewhere: f64 = shares.iter().zip(&self.repair).map(|(p, c)| p * c).sum();
                REFER_MINUTES + elsewhere / total
            }
        };
        known.insert(seen.clone(), value);
        value
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use spannung_circuit::Profile;
    use spannung_core::catalogue::Catalogue;

    /// The optimum is a bound: no plan costs less. How far above it the plan stays is the report's business.
    #[test]
    fn no_plan_beats_the_optimum() {
        let catalogue = Catalogue::shipped().expect("the catalogue reads");
        let family = catalogue.family(12, "brushed").expect("the toy ships");
        let profile = Profile::new(family, &[]).expect("a plain profile");
        let model = Model::build(&catalogue, &profile).expect("the model builds");
        for seed in 0..6 {
            let small = Small::draw(&model, 7, 4, seed);
            let (best, planned) = (small.best(), small.planned());
            assert!(
                planned >= best - 1e-6,
                "seed {seed}: {planned} under {best}"
            );
        }
    }
}
