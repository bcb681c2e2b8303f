//! Settings of the shop as text by key.

use crate::{Store, StoreError};

impl Store {
    /// A setting.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn setting(&self, key: &str) -> Result<Option<String>, StoreError> {
        Ok(
            sqlx::query_scalar("SELECT value FROM setting WHERE key = $1")
                .bind(key)
                .fetch_optional(&self.pool)
                .await?,
        )
    }

    /// Set a setting.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn set_setting(&self, key: &str, value: &str) -> Result<(), StoreError> {
        sqlx::query(
            "INSERT INTO setting (key, value) VALUES ($1, $2)
             ON CONFLICT (key) DO UPDATE SET value = excluded.value",
        )
        .bind(key)
        .bind(value)
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Empty the whole database: for demonstration data that was not loaded to its end, and nothing else.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn empty(&self) -> Result<(), StoreError> {
        sqlx::query(
            "TRUNCATE entry, danger, job_pack, photo, sheet, kept_build, job_card, job_ticket, import, job, pack, customer, customer_before, session,
               sheet_before, audit, attempt, invitation, calendar_link, shop_setting, setting, person RESTART IDENTITY",
        )
        .execute(&self.pool)
        .await?;
        Ok(())
    }
}
