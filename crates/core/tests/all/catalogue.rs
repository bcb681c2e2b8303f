//! The catalogue hangs together: every fault can be seen, every test can be moved, every symptom has a
//! fault behind it, every access leads somewhere. Worked out from the model, not from the files alone.

use crate::common::{catalogue, model, models, shows, with_every_kind};
use spannung_circuit::behaviour::Scene;
use spannung_circuit::state::{Battery, Foot, Key};
use spannung_circuit::{Change, Family, Mode, Profile, VehicleState};
use spannung_core::diagnosis::Answer;
use spannung_core::diagnosis::repertoire::Kind;
use spannung_core::diagnosis::rows::Rows;
use std::collections::BTreeSet;

/// Half the distance between two distributions at which they count as told apart.
const APART: f64 = 0.3;

/// Total variation between what a test shows under a case and without a fault.
fn moves(rows: &Rows, case: usize) -> f64 {
    let each = rows.row(case).iter().zip(&rows.healthy);
    each.map(|(x, y)| (x - y).abs()).sum::<f64>() / 2.0
}

#[test]
fn every_fault_shows_in_a_test_or_a_symptom() {
    let catalogue = catalogue();
    for m in models().chain(with_every_kind()) {
        let unseen: Vec<&str> = m
            .listed()
            .iter()
            .enumerate()
            .filter(|(k, _)| m.rows.iter().all(|r| moves(r, *k) < APART))
            .filter(|(k, c)| {
                let prior = &catalogue.priors[&c.fault];
                let told = |s: &String| m.symptoms.get(s).is_some_and(|p| p[*k] >= 0.2);
                !prior.symptoms.keys().any(told)
            })
            .map(|(_, c)| c.key.as_str())
            .collect();
        assert!(
            unseen.is_empty(),
            "{}: nothing shows {unseen:?}",
            m.profile.family.id
        );
    }
}

#[test]
fn every_test_that_somebody_wrote_is_moved_by_some_fault() {
    let catalogue = catalogue();
    let procedures = catalogue.procedures.iter().map(|p| p.id.get_ref());
    let probes = catalogue.probes.iter().map(|p| p.id.get_ref());
    let written: BTreeSet<&str> = procedures.chain(probes).map(String::as_str).collect();
    let mut on_offer: BTreeSet<&str> = BTreeSet::new();
    let mut unmoved = Vec::new();
    for m in models().chain(with_every_kind()) {
        let mine = m.tests.iter().zip(&m.rows);
        for (t, rows) in mine.filter(|(t, _)| written.contains(t.id.as_str())) {
            let moved = (0..m.cases.len()).any(|k| moves(rows, k) >= APART);
            if !moved {
                unmoved.push(format!("{}: no fault moves {}", m.profile.family.id, t.id));
            }
            on_offer.insert(&t.id);
        }
    }
    assert!(unmoved.is_empty(), "{}", unmoved.join("\n"));
    // a look that no fault of a vehicle moves is not offered there, but somewhere it is
    let idle: Vec<&&str> = written.difference(&on_offer).collect();
    assert!(idle.is_empty(), "no fault moves {idle:?} on any vehicle");
}

/// A rail that is dead and one that is whole are two outcomes, whatever bad contacts lie between them.
#[test]
fn an_uncertain_fault_hides_no_gap() {
    let m = model("gh48");
    for id in ["t-pull-a", "t-pull-b", "t-pull-c"] {
        let test = m.tests.iter().position(|t| t.id == id).unwrap();
        let dead = m.cases.iter().position(|c| c.key == "ctl-5v-dead").unwrap();
        let apart = moves(&m.rows[test], dead);
        assert!(apart > 0.9, "{id} tells the dead rail by {apart:.2}");
    }
}

#[test]
fn every_symptom_has_a_fault_behind_it() {
    let mut unexplained = Vec::new();
    for m in models() {
        let empty: Vec<&String> = m
            .symptoms
            .iter()
            .filter(|(_, cases)| cases.iter().all(|p| *p < 0.1))
            .map(|(id, _)| id)
            .collect();
        if !empty.is_empty() {
            unexplained.push(format!("{}: {empty:?}", m.profile.family.id));
        }
    }
    assert!(unexplained.is_empty(), "{}", unexplained.join("\n"));
}

#[test]
fn every_test_has_an_access_of_its_family() {
    for m in models() {
        let family = &m.profile.family;
        for t in &m.tests {
            assert!(
                family.access.contains_key(&t.access),
                "{}, {}: {}",
                family.id,
                t.id,
                t.access
            );
        }
    }
}

/// Without a fault every vehicle lights, turns as it should and shows every sign's first value.
#[test]
fn a_sound_vehicle_shows_nothing() {
    let catalogue = catalogue();
    for m in models() {
        let circuit = m.healthy_circuit(&[]);
        let scene = Scene::of(&m.profile, &m.net, &circuit, None);
        for sign in catalogue.faults.signs.iter().filter(|s| s.computed) {
            if let Some(value) = scene.observe(sign.id.get_ref(), &VehicleState::default()) {
                let family = &m.profile.family.id;
                assert_eq!(value, sign.values[0], "{family}: {}", sign.id.get_ref());
            }
        }
    }
}

/// Over 60 V every live probe asks for the instructed, and every test with the pack in has risk 3 at least
/// (safety G03); a child's toy is driven by nobody (G16).
#[test]
fn the_vehicle_brings_its_own_cautions() {
    for m in models() {
        let family = &m.profile.family;
        for t in &m.tests {
            let live =
                matches!(&t.kind, Kind::Probe(p) if matches!(p.mode, Mode::Volts | Mode::Amps));
            let asked = |n: &str| t.needs.iter().any(|x| x == n);
            let high = family.full_volts() > 60.0;
            assert_eq!(asked("over-60"), high && live, "{}: {}", family.id, t.id);
            if high && t.state.battery == Some(Battery::In) {
                assert!(t.risk >= 3, "{}: {}", family.id, t.id);
            }
            if family.has("toy") && t.state.foot == Some(Foot::Down) {
                assert!(asked("toy-empty"), "{}", t.id);
            }
        }
    }
}

/// A probe on a wire is found on the face of its plug, whether the file calls the wire by pin or by what it carries.
#[test]
fn probes_on_wires_have_their_pins_on_the_face() {
    for m in models() {
        for t in &m.tests {
            let Kind::Probe(p) = &t.kind else { continue };
            let red = &m.net.nodes[p.pair.red];
            let on_wire = red.ends_with(".c") || red.ends_with(".d");
            if on_wire && p.element.is_none() && !t.id.starts_with("block") {
                let face = t.faces.first();
                let pin = face.and_then(|f| f.red_pin).map(|p| p.to_string());
                assert_eq!(
                    pin.as_deref(),
                    red.split('.').nth(1),
                    "{}: {}",
                    m.profile.family.id,
                    t.id
                );
            }
        }
    }
}

/// What breaks belongs to the component that is there, whatever vehicle it is built into; a track has no magnet that could move.
#[test]
fn what_is_built_in_can_break_wherever_it_is() {
    let c = catalogue();
    let with = |family: &str, slot: &str, kind: &str| {
        let swap = Change::Component {
            slot: slot.into(),
            kind: Some(kind.into()),
        };
        let own = c.families.iter().find(|f| f.id == family).unwrap();
        Profile::new(own, &[swap]).unwrap().family
    };
    let weight = |fault: &str, family: &Family| c.priors[fault].weight_on(family);
    let quad = with("rq48", "second-pack", "diode-combiner");
    assert!((weight("comb-open", &quad) - 15.0).abs() < 1e-9);
    let board = with("rq48", "second-pack", "ideal-diode-combiner");
    assert!((weight("comb-open", &board) - 30.0).abs() < 1e-9);
    let track = with("gh48", "throttle", "potentiometer-throttle");
    let hall = with("gh48", "throttle", "hall-throttle");
    assert!(weight("thr-magnet", &track) == 0.0 && weight("thr-magnet", &hall) > 0.0);
    assert!(weight("thr-dead", &track) > 0.0);
    // a group that is said never to have it
    let bike = c.families.iter().find(|f| f.id == "db72").unwrap();
    assert!(weight("chg-swapped", bike) == 0.0);
}

/// Off, a switch in the main lead keeps the volts from the controller: what is read there is read with it on.
#[test]
fn behind_a_switch_in_the_main_lead_readings_are_taken_with_it_on() {
    for m in with_every_kind()
        .iter()
        .filter(|m| m.profile.family.has("main-switch"))
    {
        let feed = m.tests.iter().position(|t| t.id == "t-vb-open").unwrap();
        assert_eq!(m.tests[feed].state.key, Some(Key::On));
        let Answer::Figure { low, high } = shows(m, feed, None) else {
            panic!("volts are a figure");
        };
        assert!(low > 40.0 && high < 60.0, "{low} to {high} V");
    }
}
