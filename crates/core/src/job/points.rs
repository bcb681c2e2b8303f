//! Readings at points named by hand, for a vehicle without a wiring model. The readings of an identical
//! working vehicle are the expected ones; whether two readings differ is judged by what the instrument
//! can tell.

use crate::job::entry::{ReadOn, ReadingResult, SheetPoint};
use crate::job::state::{Job, PointTaken};
use crate::reading::{self, Figure, Unit};
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

/// Where an expected value comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum Source {
    /// Measured on the identical vehicle in this job.
    Reference,
    /// From a kept sheet, and not measured again yet.
    Unverified,
    /// There is none.
    None,
}

/// What comparing a point says.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Verdict {
    /// Not read on this vehicle.
    Unread,
    /// Nothing to compare with.
    NoReference,
    /// Within what the instrument can tell.
    AsExpected,
    /// Lower.
    Low,
    /// Higher.
    High,
    /// One reads, the other does not, or not steadily.
    Differs,
}

/// A point with both readings.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct PointRow {
    /// Name.
    pub point: String,
    /// Unit.
    pub unit: Unit,
    /// Reading expected, as shown.
    pub expected: Option<String>,
    /// Where from.
    pub source: Source,
    /// Reading on this vehicle, as shown.
    pub reading: Option<String>,
    /// First reading on this vehicle, when it was read again later.
    pub first: Option<String>,
    /// Verdict.
    pub verdict: Verdict,
    /// The verdict's arithmetic.
    pub why: String,
    /// Entry of the present reading.
    pub entry: Option<Uuid>,
    /// Entry of the reference reading.
    pub reference_entry: Option<Uuid>,
}

/// What a hand multimeter may be off by, as share of the reading and digits of its last place: volts
/// 0.8 % + 2, ohms 1.2 % + 3, amps 2.0 % + 5 (common data of the class, not of one meter).
fn accuracy(unit: Unit) -> (f64, f64) {
    match unit {
        Unit::Volts => (0.008, 2.0),
        Unit::Ohms => (0.012, 3.0),
        Unit::Amps => (0.02, 5.0),
    }
}

/// Value of the last digit that was typed, SI: `4.70 k` → 10.
fn last_digit(typed: &str) -> f64 {
    let text = typed.trim().replace(',', ".");
    let start = text.find(|c: char| c.is_ascii_digit()).unwrap_or(0);
    let number: String = text[start..]
        .chars()
        .take_while(|c| c.is_ascii_digit() || *c == '.')
        .collect();
    let decimals = number.split_once('.').map_or(0, |(_, d)| d.len());
    let rest = &text[start + number.len()..];
    let inner = rest
        .chars()
        .skip(1)
        .take_while(char::is_ascii_digit)
        .count();
    let factor = match rest.trim().chars().next() {
        Some('k' | 'K') => 1e3,
        Some('M') => 1e6,
        Some('m') => 1e-3,
        _ => 1.0,
    };
    factor * 10f64.powi(-((decimals + inner) as i32))
}

/// Uncertainty of a reading, SI.
pub fn tolerance(value: f64, typed: &str, unit: Unit) -> f64 {
    let (share, digits) = accuracy(unit);
    // leads and contacts of a two-wire ohms reading differ by some tenths
    let leads = if unit == Unit::Ohms { 0.2 } else { 0.0 };
    value.abs() * share + digits * last_digit(typed) + leads
}

fn shown(result: ReadingResult, typed: &str, figure: Option<Figure>, unit: Unit) -> String {
    match (result, figure) {
        (ReadingResult::Figure, Some(f)) if f.over_range => "OL".into(),
        (ReadingResult::Figure, Some(f)) if (f.low - f.high).abs() < 1e-12 => {
            reading::show_text(f.low, unit)
        }
        (ReadingResult::Figure, Some(f)) => reading::show_range(f.low, f.high, unit),
        (ReadingResult::Figure, None) => typed.into(),
        (ReadingResult::Nothing, _) => "nothing".into(),
        (ReadingResult::NotSteady, _) => "not steady".into(),
        (ReadingResult::CannotReach, _) => "not reached".into(),
    }
}

struct Side<'a> {
    result: ReadingResult,
    typed: &'a str,
    figure: Option<Figure>,
}

fn compare(this: &Side<'_>, other: &Side<'_>, unit: Unit) -> (Verdict, String) {
    let (Some(a), Some(b)) = (this.figure, other.figure) else {
        return if this.result == other.result && this.result != ReadingResult::Figure {
            (Verdict::AsExpected, "Both alike.".into())
        } else {
            (
                Verdict::Differs,
                "One gives a figure, the other does not.".into(),
            )
        };
    };
    if a.over_range || b.over_range {
        return if a.over_range && b.over_range {
            (Verdict::AsExpected, "Both over range.".into())
        } else if a.over_range {
            (Verdict::High, "Open here, not on the working one.".into())
        } else {
            (
                Verdict::Low,
                "Not open here, open on the working one.".into(),
            )
        };
    }
    let limit = |x: f64, y: f64| tolerance(x, this.typed, unit) + tolerance(y, other.typed, unit);
    let apart = |x: f64, y: f64| (x - y, limit(x, y));
    let (low, low_limit) = apart(a.low, b.low);
    let (high, high_limit) = apart(a.high, b.high);
    let (difference, allowed) = if low.abs() - low_limit > high.abs() - high_limit {
        (low, low_limit)
    } else {
        (high, high_limit)
    };
    let why = format!(
        "{} apart, the meter may account for {}.",
        beside(difference.abs(), allowed, unit),
        reading::show_text(allowed, unit)
    );
    if difference.abs() <= allowed {
        (Verdict::AsExpected, why)
    } else if difference < 0.0 {
        (Verdict::Low, why)
    } else {
        (Verdict::High, why)
    }
}

/// A difference in the unit of what it is compared with, so that the two are seen side by side.
fn beside(difference: f64, allowed: f64, unit: Unit) -> String {
    if allowed >= 0.1 && difference < 0.1 {
        format!("{difference:.2} {}", unit.symbol())
    } else {
        reading::show_text(difference, unit)
    }
}

fn same(a: &str, b: &str) -> bool {
    a.trim().to_lowercase() == b.trim().to_lowercase()
}

/// All points of a job in the order they first came up.
pub fn rows(job: &Job) -> Vec<PointRow> {
    let mut names: Vec<(&str, Unit)> = Vec::new();
    let sheet = job.sheet.as_ref().map_or(&[][..], |s| &s.points);
    let named = sheet.iter().map(|p| (p.point.as_str(), p.unit));
    let read = job
        .points
        .iter()
        .filter(|p| !p.voided)
        .map(|p| (p.point.as_str(), p.unit));
    for (name, unit) in named.chain(read) {
        if !names.iter().any(|(n, u)| same(n, name) && *u == unit) {
            names.push((name, unit));
        }
    }
    names
        .into_iter()
        .map(|(point, unit)| row(job, sheet, point, unit))
        .collect()
}

fn row(job: &Job, sheet: &[SheetPoint], point: &str, unit: Unit) -> PointRow {
    let of = |on: ReadOn| {
        job.points
            .iter()
            .filter(move |p| !p.voided && p.on == on && same(&p.point, point) && p.unit == unit)
    };
    let text = |p: &PointTaken| shown(p.result, &p.typed, p.figure, unit);
    let this = of(ReadOn::This).next_back();
    let first = of(ReadOn::This).next();
    let reference = of(ReadOn::Reference).next_back();
    let kept = sheet
        .iter()
        .find(|p| same(&p.point, point) && p.unit == unit);
    let kept_figure = kept.and_then(|k| reading::parse(&k.expected, Some(unit)).ok());
    let other = reference
        .map(|r| Side {
            result: r.result,
            typed: &r.typed,
            figure: r.figure,
        })
        .or_else(|| {
            kept.map(|k| Side {
                result: ReadingResult::Figure,
                typed: &k.expected,
                figure: kept_figure,
            })
        });
    let (verdict, why) = match (this, &other) {
        (None, _) => (Verdict::Unread, String::new()),
        (Some(_), None) => (Verdict::NoReference, String::new()),
        (Some(t), Some(o)) => compare(
            &Side {
                result: t.result,
                typed: &t.typed,
                figure: t.figure,
            },
            o,
            unit,
        ),
    };
    PointRow {
        point: point.into(),
        unit,
        expected: other
            .as_ref()
            .map(|o| shown(o.result, o.typed, o.figure, unit)),
        source: match (reference, kept) {
            (Some(_), _) => Source::Reference,
            (None, Some(_)) => Source::Unverified,
            _ => Source::None,
        },
        reading: this.map(text),
        first: first
            .filter(|f| this.is_some_and(|t| t.mark.entry != f.mark.entry))
            .map(text),
        verdict,
        why,
        entry: this.map(|t| t.mark.entry),
        reference_entry: reference.map(|r| r.mark.entry),
    }
}

/// The points worth keeping for the next such vehicle: what the identical vehicle read.
pub fn keepable(job: &Job) -> Vec<SheetPoint> {
    rows(job)
        .into_iter()
        .filter_map(|r| {
            let taken = job
                .points
                .iter()
                .rev()
                .find(|p| Some(p.mark.entry) == r.reference_entry)?;
            (taken.result == ReadingResult::Figure).then(|| SheetPoint {
                point: r.point.clone(),
                unit: r.unit,
                expected: taken.typed.clone(),
            })
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn verdict(this: &str, other: &str, unit: Unit) -> Verdict {
        let side = |typed| Side {
            result: ReadingResult::Figure,
            typed,
            figure: reading::parse(typed, Some(unit)).ok(),
        };
        compare(&side(this), &side(other), unit).0
    }

    #[test]
    fn the_last_digit_typed_is_what_the_meter_could_tell() {
        for (typed, digit) in [
            ("5.02", 0.01),
            ("12", 1.0),
            ("4k7", 100.0),
            ("4.70 k", 10.0),
            ("92m", 1e-3),
            ("−0,2", 0.1),
        ] {
            assert!((last_digit(typed) / digit - 1.0).abs() < 1e-9, "{typed}");
        }
    }

    #[test]
    fn two_readings_differ_when_no_meter_explains_it() {
        assert_eq!(verdict("5.02", "4.98", Unit::Volts), Verdict::AsExpected);
        assert_eq!(verdict("4.71", "4.98", Unit::Volts), Verdict::Low);
        assert_eq!(verdict("1.4", "1.1", Unit::Ohms), Verdict::AsExpected);
        assert_eq!(verdict("OL", "1.1", Unit::Ohms), Verdict::High);
        assert_eq!(verdict("OL", "OL", Unit::Ohms), Verdict::AsExpected);
        assert_eq!(
            verdict("0.1..4.9", "0.1..4.9", Unit::Volts),
            Verdict::AsExpected
        );
        assert_eq!(verdict("4.8..4.9", "0.1..4.9", Unit::Volts), Verdict::High);
    }
}
