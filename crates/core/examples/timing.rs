//! Prints how long the model of a family takes to build and a reading to answer (wall clock).

use spannung_circuit::family::Carries;
use spannung_circuit::{Change, Family, Profile};
use spannung_core::catalogue::Catalogue;
use spannung_core::diagnosis::choose::{self, Situation};
use spannung_core::diagnosis::column::Column;
use spannung_core::diagnosis::plan::{self, Prices};
use spannung_core::diagnosis::{Answer, Belief, Course, Evidence, Item, Model};
use std::time::Instant;

/// As the server has it.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// A signal strand with thinner wires than usual.
fn edit(family: &Family) -> Change {
    let strand = family
        .strands
        .iter()
        .find(|s| s.carries == Carries::Signals);
    let strand = strand.unwrap_or(&family.strands[0]);
    Change::Gauge {
        strand: strand.id.get_ref().clone(),
        mm2: strand.mm2() * 0.6,
    }
}

/// What a vehicle answers, sound or with a fault.
fn answer(model: &Model, test: usize, fault: Option<usize>) -> Answer {
    match &*model.columns[test] {
        Column::Figures {
            scale, readings, ..
        } => {
            let p = fault.map_or(&readings.healthy, |k| readings.of(k));
            Answer::Figure {
                low: scale.from(p.mean[0]),
                high: scale.from(p.mean[1]),
            }
        }
        Column::Outcomes { .. } => Answer::Outcome(0, None),
    }
}

fn moves(model: &Model, test: usize, case: usize) -> bool {
    match &*model.columns[test] {
        Column::Figures { readings, .. } => readings.moved(case).is_some(),
        Column::Outcomes { .. } => false,
    }
}

fn reading(model: &Model, test: usize, fault: Option<usize>) -> Evidence {
    Evidence {
        entry: test.to_string(),
        item: Item::Test {
            test,
            answer: answer(model, test, fault),
            taken_in: None,
        },
    }
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let catalogue = Catalogue::shipped()?;
    // the longest complaint that is taken, with slips of the keys in it
    let long =
        "It cutts out uphil, smels burnt and the baterry gauge jumpes since the rain. ".repeat(26);
    let begun = Instant::now();
    for _ in 0..20 {
        std::hint::black_box(spannung_core::hearing::hear(&catalogue, &long, None));
    }
    println!(
        "hearing {} letters: {:.2} ms",
        long.len(),
        begun.elapsed().as_secs_f64() * 50.0
    );
    for family in &catalogue.families {
        let start = Instant::now();
        let model = Model::build(&catalogue, &Profile::new(family, &[])?)?;
        println!(
            "{}: model in {:?}, {:.1} MB; {} points, {} elements, {} fault cases of {} faults, {} tests",
            family.id,
            start.elapsed(),
            model.bytes() as f64 / 1e6,
            model.net.nodes.len(),
            model.net.elements.len(),
            model.cases.len(),
            model
                .cases
                .iter()
                .map(|c| &c.fault)
                .collect::<std::collections::BTreeSet<_>>()
                .len(),
            model.tests.len()
        );
        let change = edit(family);
        let changed = Profile::new(family, std::slice::from_ref(&change))?;
        let start = Instant::now();
        model.edited(&catalogue, &changed)?;
        println!("  after an edit in {:?} ({change:?})", start.elapsed());
        for component in family.build.components.iter().take(2) {
            let (slot, kind) = (component.slot.get_ref().clone(), component.kind.clone());
            let kind = Some(kind);
            let seen = Profile::new(family, &[Change::Component { slot, kind }])?;
            let start = Instant::now();
            model.edited(&catalogue, &seen)?;
            println!("  with a component seen in {:?}", start.elapsed());
        }
        // another component at the end of signal wires, or one less
        for (slot, kind) in [
            ("brake-right", None),
            ("throttle", Some("hall-foot-pedal")),
            ("shift", Some("shift-sensor")),
        ] {
            let (slot, kind) = (slot.to_string(), kind.map(str::to_string));
            let swap = Change::Component { slot, kind };
            let Ok(swapped) = Profile::new(family, std::slice::from_ref(&swap)) else {
                continue;
            };
            let start = Instant::now();
            model.edited(&catalogue, &swapped)?;
            println!("  with a swap in {:?} ({swap:?})", start.elapsed());
        }
        let mut evidence = vec![Evidence {
            entry: "symptom".into(),
            item: Item::Symptom {
                id: "S05".into(),
                yes: true,
                customer: true,
            },
        }];
        let mut situation = Situation {
            risk_limit: 3,
            ..Situation::default()
        };
        // a job of twenty readings, each as a sound vehicle reads
        for _ in 0..20 {
            let belief = Belief::of(&model, &evidence);
            let Some(best) = choose::rank(&model, &belief, &situation).into_iter().next() else {
                break;
            };
            situation.closed.insert(model.tests[best.test].id.clone());
            evidence.push(reading(&model, best.test, None));
        }
        let timed = |name: &str, evidence: &[Evidence]| {
            let start = Instant::now();
            let belief = Belief::of(&model, evidence);
            let ranked = choose::rank(&model, &belief, &situation);
            println!(
                "  {name} in {:?}, {} tests worth doing",
                start.elapsed(),
                ranked.len()
            );
            belief
        };
        timed("shares and next test after one answer", &evidence[..1]);
        let belief = timed("the same after twenty readings", &evidence);
        let mut course = Course::new(&model);
        course.after(&model, &evidence[..evidence.len() - 1]);
        let start = Instant::now();
        course.after(&model, &evidence);
        println!(
            "  shares, going on by one reading, in {:?}",
            start.elapsed()
        );
        let start = Instant::now();
        plan::forecast(&model, &belief, &situation, &Prices::default(), 1);
        println!("  forecast in {:?}", start.elapsed());
        // the likeliest fault was found with ten readings, mended, and the complaint shows still
        let weight = |k: &usize| model.hypotheses[*k].weight;
        let likeliest = (0..model.listed).max_by(|a, b| weight(a).total_cmp(&weight(b)));
        let class = likeliest.and_then(|k| model.hypotheses[k].class);
        evidence.truncate(1);
        for column in
            (0..model.tests.len()).filter(|t| likeliest.is_some_and(|k| moves(&model, *t, k)))
        {
            if evidence.len() <= 10 {
                evidence.push(reading(&model, column, likeliest));
            }
        }
        evidence.push(Evidence {
            entry: "failed".into(),
            item: Item::Failed {
                class: class.unwrap_or(0),
                still: std::collections::BTreeMap::new(),
            },
        });
        timed("with pairs after a failed repair", &evidence);
        timed("the same again", &evidence);
    }
    Ok(())
}
