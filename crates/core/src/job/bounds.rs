//! What any entry keeps within, whatever its kind and wherever it comes from: lengths of texts and lists,
//! sizes of numbers, depth, dates. Checked once, before anything else looks at the entry.

use crate::error::{Code, CoreError};
use crate::job::entry::Body;
use serde_json::Value;
use time::OffsetDateTime;

/// Most letters of any text.
const LETTERS: usize = 4000;
/// Most items of any list.
const ITEMS: usize = 400;
/// Deepest nesting.
const DEPTH: usize = 8;
/// Largest number: far over any price in cents, and small enough that a whole log can be added up.
const LARGEST: f64 = 1e12;
/// Years that a date can lie in.
const YEARS: std::ops::RangeInclusive<i32> = 2000..=2099;

fn refuse(code: Code, field: &'static str, message: String) -> CoreError {
    CoreError::entry(code, field, message)
}

/// Is an entry's content within bounds?
///
/// # Errors
/// `too-long`, `bad-letter`, `bad-number`, `too-deep` or `bad-date`, with a sentence.
pub fn check(body: &Body) -> Result<(), CoreError> {
    // an entry always writes: its keys are words
    let value = serde_json::to_value(body).unwrap_or_default();
    walk(&value, 0)?;
    body.kind().speaks_of().map_or(Ok(()), instant)
}

/// Is an instant one that work can happen at?
///
/// # Errors
/// `bad-date`, with a sentence.
pub fn instant(at: OffsetDateTime) -> Result<(), CoreError> {
    if YEARS.contains(&at.year()) {
        return Ok(());
    }
    let message = format!(
        "The year {} cannot be; {} to {} are accepted.",
        at.year(),
        YEARS.start(),
        YEARS.end()
    );
    Err(refuse(Code::BadDate, "at", message))
}

/// Is a text within bounds: no longer than any may be, and no letter that cannot be kept or printed?
///
/// # Errors
/// `too-long` or `bad-letter`, with a sentence.
pub fn text(words: &str) -> Result<(), CoreError> {
    if words.chars().count() > LETTERS {
        let message = format!("No text is longer than {LETTERS} letters.");
        return Err(refuse(Code::TooLong, "text", message));
    }
    let odd = |c: char| c.is_control() && !matches!(c, '\n' | '\r' | '\t');
    match words.chars().find(|c| odd(*c)) {
        None => Ok(()),
        Some(c) => {
            let message = format!("A control character (U+{:04X}) cannot be kept.", c as u32);
            Err(refuse(Code::BadLetter, "text", message))
        }
    }
}

fn walk(value: &Value, depth: usize) -> Result<(), CoreError> {
    if depth > DEPTH {
        let message = format!("Nested deeper than {DEPTH} levels: no entry is.");
        return Err(refuse(Code::TooDeep, "body", message));
    }
    let many = |n: usize| {
        if n > ITEMS {
            let message = format!("No list is longer than {ITEMS}.");
            return Err(refuse(Code::TooLong, "body", message));
        }
        Ok(())
    };
    match value {
        Value::String(words) => text(words),
        Value::Number(n) => {
            let x = n.as_f64().unwrap_or(f64::INFINITY);
            if x == 0.0 && x.is_sign_negative() {
                // JSON has it and the database has not
                return Err(refuse(
                    Code::BadNumber,
                    "body",
                    "−0 is no figure: write 0.".into(),
                ));
            }
            if x.abs() <= LARGEST {
                return Ok(());
            }
            Err(refuse(
                Code::BadNumber,
                "body",
                format!("{n} is too large for anything here."),
            ))
        }
        Value::Array(list) => {
            many(list.len())?;
            list.iter().try_for_each(|v| walk(v, depth + 1))
        }
        Value::Object(map) => {
            many(map.len())?;
            map.iter().try_for_each(|(key, v)| {
                text(key)?;
                walk(v, depth + 1)
            })
        }
        Value::Null | Value::Bool(_) => Ok(()),
    }
}
