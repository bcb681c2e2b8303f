//! Vehicles that are built otherwise than their drawing.

use crate::common::{self, catalogue, told};
use spannung_circuit::Change;
use spannung_core::diagnosis::choose::{self, Situation};
use spannung_core::diagnosis::column::Column;
use spannung_core::diagnosis::plan::{self, Action, Prices};
use spannung_core::diagnosis::{Answer, Belief, Evidence, Item, Model, repertoire};

fn read(m: &Model, id: &str, low: f64, high: f64) -> Evidence {
    Evidence {
        entry: id.into(),
        item: Item::Test {
            test: repertoire::find(&m.tests, id).unwrap(),
            answer: Answer::Figure { low, high },
            taken_in: None,
        },
    }
}

fn decide(m: &Model, evidence: &[Evidence]) -> (Action, Belief) {
    let belief = Belief::of(m, evidence);
    let taken = |e: &Evidence| match e.item {
        Item::Test { test, .. } => Some(m.tests[test].id.clone()),
        _ => None,
    };
    let situation = Situation {
        risk_limit: 4,
        closed: evidence.iter().filter_map(taken).collect(),
        ..Situation::default()
    };
    let ranked = choose::rank(m, &belief, &situation);
    let prices = Prices::default();
    let plan = plan::plan(m, &belief, evidence, &situation, &prices, &ranked);
    (plan.action, belief)
}

/// Hall lines of a sound bike whose controller pulls them up to 12 V.
fn at_twelve(m: &Model) -> Vec<Evidence> {
    let mut evidence = vec![told("S06")];
    for id in ["t-hall-a", "t-hall-b", "t-hall-c"] {
        evidence.push(read(m, id, 0.08, 12.4));
    }
    evidence
}

#[test]
fn lines_that_are_all_alike_but_other_blame_nobody_and_are_asked_about() {
    let m = common::model("gh48");
    let (action, belief) = decide(m, &at_twelve(m));
    let Action::Built(case) = action else {
        panic!("{action:?}");
    };
    assert_eq!(m.cases[case].key, "built:halls-at-12");
    let worst = belief.classes(m).into_iter().fold(0.0, f64::max);
    assert!(worst < 0.3, "a repair stands at {worst:.2}");
}

#[test]
fn what_was_looked_at_and_is_not_so_is_not_asked_again() {
    let m = common::model("gh48");
    let mut evidence = at_twelve(m);
    let (Action::Built(case), before) = decide(m, &evidence) else {
        panic!("it is asked about");
    };
    evidence.push(Evidence {
        entry: "no".into(),
        item: Item::NotBuilt { case },
    });
    let (action, after) = decide(m, &evidence);
    assert_ne!(action, Action::Built(case));
    assert!(after.shares[case] < 0.01 * before.shares[case]);
}

#[test]
fn a_vehicle_put_right_reads_as_sound() {
    let m = common::model("gh48");
    let change = Change::Built {
        variant: "halls-at-12".into(),
    };
    let so = m.profile.with(&change).unwrap();
    let so = m.edited(catalogue(), &so).unwrap();
    assert!(so.cases.iter().all(|c| c.key != "built:halls-at-12"));
    let belief = Belief::of(&so, &at_twelve(&so));
    let sound = so.hypotheses.iter().position(|h| h.key == "nothing");
    let prior = so.hypotheses[sound.unwrap()].weight;
    assert!(belief.others(&so).0 > prior, "{:?}", belief.others(&so));
}

#[test]
fn a_way_that_a_family_does_not_come_in_is_refused() {
    let m = common::model("rt12");
    for variant in ["halls-at-12", "no such thing"] {
        let change = Change::Built {
            variant: variant.into(),
        };
        assert!(m.profile.with(&change).is_err(), "{variant}");
    }
}

/// Of twins that read alike none rises over the others, whatever they read.
#[test]
fn equal_readings_of_twins_raise_no_twin() {
    let m = common::model("gh48");
    for (low, high) in [(0.1, 4.9), (0.3, 3.7), (0.05, 3.3)] {
        let mut evidence = vec![told("S06")];
        for id in ["t-hall-a", "t-hall-b", "t-hall-c"] {
            evidence.push(read(m, id, low, high));
        }
        let belief = Belief::of(m, &evidence);
        let share = |x: &str| -> f64 {
            let mine = m.cases.iter().zip(&belief.shares);
            let own = mine.filter(|(c, _)| c.x == x && c.fault.starts_with("hall-"));
            own.map(|(_, p)| p).sum()
        };
        let [a, b, c] = ["a", "b", "c"].map(share);
        let most = a.max(b).max(c);
        assert!(
            most < 0.12 && most < 4.0 * a.min(b).min(c) + 0.02,
            "{a} {b} {c}"
        );
    }
}

/// Levers with electronics of their own draw a little through the pull-up: 10 kΩ below 4.7 kΩ at 4.85 V leave 3.3 V.
#[test]
fn twin_lines_that_are_loaded_alike_are_a_choice_and_one_of_the_two_is_none() {
    let m = common::model("gh48");
    let both = ["v.brake-left.1.c", "v.brake-right.1.c"];
    let brakes = |belief: &Belief| -> f64 {
        let each = m.classes.iter().zip(belief.classes(m));
        let brake = each.filter(|(c, _)| c.id.contains("brake"));
        brake.map(|(_, p)| p).sum()
    };
    let mut evidence = vec![told("S16")];
    let before = Belief::of(m, &evidence);
    evidence.extend(both.iter().map(|id| read(m, id, 3.3, 3.3)));
    let alike = Belief::of(m, &evidence);
    assert!(
        brakes(&alike) < 2.0 * brakes(&before),
        "{:.3} was {:.3}",
        brakes(&alike),
        brakes(&before)
    );
    let named: Vec<&str> = alike
        .chosen
        .iter()
        .map(|k| m.cases[*k].key.as_str())
        .collect();
    assert_eq!(named, ["choice:brake-pull-up:loaded"]);
    // the left one as drawn: nobody chooses one of two
    evidence[1] = read(m, both[0], 4.85, 4.85);
    let apart = Belief::of(m, &evidence);
    assert!(apart.chosen.is_empty(), "{:?}", apart.chosen);
}

#[test]
fn a_choice_moves_nobody_who_does_not_read_it() {
    let m = common::model("rt12");
    // a toy that brakes through some ohms, asked at three points; S17 is its gears
    let mut evidence = vec![told("S17")];
    let before = Belief::of(m, &evidence);
    let points = ["iso.range.1", "iso.direction.1", "iso.foot.2"];
    evidence.extend(points.iter().map(|id| read(m, id, 2.8, 2.8)));
    let after = Belief::of(m, &evidence);
    let gears = m.class("gearbox").unwrap();
    let (was, is) = (before.classes(m)[gears], after.classes(m)[gears]);
    assert!(is > 0.5 * was, "gears {is:.3} were {was:.3}");
}

fn held(m: &Model, belief: &Belief, key: &str) -> (f64, f64) {
    let case = m.cases.iter().position(|c| c.key == key).unwrap();
    let way = belief.ways.iter().find(|w| w.case == case);
    way.map_or((0.0, 0.0), |w| (w.alone, w.beside))
}

/// Lines pulled up to 12 V and a sensor that lets go of its own for good: two swing between 0.08 V and 12.4 V, the third
/// stays at 12.4 V. No sound vehicle of any maker reads so, and no vehicle as drawn either: the way stands beside the fault.
#[test]
fn a_way_beside_a_fault_is_held_with_it() {
    let m = common::model("gh48");
    let mut evidence = vec![told("S06")];
    for (id, low) in [("t-hall-a", 0.08), ("t-hall-b", 0.08), ("t-hall-c", 12.4)] {
        evidence.push(read(m, id, low, 12.4));
    }
    let belief = Belief::of(m, &evidence);
    let (alone, beside) = held(m, &belief, "built:halls-at-12");
    assert!(alone + beside > 0.5, "{alone:.3} alone, {beside:.3} beside");
    assert!(
        beside > 10.0 * alone,
        "{alone:.3} alone, {beside:.3} beside"
    );
    // “as drawn” takes the way away, alone and beside every fault
    let case = m.cases.iter().position(|c| c.key == "built:halls-at-12");
    let mut no = evidence.clone();
    no.push(Evidence {
        entry: "no".into(),
        item: Item::NotBuilt {
            case: case.unwrap(),
        },
    });
    let (alone, beside) = held(m, &Belief::of(m, &no), "built:halls-at-12");
    assert!(
        alone + beside < 0.01,
        "{alone:.3} alone, {beside:.3} beside"
    );
    // put right, the same readings point at the third sensor and its wire, and at nothing else
    let change = Change::Built {
        variant: "halls-at-12".into(),
    };
    let so = m.profile.with(&change).unwrap();
    let so = m.edited(catalogue(), &so).unwrap();
    let mut evidence = vec![told("S06")];
    for (id, low) in [("t-hall-a", 0.08), ("t-hall-b", 0.08), ("t-hall-c", 12.4)] {
        evidence.push(read(&so, id, low, 12.4));
    }
    let belief = Belief::of(&so, &evidence);
    let third: f64 = so
        .cases
        .iter()
        .zip(&belief.shares)
        .filter(|(c, _)| {
            let at = |a: &String| a == "hall-c" || a.starts_with("halls.6.");
            c.at.iter().any(at) || c.x == "c"
        })
        .map(|(_, p)| p)
        .sum();
    assert!(third > 0.6, "{third:.2}");
}

/// Three lines that swing up to 12.4 V are a maker's choice; a throttle line that stays at 0 V, released and held open, is
/// broken: 4.2 V come from a sound one that is held open, 0.8 V from one that is released. Both hold at once.
#[test]
fn a_way_and_a_fault_elsewhere_are_both_found() {
    let m = common::model("gh48");
    let mut evidence = at_twelve(m);
    evidence[0] = told("S02");
    for id in ["t-thr-idle", "t-thr-full"] {
        evidence.push(read(m, id, 0.0, 0.0));
    }
    let belief = Belief::of(m, &evidence);
    let (alone, beside) = held(m, &belief, "built:halls-at-12");
    assert!(
        beside > 0.5 && beside > 10.0 * alone,
        "{alone:.3} alone, {beside:.3} beside"
    );
    let throttle: f64 = m
        .cases
        .iter()
        .zip(&belief.shares)
        .filter(|(c, _)| c.at.iter().any(|a| a.starts_with("throttle")))
        .map(|(_, p)| p)
        .sum();
    assert!(throttle > 0.6, "{throttle:.2}");
}

/// Two packs are ridden and charged each by itself. The fuller one feeds through its diode alone, and the other's lead carries
/// nothing: so it is on a sound bike, and with the emptier pack's diode open.
#[test]
fn a_second_pack_that_stands_higher_is_no_fault() {
    let m = common::model("du48");
    // the second one is 0.9 V fuller, more than a diode needs; nobody complained of the packs
    let evidence = [
        told("S04"),
        read(m, "t-par-delta", -0.9, -0.9),
        read(m, "t-idle-i", 0.001, 0.001),
    ];
    let belief = Belief::of(m, &evidence);
    let sound = belief.others(m).0;
    let blamed = belief.classes(m)[m.class("combiner").unwrap()];
    assert!(blamed < sound, "{blamed:.3} against {sound:.3}");
}

/// What is asked until a repair is begun, when every test answers as a case most likely does.
fn until_a_repair(m: &Model, truth: usize, symptom: &str) -> Vec<(Action, Belief)> {
    let mut evidence = vec![told(symptom)];
    let mut asked = Vec::new();
    for _ in 0..40 {
        let (action, belief) = decide(m, &evidence);
        asked.push((action, belief));
        let item = match action {
            Action::Test(test) | Action::Ask(test, _) => Item::Test {
                test,
                answer: most_likely(m, test, truth),
                taken_in: None,
            },
            Action::Built(case) => Item::NotBuilt { case },
            _ => break,
        };
        let entry = format!("e{}", evidence.len());
        evidence.push(Evidence { entry, item });
    }
    asked
}

fn most_likely(m: &Model, test: usize, case: usize) -> Answer {
    match &*m.columns[test] {
        Column::Figures {
            scale, readings, ..
        } => {
            let [low, high] = readings.of(case).mean.map(|y| scale.from(y));
            if low.is_infinite() {
                Answer::OverRange
            } else {
                Answer::Figure { low, high }
            }
        }
        Column::Outcomes { cases, .. } => {
            let each = cases[case].iter().enumerate();
            let most = each.max_by(|a, b| a.1.total_cmp(b.1)).unwrap().0;
            Answer::Outcome(most, None)
        }
    }
}

/// A dead throttle is renewed by one of its own kind: which kind it is is looked at first, as little as that moves the odds.
#[test]
fn before_the_very_part_is_changed_its_kind_is_looked_at() {
    for id in ["gh48", "ks36"] {
        let m = common::model(id);
        let dead = m.cases.iter().position(|c| c.key == "thr-dead#1");
        let asked = until_a_repair(m, dead.unwrap(), "S02");
        let [
            ..,
            (Action::Built(case), belief),
            (Action::Repair(class), _),
        ] = &*asked
        else {
            panic!("{id}: {:?}", asked.last().map(|a| a.0));
        };
        assert_eq!(m.classes[*class].id, "throttle");
        assert!(m.cases[*case].key.starts_with("built:throttle="), "{id}");
        // of itself it is no question
        let way = belief.ways.iter().find(|w| w.case == *case).unwrap();
        assert!(way.share() < 0.3, "{id}: {:.2}", way.share());
    }
}

/// The controller's output for a lamp can be dead only where it feeds the lamp: how the lamp is fed is looked at first.
#[test]
fn before_an_output_is_mended_what_hangs_on_it_is_looked_at() {
    for id in ["gh48", "dd48", "md48"] {
        let m = common::model(id);
        let dead = m.cases.iter().position(|c| c.key == "ctl-lamp-out");
        let asked = until_a_repair(m, dead.unwrap(), "S31");
        let [.., (Action::Built(case), _), (Action::Repair(class), _)] = &*asked else {
            panic!("{id}: {:?}", asked.last().map(|a| a.0));
        };
        assert_eq!(m.classes[*class].id, "lamp-feed");
        assert!(m.cases[*case].key.starts_with("built:lights="), "{id}");
    }
}

/// A look at a component tells every kind of it, and nothing of what stands elsewhere or is only wired otherwise.
#[test]
fn one_look_tells_all_kinds_of_a_component() {
    let mut several = 0;
    for id in ["gh48", "md36", "ssl48", "tw60"] {
        let m = common::model(id);
        let key = |k: usize| m.cases[k].key.as_str();
        let slot = |k: usize| key(k).split_once('=').map(|(slot, _)| slot.to_string());
        let ways: Vec<usize> = (0..m.cases.len()).filter(|k| m.way(*k).is_some()).collect();
        let lamps: Vec<usize> = ways
            .iter()
            .copied()
            .filter(|k| key(*k).starts_with("built:lights="))
            .collect();
        several += usize::from(lamps.len() > 1);
        for &k in &ways {
            let others: Vec<usize> = m.other_kinds(k).collect();
            if lamps.contains(&k) {
                let rest: Vec<usize> = lamps.iter().copied().filter(|l| *l != k).collect();
                assert_eq!(others, rest, "{id} {}", key(k));
            } else if slot(k).is_none() {
                assert!(others.is_empty(), "{id} {}", key(k));
            } else {
                assert!(others.iter().all(|o| !lamps.contains(o)), "{id} {}", key(k));
            }
        }
    }
    assert!(several > 0);
}
