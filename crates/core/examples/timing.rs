//! Prints how long the model of a family takes to build and a reading to answer (wall clock).

use spannung_circuit::Profile;
use spannung_core::catalogue::Catalogue;
use spannung_core::diagnosis::choose::{self, Situation};
use spannung_core::diagnosis::{Belief, Evidence, Item, Model};
use std::time::Instant;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let catalogue = Catalogue::shipped()?;
    for family in &catalogue.families {
        let start = Instant::now();
        let model = Model::build(&catalogue, &Profile::new(family, &[])?)?;
        println!(
            "{}: model in {:?}; {} points, {} elements, {} fault cases of {} faults, {} tests",
            family.id,
            start.elapsed(),
            model.net.nodes.len(),
            model.net.elements.len(),
            model.cases.len(),
            model
                .cases
                .iter()
                .map(|c| &c.fault)
                .collect::<std::collections::BTreeSet<_>>()
                .len(),
            model.tests.len()
        );
        let evidence = [Evidence {
            entry: "symptom".into(),
            item: Item::Symptom {
                id: "S05".into(),
                yes: true,
                customer: true,
            },
        }];
        let start = Instant::now();
        let belief = Belief::of(&model, &evidence);
        let situation = Situation {
            risk_limit: 3,
            ..Situation::default()
        };
        let ranked = choose::rank(&model, &belief, &situation);
        println!(
            "  shares and next test in {:?}, {} tests worth doing",
            start.elapsed(),
            ranked.len()
        );
    }
    Ok(())
}
