//! What it costs: minutes and money of trying each repair, and the expected cost of repair under shares of the suspects.

use crate::desks::money::{Bands, usual_bands};
use crate::diagnosis::choose::{self, Candidate, Situation};
use crate::diagnosis::hypothesis::Suspicion;
use crate::diagnosis::model::Model;
use crate::diagnosis::now::Now;
use crate::diagnosis::plan::Action;

/// Minutes of proving one repair: doing again what the customer did.
pub const PROVE_MINUTES: f64 = 4.0;
/// Minutes of labour that a referral costs on top of the repair that is then done elsewhere: the hand-over, finding
/// it again there, and the job that goes.
pub(super) const REFER_MINUTES: f64 = 240.0;
/// Minutes of telling the owner that it is not worth its repair.
pub(super) const DECLINE_MINUTES: f64 = 12.0;
/// Minutes of trying it once more and handing it back when nothing is wrong.
pub(super) const NOTHING_MINUTES: f64 = 10.0;
/// What a hand-back costs when something was wrong after all: the vehicle comes back, and trust is gone. Charged to
/// the trial itself, so that it is not done on a small chance because it is cheap.
const COMES_BACK_MINUTES: f64 = 60.0;
/// Shares below this do not move an expected cost.
const SMALL: f64 = 1e-4;

/// What minutes and parts cost in this shop, and what the vehicle may cost.
#[derive(Debug, Clone, PartialEq)]
pub struct Prices {
    /// Cents for a minute of labour.
    pub minute_cents: f64,
    /// Cents of a part by its band.
    pub bands: Bands,
    /// A repair above this is not done: the customer's limit or the vehicle's value, cents.
    pub most_cents: Option<i64>,
}

impl Default for Prices {
    fn default() -> Self {
        Self {
            minute_cents: 100.0,
            bands: usual_bands(),
            most_cents: None,
        }
    }
}

impl Prices {
    /// Price of a band in minutes of labour.
    pub fn part_minutes(&self, band: &str) -> f64 {
        self.bands.get(band).copied().unwrap_or(0) as f64 / self.minute_cents.max(1.0)
    }
}

/// One repair in the order of trying.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Try {
    /// What is tried.
    pub action: Action,
    /// Chance that it cures.
    pub chance: f64,
    /// Minutes, access and proof with them.
    pub minutes: f64,
    /// Price of its part, as minutes.
    pub part_minutes: f64,
}

impl Try {
    pub(super) fn cost(&self) -> f64 {
        self.minutes + self.part_minutes
    }
}

/// The expected cost of repair, and the order it comes from.
#[derive(Debug, Clone, PartialEq)]
pub struct Expected {
    /// Minutes, parts as minutes with them.
    pub minutes: f64,
    /// What is tried, in order; a referral ends it.
    pub order: Vec<Try>,
}

/// What each class costs to try, worked out once per situation.
#[derive(Debug, Clone)]
pub struct Costs {
    pub(super) tries: Vec<Try>,
}

impl Costs {
    /// Costs of every class, of handing back last.
    pub fn of(model: &Model, situation: &Situation, prices: &Prices) -> Self {
        let access = |code: &str| choose::access_minutes(model, code, situation);
        let mut tries: Vec<Try> = model
            .classes
            .iter()
            .enumerate()
            .map(|(k, c)| {
                let part_minutes = prices.part_minutes(&c.band);
                let minutes = c.minutes + access(&c.access) + PROVE_MINUTES;
                let cents = (minutes + part_minutes) * prices.minute_cents;
                if prices.most_cents.is_some_and(|most| cents > most as f64) {
                    Try {
                        action: Action::Decline(k),
                        chance: 0.0,
                        minutes: DECLINE_MINUTES,
                        part_minutes: 0.0,
                    }
                } else {
                    Try {
                        action: Action::Repair(k),
                        chance: 0.0,
                        minutes,
                        part_minutes,
                    }
                }
            })
            .collect();
        tries.push(Try {
            action: Action::HandBack,
            chance: 0.0,
            minutes: NOTHING_MINUTES,
            part_minutes: COMES_BACK_MINUTES,
        });
        Self { tries }
    }

    /// Expected cost of repair under shares of the classes and of “nothing wrong” last; what is left of one is
    /// outside the drawing and can only be referred.
    pub fn expected(&self, shares: &[f64]) -> Expected {
        let mut ranked: Vec<(f64, Try)> = self
            .tries
            .iter()
            .zip(shares)
            .filter(|(_, p)| **p > SMALL)
            .map(|(t, p)| (p / t.cost(), Try { chance: *p, ..*t }))
            .collect();
        ranked.sort_by(|a, b| b.0.total_cmp(&a.0));
        let mut order: Vec<Try> = ranked.into_iter().map(|(_, t)| t).collect();
        // Backwards: before each try, either go on or refer what is left.
        let tried: f64 = order.iter().map(|t| t.chance).sum();
        let mut left = (1.0 - tried).max(0.0);
        let mut ahead = left * REFER_MINUTES;
        let mut elsewhere = 0.0;
        let mut kept = order.len();
        for (k, t) in order.iter().enumerate().rev() {
            left += t.chance;
            elsewhere += t.chance * t.cost();
            let go_on = left * t.cost() + ahead;
            let refer = left * REFER_MINUTES + elsewhere;
            if refer < go_on {
                ahead = refer;
                kept = k;
            } else {
                ahead = go_on;
            }
        }
        order.truncate(kept);
        Expected {
            minutes: ahead,
            order,
        }
    }
}

/// Minutes of a test with what may happen to a lent part.
pub(super) fn full_minutes(
    model: &Model,
    candidate: &Candidate,
    prices: &Prices,
    classes: &[f64],
) -> f64 {
    let lent = model.tests[candidate.test].lends.as_ref();
    candidate.minutes
        + lent.map_or(0.0, |(band, ruined_by)| {
            let ruin: f64 = model
                .classes
                .iter()
                .zip(classes)
                .filter(|(c, _)| ruined_by.contains(&c.id))
                .map(|(_, p)| p)
                .sum();
            ruin * prices.part_minutes(band)
        })
}

/// Joint chance of outcome and class (“nothing wrong” last, then what is outside), per outcome.
fn outcomes(model: &Model, rows: &Now<'_>, shares: &[f64]) -> Vec<Vec<f64>> {
    let width = model.classes.len() + 2;
    let place = |h: usize| match model.hypotheses[h].kind {
        Suspicion::Nothing | Suspicion::Built(_) => width - 2,
        Suspicion::Outside => width - 1,
        _ => model.hypotheses[h].class.unwrap_or(width - 1),
    };
    let mut joint = vec![vec![0.0; width]; rows.outcomes()];
    for (h, p) in shares.iter().enumerate() {
        if *p < 1e-7 {
            continue;
        }
        let at = place(h);
        for (o, chance) in rows.row(h).iter().enumerate() {
            joint[o][at] += p * chance;
        }
    }
    joint
}

/// Expected cost after a test, without its own minutes.
pub(super) fn expected_after(model: &Model, costs: &Costs, rows: &Now<'_>, shares: &[f64]) -> f64 {
    let joint = outcomes(model, rows, shares);
    joint
        .iter()
        .map(|row| {
            let total: f64 = row.iter().sum();
            if total < 1e-9 {
                return 0.0;
            }
            let posterior: Vec<f64> = row[..row.len() - 1].iter().map(|p| p / total).collect();
            total * costs.expected(&posterior).minutes
        })
        .sum()
}
