//! Sign-in, sessions, origin check.

use crate::App;
use crate::error::ApiError;
use argon2::{Argon2, PasswordHasher, PasswordVerifier, password_hash::phc::PasswordHash};
use axum::extract::{ConnectInfo, FromRequestParts, Request, State};
use axum::http::request::Parts;
use axum::http::{HeaderMap, Method, StatusCode, header};
use axum::middleware::Next;
use axum::response::Response;
use axum_extra::extract::CookieJar;
use axum_extra::extract::cookie::{Cookie, SameSite};
use rand::Rng;
use sha2::{Digest, Sha256};
use spannung_core::job::Role;
use spannung_store::audit::Doer;
use spannung_store::people::Person;
use spannung_store::session::SessionRow;
use std::net::{IpAddr, SocketAddr};
use time::{Duration, OffsetDateTime};

/// Name of the session cookie; with the prefix that binds it to this host where the address is https.
pub const COOKIE: &str = "spannung_session";
const SECURE_COOKIE: &str = "__Host-spannung_session";
/// How long a session lasts at the most.
pub const LASTS: Duration = Duration::hours(12);
/// How long after the password was given the owner may change people, settings, and erase.
const CONFIRMED: Duration = Duration::minutes(15);

/// Who asks. Being an argument of a handler is what makes its route need a session.
#[derive(Debug, Clone)]
pub struct Who(pub Person);

/// The session that a request came with.
#[derive(Debug, Clone)]
pub struct Session {
    /// Its row.
    pub row: SessionRow,
    /// Whose.
    pub person: Person,
    token_hash: Vec<u8>,
}

impl Session {
    /// Does it still hold?
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn holds(&self, app: &App) -> Result<bool, ApiError> {
        let now = OffsetDateTime::now_utc();
        let idle = idle(app).await?;
        Ok(app
            .store
            .session(&self.token_hash, now, idle)
            .await?
            .is_some())
    }
}

/// How long a session may be idle.
///
/// # Errors
/// The database does not answer.
pub async fn idle(app: &App) -> Result<Duration, ApiError> {
    Ok(Duration::minutes(i64::from(
        crate::shop::now(app).await?.idle_minutes,
    )))
}

/// Name of the session cookie at this address.
pub fn cookie_name(app: &App) -> &'static str {
    if app.public_url.starts_with("https://") {
        SECURE_COOKIE
    } else {
        COOKIE
    }
}

/// An account's name as it is counted and looked up: however it is typed.
pub fn account(name: &str) -> String {
    let words: Vec<&str> = name.split_whitespace().collect();
    words.join(" ").to_lowercase()
}

/// Hash of a session token as it stands in the database.
pub fn token_hash(token: &str) -> Vec<u8> {
    Sha256::digest(token.as_bytes()).to_vec()
}

/// A fresh random token, 256 bits in hex.
pub fn new_token() -> String {
    let mut bytes = [0u8; 32];
    rand::rng().fill_bytes(&mut bytes);
    bytes.iter().map(|b| format!("{b:02x}")).collect()
}

/// Who calls: the peer, or, where a proxy on this machine is said to stand before, the last address in
/// its `X-Forwarded-For`, the only one the proxy itself has written.
pub fn caller(behind_proxy: bool, peer: IpAddr, headers: &HeaderMap) -> IpAddr {
    if !behind_proxy || !peer.is_loopback() {
        return peer;
    }
    headers
        .get_all("x-forwarded-for")
        .iter()
        .next_back()
        .and_then(|v| v.to_str().ok())
        .and_then(|v| v.rsplit(',').next())
        .and_then(|v| v.trim().parse().ok())
        .unwrap_or(peer)
}

/// The session cookie; `Secure` when the public address is https.
pub fn cookie(app: &App, token: String) -> Cookie<'static> {
    Cookie::build((cookie_name(app), token))
        .path("/")
        .http_only(true)
        .same_site(SameSite::Lax)
        .secure(app.public_url.starts_with("https://"))
        .max_age(LASTS)
        .build()
}

/// Hash a password with Argon2id. Slow on purpose: call it off the async threads.
///
/// # Errors
/// The hasher refuses (never seen).
pub fn hash_password(password: &str) -> Result<String, ApiError> {
    Argon2::default()
        .hash_password(password.as_bytes())
        .map(|h| h.to_string())
        .map_err(ApiError::internal("password hash"))
}

/// Does the password fit? An account that is not known, or that has no password yet, is checked against a
/// fixed hash, so that it takes as long.
///
/// # Errors
/// Too many hashes at once.
pub async fn password_fits(
    app: &App,
    password: String,
    hash: Option<String>,
) -> Result<bool, ApiError> {
    let _turn = app.limits.hash().await?;
    let fits = tokio::task::spawn_blocking(move || {
        static NOBODY: std::sync::OnceLock<String> = std::sync::OnceLock::new();
        let nobody = || {
            NOBODY
                .get_or_init(|| hash_password("nobody has this password").unwrap_or_default())
                .clone()
        };
        let known = hash.filter(|h| PasswordHash::new(h).is_ok());
        let real = known.is_some();
        let hash = known.unwrap_or_else(nobody);
        let fits = PasswordHash::new(&hash).is_ok_and(|h| {
            Argon2::default()
                .verify_password(password.as_bytes(), &h)
                .is_ok()
        });
        fits && real
    });
    Ok(fits.await.unwrap_or(false))
}

/// What the browser calls itself, short.
pub fn device(headers: &HeaderMap) -> String {
    let said = headers
        .get(header::USER_AGENT)
        .and_then(|v| v.to_str().ok());
    said.unwrap_or_default().chars().take(160).collect()
}

impl FromRequestParts<App> for Session {
    type Rejection = ApiError;

    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Self, ApiError> {
        if let Some(found) = parts.extensions.get::<Self>() {
            return Ok(found.clone());
        }
        let jar = CookieJar::from_headers(&parts.headers);
        let token = jar.get(cookie_name(app)).ok_or(ApiError::NotSignedIn)?;
        let now = OffsetDateTime::now_utc();
        let token_hash = token_hash(token.value());
        let found = app
            .store
            .session(&token_hash, now, idle(app).await?)
            .await?;
        let (person, row) = found.ok_or(ApiError::NotSignedIn)?;
        // only work keeps a session alive: a page that looks for news by itself does not
        let works = !matches!(parts.method, Method::GET | Method::HEAD);
        if works && now - row.seen_at > Duration::minutes(1) {
            app.store.touch_session(row.id, now).await?;
        }
        let session = Self {
            row,
            person,
            token_hash,
        };
        parts.extensions.insert(session.clone());
        Ok(session)
    }
}

impl FromRequestParts<App> for Who {
    type Rejection = ApiError;

    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Self, ApiError> {
        Ok(Self(Session::from_request_parts(parts, app).await?.person))
    }
}

/// The owner, who has given the password just now. Being an argument of a handler is what keeps an open tablet from
/// changing people and settings, and from erasing.
#[derive(Debug, Clone)]
pub struct Confirmed(pub Person);

impl FromRequestParts<App> for Confirmed {
    type Rejection = ApiError;

    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Self, ApiError> {
        let Owner(person) = Owner::from_request_parts(parts, app).await?;
        let session = Session::from_request_parts(parts, app).await?;
        let since = OffsetDateTime::now_utc() - session.row.confirmed_at;
        if since > CONFIRMED || since < -CONFIRMED {
            return Err(ApiError::refused(
                StatusCode::FORBIDDEN,
                "confirm",
                Some("password"),
                "Give your password again: this changes who may do what, or cannot be undone.",
            ));
        }
        Ok(Self(person))
    }
}

/// The owner. Being an argument of a handler is what keeps everybody else out.
#[derive(Debug, Clone)]
pub struct Owner(pub Person);

impl FromRequestParts<App> for Owner {
    type Rejection = ApiError;

    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Self, ApiError> {
        let Who(person) = Who::from_request_parts(parts, app).await?;
        if person.role != Role::Owner {
            return Err(ApiError::not_allowed("Only the owner does this."));
        }
        Ok(Self(person))
    }
}

/// Attempts of one account within [`WINDOW`] that are looked at.
pub const ACCOUNT_ATTEMPTS: i64 = 5;
/// How long attempts count.
pub const WINDOW: Duration = Duration::minutes(15);

/// A secret that somebody who is signed in gives again. It is counted as an attempt of its account before
/// the slow hash, so that guessing is slow whatever is guessed and costs us nothing.
///
/// # Errors
/// Too many attempts, or the secret does not fit.
pub async fn throttled(
    app: &App,
    name: &str,
    field: &'static str,
    given: String,
    hash: Option<String>,
) -> Result<(), ApiError> {
    let now = OffsetDateTime::now_utc();
    let account = account(name);
    let (tries, _) = app
        .store
        .count_attempt(&account, "", now, now - WINDOW)
        .await?;
    if tries > ACCOUNT_ATTEMPTS {
        return Err(too_many());
    }
    if !password_fits(app, given, hash).await? {
        return Err(ApiError::refused(
            StatusCode::FORBIDDEN,
            "does-not-fit",
            Some(field),
            format!("This {field} does not fit {name}."),
        ));
    }
    app.store.forget_attempts(&account).await?;
    Ok(())
}

/// Guessed too often.
pub fn too_many() -> ApiError {
    ApiError::refused(
        StatusCode::TOO_MANY_REQUESTS,
        "too-many",
        None,
        "Too many wrong passwords. Wait 15 minutes, or ask the owner.",
    )
}

/// Hash a password or code, off the async threads.
///
/// # Errors
/// Too many at once; the hasher refuses (never seen).
pub async fn hashed(app: &App, secret: String) -> Result<String, ApiError> {
    let _turn = app.limits.hash().await?;
    tokio::task::spawn_blocking(move || hash_password(&secret))
        .await
        .map_err(ApiError::internal("password hash"))?
}

/// What every refusal of a right leaves in the audit log: who, what, from where.
pub async fn note_refusals(
    State(app): State<App>,
    ConnectInfo(peer): ConnectInfo<SocketAddr>,
    request: Request,
    next: Next,
) -> Response {
    let (mut parts, body) = request.into_parts();
    let asked = format!("{} {}", parts.method, parts.uri.path());
    let address = caller(app.behind_proxy, peer.ip(), &parts.headers).to_string();
    // looked up once here; the handlers find it in the request
    let session = Session::from_request_parts(&mut parts, &app).await.ok();
    let response = next.run(Request::from_parts(parts, body)).await;
    if response.status() == StatusCode::FORBIDDEN {
        let by = session
            .as_ref()
            .map_or(Doer::Named(""), |s| Doer::Person(&s.person));
        app.note(by, &address, "refused", &asked).await;
    }
    response
}

/// Requests that change something may come from our own pages only: a foreign Origin is refused, a
/// missing one (programs, old browsers) is allowed, since the cookie is SameSite.
pub async fn same_origin(
    State(app): State<App>,
    request: Request,
    next: Next,
) -> Result<Response, ApiError> {
    let reads = matches!(
        *request.method(),
        Method::GET | Method::HEAD | Method::OPTIONS
    );
    if !reads && let Some(origin) = request.headers().get(header::ORIGIN) {
        let ours = app.public_url.trim_end_matches('/');
        if origin.to_str().ok() != Some(ours) {
            return Err(ApiError::refused(
                StatusCode::FORBIDDEN,
                "foreign-origin",
                None,
                "This page does not belong to this shop's server.",
            ));
        }
    }
    Ok(next.run(request).await)
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)] // a test that panics says where
    use super::*;

    #[test]
    fn only_a_proxy_on_this_machine_is_believed_and_only_its_own_word() {
        let mut headers = HeaderMap::new();
        headers.append("x-forwarded-for", "6.6.6.6, 10.0.0.7".parse().unwrap());
        let here: IpAddr = "127.0.0.1".parse().unwrap();
        let away: IpAddr = "10.0.0.9".parse().unwrap();
        let tablet: IpAddr = "10.0.0.7".parse().unwrap();
        assert_eq!(caller(true, here, &headers), tablet);
        assert_eq!(caller(false, here, &headers), here);
        assert_eq!(caller(true, away, &headers), away);
        assert_eq!(caller(true, here, &HeaderMap::new()), here);
        headers.append("x-forwarded-for", "nonsense".parse().unwrap());
        assert_eq!(caller(true, here, &headers), here);
    }
}
