//! What must hold for every test of every family, whatever it measures.

use crate::common::{self, Log, reading, test_item, told};
use spannung_circuit::FaultCase;
use spannung_core::diagnosis::column::Column;
use spannung_core::diagnosis::explain::{self, BandKind};
use spannung_core::diagnosis::repertoire::Probe;
use spannung_core::diagnosis::scale::{Prediction, Scale};
use spannung_core::diagnosis::shared::Factor;
use spannung_core::diagnosis::{Answer, Belief, Course, Evidence, Kind, Model, repertoire};
use spannung_core::job::entry::Role;
use std::collections::BTreeSet;

fn figure(test: usize, low: f64, high: f64) -> Evidence {
    let answer = if low.is_infinite() {
        Answer::OverRange
    } else {
        Answer::Figure { low, high }
    };
    test_item(test, answer)
}

/// Every probe of a family: its index, what it is, its scale, and what a sound vehicle reads.
fn probes(m: &Model) -> impl Iterator<Item = (usize, &Probe, Scale, usize, &Prediction)> {
    (0..m.tests.len()).filter_map(|t| match (&m.tests[t].kind, &*m.columns[t]) {
        (
            Kind::Probe(probe),
            Column::Figures {
                scale,
                dims,
                readings,
                ..
            },
        ) => Some((t, probe, *scale, *dims, &readings.healthy)),
        _ => None,
    })
}

fn steady(m: &Model) -> impl Iterator<Item = (usize, &Probe, Scale, &Prediction)> {
    let one = |(t, probe, scale, dims, healthy)| (dims == 1).then_some((t, probe, scale, healthy));
    probes(m).filter_map(one)
}

#[test]
fn what_a_card_expects_is_what_it_calls_as_expected() {
    for m in common::models() {
        let belief = Belief::of(m, &[told("S02")]);
        for (t, _, scale, _) in steady(m) {
            let name = format!("{} {}", m.profile.family.id, m.tests[t].id);
            let expected = explain::expected(m, t).unwrap();
            let bands = explain::bands(m, &belief, t);
            let home: Vec<_> = bands
                .iter()
                .filter(|b| b.kind == BandKind::Expected)
                .collect();
            assert_eq!(home.len(), 1, "{name}");
            // a bound at the end of the scale is none
            let near = |bound: Option<f64>, says: f64| {
                says.is_infinite()
                    || bound.is_none_or(|b| (scale.to(b) - scale.to(says)).abs() < 1e-6)
            };
            assert!(near(home[0].from, expected.low.0), "{name} {:?}", home[0]);
            assert!(near(home[0].to, expected.low.1), "{name} {:?}", home[0]);
            let chances: f64 = bands.iter().map(|b| b.chance).sum();
            assert!((chances - 1.0).abs() < 1e-6, "{name} {chances}");
            for pair in bands.windows(2) {
                assert_eq!(pair[0].to, pair[1].from, "{name}: a gap between bands");
            }
        }
    }
}

/// A wire is expected within an ohm or two, nothing within a decade that has ohms at all.
/// A bare number is a figure in the unit of its card, on every card, at the desk and in the job.
#[test]
fn a_bare_number_is_read_in_the_unit_of_its_test() {
    for m in common::models() {
        for (t, probe, ..) in probes(m) {
            let mut log = Log::opened();
            log.clear_gate();
            let id = &m.tests[t].id;
            let typed = reading(id, "1.25");
            assert_eq!(
                log.refuses(&typed, Role::Technician),
                None,
                "{} {id}",
                m.profile.family.id
            );
            log.add(typed);
            let taken = log.job().taken;
            let unit = taken.last().and_then(|x| x.figure).map(|f| f.unit);
            assert_eq!(unit, Some(probe.unit()), "{} {id}", m.profile.family.id);
        }
    }
}

#[test]
fn nothing_far_from_a_sound_reading_is_as_expected() {
    for m in common::models() {
        for (t, _, scale, healthy) in steady(m) {
            let name = format!("{} {}", m.profile.family.id, m.tests[t].id);
            let expected = explain::expected(m, t).unwrap();
            let middle = scale.from(healthy.mean[0]);
            match scale {
                // insulation is known to its decade, and is only judged from below
                Scale::Ohms if middle > 1e5 => {}
                Scale::Ohms => assert!(
                    expected.low.1 < 10.0 * middle + 2.0,
                    "{name}: {middle} Ω, up to {} Ω as expected",
                    expected.low.1
                ),
                Scale::Volts => assert!(
                    expected.low.1 - expected.low.0 < 0.16 * m.pack_volts() + 1.5,
                    "{name}: {:?}",
                    expected.low
                ),
                _ => {}
            }
        }
    }
}

#[test]
fn no_verdict_is_finer_than_the_meter() {
    for m in common::models() {
        for (t, _, scale, healthy) in steady(m) {
            let expected = explain::expected(m, t).unwrap();
            let y = healthy.mean[0];
            for bound in [expected.low.0, expected.low.1] {
                let bound = scale.to(bound);
                let ends = [scale.to(f64::MIN), scale.to(f64::MAX)];
                let at_end = ends.iter().any(|e| (bound - e).abs() < 1e-9);
                let room = (bound - y).abs();
                // a bound that was cut off at zero ohms has no room to give
                let cut = scale == Scale::Ohms && bound <= scale.to(0.0) + 1e-9;
                assert!(
                    at_end || cut || room >= 1.9 * scale.instrument(y),
                    "{} {}: {room} of {}",
                    m.profile.family.id,
                    m.tests[t].id,
                    scale.instrument(y)
                );
            }
        }
    }
}

/// What is nearly a short is no “nothing there”, and a part that is missing from a bus of volts is.
#[test]
fn bands_say_what_the_reading_is() {
    let mut nothing = 0;
    for m in common::models() {
        let belief = Belief::of(m, &[told("S02")]);
        for (t, _, scale, _) in steady(m) {
            for band in explain::bands(m, &belief, t) {
                let ohms = matches!(scale, Scale::Ohms | Scale::Short | Scale::Milliohms);
                if band.kind == BandKind::Nothing {
                    nothing += 1;
                    assert!(!ohms, "{}: {band:?}", m.tests[t].id);
                    assert!(band.to.is_some_and(|v| v.abs() < 0.3), "{band:?}");
                }
                if band.kind == BandKind::Open {
                    assert!(ohms, "{}: {band:?}", m.tests[t].id);
                }
            }
        }
    }
    assert!(nothing > 100, "{nothing}");
}

/// Once it is there, a reading is there: taken again it only says that the tips had not slipped. Tips that touched nothing
/// read OL like a contact that is open, so that there the third reading still counts a little.
#[test]
fn a_reading_taken_again_moves_nothing_further() {
    for m in common::models() {
        for (t, _, scale, healthy) in steady(m) {
            let Column::Figures { readings, .. } = &*m.columns[t] else {
                continue;
            };
            let odd = (0..m.listed).find_map(|k| readings.moved(k));
            for p in odd.into_iter().chain([healthy]) {
                let y = scale.from(p.mean[0]);
                let mut course = Course::new(m);
                let mut evidence = vec![told("S02"), figure(t, y, y), figure(t, y, y)];
                let twice = course.after(m, &evidence).classes(m);
                evidence.push(figure(t, y, y));
                let thrice = course.after(m, &evidence).classes(m);
                let most = twice.iter().zip(&thrice).map(|(a, b)| (a - b).abs());
                let most = most.fold(0.0, f64::max);
                assert!(
                    most < 0.12,
                    "{} {} at {y}: {most}",
                    m.profile.family.id,
                    m.tests[t].id
                );
            }
        }
    }
}

/// A course that goes on from the answer before believes what is worked out from the start, byte for byte; and evidence
/// that begins otherwise begins anew.
#[test]
fn going_on_is_the_same_as_beginning_anew() {
    for m in common::models() {
        let mut course = Course::new(m);
        let mut evidence = vec![told("S02")];
        for (t, _, scale, healthy) in steady(m).step_by(17).take(8) {
            let y = scale.from(healthy.mean[0]);
            evidence.push(figure(t, y, y));
            let on = course.after(m, &evidence);
            let anew = Belief::of(m, &evidence);
            assert_eq!(on.shares, anew.shares);
            assert_eq!(on.unexplained, anew.unexplained);
        }
        evidence.remove(1);
        assert!(!course.is_before(&evidence));
        assert_eq!(
            course.after(m, &evidence).shares,
            Belief::of(m, &evidence).shares
        );
    }
}

/// What all readings of a kind share on this vehicle blames nobody, within what makers differ in.
#[test]
fn what_the_whole_vehicle_shares_blames_nobody() {
    let kinds: [(Factor, &[&str], f64); 4] = [
        (Factor::Windings, &["t-ph-12", "t-ph-23", "t-ph-31"], 0.35),
        (Factor::Pulls, &["t-hall-a", "t-hall-b", "t-hall-c"], 0.6),
        (
            Factor::Rail,
            &["t-5v", "t-hall-5v", "v.throttle.1.c", "v.throttle.1.d"],
            0.05,
        ),
        (
            Factor::Leads,
            &["t-joint-12", "t-joint-23", "t-joint-31"],
            0.45,
        ),
    ];
    let mut looked_at = 0;
    for m in common::models() {
        let complaint = told("S06");
        let before = Belief::of(m, std::slice::from_ref(&complaint)).classes(m);
        for (factor, tests, spread) in kinds {
            for theta in [-spread, spread] {
                let mut evidence = vec![complaint.clone()];
                for id in tests {
                    let Some(t) = repertoire::find(&m.tests, id) else {
                        continue;
                    };
                    let (_, _, scale, dims, p) = probes(m).find(|x| x.0 == t).unwrap();
                    let at = |d: usize| {
                        scale.from(p.mean[d] + theta * f64::from(p.slopes[d][factor as usize]))
                    };
                    evidence.push(figure(t, at(0), at(dims - 1)));
                }
                if evidence.len() < 3 {
                    continue;
                }
                looked_at += 1;
                let after = Belief::of(m, &evidence).classes(m);
                for (k, (b, a)) in before.iter().zip(&after).enumerate() {
                    assert!(
                        *a < 2.0 * b + 0.06,
                        "{} {factor:?} by {theta}: {} from {b:.3} to {a:.3}",
                        m.profile.family.id,
                        m.classes[k].id
                    );
                }
            }
        }
    }
    assert!(looked_at >= 12, "{looked_at}");
}

/// Left and right, A and B and C: what reads alike on both is nobody's fault alone.
#[test]
fn equal_readings_raise_neither_of_twins() {
    let pairs = [("t-brake-left", "t-brake-right", "brake-left", "brake-right")];
    for m in common::models() {
        for (left, right, mine, other) in pairs {
            let found = |id: &str| repertoire::find(&m.tests, id);
            let (Some(l), Some(r)) = (found(left), found(right)) else {
                continue;
            };
            for (low, high) in [(0.02, 4.4), (0.0, 12.3), (0.4, 3.3)] {
                let evidence = [told("S34"), figure(l, low, high), figure(r, low, high)];
                let classes = Belief::of(m, &evidence).classes(m);
                let [a, b] = [mine, other].map(|c| classes[m.class(c).unwrap()]);
                assert!(
                    (a - b).abs() < 0.03,
                    "{} at {low} to {high}: {a:.3} and {b:.3}",
                    m.profile.family.id
                );
            }
        }
    }
}

/// A sign that follows from the circuit is not left to what the catalogue says of single faults.
#[test]
fn every_derivable_sign_is_derived() {
    let mut derived = 0;
    for m in common::models() {
        for (t, test) in m.tests.iter().enumerate() {
            let (Kind::Procedure { sign, .. }, Column::Outcomes { cases, healthy, .. }) =
                (&test.kind, &*m.columns[t])
            else {
                continue;
            };
            let spec = common::catalogue().faults.sign(sign).unwrap();
            if !spec.computed {
                continue;
            }
            let undeclared = m.cases.iter().zip(cases);
            let of_circuit =
                undeclared.filter(|(c, row)| !c.signs.contains_key(sign) && *row != healthy);
            let many = of_circuit.count();
            assert!(many > 0, "{} {}", m.profile.family.id, test.id);
            derived += many;
        }
    }
    assert!(derived > 500, "{derived}");
}

/// A fault that moves no reading can be seen by somebody who looks, and so can what sits in the contact of a plug: a sign that
/// no test of the vehicle asks for says nothing.
#[test]
fn what_moves_no_reading_can_be_looked_at() {
    let mut silent = BTreeSet::new();
    for m in common::models() {
        let asked = |sign: &String| {
            let mut tests = m.tests.iter();
            tests.any(|t| matches!(&t.kind, Kind::Procedure { sign: s, .. } if s == sign))
        };
        let in_a_face = |c: &FaultCase| {
            let mut signs = c.signs.keys();
            signs.any(|s| ["contacts_seen", "face_seen"].contains(&s.as_str()))
        };
        let looked_at =
            |c: &&FaultCase| in_a_face(c) || (c.effects.is_empty() && !c.signs.is_empty());
        for case in m.cases.iter().filter(looked_at) {
            if !case.signs.keys().any(asked) {
                silent.insert(format!(
                    "{} {} {:?}",
                    m.profile.family.id, case.key, case.signs
                ));
            }
        }
    }
    assert!(silent.is_empty(), "{silent:#?}");
}
