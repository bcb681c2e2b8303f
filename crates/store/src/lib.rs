//! PostgreSQL: the only crate that says SQL.
//!
//! The log is append-only: an entry has a client-made id, so that sending it twice stores it once, and
//! a sequence number that is the job's order. Appending locks the job's row; the caller says which
//! head it has seen, and gets [`StoreError::Moved`] when somebody else was quicker, to look again.
//! Queries are run-time `query_as`; the tests run every one of them against a real server.

pub mod audit;
pub mod build;
pub mod card;
pub mod import;
pub mod job;
pub mod pack;
pub mod people;
pub mod session;
pub mod settings;
pub mod shop;
pub mod ticket;
pub mod watch;

use sqlx::postgres::{PgConnectOptions, PgPoolOptions};
use std::str::FromStr;
use std::time::Duration;

/// Why something could not be stored or found. Only [`StoreError::Unavailable`] and [`StoreError::Full`] are worth
/// trying again as they are.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// The database does not answer just now.
    #[error("the database does not answer: {0}")]
    Unavailable(#[source] sqlx::Error),
    /// There is no room left where the database writes.
    #[error("no room left: {0}")]
    Full(#[source] sqlx::Error),
    /// What was to be stored cannot be: the code says why.
    #[error("not to be stored ({code}): {source}")]
    Rejected {
        /// Short code.
        code: &'static str,
        /// The database's words.
        source: sqlx::Error,
    },
    /// What is stored does not read, or a query does not fit the schema: a fault of ours or of the disk.
    #[error("the database holds something that does not read: {0}")]
    Corrupt(#[source] sqlx::Error),
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
}

impl From<sqlx::Error> for StoreError {
    fn from(error: sqlx::Error) -> Self {
        let code = match &error {
            sqlx::Error::Database(e) => e.code().map(std::borrow::Cow::into_owned),
            sqlx::Error::RowNotFound => return Self::NotFound("row"),
            sqlx::Error::ColumnDecode { .. }
            | sqlx::Error::ColumnNotFound(_)
            | sqlx::Error::ColumnIndexOutOfBounds { .. }
            | sqlx::Error::TypeNotFound { .. }
            | sqlx::Error::Decode(_) => return Self::Corrupt(error),
            sqlx::Error::Encode(_) => {
                return Self::Rejected {
                    code: "bad-value",
                    source: error,
                };
            }
            _ => return Self::Unavailable(error),
        };
        let code = code.unwrap_or_default();
        // classes of the SQL standard, and the few that `append_entries` raises
        match (code.as_str(), code.get(..2).unwrap_or_default()) {
            ("SP404", _) => Self::NotFound("job"),
            ("SP409", _) => Self::Moved,
            ("SP403", _) => Self::ForeignEntry,
            ("53100", _) => Self::Full(error),
            ("23503", _) => Self::Rejected {
                code: "unknown-reference",
                source: error,
            },
            ("23505", _) => Self::Rejected {
                code: "taken",
                source: error,
            },
            (_, "22") => Self::Rejected {
                code: "bad-value",
                source: error,
            },
            (_, "23" | "54") => Self::Rejected {
                code: "does-not-fit",
                source: error,
            },
            (_, "42" | "XX" | "0A") => Self::Corrupt(error),
            // connections, resources, shutting down, serialisation
            _ => Self::Unavailable(error),
        }
    }
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

impl Store {
    /// Can something be written? A row goes in and is taken back.
    ///
    /// # Errors
    /// The disk is full, or the database does not answer.
    pub async fn can_write(&self) -> Result<(), StoreError> {
        let mut tx = self.pool.begin().await?;
        sqlx::query("INSERT INTO setting (key, value) VALUES (gen_random_uuid()::text, 'x')")
            .execute(&mut *tx)
            .await?;
        tx.rollback().await?;
        Ok(())
    }
}

fn unique(error: sqlx::Error, name: &str) -> StoreError {
    match error.as_database_error().map(|e| e.is_unique_violation()) {
        Some(true) => StoreError::Taken(name.into()),
        _ => error.into(),
    }
}
