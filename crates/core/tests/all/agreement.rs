//! Where the table of symptoms says one thing and the solved circuit another: every such place is listed in
//! `agreement.toml` with what was decided; a new one is named with file and line.

use crate::common::models;
use serde::Deserialize;
use std::collections::{BTreeMap, BTreeSet};

#[derive(Deserialize)]
struct Decided {
    group: Vec<Group>,
}

#[derive(Deserialize)]
struct Group {
    why: String,
    places: Vec<String>,
}

/// `fault symptom` of each disagreement where the table is sure and no circuit of a family shows it.
fn found() -> BTreeMap<String, Vec<String>> {
    let mut found: BTreeMap<String, Vec<String>> = BTreeMap::new();
    for model in models() {
        let family = &model.profile.family;
        let missing = model.disagreements.iter().filter(|d| !d.circuit);
        for d in missing {
            let case = model.cases.iter().find(|c| c.key == d.case).unwrap();
            let place = format!("{} {}", case.fault, d.symptom);
            let said = format!("{} {}: {:.2}", family.id, d.case, d.table);
            found.entry(place).or_default().push(said);
        }
    }
    found
}

#[test]
fn table_and_circuit_disagree_only_where_it_was_decided() {
    let decided: Decided = toml::from_str(include_str!("agreement.toml")).unwrap();
    let known: BTreeSet<&str> = decided
        .group
        .iter()
        .inspect(|g| assert!(g.why.len() > 20, "say why: {}", g.why))
        .flat_map(|g| g.places.iter().map(String::as_str))
        .collect();
    let found = found();
    let table = include_str!("../../data/priors.toml");
    let line = |fault: &str| {
        let wanted = format!("fault = \"{fault}\"");
        table.lines().position(|l| l == wanted).map_or(0, |k| k + 1)
    };
    let new: Vec<String> = found
        .iter()
        .filter(|(place, _)| !known.contains(place.as_str()))
        .map(|(place, said)| {
            let fault = place.split(' ').next().unwrap();
            format!(
                "data/priors.toml:{}: {place}, {}",
                line(fault),
                said.join(", ")
            )
        })
        .collect();
    assert!(
        new.is_empty(),
        "the table says what no circuit shows:\n{}",
        new.join("\n")
    );
    let gone: Vec<&&str> = known.iter().filter(|k| !found.contains_key(**k)).collect();
    assert!(
        gone.is_empty(),
        "agreement.toml lists what agrees now: {gone:?}"
    );
}
