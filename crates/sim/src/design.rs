//! Vehicles of a family that are built otherwise: other wiring, other values, other couplings, faults of any severity. None
//! of it is known to the diagnosis but what a maker's choice and a guess have in common.

use crate::draw::beyond;
use crate::{Errors, Values, Vehicle, frequency};
use rand::seq::IndexedRandom;
use rand::{Rng, RngExt, SeedableRng};
use rand_chacha::ChaCha8Rng;
use serde::Deserialize;
use spannung_circuit::variant::Differs;
use spannung_circuit::{CircuitError, Effect, FaultCase, Netlist, Profile};
use std::collections::BTreeMap;

/// Which half of the differences a vehicle is drawn from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Half {
    /// May be looked at while the diagnosis is worked on.
    Open,
    /// Kept for measuring.
    Sealed,
}

/// One thing that a maker built otherwise.
#[derive(Debug, Clone, PartialEq, Deserialize)]
pub struct Difference {
    /// Id.
    pub id: String,
    /// Family ids.
    pub families: Vec<String>,
    /// In words.
    pub why: String,
    /// What somebody who makes sure of it would call it, by the id of a known way to build a vehicle.
    #[serde(default)]
    called: Option<String>,
    /// Ids of differences that nobody can build together with it.
    #[serde(default)]
    apart_from: Vec<String>,
    /// What differs.
    #[serde(flatten)]
    differs: Differs,
}

#[derive(Deserialize)]
struct File {
    difference: Vec<Difference>,
}

/// Differences of one half.
///
/// # Errors
/// A file that does not read.
pub fn differences(half: Half) -> Result<Vec<Difference>, CircuitError> {
    let (name, text) = match half {
        Half::Open => (
            "designs-open.toml",
            include_str!("../data/designs-open.toml"),
        ),
        Half::Sealed => (
            "designs-sealed.toml",
            include_str!("../data/designs-sealed.toml"),
        ),
    };
    let file: File = toml::from_str(text).map_err(|e| CircuitError::toml(name, text, &e))?;
    Ok(file.difference)
}

/// A vehicle as its maker built it.
#[derive(Debug, Clone)]
pub struct Design {
    /// What its controller goes by.
    pub profile: Profile,
    /// Its circuit: elements and points of the family's keep their places, new ones follow.
    pub net: Netlist,
    /// What is seen on it whatever the circuit says.
    pub signs: BTreeMap<String, String>,
    /// Ids of the differences.
    pub differences: Vec<String>,
    called: Vec<String>,
}

impl Design {
    /// The family's vehicle with some differences.
    ///
    /// # Errors
    /// An edit that does not read.
    pub fn of(
        profile: &Profile,
        net: &Netlist,
        differences: &[&Difference],
    ) -> Result<Self, CircuitError> {
        let mut new = Self {
            profile: profile.clone(),
            net: net.clone(),
            signs: BTreeMap::new(),
            differences: differences.iter().map(|d| d.id.clone()).collect(),
            called: differences
                .iter()
                .filter_map(|d| d.called.clone())
                .collect(),
        };
        for d in differences {
            d.differs.build(&mut new.profile, &mut new.net)?;
            new.signs.extend(d.differs.signs.clone());
        }
        Ok(new)
    }

    /// Is it built in a known way, when somebody looks?
    pub fn called(&self, variant: &str) -> bool {
        self.called.iter().any(|c| c == variant)
    }

    /// Draw a vehicle with two to four differences of a half, where the family has so many.
    ///
    /// # Errors
    /// As [`Self::of`].
    pub fn draw(
        profile: &Profile,
        net: &Netlist,
        half: Half,
        rng: &mut impl Rng,
    ) -> Result<Self, CircuitError> {
        let all = differences(half)?;
        let family = profile.family.id.as_str();
        let fits: Vec<&Difference> = all
            .iter()
            .filter(|d| d.families.iter().any(|f| f == family))
            .collect();
        let many = rng.random_range(2..=4usize).min(fits.len());
        let some: Vec<&Difference> = fits.sample(rng, many).copied().collect();
        // two ways to build the same lines cannot both be
        let mut kept: Vec<&Difference> = Vec::new();
        for d in some {
            let parts = |d: &Difference| -> Vec<String> {
                let each = d
                    .differs
                    .circuit
                    .iter()
                    .filter_map(|l| l.split_whitespace().nth(1));
                each.map(str::to_owned).collect()
            };
            let lines = d.id.split('-').next();
            let clash = |k: &&Difference| {
                let mine = parts(d);
                k.id.split('-').next() == lines
                    || parts(k).iter().any(|p| mine.contains(p))
                    || d.apart_from.contains(&k.id)
                    || k.apart_from.contains(&d.id)
            };
            if !kept.iter().any(clash) {
                kept.push(d);
            }
        }
        Self::of(profile, net, &kept)
    }
}

/// Another severity of the same fault: a few times more or less of what the catalogue writes.
fn other_severity(case: &mut FaultCase, rng: &mut impl Rng) {
    let factor = 8f64.powf(rng.random_range(-1.0..1.0));
    for effect in &mut case.effects {
        match effect {
            Effect::Series(_, ohms) | Effect::Bridge(_, _, ohms) => *ohms *= factor,
            Effect::Scale(_, f) if *f > 0.0 => *f = f.powf(0.6 + 0.8 * (factor / 8.0).sqrt()),
            Effect::Ratio(_, r) => *r = (*r + 0.04 * (factor - 1.0).clamp(-1.0, 1.5)).max(0.0),
            Effect::Open(_) | Effect::Force(..) | Effect::Scale(..) => {}
        }
    }
}

/// Share of faults that stand in no catalogue.
const BEYOND: f64 = 0.3;

/// A vehicle of another maker that comes in: with one fault, or (`sound`) with nothing wrong and the complaint of one that
/// is gone. With what its owner tells; none when the owner notices nothing. `cases` are the catalogue's.
///
/// # Errors
/// As [`Design::of`].
#[allow(clippy::too_many_arguments)] // what a vehicle is drawn from
pub fn comes_in(
    profile: &Profile,
    net: &Netlist,
    cases: &[FaultCase],
    pairs: &[(usize, usize)],
    half: Half,
    sound: bool,
    errors: Errors,
    seed: u64,
) -> Result<Option<(Vehicle, Vec<String>, Design)>, CircuitError> {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let design = Design::draw(profile, net, half, &mut rng)?;
    let counts = frequency::counts();
    let unknown = rng.random::<f64>() < BEYOND;
    let drawn = unknown.then(|| beyond(net, cases, &mut rng)).flatten();
    let mut fault = drawn.unwrap_or_else(|| frequency::draw(cases, &counts, &mut rng).clone());
    other_severity(&mut fault, &mut rng);
    let make = |cases: Vec<FaultCase>| {
        let values = Values::Another(design.signs.clone());
        Vehicle::with(
            &design.profile,
            &design.net,
            cases,
            pairs,
            errors,
            seed,
            values,
        )
    };
    // a vehicle that does not run when nothing is wrong was not built by anybody
    let mut vehicle = make(vec![fault]);
    let told = vehicle.complaint();
    if told.is_empty() || !make(Vec::new()).complaint().is_empty() {
        return Ok(None);
    }
    if sound {
        vehicle = make(Vec::new());
    }
    Ok(Some((vehicle, told, design)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use spannung_circuit::{Family, FaultBook};

    #[test]
    fn every_difference_reads_and_leaves_a_vehicle_that_nobody_brings_in() {
        for (file, text) in spannung_circuit::family::shipped() {
            let family = Family::parse(file, text).expect("it ships");
            let profile = Profile::new(&family, &[]).expect("a plain profile");
            let net = profile.netlist().expect("it builds");
            for half in [Half::Open, Half::Sealed] {
                for d in differences(half).expect("they read") {
                    if !d.families.contains(&family.id) {
                        continue;
                    }
                    let design = Design::of(&profile, &net, &[&d]).expect("it is built");
                    let same = design
                        .net
                        .elements
                        .iter()
                        .zip(&net.elements)
                        .all(|(a, b)| a.id == b.id);
                    assert!(same, "{}: elements keep their places", d.id);
                    let mut vehicle = Vehicle::with(
                        &design.profile,
                        &design.net,
                        Vec::new(),
                        &[],
                        Errors::default(),
                        1,
                        Values::Another(design.signs.clone()),
                    );
                    assert_eq!(
                        vehicle.complaint(),
                        Vec::<String>::new(),
                        "{} {}",
                        family.id,
                        d.id
                    );
                }
            }
        }
    }

    #[test]
    fn the_same_seed_brings_the_same_vehicle() {
        let family = Family::shipped("gh48").expect("it ships");
        let profile = Profile::new(&family, &[]).expect("a plain profile");
        let net = profile.netlist().expect("it builds");
        let cases = FaultBook::shipped()
            .and_then(|b| b.cases(&profile, &net))
            .expect("the faults read");
        let mut came = 0;
        for seed in 0..12 {
            let come = || {
                comes_in(
                    &profile,
                    &net,
                    &cases,
                    &[],
                    Half::Open,
                    false,
                    Errors::default(),
                    seed,
                )
                .expect("it is built")
                .map(|(v, told, d)| (v.truth()[0].key.clone(), told, d.differences))
            };
            let one = come();
            assert_eq!(one, come());
            came += usize::from(one.is_some());
        }
        assert!(came > 3, "{came} of 12 came");
    }
}
