//! The instrument on two points.

use crate::netlist::{Netlist, NodeId};
use crate::solve::{Circuit, Draw, Extra, Room, Solution};
use crate::state::VehicleState;
use serde::{Deserialize, Serialize};
use std::array::from_fn;

/// Input resistance of a hand multimeter on its volt ranges.
pub const METER_OHMS: f64 = 10e6;
/// Above this the ohm range shows OL.
pub const OL_OHMS: f64 = 20e6;
/// Diode range: open-circuit volts and inner ohms (about 1 mA).
const DIODE_VOLTS: f64 = 3.0;
const DIODE_OHMS: f64 = 2000.0;
/// Above this the diode range shows OL.
const DIODE_OL: f64 = 2.6;

/// What the meter is set to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Mode {
    /// DC volts, 10 MΩ.
    Volts,
    /// Ohms, two wires, leads nulled.
    Ohms,
    /// Four-wire milliohms.
    Milliohms,
    /// Diode range.
    Diode,
    /// DC amps through an element (clamp or in series).
    Amps,
}

/// Where the tips go: node names for a pair, or one element for amps.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
pub struct Pair {
    /// Red tip.
    pub red: NodeId,
    /// Black tip.
    pub black: NodeId,
}

/// A figure or an over-range.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Shown {
    /// Figure in the mode's unit.
    Value(f64),
    /// OL: open, above the range.
    OverRange,
}

impl Shown {
    /// The figure, with OL as the range's end ([`OL_OHMS`] for ohms, 3 V for diodes).
    pub fn capped(self, mode: Mode) -> f64 {
        match (self, mode) {
            (Self::Value(v), _) => v,
            (Self::OverRange, Mode::Diode) => DIODE_VOLTS,
            (Self::OverRange, _) => OL_OHMS,
        }
    }
}

/// A measurement to be made: mode, points, an added load across the tips.
#[derive(Debug, Clone, PartialEq)]
pub struct Meter {
    /// Range.
    pub mode: Mode,
    /// Tips.
    pub pair: Pair,
    /// Load across the tips in ohms (10 kΩ ghost test, 5 Ω load test).
    pub shunt_ohms: Option<f64>,
    /// Element whose current is taken, for amps.
    pub element: Option<usize>,
}

impl Meter {
    /// What the meter itself puts on the circuit, so that the reading needs a solve of its own: an added load, the
    /// source of the diode range.
    pub fn extras(&self) -> Vec<Extra> {
        let (r, b) = (self.pair.red, self.pair.black);
        let load = self.shunt_ohms.map(|ohms| Extra::Load(r, b, ohms));
        let source = Extra::Inject(r, b, DIODE_VOLTS, DIODE_OHMS);
        let diode = (self.mode == Mode::Diode).then_some(source);
        load.into_iter().chain(diode).collect()
    }

    /// The pair that must be known to the circuit's order.
    pub fn own_pair(&self) -> Option<(NodeId, NodeId)> {
        (!self.extras().is_empty()).then_some((self.pair.red, self.pair.black))
    }

    /// Read from a state that was solved with [`Self::extras`].
    pub fn read(&self, circuit: &Circuit, s: &Solution) -> Shown {
        let [shown] = self.read_abreast([circuit], [s], &mut Room::default());
        shown
    }

    /// The same of circuits that were solved side by side.
    pub fn read_abreast<const L: usize>(
        &self,
        circuits: [&Circuit; L],
        solved: [&Solution; L],
        room: &mut Room<L>,
    ) -> [Shown; L] {
        let (r, b) = (self.pair.red, self.pair.black);
        let mut ohms = || circuits[0].source_ohms_abreast(solved, r, b, room);
        let open = |s: &Solution| s.volts[r] - s.volts[b];
        match self.mode {
            Mode::Volts => {
                let ohms = ohms();
                from_fn(|l| {
                    Shown::Value(match ohms[l] {
                        Some(ohms) => open(solved[l]) * METER_OHMS / (METER_OHMS + ohms),
                        None => 0.0,
                    })
                })
            }
            Mode::Diode => solved.map(|s| match open(s) {
                volts if volts > DIODE_OL => Shown::OverRange,
                volts => Shown::Value(volts),
            }),
            Mode::Ohms | Mode::Milliohms => ohms().map(|ohms| match ohms {
                Some(ohms) if ohms < OL_OHMS => Shown::Value(ohms),
                _ => Shown::OverRange,
            }),
            Mode::Amps => from_fn(|l| {
                let through = |e| circuits[l].amps(solved[l], e);
                Shown::Value(self.element.map_or(0.0, through))
            }),
        }
    }

    /// Solve a state and read; a meter that loads the circuit is put on it as it stands.
    pub fn measure(&self, circuit: &Circuit, state: &VehicleState, step: u8, draw: &Draw) -> Shown {
        let s = circuit.solve_drawn(state, step, draw, &[], None);
        let extras = self.extras();
        if extras.is_empty() {
            return self.read(circuit, &s);
        }
        let loaded = circuit.solve_drawn(state, step, draw, &extras, Some(&s));
        self.read(circuit, &loaded)
    }
}

/// Resolve two node names.
///
/// # Errors
/// The name that this netlist does not have.
pub fn pair(net: &Netlist, red: &str, black: &str) -> Result<Pair, crate::CircuitError> {
    let find = |name: &str| {
        net.find(name).ok_or_else(|| crate::CircuitError::Unknown {
            kind: "point",
            name: name.into(),
        })
    };
    Ok(Pair {
        red: find(red)?,
        black: find(black)?,
    })
}
