//! This vehicle: its family and what is different on it, built into a netlist.

use crate::error::CircuitError;
use crate::family::{Family, PartSpec, Strand, Wire};
use crate::netlist::{Condition, Element, Level, Netlist, Part, Watches};
use serde::{Deserialize, Serialize};

/// “Not like this here”: one difference from the family.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(tag = "what", rename_all = "kebab-case")]
pub enum Change {
    /// Another insulation colour on a pin.
    Colour {
        /// Strand id.
        strand: String,
        /// Pin.
        pin: u8,
        /// Colour code, `RD` or `GN/WH`; `??` for not noted.
        code: String,
    },
    /// One more wire in a strand, that ends unconnected.
    ExtraWire {
        /// Strand id.
        strand: String,
        /// Colour code.
        code: String,
        /// What it is thought to carry.
        function: String,
    },
    /// The brake switches of a strand open when squeezed.
    NormallyClosedBrake {
        /// Strand id of the lever.
        strand: String,
    },
    /// Another pull-up voltage on the signal lines.
    PullUp {
        /// `halls` or `brakes`.
        lines: String,
        /// Volts, 2.5 to 15.
        volts: f64,
    },
    /// Another plug.
    Plug {
        /// Plug id.
        plug: String,
        /// Name.
        name: String,
        /// Pins on its face.
        pins: u8,
        /// `round` or `flat`.
        face: String,
    },
}

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
}

/// The colour codes that can be written (base, or base/stripe of two of these), and `??`.
pub const COLOURS: [&str; 12] = [
    "RD", "BK", "YE", "GN", "BU", "WH", "BN", "GY", "OR", "VT", "PK", "TQ",
];

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

/// Is this an insulation colour?
pub fn colour_ok(code: &str) -> bool {
    let mut parts = code.split('/');
    let base = parts.next().unwrap_or_default();
    let stripe = parts.next();
    code == "??"
        || (COLOURS.contains(&base)
            && stripe.is_none_or(|s| COLOURS.contains(&s))
            && parts.next().is_none())
}

impl Profile {
    /// Apply changes to a family.
    ///
    /// # Errors
    /// A sentence for a strand, pin or plug that the family does not have, an unknown colour, a
    /// pull-up outside 2.5–15 V, a plug with fewer pins than wires.
    pub fn new(family: &Family, changes: &[Change]) -> Result<Self, CircuitError> {
        let mut profile = Self {
            family: family.clone(),
            changes: changes.to_vec(),
            normally_closed: Vec::new(),
            hall_pull_up: None,
            brake_pull_up: None,
        };
        for change in changes {
            profile.apply(change)?;
        }
        Ok(profile)
    }

    fn strand_mut(&mut self, id: &str) -> Result<&mut Strand, CircuitError> {
        self.family
            .strands
            .iter_mut()
            .find(|s| s.id.get_ref() == id)
            .ok_or_else(|| CircuitError::Unknown {
                kind: "strand",
                name: id.into(),
            })
    }

    fn apply(&mut self, change: &Change) -> Result<(), CircuitError> {
        match change {
            Change::Colour { strand, pin, code } => {
                if !colour_ok(code) {
                    return Err(CircuitError::Change(format!(
                        "“{code}” is not a colour code. Use two letters, such as RD or GN/WH, or ?? for not noted."
                    )));
                }
                let wires = &mut self.strand_mut(strand)?.wires;
                let wire = wires.iter_mut().find(|w| w.pin == *pin);
                wire.ok_or_else(|| CircuitError::Unknown {
                    kind: "pin",
                    name: format!("{strand} {pin}"),
                })?
                .code
                .clone_from(code);
            }
            Change::ExtraWire {
                strand,
                code,
                function,
            } => {
                if !colour_ok(code) {
                    return Err(CircuitError::Change(format!(
                        "“{code}” is not a colour code. Use two letters, such as RD or GN/WH, or ?? for not noted."
                    )));
                }
                let plug_id = self.strand_mut(strand)?.plug.clone();
                let used: Vec<u8> = self
                    .family
                    .strands
                    .iter()
                    .filter(|s| s.plug == plug_id)
                    .flat_map(|s| s.wires.iter().map(|w| w.pin))
                    .collect();
                let free = (1..=60).find(|p| !used.contains(p)).unwrap_or(61);
                let plug = self
                    .family
                    .plugs
                    .iter_mut()
                    .find(|p| p.id.get_ref() == &plug_id)
                    .ok_or_else(|| CircuitError::Unknown {
                        kind: "plug",
                        name: plug_id.clone(),
                    })?;
                plug.pins = plug.pins.max(free);
                let node = format!("{strand}.extra{free}");
                self.strand_mut(strand)?.wires.push(Wire {
                    pin: free,
                    code: code.clone(),
                    function: function.clone(),
                    from: format!("{node}.from"),
                    to: format!("{node}.to"),
                });
            }
            Change::NormallyClosedBrake { strand } => {
                self.strand_mut(strand)?;
                if !strand.starts_with("brake") {
                    return Err(CircuitError::Change(format!(
                        "{strand} is not a brake lever"
                    )));
                }
                if !self.normally_closed.contains(strand) {
                    self.normally_closed.push(strand.clone());
                }
            }
            Change::PullUp { lines, volts } => {
                if !(2.5..=15.0).contains(volts) {
                    return Err(CircuitError::Change(format!(
                        "a pull-up of {volts} V cannot be; 2.5 to 15 V are accepted"
                    )));
                }
                match lines.as_str() {
                    "halls" => self.hall_pull_up = Some(*volts),
                    "brakes" => self.brake_pull_up = Some(*volts),
                    other => {
                        return Err(CircuitError::Unknown {
                            kind: "group of lines",
                            name: other.into(),
                        });
                    }
                }
            }
            Change::Plug {
                plug,
                name,
                pins,
                face,
            } => {
                let highest = self
                    .family
                    .strands
                    .iter()
                    .filter(|s| &s.plug == plug)
                    .flat_map(|s| s.wires.iter().map(|w| w.pin))
                    .max()
                    .unwrap_or(0);
                if *pins < highest || *pins > 60 {
                    return Err(CircuitError::Change(format!(
                        "{pins} pins do not hold the {highest} wires of this plug; {highest} to 60 are accepted"
                    )));
                }
                if face != "round" && face != "flat" {
                    return Err(CircuitError::Change("a plug face is round or flat".into()));
                }
                let found = self
                    .family
                    .plugs
                    .iter_mut()
                    .find(|p| p.id.get_ref() == plug);
                let found = found.ok_or_else(|| CircuitError::Unknown {
                    kind: "plug",
                    name: plug.clone(),
                })?;
                found.name.clone_from(name);
                found.pins = *pins;
                found.face.clone_from(face);
            }
        }
        Ok(())
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
            let plus = format!("C{}", k + 1);
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
        if let Some(top) = net.find(&format!("C{}", cells.groups)) {
            net.also_node("CS".into(), top);
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
        Ok(net)
    }

    fn add_part(&self, net: &mut Netlist, spec: &PartSpec) -> Result<(), CircuitError> {
        let id = spec.id.get_ref();
        let need = |value: Option<f64>, name: &str| {
            value.ok_or_else(|| CircuitError::Change(format!("part “{id}” needs {name}")))
        };
        let wrong = |e: String| CircuitError::Change(format!("part “{id}”: {e}"));
        let condition = spec.when.as_ref().or(spec.unless.as_ref());
        let when = Condition::parse(condition.map_or("", String::as_str)).map_err(wrong)?;
        let part = match spec.kind.as_str() {
            "resistor" => Part::Resistor {
                ohms: need(spec.ohms, "ohms")?,
            },
            "source" => Part::Source {
                volts: need(spec.volts, "volts")?,
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
