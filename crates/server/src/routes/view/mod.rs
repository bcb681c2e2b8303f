//! A job as the page shows it: [`gate`], [`money`], [`lines`] and [`earlier`] are its parts.

mod earlier;
mod gate;
mod lines;
mod money;

use earlier::came_from;
pub use earlier::{Earlier, WaitView, earlier};
use gate::{GateView, gate_view};
use lines::{
    ArrivalView, AssemblyView, ChangeView, ClaimView, PartView, PhotoView, QuoteView, quote_view,
};
pub(super) use money::prices;
use money::{Money, money};

use crate::App;
use crate::error::ApiError;
use crate::routes::customers::CustomerCard;
use crate::shop::{self, Shop};
use crate::work::{self, Loaded};
use axum::Json;
use serde::{Deserialize, Serialize};
use spannung_circuit::VehicleState;
use spannung_core::job::entry::{Outcome, Recheck};
use spannung_core::job::items::{self, OpenItem};
use spannung_core::job::map::{self, Map};
use spannung_core::job::points::{self, PointRow};
use spannung_core::job::proof::{self, ProofRow};
use spannung_core::job::state::{Stage, Whose};
use spannung_core::job::view::Bench;
use spannung_core::job::{Job, Role};
use spannung_store::job::JobRow;
use spannung_store::people::Person;
use time::OffsetDateTime;
use utoipa::ToSchema;
use uuid::Uuid;

/// A symptom or risk factor of the job.
#[derive(Serialize, ToSchema)]
struct Told {
    id: String,
    name: String,
    definition: String,
    yes: Option<bool>,
    entry: Uuid,
}

/// The pack.
#[derive(Serialize, ToSchema)]
struct PackRef {
    id: Uuid,
    sticker: String,
}

/// The present person's clock and all that run.
#[derive(Serialize, ToSchema)]
struct ClockView {
    /// Since when the present person's clock runs.
    #[serde(with = "time::serde::rfc3339::option")]
    since: Option<OffsetDateTime>,
    /// Others whose clocks run.
    others: Vec<String>,
    /// Minutes spent, running clocks counted up to `now`.
    minutes: f64,
}

/// Where the job came in from.
#[derive(Serialize, ToSchema)]
struct ImportView {
    #[serde(with = "time::serde::rfc3339")]
    at: OffsetDateTime,
    by: String,
    number: i32,
    clash_with: Option<Uuid>,
}

/// A kind of open item that can be written.
#[derive(Serialize, ToSchema)]
struct ItemKind {
    id: String,
    name: String,
    detail: String,
}

/// Proof of ownership.
#[derive(Serialize, ToSchema)]
struct OwnershipView {
    locked: bool,
    proof: Option<String>,
}

/// How it was closed.
#[derive(Serialize, ToSchema)]
struct ClosedView {
    outcome: Outcome,
    class: Option<String>,
    cause_confirmed: bool,
    words: String,
    watch: String,
    recheck: Option<Recheck>,
    #[serde(with = "time::serde::rfc3339")]
    at: OffsetDateTime,
}

/// Where the job is looked at from: what only another station shows is left out, and not looked up.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Station {
    /// The customer's words and the vehicle; its earlier jobs.
    Intake,
    /// The battery gate; what other jobs found on the pack.
    Gate,
    /// Suspects, the next check and the map.
    Bench,
    /// Any other: neither of these.
    Other,
}

impl Station {
    /// Whether this station shows something, none being all stations at once.
    fn shows(station: Option<Self>, by: &[Self]) -> bool {
        station.is_none_or(|s| by.contains(&s))
    }
}

/// A job as the page shows it.
#[derive(Serialize, ToSchema)]
pub struct JobView {
    id: Uuid,
    number: i32,
    /// Newest sequence: goes back as `based_on`.
    head: i64,
    stage: Stage,
    words: String,
    volts_class: u16,
    drive: String,
    /// A meter is connected: readings can be captured.
    meter: bool,
    /// What switches this vehicle on: `Display`, `Key`, `Switch`.
    switch_name: String,
    vehicle: String,
    frame_number: Option<String>,
    controller: Option<String>,
    symptoms: Vec<Told>,
    risks: Vec<Told>,
    customer: Option<CustomerCard>,
    customer_id: Option<Uuid>,
    #[serde(with = "time::serde::rfc3339::option")]
    promised: Option<OffsetDateTime>,
    value_cents: Option<i64>,
    limit_cents: Option<i64>,
    stop_loss_minutes: Option<f64>,
    ownership: Option<OwnershipView>,
    pack: Option<PackRef>,
    state: VehicleState,
    changes: Vec<ChangeView>,
    parts: Vec<PartView>,
    waiting: Option<WaitView>,
    closed: Option<ClosedView>,
    gate: GateView,
    /// Suspects and the next check; none for a vehicle without a wiring model.
    bench: Option<Bench>,
    /// At the Bench alone.
    map: Option<Map>,
    /// Points named by hand, with the readings of a working vehicle beside them.
    points: Vec<PointRow>,
    reference: Option<String>,
    sheet: Option<String>,
    quotes: Vec<QuoteView>,
    arrivals: Vec<ArrivalView>,
    claims: Vec<ClaimView>,
    assembly: Vec<AssemblyView>,
    items: Vec<OpenItem>,
    item_kinds: Vec<ItemKind>,
    proof: Vec<ProofRow>,
    /// What was touched, in words.
    touched: Vec<String>,
    photos: Vec<PhotoView>,
    owner_sheet: Vec<String>,
    money: Money,
    clock: ClockView,
    /// Earlier jobs of the same vehicle, newest first; at the intake alone.
    earlier: Vec<Earlier>,
    /// Number of the job this vehicle comes back from; at the intake alone.
    from_job: Option<Earlier>,
    /// Sticker of the pack that was on it the last time, at intake and gate; none once this job has named its pack.
    last_pack: Option<String>,
    imported: Option<ImportView>,
    /// Why the job cannot be worked on; it is still read, noted to, and its entries are struck out.
    broken: Option<String>,
    #[serde(with = "time::serde::rfc3339")]
    now: OffsetDateTime,
}

/// A job as a person sees it at a station; without one, all there is.
///
/// # Errors
/// The database does not answer, or the work stopped.
pub async fn view(
    app: &App,
    loaded: Loaded,
    person: &Person,
    station: Option<Station>,
) -> Result<Json<JobView>, ApiError> {
    let shows = |by: &[Station]| Station::shows(station, by);
    let modelled = loaded.modelled(&app.catalogue);
    let Loaded {
        row,
        entries,
        job,
        broken,
        ..
    } = loaded;
    let customer = match row.customer_id {
        Some(id) => app.store.customer(id).await?,
        None => None,
    };
    let history = match &job.pack {
        Some(on) if shows(&[Station::Gate]) => app.store.pack_history(on.pack).await?,
        _ => Vec::new(),
    };
    let now = app.clock.now();
    let shop = shop::now(app).await?;
    let past = if shows(&[Station::Intake, Station::Gate]) {
        past(app, &row, &job, now, &shop).await?
    } else {
        Past::default()
    };
    let c = &app.catalogue;
    let (weighed, broken) = match modelled {
        false => (None, broken),
        true => match weighed(app, &job, person.role, &shop, shows(&[Station::Bench])).await {
            Ok(weighed) => (weighed, None),
            Err(error) => (None, Some(error.to_string())),
        },
    };
    let (bench, map, opened, again, to_go) = match weighed {
        Some(w) => (Some(w.bench), w.map, w.opened, w.again, Some(w.parts_to_go)),
        None => (None, None, Vec::new(), Vec::new(), None),
    };
    let mut proof = proof::rows(c, &job, &opened, job.closed.as_ref().map(|x| x.outcome));
    proof::name_again(&mut proof, again);
    let minutes = job.minutes_at(now);
    let money = money(&job, &shop, minutes, bench.as_ref(), to_go);
    let told = |id: &str, name: Option<(String, String)>, yes: Option<bool>, entry: Uuid| {
        let (name, definition) = name.unwrap_or_else(|| (id.to_string(), String::new()));
        Told {
            id: id.to_string(),
            name,
            definition,
            yes,
            entry,
        }
    };
    Ok(Json(JobView {
        id: row.id,
        number: row.number,
        head: job.head,
        stage: job.stage(c),
        symptoms: job
            .symptoms
            .iter()
            .map(|s| {
                let spec = c.symptom(&s.symptom);
                let name = spec.map(|x| (x.name.clone(), x.definition.clone()));
                told(&s.symptom, name, s.yes, s.entry)
            })
            .collect(),
        risks: job
            .risks
            .iter()
            .map(|r| {
                let spec = c.risks.iter().find(|x| x.id == r.risk);
                let name = spec.map(|x| (x.name.clone(), x.definition.clone()));
                told(&r.risk, name, r.yes, r.entry)
            })
            .collect(),
        gate: gate_view(c, &job, &entries, history),
        points: points::rows(&job),
        items: items::items(c, &job, &opened),
        item_kinds: c
            .proof
            .open_item
            .iter()
            .map(|k| ItemKind {
                id: k.id.clone(),
                name: k.name.clone(),
                detail: k.detail.clone(),
            })
            .collect(),
        proof,
        touched: proof::touched(c, &job, &opened)
            .into_iter()
            .map(|t| t.name.clone())
            .collect(),
        owner_sheet: job
            .owner_sheet
            .clone()
            .unwrap_or_else(|| c.proof.sheet(job.family(c)).to_vec()),
        clock: ClockView {
            since: job.clocks.get(&Whose::Person(person.id)).map(|c| c.since),
            others: job
                .clocks
                .iter()
                .filter(|(who, _)| **who != Whose::Person(person.id))
                .map(|(_, c)| c.by.clone())
                .collect(),
            minutes,
        },
        money,
        earlier: past.same,
        from_job: past.from_job,
        last_pack: past.last_pack,
        imported: past.imported,
        broken,
        waiting: WaitView::of(&job),
        quotes: job.quotes.iter().map(quote_view).collect(),
        meter: app.instruments.is_some(),
        switch_name: job
            .family(c)
            .map_or("Switch", spannung_circuit::Family::key_name)
            .into(),
        changes: job
            .changes
            .iter()
            .map(|x| ChangeView::of(c, &job, x))
            .collect(),
        words: job.words,
        volts_class: job.volts_class,
        drive: job.drive,
        vehicle: job.vehicle,
        frame_number: job.frame_number,
        controller: job.controller,
        customer: customer.map(|x| CustomerCard {
            name: x.name,
            contact: x.contact,
        }),
        customer_id: row.customer_id.or(job.customer),
        promised: job.promised,
        value_cents: job.value_cents,
        limit_cents: job.limit_cents,
        stop_loss_minutes: job.stop_loss_minutes,
        ownership: job.ownership.map(|o| OwnershipView {
            locked: o.locked,
            proof: o.proof,
        }),
        pack: job.pack.map(|p| PackRef {
            id: p.pack,
            sticker: p.sticker,
        }),
        state: job.state,
        reference: job.reference,
        sheet: job.sheet.map(|s| s.name),
        arrivals: lines::arrivals(job.arrivals),
        claims: lines::claims(job.claims),
        assembly: lines::assembly(job.assembly),
        photos: lines::photos(job.photos),
        parts: lines::parts(job.parts),
        closed: job.closed.map(|x| ClosedView {
            outcome: x.outcome,
            class: x.class,
            cause_confirmed: x.cause_confirmed,
            words: x.words,
            watch: x.watch,
            recheck: x.recheck,
            at: x.at,
        }),
        bench,
        map,
        now,
    }))
}

/// Where the vehicle and the job come from.
#[derive(Default)]
struct Past {
    same: Vec<Earlier>,
    from_job: Option<Earlier>,
    last_pack: Option<String>,
    imported: Option<ImportView>,
}

async fn past(
    app: &App,
    row: &JobRow,
    job: &Job,
    now: OffsetDateTime,
    shop: &Shop,
) -> Result<Past, ApiError> {
    let frame = job.frame_number.clone().unwrap_or_default();
    let same = app
        .store
        .same_vehicle(row.id, &job.vehicle, &frame)
        .await?
        .into_iter()
        .map(|f| earlier(app, f, &job.words, job.opened_at.unwrap_or(now), shop))
        .collect::<Vec<_>>();
    let from_job = match job.from_job {
        Some(id) => came_from(app, id, job, now, shop).await?,
        None => None,
    };
    let before = from_job.as_ref().or(same.first()).map(|e| e.id);
    let last_pack = match before {
        Some(id) if job.pack.is_none() => {
            let left = work::load(app, id).await?;
            left.job.pack.map(|p| p.sticker)
        }
        _ => None,
    };
    let imported = app.store.import_of(row.id).await?.map(|i| ImportView {
        at: i.at,
        by: i.by_name,
        number: i.number,
        clash_with: i.clash_with,
    });
    Ok(Past {
        same,
        from_job,
        last_pack,
        imported,
    })
}

struct Weighing {
    bench: Bench,
    map: Option<Map>,
    opened: Vec<items::Opened>,
    again: Vec<proof::ReadAgain>,
    parts_to_go: [i64; 3],
}

/// What needs the model; none for a vehicle without one.
async fn weighed(
    app: &App,
    job: &Job,
    role: Role,
    shop: &Shop,
    with_map: bool,
) -> Result<Option<Weighing>, ApiError> {
    if job.family(&app.catalogue).is_none() {
        return Ok(None);
    }
    let bands = shop.bands.clone();
    let prices = prices(job, shop);
    let found = work::weigh(app, job.clone(), role, move |w| {
        let bench = w.bench_at(&prices);
        let next = bench.next.as_ref().map(|n| n.test.as_str());
        Weighing {
            map: with_map.then(|| map::map(w, next)),
            opened: items::opened(w.model, w.job),
            again: w.again(),
            parts_to_go: w.parts_to_go(&bands),
            bench,
        }
    })
    .await?;
    Ok(Some(found))
}
