//! From components to one circuit: words of the slots filled in, the feed led from the pack through what lies in its way,
//! every other wire joined by what it carries.

use super::join::{self, allowed, functions};
use super::kind::{Kind, SECTIONS, Shelf};
use super::{Build, Component, FigureSet};
use crate::error::CircuitError;
use crate::family::{
    Carries, Family, Figure, Logic, Motor, PartSpec, Plug, Segment, Strand, Wire, of_second,
};
use std::collections::{BTreeMap, BTreeSet};
use toml::Spanned;

/// Names of the segments of the strip, unless a component says otherwise.
const SEGMENTS: [(&str, &str); 8] = [
    ("pack", "Pack"),
    ("protection", "Protection"),
    ("leads", "Leads"),
    ("controller", "Controller"),
    ("phases", "Phases"),
    ("motor", "Motor"),
    ("wheel", "Wheel"),
    ("strands", "Signal strands"),
];

/// What stands for `{word}` in the texts of one component.
struct Words<'a> {
    slot: &'a BTreeMap<String, String>,
    name: &'a str,
    nets: &'a BTreeMap<String, String>,
    ends: BTreeMap<&'static str, String>,
    offers: &'a BTreeMap<String, String>,
    /// Volts of the pack at rest.
    nominal: f64,
}

/// Volts as a label says them: to the half.
fn half(volts: f64) -> f64 {
    (volts * 2.0).round() / 2.0
}

impl Words<'_> {
    fn of(&self, word: &str) -> Option<&str> {
        if word == "name" {
            return Some(self.name);
        }
        let found = self.slot.get(word).or_else(|| self.nets.get(word));
        let found = found.or_else(|| self.ends.get(word));
        found.or_else(|| self.offers.get(word)).map(String::as_str)
    }

    /// Every `{word}` filled in.
    fn fill(&self, text: &str) -> Result<String, CircuitError> {
        let mut out = String::new();
        let mut rest = text;
        while let Some(at) = rest.find('{') {
            let (before, after) = rest.split_at(at);
            out.push_str(before);
            let end = after.find('}').unwrap_or(after.len());
            let word = after.get(1..end).unwrap_or_default();
            // {volts*0.8}: that part of the pack's volts
            let factor = word
                .strip_prefix("volts*")
                .and_then(|f| f.parse::<f64>().ok());
            if let Some(factor) = factor {
                out.push_str(&half(self.nominal * factor).to_string());
            } else {
                let filled = self.of(word).ok_or_else(|| {
                    CircuitError::Change(format!(
                        "{}: nothing of this build gives it “{word}”",
                        self.name
                    ))
                })?;
                out.push_str(filled);
            }
            rest = after.get(end + 1..).unwrap_or_default();
        }
        out.push_str(rest);
        Ok(out)
    }

    fn spanned(&self, text: &Spanned<String>) -> Result<Spanned<String>, CircuitError> {
        Ok(Spanned::new(text.span(), self.fill(text.get_ref())?))
    }

    fn some(&self, text: &Option<String>) -> Result<Option<String>, CircuitError> {
        text.as_ref().map(|t| self.fill(t)).transpose()
    }

    fn part(&self, p: &PartSpec) -> Result<PartSpec, CircuitError> {
        Ok(PartSpec {
            id: self.spanned(&p.id)?,
            a: self.fill(&p.a)?,
            b: self.fill(&p.b)?,
            c: self.some(&p.c)?,
            when: self.some(&p.when)?,
            unless: self.some(&p.unless)?,
            closes: self.some(&p.closes)?,
            ..p.clone()
        })
    }

    fn plug(&self, p: &Plug) -> Result<Plug, CircuitError> {
        Ok(Plug {
            id: self.spanned(&p.id)?,
            name: self.fill(&p.name)?,
            ..p.clone()
        })
    }

    fn strand(&self, s: &Strand) -> Result<Strand, CircuitError> {
        let wire = |w: &Wire| -> Result<Wire, CircuitError> {
            Ok(Wire {
                function: self.fill(&w.function)?,
                from: self.fill(&w.from)?,
                to: self.fill(&w.to)?,
                ..w.clone()
            })
        };
        Ok(Strand {
            id: self.spanned(&s.id)?,
            name: self.fill(&s.name)?,
            plug: self.fill(&s.plug)?,
            wires: s.wires.iter().map(wire).collect::<Result<_, _>>()?,
            ..s.clone()
        })
    }
}

/// The kinds of a build beside their components, with the words of their slots.
struct Parts<'a> {
    build: &'a Build,
    shelf: &'a Shelf,
    kinds: Vec<(&'a Component, &'a Kind)>,
    nets: BTreeMap<String, String>,
    offers: BTreeMap<String, String>,
    nominal: f64,
}

impl<'a> Parts<'a> {
    fn new(build: &'a Build, shelf: &'a Shelf, nominal: f64) -> Result<Self, CircuitError> {
        let kinds: Vec<(&Component, &Kind)> = build
            .components
            .iter()
            .filter_map(|c| Some((c, shelf.kind(&c.kind)?)))
            .collect();
        let mut parts = Self {
            build,
            shelf,
            kinds,
            // the controller's bus is where its feed comes in, unless a contactor lies between
            nets: BTreeMap::from([("bus".to_owned(), "VB+".to_owned())]),
            offers: BTreeMap::new(),
            nominal,
        };
        for (_, kind) in &parts.kinds {
            parts.nets.extend(kind.nets.clone());
        }
        for k in 0..parts.kinds.len() {
            let words = parts.words(k);
            let mut own = Vec::new();
            for (function, node) in &parts.kinds[k].1.offers {
                own.push((words.fill(function)?, words.fill(node)?));
            }
            parts.offers.extend(own);
        }
        Ok(parts)
    }

    fn words(&self, k: usize) -> Words<'_> {
        static NONE: BTreeMap<String, String> = BTreeMap::new();
        let (component, _) = self.kinds[k];
        let slot = self.shelf.slot(component.slot.get_ref());
        let name = component.name.as_deref();
        Words {
            slot: slot.map_or(&NONE, |s| &s.words),
            name: name.unwrap_or_else(|| slot.map_or("", |s| s.name.as_str())),
            nets: &self.nets,
            ends: self.ends(k),
            offers: &self.offers,
            nominal: self.nominal,
        }
    }

    /// Where the feed comes in to a component and where it goes on, when it lies in its way.
    fn ends(&self, k: usize) -> BTreeMap<&'static str, String> {
        let chain: Vec<usize> = (0..self.kinds.len())
            .filter(|k| {
                let (c, kind) = self.kinds[*k];
                c.slot.get_ref() == "pack" || !kind.inlet.is_empty()
            })
            .collect();
        let mut ends = BTreeMap::new();
        // what stands in a vehicle a second time is fed from where the first of its kind is
        let first = |k: &usize| self.kinds[*k].0.slot.get_ref() == "controller";
        let second = self.kinds[k].1.second.is_some();
        let fed_as = (0..self.kinds.len()).find(first).filter(|_| second);
        let Some(at) = chain.iter().position(|c| *c == fed_as.unwrap_or(k)) else {
            return ends;
        };
        let kind = |at: usize| chain.get(at).map(|k| self.kinds[*k].1);
        // between the thing at `at` and the next
        let plus = |at: usize| -> Option<String> {
            let own = kind(at)?.outlet.first();
            own.or_else(|| kind(at + 1)?.inlet.first()).cloned()
        };
        let minus = |mut at: usize| -> Option<String> {
            loop {
                if let Some(own) = kind(at)?.outlet.get(1) {
                    return Some(own.clone());
                }
                let next = kind(at + 1)?;
                if let Some(there) = next.inlet.get(1) {
                    return Some(there.clone());
                }
                at += 1;
            }
        };
        if let Some(name) = at.checked_sub(1).and_then(plus) {
            ends.insert("in+", name);
        }
        if let Some(name) = at.checked_sub(1).and_then(minus) {
            ends.insert("in-", name);
        }
        if let Some(name) = plus(at) {
            ends.insert("out+", name);
        }
        if let Some(name) = minus(at) {
            ends.insert("out-", name);
        }
        ends
    }

    /// The point that a wire of this function leads to, in this slot.
    fn offer(&self, function: &str, slot: &str) -> Option<&String> {
        let here = self.offers.get(&format!("{function}@{slot}"));
        here.or_else(|| self.offers.get(function))
    }

    /// The point that a wire leads to from what stands in the vehicle a second time: what the first calls by the name of the
    /// wire's far end, if anybody is plugged into it. One lever tells both.
    fn offer_of_first(&self, wire: &Wire) -> Option<&String> {
        let there = |(f, node): &(&String, &String)| {
            let slot = f.strip_prefix(&wire.function)?.strip_prefix('@')?;
            self.build
                .in_slot(slot)
                .filter(|_| of_second(node) == wire.to)
        };
        let found = self.offers.iter().find(|offer| there(offer).is_some());
        found.map(|(_, node)| node)
    }

    /// Strands of a component with their wires joined; the functions that are joined to somebody are noted.
    fn strands(
        &self,
        k: usize,
        joined: &mut BTreeSet<String>,
    ) -> Result<Vec<Strand>, CircuitError> {
        let (component, kind) = self.kinds[k];
        let slot = component.slot.get_ref();
        let words = self.words(k);
        let mut out = Vec::new();
        let mut loose = None;
        for strand in &kind.strands {
            let mut strand = words.strand(strand)?;
            let mut wires = Vec::new();
            let mut unfed = None;
            let mut own_joined = BTreeSet::new();
            for mut wire in std::mem::take(&mut strand.wires) {
                let id = strand.id.get_ref();
                let other = self
                    .build
                    .joins
                    .iter()
                    .find(|j| &j.strand == id && j.pin == wire.pin);
                if let Some(join) = other {
                    match &join.to {
                        None => wire.from = format!("{id}.{}.open", wire.pin),
                        Some(to) => {
                            allowed(&wire.function, to)?;
                            let node =
                                self.offer(to, slot).ok_or_else(|| CircuitError::Unknown {
                                    kind: "point to join to",
                                    name: to.clone(),
                                })?;
                            wire.from.clone_from(node);
                            // a point of another slot is named with it
                            let here = || format!("{to}@{slot}");
                            let named = to.contains('@').then(|| to.clone());
                            own_joined.insert(named.unwrap_or_else(here));
                        }
                    }
                } else if wire.from.is_empty() {
                    let first = || self.offer_of_first(&wire).filter(|_| kind.second.is_some());
                    match self.offer(&wire.function, slot).or_else(first) {
                        Some(node) => {
                            wire.from.clone_from(node);
                            own_joined.insert(format!("{}@{slot}", wire.function));
                        }
                        None => {
                            if functions()?.get(&wire.function).is_some_and(|f| f.supply) {
                                unfed.get_or_insert_with(|| wire.function.clone());
                            }
                            // nothing to plug it into: the wire ends in its plug
                            continue;
                        }
                    }
                }
                if let Some(code) = component.colours.get(&format!("{id}.{}", wire.pin)) {
                    wire.code.clone_from(code);
                }
                wires.push(wire);
            }
            if let Some(function) = unfed {
                // a plug that nothing takes hangs loose; one whose signals are taken wants its feed as well
                let grounds = ["signal ground", "ground", "hall ground"];
                let error = CircuitError::Change(format!(
                    "{}: nothing of this build gives it “{function}”",
                    kind.name
                ));
                if own_joined
                    .iter()
                    .all(|j| grounds.iter().any(|g| j.starts_with(g)))
                {
                    loose = Some(error);
                    continue;
                }
                return Err(error);
            }
            joined.extend(own_joined);
            strand.wires = wires;
            // behind a contactor the feed is the bus, and there only with the key on
            let bus = self.nets.get("bus").filter(|b| *b != "VB+");
            let on_bus = |w: &Wire| Some(&w.from) == bus;
            if strand.carries == Carries::Feed && strand.wires.iter().any(on_bus) {
                strand.carries = Carries::Bus;
            }
            if !strand.wires.is_empty() {
                out.push(strand);
            }
        }
        let needed = self.shelf.slot(slot).is_some_and(|s| s.needed);
        match loose {
            // a motor that nothing can drive is no vehicle
            Some(error) if out.is_empty() && needed => Err(error),
            _ => Ok(out),
        }
    }
}

/// One field of a part or a strand.
fn field<'a>(
    parts: &'a mut [PartSpec],
    strands: &'a mut [Strand],
    path: &str,
) -> Option<&'a mut f64> {
    let (id, field) = path.rsplit_once('.')?;
    if let Some(strand) = strands.iter_mut().find(|s| s.id.get_ref() == id) {
        return match field {
            "run_ohms" => Some(&mut strand.run_ohms),
            "pin_ohms" => Some(&mut strand.pin_ohms),
            "lead_ohms" => Some(&mut strand.lead_ohms),
            _ => None,
        };
    }
    let part = parts.iter_mut().find(|p| p.id.get_ref() == id)?;
    part.figure_mut(field)
}

fn looks(plugs: &mut [Plug], component: &Component) -> Result<(), CircuitError> {
    for (id, new) in &component.plugs {
        let found = plugs.iter_mut().find(|p| p.id.get_ref() == id);
        let plug = found.ok_or_else(|| CircuitError::Unknown {
            kind: "plug",
            name: id.clone(),
        })?;
        if let Some(name) = &new.name {
            plug.name.clone_from(name);
        }
        if let Some(face) = &new.face {
            plug.face.clone_from(face);
        }
        if let Some(access) = &new.access {
            plug.access.clone_from(access);
        }
        plug.pins = new.pins.unwrap_or(plug.pins);
    }
    Ok(())
}

/// Where a figure stands among the others: by what it is about.
const FIGURES: [&str; 9] = [
    "controller-volts",
    "controller-amps",
    "cutoff",
    "throttle-start",
    "throttle-full",
    "pack-fuse",
    "ignition-fuse",
    "charger",
    "converter",
];

impl Build {
    /// The points to which a wire that carries this function can lead, as [`Join::to`](super::Join) names them, in order.
    pub fn joinable(&self, function: &str, shelf: &Shelf) -> Vec<String> {
        let nominal = self
            .cells(shelf)
            .map_or(0.0, |c| c.rest_volts * c.groups as f64);
        let Ok(all) = Parts::new(self, shelf, nominal) else {
            return Vec::new();
        };
        let fits = all.offers.keys();
        fits.filter(|to| allowed(function, to).is_ok())
            .cloned()
            .collect()
    }

    /// The vehicle that its components make.
    ///
    /// # Errors
    /// A sentence for a component that does not fit, a supply without source, two outputs on one point, a point that hangs
    /// on one element alone, a value that nothing has.
    pub fn family(&self, shelf: &Shelf) -> Result<Family, CircuitError> {
        self.check(shelf)
            .map_err(|(_, m)| CircuitError::Change(m))?;
        let cells = self.cells(shelf)?;
        let nominal = cells.rest_volts * cells.groups as f64;
        let all = Parts::new(self, shelf, nominal)?;
        if self.joins.len() > join::MOST_JOINS {
            return Err(CircuitError::Change(format!(
                "{} joins are noted; a loom that differs more is another vehicle",
                join::MOST_JOINS
            )));
        }
        let mut joined = BTreeSet::new();
        let mut strands = Vec::new();
        for k in 0..all.kinds.len() {
            strands.extend(all.strands(k, &mut joined)?);
        }
        for join in &self.joins {
            let there = |s: &Strand| {
                s.id.get_ref() == &join.strand && s.wires.iter().any(|w| w.pin == join.pin)
            };
            if !strands.iter().any(there) {
                return Err(CircuitError::Unknown {
                    kind: "pin",
                    name: format!("{} {}", join.strand, join.pin),
                });
            }
        }
        let served = |p: &PartSpec, slot_words: &Words<'_>| -> Result<bool, CircuitError> {
            for function in &p.serves {
                let function = slot_words.fill(function)?;
                let at_any = format!("{function}@");
                if joined.contains(&function) || joined.iter().any(|j| j.starts_with(&at_any)) {
                    return Ok(true);
                }
            }
            Ok(p.serves.is_empty())
        };
        let mut parts: Vec<(usize, PartSpec)> = Vec::new();
        let mut family = self.empty(cells);
        for (k, (component, kind)) in all.kinds.iter().enumerate() {
            let words = all.words(k);
            let slot = shelf.slot(component.slot.get_ref());
            let own = slot.map_or("devices", |s| s.section.as_str());
            for part in &kind.parts {
                if !served(part, &words)? {
                    continue;
                }
                let section = part.section.as_deref().unwrap_or(own);
                let rank = SECTIONS.iter().position(|s| *s == section).unwrap_or(0);
                let mut part = words.part(part)?;
                for (field, factor) in std::mem::take(&mut part.per_volt) {
                    if let Some(value) = part.figure_mut(&field) {
                        *value = factor * nominal;
                    }
                }
                // what a kind says of its place is done with
                (part.section, part.serves) = (None, Vec::new());
                parts.push((rank, part));
            }
            let first = family.plugs.len();
            for plug in &kind.plugs {
                family.plugs.push(words.plug(plug)?);
            }
            looks(&mut family.plugs[first..], component)?;
            family.add(kind, &words)?;
            for (node, name) in &component.points {
                family.points.insert(node.clone(), name.clone());
            }
        }
        parts.sort_by_key(|(rank, _)| *rank);
        // what is nearer to the pack brings its own in place of what follows: the load is clipped on there
        let mut parts: Vec<PartSpec> = parts.into_iter().map(|(_, p)| p).collect();
        let mut known = BTreeSet::new();
        parts.retain(|p| known.insert(p.id.get_ref().clone()));
        if !self.drawn.is_empty() {
            let place = |s: &Strand| self.drawn.iter().position(|d| d == s.id.get_ref());
            strands.sort_by_key(|s| place(s).unwrap_or(usize::MAX));
        }
        for (component, _) in &all.kinds {
            for (path, value) in &component.set {
                let at = field(&mut parts, &mut strands, path);
                let at = at.ok_or_else(|| CircuitError::Unknown {
                    kind: "value of the circuit",
                    name: path.clone(),
                })?;
                *at = *value;
            }
        }
        if family.has("electronic") {
            let wakes = |w: &Wire| {
                w.from == "IGN"
                    && ["switched feed", "switched feed back"].contains(&w.function.as_str())
            };
            let joined = !self.joins.is_empty();
            if !joined && !strands.iter().flat_map(|s| &s.wires).any(wakes) {
                return Err(CircuitError::Change(
                    "nothing switches the controller on: it wants a key or a display that feeds it back".into(),
                ));
            }
        }
        // the feed's first; plugs that nothing is plugged into are not there
        let leads = |p: &Plug| ["pack", "leads"].contains(&p.segment.as_str());
        family.plugs.sort_by_key(|p| !leads(p));
        family
            .plugs
            .retain(|p| strands.iter().any(|s| &s.plug == p.id.get_ref()));
        family.name_blocks();
        (family.parts, family.strands) = (parts, strands);
        family.proof.extend(self.proof.clone());
        if let Some(group) = &self.group {
            family.group.clone_from(group);
        }
        family.label(&all, nominal)?;
        family.whole()?;
        Ok(family)
    }

    fn empty(&self, cells: crate::family::Cells) -> Family {
        Family {
            id: self.id.clone(),
            name: self.name.clone(),
            volts_class: self.volts_class,
            drive: self.drive.clone(),
            group: String::new(),
            traits: self.traits.clone(),
            turn: "forwards".into(),
            middle: "Controller".into(),
            middle_boxes: Vec::new(),
            motor: Motor::SixStep,
            points: BTreeMap::new(),
            shows: Vec::new(),
            interlocks: Vec::new(),
            figures: Vec::new(),
            proof: BTreeMap::new(),
            cells,
            logic: Logic::default(),
            access: BTreeMap::new(),
            odds: BTreeMap::new(),
            segments: SEGMENTS
                .map(|(id, name)| Segment {
                    id: id.into(),
                    name: name.into(),
                })
                .into(),
            plugs: Vec::new(),
            strands: Vec::new(),
            parts: Vec::new(),
            opens: Vec::new(),
            build: self.clone(),
        }
    }
}

impl Family {
    /// What a component adds beside its circuit.
    fn add(&mut self, kind: &Kind, words: &Words<'_>) -> Result<(), CircuitError> {
        self.traits.extend(kind.traits.clone());
        if let Some(turn) = &kind.turn {
            self.turn.clone_from(turn);
        }
        if let Some(middle) = &kind.middle {
            self.middle.clone_from(middle);
        }
        if let Some(boxes) = &kind.middle_boxes {
            self.middle_boxes.clone_from(boxes);
        }
        match (&kind.motor, &mut self.motor) {
            (Some(Motor::Brushed { armatures, .. }), Motor::Brushed { armatures: all, .. })
                if !all.is_empty() =>
            {
                for a in armatures {
                    all.push(crate::family::Armature {
                        element: words.fill(&a.element)?,
                        plus: words.fill(&a.plus)?,
                        minus: words.fill(&a.minus)?,
                    });
                }
            }
            (Some(motor), own) => {
                *own = motor.clone();
                if let Motor::Brushed {
                    armatures,
                    full_volts,
                    per_volt,
                    ..
                } = own
                {
                    let volts = per_volt.take();
                    *full_volts = volts.map_or(*full_volts, |f| half(f * words.nominal));
                    for a in armatures {
                        a.element = words.fill(&a.element)?;
                        a.plus = words.fill(&a.plus)?;
                        a.minus = words.fill(&a.minus)?;
                    }
                }
            }
            (None, _) => {}
        }
        for (node, name) in &kind.points {
            self.points.insert(words.fill(node)?, words.fill(name)?);
        }
        for shows in &kind.shows {
            let mut shows = shows.clone();
            shows.plus = words.fill(&shows.plus)?;
            shows.minus = words.fill(&shows.minus)?;
            let volts = shows.per_volt.take();
            shows.volts = volts.map_or(shows.volts, |f| half(f * words.nominal));
            self.shows.push(shows);
        }
        if kind.opens {
            for strand in &kind.strands {
                self.opens.push(words.fill(strand.id.get_ref())?);
            }
        }
        self.interlocks.extend(kind.interlocks.clone());
        self.proof.extend(kind.proof.clone());
        if let Some(logic) = &kind.logic {
            self.logic = logic.clone();
        }
        if let Some(bus) = words.nets.get("bus") {
            self.logic.bus.clone_from(bus);
        }
        for (fault, times) in &kind.odds {
            *self.odds.entry(fault.clone()).or_insert(1.0) *= times;
        }
        self.access.extend(kind.access.clone());
        if let Some(group) = &kind.group {
            self.group.clone_from(group);
        }
        for segment in &mut self.segments {
            if let Some(name) = kind.segments.get(&segment.id) {
                segment.name = name.replace("{}", &segment.name);
            }
        }
        Ok(())
    }

    /// Words for the poles of blocks that stand one after the other.
    fn name_blocks(&mut self) {
        let many = self.cells.groups;
        if self.cells.link_ohms.is_none() || many < 2 {
            return;
        }
        for k in 1..=many {
            let plus = if k == many {
                "CS".into()
            } else {
                format!("C{k}")
            };
            self.points.insert(plus, format!("block {k} +"));
            if k > 1 {
                self.points
                    .insert(format!("K{}", k - 1), format!("block {k} −"));
            }
        }
    }

    /// The figures of the labels, and what those of this build set in the circuit.
    fn label(&mut self, all: &Parts<'_>, nominal: f64) -> Result<(), CircuitError> {
        let full = self.full_volts();
        let mut said: Vec<(String, f64)> = Vec::new();
        let mut figures: Vec<Figure> = Vec::new();
        for (component, kind) in &all.kinds {
            for figure in &kind.figures {
                let mut figure = figure.clone();
                if let Some(factor) = figure.per_volt.take() {
                    figure.usual = half(factor * nominal);
                    said.push((figure.id.get_ref().clone(), figure.usual));
                }
                if let Some(factor) = figure.per_class.take() {
                    figure.usual = factor * f64::from(self.volts_class);
                    said.push((figure.id.get_ref().clone(), figure.usual));
                }
                if let Some(factor) = figure.per_full.take() {
                    figure.usual = (factor * full * 10.0).round() / 10.0;
                    said.push((figure.id.get_ref().clone(), figure.usual));
                }
                match component.figures.get(figure.id.get_ref()) {
                    Some(FigureSet::Usual(usual)) => {
                        said.push((figure.id.get_ref().clone(), *usual));
                    }
                    Some(FigureSet::Range([usual, least, most])) => {
                        (figure.least, figure.most) = (*least, *most);
                        said.push((figure.id.get_ref().clone(), *usual));
                    }
                    None => {}
                }
                figures.push(figure);
            }
            let lost = component.figures.keys();
            let known = |id: &&String| kind.figures.iter().any(|f| f.id.get_ref() == *id);
            if let Some(id) = lost.into_iter().find(|id| !known(id)) {
                return Err(CircuitError::Unknown {
                    kind: "figure",
                    name: format!("{id}, {}", kind.name),
                });
            }
        }
        let rank = |f: &Figure| FIGURES.iter().position(|id| id == f.id.get_ref());
        figures.sort_by_key(|f| rank(f).unwrap_or(usize::MAX));
        self.figures = figures;
        for (id, value) in said {
            self.label_as(&id, value)?;
        }
        Ok(())
    }
}
