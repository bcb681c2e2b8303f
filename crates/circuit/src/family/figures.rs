//! What of a family stands on labels and data sheets: figures, cells, limits, what the controller compares with, how it turns.

use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use toml::Spanned;

fn amp_hours() -> f64 {
    10.0
}

/// A figure that differs from vehicle to vehicle and stands on labels: what it sets in the circuit.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Figure {
    /// Id.
    pub id: Spanned<String>,
    /// Name.
    pub name: String,
    /// Unit.
    pub unit: String,
    /// Usual value.
    pub usual: f64,
    /// Least that is accepted.
    pub least: f64,
    /// Most that is accepted.
    pub most: f64,
    /// Figures that become its value: `logic.cutoff_volts`, `part.charger.volts`.
    #[serde(default)]
    pub sets: Vec<String>,
    /// Figures that shrink as it grows: `part.pack-fuse.ohms`.
    #[serde(default)]
    pub divides: Vec<String>,
    /// Figures that follow it at a distance: `logic.throttle_lockout_volts` → what is added to its value.
    #[serde(default)]
    pub shifts: BTreeMap<String, f64>,
    /// Ratios of the 5 V rail that follow it: `part.throttle-hall.idle` → volts that are added to its value, and what the sum
    /// is taken times.
    #[serde(default)]
    pub ratios: BTreeMap<String, [f64; 2]>,
    /// Usual value for each volt of the pack at rest, to the half, in place of `usual`.
    #[serde(default)]
    pub per_volt: Option<f64>,
    /// Usual value for each volt of the full pack, to the tenth, in place of `usual`.
    #[serde(default)]
    pub per_full: Option<f64>,
    /// Usual value for each volt of the vehicle's class, in place of `usual`.
    #[serde(default)]
    pub per_class: Option<f64>,
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
    /// Capacity, Ah.
    #[serde(default = "amp_hours")]
    pub amp_hours: f64,
    /// Ohms of the link between two groups that can come loose by itself (lead blocks); the links of
    /// a welded pack are part of the groups.
    #[serde(default)]
    pub link_ohms: Option<f64>,
    /// Access at which every group's terminals can be touched; without it they need the pack open.
    #[serde(default)]
    pub reach: Option<String>,
}

/// Between which figures a sound vehicle of the family reads in a check of the proof, in the check's unit.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ProofLimit {
    /// Lowest that passes.
    #[serde(default)]
    pub low: Option<f64>,
    /// Highest.
    #[serde(default)]
    pub high: Option<f64>,
    /// What is usual.
    #[serde(default)]
    pub usual: Option<f64>,
}

/// Voltages and thresholds by which the controller decides.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Logic {
    /// Feed below which it refuses to drive.
    pub cutoff_volts: f64,
    /// Node of its bus, when a contactor sits between feed and bus.
    pub bus: String,
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
    /// Second channel of the throttle: its usual ratio to the first, and how far off it may be, V.
    pub second_channel: Option<[f64; 2]>,
    /// Brake line below this counts as squeezed (normally open switches).
    pub brake_volts: f64,
    /// Hall line above this counts as high.
    pub hall_volts: f64,
}

impl Default for Logic {
    fn default() -> Self {
        Self {
            cutoff_volts: 0.0,
            bus: "VB+".into(),
            rail_min_volts: 3.9,
            throttle_start_volts: 1.2,
            throttle_lockout_volts: 1.15,
            throttle_full_volts: 3.4,
            throttle_fault_volts: 4.6,
            second_channel: None,
            brake_volts: 1.5,
            hall_volts: 2.2,
        }
    }
}

/// Something that lights or does not, told from the circuit with everything switched on.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Shows {
    /// Sign; its first value when it shows, its second when not.
    pub sign: String,
    /// Plus node.
    pub plus: String,
    /// Minus node.
    pub minus: String,
    /// Volts it needs.
    pub volts: f64,
    /// Element that must draw …
    #[serde(default)]
    pub element: Option<String>,
    /// … at least this much.
    #[serde(default)]
    pub amps: f64,
    /// Volts it needs for each volt of the pack at rest, to the half, in place of `volts`.
    #[serde(default)]
    pub per_volt: Option<f64>,
}

/// A line that forbids driving while it is low.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Interlock {
    /// Line.
    pub line: String,
    /// Low below this many volts against GND.
    pub below_volts: f64,
}

/// Armature of a brushed motor.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Armature {
    /// Element whose current turns it, forwards from a to b.
    pub element: String,
    /// Terminal that is plus when it turns forwards.
    pub plus: String,
    /// The other terminal.
    pub minus: String,
}

/// How the motor turns.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(tag = "kind", rename_all = "kebab-case", deny_unknown_fields)]
pub enum Motor {
    /// Three phases, three halls, a bridge: nodes PU PV PW, MU MV MW, N, HA HB HC.
    SixStep,
    /// Brushed motors, one or two on one axle.
    Brushed {
        /// The armatures.
        armatures: Vec<Armature>,
        /// Amps from which a motor turns.
        start_amps: f64,
        /// Volts across a motor at full speed.
        full_volts: f64,
        /// The same for each volt of the pack at rest, to the half.
        #[serde(default)]
        per_volt: Option<f64>,
    },
}
