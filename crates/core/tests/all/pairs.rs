//! Two faults on one vehicle: what was read before the repair of one speaks of both.

use crate::common;
use spannung_circuit::{Circuit, VehicleState};
use spannung_core::diagnosis::{Answer, Belief, Evidence, Item, Kind, Model};
use std::collections::BTreeMap;

fn model() -> &'static Model {
    common::model("rt12")
}

fn case(key: &str) -> usize {
    let at = model().cases.iter().position(|c| c.key == key);
    at.unwrap_or_else(|| panic!("no fault {key}"))
}

/// What a test reads with some faults at once, with all values as named.
fn reading(test: &str, faults: &[&str]) -> Evidence {
    let m = model();
    let test = m.tests.iter().position(|t| t.id == test).unwrap();
    let Kind::Probe(probe) = &m.tests[test].kind else {
        panic!("{} is no probe", m.tests[test].id)
    };
    let effects = faults.iter().flat_map(|f| m.cases[case(f)].effects.clone());
    let tips = (probe.pair.red, probe.pair.black);
    let circuit = Circuit::compile(&m.net, &effects.collect::<Vec<_>>(), &[tips]);
    let state = m.tests[test].state.bring(&VehicleState::default());
    let shown = probe
        .meter()
        .measure(&circuit, &state, 0, &circuit.draw(&[]));
    let volts = shown.capped(probe.mode);
    Evidence {
        entry: format!("{} {volts:.2}", m.tests[test].id),
        item: Item::Test {
            test,
            answer: Answer::Figure {
                low: volts,
                high: volts,
            },
            taken_in: None,
        },
    }
}

/// Shares after the repair of a fault did not end the complaint.
fn after_repair(of: &str, mut evidence: Vec<Evidence>) -> Belief {
    let class = model().hypotheses[case(of)].class.unwrap();
    evidence.push(Evidence {
        entry: "failed".into(),
        item: Item::Failed {
            class,
            still: BTreeMap::new(),
        },
    });
    Belief::of(model(), &evidence)
}

/// A breaker with burnt contacts: it drops 1.1 V when both motors pull.
const BREAKER: &str = "rt-breaker#2";
const LEFT: &str = "rt-one-motor:armature-left";

/// Share of all faults that leave one motor dead.
fn one_motor(belief: &Belief) -> f64 {
    let m = model();
    let each = m.cases.iter().zip(&belief.shares);
    each.filter(|(c, _)| c.fault == "rt-one-motor")
        .map(|(_, p)| p)
        .sum()
}

#[test]
fn half_the_drop_over_a_mended_breaker_betrays_a_dead_motor() {
    let pressed = |faults: &[&str]| {
        let under_load = reading("t-breaker-load", faults);
        let driving = reading("t-breaker-drop", faults);
        after_repair(BREAKER, vec![under_load, driving])
    };
    let (half, all) = (pressed(&[BREAKER, LEFT]), pressed(&[BREAKER]));
    // 1.1 V are explained by the breaker alone; 0.6 V by the breaker with a single motor behind it, or with motors of another
    // maker that take half as much
    let (half, all) = (one_motor(&half), one_motor(&all));
    assert!(
        half > 1.4 * all,
        "{half} with half the drop, {all} with all"
    );
}

#[test]
fn what_two_faults_read_does_not_depend_on_what_was_asked_before() {
    let first = vec![
        reading("t-breaker-drop", &[BREAKER, LEFT]),
        reading("v.foot.1.c", &[BREAKER, LEFT]),
    ];
    let before = after_repair(BREAKER, first.clone());
    // other pairs at the same probe
    after_repair(LEFT, first.clone());
    let again = after_repair(BREAKER, first.clone());
    assert_eq!(before.shares, again.shares);
    let fresh = common::fresh_model("rt12");
    let class = model().hypotheses[case(BREAKER)].class.unwrap();
    let mut evidence = first;
    evidence.push(Evidence {
        entry: "failed".into(),
        item: Item::Failed {
            class,
            still: BTreeMap::new(),
        },
    });
    assert_eq!(Belief::of(&fresh, &evidence).shares, before.shares);
}

#[test]
fn a_reading_that_one_of_two_faults_moves_is_read_as_that_one_reads() {
    // a charger that is not even plugged in does nothing to the breaker
    let alone = after_repair(BREAKER, vec![reading("t-breaker-drop", &[BREAKER])]);
    let beside = after_repair(
        BREAKER,
        vec![reading("t-breaker-drop", &[BREAKER, "chg-dead"])],
    );
    for ((a, b), h) in alone
        .shares
        .iter()
        .zip(&beside.shares)
        .zip(&model().hypotheses)
    {
        assert!((a - b).abs() < 1e-9, "{}: {a} and {b}", h.key);
    }
}
