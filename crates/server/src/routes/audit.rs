//! The audit log, shown to the owner.

use crate::App;
use crate::auth::Owner;
use crate::error::{ApiError, Problem};
use axum::Json;
use axum::extract::{Query, State};
use serde::{Deserialize, Serialize};
use time::OffsetDateTime;
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

/// Lines of a page.
const PAGE: i64 = 100;

/// Routes.
pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(show_audit))
}

/// Which page.
#[derive(Deserialize, IntoParams)]
struct Before {
    /// Lines older than this one; the newest when left out.
    before: Option<i64>,
}

/// A line of the audit log.
#[derive(Serialize, ToSchema)]
struct AuditLine {
    seq: i64,
    #[serde(with = "time::serde::rfc3339")]
    at: OffsetDateTime,
    by: String,
    address: String,
    what: String,
    about: String,
}

#[utoipa::path(get, path = "/audit", params(Before), responses((status = 200, body = [AuditLine]), (status = "4XX", body = Problem)))]
async fn show_audit(
    State(app): State<App>,
    _: Owner,
    Query(page): Query<Before>,
) -> Result<Json<Vec<AuditLine>>, ApiError> {
    let rows = app
        .store
        .audited(page.before.unwrap_or(i64::MAX), PAGE)
        .await?;
    Ok(Json(
        rows.into_iter()
            .map(|r| AuditLine {
                seq: r.seq,
                at: r.at,
                by: r.by_name,
                address: r.address,
                what: r.what,
                about: r.about,
            })
            .collect(),
    ))
}
