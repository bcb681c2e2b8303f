//! The rack: what can be worked on now, what waits, what comes back to be looked at.

use crate::App;
use crate::auth::Who;
use crate::error::{ApiError, Problem};
use crate::routes::view::{WaitView, earlier};
use crate::shop::{self, Shop};
use crate::work;
use axum::Json;
use axum::extract::{Query, State};
use serde::{Deserialize, Serialize};
use spannung_core::job::fold::Stage;
use spannung_core::job::view::SegmentShare;
use spannung_core::job::{Job, Role};
use spannung_store::card::Found;
use spannung_store::job::JobRow;
use std::collections::HashMap;
use std::sync::{Mutex, PoisonError};
use time::OffsetDateTime;
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use uuid::Uuid;

/// Most closed jobs shown for a search.
const MOST_CLOSED: i64 = 60;
/// Re-checks are shown from so many days before they are due.
const RECHECK_DAYS: i64 = 14;

/// Routes.
pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(rack))
}

/// What to look for.
#[derive(Deserialize, IntoParams)]
struct Find {
    /// Words in number, vehicle, frame number, complaint or customer; closed jobs are found too.
    #[serde(default)]
    find: String,
}

/// A ticket on the rail.
#[derive(Clone, Serialize, ToSchema)]
pub struct Ticket {
    id: Uuid,
    number: i32,
    vehicle: String,
    words: String,
    kind: String,
    stage: Stage,
    /// What is done next, in words.
    step: String,
    /// Empty for a vehicle without a wiring model.
    segments: Vec<SegmentShare>,
    minutes_to_go: f64,
    minutes_spent: f64,
    #[serde(with = "time::serde::rfc3339::option")]
    promised: Option<OffsetDateTime>,
    /// Minutes between the promise and the end of the work.
    slack_minutes: Option<f64>,
    waiting: Option<WaitView>,
    #[serde(with = "time::serde::rfc3339::option")]
    opened_at: Option<OffsetDateTime>,
    /// The same complaint came back within the shop's comeback period: number of the job before.
    comeback: Option<i32>,
    /// Limit of money or stop-loss passed.
    over: bool,
}

/// A job found that is closed.
#[derive(Serialize, ToSchema)]
struct ClosedTicket {
    id: Uuid,
    number: i32,
    vehicle: String,
    frame_number: String,
    words: String,
    customer: Option<String>,
    outcome: String,
    mended: String,
    #[serde(with = "time::serde::rfc3339::option")]
    closed_at: Option<OffsetDateTime>,
}

/// A vehicle that is to come back.
#[derive(Serialize, ToSchema)]
struct RecheckTicket {
    /// Job it comes from.
    id: Uuid,
    number: i32,
    vehicle: String,
    what: String,
    #[serde(with = "time::serde::rfc3339")]
    by: OffsetDateTime,
    overdue: bool,
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
    /// Vehicles to come back, in the order they are due.
    rechecks: Vec<RecheckTicket>,
    /// Closed ones, when looked for.
    closed: Vec<ClosedTicket>,
    /// Open jobs in all.
    open: usize,
}

/// Tickets worked out, by job, for as long as nothing was written to it and nothing else they rest on
/// has changed. What depends on the time of day is worked out anew.
#[derive(Default)]
pub struct Tickets {
    kept: Mutex<HashMap<Uuid, (i64, u64, Ticket, JobTimes)>>,
}

/// What of a ticket moves with the clock.
#[derive(Clone)]
struct JobTimes {
    job: std::sync::Arc<Job>,
}

impl Tickets {
    fn get(&self, row: &JobRow, basis: u64) -> Option<(Ticket, JobTimes)> {
        let kept = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        kept.get(&row.id)
            .filter(|k| k.0 == row.head && k.1 == basis)
            .map(|k| (k.2.clone(), k.3.clone()))
    }

    fn put(&self, row: &JobRow, basis: u64, ticket: &Ticket, times: &JobTimes) {
        let mut kept = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        if kept.len() > 2000 {
            kept.clear();
        }
        kept.insert(row.id, (row.head, basis, ticket.clone(), times.clone()));
    }
}

#[utoipa::path(get, path = "/rack", params(Find), responses((status = 200, body = Rack), (status = "4XX", body = Problem)))]
async fn rack(
    State(app): State<App>,
    Who(person): Who,
    Query(find): Query<Find>,
) -> Result<Json<Rack>, ApiError> {
    let wanted = find.find.trim();
    let now = app.clock.now();
    let shop = shop::now(&app).await?;
    let found: Option<Vec<Found>> = if wanted.is_empty() {
        None
    } else {
        Some(app.store.find_jobs(wanted, 500).await?)
    };
    let rows = app.store.jobs().await?;
    let open = rows.len();
    let mut workable = Vec::new();
    let mut waiting = Vec::new();
    for row in rows {
        if found
            .as_ref()
            .is_some_and(|f| !f.iter().any(|x| x.id == row.id))
        {
            continue;
        }
        let ticket = ticket(&app, &row, person.role, now, &shop).await?;
        if ticket.waiting.is_some() {
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
    let closed = found
        .into_iter()
        .flatten()
        .filter(|f| f.card.closed_at.is_some())
        .take(usize::try_from(MOST_CLOSED).unwrap_or(60))
        .map(|f| ClosedTicket {
            id: f.id,
            number: f.number,
            vehicle: f.card.vehicle,
            frame_number: f.card.frame_number,
            words: f.card.words,
            customer: f.customer,
            outcome: f.card.outcome,
            mended: f.card.mended,
            closed_at: f.card.closed_at,
        })
        .collect();
    let soon = now + time::Duration::days(RECHECK_DAYS);
    let rechecks = if wanted.is_empty() {
        app.store.rechecks().await?
    } else {
        Vec::new()
    };
    let rechecks = rechecks
        .into_iter()
        .filter_map(|f| {
            let by = f.card.recheck_by.filter(|by| *by <= soon)?;
            Some(RecheckTicket {
                id: f.id,
                number: f.number,
                vehicle: f.card.vehicle,
                what: f.card.recheck_what,
                overdue: by < now,
                by,
            })
        })
        .collect();
    Ok(Json(Rack {
        now,
        workable,
        waiting,
        rechecks,
        closed,
        open,
    }))
}

/// A job's ticket, from the kept ones where nothing has changed.
async fn ticket(
    app: &App,
    row: &JobRow,
    role: Role,
    now: OffsetDateTime,
    shop: &Shop,
) -> Result<Ticket, ApiError> {
    // a pack can bring a danger in without a line in this job, so its findings are part of the basis
    let settings = serde_json::to_string(shop).unwrap_or_default();
    let text = format!(
        "{} {settings} {:?} {}",
        app.catalogue.hash, role, row.pack_head
    );
    let basis = spannung_core::catalogue::fnv(text.bytes());
    let (mut ticket, times) = match app.tickets.get(row, basis) {
        Some(kept) => kept,
        None => {
            let job = work::load(app, row.id).await?.job;
            let made = make(app, row, job, role, shop).await?;
            app.tickets.put(row, basis, &made.0, &made.1);
            made
        }
    };
    let job = &times.job;
    ticket.minutes_spent = job.minutes_at(now);
    ticket.slack_minutes = job
        .promised
        .map(|p| (p - now).as_seconds_f64() / 60.0 - ticket.minutes_to_go);
    let total =
        spannung_core::job::report::bill(job, ticket.minutes_spent, &shop.terms).total_cents;
    ticket.over = job.limit_cents.is_some_and(|l| total > l)
        || job
            .stop_loss_minutes
            .is_some_and(|s| ticket.minutes_spent > s);
    Ok(ticket)
}

async fn make(
    app: &App,
    row: &JobRow,
    job: Job,
    role: Role,
    shop: &Shop,
) -> Result<(Ticket, JobTimes), ApiError> {
    let c = &app.catalogue;
    let stage = job.stage(c);
    let bench = if job.family(c).is_some() {
        Some(work::weigh(app, job.clone(), role, |w| w.bench()).await?)
    } else {
        None
    };
    let kind = job.family(c).map_or_else(
        || format!("other vehicle, {} V", job.volts_class),
        |f| f.name.clone(),
    );
    let asked = c
        .gate
        .iter()
        .filter(|x| job.gate.contains_key(x.id.get_ref()))
        .count();
    let several = |n: usize| if n == 1 { "" } else { "s" };
    let step = match stage {
        Stage::Gate => format!("{asked} of {} contacts closed", c.gate.len()),
        Stage::Quarantine => "pack in quarantine".into(),
        Stage::Closed => "closed".into(),
        Stage::Proof => {
            let passed = job.proofs.len();
            format!("{passed} check{} done", several(passed))
        }
        Stage::Repair => {
            format!(
                "{} part{} changed",
                job.parts.len(),
                several(job.parts.len())
            )
        }
        Stage::Bench => match &bench {
            Some(b) if b.first_minute_left > 0 && b.evidence.iter().all(|t| t.voided) => {
                "first minute".into()
            }
            Some(b) => format!("{} taken", b.evidence.iter().filter(|t| !t.voided).count()),
            None => format!("{} taken", job.points.iter().filter(|p| !p.voided).count()),
        },
    };
    let opened = job.opened_at.unwrap_or(OffsetDateTime::UNIX_EPOCH);
    let frame = job.frame_number.clone().unwrap_or_default();
    let comeback = app
        .store
        .same_vehicle(row.id, &job.vehicle, &frame)
        .await?
        .into_iter()
        .find_map(|f| {
            let number = f.number;
            earlier(app, f, &job.words, opened, shop)
                .comeback
                .then_some(number)
        });
    let ticket = Ticket {
        id: row.id,
        number: row.number,
        vehicle: if job.vehicle.is_empty() {
            "Vehicle not named".into()
        } else {
            job.vehicle.clone()
        },
        words: job.words.clone(),
        kind,
        stage,
        step,
        minutes_to_go: bench.as_ref().map_or(0.0, |b| b.minutes_to_go[1].round()),
        segments: bench.map_or_else(Vec::new, |b| b.segments),
        minutes_spent: 0.0,
        promised: job.promised,
        slack_minutes: None,
        waiting: WaitView::of(&job),
        opened_at: job.opened_at,
        comeback,
        over: false,
    };
    let times = JobTimes {
        job: std::sync::Arc::new(job),
    };
    Ok((ticket, times))
}
