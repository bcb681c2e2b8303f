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
/// The check that the part itself reads as it should, where no other check says so.
pub const REPAIRED: &str = "repaired-part";
/// The test ride.
pub const TEST_RIDE: &str = "test-ride";
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
    /// Usual figure of such a vehicle.
    pub usual: Option<f64>,
    /// What it waits for.
    pub waits: Option<Waits>,
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
    /// Tests of the Bench that show it.
    pub again: Vec<ReadAgain>,
}

/// A test that shows the part itself after its repair.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct ReadAgain {
    /// Test of the Bench.
    pub test: String,
    /// Its name.
    pub name: String,
    /// As a sound vehicle reads.
    pub expected: String,
}

/// Say in the rows which tests show the repaired part.
pub fn name_again(rows: &mut [ProofRow], again: Vec<ReadAgain>) {
    if let Some(row) = rows.iter_mut().find(|r| r.check == REPAIRED) {
        row.again = again;
    }
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

/// What a check asks for on this vehicle.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Limits {
    /// Lowest figure that passes, in the check's unit.
    pub low: Option<f64>,
    /// Highest.
    pub high: Option<f64>,
    /// What is usual, where the family says.
    pub usual: Option<f64>,
    /// Unit; none where it is passed or failed by what is seen.
    pub unit: Option<String>,
    /// In words.
    pub words: String,
}

/// A fuse of another value than the label's passes within this share: what is rounded on a label.
const LABEL_SHARE: f64 = 0.01;

/// The limits of a check on this vehicle: its label's figure before its family's, and these before the book's.
pub fn limits(catalogue: &Catalogue, job: &Job, check: &ProofCheck) -> Limits {
    let own = Limits {
        low: check.low,
        high: check.high,
        usual: None,
        unit: check.unit.clone(),
        words: check.limit.clone(),
    };
    let Some(unit) = &check.unit else {
        return own;
    };
    let family = job.own_family(catalogue);
    let label = family
        .as_ref()
        .zip(check.from.as_ref())
        .and_then(|(f, id)| {
            let figure = f.figures.iter().find(|x| x.id.get_ref() == id)?;
            Some(figure.usual)
        });
    if let Some(value) = label {
        return Limits {
            low: Some(value * (1.0 - LABEL_SHARE)),
            high: Some(value * (1.0 + LABEL_SHARE)),
            usual: Some(value),
            words: format!("{value} {unit}, {}", check.limit),
            ..own
        };
    }
    let id = check.id.get_ref();
    match family.as_ref().and_then(|f| f.proof.get(id)) {
        Some(of) => Limits {
            words: match (of.low, of.high) {
                (Some(low), Some(high)) => format!("{low} to {high} {unit}"),
                (Some(low), None) => format!("{low} {unit} or more"),
                (None, Some(high)) => format!("{high} {unit} at most"),
                (None, None) => check.limit.clone(),
            },
            low: of.low.or(check.low),
            high: of.high.or(check.high),
            usual: of.usual,
            ..own
        },
        // a figure without a limit of this vehicle is judged by who reads it
        None if check.low.is_none() && check.high.is_none() => Limits { unit: None, ..own },
        None => own,
    }
}

/// The result that a check's own figure gives; none when it has no unit or no figure was typed.
pub fn judge(
    catalogue: &Catalogue,
    job: &Job,
    check: &ProofCheck,
    given: ProofResult,
    typed: &str,
) -> Option<ProofResult> {
    if given == ProofResult::NotFitted {
        return None;
    }
    let limits = limits(catalogue, job, check);
    let value = parse_in(typed, limits.unit.as_ref()?).ok()?;
    let fits = limits.low.is_none_or(|low| value >= low - 1e-9)
        && limits.high.is_none_or(|high| value <= high + 1e-9);
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

/// Does this vehicle have what the check speaks of? A vehicle without a wiring model may have what its kind has.
fn fitted(catalogue: &Catalogue, job: &Job, check: &ProofCheck) -> bool {
    let Some(family) = job.family(catalogue) else {
        return unmodelled_may(job, check);
    };
    let part = |p: &String| family.strands.iter().any(|s| s.id.get_ref() == p);
    family.fits(&check.fits) && check.part.as_ref().is_none_or(part)
}

/// Without a wiring model nobody knows what it has, beside that a child's vehicle is one and the others are none.
fn unmodelled_may(job: &Job, check: &ProofCheck) -> bool {
    let toy = job.volts_class <= TOY_VOLTS;
    let asks = |word: &str| check.fits.iter().any(|f| f == word);
    if toy {
        !asks("!toy") && !asks("electronic")
    } else {
        !asks("toy")
    }
}

/// Up to this class a vehicle without a wiring model is taken for a child's ride-on.
const TOY_VOLTS: u16 = 24;

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
    let worked = !job.parts.is_empty() || !opened.is_empty() || job.moved.is_some();
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
        if check.symptoms.iter().any(|s| job.told(s)) {
            because.push("complaint".into());
        }
        if book.moved.contains(id) && job.moved.is_some() {
            because.push("moved".into());
        }
        if book.worked.contains(id) && worked {
            because.push("worked".into());
        }
        if book.always.contains(id) {
            because.push("always".into());
        }
        if id == REPAIRED && job.family(catalogue).is_some() && again(catalogue, job).is_some() {
            because.push("worked".into());
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
    found.sort_by_key(|(c, _)| (c.after_ride, !c.blocker));
    found
}

/// The last repaired class of which no other check says whether it helped.
pub fn again<'a>(catalogue: &Catalogue, job: &'a Job) -> Option<&'a str> {
    let classes = job.parts.iter().rev().filter_map(|p| p.class.as_deref());
    let mut asked = classes.filter(|c| catalogue.proof.reads_again(c));
    asked.next()
}

/// Was something changed after this that asks for the check again?
fn changed_since(catalogue: &Catalogue, job: &Job, check: &str, seq: i64) -> bool {
    if catalogue.proof.moved.iter().any(|c| c == check) && job.moved.is_some_and(|at| at > seq) {
        return true;
    }
    job.parts
        .iter()
        .filter(|p| p.mark.seq > seq)
        .any(|p| match &p.class {
            Some(class) => catalogue.proof.touched_by(class).is_some_and(|t| {
                [COMPLAINT, REPAIRED].contains(&check) || t.checks.iter().any(|c| c == check)
            }),
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
            let limits = limits(catalogue, job, c);
            let imperial = limits
                .unit
                .as_ref()
                .and_then(|u| imperial(limits.low, limits.high, u));
            ProofRow {
                check: id.clone(),
                name: c.name.clone(),
                how: in_words(catalogue, job, &c.how),
                limit: limits.words,
                limit_imperial: imperial,
                unit: limits.unit,
                low: limits.low,
                high: limits.high,
                usual: limits.usual,
                waits: waits(catalogue, job, c),
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
                ask: need.map(|n| n.ask_for(job.family(catalogue)).into()),
                caution: need.map(|n| n.caution_for(job.family(catalogue)).into()),
                need: need
                    .filter(|n| !job.confirmed.contains_key(n.id.get_ref()))
                    .map(|n| n.id.get_ref().clone()),
                again: Vec::new(),
            }
        })
        .collect()
}

/// Checks that must be closed before a test ride and are not.
pub fn before_a_ride<'a>(
    catalogue: &'a Catalogue,
    job: &Job,
    opened: &[Opened],
) -> Vec<&'a ProofCheck> {
    let asked = required(catalogue, job, opened, true).into_iter();
    asked
        .map(|(c, _)| c)
        .filter(|c| c.before_a_ride && !closed(catalogue, job, c))
        .collect()
}

fn closed(catalogue: &Catalogue, job: &Job, check: &ProofCheck) -> bool {
    matches!(
        standing(catalogue, job, check),
        CheckStanding::Passed | CheckStanding::NotFitted | CheckStanding::Excepted
    )
}

/// What a check waits for.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(tag = "for", rename_all = "kebab-case")]
pub enum Waits {
    /// Plugs that are recorded apart.
    Plugs {
        /// Ids.
        plugs: Vec<String>,
        /// Names.
        names: Vec<String>,
    },
    /// The test ride, which comes before it.
    Ride,
}

impl Waits {
    /// In a sentence.
    pub fn words(&self) -> String {
        match self {
            Self::Plugs { names, .. } => format!(
                "{} is recorded apart: join it first, or nothing here is proved.",
                names.join(", ")
            ),
            Self::Ride => "After the test ride: only what has been ridden can show it.".into(),
        }
    }
}

/// What this check waits for now.
pub fn waits(catalogue: &Catalogue, job: &Job, check: &ProofCheck) -> Option<Waits> {
    let apart = job.state.apart.iter();
    let plugs: Vec<String> = apart
        .filter(|p| *p != "dock" && !check.apart.contains(p))
        .cloned()
        .collect();
    if check.live && !plugs.is_empty() {
        let family = job.family(catalogue);
        let name = |p: &String| {
            let plug = family.and_then(|f| f.plug(p));
            plug.map_or(p.clone(), |x| x.name.clone())
        };
        return Some(Waits::Plugs {
            names: plugs.iter().map(name).collect(),
            plugs,
        });
    }
    let ride = catalogue.proof.find(TEST_RIDE)?;
    (check.after_ride && !closed(catalogue, job, ride)).then_some(Waits::Ride)
}

/// A text of the book for this vehicle.
fn in_words(catalogue: &Catalogue, job: &Job, text: &str) -> String {
    let turn = job.family(catalogue).map_or("either way", |f| &f.turn);
    text.replace("{turn}", turn)
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
        if item.standing == ItemStanding::Open && item.by_state {
            out.push(format!("{}: {}.", item.name, item.what));
        } else if item.standing == ItemStanding::Open {
            out.push(format!("{} is open: {}.", item.name, item.what));
        }
    }
    if outcome != Outcome::Declined && job.quotes.last().is_some_and(|q| q.open()) {
        out.push("The quote is not answered.".into());
    }
    out
}
