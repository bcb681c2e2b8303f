//! Vehicles the shop has seen: found by name or frame number, with their jobs, so that the next one
//! begins with what is known.

use crate::App;
use crate::auth::Who;
use crate::error::{ApiError, Problem};
use crate::work;
use axum::Json;
use axum::extract::{Query, State};
use serde::{Deserialize, Serialize};
use spannung_circuit::Change;
use spannung_store::card::Found;
use time::OffsetDateTime;
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use uuid::Uuid;

/// Routes.
pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(find_vehicles))
}

/// What to look for.
#[derive(Deserialize, IntoParams)]
struct Find {
    /// Words in name, frame number or complaint.
    #[serde(default)]
    find: String,
    /// Instead of words: the vehicle as it left with this job.
    job: Option<Uuid>,
}

/// A vehicle as it last left.
#[derive(Serialize, ToSchema)]
struct KnownVehicle {
    /// Its last job.
    job: Uuid,
    number: i32,
    name: String,
    frame_number: Option<String>,
    controller: Option<String>,
    volts_class: u16,
    drive: String,
    /// What is not as drawn on it.
    changes: Vec<Change>,
    customer: Option<String>,
    customer_id: Option<Uuid>,
    /// Pack that was on it: sticker.
    pack: Option<String>,
    outcome: String,
    mended: String,
    words: String,
    #[serde(with = "time::serde::rfc3339::option")]
    closed_at: Option<OffsetDateTime>,
    /// Jobs in all.
    jobs: usize,
}

#[utoipa::path(get, path = "/vehicles", params(Find), responses((status = 200, body = [KnownVehicle]), (status = "4XX", body = Problem)))]
async fn find_vehicles(
    State(app): State<App>,
    _: Who,
    Query(find): Query<Find>,
) -> Result<Json<Vec<KnownVehicle>>, ApiError> {
    if let Some(job) = find.job {
        let found = app.store.found(job).await?;
        return Ok(Json(vec![as_left(&app, found).await?]));
    }
    let wanted = find.find.trim();
    if wanted.chars().count() < 2 {
        return Ok(Json(Vec::new()));
    }
    let mut out: Vec<KnownVehicle> = Vec::new();
    for found in app.store.find_jobs(wanted, None, 60).await? {
        if found.card.vehicle.is_empty() {
            continue;
        }
        let frame = found.card.frame_number.to_lowercase();
        let room = out.len() < 6;
        let same = out.iter_mut().find(|k| {
            let known = k.frame_number.clone().unwrap_or_default().to_lowercase();
            if !frame.is_empty() && !known.is_empty() {
                known == frame
            } else {
                k.name.to_lowercase() == found.card.vehicle.to_lowercase()
            }
        });
        match same {
            Some(known) => known.jobs += 1,
            None if room => out.push(as_left(&app, found).await?),
            None => {}
        }
    }
    Ok(Json(out))
}

/// A vehicle as it left with a job.
async fn as_left(app: &App, found: Found) -> Result<KnownVehicle, ApiError> {
    let job = work::load(app, found.id).await?.job;
    let changes = job.differences();
    Ok(KnownVehicle {
        job: found.id,
        number: found.number,
        name: job.vehicle,
        frame_number: job.frame_number,
        controller: job.controller,
        volts_class: job.volts_class,
        changes,
        drive: job.drive,
        customer: found.customer,
        customer_id: job.customer,
        pack: job.pack.map(|p| p.sticker),
        outcome: found.card.outcome,
        mended: found.card.mended,
        words: found.card.words,
        closed_at: found.card.closed_at,
        jobs: 1,
    })
}
