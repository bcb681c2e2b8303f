//! What the vehicle has: slot by slot the component that stands there, where it is known from, and what else fits.

use super::Job;
use super::profile::Named;
use crate::catalogue::Catalogue;
use serde::Serialize;
use spannung_circuit::build::{Join, Kind, Slot};
use spannung_circuit::family::{Strand, Wire};
use spannung_circuit::otherwise::fitting;
use spannung_circuit::{Change, Family, KnownFrom, Shelf};
use utoipa::ToSchema;

/// A slot of this vehicle.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct SlotView {
    /// Slot id.
    pub slot: String,
    /// What it is called on this vehicle.
    pub name: String,
    /// Kind id; none: nothing stands there.
    pub kind: Option<String>,
    /// The kind in words.
    pub words: String,
    /// Key shape that it is drawn with.
    pub drawing: String,
    /// Where it is known from; none while it is only assumed.
    pub source: Option<KnownFrom>,
    /// Another one than such a vehicle begins with.
    pub changed: bool,
    /// May it be taken off?
    pub needed: bool,
    /// Ids of the figures of its label.
    pub figures: Vec<String>,
    /// Its wires and what they lead to.
    pub joins: Vec<JoinView>,
    /// The kinds that go together with the rest, the likeliest first, with the one that is there.
    pub fits: Vec<KindView>,
}

/// A wire of a component.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct JoinView {
    /// Strand id.
    pub strand: String,
    /// Name of its plug.
    pub plug: String,
    /// Pin.
    pub pin: u8,
    /// Insulation colour.
    pub code: String,
    /// The same on the device's half of the plug, where it is another one.
    pub lead_code: Option<String>,
    /// What it carries.
    pub function: String,
    /// What it leads to; none: nowhere.
    pub to: Option<String>,
    /// Was that said here?
    pub changed: bool,
    /// What it could lead to.
    pub can: Vec<Named>,
}

/// A kind that fits in a slot.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct KindView {
    /// Kind id.
    pub kind: String,
    /// Name.
    pub name: String,
    /// The one look that tells it from the others.
    pub look: String,
    /// Of what stands there on the road, so many in a hundred are of this kind.
    pub percent: u8,
}

/// A point that a wire can lead to, in words.
pub(crate) fn point(id: &str, shelf: &Shelf) -> String {
    match id.split_once('@') {
        Some((function, slot)) => {
            let slot = shelf.slot(slot).map_or(slot, |s| s.name.as_str());
            format!("{function}, {}", slot.to_lowercase())
        }
        None => id.into(),
    }
}

/// The wires of the component in a slot.
fn joins(family: &Family, slot: &Slot, kind: &Kind, shelf: &Shelf) -> Vec<JoinView> {
    let own = kind.strands_in(slot);
    let strands = family
        .strands
        .iter()
        .filter(|s| own.contains(s.id.get_ref()));
    let plug = |id: &str| {
        let found = family.plugs.iter().find(|p| p.id.get_ref() == id);
        found.map_or_else(String::new, |p| p.name.clone())
    };
    let wire = |s: &Strand, w: &Wire| {
        let said = |j: &&Join| &j.strand == s.id.get_ref() && j.pin == w.pin;
        let said = family.build.joins.iter().find(said);
        JoinView {
            strand: s.id.get_ref().clone(),
            plug: plug(&s.plug),
            pin: w.pin,
            code: w.code.clone(),
            lead_code: w.lead_code.clone(),
            function: w.function.clone(),
            to: said.map_or_else(|| Some(w.function.clone()), |j| j.to.clone()),
            changed: said.is_some(),
            can: family
                .build
                .joinable(&w.function, shelf)
                .into_iter()
                .map(|id| Named {
                    name: point(&id, shelf),
                    id,
                })
                .collect(),
        }
    };
    strands
        .flat_map(|s| s.wires.iter().map(move |w| wire(s, w)))
        .collect()
}

impl Job {
    /// What the vehicle has, in the order of the path, and after it what could be put in; nothing without a wiring model.
    pub fn has(&self, catalogue: &Catalogue) -> Vec<SlotView> {
        let (Some(family), Some(begun)) = (self.family(catalogue), self.begun(catalogue)) else {
            return Vec::new();
        };
        let Ok(shelf) = Shelf::shipped() else {
            return Vec::new();
        };
        let build = &family.build;
        // what was said to be another ready build is not changed from that one
        let said = self.changes.iter().rev().find_map(|c| match &c.change {
            Change::Kind { family } => spannung_circuit::build::ready(family, shelf).ok(),
            _ => None,
        });
        let began = said.as_ref().unwrap_or(&begun.build);
        // as it is drawn here, colours and moved pins with it
        let own = self.own_family(catalogue);
        let own = own.as_ref().unwrap_or(family);
        let mut out: Vec<SlotView> = shelf
            .slots
            .iter()
            .map(|slot| {
                let id = slot.id.get_ref();
                let there = build.in_slot(id);
                let kind = there.and_then(|c| shelf.kind(&c.kind));
                let said =
                    self.changes.iter().rev().find(
                        |c| matches!(&c.change, Change::Component { slot, .. } | Change::Likely { slot, .. } if slot == id),
                    );
                let was = began.in_slot(id).map(|c| c.kind.as_str());
                let name = there.and_then(|c| c.name.as_ref()).unwrap_or(&slot.name);
                SlotView {
                    slot: id.clone(),
                    name: name.clone(),
                    kind: kind.map(|k| k.id.get_ref().clone()),
                    words: kind.map_or_else(|| "none".into(), |k| k.name.clone()),
                    drawing: kind.map_or_else(String::new, |k| k.drawing.clone()),
                    source: said
                        .filter(|c| matches!(c.change, Change::Component { .. }))
                        .and_then(|c| c.source),
                    changed: was != there.map(|c| c.kind.as_str()),
                    needed: slot.needed,
                    figures: kind.map_or_else(Vec::new, |k| {
                        let each = k.figures.iter();
                        each.map(|f| f.id.get_ref().clone()).collect()
                    }),
                    joins: kind.map_or_else(Vec::new, |k| joins(own, slot, k, shelf)),
                    fits: fitting(build, std::slice::from_ref(id), shelf)
                        .into_iter()
                        .map(|f| KindView {
                            kind: f.kind.id.get_ref().clone(),
                            name: f.kind.name.clone(),
                            look: f.kind.look.clone(),
                            percent: (f.share * 100.0).round() as u8,
                        })
                        .collect(),
                }
            })
            // what nothing can be put into, and is empty, is no slot of such a vehicle
            .filter(|s| s.kind.is_some() || s.changed || !s.fits.is_empty())
            .collect();
        out.sort_by_key(|s| s.kind.is_none() && !s.changed);
        out
    }

    /// What a look at a slot may say is there, the likeliest first: what is assumed, what else fits, and nothing where that can
    /// be. Empty for a slot that no such vehicle has.
    pub fn likely(&self, catalogue: &Catalogue, slot: &str) -> Vec<Change> {
        let (Some(family), Ok(shelf)) = (self.family(catalogue), Shelf::shipped()) else {
            return Vec::new();
        };
        let Some(spec) = shelf.slot(slot) else {
            return Vec::new();
        };
        let there = family.build.in_slot(slot).map(|c| c.kind.clone());
        let slots = std::slice::from_ref(spec.id.get_ref());
        let fits = fitting(&family.build, slots, shelf).into_iter();
        let fits = fits.map(|f| f.kind.id.get_ref().clone());
        let others = fits.filter(|kind| Some(kind) != there.as_ref());
        let none = there.is_some() && !spec.needed;
        let kinds = there.iter().cloned().chain(others).map(Some);
        let said = kinds.chain(none.then_some(None));
        said.map(|kind| Change::Component {
            slot: slot.into(),
            kind,
        })
        .collect()
    }
}
