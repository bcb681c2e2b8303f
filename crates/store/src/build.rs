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
    /// Keep a build; the same again is the same one. False: another one has this name, or this id.
    ///
    /// # Errors
    /// There is no such job, or the database does not answer.
    pub async fn put_build(&self, build: &KeptBuild) -> Result<bool, StoreError> {
        // a name that somebody else keeps at the same moment conflicts as well
        sqlx::query(
            "INSERT INTO kept_build (id, name, job_id, at, by_name, volts_class, drive, changes)
             VALUES ($1, $2, $3, $4, $5, $6, $7, $8) ON CONFLICT DO NOTHING",
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
        .await?;
        let query =
            "SELECT EXISTS (SELECT 1 FROM kept_build WHERE id = $1 AND name = $2 AND job_id = $3)";
        let kept = sqlx::query_scalar(query)
            .bind(build.id)
            .bind(&build.name)
            .bind(build.job_id);
        Ok(kept.fetch_one(&self.pool).await?)
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
