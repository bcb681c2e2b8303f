//! The evidence strip: what was read and seen, judged against what it should be.

use super::Weighed;
use super::taken::{as_asked, caused_by_set_up, typed_text};
use crate::diagnosis::column::Column;
use crate::diagnosis::evidence::{Answer, Item};
use crate::diagnosis::explain;
use crate::diagnosis::repertoire::{self, Kind, Test};
use crate::job::entry::ReadingResult;
use crate::job::state::{Taken, state_words};
use crate::job::view::Tile;
use crate::reading;

impl Weighed<'_> {
    pub(super) fn item_name(&self, item: usize) -> String {
        match &self.evidence[item].item {
            Item::Symptom { id, yes, .. } => {
                let name = self
                    .catalogue
                    .symptom(id)
                    .map_or(id.clone(), |s| s.name.clone());
                if *yes {
                    name
                } else {
                    format!("Not: {}", name.to_lowercase())
                }
            }
            Item::Risk { id, yes } => {
                let risk = self.catalogue.risks.iter().find(|r| &r.id == id);
                let name = risk.map_or(id.clone(), |r| r.name.clone());
                if *yes {
                    name
                } else {
                    format!("Not: {}", name.to_lowercase())
                }
            }
            Item::Failed { class, .. } => {
                format!(
                    "{}: repaired, and it still shows",
                    self.model.classes[*class].name
                )
            }
            Item::NotBuilt { case } => {
                format!("Not so: {}", self.model.cases[*case].name.to_lowercase())
            }
            Item::ByHand { out, .. } => {
                if *out {
                    "Ruled out by hand".into()
                } else {
                    "Ruled in by hand".into()
                }
            }
            Item::Test { test, answer, .. } => {
                let t = &self.model.tests[*test];
                format!("{}: {}", t.name, self.answer_text(t, answer))
            }
        }
    }

    pub(super) fn answer_text(&self, test: &Test, answer: &Answer) -> String {
        match (answer, &test.kind) {
            (
                Answer::Outcome(k, place),
                Kind::Procedure {
                    outcomes, places, ..
                },
            ) => {
                let words = outcomes.get(*k).map_or("", |o| &o.1);
                let place = place.and_then(|p| places.get(p));
                self.seen_at(words, place.map(String::as_str))
            }
            (Answer::Figure { low, high }, Kind::Probe(p)) => {
                if (low - high).abs() < 1e-12 {
                    reading::show_text(*low, p.unit())
                } else {
                    reading::show_range(*low, *high, p.unit())
                }
            }
            (Answer::OverRange, _) => "OL".into(),
            (Answer::Nothing, _) => "reads nothing".into(),
            (Answer::NotSteady, _) => "not steady".into(),
            _ => "could not be told".into(),
        }
    }

    /// What was seen, with the place where.
    fn seen_at(&self, words: &str, place: Option<&str>) -> String {
        let family = &self.model.profile.family;
        match place {
            Some(place) => format!("{words}: {}", family.hangs_on(place)),
            None => words.to_owned(),
        }
    }

    pub(super) fn tiles(&self) -> Vec<Tile> {
        let m = self.model;
        let surprising = explain::surprising(&self.belief).map(|i| self.evidence[i].entry.clone());
        self.job
            .taken
            .iter()
            .enumerate()
            .map(|(k, t)| {
                let index = repertoire::find(&m.tests, &t.test);
                let name = index.map_or_else(|| t.test.clone(), |i| m.tests[i].name.clone());
                let (value, mark, words) = match index {
                    Some(i) => self.judge(i, t),
                    None => (t.typed.clone(), "none", String::new()),
                };
                let differs = index.is_some_and(|i| {
                    matches!(m.tests[i].kind, Kind::Probe(_)) && !as_asked(&m.tests[i], &t.state)
                });
                Tile {
                    entry: t.entry,
                    number: k + 1,
                    test: t.test.clone(),
                    name,
                    value,
                    mark: mark.into(),
                    words,
                    state: if differs {
                        state_words(&t.state)
                    } else {
                        String::new()
                    },
                    voided: t.voided,
                    surprising: surprising.as_deref() == Some(&t.entry.to_string()),
                    by: t.by.clone(),
                    at: t.at,
                }
            })
            .collect()
    }

    /// Value, mark and words of a taken reading.
    pub fn judge(&self, test: usize, taken: &Taken) -> (String, &'static str, String) {
        let spec = &self.model.tests[test];
        match (&spec.kind, taken.result) {
            (Kind::Procedure { outcomes, .. }, _) => {
                let place = outcomes.iter().position(|o| o.0 == taken.typed);
                if let Some((plug, k)) = caused_by_set_up(self.model, taken, test).zip(place) {
                    let words = format!("from the {} apart", plug.to_lowercase());
                    return (outcomes[k].1.clone(), "none", words);
                }
                match place {
                    Some(0) => (outcomes[0].1.clone(), "expected", String::new()),
                    Some(k) => {
                        let seen = self.seen_at(&outcomes[k].1, taken.place.as_deref());
                        (seen, "off", String::new())
                    }
                    None => ("cannot tell".into(), "none", String::new()),
                }
            }
            (_, Some(ReadingResult::NotSteady)) => ("not steady".into(), "unsteady", String::new()),
            (_, Some(ReadingResult::Nothing)) => {
                ("nothing".into(), "nothing", "reads nothing".into())
            }
            (_, Some(ReadingResult::CannotReach)) => ("not reached".into(), "none", String::new()),
            (Kind::Probe(p), _) => {
                let Some(f) = taken.figure else {
                    return (taken.typed.clone(), "none", String::new());
                };
                let value = typed_text(&taken.typed, f, p.unit());
                let expected = if as_asked(spec, &taken.state) {
                    explain::expected(self.model, test)
                } else {
                    self.evidence
                        .iter()
                        .find(|e| e.entry == taken.entry.to_string())
                        .and_then(|e| match &e.item {
                            Item::Test {
                                taken_in: Some(taken),
                                ..
                            } => match &*taken.column {
                                Column::Figures {
                                    scale,
                                    readings,
                                    dims,
                                    ..
                                } => Some(explain::expected_of(
                                    p,
                                    *scale,
                                    &readings.healthy,
                                    *dims,
                                    &self.model.variances,
                                )),
                                Column::Outcomes { .. } => None,
                            },
                            _ => None,
                        })
                };
                match expected {
                    Some(e) if e.holds(f.low, f.high) => (value, "expected", String::new()),
                    Some(e) => {
                        let words = if e.changes
                            && (f.high - f.low).abs() < 0.2 * (e.high.1 - e.low.0).abs()
                        {
                            if f.low > e.low.1 {
                                "stays high"
                            } else {
                                "stays low"
                            }
                        } else if f.over_range {
                            "open"
                        } else if f.high < e.low.0 || f.high < e.high.0 {
                            "low"
                        } else {
                            "high"
                        };
                        (value, "off", words.into())
                    }
                    None => (value, "none", String::new()),
                }
            }
        }
    }
}
