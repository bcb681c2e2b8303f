//! Where the rider's controls stand: one card for all of them, before anything is opened, when a vehicle is dead, slow
//! or weak.

use crate::diagnosis::repertoire::{Kind, Test};
use crate::job::bench::Weighed;
use crate::job::gate::Standing;
use crate::job::view::{ControlItem, ControlValue, Controls};

/// A card is worth its while from so many.
const FEWEST: usize = 2;

impl Weighed<'_> {
    /// The card, when it is to be asked: told dead, slow or weak, nothing opened yet, no repair tried, and some
    /// controls not looked at.
    pub(crate) fn controls(&self) -> Option<Controls> {
        let told = self.job.symptoms.iter().any(|s| {
            s.yes == Some(true)
                && self
                    .catalogue
                    .symptom(&s.symptom)
                    .is_some_and(|s| s.controls_first)
        });
        let access = &self.model.profile.family.access;
        let opened = self.situation.opened.iter();
        let untouched = opened
            .filter_map(|code| access.get(code))
            .all(|a| a.minutes == 0.0);
        if !told || !untouched || self.standing != Standing::Open || !self.job.parts.is_empty() {
            return None;
        }
        let left: Vec<&Test> = self
            .model
            .tests
            .iter()
            .filter(|t| t.control && !self.situation.closed.contains(&t.id))
            .filter(|t| t.risk <= self.situation.risk_limit)
            .collect();
        if left.len() < FEWEST {
            return None;
        }
        let as_asked = left
            .iter()
            .fold(self.job.state.clone(), |state, t| t.state.bring(&state));
        let items = left.iter().filter_map(|t| match &t.kind {
            Kind::Procedure { sign, outcomes, .. } => Some(ControlItem {
                test: t.id.clone(),
                sign: sign.clone(),
                name: t.name.clone(),
                how: t.why.clone(),
                minutes: t.minutes,
                values: outcomes
                    .iter()
                    .map(|(value, name)| ControlValue {
                        value: value.clone(),
                        name: name.clone(),
                    })
                    .collect(),
            }),
            Kind::Probe(_) => None,
        });
        Some(Controls {
            items: items.collect(),
            minutes: left.iter().map(|t| t.minutes).sum(),
            stands: as_asked == self.job.state,
            as_asked,
        })
    }
}
