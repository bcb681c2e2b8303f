//! Server and postmaster each killed with -9 in the middle of writes: every acknowledged entry is there
//! once, and after retries every entry is.

use serde_json::{Value, json};
use spannung_e2e::{Client, Database, Done, Server};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};
use uuid::Uuid;

async fn open(client: &Client) -> Done<String> {
    let id = Uuid::new_v4();
    let first = json!({"id": Uuid::new_v4(), "body": {"kind": "opened", "words": "Dead", "volts_class": 48, "drive": "geared-hub"}});
    let (status, view) = client
        .post("/jobs", &json!({"id": id, "entries": [first]}))
        .await?;
    assert_eq!(status, 200, "{view}");
    Ok(id.to_string())
}

async fn write(client: &Client, job: &str, id: Uuid) -> bool {
    let body = json!({"entries": [{"id": id, "body": {"kind": "note", "text": id.to_string()}}]});
    matches!(
        client.post(&format!("/jobs/{job}/entries"), &body).await,
        Ok((200, _))
    )
}

/// Write with three hands until `stop` acknowledged entries; then `kill`. Gives all ids with whether
/// they were acknowledged.
async fn write_until_killed(
    url: &str,
    job: &str,
    stop: usize,
    kill: impl FnOnce() -> Done,
) -> Done<BTreeMap<Uuid, bool>> {
    let acknowledged = Arc::new(AtomicUsize::new(0));
    let mut hands = Vec::new();
    for name in ["Pavo Renk", "Signe Lorr", "Ilse Dorn"] {
        let client = Client::sign_in(url, name).await?;
        let (job, acknowledged) = (job.to_string(), Arc::clone(&acknowledged));
        hands.push(tokio::spawn(async move {
            let mut sent = Vec::new();
            loop {
                let id = Uuid::new_v4();
                let ok = write(&client, &job, id).await;
                sent.push((id, ok));
                if !ok {
                    return sent;
                }
                acknowledged.fetch_add(1, Ordering::SeqCst);
            }
        }));
    }
    let begun = Instant::now();
    while acknowledged.load(Ordering::SeqCst) < stop {
        if begun.elapsed() > Duration::from_secs(60) {
            return Err("the writers are too slow".into());
        }
        tokio::time::sleep(Duration::from_millis(2)).await;
    }
    kill()?;
    let mut all = BTreeMap::new();
    for hand in hands {
        all.extend(hand.await?);
    }
    Ok(all)
}

async fn count(client: &Client, job: &str) -> Done<BTreeMap<Uuid, usize>> {
    let bundle = client.get(&format!("/jobs/{job}/export.json")).await?;
    let mut seen = BTreeMap::new();
    for e in bundle["entries"].as_array().ok_or("no entries")? {
        if e["body"]["kind"] == "note" {
            let id: Uuid = e["id"].as_str().unwrap_or_default().parse()?;
            *seen.entry(id).or_default() += 1;
        }
    }
    Ok(seen)
}

async fn prove(client: &Client, job: &str, sent: &BTreeMap<Uuid, bool>) -> Done {
    let seen = count(client, job).await?;
    for (id, acknowledged) in sent {
        let times = seen.get(id).copied().unwrap_or(0);
        assert!(times <= 1, "{id} stands {times} times");
        assert!(
            times == 1 || !acknowledged,
            "{id} was acknowledged and is lost"
        );
    }
    // the client sends again whatever it is not sure of, and what it is sure of, too
    for id in sent.keys() {
        assert!(write(client, job, *id).await);
    }
    let seen = count(client, job).await?;
    assert!(sent.keys().all(|id| seen.get(id) == Some(&1)));
    Ok(())
}

#[tokio::test]
async fn the_server_is_killed_while_three_people_write() -> Done {
    let database = Database::with_story().await?;
    let mut server = Server::start(&database.url, &["--demo"])?;
    let client = Client::sign_in(&server.url, "Pavo Renk").await?;
    let job = open(&client).await?;
    let url = server.url.clone();
    let sent = write_until_killed(&url, &job, 25, || server.kill()).await?;
    assert!(sent.values().filter(|a| **a).count() >= 25);
    assert!(sent.values().any(|a| !a), "some were cut off");
    let again = Server::start(&database.url, &["--demo"])?;
    let client = Client::sign_in(&again.url, "Pavo Renk").await?;
    prove(&client, &job, &sent).await?;
    drop(again);
    drop(server);
    database.remove().await
}

/// A PostgreSQL of its own with durable settings.
struct Cluster {
    folder: PathBuf,
    bin: PathBuf,
    port: u16,
}

fn is_root() -> bool {
    std::fs::metadata("/proc/self").is_ok_and(|m| std::os::unix::fs::MetadataExt::uid(&m) == 0)
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

    fn create() -> Done<Self> {
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
        let port = std::net::TcpListener::bind("127.0.0.1:0")?
            .local_addr()?
            .port();
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

    fn start(&self) -> Done {
        let options = format!(
            "-c listen_addresses=127.0.0.1 -c port={} -c unix_socket_directories=''",
            self.port
        );
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
            Ok(())
        } else {
            Err("postgres does not start".into())
        }
    }

    /// Kill the postmaster and, as a power cut would, everything it started.
    fn kill(&self) -> Done {
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

#[tokio::test]
async fn the_postmaster_is_killed_while_three_people_write() -> Done {
    let cluster = Cluster::create()?;
    let url = format!("postgres://spannung@127.0.0.1:{}/postgres", cluster.port);
    let server = Server::start(&url, &["--demo"])?;
    let client = Client::sign_in(&server.url, "Pavo Renk").await?;
    let job = open(&client).await?;
    let sent = write_until_killed(&server.url, &job, 25, || cluster.kill()).await?;
    assert!(sent.values().filter(|a| **a).count() >= 25);
    // while it is down a request gets a sentence, not a hang
    let reply = client
        .http
        .get(format!("{}/rack", client.api))
        .send()
        .await?;
    assert_eq!(reply.status(), 503);
    assert_eq!(reply.json::<Value>().await?["code"], "database");
    cluster.start()?;
    let client = Client::sign_in(&server.url, "Pavo Renk").await?;
    prove(&client, &job, &sent).await?;
    drop(server);
    Ok(())
}
