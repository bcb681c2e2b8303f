//! The shop's dates as iCalendar: promises, waits that end, re-checks. A private link per person,
//! revocable; it carries job numbers and vehicles, never customers.

use crate::App;
use crate::auth::{self, Who};
use crate::error::{ApiError, Problem};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use icalendar::{Calendar, Component, Event};
use serde::Serialize;
use spannung_store::card::Found;
use time::OffsetDateTime;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

/// Routes.
pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(make_link, revoke_link))
        .routes(routes!(calendar))
}

/// The link, shown once.
#[derive(Serialize, ToSchema)]
struct CalendarLink {
    url: String,
}

#[utoipa::path(post, path = "/me/calendar", responses((status = 200, body = CalendarLink), (status = "4XX", body = Problem)))]
async fn make_link(
    State(app): State<App>,
    Who(person): Who,
) -> Result<Json<CalendarLink>, ApiError> {
    let token = auth::new_token();
    app.store
        .set_calendar(person.id, Some(&auth::token_hash(&token)))
        .await?;
    let base = app.public_url.trim_end_matches('/');
    Ok(Json(CalendarLink {
        url: format!("{base}/api/calendar/{token}"),
    }))
}

#[utoipa::path(delete, path = "/me/calendar", responses((status = 204), (status = "4XX", body = Problem)))]
async fn revoke_link(State(app): State<App>, Who(person): Who) -> Result<StatusCode, ApiError> {
    app.store.set_calendar(person.id, None).await?;
    Ok(StatusCode::NO_CONTENT)
}

#[utoipa::path(get, path = "/calendar/{token}", params(("token" = String, Path)), responses((status = 200, body = String, content_type = "text/calendar"), (status = "4XX", body = Problem)))]
async fn calendar(State(app): State<App>, Path(token): Path<String>) -> Result<Response, ApiError> {
    if app
        .store
        .calendar_person(&auth::token_hash(&token))
        .await?
        .is_none()
    {
        return Err(ApiError::not_found("calendar"));
    }
    let mut out = Calendar::new();
    out.name("Spannung");
    let vehicle = |f: &Found| {
        if f.card.vehicle.is_empty() {
            format!("Job {:04}", f.number)
        } else {
            format!("Job {:04}, {}", f.number, f.card.vehicle)
        }
    };
    let stamp = app.clock.now();
    for f in app.store.dated().await? {
        let mut dates = Vec::new();
        if let Some(at) = f.card.promised {
            dates.push((at, "promised", "Promised"));
        }
        if let Some(at) = f.card.waits_until {
            dates.push((at, "free", "Comes free"));
        }
        for (at, kind, words) in dates {
            out.push(event(
                at,
                stamp,
                &format!("{}-{kind}@spannung", f.id),
                &format!("{words}: {}", vehicle(&f)),
                &f.card.words,
            ));
        }
    }
    for f in app.store.rechecks().await? {
        if let Some(at) = f.card.recheck_by {
            out.push(event(
                at,
                stamp,
                &format!("{}-recheck@spannung", f.id),
                &format!("Re-check: {}", vehicle(&f)),
                &f.card.recheck_what,
            ));
        }
    }
    Ok((
        [(header::CONTENT_TYPE, "text/calendar; charset=utf-8")],
        out.to_string(),
    )
        .into_response())
}

fn event(at: OffsetDateTime, stamp: OffsetDateTime, uid: &str, title: &str, words: &str) -> Event {
    let utc = |t: OffsetDateTime| {
        let t = t.to_offset(time::UtcOffset::UTC);
        format!(
            "{:04}{:02}{:02}T{:02}{:02}{:02}Z",
            t.year(),
            u8::from(t.month()),
            t.day(),
            t.hour(),
            t.minute(),
            t.second()
        )
    };
    let mut event = Event::new();
    event.uid(uid).summary(title).description(words);
    event.add_property("DTSTART", utc(at));
    event.add_property("DTEND", utc(at + time::Duration::minutes(15)));
    event.add_property("DTSTAMP", utc(stamp));
    event.done()
}
