//! Jobs that come in as a bundle, whole or not at all.

use crate::card::Card;
use crate::job::{NewDanger, NewEntry, as_json, dangers_as_json};
use crate::shop::Photo;
use crate::{Store, StoreError};
use sqlx::types::Json;
use time::OffsetDateTime;
use uuid::Uuid;

/// A job to be brought in.
#[derive(Debug, Clone, PartialEq)]
pub struct Incoming {
    /// Id it gets here.
    pub id: Uuid,
    /// Number it had; kept where it is free.
    pub number: i32,
    /// Job of this shop it clashes with.
    pub clash_with: Option<Uuid>,
    /// Entries in order.
    pub entries: Vec<NewEntry>,
    /// Packs its entries speak of: id and sticker.
    pub packs: Vec<(Uuid, String)>,
    /// Pictures.
    pub photos: Vec<Photo>,
    /// Dangers they raise.
    pub dangers: Vec<NewDanger>,
    /// Card.
    pub card: Card,
}

/// How a job came in.
#[derive(Debug, Clone, PartialEq, Eq, sqlx::FromRow)]
pub struct ImportRow {
    /// When.
    pub at: OffsetDateTime,
    /// Who.
    pub by_name: String,
    /// Number it had.
    pub number: i32,
    /// Job it clashed with.
    pub clash_with: Option<Uuid>,
}

impl Store {
    /// Ids of entries and pictures among these that are known here already, and whether the job is.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn known(&self, job: Uuid, ids: &[Uuid]) -> Result<bool, StoreError> {
        Ok(sqlx::query_scalar(
            "SELECT EXISTS (SELECT 1 FROM job WHERE id = $1)
                 OR EXISTS (SELECT 1 FROM entry WHERE id = ANY($2))
                 OR EXISTS (SELECT 1 FROM photo WHERE id = ANY($2))",
        )
        .bind(job)
        .bind(ids)
        .fetch_one(&self.pool)
        .await?)
    }

    /// Bring a job in; all of it or nothing.
    ///
    /// # Errors
    /// An id is known here already, or the database does not answer.
    pub async fn bring_in(
        &self,
        job: &Incoming,
        by: &str,
        at: OffsetDateTime,
    ) -> Result<(), StoreError> {
        let mut tx = self.pool.begin().await?;
        // the number it had, where it is one of a ticket's and free
        sqlx::query(
            "INSERT INTO job (id, number) SELECT $1, CASE WHEN $2 BETWEEN 1 AND 999999
               AND NOT EXISTS (SELECT 1 FROM job WHERE number = $2) THEN $2 ELSE next_job_number() END",
        )
        .bind(job.id)
        .bind(job.number)
        .execute(&mut *tx)
        .await?;
        for (id, sticker) in &job.packs {
            // the sticker may be on another pack of this shop: the imported one then says so
            sqlx::query(
                "INSERT INTO pack (id, sticker)
                 SELECT $1, CASE WHEN EXISTS (SELECT 1 FROM pack WHERE lower(sticker) = lower($2))
                   THEN left($2, 24) || ' imported ' || $1::text ELSE $2 END
                 ON CONFLICT (id) DO NOTHING",
            )
            .bind(id)
            .bind(sticker)
            .execute(&mut *tx)
            .await?;
        }
        for p in &job.photos {
            sqlx::query(
                "INSERT INTO photo (id, job_id, at, by_name, width, height, picture, small)
                 VALUES ($1, $2, $3, $4, $5, $6, $7, $8)",
            )
            .bind(p.id)
            .bind(job.id)
            .bind(p.at)
            .bind(&p.by_name)
            .bind(p.width)
            .bind(p.height)
            .bind(&p.picture)
            .bind(&p.small)
            .execute(&mut *tx)
            .await?;
        }
        let head: i64 = sqlx::query_scalar("SELECT append_entries($1, 0, NULL, $2, $3, $4)")
            .bind(job.id)
            .bind(as_json(&job.entries)?)
            .bind(dangers_as_json(&job.dangers)?)
            .bind(Json(&job.card))
            .fetch_one(&mut *tx)
            .await?;
        // whoever it belonged to there is not known here
        sqlx::query("UPDATE job SET customer_id = NULL WHERE id = $1")
            .bind(job.id)
            .execute(&mut *tx)
            .await?;
        sqlx::query(
            "INSERT INTO import (job_id, at, by_name, head, number, clash_with) VALUES ($1, $2, $3, $4, $5, $6)",
        )
        .bind(job.id)
        .bind(at)
        .bind(by)
        .bind(head)
        .bind(job.number)
        .bind(job.clash_with)
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        Ok(())
    }

    /// How a job came in; none for a job of this shop.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn import_of(&self, job: Uuid) -> Result<Option<ImportRow>, StoreError> {
        Ok(
            sqlx::query_as("SELECT at, by_name, number, clash_with FROM import WHERE job_id = $1")
                .bind(job)
                .fetch_optional(&self.pool)
                .await?,
        )
    }
}
