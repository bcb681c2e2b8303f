//! A bench meter that speaks SCPI over TCP, at an address that only the server's configuration sets, and beside it, for
//! practice, the panel of a simulated vehicle that puts the tips where the Bench asks.

use serde::Serialize;
use spannung_circuit::{Mode, VehicleState};
use std::net::SocketAddr;
use std::time::Duration;
use tokio::io::{AsyncBufReadExt, AsyncWriteExt, BufReader};
use tokio::net::TcpStream;

/// A meter that has not answered by now will not.
const PATIENCE: Duration = Duration::from_secs(4);
/// At and above this a SCPI meter means “over range”.
const OVER_RANGE: f64 = 9.9e37;

/// Addresses of the instruments.
#[derive(Debug, Clone)]
pub struct Instruments {
    /// The meter.
    pub meter: SocketAddr,
    /// The panel of a simulated vehicle, if the tips are put by one.
    pub panel: Option<SocketAddr>,
}

/// What the tips are asked to do.
#[derive(Debug, Clone, Serialize)]
pub struct Place {
    /// Number of the job.
    pub job: i32,
    /// Point of the red tip.
    pub red: String,
    /// Point of the black tip.
    pub black: String,
    /// Load across the tips, ohms.
    pub shunt_ohms: Option<f64>,
    /// Lead around which the clamp lies.
    pub element: Option<String>,
    /// States and rotor steps while the meter watches.
    pub moments: Vec<(VehicleState, u8)>,
}

/// What the meter showed, SI; infinite beyond its range.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Shown {
    /// Smallest figure while it watched.
    pub low: f64,
    /// Largest figure.
    pub high: f64,
}

impl Instruments {
    /// Put the tips, where a panel does it, and read the meter once. Every reading opens its own connection, so that a
    /// meter that was switched off and on again is found without anybody's help.
    ///
    /// # Errors
    /// A sentence for the person at the bench.
    pub async fn read(&self, mode: Mode, place: &Place) -> Result<Shown, String> {
        if let Some(panel) = self.panel {
            put(panel, place).await?;
        }
        let talk = async {
            let stream = TcpStream::connect(self.meter).await?;
            converse(stream, mode).await
        };
        match tokio::time::timeout(PATIENCE, talk).await {
            Ok(Ok(shown)) => Ok(shown),
            Ok(Err(e)) => Err(format!(
                "The meter does not answer ({e}). Type the reading, or switch it on and press again."
            )),
            Err(_) => Err("The meter does not answer in time. Type the reading.".into()),
        }
    }
}

fn function(mode: Mode) -> &'static str {
    match mode {
        Mode::Volts => "VOLT:DC",
        Mode::Ohms => "RES",
        Mode::Milliohms => "FRES",
        Mode::Diode => "DIOD",
        Mode::Amps => "CURR:DC",
    }
}

async fn converse(stream: TcpStream, mode: Mode) -> std::io::Result<Shown> {
    let (read, mut write) = stream.into_split();
    let mut lines = BufReader::new(read).lines();
    let mut ask = async |command: String| -> std::io::Result<f64> {
        write.write_all(command.as_bytes()).await?;
        write.write_all(b"\n").await?;
        let line = lines.next_line().await?;
        let line = line.ok_or_else(|| std::io::Error::other("it closed the line"))?;
        let value: f64 = line
            .trim()
            .parse()
            .map_err(|_| std::io::Error::other(format!("it said “{}”", line.trim())))?;
        Ok(if value.abs() >= OVER_RANGE {
            f64::INFINITY
        } else {
            value
        })
    };
    ask(format!("MEAS:{}?", function(mode))).await?;
    Ok(Shown {
        low: ask("CALC:AVER:MIN?".into()).await?,
        high: ask("CALC:AVER:MAX?".into()).await?,
    })
}

/// Ask the panel to put the tips: one JSON request over HTTP.
async fn put(panel: SocketAddr, place: &Place) -> Result<(), String> {
    let client = reqwest::Client::builder()
        .timeout(PATIENCE)
        .no_proxy()
        .build()
        .map_err(|e| e.to_string())?;
    let answer = client
        .post(format!("http://{panel}/place"))
        .json(place)
        .send()
        .await
        .map_err(|_| "The simulated vehicle does not answer. Type the reading.".to_string())?;
    if answer.status().is_success() {
        return Ok(());
    }
    let sentence = answer.text().await.unwrap_or_default();
    Err(if sentence.is_empty() {
        "The simulated vehicle refuses.".into()
    } else {
        sentence
    })
}
