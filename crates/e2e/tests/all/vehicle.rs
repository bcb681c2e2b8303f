//! This vehicle unlike its kind, told while the job runs: figures with their source, and readings that stay.

use serde_json::{Value, json};
use spannung_e2e::api::Api;
use spannung_e2e::{Client, Done, Shop};
use thirtyfour::prelude::*;

#[tokio::test]
async fn a_profile_is_told_while_the_job_runs() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    let client = Client::sign_in(&shop.server.url, "Pavo Renk").await?;
    let job = client
        .open_as("Lights up, no drive", 48, "geared-hub")
        .await?;
    let job = client.open_gate(job, "V-1").await?;
    let id = job["id"].as_str().unwrap_or_default().to_string();
    // a reading first: it has to stay
    let card = client.get(&format!("/jobs/{id}/tests/t-pack-voc")).await?;
    let state = json!({"kind": "state", "state": card["as_asked"]});
    let mut job = client.step(&job, state).await?;
    for need in card["needs"].as_array().into_iter().flatten() {
        let confirmed = json!({"kind": "confirmed", "need": need["id"]});
        job = client.step(&job, confirmed).await?;
    }
    let reading =
        json!({"kind": "reading", "test": "t-pack-voc", "result": "figure", "typed": "52.1"});
    client.step(&job, reading).await?;
    b.page
        .goto(format!("{}/jobs/{id}/bench", shop.server.url))
        .await?;
    b.press("[data-to-vehicle]").await?;
    b.press("[data-pick=measured]").await?;
    // saved when the field is left
    b.fill("[data-figure=cutoff] input", "39,5").await?;
    b.press("h2").await?;
    b.see("[data-figure=cutoff] [data-from]").await?;
    b.read("measured").await?;
    b.press("[data-pick=told]").await?;
    b.press("[data-slot=controller]").await?;
    b.press("[data-alteration=shunt] button").await?;
    b.read("its limits no longer protect").await?;
    b.press("[data-slot=controller]").await?;
    b.press("[data-pick=label]").await?;
    b.fill("input[name=pack-series]", "14").await?;
    b.press("h2").await?;
    b.read("58.8 V full, never under 35 V").await?;
    // what cannot be is said with its range, and stays in the field
    b.fill("[data-figure=charger] input", "plenty").await?;
    b.press("h2").await?;
    b.read("“plenty” is no figure in V").await?;
    b.fill("[data-figure=charger] input", "900").await?;
    b.press("h2").await?;
    b.read("900 V cannot be; 12 to 100 V are accepted").await?;
    let kept = b
        .script("return document.querySelector('[data-figure=charger] input').value")
        .await?;
    assert_eq!(kept, json!("900"));
    // the bench says that it is not usual; the reading is still there
    b.press("[data-to-bench]").await?;
    b.read("3 changed").await?;
    let view = client.get(&format!("/jobs/{id}")).await?;
    let taken = view["bench"]["evidence"]
        .as_array()
        .cloned()
        .unwrap_or_default();
    assert!(
        taken
            .iter()
            .any(|t| t["value"].as_str().is_some_and(|v| v.starts_with("52.1"))),
        "{taken:?}"
    );
    let profile = client.get(&format!("/jobs/{id}/profile")).await?;
    assert_eq!(profile["pack"]["groups"], 14);
    assert_eq!(profile["pack"]["source"], "label");
    let figures = profile["figures"].as_array().cloned().unwrap_or_default();
    let cutoff = figures.iter().find(|f| f["id"] == "cutoff");
    assert_eq!(cutoff.map(|f| &f["value"]), Some(&json!(39.5)));
    assert_eq!(cutoff.map(|f| &f["source"]), Some(&json!("measured")));
    // and the record says where it is known from
    b.page
        .goto(format!("{}/jobs/{id}/record", shop.server.url))
        .await?;
    b.read("told by the owner").await?;
    shop.close().await
}

#[tokio::test]
async fn what_it_has_is_said_by_presses() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    // several kinds of vehicle have these volts and this drive: the path follows the one that is chosen
    b.page.goto(format!("{}/new", shop.server.url)).await?;
    b.fill("#words", "Lights up, but it will not go").await?;
    b.press("[aria-label='36 V']").await?;
    b.press("[aria-label='direct hub']").await?;
    b.see("[data-suspect]").await?;
    b.gone("[data-strand=pedal]").await?;
    b.page
        .find(By::Css("option[value='dd48-36']"))
        .await?
        .click()
        .await?;
    b.see("[data-strand=pedal]").await?;
    // what is seen is pressed before the job is there, and comes with it
    b.press("[data-slot=throttle]").await?;
    b.press("[data-fits=hall-throttle]").await?;
    b.see("[data-slot=throttle][data-assumed=false]").await?;
    b.press("[data-to-vehicle]").await?;
    // the intake has the same tiles
    b.see("[data-kept-builds]").await?;
    b.read("1 seen").await?;
    // a press opens what fits in the place, another one says it
    b.press("[data-slot=brake-left]").await?;
    b.press("[data-fits=lever-that-opens]").await?;
    b.see("[data-slot=brake-left][data-assumed=false]").await?;
    b.press("[data-slot=lights]").await?;
    b.press("[data-fits=none]").await?;
    b.read("3 seen").await?;
    // a wire leads elsewhere than to what it carries
    b.press("[data-slot=pedals]").await?;
    b.page
        .find(By::Css(
            "[data-join='pedal.3'] option[value='brake signal@brake-left']",
        ))
        .await?
        .click()
        .await?;
    b.see("[data-join='pedal.3'] [data-changed]").await?;
    let id = shop.job_id().await?;
    b.page
        .goto(format!("{}/jobs/{id}/record", shop.server.url))
        .await?;
    for text in [
        "What it has: Direct-hub e-bike, 36 V",
        "Left brake: lever that opens when squeezed",
        "Front lamp: none",
        "leads to “brake signal, left brake”",
    ] {
        b.read(text).await?;
    }
    // the map has no lamp any more
    let client = Client::sign_in(&shop.server.url, "Pavo Renk").await?;
    let view = client.get(&format!("/jobs/{id}")).await?;
    let strands = view["map"]["strands"].as_array().ok_or("no strands")?;
    assert!(strands.iter().all(|s| s["id"] != "lamp"));
    assert!(strands.iter().any(|s| s["id"] == "brake-left"));
    // a component that does not belong there is refused with its name, and nothing is lost
    let body = json!({"kind": "change", "change": {"what": "component", "slot": "brake-left", "kind": "geared-hub"}});
    let said = match client.step(&view, body).await {
        Ok(_) => return Err("a motor is no lever".into()),
        Err(said) => said.to_string(),
    };
    assert!(said.contains("Geared hub motor"), "{said}");
    shop.close().await
}

/// A build kept under a name is offered for the next vehicle of these volts and this drive, and nothing of it counts as seen.
#[tokio::test]
async fn a_build_is_kept_and_offered_for_the_next() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    let client = Client::sign_in(&shop.server.url, "Pavo Renk").await?;
    let job = client.open_as("Pulls weakly", 48, "geared-hub").await?;
    let id = job["id"].as_str().unwrap_or_default().to_string();
    let keep = async |name: &str| {
        let body = json!({"id": uuid::Uuid::new_v4(), "name": name});
        client.post(&format!("/jobs/{id}/build"), &body).await
    };
    // nothing was said of it yet
    let (status, said) = keep("Sluice trike").await?;
    assert_eq!((status, &said["code"]), (422, &json!("nothing-to-keep")));
    b.page
        .goto(format!("{}/jobs/{id}/vehicle", shop.server.url))
        .await?;
    b.press("[data-slot=brake-left]").await?;
    b.press("[data-fits=lever-that-opens]").await?;
    b.see("[data-fits=lever-that-opens][aria-pressed=true]")
        .await?;
    b.fill("input[name=build]", "Sluice trike").await?;
    b.press("[data-keep-build]").await?;
    b.see("[data-kept='Sluice trike']").await?;
    // a wrong press on “Forget” forgets nothing
    b.press("[data-forget-build]").await?;
    b.press("[data-keep-it]").await?;
    b.gone("[data-keep-it]").await?;
    b.see("[data-kept='Sluice trike']").await?;
    // the name once more, no name, one that is too long
    let (status, said) = keep("sluice TRIKE").await?;
    assert_eq!((status, &said["code"]), (409, &json!("name-taken")));
    for name in ["  ", &"x".repeat(61)] {
        let (status, said) = keep(name).await?;
        assert_eq!((status, &said["code"]), (422, &json!("bad-name")));
    }
    // at the intake of the next one
    b.page.goto(format!("{}/new", shop.server.url)).await?;
    b.fill("#words", "Does not start at all").await?;
    b.press("[aria-label='48 V']").await?;
    b.press("[aria-label='geared hub']").await?;
    let kinds = b.see("select[aria-label='Kind of vehicle']").await?;
    kinds.send_keys("Sluice").await?;
    b.press("[data-to-gate]").await?;
    b.read("Which pack is on it?").await?;
    let next = shop.job_id().await?;
    let profile = client.get(&format!("/jobs/{next}/profile")).await?;
    let has = profile["has"].as_array().cloned().unwrap_or_default();
    let lever = has.iter().find(|s| s["slot"] == "brake-left");
    let lever = lever.ok_or("no left brake")?;
    assert_eq!(lever["kind"], "lever-that-opens");
    assert_eq!(
        (&lever["source"], &lever["changed"]),
        (&json!(null), &json!(true))
    );
    // a trainee forgets none, a technician does, and it is gone
    let builds = client.get("/builds").await?;
    let kept = builds[0]["id"].as_str().unwrap_or_default().to_string();
    let trainee = Client::sign_in(&shop.server.url, "Tomke Aal").await?;
    for (who, status) in [(&trainee, 403), (&client, 204), (&client, 404)] {
        let address = format!("{}/builds/{kept}", who.api);
        assert_eq!(who.http.delete(address).send().await?.status(), status);
    }
    shop.close().await
}

/// A change is tried by weighing the job against it: nothing is stored, what cannot be is refused as when it is sent.
#[tokio::test]
async fn a_change_is_tried_and_nothing_is_stored() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let client = Client::sign_in(&shop.server.url, "Pavo Renk").await?;
    let job = client.open_as("Stutters", 48, "geared-hub").await?;
    let job = client.open_gate(job, "V-9").await?;
    let on = json!({"kind": "state", "state": {"battery": "in", "key": "on"}});
    let job = client.step(&job, on).await?;
    let id = job["id"].as_str().unwrap_or_default().to_string();
    let address = format!("/jobs/{id}/if-so");
    let entry = |body: Value| json!({"entry": {"id": uuid::Uuid::new_v4(), "based_on": job["head"], "body": body}, "strand": "brake-left"});
    let tried =
        |change: Value| entry(json!({"kind": "change", "change": change, "source": "seen"}));
    // pulled up to 3.3 V behind the same resistors, the free lever's line reads that
    let pulled = tried(json!({"what": "pull-up", "lines": "brakes", "volts": 3.3}));
    let (status, so) = client.post(&address, &pulled).await?;
    assert_eq!(status, 200, "{so}");
    let now = so["strand"]["wires"][0]["now"].as_str().unwrap_or_default();
    assert!(now.starts_with("3.2") || now.starts_with("3.3"), "{now}");
    let suspects = so["suspects"].as_array().map_or(0, Vec::len);
    assert!(suspects > 3, "{so}");
    // another component as well
    let swapped =
        tried(json!({"what": "component", "slot": "throttle", "kind": "potentiometer-throttle"}));
    assert_eq!(client.post(&address, &swapped).await?.0, 200);
    for (body, status) in [
        (
            tried(json!({"what": "order", "strand": "brake-left", "pins": [1, 1]})),
            422,
        ),
        (
            tried(json!({"what": "component", "slot": "throttle", "kind": "geared-hub"})),
            422,
        ),
        (
            tried(json!({"what": "component", "slot": "pack", "kind": null})),
            422,
        ),
        (entry(json!({"kind": "note", "text": "no change"})), 422),
        (json!({"entry": 3}), 422),
    ] {
        let (got, said) = client.post(&address, &body).await?;
        assert_eq!(got, status, "{said}");
        let sentence = said["detail"].as_str().unwrap_or_default();
        assert!(sentence.split(' ').count() > 4, "{said}");
    }
    let after = client.get(&format!("/jobs/{id}")).await?;
    assert_eq!(after["head"], job["head"]);
    assert_eq!(after["changes"], json!([]));
    shop.close().await
}

/// What may be said of a place is worked out ahead, of a job and at the intake: nothing is stored, and what is said then counts.
#[tokio::test]
async fn what_is_looked_at_is_worked_out_and_nothing_is_stored() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let client = Client::sign_in(&shop.server.url, "Pavo Renk").await?;
    let job = client.open_as("Stutters", 48, "geared-hub").await?;
    let id = job["id"].as_str().unwrap_or_default().to_string();
    let known = |volts: u16, changes: Value| json!({"words": "Stutters", "volts_class": volts, "drive": "geared-hub", "changes": changes});
    let at_intake = |volts: u16, changes: Value, slot: &str| {
        let body = json!({"known": known(volts, changes), "slot": slot});
        ("/intake/ahead".to_string(), body)
    };
    let of_job = |id: &str, slot: Value| (format!("/jobs/{id}/ahead"), json!({ "slot": slot }));
    let wrong = json!([{"what": "component", "slot": "pack", "kind": "hall-lever"}]);
    for ((address, body), status) in [
        (of_job(&id, json!("brake-left")), 204),
        (of_job(&id, json!("brake-left")), 204),
        (of_job(&id, json!("throttle")), 204),
        (of_job(&id, json!("saddle")), 404),
        (of_job(&id, json!(3)), 422),
        (
            of_job(&uuid::Uuid::nil().to_string(), json!("throttle")),
            404,
        ),
        (at_intake(48, json!([]), "brake-left"), 204),
        (at_intake(48, json!([]), "saddle"), 404),
        (at_intake(7, json!([]), "brake-left"), 422),
        (at_intake(48, wrong, "brake-left"), 422),
    ] {
        let (got, said) = client.post(&address, &body).await?;
        assert_eq!(got, status, "{body} {said}");
        let sentence = said["detail"].as_str().unwrap_or_default();
        assert!(status == 204 || sentence.split(' ').count() > 4, "{said}");
    }
    let after = client.get(&format!("/jobs/{id}")).await?;
    assert_eq!(after["head"], job["head"]);
    assert_eq!(after["changes"], json!([]));
    let opens = json!({"what": "component", "slot": "brake-left", "kind": "lever-that-opens"});
    let said = json!({"kind": "change", "change": opens, "source": "seen"});
    let after = client.step(&after, said).await?;
    assert_eq!(after["changes"].as_array().map(Vec::len), Some(1));
    shop.close().await
}

#[tokio::test]
async fn what_does_not_go_together_is_said_with_what_would() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    let client = Client::sign_in(&shop.server.url, "Pavo Renk").await?;
    let view = client
        .open("A contactor was put in, now it stands still")
        .await?;
    let contactor =
        json!({"what": "component", "slot": "contactor", "kind": "contactor-with-precharge"});
    let seen = json!({"kind": "change", "change": contactor, "source": "seen"});
    let view = client.step(&view, seen).await?;
    let id = view["id"].as_str().unwrap_or_default().to_string();
    let profile = client.get(&format!("/jobs/{id}/profile")).await?;
    let why = profile["standstill"]["why"].as_str().unwrap_or_default();
    assert!(why.contains("reach the controller"), "{profile}");
    b.page
        .goto(format!("{}/jobs/{id}/vehicle", shop.server.url))
        .await?;
    b.see("[data-standstill]").await?;
    b.read("it would not drive").await?;
    b.press("[data-cure=key]").await?;
    b.gone("[data-standstill]").await?;
    let profile = client.get(&format!("/jobs/{id}/profile")).await?;
    assert_eq!(profile["standstill"], Value::Null);
    shop.close().await
}

/// The owner's words choose among vehicles of the same volts and drive, until somebody chooses another; of two motors each is a
/// component of its own.
#[tokio::test]
async fn the_words_choose_the_vehicle_and_a_press_chooses_another() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let b = &shop.browser;
    let client = Client::sign_in(&shop.server.url, "Pavo Renk").await?;
    let begin = async || {
        b.page.goto(format!("{}/new", shop.server.url)).await?;
        b.fill("#words", "The scooter pulls only at the back wheel")
            .await?;
        b.press("[aria-label='52 V']").await?;
        b.press("[aria-label='direct hub']").await?;
        b.see("[data-slot=second-motor]").await
    };
    begin().await?;
    let kinds = b.see("select[aria-label='Kind of vehicle']").await?;
    kinds.send_keys("Direct-hub").await?;
    b.gone("[data-slot=second-motor]").await?;
    b.press("[data-to-gate]").await?;
    b.read("Which pack is on it?").await?;
    let bicycle = client
        .get(&format!("/jobs/{}", shop.job_id().await?))
        .await?;
    assert_eq!(bicycle["changes"], json!([]));
    begin().await?;
    b.press("[data-slot=second-motor]").await?;
    b.press("[data-fits=second-hub-nine-pin]").await?;
    b.see("[data-slot=second-motor][data-assumed=false]")
        .await?;
    b.press("[data-to-gate]").await?;
    b.read("Which pack is on it?").await?;
    let id = shop.job_id().await?;
    let profile = client.get(&format!("/jobs/{id}/profile")).await?;
    let has = profile["has"].as_array().cloned().unwrap_or_default();
    let there = |slot: &str| {
        let one = has.iter().find(|s| s["slot"] == slot);
        one.map(|s| (s["kind"].clone(), s["source"].clone()))
    };
    assert_eq!(
        there("second-motor"),
        Some((json!("second-hub-nine-pin"), json!("seen")))
    );
    assert_eq!(
        there("second-drive"),
        Some((json!("second-six-step"), json!(null)))
    );
    shop.close().await
}
