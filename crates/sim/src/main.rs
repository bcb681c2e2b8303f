//! The simulated vehicle with its meter and panel, as a program. Loopback only.

use clap::Parser;
use spannung_sim::world::{Wish, World};
use spannung_sim::{meter, panel};
use std::net::SocketAddr;
use std::process::ExitCode;
use std::sync::{Arc, Mutex};
use tokio::net::TcpListener;

/// A vehicle with a fault to be found, a multimeter that speaks SCPI, and a panel for hands and eyes.
#[derive(Parser)]
struct Cli {
    /// Address of the meter, on loopback.
    #[arg(long, default_value = "127.0.0.1:8041")]
    meter: SocketAddr,
    /// Address of the panel, on loopback.
    #[arg(long, default_value = "127.0.0.1:8042")]
    panel: SocketAddr,
    /// Family of the vehicle; drawn when not said.
    #[arg(long)]
    family: Option<String>,
    /// Key of a fault; may be said twice. Drawn when not said.
    #[arg(long = "fault")]
    faults: Vec<String>,
    /// One fault that stands in no catalogue.
    #[arg(long)]
    beyond: bool,
    /// As it comes through the door: none, one or two faults, some in no catalogue, some vehicles unlike their family.
    #[arg(long)]
    surprise: bool,
    /// Seed: the same one plays the same vehicle.
    #[arg(long, default_value_t = 1)]
    seed: u64,
}

#[tokio::main]
async fn main() -> ExitCode {
    match run(Cli::parse()).await {
        Ok(()) => ExitCode::SUCCESS,
        Err(sentence) => {
            eprintln!("spannung-sim: {sentence}");
            ExitCode::FAILURE
        }
    }
}

async fn run(cli: Cli) -> Result<(), String> {
    for address in [cli.meter, cli.panel] {
        if !address.ip().is_loopback() {
            return Err(format!(
                "{address} is not on loopback: the simulated vehicle stays on this machine"
            ));
        }
    }
    let world = World::new(&Wish {
        family: cli.family,
        faults: cli.faults,
        seed: cli.seed,
        beyond: cli.beyond,
        surprise: cli.surprise,
        ..Wish::default()
    })
    .map_err(|e| e.to_string())?;
    let world = Arc::new(Mutex::new(world));
    let bind = async |address: SocketAddr| {
        TcpListener::bind(address)
            .await
            .map_err(|e| format!("{address} cannot be used: {e}"))
    };
    let (meters, panels) = (bind(cli.meter).await?, bind(cli.panel).await?);
    let shown = |l: &TcpListener| l.local_addr().map_err(|e| e.to_string());
    println!(
        "spannung-sim: meter {} panel http://{}",
        shown(&meters)?,
        shown(&panels)?
    );
    let page = axum::serve(panels, panel::router(Arc::clone(&world)));
    tokio::select! {
        ended = meter::serve(meters, world) => ended.map_err(|e| e.to_string()),
        ended = async { page.await } => ended.map_err(|e| e.to_string()),
        _ = tokio::signal::ctrl_c() => Ok(()),
    }
}
