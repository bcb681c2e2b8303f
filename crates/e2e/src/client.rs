//! A client of the API.

use crate::{Done, PASSWORD};
use serde_json::{Value, json};
use std::time::Duration;

/// A client of the API, signed in.
pub struct Client {
    /// HTTP.
    pub http: reqwest::Client,
    /// Address of the API.
    pub api: String,
}

impl Client {
    /// Sign in.
    ///
    /// # Errors
    /// The server refuses.
    pub async fn sign_in(server: &str, name: &str) -> Done<Self> {
        let http = reqwest::Client::builder()
            .cookie_store(true)
            .timeout(Duration::from_secs(40))
            .build()?;
        let api = format!("{server}/api");
        let reply = http
            .post(format!("{api}/session"))
            .json(&json!({"name": name, "password": PASSWORD}))
            .send()
            .await?;
        if !reply.status().is_success() {
            return Err(reply.text().await?.into());
        }
        Ok(Self { http, api })
    }

    /// GET as JSON.
    ///
    /// # Errors
    /// Not found, refused, not JSON.
    pub async fn get(&self, path: &str) -> Done<Value> {
        let reply = self.http.get(format!("{}{path}", self.api)).send().await?;
        Ok(reply.error_for_status()?.json().await?)
    }

    /// POST JSON: status and reply; null where there is none to give.
    ///
    /// # Errors
    /// The server does not answer.
    pub async fn post(&self, path: &str, body: &Value) -> Done<(u16, Value)> {
        let reply = self
            .http
            .post(format!("{}{path}", self.api))
            .json(body)
            .send()
            .await?;
        match reply.status().as_u16() {
            204 => Ok((204, Value::Null)),
            status => Ok((status, reply.json().await?)),
        }
    }
}
