//! Dangers rest on the pack. One danger is one record: judged once, by the vehicle and the chemistry it was
//! found on, and kept with the pack from then on. Wherever that pack goes, what happened on it is put
//! together again in the order it happened, whichever jobs it happened in: a clearance ends what was found
//! before it, never what is found later.

use crate::catalogue::StopWords;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use time::OffsetDateTime;
use utoipa::ToSchema;
use uuid::Uuid;

/// A danger as the entry that raises it tells it.
#[derive(Debug, Clone, PartialEq)]
pub struct Danger {
    /// Gate check, test, proof check or symptom that raised it.
    pub from: String,
    /// What to do, and why.
    pub words: StopWords,
    /// A specialist's written clearance can end it.
    pub clearable: bool,
}

impl Danger {
    /// One that a specialist can clear.
    pub fn clearable(from: &str, words: StopWords) -> Self {
        Self {
            from: from.into(),
            words,
            clearable: true,
        }
    }
}

/// A danger found on a pack.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Stop {
    /// Entry that raised it.
    pub entry: Uuid,
    /// Gate check, test, proof check or symptom that raised it.
    pub from: String,
    /// The order: two or three words.
    pub order: String,
    /// Why, with the figure.
    pub reason: String,
    /// A specialist's written clearance can end it; a group below its floor only ends with another
    /// pack.
    pub clearable: bool,
    /// When it was found, by the person's clock.
    #[serde(with = "time::serde::rfc3339")]
    pub at: OffsetDateTime,
    /// Who found it.
    pub by: String,
}

/// Something that happened on a pack, in whatever job.
#[derive(Debug, Clone, PartialEq)]
pub struct OnPack {
    /// Pack.
    pub pack: Uuid,
    /// Where in the order of all logs.
    pub seq: i64,
    /// Entry it comes from.
    pub entry: Uuid,
    /// When, by the person's clock.
    pub at: OffsetDateTime,
    /// Who.
    pub by: String,
    /// What.
    pub what: Happened,
}

/// What can happen on a pack.
#[derive(Debug, Clone, PartialEq)]
pub enum Happened {
    /// A danger, as it was judged when it was found.
    Found(Stop),
    /// A step of the quarantine was recorded.
    Quarantined(String),
    /// A specialist cleared it in writing.
    Cleared,
}

/// A step of the quarantine as it was recorded.
#[derive(Debug, Clone, PartialEq)]
pub struct StepDone {
    /// When.
    pub at: OffsetDateTime,
    /// Who.
    pub by: String,
}

/// How a pack stands: what happened on it, put together in order.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct PackStanding {
    /// STOPs that hold.
    pub stops: Vec<Stop>,
    /// Quarantine steps recorded for them, by step.
    pub quarantine: BTreeMap<String, StepDone>,
}

impl PackStanding {
    /// A danger is found. A second one by the same check adds nothing; one by another check asks for the
    /// quarantine anew, since the pack was in somebody's hands.
    pub fn find(&mut self, stop: Stop) {
        if self.stops.iter().any(|s| s.from == stop.from) {
            return;
        }
        self.quarantine.clear();
        self.stops.push(stop);
    }

    /// A specialist's clearance: what can be cleared is.
    pub fn clear(&mut self) {
        self.stops.retain(|s| !s.clearable);
        if self.stops.is_empty() {
            self.quarantine.clear();
        }
    }

    /// Take in what happened.
    pub fn take(&mut self, event: &OnPack) {
        match &event.what {
            Happened::Found(stop) => self.find(stop.clone()),
            Happened::Quarantined(step) => {
                if !self.stops.is_empty() {
                    let done = StepDone {
                        at: event.at,
                        by: event.by.clone(),
                    };
                    self.quarantine.insert(step.clone(), done);
                }
            }
            Happened::Cleared => self.clear(),
        }
    }

    /// What was found before the pack had a name is found on the pack that gets it.
    pub fn join(&mut self, other: Self) {
        for stop in other.stops {
            if !self.stops.iter().any(|s| s.from == stop.from) {
                self.stops.push(stop);
            }
        }
        self.quarantine.extend(other.quarantine);
    }
}

/// A danger that an entry of this job raised, and where it rests.
#[derive(Debug, Clone, PartialEq)]
pub struct Found {
    /// Pack; none while none has been named.
    pub pack: Option<Uuid>,
    /// Entry with which it came to rest there: the one that raised it, or the one that named the pack.
    pub rests_since: Uuid,
    /// The danger.
    pub stop: Stop,
}
