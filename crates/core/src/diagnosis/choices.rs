//! A sound vehicle with a part of another value than the family's: its maker chose a bigger sound board, a motor that brakes
//! through a resistor, thriftier electronics. Every part of the drawing that is no wire can be such a choice, and parts that
//! are there twice or three times are chosen together. Without it whatever differs is a fault of the part, and one part that
//! shows at five points counts as five nets that are not as drawn.
//!
//! What a fault and a choice read is alike; they are told apart by the twins, which a choice moves alike, and by the
//! complaint, which a choice does not cause.

use crate::diagnosis::shared::Factor;
use crate::diagnosis::unlisted::named;
use spannung_circuit::fault::Effect;
use spannung_circuit::{FaultCase, Netlist, Part, Profile};
use std::collections::{BTreeMap, BTreeSet};

// The figures are estimates: what two vehicles of one kind were seen to differ in, and how often.

/// Fault id of the cases that are choices of a maker.
pub(super) const CHOICE: &str = "choice";
/// What a maker multiplies a part's ohms by; of a part of less than ten ohms only more is seen.
const TIMES: [f64; 2] = [0.3, 3.5];
const SMALL: f64 = 10.0;
/// Ohms in the way of a switch: for what carries power, and for what only says yes.
const IN_THE_WAY: [f64; 2] = [2.0, 40.0];
/// Level of a line at rest, as a part of its supply.
const LEVELS: [f64; 2] = [0.08, 0.62];
/// Ohms from a line to ground: electronics in a lever, a divider, a filter.
const LOADED: f64 = 20_000.0;
/// A second pack is ridden and charged by itself: its volts beside the first pack's, and the share of vehicles on which it
/// stands higher, and lower.
const APART: [(f64, &str); 2] = [
    (1.02, "fuller than the first"),
    (0.98, "emptier than the first"),
];
const STANDS_APART: f64 = 0.3;
/// Share of vehicles on which one given part, or all of its kind, is chosen far from the family's.
const CHOSEN: f64 = 0.03;
/// How far the value ranges about these, in the deviations that a fault's own value has.
pub(super) const WIDER: f64 = 2.0;

/// Words in an id that tell parts of one kind apart.
const WHICH: [&str; 14] = [
    "left", "right", "a", "b", "c", "u", "v", "w", "1", "2", "plus", "minus", "forward", "reverse",
];

/// What a part is called without saying which of its kind it is.
fn kind_of(id: &str) -> String {
    let words = id.split('-').filter(|w| !WHICH.contains(w));
    words.collect::<Vec<_>>().join("-")
}

/// Groups of parts that a maker chooses together, by name.
fn groups(
    profile: &Profile,
    net: &Netlist,
    switched: &BTreeSet<usize>,
) -> BTreeMap<String, Vec<usize>> {
    let mut groups: BTreeMap<String, Vec<usize>> = BTreeMap::new();
    for (k, e) in net.elements.iter().enumerate() {
        let id = e.id.as_str();
        // wires and cells have points in their names; a charger is no part of the vehicle
        if id.contains('.') || id.starts_with("charge") {
            continue;
        }
        let factor = Factor::of(&profile.family, e, false);
        let name = match (&e.part, factor) {
            (_, Some(Factor::Insulation)) => continue,
            (Part::Ratio { .. }, Some(Factor::Data)) => "data lines".into(),
            (Part::Resistor { .. }, _) => kind_of(id),
            // the pack's groups are charged with each other
            (Part::Source { .. }, None) => kind_of(id),
            (Part::Switch { .. }, _) if switched.contains(&k) => kind_of(id),
            _ => continue,
        };
        groups.entry(name).or_default().push(k);
    }
    groups
}

/// The point of a line that a pull-up or pull-down hangs on: the end where one wire begins. At a rail many do.
fn line_of(profile: &Profile, net: &Netlist, k: usize) -> Option<usize> {
    let wires = || profile.family.strands.iter().flat_map(|s| &s.wires);
    let line = |n: &usize| wires().filter(|w| w.from == net.nodes[*n]).count() == 1;
    let e = &net.elements[k];
    [e.a, e.b].into_iter().find(line)
}

/// The cases; `listed` are those of the catalogue. Only a switch of which a fault is known is part of the vehicle.
pub(super) fn choices(profile: &Profile, net: &Netlist, listed: &[FaultCase]) -> Vec<FaultCase> {
    let effects = listed.iter().flat_map(|c| &c.effects);
    let switched: BTreeSet<usize> = effects.filter_map(Effect::element).collect();
    let ground = net.find("GND");
    let mut out = Vec::new();
    for (name, parts) in groups(profile, net, &switched) {
        let begun = out.len();
        let part = named(profile, &name);
        let mut add = |key: String, words: &str, each: &dyn Fn(usize) -> Option<Effect>| {
            let effects: Vec<Effect> = parts.iter().filter_map(|k| each(*k)).collect();
            if effects.is_empty() {
                return;
            }
            out.push(FaultCase {
                key: format!("{CHOICE}:{name}:{key}"),
                fault: CHOICE.into(),
                x: name.clone(),
                name: format!("{part}, {words}"),
                effects,
                at: Vec::new(),
                segment: String::new(),
                strand: None,
                signs: BTreeMap::new(),
                intermittent: false,
                share: 0.0,
            });
        };
        let mut chosen = CHOSEN;
        match &net.elements[parts[0]].part {
            Part::Source { .. } => {
                for (by, words) in APART {
                    add(format!("times-{by}"), words, &|k| {
                        Some(Effect::Scale(k, by))
                    });
                }
                chosen = STANDS_APART * APART.len() as f64;
            }
            Part::Switch { .. } => {
                for ohms in IN_THE_WAY {
                    let more = |k| Some(Effect::Series(k, ohms));
                    add(format!("{ohms}-more"), "with ohms in its way", &more);
                }
            }
            Part::Ratio { .. } => {
                for level in LEVELS {
                    let rest = |k| Some(Effect::Ratio(k, level));
                    add(format!("at-{level}"), "at another level", &rest);
                }
            }
            Part::Resistor { ohms } => {
                let [fewer, more] = TIMES;
                let times = |by: f64| move |k| Some(Effect::Scale(k, by));
                if *ohms >= SMALL {
                    add(format!("times-{fewer}"), "of fewer ohms", &times(fewer));
                }
                add(format!("times-{more}"), "of more ohms", &times(more));
                let pulls = Factor::of(&profile.family, &net.elements[parts[0]], false);
                if let (Some(Factor::Pulls), Some(ground)) = (pulls, ground) {
                    let loaded =
                        |k| Some(Effect::Bridge(line_of(profile, net, k)?, ground, LOADED));
                    add("loaded".into(), "line loaded as well", &loaded);
                }
            }
            _ => {}
        }
        let ways = (out.len() - begun) as f64;
        out[begun..]
            .iter_mut()
            .for_each(|c| c.share = chosen / ways);
    }
    out
}
