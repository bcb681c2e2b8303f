//! One place that turns every error into problem details (RFC 9457) with a sentence for the person.

use axum::Json;
use axum::extract::Request;
use axum::http::{StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use serde::Serialize;
use spannung_core::job::Logged;
use spannung_core::{Code, CoreError};
use spannung_store::StoreError;
use utoipa::ToSchema;

/// Problem details.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Problem {
    /// Always `about:blank`: the code says which problem it is.
    #[serde(rename = "type")]
    pub kind: String,
    /// HTTP status.
    pub status: u16,
    /// Status in words.
    pub title: String,
    /// Short code for programs.
    pub code: String,
    /// Field at fault.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub field: Option<String>,
    /// The sentence.
    pub detail: String,
    /// What may have been meant, as it would be typed.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub suggestion: Option<String>,
    /// The newer entry, with a conflict.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub entry: Option<Logged>,
}

/// What a handler can fail with.
#[derive(Debug, thiserror::Error)]
pub enum ApiError {
    /// Store.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// Core.
    #[error(transparent)]
    Core(#[from] CoreError),
    /// Not signed in.
    #[error("Sign in first.")]
    NotSignedIn,
    /// Something newer stands in the log.
    #[error("{sentence}")]
    Conflict {
        /// Sentence.
        sentence: String,
        /// The newer entry.
        entry: Box<Logged>,
    },
    /// Our own fault.
    #[error("This could not be worked out. What you typed is kept; try again.")]
    Internal {
        /// What was being done.
        what: &'static str,
        /// Why it failed.
        #[source]
        cause: Box<dyn std::error::Error + Send + Sync>,
    },
    /// Any other refusal.
    #[error("{sentence}")]
    Refused {
        /// Status.
        status: StatusCode,
        /// Code.
        code: &'static str,
        /// Field.
        field: Option<&'static str>,
        /// Sentence.
        sentence: String,
    },
}

impl ApiError {
    /// A refusal.
    pub fn refused(
        status: StatusCode,
        code: &'static str,
        field: Option<&'static str>,
        sentence: impl Into<String>,
    ) -> Self {
        Self::Refused {
            status,
            code,
            field,
            sentence: sentence.into(),
        }
    }

    /// A role that may not.
    pub fn not_allowed(sentence: &str) -> Self {
        Self::refused(StatusCode::FORBIDDEN, "not-allowed", None, sentence)
    }

    /// Nothing there.
    pub fn not_found(what: &str) -> Self {
        Self::refused(
            StatusCode::NOT_FOUND,
            "not-found",
            None,
            format!("There is no such {what}."),
        )
    }

    /// Our own fault, made of what caused it.
    pub fn internal<E: std::fmt::Display>(what: &'static str) -> impl Fn(E) -> Self {
        move |cause| {
            tracing::error!(what, %cause, "internal error");
            Self::Internal {
                what,
                cause: cause.to_string().into(),
            }
        }
    }
}

/// Refusals that the framework itself words (a body too large, no JSON, an id that is none) become
/// problem details as well.
pub async fn as_problem(request: Request, next: Next) -> Response {
    let response = next.run(request).await;
    let status = response.status();
    let plain = !response
        .headers()
        .get(header::CONTENT_TYPE)
        .and_then(|v| v.to_str().ok())
        .is_some_and(|t| t.contains("json"));
    if !(status.is_client_error() && plain) {
        return response;
    }
    let (code, sentence) = match status {
        StatusCode::PAYLOAD_TOO_LARGE => (
            "too-large",
            "This is larger than what is taken in here: 256 kB, 15 MB for a photo, 48 MB for a job.",
        ),
        StatusCode::UNSUPPORTED_MEDIA_TYPE => (
            "not-json",
            "Send it as JSON, with content type application/json.",
        ),
        StatusCode::METHOD_NOT_ALLOWED => ("not-here", "This address does not take that method."),
        StatusCode::NOT_FOUND => ("not-found", "There is no such address."),
        _ => (
            "not-read",
            "This does not read: the address or the body is not as the API describes it.",
        ),
    };
    let words = axum::body::to_bytes(response.into_body(), 2000)
        .await
        .ok()
        .and_then(|b| String::from_utf8(b.to_vec()).ok())
        .filter(|w| !w.trim().is_empty() && status != StatusCode::PAYLOAD_TOO_LARGE);
    let detail = words.map_or(sentence.to_string(), |w| format!("{sentence} {}", w.trim()));
    ApiError::refused(status, code, None, detail).into_response()
}

impl IntoResponse for ApiError {
    fn into_response(self) -> Response {
        let detail = self.to_string();
        let suggestion = match &self {
            Self::Core(CoreError::Entry { suggestion, .. }) => suggestion.clone(),
            _ => None,
        };
        let (status, code, field, detail, entry) = match self {
            Self::NotSignedIn => (
                StatusCode::UNAUTHORIZED,
                "not-signed-in".to_string(),
                None,
                detail,
                None,
            ),
            Self::Conflict { entry, .. } => (
                StatusCode::CONFLICT,
                "newer-entry".into(),
                None,
                detail,
                Some(*entry),
            ),
            Self::Internal { .. } => (
                StatusCode::INTERNAL_SERVER_ERROR,
                "internal".into(),
                None,
                detail,
                None,
            ),
            Self::Refused {
                status,
                code,
                field,
                ..
            } => (status, code.into(), field.map(str::to_string), detail, None),
            Self::Core(CoreError::Entry { code, field, .. }) => {
                let status = match code {
                    Code::GateClosed
                    | Code::GateStopped
                    | Code::NotAllowed
                    | Code::NotSpecialist => StatusCode::FORBIDDEN,
                    _ => StatusCode::UNPROCESSABLE_ENTITY,
                };
                (
                    status,
                    code.word().into(),
                    Some(field.to_string()),
                    detail,
                    None,
                )
            }
            Self::Core(_) => (
                StatusCode::UNPROCESSABLE_ENTITY,
                "cannot-compute".into(),
                None,
                detail,
                None,
            ),
            Self::Store(StoreError::NotFound(what)) => (
                StatusCode::NOT_FOUND,
                "not-found".into(),
                None,
                format!("There is no such {what}."),
                None,
            ),
            Self::Store(StoreError::Moved) => (
                StatusCode::CONFLICT,
                "moved".into(),
                None,
                "Somebody else is writing to this job. Try again.".into(),
                None,
            ),
            Self::Store(StoreError::ForeignEntry) => (
                StatusCode::CONFLICT,
                "foreign-entry".into(),
                Some("id".into()),
                "This entry belongs to another job.".into(),
                None,
            ),
            Self::Store(StoreError::LastOwner) => (
                StatusCode::CONFLICT,
                "last-owner".into(),
                Some("role".into()),
                "A shop keeps one owner who can sign in.".into(),
                None,
            ),
            Self::Store(StoreError::Taken(name)) => (
                StatusCode::CONFLICT,
                "taken".into(),
                None,
                format!("“{name}” is taken already."),
                None,
            ),
            Self::Store(StoreError::Rejected { code, source }) => {
                tracing::warn!(error = %source, "store");
                let sentence = match code {
                    "unknown-reference" => {
                        "It names something that is not known here, such as a pack without a sticker."
                    }
                    "taken" => "This id or name is in use already.",
                    _ => "It holds something that cannot be kept, such as a letter that is none.",
                };
                (
                    StatusCode::UNPROCESSABLE_ENTITY,
                    code.into(),
                    Some("body".into()),
                    sentence.into(),
                    None,
                )
            }
            Self::Store(StoreError::Corrupt(error)) => {
                tracing::error!(%error, "store");
                (
                    StatusCode::INTERNAL_SERVER_ERROR,
                    "corrupt".into(),
                    None,
                    "The database holds something that does not read. The server's log says what; trying again does not help.".into(),
                    None,
                )
            }
            Self::Store(StoreError::Full(error)) => {
                tracing::error!(%error, "store");
                (
                    StatusCode::INSUFFICIENT_STORAGE,
                    "disk-full".into(),
                    None,
                    "The server's disk is full: nothing more can be kept there. What you typed waits on this device. Tell whoever runs the server.".into(),
                    None,
                )
            }
            Self::Store(error @ (StoreError::Unavailable(_) | StoreError::Migrate(_))) => {
                tracing::error!(%error, "store");
                (
                    StatusCode::SERVICE_UNAVAILABLE,
                    "database".into(),
                    None,
                    "The database does not answer. What you typed is kept; try again in a moment."
                        .into(),
                    None,
                )
            }
        };
        let body = Problem {
            kind: "about:blank".into(),
            status: status.as_u16(),
            title: status.canonical_reason().unwrap_or_default().into(),
            code,
            field,
            detail,
            suggestion,
            entry,
        };
        let mut response = (status, Json(body)).into_response();
        response.headers_mut().insert(
            header::CONTENT_TYPE,
            header::HeaderValue::from_static("application/problem+json"),
        );
        response
    }
}
