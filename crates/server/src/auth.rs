//! Sign-in, sessions, origin check.

use crate::App;
use crate::error::ApiError;
use argon2::{Argon2, PasswordHasher, PasswordVerifier, password_hash::phc::PasswordHash};
use axum::extract::{FromRequestParts, Request, State};
use axum::http::request::Parts;
use axum::http::{HeaderMap, Method, StatusCode, header};
use axum::middleware::Next;
use axum::response::Response;
use axum_extra::extract::CookieJar;
use axum_extra::extract::cookie::{Cookie, SameSite};
use rand::Rng;
use sha2::{Digest, Sha256};
use spannung_core::job::Role;
use spannung_store::people::Person;
use std::net::IpAddr;
use time::Duration;

/// Name of the session cookie.
pub const COOKIE: &str = "spannung_session";
/// How long a session lasts.
pub const LASTS: Duration = Duration::hours(12);

/// Who asks. Being an argument of a handler is what makes its route need a session.
#[derive(Debug, Clone)]
pub struct Who(pub Person);

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
    Cookie::build((COOKIE, token))
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
        .map_err(|_| ApiError::internal("password hash"))
}

/// Does the password fit? An unknown account is checked against a fixed hash, so that it takes as long.
pub async fn password_fits(password: String, hash: Option<String>) -> bool {
    tokio::task::spawn_blocking(move || {
        static NOBODY: std::sync::OnceLock<String> = std::sync::OnceLock::new();
        let known = hash.is_some();
        let hash = hash.unwrap_or_else(|| {
            NOBODY
                .get_or_init(|| hash_password("nobody has this password").unwrap_or_default())
                .clone()
        });
        let fits = PasswordHash::new(&hash).is_ok_and(|h| {
            Argon2::default()
                .verify_password(password.as_bytes(), &h)
                .is_ok()
        });
        fits && known
    })
    .await
    .unwrap_or(false)
}

impl FromRequestParts<App> for Who {
    type Rejection = ApiError;

    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Self, ApiError> {
        let jar = CookieJar::from_headers(&parts.headers);
        let token = jar.get(COOKIE).ok_or(ApiError::NotSignedIn)?;
        let found = app
            .store
            .session(&token_hash(token.value()), time::OffsetDateTime::now_utc())
            .await?;
        found.map(Who).ok_or(ApiError::NotSignedIn)
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

/// Failures of one account within [`WINDOW`] that stop it.
pub const ACCOUNT_FAILURES: i64 = 5;
/// How long failures count.
pub const WINDOW: Duration = Duration::minutes(15);

/// A secret that did not fit counts as a failed sign-in of its account, so that guessing is slow whatever
/// is guessed.
///
/// # Errors
/// Too many failures, or the secret does not fit.
pub async fn throttled(
    app: &App,
    name: &str,
    field: &'static str,
    fits: impl Future<Output = bool>,
) -> Result<(), ApiError> {
    let now = time::OffsetDateTime::now_utc();
    let (account, _) = app.store.failures(name, "", now - WINDOW).await?;
    if account >= ACCOUNT_FAILURES {
        return Err(too_many());
    }
    if !fits.await {
        app.store.note_failure(name, "", now).await?;
        return Err(ApiError::refused(
            StatusCode::FORBIDDEN,
            "does-not-fit",
            Some(field),
            format!("This {field} does not fit {name}."),
        ));
    }
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
/// The hasher refuses (never seen).
pub async fn hashed(secret: String) -> Result<String, ApiError> {
    tokio::task::spawn_blocking(move || hash_password(&secret))
        .await
        .map_err(|_| ApiError::internal("password hash"))?
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
