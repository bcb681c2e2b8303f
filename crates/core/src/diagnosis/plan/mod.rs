//! What to do now: measure on, repair, refer or decline, by the expected cost of each, and what the rest of the job
//! will take.
//!
//! Everything is in minutes of labour; money becomes minutes at the shop's rate. The expected cost of repair (ECR) of
//! a set of suspects is that of trying their repairs in the order of chance ÷ cost, each proved after it is done, and
//! of referring the vehicle when no further repair is worth its price. Measuring is worth while as long as some test's
//! minutes plus the ECR expected after it stay below the ECR now. A test that says nothing leaves the ECR as it is, so
//! its minutes are never worth it.
//!
//! [`cost`] has the arithmetic of trying repairs, `witness` what is asked before a part, [`forecast`] the rest of the job.

pub mod cost;
pub mod forecast;
mod witness;

pub use cost::{Costs, Expected, PROVE_MINUTES, Prices, Try};
pub use forecast::{Forecast, estimate, forecast};

use crate::diagnosis::belief::{Belief, WayHeld};
use crate::diagnosis::choose::{Candidate, Situation};
use crate::diagnosis::evidence::{Evidence, Item};
use crate::diagnosis::hypothesis::Suspicion;
use crate::diagnosis::model::Model;
use crate::diagnosis::now::Now;
use cost::{expected_after, full_minutes};
use spannung_circuit::family::Strand;
use spannung_circuit::netlist::NodeId;
use witness::{again, dear, doubted, first_of, stood_wrong, verifies, witness};

/// A repair below this chance is not begun while there is something to measure. Asking for more costs: against the
/// exact optimum of small problems 2 % at 0.18 and 5 % at 0.22.
const LIKELY: f64 = 0.12;
/// Nor is a vehicle handed back as sound below this; below the second only after so many readings and looks. Otherwise what
/// comes and goes keeps it under any limit, and measuring never ends.
const LIKELY_SOUND: f64 = 0.6;
const RATHER_SOUND: f64 = 0.45;
/// After so many, while it leads, what alone speaks against it is taken again: before, it leads for want of readings.
const SOME: usize = 6;
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
/// The same where a fault may stand beside it.
const RATHER_BUILT: f64 = 0.5;
/// The same before a costly repair; below it no reading speaks for it, and it is asked about for the sake of what is done next.
pub const PERHAPS_BUILT: f64 = 0.3;
/// The same before the vehicle goes.
const POSSIBLY_BUILT: f64 = 0.12;
/// Before the very component is changed that it would be, or its wires: the new one has to be of the same kind, and go where its
/// wires go.
const ON_THE_PART: f64 = 0.08;
/// Elements at an output or input, that of the wire among them.
const ON_AN_OUTPUT: usize = 3;
/// A repair that costs less than this is simply tried.
const CHEAP_MINUTES: f64 = 10.0;
/// Tests looked at for their expected cost, best rate first.
const LOOKED_AT: usize = 24;

/// Why one test is asked for and no other.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Why {
    /// Taken again: everything hangs on it.
    Again,
    /// Looked at again: a control that stands wrong, before it is put right.
    Control,
    /// Taken again: it alone speaks against a vehicle that is likelier sound than anything else.
    Doubted,
    /// Nothing but one net speaks for the likely repair so far.
    Witness,
    /// It is quick, and the likely repair is costly or cannot be undone.
    First,
    /// It is to be handed back as sound, and this may still show something.
    Trial,
    /// Something told of a power fault: it is measured dead before it is switched on.
    Dead,
}

/// What to do.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Action {
    /// Measure on: which test is for choosing to say.
    Test(usize),
    /// Do this very test first.
    Ask(usize, Why),
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

pub(super) fn test_of(e: &Evidence) -> Option<usize> {
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

/// Decide. `ranked` are the tests worth doing, best first. An action to test says that measuring goes on: which test is
/// done is for [`choose`](crate::diagnosis::choose) to say, by information per minute.
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
    let looked_at = ranked.iter().take(LOOKED_AT).map(|candidate| {
        let rows = Now::of(&model.rows[candidate.test], model, belief);
        let minutes = full_minutes(model, candidate, prices, &classes)
            + expected_after(model, &costs, &rows, &belief.shares);
        (candidate.test, minutes)
    });
    let after = looked_at.min_by(|a, b| a.1.total_cmp(&b.1));
    let asked = || {
        let sound = classes.last().copied().unwrap_or(0.0);
        let read = evidence.iter().filter(|e| test_of(e).is_some()).count();
        let repairs = &classes[..classes.len().saturating_sub(1)];
        if read >= SOME
            && repairs.iter().all(|share| *share <= sound)
            && let Some(test) = doubted(model, belief, evidence, situation, repairs)
        {
            return Action::Ask(test, Why::Doubted);
        }
        match by_cost(model, &now, after, sound, read, ranked) {
            Action::HandBack if read < MOST_TRIED => {
                let tells = ranked.iter().find(|c| c.gain >= TRIED_BITS);
                tells.map_or(Action::HandBack, |c| Action::Ask(c.test, Why::Trial))
            }
            action @ (Action::Repair(class) | Action::Decline(class)) => {
                let costly = costly(&now, action);
                let asked = || {
                    witness(model, belief, evidence, situation, class, sound).or_else(|| {
                        first_of(model, situation, class).map(|test| Action::Ask(test, Why::First))
                    })
                };
                again(model, belief, evidence, situation, class, costly)
                    .or_else(|| costly.then(asked).flatten())
                    .unwrap_or(action)
            }
            action => action,
        }
    };
    let action = verifies(model, belief, evidence, situation)
        .map(|test| Action::Ask(test, Why::Again))
        .or_else(|| {
            stood_wrong(model, evidence, situation).map(|test| Action::Ask(test, Why::Control))
        })
        .or_else(|| given_up(model, evidence).then_some(Action::Refer))
        .or_else(|| built_otherwise(model, belief, evidence, &classes).map(Action::Built))
        .unwrap_or_else(asked);
    let action = match action {
        // a look is quick: before anything is done that it could make senseless, it is taken
        Action::HandBack | Action::Refer => likeliest_way(belief, evidence, POSSIBLY_BUILT),
        Action::Repair(class) | Action::Decline(class) if costly(&now, action) => {
            let any = likeliest_way(belief, evidence, PERHAPS_BUILT);
            any.or_else(|| of_another_kind(model, belief, evidence, class))
        }
        _ => None,
    }
    .map_or(action, |way| Action::Built(way.case));
    Plan { action, now, after }
}

/// What costs least, one step ahead. That does not see that two tests together part what neither parts alone: nothing is
/// given up, and no part changed on a small chance, while there is something to measure.
fn by_cost(
    model: &Model,
    now: &Expected,
    after: Option<(usize, f64)>,
    sound: f64,
    read: usize,
    ranked: &[Candidate],
) -> Action {
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
    match (after, first) {
        (Some((test, minutes)), _) if minutes < now.minutes => Action::Test(test),
        (_, Some(Action::HandBack)) => Action::HandBack,
        (_, Some(action)) => dear(now, action, ranked).map_or(action, Action::Test),
        (Some((test, _)), None) => Action::Test(test),
        (None, None) => last(now, sound),
    }
}

/// What is left when nothing is likely and nothing can be read: what is cheapest by its chance, unless that nothing is wrong
/// is likelier than all that could be tried.
fn last(now: &Expected, sound: f64) -> Action {
    let repairs = now.order.iter().filter(|t| t.action != Action::HandBack);
    let top = repairs.map(|t| t.chance).fold(0.0, f64::max);
    let first = now.order.iter().find(|t| t.chance >= LEAST_TRIED);
    match first {
        Some(_) if sound > top => Action::HandBack,
        Some(first) => first.action,
        None => Action::Refer,
    }
}

/// A repair below this chance is not tried even as the last thing.
const LEAST_TRIED: f64 = 0.05;

/// Does a repair cost more than simply trying it would?
fn costly(now: &Expected, action: Action) -> bool {
    let tried = |t: &Try| t.action == action && t.cost() > CHEAP_MINUTES;
    now.order.iter().any(tried)
}

/// Does the repair of a class touch the component that a way has as another one, the wires that lead to it, or the output or input
/// that these alone hang on? What is put in has to suit what hangs on it.
fn touches_it(model: &Model, class: usize, case: usize) -> bool {
    let Some(way) = model.way(case) else {
        return false;
    };
    let own = &model.classes[class];
    let its = |strand: &str| way.strands.iter().any(|s| s == strand);
    let there = |at: &String| its(at.split('.').next().unwrap_or_default());
    let strands = &model.profile.family.strands;
    let (of_it, of_others): (Vec<_>, Vec<_>) = strands.iter().partition(|s| its(s.id.get_ref()));
    let at_ends = |strands: &[&Strand], node: &str| {
        let mut wires = strands.iter().flat_map(|s| &s.wires);
        wires.any(|w| w.from == node || w.to == node)
    };
    // what feeds many is a rail
    let few = |node: NodeId| {
        let all = model.net.elements.iter();
        let there = all.filter(|e| [e.a, e.b, e.c].contains(&node));
        there.count() <= ON_AN_OUTPUT
    };
    let hangs_on = |node: NodeId| {
        let name = &model.net.nodes[node];
        at_ends(&of_it, name) && !at_ends(&of_others, name) && few(node)
    };
    let motor = of_it.iter().any(|s| s.segment == "phases");
    let sits = |h: &usize| match model.hypotheses[*h].kind {
        Suspicion::Case(k) => {
            let case = &model.cases[k];
            let inside = motor && case.segment == "motor";
            let mut ends = case.effects.iter().flat_map(|e| e.ends(&model.net));
            inside || case.at.iter().any(there) || ends.any(hangs_on)
        }
        _ => false,
    };
    own.band != "0" && own.members.iter().any(sits)
}

/// The ways to build it that were not looked at.
fn not_looked_at<'a>(
    belief: &'a Belief,
    evidence: &[Evidence],
) -> impl Iterator<Item = &'a WayHeld> {
    let looked_at = |k: usize| {
        let not = |e: &Evidence| matches!(e.item, Item::NotBuilt { case } if case == k);
        evidence.iter().any(not)
    };
    belief.ways.iter().filter(move |w| !looked_at(w.case))
}

fn likeliest<'a>(ways: impl Iterator<Item = &'a WayHeld>) -> Option<&'a WayHeld> {
    ways.max_by(|a, b| a.share().total_cmp(&b.share()))
}

/// The likeliest way to build it that was not looked at, from this share on.
fn likeliest_way<'a>(belief: &'a Belief, evidence: &[Evidence], least: f64) -> Option<&'a WayHeld> {
    likeliest(not_looked_at(belief, evidence)).filter(|w| w.share() >= least)
}

/// The likeliest other kind of the very component that a repair touches, when there may be one at all: the more kinds fit, the
/// less each stands for, and the new part is the wrong one all the same.
fn of_another_kind<'a>(
    model: &Model,
    belief: &'a Belief,
    evidence: &[Evidence],
    class: usize,
) -> Option<&'a WayHeld> {
    let open = not_looked_at(belief, evidence).filter(|w| touches_it(model, class, w.case));
    let open: Vec<&WayHeld> = open.collect();
    let any: f64 = open.iter().map(|w| w.share()).sum();
    likeliest(open.into_iter()).filter(|_| any >= ON_THE_PART)
}

/// The way to build it that leads before every repair, and was not looked at: its case.
fn built_otherwise(
    model: &Model,
    belief: &Belief,
    evidence: &[Evidence],
    classes: &[f64],
) -> Option<usize> {
    let way = likeliest_way(belief, evidence, LIKELY_BUILT)?;
    let repairs = classes.iter().take(model.classes.len()).copied();
    let top = repairs.fold(0.0, f64::max);
    let leads = way.alone > top;
    (leads || way.share() >= RATHER_BUILT).then_some(way.case)
}
