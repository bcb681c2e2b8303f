//! What is asked before a part is changed: the reading again that everything rests on, a twin, a second net that agrees, a quick
//! decisive test.

use crate::diagnosis::belief::Belief;
use crate::diagnosis::choose::{self, Candidate, Situation};
use crate::diagnosis::column::Column;
use crate::diagnosis::course::stands_wrong;
use crate::diagnosis::evidence::{Answer, Evidence, Item, answers_of};
use crate::diagnosis::hypothesis::Suspicion;
use crate::diagnosis::model::Model;
use crate::diagnosis::plan::cost::{Expected, Try};
use crate::diagnosis::plan::{Action, DOZEN, Why, test_of};
use crate::diagnosis::scale::Scale;
use spannung_circuit::Requirement;
use std::collections::{BTreeMap, BTreeSet};

/// Before a part a second net speaks for it, when the part is dearer than this, or the repair slower.
const WITNESS_BAND: &str = "B";
const WITNESS_MINUTES: f64 = 15.0;
/// What a net does for the odds of a class (natural log) to count as a witness.
const SPEAKS: f64 = 0.7;
/// A reading of the same net that does at least so much for them (natural log) leaves the loudest one not alone.
const JOINS_IN: f64 = 0.3;
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
const SURE: f64 = 0.97;
/// A test before a dear repair tells at least so many bits …
const TELLS_BITS: f64 = 0.05;
/// … and takes at most this share of what a wrong repair is expected to cost.
const BESIDE: f64 = 0.5;
/// A repair that rests on one reading alone: without it the class would be below this share; below the second where a part is
/// changed for a look that takes at most so many minutes.
const RESTS_ON_ONE: f64 = 0.4;
const RATHER_ON_ONE: f64 = 0.6;
const QUICK: f64 = 1.0;
/// A repair is still likely from this share on, while that nothing is wrong leads.
const DOUBTED: f64 = 0.1;
/// What costs little is tried from this share on without another look.
const TRIED: f64 = 0.8;

/// What a net, or a look, says for a class.
struct Voice {
    /// What it does for the odds of the class, natural log.
    weight: f64,
    /// The test of it that speaks loudest.
    test: usize,
    /// Does another test of it speak for the class too?
    joined: bool,
}

/// The readings of a voice.
struct Heard {
    /// What they do together to each hypothesis, natural log.
    together: Vec<f64>,
    /// Test of each, and what it does for the odds of the class.
    each: Vec<(usize, f64)>,
}

/// The voices that speak for a class, loudest first, readings put together by what `of` makes of their tests; and the log
/// odds of the class.
fn voices<K: Ord>(
    model: &Model,
    belief: &Belief,
    evidence: &[Evidence],
    class: usize,
    of: impl Fn(usize) -> K,
) -> (f64, Vec<Voice>) {
    let mut heard: BTreeMap<K, Heard> = BTreeMap::new();
    for (item, (e, like)) in evidence.iter().zip(&belief.items).enumerate() {
        let Some(test) = test_of(e) else {
            continue;
        };
        let entry = heard.entry(of(test)).or_insert_with(|| Heard {
            together: vec![0.0; like.len()],
            each: Vec::new(),
        });
        let sums = entry.together.iter_mut().zip(like);
        sums.for_each(|(sum, l)| *sum += l);
        let weight = belief.weight(model, item, class);
        entry.each.push((test, weight));
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
    let voice = |heard: &Heard| {
        let loudest = heard.each.iter().max_by(|a, b| a.1.total_cmp(&b.1));
        let test = loudest.map_or(0, |r| r.0);
        let joins = |r: &(usize, f64)| r.0 != test && r.1 > JOINS_IN;
        Voice {
            weight: now - odds(&|k| heard.together[k]),
            test,
            joined: heard.each.iter().any(joins),
        }
    };
    let mut speak: Vec<Voice> = heard.values().map(voice).collect();
    speak.retain(|v| v.weight > SPEAKS);
    speak.sort_by(|a, b| b.weight.total_cmp(&a.weight));
    (now, speak)
}

/// May a test be asked for once more? Not after it was taken twice, a look that said two things three times; nor when it was
/// passed over by hand.
fn open_again(model: &Model, evidence: &[Evidence], situation: &Situation, test: usize) -> bool {
    let answers: Vec<&Answer> = answers_of(evidence, test).collect();
    let open = match answers[..] {
        [] | [_] => true,
        [Answer::Outcome(first, here), Answer::Outcome(second, there)] => {
            first != second || here.is_some_and(|h| there.is_some_and(|t| h != t))
        }
        _ => false,
    };
    open && !situation.passed.contains(&model.tests[test].id)
}

fn share(odds: f64) -> f64 {
    1.0 / (1.0 + (-odds).exp())
}

/// A control that stands wrong is looked at once more before it is put right: afterwards no look can tell whether it did.
pub(super) fn stood_wrong(
    model: &Model,
    evidence: &[Evidence],
    situation: &Situation,
) -> Option<usize> {
    let looks = evidence.iter().rev().map_while(|e| match e.item {
        Item::Test {
            test,
            answer: Answer::Outcome(k, _),
            ..
        } if model.tests[test].control => Some((test, k)),
        _ => None,
    });
    let wrong = looks.filter(|(test, k)| stands_wrong(model, *test, *k));
    let mut wrong = wrong.map(|(test, _)| test);
    wrong.find(|test| open_again(model, evidence, situation, *test))
}

/// The reading or look that everything rests on is taken again while it stands alone: a slip of the tips can look like any
/// fault. What costs little and is hardly in doubt is rather tried, unless the look is quick and a part would be changed.
pub(super) fn again(
    model: &Model,
    belief: &Belief,
    evidence: &[Evidence],
    situation: &Situation,
    class: usize,
    costly: bool,
) -> Option<Action> {
    let (now, speak) = voices(model, belief, evidence, class, |test| voice_of(model, test));
    let loudest = speak.first()?;
    let (minutes, _, _) = choose::minutes(model, &model.tests[loudest.test], situation);
    let quick = minutes <= QUICK && model.classes[class].band != "0";
    let least = if quick { RATHER_ON_ONE } else { RESTS_ON_ONE };
    let rests = !loudest.joined && share(now - loudest.weight) < least;
    let open = rests && open_again(model, evidence, situation, loudest.test);
    (open && (costly || quick || share(now) < TRIED))
        .then_some(Action::Ask(loudest.test, Why::Again))
}

/// While that nothing is wrong is likelier than any repair: the reading or look that alone speaks for a repair that is still
/// likely is taken again, before more is measured on a vehicle that may be sound, and before one that is not goes back.
/// `repairs` are the shares of the classes.
pub(super) fn doubted(
    model: &Model,
    belief: &Belief,
    evidence: &[Evidence],
    situation: &Situation,
    repairs: &[f64],
) -> Option<usize> {
    let mut likely: Vec<usize> = (0..repairs.len())
        .filter(|class| repairs[*class] >= DOUBTED)
        .collect();
    likely.sort_by(|a, b| repairs[*b].total_cmp(&repairs[*a]));
    likely.into_iter().find_map(|class| {
        let (_, speak) = voices(model, belief, evidence, class, |test| voice_of(model, test));
        let alone = |v: &&Voice| !v.joined && open_again(model, evidence, situation, v.test);
        speak.first().filter(alone).map(|v| v.test)
    })
}

/// Before a part is changed for what one net alone says, a test on another net: a net that is not as drawn can look like any
/// fault. A complaint is no second witness.
pub(super) fn witness(
    model: &Model,
    belief: &Belief,
    evidence: &[Evidence],
    situation: &Situation,
    class: usize,
    sound: f64,
) -> Option<Action> {
    let (now, speak) = voices(model, belief, evidence, class, |test| net_of(model, test));
    let loudest = speak.first();
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
        && let Some(twin) = twin_unread(model, evidence, situation, loudest.test)
    {
        return Some(Action::Ask(twin, Why::Witness));
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
    let spoken = spoken.map(|l| model.nets.places[l.test].map(|p| p.twin));
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
    best.map(|(test, _)| Action::Ask(test, Why::Witness))
}

/// What a test speaks of: its net; a look speaks of itself.
fn voice_of(model: &Model, test: usize) -> (Option<usize>, usize) {
    let net = net_of(model, test);
    (net, net.map_or(test, |_| 0))
}

/// What a test speaks of: its net; all looks together are one witness.
fn net_of(model: &Model, test: usize) -> Option<usize> {
    model.nets.places[test].map(|p| p.net)
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
        apart: BTreeSet::default(),
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
            Suspicion::Case(k) | Suspicion::Choice(k) | Suspicion::Built(k) => rows.row(k),
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

/// A test that is done before a class is repaired, and was neither done nor passed over.
pub(super) fn first_of(model: &Model, situation: &Situation, class: usize) -> Option<usize> {
    let asked = |test: usize| model.classes[class].first.contains(&model.tests[test].id);
    let open = |test: &usize| asked(*test) && choose::may(&model.tests[*test], situation);
    (0..model.tests.len()).find(open)
}

/// After a repair that did not end the complaint: the reading that spoke loudest for it is taken once more, now that
/// it is mended. Gone, there was a second fault; still there, it was another one. Index of its test.
pub(super) fn verifies(
    model: &Model,
    belief: &Belief,
    evidence: &[Evidence],
    situation: &Situation,
) -> Option<usize> {
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
    let passed = |test: &usize| situation.passed.contains(&model.tests[*test].id);
    best.map(|(test, _)| test).filter(|test| !passed(test))
}

/// A dear repair on a chance that leaves doubt: a test that tells something and costs little beside it comes first,
/// although one step ahead it does not pay. Its index.
pub(super) fn dear(now: &Expected, action: Action, ranked: &[Candidate]) -> Option<usize> {
    let doubtful = |t: &&Try| t.action == action && t.chance < SURE;
    let wrong = now
        .order
        .iter()
        .find(doubtful)
        .map(|t| (1.0 - t.chance) * t.cost())?;
    let worth = |c: &&Candidate| c.gain >= TELLS_BITS && c.minutes < wrong * BESIDE;
    ranked.iter().find(worth).map(|c| c.test)
}
