//! Faults of the circuit that stand in no catalogue: what they leave out, whose repair they take, what they weigh, and
//! that a fault which is struck out is found by them.

use crate::common::{catalogue, models};
use spannung_circuit::netlist::wire;
use spannung_circuit::{Effect, FaultCase, Part};
use spannung_core::diagnosis::belief::Belief;
use spannung_core::diagnosis::column::Column;
use spannung_core::diagnosis::evidence::{Answer, Evidence, Item};
use spannung_core::diagnosis::hypothesis::Suspicion;
use spannung_core::diagnosis::model::Model;
use spannung_core::diagnosis::repertoire::Kind;
use std::collections::BTreeSet;

#[test]
fn the_drawing_names_what_the_catalogue_leaves_out_and_nothing_else() {
    for m in models() {
        let more = &m.cases[m.listed..m.cases.len() - m.variants];
        assert!(more.len() > 40, "{}: {}", m.profile.family.id, more.len());
        for case in more {
            let written = m
                .listed()
                .iter()
                .find(|c| match (&c.effects[..], &case.effects[0]) {
                    ([Effect::Open(a)], Effect::Open(b)) => a == b,
                    ([Effect::Force(a, x)], Effect::Force(b, y)) => a == b && x == y,
                    ([Effect::Bridge(a, b, _)], Effect::Bridge(p, q, _)) => {
                        (a, b) == (p, q) || (a, b) == (q, p)
                    }
                    _ => false,
                });
            assert!(
                written.is_none(),
                "{} is {:?}",
                case.key,
                written.map(|c| &c.key)
            );
        }
        let mut keys: Vec<&str> = m.cases.iter().map(|c| c.key.as_str()).collect();
        keys.sort_unstable();
        keys.windows(2).for_each(|w| assert_ne!(w[0], w[1]));
        // every part that carries current can open, by one name or another, all along its wire
        for (k, e) in m.net.elements.iter().enumerate() {
            let part = |k: usize| {
                let id = &m.net.elements[k].id;
                wire(id).unwrap_or(id)
            };
            let opens = m
                .cases
                .iter()
                .flat_map(|c| &c.effects)
                .any(|f| matches!(f, Effect::Open(j) if *j == k || part(*j) == part(k)));
            let carries = matches!(e.part, Part::Resistor { ohms } if ohms < 1e6);
            assert!(
                opens || !carries,
                "{}: nothing opens {}",
                m.profile.family.id,
                e.id
            );
        }
    }
}

#[test]
fn what_is_not_written_down_weighs_its_part_and_takes_a_repair_that_mends() {
    for m in models() {
        let sum = |which: &dyn Fn(usize) -> bool| -> f64 {
            let each = (0..m.hypotheses.len()).filter(|k| which(*k));
            each.map(|k| m.hypotheses[k].weight).sum()
        };
        let all = sum(&|_| true);
        assert!((all - 1.0).abs() < 1e-9, "{all}");
        let other = |k: usize| m.hypotheses[k].kind == Suspicion::Other;
        let drawn = m.listed..m.cases.len() - m.variants;
        let more = |k: usize| drawn.contains(&k);
        let part = sum(&|k| other(k) || more(k));
        assert!((part - 0.18).abs() < 1e-9, "{part}");
        for k in drawn.clone() {
            let class = &m.classes[m.hypotheses[k].class.unwrap()];
            assert!(class.members.contains(&k));
            let only_done = ["charge-pack", "kill-on", "pack-switch-on"];
            assert!(
                !only_done.contains(&class.id.as_str()),
                "{} by {}",
                m.cases[k].key,
                class.id
            );
        }
    }
}

#[test]
fn a_model_without_a_fault_gives_it_no_weight_and_keeps_its_repair() {
    let m = models().find(|m| m.profile.family.id == "ssb36").unwrap();
    let without = m.without(catalogue(), "ign-key-open").unwrap();
    let place = |m: &Model| {
        m.cases
            .iter()
            .position(|c| c.key == "ign-key-open")
            .unwrap()
    };
    assert!(m.hypotheses[place(m)].weight > 0.0);
    assert_eq!(without.hypotheses[place(&without)].weight, 0.0);
    let named = |m: &Model| {
        m.cases[m.listed..]
            .iter()
            .any(|c| c.key == "unlisted:key-switch:does-not-close")
    };
    assert!(!named(m) && named(&without));
    // of a fault that nobody has the model is the same
    let same = m.without(catalogue(), "no-such-fault").unwrap();
    assert_eq!(same.hypotheses, m.hypotheses);
    assert_eq!(same.columns, m.columns);
}

/// Wires and parts that a case sits on.
fn places(m: &Model, case: &FaultCase) -> BTreeSet<String> {
    let each = case.effects.iter().filter_map(Effect::element);
    each.map(|e| {
        let id = &m.net.elements[e].id;
        wire(id).unwrap_or(id).to_owned()
    })
    .collect()
}

/// Readings of a fault that the model does not hold, at the tests it moves most.
fn readings(full: &Model, key: &str, most: usize) -> Vec<Evidence> {
    let k = full.cases.iter().position(|c| c.key == key).unwrap();
    let mut moved: Vec<(f64, usize)> = (0..full.tests.len())
        .map(|t| {
            let rows = &full.rows[t];
            let apart = rows
                .row(k)
                .iter()
                .zip(&rows.healthy)
                .map(|(a, b)| (a - b).abs());
            (apart.sum(), t)
        })
        .filter(|(apart, t): &(f64, usize)| {
            *apart > 0.5 && matches!(full.tests[*t].kind, Kind::Probe(_))
        })
        .collect();
    moved.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
    let take = |(_, t): &(f64, usize)| {
        let Column::Figures {
            scale, readings, ..
        } = &*full.columns[*t]
        else {
            unreachable!("a probe shows figures");
        };
        let answer = match readings.of(k).mean.map(|y| scale.from(y)) {
            [_, high] if high.is_infinite() => Answer::OverRange,
            [low, high] => Answer::Figure { low, high },
        };
        Evidence {
            entry: full.tests[*t].id.clone(),
            item: Item::Test {
                test: *t,
                answer,
                taken_in: None,
            },
        }
    };
    moved.iter().take(most).map(take).collect()
}

#[test]
fn what_opens_or_sticks_is_found_although_nobody_wrote_it_down() {
    let small = |m: &&Model| ["ssb36", "rt12"].contains(&m.profile.family.id.as_str());
    let (mut struck, mut found) = (Vec::new(), 0);
    for full in models().filter(small) {
        for case in full.listed() {
            let breaks = matches!(case.effects[..], [Effect::Open(_) | Effect::Force(..)]);
            if !breaks || case.intermittent || struck.contains(&case.fault) {
                continue;
            }
            struck.push(case.fault.clone());
            let known = full.without(catalogue(), &case.fault).unwrap();
            let belief = Belief::of(&known, &readings(full, &case.key, 12));
            let first = (0..known.cases.len())
                .max_by(|a, b| belief.shares[*a].total_cmp(&belief.shares[*b]))
                .unwrap();
            found +=
                usize::from(!places(full, case).is_disjoint(&places(&known, &known.cases[first])));
        }
    }
    // the others stand in one chain with what is suspected: no point between them is in reach
    let all = struck.len();
    assert!(all >= 20 && found * 2 >= all, "{found} of {all}");
}
