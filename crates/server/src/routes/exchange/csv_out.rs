//! Readings, parts and minutes as CSV: RFC 4180, UTF-8, units in the header.

use super::attachment;
use crate::App;
use crate::auth::Who;
use crate::error::{ApiError, Problem};
use crate::work::{self, Loaded};
use axum::extract::{Path, State};
use axum::response::Response;
use spannung_core::diagnosis::repertoire;
use spannung_core::job::bench::Weighed;
use spannung_core::job::entry::{Fate, ReadOn, ReadingResult};
use spannung_core::job::{Job, record};
use spannung_core::reading::Figure;
use time::OffsetDateTime;
use time::format_description::well_known::Rfc3339;
use uuid::Uuid;

fn writer() -> csv::Writer<Vec<u8>> {
    csv::WriterBuilder::new()
        .terminator(csv::Terminator::CRLF)
        .from_writer(Vec::new())
}

fn text_of(out: csv::Writer<Vec<u8>>) -> Result<String, ApiError> {
    let bytes = out.into_inner().map_err(ApiError::internal("csv"))?;
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
pub(super) async fn export_readings(
    State(app): State<App>,
    Who(person): Who,
    Path(id): Path<Uuid>,
) -> Result<Response, ApiError> {
    let loaded = work::load(&app, id).await?;
    let job = loaded.job.clone();
    let readings = move |w: Option<&Weighed<'_>>| readings_csv(&job, w);
    let text = work::weigh_if_modelled(&app, &loaded, person.role, readings).await??;
    Ok(attachment(
        "text/csv; charset=utf-8",
        &format!("job-{:04}-readings.csv", loaded.row.number),
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
    let fail = ApiError::internal("csv");
    let mut out = writer();
    out.write_record(READINGS).map_err(&fail)?;
    let mut number = 0;
    for t in &job.taken {
        number += 1;
        // without a model the figures are still there, only not judged
        let judged = weighed.and_then(|w| Some((w, repertoire::find(&w.model.tests, &t.test)?)));
        let (value, mark, _) = judged.map_or_else(
            || (t.typed.clone(), "none", String::new()),
            |(w, i)| w.judge(i, t),
        );
        let name = work::test_name(weighed, &t.test);
        let [low, high, unit] = figures(t.figure);
        out.write_record([
            number.to_string(),
            time_of(t.at),
            record::guarded(&t.by),
            "this".into(),
            record::guarded(&t.test),
            record::guarded(&name),
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
            record::guarded(&spannung_core::job::state::state_words(&t.state)),
            if t.voided { "yes" } else { "" }.to_string(),
        ])
        .map_err(&fail)?;
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
        .map_err(&fail)?;
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
pub(super) async fn export_parts(
    State(app): State<App>,
    _: Who,
    Path(id): Path<Uuid>,
) -> Result<Response, ApiError> {
    let Loaded { row, job, .. } = work::load(&app, id).await?;
    let currency = crate::shop::now(&app).await?.terms.currency;
    let fail = ApiError::internal("csv");
    let mut out = writer();
    out.write_record(PARTS).map_err(&fail)?;
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
        .map_err(&fail)?;
    }
    Ok(attachment(
        "text/csv; charset=utf-8",
        &format!("job-{:04}-parts.csv", row.number),
        text_of(out)?,
    ))
}

const TIME: [&str; 4] = ["time", "by", "minutes (min)", "what for"];

#[utoipa::path(get, path = "/jobs/{id}/time.csv", params(("id" = Uuid, Path)), responses((status = 200, body = String, content_type = "text/csv"), (status = "4XX", body = Problem)))]
pub(super) async fn export_time(
    State(app): State<App>,
    Who(person): Who,
    Path(id): Path<Uuid>,
) -> Result<Response, ApiError> {
    let loaded = work::load(&app, id).await?;
    let fail = ApiError::internal("csv");
    let entries = loaded.entries.clone();
    let time = move |w: Option<&Weighed<'_>>| record::time(&entries, &|t| work::test_name(w, t));
    let spent = work::weigh_if_modelled(&app, &loaded, person.role, time).await?;
    let mut out = writer();
    out.write_record(TIME).map_err(&fail)?;
    for t in spent {
        out.write_record([
            time_of(t.at),
            record::guarded(&t.by),
            format!("{:.2}", t.minutes),
            record::guarded(&t.what),
        ])
        .map_err(&fail)?;
    }
    Ok(attachment(
        "text/csv; charset=utf-8",
        &format!("job-{:04}-time.csv", loaded.row.number),
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
