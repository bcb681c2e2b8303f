//! Slopes from the transposed factors against what a changed element really does.

use spannung_circuit::state::{Battery, Key, Throttle};
use spannung_circuit::*;

const STEP: f64 = 1e-5;

/// Every element's slope at a reading, by solving twice with the element moved; the same as from the factors.
fn agrees(family: &str, effect: Option<&str>, state: &VehicleState, red: &str, black: &str) {
    let family = Family::shipped(family).unwrap();
    let profile = Profile::new(&family, &[]).unwrap();
    let net = profile.netlist().unwrap();
    let (a, b) = (net.find(red).unwrap(), net.find(black).unwrap());
    let effects: Vec<Effect> = effect
        .map(|e| Effect::Series(net.element(e).unwrap(), 25.0))
        .into_iter()
        .collect();
    let circuit = Circuit::compile(&net, &effects, &[]);
    let s = circuit.solve(state, 0, &[], &[]);
    let n = circuit.elements.len();
    let mut volts = vec![0.0; n];
    circuit.slopes(&s, &[(a, 1.0), (b, -1.0)], &mut |k, v, _| volts[k] += v);
    let mut ohms = vec![0.0; n];
    circuit.ohm_slopes(&s, a, b, &mut |k, v, _| ohms[k] += v);
    let read = |k: usize, step: f64| {
        let mut z = vec![0.0; n];
        z[k] = step / circuit.elements[k].spread;
        let s = circuit.solve(state, 0, &z, &[]);
        (
            s.volts[a] - s.volts[b],
            circuit.source_ohms(&s, a, b).unwrap_or(0.0),
        )
    };
    let here = read(0, 0.0);
    for k in (0..n).filter(|k| circuit.elements[*k].spread > 0.0) {
        let (up, down) = (read(k, STEP), read(k, -STEP));
        let id = &circuit.elements[k].id;
        for (name, up, down, told, size) in [
            ("volts", up.0, down.0, volts[k], here.0),
            ("ohms", up.1, down.1, ohms[k], here.1),
        ] {
            // the ohms of a source are not what its value moves
            if name == "ohms" && !matches!(circuit.elements[k].part, Part::Resistor { .. }) {
                continue;
            }
            let really = (up - down) / (2.0 * STEP);
            let least = 1e-4 * size.abs() + 1e-6;
            assert!(
                (really - told).abs() < least,
                "{red}–{black}, {name} with {id}: {told} told, {really} measured"
            );
        }
    }
}

#[test]
fn slopes_are_what_a_changed_element_does() {
    let on = VehicleState {
        battery: Battery::In,
        key: Key::On,
        ..VehicleState::default()
    };
    let full = VehicleState {
        throttle: Throttle::Full,
        ..on.clone()
    };
    agrees("gh48", None, &on, "THR", "GND");
    agrees("gh48", Some("throttle.2.pin"), &full, "THR", "GND");
    agrees("gh48", Some("halls.4.pin"), &on, "halls.4.c", "halls.4.d");
    agrees("gh48", None, &on, "V5", "GND");
    agrees("gh48", None, &VehicleState::default(), "MU", "MV");
    agrees("ssb36", Some("main.1.pin"), &on, "VB+", "GND");
    agrees("db72", None, &on, "MT", "GND");
}

#[test]
fn what_a_fault_adds_has_a_slope_of_its_own() {
    // 25 Ω in a lead with 1 kΩ behind it: what is added takes 25/1025 of the volts, and grows with its log by
    // 25·1000/1025² of them
    let family = Family::shipped("ssb36").unwrap();
    let profile = Profile::new(&family, &[]).unwrap();
    let net = profile.netlist().unwrap();
    let contact = net.element("throttle.1.pin").unwrap();
    let circuit = Circuit::compile(&net, &[Effect::Series(contact, 25.0)], &[]);
    let on = VehicleState {
        battery: Battery::In,
        key: Key::On,
        ..VehicleState::default()
    };
    let s = circuit.solve(&on, 0, &[], &[]);
    let (a, b) = (
        net.find("throttle.1.c").unwrap(),
        net.find("throttle.1.d").unwrap(),
    );
    let mut slope = 0.0;
    circuit.slopes(&s, &[(a, 1.0), (b, -1.0)], &mut |_, _, series| {
        slope += series
    });
    let drop = s.volts[a] - s.volts[b];
    // the sensor draws V/1000 and the throttle's own pull-down a hundredth of it
    let expected = drop * 1000.0 / 1025.0;
    assert!((slope / expected - 1.0).abs() < 0.02, "{slope} of {drop}");
}
