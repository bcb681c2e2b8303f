//! The proof: which checks this vehicle has to pass before it leaves, made from the complaint, from
//! what was touched and from the list that every ridden vehicle has to pass; how they stand; and what
//! holds the hand-back.

use crate::catalogue::Catalogue;
use crate::catalogue::proof::{ProofCheck, Touched};
use crate::job::entry::vocabulary::{Outcome, ProofResult};
use crate::job::items::{self, ItemStanding, Opened};
use crate::job::state::{Job, Mark, ProofTaken};
use crate::reading::scaled::{imperial, parse_in};
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

/// The check that the complaint no longer shows.
pub const COMPLAINT: &str = "complaint";
/// The check of a vehicle that leaves without being fit to ride.
pub const IMMOBILISED: &str = "immobilised";

/// How a check stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum CheckStanding {
    /// Not done, or done before something it speaks of was changed.
    Open,
    /// Passed.
    Passed,
    /// Failed.
    Failed,
    /// The vehicle has no such thing.
    NotFitted,
    /// Let go with a reason.
    Excepted,
}

/// A check as it was done.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct ProofTry {
    /// Entry.
    pub entry: Uuid,
    /// How it came out.
    pub result: ProofResult,
    /// Figure as typed.
    pub typed: String,
    /// As it is shown: with its unit; none for a check without a figure.
    pub shown: Option<String>,
    /// The same in the check's unit; none for OL and for a check without a figure.
    pub value: Option<f64>,
    /// What was seen.
    pub words: String,
    /// When.
    #[serde(with = "time::serde::rfc3339")]
    pub at: time::OffsetDateTime,
    /// Who.
    pub by: String,
    /// Done before something it speaks of was changed: to be done again.
    pub stale: bool,
}

/// A row of the proof.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct ProofRow {
    /// Check.
    pub check: String,
    /// Name.
    pub name: String,
    /// How it is done.
    pub how: String,
    /// Limit in words.
    pub limit: String,
    /// The limit in feet and pounds, inches or °F, where it has one of these.
    pub limit_imperial: Option<String>,
    /// Unit of the figure.
    pub unit: Option<String>,
    /// Lowest figure that passes.
    pub low: Option<f64>,
    /// Highest figure that passes.
    pub high: Option<f64>,
    /// Minutes.
    pub minutes: f64,
    /// Nobody may except it.
    pub blocker: bool,
    /// A vehicle may lack what it speaks of.
    pub may_lack: bool,
    /// Why it is asked: `always`, or what was touched.
    pub because: Vec<String>,
    /// How it stands.
    pub standing: CheckStanding,
    /// Reason it was let go.
    pub excepted: Option<String>,
    /// Every time it was done, in order.
    pub tries: Vec<ProofTry>,
    /// Precondition to confirm first: question and caution.
    pub ask: Option<String>,
    /// Caution.
    pub caution: Option<String>,
    /// Precondition id, when it is not confirmed.
    pub need: Option<String>,
}

/// A figure as typed, with the check's unit and a true minus; none when the check has no figure.
pub fn with_unit(check: &ProofCheck, typed: &str) -> Option<String> {
    let unit = check.unit.as_ref()?;
    let text = typed.trim().replace(',', ".").replace('-', "\u{2212}");
    if text.is_empty() {
        return None;
    }
    Some(if text.ends_with(|c: char| c.is_ascii_digit()) {
        format!("{text} {unit}")
    } else {
        text
    })
}

/// A figure as typed, in the check's unit; none when the check has none or it does not read.
fn value(check: &ProofCheck, typed: &str) -> Option<f64> {
    parse_in(typed, check.unit.as_ref()?).ok()
}

/// The result that a check's own figure gives; none when it has no unit or no figure was typed.
pub fn judge(check: &ProofCheck, given: ProofResult, typed: &str) -> Option<ProofResult> {
    if given == ProofResult::NotFitted {
        return None;
    }
    let value = value(check, typed)?;
    let fits = check.low.is_none_or(|low| value >= low - 1e-9)
        && check.high.is_none_or(|high| value <= high + 1e-9);
    // a figure inside the limits does not overrule a technician who saw it fail
    Some(if fits && given != ProofResult::Fail {
        ProofResult::Pass
    } else {
        ProofResult::Fail
    })
}

/// What was touched: by the parts, and by the places that were opened.
pub fn touched<'a>(catalogue: &'a Catalogue, job: &Job, opened: &[Opened]) -> Vec<&'a Touched> {
    let book = &catalogue.proof;
    let by_part = |t: &Touched| {
        job.parts
            .iter()
            .filter_map(|p| p.class.as_ref())
            .any(|c| t.classes.contains(c))
    };
    let by_opening = |t: &Touched| {
        opened
            .iter()
            .filter_map(|o| book.opened.get(&o.access))
            .any(|id| id == t.id.get_ref())
    };
    let sealed = opened.iter().any(|o| !o.destroys.is_empty());
    book.touched
        .iter()
        .filter(|t| by_part(t) || by_opening(t) || (sealed && t.id.get_ref() == "seal"))
        .collect()
}

/// Does this vehicle have what the check speaks of? A vehicle without a wiring model may have it.
fn fitted(catalogue: &Catalogue, job: &Job, check: &ProofCheck) -> bool {
    match (&check.part, job.family(catalogue)) {
        (Some(part), Some(family)) => family.strands.iter().any(|s| s.id.get_ref() == part),
        _ => true,
    }
}

/// Is the vehicle handed back to be ridden, so that everything has to be proved?
pub fn to_be_ridden(outcome: Outcome) -> bool {
    matches!(outcome, Outcome::Repaired | Outcome::NoFaultFound)
}

/// Checks with the reasons they are asked for, what nobody may except first. `ridden`: the vehicle is to
/// be ridden; otherwise it only has to be left so that it cannot run, when something was touched.
fn required<'a>(
    catalogue: &'a Catalogue,
    job: &Job,
    opened: &[Opened],
    ridden: bool,
) -> Vec<(&'a ProofCheck, Vec<String>)> {
    let book = &catalogue.proof;
    let touched = touched(catalogue, job, opened);
    let wanted = |check: &ProofCheck| -> Vec<String> {
        let id = check.id.get_ref();
        if !ridden {
            let left = id == IMMOBILISED && !touched.is_empty();
            return if left {
                touched.iter().map(|t| t.name.clone()).collect()
            } else {
                Vec::new()
            };
        }
        let mut because: Vec<String> = touched
            .iter()
            .filter(|t| t.checks.contains(id))
            .map(|t| t.name.clone())
            .collect();
        if book.always.contains(id) {
            because.push("always".into());
        }
        because
    };
    let mut found: Vec<(&ProofCheck, Vec<String>)> = book
        .checks
        .iter()
        .filter(|c| fitted(catalogue, job, c))
        .map(|c| (c, wanted(c)))
        .filter(|(_, because)| !because.is_empty())
        .collect();
    found.sort_by_key(|(c, _)| !c.blocker);
    found
}

/// Was something changed after this that asks for the check again?
fn changed_since(catalogue: &Catalogue, job: &Job, check: &str, seq: i64) -> bool {
    job.parts
        .iter()
        .filter(|p| p.mark.seq > seq)
        .any(|p| match &p.class {
            Some(class) => catalogue
                .proof
                .touched_by(class)
                .is_some_and(|t| check == COMPLAINT || t.checks.iter().any(|c| c == check)),
            // nobody said what it mends: everything is asked again
            None => true,
        })
}

fn last_try<'a>(job: &'a Job, check: &str) -> Option<&'a ProofTaken> {
    job.proofs.iter().rev().find(|p| p.check == check)
}

fn standing(catalogue: &Catalogue, job: &Job, check: &ProofCheck) -> CheckStanding {
    let id = check.id.get_ref();
    let holds = |mark: &Mark| !changed_since(catalogue, job, id, mark.seq);
    let last = last_try(job, id);
    match last {
        Some(p) if p.result == ProofResult::Fail => CheckStanding::Failed,
        Some(p) if holds(&p.mark) => match p.result {
            ProofResult::NotFitted => CheckStanding::NotFitted,
            _ => CheckStanding::Passed,
        },
        _ => match job.exceptions.get(id) {
            Some(gone) if holds(&gone.mark) && !check.blocker => CheckStanding::Excepted,
            _ => CheckStanding::Open,
        },
    }
}

/// The rows of the proof. `outcome`: how the job is to end; a vehicle that is to be ridden when not
/// said yet.
pub fn rows(
    catalogue: &Catalogue,
    job: &Job,
    opened: &[Opened],
    outcome: Option<Outcome>,
) -> Vec<ProofRow> {
    let ridden = outcome.is_none_or(to_be_ridden);
    required(catalogue, job, opened, ridden)
        .into_iter()
        .map(|(c, because)| {
            let id = c.id.get_ref();
            let need = c.need.as_ref().and_then(|n| catalogue.need(n));
            ProofRow {
                check: id.clone(),
                name: c.name.clone(),
                how: c.how.clone(),
                limit: c.limit.clone(),
                limit_imperial: c.unit.as_ref().and_then(|u| imperial(c.low, c.high, u)),
                unit: c.unit.clone(),
                low: c.low,
                high: c.high,
                minutes: c.minutes,
                blocker: c.blocker,
                may_lack: c.part.is_some() && job.family(catalogue).is_none(),
                because,
                standing: standing(catalogue, job, c),
                excepted: job.exceptions.get(id).map(|e| e.words.clone()),
                tries: job
                    .proofs
                    .iter()
                    .filter(|p| &p.check == id)
                    .map(|p| ProofTry {
                        entry: p.mark.entry,
                        result: p.result,
                        typed: p.typed.clone(),
                        shown: with_unit(c, &p.typed),
                        value: value(c, &p.typed).filter(|v| v.is_finite()),
                        words: p.words.clone(),
                        at: p.mark.at,
                        by: p.mark.by.clone(),
                        stale: changed_since(catalogue, job, id, p.mark.seq),
                    })
                    .collect(),
                ask: need.map(|n| n.ask.clone()),
                caution: need.map(|n| n.caution.clone()),
                need: need
                    .filter(|n| !job.confirmed.contains_key(n.id.get_ref()))
                    .map(|n| n.id.get_ref().clone()),
            }
        })
        .collect()
}

/// Checks that must be closed before a test ride and are not.
pub fn before_a_ride<'a>(catalogue: &'a Catalogue, job: &Job) -> Vec<&'a ProofCheck> {
    catalogue
        .proof
        .checks
        .iter()
        .filter(|c| c.before_a_ride)
        .filter(|c| fitted(catalogue, job, c))
        .filter(|c| {
            !matches!(
                standing(catalogue, job, c),
                CheckStanding::Passed | CheckStanding::NotFitted
            )
        })
        .collect()
}

/// What holds the hand-back with this outcome, a sentence each: checks not passed, items left open, a
/// quote without answer. Nothing holds what is scrapped.
pub fn holds(catalogue: &Catalogue, job: &Job, opened: &[Opened], outcome: Outcome) -> Vec<String> {
    if outcome == Outcome::Scrapped {
        return Vec::new();
    }
    let mut out = Vec::new();
    for (c, _) in required(catalogue, job, opened, to_be_ridden(outcome)) {
        match standing(catalogue, job, c) {
            CheckStanding::Failed => out.push(format!("{} has failed.", c.name)),
            CheckStanding::Open => out.push(format!("{} is not proved.", c.name)),
            _ => {}
        }
    }
    for item in items::items(catalogue, job, opened) {
        if item.standing == ItemStanding::Open {
            out.push(format!("{} is open: {}.", item.name, item.what));
        }
    }
    if outcome != Outcome::Declined && job.quotes.last().is_some_and(|q| q.open()) {
        out.push("The quote is not answered.".into());
    }
    out
}
