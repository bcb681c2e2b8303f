//! The shop's settings and their history.

use crate::App;
use crate::auth::{Confirmed, Owner, Who};
use crate::error::{ApiError, Problem};
use crate::shop::{self, Shop};
use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use serde::Serialize;
use spannung_store::audit::Doer;
use time::OffsetDateTime;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

/// Routes.
pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(show_shop, set_shop))
        .routes(routes!(shop_history))
}

#[utoipa::path(get, path = "/shop", responses((status = 200, body = Shop), (status = "4XX", body = Problem)))]
async fn show_shop(State(app): State<App>, _: Who) -> Result<Json<Shop>, ApiError> {
    Ok(Json(shop::now(&app).await?))
}

#[utoipa::path(put, path = "/shop", request_body = Shop, responses((status = 200, body = Shop), (status = "4XX", body = Problem)))]
async fn set_shop(
    State(app): State<App>,
    Confirmed(person): Confirmed,
    Json(shop): Json<Shop>,
) -> Result<Json<Shop>, ApiError> {
    shop.check()?;
    if !app.store.knows_zone(&shop.time_zone).await? {
        return Err(ApiError::refused(
            StatusCode::UNPROCESSABLE_ENTITY,
            "bad-setting",
            Some("time_zone"),
            "A time zone is a region and a town, such as Europe/Lisbon, or UTC.",
        ));
    }
    if shop != shop::now(&app).await? {
        let body = serde_json::to_value(&shop).map_err(ApiError::internal("settings"))?;
        app.store
            .set_shop(app.clock.now(), &person.name, &body)
            .await?;
        app.settings.forget();
        app.note(Doer::Person(&person), "", "settings changed", "")
            .await;
    }
    Ok(Json(shop))
}

/// A state of the settings, and what changed to get there.
#[derive(Serialize, ToSchema)]
struct Setting {
    #[serde(with = "time::serde::rfc3339")]
    at: OffsetDateTime,
    by: String,
    shop: Shop,
}

#[utoipa::path(get, path = "/shop/history", responses((status = 200, body = [Setting]), (status = "4XX", body = Problem)))]
async fn shop_history(State(app): State<App>, _: Owner) -> Result<Json<Vec<Setting>>, ApiError> {
    let rows = app.store.shop_history().await?;
    Ok(Json(
        rows.into_iter()
            .filter_map(|r| {
                Some(Setting {
                    at: r.at,
                    by: r.by_name,
                    shop: serde_json::from_value(r.body.0).ok()?,
                })
            })
            .collect(),
    ))
}
