//! What a shop lives on: quotes, waits, clocks, open items, the proof, the hand-back, other vehicles.

use crate::common::{Log, catalogue, close, gate, reading};
use spannung_core::desks::money::Terms;
use spannung_core::job::entry;
use spannung_core::job::entry::{
    Body, Logged, Outcome, ProofResult, QuoteLine, QuoteReply, ReadOn, ReadingResult, Role,
    WaitKind,
};
use spannung_core::job::items::{self, Opened};
use spannung_core::job::state::Stage;
use spannung_core::job::{Job, admit, points, proof, record, report};
use spannung_core::reading::Unit;
use time::{Duration, OffsetDateTime};
use uuid::Uuid;

fn part(class: &str) -> Body {
    Body::Part(entry::Part {
        old: None,
        fate: None,
        new: Some("a part".into()),
        class: Some(class.into()),
        minutes: 10.0,
        price_cents: Some(1000),
    })
}

fn checked(check: &str, result: ProofResult, typed: &str) -> Body {
    Body::Proof(entry::Proof {
        check: check.into(),
        result,
        typed: typed.into(),
        words: "seen".into(),
        still: std::collections::BTreeMap::new(),
        minutes: 1.0,
    })
}

/// A part goes in, and the gate asks its smell again.
fn swap(log: &mut Log, class: &str) {
    log.add(part(class));
    log.add(gate("smell", "none", None));
}

/// Pass everything that is open, as a technician would: preconditions first, the ride last.
fn prove_all(log: &mut Log) {
    let rows = proof::rows(catalogue(), &log.job(), &[], None);
    for row in rows {
        if row.standing == proof::CheckStanding::Passed {
            continue;
        }
        let need = catalogue().proof.find(&row.check).unwrap().need.clone();
        if let Some(need) = need {
            log.add(Body::Confirmed(entry::Confirmed { need }));
        }
        let typed = match (row.low, row.high) {
            (Some(low), Some(high)) => f64::midpoint(low, high),
            (Some(low), None) => low + 1.0,
            (None, Some(high)) => high / 2.0,
            (None, None) => 0.0,
        };
        let body = checked(&row.check, ProofResult::Pass, &typed.to_string());
        assert_eq!(log.refuses(&body, Role::Technician), None, "{}", row.check);
        log.add(body);
    }
}

fn on_the_bench() -> Log {
    let mut log = Log::with_pack();
    log.clear_gate();
    log.name_it();
    log
}

fn held(log: &Log, outcome: Outcome) -> Vec<String> {
    proof::holds(catalogue(), &log.job(), &[], outcome)
}

fn refused(log: &Log, opened: &[Opened], body: &Body) -> Option<&'static str> {
    match admit::with_opened(catalogue(), &log.job(), opened, body) {
        Err(spannung_core::CoreError::Entry { code, .. }) => Some(code.word()),
        _ => None,
    }
}

#[test]
fn what_was_touched_decides_what_has_to_be_proved() {
    let mut log = on_the_bench();
    let asked = |log: &Log| -> Vec<String> {
        proof::rows(catalogue(), &log.job(), &[], None)
            .into_iter()
            .map(|r| r.check)
            .collect()
    };
    assert!(!asked(&log).contains(&"hall-scan".to_string()));
    swap(&mut log, "hall-set");
    let after = asked(&log);
    for check in ["hall-scan", "direction", "fastener-walk", "complaint"] {
        assert!(after.contains(&check.to_string()), "{check}");
    }
    // what can hurt somebody stands first
    let rows = proof::rows(catalogue(), &log.job(), &[], None);
    let first_free = rows.iter().position(|r| !r.blocker).unwrap();
    assert!(rows[first_free..].iter().all(|r| !r.blocker));
}

#[test]
fn a_figure_in_another_unit_is_turned_or_refused() {
    let mut log = on_the_bench();
    swap(&mut log, "brake-right");
    log.add(Body::Confirmed(entry::Confirmed {
        need: "wheel-up".into(),
    }));
    let last = |log: &Log| {
        let rows = proof::rows(catalogue(), &log.job(), &[], None);
        let row = rows.into_iter().find(|r| r.check == "brake-cut-right");
        row.and_then(|r| r.tries.last().cloned()).unwrap()
    };
    log.add(checked("brake-cut-right", ProofResult::Pass, "250 ms"));
    assert_eq!(
        (last(&log).result, last(&log).value),
        (ProofResult::Pass, Some(0.25))
    );
    log.add(checked("brake-cut-right", ProofResult::Pass, "450 ms"));
    assert_eq!(last(&log).result, ProofResult::Fail);
    for typed in ["0.2 V", "quick", ""] {
        let body = checked("brake-cut-right", ProofResult::Pass, typed);
        assert_eq!(log.refuses(&body, Role::Technician), Some("bad-reading"));
    }
}

#[test]
fn the_hand_back_is_held_until_everything_is_proved() {
    let mut log = on_the_bench();
    swap(&mut log, "throttle");
    assert!(!held(&log, Outcome::Repaired).is_empty());
    prove_all(&mut log);
    assert_eq!(held(&log, Outcome::Repaired), Vec::<String>::new());
    assert_eq!(refused(&log, &[], &close(Outcome::Repaired)), None);
    // another throttle afterwards: what speaks of it is asked again, the rest stands
    swap(&mut log, "throttle");
    let again = held(&log, Outcome::Repaired);
    assert!(
        again.iter().any(|s| s.starts_with("Throttle lets go")),
        "{again:?}"
    );
    assert!(
        !again.iter().any(|s| s.starts_with("Axle nuts")),
        "{again:?}"
    );
}

#[test]
fn a_figure_decides_and_a_fail_goes_back_to_the_bench() {
    let mut log = on_the_bench();
    swap(&mut log, "brake-right");
    log.add(Body::Confirmed(entry::Confirmed {
        need: "wheel-up".into(),
    }));
    // passed, says the hand; 0.9 s, says the watch
    log.add(checked("brake-cut-right", ProofResult::Pass, "0.9"));
    let job = log.job();
    assert_eq!(job.proofs[0].result, ProofResult::Fail);
    assert_eq!(job.stage(catalogue()), Stage::Bench);
    assert!(
        job.symptoms
            .iter()
            .any(|s| s.symptom == "S34" && s.yes == Some(true) && !s.by_customer),
        "the Bench is told, as seen by the technician"
    );
    log.add(checked("brake-cut-right", ProofResult::Pass, "0,25 s"));
    assert_eq!(log.job().stage(catalogue()), Stage::Proof);
    let row = proof::rows(catalogue(), &log.job(), &[], None)
        .into_iter()
        .find(|r| r.check == "brake-cut-right")
        .unwrap();
    assert_eq!(
        (row.standing, row.tries.len()),
        (proof::CheckStanding::Passed, 2)
    );
}

#[test]
fn a_complaint_that_still_shows_speaks_against_what_was_changed() {
    let mut log = on_the_bench();
    swap(&mut log, "throttle");
    log.add(checked(proof::COMPLAINT, ProofResult::Fail, ""));
    assert!(log.job().by_hand.get("throttle").is_some_and(|b| b.out));
}

#[test]
fn nobody_excepts_what_can_hurt_and_only_some_except_the_rest() {
    let mut log = on_the_bench();
    swap(&mut log, "throttle");
    let except = |what: &str| {
        Body::Except(entry::Except {
            what: what.into(),
            reason: "no road today, ice".into(),
        })
    };
    assert_eq!(
        log.refuses(&except("test-ride"), Role::Trainee),
        Some("not-allowed")
    );
    assert_eq!(
        log.refuses(&except("test-ride"), Role::Owner),
        Some("not-allowed")
    );
    assert_eq!(log.refuses(&except("test-ride"), Role::Technician), None);
    for check in [
        "brake-cut-left",
        "throttle-return",
        "axle-torque",
        "fuse-value",
    ] {
        assert_eq!(
            refused(&log, &[], &except(check)),
            Some("cannot-except"),
            "{check}"
        );
    }
    log.add(except("test-ride"));
    let row = proof::rows(catalogue(), &log.job(), &[], None)
        .into_iter()
        .find(|r| r.check == "test-ride")
        .unwrap();
    assert_eq!(row.standing, proof::CheckStanding::Excepted);
}

#[test]
fn no_ride_before_the_brakes_are_proved() {
    let mut log = on_the_bench();
    swap(&mut log, "throttle");
    log.add(Body::Confirmed(entry::Confirmed {
        need: "ride-safe".into(),
    }));
    let ride = checked("test-ride", ProofResult::Pass, "");
    assert_eq!(refused(&log, &[], &ride), Some("ride-first"));
}

#[test]
fn unknown_is_never_a_pass() {
    let log = on_the_bench();
    let skip = checked("throttle-return", ProofResult::NotFitted, "");
    // this family has a throttle
    assert_eq!(log.refuses(&skip, Role::Technician), Some("fitted"));
    let figure = checked("axle-torque", ProofResult::Pass, "tight");
    assert_eq!(log.refuses(&figure, Role::Technician), Some("bad-reading"));
}

#[test]
fn what_opening_destroys_holds_until_it_is_renewed_and_comes_up_again() {
    let mut log = on_the_bench();
    let opened = |seq| {
        vec![Opened {
            access: "a5".into(),
            name: "Hub split".into(),
            destroys: vec!["paper gasket".into(), "grease".into()],
            seq,
        }]
    };
    let open = |log: &Log, seq| -> Vec<String> {
        items::items(catalogue(), &log.job(), &opened(seq))
            .into_iter()
            .filter(|i| i.standing == items::ItemStanding::Open)
            .map(|i| i.key)
            .collect()
    };
    let first = open(&log, 3);
    assert_eq!(
        first,
        ["consumable.a5.paper-gasket", "consumable.a5.grease"]
    );
    let body = Body::CloseItem(entry::CloseItem {
        item: first[0].clone(),
        how: "new gasket, dry".into(),
    });
    assert_eq!(refused(&log, &opened(3), &body), None);
    log.add(body);
    assert_eq!(open(&log, 3), ["consumable.a5.grease"]);
    // opened once more after that: it is destroyed again
    assert_eq!(open(&log, 99).len(), 2);
    assert_eq!(
        refused(
            &log,
            &opened(3),
            &Body::Except(entry::Except {
                what: first[1].clone(),
                reason: "none here".into()
            })
        ),
        Some("cannot-except")
    );
}

#[test]
fn a_plug_that_is_apart_and_a_joint_that_is_twisted_hold_the_hand_back() {
    let mut log = on_the_bench();
    let joint = log.add(Body::OpenItem(entry::OpenItem {
        item: "temporary-joint".into(),
        what: "red wire, twisted".into(),
    }));
    let mut apart = log.job().state;
    apart.apart.insert("halls".into());
    log.add(Body::State(entry::State {
        state: apart.clone(),
    }));
    let by_hand = Body::CloseItem(entry::CloseItem {
        item: "plug.halls".into(),
        how: "joined".into(),
    });
    assert_eq!(refused(&log, &[], &by_hand), Some("by-state"));
    assert_eq!(held(&log, Outcome::Declined).len(), 2);
    apart.apart.clear();
    log.add(Body::State(entry::State { state: apart }));
    log.add(Body::CloseItem(entry::CloseItem {
        item: joint.to_string(),
        how: "soldered and sleeved".into(),
    }));
    assert!(held(&log, Outcome::Declined).is_empty());
}

#[test]
fn a_job_ends_with_its_vehicle_and_owner_or_says_why_not() {
    let mut log = Log::with_pack();
    log.clear_gate();
    let declined = close(Outcome::Declined);
    assert_eq!(refused(&log, &[], &declined), Some("held"));
    assert_eq!(
        held(&log, Outcome::Declined),
        [
            "Vehicle not named: name it at the intake, or say why this job has none.",
            "Owner not named: name it at the intake, or say why this job has none."
        ]
    );
    // what is scrapped needs neither
    assert!(held(&log, Outcome::Scrapped).is_empty());
    let by_hand = Body::CloseItem(entry::CloseItem {
        item: "named.owner".into(),
        how: "somebody".into(),
    });
    assert_eq!(refused(&log, &[], &by_hand), Some("by-state"));
    let because = |reason: &str| {
        Body::Except(entry::Except {
            what: "named.owner".into(),
            reason: reason.into(),
        })
    };
    assert_eq!(
        log.refuses(&because("no"), Role::Technician),
        Some("no-reason")
    );
    let said = because("left at the door without a note");
    assert_eq!(log.refuses(&said, Role::Trainee), Some("not-allowed"));
    log.add(said);
    assert_eq!(held(&log, Outcome::Declined).len(), 1);
    log.add(Body::Vehicle(entry::Vehicle {
        name: "  ".into(),
        frame_number: None,
        controller: None,
    }));
    assert_eq!(held(&log, Outcome::Declined).len(), 1, "blanks are no name");
    log.name_it();
    assert_eq!(refused(&log, &[], &declined), None);
}

#[test]
fn a_touched_vehicle_that_is_not_proved_leaves_only_so_that_it_cannot_run() {
    let mut log = on_the_bench();
    assert!(held(&log, Outcome::HandedBackAsIs).is_empty());
    swap(&mut log, "throttle");
    assert_eq!(held(&log, Outcome::HandedBackAsIs).len(), 1);
    log.add(checked(proof::IMMOBILISED, ProofResult::Pass, ""));
    assert!(held(&log, Outcome::HandedBackAsIs).is_empty());
    assert!(held(&log, Outcome::Scrapped).is_empty());
}

#[test]
fn an_unanswered_quote_waits_and_an_answer_sets_the_limit() {
    let mut log = on_the_bench();
    let quote = log.add(Body::Quote(entry::Quote {
        lines: vec![QuoteLine {
            what: "Pack".into(),
            quantity: 1.0,
            unit_cents: 10_000,
        }],
        minutes: 30.0,
        words: String::new(),
        terms: Some(Terms::default()),
    }));
    let answer = |answer, limit_cents| {
        Body::QuoteAnswer(entry::QuoteAnswer {
            quote,
            answer,
            limit_cents,
            words: String::new(),
        })
    };
    assert_eq!(log.job().waiting.unwrap().kind, WaitKind::Customer);
    log.add(answer(QuoteReply::NoAnswer, None));
    assert!(log.job().waiting.is_some(), "no answer is none");
    assert!(
        held(&log, Outcome::HandedBackAsIs)
            .iter()
            .any(|s| s.contains("quote"))
    );
    assert_eq!(
        log.refuses(&answer(QuoteReply::Less, None), Role::Technician),
        Some("no-limit")
    );
    log.add(answer(QuoteReply::Less, Some(9000)));
    let job = log.job();
    assert!(job.waiting.is_none());
    assert_eq!(job.limit_cents, Some(9000));
    assert_eq!(
        log.refuses(&answer(QuoteReply::Accepted, None), Role::Technician),
        Some("answered")
    );
}

#[test]
fn a_part_that_arrives_broken_keeps_the_job_waiting() {
    let mut log = on_the_bench();
    log.add(Body::Wait(entry::Wait {
        wait: WaitKind::Part,
        what: "gear set".into(),
        until: None,
        supplier: Some("Gear trade".into()),
    }));
    let arrived = |good: bool| {
        Body::GoodsIn(entry::GoodsIn {
            what: "gear set".into(),
            undamaged: good,
            complete: true,
            as_ordered: true,
            words: if good {
                String::new()
            } else {
                "two teeth off".into()
            },
        })
    };
    log.add(arrived(false));
    assert!(log.job().waiting.is_some());
    log.add(arrived(true));
    assert!(log.job().waiting.is_none());
}

#[test]
fn the_clock_counts_once_and_never_backwards() {
    let mut log = on_the_bench();
    let spent = |log: &Log| log.job().minutes;
    log.at(10, "Ada", Body::Clock(entry::Clock { run: true }));
    log.at(12, "Ada", reading("t-pack-voc", "51")); // its minute is in the clock's time
    log.at(15, "Bo", reading("t-pack-voc", "51")); // another person's is not
    log.at(40, "Ada", Body::Clock(entry::Clock { run: true })); // pressed twice
    let now = OffsetDateTime::UNIX_EPOCH + Duration::minutes(50);
    assert!((log.job().minutes_at(now) - 41.0).abs() < 1e-9);
    log.at(40, "Ada", Body::Clock(entry::Clock { run: false }));
    assert!((spent(&log) - 31.0).abs() < 1e-9);
    log.at(60, "Ada", Body::Clock(entry::Clock { run: true }));
    log.at(5, "Ada", Body::Clock(entry::Clock { run: false })); // the tablet's clock was set back
    assert!((spent(&log) - 31.0).abs() < 1e-9);
    log.add(Body::Minutes(entry::Minutes {
        minutes: -6.0,
        what: "lunch".into(),
    }));
    assert!((spent(&log) - 25.0).abs() < 1e-9);
    let lines = record::time(&log.entries, &|t| t.to_string());
    assert!((lines.iter().map(|l| l.minutes).sum::<f64>() - 25.0).abs() < 1e-9);
}

#[test]
fn locked_electronics_want_a_proof_of_ownership_first() {
    let mut log = on_the_bench();
    log.add(Body::Ownership(entry::Ownership {
        locked: true,
        proof: None,
    }));
    assert_eq!(
        log.refuses(&part("controller"), Role::Specialist),
        Some("no-ownership")
    );
    assert_eq!(log.refuses(&part("tyre"), Role::Technician), None);
    let away = Body::Ownership(entry::Ownership {
        locked: false,
        proof: None,
    });
    assert_eq!(log.refuses(&away, Role::Owner), Some("no-ownership"));
    log.add(Body::Ownership(entry::Ownership {
        locked: true,
        proof: Some("receipt of 12 May, name matches".into()),
    }));
    assert_eq!(log.refuses(&part("controller"), Role::Technician), None);
}

fn other() -> Log {
    let mut log = Log::default();
    log.add(Body::Opened(entry::Opened {
        words: "Goes in circles".into(),
        volts_class: 12,
        drive: "other".into(),
        seconds: 0.0,
        from_job: None,
    }));
    log.add(Body::Pack(entry::Pack {
        pack: Uuid::from_u128(1),
        sticker: "K-1".into(),
        known: false,
    }));
    log.clear_gate();
    log.name_it();
    log
}

#[test]
fn the_floor_of_an_unknown_pack_is_that_of_each_chemistry() {
    let mut log = Log::default();
    log.add(Body::Opened(entry::Opened {
        words: "Dead".into(),
        volts_class: 48,
        drive: "other".into(),
        seconds: 0.0,
        from_job: None,
    }));
    log.add(Body::Pack(entry::Pack {
        pack: Uuid::from_u128(1),
        sticker: "K-1".into(),
        known: false,
    }));
    let floors = spannung_core::job::gate::floors(catalogue(), &log.job());
    let volts: Vec<f64> = floors.iter().map(|f| (f.volts * 10.0).round()).collect();
    assert_eq!(volts, [400.0, 351.0, 325.0, 300.0]);
    let refuses = |answer, typed| log.refuses(&gate("floor", answer, typed), Role::Technician);
    assert_eq!(refuses("above", Some("46")), None);
    // a tenth of the charge of thirteen lithium groups is 44.9 V
    assert_eq!(refuses("above", Some("41")), Some("which-pack"));
    assert_eq!(refuses("above", Some("29")), Some("figure-differs"));
    assert_eq!(refuses("below", Some("41")), Some("figure-differs"));
    // between two floors it takes somebody who knows the cells
    assert_eq!(refuses("above", Some("33")), Some("which-pack"));
    assert_eq!(refuses("below", Some("33")), None);
    assert_eq!(refuses("above", None), Some("bad-reading"));
    assert_eq!(refuses("above", Some("480")), Some("absurd-reading"));
    assert_eq!(refuses("nothing", Some("0.1")), None);
    assert_eq!(refuses("unknown", None), None);
}

fn point(on: ReadOn, typed: &str) -> Body {
    Body::PointReading(entry::PointReading {
        point: "Left motor, pedal down".into(),
        unit: Unit::Volts,
        on,
        result: ReadingResult::Figure,
        typed: typed.into(),
        minutes: 1.0,
    })
}

#[test]
fn a_working_twin_gives_the_expected_values() {
    let mut log = other();
    log.add(point(ReadOn::This, "0.3"));
    assert_eq!(
        points::rows(&log.job())[0].verdict,
        points::Verdict::NoReference
    );
    log.add(point(ReadOn::Reference, "12.4"));
    let row = &points::rows(&log.job())[0];
    assert_eq!(row.verdict, points::Verdict::Low);
    assert_eq!(row.source, points::Source::Reference);
    log.add(point(ReadOn::This, "12.3"));
    let row = &points::rows(&log.job())[0];
    assert_eq!(row.verdict, points::Verdict::AsExpected);
    assert_eq!(row.first.as_deref(), Some("0.30 V"));
    // kept for the next one, where it is unverified until it is measured again
    let kept = points::keepable(&log.job());
    assert_eq!(kept.len(), 1);
    let mut next = other();
    next.add(Body::Sheet(entry::Sheet {
        sheet: Uuid::from_u128(5),
        name: "Green tractor".into(),
        points: kept,
    }));
    next.add(point(ReadOn::This, "12.2"));
    assert_eq!(
        points::rows(&next.job())[0].source,
        points::Source::Unverified
    );
    next.add(point(ReadOn::Reference, "12.5"));
    assert_eq!(
        points::rows(&next.job())[0].source,
        points::Source::Reference
    );
}

#[test]
fn an_other_vehicle_goes_through_gate_and_proof_and_gets_its_report() {
    let mut log = other();
    let stopped = {
        let mut l = Log {
            entries: log.entries[..2].to_vec(),
            ..Log::default()
        };
        l.add(gate("shape", "swollen", None));
        l
    };
    assert_eq!(
        stopped.refuses(&point(ReadOn::This, "1"), Role::Owner),
        Some("gate-stopped")
    );
    log.add(point(ReadOn::Reference, "12.4"));
    log.add(point(ReadOn::This, "0.3"));
    swap(&mut log, "motor");
    log.add(point(ReadOn::This, "12.3"));
    let lacks = checked("brake-cut-left", ProofResult::NotFitted, "");
    assert_eq!(log.refuses(&lacks, Role::Technician), None);
    prove_all(&mut log);
    assert_eq!(held(&log, Outcome::Repaired), Vec::<String>::new());
    log.add(close(Outcome::Repaired));
    let r = report::report(
        catalogue(),
        &log.job(),
        None,
        &[],
        log.job().minutes,
        &Terms::default(),
    );
    assert!(r.path.is_empty());
    let row = &r.measured[0];
    assert_eq!(
        (row.arrival.as_str(), row.leaving.as_str()),
        ("0.30 V", "12.3 V")
    );
    assert!(r.proved.len() > 10);
}

#[test]
fn what_an_import_released_does_not_count_and_what_it_stopped_does() {
    let mut log = on_the_bench();
    assert_eq!(log.standing(), spannung_core::job::gate::Standing::Open);
    let fold = |log: &Log, imported| Job::fold_imported(catalogue(), &log.entries, &[], imported);
    let job = fold(&log, i64::MAX);
    assert!(job.gate.is_empty());
    assert_eq!(job.taken.len(), log.job().taken.len());
    log.add(gate("shape", "swollen", None));
    assert_eq!(fold(&log, i64::MAX).on_pack.stops.len(), 1);
}

#[test]
fn the_record_says_every_kind_in_words() {
    let mut log = on_the_bench();
    let item = log.add(Body::OpenItem(entry::OpenItem {
        item: "bench-override".into(),
        what: "key bridged".into(),
    }));
    log.add(Body::CloseItem(entry::CloseItem {
        item: item.to_string(),
        how: "bridge out".into(),
    }));
    log.add(checked("brake-cut-left", ProofResult::Pass, "0.2"));
    log.add(Body::Reassembly(entry::Reassembly {
        part: "Crank".into(),
        step: 1,
        orientation: String::new(),
        lubricant: "grease".into(),
        torque_nm: Some(40.0),
    }));
    let lines = record::lines(catalogue(), &log.entries, &|t| t.to_string());
    let said = |text: &str| {
        lines
            .iter()
            .any(|l| format!("{} {}", l.text, l.value).contains(text))
    };
    for text in [
        "Still to do: Bench override, key bridged",
        "Closed: bench override, key bridged, bridge out",
        "Proof, brake cut, left lever: passed: seen 0.2 s",
        "Reassembly, 1: Crank, grease 40 N·m",
    ] {
        assert!(
            said(text),
            "{text} in {:?}",
            lines.iter().map(|l| &l.text).collect::<Vec<_>>()
        );
    }
}

#[test]
fn a_bundle_of_every_kind_reads_back() {
    let mut log = on_the_bench();
    swap(&mut log, "throttle");
    prove_all(&mut log);
    log.add(close(Outcome::Repaired));
    let entries: Vec<Logged> = log.entries.clone();
    let bundle =
        spannung_core::job::bundle::Bundle::new(412, Uuid::from_u128(3), entries, Vec::new(), None);
    let text = serde_json::to_string(&bundle).unwrap();
    let again = spannung_core::job::bundle::Bundle::read(&text).unwrap();
    assert_eq!(serde_json::to_string(&again).unwrap(), text);
    assert!(again.fold(catalogue()).closed.is_some());
}
