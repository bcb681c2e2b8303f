//! Databases of their own on the server of `DATABASE_URL`.

use crate::server::{Server, program};
use crate::{Client, Done};
use std::time::{Duration, Instant};

/// A database of its own, dropped at the end.
pub struct Database {
    admin: String,
    name: String,
    /// Address of the database.
    pub url: String,
}

impl Database {
    /// Create one on the server of `DATABASE_URL`.
    ///
    /// # Errors
    /// `DATABASE_URL` is not set, or the server does not answer.
    pub async fn create() -> Done<Self> {
        let admin = admin()?;
        let pool = sqlx::PgPool::connect(&admin).await?;
        Self::made(admin, &pool, "").await
    }

    async fn made(admin: String, pool: &sqlx::PgPool, like: &str) -> Done<Self> {
        let name = format!("e2e_{}", uuid::Uuid::new_v4().simple());
        let sql = format!("CREATE DATABASE {name} {like}");
        sqlx::raw_sql(sqlx::AssertSqlSafe(sql))
            .execute(pool)
            .await?;
        Ok(Self {
            url: address(&admin, &name)?,
            admin,
            name,
        })
    }

    /// One with the demonstration's story in it: a copy of one that is told once a run, since telling it
    /// takes seconds and copying it does not.
    ///
    /// # Errors
    /// As [`Self::create`], or the server does not come up.
    pub async fn with_story() -> Done<Self> {
        let admin = admin()?;
        let pool = sqlx::PgPool::connect(&admin).await?;
        let story = story(&admin, &pool).await?;
        Self::made(admin, &pool, &format!("TEMPLATE {story}")).await
    }
}

impl Drop for Database {
    fn drop(&mut self) {
        let sql = format!("DROP DATABASE IF EXISTS {} WITH (FORCE)", self.name);
        let admin = self.admin.clone();
        // whoever drops it may stand in a runtime of their own
        let dropped = std::thread::spawn(move || {
            let runtime = tokio::runtime::Builder::new_current_thread()
                .enable_all()
                .build()?;
            runtime.block_on(async {
                let pool = sqlx::PgPool::connect(&admin).await?;
                sqlx::raw_sql(sqlx::AssertSqlSafe(sql))
                    .execute(&pool)
                    .await?;
                pool.close().await;
                Done::Ok(())
            })
        });
        if !matches!(dropped.join(), Ok(Ok(()))) {
            eprintln!("the database {} stays", self.name);
        }
    }
}

fn admin() -> Done<String> {
    let set = std::env::var("DATABASE_URL");
    Ok(set.map_err(|_| "DATABASE_URL is not set: run the tests with ./spannung test")?)
}

fn address(admin: &str, name: &str) -> Done<String> {
    let base = admin
        .rsplit_once('/')
        .ok_or("DATABASE_URL has no database")?
        .0;
    Ok(format!("{base}/{name}"))
}

/// Name of the database that the story was told into by this very server program; told now when nobody
/// has. One test tells it, the others wait for it.
async fn story(admin: &str, pool: &sqlx::PgPool) -> Done<String> {
    let built = std::fs::metadata(program())?;
    let age = built.modified()?.duration_since(std::time::UNIX_EPOCH)?;
    let name = format!("e2e_story_{}_{}", built.len(), age.as_millis());
    let mut lock = pool.acquire().await?;
    sqlx::raw_sql("SELECT pg_advisory_lock(70531)")
        .execute(&mut *lock)
        .await?;
    let told: bool =
        sqlx::query_scalar("SELECT EXISTS (SELECT 1 FROM pg_database WHERE datname = $1)")
            .bind(&name)
            .fetch_one(&mut *lock)
            .await?;
    if !told {
        let making = format!("e2e_making_{}", uuid::Uuid::new_v4().simple());
        let sql = |text: String| sqlx::raw_sql(sqlx::AssertSqlSafe(text));
        sql(format!("CREATE DATABASE {making}"))
            .execute(&mut *lock)
            .await?;
        let server = Server::start(&address(admin, &making)?, &["--demo"])?;
        hang_up(&server).await?;
        drop(server);
        // the killed server's connections end on their own
        sql(format!(
            "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = '{making}'"
        ))
        .execute(&mut *lock)
        .await?;
        sql(format!("ALTER DATABASE {making} RENAME TO {name}"))
            .execute(&mut *lock)
            .await?;
    }
    sqlx::raw_sql("SELECT pg_advisory_unlock(70531)")
        .execute(&mut *lock)
        .await?;
    Ok(name)
}

/// Have the tickets of the rack worked out for whoever looks at it: they are stored, and no copy of the story
/// works them out again beside its test.
async fn hang_up(server: &Server) -> Done {
    for name in ["Pavo Renk", "Signe Lorr", "Tomke Aal"] {
        let client = Client::sign_in(&server.url, name).await?;
        let begun = Instant::now();
        while client.get("/rack").await?["behind"] != 0 {
            if begun.elapsed() > Duration::from_secs(120) {
                return Err("the rack is not worked out".into());
            }
            tokio::time::sleep(Duration::from_millis(200)).await;
        }
        let session = format!("{}/session", client.api);
        client.http.delete(session).send().await?;
    }
    Ok(())
}
