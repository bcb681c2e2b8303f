//! Outcome ranges of a figure: predictions that lie close together are one outcome, and each case has a chance of
//! falling into each.

use crate::diagnosis::column::Readings;
use crate::diagnosis::figure::SHOWS;
use crate::diagnosis::scale::{Prediction, Scale};
use crate::diagnosis::shared::{FACTORS, Factor};

/// Outcome ranges of a figure column.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Bins {
    /// Cut points of the low dimension and of the high one (scale units).
    pub cuts: [Vec<f64>; 2],
    /// Variances of the shared factors.
    variances: [f64; FACTORS],
}

impl Bins {
    /// Number of bins.
    pub fn count(&self) -> usize {
        (self.cuts[0].len() + 1) * (self.cuts[1].len() + 1)
    }
}

/// Deviations, in those of the usual and the healthy prediction, above which a prediction does not decide
/// where outcomes are told apart: one after the other, the widest first.
const WIDE: [f64; 4] = [100.0, 30.0, 10.0, 3.0];

/// A gap between two neighbouring predictions, and where to cut it.
struct Gap {
    from: f64,
    to: f64,
    cut: f64,
}

/// Deviations that a prediction reaches to either side: a cut needs neighbours whose reaches do not meet. At two a
/// charger that ends 2.5 % short could not be planned for; the chances of the bins tell how sure a cut is.
const REACH: f64 = 1.4;

/// How far towards zero a figure reaches at most, as a share of itself: some deviations of a resistance that is known
/// to a factor (log-normal) do not carry it to nothing.
const TOWARDS_ZERO: f64 = 0.75;

/// Gaps between sorted predictions (mean, deviation) that differ by more than the sum of their
/// reaches. The cut stands where both neighbours are equally far in their own deviations. `linear` tells whether
/// zero of the scale is zero of the figure.
fn gaps_between(points: &[(f64, f64)], linear: bool) -> Vec<Gap> {
    let reach = |p: (f64, f64), inward: bool| {
        if linear && inward {
            (REACH * p.1).min(TOWARDS_ZERO * p.0.abs())
        } else {
            REACH * p.1
        }
    };
    points
        .windows(2)
        .filter_map(|w| {
            let (low, high) = (w[0], w[1]);
            let (up, down) = (reach(low, low.0 < 0.0), reach(high, high.0 > 0.0));
            let between = high.0 - low.0;
            (between > up + down && between > 0.0).then(|| Gap {
                from: low.0,
                to: high.0,
                cut: low.0 + up / (up + down).max(1e-12) * between,
            })
        })
        .collect()
}

/// How far from what a sound vehicle reads, in its own deviations, an outcome of its own begins.
const SOUND: f64 = 2.5;
/// A cut that is no farther than this stands for it.
const NEAR_SOUND: f64 = 5.0;

/// Cuts on either side of what a sound vehicle reads, where a fault reads beyond and no gap was found near: a fault of any
/// severity leaves no gap, and is told all the same by a reading that no sound vehicle gives.
fn beside_sound(points: &[(f64, f64)], (sound, sigma): (f64, f64), cuts: &[f64]) -> Vec<f64> {
    let side = |way: f64| {
        let off = |y: f64| way * (y - sound) / sigma.max(1e-12);
        let beyond = points.iter().any(|p| off(p.0) > SOUND);
        let near = cuts.iter().any(|c| (0.0..NEAR_SOUND).contains(&off(*c)));
        (beyond && !near).then_some(sound + way * SOUND * sigma)
    };
    [-1.0, 1.0].into_iter().filter_map(side).collect()
}

impl Bins {
    /// Cut the outcomes of a figure: sort the predicted means, cut where neighbours differ by more than the sum of
    /// their reaches, at most ten bins (finer ones chase noise). The first `listed` cases decide the cuts.
    pub fn of(
        scale: Scale,
        dims: usize,
        readings: &Readings,
        listed: usize,
        variances: &[f64; FACTORS],
    ) -> Self {
        let healthy = &readings.healthy;
        let sigma = |p: &Prediction, d: usize| deviation(scale, p, d, variances);
        let mut cuts: [Vec<f64>; 2] = [Vec::new(), Vec::new()];
        // most cases leave the figure as it is: they stand in one place, which need not be sorted so often
        let moved: Vec<&Prediction> = (0..listed).filter_map(|k| readings.moved(k)).collect();
        let points_of = |d: usize| {
            let still = std::iter::once(&readings.healthy);
            let each = still.clone().chain(moved.iter().copied()).chain(still);
            let mut points: Vec<(f64, f64)> = each.map(|p| (p.mean[d], sigma(p, d))).collect();
            points.sort_by(|a, b| a.0.total_cmp(&b.0));
            points
        };
        let most = if dims == 1 { 10 } else { 4 };
        for (d, cut) in cuts.iter_mut().enumerate().take(dims) {
            let all = points_of(d);
            let mut points = all.clone();
            let linear = scale != Scale::Ohms;
            let mut gaps = gaps_between(&points, linear);
            // A fault whose own value is uncertain (a bad contact of any ohms) can lie across a gap and hide it:
            // without it 0 V and 5 V would be one outcome. Its chances are spread over the bins all the same.
            let own = sigma(healthy, d);
            let still = std::iter::repeat_n(own, listed + 1 - moved.len());
            let mut sigmas: Vec<f64> = moved.iter().map(|p| sigma(p, d)).chain(still).collect();
            let middle = sigmas.len() / 2;
            let (_, usual, _) = sigmas.select_nth_unstable_by(middle, f64::total_cmp);
            let usual = usual.max(own);
            for wide in WIDE {
                points.retain(|p| p.1 <= wide * usual);
                for hidden in gaps_between(&points, linear) {
                    if !gaps
                        .iter()
                        .any(|g| (hidden.from..hidden.to).contains(&g.cut))
                    {
                        gaps.push(hidden);
                    }
                }
            }
            gaps.sort_by(|a, b| (b.to - b.from).total_cmp(&(a.to - a.from)));
            gaps.truncate(most - 1);
            *cut = gaps.iter().map(|g| g.cut).collect();
            let sound = (healthy.mean[d], sigma(healthy, d));
            cut.extend(beside_sound(&all, sound, cut));
            cut.sort_by(f64::total_cmp);
        }
        Self {
            cuts,
            variances: *variances,
        }
    }

    /// Chance of each bin under a prediction, row-major over bins (low index × high index). `rests` are the chances of what an
    /// intermittent fault reads when it does not show.
    pub fn chances(
        &self,
        scale: Scale,
        dims: usize,
        p: &Prediction,
        rests: Option<&[f64]>,
    ) -> Vec<f64> {
        let mut row = self.plain(scale, dims, p);
        if let Some(rests) = rests {
            for (r, h) in row.iter_mut().zip(rests) {
                *r = SHOWS * *r + (1.0 - SHOWS) * h;
            }
        }
        let n = row.len() as f64;
        row.iter_mut()
            .for_each(|p| *p = (1.0 - NOISE) * *p + NOISE / n);
        row
    }

    /// The same for a meter that is never put down wrong.
    pub fn plain(&self, scale: Scale, dims: usize, p: &Prediction) -> Vec<f64> {
        let one = |d: usize| -> Vec<f64> {
            let s = deviation(scale, p, d, &self.variances);
            let mut last = 0.0;
            let mut out: Vec<f64> = self.cuts[d]
                .iter()
                .map(|c| {
                    let below = normal_below((c - p.mean[d]) / s);
                    let share = below - last;
                    last = below;
                    share.max(0.0)
                })
                .collect();
            out.push((1.0 - last).max(0.0));
            out
        };
        let low = one(0);
        if dims == 1 {
            return low;
        }
        let high = one(1);
        low.iter()
            .flat_map(|a| high.iter().map(move |b| a * b))
            .collect()
    }
}

/// What is read by a slip, or on a net that is not as drawn, may fall anywhere.
const NOISE: f64 = 0.06;
/// While choosing, half of the spread of what a vehicle shares is taken as open, the rest as known from other readings; of the
/// windings, of which three are alike, less, and of insulation, which is sound or leaks. The pack's charge counts as measured.
const STILL_OPEN: f64 = 0.5;
const INSULATION_OPEN: f64 = 0.2;
const WINDINGS_OPEN: f64 = 0.15;
const CHARGE_OPEN: f64 = 0.1;

/// Deviation of a figure while choosing.
fn deviation(scale: Scale, p: &Prediction, d: usize, variances: &[f64; FACTORS]) -> f64 {
    let open = p.open(d, variances, |factor| match factor {
        Factor::Charge => CHARGE_OPEN,
        Factor::Severity => 1.0,
        Factor::Windings => WINDINGS_OPEN,
        Factor::Insulation => INSULATION_OPEN,
        _ => STILL_OPEN,
    });
    open.hypot(scale.instrument(p.mean[d]))
}

/// Standard normal distribution function.
fn normal_below(x: f64) -> f64 {
    0.5 * libm::erfc(-x / std::f64::consts::SQRT_2)
}
