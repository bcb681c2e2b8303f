//! Job cards: what a job is found by and hung up with. They follow from the log and are written with
//! every append; none of them is the truth.

use crate::{Store, StoreError};
use time::OffsetDateTime;
use uuid::Uuid;

/// A job's card.
#[derive(Debug, Clone, Default, PartialEq, sqlx::FromRow)]
pub struct Card {
    /// Vehicle's name.
    pub vehicle: String,
    /// Frame number.
    pub frame_number: String,
    /// Customer's words.
    pub words: String,
    /// Outcome, empty while open.
    pub outcome: String,
    /// What was mended, in words.
    pub mended: String,
    /// Opened.
    pub opened_at: Option<OffsetDateTime>,
    /// Closed.
    pub closed_at: Option<OffsetDateTime>,
    /// Promised for.
    pub promised: Option<OffsetDateTime>,
    /// The wait ends.
    pub waits_until: Option<OffsetDateTime>,
    /// Comes back by.
    pub recheck_by: Option<OffsetDateTime>,
    /// What is looked at then.
    pub recheck_what: String,
    /// Job it comes back from.
    pub from_job: Option<Uuid>,
}

/// A card with its job.
#[derive(Debug, Clone, PartialEq, sqlx::FromRow)]
pub struct Found {
    /// Job.
    pub id: Uuid,
    /// Number.
    pub number: i32,
    /// Customer's name, where there is a card of the customer.
    pub customer: Option<String>,
    /// The card.
    #[sqlx(flatten)]
    pub card: Card,
}

const COLUMNS: &str = "j.id, j.number, u.name AS customer, c.vehicle, c.frame_number, c.words, c.outcome,
    c.mended, c.opened_at, c.closed_at, c.promised, c.waits_until, c.recheck_by, c.recheck_what, c.from_job";
const TABLES: &str =
    "job j JOIN job_card c ON c.job_id = j.id LEFT JOIN customer u ON u.id = j.customer_id";

impl Store {
    /// Jobs, closed ones too, that hold all the given words in number, vehicle, frame number,
    /// complaint or customer; newest first, at most `most`.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn find_jobs(&self, words: &str, most: i64) -> Result<Vec<Found>, StoreError> {
        let words: Vec<String> = words.split_whitespace().map(str::to_lowercase).collect();
        let text =
            "lower(lpad(j.number::text, 4, '0') || ' ' || c.vehicle || ' ' || c.frame_number || ' '
            || c.words || ' ' || coalesce(u.name, ''))";
        Ok(sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "SELECT {COLUMNS} FROM {TABLES}
             WHERE NOT EXISTS (SELECT 1 FROM unnest($1::text[]) w WHERE position(w in {text}) = 0)
             ORDER BY j.number DESC LIMIT $2"
        )))
        .bind(words)
        .bind(most)
        .fetch_all(&self.pool)
        .await?)
    }

    /// A job with its card.
    ///
    /// # Errors
    /// There is no such job.
    pub async fn found(&self, job: Uuid) -> Result<Found, StoreError> {
        sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "SELECT {COLUMNS} FROM {TABLES} WHERE j.id = $1"
        )))
        .bind(job)
        .fetch_optional(&self.pool)
        .await?
        .ok_or(StoreError::NotFound("job"))
    }

    /// Jobs of the same vehicle: by frame number where there is one, otherwise by name; newest first,
    /// this job left out.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn same_vehicle(
        &self,
        job: Uuid,
        vehicle: &str,
        frame_number: &str,
    ) -> Result<Vec<Found>, StoreError> {
        Ok(sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "SELECT {COLUMNS} FROM {TABLES}
             WHERE j.id <> $1 AND CASE WHEN $3 <> '' AND c.frame_number <> ''
               THEN lower(c.frame_number) = lower($3)
               ELSE $2 <> '' AND lower(c.vehicle) = lower($2) AND (c.frame_number = '' OR $3 = '') END
             ORDER BY j.number DESC LIMIT 20"
        )))
        .bind(job)
        .bind(vehicle.trim())
        .bind(frame_number.trim())
        .fetch_all(&self.pool)
        .await?)
    }

    /// Closed jobs whose vehicle is to come back and has not, in the order they are due.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn rechecks(&self) -> Result<Vec<Found>, StoreError> {
        Ok(sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "SELECT {COLUMNS} FROM {TABLES}
             WHERE c.recheck_by IS NOT NULL
               AND NOT EXISTS (SELECT 1 FROM job_card later WHERE later.from_job = j.id)
             ORDER BY c.recheck_by, j.number LIMIT 200"
        )))
        .fetch_all(&self.pool)
        .await?)
    }

    /// Open jobs with a promise or a wait that ends, and re-checks to come.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn dated(&self) -> Result<Vec<Found>, StoreError> {
        Ok(sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "SELECT {COLUMNS} FROM {TABLES}
             WHERE NOT j.closed AND (c.promised IS NOT NULL OR c.waits_until IS NOT NULL)
             ORDER BY j.number LIMIT 2000"
        )))
        .fetch_all(&self.pool)
        .await?)
    }

    /// Cards of open jobs that have none yet, or of all jobs: to be made anew from their logs.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn without_card(&self) -> Result<Vec<Uuid>, StoreError> {
        Ok(sqlx::query_scalar(
            "SELECT id FROM job WHERE head > 0 AND NOT EXISTS (SELECT 1 FROM job_card c WHERE c.job_id = job.id)
             ORDER BY number",
        )
        .fetch_all(&self.pool)
        .await?)
    }

    /// Write a job's card.
    ///
    /// # Errors
    /// There is no such job.
    pub async fn put_card(&self, job: Uuid, card: &Card) -> Result<(), StoreError> {
        let mut tx = self.pool.begin().await?;
        write(&mut tx, job, card).await?;
        tx.commit().await?;
        Ok(())
    }
}

/// Write a card within a transaction.
pub(crate) async fn write(
    tx: &mut sqlx::PgTransaction<'_>,
    job: Uuid,
    card: &Card,
) -> Result<(), StoreError> {
    sqlx::query(
        "INSERT INTO job_card (job_id, vehicle, frame_number, words, outcome, mended, opened_at, closed_at,
           promised, waits_until, recheck_by, recheck_what, from_job)
         VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13)
         ON CONFLICT (job_id) DO UPDATE SET vehicle = excluded.vehicle, frame_number = excluded.frame_number,
           words = excluded.words, outcome = excluded.outcome, mended = excluded.mended,
           opened_at = excluded.opened_at, closed_at = excluded.closed_at, promised = excluded.promised,
           waits_until = excluded.waits_until, recheck_by = excluded.recheck_by,
           recheck_what = excluded.recheck_what, from_job = excluded.from_job",
    )
    .bind(job)
    .bind(&card.vehicle)
    .bind(&card.frame_number)
    .bind(&card.words)
    .bind(&card.outcome)
    .bind(&card.mended)
    .bind(card.opened_at)
    .bind(card.closed_at)
    .bind(card.promised)
    .bind(card.waits_until)
    .bind(card.recheck_by)
    .bind(&card.recheck_what)
    .bind(card.from_job)
    .execute(&mut **tx)
    .await?;
    Ok(())
}
