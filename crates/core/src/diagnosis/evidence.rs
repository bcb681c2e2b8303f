//! What a job has found: what was told, what came out of tests, repairs that did not help.

use crate::diagnosis::column::Column;
use spannung_circuit::VehicleState;
use std::collections::BTreeMap;
use std::sync::Arc;

/// Log weight of a suspect ruled out (or in) by hand.
pub const BY_HAND: f64 = 8.0;

/// What came out of a test.
#[derive(Debug, Clone, PartialEq)]
pub enum Answer {
    /// Figure, SI; low = high for a steady one.
    Figure {
        /// Lowest.
        low: f64,
        /// Highest.
        high: f64,
    },
    /// The meter showed OL.
    OverRange,
    /// The meter showed nothing: 0 V, or OL on ohms.
    Nothing,
    /// It would not stand still.
    NotSteady,
    /// Could not be reached: no evidence.
    CannotReach,
    /// Index of the sign's value that was seen, and of the place where, among those that the look goes over.
    Outcome(usize, Option<usize>),
    /// Could not be told: no evidence.
    CannotTell,
}

/// A state that is not the one a test asks for.
#[derive(Debug, Clone, PartialEq)]
pub struct TakenIn {
    /// State.
    pub state: VehicleState,
    /// What the test reads in it.
    pub column: Arc<Column>,
}

/// One piece of evidence.
#[derive(Debug, Clone, PartialEq)]
pub enum Item {
    /// A symptom told or denied.
    Symptom {
        /// Id.
        id: String,
        /// Told (true) or denied.
        yes: bool,
        /// By the customer; otherwise seen by the technician (reliability 0.97).
        customer: bool,
    },
    /// A risk factor present or absent.
    Risk {
        /// Letter.
        id: String,
        /// Present.
        yes: bool,
    },
    /// A test.
    Test {
        /// Index.
        test: usize,
        /// Result.
        answer: Answer,
        /// State it was taken in, when that differs from the test's own.
        taken_in: Option<TakenIn>,
    },
    /// The repair of a class was done and the complaint still shows: either it was another fault, or this one and a
    /// second. What is read from here on is read with the repair done.
    Failed {
        /// Class index.
        class: usize,
        /// Of what was told: what shows still, and what is gone.
        still: BTreeMap<String, bool>,
    },
    /// It was looked at: the vehicle is not built in a way that was thought possible.
    NotBuilt {
        /// Case of the way.
        case: usize,
    },
    /// A class ruled out or in by hand.
    ByHand {
        /// Class index.
        class: usize,
        /// Out or in.
        out: bool,
    },
}

/// An item with the id of the entry it came from.
#[derive(Debug, Clone, PartialEq)]
pub struct Evidence {
    /// Entry id.
    pub entry: String,
    /// What.
    pub item: Item,
}

/// What was taken since the last repair: what is older may read otherwise now.
pub fn since_mended(evidence: &[Evidence]) -> &[Evidence] {
    let mended = |e: &Evidence| matches!(e.item, Item::Failed { .. });
    let since = evidence.iter().rposition(mended).map_or(0, |k| k + 1);
    &evidence[since..]
}

/// What a test gave since something was last mended, in order.
pub fn answers_of(evidence: &[Evidence], test: usize) -> impl Iterator<Item = &Answer> {
    let each = since_mended(evidence).iter();
    each.filter_map(move |e| match &e.item {
        Item::Test {
            test: t, answer, ..
        } if *t == test => Some(answer),
        _ => None,
    })
}
