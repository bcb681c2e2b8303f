//! The scale on which figures of a meter mode are compared, and a predicted figure on it.

use spannung_circuit::Mode;
use spannung_circuit::meter::OL_OHMS;

/// How a figure is compared.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Scale {
    /// Volts, diode volts: linear.
    Volts,
    /// Ohms: log10(R + 0.1), OL at the end of the range.
    Ohms,
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

    /// From SI to the scale.
    pub fn to(self, value: f64) -> f64 {
        match self {
            Self::Ohms => (value.clamp(0.0, OL_OHMS) + 0.1).log10(),
            Self::Milliohms => value.clamp(-1.0, 10.0),
            Self::Volts | Self::Amps => value.clamp(-200.0, 200.0),
        }
    }

    /// From the scale to SI; the end of the ohm range is infinite.
    pub fn from(self, y: f64) -> f64 {
        match self {
            Self::Ohms => {
                let ohms = 10f64.powf(y) - 0.1;
                if ohms > OL_OHMS * 0.9 {
                    f64::INFINITY
                } else {
                    ohms.max(0.0)
                }
            }
            _ => y,
        }
    }

    /// Instrument deviation (one sigma) at a scale value: volts 3 mV + 1 % below 0.4 V, else
    /// 20 mV + 0.6 %; ohms 30 mΩ + 1.2 % carried to the log; four-wire 0.3 mΩ + 1 %; amps
    /// 5 mA + 2.5 %.
    pub fn instrument(self, y: f64) -> f64 {
        match self {
            Self::Volts => {
                let v = y.abs();
                (0.003 + 0.01 * v).min(0.02 + 0.006 * v)
            }
            Self::Ohms => {
                let ohms = (10f64.powf(y) - 0.1).max(0.0);
                (0.03 + 0.012 * ohms) / ((ohms + 0.1) * std::f64::consts::LN_10) + 0.01
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
                && (a.slope[d] - b.slope[d]).abs() * 0.05 <= still
        })
    }

    /// Width of what could be read by mistake.
    pub fn width(self) -> f64 {
        match self {
            Self::Volts => 60.0,
            Self::Ohms => 8.3,
            Self::Milliohms => 0.6,
            Self::Amps => 20.0,
        }
    }
}

/// Predicted figure: mean and spread on the test's scale, slope with the log of the pack's voltage.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Prediction {
    /// With all values as named, per dimension (low, high of a sweep).
    pub nominal: [f64; 2],
    /// Mean per dimension.
    pub mean: [f64; 2],
    /// Spread from component tolerances.
    pub spread: [f64; 2],
    /// d(mean)/d(ln pack volts).
    pub slope: [f64; 2],
}

impl Prediction {
    /// What a change of the vehicle that moves the nominal value leaves of it: the rest moves along, in proportion on a
    /// scale with a zero.
    pub(super) fn shifted(mut self, nominal: [f64; 2], scale: Scale) -> Self {
        for (d, now) in nominal.into_iter().enumerate() {
            let was = self.nominal[d];
            let proportion = match scale {
                Scale::Ohms => 1.0,
                _ if was.abs() < 1e-6 => 1.0,
                _ => (now / was).abs().min(2.0),
            };
            self.mean[d] = now + (self.mean[d] - was) * proportion;
            self.spread[d] *= proportion;
            self.slope[d] *= proportion;
        }
        self.nominal = nominal;
        self
    }
}
