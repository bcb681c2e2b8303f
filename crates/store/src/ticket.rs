//! Tickets of the rack as they were last worked out, by job and role.

use crate::{Store, StoreError};
use sqlx::types::Json;
use time::OffsetDateTime;
use uuid::Uuid;

/// An open job with the newest ticket there is of it.
#[derive(Debug, Clone, PartialEq, sqlx::FromRow)]
pub struct OnRack {
    /// Job.
    pub id: Uuid,
    /// Number.
    pub number: i32,
    /// Sequence of its newest entry.
    pub head: i64,
    /// Sequence of the newest thing that happened on its packs.
    pub pack_head: i64,
    /// What its ticket was worked out from; none when there is no ticket.
    pub made_of: Option<String>,
    /// The ticket.
    pub ticket: Option<Json<serde_json::Value>>,
    /// Vehicle, as its card has it.
    pub vehicle: String,
    /// Customer's words, as its card has them.
    pub words: String,
    /// Opened.
    pub opened_at: Option<OffsetDateTime>,
    /// Promised for.
    pub promised: Option<OffsetDateTime>,
}

/// What a ticket of these was worked out from: it holds while all of it is the same.
pub fn made_of(head: i64, pack_head: i64, basis: &str) -> String {
    format!("{head} {pack_head} {basis}")
}

impl Store {
    /// The rack in one go: open jobs in the order they were opened, each with its ticket for a role or, where
    /// there is none, for any other.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn on_rack(&self, role: &str) -> Result<Vec<OnRack>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT j.id, j.number, j.head,
               coalesce((SELECT max(p.head) FROM job_pack jp JOIN pack p ON p.id = jp.pack_id
                         WHERE jp.job_id = j.id), 0) AS pack_head,
               CASE WHEN t.role = $1 THEN t.head || ' ' || t.pack_head || ' ' || t.basis END AS made_of,
               t.body AS ticket, coalesce(c.vehicle, '') AS vehicle, coalesce(c.words, '') AS words,
               c.opened_at, c.promised
             FROM job j LEFT JOIN job_card c ON c.job_id = j.id LEFT JOIN LATERAL (
               SELECT role, head, pack_head, basis, body FROM job_ticket t WHERE t.job_id = j.id
               ORDER BY (t.role = $1) DESC, t.head DESC LIMIT 1) t ON true
             WHERE j.head > 0 AND NOT j.closed ORDER BY j.number",
        )
        .bind(role)
        .fetch_all(&self.pool)
        .await?)
    }

    /// Keep a ticket. One that was worked out from something older does not take a newer one's place.
    ///
    /// # Errors
    /// There is no such job.
    pub async fn put_ticket(
        &self,
        job: Uuid,
        role: &str,
        head: i64,
        pack_head: i64,
        basis: &str,
        body: &serde_json::Value,
    ) -> Result<(), StoreError> {
        sqlx::query(
            "INSERT INTO job_ticket (job_id, role, head, pack_head, basis, body)
             VALUES ($1, $2, $3, $4, $5, $6)
             ON CONFLICT (job_id, role) DO UPDATE SET head = excluded.head, pack_head = excluded.pack_head,
               basis = excluded.basis, body = excluded.body WHERE job_ticket.head <= excluded.head",
        )
        .bind(job)
        .bind(role)
        .bind(head)
        .bind(pack_head)
        .bind(basis)
        .bind(Json(body))
        .execute(&self.pool)
        .await?;
        Ok(())
    }
}
