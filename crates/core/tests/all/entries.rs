//! Every kind of entry: what it reads like in the record, that it goes out and comes in again as it was,
//! and what is refused with which code.

use crate::common::samples::{id, samples};
use crate::common::{Log, catalogue};
use serde_json::{Value, json};
use spannung_core::job::entry::{Body, KINDS, Role};
use spannung_core::job::record;
use std::collections::BTreeSet;

fn body(value: Value) -> Body {
    serde_json::from_value(value.clone()).unwrap_or_else(|e| panic!("{value}: {e}"))
}

#[test]
fn every_kind_has_a_line_in_the_record_and_reads_back() {
    let mut log = Log::default();
    for (value, _) in samples() {
        let read = body(value);
        let again: Body = serde_json::from_str(&serde_json::to_string(&read).unwrap()).unwrap();
        assert_eq!(again, read);
        log.add(read);
    }
    let lines = record::lines(catalogue(), &log.entries, &|t| format!("test {t}"));
    let mut kinds = BTreeSet::new();
    for (line, (_, words)) in lines.iter().zip(samples()) {
        let all = format!("{} {}", line.text, line.value);
        assert!(line.text.chars().count() > 2, "{}: “{all}”", line.kind);
        assert!(all.contains(words), "{}: “{all}”", line.kind);
        for left_over in ["Some(", "None", "{", "OffsetDateTime", "NaN"] {
            assert!(!all.contains(left_over), "{}: “{all}”", line.kind);
        }
        kinds.insert(line.kind.clone());
    }
    assert_eq!(kinds.len(), samples().len(), "one of every kind");
    let when = |kind: &str| lines.iter().find(|l| l.kind == kind).unwrap().when;
    assert!(when("wait").is_some() && when("close").is_some());
    let note = lines.iter().find(|l| l.kind == "note").unwrap();
    assert_eq!(note.voided.as_deref(), Some("not this bike"));
    assert!(!note.can_be_struck_out);
    for line in &lines {
        let holds = [
            "gate",
            "pack",
            "clearance",
            "proof",
            "close",
            "void",
            "opened",
        ];
        assert!(
            !(holds.contains(&line.kind.as_str()) && line.can_be_struck_out),
            "{}",
            line.kind
        );
    }
}

/// What was looked at and is not so is named as on the page, never by its key.
#[test]
fn what_is_ruled_out_has_a_name() {
    let mut log = Log::default();
    let ruled = [
        ("built:lights=lamp-on-12v", "lamp on 12 V"),
        ("built:brakes-at-12", "12 V"),
        ("throttle", "Throttle"),
    ];
    for (class, _) in ruled {
        log.add(body(
            json!({"kind": "by-hand", "class": class, "out": true, "reason": "seen"}),
        ));
    }
    let lines = record::lines(catalogue(), &log.entries, &|t| format!("test {t}"));
    for (line, (class, name)) in lines.iter().zip(ruled) {
        assert!(line.text.contains(name), "{}", line.text);
        assert!(!line.text.contains(class), "{}", line.text);
    }
}

#[test]
fn what_does_not_fit_is_refused_with_its_code() {
    let mut log = Log::with_pack();
    log.clear_gate();
    let long = "x".repeat(3000);
    let rows: Vec<(Value, Role, &str)> = vec![
        (
            json!({"kind": "opened", "words": "Again", "volts_class": 48, "drive": "geared-hub"}),
            Role::Technician,
            "already-open",
        ),
        (
            json!({"kind": "vehicle", "name": " "}),
            Role::Technician,
            "bad-name",
        ),
        (
            json!({"kind": "vehicle", "name": "A", "frame_number": long}),
            Role::Technician,
            "too-long",
        ),
        (
            json!({"kind": "symptom", "symptom": "S99", "yes": true, "by_customer": true}),
            Role::Technician,
            "unknown-symptom",
        ),
        (
            json!({"kind": "risk", "risk": "?", "yes": true}),
            Role::Technician,
            "unknown-risk",
        ),
        (
            json!({"kind": "terms", "limit_cents": -1}),
            Role::Technician,
            "bad-money",
        ),
        (
            json!({"kind": "terms", "value_cents": i64::MAX}),
            Role::Technician,
            "bad-number",
        ),
        (
            json!({"kind": "terms", "stop_loss_minutes": 1e9}),
            Role::Technician,
            "bad-minutes",
        ),
        (
            json!({"kind": "reference", "vehicle": ""}),
            Role::Technician,
            "no-text",
        ),
        (
            json!({"kind": "point-reading", "point": "A", "unit": "volts", "on": "this", "result": "figure", "typed": "4k7"}),
            Role::Technician,
            "bad-reading",
        ),
        (
            json!({"kind": "sheet", "sheet": id(4), "name": "A", "points": []}),
            Role::Technician,
            "bad-sheet",
        ),
        (
            json!({"kind": "gate", "check": "colour", "answer": "red"}),
            Role::Technician,
            "unknown-check",
        ),
        (
            json!({"kind": "gate", "check": "shape", "answer": "round"}),
            Role::Technician,
            "unknown-answer",
        ),
        (
            json!({"kind": "goods-in", "what": "Display", "undamaged": false, "complete": true, "as_ordered": true}),
            Role::Technician,
            "no-reason",
        ),
        (
            json!({"kind": "claim", "supplier": "A", "what": "B", "facts": "", "wants": "refund"}),
            Role::Technician,
            "no-text",
        ),
        (
            json!({"kind": "quote", "lines": [], "minutes": 0}),
            Role::Technician,
            "bad-quote",
        ),
        (
            json!({"kind": "quote", "lines": [{"what": "A", "quantity": -1, "unit_cents": 1}], "minutes": 0}),
            Role::Technician,
            "bad-money",
        ),
        (
            json!({"kind": "quote-answer", "quote": id(77), "answer": "accepted"}),
            Role::Technician,
            "unknown-quote",
        ),
        (
            json!({"kind": "reassembly", "part": "A", "step": 0}),
            Role::Technician,
            "bad-step",
        ),
        (
            json!({"kind": "reassembly", "part": "A", "step": 1, "torque_nm": 4000}),
            Role::Technician,
            "bad-torque",
        ),
        (
            json!({"kind": "open-item", "item": "dust", "what": "everywhere"}),
            Role::Technician,
            "unknown-item",
        ),
        (
            json!({"kind": "except", "what": "charge-start", "reason": "charger at home"}),
            Role::Trainee,
            "not-allowed",
        ),
        (
            json!({"kind": "except", "what": "charge-start", "reason": "so"}),
            Role::Technician,
            "no-reason",
        ),
        (
            json!({"kind": "owner-sheet", "lines": []}),
            Role::Technician,
            "bad-sheet",
        ),
        (
            json!({"kind": "photo", "photo": id(9), "caption": "x".repeat(201)}),
            Role::Technician,
            "too-long",
        ),
        (
            json!({"kind": "minutes", "minutes": 5, "what": ""}),
            Role::Technician,
            "no-reason",
        ),
    ];
    for (value, role, code) in rows {
        let read = body(value.clone());
        assert_eq!(log.refuses(&read, role), Some(code), "{value}");
    }
}

#[test]
fn a_job_begins_with_what_was_said() {
    let log = Log::default();
    for (value, _) in samples().into_iter().skip(1) {
        let code = log.refuses(&body(value.clone()), Role::Specialist);
        assert_eq!(code, Some("not-opened"), "{value}");
    }
    let far = json!({"kind": "opened", "words": "Dead", "volts_class": 400, "drive": "other"});
    assert_eq!(
        log.refuses(&body(far), Role::Technician),
        Some("unknown-family")
    );
}

#[test]
fn what_no_entry_is_does_not_read() {
    for value in [
        json!({"kind": "hack"}),
        json!({"kind": "note"}),
        json!({"kind": "note", "text": 5}),
        json!({"kind": "close", "outcome": "sold", "cause_confirmed": true}),
        json!({"kind": "wait", "wait": "weather", "what": "rain"}),
        json!({"text": "no kind"}),
    ] {
        assert!(
            serde_json::from_value::<Body>(value.clone()).is_err(),
            "{value}"
        );
    }
}

#[test]
fn a_kind_knows_its_word_and_guards_against_kinds_that_exist() {
    let mut words = BTreeSet::new();
    for (value, _) in samples() {
        let kind = value["kind"].as_str().unwrap().to_string();
        let read = body(value);
        assert_eq!(read.kind().word(), kind);
        for guard in read.kind().guards() {
            assert!(KINDS.contains(guard), "{kind} guards against “{guard}”");
        }
        words.insert(kind);
    }
    assert_eq!(words, KINDS.iter().map(|k| k.to_string()).collect());
}
