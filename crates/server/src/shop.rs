//! The shop's settings: what bills are worked out with, how long a complaint counts as a comeback, what
//! stands on the report. Every change is a new state with its author; the old ones stay.

use crate::App;
use crate::error::ApiError;
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use spannung_core::desks::money::{Bands, Terms, usual_bands};
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};
use utoipa::ToSchema;

/// How lengths and speeds are shown; everything is kept in SI.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum Units {
    /// Kilometres, °C, mm².
    Metric,
    /// Miles, °F, AWG.
    Imperial,
}

/// The settings.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Shop {
    /// Name on the report.
    pub name: String,
    /// Address line on the report.
    pub address: String,
    /// Rate, step and tax.
    pub terms: Terms,
    /// Price of a part by its band, cents without tax: A to E.
    #[schema(value_type = std::collections::HashMap<String, i64>)]
    pub bands: Bands,
    /// Days within which the same complaint is a comeback.
    pub comeback_days: u32,
    /// Time zone as region and town, of the IANA data base: everything is kept in UTC and shown in it.
    #[serde(default = "utc")]
    #[schema(required = true)]
    pub time_zone: String,
    /// Units.
    pub units: Units,
    /// Minutes without work after which a session ends.
    #[serde(default = "four_hours")]
    #[schema(required = true)]
    pub idle_minutes: u32,
}

fn four_hours() -> u32 {
    240
}

fn utc() -> String {
    "UTC".into()
}

impl Default for Shop {
    fn default() -> Self {
        Self {
            name: "The workshop".into(),
            address: String::new(),
            terms: Terms::default(),
            bands: usual_bands(),
            comeback_days: 90,
            time_zone: utc(),
            units: Units::Metric,
            idle_minutes: four_hours(),
        }
    }
}

impl Shop {
    /// Can these settings be worked with?
    ///
    /// # Errors
    /// The field at fault with a sentence.
    pub fn check(&self) -> Result<(), ApiError> {
        let bad = |field: &'static str, sentence: &str| {
            Err(ApiError::refused(
                StatusCode::UNPROCESSABLE_ENTITY,
                "bad-setting",
                Some(field),
                sentence,
            ))
        };
        let t = &self.terms;
        let within = |x: f64, most: f64| x.is_finite() && (0.0..=most).contains(&x);
        if self.name.trim().is_empty() || self.name.chars().count() > 80 {
            return bad("name", "The shop's name has 1 to 80 letters.");
        }
        if self.address.chars().count() > 160 {
            return bad("address", "The address line has up to 160 letters.");
        }
        if !(0..=100_000).contains(&t.rate_cents) {
            return bad("rate_cents", "Labour costs 0 to 1000 per hour.");
        }
        if !within(t.step_minutes, 120.0) || !within(t.least_minutes, 240.0) {
            return bad(
                "step_minutes",
                "Steps of 0 to 120 minutes and a least of 0 to 240 are accepted.",
            );
        }
        if !within(t.tax_percent, 60.0) {
            return bad("tax_percent", "A tax of 0 to 60 % is accepted.");
        }
        if !within(t.small_percent, 50.0) || !(0..=100_000).contains(&t.small_least_cents) {
            return bad("small_percent", "Consumables are 0 to 50 % of labour.");
        }
        if t.currency.len() != 3 || !t.currency.bytes().all(|b| b.is_ascii_uppercase()) {
            return bad(
                "currency",
                "The currency is its three capital letters, such as EUR, CHF or GBP.",
            );
        }
        let known = usual_bands();
        if self.bands.keys().collect::<Vec<_>>() != known.keys().collect::<Vec<_>>()
            || self.bands.values().any(|c| !(0..=10_000_000).contains(c))
        {
            return bad("bands", "Each band 0 and A to E has a price of 0 or more.");
        }
        if !(5..=720).contains(&self.idle_minutes) {
            return bad(
                "idle_minutes",
                "A session without work ends after 5 to 720 minutes.",
            );
        }
        if self.comeback_days > 3650 {
            return bad("comeback_days", "A comeback counts for up to 3650 days.");
        }
        Ok(())
    }
}

/// The settings as they were read a moment ago: they are asked for with every request.
#[derive(Default)]
pub struct Kept(Mutex<Option<(Instant, Shop)>>);

/// How long settings are taken as read; another server process may have changed them.
const FRESH: Duration = Duration::from_secs(2);

impl Kept {
    /// They have been changed: read them anew.
    pub fn forget(&self) {
        *self.0.lock().unwrap_or_else(PoisonError::into_inner) = None;
    }
}

/// The settings that hold now.
///
/// # Errors
/// The database does not answer.
pub async fn now(app: &App) -> Result<Shop, ApiError> {
    let kept = app
        .settings
        .0
        .lock()
        .unwrap_or_else(PoisonError::into_inner)
        .clone();
    if let Some((_, shop)) = kept.filter(|(at, _)| at.elapsed() < FRESH) {
        return Ok(shop);
    }
    let shop = match app.store.shop().await? {
        None => Shop::default(),
        // never the usual settings in place of the shop's own: a bill would be wrong without a word
        Some(stored) => serde_json::from_value(stored).map_err(|e| {
            ApiError::refused(
                StatusCode::INTERNAL_SERVER_ERROR,
                "settings-unreadable",
                None,
                format!("The shop's settings do not read: {e}."),
            )
        })?,
    };
    *app.settings
        .0
        .lock()
        .unwrap_or_else(PoisonError::into_inner) = Some((Instant::now(), shop.clone()));
    Ok(shop)
}
