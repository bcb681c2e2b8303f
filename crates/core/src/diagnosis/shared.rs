//! What a vehicle has in common everywhere: factors that move many readings together. Two vehicles of a kind differ far in
//! them and little within one; so what one net reads tells what its twins should read.
//!
//! A factor is the log of what a group of elements has of the family's figure. Its spread between vehicles of a kind is that
//! of makers' choices, wider than a batch's tolerance.

use spannung_circuit::family::Carries;
use spannung_circuit::netlist::Element;
use spannung_circuit::{Family, Part};

/// Number of factors.
pub const FACTORS: usize = 14;

/// A factor that a vehicle shares.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Factor {
    /// Log of the pack's volts against its nominal ones.
    Charge,
    /// Rail of the electronics.
    Rail,
    /// Pull-ups and pull-downs.
    Pulls,
    /// Thin wires and their contacts.
    Wires,
    /// Wires and contacts that carry the drive's current.
    Leads,
    /// Windings and armatures.
    Windings,
    /// Throttle at rest.
    ThrottleRest,
    /// Throttle held open.
    ThrottleFull,
    /// Level of a data line at rest.
    Data,
    /// What the electronics draw.
    Loads,
    /// What sensors draw.
    Supplies,
    /// Insulation.
    Insulation,
    /// Ohms of the meter's own leads.
    TestLeads,
    /// How bad the fault is, within the range that the case stands for, in its own deviations.
    Severity,
}

impl Factor {
    /// Deviation of the factor between vehicles, natural log; the leads of the meter in ohms.
    pub fn spread(self, lead: bool) -> f64 {
        match self {
            // lithium rests anywhere between 3.3 and 4.2 V a group, lead between 11.7 and 12.8 V a block
            Self::Charge if lead => 0.028,
            Self::Charge => 0.05,
            Self::Rail => 0.056,
            Self::Pulls => 0.6,
            Self::Wires | Self::Leads => 0.45,
            Self::Windings => 0.28,
            Self::ThrottleRest => 0.2,
            Self::ThrottleFull => 0.075,
            Self::Data => 0.15,
            Self::Loads => 0.65,
            Self::Supplies => 0.5,
            Self::Insulation => 2.3,
            Self::TestLeads => 0.06,
            Self::Severity => 1.0,
        }
    }

    /// All of them, in the order of their places.
    pub const ALL: [Self; FACTORS] = [
        Self::Charge,
        Self::Rail,
        Self::Pulls,
        Self::Wires,
        Self::Leads,
        Self::Windings,
        Self::ThrottleRest,
        Self::ThrottleFull,
        Self::Data,
        Self::Loads,
        Self::Supplies,
        Self::Insulation,
        Self::TestLeads,
        Self::Severity,
    ];

    /// Variances before anything is read.
    pub fn variances(family: &Family) -> [f64; FACTORS] {
        Self::ALL.map(|f| f.spread(family.has("lead")).powi(2))
    }

    /// The factor that an element's value follows, if there is one. `open` says that the throttle is held open.
    pub fn of(family: &Family, element: &Element, open: bool) -> Option<Self> {
        let id = element.id.as_str();
        let has = |word: &str| id.contains(word);
        match &element.part {
            Part::Source { .. } if id.starts_with("group.") => Some(Self::Charge),
            Part::Regulator { .. } if has("rail") => Some(Self::Rail),
            // what a motor takes while it turns freely is a load that makers differ in
            Part::Switch { .. } if id.starts_with("spinning") => Some(Self::Loads),
            Part::Ratio { .. } if has("throttle") && open => Some(Self::ThrottleFull),
            Part::Ratio { .. } if has("throttle") => Some(Self::ThrottleRest),
            Part::Ratio { .. } if has("data") => Some(Self::Data),
            Part::Resistor { .. } if has("frame") => Some(Self::Insulation),
            Part::Resistor { .. } if has("winding") || has("armature") || has("brush") => {
                Some(Self::Windings)
            }
            Part::Resistor { .. } if has("pull") || has("divider") => Some(Self::Pulls),
            Part::Resistor { .. } if has("supply") || has("led") || has("lights") => {
                Some(Self::Supplies)
            }
            Part::Resistor { ohms } if *ohms >= 10.0 => Some(Self::Loads),
            Part::Resistor { .. } => {
                let strand = id.split('.').next().and_then(|s| family.strand(s));
                Some(match strand.map(|s| s.carries) {
                    Some(Carries::Signals) => Self::Wires,
                    _ => Self::Leads,
                })
            }
            _ => None,
        }
    }
}
