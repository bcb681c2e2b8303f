//! Would the vehicle drive as it is put together? What stands against it, from the circuit, in a sentence, and which of the
//! components that nobody has seen yet would have to be another one.

use super::Job;
use crate::catalogue::Catalogue;
use serde::Serialize;
use spannung_circuit::behaviour::{Scene, Standstill};
use spannung_circuit::build::{Kind, Slot};
use spannung_circuit::otherwise::{fitting, swaps, with_twin};
use spannung_circuit::{Change, Circuit, Family, Profile, Shelf};
use utoipa::ToSchema;

/// Why a vehicle would not drive as it is put together, with nothing broken.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct StandstillView {
    /// In words, without a full stop.
    pub why: String,
    /// With one of these it would, the likeliest first: what is assumed, and may be another one.
    pub cures: Vec<CureView>,
}

/// A component that makes it drive.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct CureView {
    /// Slot.
    pub slot: String,
    /// Kind that would have to stand there; none: nothing.
    pub kind: Option<String>,
    /// In words.
    pub name: String,
}

/// So many are named at most.
const CURES: usize = 4;

/// What hangs on a line that the controller watches, in small letters; the line itself where nothing does.
fn on_line(family: &Family, line: &str) -> String {
    let strand = family
        .strands
        .iter()
        .find(|s| s.wires.iter().any(|w| w.from == line));
    strand.map_or_else(|| line.to_owned(), |s| s.name.to_lowercase())
}

/// Volts as they are read: a trifle under zero is zero.
fn read(volts: f64) -> f64 {
    if volts.abs() < 0.005 { 0.0 } else { volts }
}

/// A standstill in words.
fn words(family: &Family, standstill: &Standstill) -> String {
    let v = |volts: &f64| format!("{:.2} V", read(*volts));
    match standstill {
        Standstill::Feed { volts, least } => format!(
            "{:.1} V reach the controller, which starts above {least:.1} V",
            read(*volts)
        ),
        Standstill::Weak { ohms } => {
            format!("the controller is fed through {ohms:.0} Ω: it goes out as soon as it draws")
        }
        Standstill::Rail { volts, least } => format!(
            "the rail of the sensors stands at {}, the controller wants more than {}",
            v(volts),
            v(least)
        ),
        Standstill::Interlock { line, volts, above } => format!(
            "{} holds it: its line stands at {} and has to be above {}",
            on_line(family, line),
            v(volts),
            v(above)
        ),
        Standstill::Brake {
            strand,
            volts,
            level,
        } => format!(
            "the {} reads as squeezed at rest: its line stands at {}, and {} part free from squeezed",
            family.hangs_on(strand),
            v(volts),
            v(level)
        ),
        Standstill::Phases => "fewer than two phases lead to the motor".into(),
        Standstill::AtRest { volts, most } => format!(
            "the throttle rests at {}, and the controller takes {} at most for released",
            v(volts),
            v(most)
        ),
        Standstill::OpenLow { volts, least } => format!(
            "held open the throttle gives {}, and the controller begins at {}",
            v(volts),
            v(least)
        ),
        Standstill::OpenHigh { volts, most } => format!(
            "held open the throttle gives {}, and above {} the controller takes it for a fault",
            v(volts),
            v(most)
        ),
        Standstill::Channels { volts, wants } => format!(
            "the controller wants a second throttle channel at {} and finds {}",
            v(wants),
            v(volts)
        ),
        Standstill::Pedals => "it has no throttle, and no pulses come from the pedals".into(),
        Standstill::Order => {
            "what the hall sensors say does not go with the order of the phases: it would buzz"
                .into()
        }
        Standstill::Backwards => "it would turn backwards".into(),
        Standstill::Armature => "no current reaches a motor".into(),
        Standstill::RunsAway => "a motor would turn although nobody asks it to".into(),
    }
}

/// Why a vehicle would not drive.
fn stands_still(profile: &Profile) -> Option<Standstill> {
    let net = profile.netlist().ok()?;
    let circuit = Circuit::compile(&net, &[], &[]);
    Scene::of(profile, &net, &circuit, None).standstill()
}

impl Job {
    /// Why it would not drive as it is put together here, with nothing broken; none when it would, or without a wiring model.
    pub fn standstill(&self, catalogue: &Catalogue) -> Option<StandstillView> {
        let profile = self.profile(catalogue)?;
        let standstill = stands_still(&profile)?;
        Some(StandstillView {
            why: words(&profile.family, &standstill),
            cures: self.cures(&profile),
        })
    }

    /// What only is assumed, and would make it drive if it were another one.
    fn cures(&self, profile: &Profile) -> Vec<CureView> {
        let Ok(shelf) = Shelf::shipped() else {
            return Vec::new();
        };
        let build = &profile.family.build;
        let assumed = |slot: &&Slot| {
            let id = slot.id.get_ref();
            let said = |c: &Change| matches!(c, Change::Component { slot, .. } if slot == id);
            !self.changes.iter().any(|c| said(&c.change))
        };
        let drives = |slots: &[String], kind: Option<&str>| {
            let changes = match kind {
                Some(kind) => swaps(slots, kind),
                None => slots
                    .iter()
                    .map(|slot| Change::Component {
                        slot: slot.clone(),
                        kind: None,
                    })
                    .collect(),
            };
            let with = |p: Profile, c: &Change| p.with(c).ok();
            let tried = changes.iter().try_fold(profile.clone(), with);
            tried.is_some_and(|p| stands_still(&p).is_none())
        };
        let mut found: Vec<(f64, CureView)> = Vec::new();
        for slot in shelf.slots.iter().filter(assumed) {
            let id = slot.id.get_ref();
            let there = build.in_slot(id).map(|c| c.kind.clone());
            let slots = with_twin(build, slot);
            let cure = |kind: Option<&Kind>| CureView {
                slot: id.clone(),
                kind: kind.map(|k| k.id.get_ref().clone()),
                name: match kind {
                    Some(kind) => format!("{}: {}", slot.name, kind.name.to_lowercase()),
                    None => format!("{}: none", slot.name),
                },
            };
            for fit in fitting(build, &slots, shelf) {
                let kind = fit.kind.id.get_ref();
                if Some(kind) != there.as_ref() && drives(&slots, Some(kind)) {
                    found.push((fit.share, cure(Some(fit.kind))));
                }
            }
            if there.is_some() && !slot.needed && drives(&slots, None) {
                found.push((0.0, cure(None)));
            }
        }
        found.sort_by(|a, b| b.0.total_cmp(&a.0));
        found.truncate(CURES);
        found.into_iter().map(|f| f.1).collect()
    }
}
