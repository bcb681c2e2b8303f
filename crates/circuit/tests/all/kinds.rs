//! Component kinds of which no ready family of old has one: figures worked out by hand.

use crate::common::volts;
use spannung_circuit::around::Shape;
use spannung_circuit::behaviour::Scene;
use spannung_circuit::build::Build;
use spannung_circuit::state::{Battery, Brake, Charger, Direction, Foot, Key, Throttle, Wheel};
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

/// What a fault of the shipped book does on a vehicle, its cases in order.
fn faults(profile: &Profile, net: &Netlist, id: &str) -> Vec<FaultCase> {
    let book = FaultBook::shipped().unwrap();
    let mut cases = book.cases(profile, net).unwrap();
    cases.retain(|c| c.fault == id);
    assert!(!cases.is_empty(), "{id} has no case");
    cases
}

/// A pack that is fit sends 0.9 of its 3.3 V through 470 Ω into 47 kΩ: 2.94 V. Its contact open, or its board silent, the line
/// lies at ground and nothing drives, though the display is lit.
#[test]
fn a_controller_that_hears_no_pack_stays_still() {
    let (profile, net) = built("md36", &[]);
    let at = |effects: &[Effect]| {
        let circuit = Circuit::compile(&net, effects, &[]);
        let scene = Scene::of(&profile, &net, &circuit, None);
        let see = |sign: &str| scene.observe(sign, &VehicleState::default()).unwrap();
        let line = volts(&net, effects, &on(), "PKL", "GND");
        (line, see("motor"), see("display"))
    };
    let (line, motor, display) = at(&[]);
    assert!((line - 2.94).abs() < 0.03, "{line} V");
    assert_eq!((&*motor, &*display), ("smooth", "lit"));
    for case in faults(&profile, &net, "bms-comm") {
        let (line, motor, display) = at(&case.effects);
        assert!(line.abs() < 0.01, "{}: {line} V", case.key);
        assert_eq!((&*motor, &*display), ("silent", "lit"), "{}", case.key);
    }
}

/// The pack's mark of 10 kΩ halves the charger's 5 V: it finds it and charges. Without the mark its line stands at 5 V and the
/// port gets nothing, though charger, leads and fuse are whole: at rest 38.5 V of ten groups stand there, 42 V while charging.
#[test]
fn a_charger_waits_for_the_mark_of_the_pack() {
    let (profile, net) = built("md36", &[]);
    let charging = VehicleState {
        battery: Battery::In,
        charger: Charger::Plugged,
        ..VehicleState::default()
    };
    let line = |effects: &[Effect], point: &str| volts(&net, effects, &charging, point, "CG-");
    assert!((line(&[], "CGD") - 2.5).abs() < 0.05);
    let amps = |effects: &[Effect]| line(effects, "CGI") - line(effects, "CG+");
    assert!(amps(&[]) > 0.05, "{}", amps(&[]));
    let port = &faults(&profile, &net, "chg-id")[0];
    assert!((line(&port.effects, "CGD") - 5.0).abs() < 0.05);
    assert!((line(&port.effects, "CG+") - 38.5).abs() < 0.3);
}

/// A sensor whose contact stays closed pulls 4.85 V behind 4.7 kΩ down through 20 Ω: 0.02 V, and nothing drives until it is apart.
#[test]
fn a_shift_sensor_that_sticks_holds_the_drive() {
    let (profile, net) = built("md48", &[]);
    let stuck = &faults(&profile, &net, "gear-sensor")[0].effects;
    let apart = VehicleState {
        apart: ["shift".to_string()].into(),
        ..VehicleState::default()
    };
    for (effects, line, joined) in [(&vec![], 4.85, "smooth"), (stuck, 0.02, "silent")] {
        let v = volts(&net, effects, &on(), "SFT", "GND");
        assert!((v - line).abs() < 0.1, "{v} V");
        let circuit = Circuit::compile(&net, effects, &[]);
        let scene = Scene::of(&profile, &net, &circuit, None);
        assert_eq!(
            scene.observe("motor", &VehicleState::default()).unwrap(),
            joined
        );
        assert_eq!(scene.observe("motor", &apart).unwrap(), "smooth");
    }
}

/// 13 groups of 3.85 V are 50.05 V. The first pack out of its dock, its contacts show nothing; with the first way shorted the
/// second pack stands there, 0.42 V of its own diode lower. A second pack of 0.86 reads 7.0 V below the first, one of 1.12
/// 6.0 V above it.
#[test]
fn what_two_packs_show_of_each_other() {
    let (profile, net) = built("du48", &[]);
    let empty = VehicleState {
        apart: ["dock".to_string()].into(),
        battery: Battery::In,
        ..VehicleState::default()
    };
    let dock = |effects: &[Effect]| {
        volts(
            &net,
            effects,
            &empty,
            "dock.pack-plus.c",
            "dock.pack-minus.c",
        )
    };
    assert!(dock(&[]).abs() < 1.0);
    let shorted = faults(&profile, &net, "comb-short");
    assert!((dock(&shorted[0].effects) - 49.6).abs() < 0.15);
    assert!(dock(&shorted[1].effects).abs() < 1.0);
    let unlike = faults(&profile, &net, "batt-mismatch");
    let docked = VehicleState {
        battery: Battery::In,
        ..VehicleState::default()
    };
    let apart = |effects: &[Effect]| volts(&net, effects, &docked, "P+", "P2+");
    assert!(apart(&[]).abs() < 0.1);
    assert!((apart(&unlike[0].effects) - 7.0).abs() < 0.2);
    assert!((apart(&unlike[1].effects) + 6.0).abs() < 0.2);
}

/// A selector between its contacts, an anti-spark switch that stays open: no volts behind, all of them across it.
#[test]
fn what_stands_open_in_the_main_lead_keeps_the_volts() {
    let (profile, net) = built("du48", &[("second-pack", Some("selector-of-packs"))]);
    let between = &faults(&profile, &net, "comb-select")[0].effects;
    assert!((volts(&net, &[], &on(), "VB+", "GND") - 50.05).abs() < 0.2);
    assert!(volts(&net, between, &on(), "VB+", "GND") < 6.0);
    let (profile, net) = built("rq48", &[]);
    let open = &faults(&profile, &net, "pwr-antispark")[0].effects;
    assert!(volts(&net, &[], &on(), "ASI", "ASO").abs() < 0.05);
    assert!((volts(&net, open, &on(), "ASI", "ASO") - 50.05).abs() < 0.3);
}

/// The bars' shared ground broken at the parting: the throttle's line follows its supply, above the 4.6 V at which a controller
/// calls it a fault, and no lever cuts; each of the three plugs alone is sound.
#[test]
fn a_shared_core_takes_throttle_and_levers_at_once() {
    let (profile, net) = built("gh48", &[("loom", Some("one-to-four-loom"))]);
    let broken = &faults(&profile, &net, "har-splitter")[0].effects;
    let squeezed = VehicleState {
        brake: Brake::Left,
        ..on()
    };
    let throttle = volts(&net, broken, &on(), "THR", "GND");
    assert!(throttle > 4.0, "{throttle} V");
    let lever = |effects: &[Effect]| volts(&net, effects, &squeezed, "brake-left.1.c", "GND");
    assert!(
        lever(&[]) < 0.5 && lever(broken) > 3.0,
        "{} {}",
        lever(&[]),
        lever(broken)
    );
    let (plain, net) = built("gh48", &[]);
    let book = FaultBook::shipped().unwrap();
    let mut cases = book.cases(&plain, &net).unwrap().into_iter();
    assert!(cases.all(|c| !c.fault.starts_with("har-splitter")));
}

/// An input at which nothing hangs stays up: a brushed motor turns with one lever or with none, and forwards where no switch
/// reverses it.
#[test]
fn a_brake_input_without_a_lever_stops_nothing() {
    for swaps in [
        vec![("brake-right", None)],
        vec![("brake-right", None), ("brake-left", None)],
        vec![("controller", Some("brushed-reversing"))],
    ] {
        let (profile, net) = built("ssb36", &swaps);
        let circuit = Circuit::compile(&net, &[], &[]);
        let scene = Scene::of(&profile, &net, &circuit, None);
        let motor = scene.observe("motor", &VehicleState::default());
        assert_eq!(motor.as_deref(), Some("smooth"), "{swaps:?}");
    }
}
