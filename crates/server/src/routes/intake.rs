//! Intake before a job exists: what was said becomes symptoms, first suspects, the question that
//! splits them. Nothing is stored.

use crate::App;
use crate::ahead;
use crate::auth::Who;
use crate::error::{ApiError, Problem};
use crate::work;
use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use spannung_circuit::{Change, KnownFrom};
use spannung_core::diagnosis::belief::Belief;
use spannung_core::diagnosis::choose;
use spannung_core::diagnosis::evidence::{Evidence, Item};
use spannung_core::hearing;
use spannung_core::job::entry;
use spannung_core::job::has::SlotView;
use spannung_core::job::map::{self, Map};
use spannung_core::job::standstill::StandstillView;
use spannung_core::job::view::Bench;
use spannung_core::job::{Body, Job, Logged, admit};
use spannung_store::people::Person;
use std::collections::BTreeSet;
use std::sync::Arc;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use uuid::Uuid;

/// Complaints to press when none was heard.
const COMMONEST: usize = 8;

/// Routes.
pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(preview))
        .routes(routes!(look_ahead_at_intake))
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
    /// Ready build that it is like, as somebody chose it; none: the one that the words speak of.
    #[serde(default)]
    like: Option<String>,
    /// Answers that overrule what is heard in the words.
    #[serde(default)]
    symptoms: Vec<AnswerGiven>,
    #[serde(default)]
    risks: Vec<AnswerGiven>,
    /// What is known to be otherwise on it already.
    #[serde(default)]
    changes: Vec<Change>,
}

/// A vehicle of which somebody looks at what fits in a slot.
#[derive(Deserialize, ToSchema)]
struct LookedAtVehicle {
    known: Known,
    slot: String,
}

/// An entry of a job that is not there yet, the `k`th.
fn logged(app: &App, person: &Person, k: usize, body: &Body) -> Logged {
    Logged {
        id: Uuid::from_u128(k as u128 + 1),
        seq: k as i64 + 1,
        at: app.clock.now(),
        by: person.name.clone(),
        by_id: Some(person.id),
        body: body.clone(),
    }
}

impl Known {
    /// The ready build that the words speak of, where nobody chose one.
    fn called(&self, app: &App) -> Option<String> {
        let chosen = self
            .changes
            .iter()
            .any(|c| matches!(c, Change::Kind { .. }));
        if chosen || self.like.is_some() {
            return None;
        }
        let called = hearing::called(&app.catalogue, &self.words, self.volts_class, &self.drive);
        called.map(|f| f.id.clone())
    }

    /// What is known of the vehicle as entries, and the job that comes of them.
    fn vehicle(&self, app: &App, person: &Person) -> Result<(Vec<Body>, Job), ApiError> {
        let opened = Body::Opened(entry::Opened {
            words: self.words.clone(),
            volts_class: self.volts_class,
            drive: self.drive.clone(),
            seconds: 0.0,
            from_job: None,
        });
        admit::admit(&app.catalogue, &Job::default(), &opened, person.role)?;
        let mut vehicle = Job::default();
        vehicle.next(&app.catalogue, &logged(app, person, 0, &opened));
        let mut bodies = vec![opened];
        let called = self.called(app).map(|family| Change::Kind { family });
        for change in called.iter().chain(&self.changes) {
            // at the intake a component is pressed by whoever stands before it
            let seen = matches!(change, Change::Component { .. });
            let body = Body::Change(entry::Change {
                change: change.clone(),
                source: seen.then_some(KnownFrom::Seen),
            });
            admit::admit(&app.catalogue, &vehicle, &body, person.role)?;
            let entry = logged(app, person, bodies.len(), &body);
            vehicle.next(&app.catalogue, &entry);
            bodies.push(body);
        }
        Ok((bodies, vehicle))
    }
}

/// Somebody looks at what fits in a slot: what may be pressed there is worked out ahead. Nothing is stored.
#[utoipa::path(post, path = "/intake/ahead", request_body = LookedAtVehicle, responses((status = 204), (status = "4XX", body = Problem)))]
async fn look_ahead_at_intake(
    State(app): State<App>,
    Who(person): Who,
    Json(at): Json<LookedAtVehicle>,
) -> Result<StatusCode, ApiError> {
    let (_, vehicle) = at.known.vehicle(&app, &person)?;
    ahead::look(&app, None, &vehicle, &at.slot)?;
    Ok(StatusCode::NO_CONTENT)
}

/// Words in the customer's words, in UTF-16 units.
#[derive(Serialize, ToSchema)]
struct Place {
    from: usize,
    to: usize,
}

/// A symptom or risk heard or answered.
#[derive(Serialize, ToSchema)]
struct Heard {
    id: String,
    /// `symptom` or `risk`.
    kind: String,
    name: String,
    definition: String,
    /// Where in the customer's words it was heard; none when it was pressed.
    at: Vec<Place>,
    /// Told, denied, or taken away.
    yes: Option<bool>,
    caution: Option<String>,
}

/// A complaint to press.
#[derive(Serialize, ToSchema)]
struct Complaint {
    symptom: String,
    name: String,
    definition: String,
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
    /// The ready build that the words speak of, where nobody chose one and they speak of one.
    called: Option<String>,
    heard: Vec<Heard>,
    /// The commonest complaints of such a vehicle, when none was heard.
    commonest: Vec<Complaint>,
    question: Option<Question>,
    /// None for a vehicle without a wiring model.
    bench: Option<Bench>,
    map: Option<Map>,
    /// What the vehicle has, as far as anybody said; the rest is assumed.
    has: Vec<SlotView>,
    /// Why it would not drive as it is put together here, with nothing broken.
    standstill: Option<StandstillView>,
}

#[utoipa::path(post, path = "/intake", request_body = Known, responses((status = 200, body = Preview), (status = "4XX", body = Problem)))]
async fn preview(
    State(app): State<App>,
    Who(person): Who,
    Json(known): Json<Known>,
) -> Result<Json<Preview>, ApiError> {
    let catalogue = Arc::clone(&app.catalogue);
    let (mut bodies, vehicle) = known.vehicle(&app, &person)?;
    let called = known.called(&app);
    let family = vehicle.family(&catalogue);
    let found = hearing::hear(&catalogue, &known.words, family);
    let mut heard = Vec::new();
    // what was pressed goes before what was heard, and stays where the vehicle can show it
    let given = |id: &str, of: &[AnswerGiven]| of.iter().find(|g| g.id == id).map(|g| g.yes);
    let pressed = known.symptoms.iter().chain(&known.risks);
    let apart = pressed.filter(|g| !found.iter().any(|h| h.id == g.id));
    let all = found
        .iter()
        .map(|h| {
            let at = h.utf16(&known.words).into_iter();
            let at = at.map(|(from, to)| Place { from, to }).collect();
            (h.id.clone(), at, Some(h.yes))
        })
        .chain(apart.map(|g| (g.id.clone(), Vec::new(), g.yes)));
    for (id, at, yes) in all {
        if let Some(spec) = catalogue.symptom(&id) {
            if family.is_some_and(|f| !f.fits(&spec.fits)) {
                continue;
            }
            let yes = given(&id, &known.symptoms).unwrap_or(yes);
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
                at,
                yes,
                caution: spec.caution.clone(),
            });
        } else if let Some(spec) = catalogue.risks.iter().find(|r| r.id == id) {
            let yes = given(&id, &known.risks).unwrap_or(yes);
            bodies.push(Body::Risk(entry::Risk {
                risk: id.clone(),
                yes,
            }));
            heard.push(Heard {
                id,
                kind: "risk".into(),
                name: spec.name.clone(),
                definition: spec.definition.clone(),
                at,
                yes,
                caution: None,
            });
        }
    }
    let told = heard
        .iter()
        .any(|h| h.kind == "symptom" && h.yes == Some(true));
    let commonest = if told {
        Vec::new()
    } else {
        let ids = hearing::commonest(&catalogue, family, COMMONEST);
        let specs = ids.iter().filter_map(|id| catalogue.symptom(id));
        specs
            .map(|s| Complaint {
                symptom: s.id.get_ref().clone(),
                name: s.name.clone(),
                definition: s.definition.clone(),
            })
            .collect()
    };
    let entries = bodies.iter().enumerate();
    let entries: Vec<Logged> = entries.map(|(k, b)| logged(&app, &person, k, b)).collect();
    let job = Job::fold(&app.catalogue, &entries, &[]);
    if job.family(&app.catalogue).is_none() {
        return Ok(Json(Preview {
            called: None,
            heard,
            commonest,
            question: None,
            bench: None,
            map: None,
            has: Vec::new(),
            standstill: None,
        }));
    }
    let (bench, map, question, has, standstill) = work::weigh(&app, job, person.role, move |w| {
        let bench = w.bench();
        let has = w.job.has(&catalogue);
        let standstill = w.job.standstill(&catalogue);
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
                            effect: "changes nothing".into(),
                        },
                    ],
                })
            });
        (bench, map, question, has, standstill)
    })
    .await?;
    Ok(Json(Preview {
        called,
        heard,
        commonest,
        question,
        bench: Some(bench),
        map: Some(map),
        has,
        standstill,
    }))
}
