//! A shop of 1,000 jobs and 30,000 entries, made by a seeded generator and brought in as bundles; then
//! measured: import, export, search, history of a vehicle, the rack warm, and cold after a start of the server.
//!
//! `DATABASE_URL=… cargo run --release -p spannung-e2e --bin big_shop [JOBS] [SEED] [OPEN] [PROFILES]` (the
//! server is the one of `SPANNUNG_SERVER`; open jobs are on vehicles of so many different make-ups).

use serde_json::{Value, json};
use spannung_e2e::dice::Dice;
use spannung_e2e::{Client, Database, Done, PASSWORD, Server, word};
use std::time::{Duration, Instant};

const WORDS: [&str; 8] = [
    "One jerk, then nothing since the rain",
    "Throttle does nothing, pedalling still helps",
    "Completely dead after the night outside",
    "Range is half of last year",
    "Stutters at the start, needs a push",
    "Cuts out at the kerb",
    "Only the lamp is dead",
    "Motor whines but hardly pulls",
];
const OWNERS: [&str; 6] = ["Harbour", "Market", "Dune", "Ferry", "Lighthouse", "Rope"];
const BIKES: [&str; 5] = [
    "long bike",
    "courier",
    "loan bike",
    "tray bike",
    "post bike",
];
const PEOPLE: [&str; 3] = ["Pavo Renk", "Signe Lorr", "Tomke Aal"];
const TESTS: [(&str, &str); 6] = [
    ("t-thr-idle", "0.82"),
    ("t-hall-5v", "4.83"),
    ("t-pack-voc", "51.4"),
    ("t-pack-load", "49.8"),
    ("v.throttle.1.d", "4.84"),
    ("t-5v", "4.9"),
];

/// A job of about thirty entries, `days` ago; closed unless `open`.
fn job(dice: &mut Dice, number: i64, days: usize, open: Option<usize>) -> Value {
    let by = dice.of(&PEOPLE);
    let vehicle = format!(
        "{} {} {}",
        dice.of(&OWNERS),
        dice.of(&BIKES),
        dice.roll(300)
    );
    let pack = dice.id();
    let mut bodies = vec![
        json!({"kind": "opened", "words": dice.of(&WORDS), "volts_class": 48, "drive": "geared-hub", "seconds": 40.0}),
        json!({"kind": "symptom", "symptom": dice.of(&["S01", "S02", "S03", "S05", "S25"]), "yes": true, "by_customer": true}),
        json!({"kind": "vehicle", "name": vehicle, "frame_number": format!("FN-{}", dice.roll(9000))}),
        json!({"kind": "pack", "pack": pack, "sticker": format!("P-{number}")}),
    ];
    for (check, answer) in [
        ("shape", "flat"),
        ("leak", "none"),
        ("heat", "cool"),
        ("fall", "none"),
        ("water", "dry"),
        ("floor", "above"),
        ("smell", "none"),
        ("wheel", "up"),
        ("off", "reach"),
    ] {
        bodies.push(json!({"kind": "gate", "check": check, "answer": answer, "typed": if check == "floor" { Some("51.2") } else { None }}));
    }
    bodies
        .push(json!({"kind": "state", "state": {"battery": "in", "key": "on", "wheel": "lifted"}}));
    for _ in 0..9 + dice.roll(4) {
        let (test, typed) = TESTS[dice.roll(TESTS.len())];
        bodies.push(json!({"kind": "reading", "test": test, "result": "figure", "typed": typed, "minutes": 1.5}));
    }
    bodies.push(json!({"kind": "part", "old": "Throttle", "fate": "recycled", "new": "Throttle, 3 wires", "class": dice.of(&["throttle", "display", "lamp", "hall-set"]), "minutes": 15.0, "price_cents": 2400}));
    bodies.push(json!({"kind": "note", "text": "Lead tied with slack."}));
    for check in ["complaint", "brake-function", "throttle-creep"] {
        bodies.push(json!({"kind": "proof", "check": check, "result": "pass", "minutes": 1.0}));
    }
    if let Some(profile) = open {
        // as old as its shop lets a pack be: another capacity is another vehicle to reason about
        let amp_hours = 10.0 + profile as f64 * 0.1;
        bodies.insert(4, json!({"kind": "change", "change": {"what": "pack", "groups": 13, "amp_hours": amp_hours}}));
    } else {
        bodies.push(json!({"kind": "close", "outcome": "repaired", "class": "throttle", "cause_confirmed": true, "words": "Works again."}));
    }
    let hour = 6 + dice.roll(10);
    let day = time(days, hour);
    let entries: Vec<Value> = bodies
        .into_iter()
        .enumerate()
        .map(|(k, body)| json!({"id": dice.id(), "seq": k + 1, "at": format!("{day}:{:02}:00Z", k % 60), "by": by, "body": body}))
        .collect();
    json!({"format": "spannung-job-2", "number": number, "id": dice.id(), "entries": entries, "photos": []})
}

/// Day and hour so many days before the end of a made-up three years.
fn time(days: usize, hour: usize) -> String {
    let of = 1100 - days.min(1099);
    format!(
        "{}-{:02}-{:02}T{hour:02}",
        2026 + of / 372,
        of % 372 / 31 + 1,
        of % 31 % 28 + 1
    )
}

fn middle(mut all: Vec<Duration>) -> (Duration, Duration) {
    all.sort();
    (all[all.len() / 2], all[all.len() * 95 / 100])
}

#[tokio::main]
async fn main() -> Done {
    let jobs = usize::try_from(word(1, 1000))?;
    let mut dice = Dice(word(2, 3));
    let open = usize::try_from(word(3, jobs as u64 * 4 / 100))?;
    let profiles = usize::try_from(word(4, 1))?.max(1);
    let database = Database::create().await?;
    let (server, link) = Server::start_empty(&database.url)?;
    let token = link.rsplit('#').next().unwrap_or_default();
    reqwest::Client::new()
        .put(format!("{}/api/invitation", server.url))
        .json(&json!({"token": token, "name": "Pavo Renk", "password": PASSWORD}))
        .send()
        .await?
        .error_for_status()?;
    let client = Client::sign_in(&server.url, "Pavo Renk").await?;
    let mut entries = 0;
    let begun = Instant::now();
    let mut ids = Vec::new();
    for k in 0..jobs {
        let on_rack = (k + open >= jobs).then_some(k % profiles);
        let bundle = job(&mut dice, 1001 + k as i64, jobs - k, on_rack);
        entries += bundle["entries"].as_array().map_or(0, Vec::len);
        let (status, reply) = client.post("/import", &bundle).await?;
        if status != 200 {
            return Err(reply.to_string().into());
        }
        ids.push(reply["id"].as_str().unwrap_or_default().to_string());
    }
    println!(
        "import: {jobs} jobs, {entries} entries in {:?}",
        begun.elapsed()
    );
    let begun = Instant::now();
    let mut bytes = 0;
    for id in &ids {
        let url = format!("{}/jobs/{id}/export.json", client.api);
        bytes += client.http.get(url).send().await?.bytes().await?.len();
    }
    println!(
        "export: {jobs} jobs, {bytes} bytes in {:?}",
        begun.elapsed()
    );
    let begun = Instant::now();
    let rack = client.get("/rack").await?;
    println!(
        "rack: {} open, first time {:?}, {} tickets still to be worked out",
        rack["open"],
        begun.elapsed(),
        rack["behind"]
    );
    while client.get("/rack").await?["behind"] != json!(0) {
        tokio::time::sleep(Duration::from_millis(200)).await;
    }
    println!("rack: whole after {:?}", begun.elapsed());
    let mut times = Vec::new();
    for _ in 0..40 {
        let begun = Instant::now();
        client.get("/rack").await?;
        times.push(begun.elapsed());
    }
    println!("rack again: median, 95 % {:?}", middle(times));
    for find in ["harbour courier", "FN-12", "lamp", "nothing like it"] {
        let mut times = Vec::new();
        let mut found = 0;
        for _ in 0..20 {
            let begun = Instant::now();
            let rack = client
                .get(&format!("/rack?find={}", find.replace(' ', "%20")))
                .await?;
            times.push(begun.elapsed());
            found = rack["closed"].as_array().map_or(0, Vec::len);
        }
        println!(
            "search “{find}”: {found} closed shown, median, 95 % {:?}",
            middle(times)
        );
    }
    let mut times = Vec::new();
    for id in ids.iter().rev().take(40) {
        let begun = Instant::now();
        client.get(&format!("/vehicles?job={id}")).await?;
        times.push(begun.elapsed());
    }
    println!("vehicle of a job: median, 95 % {:?}", middle(times));
    drop(server);
    let server = Server::start(&database.url, &[])?;
    let client = Client::sign_in(&server.url, "Pavo Renk").await?;
    let begun = Instant::now();
    let rack = client.get("/rack").await?;
    println!(
        "rack after a start of the server: {} open in {:?}, {} tickets still to be worked out",
        rack["open"],
        begun.elapsed(),
        rack["behind"]
    );
    Ok(())
}
