//! Plays the jobs of the report and writes it.
//!
//! `cargo run --release -p spannung-trial --bin report [JOBS]` prints the table.

use rand::{RngExt, SeedableRng};
use rand_chacha::ChaCha8Rng;
use spannung_circuit::{FaultCase, Profile};
use spannung_core::catalogue::Catalogue;
use spannung_core::diagnosis::Model;
use spannung_core::diagnosis::plan::Prices;
use spannung_sim::Errors;
use spannung_trial::job::{Played, Setting, play};
use spannung_trial::policy::{Lists, Policy};
use spannung_trial::score::{calibration, extra, mean, quantile};

fn draw<'a>(m: &'a Model, weights: &[f64], rng: &mut ChaCha8Rng) -> &'a FaultCase {
    let total: f64 = weights.iter().sum();
    let mut at = rng.random::<f64>() * total;
    for (c, w) in m.cases.iter().zip(weights) {
        at -= w;
        if at <= 0.0 {
            return c;
        }
    }
    &m.cases[m.cases.len() - 1]
}

fn many(m: &Model, lists: &Lists, jobs: usize, setting: &Setting, weights: &[f64], seed: u64) -> Vec<Played> {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let mut work = Vec::new();
    for k in 0..jobs * 2 {
        work.push((draw(m, weights, &mut rng).clone(), seed * 100_000 + k as u64));
    }
    let half = work.len().div_ceil(2);
    let all: Vec<Played> = std::thread::scope(|s| {
        let hands: Vec<_> = work
            .chunks(half)
            .map(|c| s.spawn(move || {
                let mut out = Vec::new();
                for (case, seed) in c {
                    if out.len() >= jobs.div_ceil(2) { break; }
                    if let Some(p) = play(m, m, lists, &[case.clone()], setting, *seed) { out.push(p); }
                }
                out
            }))
            .collect();
        hands.into_iter().flat_map(|h| h.join().expect("a job panicked")).collect()
    });
    all
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let jobs: usize = std::env::args().nth(1).and_then(|a| a.parse().ok()).unwrap_or(300);
    let catalogue = Catalogue::shipped()?;
    let lists = Lists::shipped();
    for family in &catalogue.families {
        let m = Model::build(&catalogue, &Profile::new(family, &[])?)?;
        let weights: Vec<f64> = m.hypotheses[..m.cases.len()].iter().map(|h| h.weight).collect();
        let setting = |policy| Setting { policy, errors: Errors { misprobe: 0.02, missed: 0.1, imagined: 0.04 }, prices: Prices::default(), pairs: true };
        let started = std::time::Instant::now();
        let engine = many(&m, &lists, jobs, &setting(Policy::Engine), &weights, 1);
        let took = started.elapsed();
        let check = many(&m, &lists, jobs, &setting(Policy::Complaint), &weights, 1);
        let swap = many(&m, &lists, jobs, &setting(Policy::Swap), &weights, 1);
        println!("{}: {} jobs in {took:?}", family.id, engine.len());
        for (name, j) in [("engine", &engine), ("checklist", &check), ("swap", &swap)] {
            println!("  {name}: extra {:.1} p90 {:.1}, wrong parts {:.3}, first right {:.3}, finished {:.3}, referred {:.3}, tests {:.1}, cal {:.3}", mean(j, extra), quantile(j, 0.9, extra), mean(j, |p| p.wrong_parts as f64), mean(j, |p| f64::from(p.first_right)), mean(j, |p| f64::from(p.finished)), mean(j, |p| f64::from(p.referred)), mean(j, |p| p.tests as f64), calibration(j));
        }
        println!("  ratio mean {:.3}, p90 {:.3}, to swap {:.3}", mean(&engine, extra)/mean(&check, extra), quantile(&engine,0.9,extra)/quantile(&check,0.9,extra), mean(&engine,extra)/mean(&swap,extra));
        if std::env::args().nth(2).is_some() { for j in engine.iter().filter(|j| j.wrong_parts>0 || !j.first_right) { println!("  WRONG {:?} {:?} told {:?}: {}", j.truth, j.classes, j.told, j.trail.iter().filter(|t| t.starts_with("repair")||t.starts_with("hand")||t.starts_with("ref")).cloned().collect::<Vec<_>>().join(" | ")); } }
        let mut bad: Vec<&Played> = engine.iter().collect();
        bad.sort_by(|a,b| extra(b).total_cmp(&extra(a)));
        for b in bad.iter().take(8) { println!("  WORST {:?} {:?} told {:?} extra {:.0} finished {}: {}", b.truth, b.classes, b.told, extra(b), b.finished, b.trail.iter().cloned().collect::<Vec<_>>().join(" | ")); }
    }
    Ok(())
}
