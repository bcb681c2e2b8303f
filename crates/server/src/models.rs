//! Models by profile: built once per profile, off the async threads, and kept; a changed vehicle's from the one before. Predictions for a
//! reading taken in another state than its test's own are kept with the model.

use crate::error::ApiError;
use spannung_circuit::build::{Kind, Shelf};
use spannung_circuit::{Change, Family, Profile, VehicleState};
use spannung_core::catalogue::{Catalogue, fnv};
use spannung_core::diagnosis::column::Column;
use spannung_core::diagnosis::{Belief, Course, Evidence, Model};
use spannung_core::job::Job;
use spannung_core::job::bench::Beside;
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};
use tokio::sync::{OnceCell, Semaphore};

/// Most models kept.
const KEPT: usize = 24;
/// Bytes of all that are kept together; the one used longest ago goes first.
const KEPT_BYTES: usize = 400 * 1024 * 1024;
/// Models that are built at once.
const BUILDS: usize = 2;
/// Models that are kept although nobody asked for them yet: what is worked out ahead takes no room from what is worked on.
const AHEAD: usize = 4;

/// A model with the columns worked out beside it.
pub struct Ready {
    /// The model.
    pub model: Model,
    columns: Mutex<HashMap<(usize, VehicleState), Arc<Column>>>,
    /// Jobs that were looked at last, as far as they had come.
    courses: Mutex<Vec<Course>>,
}

/// Jobs whose course is kept beside a model.
const COURSES: usize = 4;

impl Beside for &Ready {
    fn column(&mut self, test: usize, state: &VehicleState) -> Option<Arc<Column>> {
        Ready::column(self, test, state)
    }

    /// Goes on from what was believed before the last answer, when that is kept.
    fn belief(&mut self, model: &Model, evidence: &[Evidence]) -> Belief {
        let lock = || self.courses.lock().unwrap_or_else(PoisonError::into_inner);
        let kept = {
            let mut courses = lock();
            let ahead = |c: &Course| c.is_before(evidence).then(|| c.len());
            let best = (0..courses.len()).max_by_key(|k| ahead(&courses[*k]));
            let best = best.filter(|k| courses[*k].is_before(evidence));
            best.map(|k| courses.remove(k))
        };
        let mut course = kept.unwrap_or_else(|| Course::new(model));
        let belief = course.after(model, evidence).clone();
        let mut courses = lock();
        courses.push(course);
        if courses.len() > COURSES {
            courses.remove(0);
        }
        belief
    }
}

impl Ready {
    /// About how many bytes it takes up with what is kept beside it.
    fn bytes(&self) -> usize {
        let courses = self.courses.lock().unwrap_or_else(PoisonError::into_inner);
        self.model.bytes() + courses.iter().map(Course::bytes).sum::<usize>()
    }

    /// Predictions of a test in a state. The first time it takes some tens of milliseconds.
    pub fn column(&self, test: usize, state: &VehicleState) -> Option<Arc<Column>> {
        let key = (test, state.clone());
        let kept = self
            .columns
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .get(&key)
            .cloned();
        if kept.is_some() {
            return kept;
        }
        let column = Arc::new(self.model.column_in(test, state)?);
        let mut columns = self.columns.lock().unwrap_or_else(PoisonError::into_inner);
        if columns.len() > 500 {
            columns.clear();
        }
        columns.insert(key, Arc::clone(&column));
        Some(column)
    }
}

fn key(catalogue: &Catalogue, family: &Family, changes: &[Change]) -> u64 {
    let changes = serde_json::to_string(changes).unwrap_or_default();
    fnv(format!("{}\n{}\n{changes}", catalogue.hash, family.id).bytes())
}

/// The way to a model, as numbers of changes: the vehicle as it was put together, with what hangs at its signal wires, and
/// then one change after the other. It is the same after every start of the server.
fn way(family: &Family, changes: &[Change]) -> Vec<usize> {
    let components = family.build.components.iter();
    let mut stands: HashMap<&str, &str> = components
        .map(|c| (c.slot.get_ref().as_str(), c.kind.as_str()))
        .collect();
    let shelf = Shelf::shipped().ok();
    let small = |slot: &str, kind: Option<&str>| {
        let devices = shelf.and_then(|s| s.slot(slot));
        let kind = kind.map(|id| shelf.and_then(|s| s.kind(id)));
        devices.is_some_and(|s| s.section == "devices")
            && kind.is_none_or(|k| k.is_some_and(Kind::at_signals))
    };
    let (mut power, mut built) = (0, 0);
    for (k, change) in changes.iter().enumerate() {
        let mut reaches = change.rebuilds();
        if let Change::Component { slot, kind } | Change::Likely { slot, kind } = change {
            // what was assumed, and somebody looked
            let before = stands.get(slot.as_str()).copied();
            if before == kind.as_deref() {
                continue;
            }
            reaches = !small(slot, before) || !small(slot, kind.as_deref());
            match kind {
                Some(kind) => stands.insert(slot, kind),
                None => stands.remove(slot.as_str()),
            };
        }
        if reaches {
            power = k + 1;
        }
        if change.rebuilds() {
            built = k + 1;
        }
    }
    let mut way = vec![power, built];
    way.extend(built + 1..=changes.len());
    way.dedup();
    way
}

type Slot = Arc<OnceCell<Arc<Ready>>>;

/// A kept model's place.
struct Place {
    key: u64,
    slot: Slot,
    /// Nobody asked for it yet.
    ahead: bool,
}

impl Place {
    fn bytes(&self) -> usize {
        self.slot.get().map_or(0, |r| r.bytes())
    }
}

/// The kept models, the one used last at the end.
pub struct Models {
    places: Mutex<Vec<Place>>,
    /// Whoever builds waits their turn: the machine has a few cores, and each build uses all of them.
    builds: Semaphore,
}

impl Default for Models {
    fn default() -> Self {
        Self {
            places: Mutex::default(),
            builds: Semaphore::new(BUILDS),
        }
    }
}

impl Models {
    /// The model of a job's vehicle.
    ///
    /// # Errors
    /// No wiring model for this vehicle, or a change that does not fit it.
    pub async fn of(&self, catalogue: &Arc<Catalogue>, job: &Job) -> Result<Arc<Ready>, ApiError> {
        self.asked(catalogue, job, false).await
    }

    /// The same before anybody asks for it.
    ///
    /// # Errors
    /// As [`Self::of`].
    pub async fn ahead(&self, catalogue: &Arc<Catalogue>, job: &Job) -> Result<(), ApiError> {
        self.asked(catalogue, job, true).await.map(drop)
    }

    async fn asked(
        &self,
        catalogue: &Arc<Catalogue>,
        job: &Job,
        ahead: bool,
    ) -> Result<Arc<Ready>, ApiError> {
        let family = job
            .begun(catalogue)
            .ok_or_else(|| ApiError::not_found("wiring model"))?;
        let changes = job.differences();
        let first = way(family, &changes)[0];
        if first < changes.len() {
            // where the way begins is kept for all that go on from there
            let begun = &changes[..first];
            let base = self.place(key(catalogue, family, begun), false);
            base.get_or_try_init(|| self.build(catalogue, family, begun))
                .await?;
        }
        let slot = self.place(key(catalogue, family, &changes), ahead);
        slot.get_or_try_init(|| self.build(catalogue, family, &changes))
            .await
            .cloned()
    }

    /// What tells the models of two vehicles apart; none without a wiring model.
    pub fn key_of(&self, catalogue: &Catalogue, job: &Job) -> Option<u64> {
        let family = job.begun(catalogue)?;
        Some(key(catalogue, family, &job.differences()))
    }

    /// Is the model of a job's vehicle there?
    pub fn built(&self, catalogue: &Catalogue, job: &Job) -> bool {
        let key = self.key_of(catalogue, job);
        key.is_some_and(|k| self.ready(k).is_some())
    }

    /// Build the commonest families ahead, so that the first job does not wait.
    pub async fn warm(&self, catalogue: &Arc<Catalogue>) {
        for family in catalogue.common() {
            let slot = self.place(key(catalogue, family, &[]), false);
            let built = slot.get_or_try_init(|| self.build(catalogue, family, &[]));
            if let Err(error) = built.await {
                tracing::error!(%error, family = family.id, "model does not build");
            }
        }
    }

    /// Along the [`way`], from the farthest that is kept: what a change leaves alone is taken over. What lies between is not
    /// kept.
    async fn build(
        &self,
        catalogue: &Arc<Catalogue>,
        family: &Family,
        changes: &[Change],
    ) -> Result<Arc<Ready>, ApiError> {
        let _turn = self
            .builds
            .acquire()
            .await
            .map_err(ApiError::internal("model"))?;
        let mut left = way(family, changes);
        let there = |n: &usize| self.ready(key(catalogue, family, &changes[..*n]));
        let kept = left
            .iter()
            .rposition(|n| *n < changes.len() && there(n).is_some());
        let mut before = kept.and_then(|k| there(&left[k]));
        if before.is_some() {
            left.drain(..=kept.unwrap_or(0));
        }
        for n in left {
            let profile =
                Profile::new(family, &changes[..n]).map_err(spannung_core::CoreError::from)?;
            let catalogue = Arc::clone(catalogue);
            let from: Option<Arc<Ready>> = before.take();
            let build = move || match from {
                Some(from) => from.model.edited(&catalogue, &profile),
                None => Model::build(&catalogue, &profile),
            };
            let model = tokio::task::spawn_blocking(build)
                .await
                .map_err(ApiError::internal("model"))??;
            before = Some(Arc::new(Ready {
                model,
                columns: Mutex::default(),
                courses: Mutex::default(),
            }));
        }
        before.ok_or_else(|| ApiError::not_found("wiring model"))
    }

    /// A model that is kept and built.
    fn ready(&self, key: u64) -> Option<Arc<Ready>> {
        let places = self.places.lock().unwrap_or_else(PoisonError::into_inner);
        places
            .iter()
            .find(|p| p.key == key)
            .and_then(|p| p.slot.get().cloned())
    }

    /// The place of a model, moved to the end; the ones used longest ago go where all together are too large.
    /// `ahead` of anybody who asks for it, it takes the place of the oldest such one where there are enough of them.
    fn place(&self, key: u64, ahead: bool) -> Slot {
        let mut places = self.places.lock().unwrap_or_else(PoisonError::into_inner);
        let found = places.iter().position(|p| p.key == key);
        let mut place = match found {
            Some(k) => places.remove(k),
            None => Place {
                key,
                slot: Slot::default(),
                ahead,
            },
        };
        place.ahead &= ahead;
        if place.ahead && places.iter().filter(|p| p.ahead).count() >= AHEAD {
            let oldest = places.iter().position(|p| p.ahead);
            oldest.map(|k| places.remove(k));
        }
        let slot = Arc::clone(&place.slot);
        places.push(place);
        let mut room = KEPT_BYTES;
        let mut from = places.len();
        while from > 0 {
            let bytes = places[from - 1].bytes();
            if bytes > room || places.len() - from >= KEPT {
                break;
            }
            room -= bytes;
            from -= 1;
        }
        // the one that is asked for stays, however large
        let gone = from.min(places.len() - 1);
        places.drain(..gone);
        slot
    }
}

#[cfg(test)]
mod tests {
    use super::{AHEAD, Models};

    /// Places of what nobody asked for yet.
    fn ahead(models: &Models) -> usize {
        let places = models.places.lock().unwrap();
        places.iter().filter(|p| p.ahead).count()
    }

    #[test]
    fn what_is_worked_out_ahead_takes_little_room_from_what_is_asked_for() {
        let models = Models::default();
        let asked: Vec<u64> = (0..10).collect();
        for key in &asked {
            models.place(*key, false);
        }
        for key in 100..150 {
            models.place(key, true);
        }
        assert_eq!(ahead(&models), AHEAD);
        let keys = || -> Vec<u64> {
            let places = models.places.lock().unwrap();
            places.iter().map(|p| p.key).collect()
        };
        assert!(asked.iter().all(|key| keys().contains(key)));
        // once asked for it is like the others, and looking at it again takes that from it no more
        models.place(149, false);
        models.place(149, true);
        assert_eq!(ahead(&models), AHEAD - 1);
        for key in 150..160 {
            models.place(key, true);
        }
        assert!(keys().contains(&149) && !keys().contains(&148));
    }
}
