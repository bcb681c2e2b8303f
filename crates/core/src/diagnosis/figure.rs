//! How likely a figure is under a prediction.

use crate::diagnosis::column::Column;
use crate::diagnosis::evidence::Answer;
use crate::diagnosis::scale::{Prediction, Scale};

/// Share of readings taken at the wrong place.
pub const MISPROBE: f64 = 0.02;
/// Chance that an intermittent fault shows in a still reading.
pub(super) const SHOWS: f64 = 0.35;

/// What is known of the log of the pack's voltage against its nominal one.
#[derive(Clone, Copy, PartialEq)]
pub(super) struct Charge {
    pub mean: f64,
    pub var: f64,
}

/// A figure that was read, on the scale of its test.
pub(super) struct Figure {
    scale: Scale,
    dims: usize,
    y: [f64; 2],
}

impl Figure {
    /// None where no figure was read.
    pub fn of(column: &Column, answer: &Answer) -> Option<Self> {
        let Column::Figures { scale, dims, .. } = column else {
            return None;
        };
        let open = matches!(scale, Scale::Ohms | Scale::Milliohms);
        let y = match answer {
            Answer::Figure { low, high } => [scale.to(*low), scale.to(*high)],
            Answer::OverRange => [over(*scale); 2],
            Answer::Nothing if open => [over(*scale); 2],
            Answer::Nothing => [scale.to(0.0); 2],
            _ => return None,
        };
        Some(Self {
            scale: *scale,
            dims: *dims,
            y,
        })
    }

    fn read(&self) -> impl Iterator<Item = (usize, f64)> {
        self.y.into_iter().take(self.dims).enumerate()
    }

    /// Density under a prediction; what the figure says of the pack's charge is learnt.
    pub fn density(&self, p: &Prediction, charge: &mut Charge) -> f64 {
        let mut total = 1.0;
        for (d, seen) in self.read() {
            let c = p.slope[d];
            let inst = self.scale.instrument(p.mean[d]);
            let var = p.spread[d].powi(2) * 7.0 / 6.0 + inst * inst + c * c * charge.var + 1e-8;
            let residual = seen - p.mean[d] - c * charge.mean;
            let sigma = var.sqrt();
            total *= student(residual, sigma);
            if c.abs() > 1e-6 && residual.abs() < 4.0 * sigma {
                let gain = charge.var * c / var;
                charge.mean += gain * residual;
                charge.var -= gain * c * charge.var;
            }
        }
        total
    }

    /// The highest density any prediction can give it.
    pub fn peak(&self) -> f64 {
        let at = |(_, y): (usize, f64)| student(0.0, self.scale.instrument(y));
        self.read().map(at).product()
    }

    /// Density of a figure out of the blue.
    pub fn uniform(&self) -> f64 {
        1.0 / self.scale.width().powi(self.dims as i32)
    }

    /// Density of a figure by mistake, with the chance of one: tips that touched nothing, or stood anywhere.
    pub fn by_mistake(&self) -> f64 {
        let (rest, least) = match self.scale {
            Scale::Ohms | Scale::Milliohms => (over(self.scale), 0.02),
            Scale::Volts | Scale::Amps => (self.scale.to(0.0), 0.01),
        };
        let sigma = self.scale.instrument(rest).max(least);
        let none: f64 = self.read().map(|(_, y)| student(y - rest, sigma)).product();
        MISPROBE / 2.0 * (none + self.uniform())
    }
}

/// Student's t density, 5 degrees of freedom, scaled.
fn student(residual: f64, sigma: f64) -> f64 {
    let r = residual / sigma;
    0.379_606_690 / sigma * (1.0 + r * r / 5.0).powi(-3)
}

/// Scale value of OL.
fn over(scale: Scale) -> f64 {
    match scale {
        Scale::Ohms => scale.to(f64::INFINITY),
        Scale::Milliohms => scale.to(10.0),
        Scale::Volts => 3.0,
        Scale::Amps => 0.0,
    }
}
