//! What is on the road: which build a vehicle of these volts and this drive begins with.

use super::{Build, Shelf};
use crate::error::CircuitError;
use crate::family;
use serde::Deserialize;
use std::sync::OnceLock;
use toml::Spanned;

/// The file of what is on the road.
pub const ROAD: (&str, &str) = ("road.toml", include_str!("../../data/road.toml"));

/// A pair of volts and drive that exists on the road, and the build that it begins with.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Road {
    /// Voltage class.
    pub volts: u16,
    /// Drive as it looks.
    pub drive: String,
    /// Id of the ready build that is nearest.
    pub family: Spanned<String>,
    /// Groups in series, where the ready build has others.
    #[serde(default)]
    pub groups: Option<usize>,
    /// Name, where it is not the ready build's.
    #[serde(default)]
    pub name: Option<String>,
    /// So common that its model is worked out before anybody asks.
    #[serde(default)]
    pub common: bool,
}

#[derive(Deserialize)]
struct File {
    road: Vec<Road>,
}

/// Read the table of what is on the road.
///
/// # Errors
/// File and line of what does not read.
pub fn read_road(file: &str, text: &str) -> Result<Vec<Road>, CircuitError> {
    let read: File = toml::from_str(text).map_err(|e| CircuitError::toml(file, text, &e))?;
    Ok(read.road)
}

/// The table that ships.
///
/// # Errors
/// As [`read_road`].
pub fn road() -> Result<&'static [Road], CircuitError> {
    static READ: OnceLock<Result<Vec<Road>, CircuitError>> = OnceLock::new();
    match READ.get_or_init(|| read_road(ROAD.0, ROAD.1)) {
        Ok(all) => Ok(all),
        Err(e) => Err(CircuitError::Change(e.to_string())),
    }
}

impl Road {
    /// The ready build at these volts: its cells, and what follows from their volts; none when it is as it stands.
    pub fn scaled(&self, ready: &Build) -> Option<Build> {
        let groups = self.groups?;
        let mut build = ready.clone();
        build.id = format!("{}-{}", build.id, self.volts);
        build.cells.groups = Some(groups);
        build.volts_class = self.volts;
        if let Some(name) = &self.name {
            build.name.clone_from(name);
        }
        Some(build)
    }
}

/// A ready build, by its id.
///
/// # Errors
/// There is none, or its file does not read.
pub fn ready(id: &str, shelf: &Shelf) -> Result<Build, CircuitError> {
    for (file, text) in family::shipped() {
        let build = Build::parse(file, text, shelf)?;
        if build.id == id {
            return Ok(build);
        }
    }
    // one of the road is a ready build at other volts
    let scaled = road()?.iter().find_map(|r| {
        let volts = id.strip_prefix(r.family.get_ref().as_str())?;
        (volts.strip_prefix('-')? == r.volts.to_string() && r.groups.is_some()).then_some(r)
    });
    match scaled {
        Some(one) => {
            let base = ready(one.family.get_ref(), shelf)?;
            Ok(one.scaled(&base).unwrap_or(base))
        }
        None => Err(CircuitError::Unknown {
            kind: "family",
            name: id.into(),
        }),
    }
}
