//! Builds kept under a name.

use crate::{Store, StoreError};
use spannung_circuit::Change;
use sqlx::types::Json;
use time::OffsetDateTime;
use uuid::Uuid;

/// Most kept builds that are listed.
const LISTED: i64 = 200;

/// A build kept under a name.
#[derive(Debug, Clone, PartialEq, sqlx::FromRow)]
pub struct KeptBuild {
    /// Id.
    pub id: Uuid,
    /// Name.
    pub name: String,
    /// Job whose vehicle it is.
    pub job_id: Uuid,
    /// When it was kept.
    pub at: OffsetDateTime,
    /// Who kept it.
    pub by_name: String,
    /// Voltage class.
    pub volts_class: i32,
    /// Drive as it looks.
    pub drive: String,
    /// What is different from the vehicle that its volts and drive begin with.
    #[sqlx(json)]
    pub changes: Vec<Change>,
}

impl Store {
    /// Keep a build; the same id again is the same build as it is now. False: another one has this name.
    ///
    /// # Errors
    /// There is no such job, or the database does not answer.
    pub async fn put_build(&self, build: &KeptBuild) -> Result<bool, StoreError> {
        let done = sqlx::query(
            "INSERT INTO kept_build (id, name, job_id, at, by_name, volts_class, drive, changes)
             SELECT $1, $2, $3, $4, $5, $6, $7, $8
             WHERE NOT EXISTS (SELECT 1 FROM kept_build WHERE lower(name) = lower($2) AND id <> $1)
             ON CONFLICT (id) DO UPDATE SET name = excluded.name, job_id = excluded.job_id, at = excluded.at,
               by_name = excluded.by_name, volts_class = excluded.volts_class, drive = excluded.drive,
               changes = excluded.changes",
        )
        .bind(build.id)
        .bind(&build.name)
        .bind(build.job_id)
        .bind(build.at)
        .bind(&build.by_name)
        .bind(build.volts_class)
        .bind(&build.drive)
        .bind(Json(&build.changes))
        .execute(&self.pool)
        .await;
        match done {
            Ok(done) => Ok(done.rows_affected() > 0),
            // two who keep one name at the same moment
            Err(e)
                if e.as_database_error()
                    .is_some_and(|e| e.is_unique_violation()) =>
            {
                Ok(false)
            }
            Err(e) => Err(e.into()),
        }
    }

    /// Kept builds, newest first.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn builds(&self) -> Result<Vec<KeptBuild>, StoreError> {
        let query =
            "SELECT id, name, job_id, at, by_name, volts_class, drive, changes FROM kept_build
             ORDER BY at DESC, id LIMIT $1";
        Ok(sqlx::query_as(query)
            .bind(LISTED)
            .fetch_all(&self.pool)
            .await?)
    }

    /// Forget a kept build: its name. None: there is none.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn drop_build(&self, id: Uuid) -> Result<Option<String>, StoreError> {
        let query = "DELETE FROM kept_build WHERE id = $1 RETURNING name";
        Ok(sqlx::query_scalar(query)
            .bind(id)
            .fetch_optional(&self.pool)
            .await?)
    }
}
