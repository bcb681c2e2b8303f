//! Loading a job and weighing it: what the routes, the rack and the demonstration share.

use crate::App;
use crate::error::ApiError;
use crate::models::Ready;
use spannung_core::catalogue::Catalogue;
use spannung_core::diagnosis::repertoire;
use spannung_core::job::bench::Weighed;
use spannung_core::job::danger::{Happened, OnPack};
use spannung_core::job::entry;
use spannung_core::job::items::{self, Opened};
use spannung_core::job::{Body, Job, Logged, Role};
use spannung_store::card::Card;
use spannung_store::job::{JobRow, Log, NewDanger, NewEntry, Unread};
use std::collections::{BTreeSet, VecDeque};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::{Arc, Mutex, PoisonError};
use uuid::Uuid;

/// A job with its log.
#[derive(Debug, Clone)]
pub struct Loaded {
    /// Row.
    pub row: JobRow,
    /// Log.
    pub entries: Vec<Logged>,
    /// Entries that this program does not read.
    pub unread: Vec<Unread>,
    /// What happened on its packs.
    pub brought: Vec<OnPack>,
    /// Present state.
    pub job: Job,
    /// Why the job cannot be worked on, in a sentence; only read, noted to, and entries struck out.
    pub broken: Option<String>,
}

impl Loaded {
    fn new(catalogue: &Catalogue, row: JobRow, log: Log, brought: Vec<OnPack>) -> Self {
        let Log { entries, unread } = log;
        // one job that does not fold stops nobody else's
        let folded = catch_unwind(AssertUnwindSafe(|| {
            let job = Job::fold_imported(catalogue, &entries, &brought, row.imported);
            let misfit = misfit(catalogue, &job);
            (job, misfit)
        }));
        let (job, broken) = match folded {
            Err(_) => (
                Job::unfolded(row.head),
                Some("Its log does not add up.".to_string()),
            ),
            Ok((job, _)) if !unread.is_empty() => {
                let n = unread.len();
                let were = if n == 1 {
                    "y of its log was"
                } else {
                    "ies of its log were"
                };
                let why = format!("{n} entr{were} written by another version of this program.");
                (job, Some(why))
            }
            Ok((job, misfit)) => (job, misfit),
        };
        Self {
            row,
            entries,
            unread,
            brought,
            job,
            broken,
        }
    }

    /// Has the job a wiring model that can be worked with?
    pub fn modelled(&self, catalogue: &Catalogue) -> bool {
        self.broken.is_none() && self.job.family(catalogue).is_some()
    }
}

fn misfit(catalogue: &Catalogue, job: &Job) -> Option<String> {
    let why = job.misfit(catalogue)?;
    Some(format!(
        "What was noted of the vehicle does not fit together: {why}."
    ))
}

/// Jobs as they were folded last: a job that nothing was written to is not read again, of one that has grown
/// only what is new is.
#[derive(Default)]
pub struct Folded {
    jobs: Mutex<VecDeque<Arc<Loaded>>>,
}

/// Entries of all jobs together that are held folded.
const HELD_ENTRIES: usize = 60_000;

impl Folded {
    fn get(&self, id: Uuid) -> Option<Arc<Loaded>> {
        let mut jobs = self.jobs.lock().unwrap_or_else(PoisonError::into_inner);
        let at = jobs.iter().position(|l| l.row.id == id)?;
        let found = jobs.remove(at)?;
        jobs.push_back(Arc::clone(&found));
        Some(found)
    }

    fn put(&self, loaded: &Arc<Loaded>) {
        let mut jobs = self.jobs.lock().unwrap_or_else(PoisonError::into_inner);
        jobs.retain(|l| l.row.id != loaded.row.id);
        jobs.push_back(Arc::clone(loaded));
        let mut held: usize = jobs.iter().map(|l| l.entries.len()).sum();
        while held > HELD_ENTRIES && jobs.len() > 1 {
            held -= jobs.pop_front().map_or(0, |l| l.entries.len());
        }
    }
}

/// Load and fold a job.
///
/// # Errors
/// There is no such job, or the database does not answer.
pub async fn load(app: &App, id: Uuid) -> Result<Loaded, ApiError> {
    let row = app.store.job(id).await?;
    let held = app.folded.get(id);
    if let Some(held) = held.as_ref().filter(|h| h.row == row) {
        return Ok(Loaded::clone(held));
    }
    let until = row.head;
    let log = match held.filter(|h| h.row.head <= row.head && h.unread.is_empty()) {
        Some(held) => {
            let mut log = app.store.entries_between(id, held.row.head, until).await?;
            log.entries.splice(0..0, held.entries.iter().cloned());
            log
        }
        None => app.store.entries_between(id, 0, until).await?,
    };
    let packs = packs(log.entries.iter().map(|e| &e.body));
    let brought = app.store.brought(id, &packs).await?;
    let loaded = Arc::new(Loaded::new(&app.catalogue, row, log, brought));
    app.folded.put(&loaded);
    Ok(Loaded::clone(&loaded))
}

/// After entries that touch no pack the job is known as it stands: nothing of it is read or folded again.
pub fn grown(app: &App, before: Loaded, written: &[NewEntry], head: i64) {
    // of several only the last one's number is known
    let [one] = written else { return };
    let refolds = matches!(one.body, Body::Customer(_) | Body::Void(_) | Body::Pack(_));
    if refolds || before.broken.is_some() {
        return;
    }
    let e = Logged {
        id: one.id,
        seq: head,
        at: one.at,
        by: one.by.clone(),
        by_id: one.by_id,
        body: one.body.clone(),
    };
    let mut grown = before;
    grown.job.next(&app.catalogue, &e);
    grown.broken = misfit(&app.catalogue, &grown.job);
    grown.entries.push(e);
    grown.row.head = head;
    app.folded.put(&Arc::new(grown));
}

/// Packs that entries put on.
pub fn packs<'a>(bodies: impl Iterator<Item = &'a Body>) -> Vec<Uuid> {
    let found: BTreeSet<Uuid> = bodies
        .filter_map(|b| match b {
            Body::Pack(entry::Pack { pack, .. }) => Some(*pack),
            _ => None,
        })
        .collect();
    found.into_iter().collect()
}

/// Do something with a weighed job, off the async threads.
///
/// # Errors
/// No wiring model, or the work stopped.
pub async fn weigh<T: Send + 'static>(
    app: &App,
    job: Job,
    role: Role,
    then: impl FnOnce(&Weighed<'_>) -> T + Send + 'static,
) -> Result<T, ApiError> {
    let ready: Arc<Ready> = app.models.of(&app.catalogue, &job).await?;
    let catalogue = Arc::clone(&app.catalogue);
    tokio::task::spawn_blocking(move || {
        let weighed = Weighed::new(&catalogue, &ready.model, &job, role, &mut &*ready);
        then(&weighed)
    })
    .await
    .map_err(ApiError::internal("weighing"))
}

/// As [`weigh`], for what there is an answer to without a wiring model too.
///
/// # Errors
/// The work stopped.
pub async fn weigh_if_modelled<T: Send + 'static>(
    app: &App,
    loaded: &Loaded,
    role: Role,
    then: impl FnOnce(Option<&Weighed<'_>>) -> T + Send + 'static,
) -> Result<T, ApiError> {
    if !loaded.modelled(&app.catalogue) {
        return Ok(then(None));
    }
    weigh(app, loaded.job.clone(), role, |w| then(Some(w))).await
}

/// Dangers that the job has raised and that are not kept with a pack yet.
pub fn new_dangers(job: &Job, kept: &[OnPack]) -> Vec<NewDanger> {
    let known = |pack: Uuid, entry: Uuid| {
        kept.iter()
            .any(|b| b.pack == pack && b.entry == entry && matches!(b.what, Happened::Found(_)))
    };
    job.found
        .iter()
        .filter_map(|f| {
            let pack = f.pack.filter(|p| !known(*p, f.stop.entry))?;
            Some(NewDanger {
                pack,
                since: f.rests_since,
                stop: f.stop.clone(),
            })
        })
        .collect()
}

/// Places opened on a job's vehicle; none where there is no wiring model.
///
/// # Errors
/// The work stopped.
pub async fn opened(app: &App, job: &Job, role: Role) -> Result<Vec<Opened>, ApiError> {
    if job.family(&app.catalogue).is_none() || job.misfit(&app.catalogue).is_some() {
        return Ok(Vec::new());
    }
    weigh(app, job.clone(), role, |w| items::opened(w.model, w.job)).await
}

/// The card of a job: what it is found by and hung up with.
pub fn card(catalogue: &Catalogue, job: &Job) -> Card {
    let closed = job.closed.as_ref();
    let mended = closed
        .and_then(|c| c.class.as_ref())
        .and_then(|c| catalogue.classes.get(c));
    let recheck = closed.and_then(|c| c.recheck.as_ref());
    Card {
        vehicle: job.vehicle.clone(),
        frame_number: job.frame_number.clone().unwrap_or_default(),
        words: job.words.clone(),
        outcome: closed.map_or(String::new(), |c| c.outcome.words().into()),
        mended: mended.map_or(String::new(), |c| c.name.clone()),
        opened_at: job.opened_at,
        closed_at: closed.map(|c| c.at),
        promised: job.promised,
        waits_until: job.waiting.as_ref().and_then(|w| w.until),
        recheck_by: recheck.map(|r| r.by),
        recheck_what: recheck.map_or(String::new(), |r| r.what.clone()),
        from_job: job.from_job,
    }
}

/// Refusal of what needs a wiring model.
pub fn no_model() -> ApiError {
    ApiError::refused(
        axum::http::StatusCode::UNPROCESSABLE_ENTITY,
        "no-model",
        None,
        "This vehicle has no wiring model: name the point by hand.",
    )
}

/// Name of a test on a job's vehicle; its id where no wiring model knows it.
pub fn test_name(weighed: Option<&Weighed<'_>>, id: &str) -> String {
    let known = weighed.and_then(|w| {
        let tests = &w.model.tests;
        repertoire::find(tests, id).map(|k| tests[k].name.clone())
    });
    known.unwrap_or_else(|| id.to_string())
}
