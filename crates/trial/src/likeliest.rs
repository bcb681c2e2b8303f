//! What leads after a complaint alone: to be read against what the trade says of it.

use spannung_core::catalogue::Catalogue;
use spannung_core::diagnosis::{Belief, Evidence, Item, Model};
use std::fmt::Write;

/// Suspects of a row.
const MANY: usize = 10;

/// A table of the likeliest repair classes after every complaint that a family can have, shares in percent.
pub fn table(catalogue: &Catalogue, model: &Model) -> String {
    let mut text = String::from("| complaint | likeliest, share in % |\n| --- | --- |\n");
    for symptom in &catalogue.symptoms {
        let id = symptom.id.get_ref();
        if !model.symptoms.contains_key(id) {
            continue;
        }
        let told = Evidence {
            entry: id.clone(),
            item: Item::Symptom {
                id: id.clone(),
                yes: true,
                customer: true,
            },
        };
        let belief = Belief::of(model, &[told]);
        let (nothing, outside) = belief.others(model);
        let named = model.classes.iter().map(|c| c.id.as_str());
        let mut all: Vec<(&str, f64)> = named.zip(belief.classes(model)).collect();
        all.extend([
            ("nothing", nothing),
            ("outside", outside),
            ("built otherwise", belief.built(model)),
        ]);
        all.sort_by(|a, b| b.1.total_cmp(&a.1));
        let each = all
            .iter()
            .take(MANY)
            .map(|(id, p)| format!("{id} {:.1}", 100.0 * p));
        let each = each.collect::<Vec<_>>().join(", ");
        let _ = writeln!(text, "| {id} {} | {each} |", symptom.name);
    }
    text
}
