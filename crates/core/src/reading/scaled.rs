//! Figures of proof checks, which come in more units than the meter's: a torque, a temperature, a gap.
//! Each check says one unit; what people type in a neighbouring one is turned into it, and a unit that
//! does not belong there is refused rather than ignored.

use crate::error::CoreError;

/// What may stand behind a figure where this unit is asked for: words, factor, offset added afterwards.
/// Case counts only between `m` and `M`.
type Accepted = &'static [(&'static [&'static str], f64, f64)];

/// Newton metres in a pound-force foot (by definition of both).
const LBF_FT: f64 = 1.355_817_948;

/// Kilometres in an international mile (by definition).
const KM_IN_MILE: f64 = 1.609_344;

fn accepted(unit: &str) -> Accepted {
    match unit {
        "V" => &[
            (&["V", "volt", "volts"], 1.0, 0.0),
            (&["mV"], 1e-3, 0.0),
            (&["kV"], 1e3, 0.0),
        ],
        "mV" => &[(&["mV"], 1.0, 0.0), (&["V"], 1e3, 0.0)],
        "A" => &[(&["A", "amp", "amps"], 1.0, 0.0), (&["mA"], 1e-3, 0.0)],
        "MΩ" => &[
            (&["MΩ", "Mohm", "M"], 1.0, 0.0),
            (&["kΩ", "kohm", "k"], 1e-3, 0.0),
            (&["GΩ", "Gohm", "G"], 1e3, 0.0),
            (&["Ω", "ohm", "ohms"], 1e-6, 0.0),
        ],
        "N·m" => &[
            (&["N·m", "Nm", "N m"], 1.0, 0.0),
            (
                &["lbf·ft", "lbf ft", "lb ft", "ft lb", "ft·lb"],
                LBF_FT,
                0.0,
            ),
        ],
        "mm" => &[
            (&["mm"], 1.0, 0.0),
            (&["cm"], 10.0, 0.0),
            (&["in", "inch", "\"", "″"], 25.4, 0.0),
        ],
        "°C" => &[
            (&["°C", "C"], 1.0, 0.0),
            (&["°F", "F"], 5.0 / 9.0, -160.0 / 9.0),
        ],
        "K" => &[
            (&["K", "°C", "C"], 1.0, 0.0),
            (&["°F", "F"], 5.0 / 9.0, 0.0),
        ],
        "s" => &[(&["s", "sec"], 1.0, 0.0), (&["ms"], 1e-3, 0.0)],
        "km/h" => &[
            (&["km/h", "kmh", "kph"], 1.0, 0.0),
            (&["mph"], KM_IN_MILE, 0.0),
        ],
        "%" => &[(&["%"], 1.0, 0.0)],
        "states" => &[(&["states", "of 6", "/6"], 1.0, 0.0)],
        _ => &[],
    }
}

/// Is this a unit that a check may ask for?
pub fn known(unit: &str) -> bool {
    !accepted(unit).is_empty()
}

/// A figure as it is typed where `unit` is asked for, in that unit: `0,3`, `42 N·m`, `31 lbf·ft`,
/// `450 kΩ`; `OL` is more than any ohms.
///
/// # Errors
/// No figure, or a unit that does not belong here, in a sentence.
pub fn parse_in(typed: &str, unit: &str) -> Result<f64, CoreError> {
    let text = typed.trim().replace(',', ".").replace('\u{2212}', "-");
    let fail = |why: &str| {
        Err(CoreError::Reading(format!(
            "“{}” {why} Give it in {unit}.",
            typed.trim()
        )))
    };
    if unit == "MΩ" && matches!(text.to_lowercase().as_str(), "ol" | "o.l" | "open" | "∞") {
        return Ok(f64::INFINITY);
    }
    let end = text
        .find(|c: char| !(c.is_ascii_digit() || matches!(c, '.' | '-' | '+')))
        .unwrap_or(text.len());
    let Some(value) = text[..end].parse::<f64>().ok().filter(|v| v.is_finite()) else {
        return fail("is no figure.");
    };
    let behind = text[end..].trim();
    if behind.is_empty() {
        return Ok(value);
    }
    let same = |word: &str| {
        word == behind
            || (word.to_lowercase() == behind.to_lowercase()
                && word.starts_with('M') == behind.starts_with('M'))
    };
    match accepted(unit)
        .iter()
        .find(|(words, ..)| words.iter().any(|w| same(w)))
    {
        Some((_, factor, offset)) => Ok(value * factor + offset),
        None => fail("is in a unit that does not belong here."),
    }
}

/// Limits in the units of a shop that works in feet and pounds, inches and °F; none for a unit that is
/// the same there.
pub fn imperial(low: Option<f64>, high: Option<f64>, unit: &str) -> Option<String> {
    let (symbol, places) = match unit {
        "N·m" => ("lbf·ft", 0),
        "mm" => ("in", 2),
        "°C" => ("°F", 0),
        "K" => ("°F difference", 0),
        "km/h" => ("mph", 0),
        _ => return None,
    };
    let (_, factor, offset) = accepted(unit)
        .iter()
        .find(|(words, ..)| symbol.starts_with(words[0]))?;
    let show = |v: f64| format!("{:.places$}", (v - offset) / factor);
    match (low, high) {
        (Some(low), Some(high)) => Some(format!("{}–{} {symbol}", show(low), show(high))),
        (None, Some(high)) => Some(format!("{} {symbol} at most", show(high))),
        (Some(low), None) => Some(format!("{} {symbol} at least", show(low))),
        (None, None) => None,
    }
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)] // a test that panics says where
    use super::*;

    #[test]
    fn neighbouring_units_are_turned_into_the_one_asked_for() {
        for (typed, unit, value) in [
            ("0,3", "s", 0.3),
            ("280 ms", "s", 0.28),
            ("0.08 V", "mV", 80.0),
            ("0.08V", "mV", 80.0),
            ("450 kΩ", "MΩ", 0.45),
            ("5k", "MΩ", 0.005),
            ("12 M", "MΩ", 12.0),
            ("42 Nm", "N·m", 42.0),
            ("176 °F", "°C", 80.0),
            ("36 F", "K", 20.0),
            ("0.5 in", "mm", 12.7),
            ("\u{2212}0.2", "V", -0.2),
            ("6 of 6", "states", 6.0),
        ] {
            let read = parse_in(typed, unit).unwrap();
            assert!((read - value).abs() < 1e-9, "{typed} in {unit}: {read}");
        }
        let torque = parse_in("31 ft lb", "N·m").unwrap();
        assert!((torque - 42.03).abs() < 0.01);
        assert_eq!(parse_in("OL", "MΩ").unwrap(), f64::INFINITY);
    }

    #[test]
    fn limits_are_shown_in_feet_pounds_inches_and_fahrenheit() {
        let shown = |low, high, unit| imperial(low, high, unit).unwrap_or_default();
        assert_eq!(shown(Some(35.0), Some(50.0), "N·m"), "26–37 lbf·ft");
        assert_eq!(shown(Some(10.0), Some(15.0), "mm"), "0.39–0.59 in");
        assert_eq!(shown(None, Some(80.0), "°C"), "176 °F at most");
        assert_eq!(shown(None, Some(20.0), "K"), "36 °F difference at most");
        assert_eq!(shown(Some(0.0), Some(0.3), "s"), "");
    }

    #[test]
    fn what_does_not_belong_is_refused_with_what_does() {
        for (typed, unit) in [
            ("5 m", "MΩ"),
            ("5 mΩ", "MΩ"),
            ("12 A", "V"),
            ("OL", "V"),
            ("", "s"),
            ("fast", "s"),
            ("1e400", "s"),
            ("3..4", "mm"),
            ("0.2 0.3", "s"),
        ] {
            let sentence = parse_in(typed, unit).unwrap_err().to_string();
            assert!(sentence.contains(&format!("in {unit}")), "{sentence}");
        }
    }
}
