//! What an append costs against a bare durable commit of the same database and against a handler that does
//! nothing; and how it fares when many benches type at once. Prints Markdown.
//!
//! `SPANNUNG_PG_BIN=… cargo run -p spannung-e2e --bin load [BENCHES] [SECONDS]` (the server is the one of
//! `SPANNUNG_SERVER`; the database is made for it, with durable settings).

use serde_json::{Value, json};
use spannung_e2e::api::{Api, entry};
use spannung_e2e::cluster::Cluster;
use spannung_e2e::{Client, Done, Server, word};
use std::time::{Duration, Instant};
use uuid::Uuid;

/// Times each thing is done alone.
const ALONE: usize = 300;
/// A bench types this often.
const EVERY: Duration = Duration::from_secs(5);

fn part(all: &mut [Duration], share: f64) -> f64 {
    all.sort();
    let k = ((all.len() as f64 * share) as usize).min(all.len().saturating_sub(1));
    all.get(k).map_or(0.0, |d| d.as_secs_f64() * 1e3)
}

fn line(what: &str, mut all: Vec<Duration>) -> f64 {
    let half = part(&mut all, 0.5);
    println!(
        "| {what} | {} | {half:.2} | {:.2} |",
        all.len(),
        part(&mut all, 0.95)
    );
    half
}

async fn bench(client: &Client, k: usize) -> Done<Value> {
    let job = client.open("No drive, lights up").await?;
    client.open_gate(job, &format!("LB-{k:04}")).await
}

#[tokio::main]
async fn main() -> Done {
    let (benches, seconds) = (word(1, 200), word(2, 60));
    let cluster = Cluster::create()?;
    let server = Server::start(&cluster.url(), &["--demo"])?;
    let client = Client::sign_in(&server.url, "Pavo Renk").await?;
    let job = bench(&client, 0).await?;
    println!("| what | times | median ms | 95 % ms |");
    println!("| --- | ---: | ---: | ---: |");
    let pool = sqlx::postgres::PgPoolOptions::new()
        .max_connections(1)
        .connect(&cluster.url())
        .await?;
    sqlx::query("CREATE TABLE bare (id uuid PRIMARY KEY, body jsonb NOT NULL)")
        .execute(&pool)
        .await?;
    let mut all = Vec::new();
    for k in 0..ALONE {
        let begun = Instant::now();
        sqlx::query("INSERT INTO bare VALUES ($1, $2)")
            .bind(Uuid::new_v4())
            .bind(json!({"kind": "note", "text": format!("note {k}")}))
            .execute(&pool)
            .await?;
        all.push(begun.elapsed());
    }
    let bare = line("a bare durable commit of one row", all);
    let mut all = Vec::new();
    for _ in 0..ALONE {
        let begun = Instant::now();
        client
            .http
            .get(format!("{}/nothing", client.api))
            .send()
            .await?;
        all.push(begun.elapsed());
    }
    let empty = line("a handler that does nothing", all);
    let mut all = Vec::new();
    for k in 0..ALONE {
        let note = entry(json!({"kind": "note", "text": format!("note {k}")}));
        let begun = Instant::now();
        let (status, reply) = client.add(&job, &[note]).await?;
        all.push(begun.elapsed());
        if status != 200 {
            return Err(reply.to_string().into());
        }
    }
    let append = line("an append, acknowledged", all);
    let id = job["id"].as_str().unwrap_or_default();
    let mut all = Vec::new();
    for _ in 0..60 {
        let begun = Instant::now();
        client.get(&format!("/jobs/{id}")).await?;
        all.push(begun.elapsed());
    }
    line("the whole view of that job", all);
    println!(
        "\nAn append is {:.1} × a bare commit and {:.1} × a handler that does nothing.\n",
        append / bare,
        append / empty
    );

    let mut jobs = Vec::new();
    for k in 1..=usize::try_from(benches)? {
        let job = client.open("No drive, lights up").await?;
        jobs.push(job);
        if k % 50 == 0 {
            eprintln!("{k} benches");
        }
    }
    let until = Instant::now() + Duration::from_secs(seconds);
    let hands: Vec<_> = jobs
        .into_iter()
        .enumerate()
        .map(|(k, job)| {
            let http = client.http.clone();
            let url = format!(
                "{}/jobs/{}/entries",
                client.api,
                job["id"].as_str().unwrap_or_default()
            );
            // they do not all begin with the same stroke
            let first = EVERY.mul_f64(k as f64 / benches as f64);
            tokio::spawn(async move {
                let mut took = Vec::new();
                let mut failed = 0;
                let mut next = tokio::time::Instant::now() + first;
                while next.into_std() < until {
                    tokio::time::sleep_until(next).await;
                    next += EVERY;
                    let note =
                        json!({"entries": [entry(json!({"kind": "note", "text": "typed"}))]});
                    let begun = Instant::now();
                    let done = http.post(&url).json(&note).send().await;
                    let taken = match done {
                        Ok(reply) => reply.status().is_success() && reply.bytes().await.is_ok(),
                        Err(_) => false,
                    };
                    if taken {
                        took.push(begun.elapsed());
                    } else {
                        failed += 1;
                    }
                }
                (took, failed)
            })
        })
        .collect();
    let (mut all, mut failed) = (Vec::new(), 0);
    for hand in hands {
        let (took, not) = hand.await?;
        all.extend(took);
        failed += not;
    }
    println!("| what | times | median ms | 95 % ms |");
    println!("| --- | ---: | ---: | ---: |");
    line(
        &format!("{benches} benches, each typing every 5 s for {seconds} s"),
        all,
    );
    println!("\n{failed} were not taken.");
    // as many at once as come, for the rate
    let begun = Instant::now();
    let rate: Vec<_> = (0..16)
        .map(|_| {
            let http = client.http.clone();
            let api = client.api.clone();
            tokio::spawn(async move {
                let mine = Client { http, api };
                let job = mine.open("Dead").await?;
                let mut done = 0u32;
                while begun.elapsed() < Duration::from_secs(10) {
                    let note = entry(json!({"kind": "note", "text": "typed"}));
                    if mine.add(&job, &[note]).await?.0 == 200 {
                        done += 1;
                    }
                }
                Done::Ok(done)
            })
        })
        .collect();
    let mut done = 0;
    for one in rate {
        done += one.await??;
    }
    println!(
        "{:.0} appends a second from 16 jobs at once.",
        f64::from(done) / begun.elapsed().as_secs_f64()
    );
    drop(server);
    Ok(())
}
