//! What a family's harness is made of: places that open, plugs, strands with their wires, and the elements that are no wire.

use serde::Deserialize;
use std::collections::BTreeMap;
use toml::Spanned;

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
    /// Value of the sign `code` that the display shows by itself while this plug is apart.
    #[serde(default)]
    pub code_apart: Option<String>,
}

/// One wire of a strand, from the controller side through a plug to the device.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Wire {
    /// Pin number on the plug.
    pub pin: u8,
    /// Insulation colour code, such as `RD` or `GN/WH`.
    pub code: String,
    /// Colour code on the device's half of the plug, where it is another one.
    #[serde(default)]
    pub lead_code: Option<String>,
    /// What it carries, in the trade's words.
    pub function: String,
    /// Node on the controller side; in a component kind empty when the function says it.
    #[serde(default)]
    pub from: String,
    /// Node on the device side.
    pub to: String,
}

impl Wire {
    /// Colour code on the device's half of the plug.
    pub fn beyond(&self) -> &str {
        self.lead_code.as_deref().unwrap_or(&self.code)
    }
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
    /// What flows in it: decides which probes are made for its wires.
    #[serde(default)]
    pub carries: Carries,
    /// Copper cross-section, mm²; what such strands usually have when not said.
    #[serde(default)]
    pub mm2: Option<f64>,
    /// Access to the `from` ends of its wires.
    #[serde(default = "case")]
    pub from_access: String,
    /// Access to the `to` ends, when the run from the plug to the device can be measured.
    #[serde(default)]
    pub to_access: Option<String>,
    /// The wires, in pin order.
    pub wires: Vec<Wire>,
}

/// What flows in a strand.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Carries {
    /// Signals and small supplies: every pin against its reference, switched on.
    #[default]
    Signals,
    /// The feed: drops across contacts under a known load.
    Feed,
    /// The feed behind a contactor: the same with the key on.
    Bus,
    /// The current of a brushed motor: volts and drops while it is asked to drive.
    Drive,
    /// The phases of a brushless motor: probes with names of their own only.
    Phases,
}

fn case() -> String {
    "a4".into()
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
    /// Closed, or present, while `field=word & …` holds.
    #[serde(default)]
    pub when: Option<String>,
    /// Closed while this does not hold.
    #[serde(default)]
    pub unless: Option<String>,
    /// Levels a relay waits for, `PLUS MINUS > volts & …`.
    #[serde(default)]
    pub closes: Option<String>,
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
    /// Amps in for an amp out, of a regulator that is a converter.
    #[serde(default)]
    pub draws: Option<f64>,
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
    /// In a component kind: the section of the netlist that it stands in, if not its slot's.
    #[serde(default)]
    pub section: Option<String>,
    /// In a component kind: functions of which one must be joined for it to be there.
    #[serde(default)]
    pub serves: Vec<String>,
    /// In a component kind: figures that follow from the pack's volts at rest, field → value for each volt.
    #[serde(default)]
    pub per_volt: BTreeMap<String, f64>,
}

impl PartSpec {
    /// A figure of it by its field's name.
    pub(crate) fn figure_mut(&mut self, field: &str) -> Option<&mut f64> {
        match field {
            "ohms" => self.ohms.as_mut(),
            "volts" => self.volts.as_mut(),
            "leak_ohms" => self.leak_ohms.as_mut(),
            "limit_amps" => self.limit_amps.as_mut(),
            "on_volts" => self.on_volts.as_mut(),
            "off_volts" => self.off_volts.as_mut(),
            "idle" => self.idle.as_mut(),
            "full" => self.full.as_mut(),
            "spread" => self.spread.as_mut(),
            _ => None,
        }
    }
}
