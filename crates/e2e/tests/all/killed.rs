//! Server and postmaster each killed with -9 in the middle of writes: every acknowledged entry is there
//! once, and after retries every entry is.

use serde_json::Value;
use spannung_e2e::api::Api;
use spannung_e2e::cluster::Cluster;
use spannung_e2e::kills::{self, count, hands, write};
use spannung_e2e::{Client, Database, Done, Server};
use std::collections::BTreeMap;
use uuid::Uuid;

/// A job to write to.
async fn open(client: &Client) -> Done<String> {
    let view = client.open("Dead").await?;
    Ok(view["id"].as_str().unwrap_or_default().to_string())
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
    let sent = hands(&url, &job, 25, || server.kill()).await?;
    assert!(sent.values().filter(|a| **a).count() >= 25);
    assert!(sent.values().any(|a| !a), "some were cut off");
    let again = Server::start(&database.url, &["--demo"])?;
    let client = Client::sign_in(&again.url, "Pavo Renk").await?;
    prove(&client, &job, &sent).await?;
    Ok(())
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
    let sent = hands(&server.url, &job, 25, || cluster.kill()).await?;
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
