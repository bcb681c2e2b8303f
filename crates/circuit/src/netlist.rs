//! Nodes and elements. A node is a pin or a terminal; an element is one thing that can fail.

use crate::state::VehicleState;
use std::collections::HashMap;

/// Index of a node in its netlist.
pub type NodeId = usize;

/// When a switch is closed or a sensor active: all `field=word` (or `field!=word`) terms must hold.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Condition(pub Vec<Term>);

/// One term of a condition.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Term {
    /// Field of the vehicle state.
    pub field: String,
    /// Word it is compared with.
    pub word: String,
    /// Must be this word (true) or any other (false).
    pub is: bool,
}

impl Condition {
    /// Parse `key=on & battery=in`; the empty text always holds.
    ///
    /// # Errors
    /// A sentence when a term is not `field=word`, or the field or word is unknown.
    pub fn parse(text: &str) -> Result<Self, String> {
        let mut terms = Vec::new();
        for term in text.split('&').map(str::trim).filter(|t| !t.is_empty()) {
            let (field, word) = term
                .split_once('=')
                .ok_or_else(|| format!("“{term}” should read field=word, such as key=on"))?;
            let (field, is) = match field.trim().strip_suffix('!') {
                Some(f) => (f.trim(), false),
                None => (field.trim(), true),
            };
            let word = word.trim();
            let Some(words) = VehicleState::words(field) else {
                return Err(format!("there is no state called “{field}”"));
            };
            if !words.contains(&word) {
                return Err(format!(
                    "{field} is never “{word}”; it is {}",
                    words.join(" or ")
                ));
            }
            terms.push(Term {
                field: field.into(),
                word: word.into(),
                is,
            });
        }
        Ok(Self(terms))
    }

    /// Does it hold in this state?
    pub fn holds(&self, state: &VehicleState) -> bool {
        self.0
            .iter()
            .all(|t| (state.word(&t.field) == Some(t.word.as_str())) == t.is)
    }
}

/// A voltage that a relay or an electronic switch waits for.
#[derive(Debug, Clone, PartialEq)]
pub struct Level {
    /// Plus.
    pub plus: NodeId,
    /// Minus; the coil's other end or ground.
    pub minus: NodeId,
    /// Above the figure (true) or below it.
    pub above: bool,
    /// Volts.
    pub volts: f64,
}

/// What a sensor watches; decides at which of the six rotor steps it pulls its line low.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Watches {
    /// Motor hall A, B or C (0, 1, 2).
    Hall(u8),
    /// A hall whose magnets read the other way round: the middle one at 60° spacing.
    HallTurned(u8),
    /// Pedal sensor: toggles while the cranks turn.
    Pedal,
    /// Wheel speed sensor: toggles while the wheel turns.
    Speed,
}

impl Watches {
    /// Is the output pulled low at this step (0–5)? Standing still, pedal and speed sensors are
    /// taken as released.
    pub fn low(self, state: &VehicleState, step: u8) -> bool {
        match self {
            Self::Hall(line) => {
                crate::commutation::HALL_CODES[step as usize % 6] & (4 >> line) == 0
            }
            Self::HallTurned(line) => !Self::Hall(line).low(state, step),
            Self::Pedal => state.crank == crate::state::Crank::Turned && step % 2 == 1,
            Self::Speed => state.wheel == crate::state::Wheel::Turned && step % 2 == 1,
        }
    }
}

/// The electrical kind of an element. Volts, ohms and amps throughout.
#[derive(Debug, Clone, PartialEq)]
pub enum Part {
    /// Wire, contact, fuse, winding, pull-up, load.
    Resistor {
        /// Ohms, above 0.
        ohms: f64,
    },
    /// Ideal source behind a resistance; `a` is plus.
    Source {
        /// Open-circuit volts.
        volts: f64,
        /// Inner ohms.
        ohms: f64,
        /// Present only while this holds.
        when: Condition,
    },
    /// Contact that closes with the state; may leak when open.
    Switch {
        /// Ohms when closed.
        ohms: f64,
        /// Ohms when open, infinite for a true open.
        leak_ohms: f64,
        /// Closed while this holds …
        when: Condition,
        /// … or, when true, while it does not (normally closed).
        inverted: bool,
    },
    /// Contact of a relay, or a transistor used as a switch: closed while all its levels hold. A part
    /// whose coil or gate is in the circuit, so that what becomes of it follows from the voltages.
    Relay {
        /// Ohms when closed.
        ohms: f64,
        /// What it waits for.
        closes: Vec<Level>,
        /// Only while this holds as well.
        when: Condition,
    },
    /// Diode from `a` (anode) to `b`: open below `volts`, then that drop plus `ohms`.
    Diode {
        /// Forward drop.
        volts: f64,
        /// Slope.
        ohms: f64,
    },
    /// Regulator from `a` (input) to `b` (output), ground `c`: regulates, limits its
    /// current, follows its input in drop-out, or is off below `off_volts` with hysteresis. A linear one takes in
    /// the amps that it gives out, a converter fewer.
    Regulator {
        /// Output volts when regulating.
        volts: f64,
        /// Largest output current.
        limit_amps: f64,
        /// Input minus output needed to regulate.
        dropout_volts: f64,
        /// Input at which it starts.
        on_volts: f64,
        /// Input below which it stops.
        off_volts: f64,
        /// Amps in for an amp out while regulating: 1 for a linear one, output over input volts and efficiency for a
        /// converter at its usual input.
        draws: f64,
    },
    /// Output `b` at a ratio of supply `a` over ground `c` (hall throttle, line driver).
    Ratio {
        /// Ratio at rest.
        idle: f64,
        /// Ratio at full throttle; the same for drivers.
        full: f64,
        /// Output ohms.
        ohms: f64,
        /// Supply volts under which the output floats to ground.
        min_volts: f64,
    },
    /// Open-collector sensor: pulls `b` to ground `c` while it sees its magnet and has supply `a`.
    OpenCollector {
        /// Ohms when pulling.
        ohms: f64,
        /// What it watches.
        watches: Watches,
        /// Supply volts it needs.
        min_volts: f64,
    },
}

impl Part {
    /// A switch that never closes.
    pub fn never() -> Self {
        Self::Switch {
            ohms: 1.0,
            leak_ohms: f64::INFINITY,
            when: Condition::default(),
            inverted: true,
        }
    }
}

/// One element between nodes. `c` is the ground of three-terminal parts, otherwise equal to `b`.
#[derive(Debug, Clone, PartialEq)]
pub struct Element {
    /// Name used in data files: `throttle.3.run`, `pack-fuse`.
    pub id: String,
    /// First node.
    pub a: NodeId,
    /// Second node.
    pub b: NodeId,
    /// Third node.
    pub c: NodeId,
    /// Kind and values.
    pub part: Part,
    /// Relative spread of the value from vehicle to vehicle (one sigma, log-normal).
    pub spread: f64,
    /// Plug whose joining this element is, if it is a contact.
    pub plug: Option<String>,
}

impl Element {
    /// Amps in for an amp out, of a regulator.
    pub(crate) fn draws(&self) -> f64 {
        match self.part {
            Part::Regulator { draws, .. } => draws,
            _ => 1.0,
        }
    }
}

/// The wire that an element is a piece of, by the element's name: `throttle.3` of `throttle.3.run`.
pub fn wire(id: &str) -> Option<&str> {
    id.match_indices('.').nth(1).map(|(end, _)| &id[..end])
}

/// A whole vehicle as nodes and elements.
#[derive(Debug, Clone, Default)]
pub struct Netlist {
    /// Node names; the index is the [`NodeId`].
    pub nodes: Vec<String>,
    /// Elements in drawing order.
    pub elements: Vec<Element>,
    index: HashMap<String, NodeId>,
    by_id: HashMap<String, usize>,
}

impl Netlist {
    /// The node of this name, made if new.
    pub fn node(&mut self, name: &str) -> NodeId {
        if let Some(&id) = self.index.get(name) {
            return id;
        }
        let id = self.nodes.len();
        self.nodes.push(name.into());
        self.index.insert(name.into(), id);
        id
    }

    /// The node of this name, if there is one.
    pub fn find(&self, name: &str) -> Option<NodeId> {
        self.index.get(name).copied()
    }

    /// Index of the element of this name.
    pub fn element(&self, id: &str) -> Option<usize> {
        self.by_id.get(id).copied()
    }

    /// Let an existing node be found by another name too. A name that is taken keeps its node.
    pub fn also_node(&mut self, name: String, node: NodeId) {
        self.index.entry(name).or_insert(node);
    }

    /// Let an existing element be found by another name too. A name that is taken keeps its element.
    pub fn also_element(&mut self, name: String, element: usize) {
        self.by_id.entry(name).or_insert(element);
    }

    /// Add an element; a second one of the same name replaces nothing and returns false.
    pub fn add(&mut self, element: Element) -> bool {
        if self.by_id.contains_key(&element.id) {
            return false;
        }
        self.by_id.insert(element.id.clone(), self.elements.len());
        self.elements.push(element);
        true
    }

    /// A relay that asks for a point at which nothing hangs takes it as high, as an input that nothing pulls down: without a
    /// lever no brake is squeezed, without a switch it drives forwards.
    pub fn hold_bare_levels(&mut self) {
        let mut hangs = vec![false; self.nodes.len()];
        for e in &self.elements {
            for node in [e.a, e.b, e.c] {
                hangs[node] = true;
            }
        }
        for e in &mut self.elements {
            if let Part::Relay { closes, .. } = &mut e.part {
                closes.retain(|l| !l.above || hangs[l.plus]);
                for low in closes.iter_mut().filter(|l| !hangs[l.plus]) {
                    low.volts = f64::NEG_INFINITY;
                }
            }
        }
    }

    /// The same circuit with its points and elements in the places that another has them in, so that what is worked out for
    /// the other's places can be worked out for this one. What only the other has is there and connects nothing; what only
    /// this one has comes after.
    pub fn laid_over(&self, other: &Self) -> Self {
        let mut new = Self {
            nodes: other.nodes.clone(),
            index: other.nodes.iter().cloned().zip(0..).collect(),
            ..Self::default()
        };
        let nodes: Vec<NodeId> = self.nodes.iter().map(|n| new.node(n)).collect();
        let moved = |e: &Element| {
            let mut e = e.clone();
            (e.a, e.b, e.c) = (nodes[e.a], nodes[e.b], nodes[e.c]);
            if let Part::Relay { closes, .. } = &mut e.part {
                for level in closes {
                    (level.plus, level.minus) = (nodes[level.plus], nodes[level.minus]);
                }
            }
            e
        };
        let own = |id: &str| {
            let e = &self.elements[self.element(id)?];
            (e.id == id).then_some(e)
        };
        for e in &other.elements {
            let here = own(&e.id).map(moved);
            new.add(here.unwrap_or_else(|| Element {
                part: Part::never(),
                ..e.clone()
            }));
        }
        for e in &self.elements {
            new.add(moved(e));
        }
        for (name, node) in &self.index {
            new.also_node(name.clone(), nodes[*node]);
        }
        for (name, k) in &self.by_id {
            if let Some(k) = new.element(&self.elements[*k].id) {
                new.also_element(name.clone(), k);
            }
        }
        new
    }

    /// Add a plain resistor.
    pub fn resistor(&mut self, id: &str, a: &str, b: &str, ohms: f64, spread: f64) -> bool {
        let (a, b) = (self.node(a), self.node(b));
        self.add(Element {
            id: id.into(),
            a,
            b,
            c: b,
            part: Part::Resistor { ohms },
            spread,
            plug: None,
        })
    }
}
