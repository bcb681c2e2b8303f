//! Live updates: every append tells whoever listens which job has a new head.

use crate::{Store, StoreError};
use sqlx::postgres::PgListener;
use uuid::Uuid;

/// Hears of appends, by whatever server process they come.
pub struct Watch {
    listener: PgListener,
}

/// What was heard.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Heard {
    /// An append: job and head.
    Append(Uuid, i64),
    /// A server process says that the connection is alive.
    Beat,
    /// The connection was lost meanwhile and something may have been missed; listening goes on.
    Missed,
}

impl Store {
    /// Begin to listen, on a connection of its own.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn watch(&self) -> Result<Watch, StoreError> {
        let mut listener = PgListener::connect_with(&self.pool).await?;
        listener
            .listen_all(["spannung_job", "spannung_beat"])
            .await?;
        Ok(Watch { listener })
    }

    /// Tell everybody who listens that the way to them is open.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn beat(&self) -> Result<(), StoreError> {
        sqlx::query("SELECT pg_notify('spannung_beat', '')")
            .execute(&self.pool)
            .await?;
        Ok(())
    }
}

impl Watch {
    /// What comes next.
    ///
    /// # Errors
    /// The database is gone.
    pub async fn next(&mut self) -> Result<Heard, StoreError> {
        let Some(note) = self.listener.try_recv().await? else {
            return Ok(Heard::Missed);
        };
        if note.channel() == "spannung_beat" {
            return Ok(Heard::Beat);
        }
        let mut words = note.payload().split(' ');
        let job = words.next().and_then(|w| w.parse().ok());
        let head = words.next().and_then(|w| w.parse().ok());
        Ok(job
            .zip(head)
            .map_or(Heard::Missed, |(job, head)| Heard::Append(job, head)))
    }
}
