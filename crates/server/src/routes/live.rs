//! Live updates: streams of server-sent events that say which job has new entries. The page fetches the job
//! then; the events carry no content. A beat every few seconds tells both ends that the other is there: a
//! connection that was lost without a word is made again, and a stream whose session is over ends.

use crate::App;
use crate::auth::{Session, Who};
use crate::error::{ApiError, Problem};
use axum::extract::{Path, State};
use axum::response::sse::{Event, Sse};
use axum::response::{IntoResponse, Response};
use std::convert::Infallible;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;
use tokio::sync::broadcast;
use tokio_stream::wrappers::{BroadcastStream, ReceiverStream};
use tokio_stream::{Stream, StreamExt};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use uuid::Uuid;

/// Between two beats of a stream.
const BEAT: Duration = Duration::from_secs(10);
/// Between two beats on the connection that listens to the database.
const LISTEN_BEAT: Duration = Duration::from_secs(15);
/// Silence after which that connection counts as lost.
const SILENCE: Duration = Duration::from_secs(35);

/// Routes.
pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(follow_job))
        .routes(routes!(follow_shop))
}

/// What is told to whoever listens: a job and its head, or that something may have been missed.
pub type News = Option<(Uuid, i64)>;

/// Listen to the database and pass it on, for as long as the program runs. A lost connection is made
/// again, also one that was lost without a word; whoever listens is told to look. The flag says whether
/// it listens now.
pub fn start(store: spannung_store::Store) -> (broadcast::Sender<News>, Arc<AtomicBool>) {
    let (send, _) = broadcast::channel(1024);
    let out = send.clone();
    let listening = Arc::new(AtomicBool::new(false));
    let flag = Arc::clone(&listening);
    let beating = store.clone();
    tokio::spawn(async move {
        loop {
            tokio::time::sleep(LISTEN_BEAT).await;
            if let Err(error) = beating.beat().await {
                tracing::warn!(%error, "beat of the live updates");
            }
        }
    });
    tokio::spawn(async move {
        loop {
            match store.watch().await {
                Ok(mut watch) => {
                    flag.store(true, Ordering::Relaxed);
                    let _ = out.send(None);
                    while let Ok(Ok(heard)) = tokio::time::timeout(SILENCE, watch.next()).await {
                        // nobody listening is no error
                        match heard {
                            spannung_store::watch::Heard::Append(job, head) => {
                                let _ = out.send(Some((job, head)));
                            }
                            spannung_store::watch::Heard::Beat => {}
                            spannung_store::watch::Heard::Missed => {
                                let _ = out.send(None);
                            }
                        }
                    }
                }
                Err(error) => tracing::warn!(%error, "live updates"),
            }
            flag.store(false, Ordering::Relaxed);
            tokio::time::sleep(Duration::from_secs(2)).await;
        }
    });
    (send, listening)
}

/// News of one job: `head` with its newest sequence, or `look`; `beat` in between.
#[utoipa::path(get, path = "/jobs/{id}/events", params(("id" = Uuid, Path)), responses((status = 200, body = String, content_type = "text/event-stream"), (status = "4XX", body = Problem)))]
async fn follow_job(
    State(app): State<App>,
    _: Who,
    session: Session,
    Path(id): Path<Uuid>,
) -> Result<Response, ApiError> {
    // listening begins before the head is read, so that nothing falls between
    let news = app.news.subscribe();
    let head = app.store.job(id).await?.head;
    let first = vec![event(&head.to_string())];
    let later = BroadcastStream::new(news).filter_map(move |n| match n {
        Ok(Some((job, head))) if job == id => Some(event(&head.to_string())),
        Ok(Some(_)) => None,
        // the stream lagged or the database was away: look again
        Ok(None) | Err(_) => Some(event("look")),
    });
    Ok(stream(app, session, first, later))
}

/// News of all jobs, for a page that shares one stream among its tabs: `head` with job and newest
/// sequence, or `look`; `beat` in between.
#[utoipa::path(get, path = "/events", responses((status = 200, body = String, content_type = "text/event-stream"), (status = "4XX", body = Problem)))]
async fn follow_shop(
    State(app): State<App>,
    _: Who,
    session: Session,
) -> Result<Response, ApiError> {
    let later = BroadcastStream::new(app.news.subscribe()).map(|n| match n {
        Ok(Some((job, head))) => event(&format!("{job} {head}")),
        Ok(None) | Err(_) => event("look"),
    });
    Ok(stream(app, session, vec![event("look")], later))
}

/// The stream: first what is known, then what comes, a beat in between; it ends with the session, and when
/// the program is asked to end.
fn stream(
    app: App,
    session: Session,
    first: Vec<Event>,
    later: impl Stream<Item = Event> + Send + 'static,
) -> Response {
    let (send, receive) = tokio::sync::mpsc::channel::<Result<Event, Infallible>>(64);
    tokio::spawn(async move {
        let mut closing = app.closing.subscribe();
        let mut later = std::pin::pin!(later);
        for e in first {
            if send.send(Ok(e)).await.is_err() {
                return;
            }
        }
        loop {
            let next = tokio::select! {
                () = async { let _ = closing.wait_for(|c| *c).await; } => return,
                next = later.next() => next,
                () = tokio::time::sleep(BEAT) => {
                    // disabled, signed out, run out: whoever it was hears nothing more
                    match session.holds(&app).await {
                        Ok(true) => Some(Event::default().event("beat").data("")),
                        Ok(false) => return,
                        Err(_) => Some(Event::default().event("beat").data("database")),
                    }
                }
            };
            let Some(e) = next else { return };
            if send.send(Ok(e)).await.is_err() {
                return;
            }
        }
    });
    Sse::new(ReceiverStream::new(receive)).into_response()
}

fn event(data: &str) -> Event {
    Event::default().event("head").data(data)
}
