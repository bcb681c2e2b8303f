//! The catalogue hangs together: every fault can be seen, every test can be moved, every symptom has a
//! fault behind it, every access leads somewhere. Worked out from the model, not from the files alone.

#![allow(clippy::unwrap_used)] // a test that panics says where

use spannung_circuit::Profile;
use spannung_core::catalogue::Catalogue;
use spannung_core::diagnosis::predict::{Column, Model};
use std::collections::BTreeSet;
use std::sync::OnceLock;

/// Half the distance between two distributions at which they count as told apart.
const APART: f64 = 0.3;

fn world() -> &'static (Catalogue, Model) {
    static W: OnceLock<(Catalogue, Model)> = OnceLock::new();
    W.get_or_init(|| {
        let catalogue = Catalogue::shipped().unwrap();
        let profile = Profile::new(&catalogue.families[0], &[]).unwrap();
        let model = Model::build(&catalogue, &profile).unwrap();
        (catalogue, model)
    })
}

/// Total variation between what a test shows under a case and without a fault.
fn moves(column: &Column, case: usize) -> f64 {
    let half = |a: &[f64], b: &[f64]| -> f64 {
        a.iter().zip(b).map(|(x, y)| (x - y).abs()).sum::<f64>() / 2.0
    };
    let wide = |v: &[f32]| v.iter().map(|x| f64::from(*x)).collect::<Vec<_>>();
    match column {
        Column::Figures { bins, .. } => half(&wide(&bins.cases[case]), &wide(&bins.healthy)),
        Column::Outcomes { cases, healthy } => half(&cases[case], healthy),
    }
}

#[test]
fn every_fault_shows_in_a_test_or_a_symptom() {
    let (catalogue, m) = world();
    let unseen: Vec<&str> = m
        .cases
        .iter()
        .enumerate()
        .filter(|(k, _)| m.columns.iter().all(|c| moves(c, *k) < APART))
        .filter(|(_, c)| {
            let prior = &catalogue.priors[&c.fault];
            prior.symptoms.values().all(|p| *p < 0.2)
        })
        .map(|(_, c)| c.key.as_str())
        .collect();
    assert!(unseen.is_empty(), "nothing shows {unseen:?}");
}

#[test]
fn every_test_that_somebody_wrote_is_moved_by_some_fault() {
    let (catalogue, m) = world();
    let written: BTreeSet<&str> = catalogue
        .procedures
        .iter()
        .map(|p| p.id.get_ref().as_str())
        .chain(catalogue.probes.iter().map(|p| p.id.get_ref().as_str()))
        .collect();
    let idle: Vec<&str> = m
        .tests
        .iter()
        .zip(&m.columns)
        .filter(|(t, _)| written.contains(t.id.as_str()))
        .filter(|(_, c)| (0..m.cases.len()).all(|k| moves(c, k) < APART))
        .map(|(t, _)| t.id.as_str())
        .collect();
    assert!(idle.is_empty(), "no fault moves {idle:?}");
}

/// A rail that is dead and one that is whole are two outcomes, whatever bad contacts lie between them.
#[test]
fn an_uncertain_fault_hides_no_gap() {
    let (_, m) = world();
    for id in ["t-pull-a", "t-pull-b", "t-pull-c"] {
        let test = m.tests.iter().position(|t| t.id == id).unwrap();
        let dead = m.cases.iter().position(|c| c.key == "ctl-5v-dead").unwrap();
        let apart = moves(&m.columns[test], dead);
        assert!(apart > 0.9, "{id} tells the dead rail by {apart:.2}");
    }
}

#[test]
fn every_symptom_has_a_fault_behind_it() {
    let (_, m) = world();
    let empty: Vec<&String> = m
        .symptoms
        .iter()
        .filter(|(_, cases)| cases.iter().all(|p| *p < 0.1))
        .map(|(id, _)| id)
        .collect();
    assert!(empty.is_empty(), "nothing explains {empty:?}");
}

#[test]
fn every_test_has_an_access_of_the_family() {
    let (catalogue, m) = world();
    let family = &catalogue.families[0];
    for t in &m.tests {
        assert!(
            family.access.contains_key(&t.access),
            "{}: {}",
            t.id,
            t.access
        );
    }
}
