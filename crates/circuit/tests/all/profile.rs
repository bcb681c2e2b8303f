//! This vehicle unlike its family: what each change does to the circuit, and what is refused.

use spannung_circuit::behaviour::Scene;
use spannung_circuit::solve::{Lane, Moment};
use spannung_circuit::state::{Battery, Key, Wheel};
use spannung_circuit::*;

fn family(id: &str) -> Family {
    Family::shipped(id).unwrap()
}

fn with(id: &str, changes: &[Change]) -> Profile {
    Profile::new(&family(id), changes).unwrap()
}

fn live() -> VehicleState {
    VehicleState {
        battery: Battery::In,
        key: Key::On,
        wheel: Wheel::Lifted,
        ..VehicleState::default()
    }
}

fn volts(profile: &Profile, state: &VehicleState, plus: &str, minus: &str) -> f64 {
    let net = profile.netlist().unwrap();
    let circuit = Circuit::compile(&net, &[], &[]);
    let s = circuit.solve(state, 0, &[], &[]);
    s.volts[net.find(plus).unwrap()] - s.volts[net.find(minus).unwrap()]
}

fn pack(groups: usize, chemistry: &str, amp_hours: f64) -> Change {
    Change::Pack {
        groups,
        chemistry: Some(chemistry.into()),
        parallel: None,
        amp_hours: Some(amp_hours),
    }
}

#[test]
fn a_pack_of_other_cells_has_their_volts_and_limits() {
    let lfp = with("gh48", &[pack(16, "lfp", 28.0)]);
    let rest = VehicleState::default();
    assert!((volts(&lfp, &rest, "CS", "C0") - 16.0 * 3.29).abs() < 0.01);
    assert!((lfp.family.full_volts() - 58.4).abs() < 1e-9);
    assert!((lfp.family.floor_volts() - 32.0).abs() < 1e-9);
    // twice the capacity of the family's 14 Ah: half the resistance
    let ohms = |p: &Profile| p.family.cells.ohms;
    assert!((ohms(&lfp) - ohms(&with("gh48", &[])) / 2.0).abs() < 1e-12);
}

#[test]
fn a_figure_of_a_label_reaches_its_part() {
    let figure = |figure: &str, value| Change::Figure {
        figure: figure.into(),
        value,
    };
    let p = with(
        "gh48",
        &[figure("charger", 58.8), figure("pack-fuse", 15.0)],
    );
    let part = |p: &Profile, id: &str| {
        let part = p.family.parts.iter().find(|x| x.id.get_ref() == id);
        part.unwrap().clone()
    };
    assert_eq!(part(&p, "charger").volts, Some(58.8));
    // half the rating, twice the ohms
    let usual = part(&with("gh48", &[]), "pack-fuse").ohms.unwrap();
    assert!((part(&p, "pack-fuse").ohms.unwrap() - 2.0 * usual).abs() < 1e-12);
    // a cut-off above the pack keeps it from driving
    let high = with("gh48", &[figure("cutoff", 60.0)]);
    let net = high.netlist().unwrap();
    let circuit = Circuit::compile(&net, &[], &[]);
    let scene = Scene::of(&high, &net, &circuit, None);
    assert_eq!(scene.observe("motor", &live()).unwrap(), "silent");
}

#[test]
fn thinner_wires_and_other_pins_are_still_the_same_device() {
    let gauge = Change::Gauge {
        strand: "throttle".into(),
        mm2: 0.11,
    };
    let thin = with("gh48", &[gauge]);
    let ohms = |p: &Profile| p.family.strand("throttle").unwrap().run_ohms;
    assert!((ohms(&thin) - 2.0 * ohms(&with("gh48", &[]))).abs() < 1e-12);
    let order = Change::Order {
        strand: "throttle".into(),
        pins: vec![3, 1, 2],
    };
    let turned = with("gh48", &[order]);
    let strand = turned.family.strand("throttle").unwrap();
    let carries: Vec<&str> = strand.wires.iter().map(|w| w.function.as_str()).collect();
    assert_eq!(carries, ["signal ground", "throttle signal", "5 V supply"]);
    assert_eq!(strand.reference, 1);
    // by what it carries the signal is found on its new pin
    let net = turned.netlist().unwrap();
    let named = net.element("throttle.throttle-signal.run").unwrap();
    assert_eq!(net.elements[named].id, "throttle.2.run");
}

#[test]
fn halls_at_sixty_degrees_turn_the_motor_of_a_controller_that_knows_them() {
    let sixty = with("gh48", &[Change::HallSpacing { degrees: 60 }]);
    let net = sixty.netlist().unwrap();
    let circuit = Circuit::compile(&net, &[], &[]);
    let scene = Scene::of(&sixty, &net, &circuit, None);
    assert_eq!(scene.observe("motor", &live()).unwrap(), "smooth");
    // the middle line reads the other way round
    let state = live();
    let line = |p: &Profile| volts(p, &state, "HB", "GND") > 2.0;
    assert_ne!(line(&sixty), line(&with("gh48", &[])));
}

#[test]
fn a_second_pack_feeds_the_bus_when_the_first_is_flat() {
    let alter = |present| Change::Alteration {
        id: "second-pack".into(),
        present,
    };
    let two = with("gh48", &[alter(true)]);
    let net = two.netlist().unwrap();
    let open = Effect::Open(net.element("pack-fuse").unwrap());
    let circuit = Circuit::compile(&net, &[open], &[]);
    let s = circuit.solve(&live(), 0, &[], &[]);
    let feed = s.volts[net.find("VB+").unwrap()] - s.volts[net.find("GND").unwrap()];
    assert!(feed > 45.0, "{feed}");
    // and it goes again
    let none = with("gh48", &[alter(true), alter(false)]);
    assert_eq!(none.family.parts, with("gh48", &[]).family.parts);
    // potting makes the board costly to reach
    let potted = Change::Alteration {
        id: "potted".into(),
        present: true,
    };
    let p = with("gh48", &[potted]);
    assert!(p.family.access["a4"].minutes >= 60.0);
}

#[test]
fn what_cannot_be_is_refused_with_its_range() {
    let refused = |id: &str, change: Change| {
        Profile::new(&family(id), &[change])
            .unwrap_err()
            .to_string()
    };
    let cases = [
        ("gh48", pack(60, "nmc", 10.0), "1 to 40"),
        ("gh48", pack(13, "wood", 10.0), "wood"),
        ("ssb36", pack(12, "nmc", 10.0), "another vehicle"),
        (
            "gh48",
            Change::Figure {
                figure: "charger".into(),
                value: 900.0,
            },
            "12 to 100 V",
        ),
        (
            "gh48",
            Change::Gauge {
                strand: "throttle".into(),
                mm2: 0.0,
            },
            "0.03 to 70",
        ),
        (
            "gh48",
            Change::Order {
                strand: "throttle".into(),
                pins: vec![1, 1, 2],
            },
            "1, 2, 3",
        ),
        ("gh48", Change::HallSpacing { degrees: 90 }, "60 or 120"),
        ("rt12", Change::HallSpacing { degrees: 60 }, "no halls"),
        (
            "rt12",
            Change::Alteration {
                id: "shunt".into(),
                present: true,
            },
            "not found on such a vehicle",
        ),
    ];
    for (id, change, says) in cases {
        let words = format!("{change:?}");
        let sentence = refused(id, change);
        assert!(sentence.contains(says), "{words}: {sentence}");
    }
}

#[test]
fn lanes_come_out_as_if_each_was_solved_alone() {
    let profile = with("db72", &[]);
    let net = profile.netlist().unwrap();
    let book = FaultBook::shipped().unwrap();
    let cases = book.cases(&profile, &net).unwrap();
    let healthy = Circuit::compile(&net, &[], &[]);
    let bridged = |c: &&FaultCase| c.effects.iter().any(|e| matches!(e, Effect::Bridge(..)));
    let (shorts, plain): (Vec<&FaultCase>, Vec<&FaultCase>) = cases.iter().partition(bridged);
    assert!(shorts.len() > 40);
    let some = plain.chunks_exact(8).step_by(5);
    for chunk in some.chain(shorts.chunks_exact(8).step_by(2)) {
        let effects: Vec<&[Effect]> = chunk.iter().map(|c| &*c.effects).collect();
        let circuits = healthy.together(&net, &effects, &[]);
        let draws: [_; 8] = std::array::from_fn(|k| circuits[k].draw(&[]));
        let lanes: [Lane<'_>; 8] = std::array::from_fn(|k| Lane {
            circuit: &circuits[k],
            draw: &draws[k],
            near: None,
        });
        let together = Circuit::solve_lanes(lanes, &Moment::of(&net.elements, &live(), 0), &[]);
        for (k, s) in together.iter().enumerate() {
            let alone = circuits[k].solve(&live(), 0, &[], &[]);
            assert_eq!(s.volts, alone.volts, "{}", chunk[k].key);
            assert_eq!(s.island, alone.island, "{}", chunk[k].key);
            // without the shorts of the others the order is another, the circuit the same
            let own = Circuit::compile(&net, &chunk[k].effects, &[]);
            let own = own.solve(&live(), 0, &[], &[]);
            let near = |(a, b): (&f64, &f64)| (a - b).abs() < 1e-7;
            assert!(own.volts.iter().zip(&s.volts).all(near), "{}", chunk[k].key);
            let ohms = |s| circuits[k].source_ohms(s, 3, 9);
            assert_eq!(ohms(s), ohms(&alone), "{}", chunk[k].key);
        }
    }
}
