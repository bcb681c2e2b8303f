//! What a person sees, hears or feels in each fault case: every sign that a procedure or a symptom asks about, looked
//! at once.

use crate::catalogue::Catalogue;
use crate::diagnosis::column::Places;
use crate::diagnosis::repertoire::{Kind, Test};
use spannung_circuit::behaviour::Scene;
use spannung_circuit::{FaultCase, VehicleState};
use std::collections::BTreeMap;
use std::sync::Arc;

/// Values of the asked signs, as places in the list of each sign's values; 0 is the sound one.
pub type Seen = Arc<[u8]>;

/// The signs that are asked about, with the plugs that are apart while looking.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Asked {
    list: Vec<(String, VehicleState)>,
    index: BTreeMap<(String, VehicleState), usize>,
}

/// The state of a test as far as looking goes: its plugs.
pub fn apart_only(test: &Test) -> VehicleState {
    VehicleState {
        apart: test.state.apart.clone(),
        ..VehicleState::default()
    }
}

impl Asked {
    /// What the tests of a vehicle and the symptoms of the catalogue ask about.
    pub fn of(catalogue: &Catalogue, tests: &[Test]) -> Self {
        let mut asked = Self::default();
        let procedures = tests.iter().filter_map(|t| match &t.kind {
            Kind::Procedure { sign, .. } => Some((sign.clone(), apart_only(t))),
            Kind::Probe(_) => None,
        });
        let told = catalogue.symptoms.iter().flat_map(|s| {
            let signs = s.when.keys();
            signs.map(|sign| (sign.clone(), VehicleState::default()))
        });
        for key in procedures.chain(told) {
            if !asked.index.contains_key(&key) {
                asked.index.insert(key.clone(), asked.list.len());
                asked.list.push(key);
            }
        }
        asked
    }

    /// What is asked about, in order.
    pub fn list(&self) -> &[(String, VehicleState)] {
        &self.list
    }

    /// Place of a sign, with plugs apart, among what is asked about.
    pub fn place(&self, sign: &str, state: &VehicleState) -> Option<usize> {
        self.index.get(&(sign.to_string(), state.clone())).copied()
    }

    /// Look at everything in one scene; what a fault does not name and the circuit does not tell reads as sound.
    pub fn look(&self, catalogue: &Catalogue, scene: &Scene<'_>) -> Seen {
        let value = |(sign, state): &(String, VehicleState)| -> u8 {
            let spec = catalogue.faults.sign(sign);
            let seen = scene.observe(sign, state).zip(spec);
            let place = seen.and_then(|(v, s)| s.values.iter().position(|x| *x == v));
            place.unwrap_or(0) as u8
        };
        self.list.iter().map(value).collect()
    }

    /// Does it drive, and show that it is on, as a sound one does? What does not was built by nobody.
    pub fn drives_like(&self, catalogue: &Catalogue, seen: &Seen, sound: &Seen) -> bool {
        let at_rest = VehicleState::default();
        DRIVES.iter().all(|(sign, broken)| {
            let value = |of| self.value(catalogue, of, sign, &at_rest);
            let is = value(seen);
            is == value(sound) || is.is_none_or(|v| !broken.contains(&v))
        })
    }

    /// Where a sign stands in what is seen, and the value that is so called there; none when it was not asked about.
    pub fn place_of(
        &self,
        catalogue: &Catalogue,
        sign: &str,
        state: &VehicleState,
        value: &str,
    ) -> Option<(usize, u8)> {
        let values = &catalogue.faults.sign(sign)?.values;
        let code = values.iter().position(|v| v == value)?;
        Some((self.place(sign, state)?, code as u8))
    }

    /// The value of a sign in what was seen; none when it was not asked about.
    pub fn value<'a>(
        &self,
        catalogue: &'a Catalogue,
        seen: &Seen,
        sign: &str,
        state: &VehicleState,
    ) -> Option<&'a str> {
        let k = self.place(sign, state)?;
        let values = &catalogue.faults.sign(sign)?.values;
        values.get(seen[k] as usize).map(String::as_str)
    }
}

/// What shows that a vehicle does not drive, by sign.
const DRIVES: [(&str, &[&str]); 2] = [
    ("motor", &["silent", "buzzes", "backwards", "runs-away"]),
    ("display", &["dark"]),
];
/// Chance that a sign shows on this vehicle whatever is wrong with it, for its maker built it so; and at every look.
pub(super) const SHOWS_OTHERWISE: f64 = 0.05;

fn smoothed(row: &[f64]) -> Vec<f64> {
    let n = row.len() as f64;
    let one = |p: &f64| (1.0 - SHOWS_OTHERWISE) * p + SHOWS_OTHERWISE / n;
    row.iter().map(one).collect()
}

/// Chances of the outcomes of a procedure when `value` is there.
pub fn outcome_row(
    value: usize,
    usual: usize,
    n: usize,
    sensitivity: f64,
    specificity: f64,
) -> Vec<f64> {
    let mut row = vec![0.0; n];
    if value == usual {
        row[usual] = specificity;
        let others = (n - 1).max(1) as f64;
        for (k, p) in row.iter_mut().enumerate() {
            if k != usual {
                *p = (1.0 - specificity) / others;
            }
        }
    } else {
        let others = n.saturating_sub(2).max(1) as f64;
        let missed = if n > 2 { 0.7 } else { 1.0 };
        for (k, p) in row.iter_mut().enumerate() {
            *p = if k == value {
                sensitivity
            } else if k == usual {
                (1.0 - sensitivity) * missed
            } else {
                (1.0 - sensitivity) * (1.0 - missed) / others
            };
        }
    }
    smoothed(&row)
}

/// Where the cases sit that a look can find, among the places it goes over.
pub fn places_of(test: &Test, cases: &[FaultCase]) -> Places {
    let Kind::Procedure { sign, places, .. } = &test.kind else {
        return Places::default();
    };
    if places.is_empty() {
        return Places::default();
    }
    let sits = |case: &FaultCase, place: &str| {
        let strand = |at: &String| at.split('.').next() == Some(place);
        case.signs.contains_key(sign) && case.at.iter().any(strand)
    };
    let of = |case: &FaultCase| {
        let each = places.iter().enumerate();
        each.filter(|(_, p)| sits(case, p))
            .map(|(k, _)| k)
            .collect()
    };
    Places {
        count: places.len(),
        of: cases.iter().map(of).collect(),
    }
}

/// Rows of a procedure's outcomes under every case, and under a sound vehicle.
pub fn outcome_rows(
    catalogue: &Catalogue,
    asked: &Asked,
    test: &Test,
    cases: &[FaultCase],
    seen: &[Seen],
    sound: &Seen,
) -> Option<(Vec<Vec<f64>>, Vec<f64>)> {
    let Kind::Procedure {
        sign,
        outcomes,
        sensitivity,
        specificity,
        ..
    } = &test.kind
    else {
        return None;
    };
    let spec = catalogue.faults.sign(sign);
    // by value of the sign, its outcome
    let outcome = |value: &String| outcomes.iter().position(|o| o.0 == *value).unwrap_or(0);
    let called: Vec<usize> = spec.map_or_else(Vec::new, |s| s.values.iter().map(outcome).collect());
    let place = asked.place(sign, &apart_only(test));
    let at = |seen: &Seen| {
        let value = place.and_then(|place| called.get(seen[place] as usize));
        value.copied().unwrap_or(0)
    };
    let usual = at(sound);
    // what is called something else by a table, where there is one
    let told = |value: usize| -> Option<Vec<f64>> {
        let called = spec?.seen_as.get(&outcomes[value].0)?;
        let mut row = vec![0.0; outcomes.len()];
        row[value] = 1.0 - called.values().sum::<f64>();
        for (k, (name, _)) in outcomes.iter().enumerate() {
            row[k] += called.get(name).copied().unwrap_or(0.0);
        }
        let all: f64 = row.iter().sum();
        row.iter_mut().for_each(|p| *p /= all);
        Some(smoothed(&row))
    };
    let row = |value: usize| {
        let plain = || outcome_row(value, usual, outcomes.len(), *sensitivity, *specificity);
        told(value).unwrap_or_else(plain)
    };
    let rows: Vec<Vec<f64>> = (0..outcomes.len()).map(row).collect();
    let healthy = rows[usual].clone();
    let of = |(case, seen): (&FaultCase, &Seen)| -> Vec<f64> {
        let mine = &rows[at(seen)];
        // a sign the fault names is one its stimulus brings out
        if case.intermittent && !case.signs.contains_key(sign) {
            let mixed = mine.iter().zip(&healthy);
            mixed.map(|(m, u)| 0.35 * m + 0.65 * u).collect()
        } else {
            mine.clone()
        }
    };
    Some((cases.iter().zip(seen).map(of).collect(), healthy))
}
