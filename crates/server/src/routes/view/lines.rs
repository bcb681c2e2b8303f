//! What stands in the job's lists, as the page shows it: parts, quotes, arrivals, claims, assembly, photos.

use serde::Serialize;
use spannung_circuit::{Change, KnownFrom};
use spannung_core::catalogue::Catalogue;
use spannung_core::desks::money::Sum;
use spannung_core::job::Job;
use spannung_core::job::entry::{ClaimWants, Fate, QuoteLine, QuoteReply, change_words};
use spannung_core::job::state::{
    Arrival, AssemblyStep, Changed, ClaimMade, PartLine, PhotoTaken, QuoteMade,
};
use time::OffsetDateTime;
use utoipa::ToSchema;
use uuid::Uuid;

/// A part line.
#[derive(Serialize, ToSchema)]
pub(super) struct PartView {
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

/// What is different on this vehicle.
#[derive(Serialize, ToSchema)]
pub(super) struct ChangeView {
    /// Entry: strike it out, and the vehicle is as its family again.
    entry: Uuid,
    change: Change,
    words: String,
    source: Option<KnownFrom>,
}

impl ChangeView {
    pub(super) fn of(catalogue: &Catalogue, job: &Job, changed: &Changed) -> Self {
        Self {
            entry: changed.entry,
            change: changed.change.clone(),
            words: change_words(&changed.change, catalogue, job),
            source: changed.source,
        }
    }
}

/// A quote with its sum.
#[derive(Serialize, ToSchema)]
pub(super) struct QuoteView {
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
pub(super) struct ArrivalView {
    entry: Uuid,
    #[serde(with = "time::serde::rfc3339")]
    at: OffsetDateTime,
    what: String,
    good: bool,
    words: String,
}

/// A claim.
#[derive(Serialize, ToSchema)]
pub(super) struct ClaimView {
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
pub(super) struct AssemblyView {
    entry: Uuid,
    step: u16,
    part: String,
    orientation: String,
    lubricant: String,
    torque_nm: Option<f64>,
}

/// A photo.
#[derive(Serialize, ToSchema)]
pub(super) struct PhotoView {
    entry: Uuid,
    photo: Uuid,
    of: Option<Uuid>,
    caption: String,
    #[serde(with = "time::serde::rfc3339")]
    at: OffsetDateTime,
    by: String,
}

pub(super) fn arrivals(all: Vec<Arrival>) -> Vec<ArrivalView> {
    all.into_iter()
        .map(|a| ArrivalView {
            entry: a.mark.entry,
            at: a.mark.at,
            what: a.what,
            good: a.good,
            words: a.words,
        })
        .collect()
}

pub(super) fn claims(all: Vec<ClaimMade>) -> Vec<ClaimView> {
    all.into_iter()
        .map(|x| ClaimView {
            entry: x.mark.entry,
            at: x.mark.at,
            supplier: x.supplier,
            what: x.what,
            facts: x.facts,
            wants: x.wants,
        })
        .collect()
}

pub(super) fn assembly(all: Vec<AssemblyStep>) -> Vec<AssemblyView> {
    all.into_iter()
        .map(|a| AssemblyView {
            entry: a.mark.entry,
            step: a.step,
            part: a.part,
            orientation: a.orientation,
            lubricant: a.lubricant,
            torque_nm: a.torque_nm,
        })
        .collect()
}

pub(super) fn photos(all: Vec<PhotoTaken>) -> Vec<PhotoView> {
    all.into_iter()
        .map(|p| PhotoView {
            entry: p.mark.entry,
            photo: p.photo,
            of: p.of,
            caption: p.caption,
            at: p.mark.at,
            by: p.mark.by,
        })
        .collect()
}

pub(super) fn parts(all: Vec<PartLine>) -> Vec<PartView> {
    all.into_iter()
        .map(|p| PartView {
            entry: p.mark.entry,
            old: p.old,
            fate: p.fate,
            fate_words: p.fate.map(|f| f.words().into()),
            new: p.new,
            class: p.class,
            minutes: p.minutes,
            price_cents: p.price_cents,
        })
        .collect()
}

pub(super) fn quote_view(q: &QuoteMade) -> QuoteView {
    QuoteView {
        entry: q.mark.entry,
        at: q.mark.at,
        by: q.mark.by.clone(),
        lines: q.lines.clone(),
        minutes: q.minutes,
        words: q.words.clone(),
        sum: q.sum(),
        currency: q.terms.currency.clone(),
        answer: q.said.as_ref().map(|s| s.answer),
        answer_words: q.said.as_ref().map_or(String::new(), |s| s.words.clone()),
        limit_cents: q.said.as_ref().and_then(|s| s.limit_cents),
        open: q.open(),
    }
}
