//! Loading a job, weighing it, appending to it: what the routes and the demonstration share.

use crate::App;
use crate::error::ApiError;
use crate::models::Ready;
use crate::shop;
use serde::{Deserialize, Serialize};
use spannung_circuit::state::VehicleState;
use spannung_core::catalogue::Catalogue;
use spannung_core::diagnosis::repertoire;
use spannung_core::job::bench::Weighed;
use spannung_core::job::danger::{Happened, OnPack};
use spannung_core::job::entry;
use spannung_core::job::entry::{Shown, ShownSuspect};
use spannung_core::job::items::{self, Opened};
use spannung_core::job::{Body, Job, Logged, Role, admit, gate};
use spannung_store::StoreError;
use spannung_store::card::Card;
use spannung_store::job::{Append, JobRow, Log, NewDanger, NewEntry, Unread};
use spannung_store::people::Person;
use std::collections::{BTreeSet, HashMap, VecDeque};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::{Arc, Mutex, PoisonError, Weak};
use time::OffsetDateTime;
use utoipa::ToSchema;
use uuid::Uuid;

/// How often an append is tried again when somebody else was quicker.
const TRIES: usize = 40;

/// An entry as a client sends it.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Sent {
    /// Made by the client.
    pub id: Uuid,
    /// When, by the person's clock; the server's time when left out.
    #[serde(
        default,
        with = "time::serde::rfc3339::option",
        skip_serializing_if = "Option::is_none"
    )]
    pub at: Option<OffsetDateTime>,
    /// Sequence that was shown when this was decided; needed for gate, vehicle, changes and closing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub based_on: Option<i64>,
    /// Entries newer than that which the person knew of all the same: their own that still waited to be sent.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub knows: Vec<Uuid>,
    /// Content.
    pub body: Body,
}

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
            let misfit = job.misfit(catalogue);
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
            Ok((job, misfit)) => {
                let why = misfit.map(|why| {
                    format!("What was noted of the vehicle does not fit together: {why}.")
                });
                (job, why)
            }
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
    let log = match held.filter(|h| h.row.head <= row.head && h.unread.is_empty()) {
        Some(held) => {
            let mut log = app.store.entries_after(id, held.row.head).await?;
            log.entries.splice(0..0, held.entries.iter().cloned());
            log
        }
        None => app.store.entries_after(id, 0).await?,
    };
    let packs = packs(log.entries.iter().map(|e| &e.body));
    let brought = app.store.brought(id, &packs).await?;
    let loaded = Arc::new(Loaded::new(&app.catalogue, row, log, brought));
    app.folded.put(&loaded);
    Ok(Loaded::clone(&loaded))
}

/// After one entry that touches no pack the job is known as it stands: nothing of it is read again.
fn grown(app: &App, before: Loaded, plan: &Plan, head: i64) {
    let [one] = &plan.entries[..] else { return };
    if plan.pack_seen.is_some()
        || matches!(one.body, Body::Customer(_))
        || !before.unread.is_empty()
    {
        return;
    }
    let mut entries = before.entries;
    entries.push(Logged {
        id: one.id,
        seq: head,
        at: one.at,
        by: one.by.clone(),
        by_id: one.by_id,
        body: one.body.clone(),
    });
    let row = JobRow { head, ..before.row };
    let log = Log {
        entries,
        unread: Vec::new(),
    };
    let loaded = Loaded::new(&app.catalogue, row, log, before.brought);
    app.folded.put(&Arc::new(loaded));
}

fn packs<'a>(bodies: impl Iterator<Item = &'a Body>) -> Vec<Uuid> {
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
        let mut column = |test: usize, state: &VehicleState| ready.column(test, state);
        let weighed = Weighed::new(&catalogue, &ready.model, &job, role, &mut column);
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

/// Check and append entries, in order, each against the job as the ones before it leave it. Sending the
/// same entries again stores nothing and is no error. Gives the head and the number on the ticket.
///
/// # Errors
/// An entry that does not fit, a conflict with a newer entry, the database.
pub async fn append(
    app: &App,
    id: Uuid,
    sent: &[Sent],
    by: &Person,
) -> Result<(i64, i32), ApiError> {
    // within this process one after the other; another process makes the store say “moved”
    let turn = app.turns.of(id);
    let _mine = turn.lock().await;
    for _ in 0..TRIES {
        let loaded = load(app, id).await?;
        let number = loaded.row.number;
        let before = loaded.clone();
        let Some(plan) = plan(app, loaded, sent, by).await? else {
            return Ok((before.row.head, number));
        };
        let what = Append {
            job: id,
            seen: plan.seen,
            pack_seen: plan.pack_seen,
            entries: &plan.entries,
            dangers: &plan.dangers,
            card: &plan.card,
        };
        match app.store.append(&what).await {
            Ok(head) => {
                grown(app, before, &plan, head);
                app.behind.add(id, by.role);
                return Ok((head, number));
            }
            Err(StoreError::Moved) => continue,
            Err(error) => return Err(error.into()),
        }
    }
    Err(StoreError::Moved.into())
}

/// What is written when all of it fits.
struct Plan {
    seen: i64,
    pack_seen: Option<i64>,
    entries: Vec<NewEntry>,
    dangers: Vec<NewDanger>,
    card: Card,
}

/// Check what was sent against the job; none when all of it stands in the log already.
async fn plan(
    app: &App,
    loaded: Loaded,
    sent: &[Sent],
    by: &Person,
) -> Result<Option<Plan>, ApiError> {
    let id = loaded.row.id;
    let broken = loaded.broken.clone();
    let mut trial = loaded.entries.clone();
    let mut brought = loaded.brought;
    let mut fresh: Vec<NewEntry> = Vec::new();
    for one in sent {
        if let Some(stands) = trial.iter().find(|e| e.id == one.id) {
            same_again(one, stands)?;
            continue;
        }
        let job = Job::fold_imported(&app.catalogue, &trial, &brought, loaded.row.imported);
        conflict(one, &loaded.entries, loaded.row.head)?;
        if let Some(why) = &broken {
            writable(&one.body, why)?;
        }
        admit::admit(&app.catalogue, &job, &one.body, by.role)?;
        own_line(&one.body, &trial, by)?;
        let mut body = one.body.clone();
        let pack_now = job.pack.as_ref().map(|p| p.pack);
        checked(app, id, &job, &mut body, &loaded.job, by).await?;
        if let Body::Pack(entry::Pack {
            pack,
            known,
            sticker,
        }) = &body
        {
            if !known && !packs(trial.iter().map(|e| &e.body)).contains(pack) {
                ask_for_old(app, id, *pack, sticker).await?;
            }
            brought.extend(app.store.brought(id, &[*pack]).await?);
        }
        let rests = body.kind().rests_on_pack(&app.catalogue);
        // it comes after everything that is known, wherever that happened
        let newest = trial
            .iter()
            .map(|e| e.seq)
            .chain(brought.iter().map(|b| b.seq));
        let e = Logged {
            id: one.id,
            seq: newest.max().unwrap_or(0) + 1,
            at: instant(app, one.at, trial.first().map(|e| e.at)),
            by: by.name.clone(),
            by_id: Some(by.id),
            body,
        };
        fresh.push(NewEntry {
            id: e.id,
            at: e.at,
            by: e.by.clone(),
            by_id: e.by_id,
            body: e.body.clone(),
            pack: rests.then_some(pack_now).flatten(),
        });
        trial.push(e);
    }
    if fresh.is_empty() {
        return Ok(None);
    }
    let after = Job::fold_imported(&app.catalogue, &trial, &brought, loaded.row.imported);
    let dangers = new_dangers(&after, &brought);
    let on_packs = !dangers.is_empty() || fresh.iter().any(|e| e.body.kind().decides_on_pack());
    let pack_seen = if !on_packs {
        None
    } else if fresh.iter().any(|e| matches!(e.body, Body::Pack(_))) {
        // the packs that come on have a head of their own
        Some(
            app.store
                .packs_head(&packs(trial.iter().map(|e| &e.body)))
                .await?,
        )
    } else {
        Some(loaded.row.pack_head)
    };
    Ok(Some(Plan {
        seen: loaded.row.head,
        pack_seen,
        dangers,
        card: card(&app.catalogue, &after),
        entries: fresh,
    }))
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

/// A device's clock may be wrong: nothing is written into the future or before the job began. Whole
/// microseconds of UTC, as the database keeps them.
fn instant(
    app: &App,
    said: Option<OffsetDateTime>,
    begun: Option<OffsetDateTime>,
) -> OffsetDateTime {
    let now = app.clock.now();
    let at = said.unwrap_or(now).to_offset(time::UtcOffset::UTC);
    let at = at.replace_microsecond(at.microsecond()).unwrap_or(at);
    at.min(now).max(begun.unwrap_or(now).min(now))
}

/// What needs to know the model, the shop's terms or other stores, and what the server writes into it.
async fn checked(
    app: &App,
    id: Uuid,
    job: &Job,
    body: &mut Body,
    before: &Job,
    by: &Person,
) -> Result<(), ApiError> {
    match body {
        Body::Reading(_) | Body::Check(_) | Body::Skip(_) => {
            if job.family(&app.catalogue).is_none() {
                return Err(no_model());
            }
            let entry = body.clone();
            weigh(app, job.clone(), by.role, move |w| w.admit(&entry)).await??;
        }
        Body::Close(_) | Body::CloseItem(_) | Body::Except(_) => {
            let opened = opened(app, job, by.role).await?;
            admit::with_opened(&app.catalogue, job, &opened, body)?;
        }
        Body::Clearance(_) => gate::watched(&app.catalogue, job, app.clock.now())?,
        Body::Photo(entry::Photo { photo, .. }) => {
            app.store.photo(id, *photo, true).await?;
        }
        _ => {}
    }
    match body {
        Body::Close(entry::Close { shown, terms, .. }) => {
            *shown = shown_now(app, before, by.role).await?;
            *terms = Some(shop::now(app).await?.terms);
        }
        Body::Quote(entry::Quote { terms, .. }) => *terms = Some(shop::now(app).await?.terms),
        _ => {}
    }
    Ok(())
}

fn refused(code: &'static str, field: &'static str, sentence: impl Into<String>) -> ApiError {
    ApiError::refused(
        axum::http::StatusCode::UNPROCESSABLE_ENTITY,
        code,
        Some(field),
        sentence,
    )
}

/// The same id again is the same entry again, or a mistake of whoever made the id.
fn same_again(one: &Sent, stands: &Logged) -> Result<(), ApiError> {
    // what the server itself has written into it does not count
    let bare = |body: &Body| {
        let mut body = body.clone();
        match &mut body {
            Body::Close(entry::Close { shown, terms, .. }) => (*shown, *terms) = (None, None),
            Body::Quote(entry::Quote { terms, .. }) => *terms = None,
            _ => {}
        }
        body
    };
    if bare(&one.body) == bare(&stands.body) {
        return Ok(());
    }
    Err(ApiError::refused(
        axum::http::StatusCode::CONFLICT,
        "id-used",
        Some("id"),
        "Another entry of this job has this id already. Write it anew.",
    ))
}

/// A trainee strikes out what they wrote themselves.
fn own_line(body: &Body, entries: &[Logged], by: &Person) -> Result<(), ApiError> {
    let Body::Void(entry::Void { entry, .. }) = body else {
        return Ok(());
    };
    let theirs = entries
        .iter()
        .any(|e| e.id == *entry && e.by_id != Some(by.id));
    if by.role == Role::Trainee && theirs {
        return Err(ApiError::not_allowed(
            "A technician strikes out what others wrote.",
        ));
    }
    Ok(())
}

/// A broken job is read, noted to, and its entries are struck out; nothing else.
fn writable(body: &Body, why: &str) -> Result<(), ApiError> {
    if matches!(body, Body::Note(_) | Body::Photo(_) | Body::Void(_)) {
        return Ok(());
    }
    Err(refused(
        "broken",
        "kind",
        format!("This job cannot be worked on. {why} Notes, photos and striking out are taken."),
    ))
}

/// A sticker that another job has had asks before its history is taken over.
async fn ask_for_old(app: &App, job: Uuid, pack: Uuid, sticker: &str) -> Result<(), ApiError> {
    let Some(past) = app.store.pack_past(pack, Some(job)).await? else {
        return Ok(());
    };
    let vehicle = if past.vehicle.is_empty() {
        String::new()
    } else {
        format!(", {}", past.vehicle)
    };
    Err(refused(
        "old-sticker",
        "sticker",
        format!(
            "Sticker {sticker} was last on job {:04}{vehicle}. Is it that pack? Then what was found on it comes along. If not, put another sticker on this one.",
            past.number
        ),
    ))
}

fn conflict(one: &Sent, entries: &[Logged], head: i64) -> Result<(), ApiError> {
    if one.based_on.is_some_and(|base| base > head) {
        return Err(refused(
            "base-ahead",
            "based_on",
            "This was decided on a state that the job has not reached. Load it again.",
        ));
    }
    let guards = one.body.kind().guards();
    if guards.is_empty() || entries.is_empty() {
        return Ok(());
    }
    let Some(based_on) = one.based_on else {
        return Err(refused(
            "no-base",
            "based_on",
            "Say which state of the job this was decided on.",
        ));
    };
    let newer = entries.iter().rev().find(|e| {
        e.seq > based_on && guards.contains(&e.body.kind().word()) && !one.knows.contains(&e.id)
    });
    match newer {
        Some(entry) => Err(ApiError::Conflict {
            sentence: format!(
                "{} has written to this job meanwhile. Look at it, then decide again.",
                entry.by
            ),
            entry: Box::new(entry.clone()),
        }),
        None => Ok(()),
    }
}

/// What the screen says now, kept with a closing; nothing for a vehicle without a wiring model.
async fn shown_now(app: &App, job: &Job, role: Role) -> Result<Option<Shown>, ApiError> {
    if job.family(&app.catalogue).is_none() || job.misfit(&app.catalogue).is_some() {
        return Ok(None);
    }
    let suspects = weigh(app, job.clone(), role, |w| {
        let bench = w.bench();
        bench
            .suspects
            .into_iter()
            .take(5)
            .map(|s| ShownSuspect {
                class: s.class,
                share: (s.share * 1e4).round() / 1e4,
            })
            .collect()
    })
    .await?;
    Ok(Some(Shown {
        suspects,
        catalogue: app.catalogue.hash.clone(),
        engine: env!("CARGO_PKG_VERSION").into(),
    }))
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

/// Whose turn it is to write to a job.
#[derive(Default)]
pub struct Turns {
    jobs: Mutex<HashMap<Uuid, Weak<tokio::sync::Mutex<()>>>>,
}

impl Turns {
    fn of(&self, job: Uuid) -> Arc<tokio::sync::Mutex<()>> {
        let mut jobs = self.jobs.lock().unwrap_or_else(PoisonError::into_inner);
        if jobs.len() > 1000 {
            jobs.retain(|_, turn| turn.strong_count() > 0);
        }
        if let Some(turn) = jobs.get(&job).and_then(Weak::upgrade) {
            return turn;
        }
        let turn = Arc::new(tokio::sync::Mutex::new(()));
        jobs.insert(job, Arc::downgrade(&turn));
        turn
    }
}
