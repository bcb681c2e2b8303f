//! What one test reads under every fault case and on a sound vehicle.

use crate::diagnosis::bins::Bins;
use crate::diagnosis::repertoire::Probe;
use crate::diagnosis::scale::{Prediction, Scale};
use spannung_circuit::FaultCase;

/// Predictions of one test (or of one point in one state): per case, and healthy.
#[derive(Debug, Clone, PartialEq)]
pub enum Column {
    /// Figures.
    Figures {
        /// Scale.
        scale: Scale,
        /// Dimensions, 1 or 2.
        dims: usize,
        /// Per case.
        cases: Vec<Prediction>,
        /// No fault.
        healthy: Prediction,
        /// Distinct outcome ranges and the chance of each, for choosing.
        bins: Bins,
    },
    /// Categories: P(outcome | case), and healthy.
    Outcomes {
        /// Per case, per outcome.
        cases: Vec<Vec<f64>>,
        /// Healthy.
        healthy: Vec<f64>,
    },
}

impl Column {
    /// A column of figures with its bins; the first `listed` cases decide where they are cut.
    pub fn figures(
        probe: &Probe,
        cases: Vec<Prediction>,
        healthy: Prediction,
        specs: &[FaultCase],
        listed: usize,
    ) -> Self {
        let (scale, dims) = (Scale::of(probe.mode), probe.dims());
        let bins = Bins::of(scale, dims, &cases, &healthy, specs, listed);
        Self::Figures {
            scale,
            dims,
            cases,
            healthy,
            bins,
        }
    }

    /// About how many bytes it takes up.
    pub(super) fn bytes(&self) -> usize {
        match self {
            Self::Figures { cases, bins, .. } => {
                let rows: usize = bins.cases.iter().map(|r| 24 + 4 * r.len()).sum();
                cases.len() * size_of::<Prediction>() + rows
            }
            Self::Outcomes { cases, .. } => cases.iter().map(|r| 24 + 8 * r.len()).sum(),
        }
    }
}
