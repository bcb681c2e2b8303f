//! Fault modes: what each does to the circuit, and what a person sees of it directly.

use crate::error::CircuitError;
use crate::family::{Carries, Family, SECOND, Strand, Wire, first_of, of_second};
use crate::netlist::{Netlist, NodeId};
use crate::profile::Profile;
use serde::Deserialize;
use std::collections::BTreeMap;
use toml::Spanned;

/// The fault file that ships with the program.
pub const FAULTS: (&str, &str) = ("faults.toml", include_str!("../data/faults.toml"));
/// The signs file that ships with the program.
pub const SIGNS: (&str, &str) = ("signs.toml", include_str!("../data/signs.toml"));

/// What a fault does to one element or between two nodes.
#[derive(Debug, Clone, PartialEq)]
pub enum Effect {
    /// Element removed.
    Open(usize),
    /// Ohms in series with an element.
    Series(usize, f64),
    /// Value multiplied.
    Scale(usize, f64),
    /// Switch or sensor stuck closed (true) or open (false); a regulator forced off.
    Force(usize, bool),
    /// Ratio of a throttle or driver stuck.
    Ratio(usize, f64),
    /// Resistance between two nodes: leak or short.
    Bridge(NodeId, NodeId, f64),
}

impl Effect {
    /// The element it works on; none for what lies between two nodes.
    pub fn element(&self) -> Option<usize> {
        match self {
            Self::Open(e)
            | Self::Series(e, _)
            | Self::Scale(e, _)
            | Self::Force(e, _)
            | Self::Ratio(e, _) => Some(*e),
            Self::Bridge(..) => None,
        }
    }

    /// The nodes that it works between.
    pub fn ends(&self, net: &Netlist) -> [NodeId; 2] {
        match self {
            Self::Open(e)
            | Self::Series(e, _)
            | Self::Scale(e, _)
            | Self::Force(e, _)
            | Self::Ratio(e, _) => [net.elements[*e].a, net.elements[*e].b],
            Self::Bridge(a, b, _) => [*a, *b],
        }
    }
}

/// One fault as written in the file.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct FaultSpec {
    /// Id.
    pub id: Spanned<String>,
    /// Name; `{x}`, `{strand}` and `{wire}` stand for the instance.
    pub name: String,
    /// Traits a vehicle must have, or with `!` must not have, for this to happen to it.
    #[serde(default)]
    pub fits: Vec<String>,
    /// Instances that share the weight: words, element ids with `*`, `groups` for every group of the
    /// pack, `links` for every link between two, `crossings` for every two wires of a signal strand.
    #[serde(default)]
    pub each: Vec<String>,
    /// Element ids that are left out of `each`.
    #[serde(default)]
    pub except: Vec<String>,
    /// Effects in words: `open E`, `series E OHMS…`, `scale E FACTOR…`, `close E`, `release E`,
    /// `ratio E R…`, `bridge A B OHMS…`, `short E OHMS…` (a bridge across it), `cross E E` (two wires end on each other's pins). Several numbers are levels that share the weight. `*` in an
    /// element stands for all it fits; of effects parted by `|` the first that this vehicle has holds.
    #[serde(default)]
    pub effects: Vec<String>,
    /// Where it sits: element ids, or a plug or part of the drawing.
    pub at: Vec<String>,
    /// Segment of the strip; when left out, that of the strand.
    #[serde(default)]
    pub segment: Option<String>,
    /// Signs it shows whatever the circuit says.
    #[serde(default)]
    pub signs: BTreeMap<String, String>,
    /// A static reading shows it only now and then.
    #[serde(default)]
    pub intermittent: bool,
}

/// One fault instance at one level: the hypothesis of the diagnosis, the truth of the simulation.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct FaultCase {
    /// Unique key: `id`, `id:x`, `id:x#level`.
    pub key: String,
    /// Fault id.
    pub fault: String,
    /// Instance word or element, empty when there is only one.
    pub x: String,
    /// Name with the instance filled in.
    pub name: String,
    /// Effects on the netlist it was expanded for.
    pub effects: Vec<Effect>,
    /// Where it sits.
    pub at: Vec<String>,
    /// Segment.
    pub segment: String,
    /// Strand, if it sits on one.
    pub strand: Option<String>,
    /// Direct signs.
    pub signs: BTreeMap<String, String>,
    /// Shows only now and then.
    pub intermittent: bool,
    /// Share of the fault's weight (1 / number of cases).
    pub share: f64,
}

/// A sign: something a person sees, hears or feels, with its healthy value first.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SignSpec {
    /// Id.
    pub id: Spanned<String>,
    /// Values, the healthy one first.
    pub values: Vec<String>,
    /// Worked out from the circuit by [`crate::behaviour`].
    #[serde(default)]
    pub computed: bool,
    /// What is there → what it is called instead → how often.
    #[serde(default)]
    pub seen_as: BTreeMap<String, BTreeMap<String, f64>>,
    /// Strands on which it can be said where it was seen: ids, `*` for all, `!` before one that is left out.
    #[serde(default)]
    pub places: Vec<String>,
}

impl SignSpec {
    /// The strands of a vehicle on which it can be said where this was seen, in their order; those of a second drive as those
    /// of the first.
    pub fn places_on(&self, family: &Family) -> Vec<String> {
        let there = |id: &&String| {
            let id = first_of(id).unwrap_or_else(|| (*id).clone());
            let left_out = |p: &String| p.strip_prefix('!') == Some(&id);
            let named = |p: &String| p == "*" || *p == id;
            self.places.iter().any(named) && !self.places.iter().any(left_out)
        };
        let ids = family.strands.iter().map(|s| s.id.get_ref());
        ids.filter(there).cloned().collect()
    }
}

/// All fault modes and signs.
#[derive(Debug, Clone, PartialEq)]
pub struct FaultBook {
    /// Faults in file order.
    pub faults: Vec<FaultSpec>,
    /// Signs in file order.
    pub signs: Vec<SignSpec>,
    file: String,
    text: String,
}

#[derive(Deserialize)]
struct FaultFile {
    fault: Vec<FaultSpec>,
}
#[derive(Deserialize)]
struct SignFile {
    sign: Vec<SignSpec>,
}

impl FaultBook {
    /// The book that ships with the program.
    ///
    /// # Errors
    /// As [`Self::parse`]; a test proves that the shipped files read.
    pub fn shipped() -> Result<Self, CircuitError> {
        Self::parse(FAULTS.0, FAULTS.1, SIGNS.0, SIGNS.1)
    }

    /// Read fault and sign files.
    ///
    /// # Errors
    /// File and line of a fault id used twice, a sign or value that does not exist.
    pub fn parse(
        file: &str,
        text: &str,
        sign_file: &str,
        sign_text: &str,
    ) -> Result<Self, CircuitError> {
        let faults: FaultFile =
            toml::from_str(text).map_err(|e| CircuitError::toml(file, text, &e))?;
        let signs: SignFile =
            toml::from_str(sign_text).map_err(|e| CircuitError::toml(sign_file, sign_text, &e))?;
        let book = Self {
            faults: faults.fault,
            signs: signs.sign,
            file: file.into(),
            text: text.into(),
        };
        for spec in &book.signs {
            let words = spec.seen_as.iter();
            let all = words.flat_map(|(is, called)| std::iter::once(is).chain(called.keys()));
            let strange = |word: &&String| !spec.values.contains(word);
            let much = |called: &BTreeMap<String, f64>| {
                called.values().any(|p| *p < 0.0) || called.values().sum::<f64>() >= 1.0
            };
            if let Some(word) = all.clone().find(strange) {
                let message = format!("seen_as: “{}” has no value “{word}”", spec.id.get_ref());
                return Err(CircuitError::at(
                    sign_file,
                    sign_text,
                    spec.id.span().start,
                    message,
                ));
            }
            if spec.seen_as.values().any(much) {
                let message = format!(
                    "seen_as: “{}” leaves nothing for what is there",
                    spec.id.get_ref()
                );
                return Err(CircuitError::at(
                    sign_file,
                    sign_text,
                    spec.id.span().start,
                    message,
                ));
            }
        }
        for (k, fault) in book.faults.iter().enumerate() {
            let at = |m: String| CircuitError::at(file, text, fault.id.span().start, m);
            if book.faults[..k]
                .iter()
                .any(|f| f.id.get_ref() == fault.id.get_ref())
            {
                return Err(at(format!("fault “{}” stands twice", fault.id.get_ref())));
            }
            if let Some(word) = crate::family::unknown_trait(&fault.fits) {
                return Err(at(format!("there is no trait “{word}”")));
            }
            for (sign, value) in &fault.signs {
                let Some(spec) = book.sign(sign) else {
                    return Err(at(format!("there is no sign “{sign}”")));
                };
                if !spec.values.contains(value) {
                    return Err(at(format!(
                        "sign “{sign}” has no value “{value}”; it has {}",
                        spec.values.join(", ")
                    )));
                }
            }
        }
        Ok(book)
    }

    /// Sign by id.
    pub fn sign(&self, id: &str) -> Option<&SignSpec> {
        self.signs.iter().find(|s| s.id.get_ref() == id)
    }

    /// Line of a fault in its file, for errors of other files that refer to it.
    pub fn line(&self, id: &str) -> Option<usize> {
        let fault = self.faults.iter().find(|f| f.id.get_ref() == id)?;
        Some(crate::line_of(&self.text, fault.id.span().start))
    }

    /// All cases of all faults on this vehicle. A fault whose elements this vehicle does not have
    /// has no case; an effect that cannot be read is an error.
    ///
    /// # Errors
    /// File and line of an effect that does not read.
    pub fn cases(&self, profile: &Profile, net: &Netlist) -> Result<Vec<FaultCase>, CircuitError> {
        let mut out = Vec::new();
        for fault in &self.faults {
            if !profile.family.fits(&fault.fits) {
                continue;
            }
            let at = |m: String| CircuitError::at(&self.file, &self.text, fault.id.span().start, m);
            let mut cases = Vec::new();
            let instances = if fault.each.is_empty() {
                vec![String::new()]
            } else {
                let mut list = Vec::new();
                for pattern in &fault.each {
                    if pattern == "groups" || pattern == "links" {
                        let many = profile.family.cells.groups;
                        let last = if pattern == "links" { many - 1 } else { many };
                        list.extend((1..=last).map(|k| k.to_string()));
                    } else if pattern == "crossings" {
                        list.extend(crossings(profile));
                    } else if pattern.contains('*') {
                        let except = |id: &str| {
                            let first = first_of(id);
                            let names = [Some(id), first.as_deref()];
                            let mut out = names.into_iter().flatten();
                            out.any(|id| fault.except.iter().any(|p| glob(p, id)))
                        };
                        let again = |id: &str| {
                            let first = first_of(id).and_then(|f| net.element(&f));
                            first.is_some()
                        };
                        let fits = net
                            .elements
                            .iter()
                            .map(|e| &e.id)
                            .filter(|id| glob(pattern, id) && !again(id));
                        list.extend(fits.filter(|id| !except(id)).cloned());
                    } else {
                        // a wire called by what it carries is known by its pin from here on
                        let known = net.element(pattern).map(|e| net.elements[e].id.clone());
                        list.push(known.unwrap_or_else(|| pattern.clone()));
                    }
                }
                list
            };
            // what stands in the vehicle a second time breaks as the first does
            let second = profile.family.has("second-drive");
            let sides = if second { &SIDES[..] } else { &SIDES[..1] };
            let each = instances
                .iter()
                .flat_map(|x| sides.iter().map(move |s| (x, *s)));
            for (x, side) in each {
                let beside = Beside { net, profile, side };
                let first = |text: &str| fill(text, x, profile);
                let common = fault.at.iter().any(|a| beside.common(&first(a)));
                let has = fault.effects.iter().any(|e| beside.has(&first(e)));
                if !side.is_empty() && (common || !has) {
                    continue;
                }
                let fill = |text: &str| beside.said(&first(text));
                let mut levels = 1;
                for effect in &fault.effects {
                    levels = levels.max(numbers(effect.split('|').next().unwrap_or(effect)).len());
                }
                for level in 0..levels {
                    let mut effects = Vec::new();
                    let mut missing = false;
                    for effect in &fault.effects {
                        match parse_effects(&fill(effect), level, net) {
                            Ok(e) => effects.extend(e),
                            Err(Parse::Missing) => missing = true,
                            Err(Parse::Bad(m)) => return Err(at(m)),
                        }
                    }
                    if missing {
                        continue;
                    }
                    let places: Vec<String> = fault
                        .at
                        .iter()
                        .map(|a| {
                            let place = beside.place(&first(a));
                            let known = net.element(&place).map(|e| net.elements[e].id.clone());
                            known.unwrap_or(place)
                        })
                        .collect();
                    let strand = places
                        .iter()
                        .chain(std::iter::once(x))
                        .find_map(|p| profile.family.strand(p.split('.').next().unwrap_or(p)));
                    let segment = fault
                        .segment
                        .clone()
                        .or_else(|| strand.map(|s| s.segment.clone()));
                    let Some(segment) = segment else {
                        // it sits on a wire that this vehicle does not have
                        if places.iter().all(|p| net.element(p).is_none()) {
                            continue;
                        }
                        return Err(at("no segment, and it sits on no strand".into()));
                    };
                    let mut key = fault.id.get_ref().clone();
                    if !x.is_empty() {
                        key = format!("{key}:{x}");
                    }
                    key.push_str(side);
                    if levels > 1 {
                        key = format!("{key}#{}", level + 1);
                    }
                    cases.push(FaultCase {
                        key,
                        fault: fault.id.get_ref().clone(),
                        x: x.clone(),
                        name: capital(&format!("{}{}", first(&fault.name), beside.words())),
                        effects,
                        at: places,
                        segment,
                        strand: strand.map(|s| s.id.get_ref().clone()),
                        signs: fault.signs.clone(),
                        intermittent: fault.intermittent,
                        share: 0.0,
                    });
                }
            }
            let share = 1.0 / cases.len().max(1) as f64;
            cases.iter_mut().for_each(|c| c.share = share);
            out.extend(cases);
        }
        Ok(out)
    }
}

/// What the names of the first drive end on, and those of a second one.
const SIDES: [&str; 2] = ["", SECOND];

/// The names of one side of a vehicle with two drives.
struct Beside<'a> {
    net: &'a Netlist,
    profile: &'a Profile,
    side: &'static str,
}

impl Beside<'_> {
    /// What this side calls by a name of the first one: `phase-2.1.lead` for `phase.1.lead`; none for what both have in common.
    fn own(&self, word: &str) -> Option<String> {
        let own = of_second(word);
        let named = |id: &str| self.net.find(id).is_some() || self.net.element(id).is_some();
        let there = if own.contains('*') {
            self.net.elements.iter().any(|e| glob(&own, &e.id))
        } else {
            named(&own) || self.profile.family.strand(&own).is_some()
        };
        (there && !self.side.is_empty()).then_some(own)
    }

    /// Does a text name anything that this side has of its own?
    fn has(&self, text: &str) -> bool {
        text.split(' ').any(|word| self.own(word).is_some())
    }

    /// Does a place stand in the vehicle once, for both sides?
    fn common(&self, place: &str) -> bool {
        let head = place.split('.').next().unwrap_or(place);
        let drawn = self.profile.family.strand(head).is_some() || self.net.element(place).is_some();
        drawn && self.own(place).is_none()
    }

    /// A place by this side's name: what is neither an element nor a strand is a part of the drawing, and each side has its own.
    fn place(&self, place: &str) -> String {
        let own = self.own(place);
        let drawn = || {
            if self.side.is_empty() || self.common(place) {
                place.into()
            } else {
                of_second(place)
            }
        };
        own.unwrap_or_else(drawn)
    }

    /// A text with this side's names.
    fn said(&self, text: &str) -> String {
        let own = |word: &str| self.own(word).unwrap_or_else(|| word.into());
        text.split(' ').map(own).collect::<Vec<_>>().join(" ")
    }

    fn words(&self) -> &'static str {
        if self.side.is_empty() {
            ""
        } else {
            ", second drive"
        }
    }
}

/// Every two wires of a signal strand that can end on each other's pins, as `strand.pin.pin`. Two wires of a contact or a lamp
/// are alike; that of the halls which is which is a matter of trying, not of the plug.
fn crossings(profile: &Profile) -> Vec<String> {
    let hall = |w: &Wire| ["hall A", "hall B", "hall C"].contains(&w.function.as_str());
    // one more than the family's leads nowhere
    let own = |s: &Strand| -> Vec<Wire> {
        let more = format!("{}.extra", s.id.get_ref());
        let wires = s.wires.iter().filter(|w| !w.from.starts_with(&more));
        wires.cloned().collect()
    };
    let strands = profile.family.strands.iter();
    let mut out = Vec::new();
    let again = |s: &Strand| {
        let first = first_of(s.id.get_ref());
        first.is_some_and(|f| profile.family.strand(&f).is_some())
    };
    for strand in strands.filter(|s| s.carries == Carries::Signals && !again(s)) {
        let wires = own(strand);
        if wires.len() < 3 {
            continue;
        }
        for (k, one) in wires.iter().enumerate() {
            let others = wires[k + 1..].iter();
            for other in others.filter(|o| !(hall(one) && hall(o))) {
                out.push(format!("{}.{}.{}", strand.id.get_ref(), one.pin, other.pin));
            }
        }
    }
    out
}

/// Fill the placeholders of a fault text: `{x}`, in capitals `{X}`; `{strand}` and `{pin}` of an element id, `{other}` of a
/// second pin; `{wire}` and `{wire2}` in words; `{device}` the strand's name in small letters.
pub fn fill(text: &str, x: &str, profile: &Profile) -> String {
    let mut parts = x.split('.');
    let strand_id = parts.next().unwrap_or_default();
    let pin = parts.next().unwrap_or_default();
    let other = parts.next().unwrap_or_default();
    let mut out = text
        .replace("{x}", x)
        .replace("{X}", &x.to_uppercase())
        .replace("{strand}", strand_id)
        .replace("{pin}", pin)
        .replace("{other}", other);
    if let Some(strand) = profile.family.strand(strand_id) {
        let words = |pin: &str| {
            let wire = strand.wires.iter().find(|w| w.pin.to_string() == pin);
            wire.map_or_else(String::new, |w| w.function.clone())
        };
        out = out
            .replace("{wire}", &words(pin))
            .replace("{wire2}", &words(other))
            .replace("{device}", &strand.name.to_lowercase());
    }
    out
}

fn glob(pattern: &str, text: &str) -> bool {
    let mut rest = text;
    let pieces: Vec<&str> = pattern.split('*').collect();
    for (k, piece) in pieces.iter().enumerate() {
        if k == 0 {
            match rest.strip_prefix(piece) {
                Some(r) => rest = r,
                None => return false,
            }
        } else if k == pieces.len() - 1 {
            return rest.ends_with(piece);
        } else {
            match rest.find(piece) {
                Some(at) => rest = &rest[at + piece.len()..],
                None => return false,
            }
        }
    }
    rest.is_empty()
}

fn numbers(effect: &str) -> Vec<f64> {
    effect
        .split_whitespace()
        .skip(1)
        .filter_map(|w| w.parse().ok())
        .collect()
}

enum Parse {
    Missing,
    Bad(String),
}

/// Effects of one line: alternatives parted by `|`, `*` for all elements that fit.
fn parse_effects(text: &str, level: usize, net: &Netlist) -> Result<Vec<Effect>, Parse> {
    let mut last = Err(Parse::Missing);
    for one in text.split('|').map(str::trim) {
        let element = one.split_whitespace().nth(1).unwrap_or_default();
        last = if element.contains('*') {
            let fits = net.elements.iter().filter(|e| glob(element, &e.id));
            let all: Result<Vec<_>, _> = fits
                .map(|e| parse_effect(&one.replace(element, &e.id), level, net))
                .collect();
            all.and_then(|v| {
                if v.is_empty() {
                    Err(Parse::Missing)
                } else {
                    Ok(v)
                }
            })
        } else if let Some(wires) = one.strip_prefix("cross ") {
            cross(wires, net)
        } else {
            parse_effect(one, level, net).map(|e| vec![e])
        };
        if !matches!(last, Err(Parse::Missing)) {
            break;
        }
    }
    last
}

/// Ohms of a wire on another's pin.
const CROSSED_OHMS: f64 = 0.05;

/// Two wires that end on each other's pins.
fn cross(wires: &str, net: &Netlist) -> Result<Vec<Effect>, Parse> {
    let element = |id: &str| net.element(id).ok_or(Parse::Missing);
    let Some((one, other)) = wires.split_once(' ') else {
        return Err(Parse::Bad(format!("“cross {wires}” names no two wires")));
    };
    let (one, other) = (element(one)?, element(other)?);
    let (a, b) = (&net.elements[one], &net.elements[other]);
    Ok(vec![
        Effect::Open(one),
        Effect::Open(other),
        Effect::Bridge(a.a, b.b, CROSSED_OHMS),
        Effect::Bridge(b.a, a.b, CROSSED_OHMS),
    ])
}

fn parse_effect(text: &str, level: usize, net: &Netlist) -> Result<Effect, Parse> {
    let words: Vec<&str> = text.split_whitespace().collect();
    let element = |k: usize| -> Result<usize, Parse> {
        let id = words
            .get(k)
            .ok_or_else(|| Parse::Bad(format!("effect “{text}” names no element")))?;
        net.element(id).ok_or(Parse::Missing)
    };
    let node = |k: usize| -> Result<NodeId, Parse> {
        let id = words
            .get(k)
            .ok_or_else(|| Parse::Bad(format!("effect “{text}” names no point")))?;
        net.find(id).ok_or(Parse::Missing)
    };
    let values = numbers(text);
    let value = || -> Result<f64, Parse> {
        values
            .get(level)
            .or(values.last())
            .copied()
            .ok_or_else(|| Parse::Bad(format!("effect “{text}” has no figure")))
    };
    Ok(match words.first().copied() {
        Some("open") => Effect::Open(element(1)?),
        Some("series") => Effect::Series(element(1)?, value()?),
        Some("scale") => Effect::Scale(element(1)?, value()?),
        Some("close") => Effect::Force(element(1)?, true),
        Some("release") => Effect::Force(element(1)?, false),
        Some("ratio") => Effect::Ratio(element(1)?, value()?),
        Some("bridge") => Effect::Bridge(node(1)?, node(2)?, value()?),
        Some("short") => {
            let over = &net.elements[element(1)?];
            Effect::Bridge(over.a, over.b, value()?)
        }
        _ => {
            return Err(Parse::Bad(format!(
                "effect “{text}” should begin with open, series, scale, close, release, ratio, bridge, short or cross"
            )));
        }
    })
}

fn capital(text: &str) -> String {
    let mut chars = text.chars();
    chars
        .next()
        .map_or_else(String::new, |c| c.to_uppercase().chain(chars).collect())
}
