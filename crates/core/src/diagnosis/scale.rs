//! The scale on which figures of a meter mode are compared, and a predicted figure on it.

use crate::diagnosis::shared::{FACTORS, Factor};
use spannung_circuit::Mode;
use spannung_circuit::meter::OL_OHMS;

/// Ohms through electronics without power tell a short and nothing else: what makers put inside differs.
pub const SHORT_OHMS: f64 = 60.0;

/// How a figure is compared.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Scale {
    /// Volts, diode volts: linear.
    Volts,
    /// Ohms: log10(R + 0.1), OL at the end of the range.
    Ohms,
    /// Ohms through electronics: as [`Self::Ohms`] up to [`SHORT_OHMS`], and all above are one.
    Short,
    /// Four-wire: linear.
    Milliohms,
    /// Amps: linear.
    Amps,
}

impl Scale {
    /// Scale of a meter mode.
    pub fn of(mode: Mode) -> Self {
        match mode {
            Mode::Volts | Mode::Diode => Self::Volts,
            Mode::Ohms => Self::Ohms,
            Mode::Milliohms => Self::Milliohms,
            Mode::Amps => Self::Amps,
        }
    }

    /// From this share of where it is open, a figure is open.
    pub(super) const NEARLY_OPEN: f64 = 0.9;

    /// From SI to the scale.
    pub fn to(self, value: f64) -> f64 {
        match self {
            Self::Ohms => (value.clamp(0.0, OL_OHMS) + 0.1).log10(),
            Self::Short => (value.clamp(0.0, SHORT_OHMS) + 0.1).log10(),
            Self::Milliohms => value.clamp(-1.0, 10.0),
            Self::Volts | Self::Amps => value.clamp(-200.0, 200.0),
        }
    }

    /// From the scale to SI; the end of the ohm range is infinite.
    pub fn from(self, y: f64) -> f64 {
        match self {
            Self::Ohms | Self::Short => {
                let ohms = 10f64.powf(y) - 0.1;
                if ohms > self.open_ohms() * Self::NEARLY_OPEN {
                    f64::INFINITY
                } else {
                    ohms.max(0.0)
                }
            }
            _ => y,
        }
    }

    /// Does a figure lie before the ends of the scale?
    pub(super) fn inside(self, y: f64) -> bool {
        let (least, most) = (self.to(f64::MIN), self.to(f64::MAX));
        y > least + 1e-9 && y < most - 1e-9
    }

    /// From here on it is open, ohms.
    pub(super) fn open_ohms(self) -> f64 {
        match self {
            Self::Short => SHORT_OHMS,
            _ => OL_OHMS,
        }
    }

    /// d(scale)/d(SI) at a figure in SI.
    pub fn slope(self, value: f64) -> f64 {
        match self {
            Self::Ohms | Self::Short if value >= self.open_ohms() => 0.0,
            Self::Ohms | Self::Short => 1.0 / ((value.max(0.0) + 0.1) * std::f64::consts::LN_10),
            Self::Amps => value.signum(),
            Self::Volts | Self::Milliohms => 1.0,
        }
    }

    /// Instrument deviation (one sigma) at a scale value: volts 3 mV + 1 % below 0.4 V, else
    /// 20 mV + 0.6 %; ohms 50 mΩ + 1.2 % carried to the log; four-wire 0.3 mΩ + 1 %; amps
    /// 5 mA + 2.5 %.
    pub fn instrument(self, y: f64) -> f64 {
        match self {
            Self::Volts => {
                let v = y.abs();
                (0.003 + 0.01 * v).min(0.02 + 0.006 * v)
            }
            Self::Ohms | Self::Short => {
                let ohms = (10f64.powf(y) - 0.1).max(0.0);
                (0.05 + 0.012 * ohms) / ((ohms + 0.1) * std::f64::consts::LN_10) + 0.01
            }
            Self::Milliohms => 0.0003 + 0.01 * y.abs(),
            Self::Amps => 0.005 + 0.025 * y.abs(),
        }
    }

    /// A fault or a change that moves a reading by less than this share of the instrument's own deviation leaves it as
    /// it was.
    pub const STILL: f64 = 0.02;

    /// Do two predictions read the same?
    pub(super) fn same(self, a: &Prediction, b: &Prediction) -> bool {
        (0..2).all(|d| {
            let still = Self::STILL * self.instrument(a.mean[d]);
            (a.mean[d] - b.mean[d]).abs() <= still
                && (a.slope(d) - b.slope(d)).abs() * 0.05 <= still
        })
    }

    /// Width of what could be read by mistake.
    pub fn width(self) -> f64 {
        match self {
            Self::Volts => 60.0,
            Self::Ohms => 8.3,
            Self::Short => 3.3,
            Self::Milliohms => 0.6,
            Self::Amps => 20.0,
        }
    }
}

/// Predicted figure on the test's scale, for a steady one or the lowest and the highest of a sweep.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Prediction {
    /// With all values as named.
    pub mean: [f64; 2],
    /// Spread from what the net has for itself: the tolerance of every element in it.
    pub spread: [f64; 2],
    /// d(mean)/d(factor), by [`Factor`].
    pub slopes: [[f32; FACTORS]; 2],
}

impl Prediction {
    /// d(mean)/d(ln pack volts).
    pub fn slope(&self, d: usize) -> f64 {
        f64::from(self.slopes[d][Factor::Charge as usize])
    }

    /// Spread of a dimension when of every shared factor's spread the part that `open` tells is still open.
    pub fn open(&self, d: usize, variances: &[f64; FACTORS], open: impl Fn(Factor) -> f64) -> f64 {
        let each = self.slopes[d].iter().zip(variances).zip(Factor::ALL);
        let shared: f64 = each
            .map(|((slope, var), factor)| (f64::from(*slope) * open(factor)).powi(2) * var)
            .sum();
        (self.spread[d].powi(2) + shared).sqrt()
    }
}
