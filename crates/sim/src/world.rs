//! The vehicle that stands beside the bench, shared by meter and panel: what is done to it and where the tips are.

use crate::{Display, Errors, Vehicle, frequency};
use rand::{RngExt, SeedableRng};
use rand_chacha::ChaCha8Rng;
use serde::Deserialize;
use spannung_circuit::{
    CircuitError, Family, FaultBook, FaultCase, Mode, Netlist, Pair, Profile, VehicleState, family,
};
use std::collections::BTreeMap;

/// Where the tips are, how the vehicle stands and what is moved while the meter watches.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Place {
    /// Number of the job that asks.
    pub job: i32,
    /// Point of the red tip.
    pub red: String,
    /// Point of the black tip.
    pub black: String,
    /// Load across the tips, ohms.
    #[serde(default)]
    pub shunt_ohms: Option<f64>,
    /// Lead around which the clamp lies.
    #[serde(default)]
    pub element: Option<String>,
    /// The vehicle's states and rotor steps while the meter watches, at least one.
    pub moments: Vec<(VehicleState, u8)>,
}

/// A look, feel or try.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Look {
    /// Sign.
    pub sign: String,
    /// Its values in the order of the answers.
    pub values: Vec<String>,
    /// How the vehicle stands.
    #[serde(default)]
    pub state: VehicleState,
}

/// What is wanted of a new vehicle; what is left out is drawn.
#[derive(Debug, Clone, Default, PartialEq, Deserialize)]
pub struct Wish {
    /// Family id.
    #[serde(default)]
    pub family: Option<String>,
    /// Keys of the faults; none is one drawn by frequency.
    #[serde(default)]
    pub faults: Vec<String>,
    /// Seed.
    #[serde(default)]
    pub seed: u64,
    /// Share of readings taken at a wrong place.
    #[serde(default)]
    pub misprobe: Option<f64>,
}

/// A vehicle on the bench.
pub struct World {
    vehicle: Vehicle,
    net: Netlist,
    /// Family of the vehicle.
    pub family: Family,
    /// Signs that can be looked at, with their values, the healthy one first.
    pub signs: Vec<(String, Vec<String>)>,
    /// What the owner says.
    pub words: Vec<String>,
    /// Job it is bound to.
    pub job: Option<i32>,
    /// Where the tips are.
    pub place: Option<Place>,
    /// Tips put elsewhere by hand: red, black.
    pub elsewhere: Option<(String, String)>,
}

impl World {
    /// Put a vehicle on the bench.
    ///
    /// # Errors
    /// A family or fault that does not exist, data files that do not read.
    pub fn new(wish: &Wish) -> Result<Self, CircuitError> {
        let mut rng = ChaCha8Rng::seed_from_u64(wish.seed);
        let all: Vec<&str> = family::shipped().iter().map(|f| f.0).collect();
        let family = match &wish.family {
            Some(id) => Family::shipped(id)?,
            None => {
                let (file, text) = family::shipped()[rng.random_range(0..all.len())];
                Family::parse(file, text)?
            }
        };
        let profile = Profile::new(&family, &[])?;
        let net = profile.netlist()?;
        let book = FaultBook::shipped()?;
        let cases = book.cases(&profile, &net)?;
        let counts = frequency::counts();
        let mut seed = wish.seed;
        loop {
            let truth: Vec<FaultCase> = if wish.faults.is_empty() {
                vec![frequency::draw(&cases, &counts, &mut rng).clone()]
            } else {
                let find = |key: &String| {
                    let found = cases.iter().find(|c| &c.key == key).cloned();
                    found.ok_or_else(|| CircuitError::Unknown {
                        kind: "fault",
                        name: key.clone(),
                    })
                };
                wish.faults.iter().map(find).collect::<Result<_, _>>()?
            };
            let errors = Errors {
                misprobe: wish.misprobe.unwrap_or(0.0),
                ..Errors::default()
            };
            let mut vehicle = Vehicle::new(&profile, &net, truth, &every_pair(&net), errors, seed);
            let words = words(&vehicle.complaint());
            // an owner who notices nothing does not come: draw again
            if words.is_empty() && wish.faults.is_empty() {
                seed += 1;
                continue;
            }
            return Ok(Self {
                vehicle,
                net,
                family,
                signs: book
                    .signs
                    .iter()
                    .map(|s| (s.id.get_ref().clone(), s.values.clone()))
                    .collect(),
                words,
                job: None,
                place: None,
                elsewhere: None,
            });
        }
    }

    /// Names of all points.
    pub fn points(&self) -> &[String] {
        &self.net.nodes
    }

    /// Put the tips somewhere for a job.
    ///
    /// # Errors
    /// A sentence: bound to another job, a point or lead that this vehicle does not have.
    pub fn put(&mut self, place: Place) -> Result<(), String> {
        match self.job {
            Some(job) if job != place.job => {
                return Err(format!("The simulated vehicle is bound to job {job:04}."));
            }
            _ => self.job = Some(place.job),
        }
        let known = |p: &String| p.is_empty() || self.net.find(p).is_some();
        if let Some(p) = [&place.red, &place.black].into_iter().find(|p| !known(p)) {
            return Err(format!("The simulated vehicle has no point “{p}”."));
        }
        if place.moments.is_empty() {
            return Err("No state is told.".into());
        }
        self.place = Some(place);
        Ok(())
    }

    /// What the meter shows in a mode; nothing touched when the tips are nowhere.
    pub fn measure(&mut self, mode: Mode) -> Display {
        let open = match mode {
            Mode::Volts | Mode::Amps => 0.0,
            _ => f64::INFINITY,
        };
        let nothing = Display {
            low: open,
            high: open,
        };
        let Some(place) = self.place.clone() else {
            return nothing;
        };
        let (red, black) = self
            .elsewhere
            .clone()
            .unwrap_or((place.red.clone(), place.black.clone()));
        let element = place.element.as_ref().and_then(|e| self.net.element(e));
        let pair = match (self.net.find(&red), self.net.find(&black)) {
            (Some(red), Some(black)) => Pair { red, black },
            _ if element.is_some() => Pair { red: 0, black: 0 },
            _ => return nothing,
        };
        self.vehicle
            .measure(mode, &pair, place.shunt_ohms, element, &place.moments)
    }

    /// Look, feel or try: index of the value seen.
    pub fn look(&mut self, look: &Look) -> usize {
        self.vehicle.look(&look.sign, &look.values, &look.state)
    }

    /// A repair: the faults whose key begins with this are gone. How many there were.
    pub fn mend(&mut self, key: &str) -> usize {
        let before = self.vehicle.truth().len();
        self.vehicle.mend(|c| c.key.starts_with(key));
        before - self.vehicle.truth().len()
    }

    /// Keys of the faults: for whoever wants to know after all.
    pub fn truth(&self) -> Vec<String> {
        let faults = self.vehicle.truth().iter();
        faults.map(|c| format!("{}: {}", c.key, c.name)).collect()
    }
}

/// The order of the equations must know every pair that a load or an injection can lie across: with all of them the
/// pattern is full, which costs time that a hand-held meter has.
fn every_pair(net: &Netlist) -> Vec<(usize, usize)> {
    let n = net.nodes.len();
    (0..n)
        .flat_map(|a| (a + 1..n).map(move |b| (a, b)))
        .collect()
}

fn words(told: &[String]) -> Vec<String> {
    let book: BTreeMap<String, String> = toml::from_str(include_str!("../data/words.toml"))
        .expect("the shipped words read; a test proves it");
    told.iter().filter_map(|s| book.get(s).cloned()).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn world(faults: &[&str]) -> World {
        World::new(&Wish {
            family: Some("gh48".into()),
            faults: faults.iter().map(|f| (*f).into()).collect(),
            seed: 3,
            misprobe: None,
        })
        .expect("the vehicle builds")
    }

    fn at(red: &str, black: &str) -> Place {
        Place {
            job: 7,
            red: red.into(),
            black: black.into(),
            shunt_ohms: None,
            element: None,
            moments: vec![(VehicleState::default(), 0)],
        }
    }

    #[test]
    fn tips_that_touch_nothing_read_nothing() {
        let mut w = world(&["chg-dead"]);
        assert_eq!(w.measure(Mode::Volts).high, 0.0);
        assert!(w.measure(Mode::Ohms).low.is_infinite());
    }

    #[test]
    fn the_pack_reads_its_volts_and_an_open_fuse_takes_them() {
        let mut w = world(&["chg-dead"]);
        w.put(at("P+", "P-")).expect("the points exist");
        assert!(w.measure(Mode::Volts).high > 40.0);
        let mut w = world(&["batt-fuse-open"]);
        w.put(at("P+", "P-")).expect("the points exist");
        assert!(w.measure(Mode::Volts).high.abs() < 1.0);
        assert_eq!(w.mend("batt-fuse-open"), 1);
        assert!(w.measure(Mode::Volts).high > 40.0);
    }

    #[test]
    fn it_serves_one_job_and_knows_its_points() {
        let mut w = world(&["chg-dead"]);
        w.put(at("P+", "P-")).expect("the points exist");
        let other = Place {
            job: 8,
            ..at("P+", "P-")
        };
        assert!(w.put(other).unwrap_err().contains("bound to job 0007"));
        assert!(w.put(at("P+", "moon")).unwrap_err().contains("moon"));
    }
}
