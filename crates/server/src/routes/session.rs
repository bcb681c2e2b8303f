//! Sign-in and sign-out, one's sessions, health.

use crate::App;
use crate::auth::{self, ACCOUNT_ATTEMPTS, Session, WINDOW, Who};
use crate::error::{ApiError, Problem};
use crate::routes::factor;
use axum::Json;
use axum::extract::{ConnectInfo, Path, State};
use axum::http::{HeaderMap, StatusCode};
use axum_extra::extract::CookieJar;
use serde::{Deserialize, Serialize};
use spannung_core::job::{Role, bounds};
use spannung_store::audit::Doer;
use spannung_store::people::Person;
use spannung_store::session::NewSession;
use std::net::SocketAddr;
use time::OffsetDateTime;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use uuid::Uuid;

/// Attempts from one address within [`WINDOW`] that are looked at.
const ADDRESS_ATTEMPTS: i64 = 60;

/// Routes.
pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(sign_in, who, sign_out))
        .routes(routes!(change_over))
        .routes(routes!(confirm))
        .routes(routes!(list_sessions))
        .routes(routes!(end_session))
        .routes(routes!(health))
}

/// Name and password.
#[derive(Deserialize, ToSchema)]
struct SignIn {
    name: String,
    password: String,
    /// Code of the second factor, where there is one.
    #[serde(default)]
    code: Option<String>,
}

/// Who is signed in.
#[derive(Serialize, ToSchema)]
struct Me {
    id: Uuid,
    name: String,
    role: Role,
}

impl Me {
    fn of(person: &Person) -> Self {
        Self {
            id: person.id,
            name: person.name.clone(),
            role: person.role,
        }
    }
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
    let account = auth::account(&given.name);
    bounds::text(&account)?;
    let (tries, from) = app
        .store
        .count_attempt(&account, &address, now, now - WINDOW)
        .await?;
    if tries > ACCOUNT_ATTEMPTS || from > ADDRESS_ATTEMPTS {
        app.note(
            Doer::Named(&given.name),
            &address,
            "sign-in stopped",
            "too many attempts",
        )
        .await;
        return Err(auth::too_many());
    }
    let found = app.store.person_by_name(&account).await?;
    let hash = found.as_ref().map(|f| f.1.clone());
    let fits = auth::password_fits(&app, given.password, hash).await?;
    let Some((person, _)) = found.filter(|_| fits) else {
        app.note(Doer::Named(&given.name), &address, "sign-in refused", "")
            .await;
        return Err(ApiError::refused(
            StatusCode::UNAUTHORIZED,
            "wrong-password",
            Some("password"),
            "Name and password do not fit together.",
        ));
    };
    factor::passed(&app, &person, given.code.as_deref()).await?;
    app.store.forget_attempts(&account).await?;
    let jar = begin(&app, jar, &person, &headers, &address).await?;
    app.note(Doer::Person(&person), &address, "signed in", "")
        .await;
    Ok((jar, Json(Me::of(&person))))
}

/// Begin a session in place of the one this browser had.
async fn begin(
    app: &App,
    jar: CookieJar,
    person: &Person,
    headers: &HeaderMap,
    address: &str,
) -> Result<CookieJar, ApiError> {
    let now = OffsetDateTime::now_utc();
    if let Some(old) = jar.get(auth::cookie_name(app)) {
        app.store
            .end_session(&auth::token_hash(old.value()), now)
            .await?;
    }
    let token = auth::new_token();
    app.store
        .begin_session(&NewSession {
            token_hash: &auth::token_hash(&token),
            person: person.id,
            now,
            lasts: auth::LASTS,
            device: &auth::device(headers),
            address,
        })
        .await?;
    Ok(jar.add(auth::cookie(app, token)))
}

/// Who takes over, with the short code.
#[derive(Deserialize, ToSchema)]
struct ChangeOver {
    name: String,
    code: String,
    /// Code of the second factor, where there is one.
    #[serde(default)]
    factor: Option<String>,
}

/// Another person takes over at a shared tablet. Works only where somebody is signed in: the code is too
/// short to be a password.
#[utoipa::path(post, path = "/session/change", request_body = ChangeOver, responses((status = 200, body = Me), (status = "4XX", body = Problem)))]
async fn change_over(
    State(app): State<App>,
    before: Session,
    ConnectInfo(peer): ConnectInfo<SocketAddr>,
    headers: HeaderMap,
    jar: CookieJar,
    Json(given): Json<ChangeOver>,
) -> Result<(CookieJar, Json<Me>), ApiError> {
    let found = app.store.person_with_code(given.name.trim()).await?;
    let hash = found.as_ref().and_then(|f| f.1.clone());
    auth::throttled(&app, &given.name, "code", given.code, hash).await?;
    let (person, _) = found.ok_or(ApiError::NotSignedIn)?;
    // a code of four figures is no password: it does not come before a second factor
    factor::passed(&app, &person, given.factor.as_deref()).await?;
    let address = auth::caller(app.behind_proxy, peer.ip(), &headers).to_string();
    let jar = begin(&app, jar, &person, &headers, &address).await?;
    app.note(
        Doer::Person(&person),
        &address,
        "took over",
        &before.person.name,
    )
    .await;
    Ok((jar, Json(Me::of(&person))))
}

/// The password again, with the code where there is a second factor.
#[derive(Deserialize, ToSchema)]
struct Again {
    password: String,
    #[serde(default)]
    code: Option<String>,
}

/// Whoever is signed in gives the password again, before what guards others or cannot be undone.
#[utoipa::path(post, path = "/session/confirm", request_body = Again, responses((status = 204), (status = "4XX", body = Problem)))]
async fn confirm(
    State(app): State<App>,
    session: Session,
    Json(given): Json<Again>,
) -> Result<StatusCode, ApiError> {
    let person = &session.person;
    let hash = app.store.person_by_name(&person.name).await?.map(|f| f.1);
    auth::throttled(&app, &person.name, "password", given.password, hash).await?;
    factor::passed(&app, person, given.code.as_deref()).await?;
    app.store
        .confirm_session(session.row.id, OffsetDateTime::now_utc())
        .await?;
    Ok(StatusCode::NO_CONTENT)
}

/// A session of one's own.
#[derive(Serialize, ToSchema)]
struct SessionView {
    id: Uuid,
    #[serde(with = "time::serde::rfc3339")]
    began_at: OffsetDateTime,
    #[serde(with = "time::serde::rfc3339")]
    seen_at: OffsetDateTime,
    device: String,
    address: String,
    /// The one that asks.
    this: bool,
}

#[utoipa::path(get, path = "/me/sessions", responses((status = 200, body = [SessionView]), (status = "4XX", body = Problem)))]
async fn list_sessions(
    State(app): State<App>,
    session: Session,
) -> Result<Json<Vec<SessionView>>, ApiError> {
    let now = OffsetDateTime::now_utc();
    let idle = auth::idle(&app).await?;
    let all = app.store.sessions(session.person.id, now, idle).await?;
    Ok(Json(
        all.into_iter()
            .map(|s| SessionView {
                this: s.id == session.row.id,
                id: s.id,
                began_at: s.began_at,
                seen_at: s.seen_at,
                device: s.device,
                address: s.address,
            })
            .collect(),
    ))
}

#[utoipa::path(delete, path = "/me/sessions/{id}", params(("id" = Uuid, Path)), responses((status = 204), (status = "4XX", body = Problem)))]
async fn end_session(
    State(app): State<App>,
    Who(person): Who,
    Path(id): Path<Uuid>,
) -> Result<StatusCode, ApiError> {
    app.store.end_session_of(person.id, id).await?;
    Ok(StatusCode::NO_CONTENT)
}

#[utoipa::path(get, path = "/session", responses((status = 200, body = Me), (status = "4XX", body = Problem)))]
async fn who(Who(person): Who) -> Json<Me> {
    Json(Me::of(&person))
}

#[utoipa::path(delete, path = "/session", responses((status = 204), (status = "4XX", body = Problem)))]
async fn sign_out(
    State(app): State<App>,
    _: Who,
    jar: CookieJar,
) -> Result<(CookieJar, StatusCode), ApiError> {
    if let Some(token) = jar.get(auth::cookie_name(&app)) {
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
    /// It has room to write: a row was written and taken back.
    writes: bool,
    /// Live updates are heard.
    listening: bool,
    /// Runs on demonstration data.
    demo: bool,
}

#[utoipa::path(get, path = "/health", responses((status = 200, body = Health), (status = 503, body = Health)))]
async fn health(State(app): State<App>) -> (StatusCode, Json<Health>) {
    let database = app.store.ping().await.is_ok();
    let writes = database && app.store.can_write().await.is_ok();
    let status = if writes {
        StatusCode::OK
    } else {
        StatusCode::SERVICE_UNAVAILABLE
    };
    let listening = app.listening.load(std::sync::atomic::Ordering::Relaxed);
    (
        status,
        Json(Health {
            database,
            writes,
            listening,
            demo: app.demo,
        }),
    )
}
