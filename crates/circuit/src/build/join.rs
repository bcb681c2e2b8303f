//! Joins: which wire of a component leads to which point. Made by function when a component goes into its slot; every single
//! one can be changed, and a wrong one is a legal model: that is how a mis-wired vehicle is reasoned about.

use crate::error::CircuitError;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::sync::OnceLock;

/// The file of functions.
pub const FUNCTIONS: (&str, &str) = ("functions.toml", include_str!("../../data/functions.toml"));

/// Most joins of one vehicle that differ from what the functions say.
pub const MOST_JOINS: usize = 16;

/// A join that is not as the functions say: a wire that leads elsewhere than to what it carries.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Join {
    /// Strand id.
    pub strand: String,
    /// Pin.
    pub pin: u8,
    /// Function whose point it leads to, `function@slot` for one of another slot; none: it leads nowhere.
    #[serde(default)]
    pub to: Option<String>,
}

/// Who puts volts on a wire.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Drives {
    /// The thing at the far end: a throttle its signal.
    Device,
    /// What it is plugged into: a controller its rail.
    Host,
    /// Nobody: grounds, contacts, windings.
    #[default]
    Nobody,
}

/// What a wire can carry.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Function {
    /// Who drives it.
    #[serde(default)]
    pub drives: Drives,
    /// Without it the component does nothing: a join that is missing is an error of the build.
    #[serde(default)]
    pub supply: bool,
}

/// All functions, by name.
///
/// # Errors
/// File and line of what does not read.
pub fn functions() -> Result<&'static BTreeMap<String, Function>, CircuitError> {
    static READ: OnceLock<Result<BTreeMap<String, Function>, CircuitError>> = OnceLock::new();
    let read = READ.get_or_init(|| {
        let (file, text) = FUNCTIONS;
        toml::from_str(text).map_err(|e| CircuitError::toml(file, text, &e))
    });
    match read {
        Ok(all) => Ok(all),
        Err(e) => Err(CircuitError::Change(e.to_string())),
    }
}

/// Does what it is plugged into put volts on a wire of this function?
pub fn fed_by_host(function: &str) -> bool {
    let all = functions().ok();
    let known = all.and_then(|all| all.get(function));
    known.is_some_and(|f| f.drives == Drives::Host)
}

/// Feeds of a rail that the controller makes.
const RAILS: [&str; 2] = ["5 V supply", "hall supply"];

/// Does a wire of this function feed what hangs at it with the volts of the pack?
pub fn from_the_pack(function: &str) -> bool {
    fed_by_host(function) && !RAILS.contains(&function)
}

/// May a wire of the one function lead to the point of the other? Two that both drive it fight each other: that burns
/// one of them, and is no vehicle to be reasoned about.
///
/// # Errors
/// A sentence that names both.
pub fn allowed(own: &str, to: &str) -> Result<(), CircuitError> {
    let all = functions()?;
    let of = |name: &str| {
        let function = name.split('@').next().unwrap_or(name);
        all.get(function).map_or(Drives::Nobody, |f| f.drives)
    };
    if of(own) == Drives::Device && of(to) == Drives::Host {
        return Err(CircuitError::Change(format!(
            "“{own}” and “{to}” are both outputs: joined, one of them burns"
        )));
    }
    Ok(())
}
