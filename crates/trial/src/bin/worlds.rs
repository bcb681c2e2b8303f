//! Plays jobs on vehicles that are built otherwise and writes a row a family: `worlds [JOBS] [sound=N] [open|sealed|own]
//! [FAMILY…]`; of sound vehicles a quarter as many, if not told otherwise. With `-v` every job that went wrong is told, of the open half alone.

use spannung_circuit::Profile;
use spannung_core::catalogue::Catalogue;
use spannung_core::diagnosis::Model;
use spannung_sim::design::Half;
use spannung_trial::policy::Lists;
use spannung_trial::worlds::{HEAD, Work, play};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let told = args.iter().any(|a| a == "-v");
    let jobs = args.iter().find_map(|a| a.parse().ok()).unwrap_or(40);
    let count = |a: &String| a.strip_prefix("sound=").and_then(|n| n.parse().ok());
    let sound = args.iter().find_map(count).unwrap_or(jobs / 4);
    let half = match args.iter().find_map(|a| match a.as_str() {
        "sealed" => Some(Some(Half::Sealed)),
        "own" => Some(None),
        _ => None,
    }) {
        Some(half) => half,
        None => Some(Half::Open),
    };
    let catalogue = Catalogue::shipped()?;
    println!("{HEAD}");
    let lists = Lists::shipped();
    let known = |a: &&String| catalogue.families.iter().any(|f| f.id == **a);
    for family in &catalogue.families {
        let id = &family.id;
        if args.iter().any(|a| known(&a)) && !args.contains(id) {
            continue;
        }
        let model = Model::build(&catalogue, &Profile::new(family, &[])?)?;
        let seed = 7_000;
        let work = Work {
            half,
            jobs,
            sound,
            seed,
        };
        let outcome = play(&catalogue, &model, &lists, work)?;
        println!("{}", outcome.row(id));
        if told && half != Some(Half::Sealed) {
            let wrong = |j: &&spannung_trial::job::Played| !j.first_right || j.wrong_parts > 0;
            for job in outcome.faulty.iter().filter(wrong) {
                eprintln!(
                    "{id} {:?} told {:?}\n  {}",
                    job.truth,
                    job.told,
                    job.trail.join("\n  ")
                );
            }
            for job in outcome.sound.iter().filter(|j| j.stated > 0.0) {
                eprintln!(
                    "{id} SOUND told {:?}\n  {}",
                    job.told,
                    job.trail.join("\n  ")
                );
            }
        }
    }
    Ok(())
}
