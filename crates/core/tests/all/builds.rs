//! What a vehicle has, on a job: swaps, what is offered for a slot, what follows, and what is refused.

use crate::common::{self, Log, catalogue};
use spannung_circuit::{Change, KnownFrom, Profile, VehicleState};
use spannung_core::diagnosis::Model;
use spannung_core::diagnosis::repertoire::Test;
use spannung_core::job::bench::Weighed;
use spannung_core::job::entry::{self, Body, Role};
use spannung_core::job::has::SlotView;
use spannung_core::job::map::{self, Map};
use spannung_core::job::proof;

fn swap(slot: &str, kind: Option<&str>) -> Body {
    Body::Change(entry::Change {
        change: Change::Component {
            slot: slot.into(),
            kind: kind.map(Into::into),
        },
        source: Some(KnownFrom::Seen),
    })
}

fn slot(log: &Log, id: &str) -> SlotView {
    let has = log.job().has(catalogue());
    has.into_iter().find(|s| s.slot == id).unwrap()
}

#[test]
fn a_swap_is_seen_and_struck_out_again() {
    let mut log = Log::of(48, "geared-hub");
    let lever = slot(&log, "brake-left");
    assert_eq!(lever.kind.as_deref(), Some("lever-that-closes"));
    assert!(lever.source.is_none() && !lever.changed);
    let swapped = log.add(swap("brake-left", Some("lever-that-opens")));
    let lever = slot(&log, "brake-left");
    assert_eq!(lever.kind.as_deref(), Some("lever-that-opens"));
    assert!(lever.source == Some(KnownFrom::Seen) && lever.changed);
    let family = log.job().own_family(catalogue()).unwrap();
    assert_eq!(family.opens, ["brake-left"]);
    log.add(Body::Void(entry::Void {
        entry: swapped,
        reason: "wrong bike".into(),
    }));
    assert!(!slot(&log, "brake-left").changed);
    // the one that is there, looked at: seen, and not changed
    log.add(swap("display", Some("display-with-switched-feed")));
    let display = slot(&log, "display");
    assert!(display.source.is_some() && !display.changed);
}

/// The likeliest answer is what is assumed, then what else fits by its share on the road; a pack cannot be missing, a lever can.
#[test]
fn a_look_at_a_place_may_say_what_fits_there() {
    let log = Log::of(48, "geared-hub");
    let job = log.job();
    let likely = |slot: &str| -> Vec<Option<String>> {
        let all = job.likely(catalogue(), slot).into_iter();
        let kind = |change| match change {
            Change::Component { slot: at, kind } if at == slot => kind,
            other => panic!("{other:?}"),
        };
        all.map(kind).collect()
    };
    for place in ["brake-left", "pack", "alarm"] {
        let shown = slot(&log, place);
        let said = likely(place);
        assert_eq!(said.contains(&None), place == "brake-left", "{said:?}");
        let first = said.first().and_then(Option::as_deref);
        assert_eq!(shown.kind.is_some(), first == shown.kind.as_deref());
        let percent = |kind: &Option<String>| {
            let fits = shown.fits.iter().find(|f| Some(&f.kind) == kind.as_ref());
            fits.map(|f| f.percent)
        };
        let others = &said[usize::from(shown.kind.is_some())..];
        let shares: Vec<u8> = others.iter().filter_map(percent).collect();
        assert!(shares.is_sorted_by(|a, b| a >= b), "{place}: {shares:?}");
        // each once, and each of them can be said
        let kinds = said.iter().flatten().count();
        assert_eq!(kinds, shown.fits.len(), "{place}");
    }
    assert!(likely("saddle").is_empty());
    let other = Log::of(48, "other").job();
    assert!(other.likely(catalogue(), "brake-left").is_empty());
}

/// A second drive goes on whatever has a controller, and is worked out there: its faults have their repairs, its readings a sound
/// figure.
#[test]
fn a_second_drive_is_worked_out_on_whatever_takes_it() {
    let mut taken = 0;
    for family in &catalogue().families {
        let on = Change::Component {
            slot: "second-drive".into(),
            kind: Some("second-six-step".into()),
        };
        let Ok(profile) = Profile::new(family, &[on]) else {
            continue;
        };
        let model = Model::build(catalogue(), &profile);
        let model = model.unwrap_or_else(|e| panic!("{}: {e}", family.id));
        let second = |t: &&Test| t.id.ends_with("-2");
        assert!(
            model.tests.iter().filter(second).count() > 10,
            "{}",
            family.id
        );
        taken += 1;
    }
    assert!(taken >= 8, "{taken}");
}

fn map_of(family: &str) -> Map {
    let job = Log::on(family).job();
    let mut none = |_: usize, _: &VehicleState| None;
    let weighed = Weighed::new(
        catalogue(),
        common::model(family),
        &job,
        Role::Technician,
        &mut none,
    );
    map::map(&weighed, None)
}

/// Two equal motors are suspected alike before anything is read, each in its own place, and so is what the two controllers hold.
#[test]
fn what_a_second_drive_holds_has_its_own_place_on_the_map() {
    let two = map_of("tm52");
    let share = |id: &str| {
        let found = two.boxes.iter().find(|b| b.id == id);
        found.unwrap_or_else(|| panic!("no {id}")).share
    };
    for id in ["winding-u", "winding-v", "winding-w"] {
        let (first, second) = (share(id), share(&format!("{id}-2")));
        assert!(
            first > 0.0 && (first - second).abs() < 1e-9,
            "{id} {first} {second}"
        );
    }
    assert!(share("bridge-2") > 0.0 && share("rail-2") > 0.0);
    let role = |id: &str| {
        two.strands
            .iter()
            .find(|s| s.id == id)
            .unwrap()
            .role
            .as_str()
    };
    assert_eq!(
        ["main", "main-2", "phase-2", "link-2"].map(role),
        ["feed", "feed", "motor", "link"]
    );
    assert_eq!(two.second.as_deref(), Some("Second"));
    // two gearboxes on one switch are two motors and no second controller
    let toy = map_of("rt12");
    assert!(toy.twin && toy.second.is_none());
    assert!(toy.boxes.iter().all(|b| !b.id.ends_with("-2")));
}

/// What was seen on one vehicle is likely on the next like it: drawn so, and with the others beside it until somebody looks.
#[test]
fn a_kept_build_is_likely_and_not_seen() {
    let mut log = Log::of(48, "geared-hub");
    assert!(log.job().kept_as_build().is_empty());
    log.add(swap("brake-left", Some("hall-lever")));
    log.add(swap("brake-left", Some("lever-that-opens")));
    log.add(swap("lights", None));
    let wire = Change::ExtraWire {
        strand: "throttle".into(),
        code: "PK".into(),
        function: "cruise".into(),
    };
    log.add(Body::Change(entry::Change {
        change: wire,
        source: Some(KnownFrom::Seen),
    }));
    let kept = log.job().kept_as_build();
    let likely = |slot: &str, kind: Option<&str>| Change::Likely {
        slot: slot.into(),
        kind: kind.map(Into::into),
    };
    // of the lever what was said last; a wire that an owner added is not the next one's
    let lever = likely("brake-left", Some("lever-that-opens"));
    assert_eq!(kept, [lever, likely("lights", None)]);

    let mut next = Log::of(48, "geared-hub");
    for change in kept {
        let source = Some(KnownFrom::Guessed);
        next.add(Body::Change(entry::Change { change, source }));
    }
    let lever = slot(&next, "brake-left");
    assert_eq!(lever.kind.as_deref(), Some("lever-that-opens"));
    assert!(lever.source.is_none() && lever.changed);
    let ways = |log: &Log| {
        let job = log.job();
        let profile = Profile::new(job.begun(catalogue()).unwrap(), &job.differences()).unwrap();
        let net = profile.netlist().unwrap();
        let all = spannung_circuit::otherwise::ways(&profile, &net).unwrap();
        all.iter()
            .filter(|w| w.id.starts_with("brake-left="))
            .count()
    };
    assert!(
        ways(&next) > 0,
        "nothing else is held possible of a lever nobody looked at"
    );
    next.add(swap("brake-left", Some("lever-that-opens")));
    assert!(slot(&next, "brake-left").source.is_some());
    assert_eq!(ways(&next), 0);
}

/// Whatever the row offers is taken, and the vehicle that comes of it has a model's wiring; whatever it does not offer is
/// refused with a sentence that names it.
#[test]
fn what_is_offered_is_taken_and_what_is_not_is_refused() {
    for (volts, drive) in [
        (36, "geared-hub"),
        (36, "chain"),
        (12, "brushed"),
        (72, "chain"),
    ] {
        let log = Log::of(volts, drive);
        let shelf = spannung_circuit::Shelf::shipped().unwrap();
        for s in log.job().has(catalogue()) {
            let offered: Vec<&str> = s.fits.iter().map(|k| k.kind.as_str()).collect();
            for kind in &shelf.kinds {
                let id = kind.id.get_ref();
                let said = log.refuses(&swap(&s.slot, Some(id)), Role::Technician);
                let taken = offered.contains(&id.as_str());
                assert_eq!(said.is_none(), taken, "{volts} {drive}: {} {id}", s.slot);
            }
            let off = log.refuses(&swap(&s.slot, None), Role::Technician);
            assert!(!s.needed || off.is_some(), "{} taken off", s.slot);
        }
    }
}

/// What the vehicle has decides what is asked of it: a scooter's stem, no pedals; another ready build is told by a line.
#[test]
fn checks_follow_what_it_has() {
    let checks = |log: &Log| -> Vec<String> {
        let rows = proof::rows(catalogue(), &log.job(), &[], None);
        rows.into_iter().map(|r| r.check).collect()
    };
    let mut log = Log::of(48, "direct-hub");
    assert!(!checks(&log).contains(&"stem-lock".into()));
    log.add(Body::Change(entry::Change {
        change: Change::Kind {
            family: "ks36-48".into(),
        },
        source: None,
    }));
    let job = log.job();
    let family = job.family(catalogue()).unwrap();
    assert!(family.has("folding") && !family.has("pedals"));
    assert_eq!(family.cells.groups, 13);
    assert!(checks(&log).contains(&"stem-lock".into()));
    assert!(!checks(&log).contains(&"pas-stop".into()));
}

#[test]
fn a_pack_of_other_cells_scales_what_follows() {
    // 24 V: seven groups of 3.85 V, cut off at about 0.8 of them, a charger that ends at 29.4 V
    let job = Log::of(24, "geared-hub").job();
    let family = job.family(catalogue()).unwrap();
    assert_eq!(family.cells.groups, 7);
    let figure = |id: &str| {
        let found = family.figures.iter().find(|f| f.id.get_ref() == id);
        found.unwrap().usual
    };
    assert_eq!(figure("charger"), 29.4);
    assert!(
        (21.0..22.0).contains(&figure("cutoff")),
        "{}",
        figure("cutoff")
    );
    assert_eq!(figure("controller-volts"), 24.0);
}

#[test]
fn every_pair_of_the_road_begins_with_a_build_and_no_other() {
    let pairs: std::collections::BTreeSet<(u16, &str)> = catalogue()
        .road
        .iter()
        .map(|r| (r.volts, r.drive.as_str()))
        .collect();
    assert!(pairs.len() >= 20, "{}", pairs.len());
    for volts in [6, 12, 24, 36, 48, 52, 60, 72] {
        for drive in ["geared-hub", "direct-hub", "mid", "chain", "brushed"] {
            let known = catalogue().family(volts, drive).is_some();
            assert_eq!(known, pairs.contains(&(volts, drive)), "{volts} {drive}");
        }
    }
    // and every ready build can be begun with, as it stands
    for ready in &catalogue().families {
        let on_road = catalogue().road.iter().any(|r| r.family.id == ready.id);
        assert!(on_road, "{} is nowhere on the road", ready.id);
    }
}
