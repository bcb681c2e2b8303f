//! What several tests read with.

use spannung_circuit::meter::{Meter, Mode, Shown, pair};
use spannung_circuit::*;

/// Volts between two points of a vehicle in a state; infinite where the meter shows OL.
pub fn volts(
    net: &Netlist,
    effects: &[Effect],
    state: &VehicleState,
    red: &str,
    black: &str,
) -> f64 {
    let circuit = Circuit::compile(net, effects, &[]);
    let meter = Meter {
        mode: Mode::Volts,
        pair: pair(net, red, black).unwrap(),
        shunt_ohms: None,
        element: None,
    };
    match meter.read(&circuit, &circuit.solve(state, 0, &[], &[])) {
        Shown::Value(v) => v,
        Shown::OverRange => f64::INFINITY,
    }
}
