//! Packs by the shop's sticker.

use crate::App;
use crate::auth::Who;
use crate::error::{ApiError, Problem};
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use spannung_core::job::bounds;
use time::OffsetDateTime;
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use uuid::Uuid;

/// Routes.
pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(pack))
}

/// For which job a sticker is looked up.
#[derive(Deserialize, IntoParams)]
struct ForJob {
    /// Its own past with the pack does not count.
    job: Option<Uuid>,
}

/// A pack.
#[derive(Serialize, ToSchema)]
struct PackView {
    id: Uuid,
    sticker: String,
    /// Where this sticker was before; then whoever names it says whether it is that pack.
    past: Option<PackPastView>,
}

/// The jobs a pack has been in.
#[derive(Serialize, ToSchema)]
struct PackPastView {
    /// How many.
    jobs: i64,
    /// Number of the last one.
    number: i32,
    vehicle: String,
    #[serde(with = "time::serde::rfc3339::option")]
    opened_at: Option<OffsetDateTime>,
    /// Dangers ever found on it.
    dangers: i64,
}

#[utoipa::path(put, path = "/packs/{sticker}", params(("sticker" = String, Path), ForJob), responses((status = 200, body = PackView), (status = "4XX", body = Problem)))]
async fn pack(
    State(app): State<App>,
    _: Who,
    Path(sticker): Path<String>,
    Query(of): Query<ForJob>,
) -> Result<Json<PackView>, ApiError> {
    let sticker = sticker.trim();
    if sticker.is_empty() || sticker.chars().count() > 24 {
        return Err(ApiError::refused(
            StatusCode::UNPROCESSABLE_ENTITY,
            "bad-sticker",
            Some("sticker"),
            "A sticker has 1 to 24 letters or figures.",
        ));
    }
    bounds::text(sticker)?;
    let (id, sticker) = app.store.pack_by_sticker(sticker).await?;
    let past = app.store.pack_past(id, of.job).await?;
    Ok(Json(PackView {
        id,
        sticker,
        past: past.map(|p| PackPastView {
            jobs: p.jobs,
            number: p.number,
            vehicle: p.vehicle,
            opened_at: p.opened_at,
            dangers: p.dangers,
        }),
    }))
}
