//! A vehicle that is known better while its job runs: what the engine takes over from before must be what it would
//! have worked out anew.

use crate::common::{catalogue, family, model};
use spannung_circuit::{Change, Profile};
use spannung_core::diagnosis::column::Column;
use spannung_core::diagnosis::rows::Rows;
use spannung_core::diagnosis::{Kind, Model};

fn seen(slot: &str, kind: &str) -> Change {
    Change::Component {
        slot: slot.into(),
        kind: Some(kind.into()),
    }
}

fn changes() -> Vec<(&'static str, Change)> {
    let figure = |f: &str, value| Change::Figure {
        figure: f.into(),
        value,
    };
    let gauge = |strand: &str, mm2| Change::Gauge {
        strand: strand.into(),
        mm2,
    };
    vec![
        (
            "gh48",
            Change::Colour {
                strand: "throttle".into(),
                pin: 3,
                code: "BU".into(),
            },
        ),
        ("gh48", gauge("throttle", 0.12)),
        ("gh48", gauge("brake-left", 0.13)),
        (
            "gh48",
            Change::Order {
                strand: "throttle".into(),
                pins: vec![1, 3, 2],
            },
        ),
        (
            "gh48",
            Change::ExtraWire {
                strand: "halls".into(),
                code: "PK".into(),
                function: "temperature".into(),
            },
        ),
        (
            "gh48",
            Change::PullUp {
                lines: "halls".into(),
                volts: 3.3,
            },
        ),
        ("gh48", Change::HallSpacing { degrees: 60 }),
        (
            "gh48",
            Change::NormallyClosedBrake {
                strand: "brake-left".into(),
            },
        ),
        (
            "gh48",
            Change::Alteration {
                id: "shunt".into(),
                present: true,
            },
        ),
        ("ssb36", figure("ignition-fuse", 3.0)),
        ("ssb36", gauge("main", 6.0)),
        ("ssb36", gauge("ignition", 0.2)),
        (
            "rt12",
            Change::Pack {
                groups: 1,
                chemistry: None,
                parallel: None,
                amp_hours: Some(4.5),
            },
        ),
        // it is what was assumed: nothing reads otherwise, and one way less is open
        ("gh48", seen("throttle", "hall-throttle")),
        ("db72", seen("throttle", "two-channel-throttle")),
        ("db72", figure("converter", 13.8)),
        ("db72", gauge("ignition", 0.13)),
    ]
}

/// Largest difference between two models' predictions, in deviations of prediction and instrument.
fn apart(a: &Model, b: &Model) -> (f64, String) {
    let mut worst = (0.0, String::new());
    for ((x, y), test) in a.columns.iter().zip(&b.columns).zip(&a.tests) {
        let (
            Column::Figures {
                scale, readings, ..
            },
            Column::Figures {
                readings: other, ..
            },
        ) = (&**x, &**y)
        else {
            continue;
        };
        for (k, case) in a.cases.iter().enumerate() {
            let (p, q) = (readings.of(k), other.of(k));
            for d in 0..2 {
                let sigma = scale.instrument(p.mean[d]).hypot(p.spread[d]);
                let far = (p.mean[d] - q.mean[d]).abs() / sigma;
                if far > worst.0 {
                    worst = (far, format!("{} at {}", case.key, test.id));
                }
            }
        }
    }
    worst
}

/// Are all outcomes cut, and their chances told, as these readings would be anew?
fn cut_as_anew(m: &Model) {
    for ((column, rows), test) in m.columns.iter().zip(&m.rows).zip(&m.tests) {
        if let (Kind::Probe(probe), Column::Figures { readings, .. }) = (&test.kind, &**column) {
            let anew = Column::figures(probe, readings.clone(), m.listed, &m.variances);
            assert_eq!(**column, anew, "{}", test.id);
        }
        assert_eq!(**rows, Rows::of(column, &m.cases), "{}", test.id);
    }
}

#[test]
fn what_is_kept_is_what_would_come_out_anew() {
    for (id, change) in changes() {
        let changed = Profile::new(family(id), std::slice::from_ref(&change)).unwrap();
        let edited = model(id).edited(catalogue(), &changed).unwrap();
        cut_as_anew(&edited);
        let anew = Model::build(catalogue(), &changed).unwrap();
        let keys = |m: &Model| m.cases.iter().map(|c| c.key.clone()).collect::<Vec<_>>();
        assert_eq!(keys(&edited), keys(&anew), "{id} {change:?}");
        assert_eq!(edited.hypotheses, anew.hypotheses, "{id} {change:?}");
        assert_eq!(edited.symptoms, anew.symptoms, "{id} {change:?}");
        let (far, place) = apart(&edited, &anew);
        assert!(far < 0.6, "{id} {change:?}: {place}, {far:.3} deviations");
    }
}

#[test]
fn what_is_taken_away_again_leaves_nothing_behind() {
    let pack = |present| Change::Alteration {
        id: "second-pack".into(),
        present,
    };
    let profile = |changes: &[Change]| Profile::new(family("gh48"), changes).unwrap();
    let two = Model::build(catalogue(), &profile(&[pack(true)])).unwrap();
    let one = two
        .edited(catalogue(), &profile(&[pack(true), pack(false)]))
        .unwrap();
    let (far, place) = apart(&one, model("gh48"));
    assert!(far < 0.5, "{place}, {far:.3} deviations");
}

#[test]
fn a_colour_changes_no_prediction_and_costs_none() {
    let (_, colour) = changes().remove(0);
    let changed = Profile::new(family("gh48"), &[colour]).unwrap();
    let before = model("gh48");
    let edited = before.edited(catalogue(), &changed).unwrap();
    for (old, new) in before.columns.iter().zip(&edited.columns) {
        assert!(std::sync::Arc::ptr_eq(old, new));
    }
}

#[test]
fn an_alteration_moves_the_odds_it_names() {
    let plain = model("gh48");
    let shunt = Change::Alteration {
        id: "shunt".into(),
        present: true,
    };
    let changed = Profile::new(family("gh48"), &[shunt]).unwrap();
    let altered = plain.edited(catalogue(), &changed).unwrap();
    let weight = |m: &Model, fault: &str| -> f64 {
        let mine = m.cases.iter().zip(&m.hypotheses);
        mine.filter(|(c, _)| c.fault == fault)
            .map(|(_, h)| h.weight)
            .sum()
    };
    assert!(weight(&altered, "ctl-shunt-mod") > 10.0 * weight(plain, "ctl-shunt-mod"));
    assert!(weight(&altered, "thr-magnet") < weight(plain, "thr-magnet"));
}

#[test]
fn colours_that_cross_at_a_plug_move_the_odds_of_crossed_wires() {
    let plain = model("gh48");
    let code = |pin: u8| {
        let strand = plain.profile.family.strand("throttle").unwrap();
        let wire = strand.wires.iter().find(|w| w.pin == pin).unwrap();
        wire.code.clone()
    };
    let lead = |pin: u8, other: u8| Change::LeadColour {
        strand: "throttle".into(),
        pin,
        code: code(other),
    };
    let weight = |m: &Model, key: &str| -> f64 {
        let mine = m.hypotheses.iter().find(|h| h.key == key);
        mine.unwrap_or_else(|| panic!("no {key}")).weight
    };
    let (here, there) = ("har-crossed:throttle.2.3", "har-crossed:throttle.1.2");
    let of = |changes: &[Change]| {
        let changed = Profile::new(family("gh48"), changes).unwrap();
        plain.edited(catalogue(), &changed).unwrap()
    };
    // one lead in another colour says nothing
    let one = of(&[lead(2, 3)]);
    assert!((weight(&one, here) / weight(plain, here) - 1.0).abs() < 1e-9);
    // both in each other's: ten times, and no other pair of the plug
    let both = of(&[lead(2, 3), lead(3, 2)]);
    let times = weight(&both, here) / weight(plain, here);
    assert!((9.0..=10.0).contains(&times), "{times}");
    assert!(weight(&both, there) <= weight(plain, there));
}

/// Components at the end of signal wires, put in the place of others, added, and taken off.
fn swaps() -> Vec<(&'static str, &'static str, Option<&'static str>)> {
    vec![
        ("gh48", "throttle", Some("potentiometer-throttle")),
        ("gh48", "throttle", None),
        ("gh48", "brake-left", Some("hall-lever")),
        ("gh48", "brake-left", Some("lever-that-opens")),
        ("gh48", "brake-right", None),
        ("gh48", "pedals", Some("double-pedal-sensor")),
        ("gh48", "pedals", Some("torque-and-cadence")),
        ("gh48", "shift", Some("shift-sensor")),
        ("gh48", "alarm", Some("alarm-with-remote")),
        ("gh48", "loom", Some("one-to-four-loom")),
        ("md48", "throttle", None),
        ("md48", "shift", None),
        ("ks36", "stand", Some("stand-switch")),
        ("ks36", "throttle", Some("potentiometer-throttle")),
        ("ssl48", "throttle", Some("hall-throttle")),
        ("db72", "throttle", Some("hall-throttle")),
        ("db72", "brake-left", Some("lever-that-closes")),
        ("tm52", "alarm", None),
        ("db72", "brake-left", None),
        ("db72", "shift", Some("shift-sensor")),
        ("db72", "throttle", None),
        ("gh48", "selector", Some("three-speeds")),
        ("tm52", "throttle", Some("potentiometer-throttle")),
        ("tm52", "brake-right", None),
        ("ks36", "brake-left", Some("hall-lever")),
        ("md48", "brake-left", None),
        ("gh36", "pedals", None),
        ("rq48", "throttle", Some("potentiometer-throttle")),
    ]
}

/// What another component leaves as it was is taken over: predictions within most of a deviation, odds and symptoms the same.
#[test]
fn a_swap_at_the_signal_wires_is_what_would_come_out_anew() {
    for (id, slot, kind) in swaps() {
        let change = Change::Component {
            slot: slot.into(),
            kind: kind.map(Into::into),
        };
        let changed = Profile::new(family(id), std::slice::from_ref(&change)).unwrap();
        let edited = model(id).edited(catalogue(), &changed).unwrap();
        cut_as_anew(&edited);
        let anew = Model::build(catalogue(), &changed).unwrap();
        let tests = |m: &Model| m.tests.iter().map(|t| t.id.clone()).collect::<Vec<_>>();
        assert_eq!(tests(&edited), tests(&anew), "{id} {slot} {kind:?}");
        assert_eq!(edited.hypotheses, anew.hypotheses, "{id} {slot} {kind:?}");
        assert_eq!(edited.symptoms, anew.symptoms, "{id} {slot} {kind:?}");
        let (far, place) = apart(&edited, &anew);
        assert!(
            far < 0.6,
            "{id} {slot} {kind:?}: {place}, {far:.3} deviations"
        );
        // looks: a contact just at the edge of lighting a lamp may fall on either side
        let mut seen = 0;
        for (x, y) in edited.columns.iter().zip(&anew.columns) {
            if let (Column::Outcomes { cases: a, .. }, Column::Outcomes { cases: b, .. }) =
                (&**x, &**y)
            {
                seen += a.iter().zip(b).filter(|(a, b)| a != b).count();
            }
        }
        assert!(seen <= 2, "{id} {slot} {kind:?}: {seen} looks");
    }
}

/// With one lever taken off, the other one still tells the controller, and the brake sign shows.
#[test]
fn one_lever_lights_the_brake_sign() {
    for (slot, other) in [("brake-left", "right"), ("brake-right", "left")] {
        let change = Change::Component {
            slot: slot.into(),
            kind: None,
        };
        let changed = Profile::new(family("md48"), &[change]).unwrap();
        let one = model("md48").edited(catalogue(), &changed).unwrap();
        let stuck = format!("brk-stuck:{other}");
        let stuck = one.cases.iter().position(|c| c.key == stuck).unwrap();
        let sign = one.tests.iter().position(|t| t.id == "fm-brake-sign");
        let row = one.rows[sign.unwrap()].row(stuck);
        assert!(row[1] > 0.8, "{slot} off: {row:?}");
    }
}
