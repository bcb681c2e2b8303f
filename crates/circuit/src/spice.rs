//! A solved circuit as a SPICE netlist: what conducts in this state as linear elements, each island tied
//! to ground at the node where the solver ties it, node voltages in comments. Any circuit simulator reads
//! it, so that the solver can be checked by a program that is not ours.

use crate::netlist::Netlist;
use crate::solve::{Circuit, Extra, LinearKind, Solution};
use std::fmt::Write;

/// Write it. `extras` are those the state was solved with; the title is the first line, as SPICE wants.
///
/// Nodes are `n0`, `n1`, … in the order of the netlist; element names carry the number of the element.
/// Currents and conductances are written with seventeen digits, so that nothing is lost on the way.
pub fn netlist(
    net: &Netlist,
    circuit: &Circuit,
    solution: &Solution,
    extras: &[Extra],
    title: &str,
) -> String {
    let mut out = String::new();
    // writing to a String cannot fail
    let mut line = |text: std::fmt::Arguments<'_>| {
        let _ = writeln!(out, "{text}");
    };
    line(format_args!("{}", title.replace(['\n', '\r'], " ")));
    for (k, (name, volts)) in net.nodes.iter().zip(&solution.volts).enumerate() {
        line(format_args!(
            "* n{k} = {name}: {volts:.6} V, island {}",
            solution.island[k]
        ));
    }
    for (k, e) in circuit.elements.iter().enumerate() {
        let l = solution.conducts(k);
        if e.a == e.b && e.b == e.c {
            continue;
        }
        let (a, b, c) = (e.a, e.b, e.c);
        if l.on() {
            line(format_args!("* {}", e.id));
        }
        match l.kind {
            LinearKind::Off => {}
            LinearKind::TwoPole => {
                line(format_args!("R{k} n{a} n{b} {:.17e}", 1.0 / l.g));
                if l.amps != 0.0 {
                    line(format_args!("I{k} n{a} n{b} DC {:.17e}", l.amps));
                }
            }
            LinearKind::Constant => line(format_args!("I{k} n{a} n{b} DC {:.17e}", l.amps)),
            // into b: g·(set − (vb − vc)), with g·set as a current of its own; out of a and of c in their shares
            LinearKind::Regulate => {
                for (name, from, share) in [("", a, e.draws()), ("c", c, 1.0 - e.draws())] {
                    if share != 0.0 {
                        let (g, amps) = (share * l.g, share * l.amps);
                        line(format_args!("G{k}{name} n{from} n{b} n{c} n{b} {g:.17e}"));
                        line(format_args!("I{k}{name} n{from} n{b} DC {amps:.17e}"));
                    }
                }
            }
            // b→c: g·(vb − vc) less g·ratio·(va − vc)
            LinearKind::Ratio => {
                line(format_args!("R{k} n{b} n{c} {:.17e}", 1.0 / l.g));
                if l.amps != 0.0 {
                    let g = -l.g * l.amps;
                    line(format_args!("G{k} n{b} n{c} n{a} n{c} {g:.17e}"));
                }
            }
            LinearKind::Pull => line(format_args!("R{k} n{b} n{c} {:.17e}", 1.0 / l.g)),
        }
    }
    for (k, extra) in extras.iter().enumerate() {
        match *extra {
            Extra::Load(x, y, ohms) => line(format_args!("Rx{k} n{x} n{y} {ohms:.17e}")),
            Extra::Inject(x, y, volts, ohms) => {
                line(format_args!("Rx{k} n{x} n{y} {ohms:.17e}"));
                line(format_args!("Ix{k} n{y} n{x} DC {:.17e}", volts / ohms));
            }
        }
    }
    for (k, island) in solution.island.each().enumerate() {
        if island == k {
            line(format_args!("Rtie{k} n{k} 0 1"));
        }
    }
    line(format_args!(".op"));
    line(format_args!(".end"));
    out
}
