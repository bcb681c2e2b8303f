//! What is known of a vehicle under one hypothesis: the factors it shares everywhere, what each net has for itself, which
//! nets are not as drawn, which readings were slips. Every hypothesis filters its own.
//!
//! A figure y of a net n reads, under hypothesis h,
//!
//! ```text
//!     y = f_h + a·θ + s·δ_n + ε      as drawn                                     (1−ε)(1−w_n)
//!     y = anything a net can read    the net is not as drawn, once and for all    (1−ε)·w_n
//!     y = anything, or nothing       the tips were elsewhere, this time           ε
//! ```
//!
//! with θ the shared factors, δ the deviation of the net in units of its own spread s, and ε the meter's noise: 0.9 N(S) +
//! 0.1 N(9S), S the variance of all that is open. Which of the three it was is not known; the update is weighed with the
//! chance r of the first (probabilistic data association, Bar-Shalom and Tse 1975): m += r·K·ν, P −= (r·S − r(1−r)·ν²)·K·Kᵀ
//! with ν² held to 9S. The switch of the net becomes w ← r_switch + w·r_slip. A figure taken again at the same points can
//! only tell whether the first was a slip: given that it was none, it reads the same under every hypothesis.

use crate::diagnosis::figure::{Figure, MISPROBE};
use crate::diagnosis::nets::{Place, UNDRAWN};
use crate::diagnosis::scale::Prediction;
use crate::diagnosis::shared::{FACTORS, Factor};

/// How firmly the share of nets that are not as drawn is believed before anything is read, in nets that are expected not to be
/// (the first two counts of a beta distribution: 0.3 of 6); and the chance of a net that it does not pass.
const FIRM: f64 = 0.3;
const MOST_UNDRAWN: f64 = 0.25;

/// Mean and covariance of the shared factors.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Shared {
    mean: [f64; FACTORS],
    cov: [[f64; FACTORS]; FACTORS],
}

/// A reading that was taken: what it showed, and the chance that it was a slip.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Taken {
    key: u64,
    y: [f64; 2],
    slip: f64,
}

/// What is known under one hypothesis.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Filter {
    shared: Shared,
    /// Chance that each net is not as drawn.
    undrawn: Vec<f64>,
    /// Nets that were read, and the sum of their chances before.
    read: Vec<usize>,
    expected: f64,
    /// Mean and variance of the own deviation of what twins share, where something was read.
    own: Vec<(usize, f64, f64)>,
    taken: Vec<Taken>,
}

/// A figure to be taken in.
pub(super) struct Reading<'a> {
    pub figure: &'a Figure,
    pub place: Place,
    /// What it is taken at, for readings that are repeated.
    pub key: u64,
    /// Density on a net that is not as drawn, and by a slip.
    pub undrawn: f64,
    pub slip: f64,
}

/// One dimension of a figure under a prediction.
#[derive(Clone, Copy, Default)]
struct Residual {
    nu: f64,
    var: f64,
    /// Densities of the narrow and the wide part, with their shares.
    narrow: f64,
    wide: f64,
}

fn normal(nu: f64, var: f64) -> f64 {
    (-0.5 * nu * nu / var).exp() / (std::f64::consts::TAU * var).sqrt()
}

impl Shared {
    pub fn new(variances: &[f64; FACTORS]) -> Self {
        let mut cov = [[0.0; FACTORS]; FACTORS];
        for (k, v) in variances.iter().enumerate() {
            cov[k][k] = *v;
        }
        Self {
            mean: [0.0; FACTORS],
            cov,
        }
    }

    /// Forget a factor: it may be anything again.
    fn forget(&mut self, factor: Factor, variance: f64) {
        let k = factor as usize;
        self.mean[k] = 0.0;
        for row in &mut self.cov {
            row[k] = 0.0;
        }
        self.cov[k] = [0.0; FACTORS];
        self.cov[k][k] = variance;
    }

    /// P·a and aᵀPa of a slope vector.
    fn gain(&self, slopes: &[f32; FACTORS]) -> ([f64; FACTORS], f64) {
        let mut gain = [0.0; FACTORS];
        for (j, a) in slopes.iter().enumerate().filter(|(_, a)| **a != 0.0) {
            let a = f64::from(*a);
            for (g, row) in gain.iter_mut().zip(&self.cov) {
                *g += row[j] * a;
            }
        }
        let var = gain
            .iter()
            .zip(slopes)
            .map(|(g, a)| g * f64::from(*a))
            .sum();
        (gain, var)
    }

    fn shift(&self, slopes: &[f32; FACTORS]) -> f64 {
        let each = self.mean.iter().zip(slopes);
        each.map(|(m, a)| m * f64::from(*a)).sum()
    }

    fn residual(&self, figure: &Figure, p: &Prediction, d: usize, own: (f64, f64)) -> Residual {
        let (_, shared) = self.gain(&p.slopes[d]);
        let spread = p.spread[d];
        let inst = figure.scale.instrument(p.mean[d]);
        let var = shared + spread * spread * own.1 + inst * inst + 1e-8;
        let nu = figure.y[d] - p.mean[d] - self.shift(&p.slopes[d]) - spread * own.0;
        Residual {
            nu,
            var,
            narrow: 0.9 * normal(nu, var),
            wide: 0.1 * normal(nu, 9.0 * var),
        }
    }

    /// Learn from one dimension, with the chance that it reads as drawn.
    fn learn(&mut self, p: &Prediction, d: usize, r: &Residual, chance: f64) {
        let (gain, _) = self.gain(&p.slopes[d]);
        let step = chance * r.nu / r.var;
        let cut = (r.nu * r.nu).min(9.0 * r.var);
        let less = (chance * r.var - chance * (1.0 - chance) * cut) / (r.var * r.var);
        for (m, g) in self.mean.iter_mut().zip(&gain) {
            *m += step * g;
        }
        for (row, g) in self.cov.iter_mut().zip(&gain).filter(|(_, g)| **g != 0.0) {
            for (c, h) in row.iter_mut().zip(&gain) {
                *c -= less * g * h;
            }
        }
    }

    /// Density of a figure alone, and what it tells of the factors: for circuits with two faults, whose nets are not
    /// followed.
    pub fn density(&mut self, figure: &Figure, p: &Prediction, undrawn: f64) -> f64 {
        let mut parts = [Residual::default(); 2];
        let mut fits = 1.0;
        for (d, part) in parts.iter_mut().enumerate().take(figure.dims) {
            *part = self.residual(figure, p, d, (0.0, 1.0));
            fits *= part.narrow + part.wide;
        }
        let drawn = (1.0 - UNDRAWN) * fits;
        let total = drawn + UNDRAWN * undrawn;
        for (d, part) in parts.iter().enumerate().take(figure.dims) {
            let chance =
                drawn / total.max(1e-300) * part.narrow / (part.narrow + part.wide).max(1e-300);
            self.learn(p, d, part, chance);
        }
        total
    }
}

impl Filter {
    /// Nothing read yet; `undrawn` is the chance of each net that it is not as drawn.
    pub fn new(variances: &[f64; FACTORS], undrawn: &[f64]) -> Self {
        Self {
            shared: Shared::new(variances),
            undrawn: undrawn.to_vec(),
            read: Vec::new(),
            expected: 0.0,
            own: Vec::new(),
            taken: Vec::new(),
        }
    }

    /// About how many bytes it takes up.
    pub fn bytes(&self) -> usize {
        let nets = (self.undrawn.len() + self.read.len()) * size_of::<f64>();
        size_of::<Self>() + nets + self.taken.len() * size_of::<Taken>()
    }

    /// Something was mended, charged, or ridden to try it: what was read before is not there to be read again, and the
    /// pack's charge may be any.
    pub fn anew(&mut self, variances: &[f64; FACTORS]) {
        self.taken.clear();
        self.own.clear();
        let charge = Factor::Charge;
        self.shared.forget(charge, variances[charge as usize]);
    }

    fn own(&self, twin: usize) -> (f64, f64) {
        let known = self.own.iter().find(|o| o.0 == twin);
        known.map_or((0.0, 1.0), |o| (o.1, o.2))
    }

    /// Chance that a net is not as drawn, before what is read there now; a net that is met for the first time is remembered. What the nets read before turned out to be speaks
    /// for this one: a vehicle that differs in one place was made by somebody else.
    fn meet(&mut self, net: usize) -> f64 {
        let Some(usual) = self.undrawn.get(net).copied() else {
            return 0.0;
        };
        if self.read.contains(&net) {
            return usual;
        }
        let off: f64 = self.read.iter().map(|n| self.undrawn[*n]).sum();
        let rate = (FIRM + off) / (FIRM + self.expected);
        self.read.push(net);
        self.expected += usual;
        (usual * rate).min(usual.max(MOST_UNDRAWN))
    }

    /// Likelihood of a figure; what it tells is learnt. `rests` is what an intermittent fault reads while it does not
    /// show, with the chance that it shows.
    pub fn take(
        &mut self,
        reading: &Reading<'_>,
        p: &Prediction,
        rests: Option<(&Prediction, f64)>,
    ) -> f64 {
        let figure = reading.figure;
        let own = self.own(reading.place.twin);
        let fits = |p: &Prediction| {
            let mut parts = [Residual::default(); 2];
            let mut fits = 1.0;
            for (d, part) in parts.iter_mut().enumerate().take(figure.dims) {
                *part = self.shared.residual(figure, p, d, own);
                fits *= part.narrow + part.wide;
            }
            (fits, parts)
        };
        let (shows, parts) = fits(p);
        let mut with = (p, parts, shows);
        let mut all = shows;
        if let Some((healthy, chance)) = rests {
            let (still, parts) = fits(healthy);
            all = chance * shows + (1.0 - chance) * still;
            if (1.0 - chance) * still > chance * shows {
                with = (healthy, parts, (1.0 - chance) * still);
            } else {
                with.2 = chance * shows;
            }
        }
        let w = self.meet(reading.place.net);
        let undrawn = w * reading.undrawn;
        let afresh = (1.0 - w) * all + undrawn;
        let keep = 1.0 - MISPROBE;
        // taken before at the same points, by a fault that stays: the same again, unless one of the two was a slip
        let before = if rests.is_some() {
            None
        } else {
            self.taken.iter().position(|t| t.key == reading.key)
        };
        let (seen, share) = match before {
            None => (afresh, 1.0),
            Some(k) => {
                let slip = self.taken[k].slip;
                let again = (1.0 - slip) * figure.again(self.taken[k].y);
                let seen = again + slip * afresh;
                (seen, slip * afresh / seen.max(1e-300))
            }
        };
        let total = keep * seen + MISPROBE * reading.slip;
        let slip = MISPROBE * reading.slip / total.max(1e-300);
        match before {
            None => self.taken.push(Taken {
                key: reading.key,
                y: figure.y,
                slip,
            }),
            Some(k) if share > self.taken[k].slip => {
                // the first is the likelier slip of the two
                let first = &mut self.taken[k];
                first.slip = slip;
                first.y = figure.y;
            }
            Some(k) => {
                let first = &mut self.taken[k];
                first.slip = (share + slip * first.slip).min(1.0);
            }
        }
        let drawn = (1.0 - w) * all / afresh.max(1e-300);
        let taken_in = (1.0 - slip) * share;
        if let Some(switch) = self.undrawn.get_mut(reading.place.net) {
            *switch = taken_in * (undrawn / afresh.max(1e-300)) + (1.0 - taken_in) * w;
        }
        let (with, parts, own_share) = with;
        let of_it = taken_in * drawn * own_share / all.max(1e-300);
        let mut own = own;
        for (d, part) in parts.iter().enumerate().take(figure.dims) {
            let chance = of_it * part.narrow / (part.narrow + part.wide).max(1e-300);
            if chance < 1e-6 {
                continue;
            }
            self.shared.learn(with, d, part, chance);
            let gain = with.spread[d] * own.1 / part.var;
            let cut = (part.nu * part.nu).min(9.0 * part.var);
            own.0 += chance * gain * part.nu;
            own.1 -= (chance * part.var - chance * (1.0 - chance) * cut) * gain * gain;
        }
        match self.own.iter_mut().find(|o| o.0 == reading.place.twin) {
            Some(known) => (known.1, known.2) = own,
            None => self.own.push((reading.place.twin, own.0, own.1)),
        }
        total
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::diagnosis::scale::Scale;

    const NETS: usize = 3;
    /// Densities that do not depend on the figure, so that the exact answer is a finite sum.
    const ANYTHING: f64 = 0.04;
    const SLIP: f64 = 0.02;

    /// A reading of a line pulled up by a part that all lines share the choice of: net, volts as named, slope, volts read.
    type Line = (usize, f64, f64, f64);

    fn prediction(line: &Line) -> Prediction {
        let mut p = Prediction {
            mean: [line.1; 2],
            spread: [0.1; 2],
            ..Prediction::default()
        };
        p.slopes[0][Factor::Pulls as usize] = line.2 as f32;
        p
    }

    /// ln of the likelihood of all readings, filtered.
    fn filtered(lines: &[Line]) -> f64 {
        let mut variances = [0.0; FACTORS];
        variances[Factor::Pulls as usize] = 0.36;
        let mut filter = Filter::new(&variances, &[UNDRAWN; NETS]);
        let one = |(k, line): (usize, &Line)| {
            let figure = Figure {
                scale: Scale::Volts,
                dims: 1,
                y: [line.3; 2],
            };
            let reading = Reading {
                figure: &figure,
                place: Place {
                    net: line.0,
                    twin: k,
                },
                key: k as u64,
                undrawn: ANYTHING,
                slip: SLIP,
            };
            filter.take(&reading, &prediction(line), None).ln()
        };
        lines.iter().enumerate().map(one).sum()
    }

    /// The same by brute force: every net drawn or not, every reading a slip, narrow or wide; what is left is Gaussian.
    fn exact(lines: &[Line]) -> f64 {
        let mut total = 0.0;
        for nets in 0..1usize << NETS {
            let drawn = |net: usize| nets >> net & 1 == 0;
            let switches: f64 = (0..NETS)
                .map(|n| if drawn(n) { 1.0 - UNDRAWN } else { UNDRAWN })
                .product();
            for kinds in 0..3usize.pow(lines.len() as u32) {
                let (mut chance, mut mean, mut var) = (switches, 0.0, 0.36);
                for (k, line) in lines.iter().enumerate() {
                    let (a, kind) = (line.2, kinds / 3usize.pow(k as u32) % 3);
                    let keep = 1.0 - MISPROBE;
                    match (kind, drawn(line.0)) {
                        (0, _) => chance *= MISPROBE * SLIP,
                        (1, false) => chance *= keep * ANYTHING,
                        (_, false) => chance = 0.0,
                        (kind, true) => {
                            let inst = Scale::Volts.instrument(line.1);
                            let s = a * a * var + 0.01 + inst * inst + 1e-8;
                            let nu = line.3 - line.1 - a * mean;
                            let wide = kind == 2;
                            let (share, spread) = if wide { (0.1, 9.0) } else { (0.9, 1.0) };
                            chance *= keep * share * normal(nu, spread * s);
                            // a wide reading teaches as little in the filter as here
                            if !wide {
                                let gain = var * a / s;
                                mean += gain * nu;
                                var -= gain * a * var;
                            }
                        }
                    }
                }
                total += chance;
            }
        }
        total.ln()
    }

    #[test]
    fn the_filter_stays_near_what_brute_force_gives() {
        let cases: [&[Line]; 6] = [
            // as drawn
            &[(0, 4.9, 0.5, 4.88), (1, 4.9, 0.5, 4.95), (2, 4.9, 0.5, 4.9)],
            // another maker's pull-ups: all three alike
            &[(0, 4.9, 0.5, 4.4), (1, 4.9, 0.5, 4.42), (2, 4.9, 0.5, 4.41)],
            // one net that is not as drawn, asked three times from both sides
            &[
                (0, 4.9, 0.5, 12.1),
                (0, 4.9, 0.5, 12.2),
                (0, 4.9, 0.5, 12.1),
            ],
            // one reading that was a slip
            &[(0, 4.9, 0.5, 0.0), (0, 4.9, 0.5, 4.9), (1, 4.9, 0.5, 4.85)],
            // two nets that differ, one that does not
            &[(0, 4.9, 0.5, 3.3), (1, 4.9, 0.5, 4.9), (2, 4.9, 0.5, 0.2)],
            &[
                (0, 2.5, 1.2, 3.4),
                (1, 0.9, 0.1, 0.92),
                (2, 4.9, 0.8, 5.6),
                (0, 2.5, 1.2, 3.5),
            ],
        ];
        let mut worst: f64 = 0.0;
        for lines in cases {
            let (filter, exact) = (filtered(lines), exact(lines));
            worst = worst.max((filter - exact).abs());
            assert!(
                (filter - exact).abs() < 0.7,
                "{lines:?}: filtered {filter:.3}, exact {exact:.3}"
            );
        }
        println!("worst {worst:.3}");
    }

    #[test]
    fn the_same_figure_again_takes_the_slip_away_and_not_the_doubt() {
        let variances = [0.0; FACTORS];
        let figure = Figure {
            scale: Scale::Ohms,
            dims: 1,
            y: [Scale::Ohms.to(0.166); 2],
        };
        let reading = Reading {
            figure: &figure,
            place: Place::default(),
            key: 7,
            undrawn: ANYTHING,
            slip: SLIP,
        };
        let joint = |ohms: f64| Prediction {
            mean: [Scale::Ohms.to(ohms); 2],
            spread: [0.1; 2],
            ..Prediction::default()
        };
        // a sound joint, and one that is bad: what the first reading made of them the next two leave nearly alone
        let odds = |times: usize| {
            let all = |ohms: f64| {
                let mut filter = Filter::new(&variances, &[UNDRAWN]);
                let each = (0..times).map(|_| filter.take(&reading, &joint(ohms), None).ln());
                each.sum::<f64>()
            };
            all(0.2) - all(0.02)
        };
        let (once, thrice) = (odds(1), odds(3));
        assert!(once > 0.0 && (thrice - once).abs() < 0.2, "{once} {thrice}");
    }
}
