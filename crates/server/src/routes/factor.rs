//! A second factor: codes that change every half minute (RFC 6238), from any program that makes them. The
//! secret waits until a first code has come out right.

use crate::App;
use crate::auth::{self, Session, Who};
use crate::error::{ApiError, Problem};
use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use rand::Rng;
use serde::{Deserialize, Serialize};
use spannung_store::audit::Doer;
use spannung_store::people::Person;
use time::OffsetDateTime;
use totp_rs::{Algorithm, Builder, Secret, Totp};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

/// Seconds a code holds.
const STEP: u64 = 30;

/// Routes.
pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(show_factor, want_factor, use_factor, end_factor))
}

fn codes(secret: &[u8]) -> Result<Totp, ApiError> {
    Builder::new()
        .with_algorithm(Algorithm::SHA1)
        .with_digits(6)
        .with_skew(1)
        .with_step_duration(STEP)
        .with_secret(secret.to_vec())
        .build()
        .map_err(ApiError::internal("codes"))
}

fn wrong_code() -> ApiError {
    ApiError::refused(
        StatusCode::FORBIDDEN,
        "wrong-code",
        Some("code"),
        "This code does not fit, or has been used. Wait for the next one.",
    )
}

/// The step of a code that fits now; a code is six figures, however it is spaced.
fn step_of(secret: &[u8], code: &str, now: OffsetDateTime) -> Result<Option<i64>, ApiError> {
    let code: String = code.chars().filter(char::is_ascii_digit).collect();
    let seconds = u64::try_from(now.unix_timestamp()).unwrap_or(0);
    let found = codes(secret)?.check(&code, seconds);
    Ok(found.and_then(|at| i64::try_from(at).ok()))
}

/// Where a person has a second factor, the code has to fit, and each code is used once.
///
/// # Errors
/// `code-needed` without one, `wrong-code` with one that does not fit.
pub async fn passed(app: &App, person: &Person, code: Option<&str>) -> Result<(), ApiError> {
    let Some(secret) = app.store.factor(person.id).await?.used else {
        return Ok(());
    };
    let Some(code) = code.filter(|c| !c.trim().is_empty()) else {
        return Err(ApiError::refused(
            StatusCode::UNAUTHORIZED,
            "code-needed",
            Some("code"),
            "Give the code of your second factor as well.",
        ));
    };
    let step = step_of(&secret, code, OffsetDateTime::now_utc())?.ok_or_else(wrong_code)?;
    if app.store.use_step(person.id, step).await? {
        Ok(())
    } else {
        Err(wrong_code())
    }
}

/// Whether somebody has a second factor.
#[derive(Serialize, ToSchema)]
struct FactorView {
    on: bool,
}

#[utoipa::path(get, path = "/me/factor", responses((status = 200, body = FactorView), (status = "4XX", body = Problem)))]
async fn show_factor(
    State(app): State<App>,
    Who(person): Who,
) -> Result<Json<FactorView>, ApiError> {
    let on = app.store.factor(person.id).await?.used.is_some();
    Ok(Json(FactorView { on }))
}

/// The password, before a factor is begun or ended.
#[derive(Deserialize, ToSchema)]
struct GivenPassword {
    password: String,
}

/// A secret for the program that makes the codes, shown once.
#[derive(Serialize, ToSchema)]
struct FactorSecret {
    /// In base 32, to be typed.
    secret: String,
    /// The same as an address that such programs open.
    url: String,
}

async fn proved(app: &App, person: &Person, password: String) -> Result<(), ApiError> {
    let hash = app.store.person_by_name(&person.name).await?.map(|f| f.1);
    auth::throttled(app, &person.name, "password", password, hash).await
}

#[utoipa::path(post, path = "/me/factor", request_body = GivenPassword, responses((status = 200, body = FactorSecret), (status = "4XX", body = Problem)))]
async fn want_factor(
    State(app): State<App>,
    Who(person): Who,
    Json(given): Json<GivenPassword>,
) -> Result<Json<FactorSecret>, ApiError> {
    proved(&app, &person, given.password).await?;
    let mut bytes = [0u8; 20];
    rand::rng().fill_bytes(&mut bytes);
    app.store.want_factor(person.id, &bytes).await?;
    let secret = Secret::from(bytes.to_vec()).to_base32();
    let name = person.name.replace(' ', "%20");
    let url = format!("otpauth://totp/Spannung:{name}?secret={secret}&issuer=Spannung");
    Ok(Json(FactorSecret { secret, url }))
}

/// The first code.
#[derive(Deserialize, ToSchema)]
struct FirstCode {
    code: String,
}

#[utoipa::path(put, path = "/me/factor", request_body = FirstCode, responses((status = 204), (status = "4XX", body = Problem)))]
async fn use_factor(
    State(app): State<App>,
    session: Session,
    Json(given): Json<FirstCode>,
) -> Result<StatusCode, ApiError> {
    let person = &session.person;
    let Some(secret) = app.store.factor(person.id).await?.wanted else {
        return Err(ApiError::not_found("secret that waits for its first code"));
    };
    let step = step_of(&secret, &given.code, OffsetDateTime::now_utc())?.ok_or_else(wrong_code)?;
    app.store.set_factor(person.id, true).await?;
    app.store.use_step(person.id, step).await?;
    app.note(
        Doer::Person(person),
        &session.row.address,
        "second factor on",
        "",
    )
    .await;
    Ok(StatusCode::NO_CONTENT)
}

#[utoipa::path(delete, path = "/me/factor", request_body = GivenPassword, responses((status = 204), (status = "4XX", body = Problem)))]
async fn end_factor(
    State(app): State<App>,
    session: Session,
    Json(given): Json<GivenPassword>,
) -> Result<StatusCode, ApiError> {
    let person = &session.person;
    proved(&app, person, given.password).await?;
    app.store.set_factor(person.id, false).await?;
    app.note(
        Doer::Person(person),
        &session.row.address,
        "second factor off",
        "",
    )
    .await;
    Ok(StatusCode::NO_CONTENT)
}
