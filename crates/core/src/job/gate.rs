//! The battery gate: what is asked, what a STOP is, what may be done meanwhile.

use crate::catalogue::{Catalogue, CellFloor};
use crate::diagnosis::repertoire::{Kind, RIDE_SAFE, Test};
use crate::error::{Code, CoreError};
use crate::job::dead;
use crate::job::entry::vocabulary::ProofResult;
use crate::job::state::{Job, Stage};
use serde::Serialize;
use spannung_circuit::state::{Battery, Charger, Key, Wheel};
use std::collections::BTreeMap;
use utoipa::ToSchema;

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
            volts: f.groups(job.volts_class) * f.floor_volts,
        })
        .collect();
    all.sort_by(|a, b| b.volts.total_cmp(&a.volts));
    all
}

/// Volts between which a pack at rest is as it should be, and what lies beyond. Without a wiring model, those of the
/// chemistries that a pack of the class can be made of.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Limits {
    /// Lowest and highest floor.
    pub floors: (f64, f64),
    /// Up to here it is charged under watch and at a trickle only.
    pub restricted: f64,
    /// A tenth of its charge.
    pub tenth: f64,
    /// Full, as its charger leaves it.
    pub full: f64,
}

/// The limits of this vehicle's pack.
pub fn limits(catalogue: &Catalogue, job: &Job) -> Limits {
    let volts = floors(catalogue, job).into_iter().map(|f| f.volts);
    let floors = volts.fold((f64::INFINITY, 0.0), |(low, high): (f64, f64), v| {
        (low.min(v), high.max(v))
    });
    if let Some(family) = job.own_family(catalogue) {
        let cells = &family.cells;
        // by their share of the floor: a group of lead is a block of six cells
        let kind = catalogue
            .floors
            .iter()
            .find(|f| f.of.contains(&cells.chemistry));
        let over = |volts: fn(&CellFloor) -> f64| {
            kind.map_or(floors.1, |k| floors.1 * volts(k) / k.floor_volts)
        };
        return Limits {
            floors,
            restricted: over(|k| k.restricted_volts),
            tenth: over(|k| k.tenth_volts),
            full: kind.map_or(family.full_volts(), |_| over(|k| k.charged_volts)),
        };
    }
    let each = |volts: fn(&CellFloor) -> f64| {
        let all = catalogue.floors.iter();
        all.map(move |f| f.groups(job.volts_class) * volts(f))
    };
    Limits {
        floors,
        restricted: each(|f| f.restricted_volts).fold(0.0, f64::max),
        tenth: each(|f| f.tenth_volts).fold(f64::INFINITY, f64::min),
        full: each(|f| f.charged_volts).fold(0.0, f64::max),
    }
}

/// How the gate stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Standing {
    /// Contacts still open.
    Asking,
    /// All contacts closed.
    Open,
    /// All contacts closed, but something told of a power fault and the dead readings are not all as they should be.
    DeadFirst,
    /// All contacts closed, but it stands on its driven wheel with the power on, and nobody has said that a ride is safe.
    Grounded,
    /// A STOP, quarantine not yet recorded.
    Stopped,
    /// A STOP, quarantine recorded: work without this pack only.
    Quarantined,
}

impl Standing {
    /// Are all contacts closed, wherever it stands?
    pub fn is_passed(self) -> bool {
        matches!(self, Self::Open | Self::Grounded)
    }
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

/// Does a test switch anything on? A key that is turned with the pack out switches nothing on.
pub fn switches_on(test: &Test) -> bool {
    let s = &test.state;
    s.battery == Some(Battery::In)
        || s.key == Some(Key::On) && s.battery != Some(Battery::Out)
        || s.charger.is_some_and(|c| c != Charger::Away)
}

/// Does a test ask for the driven wheel to be up?
fn lifts(test: &Test) -> bool {
    test.state.wheel.is_some_and(|w| w != Wheel::Ground)
}

/// May this test be done as the gate stands?
pub fn allows(standing: Standing, test: &Test) -> bool {
    match standing {
        Standing::Open => true,
        Standing::Asking | Standing::DeadFirst => !switches_on(test),
        Standing::Grounded => test.rides() || lifts(test) || !switches_on(test),
        Standing::Stopped => false,
        Standing::Quarantined => !uses_pack(test),
    }
}

/// Has the pack been under watch for long enough to be cleared?
///
/// # Errors
/// `still-watched`, with what is left.
pub fn watched(
    catalogue: &Catalogue,
    job: &Job,
    now: time::OffsetDateTime,
) -> Result<(), CoreError> {
    for step in catalogue.quarantine.iter().filter(|q| q.least_hours > 0.0) {
        let Some(begun) = job.on_pack.quarantine.get(&step.id) else {
            continue;
        };
        let passed = (now - begun.at).as_seconds_f64() / 3600.0;
        if passed < step.least_hours {
            return Err(CoreError::entry(
                Code::StillWatched,
                "kind",
                format!(
                    "The watch began {passed:.0} h ago and takes {:.0} h at the least: {:.0} h to go.",
                    step.least_hours,
                    (step.least_hours - passed).ceil()
                ),
            ));
        }
    }
    Ok(())
}

/// How the gate of a job stands.
pub fn standing(catalogue: &Catalogue, job: &Job) -> Standing {
    if !job.on_pack.stops.is_empty() {
        let done = catalogue
            .quarantine
            .iter()
            .all(|q| job.on_pack.quarantine.contains_key(&q.id));
        return if done {
            Standing::Quarantined
        } else {
            Standing::Stopped
        };
    }
    let closed = |check: &str| {
        let given = job.gate.get(check)?;
        let answer = catalogue.gate_check(check)?.answer(&given.answer)?;
        Some(answer.result == "clear")
    };
    if catalogue
        .gate
        .iter()
        .all(|c| closed(c.id.get_ref()) == Some(true))
    {
        if dead::locked(catalogue, job) {
            return Standing::DeadFirst;
        }
        let s = &job.state;
        let on = s.wheel == Wheel::Ground && s.battery == Battery::In && s.key == Key::On;
        if on && !job.confirmed.contains_key(RIDE_SAFE) {
            Standing::Grounded
        } else {
            Standing::Open
        }
    } else {
        Standing::Asking
    }
}

impl Job {
    /// Where it stands.
    pub fn stage(&self, catalogue: &Catalogue) -> Stage {
        if self.closed.is_some() {
            return Stage::Closed;
        }
        match standing(catalogue, self) {
            Standing::Stopped | Standing::Quarantined => Stage::Quarantine,
            Standing::Asking => Stage::Gate,
            Standing::Open | Standing::Grounded | Standing::DeadFirst => {
                if self.failed_last() {
                    Stage::Bench
                } else if !self.proofs.is_empty() {
                    Stage::Proof
                } else if !self.parts.is_empty() {
                    Stage::Repair
                } else {
                    Stage::Bench
                }
            }
        }
    }

    /// Did a check fail that has not passed since?
    fn failed_last(&self) -> bool {
        let mut last: BTreeMap<&str, ProofResult> = BTreeMap::new();
        for p in &self.proofs {
            last.insert(&p.check, p.result);
        }
        last.values().any(|r| *r == ProofResult::Fail)
    }
}
