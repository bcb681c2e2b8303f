//! Loading a job, weighing it, appending to it: what the routes and the demonstration share.

use crate::App;
use crate::error::ApiError;
use crate::models::Ready;
use crate::shop;
use serde::{Deserialize, Serialize};
use spannung_circuit::state::VehicleState;
use spannung_core::diagnosis::tests;
use spannung_core::job::bench::Weighed;
use spannung_core::job::entry::{Shown, ShownSuspect};
use spannung_core::job::items::{self, Opened};
use spannung_core::job::{Body, Job, Logged, Role, admit};
use spannung_store::StoreError;
use spannung_store::card::Card;
use spannung_store::job::{JobRow, NewEntry};
use std::collections::BTreeSet;
use std::sync::Arc;
use time::OffsetDateTime;
use utoipa::ToSchema;
use uuid::Uuid;

/// How often an append is tried again when somebody else was quicker.
const TRIES: usize = 12;

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
    /// Content.
    pub body: Body,
}

/// A job with its log.
pub struct Loaded {
    /// Row.
    pub row: JobRow,
    /// Log.
    pub entries: Vec<Logged>,
    /// Findings its packs bring along.
    pub brought: Vec<(Uuid, Logged)>,
    /// Present state.
    pub job: Job,
}

/// Load and fold a job.
///
/// # Errors
/// There is no such job, or the database does not answer.
pub async fn load(app: &App, id: Uuid) -> Result<Loaded, ApiError> {
    let row = app.store.job(id).await?;
    let entries = app.store.entries(id).await?;
    let brought = app
        .store
        .brought(id, &packs(entries.iter().map(|e| &e.body)))
        .await?;
    let job = Job::fold_imported(&app.catalogue, &entries, &brought, row.imported);
    Ok(Loaded {
        row,
        entries,
        brought,
        job,
    })
}

fn packs<'a>(bodies: impl Iterator<Item = &'a Body>) -> Vec<Uuid> {
    let found: BTreeSet<Uuid> = bodies
        .filter_map(|b| match b {
            Body::Pack { pack, .. } => Some(*pack),
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
    .map_err(|_| ApiError::internal("weighing"))
}

/// Check and append entries, in order, each against the job as the ones before it leave it. Sending the
/// same entries again stores nothing and is no error.
///
/// # Errors
/// An entry that does not fit, a conflict with a newer entry, the database.
pub async fn append(
    app: &App,
    id: Uuid,
    sent: &[Sent],
    by: &str,
    role: Role,
) -> Result<(), ApiError> {
    for _ in 0..TRIES {
        let loaded = load(app, id).await?;
        let known: BTreeSet<Uuid> = loaded.entries.iter().map(|e| e.id).collect();
        let mut trial = loaded.entries.clone();
        let mut brought = loaded.brought;
        let mut fresh = Vec::new();
        for one in sent.iter().filter(|s| !known.contains(&s.id)) {
            let job = Job::fold_imported(&app.catalogue, &trial, &brought, loaded.row.imported);
            conflict(one, &loaded.entries)?;
            admit::admit(&app.catalogue, &job, &one.body, role)?;
            if let Body::Void { entry, .. } = &one.body {
                voidable(&trial, *entry)?;
            }
            let mut body = one.body.clone();
            let needs_model = matches!(
                body,
                Body::Reading { .. } | Body::Check { .. } | Body::Skip { .. }
            );
            let pack_now = job.pack.as_ref().map(|p| p.0);
            if needs_model && job.family(&app.catalogue).is_none() {
                return Err(no_model());
            }
            if needs_model {
                let checked = body.clone();
                weigh(app, job, role, move |w| w.admit(&checked)).await??;
            } else if matches!(
                body,
                Body::Close { .. } | Body::CloseItem { .. } | Body::Except { .. }
            ) {
                let opened = opened(app, &job, role).await?;
                admit::with_opened(&app.catalogue, &job, &opened, &body)?;
            }
            match &mut body {
                Body::Close { shown, terms, .. } => {
                    *shown = shown_now(app, &loaded.job, role).await?;
                    *terms = Some(shop::now(app).await?.terms);
                }
                Body::Quote { terms, .. } => *terms = Some(shop::now(app).await?.terms),
                Body::Photo { photo, .. } => {
                    app.store.photo(id, *photo, true).await?;
                }
                _ => {}
            }
            if let Body::Pack { pack, .. } = &body {
                brought.extend(app.store.brought(id, &[*pack]).await?);
            }
            // a device's clock may be wrong: nothing is written into the future or before the job began
            let now = app.clock.now();
            let begun = trial.first().map_or(now, |e| e.at);
            let at = one.at.map_or(now, |at| at.min(now).max(begun));
            let rests = body.rests_on_pack(&app.catalogue) || raises(app, &body);
            let next_seq = trial.last().map_or(1, |e| e.seq + 1);
            trial.push(Logged {
                id: one.id,
                seq: next_seq,
                at,
                by: by.into(),
                body: body.clone(),
            });
            fresh.push(NewEntry {
                id: one.id,
                at,
                by: by.into(),
                body,
                pack: rests.then_some(pack_now).flatten(),
            });
        }
        if fresh.is_empty() {
            return Ok(());
        }
        let after = Job::fold_imported(&app.catalogue, &trial, &brought, loaded.row.imported);
        let card = card(app, &after);
        match app.store.append(id, loaded.row.head, &fresh, &card).await {
            Ok(_) => return Ok(()),
            Err(StoreError::Moved) => continue,
            Err(error) => return Err(error.into()),
        }
    }
    Err(StoreError::Moved.into())
}

/// Readings that can raise the gate follow the pack.
fn raises(app: &App, body: &Body) -> bool {
    match body {
        Body::Reading { test, .. } => {
            let spec = app.catalogue.probes.iter().find(|p| p.id.get_ref() == test);
            spec.is_some_and(|p| p.loaded || p.mode == "groups")
        }
        _ => false,
    }
}

fn conflict(one: &Sent, entries: &[Logged]) -> Result<(), ApiError> {
    let guards = one.body.guards();
    if guards.is_empty() || entries.is_empty() {
        return Ok(());
    }
    let Some(based_on) = one.based_on else {
        return Err(ApiError::refused(
            axum::http::StatusCode::UNPROCESSABLE_ENTITY,
            "no-base",
            Some("based_on"),
            "Say which state of the job this was decided on.",
        ));
    };
    let newer = entries
        .iter()
        .rev()
        .find(|e| e.seq > based_on && guards.contains(&e.body.kind()));
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

fn voidable(entries: &[Logged], id: Uuid) -> Result<(), ApiError> {
    match entries.iter().find(|e| e.id == id) {
        None => Err(ApiError::not_found("entry")),
        Some(e) if e.body.can_be_struck_out() => Ok(()),
        Some(_) => Err(ApiError::refused(
            axum::http::StatusCode::UNPROCESSABLE_ENTITY,
            "not-voidable",
            Some("entry"),
            "This entry cannot be struck out.",
        )),
    }
}

/// What the screen says now, kept with a closing; nothing for a vehicle without a wiring model.
async fn shown_now(app: &App, job: &Job, role: Role) -> Result<Option<Shown>, ApiError> {
    if job.family(&app.catalogue).is_none() {
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
    if job.family(&app.catalogue).is_none() {
        return Ok(Vec::new());
    }
    weigh(app, job.clone(), role, |w| items::opened(w.model, w.job)).await
}

/// The card of a job: what it is found by and hung up with.
pub fn card(app: &App, job: &Job) -> Card {
    let closed = job.closed.as_ref();
    let mended = closed
        .and_then(|c| c.class.as_ref())
        .and_then(|c| app.catalogue.classes.get(c));
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

/// Name of a test on a weighed job's vehicle.
pub fn test_name(w: &Weighed<'_>, id: &str) -> String {
    tests::find(&w.model.tests, id)
        .map_or_else(|| id.to_string(), |k| w.model.tests[k].name.clone())
}
