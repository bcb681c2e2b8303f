//! The solver against a circuit simulator that is not ours: ngspice, of Debian's packages, solves what we
//! export. And the choice of device states by a check of its own.

use spannung_circuit::netlist::Part;
use spannung_circuit::solve::Extra;
use spannung_circuit::state::{Battery, Brake, Crank, Key, Throttle, Wheel};
use spannung_circuit::*;
use std::collections::HashMap;
use std::path::PathBuf;
use std::process::Command;

/// Volts by node name as ngspice works them out.
fn simulate(text: &str, name: &str) -> HashMap<String, f64> {
    let file = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join(format!("{name}.cir"));
    let control = ".control\nset numdgt=15\nop\nprint all\n.endc\n.end\n";
    std::fs::write(&file, text.replace(".op\n.end\n", control)).unwrap();
    let out = Command::new("ngspice")
        .arg("-b")
        .arg(&file)
        .output()
        .expect("ngspice is missing: ./spannung test installs it");
    let said = String::from_utf8_lossy(&out.stdout);
    said.lines()
        .filter_map(|l| l.split_once(" = "))
        .filter_map(|(node, volts)| Some((node.trim().to_string(), volts.trim().parse().ok()?)))
        .collect()
}

fn states() -> Vec<(&'static str, VehicleState)> {
    let on = VehicleState {
        battery: Battery::In,
        key: Key::On,
        wheel: Wheel::Lifted,
        ..VehicleState::default()
    };
    let apart = |plug: &str| VehicleState {
        apart: [plug.to_string()].into(),
        ..on.clone()
    };
    vec![
        ("pack out", VehicleState::default()),
        (
            "off",
            VehicleState {
                key: Key::Off,
                ..on.clone()
            },
        ),
        ("on", on.clone()),
        (
            "full throttle",
            VehicleState {
                throttle: Throttle::Full,
                ..on.clone()
            },
        ),
        (
            "left lever",
            VehicleState {
                brake: Brake::Left,
                ..on.clone()
            },
        ),
        (
            "pedals",
            VehicleState {
                crank: Crank::Turned,
                ..on.clone()
            },
        ),
        ("throttle apart", apart("throttle")),
        ("motor apart", apart("motor")),
    ]
}

#[test]
fn an_independent_simulator_finds_the_same_voltages() {
    let family = Family::shipped("gh48").unwrap();
    let profile = Profile::new(&family, &[]).unwrap();
    let net = profile.netlist().unwrap();
    let book = FaultBook::shipped().unwrap();
    let cases = book.cases(&profile, &net).unwrap();
    let pair = (net.find("PU").unwrap(), net.find("GND").unwrap());
    let states = states();
    // every ninth fault, each in another state, component values off by up to two sigma
    let mut points = 0;
    let mut worst: f64 = 0.0;
    for (k, case) in cases.iter().step_by(9).enumerate() {
        let circuit = Circuit::compile(&net, &case.effects, &[pair]);
        let z: Vec<f64> = (0..=circuit.elements.len())
            .map(|e| f64::from(u8::try_from((e * 7 + k * 13) % 41).unwrap()) / 10.0 - 2.0)
            .collect();
        let (name, state) = &states[k % states.len()];
        let extras: &[Extra] = match k % 4 {
            1 => &[Extra::Load(pair.0, pair.1, 10_000.0)],
            2 => &[Extra::Inject(pair.0, pair.1, 3.0, 1_000.0)],
            _ => &[],
        };
        let step = u8::try_from(k % 6).unwrap();
        let s = circuit.solve(state, step, &z, extras);
        let title = format!("{} with {}, step {step}", name, case.key);
        let text = spice::netlist(&net, &circuit, &s, extras, &title);
        let theirs = simulate(&text, &format!("point-{k}"));
        for (node, ours) in s.volts.iter().enumerate() {
            let volts = theirs
                .get(&format!("n{node}"))
                .unwrap_or_else(|| panic!("{title}: n{node} is not in ngspice's answer"));
            let off = (volts - ours).abs() / (1e-4 + 1e-5 * ours.abs());
            worst = worst.max((volts - ours).abs());
            assert!(
                off <= 1.0,
                "{title}: {} is {ours} V here, {volts} V there",
                net.nodes[node]
            );
        }
        points += 1;
    }
    println!("{points} operating points, largest difference {worst:.2e} V");
    assert!(points >= 30, "{points} points");
}

/// A device is in the state that its own voltages ask for: nothing of the solver's iteration is used.
#[test]
fn every_device_stands_as_its_voltages_ask() {
    let family = Family::shipped("gh48").unwrap();
    let profile = Profile::new(&family, &[]).unwrap();
    let net = profile.netlist().unwrap();
    let book = FaultBook::shipped().unwrap();
    let mut looked_at = 0;
    for case in book.cases(&profile, &net).unwrap().iter().step_by(3) {
        let circuit = Circuit::compile(&net, &case.effects, &[]);
        // what the fault opens or forces has no choice
        let touched: Vec<usize> = case
            .effects
            .iter()
            .filter_map(|e| match e {
                Effect::Open(k)
                | Effect::Force(k, _)
                | Effect::Scale(k, _)
                | Effect::Series(k, _) => Some(*k),
                _ => None,
            })
            .collect();
        for (name, state) in states() {
            let s = circuit.solve(&state, 0, &[], &[]);
            if s.hiccup {
                continue;
            }
            for (k, e) in net.elements.iter().enumerate() {
                let apart = e.plug.as_ref().is_some_and(|p| state.apart.contains(p));
                if touched.contains(&k) || apart {
                    continue;
                }
                let across = |a: usize, b: usize| {
                    (s.island[a] == s.island[b]).then(|| s.volts[a] - s.volts[b])
                };
                let said = format!("{} in {name} with {}", e.id, case.key);
                match &e.part {
                    Part::Diode { volts, ohms } => {
                        let v = across(e.a, e.b);
                        let amps = circuit.amps(&s, k);
                        // on: current forwards, on its line; off: not enough volts to open it
                        if amps == 0.0 {
                            assert!(v.is_none_or(|v| v <= volts + 1e-6), "{said}: {v:?}");
                        } else {
                            assert!(amps >= -1e-9, "{said}: {amps} A");
                            let line = volts + ohms * amps;
                            assert!((v.unwrap() - line).abs() < 1e-6, "{said}: {v:?}, {line}");
                        }
                        looked_at += 1;
                    }
                    Part::Regulator {
                        volts,
                        off_volts,
                        dropout_volts,
                        ..
                    } => {
                        let (Some(input), Some(output)) = (across(e.a, e.c), across(e.b, e.c))
                        else {
                            continue;
                        };
                        // never above what it is set to, nor above its input, and dark when starved
                        assert!(output <= volts + 0.05, "{said}: {output} V");
                        if input > *off_volts && output > 0.1 {
                            assert!(
                                output <= input - dropout_volts + 0.05,
                                "{said}: {output} of {input} V"
                            );
                        }
                        looked_at += 1;
                    }
                    _ => {}
                }
            }
        }
    }
    assert!(looked_at > 1000, "{looked_at}");
}
