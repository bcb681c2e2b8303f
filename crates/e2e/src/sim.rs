//! The simulated vehicle's program, and the panel as a technician's hands and eyes.

use crate::Done;
use serde_json::{Value, json};
use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::{Child, Command, Stdio};

/// A simulated vehicle with meter and panel; ended when dropped.
pub struct Sim {
    child: Child,
    /// Address of the meter.
    pub meter: String,
    /// Address of the panel.
    pub panel: String,
    http: reqwest::Client,
}

impl Sim {
    /// Start one of a family with faults; its program lies beside the server's.
    ///
    /// # Errors
    /// It does not start.
    pub fn start(server_program: &str, family: &str, faults: &[&str], seed: u64) -> Done<Self> {
        let program = Path::new(server_program).with_file_name("spannung-sim");
        let mut command = Command::new(&program);
        command.args(["--meter", "127.0.0.1:0", "--panel", "127.0.0.1:0"]);
        command.args(["--family", family, "--seed", &seed.to_string()]);
        for fault in faults {
            command.args(["--fault", fault]);
        }
        let mut child = command
            .stdout(Stdio::piped())
            .spawn()
            .map_err(|e| format!("{}: {e}", program.display()))?;
        let mut line = String::new();
        let out = child.stdout.take().ok_or("no output")?;
        BufReader::new(out).read_line(&mut line)?;
        let (meter, panel) = line
            .trim()
            .strip_prefix("spannung-sim: meter ")
            .and_then(|l| l.split_once(" panel http://"))
            .ok_or("the simulated vehicle did not come up")?;
        Ok(Self {
            meter: meter.into(),
            panel: panel.into(),
            child,
            http: reqwest::Client::new(),
        })
    }

    /// What the owner says.
    ///
    /// # Errors
    /// The panel does not answer.
    pub async fn words(&self) -> Done<String> {
        let url = format!("http://{}/vehicle", self.panel);
        let standing: Value = self.http.get(url).send().await?.json().await?;
        let words = standing["words"].as_array().cloned().unwrap_or_default();
        let all: Vec<&str> = words.iter().filter_map(Value::as_str).collect();
        Ok(all.join(" "))
    }

    /// Do a check of the Bench by hand and eye: the value seen, and the strand where, if that can be said.
    ///
    /// # Errors
    /// The panel refuses.
    pub async fn look(&self, card: &Value) -> Done<(String, Option<String>)> {
        let bands = card["bands"].as_array().cloned().unwrap_or_default();
        let values: Vec<&Value> = bands.iter().map(|b| &b["value"]).collect();
        let body = json!({"sign": card["sign"], "values": values, "state": card["as_asked"]});
        let url = format!("http://{}/look", self.panel);
        let seen: Value = self.http.post(url).json(&body).send().await?.json().await?;
        let value = seen["value"].as_u64().and_then(|k| values.get(k as usize));
        let value = value.and_then(|v| v.as_str()).ok_or("no such answer")?;
        Ok((value.into(), seen["place"].as_str().map(Into::into)))
    }

    /// Repair what this fault is; how many faults that cured.
    ///
    /// # Errors
    /// The panel does not answer.
    pub async fn mend(&self, fault: &str) -> Done<usize> {
        let url = format!("http://{}/mend", self.panel);
        let body = json!({"fault": fault});
        Ok(self.http.post(url).json(&body).send().await?.json().await?)
    }
}

impl Drop for Sim {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}
