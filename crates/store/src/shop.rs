//! The shop's settings with their history, kept sheets of points, photos.

use crate::{Store, StoreError};
use spannung_core::job::entry::SheetPoint;
use sqlx::types::Json;
use time::OffsetDateTime;
use uuid::Uuid;

/// A state of the settings.
#[derive(Debug, Clone, PartialEq, sqlx::FromRow)]
pub struct SettingRow {
    /// When it began.
    pub at: OffsetDateTime,
    /// Who set it.
    pub by_name: String,
    /// Content.
    pub body: Json<serde_json::Value>,
}

/// A picture.
#[derive(Debug, Clone, PartialEq, Eq, sqlx::FromRow)]
pub struct Photo {
    /// Id.
    pub id: Uuid,
    /// Job.
    pub job_id: Uuid,
    /// When it came in.
    pub at: OffsetDateTime,
    /// Who brought it.
    pub by_name: String,
    /// Pixels.
    pub width: i32,
    /// Pixels.
    pub height: i32,
    /// JPEG.
    pub picture: Vec<u8>,
    /// JPEG, small.
    pub small: Vec<u8>,
}

/// A sheet of points.
#[derive(Debug, Clone, PartialEq)]
pub struct Sheet {
    /// Id.
    pub id: Uuid,
    /// Name.
    pub name: String,
    /// Job it was made in.
    pub job_id: Uuid,
    /// When.
    pub at: OffsetDateTime,
    /// Who.
    pub by_name: String,
    /// Points.
    pub points: Vec<SheetPoint>,
}

#[derive(sqlx::FromRow)]
struct SheetRow {
    id: Uuid,
    name: String,
    job_id: Uuid,
    at: OffsetDateTime,
    by_name: String,
    points: Json<Vec<SheetPoint>>,
}

impl Store {
    /// Write a new state of the settings.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn set_shop(
        &self,
        at: OffsetDateTime,
        by: &str,
        body: &serde_json::Value,
    ) -> Result<(), StoreError> {
        sqlx::query("INSERT INTO shop_setting (at, by_name, body) VALUES ($1, $2, $3)")
            .bind(at)
            .bind(by)
            .bind(Json(body))
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// Is this a time zone of the IANA data base, as PostgreSQL has it?
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn knows_zone(&self, name: &str) -> Result<bool, StoreError> {
        Ok(
            sqlx::query_scalar("SELECT EXISTS (SELECT 1 FROM pg_timezone_names WHERE name = $1)")
                .bind(name)
                .fetch_one(&self.pool)
                .await?,
        )
    }

    /// Every state of the settings, newest first.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn shop_history(&self) -> Result<Vec<SettingRow>, StoreError> {
        Ok(
            sqlx::query_as(
                "SELECT at, by_name, body FROM shop_setting ORDER BY seq DESC LIMIT 200",
            )
            .fetch_all(&self.pool)
            .await?,
        )
    }

    /// The settings that hold now; none before the first were written.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn shop(&self) -> Result<Option<serde_json::Value>, StoreError> {
        let row: Option<Json<serde_json::Value>> =
            sqlx::query_scalar("SELECT body FROM shop_setting ORDER BY seq DESC LIMIT 1")
                .fetch_optional(&self.pool)
                .await?;
        Ok(row.map(|r| r.0))
    }

    /// Keep a picture; the same id again is the same picture.
    ///
    /// # Errors
    /// The id belongs to another job's picture, or there is no such job.
    pub async fn put_photo(&self, photo: &Photo) -> Result<(), StoreError> {
        let done = sqlx::query(
            "INSERT INTO photo (id, job_id, at, by_name, width, height, picture, small)
             VALUES ($1, $2, $3, $4, $5, $6, $7, $8) ON CONFLICT (id) DO NOTHING",
        )
        .bind(photo.id)
        .bind(photo.job_id)
        .bind(photo.at)
        .bind(&photo.by_name)
        .bind(photo.width)
        .bind(photo.height)
        .bind(&photo.picture)
        .bind(&photo.small)
        .execute(&self.pool)
        .await?;
        if done.rows_affected() == 0 {
            let of: Uuid = sqlx::query_scalar("SELECT job_id FROM photo WHERE id = $1")
                .bind(photo.id)
                .fetch_one(&self.pool)
                .await?;
            if of != photo.job_id {
                return Err(StoreError::ForeignEntry);
            }
        }
        Ok(())
    }

    /// A picture of a job, small or full.
    ///
    /// # Errors
    /// The job has no such picture.
    pub async fn photo(&self, job: Uuid, id: Uuid, small: bool) -> Result<Vec<u8>, StoreError> {
        sqlx::query_scalar(
            "SELECT CASE WHEN $3 THEN small ELSE picture END FROM photo WHERE id = $1 AND job_id = $2",
        )
        .bind(id)
        .bind(job)
        .bind(small)
        .fetch_optional(&self.pool)
        .await?
        .ok_or(StoreError::NotFound("photo"))
    }

    /// All pictures of a job, by id.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn photos(&self, job: Uuid) -> Result<Vec<Photo>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT id, job_id, at, by_name, width, height, picture, small FROM photo
             WHERE job_id = $1 ORDER BY id",
        )
        .bind(job)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Keep a sheet of points; the same id again is the same sheet with its newest points; what it was before is kept.
    ///
    /// # Errors
    /// There is no such job.
    pub async fn put_sheet(&self, sheet: &Sheet) -> Result<(), StoreError> {
        let mut tx = self.pool.begin().await?;
        sqlx::query(
            "INSERT INTO sheet_before (sheet_id, until, name, by_name, points)
             SELECT id, $4, name, by_name, points FROM sheet
             WHERE id = $1 AND (name, points) IS DISTINCT FROM ($2, $3) FOR UPDATE",
        )
        .bind(sheet.id)
        .bind(&sheet.name)
        .bind(Json(&sheet.points))
        .bind(sheet.at)
        .execute(&mut *tx)
        .await?;
        sqlx::query(
            "INSERT INTO sheet (id, name, job_id, at, by_name, points) VALUES ($1, $2, $3, $4, $5, $6)
             ON CONFLICT (id) DO UPDATE SET name = excluded.name, at = excluded.at,
               by_name = excluded.by_name, points = excluded.points",
        )
        .bind(sheet.id)
        .bind(&sheet.name)
        .bind(sheet.job_id)
        .bind(sheet.at)
        .bind(&sheet.by_name)
        .bind(Json(&sheet.points))
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        Ok(())
    }

    /// How many states of a sheet are kept from before.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn sheet_before(&self, sheet: Uuid) -> Result<i64, StoreError> {
        Ok(
            sqlx::query_scalar("SELECT count(*) FROM sheet_before WHERE sheet_id = $1")
                .bind(sheet)
                .fetch_one(&self.pool)
                .await?,
        )
    }

    /// How many pictures a job has.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn photo_count(&self, job: Uuid) -> Result<i64, StoreError> {
        Ok(
            sqlx::query_scalar("SELECT count(*) FROM photo WHERE job_id = $1")
                .bind(job)
                .fetch_one(&self.pool)
                .await?,
        )
    }

    /// Sheets whose name holds some words, newest first.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn sheets(&self, find: &str) -> Result<Vec<Sheet>, StoreError> {
        let rows: Vec<SheetRow> = sqlx::query_as(
            "SELECT id, name, job_id, at, by_name, points FROM sheet
             WHERE position(lower($1) in lower(name)) > 0 ORDER BY at DESC, id LIMIT 50",
        )
        .bind(find.trim())
        .fetch_all(&self.pool)
        .await?;
        Ok(rows
            .into_iter()
            .map(|r| Sheet {
                id: r.id,
                name: r.name,
                job_id: r.job_id,
                at: r.at,
                by_name: r.by_name,
                points: r.points.0,
            })
            .collect())
    }
}
