//! Random builds: a vehicle put together from component kinds that go together, of which the intake knows some, assumes the
//! rest, and is now and then wrong; with the joins that an earlier hand left.

use crate::{Errors, Vehicle, frequency};
use rand::seq::IndexedRandom;
use rand::{Rng, RngExt, SeedableRng};
use rand_chacha::ChaCha8Rng;
use serde::Deserialize;
use spannung_circuit::build::Slot;
use spannung_circuit::otherwise::{fitting, swaps, with_twin};
use spannung_circuit::{
    Change, CircuitError, Family, FaultBook, FaultCase, Netlist, Profile, Shelf,
};
use std::collections::BTreeMap;

#[derive(Deserialize)]
struct Weights {
    families: BTreeMap<String, f64>,
    kinds: BTreeMap<String, f64>,
}

fn weights() -> Weights {
    toml::from_str(include_str!("../data/kinds.toml"))
        .expect("the shipped weights read; a test proves it")
}

/// Most components that are swapped on one vehicle, all of them told at the intake.
const MOST_SWAPS: usize = 3;
/// Share of vehicles of which the intake assumes one component wrongly.
const WRONG: f64 = 0.25;
/// Share of vehicles with two wires on each other's pins, left by an earlier hand.
const CROSSED: f64 = 0.10;
/// Draws of a fault before a vehicle is given up whose owner notices nothing.
const TRIES: usize = 12;
/// The fault of a wrong join.
const CROSSING: &str = "har-crossed";

/// A vehicle as it comes in.
#[derive(Debug, Clone)]
pub struct Build {
    /// The ready build that it begins with.
    pub family: Family,
    /// What the intake knows.
    pub told: Vec<Change>,
    /// What it assumes wrongly: slot and the kind that stands there, as `slot=kind`.
    pub wrong: Option<String>,
    /// The vehicle as the intake knows it.
    pub known: Profile,
    /// The vehicle as it is.
    pub real: Profile,
    /// Its circuit.
    pub net: Netlist,
}

/// One of several by weight; none when nothing weighs.
fn by_weight<'a, T>(all: &'a [T], weight: impl Fn(&T) -> f64, rng: &mut impl Rng) -> Option<&'a T> {
    all.choose_weighted(rng, weight).ok()
}

/// A kind that goes together with the rest in this slot, looks like what stands there, and is another.
fn another(profile: &Profile, slots: &[String], w: &Weights, rng: &mut impl Rng) -> Option<String> {
    let shelf = Shelf::shipped().ok()?;
    let build = &profile.family.build;
    let there = slots.first().and_then(|s| build.in_slot(s));
    let there = there.map(|c| c.kind.clone());
    let drive = there.as_ref().and_then(|k| shelf.kind(k)).map(|k| &k.drive);
    let all: Vec<String> = fitting(build, slots, shelf)
        .into_iter()
        .filter(|f| drive.is_none_or(|d| *d == f.kind.drive))
        .map(|f| f.kind.id.get_ref().clone())
        .filter(|id| Some(id) != there.as_ref())
        .collect();
    let weight = |id: &String| w.kinds.get(id).copied().unwrap_or(0.0);
    by_weight(&all, weight, rng).cloned()
}

impl Build {
    /// Draw one; `wrong`: always with a component that the intake assumes wrongly.
    ///
    /// # Errors
    /// Data files that do not read.
    pub fn draw(rng: &mut impl Rng, wrong: bool) -> Result<Self, CircuitError> {
        let w = weights();
        let shelf = Shelf::shipped()?;
        let families: Vec<(&String, &f64)> = w.families.iter().collect();
        let (id, _) = by_weight(&families, |f| *f.1, rng).ok_or_else(|| CircuitError::Unknown {
            kind: "family",
            name: "any".into(),
        })?;
        let family = Family::shipped(id)?;
        let mut known = Profile::new(&family, &[])?;
        for _ in 0..rng.random_range(0..=MOST_SWAPS) {
            let open = |s: &&Slot| !known.family.build.told.contains(s.id.get_ref());
            let slots: Vec<&Slot> = shelf.slots.iter().filter(open).collect();
            let Some(slot) = slots.choose(rng) else { break };
            let slots = with_twin(&known.family.build, slot);
            if let Some(kind) = another(&known, &slots, &w, rng) {
                for change in swaps(&slots, &kind) {
                    known = known.with(&change)?;
                }
            }
        }
        let told = known.changes.clone();
        let mut real = known.clone();
        let mut assumed_wrong = None;
        if wrong || rng.random::<f64>() < WRONG {
            let build = &known.family.build;
            let hidden = |s: &&Slot| {
                let id = s.id.get_ref();
                s.hidden && !build.told.contains(id) && build.in_slot(id).is_some()
            };
            let slots: Vec<&Slot> = shelf.slots.iter().filter(hidden).collect();
            if let Some(slot) = slots.choose(rng) {
                let slots = with_twin(&known.family.build, slot);
                if let Some(kind) = another(&known, &slots, &w, rng) {
                    for change in swaps(&slots, &kind) {
                        real = real.with(&change)?;
                    }
                    assumed_wrong = Some(format!("{}={kind}", slot.id.get_ref()));
                }
            }
        }
        let net = real.netlist()?;
        Ok(Self {
            family,
            told,
            wrong: assumed_wrong,
            known,
            real,
            net,
        })
    }
}

/// Which vehicles come in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Comes {
    /// As they do: one fault each, a component assumed wrongly or a wrong join on some.
    Faulty,
    /// One fault each, and on every one a component that is assumed wrongly.
    AssumedWrongly,
    /// A component that is assumed wrongly, and nothing else.
    Sound,
}

/// A vehicle of a random build that comes in, and what its owner tells.
#[derive(Debug, Clone)]
pub struct Guest {
    /// How it is built.
    pub build: Build,
    /// Its faults; the wrong join, if there is one, last.
    pub faults: Vec<FaultCase>,
    /// Key of the wrong join.
    pub crossed: Option<String>,
    /// Seed of its values.
    pub seed: u64,
}

impl Guest {
    /// The vehicle that comes with a seed. None when its owner notices nothing, or would on a sound one.
    ///
    /// # Errors
    /// Data files that do not read.
    pub fn of(seed: u64, comes: Comes, errors: Errors) -> Result<Option<Self>, CircuitError> {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let wrong = comes != Comes::Faulty;
        let build = Build::draw(&mut rng, wrong)?;
        if wrong && build.wrong.is_none() {
            return Ok(None);
        }
        let book = FaultBook::shipped()?;
        let cases = book.cases(&build.real, &build.net)?;
        let counts = frequency::counts();
        let tells = |faults: Vec<FaultCase>| {
            let mut v = Vehicle::new(&build.real, &build.net, faults, &[], errors, seed);
            v.complaint()
        };
        // a vehicle that does not run when nothing is wrong was not built by anybody
        if !tells(Vec::new()).is_empty() {
            return Ok(None);
        }
        let crossings: Vec<&FaultCase> = cases.iter().filter(|c| c.fault == CROSSING).collect();
        let join = rng.random::<f64>() < CROSSED;
        for _ in 0..TRIES {
            let fault = frequency::draw(&cases, &counts, &mut rng).clone();
            if tells(vec![fault.clone()]).is_empty() {
                continue;
            }
            let crossing = crossings.choose(&mut rng).filter(|c| {
                join && comes == Comes::Faulty
                    && fault.fault != CROSSING
                    && !tells(vec![(**c).clone()]).is_empty()
            });
            return Ok(Some(Self {
                crossed: crossing.map(|c| c.key.clone()),
                faults: std::iter::once(fault)
                    .chain(crossing.map(|c| (*c).clone()))
                    .collect(),
                build,
                seed,
            }));
        }
        Ok(None)
    }

    /// It stands there, with what is told of it; a sound one with the complaint of what was wrong and is gone.
    pub fn vehicle(
        &self,
        sound: bool,
        pairs: &[(usize, usize)],
        errors: Errors,
    ) -> (Vehicle, Vec<String>) {
        let Build { real, net, .. } = &self.build;
        let make = |faults| Vehicle::new(real, net, faults, pairs, errors, self.seed);
        let mut vehicle = make(self.faults.clone());
        let told = vehicle.complaint();
        if sound {
            vehicle = make(Vec::new());
        }
        (vehicle, told)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_weight_is_of_a_family_or_a_kind_that_there_is() {
        let w = weights();
        let shelf = Shelf::shipped().expect("it ships");
        for id in w.families.keys() {
            assert!(Family::shipped(id).is_ok(), "{id}");
        }
        for id in w.kinds.keys() {
            assert!(shelf.kind(id).is_some(), "{id}");
        }
    }

    #[test]
    fn a_seed_brings_the_same_vehicle_and_one_in_four_is_assumed_wrongly() {
        let (mut came, mut wrong, mut crossed) = (0, 0, 0);
        for seed in 0..60 {
            let come = || Guest::of(seed, Comes::Faulty, Errors::default()).expect("data read");
            let one = come();
            let key = |g: &Option<Guest>| {
                g.as_ref()
                    .map(|g| (g.build.told.clone(), g.faults[0].key.clone()))
            };
            assert_eq!(key(&one), key(&come()));
            if let Some(g) = one {
                came += 1;
                wrong += usize::from(g.build.wrong.is_some());
                crossed += usize::from(g.crossed.is_some());
                assert_eq!(g.build.wrong.is_none(), g.build.known == g.build.real);
            }
        }
        assert!(came > 40 && wrong > 4 && wrong < 30, "{came} {wrong}");
        assert!(crossed > 0 && crossed < 15, "{crossed}");
    }
}
