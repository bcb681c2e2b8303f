//! The rack: what can be worked on now, and what waits.

use crate::App;
use crate::auth::Who;
use crate::error::{ApiError, Problem};
use crate::routes::jobs::WaitView;
use crate::work;
use axum::Json;
use axum::extract::{Query, State};
use serde::{Deserialize, Serialize};
use spannung_core::job::Job;
use spannung_core::job::fold::Stage;
use spannung_core::job::view::SegmentShare;
use time::OffsetDateTime;
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use uuid::Uuid;

/// Routes.
pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(rack))
}

/// What to look for.
#[derive(Deserialize, IntoParams)]
struct Find {
    /// Words in number, vehicle, complaint or customer; closed jobs are found too.
    #[serde(default)]
    find: String,
}

/// A ticket on the rail.
#[derive(Serialize, ToSchema)]
struct Ticket {
    id: Uuid,
    number: i32,
    vehicle: String,
    words: String,
    kind: String,
    stage: Stage,
    /// What is done next, in words.
    step: String,
    segments: Vec<SegmentShare>,
    minutes_to_go: f64,
    minutes_spent: f64,
    #[serde(with = "time::serde::rfc3339::option")]
    promised: Option<OffsetDateTime>,
    /// Minutes between the promise and the end of the work.
    slack_minutes: Option<f64>,
    waiting: Option<WaitView>,
    outcome: Option<String>,
    #[serde(with = "time::serde::rfc3339::option")]
    opened_at: Option<OffsetDateTime>,
}

/// The rack.
#[derive(Serialize, ToSchema)]
struct Rack {
    #[serde(with = "time::serde::rfc3339")]
    now: OffsetDateTime,
    /// In the order to work.
    workable: Vec<Ticket>,
    /// In the order they come free.
    waiting: Vec<Ticket>,
    /// Closed ones, when looked for.
    closed: Vec<Ticket>,
    /// Open jobs in all.
    open: usize,
}

#[utoipa::path(get, path = "/rack", params(Find), responses((status = 200, body = Rack), (status = "4XX", body = Problem)))]
async fn rack(
    State(app): State<App>,
    Who(person): Who,
    Query(find): Query<Find>,
) -> Result<Json<Rack>, ApiError> {
    let wanted = find.find.trim().to_lowercase();
    let now = app.clock.now();
    let mut workable = Vec::new();
    let mut waiting = Vec::new();
    let mut closed = Vec::new();
    let mut open = 0;
    for row in app.store.jobs(!wanted.is_empty()).await? {
        let loaded = work::load(&app, row.id).await?;
        let job = loaded.job;
        open += usize::from(!row.closed);
        if !wanted.is_empty() {
            let customer = match row.customer_id {
                Some(id) => app.store.customer(id).await?.map(|c| c.name),
                None => None,
            };
            let text = format!(
                "{:04} {} {} {} {}",
                row.number,
                job.vehicle,
                job.words,
                job.frame_number.clone().unwrap_or_default(),
                customer.unwrap_or_default()
            );
            if !text.to_lowercase().contains(&wanted) {
                continue;
            }
        }
        let ticket = ticket(&app, row.id, row.number, job, person.role, now).await?;
        if row.closed {
            closed.push(ticket);
        } else if ticket.waiting.is_some() {
            waiting.push(ticket);
        } else {
            workable.push(ticket);
        }
    }
    workable.sort_by(|a, b| {
        let slack = |t: &Ticket| t.slack_minutes.unwrap_or(f64::INFINITY);
        slack(a)
            .total_cmp(&slack(b))
            .then(a.opened_at.cmp(&b.opened_at))
            .then(a.number.cmp(&b.number))
    });
    waiting.sort_by_key(|t| {
        let until = t.waiting.as_ref().and_then(|w| w.until);
        (until.is_none(), until, t.number)
    });
    closed.sort_by_key(|t| std::cmp::Reverse(t.number));
    Ok(Json(Rack {
        now,
        workable,
        waiting,
        closed,
        open,
    }))
}

async fn ticket(
    app: &App,
    id: Uuid,
    number: i32,
    job: Job,
    role: spannung_core::job::Role,
    now: OffsetDateTime,
) -> Result<Ticket, ApiError> {
    let stage = job.stage(&app.catalogue);
    let family = job
        .family(&app.catalogue)
        .map_or(String::new(), |f| format!("e-bike, {} V", f.volts_class));
    let (bench, asked) = {
        let asked = (
            app.catalogue
                .gate
                .iter()
                .filter(|c| job.gate.contains_key(c.id.get_ref()))
                .count(),
            app.catalogue.gate.len(),
        );
        (
            work::weigh(app, job.clone(), role, |w| w.bench()).await?,
            asked,
        )
    };
    let to_go = if job.closed.is_some() {
        0.0
    } else {
        bench.minutes_to_go[1].round()
    };
    let step = match stage {
        Stage::Gate => format!("{} of {} contacts closed", asked.0, asked.1),
        Stage::Quarantine => "pack in quarantine".into(),
        Stage::Closed => "closed".into(),
        Stage::Repair => format!(
            "{} part{} changed",
            job.parts.len(),
            if job.parts.len() == 1 { "" } else { "s" }
        ),
        Stage::Bench if bench.first_minute_left > 0 && bench.evidence.iter().all(|t| t.voided) => {
            "first minute".into()
        }
        Stage::Bench => format!(
            "{} taken",
            bench.evidence.iter().filter(|t| !t.voided).count()
        ),
    };
    Ok(Ticket {
        id,
        number,
        vehicle: if job.vehicle.is_empty() {
            "Vehicle not named".into()
        } else {
            job.vehicle
        },
        words: job.words,
        kind: family,
        stage,
        step,
        segments: bench.segments,
        minutes_to_go: to_go,
        minutes_spent: job.minutes,
        promised: job.promised,
        slack_minutes: job
            .promised
            .map(|p| (p - now).as_seconds_f64() / 60.0 - to_go),
        waiting: job.waiting.map(|w| WaitView {
            kind: w.kind,
            what: w.what,
            until: w.until,
        }),
        outcome: job.closed.map(|c| c.outcome.words().to_string()),
        opened_at: job.opened_at,
    })
}
