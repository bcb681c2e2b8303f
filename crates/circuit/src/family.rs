//! A vehicle family: what every vehicle of this kind has in common, read from a TOML file that a
//! technician can read and correct.

use crate::error::CircuitError;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use toml::Spanned;

/// File name and text of the families that ship with the program.
pub const SHIPPED: [(&str, &str); 1] = [(
    "geared-hub-48.toml",
    include_str!("../data/families/geared-hub-48.toml"),
)];

/// Opening a place: hands-on minutes once per job, and what opening destroys.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Access {
    /// In the technician's words.
    pub name: String,
    /// Minutes to open.
    pub minutes: f64,
    /// What has to be renewed when closing.
    #[serde(default)]
    pub destroys: Option<String>,
}

/// A plug that can be joined or apart.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Plug {
    /// Id used in states and strands.
    pub id: Spanned<String>,
    /// Name.
    pub name: String,
    /// Number of pins on its face.
    pub pins: u8,
    /// Shape of the face: `round` or `flat`.
    pub face: String,
    /// Access code of the place where it can be reached.
    pub access: String,
    /// Segment of the strip it belongs to.
    pub segment: String,
}

/// One wire of a strand, from the controller side through a plug to the device.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Wire {
    /// Pin number on the plug.
    pub pin: u8,
    /// Insulation colour code, such as `RD` or `GN/WH`.
    pub code: String,
    /// What it carries, in the trade's words.
    pub function: String,
    /// Node on the controller side.
    pub from: String,
    /// Node on the device side.
    pub to: String,
}

/// Wires that run together through one plug.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Strand {
    /// Id; elements are `<strand>.<pin>.run`, `.pin` and `.lead`.
    pub id: Spanned<String>,
    /// Name of what hangs on it.
    pub name: String,
    /// Plug it goes through.
    pub plug: String,
    /// Segment of the strip.
    pub segment: String,
    /// Pin that its voltages are read against.
    pub reference: u8,
    /// Ohms of the run from the controller to the plug.
    pub run_ohms: f64,
    /// Ohms of one mated contact.
    pub pin_ohms: f64,
    /// Ohms of the lead from the plug to the device.
    pub lead_ohms: f64,
    /// The wires, in pin order.
    pub wires: Vec<Wire>,
}

/// An element of the family that is not a wire.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct PartSpec {
    /// Element id.
    pub id: Spanned<String>,
    /// `resistor`, `source`, `switch`, `diode`, `regulator`, `ratio`, `open-collector`.
    pub kind: String,
    /// First node.
    pub a: String,
    /// Second node.
    pub b: String,
    /// Ground of three-terminal parts.
    #[serde(default)]
    pub c: Option<String>,
    /// Ohms.
    #[serde(default)]
    pub ohms: Option<f64>,
    /// Volts.
    #[serde(default)]
    pub volts: Option<f64>,
    /// Leak of an open switch.
    #[serde(default)]
    pub leak_ohms: Option<f64>,
    /// Condition `field=word & …`.
    #[serde(default)]
    pub when: Option<String>,
    /// Largest current of a regulator.
    #[serde(default)]
    pub limit_amps: Option<f64>,
    /// Drop-out volts of a regulator.
    #[serde(default)]
    pub dropout_volts: Option<f64>,
    /// Volts at which a regulator starts.
    #[serde(default)]
    pub on_volts: Option<f64>,
    /// Volts at which it stops.
    #[serde(default)]
    pub off_volts: Option<f64>,
    /// Ratio at rest.
    #[serde(default)]
    pub idle: Option<f64>,
    /// Ratio at full throttle.
    #[serde(default)]
    pub full: Option<f64>,
    /// Supply that a sensor needs.
    #[serde(default)]
    pub min_volts: Option<f64>,
    /// `hall-a`, `hall-b`, `hall-c`, `pedal`, `speed`.
    #[serde(default)]
    pub watches: Option<String>,
    /// Relative spread from vehicle to vehicle.
    #[serde(default)]
    pub spread: Option<f64>,
    /// Plug whose contact this is.
    #[serde(default)]
    pub plug: Option<String>,
}

/// The cells.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Cells {
    /// Groups in series.
    pub groups: usize,
    /// Chemistry key.
    pub chemistry: String,
    /// Open-circuit volts per group at the reference charge.
    pub rest_volts: f64,
    /// Full volts per group.
    pub full_volts: f64,
    /// Never charge or use below, volts per group.
    pub floor_volts: f64,
    /// Inner ohms per group.
    pub ohms: f64,
}

/// Voltages and thresholds by which the controller decides.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Logic {
    /// Feed below which it refuses to drive.
    pub cutoff_volts: f64,
    /// 5 V rail it needs.
    pub rail_min_volts: f64,
    /// Throttle signal at which driving starts.
    pub throttle_start_volts: f64,
    /// Above this with the throttle released it locks out.
    pub throttle_lockout_volts: f64,
    /// Throttle signal of full speed.
    pub throttle_full_volts: f64,
    /// Above this the signal counts as a fault.
    pub throttle_fault_volts: f64,
    /// Brake line below this counts as squeezed (normally open switches).
    pub brake_volts: f64,
    /// Hall line above this counts as high.
    pub hall_volts: f64,
    /// Display feed it needs.
    pub display_volts: f64,
}

/// A family file.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Family {
    /// Id.
    pub id: String,
    /// Name.
    pub name: String,
    /// Voltage class.
    pub volts_class: u16,
    /// Drive as it looks: `geared-hub`, …
    pub drive: String,
    /// Priors column: `EB`, `SC`, `RO`, `DI`.
    pub group: String,
    /// Direction in which the wheel is turned by hand for motor tests.
    pub turn: String,
    /// Cells.
    pub cells: Cells,
    /// Logic thresholds.
    pub logic: Logic,
    /// Access codes.
    pub access: BTreeMap<String, Access>,
    /// Segments of the strip in drawing order: id → name.
    pub segments: Vec<Segment>,
    /// Plugs.
    #[serde(rename = "plug")]
    pub plugs: Vec<Plug>,
    /// Strands.
    #[serde(rename = "strand")]
    pub strands: Vec<Strand>,
    /// Other elements.
    #[serde(rename = "part")]
    pub parts: Vec<PartSpec>,
}

/// A segment of the strip.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Segment {
    /// Id.
    pub id: String,
    /// Name.
    pub name: String,
}

impl Family {
    /// Read a family file.
    ///
    /// # Errors
    /// File, line and sentence of the first thing that is wrong: TOML that does not parse, a plug,
    /// access code or segment that does not exist, a pin beyond its plug, two wires on one pin.
    pub fn parse(file: &str, text: &str) -> Result<Self, CircuitError> {
        let family: Self = toml::from_str(text).map_err(|e| CircuitError::toml(file, text, &e))?;
        let at = |offset: usize, message: String| CircuitError::at(file, text, offset, message);
        for plug in &family.plugs {
            let start = plug.id.span().start;
            if !family.access.contains_key(&plug.access) {
                return Err(at(
                    start,
                    format!("there is no access code “{}”", plug.access),
                ));
            }
            if !family.segments.iter().any(|s| s.id == plug.segment) {
                return Err(at(start, format!("there is no segment “{}”", plug.segment)));
            }
        }
        for strand in &family.strands {
            let start = strand.id.span().start;
            let Some(plug) = family.plug(&strand.plug) else {
                return Err(at(start, format!("there is no plug “{}”", strand.plug)));
            };
            if !family.segments.iter().any(|s| s.id == strand.segment) {
                return Err(at(
                    start,
                    format!("there is no segment “{}”", strand.segment),
                ));
            }
            if !strand.wires.iter().any(|w| w.pin == strand.reference) {
                return Err(at(
                    start,
                    format!("reference pin {} has no wire", strand.reference),
                ));
            }
            for wire in &strand.wires {
                if wire.pin == 0 || wire.pin > plug.pins {
                    return Err(at(
                        start,
                        format!(
                            "pin {} is not on the {} pins of {}",
                            wire.pin, plug.pins, plug.name
                        ),
                    ));
                }
                let same = family.strands.iter().filter(|s| s.plug == strand.plug);
                if same
                    .flat_map(|s| &s.wires)
                    .filter(|w| w.pin == wire.pin)
                    .count()
                    > 1
                {
                    return Err(at(
                        start,
                        format!("two wires on pin {} of {}", wire.pin, plug.name),
                    ));
                }
            }
        }
        Ok(family)
    }

    /// Plug by id.
    pub fn plug(&self, id: &str) -> Option<&Plug> {
        self.plugs.iter().find(|p| p.id.get_ref() == id)
    }

    /// Strand by id.
    pub fn strand(&self, id: &str) -> Option<&Strand> {
        self.strands.iter().find(|s| s.id.get_ref() == id)
    }

    /// Pack volts below which nothing may be switched on.
    pub fn floor_volts(&self) -> f64 {
        self.cells.floor_volts * self.cells.groups as f64
    }
}
