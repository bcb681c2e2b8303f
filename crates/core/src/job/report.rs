//! The report that is handed over with the vehicle: what was told, where the fault was, how that is
//! known, what was done and to pay, what was proved and let go, what to watch. It carries no shares and
//! no suspects: it is for the owner.

use crate::catalogue::Catalogue;
use crate::desks::money::{self, Sum, Terms};
use crate::diagnosis::explain;
use crate::diagnosis::repertoire;
use crate::job::bench::Weighed;
use crate::job::entry::{ProofResult, ReadingResult, Recheck};
use crate::job::items::Opened;
use crate::job::state::Job;
use crate::job::{points, proof};
use crate::reading;
use serde::Serialize;
use utoipa::ToSchema;

/// Most rows of readings on a report; what was off comes first.
const MOST_ROWS: usize = 14;

/// A box of the current path.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct PathBox {
    /// Segment.
    pub id: String,
    /// Name.
    pub name: String,
    /// `good`, `fault` or `unlooked`.
    pub state: String,
}

/// A reading on arrival and on leaving.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct Measured {
    /// What.
    pub name: String,
    /// On arrival.
    pub arrival: String,
    /// On leaving; empty when it was not read again.
    pub leaving: String,
    /// As it should be.
    pub should_be: String,
    /// The first reading was off.
    pub off: bool,
}

/// A line of what was done.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Done {
    /// Part or work.
    pub what: String,
    /// Out, in, and what became of it.
    pub detail: String,
    /// Minutes; for the shop's copy.
    pub minutes: f64,
    /// Price, cents without tax.
    pub cents: Option<i64>,
}

/// A check that was passed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct Proved {
    /// Name.
    pub name: String,
    /// Figure with unit, or what was seen.
    pub figure: String,
    /// Limit.
    pub limit: String,
    /// The limit in feet and pounds, inches or °F, where it has one of these.
    pub limit_imperial: Option<String>,
    /// Passed, or the vehicle has no such thing.
    pub fitted: bool,
}

/// Something let go, with its reason.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct LetGo {
    /// Check or item.
    pub what: String,
    /// Reason.
    pub reason: String,
    /// Who.
    pub by: String,
}

/// The report.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Report {
    /// In the customer's words.
    pub told: String,
    /// Current path; empty for a vehicle without a wiring model.
    pub path: Vec<PathBox>,
    /// What was wrong, in sentences.
    pub wrong: Vec<String>,
    /// How that is known.
    pub measured: Vec<Measured>,
    /// What was done.
    pub done: Vec<Done>,
    /// Minutes in all.
    pub minutes: f64,
    /// The bill.
    pub sum: Sum,
    /// Worked out with.
    pub terms: Terms,
    /// What was proved.
    pub proved: Vec<Proved>,
    /// What was let go.
    pub let_go: Vec<LetGo>,
    /// What to watch.
    pub watch: Vec<String>,
    /// When it comes back.
    pub recheck: Option<Recheck>,
    /// Outcome in words; none while open.
    pub outcome: Option<String>,
    /// The cause was seen, not only likely.
    pub cause_confirmed: bool,
    /// The owner's operating sheet.
    pub owner_sheet: Vec<String>,
}

/// The bill of a job: every part is a line, the minutes are labour.
pub fn bill(job: &Job, minutes: f64, terms: &Terms) -> Sum {
    let lines: Vec<(f64, i64)> = job
        .parts
        .iter()
        .filter_map(|p| p.price_cents)
        .map(|c| (1.0, c))
        .collect();
    money::sum(&lines, minutes, terms)
}

/// The report of a job. `weighed` is none for a vehicle without a wiring model; `terms` are those of
/// the shop now, used while the job is open.
pub fn report(
    catalogue: &Catalogue,
    job: &Job,
    weighed: Option<&Weighed<'_>>,
    opened: &[Opened],
    minutes: f64,
    terms: &Terms,
) -> Report {
    let closed = job.closed.as_ref();
    let terms = closed
        .and_then(|c| c.terms.clone())
        .unwrap_or_else(|| terms.clone());
    let sheet = job
        .owner_sheet
        .clone()
        .unwrap_or_else(|| catalogue.proof.sheet(job.family(catalogue)).to_vec());
    Report {
        told: job.words.clone(),
        path: weighed.map_or_else(Vec::new, |w| path(w)),
        wrong: wrong(catalogue, job),
        measured: weighed.map_or_else(|| measured_by_hand(job), measured),
        done: done(job),
        minutes,
        sum: bill(job, minutes, &terms),
        terms,
        proved: proved(catalogue, job, opened),
        let_go: let_go(catalogue, job, opened),
        watch: watch(job),
        recheck: closed.and_then(|c| c.recheck.clone()),
        outcome: closed.map(|c| c.outcome.words().into()),
        cause_confirmed: closed.is_some_and(|c| c.cause_confirmed),
        owner_sheet: sheet,
    }
}

fn path(w: &Weighed<'_>) -> Vec<PathBox> {
    let mended: Vec<&str> = w
        .job
        .closed
        .iter()
        .filter_map(|c| c.class.as_deref())
        .filter_map(|c| w.catalogue.classes.get(c))
        .map(|c| c.segment.as_str())
        .collect();
    w.bench()
        .segments
        .into_iter()
        .map(|s| PathBox {
            state: if mended.contains(&s.id.as_str()) {
                "fault"
            } else if s.status == "cleared" {
                "good"
            } else {
                "unlooked"
            }
            .into(),
            id: s.id,
            name: s.name,
        })
        .collect()
}

fn wrong(catalogue: &Catalogue, job: &Job) -> Vec<String> {
    let mut out = Vec::new();
    if let Some(c) = &job.closed {
        if let Some(class) = c.class.as_ref().and_then(|id| catalogue.classes.get(id)) {
            let seen = if c.cause_confirmed {
                "The cause was seen."
            } else {
                "The cause was not seen itself; everything measured points to it."
            };
            out.push(format!("{}. {seen}", class.name));
        }
        if !c.words.trim().is_empty() {
            out.push(c.words.trim().to_string());
        }
    }
    out
}

/// Readings by test: the first one, and the last one after the first part went in.
fn measured(w: &Weighed<'_>) -> Vec<Measured> {
    let repaired_at = w.job.parts.first().map(|p| p.mark.seq);
    let mut rows: Vec<Measured> = Vec::new();
    let mut seen: Vec<&str> = Vec::new();
    for t in w.job.taken.iter().filter(|t| !t.voided) {
        if seen.contains(&t.test.as_str()) || t.result == Some(ReadingResult::CannotReach) {
            continue;
        }
        let Some(k) = repertoire::find(&w.model.tests, &t.test) else {
            continue;
        };
        seen.push(&t.test);
        let (mut arrival, mark, _) = w.judge(k, t);
        let still = t.figure.is_some_and(|f| f.high - f.low < 1e-9);
        if mark == "off" && still && swings(w, k) {
            arrival.push_str(", does not change");
        }
        let later = w
            .job
            .taken
            .iter()
            .rev()
            .find(|x| !x.voided && x.test == t.test && repaired_at.is_some_and(|s| x.seq > s));
        let leaving = later
            .filter(|l| l.entry != t.entry)
            .map(|l| w.judge(k, l).0)
            .or_else(|| proof_figure(w, &t.test))
            .unwrap_or_default();
        let spec = &w.model.tests[k];
        if spec.first_minute.is_some() && mark == "expected" {
            continue;
        }
        rows.push(Measured {
            name: spec.name.clone(),
            arrival,
            leaving,
            should_be: should_be(w, k),
            off: mark == "off" || mark == "nothing" || mark == "unsteady",
        });
    }
    rows.sort_by_key(|r| (!r.off, r.leaving.is_empty()));
    rows.truncate(MOST_ROWS);
    rows
}

/// The figure of a proof check that reads the same as a test of the Bench.
fn proof_figure(w: &Weighed<'_>, test: &str) -> Option<String> {
    let check = w
        .catalogue
        .proof
        .checks
        .iter()
        .find(|c| c.reads.as_deref() == Some(test))?;
    let last = w
        .job
        .proofs
        .iter()
        .rev()
        .find(|p| &p.check == check.id.get_ref() && p.result == ProofResult::Pass)?;
    proof::with_unit(check, &last.typed)
}

fn should_be(w: &Weighed<'_>, test: usize) -> String {
    match &w.model.tests[test].kind {
        repertoire::Kind::Procedure { outcomes, .. } => {
            outcomes.first().map_or(String::new(), |o| o.1.clone())
        }
        repertoire::Kind::Probe(p) => explain::expected(w.model, test).map_or(String::new(), |e| {
            if swings(w, test) {
                format!("changes between {}", e.text().replace('–', " and "))
            } else {
                reading::show_range(e.low.0, e.high.1, p.unit())
            }
        }),
    }
}

/// Is this read while something is turned, between a low and a high figure?
fn swings(w: &Weighed<'_>, test: usize) -> bool {
    matches!(&w.model.tests[test].kind, repertoire::Kind::Probe(p) if p.sweep.is_some())
}

fn measured_by_hand(job: &Job) -> Vec<Measured> {
    let mut rows: Vec<Measured> = points::rows(job)
        .into_iter()
        .filter(|r| r.reading.is_some())
        .map(|r| {
            let now = r.reading.unwrap_or_default();
            let off = !matches!(
                r.verdict,
                points::Verdict::AsExpected | points::Verdict::NoReference
            );
            match r.first {
                Some(first) => Measured {
                    name: r.point,
                    arrival: first,
                    leaving: now,
                    should_be: r.expected.unwrap_or_default(),
                    off,
                },
                None => Measured {
                    name: r.point,
                    arrival: now,
                    leaving: String::new(),
                    should_be: r.expected.unwrap_or_default(),
                    off,
                },
            }
        })
        .collect();
    rows.sort_by_key(|r| (!r.off, r.leaving.is_empty()));
    rows.truncate(MOST_ROWS);
    rows
}

fn done(job: &Job) -> Vec<Done> {
    job.parts
        .iter()
        .map(|p| {
            let out = p.old.as_ref().map_or(String::new(), |o| {
                let fate = p.fate.map_or(String::new(), |f| format!(", {}", f.words()));
                format!("out: {o}{fate}")
            });
            Done {
                what: p.new.clone().or_else(|| p.old.clone()).unwrap_or_default(),
                detail: out,
                minutes: p.minutes,
                cents: p.price_cents,
            }
        })
        .collect()
}

fn proved(catalogue: &Catalogue, job: &Job, opened: &[Opened]) -> Vec<Proved> {
    proof::rows(
        catalogue,
        job,
        opened,
        job.closed.as_ref().map(|c| c.outcome),
    )
    .into_iter()
    .filter(|r| {
        matches!(
            r.standing,
            proof::CheckStanding::Passed | proof::CheckStanding::NotFitted
        )
    })
    .map(|r| {
        let last = r.tries.last();
        let figure = catalogue
            .proof
            .find(&r.check)
            .and_then(|c| proof::with_unit(c, last.map_or("", |t| &t.typed)))
            .unwrap_or_else(|| last.map_or(String::new(), |t| t.words.clone()));
        Proved {
            fitted: r.standing == proof::CheckStanding::Passed,
            name: r.name,
            figure,
            limit: r.limit,
            limit_imperial: r.limit_imperial,
        }
    })
    .collect()
}

fn let_go(catalogue: &Catalogue, job: &Job, opened: &[Opened]) -> Vec<LetGo> {
    let items = crate::job::items::items(catalogue, job, opened);
    job.exceptions
        .iter()
        .map(|(key, gone)| LetGo {
            what: catalogue.proof.find(key).map_or_else(
                || {
                    items
                        .iter()
                        .find(|i| &i.key == key)
                        .map_or(key.clone(), |i| format!("{}: {}", i.name, i.what))
                },
                |c| c.name.clone(),
            ),
            reason: gone.words.clone(),
            by: gone.mark.by.clone(),
        })
        .collect()
}

fn watch(job: &Job) -> Vec<String> {
    job.closed
        .iter()
        .map(|c| c.watch.trim().to_string())
        .filter(|w| !w.is_empty())
        .collect()
}
