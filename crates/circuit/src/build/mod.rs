//! Builds: any vehicle, put together from components that are joined by their plugs. A family is a named, ready build; the
//! rest of the program reasons about the [`Family`](crate::Family) that comes out of one.

mod assemble;
mod join;
mod kind;
mod near;

pub use join::{FUNCTIONS, Function, Join, MOST_JOINS, fed_by_host, from_the_pack};
pub use kind::{Kind, SECTIONS, SLOTS, Shelf, Slot, texts};
pub use near::{ROAD, Road, read_road, ready, road};

use crate::error::CircuitError;
use crate::family::{Cells, ProofLimit};
use serde::Deserialize;
use std::collections::{BTreeMap, BTreeSet};
use toml::Spanned;

/// Most components of one build.
pub const MOST_COMPONENTS: usize = 40;

/// How a plug looks on this build; what is not said is the kind's.
#[derive(Debug, Clone, Default, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct PlugLooks {
    /// Name.
    pub name: Option<String>,
    /// Pins on its face.
    pub pins: Option<u8>,
    /// `round` or `flat`.
    pub face: Option<String>,
    /// Access code of the place where it can be reached.
    pub access: Option<String>,
}

/// A figure of a label: its value, or value, least and most that are accepted.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(untagged)]
pub enum FigureSet {
    /// Value.
    Usual(f64),
    /// Value, least, most.
    Range([f64; 3]),
}

/// A component in its slot.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Component {
    /// Slot id.
    pub slot: Spanned<String>,
    /// Kind id.
    pub kind: String,
    /// What it is called on this vehicle, if not as its slot.
    #[serde(default)]
    pub name: Option<String>,
    /// Values of its inner elements and strands: `part.field` or `strand.field` → figure.
    #[serde(default)]
    pub set: BTreeMap<String, f64>,
    /// Figures of its label.
    #[serde(default)]
    pub figures: BTreeMap<String, FigureSet>,
    /// Insulation colours: `strand.pin` → code.
    #[serde(default)]
    pub colours: BTreeMap<String, String>,
    /// Plugs that look otherwise.
    #[serde(default)]
    pub plugs: BTreeMap<String, PlugLooks>,
    /// Words for points that differ.
    #[serde(default)]
    pub points: BTreeMap<String, String>,
}

/// Cells that a build says; the rest is the pack kind's.
#[derive(Debug, Clone, Default, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct CellsSet {
    /// Groups in series.
    pub groups: Option<usize>,
    /// Chemistry key.
    pub chemistry: Option<String>,
    /// Inner ohms per group.
    pub ohms: Option<f64>,
    /// Capacity, Ah.
    pub amp_hours: Option<f64>,
    /// Rested volts of a group.
    pub rest_volts: Option<f64>,
    /// Full volts of a group.
    pub full_volts: Option<f64>,
    /// Floor of a group.
    pub floor_volts: Option<f64>,
}

/// A vehicle as its components.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Build {
    /// Id.
    pub id: String,
    /// Name.
    pub name: String,
    /// Voltage class.
    pub volts_class: u16,
    /// Drive as it looks.
    pub drive: String,
    /// What its owner calls such a vehicle: words and phrases that tell it from others of the same volts and drive.
    #[serde(default)]
    pub called: Vec<String>,
    /// Priors column, where it is not that of the frame.
    #[serde(default)]
    pub group: Option<String>,
    /// Traits beside those of its components.
    #[serde(default)]
    pub traits: BTreeSet<String>,
    /// Cells.
    #[serde(default)]
    pub cells: CellsSet,
    /// What a sound one reads in a check of the proof.
    #[serde(default)]
    pub proof: BTreeMap<String, ProofLimit>,
    /// Strands in the order in which they are drawn, where that is not the components'.
    #[serde(default)]
    pub drawn: Vec<String>,
    /// Its components.
    #[serde(rename = "component")]
    pub components: Vec<Component>,
    /// Joins that are not as the functions say.
    #[serde(default, rename = "join")]
    pub joins: Vec<Join>,
    /// Slots of which somebody said what stands there; the others are only assumed.
    #[serde(skip)]
    pub told: BTreeSet<String>,
}

impl Build {
    /// Read a build's file.
    ///
    /// # Errors
    /// File and line of TOML that does not parse, a slot or kind that does not exist, a kind that does not fit its slot, a
    /// slot filled twice, a needed one that is empty.
    pub fn parse(file: &str, text: &str, shelf: &Shelf) -> Result<Self, CircuitError> {
        let build: Self = toml::from_str(text).map_err(|e| CircuitError::toml(file, text, &e))?;
        build
            .check(shelf)
            .map_err(|(offset, m)| CircuitError::at(file, text, offset, m))?;
        Ok(build)
    }

    /// Everything in its place? Offset in the build's text, and a sentence.
    pub(crate) fn check(&self, shelf: &Shelf) -> Result<(), (usize, String)> {
        if self.components.len() > MOST_COMPONENTS {
            return Err((
                0,
                format!("{MOST_COMPONENTS} components are kept of one vehicle"),
            ));
        }
        for (k, c) in self.components.iter().enumerate() {
            let start = c.slot.span().start;
            let slot = c.slot.get_ref();
            let Some(found) = shelf.slot(slot) else {
                return Err((start, format!("there is no slot “{slot}”")));
            };
            let Some(kind) = shelf.kind(&c.kind) else {
                return Err((start, format!("there is no component kind “{}”", c.kind)));
            };
            if !kind.fits(slot) {
                let name = found.name.to_lowercase();
                return Err((
                    start,
                    format!("{} does not fit where the {name} is", kind.name),
                ));
            }
            if self.components[..k]
                .iter()
                .any(|o| o.slot.get_ref() == slot)
            {
                return Err((start, format!("two components in the place of the {slot}")));
            }
        }
        let filled = |s: &&Slot| self.in_slot(s.id.get_ref()).is_some();
        for slot in shelf.slots.iter().filter(filled) {
            let beside = slot.beside.as_deref().and_then(|b| shelf.slot(b));
            if let Some(beside) = beside.filter(|b| !filled(b)) {
                let (name, other) = (slot.name.to_lowercase(), beside.name.to_lowercase());
                return Err((
                    0,
                    format!("there is a {name} and no {other}: the two stand or fall together"),
                ));
            }
        }
        match shelf.slots.iter().filter(|s| s.needed).find(|s| !filled(s)) {
            Some(slot) => Err((
                0,
                format!(
                    "there is no {}: nothing can be worked out",
                    slot.name.to_lowercase()
                ),
            )),
            None => Ok(()),
        }
    }

    /// The component in a slot.
    pub fn in_slot(&self, slot: &str) -> Option<&Component> {
        self.components.iter().find(|c| c.slot.get_ref() == slot)
    }

    /// Another kind in a slot, or nothing.
    ///
    /// # Errors
    /// A slot or a kind that does not exist, a kind that does not fit, a needed component taken off.
    pub fn swap(
        &mut self,
        slot: &str,
        kind: Option<&str>,
        shelf: &Shelf,
    ) -> Result<(), CircuitError> {
        let found = shelf.slot(slot).ok_or_else(|| CircuitError::Unknown {
            kind: "slot",
            name: slot.into(),
        })?;
        let at = self
            .components
            .iter()
            .position(|c| c.slot.get_ref() == slot);
        let beside = found.beside.as_deref();
        let Some(kind) = kind else {
            self.components
                .retain(|c| c.slot.get_ref() != slot && Some(c.slot.get_ref().as_str()) != beside);
            return self.check(shelf).map_err(|(_, m)| CircuitError::Change(m));
        };
        let new = shelf.kind(kind).ok_or_else(|| CircuitError::Unknown {
            kind: "component kind",
            name: kind.into(),
        })?;
        if !new.fits(slot) {
            return Err(CircuitError::Change(format!(
                "{} does not fit where the {} is",
                new.name,
                found.name.to_lowercase()
            )));
        }
        let id = new.id.get_ref();
        if at.is_some_and(|at| self.components[at].kind == *id) {
            return Ok(());
        }
        let fresh = Component {
            slot: Spanned::new(0..0, slot.into()),
            kind: id.clone(),
            name: at.and_then(|at| self.components[at].name.clone()),
            set: BTreeMap::new(),
            figures: BTreeMap::new(),
            colours: BTreeMap::new(),
            plugs: BTreeMap::new(),
            points: BTreeMap::new(),
        };
        match at {
            Some(at) => self.components[at] = fresh,
            None => {
                // the path keeps its order
                let rank = |s: &str| shelf.slots.iter().position(|o| o.id.get_ref() == s);
                let own = rank(slot);
                let before = |c: &Component| rank(c.slot.get_ref()) > own;
                let place = self.components.iter().position(before);
                let place = place.unwrap_or(self.components.len());
                self.components.insert(place, fresh);
            }
        }
        if let Some(beside) = beside.filter(|b| self.in_slot(b).is_none())
            && let Some(usual) = shelf.fitting(beside).first()
        {
            return self.swap(beside, Some(usual.id.get_ref()), shelf);
        }
        self.check(shelf).map_err(|(_, m)| CircuitError::Change(m))
    }

    /// A wire leads elsewhere than to what it carries. What is said last counts.
    pub fn rejoin(&mut self, join: Join) {
        self.joins
            .retain(|j| j.strand != join.strand || j.pin != join.pin);
        self.joins.push(join);
    }

    /// Cells of its pack.
    ///
    /// # Errors
    /// A chemistry that does not exist, a pack kind without cells.
    pub fn cells(&self, shelf: &Shelf) -> Result<Cells, CircuitError> {
        let pack = self.in_slot("pack").and_then(|c| shelf.kind(&c.kind));
        let cells = pack.and_then(|k| k.cells.clone());
        let mut cells =
            cells.ok_or_else(|| CircuitError::Change("the pack has no cells".into()))?;
        let own = &self.cells;
        if let Some(key) = own.chemistry.as_ref().filter(|c| **c != cells.chemistry) {
            let known = crate::alteration::chemistries()?;
            let found = known.get(key).ok_or_else(|| CircuitError::Unknown {
                kind: "chemistry",
                name: key.clone(),
            })?;
            cells.rest_volts = found.rest_volts;
            cells.full_volts = found.full_volts;
            cells.floor_volts = found.floor_volts;
            cells.chemistry.clone_from(key);
        }
        cells.groups = own.groups.unwrap_or(cells.groups);
        cells.ohms = own.ohms.unwrap_or(cells.ohms);
        cells.amp_hours = own.amp_hours.unwrap_or(cells.amp_hours);
        cells.rest_volts = own.rest_volts.unwrap_or(cells.rest_volts);
        cells.full_volts = own.full_volts.unwrap_or(cells.full_volts);
        cells.floor_volts = own.floor_volts.unwrap_or(cells.floor_volts);
        Ok(cells)
    }
}
