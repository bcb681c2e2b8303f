//! Figures over many played jobs.

use crate::job::Played;

/// Mean of something over jobs; 0 for none.
pub fn mean(jobs: &[Played], f: impl Fn(&Played) -> f64) -> f64 {
    if jobs.is_empty() {
        return 0.0;
    }
    jobs.iter().map(f).sum::<f64>() / jobs.len() as f64
}

/// A quantile of something over jobs, 0 to 1.
pub fn quantile(jobs: &[Played], q: f64, f: impl Fn(&Played) -> f64) -> f64 {
    let mut all: Vec<f64> = jobs.iter().map(f).collect();
    all.sort_by(f64::total_cmp);
    let at = ((all.len().max(1) - 1) as f64 * q).round() as usize;
    all.get(at).copied().unwrap_or(0.0)
}

/// Minutes beyond those of the right repair.
pub fn extra(job: &Played) -> f64 {
    job.minutes - job.least
}

/// Largest gap between stated chance and how often it was right, over bins of at least so many jobs in the order of the
/// stated chance.
pub fn calibration<'a>(
    jobs: impl Iterator<Item = &'a Played>,
    least: usize,
    stated: impl Fn(&Played) -> f64,
) -> f64 {
    let mut stated: Vec<(f64, bool)> = jobs
        .filter(|j| j.stated > 0.0)
        .map(|j| (stated(j), j.first_cured))
        .collect();
    stated.sort_by(|a, b| a.0.total_cmp(&b.0));
    let bins = (stated.len() / least).max(1);
    let size = stated.len().div_ceil(bins).max(1);
    let gap = |bin: &[(f64, bool)]| {
        let n = bin.len() as f64;
        let said: f64 = bin.iter().map(|s| s.0).sum::<f64>() / n;
        let was = bin.iter().filter(|s| s.1).count() as f64 / n;
        (said - was).abs()
    };
    stated.chunks(size).map(gap).fold(0.0, f64::max)
}
