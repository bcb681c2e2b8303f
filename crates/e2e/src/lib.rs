//! The running program from outside: a database, a server process and a browser of its own for every
//! test. Knows nothing of the other crates but their program.

pub mod api;
pub mod steps;

use serde_json::{Value, json};
use std::io::{BufRead, BufReader};
use std::net::TcpListener;
use std::path::{Path, PathBuf};
use std::process::{Child, ChildStdout, Command, Stdio};
use std::time::{Duration, Instant};
use thirtyfour::prelude::*;
use thirtyfour::{ChromiumLikeCapabilities, LoggingPrefsLogLevel};

/// Anything that goes wrong in a test.
pub type Failure = Box<dyn std::error::Error + Send + Sync>;
/// Result of a step.
pub type Done<T = ()> = Result<T, Failure>;

/// Password of everybody in the demonstration.
pub const PASSWORD: &str = "salt-and-copper";

fn setting(name: &str, otherwise: &str) -> String {
    std::env::var(name).unwrap_or_else(|_| otherwise.into())
}

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

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
        let admin = std::env::var("DATABASE_URL")
            .map_err(|_| "DATABASE_URL is not set: run the tests with ./spannung test")?;
        let name = format!("e2e_{}", uuid::Uuid::new_v4().simple());
        let pool = sqlx::PgPool::connect(&admin).await?;
        sqlx::raw_sql(sqlx::AssertSqlSafe(format!("CREATE DATABASE {name}")))
            .execute(&pool)
            .await?;
        pool.close().await;
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
        let mut database = Self::create().await?;
        let pool = sqlx::PgPool::connect(&database.admin).await?;
        let story = story(&database.admin, &pool).await?;
        sqlx::raw_sql(sqlx::AssertSqlSafe(format!(
            "DROP DATABASE {name}; ",
            name = database.name
        )))
        .execute(&pool)
        .await?;
        database.name = format!("e2e_{}", uuid::Uuid::new_v4().simple());
        sqlx::raw_sql(sqlx::AssertSqlSafe(format!(
            "CREATE DATABASE {} TEMPLATE {story}",
            database.name
        )))
        .execute(&pool)
        .await?;
        pool.close().await;
        database.url = address(&database.admin, &database.name)?;
        Ok(database)
    }

    /// Drop it.
    ///
    /// # Errors
    /// The server does not answer.
    pub async fn remove(self) -> Done {
        let pool = sqlx::PgPool::connect(&self.admin).await?;
        sqlx::raw_sql(sqlx::AssertSqlSafe(format!(
            "DROP DATABASE IF EXISTS {} WITH (FORCE)",
            self.name
        )))
        .execute(&pool)
        .await?;
        pool.close().await;
        Ok(())
    }
}

fn address(admin: &str, name: &str) -> Done<String> {
    let base = admin
        .rsplit_once('/')
        .ok_or("DATABASE_URL has no database")?
        .0;
    Ok(format!("{base}/{name}"))
}

fn program() -> String {
    let built = root().join("target/debug/spannung-server");
    setting("SPANNUNG_SERVER", &built.to_string_lossy())
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
        drop(Server::start(&address(admin, &making)?, &["--demo"])?);
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

/// A server process; killed when dropped.
pub struct Server {
    child: Child,
    /// Address.
    pub url: String,
    file: PathBuf,
    out: BufReader<ChildStdout>,
}

impl Server {
    /// Start the server on a free port.
    ///
    /// # Errors
    /// It does not come up within a minute.
    pub fn start(database_url: &str, extra: &[&str]) -> Done<Self> {
        let program = program();
        let web = setting("SPANNUNG_WEB", &root().join("web/dist").to_string_lossy());
        let file = std::env::temp_dir().join(format!("spannung-{}", uuid::Uuid::new_v4().simple()));
        std::fs::write(&file, database_url)?;
        let mut child = Command::new(&program)
            .args([
                "serve",
                "--listen",
                "127.0.0.1:0",
                "--web",
                &web,
                "--database-url-file",
            ])
            .arg(&file)
            .args(extra)
            .env("RUST_LOG", "warn")
            .stdout(Stdio::piped())
            .spawn()
            .map_err(|e| format!("{program}: {e}"))?;
        let out = child.stdout.take().ok_or("no output")?;
        let mut line = String::new();
        let mut out = BufReader::new(out);
        out.read_line(&mut line)?;
        let url = line
            .trim()
            .strip_prefix("listening ")
            .ok_or("the server did not come up")?
            .to_string();
        Ok(Self {
            child,
            url,
            file,
            out,
        })
    }

    /// Start it on an empty database without demonstration data: the server, and the link of the first
    /// owner that it prints.
    ///
    /// # Errors
    /// It does not come up, or prints no link.
    pub fn start_empty(database_url: &str) -> Done<(Self, String)> {
        let mut server = Self::start(database_url, &[])?;
        let mut line = String::new();
        server.out.read_line(&mut line)?;
        let link = line
            .trim()
            .strip_prefix("first owner ")
            .ok_or("no link of the first owner")?
            .to_string();
        Ok((server, link))
    }

    /// Kill it at once, as a power cut would.
    ///
    /// # Errors
    /// It is gone already.
    pub fn kill(&mut self) -> Done {
        self.child.kill()?;
        self.child.wait()?;
        Ok(())
    }

    /// Process id.
    pub fn pid(&self) -> u32 {
        self.child.id()
    }
}

impl Drop for Server {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
        let _ = std::fs::remove_file(&self.file);
    }
}

/// A browser with its driver; both end when dropped.
pub struct Browser {
    driver: Child,
    profile: PathBuf,
    /// The session.
    pub page: WebDriver,
}

fn is_root() -> bool {
    std::fs::metadata("/proc/self").is_ok_and(|m| std::os::unix::fs::MetadataExt::uid(&m) == 0)
}

impl Browser {
    /// Start one with a window of the given size.
    ///
    /// # Errors
    /// ChromeDriver or Chromium does not start.
    pub async fn start(width: u32, height: u32) -> Done<Self> {
        let port = TcpListener::bind("127.0.0.1:0")?.local_addr()?.port();
        let driver = Command::new("chromedriver")
            .arg(format!("--port={port}"))
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .map_err(|e| format!("chromedriver: {e}"))?;
        let profile = std::env::temp_dir().join(format!(
            "spannung-browser-{}",
            uuid::Uuid::new_v4().simple()
        ));
        let mut caps = DesiredCapabilities::chrome();
        for arg in [
            "--headless=new",
            "--disable-gpu",
            "--disable-dev-shm-usage",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--force-device-scale-factor=1",
            "--hide-scrollbars",
        ] {
            caps.add_arg(arg)?;
        }
        if is_root() {
            // Chromium's sandbox refuses to run as root
            caps.add_arg("--no-sandbox")?;
        }
        caps.add_arg(&format!("--user-data-dir={}", profile.display()))?;
        caps.set_binary("/usr/bin/chromium")?;
        caps.set_browser_log_level(LoggingPrefsLogLevel::All)?;
        let address = format!("http://127.0.0.1:{port}");
        let begun = Instant::now();
        let page = loop {
            match WebDriver::new(&address, caps.clone()).await {
                Ok(page) => break page,
                Err(e) if begun.elapsed() > Duration::from_secs(40) => return Err(e.into()),
                Err(_) => tokio::time::sleep(Duration::from_millis(100)).await,
            }
        };
        let browser = Self {
            driver,
            profile,
            page,
        };
        browser.size(width, height).await?;
        Ok(browser)
    }

    /// Set the size of the page itself.
    ///
    /// # Errors
    /// The browser does not answer.
    pub async fn size(&self, width: u32, height: u32) -> Done {
        let metrics =
            json!({"width": width, "height": height, "deviceScaleFactor": 1, "mobile": false});
        self.page
            .cdp()
            .send_raw("Emulation.setDeviceMetricsOverride", metrics)
            .await?;
        Ok(())
    }

    /// Wait until a selector is there (and shown).
    ///
    /// # Errors
    /// Not within 20 s.
    pub async fn see(&self, css: &str) -> Done<WebElement> {
        let begun = Instant::now();
        loop {
            // an element that is replaced between finding and looking is looked for again
            if let Ok(found) = self.page.find(By::Css(css)).await
                && found.is_displayed().await.unwrap_or(false)
            {
                return Ok(found);
            }
            if begun.elapsed() > Duration::from_secs(20) {
                let body = self
                    .page
                    .find(By::Css("body"))
                    .await?
                    .text()
                    .await
                    .unwrap_or_default();
                return Err(
                    format!("{css} did not appear on the page, which reads:\n{body}").into(),
                );
            }
            tokio::time::sleep(Duration::from_millis(60)).await;
        }
    }

    /// Wait until a selector is gone.
    ///
    /// # Errors
    /// Still there after 20 s.
    pub async fn gone(&self, css: &str) -> Done {
        let begun = Instant::now();
        while !self.page.find_all(By::Css(css)).await?.is_empty() {
            if begun.elapsed() > Duration::from_secs(20) {
                return Err(format!("{css} is still there").into());
            }
            tokio::time::sleep(Duration::from_millis(60)).await;
        }
        Ok(())
    }

    /// Wait until the page's text holds something.
    ///
    /// # Errors
    /// Not within 20 s.
    pub async fn read(&self, text: &str) -> Done {
        let begun = Instant::now();
        loop {
            let body = self
                .page
                .find(By::Css("body"))
                .await?
                .text()
                .await
                .unwrap_or_default();
            if body.contains(text) {
                return Ok(());
            }
            if begun.elapsed() > Duration::from_secs(20) {
                return Err(format!("“{text}” is not on the page, which reads:\n{body}").into());
            }
            tokio::time::sleep(Duration::from_millis(60)).await;
        }
    }

    /// Press what a selector shows, once it can be pressed.
    ///
    /// # Errors
    /// It does not appear or cannot be pressed within 20 s.
    pub async fn press(&self, css: &str) -> Done {
        let begun = Instant::now();
        loop {
            let element = self.see(css).await?;
            if element.is_enabled().await.unwrap_or(false) && element.click().await.is_ok() {
                return Ok(());
            }
            if begun.elapsed() > Duration::from_secs(20) {
                return Err(format!("{css} cannot be pressed").into());
            }
            tokio::time::sleep(Duration::from_millis(60)).await;
        }
    }

    /// Press the button with this text.
    ///
    /// # Errors
    /// There is none within 20 s.
    pub async fn press_text(&self, text: &str) -> Done {
        let path = format!("//button[contains(normalize-space(.), \"{text}\") and not(@disabled)]");
        let begun = Instant::now();
        loop {
            if let Ok(element) = self.page.find(By::XPath(&path)).await
                && element.click().await.is_ok()
            {
                return Ok(());
            }
            if begun.elapsed() > Duration::from_secs(20) {
                return Err(format!("no button “{text}”").into());
            }
            tokio::time::sleep(Duration::from_millis(60)).await;
        }
    }

    /// Type into a field, replacing what is there.
    ///
    /// # Errors
    /// It does not appear.
    pub async fn fill(&self, css: &str, text: &str) -> Done {
        let field = self.see(css).await?;
        field.send_keys(Key::Control + "a").await?;
        field.send_keys(Key::Delete).await?;
        field.send_keys(text).await?;
        Ok(())
    }

    /// Run a script with no arguments.
    ///
    /// # Errors
    /// It throws.
    pub async fn script(&self, text: &str) -> Done<Value> {
        Ok(self.page.execute(text, Vec::new()).await?.json().clone())
    }

    /// Console errors and content-policy violations since the last look, apart from the replies that
    /// a test provokes on purpose (4xx of our own API).
    ///
    /// # Errors
    /// The browser does not answer.
    pub async fn complaints(&self) -> Done<Vec<String>> {
        let log = self.page.handle().browser_log().await?;
        Ok(log
            .into_iter()
            .map(|e| format!("{:?} {}", e.level, e.message))
            .filter(|m| {
                m.to_lowercase().contains("severe") || m.contains("Content Security Policy")
            })
            .filter(|m| {
                !(m.contains("/api/") && m.contains("the server responded with a status of 4"))
            })
            .collect())
    }

    /// Sign in on the sign-in page.
    ///
    /// # Errors
    /// The rack does not appear.
    pub async fn sign_in(&self, url: &str, name: &str) -> Done {
        self.page.goto(url).await?;
        self.fill("input[name=name]", name).await?;
        self.fill("input[name=password]", PASSWORD).await?;
        self.press("button[type=submit]").await?;
        self.see("[data-new-job]").await?;
        Ok(())
    }
}

impl Drop for Browser {
    fn drop(&mut self) {
        let _ = self.driver.kill();
        let _ = self.driver.wait();
        let _ = std::fs::remove_dir_all(&self.profile);
    }
}

/// Database, server and browser, signed in.
pub struct Shop {
    /// Database.
    pub database: Database,
    /// Server.
    pub server: Server,
    /// Browser.
    pub browser: Browser,
}

impl Shop {
    /// Open the shop at a page size, signed in as somebody of the demonstration.
    ///
    /// # Errors
    /// Any part does not start.
    pub async fn open(width: u32, height: u32, name: &str) -> Done<Self> {
        let database = Database::with_story().await?;
        let server = Server::start(&database.url, &["--demo"])?;
        let browser = Browser::start(width, height).await?;
        browser.sign_in(&server.url, name).await?;
        Ok(Self {
            database,
            server,
            browser,
        })
    }

    /// Close it: nothing must have been complained about.
    ///
    /// # Errors
    /// The console shows an error or a content-policy violation.
    pub async fn close(self) -> Done {
        self.close_but(&[]).await
    }

    /// As [`Self::close`], for a test that cut the network on purpose.
    ///
    /// # Errors
    /// The console shows anything else.
    pub async fn close_after_a_cut(self) -> Done {
        self.close_but(&[
            "ERR_INTERNET_DISCONNECTED",
            "ERR_BLOCKED_BY_CLIENT",
            "ERR_NETWORK",
        ])
        .await
    }

    async fn close_but(self, expected: &[&str]) -> Done {
        let mut complaints = self.browser.complaints().await?;
        complaints.retain(|c| !expected.iter().any(|e| c.contains(e)));
        self.browser.page.clone().quit().await?;
        drop(self.browser);
        drop(self.server);
        self.database.remove().await?;
        if complaints.is_empty() {
            Ok(())
        } else {
            Err(complaints.join("\n").into())
        }
    }
}

/// A client of the API, signed in.
pub struct Client {
    /// HTTP.
    pub http: reqwest::Client,
    /// Address of the API.
    pub api: String,
}

impl Client {
    /// Sign in.
    ///
    /// # Errors
    /// The server refuses.
    pub async fn sign_in(server: &str, name: &str) -> Done<Self> {
        let http = reqwest::Client::builder()
            .cookie_store(true)
            .timeout(Duration::from_secs(40))
            .build()?;
        let api = format!("{server}/api");
        let reply = http
            .post(format!("{api}/session"))
            .json(&json!({"name": name, "password": PASSWORD}))
            .send()
            .await?;
        if !reply.status().is_success() {
            return Err(reply.text().await?.into());
        }
        Ok(Self { http, api })
    }

    /// GET as JSON.
    ///
    /// # Errors
    /// Not found, refused, not JSON.
    pub async fn get(&self, path: &str) -> Done<Value> {
        let reply = self.http.get(format!("{}{path}", self.api)).send().await?;
        Ok(reply.error_for_status()?.json().await?)
    }

    /// POST JSON: status and reply.
    ///
    /// # Errors
    /// The server does not answer.
    pub async fn post(&self, path: &str, body: &Value) -> Done<(u16, Value)> {
        let reply = self
            .http
            .post(format!("{}{path}", self.api))
            .json(body)
            .send()
            .await?;
        let status = reply.status().as_u16();
        Ok((status, reply.json().await?))
    }
}
