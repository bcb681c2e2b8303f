//! A job as the page shows it.

use crate::App;
use crate::error::ApiError;
use crate::routes::customers::CustomerCard;
use crate::shop::{self, Shop};
use crate::work::{self, Loaded};
use axum::Json;
use serde::{Deserialize, Serialize};
use spannung_circuit::{Change, VehicleState};
use spannung_core::catalogue::Catalogue;
use spannung_core::desks::money::Sum;
use spannung_core::diagnosis::Prices;
use spannung_core::job::danger::Stop;
use spannung_core::job::entry::{
    ClaimWants, Fate, Outcome, QuoteLine, QuoteReply, Recheck, WaitKind,
};
use spannung_core::job::fold::{Stage, Whose};
use spannung_core::job::gate::{self, Floor, Standing};
use spannung_core::job::items::{self, OpenItem};
use spannung_core::job::map::{self, Map};
use spannung_core::job::points::{self, PointRow};
use spannung_core::job::proof::{self, ProofRow};
use spannung_core::job::view::Bench;
use spannung_core::job::{Job, Logged, Role, record, report};
use spannung_store::card::Found;
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

/// An answer that can be given at the gate.
#[derive(Serialize, ToSchema)]
struct GateChoice {
    id: String,
    name: String,
    result: String,
}

/// A contact of the gate.
#[derive(Serialize, ToSchema)]
struct GateContact {
    id: String,
    name: String,
    /// `pack` or `job`.
    rests: String,
    ask: String,
    how: String,
    means: String,
    /// Answered with volts.
    figure: bool,
    answers: Vec<GateChoice>,
    /// `open`, `clear` or `stop`.
    standing: String,
    /// Answer given, in words.
    given: Option<String>,
    typed: Option<String>,
    #[serde(with = "time::serde::rfc3339::option")]
    at: Option<OffsetDateTime>,
    by: Option<String>,
    /// It came with the pack from another job.
    brought: bool,
}

/// A quarantine step.
#[derive(Serialize, ToSchema)]
struct QuarantineView {
    id: String,
    name: String,
    detail: String,
    done: bool,
    #[serde(with = "time::serde::rfc3339::option")]
    at: Option<OffsetDateTime>,
    by: Option<String>,
}

/// A line of what the pack has been through.
#[derive(Serialize, ToSchema)]
struct PackLine {
    job: i32,
    #[serde(with = "time::serde::rfc3339")]
    at: OffsetDateTime,
    text: String,
}

/// The gate.
#[derive(Serialize, ToSchema)]
struct GateView {
    standing: Standing,
    contacts: Vec<GateContact>,
    stops: Vec<Stop>,
    quarantine: Vec<QuarantineView>,
    /// Floor of the pack; one for each chemistry where no wiring model knows it.
    floors: Vec<Floor>,
    history: Vec<PackLine>,
}

/// The pack.
#[derive(Serialize, ToSchema)]
struct PackRef {
    id: Uuid,
    sticker: String,
}

/// A part line.
#[derive(Serialize, ToSchema)]
struct PartView {
    entry: Uuid,
    old: Option<String>,
    fate: Option<Fate>,
    /// What becomes of the old part, in words.
    fate_words: Option<String>,
    new: Option<String>,
    class: Option<String>,
    minutes: f64,
    price_cents: Option<i64>,
}

/// A quote with its sum.
#[derive(Serialize, ToSchema)]
struct QuoteView {
    entry: Uuid,
    #[serde(with = "time::serde::rfc3339")]
    at: OffsetDateTime,
    by: String,
    lines: Vec<QuoteLine>,
    minutes: f64,
    words: String,
    sum: Sum,
    currency: String,
    answer: Option<QuoteReply>,
    answer_words: String,
    limit_cents: Option<i64>,
    /// Not answered yet.
    open: bool,
}

/// An arrival.
#[derive(Serialize, ToSchema)]
struct ArrivalView {
    entry: Uuid,
    #[serde(with = "time::serde::rfc3339")]
    at: OffsetDateTime,
    what: String,
    good: bool,
    words: String,
}

/// A claim.
#[derive(Serialize, ToSchema)]
struct ClaimView {
    entry: Uuid,
    #[serde(with = "time::serde::rfc3339")]
    at: OffsetDateTime,
    supplier: String,
    what: String,
    facts: String,
    wants: ClaimWants,
}

/// A step of putting together.
#[derive(Serialize, ToSchema)]
struct AssemblyView {
    entry: Uuid,
    step: u16,
    part: String,
    orientation: String,
    lubricant: String,
    torque_nm: Option<f64>,
}

/// A photo.
#[derive(Serialize, ToSchema)]
struct PhotoView {
    entry: Uuid,
    photo: Uuid,
    of: Option<Uuid>,
    caption: String,
    #[serde(with = "time::serde::rfc3339")]
    at: OffsetDateTime,
    by: String,
}

/// An earlier job of the same vehicle.
#[derive(Serialize, ToSchema)]
pub struct Earlier {
    id: Uuid,
    number: i32,
    vehicle: String,
    frame_number: String,
    words: String,
    outcome: String,
    mended: String,
    #[serde(with = "time::serde::rfc3339::option")]
    opened_at: Option<OffsetDateTime>,
    #[serde(with = "time::serde::rfc3339::option")]
    closed_at: Option<OffsetDateTime>,
    /// The same complaint within the shop's comeback period.
    pub comeback: bool,
}

/// Money of the job and where it is heading.
#[derive(Serialize, ToSchema)]
struct Money {
    /// Bill as it stands, tax included.
    sum: Sum,
    currency: String,
    /// Total when it ends, cents with tax: 10 %, likely, 90 %; none without a wiring model.
    forecast_cents: Option<[i64; 3]>,
    /// Sentences: limit of money or stop-loss passed, or about to be.
    warnings: Vec<String>,
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

/// What it waits for.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct WaitView {
    /// Kind.
    pub kind: WaitKind,
    /// In words.
    pub what: String,
    /// Comes free.
    #[serde(with = "time::serde::rfc3339::option")]
    pub until: Option<OffsetDateTime>,
    /// Since.
    #[serde(with = "time::serde::rfc3339")]
    pub since: OffsetDateTime,
    /// Who delivers.
    pub supplier: Option<String>,
}

impl WaitView {
    /// What a job waits for.
    pub fn of(job: &Job) -> Option<Self> {
        job.waiting.as_ref().map(|w| Self {
            kind: w.kind,
            what: w.what.clone(),
            until: w.until,
            since: w.since,
            supplier: w.supplier.clone(),
        })
    }
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
    changes: Vec<Change>,
    parts: Vec<PartView>,
    waiting: Option<WaitView>,
    closed: Option<ClosedView>,
    gate: GateView,
    /// None for a vehicle without a wiring model.
    bench: Option<Bench>,
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
    /// Earlier jobs of the same vehicle, newest first.
    earlier: Vec<Earlier>,
    /// Number of the job this vehicle comes back from.
    from_job: Option<Earlier>,
    /// Sticker of the pack that was on it the last time; none once this job has named its pack.
    last_pack: Option<String>,
    imported: Option<ImportView>,
    /// Why the job cannot be worked on; it is still read, noted to, and its entries are struck out.
    broken: Option<String>,
    #[serde(with = "time::serde::rfc3339")]
    now: OffsetDateTime,
}

/// A job as a person sees it.
///
/// # Errors
/// The database does not answer, or the work stopped.
pub async fn view(app: &App, loaded: Loaded, person: &Person) -> Result<Json<JobView>, ApiError> {
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
        Some((id, _)) => app.store.pack_history(*id).await?,
        None => Vec::new(),
    };
    let now = app.clock.now();
    let shop = shop::now(app).await?;
    let frame = job.frame_number.clone().unwrap_or_default();
    let same = app
        .store
        .same_vehicle(row.id, &job.vehicle, &frame)
        .await?
        .into_iter()
        .map(|f| earlier(app, f, &job.words, job.opened_at.unwrap_or(now), &shop))
        .collect::<Vec<_>>();
    let from_job = match job.from_job {
        Some(id) => came_from(app, id, &job, now, &shop).await?,
        None => None,
    };
    let before = from_job.as_ref().or(same.first()).map(|e| e.id);
    let last_pack = match before {
        Some(id) if job.pack.is_none() => work::load(app, id).await?.job.pack.map(|p| p.1),
        _ => None,
    };
    let imported = app.store.import_of(row.id).await?.map(|i| ImportView {
        at: i.at,
        by: i.by_name,
        number: i.number,
        clash_with: i.clash_with,
    });
    let c = &app.catalogue;
    let (weighed, broken) = match modelled {
        false => (None, broken),
        true => match weighed(app, &job, person.role, &shop).await {
            Ok(weighed) => (weighed, None),
            Err(error) => (None, Some(error.to_string())),
        },
    };
    let (bench, map, opened, to_go) = match weighed {
        Some(w) => (Some(w.bench), Some(w.map), w.opened, Some(w.parts_to_go)),
        None => (None, None, Vec::new(), None),
    };
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
                let spec = c.symptom(&s.0);
                let name = spec.map(|x| (x.name.clone(), x.definition.clone()));
                told(&s.0, name, s.1, s.3)
            })
            .collect(),
        risks: job
            .risks
            .iter()
            .map(|r| {
                let spec = c.risks.iter().find(|x| x.id == r.0);
                let name = spec.map(|x| (x.name.clone(), x.definition.clone()));
                told(&r.0, name, r.1, r.2)
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
        proof: proof::rows(c, &job, &opened, job.closed.as_ref().map(|x| x.outcome)),
        touched: proof::touched(c, &job, &opened)
            .into_iter()
            .map(|t| t.name.clone())
            .collect(),
        owner_sheet: job
            .owner_sheet
            .clone()
            .unwrap_or_else(|| c.proof.sheet(&job.drive).to_vec()),
        clock: ClockView {
            since: job.clocks.get(&Whose::Person(person.id)).map(|c| c.0),
            others: job
                .clocks
                .iter()
                .filter(|(who, _)| **who != Whose::Person(person.id))
                .map(|(_, c)| c.1.clone())
                .collect(),
            minutes,
        },
        money,
        earlier: same,
        from_job,
        last_pack,
        imported,
        broken,
        waiting: WaitView::of(&job),
        quotes: job.quotes.iter().map(quote_view).collect(),
        meter: app.instruments.is_some(),
        switch_name: job
            .family(c)
            .map_or("Switch", spannung_circuit::Family::key_name)
            .into(),
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
        ownership: job
            .ownership
            .map(|(locked, proof)| OwnershipView { locked, proof }),
        pack: job.pack.map(|(id, sticker)| PackRef { id, sticker }),
        state: job.state,
        changes: job.changes,
        reference: job.reference,
        sheet: job.sheet.map(|s| s.1),
        arrivals: job
            .arrivals
            .into_iter()
            .map(|a| ArrivalView {
                entry: a.mark.entry,
                at: a.mark.at,
                what: a.what,
                good: a.good,
                words: a.words,
            })
            .collect(),
        claims: job
            .claims
            .into_iter()
            .map(|x| ClaimView {
                entry: x.mark.entry,
                at: x.mark.at,
                supplier: x.supplier,
                what: x.what,
                facts: x.facts,
                wants: x.wants,
            })
            .collect(),
        assembly: job
            .assembly
            .into_iter()
            .map(|a| AssemblyView {
                entry: a.mark.entry,
                step: a.step,
                part: a.part,
                orientation: a.orientation,
                lubricant: a.lubricant,
                torque_nm: a.torque_nm,
            })
            .collect(),
        photos: job
            .photos
            .into_iter()
            .map(|p| PhotoView {
                entry: p.mark.entry,
                photo: p.photo,
                of: p.of,
                caption: p.caption,
                at: p.mark.at,
                by: p.mark.by,
            })
            .collect(),
        parts: job
            .parts
            .into_iter()
            .map(|p| PartView {
                entry: p.mark.entry,
                old: p.old,
                fate: p.fate,
                fate_words: p.fate.map(|f| record::fate_words(f).into()),
                new: p.new,
                class: p.class,
                minutes: p.minutes,
                price_cents: p.price_cents,
            })
            .collect(),
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

/// What minutes and parts cost here, and what this vehicle may cost: the agreed limit or its value, without tax.
pub(super) fn prices(job: &Job, shop: &Shop) -> Prices {
    let most = [job.limit_cents, job.value_cents]
        .into_iter()
        .flatten()
        .min();
    Prices {
        minute_cents: shop.terms.rate_cents as f64 / 60.0,
        bands: shop.bands.clone(),
        most_cents: most.map(|c| (c as f64 / (1.0 + shop.terms.tax_percent / 100.0)) as i64),
    }
}

struct Weighing {
    bench: Bench,
    map: Map,
    opened: Vec<items::Opened>,
    parts_to_go: [i64; 3],
}

/// What needs the model; none for a vehicle without one.
async fn weighed(
    app: &App,
    job: &Job,
    role: Role,
    shop: &Shop,
) -> Result<Option<Weighing>, ApiError> {
    if job.family(&app.catalogue).is_none() {
        return Ok(None);
    }
    let bands = shop.bands.clone();
    let prices = prices(job, shop);
    let found = work::weigh(app, job.clone(), role, move |w| {
        let bench = w.bench_at(&prices);
        let next = bench.next.as_ref().map(|n| n.test.clone());
        Weighing {
            map: map::map(w, next.as_deref()),
            opened: items::opened(w.model, w.job),
            parts_to_go: w.parts_to_go(&bands),
            bench,
        }
    })
    .await?;
    Ok(Some(found))
}

fn quote_view(q: &spannung_core::job::fold::QuoteMade) -> QuoteView {
    QuoteView {
        entry: q.mark.entry,
        at: q.mark.at,
        by: q.mark.by.clone(),
        lines: q.lines.clone(),
        minutes: q.minutes,
        words: q.words.clone(),
        sum: q.sum(),
        currency: q.terms.currency.clone(),
        answer: q.answer.as_ref().map(|a| a.0),
        answer_words: q.answer.as_ref().map_or(String::new(), |a| a.2.clone()),
        limit_cents: q.answer.as_ref().and_then(|a| a.1),
        open: q.open(),
    }
}

/// The bill as it stands and where it is heading: minutes to go at the rate and the parts that the
/// suspects would need, until a part has gone in.
fn money(
    job: &Job,
    shop: &Shop,
    minutes: f64,
    bench: Option<&Bench>,
    parts_to_go: Option<[i64; 3]>,
) -> Money {
    let terms = job
        .closed
        .as_ref()
        .and_then(|c| c.terms.clone())
        .unwrap_or_else(|| shop.terms.clone());
    let sum = report::bill(job, minutes, &terms);
    let parts: Vec<(f64, i64)> = job
        .parts
        .iter()
        .filter_map(|p| p.price_cents)
        .map(|c| (1.0, c))
        .collect();
    let forecast = bench.zip(parts_to_go).filter(|_| job.closed.is_none());
    let forecast_cents = forecast.map(|(b, to_go)| {
        let mut out = [0; 3];
        for (k, cents) in out.iter_mut().enumerate() {
            let mut lines = parts.clone();
            if job.parts.is_empty() {
                lines.push((1.0, to_go[k]));
            }
            let ahead = minutes + b.minutes_to_go[k];
            *cents = spannung_core::desks::money::sum(&lines, ahead, &terms).total_cents;
        }
        out
    });
    let mut warnings = Vec::new();
    let shown = |c: i64| format!("{}.{:02} {}", c / 100, c % 100, terms.currency);
    if job.closed.is_none() {
        if let Some(limit) = job.limit_cents {
            if sum.total_cents > limit {
                warnings.push(format!(
                    "The agreed limit of {} is passed: {} so far. Ask before going on.",
                    shown(limit),
                    shown(sum.total_cents)
                ));
            } else if let Some([_, likely, most]) = forecast_cents {
                if likely > limit {
                    warnings.push(format!(
                        "Likely {}, over the agreed limit of {}. Ask before going on.",
                        shown(likely),
                        shown(limit)
                    ));
                } else if most > limit {
                    warnings.push(format!(
                        "May reach {}, over the agreed limit of {}.",
                        shown(most),
                        shown(limit)
                    ));
                }
            }
        }
        if let Some(stop) = job.stop_loss_minutes {
            if minutes > stop {
                warnings.push(format!(
                    "Stop-loss: {stop:.0} min were agreed, {minutes:.0} are spent. Ask, or hand it back as it is."
                ));
            } else if let Some((b, _)) = forecast
                && minutes + b.minutes_to_go[1] > stop
            {
                warnings.push(format!(
                    "Stop-loss of {stop:.0} min: likely {:.0} in all.",
                    minutes + b.minutes_to_go[1]
                ));
            }
        }
    }
    Money {
        sum,
        currency: terms.currency.clone(),
        forecast_cents,
        warnings,
    }
}

/// An earlier job, with whether this one is its complaint coming back: within the shop's comeback
/// period, and a symptom heard then is heard again.
pub fn earlier(
    app: &App,
    found: Found,
    words: &str,
    opened: OffsetDateTime,
    shop: &Shop,
) -> Earlier {
    let days = time::Duration::days(i64::from(shop.comeback_days));
    let soon = found
        .card
        .closed_at
        .is_some_and(|c| opened >= c && opened - c <= days);
    let then = app.catalogue.hear(&found.card.words).0;
    let again = app
        .catalogue
        .hear(words)
        .0
        .iter()
        .any(|s| then.iter().any(|t| t.0 == s.0));
    Earlier {
        id: found.id,
        number: found.number,
        vehicle: found.card.vehicle,
        frame_number: found.card.frame_number,
        words: found.card.words,
        outcome: found.card.outcome,
        mended: found.card.mended,
        opened_at: found.card.opened_at,
        closed_at: found.card.closed_at,
        comeback: soon && again,
    }
}

async fn came_from(
    app: &App,
    id: Uuid,
    job: &Job,
    now: OffsetDateTime,
    shop: &Shop,
) -> Result<Option<Earlier>, ApiError> {
    match app.store.found(id).await {
        Ok(found) => {
            let opened = job.opened_at.unwrap_or(now);
            Ok(Some(earlier(app, found, &job.words, opened, shop)))
        }
        Err(spannung_store::StoreError::NotFound(_)) => Ok(None),
        Err(error) => Err(error.into()),
    }
}

fn gate_view(
    c: &Catalogue,
    job: &Job,
    entries: &[Logged],
    history: Vec<(i32, Logged)>,
) -> GateView {
    let contacts = c
        .gate
        .iter()
        .map(|check| {
            let given = job.gate.get(check.id.get_ref());
            let answer = given.and_then(|g| check.answer(&g.answer));
            // a STOP can be older than the job: then no answer of this job stands behind it
            let stop = job
                .on_pack
                .stops
                .iter()
                .find(|s| &s.from == check.id.get_ref());
            let brought = stop.is_some_and(|s| !entries.iter().any(|e| e.id == s.entry));
            GateContact {
                id: check.id.get_ref().clone(),
                name: check.name.clone(),
                rests: check.rests.clone(),
                ask: check.ask.clone(),
                how: check.how.clone(),
                means: check.means.clone(),
                figure: check.figure,
                answers: check
                    .answers
                    .iter()
                    .map(|a| GateChoice {
                        id: a.id.clone(),
                        name: a.name.clone(),
                        result: a.result.clone(),
                    })
                    .collect(),
                standing: match stop {
                    Some(_) => "stop",
                    None => answer.map_or("open", |a| a.result.as_str()),
                }
                .into(),
                given: match stop.filter(|_| brought) {
                    Some(stop) => Some(stop.reason.clone()),
                    None => answer.map(|a| a.name.clone()),
                },
                typed: given.filter(|_| !brought).and_then(|g| g.typed.clone()),
                at: stop.map(|s| s.at).or_else(|| given.map(|g| g.at)),
                by: stop
                    .map(|s| s.by.clone())
                    .or_else(|| given.map(|g| g.by.clone())),
                brought,
            }
        })
        .collect();
    let name = |id: &str| id.to_string();
    GateView {
        standing: gate::standing(c, job),
        contacts,
        stops: job.on_pack.stops.clone(),
        quarantine: c
            .quarantine
            .iter()
            .map(|q| {
                let done = job.on_pack.quarantine.get(&q.id);
                QuarantineView {
                    id: q.id.clone(),
                    name: q.name.clone(),
                    detail: q.detail.clone(),
                    done: done.is_some(),
                    at: done.map(|d| d.0),
                    by: done.map(|d| d.1.clone()),
                }
            })
            .collect(),
        floors: gate::floors(c, job),
        history: history
            .iter()
            .take(8)
            .map(|(number, e)| PackLine {
                job: *number,
                at: e.at,
                text: record::lines(c, std::slice::from_ref(e), &name)
                    .first()
                    .map_or(String::new(), |l| {
                        if l.value.is_empty() {
                            l.text.clone()
                        } else {
                            format!("{}, {}", l.text, l.value)
                        }
                    }),
            })
            .collect(),
    }
}
