//! Does an entry fit the job as it stands? What holds for any kind; the rest each kind answers itself. Whether
//! a test exists on this vehicle is checked where the model is known ([`crate::job::bench::Weighed::admit`]).

use crate::catalogue::Catalogue;
use crate::error::{Code, CoreError};
use crate::job::bounds;
use crate::job::entry::kind::Admitting;
use crate::job::entry::{Body, Logged, Role};
use crate::job::gate::{self, Standing};
use crate::job::items::Opened;
use crate::job::state::Job;

/// Does an entry fit the job as it stands? Checks what the person may do and what the gate allows;
/// whether a test exists on this vehicle is checked where the model is known.
///
/// # Errors
/// A sentence with a code: out of bounds, job closed, gate closed, unknown check, answer, need, class or
/// symptom, a figure that cannot be read, a role that may not.
pub fn admit(catalogue: &Catalogue, job: &Job, body: &Body, role: Role) -> Result<(), CoreError> {
    fits(catalogue, job, body, Some(role))
}

/// Do the entries of a job that was written elsewhere make a job here? Each has to fit the ones before
/// it as if it were typed, but for what guards the doing: it has been done, by people and on a gate that
/// are not known here. Words of another catalogue (a symptom, a test) are history and may be strange.
///
/// # Errors
/// The first entry that does not fit, counted from 1, and why.
pub fn admit_log(catalogue: &Catalogue, entries: &[Logged]) -> Result<(), (usize, CoreError)> {
    let mut job = Job::default();
    for (k, e) in entries.iter().enumerate() {
        bounds::instant(e.at)
            .and_then(|()| fits(catalogue, &job, &e.body, None))
            .map_err(|why| (k + 1, why))?;
        if matches!(e.body, Body::Void(_)) {
            job = Job::fold(catalogue, &entries[..=k], &[]);
        } else {
            job.next(catalogue, e);
        }
    }
    Ok(())
}

/// As [`admit`]; without a role the entry was written elsewhere.
fn fits(
    catalogue: &Catalogue,
    job: &Job,
    body: &Body,
    role: Option<Role>,
) -> Result<(), CoreError> {
    bounds::check(body)?;
    let here = role.is_some();
    // what only some may do was done elsewhere by whoever may
    let role = role.unwrap_or(Role::Specialist);
    let bad = |code, field, message: String| Err(CoreError::entry(code, field, message));
    if job.closed.is_some() && !body.kind().after_closing() {
        return bad(
            Code::JobClosed,
            "kind",
            "This job is closed. Only notes and photos can be added.".into(),
        );
    }
    if job.opened_at.is_none() && !matches!(body, Body::Opened(_)) {
        return bad(
            Code::NotOpened,
            "kind",
            "A job begins with what the customer said.".into(),
        );
    }
    let standing = if here {
        gate::standing(catalogue, job)
    } else {
        Standing::Open
    };
    body.kind().admit(&Admitting {
        catalogue,
        job,
        role,
        standing,
        here,
    })
}

/// What needs to know which places were opened: closing an item, letting something go, the hand-back.
/// `opened` is empty for a vehicle without a wiring model.
///
/// # Errors
/// An item or check that is not there or not open, one that nobody may except, a hand-back that is held.
pub fn with_opened(
    catalogue: &Catalogue,
    job: &Job,
    opened: &[Opened],
    body: &Body,
) -> Result<(), CoreError> {
    body.kind().admit_opened(catalogue, job, opened)
}
