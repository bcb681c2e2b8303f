//! Points, parts and minutes from CSV, by the names of their columns.

use crate::App;
use crate::append::{self, Sent};
use crate::auth::Who;
use crate::error::{ApiError, Problem};
use crate::work;
use axum::Json;
use axum::body::Bytes;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use serde::Serialize;
use spannung_core::job::entry;
use spannung_core::job::entry::{Body, Fate, ReadOn, ReadingResult};
use spannung_core::reading::Unit;
use spannung_store::people::Person;
use std::collections::BTreeSet;
use time::OffsetDateTime;
use time::format_description::well_known::Rfc3339;
use utoipa::ToSchema;
use uuid::Uuid;

/// Most lines of a CSV that is read.
const MOST_LINES: usize = 2000;

/// How many lines came in.
#[derive(Serialize, ToSchema)]
pub(super) struct LinesIn {
    /// Lines read.
    lines: usize,
    /// Lines that stood in the job already, from an earlier time.
    known: usize,
    /// Lines that are the same as one above them in the file, counted from 2 under the header: they came in
    /// once. A line that means something else needs another time or another word.
    equal: Vec<usize>,
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
    person: &Person,
    job: Uuid,
    kind: &str,
    table: &Table,
    bodies: Vec<Body>,
) -> Result<Json<LinesIn>, ApiError> {
    let mut sent = Vec::new();
    let mut seen = BTreeSet::new();
    let mut equal = Vec::new();
    for (k, (body, row)) in bodies.into_iter().zip(&table.rows).enumerate() {
        let id = line_id(job, kind, row);
        if !seen.insert(id) {
            equal.push(k + 2);
            continue;
        }
        sent.push(Sent {
            id,
            at: table.time(k, row)?,
            based_on: None,
            knows: Vec::new(),
            body,
        });
    }
    let before = work::load(app, job).await?;
    let known = before
        .entries
        .iter()
        .filter(|e| seen.contains(&e.id))
        .count();
    append::append(app, job, &sent, person).await?;
    Ok(Json(LinesIn {
        lines: table.rows.len(),
        known,
        equal,
    }))
}

/// Readings come in as points by name, in the columns `name`, `on`, `unit`, `result`, `typed`.
#[utoipa::path(post, path = "/jobs/{id}/readings.csv", params(("id" = Uuid, Path)), request_body(content = String, content_type = "text/csv"), responses((status = 200, body = LinesIn), (status = "4XX", body = Problem)))]
pub(super) async fn import_readings(
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
        bodies.push(Body::PointReading(entry::PointReading {
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
        }));
    }
    take_in(&app, &person, id, "reading", &table, bodies).await
}

/// Parts come in by the columns `part out`, `fate`, `part in`, `mends`, `minutes (min)`, `price (cents)`.
#[utoipa::path(post, path = "/jobs/{id}/parts.csv", params(("id" = Uuid, Path)), request_body(content = String, content_type = "text/csv"), responses((status = 200, body = LinesIn), (status = "4XX", body = Problem)))]
pub(super) async fn import_parts(
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
        bodies.push(Body::Part(entry::Part {
            old: some("part out"),
            fate,
            new: some("part in"),
            class: some("mends"),
            minutes: table.number(k, row, "minutes (min)")?,
            price_cents,
        }));
    }
    take_in(&app, &person, id, "part", &table, bodies).await
}

/// Minutes come in by the columns `minutes (min)` and `what for`.
#[utoipa::path(post, path = "/jobs/{id}/time.csv", params(("id" = Uuid, Path)), request_body(content = String, content_type = "text/csv"), responses((status = 200, body = LinesIn), (status = "4XX", body = Problem)))]
pub(super) async fn import_time(
    State(app): State<App>,
    Who(person): Who,
    Path(id): Path<Uuid>,
    bytes: Bytes,
) -> Result<Json<LinesIn>, ApiError> {
    let table = Table::read(&bytes, &["minutes (min)", "what for"])?;
    let mut bodies = Vec::new();
    for (k, row) in table.rows.iter().enumerate() {
        bodies.push(Body::Minutes(entry::Minutes {
            minutes: table.number(k, row, "minutes (min)")?,
            what: table.cell(row, "what for").into(),
        }));
    }
    take_in(&app, &person, id, "minutes", &table, bodies).await
}
