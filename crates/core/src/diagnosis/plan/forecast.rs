//! What the rest of the job will take: it is played to its end many times.

use crate::catalogue::fnv;
use crate::cores::share_out;
use crate::diagnosis::belief::Belief;
use crate::diagnosis::choose::{self, Candidate, Situation};
use crate::diagnosis::evidence::BY_HAND;
use crate::diagnosis::model::Model;
use crate::diagnosis::now::Now;
use crate::diagnosis::plan::cost::{
    Costs, DECLINE_MINUTES, NOTHING_MINUTES, Prices, REFER_MINUTES,
};
use crate::diagnosis::plan::{Action, plan, with_nothing};
use std::collections::BTreeSet;

/// Tests whose rate stands for all probing that is left.
const BEST_TESTS: usize = 3;
/// Longest probing, minutes.
const PROBING_MOST: f64 = 60.0;
/// A job is sure when its likeliest end has nearly all; this far from it, it is wholly open.
const UNSURE: f64 = 0.3;
/// Minutes of an open job at 10 %, half, 90 %: fixed, part of the expected cost of repair, part of the probing. Least
/// squares over 60 played jobs of four families, then widened by hand; of these and 60 others twelve were not within.
const QUANTILES: [(f64, [f64; 3]); 3] = [
    (0.1, [5.0, 0.06, 0.2]),
    (0.5, [17.0, 0.14, 0.33]),
    (0.9, [30.0, 0.3, 0.6]),
];

/// Jobs played to their end for a forecast.
const PLAYED: usize = 48;
/// How many tests a played job chooses from.
const PLAYED_TESTS: usize = 16;
/// Steps after which a played job is broken off.
const PLAYED_STEPS: usize = 24;

/// Minutes and money to the end of the job: 10 %, half, 90 %.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Forecast {
    /// Minutes of labour.
    pub minutes: [f64; 3],
    /// Cents for labour and parts, without tax.
    pub cents: [i64; 3],
}

/// Minutes to the end of the job at a glance, 10 %, half, 90 %: what each way to end it takes, by its share, and on top,
/// while none is sure, what probing and wrong tries take. It stands until the job is played on.
pub fn estimate(
    model: &Model,
    belief: &Belief,
    situation: &Situation,
    prices: &Prices,
    ranked: &[Candidate],
) -> [f64; 3] {
    let costs = Costs::of(model, situation, prices);
    let outside = belief.others(model).1;
    let classes = with_nothing(model, belief);
    let mut ends: Vec<(f64, f64)> = costs
        .tries
        .iter()
        .zip(&classes)
        .map(|(t, share)| (t.minutes, *share))
        .collect();
    ends.push((REFER_MINUTES / 6.0, outside));
    let bits: f64 = ends
        .iter()
        .filter(|(_, p)| *p > 1e-6)
        .map(|(_, p)| -p * p.log2())
        .sum();
    let best = &ranked[..ranked.len().min(BEST_TESTS)];
    let rate = best.iter().map(Candidate::rate).sum::<f64>() / best.len().max(1) as f64;
    let probing = if rate > 0.0 {
        (bits / rate).min(PROBING_MOST)
    } else {
        0.0
    };
    let trying = costs.expected(&classes).minutes;
    let top = ends.iter().map(|end| end.1).fold(0.0, f64::max);
    let unsure = ((1.0 - top) / UNSURE).min(1.0);
    ends.sort_by(|a, b| a.0.total_cmp(&b.0));
    let end = |q: f64| {
        let mut sum = 0.0;
        let found = ends.iter().find(|(_, p)| {
            sum += p;
            sum >= q
        });
        found.or(ends.last()).map_or(0.0, |end| end.0)
    };
    QUANTILES.map(|(q, [fixed, of_trying, of_probing])| {
        let whole = fixed + of_trying * trying + of_probing * probing;
        end(q) + unsure * (whole - end(q)).max(0.0)
    })
}

/// A small generator for the forecast alone (xorshift with a multiplier): core knows no chance but this one, and the
/// same seed plays the same jobs.
struct Dice(u64);

impl Dice {
    fn roll(&mut self) -> f64 {
        self.0 ^= self.0 >> 12;
        self.0 ^= self.0 << 25;
        self.0 ^= self.0 >> 27;
        (self.0.wrapping_mul(0x2545_f491_4f6c_dd1d) >> 11) as f64 / (1u64 << 53) as f64
    }

    fn pick(&mut self, chances: impl Iterator<Item = f64>, total: f64) -> usize {
        let mut at = self.roll() * total;
        let mut last = 0;
        for (k, p) in chances.enumerate() {
            at -= p;
            last = k;
            if at <= 0.0 {
                break;
            }
        }
        last
    }
}

/// Play the job to its end many times: the truth drawn from the shares, outcomes from the predictions, the plan
/// deciding as it does at the bench. Deterministic in `seed`.
pub fn forecast(
    model: &Model,
    belief: &Belief,
    situation: &Situation,
    prices: &Prices,
    seed: u64,
) -> Forecast {
    let pool = pool_of(model, belief, situation);
    let one = |k: &usize| {
        let name = seed.to_le_bytes().into_iter().chain(k.to_le_bytes());
        let mut dice = Dice(fnv(name) | 1);
        let truth = dice.pick(belief.shares.iter().copied(), 1.0);
        let start = Start {
            belief: belief.clone(),
            situation: situation.clone(),
            pool: pool.clone(),
        };
        (*k, play(model, start, prices, truth, &mut dice))
    };
    let played = share_out(PLAYED, |jobs| jobs.iter().map(one).collect());
    let mut minutes: Vec<f64> = played.iter().map(|(labour, _)| *labour).collect();
    let price = |(labour, parts): &(f64, f64)| ((labour + parts) * prices.minute_cents).round();
    let mut cents: Vec<i64> = played.iter().map(|p| price(p) as i64).collect();
    minutes.sort_by(f64::total_cmp);
    cents.sort_unstable();
    let at = |q: f64| ((PLAYED - 1) as f64 * q).round() as usize;
    Forecast {
        minutes: [0.1, 0.5, 0.9].map(|q| minutes[at(q)]),
        cents: [0.1, 0.5, 0.9].map(|q| cents[at(q)]),
    }
}

/// Tests that a played job chooses from.
fn pool_of(model: &Model, belief: &Belief, situation: &Situation) -> Vec<usize> {
    let ranked = choose::rank(model, belief, situation);
    ranked.iter().take(PLAYED_TESTS).map(|c| c.test).collect()
}

/// Where a played job begins.
struct Start {
    belief: Belief,
    situation: Situation,
    /// Tests it chooses from.
    pool: Vec<usize>,
}

/// One job from its start to its end: minutes of labour, and parts as minutes.
fn play(model: &Model, start: Start, prices: &Prices, truth: usize, dice: &mut Dice) -> (f64, f64) {
    let Start {
        mut belief,
        mut situation,
        mut pool,
    } = start;
    let (mut labour, mut parts) = (0.0, 0.0);
    let mut tried: BTreeSet<usize> = BTreeSet::new();
    let truly = &model.hypotheses[truth];
    for step in 0..PLAYED_STEPS {
        if step > 0 && step % 4 == 0 {
            pool = pool_of(model, &belief, &situation);
        }
        let ranked = choose::rank_of(model, &belief, &situation, &pool);
        match plan(model, &belief, &[], &situation, prices, &ranked).action {
            Action::Test(test) | Action::Ask(test, _) => {
                let (spent, _, _) = choose::minutes(model, &model.tests[test], &situation);
                labour += spent;
                let spec = &model.tests[test];
                situation.closed.insert(spec.id.clone());
                situation.opened.insert(spec.access.clone());
                situation.state = spec.state.bring(&situation.state);
                let rows = &model.rows[test];
                let row = Now::of(rows, model, &belief).row(truth).to_vec();
                let outcome = dice.pick(row.iter().copied(), 1.0);
                let cases: Vec<f64> = (0..model.cases.len())
                    .map(|k| rows.row(k)[outcome])
                    .collect();
                let any = 1.0 / row.len() as f64;
                let like = belief
                    .unknown
                    .read(model, &cases, rows.healthy[outcome], Some(any));
                for (share, like) in belief.shares.iter_mut().zip(like) {
                    *share *= like;
                }
                let sum: f64 = belief.shares.iter().sum();
                belief.shares.iter_mut().for_each(|s| *s /= sum.max(1e-300));
            }
            Action::Repair(class) => {
                let costs = Costs::of(model, &situation, prices);
                let one = costs.tries[class];
                labour += one.minutes;
                parts += one.part_minutes;
                situation.opened.insert(model.classes[class].access.clone());
                if truly.class == Some(class) || !tried.insert(class) {
                    return (labour, parts);
                }
                for (h, share) in model.hypotheses.iter().zip(belief.shares.iter_mut()) {
                    if h.class == Some(class) {
                        *share *= (-BY_HAND).exp();
                    }
                }
                let sum: f64 = belief.shares.iter().sum();
                belief.shares.iter_mut().for_each(|s| *s /= sum.max(1e-300));
            }
            Action::Decline(_) => return (labour + DECLINE_MINUTES, parts),
            Action::HandBack | Action::Built(_) => return (labour + NOTHING_MINUTES, parts),
            Action::Refer => return (labour + REFER_MINUTES / 6.0, parts),
        }
    }
    (labour, parts)
}
