//! Refreshes docs/screenshots from the demonstration data with the clock frozen.
//!
//! `DATABASE_URL=… cargo run -p spannung-e2e --bin screenshots [FOLDER]`

use serde_json::json;
use spannung_e2e::api::Api;
use spannung_e2e::{Browser, Client, Database, Done, Server};
use std::path::PathBuf;

#[tokio::main]
async fn main() -> Done {
    let folder = PathBuf::from(
        std::env::args()
            .nth(1)
            .unwrap_or_else(|| "docs/screenshots".into()),
    );
    std::fs::create_dir_all(&folder)?;
    let database = Database::create().await?;
    let server = Server::start(
        &database.url,
        &["--demo", "--freeze", "2028-10-17T09:20:00Z"],
    )?;
    let client = Client::sign_in(&server.url, "Pavo Renk").await?;
    // the demonstration's jobs are numbered from 401
    let found = client.get("/rack?find=04").await?;
    let id = |number: i64| -> String {
        let lists = ["workable", "waiting", "closed"];
        let all = lists.iter().filter_map(|k| found[*k].as_array()).flatten();
        all.filter(|t| t["number"] == number)
            .find_map(|t| t["id"].as_str())
            .unwrap_or_default()
            .to_string()
    };
    let b = Browser::start(1280, 800).await?;
    let shot = async |name: &str| -> Done {
        b.script("document.fonts.ready; document.activeElement && document.activeElement.blur()")
            .await?;
        b.page.screenshot(&folder.join(name)).await?;
        Ok(())
    };
    let open = async |path: String, wait: &str| -> Done {
        b.page.goto(format!("{}{path}", server.url)).await?;
        b.see(wait).await?;
        Ok(())
    };
    b.page.goto(&server.url).await?;
    b.see("input[name=name]").await?;
    shot("01-sign-in.png").await?;
    b.sign_in(&server.url, "Pavo Renk").await?;
    b.see("[data-ticket='406']").await?;
    shot("02-rack.png").await?;
    b.press("[data-new-job]").await?;
    b.fill(
        "#words",
        "Hums and twitches once, then nothing. Since it stood in the rain.",
    )
    .await?;
    b.press("[aria-label='48 V']").await?;
    b.press("[aria-label='geared hub']").await?;
    b.see("[data-to-gate]:not([disabled])").await?;
    b.see("[data-suspect]").await?;
    shot("03-intake.png").await?;
    open(format!("/jobs/{}/gate", id(408)), "[data-contact]").await?;
    shot("04-gate.png").await?;
    open(format!("/jobs/{}/gate", id(403)), "[data-stop]").await?;
    shot("05-gate-stop.png").await?;
    open(format!("/jobs/{}/bench", id(407)), "[data-controls]").await?;
    shot("06-controls.png").await?;
    open(format!("/jobs/{}/bench", id(406)), "[data-card]").await?;
    shot("07-bench.png").await?;
    b.press("[data-strand=halls]").await?;
    b.see("[data-strand-panel]").await?;
    shot("08-strand.png").await?;
    open(format!("/jobs/{}/vehicle", id(406)), "[data-pack]").await?;
    b.press("[data-slot=controller]").await?;
    b.see("[data-slot-open=controller]").await?;
    shot("19-vehicle.png").await?;
    open(format!("/jobs/{}/bench", id(410)), "[data-point]").await?;
    shot("10-points.png").await?;
    open(format!("/jobs/{}/repair", id(412)), "[data-part]").await?;
    shot("11-repair.png").await?;
    open(format!("/jobs/{}/proof", id(412)), "[data-row]").await?;
    shot("12-proof.png").await?;
    open(format!("/jobs/{}/hand-back", id(401)), "[data-closed]").await?;
    shot("13-hand-back.png").await?;
    // the other families, as they stand after the gate and the first answers
    for (file, words, volts, drive, symptom, sticker) in [
        (
            "17-bench-dirt-bike.png",
            "Key on, the dash lights, nothing moves",
            72,
            "chain",
            "S02",
            "SP-0790",
        ),
        (
            "18-bench-toy.png",
            "Our toy car drives only backwards",
            12,
            "brushed",
            "S40",
            "SP-0791",
        ),
    ] {
        let job = client.open_as(words, volts, drive).await?;
        let told = json!({"kind": "symptom", "symptom": symptom, "yes": true, "by_customer": true});
        let job = client.step(&job, told).await?;
        let mut job = client.open_gate(job, sticker).await?;
        let path = format!("/jobs/{}/bench", job["id"].as_str().unwrap_or_default());
        let controls = job["bench"]["controls"]["items"].clone();
        for item in controls.as_array().cloned().unwrap_or_default() {
            let usual = &item["values"][0]["value"];
            let check =
                json!({"kind": "check", "test": item["test"], "outcome": usual, "minutes": 0.1});
            job = client.step(&job, check).await?;
        }
        for _ in 0..40 {
            let card = job["bench"]["next"].clone();
            if card["kind"] != "check" {
                break;
            }
            // a careful owner: all is as it should be but what was told
            let bands = card["bands"].as_array().cloned().unwrap_or_default();
            let usual = bands
                .first()
                .map(|b| b["value"].clone())
                .unwrap_or_default();
            let seen = match card["sign"].as_str() {
                Some("directions") => json!("one"),
                Some("motor") => json!("silent"),
                _ => usual,
            };
            job = client
                .step(&job, json!({"kind": "state", "state": card["as_asked"]}))
                .await?;
            for need in card["needs"].as_array().cloned().unwrap_or_default() {
                job = client
                    .step(&job, json!({"kind": "confirmed", "need": need["id"]}))
                    .await?;
            }
            let check =
                json!({"kind": "check", "test": card["test"], "outcome": seen, "minutes": 0.5});
            job = client.step(&job, check).await?;
        }
        open(path, "[data-card], [data-repair], [data-verdict]").await?;
        b.see("[data-forecast]").await?;
        shot(file).await?;
    }
    b.size(980, 1240).await?;
    let report = format!("/jobs/{}/report?copy=customer", id(401));
    open(report, "[data-title-block]").await?;
    shot("14-report.png").await?;
    b.size(1280, 800).await?;
    open(format!("/jobs/{}/record", id(402)), "[data-line]").await?;
    shot("15-record.png").await?;
    b.size(820, 1180).await?;
    b.script("localStorage.setItem('spannung-theme', 'dark')")
        .await?;
    open(format!("/jobs/{}/bench", id(406)), "[data-card]").await?;
    shot("09-bench-dark.png").await?;
    b.script("localStorage.clear()").await?;
    b.size(1280, 800).await?;
    b.page.delete_all_cookies().await?;
    b.sign_in(&server.url, "Ilse Dorn").await?;
    open("/shop".into(), "[data-form=shop]").await?;
    shot("16-shop.png").await?;
    b.page.clone().quit().await?;
    Ok(())
}
