//! People, their links, customers.

use crate::{Store, StoreError, unique};
use spannung_core::job::Role;
use time::OffsetDateTime;
use uuid::Uuid;

/// Somebody who works here.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Person {
    /// Id.
    pub id: Uuid,
    /// Name.
    pub name: String,
    /// Role.
    pub role: Role,
}

/// A state that a customer's card had before.
#[derive(Debug, Clone, PartialEq, Eq, sqlx::FromRow)]
pub struct CustomerBefore {
    /// Until then.
    pub until: OffsetDateTime,
    /// Who changed it then.
    pub by_name: String,
    /// Name.
    pub name: String,
    /// Phone or mail.
    pub contact: String,
}

/// A customer's card.
#[derive(Debug, Clone, PartialEq, Eq, sqlx::FromRow)]
pub struct Customer {
    /// Id.
    pub id: Uuid,
    /// Name.
    pub name: String,
    /// Phone or mail.
    pub contact: String,
}

#[derive(sqlx::FromRow)]
pub(crate) struct PersonRow {
    pub(crate) id: Uuid,
    pub(crate) name: String,
    pub(crate) role: String,
}

impl PersonRow {
    pub(crate) fn person(self) -> Result<Person, StoreError> {
        Ok(Person {
            id: self.id,
            role: Role::parse(&self.role).ok_or(StoreError::NotFound("role"))?,
            name: self.name,
        })
    }
}

/// End everything somebody can come in with: sessions, password, code, second factor, links, calendar.
async fn lock_out(tx: &mut sqlx::PgTransaction<'_>, person: Uuid) -> Result<(), StoreError> {
    for text in [
        "DELETE FROM session WHERE person_id = $1",
        "DELETE FROM calendar_link WHERE person_id = $1",
        "UPDATE invitation SET used_at = now() WHERE person_id = $1 AND used_at IS NULL",
        "UPDATE person SET password_hash = '!', code_hash = NULL, factor = NULL, factor_wanted = NULL WHERE id = $1",
    ] {
        sqlx::query(text).bind(person).execute(&mut **tx).await?;
    }
    Ok(())
}

impl Store {
    /// End everything a person can come in with, for a reset.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn reset_person(&self, person: Uuid) -> Result<(), StoreError> {
        let mut tx = self.pool.begin().await?;
        lock_out(&mut tx, person).await?;
        tx.commit().await?;
        Ok(())
    }

    /// Add a person.
    ///
    /// # Errors
    /// The name is taken.
    pub async fn add_person(&self, person: &Person, password_hash: &str) -> Result<(), StoreError> {
        sqlx::query("INSERT INTO person (id, name, role, password_hash) VALUES ($1, $2, $3, $4)")
            .bind(person.id)
            .bind(&person.name)
            .bind(person.role.word())
            .bind(password_hash)
            .execute(&self.pool)
            .await
            .map_err(|e| unique(e, &person.name))?;
        Ok(())
    }

    /// How many people there are.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn people_count(&self) -> Result<i64, StoreError> {
        Ok(sqlx::query_scalar("SELECT count(*) FROM person")
            .fetch_one(&self.pool)
            .await?)
    }

    /// A person who may sign in, with the hash of the password.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn person_by_name(&self, name: &str) -> Result<Option<(Person, String)>, StoreError> {
        let row: Option<(Uuid, String, String, String)> = sqlx::query_as(
            "SELECT id, name, role, password_hash FROM person WHERE lower(name) = lower($1) AND NOT disabled",
        )
        .bind(name)
        .fetch_optional(&self.pool)
        .await?;
        row.map(|(id, name, role, hash)| Ok((PersonRow { id, name, role }.person()?, hash)))
            .transpose()
    }

    /// Everybody, by name, with whether they are disabled and have a code.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn people(&self) -> Result<Vec<(Person, bool, bool)>, StoreError> {
        let rows: Vec<(Uuid, String, String, bool, bool)> = sqlx::query_as(
            "SELECT id, name, role, disabled, code_hash IS NOT NULL FROM person ORDER BY lower(name)",
        )
        .fetch_all(&self.pool)
        .await?;
        rows.into_iter()
            .map(|(id, name, role, disabled, code)| {
                Ok((PersonRow { id, name, role }.person()?, disabled, code))
            })
            .collect()
    }

    /// Change a person's name, role and whether they may sign in. Disabling ends all they could sign in with.
    ///
    /// # Errors
    /// There is no such person, the name is taken, or the last owner would be gone.
    pub async fn change_person(&self, person: &Person, disabled: bool) -> Result<(), StoreError> {
        let mut tx = self.pool.begin().await?;
        // one change of people at a time, so that two owners cannot take each other's keys
        sqlx::query("LOCK TABLE person IN SHARE ROW EXCLUSIVE MODE")
            .execute(&mut *tx)
            .await?;
        let done =
            sqlx::query("UPDATE person SET name = $2, role = $3, disabled = $4 WHERE id = $1")
                .bind(person.id)
                .bind(&person.name)
                .bind(person.role.word())
                .bind(disabled)
                .execute(&mut *tx)
                .await
                .map_err(|e| unique(e, &person.name))?;
        if done.rows_affected() == 0 {
            return Err(StoreError::NotFound("person"));
        }
        let owners: i64 =
            sqlx::query_scalar("SELECT count(*) FROM person WHERE role = 'owner' AND NOT disabled")
                .fetch_one(&mut *tx)
                .await?;
        if owners == 0 {
            return Err(StoreError::LastOwner);
        }
        if disabled {
            // being let in again begins with a new link: nothing of before comes back to life
            lock_out(&mut tx, person.id).await?;
        }
        tx.commit().await?;
        Ok(())
    }

    /// Set a password. All sessions of the person end.
    ///
    /// # Errors
    /// There is no such person.
    pub async fn set_password(&self, person: Uuid, hash: &str) -> Result<(), StoreError> {
        let mut tx = self.pool.begin().await?;
        let done = sqlx::query("UPDATE person SET password_hash = $2 WHERE id = $1")
            .bind(person)
            .bind(hash)
            .execute(&mut *tx)
            .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::NotFound("person"));
        }
        sqlx::query("DELETE FROM session WHERE person_id = $1")
            .bind(person)
            .execute(&mut *tx)
            .await?;
        tx.commit().await?;
        Ok(())
    }

    /// Set or take away the short code for changing over.
    ///
    /// # Errors
    /// There is no such person.
    pub async fn set_code(&self, person: Uuid, hash: Option<&str>) -> Result<(), StoreError> {
        let done = sqlx::query("UPDATE person SET code_hash = $2 WHERE id = $1")
            .bind(person)
            .bind(hash)
            .execute(&self.pool)
            .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::NotFound("person"));
        }
        Ok(())
    }

    /// A person who may sign in, with the hash of the short code.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn person_with_code(
        &self,
        name: &str,
    ) -> Result<Option<(Person, Option<String>)>, StoreError> {
        let row: Option<(Uuid, String, String, Option<String>)> = sqlx::query_as(
            "SELECT id, name, role, code_hash FROM person WHERE lower(name) = lower($1) AND NOT disabled",
        )
        .bind(name)
        .fetch_optional(&self.pool)
        .await?;
        row.map(|(id, name, role, hash)| Ok((PersonRow { id, name, role }.person()?, hash)))
            .transpose()
    }

    /// Write a one-time link: for the first owner (no person) or for somebody to set a password.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn invite(
        &self,
        token_hash: &[u8],
        person: Option<Uuid>,
        expires_at: OffsetDateTime,
    ) -> Result<(), StoreError> {
        let mut tx = self.pool.begin().await?;
        // a newer link ends the older
        sqlx::query(
            "UPDATE invitation SET used_at = now()
             WHERE used_at IS NULL AND person_id IS NOT DISTINCT FROM $1",
        )
        .bind(person)
        .execute(&mut *tx)
        .await?;
        sqlx::query(
            "INSERT INTO invitation (token_hash, person_id, expires_at) VALUES ($1, $2, $3)",
        )
        .bind(token_hash)
        .bind(person)
        .bind(expires_at)
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        Ok(())
    }

    /// Whom a one-time link is for, when it can still be used: none for the first owner.
    ///
    /// # Errors
    /// The link is used, too old, or never was.
    pub async fn invited(
        &self,
        token_hash: &[u8],
        now: OffsetDateTime,
    ) -> Result<Option<Person>, StoreError> {
        let person: Option<Option<Uuid>> = sqlx::query_scalar(
            "SELECT person_id FROM invitation
             WHERE token_hash = $1 AND used_at IS NULL AND expires_at > $2",
        )
        .bind(token_hash)
        .bind(now)
        .fetch_optional(&self.pool)
        .await?;
        match person {
            None => Err(StoreError::NotFound("link, or it has been used")),
            Some(None) => Ok(None),
            Some(Some(id)) => {
                let row: Option<PersonRow> = sqlx::query_as(
                    "SELECT id, name, role FROM person WHERE id = $1 AND NOT disabled",
                )
                .bind(id)
                .fetch_optional(&self.pool)
                .await?;
                Ok(Some(row.ok_or(StoreError::NotFound("person"))?.person()?))
            }
        }
    }

    /// Use a one-time link up; every other link of the same person with it.
    ///
    /// # Errors
    /// It has been used meanwhile.
    pub async fn use_invitation(
        &self,
        token_hash: &[u8],
        now: OffsetDateTime,
    ) -> Result<(), StoreError> {
        let done = sqlx::query(
            "UPDATE invitation SET used_at = $2 WHERE used_at IS NULL AND expires_at > $2
               AND (token_hash = $1 OR person_id IS NOT DISTINCT FROM
                    (SELECT person_id FROM invitation WHERE token_hash = $1))
               AND EXISTS (SELECT 1 FROM invitation WHERE token_hash = $1 AND used_at IS NULL)",
        )
        .bind(token_hash)
        .bind(now)
        .execute(&self.pool)
        .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::NotFound("link, or it has been used"));
        }
        Ok(())
    }

    /// Set a person's private calendar link, or revoke it.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn set_calendar(
        &self,
        person: Uuid,
        token_hash: Option<&[u8]>,
    ) -> Result<(), StoreError> {
        match token_hash {
            Some(hash) => sqlx::query(
                "INSERT INTO calendar_link (person_id, token_hash) VALUES ($1, $2)
                 ON CONFLICT (person_id) DO UPDATE SET token_hash = excluded.token_hash",
            )
            .bind(person)
            .bind(hash),
            None => sqlx::query("DELETE FROM calendar_link WHERE person_id = $1").bind(person),
        }
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Does a calendar link belong to somebody who may sign in?
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn calendar_person(&self, token_hash: &[u8]) -> Result<Option<Person>, StoreError> {
        let row: Option<PersonRow> = sqlx::query_as(
            "SELECT p.id, p.name, p.role FROM calendar_link c JOIN person p ON p.id = c.person_id
             WHERE c.token_hash = $1 AND NOT p.disabled",
        )
        .bind(token_hash)
        .fetch_optional(&self.pool)
        .await?;
        row.map(PersonRow::person).transpose()
    }

    /// Write a customer's card; the state it had before is kept, with who changed it.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn put_customer(
        &self,
        customer: &Customer,
        by: &str,
        at: OffsetDateTime,
    ) -> Result<(), StoreError> {
        let mut tx = self.pool.begin().await?;
        sqlx::query(
            "INSERT INTO customer_before (customer_id, until, by_name, name, contact)
             SELECT id, $4, $5, name, contact FROM customer
             WHERE id = $1 AND (name, contact) IS DISTINCT FROM ($2, $3) FOR UPDATE",
        )
        .bind(customer.id)
        .bind(&customer.name)
        .bind(&customer.contact)
        .bind(at)
        .bind(by)
        .execute(&mut *tx)
        .await?;
        sqlx::query(
            "INSERT INTO customer (id, name, contact) VALUES ($1, $2, $3)
             ON CONFLICT (id) DO UPDATE SET name = excluded.name, contact = excluded.contact",
        )
        .bind(customer.id)
        .bind(&customer.name)
        .bind(&customer.contact)
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
        Ok(())
    }

    /// States a customer's card had before, newest first: until when, who changed it then, name, contact.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn customer_before(&self, id: Uuid) -> Result<Vec<CustomerBefore>, StoreError> {
        Ok(sqlx::query_as(
            "SELECT until, by_name, name, contact FROM customer_before
             WHERE customer_id = $1 ORDER BY until DESC LIMIT 50",
        )
        .bind(id)
        .fetch_all(&self.pool)
        .await?)
    }

    /// A customer's card; none when it was erased.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn customer(&self, id: Uuid) -> Result<Option<Customer>, StoreError> {
        Ok(
            sqlx::query_as("SELECT id, name, contact FROM customer WHERE id = $1")
                .bind(id)
                .fetch_optional(&self.pool)
                .await?,
        )
    }

    /// Erase a customer's card. Jobs keep their entries, which hold only the card's id.
    ///
    /// # Errors
    /// There is no such card.
    pub async fn erase_customer(&self, id: Uuid) -> Result<(), StoreError> {
        let done = sqlx::query("DELETE FROM customer WHERE id = $1")
            .bind(id)
            .execute(&self.pool)
            .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::NotFound("customer"));
        }
        Ok(())
    }
}
