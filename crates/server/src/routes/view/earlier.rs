//! Earlier jobs of the same vehicle, and what a job waits for.

use crate::App;
use crate::error::ApiError;
use crate::shop::Shop;
use serde::{Deserialize, Serialize};
use spannung_core::hearing;
use spannung_core::job::Job;
use spannung_core::job::entry::WaitKind;
use spannung_store::card::Found;
use time::OffsetDateTime;
use utoipa::ToSchema;
use uuid::Uuid;

/// An earlier job of the same vehicle.
#[derive(Serialize, ToSchema)]
pub struct Earlier {
    pub(super) id: Uuid,
    pub(super) number: i32,
    pub(super) vehicle: String,
    pub(super) frame_number: String,
    pub(super) words: String,
    pub(super) outcome: String,
    pub(super) mended: String,
    #[serde(with = "time::serde::rfc3339::option")]
    pub(super) opened_at: Option<OffsetDateTime>,
    #[serde(with = "time::serde::rfc3339::option")]
    pub(super) closed_at: Option<OffsetDateTime>,
    /// The same complaint within the shop's comeback period.
    pub comeback: bool,
}

/// What it waits for.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct WaitView {
    /// Kind.
    pub kind: WaitKind,
    /// In words.
    pub what: String,
    /// Comes free.
    #[serde(with = "time::serde::rfc3339::option")]
    pub until: Option<OffsetDateTime>,
    /// Since.
    #[serde(with = "time::serde::rfc3339")]
    pub since: OffsetDateTime,
    /// Who delivers.
    pub supplier: Option<String>,
}

impl WaitView {
    /// What a job waits for.
    pub fn of(job: &Job) -> Option<Self> {
        job.waiting.as_ref().map(|w| Self {
            kind: w.kind,
            what: w.what.clone(),
            until: w.until,
            since: w.since,
            supplier: w.supplier.clone(),
        })
    }
}

/// An earlier job, with whether this one is its complaint coming back: within the shop's comeback
/// period, and a symptom heard then is heard again.
pub fn earlier(
    app: &App,
    found: Found,
    words: &str,
    opened: OffsetDateTime,
    shop: &Shop,
) -> Earlier {
    let days = time::Duration::days(i64::from(shop.comeback_days));
    let soon = found
        .card
        .closed_at
        .is_some_and(|c| opened >= c && opened - c <= days);
    let told = |words: &str| -> Vec<String> {
        let heard = hearing::hear(&app.catalogue, words, None).into_iter();
        let signs = heard.filter(|h| h.yes && app.catalogue.symptom(&h.id).is_some());
        signs.map(|h| h.id).collect()
    };
    let then = told(&found.card.words);
    let again = told(words).iter().any(|s| then.contains(s));
    Earlier {
        id: found.id,
        number: found.number,
        vehicle: found.card.vehicle,
        frame_number: found.card.frame_number,
        words: found.card.words,
        outcome: found.card.outcome,
        mended: found.card.mended,
        opened_at: found.card.opened_at,
        closed_at: found.card.closed_at,
        comeback: soon && again,
    }
}

pub(super) async fn came_from(
    app: &App,
    id: Uuid,
    job: &Job,
    now: OffsetDateTime,
    shop: &Shop,
) -> Result<Option<Earlier>, ApiError> {
    match app.store.found(id).await {
        Ok(found) => {
            let opened = job.opened_at.unwrap_or(now);
            Ok(Some(earlier(app, found, &job.words, opened, shop)))
        }
        Err(spannung_store::StoreError::NotFound(_)) => Ok(None),
        Err(error) => Err(error.into()),
    }
}
