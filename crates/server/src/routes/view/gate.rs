//! The gate as the page shows it.

use serde::Serialize;
use spannung_core::catalogue::Catalogue;
use spannung_core::job::danger::Stop;
use spannung_core::job::dead::{self, DeadFirst};
use spannung_core::job::gate::{self, Floor, Standing};
use spannung_core::job::{Job, Logged, record};
use time::OffsetDateTime;
use utoipa::ToSchema;

/// An answer that can be given at the gate.
#[derive(Serialize, ToSchema)]
pub(super) struct GateChoice {
    id: String,
    name: String,
    result: String,
}

/// A contact of the gate.
#[derive(Serialize, ToSchema)]
pub(super) struct GateContact {
    id: String,
    name: String,
    /// `pack` or `job`.
    rests: String,
    ask: String,
    how: String,
    means: String,
    /// Answered with volts.
    figure: bool,
    answers: Vec<GateChoice>,
    /// `open`, `clear` or `stop`.
    standing: String,
    /// Answer given, in words.
    given: Option<String>,
    typed: Option<String>,
    #[serde(with = "time::serde::rfc3339::option")]
    at: Option<OffsetDateTime>,
    by: Option<String>,
    /// It came with the pack from another job.
    brought: bool,
}

/// A quarantine step.
#[derive(Serialize, ToSchema)]
pub(super) struct QuarantineView {
    id: String,
    name: String,
    detail: String,
    done: bool,
    #[serde(with = "time::serde::rfc3339::option")]
    at: Option<OffsetDateTime>,
    by: Option<String>,
}

/// A line of what the pack has been through.
#[derive(Serialize, ToSchema)]
pub(super) struct PackLine {
    job: i32,
    #[serde(with = "time::serde::rfc3339")]
    at: OffsetDateTime,
    text: String,
}

/// The gate.
#[derive(Serialize, ToSchema)]
pub(super) struct GateView {
    standing: Standing,
    contacts: Vec<GateContact>,
    stops: Vec<Stop>,
    quarantine: Vec<QuarantineView>,
    /// Floor of the pack; one for each chemistry where no wiring model knows it.
    floors: Vec<Floor>,
    /// Readings with the pack out that are asked before anything is switched on, while they lock it.
    dead_first: Option<DeadFirst>,
    history: Vec<PackLine>,
}

pub(super) fn gate_view(
    c: &Catalogue,
    job: &Job,
    entries: &[Logged],
    history: Vec<(i32, Logged)>,
) -> GateView {
    let contacts = c
        .gate
        .iter()
        .map(|check| {
            let given = job.gate.get(check.id.get_ref());
            let answer = given.and_then(|g| check.answer(&g.answer));
            // a STOP can be older than the job: then no answer of this job stands behind it
            let stop = job
                .on_pack
                .stops
                .iter()
                .find(|s| &s.from == check.id.get_ref());
            let brought = stop.is_some_and(|s| !entries.iter().any(|e| e.id == s.entry));
            GateContact {
                id: check.id.get_ref().clone(),
                name: check.name.clone(),
                rests: check.rests.clone(),
                ask: check.ask.clone(),
                how: check.how.clone(),
                means: check.means.clone(),
                figure: check.figure,
                answers: check
                    .answers
                    .iter()
                    .map(|a| GateChoice {
                        id: a.id.clone(),
                        name: a.name.clone(),
                        result: a.result.clone(),
                    })
                    .collect(),
                standing: match stop {
                    Some(_) => "stop",
                    None => answer.map_or("open", |a| a.result.as_str()),
                }
                .into(),
                given: match stop.filter(|_| brought) {
                    Some(stop) => Some(stop.reason.clone()),
                    None => answer.map(|a| a.name.clone()),
                },
                typed: given.filter(|_| !brought).and_then(|g| g.typed.clone()),
                at: stop.map(|s| s.at).or_else(|| given.map(|g| g.at)),
                by: stop
                    .map(|s| s.by.clone())
                    .or_else(|| given.map(|g| g.by.clone())),
                brought,
            }
        })
        .collect();
    let name = |id: &str| id.to_string();
    GateView {
        standing: gate::standing(c, job),
        contacts,
        stops: job.on_pack.stops.clone(),
        quarantine: c
            .quarantine
            .iter()
            .map(|q| {
                let done = job.on_pack.quarantine.get(&q.id);
                QuarantineView {
                    id: q.id.clone(),
                    name: q.name.clone(),
                    detail: q.detail.clone(),
                    done: done.is_some(),
                    at: done.map(|d| d.at),
                    by: done.map(|d| d.by.clone()),
                }
            })
            .collect(),
        dead_first: dead::first(c, job),
        floors: gate::floors(c, job),
        history: history
            .iter()
            .take(8)
            .map(|(number, e)| PackLine {
                job: *number,
                at: e.at,
                text: record::lines(c, std::slice::from_ref(e), &name)
                    .first()
                    .map_or(String::new(), |l| {
                        if l.value.is_empty() {
                            l.text.clone()
                        } else {
                            format!("{}, {}", l.text, l.value)
                        }
                    }),
            })
            .collect(),
    }
}
