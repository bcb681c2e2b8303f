//! The server program.

use clap::{Parser, Subcommand};
use spannung_core::catalogue::Catalogue;
use spannung_server::clock::Clock;
use spannung_server::instruments::Instruments;
use spannung_server::models::Models;
use spannung_server::routes::{exchange, live, people};
use spannung_server::tickets::Behind;
use spannung_server::{App, demo, openapi_json, router, upgrade};
use spannung_store::Store;
use std::io::IsTerminal;
use std::net::SocketAddr;
use std::path::PathBuf;
use std::process::ExitCode;
use std::sync::Arc;
use time::OffsetDateTime;
use time::format_description::well_known::Rfc3339;

// models are built and let go on many threads: this allocator gives their memory back
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// Spannung: fault finding and job records for light electric vehicles.
#[derive(Parser)]
struct Cli {
    #[command(subcommand)]
    command: Command,
}

// read once at the start: the size of a variant does not matter
#[allow(clippy::large_enum_variant)]
#[derive(Subcommand)]
enum Command {
    /// Serve the page and the API.
    Serve {
        /// Address of the database.
        #[arg(long, env = "DATABASE_URL", hide_env_values = true)]
        database_url: Option<String>,
        /// File that holds the address instead (mode 0600): it does not show in the list of processes.
        #[arg(long)]
        database_url_file: Option<PathBuf>,
        /// Address to listen on.
        #[arg(long, default_value = "127.0.0.1:8040")]
        listen: SocketAddr,
        /// Public address, such as https://bench.example; decides cookie flags and allowed origin.
        #[arg(long)]
        public_url: Option<String>,
        /// A proxy on this machine stands before: believe the last address in its X-Forwarded-For.
        #[arg(long)]
        behind_proxy: bool,
        /// Folder of the built page.
        #[arg(long, default_value = "web/dist")]
        web: PathBuf,
        /// Load demonstration data into an empty database and run on shop time.
        #[arg(long)]
        demo: bool,
        /// A bench meter that speaks SCPI over TCP, such as 127.0.0.1:8041: the Bench reads it with one key.
        #[arg(long)]
        meter: Option<SocketAddr>,
        /// The panel of a simulated vehicle, which puts the tips where the Bench asks.
        #[arg(long, requires = "meter")]
        panel: Option<SocketAddr>,
        /// Build models when they are first asked for, instead of ahead.
        #[arg(long)]
        lazy: bool,
        /// Let the clock stand still at this time (RFC 3339).
        #[arg(long)]
        freeze: Option<String>,
    },
    /// Print the OpenAPI description.
    Openapi,
    /// Print the JSON Schema of a job as one document.
    JobSchema,
}

#[tokio::main]
async fn main() -> ExitCode {
    tracing_subscriber::fmt()
        .with_env_filter(
            tracing_subscriber::EnvFilter::try_from_default_env()
                .unwrap_or_else(|_| "info,sqlx=warn,tower_http=info".into()),
        )
        .with_ansi(std::io::stderr().is_terminal())
        .with_writer(std::io::stderr)
        .init();
    match run(Cli::parse()).await {
        Ok(()) => ExitCode::SUCCESS,
        Err(sentence) => {
            eprintln!("spannung-server: {sentence}");
            ExitCode::FAILURE
        }
    }
}

async fn run(cli: Cli) -> Result<(), String> {
    let Command::Serve {
        database_url,
        database_url_file,
        listen,
        public_url,
        behind_proxy,
        web,
        demo: with_demo,
        meter,
        panel,
        lazy,
        freeze,
    } = cli.command
    else {
        return print(&cli.command);
    };
    let url = match database_url_file {
        Some(file) => std::fs::read_to_string(&file).map_err(|e| {
            format!(
                "{} cannot be read: {e}. Start with ./spannung demo.",
                file.display()
            )
        })?,
        None => database_url
            .ok_or("no database is named: set DATABASE_URL, or give --database-url-file.")?,
    };
    let catalogue = Arc::new(Catalogue::shipped().map_err(|e| e.to_string())?);
    let store = Store::connect(url.trim())
        .await
        .map_err(|e| format!("{e}. Is the database started, and its address right?"))?;
    let listener = tokio::net::TcpListener::bind(listen)
        .await
        .map_err(|e| format!("{listen} cannot be used: {e}. Another program may hold the port; choose one with --port."))?;
    let bound = listener.local_addr().map_err(|e| e.to_string())?;
    let (news, listening) = live::start(store.clone());
    let mut app = App {
        news,
        listening,
        store,
        catalogue,
        models: Arc::new(Models::default()),
        clock: Clock::Runs(time::Duration::ZERO),
        public_url: public_url
            .unwrap_or_else(|| format!("http://{bound}"))
            .into(),
        behind_proxy,
        web: Arc::new(web),
        closing: tokio::sync::watch::Sender::new(false),
        behind: Arc::default(),
        ahead: Arc::default(),
        folded: Arc::default(),
        turns: Arc::default(),
        limits: Arc::default(),
        settings: Arc::default(),
        demo: with_demo,
        instruments: meter.map(|meter| Instruments { meter, panel }),
    };
    if with_demo {
        demo::seed(&app)
            .await
            .map_err(|e| format!("the demonstration data could not be loaded: {e}"))?;
        let offset = app
            .store
            .setting(demo::OFFSET)
            .await
            .map_err(|e| e.to_string())?;
        let seconds = offset.and_then(|s| s.parse().ok()).unwrap_or(0);
        app.clock = Clock::Runs(time::Duration::seconds(seconds));
    }
    if let Some(text) = freeze {
        let at = OffsetDateTime::parse(&text, &Rfc3339)
            .map_err(|e| format!("“{text}” is not a time: {e}"))?;
        app.clock = Clock::Frozen(at);
    }
    upgrade::logs(&app).await.map_err(|e| e.to_string())?;
    let mut first_owner = None;
    if app.store.people_count().await.map_err(|e| e.to_string())? == 0 {
        let (url, expires_at) = people::link(&app, None).await.map_err(|e| e.to_string())?;
        tracing::info!(%expires_at, "no people yet: open the link once to become the owner");
        first_owner = Some(url);
    }
    Behind::start(&app);
    if !lazy {
        // one after the other, while the first requests come in
        let (models, catalogue) = (Arc::clone(&app.models), Arc::clone(&app.catalogue));
        tokio::spawn(async move { models.warm(&catalogue).await });
    }
    // one line on standard output tells whoever started us that we are ready
    println!("listening http://{bound}");
    if let Some(url) = first_owner {
        println!("first owner {url}");
    }
    let closing = app.closing.clone();
    axum::serve(
        listener,
        router(app).into_make_service_with_connect_info::<SocketAddr>(),
    )
    .with_graceful_shutdown(async move {
        stopped().await;
        closing.send_replace(true);
    })
    .await
    .map_err(|e| e.to_string())
}

fn print(command: &Command) -> Result<(), String> {
    let text = match command {
        Command::Openapi => openapi_json(),
        Command::JobSchema => exchange::schema_json(),
        Command::Serve { .. } => Ok(String::new()),
    };
    print!("{}", text.map_err(|e| e.to_string())?);
    Ok(())
}

async fn stopped() {
    let interrupt = tokio::signal::ctrl_c();
    let mut terminate =
        match tokio::signal::unix::signal(tokio::signal::unix::SignalKind::terminate()) {
            Ok(signal) => signal,
            Err(_) => return interrupt.await.unwrap_or(()),
        };
    tokio::select! {
        _ = interrupt => {}
        _ = terminate.recv() => {}
    }
}
