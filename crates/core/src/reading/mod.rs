//! Figures as people type them: `46.8`, `46,8 V`, `92m`, `4k7`, `OL`, `0.9..4.2`, `-0.2`.
//!
//! The page has a small parser of its own for the live pointer; both are held to
//! `data/reading-cases.json`.

pub mod scaled;

use crate::error::CoreError;
use serde::{Deserialize, Serialize};

/// Unit a figure is in, SI.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum Unit {
    /// Volts.
    Volts,
    /// Ohms.
    Ohms,
    /// Amps.
    Amps,
}

impl Unit {
    /// Symbol.
    pub fn symbol(self) -> &'static str {
        match self {
            Self::Volts => "V",
            Self::Ohms => "Ω",
            Self::Amps => "A",
        }
    }

    fn plural(self) -> &'static str {
        match self {
            Self::Volts => "volts",
            Self::Ohms => "ohms",
            Self::Amps => "amps",
        }
    }
}

/// A figure read: one value, a range of a changing signal, or over range.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Figure {
    /// Lowest value, SI; the same as `high` for a steady reading.
    pub low: f64,
    /// Highest value, SI.
    pub high: f64,
    /// The meter showed OL.
    pub over_range: bool,
    /// Unit.
    pub unit: Unit,
}

impl Figure {
    /// As it is shown: with its unit, lowest to highest where it changed.
    pub fn shown(&self) -> String {
        if self.over_range {
            "OL".into()
        } else {
            show_range(self.low, self.high, self.unit)
        }
    }
}

/// Largest figure that any meter in this trade shows, SI.
const LARGEST: f64 = 1e9;

/// Read what was typed. `expected` is the unit of the point; `None` when any unit may come, and then
/// a bare number is refused.
///
/// # Errors
/// A sentence that says what is wrong and what is accepted: empty, no figure, a unit that does not
/// belong to this point, a bare number where no unit is known, a range that runs backwards.
pub fn parse(text: &str, expected: Option<Unit>) -> Result<Figure, CoreError> {
    let fail = |m: String| Err(CoreError::Reading(m));
    let typed = text.trim();
    if typed.is_empty() {
        return fail("Nothing typed. Give a figure such as 46.8, 92m, 4k7 or OL.".into());
    }
    let lower = typed.to_lowercase();
    if matches!(lower.as_str(), "ol" | "o.l" | "o.l." | "0l" | "open" | "∞") {
        let unit = expected.unwrap_or(Unit::Ohms);
        if unit != Unit::Ohms && unit != Unit::Volts {
            return fail("OL belongs to ohms and diodes; this point is read in amps.".into());
        }
        return Ok(Figure {
            low: f64::INFINITY,
            high: f64::INFINITY,
            over_range: true,
            unit,
        });
    }
    if let Some((low, high)) = typed.split_once("..") {
        let high_value = one(high, typed)?;
        let low_value = one(low, typed)?;
        let unit = unit_of(high_value.1.or(low_value.1), expected, typed)?;
        if low_value.1.is_some_and(|u| u != unit) {
            return fail(format!("“{typed}” mixes two units."));
        }
        if low_value.0 > high_value.0 {
            return fail(format!(
                "“{typed}” runs backwards. Give the lower figure first."
            ));
        }
        return Ok(Figure {
            low: low_value.0,
            high: high_value.0,
            over_range: false,
            unit,
        });
    }
    let (value, unit) = one(typed, typed)?;
    let unit = unit_of(unit, expected, typed)?;
    Ok(Figure {
        low: value,
        high: value,
        over_range: false,
        unit,
    })
}

fn unit_of(given: Option<Unit>, expected: Option<Unit>, typed: &str) -> Result<Unit, CoreError> {
    match (given, expected) {
        (Some(g), Some(e)) if g != e => Err(CoreError::Reading(format!(
            "“{typed}” is in {}; this point is read in {}.",
            g.plural(),
            e.plural()
        ))),
        (Some(g), _) => Ok(g),
        (None, Some(e)) => Ok(e),
        (None, None) => Err(CoreError::Reading(format!(
            "{typed} what? Give volts or ohms: {typed} V, 4k7."
        ))),
    }
}

/// One number with an optional multiplier and unit.
fn one(text: &str, typed: &str) -> Result<(f64, Option<Unit>), CoreError> {
    let bad = || {
        CoreError::Reading(format!(
            "“{typed}” is not a reading. Give a figure such as 46.8, 92m, 4k7, 0.9..4.2 or OL."
        ))
    };
    let text = text.trim();
    let (negative, rest) = match text.strip_prefix(['-', '−']) {
        Some(rest) => (true, rest),
        None => (false, text.strip_prefix('+').unwrap_or(text)),
    };
    let end = rest
        .find(|c: char| !c.is_ascii_digit() && c != '.' && c != ',')
        .unwrap_or(rest.len());
    let (number, tail) = rest.split_at(end);
    if number.chars().filter(|c| *c == '.' || *c == ',').count() > 1
        || !number.contains(|c: char| c.is_ascii_digit())
    {
        return Err(bad());
    }
    let mut digits = number.replace(',', ".");
    let mut tail = tail.trim().to_string();
    // 4k7, 2R2: the multiplier stands for the decimal point
    let mut chars = tail.chars();
    if let Some(mark) = chars
        .next()
        .filter(|c| matches!(c, 'k' | 'K' | 'R' | 'r' | 'M'))
    {
        let after = chars.as_str();
        let inner = after
            .find(|c: char| !c.is_ascii_digit())
            .unwrap_or(after.len());
        if inner > 0 {
            if digits.contains('.') {
                return Err(bad());
            }
            digits = format!("{digits}.{}", &after[..inner]);
            tail = format!("{mark}{}", &after[inner..]);
        }
    }
    let (factor, unit) = suffix(&tail).ok_or_else(bad)?;
    let value: f64 = digits.parse().map_err(|_| bad())?;
    let value = if negative { -value } else { value } * factor;
    if value.abs() > LARGEST {
        return Err(CoreError::Reading(format!(
            "“{typed}” is more than any meter shows."
        )));
    }
    Ok((value, unit))
}

/// Multiplier and unit of what follows the digits.
fn suffix(tail: &str) -> Option<(f64, Option<Unit>)> {
    let tail = tail.trim();
    let unit_word = |w: &str| -> Option<Option<Unit>> {
        Some(match w {
            "" => None,
            "V" | "v" | "volt" | "volts" => Some(Unit::Volts),
            "Ω" | "\u{2126}" | "R" | "r" | "ohm" | "ohms" | "Ohm" => Some(Unit::Ohms),
            "A" | "a" | "amp" | "amps" => Some(Unit::Amps),
            _ => return None,
        })
    };
    if let Some(unit) = unit_word(tail) {
        return Some((1.0, unit));
    }
    let mut chars = tail.chars();
    let factor = match chars.next()? {
        'k' | 'K' => 1e3,
        'M' => 1e6,
        'm' => 1e-3,
        '\u{b5}' | '\u{3bc}' | 'u' => 1e-6,
        _ => return None,
    };
    let unit = unit_word(chars.as_str().trim())?;
    // k and M without a unit are ohms: nobody writes kilovolts at this bench
    Some((factor, unit.or((factor > 1.0).then_some(Unit::Ohms))))
}

/// A figure for reading: mantissa and prefixed unit, three significant digits.
pub fn show(value: f64, unit: Unit) -> (String, String) {
    let symbol = unit.symbol();
    if value.is_infinite() {
        return ("OL".into(), String::new());
    }
    let size = value.abs();
    let (scaled, prefix) = if size == 0.0 {
        (0.0, "")
    } else if size >= 1e6 {
        (value / 1e6, "M")
    } else if size >= 1e3 {
        (value / 1e3, "k")
    } else if size < 0.1 {
        (value * 1e3, "m")
    } else {
        (value, "")
    };
    let decimals = match scaled.abs() {
        s if s >= 100.0 => 0,
        s if s >= 10.0 => 1,
        _ => 2,
    };
    let text = format!("{scaled:.decimals$}").replace('-', "\u{2212}");
    let text = if text
        .trim_start_matches('\u{2212}')
        .chars()
        .all(|c| c == '0' || c == '.')
    {
        "0".into()
    } else {
        text
    };
    (text, format!("{prefix}{symbol}"))
}

/// `show` as one string.
pub fn show_text(value: f64, unit: Unit) -> String {
    let (number, unit) = show(value, unit);
    if unit.is_empty() {
        number
    } else {
        format!("{number} {unit}")
    }
}

/// As it would be typed: `4.80`, `4.7k`.
pub fn typed(value: f64, unit: Unit) -> String {
    let (number, shown) = show(value, unit);
    let prefix = shown.strip_suffix(unit.symbol()).unwrap_or_default();
    format!("{number}{prefix}").replace('\u{2212}', "-")
}

/// A range for reading: `4.5–5.3 V`.
pub fn show_range(low: f64, high: f64, unit: Unit) -> String {
    let (a, ua) = show(low, unit);
    let (b, ub) = show(high, unit);
    let base = unit.symbol();
    if ub == base && ua == format!("m{base}") && high >= 0.5 {
        // one unit for both, so that the span is seen at once
        let text = format!("{low:.2}").replace('-', "\u{2212}");
        format!("{text}–{b} {ub}")
    } else if a == b && ua == ub {
        format!("{a} {ua}")
    } else if ua == ub || a == "0" {
        format!("{a}–{b} {ub}")
    } else if ub.is_empty() {
        format!("over {a} {ua}")
    } else {
        format!("{a} {ua}–{b} {ub}")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[derive(Deserialize)]
    struct Case {
        text: String,
        unit: Option<Unit>,
        low: Option<f64>,
        high: Option<f64>,
        ol: Option<bool>,
        error: Option<String>,
    }

    #[test]
    fn the_table_of_cases() {
        let cases: Vec<Case> =
            serde_json::from_str(include_str!("../../data/reading-cases.json")).unwrap();
        assert!(cases.len() > 30);
        for c in cases {
            match (parse(&c.text, c.unit), &c.error) {
                (Ok(f), None) => {
                    assert_eq!(f.over_range, c.ol.unwrap_or(false), "{}", c.text);
                    if !f.over_range {
                        let (low, high) = (c.low.unwrap(), c.high.or(c.low).unwrap());
                        assert!(
                            (f.low - low).abs() < 1e-9 * low.abs().max(1.0),
                            "{}: {f:?}",
                            c.text
                        );
                        assert!(
                            (f.high - high).abs() < 1e-9 * high.abs().max(1.0),
                            "{}: {f:?}",
                            c.text
                        );
                    }
                }
                (Err(e), Some(part)) => assert!(e.to_string().contains(part), "{}: {e}", c.text),
                (got, want) => panic!("{}: {got:?}, wanted {want:?}", c.text),
            }
        }
    }

    #[test]
    fn figures_are_shown_with_three_digits_and_their_unit() {
        assert_eq!(show_text(51.82, Unit::Volts), "51.8 V");
        assert_eq!(show_text(0.0923, Unit::Volts), "92.3 mV");
        assert_eq!(show_text(4700.0, Unit::Ohms), "4.70 kΩ");
        assert_eq!(show_text(-0.2, Unit::Volts), "−0.20 V");
        assert_eq!(show_range(4.5, 5.3, Unit::Volts), "4.50–5.30 V");
        assert_eq!(show_range(0.07, 4.82, Unit::Volts), "0.07–4.82 V");
        assert_eq!(show_text(f64::INFINITY, Unit::Ohms), "OL");
    }
}
