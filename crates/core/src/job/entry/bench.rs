//! What is measured, looked at and concluded at the bench, on a vehicle with a wiring model and on one
//! without.

use crate::catalogue::{self, Catalogue, StopWords};
use crate::diagnosis::repertoire;
use crate::error::{Code, CoreError};
use crate::job::danger::Danger;
use crate::job::entry::changed::{change_words, source_words};
use crate::job::entry::kind::{
    Admitting, Book, Kind, Said, TestName, Worked, check_minutes, not_grounded, not_stopped, owned,
    refuse, text,
};
use crate::job::entry::vocabulary::{ReadOn, ReadingResult, SheetPoint};
use crate::job::gate::Standing;
use crate::job::state::{Changed, Job, LIVE_VOLTS, Mark, PointTaken, Ruled, SheetInUse, Taken};
use crate::reading::{self, Unit};
use serde::{Deserialize, Serialize};
use spannung_circuit::{Change as Differs, KnownFrom};
use utoipa::ToSchema;
use uuid::Uuid;

/// Most differences of one vehicle from its family: what differs more is another vehicle.
pub const MOST_CHANGES: usize = 40;

/// A reading.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Reading {
    /// Test.
    pub test: String,
    /// How it came out.
    pub result: ReadingResult,
    /// What was typed.
    #[serde(default)]
    pub typed: String,
    /// Minutes entered for it; nothing is assumed, the clock counts them.
    #[serde(default)]
    pub minutes: f64,
    /// The technician says this figure is right although it cannot be.
    #[serde(default)]
    pub insisted: bool,
}

impl Kind for Reading {
    fn word(&self) -> &'static str {
        "reading"
    }

    fn admit(&self, at: &Admitting<'_>) -> Result<(), CoreError> {
        let Self {
            test,
            result,
            typed,
            minutes,
            ..
        } = self;
        check_minutes(*minutes)?;
        not_stopped(at, "test")?;
        not_grounded(at, "test")?;
        // in which unit a test of another catalogue was read is not known here
        let unit = unit_of(at.catalogue, test);
        if *result == ReadingResult::Figure && (at.here || unit.is_some()) {
            reading::parse(typed, unit)
                .map_err(|e| CoreError::entry(Code::BadReading, "typed", e.to_string()))?;
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, catalogue: &Catalogue, mark: &Mark, struck_out: bool) {
        let Self {
            test,
            result,
            typed,
            minutes,
            ..
        } = self;
        let figure = (*result == ReadingResult::Figure)
            .then(|| reading::parse(typed, unit_of(catalogue, test)).ok())
            .flatten();
        job.taken.push(Taken {
            entry: mark.entry,
            seq: mark.seq,
            test: test.clone(),
            result: Some(*result),
            typed: typed.clone(),
            place: None,
            figure,
            state: job.state.clone(),
            voided: struck_out,
            at: mark.at,
            by: mark.by.clone(),
        });
        if !struck_out {
            job.spend(mark, *minutes);
        }
    }

    fn danger(&self, catalogue: &Catalogue, job: &Job) -> Option<Danger> {
        if self.result != ReadingResult::Figure {
            return None;
        }
        below_floor(catalogue, job, &self.test, &self.typed)
    }

    fn said(&self, book: &Book<'_>) -> Said {
        let Self {
            test,
            result,
            typed,
            ..
        } = self;
        Said::with((book.test)(test), came_out(*result, || typed.clone()))
    }

    fn worked(&self, test_name: TestName<'_>) -> Option<Worked> {
        Some(Worked {
            minutes: self.minutes,
            what: test_name(&self.test),
        })
    }

    fn stays_in_sight(&self) -> bool {
        true
    }

    fn can_be_struck_out(&self) -> bool {
        true
    }
}

/// A look, feel or try.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Check {
    /// Test.
    pub test: String,
    /// Value of its sign, or `cannot-tell`.
    pub outcome: String,
    /// Strand at which it was seen, of those that the look goes over.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub place: Option<String>,
    /// Minutes entered for it; nothing is assumed, the clock counts them.
    #[serde(default)]
    pub minutes: f64,
}

impl Kind for Check {
    fn word(&self) -> &'static str {
        "check"
    }

    fn admit(&self, at: &Admitting<'_>) -> Result<(), CoreError> {
        let Self { minutes, .. } = self;
        check_minutes(*minutes)?;
        not_stopped(at, "test")?;
        not_grounded(at, "test")?;
        Ok(())
    }

    fn apply(&self, job: &mut Job, catalogue: &Catalogue, mark: &Mark, struck_out: bool) {
        let Self {
            test,
            outcome,
            place,
            minutes,
        } = self;
        job.taken.push(Taken {
            entry: mark.entry,
            seq: mark.seq,
            test: test.clone(),
            result: None,
            typed: outcome.clone(),
            place: place.clone(),
            figure: None,
            state: job.state.clone(),
            voided: struck_out,
            at: mark.at,
            by: mark.by.clone(),
        });
        if struck_out {
            return;
        }
        job.spend(mark, *minutes);
        let mut looks = catalogue.procedures.iter();
        if let Some(look) = looks.find(|p| p.id.get_ref() == test)
            && let Some(values) = catalogue.power_fault.seen.get(&look.sign)
            && values.contains(outcome)
        {
            let words = look.outcomes.get(outcome).unwrap_or(outcome);
            job.power_fault(mark, format!("{}: {words}", look.name));
        }
    }

    fn danger(&self, catalogue: &Catalogue, _job: &Job) -> Option<Danger> {
        let Self { test, outcome, .. } = self;
        let looks = &catalogue.procedures;
        let look = looks.iter().find(|p| p.id.get_ref() == test)?;
        Some(Danger::clearable(test, look.stops.get(outcome)?.clone()))
    }

    fn said(&self, book: &Book<'_>) -> Said {
        let Self {
            test,
            outcome,
            place,
            ..
        } = self;
        let spec = book
            .catalogue
            .procedures
            .iter()
            .find(|p| p.id.get_ref() == test);
        let words = spec.and_then(|p| p.outcomes.get(outcome).cloned());
        let words = words.unwrap_or_else(|| outcome.replace('-', " "));
        let seen = match place {
            Some(place) => format!("{words}: {}", book.strand(place)),
            None => words,
        };
        Said::with((book.test)(test), seen)
    }

    fn worked(&self, test_name: TestName<'_>) -> Option<Worked> {
        Some(Worked {
            minutes: self.minutes,
            what: test_name(&self.test),
        })
    }

    fn stays_in_sight(&self) -> bool {
        true
    }

    fn can_be_struck_out(&self) -> bool {
        true
    }
}

/// A proposal is passed over.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Skip {
    /// Test.
    pub test: String,
    /// Why.
    pub reason: String,
}

impl Kind for Skip {
    fn word(&self) -> &'static str {
        "skip"
    }

    fn admit(&self, _at: &Admitting<'_>) -> Result<(), CoreError> {
        let Self { reason, .. } = self;
        if reason.trim().is_empty() {
            return refuse(Code::NoReason, "reason", "Say why it is skipped.");
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, _mark: &Mark, _struck_out: bool) {
        let Self { test, reason, .. } = self;
        job.skipped.insert(test.clone(), reason.clone());
    }

    fn said(&self, book: &Book<'_>) -> Said {
        let Self { test, reason, .. } = self;
        Said::words(format!("Skipped: {} ({reason})", (book.test)(test)))
    }

    fn can_be_struck_out(&self) -> bool {
        true
    }
}

/// A suspect ruled out or in by hand, or left to the readings again.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct ByHand {
    /// Repair class, or `built:` and the id of a way to build the vehicle.
    pub class: String,
    /// Out (true), in (false), or neither.
    pub out: Option<bool>,
    /// Why.
    pub reason: String,
}

impl Kind for ByHand {
    fn word(&self) -> &'static str {
        "by-hand"
    }

    fn admit(&self, at: &Admitting<'_>) -> Result<(), CoreError> {
        let Admitting {
            catalogue, here, ..
        } = *at;
        let Self { class, reason, .. } = self;
        // a repair, or a way to build the vehicle
        let way = class
            .strip_prefix("built:")
            .is_some_and(spannung_circuit::otherwise::known);
        if here && !way && !catalogue.classes.contains_key(class) {
            return refuse(
                Code::UnknownClass,
                "class",
                format!("There is no suspect “{class}”."),
            );
        }
        if reason.trim().is_empty() {
            return refuse(Code::NoReason, "reason", "Say why: the log keeps it.");
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, mark: &Mark, _struck_out: bool) {
        let Self {
            class, out, reason, ..
        } = self;
        match out {
            Some(out) => {
                let ruled = Ruled {
                    out: *out,
                    reason: reason.clone(),
                    entry: mark.entry,
                };
                job.by_hand.insert(class.clone(), ruled);
            }
            None => {
                job.by_hand.remove(class);
                job.failed.retain(|f| &f.class != class);
            }
        }
    }

    fn said(&self, book: &Book<'_>) -> Said {
        let Self {
            class, out, reason, ..
        } = self;
        let act = match out {
            Some(true) => "Ruled out by hand",
            Some(false) => "Ruled in by hand",
            None => "Left to the readings again",
        };
        Said::words(format!("{act}: {} ({reason})", book.class(class)))
    }

    fn can_be_struck_out(&self) -> bool {
        true
    }
}

/// Not like this here.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Change {
    /// What is different on this vehicle.
    pub change: Differs,
    /// Where that is known from.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub source: Option<KnownFrom>,
}

impl Kind for Change {
    fn word(&self) -> &'static str {
        "change"
    }

    fn admit(&self, at: &Admitting<'_>) -> Result<(), CoreError> {
        let Admitting { catalogue, job, .. } = *at;
        let Self { change, .. } = self;
        owned(at)?;
        let Some(family) = job.begun(catalogue) else {
            return refuse(
                Code::UnknownFamily,
                "change",
                "This vehicle has no wiring model.",
            );
        };
        if job.changes.len() >= MOST_CHANGES {
            return refuse(
                Code::TooMany,
                "change",
                format!(
                    "{MOST_CHANGES} differences are noted. What differs more is another vehicle: open it without a wiring model."
                ),
            );
        }
        let mut changes = job.differences();
        changes.push(change.clone());
        spannung_circuit::Profile::new(family, &changes)
            .map_err(|e| CoreError::entry(Code::BadChange, "change", e.to_string()))?;
        Ok(())
    }

    fn apply(&self, job: &mut Job, catalogue: &Catalogue, mark: &Mark, _struck_out: bool) {
        let Self { change, source, .. } = self;
        job.changes.push(Changed {
            change: change.clone(),
            source: *source,
            entry: mark.entry,
        });
        if change.rebuilds() {
            job.put_together(catalogue);
        }
    }

    fn said(&self, book: &Book<'_>) -> Said {
        let Self { change, source, .. } = self;
        let what = if change.rebuilds() {
            "What it has"
        } else {
            "Not like this here"
        };
        Said::with(
            format!("{what}: {}", change_words(change, book.catalogue, book.job)),
            source.map_or("", source_words),
        )
    }

    fn can_be_struck_out(&self) -> bool {
        true
    }

    fn guards(&self) -> &'static [&'static str] {
        &["vehicle", "change", "close"]
    }
}

/// The identical working vehicle whose readings are the expected ones.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Reference {
    /// Which one, and why it is identical.
    pub vehicle: String,
}

impl Kind for Reference {
    fn word(&self) -> &'static str {
        "reference"
    }

    fn admit(&self, _at: &Admitting<'_>) -> Result<(), CoreError> {
        let Self { vehicle, .. } = self;
        text("vehicle", vehicle, 200, "Say which working vehicle it is.")?;
        Ok(())
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, _mark: &Mark, _struck_out: bool) {
        let Self { vehicle, .. } = self;
        job.reference = Some(vehicle.clone())
    }

    fn said(&self, _book: &Book<'_>) -> Said {
        let Self { vehicle, .. } = self;
        Said::words(format!("Identical working vehicle: {vehicle}"))
    }
}

/// A reading at a point named by hand.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct PointReading {
    /// Name of the point.
    pub point: String,
    /// Unit.
    pub unit: Unit,
    /// On which vehicle.
    pub on: ReadOn,
    /// How it came out.
    pub result: ReadingResult,
    /// What was typed.
    #[serde(default)]
    pub typed: String,
    /// Minutes entered for it; nothing is assumed, the clock counts them.
    #[serde(default)]
    pub minutes: f64,
}

impl Kind for PointReading {
    fn word(&self) -> &'static str {
        "point-reading"
    }

    fn admit(&self, at: &Admitting<'_>) -> Result<(), CoreError> {
        let Admitting { standing, .. } = *at;
        let Self {
            point,
            unit,
            result,
            typed,
            minutes,
            ..
        } = self;
        text("point", point, 80, "Name the point.")?;
        check_minutes(*minutes)?;
        not_stopped(at, "kind")?;
        not_grounded(at, "kind")?;
        if standing == Standing::DeadFirst && *unit == Unit::Amps {
            return refuse(
                Code::GateClosed,
                "unit",
                "Measured dead first: no current is drawn until the dead readings are as they should be.",
            );
        }
        if standing == Standing::Asking {
            return refuse(
                Code::GateClosed,
                "kind",
                "The gate is not open: look at the battery first.",
            );
        }
        if *result == ReadingResult::Figure {
            reading::parse(typed, Some(*unit))
                .map_err(|e| CoreError::entry(Code::BadReading, "typed", e.to_string()))?;
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, mark: &Mark, struck_out: bool) {
        let Self {
            point,
            unit,
            on,
            result,
            typed,
            minutes,
            ..
        } = self;
        if !struck_out {
            job.spend(mark, *minutes);
        }
        let figure = (*result == ReadingResult::Figure)
            .then(|| reading::parse(typed, Some(*unit)).ok())
            .flatten();
        job.points.push(PointTaken {
            mark: mark.clone(),
            point: point.trim().into(),
            unit: *unit,
            on: *on,
            result: *result,
            typed: typed.clone(),
            figure,
            voided: struck_out,
        });
    }

    fn said(&self, _book: &Book<'_>) -> Said {
        let Self {
            point,
            unit,
            on,
            result,
            typed,
            ..
        } = self;
        let of = match on {
            ReadOn::This => "",
            ReadOn::Reference => " (working vehicle)",
        };
        let value = came_out(*result, || with_unit(typed, *unit));
        Said::with(format!("{point}{of}"), value)
    }

    fn worked(&self, _test_name: TestName<'_>) -> Option<Worked> {
        Some(Worked {
            minutes: self.minutes,
            what: self.point.clone(),
        })
    }

    fn stays_in_sight(&self) -> bool {
        true
    }

    fn can_be_struck_out(&self) -> bool {
        true
    }
}

/// Points and expected values kept from an earlier vehicle; unverified until measured again.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Sheet {
    /// Id of the sheet.
    pub sheet: Uuid,
    /// Its name.
    pub name: String,
    /// Its points.
    pub points: Vec<SheetPoint>,
}

impl Kind for Sheet {
    fn word(&self) -> &'static str {
        "sheet"
    }

    fn admit(&self, _at: &Admitting<'_>) -> Result<(), CoreError> {
        let Self { name, points, .. } = self;
        text("name", name, 120, "Name the sheet.")?;
        if points.is_empty() || points.len() > 200 {
            return refuse(Code::BadSheet, "points", "A sheet has 1 to 200 points.");
        }
        for p in points {
            text("points", &p.point, 80, "Name the point.")?;
            reading::parse(&p.expected, Some(p.unit))
                .map_err(|e| CoreError::entry(Code::BadReading, "points", e.to_string()))?;
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, _mark: &Mark, _struck_out: bool) {
        let Self {
            sheet,
            name,
            points,
            ..
        } = self;
        job.sheet = Some(SheetInUse {
            sheet: *sheet,
            name: name.clone(),
            points: points.clone(),
        });
    }

    fn said(&self, _book: &Book<'_>) -> Said {
        let Self { name, points, .. } = self;
        Said::with(
            format!("Sheet of points taken over: {name}, unverified"),
            format!("{} points", points.len()),
        )
    }

    fn can_be_struck_out(&self) -> bool {
        true
    }
}

/// How a reading came out: the figure, or why there is none.
fn came_out(result: ReadingResult, figure: impl FnOnce() -> String) -> String {
    match result {
        ReadingResult::Figure => figure(),
        ReadingResult::Nothing => "nothing".into(),
        ReadingResult::NotSteady => "not steady".into(),
        ReadingResult::CannotReach => "not reached".into(),
    }
}

/// A typed figure with its unit, unless it carries one.
fn with_unit(typed: &str, unit: Unit) -> String {
    match crate::reading::parse(typed, Some(unit)) {
        Ok(f) if f.over_range => "OL".into(),
        Ok(f) if (f.low - f.high).abs() < 1e-12 => crate::reading::show_text(f.low, unit),
        Ok(f) => crate::reading::show_range(f.low, f.high, unit),
        Err(_) => typed.into(),
    }
}

/// A reading can raise the gate: a loaded, live pack below its floor, or a group below its floor.
fn below_floor(catalogue: &Catalogue, job: &Job, test: &str, typed: &str) -> Option<Danger> {
    let family = job.own_family(catalogue)?;
    let spec = catalogue.probe(test)?;
    let figure = reading::parse(typed, Some(Unit::Volts)).ok()?;
    let volts = |v: f64| reading::show_text(v, Unit::Volts);
    if spec.mode == "groups" && figure.low < family.cells.floor_volts {
        let words = StopWords {
            order: "Never charge this pack".into(),
            reason: format!(
                "Lowest group {} under its floor of {}.",
                volts(figure.low),
                volts(family.cells.floor_volts)
            ),
        };
        Some(Danger {
            from: test.into(),
            words,
            clearable: false,
        })
    } else if spec.loaded && figure.low >= LIVE_VOLTS && figure.low < family.floor_volts() {
        let words = StopWords {
            order: "Do not charge".into(),
            reason: format!(
                "Live under load at {}, floor {}.",
                volts(figure.low),
                volts(family.floor_volts())
            ),
        };
        Some(Danger::clearable(test, words))
    } else {
        None
    }
}

/// Unit in which a test is read.
fn unit_of(catalogue: &Catalogue, test: &str) -> Option<Unit> {
    match catalogue.probe(test) {
        // groups are read in volts
        Some(p) => Some(catalogue::mode(&p.mode).map_or(Unit::Volts, repertoire::unit_of)),
        None => repertoire::derived_unit(test),
    }
}
