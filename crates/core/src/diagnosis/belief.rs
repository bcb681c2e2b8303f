//! Shares of the hypotheses after all evidence, and what is read off them.

use crate::diagnosis::course::Course;
use crate::diagnosis::evidence::Evidence;
use crate::diagnosis::hypothesis::Suspicion;
use crate::diagnosis::model::Model;
use crate::diagnosis::unknown::{Looks, Unknown};

/// Shares after all evidence.
#[derive(Debug, Clone)]
pub struct Belief {
    /// Share of each hypothesis, sums to one.
    pub shares: Vec<f64>,
    /// Log-likelihood of each item under each hypothesis.
    pub items: Vec<Vec<f64>>,
    /// Share of each class after each item (index 0: before any).
    pub trail: Vec<Vec<f64>>,
    /// Share of the hypotheses under which an item is no more likely than a slip of the tips or a
    /// figure out of the blue (0 for items that are no figures).
    pub unexplained: Vec<f64>,
    /// What is known of unknown faults.
    pub unknown: Unknown,
    /// Parts of other values than the family's that a sound vehicle with these readings rather has than not: their cases.
    pub chosen: Vec<usize>,
    /// The ways in which the vehicle may be built otherwise.
    pub ways: Vec<WayHeld>,
}

/// How far a way to build the vehicle is held.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct WayHeld {
    /// Its case.
    pub case: usize,
    /// Share with nothing to repair.
    pub alone: f64,
    /// Share beside some fault.
    pub beside: f64,
}

impl WayHeld {
    /// Share of vehicles that are built so, broken or not.
    pub fn share(&self) -> f64 {
        self.alone + self.beside
    }
}

/// Share of each class.
pub fn class_shares(model: &Model, shares: &[f64]) -> Vec<f64> {
    let mut out = vec![0.0; model.classes.len()];
    for (h, p) in model.hypotheses.iter().zip(shares) {
        if let Some(c) = h.class {
            out[c] += p;
        }
    }
    out
}

impl Belief {
    /// Work out the shares from scratch: the same evidence in the same order gives the same bytes.
    pub fn of(model: &Model, evidence: &[Evidence]) -> Self {
        Course::new(model).after(model, evidence).clone()
    }

    /// Share of each class.
    pub fn classes(&self, model: &Model) -> Vec<f64> {
        class_shares(model, &self.shares)
    }

    /// Shares by what they read, whatever the repair.
    pub fn looks(&self, model: &Model) -> Looks {
        self.unknown.looks(model, &self.shares)
    }

    /// Share of “nothing wrong” and of “something this drawing does not hold”.
    pub fn others(&self, model: &Model) -> (f64, f64) {
        let mut shares = (0.0, 0.0);
        for (h, p) in model.hypotheses.iter().zip(&self.shares) {
            match h.kind {
                Suspicion::Nothing => shares.0 += p,
                Suspicion::Outside => shares.1 += p,
                _ => {}
            }
        }
        shares
    }

    /// Share of vehicles that are built otherwise, with nothing to repair.
    pub fn built(&self, model: &Model) -> f64 {
        let fits = model.hypotheses.iter().zip(&self.shares);
        let built = fits.filter(|(h, _)| matches!(h.kind, Suspicion::Built(_)));
        built.map(|(_, p)| p).sum()
    }

    /// What an item did to a class, as a natural log of odds against all others.
    pub fn weight(&self, model: &Model, item: usize, class: usize) -> f64 {
        let mut mine = (0.0, 0.0);
        let mut rest = (0.0, 0.0);
        for ((h, p), l) in model
            .hypotheses
            .iter()
            .zip(&self.shares)
            .zip(&self.items[item])
        {
            // shares after all evidence over this item's likelihood = shares without it
            let without = p / l.exp();
            let side = if h.class == Some(class) {
                &mut mine
            } else {
                &mut rest
            };
            side.0 += p;
            side.1 += without;
        }
        if mine.1 <= 0.0 || rest.1 <= 0.0 || mine.0 <= 0.0 || rest.0 <= 0.0 {
            return 0.0;
        }
        (mine.0 / mine.1).ln() - (rest.0 / rest.1).ln()
    }
}
