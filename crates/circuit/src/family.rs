//! A vehicle family: what every vehicle of this kind has in common. It is worked out from the components of a build.

use crate::build::{Build, Shelf};
use crate::error::CircuitError;
use crate::state::VehicleState;
use include_dir::{Dir, include_dir};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use toml::Spanned;

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
pub const TRAITS: [&str; 44] = [
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
    /// Is it whole: places, plugs, pins and figures that exist, and no point that hangs on one element alone?
    ///
    /// # Errors
    /// A sentence for the first thing that is wrong.
    pub(crate) fn whole(&self) -> Result<(), CircuitError> {
        let wrong = |message: String| Err(CircuitError::Change(format!("{}: {message}", self.id)));
        if self.plug("dock").is_none() {
            return wrong("it has no plug “dock”: where pack and vehicle part".into());
        }
        if self.group.is_empty() {
            return wrong("no component says what kind of vehicle it is".into());
        }
        for plug in &self.plugs {
            if !self.access.contains_key(&plug.access) {
                return wrong(format!("there is no access code “{}”", plug.access));
            }
            if !self.segments.iter().any(|s| s.id == plug.segment) {
                return wrong(format!("there is no segment “{}”", plug.segment));
            }
        }
        for strand in &self.strands {
            let Some(plug) = self.plug(&strand.plug) else {
                return wrong(format!("there is no plug “{}”", strand.plug));
            };
            if !self.segments.iter().any(|s| s.id == strand.segment) {
                return wrong(format!("there is no segment “{}”", strand.segment));
            }
            let has = |pin: u8| strand.wires.iter().any(|w| w.pin == pin);
            if !has(strand.reference) {
                return wrong(format!(
                    "{}: reference pin {} has no wire",
                    strand.name, strand.reference
                ));
            }
            for wire in &strand.wires {
                if wire.pin == 0 || wire.pin > plug.pins {
                    return wrong(format!(
                        "pin {} is not on the {} pins of {}",
                        wire.pin, plug.pins, plug.name
                    ));
                }
                let same = self.strands.iter().filter(|s| s.plug == strand.plug);
                let on_pin = same.flat_map(|s| &s.wires).filter(|w| w.pin == wire.pin);
                if on_pin.count() > 1 {
                    return wrong(format!("two wires on pin {} of {}", wire.pin, plug.name));
                }
            }
        }
        let mut tried = self.clone();
        for figure in &self.figures {
            let far = figure.shifts.keys().chain(figure.ratios.keys());
            for target in figure.sets.iter().chain(&figure.divides).chain(far) {
                tried.target(target)?;
            }
        }
        self.check_nodes()
    }

    /// Every node must be touched by two elements at least, or it hangs in the air: a wire that leads nowhere is a slip of
    /// the pen, unless a join says so.
    fn check_nodes(&self) -> Result<(), CircuitError> {
        let mut touched: BTreeMap<&str, usize> = BTreeMap::new();
        let own = (0..=self.cells.groups).map(|k| format!("C{k}"));
        let cells: Vec<String> = own.chain(["CS".into()]).collect();
        for c in &cells {
            touched.insert(c, 2);
        }
        for wire in self.strands.iter().flat_map(|s| &s.wires) {
            for node in [&wire.from, &wire.to] {
                *touched.entry(node).or_default() += 1;
            }
        }
        for part in &self.parts {
            let ends = [Some(&part.a), Some(&part.b), part.c.as_ref()];
            for node in ends.into_iter().flatten() {
                *touched.entry(node).or_default() += 1;
            }
        }
        let joined = !self.build.joins.is_empty();
        match touched.iter().find(|(_, n)| **n < 2 && !joined) {
            Some((node, _)) => Err(CircuitError::Change(format!(
                "{}: point “{node}” hangs on one element alone",
                self.id
            ))),
            None => Ok(()),
        }
    }

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
