//! Measured dead first: what tells of a power fault locks battery and key, and only readings open them again. The figures
//! of a sound vehicle and of a broken one are worked out by hand: a body diode drops 0.4 to 0.6 V and a shorted transistor
//! nothing; three windings are alike; a bus capacitor charges through kilohms; insulation is megohms or more.

use crate::common::{self, Log, catalogue, gate, reading};
use proptest::prelude::*;
use spannung_circuit::VehicleState;
use spannung_circuit::state::Battery;
use spannung_core::diagnosis::Kind;
use spannung_core::job::bench::Weighed;
use spannung_core::job::dead::{self, DeadStanding};
use spannung_core::job::entry::{self, Body, ProofResult, ReadOn, ReadingResult, Role};
use spannung_core::job::gate::{Standing, allows};
use spannung_core::reading::Unit;

/// Readings of a hub bike's controller and motor, whatever packs feed them.
const HUB_BIKE: &[(&str, &str)] = &[
    ("t-vb-short", "47k"),
    ("t-bd-low-u", "0.48"),
    ("t-bd-low-v", "0.49"),
    ("t-bd-low-w", "0.48"),
    ("t-bd-high-u", "0.50"),
    ("t-bd-high-v", "0.49"),
    ("t-bd-high-w", "0.49"),
    ("t-ph-12", "121m"),
    ("t-ph-23", "120m"),
    ("t-ph-31", "123m"),
    ("t-ph-frame", "OL"),
];

/// Readings of a brushless chain motor of 22.5 mΩ a winding and its controller, with a 12 V converter on the bus.
const CHAIN: &[(&str, &str)] = &[
    ("t-vb-short", "26k"),
    ("t-bd-low-u", "0.44"),
    ("t-bd-low-v", "0.45"),
    ("t-bd-low-w", "0.44"),
    ("t-bd-high-u", "0.45"),
    ("t-bd-high-v", "0.45"),
    ("t-bd-high-w", "0.44"),
    ("t-ph-12", "45.5m"),
    ("t-ph-23", "45m"),
    ("t-ph-31", "46.4m"),
    ("t-ph-frame", "31M"),
];

/// Readings that clear a sound vehicle, by family, as a technician would take them.
const SOUND: [(&str, &[(&str, &str)]); 21] = [
    ("du48", HUB_BIKE),
    (
        "rr12",
        &[
            ("t-left-r", "0.36"),
            ("t-right-r", "0.38"),
            ("t-loom-short", "150"),
        ],
    ),
    ("gh48", HUB_BIKE),
    (
        "db72",
        &[
            ("t-vb-short", "33k"),
            ("t-bd-low-u", "0.44"),
            ("t-bd-low-v", "0.44"),
            ("t-bd-low-w", "0.45"),
            ("t-bd-high-u", "0.45"),
            ("t-bd-high-v", "0.45"),
            ("t-bd-high-w", "0.44"),
            ("t-ph-12", "15.2m"),
            ("t-ph-23", "15.0m"),
            ("t-ph-31", "15.5m"),
            ("t-ph-frame", "24M"),
        ],
    ),
    (
        "ssb36",
        &[
            ("t-vb-short", "12k"),
            ("t-br-fet", "8.2k"),
            ("t-br-r", "0.24"),
            ("t-br-frame", "OL"),
        ],
    ),
    (
        "rt12",
        &[
            ("t-left-r", "0.36"),
            ("t-right-r", "0.38"),
            ("t-loom-short", "150"),
        ],
    ),
    (
        "gh36",
        &[
            ("t-vb-short", "52k"),
            ("t-bd-low-u", "0.49"),
            ("t-bd-low-v", "0.50"),
            ("t-bd-low-w", "0.49"),
            ("t-bd-high-u", "0.50"),
            ("t-bd-high-v", "0.50"),
            ("t-bd-high-w", "0.49"),
            ("t-ph-12", "241m"),
            ("t-ph-23", "239m"),
            ("t-ph-31", "246m"),
            ("t-ph-frame", "OL"),
        ],
    ),
    (
        "dd48",
        &[
            ("t-vb-short", "31k"),
            ("t-bd-low-u", "0.46"),
            ("t-bd-low-v", "0.47"),
            ("t-bd-low-w", "0.46"),
            ("t-bd-high-u", "0.47"),
            ("t-bd-high-v", "0.47"),
            ("t-bd-high-w", "0.46"),
            ("t-ph-12", "119m"),
            ("t-ph-23", "118m"),
            ("t-ph-31", "121m"),
            ("t-ph-frame", "OL"),
        ],
    ),
    (
        "dd52",
        &[
            ("t-vb-short", "30k"),
            ("t-bd-low-u", "0.47"),
            ("t-bd-low-v", "0.48"),
            ("t-bd-low-w", "0.47"),
            ("t-bd-high-u", "0.47"),
            ("t-bd-high-v", "0.47"),
            ("t-bd-high-w", "0.46"),
            ("t-ph-12", "112m"),
            ("t-ph-23", "111m"),
            ("t-ph-31", "114m"),
            ("t-ph-frame", "OL"),
        ],
    ),
    (
        "md36",
        &[
            ("t-vb-short", "49k"),
            ("t-bd-low-u", "0.48"),
            ("t-bd-low-v", "0.49"),
            ("t-bd-low-w", "0.48"),
            ("t-bd-high-u", "0.49"),
            ("t-bd-high-v", "0.49"),
            ("t-bd-high-w", "0.48"),
            ("t-ph-12", "91m"),
            ("t-ph-23", "90.1m"),
            ("t-ph-31", "92.8m"),
            ("t-ph-frame", "OL"),
        ],
    ),
    (
        "md48",
        &[
            ("t-vb-short", "47k"),
            ("t-bd-low-u", "0.48"),
            ("t-bd-low-v", "0.49"),
            ("t-bd-low-w", "0.48"),
            ("t-bd-high-u", "0.48"),
            ("t-bd-high-v", "0.48"),
            ("t-bd-high-w", "0.47"),
            ("t-ph-12", "89m"),
            ("t-ph-23", "88.1m"),
            ("t-ph-31", "90.8m"),
            ("t-ph-frame", "OL"),
        ],
    ),
    (
        "ks36",
        &[
            ("t-vb-short", "51k"),
            ("t-bd-low-u", "0.50"),
            ("t-bd-low-v", "0.51"),
            ("t-bd-low-w", "0.50"),
            ("t-bd-high-u", "0.51"),
            ("t-bd-high-v", "0.51"),
            ("t-bd-high-w", "0.50"),
            ("t-ph-12", "172m"),
            ("t-ph-23", "170m"),
            ("t-ph-31", "175m"),
            ("t-ph-frame", "OL"),
        ],
    ),
    // two bleeders of 82 kΩ side by side; two windings of 0.06 Ω with 10 mΩ of wires and contacts on each
    (
        "tm52",
        &[
            ("t-vb-short", "26k"),
            ("t-bd-low-u", "0.50"),
            ("t-bd-low-v", "0.51"),
            ("t-bd-low-w", "0.50"),
            ("t-bd-high-u", "0.51"),
            ("t-bd-high-v", "0.51"),
            ("t-bd-high-w", "0.50"),
            ("t-ph-12", "141m"),
            ("t-ph-23", "139m"),
            ("t-ph-31", "142m"),
            ("t-ph-frame", "OL"),
            ("t-bd-low-u-2", "0.50"),
            ("t-bd-low-v-2", "0.51"),
            ("t-bd-low-w-2", "0.50"),
            ("t-bd-high-u-2", "0.51"),
            ("t-bd-high-v-2", "0.51"),
            ("t-bd-high-w-2", "0.50"),
            ("t-ph-12-2", "141m"),
            ("t-ph-23-2", "139m"),
            ("t-ph-31-2", "142m"),
            ("t-ph-frame-2", "OL"),
        ],
    ),
    (
        "ssl48",
        &[
            ("t-vb-short", "28k"),
            ("t-bd-low-u", "0.45"),
            ("t-bd-low-v", "0.46"),
            ("t-bd-low-w", "0.45"),
            ("t-bd-high-u", "0.46"),
            ("t-bd-high-v", "0.46"),
            ("t-bd-high-w", "0.45"),
            ("t-ph-12", "55.5m"),
            ("t-ph-23", "54.9m"),
            ("t-ph-31", "56.6m"),
            ("t-ph-frame", "OL"),
        ],
    ),
    ("rq48", CHAIN),
    ("tw60", CHAIN),
    (
        "db60",
        &[
            ("t-vb-short", "24k"),
            ("t-bd-low-u", "0.44"),
            ("t-bd-low-v", "0.45"),
            ("t-bd-low-w", "0.44"),
            ("t-bd-high-u", "0.45"),
            ("t-bd-high-v", "0.45"),
            ("t-bd-high-w", "0.44"),
            ("t-ph-12", "18.2m"),
            ("t-ph-23", "18m"),
            ("t-ph-31", "18.6m"),
            ("t-ph-frame", "22M"),
        ],
    ),
    (
        "lq36",
        &[
            ("t-vb-short", "11k"),
            ("t-br-fet", "8.5k"),
            ("t-br-r", "0.23"),
            ("t-br-frame", "OL"),
        ],
    ),
    (
        "pb24",
        &[
            ("t-vb-short", "11k"),
            ("t-br-fet", "8.5k"),
            ("t-br-r", "0.23"),
            ("t-br-frame", "OL"),
        ],
    ),
    (
        "rt24",
        &[
            ("t-left-r", "0.61"),
            ("t-right-r", "0.58"),
            ("t-loom-short", "150"),
        ],
    ),
    ("rt6", &[("t-br-r", "0.35"), ("t-loom-short", "61")]),
];

/// The same test, shorted as a fault would make it.
const SHORTED: [(&str, &str); 10] = [
    ("t-vb-short", "3.1"),
    ("t-bd-low-u", "0.02"),
    ("t-bd-high-w", "0.01"),
    ("t-bd-low-v", "OL"),
    ("t-ph-31", "102m"),
    ("t-ph-frame", "200k"),
    ("t-br-fet", "0.6"),
    ("t-br-r", "0.03"),
    ("t-right-r", "OL"),
    ("t-loom-short", "0.4"),
];

fn symptom(id: &str, yes: bool) -> Body {
    Body::Symptom(entry::Symptom {
        symptom: id.into(),
        yes: Some(yes),
        by_customer: true,
    })
}

fn look(test: &str, outcome: &str) -> Body {
    Body::Check(entry::Check {
        test: test.into(),
        outcome: outcome.into(),
        place: None,
        minutes: 0.5,
    })
}

fn part(class: &str) -> Body {
    Body::Part(entry::Part {
        old: Some("the old one".into()),
        fate: Some(entry::Fate::Recycled),
        new: Some("a new one".into()),
        class: Some(class.into()),
        minutes: 5.0,
        price_cents: None,
    })
}

/// The pack goes in.
fn battery_in() -> Body {
    Body::State(entry::State {
        state: VehicleState {
            battery: Battery::In,
            ..VehicleState::default()
        },
    })
}

/// A family's job with an open gate and its pack out.
fn open(family: &str) -> Log {
    let mut log = Log::on(family);
    for (check, answer, typed) in common::CLEAR {
        let limits = spannung_core::job::gate::limits(catalogue(), &log.job());
        let rest = format!("{:.1}", limits.full * 0.95);
        log.add(gate(check, answer, typed.map(|_| rest.as_str())));
    }
    log.add(Body::State(entry::State {
        state: VehicleState {
            battery: Battery::Out,
            ..VehicleState::default()
        },
    }));
    log
}

fn sound(family: &str) -> &'static [(&'static str, &'static str)] {
    SOUND.iter().find(|s| s.0 == family).unwrap().1
}

#[test]
fn every_sign_of_a_power_fault_locks_and_only_readings_open() {
    let signs: Vec<(&str, Vec<Body>)> = vec![
        ("told burnt", vec![symptom("S18", true)]),
        ("told a blown fuse", vec![symptom("S38", true)]),
        ("told dragging, plug apart", vec![symptom("S14", true)]),
        ("told notchy", vec![symptom("S15", true)]),
        ("burnt at the gate", vec![gate("smell", "burnt", None)]),
        ("smelt", vec![look("t-smell", "burnt")]),
        ("melted face", vec![look("t-face", "melted")]),
        ("notchy by hand", vec![look("fm-spin", "notchy")]),
        (
            "a second fuse",
            vec![
                part("pack-fuse"),
                gate("smell", "none", None),
                part("pack-fuse"),
                gate("smell", "none", None),
            ],
        ),
    ];
    for (name, bodies) in signs {
        let mut log = open("gh48");
        assert_eq!(log.standing(), Standing::Open);
        for body in bodies {
            log.add(body);
        }
        assert_eq!(log.standing(), Standing::DeadFirst, "{name}");
        assert_eq!(
            log.refuses(&battery_in(), Role::Specialist),
            Some("gate-closed"),
            "{name}"
        );
        // no answer and no denial takes it away
        for id in ["S18", "S38", "S14", "S15"] {
            log.add(symptom(id, false));
        }
        log.add(gate("smell", "none", None));
        assert_eq!(log.standing(), Standing::DeadFirst, "{name}");
        for (test, typed) in sound("gh48") {
            assert_eq!(log.standing(), Standing::DeadFirst, "{name} before {test}");
            log.add(reading(test, typed));
        }
        assert_eq!(log.standing(), Standing::Open, "{name}");
        assert_eq!(log.refuses(&battery_in(), Role::Technician), None, "{name}");
    }
}

#[test]
fn one_fuse_and_one_that_was_struck_out_are_no_power_fault() {
    let mut log = open("gh48");
    log.add(part("pack-fuse"));
    log.add(gate("smell", "none", None));
    assert_eq!(log.standing(), Standing::Open);
    let wrong = log.add(symptom("S18", true));
    assert_eq!(log.standing(), Standing::DeadFirst);
    log.add(Body::Void(entry::Void {
        entry: wrong,
        reason: "pressed by mistake".into(),
    }));
    assert_eq!(log.standing(), Standing::Open);
}

#[test]
fn what_is_shorted_keeps_it_locked_until_it_is_changed_and_measured_again() {
    for (family, readings) in SOUND {
        for (test, typed) in SHORTED {
            let Some(right) = readings.iter().find(|r| r.0 == test) else {
                continue;
            };
            let mut log = open(family);
            log.add(symptom("S18", true));
            for (other, figure) in readings.iter().filter(|r| r.0 != test) {
                log.add(reading(other, figure));
            }
            log.add(reading(test, typed));
            let name = format!("{family} {test} {typed}");
            assert_eq!(log.standing(), Standing::DeadFirst, "{name}");
            let job = log.job();
            let all = dead::readings(catalogue(), &job);
            let wrong: Vec<_> = all
                .iter()
                .filter(|r| r.standing == DeadStanding::Wrong)
                .collect();
            assert_eq!(wrong.len(), 1, "{name}");
            let spec = catalogue()
                .dead
                .iter()
                .find(|d| *d.id.get_ref() == wrong[0].id)
                .unwrap();
            // the part is changed: what it was measured by is taken again, all of it
            let class = spec.renewed_by.iter().next().unwrap();
            log.add(part(class));
            log.add(gate("smell", "none", None));
            let left = |log: &Log| {
                let all = dead::readings(catalogue(), &log.job());
                all.iter()
                    .filter(|r| r.standing != DeadStanding::Right)
                    .count()
            };
            assert!(left(&log) >= 1, "{name}");
            log.add(reading(right.0, right.1));
            for (other, figure) in readings.iter().filter(|r| r.0 != test) {
                log.add(reading(other, figure));
            }
            assert_eq!(left(&log), 0, "{name}");
            assert_eq!(log.standing(), Standing::Open, "{name}");
        }
    }
}

#[test]
fn readings_from_before_the_sign_or_with_the_pack_in_clear_nothing() {
    let mut log = open("ssb36");
    for (test, typed) in sound("ssb36") {
        log.add(reading(test, typed));
    }
    log.add(look("t-smell", "burnt"));
    assert_eq!(log.standing(), Standing::DeadFirst);
    // a log that came from elsewhere may hold readings with the pack in
    let state = VehicleState {
        battery: Battery::In,
        ..VehicleState::default()
    };
    log.add(Body::State(entry::State { state }));
    for (test, typed) in sound("ssb36") {
        log.add(reading(test, typed));
    }
    assert_eq!(log.standing(), Standing::DeadFirst);
}

#[test]
fn nothing_that_switches_on_is_proved_while_it_is_locked() {
    let mut log = open("gh48");
    log.add(symptom("S18", true));
    for check in catalogue().proof.checks.iter().filter(|c| c.live) {
        let body = Body::Proof(entry::Proof {
            check: check.id.get_ref().clone(),
            result: ProofResult::Pass,
            typed: "1".into(),
            words: String::new(),
            still: std::collections::BTreeMap::new(),
            minutes: 1.0,
        });
        assert_eq!(
            log.refuses(&body, Role::Technician),
            Some("gate-closed"),
            "{}",
            check.id.get_ref()
        );
    }
}

/// No card of any family that wants power may be done while it is locked, and every dead reading may.
#[test]
fn the_lock_lets_every_dead_reading_through_and_nothing_with_power() {
    for m in common::models() {
        let family = &m.profile.family;
        for test in &m.tests {
            let s = &test.state;
            let word = |f: &str| {
                s.bring(&VehicleState::default())
                    .word(f)
                    .unwrap_or_default()
                    .to_string()
            };
            let power = word("battery") == "in" && s.battery.is_some()
                || s.charger.is_some() && word("charger") != "away"
                || s.key.is_some() && word("key") == "on" && s.battery != Some(Battery::Out);
            assert_eq!(
                allows(Standing::DeadFirst, test),
                !power,
                "{} {}",
                family.id,
                test.id
            );
        }
        let asked: Vec<_> = catalogue()
            .dead
            .iter()
            .filter(|d| !d.tests.is_empty() && family.fits(&d.fits))
            .collect();
        assert!(asked.len() >= 2, "{}", family.id);
        let mine = sound(&family.id);
        for id in asked.iter().flat_map(|d| &d.tests) {
            let test = m.tests.iter().find(|t| &t.id == id);
            let test = test.unwrap_or_else(|| panic!("{} has no {id}", family.id));
            assert!(matches!(test.kind, Kind::Probe(_)), "{id}");
            assert!(allows(Standing::DeadFirst, test), "{} {id}", family.id);
            assert!(
                mine.iter().any(|s| s.0 == id),
                "{} {id} has no figure by hand",
                family.id
            );
        }
    }
}

/// Without a wiring model the same readings are taken at points of that name.
#[test]
fn a_card_of_the_lock_expects_what_opens_it() {
    for (id, _) in SOUND {
        let mut log = open(id);
        log.add(symptom("S15", true));
        let job = log.job();
        let lock = dead::first(catalogue(), &job).unwrap();
        let mut none = |_: usize, _: &VehicleState| None;
        let w = Weighed::new(
            catalogue(),
            common::model(id),
            &job,
            Role::Specialist,
            &mut none,
        );
        let mut seen = 0;
        for reading in &lock.readings {
            let Some(test) = &reading.test else { continue };
            let card = w.card_of(test).unwrap();
            assert_eq!(card.expected, reading.limit, "{id} {test}");
            seen += 1;
        }
        assert!(seen >= 2, "{id}");
    }
}

#[test]
fn a_vehicle_without_a_model_is_cleared_by_named_points() {
    let mut log = Log::of(60, "other");
    log.add(Body::Pack(entry::Pack {
        pack: uuid::Uuid::from_u128(1),
        sticker: "K-1".into(),
        known: false,
    }));
    for (check, answer, typed) in common::CLEAR {
        log.add(gate(check, answer, typed.map(|_| "62.0")));
    }
    log.add(symptom("S18", true));
    assert_eq!(log.standing(), Standing::DeadFirst);
    let point = |point: &str, unit, typed: &str| {
        Body::PointReading(entry::PointReading {
            point: point.into(),
            unit,
            on: ReadOn::This,
            result: ReadingResult::Figure,
            typed: typed.into(),
            minutes: 1.0,
        })
    };
    assert_eq!(
        log.refuses(&point("Pack lead", Unit::Amps, "3"), Role::Technician),
        Some("gate-closed")
    );
    for (name, typed) in [
        ("Supply plus to minus, dead", "18k"),
        ("Motor wires to the supply, dead", "6.5k..7.1k"),
        ("Motor windings, dead", "0.24..0.25"),
        ("Motor wires to frame, dead", "OL"),
    ] {
        assert_eq!(log.standing(), Standing::DeadFirst, "{name}");
        log.add(point(name, Unit::Ohms, typed));
    }
    assert_eq!(log.standing(), Standing::Open);
}

/// Everything that somebody might press to get past it.
fn words() -> impl Strategy<Value = Body> {
    let symptoms = prop::sample::select(vec!["S01", "S02", "S14", "S15", "S18", "S38"]);
    let answers = prop::sample::select(vec!["none", "burnt", "unknown"]);
    let classes = prop::sample::select(vec!["controller", "motor", "pack-fuse", "throttle"]);
    let looks = prop::sample::select(vec![
        ("t-smell", "none"),
        ("fm-spin", "free"),
        ("t-face", "clean"),
    ]);
    prop_oneof![
        (symptoms, any::<bool>()).prop_map(|(s, yes)| symptom(s, yes)),
        answers.prop_map(|a| gate("smell", a, None)),
        classes.prop_map(part),
        looks.prop_map(|(test, outcome)| look(test, outcome)),
        Just(Body::Skip(entry::Skip {
            test: "t-vb-short".into(),
            reason: "no time".into(),
        })),
        Just(Body::Reading(entry::Reading {
            test: "t-bd-low-u".into(),
            result: ReadingResult::CannotReach,
            typed: String::new(),
            minutes: 1.0,
            insisted: false,
        })),
    ]
}

proptest! {
    #[test]
    fn no_words_open_it(said in prop::collection::vec(words(), 0..25)) {
        let mut log = open("gh48");
        log.add(symptom("S18", true));
        for body in said {
            log.add(body);
            prop_assert!(!log.standing().is_passed());
        }
        prop_assert_eq!(log.refuses(&battery_in(), Role::Specialist), Some("gate-closed"));
    }
}

/// Series count × volts a cell, worked out by hand: 13 of NMC are full at 54.6 V, 3.0 V a cell are 39.0 V, a tenth of the
/// charge about 44.9 V; one block of lead is charged at 14.7 V and full at rest near 12.8.
#[test]
fn the_figure_of_the_pack_has_a_ceiling_and_asks_in_between() {
    let ask = |family: &str, typed: &str, answer: &str| {
        let log = Log::on(family);
        log.refuses(&gate("floor", answer, Some(typed)), Role::Technician)
    };
    for (family, typed, answer, refused) in [
        ("gh48", "51.0", "above", None),
        ("gh48", "54.6", "above", None),
        ("gh48", "55.0", "above", None),
        ("gh48", "55.4", "above", Some("which-pack")),
        ("gh48", "60.0", "above", Some("figure-differs")),
        ("gh48", "60.0", "over", None),
        ("gh48", "51.0", "over", Some("figure-differs")),
        ("gh48", "84.0", "over", None),
        ("gh48", "546", "above", Some("absurd-reading")),
        ("gh48", "44.0", "above", Some("which-pack")),
        ("gh48", "33.0", "above", Some("which-pack")),
        ("gh48", "32.0", "above", Some("figure-differs")),
        ("gh48", "32.0", "below", None),
        ("gh48", "45.5", "above", None),
        ("rt12", "12.9", "above", None),
        ("rt12", "14.5", "above", None),
        ("rt12", "15.2", "above", Some("figure-differs")),
        ("rt12", "15.2", "over", None),
        ("rt12", "11.2", "above", Some("which-pack")),
        ("rt12", "10.2", "above", Some("which-pack")),
        ("rt12", "9.8", "below", None),
        ("db72", "84.0", "above", None),
        ("db72", "88.2", "over", None),
        ("ssb36", "38.2", "above", None),
        ("ssb36", "48.0", "over", None),
    ] {
        assert_eq!(
            ask(family, typed, answer),
            refused,
            "{family} {typed} {answer}"
        );
    }
    let log = Log::on("gh48");
    let sentence = log.sentence(&gate("floor", "above", Some("33"))).unwrap();
    assert!(
        sentence.contains("trickle") && sentence.contains("39"),
        "{sentence}"
    );
    // said which pack it is, it is taken, and printed
    let mut said = Log::on("gh48");
    let body = Body::Gate(entry::Gate {
        check: "floor".into(),
        answer: "above".into(),
        typed: Some("44".into()),
        explained: Some("run flat, 13s, own charger".into()),
    });
    assert_eq!(said.refuses(&body, Role::Technician), None);
    said.add(body);
    // and more than its cells may have stops it, wherever that pack goes
    let mut over = Log::on("gh48");
    over.add(gate("floor", "over", Some("60.0")));
    assert_eq!(over.standing(), Standing::Stopped);
}

#[test]
fn a_charger_of_another_pack_is_marked_where_it_is_entered() {
    let marked = |family: &str, volts: f64| {
        let mut log = Log::on(family);
        log.add(Body::Change(entry::Change {
            change: spannung_circuit::Change::Figure {
                figure: "charger".into(),
                value: volts,
            },
            source: None,
        }));
        let view = log.job().profile_view(catalogue()).unwrap();
        view.figures
            .into_iter()
            .find(|f| f.id == "charger")
            .unwrap()
            .caution
    };
    assert!(marked("gh48", 54.6).is_none());
    assert!(marked("gh48", 67.2).unwrap().contains("over-charges"));
    assert!(marked("gh48", 42.0).unwrap().contains("never fills"));
    assert!(marked("rt12", 14.6).is_none());
    assert!(marked("rt12", 29.2).unwrap().contains("over-charges"));
    assert!(marked("ssb36", 43.5).is_none());
}
