//! What is proposed, and what is not.

use crate::common::{self, told};
use spannung_core::diagnosis::belief::Belief;
use spannung_core::diagnosis::choose::{self, Situation};
use spannung_core::diagnosis::column::Column;
use spannung_core::diagnosis::evidence::{Answer, Evidence, Item};
use spannung_core::diagnosis::model::Model;
use spannung_core::diagnosis::scale::Scale;
use spannung_core::diagnosis::{explain, repertoire};

fn model() -> &'static Model {
    common::model("gh48")
}

fn taken(test: &str, answer: Answer) -> Evidence {
    Evidence {
        entry: test.into(),
        item: Item::Test {
            test: repertoire::find(&model().tests, test).unwrap(),
            answer,
            taken_in: None,
        },
    }
}

fn technician() -> Situation {
    Situation {
        risk_limit: 3,
        ..Situation::default()
    }
}

#[test]
fn every_gain_is_finite_and_no_more_than_there_is_to_know() {
    let m = model();
    let belief = Belief::of(m, &[told("S02")]);
    let entropy: f64 = belief
        .shares
        .iter()
        .filter(|p| **p > 0.0)
        .map(|p| -p * p.log2())
        .sum();
    for (k, rows) in m.rows.iter().enumerate() {
        let bits = choose::gain(rows, &belief.looks(m));
        assert!(
            bits.is_finite() && bits >= 0.0 && bits <= entropy,
            "{}: {bits} of {entropy}",
            m.tests[k].id
        );
    }
}

#[test]
fn what_is_done_or_passed_over_does_not_come_back() {
    let m = model();
    let belief = Belief::of(m, &[told("S02")]);
    let mut situation = technician();
    for _ in 0..8 {
        let best = choose::rank(m, &belief, &situation).remove(0);
        let id = m.tests[best.test].id.clone();
        assert!(!situation.closed.contains(&id), "{id} came back");
        situation.closed.insert(id);
    }
}

#[test]
fn nobody_is_proposed_more_risk_than_the_role_allows() {
    let m = model();
    let belief = Belief::of(m, &[told("S25")]);
    for limit in [1, 2, 3, 4] {
        let situation = Situation {
            risk_limit: limit,
            ..Situation::default()
        };
        let ranked = choose::rank(m, &belief, &situation);
        assert!(ranked.iter().all(|c| m.tests[c.test].risk <= limit));
    }
}

#[test]
fn no_ride_is_proposed_while_brakes_or_runaway_are_open() {
    let m = model();
    let belief = Belief::of(m, &[told("S13")]);
    let rides = |no_ride: bool| {
        let situation = Situation {
            no_ride,
            ..technician()
        };
        let ranked = choose::rank(m, &belief, &situation);
        ranked
            .iter()
            .filter(|c| m.tests[c.test].needs.iter().any(|n| n == "ride-safe"))
            .count()
    };
    assert!(rides(false) > 0);
    assert_eq!(rides(true), 0);
}

#[test]
fn open_covers_make_what_lies_behind_them_cheap() {
    let m = model();
    let test = &m.tests[repertoire::find(&m.tests, "t-5v").unwrap()];
    let closed = choose::minutes(m, test, &technician()).0;
    let mut situation = technician();
    situation.opened.insert("a2".into());
    let open = choose::minutes(m, test, &situation).0;
    assert!((closed - open - 6.0).abs() < 1e-9, "{closed} {open}");
}

#[test]
fn dead_means_the_pack_side_is_asked_first() {
    let m = model();
    let belief = Belief::of(m, &[told("S01")]);
    let situation = technician();
    let ranked = choose::rank(m, &belief, &situation);
    let first: Vec<&str> = choose::first_minute(m, &belief, &situation, &ranked)
        .iter()
        .map(|c| m.tests[c.test].id.as_str())
        .collect();
    assert!(
        first.contains(&"fm-switch") || first.contains(&"fm-seated") || first.contains(&"fm-gauge"),
        "{first:?}"
    );
}

#[test]
fn ruling_out_by_hand_takes_a_suspect_away_and_the_rest_fills_up() {
    let m = model();
    let class = m.class("controller").unwrap();
    let before = Belief::of(m, &[told("S02")]);
    let out = Evidence {
        entry: "hand".into(),
        item: Item::ByHand { class, out: true },
    };
    let after = Belief::of(m, &[told("S02"), out]);
    assert!(before.classes(m)[class] > 0.05);
    assert!(after.classes(m)[class] < 0.001);
    assert!((after.shares.iter().sum::<f64>() - 1.0).abs() < 1e-9);
}

#[test]
fn a_reading_that_fits_nothing_is_named_for_repetition() {
    let m = model();
    let figure = |v: f64| Answer::Figure { low: v, high: v };
    // 2.1 V at the pack's own terminals, with everything behind it alive
    let evidence = [
        taken("t-vb-open", figure(50.1)),
        taken("t-5v", figure(4.85)),
        taken("t-pack-voc", figure(2.1)),
        taken("t-ign", figure(49.9)),
    ];
    let belief = Belief::of(m, &evidence);
    assert_eq!(
        explain::surprising(&belief),
        Some(2),
        "{:?}",
        belief.unexplained
    );
}

#[test]
fn cannot_reach_and_cannot_tell_move_nothing() {
    let m = model();
    let before = Belief::of(m, &[told("S06")]);
    let after = Belief::of(
        m,
        &[
            told("S06"),
            taken("t-5v", Answer::CannotReach),
            taken("fm-code", Answer::CannotTell),
        ],
    );
    for (a, b) in before.shares.iter().zip(&after.shares) {
        assert!((a - b).abs() < 1e-12);
    }
}

#[test]
fn bins_are_at_most_ten_and_their_chances_sum_to_one() {
    let m = model();
    for ((test, column), rows) in m.tests.iter().zip(&m.columns).zip(&m.rows) {
        match &**column {
            Column::Figures { bins, dims, .. } => {
                assert!(bins.cuts[0].len() < 10, "{}", test.id);
                assert!(*dims == 2 || bins.cuts[1].is_empty());
                let each = rows.own.iter().map(|own| &own.1);
                for row in each.chain(std::iter::once(&rows.healthy)) {
                    let sum: f64 = row.iter().sum();
                    assert!((sum - 1.0).abs() < 1e-9, "{}: {sum}", test.id);
                }
            }
            Column::Outcomes { cases, healthy, .. } => {
                for row in cases.iter().chain(std::iter::once(healthy)) {
                    assert!((row.iter().sum::<f64>() - 1.0).abs() < 1e-9, "{}", test.id);
                }
            }
        }
    }
}

#[test]
fn ohms_are_compared_on_a_log_scale_that_goes_both_ways() {
    for ohms in [0.0, 0.12, 47.0, 4700.0, 1e6] {
        let back = Scale::Ohms.from(Scale::Ohms.to(ohms));
        assert!((back - ohms).abs() <= 1e-6 * ohms.max(1.0), "{ohms} {back}");
    }
    assert!(
        Scale::Ohms
            .from(Scale::Ohms.to(f64::INFINITY))
            .is_infinite()
    );
    assert!(
        Scale::Ohms.instrument(Scale::Ohms.to(0.1))
            > Scale::Ohms.instrument(Scale::Ohms.to(1000.0))
    );
}

#[test]
fn nearly_every_repair_class_shows_in_some_test() {
    let m = model();
    let dark: Vec<&str> = m
        .classes
        .iter()
        .filter(|class| {
            !class.members.iter().any(|case| {
                m.rows.iter().any(|rows| {
                    let pairs = rows.row(*case).iter().zip(&rows.healthy);
                    pairs.map(|(a, b)| (a - b).abs()).sum::<f64>() > 0.5
                })
            })
        })
        .map(|c| c.id.as_str())
        .collect();
    assert!(dark.is_empty(), "no test shows {dark:?}");
}

#[test]
fn what_an_answer_says_already_is_not_asked() {
    let says = |family: &str, test: &str, value: &str| {
        let m = common::model(family);
        let k = repertoire::find(&m.tests, test).unwrap();
        let repertoire::Kind::Procedure { outcomes, .. } = &m.tests[k].kind else {
            panic!("{test} is no look");
        };
        let at = outcomes.iter().position(|o| o.0 == value).unwrap();
        m.says(k, &Answer::Outcome(at, None))
    };
    assert_eq!(says("ssb36", "fm-lights", "dark"), ["t-lamp"]);
    assert!(says("ssb36", "fm-lights", "lit").is_empty());
    assert_eq!(says("gh48", "t-throttle-run", "rough"), ["fm-display"]);
    assert!(says("gh48", "t-throttle-run", "silent").is_empty());
}

#[test]
fn a_look_taken_again_removes_the_slip_and_not_the_doubt() {
    let m = model();
    let share = |looks: usize| {
        let mut evidence = vec![told("S12")];
        evidence.extend((0..looks).map(|_| taken("t-speed", Answer::Outcome(1, None))));
        let belief = Belief::of(m, &evidence);
        m.class("speed-sensor")
            .map(|c| belief.classes(m)[c])
            .unwrap()
    };
    let [none, once, twice, often] = [0, 1, 2, 3].map(share);
    assert!(once > 2.0 * none, "{none} {once}");
    // the second removes the slip; a third says nothing new
    assert!(twice >= once - 0.01, "{once} {twice}");
    assert!((often - twice).abs() < 0.05, "{twice} {often}");
}
