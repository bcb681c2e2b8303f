//! The record: every line of the log in plain words, and the readings as a table.

use crate::catalogue::Catalogue;
use crate::job::Job;
use crate::job::entry::kind::{Book, TestName};
use crate::job::entry::{Body, Logged};
use crate::job::state::{Whose, between};
use serde::Serialize;
use std::collections::BTreeMap;
use utoipa::ToSchema;
use uuid::Uuid;

/// A line of the record.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Line {
    /// Entry.
    pub entry: Uuid,
    /// Sequence.
    pub seq: i64,
    /// When.
    #[serde(with = "time::serde::rfc3339")]
    pub at: time::OffsetDateTime,
    /// Who.
    pub by: String,
    /// Kind of entry.
    pub kind: String,
    /// In words.
    pub text: String,
    /// Value at the right: figure, minutes or price.
    pub value: String,
    /// An instant it speaks of, shown behind the value: end of a wait, promise, re-check.
    #[serde(with = "time::serde::rfc3339::option")]
    pub when: Option<time::OffsetDateTime>,
    /// Struck out, with the reason.
    pub voided: Option<String>,
    /// Can be struck out.
    pub can_be_struck_out: bool,
}

/// Names that the record of these entries writes with.
struct Names<'a> {
    catalogue: &'a Catalogue,
    entries: &'a [Logged],
    test: TestName<'a>,
    job: Job,
}

impl Names<'_> {
    /// Do something with the book that these names make.
    fn book<T>(&self, with: impl FnOnce(&Book<'_>) -> T) -> T {
        with(&Book {
            catalogue: self.catalogue,
            test: self.test,
            job: &self.job,
            entry: &|id| self.entry(id),
            item: &|key| self.item(key),
        })
    }

    /// What another entry says. None for one that strikes out itself: an older log may hold a ring of them.
    fn entry(&self, id: Uuid) -> Option<String> {
        let of = self.entries.iter().find(|e| e.id == id)?;
        if matches!(of.body, Body::Void(_)) {
            return None;
        }
        Some(self.book(|book| of.body.kind().said(book).text))
    }

    /// Name of an open item or check by its key.
    fn item(&self, key: &str) -> String {
        let proof = &self.catalogue.proof;
        if let Some(check) = proof.find(key) {
            return check.name.clone();
        }
        if let Some(rest) = key.strip_prefix("consumable.") {
            let what = rest.split_once('.').map_or(rest, |(_, w)| w);
            return what.replace('-', " ");
        }
        let written = self.entries.iter().find(|e| e.id.to_string() == key);
        match written.map(|e| &e.body) {
            Some(Body::OpenItem(open)) => {
                let kind = proof.item(&open.item);
                let name = kind.map_or(open.item.clone(), |i| i.name.to_lowercase());
                format!("{name}, {}", open.what)
            }
            _ => key.into(),
        }
    }
}

/// Entries that are struck out, with the reasons.
fn struck_out(entries: &[Logged]) -> BTreeMap<Uuid, &str> {
    let strikes = entries.iter().filter_map(|e| match &e.body {
        Body::Void(strike) => Some((strike.entry, strike.reason.as_str())),
        _ => None,
    });
    strikes.collect()
}

/// The lines of a job's record, in the order of the log.
pub fn lines(catalogue: &Catalogue, entries: &[Logged], test_name: TestName<'_>) -> Vec<Line> {
    let struck_out = struck_out(entries);
    let names = Names {
        catalogue,
        entries,
        test: test_name,
        job: Job::fold(catalogue, entries, &[]),
    };
    let line = |e: &Logged, book: &Book<'_>| {
        let kind = e.body.kind();
        let said = kind.said(book);
        Line {
            entry: e.id,
            seq: e.seq,
            at: e.at,
            by: e.by.clone(),
            kind: kind.word().into(),
            text: said.text,
            value: said.value,
            when: kind.speaks_of(),
            can_be_struck_out: kind.can_be_struck_out() && !struck_out.contains_key(&e.id),
            voided: struck_out.get(&e.id).map(|r| (*r).to_string()),
        }
    };
    names.book(|book| entries.iter().map(|e| line(e, book)).collect())
}

/// Minutes somebody spent.
#[derive(Debug, Clone, PartialEq)]
pub struct Spent {
    /// When.
    pub at: time::OffsetDateTime,
    /// Who.
    pub by: String,
    /// Minutes; a correction may be below zero.
    pub minutes: f64,
    /// What for.
    pub what: String,
}

/// The minutes of a job line by line: tests, parts, other work, and what clocks counted. What was done
/// while its person's clock ran is in the clock's time and stands with 0.
pub fn time(entries: &[Logged], test_name: TestName<'_>) -> Vec<Spent> {
    let struck_out = struck_out(entries);
    let mut running: BTreeMap<Whose, (time::OffsetDateTime, &str)> = BTreeMap::new();
    let mut out = Vec::new();
    for e in entries.iter().filter(|e| !struck_out.contains_key(&e.id)) {
        let mut spent = |by: &str, minutes: f64, what: String| {
            out.push(Spent {
                at: e.at,
                by: by.into(),
                minutes,
                what,
            });
        };
        let whose = Whose::of(&e.mark());
        match &e.body {
            Body::Minutes(other) => spent(&e.by, other.minutes, other.what.clone()),
            Body::Clock(clock) if clock.run => {
                running.entry(whose).or_insert((e.at, &e.by));
            }
            Body::Clock(_) => {
                if let Some((since, _)) = running.remove(&whose) {
                    spent(&e.by, between(since, e.at), "clock".into());
                }
            }
            Body::Close(_) => {
                for (since, by) in std::mem::take(&mut running).into_values() {
                    spent(by, between(since, e.at), "clock".into());
                }
            }
            other => {
                if let Some(work) = other.kind().worked(test_name) {
                    let inside = running.contains_key(&whose);
                    spent(&e.by, if inside { 0.0 } else { work.minutes }, work.what);
                }
            }
        }
    }
    out
}

/// A text cell that no spreadsheet takes for a formula: a quote before `=`, `+`, `-`, `@`, tab or
/// return. Figures are written as figures elsewhere and stay untouched.
pub fn guarded(text: &str) -> String {
    if text.starts_with(['=', '+', '-', '@', '\t', '\r']) {
        format!("'{text}")
    } else {
        text.to_string()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn formulas_are_guarded() {
        assert_eq!(guarded("=1+2"), "'=1+2");
        assert_eq!(guarded("@sum"), "'@sum");
        assert_eq!(guarded("Hall supply"), "Hall supply");
    }
}
