//! Who may do what, and what strangers and bad input get: every route against every role, foreign
//! origins, bodies that are too large or no JSON, tricks in paths, formulas, HTML in every text.

use serde_json::{Value, json};
use spannung_e2e::api::{Api, entry};
use spannung_e2e::{Client, Database, Done, Server, Shop};
use std::process::Command;
use thirtyfour::prelude::*;
use uuid::Uuid;

/// Who may call a route.
#[derive(Clone, Copy, PartialEq, Eq)]
enum May {
    /// Without a session, too.
    Anybody,
    /// Whoever is signed in.
    SignedIn,
    /// Not a trainee.
    Releases,
    /// The owner.
    Owner,
}

/// Every route there is. A route that is not here fails the test: who adds one says who may call it.
const TABLE: &[(&str, &str, May)] = &[
    ("get", "/health", May::Anybody),
    ("post", "/session", May::Anybody),
    ("post", "/invitation", May::Anybody),
    ("put", "/invitation", May::Anybody),
    ("get", "/calendar/{token}", May::Anybody),
    ("get", "/session", May::SignedIn),
    ("delete", "/session", May::SignedIn),
    ("post", "/session/change", May::SignedIn),
    ("post", "/session/confirm", May::SignedIn),
    ("get", "/me/sessions", May::SignedIn),
    ("delete", "/me/sessions/{id}", May::SignedIn),
    ("get", "/me/factor", May::SignedIn),
    ("post", "/me/factor", May::SignedIn),
    ("put", "/me/factor", May::SignedIn),
    ("delete", "/me/factor", May::SignedIn),
    ("get", "/audit", May::Owner),
    ("get", "/events", May::SignedIn),
    ("get", "/customers/{id}/before", May::Owner),
    ("put", "/me/password", May::SignedIn),
    ("put", "/me/code", May::SignedIn),
    ("post", "/me/calendar", May::SignedIn),
    ("delete", "/me/calendar", May::SignedIn),
    ("get", "/people", May::SignedIn),
    ("post", "/people", May::Owner),
    ("put", "/people/{id}", May::Owner),
    ("post", "/people/{id}/link", May::Owner),
    ("get", "/shop", May::SignedIn),
    ("put", "/shop", May::Owner),
    ("get", "/shop/history", May::Owner),
    ("get", "/catalogue", May::SignedIn),
    ("get", "/rack", May::SignedIn),
    ("get", "/vehicles", May::SignedIn),
    ("get", "/sheets", May::SignedIn),
    ("get", "/builds", May::SignedIn),
    ("post", "/jobs/{id}/build", May::SignedIn),
    ("delete", "/builds/{id}", May::Releases),
    ("post", "/intake", May::SignedIn),
    ("post", "/intake/ahead", May::SignedIn),
    ("post", "/jobs", May::SignedIn),
    ("get", "/jobs/{id}", May::SignedIn),
    ("post", "/jobs/{id}/entries", May::SignedIn),
    ("get", "/jobs/{id}/tests/{test}", May::SignedIn),
    ("get", "/jobs/{id}/record", May::SignedIn),
    ("get", "/jobs/{id}/forecast", May::SignedIn),
    ("get", "/jobs/{id}/profile", May::SignedIn),
    ("post", "/jobs/{id}/if-so", May::SignedIn),
    ("post", "/jobs/{id}/ahead", May::SignedIn),
    ("post", "/jobs/{id}/tests/{test}/capture", May::SignedIn),
    ("get", "/jobs/{id}/report", May::SignedIn),
    ("get", "/jobs/{id}/events", May::SignedIn),
    ("post", "/jobs/{id}/sheet", May::SignedIn),
    ("get", "/jobs/{id}/photos/{photo}", May::SignedIn),
    ("put", "/jobs/{id}/photos/{photo}", May::SignedIn),
    ("get", "/jobs/{id}/export.json", May::SignedIn),
    ("get", "/jobs/{id}/circuit.cir", May::SignedIn),
    ("get", "/job.schema.json", May::SignedIn),
    ("post", "/import", May::Releases),
    ("get", "/jobs/{id}/readings.csv", May::SignedIn),
    ("post", "/jobs/{id}/readings.csv", May::SignedIn),
    ("get", "/jobs/{id}/parts.csv", May::SignedIn),
    ("post", "/jobs/{id}/parts.csv", May::SignedIn),
    ("get", "/jobs/{id}/time.csv", May::SignedIn),
    ("post", "/jobs/{id}/time.csv", May::SignedIn),
    ("put", "/customers/{id}", May::SignedIn),
    ("delete", "/customers/{id}", May::Owner),
    ("put", "/packs/{sticker}", May::SignedIn),
];

fn address(path: &str) -> String {
    path.replace("{id}", &Uuid::nil().to_string())
        .replace("{photo}", &Uuid::nil().to_string())
        .replace("{test}", "t")
        .replace("{token}", "none")
        .replace("{sticker}", "s")
}

fn described() -> Done<Vec<(String, String)>> {
    let program = std::env::var("SPANNUNG_SERVER")
        .unwrap_or_else(|_| "../../target/debug/spannung-server".into());
    let text = Command::new(program).arg("openapi").output()?.stdout;
    let doc: Value = serde_json::from_slice(&text)?;
    let mut all = Vec::new();
    for (path, methods) in doc["paths"].as_object().ok_or("no paths")? {
        for method in methods.as_object().ok_or("no methods")?.keys() {
            all.push((method.clone(), path.clone()));
        }
    }
    Ok(all)
}

async fn call(http: &reqwest::Client, url: &str, method: &str, path: &str) -> Done<(u16, Value)> {
    let verb = reqwest::Method::from_bytes(method.to_uppercase().as_bytes())?;
    let reply = http
        .request(verb, format!("{url}/api{}", address(path)))
        .header("content-type", "application/json")
        .body("{}")
        .send()
        .await?;
    let status = reply.status().as_u16();
    // a stream does not end: that it begins is the answer
    if status == 200 && path.ends_with("/events") {
        return Ok((status, Value::Null));
    }
    Ok((status, reply.json().await.unwrap_or_default()))
}

#[tokio::test]
async fn every_route_against_every_role() -> Done {
    let database = Database::with_story().await?;
    let server = Server::start(&database.url, &["--demo"])?;
    for (method, path) in described()? {
        assert!(
            TABLE.iter().any(|(m, p, _)| *m == method && *p == path),
            "{method} {path} is not in the table"
        );
    }
    let nobody = reqwest::Client::new();
    for (method, path, may) in TABLE {
        let (status, problem) = call(&nobody, &server.url, method, path).await?;
        if *may == May::Anybody {
            assert_ne!(problem["code"], "not-signed-in", "{method} {path}");
        } else {
            assert_eq!(status, 401, "{method} {path} without a session");
            assert_eq!(problem["code"], "not-signed-in");
        }
    }
    for (name, role) in [
        ("Tomke Aal", "trainee"),
        ("Pavo Renk", "technician"),
        ("Signe Lorr", "specialist"),
        ("Ilse Dorn", "owner"),
    ] {
        let client = Client::sign_in(&server.url, name).await?;
        // the route that ends the session comes last
        let ends = |t: &&(&str, &str, May)| t.0 == "delete" && t.1 == "/session";
        let all = TABLE.iter().filter(|t| !ends(t));
        for (method, path, may) in all.chain(TABLE.iter().filter(ends)) {
            let (status, problem) = call(&client.http, &server.url, method, path).await?;
            let allowed = match may {
                May::Anybody | May::SignedIn => true,
                May::Releases => role != "trainee",
                May::Owner => role == "owner",
            };
            if allowed {
                assert!(
                    status != 401 && problem["code"] != "not-allowed",
                    "{method} {path} as {role}: {status} {problem}"
                );
            } else {
                assert_eq!(status, 403, "{method} {path} as {role}");
                assert!(problem["detail"].as_str().is_some_and(|d| d.ends_with('.')));
            }
        }
    }
    Ok(())
}

#[tokio::test]
async fn a_foreign_page_changes_nothing() -> Done {
    let database = Database::with_story().await?;
    let server = Server::start(&database.url, &["--demo"])?;
    let owner = Client::sign_in(&server.url, "Ilse Dorn").await?;
    for (method, path, _) in TABLE.iter().filter(|t| t.0 != "get") {
        let verb = reqwest::Method::from_bytes(method.to_uppercase().as_bytes())?;
        let reply = owner
            .http
            .request(verb, format!("{}{}", owner.api, address(path)))
            .header("origin", "https://elsewhere.example")
            .header("content-type", "application/json")
            .body("{}")
            .send()
            .await?;
        let status = reply.status();
        let problem: Value = reply.json().await?;
        assert_eq!(status, 403, "{method} {path}");
        assert_eq!(problem["code"], "foreign-origin");
    }
    Ok(())
}

#[tokio::test]
async fn bodies_too_large_or_no_json_get_a_sentence() -> Done {
    let database = Database::with_story().await?;
    let server = Server::start(&database.url, &["--demo"])?;
    let pavo = Client::sign_in(&server.url, "Pavo Renk").await?;
    let job = pavo.open("Dead").await?;
    let id = job["id"].as_str().unwrap_or_default().to_string();
    let send = async |method: reqwest::Method, path: &str, body: Vec<u8>| -> Done<(u16, String)> {
        let reply = pavo
            .http
            .request(method, format!("{}{path}", pavo.api))
            .header("content-type", "application/json")
            .body(body)
            .send()
            .await?;
        Ok((reply.status().as_u16(), reply.text().await?))
    };
    let entries = format!("/jobs/{id}/entries");
    let photo = format!("/jobs/{id}/photos/{}", Uuid::new_v4());
    let deep = format!("{}{}", "[".repeat(3000), "]".repeat(3000));
    for (method, path, body, status) in [
        ("POST", entries.as_str(), vec![b' '; 300 * 1024], 413),
        ("PUT", photo.as_str(), b"no picture".to_vec(), 422),
        ("POST", "/import", deep.into_bytes(), 422),
        ("POST", "/import", b"\xff\xfe".to_vec(), 422),
        ("POST", entries.as_str(), b"{".to_vec(), 400),
        ("POST", entries.as_str(), b"{\"entries\": 7}".to_vec(), 422),
    ] {
        let verb = reqwest::Method::from_bytes(method.as_bytes())?;
        let (got, text) = send(verb, path, body).await?;
        assert_eq!(got, status, "{method} {path}: {text}");
        let problem: Value = serde_json::from_str(&text)?;
        assert!(
            problem["detail"].as_str().is_some_and(|d| d.len() > 10),
            "{method} {path}: {text}"
        );
    }
    // far too large: refused by its announced length, before it is sent
    for (path, length) in [(photo.as_str(), 16), ("/import", 49)] {
        let (status, said) = announce(&server.url, &pavo, path, length * 1024 * 1024).await?;
        assert_eq!(status, 413, "{path}: {said}");
        assert!(said.contains("larger than what is taken in"), "{said}");
    }
    // tricks in a photo's name reach nothing
    for name in [
        "..%2f..%2fetc%2fpasswd",
        "%2e%2e",
        "x.jpg",
        "00000000-0000-0000-0000-000000000000%00.jpg",
    ] {
        let reply = pavo
            .http
            .get(format!("{}/jobs/{id}/photos/{name}", pavo.api))
            .send()
            .await?;
        assert!(
            [400, 404].contains(&reply.status().as_u16()),
            "{name}: {}",
            reply.status()
        );
    }
    // another job's picture is not shown here
    let rack = pavo.get("/rack?find=0406").await?;
    let other = rack["workable"][0]["id"].as_str().unwrap_or_default();
    let view = pavo.get(&format!("/jobs/{other}")).await?;
    let picture = view["photos"][0]["photo"].as_str().unwrap_or_default();
    let reply = pavo
        .http
        .get(format!("{}/jobs/{id}/photos/{picture}", pavo.api))
        .send()
        .await?;
    assert_eq!(reply.status(), 404);
    // and no entry names a picture that is not there
    let ghost = entry(json!({"kind": "photo", "photo": Uuid::new_v4()}));
    assert_eq!(pavo.add(&job, &[ghost]).await?.0, 404);
    Ok(())
}

/// Announce a body of so many bytes and send none of it: what the server says then.
async fn announce(server: &str, client: &Client, path: &str, length: usize) -> Done<(u16, String)> {
    use tokio::io::{AsyncReadExt, AsyncWriteExt};
    let (_, sign_in) = (client, format!("{server}/api/session"));
    let reply = reqwest::Client::new()
        .post(sign_in)
        .json(&json!({"name": "Pavo Renk", "password": spannung_e2e::PASSWORD}))
        .send()
        .await?;
    let cookie = reply.headers()["set-cookie"]
        .to_str()?
        .split(';')
        .next()
        .unwrap_or_default()
        .to_string();
    let host = server.trim_start_matches("http://");
    let method = if path == "/import" { "POST" } else { "PUT" };
    let head = format!(
        "{method} /api{path} HTTP/1.1\r\nhost: {host}\r\ncookie: {cookie}\r\ncontent-type: application/json\r\ncontent-length: {length}\r\nconnection: close\r\n\r\n"
    );
    let mut stream = tokio::net::TcpStream::connect(host).await?;
    stream.write_all(head.as_bytes()).await?;
    let mut said = String::new();
    stream.read_to_string(&mut said).await?;
    let status = said.split(' ').nth(1).unwrap_or_default().parse()?;
    Ok((status, said))
}

/// Words that are markup, a formula and a script at once.
const NASTY: &str = "=1+2<img src=x onerror=\"window.hurt=1\"><script>window.hurt=1</script>";

#[tokio::test]
async fn html_and_formulas_stay_words() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    let client = Client::sign_in(&shop.server.url, "Pavo Renk").await?;
    let view = client.open(NASTY).await?;
    let view = client.open_gate(view, "B-71").await?;
    let id = view["id"].as_str().unwrap_or_default().to_string();
    let customer = Uuid::new_v4();
    client
        .http
        .put(format!("{}/customers/{customer}", client.api))
        .json(&json!({"name": NASTY, "contact": NASTY}))
        .send()
        .await?
        .error_for_status()?;
    client
        .write(
            &id,
            &[
                json!({"kind": "customer", "customer": customer}),
                json!({"kind": "vehicle", "name": &NASTY[..60], "frame_number": NASTY, "controller": NASTY}),
                json!({"kind": "note", "text": NASTY}),
                json!({"kind": "ownership", "locked": true, "proof": NASTY}),
                json!({"kind": "quote", "lines": [{"what": NASTY, "quantity": 1.0, "unit_cents": 100}], "minutes": 5.0, "words": NASTY}),
                json!({"kind": "goods-in", "what": NASTY, "undamaged": false, "complete": true, "as_ordered": true, "words": NASTY}),
                json!({"kind": "claim", "supplier": NASTY, "what": NASTY, "facts": NASTY, "wants": "refund"}),
                json!({"kind": "reassembly", "part": NASTY, "step": 1, "orientation": NASTY, "lubricant": NASTY}),
                json!({"kind": "open-item", "item": "other", "what": NASTY}),
                json!({"kind": "point-reading", "point": &NASTY[..68], "unit": "volts", "on": "this", "result": "figure", "typed": "1"}),
                json!({"kind": "part", "old": NASTY, "fate": "kept", "new": NASTY, "class": "lamp", "minutes": 1.0, "price_cents": 100}),
                json!({"kind": "owner-sheet", "lines": [NASTY]}),
                json!({"kind": "minutes", "minutes": 1.0, "what": NASTY}),
                json!({"kind": "wait", "wait": "part", "what": NASTY, "supplier": NASTY}),
            ],
        )
        .await?;
    let person = client
        .http
        .post(format!("{}/people", client.api))
        .json(&json!({"id": Uuid::new_v4(), "name": "x", "role": "trainee"}))
        .send()
        .await?;
    assert_eq!(person.status(), 403);
    for station in [
        "",
        "intake",
        "gate",
        "bench",
        "repair",
        "proof",
        "hand-back",
        "record",
        "report",
    ] {
        let address = if station.is_empty() {
            shop.server.url.clone()
        } else {
            format!("{}/jobs/{id}/{station}", shop.server.url)
        };
        b.page.goto(address).await?;
        b.read("=1+2<img src=x").await?;
        let hurt = b
            .script("return [window.hurt ?? 0, document.querySelectorAll('img[src=x], #root script').length]")
            .await?;
        assert_eq!(hurt, json!([0, 0]), "{station}");
    }
    // as CSV no cell begins a formula, and it reads back as it was
    for file in ["parts", "readings", "time"] {
        let text = client
            .http
            .get(format!("{}/jobs/{id}/{file}.csv", client.api))
            .send()
            .await?
            .text()
            .await?;
        assert!(text.contains("'=1+2"), "{file}: {text}");
        let starts = |c: &str| c.starts_with(['=', '+', '@']);
        let cells = text.split("\r\n").flat_map(|l| l.split(','));
        assert!(
            !cells.map(|c| c.trim_matches('"')).any(starts),
            "{file}: {text}"
        );
    }
    let _ = b.page.find(By::Css("body")).await?;
    shop.close().await
}
