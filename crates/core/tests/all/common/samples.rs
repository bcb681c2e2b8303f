//! An entry of every kind, with words that its line in the record holds.

use serde_json::{Value, json};
use uuid::Uuid;

pub fn id(k: u128) -> String {
    Uuid::from_u128(k).to_string()
}

/// The entries, in an order in which they can be written.
pub fn samples() -> Vec<(Value, &'static str)> {
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
            "Out: Throttle (recycled). In: Throttle, 3 wires. Repairs: throttle",
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
            json!({"kind": "change", "change": {"what": "hall-spacing", "degrees": 60}, "source": "measured"}),
            "Halls 60° apart measured",
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
