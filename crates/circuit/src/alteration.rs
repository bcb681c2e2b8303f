//! What owners and earlier shops do to a vehicle, and what its cells can be made of: tables that ship with the
//! program.

use crate::error::CircuitError;
use crate::family::PartSpec;
use serde::Deserialize;
use std::collections::BTreeMap;
use toml::Spanned;

/// The file of alterations.
pub const ALTERATIONS: (&str, &str) =
    ("alterations.toml", include_str!("../data/alterations.toml"));
/// The file of chemistries.
pub const CHEMISTRIES: (&str, &str) =
    ("chemistries.toml", include_str!("../data/chemistries.toml"));

/// One alteration.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Alteration {
    /// Id.
    pub id: Spanned<String>,
    /// Name.
    pub name: String,
    /// Slot of the component that it is done to.
    pub slot: String,
    /// What it changes, in words.
    pub changes: String,
    /// A component stands for it now: it is offered no more, and old jobs keep it.
    #[serde(default)]
    pub swap: bool,
    /// Traits of the vehicles it is found on.
    #[serde(default)]
    pub fits: Vec<String>,
    /// Parts it adds; a source without volts has those of the vehicle's own pack.
    #[serde(default)]
    pub part: Vec<PartSpec>,
    /// Places that are harder to reach: access code → minutes, and what opening destroys.
    #[serde(default)]
    pub access: BTreeMap<String, Harder>,
}

/// What an alteration makes of a place.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Harder {
    /// Minutes to open.
    pub minutes: f64,
    /// What opening destroys.
    pub destroys: String,
}

/// Volts of one group of a chemistry.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Chemistry {
    /// Name.
    pub name: String,
    /// At middling charge, at rest.
    pub rest_volts: f64,
    /// Where its charger ends.
    pub full_volts: f64,
    /// Never charge or use below.
    pub floor_volts: f64,
}

#[derive(Deserialize)]
struct File {
    alteration: Vec<Alteration>,
}

/// The alterations that ship, in file order.
///
/// # Errors
/// File and line of what does not read, an id that stands twice, a trait that does not exist.
pub fn shipped() -> Result<Vec<Alteration>, CircuitError> {
    let (file, text) = ALTERATIONS;
    let read: File = toml::from_str(text).map_err(|e| CircuitError::toml(file, text, &e))?;
    let all = read.alteration;
    for (k, one) in all.iter().enumerate() {
        let at = |m: String| CircuitError::at(file, text, one.id.span().start, m);
        if all[..k].iter().any(|o| o.id.get_ref() == one.id.get_ref()) {
            return Err(at(format!("“{}” stands twice", one.id.get_ref())));
        }
        if crate::build::Shelf::shipped()?.slot(&one.slot).is_none() {
            return Err(at(format!("there is no slot “{}”", one.slot)));
        }
        if let Some(word) = crate::family::unknown_trait(&one.fits) {
            return Err(at(format!("there is no trait “{word}”")));
        }
    }
    Ok(all)
}

/// The chemistries that ship, by key.
///
/// # Errors
/// File and line of what does not read.
pub fn chemistries() -> Result<BTreeMap<String, Chemistry>, CircuitError> {
    let (file, text) = CHEMISTRIES;
    toml::from_str(text).map_err(|e| CircuitError::toml(file, text, &e))
}
