//! Does an entry fit the job as it stands? What the person may do, what the gate allows, what makes
//! sense. Whether a test exists on this vehicle is checked where the model is known
//! ([`crate::job::bench::Weighed::admit`]).

mod shop;

pub use shop::with_opened;

use crate::catalogue::{Catalogue, GateAnswer};
use crate::error::CoreError;
use crate::job::bounds;
use crate::job::entry::{Body, Logged, Outcome, ReadingResult, Role};
use crate::job::fold::{Job, LIVE_VOLTS, unit_of};
use crate::job::gate::{self, Standing};
use crate::reading::{self, Unit};
use spannung_circuit::state::{Battery, Charger};
use uuid::Uuid;

/// Most differences of one vehicle from its family: what differs more is another vehicle.
pub const MOST_CHANGES: usize = 40;

/// Does an entry fit the job as it stands? Checks what the person may do and what the gate allows;
/// whether a test exists on this vehicle is checked where the model is known.
///
/// # Errors
/// A sentence with a code: out of bounds, job closed, gate closed, unknown check, answer, need, class or
/// symptom, a figure that cannot be read, a role that may not.
pub fn admit(catalogue: &Catalogue, job: &Job, body: &Body, role: Role) -> Result<(), CoreError> {
    fits(catalogue, job, body, Some(role))
}

/// Do the entries of a job that was written elsewhere make a job here? Each has to fit the ones before
/// it as if it were typed, but for what guards the doing: it has been done, by people and on a gate that
/// are not known here. Words of another catalogue (a symptom, a test) are history and may be strange.
///
/// # Errors
/// The first entry that does not fit, counted from 1, and why.
pub fn admit_log(catalogue: &Catalogue, entries: &[Logged]) -> Result<(), (usize, CoreError)> {
    let mut job = Job::default();
    for (k, e) in entries.iter().enumerate() {
        bounds::instant(e.at)
            .and_then(|()| fits(catalogue, &job, &e.body, None))
            .map_err(|why| (k + 1, why))?;
        if matches!(e.body, Body::Void { .. }) {
            job = Job::fold(catalogue, &entries[..=k], &[]);
        } else {
            job.next(catalogue, e);
        }
    }
    Ok(())
}

/// As [`admit`]; without a role the entry was written elsewhere.
fn fits(
    catalogue: &Catalogue,
    job: &Job,
    body: &Body,
    role: Option<Role>,
) -> Result<(), CoreError> {
    bounds::check(body)?;
    let here = role.is_some();
    // what only some may do was done elsewhere by whoever may
    let role = role.unwrap_or(Role::Specialist);
    let bad = |code, field, message: String| Err(CoreError::entry(code, field, message));
    if job.closed.is_some() && !matches!(body, Body::Note { .. } | Body::Photo { .. }) {
        return bad(
            "job-closed",
            "kind",
            "This job is closed. Only notes and photos can be added.".into(),
        );
    }
    if job.opened_at.is_none() && !matches!(body, Body::Opened { .. }) {
        return bad(
            "not-opened",
            "kind",
            "A job begins with what the customer said.".into(),
        );
    }
    let standing = if here {
        gate::standing(catalogue, job)
    } else {
        Standing::Open
    };
    match body {
        Body::Opened {
            volts_class,
            drive,
            words,
            ..
        } => {
            if job.opened_at.is_some() {
                return bad(
                    "already-open",
                    "kind",
                    "This job has been opened already.".into(),
                );
            }
            if words.chars().count() > 2000 {
                return bad(
                    "too-long",
                    "words",
                    "2000 letters are enough for a complaint.".into(),
                );
            }
            let other = drive == OTHER_DRIVE && OTHER_VOLTS.contains(volts_class);
            if catalogue.family(*volts_class, drive).is_none() && !other {
                return bad(
                    "unknown-family",
                    "drive",
                    format!("There is no wiring model for a {volts_class} V {drive} vehicle yet."),
                );
            }
        }
        Body::Vehicle {
            name,
            frame_number,
            controller,
        } => {
            let long = |t: &Option<String>| t.as_ref().is_some_and(|t| t.chars().count() > 120);
            if long(frame_number) || long(controller) {
                return bad(
                    "too-long",
                    "frame_number",
                    "120 letters are enough for a frame number or a label.".into(),
                );
            }
            if name.trim().is_empty() || name.chars().count() > 80 {
                return bad(
                    "bad-name",
                    "name",
                    "Give the vehicle a name of 1 to 80 letters.".into(),
                );
            }
        }
        Body::Symptom { symptom, .. } => {
            if here && catalogue.symptom(symptom).is_none() {
                return bad(
                    "unknown-symptom",
                    "symptom",
                    format!("There is no symptom {symptom}."),
                );
            }
        }
        Body::Risk { risk, .. } => {
            if here && !catalogue.risks.iter().any(|r| &r.id == risk) {
                return bad(
                    "unknown-risk",
                    "risk",
                    format!("There is no risk factor {risk}."),
                );
            }
        }
        Body::Terms {
            value_cents,
            limit_cents,
            stop_loss_minutes,
            set,
            ..
        } => {
            let sets = |field: &str| set.is_empty() || set.iter().any(|s| s == field);
            let raised = sets("limit_cents")
                && limit_cents.is_none_or(|l| job.limit_cents.is_some_and(|now| l > now));
            if role == Role::Trainee && job.limit_cents.is_some() && raised {
                return bad(
                    "not-allowed",
                    "limit_cents",
                    "A technician raises the limit, after asking the customer.".into(),
                );
            }
            if let Some(odd) = set.iter().find(|s| !TERMS.contains(&s.as_str())) {
                return bad(
                    "unknown-field",
                    "set",
                    format!("“{odd}” is none of {}.", TERMS.join(", ")),
                );
            }
            if let Some(minutes) = stop_loss_minutes {
                check_minutes(*minutes)?;
            }
            if [value_cents, limit_cents]
                .into_iter()
                .flatten()
                .any(|c| !(0..=MOST_CENTS).contains(c))
            {
                return bad(
                    "bad-money",
                    "limit_cents",
                    "Money from 0 to 1,000,000 is accepted.".into(),
                );
            }
        }
        Body::Gate {
            check,
            answer,
            typed,
        } => {
            let Some(spec) = catalogue.gate_check(check) else {
                if !here {
                    return Ok(());
                }
                return bad(
                    "unknown-check",
                    "check",
                    format!("The gate has no check “{check}”."),
                );
            };
            if spec.rests == "pack" && job.pack.is_none() {
                return bad(
                    "no-pack",
                    "check",
                    "Name the pack by its sticker first: findings rest on it.".into(),
                );
            }
            let Some(given) = spec.answer(answer) else {
                if !here {
                    return Ok(());
                }
                return bad(
                    "unknown-answer",
                    "answer",
                    format!("“{answer}” is no answer to {}.", spec.name),
                );
            };
            let held = job.on_pack.stops.iter().any(|s| &s.from == check);
            if held && given.result != "stop" {
                return bad(
                    "stop-holds",
                    "answer",
                    "A STOP is not answered away. Another pack, or a specialist's written clearance, ends it.".into(),
                );
            }
            if here && spec.figure {
                gate_figure(catalogue, job, given, typed.as_deref())?;
            }
        }
        Body::Quarantine { step } => {
            if here && !catalogue.quarantine.iter().any(|q| &q.id == step) {
                return bad(
                    "unknown-step",
                    "step",
                    format!("The quarantine has no step “{step}”."),
                );
            }
            if here && job.on_pack.stops.is_empty() {
                return bad("no-stop", "step", "There is no STOP on this pack.".into());
            }
        }
        Body::Clearance { text } => {
            if role != Role::Specialist {
                return bad(
                    "not-specialist",
                    "kind",
                    "Only a specialist clears a pack, in writing.".into(),
                );
            }
            if text.trim().chars().count() < 10 {
                return bad(
                    "no-text",
                    "text",
                    "Write what was measured and why the pack is cleared.".into(),
                );
            }
            if here && job.on_pack.stops.iter().any(|s| !s.clearable) {
                return bad(
                    "not-clearable",
                    "kind",
                    "A group below its floor has no clearance: only another pack.".into(),
                );
            }
            if here && standing != Standing::Quarantined {
                return bad(
                    "not-quarantined",
                    "kind",
                    "Record the quarantine first.".into(),
                );
            }
        }
        Body::State { state } => {
            let on = state.battery == Battery::In || state.charger != Charger::Away;
            if on && standing != Standing::Open {
                return bad(
                    "gate-closed",
                    "state",
                    "The gate is not open: pack and charger stay out.".into(),
                );
            }
        }
        Body::Confirmed { need } => {
            let Some(spec) = catalogue.need(need) else {
                if !here {
                    return Ok(());
                }
                return bad(
                    "unknown-need",
                    "need",
                    format!("There is no precondition “{need}”."),
                );
            };
            if spec.id.get_ref() == "specialist" && role != Role::Specialist {
                return bad(
                    "not-specialist",
                    "need",
                    "Only a specialist opens a pack. Refer it to its maker.".into(),
                );
            }
        }
        Body::Reading {
            test,
            result,
            typed,
            minutes,
            ..
        } => {
            check_minutes(*minutes)?;
            if standing == Standing::Stopped {
                return bad(
                    "gate-stopped",
                    "test",
                    "STOP: nothing but isolation and quarantine until they are recorded.".into(),
                );
            }
            if *result == ReadingResult::Figure {
                reading::parse(typed, unit_of(catalogue, test))
                    .map_err(|e| CoreError::entry("bad-reading", "typed", e.to_string()))?;
            }
        }
        Body::Check { minutes, .. } => {
            check_minutes(*minutes)?;
            if standing == Standing::Stopped {
                return bad(
                    "gate-stopped",
                    "test",
                    "STOP: nothing but isolation and quarantine until they are recorded.".into(),
                );
            }
        }
        Body::Skip { reason, .. } => {
            if reason.trim().is_empty() {
                return bad("no-reason", "reason", "Say why it is passed over.".into());
            }
        }
        Body::ByHand { class, reason, .. } => {
            if here && !catalogue.classes.contains_key(class) {
                return bad(
                    "unknown-class",
                    "class",
                    format!("There is no suspect “{class}”."),
                );
            }
            if reason.trim().is_empty() {
                return bad("no-reason", "reason", "Say why: the log keeps it.".into());
            }
        }
        Body::Change { change, .. } => {
            if here {
                owned(job)?;
            }
            let Some(family) = job.family(catalogue) else {
                return bad(
                    "unknown-family",
                    "change",
                    "This vehicle has no wiring model.".into(),
                );
            };
            if job.changes.len() >= MOST_CHANGES {
                return bad(
                    "too-many",
                    "change",
                    format!(
                        "{MOST_CHANGES} differences are noted. What differs more is another vehicle: open it without a wiring model."
                    ),
                );
            }
            let mut changes = job.changes.clone();
            changes.push(change.clone());
            spannung_circuit::Profile::new(family, &changes)
                .map_err(|e| CoreError::entry("bad-change", "change", e.to_string()))?;
        }
        Body::Part {
            old,
            new,
            fate,
            minutes,
            price_cents,
            class,
        } => {
            check_minutes(*minutes)?;
            if standing == Standing::Stopped {
                return bad(
                    "gate-stopped",
                    "kind",
                    "STOP: nothing but isolation and quarantine until they are recorded.".into(),
                );
            }
            let blank = |t: &Option<String>| t.as_ref().is_none_or(|t| t.trim().is_empty());
            if here && class.as_ref().is_some_and(|c| bypasses(catalogue, c)) {
                owned(job)?;
            }
            if blank(old) && blank(new) {
                return bad(
                    "no-part",
                    "new",
                    "Name the part that went out or in.".into(),
                );
            }
            if !blank(old) && fate.is_none() {
                return bad(
                    "no-fate",
                    "fate",
                    "Say what becomes of the old part.".into(),
                );
            }
            if price_cents.is_some_and(|p| !(0..=MOST_CENTS).contains(&p)) {
                return bad(
                    "bad-money",
                    "price_cents",
                    "Money from 0 to 1,000,000 is accepted.".into(),
                );
            }
            if here
                && class
                    .as_ref()
                    .is_some_and(|c| !catalogue.classes.contains_key(c))
            {
                return bad("unknown-class", "class", "There is no such suspect.".into());
            }
        }
        Body::Minutes { minutes, what } => {
            if !minutes.is_finite() || minutes.abs() > 1440.0 {
                return bad(
                    "bad-minutes",
                    "minutes",
                    "Minutes between −1440 and 1440 are accepted.".into(),
                );
            }
            if what.trim().is_empty() {
                return bad("no-reason", "what", "Say what the minutes were for.".into());
            }
            if role == Role::Trainee && *minutes < 0.0 {
                return bad(
                    "not-allowed",
                    "minutes",
                    "A technician takes minutes off.".into(),
                );
            }
        }
        Body::Wait { what, .. } => {
            if what.trim().is_empty() {
                return bad("no-reason", "what", "Say what the job waits for.".into());
            }
        }
        Body::Note { text } => {
            if text.trim().is_empty() || text.chars().count() > 4000 {
                return bad("bad-note", "text", "A note has 1 to 4000 letters.".into());
            }
        }
        Body::Close {
            outcome,
            class,
            recheck,
            ..
        } => {
            if !role.may_release() {
                return bad(
                    "not-allowed",
                    "kind",
                    "A technician hands the vehicle back.".into(),
                );
            }
            if recheck.as_ref().is_some_and(|r| r.what.trim().is_empty()) {
                return bad("no-text", "recheck", "Say what is looked at again.".into());
            }
            if here
                && class
                    .as_ref()
                    .is_some_and(|c| !catalogue.classes.contains_key(c))
            {
                return bad("unknown-class", "class", "There is no such suspect.".into());
            }
            if standing == Standing::Stopped {
                return bad(
                    "gate-stopped",
                    "kind",
                    "Record the quarantine before the job is closed.".into(),
                );
            }
            if standing == Standing::Quarantined
                && matches!(
                    outcome,
                    Outcome::Repaired | Outcome::NoFaultFound | Outcome::HandedBackAsIs
                )
            {
                return bad(
                    "pack-stopped",
                    "outcome",
                    "With this pack stopped the job ends as made safe, declined, referred or scrapped: hand back without it.".into(),
                );
            }
        }
        Body::Void { entry, reason } => {
            let Some(written) = job.written.get(entry) else {
                return bad(
                    "unknown-entry",
                    "entry",
                    "There is no such entry in this job.".into(),
                );
            };
            if !written.can_be_struck_out {
                return bad(
                    "not-voidable",
                    "entry",
                    "This entry cannot be struck out.".into(),
                );
            }
            if job.voided.contains_key(entry) {
                return bad(
                    "struck-out",
                    "entry",
                    "This entry is struck out already.".into(),
                );
            }
            if here && reason.trim().is_empty() {
                return bad(
                    "no-reason",
                    "reason",
                    "Say why it is struck out: the log keeps it.".into(),
                );
            }
            without_change(catalogue, job, *entry)?;
            if job.holds_stop(*entry) {
                return bad(
                    "stop-holds",
                    "entry",
                    "This raised a STOP and is not struck out. Another pack, or a specialist's written clearance, ends it."
                        .into(),
                );
            }
        }
        Body::Pack { sticker, .. } => {
            if sticker.trim().is_empty() || sticker.chars().count() > 80 {
                return bad(
                    "bad-sticker",
                    "sticker",
                    "A sticker has 1 to 24 letters or figures.".into(),
                );
            }
        }
        Body::Customer { .. } | Body::Resume {} | Body::Clock { .. } => {}
        _ => shop::admit(catalogue, job, body, role, standing, here)?,
    }
    Ok(())
}

/// Volts of the fullest pack of a voltage class, over the class: lead at its charger, 2.45 of 2.0 V a cell.
const FULL_BY_CLASS: f64 = 1.225;
/// Volts of a class, as a share, under which a reading at rest is a phantom; estimated. It counts for packs
/// below 15 V, where [`LIVE_VOLTS`] is a live reading.
const LIVE_BY_CLASS: f64 = 1.0 / 3.0;
/// Most that a vehicle, a part or a limit comes to, cents.
const MOST_CENTS: i64 = 100_000_000;
/// Fields of the terms.
const TERMS: [&str; 4] = [
    "promised",
    "value_cents",
    "limit_cents",
    "stop_loss_minutes",
];
/// Drive of a vehicle without a wiring model.
pub const OTHER_DRIVE: &str = "other";
/// Volts such a vehicle may have.
const OTHER_VOLTS: std::ops::RangeInclusive<u16> = 6..=120;

/// Does mending this class change locked electronics: controller, settings, display?
fn bypasses(catalogue: &Catalogue, class: &str) -> bool {
    catalogue.proof.touched_by(class).is_some_and(|t| {
        matches!(
            t.id.get_ref().as_str(),
            "controller" | "settings" | "display"
        )
    })
}

/// Does what remains of the vehicle's changes still make a vehicle when this entry is struck out?
fn without_change(catalogue: &Catalogue, job: &Job, entry: Uuid) -> Result<(), CoreError> {
    let Some(at) = job.changed_by.iter().position(|e| *e == entry) else {
        return Ok(());
    };
    let Some(family) = job.family(catalogue) else {
        return Ok(());
    };
    // where they fit together no more, whatever is struck out is a step to where they do
    if job.misfit(catalogue).is_some() {
        return Ok(());
    }
    let mut left = job.changes.clone();
    left.remove(at);
    spannung_circuit::Profile::new(family, &left)
        .map(|_| ())
        .map_err(|why| {
            CoreError::entry(
                "needed",
                "entry",
                format!("A later change of this vehicle rests on this one ({why}). Strike that one out first."),
            )
        })
}

/// Locked or ex-fleet electronics are not bypassed before a proof of ownership was seen.
fn owned(job: &Job) -> Result<(), CoreError> {
    match &job.ownership {
        Some((true, None)) => Err(CoreError::entry(
            "no-ownership",
            "kind",
            "Locked or ex-fleet: record the proof of ownership before anything is bypassed or exchanged.",
        )),
        _ => Ok(()),
    }
}

fn check_minutes(minutes: f64) -> Result<(), CoreError> {
    if minutes.is_finite() && (0.0..=1440.0).contains(&minutes) {
        Ok(())
    } else {
        Err(CoreError::entry(
            "bad-minutes",
            "minutes",
            "Minutes between 0 and 1440 are accepted.",
        ))
    }
}

/// The floor check: the figure decides, not the button. Between the floors of two chemistries, where
/// no wiring model knows the cells, it is the technician who has to know them.
fn gate_figure(
    catalogue: &Catalogue,
    job: &Job,
    given: &GateAnswer,
    typed: Option<&str>,
) -> Result<(), CoreError> {
    let answer = given.id.as_str();
    if given.result == "open" {
        return Ok(());
    }
    let typed = typed.unwrap_or_default();
    let figure = reading::parse(typed, Some(Unit::Volts))
        .map_err(|e| CoreError::entry("bad-reading", "typed", e.to_string()))?;
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
            "absurd-reading",
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
        "figure-differs",
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
