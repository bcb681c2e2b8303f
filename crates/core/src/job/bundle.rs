//! A job as it leaves one shop and comes into another: its whole log and its pictures in one JSON
//! document (format `spannung-job-2`). Entries count from 1 in the bundle, so that the same job gives
//! the same bytes wherever it lies. The customer's card is never in it.

use crate::catalogue::Catalogue;
use crate::error::{Code, CoreError};
use crate::job::entry;
use crate::job::entry::{Body, Logged};
use crate::job::state::Job;
use crate::job::{bounds, chain};
use serde::de::{SeqAccess, Visitor};
use serde::{Deserialize, Serialize};
use serde_json::value::RawValue;
use std::borrow::Cow;
use std::collections::BTreeMap;
use time::OffsetDateTime;
use utoipa::ToSchema;
use uuid::Uuid;

/// Name of the format, with its version.
pub const FORMAT: &str = "spannung-job-2";
/// Most entries of one job: some hundred are a long one.
pub const MOST_ENTRIES: usize = 5_000;
/// Largest entry as text.
pub const ENTRY_BYTES: usize = 256 * 1024;
/// Most pictures of one job.
pub const MOST_PHOTOS: usize = 400;
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
    /// Hash of the log's chain after its last entry, in hex: SHA-256 over the hash before and each entry
    /// as JSON with `seq` 0.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub chain: Option<String>,
}

/// The document's name of its format, read before anything else is.
#[derive(Deserialize)]
struct Named<'a> {
    #[serde(borrow, default)]
    format: Option<Cow<'a, str>>,
}

/// The document with its entries not read yet.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct RawBundle<'a> {
    #[serde(borrow)]
    format: Cow<'a, str>,
    number: i32,
    id: Uuid,
    #[serde(borrow, deserialize_with = "at_most::<_, _, MOST_ENTRIES>")]
    entries: Vec<&'a RawValue>,
    #[serde(borrow, deserialize_with = "at_most::<_, _, MOST_PHOTOS>")]
    photos: Vec<RawPhoto<'a>>,
    #[serde(default)]
    chain: Option<String>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct RawPhoto<'a> {
    id: Uuid,
    #[serde(with = "time::serde::rfc3339")]
    at: OffsetDateTime,
    by: String,
    width: i32,
    height: i32,
    #[serde(borrow)]
    jpeg: Cow<'a, str>,
}

/// A list that stops being read when it is longer than any may be.
fn at_most<'de, D, T, const MOST: usize>(from: D) -> Result<Vec<T>, D::Error>
where
    D: serde::Deserializer<'de>,
    T: Deserialize<'de>,
{
    struct Counted<T, const MOST: usize>(std::marker::PhantomData<T>);
    impl<'de, T: Deserialize<'de>, const MOST: usize> Visitor<'de> for Counted<T, MOST> {
        type Value = Vec<T>;
        fn expecting(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
            write!(f, "a list of at most {MOST}")
        }
        fn visit_seq<A: SeqAccess<'de>>(self, mut seq: A) -> Result<Self::Value, A::Error> {
            let mut out = Vec::new();
            while let Some(item) = seq.next_element()? {
                if out.len() == MOST {
                    return Err(serde::de::Error::custom(format!(
                        "more than {MOST} in a list"
                    )));
                }
                out.push(item);
            }
            Ok(out)
        }
    }
    from.deserialize_seq(Counted::<T, MOST>(std::marker::PhantomData))
}

impl Bundle {
    /// Put one together. `chain`: the hash that is kept of it; worked out here when there is none.
    pub fn new(
        number: i32,
        id: Uuid,
        entries: Vec<Logged>,
        photos: Vec<BundlePhoto>,
        chain: Option<String>,
    ) -> Self {
        let chain = chain.unwrap_or_else(|| chain::of(&entries));
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
            chain: Some(chain),
        }
    }

    /// Read one from text: counted and measured while it is read, so that a document that is no job is let
    /// go before it takes up room.
    ///
    /// # Errors
    /// A sentence: not JSON, nested deeper than [`DEEPEST`], another format, a field that is missing or
    /// unknown, no entries or more than [`MOST_ENTRIES`], an entry larger than [`ENTRY_BYTES`], more than
    /// [`MOST_PHOTOS`] pictures, an id that comes twice, a chain that does not fit the entries, a log that does not begin with what the customer
    /// said.
    pub fn read(text: &str) -> Result<Self, CoreError> {
        let bad = |message: String| CoreError::entry(Code::BadBundle, "bundle", message);
        if deepest(text) > DEEPEST {
            return Err(bad(format!(
                "Nested deeper than {DEEPEST} levels: no job is."
            )));
        }
        let named: Named<'_> = serde_json::from_str(text)
            .map_err(|e| bad(format!("This is not a job as JSON: {e}.")))?;
        match named.format.as_deref() {
            Some(FORMAT) => {}
            Some(other) => {
                return Err(bad(format!(
                    "This is in the format “{}”; “{FORMAT}” is read.",
                    other.chars().take(40).collect::<String>()
                )));
            }
            None => return Err(bad(format!("No format is named; “{FORMAT}” is read."))),
        }
        let whole = |e: serde_json::Error| bad(format!("This is not a whole job: {e}."));
        let raw: RawBundle<'_> = serde_json::from_str(text).map_err(whole)?;
        if raw.entries.is_empty() {
            return Err(bad(format!("A job has 1 to {MOST_ENTRIES} entries.")));
        }
        let mut entries: Vec<Logged> = Vec::with_capacity(raw.entries.len());
        for (k, entry) in raw.entries.iter().enumerate() {
            if entry.get().len() > ENTRY_BYTES {
                return Err(bad(format!(
                    "Entry {} is larger than {} kB: no entry is.",
                    k + 1,
                    ENTRY_BYTES / 1024
                )));
            }
            entries.push(serde_json::from_str(entry.get()).map_err(whole)?);
        }
        if !matches!(entries[0].body, Body::Opened(_)) {
            return Err(bad("A job begins with what the customer said.".into()));
        }
        let photos: Vec<BundlePhoto> = raw
            .photos
            .into_iter()
            .map(|p| BundlePhoto {
                id: p.id,
                at: p.at,
                by: p.by,
                width: p.width,
                height: p.height,
                jpeg: p.jpeg.into_owned(),
            })
            .collect();
        let mut ids: Vec<Uuid> = entries
            .iter()
            .map(|e| e.id)
            .chain(photos.iter().map(|p| p.id))
            .collect();
        ids.sort_unstable();
        if ids.windows(2).any(|w| w[0] == w[1]) {
            return Err(bad("An id comes twice.".into()));
        }
        for e in &mut entries {
            // as the database keeps it
            let micro = e.at.microsecond();
            e.at = e.at.to_offset(time::UtcOffset::UTC);
            e.at = e.at.replace_microsecond(micro).unwrap_or(e.at);
        }
        let kept = raw.chain.filter(|c| *c != chain::of(&entries));
        if kept.is_some() {
            return Err(bad(
                "The chain does not fit the entries: something was changed after it left.".into(),
            ));
        }
        let named = |by: &str| {
            let letters = by.trim().chars().count();
            (1..=80).contains(&letters) && by.chars().count() <= 80 && bounds::text(by).is_ok()
        };
        if !(entries.iter().all(|e| named(&e.by)) && photos.iter().all(|p| named(&p.by))) {
            return Err(bad(
                "Everything names who wrote it, in 1 to 80 letters.".into()
            ));
        }
        Ok(Self {
            format: raw.format.into_owned(),
            number: raw.number,
            id: raw.id,
            chain: Some(chain::of(&entries)),
            entries,
            photos,
        })
    }

    /// The same job under fresh ids, for a shop that knows those of this one. `fresh` gives an id at
    /// every call. What entries say of each other goes along.
    pub fn renamed(self, fresh: &mut dyn FnMut() -> Uuid) -> Self {
        let mut names: BTreeMap<String, String> = BTreeMap::new();
        let ids = self
            .entries
            .iter()
            .map(|e| e.id)
            .chain(self.photos.iter().map(|p| p.id));
        for id in std::iter::once(self.id).chain(ids) {
            names.insert(id.to_string(), fresh().to_string());
        }
        let new = |id: Uuid| {
            let found = names.get(&id.to_string()).and_then(|n| n.parse().ok());
            found.unwrap_or(id)
        };
        let entries = self.entries.into_iter().map(|e| {
            let mut value = serde_json::to_value(&e.body).unwrap_or_default();
            rename(&mut value, &names);
            Logged {
                id: new(e.id),
                // the shape is unchanged, so it reads again
                body: serde_json::from_value(value).unwrap_or(e.body),
                ..e
            }
        });
        let entries: Vec<Logged> = entries.collect();
        Self {
            id: new(self.id),
            chain: Some(chain::of(&entries)),
            entries,
            photos: self
                .photos
                .into_iter()
                .map(|p| BundlePhoto { id: new(p.id), ..p })
                .collect(),
            ..self
        }
    }

    /// Packs the entries speak of: id and sticker.
    pub fn packs(&self) -> Vec<(Uuid, String)> {
        let mut found: BTreeMap<Uuid, String> = BTreeMap::new();
        for e in &self.entries {
            if let Body::Pack(entry::Pack { pack, sticker, .. }) = &e.body {
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
            by_id: None,
            body: Body::Opened(entry::Opened {
                words: "One jerk".into(),
                volts_class: 48,
                drive: "geared-hub".into(),
                seconds: 0.0,
                from_job: None,
            }),
        }
    }

    fn void(of: u128) -> Logged {
        Logged {
            id: Uuid::from_u128(9),
            body: Body::Void(entry::Void {
                entry: Uuid::from_u128(of),
                reason: "slip".into(),
            }),
            ..opened()
        }
    }

    #[test]
    fn a_bundle_reads_back_as_it_was_written() {
        let b = Bundle::new(
            412,
            Uuid::from_u128(1),
            vec![opened(), void(7)],
            Vec::new(),
            None,
        );
        assert_eq!(b.entries[1].seq, 2);
        let text = serde_json::to_string(&b).unwrap();
        assert_eq!(Bundle::read(&text).unwrap(), b);
    }

    #[test]
    fn fresh_ids_keep_what_entries_say_of_each_other() {
        let b = Bundle::new(
            412,
            Uuid::from_u128(1),
            vec![opened(), void(7)],
            Vec::new(),
            None,
        );
        let mut next = 100;
        let r = b.clone().renamed(&mut || {
            next += 1;
            Uuid::from_u128(next)
        });
        let Body::Void(entry::Void { entry, .. }) = r.entries[1].body else {
            panic!("{r:?}")
        };
        assert_eq!(entry, r.entries[0].id);
        assert_ne!(entry, b.entries[0].id);
    }

    #[test]
    fn an_entry_that_was_changed_shows_in_the_chain() {
        let b = Bundle::new(
            412,
            Uuid::from_u128(1),
            vec![opened(), void(7)],
            Vec::new(),
            None,
        );
        let text = serde_json::to_string(&b).unwrap();
        let error = Bundle::read(&text.replace("slip", "slap")).unwrap_err();
        assert!(
            error.to_string().contains("changed after it left"),
            "{error}"
        );
        // without a chain it is a document from before there was one
        let bare = Bundle { chain: None, ..b };
        let text = serde_json::to_string(&bare).unwrap();
        assert!(Bundle::read(&text.replace("slip", "slap")).is_ok());
    }

    #[test]
    fn a_document_of_millions_of_entries_is_let_go_while_it_is_read() {
        let head = "{\"format\":\"spannung-job-2\",\"number\":1,\"id\":\"00000000-0000-0000-0000-000000000001\",\"entries\":[";
        let text = format!("{head}{}0],\"photos\":[]}}", "0,".repeat(1_000_000));
        let error = Bundle::read(&text).unwrap_err().to_string();
        assert!(error.contains("more than 5000"), "{error}");
        let text = format!("{head}\"{}\"],\"photos\":[]}}", "x".repeat(300_000));
        let error = Bundle::read(&text).unwrap_err().to_string();
        assert!(error.contains("Entry 1 is larger"), "{error}");
    }

    #[test]
    fn what_is_no_job_gets_a_sentence() {
        let b = Bundle::new(412, Uuid::from_u128(1), vec![opened()], Vec::new(), None);
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
