//! Without the network: a reading, a note, a part and a photo are kept on the device, survive a reload,
//! and arrive once and in order.

use serde_json::json;
use spannung_e2e::api::Api;
use spannung_e2e::{Client, Done, Shop};
use thirtyfour::prelude::*;

async fn note(shop: &Shop, text: &str) -> Done {
    shop.browser.fill("input[aria-label=Note]", text).await?;
    shop.browser.press_text("Save the note").await
}

/// A fresh job with its record on the page: the shop, somebody who asks the server, the job.
async fn on_the_record(words: &str) -> Done<(Shop, Client, String)> {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let client = Client::sign_in(&shop.server.url, "Pavo Renk").await?;
    let view = client.open(words).await?;
    let id = view["id"].as_str().unwrap_or_default().to_string();
    let record = format!("{}/jobs/{id}/record", shop.server.url);
    shop.browser.page.goto(record).await?;
    shop.browser.see("[data-line]").await?;
    Ok((shop, client, id))
}

/// Kinds of a job after the gate, as often as they came.
async fn after_gate(shop: &Shop, job: &str) -> Done<Vec<String>> {
    let kinds = shop.kinds(job).await?;
    let gate = kinds.iter().rposition(|k| k == "gate").unwrap_or(0);
    Ok(kinds[gate + 1..].to_vec())
}

#[tokio::test]
async fn a_reading_taken_without_the_network_arrives_once() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    let client = Client::sign_in(&shop.server.url, "Pavo Renk").await?;
    let view = client.open("Throttle dead, pedals help").await?;
    let view = client.open_gate(view, "B-91").await?;
    let id = view["id"].as_str().unwrap_or_default().to_string();
    b.page
        .goto(format!("{}/jobs/{id}/bench", shop.server.url))
        .await?;
    shop.card().await?;
    shop.choose("throttle", "t-thr-idle").await?;
    b.fill("input[name=reading]", "0.02").await?;
    shop.cut(true).await?;
    b.press("[data-take]").await?;
    // kept on the device; suspects and probe are as before it, and say so
    b.see("[data-outbox='1']").await?;
    b.see("[data-before='1']").await?;
    b.read("from before reading 0.02").await?;
    assert_eq!(
        after_gate(&shop, &id)
            .await?
            .iter()
            .filter(|k| *k == "reading")
            .count(),
        0
    );
    shop.cut(false).await?;
    b.see("[data-tile=t-thr-idle]").await?;
    b.gone("[data-before]").await?;
    assert_eq!(
        after_gate(&shop, &id)
            .await?
            .iter()
            .filter(|k| *k == "reading")
            .count(),
        1
    );
    shop.close_after_a_cut().await
}

#[tokio::test]
async fn what_waits_survives_a_reload_and_keeps_its_order() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    let client = Client::sign_in(&shop.server.url, "Pavo Renk").await?;
    let view = client.open("Stutters at the market").await?;
    let view = client.open_gate(view, "B-92").await?;
    let id = view["id"].as_str().unwrap_or_default().to_string();
    b.page
        .goto(format!("{}/jobs/{id}/record", shop.server.url))
        .await?;
    b.see("[data-line]").await?;
    shop.block_writes(true).await?;
    note(&shop, "first").await?;
    b.see("[data-outbox='1']").await?;
    let file = picture()?;
    b.page
        .find(By::Css("input[name=photo]"))
        .await?
        .send_keys(file.to_string_lossy())
        .await?;
    b.see("[data-outbox='2']").await?;
    note(&shop, "third").await?;
    b.see("[data-outbox='3']").await?;
    b.page.refresh().await?;
    b.see("[data-outbox='3']").await?;
    assert_eq!(after_gate(&shop, &id).await?, Vec::<String>::new());
    shop.block_writes(false).await?;
    b.gone("[data-outbox='3']").await?;
    b.read("Note: third").await?;
    b.see("[data-photo]").await?;
    assert_eq!(after_gate(&shop, &id).await?, ["note", "photo", "note"]);
    std::fs::remove_file(file)?;
    shop.close_after_a_cut().await
}

#[tokio::test]
async fn what_is_typed_while_an_entry_is_on_its_way_is_the_next_one() -> Done {
    let (shop, _, id) = on_the_record("Rear wheel wobbles").await?;
    let b = &shop.browser;
    b.page
        .goto(format!("{}/jobs/{id}/repair", shop.server.url))
        .await?;
    b.press("[data-desk=minutes]").await?;
    let fields = async || -> Done<[Option<String>; 2]> {
        let more = b.see("input[name=more]").await?.prop("value").await?;
        let what = b.see("input[name=what]").await?.prop("value").await?;
        Ok([more, what])
    };
    let stand = |more: &str, what: &str| [more, what].map(|t| Some(t.to_string()));
    b.fill("input[name=more]", "12").await?;
    b.fill("input[name=what]", "wheel trued").await?;
    shop.slow(1500).await?;
    b.press("[data-add-minutes]").await?;
    // the answer is still on its way
    assert_eq!(fields().await?, stand("", ""));
    b.fill("input[name=more]", "1500").await?;
    b.fill("input[name=what]", "spoke").await?;
    b.read("12 spent").await?;
    shop.slow(0).await?;
    assert_eq!(fields().await?, stand("1500", "spoke"));
    // what is refused comes back
    b.press("[data-add-minutes]").await?;
    b.read("Minutes between −1440 and 1440 are accepted.")
        .await?;
    assert_eq!(fields().await?, stand("1500", "spoke"));
    shop.close_after_a_cut().await
}

#[tokio::test]
async fn what_no_longer_fits_is_shown_with_its_sentence() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    let client = Client::sign_in(&shop.server.url, "Pavo Renk").await?;
    let view = client.open("Lamp dark").await?;
    let view = client.open_gate(view, "B-93").await?;
    let id = view["id"].as_str().unwrap_or_default().to_string();
    client.name_it(&id).await?;
    b.page
        .goto(format!("{}/jobs/{id}/repair", shop.server.url))
        .await?;
    b.see("[data-form=part]").await?;
    shop.block_writes(true).await?;
    b.fill("input[name=new]", "Lamp, 48 V").await?;
    b.fill("input[name=minutes]", "5").await?;
    b.press("[data-add-part]").await?;
    b.see("[data-outbox='1']").await?;
    // meanwhile somebody closes the job
    client
        .write(
            &id,
            &[json!({"kind": "close", "outcome": "declined", "cause_confirmed": false})],
        )
        .await?;
    shop.block_writes(false).await?;
    b.see("[data-outbox='0'][data-refused='1']").await?;
    b.press("[data-outbox]").await?;
    b.read("Part: Lamp, 48 V").await?;
    b.read("This job is closed.").await?;
    b.press_text("Read it, remove it").await?;
    b.gone("[data-outbox]").await?;
    shop.close_after_a_cut().await
}

#[tokio::test]
async fn a_closed_gate_stays_closed_without_the_network() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    shop.new_job("Dead since the rain").await?;
    b.press("[data-to-gate]").await?;
    b.fill("input[name=sticker]", "B-94").await?;
    b.press_text("Name the pack").await?;
    shop.answer("shape", "1").await?;
    shop.block_writes(true).await?;
    b.press("[aria-label='Asked now'] [data-answer='1']")
        .await?;
    b.see("[data-outbox='1']").await?;
    b.see("[data-contact=leak][data-standing=open]").await?;
    assert!(
        b.page
            .find_all(By::Css("[data-to-bench]"))
            .await?
            .is_empty()
    );
    shop.block_writes(false).await?;
    b.see("[data-contact=leak][data-standing=clear]").await?;
    shop.close_after_a_cut().await
}

/// A small picture as a file: a PNG of one grey pixel, made by hand.
fn picture() -> Done<std::path::PathBuf> {
    let bytes: &[u8] = &[
        0x89, b'P', b'N', b'G', 0x0d, 0x0a, 0x1a, 0x0a, 0, 0, 0, 13, b'I', b'H', b'D', b'R', 0, 0,
        0, 1, 0, 0, 0, 1, 8, 0, 0, 0, 0, 0x3a, 0x7e, 0x9b, 0x55, 0, 0, 0, 10, b'I', b'D', b'A',
        b'T', 0x78, 0x9c, 0x63, 0x68, 0, 0, 0, 0x82, 0, 0x81, 0x77, 0xcd, 0x72, 0xb6, 0, 0, 0, 0,
        b'I', b'E', b'N', b'D', 0xae, 0x42, 0x60, 0x82,
    ];
    let file = std::env::temp_dir().join(format!("{}.png", uuid::Uuid::new_v4()));
    std::fs::write(&file, bytes)?;
    Ok(file)
}

/// Notes of a job, in the order of the log, with their time.
async fn notes(client: &Client, job: &str) -> Done<Vec<(String, String)>> {
    let bundle = client.get(&format!("/jobs/{job}/export.json")).await?;
    let all = bundle["entries"].as_array().ok_or("no entries")?;
    let word = |v: &serde_json::Value| v.as_str().unwrap_or_default().to_string();
    Ok(all
        .iter()
        .filter(|e| e["body"]["kind"] == "note")
        .map(|e| (word(&e["body"]["text"]), word(&e["at"])))
        .collect())
}

#[tokio::test]
async fn a_double_press_writes_once() -> Done {
    let (shop, client, id) = on_the_record("Brake squeals").await?;
    let b = &shop.browser;
    b.fill("input[aria-label=Note]", "Pads are glazed").await?;
    let button = b
        .page
        .find(By::XPath("//button[contains(., 'Save the note')]"))
        .await?;
    b.page
        .action_chain()
        .double_click_element(&button)
        .perform()
        .await?;
    b.read("Note: Pads are glazed").await?;
    // two presses in one breath, quicker than any page is drawn
    b.fill("input[aria-label=Note]", "Cleaned").await?;
    b.script(
        "const b = [...document.querySelectorAll('button')].find(x => x.textContent.includes('Save the note'));
         b.click(); b.click();",
    )
    .await?;
    b.read("Note: Cleaned").await?;
    note(&shop, "Cleaned").await?;
    b.see("[data-line=note]:nth-of-type(4)").await?;
    let texts: Vec<String> = notes(&client, &id)
        .await?
        .into_iter()
        .map(|n| n.0)
        .collect();
    assert_eq!(
        texts,
        ["Pads are glazed", "Cleaned", "Cleaned"],
        "the same words later are another note"
    );
    shop.close().await
}

#[tokio::test]
async fn what_one_tab_keeps_another_sends_once() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    let client = Client::sign_in(&shop.server.url, "Pavo Renk").await?;
    let view = client.open("Creaks").await?;
    let id = view["id"].as_str().unwrap_or_default().to_string();
    let record = format!("{}/jobs/{id}/record", shop.server.url);
    b.page.goto(&record).await?;
    b.see("[data-line]").await?;
    shop.block_writes(true).await?;
    note(&shop, "one").await?;
    note(&shop, "two").await?;
    b.see("[data-outbox='2']").await?;
    let first = b.page.window().await?;
    let second = b.page.new_tab().await?;
    b.page.switch_to_window(second).await?;
    b.page.goto(&record).await?;
    b.read("Note: two").await?;
    note(&shop, "three").await?;
    b.read("Note: three").await?;
    b.page.switch_to_window(first).await?;
    shop.block_writes(false).await?;
    b.gone("[data-outbox='2']").await?;
    note(&shop, "four").await?;
    b.read("Note: four").await?;
    let texts: Vec<String> = notes(&client, &id)
        .await?
        .into_iter()
        .map(|n| n.0)
        .collect();
    assert_eq!(texts, ["one", "two", "three", "four"]);
    shop.close_after_a_cut().await
}

#[tokio::test]
async fn a_wrong_clock_on_the_device_orders_nothing_wrong() -> Done {
    let (shop, client, id) = on_the_record("Wobbles").await?;
    let b = &shop.browser;
    note(&shop, "before").await?;
    b.read("Note: before").await?;
    // somebody sets the tablet's clock two days ahead, then three back
    for (hours, text) in [(48, "ahead"), (-72, "behind")] {
        b.script(&format!(
            "window.trueNow ??= Date.now; Date.now = () => window.trueNow.call(Date) + {hours} * 3600e3;"
        ))
        .await?;
        note(&shop, text).await?;
        b.read(&format!("Note: {text}")).await?;
    }
    let all = notes(&client, &id).await?;
    let texts: Vec<&str> = all.iter().map(|n| n.0.as_str()).collect();
    assert_eq!(texts, ["before", "ahead", "behind"]);
    let opened = client.get(&format!("/jobs/{id}/export.json")).await?["entries"][0]["at"].clone();
    let now = client.get("/rack").await?["now"].clone();
    for (text, at) in &all {
        let at = Some(at.as_str());
        assert!(
            opened.as_str() <= at && at <= now.as_str(),
            "{text}: {at:?}"
        );
    }
    shop.close().await
}

#[tokio::test]
async fn what_one_person_kept_goes_out_under_no_other_name() -> Done {
    let (shop, client, id) = on_the_record("Rattles").await?;
    let b = &shop.browser;
    shop.block_writes(true).await?;
    note(&shop, "by Pavo").await?;
    b.see("[data-outbox='1']").await?;
    shop.take_over("Signe Lorr", "9316").await?;
    shop.block_writes(false).await?;
    note(&shop, "by Signe").await?;
    b.read("Note: by Signe").await?;
    b.press("[data-outbox='1']").await?;
    b.read("sent when Pavo Renk is signed in").await?;
    b.press("[data-outbox='1']").await?;
    shop.take_over("Pavo Renk", "2518").await?;
    b.read("Note: by Pavo").await?;
    let bundle = client.get(&format!("/jobs/{id}/export.json")).await?;
    let by: Vec<(&str, &str)> = bundle["entries"]
        .as_array()
        .ok_or("no entries")?
        .iter()
        .filter(|e| e["body"]["kind"] == "note")
        .filter_map(|e| e["body"]["text"].as_str().zip(e["by"].as_str()))
        .collect();
    assert_eq!(by, [("by Signe", "Signe Lorr"), ("by Pavo", "Pavo Renk")]);
    shop.close_after_a_cut().await
}

#[tokio::test]
async fn a_session_that_ended_behind_a_closed_lid_loses_nothing_that_waits() -> Done {
    let (shop, client, id) = on_the_record("Squeaks").await?;
    let b = &shop.browser;
    shop.block_writes(true).await?;
    note(&shop, "before the lid").await?;
    b.see("[data-outbox='1']").await?;
    b.fill("input[aria-label=Note]", "half a").await?;
    // over night the session ends; in the morning the network is back, and what waits is tried by itself
    b.page.delete_all_cookies().await?;
    shop.block_writes(false).await?;
    b.fill("input[name=password]", spannung_e2e::PASSWORD)
        .await?;
    b.press("form:has(input[name=password]) button[type=submit]:not([disabled])")
        .await?;
    b.read("Note: before the lid").await?;
    b.gone("[data-outbox='1']").await?;
    let texts: Vec<String> = notes(&client, &id)
        .await?
        .into_iter()
        .map(|n| n.0)
        .collect();
    assert_eq!(texts.first().map(String::as_str), Some("before the lid"));
    assert_eq!(texts.iter().filter(|t| *t == "before the lid").count(), 1);
    let typed = b.see("input[aria-label=Note]").await?.value().await?;
    assert_eq!(typed.as_deref(), Some("half a"));
    shop.close_after_a_cut().await
}

#[tokio::test]
async fn a_half_typed_reading_survives_a_reload() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    let client = Client::sign_in(&shop.server.url, "Pavo Renk").await?;
    let view = client.open("Throttle dead, pedals help").await?;
    let view = client.open_gate(view, "B-96").await?;
    let id = view["id"].as_str().unwrap_or_default().to_string();
    let bench = format!("{}/jobs/{id}/bench", shop.server.url);
    b.page.goto(&bench).await?;
    shop.card().await?;
    shop.choose("throttle", "t-thr-idle").await?;
    b.fill("input[name=reading]", "0.8").await?;
    b.page.goto(&bench).await?;
    shop.card().await?;
    shop.choose("throttle", "t-thr-idle").await?;
    let typed = b.see("input[name=reading]").await?.value().await?;
    assert_eq!(typed.as_deref(), Some("0.8"));
    // taken, it is gone
    b.press("[data-take]").await?;
    b.see("[data-tile]").await?;
    b.page.goto(&bench).await?;
    shop.card().await?;
    shop.choose("throttle", "t-thr-idle").await?;
    let typed = b.see("input[name=reading]").await?.value().await?;
    assert_eq!(typed.as_deref(), Some(""));
    shop.close().await
}

#[tokio::test]
async fn a_job_that_waits_holds_no_other_up() -> Done {
    let (shop, client, first) = on_the_record("Squeaks").await?;
    let b = &shop.browser;
    let cdp = b.page.cdp();
    cdp.send_raw("Network.enable", json!({})).await?;
    let urls = [format!("*/api/jobs/{first}/entries")];
    cdp.send_raw("Network.setBlockedURLs", json!({"urls": urls}))
        .await?;
    note(&shop, "waits").await?;
    b.see("[data-outbox='1']").await?;
    let second = client.open("Rattles").await?;
    let second = second["id"].as_str().unwrap_or_default().to_string();
    b.page
        .goto(format!("{}/jobs/{second}/record", shop.server.url))
        .await?;
    b.see("[data-line]").await?;
    cdp.send_raw("Network.setBlockedURLs", json!({"urls": urls}))
        .await?;
    note(&shop, "goes through").await?;
    b.read("Note: goes through").await?;
    assert_eq!(notes(&client, &second).await?.len(), 1);
    assert_eq!(notes(&client, &first).await?.len(), 0);
    b.see("[data-outbox='1']").await?;
    shop.block_writes(false).await?;
    b.gone("[data-outbox='1']").await?;
    assert_eq!(notes(&client, &first).await?.len(), 1);
    shop.close_after_a_cut().await
}
