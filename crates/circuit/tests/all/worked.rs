//! Worked numbers: each expected figure is computed by hand in the comment beside it.

use spannung_circuit::build::Shelf;
use spannung_circuit::meter::{Meter, Mode, pair};
use spannung_circuit::netlist::{Condition, Element, Netlist, Part};
use spannung_circuit::state::{Battery, Charger, Direction, Foot, Key, Range, Throttle, Wheel};
use spannung_circuit::*;

fn close(a: f64, b: f64, tolerance: f64) {
    assert!((a - b).abs() <= tolerance, "{a} is not {b} ± {tolerance}");
}

fn source(net: &mut Netlist, id: &str, plus: &str, minus: &str, volts: f64, ohms: f64) {
    let (a, b) = (net.node(plus), net.node(minus));
    let when = Condition::default();
    net.add(Element {
        id: id.into(),
        a,
        b,
        c: b,
        part: Part::Source { volts, ohms, when },
        spread: 0.0,
        plug: None,
    });
}

fn read(net: &Netlist, circuit: &Circuit, red: &str, black: &str) -> f64 {
    let s = circuit.solve(&VehicleState::default(), 0, &[], &[]);
    let meter = Meter {
        mode: Mode::Volts,
        pair: pair(net, red, black).unwrap(),
        shunt_ohms: None,
        element: None,
    };
    match meter.read(circuit, &s) {
        meter::Shown::Value(v) => v,
        meter::Shown::OverRange => f64::NAN,
    }
}

#[test]
fn divider() {
    let mut net = Netlist::default();
    source(&mut net, "v", "p", "n", 12.0, 1.0);
    net.resistor("r1", "p", "m", 999.0, 0.0);
    net.resistor("r2", "m", "n", 2000.0, 0.0);
    let c = Circuit::compile(&net, &[], &[]);
    // 12 V · 2000 / (1 + 999 + 2000) = 8 V; seen through 2000 ∥ 1000 = 666.7 Ω: loading 0.53 mV
    close(
        read(&net, &c, "m", "n"),
        8.0 * 10e6 / (10e6 + 2000.0 * 1000.0 / 3000.0),
        1e-9,
    );
}

/// What the rest of a circuit has between the ends of an element: what ohms put in there have across them follows from it and
/// from what the element carries.
#[test]
fn ohms_apart() {
    let mut net = Netlist::default();
    source(&mut net, "v", "p", "n", 12.0, 1.0);
    net.resistor("r1", "p", "m", 999.0, 0.0);
    net.resistor("r2", "m", "n", 2000.0, 0.0);
    net.resistor("r3", "m", "n", 3000.0, 0.0);
    net.resistor("far", "x", "y", 50.0, 0.0);
    let c = Circuit::compile(&net, &[], &[]);
    let s = c.solve(&VehicleState::default(), 0, &[], &[]);
    let of = |id: &str| net.element(id).unwrap();
    // beside r2: 3000 ∥ (1 + 999) = 750 Ω; beside r1: 1 + 2000 ∥ 3000 = 1201 Ω; beside the source the same and 999 more
    close(c.ohms_apart(&s, of("r2")), 750.0, 1e-6);
    close(c.ohms_apart(&s, of("r1")), 1201.0, 1e-6);
    close(c.ohms_apart(&s, of("v")), 999.0 + 1200.0, 1e-6);
    // nothing else hangs there
    assert!(c.ohms_apart(&s, of("far")) > 1e8);
    close(c.own_ohms(&s, of("far")), 50.0, 1e-9);
    // 5000 Ω more in r1: 12 V · 5000 / (1 + 999 + 5000 + 1200) across them
    let (amps, beside) = (c.amps(&s, of("r1")), 999.0 + 1201.0);
    close(amps, 12.0 / 2200.0, 1e-12);
    let across = amps * beside * 5000.0 / (beside + 5000.0);
    close(across, 12.0 * 5000.0 / 7200.0, 1e-9);
}

/// A meter that joins what was apart is put on what was solved without it.
#[test]
fn a_load_that_joins_two_islands() {
    let mut net = Netlist::default();
    source(&mut net, "v", "p", "n", 12.0, 1.0);
    net.resistor("r1", "p", "m", 999.0, 0.0);
    net.resistor("r2", "x", "y", 2000.0, 0.0);
    let [m, n, x, y] = ["m", "n", "x", "y"].map(|name| net.node(name));
    let whole = Circuit::compile(&net, &[], &[(m, x)]);
    let open = Circuit::compile(&net, &[Effect::Open(1)], &[(m, x)]);
    for (circuit, fed) in [(&whole, true), (&open, false)] {
        let (state, draw) = (VehicleState::default(), circuit.draw(&[]));
        let bare = circuit.solve_drawn(&state, 0, &draw, &[], None);
        assert_ne!(bare.island[m], bare.island[x]);
        let load = [spannung_circuit::solve::Extra::Load(m, x, 3000.0)];
        let loaded = circuit.solve_drawn(&state, 0, &draw, &load, Some(&bare));
        assert_eq!(loaded.island[m], loaded.island[y]);
        assert_eq!(loaded.island[n] == loaded.island[y], fed);
        if fed {
            // nothing draws: all 12 V reach the far end
            close(loaded.volts[y] - loaded.volts[n], 12.0, 1e-9);
        }
    }
}

#[test]
fn meter_loading() {
    let mut net = Netlist::default();
    source(&mut net, "v", "p", "n", 10.0, 1e-3);
    net.resistor("leak", "p", "x", 10e6, 0.0);
    net.resistor("far", "x", "y", 1.0, 0.0);
    let c = Circuit::compile(&net, &[], &[]);
    // 10 MΩ of leak against the meter's 10 MΩ: half of 10 V
    close(read(&net, &c, "y", "n"), 5.0, 1e-5);
}

#[test]
fn islands_read_nothing() {
    let mut net = Netlist::default();
    source(&mut net, "v", "p", "n", 10.0, 1.0);
    net.resistor("else", "a", "b", 10.0, 0.0);
    let c = Circuit::compile(&net, &[], &[]);
    close(read(&net, &c, "p", "a"), 0.0, 0.0);
    let s = c.solve(&VehicleState::default(), 0, &[], &[]);
    assert_eq!(c.source_ohms(&s, 0, net.find("a").unwrap()), None);
}

struct Bike {
    profile: Profile,
    net: Netlist,
}

fn bike() -> Bike {
    let family = Family::shipped("gh48").unwrap();
    let profile = Profile::new(&family, &[]).unwrap();
    let net = profile.netlist().unwrap();
    Bike { profile, net }
}

fn live() -> VehicleState {
    VehicleState {
        battery: Battery::In,
        key: Key::On,
        wheel: Wheel::Lifted,
        ..VehicleState::default()
    }
}

impl Bike {
    fn faulty(&self, effects: &[Effect]) -> Circuit {
        Circuit::compile(&self.net, effects, &[])
    }
    fn volts(&self, c: &Circuit, state: &VehicleState, step: u8, red: &str, black: &str) -> f64 {
        let s = c.solve(state, step, &[], &[]);
        let meter = Meter {
            mode: Mode::Volts,
            pair: pair(&self.net, red, black).unwrap(),
            shunt_ohms: None,
            element: None,
        };
        meter.read(c, &s).capped(Mode::Volts)
    }
    fn node(&self, name: &str) -> usize {
        self.net.find(name).unwrap()
    }
    fn element(&self, id: &str) -> usize {
        self.net.element(id).unwrap()
    }
}

/// A vehicle with what can break on it.
type Made = (Profile, Netlist, Vec<FaultCase>);

/// For every component kind that no ready build has, the first ready build that takes it, with it in place.
fn with_every_kind() -> Vec<Made> {
    let book = FaultBook::shipped().unwrap();
    let shelf = Shelf::shipped().unwrap();
    let families: Vec<Family> = spannung_circuit::family::shipped()
        .into_iter()
        .map(|(file, text)| Family::parse(file, text).unwrap())
        .collect();
    let ready = |kind: &str| {
        let mut all = families.iter().flat_map(|f| &f.build.components);
        all.any(|c| c.kind == kind)
    };
    let with = |slot: &str, kind: &str| {
        families.iter().find_map(|family| {
            let mut build = family.build.clone();
            build.swap(slot, Some(kind), shelf).ok()?;
            let profile = Profile::new(&build.family(shelf).ok()?, &[]).ok()?;
            let net = profile.netlist().ok()?;
            let cases = book.cases(&profile, &net).unwrap();
            Some((profile, net, cases))
        })
    };
    let fits = shelf.slots.iter().flat_map(|slot| {
        let kinds = shelf.fitting(slot.id.get_ref()).into_iter();
        kinds.map(move |kind| (slot.id.get_ref(), kind.id.get_ref()))
    });
    fits.filter(|(_, kind)| !ready(kind))
        .map(|(slot, kind)| with(slot, kind).unwrap_or_else(|| panic!("{kind} goes nowhere")))
        .collect()
}

/// Every family that ships, built.
fn shipped() -> Vec<Made> {
    let book = FaultBook::shipped().unwrap();
    spannung_circuit::family::shipped()
        .into_iter()
        .map(|(file, text)| {
            let profile = Profile::new(&Family::parse(file, text).unwrap(), &[]).unwrap();
            let net = profile.netlist().unwrap();
            let cases = book.cases(&profile, &net).unwrap();
            (profile, net, cases)
        })
        .collect()
}

#[test]
fn the_families_are_of_working_size() {
    for (profile, net, cases) in shipped() {
        let id = &profile.family.id;
        assert!(net.nodes.len() >= 40, "{id}: {} nodes", net.nodes.len());
        assert!(cases.len() >= 100, "{id}: {} cases", cases.len());
    }
}

#[test]
fn every_shipped_fault_has_a_case_and_every_case_changes_something() {
    let mut vehicles = shipped();
    vehicles.extend(with_every_kind());
    for fault in &FaultBook::shipped().unwrap().faults {
        let id = fault.id.get_ref();
        let mine: Vec<_> = vehicles
            .iter()
            .flat_map(|(_, _, cases)| cases)
            .filter(|c| &c.fault == id)
            .collect();
        assert!(!mine.is_empty(), "{id}: an element name is wrong");
        for case in mine {
            assert!(
                !case.effects.is_empty() || !case.signs.is_empty(),
                "{} does nothing",
                case.key
            );
        }
    }
}

/// Volts between two points of a sound vehicle, and with a fault.
fn volts_of(id: &str, fault: Option<&str>, state: &VehicleState, plus: &str, minus: &str) -> f64 {
    let (_, net, cases) = shipped().into_iter().find(|f| f.0.family.id == id).unwrap();
    let effects = fault.map_or(Vec::new(), |key| {
        let case = cases.iter().find(|c| c.key == key);
        case.unwrap_or_else(|| panic!("no {key}")).effects.clone()
    });
    let circuit = Circuit::compile(&net, &effects, &[]);
    let s = circuit.solve(state, 0, &[], &[]);
    let (a, b) = (net.find(plus).unwrap(), net.find(minus).unwrap());
    if s.island[a] == s.island[b] {
        s.volts[a] - s.volts[b]
    } else {
        0.0
    }
}

/// 3 · 12.6 V; low-side switch: at rest both motor wires stand at the feed, driving the return goes to ground. A motor
/// that spins free: 37.8 V over 12 + 0.21 Ω.
#[test]
fn the_seated_scooter_switches_the_minus() {
    let drive = VehicleState {
        throttle: Throttle::Full,
        wheel: Wheel::Lifted,
        ..live()
    };
    let at =
        |fault, state: &VehicleState, plus, minus| volts_of("ssb36", fault, state, plus, minus);
    close(at(None, &live(), "A1", "GND"), 37.8, 0.1);
    close(at(None, &live(), "A2", "GND"), 37.8, 0.15);
    close(at(None, &drive, "A2", "GND"), 37.8 / 12.21 * 0.006, 0.01);
    // 3 A through 0.12 Ω of blocks, fuse, leads and relay
    close(at(None, &drive, "MA1", "MA2"), 37.8 - 3.0 * 0.12, 0.1);
    // a shorted switch drives with the throttle shut; an open one never does
    assert!(at(Some("ctl-br-fet-short"), &live(), "A2", "GND") < 1.0);
    assert!(at(Some("ctl-br-fet-open"), &drive, "A2", "GND") > 30.0);
    // key off: the relay lets go
    close(
        at(
            None,
            &VehicleState {
                battery: Battery::In,
                ..VehicleState::default()
            },
            "A1",
            "GND",
        ),
        0.0,
        0.1,
    );
    // one block left out
    close(at(Some("sla-miswired:2#2"), &live(), "P+", "P-"), 25.2, 0.1);
}

/// High: each motor gets the whole feed; low: half of it; released: shorted through the foot switch.
#[test]
fn the_toy_runs_by_its_switches() {
    let drive = |direction, range| VehicleState {
        foot: Foot::Down,
        wheel: Wheel::Lifted,
        direction,
        range,
        ..live()
    };
    let at = |fault, state: &VehicleState, plus, minus| volts_of("rt12", fault, state, plus, minus);
    let high = drive(Direction::Forward, Range::High);
    let low = drive(Direction::Forward, Range::Low);
    let back = drive(Direction::Reverse, Range::High);
    // both motors together 3.7 A through 0.27 Ω of battery, breaker, switches and leads
    close(at(None, &high, "ML+", "ML-"), 12.6 - 3.7 * 0.27, 0.1);
    close(
        at(None, &low, "ML+", "ML-"),
        (12.6 - 1.0 * 0.27) / 2.0,
        0.15,
    );
    close(at(None, &back, "ML+", "ML-"), -(12.6 - 3.7 * 0.27), 0.1);
    close(at(None, &live(), "ML+", "ML-"), 0.0, 0.01);
    // an open motor in low range: nothing flows, the whole feed stands across it
    let open = Some("rt-one-motor:armature-left");
    close(at(open, &low, "ML+", "ML-"), 12.6, 0.1);
    close(at(open, &low, "MR+", "MR-"), 0.0, 0.01);
}

/// 20 · 3.85 V. The bus charges through 220 Ω, then the controller pulls the coil; without the resistor it never does.
#[test]
fn the_dirt_bike_pulls_its_contactor() {
    let at = |fault, plus, minus| volts_of("db72", fault, &live(), plus, minus);
    close(at(None, "CAP+", "GND"), 77.0, 0.2);
    close(at(None, "VB+", "CT+"), 0.0, 0.01);
    // 0.5 A of all users on the pack's 60 mΩ and the key line's 0.2 Ω before it, 0.18 A on the 0.7 Ω of its leads and driver
    close(at(None, "K+", "K-"), 76.75, 0.15);
    assert!(at(Some("pre-open"), "CAP+", "GND") < 1.0);
    // coil open: the bus hangs on the precharge resistor, 22 kΩ of bleed and the dividers of the bridge
    let hanging = at(Some("ctr-coil-open"), "VB+", "CT+");
    assert!(
        (0.5..5.0).contains(&hanging),
        "{hanging} V across the contactor"
    );
    // second channel half of the first
    let first = at(None, "THR", "GND");
    close(at(None, "THR2", "GND"), first / 2.0, 0.03);
    // 2 A through 50 mΩ of its own plug and run
    close(at(None, "V12", "GND"), 12.6 - 0.1, 0.05);
}

#[test]
fn healthy_bike_reads_as_its_sheet_says() {
    let b = bike();
    let c = b.faulty(&[]);
    // 13 · 3.85 V = 50.05 V less a few millivolts in the leads
    close(b.volts(&c, &live(), 0, "VB+", "GND"), 50.05, 0.1);
    close(b.volts(&c, &live(), 0, "V5", "GND"), 4.85, 0.01);
    // hall throttle: 0.17 and 0.78 of its own supply
    close(b.volts(&c, &live(), 0, "THR", "GND"), 0.17 * 4.85, 0.02);
    let full = VehicleState {
        throttle: Throttle::Full,
        ..live()
    };
    close(b.volts(&c, &full, 0, "THR", "GND"), 0.78 * 4.85, 0.05);
    close(b.volts(&c, &live(), 0, "BRL", "GND"), 4.85, 0.02);
}

#[test]
fn hall_pull_up_and_open_wire() {
    let b = bike();
    let turned = VehicleState {
        wheel: Wheel::Turned,
        ..live()
    };
    let c = b.faulty(&[]);
    // low: 4.85 V · 60 Ω / (4700 + 60) = 61 mV plus the drop of the ground lead
    let low = b.volts(&c, &turned, 3, "HA", "GND");
    close(low, 4.85 * 60.0 / 4760.0, 0.01);
    close(b.volts(&c, &turned, 0, "HA", "GND"), 4.85, 0.02);
    let open = b.faulty(&[Effect::Open(b.element("halls.4.lead"))]);
    for step in 0..6 {
        close(b.volts(&open, &turned, step, "HA", "GND"), 4.85, 0.02);
    }
}

#[test]
fn loaded_regulator_limits_its_current() {
    let b = bike();
    let c = b.faulty(&[Effect::Bridge(b.node("V5"), b.node("GND"), 10.0)]);
    // 0.12 A into 10 Ω, with the sensors in parallel a little less than 1.2 V
    let v = b.volts(&c, &live(), 0, "V5", "GND");
    assert!((1.0..1.2).contains(&v), "{v}");
}

#[test]
fn tripped_protection_shows_a_phantom() {
    let b = bike();
    let net = &b.net;
    let c = Circuit::compile(
        net,
        &[Effect::Force(b.element("bms-discharge"), false)],
        &[(b.node("P+"), b.node("P-"))],
    );
    let out = VehicleState {
        apart: ["dock".to_string()].into(),
        ..VehicleState::default()
    };
    // through the 8 MΩ leak of the open switch a 10 MΩ meter sees 10/18 of the pack …
    close(b.volts(&c, &out, 0, "P+", "P-"), 50.05 * 10.0 / 18.0, 0.05);
    // … and with 10 kΩ across the tips next to nothing: 50.05 · 10k/8.01M = 62 mV
    let meter = Meter {
        mode: Mode::Volts,
        pair: pair(net, "P+", "P-").unwrap(),
        shunt_ohms: Some(10e3),
        element: None,
    };
    let loaded = meter.measure(&c, &out, 0, &c.draw(&[])).capped(Mode::Volts);
    close(loaded, 50.05 * 10e3 / 8.01e6, 0.001);
}

#[test]
fn charge_passes_the_open_discharge_switch_by_its_diode() {
    let b = bike();
    let c = b.faulty(&[Effect::Force(b.element("bms-discharge"), false)]);
    let charging = VehicleState {
        charger: Charger::Plugged,
        ..VehicleState::default()
    };
    let s = c.solve(&charging, 0, &[], &[]);
    // (54.6 − 50.05 − 0.65) V / about 1.9 Ω of charger, lead, port and cells
    let amps = c.amps(&s, b.element("charge-port-plus")).abs();
    assert!((1.8..2.4).contains(&amps), "{amps}");
}

#[test]
fn winding_and_bridge_measurements() {
    let b = bike();
    let pairs = [(b.node("GND"), b.node("PU"))];
    let c = Circuit::compile(&b.net, &[], &pairs);
    let out = VehicleState {
        apart: ["dock".to_string(), "motor".to_string()].into(),
        ..VehicleState::default()
    };
    let s = c.solve(&out, 0, &[], &[]);
    // two windings of 60 mΩ and two leads of 12 mΩ
    let ohms = c
        .source_ohms(&s, b.node("phase.1.d"), b.node("phase.2.d"))
        .unwrap();
    close(ohms, 0.144, 1e-6);
    let diode = |red: &str, black: &str, c: &Circuit| {
        let meter = Meter {
            mode: Mode::Diode,
            pair: pair(&b.net, red, black).unwrap(),
            shunt_ohms: None,
            element: None,
        };
        meter.measure(c, &out, 0, &c.draw(&[]))
    };
    close(diode("GND", "PU", &c).capped(Mode::Diode), 0.47, 0.01);
    let short = Circuit::compile(
        &b.net,
        &[Effect::Bridge(b.node("PU"), b.node("GND"), 0.3)],
        &pairs,
    );
    assert!(diode("GND", "PU", &short).capped(Mode::Diode) < 0.01);
}

#[test]
fn a_person_sees_what_the_circuit_says() {
    let b = bike();
    let book = FaultBook::shipped().unwrap();
    let cases = book.cases(&b.profile, &b.net).unwrap();
    let sees = |key: &str, sign: &str| {
        let case = cases.iter().find(|c| c.key == key);
        assert!(case.is_some() || key.is_empty(), "no case {key}");
        let c = Circuit::compile(&b.net, case.map_or(&[], |c| &c.effects), &[]);
        let scene = behaviour::Scene::of(&b.profile, &b.net, &c, case);
        scene.observe(sign, &VehicleState::default()).unwrap()
    };
    for (key, sign, value) in [
        ("", "motor", "smooth"),
        ("", "assist", "works"),
        ("", "display", "lit"),
        ("", "lamp", "lit"),
        ("", "brake_sign", "off"),
        ("", "drag_in", "free"),
        ("", "drag_out", "free"),
        ("", "speed_shown", "right"),
        ("thr-sig-open", "motor", "silent"),
        ("thr-sig-open", "assist", "works"),
        ("thr-magnet", "motor", "slow"),
        ("brk-stuck:left", "brake_sign", "on"),
        ("brk-stuck:left", "motor", "silent"),
        ("hall-5v", "motor", "buzzes"),
        ("hall-lo:b", "motor", "rough"),
        ("ph-open:phase.2.pin", "motor", "buzzes"),
        ("ctl-fet-lo-short:U", "drag_in", "notchy"),
        ("ph-short:MU MV", "drag_out", "drags"),
        ("pas-dead", "assist", "dead"),
        ("pas-dead", "motor", "smooth"),
        ("disp-button", "display", "dark"),
        ("batt-fuse-open", "display", "dark"),
        ("ctl-5v-dead", "motor", "silent"),
        ("spd-dead", "speed_shown", "none"),
        ("lmp-open", "lamp", "dark"),
    ] {
        assert_eq!(sees(key, sign), value, "{key} {sign}");
    }
}

#[test]
fn a_normally_closed_brake_drives_when_joined_and_stops_when_squeezed() {
    let family = Family::shipped("gh48").unwrap();
    let change = Change::NormallyClosedBrake {
        strand: "brake-left".into(),
    };
    let profile = Profile::new(&family, &[change]).unwrap();
    let net = profile.netlist().unwrap();
    let c = Circuit::compile(&net, &[], &[]);
    let scene = behaviour::Scene::of(&profile, &net, &c, None);
    assert_eq!(scene.observe("motor", &live()).unwrap(), "smooth");
    let apart = VehicleState {
        apart: ["brake-left".to_string()].into(),
        ..live()
    };
    assert_eq!(scene.observe("motor", &apart).unwrap(), "silent");
}

#[test]
fn bad_family_files_name_their_line() {
    let (_, shipped) = spannung_circuit::family::shipped()[0];
    let text = shipped.replace("slot = \"throttle\"", "slot = \"throtle\"");
    let error = Family::parse("mine.toml", &text).unwrap_err().to_string();
    assert!(error.starts_with("mine.toml, line "), "{error}");
    assert!(error.contains("throtle"), "{error}");
}
