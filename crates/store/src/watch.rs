//! Live updates: every append tells whoever listens which job has a new head.

use crate::{Store, StoreError};
use sqlx::postgres::PgListener;
use uuid::Uuid;

/// Hears of appends, by whatever server process they come.
pub struct Watch {
    listener: PgListener,
}

impl Store {
    /// Begin to listen, on a connection of its own.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn watch(&self) -> Result<Watch, StoreError> {
        let mut listener = PgListener::connect_with(&self.pool).await?;
        listener.listen("spannung_job").await?;
        Ok(Watch { listener })
    }
}

impl Watch {
    /// The next append: job and head. `None` when the connection was lost meanwhile and something may
    /// have been missed; listening goes on.
    ///
    /// # Errors
    /// The database is gone.
    pub async fn next(&mut self) -> Result<Option<(Uuid, i64)>, StoreError> {
        let Some(note) = self.listener.try_recv().await? else {
            return Ok(None);
        };
        let mut words = note.payload().split(' ');
        let job = words.next().and_then(|w| w.parse().ok());
        let head = words.next().and_then(|w| w.parse().ok());
        Ok(job.zip(head))
    }
}
