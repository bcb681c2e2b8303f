//! Plays jobs on random builds and writes their rows: `builds [JOBS] [wrong=N] [sound=N] [seed=N]`. With `-v` every job that went wrong
//! is told: not to be used with the seeds of the report.

use spannung_core::catalogue::Catalogue;
use spannung_trial::builds::{HEAD, Work, play};
use spannung_trial::policy::Lists;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let jobs = args.iter().find_map(|a| a.parse().ok()).unwrap_or(60);
    let number = |name: &str| {
        let found = args.iter().find_map(|a| a.strip_prefix(name));
        found.and_then(|n| n.parse::<u64>().ok())
    };
    let work = Work {
        jobs,
        wrong: number("wrong=").unwrap_or(0) as usize,
        sound: number("sound=").map_or(jobs / 4, |n| n as usize),
        seed: number("seed=").unwrap_or(40_000),
    };
    let outcome = play(&Catalogue::shipped()?, &Lists::shipped(), work)?;
    println!("{HEAD}");
    for row in outcome.rows() {
        println!("{row}");
    }
    println!(
        "sound blamed {:.3} of {}",
        outcome.blamed(),
        outcome.sound.len()
    );
    if args.iter().any(|a| a == "-v") {
        for job in outcome.faulty.iter().chain(&outcome.wrong) {
            if let Some(p) = job.shown.as_ref().filter(|p| p.recognised != Some(0)) {
                eprintln!(
                    "UNSEEN {} {:?} {:?}\n  {}",
                    job.built,
                    job.wrong,
                    p.before_a_part.iter().take(2).collect::<Vec<_>>(),
                    p.trail.join("\n  ")
                );
            }
            let missed = job.met() && !job.recognised();
            if !job.engine.first_right || job.engine.wrong_parts > 0 || missed {
                eprintln!(
                    "{} in the model {} met {} WRONG {:?} CROSSED {:?}\n  {:?} told {:?}\n  {}",
                    job.built,
                    job.modelled,
                    job.met(),
                    job.wrong,
                    job.crossed,
                    job.engine.truth,
                    job.engine.told,
                    job.engine.trail.join("\n  ")
                );
            }
        }
        for job in outcome.sound.iter().filter(|j| j.stated > 0.0) {
            eprintln!("SOUND told {:?}\n  {}", job.told, job.trail.join("\n  "));
        }
    }
    Ok(())
}
