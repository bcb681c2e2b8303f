//! Random kills during scripted work: server, database and browser are killed with -9 while people write
//! through the API and on the page; then every acknowledged entry has to be there once, and every other
//! one at most once.

use crate::api::Api;
use crate::cluster::Cluster;
use crate::dice::Dice;
use crate::{Browser, Client, Done, Server};
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};
use uuid::Uuid;

/// What came of it.
#[derive(Debug, Default, Clone, Copy, PartialEq, Eq)]
pub struct Tally {
    /// Times the server was killed.
    pub server: usize,
    /// Times the database was killed.
    pub database: usize,
    /// Times the browser was killed.
    pub browser: usize,
    /// Entries that were acknowledged.
    pub acknowledged: usize,
    /// Entries that were sent and not acknowledged.
    pub unsure: usize,
    /// Acknowledged entries that were not there.
    pub lost: usize,
    /// Entries that were there more than once.
    pub doubled: usize,
}

impl Tally {
    /// Kills of all kinds.
    pub fn kills(&self) -> usize {
        self.server + self.database + self.browser
    }
}

/// Write a note whose entry has this id and says it; true when it was acknowledged.
pub async fn write(client: &Client, job: &str, id: Uuid) -> bool {
    let body = json!({"entries": [{"id": id, "body": {"kind": "note", "text": id.to_string()}}]});
    matches!(
        client.post(&format!("/jobs/{job}/entries"), &body).await,
        Ok((200, _))
    )
}

/// Three people write until so many entries are acknowledged, then comes the kill, and each goes on until
/// an entry fails. Every id with whether it was acknowledged.
///
/// # Errors
/// A sign-in fails, or the writers are too slow.
pub async fn hands(
    url: &str,
    job: &str,
    stop: usize,
    kill: impl FnOnce() -> Done,
) -> Done<BTreeMap<Uuid, bool>> {
    let acknowledged = Arc::new(AtomicUsize::new(0));
    let mut running = Vec::new();
    for name in ["Pavo Renk", "Signe Lorr", "Ilse Dorn"] {
        let client = Client::sign_in(url, name).await?;
        let (job, acknowledged) = (job.to_string(), Arc::clone(&acknowledged));
        running.push(tokio::spawn(async move {
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
    for hand in running {
        all.extend(hand.await?);
    }
    Ok(all)
}

/// Somebody writes notes on the page; the browser is killed in the middle of one.
async fn page(url: &str, job: &str, stop: usize) -> Done<BTreeMap<Uuid, bool>> {
    let mut browser = Browser::start(1024, 768).await?;
    browser.sign_in(url, "Pavo Renk").await?;
    browser
        .page
        .goto(format!("{url}/jobs/{job}/record"))
        .await?;
    let mut all = BTreeMap::new();
    for _ in 0..stop {
        let id = Uuid::new_v4();
        browser
            .fill("input[aria-label=Note]", &id.to_string())
            .await?;
        browser.press_text("Save the note").await?;
        browser.read(&format!("Note: {id}")).await?;
        all.insert(id, true);
    }
    let last = Uuid::new_v4();
    browser
        .fill("input[aria-label=Note]", &last.to_string())
        .await?;
    browser.press_text("Save the note").await?;
    all.insert(last, false);
    browser.kill()?;
    Ok(all)
}

/// How often each note stands in a job's log, by its text.
///
/// # Errors
/// There is no such job.
pub async fn count(client: &Client, job: &str) -> Done<BTreeMap<Uuid, usize>> {
    let bundle = client.get(&format!("/jobs/{job}/export.json")).await?;
    let mut seen = BTreeMap::new();
    for e in bundle["entries"].as_array().ok_or("no entries")? {
        let text = e["body"]["text"].as_str().and_then(|t| t.parse().ok());
        if let Some(id) = text {
            *seen.entry(id).or_default() += 1;
        }
    }
    Ok(seen)
}

/// Kill so many times, by a seed; `tell` prints a line every tenth time.
///
/// # Errors
/// Something does not come back after its kill.
pub async fn run(rounds: usize, seed: u64, tell: bool) -> Done<Tally> {
    let cluster = Cluster::create()?;
    let url = cluster.url();
    let mut server = Server::start(&url, &["--demo"])?;
    let mut dice = Dice(seed);
    let mut tally = Tally::default();
    let mut jobs: BTreeMap<String, BTreeMap<Uuid, bool>> = BTreeMap::new();
    let mut job = String::new();
    for round in 0..rounds {
        if round % 5 == 0 {
            let client = Client::sign_in(&server.url, "Pavo Renk").await?;
            let view: Value = client.open("Killed in the middle").await?;
            job = view["id"].as_str().unwrap_or_default().to_string();
        }
        let stop = 3 + dice.roll(20);
        // the first three are one of each, so that a short run has them all
        let kind = if round < 3 { round } else { dice.roll(3) };
        let address = server.url.clone();
        let sent = match kind {
            0 => {
                tally.server += 1;
                let sent = hands(&address, &job, stop, || server.kill()).await?;
                server = Server::start(&url, &["--demo"])?;
                sent
            }
            1 => {
                tally.database += 1;
                let sent = hands(&address, &job, stop, || cluster.kill()).await?;
                cluster.start()?;
                sent
            }
            _ => {
                tally.browser += 1;
                page(&address, &job, 1 + stop % 4).await?
            }
        };
        jobs.entry(job.clone()).or_default().extend(sent);
        if tell && (round + 1) % 10 == 0 {
            println!("{} kills: {tally:?}", round + 1);
        }
    }
    let client = Client::sign_in(&server.url, "Pavo Renk").await?;
    for (job, sent) in &jobs {
        let seen = count(&client, job).await?;
        for (id, acknowledged) in sent {
            let times = seen.get(id).copied().unwrap_or(0);
            tally.acknowledged += usize::from(*acknowledged);
            tally.unsure += usize::from(!acknowledged);
            tally.lost += usize::from(*acknowledged && times == 0);
            tally.doubled += usize::from(times > 1);
        }
    }
    drop(server);
    Ok(tally)
}
