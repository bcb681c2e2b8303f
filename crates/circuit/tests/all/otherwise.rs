//! Ways to build a vehicle otherwise, and wires on each other's pins.

use crate::common::volts;
use spannung_circuit::otherwise::{self, Way};
use spannung_circuit::state::{Battery, Key, Throttle, Wheel};
use spannung_circuit::*;

fn ridden() -> VehicleState {
    VehicleState {
        battery: Battery::In,
        key: Key::On,
        wheel: Wheel::Lifted,
        throttle: Throttle::Full,
        ..VehicleState::default()
    }
}

fn ways(id: &str) -> (Profile, Netlist, Vec<Way>) {
    let profile = Profile::new(&Family::shipped(id).unwrap(), &[]).unwrap();
    let net = profile.netlist().unwrap();
    let ways = otherwise::ways(&profile, &net).unwrap();
    (profile, net, ways)
}

/// A circuit that is laid over another's places reads the same at each of its own points.
#[test]
fn laid_over_another_it_is_the_same_circuit() {
    let mut compared = 0;
    for id in ["gh48", "dd48", "md36", "ks36", "db72", "ssb36"] {
        let (_, net, ways) = ways(id);
        for way in &ways {
            assert_eq!(
                &way.net.nodes[..net.nodes.len()],
                &net.nodes[..],
                "{id} {}",
                way.id
            );
            for (a, b) in way.net.elements.iter().zip(&net.elements) {
                assert_eq!(a.id, b.id, "{id} {}", way.id);
            }
            let own = way.profile.netlist().unwrap();
            let (here, there) = (
                Circuit::compile(&own, &[], &[]).solve(&ridden(), 0, &[], &[]),
                Circuit::compile(&way.net, &[], &[]).solve(&ridden(), 0, &[], &[]),
            );
            let minus = own.find("C0").unwrap();
            let ground = way.net.find("C0").unwrap();
            for (k, name) in own.nodes.iter().enumerate() {
                let there = there.volts[way.net.find(name).unwrap()] - there.volts[ground];
                let here = here.volts[k] - here.volts[minus];
                assert!(
                    (here - there).abs() < 1e-3,
                    "{id} {} {name}: {here} {there}",
                    way.id
                );
                compared += 1;
            }
        }
    }
    assert!(compared > 3000, "{compared}");
}

#[test]
fn what_was_looked_at_is_assumed_no_longer() {
    let family = Family::shipped("dd48").unwrap();
    let of = |changes: &[Change]| {
        let profile = Profile::new(&family, changes).unwrap();
        let net = profile.netlist().unwrap();
        let ways = otherwise::ways(&profile, &net).unwrap();
        let slots: Vec<String> = ways
            .iter()
            .filter_map(|w| Some(w.id.split_once('=')?.0.to_owned()))
            .collect();
        slots
    };
    let slot = |slots: &[String], id: &str| slots.iter().any(|s| s == id);
    let open = of(&[]);
    for id in ["controller", "throttle", "brake-left", "display"] {
        assert!(slot(&open, id), "{id}: {open:?}");
    }
    let there = family.build.in_slot("throttle").unwrap().kind.clone();
    let seen = Change::Component {
        slot: "throttle".into(),
        kind: Some(there),
    };
    let left = of(&[seen]);
    assert!(
        !slot(&left, "throttle") && slot(&left, "controller"),
        "{left:?}"
    );
}

/// Both levers of a maker are alike: a way changes both.
#[test]
fn twins_are_changed_together() {
    let (_, _, ways) = ways("gh48");
    let opens = ways
        .iter()
        .find(|w| w.id == "brake-left=lever-that-opens")
        .unwrap();
    let slots: Vec<&str> = opens
        .changes
        .iter()
        .filter_map(|c| match c {
            Change::Component { slot, .. } => Some(slot.as_str()),
            _ => None,
        })
        .collect();
    assert_eq!(slots, ["brake-left", "brake-right"]);
    assert_eq!(opens.profile.normally_closed, ["brake-left", "brake-right"]);
    assert!(!opens.look.is_empty());
    assert!(otherwise::known(&opens.id) && otherwise::known("halls-at-12"));
    assert!(!otherwise::known("brake-left=six-step") && !otherwise::known("nothing"));
}

/// Supply and signal of the throttle on each other's pins: the sensor's supply hangs on the controller's input, which holds
/// it near ground, so that the sensor does nothing; the rail stands on its output.
#[test]
fn crossed_wires_end_on_each_others_pins() {
    let (profile, net, _) = ways("gh48");
    let cases = FaultBook::shipped().unwrap().cases(&profile, &net).unwrap();
    let crossed = cases
        .iter()
        .find(|c| c.key == "har-crossed:throttle.1.3")
        .unwrap();
    assert!(
        crossed.name.contains("5 V supply and throttle signal"),
        "{}",
        crossed.name
    );
    let state = ridden();
    let at = |effects: &[Effect], red: &str| volts(&net, effects, &state, red, "GND");
    // sound: the rail (4.95 V behind 0.05 Ω a milliampere) at the sensor's supply, 0.78 of it at full throttle
    assert!((at(&[], "THR.5") - 4.85).abs() < 0.1);
    assert!((at(&[], "THR.S") - 4.85 * 0.78).abs() < 0.1);
    // crossed: the rail stands on the output, the supply lies on the input and its pull-down
    assert!((at(&crossed.effects, "THR.S") - 4.85).abs() < 0.2);
    assert!(at(&crossed.effects, "THR.5") < 2.0);
    // every two wires of the plug but those that are alike
    let pairs = cases
        .iter()
        .filter(|c| c.key.starts_with("har-crossed:throttle"))
        .count();
    let wires = profile.family.strand("throttle").unwrap().wires.len();
    assert_eq!(pairs, wires * (wires - 1) / 2);
    assert!(
        !cases
            .iter()
            .any(|c| c.key.starts_with("har-crossed:brake-left"))
    );
    assert!(!cases.iter().any(|c| c.key == "har-crossed:halls.3.4"));
    // one wire more that leads nowhere crosses nothing
    let more = Change::ExtraWire {
        strand: "lamp".into(),
        code: "GY".into(),
        function: "not known".into(),
    };
    let profile = profile.with(&more).unwrap();
    let net = profile.netlist().unwrap();
    let cases = FaultBook::shipped().unwrap().cases(&profile, &net).unwrap();
    assert!(!cases.iter().any(|c| c.key.starts_with("har-crossed:lamp")));
}
