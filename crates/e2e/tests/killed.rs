//! Server and postmaster each killed with -9 in the middle of writes: every acknowledged entry is there
//! once, and after retries every entry is.

use serde_json::{Value, json};
use spannung_e2e::cluster::Cluster;
use spannung_e2e::{Client, Database, Done, Server, kills};
use std::collections::BTreeMap;
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

/// The short version of `cargo run -p spannung-e2e --bin kills`: every kind of kill, a few times.
#[tokio::test]
async fn random_kills_lose_nothing_and_double_nothing() -> Done {
    let tally = kills::run(6, 41, false).await?;
    assert_eq!(tally.kills(), 6);
    assert!(tally.acknowledged > 0, "{tally:?}");
    assert_eq!((tally.lost, tally.doubled), (0, 0), "{tally:?}");
    Ok(())
}

#[tokio::test]
async fn the_postmaster_is_killed_while_three_people_write() -> Done {
    let cluster = Cluster::create()?;
    let url = cluster.url();
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
