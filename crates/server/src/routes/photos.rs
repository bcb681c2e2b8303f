//! Photos of a job. The picture comes first, then the entry that names it: an entry can never name a
//! picture that is not there.

use crate::App;
use crate::auth::Who;
use crate::error::{ApiError, Problem};
use crate::limits::Upload;
use crate::picture;
use axum::extract::{DefaultBodyLimit, Path, Query, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use serde::Deserialize;
use spannung_core::job::bundle::MOST_PHOTOS;
use spannung_store::shop::Photo;
use tower_http::limit::RequestBodyLimitLayer;
use utoipa::IntoParams;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use uuid::Uuid;

/// Largest picture that is taken in.
const PHOTO_BYTES: usize = 15 * 1024 * 1024;

/// Routes.
pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(put_photo, show_photo))
        .layer(DefaultBodyLimit::disable())
        .layer(RequestBodyLimitLayer::new(PHOTO_BYTES))
}

/// Which size.
#[derive(Deserialize, IntoParams)]
struct Size {
    /// The small one.
    #[serde(default)]
    small: bool,
}

#[utoipa::path(put, path = "/jobs/{id}/photos/{photo}", params(("id" = Uuid, Path), ("photo" = Uuid, Path)), request_body(content = Vec<u8>, content_type = "image/*"), responses((status = 204), (status = "4XX", body = Problem)))]
async fn put_photo(
    State(app): State<App>,
    Who(person): Who,
    Path((id, photo)): Path<(Uuid, Uuid)>,
    upload: Upload,
) -> Result<StatusCode, ApiError> {
    app.store.job(id).await?;
    if app.store.photo_count(id).await? >= MOST_PHOTOS as i64 {
        return Err(ApiError::refused(
            StatusCode::UNPROCESSABLE_ENTITY,
            "too-many",
            Some("photo"),
            format!("A job keeps up to {MOST_PHOTOS} photos."),
        ));
    }
    app.limits.quota(person.id)?;
    let turn = app.limits.picture().await?;
    let drawn = tokio::task::spawn_blocking(move || picture::keep(&upload.bytes))
        .await
        .map_err(ApiError::internal("picture"))?;
    drop(turn);
    let (kept, small) = drawn.map_err(|sentence| {
        ApiError::refused(
            StatusCode::UNPROCESSABLE_ENTITY,
            "bad-picture",
            Some("photo"),
            sentence,
        )
    })?;
    app.store
        .put_photo(&Photo {
            id: photo,
            job_id: id,
            at: app.clock.now(),
            by_name: person.name,
            width: kept.width,
            height: kept.height,
            picture: kept.jpeg,
            small: small.jpeg,
        })
        .await?;
    Ok(StatusCode::NO_CONTENT)
}

#[utoipa::path(get, path = "/jobs/{id}/photos/{photo}", params(("id" = Uuid, Path), ("photo" = Uuid, Path), Size), responses((status = 200, body = Vec<u8>, content_type = "image/jpeg"), (status = "4XX", body = Problem)))]
async fn show_photo(
    State(app): State<App>,
    _: Who,
    Path((id, photo)): Path<(Uuid, Uuid)>,
    Query(size): Query<Size>,
) -> Result<Response, ApiError> {
    let bytes = app.store.photo(id, photo, size.small).await?;
    Ok(([(header::CONTENT_TYPE, "image/jpeg")], bytes).into_response())
}
