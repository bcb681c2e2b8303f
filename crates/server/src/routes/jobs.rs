//! Jobs: open, show, append, cards, record, report.

use crate::App;
use crate::auth::Who;
use crate::error::{ApiError, Problem};
use crate::routes::customers::CustomerCard;
use crate::routes::view::{JobView, prices, view};
use crate::shop;
use crate::work::{self, Loaded, Sent};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use spannung_core::job::Job;
use spannung_core::job::entry::Outcome;
use spannung_core::job::items;
use spannung_core::job::profile::ProfileView;
use spannung_core::job::record::{self, Line};
use spannung_core::job::report::{self, Report};
use spannung_core::job::view::Card;
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
        .routes(routes!(show_forecast))
        .routes(routes!(show_profile))
        .routes(routes!(show_record))
        .routes(routes!(show_report))
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
    view(&app, work::load(&app, new.id).await?, &person).await
}

#[utoipa::path(get, path = "/jobs/{id}", params(("id" = Uuid, Path)), responses((status = 200, body = JobView), (status = "4XX", body = Problem)))]
async fn show_job(
    State(app): State<App>,
    Who(person): Who,
    Path(id): Path<Uuid>,
) -> Result<Json<JobView>, ApiError> {
    view(&app, work::load(&app, id).await?, &person).await
}

#[utoipa::path(post, path = "/jobs/{id}/entries", params(("id" = Uuid, Path)), request_body = Append, responses((status = 200, body = JobView), (status = "4XX", body = Problem)))]
async fn add_entries(
    State(app): State<App>,
    Who(person): Who,
    Path(id): Path<Uuid>,
    Json(sent): Json<Append>,
) -> Result<Json<JobView>, ApiError> {
    work::append(&app, id, &sent.entries, &person.name, person.role).await?;
    view(&app, work::load(&app, id).await?, &person).await
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

/// What the rest of a job will take, played on from what is known.
#[derive(Serialize, ToSchema)]
struct ForecastView {
    /// Newest sequence it was worked out from.
    head: i64,
    /// Minutes of labour to the end: 10 %, half, 90 %.
    minutes: [f64; 3],
    /// Cents of labour and parts to the end, without tax: 10 %, half, 90 %.
    cents: [i64; 3],
}

#[utoipa::path(get, path = "/jobs/{id}/forecast", params(("id" = Uuid, Path)), responses((status = 200, body = ForecastView), (status = "4XX", body = Problem)))]
async fn show_forecast(
    State(app): State<App>,
    Who(person): Who,
    Path(id): Path<Uuid>,
) -> Result<Json<ForecastView>, ApiError> {
    let loaded = work::load(&app, id).await?;
    if loaded.job.family(&app.catalogue).is_none() {
        return Err(ApiError::not_found("wiring model for this vehicle"));
    }
    let head = loaded.job.head;
    let prices = prices(&loaded.job, &shop::now(&app).await?);
    let found = work::weigh(&app, loaded.job, person.role, move |w| w.forecast(&prices)).await?;
    Ok(Json(ForecastView {
        head,
        minutes: found.minutes,
        cents: found.cents,
    }))
}

#[utoipa::path(get, path = "/jobs/{id}/profile", params(("id" = Uuid, Path)), responses((status = 200, body = ProfileView), (status = "4XX", body = Problem)))]
async fn show_profile(
    State(app): State<App>,
    _who: Who,
    Path(id): Path<Uuid>,
) -> Result<Json<ProfileView>, ApiError> {
    let loaded = work::load(&app, id).await?;
    let view = loaded.job.profile_view(&app.catalogue);
    view.map(Json)
        .ok_or_else(|| ApiError::not_found("wiring model for this vehicle"))
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
    let minutes = job.minutes_at(app.clock.now());
    let lines = if job.family(&catalogue).is_none() {
        record::lines(&catalogue, &entries, &|t| t.to_string())
    } else {
        work::weigh(&app, job.clone(), person.role, move |w| {
            record::lines(&catalogue, &entries, &|t| work::test_name(w, t))
        })
        .await?
    };
    Ok(Json(RecordView {
        number: row.number,
        parts_cents: job.parts.iter().filter_map(|p| p.price_cents).sum(),
        vehicle: job.vehicle,
        words: job.words,
        minutes,
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

/// What is printed and handed over.
#[derive(Serialize, ToSchema)]
struct ReportView {
    number: i32,
    shop: String,
    address: String,
    vehicle: String,
    frame_number: Option<String>,
    customer: Option<CustomerCard>,
    /// There was a customer's card and it has been erased.
    customer_erased: bool,
    #[serde(with = "time::serde::rfc3339::option")]
    received: Option<OffsetDateTime>,
    #[serde(with = "time::serde::rfc3339::option")]
    handed_back: Option<OffsetDateTime>,
    technician: String,
    report: Report,
}

#[utoipa::path(get, path = "/jobs/{id}/report", params(("id" = Uuid, Path)), responses((status = 200, body = ReportView), (status = "4XX", body = Problem)))]
async fn show_report(
    State(app): State<App>,
    Who(person): Who,
    Path(id): Path<Uuid>,
) -> Result<Json<ReportView>, ApiError> {
    let Loaded { row, job, .. } = work::load(&app, id).await?;
    let customer = match row.customer_id {
        Some(id) => app.store.customer(id).await?,
        None => None,
    };
    let shop = shop::now(&app).await?;
    let minutes = job.minutes_at(app.clock.now());
    let terms = shop.terms.clone();
    let catalogue = std::sync::Arc::clone(&app.catalogue);
    let report = if job.family(&app.catalogue).is_none() {
        report::report(&catalogue, &job, None, &[], minutes, &terms)
    } else {
        work::weigh(&app, job.clone(), person.role, move |w| {
            let opened = items::opened(w.model, w.job);
            report::report(&catalogue, w.job, Some(w), &opened, minutes, &terms)
        })
        .await?
    };
    Ok(Json(ReportView {
        number: row.number,
        shop: shop.name,
        address: shop.address,
        vehicle: job.vehicle,
        frame_number: job.frame_number,
        customer_erased: customer.is_none() && job.customer.is_some(),
        customer: customer.map(|x| CustomerCard {
            name: x.name,
            contact: x.contact,
        }),
        received: job.opened_at,
        handed_back: job.closed.as_ref().map(|c| c.at),
        technician: job.closed.map_or(person.name, |c| c.by),
        report,
    }))
}
