//! What every kind of entry answers for itself: whether it fits, what it does to the job, how it reads, what
//! must not have happened meanwhile.

use crate::catalogue::Catalogue;
use crate::error::{Code, CoreError};
use crate::job::danger::Danger;
use crate::job::entry::changed::change_words;
use crate::job::entry::vocabulary::Role;
use crate::job::gate::Standing;
use crate::job::items::Opened;
use crate::job::state::{Job, Mark};
use spannung_circuit::Change;
use time::OffsetDateTime;
use uuid::Uuid;

/// A kind of entry.
pub trait Kind {
    /// Its word in the log.
    fn word(&self) -> &'static str;

    /// Does it fit the job as it stands?
    ///
    /// # Errors
    /// A sentence with a code and the field it speaks of.
    fn admit(&self, _at: &Admitting<'_>) -> Result<(), CoreError> {
        Ok(())
    }

    /// What needs to know which places were opened: closing an item, letting something go, the hand-back.
    /// `opened` is empty for a vehicle without a wiring model.
    ///
    /// # Errors
    /// As [`Kind::admit`].
    fn admit_opened(
        &self,
        _catalogue: &Catalogue,
        _job: &Job,
        _opened: &[Opened],
    ) -> Result<(), CoreError> {
        Ok(())
    }

    /// What it does to the job. One that is struck out comes here only when it stays in sight.
    fn apply(&self, job: &mut Job, catalogue: &Catalogue, mark: &Mark, struck_out: bool);

    /// How it reads in the record.
    fn said(&self, book: &Book<'_>) -> Said;

    /// The danger it raises, on the job as it stands before it.
    fn danger(&self, _catalogue: &Catalogue, _job: &Job) -> Option<Danger> {
        None
    }

    /// The instant it speaks of: end of a wait, promise, re-check.
    fn speaks_of(&self) -> Option<OffsetDateTime> {
        None
    }

    /// The work it tells of; inside a running clock the minutes are in the clock's time already.
    fn worked(&self, _test_name: TestName<'_>) -> Option<Worked> {
        None
    }

    /// Can it be struck out: what somebody measured, wrote or planned? What the gate rests on, a proof, an
    /// item closed and the closing cannot be undone that way.
    fn can_be_struck_out(&self) -> bool {
        false
    }

    /// Does it stay in sight when it is struck out?
    fn stays_in_sight(&self) -> bool {
        false
    }

    /// Can it be written to a job that is closed?
    fn after_closing(&self) -> bool {
        false
    }

    /// Kinds whose newer entries this one must have seen; empty when it never conflicts.
    fn guards(&self) -> &'static [&'static str] {
        &[]
    }

    /// Does it rest on the pack, so that it follows the pack into other jobs?
    fn rests_on_pack(&self, _catalogue: &Catalogue) -> bool {
        false
    }

    /// Does it decide something on how the pack stands just now?
    fn decides_on_pack(&self) -> bool {
        false
    }

    /// Does it release something that guards people? What does so elsewhere does not count here.
    fn releases(&self, catalogue: &Catalogue) -> bool {
        catalogue.released_by.iter().any(|k| k == self.word())
    }
}

/// The job an entry is to be written to, and who writes it.
#[derive(Clone, Copy)]
pub struct Admitting<'a> {
    /// What is believed.
    pub catalogue: &'a Catalogue,
    /// The job as it stands.
    pub job: &'a Job,
    /// What the person may do.
    pub role: Role,
    /// How the gate stands.
    pub standing: Standing,
    /// Written here, by whoever is asking; otherwise it was done elsewhere and is history.
    pub here: bool,
}

/// Names of tests, given by whoever knows the vehicle's model.
pub type TestName<'a> = &'a dyn Fn(&str) -> String;

/// Names that the record writes with.
pub struct Book<'a> {
    /// What is believed.
    pub catalogue: &'a Catalogue,
    /// Name of a test.
    pub test: TestName<'a>,
    /// The job whose record it is.
    pub job: &'a Job,
    /// What another entry says; none when it is not there or strikes one out itself.
    pub entry: &'a dyn Fn(Uuid) -> Option<String>,
    /// Name of a check or open item by its key.
    pub item: &'a dyn Fn(&str) -> String,
}

impl Book<'_> {
    /// Name of a repair class, or of a way to build the vehicle.
    pub fn class(&self, id: &str) -> String {
        if let Some(way) = id.strip_prefix("built:") {
            return self.way(way);
        }
        let known = self.catalogue.classes.get(id);
        known.map_or_else(|| id.to_string(), |c| c.name.clone())
    }

    fn way(&self, id: &str) -> String {
        if let Some((slot, kind)) = id.split_once('=') {
            let (slot, kind) = (slot.to_string(), Some(kind.to_string()));
            return change_words(&Change::Component { slot, kind }, self.catalogue, self.job);
        }
        let variants = spannung_circuit::variant::variants().unwrap_or_default();
        let known = variants.iter().find(|v| v.id.get_ref() == id);
        known.map_or_else(|| id.to_string(), |v| v.name.clone())
    }

    /// What hangs on a strand of the vehicle, in small letters.
    pub fn strand(&self, id: &str) -> String {
        let family = self.job.family(self.catalogue);
        family.map_or_else(|| id.replace('-', " "), |f| f.hangs_on(id))
    }
}

/// A line of the record: the words, and what stands at the right.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Said {
    /// In words.
    pub text: String,
    /// Figure, minutes or price.
    pub value: String,
}

impl Said {
    /// Words and a value.
    pub fn with(text: impl Into<String>, value: impl Into<String>) -> Self {
        Self {
            text: text.into(),
            value: value.into(),
        }
    }

    /// Words alone.
    pub fn words(text: impl Into<String>) -> Self {
        Self::with(text, "")
    }
}

/// Work that an entry tells of.
#[derive(Debug, Clone, PartialEq)]
pub struct Worked {
    /// Minutes.
    pub minutes: f64,
    /// On what.
    pub what: String,
}

/// A refusal.
///
/// # Errors
/// Always: the sentence with its code and field.
pub(super) fn refuse(
    code: Code,
    field: &'static str,
    message: impl Into<String>,
) -> Result<(), CoreError> {
    Err(CoreError::entry(code, field, message.into()))
}

/// A text that must be there and not be endless.
pub(super) fn text(
    field: &'static str,
    value: &str,
    most: usize,
    ask: &str,
) -> Result<(), CoreError> {
    let letters = value.trim().chars().count();
    if letters == 0 || letters > most {
        let message = format!("{ask} 1 to {most} letters are accepted.");
        return refuse(Code::NoText, field, message);
    }
    Ok(())
}

/// A text that may be left out.
pub(super) fn maybe(field: &'static str, value: &str, most: usize) -> Result<(), CoreError> {
    if value.chars().count() > most {
        return refuse(
            Code::TooLong,
            field,
            format!("{most} letters are enough here."),
        );
    }
    Ok(())
}

/// Minutes of one act.
pub(super) fn check_minutes(minutes: f64) -> Result<(), CoreError> {
    if minutes.is_finite() && (0.0..=1440.0).contains(&minutes) {
        return Ok(());
    }
    refuse(
        Code::BadMinutes,
        "minutes",
        "Minutes between 0 and 1440 are accepted.",
    )
}

/// Most that a vehicle, a part or a limit comes to, cents.
pub(super) const MOST_CENTS: i64 = 100_000_000;

/// Cents of a price or limit.
pub(super) fn check_cents(field: &'static str, cents: Option<i64>) -> Result<(), CoreError> {
    if cents.is_none_or(|c| (0..=MOST_CENTS).contains(&c)) {
        return Ok(());
    }
    refuse(
        Code::BadMoney,
        field,
        "Money from 0 to 1,000,000 is accepted.",
    )
}

/// A repair class that the catalogue has to know when it is written here.
pub(super) fn known_class(at: &Admitting<'_>, class: Option<&String>) -> Result<(), CoreError> {
    if at.here && class.is_some_and(|c| !at.catalogue.classes.contains_key(c)) {
        return refuse(Code::UnknownClass, "class", "There is no such suspect.");
    }
    Ok(())
}

/// Nothing is tried on a vehicle that stands on its driven wheel with the power on before somebody says that a ride is safe.
pub(super) fn not_grounded(at: &Admitting<'_>, field: &'static str) -> Result<(), CoreError> {
    if at.standing == Standing::Grounded {
        return refuse(
            Code::NotConfirmed,
            field,
            "It stands on its driven wheel with the power on. Confirm that a ride is safe, or lift it.",
        );
    }
    Ok(())
}

/// Nothing is measured or mended on a vehicle whose pack is stopped and not yet in quarantine.
pub(super) fn not_stopped(at: &Admitting<'_>, field: &'static str) -> Result<(), CoreError> {
    if at.standing == Standing::Stopped {
        return refuse(
            Code::GateStopped,
            field,
            "STOP: nothing but isolation and quarantine until they are recorded.",
        );
    }
    Ok(())
}

/// Locked or ex-fleet electronics are not bypassed before a proof of ownership was seen.
pub(super) fn owned(at: &Admitting<'_>) -> Result<(), CoreError> {
    if at.here && at.job.ownership.as_ref().is_some_and(|o| o.unproved()) {
        return refuse(
            Code::NoOwnership,
            "kind",
            "Locked or ex-fleet: record the proof of ownership before anything is bypassed or exchanged.",
        );
    }
    Ok(())
}

/// Minutes in words.
pub fn minutes_words(minutes: f64) -> String {
    format!("{minutes:.1} min").replace(".0 min", " min")
}

/// Cents as money without a currency.
pub(super) fn money_words(cents: i64) -> String {
    format!("{}.{:02}", cents / 100, cents % 100)
}

/// Something said behind the rest, when there is something.
pub(super) fn tail(before: &str, words: &str, after: &str) -> String {
    if words.trim().is_empty() {
        return String::new();
    }
    format!("{before}{words}{after}")
}
