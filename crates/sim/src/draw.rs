//! What nobody ordered: the draw of a vehicle as it comes through the door. Some differ from their family, a few have
//! nothing wrong or two faults, and some faults stand in no catalogue.

use rand::{Rng, RngExt};
use spannung_circuit::{Change, Effect, Family, FaultCase, Netlist, Part, Profile};
use std::collections::BTreeMap;

/// Share of vehicles with nothing wrong, and with two faults.
const NOTHING: f64 = 0.05;
const TWO: f64 = 0.12;
/// Share of faults that are in no catalogue.
const BEYOND: f64 = 0.1;
/// Share of readings that are taken at a wrong place.
pub const MISPROBE: f64 = 0.03;

/// How many faults a vehicle has.
pub fn how_many(rng: &mut impl Rng) -> usize {
    let roll: f64 = rng.random();
    if roll < NOTHING {
        0
    } else if roll < NOTHING + TWO {
        2
    } else {
        1
    }
}

/// Is a fault one that no catalogue holds?
pub fn is_beyond(rng: &mut impl Rng) -> bool {
    rng.random::<f64>() < BEYOND
}

/// What is different on this vehicle from its family: nothing on half of them, else one or two things. What would not
/// fit is left out.
pub fn changes(family: &Family, rng: &mut impl Rng) -> Vec<Change> {
    let wanted = [0, 0, 1, 2][rng.random_range(0..4)];
    let mut out: Vec<Change> = Vec::new();
    for _ in 0..wanted * 4 {
        if out.len() == wanted {
            break;
        }
        let strand = &family.strands[rng.random_range(0..family.strands.len())];
        let wire = &strand.wires[rng.random_range(0..strand.wires.len())];
        let change = match rng.random_range(0..5) {
            0 => Change::Colour {
                strand: strand.id.get_ref().clone(),
                pin: wire.pin,
                code: spannung_circuit::COLOURS[rng.random_range(0..12)].into(),
            },
            1 => Change::ExtraWire {
                strand: strand.id.get_ref().clone(),
                code: spannung_circuit::COLOURS[rng.random_range(0..12)].into(),
                function: "not known".into(),
            },
            2 => Change::Gauge {
                strand: strand.id.get_ref().clone(),
                mm2: [0.25, 0.5, 0.75, 1.5][rng.random_range(0..4)],
            },
            3 => Change::NormallyClosedBrake {
                strand: strand.id.get_ref().clone(),
            },
            _ => Change::HallSpacing { degrees: 60 },
        };
        let mut tried = out.clone();
        tried.push(change);
        // a profile refuses what this family cannot have
        if Profile::new(family, &tried).is_ok_and(|p| p.netlist().is_ok()) {
            out = tried;
        }
    }
    out
}

/// What a technician sees of a change on the vehicle.
pub fn in_words(change: &Change) -> String {
    match change {
        Change::Colour { strand, pin, code } => {
            format!("Strand {strand}, pin {pin}: the wire is {code}")
        }
        Change::ExtraWire { strand, code, .. } => {
            format!("Strand {strand}: one wire more, {code}, with no pin")
        }
        Change::Gauge { strand, mm2 } => format!("Strand {strand}: wires of {mm2} mm²"),
        Change::NormallyClosedBrake { strand } => {
            format!("Strand {strand}: the lever's switch opens when squeezed")
        }
        Change::HallSpacing { degrees } => format!("Label of the motor: halls {degrees}°"),
        other => format!("{other:?}"),
    }
}

/// Does some catalogued fault do to an element what this effect does?
fn known(cases: &[FaultCase], effect: &Effect) -> bool {
    let mut all = cases.iter().flat_map(|c| &c.effects);
    match effect {
        Effect::Open(e) => all.any(|x| matches!(x, Effect::Open(y) if y == e)),
        Effect::Series(e, _) => all.any(|x| matches!(x, Effect::Series(y, _) if y == e)),
        Effect::Scale(e, _) => all.any(|x| matches!(x, Effect::Scale(y, _) if y == e)),
        Effect::Bridge(a, b, _) => all.any(
            |x| matches!(x, Effect::Bridge(p, q, _) if (p == a && q == b) || (p == b && q == a)),
        ),
        _ => true,
    }
}

/// A fault that stands in no catalogue: something in the drawing opens, gains resistance, drifts or touches another
/// wire of its plug, where no catalogued fault does that. None when a hundred draws find none.
pub fn beyond(net: &Netlist, cases: &[FaultCase], rng: &mut impl Rng) -> Option<FaultCase> {
    let mut plugs: BTreeMap<&str, Vec<usize>> = BTreeMap::new();
    for e in &net.elements {
        if let Some(plug) = &e.plug {
            plugs.entry(plug).or_default().push(e.a);
        }
    }
    let plugs: Vec<Vec<usize>> = plugs.into_values().filter(|p| p.len() > 1).collect();
    for _ in 0..100 {
        let k = rng.random_range(0..net.elements.len());
        let element = &net.elements[k];
        if !matches!(element.part, Part::Resistor { .. }) {
            continue;
        }
        let ohms = 10f64.powf(rng.random_range(-0.5..2.0));
        let (effect, name) = match rng.random_range(0..4) {
            0 => (Effect::Open(k), format!("{} open", element.id)),
            1 => (
                Effect::Series(k, ohms),
                format!("{ohms:.1} ohms more in {}", element.id),
            ),
            2 => {
                let factor = 10f64.powf(rng.random_range(-0.7..0.7));
                (
                    Effect::Scale(k, factor),
                    format!("{} times {factor:.2}", element.id),
                )
            }
            _ if !plugs.is_empty() => {
                let pins = &plugs[rng.random_range(0..plugs.len())];
                let (a, b) = (
                    pins[rng.random_range(0..pins.len())],
                    pins[rng.random_range(0..pins.len())],
                );
                if a == b {
                    continue;
                }
                let name = format!("{} touches {}", net.nodes[a], net.nodes[b]);
                (Effect::Bridge(a, b, ohms), name)
            }
            _ => continue,
        };
        if known(cases, &effect) {
            continue;
        }
        let template = cases.first()?;
        return Some(FaultCase {
            key: format!("beyond:{name}").replace(' ', "-"),
            fault: "beyond".into(),
            x: String::new(),
            name: format!("In no catalogue: {name}"),
            effects: vec![effect],
            at: vec![element.id.clone()],
            strand: None,
            signs: BTreeMap::new(),
            intermittent: false,
            share: 1.0,
            segment: template.segment.clone(),
        });
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;
    use rand::SeedableRng;
    use rand_chacha::ChaCha8Rng;
    use spannung_circuit::FaultBook;

    #[test]
    fn what_is_drawn_beyond_the_catalogue_is_in_none() {
        let family = Family::shipped("gh48").expect("it ships");
        let profile = Profile::new(&family, &[]).expect("a plain profile");
        let net = profile.netlist().expect("it builds");
        let cases = FaultBook::shipped()
            .and_then(|b| b.cases(&profile, &net))
            .expect("the faults read");
        let mut rng = ChaCha8Rng::seed_from_u64(5);
        for _ in 0..40 {
            let fault = beyond(&net, &cases, &mut rng).expect("there is room for more");
            assert!(!known(&cases, &fault.effects[0]), "{}", fault.key);
            assert!(cases.iter().all(|c| c.key != fault.key));
        }
    }

    #[test]
    fn drawn_changes_fit_their_family() {
        let mut rng = ChaCha8Rng::seed_from_u64(9);
        let mut some = 0;
        for (file, text) in spannung_circuit::family::shipped() {
            let family = Family::parse(file, text).expect("it ships");
            for _ in 0..20 {
                let changes = changes(&family, &mut rng);
                some += usize::from(!changes.is_empty());
                let profile = Profile::new(&family, &changes).expect("they fit");
                assert!(profile.netlist().is_ok());
            }
        }
        assert!(some > 20, "{some} of 80 differ");
    }

    #[test]
    fn none_one_and_two_faults_come() {
        let mut rng = ChaCha8Rng::seed_from_u64(2);
        let mut seen = [0; 3];
        for _ in 0..400 {
            seen[how_many(&mut rng)] += 1;
        }
        assert!(
            seen.iter().all(|n| *n > 5) && seen[1] > seen[0] + seen[2],
            "{seen:?}"
        );
    }
}
