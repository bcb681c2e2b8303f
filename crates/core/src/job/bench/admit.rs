//! Does a reading, look or passing-over fit this vehicle's tests?

use super::Weighed;
use crate::diagnosis::column::Column;
use crate::diagnosis::explain;
use crate::diagnosis::repertoire::{self, Kind};
use crate::error::{Code, CoreError};
use crate::job::entry;
use crate::job::entry::{Body, ReadingResult};
use crate::job::gate::Standing;
use crate::reading::{self, Figure, Unit};

impl Weighed<'_> {
    /// Is this figure more than anything could show here?
    ///
    /// # Errors
    /// The sentence for the field, with the figure that may have been meant.
    pub fn improbable(&self, test: usize, figure: Figure) -> Result<(), CoreError> {
        let m = self.model;
        let (
            Kind::Probe(p),
            Column::Figures {
                scale,
                readings,
                dims,
                ..
            },
        ) = (&m.tests[test].kind, &*m.columns[test])
        else {
            return Ok(());
        };
        if figure.over_range {
            return Ok(());
        }
        let absurd = |message: String| Err(CoreError::entry(Code::AbsurdReading, "typed", message));
        let shown = reading::show_text(figure.high, p.unit());
        if p.unit() == Unit::Ohms {
            return if figure.low < -0.5 {
                absurd(format!("{shown} cannot be: ohms are never below zero."))
            } else {
                Ok(())
            };
        }
        let d = dims - 1;
        let top = |x: &crate::diagnosis::scale::Prediction| {
            (x.mean[d] + 4.0 * x.spread[d] + (0.15 * x.slope(d)).abs())
                .abs()
                .max(x.mean[0].abs())
        };
        let most = readings.each().map(top).fold(0.05, f64::max);
        let size = figure.high.abs().max(figure.low.abs());
        if size <= 1.3 * most + 4.0 * scale.instrument(most) {
            return Ok(());
        }
        let meant = [10.0, 100.0, 1000.0]
            .iter()
            .map(|f| figure.high / f)
            .find(|v| {
                explain::expected(m, test).is_some_and(|e| {
                    v.abs() <= most * 1.05 && (e.holds(*v, *v) || (e.changes && *v <= e.high.1))
                })
            });
        let hint = meant.map_or_else(
            || format!("At most {} can be.", reading::show_text(most, p.unit())),
            |v| format!("{}?", reading::show_text(v, p.unit())),
        );
        let typed = meant.map(|v| reading::typed(v, p.unit()));
        absurd(format!("{shown} cannot be here. {hint}")).map_err(|e| e.suggesting(typed))
    }

    /// Is the test known, may this person do it now, are its preconditions confirmed, is the figure
    /// possible?
    ///
    /// # Errors
    /// A sentence with a code.
    pub fn admit(&self, body: &Body) -> Result<(), CoreError> {
        let (id, probe) = match body {
            Body::Reading(entry::Reading { test, .. }) => (test, true),
            Body::Check(entry::Check { test, .. }) => (test, false),
            Body::Skip(entry::Skip { test, .. }) => {
                return match repertoire::find(&self.model.tests, test) {
                    Some(_) => Ok(()),
                    None => Err(CoreError::entry(
                        Code::UnknownTest,
                        "test",
                        format!("This vehicle has no test “{test}”."),
                    )),
                };
            }
            _ => return Ok(()),
        };
        let Some(k) = repertoire::find(&self.model.tests, id) else {
            return Err(CoreError::entry(
                Code::UnknownTest,
                "test",
                format!("This vehicle has no test “{id}”."),
            ));
        };
        let test = &self.model.tests[k];
        match (&test.kind, probe) {
            (Kind::Probe(_), false) => {
                return Err(CoreError::entry(
                    Code::NotACheck,
                    "test",
                    format!("“{}” is read with a meter.", test.name),
                ));
            }
            (Kind::Procedure { .. }, true) => {
                return Err(CoreError::entry(
                    Code::NotAProbe,
                    "test",
                    format!("“{}” is answered, not measured.", test.name),
                ));
            }
            _ => {}
        }
        if let Some(reason) = self.blocked(test) {
            let code = if self.standing == Standing::Open {
                Code::NotAllowed
            } else {
                Code::GateClosed
            };
            return Err(CoreError::entry(code, "test", reason));
        }
        let reached = !matches!(
            body,
            Body::Reading(entry::Reading {
                result: ReadingResult::CannotReach,
                ..
            })
        );
        if let Some(need) = test
            .needs
            .iter()
            .find(|n| !self.job.confirmed.contains_key(*n))
            .filter(|_| reached)
        {
            let family = Some(&self.model.profile.family);
            let spec = self.catalogue.need(need);
            let ask = spec.map_or(need.as_str(), |n| n.ask_for(family));
            return Err(CoreError::entry(
                Code::NeedOpen,
                "test",
                format!("Confirm first: {ask}"),
            ));
        }
        match body {
            Body::Check(entry::Check { outcome, place, .. }) => {
                let Kind::Procedure {
                    outcomes, places, ..
                } = &test.kind
                else {
                    return Ok(());
                };
                let known = outcomes.iter().position(|o| &o.0 == outcome);
                if known.is_none() && outcome != "cannot-tell" {
                    return Err(CoreError::entry(
                        Code::UnknownOutcome,
                        "outcome",
                        format!("“{outcome}” is no answer to {}.", test.name),
                    ));
                }
                let Some(place) = place else {
                    return Ok(());
                };
                if known.is_none_or(|k| k == 0) {
                    return Err(CoreError::entry(
                        Code::UnknownOutcome,
                        "place",
                        format!("“{outcome}” is seen nowhere: leave out where."),
                    ));
                }
                if !places.contains(place) {
                    return Err(CoreError::entry(
                        Code::UnknownOutcome,
                        "place",
                        format!("{} does not go over “{place}” on this vehicle.", test.name),
                    ));
                }
                Ok(())
            }
            Body::Reading(entry::Reading {
                result: ReadingResult::Figure,
                typed,
                insisted,
                ..
            }) if !insisted => {
                let unit = match &test.kind {
                    Kind::Probe(p) => p.unit(),
                    Kind::Procedure { .. } => return Ok(()),
                };
                let figure = reading::parse(typed, Some(unit))
                    .map_err(|e| CoreError::entry(Code::BadReading, "typed", e.to_string()))?;
                self.improbable(k, figure)
            }
            _ => Ok(()),
        }
    }
}
