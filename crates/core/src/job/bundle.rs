//! A job as it leaves one shop and comes into another: its whole log and its pictures in one JSON
//! document (format `spannung-job-2`). Entries count from 1 in the bundle, so that the same job gives
//! the same bytes wherever it lies. The customer's card is never in it.

use crate::catalogue::Catalogue;
use crate::error::CoreError;
use crate::job::entry::{Body, Logged};
use crate::job::fold::Job;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use time::OffsetDateTime;
use utoipa::ToSchema;
use uuid::Uuid;

/// Name of the format, with its version.
pub const FORMAT: &str = "spannung-job-2";
/// Most entries of one job.
pub const MOST_ENTRIES: usize = 20_000;
/// Deepest nesting of the document.
pub const DEEPEST: usize = 24;

/// A picture in a bundle.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct BundlePhoto {
    /// Id, as entries name it.
    pub id: Uuid,
    /// When it came in.
    #[serde(with = "time::serde::rfc3339")]
    pub at: OffsetDateTime,
    /// Who brought it.
    pub by: String,
    /// Pixels.
    pub width: i32,
    /// Pixels.
    pub height: i32,
    /// JPEG, base 64.
    pub jpeg: String,
}

/// A job as one document.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Bundle {
    /// Always `spannung-job-2`.
    pub format: String,
    /// Number on the ticket.
    pub number: i32,
    /// Id.
    pub id: Uuid,
    /// Entries, counted from 1.
    pub entries: Vec<Logged>,
    /// Pictures by id.
    pub photos: Vec<BundlePhoto>,
}

impl Bundle {
    /// Put one together.
    pub fn new(number: i32, id: Uuid, entries: Vec<Logged>, photos: Vec<BundlePhoto>) -> Self {
        let entries = entries
            .into_iter()
            .enumerate()
            .map(|(k, e)| Logged {
                seq: k as i64 + 1,
                ..e
            })
            .collect();
        Self {
            format: FORMAT.into(),
            number,
            id,
            entries,
            photos,
        }
    }

    /// Read one from text.
    ///
    /// # Errors
    /// A sentence: not JSON, nested deeper than [`DEEPEST`], another format, a field that is missing or
    /// unknown, no entries or more than [`MOST_ENTRIES`], an id that comes twice, a log that does not
    /// begin with what the customer said.
    pub fn read(text: &str) -> Result<Self, CoreError> {
        let bad = |message: String| Err(CoreError::entry("bad-bundle", "bundle", message));
        if deepest(text) > DEEPEST {
            return bad(format!("Nested deeper than {DEEPEST} levels: no job is."));
        }
        let value: serde_json::Value = match serde_json::from_str(text) {
            Ok(v) => v,
            Err(e) => return bad(format!("This is not a job as JSON: {e}.")),
        };
        match value.get("format").and_then(serde_json::Value::as_str) {
            Some(FORMAT) => {}
            Some(other) => {
                return bad(format!(
                    "This is in the format “{}”; “{FORMAT}” is read.",
                    other.chars().take(40).collect::<String>()
                ));
            }
            None => return bad(format!("No format is named; “{FORMAT}” is read.")),
        }
        let bundle: Self = match serde_json::from_value(value) {
            Ok(b) => b,
            Err(e) => return bad(format!("This is not a whole job: {e}.")),
        };
        if bundle.entries.is_empty() || bundle.entries.len() > MOST_ENTRIES {
            return bad(format!("A job has 1 to {MOST_ENTRIES} entries."));
        }
        if !matches!(bundle.entries[0].body, Body::Opened { .. }) {
            return bad("A job begins with what the customer said.".into());
        }
        let mut ids: Vec<Uuid> = bundle
            .entries
            .iter()
            .map(|e| e.id)
            .chain(bundle.photos.iter().map(|p| p.id))
            .collect();
        ids.sort_unstable();
        if ids.windows(2).any(|w| w[0] == w[1]) {
            return bad("An id comes twice.".into());
        }
        if bundle
            .entries
            .iter()
            .any(|e| e.by.trim().is_empty() || e.by.chars().count() > 80)
        {
            return bad("Every entry names who wrote it, in 1 to 80 letters.".into());
        }
        Ok(bundle)
    }

    /// The same job under fresh ids, for a shop that knows those of this one. `fresh` gives an id at
    /// every call. What entries say of each other goes along.
    pub fn renamed(&self, fresh: &mut dyn FnMut() -> Uuid) -> Self {
        let mut names: BTreeMap<String, String> = BTreeMap::new();
        let ids = self
            .entries
            .iter()
            .map(|e| e.id)
            .chain(self.photos.iter().map(|p| p.id));
        for id in std::iter::once(self.id).chain(ids) {
            names.insert(id.to_string(), fresh().to_string());
        }
        let mut value = serde_json::to_value(self).unwrap_or_default();
        rename(&mut value, &names);
        // the shape is unchanged, so it reads again
        serde_json::from_value(value).unwrap_or_else(|_| self.clone())
    }

    /// Packs the entries speak of: id and sticker.
    pub fn packs(&self) -> Vec<(Uuid, String)> {
        let mut found: BTreeMap<Uuid, String> = BTreeMap::new();
        for e in &self.entries {
            if let Body::Pack { pack, sticker } = &e.body {
                found.insert(*pack, sticker.clone());
            }
        }
        found.into_iter().collect()
    }

    /// The job it folds to here: what it releases at the gate does not count.
    pub fn fold(&self, catalogue: &Catalogue) -> Job {
        Job::fold_imported(catalogue, &self.entries, &[], i64::MAX)
    }
}

fn rename(value: &mut serde_json::Value, names: &BTreeMap<String, String>) {
    match value {
        serde_json::Value::String(s) => {
            if let Some(new) = names.get(s.as_str()) {
                s.clone_from(new);
            }
        }
        serde_json::Value::Array(list) => list.iter_mut().for_each(|v| rename(v, names)),
        serde_json::Value::Object(map) => map.values_mut().for_each(|v| rename(v, names)),
        _ => {}
    }
}

/// Deepest nesting of brackets outside of strings, without building anything.
fn deepest(text: &str) -> usize {
    let (mut depth, mut most, mut inside, mut escaped) = (0usize, 0usize, false, false);
    for b in text.bytes() {
        match b {
            _ if escaped => escaped = false,
            b'\\' if inside => escaped = true,
            b'"' => inside = !inside,
            b'{' | b'[' if !inside => {
                depth += 1;
                most = most.max(depth);
            }
            b'}' | b']' if !inside => depth = depth.saturating_sub(1),
            _ => {}
        }
    }
    most
}

#[cfg(test)]
mod tests {
    use super::*;

    fn opened() -> Logged {
        Logged {
            id: Uuid::from_u128(7),
            seq: 4711,
            at: OffsetDateTime::UNIX_EPOCH,
            by: "Pavo Renk".into(),
            body: Body::Opened {
                words: "One jerk".into(),
                volts_class: 48,
                drive: "geared-hub".into(),
                seconds: 0.0,
                from_job: None,
            },
        }
    }

    fn void(of: u128) -> Logged {
        Logged {
            id: Uuid::from_u128(9),
            body: Body::Void {
                entry: Uuid::from_u128(of),
                reason: "slip".into(),
            },
            ..opened()
        }
    }

    #[test]
    fn a_bundle_reads_back_as_it_was_written() {
        let b = Bundle::new(412, Uuid::from_u128(1), vec![opened(), void(7)], Vec::new());
        assert_eq!(b.entries[1].seq, 2);
        let text = serde_json::to_string(&b).unwrap();
        assert_eq!(Bundle::read(&text).unwrap(), b);
    }

    #[test]
    fn fresh_ids_keep_what_entries_say_of_each_other() {
        let b = Bundle::new(412, Uuid::from_u128(1), vec![opened(), void(7)], Vec::new());
        let mut next = 100;
        let r = b.renamed(&mut || {
            next += 1;
            Uuid::from_u128(next)
        });
        let Body::Void { entry, .. } = r.entries[1].body else {
            panic!("{r:?}")
        };
        assert_eq!(entry, r.entries[0].id);
        assert_ne!(entry, b.entries[0].id);
    }

    #[test]
    fn what_is_no_job_gets_a_sentence() {
        let b = Bundle::new(412, Uuid::from_u128(1), vec![opened()], Vec::new());
        let good = serde_json::to_string(&b).unwrap();
        let deep = format!("{}{}", "[".repeat(5000), "]".repeat(5000));
        for (text, part) in [
            ("{", "not a job as JSON"),
            ("{\"format\":\"pizza\"}", "in the format “pizza”"),
            ("{}", "No format is named"),
            (deep.as_str(), "Nested deeper"),
            (
                good.replace("\"number\"", "\"numero\"").as_str(),
                "not a whole job",
            ),
            (
                good.replace("\"opened\"", "\"resume\"").as_str(),
                "begins with",
            ),
        ] {
            let error = Bundle::read(text).unwrap_err().to_string();
            assert!(error.contains(part), "{error}");
        }
    }
}
