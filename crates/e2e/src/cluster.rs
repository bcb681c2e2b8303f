//! A PostgreSQL of its own with durable settings, that can be killed and comes back.

use crate::{Done, is_root};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};
use uuid::Uuid;

/// A free port below those that the system hands out: one of these could be taken by another test's connection while the
/// database is down.
fn quiet_port() -> Done<u16> {
    let tries = std::iter::repeat_with(|| 10_000 + (Uuid::new_v4().as_u128() % 20_000) as u16);
    let free = |port: &u16| std::net::TcpListener::bind(("127.0.0.1", *port)).is_ok();
    let port = tries.take(100).find(free);
    Ok(port.ok_or("no free port between 10000 and 30000")?)
}

/// A PostgreSQL of its own with durable settings.
pub struct Cluster {
    folder: PathBuf,
    bin: PathBuf,
    port: u16,
}

impl Cluster {
    fn command(&self, program: &str) -> Command {
        let path = self.bin.join(program);
        if is_root() {
            let mut c = Command::new("setpriv");
            c.args([
                "--reuid=postgres",
                "--regid=postgres",
                "--init-groups",
                "--reset-env",
            ])
            .arg(path);
            c
        } else {
            Command::new(path)
        }
    }

    /// Make and start one.
    ///
    /// # Errors
    /// PostgreSQL's programs are not where `SPANNUNG_PG_BIN` says, or it does not start.
    pub fn create() -> Done<Self> {
        let bin = std::env::var("SPANNUNG_PG_BIN")
            .map_err(|_| "SPANNUNG_PG_BIN is not set: run the tests with ./spannung test")?;
        let folder =
            Path::new("/var/tmp").join(format!("spannung-kill-{}", Uuid::new_v4().simple()));
        std::fs::create_dir(&folder)?;
        if is_root() {
            let done = Command::new("chown")
                .arg("postgres:postgres")
                .arg(&folder)
                .status()?;
            assert!(done.success());
        }
        let port = quiet_port()?;
        let cluster = Self {
            folder,
            bin: bin.into(),
            port,
        };
        let done = cluster
            .command("initdb")
            .arg("-D")
            .arg(cluster.folder.join("db"))
            .args([
                "-U",
                "spannung",
                "-A",
                "trust",
                "-E",
                "UTF8",
                "--locale=C.UTF-8",
            ])
            .stdout(Stdio::null())
            .status()?;
        assert!(done.success(), "initdb");
        cluster.start()?;
        Ok(cluster)
    }

    /// Address of its database.
    pub fn url(&self) -> String {
        format!("postgres://spannung@127.0.0.1:{}/postgres", self.port)
    }

    /// Start it (again).
    ///
    /// # Errors
    /// It does not come up within a minute.
    pub fn start(&self) -> Done {
        let options = format!(
            "-c listen_addresses=127.0.0.1 -c port={} -c unix_socket_directories=''",
            self.port
        );
        let begun = Instant::now();
        loop {
            let done = self
                .command("pg_ctl")
                .arg("-D")
                .arg(self.folder.join("db"))
                .arg("-l")
                .arg(self.folder.join("log"))
                .args(["-w", "-t", "60", "-o", &options, "start"])
                .stdout(Stdio::null())
                .status()?;
            if done.success() {
                return Ok(());
            }
            // a child that was started in the instant of the kill ends by itself; until then the folder counts as in use
            if begun.elapsed() > Duration::from_secs(60) {
                let log = std::fs::read_to_string(self.folder.join("log")).unwrap_or_default();
                let last: Vec<&str> = log.lines().rev().take(5).collect();
                return Err(format!("postgres does not start: {last:?}").into());
            }
            std::thread::sleep(Duration::from_millis(300));
        }
    }

    /// Kill the postmaster and, as a power cut would, everything it started.
    ///
    /// # Errors
    /// It does not run.
    pub fn kill(&self) -> Done {
        let text = std::fs::read_to_string(self.folder.join("db/postmaster.pid"))?;
        let pid = text.lines().next().ok_or("no pid")?.to_string();
        let children = Command::new("ps")
            .args(["-o", "pid=", "--ppid", &pid])
            .output()?
            .stdout;
        let mut all = vec![pid];
        all.extend(
            String::from_utf8_lossy(&children)
                .split_whitespace()
                .map(String::from),
        );
        let done = Command::new("kill").arg("-9").args(&all).status()?;
        assert!(done.success());
        let begun = Instant::now();
        while all.iter().any(|p| Path::new("/proc").join(p).exists())
            && begun.elapsed() < Duration::from_secs(10)
        {
            std::thread::sleep(Duration::from_millis(5));
        }
        Ok(())
    }
}

impl Drop for Cluster {
    fn drop(&mut self) {
        let _ = self
            .command("pg_ctl")
            .arg("-D")
            .arg(self.folder.join("db"))
            .args(["-m", "immediate", "stop"])
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .status();
        let _ = std::fs::remove_dir_all(&self.folder);
    }
}
