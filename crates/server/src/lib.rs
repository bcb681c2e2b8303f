//! HTTP over store and core. Handlers extract, call, reply; errors turn into problem details in one
//! place ([`error`]); one extractor turns a request into a person ([`auth`]).

pub mod ahead;
pub mod append;
pub mod auth;
pub mod clock;
pub mod demo;
pub mod error;
pub mod instruments;
pub mod limits;
pub mod models;
pub mod pages;
pub mod passwords;
pub mod picture;
pub mod routes;
pub mod shop;
pub mod tickets;
pub mod upgrade;
pub mod work;

use axum::Router;
use axum::extract::{DefaultBodyLimit, Request, State};
use axum::http::{HeaderValue, Method, StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use clock::Clock;
use error::ApiError;
use models::Models;
use spannung_core::catalogue::Catalogue;
use spannung_store::Store;
use spannung_store::audit::Doer;
use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;
use tower::ServiceBuilder;
use tower_http::catch_panic::CatchPanicLayer;
use tower_http::compression::CompressionLayer;
use tower_http::request_id::{MakeRequestUuid, PropagateRequestIdLayer, SetRequestIdLayer};
use tower_http::timeout::TimeoutLayer;
use tower_http::trace::TraceLayer;
use utoipa::OpenApi;
use utoipa_axum::router::OpenApiRouter;

/// Largest request body.
const BODY_BYTES: usize = 256 * 1024;

/// What every handler can reach.
#[derive(Clone)]
pub struct App {
    /// Database.
    pub store: Store,
    /// What we believe.
    pub catalogue: Arc<Catalogue>,
    /// Models by profile.
    pub models: Arc<Models>,
    /// Shop time.
    pub clock: Clock,
    /// Public address: decides cookie flags and the allowed origin.
    pub public_url: Arc<str>,
    /// A proxy on this machine stands before the server and hands on who calls.
    pub behind_proxy: bool,
    /// Folder of the built page.
    pub web: Arc<PathBuf>,
    /// Which jobs have new entries, for whoever follows one.
    pub news: tokio::sync::broadcast::Sender<routes::live::News>,
    /// The database is listened to just now.
    pub listening: Arc<std::sync::atomic::AtomicBool>,
    /// True once the program is asked to end: streams that would stay open end then.
    pub closing: tokio::sync::watch::Sender<bool>,
    /// Tickets of the rack that wait to be worked out.
    pub behind: Arc<tickets::Behind>,
    /// Whose vehicle is worked out ahead.
    pub ahead: Arc<ahead::Ahead>,
    /// Jobs as they were folded last.
    pub folded: Arc<work::Folded>,
    /// Whose turn it is to write to a job.
    pub turns: Arc<append::Turns>,
    /// How much of what costs memory or time is done at once.
    pub limits: Arc<limits::Limits>,
    /// The shop's settings as they were read a moment ago.
    pub settings: Arc<shop::Kept>,
    /// Show how to sign in on the sign-in page (demonstration only).
    pub demo: bool,
    /// The meter on the bench, if one is connected.
    pub instruments: Option<instruments::Instruments>,
}

impl App {
    /// Write a line of the audit log. That it cannot be written stops nobody: it is said in the server's log.
    pub async fn note(&self, by: Doer<'_>, address: &str, what: &str, about: &str) {
        let now = self.clock.now();
        if let Err(error) = self.store.audit(now, by, address, what, about).await {
            tracing::error!(%error, what, "audit log");
        }
    }
}

#[derive(OpenApi)]
#[openapi(info(
    title = "Spannung",
    version = "1",
    description = "Fault finding and job records for light electric vehicles."
))]
struct ApiDoc;

fn api() -> OpenApiRouter<App> {
    OpenApiRouter::with_openapi(ApiDoc::openapi())
        .merge(routes::session::router())
        .merge(routes::factor::router())
        .merge(routes::audit::router())
        .merge(routes::catalogue::router())
        .merge(routes::rack::router())
        .merge(routes::intake::router())
        .merge(routes::jobs::router())
        .merge(routes::capture::router())
        .merge(routes::customers::router())
        .merge(routes::packs::router())
        .merge(routes::exchange::router())
        .merge(routes::photos::router())
        .merge(routes::sheets::router())
        .merge(routes::builds::router())
        .merge(routes::vehicles::router())
        .merge(routes::people::router())
        .merge(routes::shop::router())
        .merge(routes::live::router())
        .merge(routes::calendar::router())
}

/// The OpenAPI description as JSON text, the same bytes every time.
///
/// # Errors
/// It does not serialise (never seen).
pub fn openapi_json() -> Result<String, serde_json::Error> {
    let (_, doc) = api().split_for_parts();
    let value = sorted(serde_json::to_value(doc)?);
    Ok(serde_json::to_string_pretty(&value)? + "\n")
}

/// Keys in their order, whether or not something else in the build has asked for maps that keep the order of writing.
pub(crate) fn sorted(value: serde_json::Value) -> serde_json::Value {
    match value {
        serde_json::Value::Object(map) => {
            let keys: std::collections::BTreeMap<_, _> = map.into_iter().collect();
            let each = keys.into_iter().map(|(k, v)| (k, sorted(v)));
            serde_json::Value::Object(each.collect())
        }
        serde_json::Value::Array(list) => list.into_iter().map(sorted).collect(),
        other => other,
    }
}

/// The whole service.
pub fn router(app: App) -> Router {
    let (api, _) = api().split_for_parts();
    let api = api
        .fallback(|| async { ApiError::not_found("address") })
        .layer(axum::middleware::from_fn_with_state(
            app.clone(),
            auth::same_origin,
        ))
        .layer(axum::middleware::from_fn_with_state(
            app.clone(),
            auth::note_refusals,
        ))
        .layer(DefaultBodyLimit::max(BODY_BYTES))
        .layer(axum::middleware::from_fn(error::as_problem));
    Router::new()
        .nest("/api", api)
        .fallback(pages::serve)
        .layer(
            ServiceBuilder::new()
                .layer(SetRequestIdLayer::x_request_id(MakeRequestUuid))
                .layer(TraceLayer::new_for_http().make_span_with(|r: &Request| {
                    let id = r
                        .headers()
                        .get("x-request-id")
                        .and_then(|v| v.to_str().ok())
                        .unwrap_or("-");
                    tracing::info_span!("http", method = %r.method(), path = %r.uri().path(), id)
                }))
                .layer(PropagateRequestIdLayer::x_request_id())
                .layer(CompressionLayer::new())
                .layer(CatchPanicLayer::custom(|_| {
                    ApiError::internal("a handler")("it stopped").into_response()
                }))
                .layer(TimeoutLayer::with_status_code(
                    StatusCode::SERVICE_UNAVAILABLE,
                    Duration::from_secs(60),
                ))
                .layer(axum::middleware::from_fn_with_state(app.clone(), headers)),
        )
        .with_state(app)
}

/// Headers that every reply carries.
async fn headers(State(_): State<App>, request: Request, next: Next) -> Response {
    let api = request.uri().path().starts_with("/api");
    let reads = request.method() == Method::GET;
    let mut response = next.run(request).await;
    let h = response.headers_mut();
    h.insert(
        header::X_CONTENT_TYPE_OPTIONS,
        HeaderValue::from_static("nosniff"),
    );
    h.insert(
        header::REFERRER_POLICY,
        HeaderValue::from_static("same-origin"),
    );
    h.insert("x-frame-options", HeaderValue::from_static("DENY"));
    // a page brings its own policy; nothing else is ever a page
    h.entry(header::CONTENT_SECURITY_POLICY)
        .or_insert(HeaderValue::from_static(
            "default-src 'none'; frame-ancestors 'none'; base-uri 'none'; form-action 'none'",
        ));
    if api || !reads {
        h.insert(header::CACHE_CONTROL, HeaderValue::from_static("no-store"));
    }
    response
}
