//! Plays the bench cases and tells what became of each: `cases [-v]`.

use spannung_circuit::Profile;
use spannung_core::catalogue::Catalogue;
use spannung_core::diagnosis::Model;
use spannung_trial::cases::{FILES, halves, sound};
use std::collections::BTreeMap;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let told = std::env::args().any(|a| a == "-v");
    let catalogue = Catalogue::shipped()?;
    let mut models = BTreeMap::new();
    for family in &catalogue.families {
        let model = Model::build(&catalogue, &Profile::new(family, &[])?)?;
        models.insert(family.id.clone(), model);
    }
    let sound = sound();
    for (half, cases) in FILES.iter().zip(halves()) {
        let mut right = 0;
        for case in &cases {
            let (model, usual) = (&models[&case.family], &sound[&case.family]);
            for gap in case.gaps(usual, model) {
                eprintln!("{gap}");
            }
            let ended = case.play(usual, model)?;
            right += usize::from(ended.right);
            if told && !ended.right {
                println!(
                    "{} {}: wanted {:?}\n   {}",
                    case.family,
                    ended.name,
                    case.right,
                    ended.trail.join(" | ")
                );
            }
        }
        println!("{half}: {right} of {}", cases.len());
    }
    Ok(())
}
