//! A reading taken from the meter on the bench.

use crate::App;
use crate::auth::Who;
use crate::error::{ApiError, Problem};
use crate::instruments::Place;
use crate::work;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use serde::Serialize;
use spannung_circuit::Mode;
use spannung_core::diagnosis::repertoire::{self, Kind};
use spannung_core::reading::{self, Unit};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use uuid::Uuid;

/// Routes.
pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(capture))
}

/// What the meter showed, as it would have been typed.
#[derive(Serialize, ToSchema)]
struct Captured {
    typed: String,
}

/// How a figure is written where a person would type it: three digits, more no hand meter of the class is sure of
/// (0.8 % of volts, 1.2 % of ohms, 2 % of amps).
fn written(low: f64, high: f64, unit: Unit) -> String {
    let (low, high) = (reading::typed(low, unit), reading::typed(high, unit));
    if low == high {
        high
    } else {
        format!("{low}..{high}")
    }
}

#[utoipa::path(post, path = "/jobs/{id}/tests/{test}/capture", params(("id" = Uuid, Path), ("test" = String, Path)), responses((status = 200, body = Captured), (status = "4XX", body = Problem), (status = 503, body = Problem)))]
async fn capture(
    State(app): State<App>,
    Who(person): Who,
    Path((id, test)): Path<(Uuid, String)>,
) -> Result<Json<Captured>, ApiError> {
    let Some(instruments) = app.instruments.clone() else {
        return Err(ApiError::refused(
            StatusCode::CONFLICT,
            "no-meter",
            None,
            "No meter is connected to this server. Type the reading.",
        ));
    };
    let loaded = work::load(&app, id).await?;
    let number = loaded.row.number;
    let asked = work::weigh(&app, loaded.job, person.role, move |w| {
        let spec = &w.model.tests[repertoire::find(&w.model.tests, &test)?];
        let Kind::Probe(p) = &spec.kind else {
            return None;
        };
        let name = |n: usize| w.model.net.nodes[n].clone();
        let sweeps = p.sweep.is_some();
        let place = Place {
            job: number,
            red: name(p.pair.red),
            black: name(p.pair.black),
            shunt_ohms: p.shunt_ohms,
            element: p.element.map(|e| w.model.net.elements[e].id.clone()),
            moments: p.moments(&spec.state.bring(&w.job.state)),
        };
        Some((p.mode, p.unit(), p.groups, sweeps, place))
    })
    .await?;
    let Some((mode, unit, groups, sweeps, place)) = asked else {
        return Err(ApiError::not_found("test on this vehicle"));
    };
    if groups {
        return Err(ApiError::refused(
            StatusCode::CONFLICT,
            "type-it",
            None,
            "Each group is read by hand at the balance plug: type the lowest and the highest.",
        ));
    }
    let shown = instruments.read(mode, &place).await.map_err(|sentence| {
        ApiError::refused(StatusCode::SERVICE_UNAVAILABLE, "meter", None, sentence)
    })?;
    // a current's direction depends on how the clamp lies
    let (low, high) = match mode {
        Mode::Amps => (shown.low.abs(), shown.high.abs()),
        _ => (shown.low, shown.high),
    };
    Ok(Json(Captured {
        typed: if sweeps {
            written(low, high, unit)
        } else {
            written(high, high, unit)
        },
    }))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_captured_figure_has_the_digits_that_a_hand_meter_is_sure_of() {
        let steady = |v: f64, unit| written(v, v, unit);
        assert_eq!(steady(51.2374, Unit::Volts), "51.2");
        assert_eq!(steady(4.84912, Unit::Volts), "4.85");
        assert_eq!(steady(0.012_04, Unit::Volts), "12.0m");
        assert_eq!(steady(46_712.0, Unit::Ohms), "46.7k");
        assert_eq!(steady(f64::INFINITY, Unit::Ohms), "OL");
        assert_eq!(written(0.0713, 4.8214, Unit::Volts), "71.3m..4.82");
        for text in ["51.2", "12.0m", "46.7k", "71.3m..4.82"] {
            assert!(
                reading::parse(text, None).is_ok()
                    || reading::parse(text, Some(Unit::Volts)).is_ok()
            );
        }
    }
}
