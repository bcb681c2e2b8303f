//! How much of what costs memory or time is done at once: slow hashes, pictures, imports. What is over the
//! limit waits its turn for a while and is then told to come again, so that a hundred at once cost no more
//! than a few.

use crate::App;
use crate::error::ApiError;
use axum::body::Bytes;
use axum::extract::{FromRequest, Request};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};
use tokio::sync::{OwnedSemaphorePermit, Semaphore, SemaphorePermit};
use uuid::Uuid;

/// Slow hashes at once; each takes 19 MB.
const HASHES: usize = 4;
/// Pictures at once; each takes up to some 150 MB while it is drawn anew.
const PICTURES: usize = 2;
/// Imports at once; each takes up to some 150 MB.
const IMPORTS: usize = 1;
/// Forecasts at once: one keeps every core busy for up to a second.
const FORECASTS: usize = 1;
/// Large bodies that are held at once.
const UPLOADS: usize = 6;
/// Pictures and imports of one person within an hour.
const AN_HOUR: u32 = 5000;
/// How long one waits for its turn.
const PATIENCE: Duration = Duration::from_secs(20);

/// The turns.
pub struct Limits {
    hashes: Semaphore,
    pictures: Semaphore,
    imports: Semaphore,
    forecasts: Semaphore,
    uploads: Arc<Semaphore>,
    /// Since when each person's hour counts, and what was used of it.
    hours: Mutex<HashMap<Uuid, (Instant, u32)>>,
}

impl Default for Limits {
    fn default() -> Self {
        Self {
            hashes: Semaphore::new(HASHES),
            pictures: Semaphore::new(PICTURES),
            imports: Semaphore::new(IMPORTS),
            forecasts: Semaphore::new(FORECASTS),
            uploads: Arc::new(Semaphore::new(UPLOADS)),
            hours: Mutex::default(),
        }
    }
}

async fn turn(of: &Semaphore) -> Result<SemaphorePermit<'_>, ApiError> {
    let waited = tokio::time::timeout(PATIENCE, of.acquire()).await;
    waited.ok().and_then(Result::ok).ok_or_else(busy)
}

fn busy() -> ApiError {
    ApiError::refused(
        StatusCode::SERVICE_UNAVAILABLE,
        "busy",
        None,
        "Too much of this at once. What you typed is kept; try again in a moment.",
    )
}

/// A large body, held in memory only while it is its turn.
pub struct Upload {
    /// The body.
    pub bytes: Bytes,
    _turn: OwnedSemaphorePermit,
}

impl FromRequest<App> for Upload {
    type Rejection = Response;

    async fn from_request(request: Request, app: &App) -> Result<Self, Response> {
        let turn = Arc::clone(&app.limits.uploads).acquire_owned();
        let turn = tokio::time::timeout(PATIENCE, turn).await;
        let turn = turn.ok().and_then(Result::ok);
        let turn = turn.ok_or_else(|| busy().into_response())?;
        let bytes = Bytes::from_request(request, app)
            .await
            .map_err(IntoResponse::into_response)?;
        Ok(Self { bytes, _turn: turn })
    }
}

impl Limits {
    /// A turn for a slow hash.
    ///
    /// # Errors
    /// Too many wait.
    pub async fn hash(&self) -> Result<SemaphorePermit<'_>, ApiError> {
        turn(&self.hashes).await
    }

    /// A turn for a picture.
    ///
    /// # Errors
    /// Too many wait.
    pub async fn picture(&self) -> Result<SemaphorePermit<'_>, ApiError> {
        turn(&self.pictures).await
    }

    /// Count a picture or an import against what one person may bring in an hour.
    ///
    /// # Errors
    /// The hour's share is used up.
    pub fn quota(&self, person: Uuid) -> Result<(), ApiError> {
        let mut hours = self.hours.lock().unwrap_or_else(PoisonError::into_inner);
        let hour = hours.entry(person).or_insert((Instant::now(), 0));
        if hour.0.elapsed() > Duration::from_secs(3600) {
            *hour = (Instant::now(), 0);
        }
        hour.1 += 1;
        if hour.1 <= AN_HOUR {
            return Ok(());
        }
        Err(ApiError::refused(
            StatusCode::TOO_MANY_REQUESTS,
            "quota",
            None,
            format!(
                "{AN_HOUR} pictures and imports an hour are taken from one person. Go on later."
            ),
        ))
    }

    /// A turn for a forecast.
    ///
    /// # Errors
    /// Too many wait.
    pub async fn forecast(&self) -> Result<SemaphorePermit<'_>, ApiError> {
        turn(&self.forecasts).await
    }

    /// A turn for an import.
    ///
    /// # Errors
    /// Too many wait.
    pub async fn import(&self) -> Result<SemaphorePermit<'_>, ApiError> {
        turn(&self.imports).await
    }
}
