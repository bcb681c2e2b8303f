//! The built page: files of `web/dist`, and `index.html` for every address of the page itself, with a
//! fresh nonce for the style engine and a content policy that allows nothing foreign.

use crate::App;
use crate::auth;
use axum::body::Body;
use axum::extract::{Request, State};
use axum::http::{HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};
use tower::ServiceExt;
use tower_http::services::ServeDir;

/// Serve a file or the page.
pub async fn serve(State(app): State<App>, request: Request) -> Response {
    let path = request.uri().path().to_string();
    let is_file = path
        .rsplit('/')
        .next()
        .is_some_and(|last| last.contains('.'))
        && path != "/index.html";
    if is_file {
        let hashed = path.starts_with("/assets/");
        return match ServeDir::new(&*app.web).oneshot(request).await {
            Ok(response) => {
                let mut response = response.map(Body::new);
                if hashed && response.status().is_success() {
                    response.headers_mut().insert(
                        header::CACHE_CONTROL,
                        HeaderValue::from_static("public, max-age=31536000, immutable"),
                    );
                }
                response
            }
            Err(never) => match never {},
        };
    }
    let Ok(html) = tokio::fs::read_to_string(app.web.join("index.html")).await else {
        return (
            StatusCode::SERVICE_UNAVAILABLE,
            "The page has not been built. Run ./spannung demo.",
        )
            .into_response();
    };
    let nonce = &auth::new_token()[..32];
    let policy = format!(
        "default-src 'self'; script-src 'self'; style-src 'self' 'nonce-{nonce}'; img-src 'self'; font-src 'self'; \
         connect-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
    );
    let mut response = axum::response::Html(html.replace("__NONCE__", nonce)).into_response();
    if let Ok(value) = HeaderValue::from_str(&policy) {
        response
            .headers_mut()
            .insert(header::CONTENT_SECURITY_POLICY, value);
    }
    response
        .headers_mut()
        .insert(header::CACHE_CONTROL, HeaderValue::from_static("no-store"));
    response
}
