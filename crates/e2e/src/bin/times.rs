//! Times of the whole: an entry over HTTP, a press until the page shows the new suspects, and the server's memory with
//! ten open jobs of the largest family. Prints Markdown; the server is the one of `SPANNUNG_SERVER`.

use serde_json::{Value, json};
use spannung_e2e::api::Api;
use spannung_e2e::{Browser, Client, Database, Done, Server};
use std::time::Instant;

/// Jobs open at a time.
const JOBS: usize = 10;
/// A page is given so long to come to rest before it is pressed.
const AT_REST: std::time::Duration = std::time::Duration::from_millis(1500);
/// Checks answered in each.
const CHECKS: usize = 6;

fn median(mut all: Vec<f64>) -> f64 {
    all.sort_by(f64::total_cmp);
    all.get(all.len() / 2).copied().unwrap_or(0.0)
}

/// A job on the largest family, told dead, its gate open.
async fn dead_bike(client: &Client, sticker: &str) -> Done<Value> {
    let job = client
        .open_as("Dash lit, nothing moves", 72, "chain")
        .await?;
    let told = json!({"kind": "symptom", "symptom": "S02", "yes": true, "by_customer": true});
    let job = client.step(&job, told).await?;
    client.open_gate(job, sticker).await
}

/// What somebody says on the Bench of what the vehicle has, one after the other.
const PICKED: [(&str, &str); 8] = [
    ("brake-left", "hall-lever"),
    ("throttle", "potentiometer-throttle"),
    ("brake-right", "lever-that-opens"),
    ("pedals", "double-pedal-sensor"),
    ("brake-left", "lever-that-closes"),
    ("throttle", "hall-throttle"),
    ("brake-right", "none"),
    ("lights", "none"),
];
/// How long somebody looks at what fits before they pick.
const LOOKED: std::time::Duration = std::time::Duration::from_millis(1200);

/// Pick components on the Bench of the commonest bike and print how long the page takes to show it weighed anew.
async fn picked(server: &Server, client: &Client, b: &Browser) -> Done {
    let job = client
        .open_as("Dash lit, nothing moves", 48, "geared-hub")
        .await?;
    let told = json!({"kind": "symptom", "symptom": "S02", "yes": true, "by_customer": true});
    let job = client.step(&job, told).await?;
    let job = client.open_gate(job, "TH-000").await?;
    let id = job["id"].as_str().unwrap_or_default();
    let bench = format!("{}/jobs/{id}/bench", server.url);
    b.page.goto(bench).await?;
    b.see("[data-to-has]").await?;
    b.press("[data-to-has]").await?;
    let (mut all, mut suspects) = (Vec::new(), Vec::new());
    for (slot, kind) in PICKED {
        let tile = format!("[data-slot={slot}]");
        b.see(&tile).await?;
        tokio::time::sleep(AT_REST).await;
        if b.script(&format!(
            "return document.querySelector('[data-slot-open={slot}]') == null"
        ))
        .await?
            == json!(true)
        {
            b.press(&tile).await?;
        }
        let fits = format!("[data-slot-open={slot}] [data-fits={kind}]");
        b.see(&fits).await?;
        tokio::time::sleep(LOOKED).await;
        // from the press until the job is there with its new suspects, and to the frame in which the row says so as well
        let wait = format!(
            "window.took = undefined; window.job = undefined;
            performance.clearResourceTimings(); performance.setResourceTimingBufferSize(1000);
            const start = performance.now();
            const came = () => performance.getEntriesByType('resource').filter(e => e.name.includes('{id}?station')).map(e => e.responseEnd)[0];
            const said = () => {{ const pick = document.querySelector('{fits}'); return pick == null || pick.disabled || pick.getAttribute('aria-pressed') === 'true'; }};
            document.querySelector('{fits}').click();
            const look = () => {{
                if (window.job == null && came() != null) window.job = performance.now() - start;
                if (window.job != null && said()) window.took = performance.now() - start; else requestAnimationFrame(look);
            }};
            requestAnimationFrame(look);"
        );
        b.script(&wait).await?;
        for _ in 0..100 {
            if let Some(ms) = b.script("return window.took").await?.as_f64() {
                all.push(ms);
                suspects.push(b.script("return window.job").await?.as_f64().unwrap_or(ms));
                break;
            }
            tokio::time::sleep(std::time::Duration::from_millis(50)).await;
        }
    }
    let each = |all: &[f64]| {
        let each: Vec<String> = all.iter().map(|ms| format!("{ms:.0}")).collect();
        each.join(", ")
    };
    for (what, all) in [
        ("the new suspects are there", suspects),
        ("the row shows it", all),
    ] {
        println!(
            "| a component picked on the Bench until {what}, median of {} ({}) | {:.0} ms |",
            all.len(),
            each(&all),
            median(all.clone())
        );
    }
    Ok(())
}

#[tokio::main]
async fn main() -> Done {
    let database = Database::create().await?;
    let server = Server::start(&database.url, &["--demo"])?;
    let client = Client::sign_in(&server.url, "Pavo Renk").await?;
    let mut http = Vec::new();
    for k in 0..JOBS {
        let mut job = dead_bike(&client, &format!("TM-{k:03}")).await?;
        for _ in 0..CHECKS {
            let card = job["bench"]["next"].clone();
            let state = json!({"kind": "state", "state": card["as_asked"]});
            job = client.step(&job, state).await?;
            let answer = if card["kind"] == "check" {
                json!({"kind": "check", "test": card["test"], "outcome": card["bands"][0]["value"], "minutes": 0.5})
            } else {
                json!({"kind": "reading", "test": card["test"], "result": "cannot-reach", "typed": "", "minutes": 0.5, "insisted": false})
            };
            let start = Instant::now();
            job = client.step(&job, answer).await?;
            http.push(start.elapsed().as_secs_f64() * 1e3);
        }
    }
    println!("| what | measured |");
    println!("| --- | ---: |");
    println!(
        "| an answer over HTTP until the new Bench is there, median of {} | {:.0} ms |",
        http.len(),
        median(http.clone())
    );
    let b = Browser::start(1280, 800).await?;
    b.sign_in(&server.url, "Pavo Renk").await?;
    let mut page = Vec::new();
    for k in 0..JOBS {
        let job = dead_bike(&client, &format!("TP-{k:03}")).await?;
        let id = job["id"].as_str().unwrap_or_default();
        b.page
            .goto(format!("{}/jobs/{id}/bench", server.url))
            .await?;
        b.see("[data-controls-take]").await?;
        // as a technician finds it: fetched, drawn and at rest
        tokio::time::sleep(AT_REST).await;
        // from the press to the frame in which the evidence strip has its tiles and the suspects are new
        let wait = "const tiles = () => document.querySelectorAll('[data-tile]').length;
            window.took = undefined; const start = performance.now();
            document.querySelector('[data-controls-take]').click();
            const look = () => { if (tiles() > 0) window.took = performance.now() - start; else requestAnimationFrame(look); };
            requestAnimationFrame(look);";
        b.script(wait).await?;
        for _ in 0..60 {
            if let Some(ms) = b.script("return window.took").await?.as_f64() {
                page.push(ms);
                break;
            }
            tokio::time::sleep(std::time::Duration::from_millis(50)).await;
        }
    }
    println!(
        "| a press until the page shows the new suspects, median of {} | {:.0} ms |",
        page.len(),
        median(page.clone())
    );
    picked(&server, &client, &b).await?;
    let status = std::fs::read_to_string(format!("/proc/{}/status", server.process()))?;
    let resident = status
        .lines()
        .find(|l| l.starts_with("VmRSS"))
        .unwrap_or("VmRSS: ?");
    println!(
        "| resident memory of the server with {JOBS} such jobs open | {} |",
        resident.trim_start_matches("VmRSS:").trim()
    );
    b.page.clone().quit().await?;
    Ok(())
}
