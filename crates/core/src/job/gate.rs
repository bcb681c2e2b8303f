//! The battery gate: what is asked, what a STOP is, what may be done meanwhile.

use crate::catalogue::Catalogue;
use crate::diagnosis::tests::{Kind, Test};
use crate::job::fold::Job;
use serde::Serialize;
use spannung_circuit::state::{Battery, Charger, Key};
use utoipa::ToSchema;

/// A danger found on the pack.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Stop {
    /// Entry that raised it.
    pub entry: uuid::Uuid,
    /// Gate check, or the test or symptom that raised it.
    pub from: String,
    /// The order: two or three words.
    pub order: String,
    /// Why, with the figure.
    pub reason: String,
    /// A specialist's written clearance can end it; a group below its floor only ends with another
    /// pack.
    pub clearable: bool,
}

/// A voltage below which the pack of this vehicle must not be charged.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Floor {
    /// Chemistry, or `this pack` where the wiring model knows it.
    pub of: String,
    /// Volts of the whole pack.
    pub volts: f64,
}

/// The floor of this vehicle's pack; where no wiring model knows its cells, one for each chemistry that
/// a pack of this voltage class can be made of. Highest first.
pub fn floors(catalogue: &Catalogue, job: &Job) -> Vec<Floor> {
    if let Some(family) = job.own_family(catalogue) {
        return vec![Floor {
            of: "this pack".into(),
            volts: family.floor_volts(),
        }];
    }
    let mut all: Vec<Floor> = catalogue
        .floors
        .iter()
        .map(|f| Floor {
            of: f.name.clone(),
            volts: (f64::from(job.volts_class) / f.group_volts)
                .round()
                .max(1.0)
                * f.floor_volts,
        })
        .collect();
    all.sort_by(|a, b| b.volts.total_cmp(&a.volts));
    all
}

/// How the gate stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum Standing {
    /// Contacts still open.
    Asking,
    /// All contacts closed.
    Open,
    /// A STOP, quarantine not yet recorded.
    Stopped,
    /// A STOP, quarantine recorded: work without this pack only.
    Quarantined,
}

/// Does a test touch or use the pack?
pub fn uses_pack(test: &Test) -> bool {
    let s = &test.state;
    if s.battery == Some(Battery::In)
        || s.key == Some(Key::On)
        || s.charger.is_some_and(|c| c != Charger::Away)
    {
        return true;
    }
    let sign_of_pack = match &test.kind {
        Kind::Procedure { sign, .. } => [
            "pack_", "charge_", "capacity", "rock", "sense_", "bleed_", "fuse_", "port_",
        ]
        .iter()
        .any(|p| sign.starts_with(p)),
        Kind::Probe(_) => false,
    };
    sign_of_pack || matches!(test.access.as_str(), "a1" | "a6") || test.id.starts_with("t-fuse")
}

/// Does a test switch anything on?
pub fn switches_on(test: &Test) -> bool {
    let s = &test.state;
    s.battery == Some(Battery::In)
        || s.key == Some(Key::On)
        || s.charger.is_some_and(|c| c != Charger::Away)
}

/// May this test be done as the gate stands?
pub fn allows(standing: Standing, test: &Test) -> bool {
    match standing {
        Standing::Open => true,
        Standing::Asking => !switches_on(test),
        Standing::Stopped => false,
        Standing::Quarantined => !uses_pack(test),
    }
}

/// How the gate of a job stands.
pub fn standing(catalogue: &Catalogue, job: &Job) -> Standing {
    if !job.stops.is_empty() {
        let done = catalogue
            .quarantine
            .iter()
            .all(|q| job.quarantine.contains_key(&q.id));
        return if done {
            Standing::Quarantined
        } else {
            Standing::Stopped
        };
    }
    let closed = |check: &str| {
        let spec = catalogue.gate_check(check)?;
        let answer = job.gate.get(check)?;
        spec.answers
            .iter()
            .find(|a| a.id == answer.answer)
            .map(|a| a.result == "clear")
    };
    if catalogue
        .gate
        .iter()
        .all(|c| closed(c.id.get_ref()) == Some(true))
    {
        Standing::Open
    } else {
        Standing::Asking
    }
}
