//! Packs by the shop's sticker, and what happened on them.

use crate::job::EntryRow;
use crate::{Store, StoreError, unique};
use spannung_core::job::Logged;
use spannung_core::job::danger::{Happened, OnPack};
use sqlx::types::Json;
use time::OffsetDateTime;
use uuid::Uuid;

/// What happened on a pack, as it is stored.
#[derive(sqlx::FromRow)]
struct HappenedRow {
    pack_id: Uuid,
    seq: i64,
    id: Uuid,
    at: OffsetDateTime,
    by_name: String,
    /// `danger`, `quarantine` or `clearance`.
    what: String,
    body: Json<serde_json::Value>,
}

impl HappenedRow {
    fn on_pack(self) -> Result<OnPack, StoreError> {
        let what = match self.what.as_str() {
            "danger" => Happened::Found(
                serde_json::from_value(self.body.0)
                    .map_err(|e| sqlx::Error::Decode(Box::new(e)))?,
            ),
            "quarantine" => {
                let step = self.body.0.get("step").and_then(serde_json::Value::as_str);
                Happened::Quarantined(step.unwrap_or_default().into())
            }
            _ => Happened::Cleared,
        };
        Ok(OnPack {
            pack: self.pack_id,
            seq: self.seq,
            entry: self.id,
            at: self.at,
            by: self.by_name,
            what,
        })
    }
}

/// The jobs a pack has been in, but for one.
#[derive(Debug, Clone, PartialEq, sqlx::FromRow)]
pub struct PackPast {
    /// How many.
    pub jobs: i64,
    /// Number of the last one.
    pub number: i32,
    /// Its vehicle.
    pub vehicle: String,
    /// When it was opened.
    pub opened_at: Option<OffsetDateTime>,
    /// Dangers ever found on the pack.
    pub dangers: i64,
}

impl Store {
    /// What happened on the given packs: in other jobs, and the dangers kept of this one; in order.
    ///
    /// # Errors
    /// A record that does not read.
    pub async fn brought(&self, job: Uuid, packs: &[Uuid]) -> Result<Vec<OnPack>, StoreError> {
        if packs.is_empty() {
            return Ok(Vec::new());
        }
        let rows: Vec<HappenedRow> = sqlx::query_as(
            "SELECT d.pack_id, d.seq, d.entry_id AS id, e.at, e.by_name, 'danger' AS what, d.body
             FROM danger d JOIN entry e ON e.id = d.entry_id WHERE d.pack_id = ANY ($1)
             UNION ALL
             SELECT pack_id, seq, id, at, by_name, body ->> 'kind', body FROM entry
             WHERE pack_id = ANY ($1) AND job_id <> $2 AND body ->> 'kind' IN ('quarantine', 'clearance')
               AND seq > coalesce((SELECT i.head FROM import i WHERE i.job_id = entry.job_id), 0)
             ORDER BY 2",
        )
        .bind(packs)
        .bind(job)
        .fetch_all(&self.pool)
        .await?;
        rows.into_iter().map(HappenedRow::on_pack).collect()
    }

    /// Sequence of the newest thing that happened on any of these packs; 0 for none.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn packs_head(&self, packs: &[Uuid]) -> Result<i64, StoreError> {
        Ok(
            sqlx::query_scalar("SELECT coalesce(max(head), 0) FROM pack WHERE id = ANY ($1)")
                .bind(packs)
                .fetch_one(&self.pool)
                .await?,
        )
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

    /// The jobs a pack has been in besides one; none when it has been in no other.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn pack_past(
        &self,
        pack: Uuid,
        besides: Option<Uuid>,
    ) -> Result<Option<PackPast>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT count(*) OVER () AS jobs, j.number, coalesce(c.vehicle, '') AS vehicle, c.opened_at,
               (SELECT count(*) FROM danger d WHERE d.pack_id = $1) AS dangers
             FROM job_pack p JOIN job j ON j.id = p.job_id LEFT JOIN job_card c ON c.job_id = j.id
             WHERE p.pack_id = $1 AND j.id IS DISTINCT FROM $2
             ORDER BY j.number DESC LIMIT 1",
        )
        .bind(pack)
        .bind(besides)
        .fetch_optional(&self.pool)
        .await?)
    }

    /// What a pack has been through: job number and entry, newest first. What does not read is left out.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn pack_history(&self, pack: Uuid) -> Result<Vec<(i32, Logged)>, StoreError> {
        #[derive(sqlx::FromRow)]
        struct Row {
            number: i32,
            #[sqlx(flatten)]
            entry: EntryRow,
        }
        let rows: Vec<Row> = sqlx::query_as(
            "SELECT j.number, e.seq, e.id, e.at, e.by_name, e.by_id, e.body FROM entry e
             JOIN job j ON j.id = e.job_id WHERE e.pack_id = $1
             UNION
             SELECT j.number, e.seq, e.id, e.at, e.by_name, e.by_id, e.body FROM danger d
             JOIN entry e ON e.id = d.entry_id JOIN job j ON j.id = e.job_id WHERE d.pack_id = $1
             ORDER BY seq DESC LIMIT 60",
        )
        .bind(pack)
        .fetch_all(&self.pool)
        .await?;
        let read = rows
            .into_iter()
            .filter_map(|r| Some((r.number, r.entry.logged().ok()?)));
        Ok(read.collect())
    }
}
