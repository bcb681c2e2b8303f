//! Jobs whose readings were worked out by hand, from workshop figures and physics, played by the engine.

use spannung_circuit::Profile;
use spannung_core::catalogue::Catalogue;
use spannung_core::diagnosis::Model;
use spannung_trial::cases::{BenchCase, halves, sound};
use std::collections::BTreeMap;

/// Cases that the engine must end rightly, of each half: what was reached when the half was written and no less.
const RIGHT: [usize; 4] = [24, 27, 10, 8];

fn models(catalogue: &Catalogue) -> BTreeMap<String, Model> {
    let each = catalogue.families.iter().map(|family| {
        let profile = Profile::new(family, &[]).expect("a plain profile");
        let model = Model::build(catalogue, &profile).expect("it builds");
        (family.id.clone(), model)
    });
    each.collect()
}

#[test]
fn bench_cases_end_as_somebody_worked_out() {
    let catalogue = Catalogue::shipped().expect("it ships");
    let (models, sound) = (models(&catalogue), sound());
    for (half, least) in halves().iter().zip(RIGHT) {
        let gaps: Vec<String> = half
            .iter()
            .flat_map(|c| c.gaps(&sound[&c.family], &models[&c.family]))
            .collect();
        assert!(gaps.is_empty(), "not worked out: {gaps:#?}");
        let play = |c: &BenchCase| c.play(&sound[&c.family], &models[&c.family]);
        let ended: Vec<_> = half.iter().map(|c| play(c).expect("it plays")).collect();
        let right = ended.iter().filter(|e| e.right).count();
        let wrong: Vec<_> = ended.iter().filter(|e| !e.right).collect();
        assert!(right >= least, "{right} of {}: {wrong:#?}", half.len());
    }
}
