//! This vehicle: its family and what is different on it, built into a netlist.

use crate::build::{self, Shelf};
use crate::change::Change;
use crate::error::CircuitError;
use crate::family::{Family, PartSpec};
use crate::netlist::{Condition, Element, Level, Netlist, Part, Watches};
use crate::variant;
use std::collections::BTreeMap;

/// A family with this vehicle's changes.
#[derive(Debug, Clone, PartialEq)]
pub struct Profile {
    /// The family after the changes.
    pub family: Family,
    /// The changes, in the order made.
    pub changes: Vec<Change>,
    /// Brake strands whose switch opens when squeezed.
    pub normally_closed: Vec<String>,
    /// Pull-up volts of the hall lines, if not the 5 V rail.
    pub hall_pull_up: Option<f64>,
    /// Pull-up volts of the brake line, if not the 5 V rail.
    pub brake_pull_up: Option<f64>,
    /// Halls stand 60° apart instead of 120°: line B reads the other way round.
    pub halls_60: bool,
    /// Ids of the ways in which it is built otherwise.
    pub built: Vec<String>,
    /// Ids of the alterations found on it.
    pub alterations: Vec<String>,
    /// Wires it has more than its family.
    pub extra_wires: usize,
}

/// What a wire carries, as data files name it: `hall A` is `hall-a`.
pub fn slug(function: &str) -> String {
    function.to_lowercase().replace([' ', '/'], "-")
}

/// Read `PLUS MINUS > volts & …`.
fn levels(net: &mut Netlist, text: &str) -> Result<Vec<Level>, String> {
    let mut out = Vec::new();
    for term in text.split('&') {
        let words: Vec<&str> = term.split_whitespace().collect();
        let [plus, minus, compare, volts] = words[..] else {
            return Err(format!("“{}” should read PLUS MINUS > volts", term.trim()));
        };
        let volts = volts
            .parse()
            .map_err(|_| format!("“{volts}” is not a figure in volts"))?;
        let above = match compare {
            ">" => true,
            "<" => false,
            other => return Err(format!("“{other}” should be > or <")),
        };
        out.push(Level {
            plus: net.node(plus),
            minus: net.node(minus),
            above,
            volts,
        });
    }
    Ok(out)
}

/// The family that comes of the changes that put it together otherwise.
///
/// # Errors
/// A family, slot, kind or function that there is not, a component that does not fit, two outputs on one point.
pub fn put_together(family: &Family, changes: &[Change]) -> Result<Family, CircuitError> {
    let shelf = Shelf::shipped()?;
    let mut made = family.build.clone();
    for change in changes {
        match change {
            Change::Kind { family } => made = build::ready(family, shelf)?,
            Change::Component { slot, kind } => {
                made.swap(slot, kind.as_deref(), shelf)?;
                made.told.insert(slot.clone());
            }
            Change::Likely { slot, kind } => made.swap(slot, kind.as_deref(), shelf)?,
            Change::Join(join) => made.rejoin(join.clone()),
            _ => {}
        }
    }
    made.family(shelf)
}

impl Profile {
    /// Apply changes to a family: first those that put it together otherwise, then the rest, in the order made. What
    /// names a thing that a swap took away has no effect until it is put back.
    ///
    /// # Errors
    /// A sentence for what the family does not have, a component that does not fit, an unknown colour, a figure out of its
    /// range, a plug with fewer pins than wires.
    pub fn new(family: &Family, changes: &[Change]) -> Result<Self, CircuitError> {
        let rebuilt = changes.iter().any(Change::rebuilds);
        let family = if rebuilt {
            put_together(family, changes)?
        } else {
            family.clone()
        };
        Self::noted(family, changes, rebuilt)
    }

    /// A family with what was noted of it; `rebuilt`: what names a thing that it does not have has no effect.
    fn noted(family: Family, changes: &[Change], rebuilt: bool) -> Result<Self, CircuitError> {
        let mut profile = Self {
            normally_closed: family.opens.clone(),
            family,
            changes: changes.to_vec(),
            hall_pull_up: None,
            brake_pull_up: None,
            halls_60: false,
            built: Vec::new(),
            alterations: Vec::new(),
            extra_wires: 0,
        };
        for change in changes {
            match profile.apply(change) {
                Err(CircuitError::Unknown { .. }) if rebuilt => {}
                done => done?,
            }
        }
        Ok(profile)
    }

    /// What was noted of this vehicle, on another family.
    pub(crate) fn on(&self, family: Family) -> Result<Self, CircuitError> {
        Self::noted(family, &self.changes, true)
    }

    /// This vehicle with one thing more that is different.
    ///
    /// # Errors
    /// As [`Self::new`].
    pub fn with(&self, change: &Change) -> Result<Self, CircuitError> {
        if change.rebuilds() {
            let base = self.family.build.family(Shelf::shipped()?)?;
            let all: Vec<Change> = self.changes.iter().chain([change]).cloned().collect();
            return Self::new(&base, &all);
        }
        let mut new = self.clone();
        new.apply(change)?;
        new.changes.push(change.clone());
        Ok(new)
    }

    /// Build the netlist: three elements for every wire, then the family's other parts.
    ///
    /// # Errors
    /// A part that lacks a value its kind needs, or an id used twice.
    pub fn netlist(&self) -> Result<Netlist, CircuitError> {
        let mut net = Netlist::default();
        // The pack's minus comes first, so that a live island is tied there and its voltages read
        // against battery minus.
        net.node("C0");
        let cells = &self.family.cells;
        for k in 0..cells.groups {
            // parts hang on the top of the pack, however many groups it has
            let last = k + 1 == cells.groups;
            let plus = if last {
                "CS".into()
            } else {
                format!("C{}", k + 1)
            };
            // blocks in series hang on links that can come loose; the group's own minus is then K
            let mut minus = format!("C{k}");
            if let Some(ohms) = cells.link_ohms.filter(|_| k > 0) {
                let end = format!("K{k}");
                net.resistor(&format!("link.{k}"), &minus, &end, ohms, 0.3);
                minus = end;
            }
            let (a, b) = (net.node(&plus), net.node(&minus));
            net.add(Element {
                id: format!("group.{}", k + 1),
                a,
                b,
                c: b,
                part: Part::Source {
                    volts: cells.rest_volts,
                    ohms: cells.ohms,
                    when: Condition::default(),
                },
                spread: 0.0015,
                plug: None,
            });
        }
        if let Some(top) = net.find("CS") {
            net.also_node(format!("C{}", cells.groups), top);
        }
        for part in &self.family.parts {
            self.add_part(&mut net, part)?;
        }
        for strand in &self.family.strands {
            let id = strand.id.get_ref();
            for wire in &strand.wires {
                let near = format!("{id}.{}.c", wire.pin);
                let far = format!("{id}.{}.d", wire.pin);
                let name = |part: &str| format!("{id}.{}.{part}", wire.pin);
                let ok = net.resistor(&name("run"), &wire.from, &near, strand.run_ohms, 0.2)
                    && net.resistor(&name("pin"), &near, &far, strand.pin_ohms, 0.3)
                    && net.resistor(&name("lead"), &far, &wire.to, strand.lead_ohms, 0.2);
                if !ok {
                    return Err(CircuitError::Change(format!(
                        "two elements are called {}",
                        name("run")
                    )));
                }
                let contact = net.element(&name("pin")).expect("just added");
                net.elements[contact].plug = Some(strand.plug.clone());
                // data files may call a wire by what it carries, whatever pin it is on
                let called = format!("{id}.{}", slug(&wire.function));
                for part in ["run", "pin", "lead"] {
                    if let Some(e) = net.element(&name(part)) {
                        net.also_element(format!("{called}.{part}"), e);
                    }
                }
                for (side, node) in [("c", &near), ("d", &far)] {
                    let node = net.node(node);
                    net.also_node(format!("{called}.{side}"), node);
                }
            }
        }
        net.hold_bare_levels();
        for variant in variant::variants()? {
            if self.built.contains(variant.id.get_ref()) {
                for line in &variant.differs.circuit {
                    variant::edit(&mut net, line)?;
                }
            }
        }
        Ok(net)
    }

    /// What is seen on a vehicle that is built so, whatever the circuit says.
    pub fn seen_anyway(&self) -> BTreeMap<String, String> {
        let all = variant::variants().unwrap_or_default();
        let mine = all.iter().filter(|v| self.built.contains(v.id.get_ref()));
        mine.flat_map(|v| v.differs.signs.clone()).collect()
    }

    fn add_part(&self, net: &mut Netlist, spec: &PartSpec) -> Result<(), CircuitError> {
        let id = spec.id.get_ref();
        let need = |value: Option<f64>, name: &str| {
            value.ok_or_else(|| CircuitError::Change(format!("part “{id}” needs {name}")))
        };
        let wrong = |e: String| CircuitError::Change(format!("part “{id}”: {e}"));
        let condition = spec.when.as_ref().or(spec.unless.as_ref());
        let when = Condition::parse(condition.map_or("", String::as_str)).map_err(wrong)?;
        let cells = &self.family.cells;
        let part = match spec.kind.as_str() {
            "resistor" => Part::Resistor {
                ohms: need(spec.ohms, "ohms")?,
            },
            "source" => Part::Source {
                // a second pack is made of the same cells
                volts: spec.volts.unwrap_or(cells.rest_volts * cells.groups as f64),
                ohms: need(spec.ohms, "ohms")?,
                when,
            },
            "switch" => Part::Switch {
                ohms: need(spec.ohms, "ohms")?,
                leak_ohms: spec.leak_ohms.unwrap_or(f64::INFINITY),
                when,
                inverted: spec.unless.is_some()
                    != self
                        .normally_closed
                        .iter()
                        .any(|s| id.starts_with(&format!("{s}-"))),
            },
            "relay" => Part::Relay {
                ohms: need(spec.ohms, "ohms")?,
                closes: levels(net, spec.closes.as_deref().unwrap_or_default()).map_err(wrong)?,
                when,
            },
            "diode" => Part::Diode {
                volts: need(spec.volts, "volts")?,
                ohms: spec.ohms.unwrap_or(0.02),
            },
            "regulator" => Part::Regulator {
                volts: need(spec.volts, "volts")?,
                limit_amps: need(spec.limit_amps, "limit_amps")?,
                dropout_volts: need(spec.dropout_volts, "dropout_volts")?,
                on_volts: need(spec.on_volts, "on_volts")?,
                off_volts: need(spec.off_volts, "off_volts")?,
                draws: spec.draws.unwrap_or(1.0),
            },
            "ratio" => {
                let idle = need(spec.idle, "idle")?;
                let over = match id.as_str() {
                    "hall-pull" => self.hall_pull_up,
                    "brake-pull" => self.brake_pull_up,
                    _ => None,
                };
                let idle = over.map_or(idle, |v| v / 5.0);
                Part::Ratio {
                    idle,
                    full: if over.is_some() {
                        idle
                    } else {
                        spec.full.unwrap_or(idle)
                    },
                    ohms: need(spec.ohms, "ohms")?,
                    min_volts: need(spec.min_volts, "min_volts")?,
                }
            }
            "open-collector" => Part::OpenCollector {
                ohms: need(spec.ohms, "ohms")?,
                min_volts: need(spec.min_volts, "min_volts")?,
                watches: match spec.watches.as_deref() {
                    Some("hall-a") => Watches::Hall(0),
                    Some("hall-b") if self.halls_60 => Watches::HallTurned(1),
                    Some("hall-b") => Watches::Hall(1),
                    Some("hall-c") => Watches::Hall(2),
                    Some("pedal") => Watches::Pedal,
                    Some("speed") => Watches::Speed,
                    _ => return Err(CircuitError::Change(format!("part “{id}” needs watches"))),
                },
            },
            other => {
                return Err(CircuitError::Change(format!(
                    "part “{id}”: there is no kind “{other}”"
                )));
            }
        };
        let spread = spec.spread.unwrap_or(match part {
            Part::Resistor { .. } => 0.05,
            Part::Switch { .. } | Part::Relay { .. } => 0.3,
            Part::Diode { .. } => 0.03,
            Part::Regulator { .. } | Part::Ratio { .. } => 0.015,
            Part::OpenCollector { .. } => 0.3,
            Part::Source { .. } => 0.003,
        });
        let (a, b) = (net.node(&spec.a), net.node(&spec.b));
        let c = spec.c.as_ref().map_or(b, |c| net.node(c));
        let fresh = net.add(Element {
            id: id.clone(),
            a,
            b,
            c,
            part,
            spread,
            plug: spec.plug.clone(),
        });
        if fresh {
            Ok(())
        } else {
            Err(CircuitError::Change(format!(
                "two elements are called “{id}”"
            )))
        }
    }

    /// Does its controller judge the lines like another's?
    pub fn judges_like(&self, other: &Self) -> bool {
        self.built == other.built
            && self.normally_closed == other.normally_closed
            && self.family.opens == other.family.opens
            && self.hall_pull_up == other.hall_pull_up
            && self.brake_pull_up == other.brake_pull_up
            && self.halls_60 == other.halls_60
    }

    /// Does its controller decide by the same figures as another's?
    pub fn decides_like(&self, other: &Self) -> bool {
        self.family.logic == other.family.logic
            && self.family.motor == other.family.motor
            && self.halls_60 == other.halls_60
    }

    /// Controller threshold of the brake line: middle of its pull-up.
    pub fn brake_threshold(&self) -> f64 {
        self.brake_pull_up
            .map_or(self.family.logic.brake_volts, |v| v * 0.4)
    }

    /// Controller threshold of the hall lines: middle of their pull-up.
    pub fn hall_threshold(&self) -> f64 {
        self.hall_pull_up
            .map_or(self.family.logic.hall_volts, |v| v * 0.45)
    }
}
