//! Open formats, out and back in: a job as JSON with its pictures ([`import`] brings one in); readings, parts
//! and minutes as CSV ([`csv_out`], [`csv_in`]).

mod csv_in;
mod csv_out;
mod import;

use crate::App;
use crate::auth::Who;
use crate::error::{ApiError, Problem};
use crate::work;
use axum::extract::{DefaultBodyLimit, Path, Query, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use base64::Engine;
use base64::engine::general_purpose::STANDARD as BASE64;
use serde::Deserialize;
use spannung_core::job::bundle::{Bundle, BundlePhoto};
use spannung_core::job::{chain, netlist};
use tower_http::limit::RequestBodyLimitLayer;
use utoipa::IntoParams;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use uuid::Uuid;

/// Largest bundle that is read: a job with some forty full pictures.
const BUNDLE_BYTES: usize = 48 * 1024 * 1024;

/// Routes.
pub fn router() -> OpenApiRouter<App> {
    let import = OpenApiRouter::new()
        .routes(routes!(import::import_job))
        .layer(DefaultBodyLimit::disable())
        .layer(RequestBodyLimitLayer::new(BUNDLE_BYTES));
    OpenApiRouter::new()
        .routes(routes!(export_job))
        .routes(routes!(bundle_schema))
        .routes(routes!(export_circuit))
        .routes(routes!(csv_out::export_readings, csv_in::import_readings))
        .routes(routes!(csv_out::export_parts, csv_in::import_parts))
        .routes(routes!(csv_out::export_time, csv_in::import_time))
        .merge(import)
}

pub(super) fn attachment(kind: &'static str, name: &str, body: String) -> Response {
    (
        [
            (header::CONTENT_TYPE, kind.to_string()),
            (
                header::CONTENT_DISPOSITION,
                format!("attachment; filename=\"{name}\""),
            ),
        ],
        body,
    )
        .into_response()
}

/// A job as one document.
///
/// # Errors
/// There is no such job, or the database does not answer.
pub async fn bundle(app: &App, id: Uuid) -> Result<Bundle, ApiError> {
    let row = app.store.job(id).await?;
    let log = app.store.entries(id).await?;
    if !log.unread.is_empty() {
        // leaving them out would make another job of it
        return Err(ApiError::refused(
            StatusCode::CONFLICT,
            "unread",
            None,
            "Entries of this job were written by another version of this program: that version exports it whole.",
        ));
    }
    // what was written since the log was read is not in it
    let mut chain = app.store.chain(id).await?;
    chain.truncate(log.entries.len());
    let kept = chain.pop().flatten();
    let photos = app
        .store
        .photos(id)
        .await?
        .into_iter()
        .map(|p| BundlePhoto {
            id: p.id,
            at: p.at,
            by: p.by_name,
            width: p.width,
            height: p.height,
            jpeg: BASE64.encode(&p.picture),
        })
        .collect();
    Ok(Bundle::new(
        row.number,
        id,
        log.entries,
        photos,
        kept.map(|hash| chain::hex(&hash)),
    ))
}

#[utoipa::path(get, path = "/jobs/{id}/export.json", params(("id" = Uuid, Path)), responses((status = 200, body = Bundle), (status = "4XX", body = Problem)))]
async fn export_job(
    State(app): State<App>,
    _: Who,
    Path(id): Path<Uuid>,
) -> Result<Response, ApiError> {
    let bundle = bundle(&app, id).await?;
    let text = serde_json::to_string_pretty(&bundle).map_err(ApiError::internal("export"))?;
    Ok(attachment(
        "application/json",
        &format!("job-{:04}.json", bundle.number),
        text,
    ))
}

/// Which fault is in the circuit.
#[derive(Deserialize, IntoParams)]
struct InCircuit {
    /// Key of a fault case; left out for the sound vehicle.
    fault: Option<String>,
}

/// The vehicle's circuit as it stands now, as a SPICE netlist with the solved voltages in comments.
#[utoipa::path(get, path = "/jobs/{id}/circuit.cir", params(("id" = Uuid, Path), InCircuit), responses((status = 200, body = String, content_type = "text/plain"), (status = "4XX", body = Problem)))]
async fn export_circuit(
    State(app): State<App>,
    Who(person): Who,
    Path(id): Path<Uuid>,
    Query(wanted): Query<InCircuit>,
) -> Result<Response, ApiError> {
    let loaded = work::load(&app, id).await?;
    if !loaded.modelled(&app.catalogue) {
        return Err(work::no_model());
    }
    let name = format!("job-{:04}.cir", loaded.row.number);
    let text = work::weigh(&app, loaded.job, person.role, move |w| {
        netlist::spice(w, wanted.fault.as_deref())
    })
    .await??;
    Ok(attachment("text/plain; charset=utf-8", &name, text))
}

/// The JSON Schema (2020-12) of a bundle, taken from the description of the API.
///
/// # Errors
/// It does not serialise (never seen).
pub fn schema_json() -> Result<String, serde_json::Error> {
    let description: serde_json::Value = serde_json::from_str(&crate::openapi_json()?)?;
    let all = &description["components"]["schemas"];
    // only what a bundle speaks of, found by following its references
    let mut wanted = vec!["Bundle".to_string()];
    let mut defs = serde_json::Map::new();
    while let Some(name) = wanted.pop() {
        if defs.contains_key(&name) {
            continue;
        }
        let schema = all[&name].clone();
        refer(&schema, &mut wanted);
        defs.insert(name, schema);
    }
    let text = serde_json::to_string(&serde_json::json!({
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "A job of Spannung, format spannung-job-2",
        "$ref": "#/$defs/Bundle",
        "$defs": defs,
    }))?
    .replace("#/components/schemas/", "#/$defs/");
    let value: serde_json::Value = serde_json::from_str(&text)?;
    Ok(serde_json::to_string_pretty(&crate::sorted(value))? + "\n")
}

fn refer(schema: &serde_json::Value, found: &mut Vec<String>) {
    match schema {
        serde_json::Value::Object(map) => {
            if let Some(name) = map
                .get("$ref")
                .and_then(serde_json::Value::as_str)
                .and_then(|r| r.strip_prefix("#/components/schemas/"))
            {
                found.push(name.to_string());
            }
            map.values().for_each(|v| refer(v, found));
        }
        serde_json::Value::Array(list) => list.iter().for_each(|v| refer(v, found)),
        _ => {}
    }
}

#[utoipa::path(get, path = "/job.schema.json", responses((status = 200, body = String, content_type = "application/schema+json"), (status = "4XX", body = Problem)))]
async fn bundle_schema(_: Who) -> Result<Response, ApiError> {
    let text = schema_json().map_err(ApiError::internal("schema"))?;
    Ok(([(header::CONTENT_TYPE, "application/schema+json")], text).into_response())
}
