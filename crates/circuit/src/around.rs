//! What hangs on a point, through the wires that lead away from it: a line of a plug is a few pieces of wire, something that
//! pulls it up and something that pulls it down.

use crate::netlist::{NodeId, Part, wire};
use crate::solve::{Circuit, Solution};
use std::collections::BTreeSet;

/// Elements that meet at a point from which it counts as a rail.
const RAIL: usize = 5;

/// What a part that hangs on a line looks like.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Shape {
    /// A resistor, a winding, a load.
    Resistor,
    /// A contact.
    Contact,
    /// A sensor that pulls its line down.
    Sensor,
    /// A sensor that puts volts on its line.
    Output,
}

/// A part that hangs on a line.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Hangs {
    /// What it looks like.
    pub shape: Shape,
    /// Does it conduct?
    pub conducts: bool,
    /// Volts at its far end, or those that it puts on the line.
    pub volts: f64,
}

impl Circuit {
    /// What hangs on a point in a solved state, against a ground; the highest volts first.
    pub fn around(&self, s: &Solution, point: NodeId, ground: NodeId) -> Vec<Hangs> {
        let volts = |node: NodeId| match s.island[node] == s.island[ground] {
            true => s.volts[node] - s.volts[ground],
            false => 0.0,
        };
        let mut line = BTreeSet::from([point]);
        let mut left = vec![point];
        let mut out = Vec::new();
        while let Some(node) = left.pop() {
            let on = |e: &&crate::netlist::Element| [e.a, e.b].contains(&node);
            let meet: Vec<usize> = (0..self.elements.len())
                .filter(|k| on(&&self.elements[*k]))
                .collect();
            if node != point && meet.len() > RAIL {
                continue;
            }
            for k in meet {
                let e = &self.elements[k];
                let far = if e.a == node { e.b } else { e.a };
                let conducts = s.conducts(k).on();
                let mut hangs = |shape, volts| {
                    out.push(Hangs {
                        shape,
                        conducts,
                        volts,
                    });
                };
                match &e.part {
                    Part::Resistor { .. } if wire(&e.id).is_some() => {
                        left.extend(Some(far).filter(|far| line.insert(*far)));
                    }
                    Part::Resistor { .. } => hangs(Shape::Resistor, volts(far)),
                    Part::Switch { .. } | Part::Relay { .. } => hangs(Shape::Contact, volts(far)),
                    // of three points the line is the middle one
                    Part::OpenCollector { .. } if e.b == node => hangs(Shape::Sensor, volts(e.c)),
                    Part::Ratio { .. } if e.b == node => hangs(Shape::Output, volts(node)),
                    _ => {}
                }
            }
        }
        out.sort_by(|a, b| b.volts.total_cmp(&a.volts));
        out
    }
}
