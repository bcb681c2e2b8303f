//! Jobs: open, show, append, cards, record, report.

use crate::App;
use crate::ahead;
use crate::append::{self, Sent};
use crate::auth::Who;
use crate::error::{ApiError, Problem};
use crate::routes::customers::CustomerCard;
use crate::routes::view::{JobView, Station, prices, view};
use crate::shop;
use crate::work::{self, Loaded};
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use spannung_core::job::bench::Weighed;
use spannung_core::job::entry::Outcome;
use spannung_core::job::items;
use spannung_core::job::profile::ProfileView;
use spannung_core::job::record::{self, Line};
use spannung_core::job::report::{self, Report};
use spannung_core::job::view::{Card, IfSo};
use spannung_core::job::{Body, Job, Logged, admit, chain};
use spannung_store::job::Unread;
use std::sync::Arc;
use time::OffsetDateTime;
use utoipa::{IntoParams, ToSchema};
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
        .routes(routes!(show_if_so))
        .routes(routes!(look_ahead))
        .routes(routes!(show_forecast))
        .routes(routes!(show_profile))
        .routes(routes!(show_record))
        .routes(routes!(show_report))
}

/// Most entries that are taken in one go.
const MOST_SENT: usize = 200;

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

/// What was written.
#[derive(Serialize, ToSchema)]
struct Written {
    id: Uuid,
    /// Number on the ticket.
    number: i32,
    /// Newest sequence: the job as it stands now can be asked for.
    head: i64,
}

fn not_too_many(sent: &[Sent]) -> Result<(), ApiError> {
    if sent.len() <= MOST_SENT {
        return Ok(());
    }
    Err(ApiError::refused(
        StatusCode::UNPROCESSABLE_ENTITY,
        "too-many",
        Some("entries"),
        format!("At most {MOST_SENT} entries are taken in one go."),
    ))
}

/// Open a job. The same job sent twice is opened once.
#[utoipa::path(post, path = "/jobs", request_body = NewJob, responses((status = 200, body = Written), (status = "4XX", body = Problem)))]
async fn open_job(
    State(app): State<App>,
    Who(person): Who,
    Json(new): Json<NewJob>,
) -> Result<Json<Written>, ApiError> {
    not_too_many(&new.entries)?;
    let Some(first) = new.entries.first() else {
        return Err(ApiError::refused(
            StatusCode::UNPROCESSABLE_ENTITY,
            "no-entries",
            Some("entries"),
            "A job begins with what the customer said.",
        ));
    };
    // the entries are checked before the job gets its number
    if app.store.job(new.id).await.is_err() {
        admit::admit(&app.catalogue, &Job::default(), &first.body, person.role)?;
    }
    app.store.open_job(new.id).await?;
    let (head, number) = append::append(&app, new.id, &new.entries, &person).await?;
    Ok(Json(Written {
        id: new.id,
        number,
        head,
    }))
}

#[derive(Deserialize, IntoParams)]
struct At {
    /// Station that asks; all there is without one.
    #[param(inline)]
    station: Option<Station>,
}

#[utoipa::path(get, path = "/jobs/{id}", params(("id" = Uuid, Path), At), responses((status = 200, body = JobView), (status = "4XX", body = Problem)))]
async fn show_job(
    State(app): State<App>,
    Who(person): Who,
    Path(id): Path<Uuid>,
    Query(at): Query<At>,
) -> Result<Json<JobView>, ApiError> {
    view(&app, work::load(&app, id).await?, &person, at.station).await
}

/// Append entries, all or none. They are stored when this answers; what follows from them is asked for
/// afterwards.
#[utoipa::path(post, path = "/jobs/{id}/entries", params(("id" = Uuid, Path)), request_body = Append, responses((status = 200, body = Written), (status = "4XX", body = Problem)))]
async fn add_entries(
    State(app): State<App>,
    Who(person): Who,
    Path(id): Path<Uuid>,
    Json(sent): Json<Append>,
) -> Result<Json<Written>, ApiError> {
    not_too_many(&sent.entries)?;
    let (head, number) = append::append(&app, id, &sent.entries, &person).await?;
    Ok(Json(Written { id, number, head }))
}

#[utoipa::path(get, path = "/jobs/{id}/tests/{test}", params(("id" = Uuid, Path), ("test" = String, Path)), responses((status = 200, body = Card), (status = "4XX", body = Problem)))]
async fn show_card(
    State(app): State<App>,
    Who(person): Who,
    Path((id, test)): Path<(Uuid, String)>,
) -> Result<Json<Card>, ApiError> {
    let loaded = work::load(&app, id).await?;
    if !loaded.modelled(&app.catalogue) {
        return Err(ApiError::not_found("wiring model for this vehicle"));
    }
    let card = work::weigh(&app, loaded.job, person.role, move |w| w.card_of(&test)).await?;
    card.map(Json)
        .ok_or_else(|| ApiError::not_found("test on this vehicle"))
}

/// A change of the vehicle that is only tried.
#[derive(Deserialize, ToSchema)]
struct TriedChange {
    /// The entry as it would be sent.
    entry: Sent,
    /// Strand that is shown with it.
    strand: Option<String>,
}

/// How a job would stand if its vehicle were changed so; nothing is stored. What was read is weighed against the changed drawing.
#[utoipa::path(post, path = "/jobs/{id}/if-so", params(("id" = Uuid, Path)), request_body = TriedChange, responses((status = 200, body = IfSo), (status = "4XX", body = Problem)))]
async fn show_if_so(
    State(app): State<App>,
    Who(person): Who,
    Path(id): Path<Uuid>,
    Json(tried): Json<TriedChange>,
) -> Result<Json<IfSo>, ApiError> {
    if !matches!(tried.entry.body, Body::Change(_)) {
        return Err(ApiError::refused(
            StatusCode::UNPROCESSABLE_ENTITY,
            "no-change",
            Some("entry"),
            "Only a change of the vehicle can be tried.",
        ));
    }
    let loaded = work::load(&app, id).await?;
    let job = append::tried(&app, &loaded, &tried.entry, &person).await?;
    if let Some(why) = job.misfit(&app.catalogue) {
        return Err(ApiError::refused(
            StatusCode::UNPROCESSABLE_ENTITY,
            "misfit",
            Some("entry"),
            format!("That does not fit together: {why}."),
        ));
    }
    if job.family(&app.catalogue).is_none() {
        return Err(ApiError::not_found("wiring model for this vehicle"));
    }
    let so = work::weigh(&app, job, person.role, move |w| {
        w.if_so(tried.strand.as_deref())
    });
    Ok(Json(so.await?))
}

/// What somebody looks at.
#[derive(Deserialize, ToSchema)]
struct LookedAtSlot {
    /// Slot whose kinds are shown.
    slot: String,
}

/// Somebody looks at what fits in a slot: what may be said of it is worked out ahead. Nothing is stored.
#[utoipa::path(post, path = "/jobs/{id}/ahead", params(("id" = Uuid, Path)), request_body = LookedAtSlot, responses((status = 204), (status = "4XX", body = Problem)))]
async fn look_ahead(
    State(app): State<App>,
    _: Who,
    Path(id): Path<Uuid>,
    Json(at): Json<LookedAtSlot>,
) -> Result<StatusCode, ApiError> {
    let loaded = work::load(&app, id).await?;
    if !loaded.modelled(&app.catalogue) {
        return Err(ApiError::not_found("wiring model for this vehicle"));
    }
    if loaded.job.closed.is_none() {
        ahead::look(&app, Some(id), &loaded.job, &at.slot)?;
    }
    Ok(StatusCode::NO_CONTENT)
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
    // whoever waits gets what stands when it is their turn
    let _turn = app.limits.forecast().await?;
    let loaded = work::load(&app, id).await?;
    if !loaded.modelled(&app.catalogue) {
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
    let catalogue = Arc::clone(&app.catalogue);
    let view = move || loaded.job.profile_view(&catalogue);
    // circuits are solved for it
    let view = tokio::task::spawn_blocking(view)
        .await
        .map_err(ApiError::internal("the vehicle as it is shown"))?;
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
    /// Entries that this program does not read, as they are stored.
    unread: Vec<UnreadLine>,
    /// Why the job cannot be worked on.
    broken: Option<String>,
    chain: ChainCheck,
}

/// An entry that this program does not read.
#[derive(Serialize, ToSchema)]
struct UnreadLine {
    seq: i64,
    #[serde(with = "time::serde::rfc3339")]
    at: OffsetDateTime,
    by: String,
    /// Its content as JSON text.
    text: String,
    why: String,
}

/// Is the log as it was written?
#[derive(Serialize, ToSchema)]
struct ChainCheck {
    /// Every entry's hash fits it and the one before.
    whole: bool,
    /// Sequence of the first that does not.
    broken_at: Option<i64>,
    /// Hash after the last entry, in hex.
    hash: String,
}

/// Work the chain out again and compare it with what is kept.
async fn checked(
    app: &App,
    id: Uuid,
    entries: &[Logged],
    unread: &[Unread],
) -> Result<ChainCheck, ApiError> {
    let kept = app.store.chain(id).await?;
    let hash = kept.last().cloned().flatten().map(|h| chain::hex(&h));
    let hash = hash.unwrap_or_default();
    // what does not read cannot be hashed again
    let mut broken_at = unread.first().map(|u| u.seq);
    if broken_at.is_none() {
        let mut before = Vec::new();
        for (e, kept) in entries.iter().zip(&kept) {
            before = chain::link(&before, e);
            if kept.as_ref() != Some(&before) {
                broken_at = Some(e.seq);
                break;
            }
        }
    }
    Ok(ChainCheck {
        whole: broken_at.is_none(),
        broken_at,
        hash,
    })
}

#[utoipa::path(get, path = "/jobs/{id}/record", params(("id" = Uuid, Path)), responses((status = 200, body = RecordView), (status = "4XX", body = Problem)))]
async fn show_record(
    State(app): State<App>,
    Who(person): Who,
    Path(id): Path<Uuid>,
) -> Result<Json<RecordView>, ApiError> {
    let loaded = work::load(&app, id).await?;
    let catalogue = std::sync::Arc::clone(&app.catalogue);
    let log = loaded.entries.clone();
    let lines =
        move |w: Option<&Weighed<'_>>| record::lines(&catalogue, &log, &|t| work::test_name(w, t));
    let lines = work::weigh_if_modelled(&app, &loaded, person.role, lines).await?;
    let Loaded {
        row,
        entries,
        unread,
        broken,
        job,
        ..
    } = loaded;
    let customer = match row.customer_id {
        Some(id) => app.store.customer(id).await?,
        None => None,
    };
    let minutes = job.minutes_at(app.clock.now());
    let chain = checked(&app, id, &entries, &unread).await?;
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
        unread: unread
            .into_iter()
            .map(|u| UnreadLine {
                seq: u.seq,
                at: u.at,
                by: u.by,
                text: u.body.to_string(),
                why: u.why,
            })
            .collect(),
        broken,
        chain,
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
    let loaded = work::load(&app, id).await?;
    let customer = match loaded.row.customer_id {
        Some(id) => app.store.customer(id).await?,
        None => None,
    };
    let shop = shop::now(&app).await?;
    let job = loaded.job.clone();
    let minutes = job.minutes_at(app.clock.now());
    let terms = shop.terms.clone();
    let catalogue = std::sync::Arc::clone(&app.catalogue);
    let printed = move |w: Option<&Weighed<'_>>| {
        let opened = w.map_or_else(Vec::new, |w| items::opened(w.model, w.job));
        report::report(&catalogue, &job, w, &opened, minutes, &terms)
    };
    let report = work::weigh_if_modelled(&app, &loaded, person.role, printed).await?;
    let Loaded { row, job, .. } = loaded;
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
