//! What an alteration of the vehicle does to the odds of its faults.

use serde::Deserialize;
use spannung_circuit::alteration::{self, Alteration};
use spannung_circuit::{CircuitError, FaultBook};
use std::collections::BTreeMap;
use toml::Spanned;

/// An alteration as the diagnosis sees it.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Altered {
    /// Id, as in the circuit's table.
    pub id: Spanned<String>,
    /// What has to be said about it.
    pub caution: String,
    /// Factor on the share of what the drawing does not hold.
    pub outside: f64,
    /// Factor on the weight of faults, by id or pattern.
    pub odds: BTreeMap<String, f64>,
    /// Name and what it does to the circuit.
    #[serde(skip)]
    pub circuit: Option<Alteration>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    alteration: Vec<Altered>,
}

fn fits(pattern: &str, fault: &str) -> bool {
    match pattern.strip_suffix('*') {
        Some(start) => fault.starts_with(start),
        None => pattern == fault,
    }
}

impl Altered {
    /// Factor on the weight of a fault.
    pub fn factor(&self, fault: &str) -> f64 {
        let mine = self.odds.iter().filter(|(p, _)| fits(p, fault));
        mine.map(|(_, f)| f).product()
    }

    /// Name.
    pub fn name(&self) -> &str {
        self.circuit.as_ref().map_or("", |c| &c.name)
    }
}

/// Read the file and join it with the circuit's table.
///
/// # Errors
/// File and line of an id that only one of both has, a pattern that no fault fits, a factor that is not above 0.
pub fn read(file: &str, text: &str, faults: &FaultBook) -> Result<Vec<Altered>, CircuitError> {
    let mut read: File = toml::from_str(text).map_err(|e| CircuitError::toml(file, text, &e))?;
    let circuit = alteration::shipped()?;
    for one in &mut read.alteration {
        let at = |m: String| CircuitError::at(file, text, one.id.span().start, m);
        let id = one.id.get_ref();
        let found = circuit.iter().find(|c| c.id.get_ref() == id).cloned();
        if found.is_none() {
            return Err(at(format!("the circuit knows no alteration “{id}”")));
        }
        for (pattern, factor) in &one.odds {
            if !faults.faults.iter().any(|f| fits(pattern, f.id.get_ref())) {
                return Err(at(format!("no fault is called “{pattern}”")));
            }
            if *factor <= 0.0 {
                return Err(at(format!("the factor of “{pattern}” must be above 0")));
            }
        }
        one.circuit = found;
    }
    match circuit.iter().find(|c| {
        !read
            .alteration
            .iter()
            .any(|a| a.id.get_ref() == c.id.get_ref())
    }) {
        Some(c) => Err(CircuitError::at(
            file,
            text,
            0,
            format!("alteration “{}” is missing", c.id.get_ref()),
        )),
        None => Ok(read.alteration),
    }
}
