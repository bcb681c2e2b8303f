//! How vehicles of a family are built otherwise than its drawing says: a table of makers' choices, and the edits that carry
//! them out on a netlist. Elements and points of the family keep their places; new ones follow.

use crate::build::Shelf;
use crate::change::Change;
use crate::error::CircuitError;
use crate::family::Family;
use crate::netlist::{Condition, Element, Netlist, Part};
use crate::profile::Profile;
use serde::Deserialize;
use std::collections::BTreeMap;
use std::sync::OnceLock;
use toml::Spanned;

/// The file of variants.
pub const VARIANTS: (&str, &str) = ("variants.toml", include_str!("../data/variants.toml"));

/// What the controller of a vehicle that is built otherwise compares with; what is not said stays.
#[derive(Debug, Clone, Default, PartialEq, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct Logic {
    hall_volts: Option<f64>,
    brake_volts: Option<f64>,
    rail_min_volts: Option<f64>,
    throttle_start_volts: Option<f64>,
    throttle_lockout_volts: Option<f64>,
    throttle_full_volts: Option<f64>,
    throttle_fault_volts: Option<f64>,
    second_channel: Option<[f64; 2]>,
}

/// What differs, as a table writes it.
#[derive(Debug, Clone, Default, PartialEq, Deserialize)]
pub struct Differs {
    /// Edits of the circuit, see [`edit`].
    pub circuit: Vec<String>,
    /// Brake strands whose switch opens when squeezed.
    #[serde(default)]
    pub opens: Vec<String>,
    /// What the controller compares with.
    #[serde(default)]
    pub logic: Logic,
    /// Volts from which a thing lights, by sign.
    #[serde(default)]
    pub shows: BTreeMap<String, f64>,
    /// What is seen whatever the circuit says.
    #[serde(default)]
    pub signs: BTreeMap<String, String>,
}

/// One way to build a vehicle otherwise.
#[derive(Debug, Clone, PartialEq, Deserialize)]
pub struct Variant {
    /// Id.
    pub id: Spanned<String>,
    /// Name.
    pub name: String,
    /// Slot of the component with which it is listed.
    pub slot: String,
    /// What reads otherwise then, in words.
    pub changes: String,
    /// Traits of the vehicles that come so.
    #[serde(default)]
    pub fits: Vec<String>,
    /// Elements that it must have, all of them.
    #[serde(default)]
    pub has: Vec<String>,
    /// Elements of which it must have one.
    #[serde(default)]
    pub any: Vec<String>,
    /// Elements that it must not have.
    #[serde(default)]
    pub lacks: Vec<String>,
    /// Component kind that says the same, as a swap: it stands here for what was written before there was one.
    #[serde(default)]
    pub kind: Option<String>,
    /// Differences that come with it.
    #[serde(default)]
    pub also: Vec<Change>,
    /// Share of vehicles of the kind that are built so.
    pub share: f64,
    /// How to make sure of it.
    pub how: String,
    /// What differs.
    #[serde(flatten)]
    pub differs: Differs,
}

#[derive(Deserialize)]
struct File {
    variant: Vec<Variant>,
}

/// Read a file of variants.
///
/// # Errors
/// File and line of what does not read, or is listed with a slot that there is not.
pub fn parse(file: &str, text: &str, shelf: &Shelf) -> Result<Vec<Variant>, CircuitError> {
    let read: File = toml::from_str(text).map_err(|e| CircuitError::toml(file, text, &e))?;
    match read.variant.iter().find(|v| shelf.slot(&v.slot).is_none()) {
        Some(one) => {
            let words = format!("there is no slot “{}”", one.slot);
            let at = one.id.span().start;
            Err(CircuitError::at(file, text, at, words))
        }
        None => Ok(read.variant),
    }
}

/// All variants that ship with the program.
///
/// # Errors
/// As [`parse`].
pub fn variants() -> Result<&'static [Variant], CircuitError> {
    static READ: OnceLock<Result<Vec<Variant>, CircuitError>> = OnceLock::new();
    let (file, text) = VARIANTS;
    let read = READ.get_or_init(|| parse(file, text, Shelf::shipped()?));
    match read {
        Ok(all) => Ok(all),
        Err(e) => Err(CircuitError::Change(e.to_string())),
    }
}

fn bad(edit: &str) -> CircuitError {
    CircuitError::Change(format!("“{edit}” is not an edit of a circuit"))
}

/// Carry out one edit: `ohms E R`, `times E F`, `volts E V`, `ratio E IDLE FULL`, `starts E ON OFF`, `move E a|b N`, `cut E`,
/// `close E`, `invert E`, `add E A B R`, `switch E A B R CONDITION`. What the circuit does not have is passed over.
///
/// # Errors
/// A line that is none of these.
pub fn edit(net: &mut Netlist, text: &str) -> Result<(), CircuitError> {
    let words: Vec<&str> = text.split_whitespace().collect();
    let number = |k: usize| -> Result<f64, CircuitError> {
        let word = words.get(k).and_then(|w| w.parse().ok());
        word.ok_or_else(|| bad(text))
    };
    let [what, id, ..] = words[..] else {
        return Err(bad(text));
    };
    let mut new = |a: &str, b: &str, part: Part| {
        let (a, b) = (net.node(a), net.node(b));
        net.add(Element {
            id: id.into(),
            a,
            b,
            c: b,
            part,
            // that it is there is known, not what it is worth
            spread: 0.5,
            plug: None,
        });
    };
    match (what, &words[2..]) {
        ("add", [a, b, _]) => {
            let ohms = number(4)?;
            new(a, b, Part::Resistor { ohms });
            return Ok(());
        }
        ("switch", [a, b, _, condition]) => {
            let part = Part::Switch {
                ohms: number(4)?,
                leak_ohms: f64::INFINITY,
                when: Condition::parse(condition).map_err(CircuitError::Change)?,
                inverted: false,
            };
            new(a, b, part);
            return Ok(());
        }
        _ => {}
    }
    let Some(k) = net.element(id) else {
        return Ok(());
    };
    if let ("move", [end, node]) = (what, &words[2..]) {
        let Some(node) = net.find(node) else {
            return Ok(());
        };
        match *end {
            "a" => net.elements[k].a = node,
            "b" => net.elements[k].b = node,
            _ => return Err(bad(text)),
        }
        return Ok(());
    }
    let first = number(2);
    match (what, &mut net.elements[k].part) {
        ("ohms", Part::Resistor { ohms } | Part::Switch { ohms, .. }) => *ohms = first?,
        ("times", Part::Resistor { ohms } | Part::Switch { ohms, .. }) => *ohms *= first?,
        ("volts", Part::Regulator { volts, .. } | Part::Source { volts, .. }) => *volts = first?,
        ("ratio", Part::Ratio { idle, full, .. }) => (*idle, *full) = (first?, number(3)?),
        (
            "starts",
            Part::Regulator {
                on_volts,
                off_volts,
                ..
            },
        ) => (*on_volts, *off_volts) = (first?, number(3)?),
        ("invert", Part::Switch { inverted, .. }) => *inverted = !*inverted,
        ("cut", part) => *part = Part::never(),
        ("close", Part::Switch { when, inverted, .. }) => {
            (*when, *inverted) = (Condition::default(), false);
        }
        _ => return Err(bad(text)),
    }
    Ok(())
}

impl Differs {
    /// Carry it out on a circuit and on what its controller goes by.
    ///
    /// # Errors
    /// An edit that does not read.
    pub fn build(&self, profile: &mut Profile, net: &mut Netlist) -> Result<(), CircuitError> {
        for line in &self.circuit {
            edit(net, line)?;
        }
        self.judge(profile);
        Ok(())
    }

    /// What the controller goes by.
    pub(crate) fn judge(&self, profile: &mut Profile) {
        let logic = &mut profile.family.logic;
        let new = &self.logic;
        let set = |to: &mut f64, from: Option<f64>| *to = from.unwrap_or(*to);
        set(&mut logic.hall_volts, new.hall_volts);
        set(&mut logic.brake_volts, new.brake_volts);
        set(&mut logic.rail_min_volts, new.rail_min_volts);
        set(&mut logic.throttle_start_volts, new.throttle_start_volts);
        set(
            &mut logic.throttle_lockout_volts,
            new.throttle_lockout_volts,
        );
        set(&mut logic.throttle_full_volts, new.throttle_full_volts);
        set(&mut logic.throttle_fault_volts, new.throttle_fault_volts);
        logic.second_channel = new.second_channel.or(logic.second_channel);
        for strand in &self.opens {
            if !profile.normally_closed.contains(strand) {
                profile.normally_closed.push(strand.clone());
            }
        }
        for shows in &mut profile.family.shows {
            if let Some(volts) = self.shows.get(&shows.sign) {
                shows.volts = *volts;
            }
        }
    }
}

impl Variant {
    /// Does such a vehicle come so?
    pub fn fits(&self, family: &Family) -> bool {
        let there = |id: &String| family.has_element(id);
        family.fits(&self.fits)
            && self.has.iter().all(there)
            && (self.any.is_empty() || self.any.iter().any(there))
            && !self.lacks.iter().any(there)
    }
}
