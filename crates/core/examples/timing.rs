//! Prints how long the model of a family takes to build and a reading to answer (wall clock).

use spannung_circuit::family::Carries;
use spannung_circuit::{Change, Family, Profile};
use spannung_core::catalogue::Catalogue;
use spannung_core::diagnosis::choose::{self, Situation};
use spannung_core::diagnosis::{Belief, Evidence, Item, Model};
use std::time::Instant;

/// A signal strand with thinner wires than usual.
fn edit(family: &Family) -> Change {
    let strand = family
        .strands
        .iter()
        .find(|s| s.carries == Carries::Signals);
    let strand = strand.unwrap_or(&family.strands[0]);
    Change::Gauge {
        strand: strand.id.get_ref().clone(),
        mm2: strand.mm2() * 0.6,
    }
}

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
        let change = edit(family);
        let changed = Profile::new(family, std::slice::from_ref(&change))?;
        let start = Instant::now();
        model.edited(&catalogue, &changed)?;
        println!("  after an edit in {:?} ({change:?})", start.elapsed());
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
