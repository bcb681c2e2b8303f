//! Which test is worth most now: information over the hypotheses per minute, minutes including the
//! change of state and covers not yet open; among near-equals the lower risk.

use crate::diagnosis::belief::Belief;
use crate::diagnosis::hypothesis::Suspicion;
use crate::diagnosis::model::{Model, Rate};
use crate::diagnosis::repertoire::Test;
use crate::diagnosis::rows::Rows;
use crate::diagnosis::unknown::Looks;
use spannung_circuit::VehicleState;
use std::collections::BTreeSet;

/// Near-equals: within this share of the best rate the lower risk wins.
const NEAR: f64 = 0.15;
/// A test that is expected to tell less than this (bits) is not proposed.
pub const LEAST_GAIN: f64 = 0.02;

/// How things stand at the bench.
#[derive(Debug, Clone, Default)]
pub struct Situation {
    /// Vehicle state.
    pub state: VehicleState,
    /// Access codes already open.
    pub opened: BTreeSet<String>,
    /// Test ids done or skipped: they do not come back without cause.
    pub closed: BTreeSet<String>,
    /// Of these, the ones passed over by hand: they are not asked for again either.
    pub passed: BTreeSet<String>,
    /// Highest risk this person may take.
    pub risk_limit: u8,
    /// Only these may be proposed, when set (gate closed, quarantine).
    pub allowed: Option<BTreeSet<String>>,
    /// No ride tests (brakes, steering or runaway open).
    pub no_ride: bool,
}

/// A test with what it is worth.
#[derive(Debug, Clone, PartialEq)]
pub struct Candidate {
    /// Test index.
    pub test: usize,
    /// Expected information, bits.
    pub gain: f64,
    /// Minutes in all.
    pub minutes: f64,
    /// Of these, to change the state.
    pub state_minutes: f64,
    /// Of these, to open what is closed.
    pub access_minutes: f64,
}

impl Candidate {
    /// Bits per minute.
    pub fn rate(&self) -> f64 {
        self.gain / self.minutes.max(0.1)
    }
}

/// Minutes to open a place, none when it is open already.
pub fn access_minutes(model: &Model, code: &str, situation: &Situation) -> f64 {
    if situation.opened.contains(code) {
        return 0.0;
    }
    let place = model.profile.family.access.get(code);
    place.map_or(0.0, |a| a.minutes)
}

/// Minutes to do a test now: (all, state, access).
pub fn minutes(model: &Model, test: &Test, situation: &Situation) -> (f64, f64, f64) {
    let state = test.state.minutes_from(&situation.state);
    let access = access_minutes(model, &test.access, situation);
    (test.minutes + state + access, state, access)
}

/// Expected information of a test about what is wrong, bits. A fault that is known and one that only looks like it are
/// not told apart by any reading: they count as one. So do all vehicles with nothing to repair, however they are built: which
/// of these it is mends nothing.
pub fn gain(rows: &Rows, looks: &Looks) -> f64 {
    let n = rows.healthy.len();
    let mut total = vec![0.0; n];
    let mut sound = vec![0.0; n];
    let add = |to: &mut [f64], mass: f64, row: &[f64]| {
        for (t, r) in to.iter_mut().zip(row) {
            *t += mass * r;
        }
    };
    // most faults read like a sound vehicle: they are one group
    let mut usual = 1.0 - looks.blank;
    let mut as_drawn = looks.sound;
    for (case, row) in &rows.own {
        let share = looks.cases[*case];
        usual -= share;
        add(&mut total, share, row);
        if looks.built[*case] {
            as_drawn -= share;
            add(&mut sound, share, row);
        }
    }
    usual = usual.max(0.0);
    add(&mut sound, as_drawn.clamp(0.0, usual), &rows.healthy);
    let odd = looks.odd / n as f64;
    let blank = |h: &f64| (1.0 - looks.odd) * h + odd;
    let blank: Vec<f64> = rows.healthy.iter().map(blank).collect();
    add(&mut total, usual, &rows.healthy);
    add(&mut total, looks.blank, &blank);
    let bits = |mass: f64, row: &[f64]| -> f64 {
        if mass < 1e-7 {
            return 0.0;
        }
        let each = total.iter().zip(row).filter(|(_, r)| **r > 0.0);
        mass * each.map(|(t, r)| r * (r / t).log2()).sum::<f64>()
    };
    let faults = rows.own.iter().filter(|(k, _)| !looks.built[*k]);
    let own = faults.map(|(k, row)| bits(looks.cases[*k], row));
    let mass: f64 = sound.iter().sum();
    sound.iter_mut().for_each(|s| *s /= mass.max(1e-300));
    let like_it = (usual - as_drawn.max(0.0)).max(0.0);
    (own.sum::<f64>()
        + bits(mass, &sound)
        + bits(like_it, &rows.healthy)
        + bits(looks.blank, &blank))
    .max(0.0)
}

pub(super) fn may(test: &Test, situation: &Situation) -> bool {
    test.risk <= situation.risk_limit
        && !situation.closed.contains(&test.id)
        && situation
            .allowed
            .as_ref()
            .is_none_or(|a| a.contains(&test.id))
        && !(situation.no_ride && test.rides())
}

/// Half the distance between two distributions from which a fault counts as moving a test.
pub(super) const MOVES: f64 = 0.3;

/// Half the distance between two distributions.
pub(super) fn apart(a: &[f64], b: &[f64]) -> f64 {
    let each = a.iter().zip(b).map(|(a, b)| (a - b).abs());
    each.sum::<f64>() / 2.0
}

/// Does a hypothesis move this test?
pub fn moves(model: &Model, hypothesis: usize, test: usize) -> bool {
    let rows = &model.rows[test];
    apart(rows.row(hypothesis), &rows.healthy) > MOVES
}

/// Share of a class's faults that the tests before must leave unseen for one more to be named.
const UNSEEN: f64 = 0.1;
/// Most tests that are named for a class.
const MOST_SHOWING: usize = 3;

/// The tests that show a class: the one that parts its likeliest steady fault from a sound vehicle, then what parts most
/// of the rest, by their weight; the quicker of two that do so alike. Only what a technician may do, and nothing that is read
/// while it drives: two motors in a row share their volts as they like. None when nothing shows it.
pub fn showing(model: &Model, class: usize) -> Vec<usize> {
    let may = |t: &usize| {
        let spec = &model.tests[*t];
        let (state, rest) = (
            spec.state.bring(&VehicleState::default()),
            VehicleState::default(),
        );
        let stands = state.throttle == rest.throttle && state.foot == rest.foot;
        spec.risk <= 3 && spec.lends.is_none() && !spec.rides() && stands
    };
    let mut left: Vec<(usize, f64)> = model.classes[class]
        .members
        .iter()
        .map(|h| (*h, model.hypotheses[*h].weight))
        .collect();
    let steady = |h: usize| model.cases.get(h).is_some_and(|c| !c.intermittent);
    let heaviest = left.iter().filter(|(h, _)| steady(*h)).copied();
    let likeliest = heaviest.max_by(|a, b| a.1.total_cmp(&b.1));
    let likeliest = likeliest.as_ref();
    let whole: f64 = left.iter().map(|(_, weight)| weight).sum();
    let mut found = Vec::new();
    while found.len() < MOST_SHOWING {
        let parted = |test: usize| {
            let rows = &model.rows[test];
            let of = |(h, weight): &(usize, f64)| weight * apart(rows.row(*h), &rows.healthy);
            match likeliest.filter(|_| found.is_empty()) {
                Some(first) => of(first),
                None => left.iter().map(of).sum::<f64>(),
            }
        };
        let all: Vec<(usize, f64)> = (0..model.tests.len())
            .filter(|t| may(t) && !found.contains(t))
            .map(|t| (t, parted(t)))
            .collect();
        let most = all.iter().map(|(_, x)| *x).fold(0.0, f64::max);
        let least = if found.is_empty() {
            0.0
        } else {
            UNSEEN * whole * 0.5
        };
        if most <= least {
            break;
        }
        let alike = all.into_iter().filter(|(_, x)| *x >= most * 0.98);
        let quickest = alike.min_by(|a, b| {
            let minutes = |t: usize| model.tests[t].minutes;
            minutes(a.0).total_cmp(&minutes(b.0)).then(a.0.cmp(&b.0))
        });
        let Some((test, _)) = quickest else { break };
        found.push(test);
        let rows = &model.rows[test];
        for (h, weight) in &mut left {
            *weight *= 1.0 - apart(rows.row(*h), &rows.healthy);
        }
        if left.iter().map(|(_, weight)| weight).sum::<f64>() < UNSEEN * whole {
            break;
        }
    }
    found
}

/// Does some fault of a class move this test? After a repair of the class that did not end the complaint, what the
/// mended fault may have hidden is worth reading again; everything else is as it was.
pub fn moved_by(model: &Model, class: usize, test: usize) -> bool {
    let mut members = model.classes[class].members.iter();
    members.any(|h| moves(model, *h, test))
}

/// All tests worth doing, best first.
pub fn rank(model: &Model, belief: &Belief, situation: &Situation) -> Vec<Candidate> {
    let all: Vec<usize> = (0..model.tests.len()).collect();
    rank_of(model, belief, situation, &all)
}

/// Those of some tests that are worth doing, best first.
pub fn rank_of(
    model: &Model,
    belief: &Belief,
    situation: &Situation,
    tests: &[usize],
) -> Vec<Candidate> {
    let looks = belief.looks(model);
    let mut out: Vec<Candidate> = Vec::new();
    for &k in tests {
        let test = &model.tests[k];
        if !may(test, situation) {
            continue;
        }
        let gain = gain(&model.rows[k], &looks);
        if gain < LEAST_GAIN {
            continue;
        }
        let (minutes, state_minutes, access_minutes) = minutes(model, test, situation);
        out.push(Candidate {
            test: k,
            gain,
            minutes,
            state_minutes,
            access_minutes,
        });
    }
    out.sort_by(|a, b| b.rate().total_cmp(&a.rate()).then(a.test.cmp(&b.test)));
    if let Some(best) = out.first().map(Candidate::rate) {
        let near = out
            .iter()
            .take_while(|c| c.rate() >= best * (1.0 - NEAR))
            .count();
        out[..near].sort_by_key(|c| model.tests[c.test].risk);
    }
    out
}

/// A first-minute check that tells less than this (bits) is left out.
const LEAST_CHECK: f64 = 0.03;
/// A first-minute check is left out when the best test tells this many times more per minute without
/// opening anything.
const CHECK_RATE: f64 = 0.3;

/// First-minute checks still worth asking, in the order people ask them. All of them that touch a
/// live suspect come before anything is opened; `ranked` are the tests of [`rank`].
pub fn first_minute(
    model: &Model,
    belief: &Belief,
    situation: &Situation,
    ranked: &[Candidate],
) -> Vec<Candidate> {
    let best = ranked
        .iter()
        .find(|c| model.tests[c.test].first_minute.is_none())
        .filter(|c| c.access_minutes == 0.0)
        .map_or(0.0, Candidate::rate);
    let looks = belief.looks(model);
    let mut list: Vec<(u8, Candidate)> = Vec::new();
    for (k, test) in model.tests.iter().enumerate() {
        let Some(order) = test.first_minute else {
            continue;
        };
        if !may(test, situation) {
            continue;
        }
        let gain = gain(&model.rows[k], &looks);
        let (minutes, state_minutes, access_minutes) = minutes(model, test, situation);
        if gain < LEAST_CHECK || gain / minutes.max(0.1) < CHECK_RATE * best {
            continue;
        }
        list.push((
            order,
            Candidate {
                test: k,
                gain,
                minutes,
                state_minutes,
                access_minutes,
            },
        ));
    }
    list.sort_by_key(|x| x.0);
    list.into_iter().map(|x| x.1).collect()
}

/// The question to the customer that would tell most: symptom id and bits.
pub fn question(
    model: &Model,
    belief: &Belief,
    asked: &BTreeSet<String>,
    askable: &BTreeSet<String>,
) -> Option<(String, f64)> {
    let mut best: Option<(String, f64)> = None;
    for id in model.symptoms.keys() {
        if asked.contains(id) || !askable.contains(id) {
            continue;
        }
        let bits = symptom_gain(model, belief, id);
        if bits > 0.01 && best.as_ref().is_none_or(|b| bits > b.1) {
            best = Some((id.clone(), bits));
        }
    }
    best
}

fn symptom_gain(model: &Model, belief: &Belief, id: &str) -> f64 {
    let column = &model.symptoms[id];
    let Rate {
        base,
        leak,
        reliability,
    } = model.symptom_base[id];
    let told = |p: f64| reliability * p + (1.0 - reliability) * leak;
    let mut yes = 0.0;
    let mut inner = 0.0;
    let entropy = |p: f64| {
        if p <= 0.0 || p >= 1.0 {
            0.0
        } else {
            -(p * p.log2() + (1.0 - p) * (1.0 - p).log2())
        }
    };
    for (h, share) in model.hypotheses.iter().zip(&belief.shares) {
        let p = told(match &h.kind {
            Suspicion::Case(k) => column[*k],
            _ => base,
        });
        yes += share * p;
        inner += share * entropy(p);
    }
    (entropy(yes) - inner).max(0.0)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn looks(cases: [f64; 2], nothing: f64) -> Looks {
        Looks {
            cases: cases.to_vec(),
            blank: 0.0,
            odd: 0.0,
            sound: nothing + cases[1],
            built: vec![false, true],
        }
    }

    #[test]
    fn which_way_a_sound_vehicle_is_built_is_worth_no_reading() {
        // case 0 is a fault, case 1 a way to build it; both read the other outcome than the vehicle as drawn
        let rows = Rows::given([vec![0.0, 1.0], vec![0.0, 1.0]].into_iter(), vec![1.0, 0.0]);
        assert!(gain(&rows, &looks([0.0, 0.3], 0.7)) < 1e-9);
        // a fault and a vehicle as drawn, as likely: one bit
        assert!((gain(&rows, &looks([0.5, 0.0], 0.5)) - 1.0).abs() < 1e-9);
        // half of the sound ones read like the fault. By hand: sound (0.5 0.5), all (0.25 0.75);
        // 0.5·log2(1/0.75) + 0.5·(0.5·log2(0.5/0.25) + 0.5·log2(0.5/0.75)) = 0.2075 + 0.1038
        let half = gain(&rows, &looks([0.5, 0.25], 0.25));
        assert!((half - 0.3113).abs() < 1e-4, "{half}");
    }
}
