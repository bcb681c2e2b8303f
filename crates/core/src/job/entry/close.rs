//! What goes with any job and ends it: photos, notes, striking out, the closing.

use crate::catalogue::Catalogue;
use crate::desks::money::Terms;
use crate::error::{Code, CoreError};
use crate::job::entry::kind::{Admitting, Book, Kind, Said, known_class, maybe, refuse, tail};
use crate::job::entry::vocabulary::{Outcome, Recheck, Shown};
use crate::job::gate::Standing;
use crate::job::items::Opened;
use crate::job::proof;
use crate::job::state::{Closed, Job, Mark, NoteWritten, PhotoTaken, between};
use serde::{Deserialize, Serialize};
use time::OffsetDateTime;
use utoipa::ToSchema;
use uuid::Uuid;

/// A photo.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Photo {
    /// Id of the picture.
    pub photo: Uuid,
    /// Entry it belongs to.
    #[serde(default)]
    pub of: Option<Uuid>,
    /// What it shows.
    #[serde(default)]
    pub caption: String,
}

impl Kind for Photo {
    fn word(&self) -> &'static str {
        "photo"
    }

    fn admit(&self, at: &Admitting<'_>) -> Result<(), CoreError> {
        let Admitting { job, here, .. } = *at;
        let Self { caption, of, .. } = self;
        maybe("caption", caption, 200)?;
        if !here && of.is_some_and(|of| !job.written.contains_key(&of)) {
            return refuse(
                Code::UnknownEntry,
                "of",
                "It belongs to an entry that does not stand before it.",
            );
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, mark: &Mark, _struck_out: bool) {
        let Self {
            photo, of, caption, ..
        } = self;
        job.photos.push(PhotoTaken {
            mark: mark.clone(),
            photo: *photo,
            of: *of,
            caption: caption.clone(),
        })
    }

    fn said(&self, _book: &Book<'_>) -> Said {
        let Self { caption, .. } = self;
        Said::words(format!("Photo{}", tail(": ", caption, "")))
    }

    fn can_be_struck_out(&self) -> bool {
        true
    }

    fn after_closing(&self) -> bool {
        true
    }
}

/// A note.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Note {
    /// Text.
    pub text: String,
}

impl Kind for Note {
    fn word(&self) -> &'static str {
        "note"
    }

    fn admit(&self, _at: &Admitting<'_>) -> Result<(), CoreError> {
        let Self { text, .. } = self;
        if text.trim().is_empty() || text.chars().count() > 4000 {
            return refuse(Code::BadNote, "text", "A note has 1 to 4000 letters.");
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, mark: &Mark, _struck_out: bool) {
        let Self { text, .. } = self;
        job.notes.push(NoteWritten {
            mark: mark.clone(),
            text: text.clone(),
        });
    }

    fn said(&self, _book: &Book<'_>) -> Said {
        let Self { text, .. } = self;
        Said::words(format!("Note: {text}"))
    }

    fn can_be_struck_out(&self) -> bool {
        true
    }

    fn after_closing(&self) -> bool {
        true
    }
}

/// An entry is struck out.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Void {
    /// Entry.
    pub entry: Uuid,
    /// Why.
    pub reason: String,
}

impl Kind for Void {
    fn word(&self) -> &'static str {
        "void"
    }

    fn admit(&self, at: &Admitting<'_>) -> Result<(), CoreError> {
        let Admitting {
            catalogue,
            job,
            here,
            ..
        } = *at;
        let Self { entry, reason, .. } = self;
        let Some(can_be_struck_out) = job.written.get(entry) else {
            return refuse(
                Code::UnknownEntry,
                "entry",
                "There is no such entry in this job.",
            );
        };
        if !can_be_struck_out {
            return refuse(
                Code::NotVoidable,
                "entry",
                "This entry cannot be struck out.",
            );
        }
        if job.voided.contains_key(entry) {
            return refuse(
                Code::StruckOut,
                "entry",
                "This entry is struck out already.",
            );
        }
        if here && reason.trim().is_empty() {
            return refuse(
                Code::NoReason,
                "reason",
                "Say why it is struck out: the log keeps it.",
            );
        }
        without_change(catalogue, job, *entry)?;
        if job.holds_stop(*entry) {
            return refuse(
                Code::StopHolds,
                "entry",
                "This raised a STOP and is not struck out. Another pack, or a specialist's written clearance, ends it.",
            );
        }
        Ok(())
    }

    fn apply(&self, _job: &mut Job, _catalogue: &Catalogue, _mark: &Mark, _struck_out: bool) {}

    fn said(&self, book: &Book<'_>) -> Said {
        let Self { entry, reason, .. } = self;
        let what = (book.entry)(*entry).unwrap_or_else(|| "an entry".into());
        Said::words(format!("Struck out: {what} ({reason})"))
    }
}

/// The end.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Close {
    /// Outcome.
    pub outcome: Outcome,
    /// Suspect that was mended.
    #[serde(default)]
    pub class: Option<String>,
    /// The cause was seen, not only likely.
    pub cause_confirmed: bool,
    /// In words, for the owner.
    #[serde(default)]
    pub words: String,
    /// What the owner should watch.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub watch: String,
    /// Comes back to be looked at.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub recheck: Option<Recheck>,
    /// What was shown when it was closed; set by the server.
    #[serde(default)]
    pub shown: Option<Shown>,
    /// Rate, step and tax of the bill; set by the server.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub terms: Option<Terms>,
}

impl Kind for Close {
    fn word(&self) -> &'static str {
        "close"
    }

    fn admit(&self, at: &Admitting<'_>) -> Result<(), CoreError> {
        let Admitting { role, standing, .. } = *at;
        let Self {
            outcome,
            class,
            recheck,
            ..
        } = self;
        if !role.may_release() {
            return refuse(
                Code::NotAllowed,
                "kind",
                "A technician hands the vehicle back.",
            );
        }
        if recheck.as_ref().is_some_and(|r| r.what.trim().is_empty()) {
            return refuse(Code::NoText, "recheck", "Say what is looked at again.");
        }
        known_class(at, class.as_ref())?;
        if standing == Standing::Stopped {
            return refuse(
                Code::GateStopped,
                "kind",
                "Record the quarantine before the job is closed.",
            );
        }
        if standing == Standing::Quarantined
            && matches!(
                outcome,
                Outcome::Repaired | Outcome::NoFaultFound | Outcome::HandedBackAsIs
            )
        {
            return refuse(
                Code::PackStopped,
                "outcome",
                "With this pack stopped the job ends as made safe, declined, referred or scrapped: hand back without it.",
            );
        }
        Ok(())
    }

    fn admit_opened(
        &self,
        catalogue: &Catalogue,
        job: &Job,
        opened: &[Opened],
    ) -> Result<(), CoreError> {
        let Self { outcome, .. } = self;
        let holds = proof::holds(catalogue, job, opened, *outcome);
        match holds.first() {
            None => Ok(()),
            Some(first) if holds.len() == 1 => refuse(
                Code::Held,
                "outcome",
                format!("The hand-back is held. {first}"),
            ),
            Some(first) => refuse(
                Code::Held,
                "outcome",
                format!(
                    "The hand-back is held by {} things. First: {first}",
                    holds.len()
                ),
            ),
        }
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, mark: &Mark, _struck_out: bool) {
        let Self {
            outcome,
            class,
            cause_confirmed,
            words,
            watch,
            recheck,
            terms,
            ..
        } = self;
        let running: Vec<OffsetDateTime> = job.clocks.values().map(|c| c.since).collect();
        job.minutes += running.iter().map(|s| between(*s, mark.at)).sum::<f64>();
        job.clocks.clear();
        job.closed = Some(Closed {
            watch: watch.clone(),
            recheck: recheck.clone(),
            terms: terms.clone(),
            by: mark.by.clone(),
            outcome: *outcome,
            class: class.clone(),
            cause_confirmed: *cause_confirmed,
            words: words.clone(),
            at: mark.at,
        });
        job.waiting = None;
    }

    fn said(&self, book: &Book<'_>) -> Said {
        let Self {
            outcome,
            class,
            cause_confirmed,
            words,
            recheck,
            ..
        } = self;
        let mended = class.as_ref().map_or(String::new(), |c| {
            format!(", repaired: {}", book.class(c).to_lowercase())
        });
        let cause = if *cause_confirmed {
            "cause confirmed"
        } else {
            "cause not confirmed"
        };
        let tail = tail(". ", words, "");
        Said::with(
            format!("Closed: {}{mended}, {cause}{tail}", outcome.words()),
            recheck.as_ref().map_or(String::new(), |r| {
                let km = r.km.map_or(String::new(), |k| format!(" after {k} km or"));
                format!("re-check{km} by")
            }),
        )
    }

    fn speaks_of(&self) -> Option<OffsetDateTime> {
        self.recheck.as_ref().map(|r| r.by)
    }

    fn decides_on_pack(&self) -> bool {
        true
    }

    fn guards(&self) -> &'static [&'static str] {
        &[
            "opened",
            "vehicle",
            "symptom",
            "risk",
            "pack",
            "gate",
            "quarantine",
            "clearance",
            "reading",
            "check",
            "by-hand",
            "change",
            "part",
            "minutes",
            "wait",
            "resume",
            "point-reading",
            "ownership",
            "quote",
            "quote-answer",
            "open-item",
            "close-item",
            "proof",
            "except",
            "void",
            "close",
        ]
    }
}

/// Does what remains of the vehicle's changes still make a vehicle when this entry is struck out?
fn without_change(catalogue: &Catalogue, job: &Job, entry: Uuid) -> Result<(), CoreError> {
    let Some(at) = job.changes.iter().position(|c| c.entry == entry) else {
        return Ok(());
    };
    let Some(family) = job.begun(catalogue) else {
        return Ok(());
    };
    // where they fit together no more, whatever is struck out is a step to where they do
    if job.misfit(catalogue).is_some() {
        return Ok(());
    }
    let mut left = job.differences();
    left.remove(at);
    spannung_circuit::Profile::new(family, &left)
        .map(|_| ())
        .map_err(|why| {
            CoreError::entry(
                Code::Needed,
                "entry",
                format!("A later change of this vehicle rests on this one ({why}). Strike that one out first."),
            )
        })
}
