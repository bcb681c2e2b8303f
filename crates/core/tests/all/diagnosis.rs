//! The engine on the whole family: shares, a healthy vehicle, known faults.

use crate::common::{self, test_item, told};
use spannung_core::diagnosis::belief::Belief;
use spannung_core::diagnosis::choose::{self, Situation};
use spannung_core::diagnosis::column::Column;
use spannung_core::diagnosis::evidence::Answer;
use spannung_core::diagnosis::model::Model;
use spannung_core::diagnosis::{explain, repertoire};

fn model() -> &'static Model {
    common::model("gh48")
}

fn healthy_answer(m: &Model, test: usize) -> Answer {
    match &*m.columns[test] {
        Column::Figures {
            scale, readings, ..
        } => {
            let [low, high] = readings.healthy.mean.map(|y| scale.from(y));
            Answer::Figure { low, high }
        }
        Column::Outcomes { healthy, .. } => {
            let best = healthy
                .iter()
                .enumerate()
                .max_by(|a, b| a.1.total_cmp(b.1))
                .unwrap()
                .0;
            Answer::Outcome(best, None)
        }
    }
}

#[test]
fn the_vehicle_is_of_the_size_asked_for() {
    let m = model();
    println!(
        "{} nodes, {} elements, {} cases, {} classes, {} tests, {} disagreements of table and circuit",
        m.net.nodes.len(),
        m.net.elements.len(),
        m.cases.len(),
        m.classes.len(),
        m.tests.len(),
        m.disagreements.len()
    );
    assert!(m.net.nodes.len() >= 60 && m.cases.len() >= 100 && m.tests.len() >= 100);
}

#[test]
fn priors_and_shares_sum_to_one() {
    let m = model();
    let prior: f64 = m.hypotheses.iter().map(|h| h.weight).sum();
    assert!((prior - 1.0).abs() < 1e-9, "{prior}");
    let mut evidence = vec![told("S05")];
    for (k, _) in m.tests.iter().enumerate().step_by(17) {
        evidence.push(test_item(k, healthy_answer(m, k)));
        let b = Belief::of(m, &evidence);
        assert!((b.shares.iter().sum::<f64>() - 1.0).abs() < 1e-9);
        assert!(b.shares.iter().all(|p| p.is_finite() && *p >= 0.0));
    }
}

#[test]
fn after_a_dozen_healthy_readings_nothing_wrong_leads() {
    let m = model();
    let mut evidence = vec![told("S02")];
    let mut situation = Situation {
        risk_limit: 3,
        ..Situation::default()
    };
    for _ in 0..12 {
        let belief = Belief::of(m, &evidence);
        let best = choose::rank(m, &belief, &situation)
            .into_iter()
            .next()
            .unwrap();
        let test = &m.tests[best.test];
        situation.closed.insert(test.id.clone());
        situation.opened.insert(test.access.clone());
        situation.state = test.state.bring(&situation.state);
        evidence.push(test_item(best.test, healthy_answer(m, best.test)));
    }
    let belief = Belief::of(m, &evidence);
    let (nothing, _) = belief.others(m);
    let classes = belief.classes(m);
    let top = classes.iter().copied().fold(0.0, f64::max);
    println!("nothing wrong {nothing:.3}, first class {top:.3}");
    assert!(nothing > top, "nothing wrong {nothing}, first class {top}");
    assert!(top <= 0.15, "{top}");
}

#[test]
fn a_dead_hall_feed_at_the_plug_points_to_what_lies_before_it() {
    let m = model();
    let t = repertoire::find(&m.tests, "t-hall-5v").unwrap();
    let before = Belief::of(m, &[told("S05")]);
    let evidence = [
        told("S05"),
        test_item(
            t,
            Answer::Figure {
                low: 0.0,
                high: 0.0,
            },
        ),
    ];
    let after = Belief::of(m, &evidence);
    let upstream =
        ["motor-plug", "mate-motor", "loom-halls", "controller"].map(|id| m.class(id).unwrap());
    let sum = |b: &Belief| upstream.iter().map(|c| b.classes(m)[*c]).sum::<f64>();
    assert!(
        sum(&after) > 0.6 && sum(&after) > sum(&before) + 0.2,
        "{} {}",
        sum(&before),
        sum(&after)
    );
    // the cable behind the plug cannot make the plug itself read nothing
    let cable = m.class("motor-cable").unwrap();
    assert!(after.classes(m)[cable] < before.classes(m)[cable]);
    let reasons = explain::reasons(m, &after, upstream[0]);
    assert!(
        reasons.iter().any(|(item, w)| *item == 1 && *w > 1.0),
        "{reasons:?}"
    );
}

#[test]
fn bands_say_what_each_outcome_would_mean() {
    let m = model();
    let belief = Belief::of(m, &[told("S05")]);
    let t = repertoire::find(&m.tests, "t-hall-5v").unwrap();
    let bands = explain::bands(m, &belief, t);
    assert!((2..=5).contains(&bands.len()), "{bands:?}");
    assert_eq!(
        bands
            .iter()
            .filter(|b| b.kind == explain::BandKind::Expected)
            .count(),
        1
    );
    let chance: f64 = bands.iter().map(|b| b.chance).sum();
    assert!((chance - 1.0).abs() < 1e-6, "{chance}");
    let expected = explain::expected(m, t).unwrap();
    assert!(
        expected.holds(4.85, 4.85) && !expected.holds(0.3, 0.3),
        "{}",
        expected.text()
    );
}

#[test]
fn a_pack_reading_teaches_the_charge_and_sharpens_the_feed() {
    let m = model();
    let voc = repertoire::find(&m.tests, "t-pack-voc").unwrap();
    let feed = repertoire::find(&m.tests, "t-vb-open").unwrap();
    let at = |v: f64| Answer::Figure { low: v, high: v };
    let lead = m.class("main-plug").unwrap();
    // a feed of 47.4 V is fine when the pack itself reads 47.5 V, and not when it reads 53 V
    let fine = Belief::of(m, &[test_item(voc, at(47.5)), test_item(feed, at(47.4))]);
    let odd = Belief::of(m, &[test_item(voc, at(53.0)), test_item(feed, at(47.4))]);
    let sound = m
        .hypotheses
        .iter()
        .position(|h| h.key == "nothing")
        .unwrap();
    let speaks = |b: &Belief| b.items[1][sound];
    assert!(
        speaks(&fine) > speaks(&odd) + 3.0,
        "{} {}",
        speaks(&fine),
        speaks(&odd)
    );
    assert!(fine.classes(m)[lead].is_finite());
}

#[test]
fn evidence_order_of_symptoms_does_not_matter() {
    let m = model();
    let a = Belief::of(m, &[told("S05"), told("S29")]);
    let b = Belief::of(m, &[told("S29"), told("S05")]);
    for (x, y) in a.shares.iter().zip(&b.shares) {
        assert!((x - y).abs() < 1e-12);
    }
}
