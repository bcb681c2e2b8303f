//! Dangers rest on the pack: every kind of danger, by every way a pack travels, is a STOP wherever the pack
//! arrives; and only a specialist's clearance that came after it ends it.

use crate::common::{self, catalogue, gate, reading};
use proptest::prelude::*;
use spannung_core::catalogue::{Catalogue, Sources};
use spannung_core::job::danger::{Happened, OnPack};
use spannung_core::job::entry;
use spannung_core::job::entry::{Body, Logged, Outcome, ProofResult, Role};
use spannung_core::job::gate::{Standing, standing};
use spannung_core::job::{Job, admit};
use std::collections::BTreeSet;
use time::OffsetDateTime;
use uuid::Uuid;

const PACK: u128 = 1;
const SPARE: u128 = 2;

/// A shop's jobs and what happened on its packs, as the store keeps both.
#[derive(Clone, Default)]
struct Shop {
    jobs: Vec<Vec<Logged>>,
    /// Entries of these jobs up to here came in from another shop.
    imported: Vec<i64>,
    on_packs: Vec<OnPack>,
    seq: i64,
}

impl Shop {
    fn open(&mut self, volts_class: u16, drive: &str) -> usize {
        self.jobs.push(Vec::new());
        self.imported.push(0);
        let job = self.jobs.len() - 1;
        let body = Body::Opened(entry::Opened {
            words: "Dead".into(),
            volts_class,
            drive: drive.into(),
            seconds: 0.0,
            from_job: None,
        });
        self.write(job, body);
        job
    }

    fn fold_by(&self, by: &Catalogue, job: usize) -> Job {
        let entries = &self.jobs[job];
        let packs: BTreeSet<Uuid> = entries
            .iter()
            .filter_map(|e| match e.body {
                Body::Pack(entry::Pack { pack, .. }) => Some(pack),
                _ => None,
            })
            .collect();
        let brought: Vec<OnPack> = self
            .on_packs
            .iter()
            .filter(|b| packs.contains(&b.pack))
            .cloned()
            .collect();
        Job::fold_imported(by, entries, &brought, self.imported[job])
    }

    fn fold(&self, job: usize) -> Job {
        self.fold_by(catalogue(), job)
    }

    fn standing(&self, job: usize) -> Standing {
        standing(catalogue(), &self.fold(job))
    }

    /// Write an entry, and keep what it says of the pack as the store does.
    fn write(&mut self, job: usize, body: Body) -> Uuid {
        self.seq += 1;
        let e = Logged {
            id: Uuid::from_u128(1000 + self.seq as u128),
            seq: self.seq,
            at: OffsetDateTime::UNIX_EPOCH + time::Duration::days(21_000),
            by: "Ada".into(),
            by_id: None,
            body,
        };
        let id = e.id;
        self.jobs[job].push(e.clone());
        let after = self.fold(job);
        let event = |pack, seq, entry, what| OnPack {
            pack,
            seq,
            entry,
            at: e.at,
            by: e.by.clone(),
            what,
        };
        let kept: BTreeSet<(Uuid, Uuid)> =
            self.on_packs.iter().map(|b| (b.pack, b.entry)).collect();
        for found in &after.found {
            let Some(pack) = found.pack else { continue };
            if !kept.contains(&(pack, found.stop.entry)) {
                let since = self.jobs[job].iter().find(|e| e.id == found.rests_since);
                let what = Happened::Found(found.stop.clone());
                self.on_packs
                    .push(event(pack, since.unwrap().seq, found.stop.entry, what));
            }
        }
        if let Some(on) = after.pack {
            let pack = on.pack;
            match e.body {
                Body::Quarantine(entry::Quarantine { step }) => {
                    self.on_packs
                        .push(event(pack, e.seq, id, Happened::Quarantined(step)))
                }
                Body::Clearance(_) => {
                    self.on_packs
                        .push(event(pack, e.seq, id, Happened::Cleared));
                }
                _ => {}
            }
        }
        id
    }

    fn put_on(&mut self, job: usize, pack: u128) {
        let body = Body::Pack(entry::Pack {
            pack: Uuid::from_u128(pack),
            sticker: format!("K-{pack}"),
            known: true,
        });
        self.write(job, body);
    }

    fn close_gate_contacts(&mut self, job: usize) {
        for (check, answer, typed) in common::CLEAR {
            self.write(job, gate(check, answer, typed));
        }
    }

    fn quarantine(&mut self, job: usize) {
        for step in &catalogue().quarantine {
            let body = Body::Quarantine(entry::Quarantine {
                step: step.id.clone(),
            });
            self.write(job, body);
        }
    }

    fn refuses(&self, job: usize, body: &Body) -> Option<&'static str> {
        match admit::admit(catalogue(), &self.fold(job), body, Role::Specialist) {
            Err(spannung_core::CoreError::Entry { code, .. }) => Some(code.word()),
            _ => None,
        }
    }
}

/// Every kind of danger there is: all that the data files call a STOP, and what a figure can raise.
fn dangers() -> Vec<Body> {
    let c = catalogue();
    let mut all = Vec::new();
    for check in &c.gate {
        for a in check.answers.iter().filter(|a| a.result == "stop") {
            all.push(gate(
                check.id.get_ref(),
                &a.id,
                check.figure.then_some("31.0"),
            ));
        }
    }
    for p in &c.procedures {
        for value in p.stops.keys() {
            all.push(Body::Check(entry::Check {
                test: p.id.get_ref().clone(),
                outcome: value.clone(),
                place: None,
                minutes: 1.0,
            }));
        }
    }
    for s in c.symptoms.iter().filter(|s| s.stop.is_some()) {
        all.push(Body::Symptom(entry::Symptom {
            symptom: s.id.get_ref().clone(),
            yes: Some(true),
            by_customer: true,
        }));
    }
    for p in c.proof.checks.iter().filter(|p| p.stop.is_some()) {
        all.push(Body::Proof(entry::Proof {
            check: p.id.get_ref().clone(),
            result: ProofResult::Fail,
            typed: String::new(),
            words: "seen".into(),
            still: Default::default(),
            minutes: 1.0,
        }));
    }
    all.push(reading("t-group-low", "2.1..3.9"));
    all.push(reading("t-group-load", "2.2..3.9"));
    all.push(reading("t-pack-load", "30.1"));
    all.push(reading("t-pack-ghost", "31"));
    all
}

/// The ways a pack travels after a danger was found on it in job 0: each gives the job it arrives in.
const WAYS: [&str; 7] = [
    "stays",
    "off and on again",
    "to a vehicle like it",
    "to another family",
    "to a vehicle without a wiring model",
    "through a third vehicle",
    "to a job that came in from elsewhere",
];

fn travel(shop: &mut Shop, way: &str) -> usize {
    let other = |shop: &mut Shop, volts: u16, drive: &str| {
        let job = shop.open(volts, drive);
        shop.put_on(job, PACK);
        job
    };
    match way {
        "stays" => 0,
        "off and on again" => {
            shop.put_on(0, SPARE);
            assert_eq!(shop.standing(0), Standing::Asking, "the spare has nothing");
            shop.put_on(0, PACK);
            0
        }
        "to a vehicle like it" => other(shop, 48, "geared-hub"),
        "to another family" => other(shop, 72, "chain"),
        "to a vehicle without a wiring model" => other(shop, 24, "other"),
        "through a third vehicle" => {
            let third = other(shop, 24, "other");
            shop.put_on(third, SPARE);
            other(shop, 48, "geared-hub")
        }
        _ => {
            let job = other(shop, 48, "geared-hub");
            shop.close_gate_contacts(job);
            shop.imported[job] = shop.seq;
            job
        }
    }
}

fn with(danger: &Body) -> (Shop, Uuid) {
    let mut shop = Shop::default();
    let job = shop.open(48, "geared-hub");
    // what the customer tells is told before anybody has looked for a sticker
    if matches!(danger, Body::Symptom(_)) {
        let entry = shop.write(job, danger.clone());
        shop.put_on(job, PACK);
        return (shop, entry);
    }
    shop.put_on(job, PACK);
    shop.close_gate_contacts(job);
    let entry = shop.write(job, danger.clone());
    (shop, entry)
}

#[test]
fn every_danger_arrives_by_every_way() {
    assert!(dangers().len() >= 14, "{}", dangers().len());
    for danger in dangers() {
        for way in WAYS {
            let (mut shop, entry) = with(&danger);
            let job = travel(&mut shop, way);
            let stops = shop.fold(job).on_pack.stops;
            assert_eq!(stops.len(), 1, "{danger:?} {way}");
            assert_eq!(stops[0].entry, entry, "{danger:?} {way}");
            assert_eq!(shop.standing(job), Standing::Stopped, "{danger:?} {way}");
            // it is the same record everywhere: judged once
            assert_eq!(stops, shop_stops_at_home(&danger), "{danger:?} {way}");
        }
    }
}

fn shop_stops_at_home(danger: &Body) -> Vec<spannung_core::job::danger::Stop> {
    with(danger).0.fold(0).on_pack.stops
}

#[test]
fn a_danger_stays_whatever_a_later_catalogue_says() {
    let mut sources = Sources::default();
    // a catalogue in which nothing that was looked at or told stops any more
    let cut = |text: &str, word: &str| -> String {
        text.lines()
            .filter(|l| !l.starts_with(word))
            .collect::<Vec<_>>()
            .join("\n")
    };
    sources.files[2].1 = cut(&sources.files[2].1, "stop = ");
    sources.files[3].1 = cut(&sources.files[3].1, "[procedure.stops]");
    sources.files[3].1 = cut(&sources.files[3].1, "swollen = {");
    sources.files[3].1 = cut(&sources.files[3].1, "wet = {");
    sources.files[5].1 = cut(&sources.files[5].1, "stop = ");
    let later = Catalogue::load(&sources).unwrap();
    for danger in dangers() {
        let (shop, _) = with(&danger);
        assert_eq!(
            standing(&later, &shop.fold_by(&later, 0)),
            Standing::Stopped,
            "{danger:?}"
        );
    }
}

#[test]
fn a_danger_is_not_struck_out_even_when_its_pack_is_off_the_vehicle() {
    for danger in dangers() {
        let (mut shop, entry) = with(&danger);
        shop.put_on(0, SPARE);
        let void = Body::Void(entry::Void {
            entry,
            reason: "slipped".into(),
        });
        let code = shop.refuses(0, &void);
        assert!(
            code == Some("stop-holds") || code == Some("not-voidable"),
            "{danger:?}: {code:?}"
        );
    }
}

#[test]
fn a_clearance_ends_what_was_found_before_it_and_nothing_later() {
    for danger in dangers() {
        let (mut shop, _) = with(&danger);
        shop.quarantine(0);
        assert_eq!(shop.standing(0), Standing::Quarantined, "{danger:?}");
        let clearance = Body::Clearance(entry::Clearance {
            text: "Opened, dried, measured for 24 h".into(),
        });
        let clearable = shop.fold(0).on_pack.stops[0].clearable;
        if !clearable {
            assert_eq!(shop.refuses(0, &clearance), Some("not-clearable"));
            continue;
        }
        shop.write(0, clearance);
        assert_eq!(shop.standing(0), Standing::Asking, "{danger:?}");
        // the same pack is found dangerous again on another vehicle: the first job hears of it, and the
        // clearance that stands in it does not help
        let second = shop.open(48, "geared-hub");
        shop.put_on(second, PACK);
        assert_eq!(
            shop.standing(second),
            Standing::Asking,
            "cleared is cleared"
        );
        shop.write(second, gate("leak", "leaks", None));
        for job in [0, second] {
            assert_eq!(shop.standing(job), Standing::Stopped, "{danger:?}");
        }
        let third = shop.open(24, "other");
        shop.put_on(third, PACK);
        assert_eq!(shop.standing(third), Standing::Stopped, "{danger:?}");
    }
}

#[test]
fn a_second_danger_asks_for_the_quarantine_anew() {
    let (mut shop, _) = with(&gate("shape", "swollen", None));
    shop.quarantine(0);
    let second = shop.open(48, "geared-hub");
    shop.put_on(second, PACK);
    assert_eq!(shop.standing(second), Standing::Quarantined);
    shop.write(second, gate("heat", "hot", None));
    assert_eq!(shop.standing(0), Standing::Stopped);
    assert_eq!(shop.standing(second), Standing::Stopped);
}

#[test]
fn nothing_that_came_from_elsewhere_releases() {
    let (mut shop, _) = with(&gate("water", "inside", None));
    shop.quarantine(0);
    shop.write(
        0,
        Body::Clearance(entry::Clearance {
            text: "Opened, dried, measured for 24 h".into(),
        }),
    );
    shop.close_gate_contacts(0);
    assert_eq!(shop.standing(0), Standing::Open);
    // the same log as an import: its danger counts, its clearance does not
    let entries = shop.jobs[0].clone();
    let job = Job::fold_imported(catalogue(), &entries, &[], i64::MAX);
    assert_eq!(standing(catalogue(), &job), Standing::Stopped);
    assert!(admit::admit_log(catalogue(), &entries).is_ok());
}

#[test]
fn guards_are_checked_when_they_are_loaded() {
    for (file, from, to, says) in [
        (4, "\"clearance\"", "\"clearence\"", "no kind of entry"),
        (
            4,
            "result = \"stop\", order = \"Out of the room\"",
            "result = \"halt\", order = \"Out of the room\"",
            "clear, stop or open",
        ),
        (
            4,
            "order = \"Out of the room\", ",
            "",
            "with order and reason",
        ),
        (
            4,
            "rests = \"job\"\n",
            "rests = \"shelf\"\n",
            "not on “shelf”",
        ),
        (3, "wet = { order", "damp = { order", "is no answer"),
    ] {
        let mut sources = Sources::default();
        assert!(sources.files[file].1.contains(from), "{from}");
        sources.files[file].1 = sources.files[file].1.replacen(from, to, 1);
        let Err(error) = Catalogue::load(&sources) else {
            panic!("{says}: loads")
        };
        let error = error.to_string();
        assert!(error.contains(says), "{error}");
        assert!(error.contains(".toml, line "), "{error}");
    }
}

proptest! {
    /// Whatever is done with packs and jobs, in whatever order: a pack on which a danger was found and
    /// never cleared since is stopped in every job it is on.
    #[test]
    fn a_stop_is_never_lost(plan in prop::collection::vec((0usize..3, 0u8..8), 1..40)) {
        let mut shop = Shop::default();
        for (volts, drive) in [(48, "geared-hub"), (24, "other"), (72, "chain")] {
            shop.open(volts, drive);
        }
        let mut dangerous: BTreeSet<Uuid> = BTreeSet::new();
        for (job, act) in plan {
            let now = shop.fold(job).pack.map(|p| p.pack);
            match act {
                0 | 1 => shop.put_on(job, PACK),
                2 => shop.put_on(job, SPARE),
                3 if now.is_some() => {
                    shop.write(job, gate("leak", "leaks", None));
                    dangerous.extend(now);
                }
                4 if now.is_some() => {
                    shop.write(job, gate("heat", "hot", None));
                    dangerous.extend(now);
                }
                5 => shop.quarantine(job),
                6 if shop.standing(job) == Standing::Quarantined => {
                    shop.write(job, Body::Clearance(entry::Clearance { text: "measured and dried".into() }));
                    dangerous.remove(&now.unwrap());
                }
                7 => {
                    shop.write(job, Body::Note(entry::Note { text: "n".into() }));
                }
                _ => {}
            }
            for k in 0..3 {
                if let Some(on) = shop.fold(k).pack {
                    let pack = on.pack;
                    let stopped = matches!(shop.standing(k), Standing::Stopped | Standing::Quarantined);
                    prop_assert_eq!(stopped, dangerous.contains(&pack), "job {} after {}", k, act);
                }
            }
        }
    }
}

#[test]
fn a_closed_job_is_no_way_around() {
    let (mut shop, _) = with(&gate("fall", "fell", None));
    shop.quarantine(0);
    shop.write(0, common::close(Outcome::Referred));
    let again = shop.open(48, "geared-hub");
    shop.put_on(again, PACK);
    assert_eq!(shop.standing(again), Standing::Quarantined);
}
