//! Every kind of entry: what it reads like in the record, that it goes out and comes in again as it was,
//! and what is refused with which code.

#![allow(clippy::unwrap_used)] // a test that panics says where

mod common;

use common::{Log, catalogue};
use serde_json::{Value, json};
use spannung_core::job::entry::{Body, Role};
use spannung_core::job::record;
use std::collections::BTreeSet;
use uuid::Uuid;

fn body(value: Value) -> Body {
    serde_json::from_value(value.clone()).unwrap_or_else(|e| panic!("{value}: {e}"))
}

fn id(k: u128) -> String {
    Uuid::from_u128(k).to_string()
}

/// An entry of every kind, with words that its line in the record holds.
fn samples() -> Vec<(Value, &'static str)> {
    vec![
        (
            json!({"kind": "opened", "words": "Dead", "volts_class": 48, "drive": "geared-hub"}),
            "Job opened: “Dead”, 48 V, geared hub",
        ),
        (
            json!({"kind": "vehicle", "name": "Rope walk bike", "frame_number": "R-1"}),
            "Rope walk bike, frame R-1",
        ),
        (
            json!({"kind": "symptom", "symptom": "S01", "yes": true, "by_customer": true}),
            "(told)",
        ),
        (json!({"kind": "risk", "risk": "A", "yes": false}), ""),
        (json!({"kind": "customer", "customer": id(3)}), "Customer"),
        (
            json!({"kind": "terms", "limit_cents": 9050, "stop_loss_minutes": 45}),
            "limit 90.50, stop and ask after 45 min",
        ),
        (
            json!({"kind": "ownership", "locked": true, "proof": "receipt of May"}),
            "receipt of May",
        ),
        (
            json!({"kind": "reference", "vehicle": "Ride-on 6"}),
            "Ride-on 6",
        ),
        (
            json!({"kind": "point-reading", "point": "Key, red", "unit": "volts", "on": "this", "result": "figure", "typed": "12.4"}),
            "Key, red",
        ),
        (
            json!({"kind": "sheet", "sheet": id(4), "name": "Green tractor", "points": [{"point": "Key", "unit": "volts", "expected": "12"}]}),
            "Green tractor",
        ),
        (
            json!({"kind": "pack", "pack": id(1), "sticker": "K-1"}),
            "sticker K-1",
        ),
        (
            json!({"kind": "gate", "check": "shape", "answer": "flat"}),
            "Gate, shape",
        ),
        (json!({"kind": "quarantine", "step": "outdoors"}), ""),
        (
            json!({"kind": "clearance", "text": "Groups measured, all level"}),
            "Groups measured",
        ),
        (
            json!({"kind": "state", "state": {"battery": "in", "key": "on", "wheel": "lifted"}}),
            "battery in",
        ),
        (
            json!({"kind": "confirmed", "need": "wheel-up"}),
            "Confirmed",
        ),
        (
            json!({"kind": "reading", "test": "t-5v", "result": "figure", "typed": "4.98", "minutes": 1}),
            "",
        ),
        (
            json!({"kind": "check", "test": "c-x", "outcome": "cannot-tell"}),
            "",
        ),
        (
            json!({"kind": "skip", "test": "t-5v", "reason": "sealed"}),
            "sealed",
        ),
        (
            json!({"kind": "by-hand", "class": "throttle", "out": true, "reason": "changed last week"}),
            "changed last week",
        ),
        (
            json!({"kind": "part", "old": "Throttle", "fate": "recycled", "new": "Throttle, 3 wires", "class": "throttle", "minutes": 12.5, "price_cents": 2400}),
            "Out: Throttle (recycled). In: Throttle, 3 wires. Mends: throttle",
        ),
        (
            json!({"kind": "minutes", "minutes": -5, "what": "telephone"}),
            "telephone",
        ),
        (
            json!({"kind": "wait", "wait": "part", "what": "Display", "until": "2028-10-19T10:00:00Z", "supplier": "Ferry parts"}),
            "Waits for a part: Display, from Ferry parts",
        ),
        (json!({"kind": "resume"}), ""),
        (
            json!({"kind": "goods-in", "what": "Display", "undamaged": true, "complete": false, "as_ordered": true, "words": "no cable"}),
            "no cable",
        ),
        (
            json!({"kind": "claim", "supplier": "Ferry parts", "what": "Display", "facts": "cracked", "wants": "refund"}),
            "cracked",
        ),
        (
            json!({"kind": "quote", "lines": [{"what": "Display", "quantity": 1, "unit_cents": 5000}], "minutes": 30}),
            "Quote",
        ),
        (
            json!({"kind": "quote-answer", "quote": id(1026), "answer": "accepted"}),
            "accepted",
        ),
        (
            json!({"kind": "reassembly", "part": "Crank, left", "step": 2, "lubricant": "grease", "torque_nm": 40}),
            "Crank, left",
        ),
        (json!({"kind": "clock", "run": true}), ""),
        (
            json!({"kind": "open-item", "item": "temporary-joint", "what": "twisted at the lamp"}),
            "twisted at the lamp",
        ),
        (
            json!({"kind": "close-item", "item": id(1030), "how": "crimped"}),
            "crimped",
        ),
        (
            json!({"kind": "proof", "check": "complaint", "result": "pass"}),
            "the complaint is gone: passed",
        ),
        (
            json!({"kind": "except", "what": "charge-start", "reason": "charger at home"}),
            "charger at home",
        ),
        (json!({"kind": "owner-sheet", "lines": ["Press once."]}), ""),
        (
            json!({"kind": "photo", "photo": id(9), "caption": "The burnt pin"}),
            "The burnt pin",
        ),
        (
            json!({"kind": "note", "text": "Tied with slack"}),
            "Tied with slack",
        ),
        (
            json!({"kind": "void", "entry": id(1036), "reason": "not this bike"}),
            "not this bike",
        ),
        (
            json!({"kind": "close", "outcome": "repaired", "class": "throttle", "cause_confirmed": true, "words": "Works", "recheck": {"by": "2028-11-01T12:00:00Z", "km": 200, "what": "nuts"}}),
            "Closed: repaired",
        ),
    ]
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
            "bad-money",
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
