//! The columns of a model with their rows: taken over whole from before a change, cut as before, or worked out.

use crate::catalogue::Catalogue;
use crate::cores::share_out;
use crate::diagnosis::bins::Bins;
use crate::diagnosis::column::{Column, Readings};
use crate::diagnosis::kept::Kept;
use crate::diagnosis::model::Model;
use crate::diagnosis::repertoire::{Kind, Test};
use crate::diagnosis::rows::Rows;
use crate::diagnosis::scale::Prediction;
use crate::diagnosis::signs::{outcome_rows, places_of};
use crate::diagnosis::solved::Solved;
use std::sync::Arc;

/// What the columns are made of.
pub(super) struct Columns<'a> {
    pub catalogue: &'a Catalogue,
    /// The model that they are for; all but its columns is there.
    pub model: &'a Model,
    /// What a change leaves as it was.
    pub kept: Option<&'a Kept<'a>>,
    /// The same, where the hypotheses are as they were.
    pub same: Option<&'a Kept<'a>>,
    /// What every case but the ways to build the vehicle reads.
    pub solved: &'a Solved<'a>,
    /// What each of those reads, by probe.
    pub built: &'a [Vec<Prediction>],
    /// What a sound vehicle reads, by probe.
    pub sound: &'a [Prediction],
}

/// A column of the model before, and its rows.
struct Before<'a> {
    column: &'a Column,
    rows: &'a Rows,
}

/// A column and its rows.
type Filled = (Arc<Column>, Arc<Rows>);

impl Columns<'_> {
    /// One a test, in their order; every core takes its share.
    pub fn all(&self) -> Vec<Filled> {
        let tests = &self.model.tests;
        // of a probe its place among the probes
        let mut places = 0..tests.len();
        let mut place = |t: &Test| match t.kind {
            Kind::Probe(_) => places.next(),
            Kind::Procedure { .. } => None,
        };
        let places: Vec<Option<usize>> = tests.iter().map(&mut place).collect();
        share_out(tests.len(), |some| {
            let one = |t: &usize| (*t, self.one(&tests[*t], places[*t]));
            some.iter().map(one).collect()
        })
    }

    fn one(&self, test: &Test, place: Option<usize>) -> Filled {
        if let Some(known) = self.whole(test, place) {
            return known;
        }
        let (Kind::Probe(probe), Some(place)) = (&test.kind, place) else {
            return self.anew(self.looked(test));
        };
        let readings = self.readings(place);
        match self.cut_before(place, &readings) {
            Some((before, bins)) => {
                let column = Column::Figures {
                    scale: probe.scale(),
                    dims: probe.dims(),
                    readings,
                    bins,
                };
                let rows = before.rows.replaced(before.column, &column);
                (Arc::new(column), Arc::new(rows))
            }
            None => {
                let m = self.model;
                self.anew(Column::figures(probe, readings, m.listed, &m.variances))
            }
        }
    }

    /// Where the hypotheses are as before, and no case reads or shows otherwise.
    fn whole(&self, test: &Test, place: Option<usize>) -> Option<Filled> {
        let kept = self.same?;
        let at = match place {
            Some(place) => kept.still(place, |k| self.solved.read(k, place)),
            None => Some(kept)
                .filter(|k| k.signs && k.alike && self.model.signs == k.old.signs)
                .and_then(|k| k.procedure(test)),
        }?;
        let old = kept.old;
        Some((Arc::clone(&old.columns[at]), Arc::clone(&old.rows[at])))
    }

    /// The column before and how it is cut, where only cases came or went that leave the figure as it is.
    fn cut_before(&self, place: usize, readings: &Readings) -> Option<(Before<'_>, Bins)> {
        let m = self.model;
        let kept = self.kept.filter(|k| k.old.variances == m.variances)?;
        let (old, at) = (kept.old, kept.known(place)?);
        let same = |now: usize, then: usize| {
            let (a, b) = (&m.cases[now], &old.cases[then]);
            let decides = (now < m.listed) == (then < old.listed);
            decides && a.key == b.key && a.intermittent == b.intermittent
        };
        let before = Before {
            column: &old.columns[at],
            rows: &old.rows[at],
        };
        let cut = before
            .column
            .cut_for(readings, [m.listed, old.listed], same)?;
        Some((before, cut.clone()))
    }

    fn anew(&self, column: Column) -> Filled {
        let rows = Rows::of(&column, &self.model.cases);
        (Arc::new(column), Arc::new(rows))
    }

    fn readings(&self, place: usize) -> Readings {
        let built = self.built.iter().map(|row| row[place]);
        let cases = self.solved.column(place).chain(built);
        Readings::new(cases, self.sound[place])
    }

    fn looked(&self, test: &Test) -> Column {
        let m = self.model;
        let rows = outcome_rows(self.catalogue, &m.asked, test, &m.cases, &m.signs, &m.sound);
        let (cases, healthy) = rows.unwrap_or_default();
        Column::Outcomes {
            cases,
            healthy,
            places: places_of(test, &m.cases),
        }
    }
}
