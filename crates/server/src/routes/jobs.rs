//! Jobs: open, show, append, cards, record, export.

use crate::App;
use crate::auth::Who;
use crate::error::{ApiError, Problem};
use crate::routes::customers::CustomerCard;
use crate::work::{self, Loaded, Sent};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use serde::{Deserialize, Serialize};
use spannung_circuit::{Change, VehicleState};
use spannung_core::catalogue::Catalogue;
use spannung_core::diagnosis::tests;
use spannung_core::job::entry::{Body, Outcome};
use spannung_core::job::fold::Stage;
use spannung_core::job::gate::{self, Standing, Stop};
use spannung_core::job::map::{self, Map};
use spannung_core::job::record::{self, Line};
use spannung_core::job::view::{Bench, Card};
use spannung_core::job::{Job, Logged, Role};
use time::OffsetDateTime;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use uuid::Uuid;

/// Routes.
pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(open_job))
        .routes(routes!(show_job))
        .routes(routes!(add_entries))
        .routes(routes!(show_card))
        .routes(routes!(show_record))
        .routes(routes!(export_job))
        .routes(routes!(export_readings))
}

/// A new job with its first entries.
#[derive(Deserialize, ToSchema)]
struct NewJob {
    /// Made by the client: sending it twice opens one job.
    id: Uuid,
    /// First of them opens the job.
    entries: Vec<Sent>,
}

/// Entries to append.
#[derive(Deserialize, ToSchema)]
struct Append {
    entries: Vec<Sent>,
}

/// A symptom or risk factor of the job.
#[derive(Serialize, ToSchema)]
struct Told {
    id: String,
    name: String,
    definition: String,
    yes: Option<bool>,
    entry: Uuid,
}

/// An answer that can be given at the gate.
#[derive(Serialize, ToSchema)]
struct GateChoice {
    id: String,
    name: String,
    result: String,
}

/// A contact of the gate.
#[derive(Serialize, ToSchema)]
struct GateContact {
    id: String,
    name: String,
    /// `pack` or `job`.
    rests: String,
    ask: String,
    how: String,
    means: String,
    /// Answered with volts.
    figure: bool,
    answers: Vec<GateChoice>,
    /// `open`, `clear` or `stop`.
    standing: String,
    /// Answer given, in words.
    given: Option<String>,
    typed: Option<String>,
    #[serde(with = "time::serde::rfc3339::option")]
    at: Option<OffsetDateTime>,
    by: Option<String>,
    /// It came with the pack from another job.
    brought: bool,
}

/// A quarantine step.
#[derive(Serialize, ToSchema)]
struct QuarantineView {
    id: String,
    name: String,
    detail: String,
    done: bool,
    #[serde(with = "time::serde::rfc3339::option")]
    at: Option<OffsetDateTime>,
    by: Option<String>,
}

/// A line of what the pack has been through.
#[derive(Serialize, ToSchema)]
struct PackLine {
    job: i32,
    #[serde(with = "time::serde::rfc3339")]
    at: OffsetDateTime,
    text: String,
}

/// The gate.
#[derive(Serialize, ToSchema)]
struct GateView {
    standing: Standing,
    contacts: Vec<GateContact>,
    stops: Vec<Stop>,
    quarantine: Vec<QuarantineView>,
    /// Floor of the pack, volts.
    floor_volts: f64,
    history: Vec<PackLine>,
}

/// The pack.
#[derive(Serialize, ToSchema)]
struct PackRef {
    id: Uuid,
    sticker: String,
}

/// A part line.
#[derive(Serialize, ToSchema)]
struct PartView {
    entry: Uuid,
    old: Option<String>,
    fate: Option<String>,
    new: Option<String>,
    class: Option<String>,
    minutes: f64,
    price_cents: Option<i64>,
}

/// What it waits for.
#[derive(Serialize, ToSchema)]
pub struct WaitView {
    /// Kind.
    pub kind: spannung_core::job::entry::WaitKind,
    /// In words.
    pub what: String,
    /// Comes free.
    #[serde(with = "time::serde::rfc3339::option")]
    pub until: Option<OffsetDateTime>,
}

/// How it was closed.
#[derive(Serialize, ToSchema)]
struct ClosedView {
    outcome: Outcome,
    class: Option<String>,
    cause_confirmed: bool,
    words: String,
    #[serde(with = "time::serde::rfc3339")]
    at: OffsetDateTime,
}

/// A job as the page shows it.
#[derive(Serialize, ToSchema)]
struct JobView {
    id: Uuid,
    number: i32,
    /// Newest sequence: goes back as `based_on`.
    head: i64,
    stage: Stage,
    words: String,
    volts_class: u16,
    drive: String,
    vehicle: String,
    frame_number: Option<String>,
    controller: Option<String>,
    symptoms: Vec<Told>,
    risks: Vec<Told>,
    customer: Option<CustomerCard>,
    customer_id: Option<Uuid>,
    #[serde(with = "time::serde::rfc3339::option")]
    promised: Option<OffsetDateTime>,
    value_cents: Option<i64>,
    limit_cents: Option<i64>,
    pack: Option<PackRef>,
    state: VehicleState,
    changes: Vec<Change>,
    parts: Vec<PartView>,
    waiting: Option<WaitView>,
    closed: Option<ClosedView>,
    gate: GateView,
    bench: Bench,
    map: Map,
    #[serde(with = "time::serde::rfc3339")]
    now: OffsetDateTime,
}

async fn view(app: &App, loaded: Loaded, role: Role) -> Result<Json<JobView>, ApiError> {
    let Loaded { row, job, .. } = loaded;
    let customer = match row.customer_id {
        Some(id) => app.store.customer(id).await?,
        None => None,
    };
    let history = match &job.pack {
        Some((id, _)) => app.store.pack_history(*id).await?,
        None => Vec::new(),
    };
    let (bench, map) = work::weigh(app, job.clone(), role, |w| {
        let bench = w.bench();
        let next = bench.next.as_ref().map(|n| n.test.clone());
        let map = map::map(w, next.as_deref());
        (bench, map)
    })
    .await?;
    let c = &app.catalogue;
    let told = |id: &str, name: Option<(String, String)>, yes: Option<bool>, entry: Uuid| {
        let (name, definition) = name.unwrap_or_else(|| (id.to_string(), String::new()));
        Told {
            id: id.to_string(),
            name,
            definition,
            yes,
            entry,
        }
    };
    Ok(Json(JobView {
        id: row.id,
        number: row.number,
        head: job.head,
        stage: job.stage(c),
        symptoms: job
            .symptoms
            .iter()
            .map(|s| {
                told(
                    &s.0,
                    c.symptom(&s.0)
                        .map(|x| (x.name.clone(), x.definition.clone())),
                    s.1,
                    s.3,
                )
            })
            .collect(),
        risks: job
            .risks
            .iter()
            .map(|r| {
                let spec = c.risks.iter().find(|x| x.id == r.0);
                told(
                    &r.0,
                    spec.map(|x| (x.name.clone(), x.definition.clone())),
                    r.1,
                    r.2,
                )
            })
            .collect(),
        gate: gate_view(c, &job, history),
        words: job.words,
        volts_class: job.volts_class,
        drive: job.drive,
        vehicle: job.vehicle,
        frame_number: job.frame_number,
        controller: job.controller,
        customer: customer.map(|x| CustomerCard {
            name: x.name,
            contact: x.contact,
        }),
        customer_id: row.customer_id,
        promised: job.promised,
        value_cents: job.value_cents,
        limit_cents: job.limit_cents,
        pack: job.pack.map(|(id, sticker)| PackRef { id, sticker }),
        state: job.state,
        changes: job.changes,
        parts: job
            .parts
            .into_iter()
            .filter_map(|p| match p.body {
                Body::Part {
                    old,
                    fate,
                    new,
                    class,
                    minutes,
                    price_cents,
                } => Some(PartView {
                    entry: p.entry,
                    old,
                    fate: fate.map(|f| record::fate_words(f).into()),
                    new,
                    class,
                    minutes,
                    price_cents,
                }),
                _ => None,
            })
            .collect(),
        waiting: job.waiting.map(|w| WaitView {
            kind: w.kind,
            what: w.what,
            until: w.until,
        }),
        closed: job.closed.map(|x| ClosedView {
            outcome: x.outcome,
            class: x.class,
            cause_confirmed: x.cause_confirmed,
            words: x.words,
            at: x.at,
        }),
        bench,
        map,
        now: app.clock.now(),
    }))
}

fn gate_view(c: &Catalogue, job: &Job, history: Vec<(i32, Logged)>) -> GateView {
    let contacts = c
        .gate
        .iter()
        .map(|check| {
            let given = job.gate.get(check.id.get_ref());
            let answer = given.and_then(|g| check.answers.iter().find(|a| a.id == g.answer));
            GateContact {
                id: check.id.get_ref().clone(),
                name: check.name.clone(),
                rests: check.rests.clone(),
                ask: check.ask.clone(),
                how: check.how.clone(),
                means: check.means.clone(),
                figure: check.figure,
                answers: check
                    .answers
                    .iter()
                    .map(|a| GateChoice {
                        id: a.id.clone(),
                        name: a.name.clone(),
                        result: a.result.clone(),
                    })
                    .collect(),
                standing: answer.map_or("open", |a| a.result.as_str()).into(),
                given: answer.map(|a| a.name.clone()),
                typed: given.and_then(|g| g.typed.clone()),
                at: given.map(|g| g.at),
                by: given.map(|g| g.by.clone()),
                brought: given.is_some_and(|g| g.brought),
            }
        })
        .collect();
    let name = |id: &str| id.to_string();
    GateView {
        standing: gate::standing(c, job),
        contacts,
        stops: job.stops.clone(),
        quarantine: c
            .quarantine
            .iter()
            .map(|q| {
                let done = job.quarantine.get(&q.id);
                QuarantineView {
                    id: q.id.clone(),
                    name: q.name.clone(),
                    detail: q.detail.clone(),
                    done: done.is_some(),
                    at: done.map(|d| d.0),
                    by: done.map(|d| d.1.clone()),
                }
            })
            .collect(),
        floor_volts: job
            .family(c)
            .map_or(0.0, spannung_circuit::Family::floor_volts),
        history: history
            .iter()
            .take(8)
            .map(|(number, e)| PackLine {
                job: *number,
                at: e.at,
                text: record::lines(c, std::slice::from_ref(e), &name)
                    .first()
                    .map_or(String::new(), |l| {
                        if l.value.is_empty() {
                            l.text.clone()
                        } else {
                            format!("{}, {}", l.text, l.value)
                        }
                    }),
            })
            .collect(),
    }
}

#[utoipa::path(post, path = "/jobs", request_body = NewJob, responses((status = 200, body = JobView), (status = "4XX", body = Problem)))]
async fn open_job(
    State(app): State<App>,
    Who(person): Who,
    Json(new): Json<NewJob>,
) -> Result<Json<JobView>, ApiError> {
    // the entries are checked before the job gets its number
    if let Some(Sent { body, .. }) = new.entries.first()
        && app.store.job(new.id).await.is_err()
    {
        spannung_core::job::admit::admit(&app.catalogue, &Job::default(), body, person.role)?;
    }
    if new.entries.is_empty() {
        return Err(ApiError::refused(
            StatusCode::UNPROCESSABLE_ENTITY,
            "no-entries",
            Some("entries"),
            "A job begins with what the customer said.",
        ));
    }
    app.store.open_job(new.id).await?;
    work::append(&app, new.id, &new.entries, &person.name, person.role).await?;
    view(&app, work::load(&app, new.id).await?, person.role).await
}

#[utoipa::path(get, path = "/jobs/{id}", params(("id" = Uuid, Path)), responses((status = 200, body = JobView), (status = "4XX", body = Problem)))]
async fn show_job(
    State(app): State<App>,
    Who(person): Who,
    Path(id): Path<Uuid>,
) -> Result<Json<JobView>, ApiError> {
    view(&app, work::load(&app, id).await?, person.role).await
}

#[utoipa::path(post, path = "/jobs/{id}/entries", params(("id" = Uuid, Path)), request_body = Append, responses((status = 200, body = JobView), (status = "4XX", body = Problem)))]
async fn add_entries(
    State(app): State<App>,
    Who(person): Who,
    Path(id): Path<Uuid>,
    Json(sent): Json<Append>,
) -> Result<Json<JobView>, ApiError> {
    work::append(&app, id, &sent.entries, &person.name, person.role).await?;
    view(&app, work::load(&app, id).await?, person.role).await
}

#[utoipa::path(get, path = "/jobs/{id}/tests/{test}", params(("id" = Uuid, Path), ("test" = String, Path)), responses((status = 200, body = Card), (status = "4XX", body = Problem)))]
async fn show_card(
    State(app): State<App>,
    Who(person): Who,
    Path((id, test)): Path<(Uuid, String)>,
) -> Result<Json<Card>, ApiError> {
    let loaded = work::load(&app, id).await?;
    let card = work::weigh(&app, loaded.job, person.role, move |w| w.card_of(&test)).await?;
    card.map(Json)
        .ok_or_else(|| ApiError::not_found("test on this vehicle"))
}

/// The record of a job.
#[derive(Serialize, ToSchema)]
struct RecordView {
    number: i32,
    vehicle: String,
    words: String,
    minutes: f64,
    parts_cents: i64,
    outcome: Option<Outcome>,
    cause_confirmed: bool,
    mended: Option<String>,
    customer: Option<CustomerCard>,
    frame_number: Option<String>,
    lines: Vec<Line>,
}

#[utoipa::path(get, path = "/jobs/{id}/record", params(("id" = Uuid, Path)), responses((status = 200, body = RecordView), (status = "4XX", body = Problem)))]
async fn show_record(
    State(app): State<App>,
    Who(person): Who,
    Path(id): Path<Uuid>,
) -> Result<Json<RecordView>, ApiError> {
    let Loaded {
        row, entries, job, ..
    } = work::load(&app, id).await?;
    let customer = match row.customer_id {
        Some(id) => app.store.customer(id).await?,
        None => None,
    };
    let catalogue = std::sync::Arc::clone(&app.catalogue);
    let lines = work::weigh(&app, job.clone(), person.role, move |w| {
        record::lines(&catalogue, &entries, &|t| work::test_name(w, t))
    })
    .await?;
    let price = |p: &spannung_core::job::fold::PartLine| match p.body {
        Body::Part { price_cents, .. } => price_cents.unwrap_or(0),
        _ => 0,
    };
    Ok(Json(RecordView {
        number: row.number,
        parts_cents: job.parts.iter().map(price).sum(),
        vehicle: job.vehicle,
        words: job.words,
        minutes: job.minutes,
        outcome: job.closed.as_ref().map(|c| c.outcome),
        cause_confirmed: job.closed.as_ref().is_some_and(|c| c.cause_confirmed),
        mended: job.closed.as_ref().and_then(|c| c.class.as_ref()).map(|c| {
            app.catalogue
                .classes
                .get(c)
                .map_or(c.clone(), |k| k.name.clone())
        }),
        customer: customer.map(|x| CustomerCard {
            name: x.name,
            contact: x.contact,
        }),
        frame_number: job.frame_number,
        lines,
    }))
}

/// The bundle of a job: everything but the customer's card.
#[derive(Serialize, ToSchema)]
struct Bundle {
    format: String,
    number: i32,
    id: Uuid,
    catalogue: String,
    engine: String,
    entries: Vec<Logged>,
}

fn attachment(kind: &'static str, name: &str, body: String) -> Response {
    (
        [
            (header::CONTENT_TYPE, kind.to_string()),
            (
                header::CONTENT_DISPOSITION,
                format!("attachment; filename=\"{name}\""),
            ),
        ],
        body,
    )
        .into_response()
}

#[utoipa::path(get, path = "/jobs/{id}/export.json", params(("id" = Uuid, Path)), responses((status = 200, body = Bundle), (status = "4XX", body = Problem)))]
async fn export_job(
    State(app): State<App>,
    _: Who,
    Path(id): Path<Uuid>,
) -> Result<Response, ApiError> {
    let row = app.store.job(id).await?;
    let bundle = Bundle {
        format: "spannung-job-1".into(),
        number: row.number,
        id,
        catalogue: app.catalogue.hash.clone(),
        engine: env!("CARGO_PKG_VERSION").into(),
        entries: app.store.entries(id).await?,
    };
    let text = serde_json::to_string_pretty(&bundle).map_err(|_| ApiError::internal("export"))?;
    Ok(attachment(
        "application/json",
        &format!("job-{:04}.json", row.number),
        text,
    ))
}

#[utoipa::path(get, path = "/jobs/{id}/readings.csv", params(("id" = Uuid, Path)), responses((status = 200, body = String, content_type = "text/csv"), (status = "4XX", body = Problem)))]
async fn export_readings(
    State(app): State<App>,
    Who(person): Who,
    Path(id): Path<Uuid>,
) -> Result<Response, ApiError> {
    let Loaded { row, job, .. } = work::load(&app, id).await?;
    let text = work::weigh(&app, job, person.role, readings_csv)
        .await?
        .map_err(|_| ApiError::internal("csv"))?;
    Ok(attachment(
        "text/csv; charset=utf-8",
        &format!("job-{:04}-readings.csv", row.number),
        text,
    ))
}

fn readings_csv(w: &spannung_core::job::bench::Weighed<'_>) -> Result<String, csv::Error> {
    let mut out = csv::WriterBuilder::new()
        .terminator(csv::Terminator::CRLF)
        .from_writer(Vec::new());
    out.write_record([
        "number",
        "time",
        "by",
        "test",
        "name",
        "low (SI)",
        "high (SI)",
        "unit",
        "result",
        "as expected",
        "state",
        "struck out",
    ])?;
    for (k, t) in w.job.taken.iter().enumerate() {
        let index = tests::find(&w.model.tests, &t.test);
        let (value, mark, _) = index.map_or_else(
            || (t.typed.clone(), "none", String::new()),
            |i| w.judge(i, t),
        );
        let figure = |f: f64| {
            if f.is_infinite() {
                "OL".to_string()
            } else {
                format!("{f}")
            }
        };
        let (low, high, unit) = t.figure.map_or_else(
            || (String::new(), String::new(), String::new()),
            |f| (figure(f.low), figure(f.high), f.unit.symbol().to_string()),
        );
        let time =
            t.at.format(&time::format_description::well_known::Rfc3339)
                .unwrap_or_default();
        out.write_record([
            (k + 1).to_string(),
            time,
            record::guarded(&t.by),
            record::guarded(&t.test),
            record::guarded(&work::test_name(w, &t.test)),
            low,
            high,
            unit,
            if t.figure.is_some() {
                String::new()
            } else {
                record::guarded(&value)
            },
            mark.to_string(),
            record::guarded(&spannung_core::job::bench::state_words(&t.state)),
            if t.voided { "yes" } else { "" }.to_string(),
        ])?;
    }
    let bytes = out
        .into_inner()
        .map_err(|e| csv::Error::from(std::io::Error::other(e.to_string())))?;
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}
