//! What holds for every family holds for forty random builds as well.

use spannung_circuit::FaultCase;
use spannung_core::catalogue::Catalogue;
use spannung_core::diagnosis::column::Column;
use spannung_core::diagnosis::{Answer, Belief, Evidence, Item, Kind, Model};
use spannung_sim::builds::{Build, Comes, Guest};
use spannung_sim::{Errors, Vehicle};
use std::collections::BTreeSet;

const BUILDS: u64 = 40;

fn drawn() -> Vec<Build> {
    use rand::SeedableRng;
    let one = |seed: u64| {
        let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(seed);
        Build::draw(&mut rng, false).expect("the data read")
    };
    (600_000..600_000 + BUILDS).map(one).collect()
}

/// What a sound vehicle reads at some probes, as evidence: half a spread above the middle or below it in turn. In the very middle
/// of them all stands none: two packs that are alike to a tenth of a millivolt are one pack read twice.
fn sound_readings(model: &Model, step: usize) -> Vec<Evidence> {
    let figures = (0..model.tests.len()).filter_map(|t| {
        let Column::Figures {
            scale, readings, ..
        } = &*model.columns[t]
        else {
            return None;
        };
        let beside = if t % 2 == 0 { 0.5 } else { -0.5 };
        let [low, high] = [0, 1].map(|d| {
            let off = beside * readings.healthy.spread[d];
            scale.from(readings.healthy.mean[d] + off)
        });
        let answer = if low.is_infinite() {
            Answer::OverRange
        } else {
            Answer::Figure { low, high }
        };
        Some(Evidence {
            entry: model.tests[t].id.clone(),
            item: Item::Test {
                test: t,
                answer,
                taken_in: None,
            },
        })
    });
    figures.step_by(step).collect()
}

#[test]
fn every_random_build_is_worked_out_and_a_sound_one_is_not_blamed() {
    let catalogue = Catalogue::shipped().expect("it ships");
    let mut kinds = BTreeSet::new();
    for build in drawn() {
        let name = format!("{}: {:?}", build.family.id, build.told);
        let model = Model::build(&catalogue, &build.known).expect(&name);
        kinds.extend(
            build
                .known
                .family
                .build
                .components
                .iter()
                .map(|c| c.kind.clone()),
        );
        // every fault has its repair, and the weights are shares
        let weight: f64 = model.hypotheses.iter().map(|h| h.weight).sum();
        assert!((weight - 1.0).abs() < 1e-6, "{name}: {weight}");
        assert!(model.listed > 60, "{name}: {}", model.listed);
        // every reading is a figure, under every case
        for (t, rows) in model.rows.iter().enumerate() {
            for (case, row) in
                std::iter::once((0, &rows.healthy)).chain(rows.own.iter().map(|(k, r)| (*k, r)))
            {
                let sum: f64 = row.iter().sum();
                assert!(
                    (sum - 1.0).abs() < 1e-6 && row.iter().all(|p| p.is_finite() && *p >= 0.0),
                    "{name}: {} under {}: {row:?}",
                    model.tests[t].id,
                    model.cases[case].key
                );
            }
        }
        // a test that nothing moves is none
        let dead = |t: &usize| {
            model.rows[*t].own.is_empty() && matches!(model.tests[*t].kind, Kind::Procedure { .. })
        };
        let idle: Vec<&str> = (0..model.tests.len())
            .filter(dead)
            .map(|t| model.tests[t].id.as_str())
            .collect();
        assert!(idle.is_empty(), "{name}: nothing moves {idle:?}");
        // sound readings suspect nobody
        let belief = Belief::of(&model, &sound_readings(&model, 9));
        let top = belief.classes(&model).into_iter().fold(0.0, f64::max);
        assert!(top < 0.35, "{name}: {top}");
        let ways = belief.ways.iter().map(|w| w.share()).fold(0.0, f64::max);
        assert!(ways < 0.5, "{name}: built otherwise {ways}");
    }
    assert!(kinds.len() > 45, "{} kinds stood in them", kinds.len());
}

/// A vehicle that comes in is one that runs when nothing is wrong, and its owner tells what is.
#[test]
fn who_comes_in_has_a_complaint_and_had_none_before() {
    let mut came = 0;
    for seed in 610_000..610_030 {
        let Some(guest) = Guest::of(seed, Comes::Faulty, Errors::default()).expect("the data read")
        else {
            continue;
        };
        let make = |faults: Vec<FaultCase>| {
            let build = &guest.build;
            Vehicle::new(
                &build.real,
                &build.net,
                faults,
                &[],
                Errors::default(),
                guest.seed,
            )
        };
        assert!(make(Vec::new()).complaint().is_empty());
        let (_, told) = guest.vehicle(false, &[], Errors::default());
        assert!(!told.is_empty());
        came += 1;
    }
    assert!(came > 15, "{came} of 30");
}
