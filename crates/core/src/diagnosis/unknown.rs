//! How a fault reads that the catalogue does not hold.
//!
//! A fault nobody wrote down most often looks like one that somebody did, only that another repair cures it: a corroded
//! pin reads as the open wire beside it, whatever its name. So “something else in a class” is a mixture over whole
//! patterns of readings: those of the class's known faults, of faults on the same strand, in the same segment, of any
//! fault; and one pattern that follows no known fault, which reads as sound but for an odd figure now and then. How
//! often is learnt from the readings themselves. “Outside” is the same without a place.
//! Mixing whole patterns instead of single readings is what keeps such a suspect alive over forty readings that are as
//! they should be.

use crate::diagnosis::hypothesis::{Hypothesis, Suspicion};
use crate::diagnosis::model::Model;
use crate::diagnosis::near::{KINDS, NOWHERE};
use crate::diagnosis::rows::Rows;

/// How often an unknown fault that looks like a known one looks like one of its class, its strand, its segment, any.
/// These and the shares below were chosen on simulated jobs with a fault struck out of the catalogue; they move the
/// minutes of such jobs by a few per cent.
const NEARNESS: [f64; KINDS] = [0.4, 0.3, 0.2, 0.1];
/// “Outside” may look like anything on the vehicle.
const ANYWHERE: [f64; KINDS] = [0.0, 0.0, 0.0, 1.0];
/// Share of unknown faults whose whole pattern of readings is that of some known one.
const LOOKS_KNOWN: f64 = 0.3;
/// How often the others read odd, before anything was read, and how many readings that is worth.
const ODD: f64 = 0.1;
const ODD_WORTH: f64 = 10.0;

/// Patterns of one “something else”: the chance that it follows a known fault of each kind of nearness, and none.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Mixture {
    known: [f64; KINDS],
    blank: f64,
    /// Log-likelihood of all that was read.
    log: f64,
}

/// What is known of unknown faults.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Unknown {
    /// Log-likelihood of what was read under each case.
    looks: Vec<f64>,
    /// Share of each case in its groups.
    part: Vec<[f64; KINDS]>,
    /// Of each class's “something else”, and of “outside” last.
    mixtures: Vec<Mixture>,
    /// Odd figures of a pattern that follows no known fault, and usual ones.
    odd: f64,
    usual: f64,
    blank: f64,
}

/// Shares by what they read, whatever the repair: of each known fault with the unknown ones that look like it, and of
/// what looks like none.
#[derive(Debug, Clone, PartialEq)]
pub struct Looks {
    /// Per case.
    pub cases: Vec<f64>,
    /// Follows no known fault.
    pub blank: f64,
    /// Chance that this reads odd.
    pub odd: f64,
    /// Nothing to repair, as drawn or built otherwise.
    pub sound: f64,
    /// Which cases are ways to build it.
    pub built: Vec<bool>,
}

impl Unknown {
    /// Nothing read yet.
    pub fn new(model: &Model) -> Self {
        let mut new = Self {
            looks: vec![0.0; model.cases.len()],
            odd: ODD * ODD_WORTH,
            usual: (1.0 - ODD) * ODD_WORTH,
            ..Self::default()
        };
        new.mix(model);
        new
    }

    /// Take in the likelihood of a reading under each case, under none, and of a figure out of the blue (none for what
    /// is told). Returns the likelihood under each hypothesis of the model.
    pub fn read(&mut self, model: &Model, cases: &[f64], sound: f64, any: Option<f64>) -> Vec<f64> {
        for (sum, like) in self.looks.iter_mut().zip(cases) {
            *sum += like.max(1e-30).ln();
        }
        let odd = self.odd / (self.odd + self.usual);
        let like = any.map_or(sound, |any| odd * any + (1.0 - odd) * sound);
        if let Some(any) = any {
            let was_odd = odd * any / like;
            self.odd += was_odd;
            self.usual += 1.0 - was_odd;
        }
        self.blank += like.max(1e-30).ln();
        let before: Vec<f64> = self.mixtures.iter().map(|m| m.log).collect();
        self.mix(model);
        let step = |k: usize| (self.mixtures[k].log - before[k]).exp();
        let each = model.hypotheses.iter().map(|h| match &h.kind {
            Suspicion::Case(k) | Suspicion::Choice(k) | Suspicion::Built(k) => cases[*k],
            Suspicion::Nothing => sound,
            Suspicion::Other => h.class.map_or(sound, step),
            Suspicion::Outside => step(before.len() - 1),
        });
        each.collect()
    }

    fn mix(&mut self, model: &Model) {
        let near = &model.near;
        let top = self.looks.iter().copied().fold(self.blank, f64::max);
        let mut groups = vec![(0.0, 0.0); near.groups];
        let like: Vec<f64> = self.looks.iter().map(|l| (l - top).exp()).collect();
        let weighed = || {
            model
                .hypotheses
                .iter()
                .zip(&like)
                .map(|(h, l)| (h.weight, h.weight * l))
        };
        for ((weight, mass), of) in weighed().zip(&near.cases) {
            for g in of.iter().filter(|g| **g != NOWHERE) {
                groups[*g].0 += mass;
                groups[*g].1 += weight;
            }
        }
        self.part = weighed()
            .zip(&near.cases)
            .map(|((_, mass), of)| {
                of.map(|g| {
                    if groups[g].0 > 0.0 {
                        mass / groups[g].0
                    } else {
                        0.0
                    }
                })
            })
            .collect();
        let blank = (self.blank - top).exp();
        let mixture = |shares: [f64; KINDS], of: &[usize; KINDS]| {
            let mean = |k: usize| {
                let (mass, weight) = groups[of[k]];
                (weight > 1e-12).then(|| mass / weight)
            };
            // of a class or a strand without known faults what is farther off stands in
            let there: f64 = (0..KINDS)
                .filter(|k| mean(*k).is_some())
                .map(|k| shares[k])
                .sum();
            let mut known = [0.0; KINDS];
            for (k, part) in known.iter_mut().enumerate() {
                *part = LOOKS_KNOWN * shares[k] / there.max(1e-12) * mean(k).unwrap_or(0.0);
            }
            let blank = (1.0 - LOOKS_KNOWN) * blank;
            let all = (known.iter().sum::<f64>() + blank).max(1e-300);
            Mixture {
                known: known.map(|k| k / all),
                blank: blank / all,
                log: all.ln() + top,
            }
        };
        self.mixtures = near
            .classes
            .iter()
            .map(|of| mixture(NEARNESS, of))
            .collect();
        let anywhere = near.cases.first().copied().unwrap_or_default();
        self.mixtures.push(mixture(ANYWHERE, &anywhere));
    }

    fn mixture_of(&self, h: &Hypothesis) -> Option<&Mixture> {
        match h.kind {
            Suspicion::Other => h.class.and_then(|c| self.mixtures.get(c)),
            Suspicion::Outside => self.mixtures.last(),
            _ => None,
        }
    }

    fn chance_odd(&self) -> f64 {
        self.odd / (self.odd + self.usual).max(1e-12)
    }

    /// Shares by what they read.
    pub fn looks(&self, model: &Model, shares: &[f64]) -> Looks {
        let near = &model.near;
        let mut follow = vec![0.0; near.groups];
        let mut looks = Looks {
            cases: shares[..model.cases.len()].to_vec(),
            blank: 0.0,
            odd: self.chance_odd(),
            sound: 0.0,
            built: vec![false; model.cases.len()],
        };
        for (h, share) in model.hypotheses.iter().zip(shares) {
            match h.kind {
                Suspicion::Nothing => looks.sound += share,
                Suspicion::Built(case) => {
                    looks.sound += share;
                    looks.built[case] = true;
                }
                _ => {}
            }
            let Some(mixture) = self.mixture_of(h) else {
                continue;
            };
            looks.blank += share * mixture.blank;
            let of = h.class.map_or_else(
                || near.cases.first().copied().unwrap_or_default(),
                |c| near.classes[c],
            );
            for (g, part) in of.iter().zip(mixture.known) {
                follow[*g] += share * part;
            }
        }
        for ((mass, part), of) in looks.cases.iter_mut().zip(&self.part).zip(&near.cases) {
            *mass += of
                .iter()
                .zip(part)
                .map(|(g, part)| part * follow[*g])
                .sum::<f64>();
        }
        looks
    }

    /// Chances of a test's outcomes under “something else” of each class, and under “outside” last.
    pub fn rows(&self, model: &Model, rows: &Rows) -> Vec<Vec<f64>> {
        let near = &model.near;
        let n = rows.healthy.len();
        // what moves away from a sound vehicle's row, by group and outcome
        let mut moved = vec![0.0; near.groups * n];
        for (case, row) in &rows.own {
            let (Some(part), Some(of)) = (self.part.get(*case), near.cases.get(*case)) else {
                continue;
            };
            for (g, part) in of.iter().zip(part).filter(|(_, part)| **part > 1e-12) {
                let sums = &mut moved[g * n..(g + 1) * n];
                for ((sum, own), sound) in sums.iter_mut().zip(row).zip(&rows.healthy) {
                    *sum += part * (own - sound);
                }
            }
        }
        let odd = self.chance_odd();
        let any = 1.0 / n as f64;
        let anywhere = near.cases.first().copied().unwrap_or_default();
        let places = near.classes.iter().chain(std::iter::once(&anywhere));
        let each = self.mixtures.iter().zip(places).map(|(mixture, of)| {
            let outcome = |o: usize| {
                let followed: f64 = (0..KINDS)
                    .map(|k| mixture.known[k] * moved[of[k] * n + o])
                    .sum();
                let sound = rows.healthy[o];
                (sound + followed + mixture.blank * odd * (any - sound)).max(0.0)
            };
            (0..n).map(outcome).collect()
        });
        each.collect()
    }
}
