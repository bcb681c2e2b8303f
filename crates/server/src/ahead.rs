//! Models worked out ahead: while somebody looks at what fits in a place of a vehicle, the vehicle with each of it. What is then
//! pressed is there, or begun.

use crate::App;
use crate::error::ApiError;
use spannung_circuit::{Change, KnownFrom, Shelf};
use spannung_core::job::entry;
use spannung_core::job::{Body, Job, Logged};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use uuid::Uuid;

/// Answers that are worked out ahead, the likeliest.
const MOST: usize = 4;

/// The newest look: an older one is given up after the model at which it is.
#[derive(Debug, Default)]
pub struct Ahead {
    newest: Mutex<Look>,
    /// One is worked out after the other: half of what is built at once stays for those who wait.
    turn: tokio::sync::Mutex<()>,
}

/// Its number, and the job whose vehicle it is; none at the intake.
#[derive(Debug, Default)]
struct Look {
    number: u64,
    job: Option<Uuid>,
}

impl Ahead {
    fn newest(&self) -> MutexGuard<'_, Look> {
        self.newest.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn begin(&self, job: Option<Uuid>) -> u64 {
        let mut newest = self.newest();
        newest.number += 1;
        newest.job = job;
        newest.number
    }

    /// Something was said of a job: what is worked out ahead of it is given up.
    pub fn give_up(&self, job: Uuid) {
        let mut newest = self.newest();
        if newest.job == Some(job) {
            newest.number += 1;
        }
    }
}

/// Work out how a vehicle would stand with what may be said to be in a slot. It returns at once.
///
/// # Errors
/// No such slot on any vehicle.
pub fn look(app: &App, id: Option<Uuid>, job: &Job, slot: &str) -> Result<(), ApiError> {
    let known = Shelf::shipped().is_ok_and(|shelf| shelf.slot(slot).is_some());
    if !known {
        return Err(ApiError::not_found("place on a vehicle"));
    }
    let mine = app.ahead.begin(id);
    let (app, job, slot) = (app.clone(), job.clone(), slot.to_owned());
    tokio::spawn(async move {
        let _turn = app.ahead.turn.lock().await;
        let given_up = || app.ahead.newest().number != mine;
        if given_up() {
            return;
        }
        let catalogue = Arc::clone(&app.catalogue);
        let answers = move || -> Vec<Job> {
            let likely = job.likely(&catalogue, &slot).into_iter().take(MOST);
            let with = |change| {
                let mut with = job.clone();
                with.next(&catalogue, &seen(&job, change));
                with
            };
            likely.map(with).collect()
        };
        let answers = tokio::task::spawn_blocking(answers).await;
        for with in answers.unwrap_or_default() {
            if given_up() {
                return;
            }
            if with.misfit(&app.catalogue).is_none()
                && let Err(error) = app.models.ahead(&app.catalogue, &with).await
            {
                tracing::debug!(%error, "not worked out ahead");
            }
        }
    });
    Ok(())
}

/// The entry by which it would be said.
fn seen(job: &Job, change: Change) -> Logged {
    let body = Body::Change(entry::Change {
        change,
        source: Some(KnownFrom::Seen),
    });
    Logged {
        id: Uuid::nil(),
        seq: job.head + 1,
        at: job.opened_at.unwrap_or(time::OffsetDateTime::UNIX_EPOCH),
        by: String::new(),
        by_id: None,
        body,
    }
}

#[cfg(test)]
mod tests {
    use super::{Ahead, Uuid};

    #[test]
    fn a_look_is_given_up_for_a_newer_one_and_for_what_is_said_of_its_own_job() {
        let (one, other) = (Uuid::from_u128(1), Uuid::from_u128(2));
        let ahead = Ahead::default();
        let newest = |look: u64| ahead.newest().number == look;
        let first = ahead.begin(Some(one));
        ahead.give_up(other);
        assert!(newest(first));
        ahead.give_up(one);
        assert!(!newest(first));
        let at_intake = ahead.begin(None);
        ahead.give_up(one);
        assert!(newest(at_intake));
        let second = ahead.begin(Some(one));
        assert!(!newest(at_intake) && newest(second));
    }
}
