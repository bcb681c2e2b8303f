//! The ways in which a vehicle may be built otherwise, with what is read and seen of each: solved, or taken over from before a
//! change.

use crate::cores::share_out;
use crate::diagnosis::kept::Kept;
use crate::diagnosis::scale::Prediction;
use crate::diagnosis::signs::Seen;
use crate::diagnosis::solved::{Moved, Vehicle};
use spannung_circuit::behaviour::Scene;
use spannung_circuit::family::Shows;
use spannung_circuit::netlist::{Element, Netlist, Part};
use spannung_circuit::otherwise::{self, Way};
use spannung_circuit::{Change, CircuitError, FaultCase, Profile};
use std::collections::BTreeSet;
use std::sync::Arc;

/// Fault id of the cases that are ways to build a vehicle.
pub const BUILT: &str = "built";

/// In what a way is other than the vehicle as drawn.
#[derive(Debug, Clone, PartialEq)]
struct Other {
    id: String,
    changes: Vec<Change>,
    /// Elements that are others, with the names of their points in place of the points.
    elements: Vec<(Element, Vec<String>)>,
    traits: BTreeSet<String>,
    shows: Option<Vec<Shows>>,
}

/// A way that was looked into, and which of the vehicle's ways it is; none where nothing reads or shows otherwise, or it would not
/// drive.
#[derive(Debug, Clone)]
pub(super) struct LookedInto {
    other: Other,
    way: Option<usize>,
}

/// What is read and seen of a vehicle.
type Found = (Vec<Prediction>, Seen);

/// The ways that are somebody's question.
#[derive(Default)]
pub(super) struct Ways {
    pub all: Vec<Arc<Way>>,
    /// Of each, what all probes read.
    pub rows: Vec<Vec<Prediction>>,
    /// Of each, what is seen.
    pub signs: Vec<Seen>,
    /// Those that are nobody's as well.
    pub looked_into: Vec<LookedInto>,
}

impl Other {
    fn of(profile: &Profile, net: &Netlist, way: &Way) -> Self {
        let each = way.net.elements.iter().enumerate();
        let other = each.filter(|(k, e)| net.elements.get(*k) != Some(e));
        let (drawn, built) = (&profile.family, &way.profile.family);
        let traits = drawn.traits.symmetric_difference(&built.traits);
        Self {
            id: way.id.clone(),
            changes: way.changes.clone(),
            elements: other.map(|(_, e)| by_name(&way.net, e)).collect(),
            traits: traits.cloned().collect(),
            shows: (drawn.shows != built.shows).then(|| built.shows.clone()),
        }
    }
}

/// An element without its points, and their names: two netlists number them otherwise.
fn by_name(net: &Netlist, element: &Element) -> (Element, Vec<String>) {
    let mut plain = element.clone();
    let mut points = vec![plain.a, plain.b, plain.c];
    (plain.a, plain.b, plain.c) = (0, 0, 0);
    if let Part::Relay { closes, .. } = &mut plain.part {
        for level in closes {
            points.extend([level.plus, level.minus]);
            (level.plus, level.minus) = (0, 0);
        }
    }
    let name = |point: &usize| net.nodes[*point].clone();
    (plain, points.iter().map(name).collect())
}

/// A way as it is put together, before anything of it is solved.
pub(super) struct PutTogether {
    way: Way,
    other: Other,
}

impl PutTogether {
    /// All ways that are open for a vehicle.
    ///
    /// # Errors
    /// A way that does not build.
    pub fn all(profile: &Profile, net: &Netlist) -> Result<Vec<Self>, CircuitError> {
        let one = |way: Way| Self {
            other: Other::of(profile, net, &way),
            way,
        };
        let ways = otherwise::ways(profile, net)?;
        Ok(ways.into_iter().map(one).collect())
    }
}

impl Ways {
    /// Those of the ways of a vehicle that are somebody's question; `seen` of it as it is drawn.
    pub fn of(
        vehicle: &Vehicle<'_>,
        kept: Option<(&Kept<'_>, &Moved<'_>)>,
        seen: &Seen,
        built: Vec<PutTogether>,
    ) -> Self {
        let one = |PutTogether { way, other }: &PutTogether| {
            let known = kept.and_then(|(kept, moved)| vehicle.as_before(kept, moved, way, other));
            let found = known.unwrap_or_else(|| Some(vehicle.built(way)));
            found.filter(|(row, now)| {
                // what reads and looks like the drawing is nobody's question
                let alike = row == vehicle.sound && now == seen;
                !alike && vehicle.asked.drives_like(vehicle.catalogue, now, seen)
            })
        };
        let found = share_out(built.len(), |places| {
            places.iter().map(|k| (*k, one(&built[*k]))).collect()
        });
        let mut ways = Self::default();
        for (PutTogether { way, other }, found) in built.into_iter().zip(found) {
            let place = found.is_some().then_some(ways.all.len());
            ways.looked_into.push(LookedInto { other, way: place });
            if let Some((row, seen)) = found {
                ways.all.push(Arc::new(way));
                ways.rows.push(row);
                ways.signs.push(seen);
            }
        }
        ways
    }
}

impl Vehicle<'_> {
    /// What is read and seen of it when it is built so.
    fn built(&self, way: &Way) -> Found {
        let (circuit, row) = self.forward.built(&way.net, self.sound);
        let scene = Scene::of(&way.profile, &way.net, &circuit, None);
        (row, self.asked.look(self.catalogue, &scene))
    }

    /// The same where a change does not reach it: as before, and what the change moves is solved. Some of none for one that
    /// was nobody's question.
    fn as_before(
        &self,
        kept: &Kept<'_>,
        moved: &Moved<'_>,
        way: &Way,
        other: &Other,
    ) -> Option<Option<Found>> {
        if !kept.signs || kept.reach.reaches_way(&way.net) {
            return None;
        }
        let old = kept.old;
        let then = old.looked_into.iter().find(|l| l.other == *other)?;
        let Some(then) = then.way else {
            return Some(None);
        };
        let case = old.cases.len() - old.ways.len() + then;
        let seen = kept.seen_then(self.catalogue, case, &case_of(way))?;
        let read = |p: usize| kept.read_then(case, p);
        let mut row: Vec<Prediction> = (0..self.sound.len()).map(read).collect();
        let sound = moved.sound(self.sound);
        let now = if kept.touches(case, &moved.probes) {
            moved.forward.built(&way.net, &sound).1
        } else {
            sound
        };
        for (p, now) in moved.probes.iter().zip(now) {
            row[*p] = now;
        }
        Some(Some((row, seen)))
    }
}

/// A way to build the vehicle as a case: nothing is broken.
pub(super) fn case_of(way: &Way) -> FaultCase {
    FaultCase {
        key: format!("{BUILT}:{}", way.id),
        fault: BUILT.into(),
        x: way.id.clone(),
        name: way.name.clone(),
        share: way.share,
        ..FaultCase::default()
    }
}
