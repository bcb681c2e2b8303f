//! A vehicle that looks built otherwise than its drawing: what it would read then, beside what was read.

use super::Weighed;
use crate::diagnosis::Kind;
use crate::diagnosis::column::Column;
use crate::diagnosis::evidence::Item;
use crate::diagnosis::explain;
use crate::diagnosis::hypothesis::Suspicion;
use crate::job::view::{BuiltLine, BuiltView};
use spannung_circuit::variant;

/// A way to build it is shown from this share on.
const SHOWN: f64 = 0.02;
/// Readings shown beside one another at the most.
const LINES: usize = 4;

impl Weighed<'_> {
    /// The likeliest known way in which this vehicle is built otherwise, when it is worth showing; whether it leads is the
    /// plan's to say.
    pub(super) fn built(&self, leads: bool) -> Option<BuiltView> {
        let m = self.model;
        let held = m.hypotheses.iter().zip(&self.belief.shares);
        let ways = held.filter_map(|(h, p)| match h.kind {
            Suspicion::Built(k) => Some((k, *p)),
            _ => None,
        });
        let (case, share) = ways.max_by(|a, b| a.1.total_cmp(&b.1))?;
        let id = &m.cases[case].x;
        let known = variant::variants().ok()?;
        let how = known.iter().find(|v| v.id.get_ref() == id)?.how.clone();
        (share >= SHOWN).then(|| BuiltView {
            key: m.cases[case].key.clone(),
            variant: id.clone(),
            name: m.cases[case].name.clone(),
            how,
            percent: (share * 100.0).round() as u32,
            leads,
            lines: self.lines(case),
        })
    }

    /// Readings that tell the two apart: what was read, what the drawing says, what it would be.
    fn lines(&self, case: usize) -> Vec<BuiltLine> {
        let m = self.model;
        let tiles = self.tiles();
        let line = |e: &crate::diagnosis::Evidence| {
            let Item::Test { test, taken_in, .. } = &e.item else {
                return None;
            };
            let column = taken_in.as_ref().map_or(&m.columns[*test], |t| &t.column);
            let Kind::Probe(probe) = &m.tests[*test].kind else {
                return None;
            };
            let Column::Figures {
                scale,
                readings,
                dims,
                ..
            } = &**column
            else {
                return None;
            };
            let seems = readings.moved(case)?;
            let text = |p| explain::expected_of(probe, *scale, p, *dims, &m.variances).text();
            let tile = tiles.iter().find(|t| t.entry.to_string() == e.entry)?;
            let (drawn, seems) = (text(&readings.healthy), text(seems));
            (drawn != seems).then(|| BuiltLine {
                name: m.tests[*test].name.clone(),
                reads: tile.value.clone(),
                drawn,
                seems,
            })
        };
        self.evidence.iter().filter_map(line).take(LINES).collect()
    }
}
