//! What to do now: measure on, repair, refer or decline, by the expected cost of each, and what the rest of the job
//! will take.
//!
//! Everything is in minutes of labour; money becomes minutes at the shop's rate. The expected cost of repair (ECR) of
//! a set of suspects is that of trying their repairs in the order of chance ÷ cost, each proved after it is done, and
//! of referring the vehicle when no further repair is worth its price. Measuring is worth while as long as some test's
//! minutes plus the ECR expected after it stay below the ECR now. A test that says nothing leaves the ECR as it is, so
//! its minutes are never worth it.

use crate::catalogue::fnv;
use crate::cores::share_out;
use crate::desks::money::{Bands, usual_bands};
use crate::diagnosis::belief::Belief;
use crate::diagnosis::choose::{self, Candidate, Situation};
use crate::diagnosis::column::Column;
use crate::diagnosis::evidence::{BY_HAND, Evidence, Item};
use crate::diagnosis::hypothesis::Suspicion;
use crate::diagnosis::model::Model;
use crate::diagnosis::now::Now;
use crate::diagnosis::scale::Scale;
use spannung_circuit::Requirement;
use std::collections::BTreeSet;

/// Minutes of proving one repair: doing again what the customer did.
pub const PROVE_MINUTES: f64 = 4.0;
/// Minutes of labour that a referral costs on top of the repair that is then done elsewhere: the hand-over, finding
/// it again there, and the job that goes.
const REFER_MINUTES: f64 = 240.0;
/// Minutes of telling the owner that it is not worth its repair.
const DECLINE_MINUTES: f64 = 12.0;
/// Minutes of trying it once more and handing it back when nothing is wrong.
const NOTHING_MINUTES: f64 = 10.0;
/// What a hand-back costs when something was wrong after all: the vehicle comes back, and trust is gone. Charged to
/// the trial itself, so that it is not done on a small chance because it is cheap.
const COMES_BACK_MINUTES: f64 = 60.0;
/// Shares below this do not move an expected cost.
const SMALL: f64 = 1e-4;
/// A repair below this chance is not begun while there is something to measure. Asking for more costs: against the
/// exact optimum of small problems 2 % at 0.18 and 5 % at 0.22.
const LIKELY: f64 = 0.12;
/// Nor is a vehicle handed back as sound below this; below the second only after so many readings and looks. Otherwise what
/// comes and goes keeps it under any limit, and measuring never ends.
const LIKELY_SOUND: f64 = 0.6;
const RATHER_SOUND: f64 = 0.45;
const DOZEN: usize = 12;
/// Before it is handed back as sound it is tried as its owner uses it: whatever still tells so many bits is done first,
/// until so many readings and looks.
const TRIED_BITS: f64 = 0.06;
const MOST_TRIED: usize = 30;
/// While “nothing to repair” is so many times as likely as a repair, that repair is not begun; one that changes a part waits
/// until it is the likelier by more.
const RATHER: f64 = 1.0;
const RATHER_PART: f64 = 1.5;
/// After so many parts that did not help, what is believed here does not fit this vehicle: it is referred.
const MOST_FAILED: usize = 3;
/// A way to build the vehicle otherwise is made sure of from this share on.
const LIKELY_BUILT: f64 = 0.35;
/// Before a part a second net speaks for it, when the part is dearer than this, or the repair slower.
const WITNESS_BAND: &str = "B";
const WITNESS_MINUTES: f64 = 15.0;
/// What a net does for the odds of a class (natural log) to count as a witness.
const SPEAKS: f64 = 0.7;
/// A repair that nothing but the complaint speaks for is begun when it is so many times as likely as that nothing is wrong.
const UNSPOKEN: f64 = 2.0;
/// Reading a twin costs at most so many minutes.
const TWIN_WORTH: f64 = 6.0;
/// So many others are asked at most.
const ASKED: usize = 2;
/// A witness tells at least so much of the class (bits), and costs at most so many minutes.
const WITNESS_BITS: f64 = 0.02;
const WITNESS_DECIDES: f64 = 0.08;
const WITNESS_WORTH: f64 = 20.0;
/// Above this nothing more is asked before a dear repair.
const SURE: f64 = 0.9;
/// A test before a dear repair tells at least so many bits …
const TELLS_BITS: f64 = 0.05;
/// … and takes at most this share of what a wrong repair is expected to cost.
const BESIDE: f64 = 0.5;
/// Tests looked at for their expected cost, best rate first.
const LOOKED_AT: usize = 24;

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

/// What to do.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Action {
    /// Do this test.
    Test(usize),
    /// Take this test again: everything hangs on it.
    Again(usize),
    /// Do this test before the repair that is likely: nothing but one net speaks for it so far.
    Witness(usize),
    /// Do this test before it is handed back as sound: it still tells something.
    Trial(usize),
    /// Do this test before the repair that is likely: it is quick, and the repair is costly or cannot be undone.
    First(usize),
    /// Make sure that the vehicle is built otherwise than the drawing: the case.
    Built(usize),
    /// Do the repair of this class.
    Repair(usize),
    /// Tell the owner that the likely repair is not worth it: the class.
    Decline(usize),
    /// Hand back: nothing is wrong with it.
    HandBack,
    /// Send it to its maker or a specialist.
    Refer,
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
    fn cost(&self) -> f64 {
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
    tries: Vec<Try>,
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

/// What to do now and why.
#[derive(Debug, Clone, PartialEq)]
pub struct Plan {
    /// What to do.
    pub action: Action,
    /// Expected cost of repairing by what is known now.
    pub now: Expected,
    /// The best test by expected cost: its index, and minutes plus what is expected after it.
    pub after: Option<(usize, f64)>,
}

/// Shares of the classes, and of “nothing wrong” last.
fn with_nothing(model: &Model, belief: &Belief) -> Vec<f64> {
    let mut shares = belief.classes(model);
    shares.push(belief.others(model).0 + belief.built(model));
    shares
}

/// Minutes of a test with what may happen to a lent part.
fn full_minutes(model: &Model, candidate: &Candidate, prices: &Prices, classes: &[f64]) -> f64 {
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
fn expected_after(model: &Model, costs: &Costs, rows: &Now<'_>, shares: &[f64]) -> f64 {
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

/// A repair that rests on one reading alone: without it the class would be below this share.
const RESTS_ON_ONE: f64 = 0.4;
/// A repair that costs less than this is simply tried.
const CHEAP_MINUTES: f64 = 10.0;

fn test_of(e: &Evidence) -> Option<usize> {
    match &e.item {
        Item::Test { test, .. } => Some(*test),
        _ => None,
    }
}

/// Have so many parts not helped that the vehicle is referred?
pub(crate) fn given_up(model: &Model, evidence: &[Evidence]) -> bool {
    let part = |e: &&Evidence| match e.item {
        Item::Failed { class, .. } => model.classes[class].band != "0",
        _ => false,
    };
    evidence.iter().filter(part).count() >= MOST_FAILED
}

/// A test that is done before a class is repaired, and was neither done nor passed over.
fn first_of(model: &Model, situation: &Situation, class: usize) -> Option<usize> {
    let asked = |test: usize| model.classes[class].first.contains(&model.tests[test].id);
    let open = |test: &usize| asked(*test) && choose::may(&model.tests[*test], situation);
    (0..model.tests.len()).find(open)
}

/// What a test speaks of: its net; all looks together are one witness.
fn net_of(model: &Model, test: usize) -> Option<usize> {
    model.nets.places[test].map(|p| p.net)
}

/// Before a part is changed for what one reading or one net alone says: the reading is taken again, for a slip of the tips
/// can look like any fault; then a test on another net, for a net that is not as drawn can too. A complaint is no second
/// witness.
fn witness(
    model: &Model,
    belief: &Belief,
    evidence: &[Evidence],
    situation: &Situation,
    class: usize,
    sound: f64,
) -> Option<Action> {
    // shares of the class without what one net says
    let mut nets: std::collections::BTreeMap<Option<usize>, (Vec<f64>, usize, usize)> =
        std::collections::BTreeMap::new();
    for (e, item) in evidence.iter().zip(&belief.items) {
        let Some(test) = test_of(e) else {
            continue;
        };
        let entry = nets
            .entry(net_of(model, test))
            .or_insert_with(|| (vec![0.0; item.len()], 0, test));
        entry.0.iter_mut().zip(item).for_each(|(sum, l)| *sum += l);
        entry.1 += 1;
    }
    let odds = |without: &dyn Fn(usize) -> f64| {
        let (mut mine, mut rest) = (0.0, 0.0);
        for (k, (h, p)) in model.hypotheses.iter().zip(&belief.shares).enumerate() {
            let p = p * (-without(k)).exp();
            if h.class == Some(class) {
                mine += p;
            } else {
                rest += p;
            }
        }
        (mine / f64::max(rest, 1e-300)).ln()
    };
    let now = odds(&|_| 0.0);
    let mut speak: Vec<(Option<usize>, f64, usize, usize)> = nets
        .iter()
        .map(|(net, (sum, many, test))| (*net, now - odds(&|k| sum[k]), *many, *test))
        .filter(|s| s.1 > SPEAKS)
        .collect();
    speak.sort_by(|a, b| b.1.total_cmp(&a.1));
    let share = |odds: f64| 1.0 / (1.0 + (-odds).exp());
    let loudest = speak.first();
    if let Some(loudest) = loudest
        && loudest.2 == 1
        && share(now - loudest.1) < RESTS_ON_ONE
    {
        return Some(Action::Again(loudest.3));
    }
    // nothing that was read or seen speaks for it, and that nothing is wrong is about as likely
    if loudest.is_none() && evidence.iter().filter_map(test_of).count() >= DOZEN {
        let all: f64 = model.classes[class]
            .members
            .iter()
            .map(|h| belief.shares[*h])
            .sum();
        if all < UNSPOKEN * sound {
            return Some(Action::HandBack);
        }
    }
    // what stands beside it on this vehicle: its twin tells a bad part from another maker's choice
    if let Some(loudest) = loudest
        && let Some(twin) = twin_unread(model, evidence, situation, loudest.3)
    {
        return Some(Action::Witness(twin));
    }
    let dear = model.classes[class].band.as_str() > WITNESS_BAND;
    let slow = model.classes[class].minutes > WITNESS_MINUTES;
    // a part of the dearest kind waits for what decides it
    let bits = match (speak.len() > 1, share(now) < SURE) {
        (true, true) if dear => WITNESS_DECIDES,
        (true, _) => return None,
        (false, _) if dear || slow => WITNESS_BITS,
        (false, _) => return None,
    };
    let spoken = loudest.filter(|_| speak.len() == 1);
    let spoken = spoken.map(|l| model.nets.places[l.3].map(|p| p.twin));
    // who was asked already and would have said otherwise has had his say in the shares
    let leading = model.classes[class].members.iter();
    let leading = leading
        .filter(|h| matches!(model.hypotheses[**h].kind, Suspicion::Case(_)))
        .max_by(|a, b| belief.shares[**a].total_cmp(&belief.shares[**b]));
    let asked = evidence.iter().filter_map(test_of).filter(|test| {
        let other = spoken != Some(model.nets.places[*test].map(|p| p.twin));
        let rows = &model.rows[*test];
        other && leading.is_some_and(|h| choose::apart(rows.row(*h), &rows.healthy) > choose::MOVES)
    });
    if asked.count() >= ASKED {
        return None;
    }
    let mut best: Option<(usize, f64)> = None;
    for (test, spec) in model.tests.iter().enumerate() {
        let twin = model.nets.places[test].map(|p| p.twin);
        if Some(twin) == spoken || !choose::may(spec, situation) {
            continue;
        }
        let (minutes, _, _) = choose::minutes(model, spec, situation);
        let told = tells_of(model, belief, test, class);
        let rate = told / minutes.max(0.5);
        if minutes <= WITNESS_WORTH && told > bits && best.is_none_or(|b| rate > b.1) {
            best = Some((test, rate));
        }
    }
    best.map(|(test, _)| Action::Witness(test))
}

/// A test that reads on a sound vehicle just what another one reads, in another net: hall A and B, left and right lever. None
/// when it has no such twin, or one was read.
fn twin_unread(
    model: &Model,
    evidence: &[Evidence],
    situation: &Situation,
    test: usize,
) -> Option<usize> {
    let Column::Figures {
        scale,
        dims,
        readings,
        ..
    } = &*model.columns[test]
    else {
        return None;
    };
    let of = |k: usize| (model.nets.places[k], &model.tests[k], &*model.columns[k]);
    let (place, spec, _) = of(test);
    let mine = &readings.healthy;
    let anything = (0..*dims).any(|d| mine.mean[d].abs() > 4.0 * scale.instrument(mine.mean[d]));
    let twin = |k: &usize| {
        let (other, other_spec, column) = of(*k);
        let Column::Figures {
            scale: s,
            dims: n,
            readings: r,
            ..
        } = column
        else {
            return false;
        };
        let near = |d: usize| {
            (r.healthy.mean[d] - mine.mean[d]).abs() < 2.0 * scale.instrument(mine.mean[d])
        };
        other.map(|p| p.net) != place.map(|p| p.net)
            && s == scale
            && n == dims
            && other_spec.access == spec.access
            && same_but_for_levers(&other_spec.state, &spec.state)
            && (0..*dims).all(near)
    };
    if !anything || scale == &Scale::Short {
        return None;
    }
    let twins: Vec<usize> = (0..model.tests.len())
        .filter(|k| *k != test)
        .filter(twin)
        .collect();
    let read = |k: &usize| evidence.iter().any(|e| test_of(e) == Some(*k));
    if twins.iter().any(read) {
        return None;
    }
    let may = |k: &&usize| choose::may(&model.tests[**k], situation);
    let minutes = |k: &usize| choose::minutes(model, &model.tests[*k], situation).0;
    let best = twins.iter().filter(may);
    let best = best.min_by(|a, b| minutes(a).total_cmp(&minutes(b)).then(a.cmp(b)));
    best.copied().filter(|k| minutes(k) <= TWIN_WORTH)
}

/// Are two states the same but for which lever is squeezed and which plug is apart?
fn same_but_for_levers(a: &Requirement, b: &Requirement) -> bool {
    let plain = |r: &Requirement| Requirement {
        apart: std::collections::BTreeSet::default(),
        brake: None,
        ..r.clone()
    };
    a.apart.len() == b.apart.len() && plain(a) == plain(b)
}

/// What a test is expected to tell of whether it is this class, bits.
fn tells_of(model: &Model, belief: &Belief, test: usize, class: usize) -> f64 {
    let rows = &model.rows[test];
    let n = rows.healthy.len();
    let mut sides = [vec![0.0; n], vec![0.0; n]];
    for (h, share) in model.hypotheses.iter().zip(&belief.shares) {
        let row = match h.kind {
            Suspicion::Case(k) | Suspicion::Built(k) => rows.row(k),
            _ => &rows.healthy,
        };
        let side = &mut sides[usize::from(h.class == Some(class))];
        side.iter_mut().zip(row).for_each(|(s, p)| *s += share * p);
    }
    let totals = [0, 1].map(|k| sides[k].iter().sum::<f64>().max(1e-12));
    let bits = |o: usize| {
        let seen = sides[0][o] + sides[1][o];
        let each = sides.iter().zip(totals).filter(|(s, _)| s[o] > 0.0);
        each.map(|(s, total)| s[o] * (s[o] / (seen * total)).log2())
            .sum::<f64>()
    };
    (0..n).map(bits).sum::<f64>().max(0.0)
}

/// After a repair that did not end the complaint: the reading that spoke loudest for it is taken once more, now that
/// it is mended. Gone, there was a second fault; still there, it was another one. Index of its test.
fn verifies(model: &Model, belief: &Belief, evidence: &[Evidence]) -> Option<usize> {
    let failed = |e: &Evidence| match e.item {
        Item::Failed { class, .. } => Some(class),
        _ => None,
    };
    let last = evidence.iter().rposition(|e| failed(e).is_some())?;
    let class = failed(&evidence[last])?;
    if evidence[last..].iter().any(|e| test_of(e).is_some()) {
        return None;
    }
    let mut best: Option<(usize, f64)> = None;
    for (k, e) in evidence[..last].iter().enumerate() {
        let Some(test) = test_of(e).filter(|t| choose::moved_by(model, class, *t)) else {
            continue;
        };
        let weight = belief.weight(model, k, class);
        if weight > 0.0 && best.is_none_or(|(_, w)| weight > w) {
            best = Some((test, weight));
        }
    }
    best.map(|(test, _)| test)
}

/// A dear repair on a chance that leaves doubt: a test that tells something and costs little beside it comes first,
/// although one step ahead it does not pay. Its index.
fn dear(now: &Expected, action: Action, ranked: &[Candidate]) -> Option<usize> {
    let doubtful = |t: &&Try| t.action == action && t.chance < SURE;
    let wrong = now
        .order
        .iter()
        .find(doubtful)
        .map(|t| (1.0 - t.chance) * t.cost())?;
    let worth = |c: &&Candidate| c.gain >= TELLS_BITS && c.minutes < wrong * BESIDE;
    ranked.iter().find(worth).map(|c| c.test)
}

/// Decide. `ranked` are the tests worth doing, best first. An action to test says that measuring goes on: which test is
/// done is for [`choose`] to say, by information per minute.
pub fn plan(
    model: &Model,
    belief: &Belief,
    evidence: &[Evidence],
    situation: &Situation,
    prices: &Prices,
    ranked: &[Candidate],
) -> Plan {
    let costs = Costs::of(model, situation, prices);
    let classes = with_nothing(model, belief);
    let now = costs.expected(&classes);
    let mut after: Option<(usize, f64)> = None;
    for candidate in ranked.iter().take(LOOKED_AT) {
        let minutes = full_minutes(model, candidate, prices, &classes)
            + expected_after(
                model,
                &costs,
                &Now::of(&model.rows[candidate.test], model, belief),
                &belief.shares,
            );
        if after.is_none_or(|(_, best)| minutes < best) {
            after = Some((candidate.test, minutes));
        }
    }
    let sound = classes.last().copied().unwrap_or(0.0);
    let read = evidence.iter().filter(|e| test_of(e).is_some()).count();
    let likely = |t: &&Try| {
        let least = match t.action {
            Action::HandBack if read >= DOZEN => RATHER_SOUND,
            Action::HandBack => LIKELY_SOUND,
            Action::Repair(k) | Action::Decline(k) if model.classes[k].band != "0" => {
                LIKELY.max(RATHER_PART * sound)
            }
            _ => LIKELY.max(RATHER * sound),
        };
        t.chance >= least
    };
    let first = now.order.iter().find(likely).map(|t| t.action);
    // one step ahead does not see that two tests together part what neither parts alone: nothing is given up, and
    // no part changed on a small chance, while there is something to measure
    let action = match (after, first) {
        (Some((test, minutes)), _) if minutes < now.minutes => Action::Test(test),
        (_, Some(Action::HandBack)) => Action::HandBack,
        (_, Some(action)) => dear(&now, action, ranked).map_or(action, Action::Test),
        (Some((test, _)), None) => Action::Test(test),
        (None, None) => now.order.first().map_or(Action::Refer, |t| t.action),
    };
    let action = match action {
        Action::HandBack if read < MOST_TRIED => {
            let tells = ranked.iter().find(|c| c.gain >= TRIED_BITS);
            tells.map_or(action, |c| Action::Trial(c.test))
        }
        other => other,
    };
    if let Some(test) = verifies(model, belief, evidence) {
        return Plan {
            action: Action::Again(test),
            now,
            after,
        };
    }
    if given_up(model, evidence) {
        return Plan {
            action: Action::Refer,
            now,
            after,
        };
    }
    let built = model.hypotheses.iter().zip(&belief.shares);
    let looked_at = |k: usize| {
        let not = |e: &Evidence| matches!(e.item, Item::NotBuilt { case } if case == k);
        evidence.iter().any(not)
    };
    let built = built
        .filter_map(|(h, p)| match h.kind {
            Suspicion::Built(k) if !looked_at(k) => Some((k, *p)),
            _ => None,
        })
        .max_by(|a, b| a.1.total_cmp(&b.1));
    let top = classes.iter().take(model.classes.len()).copied();
    let top = top.fold(0.0, f64::max);
    if let Some((case, share)) = built
        && share >= LIKELY_BUILT
        && share > top
    {
        return Plan {
            action: Action::Built(case),
            now,
            after,
        };
    }
    let action = match action {
        Action::Repair(class) | Action::Decline(class)
            if now
                .order
                .iter()
                .any(|t| t.action == action && t.cost() > CHEAP_MINUTES) =>
        {
            witness(model, belief, evidence, situation, class, sound)
                .or_else(|| first_of(model, situation, class).map(Action::First))
                .unwrap_or(action)
        }
        other => other,
    };
    Plan { action, now, after }
}

/// Minutes and money to the end of the job: 10 %, half, 90 %.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Forecast {
    /// Minutes of labour.
    pub minutes: [f64; 3],
    /// Cents for labour and parts, without tax.
    pub cents: [i64; 3],
}

/// Jobs played to their end for a forecast.
const PLAYED: usize = 48;
/// How many tests a played job chooses from.
const PLAYED_TESTS: usize = 16;
/// Steps after which a played job is broken off.
const PLAYED_STEPS: usize = 24;

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
            Action::Test(test)
            | Action::Again(test)
            | Action::Witness(test)
            | Action::First(test)
            | Action::Trial(test) => {
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
