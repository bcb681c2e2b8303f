//! Packs by the shop's sticker.

use crate::App;
use crate::auth::Who;
use crate::error::{ApiError, Problem};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use serde::Serialize;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use uuid::Uuid;

/// Routes.
pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(pack))
}

/// A pack.
#[derive(Serialize, ToSchema)]
struct PackView {
    id: Uuid,
    sticker: String,
}

#[utoipa::path(put, path = "/packs/{sticker}", params(("sticker" = String, Path)), responses((status = 200, body = PackView), (status = "4XX", body = Problem)))]
async fn pack(
    State(app): State<App>,
    _: Who,
    Path(sticker): Path<String>,
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
    let (id, sticker) = app.store.pack_by_sticker(sticker).await?;
    Ok(Json(PackView { id, sticker }))
}
