//! What a shop lives on, in a browser: a vehicle without a wiring model from intake to report, a proof
//! that fails and comes back, an open item that holds, a quote, the tablet changing hands, two browsers
//! on one job, photos, a printed report of two sheets, a known vehicle, people and settings.

use serde_json::{Value, json};
use spannung_e2e::api::Api;
use spannung_e2e::{Browser, Client, Done, Server, Shop};
use thirtyfour::prelude::*;
use uuid::Uuid;

/// A job on the bench with its gate open, and the page on one of its stations.
async fn job_at(shop: &Shop, words: &str, sticker: &str, station: &str) -> Done<(String, Client)> {
    let client = Client::sign_in(&shop.server.url, "Pavo Renk").await?;
    let view = client.open(words).await?;
    let view = client.open_gate(view, sticker).await?;
    let id = view["id"].as_str().unwrap_or_default().to_string();
    go(shop, &id, station).await?;
    Ok((id, client))
}

async fn go(shop: &Shop, job: &str, station: &str) -> Done {
    let address = format!("{}/jobs/{job}/{station}", shop.server.url);
    shop.browser.page.goto(address).await?;
    Ok(())
}

async fn pick(b: &Browser, select: &str, value: &str) -> Done {
    b.see(&format!("select[name={select}]")).await?;
    b.page
        .find(By::Css(&*format!(
            "select[name={select}] option[value='{value}']"
        )))
        .await?
        .click()
        .await?;
    Ok(())
}

/// Read a point by hand on this vehicle or the working one.
/// Say which suspect a part repairs: found by typing, picked by its press.
async fn repairs(b: &Browser, class: &str) -> Done {
    b.press("input[name=mends]").await?;
    b.fill("input[name=mends]", class).await?;
    b.press(&format!("[data-class={class}]")).await
}

async fn point(b: &Browser, side: &str, name: &str, typed: &str) -> Done {
    b.press(&format!("[data-form=point] [data-pick={side}]"))
        .await?;
    b.fill("[data-form=point] input[name=point]", name).await?;
    b.fill("[data-form=point] input[name=reading]", typed)
        .await?;
    b.press("[data-form=point] [data-take]").await?;
    b.see(&format!("[data-point='{name}']")).await?;
    Ok(())
}

#[tokio::test]
async fn a_vehicle_without_a_wiring_model_from_intake_to_report() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    b.press("[data-new-job]").await?;
    b.fill("#words", "Goes in circles since the last summer")
        .await?;
    b.press("[aria-label='24 V']").await?;
    b.press("[aria-label='other kind']").await?;
    b.read("No suspects for this vehicle").await?;
    b.press("[data-to-gate]").await?;
    shop.close_gate("B-51", "25,2").await?;
    b.press("[data-to-bench]").await?;
    b.see("[data-no-suspects]").await?;
    b.fill("input[name=twin]", "Ride-on 9, drives well").await?;
    b.press("[data-twin]").await?;
    b.read("Ride-on 9, drives well").await?;
    point(b, "reference", "Left motor, pedal down", "24.4").await?;
    point(b, "reference", "Block at rest", "25.6").await?;
    point(b, "this", "Block at rest", "25.5").await?;
    b.see("[data-point='Block at rest'][data-verdict=as-expected]")
        .await?;
    point(b, "this", "Left motor, pedal down", "0.3").await?;
    b.see("[data-point='Left motor, pedal down'][data-verdict=low]")
        .await?;
    // what cannot be read is said, and stays in the field
    b.fill("[data-form=point] input[name=point]", "Pedal switch")
        .await?;
    b.fill("[data-form=point] input[name=reading]", "4k7")
        .await?;
    b.press("[data-form=point] [data-take]").await?;
    b.read("is in ohms; this point is read in volts").await?;
    // the points are kept for the next one, where they are unverified
    b.fill("input[name=keep-sheet]", "Green tractor, 24 V")
        .await?;
    b.press("[data-keep-points]").await?;
    b.read("Kept with 2 points").await?;
    // mended, proved, handed back
    let id = shop.job_id().await?;
    go(&shop, &id, "repair").await?;
    b.fill("input[name=old]", "Left motor").await?;
    pick(b, "fate", "recycled").await?;
    b.fill("input[name=new]", "Motor, 24 V").await?;
    repairs(b, "motor").await?;
    b.fill("input[name=minutes]", "25").await?;
    b.press("[data-add-part]").await?;
    b.see("[data-part]").await?;
    go(&shop, &id, "proof").await?;
    b.press("[data-gate-again] [data-gate-answer=none]").await?;
    b.see("[data-check]").await?;
    shop.prove_all(&id).await?;
    Client::sign_in(&shop.server.url, "Pavo Renk")
        .await?
        .name_it(&id)
        .await?;
    go(&shop, &id, "hand-back").await?;
    b.press("[data-outcome=repaired]").await?;
    b.press("[data-pick=seen]").await?;
    b.fill("textarea[name=words]", "The left motor was burnt.")
        .await?;
    b.press("[data-hand-back]").await?;
    b.press("[data-report=customer]").await?;
    b.see("[data-report-sheet=customer]").await?;
    for text in [
        "The left motor was burnt.",
        "Left motor, pedal down",
        "0.30 V",
        "24.4 V",
        "To pay, tax included",
    ] {
        b.read(text).await?;
    }
    // no shares and no minutes on the customer's copy
    let text = b
        .page
        .find(By::Css("[data-report-sheet]"))
        .await?
        .text()
        .await?;
    assert!(!text.contains(" min billed"), "{text}");
    // the next such vehicle begins with the sheet
    b.page.goto(&shop.server.url).await?;
    b.press("[data-new-job]").await?;
    b.fill("#words", "Same toy, dead").await?;
    b.press("[aria-label='24 V']").await?;
    b.press("[aria-label='other kind']").await?;
    b.press("[data-to-gate]").await?;
    shop.close_gate("B-52", "25,2").await?;
    b.press("[data-to-bench]").await?;
    b.press("[data-use-sheet='Green tractor, 24 V']").await?;
    b.see("[data-point='Block at rest'] [data-unverified]")
        .await?;
    point(b, "reference", "Block at rest", "25.8").await?;
    b.gone("[data-point='Block at rest'] [data-unverified]")
        .await?;
    shop.close().await
}

#[tokio::test]
async fn a_proof_that_fails_goes_to_the_bench_and_comes_back() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    let (id, client) = job_at(&shop, "Brake lever does not cut", "B-61", "repair").await?;
    let part = json!({"kind": "part", "new": "Brake switch", "class": "brake-right", "minutes": 8.0, "price_cents": 900});
    client
        .write(
            &id,
            &[
                part,
                json!({"kind": "gate", "check": "smell", "answer": "none"}),
            ],
        )
        .await?;
    go(&shop, &id, "proof").await?;
    b.press("[data-row=brake-cut-right]").await?;
    b.see("[data-check=brake-cut-right] [data-need=wheel-up]")
        .await?;
    // no figure, no pass
    assert!(
        b.page
            .find_all(By::Css("[data-take-proof]:not([disabled])"))
            .await?
            .is_empty()
    );
    b.fill("input[name=figure]", "0.9").await?;
    b.press("[data-take-proof]").await?;
    b.see("[data-row=brake-cut-right][data-standing=failed]")
        .await?;
    let view = client.get(&format!("/jobs/{id}")).await?;
    assert_eq!(view["stage"], "bench");
    assert!(
        view["symptoms"]
            .as_array()
            .is_some_and(|s| s.iter().any(|x| x["id"] == "S34" && x["yes"] == true)),
        "the Bench has been told"
    );
    // it holds the hand-back, whatever else is proved
    go(&shop, &id, "hand-back").await?;
    b.press("[data-outcome=repaired]").await?;
    b.see("[data-held=proof]").await?;
    b.press("[data-pick=seen]").await?;
    b.press("[data-hand-back]").await?;
    b.read("The hand-back is held").await?;
    // mended at the Bench, proved again: the failed figure stays, struck through
    go(&shop, &id, "proof").await?;
    b.press("[data-row=brake-cut-right] button").await?;
    b.fill("input[name=figure]", "0,2").await?;
    b.press("[data-take-proof]").await?;
    b.see("[data-row=brake-cut-right][data-standing=passed]")
        .await?;
    b.read("Again: Brake cut, right lever").await?;
    // what can hurt somebody is not left out; the rest is, with a reason that prints
    b.press("[data-row=brake-function] button").await?;
    b.see("[data-check=brake-function]").await?;
    b.read("it has to pass").await?;
    b.press("[data-row=fastener-walk] button").await?;
    b.press("[data-except]").await?;
    b.fill("input[name=reason]", "the lever alone was moved")
        .await?;
    b.press("[data-except-send]").await?;
    b.see("[data-row=fastener-walk][data-standing=excepted]")
        .await?;
    shop.prove_all(&id).await?;
    client.name_it(&id).await?;
    go(&shop, &id, "hand-back").await?;
    b.press("[data-outcome=repaired]").await?;
    b.press("[data-pick=seen]").await?;
    b.press("[data-hand-back]").await?;
    b.see("[data-closed=repaired]").await?;
    b.press("[data-report=shop]").await?;
    b.read("Every fastener").await?;
    shop.close().await
}

#[tokio::test]
async fn an_open_item_holds_the_hand_back() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    let (id, client) = job_at(&shop, "Lamp dark", "B-62", "repair").await?;
    // without its vehicle and owner a job does not end
    b.see("[data-item='named.vehicle'][data-standing=open]")
        .await?;
    b.press("[data-item='named.owner']").await?;
    b.press("[data-name-it='named.owner']").await?;
    b.see("[data-save]").await?;
    client.name_it(&id).await?;
    go(&shop, &id, "repair").await?;
    b.press("[data-desk=open]").await?;
    pick(b, "item", "temporary-joint").await?;
    b.fill("input[name=left-open]", "lamp feed, twisted")
        .await?;
    b.press("[data-add-item]").await?;
    b.see("[data-item][data-standing=open]").await?;
    go(&shop, &id, "hand-back").await?;
    b.press("[data-outcome=declined]").await?;
    b.see("[data-held=items]").await?;
    b.press("[data-hand-back]").await?;
    b.read("Temporary joint is open: lamp feed, twisted.")
        .await?;
    go(&shop, &id, "repair").await?;
    b.fill("[data-close-item] input[name=how]", "soldered, sleeved")
        .await?;
    b.press("[data-close-send]").await?;
    b.see("[data-item][data-standing=closed]").await?;
    // the way together again is noted, and minutes come by a clock that is corrected with a reason
    b.press("[data-desk=assembly]").await?;
    b.fill("input[name=assembly-part]", "Lamp bracket").await?;
    b.press("[data-add-assembly]").await?;
    b.see("[data-assembly='1']").await?;
    b.press("[data-clock=stands]").await?;
    b.see("[data-clock=runs]").await?;
    b.press("[data-clock=runs]").await?;
    b.see("[data-clock=stands]").await?;
    b.press("[data-desk=minutes]").await?;
    b.fill("input[name=more]", "zehn").await?;
    b.fill("input[name=what]", "talked with the customer")
        .await?;
    b.press("[data-add-minutes]").await?;
    b.read("“zehn” is no number of minutes").await?;
    b.fill("input[name=more]", "10").await?;
    b.press("[data-add-minutes]").await?;
    b.read("10 spent").await?;
    go(&shop, &id, "hand-back").await?;
    b.press("[data-outcome=declined]").await?;
    b.press("[data-hand-back]").await?;
    b.see("[data-closed=declined]").await?;
    shop.close().await
}

#[tokio::test]
async fn a_quote_waits_for_its_answer_and_a_part_for_its_arrival() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    let (id, client) = job_at(&shop, "Range halved", "B-63", "repair").await?;
    b.press("[data-desk=quote]").await?;
    b.fill("input[name=quote-what-0]", "Pack, 48 V 14 Ah")
        .await?;
    b.fill("input[name=quote-price-0]", "389").await?;
    b.fill("input[name=quote-minutes]", "30").await?;
    b.press("[data-add-quote]").await?;
    // 389.00 and 30 min at 56.00 an hour, 19 % tax
    b.read("€496.23").await?;
    b.see("[data-quote=open]").await?;
    b.see("[data-waiting=customer]").await?;
    let rack = client.get("/rack").await?;
    let waits = |rack: &Value| {
        rack["waiting"]
            .as_array()
            .is_some_and(|w| w.iter().any(|t| t["id"] == json!(id)))
    };
    assert!(waits(&rack), "it hangs on the lower rail");
    b.press("[data-answer-quote=no-answer]").await?;
    b.see("[data-quote=no-answer]").await?;
    b.see("[data-waiting=customer]").await?;
    b.press("[data-answer-quote=accepted]").await?;
    b.see("[data-quote=accepted]").await?;
    b.gone("[data-waiting]").await?;
    assert!(!waits(&client.get("/rack").await?));
    // ordered; it comes damaged, is claimed, and the next one is good
    b.press("[data-desk=wait]").await?;
    b.fill("input[name=wait-what]", "Pack, 48 V 14 Ah").await?;
    b.fill("input[name=supplier]", "Cell trade, order 11")
        .await?;
    b.press("[data-wait]").await?;
    b.see("[data-waiting=part]").await?;
    b.press("[data-arrived]").await?;
    for (look, answer) in [("whole", "no"), ("complete", "yes"), ("right", "yes")] {
        b.press(&format!("[data-look={look}] [data-pick={answer}]"))
            .await?;
    }
    b.fill("input[name=wrong]", "corner crushed, box wet")
        .await?;
    b.press("[data-goods-send]").await?;
    b.see("[data-arrival=bad]").await?;
    b.see("[data-claim]").await?;
    b.see("[data-waiting=part]").await?;
    b.press("[data-arrived]").await?;
    for look in ["whole", "complete", "right"] {
        b.press(&format!("[data-look={look}] [data-pick=yes]"))
            .await?;
    }
    b.press("[data-goods-send]").await?;
    b.see("[data-arrival=good]").await?;
    b.gone("[data-waiting]").await?;
    shop.close().await
}

#[tokio::test]
async fn two_browsers_on_one_job_see_each_other() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let (id, _) = job_at(&shop, "Lights up, no drive", "B-64", "record").await?;
    shop.browser.see("[data-line=pack]").await?;
    let other = Browser::start(1024, 768).await?;
    other.sign_in(&shop.server.url, "Signe Lorr").await?;
    other
        .page
        .goto(format!("{}/jobs/{id}/record", shop.server.url))
        .await?;
    other
        .fill("input[aria-label=Note]", "Looked at the loom")
        .await?;
    other.press_text("Save the note").await?;
    shop.browser.read("Note: Looked at the loom").await?;
    shop.browser
        .fill("input[aria-label=Note]", "Thank you, going on")
        .await?;
    shop.browser.press_text("Save the note").await?;
    other.read("Note: Thank you, going on").await?;
    assert!(other.complaints().await?.is_empty());
    other.page.clone().quit().await?;
    drop(other);
    shop.close().await
}

#[tokio::test]
async fn the_tablet_changes_hands_and_keeps_what_is_typed() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    let (id, client) = job_at(&shop, "Stutters", "B-65", "record").await?;
    b.fill("input[aria-label=Note]", "half a sentence").await?;
    b.press("[data-person]").await?;
    b.press("[data-who='Signe Lorr']").await?;
    b.fill("input[name=code]", "0000").await?;
    b.press("[data-take-over]").await?;
    b.read("This code does not fit Signe Lorr.").await?;
    b.fill("input[name=code]", "9316").await?;
    b.press("[data-take-over]").await?;
    b.see("[data-person='Signe Lorr']").await?;
    let kept = b
        .page
        .find(By::Css("input[aria-label=Note]"))
        .await?
        .prop("value")
        .await?;
    assert_eq!(kept.as_deref(), Some("half a sentence"));
    b.press_text("Save the note").await?;
    b.read("Note: half a sentence").await?;
    let bundle = client.get(&format!("/jobs/{id}/export.json")).await?;
    let last = bundle["entries"].as_array().and_then(|e| e.last()).cloned();
    assert_eq!(last.unwrap_or_default()["by"], "Signe Lorr");
    shop.close().await
}

#[tokio::test]
async fn a_photo_is_taken_shown_small_and_full() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    let (id, client) = job_at(&shop, "Hot smell at the plug", "B-66", "repair").await?;
    let file = demo_photo(&client).await?;
    b.see("[data-add-photo]").await?;
    b.page
        .find(By::Css("input[name=photo]"))
        .await?
        .send_keys(file.to_string_lossy())
        .await?;
    b.press("[data-photo]").await?;
    b.see("[data-photo-full] img").await?;
    b.press_text("Close").await?;
    b.gone("[data-photo-full]").await?;
    // something else than a picture gets a sentence
    let text = std::env::temp_dir().join(format!("{}.png", Uuid::new_v4()));
    std::fs::write(&text, "no picture")?;
    b.page
        .find(By::Css("input[name=photo]"))
        .await?
        .send_keys(text.to_string_lossy())
        .await?;
    b.read("JPEG, PNG and WebP are read").await?;
    assert_eq!(
        shop.kinds(&id)
            .await?
            .iter()
            .filter(|k| *k == "photo")
            .count(),
        1
    );
    std::fs::remove_file(file)?;
    std::fs::remove_file(text)?;
    shop.close().await
}

/// A picture of the demonstration as a file.
async fn demo_photo(client: &Client) -> Done<std::path::PathBuf> {
    let rack = client.get("/rack?find=0406").await?;
    let job = rack["workable"][0]["id"]
        .as_str()
        .unwrap_or_default()
        .to_string();
    let view = client.get(&format!("/jobs/{job}")).await?;
    let photo = view["photos"][0]["photo"]
        .as_str()
        .unwrap_or_default()
        .to_string();
    let bytes = client
        .http
        .get(format!("{}/jobs/{job}/photos/{photo}", client.api))
        .send()
        .await?
        .error_for_status()?
        .bytes()
        .await?;
    let file = std::env::temp_dir().join(format!("{}.jpg", Uuid::new_v4()));
    std::fs::write(&file, bytes)?;
    Ok(file)
}

#[tokio::test]
async fn the_report_prints_on_two_sheets_and_nothing_is_cut() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    let client = Client::sign_in(&shop.server.url, "Pavo Renk").await?;
    let rack = client.get("/rack?find=0401").await?;
    let job = rack["closed"][0]["id"]
        .as_str()
        .unwrap_or_default()
        .to_string();
    go(&shop, &job, "report?copy=customer").await?;
    b.see("[data-title-block]").await?;
    let wide = b
        .script(
            "const s = document.querySelector('.report'); return [s.scrollWidth, s.clientWidth]",
        )
        .await?;
    assert_eq!(wide[0], wide[1], "nothing hangs over the sheet's edge");
    let pdf = b
        .page
        .cdp()
        .send_raw(
            "Page.printToPDF",
            json!({"preferCSSPageSize": true, "printBackground": true}),
        )
        .await?;
    let text = pdf["data"].as_str().ok_or("no PDF")?;
    // base 64 without a decoder: the page's own
    let pages = b
        .page
        .execute(
            "const raw = atob(arguments[0]);
             const count = (raw.match(/\\/Type\\s*\\/Page[^s]/g) || []).length;
             const box = raw.match(/\\/MediaBox\\s*\\[([^\\]]*)\\]/);
             return [count, box ? box[1].trim() : ''];",
            vec![json!(text)],
        )
        .await?
        .json()
        .clone();
    assert_eq!(pages[0], 2, "{pages}");
    let sides: Vec<f64> = pages[1]
        .as_str()
        .unwrap_or_default()
        .split_whitespace()
        .filter_map(|x| x.parse().ok())
        .collect();
    // A4 in points
    assert!(
        (sides[2] - 595.0).abs() < 2.0 && (sides[3] - 842.0).abs() < 2.0,
        "{sides:?}"
    );
    shop.close().await
}

#[tokio::test]
async fn a_known_vehicle_brings_its_story_and_a_comeback_is_marked() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    b.press("[data-new-job]").await?;
    b.fill("#words", "Pedalling does nothing again, says the school")
        .await?;
    b.fill("input[name=known]", "HS-00").await?;
    b.press("[data-pick-known='Harbour school loan 2']").await?;
    b.see("[data-known]").await?;
    b.see("[data-suspect]").await?;
    b.press("[data-to-gate]").await?;
    // the pack that was on it the last time is one press away, and what was found on it comes along
    b.press("[data-last-pack]").await?;
    b.gone("[data-last-pack]").await?;
    let id = shop.job_id().await?;
    let client = Client::sign_in(&shop.server.url, "Pavo Renk").await?;
    let view = client.get(&format!("/jobs/{id}")).await?;
    assert!(view["pack"]["sticker"].is_string());
    assert_eq!(view["vehicle"], "Harbour school loan 2");
    assert_eq!(view["from_job"]["number"], 402);
    assert_eq!(view["earlier"][0]["comeback"], true, "{}", view["earlier"]);
    go(&shop, &id, "intake").await?;
    b.see("[data-earlier='402']").await?;
    b.page.goto(&shop.server.url).await?;
    b.see("[data-comeback='402']").await?;
    // the re-check it came back for is off the rack
    let rack = client.get("/rack").await?;
    assert!(
        rack["rechecks"]
            .as_array()
            .is_some_and(|r| r.iter().all(|x| x["number"] != 402))
    );
    shop.close().await
}

#[tokio::test]
async fn locked_electronics_wait_for_a_proof_of_ownership() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    let (_, _) = job_at(&shop, "Display asks for a code", "B-67", "repair").await?;
    b.press("[data-desk=owner]").await?;
    b.press("[data-pick=yes]").await?;
    b.see("input[name=ownership]").await?;
    b.press("[data-desk=part]").await?;
    b.fill("input[name=new]", "Controller, 48 V").await?;
    repairs(b, "controller").await?;
    b.fill("input[name=minutes]", "20").await?;
    b.press("[data-add-part]").await?;
    b.read("record the proof of ownership").await?;
    b.press("[data-desk=owner]").await?;
    b.fill(
        "input[name=ownership]",
        "receipt, name matches the passport",
    )
    .await?;
    b.press("[data-ownership-send]").await?;
    b.see("[data-ownership=proved]").await?;
    b.press("[data-desk=part]").await?;
    b.fill("input[name=new]", "Controller, 48 V").await?;
    repairs(b, "controller").await?;
    b.fill("input[name=minutes]", "20").await?;
    b.press("[data-add-part]").await?;
    b.see("[data-part]").await?;
    shop.close().await
}

#[tokio::test]
async fn the_owner_adds_people_who_set_their_own_password() -> Done {
    let shop = Shop::open(1280, 800, "Ilse Dorn").await?;
    let b = &shop.browser;
    b.press("[data-person]").await?;
    b.press("[data-to-shop]").await?;
    b.fill("input[name=person]", "Rieke Holm").await?;
    b.press("[data-add-person]").await?;
    let link = b.see("[data-link] code").await?.text().await?;
    // settings: a wrong one is said, a right one has its history
    b.fill("input[name=tax]", "viel").await?;
    b.press("[data-keep-shop]").await?;
    b.read("“viel” is no number for the tax.").await?;
    b.fill("input[name=tax]", "7").await?;
    b.fill("input[name=rate]", "61.50").await?;
    b.press("[data-keep-shop]").await?;
    b.read("€61.50 per hour, steps of 5 min, tax 7 %").await?;
    b.read("€56.00 per hour, steps of 5 min, tax 19 %").await?;
    // the link sets a password once
    b.page.delete_all_cookies().await?;
    b.page.goto(&link).await?;
    b.read("Welcome, Rieke Holm").await?;
    b.fill("input[name=password]", "short").await?;
    b.fill("input[name=again]", "short").await?;
    b.press("[data-welcome]").await?;
    b.read("A password has 10 letters or more").await?;
    for field in ["password", "again"] {
        b.fill(&format!("input[name={field}]"), "tide and tar 7")
            .await?;
    }
    b.press("[data-welcome]").await?;
    b.see("[data-person='Rieke Holm']").await?;
    b.page.goto(&link).await?;
    b.page.refresh().await?;
    b.read("This link cannot be used").await?;
    // disabled, the session is over at once
    let owner = Client::sign_in(&shop.server.url, "Ilse Dorn").await?;
    let people = owner.get("/people").await?;
    let rieke = people
        .as_array()
        .and_then(|p| p.iter().find(|x| x["name"] == "Rieke Holm"))
        .cloned()
        .unwrap_or_default();
    let reply = owner
        .http
        .put(format!(
            "{}/people/{}",
            owner.api,
            rieke["id"].as_str().unwrap_or_default()
        ))
        .json(&json!({"name": "Rieke Holm", "role": "technician", "disabled": true}))
        .send()
        .await?;
    assert_eq!(reply.status(), 204);
    b.page.goto(&shop.server.url).await?;
    b.see("input[name=name]").await?;
    shop.close().await
}

#[tokio::test]
async fn an_empty_shop_makes_its_first_owner_by_a_link() -> Done {
    let database = spannung_e2e::Database::create().await?;
    let (server, link) = Server::start_empty(&database.url)?;
    let b = Browser::start(1280, 800).await?;
    b.page.goto(&link).await?;
    b.read("The first owner of this shop").await?;
    b.fill("input[name=name]", "Enno Vark").await?;
    for field in ["password", "again"] {
        b.fill(&format!("input[name={field}]"), "salt rope tar")
            .await?;
    }
    b.press("[data-welcome]").await?;
    b.see("[data-person='Enno Vark']").await?;
    b.read("No open job.").await?;
    b.page.clone().quit().await?;
    drop(b);
    // another start makes no other link, and the first one is used up
    drop(server);
    let again = Server::start(&database.url, &[])?;
    let token = link.rsplit('#').next().unwrap_or_default();
    let http = reqwest::Client::new();
    let reply = http
        .put(format!("{}/api/invitation", again.url))
        .json(&json!({"token": token, "name": "Somebody", "password": "another one here"}))
        .send()
        .await?;
    assert_eq!(reply.status(), 404);
    Ok(())
}

#[tokio::test]
async fn times_and_lengths_are_the_shops() -> Done {
    let shop = Shop::open(1280, 800, "Ilse Dorn").await?;
    let b = &shop.browser;
    b.page.goto(format!("{}/shop", shop.server.url)).await?;
    pick(b, "time-zone", "Pacific/Auckland").await?;
    b.press("[data-pick=imperial]").await?;
    b.press("[data-keep-shop]").await?;
    b.read("kept").await?;
    let client = Client::sign_in(&shop.server.url, "Ilse Dorn").await?;
    let view = client.open("Throttle dead").await?;
    let view = client.open_gate(view, "B-71").await?;
    let id = view["id"].as_str().unwrap_or_default().to_string();
    go(&shop, &id, "intake").await?;
    // summer time there: thirteen hours ahead
    b.see("input[name=promised]").await?;
    b.script(
        "const f = document.querySelector('input[name=promised]');
         Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(f, '2028-10-20T10:00');
         f.dispatchEvent(new Event('input', { bubbles: true }));",
    )
    .await?;
    b.fill("input[name=stop]", "45").await?;
    b.press("[data-save]").await?;
    b.read("kept").await?;
    let view = client.get(&format!("/jobs/{id}")).await?;
    assert_eq!(view["promised"], "2028-10-19T21:00:00Z");
    assert_eq!(view["stop_loss_minutes"], 45.0);
    go(&shop, &id, "record").await?;
    b.read("promised for Fri 20.10. 10:00").await?;
    // miles and feet, where there are any
    let loose = json!({"kind": "symptom", "symptom": "S46", "yes": true, "by_customer": true});
    client.write(&id, &[loose]).await?;
    go(&shop, &id, "proof").await?;
    b.read("35–50 N·m (26–37 lbf·ft)").await?;
    client.prove_all(&id).await?;
    client.name_it(&id).await?;
    go(&shop, &id, "hand-back").await?;
    b.press("[data-outcome=no-fault-found]").await?;
    b.script(
        "const f = document.querySelector('input[name=recheck]');
         Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(f, '2028-11-01');
         f.dispatchEvent(new Event('input', { bubbles: true }));",
    )
    .await?;
    b.fill("input[name=km]", "100").await?;
    b.fill("input[name=recheck-what]", "axle nuts").await?;
    b.press("[data-hand-back]").await?;
    b.read("after 100 miles").await?;
    let view = client.get(&format!("/jobs/{id}")).await?;
    assert_eq!(view["closed"]["recheck"]["km"], 161);
    assert_eq!(view["closed"]["recheck"]["by"], "2028-10-31T23:00:00Z");
    // a zone that is none is refused, and nothing of the settings changes
    let mut bad = client.get("/shop").await?;
    bad["time_zone"] = json!("Moon/Tranquility");
    let put = client.http.put(format!("{}/shop", client.api)).json(&bad);
    assert_eq!(put.send().await?.status(), 422);
    assert_eq!(client.get("/shop").await?["time_zone"], "Pacific/Auckland");
    // it is back: the next job begins from this one
    b.press("[data-back]").await?;
    b.see("[data-known]").await?;
    b.fill("#words", "Back to be looked at").await?;
    b.press("[data-to-gate]").await?;
    b.see("input[name=sticker]").await?;
    let next = client
        .get(&format!("/jobs/{}", shop.job_id().await?))
        .await?;
    assert_eq!(next["from_job"]["id"], id);
    shop.close().await
}

#[tokio::test]
async fn readings_come_in_from_a_file() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    let client = Client::sign_in(&shop.server.url, "Pavo Renk").await?;
    let view = client.open_other("The twin").await?;
    let view = client.open_gate(view, "B-72").await?;
    let id = view["id"].as_str().unwrap_or_default().to_string();
    go(&shop, &id, "record").await?;
    b.see("[data-csv-in]").await?;
    let file = std::env::temp_dir().join(format!("{}.csv", Uuid::new_v4()));
    let choose = async |text: &str| -> Done {
        std::fs::write(&file, text)?;
        let field = b.page.find(By::Css("input[name=csv]")).await?;
        field.send_keys(file.to_string_lossy()).await?;
        Ok(())
    };
    choose("name;value\nA;3\n").await?;
    b.read("has none of the columns").await?;
    choose("name,unit,typed\nKey switch,V,\"12,4 A\"\n").await?;
    b.see("[data-csv=refused]").await?;
    choose("name,unit,typed\nKey switch,V,\"12,4\"\nFuse,V,12.3\n").await?;
    b.read("2 readings read from").await?;
    std::fs::remove_file(&file)?;
    let view = client.get(&format!("/jobs/{id}")).await?;
    assert_eq!(view["points"].as_array().map(Vec::len), Some(2));
    shop.close().await
}

#[tokio::test]
async fn a_part_is_struck_out_with_its_reason_and_stays_in_the_record() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    let (id, client) = job_at(&shop, "Lamp dark", "B-73", "repair").await?;
    b.fill("input[name=new]", "Lamp, 36 V").await?;
    b.fill("input[name=minutes]", "5").await?;
    b.press("[data-add-part]").await?;
    b.press("[data-part] [data-strike]").await?;
    b.fill(
        "input[name=strike-reason]",
        "wrong voltage, went back into the drawer",
    )
    .await?;
    b.press("[data-strike-out]").await?;
    b.gone("[data-part]").await?;
    let view = client.get(&format!("/jobs/{id}")).await?;
    assert_eq!(view["parts"], json!([]));
    go(&shop, &id, "record").await?;
    b.read("(struck out: wrong voltage, went back into the drawer)")
        .await?;
    // what the gate rests on cannot be struck out
    let gate = b.page.find_all(By::Css("[data-line=gate] [data-strike]"));
    assert!(gate.await?.is_empty());
    shop.close().await
}

#[tokio::test]
async fn stations_work_from_the_keyboard() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    let (id, _) = job_at(&shop, "Bell is dull", "B-74", "repair").await?;
    let keys = async |keys: &str| -> Done {
        b.page.action_chain().send_keys(keys).perform().await?;
        Ok(())
    };
    b.see("[data-form=part]").await?;
    for (key, form) in [("2", "minutes"), ("5", "wait"), ("1", "part")] {
        keys(key).await?;
        b.see(&format!("[data-form={form}]")).await?;
    }
    // what the keys do here, and nothing happens beneath while it is read
    keys("?").await?;
    b.see("[data-keys-now]").await?;
    b.read("Start the clock").await?;
    keys("\u{e034}").await?; // F4
    keys(&Key::Escape.value().to_string()).await?;
    b.gone("[data-keys-now]").await?;
    b.see("[data-clock=stands]").await?;
    go(&shop, &id, "proof").await?;
    let now = async || -> Done<String> {
        let card = b.see("[data-check]").await?;
        Ok(card.attr("data-check").await?.unwrap_or_default())
    };
    assert_eq!(now().await?, "brake-function");
    keys(&Key::Down.value().to_string()).await?;
    b.see("[data-check=brake-cut-left]").await?;
    b.fill("input[name=figure]", "0,2").await?;
    keys(&Key::Enter.value().to_string()).await?;
    b.see("[data-row=brake-cut-left][data-standing=passed]")
        .await?;
    go(&shop, &id, "hand-back").await?;
    b.see("[data-outcome=repaired]").await?;
    keys("5").await?;
    b.see("[data-outcome=no-fault-found][aria-pressed=true]")
        .await?;
    shop.close().await
}

#[tokio::test]
async fn the_owner_is_asked_again_and_reads_what_was_done() -> Done {
    let shop = Shop::open(1280, 800, "Ilse Dorn").await?;
    let b = &shop.browser;
    let pool = sqlx::PgPool::connect(&shop.database.url).await?;
    sqlx::query("UPDATE session SET confirmed_at = now() - interval '1 hour'")
        .execute(&pool)
        .await?;
    pool.close().await;
    b.page.goto(format!("{}/shop", shop.server.url)).await?;
    b.press("[data-person-row='Tomke Aal'] [data-disable]")
        .await?;
    b.read("Your password again").await?;
    b.fill("input[name=confirm-password]", "not this one")
        .await?;
    b.press("[data-confirm]").await?;
    b.read("does not fit Ilse Dorn").await?;
    b.fill("input[name=confirm-password]", spannung_e2e::PASSWORD)
        .await?;
    b.press("[data-confirm]").await?;
    b.see("[data-person-row='Tomke Aal'][data-disabled=true]")
        .await?;
    b.page.refresh().await?;
    b.see("[data-audit-line='person changed']").await?;
    b.read("Tomke Aal, trainee, disabled").await?;
    b.see("[data-audit-line='signed in']").await?;
    // the browser notes the refusal itself
    shop.close_after_a_cut().await.or_else(|e| {
        let text = e.to_string();
        if text.lines().all(|l| l.contains("403")) {
            Ok(())
        } else {
            Err(e)
        }
    })
}

#[tokio::test]
async fn an_intake_whose_reply_was_lost_opens_one_job() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    let client = Client::sign_in(&shop.server.url, "Pavo Renk").await?;
    let before = client.get("/rack").await?["open"].as_u64();
    b.press("[data-new-job]").await?;
    b.fill("#words", "Dead after the rain").await?;
    b.press("[aria-label='48 V']").await?;
    b.press("[aria-label='geared hub']").await?;
    b.see("[data-to-gate]:not([disabled])").await?;
    // the server has opened it, its reply was lost, and something was typed since
    let draft = b
        .script("return JSON.parse(localStorage.getItem('spannung-intake')).id")
        .await?;
    let opened = json!({"id": draft, "entries": [{"id": Uuid::new_v4(), "body":
        {"kind": "opened", "words": "Dead after", "volts_class": 48, "drive": "geared-hub"}}]});
    assert_eq!(client.post("/jobs", &opened).await?.0, 200);
    b.press("[data-to-gate]").await?;
    b.read("Which pack is on it?").await?;
    assert_eq!(
        client.get("/rack").await?["open"].as_u64(),
        before.map(|n| n + 1)
    );
    // the browser notes the refusal itself
    shop.close_after_a_cut().await.or_else(|e| {
        let text = e.to_string();
        if text.lines().all(|l| l.contains("422")) {
            Ok(())
        } else {
            Err(e)
        }
    })
}
