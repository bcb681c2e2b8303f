//! Chances of a test's outcomes under every hypothesis, as choosing and planning use them: worked out once per
//! model. Most hypotheses leave most tests alone, so only rows that differ from a sound vehicle's are kept.

use crate::diagnosis::predict::{Class, Column, Hypothesis, Suspicion};

/// Where a hypothesis finds its row.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Place {
    Healthy,
    Plain,
    Own(u32),
}

/// Chances of one test's outcomes.
#[derive(Debug, Clone, PartialEq)]
pub struct Rows {
    /// Chances without a fault.
    pub healthy: Vec<f64>,
    /// Hypotheses that read otherwise, with their rows.
    pub own: Vec<(usize, Vec<f64>)>,
    /// “Something else” in classes whose known faults all leave this test alone.
    pub plain: Vec<usize>,
    /// Their row: 85 % healthy, 15 % anything.
    pub plain_row: Vec<f64>,
    place: Vec<Place>,
}

impl Rows {
    /// Rows of a column.
    pub fn of(column: &Column, hypotheses: &[Hypothesis], classes: &[Class]) -> Self {
        let (cases, healthy): (Vec<Option<Vec<f64>>>, Vec<f64>) = match column {
            Column::Figures { bins, .. } => {
                let wide = |r: &Vec<f32>| r.iter().map(|p| f64::from(*p)).collect::<Vec<f64>>();
                let differs = |r: &Vec<f32>| (*r != bins.healthy).then(|| wide(r));
                (
                    bins.cases.iter().map(differs).collect(),
                    wide(&bins.healthy),
                )
            }
            Column::Outcomes { cases, healthy } => {
                let differs = |r: &Vec<f64>| (r != healthy).then(|| r.clone());
                (cases.iter().map(differs).collect(), healthy.clone())
            }
        };
        let n = healthy.len();
        let any = 1.0 / n as f64;
        let mut rows = Self {
            plain_row: healthy.iter().map(|h| 0.85 * h + 0.15 * any).collect(),
            own: Vec::new(),
            plain: Vec::new(),
            place: Vec::with_capacity(hypotheses.len()),
            healthy,
        };
        for (k, h) in hypotheses.iter().enumerate() {
            let row = match &h.kind {
                Suspicion::Nothing => None,
                Suspicion::Case(c) => cases[*c].clone(),
                Suspicion::Outside => {
                    Some(rows.healthy.iter().map(|h| 0.6 * h + 0.4 * any).collect())
                }
                Suspicion::Other => {
                    let members = h.class.map_or(&[][..], |c| &classes[c].members[..]);
                    if members.iter().all(|m| cases[*m].is_none()) {
                        rows.plain.push(k);
                        rows.place.push(Place::Plain);
                        continue;
                    }
                    let weight: f64 = members.iter().map(|m| hypotheses[*m].weight).sum();
                    let mut row = vec![0.0; n];
                    for m in members {
                        let share = hypotheses[*m].weight / weight.max(1e-300);
                        let source = cases[*m].as_ref().unwrap_or(&rows.healthy);
                        for (r, s) in row.iter_mut().zip(source) {
                            *r += share * s;
                        }
                    }
                    for (r, h) in row.iter_mut().zip(&rows.healthy) {
                        *r = 0.40 * *r + 0.45 * h + 0.15 * any;
                    }
                    Some(row)
                }
            };
            rows.place.push(match row {
                None => Place::Healthy,
                Some(row) => {
                    rows.own.push((k, row));
                    Place::Own(rows.own.len() as u32 - 1)
                }
            });
        }
        rows
    }

    /// Rows given outright, one per hypothesis and that of a sound vehicle: for problems made by hand.
    pub fn given(each: Vec<Vec<f64>>, healthy: Vec<f64>) -> Self {
        Self {
            plain_row: healthy.clone(),
            plain: Vec::new(),
            place: (0..each.len() as u32).map(Place::Own).collect(),
            own: each.into_iter().enumerate().collect(),
            healthy,
        }
    }

    /// Chances under one hypothesis.
    pub fn row(&self, hypothesis: usize) -> &[f64] {
        match self.place[hypothesis] {
            Place::Healthy => &self.healthy,
            Place::Plain => &self.plain_row,
            Place::Own(k) => &self.own[k as usize].1,
        }
    }
}
