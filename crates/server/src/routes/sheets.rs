//! Sheets: points and expected values kept from one vehicle without a wiring model for the next.

use crate::App;
use crate::auth::Who;
use crate::error::{ApiError, Problem};
use crate::work;
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use spannung_core::job::entry::SheetPoint;
use spannung_core::job::{bounds, points};
use spannung_store::audit::Doer;
use spannung_store::shop::Sheet;
use time::OffsetDateTime;
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use uuid::Uuid;

/// Routes.
pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(list_sheets))
        .routes(routes!(keep_sheet))
}

/// What to look for.
#[derive(Deserialize, IntoParams)]
struct Find {
    /// Words in its name.
    #[serde(default)]
    find: String,
}

/// A sheet.
#[derive(Serialize, ToSchema)]
struct SheetView {
    id: Uuid,
    name: String,
    #[serde(with = "time::serde::rfc3339")]
    at: OffsetDateTime,
    by: String,
    points: Vec<SheetPoint>,
}

fn view(s: Sheet) -> SheetView {
    SheetView {
        id: s.id,
        name: s.name,
        at: s.at,
        by: s.by_name,
        points: s.points,
    }
}

#[utoipa::path(get, path = "/sheets", params(Find), responses((status = 200, body = [SheetView]), (status = "4XX", body = Problem)))]
async fn list_sheets(
    State(app): State<App>,
    _: Who,
    Query(find): Query<Find>,
) -> Result<Json<Vec<SheetView>>, ApiError> {
    let found = app.store.sheets(&find.find).await?;
    Ok(Json(found.into_iter().map(view).collect()))
}

/// What a sheet is kept as.
#[derive(Deserialize, ToSchema)]
struct KeepSheet {
    /// Made by the client.
    id: Uuid,
    name: String,
}

#[utoipa::path(post, path = "/jobs/{id}/sheet", params(("id" = Uuid, Path)), request_body = KeepSheet, responses((status = 200, body = SheetView), (status = "4XX", body = Problem)))]
async fn keep_sheet(
    State(app): State<App>,
    Who(person): Who,
    Path(id): Path<Uuid>,
    Json(given): Json<KeepSheet>,
) -> Result<Json<SheetView>, ApiError> {
    let refused = |code, field, sentence: &str| {
        Err(ApiError::refused(
            StatusCode::UNPROCESSABLE_ENTITY,
            code,
            Some(field),
            sentence,
        ))
    };
    let name = given.name.trim();
    if name.is_empty() || name.chars().count() > 120 {
        return refused("bad-name", "name", "Name the sheet in 1 to 120 letters.");
    }
    let job = work::load(&app, id).await?.job;
    let points = points::keepable(&job);
    if points.is_empty() {
        return refused(
            "no-points",
            "name",
            "Read some points on the working vehicle first: their figures are what is kept.",
        );
    }
    let sheet = Sheet {
        id: given.id,
        name: name.into(),
        job_id: id,
        at: app.clock.now(),
        by_name: person.name,
        points,
    };
    bounds::text(&sheet.name)?;
    app.store.put_sheet(&sheet).await?;
    app.note(Doer::Named(&sheet.by_name), "", "sheet kept", &sheet.name)
        .await;
    Ok(Json(view(sheet)))
}
