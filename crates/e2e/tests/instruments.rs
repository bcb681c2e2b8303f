//! The Bench against the simulated vehicle: readings captured from its meter with one press, checks answered by its
//! panel, until the fault is found; on each family, once with two faults.

use serde_json::{Value, json};
use spannung_e2e::api::Api;
use spannung_e2e::server::program;
use spannung_e2e::sim::Sim;
use spannung_e2e::{Browser, Client, Database, Done, Server};

/// Presses that a job may take at most before it counts as lost.
const MOST: usize = 120;

/// Repairs that cure nothing, at most.
const MOST_IN_VAIN: usize = 1;

struct Walk<'a> {
    family: &'a str,
    volts: u16,
    drive: &'a str,
    faults: &'a [&'a str],
    /// Their repair classes.
    classes: &'a [&'a str],
    symptoms: &'a [&'a str],
}

async fn bench(client: &Client, id: &str) -> Done<Value> {
    client.get(&format!("/jobs/{id}")).await
}

/// Follow the Bench until it points to a repair: the class, and presses for readings and for the readings taken.
async fn follow(b: &Browser, client: &Client, sim: &Sim, id: &str) -> Done<(String, usize, usize)> {
    let (mut presses, mut readings) = (0, 0);
    for _ in 0..MOST {
        let view = bench(client, id).await?;
        if let Some(class) = view["bench"]["repair"].as_str() {
            b.see(&format!("[data-repair='{class}']")).await?;
            return Ok((class.into(), presses, readings));
        }
        let card = &view["bench"]["next"];
        let test = card["test"].as_str().ok_or("nothing is proposed")?;
        b.see(&format!("[data-card='{test}']")).await?;
        // confirmations are asked once a state and are no presses of the reading; what is next may be another test
        // as soon as the vehicle stands otherwise
        let needs = card["needs"].as_array().cloned().unwrap_or_default();
        let open: Vec<_> = needs.iter().filter(|n| n["confirmed"] == false).collect();
        if !open.is_empty() {
            let mut job = view.clone();
            if job["state"] != card["as_asked"] {
                let state = json!({"kind": "state", "state": card["as_asked"]});
                job = client.step(&job, state).await?;
            }
            for need in open {
                let confirmed = json!({"kind": "confirmed", "need": need["id"]});
                job = client.step(&job, confirmed).await?;
            }
            continue;
        }
        let head = bench(client, id).await?["head"].clone();
        if card["kind"] == "check" {
            let value = sim.look(card).await?;
            let job = bench(client, id).await?;
            let view = client
                .step(&job, json!({"kind": "state", "state": card["as_asked"]}))
                .await?;
            client
                .step(
                    &view,
                    json!({"kind": "check", "test": test, "outcome": value, "minutes": 1.0}),
                )
                .await?;
        } else {
            // the page has heard of the confirmations when its button is there
            b.see(&format!("[data-card='{test}'] [data-capture]"))
                .await?;
            b.see("input[name=reading]").await?.send_keys("\n").await?;
            presses += 1;
            readings += 1;
        }
        // the page takes what the meter showed: the log grows
        let mut waited = 0;
        while bench(client, id).await?["head"] == head {
            waited += 1;
            if waited > 200 {
                let page = b
                    .script("return document.querySelector('[data-card]').innerText")
                    .await?;
                return Err(format!("{test} was not taken: {page}").into());
            }
            tokio::time::sleep(std::time::Duration::from_millis(50)).await;
        }
    }
    Err("no repair was found".into())
}

async fn walk(database: &Database, w: &Walk<'_>) -> Done<f64> {
    let sim = Sim::start(&program(), w.family, w.faults, 11)?;
    let server = Server::start(
        &database.url,
        &["--demo", "--meter", &sim.meter, "--panel", &sim.panel],
    )?;
    let client = Client::sign_in(&server.url, "Signe Lorr").await?;
    let b = Browser::start(1280, 800).await?;
    b.sign_in(&server.url, "Signe Lorr").await?;
    let words = sim.words().await?;
    let mut view = client.open_as(&words, w.volts, w.drive).await?;
    for s in w.symptoms {
        let told = json!({"kind": "symptom", "symptom": s, "yes": true, "by_customer": true});
        view = client.step(&view, told).await?;
    }
    let view = client
        .open_gate(view, &format!("SIM-{}", w.family.to_uppercase()))
        .await?;
    let id = view["id"].as_str().unwrap_or_default().to_string();
    b.page
        .goto(format!("{}/jobs/{id}/bench", server.url))
        .await?;
    let (mut presses, mut readings) = (0, 0);
    let (mut left, mut vain) = (w.classes.iter().zip(w.faults).collect::<Vec<_>>(), 0);
    while !left.is_empty() {
        let (class, p, r) = follow(&b, &client, &sim, &id).await?;
        presses += p;
        readings += r;
        let job = bench(&client, &id).await?;
        let part = json!({"kind": "part", "new": "new part", "class": class, "minutes": 10.0});
        let job = client.step(&job, part).await?;
        match left.iter().position(|(c, _)| **c == class) {
            Some(k) => {
                let (_, fault) = left.remove(k);
                assert_eq!(sim.mend(fault).await?, 1, "{class} cures {fault}");
            }
            // what costs little is tried before what costs much
            None if vain < MOST_IN_VAIN => vain += 1,
            None => {
                let tiles = job["bench"]["evidence"]
                    .as_array()
                    .cloned()
                    .unwrap_or_default();
                let read = |t: &Value| format!("{} {}", t["test"], t["value"]);
                let trail: Vec<String> = tiles.iter().map(read).collect();
                return Err(format!("{class} after {vain} in vain: {}", trail.join("; ")).into());
            }
        }
        if left.is_empty() {
            break;
        }
        let proof = json!({"kind": "proof", "check": "complaint", "result": "fail", "typed": "", "words": "still does not drive", "minutes": 3.0});
        let job = client.step(&job, proof).await?;
        // a part was changed: the gate asks for a burnt smell once more
        if job["gate"]["standing"] == "asking" {
            let smell = json!({"kind": "gate", "check": "smell", "answer": "none"});
            client.step(&job, smell).await?;
        }
    }
    b.page.clone().quit().await?;
    drop(b);
    drop(server);
    Ok(presses as f64 / (readings as f64).max(1.0))
}

#[tokio::test]
async fn each_family_is_walked_to_its_fault_with_captured_readings() -> Done {
    let walks = [
        Walk {
            family: "gh48",
            volts: 48,
            drive: "geared-hub",
            faults: &["brk-stuck:left", "hall-5v"],
            classes: &["brake-left", "motor-cable"],
            symptoms: &["S02", "S33"],
        },
        Walk {
            family: "ssb36",
            volts: 36,
            drive: "chain",
            faults: &["ctl-br-fet-open"],
            classes: &["controller"],
            symptoms: &["S02"],
        },
        Walk {
            family: "rt12",
            volts: 12,
            drive: "brushed",
            faults: &["rt-dir:dir-reverse-plus"],
            classes: &["direction-switch"],
            symptoms: &["S40"],
        },
        Walk {
            family: "db72",
            volts: 72,
            drive: "chain",
            faults: &["ctr-coil-open"],
            classes: &["contactor"],
            symptoms: &["S02"],
        },
    ];
    let database = Database::with_story().await?;
    for w in &walks {
        let presses = walk(&database, w)
            .await
            .map_err(|e| format!("{}: {e}", w.family))?;
        assert!(presses <= 1.0, "{}: {presses} presses a reading", w.family);
    }
    database.remove().await
}

/// Without a meter behind the address the Bench says so and nothing is lost; typing works all the same.
#[tokio::test]
async fn a_meter_that_is_gone_is_said_and_typing_works() -> Done {
    let database = Database::with_story().await?;
    // an address where nothing listens
    let server = Server::start(&database.url, &["--demo", "--meter", "127.0.0.1:9"])?;
    let client = Client::sign_in(&server.url, "Pavo Renk").await?;
    let view = client.open_as("Dead", 48, "geared-hub").await?;
    let view = client.open_gate(view, "SIM-GONE").await?;
    let id = view["id"].as_str().unwrap_or_default();
    let (status, problem) = client
        .post(&format!("/jobs/{id}/tests/t-pack-voc/capture"), &json!({}))
        .await?;
    assert_eq!(status, 503, "{problem}");
    assert!(
        problem["detail"]
            .as_str()
            .is_some_and(|d| d.contains("Type the reading")),
        "{problem}"
    );
    let (status, problem) = client
        .post(&format!("/jobs/{id}/tests/t-group-low/capture"), &json!({}))
        .await?;
    assert_eq!(status, 409, "{problem}");
    let (status, _) = client
        .post(&format!("/jobs/{id}/tests/t-nowhere/capture"), &json!({}))
        .await?;
    assert_eq!(status, 404);
    let confirmed = client
        .step(
            &view,
            json!({"kind": "confirmed", "need": "probes-shrouded"}),
        )
        .await?;
    let reading = json!({"kind": "reading", "test": "t-pack-voc", "result": "figure", "typed": "50.1", "minutes": 1.0, "insisted": false});
    let view = client.step(&confirmed, reading).await?;
    assert_eq!(view["bench"]["evidence"].as_array().map(Vec::len), Some(1));
    drop(server);
    database.remove().await
}
