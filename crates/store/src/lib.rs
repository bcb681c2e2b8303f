//! PostgreSQL: the only crate that says SQL.
//!
//! The log is append-only: an entry has a client-made id, so that sending it twice stores it once, and
//! a sequence number that is the job's order. Appending locks the job's row; the caller says which
//! head it has seen, and gets [`StoreError::Moved`] when somebody else was quicker, to look again.
//! Queries are run-time `query_as`; the tests run every one of them against a real server.

pub mod card;
pub mod import;
pub mod job;
pub mod people;
pub mod settings;
pub mod shop;
pub mod watch;

use sqlx::postgres::{PgConnectOptions, PgPoolOptions};
use std::str::FromStr;
use std::time::Duration;

/// Why something could not be stored or found.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// The database does not answer or refuses.
    #[error("the database does not answer: {0}")]
    Database(#[from] sqlx::Error),
    /// The migrations could not be applied.
    #[error("the database could not be brought up to date: {0}")]
    Migrate(#[from] sqlx::migrate::MigrateError),
    /// There is no such thing.
    #[error("there is no such {0}")]
    NotFound(&'static str),
    /// The job has newer entries than the caller has seen.
    #[error("the job has moved on")]
    Moved,
    /// An entry id is used by another job.
    #[error("this entry id belongs to another job")]
    ForeignEntry,
    /// A name that must be unique is taken.
    #[error("“{0}” is taken already")]
    Taken(String),
    /// The last owner cannot be disabled or made something else.
    #[error("a shop keeps one owner")]
    LastOwner,
    /// A stored entry does not read: the database was written by something else.
    #[error("entry {0} in the database does not read")]
    Unreadable(i64),
}

/// The store: a pool of connections.
#[derive(Debug, Clone)]
pub struct Store {
    pool: sqlx::PgPool,
}

impl Store {
    /// Connect and bring the schema up to date.
    ///
    /// # Errors
    /// The database does not answer within 5 s, or a migration fails.
    pub async fn connect(url: &str) -> Result<Self, StoreError> {
        let options = PgConnectOptions::from_str(url)?;
        let pool = PgPoolOptions::new()
            .max_connections(8)
            .acquire_timeout(Duration::from_secs(5))
            .connect_with(options)
            .await?;
        let store = Self { pool };
        sqlx::migrate!().run(&store.pool).await?;
        Ok(store)
    }

    /// A store on a pool that is ready (tests).
    pub fn on(pool: sqlx::PgPool) -> Self {
        Self { pool }
    }

    /// Does the database answer?
    ///
    /// # Errors
    /// It does not.
    pub async fn ping(&self) -> Result<(), StoreError> {
        sqlx::query("SELECT 1").execute(&self.pool).await?;
        Ok(())
    }
}

fn unique(error: sqlx::Error, name: &str) -> StoreError {
    match error.as_database_error().map(|e| e.is_unique_violation()) {
        Some(true) => StoreError::Taken(name.into()),
        _ => StoreError::Database(error),
    }
}
