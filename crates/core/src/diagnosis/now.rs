//! Chances of a test's outcomes at some point of a job.

use crate::diagnosis::belief::Belief;
use crate::diagnosis::hypothesis::Suspicion;
use crate::diagnosis::model::Model;
use crate::diagnosis::rows::Rows;

/// Chances of a test's outcomes under every hypothesis at some point of a job.
#[derive(Debug)]
pub struct Now<'a> {
    rows: &'a Rows,
    model: &'a Model,
    others: Vec<Vec<f64>>,
}

impl<'a> Now<'a> {
    /// Chances of a test's outcomes, unknown faults as what was read so far has them.
    pub fn of(rows: &'a Rows, model: &'a Model, belief: &Belief) -> Self {
        Self {
            rows,
            model,
            others: belief.unknown.rows(model, rows),
        }
    }

    /// Chances under one hypothesis.
    pub fn row(&self, hypothesis: usize) -> &[f64] {
        let h = &self.model.hypotheses[hypothesis];
        match h.kind {
            Suspicion::Case(k) | Suspicion::Choice(k) | Suspicion::Built(k) => self.rows.row(k),
            Suspicion::Nothing => &self.rows.healthy,
            Suspicion::Other => h.class.map_or(&self.rows.healthy, |c| &self.others[c]),
            Suspicion::Outside => self.others.last().unwrap_or(&self.rows.healthy),
        }
    }

    /// Number of outcomes.
    pub fn outcomes(&self) -> usize {
        self.rows.healthy.len()
    }
}
