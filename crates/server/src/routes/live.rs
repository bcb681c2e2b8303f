//! Live updates: a stream of server-sent events that says when a job has new entries. The page fetches
//! the job then; the events carry no content.

use crate::App;
use crate::auth::Who;
use crate::error::{ApiError, Problem};
use axum::extract::{Path, State};
use axum::response::sse::{Event, KeepAlive, Sse};
use axum::response::{IntoResponse, Response};
use std::convert::Infallible;
use std::time::Duration;
use tokio::sync::broadcast;
use tokio_stream::StreamExt;
use tokio_stream::wrappers::{BroadcastStream, WatchStream};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use uuid::Uuid;

/// Routes.
pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(follow_job))
}

/// What is told to whoever listens: a job and its head, or that something may have been missed.
pub type News = Option<(Uuid, i64)>;

/// Listen to the database and pass it on, for as long as the program runs. A lost connection is made
/// again; whoever listens is told to look.
pub fn start(store: spannung_store::Store) -> broadcast::Sender<News> {
    let (send, _) = broadcast::channel(256);
    let out = send.clone();
    tokio::spawn(async move {
        loop {
            match store.watch().await {
                Ok(mut watch) => {
                    let _ = out.send(None);
                    while let Ok(news) = watch.next().await {
                        // nobody listening is no error
                        let _ = out.send(news);
                    }
                }
                Err(error) => tracing::warn!(%error, "live updates"),
            }
            tokio::time::sleep(Duration::from_secs(2)).await;
        }
    });
    send
}

#[utoipa::path(get, path = "/jobs/{id}/events", params(("id" = Uuid, Path)), responses((status = 200, body = String, content_type = "text/event-stream"), (status = "4XX", body = Problem)))]
async fn follow_job(
    State(app): State<App>,
    _: Who,
    Path(id): Path<Uuid>,
) -> Result<Response, ApiError> {
    // listening begins before the head is read, so that nothing falls between
    let news = BroadcastStream::new(app.news.subscribe());
    let head = app.store.job(id).await?.head;
    let first = tokio_stream::once(event(head));
    let later = news.filter_map(move |n| match n {
        Ok(Some((job, head))) if job == id => Some(event(head)),
        Ok(Some(_)) => None,
        // the stream lagged or the database was away: look again
        Ok(None) | Err(_) => Some(event(i64::MAX)),
    });
    // a stream would keep the program from ending: it ends when it is asked to
    let closing = WatchStream::new(app.closing.subscribe()).filter_map(|c| c.then_some(None));
    let stream = first
        .chain(later)
        .map(Some)
        .merge(closing)
        .map_while(|item| item);
    Ok(Sse::new(stream)
        .keep_alive(KeepAlive::new().interval(Duration::from_secs(15)))
        .into_response())
}

fn event(head: i64) -> Result<Event, Infallible> {
    let text = if head == i64::MAX {
        "look".to_string()
    } else {
        head.to_string()
    };
    Ok(Event::default().event("head").data(text))
}
