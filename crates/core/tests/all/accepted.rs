//! Whatever was accepted opens everywhere: entries of all kinds with odd, huge, missing and crossed content,
//! typed by every role or brought in from elsewhere; what admission lets through is folded, listed, added
//! up, reported, exported and read again without stopping anything.

use crate::common::samples::samples;
use crate::common::{Log, catalogue};
use proptest::prelude::*;
use serde_json::{Value, json};
use spannung_circuit::VehicleState;
use spannung_core::catalogue::{Catalogue, Sources};
use spannung_core::desks::money::Terms;
use spannung_core::diagnosis::Model;
use spannung_core::job::bench::Weighed;
use spannung_core::job::bundle::Bundle;
use spannung_core::job::entry;
use spannung_core::job::entry::{Body, Logged, Role};
use spannung_core::job::{
    Job, admit, bounds, chain, gate, items, map, points, proof, record, report,
};
use std::sync::OnceLock;
use time::OffsetDateTime;
use uuid::Uuid;

const ROLES: [Role; 4] = [
    Role::Trainee,
    Role::Technician,
    Role::Specialist,
    Role::Owner,
];

/// Values that are put in the place of others.
fn odd(k: usize, written: &[Logged]) -> Value {
    let some = |n: usize| written.get(n % written.len().max(1)).map(|e| e.id);
    match k % 22 {
        0 => json!(null),
        1 => json!(""),
        2 => json!("x".repeat(5000)),
        3 => json!("a\u{0}b"),
        4 => json!("=1+2<script>"),
        5 => json!(-1),
        6 => json!(-1e15),
        7 => json!(1e15),
        8 => json!(i64::MAX),
        9 => json!(i64::MIN),
        10 => json!(0.1 + 0.2),
        11 => json!(-0.0),
        12 => json!("0000-01-01T00:00:00Z"),
        13 => json!("9999-12-31T23:59:59Z"),
        14 => json!(true),
        15 => json!([]),
        16 => json!({}),
        17 => json!(Uuid::nil()),
        18 => json!(some(k)),
        19 => json!(some(k / 22)),
        20 => json!(65_535),
        _ => json!("S21"),
    }
}

/// Put an odd value somewhere into a body.
fn spoil(body: &mut Value, place: usize, with: Value) {
    let Some(map) = body.as_object_mut() else {
        return;
    };
    let keys: Vec<String> = map.keys().filter(|k| *k != "kind").cloned().collect();
    if keys.is_empty() {
        return;
    }
    let slot = map.get_mut(&keys[place % keys.len()]).unwrap();
    match slot {
        Value::Array(list) if !list.is_empty() && place.is_multiple_of(3) => {
            let k = place % list.len();
            if list[k].is_object() {
                spoil(&mut list[k], place / 3, with);
            } else {
                list[k] = with;
            }
        }
        Value::Object(inner) if !inner.is_empty() && place.is_multiple_of(3) => {
            let keys: Vec<String> = inner.keys().cloned().collect();
            inner.insert(keys[place % keys.len()].clone(), with);
        }
        other => *other = with,
    }
}

/// A later catalogue, in which much of what an entry can name is called otherwise or is gone: a symptom, a test, a
/// gate check, a precondition, a quarantine step, an open item, a class.
fn later() -> &'static Catalogue {
    static LATER: OnceLock<Catalogue> = OnceLock::new();
    LATER.get_or_init(|| {
        let mut sources = Sources::default();
        let Sources {
            files,
            book,
            families,
            road: _,
        } = &mut sources;
        for (_, text) in files.iter_mut().chain(book).chain(families) {
            for (old, new) in [
                ("S01", "S91"),
                ("\"t-5v\"", "\"t-five\""),
                ("id = \"shape\"", "id = \"form\""),
                ("\"wheel-up\"", "\"wheel-off-the-ground\""),
                ("id = \"outdoors\"", "id = \"outside\""),
                ("id = \"temporary-joint\"", "id = \"joint\""),
            ] {
                *text = text.replace(old, new);
            }
        }
        Catalogue::load(&sources).unwrap()
    })
}

/// A catalogue without the family that the modelled jobs are on.
fn without_family() -> &'static Catalogue {
    static WITHOUT: OnceLock<Catalogue> = OnceLock::new();
    WITHOUT.get_or_init(|| {
        let mut sources = Sources::default();
        let (_, road) = &mut sources.road;
        *road = road.replace("drive = \"geared-hub\"", "drive = \"geared-hub-of-before\"");
        Catalogue::load(&sources).unwrap()
    })
}

/// Everything that shows a job, and its way out and in again.
fn open_everywhere(entries: &[Logged]) {
    opens_by(catalogue(), entries);
    if let Err((k, why)) = admit::admit_log(catalogue(), entries) {
        panic!(
            "entry {k} was accepted here and is refused elsewhere: {why}\n{:?}",
            entries[k - 1]
        );
    }
}

/// Everything that shows a job by a catalogue, which need not be the one it was written under.
fn opens_by(c: &Catalogue, entries: &[Logged]) {
    for imported in [0, i64::MAX] {
        let job = Job::fold_imported(c, entries, &[], imported);
        let now = OffsetDateTime::UNIX_EPOCH + time::Duration::days(30_000);
        let minutes = job.minutes_at(now);
        assert!(minutes.is_finite(), "{minutes}");
        gate::standing(c, &job);
        gate::floors(c, &job);
        job.stage(c);
        job.misfit(c);
        job.profile_view(c);
        points::rows(&job);
        points::keepable(&job);
        items::items(c, &job, &[]);
        proof::rows(c, &job, &[], None);
        let sum = report::bill(&job, minutes, &Terms::default());
        assert!(sum.total_cents >= 0, "{sum:?}");
        for q in &job.quotes {
            assert!(q.sum().total_cents >= 0, "{q:?}");
        }
        let r = report::report(c, &job, None, &[], minutes, &Terms::default());
        assert!(serde_json::to_string(&r).is_ok());
    }
    let lines = record::lines(c, entries, &|t| t.to_string());
    assert_eq!(lines.len(), entries.len());
    record::time(entries, &|t| t.to_string());
    // out and in again: the same bytes, and admitted as a whole
    let bundle = Bundle::new(400, Uuid::from_u128(5), entries.to_vec(), Vec::new(), None);
    let text = serde_json::to_string(&bundle).unwrap();
    let again = Bundle::read(&text).unwrap_or_else(|e| panic!("{e}"));
    assert_eq!(serde_json::to_string(&again).unwrap(), text);
    assert_eq!(again.chain.as_deref(), Some(chain::of(entries).as_str()));
    let renamed = again.renamed(&mut Uuid::new_v4);
    assert_eq!(renamed.entries.len(), entries.len());
}

/// A log as long as a job's, of which every entry was let in.
fn accepted(plan: &[(usize, usize, usize, usize)], family: bool) -> Vec<Logged> {
    let mut log = Log::default();
    let start = OffsetDateTime::UNIX_EPOCH + time::Duration::days(21_000);
    let opened = if family {
        json!({"kind": "opened", "words": "Dead", "volts_class": 48, "drive": "geared-hub"})
    } else {
        json!({"kind": "opened", "words": "Dead", "volts_class": 24, "drive": "other"})
    };
    let mut all: Vec<Value> = samples().into_iter().map(|s| s.0).collect();
    all.extend([
        json!({"kind": "change", "change": {"what": "extra-wire", "strand": "throttle", "code": "BU", "function": "cruise"}}),
        json!({"kind": "change", "change": {"what": "colour", "strand": "throttle", "pin": 4, "code": "GN"}}),
        json!({"kind": "change", "change": {"what": "colour", "strand": "throttle", "pin": 1, "code": "BK"}}),
        json!({"kind": "change", "change": {"what": "pack", "groups": 14}}),
    ]);
    log.add(serde_json::from_value(opened).unwrap());
    for (kind, place, with, role) in plan {
        let mut body = all[kind % all.len()].clone();
        if !with.is_multiple_of(3) {
            spoil(&mut body, *place, odd(*with, &log.entries));
        }
        if body["kind"] == "void" && with.is_multiple_of(2) {
            let some = log.entries[place % log.entries.len()].id;
            body["entry"] = json!(some);
        }
        let Ok(body) = serde_json::from_value::<Body>(body) else {
            continue;
        };
        let job = log.job();
        if admit::admit(catalogue(), &job, &body, ROLES[role % 4]).is_ok() {
            log.add(body);
        }
    }
    let mut entries = log.entries;
    for (k, e) in entries.iter_mut().enumerate() {
        e.at = start + time::Duration::minutes(k as i64);
    }
    entries
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(160))]

    #[test]
    fn whatever_was_accepted_opens_everywhere(
        plan in prop::collection::vec((0usize..500, 0usize..60, 0usize..500, 0usize..4), 1..60),
        family in any::<bool>(),
    ) {
        open_everywhere(&accepted(&plan, family));
    }

    /// Another version of the catalogue shows it as well, what it does not know with it; and takes it in as history.
    #[test]
    fn whatever_was_accepted_opens_under_another_catalogue(
        plan in prop::collection::vec((0usize..500, 0usize..60, 0usize..500, 0usize..4), 1..60),
        family in any::<bool>(),
    ) {
        let entries = accepted(&plan, family);
        opens_by(later(), &entries);
        opens_by(without_family(), &entries);
        let taken = admit::admit_log(later(), &entries);
        prop_assert!(taken.is_ok(), "{taken:?}");
        prop_assert_eq!(admit::admit_log(without_family(), &entries).is_ok(), !family);
    }

    /// A job that grows entry by entry is the one that its whole log folds to.
    #[test]
    fn a_job_grows_into_what_its_log_folds_to(
        plan in prop::collection::vec((0usize..500, 0usize..60, 0usize..500, 0usize..4), 1..40),
        family in any::<bool>(),
    ) {
        let entries = accepted(&plan, family);
        let mut job = Job::default();
        for (k, e) in entries.iter().enumerate() {
            if matches!(e.body, Body::Void(_)) {
                job = Job::fold(catalogue(), &entries[..=k], &[]);
            } else {
                job.next(catalogue(), e);
            }
        }
        let whole = Job::fold(catalogue(), &entries, &[]);
        prop_assert_eq!(format!("{job:?}"), format!("{whole:?}"));
    }

    /// A log that was changed behind the program's back is refused, or opens.
    #[test]
    fn whatever_is_brought_in_is_refused_or_opens(
        plan in prop::collection::vec((0usize..500, 0usize..60, 0usize..500, 0usize..4), 1..40),
        hits in prop::collection::vec((0usize..500, 0usize..60, 0usize..500), 1..6),
    ) {
        let mut entries = accepted(&plan, true);
        for (which, place, with) in hits {
            let k = which % entries.len();
            let mut body = serde_json::to_value(&entries[k].body).unwrap();
            spoil(&mut body, place, odd(with, &entries));
            if let Ok(body) = serde_json::from_value::<Body>(body) {
                entries[k].body = body;
            }
        }
        if admit::admit_log(catalogue(), &entries).is_ok() {
            open_everywhere(&entries);
        }
    }
}

#[test]
fn what_an_attacker_would_bring_in_is_refused_with_its_place() {
    let good = accepted(&[(0, 0, 0, 1); 1], true);
    let with = |more: Vec<Value>| -> Vec<Logged> {
        let mut entries = good.clone();
        for body in more {
            let k = entries.len();
            entries.push(Logged {
                id: Uuid::from_u128(5000 + k as u128),
                seq: k as i64 + 1,
                at: good[0].at,
                by: "Ada".into(),
                by_id: None,
                body: serde_json::from_value(body).unwrap(),
            });
        }
        entries
    };
    let second = 5000 + good.len() as u128;
    let own = Uuid::from_u128(second);
    let next = Uuid::from_u128(second + 1);
    let many: Vec<Value> = (0..60)
        .map(|_| json!({"kind": "change", "change": {"what": "extra-wire", "strand": "throttle", "code": "BU", "function": "x"}}))
        .collect();
    for (bodies, says) in [
        (
            vec![json!({"kind": "void", "entry": own, "reason": "me"})],
            "no such entry",
        ),
        (
            vec![
                json!({"kind": "void", "entry": next, "reason": "later"}),
                json!({"kind": "note", "text": "n"}),
            ],
            "no such entry",
        ),
        (
            vec![json!({"kind": "void", "entry": good[0].id, "reason": "all"})],
            "cannot be struck out",
        ),
        (
            vec![json!({"kind": "terms", "promised": "9999-12-31T23:59:59Z"})],
            "year 9999",
        ),
        (
            vec![json!({"kind": "terms", "promised": "0000-01-01T00:00:00Z"})],
            "year 0",
        ),
        (
            vec![json!({"kind": "part", "new": "Gold", "minutes": 1, "price_cents": i64::MAX})],
            "too large",
        ),
        (
            vec![json!({"kind": "part", "new": "Gold", "minutes": 1, "price_cents": 200_000_000})],
            "1,000,000",
        ),
        (
            vec![
                json!({"kind": "quote", "minutes": 1, "lines": [{"what": "x", "quantity": 1e300, "unit_cents": 1}]}),
            ],
            "too large",
        ),
        (
            vec![
                json!({"kind": "change", "change": {"what": "colour", "strand": "throttle", "pin": 40, "code": "BU"}}),
            ],
            "throttle 40",
        ),
        (
            vec![json!({"kind": "photo", "photo": own, "of": next})],
            "stand before",
        ),
        (
            vec![json!({"kind": "quote-answer", "quote": next, "answer": "accepted"})],
            "no such quote",
        ),
        (many, "more wires"),
    ] {
        let entries = with(bodies);
        let (k, why) = admit::admit_log(catalogue(), &entries).unwrap_err();
        assert!(why.to_string().contains(says), "{says}: {k} {why}");
        assert!(k > good.len() - 1);
    }
    let mut late = good.clone();
    late[0].at = OffsetDateTime::UNIX_EPOCH;
    assert_eq!(admit::admit_log(catalogue(), &late).unwrap_err().0, 1);
    assert!(bounds::instant(OffsetDateTime::UNIX_EPOCH).is_err());
}

#[test]
fn an_older_log_with_a_ring_of_strikings_opens() {
    let mut entries = accepted(&[(0, 0, 0, 1); 1], true);
    let (a, b) = (Uuid::from_u128(71), Uuid::from_u128(72));
    for (id, of) in [(a, b), (b, a), (Uuid::from_u128(73), Uuid::from_u128(73))] {
        entries.push(Logged {
            id,
            body: Body::Void(entry::Void {
                entry: of,
                reason: "round".into(),
            }),
            ..entries[0].clone()
        });
    }
    let lines = record::lines(catalogue(), &entries, &|t| t.to_string());
    assert!(lines.iter().all(|l| l.text.len() < 100), "{lines:?}");
    Job::fold(catalogue(), &entries, &[]);
}

#[test]
fn a_change_that_a_later_one_rests_on_is_struck_out_after_it() {
    let mut log = Log::with_pack();
    let change =
        |c: Value| serde_json::from_value::<Body>(json!({"kind": "change", "change": c})).unwrap();
    let wire = log.add(change(
        json!({"what": "extra-wire", "strand": "throttle", "code": "BU", "function": "cruise"}),
    ));
    let job = log.job();
    let pin = spannung_circuit::Profile::new(job.family(catalogue()).unwrap(), &job.differences())
        .unwrap()
        .family
        .strands
        .iter()
        .find(|s| s.id.get_ref() == "throttle")
        .unwrap()
        .wires
        .last()
        .unwrap()
        .pin;
    let colour = log.add(change(
        json!({"what": "colour", "strand": "throttle", "pin": pin, "code": "GN"}),
    ));
    let strike = |entry| {
        Body::Void(entry::Void {
            entry,
            reason: "not there".into(),
        })
    };
    assert_eq!(log.refuses(&strike(wire), Role::Technician), Some("needed"));
    assert_eq!(log.refuses(&strike(colour), Role::Technician), None);
    log.add(strike(colour));
    assert_eq!(log.refuses(&strike(wire), Role::Technician), None);
    assert_eq!(
        log.refuses(&strike(colour), Role::Technician),
        Some("struck-out")
    );
    // a job of before in which it was done the other way round is mended by the same means
    let mut broken = Log::with_pack();
    let wire = broken.add(change(
        json!({"what": "extra-wire", "strand": "throttle", "code": "BU", "function": "cruise"}),
    ));
    let colour = broken.add(change(
        json!({"what": "colour", "strand": "throttle", "pin": pin, "code": "GN"}),
    ));
    broken.add(strike(wire));
    assert!(broken.job().misfit(catalogue()).is_some());
    assert_eq!(broken.refuses(&strike(colour), Role::Technician), None);
    broken.add(strike(colour));
    assert_eq!(broken.job().misfit(catalogue()), None);
}

#[test]
fn changes_come_to_an_end() {
    let mut log = Log::with_pack();
    let colour = |code: &str| {
        serde_json::from_value::<Body>(json!({"kind": "change", "change": {"what": "colour", "strand": "throttle", "pin": 1, "code": code}})).unwrap()
    };
    for k in 0..entry::MOST_CHANGES {
        let body = colour(if k % 2 == 0 { "RD" } else { "BK" });
        assert_eq!(log.refuses(&body, Role::Trainee), None, "{k}");
        log.add(body);
    }
    assert_eq!(log.refuses(&colour("RD"), Role::Owner), Some("too-many"));
}

#[test]
fn a_trainee_decides_nothing_that_binds() {
    let mut log = Log::with_pack();
    log.clear_gate();
    let read = |v: Value| serde_json::from_value::<Body>(v).unwrap();
    log.add(read(json!({"kind": "terms", "limit_cents": 5000})));
    let quote = log.add(read(json!({"kind": "quote", "lines": [], "minutes": 30})));
    for (body, told) in [
        (
            json!({"kind": "quote-answer", "quote": quote, "answer": "accepted"}),
            false,
        ),
        (
            json!({"kind": "quote-answer", "quote": quote, "answer": "less", "limit_cents": 100}),
            false,
        ),
        (
            json!({"kind": "quote-answer", "quote": quote, "answer": "no-answer"}),
            true,
        ),
        (json!({"kind": "terms", "limit_cents": 6000}), false),
        (json!({"kind": "terms", "limit_cents": null}), false),
        (json!({"kind": "terms", "limit_cents": 4000}), true),
        (
            json!({"kind": "terms", "promised": "2029-01-01T10:00:00Z", "set": ["promised"]}),
            true,
        ),
        (
            json!({"kind": "ownership", "locked": true, "proof": "receipt"}),
            false,
        ),
        (
            json!({"kind": "minutes", "minutes": -5, "what": "telephone"}),
            false,
        ),
        (
            json!({"kind": "minutes", "minutes": 5, "what": "telephone"}),
            true,
        ),
        (
            json!({"kind": "proof", "check": "brake-function", "result": "pass"}),
            false,
        ),
        (
            json!({"kind": "proof", "check": "axle-torque", "result": "pass", "typed": "40"}),
            false,
        ),
        (
            json!({"kind": "proof", "check": "complaint", "result": "pass"}),
            true,
        ),
        (
            json!({"kind": "close", "outcome": "declined", "cause_confirmed": false}),
            false,
        ),
    ] {
        let expected = (!told).then_some("not-allowed");
        assert_eq!(
            log.refuses(&read(body.clone()), Role::Trainee),
            expected,
            "{body}"
        );
        assert_ne!(
            log.refuses(&read(body.clone()), Role::Technician),
            Some("not-allowed"),
            "{body}"
        );
    }
}

#[test]
fn terms_change_field_by_field() {
    let mut log = Log::with_pack();
    let read = |v: Value| serde_json::from_value::<Body>(v).unwrap();
    log.add(read(
        json!({"kind": "terms", "limit_cents": 5000, "value_cents": 90_000}),
    ));
    log.add(read(
        json!({"kind": "terms", "promised": "2029-01-01T10:00:00Z", "set": ["promised"]}),
    ));
    log.add(read(
        json!({"kind": "terms", "limit_cents": 7000, "set": ["limit_cents"]}),
    ));
    let job = log.job();
    assert_eq!(
        (job.limit_cents, job.value_cents),
        (Some(7000), Some(90_000))
    );
    assert!(job.promised.is_some());
    log.add(read(
        json!({"kind": "terms", "set": ["promised", "limit_cents"]}),
    ));
    let job = log.job();
    assert_eq!(
        (job.limit_cents, job.promised, job.value_cents),
        (None, None, Some(90_000))
    );
    // one from before says all four
    log.add(read(json!({"kind": "terms", "limit_cents": 100})));
    assert_eq!(log.job().value_cents, None);
    let odd = read(json!({"kind": "terms", "set": ["colour"]}));
    assert_eq!(log.refuses(&odd, Role::Owner), Some("unknown-field"));
}

#[test]
fn clocks_know_people_by_id() {
    let mut log = Log::with_pack();
    let ada = Uuid::from_u128(900);
    let run = |run| Body::Clock(entry::Clock { run });
    let mut at = |minute: i64, by: &str, id: Option<Uuid>, body: Body| {
        log.at(minute, by, body);
        log.entries.last_mut().unwrap().by_id = id;
    };
    at(0, "Ada", Some(ada), run(true));
    // somebody of the same name, and Ada under the name she has now
    at(5, "Ada", Some(Uuid::from_u128(901)), run(false));
    at(10, "Ada Quill", Some(ada), run(false));
    assert!((log.job().minutes - 10.0).abs() < 1e-9);
    let spent = record::time(&log.entries, &|t| t.to_string());
    assert_eq!(spent.len(), 1);
}

/// The Bench of a later version works on what an earlier one has written: a test it does not know any more stays in the
/// record and says nothing.
#[test]
fn the_bench_of_a_later_version_takes_up_an_older_job() {
    let plan: Vec<(usize, usize, usize, usize)> = (0..44).map(|k| (k, 0, 0, 1)).collect();
    let entries = accepted(&plan, true);
    let job = Job::fold(later(), &entries, &[]);
    assert!(job.taken.iter().any(|t| t.test == "t-5v"));
    let profile = job.profile(later()).unwrap();
    let model = Model::build(later(), &profile).unwrap();
    let mut column = |_: usize, _: &VehicleState| None;
    let w = Weighed::new(later(), &model, &job, Role::Technician, &mut column);
    let bench = w.bench();
    assert!(!bench.suspects.is_empty());
    let strange = bench.evidence.iter().filter(|t| t.test == "t-5v");
    assert!(strange.clone().count() > 0 && strange.clone().all(|t| t.mark == "none"));
    map::map(&w, None);
    let opened = items::opened(&model, &job);
    let r = report::report(later(), &job, Some(&w), &opened, 10.0, &Terms::default());
    assert!(serde_json::to_string(&r).is_ok());
}
