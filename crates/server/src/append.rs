//! Appending to a job: what is sent is checked against the job as it stands, and stored all or none. The job is
//! loaded once, and grows by each entry.

use crate::App;
use crate::error::ApiError;
use crate::shop;
use crate::work::{self, Loaded, card, new_dangers, opened, packs, weigh};
use serde::{Deserialize, Serialize};
use spannung_core::job::entry::{Shown, ShownSuspect};
use spannung_core::job::{Body, Job, Logged, Role, admit, gate};
use spannung_store::StoreError;
use spannung_store::card::Card;
use spannung_store::job::{Append, NewDanger, NewEntry};
use spannung_store::people::Person;
use std::collections::HashMap;
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
    app.ahead.give_up(id);
    // within this process one after the other; another process makes the store say “moved”
    let turn = app.turns.of(id);
    let _mine = turn.lock().await;
    for _ in 0..TRIES {
        let before = work::load(app, id).await?;
        let number = before.row.number;
        let Some(plan) = plan(app, &before, sent, by).await? else {
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
                if plan.pack_seen.is_none() {
                    work::grown(app, before, &plan.entries, head);
                }
                app.behind.add(id, by.role);
                return Ok((head, number));
            }
            Err(StoreError::Moved) => continue,
            Err(error) => return Err(error.into()),
        }
    }
    Err(StoreError::Moved.into())
}

/// A job as it would stand with what is sent, checked as when it is appended; nothing is stored.
///
/// # Errors
/// As [`append`].
pub async fn tried(app: &App, loaded: &Loaded, sent: &Sent, by: &Person) -> Result<Job, ApiError> {
    let plan = plan(app, loaded, std::slice::from_ref(sent), by).await?;
    Ok(plan.map_or_else(|| loaded.job.clone(), |p| p.job))
}

/// What is written when all of it fits.
struct Plan {
    /// The job with it.
    job: Job,
    seen: i64,
    pack_seen: Option<i64>,
    entries: Vec<NewEntry>,
    dangers: Vec<NewDanger>,
    card: Card,
}

/// Check what was sent against the job; none when all of it stands in the log already.
async fn plan(
    app: &App,
    loaded: &Loaded,
    sent: &[Sent],
    by: &Person,
) -> Result<Option<Plan>, ApiError> {
    let id = loaded.row.id;
    let mut job = loaded.job.clone();
    let mut brought = loaded.brought.clone();
    let mut fresh: Vec<Logged> = Vec::new();
    for one in sent {
        let log = || loaded.entries.iter().chain(&fresh);
        if let Some(stands) = log().find(|e| e.id == one.id) {
            same_again(one, stands)?;
            continue;
        }
        conflict(one, &loaded.entries, loaded.row.head)?;
        if let Some(why) = &loaded.broken {
            writable(&one.body, why)?;
        }
        admit::admit(&app.catalogue, &job, &one.body, by.role)?;
        if let Body::Void(strike) = &one.body {
            own_line(log().find(|e| e.id == strike.entry), by)?;
        }
        let mut body = one.body.clone();
        checked(app, id, &job, &mut body, &loaded.job, by).await?;
        if let Body::Pack(on) = &body {
            if !on.known && !packs(log().map(|e| &e.body)).contains(&on.pack) {
                ask_for_old(app, id, on.pack, &on.sticker).await?;
            }
            brought.extend(app.store.brought(id, &[on.pack]).await?);
        }
        // it comes after everything that is known, wherever that happened
        let known = log().map(|e| e.seq).chain(brought.iter().map(|b| b.seq));
        let seq = known.max().unwrap_or(0) + 1;
        let begun = log().next().map(|e| e.at);
        let e = Logged {
            id: one.id,
            seq,
            at: instant(app, one.at, begun),
            by: by.name.clone(),
            by_id: Some(by.id),
            body,
        };
        // what is struck out was folded in already, and a pack brings its past along
        if matches!(e.body, Body::Void(_) | Body::Pack(_)) {
            fresh.push(e);
            let all: Vec<Logged> = loaded.entries.iter().chain(&fresh).cloned().collect();
            job = Job::fold_imported(&app.catalogue, &all, &brought, loaded.row.imported);
        } else {
            job.next(&app.catalogue, &e);
            fresh.push(e);
        }
    }
    if fresh.is_empty() {
        return Ok(None);
    }
    let dangers = new_dangers(&job, &brought);
    let on_packs = !dangers.is_empty() || fresh.iter().any(|e| e.body.kind().decides_on_pack());
    let pack_seen = if !on_packs {
        None
    } else if fresh.iter().any(|e| matches!(e.body, Body::Pack(_))) {
        // the packs that come on have a head of their own
        let all = loaded.entries.iter().chain(&fresh);
        let head = app.store.packs_head(&packs(all.map(|e| &e.body))).await?;
        Some(head)
    } else {
        Some(loaded.row.pack_head)
    };
    Ok(Some(Plan {
        seen: loaded.row.head,
        pack_seen,
        dangers,
        card: card(&app.catalogue, &job),
        entries: to_write(app, loaded, fresh),
        job,
    }))
}

/// Entries as they are stored, each with the pack it rests on.
fn to_write(app: &App, loaded: &Loaded, fresh: Vec<Logged>) -> Vec<NewEntry> {
    let mut pack = loaded.job.pack.as_ref().map(|p| p.pack);
    let write = |e: Logged| {
        let rests = e.body.kind().rests_on_pack(&app.catalogue);
        if let Body::Pack(on) = &e.body {
            pack = Some(on.pack);
        }
        NewEntry {
            id: e.id,
            at: e.at,
            by: e.by,
            by_id: e.by_id,
            pack: rests.then_some(pack).flatten(),
            body: e.body,
        }
    };
    fresh.into_iter().map(write).collect()
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
                return Err(work::no_model());
            }
            let entry = body.clone();
            weigh(app, job.clone(), by.role, move |w| w.admit(&entry)).await??;
        }
        Body::Close(_) | Body::CloseItem(_) | Body::Except(_) => {
            let opened = opened(app, job, by.role).await?;
            admit::with_opened(&app.catalogue, job, &opened, body)?;
        }
        Body::Clearance(_) => gate::watched(&app.catalogue, job, app.clock.now())?,
        Body::Photo(picture) => {
            app.store.photo(id, picture.photo, true).await?;
        }
        _ => {}
    }
    match body {
        Body::Close(close) => {
            close.shown = shown_now(app, before, by.role).await?;
            close.terms = Some(shop::now(app).await?.terms);
        }
        Body::Quote(quote) => quote.terms = Some(shop::now(app).await?.terms),
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
            Body::Close(close) => (close.shown, close.terms) = (None, None),
            Body::Quote(quote) => quote.terms = None,
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
fn own_line(entry: Option<&Logged>, by: &Person) -> Result<(), ApiError> {
    let theirs = entry.is_some_and(|e| e.by_id != Some(by.id));
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
