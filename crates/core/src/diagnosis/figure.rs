//! A figure that was read, and how likely it is where nothing of the drawing holds.

use crate::diagnosis::column::Column;
use crate::diagnosis::evidence::Answer;
use crate::diagnosis::scale::Scale;

/// Share of readings taken at the wrong place.
pub const MISPROBE: f64 = 0.02;
/// Chance that an intermittent fault shows in a still reading.
pub(super) const SHOWS: f64 = 0.35;

/// A figure that was read, on the scale of its test.
#[derive(Debug, Clone, Copy)]
pub(super) struct Figure {
    pub scale: Scale,
    pub dims: usize,
    pub y: [f64; 2],
}

/// Volts at which a net rests on many vehicles, with how close to them and how often: dead, a diode's, 3.3 V, the rail, the
/// gates' supply.
const LUMPS: [(f64, f64, f64); 5] = [
    (0.0, 0.10, 0.25),
    (0.6, 0.15, 0.05),
    (3.3, 0.25, 0.08),
    (4.9, 0.40, 0.15),
    (12.3, 0.8, 0.08),
];

impl Figure {
    /// None where no figure was read.
    pub fn of(column: &Column, answer: &Answer) -> Option<Self> {
        let Column::Figures { scale, dims, .. } = column else {
            return None;
        };
        let open = matches!(scale, Scale::Ohms | Scale::Short | Scale::Milliohms);
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

    /// The highest density any prediction can give it.
    pub fn peak(&self) -> f64 {
        let at = |(_, y): (usize, f64)| normal(0.0, self.scale.instrument(y));
        self.read().map(at).product()
    }

    /// Density of the same figure at the same points, once more.
    pub fn again(&self, before: [f64; 2]) -> f64 {
        let each = self.read().map(|(d, y)| {
            let sigma = self.scale.instrument(y) * std::f64::consts::SQRT_2 + 1e-4;
            let nu = y - before[d];
            0.9 * normal(nu, sigma) + 0.1 * normal(nu, 3.0 * sigma)
        });
        each.product()
    }

    /// Density of a figure out of the blue.
    pub fn uniform(&self) -> f64 {
        1.0 / self.scale.width().powi(self.dims as i32)
    }

    /// Density on a net that is not as drawn: broad, with lumps where nets rest. `pack` is the pack's volts.
    pub fn undrawn(&self, pack: f64) -> f64 {
        let volts = |y: f64| {
            let lumps = LUMPS
                .iter()
                .map(|(at, sigma, share)| share * normal(y - at, *sigma));
            let full = 0.12 * normal(y - pack, 0.06 * pack);
            lumps.sum::<f64>() + full + 0.27 / self.scale.width()
        };
        let ohms = |y: f64| {
            let open = 0.25 * normal(y - over(self.scale), 0.05);
            let none = 0.15 * normal(y - self.scale.to(0.2), 0.25);
            open + none + 0.6 / self.scale.width()
        };
        let each = self.read().map(|(_, y)| match self.scale {
            Scale::Volts => volts(y),
            Scale::Ohms | Scale::Short => ohms(y),
            Scale::Milliohms | Scale::Amps => {
                0.3 * normal(y, 0.02 * self.scale.width()) + 0.7 / self.scale.width()
            }
        });
        each.product()
    }

    /// Density of a figure by a slip: tips that touched nothing, or stood anywhere.
    pub fn slip(&self) -> f64 {
        let (rest, least) = match self.scale {
            Scale::Ohms | Scale::Short | Scale::Milliohms => (over(self.scale), 0.02),
            Scale::Volts | Scale::Amps => (self.scale.to(0.0), 0.01),
        };
        let sigma = self.scale.instrument(rest).max(least);
        let none: f64 = self.read().map(|(_, y)| normal(y - rest, sigma)).product();
        0.5 * (none + self.uniform())
    }
}

fn normal(nu: f64, sigma: f64) -> f64 {
    let z = nu / sigma;
    (-0.5 * z * z).exp() / (sigma * std::f64::consts::TAU.sqrt())
}

/// Scale value of OL.
fn over(scale: Scale) -> f64 {
    match scale {
        Scale::Ohms | Scale::Short => scale.to(f64::INFINITY),
        Scale::Milliohms => scale.to(10.0),
        Scale::Volts => 3.0,
        Scale::Amps => 0.0,
    }
}
