//! The job's vehicle as a SPICE netlist: its circuit as it stands now, sound or with one fault in it.

use crate::error::{Code, CoreError};
use crate::job::bench::Weighed;
use crate::job::state::state_words;
use spannung_circuit::{Circuit, spice};

/// Write it; with the key of a fault case, as that fault makes it.
///
/// # Errors
/// The vehicle has no fault case of this key.
pub fn spice(w: &Weighed<'_>, fault: Option<&str>) -> Result<String, CoreError> {
    let case = match fault {
        None => None,
        Some(key) => Some(w.model.cases.iter().find(|c| c.key == key).ok_or_else(|| {
            CoreError::entry(
                Code::UnknownFault,
                "fault",
                format!("This vehicle has no fault “{key}”."),
            )
        })?),
    };
    let net = &w.model.net;
    let circuit = Circuit::compile(net, case.map_or(&[], |c| &c.effects), &[]);
    let solution = circuit.solve(&w.job.state, 0, &[], &[]);
    let title = format!(
        "{}, {}: {}",
        if w.job.vehicle.is_empty() {
            "vehicle"
        } else {
            &w.job.vehicle
        },
        state_words(&w.job.state),
        case.map_or("sound", |c| &c.name),
    );
    Ok(spice::netlist(net, &circuit, &solution, &[], &title))
}
