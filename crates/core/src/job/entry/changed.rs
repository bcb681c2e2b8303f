//! What is different on a vehicle, and where that is known from, in words.

use crate::catalogue::Catalogue;
use crate::job::has;
use crate::job::state::Job;
use spannung_circuit::build::Join;
use spannung_circuit::variant;
use spannung_circuit::{Change as Differs, KnownFrom, Shelf};

/// Where a difference is known from.
pub(super) fn source_words(source: KnownFrom) -> &'static str {
    match source {
        KnownFrom::Seen => "seen",
        KnownFrom::Label => "from its label",
        KnownFrom::Measured => "measured",
        KnownFrom::Told => "told by the owner",
        KnownFrom::Guessed => "guessed",
    }
}

/// What is different on a vehicle, in the names of its drawing.
pub fn change_words(change: &Differs, catalogue: &Catalogue, job: &Job) -> String {
    let family = job.family(catalogue);
    let strand = |id: &str| {
        let found = family.and_then(|f| f.strand(id));
        found.map_or_else(|| id.to_string(), |s| s.name.clone())
    };
    match change {
        Differs::Colour {
            strand: id,
            pin,
            code,
        } => format!("{}, pin {pin} is {code}", strand(id)),
        Differs::LeadColour {
            strand: id,
            pin,
            code,
        } => format!("{}, pin {pin} is {code} on the device's half", strand(id)),
        Differs::ExtraWire {
            strand: id,
            code,
            function,
        } => format!("{}: one more wire, {code}, {function}", strand(id)),
        Differs::NormallyClosedBrake { strand: id } => {
            format!("{} opens when squeezed", strand(id))
        }
        Differs::PullUp { lines, volts } => {
            let lines = if lines == "halls" {
                "Hall lines"
            } else {
                "Brake lines"
            };
            format!("{lines} pulled up to {volts} V")
        }
        Differs::Plug {
            plug,
            name,
            pins,
            face,
        } => {
            let old = family.and_then(|f| f.plug(plug));
            let old = old.map_or_else(|| plug.clone(), |p| p.name.clone());
            format!("{old} is “{name}”, {face}, {pins} pins")
        }
        Differs::Pack {
            groups,
            chemistry,
            parallel,
            amp_hours,
        } => {
            let mut words = format!("Pack of {groups} groups in series");
            if let Some(parallel) = parallel {
                words += &format!(", {parallel} cells in parallel");
            }
            if let Some(amp_hours) = amp_hours {
                words += &format!(", {amp_hours} Ah");
            }
            if let Some(chemistry) = chemistry {
                words += &format!(", {chemistry}");
            }
            words
        }
        Differs::Figure { figure, value } => {
            let known = family.and_then(|f| f.figures.iter().find(|x| x.id.get_ref() == figure));
            match known {
                Some(f) => format!("{} is {value} {}", f.name, f.unit),
                None => format!("{figure} is {value}"),
            }
        }
        Differs::Gauge { strand: id, mm2 } => format!("{}: wires of {mm2} mm²", strand(id)),
        Differs::Order { strand: id, pins } => {
            let pins: Vec<String> = pins.iter().map(u8::to_string).collect();
            format!("{}: the wires sit on pins {}", strand(id), pins.join(", "))
        }
        Differs::HallSpacing { degrees } => format!("Halls {degrees}° apart"),
        Differs::Kind { family: id } => {
            let road = catalogue.road.iter().map(|r| &r.family);
            let known = road.chain(&catalogue.families).find(|f| &f.id == id);
            known.map_or(id, |f| &f.name).clone()
        }
        Differs::Component { slot, kind } | Differs::Likely { slot, kind } => {
            let shelf = spannung_circuit::Shelf::shipped();
            let place = shelf.as_ref().ok().and_then(|s| s.slot(slot));
            let place = place.map_or(slot.as_str(), |s| s.name.as_str());
            let kind = kind.as_ref().map(|id| {
                let known = shelf.as_ref().ok().and_then(|s| s.kind(id));
                known.map_or(id.as_str(), |k| k.name.as_str())
            });
            match kind {
                Some(kind) if matches!(change, Differs::Likely { .. }) => {
                    format!("{place}: {}, likely", lower(kind))
                }
                Some(kind) => format!("{place}: {}", lower(kind)),
                None => format!("{place}: none"),
            }
        }
        Differs::Join(Join {
            strand: id,
            pin,
            to,
        }) => match to {
            Some(to) => {
                let to = Shelf::shipped().map_or_else(|_| to.clone(), |s| has::point(to, s));
                format!("{}, pin {pin} leads to “{to}”", strand(id))
            }
            None => format!("{}, pin {pin} leads nowhere", strand(id)),
        },
        Differs::Built { variant: id } => {
            let all = variant::variants().unwrap_or_default();
            let known = all.iter().find(|v| v.id.get_ref() == id);
            let name = known.map_or_else(|| id.clone(), |v| v.name.clone());
            format!("Built otherwise: {name}")
        }
        Differs::Alteration { id, present } => {
            let mut all = catalogue.alterations.iter();
            let known = all.find(|a| a.id.get_ref() == id);
            let name = known.map_or(id.as_str(), |a| a.name());
            format!(
                "{}: {name}",
                if *present { "Altered" } else { "Not altered" }
            )
        }
    }
}

/// A name within a sentence: its first letter small, unless it is a sign.
fn lower(name: &str) -> String {
    let mut letters = name.chars();
    let first = letters.next().unwrap_or_default();
    let rest = letters.as_str();
    if rest.starts_with(char::is_lowercase) {
        first.to_lowercase().chain(rest.chars()).collect()
    } else {
        name.into()
    }
}
