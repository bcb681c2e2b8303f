//! The trace map: what the page needs to draw this vehicle's own current path.

use crate::diagnosis::hypothesis::Suspicion;
use crate::diagnosis::repertoire::{Kind, Probe, Sweep};
use crate::diagnosis::scale::Scale;
use crate::job::bench::Weighed;
use crate::job::view::FacePin;
use crate::reading::{self, Unit};
use serde::Serialize;
use spannung_circuit::family::{Carries, SECOND, Strand, first_of, of_second};
use spannung_circuit::{Family, FaultCase, Mode, meter};
use std::collections::BTreeMap;
use utoipa::ToSchema;

/// A wire of a strand.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct MapWire {
    /// Pin.
    pub pin: u8,
    /// Colour code.
    pub code: String,
    /// Colour code on the device's half of the plug, where it is another one.
    pub lead_code: Option<String>,
    /// Function.
    pub function: String,
    /// Share of faults on the run from the controller to the plug.
    pub run_share: f64,
    /// Share of faults in the contact.
    pub pin_share: f64,
    /// Share of faults on the lead from the plug to the device.
    pub lead_share: f64,
    /// What it should read now against the strand's reference.
    pub now: String,
    /// Last reading here, as shown.
    pub measured: Option<String>,
    /// `expected` or `off`.
    pub mark: Option<String>,
    /// Tests with a tip on this pin.
    pub tests: Vec<PinTest>,
}

/// A test on a pin.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct PinTest {
    /// Id.
    pub test: String,
    /// Name.
    pub name: String,
    /// Done already.
    pub done: bool,
}

/// A strand.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct MapStrand {
    /// Id.
    pub id: String,
    /// Name.
    pub name: String,
    /// Segment.
    pub segment: String,
    /// Where it is drawn: `pack` and `feed` on the power line, `motor` between controller and motor, `sensors` above
    /// it, `device` from above into the controller, `link` from one controller to the other.
    pub role: String,
    /// Plug id.
    pub plug: String,
    /// Plug's name.
    pub plug_name: String,
    /// Its face: `round` or `flat`.
    pub shape: String,
    /// All pins of the plug, those of other strands and the empty ones too.
    pub pins: Vec<FacePin>,
    /// Reference pin.
    pub reference: u8,
    /// Wires in pin order as the family lists them.
    pub wires: Vec<MapWire>,
    /// Share of faults in the device itself.
    pub device_share: f64,
    /// Index of the wire whose value the flag shows.
    pub flag_wire: usize,
    /// Plug is apart now.
    pub apart: bool,
    /// Pairs of pins at which each lead has the colour of the other's wire.
    pub crossed: Vec<[u8; 2]>,
}

/// A suspect placed on the map.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct MapTag {
    /// Rank in the list.
    pub rank: usize,
    /// Per cent.
    pub percent: u32,
    /// Where: an element id, a strand id or a part of the drawing.
    pub place: String,
}

/// A box that is no strand: share by place.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct MapBox {
    /// `rail`, `logic`, `bridge`, `hall-a`, …
    pub id: String,
    /// Name, for those in the middle of the drawing.
    pub name: Option<String>,
    /// Share.
    pub share: f64,
}

/// The map.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Map {
    /// Strands in drawing order.
    pub strands: Vec<MapStrand>,
    /// Boxes with their shares.
    pub boxes: Vec<MapBox>,
    /// Tags, ranks 1 to 5.
    pub tags: Vec<MapTag>,
    /// Name of the middle: controller, or the switches of a vehicle without one.
    pub middle: String,
    /// Name of a second controller; what it holds bears the mark `-2`.
    pub second: Option<String>,
    /// Name of the protection box.
    pub protection: String,
    /// Motor or motors.
    pub motor: String,
    /// Every strand of the motor has a motor of its own, with a wheel of its own.
    pub twin: bool,
    /// Pack in words: `48 V, 13 groups`.
    pub pack: String,
    /// Plug and pins of the next probe.
    pub next_plug: Option<String>,
    /// Strand of the next probe.
    pub next_strand: Option<String>,
    /// Red and black pin.
    pub next_pins: Vec<u8>,
}

/// Which box of the controller a fault sits in.
fn controller_box(fault: &str) -> &'static str {
    if fault.starts_with("ctl-5v") || fault == "ign-feed-open" || fault == "ctl-water" {
        "rail"
    } else if [
        "ctl-fet",
        "ctl-leg",
        "ctl-gate",
        "ctl-15v",
        "ctl-cap",
        "ctl-overvolt",
        "ctl-shunt",
        "ctl-solder",
        "ctl-heatsink",
        "ctl-temp",
        "ctl-br-",
        "ctl-bus",
    ]
    .iter()
    .any(|p| fault.starts_with(p))
    {
        "bridge"
    } else {
        "logic"
    }
}

/// Boxes that every drawing has, whatever the family.
const BOXES: [&str; 14] = [
    "hall-a",
    "hall-b",
    "hall-c",
    "gears",
    "rotor",
    "winding-u",
    "winding-v",
    "winding-w",
    "wheel",
    "cells",
    "bms",
    "charge-port",
    "pack-fuse",
    "pack-switch",
];

/// Where a fault's place stands on the drawing: a wire, a strand's device or a box; what has no box of its own stands
/// in that of its segment.
fn drawn_at(family: &Family, case: &FaultCase, place: &str) -> String {
    if place == "controller" {
        return controller_box(&case.fault).into();
    }
    let strand = place.split('.').next().unwrap_or(place);
    let boxed = |id: &str| BOXES.contains(&id) || family.middle_boxes.iter().any(|b| b.id == id);
    if family.strand(strand).is_some() || boxed(place) {
        return place.into();
    }
    if let Some(first) = first_of(place) {
        let first = drawn_at(family, case, &first);
        return if boxed(&first) {
            of_second(&first)
        } else {
            first
        };
    }
    let of_segment = |id: &str| {
        let strand = family.strands.iter().find(|s| s.segment == id);
        strand.map_or_else(|| "cells".into(), |s| s.id.get_ref().clone())
    };
    match case.segment.as_str() {
        "pack" => "cells".into(),
        "protection" => "pack-fuse".into(),
        "controller" => family
            .middle_boxes
            .first()
            .map_or_else(|| of_segment("strands"), |b| b.id.clone()),
        "motor" => "rotor".into(),
        "wheel" => "wheel".into(),
        other => of_segment(other),
    }
}

/// Where a strand is drawn.
fn role(family: &Family, strand: &Strand) -> &'static str {
    let carries = strand.carries;
    if strand.id.get_ref() == "dock" {
        "pack"
    } else if matches!(carries, Carries::Feed | Carries::Bus) {
        "feed"
    } else if carries == Carries::Phases
        || (carries == Carries::Drive && strand.segment == "phases")
    {
        "motor"
    } else if strand.id.get_ref() == "halls" && family.plug(&strand.plug).is_some() {
        "sensors"
    } else if first_of(strand.id.get_ref()).is_some_and(|first| first == "link") {
        "link"
    } else {
        "device"
    }
}

/// Draw the map of a weighed job.
pub fn map(w: &Weighed<'_>, next: Option<&str>) -> Map {
    let m = w.model;
    let family = &m.profile.family;
    let mut places: BTreeMap<String, f64> = BTreeMap::new();
    for (h, p) in m.hypotheses.iter().zip(&w.belief.shares) {
        if let Suspicion::Case(k) = &h.kind {
            let case = &m.cases[*k];
            for place in &case.at {
                let place = drawn_at(family, case, place);
                *places.entry(place).or_default() += p / case.at.len() as f64;
            }
        }
    }
    let at = |id: &str| places.get(id).copied().unwrap_or(0.0);
    let circuit = m.healthy_circuit(&[]);
    let solved = circuit.solve(&w.job.state, 0, &[], &[]);
    let next_test = next.and_then(|id| m.tests.iter().find(|t| t.id == id));
    let strands = family
        .strands
        .iter()
        .map(|s| {
            let id = s.id.get_ref();
            let wires: Vec<MapWire> = s
                .wires
                .iter()
                .map(|wire| {
                    let part = |e: &str| at(&format!("{id}.{}.{e}", wire.pin));
                    let pair = meter::pair(
                        &m.net,
                        &format!("{id}.{}.c", wire.pin),
                        &format!("{id}.{}.c", s.reference),
                    );
                    let sweep = if wire.function.starts_with("hall A")
                        || wire.function.starts_with("hall B")
                        || wire.function.starts_with("hall C")
                        || wire.function == "wheel speed"
                    {
                        Some(Sweep::Wheel)
                    } else if wire.function == "pedal signal" {
                        Some(Sweep::Crank)
                    } else {
                        None
                    };
                    let now = pair.map_or_else(
                        |_| String::new(),
                        |pair| {
                            let probe = Probe {
                                mode: Mode::Volts,
                                pair: pair.clone(),
                                shunt_ohms: None,
                                element: None,
                                sweep,
                                groups: false,
                                electronics: false,
                            };
                            if sweep.is_some() {
                                let y = m.healthy_in(&circuit, &probe, &w.job.state);
                                let (low, high) =
                                    (Scale::Volts.from(y[0]), Scale::Volts.from(y[1]));
                                if high - low > 1.0 {
                                    return format!("{low:.0} / {high:.0} V");
                                }
                                return tidy_volts(high);
                            }
                            let volts = if solved.island[pair.red] == solved.island[pair.black] {
                                solved.volts[pair.red] - solved.volts[pair.black]
                            } else {
                                0.0
                            };
                            tidy_volts(volts)
                        },
                    );
                    let here: Vec<&crate::diagnosis::repertoire::Test> = m
                        .tests
                        .iter()
                        .filter(|t| {
                            t.faces.first().is_some_and(|f| {
                                f.plug == s.plug
                                    && (f.red_pin == Some(wire.pin)
                                        || (f.black_pin == Some(wire.pin) && f.red_pin.is_none()))
                            })
                        })
                        .collect();
                    let last = w
                        .job
                        .taken
                        .iter()
                        .rev()
                        .filter(|t| !t.voided)
                        .find_map(|t| {
                            let k = m.tests.iter().position(|x| x.id == t.test)?;
                            let volts =
                                matches!(&m.tests[k].kind, Kind::Probe(p) if p.mode == Mode::Volts);
                            (volts && here.iter().any(|x| x.id == t.test)).then(|| w.judge(k, t))
                        });
                    MapWire {
                        pin: wire.pin,
                        code: wire.code.clone(),
                        lead_code: wire.lead_code.clone(),
                        function: wire.function.clone(),
                        run_share: part("run"),
                        pin_share: part("pin"),
                        lead_share: part("lead"),
                        now,
                        measured: last.as_ref().map(|l| l.0.clone()),
                        mark: last.map(|l| l.1.to_string()),
                        tests: here
                            .iter()
                            .map(|t| PinTest {
                                test: t.id.clone(),
                                name: t.name.clone(),
                                done: w.situation.closed.contains(&t.id),
                            })
                            .collect(),
                    }
                })
                .collect();
            let measured = wires.iter().position(|x| x.measured.is_some());
            let usual = s
                .wires
                .iter()
                .position(|x| {
                    x.function.contains("signal")
                        && x.pin != s.reference
                        && !x.function.contains("ground")
                })
                .or_else(|| s.wires.iter().position(|x| x.pin != s.reference))
                .unwrap_or(0);
            MapStrand {
                id: id.clone(),
                name: s.name.clone(),
                segment: s.segment.clone(),
                role: role(family, s).into(),
                plug: s.plug.clone(),
                plug_name: family
                    .plug(&s.plug)
                    .map_or(s.plug.clone(), |p| p.name.clone()),
                shape: family
                    .plug(&s.plug)
                    .map_or_else(|| "round".into(), |p| p.face.clone()),
                pins: w.pins(&s.plug),
                reference: s.reference,
                device_share: at(id),
                flag_wire: measured.unwrap_or(usual),
                apart: w.job.state.apart.contains(&s.plug),
                crossed: s.crossed_colours(),
                wires,
            }
        })
        .collect();
    let second = family.has("second-drive");
    let sides = if second { &["", SECOND][..] } else { &[""] };
    let middle = family.middle_boxes.iter();
    let named = middle.map(|b| (b.id.as_str(), Some(b.name.clone())));
    let all = named.chain(BOXES.iter().map(|id| (*id, None)));
    let boxes = all
        .flat_map(|(id, name)| {
            sides.iter().map(move |side| MapBox {
                share: at(&format!("{id}{side}")),
                id: format!("{id}{side}"),
                name: name.clone(),
            })
        })
        .collect();
    let shares = w.belief.classes(m);
    let mut order: Vec<usize> = (0..shares.len()).collect();
    order.sort_by(|a, b| shares[*b].total_cmp(&shares[*a]).then(a.cmp(b)));
    let tags = order
        .iter()
        .take(5)
        .enumerate()
        .filter(|(_, c)| shares[**c] >= 0.02)
        .filter_map(|(k, c)| {
            let best = m.classes[*c].members.iter().max_by(|a, b| {
                w.belief.shares[**a]
                    .total_cmp(&w.belief.shares[**b])
                    .then(b.cmp(a))
            })?;
            let case = &m.cases[*best];
            let place = case.at.first()?;
            Some(MapTag {
                rank: k + 1,
                percent: (shares[*c] * 100.0).round() as u32,
                place: drawn_at(family, case, place),
            })
        })
        .collect();
    let face = next_test.and_then(|t| t.faces.first());
    Map {
        strands,
        boxes,
        tags,
        middle: family.middle.clone(),
        second: second.then(|| "Second".into()),
        protection: family
            .segments
            .iter()
            .find(|s| s.id == "protection")
            .map_or_else(String::new, |s| s.name.clone()),
        twin: family.has("twin-motors"),
        motor: if family.has("twin-motors") {
            "Motors"
        } else {
            "Motor"
        }
        .into(),
        pack: match (family.has("lead"), family.cells.groups) {
            (true, 1) => format!("{} V, block", family.volts_class),
            (true, n) => format!("{} V, {n} blocks", family.volts_class),
            (false, n) => format!("{} V, {n} groups", family.volts_class),
        },
        next_plug: face.map(|f| f.plug.clone()),
        next_strand: next_test.and_then(|t| match &t.kind {
            Kind::Probe(p) => m.net.nodes[p.pair.red]
                .split('.')
                .next()
                .filter(|s| family.strand(s).is_some())
                .map(Into::into),
            Kind::Procedure { .. } => None,
        }),
        next_pins: face.map_or_else(Vec::new, |f| {
            f.red_pin.into_iter().chain(f.black_pin).collect()
        }),
    }
}

/// Volts on a flag: three digits, zero without decimals.
fn tidy_volts(volts: f64) -> String {
    if volts.abs() < 0.02 {
        "0 V".into()
    } else {
        reading::show_text(volts, Unit::Volts)
    }
}
