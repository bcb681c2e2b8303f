//! Component kinds of which no ready family of old has one: figures worked out by hand.

use crate::common::volts;
use spannung_circuit::around::Shape;
use spannung_circuit::behaviour::Scene;
use spannung_circuit::build::Build;
use spannung_circuit::state::{Battery, Brake, Direction, Foot, Key, Throttle, Wheel};
use spannung_circuit::*;

fn built(id: &str, swaps: &[(&str, Option<&str>)]) -> (Profile, Netlist) {
    let shelf = Shelf::shipped().unwrap();
    let mut build: Build = Family::shipped(id).unwrap().build;
    for (slot, kind) in swaps {
        build.swap(slot, *kind, shelf).unwrap();
    }
    let profile = Profile::new(&build.family(shelf).unwrap(), &[]).unwrap();
    let net = profile.netlist().unwrap();
    (profile, net)
}

fn on() -> VehicleState {
    VehicleState {
        battery: Battery::In,
        key: Key::On,
        wheel: Wheel::Lifted,
        ..VehicleState::default()
    }
}

/// 13 groups of 3.85 V are 50.05 V; a diode of 0.42 V and 6 mΩ stands in each pack's plus, and what is on draws some tens of
/// milliamperes: 49.6 V behind them, by both packs or by either alone.
#[test]
fn of_two_packs_behind_diodes_one_feeds_when_the_other_is_gone() {
    let (_, net) = built("du48", &[]);
    let open = |e: &str| Effect::Open(net.element(e).unwrap());
    let bus = |effects: &[Effect]| volts(&net, effects, &on(), "VB+", "GND");
    let gone = open("combiner-first");
    let other = open("other-pack-fuse");
    for effects in [vec![], vec![gone.clone()], vec![other.clone()]] {
        let v = bus(&effects);
        assert!((v - 49.6).abs() < 0.12, "{effects:?} {v}");
    }
    assert!(bus(&[gone, other]) < 1.0);
}

/// Three blocks of 12.6 V: the relays turn 37.8 V round at the motor when the reverse line is pulled down, and only then.
#[test]
fn relays_turn_a_brushed_motor_round() {
    let (_, net) = built(
        "ssb36",
        &[
            ("controller", Some("brushed-reversing")),
            ("reverse", Some("reverse-switch")),
        ],
    );
    let at = |direction, effects: &[Effect]| {
        let state = VehicleState {
            direction,
            throttle: Throttle::Full,
            ..on()
        };
        volts(&net, effects, &state, "A1", "A2")
    };
    let forward = at(Direction::Forward, &[]);
    let reverse = at(Direction::Reverse, &[]);
    assert!((34.0..38.0).contains(&forward), "{forward}");
    assert!((reverse + forward).abs() < 0.3, "{forward} {reverse}");
    // with the reverse line open in its plug it drives forwards all the same
    let line = net.element("reverse.reverse-signal.pin").unwrap();
    let open = at(Direction::Reverse, &[Effect::Open(line)]);
    assert!((open - forward).abs() < 0.3, "{open}");
}

/// A toy's box: the foot's thin line decides (4.7 kΩ to 4.9 V, some ohms to ground when pressed), and the box gives the motors
/// the battery's 12.6 V less what falls on its way.
#[test]
fn a_toys_box_drives_by_the_foots_signal() {
    let (_, net) = built(
        "rt12",
        &[
            ("direction", None),
            ("range", None),
            ("controller", Some("toy-box")),
            ("reverse", Some("reverse-switch")),
        ],
    );
    let at = |foot, direction, effects: &[Effect], red: &str, black: &str| {
        let state = VehicleState {
            foot,
            direction,
            ..on()
        };
        volts(&net, effects, &state, red, black)
    };
    let line = at(Foot::Up, Direction::Forward, &[], "FTS", "GND");
    assert!((line - 4.9).abs() < 0.15, "{line}");
    assert!(at(Foot::Down, Direction::Forward, &[], "FTS", "GND") < 0.05);
    assert!(at(Foot::Up, Direction::Forward, &[], "A1", "A2").abs() < 0.5);
    let forward = at(Foot::Down, Direction::Forward, &[], "ML+", "ML-");
    let reverse = at(Foot::Down, Direction::Reverse, &[], "ML+", "ML-");
    assert!((11.3..12.7).contains(&forward), "{forward}");
    assert!((reverse + forward).abs() < 0.2, "{reverse}");
    // the foot's line open in its plug: nothing moves
    let open = Effect::Open(net.element("foot.foot-signal.pin").unwrap());
    assert!(at(Foot::Down, Direction::Forward, &[open], "ML+", "ML-").abs() < 0.5);
}

/// 0.6 kΩ of silicon and 1.09 kΩ of platinum in the divider of 10 kΩ from the 5 V rail: 0.28 and 0.49 V, where the thermistor's
/// 11.5 kΩ give 2.67 V.
#[test]
fn sensors_of_temperature_read_by_their_divider() {
    let read = |kind: &str| {
        let (_, net) = built("db72", &[("motor", Some(kind))]);
        let rail = volts(&net, &[], &on(), "V5", "GND");
        volts(&net, &[], &on(), "MT", "GND") / rail
    };
    for (kind, ohms) in [
        ("chain-motor-with-temperature", 11_500.0),
        ("chain-motor-with-silicon-sensor", 600.0),
        ("chain-motor-with-platinum-sensor", 1_090.0),
    ] {
        let part = ohms / (ohms + 10_000.0);
        let is = read(kind);
        assert!((is - part).abs() < 0.012, "{kind}: {is} {part}");
    }
}

/// Every kind that is like another says where it differs, and nothing that it says is lost.
#[test]
fn a_kind_that_is_like_another_keeps_its_own() {
    let shelf = Shelf::shipped().unwrap();
    let kind = |id: &str| shelf.kind(id).unwrap();
    let (own, other) = (kind("sensorless"), kind("six-step"));
    assert_eq!(own.strands, other.strands);
    assert_eq!(own.logic, other.logic);
    assert!(own.traits.contains("sensorless") && !other.traits.contains("sensorless"));
    assert!(!own.offers.contains_key("hall A") && other.offers.contains_key("hall A"));
    assert_eq!(kind("lithium-in-a-bag").cells, kind("lithium-docked").cells);
    assert_ne!(
        kind("lithium-in-a-bag").strands,
        kind("lithium-docked").strands
    );
}

/// A lever's line hangs on 4.7 kΩ from the rail of 4.85 V and on a contact to ground that closes when it is squeezed; a hall line on
/// its pull-up and on a sensor.
#[test]
fn a_line_hangs_between_what_pulls_it_up_and_what_pulls_it_down() {
    let (_, net) = built("gh48", &[]);
    let circuit = Circuit::compile(&net, &[], &[]);
    let squeezed = VehicleState {
        brake: Brake::Left,
        ..on()
    };
    let hangs = |state: &VehicleState, red: &str, black: &str| {
        let s = circuit.solve(state, 0, &[], &[]);
        circuit.around(&s, net.find(red).unwrap(), net.find(black).unwrap())
    };
    for (state, closed) in [(&on(), false), (&squeezed, true)] {
        let all = hangs(
            state,
            "brake-left.brake-signal.c",
            "brake-left.signal-ground.c",
        );
        assert_eq!(all.len(), 2, "{all:?}");
        assert_eq!(
            (all[0].shape, all[1].shape),
            (Shape::Resistor, Shape::Contact)
        );
        assert!((all[0].volts - 4.85).abs() < 0.1, "{all:?}");
        assert!(
            all[1].volts.abs() < 0.05 && all[1].conducts == closed,
            "{all:?}"
        );
    }
    let all = hangs(&on(), "halls.hall-a.c", "halls.hall-ground.c");
    let shapes: Vec<Shape> = all.iter().map(|h| h.shape).collect();
    assert_eq!(shapes, [Shape::Resistor, Shape::Sensor], "{all:?}");
}

/// Disarmed, the lock line stands at the rail's 4.85 V behind 4.7 kΩ; armed, 1 Ω of the alarm and some tenths of an ohm of wire
/// pull it to a millivolt, and nothing drives until the alarm's plug is apart.
#[test]
fn an_armed_alarm_holds_the_drive() {
    let (profile, net) = built("ssl48", &[("alarm", Some("alarm-with-remote"))]);
    let lock = Effect::Force(net.element("alarm-lock").unwrap(), true);
    let apart = VehicleState {
        apart: ["alarm".to_string()].into(),
        ..VehicleState::default()
    };
    for (effects, volts, [joined, unplugged]) in [
        (vec![], 4.85, ["smooth", "smooth"]),
        (vec![lock], 0.0, ["silent", "smooth"]),
    ] {
        let circuit = Circuit::compile(&net, &effects, &[]);
        let s = circuit.solve(&on(), 0, &[], &[]);
        let at = |name: &str| s.volts[net.find(name).unwrap()];
        let line = at("alarm.lock-signal.c") - at("alarm.signal-ground.c");
        assert!((line - volts).abs() < 0.1, "{line} V");
        let scene = Scene::of(&profile, &net, &circuit, None);
        let motor = |state: &VehicleState| scene.observe("motor", state).unwrap();
        assert_eq!(motor(&VehicleState::default()), joined);
        assert_eq!(motor(&apart), unplugged);
    }
}
