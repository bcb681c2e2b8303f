//! What the shop writes besides readings: ownership, points by hand, arrivals, quotes, reassembly, open
//! items, the proof, exceptions, photos.

use super::{check_minutes, owned};
use crate::catalogue::Catalogue;
use crate::error::CoreError;
use crate::job::entry::{Body, ProofResult, QuoteReply, ReadingResult, Role};
use crate::job::fold::Job;
use crate::job::gate::Standing;
use crate::job::items::{self, Opened};
use crate::job::proof::{self, COMPLAINT};
use crate::reading;
use crate::reading::scaled::parse_in;

/// A text that must be there and not be endless.
fn text(field: &'static str, value: &str, most: usize, ask: &str) -> Result<(), CoreError> {
    let letters = value.trim().chars().count();
    if letters == 0 || letters > most {
        return Err(CoreError::entry(
            "no-text",
            field,
            format!("{ask} 1 to {most} letters are accepted."),
        ));
    }
    Ok(())
}

/// A text that may be left out.
fn maybe(field: &'static str, value: &str, most: usize) -> Result<(), CoreError> {
    if value.chars().count() > most {
        return Err(CoreError::entry(
            "too-long",
            field,
            format!("{most} letters are enough here."),
        ));
    }
    Ok(())
}

/// As [`super::admit`], for the kinds of this module.
pub(super) fn admit(
    catalogue: &Catalogue,
    job: &Job,
    body: &Body,
    role: Role,
    standing: Standing,
    here: bool,
) -> Result<(), CoreError> {
    let bad = |code, field, message: &str| Err(CoreError::entry(code, field, message));
    match body {
        Body::Ownership { locked, proof } => {
            if role == Role::Trainee {
                return bad(
                    "not-allowed",
                    "kind",
                    "A technician looks at the proof of ownership.",
                );
            }
            if let Some(seen) = proof {
                maybe("proof", seen, 400)?;
            }
            let blank = proof.as_ref().is_none_or(|p| p.trim().is_empty());
            let held = matches!(&job.ownership, Some((true, None)));
            if here && held && !*locked && blank {
                return bad(
                    "no-ownership",
                    "proof",
                    "It was noted as locked or ex-fleet. Record the proof that was seen.",
                );
            }
        }
        Body::Reference { vehicle } => {
            text("vehicle", vehicle, 200, "Say which working vehicle it is.")?;
        }
        Body::PointReading {
            point,
            unit,
            result,
            typed,
            minutes,
            ..
        } => {
            text("point", point, 80, "Name the point.")?;
            check_minutes(*minutes)?;
            if standing == Standing::Stopped {
                return bad(
                    "gate-stopped",
                    "kind",
                    "STOP: nothing but isolation and quarantine until they are recorded.",
                );
            }
            if standing == Standing::Asking {
                return bad(
                    "gate-closed",
                    "kind",
                    "The gate is not open: look at the battery first.",
                );
            }
            if *result == ReadingResult::Figure {
                reading::parse(typed, Some(*unit))
                    .map_err(|e| CoreError::entry("bad-reading", "typed", e.to_string()))?;
            }
        }
        Body::Sheet { name, points, .. } => {
            text("name", name, 120, "Name the sheet.")?;
            if points.is_empty() || points.len() > 200 {
                return bad("bad-sheet", "points", "A sheet has 1 to 200 points.");
            }
            for p in points {
                text("points", &p.point, 80, "Name the point.")?;
                reading::parse(&p.expected, Some(p.unit))
                    .map_err(|e| CoreError::entry("bad-reading", "points", e.to_string()))?;
            }
        }
        Body::GoodsIn {
            what,
            undamaged,
            complete,
            as_ordered,
            words,
        } => {
            text("what", what, 200, "Name what arrived.")?;
            maybe("words", words, 1000)?;
            let good = *undamaged && *complete && *as_ordered;
            if !good && words.trim().is_empty() {
                return bad(
                    "no-reason",
                    "words",
                    "Say what is wrong with it: a claim needs the facts.",
                );
            }
        }
        Body::Claim {
            supplier,
            what,
            facts,
            ..
        } => {
            text("supplier", supplier, 120, "Name the supplier.")?;
            text("what", what, 200, "Name the part.")?;
            text("facts", facts, 2000, "Write the facts of the claim.")?;
        }
        Body::Quote {
            lines,
            minutes,
            words,
            ..
        } => {
            check_minutes(*minutes)?;
            maybe("words", words, 1000)?;
            if lines.len() > 60 || (lines.is_empty() && *minutes <= 0.0) {
                return bad(
                    "bad-quote",
                    "lines",
                    "A quote has minutes, or 1 to 60 lines.",
                );
            }
            for l in lines {
                text("lines", &l.what, 200, "Name each line.")?;
                let fits = l.quantity.is_finite()
                    && (0.001..=10_000.0).contains(&l.quantity)
                    && (0..=100_000_000).contains(&l.unit_cents);
                if !fits {
                    return bad(
                        "bad-money",
                        "lines",
                        "A line has a quantity above zero and a price of 0 to 1,000,000.",
                    );
                }
            }
        }
        Body::QuoteAnswer {
            quote,
            answer,
            limit_cents,
            words,
        } => {
            maybe("words", words, 1000)?;
            let binds = matches!(answer, QuoteReply::Accepted | QuoteReply::Less);
            if role == Role::Trainee && binds {
                return bad(
                    "not-allowed",
                    "answer",
                    "A technician takes the customer's yes.",
                );
            }
            let Some(q) = job.quotes.iter().find(|q| q.mark.entry == *quote) else {
                return bad("unknown-quote", "quote", "There is no such quote.");
            };
            if !q.open() {
                return bad(
                    "answered",
                    "quote",
                    "This quote is answered. Write another one for a new price.",
                );
            }
            if *answer == QuoteReply::Less && limit_cents.is_none_or(|c| c <= 0) {
                return bad(
                    "no-limit",
                    "limit_cents",
                    "Less: up to which sum, tax included?",
                );
            }
        }
        Body::Reassembly {
            part,
            step,
            orientation,
            lubricant,
            torque_nm,
        } => {
            text("part", part, 120, "Name the part.")?;
            maybe("orientation", orientation, 300)?;
            maybe("lubricant", lubricant, 200)?;
            if *step == 0 || *step > 200 {
                return bad("bad-step", "step", "Steps go from 1 to 200.");
            }
            if torque_nm.is_some_and(|t| !t.is_finite() || !(0.1..=300.0).contains(&t)) {
                return bad(
                    "bad-torque",
                    "torque_nm",
                    "A torque of 0.1 to 300 N·m is accepted.",
                );
            }
        }
        Body::OpenItem { item, what } => {
            if here && catalogue.proof.item(item).is_none() {
                return bad("unknown-item", "item", "There is no such open item.");
            }
            text("what", what, 200, "Say what and where.")?;
            if here && item == "bench-override" {
                owned(job)?;
            }
        }
        Body::Proof {
            check,
            result,
            typed,
            words,
            still,
            minutes,
        } => {
            check_minutes(*minutes)?;
            maybe("words", words, 400)?;
            if !here {
                return Ok(());
            }
            admit_proof(catalogue, job, check, *result, typed, words, role, standing)?;
            if !still.is_empty() && (check != COMPLAINT || *result != ProofResult::Fail) {
                return bad(
                    "not-the-complaint",
                    "still",
                    "What still shows is said of a complaint that failed its check.",
                );
            }
            let told = |id: &String| job.symptoms.iter().any(|s| &s.0 == id && s.1 == Some(true));
            if let Some(id) = still.keys().find(|id| !told(id)) {
                let words = format!("“{id}” was not told of this vehicle.");
                return bad("not-told", "still", &words);
            }
        }
        Body::Except { reason, .. } => {
            if !role.may_except() {
                return bad(
                    "not-allowed",
                    "kind",
                    "Only a technician or specialist lets something go, with a reason that prints.",
                );
            }
            if reason.trim().chars().count() < 5 {
                return bad(
                    "no-reason",
                    "reason",
                    "Say why: the reason prints on the report.",
                );
            }
            maybe("reason", reason, 400)?;
        }
        Body::CloseItem { how, .. } => {
            text("how", how, 300, "Say how it was closed.")?;
        }
        Body::OwnerSheet { lines } => {
            if lines.is_empty() || lines.len() > 20 {
                return bad("bad-sheet", "lines", "The sheet has 1 to 20 lines.");
            }
            for l in lines {
                text("lines", l, 400, "No line is empty.")?;
            }
        }
        Body::Photo { caption, of, .. } => {
            maybe("caption", caption, 200)?;
            if !here && of.is_some_and(|of| !job.written.contains_key(&of)) {
                return bad(
                    "unknown-entry",
                    "of",
                    "It belongs to an entry that does not stand before it.",
                );
            }
        }
        _ => {}
    }
    Ok(())
}

#[allow(clippy::too_many_arguments)]
fn admit_proof(
    catalogue: &Catalogue,
    job: &Job,
    check: &str,
    result: ProofResult,
    typed: &str,
    words: &str,
    role: Role,
    standing: Standing,
) -> Result<(), CoreError> {
    let bad = |code, field, message: String| Err(CoreError::entry(code, field, message));
    let Some(spec) = catalogue.proof.find(check) else {
        return bad(
            "unknown-check",
            "check",
            format!("There is no check “{check}”."),
        );
    };
    if spec.before_a_ride && role == Role::Trainee {
        return bad(
            "not-allowed",
            "check",
            format!("A technician proves it: {}.", spec.name.to_lowercase()),
        );
    }
    if result == ProofResult::NotFitted {
        if spec.part.is_none() || job.family(catalogue).is_some() {
            return bad(
                "fitted",
                "result",
                format!("{} cannot be left out: unknown is never a pass.", spec.name),
            );
        }
        return text("words", words, 400, "Say what it has instead.");
    }
    // what a technician sees with everything off can be checked at any gate
    if spec.need.is_some() && standing != Standing::Open {
        return bad(
            "gate-closed",
            "check",
            "The gate is not open: nothing is switched on.".into(),
        );
    }
    if let Some(need) = &spec.need {
        if need == "specialist" && role != Role::Specialist {
            return bad(
                "not-specialist",
                "check",
                "Only a specialist opens a pack. Refer it to its maker.".into(),
            );
        }
        if !job.confirmed.contains_key(need) {
            let ask = catalogue.need(need).map_or(need.clone(), |n| n.ask.clone());
            return bad("not-confirmed", "check", format!("First confirm: {ask}"));
        }
        if need == "ride-safe" {
            let open = proof::before_a_ride(catalogue, job);
            if let Some(first) = open.first() {
                return bad(
                    "ride-first",
                    "check",
                    format!("No ride before {} is proved.", first.name.to_lowercase()),
                );
            }
        }
    }
    if let Some(unit) = &spec.unit
        && let Err(why) = parse_in(typed, unit)
    {
        return bad("bad-reading", "typed", why.to_string());
    }
    if result == ProofResult::Fail && spec.unit.is_none() && words.trim().is_empty() {
        return bad(
            "no-reason",
            "words",
            "Say what was seen: it goes back to the Bench.".into(),
        );
    }
    Ok(())
}

/// What needs to know which places were opened: closing an item, letting something go, the hand-back.
/// `opened` is empty for a vehicle without a wiring model.
///
/// # Errors
/// An item or check that is not there or not open, one that nobody may except, a hand-back that is held.
pub fn with_opened(
    catalogue: &Catalogue,
    job: &Job,
    opened: &[Opened],
    body: &Body,
) -> Result<(), CoreError> {
    let bad = |code, field, message: String| Err(CoreError::entry(code, field, message));
    let open_item = |key: &str| {
        items::items(catalogue, job, opened)
            .into_iter()
            .find(|i| i.key == key && i.standing == items::ItemStanding::Open)
    };
    match body {
        Body::CloseItem { item, .. } => match open_item(item) {
            None => bad("unknown-item", "item", "This item is not open.".into()),
            Some(i) if i.by_state => bad("by-state", "item", i.detail),
            Some(_) => Ok(()),
        },
        Body::Except { what, .. } => {
            if let Some(check) = catalogue.proof.find(what) {
                return if check.blocker {
                    bad(
                        "cannot-except",
                        "what",
                        format!("{} can hurt somebody: nobody lets it go.", check.name),
                    )
                } else {
                    Ok(())
                };
            }
            match open_item(what) {
                None => bad(
                    "unknown-item",
                    "what",
                    "There is no such check or item.".into(),
                ),
                Some(i) if !i.may_except => bad(
                    "cannot-except",
                    "what",
                    format!(
                        "{} is closed before the vehicle leaves: nobody lets it go.",
                        i.name
                    ),
                ),
                Some(_) => Ok(()),
            }
        }
        Body::Close { outcome, .. } => {
            let holds = proof::holds(catalogue, job, opened, *outcome);
            match holds.first() {
                None => Ok(()),
                Some(first) if holds.len() == 1 => {
                    bad("held", "outcome", format!("The hand-back is held. {first}"))
                }
                Some(first) => bad(
                    "held",
                    "outcome",
                    format!(
                        "The hand-back is held by {} things. First: {first}",
                        holds.len()
                    ),
                ),
            }
        }
        _ => Ok(()),
    }
}
