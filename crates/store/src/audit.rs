//! The audit log: who did what beside the jobs. Append-only.

use crate::people::Person;
use crate::{Store, StoreError};
use time::OffsetDateTime;
use uuid::Uuid;

/// A line of the audit log.
#[derive(Debug, Clone, PartialEq, Eq, sqlx::FromRow)]
pub struct AuditRow {
    /// Order.
    pub seq: i64,
    /// When.
    pub at: OffsetDateTime,
    /// Who, by id; none for somebody who is not known.
    pub by_id: Option<Uuid>,
    /// Who, by name.
    pub by_name: String,
    /// Address.
    pub address: String,
    /// What was done.
    pub what: String,
    /// To what or whom.
    pub about: String,
}

/// Somebody who did something: known, or only by the name they gave.
#[derive(Debug, Clone, Copy)]
pub enum Doer<'a> {
    /// Somebody who works here.
    Person(&'a Person),
    /// A name that was given.
    Named(&'a str),
}

impl Store {
    /// Write a line.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn audit(
        &self,
        at: OffsetDateTime,
        by: Doer<'_>,
        address: &str,
        what: &str,
        about: &str,
    ) -> Result<(), StoreError> {
        let (id, name) = match by {
            Doer::Person(p) => (Some(p.id), p.name.as_str()),
            Doer::Named(name) => (None, name),
        };
        let short = |text: &str| text.replace('\0', "").chars().take(200).collect::<String>();
        sqlx::query(
            "INSERT INTO audit (at, by_id, by_name, address, what, about) VALUES ($1, $2, $3, $4, $5, $6)",
        )
        .bind(at)
        .bind(id)
        .bind(short(name))
        .bind(address)
        .bind(what)
        .bind(short(about))
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Lines before a sequence, newest first.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn audited(&self, before: i64, most: i64) -> Result<Vec<AuditRow>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT seq, at, by_id, by_name, address, what, about FROM audit
             WHERE seq < $1 ORDER BY seq DESC LIMIT $2",
        )
        .bind(before)
        .bind(most)
        .fetch_all(&self.pool)
        .await?)
    }
}
