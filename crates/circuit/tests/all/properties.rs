//! Laws that hold for any circuit, and the requirements of states.

use proptest::prelude::*;
use spannung_circuit::netlist::{Condition, Element, Netlist, Part};
use spannung_circuit::state::{Battery, Key, Throttle, Wheel};
use spannung_circuit::*;

/// A random network of resistors with one source behind a resistance.
fn network() -> impl Strategy<Value = (Netlist, Vec<f64>, f64)> {
    let edges = prop::collection::vec((0usize..9, 0usize..9, 0.001f64..1e6), 4..40);
    (edges, 1.0f64..80.0).prop_map(|(edges, volts)| {
        let mut net = Netlist::default();
        let (a, b) = (net.node("n0"), net.node("n1"));
        net.add(Element {
            id: "source".into(),
            a,
            b,
            c: b,
            part: Part::Source {
                volts,
                ohms: 0.5,
                when: Condition::default(),
            },
            spread: 0.0,
            plug: None,
        });
        let mut ohms = Vec::new();
        for (k, (x, y, r)) in edges.into_iter().enumerate() {
            if x != y {
                net.resistor(&format!("r{k}"), &format!("n{x}"), &format!("n{y}"), r, 0.0);
                ohms.push(r);
            }
        }
        (net, ohms, volts)
    })
}

proptest! {
    /// Kirchhoff: what flows into a node flows out of it.
    #[test]
    fn currents_sum_to_zero_at_every_node((net, _, volts) in network()) {
        let c = Circuit::compile(&net, &[], &[]);
        let s = c.solve(&VehicleState::default(), 0, &[], &[]);
        let mut sum = vec![0.0; net.nodes.len()];
        let mut largest: f64 = 0.0;
        for (k, e) in net.elements.iter().enumerate() {
            let amps = c.amps(&s, k);
            largest = largest.max(amps.abs());
            sum[e.a] -= amps;
            sum[e.b] += amps;
        }
        for (node, rest) in net.nodes.iter().zip(&sum) {
            prop_assert!(rest.abs() < 1e-7 * largest.max(1e-3), "{node}: {rest} of {largest} A at {volts} V");
        }
    }

    /// Reciprocity and symmetry: the resistance between two points is the same from both sides.
    #[test]
    fn resistance_is_the_same_from_both_sides((net, _, _) in network()) {
        let c = Circuit::compile(&net, &[], &[]);
        let s = c.solve(&VehicleState::default(), 0, &[], &[]);
        for a in 0..net.nodes.len() {
            for b in 0..a {
                match (c.source_ohms(&s, a, b), c.source_ohms(&s, b, a)) {
                    (Some(x), Some(y)) => prop_assert!((x - y).abs() <= 1e-6 * x.max(1e-3), "{x} {y}"),
                    (None, None) => {}
                    other => prop_assert!(false, "{other:?}"),
                }
            }
        }
    }

    /// An open element is the same as one that was never there.
    #[test]
    fn an_open_is_a_removal((net, _, _) in network(), pick in 0usize..40) {
        let k = 1 + pick % (net.elements.len() - 1).max(1);
        prop_assume!(k < net.elements.len());
        let open = Circuit::compile(&net, &[Effect::Open(k)], &[]);
        let mut without = Netlist::default();
        for n in &net.nodes {
            without.node(n);
        }
        for (i, e) in net.elements.iter().enumerate() {
            if i != k {
                without.add(e.clone());
            }
        }
        let fresh = Circuit::compile(&without, &[], &[]);
        let state = VehicleState::default();
        let (a, b) = (open.solve(&state, 0, &[], &[]), fresh.solve(&state, 0, &[], &[]));
        prop_assert_eq!(&a.island, &b.island);
        for (x, y) in a.volts.iter().zip(&b.volts) {
            prop_assert!((x - y).abs() < 1e-6 * x.abs().max(1.0), "{} {}", x, y);
        }
    }
}

#[test]
fn a_requirement_brings_what_it_asks_and_puts_the_rest_to_rest() {
    let ask = Requirement {
        battery: Some(Battery::In),
        key: Some(Key::On),
        apart: ["motor".to_string()].into(),
        ..Requirement::default()
    };
    let from = VehicleState {
        throttle: Throttle::Full,
        wheel: Wheel::Turned,
        ..VehicleState::default()
    };
    let state = ask.bring(&from);
    assert_eq!((state.battery, state.key), (Battery::In, Key::On));
    assert_eq!(
        (state.throttle, state.wheel),
        (Throttle::Idle, Wheel::Lifted)
    );
    assert!(state.apart.contains("motor"));
    assert!(
        ask.missing(&state).is_empty(),
        "what was brought is not missing"
    );
    assert_eq!(ask.minutes_from(&state), 0.0);
    let missing = ask.missing(&from);
    assert_eq!(missing, ["battery", "key", "wheel", "throttle", "plugs"]);
    assert!(ask.minutes_from(&from) > 1.0);
}

#[test]
fn a_pack_out_switches_the_key_off_and_takes_the_dock_apart() {
    let ask = Requirement {
        battery: Some(Battery::Out),
        ..Requirement::default()
    };
    let from = VehicleState {
        battery: Battery::In,
        key: Key::On,
        ..VehicleState::default()
    };
    let state = ask.bring(&from);
    assert_eq!(state.key, Key::Off);
    assert!(state.apart.contains("dock"));
}

fn changed(changes: &[Change]) -> Result<Profile, CircuitError> {
    let family = Family::shipped("gh48").unwrap();
    Profile::new(&family, changes)
}

fn lead(strand: &str, pin: u8, code: &str) -> Change {
    Change::LeadColour {
        strand: strand.into(),
        pin,
        code: code.into(),
    }
}

#[test]
fn the_device_half_has_colours_of_its_own() {
    let colour = |pin, code: &str| Change::Colour {
        strand: "throttle".into(),
        pin,
        code: code.into(),
    };
    let wire = |p: &Profile, pin: u8| {
        let strand = p.family.strand("throttle").unwrap();
        let wire = strand.wires.iter().find(|w| w.pin == pin).unwrap().clone();
        (
            wire.code.clone(),
            wire.beyond().to_owned(),
            strand.crossed_colours(),
        )
    };
    // what is not said of the lead goes with the other half
    let one = changed(&[colour(2, "BK"), colour(3, "GN")]).unwrap();
    assert_eq!(wire(&one, 3), ("GN".into(), "GN".into(), vec![]));
    // one lead in another colour crosses nothing; two in each other's do
    let one = changed(&[colour(2, "BK"), colour(3, "GN"), lead("throttle", 3, "BK")]).unwrap();
    assert_eq!(wire(&one, 3), ("GN".into(), "BK".into(), vec![]));
    let both = [
        colour(2, "BK"),
        colour(3, "GN"),
        lead("throttle", 3, "BK"),
        lead("throttle", 2, "GN"),
    ];
    let two = changed(&both).unwrap();
    assert_eq!(wire(&two, 2), ("BK".into(), "GN".into(), vec![[2, 3]]));
    // a lead said in the other half's colour is like it again
    let mut back = both.to_vec();
    back.push(lead("throttle", 2, "BK"));
    assert_eq!(wire(&changed(&back).unwrap(), 2).2, Vec::<[u8; 2]>::new());
    // no net comes of it
    let plain = changed(&[]).unwrap().netlist().unwrap();
    assert_eq!(two.netlist().unwrap().elements.len(), plain.elements.len());
}

#[test]
fn changes_that_cannot_be_are_refused_with_a_sentence() {
    let colour = |strand: &str, pin, code: &str| Change::Colour {
        strand: strand.into(),
        pin,
        code: code.into(),
    };
    for (change, part) in [
        (colour("throttle", 1, "RED"), "not a colour code"),
        (colour("throttle", 1, "RD/XX"), "not a colour code"),
        (lead("throttle", 1, "RD/WH/BK"), "not a colour code"),
        (lead("throttle", 9, "RD"), "no pin"),
        (colour("throttle", 9, "RD"), "no pin"),
        (colour("steering", 1, "RD"), "no strand"),
        (
            Change::PullUp {
                lines: "halls".into(),
                volts: 400.0,
            },
            "2.5 to 15 V",
        ),
        (
            Change::PullUp {
                lines: "lamps".into(),
                volts: 5.0,
            },
            "no group of lines",
        ),
        (
            Change::NormallyClosedBrake {
                strand: "throttle".into(),
            },
            "not a brake lever",
        ),
        (
            Change::Plug {
                plug: "motor".into(),
                name: "small one".into(),
                pins: 4,
                face: "round".into(),
            },
            "do not hold",
        ),
        (
            Change::Plug {
                plug: "motor".into(),
                name: "odd one".into(),
                pins: 9,
                face: "square".into(),
            },
            "round or flat",
        ),
    ] {
        let error = changed(std::slice::from_ref(&change))
            .unwrap_err()
            .to_string();
        assert!(error.contains(part), "{change:?}: {error}");
    }
}

#[test]
fn another_pull_up_moves_the_line_and_the_threshold_with_it() {
    let profile = changed(&[Change::PullUp {
        lines: "halls".into(),
        volts: 3.3,
    }])
    .unwrap();
    let net = profile.netlist().unwrap();
    let c = Circuit::compile(&net, &[], &[]);
    let on = VehicleState {
        battery: Battery::In,
        key: Key::On,
        wheel: Wheel::Turned,
        ..VehicleState::default()
    };
    let s = c.solve(&on, 0, &[], &[]);
    let high = s.volts[net.find("HA").unwrap()] - s.volts[net.find("GND").unwrap()];
    assert!((3.1..3.35).contains(&high), "{high}");
    assert!(profile.hall_threshold() < high * 0.6);
    // and the motor still runs
    let scene = behaviour::Scene::of(&profile, &net, &c, None);
    assert_eq!(scene.observe("motor", &on).unwrap(), "smooth");
}

#[test]
fn one_wire_more_takes_a_free_pin_and_touches_nothing() {
    let profile = changed(&[Change::ExtraWire {
        strand: "halls".into(),
        code: "GY".into(),
        function: "temperature".into(),
    }])
    .unwrap();
    let strand = profile.family.strand("halls").unwrap();
    assert_eq!(strand.wires.last().unwrap().pin, 10);
    assert_eq!(profile.family.plug("motor").unwrap().pins, 10);
    let net = profile.netlist().unwrap();
    let c = Circuit::compile(&net, &[], &[]);
    let scene = behaviour::Scene::of(&profile, &net, &c, None);
    assert_eq!(
        scene.observe("motor", &VehicleState::default()).unwrap(),
        "smooth"
    );
}

#[test]
fn fault_files_name_the_line_of_a_mistake() {
    let (file, text) = fault::FAULTS;
    let (sign_file, signs) = fault::SIGNS;
    for (from, to, part) in [
        (
            "signs = { code = \"hall\"",
            "signs = { code = \"haal\"",
            "no value “haal”",
        ),
        ("id = \"thr-dead\"", "id = \"thr-stuck\"", "stands twice"),
    ] {
        let error =
            FaultBook::parse(file, &text.replacen(from, to, 1), sign_file, signs).unwrap_err();
        let sentence = error.to_string();
        assert!(sentence.starts_with("faults.toml, line "), "{sentence}");
        assert!(sentence.contains(part), "{sentence}");
    }
    let family = Family::shipped("gh48").unwrap();
    let profile = Profile::new(&family, &[]).unwrap();
    let net = profile.netlist().unwrap();
    let odd = text.replacen(
        "open throttle.throttle-signal.lead",
        "cut throttle.throttle-signal.lead",
        1,
    );
    let book = FaultBook::parse(file, &odd, sign_file, signs).unwrap();
    let sentence = book.cases(&profile, &net).unwrap_err().to_string();
    assert!(
        sentence.contains("should begin with open, series"),
        "{sentence}"
    );
}
