//! Which net a test reads: what may be built otherwise on this vehicle reads otherwise at every reading of that net, from
//! both sides, as often as it is asked.

use crate::diagnosis::repertoire::{Kind, Test};
use spannung_circuit::netlist::wire;
use spannung_circuit::{Mode, Netlist, Profile};
use std::collections::BTreeMap;

/// Where a test reads.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Place {
    /// Net that may not be as drawn.
    pub net: usize,
    /// What tests share that read the same thing in the same state from other points: its own deviation.
    pub twin: usize,
}

/// Places of all tests.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Nets {
    /// Per test; procedures have none.
    pub places: Vec<Option<Place>>,
    /// Names of the nets.
    pub names: Vec<String>,
    /// Number of twins.
    pub twins: usize,
    /// Per net, the chance that it is not as drawn.
    pub undrawn: Vec<f64>,
}

/// Chance that a net is not as drawn; and that a reading from one side of a contact to the other tells of anything but that
/// contact.
pub(super) const UNDRAWN: f64 = 0.05;
const UNDRAWN_CONTACT: f64 = 0.01;

impl Nets {
    /// Places of a vehicle's tests.
    pub fn of(profile: &Profile, netlist: &Netlist, tests: &[Test]) -> Self {
        // the wire that a point belongs to: its own pieces, or the terminal that only it ends at
        let mut at: BTreeMap<usize, Vec<&str>> = BTreeMap::new();
        for e in &netlist.elements {
            if let Some(wire) = wire(&e.id) {
                for node in [e.a, e.b] {
                    let wires = at.entry(node).or_default();
                    if !wires.contains(&wire) {
                        wires.push(wire);
                    }
                }
            }
        }
        let returns = |wire: &str| {
            let (strand, pin) = wire.split_once('.').unwrap_or((wire, ""));
            let wires = profile.family.strand(strand).map(|s| s.wires.iter());
            let mut here = wires.into_iter().flatten();
            here.any(|w| {
                let minus = ["ground", "minus"].iter().any(|m| w.function.ends_with(m));
                w.pin.to_string() == pin && minus
            })
        };
        let name = |node: usize| match at.get(&node).map(Vec::as_slice) {
            Some([wire]) => (*wire).to_string(),
            _ => netlist.nodes[node].clone(),
        };
        let minus = |name: &str| returns(name) || name == "GND" || name == "C0" || name == "P-";
        // both sides of one contact
        let contact = |a: usize, b: usize| -> Option<&str> {
            let (pin, side) = netlist.nodes[a].rsplit_once('.')?;
            let (other, far) = netlist.nodes[b].rsplit_once('.')?;
            (pin == other && matches!((side, far), ("c", "d") | ("d", "c"))).then_some(pin)
        };
        let mut nets: Vec<String> = Vec::new();
        let mut undrawn: Vec<f64> = Vec::new();
        let mut twins: Vec<(usize, [String; 2], Mode, String)> = Vec::new();
        let place = |test: &Test| {
            let Kind::Probe(p) = &test.kind else {
                return None;
            };
            let (net, chance) = if let Some(e) = p.element {
                let id = &netlist.elements[e].id;
                (format!("amps {}", wire(id).unwrap_or(id)), UNDRAWN)
            } else if let Some(pin) = contact(p.pair.red, p.pair.black) {
                (format!("contact {pin}"), UNDRAWN_CONTACT)
            } else {
                let (red, black) = (name(p.pair.red), name(p.pair.black));
                let net = match (minus(&red), minus(&black)) {
                    _ if red == black => red,
                    (false, true) => red,
                    (true, false) => black,
                    _ => format!("{red} {black}"),
                };
                (net, UNDRAWN)
            };
            let mut ends = [name(p.pair.red), name(p.pair.black)];
            ends.sort();
            let k = nets.iter().position(|n| *n == net).unwrap_or_else(|| {
                undrawn.push(chance);
                nets.push(net);
                nets.len() - 1
            });
            let key = (
                k,
                ends,
                p.mode,
                format!("{:?} {:?}", test.state, p.shunt_ohms),
            );
            let twin = twins.iter().position(|t| *t == key).unwrap_or_else(|| {
                twins.push(key);
                twins.len() - 1
            });
            Some(Place { net: k, twin })
        };
        let mut place = place;
        let places = tests.iter().map(&mut place).collect();
        Self {
            places,
            names: nets,
            twins: twins.len(),
            undrawn,
        }
    }
}
