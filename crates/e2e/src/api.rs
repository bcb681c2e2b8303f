//! Steps through the API, shared by the tests: open a job, append to it, open its gate, prove it.

use crate::{Client, Done};
use serde_json::{Value, json};
use uuid::Uuid;

/// An entry with an id of its own.
pub fn entry(body: Value) -> Value {
    json!({"id": Uuid::new_v4(), "body": body})
}

/// An entry that was decided on a head.
pub fn based(body: Value, head: &Value) -> Value {
    json!({"id": Uuid::new_v4(), "body": body, "based_on": head})
}

/// Steps of a client.
#[allow(async_fn_in_trait)] // only our own tests call it
pub trait Api {
    /// A job on a vehicle of a family, by its voltage class and drive.
    ///
    /// # Errors
    /// The server refuses it.
    async fn open_as(&self, words: &str, volts: u16, drive: &str) -> Done<Value>;

    /// Open a job on the family that ships, and give its view.
    ///
    /// # Errors
    /// It is refused.
    async fn open(&self, words: &str) -> Done<Value>;
    /// Open a job of a vehicle without a wiring model.
    ///
    /// # Errors
    /// It is refused.
    async fn open_other(&self, words: &str) -> Done<Value>;
    /// Append entries: status and reply.
    ///
    /// # Errors
    /// The server does not answer.
    async fn add(&self, job: &Value, entries: &[Value]) -> Done<(u16, Value)>;
    /// The job's view after something was written to it.
    ///
    /// # Errors
    /// There is no such job.
    async fn view_of(&self, written: &Value) -> Done<Value>;
    /// Append one entry on the newest head; gives the view.
    ///
    /// # Errors
    /// It is refused.
    async fn step(&self, view: &Value, body: Value) -> Done<Value>;
    /// Append bodies one after the other on a job's newest head; gives the last view.
    ///
    /// # Errors
    /// One is refused.
    async fn write(&self, job: &str, bodies: &[Value]) -> Done<Value>;
    /// Name the pack and close every contact of the gate.
    ///
    /// # Errors
    /// A contact does not close.
    async fn open_gate(&self, view: Value, sticker: &str) -> Done<Value>;
    /// Name the vehicle and its owner, as a job has to before it ends.
    ///
    /// # Errors
    /// It is refused.
    async fn name_it(&self, job: &str) -> Done<Value>;
    /// Renew what opening destroyed, and pass every check of the proof that is open.
    ///
    /// # Errors
    /// A check is refused.
    async fn prove_all(&self, job: &str) -> Done;
}

fn opened(words: &str, volts: u16, drive: &str) -> Value {
    json!({"id": Uuid::new_v4(), "entries": [entry(
        json!({"kind": "opened", "words": words, "volts_class": volts, "drive": drive, "seconds": 1.0})
    )]})
}

async fn begin(client: &Client, body: &Value) -> Done<Value> {
    let (status, written) = client.post("/jobs", body).await?;
    if status != 200 {
        return Err(written.to_string().into());
    }
    client.view_of(&written).await
}

impl Api for Client {
    async fn open(&self, words: &str) -> Done<Value> {
        begin(self, &opened(words, 48, "geared-hub")).await
    }

    async fn open_as(&self, words: &str, volts: u16, drive: &str) -> Done<Value> {
        begin(self, &opened(words, volts, drive)).await
    }

    async fn open_other(&self, words: &str) -> Done<Value> {
        begin(self, &opened(words, 12, "other")).await
    }

    async fn add(&self, job: &Value, entries: &[Value]) -> Done<(u16, Value)> {
        let id = job["id"].as_str().unwrap_or_default();
        self.post(&format!("/jobs/{id}/entries"), &json!({"entries": entries}))
            .await
    }

    async fn view_of(&self, written: &Value) -> Done<Value> {
        let id = written["id"].as_str().unwrap_or_default();
        self.get(&format!("/jobs/{id}")).await
    }

    async fn step(&self, view: &Value, body: Value) -> Done<Value> {
        let said = body.to_string();
        let (status, written) = self.add(view, &[based(body, &view["head"])]).await?;
        if status != 200 {
            return Err(format!("{said}: {written}").into());
        }
        self.view_of(&written).await
    }

    async fn write(&self, job: &str, bodies: &[Value]) -> Done<Value> {
        let mut view = self.get(&format!("/jobs/{job}")).await?;
        for body in bodies {
            view = self.step(&view, body.clone()).await?;
        }
        Ok(view)
    }

    async fn open_gate(&self, view: Value, sticker: &str) -> Done<Value> {
        let pack: Value = self
            .http
            .put(format!("{}/packs/{sticker}", self.api))
            .send()
            .await?
            .json()
            .await?;
        let mut view = self
            .step(
                &view,
                json!({"kind": "pack", "pack": pack["id"], "sticker": pack["sticker"], "known": true}),
            )
            .await?;
        let floor = match view["volts_class"].as_u64() {
            Some(12) => "12.6",
            Some(36) => "37.8",
            Some(72) => "77.0",
            _ => "51.2",
        };
        for (check, answer, typed) in [
            ("shape", "flat", None),
            ("leak", "none", None),
            ("heat", "cool", None),
            ("fall", "none", None),
            ("water", "dry", None),
            ("floor", "above", Some(floor)),
            ("smell", "none", None),
            ("wheel", "up", None),
            ("off", "reach", None),
        ] {
            view = self
                .step(
                    &view,
                    json!({"kind": "gate", "check": check, "answer": answer, "typed": typed}),
                )
                .await?;
        }
        if view["gate"]["standing"] != "open" {
            return Err("the gate did not open".into());
        }
        Ok(view)
    }

    async fn name_it(&self, job: &str) -> Done<Value> {
        let card = Uuid::new_v4();
        let owner = json!({"name": "Ragna Holt", "contact": "0700 555 0190"});
        let url = format!("{}/customers/{card}", self.api);
        let put = self.http.put(url).json(&owner).send().await?;
        if !put.status().is_success() {
            return Err(put.text().await?.into());
        }
        self.write(
            job,
            &[
                json!({"kind": "vehicle", "name": "Slipway cart bike"}),
                json!({"kind": "customer", "customer": card}),
            ],
        )
        .await
    }

    async fn prove_all(&self, job: &str) -> Done {
        let mut view = self.get(&format!("/jobs/{job}")).await?;
        if view["gate"]["standing"] == "asking" {
            let smell = json!({"kind": "gate", "check": "smell", "answer": "none"});
            view = self.step(&view, smell).await?;
        }
        let items = view["items"].as_array().cloned().unwrap_or_default();
        let by_hand = |i: &&Value| i["standing"] == "open" && i["by_state"] == false;
        for item in items.iter().filter(by_hand) {
            let body = json!({"kind": "close-item", "item": item["key"], "how": "renewed"});
            view = self.step(&view, body).await?;
        }
        let rows = view["proof"].as_array().cloned().unwrap_or_default();
        // the ride comes after the brakes: the rows stand in that order
        for row in rows.iter().filter(|r| r["standing"] != "passed") {
            let need = self.get(&format!("/jobs/{job}")).await?["proof"]
                .as_array()
                .and_then(|all| all.iter().find(|r| r["check"] == row["check"]).cloned())
                .map(|r| r["need"].clone())
                .unwrap_or_default();
            if need.is_string() {
                view = self
                    .step(&view, json!({"kind": "confirmed", "need": need}))
                    .await?;
            }
            let typed = match (row["low"].as_f64(), row["high"].as_f64()) {
                (Some(low), Some(high)) => f64::midpoint(low, high).to_string(),
                (Some(low), None) => (low + 1.0).to_string(),
                (None, Some(high)) => (high / 2.0).to_string(),
                (None, None) => String::new(),
            };
            let body = json!({"kind": "proof", "check": row["check"], "result": "pass", "typed": typed, "minutes": row["minutes"]});
            view = self.step(&view, body).await?;
        }
        Ok(())
    }
}
