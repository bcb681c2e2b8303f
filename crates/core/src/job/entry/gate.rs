//! The battery gate: which pack it is, what is answered, quarantine and clearance, how the vehicle stands.

use crate::catalogue::{Catalogue, GateAnswer as AnswerSpec, StopWords};
use crate::error::{Code, CoreError};
use crate::job::danger::{Danger, StepDone};
use crate::job::entry::kind::{Admitting, Book, Kind, Said, maybe, refuse, tail};
use crate::job::entry::vocabulary::Role;
use crate::job::gate::{self, Standing};
use crate::job::state::{GateAnswer, Job, LIVE_VOLTS, Mark};
use crate::reading::{self, Unit};
use serde::{Deserialize, Serialize};
use spannung_circuit::VehicleState;
use spannung_circuit::state::{Battery, Charger};
use utoipa::ToSchema;
use uuid::Uuid;

/// What an entry that is kept with the pack must have seen.
const ON_THE_PACK: &[&str] = &["gate", "pack", "clearance", "close"];
/// Over full by more than this share, the pack is asked about: the meter's share and a charger's spread.
const LITTLE_OVER: f64 = 1.01;
/// Over full by more than this, it is over-charged or another pack: stopped.
const NEVER_OVER: f64 = 1.02;
/// More than this share of full is a slip of the keys.
const ABSURD: f64 = 2.0;
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
    /// What pack it is, where the figure would rather be another's.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub explained: Option<String>,
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
            explained,
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
            maybe("explained", explained.as_deref().unwrap_or_default(), 300)?;
            gate_figure(
                catalogue,
                job,
                given,
                typed.as_deref(),
                explained.as_deref(),
            )?;
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
        if catalogue.power_fault.gate.get(check) == Some(answer) {
            let spec = catalogue.gate_check(check);
            let name = spec.map_or(check.clone(), |c| c.name.clone());
            job.power_fault(mark, format!("{name}, at the gate"));
        }
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
        let pack = self.explained.as_deref().unwrap_or_default();
        Said::with(
            format!(
                "Gate, {}: {words}{}",
                name.to_lowercase(),
                tail(" (", pack, ")")
            ),
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
        if on && standing == Standing::DeadFirst {
            return refuse(
                Code::GateClosed,
                "state",
                "Measured dead first: pack and charger stay out until the dead readings are as they should be.",
            );
        }
        if on && !standing.is_passed() {
            return refuse(
                Code::GateClosed,
                "state",
                "The gate is not open: pack and charger stay out.",
            );
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, catalogue: &Catalogue, mark: &Mark, _struck_out: bool) {
        let Self { state, .. } = self;
        if state.apart.iter().any(|p| p != "dock") {
            job.moved = Some(mark.seq);
        }
        job.stand(catalogue, state.clone())
    }

    fn said(&self, _book: &Book<'_>) -> Said {
        let Self { state, .. } = self;
        Said::words(format!("Set up: {}", crate::job::state::state_words(state)))
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
        let family = book.job.family(book.catalogue);
        let spec = book.catalogue.need(need);
        let ask = spec.map_or(need.as_str(), |n| n.ask_for(family));
        Said::words(format!("Confirmed: {}", ask.trim_end_matches('?')))
    }

    fn decides_on_pack(&self) -> bool {
        true
    }
}

/// The floor check: the figure decides, not the button. Between the floors of two chemistries, where
/// no wiring model knows the cells, it is the technician who has to know them. A figure that another pack than the
/// named one would show is only taken with what pack it is.
fn gate_figure(
    catalogue: &Catalogue,
    job: &Job,
    given: &AnswerSpec,
    typed: Option<&str>,
    explained: Option<&str>,
) -> Result<(), CoreError> {
    let answer = given.id.as_str();
    if given.result == "open" {
        return Ok(());
    }
    let typed = typed.unwrap_or_default();
    let figure = reading::parse(typed, Some(Unit::Volts))
        .map_err(|e| CoreError::entry(Code::BadReading, "typed", e.to_string()))?;
    let limits = gate::limits(catalogue, job);
    let volts = |v: f64| reading::show_text(v, Unit::Volts);
    let shown = volts(figure.low);
    if figure.low > limits.full * ABSURD || figure.low < 0.0 {
        return Err(CoreError::entry(
            Code::AbsurdReading,
            "typed",
            format!(
                "{shown} cannot be here. A pack of this class reads up to {}.",
                volts(limits.full)
            ),
        ));
    }
    // a toy's pack of six volts is live below what is a phantom on a larger one
    let class = f64::from(job.volts_class);
    let wants = if figure.low.abs() < LIVE_VOLTS.min(class * LIVE_BY_CLASS) {
        "nothing"
    } else if figure.low < limits.floors.0 {
        "below"
    } else if figure.low > limits.full * NEVER_OVER {
        "over"
    } else if figure.low >= limits.floors.1 {
        "above"
    } else {
        answer
    };
    // a resting reading under the floor may be a phantom: the technician may call it one
    if wants != answer && (wants, answer) != ("below", "nothing") {
        let one = limits.floors.0 == limits.floors.1;
        let such = if one { "this pack" } else { "such a pack" };
        let why = if wants == "over" {
            format!("full, {such} has {}", volts(limits.full))
        } else if one {
            format!("the floor of {such} is {}", volts(limits.floors.0))
        } else {
            let range = reading::show_range(limits.floors.0, limits.floors.1, Unit::Volts);
            format!("the floor of {such} is {range}")
        };
        return Err(CoreError::entry(
            Code::FigureDiffers,
            "answer",
            format!("{shown} is not “{}”: {why}.", given.name),
        ));
    }
    if answer != "above" || explained.is_some_and(|e| e.trim().chars().count() >= 3) {
        return Ok(());
    }
    let odd = if figure.low > limits.full * LITTLE_OVER {
        format!(
            "{shown} is over full, {}: another pack than named, or not its own charger?",
            volts(limits.full)
        )
    } else if figure.low < limits.restricted {
        format!(
            "{shown} is barely over its floor. Up to {} only a watched trickle: stop at 5 K warmer or no rise in 30 min; so low for four weeks, refer it. Run flat, or another pack?",
            volts(limits.restricted)
        )
    } else if figure.low < limits.tenth {
        format!(
            "{shown} is under a tenth of its charge, {}. Run flat, or another pack than named?",
            volts(limits.tenth)
        )
    } else {
        return Ok(());
    };
    Err(CoreError::entry(
        Code::WhichPack,
        "explained",
        format!("{odd} Write which pack it is, then answer again."),
    ))
}
