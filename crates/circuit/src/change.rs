//! “Not like this here”: what is different on one vehicle from its family.

use crate::alteration;
use crate::build::Join;
use crate::error::CircuitError;
use crate::family::{Carries, Motor, Strand, Wire};
use crate::profile::Profile;
use crate::variant::{self, Variant};
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
    /// Another insulation colour on the device's half of a plug alone.
    LeadColour {
        /// Strand id.
        strand: String,
        /// Pin.
        pin: u8,
        /// Colour code, `RD` or `GN/WH`; that of the other half: they are alike.
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
    /// Other cells.
    Pack {
        /// Groups in series.
        groups: usize,
        /// Chemistry key, `nmc`, `lmo`, `lfp`; what is not said stays.
        #[serde(default)]
        chemistry: Option<String>,
        /// Cells side by side in a group, only noted.
        #[serde(default)]
        parallel: Option<u16>,
        /// Capacity in Ah; the inner resistance goes with it.
        #[serde(default)]
        amp_hours: Option<f64>,
    },
    /// Another value of a figure that the family lists.
    Figure {
        /// Id of the figure.
        figure: String,
        /// Value in its unit.
        value: f64,
    },
    /// Thicker or thinner wires in a strand.
    Gauge {
        /// Strand id.
        strand: String,
        /// Copper cross-section, mm².
        mm2: f64,
    },
    /// The wires of a strand sit on other pins.
    Order {
        /// Strand id.
        strand: String,
        /// New pin of each wire, in the order of the present pins.
        pins: Vec<u8>,
    },
    /// Halls that stand 60 or 120 electrical degrees apart.
    HallSpacing {
        /// 60 or 120.
        degrees: u16,
    },
    /// Built otherwise than the drawing, in a way that is known.
    Built {
        /// Id in `variants.toml`.
        variant: String,
    },
    /// Something an owner or an earlier shop did.
    Alteration {
        /// Id in `alterations.toml`.
        id: String,
        /// Found on it (true), or not after all.
        present: bool,
    },
    /// Like another ready build than its volts and drive begin with.
    Kind {
        /// Family id.
        family: String,
    },
    /// Another component in a slot.
    Component {
        /// Slot id.
        slot: String,
        /// Kind id; none: there is nothing.
        #[serde(default)]
        kind: Option<String>,
    },
    /// Another component is likely in a slot, for a vehicle like it had it; nobody looked at this one.
    Likely {
        /// Slot id.
        slot: String,
        /// Kind id; none: there is nothing.
        #[serde(default)]
        kind: Option<String>,
    },
    /// A wire that leads elsewhere than to what it carries.
    Join(Join),
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

impl Change {
    /// Does it put the vehicle together otherwise? What else is noted of it is noted on the vehicle that comes of it.
    pub fn rebuilds(&self) -> bool {
        matches!(
            self,
            Self::Kind { .. } | Self::Component { .. } | Self::Likely { .. } | Self::Join(_)
        )
    }

    /// As it is kept for the next vehicle like this one: what was seen here is likely there. None for what one owner or an
    /// earlier hand did to one vehicle.
    pub fn kept(&self) -> Option<Self> {
        match self {
            Self::ExtraWire { .. } | Self::Alteration { .. } => None,
            Self::Component { slot, kind } => Some(Self::Likely {
                slot: slot.clone(),
                kind: kind.clone(),
            }),
            other => Some(other.clone()),
        }
    }
}

/// Where a figure comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum KnownFrom {
    /// Looked at.
    Seen,
    /// Read off a label.
    Label,
    /// Measured here.
    Measured,
    /// Told by the owner.
    Told,
    /// Guessed.
    Guessed,
}

/// The colour codes that can be written (base, or base/stripe of two of these), and `??`.
pub const COLOURS: [&str; 12] = [
    "RD", "BK", "YE", "GN", "BU", "WH", "BN", "GY", "OR", "VT", "PK", "TQ",
];

/// Most wires that a vehicle can have more than its family.
pub const MOST_EXTRA_WIRES: usize = 8;

/// A name or function that fits on a plug.
fn short(words: &str) -> Result<(), CircuitError> {
    if words.chars().count() <= 80 {
        return Ok(());
    }
    Err(CircuitError::Change(
        "80 letters are enough for a name".into(),
    ))
}

/// An insulation colour, or what is said of one that is none.
fn colour(code: &str) -> Result<(), CircuitError> {
    let mut parts = code.split('/');
    let known = |c: &str| COLOURS.contains(&c);
    let base = parts.next().is_some_and(known);
    let stripe = parts.next().is_none_or(known);
    if code == "??" || (base && stripe && parts.next().is_none()) {
        return Ok(());
    }
    Err(CircuitError::Change(format!(
        "“{code}” is not a colour code. Use two letters, such as RD or GN/WH, or ?? for not noted."
    )))
}

impl Profile {
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

    fn wire_mut(&mut self, strand: &str, pin: u8) -> Result<&mut Wire, CircuitError> {
        let wires = &mut self.strand_mut(strand)?.wires;
        let wire = wires.iter_mut().find(|w| w.pin == pin);
        wire.ok_or_else(|| CircuitError::Unknown {
            kind: "pin",
            name: format!("{strand} {pin}"),
        })
    }

    pub(crate) fn apply(&mut self, change: &Change) -> Result<(), CircuitError> {
        match change {
            Change::Colour { strand, pin, code } => {
                colour(code)?;
                let wire = self.wire_mut(strand, *pin)?;
                wire.code.clone_from(code);
                if wire.lead_code.as_ref() == Some(code) {
                    wire.lead_code = None;
                }
            }
            Change::LeadColour { strand, pin, code } => {
                colour(code)?;
                let wire = self.wire_mut(strand, *pin)?;
                wire.lead_code = (*code != wire.code).then(|| code.clone());
            }
            Change::ExtraWire {
                strand,
                code,
                function,
            } => {
                colour(code)?;
                short(function)?;
                self.extra_wires += 1;
                if self.extra_wires > MOST_EXTRA_WIRES {
                    return Err(CircuitError::Change(format!(
                        "{MOST_EXTRA_WIRES} more wires are noted; a loom that differs more is another vehicle"
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
                    lead_code: None,
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
            Change::Pack {
                groups,
                chemistry,
                amp_hours,
                ..
            } => self.pack(*groups, chemistry.as_deref(), *amp_hours)?,
            Change::Figure { figure, value } => self.family.label_as(figure, *value)?,
            Change::Gauge { strand, mm2 } => self.gauge(strand, *mm2)?,
            Change::Order { strand, pins } => self.order(strand, pins)?,
            Change::HallSpacing { degrees } => {
                if self.family.motor != Motor::SixStep {
                    return Err(CircuitError::Change("this motor has no halls".into()));
                }
                match degrees {
                    60 => self.halls_60 = true,
                    120 => self.halls_60 = false,
                    other => {
                        return Err(CircuitError::Change(format!(
                            "halls stand 60 or 120 degrees apart, not {other}"
                        )));
                    }
                }
            }
            // done before anything else
            Change::Kind { .. }
            | Change::Component { .. }
            | Change::Likely { .. }
            | Change::Join(_) => {}
            Change::Built { variant } => self.build_as(variant)?,
            Change::Alteration { id, present } => self.alter(id, *present)?,
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
                short(name)?;
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

    fn build_as(&mut self, id: &str) -> Result<(), CircuitError> {
        let all = variant::variants()?;
        let fits = |v: &&Variant| v.id.get_ref() == id && v.fits(&self.family);
        let found = all.iter().find(fits).ok_or_else(|| CircuitError::Unknown {
            kind: "way to build it",
            name: id.into(),
        })?;
        if !self.built.iter().any(|b| b == id) {
            self.built.push(id.into());
            found.differs.judge(self);
            for change in &found.also {
                self.apply(change)?;
            }
        }
        Ok(())
    }

    fn pack(
        &mut self,
        groups: usize,
        chemistry: Option<&str>,
        amp_hours: Option<f64>,
    ) -> Result<(), CircuitError> {
        if !(1..=40).contains(&groups) {
            return Err(CircuitError::Change(format!(
                "{groups} groups in series cannot be; 1 to 40 are accepted"
            )));
        }
        let cells = &mut self.family.cells;
        if let Some(key) = chemistry.filter(|c| *c != cells.chemistry) {
            let known = alteration::chemistries()?;
            let found = known.get(key).ok_or_else(|| CircuitError::Unknown {
                kind: "chemistry",
                name: key.into(),
            })?;
            if !known.contains_key(&cells.chemistry) {
                return Err(CircuitError::Change(format!(
                    "a pack of {} is no pack of lithium cells: that is another vehicle",
                    cells.chemistry
                )));
            }
            cells.rest_volts = found.rest_volts;
            cells.full_volts = found.full_volts;
            cells.floor_volts = found.floor_volts;
            cells.chemistry = key.into();
        }
        if let Some(amp_hours) = amp_hours {
            if !(0.5..=400.0).contains(&amp_hours) {
                return Err(CircuitError::Change(format!(
                    "{amp_hours} Ah cannot be; 0.5 to 400 Ah are accepted"
                )));
            }
            // the same cells, more or fewer of them side by side
            cells.ohms *= cells.amp_hours / amp_hours;
            cells.amp_hours = amp_hours;
        }
        cells.groups = groups;
        Ok(())
    }

    fn gauge(&mut self, strand: &str, mm2: f64) -> Result<(), CircuitError> {
        if !(0.03..=70.0).contains(&mm2) {
            return Err(CircuitError::Change(format!(
                "a wire of {mm2} mm² cannot be; 0.03 to 70 mm² are accepted"
            )));
        }
        let strand = self.strand_mut(strand)?;
        let thinner = strand.mm2() / mm2;
        strand.run_ohms *= thinner;
        strand.lead_ohms *= thinner;
        strand.mm2 = Some(mm2);
        Ok(())
    }

    fn order(&mut self, strand: &str, pins: &[u8]) -> Result<(), CircuitError> {
        let strand = self.strand_mut(strand)?;
        let mut wires: Vec<usize> = (0..strand.wires.len()).collect();
        wires.sort_by_key(|k| strand.wires[*k].pin);
        let mut now: Vec<u8> = wires.iter().map(|k| strand.wires[*k].pin).collect();
        let mut wanted = pins.to_vec();
        wanted.sort_unstable();
        if wanted != now {
            now.sort_unstable();
            let list: Vec<String> = now.iter().map(u8::to_string).collect();
            return Err(CircuitError::Change(format!(
                "the pins of {} are {}: say each of them once, in the order of the wires",
                strand.name,
                list.join(", ")
            )));
        }
        let reference = now.iter().position(|p| *p == strand.reference);
        for (k, pin) in wires.into_iter().zip(pins) {
            strand.wires[k].pin = *pin;
        }
        if let Some(at) = reference {
            strand.reference = pins[at];
        }
        strand.wires.sort_by_key(|w| w.pin);
        Ok(())
    }

    fn alter(&mut self, id: &str, present: bool) -> Result<(), CircuitError> {
        let all = alteration::shipped()?;
        let found = all.iter().find(|a| a.id.get_ref() == id);
        let found = found.ok_or_else(|| CircuitError::Unknown {
            kind: "alteration",
            name: id.into(),
        })?;
        if !self.family.fits(&found.fits) {
            return Err(CircuitError::Change(format!(
                "“{}” is not found on such a vehicle",
                found.name
            )));
        }
        let parts: Vec<&str> = found.part.iter().map(|p| p.id.get_ref().as_str()).collect();
        self.alterations.retain(|a| a != id);
        self.family
            .parts
            .retain(|p| !parts.contains(&p.id.get_ref().as_str()));
        if !present {
            return Ok(());
        }
        self.alterations.push(id.into());
        self.family.parts.extend(found.part.iter().cloned());
        for (code, harder) in &found.access {
            if let Some(place) = self.family.access.get_mut(code) {
                place.minutes = place.minutes.max(harder.minutes);
                place.destroys = Some(harder.destroys.clone());
            }
        }
        Ok(())
    }
}

impl Strand {
    /// Copper cross-section of its wires, mm²; where the family does not say, what such strands usually have.
    pub fn mm2(&self) -> f64 {
        self.mm2.unwrap_or(match self.carries {
            Carries::Signals => 0.22,
            Carries::Feed | Carries::Bus | Carries::Phases | Carries::Drive => 2.5,
        })
    }

    /// Pairs of pins at which each lead has the colour of the other's wire: two that an earlier hand may have put into each
    /// other's place, or another maker's colours.
    pub fn crossed_colours(&self) -> Vec<[u8; 2]> {
        let told = |w: &&Wire| w.lead_code.is_some() && w.code != "??";
        let other: Vec<&Wire> = self.wires.iter().filter(told).collect();
        let pairs = other.iter().enumerate().flat_map(|(k, a)| {
            let rest = other[k + 1..].iter();
            rest.filter(|b| a.beyond() == b.code && b.beyond() == a.code)
                .map(|b| [a.pin, b.pin])
        });
        pairs.collect()
    }
}
