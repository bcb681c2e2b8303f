//! The record: every line of the log in plain words, and the readings as a table.

use crate::catalogue::Catalogue;
use crate::job::entry::{
    Body, ClaimWants, Fate, Logged, ProofResult, QuoteReply, ReadOn, ReadingResult, WaitKind,
};
use crate::job::fold::Whose;
use crate::job::proof;
use crate::reading::Unit;
use serde::Serialize;
use spannung_circuit::{Change, KnownFrom};
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
    /// An instant it speaks of, shown behind the value: end of a wait, promise, re-check.
    #[serde(with = "time::serde::rfc3339::option")]
    pub when: Option<time::OffsetDateTime>,
    /// Struck out, with the reason.
    pub voided: Option<String>,
    /// Can be struck out.
    pub can_be_struck_out: bool,
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
                when: instant(&e.body),
                can_be_struck_out: e.body.can_be_struck_out() && !voids.contains_key(&e.id),
                voided: voids.get(&e.id).map(|r| (*r).to_string()),
            }
        })
        .collect()
}

/// The instant an entry speaks of.
fn instant(body: &Body) -> Option<time::OffsetDateTime> {
    match body {
        Body::Wait { until, .. } => *until,
        Body::Terms { promised, .. } => *promised,
        Body::Close { recheck, .. } => recheck.as_ref().map(|r| r.by),
        _ => None,
    }
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
        Body::Terms {
            promised,
            value_cents,
            limit_cents,
            stop_loss_minutes,
            set: _,
        } => {
            let mut set = Vec::new();
            let mut note = |name: &str, what: Option<String>| {
                if let Some(what) = what {
                    set.push(format!("{name} {what}"));
                }
            };
            note("vehicle worth", value_cents.map(money));
            note("limit", limit_cents.map(money));
            note("stop and ask after", stop_loss_minutes.map(minutes));
            let tail = if set.is_empty() {
                String::new()
            } else {
                format!(": {}", set.join(", "))
            };
            (
                format!("Promise and limits set{tail}"),
                promised.map_or("", |_| "promised for").into(),
            )
        }
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
        Body::Change { change, source } => (
            format!("Not like this here: {}", change_words(change)),
            source.map_or("", source_words).into(),
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
        Body::Wait {
            wait,
            what,
            until,
            supplier,
        } => {
            let kind = match wait {
                WaitKind::Part => "a part",
                WaitKind::Charge => "a charge",
                WaitKind::Cure => "curing",
                WaitKind::Rest => "rest",
                WaitKind::Customer => "the customer's word",
            };
            let until = until.map_or("", |_| "until");
            let from = supplier
                .as_ref()
                .map_or(String::new(), |s| format!(", from {s}"));
            (format!("Waits for {kind}: {what}{from}"), until.into())
        }
        Body::Ownership { locked, proof } => (
            match (locked, proof.as_ref().filter(|p| !p.trim().is_empty())) {
                (_, Some(seen)) => format!("Proof of ownership seen: {seen}"),
                (true, None) => "Locked or ex-fleet electronics, ownership not proved".into(),
                (false, None) => "Not locked, not from a fleet".into(),
            },
            String::new(),
        ),
        Body::Reference { vehicle } => (
            format!("Identical working vehicle: {vehicle}"),
            String::new(),
        ),
        Body::PointReading {
            point,
            unit,
            on,
            result,
            typed,
            ..
        } => {
            let of = match on {
                ReadOn::This => "",
                ReadOn::Reference => " (working vehicle)",
            };
            let value = match result {
                ReadingResult::Figure => with_unit(typed, *unit),
                ReadingResult::Nothing => "nothing".into(),
                ReadingResult::NotSteady => "not steady".into(),
                ReadingResult::CannotReach => "not reached".into(),
            };
            (format!("{point}{of}"), value)
        }
        Body::Sheet { name, points, .. } => (
            format!("Sheet of points taken over: {name}, unverified"),
            format!("{} points", points.len()),
        ),
        Body::GoodsIn {
            what,
            undamaged,
            complete,
            as_ordered,
            words,
        } => {
            let mut faults = Vec::new();
            if !undamaged {
                faults.push("damaged");
            }
            if !complete {
                faults.push("incomplete");
            }
            if !as_ordered {
                faults.push("not as ordered");
            }
            let state = if faults.is_empty() {
                "good, complete, as ordered".to_string()
            } else {
                faults.join(", ")
            };
            let tail = if words.trim().is_empty() {
                String::new()
            } else {
                format!(". {words}")
            };
            (format!("Arrived: {what}, {state}{tail}"), String::new())
        }
        Body::Claim {
            supplier,
            what,
            facts,
            wants,
        } => {
            let wants = match wants {
                ClaimWants::Replacement => "another one",
                ClaimWants::Refund => "the money back",
                ClaimWants::MissingPart => "the missing piece",
            };
            (
                format!("Claim to {supplier} for {what}: {facts}. Asked: {wants}"),
                String::new(),
            )
        }
        Body::Quote {
            lines,
            minutes: m,
            words,
            terms,
        } => {
            let terms = terms.clone().unwrap_or_default();
            let priced: Vec<(f64, i64)> =
                lines.iter().map(|l| (l.quantity, l.unit_cents)).collect();
            let total = crate::desks::money::sum(&priced, *m, &terms).total_cents;
            let names: Vec<&str> = lines.iter().map(|l| l.what.as_str()).collect();
            let mut text = format!("Quote: {} of labour", minutes(*m));
            if !names.is_empty() {
                text = format!("{text}, {}", names.join(", "));
            }
            if !words.trim().is_empty() {
                text = format!("{text}. {words}");
            }
            (text, format!("{} with tax", money(total)))
        }
        Body::QuoteAnswer {
            answer,
            limit_cents,
            words,
            ..
        } => {
            let said = match answer {
                QuoteReply::Accepted => "accepted",
                QuoteReply::Declined => "declined",
                QuoteReply::Less => "for less",
                QuoteReply::NoAnswer => "no answer yet",
            };
            let tail = if words.trim().is_empty() {
                String::new()
            } else {
                format!(": “{words}”")
            };
            (
                format!("Quote {said}{tail}"),
                limit_cents.map_or(String::new(), |c| format!("up to {}", money(c))),
            )
        }
        Body::Reassembly {
            part,
            step,
            orientation,
            lubricant,
            torque_nm,
        } => {
            let mut text = format!("Goes together, {step}: {part}");
            for extra in [orientation, lubricant] {
                if !extra.trim().is_empty() {
                    text = format!("{text}, {extra}");
                }
            }
            (
                text,
                torque_nm.map_or(String::new(), |t| format!("{t} N·m")),
            )
        }
        Body::Clock { run } => (
            if *run { "Clock runs" } else { "Clock pauses" }.into(),
            String::new(),
        ),
        Body::OpenItem { item, what } => {
            let name = catalogue
                .proof
                .item(item)
                .map_or(item.clone(), |i| i.name.clone());
            (format!("Left open: {name}, {what}"), String::new())
        }
        Body::CloseItem { item, how } => (
            format!("Closed: {}, {how}", item_name(catalogue, entries, item)),
            String::new(),
        ),
        Body::Proof {
            check,
            result,
            typed,
            words,
            still,
            ..
        } => {
            let spec = catalogue.proof.find(check);
            let name = spec.map_or(check.clone(), |c| c.name.clone());
            let judged = spec
                .and_then(|c| proof::judge(c, *result, typed))
                .unwrap_or(*result);
            let said = match judged {
                ProofResult::Pass => "passed",
                ProofResult::Fail => "failed",
                ProofResult::NotFitted => "not fitted",
            };
            let tail = if words.trim().is_empty() {
                String::new()
            } else {
                format!(": {words}")
            };
            let name_of = |id: &String| {
                let name = catalogue.symptom(id).map_or(id.as_str(), |s| &s.name);
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
            (
                format!("Proof, {}: {said}{tail}", name.to_lowercase()),
                value,
            )
        }
        Body::Except { what, reason } => (
            format!("Let go: {} ({reason})", item_name(catalogue, entries, what)),
            String::new(),
        ),
        Body::OwnerSheet { lines } => (
            "Owner's operating sheet written".into(),
            format!("{} lines", lines.len()),
        ),
        Body::Photo { caption, .. } => (
            if caption.trim().is_empty() {
                "Photo".into()
            } else {
                format!("Photo: {caption}")
            },
            String::new(),
        ),
        Body::Resume {} => ("The wait is over".into(), String::new()),
        Body::Note { text } => (format!("Note: {text}"), String::new()),
        Body::Void { entry, reason } => {
            // one that strikes out another one that strikes out: an older log may hold it, even a ring of them
            let of = entries
                .iter()
                .find(|e| e.id == *entry && !matches!(e.body, Body::Void { .. }));
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
            recheck,
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
                recheck.as_ref().map_or(String::new(), |r| {
                    let km = r.km.map_or(String::new(), |k| format!(" after {k} km or"));
                    format!("re-check{km} by")
                }),
            )
        }
    }
}

/// Minutes somebody spent.
#[derive(Debug, Clone, PartialEq)]
pub struct Spent {
    /// When.
    pub at: time::OffsetDateTime,
    /// Who.
    pub by: String,
    /// Minutes; a correction may be below zero.
    pub minutes: f64,
    /// What for.
    pub what: String,
}

/// The minutes of a job line by line: tests, parts, other work, and what clocks counted. What was done
/// while its person's clock ran is in the clock's time and stands with 0.
pub fn time(entries: &[Logged], test_name: TestName<'_>) -> Vec<Spent> {
    let voided: Vec<Uuid> = entries
        .iter()
        .filter_map(|e| match e.body {
            Body::Void { entry, .. } => Some(entry),
            _ => None,
        })
        .collect();
    let mut running: BTreeMap<Whose, (time::OffsetDateTime, &str)> = BTreeMap::new();
    let mut out = Vec::new();
    for e in entries.iter().filter(|e| !voided.contains(&e.id)) {
        let (minutes, what) = match &e.body {
            Body::Reading { test, minutes, .. } | Body::Check { test, minutes, .. } => {
                (*minutes, test_name(test))
            }
            Body::PointReading { point, minutes, .. } => (*minutes, point.clone()),
            Body::Proof { check, minutes, .. } => (*minutes, format!("proof, {check}")),
            Body::Part {
                new, old, minutes, ..
            } => (
                *minutes,
                new.clone().or_else(|| old.clone()).unwrap_or_default(),
            ),
            Body::Minutes { minutes, what } => {
                out.push(Spent {
                    at: e.at,
                    by: e.by.clone(),
                    minutes: *minutes,
                    what: what.clone(),
                });
                continue;
            }
            Body::Clock { run: true } => {
                running.entry(Whose::of(e)).or_insert((e.at, &e.by));
                continue;
            }
            Body::Clock { run: false } => match running.remove(&Whose::of(e)) {
                Some((since, _)) => {
                    let minutes = crate::job::fold::between(since, e.at);
                    out.push(Spent {
                        at: e.at,
                        by: e.by.clone(),
                        minutes,
                        what: "clock".into(),
                    });
                    continue;
                }
                None => continue,
            },
            Body::Close { .. } => {
                for (since, by) in std::mem::take(&mut running).into_values() {
                    out.push(Spent {
                        at: e.at,
                        by: by.into(),
                        minutes: crate::job::fold::between(since, e.at),
                        what: "clock".into(),
                    });
                }
                continue;
            }
            _ => continue,
        };
        let minutes = if running.contains_key(&Whose::of(e)) {
            0.0
        } else {
            minutes
        };
        out.push(Spent {
            at: e.at,
            by: e.by.clone(),
            minutes,
            what,
        });
    }
    out
}

/// A typed figure with its unit, unless it carries one.
fn with_unit(typed: &str, unit: Unit) -> String {
    match crate::reading::parse(typed, Some(unit)) {
        Ok(f) if f.over_range => "OL".into(),
        Ok(f) if (f.low - f.high).abs() < 1e-12 => crate::reading::show_text(f.low, unit),
        Ok(f) => crate::reading::show_range(f.low, f.high, unit),
        Err(_) => typed.into(),
    }
}

/// Name of an open item or check by its key.
fn item_name(catalogue: &Catalogue, entries: &[Logged], key: &str) -> String {
    if let Some(check) = catalogue.proof.find(key) {
        return check.name.clone();
    }
    if let Some(rest) = key.strip_prefix("consumable.") {
        let what = rest.split_once('.').map_or(rest, |(_, w)| w);
        return what.replace('-', " ");
    }
    let written = entries.iter().find(|e| e.id.to_string() == key);
    match written.map(|e| &e.body) {
        Some(Body::OpenItem { item, what }) => {
            let name = catalogue
                .proof
                .item(item)
                .map_or(item.clone(), |i| i.name.to_lowercase());
            format!("{name}, {what}")
        }
        _ => key.into(),
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

fn source_words(source: KnownFrom) -> &'static str {
    match source {
        KnownFrom::Label => "from its label",
        KnownFrom::Measured => "measured",
        KnownFrom::Told => "told by the owner",
        KnownFrom::Guessed => "guessed",
    }
}

fn change_words(change: &spannung_circuit::Change) -> String {
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
        Change::Pack {
            groups,
            chemistry,
            parallel,
            amp_hours,
        } => {
            let mut words = format!("pack of {groups} groups in series");
            if let Some(parallel) = parallel {
                words += &format!(", {parallel} cells side by side");
            }
            if let Some(amp_hours) = amp_hours {
                words += &format!(", {amp_hours} Ah");
            }
            if let Some(chemistry) = chemistry {
                words += &format!(", {chemistry}");
            }
            words
        }
        Change::Figure { figure, value } => format!("{figure} is {value}"),
        Change::Gauge { strand, mm2 } => format!("{strand} has wires of {mm2} mm²"),
        Change::Order { strand, pins } => {
            let pins: Vec<String> = pins.iter().map(u8::to_string).collect();
            format!("{strand}: the wires sit on pins {}", pins.join(", "))
        }
        Change::HallSpacing { degrees } => format!("halls {degrees}° apart"),
        Change::Alteration { id, present } => {
            format!("{}: {id}", if *present { "altered" } else { "not altered" })
        }
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
