//! Sessions, attempts to sign in, the second factor.

use crate::people::{Person, PersonRow};
use crate::{Store, StoreError};
use time::{Duration, OffsetDateTime};
use uuid::Uuid;

/// A session.
#[derive(Debug, Clone, PartialEq, Eq, sqlx::FromRow)]
pub struct SessionRow {
    /// Id, by which its person can end it.
    pub id: Uuid,
    /// Begun.
    pub began_at: OffsetDateTime,
    /// Something was last written with it.
    pub seen_at: OffsetDateTime,
    /// The password was last given.
    pub confirmed_at: OffsetDateTime,
    /// What the browser calls itself.
    pub device: String,
    /// Address it began from.
    pub address: String,
}

/// A session that begins.
#[derive(Debug, Clone, Copy)]
pub struct NewSession<'a> {
    /// Hash of its token.
    pub token_hash: &'a [u8],
    /// Whose.
    pub person: Uuid,
    /// Now.
    pub now: OffsetDateTime,
    /// How long it lasts at the most.
    pub lasts: Duration,
    /// What the browser calls itself.
    pub device: &'a str,
    /// Address.
    pub address: &'a str,
}

const COLUMNS: &str = "s.id, s.began_at, s.seen_at, s.confirmed_at, s.device, s.address";

#[derive(sqlx::FromRow)]
struct Joined {
    person_id: Uuid,
    name: String,
    role: String,
    #[sqlx(flatten)]
    session: SessionRow,
}

impl Store {
    /// Begin a session.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn begin_session(&self, new: &NewSession<'_>) -> Result<(), StoreError> {
        sqlx::query(
            "INSERT INTO session (token_hash, person_id, expires_at, began_at, seen_at, confirmed_at, device, address)
             VALUES ($1, $2, $3, $4, $4, $4, $5, $6)",
        )
        .bind(new.token_hash)
        .bind(new.person)
        .bind(new.now + new.lasts)
        .bind(new.now)
        .bind(new.device)
        .bind(new.address)
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Who has this session, if it has not run out, was not idle for too long, and the person is not
    /// disabled.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn session(
        &self,
        token_hash: &[u8],
        now: OffsetDateTime,
        idle: Duration,
    ) -> Result<Option<(Person, SessionRow)>, StoreError> {
        let row: Option<Joined> = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "SELECT p.id AS person_id, p.name, p.role, {COLUMNS}
             FROM session s JOIN person p ON p.id = s.person_id
             WHERE s.token_hash = $1 AND s.expires_at > $2 AND s.seen_at > $3 AND NOT p.disabled"
        )))
        .bind(token_hash)
        .bind(now)
        .bind(now - idle)
        .fetch_optional(&self.pool)
        .await?;
        row.map(|r| {
            let person = PersonRow {
                id: r.person_id,
                name: r.name,
                role: r.role,
            };
            Ok((person.person()?, r.session))
        })
        .transpose()
    }

    /// The session was used for something.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn touch_session(&self, id: Uuid, now: OffsetDateTime) -> Result<(), StoreError> {
        sqlx::query("UPDATE session SET seen_at = $2 WHERE id = $1")
            .bind(id)
            .bind(now)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// The password was given again.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn confirm_session(&self, id: Uuid, now: OffsetDateTime) -> Result<(), StoreError> {
        sqlx::query("UPDATE session SET seen_at = $2, confirmed_at = $2 WHERE id = $1")
            .bind(id)
            .bind(now)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// Sessions of a person that have not run out, newest first.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn sessions(
        &self,
        person: Uuid,
        now: OffsetDateTime,
        idle: Duration,
    ) -> Result<Vec<SessionRow>, StoreError> {
        Ok(sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "SELECT {COLUMNS} FROM session s
             WHERE s.person_id = $1 AND s.expires_at > $2 AND s.seen_at > $3 ORDER BY s.began_at DESC"
        )))
        .bind(person)
        .bind(now)
        .bind(now - idle)
        .fetch_all(&self.pool)
        .await?)
    }

    /// End one of a person's sessions.
    ///
    /// # Errors
    /// They have no such session.
    pub async fn end_session_of(&self, person: Uuid, id: Uuid) -> Result<(), StoreError> {
        let done = sqlx::query("DELETE FROM session WHERE person_id = $1 AND id = $2")
            .bind(person)
            .bind(id)
            .execute(&self.pool)
            .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::NotFound("session"));
        }
        Ok(())
    }

    /// End a session, and drop those that have run out.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn end_session(
        &self,
        token_hash: &[u8],
        now: OffsetDateTime,
    ) -> Result<(), StoreError> {
        sqlx::query("DELETE FROM session WHERE token_hash = $1 OR expires_at <= $2")
            .bind(token_hash)
            .bind(now)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// Count an attempt before anything is compared: how many there have been since a time, this one
    /// counted, of the account and from the address. One after the other for one account, so that a
    /// hundred at once are a hundred.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn count_attempt(
        &self,
        account: &str,
        address: &str,
        now: OffsetDateTime,
        since: OffsetDateTime,
    ) -> Result<(i64, i64), StoreError> {
        Ok(
            sqlx::query_as("SELECT of_account, of_address FROM count_attempt($1, $2, $3, $4)")
                .bind(account)
                .bind(address)
                .bind(now)
                .bind(since)
                .fetch_one(&self.pool)
                .await?,
        )
    }

    /// Forget the attempts of an account after a good one.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn forget_attempts(&self, account: &str) -> Result<(), StoreError> {
        sqlx::query("DELETE FROM attempt WHERE account = $1")
            .bind(account)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// A person's second factor: the secret in use, the one that waits for its first code, and the newest
    /// step that a code was used of.
    ///
    /// # Errors
    /// There is no such person.
    pub async fn factor(&self, person: Uuid) -> Result<Factor, StoreError> {
        sqlx::query_as(
            "SELECT factor AS used, factor_wanted AS wanted, factor_step AS step FROM person WHERE id = $1",
        )
        .bind(person)
        .fetch_optional(&self.pool)
        .await?
        .ok_or(StoreError::NotFound("person"))
    }

    /// A secret that waits for its first code.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn want_factor(&self, person: Uuid, secret: &[u8]) -> Result<(), StoreError> {
        sqlx::query("UPDATE person SET factor_wanted = $2 WHERE id = $1")
            .bind(person)
            .bind(secret)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// Use the secret that waits from now on, or none any more.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn set_factor(&self, person: Uuid, on: bool) -> Result<(), StoreError> {
        sqlx::query(
            "UPDATE person SET factor = CASE WHEN $2 THEN factor_wanted END, factor_wanted = NULL WHERE id = $1",
        )
        .bind(person)
        .bind(on)
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// A code of this step is used: false when one of it, or of a later one, was used before.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn use_step(&self, person: Uuid, step: i64) -> Result<bool, StoreError> {
        let done =
            sqlx::query("UPDATE person SET factor_step = $2 WHERE id = $1 AND factor_step < $2")
                .bind(person)
                .bind(step)
                .execute(&self.pool)
                .await?;
        Ok(done.rows_affected() == 1)
    }
}

/// A second factor.
#[derive(Debug, Clone, PartialEq, Eq, sqlx::FromRow)]
pub struct Factor {
    /// Secret in use.
    pub used: Option<Vec<u8>>,
    /// Secret that waits for its first code.
    pub wanted: Option<Vec<u8>>,
    /// Newest step that a code was used of.
    pub step: i64,
}
