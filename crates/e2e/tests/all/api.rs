//! The API from outside: sessions, origins, conflicts, retries, exports.

use serde_json::{Value, json};
use spannung_e2e::api::{Api, based, entry};
use spannung_e2e::{Client, Database, Done, House, PASSWORD, Server};
use uuid::Uuid;

#[tokio::test]
async fn sign_in_is_guarded() -> Done {
    let house = House::open("Pavo Renk").await?;
    let server = &house.server;
    let client = &house.client;
    let http = reqwest::Client::new();
    let url = format!("{}/api/session", server.url);
    let good = json!({"name": "Tomke Aal", "password": PASSWORD});
    let reply = http.post(&url).json(&good).send().await?;
    let cookie = reply.headers()["set-cookie"].to_str()?.to_string();
    assert!(
        cookie.contains("HttpOnly") && cookie.contains("SameSite=Lax"),
        "{cookie}"
    );
    assert!(!cookie.contains("Secure"), "plain http on loopback");
    // a foreign page may not even try; our own and none may
    let foreign = http
        .post(&url)
        .header("origin", "https://elsewhere.example")
        .json(&good)
        .send()
        .await?;
    assert_eq!(foreign.status(), 403);
    let ours = http
        .post(&url)
        .header("origin", &server.url)
        .json(&good)
        .send()
        .await?;
    assert_eq!(ours.status(), 200);
    // five wrong passwords stop the account, whatever comes then
    for k in 0..5 {
        let wrong = http
            .post(&url)
            .json(&json!({"name": "tomke aal", "password": "guess"}))
            .send()
            .await?;
        assert_eq!(wrong.status(), 401, "try {k}");
        assert_eq!(
            wrong.json::<Value>().await?["detail"],
            "Name and password do not fit together."
        );
    }
    let stopped = http.post(&url).json(&good).send().await?;
    assert_eq!(stopped.status(), 429);
    // signing out ends the session
    let gone = client
        .http
        .delete(format!("{}/session", client.api))
        .send()
        .await?;
    assert_eq!(gone.status(), 204);
    assert!(client.get("/rack").await.is_err());
    Ok(())
}

#[tokio::test]
async fn a_secure_address_makes_a_secure_cookie() -> Done {
    let database = Database::create().await?;
    let server = Server::start(
        &database.url,
        &["--demo", "--public-url", "https://bench.example"],
    )?;
    let http = reqwest::Client::new();
    let url = format!("{}/api/session", server.url);
    let good = json!({"name": "Ilse Dorn", "password": PASSWORD});
    let reply = http
        .post(&url)
        .header("origin", "https://bench.example")
        .json(&good)
        .send()
        .await?;
    assert_eq!(reply.status(), 200);
    assert!(reply.headers()["set-cookie"].to_str()?.contains("Secure"));
    let own = http
        .post(&url)
        .header("origin", &server.url)
        .json(&good)
        .send()
        .await?;
    assert_eq!(
        own.status(),
        403,
        "the listening address is not the public one"
    );
    Ok(())
}

#[tokio::test]
async fn two_people_writing_at_once_both_keep_their_entries() -> Done {
    let house = House::open("Pavo Renk").await?;
    let server = &house.server;
    let pavo = &house.client;
    let signe = Client::sign_in(&server.url, "Signe Lorr").await?;
    let job = pavo.open("Dead after the rain").await?;
    let write = async |client: &Client, name: &str| -> Done {
        for k in 0..15 {
            let note = entry(json!({"kind": "note", "text": format!("{name} {k}")}));
            let (status, reply) = client.add(&job, &[note]).await?;
            assert_eq!(status, 200, "{reply}");
        }
        Ok(())
    };
    let (a, b) = tokio::join!(write(pavo, "p"), write(&signe, "s"));
    a?;
    b?;
    let record = pavo
        .get(&format!(
            "/jobs/{}/record",
            job["id"].as_str().unwrap_or_default()
        ))
        .await?;
    let texts: Vec<&str> = record["lines"]
        .as_array()
        .ok_or("no lines")?
        .iter()
        .filter_map(|l| l["text"].as_str())
        .collect();
    for k in 0..15 {
        for who in ["p", "s"] {
            let text = format!("Note: {who} {k}");
            assert_eq!(texts.iter().filter(|t| **t == text).count(), 1, "{text}");
        }
    }
    Ok(())
}

#[tokio::test]
async fn decisions_on_an_old_state_get_the_newer_entry() -> Done {
    let house = House::open("Pavo Renk").await?;
    let server = &house.server;
    let pavo = &house.client;
    let signe = Client::sign_in(&server.url, "Signe Lorr").await?;
    let job = pavo.open("Lights up but no drive").await?;
    let old = job["head"].clone();
    let named = based(json!({"kind": "vehicle", "name": "Net bike"}), &old);
    assert_eq!(signe.add(&job, std::slice::from_ref(&named)).await?.0, 200);
    let (status, problem) = pavo
        .add(
            &job,
            &[based(json!({"kind": "vehicle", "name": "Other"}), &old)],
        )
        .await?;
    assert_eq!(status, 409);
    assert_eq!(problem["code"], "newer-entry");
    assert_eq!(problem["entry"]["body"]["name"], "Net bike");
    // sending the first again is no conflict: it stands there already
    assert_eq!(signe.add(&job, &[named]).await?.0, 200);
    // a decision without its base is refused, a note needs none
    let (status, problem) = pavo
        .add(
            &job,
            &[entry(
                json!({"kind": "close", "outcome": "declined", "cause_confirmed": false}),
            )],
        )
        .await?;
    assert_eq!((status, problem["code"].as_str()), (422, Some("no-base")));
    assert_eq!(
        pavo.add(&job, &[entry(json!({"kind": "note", "text": "x"}))])
            .await?
            .0,
        200
    );
    // closing on an old head is a conflict, too
    let (status, _) = pavo
        .add(
            &job,
            &[based(
                json!({"kind": "close", "outcome": "declined", "cause_confirmed": false}),
                &old,
            )],
        )
        .await?;
    assert_eq!(status, 409);
    Ok(())
}

#[tokio::test]
async fn bad_input_gets_a_problem_with_a_sentence() -> Done {
    let house = House::open("Pavo Renk").await?;
    let client = &house.client;
    let reply = client
        .http
        .get(format!("{}/nothing-here", client.api))
        .send()
        .await?;
    assert_eq!(reply.status(), 404);
    assert!(
        reply.headers()["content-type"]
            .to_str()?
            .starts_with("application/problem+json")
    );
    let big = "x".repeat(300_000);
    let reply = client
        .http
        .post(format!("{}/jobs", client.api))
        .header("content-type", "application/json")
        .body(big)
        .send()
        .await?;
    assert_eq!(reply.status(), 413);
    let (status, problem) = client
        .post("/jobs", &json!({"id": Uuid::new_v4(), "entries": [entry(json!({"kind": "opened", "words": "x", "volts_class": 37, "drive": "steam"}))]}))
        .await?;
    assert_eq!(
        (status, problem["code"].as_str()),
        (422, Some("unknown-family"))
    );
    let job = client
        .open_gate(client.open("Hums once then nothing").await?, "T-1")
        .await?;
    for (typed, code) in [
        ("4.7 what", "bad-reading"),
        ("", "bad-reading"),
        ("480", "absurd-reading"),
    ] {
        let mut view = job.clone();
        for need in ["probes-shrouded", "bus-dead"] {
            view = client
                .step(&view, json!({"kind": "confirmed", "need": need}))
                .await?;
        }
        let reading =
            json!({"kind": "reading", "test": "t-pack-voc", "result": "figure", "typed": typed});
        let (status, problem) = client.add(&view, &[entry(reading)]).await?;
        assert_eq!(
            (status, problem["code"].as_str()),
            (422, Some(code)),
            "{problem}"
        );
        assert!(problem["detail"].as_str().is_some_and(|d| d.len() > 15));
    }
    // 48 V on a hall pin
    let mut view = client
        .step(
            &job,
            json!({"kind": "state", "state": {"battery": "in", "key": "on", "wheel": "turned"}}),
        )
        .await?;
    view = client
        .step(&view, json!({"kind": "confirmed", "need": "wheel-up"}))
        .await?;
    let reading = json!({"kind": "reading", "test": "t-hall-a", "result": "figure", "typed": "48"});
    let (status, problem) = client.add(&view, &[entry(reading.clone())]).await?;
    assert_eq!(
        (status, problem["code"].as_str()),
        (422, Some("absurd-reading"))
    );
    assert!(
        problem["detail"]
            .as_str()
            .is_some_and(|d| d.contains("4.80 V?")),
        "{problem}"
    );
    assert_eq!(problem["suggestion"], "4.80");
    // the technician outranks the model
    let mut insisted = reading;
    insisted["insisted"] = json!(true);
    assert_eq!(client.add(&view, &[entry(insisted)]).await?.0, 200);
    Ok(())
}

#[tokio::test]
async fn a_job_leaves_as_json_and_its_readings_as_csv() -> Done {
    let house = House::open("Pavo Renk").await?;
    let client = &house.client;
    let mut view = client
        .open_gate(client.open("=1+2 dead throttle").await?, "T-2")
        .await?;
    view = client
        .step(
            &view,
            json!({"kind": "state", "state": {"battery": "in", "key": "on", "wheel": "lifted"}}),
        )
        .await?;
    view = client
        .step(
            &view,
            json!({"kind": "reading", "test": "t-thr-idle", "result": "figure", "typed": "-0.2"}),
        )
        .await?;
    let id = view["id"].as_str().unwrap_or_default().to_string();
    let csv = client
        .http
        .get(format!("{}/jobs/{id}/readings.csv", client.api))
        .send()
        .await?;
    assert!(
        csv.headers()["content-type"]
            .to_str()?
            .starts_with("text/csv")
    );
    let text = csv.text().await?;
    assert!(
        text.starts_with("number,time,by,on,test,name,low (SI),high (SI),unit"),
        "{text}"
    );
    assert!(
        text.contains(",-0.2,-0.2,V,"),
        "a negative reading stays as it is: {text}"
    );
    let bundle = client.get(&format!("/jobs/{id}/export.json")).await?;
    assert_eq!(bundle["format"], "spannung-job-2");
    let entries = bundle["entries"].as_array().ok_or("no entries")?;
    assert_eq!(entries[0]["body"]["words"], "=1+2 dead throttle");
    assert!(entries.iter().any(|e| e["body"]["typed"] == "-0.2"));
    // the circuit for a simulator: sound, and with a fault in it
    let circuit = async |query: &str| -> Done<(u16, String)> {
        let url = format!("{}/jobs/{id}/circuit.cir{query}", client.api);
        let reply = client.http.get(url).send().await?;
        Ok((reply.status().as_u16(), reply.text().await?))
    };
    let (status, sound) = circuit("").await?;
    assert_eq!(status, 200);
    assert!(
        sound.starts_with("vehicle, battery in, switched on"),
        "{sound}"
    );
    assert!(sound.contains("\nRtie") && sound.trim_end().ends_with(".end"));
    let (status, blown) = circuit("?fault=batt-fuse-open").await?;
    assert_eq!(status, 200, "{blown}");
    assert!(
        sound.lines().count() > blown.lines().count(),
        "the fuse is gone"
    );
    assert_eq!(circuit("?fault=witchcraft").await?.0, 422);
    let toy = client.open_other("Dead").await?;
    let url = format!(
        "{}/jobs/{}/circuit.cir",
        client.api,
        toy["id"].as_str().unwrap_or("")
    );
    assert_eq!(client.http.get(url).send().await?.status(), 422);
    // the same bytes again
    assert_eq!(
        bundle,
        client.get(&format!("/jobs/{id}/export.json")).await?
    );
    Ok(())
}

#[tokio::test]
async fn personal_data_can_be_erased_and_is_in_no_entry() -> Done {
    let house = House::open("Pavo Renk").await?;
    let server = &house.server;
    let client = &house.client;
    let job = client.open("Dead").await?;
    let card = Uuid::new_v4();
    let put = client
        .http
        .put(format!("{}/customers/{card}", client.api))
        .json(&json!({"name": "Wanda Brill", "contact": "0700 555 0101"}))
        .send()
        .await?;
    assert_eq!(put.status(), 204);
    let view = client
        .step(&job, json!({"kind": "customer", "customer": card}))
        .await?;
    assert_eq!(view["customer"]["name"], "Wanda Brill");
    let id = view["id"].as_str().unwrap_or_default().to_string();
    assert!(
        !client
            .get(&format!("/jobs/{id}/export.json"))
            .await?
            .to_string()
            .contains("Brill")
    );
    // the owner erases it; the report then says so, and the log stays as it was
    let owner = Client::sign_in(&server.url, "Ilse Dorn").await?;
    let log = client.get(&format!("/jobs/{id}/export.json")).await?;
    let gone = owner
        .http
        .delete(format!("{}/customers/{card}", owner.api))
        .send()
        .await?;
    assert_eq!(gone.status(), 204);
    let report = client.get(&format!("/jobs/{id}/report")).await?;
    assert_eq!(report["customer_erased"], true);
    assert_eq!(client.get(&format!("/jobs/{id}/export.json")).await?, log);
    assert_eq!(
        client.get(&format!("/jobs/{id}")).await?["customer"],
        Value::Null
    );
    Ok(())
}

#[tokio::test]
async fn a_trainee_is_not_proposed_what_only_a_specialist_may_do() -> Done {
    let house = House::open("Pavo Renk").await?;
    let server = &house.server;
    let _ = &house.client;
    let tomke = Client::sign_in(&server.url, "Tomke Aal").await?;
    let view = tomke
        .open_gate(tomke.open("Range is short").await?, "T-3")
        .await?;
    let id = view["id"].as_str().unwrap_or_default();
    let card = tomke.get(&format!("/jobs/{id}/tests/t-group-low")).await?;
    assert_eq!(card["blocked"], "For a specialist: refer it, or ask one.");
    let reading =
        json!({"kind": "reading", "test": "t-group-low", "result": "figure", "typed": "3.7..3.8"});
    let (status, problem) = tomke.add(&view, &[entry(reading)]).await?;
    assert_eq!(
        (status, problem["code"].as_str()),
        (403, Some("not-allowed"))
    );
    Ok(())
}

#[tokio::test]
async fn a_station_fetches_what_it_shows() -> Done {
    let house = House::open("Pavo Renk").await?;
    let client = &house.client;
    // the comeback of the demonstration: it has an earlier job, and its pack a past
    let rack = client.get("/rack").await?;
    let tickets = rack["workable"].as_array().cloned().unwrap_or_default();
    let comeback = tickets.iter().find(|t| t["comeback"].is_i64());
    let id = comeback.ok_or("no comeback on the rack")?["id"]
        .as_str()
        .unwrap_or_default();
    let all = client.get(&format!("/jobs/{id}")).await?;
    assert_ne!(all["earlier"], json!([]));
    let at = async |station: &str| client.get(&format!("/jobs/{id}?station={station}")).await;
    let (intake, gate) = (at("intake").await?, at("gate").await?);
    let (bench, other) = (at("bench").await?, at("other").await?);
    assert!(all["map"].is_object() && bench["map"].is_object());
    for without in [&intake, &gate, &other] {
        assert!(without["map"].is_null());
        assert_eq!(without["head"], all["head"]);
        assert_eq!(without["bench"]["suspects"], all["bench"]["suspects"]);
    }
    assert_eq!(intake["earlier"], all["earlier"]);
    assert_eq!(gate["gate"]["history"], all["gate"]["history"]);
    assert_eq!(other["earlier"], json!([]));
    let reply = client
        .http
        .get(format!("{}/jobs/{id}?station=cellar", client.api));
    let reply = reply.send().await?;
    assert_eq!(reply.status().as_u16(), 400);
    let problem: Value = reply.json().await?;
    assert!(
        problem["detail"].as_str().is_some_and(|d| !d.is_empty()),
        "{problem}"
    );
    Ok(())
}

/// While one writes, others look without a pause: what was read between two of its entries is one state of the log, in which no
/// entry stands twice, and none is weighed twice.
#[tokio::test]
async fn readers_beside_a_writer_see_each_entry_once() -> Done {
    let house = House::open("Pavo Renk").await?;
    let view = house.client.open("Cuts out now and then").await?;
    let job = view["id"].as_str().unwrap_or_default().to_string();
    let (over, done) = tokio::sync::watch::channel(false);
    let looks = (0..4).map(|_| {
        let (url, job, done) = (house.server.url.clone(), job.clone(), done.clone());
        tokio::spawn(async move {
            let client = Client::sign_in(&url, "Signe Lorr")
                .await
                .map_err(|e| e.to_string())?;
            let mut twice = Vec::new();
            while !*done.borrow() {
                let view = client.get(&format!("/jobs/{job}/record")).await;
                let view = view.map_err(|e| e.to_string())?;
                let lines = view["lines"].as_array().cloned().unwrap_or_default();
                let seq: Vec<i64> = lines.iter().filter_map(|l| l["seq"].as_i64()).collect();
                if !seq.is_sorted_by(|a, b| a < b) {
                    twice = seq;
                }
            }
            Ok::<_, String>(twice)
        })
    });
    let looks: Vec<_> = looks.collect();
    let note = |n: usize| json!({"kind": "note", "text": format!("note {n}")});
    let notes: Vec<Value> = (0..80).map(note).collect();
    house.client.write(&job, &notes).await?;
    over.send(true)?;
    for look in looks {
        assert_eq!(look.await??, Vec::<i64>::new(), "an entry stands twice");
    }
    Ok(())
}
