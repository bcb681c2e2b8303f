//! Who decides what is done next.

use serde::Deserialize;
use spannung_core::diagnosis::choose::{self, Candidate, Situation};
use spannung_core::diagnosis::plan::{self, Action, Prices};
use spannung_core::diagnosis::{Belief, Evidence, Model};
use std::collections::BTreeMap;

/// The order in which somebody decides.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Policy {
    /// The diagnosis engine as it is at the Bench.
    Engine,
    /// The checks that suit the complaint, in their usual order; then all others by access.
    Complaint,
    /// All checks by access, whatever the complaint.
    Fixed,
    /// Parts in turn, without measuring.
    Swap,
}

/// The lists of `data/checklists.toml`.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Lists {
    first: Vec<String>,
    complaint: BTreeMap<String, Vec<String>>,
    swap: Swap,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Swap {
    order: Vec<String>,
}

impl Lists {
    /// The lists that ship.
    ///
    /// # Panics
    /// When the file does not read; a test proves that it does.
    pub fn shipped() -> Self {
        toml::from_str(include_str!("../data/checklists.toml")).expect("the shipped lists read")
    }

    /// Tests of a model in the order of a list by complaint, then all others by access and minutes.
    pub fn tests(&self, model: &Model, told: &[String], policy: Policy) -> Vec<usize> {
        let mut order: Vec<usize> = Vec::new();
        let mut add = |id: &String| {
            if let Some(k) = model.tests.iter().position(|t| &t.id == id)
                && !order.contains(&k)
            {
                order.push(k);
            }
        };
        if policy == Policy::Complaint {
            self.first.iter().for_each(&mut add);
            let lists = told.iter().filter_map(|s| self.complaint.get(s));
            lists.flatten().for_each(&mut add);
        }
        let access = |k: usize| {
            let place = model.profile.family.access.get(&model.tests[k].access);
            place.map_or(0.0, |a| a.minutes)
        };
        let mut rest: Vec<usize> = (0..model.tests.len())
            .filter(|k| !order.contains(k))
            .collect();
        rest.sort_by(|a, b| {
            (access(*a), model.tests[*a].minutes)
                .partial_cmp(&(access(*b), model.tests[*b].minutes))
                .unwrap_or(std::cmp::Ordering::Equal)
                .then(a.cmp(b))
        });
        order.extend(rest);
        order
    }

    /// Repair classes in the order of swapping.
    pub fn swaps(&self, model: &Model) -> Vec<usize> {
        let mut order: Vec<usize> = self
            .swap
            .order
            .iter()
            .filter_map(|id| model.class(id))
            .collect();
        let weight = |c: usize| -> f64 {
            let members = model.classes[c].members.iter();
            members.map(|m| model.hypotheses[*m].weight).sum()
        };
        let mut rest: Vec<usize> = (0..model.classes.len())
            .filter(|c| !order.contains(c))
            .collect();
        rest.sort_by(|a, b| weight(*b).total_cmp(&weight(*a)).then(a.cmp(b)));
        order.extend(rest);
        order
    }
}

/// How a job stands when something is decided.
#[derive(Clone, Copy)]
pub struct Point<'a> {
    /// What is believed.
    pub model: &'a Model,
    /// Shares now.
    pub belief: &'a Belief,
    /// Evidence so far.
    pub evidence: &'a [Evidence],
    /// How things stand.
    pub situation: &'a Situation,
    /// Prices of the shop.
    pub prices: &'a Prices,
}

/// What the policy does now. `list` is its order of tests or classes, `done` how far it has come in it.
pub fn decide(
    policy: Policy,
    at: Point<'_>,
    list: &[usize],
    done: &mut usize,
) -> (Action, Option<Candidate>) {
    let Point {
        model,
        belief,
        evidence,
        situation,
        prices,
    } = at;
    if policy == Policy::Swap {
        let next = list.get(*done).copied();
        *done += 1;
        return (next.map_or(Action::Refer, Action::Repair), None);
    }
    let ranked = choose::rank(model, belief, situation);
    let action = plan::plan(model, belief, evidence, situation, prices, &ranked).action;
    let candidate = |test: usize| {
        let (minutes, state_minutes, access_minutes) =
            choose::minutes(model, &model.tests[test], situation);
        Candidate {
            test,
            gain: 0.0,
            minutes,
            state_minutes,
            access_minutes,
        }
    };
    match action {
        Action::Test(_) => {}
        Action::Ask(test, _) => {
            return (Action::Test(test), Some(candidate(test)));
        }
        other => return (other, None),
    }
    let next = if policy == Policy::Engine {
        let first = choose::first_minute(model, belief, situation, &ranked);
        first.into_iter().next().or_else(|| ranked.first().cloned())
    } else {
        let open = list
            .iter()
            .copied()
            .find(|k| !situation.closed.contains(&model.tests[*k].id));
        open.map(candidate)
    };
    match next {
        Some(c) => (Action::Test(c.test), Some(c)),
        None => (Action::Refer, None),
    }
}
