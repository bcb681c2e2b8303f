//! People, sessions, failed sign-ins, customers.

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
struct PersonRow {
    id: Uuid,
    name: String,
    role: String,
}

impl PersonRow {
    fn person(self) -> Result<Person, StoreError> {
        Ok(Person {
            id: self.id,
            role: Role::parse(&self.role).ok_or(StoreError::NotFound("role"))?,
            name: self.name,
        })
    }
}

impl Store {
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

    /// Begin a session.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn begin_session(
        &self,
        token_hash: &[u8],
        person: Uuid,
        expires_at: OffsetDateTime,
    ) -> Result<(), StoreError> {
        sqlx::query("INSERT INTO session (token_hash, person_id, expires_at) VALUES ($1, $2, $3)")
            .bind(token_hash)
            .bind(person)
            .bind(expires_at)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// Who has this session, if it has not expired and the person is not disabled.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn session(
        &self,
        token_hash: &[u8],
        now: OffsetDateTime,
    ) -> Result<Option<Person>, StoreError> {
        let row: Option<PersonRow> = sqlx::query_as(
            "SELECT p.id, p.name, p.role FROM session s JOIN person p ON p.id = s.person_id
             WHERE s.token_hash = $1 AND s.expires_at > $2 AND NOT p.disabled",
        )
        .bind(token_hash)
        .bind(now)
        .fetch_optional(&self.pool)
        .await?;
        row.map(PersonRow::person).transpose()
    }

    /// End a session, and drop those that have expired.
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

    /// Note a failed sign-in.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn note_failure(
        &self,
        account: &str,
        address: &str,
        at: OffsetDateTime,
    ) -> Result<(), StoreError> {
        sqlx::query("INSERT INTO failed_sign_in (account, address, at) VALUES (lower($1), $2, $3)")
            .bind(account)
            .bind(address)
            .bind(at)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// Failures since a time: of this account, and from this address. Older ones are dropped.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn failures(
        &self,
        account: &str,
        address: &str,
        since: OffsetDateTime,
    ) -> Result<(i64, i64), StoreError> {
        sqlx::query("DELETE FROM failed_sign_in WHERE at < $1")
            .bind(since)
            .execute(&self.pool)
            .await?;
        Ok(sqlx::query_as(
            "SELECT count(*) FILTER (WHERE account = lower($1)), count(*) FILTER (WHERE address = $2)
             FROM failed_sign_in WHERE at >= $3",
        )
        .bind(account)
        .bind(address)
        .bind(since)
        .fetch_one(&self.pool)
        .await?)
    }

    /// Forget the failures of an account after a good sign-in.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn forget_failures(&self, account: &str) -> Result<(), StoreError> {
        sqlx::query("DELETE FROM failed_sign_in WHERE account = lower($1)")
            .bind(account)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// Write a customer's card.
    ///
    /// # Errors
    /// The database does not answer.
    pub async fn put_customer(&self, customer: &Customer) -> Result<(), StoreError> {
        sqlx::query(
            "INSERT INTO customer (id, name, contact) VALUES ($1, $2, $3)
             ON CONFLICT (id) DO UPDATE SET name = excluded.name, contact = excluded.contact",
        )
        .bind(customer.id)
        .bind(&customer.name)
        .bind(&customer.contact)
        .execute(&self.pool)
        .await?;
        Ok(())
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
