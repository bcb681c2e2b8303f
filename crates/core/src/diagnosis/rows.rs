//! Chances of a test's outcomes under every fault case, as choosing and planning use them: worked out once per
//! model. Most faults leave most tests alone, so only rows that differ from a sound vehicle's are kept.

use crate::diagnosis::column::Column;
use spannung_circuit::FaultCase;

/// Chances of one test's outcomes.
#[derive(Debug, Clone, PartialEq)]
pub struct Rows {
    /// Chances without a fault.
    pub healthy: Vec<f64>,
    /// Cases that read otherwise, with their rows.
    pub own: Vec<(usize, Vec<f64>)>,
    /// Where a case's row stands in `own`.
    place: Vec<Option<u32>>,
}

impl Rows {
    /// Rows of a column for its cases.
    pub fn of(column: &Column, specs: &[FaultCase]) -> Self {
        match column {
            Column::Figures {
                scale,
                dims,
                readings,
                bins,
            } => {
                let at_rest = bins.plain(*scale, *dims, &readings.healthy);
                let healthy = bins.chances(*scale, *dims, &readings.healthy, None);
                let row = |(case, spec): (usize, &FaultCase)| {
                    let p = readings.moved(case)?;
                    let rests = spec.intermittent.then_some(&*at_rest);
                    Some(bins.chances(*scale, *dims, p, rests))
                };
                Self::moved(specs.iter().enumerate().map(row), healthy)
            }
            Column::Outcomes {
                cases,
                healthy,
                places,
            } => {
                let each = cases.iter().enumerate();
                let row = |(k, row): (usize, &Vec<f64>)| places.spread(Some(k), row, healthy);
                Self::given(each.map(row), places.spread(None, healthy, healthy))
            }
        }
    }

    /// These rows for a column of which only cases came or went that leave the figure as it is.
    pub(super) fn replaced(&self, then: &Column, now: &Column) -> Self {
        let mut rows = Self {
            own: Vec::with_capacity(self.own.len()),
            place: vec![None; now.cases()],
            healthy: self.healthy.clone(),
        };
        for (old, new) in then.moved_cases().zip(now.moved_cases()) {
            if let Some(k) = self.place[old] {
                rows.place[new] = Some(rows.own.len() as u32);
                rows.own.push((new, self.own[k as usize].1.clone()));
            }
        }
        rows
    }

    /// Rows given outright, one per case and that of a sound vehicle.
    pub fn given(each: impl Iterator<Item = Vec<f64>>, healthy: Vec<f64>) -> Self {
        Self::moved(each.map(Some), healthy)
    }

    /// The same; none where a case reads as a sound vehicle.
    fn moved(each: impl Iterator<Item = Option<Vec<f64>>>, healthy: Vec<f64>) -> Self {
        let mut rows = Self {
            own: Vec::new(),
            place: Vec::new(),
            healthy,
        };
        for (case, row) in each.enumerate() {
            let row = row.filter(|row| *row != rows.healthy);
            rows.place.push(row.as_ref().map(|_| rows.own.len() as u32));
            rows.own.extend(row.map(|row| (case, row)));
        }
        rows
    }

    /// About how many bytes they take up.
    pub(super) fn bytes(&self) -> usize {
        let own: usize = self.own.iter().map(|(_, r)| 40 + 8 * r.len()).sum();
        own + self.place.len() * 8
    }

    /// Chances under one case.
    pub fn row(&self, case: usize) -> &[f64] {
        match self.place[case] {
            None => &self.healthy,
            Some(k) => &self.own[k as usize].1,
        }
    }
}
