//! A vehicle family: what every vehicle of this kind has in common. It is worked out from the components of a build.

mod figures;
mod harness;
mod whole;

pub use figures::{Armature, Cells, Figure, Interlock, Logic, Motor, ProofLimit, Shows};
pub use harness::{Access, Carries, PartSpec, Plug, Strand, Wire};

use crate::build::{Build, Shelf};
use crate::error::CircuitError;
use crate::state::VehicleState;
use include_dir::{Dir, include_dir};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};

/// Volts of the rail that a ratio of it refers to.
const RAIL: &str = "part.rail-5v.volts";

static FOLDER: Dir<'static> = include_dir!("$CARGO_MANIFEST_DIR/data/families");

/// File name and text of the families that ship with the program: every TOML file of
/// `data/families`, by name.
pub fn shipped() -> Vec<(&'static str, &'static str)> {
    let mut files: Vec<_> = FOLDER
        .files()
        .filter_map(|f| Some((f.path().to_str()?, f.contents_utf8()?)))
        .filter(|(name, _)| name.ends_with(".toml"))
        .collect();
    files.sort_unstable();
    files
}

/// What the names of a second drive's points, parts, plugs and strands end on.
pub const SECOND: &str = "-2";

/// What a second drive calls by a name of the first: `phase-2.1.lead` for `phase.1.lead`.
pub fn of_second(name: &str) -> String {
    let (head, rest) = name.split_at(name.find('.').unwrap_or(name.len()));
    format!("{head}{SECOND}{rest}")
}

/// What the first drive calls by a name of the second; none for what is no name of a second.
pub fn first_of(name: &str) -> Option<String> {
    let (head, rest) = name.split_at(name.find('.').unwrap_or(name.len()));
    Some(format!("{}{rest}", head.strip_suffix(SECOND)?))
}

/// What a family can have, so that faults, tests and symptoms can say where they belong.
pub const TRAITS: [&str; 45] = [
    "lithium",
    "lead",
    "docked-pack",
    "second-pack",
    "pack-switch",
    "pack-data",
    "pack-combiner",
    "pack-selector",
    "charge-id",
    "anti-spark",
    "breaker",
    "worn-track",
    "shift-sensor",
    "shared-loom",
    "remote-box",
    "electronic",
    "brushless",
    "sensorless",
    "halls-or-none",
    "brushed",
    "twin-motors",
    "second-drive",
    "alarm",
    "hub-motor",
    "direct-hub",
    "folding",
    "geared-hub",
    "mid-motor",
    "round-motor-plug",
    "chain",
    "bicycle",
    "pedals",
    "throttle",
    "levers",
    "key-switch",
    "main-switch",
    "kill-switch",
    "display",
    "lamp",
    "settings",
    "contactor",
    "converter",
    "regen",
    "toy",
    "ranges",
];

/// Does a family with these traits fit? Every word must be there, every `!word` must not.
pub fn fits(traits: &BTreeSet<String>, wanted: &[String]) -> bool {
    wanted.iter().all(|w| match w.strip_prefix('!') {
        Some(w) => !traits.contains(w),
        None => traits.contains(w),
    })
}

/// The first wanted trait that is none.
pub fn unknown_trait(wanted: &[String]) -> Option<&str> {
    let bare = |w: &'_ String| -> bool {
        let w = w.strip_prefix('!').unwrap_or(w);
        TRAITS.contains(&w)
    };
    wanted.iter().find(|w| !bare(w)).map(String::as_str)
}

/// A vehicle of one kind, worked out from its build.
#[derive(Debug, Clone, PartialEq)]
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
    /// What it has, out of [`TRAITS`].
    pub traits: BTreeSet<String>,
    /// Direction in which the wheel is turned by hand for motor tests.
    pub turn: String,
    /// Name of the middle of the drawing: “Controller”, or the switches of a vehicle without one.
    pub middle: String,
    /// What stands in the middle: id → name, in drawing order. A fault's place is one of them.
    pub middle_boxes: Vec<Segment>,
    /// How the motor turns.
    pub motor: Motor,
    /// Words for points that are no pin of a plug, as the technician finds them: node → words.
    pub points: BTreeMap<String, String>,
    /// What lights.
    pub shows: Vec<Shows>,
    /// What forbids driving.
    pub interlocks: Vec<Interlock>,
    /// Figures that differ from vehicle to vehicle.
    pub figures: Vec<Figure>,
    /// What such a vehicle reads when it is proved, by check.
    pub proof: BTreeMap<String, ProofLimit>,
    /// Cells.
    pub cells: Cells,
    /// Logic thresholds.
    pub logic: Logic,
    /// Access codes.
    pub access: BTreeMap<String, Access>,
    /// How often a fault comes on what it has, in times of its weight; what is not named, as often.
    pub odds: BTreeMap<String, f64>,
    /// Segments of the strip in drawing order: id → name.
    pub segments: Vec<Segment>,
    /// Plugs.
    pub plugs: Vec<Plug>,
    /// Strands.
    pub strands: Vec<Strand>,
    /// Other elements.
    pub parts: Vec<PartSpec>,
    /// Brake strands whose switch opens when squeezed.
    pub opens: Vec<String>,
    /// The components that it is put together from.
    pub build: Build,
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
    /// What a figure sets: `logic.FIELD` or `part.ID.FIELD`.
    pub(crate) fn target(&mut self, path: &str) -> Result<&mut f64, CircuitError> {
        let unknown = || CircuitError::Unknown {
            kind: "figure of the circuit",
            name: path.into(),
        };
        if let Some(field) = path.strip_prefix("logic.") {
            let logic = &mut self.logic;
            return Ok(match field {
                "cutoff_volts" => &mut logic.cutoff_volts,
                "rail_min_volts" => &mut logic.rail_min_volts,
                "throttle_start_volts" => &mut logic.throttle_start_volts,
                "throttle_full_volts" => &mut logic.throttle_full_volts,
                "throttle_lockout_volts" => &mut logic.throttle_lockout_volts,
                _ => return Err(unknown()),
            });
        }
        let (id, field) = path
            .strip_prefix("part.")
            .and_then(|p| p.split_once('.'))
            .ok_or_else(unknown)?;
        let part = self.parts.iter_mut().find(|p| p.id.get_ref() == id);
        let part = part.ok_or_else(unknown)?;
        part.figure_mut(field).ok_or_else(unknown)
    }

    /// A figure of a label has this value: what it sets in the circuit follows.
    ///
    /// # Errors
    /// A figure that there is not, a value out of its range.
    pub(crate) fn label_as(&mut self, id: &str, value: f64) -> Result<(), CircuitError> {
        let figure = self.figures.iter().find(|f| f.id.get_ref() == id);
        let figure = figure.cloned().ok_or_else(|| CircuitError::Unknown {
            kind: "figure",
            name: id.into(),
        })?;
        if !(figure.least..=figure.most).contains(&value) {
            return Err(CircuitError::Change(format!(
                "{}: {value} {} cannot be; {} to {} {} are accepted",
                figure.name, figure.unit, figure.least, figure.most, figure.unit
            )));
        }
        for target in &figure.sets {
            *self.target(target)? = value;
        }
        for (target, more) in &figure.shifts {
            *self.target(target)? = value + more;
        }
        if !figure.ratios.is_empty() {
            let rail = *self.target(RAIL)?;
            for (target, [more, times]) in &figure.ratios {
                *self.target(target)? = (value + more) * times / rail;
            }
        }
        for target in &figure.divides {
            *self.target(target)? *= figure.usual / value;
        }
        let own = self.figures.iter_mut().find(|f| f.id.get_ref() == id);
        if let Some(own) = own {
            own.usual = value;
        }
        Ok(())
    }

    /// Does it have what is wanted?
    pub fn fits(&self, wanted: &[String]) -> bool {
        fits(&self.traits, wanted)
    }

    /// Has it an element of this name: a part, or a wire called by what it carries (`halls.wheel-speed`)?
    pub fn has_element(&self, id: &str) -> bool {
        let wire = |s: &Strand| {
            let own = id.strip_prefix(s.id.get_ref().as_str());
            let own = own.and_then(|rest| rest.strip_prefix('.'));
            own.is_some_and(|f| {
                s.wires
                    .iter()
                    .any(|w| crate::profile::slug(&w.function) == f)
            })
        };
        self.parts.iter().any(|p| p.id.get_ref() == id) || self.strands.iter().any(wire)
    }

    /// Has it this trait?
    pub fn has(&self, word: &str) -> bool {
        self.traits.contains(word)
    }

    /// The state fields that this family's switches and sensors follow, in the order of
    /// [`crate::state::FIELDS`]: what has no effect on it need not be asked for.
    pub fn fields(&self) -> Vec<&'static str> {
        let mut used: BTreeSet<&str> = BTreeSet::from(["battery", "wheel"]);
        for part in &self.parts {
            for text in [&part.when, &part.unless].into_iter().flatten() {
                for term in text.split('&') {
                    let field = term.split('=').next().unwrap_or_default();
                    used.insert(field.trim().trim_end_matches('!').trim());
                }
            }
            match (part.kind.as_str(), part.watches.as_deref()) {
                ("ratio", _) if part.full.is_some() => used.insert("throttle"),
                (_, Some("pedal")) => used.insert("crank"),
                _ => false,
            };
        }
        crate::state::FIELDS
            .into_iter()
            .filter(|f| used.contains(f))
            .collect()
    }

    /// Read a build's file and put it together.
    ///
    /// # Errors
    /// File and line of the first thing that is wrong, see [`Build::parse`]; what does not go together names the file.
    pub fn parse(file: &str, text: &str) -> Result<Self, CircuitError> {
        let shelf = Shelf::shipped()?;
        let family = Build::parse(file, text, shelf)?.family(shelf);
        family.map_err(|e| CircuitError::at(file, text, 0, e.to_string()))
    }

    /// A family that ships, by its id.
    ///
    /// # Errors
    /// There is none of this id, or it does not go together.
    pub fn shipped(id: &str) -> Result<Self, CircuitError> {
        let shelf = Shelf::shipped()?;
        crate::build::ready(id, shelf)?.family(shelf)
    }

    /// Volts of the pack when full.
    pub fn full_volts(&self) -> f64 {
        self.cells.full_volts * self.cells.groups as f64
    }

    /// What has to be done so that the motor is asked to drive, with the wheel off the ground.
    pub fn drive_on(&self) -> crate::Requirement {
        use crate::state::{Battery, Foot, Key, Throttle, Wheel};
        let fields = self.fields();
        let has = |f: &str| fields.contains(&f);
        crate::Requirement {
            battery: Some(Battery::In),
            key: Some(Key::On),
            wheel: Some(Wheel::Lifted),
            foot: has("foot").then_some(Foot::Down),
            throttle: has("throttle").then_some(Throttle::Full),
            ..crate::Requirement::default()
        }
    }

    /// What switches it on, in the rider's words.
    pub fn key_name(&self) -> &'static str {
        if self.has("key-switch") {
            "Key"
        } else if self.has("display") {
            "Display"
        } else {
            "Switch"
        }
    }

    /// Codes that the display shows by itself as the vehicle stands, for plugs that are apart.
    pub fn codes_apart(&self, state: &VehicleState) -> impl Iterator<Item = (&Plug, &str)> {
        let apart = |p: &&Plug| state.apart.contains(p.id.get_ref());
        let plugs = self.plugs.iter().filter(apart);
        plugs.filter_map(|p| Some((p, p.code_apart.as_deref()?)))
    }

    /// Plug by id.
    pub fn plug(&self, id: &str) -> Option<&Plug> {
        self.plugs.iter().find(|p| p.id.get_ref() == id)
    }

    /// Strand by id.
    pub fn strand(&self, id: &str) -> Option<&Strand> {
        self.strands.iter().find(|s| s.id.get_ref() == id)
    }

    /// What hangs on a strand, in small letters; the words of its id where this vehicle has none such.
    pub fn hangs_on(&self, strand: &str) -> String {
        let known = self.strand(strand);
        known.map_or_else(|| strand.replace('-', " "), |s| s.name.to_lowercase())
    }

    /// The strand that an element is a piece of a wire of, by the element's name: `throttle` of `throttle.3.run`.
    pub fn strand_of(&self, element: &str) -> Option<&Strand> {
        let (strand, _) = crate::netlist::wire(element)?.split_once('.')?;
        self.strand(strand)
    }

    /// Pack volts below which nothing may be switched on.
    pub fn floor_volts(&self) -> f64 {
        self.cells.floor_volts * self.cells.groups as f64
    }
}
