//! Faults of the circuit that nobody wrote down. Whatever the catalogue holds, every part of the drawing can open, gain
//! resistance or drift, a switch can stick and two neighbours in a plug can touch. What the catalogue does not have of
//! these stands here, light beside the known faults: the part of “something else” that the drawing can name. Each goes
//! to the repair of the likeliest known fault at the same part, or else at the same point, that where fewer parts meet;
//! one that no repair would reach is left to “outside”.

use crate::diagnosis::repertoire::title;
use spannung_circuit::family::Carries;
use spannung_circuit::netlist::wire;
use spannung_circuit::{Effect, Family, FaultCase, Netlist, Part, Profile};
use std::collections::{BTreeMap, BTreeSet};

/// Fault id of the cases that stand in no catalogue.
pub const UNLISTED: &str = "unlisted";
/// Resistance that a wire, a contact or a fuse gains, each standing for a range of some times more or less: what matters
/// where power flows, and where a signal does.
const POWER_OHMS: [f64; 4] = [0.05, 0.4, 3.0, 30.0];
const SIGNAL_OHMS: [f64; 3] = [30.0, 400.0, 5000.0];
/// Resistances from here on are components, which lose some of their ohms rather than gain a few.
const COMPONENT_OHMS: f64 = 10.0;
const LESS: f64 = 0.3;
const INSULATION_OHMS: f64 = 1e6;
/// A throttle's or driver's output that is stuck: low and high.
const STUCK_AT: [f64; 2] = [0.05, 0.95];
/// Two wires that touch, ohms.
const TOUCH_OHMS: f64 = 3.0;

/// A case and the place of the known one whose repair cures it.
pub(super) struct Unlisted {
    /// The case.
    pub case: FaultCase,
    /// Index of the known case whose repair class it takes.
    pub beside: usize,
}

/// Do two effects do the same kind of thing to the same part?
fn alike(a: &Effect, b: &Effect) -> bool {
    match (a, b) {
        (Effect::Open(x), Effect::Open(y)) | (Effect::Series(x, _), Effect::Series(y, _)) => x == y,
        // a switch that does not close is open
        (Effect::Open(x), Effect::Force(y, false)) => x == y,
        (Effect::Scale(x, f), Effect::Scale(y, g)) => x == y && (*f > 1.0) == (*g > 1.0),
        (Effect::Force(x, on), Effect::Force(y, too)) => x == y && on == too,
        (Effect::Ratio(x, r), Effect::Ratio(y, s)) => x == y && (*r > 0.5) == (*s > 0.5),
        (Effect::Bridge(p, q, _), Effect::Bridge(r, s, _)) => (p, q) == (r, s) || (p, q) == (s, r),
        _ => false,
    }
}

/// What can become of a part, in words.
fn ways(family: &Family, net: &Netlist, k: usize) -> Vec<(Effect, String)> {
    let id = net.elements[k].id.as_str();
    let open = || (Effect::Open(k), "open".to_owned());
    match &net.elements[k].part {
        Part::Resistor { ohms } if *ohms < COMPONENT_OHMS => {
            let carries = family.strand(id.split('.').next().unwrap_or(id));
            let more: &[f64] = match carries.map(|s| s.carries) {
                Some(Carries::Signals) => &SIGNAL_OHMS,
                _ => &POWER_OHMS,
            };
            let gains = |r: &f64| (Effect::Series(k, *r), format!("{r} Ω too much"));
            std::iter::once(open())
                .chain(more.iter().map(gains))
                .collect()
        }
        // nothing breaks in an insulation that is sound
        Part::Resistor { ohms } if *ohms >= INSULATION_OHMS => vec![],
        Part::Resistor { .. } => vec![
            open(),
            (Effect::Scale(k, LESS), format!("{LESS} times its ohms")),
        ],
        Part::Switch { .. } | Part::Relay { .. } => vec![
            (Effect::Force(k, false), "does not close".into()),
            (Effect::Force(k, true), "does not open".into()),
        ],
        Part::OpenCollector { .. } => vec![
            (Effect::Force(k, false), "never pulls low".into()),
            (Effect::Force(k, true), "stuck low".into()),
        ],
        Part::Regulator { .. } => vec![(Effect::Force(k, false), "off".into())],
        Part::Ratio { .. } => STUCK_AT
            .map(|r| (Effect::Ratio(k, r), format!("stuck at {:.0} %", r * 100.0)))
            .into(),
        Part::Source { .. } | Part::Diode { .. } => vec![open()],
    }
}

/// A known fault, as far as its repair goes.
pub(super) struct Known {
    /// How common it is.
    pub weight: f64,
    /// Repair class.
    pub class: String,
    /// The repair changes a part: what only charges, switches on or plugs together mends nothing that broke.
    pub renews: bool,
    /// Counts as not written down, although its repair exists.
    pub struck: bool,
}

/// The known fault whose repair reaches a part or a point.
struct Repairs {
    /// Likeliest known fault at each part, and at each point.
    at_part: BTreeMap<usize, usize>,
    at_point: BTreeMap<usize, usize>,
    /// How many parts meet at each point.
    meets: Vec<usize>,
}

impl Repairs {
    fn of(net: &Netlist, cases: &[FaultCase], known: &[Known]) -> Self {
        let mut repairs = Self {
            at_part: BTreeMap::new(),
            at_point: BTreeMap::new(),
            meets: vec![0; net.nodes.len()],
        };
        for e in &net.elements {
            repairs.meets[e.a] += 1;
            repairs.meets[e.b] += 1;
        }
        let rank = |k: usize| (known[k].renews, known[k].weight);
        let better = |map: &mut BTreeMap<usize, usize>, at: usize, case: usize| {
            let best = map.entry(at).or_insert(case);
            if rank(case) > rank(*best) {
                *best = case;
            }
        };
        for (k, case) in cases.iter().enumerate() {
            for effect in &case.effects {
                if let Some(part) = effect.element() {
                    better(&mut repairs.at_part, part, k);
                }
                for end in effect.ends(net) {
                    better(&mut repairs.at_point, end, k);
                }
            }
        }
        repairs
    }

    /// Index of the known fault whose repair cures what happens to a part between two points.
    fn reaching(&self, net: &Netlist, part: usize, ends: [usize; 2]) -> Option<usize> {
        // at a rail everything is near everything
        let known_at = ends.iter().filter(|n| self.at_point.contains_key(*n));
        let near = known_at.min_by_key(|n| self.meets[**n]);
        let near = near.map(|n| self.at_point[n]);
        // a switch of which no fault is known is something that is done to the vehicle, no part of it
        let done_to_it = matches!(net.elements[part].part, Part::Switch { .. });
        let here = self.at_part.get(&part).copied();
        here.or(near.filter(|_| !done_to_it))
    }
}

/// Neighbours in a plug that touch: the second contact, and what happens in words.
fn touching(profile: &Profile, net: &Netlist) -> Vec<(usize, Effect, String)> {
    let contacts = net
        .elements
        .iter()
        .enumerate()
        .filter(|(_, e)| e.plug.is_some());
    let contacts: Vec<_> = contacts.collect();
    let pairs = contacts.windows(2).filter_map(|pair| {
        let [(_, first), (k, second)] = pair else {
            return None;
        };
        let neighbours = first.plug == second.plug && first.a != second.a;
        let way = format!("touches {}", named(profile, &first.id));
        neighbours.then_some((*k, Effect::Bridge(first.a, second.a, TOUCH_OHMS), way))
    });
    pairs.collect()
}

/// The piece of a wire that something happens to, and what: ohms count by their decade, an open wire as the highest. The run and
/// the contact beside it read alike where only the contact's far side is in reach; the lead behind it reads otherwise.
fn along<'a>(net: &'a Netlist, effect: &Effect) -> Option<(&'a str, bool, i32)> {
    let (part, what) = match effect {
        Effect::Open(e) => (e, i32::MAX),
        Effect::Series(e, ohms) => (e, ohms.log10().floor() as i32),
        _ => return None,
    };
    let id = &net.elements[*part].id;
    Some((wire(id).unwrap_or(id), id.ends_with(".lead"), what))
}

/// The faults that the catalogue leaves out; `known` tells of each of its `cases`.
pub(super) fn unlisted(
    profile: &Profile,
    net: &Netlist,
    cases: &[FaultCase],
    known: &[Known],
) -> Vec<Unlisted> {
    let repairs = Repairs::of(net, cases, known);
    let pairs = cases.iter().zip(known);
    let written: Vec<(&Effect, &str)> = pairs
        .filter(|(case, known)| !known.struck && case.effects.len() == 1)
        .map(|(case, known)| (&case.effects[0], known.class.as_str()))
        .collect();
    // known of a wire, it needs no second name
    let mut of_wires = BTreeSet::new();
    for (effect, class) in &written {
        of_wires.extend(along(net, effect).map(|piece| (piece, *class)));
    }
    let becomes = |k: usize| {
        let each = ways(&profile.family, net, k).into_iter();
        each.map(move |(effect, way)| (k, effect, way))
    };
    let every = (0..net.elements.len()).flat_map(becomes);
    let mut out = Vec::new();
    for (part, effect, way) in every.chain(touching(profile, net)) {
        if written.iter().any(|w| alike(w.0, &effect)) {
            continue;
        }
        let Some(beside) = repairs.reaching(net, part, effect.ends(net)) else {
            continue;
        };
        if let Some(piece) = along(net, &effect)
            && !of_wires.insert((piece, &known[beside].class))
        {
            continue;
        }
        let (id, like) = (&net.elements[part].id, &cases[beside]);
        let case = FaultCase {
            key: format!("{UNLISTED}:{id}:{}", way.replace(' ', "-")),
            fault: UNLISTED.into(),
            x: id.clone(),
            name: format!("{}: {way} (by the drawing)", named(profile, id)),
            effects: vec![effect],
            at: like.at.clone(),
            segment: like.segment.clone(),
            strand: like.strand.clone(),
            signs: BTreeMap::new(),
            intermittent: false,
            share: 0.0,
        };
        out.push(Unlisted { case, beside });
    }
    out
}

/// A part of the drawing in words: “Throttle signal, contact”, “Bus bleed”.
pub(super) fn named(profile: &Profile, id: &str) -> String {
    let mut parts = id.split('.');
    let strand = parts.next().and_then(|s| profile.family.strand(s));
    let pin = parts.next();
    let wire = strand.and_then(|s| {
        s.wires
            .iter()
            .find(|w| Some(w.pin.to_string().as_str()) == pin)
    });
    match strand.zip(wire) {
        Some((strand, wire)) => {
            let piece = match parts.next() {
                Some("pin") => ", contact",
                Some("lead") => ", lead",
                _ => "",
            };
            format!("{}{piece}", title(&strand.name, &wire.function))
        }
        None => {
            let words = id.replace(['-', '.'], " ");
            let mut chars = words.chars();
            let first = chars.next().map(|c| c.to_uppercase().collect::<String>());
            first.unwrap_or_default() + chars.as_str()
        }
    }
}
