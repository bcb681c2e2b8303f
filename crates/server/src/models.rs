//! Models by profile: built once per profile, off the async threads, and kept; a changed vehicle's from the one before. Predictions for a
//! reading taken in another state than its test's own are kept with the model.

use crate::error::ApiError;
use spannung_circuit::{Change, Family, Profile, VehicleState};
use spannung_core::catalogue::{Catalogue, fnv};
use spannung_core::diagnosis::Model;
use spannung_core::diagnosis::predict::Column;
use spannung_core::job::Job;
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};
use tokio::sync::OnceCell;

/// Most profiles kept; the oldest goes first.
const KEPT: usize = 24;

/// A model with the columns worked out beside it.
pub struct Ready {
    /// The model.
    pub model: Model,
    columns: Mutex<HashMap<(usize, VehicleState), Arc<Column>>>,
}

impl Ready {
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

type Slot = Arc<OnceCell<Arc<Ready>>>;

/// The kept models, newest last.
#[derive(Default)]
pub struct Models {
    slots: Mutex<Vec<(u64, Slot)>>,
}

impl Models {
    /// The model of a job's vehicle.
    ///
    /// # Errors
    /// No wiring model for this vehicle, or a change that does not fit it.
    pub async fn of(&self, catalogue: &Arc<Catalogue>, job: &Job) -> Result<Arc<Ready>, ApiError> {
        let family = job
            .family(catalogue)
            .ok_or_else(|| ApiError::not_found("wiring model"))?;
        // one change after the other: what a change leaves alone is taken over, and the way to a model is the same
        // after every start of the server
        let whole = job.changes.len();
        let kept = (0..whole)
            .rev()
            .find(|n| self.ready(key(catalogue, family, &job.changes[..*n])));
        let mut before: Option<Arc<Ready>> = None;
        for n in kept.unwrap_or(0)..=whole {
            let profile =
                Profile::new(family, &job.changes[..n]).map_err(spannung_core::CoreError::from)?;
            before = Some(self.of_profile(catalogue, profile, before).await?);
        }
        before.ok_or_else(|| ApiError::not_found("wiring model"))
    }

    /// Is this model kept and built?
    fn ready(&self, key: u64) -> bool {
        let slots = self.slots.lock().unwrap_or_else(PoisonError::into_inner);
        slots.iter().any(|s| s.0 == key && s.1.initialized())
    }

    /// Build the unchanged families ahead, so that the first job does not wait.
    pub async fn warm(&self, catalogue: &Arc<Catalogue>) {
        let families: Vec<Family> = catalogue.families.clone();
        for family in families {
            if let Ok(profile) = Profile::new(&family, &[])
                && let Err(error) = self.of_profile(catalogue, profile, None).await
            {
                tracing::error!(%error, family = family.id, "model does not build");
            }
        }
    }

    async fn of_profile(
        &self,
        catalogue: &Arc<Catalogue>,
        profile: Profile,
        before: Option<Arc<Ready>>,
    ) -> Result<Arc<Ready>, ApiError> {
        let key = key(catalogue, &profile.family, &profile.changes);
        let slot = {
            let mut slots = self.slots.lock().unwrap_or_else(PoisonError::into_inner);
            let found = slots
                .iter()
                .position(|s| s.0 == key)
                .map(|k| slots.remove(k));
            let slot = found.unwrap_or_else(|| (key, Slot::default()));
            slots.push(slot.clone());
            if slots.len() > KEPT {
                slots.remove(0);
            }
            slot.1
        };
        let catalogue = Arc::clone(catalogue);
        slot.get_or_try_init(|| async {
            let build = move || match before {
                Some(before) => before.model.edited(&catalogue, &profile),
                None => Model::build(&catalogue, &profile),
            };
            let built = tokio::task::spawn_blocking(build)
                .await
                .map_err(|_| ApiError::internal("model"))??;
            Ok::<_, ApiError>(Arc::new(Ready {
                model: built,
                columns: Mutex::default(),
            }))
        })
        .await
        .cloned()
    }
}
