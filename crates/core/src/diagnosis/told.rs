//! How likely each symptom is told under each fault case.

use crate::catalogue::Catalogue;
use crate::diagnosis::model::{Disagreement, Model, Rate};
use crate::diagnosis::signs::Seen;
use crate::diagnosis::unlisted::UNLISTED;
use spannung_circuit::{FaultCase, VehicleState};
use std::collections::BTreeMap;

impl Model {
    /// P(symptom | case): the table's figure, moved by what the circuit shows. `has` says whether this vehicle can
    /// show a sign.
    pub(super) fn symptomise(&mut self, catalogue: &Catalogue, has: &dyn Fn(&str) -> bool) {
        let rest = VehicleState::default();
        let pedals = self.profile.family.has("pedals");
        let family = &self.profile.family;
        let (packs, drives) = (family.has("second-pack"), family.has("second-drive"));
        let place_of = |sign, value| self.asked.place_of(catalogue, sign, &rest, value);
        let one_side = place_of("sides", "one");
        let shows = |seen: &Seen, sign: Option<(usize, u8)>| {
            sign.is_some_and(|(place, value)| seen[place] == value)
        };
        let spared = |case: &FaultCase, seen: &Seen| {
            (drives && shows(seen, one_side)) || (packs && FEEDS.contains(&case.segment.as_str()))
        };
        let total: f64 = self.hypotheses[..self.cases.len() - self.variants]
            .iter()
            .map(|h| h.weight)
            .sum();
        for symptom in &catalogue.symptoms {
            if !self.profile.family.fits(&symptom.fits) {
                continue;
            }
            let id = symptom.id.get_ref();
            let mut column = Vec::with_capacity(self.cases.len());
            let faults = self.cases.len() - self.variants;
            let when = symptom.when.iter().filter(|(sign, _)| has(sign));
            let when: Vec<_> = when.map(|(sign, value)| place_of(sign, value)).collect();
            for (case, seen) in self.cases[..faults].iter().zip(&self.signs) {
                let none = BTreeMap::new();
                let prior = catalogue.priors.get(&case.fault);
                let table = prior.map_or(&none, |p| &p.symptoms);
                let listed = if id == NO_DRIVE && !pedals {
                    none_of(NO_DRIVE_APART.iter().filter_map(|s| table.get(*s)))
                } else {
                    table.get(id).copied()
                };
                let derived = !symptom.when.is_empty();
                let derived = derived.then(|| when.iter().all(|sign| shows(seen, *sign)));
                let p = match (listed, derived) {
                    (Some(p), Some(true)) => p.max((p + FOLLOWS) / 2.0),
                    (Some(p), Some(false)) if case.intermittent => p,
                    (Some(p), Some(false)) if spared(case, seen) => p * OTHER_GOES_ON,
                    (Some(p), Some(false)) => p * AGAINST,
                    (Some(p), None) => p,
                    (None, Some(true)) => ALONE,
                    (None, _) => 0.0,
                };
                let mut disagree = |table: f64, circuit: bool| {
                    self.disagreements.push(Disagreement {
                        case: case.key.clone(),
                        symptom: id.clone(),
                        table,
                        circuit,
                    });
                };
                match (listed, derived) {
                    (Some(p), Some(false)) if p >= 0.5 && !spared(case, seen) => {
                        disagree(p, false);
                    }
                    (None, Some(true)) if case.fault != UNLISTED => {
                        disagree(0.0, true);
                    }
                    _ => {}
                }
                column.push(1.0 - (1.0 - symptom.leak) * (1.0 - p));
            }
            let base = column
                .iter()
                .zip(&self.hypotheses)
                .map(|(p, h)| p * h.weight)
                .sum::<f64>()
                / total;
            // told of a vehicle with nothing to repair as among all complaints
            column.resize(self.cases.len(), base);
            let rate = Rate {
                base,
                leak: symptom.leak,
                reliability: symptom.reliability,
            };
            self.symptom_base.insert(id.clone(), rate);
            self.symptoms.insert(id.clone(), column);
        }
    }
}

/// A symptom that follows from the drawn circuit is told so often, where the table knows nothing of it; with the table's
/// figure it is halfway; and what the circuit does not show keeps most of the table's. Makers differ: what halts one
/// controller makes another growl.
const FOLLOWS: f64 = 0.8;
const ALONE: f64 = 0.75;
const AGAINST: f64 = 0.8;
/// The same of a fault in the way of one pack or in one of two drives, when the circuit shows that the other goes on: the table
/// knows vehicles of one.
const OTHER_GOES_ON: f64 = 0.05;
const FEEDS: [&str; 3] = ["pack", "protection", "leads"];

/// “Lights up, no drive”. Where nobody can pedal, a dead throttle and a dead pedal assist are told in these words
/// as well.
const NO_DRIVE: &str = "S02";
const NO_DRIVE_APART: [&str; 3] = ["S02", "S03", "S04"];

/// Noisy-or of chances; none when there is none.
fn none_of<'a>(chances: impl Iterator<Item = &'a f64>) -> Option<f64> {
    let none = chances.fold(None, |n: Option<f64>, p| Some(n.unwrap_or(1.0) * (1.0 - p)));
    none.map(|n| 1.0 - n)
}
