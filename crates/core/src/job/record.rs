//! The record: every line of the log in plain words, and the readings as a table.

use crate::catalogue::Catalogue;
use crate::job::entry::{Body, Fate, Logged, ReadingResult, WaitKind};
use serde::Serialize;
use std::collections::BTreeMap;
use utoipa::ToSchema;
use uuid::Uuid;

/// A line of the record.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Line {
    /// Entry.
    pub entry: Uuid,
    /// Sequence.
    pub seq: i64,
    /// When.
    #[serde(with = "time::serde::rfc3339")]
    pub at: time::OffsetDateTime,
    /// Who.
    pub by: String,
    /// Kind of entry.
    pub kind: String,
    /// In words.
    pub text: String,
    /// Value at the right: figure, minutes or price.
    pub value: String,
    /// Struck out, with the reason.
    pub voided: Option<String>,
}

/// Names of tests, given by whoever knows the vehicle's model.
pub type TestName<'a> = &'a dyn Fn(&str) -> String;

fn minutes(m: f64) -> String {
    format!("{m:.1} min").replace(".0 min", " min")
}

/// The lines of a job's record, in the order of the log.
pub fn lines(catalogue: &Catalogue, entries: &[Logged], test_name: TestName<'_>) -> Vec<Line> {
    let voids: BTreeMap<Uuid, &str> = entries
        .iter()
        .filter_map(|e| match &e.body {
            Body::Void { entry, reason } => Some((*entry, reason.as_str())),
            _ => None,
        })
        .collect();
    entries
        .iter()
        .map(|e| {
            let (text, value) = words(catalogue, entries, &e.body, test_name);
            Line {
                entry: e.id,
                seq: e.seq,
                at: e.at,
                by: e.by.clone(),
                kind: e.body.kind().into(),
                text,
                value,
                voided: voids.get(&e.id).map(|r| (*r).to_string()),
            }
        })
        .collect()
}

fn words(
    catalogue: &Catalogue,
    entries: &[Logged],
    body: &Body,
    test_name: TestName<'_>,
) -> (String, String) {
    let yes = |y: &Option<bool>| match y {
        Some(true) => "yes",
        Some(false) => "no",
        None => "not known",
    };
    let class_name = |id: &str| {
        catalogue
            .classes
            .get(id)
            .map_or(id.to_string(), |c| c.name.clone())
    };
    let money = |c: i64| format!("{}.{:02}", c / 100, c % 100);
    match body {
        Body::Opened {
            words,
            volts_class,
            drive,
            ..
        } => (
            format!(
                "Job opened: “{words}”, {volts_class} V, {}",
                drive.replace('-', " ")
            ),
            String::new(),
        ),
        Body::Vehicle {
            name, frame_number, ..
        } => {
            let frame = frame_number
                .as_ref()
                .map_or(String::new(), |f| format!(", frame {f}"));
            (format!("Vehicle: {name}{frame}"), String::new())
        }
        Body::Symptom {
            symptom,
            yes: y,
            by_customer,
        } => {
            let name = catalogue
                .symptom(symptom)
                .map_or(symptom.clone(), |s| s.name.clone());
            let who = if *by_customer { "told" } else { "seen" };
            (format!("{name} ({who})"), yes(y).into())
        }
        Body::Risk { risk, yes: y } => {
            let name = catalogue
                .risks
                .iter()
                .find(|r| &r.id == risk)
                .map_or(risk.clone(), |r| r.name.clone());
            (name, yes(y).into())
        }
        Body::Customer { .. } => ("Customer's card attached".into(), String::new()),
        Body::Terms { limit_cents, .. } => (
            "Promise and limits set".into(),
            limit_cents.map_or(String::new(), |c| format!("limit {}", money(c))),
        ),
        Body::Pack { sticker, .. } => (format!("Pack: sticker {sticker}"), String::new()),
        Body::Gate {
            check,
            answer,
            typed,
        } => {
            let spec = catalogue.gate_check(check);
            let name = spec.map_or(check.clone(), |c| c.name.clone());
            let given = spec.and_then(|c| c.answers.iter().find(|a| &a.id == answer));
            let words = given.map_or(answer.clone(), |a| a.name.clone());
            (
                format!("Gate, {}: {words}", name.to_lowercase()),
                typed.clone().unwrap_or_default(),
            )
        }
        Body::Quarantine { step } => {
            let spec = catalogue.quarantine.iter().find(|q| &q.id == step);
            (
                format!(
                    "Quarantine: {}",
                    spec.map_or(step.clone(), |q| q.name.to_lowercase())
                ),
                String::new(),
            )
        }
        Body::Clearance { text } => (
            format!("Pack cleared by a specialist: {text}"),
            String::new(),
        ),
        Body::State { state } => (
            format!("Stands: {}", crate::job::bench::state_words(state)),
            String::new(),
        ),
        Body::Confirmed { need } => {
            let ask = catalogue.need(need).map_or(need.clone(), |n| n.ask.clone());
            (
                format!("Confirmed: {}", ask.trim_end_matches('?')),
                String::new(),
            )
        }
        Body::Reading {
            test,
            result,
            typed,
            ..
        } => {
            let value = match result {
                ReadingResult::Figure => typed.clone(),
                ReadingResult::Nothing => "nothing".into(),
                ReadingResult::NotSteady => "not steady".into(),
                ReadingResult::CannotReach => "not reached".into(),
            };
            (test_name(test), value)
        }
        Body::Check { test, outcome, .. } => {
            let spec = catalogue.procedures.iter().find(|p| p.id.get_ref() == test);
            let words = spec.and_then(|p| p.outcomes.get(outcome).cloned());
            (
                test_name(test),
                words.unwrap_or_else(|| outcome.replace('-', " ")),
            )
        }
        Body::Skip { test, reason } => (
            format!("Passed over: {} ({reason})", test_name(test)),
            String::new(),
        ),
        Body::ByHand { class, out, reason } => {
            let act = match out {
                Some(true) => "Ruled out by hand",
                Some(false) => "Ruled in by hand",
                None => "Left to the readings again",
            };
            (
                format!("{act}: {} ({reason})", class_name(class)),
                String::new(),
            )
        }
        Body::Change { change } => (
            format!("Not like this here: {}", change_words(change)),
            String::new(),
        ),
        Body::Part {
            old,
            fate,
            new,
            class,
            minutes: m,
            price_cents,
        } => {
            let mut text = String::new();
            if let Some(old) = old.as_ref().filter(|o| !o.is_empty()) {
                text = format!("Out: {old}");
                if let Some(fate) = fate {
                    text = format!("{text} ({})", fate_words(*fate));
                }
            }
            if let Some(new) = new.as_ref().filter(|n| !n.is_empty()) {
                text = if text.is_empty() {
                    format!("In: {new}")
                } else {
                    format!("{text}. In: {new}")
                };
            }
            if let Some(class) = class {
                text = format!("{text}. Mends: {}", class_name(class).to_lowercase());
            }
            let price = price_cents.map_or(String::new(), |c| format!(", {}", money(c)));
            (text, format!("{}{price}", minutes(*m)))
        }
        Body::Minutes { minutes: m, what } => (what.clone(), minutes(*m)),
        Body::Wait { wait, what, until } => {
            let kind = match wait {
                WaitKind::Part => "a part",
                WaitKind::Charge => "a charge",
                WaitKind::Cure => "curing",
                WaitKind::Rest => "rest",
                WaitKind::Customer => "the customer's word",
            };
            let until = until.map_or(String::new(), |u| {
                format!("until {} {:02}:{:02}", u.date(), u.hour(), u.minute())
            });
            (format!("Waits for {kind}: {what}"), until)
        }
        Body::Resume {} => ("The wait is over".into(), String::new()),
        Body::Note { text } => (format!("Note: {text}"), String::new()),
        Body::Void { entry, reason } => {
            let of = entries.iter().find(|e| e.id == *entry);
            let what = of.map_or_else(
                || "an entry".into(),
                |e| words(catalogue, entries, &e.body, test_name).0,
            );
            (format!("Struck out: {what} ({reason})"), String::new())
        }
        Body::Close {
            outcome,
            class,
            cause_confirmed,
            words,
            ..
        } => {
            let mended = class.as_ref().map_or(String::new(), |c| {
                format!(", mended: {}", class_name(c).to_lowercase())
            });
            let cause = if *cause_confirmed {
                "cause confirmed"
            } else {
                "cause not confirmed"
            };
            let tail = if words.is_empty() {
                String::new()
            } else {
                format!(". {words}")
            };
            (
                format!("Closed: {}{mended}, {cause}{tail}", outcome.words()),
                String::new(),
            )
        }
    }
}

/// What becomes of an old part, in words.
pub fn fate_words(fate: Fate) -> &'static str {
    match fate {
        Fate::Returned => "returned to the customer",
        Fate::Kept => "kept",
        Fate::Recycled => "recycled",
        Fate::HazardousWaste => "hazardous waste",
    }
}

fn change_words(change: &spannung_circuit::Change) -> String {
    use spannung_circuit::Change;
    match change {
        Change::Colour { strand, pin, code } => format!("{strand} pin {pin} is {code}"),
        Change::ExtraWire {
            strand,
            code,
            function,
        } => format!("{strand} has one more wire, {code}, {function}"),
        Change::NormallyClosedBrake { strand } => format!("{strand} opens when squeezed"),
        Change::PullUp { lines, volts } => format!("{lines} pulled up to {volts} V"),
        Change::Plug {
            plug, name, pins, ..
        } => format!("{plug} is “{name}” with {pins} pins"),
    }
}

/// A text cell that no spreadsheet takes for a formula: a quote before `=`, `+`, `-`, `@`, tab or
/// return. Figures are written as figures elsewhere and stay untouched.
pub fn guarded(text: &str) -> String {
    if text.starts_with(['=', '+', '-', '@', '\t', '\r']) {
        format!("'{text}")
    } else {
        text.to_string()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn formulas_are_guarded() {
        assert_eq!(guarded("=1+2"), "'=1+2");
        assert_eq!(guarded("@sum"), "'@sum");
        assert_eq!(guarded("Hall supply"), "Hall supply");
    }
}
