//! Intake before a job exists: what was said becomes symptoms, first suspects, the question that
//! splits them. Nothing is stored.

use crate::App;
use crate::auth::Who;
use crate::error::{ApiError, Problem};
use crate::work;
use axum::Json;
use axum::extract::State;
use serde::{Deserialize, Serialize};
use spannung_core::diagnosis::belief::Belief;
use spannung_core::diagnosis::choose;
use spannung_core::diagnosis::evidence::{Evidence, Item};
use spannung_core::job::entry;
use spannung_core::job::map::{self, Map};
use spannung_core::job::view::Bench;
use spannung_core::job::{Body, Job, Logged, admit};
use std::collections::BTreeSet;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use uuid::Uuid;

/// Routes.
pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(preview))
}

/// An answer: a symptom or risk factor, yes, no or not known.
#[derive(Debug, Clone, Deserialize, ToSchema)]
struct AnswerGiven {
    id: String,
    yes: Option<bool>,
}

/// What is known so far.
#[derive(Deserialize, ToSchema)]
struct Known {
    /// In the customer's words.
    words: String,
    volts_class: u16,
    drive: String,
    /// Answers that overrule what is heard in the words.
    #[serde(default)]
    symptoms: Vec<AnswerGiven>,
    #[serde(default)]
    risks: Vec<AnswerGiven>,
}

/// A symptom or risk heard or answered.
#[derive(Serialize, ToSchema)]
struct Heard {
    id: String,
    /// `symptom` or `risk`.
    kind: String,
    name: String,
    definition: String,
    /// Phrase in the customer's words that told it.
    phrase: Option<String>,
    yes: Option<bool>,
    caution: Option<String>,
}

/// An answer to the question and what it would do.
#[derive(Serialize, ToSchema)]
struct QuestionAnswer {
    yes: Option<bool>,
    name: String,
    effect: String,
}

/// The question that would tell most.
#[derive(Serialize, ToSchema)]
struct Question {
    symptom: String,
    ask: String,
    name: String,
    definition: String,
    answers: Vec<QuestionAnswer>,
}

/// First suspects.
#[derive(Serialize, ToSchema)]
struct Preview {
    heard: Vec<Heard>,
    question: Option<Question>,
    /// None for a vehicle without a wiring model.
    bench: Option<Bench>,
    map: Option<Map>,
}

#[utoipa::path(post, path = "/intake", request_body = Known, responses((status = 200, body = Preview), (status = "4XX", body = Problem)))]
async fn preview(
    State(app): State<App>,
    Who(person): Who,
    Json(known): Json<Known>,
) -> Result<Json<Preview>, ApiError> {
    let opened = Body::Opened(entry::Opened {
        words: known.words.clone(),
        volts_class: known.volts_class,
        drive: known.drive.clone(),
        seconds: 0.0,
        from_job: None,
    });
    admit::admit(&app.catalogue, &Job::default(), &opened, person.role)?;
    let (symptoms, risks) = app.catalogue.hear(&known.words);
    let mut heard = Vec::new();
    let mut bodies = vec![opened];
    let merge = |found: Vec<(String, String)>,
                 given: &[AnswerGiven]|
     -> Vec<(String, Option<String>, Option<bool>)> {
        let mut out: Vec<(String, Option<String>, Option<bool>)> = found
            .into_iter()
            .map(|(id, phrase)| (id, Some(phrase), Some(true)))
            .collect();
        for g in given {
            match out.iter_mut().find(|o| o.0 == g.id) {
                Some(o) => o.2 = g.yes,
                None => out.push((g.id.clone(), None, g.yes)),
            }
        }
        out
    };
    for (id, phrase, yes) in merge(risks, &known.risks) {
        let Some(spec) = app.catalogue.risks.iter().find(|r| r.id == id) else {
            continue;
        };
        bodies.push(Body::Risk(entry::Risk {
            risk: id.clone(),
            yes,
        }));
        heard.push(Heard {
            id,
            kind: "risk".into(),
            name: spec.name.clone(),
            definition: spec.definition.clone(),
            phrase,
            yes,
            caution: None,
        });
    }
    for (id, phrase, yes) in merge(symptoms, &known.symptoms) {
        let Some(spec) = app.catalogue.symptom(&id) else {
            continue;
        };
        bodies.push(Body::Symptom(entry::Symptom {
            symptom: id.clone(),
            yes,
            by_customer: true,
        }));
        heard.push(Heard {
            id,
            kind: "symptom".into(),
            name: spec.name.clone(),
            definition: spec.definition.clone(),
            phrase,
            yes,
            caution: spec.caution.clone(),
        });
    }
    let now = app.clock.now();
    let entries: Vec<Logged> = bodies
        .into_iter()
        .enumerate()
        .map(|(k, body)| Logged {
            id: Uuid::from_u128(k as u128 + 1),
            seq: k as i64 + 1,
            at: now,
            by: person.name.clone(),
            by_id: Some(person.id),
            body,
        })
        .collect();
    let job = Job::fold(&app.catalogue, &entries, &[]);
    if job.family(&app.catalogue).is_none() {
        return Ok(Json(Preview {
            heard,
            question: None,
            bench: None,
            map: None,
        }));
    }
    let catalogue = std::sync::Arc::clone(&app.catalogue);
    let (bench, map, question) = work::weigh(&app, job, person.role, move |w| {
        let bench = w.bench();
        let next = bench.next.as_ref().map(|n| n.test.clone());
        let map = map::map(w, next.as_deref());
        let asked: BTreeSet<String> = w.job.symptoms.iter().map(|s| s.symptom.clone()).collect();
        let askable: BTreeSet<String> = catalogue
            .symptoms
            .iter()
            .filter(|s| !s.ask.is_empty())
            .map(|s| s.id.get_ref().clone())
            .collect();
        let question =
            choose::question(w.model, &w.belief, &asked, &askable).and_then(|(id, _)| {
                let spec = catalogue.symptom(&id)?;
                let effect = |yes: bool| {
                    let mut evidence = w.evidence.clone();
                    evidence.push(Evidence {
                        entry: "question".into(),
                        item: Item::Symptom {
                            id: id.clone(),
                            yes,
                            customer: true,
                        },
                    });
                    let after = Belief::of(w.model, &evidence).classes(w.model);
                    let before = w.belief.classes(w.model);
                    let best = (0..after.len()).max_by(|a, b| {
                        (after[*a] - before[*a])
                            .total_cmp(&(after[*b] - before[*b]))
                            .then(b.cmp(a))
                    })?;
                    Some(format!(
                        "{} {:.0} to {:.0} %",
                        w.model.classes[best].name,
                        before[best] * 100.0,
                        after[best] * 100.0
                    ))
                };
                Some(Question {
                    symptom: id.clone(),
                    ask: spec.ask.clone(),
                    name: spec.name.clone(),
                    definition: spec.definition.clone(),
                    answers: vec![
                        QuestionAnswer {
                            yes: Some(true),
                            name: "Yes".into(),
                            effect: effect(true).unwrap_or_default(),
                        },
                        QuestionAnswer {
                            yes: Some(false),
                            name: "No".into(),
                            effect: effect(false).unwrap_or_default(),
                        },
                        QuestionAnswer {
                            yes: None,
                            name: "Cannot tell".into(),
                            effect: "nothing moves".into(),
                        },
                    ],
                })
            });
        (bench, map, question)
    })
    .await?;
    Ok(Json(Preview {
        heard,
        question,
        bench: Some(bench),
        map: Some(map),
    }))
}
