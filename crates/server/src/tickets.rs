//! Tickets of the rack. What hangs there is what was stored when a job was last worked out; what has moved
//! since is worked out behind, one job after the other, so that a full rack is there at once and no model
//! is built while somebody waits for it.

use crate::App;
use crate::error::ApiError;
use crate::routes::view::{WaitView, earlier};
use crate::shop::{self, Shop};
use crate::work::{self, Loaded};
use serde::{Deserialize, Serialize};
use spannung_core::desks::money;
use spannung_core::job::state::Stage;
use spannung_core::job::view::SegmentShare;
use spannung_core::job::{Job, Role};
use spannung_store::ticket::{OnRack, made_of};
use std::collections::HashSet;
use std::sync::{Mutex, PoisonError};
use std::time::Duration;
use time::OffsetDateTime;
use tokio::sync::mpsc::{UnboundedReceiver, UnboundedSender, unbounded_channel};
use tokio::time::Instant;
use uuid::Uuid;

/// How long a ticket waits before it is worked out: what is typed meanwhile goes into the same.
const QUIET: Duration = Duration::from_millis(1500);
/// Most tickets that are put in order at a time.
const BATCH: usize = 400;
/// Jobs that are worked out while the rack is asked for, where their models are there already.
const AT_ONCE: usize = 24;

/// Words for a vehicle without a name.
const NOT_NAMED: &str = "Vehicle not named";

/// A ticket as it is kept: all that does not move with the clock, and what is needed for what does.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Kept {
    /// Vehicle.
    pub vehicle: String,
    /// Customer's words.
    pub words: String,
    /// Kind of vehicle.
    pub kind: String,
    /// Where it stands.
    pub stage: Stage,
    /// What is done next, in words.
    pub step: String,
    /// Suspicion by segment; empty without a wiring model, and until it has been worked out.
    pub segments: Vec<SegmentShare>,
    /// Likely minutes to go.
    pub minutes_to_go: f64,
    /// Minutes spent without the clocks that run.
    minutes: f64,
    /// Clocks that run: since when.
    #[serde(with = "instants")]
    running: Vec<OffsetDateTime>,
    /// Prices of parts, cents.
    prices: Vec<i64>,
    /// Agreed limit, cents.
    limit_cents: Option<i64>,
    /// Stop-loss, minutes.
    stop_loss_minutes: Option<f64>,
    /// Promised for.
    #[serde(with = "time::serde::rfc3339::option")]
    pub promised: Option<OffsetDateTime>,
    /// What it waits for.
    pub waiting: Option<WaitView>,
    /// Opened.
    #[serde(with = "time::serde::rfc3339::option")]
    pub opened_at: Option<OffsetDateTime>,
    /// The same complaint came back: number of the job before.
    pub comeback: Option<i32>,
    /// Why it cannot be worked on.
    pub broken: Option<String>,
}

mod instants {
    use serde::{Deserialize, Deserializer, Serialize, Serializer};
    use time::OffsetDateTime;

    #[derive(Serialize, Deserialize)]
    struct One(#[serde(with = "time::serde::rfc3339")] OffsetDateTime);

    pub fn serialize<S: Serializer>(all: &[OffsetDateTime], to: S) -> Result<S::Ok, S::Error> {
        all.iter()
            .map(|t| One(*t))
            .collect::<Vec<_>>()
            .serialize(to)
    }

    pub fn deserialize<'de, D: Deserializer<'de>>(
        from: D,
    ) -> Result<Vec<OffsetDateTime>, D::Error> {
        Ok(Vec::<One>::deserialize(from)?
            .into_iter()
            .map(|o| o.0)
            .collect())
    }
}

impl Kept {
    /// What a job's card says, while nothing has been worked out yet.
    fn bare(row: &OnRack) -> Self {
        Self {
            vehicle: if row.vehicle.is_empty() {
                NOT_NAMED.into()
            } else {
                row.vehicle.clone()
            },
            words: row.words.clone(),
            kind: String::new(),
            stage: Stage::Bench,
            step: "being worked out".into(),
            segments: Vec::new(),
            minutes_to_go: 0.0,
            minutes: 0.0,
            running: Vec::new(),
            prices: Vec::new(),
            limit_cents: None,
            stop_loss_minutes: None,
            promised: row.promised,
            waiting: None,
            opened_at: row.opened_at,
            comeback: None,
            broken: None,
        }
    }

    /// Minutes spent up to now.
    pub fn minutes_at(&self, now: OffsetDateTime) -> f64 {
        let running: f64 = self
            .running
            .iter()
            .map(|since| spannung_core::job::state::between(*since, now))
            .sum();
        self.minutes + running
    }

    /// Is a limit of money or the stop-loss passed?
    pub fn over(&self, now: OffsetDateTime, shop: &Shop) -> bool {
        let minutes = self.minutes_at(now);
        let lines: Vec<(f64, i64)> = self.prices.iter().map(|c| (1.0, *c)).collect();
        let total = money::sum(&lines, minutes, &shop.terms).total_cents;
        self.limit_cents.is_some_and(|l| total > l)
            || self.stop_loss_minutes.is_some_and(|s| minutes > s)
    }
}

/// What may be proposed to a role is all that parts one ticket of a job from another.
pub fn class_of(role: Role) -> &'static str {
    match role {
        Role::Trainee => "trainee",
        Role::Technician | Role::Owner => "technician",
        Role::Specialist => "specialist",
    }
}

/// What tickets rest on besides their job.
pub fn basis(app: &App, shop: &Shop) -> String {
    let engine = env!("CARGO_PKG_VERSION");
    format!("{} {engine} {}", app.catalogue.hash, shop.comeback_days)
}

/// Jobs whose tickets wait to be worked out.
pub struct Behind {
    send: UnboundedSender<(Uuid, Role, Instant)>,
    receive: Mutex<Option<UnboundedReceiver<(Uuid, Role, Instant)>>>,
    waiting: Mutex<HashSet<(Uuid, &'static str)>>,
}

impl Default for Behind {
    fn default() -> Self {
        let (send, receive) = unbounded_channel();
        Self {
            send,
            receive: Mutex::new(Some(receive)),
            waiting: Mutex::default(),
        }
    }
}

impl Behind {
    /// Have a job's ticket worked out; once, however often it is asked for.
    pub fn add(&self, job: Uuid, role: Role) {
        let mut waiting = self.waiting.lock().unwrap_or_else(PoisonError::into_inner);
        if waiting.insert((job, class_of(role))) {
            // nobody takes them while the program ends
            let _ = self.send.send((job, role, Instant::now() + QUIET));
        }
    }

    fn taken(&self, job: Uuid, role: Role) {
        let mut waiting = self.waiting.lock().unwrap_or_else(PoisonError::into_inner);
        waiting.remove(&(job, class_of(role)));
    }

    /// Work out what waits, for as long as the program runs.
    pub fn start(app: &App) {
        let behind = std::sync::Arc::clone(&app.behind);
        let receive = behind
            .receive
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .take();
        let Some(mut receive) = receive else { return };
        let app = app.clone();
        tokio::spawn(async move {
            let mut batch = Vec::new();
            while receive.recv_many(&mut batch, BATCH).await > 0 {
                for (job, role) in in_order(&app, &behind, &mut batch).await {
                    if let Err(error) = work_out(&app, job, role).await {
                        tracing::warn!(%error, %job, "ticket");
                    }
                }
            }
        });
    }
}

/// What waits, with jobs on vehicles of one make-up behind each other: their model is built once, however
/// few can be kept.
async fn in_order(
    app: &App,
    behind: &Behind,
    batch: &mut Vec<(Uuid, Role, Instant)>,
) -> Vec<(Uuid, Role)> {
    let mut all = Vec::new();
    for (job, role, when) in batch.drain(..) {
        tokio::time::sleep_until(when).await;
        behind.taken(job, role);
        let loaded = work::load(app, job).await;
        let key = loaded
            .ok()
            .and_then(|l| app.models.key_of(&app.catalogue, &l.job));
        all.push((key, job, role));
    }
    all.sort_by_key(|a| a.0);
    all.into_iter().map(|(_, job, role)| (job, role)).collect()
}

async fn work_out(app: &App, job: Uuid, role: Role) -> Result<(), ApiError> {
    let loaded = work::load(app, job).await?;
    if loaded.job.closed.is_some() {
        return Ok(());
    }
    let shop = shop::now(app).await?;
    let (head, pack_head) = (loaded.row.head, loaded.row.pack_head);
    let kept = make(app, loaded, role, &shop, true).await?;
    let body = serde_json::to_value(&kept).map_err(ApiError::internal("ticket"))?;
    let basis = basis(app, &shop);
    app.store
        .put_ticket(job, class_of(role), head, pack_head, &basis, &body)
        .await?;
    Ok(())
}

/// The tickets of all open jobs for a role, and how many of them are still being worked out.
///
/// # Errors
/// The database does not answer.
pub async fn all(
    app: &App,
    role: Role,
    shop: &Shop,
    wanted: impl Fn(&OnRack) -> bool,
) -> Result<(Vec<(OnRack, Kept)>, usize, usize), ApiError> {
    let rows = app.store.on_rack(class_of(role)).await?;
    let open = rows.len();
    let basis = basis(app, shop);
    let mut out = Vec::with_capacity(rows.len());
    let mut behind = 0;
    let mut at_once = 0;
    for row in rows.into_iter().filter(wanted) {
        let stored: Option<Kept> = row
            .ticket
            .as_ref()
            .and_then(|t| serde_json::from_value(t.0.clone()).ok());
        let fresh = row.made_of.as_deref() == Some(&made_of(row.head, row.pack_head, &basis));
        if let Some(kept) = stored.clone().filter(|_| fresh) {
            out.push((row, kept));
            continue;
        }
        app.behind.add(row.id, role);
        behind += 1;
        if at_once >= AT_ONCE {
            let kept = stored.unwrap_or_else(|| Kept::bare(&row));
            out.push((row, kept));
            continue;
        }
        at_once += 1;
        // the log is folded at once; what needs a model only where that is built already
        let loaded = work::load(app, row.id).await?;
        let mut kept = make(app, loaded, role, shop, false).await?;
        if kept.segments.is_empty()
            && let Some(before) = stored
        {
            kept.segments = before.segments;
            kept.minutes_to_go = before.minutes_to_go;
        }
        out.push((row, kept));
    }
    Ok((out, open, behind))
}

/// Work a ticket out. `wait`: for the model as well, if it has to be built.
async fn make(
    app: &App,
    loaded: Loaded,
    role: Role,
    shop: &Shop,
    wait: bool,
) -> Result<Kept, ApiError> {
    let c = &app.catalogue;
    let modelled = loaded.modelled(c) && (wait || app.models.built(c, &loaded.job));
    let Loaded {
        row,
        job,
        mut broken,
        ..
    } = loaded;
    let bench = if modelled {
        match work::weigh(app, job.clone(), role, |w| w.bench()).await {
            Ok(bench) => Some(bench),
            Err(error) => {
                broken = Some(error.to_string());
                None
            }
        }
    } else {
        None
    };
    let kind = job.family(c).map_or_else(
        || format!("other vehicle, {} V", job.volts_class),
        |f| f.name.clone(),
    );
    let first_minute = bench
        .as_ref()
        .is_some_and(|b| b.first_minute_left > 0 && b.evidence.iter().all(|t| t.voided));
    let opened = job.opened_at.unwrap_or(OffsetDateTime::UNIX_EPOCH);
    let frame = job.frame_number.clone().unwrap_or_default();
    let comeback = app
        .store
        .same_vehicle(row.id, &job.vehicle, &frame)
        .await?
        .into_iter()
        .find_map(|f| {
            let number = f.number;
            earlier(app, f, &job.words, opened, shop)
                .comeback
                .then_some(number)
        });
    Ok(Kept {
        vehicle: if job.vehicle.is_empty() {
            NOT_NAMED.into()
        } else {
            job.vehicle.clone()
        },
        words: job.words.clone(),
        kind,
        stage: job.stage(c),
        step: step(app, &job, first_minute),
        minutes_to_go: bench.as_ref().map_or(0.0, |b| b.minutes_to_go[1].round()),
        segments: bench.map_or_else(Vec::new, |b| b.segments),
        minutes: job.minutes,
        running: job.clocks.values().map(|c| c.since).collect(),
        prices: job.parts.iter().filter_map(|p| p.price_cents).collect(),
        limit_cents: job.limit_cents,
        stop_loss_minutes: job.stop_loss_minutes,
        promised: job.promised,
        waiting: WaitView::of(&job),
        opened_at: job.opened_at,
        comeback,
        broken,
    })
}

/// What is done next, in words.
fn step(app: &App, job: &Job, first_minute: bool) -> String {
    let c = &app.catalogue;
    let several = |n: usize| if n == 1 { "" } else { "s" };
    match job.stage(c) {
        Stage::Gate => {
            let asked = c
                .gate
                .iter()
                .filter(|x| job.gate.contains_key(x.id.get_ref()));
            format!("{} of {} contacts closed", asked.count(), c.gate.len())
        }
        Stage::Quarantine => "pack in quarantine".into(),
        Stage::Closed => "closed".into(),
        Stage::Proof => {
            let passed = job.proofs.len();
            format!("{passed} check{} done", several(passed))
        }
        Stage::Repair => {
            let parts = job.parts.len();
            format!("{parts} part{} changed", several(parts))
        }
        Stage::Bench if first_minute => "first minute".into(),
        Stage::Bench => {
            let taken = job.taken.iter().filter(|t| !t.voided).count();
            let points = job.points.iter().filter(|p| !p.voided).count();
            format!("{} taken", taken + points)
        }
    }
}
