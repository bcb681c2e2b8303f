//! Customers' cards, apart from the log so that they can be erased.

use crate::App;
use crate::auth::{Confirmed, Owner, Who};
use crate::error::{ApiError, Problem};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use spannung_core::job::bounds;
use spannung_store::audit::Doer;
use spannung_store::people::Customer;
use time::OffsetDateTime;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use uuid::Uuid;

/// Routes.
pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(put_customer, erase_customer))
        .routes(routes!(customer_before))
}

/// Name and contact.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct CustomerCard {
    /// Name.
    pub name: String,
    /// Phone or mail.
    pub contact: String,
}

#[utoipa::path(put, path = "/customers/{id}", params(("id" = Uuid, Path)), request_body = CustomerCard, responses((status = 204), (status = "4XX", body = Problem)))]
async fn put_customer(
    State(app): State<App>,
    Who(person): Who,
    Path(id): Path<Uuid>,
    Json(card): Json<CustomerCard>,
) -> Result<StatusCode, ApiError> {
    let name = card.name.trim();
    if name.is_empty() || name.chars().count() > 120 || card.contact.chars().count() > 200 {
        return Err(ApiError::refused(
            StatusCode::UNPROCESSABLE_ENTITY,
            "bad-name",
            Some("name"),
            "A name of 1 to 120 letters and a contact of up to 200 are accepted.",
        ));
    }
    bounds::text(name)?;
    bounds::text(&card.contact)?;
    let customer = Customer {
        id,
        name: name.into(),
        contact: card.contact.trim().into(),
    };
    app.store
        .put_customer(&customer, &person.name, app.clock.now())
        .await?;
    app.note(
        Doer::Person(&person),
        "",
        "customer written",
        &id.to_string(),
    )
    .await;
    Ok(StatusCode::NO_CONTENT)
}

#[utoipa::path(delete, path = "/customers/{id}", params(("id" = Uuid, Path)), responses((status = 204), (status = "4XX", body = Problem)))]
async fn erase_customer(
    State(app): State<App>,
    Confirmed(person): Confirmed,
    Path(id): Path<Uuid>,
) -> Result<StatusCode, ApiError> {
    app.store.erase_customer(id).await?;
    app.note(
        Doer::Person(&person),
        "",
        "customer erased",
        &id.to_string(),
    )
    .await;
    Ok(StatusCode::NO_CONTENT)
}

/// A state that a card had before.
#[derive(Serialize, ToSchema)]
struct CardBefore {
    #[serde(with = "time::serde::rfc3339")]
    until: OffsetDateTime,
    /// Who changed it then.
    by: String,
    name: String,
    contact: String,
}

#[utoipa::path(get, path = "/customers/{id}/before", params(("id" = Uuid, Path)), responses((status = 200, body = [CardBefore]), (status = "4XX", body = Problem)))]
async fn customer_before(
    State(app): State<App>,
    _: Owner,
    Path(id): Path<Uuid>,
) -> Result<Json<Vec<CardBefore>>, ApiError> {
    let states = app.store.customer_before(id).await?;
    Ok(Json(
        states
            .into_iter()
            .map(|s| CardBefore {
                until: s.until,
                by: s.by_name,
                name: s.name,
                contact: s.contact,
            })
            .collect(),
    ))
}
