//! The battery gate: which pack it is, what is answered, quarantine and clearance, how the vehicle stands.

use crate::catalogue::{Catalogue, GateAnswer as AnswerSpec, StopWords};
use crate::error::{Code, CoreError};
use crate::job::danger::{Danger, StepDone};
use crate::job::entry::kind::{Admitting, Book, Kind, Said, refuse};
use crate::job::entry::vocabulary::Role;
use crate::job::gate::{self, Standing};
use crate::job::state::{GateAnswer, Job, LIVE_VOLTS, Mark};
use crate::reading::{self, Unit};
use serde::{Deserialize, Serialize};
use spannung_circuit::VehicleState;
use spannung_circuit::state::{Battery, Charger};
use utoipa::ToSchema;
use uuid::Uuid;

/// What an entry that rests on the pack must have seen.
const ON_THE_PACK: &[&str] = &["gate", "pack", "clearance", "close"];
/// Volts of the fullest pack of a voltage class, over the class: lead at its charger, 2.45 of 2.0 V a cell.
const FULL_BY_CLASS: f64 = 1.225;
/// Volts of a class, as a share, under which a reading at rest is a phantom; estimated. It counts for packs
/// below 15 V, where [`LIVE_VOLTS`] is a live reading.
const LIVE_BY_CLASS: f64 = 1.0 / 3.0;

/// Which pack is on it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Pack {
    /// Id of the pack.
    pub pack: Uuid,
    /// The shop's sticker.
    pub sticker: String,
    /// Said to be the pack that has carried this sticker before: its history comes along.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub known: bool,
}

impl Kind for Pack {
    fn word(&self) -> &'static str {
        "pack"
    }

    fn admit(&self, _at: &Admitting<'_>) -> Result<(), CoreError> {
        let Self { sticker, .. } = self;
        if sticker.trim().is_empty() || sticker.chars().count() > 80 {
            return refuse(
                Code::BadSticker,
                "sticker",
                "A sticker has 1 to 24 letters or figures.",
            );
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, catalogue: &Catalogue, mark: &Mark, _struck_out: bool) {
        let Self { pack, sticker, .. } = self;
        job.put_on(catalogue, mark.entry, *pack, sticker)
    }

    fn said(&self, _book: &Book<'_>) -> Said {
        let Self { sticker, .. } = self;
        Said::words(format!("Pack: sticker {sticker}"))
    }

    fn decides_on_pack(&self) -> bool {
        true
    }

    fn guards(&self) -> &'static [&'static str] {
        ON_THE_PACK
    }
}

/// An answer at the gate.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Gate {
    /// Check.
    pub check: String,
    /// Answer.
    pub answer: String,
    /// What was typed, for checks with a figure.
    #[serde(default)]
    pub typed: Option<String>,
}

impl Kind for Gate {
    fn word(&self) -> &'static str {
        "gate"
    }

    fn admit(&self, at: &Admitting<'_>) -> Result<(), CoreError> {
        let Admitting {
            catalogue,
            job,
            here,
            ..
        } = *at;
        let Self {
            check,
            answer,
            typed,
            ..
        } = self;
        let Some(spec) = catalogue.gate_check(check) else {
            if !here {
                return Ok(());
            }
            return refuse(
                Code::UnknownCheck,
                "check",
                format!("The gate has no check “{check}”."),
            );
        };
        if spec.rests == "pack" && job.pack.is_none() {
            return refuse(
                Code::NoPack,
                "check",
                "Name the pack by its sticker first: findings rest on it.",
            );
        }
        let Some(given) = spec.answer(answer) else {
            if !here {
                return Ok(());
            }
            return refuse(
                Code::UnknownAnswer,
                "answer",
                format!("“{answer}” is no answer to {}.", spec.name),
            );
        };
        let held = job.on_pack.stops.iter().any(|s| &s.from == check);
        if held && given.result != "stop" {
            return refuse(
                Code::StopHolds,
                "answer",
                "A STOP is not answered away. Another pack, or a specialist's written clearance, ends it.",
            );
        }
        if here && spec.figure {
            gate_figure(catalogue, job, given, typed.as_deref())?;
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, catalogue: &Catalogue, mark: &Mark, _struck_out: bool) {
        let Self {
            check,
            answer,
            typed,
            ..
        } = self;
        job.gate.insert(
            check.clone(),
            GateAnswer {
                answer: answer.clone(),
                typed: typed.clone(),
                at: mark.at,
                by: mark.by.clone(),
            },
        );
        if check == "wheel" && answer == "up" {
            job.wheel_is_up(catalogue);
        }
    }

    fn danger(&self, catalogue: &Catalogue, _job: &Job) -> Option<Danger> {
        let Self {
            check,
            answer,
            typed,
            ..
        } = self;
        let given = catalogue.stop_answer(check, answer)?;
        let figure = typed.as_ref().map(|t| format!(" Read {t}."));
        let words = StopWords {
            order: given.order.clone()?,
            reason: format!("{}{}", given.reason.as_ref()?, figure.unwrap_or_default()),
        };
        Some(Danger::clearable(check, words))
    }

    fn said(&self, book: &Book<'_>) -> Said {
        let Self {
            check,
            answer,
            typed,
            ..
        } = self;
        let spec = book.catalogue.gate_check(check);
        let name = spec.map_or(check.clone(), |c| c.name.clone());
        let given = spec.and_then(|c| c.answers.iter().find(|a| &a.id == answer));
        let words = given.map_or(answer.clone(), |a| a.name.clone());
        Said::with(
            format!("Gate, {}: {words}", name.to_lowercase()),
            typed.clone().unwrap_or_default(),
        )
    }

    fn decides_on_pack(&self) -> bool {
        true
    }

    fn guards(&self) -> &'static [&'static str] {
        ON_THE_PACK
    }

    fn rests_on_pack(&self, catalogue: &Catalogue) -> bool {
        let spec = catalogue.gate_check(&self.check);
        spec.is_some_and(|c| c.rests == "pack")
    }

    fn releases(&self, catalogue: &Catalogue) -> bool {
        catalogue.stop_answer(&self.check, &self.answer).is_none()
    }
}

/// A step of the quarantine.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Quarantine {
    /// Step.
    pub step: String,
}

impl Kind for Quarantine {
    fn word(&self) -> &'static str {
        "quarantine"
    }

    fn admit(&self, at: &Admitting<'_>) -> Result<(), CoreError> {
        let Admitting {
            catalogue,
            job,
            here,
            ..
        } = *at;
        let Self { step, .. } = self;
        if here && !catalogue.quarantine.iter().any(|q| &q.id == step) {
            return refuse(
                Code::UnknownStep,
                "step",
                format!("The quarantine has no step “{step}”."),
            );
        }
        if here && job.on_pack.stops.is_empty() {
            return refuse(Code::NoStop, "step", "There is no STOP on this pack.");
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, mark: &Mark, _struck_out: bool) {
        let Self { step, .. } = self;
        let done = StepDone {
            at: mark.at,
            by: mark.by.clone(),
        };
        job.on_pack.quarantine.insert(step.clone(), done);
    }

    fn said(&self, book: &Book<'_>) -> Said {
        let Self { step, .. } = self;
        let spec = book.catalogue.quarantine.iter().find(|q| &q.id == step);
        Said::words(format!(
            "Quarantine: {}",
            spec.map_or(step.clone(), |q| q.name.to_lowercase())
        ))
    }

    fn decides_on_pack(&self) -> bool {
        true
    }

    fn rests_on_pack(&self, _catalogue: &Catalogue) -> bool {
        true
    }
}

/// A specialist clears the pack in writing.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Clearance {
    /// The written clearance.
    pub text: String,
}

impl Kind for Clearance {
    fn word(&self) -> &'static str {
        "clearance"
    }

    fn admit(&self, at: &Admitting<'_>) -> Result<(), CoreError> {
        let Admitting {
            job,
            role,
            standing,
            here,
            ..
        } = *at;
        let Self { text, .. } = self;
        if role != Role::Specialist {
            return refuse(
                Code::NotSpecialist,
                "kind",
                "Only a specialist clears a pack, in writing.",
            );
        }
        if text.trim().chars().count() < 10 {
            return refuse(
                Code::NoText,
                "text",
                "Write what was measured and why the pack is cleared.",
            );
        }
        if here && job.on_pack.stops.iter().any(|s| !s.clearable) {
            return refuse(
                Code::NotClearable,
                "kind",
                "A group below its floor has no clearance: only another pack.",
            );
        }
        if here && standing != Standing::Quarantined {
            return refuse(Code::NotQuarantined, "kind", "Record the quarantine first.");
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, catalogue: &Catalogue, _mark: &Mark, _struck_out: bool) {
        job.clear(catalogue)
    }

    fn said(&self, _book: &Book<'_>) -> Said {
        let Self { text, .. } = self;
        Said::words(format!("Pack cleared by a specialist: {text}"))
    }

    fn decides_on_pack(&self) -> bool {
        true
    }

    fn guards(&self) -> &'static [&'static str] {
        ON_THE_PACK
    }

    fn rests_on_pack(&self, _catalogue: &Catalogue) -> bool {
        true
    }
}

/// The vehicle stands differently now.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct State {
    /// State.
    pub state: VehicleState,
}

impl Kind for State {
    fn word(&self) -> &'static str {
        "state"
    }

    fn admit(&self, at: &Admitting<'_>) -> Result<(), CoreError> {
        let Admitting { standing, .. } = *at;
        let Self { state, .. } = self;
        let on = state.battery == Battery::In || state.charger != Charger::Away;
        if on && !standing.is_passed() {
            return refuse(
                Code::GateClosed,
                "state",
                "The gate is not open: pack and charger stay out.",
            );
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, catalogue: &Catalogue, _mark: &Mark, _struck_out: bool) {
        let Self { state, .. } = self;
        job.stand(catalogue, state.clone())
    }

    fn said(&self, _book: &Book<'_>) -> Said {
        let Self { state, .. } = self;
        Said::words(format!("Stands: {}", crate::job::state::state_words(state)))
    }

    fn decides_on_pack(&self) -> bool {
        true
    }
}

/// A precondition is confirmed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Confirmed {
    /// Precondition.
    pub need: String,
}

impl Kind for Confirmed {
    fn word(&self) -> &'static str {
        "confirmed"
    }

    fn admit(&self, at: &Admitting<'_>) -> Result<(), CoreError> {
        let Admitting {
            catalogue,
            role,
            here,
            ..
        } = *at;
        let Self { need, .. } = self;
        let Some(spec) = catalogue.need(need) else {
            if !here {
                return Ok(());
            }
            return refuse(
                Code::UnknownNeed,
                "need",
                format!("There is no precondition “{need}”."),
            );
        };
        if spec.id.get_ref() == "specialist" && role != Role::Specialist {
            return refuse(
                Code::NotSpecialist,
                "need",
                "Only a specialist opens a pack. Refer it to its maker.",
            );
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, catalogue: &Catalogue, _mark: &Mark, _struck_out: bool) {
        let Self { need, .. } = self;
        if let Some(spec) = catalogue.need(need) {
            let value = job.field(&spec.holds_while);
            job.confirmed.insert(need.clone(), value);
        }
    }

    fn said(&self, book: &Book<'_>) -> Said {
        let Self { need, .. } = self;
        let ask = book
            .catalogue
            .need(need)
            .map_or(need.clone(), |n| n.ask.clone());
        Said::words(format!("Confirmed: {}", ask.trim_end_matches('?')))
    }

    fn decides_on_pack(&self) -> bool {
        true
    }
}

/// The floor check: the figure decides, not the button. Between the floors of two chemistries, where
/// no wiring model knows the cells, it is the technician who has to know them.
fn gate_figure(
    catalogue: &Catalogue,
    job: &Job,
    given: &AnswerSpec,
    typed: Option<&str>,
) -> Result<(), CoreError> {
    let answer = given.id.as_str();
    if given.result == "open" {
        return Ok(());
    }
    let typed = typed.unwrap_or_default();
    let figure = reading::parse(typed, Some(Unit::Volts))
        .map_err(|e| CoreError::entry(Code::BadReading, "typed", e.to_string()))?;
    let floors = gate::floors(catalogue, job);
    let highest = floors.first().map_or(0.0, |f| f.volts);
    let lowest = floors.last().map_or(0.0, |f| f.volts);
    let class = f64::from(job.volts_class);
    let full = job
        .own_family(catalogue)
        .map_or(class * FULL_BY_CLASS, |f| {
            f.cells.full_volts * f.cells.groups as f64
        });
    let shown = reading::show_text(figure.low, Unit::Volts);
    // a toy's pack of six volts is live below what is a phantom on a larger one
    let wants = if figure.low.abs() < LIVE_VOLTS.min(class * LIVE_BY_CLASS) {
        "nothing"
    } else if figure.low < lowest {
        "below"
    } else if figure.low >= highest {
        "above"
    } else {
        answer
    };
    if figure.low > full * 1.3 || figure.low < 0.0 {
        return Err(CoreError::entry(
            Code::AbsurdReading,
            "typed",
            format!(
                "{shown} cannot be here. A pack of this class reads up to {}.",
                reading::show_text(full, Unit::Volts)
            ),
        ));
    }
    // a resting reading under the floor may be a phantom: the technician may call it one
    if wants == answer || (wants == "below" && answer == "nothing") {
        return Ok(());
    }
    Err(CoreError::entry(
        Code::FigureDiffers,
        "answer",
        format!(
            "{shown} is not “{}”: the floor of {} is {}.",
            given.name,
            if lowest == highest {
                "this pack"
            } else {
                "such a pack"
            },
            if lowest == highest {
                reading::show_text(lowest, Unit::Volts)
            } else {
                reading::show_range(lowest, highest, Unit::Volts)
            }
        ),
    ))
}
