//! Money of a job: the bill as it stands, where it is heading, what a vehicle may cost.

use crate::shop::Shop;
use serde::Serialize;
use spannung_core::desks::money::Sum;
use spannung_core::diagnosis::Prices;
use spannung_core::job::view::Bench;
use spannung_core::job::{Job, report};
use utoipa::ToSchema;

/// Money of the job and where it is heading.
#[derive(Serialize, ToSchema)]
pub(super) struct Money {
    /// Bill as it stands, tax included.
    sum: Sum,
    currency: String,
    /// Total when it ends, cents with tax: 10 %, likely, 90 %; none without a wiring model.
    forecast_cents: Option<[i64; 3]>,
    /// Sentences: limit of money or stop-loss passed, or about to be.
    warnings: Vec<String>,
}

/// What minutes and parts cost here, and what this vehicle may cost: the agreed limit or its value, without tax.
pub(in crate::routes) fn prices(job: &Job, shop: &Shop) -> Prices {
    let most = [job.limit_cents, job.value_cents]
        .into_iter()
        .flatten()
        .min();
    Prices {
        minute_cents: shop.terms.rate_cents as f64 / 60.0,
        bands: shop.bands.clone(),
        most_cents: most.map(|c| (c as f64 / (1.0 + shop.terms.tax_percent / 100.0)) as i64),
    }
}

/// The bill as it stands and where it is heading: minutes to go at the rate and the parts that the
/// suspects would need, until a part has gone in.
pub(super) fn money(
    job: &Job,
    shop: &Shop,
    minutes: f64,
    bench: Option<&Bench>,
    parts_to_go: Option<[i64; 3]>,
) -> Money {
    let terms = job
        .closed
        .as_ref()
        .and_then(|c| c.terms.clone())
        .unwrap_or_else(|| shop.terms.clone());
    let sum = report::bill(job, minutes, &terms);
    let parts: Vec<(f64, i64)> = job
        .parts
        .iter()
        .filter_map(|p| p.price_cents)
        .map(|c| (1.0, c))
        .collect();
    let forecast = bench.zip(parts_to_go).filter(|_| job.closed.is_none());
    let forecast_cents = forecast.map(|(b, to_go)| {
        let mut out = [0; 3];
        for (k, cents) in out.iter_mut().enumerate() {
            let mut lines = parts.clone();
            if job.parts.is_empty() {
                lines.push((1.0, to_go[k]));
            }
            let ahead = minutes + b.minutes_to_go[k];
            *cents = spannung_core::desks::money::sum(&lines, ahead, &terms).total_cents;
        }
        out
    });
    let mut warnings = Vec::new();
    let shown = |c: i64| match terms.currency.as_str() {
        "EUR" => format!("€{}.{:02}", c / 100, c % 100),
        "GBP" => format!("£{}.{:02}", c / 100, c % 100),
        "USD" => format!("${}.{:02}", c / 100, c % 100),
        code => format!("{code} {}.{:02}", c / 100, c % 100),
    };
    if job.closed.is_none() {
        if let Some(limit) = job.limit_cents {
            if sum.total_cents > limit {
                warnings.push(format!(
                    "The agreed limit of {} is passed: {} so far. Ask before going on.",
                    shown(limit),
                    shown(sum.total_cents)
                ));
            } else if let Some([_, likely, most]) = forecast_cents {
                if likely > limit {
                    warnings.push(format!(
                        "Likely {}, over the agreed limit of {}. Ask before going on.",
                        shown(likely),
                        shown(limit)
                    ));
                } else if most > limit {
                    warnings.push(format!(
                        "May reach {}, over the agreed limit of {}.",
                        shown(most),
                        shown(limit)
                    ));
                }
            }
        }
        if let Some(stop) = job.stop_loss_minutes {
            if minutes > stop {
                warnings.push(format!(
                    "Stop-loss: {stop:.0} min were agreed, {minutes:.0} are spent. Ask, or hand it back as it is."
                ));
            } else if let Some((b, _)) = forecast
                && minutes + b.minutes_to_go[1] > stop
            {
                warnings.push(format!(
                    "Stop-loss of {stop:.0} min: likely {:.0} in all.",
                    minutes + b.minutes_to_go[1]
                ));
            }
        }
    }
    Money {
        sum,
        currency: terms.currency.clone(),
        forecast_cents,
        warnings,
    }
}
