//! How long the proof of a usual job is: what the vehicle has, what was touched, moved or complained of, and what always counts.

use crate::common::{Log, catalogue, models};
use spannung_core::job::entry::{self, Body};
use spannung_core::job::proof;
use std::collections::BTreeMap;

/// Checks of a job on a family after this class was mended, with the complaint that the class causes most.
fn asked(
    family: &spannung_circuit::Family,
    class: Option<&str>,
    complaint: Option<&str>,
) -> Vec<String> {
    let mut log = Log::of_family(family);
    if let Some(symptom) = complaint {
        log.add(Body::Symptom(entry::Symptom {
            symptom: symptom.into(),
            yes: Some(true),
            by_customer: true,
        }));
    }
    if let Some(class) = class {
        log.add(Body::Part(entry::Part {
            old: None,
            fate: None,
            new: Some("a part".into()),
            class: Some(class.into()),
            minutes: 1.0,
            price_cents: None,
        }));
    }
    let rows = proof::rows(catalogue(), &log.job(), &[], None);
    rows.into_iter().map(|r| r.check).collect()
}

#[test]
fn a_usual_job_is_proved_in_eight_to_fourteen_checks() {
    let mut lengths: BTreeMap<String, Vec<usize>> = BTreeMap::new();
    let mut wrong = Vec::new();
    for m in models() {
        let family = &m.profile.family;
        for class in &m.classes {
            // what somebody would complain of: the symptom that its faults cause most
            let mut told: Vec<(&str, f64)> = Vec::new();
            for prior in catalogue().priors.values().filter(|p| p.class == class.id) {
                for (s, p) in &prior.symptoms {
                    if catalogue().symptom(s).is_some_and(|x| family.fits(&x.fits)) {
                        told.push((s, *p));
                    }
                }
            }
            told.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(b.0)));
            let checks = asked(family, Some(&class.id), told.first().map(|t| t.0));
            lengths
                .entry(family.id.clone())
                .or_default()
                .push(checks.len());
            if !(8..=14).contains(&checks.len()) {
                wrong.push(format!(
                    "{} {} {}: {checks:?}",
                    family.id,
                    class.id,
                    checks.len()
                ));
            }
        }
        let sound = asked(family, None, Some("S02"));
        if !(8..=14).contains(&sound.len()) {
            wrong.push(format!("{} sound: {sound:?}", family.id));
        }
    }
    for (family, of) in &lengths {
        let mean = of.iter().sum::<usize>() as f64 / of.len() as f64;
        println!(
            "{family}: {:?} to {:?}, mean {mean:.1}",
            of.iter().min(),
            of.iter().max()
        );
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}
