//! What stands at the beginning: the customer's words, the vehicle, whose it is.

use crate::catalogue::Catalogue;
use crate::error::{Code, CoreError};
use crate::job::danger::Danger;
use crate::job::entry::kind::{Admitting, Book, Kind, Said, maybe, refuse};
use crate::job::entry::vocabulary::Role;
use crate::job::state::{self, Job, Mark, RiskTold, SymptomTold};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// Drive of a vehicle without a wiring model.
pub const OTHER_DRIVE: &str = "other";
/// Volts such a vehicle may have.
const OTHER_VOLTS: std::ops::RangeInclusive<u16> = 6..=120;

/// The job begins: what the customer said, voltage class and drive.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Opened {
    /// In the customer's words.
    pub words: String,
    /// Voltage class.
    pub volts_class: u16,
    /// Drive as it looks.
    pub drive: String,
    /// Seconds from “new job” to here.
    #[serde(default)]
    pub seconds: f64,
    /// Job that this vehicle comes back from: a re-check or a complaint again.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub from_job: Option<Uuid>,
}

impl Kind for Opened {
    fn word(&self) -> &'static str {
        "opened"
    }

    fn admit(&self, at: &Admitting<'_>) -> Result<(), CoreError> {
        let Admitting { catalogue, job, .. } = *at;
        let Self {
            volts_class,
            drive,
            words,
            ..
        } = self;
        if job.opened_at.is_some() {
            return refuse(
                Code::AlreadyOpen,
                "kind",
                "This job has been opened already.",
            );
        }
        if words.chars().count() > 2000 {
            return refuse(
                Code::TooLong,
                "words",
                "2000 letters are enough for a complaint.",
            );
        }
        let other = drive == OTHER_DRIVE && OTHER_VOLTS.contains(volts_class);
        if catalogue.family(*volts_class, drive).is_none() && !other {
            return refuse(
                Code::UnknownFamily,
                "drive",
                format!("There is no wiring model for a {volts_class} V {drive} vehicle yet."),
            );
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, mark: &Mark, _struck_out: bool) {
        let Self {
            words,
            volts_class,
            drive,
            from_job,
            ..
        } = self;
        job.from_job = *from_job;
        job.words.clone_from(words);
        job.volts_class = *volts_class;
        job.drive.clone_from(drive);
        job.opened_at = Some(mark.at);
    }

    fn said(&self, _book: &Book<'_>) -> Said {
        let Self {
            words,
            volts_class,
            drive,
            ..
        } = self;
        Said::words(format!(
            "Job opened: “{words}”, {volts_class} V, {}",
            drive.replace('-', " ")
        ))
    }
}

/// The vehicle.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Vehicle {
    /// Name by which the shop knows it.
    pub name: String,
    /// Frame number.
    #[serde(default)]
    pub frame_number: Option<String>,
    /// Label of the controller.
    #[serde(default)]
    pub controller: Option<String>,
}

impl Kind for Vehicle {
    fn word(&self) -> &'static str {
        "vehicle"
    }

    fn admit(&self, _at: &Admitting<'_>) -> Result<(), CoreError> {
        let Self {
            name,
            frame_number,
            controller,
            ..
        } = self;
        let long = |t: &Option<String>| t.as_ref().is_some_and(|t| t.chars().count() > 120);
        if long(frame_number) || long(controller) {
            return refuse(
                Code::TooLong,
                "frame_number",
                "120 letters are enough for a frame number or a label.",
            );
        }
        if name.trim().is_empty() || name.chars().count() > 80 {
            return refuse(
                Code::BadName,
                "name",
                "Give the vehicle a name of 1 to 80 letters.",
            );
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, _mark: &Mark, _struck_out: bool) {
        let Self {
            name,
            frame_number,
            controller,
            ..
        } = self;
        job.vehicle.clone_from(name);
        job.frame_number.clone_from(frame_number);
        job.controller.clone_from(controller);
    }

    fn said(&self, _book: &Book<'_>) -> Said {
        let Self {
            name, frame_number, ..
        } = self;
        let frame = frame_number
            .as_ref()
            .map_or(String::new(), |f| format!(", frame {f}"));
        Said::words(format!("Vehicle: {name}{frame}"))
    }

    fn guards(&self) -> &'static [&'static str] {
        &["vehicle", "change", "close"]
    }
}

/// A symptom told or seen, or denied.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Symptom {
    /// Id.
    pub symptom: String,
    /// Yes, no, or not known.
    pub yes: Option<bool>,
    /// Told by the customer, or seen by the technician.
    pub by_customer: bool,
}

impl Kind for Symptom {
    fn word(&self) -> &'static str {
        "symptom"
    }

    fn admit(&self, at: &Admitting<'_>) -> Result<(), CoreError> {
        let Admitting {
            catalogue, here, ..
        } = *at;
        let Self { symptom, .. } = self;
        if here && catalogue.symptom(symptom).is_none() {
            return refuse(
                Code::UnknownSymptom,
                "symptom",
                format!("There is no symptom {symptom}."),
            );
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, catalogue: &Catalogue, mark: &Mark, _struck_out: bool) {
        let Self {
            symptom,
            yes,
            by_customer,
            ..
        } = self;
        if *yes == Some(true) && catalogue.power_fault.symptoms.contains(symptom) {
            let name = catalogue.symptom(symptom).map(|s| s.name.clone());
            job.power_fault(mark, name.unwrap_or_else(|| symptom.clone()));
        }
        job.symptoms.retain(|s| &s.symptom != symptom);
        job.symptoms.push(SymptomTold {
            symptom: symptom.clone(),
            yes: *yes,
            by_customer: *by_customer,
            entry: mark.entry,
        });
    }

    fn danger(&self, catalogue: &Catalogue, _job: &Job) -> Option<Danger> {
        if self.yes != Some(true) {
            return None;
        }
        let words = catalogue.symptom(&self.symptom)?.stop.clone()?;
        Some(Danger::clearable(&self.symptom, words))
    }

    fn said(&self, book: &Book<'_>) -> Said {
        let Self {
            symptom,
            yes,
            by_customer,
            ..
        } = self;
        let name = book
            .catalogue
            .symptom(symptom)
            .map_or(symptom.clone(), |s| s.name.clone());
        let who = if *by_customer { "told" } else { "seen" };
        Said::with(format!("{name} ({who})"), yes_words(*yes))
    }

    fn can_be_struck_out(&self) -> bool {
        true
    }
}

/// A risk factor.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Risk {
    /// Letter.
    pub risk: String,
    /// Yes, no, or not known.
    pub yes: Option<bool>,
}

impl Kind for Risk {
    fn word(&self) -> &'static str {
        "risk"
    }

    fn admit(&self, at: &Admitting<'_>) -> Result<(), CoreError> {
        let Admitting {
            catalogue, here, ..
        } = *at;
        let Self { risk, .. } = self;
        if here && !catalogue.risks.iter().any(|r| &r.id == risk) {
            return refuse(
                Code::UnknownRisk,
                "risk",
                format!("There is no risk factor {risk}."),
            );
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, mark: &Mark, _struck_out: bool) {
        let Self { risk, yes, .. } = self;
        job.risks.retain(|r| &r.risk != risk);
        job.risks.push(RiskTold {
            risk: risk.clone(),
            yes: *yes,
            entry: mark.entry,
        });
    }

    fn said(&self, book: &Book<'_>) -> Said {
        let Self { risk, yes, .. } = self;
        let name = book
            .catalogue
            .risks
            .iter()
            .find(|r| &r.id == risk)
            .map_or(risk.clone(), |r| r.name.clone());
        Said::with(name, yes_words(*yes))
    }

    fn can_be_struck_out(&self) -> bool {
        true
    }
}

/// Whose it is: a reference only.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Customer {
    /// Id of the customer's card.
    pub customer: Uuid,
}

impl Kind for Customer {
    fn word(&self) -> &'static str {
        "customer"
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, _mark: &Mark, _struck_out: bool) {
        let Self { customer, .. } = self;
        job.customer = Some(*customer)
    }

    fn said(&self, _book: &Book<'_>) -> Said {
        Said::words("Customer's card attached")
    }
}

/// Locked or ex-fleet electronics, and the proof of ownership that was seen.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Ownership {
    /// Locked, or from a fleet.
    pub locked: bool,
    /// What was seen: receipt, registration, letter of the fleet. None when nothing was.
    #[serde(default)]
    pub proof: Option<String>,
}

impl Kind for Ownership {
    fn word(&self) -> &'static str {
        "ownership"
    }

    fn admit(&self, at: &Admitting<'_>) -> Result<(), CoreError> {
        let Admitting {
            job, role, here, ..
        } = *at;
        let Self { locked, proof, .. } = self;
        if role == Role::Trainee {
            return refuse(
                Code::NotAllowed,
                "kind",
                "A technician looks at the proof of ownership.",
            );
        }
        if let Some(seen) = proof {
            maybe("proof", seen, 400)?;
        }
        let blank = proof.as_ref().is_none_or(|p| p.trim().is_empty());
        let held = job.ownership.as_ref().is_some_and(|o| o.unproved());
        if here && held && !*locked && blank {
            return refuse(
                Code::NoOwnership,
                "proof",
                "It was noted as locked or ex-fleet. Record the proof that was seen.",
            );
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, _mark: &Mark, _struck_out: bool) {
        let Self { locked, proof, .. } = self;
        let seen = proof.clone().filter(|p| !p.trim().is_empty());
        job.ownership = Some(state::Ownership {
            locked: *locked,
            proof: seen,
        });
    }

    fn said(&self, _book: &Book<'_>) -> Said {
        let Self { locked, proof, .. } = self;
        Said::words(
            match (locked, proof.as_ref().filter(|p| !p.trim().is_empty())) {
                (_, Some(seen)) => format!("Proof of ownership seen: {seen}"),
                (true, None) => "Locked or ex-fleet electronics, ownership not proved".into(),
                (false, None) => "Not locked, not from a fleet".into(),
            },
        )
    }
}

fn yes_words(yes: Option<bool>) -> &'static str {
    match yes {
        Some(true) => "yes",
        Some(false) => "no",
        None => "not known",
    }
}
