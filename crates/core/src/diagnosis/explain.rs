//! Why: what each reading did, what each outcome would mean, which reading does not fit.

use crate::diagnosis::belief::Belief;
use crate::diagnosis::bins::Bins;
use crate::diagnosis::column::Column;
use crate::diagnosis::model::Model;
use crate::diagnosis::now::Now;
use crate::diagnosis::repertoire::{Kind, Probe};
use crate::diagnosis::rows::Rows;
use crate::diagnosis::scale::Scale;
use crate::diagnosis::shared::{FACTORS, Factor};
use crate::reading;
use std::cmp::Ordering;

/// Where an outcome band stands against what is expected.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, serde::Serialize, serde::Deserialize, utoipa::ToSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum BandKind {
    /// What a sound vehicle shows.
    Expected,
    /// Below it.
    Low,
    /// Nothing there.
    Nothing,
    /// Above it.
    High,
    /// OL.
    Open,
    /// A changing signal that does not change.
    Stuck,
}

/// A class, with its share before and after.
pub type Move = (usize, f64, f64);

/// A band of outcomes.
#[derive(Debug, Clone, PartialEq)]
pub struct Band {
    /// Kind.
    pub kind: BandKind,
    /// Two words.
    pub name: String,
    /// Lower bound, SI; the band of a sweep has none.
    pub from: Option<f64>,
    /// Upper bound, SI, infinite for OL.
    pub to: Option<f64>,
    /// Chance of this band now.
    pub chance: f64,
    /// The class whose share moves most.
    pub moves: Option<Move>,
    /// The same for each place where a look can find it.
    pub places: Vec<Option<Move>>,
    /// Share of each class after it.
    pub after: Vec<f64>,
}

/// Chance of seeing one of the wanted outcomes of a test, and the shares after it.
fn after(rows: &Now<'_>, shares: &[f64], wanted: &[usize]) -> (f64, Vec<f64>) {
    let mut joint: Vec<f64> = shares
        .iter()
        .enumerate()
        .map(|(h, p)| p * wanted.iter().map(|k| rows.row(h)[*k]).sum::<f64>())
        .collect();
    let total: f64 = joint.iter().sum();
    joint.iter_mut().for_each(|j| *j /= total.max(1e-300));
    (total, joint)
}

/// A share that moves by no more than this changes little: on the page it would be the same figure, or the next.
const LITTLE: f64 = 0.012;

fn biggest_move(model: &Model, belief: &Belief, joint: &[f64]) -> Option<Move> {
    let before = belief.classes(model);
    let later = crate::diagnosis::belief::class_shares(model, joint);
    (0..before.len())
        .map(|c| (c, before[c], later[c]))
        .filter(|(_, b, a)| (a - b).abs() > LITTLE)
        // what rises tells more than what falls
        .max_by(|x, y| {
            let size = |m: &Move| (m.2 - m.1) * if m.2 > m.1 { 1.5 } else { -1.0 };
            size(x).total_cmp(&size(y)).then(y.0.cmp(&x.0))
        })
}

/// The bands of a test, at most five, in the order of the ruler. “As expected” is what a card expects, from bound to bound;
/// beyond it outcomes are told apart as choosing tells them.
pub fn bands(model: &Model, belief: &Belief, test: usize) -> Vec<Band> {
    match (&model.tests[test].kind, &*model.columns[test]) {
        (Kind::Procedure { outcomes, .. }, Column::Outcomes { places, .. }) => {
            let rows = &Now::of(&model.rows[test], model, belief);
            let each = outcomes.iter().enumerate();
            each.map(|(k, (_, words))| {
                let kind = if k == 0 {
                    BandKind::Expected
                } else {
                    BandKind::Low
                };
                let cells: Vec<usize> = places.cells(k).collect();
                let mut band = band(model, belief, rows, &cells, kind, words);
                if places.count > 0 && k > 0 {
                    let moves = |cell: &usize| {
                        let (_, joint) = after(rows, &belief.shares, &[*cell]);
                        biggest_move(model, belief, &joint)
                    };
                    band.places = cells.iter().map(moves).collect();
                }
                band
            })
            .collect()
        }
        (
            Kind::Probe(probe),
            Column::Figures {
                scale,
                readings,
                bins,
                dims,
            },
        ) => {
            let healthy = &readings.healthy;
            let expected = expected_of(probe, *scale, healthy, *dims, &model.variances);
            let sweeps = *dims == 2 && !probe.groups;
            let shown = Column::Figures {
                scale: *scale,
                readings: readings.clone(),
                bins: shown(bins, *scale, *dims, &expected, sweeps),
                dims: *dims,
            };
            let Column::Figures { bins, .. } = &shown else {
                return Vec::new();
            };
            let of_cases = Rows::of(&shown, &model.cases);
            let rows = &Now::of(&of_cases, model, belief);
            if sweeps {
                sweep_bands(model, belief, rows, healthy.mean, bins)
            } else {
                ruler(model, belief, rows, healthy.mean[0], bins, *scale, *dims)
            }
        }
        _ => Vec::new(),
    }
}

/// Cuts as a card shows them: at the bounds of what it expects, and those of choosing that lie beyond. A sweep is told by
/// the other level as well: a lowest figure where the highest should be stays high.
fn shown(bins: &Bins, scale: Scale, dims: usize, expected: &Expected, sweeps: bool) -> Bins {
    let ranges = [expected.low, expected.high].map(|(a, b)| [scale.to(a), scale.to(b)]);
    let mut new = bins.clone();
    for d in 0..dims {
        let [from, to] = ranges[d];
        let beyond = |c: &f64| *c < from || *c > to;
        let mut cuts: Vec<f64> = bins.cuts[d].iter().copied().filter(beyond).collect();
        // the end of a scale is no bound
        cuts.extend([from, to].into_iter().filter(|y| scale.inside(*y)));
        if sweeps {
            let [low, high] = ranges;
            cuts.extend(if d == 0 { [high[0]] } else { [low[1]] });
        }
        cuts.sort_by(f64::total_cmp);
        cuts.dedup_by(|a, b| (*a - *b).abs() < 1e-9);
        new.cuts[d] = cuts;
    }
    new
}

fn band(
    model: &Model,
    belief: &Belief,
    rows: &Now<'_>,
    wanted: &[usize],
    kind: BandKind,
    name: &str,
) -> Band {
    let (chance, joint) = after(rows, &belief.shares, wanted);
    Band {
        kind,
        name: name.into(),
        from: None,
        to: None,
        chance,
        moves: biggest_move(model, belief, &joint),
        places: Vec::new(),
        after: crate::diagnosis::belief::class_shares(model, &joint),
    }
}

/// The bands of a steady figure: neighbours are merged, the least likely first, until five are left.
fn ruler(
    model: &Model,
    belief: &Belief,
    rows: &Now<'_>,
    healthy: f64,
    bins: &Bins,
    scale: Scale,
    dims: usize,
) -> Vec<Band> {
    let cuts = &bins.cuts[0];
    let inner = if dims == 2 { bins.cuts[1].len() + 1 } else { 1 };
    let n = cuts.len() + 1;
    let mass: Vec<f64> = (0..n)
        .map(|k| {
            let columns = k * inner..(k + 1) * inner;
            let shares = belief.shares.iter().enumerate();
            shares
                .map(|(h, p)| p * rows.row(h)[columns.clone()].iter().sum::<f64>())
                .sum()
        })
        .collect();
    let mut runs: Vec<(usize, usize, f64)> = (0..n).map(|k| (k, k, mass[k])).collect();
    let home = |r: &(usize, usize, f64)| {
        let low = if r.0 == 0 { f64::MIN } else { cuts[r.0 - 1] };
        let high = cuts.get(r.1).copied().unwrap_or(f64::MAX);
        healthy >= low && healthy < high
    };
    while runs.len() > 5 {
        let k = (0..runs.len() - 1)
            .filter(|k| !home(&runs[*k]) && !home(&runs[*k + 1]))
            .min_by(|a, b| {
                let sum = |k: usize| runs[k].2 + runs[k + 1].2;
                sum(*a).total_cmp(&sum(*b))
            })
            .unwrap_or(0);
        let next = runs.remove(k + 1);
        runs[k] = (runs[k].0, next.1, runs[k].2 + next.2);
    }
    let made = |runs: &[(usize, usize, f64)]| -> Vec<Band> {
        let at_home = runs.iter().position(home).unwrap_or(0);
        let last = runs.len() - 1;
        let each = runs.iter().enumerate().map(|(k, run)| {
            let wanted: Vec<usize> = (run.0 * inner..(run.1 + 1) * inner).collect();
            let low = (run.0 > 0).then(|| scale.from(cuts[run.0 - 1]));
            let high = cuts.get(run.1).map(|c| scale.from(*c));
            let ohms = matches!(scale, Scale::Ohms | Scale::Short | Scale::Milliohms);
            let open = k == last && scale == Scale::Ohms && low.is_some_and(|l| l > 1e6);
            let nothing = !ohms && high.is_some_and(|h| h.abs() < 0.3);
            let kind = match k.cmp(&at_home) {
                Ordering::Equal => BandKind::Expected,
                Ordering::Greater if open => BandKind::Open,
                Ordering::Greater => BandKind::High,
                Ordering::Less if nothing => BandKind::Nothing,
                Ordering::Less => BandKind::Low,
            };
            Band {
                from: low,
                to: high,
                ..band(model, belief, rows, &wanted, kind, kind_name(kind))
            }
        });
        each.collect()
    };
    let mut bands = made(&runs);
    // two bands of one name that say the same are one
    while let Some(k) = (1..bands.len()).find(|k| alike(&bands[k - 1], &bands[*k])) {
        let next = runs.remove(k);
        runs[k - 1].1 = next.1;
        bands = made(&runs);
    }
    bands
}

/// Shares of a class after two bands that differ by less than this say the same to a technician.
const SAYS_THE_SAME: f64 = 0.15;

fn alike(a: &Band, b: &Band) -> bool {
    let same = |x: (usize, f64, f64), y: (usize, f64, f64)| {
        x.0 == y.0 && (x.2 > x.1) == (y.2 > y.1) && (x.2 - y.2).abs() < SAYS_THE_SAME
    };
    a.kind == b.kind
        && match (a.moves, b.moves) {
            (Some(x), Some(y)) => same(x, y),
            (None, None) => true,
            _ => false,
        }
}

fn kind_name(kind: BandKind) -> &'static str {
    match kind {
        BandKind::Expected => "As expected",
        BandKind::Low => "Reads low",
        BandKind::Nothing => "Nothing there",
        BandKind::High => "Reads high",
        BandKind::Open => "Open",
        BandKind::Stuck => "Stuck",
    }
}

fn sweep_bands(
    model: &Model,
    belief: &Belief,
    rows: &Now<'_>,
    healthy: [f64; 2],
    bins: &Bins,
) -> Vec<Band> {
    let high_bins = bins.cuts[1].len() + 1;
    let bin = |d: usize, y: f64| bins.cuts[d].iter().filter(|c| **c < y).count();
    let (home_low, home_high) = (bin(0, healthy[0]), bin(1, healthy[1]));
    let (up, down) = (bin(0, healthy[1]), bin(1, healthy[0]));
    let mut toggles = Vec::new();
    let mut high = Vec::new();
    let mut low = Vec::new();
    let mut between = Vec::new();
    for l in 0..=bins.cuts[0].len() {
        for h in 0..high_bins {
            let k = l * high_bins + h;
            if l == home_low && h == home_high {
                toggles.push(k);
            } else if l >= up {
                high.push(k);
            } else if h <= down {
                low.push(k);
            } else {
                between.push(k);
            }
        }
    }
    [
        (toggles, BandKind::Expected, "Changes as expected"),
        (high, BandKind::Stuck, "Stays high"),
        (low, BandKind::Nothing, "Stays low"),
        (between, BandKind::Low, "In between"),
    ]
    .into_iter()
    .filter(|(k, _, _)| !k.is_empty())
    .map(|(wanted, kind, name)| band(model, belief, rows, &wanted, kind, name))
    .collect()
}

/// What a sound vehicle reads: lower and upper bound in SI, two sigma, per dimension. The pack's
/// charge widens it (its voltage is a shared unknown until measured; 3 % is taken).
pub fn expected(model: &Model, test: usize) -> Option<Expected> {
    let (
        Kind::Probe(probe),
        Column::Figures {
            scale,
            readings,
            dims,
            ..
        },
    ) = (&model.tests[test].kind, &*model.columns[test])
    else {
        return None;
    };
    Some(expected_of(
        probe,
        *scale,
        &readings.healthy,
        *dims,
        &model.variances,
    ))
}

/// Expected range of a healthy prediction.
pub fn expected_of(
    probe: &Probe,
    scale: Scale,
    p: &crate::diagnosis::scale::Prediction,
    dims: usize,
    variances: &[f64; FACTORS],
) -> Expected {
    let bound = |d: usize| {
        // what vehicles of this kind have in common counts in half: most are built as drawn
        let s = p
            .open(d, variances, |factor| match factor {
                Factor::Charge => 0.6,
                _ => 0.5,
            })
            .hypot(scale.instrument(p.mean[d]));
        let least = scale.from(p.mean[d] - 2.0 * s);
        // through electronics all that is no short is as it should be, OL and kilohms alike
        let least = match scale {
            Scale::Short if least.is_infinite() => Scale::Short.open_ohms() * Scale::NEARLY_OPEN,
            _ => least,
        };
        (least, scale.from(p.mean[d] + 2.0 * s))
    };
    let low = bound(0);
    let high = if dims == 2 { bound(1) } else { low };
    Expected {
        unit: probe.unit(),
        changes: dims == 2,
        low,
        high,
        middle: (
            scale.from(p.mean[0]),
            scale.from(p.mean[if dims == 2 { 1 } else { 0 }]),
        ),
    }
}

/// Expected reading.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Expected {
    /// Unit.
    pub unit: reading::Unit,
    /// A lowest and a highest figure are expected.
    pub changes: bool,
    /// Bounds of the (lowest) figure.
    pub low: (f64, f64),
    /// Bounds of the highest figure; the same for a steady one.
    pub high: (f64, f64),
    /// Middle figures.
    pub middle: (f64, f64),
}

/// What a sound vehicle shows at a test, in words: its usual answer, or its figure as [`Expected::text`].
pub fn sound(model: &Model, test: usize) -> String {
    match &model.tests[test].kind {
        Kind::Procedure { outcomes, .. } => outcomes[0].1.clone(),
        Kind::Probe(_) => expected(model, test).map_or_else(String::new, |e| e.text()),
    }
}

impl Expected {
    /// In words: `4.5–5.3 V`; for a changing signal its two levels, `0.06–4.85 V`.
    pub fn text(&self) -> String {
        let tidy = |(a, b): (f64, f64)| {
            let a = if a < 0.0 && a > -0.05 { 0.0 } else { a };
            reading::show_range(a, b, self.unit)
        };
        if self.changes {
            reading::show_range(self.middle.0, self.middle.1, self.unit)
        } else {
            tidy(self.low)
        }
    }

    /// Does a figure lie in it?
    pub fn holds(&self, low: f64, high: f64) -> bool {
        let inside =
            |x: f64, (a, b): (f64, f64)| x >= a - 1e-9 && (x <= b + 1e-9 || b.is_infinite());
        inside(low, self.low) && inside(high, self.high)
    }
}

/// The reading to take again: the one that most of what could be wrong does not explain, when that is
/// more than half of it.
pub fn surprising(belief: &Belief) -> Option<usize> {
    let best = belief
        .unexplained
        .iter()
        .enumerate()
        .max_by(|a, b| a.1.total_cmp(b.1))?;
    (*best.1 > 0.5).then_some(best.0)
}

/// For a class, the items by weight: (item, log odds), strongest first.
pub fn reasons(model: &Model, belief: &Belief, class: usize) -> Vec<(usize, f64)> {
    let mut out: Vec<(usize, f64)> = (0..belief.items.len())
        .map(|i| (i, belief.weight(model, i, class)))
        .filter(|(_, w)| w.abs() > 0.05)
        .collect();
    out.sort_by(|a, b| b.1.abs().total_cmp(&a.1.abs()).then(a.0.cmp(&b.0)));
    out
}
