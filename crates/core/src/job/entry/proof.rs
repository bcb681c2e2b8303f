//! The proof: checks as they were done, what is let go, what the owner gets to read.

use crate::catalogue::Catalogue;
use crate::diagnosis::repertoire::RIDE_SAFE;
use crate::error::{Code, CoreError};
use crate::job::danger::Danger;
use crate::job::entry::kind::{
    Admitting, Book, Kind, Said, TestName, Worked, check_minutes, maybe, refuse, tail, text,
};
use crate::job::entry::vocabulary::{ProofResult, Role};
use crate::job::gate::Standing;
use crate::job::items::{self, Opened};
use crate::job::proof::{self, COMPLAINT};
use crate::job::state::{FailedRepair, Job, Mark, ProofTaken, Ruled, Settled, SymptomTold};
use crate::reading::scaled::parse_in;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use utoipa::ToSchema;

/// A check of the proof.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Proof {
    /// Check.
    pub check: String,
    /// How it came out; worked out by the server where the check has a figure.
    pub result: ProofResult,
    /// Figure as it was typed.
    #[serde(default)]
    pub typed: String,
    /// What was seen.
    #[serde(default)]
    pub words: String,
    /// When the complaint still shows: of the symptoms told, which show still (true) and which are gone.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub still: BTreeMap<String, bool>,
    /// Minutes entered for it; nothing is assumed, the clock counts them.
    #[serde(default)]
    pub minutes: f64,
}

impl Proof {
    /// Does it fit the vehicle, the gate and what is confirmed?
    fn fits(&self, at: &Admitting<'_>) -> Result<(), CoreError> {
        let Admitting {
            catalogue,
            job,
            role,
            standing,
            ..
        } = *at;
        let Some(spec) = catalogue.proof.find(&self.check) else {
            return refuse(
                Code::UnknownCheck,
                "check",
                format!("There is no check “{}”.", self.check),
            );
        };
        if spec.before_a_ride && role == Role::Trainee {
            return refuse(
                Code::NotAllowed,
                "check",
                format!("A technician proves it: {}.", spec.name.to_lowercase()),
            );
        }
        if self.result == ProofResult::NotFitted {
            if spec.part.is_none() || job.family(catalogue).is_some() {
                return refuse(
                    Code::Fitted,
                    "result",
                    format!("{} cannot be left out: unknown is never a pass.", spec.name),
                );
            }
            return text("words", &self.words, 400, "Say what it has instead.");
        }
        // what a technician sees with everything off can be checked at any gate
        if (spec.live || spec.need.is_some()) && !standing.is_passed() {
            return refuse(
                Code::GateClosed,
                "check",
                if standing == Standing::DeadFirst {
                    "Measured dead first: nothing is switched on until the dead readings on the Bench are as they should be."
                } else {
                    "The gate is not open: nothing is switched on."
                },
            );
        }
        if let Some(waits) = proof::waits(catalogue, job, spec) {
            return refuse(Code::Waits, "check", waits.words());
        }
        if let Some(need) = &spec.need {
            if need == "specialist" && role != Role::Specialist {
                return refuse(
                    Code::NotSpecialist,
                    "check",
                    "Only a specialist opens a pack. Refer it to its maker.",
                );
            }
            if !job.confirmed.contains_key(need) {
                let family = job.family(catalogue);
                let spec = catalogue.need(need);
                let ask = spec.map_or(need.as_str(), |n| n.ask_for(family));
                return refuse(Code::NotConfirmed, "check", format!("First confirm: {ask}"));
            }
        }
        if let Some(unit) = &proof::limits(catalogue, job, spec).unit
            && let Err(why) = parse_in(&self.typed, unit)
        {
            return refuse(Code::BadReading, "typed", why.to_string());
        }
        if self.result == ProofResult::Fail && spec.unit.is_none() && self.words.trim().is_empty() {
            return refuse(
                Code::NoReason,
                "words",
                "Say what was seen: it goes back to the Bench.",
            );
        }
        Ok(())
    }
}

impl Kind for Proof {
    fn word(&self) -> &'static str {
        "proof"
    }

    fn admit(&self, at: &Admitting<'_>) -> Result<(), CoreError> {
        let Admitting { job, here, .. } = *at;
        let Self {
            check,
            result,
            words,
            still,
            minutes,
            ..
        } = self;
        check_minutes(*minutes)?;
        maybe("words", words, 400)?;
        if !here {
            return Ok(());
        }
        self.fits(at)?;
        if !still.is_empty() && (check != COMPLAINT || *result != ProofResult::Fail) {
            return refuse(
                Code::NotTheComplaint,
                "still",
                "What still shows is said of a complaint that failed its check.",
            );
        }
        if let Some(id) = still.keys().find(|id| !job.told(id)) {
            let words = format!("“{id}” was not told of this vehicle.");
            return refuse(Code::NotTold, "still", words);
        }
        Ok(())
    }

    fn admit_opened(
        &self,
        catalogue: &Catalogue,
        job: &Job,
        opened: &[Opened],
    ) -> Result<(), CoreError> {
        let spec = catalogue.proof.find(&self.check);
        let rides = spec.is_some_and(|s| s.need.as_deref() == Some(RIDE_SAFE));
        if !rides || self.result == ProofResult::NotFitted {
            return Ok(());
        }
        match proof::before_a_ride(catalogue, job, opened).first() {
            Some(first) => refuse(
                Code::RideFirst,
                "check",
                format!("No ride before {} is proved.", first.name.to_lowercase()),
            ),
            None => Ok(()),
        }
    }

    /// One that fails goes back to the Bench: its symptom is seen, and when it is the complaint itself, what
    /// was changed so far is not (or not alone) the fault.
    fn apply(&self, job: &mut Job, catalogue: &Catalogue, mark: &Mark, _struck_out: bool) {
        let Self {
            check,
            result,
            typed,
            words,
            still,
            minutes,
            ..
        } = self;
        job.spend(mark, *minutes);
        let spec = catalogue.proof.find(check);
        let result = spec
            .and_then(|s| proof::judge(catalogue, job, s, *result, typed))
            .unwrap_or(*result);
        job.proofs.push(ProofTaken {
            mark: mark.clone(),
            check: check.clone(),
            result,
            typed: typed.clone(),
            words: words.clone(),
        });
        if result != ProofResult::Fail {
            return;
        }
        if let Some(symptom) = spec.and_then(|s| s.fails_as.clone()) {
            job.symptoms.retain(|s| s.symptom != symptom);
            job.symptoms.push(SymptomTold {
                symptom,
                yes: Some(true),
                by_customer: false,
                entry: mark.entry,
            });
        }
        if check == COMPLAINT {
            let changed: BTreeSet<String> =
                job.parts.iter().filter_map(|p| p.class.clone()).collect();
            for class in changed {
                let reason = "Changed, and the complaint still shows".to_string();
                if !job.failed.iter().any(|f| f.class == class) {
                    job.failed.push(FailedRepair {
                        class: class.clone(),
                        seq: mark.seq,
                        entry: mark.entry,
                        still: still.clone(),
                    });
                }
                let ruled = Ruled {
                    out: true,
                    reason,
                    entry: mark.entry,
                };
                job.by_hand.insert(class, ruled);
            }
        }
    }

    fn danger(&self, catalogue: &Catalogue, job: &Job) -> Option<Danger> {
        let Self {
            check,
            result,
            typed,
            ..
        } = self;
        let spec = catalogue.proof.find(check)?;
        let judged = proof::judge(catalogue, job, spec, *result, typed).unwrap_or(*result);
        let symptom = spec.fails_as.as_ref().and_then(|s| catalogue.symptom(s));
        let words = spec
            .stop
            .as_ref()
            .or_else(|| symptom.and_then(|s| s.stop.as_ref()))?;
        (judged == ProofResult::Fail).then(|| Danger::clearable(check, words.clone()))
    }

    fn said(&self, book: &Book<'_>) -> Said {
        let Self {
            check,
            result,
            typed,
            words,
            still,
            ..
        } = self;
        let spec = book.catalogue.proof.find(check);
        let name = spec.map_or(check.clone(), |c| c.name.clone());
        let same = |p: &&ProofTaken| &p.check == check && &p.typed == typed && &p.words == words;
        let judged = book
            .job
            .proofs
            .iter()
            .find(same)
            .map_or(*result, |p| p.result);
        let said = match judged {
            ProofResult::Pass => "passed",
            ProofResult::Fail => "failed",
            ProofResult::NotFitted => "not fitted",
        };
        let tail = tail(": ", words, "");
        let name_of = |id: &String| {
            let name = book.catalogue.symptom(id).map_or(id.as_str(), |s| &s.name);
            name.to_lowercase()
        };
        let tried = |yes: bool, word: &str| {
            let mine = still.iter().filter(|(_, shows)| **shows == yes);
            let names: Vec<String> = mine.map(|(id, _)| name_of(id)).collect();
            if names.is_empty() {
                String::new()
            } else {
                format!("; {word}: {}", names.join(", "))
            }
        };
        let tail = format!("{tail}{}{}", tried(true, "still"), tried(false, "gone"));
        let value = spec
            .and_then(|c| proof::with_unit(c, typed))
            .unwrap_or_default();
        Said::with(
            format!("Proof, {}: {said}{tail}", name.to_lowercase()),
            value,
        )
    }

    fn worked(&self, _test_name: TestName<'_>) -> Option<Worked> {
        Some(Worked {
            minutes: self.minutes,
            what: format!("proof, {}", self.check),
        })
    }
}

/// A check or open item is let go, with a reason that prints.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Except {
    /// Id of the check or key of the item.
    pub what: String,
    /// Why.
    pub reason: String,
}

impl Kind for Except {
    fn word(&self) -> &'static str {
        "except"
    }

    fn admit(&self, at: &Admitting<'_>) -> Result<(), CoreError> {
        let Admitting { role, .. } = *at;
        let Self { reason, .. } = self;
        if !role.may_except() {
            return refuse(
                Code::NotAllowed,
                "kind",
                "Only a technician or specialist leaves something out, with a reason that prints.",
            );
        }
        if reason.trim().chars().count() < 5 {
            return refuse(
                Code::NoReason,
                "reason",
                "Say why: the reason prints on the report.",
            );
        }
        maybe("reason", reason, 400)?;
        Ok(())
    }

    fn admit_opened(
        &self,
        catalogue: &Catalogue,
        job: &Job,
        opened: &[Opened],
    ) -> Result<(), CoreError> {
        let Self { what, .. } = self;
        if let Some(check) = catalogue.proof.find(what) {
            return if check.blocker {
                refuse(
                    Code::CannotExcept,
                    "what",
                    format!("{} is a matter of safety: it has to pass.", check.name),
                )
            } else {
                Ok(())
            };
        }
        match items::open(catalogue, job, opened, what) {
            None => refuse(Code::UnknownItem, "what", "There is no such check or item."),
            Some(i) if !i.may_except => refuse(
                Code::CannotExcept,
                "what",
                format!(
                    "{} is closed before the vehicle leaves: it cannot be left out.",
                    i.name
                ),
            ),
            Some(_) => Ok(()),
        }
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, mark: &Mark, _struck_out: bool) {
        let Self { what, reason, .. } = self;
        let gone = Settled {
            mark: mark.clone(),
            words: reason.clone(),
        };
        job.exceptions.insert(what.clone(), gone);
    }

    fn said(&self, book: &Book<'_>) -> Said {
        let Self { what, reason, .. } = self;
        Said::words(format!("Left out: {} ({reason})", (book.item)(what)))
    }

    fn can_be_struck_out(&self) -> bool {
        true
    }
}

/// What the owner gets to read about using it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct OwnerSheet {
    /// Lines.
    pub lines: Vec<String>,
}

impl Kind for OwnerSheet {
    fn word(&self) -> &'static str {
        "owner-sheet"
    }

    fn admit(&self, _at: &Admitting<'_>) -> Result<(), CoreError> {
        let Self { lines, .. } = self;
        if lines.is_empty() || lines.len() > 20 {
            return refuse(Code::BadSheet, "lines", "The sheet has 1 to 20 lines.");
        }
        for l in lines {
            text("lines", l, 400, "No line is empty.")?;
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, _mark: &Mark, _struck_out: bool) {
        let Self { lines, .. } = self;
        job.owner_sheet = Some(lines.clone())
    }

    fn said(&self, _book: &Book<'_>) -> Said {
        let Self { lines, .. } = self;
        Said::with(
            "Owner's operating sheet written",
            format!("{} lines", lines.len()),
        )
    }
}
