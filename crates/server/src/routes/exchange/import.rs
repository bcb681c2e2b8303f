//! A job that comes in from another shop: read and admitted as if it were typed, off the async threads and one
//! at a time; its dangers count here, its releases do not.

use crate::App;
use crate::auth::Who;
use crate::error::{ApiError, Problem};
use crate::limits::Upload;
use crate::{picture, work};
use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use base64::Engine;
use base64::engine::general_purpose::STANDARD as BASE64;
use serde::Serialize;
use spannung_core::catalogue::Catalogue;
use spannung_core::job::bundle::Bundle;
use spannung_core::job::entry;
use spannung_core::job::{Body, admit};
use spannung_store::import::Incoming;
use spannung_store::job::NewEntry;
use spannung_store::shop::Photo;
use utoipa::ToSchema;
use uuid::Uuid;

/// What came in.
#[derive(Serialize, ToSchema)]
pub(super) struct CameIn {
    id: Uuid,
    number: i32,
    entries: usize,
    photos: usize,
    /// Job of this shop whose ids were in it already; this is another one beside it.
    clash_with: Option<Uuid>,
}

fn bad_bundle(sentence: impl Into<String>) -> ApiError {
    ApiError::refused(
        StatusCode::UNPROCESSABLE_ENTITY,
        "bad-bundle",
        Some("bundle"),
        sentence,
    )
}

#[utoipa::path(post, path = "/import", request_body(content = String, content_type = "application/json"), responses((status = 200, body = CameIn), (status = "4XX", body = Problem)))]
pub(super) async fn import_job(
    State(app): State<App>,
    Who(person): Who,
    upload: Upload,
) -> Result<Json<CameIn>, ApiError> {
    if !person.role.may_release() {
        return Err(ApiError::not_allowed("A technician brings jobs in."));
    }
    app.limits.quota(person.id)?;
    let _turn = app.limits.import().await?;
    let bundle = off_thread(move || {
        let text = std::str::from_utf8(&upload.bytes)
            .map_err(|_| bad_bundle("This is not text in UTF-8."))?;
        Ok(Bundle::read(text)?)
    })
    .await?;
    let ids: Vec<Uuid> = bundle
        .entries
        .iter()
        .map(|e| e.id)
        .chain(bundle.photos.iter().map(|p| p.id))
        .collect();
    let known = app.store.known(bundle.id, &ids).await?;
    let clash_with = if known {
        app.store.job(bundle.id).await.ok().map(|j| j.id)
    } else {
        None
    };
    let catalogue = std::sync::Arc::clone(&app.catalogue);
    let incoming = off_thread(move || {
        let bundle = if known {
            bundle.renamed(&mut Uuid::new_v4)
        } else {
            bundle
        };
        incoming(&catalogue, bundle, clash_with)
    })
    .await?;
    app.store
        .bring_in(&incoming, &person.name, app.clock.now())
        .await?;
    let row = app.store.job(incoming.id).await?;
    Ok(Json(CameIn {
        id: row.id,
        number: row.number,
        entries: incoming.entries.len(),
        photos: incoming.photos.len(),
        clash_with,
    }))
}

async fn off_thread<T: Send + 'static>(
    work: impl FnOnce() -> Result<T, ApiError> + Send + 'static,
) -> Result<T, ApiError> {
    tokio::task::spawn_blocking(work)
        .await
        .map_err(ApiError::internal("import"))?
}

/// A bundle made ready for the store: every entry admitted, every danger judged, every picture looked at.
fn incoming(
    catalogue: &Catalogue,
    bundle: Bundle,
    clash_with: Option<Uuid>,
) -> Result<Incoming, ApiError> {
    admit::admit_log(catalogue, &bundle.entries)
        .map_err(|(k, why)| bad_bundle(format!("Entry {k} does not fit: {why}")))?;
    let job = bundle.fold(catalogue);
    if job.family(catalogue).is_none() && job.drive != entry::OTHER_DRIVE {
        return Err(bad_bundle(format!(
            "There is no wiring model for a {} V {} vehicle here.",
            job.volts_class, job.drive
        )));
    }
    let packs = bundle.packs();
    let mut photos = Vec::new();
    for p in bundle.photos {
        let jpeg = BASE64
            .decode(&p.jpeg)
            .map_err(|_| bad_bundle(format!("Photo {} is not base 64.", p.id)))?;
        let small =
            picture::small_of(&jpeg).map_err(|s| bad_bundle(format!("Photo {}: {s}", p.id)))?;
        photos.push(Photo {
            id: p.id,
            job_id: bundle.id,
            at: p.at,
            by_name: p.by,
            width: small.width,
            height: small.height,
            // a picture of ours stays as it is, byte for byte: it was drawn when it was taken
            picture: jpeg,
            small: small.jpeg,
        });
    }
    let mut pack = None;
    let entries = bundle
        .entries
        .into_iter()
        .map(|e| {
            if let Body::Pack(entry::Pack { pack: id, .. }) = &e.body {
                pack = Some(*id);
            }
            // what was seen of a pack goes with it; what was released elsewhere does not
            let stays =
                e.body.kind().rests_on_pack(catalogue) && !e.body.kind().releases(catalogue);
            NewEntry {
                id: e.id,
                at: e.at,
                by: e.by,
                by_id: None,
                body: e.body,
                pack: stays.then_some(pack).flatten(),
            }
        })
        .collect();
    Ok(Incoming {
        id: bundle.id,
        number: bundle.number,
        clash_with,
        entries,
        dangers: work::new_dangers(&job, &[]),
        packs,
        photos,
        card: work::card(catalogue, &job),
    })
}
