//! A vehicle that looks built otherwise than its drawing: what it would read then, beside what was read.

use super::Weighed;
use crate::diagnosis::Kind;
use crate::diagnosis::belief::WayHeld;
use crate::diagnosis::column::Column;
use crate::diagnosis::evidence::{Answer, Item};
use crate::diagnosis::explain;
use crate::diagnosis::plan;
use crate::job::view::{BuiltLine, BuiltPart, BuiltView, LineView, OtherKind, PullView};
use crate::reading::{self, Unit};
use spannung_circuit::around::{Hangs, Shape};
use spannung_circuit::{Change, Circuit, Netlist, Pair, Shelf, VehicleState};

/// A way to build it is shown from this share on.
const SHOWN: f64 = 0.02;
/// Readings shown beside one another at the most.
const LINES: usize = 4;

/// What pulls a line up and down where it is read, on one way to build the vehicle.
fn line_at(net: &Netlist, pair: &Pair, state: &VehicleState) -> LineView {
    let circuit = Circuit::compile(net, &[], &[]);
    let s = circuit.solve(state, 0, &[], &[]);
    let here = s.volts[pair.red] - s.volts[pair.black];
    let all = circuit.around(&s, pair.red, pair.black);
    let view = |h: &Hangs| PullView {
        shape: match h.shape {
            Shape::Resistor => "resistor",
            Shape::Contact => "contact",
            Shape::Sensor => "sensor",
            Shape::Output => "output",
        }
        .into(),
        closed: h.conducts,
        volts: reading::show_text((h.volts * 10.0).round() / 10.0, Unit::Volts),
    };
    // what lies above half of the highest pulls up, whatever the line stands at
    let top = all.first().map_or(0.0, |h| h.volts).max(here);
    let (up, down): (Vec<&Hangs>, Vec<&Hangs>) = all.iter().partition(|h| h.volts > top / 2.0);
    LineView {
        up: up.first().filter(|_| top > 0.5).map(|h| view(h)),
        down: down.last().map(|h| view(h)),
    }
}

impl Weighed<'_> {
    /// The known way in which this vehicle is built otherwise that the plan asks about, or else the likeliest, when it is worth
    /// showing.
    pub(super) fn built(&self, asked: Option<usize>) -> Option<BuiltView> {
        let m = self.model;
        let mut ways = self.belief.ways.iter();
        let leads = asked.is_some();
        let held = match asked {
            Some(case) => ways.find(|w| w.case == case),
            None => ways.max_by(|a, b| a.share().total_cmp(&b.share())),
        };
        let held = held?;
        let way = m.way(held.case)?;
        (leads || held.share() >= SHOWN).then(|| BuiltView {
            key: m.cases[held.case].key.clone(),
            changes: way.changes.clone(),
            name: way.name.clone(),
            drawn: self.part(&way.changes, |slot, _| {
                let there = m.profile.family.build.in_slot(slot)?;
                Some(there.kind.clone())
            }),
            seems: self.part(&way.changes, |_, kind| kind.clone()),
            how: way.look.clone(),
            percent: (held.share() * 100.0).round() as u32,
            leads,
            likely: held.share() >= plan::PERHAPS_BUILT,
            lines: self.lines(held.case),
            others: self.other_kinds(held.case),
        })
    }

    /// The kinds that are still open beside the one that is asked about.
    fn other_kinds(&self, case: usize) -> Vec<OtherKind> {
        let m = self.model;
        let share = |k: usize| {
            let held = self.belief.ways.iter().find(|w| w.case == k);
            held.map_or(0.0, WayHeld::share)
        };
        let mut open: Vec<usize> = m.other_kinds(case).filter(|k| share(*k) > 0.0).collect();
        open.sort_by(|a, b| share(*b).total_cmp(&share(*a)));
        let one = |k: usize| {
            let way = m.way(k)?;
            let part = self.part(&way.changes, |_, kind| kind.clone());
            Some(OtherKind {
                key: m.cases[k].key.clone(),
                changes: way.changes.clone(),
                name: part.map_or_else(|| way.name.clone(), |p| p.name),
            })
        };
        open.into_iter().filter_map(one).collect()
    }

    /// The component that a swap is about, on one side.
    fn part(
        &self,
        changes: &[Change],
        side: impl Fn(&str, &Option<String>) -> Option<String>,
    ) -> Option<BuiltPart> {
        let kind = changes.iter().find_map(|c| match c {
            Change::Component { slot, kind } => side(slot, kind),
            _ => None,
        });
        let kind = Shelf::shipped().ok()?.kind(&kind?)?;
        Some(BuiltPart {
            name: kind.name.clone(),
            drawing: kind.drawing.clone(),
        })
    }

    /// Readings that tell the two apart: what was read, what the drawing says, what it would be.
    fn lines(&self, case: usize) -> Vec<BuiltLine> {
        let m = self.model;
        let tiles = self.tiles();
        let line = |e: &crate::diagnosis::Evidence| {
            let Item::Test {
                test,
                taken_in,
                answer,
            } = &e.item
            else {
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
            let expected = |p| explain::expected_of(probe, *scale, p, *dims, &m.variances);
            let reads = |e: &explain::Expected| match answer {
                Answer::Figure { low, high } => e.holds(*low, *high),
                Answer::OverRange => e.holds(f64::INFINITY, f64::INFINITY),
                _ => false,
            };
            let tile = tiles.iter().find(|t| t.entry.to_string() == e.entry)?;
            let (drawn, seems) = (expected(&readings.healthy), expected(seems));
            let state = m.tests[*test].state.bring(&VehicleState::default());
            let way = m.way(case)?;
            (drawn.text() != seems.text()).then(|| BuiltLine {
                drawn_line: line_at(&m.net, &probe.pair, &state),
                seems_line: line_at(&way.net, &probe.pair, &state),
                name: m.tests[*test].name.clone(),
                reads: tile.value.clone(),
                as_drawn: reads(&drawn),
                drawn: drawn.text(),
                as_seems: reads(&seems),
                seems: seems.text(),
            })
        };
        let mut all: Vec<BuiltLine> = Vec::new();
        // of a test what was read last
        for line in self.evidence.iter().filter_map(line) {
            all.retain(|l| l.name != line.name);
            all.push(line);
        }
        all.truncate(LINES);
        all
    }
}
