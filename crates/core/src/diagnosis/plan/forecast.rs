//! What the rest of the job will take: it is played to its end many times.

use crate::catalogue::fnv;
use crate::cores::share_out;
use crate::diagnosis::belief::Belief;
use crate::diagnosis::choose::{self, Situation};
use crate::diagnosis::evidence::BY_HAND;
use crate::diagnosis::model::Model;
use crate::diagnosis::now::Now;
use crate::diagnosis::plan::cost::{
    Costs, DECLINE_MINUTES, NOTHING_MINUTES, Prices, REFER_MINUTES,
};
use crate::diagnosis::plan::{Action, plan};
use std::collections::BTreeSet;

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
