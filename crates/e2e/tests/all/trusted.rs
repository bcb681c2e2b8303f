//! The base that people trust, from outside: dangers follow the pack, one job stops nobody else's, what cannot
//! be stored is said as what it is, nobody guesses their way in, and what was done is written down.

use serde_json::{Value, json};
use spannung_e2e::api::{Api, based, entry};
use spannung_e2e::cluster::Cluster;
use spannung_e2e::{Client, Database, Done, House, PASSWORD, Server};
use std::time::Duration;
use uuid::Uuid;

fn id_of(view: &Value) -> String {
    view["id"].as_str().unwrap_or_default().to_string()
}

async fn sticker(client: &Client, name: &str, job: &Value) -> Done<Value> {
    let url = format!("{}/packs/{name}?job={}", client.api, id_of(job));
    Ok(client.http.put(url).send().await?.json().await?)
}

#[tokio::test]
async fn a_danger_is_in_every_job_its_pack_comes_to() -> Done {
    let house = House::open("Pavo Renk").await?;
    let server = &house.server;
    let pavo = &house.client;
    let signe = Client::sign_in(&server.url, "Signe Lorr").await?;
    // a look at the Bench, on a modelled bike
    let first = pavo
        .open_gate(pavo.open("Range is short").await?, "Z-1")
        .await?;
    let seen =
        json!({"kind": "check", "test": "t-pack-case", "outcome": "swollen", "minutes": 1.0});
    let first = pavo.step(&first, seen).await?;
    assert_eq!(first["gate"]["standing"], "stopped");
    // a second job opened the gate with the same pack before: it hears of it as well
    let other = pavo.open_other("Does not charge").await?;
    let pack = sticker(pavo, "Z-1", &other).await?;
    assert_eq!(pack["past"]["jobs"], 1);
    assert_eq!(pack["past"]["dangers"], 1);
    let name =
        |known: bool| json!({"kind": "pack", "pack": pack["id"], "sticker": "Z-1", "known": known});
    let (status, problem) = pavo
        .add(&other, &[based(name(false), &other["head"])])
        .await?;
    assert_eq!(
        (status, problem["code"].as_str()),
        (422, Some("old-sticker"))
    );
    assert!(
        problem["detail"]
            .as_str()
            .is_some_and(|d| d.contains("Is it that pack?"))
    );
    let other = pavo.step(&other, name(true)).await?;
    assert_eq!(other["gate"]["standing"], "stopped");
    let stop = &other["gate"]["stops"][0];
    assert_eq!(stop["from"], "t-pack-case");
    assert_eq!(stop["by"], "Pavo Renk");
    // struck out nowhere, not even where the pack is off the vehicle
    let spare = sticker(pavo, "Z-2", &first).await?;
    let swap = json!({"kind": "pack", "pack": spare["id"], "sticker": "Z-2"});
    let first = pavo.step(&first, swap).await?;
    assert_eq!(first["gate"]["standing"], "asking");
    let void = json!({"kind": "void", "entry": stop["entry"], "reason": "slipped"});
    let (status, problem) = pavo.add(&first, &[entry(void)]).await?;
    assert_eq!(
        (status, problem["code"].as_str()),
        (422, Some("stop-holds"))
    );
    // a clearance takes its time
    let id = id_of(&other);
    let steps: Vec<Value> = ["out", "outdoors", "watch", "tag"]
        .iter()
        .map(|s| json!({"kind": "quarantine", "step": s}))
        .collect();
    let other = pavo.write(&id, &steps).await?;
    assert_eq!(other["gate"]["standing"], "quarantined");
    let clearance = json!({"kind": "clearance", "text": "Measured, dried, looked at"});
    let (status, problem) = signe
        .add(&other, &[based(clearance, &other["head"])])
        .await?;
    assert_eq!(
        (status, problem["code"].as_str()),
        (422, Some("still-watched"))
    );
    Ok(())
}

#[tokio::test]
async fn two_gate_answers_kept_without_the_network_do_not_collide() -> Done {
    let house = House::open("Pavo Renk").await?;
    let server = &house.server;
    let pavo = &house.client;
    let signe = Client::sign_in(&server.url, "Signe Lorr").await?;
    let job = pavo.open("Dead").await?;
    let pack = sticker(pavo, "Z-3", &job).await?;
    let job = pavo
        .step(
            &job,
            json!({"kind": "pack", "pack": pack["id"], "sticker": "Z-3"}),
        )
        .await?;
    let answer = |check: &str, answer: &str| {
        based(
            json!({"kind": "gate", "check": check, "answer": answer}),
            &job["head"],
        )
    };
    let one = answer("shape", "flat");
    let mut two = answer("leak", "none");
    two["knows"] = json!([one["id"]]);
    assert_eq!(pavo.add(&job, &[one]).await?.0, 200);
    assert_eq!(pavo.add(&job, &[two.clone()]).await?.0, 200);
    // somebody else's answer in between is still told
    let third = answer("heat", "cool");
    let (status, problem) = signe.add(&job, &[third]).await?;
    assert_eq!(
        (status, problem["code"].as_str()),
        (409, Some("newer-entry"))
    );
    // the same id with another content is no second sending
    two["body"]["answer"] = json!("leaks");
    let (status, problem) = pavo.add(&job, &[two]).await?;
    assert_eq!((status, problem["code"].as_str()), (409, Some("id-used")));
    let ahead = based(
        json!({"kind": "gate", "check": "heat", "answer": "cool"}),
        &json!(1_000_000),
    );
    let (status, problem) = pavo.add(&job, &[ahead]).await?;
    assert_eq!(
        (status, problem["code"].as_str()),
        (422, Some("base-ahead"))
    );
    Ok(())
}

#[tokio::test]
async fn an_intake_pressed_twice_opens_one_job() -> Done {
    let house = House::open("Pavo Renk").await?;
    let pavo = &house.client;
    let before = pavo.get("/rack").await?["open"].as_i64();
    let opened =
        entry(json!({"kind": "opened", "words": "Dead", "volts_class": 48, "drive": "geared-hub"}));
    let told =
        entry(json!({"kind": "symptom", "symptom": "S01", "yes": true, "by_customer": true}));
    let new = json!({"id": Uuid::new_v4(), "entries": [opened, told]});
    let (first, second) = tokio::join!(pavo.post("/jobs", &new), pavo.post("/jobs", &new));
    let ((a, first), (b, second)) = (first?, second?);
    assert_eq!((a, b), (200, 200), "{first} {second}");
    assert_eq!(first["number"], second["number"]);
    assert_eq!(
        pavo.get("/rack").await?["open"].as_i64(),
        before.map(|n| n + 1)
    );
    assert_eq!(
        pavo.view_of(&first).await?["symptoms"]
            .as_array()
            .map(Vec::len),
        Some(1)
    );
    Ok(())
}

#[tokio::test]
async fn many_who_write_to_one_job_at_once_are_all_taken() -> Done {
    let house = House::open("Pavo Renk").await?;
    let pavo = &house.client;
    let job = pavo.open("Dead").await?;
    let all: Vec<_> = (0..60)
        .map(|k| {
            let (http, url) = (
                pavo.http.clone(),
                format!("{}/jobs/{}/entries", pavo.api, id_of(&job)),
            );
            let body =
                json!({"entries": [entry(json!({"kind": "note", "text": format!("note {k}")}))]});
            tokio::spawn(async move {
                http.post(url)
                    .json(&body)
                    .send()
                    .await
                    .map(|r| r.status().as_u16())
            })
        })
        .collect();
    for one in all {
        assert_eq!(one.await??, 200);
    }
    let record = pavo.get(&format!("/jobs/{}/record", id_of(&job))).await?;
    let notes = record["lines"]
        .as_array()
        .map_or(0, |l| l.iter().filter(|l| l["kind"] == "note").count());
    assert_eq!(notes, 60);
    assert_eq!(record["chain"]["whole"], true, "{}", record["chain"]);
    Ok(())
}

#[tokio::test]
async fn what_cannot_be_stored_is_refused_and_is_no_outage() -> Done {
    let house = House::open("Pavo Renk").await?;
    let pavo = &house.client;
    let job = pavo.open("Dead").await?;
    for (body, code) in [
        (json!({"kind": "note", "text": "a\u{0}b"}), "bad-letter"),
        (
            json!({"kind": "skip", "test": "t-5v", "reason": "x".repeat(5000)}),
            "too-long",
        ),
        (
            json!({"kind": "terms", "promised": "0001-01-01T00:00:00Z"}),
            "bad-date",
        ),
        (
            json!({"kind": "pack", "pack": Uuid::new_v4(), "sticker": "Z-9"}),
            "unknown-reference",
        ),
        (
            json!({"kind": "void", "entry": Uuid::new_v4(), "reason": "x"}),
            "unknown-entry",
        ),
    ] {
        let (status, problem) = pavo.add(&job, &[based(body.clone(), &job["head"])]).await?;
        assert_eq!(
            (status, problem["code"].as_str()),
            (422, Some(code)),
            "{body}"
        );
        assert!(problem["field"].is_string(), "{problem}");
    }
    let many: Vec<Value> = (0..201)
        .map(|_| entry(json!({"kind": "note", "text": "x"})))
        .collect();
    assert_eq!(pavo.add(&job, &many).await?.1["code"], "too-many");
    // nothing of these was stored
    assert_eq!(
        pavo.get(&format!("/jobs/{}", id_of(&job))).await?["head"],
        job["head"]
    );
    Ok(())
}

/// A job of the story as a document, changed.
async fn document(client: &Client, change: impl Fn(&mut Value)) -> Done<String> {
    let rack = client.get("/rack?find=0406").await?;
    let id = id_of(&rack["workable"][0]);
    let mut bundle = client.get(&format!("/jobs/{id}/export.json")).await?;
    bundle.as_object_mut().map(|b| b.remove("chain"));
    change(&mut bundle);
    Ok(bundle.to_string())
}

async fn bring(client: &Client, body: String) -> Done<(u16, Value)> {
    let reply = client
        .http
        .post(format!("{}/import", client.api))
        .header("content-type", "application/json")
        .body(body)
        .send()
        .await?;
    Ok((reply.status().as_u16(), reply.json().await?))
}

#[tokio::test]
async fn an_import_stops_nobody() -> Done {
    let house = House::open("Pavo Renk").await?;
    let pavo = &house.client;
    let note = |body: Value| {
        move |b: &mut Value| {
            let mut e = b["entries"][0].clone();
            e["id"] = json!(Uuid::from_u128(77));
            e["body"] = body.clone();
            if let Some(list) = b["entries"].as_array_mut() {
                list.push(e);
            }
        }
    };
    for (body, part) in [
        (
            json!({"kind": "void", "entry": Uuid::from_u128(77), "reason": "me"}),
            "no such entry",
        ),
        (
            json!({"kind": "terms", "promised": "9999-12-31T23:59:59Z"}),
            "The year 9999",
        ),
        (
            json!({"kind": "part", "new": "x", "minutes": 1, "price_cents": i64::MAX}),
            "too large",
        ),
        (
            json!({"kind": "change", "change": {"what": "colour", "strand": "throttle", "pin": 40, "code": "BU"}}),
            "does not fit",
        ),
        (
            json!({"kind": "note", "text": "a\u{0}b"}),
            "control character",
        ),
    ] {
        let (status, problem) = bring(pavo, document(pavo, note(body)).await?).await?;
        assert_eq!(status, 422, "{problem}");
        let said = problem["detail"].as_str().unwrap_or_default();
        assert!(said.contains(part) && said.contains("Entry "), "{said}");
    }
    let early = document(pavo, |b| {
        b["entries"][1]["at"] = json!("0000-01-01T00:00:00Z")
    })
    .await?;
    assert_eq!(bring(pavo, early).await?.0, 422);
    // a number from the end of the row uses none up, and its dangers come along
    let danger = |b: &mut Value| {
        b["number"] = json!(i32::MAX);
        note(json!({"kind": "check", "test": "t-pack-case", "outcome": "wet", "minutes": 1}))(b);
    };
    let (status, came) = bring(pavo, document(pavo, danger).await?).await?;
    assert_eq!(status, 200, "{came}");
    assert!(came["number"].as_i64().is_some_and(|n| n < 1000), "{came}");
    let view = pavo.view_of(&came).await?;
    assert_eq!(view["gate"]["standing"], "stopped");
    let next = pavo.open("Dead").await?;
    assert!(next["number"].as_i64().is_some_and(|n| n < 1000));
    // everything of what was taken opens
    for page in [
        "",
        "/record",
        "/report",
        "/export.json",
        "/readings.csv",
        "/parts.csv",
        "/time.csv",
        "/forecast",
        "/profile",
    ] {
        let url = format!("{}/jobs/{}{page}", pavo.api, id_of(&view));
        assert_eq!(pavo.http.get(url).send().await?.status(), 200, "{page}");
    }
    assert_eq!(
        pavo.http
            .get(format!("{}/rack", pavo.api))
            .send()
            .await?
            .status(),
        200
    );
    Ok(())
}

#[tokio::test]
async fn a_broken_job_is_a_broken_ticket_and_nobody_elses_trouble() -> Done {
    let house = House::open("Pavo Renk").await?;
    let pavo = &house.client;
    let job = pavo.open("Dead").await?;
    let wire = entry(
        json!({"kind": "change", "change": {"what": "extra-wire", "strand": "throttle", "code": "BU", "function": "cruise"}}),
    );
    let mut wire = wire;
    wire["based_on"] = job["head"].clone();
    assert_eq!(pavo.add(&job, &[wire.clone()]).await?.0, 200);
    let view = pavo.view_of(&job).await?;
    // the throttle has three wires: the one more sits on pin 4
    let colour = json!({"kind": "change", "change": {"what": "colour", "strand": "throttle", "pin": 4, "code": "GN"}});
    let view = pavo.step(&view, colour).await?;
    // admission keeps them together
    let void = json!({"kind": "void", "entry": wire["id"], "reason": "not there"});
    let (status, problem) = pavo.add(&view, &[entry(void.clone())]).await?;
    assert_eq!((status, problem["code"].as_str()), (422, Some("needed")));
    // as an older program let it through, and an entry that a newer one wrote into another job
    let pool = sqlx::PgPool::connect(&house.database.url).await?;
    let insert =
        "INSERT INTO entry (id, job_id, at, by_name, body) VALUES ($1, $2, now(), 'Ada', $3)";
    for (job, body) in [
        (id_of(&view), void),
        (
            id_of(&pavo.open("Squeaks").await?),
            json!({"kind": "hologram", "of": 1}),
        ),
    ] {
        let id: Uuid = job.parse()?;
        sqlx::query(insert)
            .bind(Uuid::new_v4())
            .bind(id)
            .bind(body)
            .execute(&pool)
            .await?;
        sqlx::query(
            "UPDATE job SET head = (SELECT max(seq) FROM entry WHERE job_id = $1) WHERE id = $1",
        )
        .bind(id)
        .execute(&pool)
        .await?;
        let seen = pavo.get(&format!("/jobs/{job}")).await?;
        assert!(seen["broken"].is_string(), "{}", seen["broken"]);
        assert!(seen["bench"].is_null());
        let record = pavo.get(&format!("/jobs/{job}/record")).await?;
        assert!(record["lines"].as_array().is_some_and(|l| !l.is_empty()));
        let rack = pavo.get("/rack").await?;
        let ticket = rack["workable"]
            .as_array()
            .into_iter()
            .flatten()
            .find(|t| t["id"] == json!(job))
            .cloned();
        assert!(ticket.is_some_and(|t| t["broken"].is_string()));
        assert!(rack["open"].as_u64().is_some_and(|n| n > 5));
        let (status, problem) = pavo
            .add(
                &seen,
                &[entry(json!({"kind": "minutes", "minutes": 1, "what": "x"}))],
            )
            .await?;
        assert_eq!((status, problem["code"].as_str()), (422, Some("broken")));
        assert_eq!(
            pavo.add(&seen, &[entry(json!({"kind": "note", "text": "why?"}))])
                .await?
                .0,
            200
        );
    }
    // what was changed behind the program's back shows in the chain
    let record = pavo.get(&format!("/jobs/{}/record", id_of(&view))).await?;
    assert_eq!(record["chain"]["whole"], false);
    // struck out, the first one is whole again
    let colour = view["changes"].as_array().map(Vec::len);
    assert_eq!(colour, Some(2));
    let lines = record["lines"].as_array().cloned().unwrap_or_default();
    let line = lines
        .iter()
        .find(|l| l["kind"] == "change" && l["voided"].is_null())
        .ok_or("no change")?;
    let seen = pavo.get(&format!("/jobs/{}", id_of(&view))).await?;
    let void = json!({"kind": "void", "entry": line["entry"], "reason": "went with its wire"});
    let (status, problem) = pavo.add(&seen, &[entry(void)]).await?;
    assert_eq!(status, 200, "{problem}");
    let seen = pavo.get(&format!("/jobs/{}", id_of(&view))).await?;
    assert!(seen["broken"].is_null() && seen["bench"].is_object());
    pool.close().await;
    Ok(())
}

#[tokio::test]
async fn guessing_is_counted_before_it_costs_anything() -> Done {
    let house = House::open("Pavo Renk").await?;
    let server = &house.server;
    let _pavo = &house.client;
    let url = format!("{}/api/session", server.url);
    let http = reqwest::Client::new();
    let all: Vec<_> = (0..40)
        .map(|k| {
            let (http, url) = (http.clone(), url.clone());
            // however it is written, it is one account
            let name = ["Tomke Aal", " tomke  aal", "TOMKE AAL "][k % 3];
            let body = json!({"name": name, "password": format!("guess {k}")});
            tokio::spawn(async move {
                http.post(url)
                    .json(&body)
                    .send()
                    .await
                    .map(|r| r.status().as_u16())
            })
        })
        .collect();
    let mut looked_at = 0;
    for one in all {
        match one.await?? {
            401 => looked_at += 1,
            429 => {}
            other => return Err(format!("{other}").into()),
        }
    }
    assert_eq!(
        looked_at, 5,
        "the slow hash is worked out five times, not forty"
    );
    Ok(())
}

#[tokio::test]
async fn sessions_are_seen_ended_and_left_behind() -> Done {
    let house = House::open("Pavo Renk").await?;
    let server = &house.server;
    let pavo = &house.client;
    let second = Client::sign_in(&server.url, "Pavo Renk").await?;
    let all = pavo.get("/me/sessions").await?;
    let others: Vec<&Value> = all
        .as_array()
        .into_iter()
        .flatten()
        .filter(|s| s["this"] == false)
        .collect();
    assert_eq!(others.len(), 1);
    let url = format!(
        "{}/me/sessions/{}",
        pavo.api,
        others[0]["id"].as_str().unwrap_or_default()
    );
    // nobody ends another person's
    let signe = Client::sign_in(&server.url, "Signe Lorr").await?;
    let foreign = url.replace(&pavo.api, &signe.api);
    assert_eq!(signe.http.delete(foreign).send().await?.status(), 404);
    assert_eq!(pavo.http.delete(url).send().await?.status(), 204);
    assert!(second.get("/rack").await.is_err());
    // signing in again in one browser leaves nothing behind
    let body = json!({"name": "Pavo Renk", "password": PASSWORD});
    for _ in 0..3 {
        pavo.http
            .post(format!("{}/session", pavo.api))
            .json(&body)
            .send()
            .await?
            .error_for_status()?;
    }
    assert_eq!(
        pavo.get("/me/sessions").await?.as_array().map(Vec::len),
        Some(1)
    );
    // an idle one ends, and asks before people are changed some time after the password was given
    let pool = sqlx::PgPool::connect(&house.database.url).await?;
    let owner = Client::sign_in(&server.url, "Ilse Dorn").await?;
    sqlx::query("UPDATE session SET confirmed_at = now() - interval '20 minutes'")
        .execute(&pool)
        .await?;
    let person = json!({"id": Uuid::new_v4(), "name": "Rasmus Vey", "role": "trainee"});
    let (status, problem) = owner.post("/people", &person).await?;
    assert_eq!((status, problem["code"].as_str()), (403, Some("confirm")));
    let (status, _) = owner
        .post("/session/confirm", &json!({"password": "not this one"}))
        .await?;
    assert_eq!(status, 403);
    let again = owner
        .http
        .post(format!("{}/session/confirm", owner.api))
        .json(&json!({"password": PASSWORD}));
    assert_eq!(again.send().await?.status(), 204);
    assert_eq!(owner.post("/people", &person).await?.0, 200);
    sqlx::query("UPDATE session SET seen_at = now() - interval '5 hours'")
        .execute(&pool)
        .await?;
    assert!(owner.get("/rack").await.is_err());
    // all of it stands in the audit log, which only the owner reads
    let owner = Client::sign_in(&server.url, "Ilse Dorn").await?;
    let lines = owner.get("/audit").await?;
    let said: Vec<&str> = lines
        .as_array()
        .into_iter()
        .flatten()
        .filter_map(|l| l["what"].as_str())
        .collect();
    for what in ["signed in", "person added", "refused"] {
        assert!(said.contains(&what), "{what}: {said:?}");
    }
    pool.close().await;
    Ok(())
}

/// The code of a secret in base 32 at a time, worked out here by RFC 6238 from nothing but a hash.
fn code(secret: &str, seconds: u64) -> String {
    let mut bits = 0u64;
    let mut held = 0;
    let mut key = Vec::new();
    for c in secret.bytes().filter(|c| *c != b'=') {
        let five = match c {
            b'A'..=b'Z' => c - b'A',
            _ => c - b'2' + 26,
        };
        bits = (bits << 5) | u64::from(five);
        held += 5;
        if held >= 8 {
            held -= 8;
            key.push(u8::try_from((bits >> held) & 0xff).unwrap_or(0));
        }
    }
    let step = (seconds / 30).to_be_bytes();
    let hmac = sha1_hmac(&key, &step);
    let at = usize::from(hmac[19] & 0x0f);
    let word = u32::from_be_bytes([hmac[at] & 0x7f, hmac[at + 1], hmac[at + 2], hmac[at + 3]]);
    format!("{:06}", word % 1_000_000)
}

fn sha1_hmac(key: &[u8], message: &[u8]) -> [u8; 20] {
    let pad = |with: u8| -> Vec<u8> {
        let mut block = key.to_vec();
        block.resize(64, 0);
        block.iter().map(|b| b ^ with).collect()
    };
    let inner = sha1(&[pad(0x36), message.to_vec()].concat());
    sha1(&[pad(0x5c), inner.to_vec()].concat())
}

/// SHA-1 as FIPS 180-4 writes it.
fn sha1(message: &[u8]) -> [u8; 20] {
    let mut h: [u32; 5] = [
        0x6745_2301,
        0xefcd_ab89,
        0x98ba_dcfe,
        0x1032_5476,
        0xc3d2_e1f0,
    ];
    let mut data = message.to_vec();
    data.push(0x80);
    while data.len() % 64 != 56 {
        data.push(0);
    }
    data.extend((message.len() as u64 * 8).to_be_bytes());
    for block in data.chunks(64) {
        let mut w = [0u32; 80];
        for (k, four) in block.chunks(4).enumerate() {
            w[k] = u32::from_be_bytes([four[0], four[1], four[2], four[3]]);
        }
        for k in 16..80 {
            w[k] = (w[k - 3] ^ w[k - 8] ^ w[k - 14] ^ w[k - 16]).rotate_left(1);
        }
        let [mut a, mut b, mut c, mut d, mut e] = h;
        for (k, word) in w.iter().enumerate() {
            let (f, constant) = match k {
                0..20 => ((b & c) | (!b & d), 0x5a82_7999u32),
                20..40 => (b ^ c ^ d, 0x6ed9_eba1),
                40..60 => ((b & c) | (b & d) | (c & d), 0x8f1b_bcdc),
                _ => (b ^ c ^ d, 0xca62_c1d6),
            };
            let next = a
                .rotate_left(5)
                .wrapping_add(f)
                .wrapping_add(e)
                .wrapping_add(constant)
                .wrapping_add(*word);
            (e, d, c, b, a) = (d, c, b.rotate_left(30), a, next);
        }
        for (sum, part) in h.iter_mut().zip([a, b, c, d, e]) {
            *sum = sum.wrapping_add(part);
        }
    }
    let mut out = [0; 20];
    for (four, word) in out.chunks_mut(4).zip(h) {
        four.copy_from_slice(&word.to_be_bytes());
    }
    out
}

#[tokio::test]
async fn a_second_factor_keeps_a_known_password_out() -> Done {
    // the reference values of RFC 6238, appendix B, to six figures
    let reference = "GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ";
    assert_eq!(code(reference, 59), "287082");
    assert_eq!(code(reference, 1_111_111_109), "081804");
    let house = House::open("Pavo Renk").await?;
    let server = &house.server;
    let _pavo = &house.client;
    let owner = Client::sign_in(&server.url, "Ilse Dorn").await?;
    let (status, made) = owner
        .post("/me/factor", &json!({"password": PASSWORD}))
        .await?;
    assert_eq!(status, 200, "{made}");
    let secret = made["secret"].as_str().unwrap_or_default().to_string();
    let now = || {
        std::time::SystemTime::now()
            .duration_since(std::time::UNIX_EPOCH)
            .map_or(0, |d| d.as_secs())
    };
    let use_it = async |code: String| -> Done<u16> {
        let url = format!("{}/me/factor", owner.api);
        Ok(owner
            .http
            .put(url)
            .json(&json!({"code": code}))
            .send()
            .await?
            .status()
            .as_u16())
    };
    assert_eq!(use_it("000000".into()).await?, 403);
    let began = now();
    assert_eq!(use_it(code(&secret, began)).await?, 204);
    let url = format!("{}/api/session", server.url);
    let sign_in = async |code: Option<String>| -> Done<(u16, Value)> {
        let body = json!({"name": "Ilse Dorn", "password": PASSWORD, "code": code});
        let reply = reqwest::Client::new().post(&url).json(&body).send().await?;
        Ok((reply.status().as_u16(), reply.json().await?))
    };
    let (status, problem) = sign_in(None).await?;
    assert_eq!(
        (status, problem["code"].as_str()),
        (401, Some("code-needed"))
    );
    let (status, problem) = sign_in(Some(code(&secret, began))).await?;
    assert_eq!(
        (status, problem["code"].as_str()),
        (403, Some("wrong-code")),
        "used once already"
    );
    // the next one, a little early, as a clock that runs ahead makes it
    let (status, me) = sign_in(Some(code(&secret, began + 30))).await?;
    assert_eq!((status, me["role"].as_str()), (200, Some("owner")), "{me}");
    Ok(())
}

#[tokio::test]
async fn every_reply_carries_its_policy() -> Done {
    let database = Database::create().await?;
    let server = Server::start(
        &database.url,
        &["--demo", "--public-url", "https://bench.example"],
    )?;
    let http = reqwest::Client::new();
    for path in [
        "/",
        "/jobs/x/bench",
        "/assets/none.js",
        "/favicon.ico",
        "/api/health",
        "/api/nothing",
        "/api/rack",
    ] {
        let reply = http.get(format!("{}{path}", server.url)).send().await?;
        let policy = reply
            .headers()
            .get("content-security-policy")
            .ok_or(format!("{path}: none"))?;
        let policy = policy.to_str()?;
        assert!(
            policy.contains("frame-ancestors 'none'") && !policy.contains("unsafe"),
            "{path}: {policy}"
        );
    }
    let reply = http
        .post(format!("{}/api/session", server.url))
        .header("origin", "https://bench.example")
        .json(&json!({"name": "Ilse Dorn", "password": PASSWORD}))
        .send()
        .await?;
    let cookie = reply.headers()["set-cookie"].to_str()?.to_string();
    assert!(
        cookie.starts_with("__Host-spannung_session=") && cookie.contains("Secure"),
        "{cookie}"
    );
    Ok(())
}

#[tokio::test]
async fn a_trainee_strikes_out_their_own_lines_only() -> Done {
    let house = House::open("Pavo Renk").await?;
    let server = &house.server;
    let pavo = &house.client;
    let tomke = Client::sign_in(&server.url, "Tomke Aal").await?;
    let job = pavo.open("Dead").await?;
    let note = entry(json!({"kind": "note", "text": "by Pavo"}));
    pavo.add(&job, std::slice::from_ref(&note)).await?;
    let own = entry(json!({"kind": "note", "text": "by Tomke"}));
    tomke.add(&job, std::slice::from_ref(&own)).await?;
    let void =
        |of: &Value| entry(json!({"kind": "void", "entry": of["id"], "reason": "not this bike"}));
    let (status, problem) = tomke.add(&job, &[void(&note)]).await?;
    assert_eq!(
        (status, problem["code"].as_str()),
        (403, Some("not-allowed"))
    );
    assert_eq!(tomke.add(&job, &[void(&own)]).await?.0, 200);
    assert_eq!(pavo.add(&job, &[void(&note)]).await?.0, 200);
    Ok(())
}

#[tokio::test]
async fn equal_lines_of_a_file_are_said() -> Done {
    let house = House::open("Pavo Renk").await?;
    let pavo = &house.client;
    let job = pavo
        .open_gate(pavo.open_other("Dead").await?, "Z-7")
        .await?;
    let text = "minutes (min),what for\n5,ride\n7,wash\n5,ride\n";
    let path = format!("{}/jobs/{}/time.csv", pavo.api, id_of(&job));
    let send = async || -> Done<Value> {
        let reply = pavo
            .http
            .post(&path)
            .header("content-type", "text/csv")
            .body(text)
            .send()
            .await?;
        Ok(reply.error_for_status()?.json().await?)
    };
    let first = send().await?;
    assert_eq!(first, json!({"lines": 3, "known": 0, "equal": [4]}));
    let again = send().await?;
    assert_eq!(again["known"], 2);
    Ok(())
}

#[tokio::test]
async fn a_stream_ends_with_its_session_and_beats_until_then() -> Done {
    let house = House::open("Pavo Renk").await?;
    let server = &house.server;
    let pavo = &house.client;
    let owner = Client::sign_in(&server.url, "Ilse Dorn").await?;
    let stream = reqwest::Client::builder().cookie_store(true).build()?;
    let body = json!({"name": "Pavo Renk", "password": PASSWORD});
    stream
        .post(format!("{}/session", pavo.api))
        .json(&body)
        .send()
        .await?
        .error_for_status()?;
    let mut news = stream
        .get(format!("{}/events", pavo.api))
        .send()
        .await?
        .error_for_status()?;
    let mut heard = String::new();
    let mut until = async |word: &str| -> Done {
        let wait = async {
            while !heard.contains(word) {
                match news.chunk().await? {
                    Some(bytes) => heard.push_str(&String::from_utf8_lossy(&bytes)),
                    None => {
                        return Err::<(), spannung_e2e::Failure>(
                            format!("ended before {word}: {heard}").into(),
                        );
                    }
                }
            }
            Ok(())
        };
        tokio::time::timeout(Duration::from_secs(40), wait).await?
    };
    until("look").await?;
    let job = pavo.open("Dead").await?;
    until(&id_of(&job)).await?;
    until("event: beat").await?;
    let people = owner.get("/people").await?;
    let who = people
        .as_array()
        .into_iter()
        .flatten()
        .find(|p| p["name"] == "Pavo Renk")
        .cloned()
        .ok_or("nobody")?;
    let url = format!("{}/people/{}", owner.api, id_of(&who));
    let change = json!({"name": "Pavo Renk", "role": "technician", "disabled": true});
    owner
        .http
        .put(url)
        .json(&change)
        .send()
        .await?
        .error_for_status()?;
    assert!(until("never said").await.is_err(), "the stream ends");
    Ok(())
}

#[tokio::test]
async fn health_tells_the_truth() -> Done {
    let cluster = Cluster::create()?;
    let server = Server::start(&cluster.url(), &["--demo"])?;
    let http = reqwest::Client::new();
    let health = async || -> Done<(u16, Value)> {
        let reply = http
            .get(format!("{}/api/health", server.url))
            .send()
            .await?;
        Ok((reply.status().as_u16(), reply.json().await?))
    };
    let (status, said) = health().await?;
    assert_eq!(
        (status, &said["database"], &said["writes"]),
        (200, &json!(true), &json!(true))
    );
    cluster.kill()?;
    let (status, said) = health().await?;
    assert_eq!((status, &said["database"]), (503, &json!(false)));
    drop(server);
    Ok(())
}
