//! Would it drive, put together so? And if not: why, and with what it would.

use crate::common::{Log, catalogue};
use spannung_circuit::build::Shelf;
use spannung_circuit::otherwise::fitting;
use spannung_circuit::{Change, KnownFrom};
use spannung_core::job::entry::{self, Body};
use spannung_core::job::standstill::{CureView, StandstillView};

/// A vehicle of this class and drive on which these components were seen.
fn with(volts: u16, drive: &str, seen: &[(&str, Option<&str>)]) -> Option<StandstillView> {
    let mut log = Log::of(volts, drive);
    for (slot, kind) in seen {
        log.add(Body::Change(entry::Change {
            change: Change::Component {
                slot: (*slot).into(),
                kind: kind.map(Into::into),
            },
            source: Some(KnownFrom::Seen),
        }));
    }
    log.job().standstill(catalogue())
}

fn cures(view: &StandstillView) -> Vec<(&str, Option<&str>)> {
    let each = view.cures.iter();
    each.map(|c: &CureView| (c.slot.as_str(), c.kind.as_deref()))
        .collect()
}

#[test]
fn whatever_begins_on_the_road_drives() {
    for on in &catalogue().road {
        let view = with(on.volts, &on.drive, &[]);
        assert_eq!(view, None, "{} V {}", on.volts, on.drive);
    }
    assert_eq!(Log::of(12, "other").job().standstill(catalogue()), None);
}

#[test]
fn a_controller_that_wants_two_channels_stands_still_with_a_throttle_of_one() {
    let seen = ("controller", Some("field-oriented"));
    let view = with(48, "chain", &[seen]).unwrap();
    // its second channel is half of the first: 0.42 V beside 0.84 V at rest, and there is no such wire
    assert!(
        view.why
            .contains("second throttle channel at 0.42 V and finds 0.00 V"),
        "{}",
        view.why
    );
    let two = cures(&view);
    assert!(two.iter().any(|c| c.0 == "throttle"), "{two:?}");
    for (slot, kind) in two {
        assert_eq!(with(48, "chain", &[seen, (slot, kind)]), None, "{slot}");
    }
}

#[test]
fn a_contactor_that_nobody_pulls_in_leaves_the_precharge_alone() {
    let seen = ("contactor", Some("contactor-with-precharge"));
    let view = with(48, "geared-hub", &[seen]).unwrap();
    let why = "V reach the controller, which starts above 40.0 V";
    assert!(view.why.contains(why), "{}", view.why);
    // a key switch would pull it in; what was seen is not doubted
    let keys = cures(&view);
    assert!(keys.contains(&("key", Some("key-switch"))), "{keys:?}");
    assert!(keys.iter().all(|c| c.0 != "contactor"), "{keys:?}");
}

#[test]
fn what_is_named_as_a_cure_makes_it_drive_and_was_never_seen() {
    let shelf = Shelf::shipped().unwrap();
    let (mut still, mut cured) = (0, 0);
    for on in catalogue().road.iter().step_by(4) {
        for slot in &shelf.slots {
            let id = slot.id.get_ref().as_str();
            for fit in fitting(&on.family.build, &[id.to_owned()], shelf) {
                let seen = (id, Some(fit.kind.id.get_ref().as_str()));
                let Some(view) = with(on.volts, &on.drive, &[seen]) else {
                    continue;
                };
                still += 1;
                assert!(
                    !view.why.is_empty() && !view.why.ends_with('.') && !view.why.contains("-0.00")
                );
                for cure in cures(&view) {
                    cured += 1;
                    assert_ne!(cure.0, id);
                    let now = with(on.volts, &on.drive, &[seen, cure]);
                    assert_eq!(now, None, "{} {} {seen:?} {cure:?}", on.volts, on.drive);
                }
            }
        }
    }
    assert!(still > 10 && cured > 5, "{still} {cured}");
}
