//! Prints what leads after every complaint alone: `likeliest [FAMILY…]`.

use spannung_circuit::Profile;
use spannung_core::catalogue::Catalogue;
use spannung_core::diagnosis::Model;
use spannung_trial::likeliest::table;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let asked: Vec<String> = std::env::args().skip(1).collect();
    let catalogue = Catalogue::shipped()?;
    for family in &catalogue.families {
        if asked.is_empty() || asked.contains(&family.id) {
            let model = Model::build(&catalogue, &Profile::new(family, &[])?)?;
            println!("### {}\n\n{}", family.id, table(&catalogue, &model));
        }
    }
    Ok(())
}
