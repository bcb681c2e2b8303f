//! Sign-in and sign-out, health.

use crate::App;
use crate::auth::{self, ACCOUNT_FAILURES, WINDOW, Who};
use crate::error::{ApiError, Problem};
use axum::Json;
use axum::extract::{ConnectInfo, State};
use axum::http::{HeaderMap, StatusCode};
use axum_extra::extract::CookieJar;
use serde::{Deserialize, Serialize};
use spannung_core::job::Role;
use std::net::SocketAddr;
use time::OffsetDateTime;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

/// Failures from one address within [`WINDOW`] that stop it.
const ADDRESS_FAILURES: i64 = 30;

/// Routes.
pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(sign_in, who, sign_out))
        .routes(routes!(change_over))
        .routes(routes!(health))
}

/// Name and password.
#[derive(Deserialize, ToSchema)]
struct SignIn {
    name: String,
    password: String,
}

/// Who is signed in.
#[derive(Serialize, ToSchema)]
struct Me {
    name: String,
    role: Role,
}

#[utoipa::path(post, path = "/session", request_body = SignIn, responses((status = 200, body = Me), (status = "4XX", body = Problem)))]
async fn sign_in(
    State(app): State<App>,
    ConnectInfo(peer): ConnectInfo<SocketAddr>,
    headers: HeaderMap,
    jar: CookieJar,
    Json(given): Json<SignIn>,
) -> Result<(CookieJar, Json<Me>), ApiError> {
    let now = OffsetDateTime::now_utc();
    let address = auth::caller(app.behind_proxy, peer.ip(), &headers).to_string();
    let (account, from) = app
        .store
        .failures(&given.name, &address, now - WINDOW)
        .await?;
    if account >= ACCOUNT_FAILURES || from >= ADDRESS_FAILURES {
        return Err(auth::too_many());
    }
    let found = app.store.person_by_name(given.name.trim()).await?;
    let hash = found.as_ref().map(|f| f.1.clone());
    if !auth::password_fits(given.password, hash).await {
        app.store.note_failure(&given.name, &address, now).await?;
        return Err(ApiError::refused(
            StatusCode::UNAUTHORIZED,
            "wrong-password",
            Some("password"),
            "Name and password do not fit together.",
        ));
    }
    let (person, _) = found.ok_or(ApiError::NotSignedIn)?;
    app.store.forget_failures(&person.name).await?;
    let token = auth::new_token();
    app.store
        .begin_session(&auth::token_hash(&token), person.id, now + auth::LASTS)
        .await?;
    let me = Me {
        name: person.name,
        role: person.role,
    };
    Ok((jar.add(auth::cookie(&app, token)), Json(me)))
}

/// Who takes over, with the short code.
#[derive(Deserialize, ToSchema)]
struct ChangeOver {
    name: String,
    code: String,
}

/// Another person takes over at a shared tablet. Works only where somebody is signed in: the code is too
/// short to be a password.
#[utoipa::path(post, path = "/session/change", request_body = ChangeOver, responses((status = 200, body = Me), (status = "4XX", body = Problem)))]
async fn change_over(
    State(app): State<App>,
    _: Who,
    jar: CookieJar,
    Json(given): Json<ChangeOver>,
) -> Result<(CookieJar, Json<Me>), ApiError> {
    let now = OffsetDateTime::now_utc();
    let found = app.store.person_with_code(given.name.trim()).await?;
    let hash = found.as_ref().and_then(|f| f.1.clone());
    auth::throttled(
        &app,
        given.name.trim(),
        "code",
        auth::password_fits(given.code, hash),
    )
    .await?;
    let (person, _) = found.ok_or(ApiError::NotSignedIn)?;
    if let Some(old) = jar.get(auth::COOKIE) {
        app.store
            .end_session(&auth::token_hash(old.value()), now)
            .await?;
    }
    let token = auth::new_token();
    app.store
        .begin_session(&auth::token_hash(&token), person.id, now + auth::LASTS)
        .await?;
    let me = Me {
        name: person.name,
        role: person.role,
    };
    Ok((jar.add(auth::cookie(&app, token)), Json(me)))
}

#[utoipa::path(get, path = "/session", responses((status = 200, body = Me), (status = "4XX", body = Problem)))]
async fn who(Who(person): Who) -> Json<Me> {
    Json(Me {
        name: person.name,
        role: person.role,
    })
}

#[utoipa::path(delete, path = "/session", responses((status = 204), (status = "4XX", body = Problem)))]
async fn sign_out(
    State(app): State<App>,
    _: Who,
    jar: CookieJar,
) -> Result<(CookieJar, StatusCode), ApiError> {
    if let Some(token) = jar.get(auth::COOKIE) {
        app.store
            .end_session(&auth::token_hash(token.value()), OffsetDateTime::now_utc())
            .await?;
    }
    Ok((
        jar.remove(auth::cookie(&app, String::new())),
        StatusCode::NO_CONTENT,
    ))
}

/// State of the service.
#[derive(Serialize, ToSchema)]
struct Health {
    /// The database answers.
    database: bool,
    /// Runs on demonstration data.
    demo: bool,
}

#[utoipa::path(get, path = "/health", responses((status = 200, body = Health)))]
async fn health(State(app): State<App>) -> Json<Health> {
    Json(Health {
        database: app.store.ping().await.is_ok(),
        demo: app.demo,
    })
}
