//! How often each fault comes in, and the draw of a fault.

use rand::{Rng, RngExt};
use serde::Deserialize;
use spannung_circuit::FaultCase;
use std::collections::BTreeMap;

#[derive(Deserialize)]
struct Step {
    count: f64,
    faults: Vec<String>,
}

/// Counts per fault id, from `data/frequencies.toml`; a fault not named there never comes in.
pub fn counts() -> BTreeMap<String, f64> {
    let steps: BTreeMap<String, Step> = toml::from_str(include_str!("../data/frequencies.toml"))
        .expect("the shipped frequencies read; a test proves it");
    let mut out = BTreeMap::new();
    for step in steps.into_values() {
        for fault in step.faults {
            out.insert(fault, step.count);
        }
    }
    out
}

/// Draw a case by frequency, the cases of a fault alike.
pub fn draw<'a>(
    cases: &'a [FaultCase],
    counts: &BTreeMap<String, f64>,
    rng: &mut impl Rng,
) -> &'a FaultCase {
    let weight = |c: &FaultCase| counts.get(&c.fault).copied().unwrap_or(0.0) * c.share;
    let total: f64 = cases.iter().map(weight).sum();
    let mut at = rng.random::<f64>() * total;
    for case in cases {
        at -= weight(case);
        if at <= 0.0 {
            return case;
        }
    }
    &cases[cases.len() - 1]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn shipped_counts_read() {
        let c = counts();
        assert!(c.len() > 100 && c.values().all(|v| *v > 0.0));
    }
}
