//! Job cards: what a job is found by and hung up with. They follow from the log and are written with
//! every append; none of them is the truth.

use crate::{Store, StoreError};
use serde::Serialize;
use sqlx::types::Json;
use time::OffsetDateTime;
use uuid::Uuid;

/// A job's card.
#[derive(Debug, Clone, Default, PartialEq, Serialize, sqlx::FromRow)]
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
    #[serde(with = "time::serde::rfc3339::option")]
    pub opened_at: Option<OffsetDateTime>,
    /// Closed.
    #[serde(with = "time::serde::rfc3339::option")]
    pub closed_at: Option<OffsetDateTime>,
    /// Promised for.
    #[serde(with = "time::serde::rfc3339::option")]
    pub promised: Option<OffsetDateTime>,
    /// The wait ends.
    #[serde(with = "time::serde::rfc3339::option")]
    pub waits_until: Option<OffsetDateTime>,
    /// Comes back by.
    #[serde(with = "time::serde::rfc3339::option")]
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

/// Jobs that count as the newest.
const NEWEST: i32 = 1000;
/// Most words that a search goes by.
const MOST_WORDS: usize = 8;

/// A word as a piece of a text, whatever is in it.
fn like(word: &str) -> String {
    let word = word.to_lowercase().replace('\\', "\\\\");
    format!("%{}%", word.replace('%', "\\%").replace('_', "\\_"))
}

impl Store {
    /// Jobs, open or closed ones or both, that hold all the given words in number, vehicle, frame number,
    /// complaint or customer; newest first, at most `most`.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn find_jobs(
        &self,
        words: &str,
        closed: Option<bool>,
        most: i64,
    ) -> Result<Vec<Found>, StoreError> {
        let mut words: Vec<String> = words.split_whitespace().map(like).collect();
        words.truncate(MOST_WORDS);
        // words that many jobs hold are found among the newest, without gathering all of them first; open
        // ones are few
        if closed != Some(false) {
            let newest = self.find_among(&words, closed, most, true).await?;
            if newest.len() as i64 >= most {
                return Ok(newest);
            }
        }
        self.find_among(&words, closed, most, false).await
    }

    /// As [`Self::find_jobs`], among the newest jobs or, by the indexes, among all.
    async fn find_among(
        &self,
        words: &[String],
        closed: Option<bool>,
        most: i64,
        newest: bool,
    ) -> Result<Vec<Found>, StoreError> {
        // a long word is looked up by its index on the card and on the customer's name; one of a letter or
        // two has none, and only sifts what the others have found
        let condition = |k: usize, word: &String| {
            if !newest && word.chars().count() >= 5 {
                format!(
                    "j.id IN (SELECT job_id FROM job_card WHERE find LIKE ${k} UNION
                       SELECT o.id FROM job o JOIN customer w ON w.id = o.customer_id
                       WHERE lower(w.name) LIKE ${k})"
                )
            } else {
                format!("(c.find LIKE ${k} OR lower(u.name) LIKE ${k})")
            }
        };
        let mut among: String = words
            .iter()
            .enumerate()
            .map(|(n, word)| format!(" AND {}", condition(n + 3, word)))
            .collect();
        if newest {
            among.push_str(&format!(
                " AND j.number > (SELECT max(number) FROM job) - {NEWEST}"
            ));
        }
        let text = format!(
            "SELECT {COLUMNS} FROM {TABLES}
             WHERE ($2::boolean IS NULL OR j.closed = $2){among} ORDER BY j.number DESC LIMIT $1"
        );
        let mut query = sqlx::query_as(sqlx::AssertSqlSafe(text))
            .bind(most)
            .bind(closed);
        for word in words {
            query = query.bind(word);
        }
        Ok(query.fetch_all(&self.pool).await?)
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
        // two look-ups with an index each, instead of one condition that no index serves
        Ok(sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "SELECT {COLUMNS} FROM {TABLES} WHERE j.id IN (
               SELECT job_id FROM job_card
                 WHERE $3 <> '' AND frame_number <> '' AND lower(frame_number) = lower($3)
               UNION
               SELECT job_id FROM job_card
                 WHERE $2 <> '' AND vehicle <> '' AND lower(vehicle) = lower($2)
                   AND (frame_number = '' OR $3 = ''))
               AND j.id <> $1
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
        let done = sqlx::query("SELECT write_card(id, number, $2) FROM job WHERE id = $1")
            .bind(job)
            .bind(Json(card))
            .execute(&self.pool)
            .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::NotFound("job"));
        }
        Ok(())
    }
}
