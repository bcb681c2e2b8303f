//! Builds kept under a name: how a vehicle was put together, offered for the next one like it.

use crate::App;
use crate::auth::Who;
use crate::error::{ApiError, Problem};
use crate::work;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use spannung_circuit::Change;
use spannung_core::job::bounds;
use spannung_store::audit::Doer;
use spannung_store::build::KeptBuild;
use time::OffsetDateTime;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use uuid::Uuid;

/// Routes.
pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(list_builds))
        .routes(routes!(keep_build))
        .routes(routes!(forget_build))
}

/// A build kept under a name. Nobody has looked at the next vehicle yet: its components are likely, not seen.
#[derive(Serialize, ToSchema)]
struct BuildView {
    id: Uuid,
    name: String,
    #[serde(with = "time::serde::rfc3339")]
    at: OffsetDateTime,
    by: String,
    /// Job whose vehicle it was.
    job: Uuid,
    volts_class: i32,
    drive: String,
    changes: Vec<Change>,
}

fn view(b: KeptBuild) -> BuildView {
    BuildView {
        id: b.id,
        name: b.name,
        at: b.at,
        by: b.by_name,
        job: b.job_id,
        volts_class: b.volts_class,
        drive: b.drive,
        changes: b.changes,
    }
}

#[utoipa::path(get, path = "/builds", responses((status = 200, body = [BuildView]), (status = "4XX", body = Problem)))]
async fn list_builds(State(app): State<App>, _: Who) -> Result<Json<Vec<BuildView>>, ApiError> {
    let found = app.store.builds().await?;
    Ok(Json(found.into_iter().map(view).collect()))
}

/// What a build is kept as.
#[derive(Deserialize, ToSchema)]
struct KeepBuild {
    /// Made by the client.
    id: Uuid,
    name: String,
}

/// Letters of a build's name at the most.
const NAME: usize = 60;

#[utoipa::path(post, path = "/jobs/{id}/build", params(("id" = Uuid, Path)), request_body = KeepBuild, responses((status = 200, body = BuildView), (status = "4XX", body = Problem)))]
async fn keep_build(
    State(app): State<App>,
    Who(person): Who,
    Path(id): Path<Uuid>,
    Json(given): Json<KeepBuild>,
) -> Result<Json<BuildView>, ApiError> {
    let refused =
        |status, code, sentence: &str| Err(ApiError::refused(status, code, Some("name"), sentence));
    let unprocessable = StatusCode::UNPROCESSABLE_ENTITY;
    let name = given.name.trim();
    if name.is_empty() || name.chars().count() > NAME {
        return refused(
            unprocessable,
            "bad-name",
            "Name the build in 1 to 60 letters.",
        );
    }
    bounds::text(name)?;
    let loaded = work::load(&app, id).await?;
    if !loaded.modelled(&app.catalogue) {
        return Err(work::no_model());
    }
    let changes = loaded.job.kept_as_build();
    if changes.is_empty() {
        return refused(
            unprocessable,
            "nothing-to-keep",
            "Nothing was said of what this vehicle has: the next one begins like it anyway. Press what you see first.",
        );
    }
    let build = KeptBuild {
        id: given.id,
        name: name.into(),
        job_id: id,
        at: app.clock.now(),
        by_name: person.name,
        volts_class: i32::from(loaded.job.volts_class),
        drive: loaded.job.drive.clone(),
        changes,
    };
    if !app.store.put_build(&build).await? {
        let sentence = format!(
            "A build is kept as “{name}” already. Take another name, or forget that one first."
        );
        return refused(StatusCode::CONFLICT, "name-taken", &sentence);
    }
    app.note(Doer::Named(&build.by_name), "", "build kept", &build.name)
        .await;
    Ok(Json(view(build)))
}

#[utoipa::path(delete, path = "/builds/{id}", params(("id" = Uuid, Path)), responses((status = 204), (status = "4XX", body = Problem)))]
async fn forget_build(
    State(app): State<App>,
    Who(person): Who,
    Path(id): Path<Uuid>,
) -> Result<StatusCode, ApiError> {
    if !person.role.may_release() {
        return Err(ApiError::not_allowed(
            "A technician forgets a kept build: others may begin with it.",
        ));
    }
    let gone = app.store.drop_build(id).await?;
    let name = gone.ok_or_else(|| ApiError::not_found("kept build"))?;
    app.note(Doer::Named(&person.name), "", "build forgotten", &name)
        .await;
    Ok(StatusCode::NO_CONTENT)
}
