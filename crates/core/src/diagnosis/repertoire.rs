//! All tests of one vehicle: the catalogue's named ones and those generated from its wires.

use crate::catalogue::{self, Catalogue, ProbeSpec};
use crate::diagnosis::scale::Scale;
use crate::error::CoreError;
use crate::reading::Unit;
use spannung_circuit::family::{Carries, of_second};
use spannung_circuit::meter::Meter;
use spannung_circuit::state::{Battery, Brake, Crank, Foot, Key, Load, VehicleState, Wheel};
use spannung_circuit::{CircuitError, Family, Mode, Netlist, Pair, Profile, Requirement, meter};
use std::borrow::Cow;
use std::collections::BTreeMap;
use toml::Spanned;

/// A test: anything done to learn something.
#[derive(Debug, Clone, PartialEq)]
pub struct Test {
    /// Id, stable across profiles.
    pub id: String,
    /// Name.
    pub name: String,
    /// Why or how, one line.
    pub why: String,
    /// Probe or procedure.
    pub kind: Kind,
    /// State it needs.
    pub state: Requirement,
    /// Access code.
    pub access: String,
    /// Hands-on minutes.
    pub minutes: f64,
    /// Risk 0–4.
    pub risk: u8,
    /// Preconditions.
    pub needs: Vec<String>,
    /// Place among the first-minute checks.
    pub first_minute: Option<u8>,
    /// Where something stands that the rider sets.
    pub control: bool,
    /// Where the tips go on a plug.
    pub faces: Vec<Face>,
    /// The pack shows its true volts in this reading.
    pub loaded: bool,
    /// A known-good part is put in: its price band and the repair classes that would ruin it.
    pub lends: Option<(String, Vec<String>)>,
}

/// Need of whatever is done on the ground.
pub const RIDE_SAFE: &str = "ride-safe";

impl Test {
    /// Is it done riding, or on a roller?
    pub fn rides(&self) -> bool {
        self.needs.iter().any(|n| n == RIDE_SAFE)
    }
}

/// What kind of test.
#[derive(Debug, Clone, PartialEq)]
pub enum Kind {
    /// Two tips (or a clamp) and a figure.
    Probe(Probe),
    /// A look, feel or try, answered with one of the sign's values.
    Procedure {
        /// Sign.
        sign: String,
        /// (value, words), healthy first.
        outcomes: Vec<(String, String)>,
        /// P(seen | there).
        sensitivity: f64,
        /// P(healthy | healthy).
        specificity: f64,
        /// Strands on which it can be said where something was seen; none when there is but one place.
        places: Vec<String>,
        /// Other procedures with their answers that say what this one would ask.
        said_by: BTreeMap<String, Vec<String>>,
    },
}

/// A probe.
#[derive(Debug, Clone, PartialEq)]
pub struct Probe {
    /// Meter mode.
    pub mode: Mode,
    /// Tips; for amps both the same.
    pub pair: Pair,
    /// Load across the tips.
    pub shunt_ohms: Option<f64>,
    /// Element of an amps reading.
    pub element: Option<usize>,
    /// What is moved while watching; the reading is then lowest..highest.
    pub sweep: Option<Sweep>,
    /// Lowest and highest of the pack's groups instead of one pair.
    pub groups: bool,
    /// Ohms through electronics without power: only a short says something.
    pub electronics: bool,
}

impl Probe {
    /// Unit of the figure.
    pub fn unit(&self) -> Unit {
        unit_of(self.mode)
    }

    /// The scale on which its figures are compared.
    pub fn scale(&self) -> Scale {
        if self.electronics {
            Scale::Short
        } else {
            Scale::of(self.mode)
        }
    }

    /// The meter set and put on its points.
    pub fn meter(&self) -> Meter {
        Meter {
            mode: self.mode,
            pair: self.pair.clone(),
            shunt_ohms: self.shunt_ohms,
            element: self.element,
        }
    }

    /// One figure, or lowest and highest?
    pub fn dims(&self) -> usize {
        if self.sweep.is_some() || self.groups {
            2
        } else {
            1
        }
    }

    /// The states and steps that are solved for it, starting from the state of the vehicle.
    pub fn moments(&self, state: &VehicleState) -> Vec<(VehicleState, u8)> {
        let with = |f: &dyn Fn(&mut VehicleState)| {
            let mut s = state.clone();
            f(&mut s);
            s
        };
        match self.sweep {
            None => vec![(state.clone(), 0)],
            Some(Sweep::Wheel) => {
                let turned = with(&|s| s.wheel = Wheel::Turned);
                (0..6).map(|k| (turned.clone(), k)).collect()
            }
            Some(Sweep::Crank) => {
                let turned = with(&|s| s.crank = Crank::Turned);
                (0..2).map(|k| (turned.clone(), k)).collect()
            }
            Some(Sweep::Brake(side)) => vec![
                (with(&|s| s.brake = Brake::Free), 0),
                (with(&|s| s.brake = side), 0),
            ],
        }
    }
}

/// What is moved during a reading.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Sweep {
    /// Wheel turned by hand.
    Wheel,
    /// Cranks turned.
    Crank,
    /// One lever squeezed and let go.
    Brake(Brake),
}

impl Sweep {
    fn parse(word: &str) -> Option<Self> {
        Some(match word {
            "wheel" => Self::Wheel,
            "crank" => Self::Crank,
            "brake-left" => Self::Brake(Brake::Left),
            "brake-right" => Self::Brake(Brake::Right),
            _ => return None,
        })
    }
}

/// Where the tips go on a plug.
#[derive(Debug, Clone, PartialEq)]
pub struct Face {
    /// Plug id.
    pub plug: String,
    /// Pin of the red tip, if it is on this plug.
    pub red_pin: Option<u8>,
    /// Pin of the black tip, if it is on this plug.
    pub black_pin: Option<u8>,
    /// Joined and probed from behind, or apart.
    pub joined: bool,
    /// Harness half (controller side) or device half.
    pub harness_half: bool,
}

/// Build the list. Order is fixed: catalogue order, then strands in drawing order, pins in order.
///
/// # Errors
/// A named probe whose points this vehicle does not have.
pub fn build(
    catalogue: &Catalogue,
    profile: &Profile,
    net: &Netlist,
) -> Result<Vec<Test>, CoreError> {
    let mut out = Vec::new();
    let family = &profile.family;
    for p in catalogue.procedures.iter().filter(|p| family.fits(&p.fits)) {
        let spec = catalogue
            .faults
            .sign(&p.sign)
            .ok_or_else(|| CircuitError::Unknown {
                kind: "sign",
                name: p.sign.clone(),
            })?;
        out.push(Test {
            id: p.id.get_ref().clone(),
            name: p.name.clone(),
            why: p.how.clone(),
            kind: Kind::Procedure {
                sign: p.sign.clone(),
                outcomes: spec
                    .values
                    .iter()
                    .map(|v| {
                        (
                            v.clone(),
                            p.outcomes.get(v).cloned().unwrap_or_else(|| v.clone()),
                        )
                    })
                    .collect(),
                sensitivity: p.sensitivity,
                specificity: p.specificity,
                places: spec.places_on(family),
                said_by: p.said_by.clone(),
            },
            state: p.state.clone(),
            access: p.access.clone(),
            minutes: p.minutes,
            risk: p.risk,
            needs: p.needs.clone(),
            first_minute: p.first_minute,
            control: p.control,
            faces: Vec::new(),
            loaded: false,
            lends: p.lends.clone().map(|band| (band, p.ruined_by.clone())),
        });
    }
    let named = catalogue.probes.iter().filter(|p| family.fits(&p.fits));
    let both = named.flat_map(|p| {
        let second = second_drive(p, profile, net).map(Cow::Owned);
        std::iter::once(Cow::Borrowed(p)).chain(second)
    });
    for p in both {
        let p = &*p;
        let Some((pair, element)) = tips(p, net) else {
            continue;
        };
        let groups = p.mode == "groups";
        let mode = catalogue::mode(&p.mode).unwrap_or(Mode::Volts);
        let mut needs = p.needs.clone();
        common_needs(mode, &p.state, p.risk, &mut needs);
        out.push(Test {
            id: p.id.get_ref().clone(),
            name: p.name.clone(),
            why: p.why.clone(),
            // a wire called by what it carries is found on the plug by its pin
            faces: if p.red.is_empty() {
                Vec::new()
            } else {
                faces_of(
                    profile,
                    &net.nodes[pair.red],
                    &net.nodes[pair.black],
                    &p.state,
                )
            },
            kind: Kind::Probe(Probe {
                mode,
                pair,
                shunt_ohms: p.shunt_ohms,
                element,
                sweep: p.sweep.as_deref().and_then(Sweep::parse),
                groups,
                electronics: p.electronics,
            }),
            state: p.state.clone(),
            access: p.access.clone(),
            minutes: p.minutes,
            risk: p.risk,
            needs,
            first_minute: None,
            control: false,
            loaded: p.loaded,
            lends: None,
        });
    }
    generated(profile, net, &mut out)?;
    groups_in_reach(profile, net, &mut out)?;
    for test in &mut out {
        // off, a switch in the main lead keeps the volts from everything behind it
        if family.has("main-switch") && test.state.battery == Some(Battery::In) {
            test.state.key = test.state.key.map(|_| Key::On);
        }
        vehicle_needs(family, test);
        let through = ["ohm.", "iso."].iter().any(|p| test.id.starts_with(p));
        if let Kind::Probe(probe) = &mut test.kind {
            probe.electronics |= through && probe.mode == Mode::Ohms;
        }
    }
    Ok(out)
}

/// The same probe on a second drive; none where nothing of it stands there a second time.
fn second_drive(p: &ProbeSpec, profile: &Profile, net: &Netlist) -> Option<ProbeSpec> {
    let somewhere = !p.red.is_empty() || p.element.is_some();
    if !profile.family.has("second-drive") || !somewhere {
        return None;
    }
    // the frame is one
    let point = |name: &str| match name {
        "FRAME" => name.to_owned(),
        own => of_second(own),
    };
    let mut second = ProbeSpec {
        id: Spanned::new(p.id.span(), of_second(p.id.get_ref())),
        name: format!("{}, second drive", p.name),
        red: point(&p.red),
        black: point(&p.black),
        element: p.element.as_deref().map(of_second),
        ..p.clone()
    };
    if p.red.is_empty() {
        (second.red, second.black) = (String::new(), String::new());
    }
    let apart = std::mem::take(&mut second.state.apart);
    let plug = |plug: String| match profile.family.plug(&of_second(&plug)) {
        Some(_) => of_second(&plug),
        None => plug,
    };
    second.state.apart = apart.into_iter().map(plug).collect();
    tips(&second, net).map(|_| second)
}

/// Where the tips of a named probe go on this vehicle, and the element of a current; none when the
/// vehicle does not have them.
pub fn tips(p: &ProbeSpec, net: &Netlist) -> Option<(Pair, Option<usize>)> {
    let element = match &p.element {
        Some(id) => Some(net.element(id)?),
        None => None,
    };
    let pair = if p.red.is_empty() {
        let e = element.map_or(0, |e| net.elements[e].a);
        Pair { red: e, black: e }
    } else {
        meter::pair(net, &p.red, &p.black).ok()?
    };
    Some((pair, element))
}

/// A pack of more volts than this can kill: everything live is for the instructed.
const DANGER_VOLTS: f64 = 60.0;

/// Preconditions and risk that follow from the vehicle: over 60 V when full (safety G03), a child's
/// toy (G16).
fn vehicle_needs(family: &Family, test: &mut Test) {
    let live_probe = match &test.kind {
        Kind::Probe(p) => matches!(p.mode, Mode::Volts | Mode::Amps),
        Kind::Procedure { .. } => false,
    };
    let pack_in = test.state.battery == Some(Battery::In);
    if family.full_volts() > DANGER_VOLTS {
        if pack_in || live_probe {
            test.risk = test.risk.max(3);
        }
        if live_probe {
            test.needs.push("over-60".into());
        }
    }
    let drives = test.state.foot == Some(Foot::Down) || test.needs.iter().any(|n| n == "wheel-up");
    if family.has("toy") && drives {
        test.needs.push("toy-empty".into());
    }
}

/// Blocks whose terminals can be touched: each at rest and under load, each link under load.
fn groups_in_reach(profile: &Profile, net: &Netlist, out: &mut Vec<Test>) -> Result<(), CoreError> {
    let cells = &profile.family.cells;
    let Some(access) = &cells.reach else {
        return Ok(());
    };
    let resting = Requirement {
        battery: Some(Battery::Out),
        ..Requirement::default()
    };
    let loaded = Requirement {
        battery: Some(Battery::In),
        key: Some(Key::Off),
        load: Some(Load::Feed),
        ..Requirement::default()
    };
    let mut add = |id: String, name: String, why: &str, red: &str, black: &str, load: bool| {
        let state = if load { &loaded } else { &resting };
        let mut needs = Vec::new();
        common_needs(Mode::Volts, state, 2, &mut needs);
        out.push(Test {
            id,
            name,
            why: why.into(),
            kind: Kind::Probe(Probe {
                mode: Mode::Volts,
                pair: meter::pair(net, red, black)?,
                shunt_ohms: None,
                element: None,
                sweep: None,
                groups: false,
                electronics: false,
            }),
            state: state.clone(),
            access: access.clone(),
            minutes: if load { 3.0 } else { 1.0 },
            risk: 2,
            needs,
            first_minute: None,
            control: false,
            faces: Vec::new(),
            loaded: load,
            lends: None,
        });
        Ok::<(), CoreError>(())
    };
    for k in 1..=cells.groups {
        let plus = format!("C{k}");
        let linked = cells.link_ohms.is_some() && k > 1;
        let minus = if linked {
            format!("K{}", k - 1)
        } else {
            format!("C{}", k - 1)
        };
        add(
            format!("block.{k}"),
            format!("Block {k} at rest"),
            "One block below the others is the pack's fault",
            &plus,
            &minus,
            false,
        )?;
        add(
            format!("block-load.{k}"),
            format!("Block {k} under load, 10 s"),
            "A tired block falls away from the others",
            &plus,
            &minus,
            true,
        )?;
        if linked {
            add(
                format!("link-load.{}", k - 1),
                format!("Link from block {} to {k} under load", k - 1),
                "Nothing may drop across a good link",
                &format!("C{}", k - 1),
                &minus,
                true,
            )?;
        }
    }
    Ok(())
}

/// Unit in which a meter reads.
pub fn unit_of(mode: Mode) -> Unit {
    match mode {
        Mode::Volts | Mode::Diode => Unit::Volts,
        Mode::Ohms | Mode::Milliohms => Unit::Ohms,
        Mode::Amps => Unit::Amps,
    }
}

/// Unit in which a test that comes from the drawing is read, by how its id begins; none for a test that does not.
pub fn derived_unit(id: &str) -> Option<Unit> {
    match id.split('.').next()? {
        "v" | "bare" | "load" | "block" | "block-load" | "link-load" => Some(Unit::Volts),
        "ohm" | "iso" | "drop" | "run" | "lead" => Some(Unit::Ohms),
        _ => None,
    }
}

/// Preconditions that follow from what is done.
fn common_needs(mode: Mode, state: &Requirement, risk: u8, needs: &mut Vec<String>) {
    let mut add = |n: &str| {
        if !needs.iter().any(|x| x == n) {
            needs.push(n.into());
        }
    };
    match mode {
        Mode::Ohms | Mode::Diode | Mode::Milliohms => add("bus-dead"),
        _ if risk >= 2 => add("probes-shrouded"),
        _ => {}
    }
    let turns = state.wheel == Some(Wheel::Turned)
        || state.foot == Some(Foot::Down)
        || state.throttle.is_some_and(|t| t.word() == "full");
    if turns && state.battery == Some(Battery::In) {
        add("wheel-up");
    }
}

/// The plugs that the tips stand on: the red tip's first, then the black tip's when it is another.
fn faces_of(profile: &Profile, red: &str, black: &str, state: &Requirement) -> Vec<Face> {
    let face = |node: &str, is_red: bool| -> Option<Face> {
        let mut parts = node.split('.');
        let strand = profile.family.strand(parts.next()?)?;
        let pin: u8 = parts.next()?.parse().ok()?;
        let side = parts.next()?;
        let plug = strand.plug.clone();
        Some(Face {
            joined: !(state.apart.contains(&plug)
                || plug == "dock" && state.battery == Some(Battery::Out)),
            red_pin: is_red.then_some(pin),
            black_pin: (!is_red).then_some(pin),
            harness_half: side == "c",
            plug,
        })
    };
    match (face(red, true), face(black, false)) {
        (Some(mut r), Some(b)) if r.plug == b.plug => {
            r.black_pin = b.black_pin;
            vec![r]
        }
        (r, b) => r.into_iter().chain(b).collect(),
    }
}

/// Wires whose level at rest depends on where the wheel or crank happens to stand.
fn floats(profile: &Profile, strand: &str, pin: u8) -> bool {
    let wire = profile
        .family
        .strand(strand)
        .and_then(|s| s.wires.iter().find(|w| w.pin == pin));
    wire.is_some_and(|w| {
        ["hall A", "hall B", "hall C", "wheel speed", "pedal signal"].contains(&w.function.as_str())
    })
}

fn generated(profile: &Profile, net: &Netlist, out: &mut Vec<Test>) -> Result<(), CoreError> {
    let family = &profile.family;
    let switched_on = Requirement {
        battery: Some(Battery::In),
        key: Some(Key::On),
        ..Requirement::default()
    };
    let dead = Requirement {
        battery: Some(Battery::Out),
        ..Requirement::default()
    };
    for strand in &family.strands {
        let id = strand.id.get_ref();
        if strand.carries == Carries::Phases {
            continue;
        }
        let Some(plug) = family.plug(&strand.plug) else {
            continue;
        };
        let drives = strand.carries == Carries::Drive;
        let live = if drives {
            family.drive_on()
        } else {
            switched_on.clone()
        };
        let contact = if drives { Mode::Milliohms } else { Mode::Ohms };
        let apart = |r: &Requirement| Requirement {
            apart: [strand.plug.clone()].into(),
            ..r.clone()
        };
        let r = strand.reference;
        // volts are read against the plug's own return; where it has none, against the feed's minus
        let own_return = strand.wires.iter().any(|w| {
            let returns = ["ground", "minus", "return"].iter();
            w.pin == r && returns.clone().any(|word| w.function.ends_with(word))
        });
        let minus = family.strand("main").or_else(|| family.strand("dock"));
        let against = |side: &str| match minus {
            Some(minus) if !own_return => format!("{}.{}.c", minus.id.get_ref(), minus.reference),
            _ => format!("{id}.{r}.{side}"),
        };
        for wire in &strand.wires {
            let p = wire.pin;
            let title = title(&strand.name, &wire.function);
            let sweep = if wire.function.starts_with("hall ") && wire.function.len() == 6
                || wire.function == "wheel speed"
            {
                Some(Sweep::Wheel)
            } else if wire.function == "pedal signal" {
                Some(Sweep::Crank)
            } else {
                None
            };
            let mut probe = |tid: String,
                             name: String,
                             why: &str,
                             red: String,
                             black: String,
                             mode: Mode,
                             state: Requirement,
                             access: &str,
                             minutes: f64,
                             sweep: Option<Sweep>|
             -> Result<(), CoreError> {
                let mut needs = Vec::new();
                common_needs(mode, &state, 1, &mut needs);
                let test = Test {
                    id: tid,
                    name,
                    why: why.into(),
                    faces: faces_of(profile, &red, &black, &state),
                    kind: Kind::Probe(Probe {
                        mode,
                        pair: meter::pair(net, &red, &black)?,
                        shunt_ohms: None,
                        element: None,
                        sweep,
                        groups: false,
                        electronics: false,
                    }),
                    access: access.into(),
                    minutes,
                    risk: u8::from(mode == Mode::Volts),
                    needs,
                    first_minute: None,
                    control: false,
                    loaded: false,
                    lends: None,
                    state,
                };
                // what has a name of its own already is not listed twice
                if !out
                    .iter()
                    .any(|t| t.kind == test.kind && t.state == test.state)
                {
                    out.push(test);
                }
                Ok(())
            };
            if matches!(strand.carries, Carries::Feed | Carries::Bus) {
                let returns = ["minus", "ground"]
                    .iter()
                    .any(|w| wire.function.ends_with(w));
                let (red, black) = if returns { ("c", "d") } else { ("d", "c") };
                probe(
                    format!("load.{id}.{p}"),
                    format!("{title}, contact under 10 A"),
                    "Drop across one contact",
                    format!("{id}.{p}.{red}"),
                    format!("{id}.{p}.{black}"),
                    Mode::Volts,
                    Requirement {
                        key: Some(if strand.carries == Carries::Bus {
                            Key::On
                        } else {
                            Key::Off
                        }),
                        load: Some(Load::Feed),
                        ..live.clone()
                    },
                    &plug.access,
                    4.0,
                    None,
                )?;
                continue;
            }
            if p != r || !own_return {
                let live_state = if sweep == Some(Sweep::Wheel) {
                    Requirement {
                        wheel: Some(Wheel::Turned),
                        ..live.clone()
                    }
                } else {
                    live.clone()
                };
                for (side, half) in [("c", "harness side"), ("d", "device side")] {
                    probe(
                        format!("v.{id}.{p}.{side}"),
                        format!("{title}, {half}"),
                        "What arrives here",
                        format!("{id}.{p}.{side}"),
                        against(side),
                        Mode::Volts,
                        live_state.clone(),
                        &plug.access,
                        1.0,
                        sweep,
                    )?;
                }
                probe(
                    format!("bare.{id}.{p}"),
                    format!("{title}, plug apart"),
                    "What the other side gives alone",
                    format!("{id}.{p}.c"),
                    against("c"),
                    Mode::Volts,
                    apart(&live),
                    &plug.access,
                    1.0,
                    None,
                )?;
                if p != r && !floats(profile, id, p) {
                    let to = if own_return {
                        "ground"
                    } else {
                        "its neighbour"
                    };
                    probe(
                        format!("ohm.{id}.{p}"),
                        format!("{title} to {to}, device half"),
                        "The device alone",
                        format!("{id}.{p}.d"),
                        format!("{id}.{r}.d"),
                        Mode::Ohms,
                        apart(&dead),
                        &plug.access,
                        1.0,
                        None,
                    )?;
                }
                probe(
                    format!("iso.{id}.{p}"),
                    format!("{title} to ground, harness half"),
                    "The loom and what it leads to, alone: a capacitor behind it lets the ohms climb",
                    format!("{id}.{p}.c"),
                    against("c"),
                    Mode::Ohms,
                    apart(&dead),
                    &plug.access,
                    1.0,
                    None,
                )?;
            }
            probe(
                format!("drop.{id}.{p}"),
                format!("{title}, across the contact"),
                "Zero if the contact is good",
                format!("{id}.{p}.c"),
                format!("{id}.{p}.d"),
                contact,
                dead.clone(),
                &plug.access,
                1.0,
                None,
            )?;
            probe(
                format!("run.{id}.{p}"),
                format!("{title}, {} to plug", family.middle.to_lowercase()),
                "The wire end to end",
                wire.from.clone(),
                format!("{id}.{p}.c"),
                Mode::Ohms,
                apart(&dead),
                &strand.from_access,
                1.5,
                None,
            )?;
            if let Some(access) = &strand.to_access {
                probe(
                    format!("lead.{id}.{p}"),
                    format!("{title}, plug to sensor"),
                    "The wire end to end, device open",
                    format!("{id}.{p}.d"),
                    wire.to.clone(),
                    Mode::Ohms,
                    apart(&dead),
                    access,
                    1.0,
                    None,
                )?;
            }
        }
    }
    Ok(())
}

/// Name of a wire: strand and function, without saying a word twice (“Left brake signal”).
pub(super) fn title(strand: &str, function: &str) -> String {
    let first = function.split_whitespace().next().unwrap_or_default();
    if strand.to_lowercase().starts_with(first) {
        let mut chars = function.chars();
        return chars
            .next()
            .map_or_else(String::new, |c| c.to_uppercase().chain(chars).collect());
    }
    let rest = strand
        .rsplit_once(' ')
        .filter(|(_, last)| *last == first)
        .map_or(strand, |(head, _)| head);
    format!("{rest} {function}")
}

/// Index of a test by id.
pub fn find(tests: &[Test], id: &str) -> Option<usize> {
    tests.iter().position(|t| t.id == id)
}
