//! Jobs and their logs.

use crate::card::Card;
use crate::{Store, StoreError};
use spannung_core::job::danger::Stop;
use spannung_core::job::{Body, Logged, chain};
use sqlx::types::Json;
use time::OffsetDateTime;
use time::format_description::well_known::Rfc3339;
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
    coalesce((SELECT max(p.head) FROM job_pack jp JOIN pack p ON p.id = jp.pack_id
      WHERE jp.job_id = job.id), 0) AS pack_head";

/// An entry to be stored.
#[derive(Debug, Clone, PartialEq)]
pub struct NewEntry {
    /// Made by the client.
    pub id: Uuid,
    /// By the person's clock.
    pub at: OffsetDateTime,
    /// Who, by name.
    pub by: String,
    /// Who, by id; none for what came in from elsewhere.
    pub by_id: Option<Uuid>,
    /// Content.
    pub body: Body,
    /// Pack the entry rests on.
    pub pack: Option<Uuid>,
}

/// A danger to be kept with a pack.
#[derive(Debug, Clone, PartialEq)]
pub struct NewDanger {
    /// Pack.
    pub pack: Uuid,
    /// Entry with which it came to rest there.
    pub since: Uuid,
    /// The danger.
    pub stop: Stop,
}

/// What is written to a job in one go.
#[derive(Debug, Clone, Copy)]
pub struct Append<'a> {
    /// Job.
    pub job: Uuid,
    /// Head that the caller's checks were made against.
    pub seen: i64,
    /// [`JobRow::pack_head`] they were made against, where they rest on how the packs stand.
    pub pack_seen: Option<i64>,
    /// Entries in order.
    pub entries: &'a [NewEntry],
    /// Dangers they raise.
    pub dangers: &'a [NewDanger],
    /// The job's card after them.
    pub card: &'a Card,
}

/// An entry as its hash speaks of it: without the sequence, which is another in every shop.
fn sealed(e: &NewEntry) -> serde_json::Value {
    serde_json::Value::String(chain::text(&Logged {
        id: e.id,
        seq: 0,
        at: e.at,
        by: e.by.clone(),
        by_id: None,
        body: e.body.clone(),
    }))
}

pub(crate) fn as_json(entries: &[NewEntry]) -> Result<Json<serde_json::Value>, StoreError> {
    let all: Result<Vec<serde_json::Value>, _> = entries
        .iter()
        .map(|e| {
            let at = e.at.format(&Rfc3339).unwrap_or_default();
            let body = serde_json::to_value(&e.body)?;
            Ok(serde_json::json!({
                "id": e.id, "at": at, "by": e.by, "by_id": e.by_id, "body": body, "pack": e.pack,
                "sealed": sealed(e),
            }))
        })
        .collect();
    let all = all.map_err(|e: serde_json::Error| sqlx::Error::Encode(Box::new(e)))?;
    Ok(Json(serde_json::Value::Array(all)))
}

pub(crate) fn dangers_as_json(
    dangers: &[NewDanger],
) -> Result<Json<serde_json::Value>, StoreError> {
    let all: Result<Vec<serde_json::Value>, _> = dangers
        .iter()
        .map(|d| {
            let body = serde_json::to_value(&d.stop)?;
            Ok(serde_json::json!({"pack": d.pack, "since": d.since, "entry": d.stop.entry, "body": body}))
        })
        .collect();
    let all = all.map_err(|e: serde_json::Error| sqlx::Error::Encode(Box::new(e)))?;
    Ok(Json(serde_json::Value::Array(all)))
}

#[derive(sqlx::FromRow)]
pub(crate) struct EntryRow {
    seq: i64,
    id: Uuid,
    at: OffsetDateTime,
    by_name: String,
    by_id: Option<Uuid>,
    body: Json<serde_json::Value>,
}

/// An entry that this program does not read: written by another version of it.
#[derive(Debug, Clone, PartialEq)]
pub struct Unread {
    /// Sequence.
    pub seq: i64,
    /// Id.
    pub id: Uuid,
    /// When.
    pub at: OffsetDateTime,
    /// Who.
    pub by: String,
    /// Content as it is stored.
    pub body: serde_json::Value,
    /// Why it does not read.
    pub why: String,
}

/// A job's log: what reads, and what does not.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Log {
    /// Entries in order.
    pub entries: Vec<Logged>,
    /// Those that do not read.
    pub unread: Vec<Unread>,
}

impl EntryRow {
    pub(crate) fn logged(self) -> Result<Logged, Box<Unread>> {
        match serde_json::from_value(self.body.0.clone()) {
            Ok(body) => Ok(Logged {
                id: self.id,
                seq: self.seq,
                at: self.at,
                by: self.by_name,
                by_id: self.by_id,
                body,
            }),
            Err(why) => Err(Box::new(Unread {
                seq: self.seq,
                id: self.id,
                at: self.at,
                by: self.by_name,
                body: self.body.0,
                why: why.to_string(),
            })),
        }
    }
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

    /// A job's log.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn entries(&self, job: Uuid) -> Result<Log, StoreError> {
        self.entries_between(job, 0, i64::MAX).await
    }

    /// What a job's log holds after one sequence up to another, such as the head that was read with the job: what was written
    /// since belongs to the next look.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn entries_between(
        &self,
        job: Uuid,
        after: i64,
        until: i64,
    ) -> Result<Log, StoreError> {
        let rows: Vec<EntryRow> = sqlx::query_as(
            "SELECT seq, id, at, by_name, by_id, body FROM entry
             WHERE job_id = $1 AND seq > $2 AND seq <= $3 ORDER BY seq",
        )
        .bind(job)
        .bind(after)
        .bind(until)
        .fetch_all(&self.pool)
        .await?;
        let mut log = Log::default();
        for row in rows {
            match row.logged() {
                Ok(e) => log.entries.push(e),
                Err(unread) => log.unread.push(*unread),
            }
        }
        Ok(log)
    }

    /// Append entries with the dangers they raise, and write the job's card as it is after them. Entries
    /// whose id stands in this job's log already are left as they are. Whoever listens ([`Store::watch`])
    /// is told. Gives the head.
    ///
    /// # Errors
    /// [`StoreError::Moved`] when the head or, where it is said, the packs' head is another and something
    /// new is to be stored, [`StoreError::ForeignEntry`] when an id belongs to another job,
    /// [`StoreError::Rejected`] for what cannot be stored, such as a pack that is not known.
    pub async fn append(&self, what: &Append<'_>) -> Result<i64, StoreError> {
        Ok(
            sqlx::query_scalar("SELECT append_entries($1, $2, $3, $4, $5, $6)")
                .bind(what.job)
                .bind(what.seen)
                .bind(what.pack_seen)
                .bind(as_json(what.entries)?)
                .bind(dangers_as_json(what.dangers)?)
                .bind(Json(what.card))
                .fetch_one(&self.pool)
                .await?,
        )
    }

    /// All jobs that have entries, open and closed.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn all_jobs(&self) -> Result<Vec<Uuid>, StoreError> {
        Ok(
            sqlx::query_scalar("SELECT id FROM job WHERE head > 0 ORDER BY number")
                .fetch_all(&self.pool)
                .await?,
        )
    }

    /// Give entries from before there was a chain their hashes; those that have one keep it.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn seal(&self, job: Uuid, hashes: &[(Uuid, Vec<u8>)]) -> Result<(), StoreError> {
        let (ids, hashes): (Vec<Uuid>, Vec<Vec<u8>>) = hashes.iter().cloned().unzip();
        sqlx::query(
            "UPDATE entry e SET chain = h.hash FROM unnest($2::uuid[], $3::bytea[]) h (id, hash)
             WHERE e.id = h.id AND e.job_id = $1 AND e.chain IS NULL",
        )
        .bind(job)
        .bind(ids)
        .bind(hashes)
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Keep dangers that were found before they were kept with their packs.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn keep_dangers(&self, job: Uuid, dangers: &[NewDanger]) -> Result<(), StoreError> {
        let mut tx = self.pool.begin().await?;
        sqlx::query(
            "INSERT INTO danger (pack_id, entry_id, job_id, seq, body)
             SELECT (d ->> 'pack')::uuid, (d ->> 'entry')::uuid, $1, s.seq, d -> 'body'
             FROM jsonb_array_elements($2) d JOIN entry s ON s.id = (d ->> 'since')::uuid
             ON CONFLICT DO NOTHING",
        )
        .bind(job)
        .bind(dangers_as_json(dangers)?)
        .execute(&mut *tx)
        .await?;
        sqlx::query(
            "UPDATE pack p SET head = greatest(p.head, d.seq)
             FROM (SELECT pack_id, max(seq) AS seq FROM danger WHERE job_id = $1 GROUP BY 1) d
             WHERE d.pack_id = p.id",
        )
        .bind(job)
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        Ok(())
    }

    /// Hashes of a job's chain in the order of its entries; none where an entry has none yet.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn chain(&self, job: Uuid) -> Result<Vec<Option<Vec<u8>>>, StoreError> {
        Ok(
            sqlx::query_scalar("SELECT chain FROM entry WHERE job_id = $1 ORDER BY seq")
                .bind(job)
                .fetch_all(&self.pool)
                .await?,
        )
    }
}
