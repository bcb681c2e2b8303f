//! Faults that the catalogue does not hold: where they are looked for, and that they do not disturb what it holds.

use crate::common::{self, told};
use spannung_core::diagnosis::belief::Belief;
use spannung_core::diagnosis::evidence::{Answer, Evidence, Item};
use spannung_core::diagnosis::hypothesis::Suspicion;
use spannung_core::diagnosis::model::Model;
use spannung_core::diagnosis::now::Now;

fn model() -> &'static Model {
    common::model("rt12")
}

fn read(model: &Model, test: &str, answer: Answer) -> Evidence {
    Evidence {
        entry: test.into(),
        item: Item::Test {
            test: model.tests.iter().position(|t| t.id == test).unwrap(),
            answer,
            taken_in: None,
        },
    }
}

fn figure(volts: f64) -> Answer {
    Answer::Figure {
        low: volts,
        high: volts,
    }
}

/// Share of “something else” in each class.
fn others(model: &Model, belief: &Belief) -> Vec<(String, f64)> {
    let each = model.hypotheses.iter().zip(&belief.shares);
    each.filter(|(h, _)| h.kind == Suspicion::Other)
        .map(|(h, p)| (model.classes[h.class.unwrap()].id.clone(), *p))
        .collect()
}

fn of(all: &[(String, f64)], class: &str) -> f64 {
    all.iter().find(|(id, _)| id == class).unwrap().1
}

#[test]
fn the_rows_of_unknown_faults_are_chances_and_agree_with_the_belief() {
    let m = model();
    let belief = Belief::of(m, &[told("S02"), read(m, "t-pack-voc", figure(12.4))]);
    let test = m.tests.iter().position(|t| t.id == "t-toy-run").unwrap();
    let now = Now::of(&m.rows[test], m, &belief);
    for h in 0..m.hypotheses.len() {
        let sum: f64 = now.row(h).iter().sum();
        assert!((sum - 1.0).abs() < 1e-6, "{}: {sum}", m.hypotheses[h].key);
    }
    // what was foreseen for an outcome is the likelihood it is given when it comes
    for outcome in 0..now.outcomes() {
        let mut unknown = belief.unknown.clone();
        let rows = &m.rows[test];
        let cases: Vec<f64> = (0..m.cases.len()).map(|k| rows.row(k)[outcome]).collect();
        let any = 1.0 / now.outcomes() as f64;
        let like = unknown.read(m, &cases, rows.healthy[outcome], Some(any));
        for (h, like) in like.iter().enumerate() {
            let foreseen = now.row(h)[outcome];
            assert!(
                (foreseen - like).abs() < 1e-9,
                "{} outcome {outcome}: {foreseen} foreseen, {like} given",
                m.hypotheses[h].key
            );
        }
    }
}

#[test]
fn an_unknown_fault_is_looked_for_beside_the_known_one_it_looks_like() {
    let m = model();
    let before = Belief::of(m, &[told("S02")]);
    // nothing comes out of the foot switch when it is pressed, and its own repair did not help
    let foot = m.class("foot-switch").unwrap();
    let evidence = [
        told("S02"),
        read(m, "v.foot.2.d", figure(0.0)),
        Evidence {
            entry: "failed".into(),
            item: Item::Failed {
                class: foot,
                still: std::collections::BTreeMap::new(),
            },
        },
    ];
    let after = Belief::of(m, &evidence);
    let (was, now) = (others(m, &before), others(m, &after));
    let near = of(&now, "plug-foot") / of(&was, "plug-foot");
    let far = of(&now, "charger") / of(&was, "charger");
    assert!(near > 3.0 * far, "beside it {near}, far from it {far}");
}

#[test]
fn sound_readings_do_not_use_up_what_is_unknown() {
    let m = model();
    let mut evidence = vec![told("S02")];
    let share = |evidence: &[Evidence]| {
        let belief = Belief::of(m, evidence);
        let known: f64 = belief.shares[..m.cases.len()].iter().sum();
        (1.0 - known) / known
    };
    let before = share(&evidence);
    for (k, rows) in m.rows.iter().enumerate() {
        // only looks that no fault moves much: nothing to be learnt from them
        let still = rows
            .own
            .iter()
            .all(|(_, row)| (row[0] - rows.healthy[0]).abs() < 0.2);
        if still && rows.healthy[0] > 0.9 && m.tests[k].first_minute.is_some() {
            evidence.push(read(m, &m.tests[k].id, Answer::Outcome(0, None)));
        }
    }
    let after = share(&evidence);
    assert!(
        after > 0.8 * before,
        "{} sound looks: {before} to {after}",
        evidence.len() - 1
    );
}
