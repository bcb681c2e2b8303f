//! What an upgrade has to work out of the logs once: cards of jobs that have none, the chain over entries from
//! before there was one, dangers that were found before they were kept with their packs.

use crate::App;
use crate::error::ApiError;
use crate::work;
use spannung_core::job::chain;

/// Setting that says how far the logs have been gone through.
const DONE: &str = "logs-worked-out";
/// What this program works out.
const LEVEL: &str = "1";

/// Go through the logs where that has not been done. A job that does not read stops nothing.
///
/// # Errors
/// The database does not answer.
pub async fn logs(app: &App) -> Result<(), ApiError> {
    for id in app.store.without_card().await? {
        let job = work::load(app, id).await?.job;
        let card = work::card(&app.catalogue, &job);
        app.store.put_card(id, &card).await?;
    }
    if app.store.setting(DONE).await?.as_deref() == Some(LEVEL) {
        return Ok(());
    }
    for id in app.store.all_jobs().await? {
        let loaded = work::load(app, id).await?;
        let mut before = Vec::new();
        let mut hashes = Vec::new();
        for e in &loaded.entries {
            before = chain::link(&before, e);
            hashes.push((e.id, before.clone()));
        }
        if loaded.unread.is_empty() {
            app.store.seal(id, &hashes).await?;
        }
        let dangers = work::new_dangers(&loaded.job, &loaded.brought);
        if !dangers.is_empty() {
            app.store.keep_dangers(id, &dangers).await?;
        }
    }
    app.store.set_setting(DONE, LEVEL).await?;
    Ok(())
}
