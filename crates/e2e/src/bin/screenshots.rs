//! Refreshes docs/screenshots from the demonstration data with the clock frozen.
//!
//! `DATABASE_URL=… cargo run -p spannung-e2e --bin screenshots [FOLDER]`

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
    let rack = client.get("/rack").await?;
    let id = |number: i64| -> String {
        let lists = ["workable", "waiting"]
            .iter()
            .filter_map(|k| rack[*k].as_array());
        let found = lists.flatten().find(|t| t["number"] == number);
        found
            .and_then(|t| t["id"].as_str())
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
    b.page.goto(&server.url).await?;
    b.see("input[name=name]").await?;
    shot("1-sign-in.png").await?;
    b.sign_in(&server.url, "Pavo Renk").await?;
    b.see("[data-ticket='406']").await?;
    shot("2-rack.png").await?;
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
    shot("3-intake.png").await?;
    let open = async |path: String, wait: &str| -> Done {
        b.page.goto(format!("{}{path}", server.url)).await?;
        b.see(wait).await?;
        Ok(())
    };
    open(format!("/jobs/{}/gate", id(408)), "[data-contact]").await?;
    shot("4-gate.png").await?;
    open(format!("/jobs/{}/gate", id(403)), "[data-stop]").await?;
    shot("5-gate-stop.png").await?;
    open(format!("/jobs/{}/bench", id(407)), "[data-card]").await?;
    shot("6-first-minute.png").await?;
    open(format!("/jobs/{}/bench", id(406)), "[data-card]").await?;
    shot("7-bench.png").await?;
    b.press("[data-strand=halls]").await?;
    b.see("[data-strand-panel]").await?;
    shot("8-strand.png").await?;
    open(format!("/jobs/{}/repair", id(409)), "[data-part]").await?;
    shot("9-repair.png").await?;
    open(format!("/jobs/{}/record", id(406)), "[data-line]").await?;
    shot("10-record.png").await?;
    b.page.clone().quit().await?;
    drop(b);
    drop(server);
    database.remove().await
}
