//! The running program from outside: a database, a server process and a browser of its own for every
//! test. Knows nothing of the other crates but their program.

pub mod api;
pub mod browser;
pub mod client;
pub mod cluster;
pub mod database;
pub mod dice;
pub mod kills;
pub mod server;
pub mod sim;
pub mod steps;

pub use browser::Browser;
pub use client::Client;
pub use database::Database;
pub use server::Server;

/// Anything that goes wrong in a test.
pub type Failure = Box<dyn std::error::Error + Send + Sync>;
/// Result of a step.
pub type Done<T = ()> = Result<T, Failure>;

/// Password of everybody in the demonstration.
pub const PASSWORD: &str = "salt-and-copper";

/// Do we run as root? Chromium's sandbox and PostgreSQL refuse to.
fn is_root() -> bool {
    std::fs::metadata("/proc/self").is_ok_and(|m| std::os::unix::fs::MetadataExt::uid(&m) == 0)
}

/// Server on the demonstration's story, and somebody signed in to its API.
pub struct House {
    /// Who is signed in.
    pub client: Client,
    /// Server.
    pub server: Server,
    /// Database.
    pub database: Database,
}

impl House {
    /// Open it, for somebody of the demonstration.
    ///
    /// # Errors
    /// Any part does not start.
    pub async fn open(name: &str) -> Done<Self> {
        let database = Database::with_story().await?;
        let server = Server::start(&database.url, &["--demo"])?;
        let client = Client::sign_in(&server.url, name).await?;
        Ok(Self {
            client,
            server,
            database,
        })
    }
}

/// Number given as the n-th word of the command line.
pub fn word(n: usize, otherwise: u64) -> u64 {
    let given = std::env::args().nth(n).and_then(|w| w.parse().ok());
    given.unwrap_or(otherwise)
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
        if complaints.is_empty() {
            Ok(())
        } else {
            Err(complaints.join("\n").into())
        }
    }
}
