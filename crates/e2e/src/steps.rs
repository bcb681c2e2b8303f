//! What a technician does on the page, step by step; shared by the browser tests.

use crate::api::Api;
use crate::{Client, Done, Shop};
use serde_json::{Value, json};
use thirtyfour::prelude::*;

impl Shop {
    /// Answer the open contacts of the gate, one after the other; the pack reads this at rest.
    ///
    /// # Errors
    /// A contact does not close.
    pub async fn close_gate(&self, sticker: &str, volts: &str) -> Done {
        let b = &self.browser;
        b.fill("input[name=sticker]", sticker).await?;
        b.press_text("Name the pack").await?;
        for check in ["shape", "leak", "heat", "fall", "water"] {
            self.answer(check, "1").await?;
        }
        b.fill("input[name=floor]", volts).await?;
        b.press_text("Above the floor").await?;
        b.see("[data-contact=floor][data-standing=clear]").await?;
        for check in ["smell", "wheel", "off"] {
            self.answer(check, "1").await?;
        }
        b.see("[data-to-bench]").await?;
        Ok(())
    }

    /// Answer one contact by its key.
    ///
    /// # Errors
    /// It does not close.
    pub async fn answer(&self, check: &str, key: &str) -> Done {
        let b = &self.browser;
        b.see(&format!("[data-contact={check}][data-standing=open]"))
            .await?;
        b.press(&format!("[aria-label='Asked now'] [data-answer='{key}']"))
            .await?;
        b.see(&format!("[data-contact={check}]:not([data-standing=open])"))
            .await?;
        Ok(())
    }

    /// A new job at the intake: words, voltage and drive, until the first suspects are there.
    ///
    /// # Errors
    /// They do not appear.
    pub async fn new_job(&self, words: &str) -> Done {
        let b = &self.browser;
        b.page.goto(&self.server.url).await?;
        b.see("[data-new-job]").await?;
        b.page.action_chain().send_keys("j").perform().await?;
        b.fill("#words", words).await?;
        b.press("[aria-label='48 V']").await?;
        b.press("[aria-label='geared hub']").await?;
        b.see("[data-suspect]").await?;
        Ok(())
    }

    /// Job id from the address of the page.
    ///
    /// # Errors
    /// The page is not on a job.
    pub async fn job_id(&self) -> Done<String> {
        let url = self.browser.page.current_url().await?;
        let parts: Vec<&str> = url.path().split('/').collect();
        Ok((*parts.get(2).ok_or("not on a job")?).to_string())
    }

    /// The card of the Bench; where all controls are asked first, one at a time instead.
    ///
    /// # Errors
    /// There is none.
    pub async fn card(&self) -> Done {
        let b = &self.browser;
        b.see("[data-card], [data-controls]").await?;
        if let Ok(single) = b.page.find(By::Css("[data-one-by-one]")).await {
            single.click().await?;
        }
        b.see("[data-card]").await?;
        Ok(())
    }

    /// Go to the bench and choose a test by its strand.
    ///
    /// # Errors
    /// The test is not there.
    pub async fn choose(&self, strand: &str, test: &str) -> Done {
        let b = &self.browser;
        b.press(&format!("[data-strand={strand}]")).await?;
        b.see(&format!("[data-strand-panel={strand}]")).await?;
        let option = b
            .page
            .find(By::Css(&*format!("option[value='{test}']")))
            .await?;
        option.click().await?;
        b.see(&format!("[data-card='{test}']")).await?;
        if let Ok(confirm) = b.page.find(By::Css("[data-confirm]")).await {
            confirm.click().await?;
            b.gone("[data-confirm]").await?;
        }
        Ok(())
    }

    /// Pass every check of the proof that is open, through the API; what opening destroyed is renewed.
    ///
    /// # Errors
    /// A check is refused.
    pub async fn prove_all(&self, job: &str) -> Done {
        let client = Client::sign_in(&self.server.url, "Pavo Renk").await?;
        client.prove_all(job).await
    }

    /// Write entries through the API as somebody.
    ///
    /// # Errors
    /// An entry is refused.
    pub async fn write_as(&self, name: &str, job: &str, bodies: &[Value]) -> Done<Value> {
        let client = Client::sign_in(&self.server.url, name).await?;
        client.write(job, bodies).await
    }

    /// Another person takes over at the tablet by the short code.
    ///
    /// # Errors
    /// The code does not fit.
    pub async fn take_over(&self, name: &str, code: &str) -> Done {
        let b = &self.browser;
        b.press("[data-person]").await?;
        b.press(&format!("[data-who='{name}']")).await?;
        b.fill("input[name=code]", code).await?;
        b.press("[data-take-over]").await?;
        b.see(&format!("[data-person='{name}']")).await?;
        Ok(())
    }

    /// Cut the page off from the network, or let it back.
    ///
    /// # Errors
    /// The browser does not answer.
    pub async fn cut(&self, off: bool) -> Done {
        self.network(off, 0).await
    }

    /// Let every answer take so many milliseconds more.
    ///
    /// # Errors
    /// The browser does not answer.
    pub async fn slow(&self, ms: u32) -> Done {
        self.network(false, ms).await
    }

    async fn network(&self, offline: bool, latency: u32) -> Done {
        let cdp = self.browser.page.cdp();
        cdp.send_raw("Network.enable", json!({})).await?;
        let rate = -1;
        cdp.send_raw(
            "Network.emulateNetworkConditions",
            json!({"offline": offline, "latency": latency, "downloadThroughput": rate, "uploadThroughput": rate}),
        )
        .await?;
        Ok(())
    }

    /// Let nothing that is written reach the server, while the page itself still loads; or let it again.
    ///
    /// # Errors
    /// The browser does not answer.
    pub async fn block_writes(&self, off: bool) -> Done {
        let cdp = self.browser.page.cdp();
        cdp.send_raw("Network.enable", json!({})).await?;
        let urls: &[&str] = if off {
            &["*/api/jobs/*/entries", "*/api/jobs/*/photos/*"]
        } else {
            &[]
        };
        cdp.send_raw("Network.setBlockedURLs", json!({"urls": urls}))
            .await?;
        Ok(())
    }

    /// The entry kinds of a job in the order of the log.
    ///
    /// # Errors
    /// There is no such job.
    pub async fn kinds(&self, job: &str) -> Done<Vec<String>> {
        let client = Client::sign_in(&self.server.url, "Pavo Renk").await?;
        let bundle = client.get(&format!("/jobs/{job}/export.json")).await?;
        Ok(bundle["entries"]
            .as_array()
            .ok_or("no entries")?
            .iter()
            .filter_map(|e| e["body"]["kind"].as_str().map(str::to_string))
            .collect())
    }
}
