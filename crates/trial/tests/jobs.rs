//! Whole jobs on the four commonest families: how often the engine's first repair is the right one, and ten faults of each family
//! followed to their right verdict.

#![allow(clippy::unwrap_used)] // a test that panics says where

use rand::{RngExt, SeedableRng};
use rand_chacha::ChaCha8Rng;
use spannung_circuit::Profile;
use spannung_core::catalogue::Catalogue;
use spannung_core::diagnosis::Model;
use spannung_core::diagnosis::plan::Prices;
use spannung_sim::Errors;
use spannung_trial::job::{Played, Setting, class_of, play};
use spannung_trial::policy::{Lists, Policy};
use std::sync::OnceLock;

fn world() -> &'static (Vec<Model>, Lists) {
    static W: OnceLock<(Vec<Model>, Lists)> = OnceLock::new();
    W.get_or_init(|| {
        let catalogue = Catalogue::shipped().unwrap();
        let build = |f| Model::build(&catalogue, &Profile::new(f, &[]).unwrap()).unwrap();
        let models = catalogue.common().map(build).collect();
        (models, Lists::shipped())
    })
}

fn setting(misprobe: f64) -> Setting {
    Setting {
        policy: Policy::Engine,
        errors: Errors {
            misprobe,
            ..Errors::default()
        },
        prices: Prices::default(),
        pairs: true,
    }
}

fn told(p: &Played) -> String {
    format!("{:?} told {:?}: {}", p.truth, p.told, p.trail.join(" | "))
}

/// The first three seeds that came to mind, thirty jobs each, over all families: half drawn by the catalogue's weights,
/// half over the repair classes, 5 % of the tips misplaced. The bounds keep what was reached when they were set (77 first
/// repairs right, 87 jobs ended well) from being lost; how good it is stands in docs/diagnosis-report.md.
#[test]
fn ninety_jobs_end_with_the_right_repair() {
    let (models, lists) = world();
    let mut all = Vec::new();
    for seed in [1, 2, 3u64] {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let mut k = 0;
        while k < 30 {
            let m = &models[k % models.len()];
            let class = &m.classes[rng.random_range(0..m.classes.len())];
            let by_class = class.members[rng.random_range(0..class.members.len())];
            let mut at = rng.random::<f64>() * 0.82;
            let by_weight = m.hypotheses[..m.cases.len()].iter().position(|h| {
                at -= h.weight;
                at <= 0.0
            });
            let case = if k % 8 < 4 {
                by_class
            } else {
                by_weight.unwrap_or(by_class)
            };
            let truth = [m.cases[case].clone()];
            let job_seed = seed * 1000 + all.len() as u64;
            // an owner who notices nothing does not come
            if let Some(p) = play(m, m, lists, &truth, &setting(0.05), job_seed) {
                all.push(p);
                k += 1;
            }
        }
    }
    let right = all.iter().filter(|p| p.first_right).count();
    let ended = all.iter().filter(|p| p.finished).count();
    for p in all.iter().filter(|p| !p.first_right) {
        println!("NOT FIRST {}", told(p));
    }
    println!("{right} of {} right first, {ended} ended well", all.len());
    assert_eq!(all.len(), 90);
    // four are handed back as sound and two referred: the price of leaving sound vehicles alone
    assert!(right >= 74 && ended >= 82, "{right} right, {ended} ended");
}

/// Faults of every kind, followed by a careful technician: nothing misplaced, nothing missed.
#[test]
fn ten_faults_of_each_family_are_found() {
    let faults: [(&str, [&str; 10]); 4] = [
        (
            "gh48",
            [
                "batt-fuse-open",
                "pwr-unmated:main.1.pin",
                "ctl-5v-dead",
                "thr-sig-open",
                "brk-stuck:left",
                "pas-dead",
                "hall-lo:b",
                "ctl-fet-hi-short:V",
                "ctl-fet-lo-short:U",
                "gear-strip",
            ],
        ),
        (
            "ssb36",
            [
                "sla-open:2#2",
                "sla-cell-short:2",
                "ign-key-open",
                "ctl-br-fet-short",
                "ctl-br-fet-open",
                "ctl-br-relay",
                "brush-worn:brush-1#3",
                "thr-gnd-open",
                "brk-wire-short:right",
                "mot-lead-open:motor-leads.1.lead",
            ],
        ),
        (
            "rt12",
            [
                "batt-fuse-open",
                "rt-foot-open#3",
                "rt-foot-weld",
                "rt-dir:dir-reverse-plus",
                "rt-hilo:range-low",
                "rt-one-motor:armature-left",
                "rt-jack",
                "rt-board",
                "rt-motor-rev:left",
                "rt-gear:right",
            ],
        ),
        (
            "db72",
            [
                "bms-dsg-open",
                "ign-fuse-open",
                "kill-user",
                "stand-sw",
                "pre-open",
                "ctr-coil-open",
                "dcdc-dead",
                "thr-second#1",
                "hall-5v",
                "ctl-bus-short",
            ],
        ),
    ];
    let (models, lists) = world();
    let careful = Setting {
        errors: Errors {
            misprobe: 0.0,
            missed: 0.0,
            imagined: 0.0,
        },
        ..setting(0.0)
    };
    let mut wrong = Vec::new();
    for (family, keys) in faults {
        let m = models
            .iter()
            .find(|m| m.profile.family.id == family)
            .unwrap();
        for (k, key) in keys.iter().enumerate() {
            let case = m.cases.iter().find(|c| c.key == *key);
            let case = case.unwrap_or_else(|| panic!("{family} has no {key}"));
            assert!(class_of(m, case).is_some());
            let p = play(
                m,
                m,
                lists,
                std::slice::from_ref(case),
                &careful,
                40 + k as u64,
            );
            match p {
                None => wrong.push(format!("{family}, {key}: nobody notices it")),
                Some(p) if !p.first_right => wrong.push(format!("{family} {}", told(&p))),
                Some(_) => {}
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// The same seed plays the same job, word for word.
#[test]
fn a_job_is_played_the_same_twice() {
    let (models, lists) = world();
    let m = &models[0];
    let once = || {
        let p = play(m, m, lists, &[m.cases[200].clone()], &setting(0.05), 9).unwrap();
        (told(&p), p.minutes.to_bits())
    };
    assert_eq!(once(), once());
}
