//! The rack: what can be worked on now, what waits, what comes back to be looked at.

use crate::App;
use crate::auth::Who;
use crate::error::{ApiError, Problem};
use crate::routes::view::WaitView;
use crate::shop::{self, Shop};
use crate::tickets::{self, Kept};
use axum::Json;
use axum::extract::{Query, State};
use serde::{Deserialize, Serialize};
use spannung_core::job::state::Stage;
use spannung_core::job::view::SegmentShare;
use spannung_store::card::Found;
use spannung_store::ticket::OnRack;
use std::collections::BTreeSet;
use time::OffsetDateTime;
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use uuid::Uuid;

/// Most open jobs looked for.
const MOST_OPEN: i64 = 2000;
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
    /// Why it cannot be worked on.
    broken: Option<String>,
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
    /// Tickets that are still being worked out: their suspicions and minutes may be of before.
    behind: usize,
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
    let (ids, found): (Option<BTreeSet<Uuid>>, Vec<Found>) = if wanted.is_empty() {
        (None, Vec::new())
    } else {
        let open = app.store.find_jobs(wanted, Some(false), MOST_OPEN).await?;
        let closed = app.store.find_jobs(wanted, Some(true), MOST_CLOSED).await?;
        (Some(open.iter().map(|f| f.id).collect()), closed)
    };
    let wanted_here = |row: &OnRack| ids.as_ref().is_none_or(|f| f.contains(&row.id));
    let (tickets, open, behind) = tickets::all(&app, person.role, &shop, wanted_here).await?;
    let mut workable = Vec::new();
    let mut waiting = Vec::new();
    for (row, kept) in tickets {
        let ticket = hung(&row, kept, now, &shop);
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
        behind,
    }))
}

fn hung(row: &OnRack, kept: Kept, now: OffsetDateTime, shop: &Shop) -> Ticket {
    let minutes_spent = kept.minutes_at(now);
    Ticket {
        id: row.id,
        number: row.number,
        over: kept.over(now, shop),
        slack_minutes: kept
            .promised
            .map(|p| (p - now).as_seconds_f64() / 60.0 - kept.minutes_to_go),
        minutes_spent,
        vehicle: kept.vehicle,
        words: kept.words,
        kind: kept.kind,
        stage: kept.stage,
        step: kept.step,
        segments: kept.segments,
        minutes_to_go: kept.minutes_to_go,
        promised: kept.promised,
        waiting: kept.waiting,
        opened_at: kept.opened_at,
        comeback: kept.comeback,
        broken: kept.broken,
    }
}
