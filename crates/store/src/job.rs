//! Jobs, their logs, packs.

use crate::card::{self, Card};
use crate::{Store, StoreError, unique};
use spannung_core::job::{Body, Logged};
use sqlx::types::Json;
use time::OffsetDateTime;
use uuid::Uuid;

/// A job's row.
#[derive(Debug, Clone, PartialEq, Eq, sqlx::FromRow)]
pub struct JobRow {
    /// Id.
    pub id: Uuid,
    /// Number on the ticket.
    pub number: i32,
    /// Customer's card.
    pub customer_id: Option<Uuid>,
    /// Closed.
    pub closed: bool,
    /// Sequence of its newest entry.
    pub head: i64,
    /// Sequence of the newest entry that came in from elsewhere; 0 for a job of this shop.
    pub imported: i64,
    /// Sequence of the newest finding on any pack this job has had on it, in whatever job.
    pub pack_head: i64,
}

const JOB_COLUMNS: &str = "id, number, customer_id, closed, head,
    coalesce((SELECT i.head FROM import i WHERE i.job_id = job.id), 0) AS imported,
    coalesce((SELECT max(f.seq) FROM entry f WHERE f.pack_id IN
      (SELECT (p.body ->> 'pack')::uuid FROM entry p
       WHERE p.job_id = job.id AND p.body ->> 'kind' = 'pack')), 0) AS pack_head";

/// An entry to be stored.
#[derive(Debug, Clone, PartialEq)]
pub struct NewEntry {
    /// Made by the client.
    pub id: Uuid,
    /// By the person's clock.
    pub at: OffsetDateTime,
    /// Who.
    pub by: String,
    /// Content.
    pub body: Body,
    /// Pack the entry rests on.
    pub pack: Option<Uuid>,
}

#[derive(sqlx::FromRow)]
struct EntryRow {
    seq: i64,
    id: Uuid,
    at: OffsetDateTime,
    by_name: String,
    body: Json<serde_json::Value>,
}

impl EntryRow {
    fn logged(self) -> Result<Logged, StoreError> {
        let body =
            serde_json::from_value(self.body.0).map_err(|_| StoreError::Unreadable(self.seq))?;
        Ok(Logged {
            id: self.id,
            seq: self.seq,
            at: self.at,
            by: self.by_name,
            body,
        })
    }
}

/// A pack's finding in another job: pack id and entry.
#[derive(sqlx::FromRow)]
struct PackEntryRow {
    pack_id: Uuid,
    #[sqlx(flatten)]
    entry: EntryRow,
}

impl Store {
    /// Make sure a job exists; the same id again is the same job.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn open_job(&self, id: Uuid) -> Result<JobRow, StoreError> {
        sqlx::query("INSERT INTO job (id) VALUES ($1) ON CONFLICT (id) DO NOTHING")
            .bind(id)
            .execute(&self.pool)
            .await?;
        self.job(id).await
    }

    /// A job's row.
    ///
    /// # Errors
    /// There is no such job.
    pub async fn job(&self, id: Uuid) -> Result<JobRow, StoreError> {
        sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "SELECT {JOB_COLUMNS} FROM job WHERE id = $1"
        )))
        .bind(id)
        .fetch_optional(&self.pool)
        .await?
        .ok_or(StoreError::NotFound("job"))
    }

    /// Open jobs in the order they were opened. Jobs without any entry are left out.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn jobs(&self) -> Result<Vec<JobRow>, StoreError> {
        Ok(sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "SELECT {JOB_COLUMNS} FROM job WHERE head > 0 AND NOT closed ORDER BY number"
        )))
        .fetch_all(&self.pool)
        .await?)
    }

    /// A job's log.
    ///
    /// # Errors
    /// An entry that does not read.
    pub async fn entries(&self, job: Uuid) -> Result<Vec<Logged>, StoreError> {
        let rows: Vec<EntryRow> = sqlx::query_as(
            "SELECT seq, id, at, by_name, body FROM entry WHERE job_id = $1 ORDER BY seq",
        )
        .bind(job)
        .fetch_all(&self.pool)
        .await?;
        rows.into_iter().map(EntryRow::logged).collect()
    }

    /// What the given packs bring along from jobs other than this one, in order.
    ///
    /// # Errors
    /// An entry that does not read.
    pub async fn brought(
        &self,
        job: Uuid,
        packs: &[Uuid],
    ) -> Result<Vec<(Uuid, Logged)>, StoreError> {
        if packs.is_empty() {
            return Ok(Vec::new());
        }
        let rows: Vec<PackEntryRow> = sqlx::query_as(
            "SELECT pack_id, seq, id, at, by_name, body FROM entry
             WHERE pack_id = ANY($1) AND job_id <> $2
               AND NOT EXISTS (SELECT 1 FROM entry v WHERE v.job_id = entry.job_id
                               AND v.body ->> 'kind' = 'void' AND v.body ->> 'entry' = entry.id::text)
             ORDER BY seq",
        )
        .bind(packs)
        .bind(job)
        .fetch_all(&self.pool)
        .await?;
        rows.into_iter()
            .map(|r| Ok((r.pack_id, r.entry.logged()?)))
            .collect()
    }

    /// Append entries, and write the job's card as it is after them. Entries whose id stands in the log
    /// already are left as they are. `seen` is the head the caller's checks were made against. Whoever
    /// listens ([`Store::watch`]) is told.
    ///
    /// # Errors
    /// [`StoreError::Moved`] when the head is another and something new is to be stored,
    /// [`StoreError::ForeignEntry`] when an id belongs to another job.
    pub async fn append(
        &self,
        job: Uuid,
        seen: i64,
        entries: &[NewEntry],
        card: &Card,
    ) -> Result<i64, StoreError> {
        let mut tx = self.pool.begin().await?;
        let head: i64 = sqlx::query_scalar("SELECT head FROM job WHERE id = $1 FOR UPDATE")
            .bind(job)
            .fetch_optional(&mut *tx)
            .await?
            .ok_or(StoreError::NotFound("job"))?;
        let mut newest = head;
        for e in entries {
            let known: Option<Uuid> = sqlx::query_scalar("SELECT job_id FROM entry WHERE id = $1")
                .bind(e.id)
                .fetch_optional(&mut *tx)
                .await?;
            match known {
                Some(of) if of == job => continue,
                Some(_) => return Err(StoreError::ForeignEntry),
                None => {}
            }
            if head != seen {
                return Err(StoreError::Moved);
            }
            newest = sqlx::query_scalar(
                "INSERT INTO entry (id, job_id, at, by_name, body, pack_id) VALUES ($1, $2, $3, $4, $5, $6)
                 RETURNING seq",
            )
            .bind(e.id)
            .bind(job)
            .bind(e.at)
            .bind(&e.by)
            .bind(Json(&e.body))
            .bind(e.pack)
            .fetch_one(&mut *tx)
            .await?;
            match &e.body {
                Body::Close { .. } => {
                    sqlx::query("UPDATE job SET closed = true WHERE id = $1")
                        .bind(job)
                        .execute(&mut *tx)
                        .await?;
                }
                Body::Customer { customer } => {
                    sqlx::query("UPDATE job SET customer_id = (SELECT id FROM customer WHERE id = $2) WHERE id = $1")
                        .bind(job)
                        .bind(customer)
                        .execute(&mut *tx)
                        .await?;
                }
                _ => {}
            }
        }
        if newest != head {
            sqlx::query("UPDATE job SET head = $2 WHERE id = $1")
                .bind(job)
                .bind(newest)
                .execute(&mut *tx)
                .await?;
            card::write(&mut tx, job, card).await?;
            sqlx::query("SELECT pg_notify('spannung_job', $1)")
                .bind(format!("{job} {newest}"))
                .execute(&mut *tx)
                .await?;
        }
        tx.commit().await?;
        Ok(newest)
    }

    /// The pack with this sticker, made if new.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn pack_by_sticker(&self, sticker: &str) -> Result<(Uuid, String), StoreError> {
        sqlx::query("INSERT INTO pack (id, sticker) VALUES ($1, $2) ON CONFLICT (lower(sticker)) DO NOTHING")
            .bind(Uuid::new_v4())
            .bind(sticker)
            .execute(&self.pool)
            .await
            .map_err(|e| unique(e, sticker))?;
        Ok(
            sqlx::query_as("SELECT id, sticker FROM pack WHERE lower(sticker) = lower($1)")
                .bind(sticker)
                .fetch_one(&self.pool)
                .await?,
        )
    }

    /// What a pack has been through: job number and entry, newest first.
    ///
    /// # Errors
    /// An entry that does not read.
    pub async fn pack_history(&self, pack: Uuid) -> Result<Vec<(i32, Logged)>, StoreError> {
        let rows: Vec<(i32, i64, Uuid, OffsetDateTime, String, Json<serde_json::Value>)> = sqlx::query_as(
            "SELECT j.number, e.seq, e.id, e.at, e.by_name, e.body FROM entry e JOIN job j ON j.id = e.job_id
             WHERE e.pack_id = $1 ORDER BY e.seq DESC LIMIT 60",
        )
        .bind(pack)
        .fetch_all(&self.pool)
        .await?;
        rows.into_iter()
            .map(|(number, seq, id, at, by_name, body)| {
                let row = EntryRow {
                    seq,
                    id,
                    at,
                    by_name,
                    body,
                };
                Ok((number, row.logged()?))
            })
            .collect()
    }
}
