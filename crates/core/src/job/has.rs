//! What the vehicle has: slot by slot the component that stands there, where it is known from, and what else fits.

use super::Job;
use crate::catalogue::Catalogue;
use serde::Serialize;
use spannung_circuit::build::{Kind, Slot};
use spannung_circuit::{Build, Change, KnownFrom, Shelf};
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
    /// The kinds that go together with the rest, the likeliest first, with the one that is there.
    pub fits: Vec<KindView>,
}

/// A kind that fits in a slot.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct KindView {
    /// Kind id.
    pub kind: String,
    /// Name.
    pub name: String,
    /// Of what stands there on the road, so many in a hundred are of this kind.
    pub percent: u8,
}

/// The kinds that can stand in this slot of this build.
fn fitting(build: &Build, slot: &Slot, shelf: &Shelf) -> Vec<KindView> {
    let id = slot.id.get_ref();
    let goes = |kind: &&Kind| {
        let mut tried = build.clone();
        let swapped = tried.swap(id, Some(kind.id.get_ref()), shelf);
        swapped.is_ok() && tried.family(shelf).is_ok()
    };
    let all: Vec<&Kind> = shelf.fitting(id).into_iter().filter(goes).collect();
    let whole: f64 = all.iter().map(|k| k.share).sum();
    let percent = |k: &Kind| (k.share / whole.max(1e-9) * 100.0).round() as u8;
    all.into_iter()
        .map(|k| KindView {
            kind: k.id.get_ref().clone(),
            name: k.name.clone(),
            percent: percent(k),
        })
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
        let mut out: Vec<SlotView> = shelf
            .slots
            .iter()
            .map(|slot| {
                let id = slot.id.get_ref();
                let there = build.in_slot(id);
                let kind = there.and_then(|c| shelf.kind(&c.kind));
                let said =
                    self.changes.iter().rev().find(
                        |c| matches!(&c.change, Change::Component { slot, .. } if slot == id),
                    );
                let was = begun.build.in_slot(id).map(|c| c.kind.as_str());
                let name = there.and_then(|c| c.name.as_ref()).unwrap_or(&slot.name);
                SlotView {
                    slot: id.clone(),
                    name: name.clone(),
                    kind: kind.map(|k| k.id.get_ref().clone()),
                    words: kind.map_or_else(|| "none".into(), |k| k.name.clone()),
                    drawing: kind.map_or_else(String::new, |k| k.drawing.clone()),
                    source: said.and_then(|c| c.source),
                    changed: was != there.map(|c| c.kind.as_str()),
                    needed: slot.needed,
                    fits: fitting(build, slot, shelf),
                }
            })
            // what nothing can be put into, and is empty, is no slot of such a vehicle
            .filter(|s| s.kind.is_some() || s.changed || !s.fits.is_empty())
            .collect();
        out.sort_by_key(|s| s.kind.is_none() && !s.changed);
        out
    }
}
