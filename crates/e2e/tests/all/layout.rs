//! Every state of intake, gate and Bench fits the screens of a shop: the main press is in sight, no press is covered or cut,
//! nothing makes the page wider than the window. Boxes are measured in the browser.

use serde_json::{Value, json};
use spannung_e2e::api::Api;
use spannung_e2e::{Browser, Client, Done, Shop};
use thirtyfour::By;

/// Windows that shops have: a bench screen, the same under a browser's bars, a tablet upright.
const WINDOWS: [(u32, u32); 3] = [(1280, 800), (1280, 657), (820, 1180)];

/// What is wrong with the page as it stands. `main`: presses that have to be in sight; `tall`: the page may be scrolled to them.
const MEASURE: &str = r#"
const [main, tall] = MAIN;
const wrong = [];
const shown = (e) => {
  const r = e.getBoundingClientRect(), s = getComputedStyle(e);
  return r.width > 0 && r.height > 0 && s.visibility !== 'hidden' && s.opacity !== '0';
};
const name = (e) => (e.getAttribute('aria-label') || e.innerText || e.name || e.tagName).replace(/\s+/g, ' ').slice(0, 40);
if (document.documentElement.scrollWidth > innerWidth + 1)
  wrong.push(`the page is ${document.documentElement.scrollWidth} px wide`);
const cut = (e) => {
  for (let p = e.parentElement; p && p !== document.body; p = p.parentElement) {
    const s = getComputedStyle(p), r = e.getBoundingClientRect(), b = p.getBoundingClientRect();
    const hides = (v) => v === 'hidden' || v === 'clip';
    const rolls = (v) => v === 'auto' || v === 'scroll';
    if (rolls(s.overflowY) || rolls(s.overflowX)) return null;
    if ((hides(s.overflowY) && (r.bottom > b.bottom + 2 || r.top < b.top - 2)) ||
        (hides(s.overflowX) && (r.right > b.right + 2 || r.left < b.left - 2))) return p;
  }
  return null;
};
for (const css of main) {
  const e = document.querySelector(css);
  if (!e || !shown(e)) { wrong.push(`${css} is not there`); continue; }
  const r = e.getBoundingClientRect();
  if (r.left < -1 || r.right > innerWidth + 1) wrong.push(`${css} runs over the side`);
  if (!tall && (r.top < -1 || r.bottom > innerHeight + 1)) wrong.push(`${css} is out of sight at ${Math.round(r.top)} to ${Math.round(r.bottom)} of ${innerHeight}`);
  const top = document.elementFromPoint(r.left + r.width / 2, r.top + r.height / 2);
  if (!tall && top && !e.contains(top) && !top.contains(e)) wrong.push(`${css} lies under ${name(top)}`);
}
// what rolls out of sight in its box is not there
const seen = (e) => {
  const r = e.getBoundingClientRect();
  const box = { left: r.left, right: r.right, top: r.top, bottom: r.bottom };
  for (let p = e.parentElement; p && p !== document.body; p = p.parentElement) {
    const s = getComputedStyle(p);
    if (s.overflowY === 'visible' && s.overflowX === 'visible') continue;
    const b = p.getBoundingClientRect();
    box.left = Math.max(box.left, b.left); box.right = Math.min(box.right, b.right);
    box.top = Math.max(box.top, b.top); box.bottom = Math.min(box.bottom, b.bottom);
  }
  return box;
};
// a dialog over the page hides what lies under it
const scope = document.querySelector('[role=dialog]') ?? document.querySelector('[data-card]')?.parentElement ?? document.body;
const presses = [...scope.querySelectorAll('button, input, select, textarea')].filter(shown);
for (const e of presses) {
  const p = cut(e);
  if (p) wrong.push(`${name(e)} is cut by its box`);
  if (e.tagName === 'BUTTON' && e.scrollWidth > e.clientWidth + 2 && getComputedStyle(e).textOverflow !== 'ellipsis'
      && ![...e.querySelectorAll('*')].some((x) => getComputedStyle(x).textOverflow === 'ellipsis'))
    wrong.push(`the words of ${name(e)} run over it`);
}
for (let i = 0; i < presses.length; i++)
  for (let j = i + 1; j < presses.length; j++) {
    const a = presses[i], b = presses[j];
    if (a.contains(b) || b.contains(a) || a.closest('svg') || b.closest('svg')) continue;
    const r = seen(a), s = seen(b);
    const w = Math.min(r.right, s.right) - Math.max(r.left, s.left), h = Math.min(r.bottom, s.bottom) - Math.max(r.top, s.top);
    if (w > 3 && h > 3) wrong.push(`${name(a)} and ${name(b)} lie on each other`);
  }
return wrong;
"#;

/// Measure in all windows, and note what is wrong under this name.
async fn measure(b: &Browser, wrong: &mut Vec<String>, state: &str, main: &[&str]) -> Done {
    for (width, height) in WINDOWS {
        b.size(width, height).await?;
        let tall = width < 900;
        let main = serde_json::to_string(&(main, tall))?;
        let found = b.script(&MEASURE.replace("MAIN", &main)).await?;
        for what in found
            .as_array()
            .into_iter()
            .flatten()
            .filter_map(Value::as_str)
        {
            wrong.push(format!("{width}×{height}, {state}: {what}"));
        }
    }
    b.size(1280, 800).await
}

#[tokio::test]
async fn intake_gate_and_bench_fit_every_window() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    let mut wrong = Vec::new();
    // the intake: nothing heard, one sign, many signs, the longest words
    let long = "It cuts out uphill, smells burnt, shows error 30, the rear light is dead, the brakes are weak and the wheel wobbles since the crash in the rain. ".repeat(4);
    for (state, words, sees) in [
        (
            "nothing heard",
            "please have a look at it",
            "[data-commonest]",
        ),
        ("one sign", "It will not charge.", "[data-sign=S22]"),
        (
            "five signs",
            "It cuts out uphill, smells burnt, the rear light is dead and the brakes are weak. Since the rain.",
            "[data-sign=S48]",
        ),
        ("long words", long.as_str(), "[data-sign=S46]"),
    ] {
        shop.new_job(words).await?;
        b.see(sees).await?;
        measure(
            b,
            &mut wrong,
            &format!("intake, {state}"),
            &["[data-to-gate]", "#words"],
        )
        .await?;
    }
    // a sign that was taken away is gone, and Enter does not bring it back
    shop.new_job("It will not charge.").await?;
    b.press("[data-sign=S22] button").await?;
    b.gone("[data-sign=S22]").await?;
    b.see("[data-commonest]").await?;
    b.press("[data-to-gate]").await?;
    // the gate: each contact, and the figure that asks which pack it is
    b.see("input[name=sticker]").await?;
    measure(
        b,
        &mut wrong,
        "gate, sticker",
        &["input[name=sticker]", "button[type=submit]"],
    )
    .await?;
    b.fill("input[name=sticker]", "B-90").await?;
    b.press_text("Name the pack").await?;
    for check in ["shape", "leak", "heat", "fall", "water"] {
        let first = format!("[data-contact={check}]");
        b.see(&first).await?;
        measure(b, &mut wrong, &format!("gate, {check}"), &[first.as_str()]).await?;
        shop.answer(check, "1").await?;
    }
    b.fill("input[name=floor]", "33").await?;
    b.press_text("Above the floor").await?;
    b.see("input[name=explained]").await?;
    measure(
        b,
        &mut wrong,
        "gate, which pack",
        &["input[name=floor]", "input[name=explained]"],
    )
    .await?;
    b.fill("input[name=explained]", "run flat, 13s, its own charger")
        .await?;
    b.press_text("Above the floor").await?;
    b.see("[data-contact=floor][data-standing=clear]").await?;
    for check in ["smell", "wheel", "off"] {
        shop.answer(check, "1").await?;
    }
    measure(b, &mut wrong, "gate, open", &["[data-to-bench]"]).await?;
    b.press("[data-to-bench]").await?;
    // the Bench: probes and looks, with the vehicle set up or not, refused figures, why, skipping
    shop.card().await?;
    measure(b, &mut wrong, "bench, first card", &["[data-card]"]).await?;
    for (strand, test) in [
        ("halls", "t-hall-a"),
        ("throttle", "t-thr-full"),
        ("phase", "t-ph-12"),
        ("main", "t-vb-load"),
    ] {
        b.press(&format!("[data-strand={strand}]")).await?;
        b.see(&format!("[data-strand-panel={strand}]")).await?;
        let option = format!("option[value='{test}']");
        b.page.find(By::Css(&*option)).await?.click().await?;
        b.see(&format!("[data-card='{test}']")).await?;
        // what has to be confirmed, or how it is set up beside what each reading would mean
        let confirm = b.page.find(By::Css("[data-confirm]")).await.is_ok();
        let asked = b.page.find(By::Css("[data-as-asked]")).await.is_ok();
        let set_up = if confirm {
            "[data-confirm]"
        } else {
            "[data-as-asked]"
        };
        let whole = match (confirm, asked) {
            (true, _) => vec!["[data-skip]", set_up],
            (false, true) => vec!["[data-skip]", set_up, "[data-band]"],
            (false, false) => vec!["[data-skip]", "[data-band]"],
        };
        let state = format!("bench, {test} chosen");
        measure(b, &mut wrong, &state, &whole).await?;
        if confirm || asked {
            b.press(set_up).await?;
            b.gone(set_up).await?;
        }
        // the card that was set up for is still there, and its field is ready
        b.see(&format!("[data-card='{test}']")).await?;
        let focus = b
            .script("return document.activeElement?.getAttribute('name')")
            .await?;
        assert_eq!(
            focus, "reading",
            "{test}: after the set-up the field is ready"
        );
        measure(
            b,
            &mut wrong,
            &format!("bench, {test} set up"),
            &["input[name=reading]", "[data-take]", "[data-band]"],
        )
        .await?;
        b.fill("input[name=reading]", "4k7 what").await?;
        b.press("[data-take]").await?;
        b.see("[role=alert]").await?;
        measure(
            b,
            &mut wrong,
            &format!("bench, {test} refused"),
            &["input[name=reading]", "[data-take]"],
        )
        .await?;
        b.fill("input[name=reading]", " ").await?;
        b.press("[data-why-this]").await?;
        measure(
            b,
            &mut wrong,
            &format!("bench, {test} why"),
            &["[data-why-this]"],
        )
        .await?;
        b.press("[data-why-this]").await?;
        b.press("[data-skip]").await?;
        measure(
            b,
            &mut wrong,
            &format!("bench, {test} skipping"),
            &["[data-card]"],
        )
        .await?;
        b.page.refresh().await?;
        shop.card().await?;
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    shop.close().await
}

/// Set the vehicle up for a test and take what it shows.
async fn take(client: &Client, job: Value, test: &str, shows: &str) -> Done<Value> {
    let id = job["id"].as_str().unwrap_or_default();
    let card = client.get(&format!("/jobs/{id}/tests/{test}")).await?;
    let state = json!({"kind": "state", "state": card["as_asked"]});
    let mut job = client.step(&job, state).await?;
    let card = client.get(&format!("/jobs/{id}/tests/{test}")).await?;
    for need in card["needs"].as_array().into_iter().flatten() {
        if need["confirmed"] == false {
            let confirmed = json!({"kind": "confirmed", "need": need["id"]});
            job = client.step(&job, confirmed).await?;
        }
    }
    let body = if card["kind"] == "check" {
        json!({"kind": "check", "test": test, "outcome": shows})
    } else {
        json!({"kind": "reading", "test": test, "result": "figure", "typed": shows})
    };
    client.step(&job, body).await
}

/// A job on a bike that was told this, its gate open.
async fn told(client: &Client, words: &str, symptom: &str, sticker: &str) -> Done<Value> {
    let job = client.open(words).await?;
    let said = json!({"kind": "symptom", "symptom": symptom, "yes": true, "by_customer": true});
    let job = client.step(&job, said).await?;
    client.open_gate(job, sticker).await
}

#[tokio::test]
async fn one_look_tells_which_of_all_kinds_it_is() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    let client = Client::sign_in(&shop.server.url, "Pavo Renk").await?;
    for another in [true, false] {
        let job = client.open_as("Lamp dark, horn dead", 36, "mid").await?;
        let said = json!({"kind": "symptom", "symptom": "S31", "yes": true, "by_customer": true});
        let job = client.step(&job, said).await?;
        let converter = json!({"what": "component", "slot": "converter", "kind": "converter-12v"});
        let change = json!({"kind": "change", "change": converter, "source": "seen"});
        let job = client.step(&job, change).await?;
        let mut job = client.open_gate(job, "B-93").await?;
        for (test, shows) in [
            ("t-lamp", "dark"),
            ("fm-display", "lit"),
            ("t-lamp-setting", "on"),
            ("t-lamp-label", "right"),
            ("t-pedal-run", "works"),
            ("fm-plugs", "seated"),
            ("v.lamp.1.d", "0.0"),
            ("v.lamp.1.c", "0.0"),
            ("v.lamp.1.d", "0.0"),
            ("v.display.1.c", "38.4"),
        ] {
            job = take(&client, job, test, shows).await?;
        }
        let id = job["id"].as_str().unwrap_or_default().to_string();
        b.page
            .goto(format!("{}/jobs/{id}/bench", shop.server.url))
            .await?;
        b.see("[data-built='built:lights=lamp-behind-the-key']")
            .await?;
        b.read("Neither: it is").await?;
        if another {
            b.press("[data-built-other='built:lights=lamp-on-12v']")
                .await?;
        } else {
            b.press("[data-as-drawn]").await?;
        }
        // nothing more is asked about the lamp
        b.gone("[data-built^='built:lights=']").await?;
        let record = client.get(&format!("/jobs/{id}/record")).await?;
        let lines = record["lines"].as_array().cloned().unwrap_or_default();
        let last = |n: usize| lines[lines.len() - n]["text"].as_str().unwrap_or_default();
        if another {
            assert_eq!(last(1), "What it has: Front lamp: lamp on 12 V");
        } else {
            assert!(last(2).contains("lamp on 12 V"), "{}", last(2));
            assert!(last(1).contains("lamp at the pack"), "{}", last(1));
        }
    }
    shop.close().await
}

#[tokio::test]
async fn every_other_card_and_station_fits_every_window() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    let client = Client::sign_in(&shop.server.url, "Pavo Renk").await?;
    let mut wrong = Vec::new();
    let at = |job: &Value, station: &str| {
        let id = job["id"].as_str().unwrap_or_default();
        format!("{}/jobs/{id}/{station}", shop.server.url)
    };
    // the controls, asked in one card
    let dead = told(&client, "No help at all, stutters", "S02", "B-91").await?;
    b.page.goto(at(&dead, "bench")).await?;
    b.see("[data-controls]").await?;
    measure(b, &mut wrong, "controls", &["[data-controls-take]"]).await?;
    // built otherwise than the drawing
    let job = take(&client, dead, "v.brake-left.1.c", "11.9").await?;
    let mut job = take(&client, job, "v.brake-right.1.c", "11.9").await?;
    for item in job["bench"]["controls"]["items"]
        .as_array()
        .cloned()
        .unwrap_or_default()
    {
        let usual = &item["values"][0]["value"];
        let check = json!({"kind": "check", "test": item["test"], "outcome": usual});
        job = client.step(&job, check).await?;
    }
    b.page.goto(at(&job, "bench")).await?;
    b.see("[data-built-so]").await?;
    measure(
        b,
        &mut wrong,
        "built otherwise",
        &["[data-built-so]", "[data-as-drawn]"],
    )
    .await?;
    // the likely repair
    let mut job = told(&client, "Throttle dead, pedalling helps", "S03", "B-92").await?;
    for (test, shows) in [
        ("t-thr-idle", "0.02"),
        ("v.throttle.1.d", "4.84"),
        ("t-thr-full", "0.02"),
        ("v.throttle.3.c", "0.02"),
        ("t-throttle-run", "silent"),
        ("iso.throttle.3", "OL"),
        ("v.throttle.3.d", "0.02"),
    ] {
        job = take(&client, job, test, shows).await?;
    }
    for _ in 0..12 {
        // which kind of throttle it is, before one is ordered
        let built = &job["bench"]["built"];
        if built["leads"] == true {
            // of the throttle, however likely another component is another one
            let key = built["key"].as_str().unwrap_or_default();
            assert!(key.starts_with("built:throttle="), "{key}");
            let drawn = json!({"kind": "by-hand", "class": built["key"], "out": true, "reason": "As drawn."});
            job = client.step(&job, drawn).await?;
            continue;
        }
        let next = job["bench"]["next"].clone();
        if job["bench"]["repair"].is_string() || next.is_null() {
            break;
        }
        let test = next["test"].as_str().unwrap_or_default();
        let shows = next["bands"][0]["value"].as_str().unwrap_or("0.02");
        job = take(&client, job, test, shows).await?;
    }
    b.page.goto(at(&job, "bench")).await?;
    b.see("[data-repair]").await?;
    measure(b, &mut wrong, "likely repair", &["[data-to-repair]"]).await?;
    // the plug at work size, and the vehicle
    b.press("[data-strand=halls]").await?;
    measure(
        b,
        &mut wrong,
        "wires of a strand",
        &["[data-not-like-this]", "[data-close-strand]"],
    )
    .await?;
    b.press("[data-not-like-this]").await?;
    b.press("[data-colours] [data-swatch=PK]").await?;
    b.see("[data-changed-here]").await?;
    measure(
        b,
        &mut wrong,
        "not like this",
        &[
            "[data-plug-done]",
            "[data-move-wire]",
            "[data-face-pin='8']",
        ],
    )
    .await?;
    b.press("[data-move-wire]").await?;
    b.press("[data-face-pin='9']").await?;
    b.see("[data-keep-so]:enabled").await?;
    measure(
        b,
        &mut wrong,
        "a wire tried elsewhere",
        &["[data-keep-so]", "[data-as-it-was]"],
    )
    .await?;
    b.press("[data-as-it-was]").await?;
    b.gone("[data-tried]").await?;
    for (station, sees) in [
        ("intake", "[data-to-vehicle]"),
        ("gate", "[data-to-vehicle]"),
        ("vehicle", "[data-slot=pack]"),
        ("repair", "[data-form=part]"),
        ("proof", "[data-row]"),
        ("hand-back", "[data-outcome=repaired]"),
        ("record", "[data-line]"),
    ] {
        b.page.goto(at(&job, station)).await?;
        b.see(sees).await?;
        measure(b, &mut wrong, station, &[sees]).await?;
    }
    b.page.goto(at(&job, "hand-back")).await?;
    b.press("[data-outcome=repaired]").await?;
    b.see("[data-no-minutes]").await?;
    measure(b, &mut wrong, "hand-back, repaired", &["[data-outcome]"]).await?;
    b.page.goto(at(&job, "repair")).await?;
    for desk in [
        "minutes", "assembly", "open", "wait", "quote", "owner", "part",
    ] {
        b.press(&format!("[data-desk={desk}]")).await?;
        measure(
            b,
            &mut wrong,
            &format!("repair, {desk}"),
            &["[data-desk=part]"],
        )
        .await?;
    }
    let other = client.open_other("Goes in circles").await?;
    let other = client.open_gate(other, "B-93").await?;
    b.page.goto(at(&other, "bench")).await?;
    b.see("[data-form=point]").await?;
    measure(
        b,
        &mut wrong,
        "points by hand",
        &["[data-form=point] [data-take]"],
    )
    .await?;
    b.page.goto(&shop.server.url).await?;
    b.see("[data-ticket]").await?;
    measure(b, &mut wrong, "rack", &["[data-ticket]", "[data-new-job]"]).await?;
    // the number on a ticket opens it
    b.page.action_chain().send_keys("1").perform().await?;
    b.gone("[data-ticket]").await?;
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    shop.close().await
}
