//! What one test reads under every fault case and on a sound vehicle.

use crate::diagnosis::bins::Bins;
use crate::diagnosis::repertoire::Probe;
use crate::diagnosis::scale::{Prediction, Scale};
use crate::diagnosis::shared::FACTORS;
use std::ops::Range;

/// What a test reads under every case: most leave it as it is on a sound vehicle.
#[derive(Debug, Clone, PartialEq)]
pub struct Readings {
    /// No fault.
    pub healthy: Prediction,
    /// Cases that read otherwise.
    own: Vec<Prediction>,
    /// Where a case stands in `own`.
    place: Vec<Option<u32>>,
}

impl Readings {
    /// From one prediction a case.
    pub fn new(cases: impl Iterator<Item = Prediction>, healthy: Prediction) -> Self {
        let mut new = Self {
            healthy,
            own: Vec::new(),
            place: Vec::new(),
        };
        for p in cases {
            let moved = p != healthy;
            new.place.push(moved.then_some(new.own.len() as u32));
            if moved {
                new.own.push(p);
            }
        }
        new
    }

    /// What is read under a case, when that is not what a sound vehicle reads.
    pub fn moved(&self, case: usize) -> Option<&Prediction> {
        self.place[case].map(|k| &self.own[k as usize])
    }

    /// What is read under a case.
    pub fn of(&self, case: usize) -> &Prediction {
        self.moved(case).unwrap_or(&self.healthy)
    }

    /// Number of cases.
    pub fn cases(&self) -> usize {
        self.place.len()
    }

    /// Cases that read otherwise, in order.
    fn moved_cases(&self) -> impl Iterator<Item = usize> {
        let moved = |(case, place): (usize, &Option<u32>)| place.map(|_| case);
        self.place.iter().enumerate().filter_map(moved)
    }

    /// Do the same cases read otherwise as before, and the same? `same` tells whether a case is one of before.
    fn as_before(&self, then: &Self, same: impl Fn(usize, usize) -> bool) -> bool {
        self.healthy == then.healthy
            && self.own == then.own
            && self
                .moved_cases()
                .zip(then.moved_cases())
                .all(|(now, old)| same(now, old))
    }

    /// Do most of the first cases leave the figure as it is? Then those that do not decide where it is cut, however many do.
    fn few_move(&self, listed: usize) -> bool {
        2 * self.moved_cases().take_while(|case| *case < listed).count() < listed
    }

    /// Every prediction once.
    pub fn each(&self) -> impl Iterator<Item = &Prediction> {
        self.own.iter().chain(std::iter::once(&self.healthy))
    }
}

/// Predictions of one test (or of one point in one state): per case, and healthy.
#[derive(Debug, Clone, PartialEq)]
#[allow(clippy::large_enum_variant)] // each stands behind an Arc, one a test
pub enum Column {
    /// Figures.
    Figures {
        /// Scale.
        scale: Scale,
        /// Dimensions, 1 or 2.
        dims: usize,
        /// Per case, and with no fault.
        readings: Readings,
        /// Where the outcomes that are told apart are cut.
        bins: Bins,
    },
    /// Categories: P(outcome | case), and healthy.
    Outcomes {
        /// Per case, per outcome.
        cases: Vec<Vec<f64>>,
        /// Healthy.
        healthy: Vec<f64>,
        /// Where it is seen, when that can be said.
        places: Places,
    },
}

/// Where a look finds what it finds.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Places {
    /// How many places it goes over; none when there is but one.
    pub count: usize,
    /// Per case those of them where it sits.
    pub of: Vec<Vec<usize>>,
}

/// Somebody who sees what is there names its place and not the one beside it.
const NAMED_RIGHT: f64 = 0.9;

impl Places {
    /// Chance that an answer is given for a place, under a case that gives it with chance `mine` where a sound vehicle gives
    /// it with chance `sound`: what is there is seen where it sits, what is imagined anywhere.
    pub fn chance(&self, case: usize, place: usize, mine: f64, sound: f64) -> f64 {
        let any = 1.0 / self.count.max(1) as f64;
        let there = match self.of.get(case) {
            Some(there) if !there.is_empty() => there,
            _ => return any,
        };
        let real = ((mine - sound) / mine.max(1e-12)).clamp(0.0, 1.0);
        let named = if there.contains(&place) {
            NAMED_RIGHT / there.len() as f64
        } else {
            0.0
        };
        real * (named + (1.0 - NAMED_RIGHT) * any) + (1.0 - real) * any
    }

    /// Cells that an outcome has in a row of a test: one for each place where it can be seen, one of its own for the first,
    /// which is that there is nothing to see.
    pub fn cells(&self, outcome: usize) -> Range<usize> {
        let each = self.count.max(1);
        match outcome {
            0 => 0..1,
            k => 1 + (k - 1) * each..1 + k * each,
        }
    }

    /// A row of outcomes, place by place; of a sound vehicle when no case is named.
    pub fn spread(&self, case: Option<usize>, row: &[f64], healthy: &[f64]) -> Vec<f64> {
        if self.count == 0 {
            return row.to_vec();
        }
        let any = 1.0 / self.count as f64;
        let mut out = row[..1].to_vec();
        for (mine, sound) in row.iter().zip(healthy).skip(1) {
            out.extend((0..self.count).map(|place| {
                let chance = case.map_or(any, |c| self.chance(c, place, *mine, *sound));
                mine * chance
            }));
        }
        out
    }
}

impl Column {
    /// A column of figures with its bins; the first `listed` cases decide where they are cut. `variances` are those of the
    /// shared factors.
    pub fn figures(
        probe: &Probe,
        readings: Readings,
        listed: usize,
        variances: &[f64; FACTORS],
    ) -> Self {
        let (scale, dims) = (probe.scale(), probe.dims());
        let bins = Bins::of(scale, dims, &readings, listed, variances);
        Self::Figures {
            scale,
            dims,
            readings,
            bins,
        }
    }

    /// How these readings are cut, where only cases came or went that leave the figure as it is: as before. `listed` are the
    /// cases that decide, now and before; `same` tells whether a case is one of before.
    pub(super) fn cut_for(
        &self,
        now: &Readings,
        listed: [usize; 2],
        same: impl Fn(usize, usize) -> bool,
    ) -> Option<&Bins> {
        match self {
            Self::Figures { readings, bins, .. } => {
                let few = now.few_move(listed[0]) && readings.few_move(listed[1]);
                (few && now.as_before(readings, same)).then_some(bins)
            }
            Self::Outcomes { .. } => None,
        }
    }

    /// Number of cases.
    pub(super) fn cases(&self) -> usize {
        match self {
            Self::Figures { readings, .. } => readings.cases(),
            Self::Outcomes { cases, .. } => cases.len(),
        }
    }

    /// Cases that read otherwise than a sound vehicle, in order; of looks none is told.
    pub(super) fn moved_cases(&self) -> impl Iterator<Item = usize> {
        let figures = match self {
            Self::Figures { readings, .. } => Some(readings),
            Self::Outcomes { .. } => None,
        };
        figures.into_iter().flat_map(Readings::moved_cases)
    }

    /// About how many bytes it takes up.
    pub(super) fn bytes(&self) -> usize {
        match self {
            Self::Figures { readings, .. } => {
                readings.own.len() * size_of::<Prediction>() + readings.place.len() * 8
            }
            Self::Outcomes { cases, places, .. } => {
                let rows: usize = cases.iter().map(|r| 24 + 8 * r.len()).sum();
                rows + 24 * places.of.len()
            }
        }
    }
}
