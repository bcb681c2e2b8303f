//! What the world is: the circuit of a light electric vehicle, and what a fault does to it.
//!
//! * [`build`] puts a vehicle together from components of the shelf; [`family`] is what comes of it; [`change`] is what is different on this vehicle,
//!   [`alteration`] what can have been done to it; [`profile`] puts them together and builds the [`netlist`]: every wire run and every contact is an element of its own.
//! * [`otherwise`] is how a vehicle may be built otherwise than it is drawn; [`variant`] the makers' choices among that.
//! * [`state`] says how the vehicle stands: battery in, key on, which plugs are apart.
//! * [`fault`] turns a fault mode into effects on elements; [`solve`] solves the circuit by nodal
//!   analysis with piecewise-linear devices; [`meter`] puts an instrument on it.
//! * [`sensitivity`] tells how a reading moves with every element; [`around`] what hangs on a point.
//! * [`behaviour`] tells what a person sees from the solved circuit; [`commutation`] is the
//!   six-step model of the motor.
//! * [`spice`] writes a solved circuit as a SPICE netlist, which any circuit simulator reads.
//!
//! Nothing here knows what we believe (priors, symptoms, tests): that is `spannung-core`.

pub mod alteration;
pub mod around;
pub mod behaviour;
pub mod build;
pub mod change;
pub mod commutation;
pub mod error;
pub mod family;
pub mod fault;
pub mod meter;
pub mod netlist;
pub mod otherwise;
pub mod profile;
pub mod sensitivity;
pub mod solve;
pub mod spice;
pub mod state;
pub mod variant;

pub use build::{Build, Shelf};
pub use change::{COLOURS, Change, KnownFrom};
pub use error::CircuitError;
pub use family::Family;
pub use fault::{Effect, FaultBook, FaultCase, SignSpec};
pub use meter::{Meter, Mode, Pair};
pub use netlist::{Netlist, Part};
pub use profile::Profile;
pub use solve::{Circuit, Solution};
pub use state::{Requirement, VehicleState};
pub use variant::Variant;

/// Line number (from 1) of a byte offset in a text, for errors that name file and line.
pub fn line_of(text: &str, offset: usize) -> usize {
    text.as_bytes()
        .iter()
        .take(offset)
        .filter(|b| **b == b'\n')
        .count()
        + 1
}
