//! Jobs on vehicles that are built otherwise than the family's drawing says, and what became of them.

use crate::job::{Played, Setting, pairs, play_on};
use crate::policy::{Lists, Policy};
use crate::score::{extra, mean};
use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;
use spannung_circuit::CircuitError;
use spannung_core::catalogue::Catalogue;
use spannung_core::cores::share_out;
use spannung_core::diagnosis::Model;
use spannung_core::diagnosis::plan::Prices;
use spannung_sim::design::{Design, Half, comes_in};
use spannung_sim::{Errors, Vehicle, frequency};

/// How many jobs are played, and with what.
#[derive(Debug, Clone, Copy)]
pub struct Work {
    /// Differences drawn from; none for vehicles of the own world, built as drawn, with a fault of the catalogue.
    pub half: Option<Half>,
    /// Jobs with a fault.
    pub jobs: usize,
    /// Jobs with nothing wrong.
    pub sound: usize,
    /// First seed.
    pub seed: u64,
}

/// What became of them.
#[derive(Debug, Clone, Default)]
pub struct Outcome {
    /// Jobs with a fault.
    pub faulty: Vec<Played>,
    /// The same by the checklist of the complaint.
    pub checklist: Vec<Played>,
    /// Jobs with nothing wrong.
    pub sound: Vec<Played>,
}

/// How readings and looks err on another maker's vehicle.
pub(crate) const ERRORS: Errors = Errors {
    misprobe: 0.01,
    missed: 0.10,
    imagined: 0.04,
};

/// Play them.
///
/// # Errors
/// A design that does not read.
pub fn play(
    catalogue: &Catalogue,
    model: &Model,
    lists: &Lists,
    work: Work,
) -> Result<Outcome, CircuitError> {
    let pairs = pairs(model);
    let setting = |policy| Setting {
        policy,
        errors: ERRORS,
        prices: Prices::default(),
        pairs: true,
    };
    let comes = |seed: u64, sound: bool| -> Result<Option<Guest>, CircuitError> {
        let Some(half) = work.half else {
            return Ok(own(model, &pairs, sound, seed));
        };
        let came = comes_in(
            &model.profile,
            &model.net,
            model.listed(),
            &pairs,
            half,
            sound,
            ERRORS,
            seed,
        )?;
        Ok(came.map(|(vehicle, told, design)| Guest {
            vehicle,
            told,
            design: Some(design),
        }))
    };
    let one = |seed: u64, sound: bool, policy: Policy| -> Result<Option<Played>, CircuitError> {
        Ok(comes(seed, sound)?.map(|guest| {
            let looked_at = |known: &Model, id: &str| {
                let is = guest.design.as_ref().is_some_and(|d| d.called(id));
                let way = known.ways.iter().find(|w| is && w.id == id)?;
                let mut profile = known.profile.clone();
                for change in &way.changes {
                    profile = profile.with(change).ok()?;
                }
                known.edited(catalogue, &profile).ok()
            };
            let setting = setting(policy);
            let Guest { vehicle, told, .. } = guest.clone();
            let mut played = play_on(model, model, lists, vehicle, told, &setting, &looked_at);
            if let Some(design) = &guest.design {
                let built = format!("built: {}", design.differences.join(", "));
                played.trail.insert(0, built);
            }
            played
        }))
    };
    // who comes is settled first, so that the figures do not depend on the number of cores
    let guests = |wanted: usize, sound: bool, offset: u64| -> Result<Vec<u64>, CircuitError> {
        let mut seeds = Vec::new();
        let mut seed = work.seed + offset;
        while seeds.len() < wanted && seed < work.seed + offset + 20 * wanted as u64 {
            if comes(seed, sound)?.is_some() {
                seeds.push(seed);
            }
            seed += 1;
        }
        Ok(seeds)
    };
    let many = |seeds: &[u64], sound: bool, policy: Policy| {
        let each = share_out(seeds.len(), |places| {
            let job = |k: &usize| (*k, one(seeds[*k], sound, policy));
            places.iter().map(job).collect::<Vec<_>>()
        });
        let came: Result<Vec<Option<Played>>, CircuitError> = each.into_iter().collect();
        came.map(|jobs| jobs.into_iter().flatten().collect::<Vec<_>>())
    };
    let faulty = guests(work.jobs, false, 0)?;
    let sound = guests(work.sound, true, 1_000_000)?;
    Ok(Outcome {
        faulty: many(&faulty, false, Policy::Engine)?,
        checklist: many(&faulty, false, Policy::Complaint)?,
        sound: many(&sound, true, Policy::Engine)?,
    })
}

/// A vehicle that comes in, and what its owner tells.
#[derive(Clone)]
struct Guest {
    vehicle: Vehicle,
    told: Vec<String>,
    design: Option<Design>,
}

/// A vehicle of the own world; none when its owner notices nothing.
fn own(model: &Model, pairs: &[(usize, usize)], sound: bool, seed: u64) -> Option<Guest> {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let fault = frequency::draw(model.listed(), &frequency::counts(), &mut rng).clone();
    let make = |cases| Vehicle::new(&model.profile, &model.net, cases, pairs, ERRORS, seed);
    let mut vehicle = make(vec![fault]);
    let told = vehicle.complaint();
    if sound {
        vehicle = make(Vec::new());
    }
    (!told.is_empty()).then_some(Guest {
        vehicle,
        told,
        design: None,
    })
}

/// Share of played jobs of which something holds.
pub fn share(jobs: &[Played], holds: impl Fn(&Played) -> bool) -> f64 {
    mean(jobs, |j| f64::from(u8::from(holds(j))))
}

impl Outcome {
    /// Of repairs stated at 0.8 or more: how many, what was stated on average, how many cured. Sound vehicles count as if one
    /// came to four with a fault, however many were played.
    pub fn stated(&self) -> (usize, f64, f64) {
        let one_in_four = self.faulty.len() as f64 / 4.0 / self.sound.len().max(1) as f64;
        let faulty = self.faulty.iter().map(|j| (j, 1.0));
        let all = faulty.chain(self.sound.iter().map(|j| (j, one_in_four)));
        let sure: Vec<(&Played, f64)> = all.filter(|(j, _)| j.stated >= 0.8).collect();
        let n = sure.iter().map(|(_, w)| w).sum::<f64>().max(1e-9);
        let said = sure.iter().map(|(j, w)| j.stated * w).sum::<f64>() / n;
        let cured = sure.iter().filter(|(j, _)| j.first_cured);
        let was = cured.map(|(_, w)| w).sum::<f64>() / n;
        (sure.len(), said, was)
    }

    /// Share of sound vehicles on which a repair was done.
    pub fn blamed(&self) -> f64 {
        share(&self.sound, |j| j.stated > 0.0)
    }

    /// Extra minutes against the checklist's on the same vehicles.
    pub fn against_checklist(&self) -> f64 {
        mean(&self.faulty, extra) / mean(&self.checklist, extra).max(1e-9)
    }

    /// One row of a table.
    pub fn row(&self, name: &str) -> String {
        let first = share(&self.faulty, |j| j.first_right);
        let wrong = mean(&self.faulty, |j| j.wrong_parts as f64);
        let done = share(&self.faulty, |j| j.finished);
        let (n, said, was) = self.stated();
        format!(
            "| {name} | {} | {first:.3} | {wrong:.3} | {done:.3} | {said:.3} → {was:.3} ({n}) | {:.3} ({}) | {:.1} | {:.3} | {:.1} | {:.1} |",
            self.faulty.len(),
            self.blamed(),
            self.sound.len(),
            mean(&self.faulty, extra),
            self.against_checklist(),
            mean(&self.faulty, |j| j.tests as f64),
            mean(&self.faulty, |j| j.idle as f64),
        )
    }
}

/// Head of the table of [`Outcome::row`].
pub const HEAD: &str = "| family | jobs | first right | wrong parts | finished | stated ≥ 0.8 → cured | sound blamed | extra min | ÷ checklist | tests | idle |\n| --- | ---: | ---: | ---: | ---: | ---: | ---: | ---: | ---: | ---: | ---: | ---: |";
