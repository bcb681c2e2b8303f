//! Open formats, out and back in: a job as JSON with its pictures; readings, parts and minutes as CSV.

use crate::App;
use crate::auth::Who;
use crate::error::{ApiError, Problem};
use crate::work::{self, Loaded, Sent};
use axum::Json;
use axum::body::Bytes;
use axum::extract::{DefaultBodyLimit, Path, Query, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use base64::Engine;
use base64::engine::general_purpose::STANDARD as BASE64;
use serde::{Deserialize, Serialize};
use spannung_core::diagnosis::tests;
use spannung_core::job::bench::Weighed;
use spannung_core::job::bundle::{Bundle, BundlePhoto};
use spannung_core::job::entry::{Body, Fate, ReadOn, ReadingResult};
use spannung_core::job::{Job, netlist, record};
use spannung_core::reading::{Figure, Unit};
use spannung_store::import::Incoming;
use spannung_store::job::NewEntry;
use spannung_store::shop::Photo;
use time::OffsetDateTime;
use time::format_description::well_known::Rfc3339;
use tower_http::limit::RequestBodyLimitLayer;
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use uuid::Uuid;

/// Largest bundle that is read: a job with some forty full pictures.
const BUNDLE_BYTES: usize = 48 * 1024 * 1024;
/// Most lines of a CSV that is read.
const MOST_LINES: usize = 2000;

/// Routes.
pub fn router() -> OpenApiRouter<App> {
    let import = OpenApiRouter::new()
        .routes(routes!(import_job))
        .layer(DefaultBodyLimit::disable())
        .layer(RequestBodyLimitLayer::new(BUNDLE_BYTES));
    OpenApiRouter::new()
        .routes(routes!(export_job))
        .routes(routes!(bundle_schema))
        .routes(routes!(export_circuit))
        .routes(routes!(export_readings, import_readings))
        .routes(routes!(export_parts, import_parts))
        .routes(routes!(export_time, import_time))
        .merge(import)
}

fn attachment(kind: &'static str, name: &str, body: String) -> Response {
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
    let entries = app.store.entries(id).await?;
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
    Ok(Bundle::new(row.number, id, entries, photos))
}

#[utoipa::path(get, path = "/jobs/{id}/export.json", params(("id" = Uuid, Path)), responses((status = 200, body = Bundle), (status = "4XX", body = Problem)))]
async fn export_job(
    State(app): State<App>,
    _: Who,
    Path(id): Path<Uuid>,
) -> Result<Response, ApiError> {
    let bundle = bundle(&app, id).await?;
    let text = serde_json::to_string_pretty(&bundle).map_err(|_| ApiError::internal("export"))?;
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
    if loaded.job.family(&app.catalogue).is_none() {
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
    Ok(serde_json::to_string_pretty(&value)? + "\n")
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
    let text = schema_json().map_err(|_| ApiError::internal("schema"))?;
    Ok(([(header::CONTENT_TYPE, "application/schema+json")], text).into_response())
}

/// What came in.
#[derive(Serialize, ToSchema)]
struct CameIn {
    id: Uuid,
    number: i32,
    entries: usize,
    photos: usize,
    /// Job of this shop whose ids were in it already; this is another one beside it.
    clash_with: Option<Uuid>,
}

fn bad_bundle(sentence: impl Into<String>) -> ApiError {
    ApiError::refused(
        StatusCode::UNPROCESSABLE_ENTITY,
        "bad-bundle",
        Some("bundle"),
        sentence,
    )
}

#[utoipa::path(post, path = "/import", request_body(content = String, content_type = "application/json"), responses((status = 200, body = CameIn), (status = "4XX", body = Problem)))]
async fn import_job(
    State(app): State<App>,
    Who(person): Who,
    bytes: Bytes,
) -> Result<Json<CameIn>, ApiError> {
    if !person.role.may_release() {
        return Err(ApiError::not_allowed("A technician brings jobs in."));
    }
    let text = std::str::from_utf8(&bytes).map_err(|_| bad_bundle("This is not text in UTF-8."))?;
    let mut bundle = Bundle::read(text)?;
    let ids: Vec<Uuid> = bundle
        .entries
        .iter()
        .map(|e| e.id)
        .chain(bundle.photos.iter().map(|p| p.id))
        .collect();
    let mut clash_with = None;
    if app.store.known(bundle.id, &ids).await? {
        clash_with = app.store.job(bundle.id).await.ok().map(|j| j.id);
        bundle = bundle.renamed(&mut Uuid::new_v4);
    }
    let incoming = incoming(&app, &bundle, clash_with)?;
    app.store
        .bring_in(&incoming, &person.name, app.clock.now())
        .await?;
    let row = app.store.job(incoming.id).await?;
    Ok(Json(CameIn {
        id: row.id,
        number: row.number,
        entries: incoming.entries.len(),
        photos: incoming.photos.len(),
        clash_with,
    }))
}

/// A bundle made ready for the store. Its pictures are drawn anew: what comes in from outside is not
/// trusted to be a picture.
fn incoming(app: &App, bundle: &Bundle, clash_with: Option<Uuid>) -> Result<Incoming, ApiError> {
    let job = bundle.fold(&app.catalogue);
    if job.family(&app.catalogue).is_none() && job.drive != spannung_core::job::admit::OTHER_DRIVE {
        return Err(bad_bundle(format!(
            "There is no wiring model for a {} V {} vehicle here.",
            job.volts_class, job.drive
        )));
    }
    let mut photos = Vec::new();
    for p in &bundle.photos {
        let jpeg = BASE64
            .decode(&p.jpeg)
            .map_err(|_| bad_bundle(format!("Photo {} is not base 64.", p.id)))?;
        let small = crate::picture::small_of(&jpeg)
            .map_err(|s| bad_bundle(format!("Photo {}: {s}", p.id)))?;
        photos.push(Photo {
            id: p.id,
            job_id: bundle.id,
            at: p.at,
            by_name: p.by.chars().take(80).collect(),
            width: small.width,
            height: small.height,
            // a picture of ours stays as it is, byte for byte: it was drawn when it was taken
            picture: jpeg,
            small: small.jpeg,
        });
    }
    let mut pack = None;
    let entries = bundle
        .entries
        .iter()
        .map(|e| {
            if let Body::Pack { pack: id, .. } = &e.body {
                pack = Some(*id);
            }
            let stays = e.body.rests_on_pack(&app.catalogue) && stops(app, &e.body);
            NewEntry {
                id: e.id,
                at: e.at,
                by: e.by.clone(),
                body: e.body.clone(),
                pack: stays.then_some(pack).flatten(),
            }
        })
        .collect();
    Ok(Incoming {
        id: bundle.id,
        number: bundle.number,
        clash_with,
        entries,
        packs: bundle.packs(),
        photos,
        closed: job.closed.is_some(),
        card: work::card(app, &job),
    })
}

/// Dangers follow the pack into this shop; what was released elsewhere does not.
fn stops(app: &App, body: &Body) -> bool {
    match body {
        Body::Gate { check, answer, .. } => app
            .catalogue
            .gate_check(check)
            .and_then(|c| c.answers.iter().find(|a| &a.id == answer))
            .is_some_and(|a| a.result == "stop"),
        _ => false,
    }
}

fn writer() -> csv::Writer<Vec<u8>> {
    csv::WriterBuilder::new()
        .terminator(csv::Terminator::CRLF)
        .from_writer(Vec::new())
}

fn text_of(out: csv::Writer<Vec<u8>>) -> Result<String, ApiError> {
    let bytes = out.into_inner().map_err(|_| ApiError::internal("csv"))?;
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}

fn time_of(at: OffsetDateTime) -> String {
    at.format(&Rfc3339).unwrap_or_default()
}

fn si(value: f64) -> String {
    if value.is_infinite() {
        "OL".into()
    } else {
        format!("{value}")
    }
}

/// Header of the readings: figures in SI, the unit in its own column.
const READINGS: [&str; 14] = [
    "number",
    "time",
    "by",
    "on",
    "test",
    "name",
    "low (SI)",
    "high (SI)",
    "unit",
    "result",
    "typed",
    "as expected",
    "state",
    "struck out",
];

#[utoipa::path(get, path = "/jobs/{id}/readings.csv", params(("id" = Uuid, Path)), responses((status = 200, body = String, content_type = "text/csv"), (status = "4XX", body = Problem)))]
async fn export_readings(
    State(app): State<App>,
    Who(person): Who,
    Path(id): Path<Uuid>,
) -> Result<Response, ApiError> {
    let Loaded { row, job, .. } = work::load(&app, id).await?;
    let text = if job.family(&app.catalogue).is_none() {
        readings_csv(&job, None)
    } else {
        work::weigh(&app, job, person.role, |w| readings_csv(w.job, Some(w))).await?
    }?;
    Ok(attachment(
        "text/csv; charset=utf-8",
        &format!("job-{:04}-readings.csv", row.number),
        text,
    ))
}

fn figures(figure: Option<Figure>) -> [String; 3] {
    figure.map_or_else(Default::default, |f| {
        [si(f.low), si(f.high), f.unit.symbol().to_string()]
    })
}

/// What was typed: a figure as it is, any other words guarded.
fn typed(text: &str, figure: Option<Figure>) -> String {
    if figure.is_some() {
        text.trim().to_string()
    } else {
        record::guarded(text)
    }
}

fn result_word(result: Option<ReadingResult>) -> &'static str {
    match result {
        Some(ReadingResult::Figure) => "figure",
        Some(ReadingResult::Nothing) => "nothing",
        Some(ReadingResult::NotSteady) => "not-steady",
        Some(ReadingResult::CannotReach) => "cannot-reach",
        None => "seen",
    }
}

fn readings_csv(job: &Job, weighed: Option<&Weighed<'_>>) -> Result<String, ApiError> {
    let fail = |_| ApiError::internal("csv");
    let mut out = writer();
    out.write_record(READINGS).map_err(fail)?;
    let mut number = 0;
    if let Some(w) = weighed {
        for t in &job.taken {
            number += 1;
            let index = tests::find(&w.model.tests, &t.test);
            let (value, mark, _) = index.map_or_else(
                || (t.typed.clone(), "none", String::new()),
                |i| w.judge(i, t),
            );
            let [low, high, unit] = figures(t.figure);
            out.write_record([
                number.to_string(),
                time_of(t.at),
                record::guarded(&t.by),
                "this".into(),
                record::guarded(&t.test),
                record::guarded(&work::test_name(w, &t.test)),
                low,
                high,
                unit,
                if t.result.is_some() {
                    result_word(t.result).into()
                } else {
                    record::guarded(&value)
                },
                typed(&t.typed, t.figure),
                mark.to_string(),
                record::guarded(&spannung_core::job::bench::state_words(&t.state)),
                if t.voided { "yes" } else { "" }.to_string(),
            ])
            .map_err(fail)?;
        }
    }
    for p in &job.points {
        number += 1;
        let [low, high, mut unit] = figures(p.figure);
        if unit.is_empty() {
            unit = p.unit.symbol().into();
        }
        out.write_record([
            number.to_string(),
            time_of(p.mark.at),
            record::guarded(&p.mark.by),
            if p.on == ReadOn::This {
                "this"
            } else {
                "reference"
            }
            .into(),
            String::new(),
            record::guarded(&p.point),
            low,
            high,
            unit,
            result_word(Some(p.result)).into(),
            typed(&p.typed, p.figure),
            String::new(),
            String::new(),
            if p.voided { "yes" } else { "" }.to_string(),
        ])
        .map_err(fail)?;
    }
    text_of(out)
}

const PARTS: [&str; 9] = [
    "time",
    "by",
    "part out",
    "fate",
    "part in",
    "mends",
    "minutes (min)",
    "price (cents)",
    "currency",
];

#[utoipa::path(get, path = "/jobs/{id}/parts.csv", params(("id" = Uuid, Path)), responses((status = 200, body = String, content_type = "text/csv"), (status = "4XX", body = Problem)))]
async fn export_parts(
    State(app): State<App>,
    _: Who,
    Path(id): Path<Uuid>,
) -> Result<Response, ApiError> {
    let Loaded { row, job, .. } = work::load(&app, id).await?;
    let currency = crate::shop::now(&app).await?.terms.currency;
    let fail = |_| ApiError::internal("csv");
    let mut out = writer();
    out.write_record(PARTS).map_err(fail)?;
    for p in &job.parts {
        out.write_record([
            time_of(p.mark.at),
            record::guarded(&p.mark.by),
            record::guarded(p.old.as_deref().unwrap_or_default()),
            p.fate.map_or(String::new(), |f| fate_word(f).into()),
            record::guarded(p.new.as_deref().unwrap_or_default()),
            record::guarded(p.class.as_deref().unwrap_or_default()),
            format!("{}", p.minutes),
            p.price_cents.map_or(String::new(), |c| c.to_string()),
            currency.clone(),
        ])
        .map_err(fail)?;
    }
    Ok(attachment(
        "text/csv; charset=utf-8",
        &format!("job-{:04}-parts.csv", row.number),
        text_of(out)?,
    ))
}

const TIME: [&str; 4] = ["time", "by", "minutes (min)", "what for"];

#[utoipa::path(get, path = "/jobs/{id}/time.csv", params(("id" = Uuid, Path)), responses((status = 200, body = String, content_type = "text/csv"), (status = "4XX", body = Problem)))]
async fn export_time(
    State(app): State<App>,
    Who(person): Who,
    Path(id): Path<Uuid>,
) -> Result<Response, ApiError> {
    let Loaded {
        row, entries, job, ..
    } = work::load(&app, id).await?;
    let fail = |_| ApiError::internal("csv");
    let spent = if job.family(&app.catalogue).is_none() {
        record::time(&entries, &|t| t.to_string())
    } else {
        work::weigh(&app, job, person.role, move |w| {
            record::time(&entries, &|t| work::test_name(w, t))
        })
        .await?
    };
    let mut out = writer();
    out.write_record(TIME).map_err(fail)?;
    for t in spent {
        out.write_record([
            time_of(t.at),
            record::guarded(&t.by),
            format!("{:.2}", t.minutes),
            record::guarded(&t.what),
        ])
        .map_err(fail)?;
    }
    Ok(attachment(
        "text/csv; charset=utf-8",
        &format!("job-{:04}-time.csv", row.number),
        text_of(out)?,
    ))
}

fn fate_word(fate: Fate) -> &'static str {
    match fate {
        Fate::Returned => "returned",
        Fate::Kept => "kept",
        Fate::Recycled => "recycled",
        Fate::HazardousWaste => "hazardous-waste",
    }
}

/// How many lines came in.
#[derive(Serialize, ToSchema)]
struct LinesIn {
    lines: usize,
}

fn bad_csv(sentence: impl Into<String>) -> ApiError {
    ApiError::refused(
        StatusCode::UNPROCESSABLE_ENTITY,
        "bad-csv",
        Some("csv"),
        sentence,
    )
}

/// A table read from CSV: columns by name of its header.
struct Table {
    header: csv::StringRecord,
    rows: Vec<csv::StringRecord>,
}

impl Table {
    /// Read one whose header holds all the wanted columns.
    fn read(bytes: &Bytes, wanted: &[&str]) -> Result<Self, ApiError> {
        let text = std::str::from_utf8(bytes)
            .map_err(|_| bad_csv("This is not text in UTF-8."))?
            .trim_start_matches('\u{feff}');
        let mut reader = csv::Reader::from_reader(text.as_bytes());
        let header = reader
            .headers()
            .map_err(|e| bad_csv(format!("The header does not read: {e}.")))?
            .clone();
        if let Some(missing) = wanted.iter().find(|w| !header.iter().any(|h| h == **w)) {
            return Err(bad_csv(format!(
                "The column “{missing}” is missing. The header says: {}.",
                header.iter().collect::<Vec<_>>().join(", ")
            )));
        }
        let rows = reader
            .records()
            .take(MOST_LINES + 1)
            .enumerate()
            .map(|(k, r)| r.map_err(|e| bad_csv(format!("Line {}: {e}.", k + 2))))
            .collect::<Result<Vec<_>, _>>()?;
        if rows.len() > MOST_LINES {
            return Err(bad_csv(format!("At most {MOST_LINES} lines at once.")));
        }
        Ok(Self { header, rows })
    }

    /// A cell; the quote that guards formulas is taken off.
    fn cell<'a>(&self, row: &'a csv::StringRecord, name: &str) -> &'a str {
        let at = self.header.iter().position(|h| h == name);
        let cell = at.and_then(|k| row.get(k)).unwrap_or_default().trim();
        match cell.strip_prefix('\'') {
            Some(rest) if rest.starts_with(['=', '+', '-', '@']) => rest,
            _ => cell,
        }
    }

    fn number(&self, k: usize, row: &csv::StringRecord, name: &str) -> Result<f64, ApiError> {
        let cell = self.cell(row, name);
        cell.replace(',', ".")
            .parse::<f64>()
            .ok()
            .filter(|n| n.is_finite())
            .ok_or_else(|| bad_csv(format!("Line {}: “{cell}” in {name} is no number.", k + 2)))
    }

    /// The time of a row; none when the cell is empty.
    fn time(&self, k: usize, row: &csv::StringRecord) -> Result<Option<OffsetDateTime>, ApiError> {
        let cell = self.cell(row, "time");
        if cell.is_empty() {
            return Ok(None);
        }
        OffsetDateTime::parse(cell, &Rfc3339)
            .map(Some)
            .map_err(|_| {
                bad_csv(format!(
                    "Line {}: “{cell}” is no time such as 2026-10-12T09:30:00Z.",
                    k + 2
                ))
            })
    }
}

/// The id that a line of a file gets: the same line of the same job is the same entry, so that a file
/// read twice is read once.
fn line_id(job: Uuid, kind: &str, row: &csv::StringRecord) -> Uuid {
    use sha2::{Digest, Sha256};
    let mut hash = Sha256::new();
    hash.update(job.as_bytes());
    hash.update(kind.as_bytes());
    for cell in row {
        hash.update([0]);
        hash.update(cell.as_bytes());
    }
    let mut bytes = [0u8; 16];
    bytes.copy_from_slice(&hash.finalize()[..16]);
    uuid::Builder::from_random_bytes(bytes).into_uuid()
}

async fn take_in(
    app: &App,
    person: &spannung_store::people::Person,
    job: Uuid,
    kind: &str,
    table: &Table,
    bodies: Vec<Body>,
) -> Result<Json<LinesIn>, ApiError> {
    let mut sent = Vec::new();
    for (k, (body, row)) in bodies.into_iter().zip(&table.rows).enumerate() {
        sent.push(Sent {
            id: line_id(job, kind, row),
            at: table.time(k, row)?,
            based_on: None,
            body,
        });
    }
    work::append(app, job, &sent, &person.name, person.role).await?;
    Ok(Json(LinesIn { lines: sent.len() }))
}

/// Readings come in as points by name, in the columns `name`, `on`, `unit`, `result`, `typed`.
#[utoipa::path(post, path = "/jobs/{id}/readings.csv", params(("id" = Uuid, Path)), request_body(content = String, content_type = "text/csv"), responses((status = 200, body = LinesIn), (status = "4XX", body = Problem)))]
async fn import_readings(
    State(app): State<App>,
    Who(person): Who,
    Path(id): Path<Uuid>,
    bytes: Bytes,
) -> Result<Json<LinesIn>, ApiError> {
    let mut table = Table::read(&bytes, &["name", "unit", "typed"])?;
    // what was struck out stays out; looks and feels are no readings at a point
    let keep = |t: &Table, r: &csv::StringRecord| {
        t.cell(r, "struck out").is_empty() && !t.cell(r, "unit").is_empty()
    };
    let rows = std::mem::take(&mut table.rows);
    table.rows = rows.into_iter().filter(|r| keep(&table, r)).collect();
    let mut bodies = Vec::new();
    for (k, row) in table.rows.iter().enumerate() {
        let unit = match table.cell(row, "unit") {
            "V" | "volts" => Unit::Volts,
            "Ω" | "\u{2126}" | "ohm" | "ohms" => Unit::Ohms,
            "A" | "amps" => Unit::Amps,
            other => {
                return Err(bad_csv(format!(
                    "Line {}: the unit “{other}” is not V, Ω or A.",
                    k + 2
                )));
            }
        };
        let result = match table.cell(row, "result") {
            "" | "figure" => ReadingResult::Figure,
            "nothing" => ReadingResult::Nothing,
            "not-steady" => ReadingResult::NotSteady,
            "cannot-reach" => ReadingResult::CannotReach,
            other => {
                return Err(bad_csv(format!(
                    "Line {}: the result “{other}” is not figure, nothing, not-steady or cannot-reach.",
                    k + 2
                )));
            }
        };
        bodies.push(Body::PointReading {
            point: table.cell(row, "name").into(),
            unit,
            on: if table.cell(row, "on") == "reference" {
                ReadOn::Reference
            } else {
                ReadOn::This
            },
            result,
            typed: table.cell(row, "typed").into(),
            minutes: 0.0,
        });
    }
    take_in(&app, &person, id, "reading", &table, bodies).await
}

/// Parts come in by the columns `part out`, `fate`, `part in`, `mends`, `minutes (min)`, `price (cents)`.
#[utoipa::path(post, path = "/jobs/{id}/parts.csv", params(("id" = Uuid, Path)), request_body(content = String, content_type = "text/csv"), responses((status = 200, body = LinesIn), (status = "4XX", body = Problem)))]
async fn import_parts(
    State(app): State<App>,
    Who(person): Who,
    Path(id): Path<Uuid>,
    bytes: Bytes,
) -> Result<Json<LinesIn>, ApiError> {
    let table = Table::read(&bytes, &["part out", "fate", "part in", "minutes (min)"])?;
    let mut bodies = Vec::new();
    for (k, row) in table.rows.iter().enumerate() {
        let some = |name: &str| {
            let cell = table.cell(row, name);
            (!cell.is_empty()).then(|| cell.to_string())
        };
        let fate = match table.cell(row, "fate") {
            "" => None,
            "returned" => Some(Fate::Returned),
            "kept" => Some(Fate::Kept),
            "recycled" => Some(Fate::Recycled),
            "hazardous-waste" => Some(Fate::HazardousWaste),
            other => {
                return Err(bad_csv(format!(
                    "Line {}: the fate “{other}” is not returned, kept, recycled or hazardous-waste.",
                    k + 2
                )));
            }
        };
        let price_cents = match some("price (cents)") {
            None => None,
            Some(_) => Some(table.number(k, row, "price (cents)")?.round() as i64),
        };
        bodies.push(Body::Part {
            old: some("part out"),
            fate,
            new: some("part in"),
            class: some("mends"),
            minutes: table.number(k, row, "minutes (min)")?,
            price_cents,
        });
    }
    take_in(&app, &person, id, "part", &table, bodies).await
}

/// Minutes come in by the columns `minutes (min)` and `what for`.
#[utoipa::path(post, path = "/jobs/{id}/time.csv", params(("id" = Uuid, Path)), request_body(content = String, content_type = "text/csv"), responses((status = 200, body = LinesIn), (status = "4XX", body = Problem)))]
async fn import_time(
    State(app): State<App>,
    Who(person): Who,
    Path(id): Path<Uuid>,
    bytes: Bytes,
) -> Result<Json<LinesIn>, ApiError> {
    let table = Table::read(&bytes, &["minutes (min)", "what for"])?;
    let mut bodies = Vec::new();
    for (k, row) in table.rows.iter().enumerate() {
        bodies.push(Body::Minutes {
            minutes: table.number(k, row, "minutes (min)")?,
            what: table.cell(row, "what for").into(),
        });
    }
    take_in(&app, &person, id, "minutes", &table, bodies).await
}
