//! The Bench against the simulated vehicle: readings captured from its meter, checks answered with number keys as the
//! panel has them, until the fault is found; twelve jobs, once with two faults. What the page hears of keyboard and
//! pointer is counted.

use serde_json::{Value, json};
use spannung_e2e::api::Api;
use spannung_e2e::server::program;
use spannung_e2e::sim::Sim;
use spannung_e2e::{Browser, Client, Database, Done, Server};
use thirtyfour::prelude::*;

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

/// Count in the page what keyboard and pointer do to it.
const COUNT: &str = "window.presses = 0;
    for (const kind of ['keydown', 'pointerdown'])
      addEventListener(kind, (e) => { if (e.isTrusted) window.presses += 1; }, true);";

async fn presses(b: &Browser) -> Done<u64> {
    let count = b.script("return window.presses").await?;
    count
        .as_u64()
        .ok_or_else(|| "the page does not count".into())
}

/// Look at all controls: what stands wrong is touched with its key, then one press takes them all.
async fn controls(b: &Browser, sim: &Sim, card: &Value) -> Done {
    let items = card["items"].as_array().cloned().unwrap_or_default();
    b.see(&format!("[data-controls='{}']", items.len())).await?;
    for (k, item) in items.iter().enumerate() {
        let values = item["values"].as_array().cloned().unwrap_or_default();
        let look = json!({"sign": item["sign"], "bands": values, "as_asked": card["as_asked"]});
        let (seen, _) = sim.look(&look).await?;
        let at = values.iter().position(|x| x["value"] == seen.as_str());
        for _ in 0..at.ok_or("no such way to stand")? {
            b.see("body").await?.send_keys((k + 1).to_string()).await?;
        }
        let test = item["test"].as_str().unwrap_or_default();
        b.see(&format!("[data-control='{test}'][data-stands='{seen}']"))
            .await?;
    }
    b.see("body").await?.send_keys("\n").await?;
    b.gone("[data-controls]").await
}

/// The readings look like another way to build it, which is looked at: these vehicles are as drawn.
async fn as_drawn(b: &Browser, built: &Value) -> Done {
    let shown = format!("[data-built='{}']", built["key"].as_str().unwrap_or(""));
    b.see(&shown).await?;
    b.see("body").await?.send_keys("k").await?;
    b.gone(&shown).await
}

/// Follow the Bench until it points to a repair: its class; the presses of each reading and check go to `each`.
async fn follow(
    b: &Browser,
    client: &Client,
    sim: &Sim,
    id: &str,
    each: &mut Vec<u64>,
) -> Done<String> {
    let mut before = presses(b).await?;
    // the test that the vehicle was set up for stays on the page until it is taken
    let mut held: Option<String> = None;
    for _ in 0..MOST {
        let view = bench(client, id).await?;
        let own = match &held {
            Some(test) => Some(client.get(&format!("/jobs/{id}/tests/{test}")).await?),
            None => None,
        };
        if let (None, Some(class)) = (&own, view["bench"]["repair"].as_str()) {
            b.see(&format!("[data-repair='{class}']")).await?;
            return Ok(class.into());
        }
        if own.is_none() && !view["bench"]["controls"].is_null() {
            controls(b, sim, &view["bench"]["controls"]).await?;
            let now = presses(b).await?;
            each.push(now - before);
            before = now;
            continue;
        }
        if own.is_none() && view["bench"]["built"]["leads"] == true {
            as_drawn(b, &view["bench"]["built"]).await?;
            before = presses(b).await?;
            continue;
        }
        let card = own.as_ref().unwrap_or(&view["bench"]["next"]);
        let test = card["test"].as_str().ok_or("nothing is proposed")?;
        let shown = format!("[data-card='{test}']");
        b.see(&shown).await?;
        let head = view["head"].clone();
        let needs = card["needs"].as_array().cloned().unwrap_or_default();
        // what is next may be another test as soon as the vehicle stands otherwise
        let confirms = needs.iter().any(|n| n["confirmed"] == false);
        let mut key = None;
        if !confirms && card["kind"] == "check" {
            let (value, place) = sim.look(card).await?;
            let bands = card["bands"].as_array().cloned().unwrap_or_default();
            let at = bands.iter().position(|x| x["value"] == value.as_str());
            let at = at.ok_or("no such answer")?;
            if at > 8 {
                return Err(format!("{test}: no key for {value}").into());
            }
            // where it was seen is asked next; the tenth place and on have no key
            let places = bands[at]["places"].as_array().cloned().unwrap_or_default();
            let there = places
                .iter()
                .take(9)
                .position(|p| p["strand"] == json!(place));
            let there = there.map_or(0, |k| k + 1).to_string();
            key = Some(((at + 1).to_string(), there));
        }
        // the log grows with what was taken; a press that came while the page was still busy is made again, and counted
        let mut waited = 0;
        while bench(client, id).await?["head"] == head {
            if waited % 40 == 0 {
                match &key {
                    _ if confirms => b.press(&format!("{shown} [data-confirm]")).await?,
                    Some((what, place)) => {
                        let asked = b.page.find_all(By::Css("[data-where]")).await?;
                        let key = if asked.is_empty() { what } else { place };
                        b.see("body").await?.send_keys(key.as_str()).await?;
                    }
                    None => {
                        // the page has heard of the confirmations when its button is there
                        b.see(&format!("{shown} [data-capture]")).await?;
                        b.see("input[name=reading]").await?.send_keys("\n").await?;
                    }
                }
            }
            waited += 1;
            if waited > 200 {
                let page = b
                    .script("return document.querySelector('[data-card]').innerText")
                    .await?;
                return Err(format!("{test} was not taken: {page}").into());
            }
            tokio::time::sleep(std::time::Duration::from_millis(50)).await;
        }
        if confirms {
            held = Some(test.into());
        } else {
            held = None;
            let now = presses(b).await?;
            each.push(now - before);
            before = now;
        }
    }
    Err("no repair was found".into())
}

/// One job from its words to the last repair: the presses of each reading and check.
async fn walk(database: &Database, w: &Walk<'_>, number: usize) -> Done<Vec<u64>> {
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
    let view = client.open_gate(view, &format!("SIM-{number}")).await?;
    let id = view["id"].as_str().unwrap_or_default().to_string();
    b.page
        .goto(format!("{}/jobs/{id}/bench", server.url))
        .await?;
    b.script(COUNT).await?;
    let mut each = Vec::new();
    let (mut left, mut vain) = (w.classes.iter().zip(w.faults).collect::<Vec<_>>(), 0);
    while !left.is_empty() {
        let class = follow(&b, &client, &sim, &id, &mut each).await?;
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
        // after a part the gate asks its smell again before anything is switched on
        let smell = json!({"kind": "gate", "check": "smell", "answer": "none"});
        let job = client.get(&format!("/jobs/{id}")).await?;
        let mut job = client.step(&job, smell).await?;
        // what was taken apart to measure is joined before it is tried
        let mut state = job["state"].clone();
        if state["apart"].as_array().is_some_and(|a| !a.is_empty()) {
            state["apart"] = json!([]);
            job = client
                .step(&job, json!({"kind": "state", "state": state}))
                .await?;
        }
        let proof = json!({"kind": "proof", "check": "complaint", "result": "fail", "typed": "", "words": "still does not drive", "minutes": 3.0});
        client.step(&job, proof).await?;
    }
    b.page.clone().quit().await?;
    drop(b);
    drop(server);
    Ok(each)
}

const WALKS: &[Walk<'_>] = &[
    Walk {
        family: "gh48",
        volts: 48,
        drive: "geared-hub",
        faults: &["brk-stuck:left", "hall-5v"],
        classes: &["brake-left", "motor-cable"],
        symptoms: &["S02", "S33"],
    },
    Walk {
        family: "gh48",
        volts: 48,
        drive: "geared-hub",
        faults: &["thr-dead#1"],
        classes: &["throttle"],
        symptoms: &["S03"],
    },
    Walk {
        family: "gh48",
        volts: 48,
        drive: "geared-hub",
        faults: &["hall-lo:b"],
        classes: &["hall-set"],
        symptoms: &["S06", "S05"],
    },
    Walk {
        family: "ssb36",
        volts: 36,
        drive: "chain",
        faults: &["ctl-br-fet-open"],
        classes: &["controller"],
        symptoms: &["S16"],
    },
    Walk {
        family: "ssb36",
        volts: 36,
        drive: "chain",
        faults: &["ign-fuse-open"],
        classes: &["ignition-fuse"],
        symptoms: &["S01"],
    },
    Walk {
        family: "ssb36",
        volts: 36,
        drive: "chain",
        faults: &["thr-dead#1"],
        classes: &["throttle"],
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
        family: "rt12",
        volts: 12,
        drive: "brushed",
        faults: &["rt-gear:left"],
        classes: &["gearbox"],
        symptoms: &["S41", "S17"],
    },
    Walk {
        family: "rt12",
        volts: 12,
        drive: "brushed",
        faults: &["rt-one-motor:armature-left"],
        classes: &["toy-motor"],
        symptoms: &["S41"],
    },
    Walk {
        family: "db72",
        volts: 72,
        drive: "chain",
        faults: &["ctr-coil-open"],
        classes: &["contactor"],
        symptoms: &["S02"],
    },
    Walk {
        family: "db72",
        volts: 72,
        drive: "chain",
        faults: &["dcdc-dead"],
        classes: &["converter"],
        symptoms: &["S32"],
    },
    Walk {
        family: "db72",
        volts: 72,
        drive: "chain",
        faults: &["ign-fuse-open"],
        classes: &["ignition-fuse"],
        symptoms: &["S01"],
    },
];

#[tokio::test]
async fn twelve_jobs_are_walked_to_their_faults_with_a_press_a_reading() -> Done {
    let database = Database::with_story().await?;
    let mut all: Vec<u64> = Vec::new();
    // three at a time: most of a walk is waiting for the page
    for (k, three) in WALKS.chunks(3).enumerate() {
        let [one, two, other] = three else {
            return Err("the walks come in threes".into());
        };
        let done = tokio::join!(
            walk(&database, one, 3 * k),
            walk(&database, two, 3 * k + 1),
            walk(&database, other, 3 * k + 2),
        );
        for (w, each) in three.iter().zip([done.0, done.1, done.2]) {
            all.extend(each.map_err(|e| format!("{} {:?}: {e}", w.family, w.faults))?);
        }
    }
    all.sort_unstable();
    assert_eq!(all[all.len() / 2], 1, "presses a reading: {all:?}");
    Ok(())
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
    Ok(())
}
