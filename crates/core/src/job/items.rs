//! Open items: what the shop left behind and has to close before the vehicle leaves. Some are written
//! by hand; others follow from the work itself: what opening destroys has to be renewed, a plug that is
//! apart has to be joined. And a job names its vehicle and its owner, or says why not.

use crate::catalogue::Catalogue;
use crate::diagnosis::model::Model;
use crate::diagnosis::repertoire;
use crate::job::entry::vocabulary::ReadingResult;
use crate::job::state::{Job, Settled};
use serde::Serialize;
use utoipa::ToSchema;

/// A place that was opened.
#[derive(Debug, Clone, PartialEq)]
pub struct Opened {
    /// Access code.
    pub access: String,
    /// Name.
    pub name: String,
    /// What opening it destroys.
    pub destroys: Vec<String>,
    /// Sequence of the last entry that opened it.
    pub seq: i64,
}

/// How an item stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum ItemStanding {
    /// Holds the hand-back.
    Open,
    /// Closed.
    Closed,
    /// Let go with a reason.
    Excepted,
}

/// An open item.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct OpenItem {
    /// Key: goes back in the entry that closes it.
    pub key: String,
    /// Name.
    pub name: String,
    /// What and where.
    pub what: String,
    /// What closes it.
    pub detail: String,
    /// May be let go with a reason.
    pub may_except: bool,
    /// Closed by the vehicle's state, not by hand.
    pub by_state: bool,
    /// How it stands.
    pub standing: ItemStanding,
    /// How it was closed, or why it was let go.
    pub how: String,
    /// When that was.
    #[serde(with = "time::serde::rfc3339::option")]
    pub at: Option<time::OffsetDateTime>,
}

/// Places opened by the readings and checks that were taken, on a vehicle with a wiring model.
pub fn opened(model: &Model, job: &Job) -> Vec<Opened> {
    let mut found: Vec<Opened> = Vec::new();
    let family = &model.profile.family;
    for t in &job.taken {
        if t.voided || t.result == Some(ReadingResult::CannotReach) {
            continue;
        }
        let Some(test) = repertoire::find(&model.tests, &t.test).map(|k| &model.tests[k]) else {
            continue;
        };
        let Some(access) = family.access.get(&test.access) else {
            continue;
        };
        if access.minutes <= 0.0 {
            continue;
        }
        let destroys: Vec<String> = access
            .destroys
            .iter()
            .flat_map(|d| d.split(','))
            .map(|d| d.trim().to_string())
            .collect();
        match found.iter_mut().find(|o| o.access == test.access) {
            Some(known) => known.seq = t.seq,
            None => found.push(Opened {
                access: test.access.clone(),
                name: access.name.clone(),
                destroys,
                seq: t.seq,
            }),
        }
    }
    found
}

/// All items of a job, open and closed, in the order they came up.
pub fn items(catalogue: &Catalogue, job: &Job, opened: &[Opened]) -> Vec<OpenItem> {
    let mut out = Vec::new();
    let standing = |key: &str, since: i64, may_except: bool| {
        let later = |s: &&Settled| s.mark.seq > since;
        if let Some(closed) = job.closings.get(key).filter(later) {
            return (
                ItemStanding::Closed,
                closed.words.clone(),
                Some(closed.mark.at),
            );
        }
        match job.exceptions.get(key).filter(later) {
            Some(gone) if may_except => (
                ItemStanding::Excepted,
                gone.words.clone(),
                Some(gone.mark.at),
            ),
            _ => (ItemStanding::Open, String::new(), None),
        }
    };
    for o in opened {
        for what in &o.destroys {
            let key = format!("consumable.{}.{}", o.access, what.replace(' ', "-"));
            let (now, how, at) = standing(&key, o.seq, false);
            out.push(OpenItem {
                key,
                name: capital(what),
                what: format!("destroyed by opening the {}", o.name.to_lowercase()),
                detail: "A new one in, or renewed.".into(),
                may_except: false,
                by_state: false,
                standing: now,
                how,
                at,
            });
        }
    }
    for i in &job.items {
        let Some(kind) = catalogue.proof.item(&i.kind) else {
            continue;
        };
        let key = i.mark.entry.to_string();
        let (now, how, at) = standing(&key, i.mark.seq, kind.excepted);
        out.push(OpenItem {
            key,
            name: kind.name.clone(),
            what: i.what.clone(),
            detail: kind.detail.clone(),
            may_except: kind.excepted,
            by_state: false,
            standing: now,
            how,
            at,
        });
    }
    let family = job.family(catalogue);
    for plug in job.state.apart.iter().filter(|p| p.as_str() != "dock") {
        let name = family
            .and_then(|f| f.plugs.iter().find(|x| x.id.get_ref() == plug))
            .map_or(plug.clone(), |x| x.name.clone());
        out.push(OpenItem {
            key: format!("plug.{plug}"),
            name: "Plug apart".into(),
            what: name,
            detail: "Join it, then say so at the vehicle's state.".into(),
            may_except: false,
            by_state: true,
            standing: ItemStanding::Open,
            how: String::new(),
            at: None,
        });
    }
    let named = [
        ("vehicle", "Vehicle", !job.vehicle.trim().is_empty()),
        ("owner", "Owner", job.customer.is_some()),
    ];
    for (key, who, _) in named.into_iter().filter(|n| !n.2) {
        let key = format!("named.{key}");
        let (now, how, at) = standing(&key, 0, true);
        out.push(OpenItem {
            key,
            name: format!("{who} not named"),
            what: "name it at the intake, or say why this job has none".into(),
            detail: "Name it at the intake, or leave it out with a reason: a job is found again by both.".into(),
            may_except: true,
            by_state: true,
            standing: now,
            how,
            at,
        });
    }
    out
}

/// The item of this key, when it is open.
pub fn open(catalogue: &Catalogue, job: &Job, opened: &[Opened], key: &str) -> Option<OpenItem> {
    items(catalogue, job, opened)
        .into_iter()
        .find(|i| i.key == key && i.standing == ItemStanding::Open)
}

fn capital(text: &str) -> String {
    let mut chars = text.chars();
    chars.next().map_or(String::new(), |first| {
        first.to_uppercase().collect::<String>() + chars.as_str()
    })
}
