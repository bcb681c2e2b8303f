//! The server's program as a process.

use crate::Done;
use std::io::{BufRead, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Child, ChildStdout, Command, Stdio};

fn setting(name: &str, otherwise: &str) -> String {
    std::env::var(name).unwrap_or_else(|_| otherwise.into())
}

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// Path of the program under test.
pub fn program() -> String {
    let built = root().join("target/debug/spannung-server");
    setting("SPANNUNG_SERVER", &built.to_string_lossy())
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
    /// Number of its process.
    pub fn process(&self) -> u32 {
        self.child.id()
    }

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
                "--lazy",
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
