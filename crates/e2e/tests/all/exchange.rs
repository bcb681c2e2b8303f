//! Open formats, out and back in: bundles, CSV, calendar; backup and restore byte for byte.

use serde_json::{Value, json};
use spannung_e2e::api::Api;
use spannung_e2e::{Client, Database, Done, PASSWORD, Server};
use std::collections::BTreeMap;
use std::os::unix::fs::PermissionsExt;
use std::process::Command;
use uuid::Uuid;

async fn text(client: &Client, path: &str) -> Done<String> {
    let reply = client
        .http
        .get(format!("{}{path}", client.api))
        .send()
        .await?;
    Ok(reply.error_for_status()?.text().await?)
}

async fn send(client: &Client, path: &str, kind: &str, body: String) -> Done<(u16, Value)> {
    let reply = client
        .http
        .post(format!("{}{path}", client.api))
        .header("content-type", kind)
        .body(body)
        .send()
        .await?;
    Ok((reply.status().as_u16(), reply.json().await?))
}

/// Every job's export by its number.
async fn exports(client: &Client) -> Done<BTreeMap<i64, String>> {
    let rack = client.get("/rack?find=04").await?;
    let mut all = BTreeMap::new();
    for list in ["workable", "waiting", "closed"] {
        for t in rack[list].as_array().into_iter().flatten() {
            let id = t["id"].as_str().unwrap_or_default();
            let number = t["number"].as_i64().unwrap_or_default();
            all.insert(
                number,
                text(client, &format!("/jobs/{id}/export.json")).await?,
            );
        }
    }
    Ok(all)
}

/// An empty shop with its owner signed in.
async fn empty_shop() -> Done<(Database, Server, Client)> {
    let database = Database::create().await?;
    let (server, link) = Server::start_empty(&database.url)?;
    let token = link.rsplit('#').next().unwrap_or_default();
    let http = reqwest::Client::new();
    http.put(format!("{}/api/invitation", server.url))
        .json(&json!({"token": token, "name": "Pavo Renk", "password": PASSWORD}))
        .send()
        .await?
        .error_for_status()?;
    let client = Client::sign_in(&server.url, "Pavo Renk").await?;
    Ok((database, server, client))
}

#[tokio::test]
async fn out_in_and_out_again_is_the_same() -> Done {
    let database = Database::with_story().await?;
    let server = Server::start(&database.url, &["--demo"])?;
    let client = Client::sign_in(&server.url, "Pavo Renk").await?;
    let before = exports(&client).await?;
    assert!(before.len() >= 13);
    assert!(
        before.values().any(|t| t.contains("\"jpeg\"")),
        "a photo goes along"
    );
    let (_other_database, other, owner) = empty_shop().await?;
    for bundle in before.values() {
        let (status, reply) = send(&owner, "/import", "application/json", bundle.clone()).await?;
        assert_eq!(status, 200, "{reply}");
        assert!(reply["clash_with"].is_null());
    }
    assert_eq!(exports(&owner).await?, before);
    // what was released there does not count here; what was stopped does
    let rack = owner.get("/rack").await?;
    for t in rack["workable"].as_array().into_iter().flatten() {
        let id = t["id"].as_str().unwrap_or_default();
        let view = owner.get(&format!("/jobs/{id}")).await?;
        assert_ne!(view["gate"]["standing"], "open", "{}", view["number"]);
        assert_eq!(view["imported"]["by"], "Pavo Renk");
    }
    let stopped = owner.get("/rack?find=0403").await?;
    let id = stopped["waiting"][0]["id"].as_str().unwrap_or_default();
    let view = owner.get(&format!("/jobs/{id}")).await?;
    assert_eq!(view["gate"]["standing"], "stopped");
    // the pictures are there, too
    let with_photo = owner.get("/rack?find=0406").await?;
    let job = with_photo["workable"][0]["id"].as_str().unwrap_or_default();
    let view = owner.get(&format!("/jobs/{job}")).await?;
    let photo = view["photos"][0]["photo"].as_str().unwrap_or_default();
    let small = owner
        .http
        .get(format!(
            "{}/jobs/{job}/photos/{photo}?small=true",
            owner.api
        ))
        .send()
        .await?;
    assert_eq!(small.headers()["content-type"], "image/jpeg");
    // once more: the job is known, so it becomes another one with a link
    let again = before[&406].clone();
    let (status, reply) = send(&owner, "/import", "application/json", again).await?;
    assert_eq!(status, 200, "{reply}");
    assert_eq!(reply["clash_with"], json!(job));
    assert_ne!(reply["id"], json!(job));
    assert_ne!(reply["number"], json!(406));
    // a new job takes the next free number
    let fresh = owner.open("Dead").await?;
    assert!(
        fresh["number"].as_i64().is_some_and(|n| n > 413),
        "{}",
        fresh["number"]
    );
    drop(other);
    Ok(())
}

#[tokio::test]
async fn a_bundle_that_is_none_brings_nothing_in() -> Done {
    let (_database, _server, owner) = empty_shop().await?;
    let demo = Database::with_story().await?;
    let source = Server::start(&demo.url, &["--demo"])?;
    let pavo = Client::sign_in(&source.url, "Pavo Renk").await?;
    let good: Value = serde_json::from_str(&exports(&pavo).await?[&406])?;
    let with = |change: &dyn Fn(&mut Value)| {
        let mut b = good.clone();
        // a document from before there was a chain: what else is wrong with it shows
        b.as_object_mut().map(|b| b.remove("chain"));
        change(&mut b);
        b.to_string()
    };
    for (body, part) in [
        (with(&|b| b["format"] = json!("other-1")), "in the format"),
        (with(&|b| b["entries"] = json!([])), "1 to 5000 entries"),
        (
            with(&|b| b["entries"][3]["body"]["kind"] = json!("magic")),
            "not a whole job",
        ),
        (
            with(&|b| b["entries"][3]["id"] = b["entries"][4]["id"].clone()),
            "comes twice",
        ),
        (
            with(&|b| b["photos"][0]["jpeg"] = json!("!!!")),
            "not base 64",
        ),
        (
            with(&|b| b["photos"][0]["jpeg"] = json!("aGFsbG8=")),
            "no JPEG",
        ),
        (
            with(&|b| b["entries"][0]["body"]["drive"] = json!("warp")),
            "no wiring model",
        ),
        (
            with(&|b| b["entries"][0]["by"] = json!("")),
            "names who wrote it",
        ),
    ] {
        let (status, problem) = send(&owner, "/import", "application/json", body).await?;
        assert_eq!(status, 422, "{problem}");
        let detail = problem["detail"].as_str().unwrap_or_default();
        assert!(detail.contains(part), "{detail}");
    }
    let rack = owner.get("/rack?find=0").await?;
    assert_eq!(rack["open"], 0);
    drop(source);
    Ok(())
}

#[tokio::test]
async fn csv_goes_out_and_comes_in_once() -> Done {
    let database = Database::with_story().await?;
    let server = Server::start(&database.url, &["--demo"])?;
    let client = Client::sign_in(&server.url, "Pavo Renk").await?;
    let rack = client.get("/rack?find=04").await?;
    let id_of = |number: i64| -> String {
        ["workable", "waiting", "closed"]
            .iter()
            .filter_map(|l| rack[*l].as_array())
            .flatten()
            .find(|t| t["number"] == number)
            .and_then(|t| t["id"].as_str())
            .unwrap_or_default()
            .to_string()
    };
    let points = text(&client, &format!("/jobs/{}/readings.csv", id_of(410))).await?;
    let parts = text(&client, &format!("/jobs/{}/parts.csv", id_of(412))).await?;
    let time = text(&client, &format!("/jobs/{}/time.csv", id_of(412))).await?;
    assert!(points.starts_with("number,time,by,on,test,name,low (SI),high (SI),unit,"));
    assert!(parts.contains("minutes (min),price (cents),currency"));
    let view = client.open_other("The twin").await?;
    let view = client.open_gate(view, "B-81").await?;
    let job = view["id"].as_str().unwrap_or_default().to_string();
    for (file, body) in [("readings", &points), ("parts", &parts), ("time", &time)] {
        for _ in 0..2 {
            let path = format!("/jobs/{job}/{file}.csv");
            let (status, reply) = send(&client, &path, "text/csv", body.clone()).await?;
            assert_eq!(status, 200, "{file}: {reply}");
        }
    }
    let view = client.get(&format!("/jobs/{job}")).await?;
    assert_eq!(view["points"].as_array().map(Vec::len), Some(5));
    assert_eq!(view["points"][1]["verdict"], "low");
    let wanted = client.get(&format!("/jobs/{}", id_of(412))).await?;
    assert_eq!(view["parts"].as_array().map(Vec::len), Some(2));
    assert_eq!(view["parts"][0]["new"], wanted["parts"][0]["new"]);
    assert_eq!(view["parts"][0]["fate"], "recycled");
    let view = client.open_other("Another one").await?;
    let view = client.open_gate(view, "B-82").await?;
    let job = view["id"].as_str().unwrap_or_default().to_string();
    for (file, body, part) in [
        ("readings", "name,unit\nA,V\n", "“typed” is missing"),
        (
            "readings",
            "name,unit,typed\nA,furlong,3\n",
            "Line 2: the unit “furlong”",
        ),
        ("readings", "name,unit,typed\nA,V,5..1\n", "runs backwards"),
        (
            "parts",
            "part out,fate,part in,minutes (min)\nLamp,burnt,,3\n",
            "Line 2: the fate “burnt”",
        ),
        (
            "parts",
            "part out,fate,part in,minutes (min)\n,,Lamp,viele\n",
            "“viele” in minutes (min) is no number",
        ),
        (
            "time",
            "minutes (min),what for,time\n3,ride,yesterday\n",
            "“yesterday” is no time",
        ),
    ] {
        let path = format!("/jobs/{job}/{file}.csv");
        let (status, problem) = send(&client, &path, "text/csv", body.into()).await?;
        assert_eq!(status, 422, "{problem}");
        let detail = problem["detail"].as_str().unwrap_or_default();
        assert!(detail.contains(part), "{detail}");
    }
    Ok(())
}

#[tokio::test]
async fn the_calendar_is_private_and_revocable() -> Done {
    let database = Database::with_story().await?;
    let server = Server::start(&database.url, &["--demo"])?;
    let client = Client::sign_in(&server.url, "Pavo Renk").await?;
    let (_, link) = client.post("/me/calendar", &json!({})).await?;
    let url = link["url"].as_str().unwrap_or_default().to_string();
    let anybody = reqwest::Client::new();
    let reply = anybody.get(&url).send().await?.error_for_status()?;
    assert!(
        reply.headers()["content-type"]
            .to_str()?
            .starts_with("text/calendar")
    );
    let text = reply.text().await?;
    let unfolded = text.replace("\r\n ", "");
    for part in [
        "BEGIN:VCALENDAR",
        "SUMMARY:Promised: Job 0406\\, Market courier 3\\, yellow lid",
        "SUMMARY:Comes free: Job 0404\\, Chandler's long bike",
        "SUMMARY:Re-check: Job 0402",
        "DTSTART:20281017T142000Z",
    ] {
        assert!(unfolded.contains(part), "{part} in {unfolded}");
    }
    assert!(!text.contains("Jorun"), "no customer in it");
    // a new link ends the old one, and revoking ends it altogether
    let (_, second) = client.post("/me/calendar", &json!({})).await?;
    assert_eq!(anybody.get(&url).send().await?.status(), 404);
    let second = second["url"].as_str().unwrap_or_default();
    assert_eq!(anybody.get(second).send().await?.status(), 200);
    client
        .http
        .delete(format!("{}/me/calendar", client.api))
        .send()
        .await?;
    assert_eq!(anybody.get(second).send().await?.status(), 404);
    Ok(())
}

#[tokio::test]
async fn a_backup_restored_into_an_empty_server_gives_the_same_jobs() -> Done {
    let script = std::env::var("SPANNUNG_SCRIPT").unwrap_or_else(|_| "../../spannung".into());
    let run = |url: &str, words: &[&str]| -> Done<(bool, String)> {
        let out = Command::new(&script)
            .args(words)
            .env("DATABASE_URL", url)
            .output()?;
        let said = String::from_utf8_lossy(&out.stdout).into_owned()
            + String::from_utf8_lossy(&out.stderr).as_ref();
        Ok((out.status.success(), said))
    };
    let database = Database::with_story().await?;
    let server = Server::start(&database.url, &["--demo"])?;
    let client = Client::sign_in(&server.url, "Pavo Renk").await?;
    let before = exports(&client).await?;
    let file = std::env::temp_dir().join(format!("spannung-{}.backup", Uuid::new_v4()));
    let name = file.to_string_lossy().into_owned();
    let (good, said) = run(&database.url, &["backup", &name])?;
    assert!(good, "{said}");
    assert_eq!(
        std::fs::metadata(&file)?.permissions().mode() & 0o777,
        0o600
    );
    // never over another one, and never into a database that holds something
    let (good, said) = run(&database.url, &["backup", &name])?;
    assert!(!good && said.contains("never overwrites"), "{said}");
    let (good, said) = run(&database.url, &["restore", &name])?;
    assert!(!good && said.contains("into an empty one"), "{said}");
    drop(server);
    let empty = Database::create().await?;
    let (good, said) = run(&empty.url, &["restore", &name])?;
    assert!(good, "{said}");
    let again = Server::start(&empty.url, &["--demo"])?;
    let client = Client::sign_in(&again.url, "Pavo Renk").await?;
    assert_eq!(exports(&client).await?, before);
    // and work goes on in it
    let view = client.open("Dead").await?;
    assert!(view["number"].as_i64().is_some_and(|n| n > 413));
    std::fs::remove_file(file)?;
    drop(again);
    Ok(())
}
