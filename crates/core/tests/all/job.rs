//! The fold and the gate: a job as a sequence of entries.

use crate::common::{Log, close, gate, reading};
use proptest::prelude::*;
use spannung_circuit::state::{Battery, Key, Wheel};
use spannung_circuit::{Change, VehicleState};
use spannung_core::job::entry;
use spannung_core::job::entry::{Body, Fate, Logged, Outcome, Role};
use spannung_core::job::gate::Standing;
use uuid::Uuid;

#[test]
fn the_gate_opens_when_every_contact_is_closed() {
    let mut log = Log::with_pack();
    assert_eq!(log.standing(), Standing::Asking);
    log.clear_gate();
    assert_eq!(log.standing(), Standing::Open);
    assert_eq!(
        log.job().state.wheel,
        Wheel::Lifted,
        "confirming the wheel lifts it"
    );
}

#[test]
fn nothing_is_switched_on_before_it_is_open() {
    let log = Log::with_pack();
    let on = Body::State(entry::State {
        state: VehicleState {
            battery: Battery::In,
            ..VehicleState::default()
        },
    });
    assert_eq!(log.refuses(&on, Role::Owner), Some("gate-closed"));
}

#[test]
fn a_stop_holds_until_another_pack_or_a_specialists_clearance() {
    let mut log = Log::with_pack();
    log.add(gate("water", "inside", None));
    assert_eq!(log.standing(), Standing::Stopped);
    // not answered away, nothing measured, nothing closed
    assert_eq!(
        log.refuses(&gate("water", "dry", None), Role::Owner),
        Some("stop-holds")
    );
    assert_eq!(
        log.refuses(&reading("t-pack-voc", "51"), Role::Specialist),
        Some("gate-stopped")
    );
    assert_eq!(
        log.refuses(&close(Outcome::Repaired), Role::Owner),
        Some("gate-stopped")
    );
    let clearance = Body::Clearance(entry::Clearance {
        text: "Opened, dried, 24 h, insulation 40 MΩ".into(),
    });
    assert_eq!(
        log.refuses(&clearance, Role::Technician),
        Some("not-specialist")
    );
    assert_eq!(
        log.refuses(&clearance, Role::Specialist),
        Some("not-quarantined")
    );
    for step in ["out", "outdoors", "watch", "tag"] {
        log.add(Body::Quarantine(entry::Quarantine { step: step.into() }));
    }
    assert_eq!(log.standing(), Standing::Quarantined);
    assert_eq!(
        log.refuses(&close(Outcome::Repaired), Role::Owner),
        Some("pack-stopped")
    );
    assert_eq!(log.refuses(&close(Outcome::MadeSafe), Role::Owner), None);
    assert_eq!(log.refuses(&clearance, Role::Specialist), None);

    let mut cleared = Log {
        entries: log.entries.clone(),
        brought: Vec::new(),
    };
    cleared.add(clearance);
    assert_eq!(
        cleared.standing(),
        Standing::Asking,
        "the stopped contact is asked again"
    );

    log.add(Body::Pack(entry::Pack {
        pack: Uuid::from_u128(2),
        sticker: "K-2".into(),
        known: false,
    }));
    assert_eq!(
        log.standing(),
        Standing::Asking,
        "another pack, asked from the start"
    );
    assert!(log.job().on_pack.stops.is_empty());
}

#[test]
fn a_loaded_pack_below_its_floor_raises_the_gate_and_a_ghost_never_does() {
    for (test, typed, stops) in [
        ("t-pack-load", "30.1", true),
        ("t-pack-ghost", "31", true),
        ("t-pack-ghost", "0.2", false),
        ("t-pack-load", "0", false),
        ("t-pack-voc", "28", false),
        ("t-vb-load", "20", false),
        ("t-pack-load", "46", false),
    ] {
        let mut log = Log::with_pack();
        log.clear_gate();
        log.add(reading(test, typed));
        assert_eq!(log.standing() == Standing::Stopped, stops, "{test} {typed}");
    }
}

#[test]
fn a_group_below_its_floor_has_no_clearance() {
    let mut log = Log::with_pack();
    log.clear_gate();
    log.add(reading("t-group-low", "2.1..3.9"));
    assert_eq!(log.standing(), Standing::Stopped);
    for step in ["out", "outdoors", "watch", "tag"] {
        log.add(Body::Quarantine(entry::Quarantine { step: step.into() }));
    }
    let clearance = Body::Clearance(entry::Clearance {
        text: "Looks fine to me, really".into(),
    });
    assert_eq!(
        log.refuses(&clearance, Role::Specialist),
        Some("not-clearable")
    );
}

#[test]
fn the_figure_decides_the_floor_contact() {
    let log = Log::with_pack();
    assert_eq!(
        log.refuses(&gate("floor", "above", Some("30")), Role::Technician),
        Some("figure-differs")
    );
    assert_eq!(
        log.refuses(&gate("floor", "above", Some("what")), Role::Technician),
        Some("bad-reading")
    );
    assert_eq!(
        log.refuses(&gate("floor", "above", Some("480")), Role::Technician),
        Some("absurd-reading")
    );
    assert_eq!(
        log.refuses(&gate("floor", "above", Some("51,8 V")), Role::Technician),
        None
    );
    assert_eq!(
        log.refuses(&gate("floor", "nothing", Some("28")), Role::Technician),
        None,
        "a phantom"
    );
}

#[test]
fn confirmations_hold_while_the_state_they_speak_of_holds() {
    let mut log = Log::with_pack();
    log.clear_gate();
    log.add(Body::Confirmed(entry::Confirmed {
        need: "wheel-up".into(),
    }));
    let stand = |wheel| {
        Body::State(entry::State {
            state: VehicleState {
                wheel,
                ..VehicleState::default()
            },
        })
    };
    log.add(stand(Wheel::Turned));
    assert!(
        log.job().confirmed.contains_key("wheel-up"),
        "turned is still up"
    );
    log.add(stand(Wheel::Ground));
    assert!(!log.job().confirmed.contains_key("wheel-up"));
    assert_eq!(
        log.standing(),
        Standing::Open,
        "with the power off nothing moves"
    );
}

#[test]
fn what_is_done_on_the_ground_asks_for_a_safe_ride() {
    let mut log = Log::with_pack();
    log.clear_gate();
    log.add(Body::State(entry::State {
        state: VehicleState {
            battery: Battery::In,
            key: Key::On,
            wheel: Wheel::Ground,
            ..VehicleState::default()
        },
    }));
    assert_eq!(log.standing(), Standing::Grounded);
    let pull = Body::Check(entry::Check {
        test: "t-pull".into(),
        outcome: "strong".into(),
        place: None,
        minutes: 8.0,
    });
    assert_eq!(log.refuses(&pull, Role::Technician), Some("not-confirmed"));
    log.add(Body::Confirmed(entry::Confirmed {
        need: "ride-safe".into(),
    }));
    assert_eq!(log.standing(), Standing::Open);
    assert_eq!(log.refuses(&pull, Role::Technician), None);
}

#[test]
fn a_reading_that_raised_a_stop_is_not_struck_out() {
    let mut log = Log::with_pack();
    log.clear_gate();
    let good = log.add(reading("t-pack-voc", "51.0"));
    let low = log.add(reading("t-pack-load", "30.1"));
    let void = |entry| {
        Body::Void(entry::Void {
            entry,
            reason: "slipped".into(),
        })
    };
    assert_eq!(log.refuses(&void(low), Role::Owner), Some("stop-holds"));
    assert_eq!(log.refuses(&void(good), Role::Owner), None);
    let told = log.add(Body::Symptom(entry::Symptom {
        symptom: "S21".into(),
        yes: Some(true),
        by_customer: true,
    }));
    assert_eq!(log.refuses(&void(told), Role::Owner), Some("stop-holds"));
}

#[test]
fn undo_strikes_out_and_keeps() {
    let mut log = Log::with_pack();
    log.clear_gate();
    let id = log.add(reading("t-pack-voc", "51.0"));
    assert!((log.job().minutes - 1.0).abs() < 1e-9);
    log.add(Body::Void(entry::Void {
        entry: id,
        reason: "wrong range".into(),
    }));
    let job = log.job();
    assert_eq!(job.taken.len(), 1);
    assert!(job.taken[0].voided && job.minutes == 0.0);
}

#[test]
fn bad_entries_get_a_sentence_and_a_code() {
    let mut log = Log::with_pack();
    log.clear_gate();
    let part = |old: Option<&str>, fate, minutes| {
        Body::Part(entry::Part {
            old: old.map(Into::into),
            fate,
            new: None,
            class: None,
            minutes,
            price_cents: None,
        })
    };
    for (body, code) in [
        (reading("t-pack-voc", "4.7 what"), "bad-reading"),
        (reading("t-pack-voc", ""), "bad-reading"),
        (part(None, None, 3.0), "no-part"),
        (part(Some("throttle"), None, 3.0), "no-fate"),
        (
            part(Some("throttle"), Some(Fate::Kept), -3.0),
            "bad-minutes",
        ),
        (
            part(Some("throttle"), Some(Fate::Kept), f64::NAN),
            "bad-minutes",
        ),
        (
            Body::Skip(entry::Skip {
                test: "t-loom".into(),
                reason: " ".into(),
            }),
            "no-reason",
        ),
        (
            Body::Change(entry::Change {
                change: Change::Colour {
                    strand: "throttle".into(),
                    pin: 1,
                    code: "mauve".into(),
                },
                source: None,
            }),
            "bad-change",
        ),
        (
            Body::Note(entry::Note {
                text: String::new(),
            }),
            "bad-note",
        ),
        (
            Body::Symptom(entry::Symptom {
                symptom: "S99".into(),
                yes: Some(true),
                by_customer: true,
            }),
            "unknown-symptom",
        ),
    ] {
        assert_eq!(log.refuses(&body, Role::Technician), Some(code), "{body:?}");
    }
    log.add(close(Outcome::Declined));
    assert_eq!(
        log.refuses(&reading("t-pack-voc", "51"), Role::Owner),
        Some("job-closed")
    );
    assert_eq!(
        log.refuses(
            &Body::Note(entry::Note {
                text: "late".into()
            }),
            Role::Owner
        ),
        None
    );
}

#[test]
fn entries_read_back_as_they_were_written() {
    let mut log = Log::with_pack();
    log.clear_gate();
    log.add(reading("t-pack-voc", "−0,2"));
    log.add(close(Outcome::NoFaultFound));
    let text = serde_json::to_string(&log.entries).unwrap();
    let back: Vec<Logged> = serde_json::from_str(&text).unwrap();
    assert_eq!(back, log.entries);
}

proptest! {
    /// The fold never loses a reading: every one is there, voided or not, in order.
    #[test]
    fn the_fold_keeps_every_reading(plan in prop::collection::vec((0u8..4, 0.0f64..60.0), 1..40)) {
        let mut log = Log::with_pack();
        log.clear_gate();
        let mut taken: Vec<(Uuid, bool)> = Vec::new();
        for (what, value) in plan {
            match what {
                0 | 1 => taken.push((log.add(reading("t-vb-open", &format!("{value:.2}"))), false)),
                2 => {
                    if let Some(last) = taken.iter_mut().rev().find(|t| !t.1) {
                        last.1 = true;
                        let id = last.0;
                        log.add(Body::Void(entry::Void { entry: id, reason: "x".into() }));
                    }
                }
                _ => {
                    log.add(Body::Note(entry::Note { text: "n".into() }));
                }
            }
        }
        let job = log.job();
        let kept: Vec<(Uuid, bool)> = job.taken.iter().map(|t| (t.entry, t.voided)).collect();
        prop_assert_eq!(kept, taken);
        prop_assert_eq!(job.head, log.entries.len() as i64);
    }
}
