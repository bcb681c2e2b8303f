//! Component kinds: what a technician can hold, name and replace, each one a data file; and the sub-circuits that several
//! kinds have in common.

use crate::error::CircuitError;
use crate::family::{
    Access, Carries, Cells, Figure, Interlock, Logic, Motor, PartSpec, Plug, ProofLimit, Segment,
    Shows, Strand, TRAITS, of_second,
};
use include_dir::{Dir, include_dir};
use serde::Deserialize;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::OnceLock;
use toml::Spanned;

static KINDS: Dir<'static> = include_dir!("$CARGO_MANIFEST_DIR/data/kinds");
static CIRCUITS: Dir<'static> = include_dir!("$CARGO_MANIFEST_DIR/data/circuits");

/// The file of slots.
pub const SLOTS: (&str, &str) = ("slots.toml", include_str!("../../data/slots.toml"));

/// The role that a component plays in a vehicle.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Slot {
    /// Id.
    pub id: Spanned<String>,
    /// Name.
    pub name: String,
    /// Without it there is no vehicle.
    #[serde(default)]
    pub needed: bool,
    /// Section of the netlist that its parts stand in, out of [`SECTIONS`].
    pub section: String,
    /// Words that stand for `{key}` in the kinds that fit here.
    #[serde(default)]
    pub words: BTreeMap<String, String>,
    /// What stands here cannot be told from where the technician stands: as long as nobody looked, the other kinds that
    /// go together are held possible.
    #[serde(default)]
    pub hidden: bool,
    /// Slot that has the same kind: a maker puts two alike.
    #[serde(default)]
    pub twin: Option<String>,
    /// Slot whose component it stands or falls with: what goes in here brings one there, and they are taken off together.
    #[serde(default)]
    pub beside: Option<String>,
}

/// The sections of a netlist, in order: where a part stands does not depend on the order in which components were put in.
pub const SECTIONS: [&str; 13] = [
    "pack",
    "charging",
    "protection",
    "contactor",
    "key",
    "bench",
    "controller",
    "switches",
    "devices",
    "windings",
    "frame",
    "sensors",
    "sound",
];

/// A component kind, or a sub-circuit, which fits no slot by itself.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Kind {
    /// Id.
    pub id: Spanned<String>,
    /// Ids that it had before: what was noted of a vehicle then still says them.
    #[serde(default)]
    pub once: Vec<String>,
    /// Name, as a technician says it.
    #[serde(default)]
    pub name: String,
    /// Kind that it is like: what is not said here is as there.
    #[serde(default)]
    pub like: Option<String>,
    /// The one look that tells it from the others that fit.
    #[serde(default)]
    pub look: String,
    /// Slots that it fits; none of a sub-circuit.
    #[serde(default)]
    pub slots: Vec<String>,
    /// Of what stands in this slot on the road, how much is of this kind (workshop estimate).
    #[serde(default)]
    pub share: f64,
    /// What a motor looks like, as the intake asks for it.
    #[serde(default)]
    pub drive: Option<String>,
    /// Key shape that it is drawn with.
    #[serde(default)]
    pub drawing: String,
    /// Sub-circuits that it is made of.
    #[serde(default)]
    pub with: Vec<String>,
    /// It stands in the vehicle a second time: its points, elements, plugs and strands bear the mark of a second drive, and the
    /// names of its plugs and strands end on these words.
    #[serde(default)]
    pub second: Option<String>,
    /// Traits that a vehicle has by it.
    #[serde(default)]
    pub traits: BTreeSet<String>,
    /// Its contact opens when it is squeezed.
    #[serde(default)]
    pub opens: bool,
    /// Where the feed comes in, from the pack: plus, and minus unless that passes.
    #[serde(default)]
    pub inlet: Vec<String>,
    /// Where the feed goes on, when that point has a name of its own: plus, and minus unless that passes.
    #[serde(default)]
    pub outlet: Vec<String>,
    /// Points that others call by a word: `bus`.
    #[serde(default)]
    pub nets: BTreeMap<String, String>,
    /// What can be joined to it: function, or `function@slot`, → its point.
    #[serde(default)]
    pub offers: BTreeMap<String, String>,
    /// Plugs.
    #[serde(default, rename = "plug")]
    pub plugs: Vec<Plug>,
    /// Strands; a wire without `from` is joined by its function.
    #[serde(default, rename = "strand")]
    pub strands: Vec<Strand>,
    /// Inner elements.
    #[serde(default, rename = "part")]
    pub parts: Vec<PartSpec>,
    /// Figures of its label.
    #[serde(default, rename = "figure")]
    pub figures: Vec<Figure>,
    /// Words for its points.
    #[serde(default)]
    pub points: BTreeMap<String, String>,
    /// What lights.
    #[serde(default)]
    pub shows: Vec<Shows>,
    /// What forbids driving.
    #[serde(default, rename = "interlock")]
    pub interlocks: Vec<Interlock>,
    /// What a sound one reads in a check of the proof.
    #[serde(default)]
    pub proof: BTreeMap<String, ProofLimit>,
    /// What the controller decides by.
    #[serde(default)]
    pub logic: Option<Logic>,
    /// How the motor turns.
    #[serde(default)]
    pub motor: Option<Motor>,
    /// The way its wheel is turned by hand.
    #[serde(default)]
    pub turn: Option<String>,
    /// Cells.
    #[serde(default)]
    pub cells: Option<Cells>,
    /// How often a fault comes on this kind, in times of what its weight says: fault → factor, 0 of what cannot break here.
    #[serde(default)]
    pub odds: BTreeMap<String, f64>,
    /// Places to open.
    #[serde(default)]
    pub access: BTreeMap<String, Access>,
    /// Priors column.
    #[serde(default)]
    pub group: Option<String>,
    /// Names of segments of the strip; `{}` stands for what the components before call it.
    #[serde(default)]
    pub segments: BTreeMap<String, String>,
    /// Name of the middle of the drawing.
    #[serde(default)]
    pub middle: Option<String>,
    /// What stands in the middle.
    #[serde(default)]
    pub middle_boxes: Option<Vec<Segment>>,
}

#[derive(Deserialize)]
struct SlotFile {
    slot: Vec<Slot>,
}

/// All slots, kinds and sub-circuits that ship.
#[derive(Debug)]
pub struct Shelf {
    /// Slots in the order of the path.
    pub slots: Vec<Slot>,
    /// Component kinds by file name.
    pub kinds: Vec<Kind>,
}

fn files(dir: &'static Dir<'static>) -> Vec<(&'static str, &'static str)> {
    let mut all: Vec<_> = dir
        .files()
        .filter_map(|f| Some((f.path().to_str()?, f.contents_utf8()?)))
        .filter(|(name, _)| name.ends_with(".toml"))
        .chain(dir.dirs().flat_map(files))
        .collect();
    all.sort_unstable();
    all
}

/// File name and text of everything on the shelf.
pub fn texts() -> impl Iterator<Item = (&'static str, &'static str)> {
    let tables = [SLOTS, super::FUNCTIONS];
    let shelf = files(&CIRCUITS).into_iter().chain(files(&KINDS));
    tables.into_iter().chain(shelf)
}

impl Kind {
    /// Read a kind's file.
    ///
    /// # Errors
    /// File and line of TOML that does not parse, a trait or a slot that does not exist.
    pub fn parse(file: &str, text: &str, slots: &[Slot]) -> Result<Self, CircuitError> {
        let kind: Self = toml::from_str(text).map_err(|e| CircuitError::toml(file, text, &e))?;
        let at = |m: String| CircuitError::at(file, text, kind.id.span().start, m);
        if let Some(word) = kind.traits.iter().find(|t| !TRAITS.contains(&t.as_str())) {
            return Err(at(format!("there is no trait “{word}”")));
        }
        if let Some((fault, _)) = kind.odds.iter().find(|(_, o)| !(0.0..=20.0).contains(*o)) {
            return Err(at(format!("odds of “{fault}” lie between 0 and 20")));
        }
        let known = |id: &&String| slots.iter().any(|s| s.id.get_ref() == *id);
        if let Some(slot) = kind.slots.iter().find(|s| !known(s)) {
            return Err(at(format!("there is no slot “{slot}”")));
        }
        if let Some(part) = kind.parts.iter().find(|p| {
            let section = p.section.as_deref();
            section.is_some_and(|s| !SECTIONS.contains(&s))
        }) {
            let message = format!("part “{}” stands in no section", part.id.get_ref());
            return Err(CircuitError::at(file, text, part.id.span().start, message));
        }
        Ok(kind)
    }

    /// Does it hang at signal wires only, of a controller that feeds it from a rail?
    pub fn at_signals(&self) -> bool {
        let mut wires = self.strands.iter().flat_map(|s| &s.wires);
        let plain = self.strands.iter().all(|s| s.carries == Carries::Signals);
        plain && !wires.any(|w| super::from_the_pack(&w.function))
    }

    /// With everything that is not said as the kind has it that it is like.
    fn after(mut self, other: &Self) -> Self {
        fn said<T: Clone>(own: &mut Vec<T>, other: &[T]) {
            if own.is_empty() {
                own.extend_from_slice(other);
            }
        }
        let of = other.clone();
        if self.drawing.is_empty() {
            self.drawing = of.drawing;
        }
        said(&mut self.slots, &of.slots);
        said(&mut self.with, &of.with);
        said(&mut self.inlet, &of.inlet);
        said(&mut self.outlet, &of.outlet);
        said(&mut self.plugs, &of.plugs);
        said(&mut self.strands, &of.strands);
        said(&mut self.parts, &of.parts);
        said(&mut self.figures, &of.figures);
        said(&mut self.shows, &of.shows);
        said(&mut self.interlocks, &of.interlocks);
        if self.traits.is_empty() {
            self.traits = of.traits;
        }
        fn also<T>(own: &mut BTreeMap<String, T>, other: BTreeMap<String, T>) {
            for (key, value) in other {
                own.entry(key).or_insert(value);
            }
        }
        also(&mut self.nets, of.nets);
        also(&mut self.offers, of.offers);
        also(&mut self.points, of.points);
        also(&mut self.proof, of.proof);
        also(&mut self.odds, of.odds);
        also(&mut self.access, of.access);
        also(&mut self.segments, of.segments);
        self.opens |= of.opens;
        self.logic = self.logic.or(of.logic);
        self.motor = self.motor.or(of.motor);
        self.turn = self.turn.or(of.turn);
        self.cells = self.cells.or(of.cells);
        self.group = self.group.or(of.group);
        self.middle = self.middle.or(of.middle);
        self.middle_boxes = self.middle_boxes.or(of.middle_boxes);
        self
    }

    /// With the sub-circuits that it is made of: its own first, but in place of what has the same id.
    fn whole(mut self, circuits: &[Self], slots: &[Slot]) -> Result<Self, CircuitError> {
        let mut parts: Vec<PartSpec> = Vec::new();
        let mut figures: Vec<Figure> = Vec::new();
        let mut offers = BTreeMap::new();
        let mut points = BTreeMap::new();
        for id in &self.with {
            let one = circuits.iter().find(|c| c.id.get_ref() == id);
            let one = one.ok_or_else(|| CircuitError::Unknown {
                kind: "sub-circuit",
                name: format!("{id}, {}", self.id.get_ref()),
            })?;
            parts.extend(one.parts.iter().cloned());
            figures.extend(one.figures.iter().cloned());
            offers.extend(one.offers.clone());
            points.extend(one.points.clone());
            self.traits.extend(one.traits.clone());
        }
        let mut first = Vec::new();
        for own in std::mem::take(&mut self.parts) {
            let same = parts
                .iter_mut()
                .find(|p| p.id.get_ref() == own.id.get_ref());
            match same {
                Some(there) => *there = own,
                None => first.push(own),
            }
        }
        first.append(&mut parts);
        for own in std::mem::take(&mut self.figures) {
            let same = figures
                .iter_mut()
                .find(|p| p.id.get_ref() == own.id.get_ref());
            match same {
                Some(there) => *there = own,
                None => figures.push(own),
            }
        }
        offers.append(&mut self.offers);
        points.append(&mut self.points);
        (self.parts, self.figures, self.offers, self.points) = (first, figures, offers, points);
        if let Some(words) = self.second.clone() {
            self.marked(&words, slots);
        }
        Ok(self)
    }

    /// Everything that it names bears a mark; the frame is one, and what stands in `{}` is others'. It offers its points
    /// to what stands beside it alone; how the vehicle turns and decides, and the label, are the first's.
    fn marked(&mut self, words: &str, slots: &[Slot]) {
        let node = |name: &str| match name {
            "{bus}" => of_second("VB+"),
            "FRAME" | "" => name.to_owned(),
            _ if name.starts_with('{') => name.to_owned(),
            _ => of_second(name),
        };
        let id = |id: &mut Spanned<String>| {
            *id = Spanned::new(id.span(), of_second(id.get_ref()));
        };
        // PLUS MINUS > volts & …
        let levels = |text: &str| {
            let term = |term: &str| {
                let mut words: Vec<String> = term.split_whitespace().map(Into::into).collect();
                words.iter_mut().take(2).for_each(|w| *w = node(w));
                words.join(" ")
            };
            text.split('&').map(term).collect::<Vec<_>>().join(" & ")
        };
        for part in &mut self.parts {
            id(&mut part.id);
            (part.a, part.b) = (node(&part.a), node(&part.b));
            part.c = part.c.as_deref().map(node);
            part.closes = part.closes.as_deref().map(levels);
        }
        for plug in &mut self.plugs {
            id(&mut plug.id);
            plug.name = format!("{}, {words}", plug.name);
        }
        for strand in &mut self.strands {
            id(&mut strand.id);
            strand.name = format!("{}, {words}", strand.name);
            strand.plug = of_second(&strand.plug);
            for wire in &mut strand.wires {
                (wire.from, wire.to) = (node(&wire.from), node(&wire.to));
            }
        }
        let points = std::mem::take(&mut self.points).into_iter();
        self.points = points
            .map(|(n, name)| (node(&n), format!("{name}, second drive")))
            .collect();
        let offers = std::mem::take(&mut self.offers).into_iter();
        let own = |s: &&Slot| self.slots.contains(s.id.get_ref());
        let beside = slots.iter().find(own).and_then(|s| s.beside.as_ref());
        self.offers = offers
            .filter(|(function, _)| !function.contains('@'))
            .filter_map(|(function, n)| Some((format!("{function}@{}", beside?), node(&n))))
            .collect();
        self.figures.clear();
        (self.motor, self.turn, self.logic) = (None, None, None);
        (self.middle, self.middle_boxes) = (None, None);
    }

    /// Ids of its strands when it stands in this slot.
    pub fn strands_in(&self, slot: &Slot) -> Vec<String> {
        let filled = |id: &str| {
            let words = slot.words.iter();
            words.fold(id.to_owned(), |id, (word, with)| {
                id.replace(&format!("{{{word}}}"), with)
            })
        };
        self.strands
            .iter()
            .map(|s| filled(s.id.get_ref()))
            .collect()
    }

    /// Does it fit in this slot?
    pub fn fits(&self, slot: &str) -> bool {
        self.slots.iter().any(|s| s == slot)
    }
}

impl Shelf {
    fn read() -> Result<Self, CircuitError> {
        let (file, text) = SLOTS;
        let slots: SlotFile =
            toml::from_str(text).map_err(|e| CircuitError::toml(file, text, &e))?;
        let slots = slots.slot;
        for slot in &slots {
            if !SECTIONS.contains(&slot.section.as_str()) {
                let message = format!("there is no section “{}”", slot.section);
                return Err(CircuitError::at(file, text, slot.id.span().start, message));
            }
        }
        let circuits = files(&CIRCUITS)
            .into_iter()
            .map(|(file, text)| Kind::parse(file, text, &slots))
            .collect::<Result<Vec<_>, _>>()?;
        let read = files(&KINDS)
            .into_iter()
            .map(|(file, text)| Kind::parse(file, text, &slots))
            .collect::<Result<Vec<_>, _>>()?;
        let kinds = read
            .iter()
            .map(|kind| {
                let Some(like) = &kind.like else {
                    return kind.clone().whole(&circuits, &slots);
                };
                let other = read.iter().find(|k| k.id.get_ref() == like);
                let other = other.ok_or_else(|| CircuitError::Unknown {
                    kind: "kind to be like",
                    name: format!("{like}, {}", kind.id.get_ref()),
                })?;
                kind.clone().after(other).whole(&circuits, &slots)
            })
            .collect::<Result<Vec<_>, _>>()?;
        Ok(Self { slots, kinds })
    }

    /// What ships.
    ///
    /// # Errors
    /// File and line of what does not read.
    pub fn shipped() -> Result<&'static Self, CircuitError> {
        static SHELF: OnceLock<Result<Shelf, CircuitError>> = OnceLock::new();
        match SHELF.get_or_init(Self::read) {
            Ok(shelf) => Ok(shelf),
            Err(e) => Err(CircuitError::Change(e.to_string())),
        }
    }

    /// Kind by id, by that which it had before as well.
    pub fn kind(&self, id: &str) -> Option<&Kind> {
        let own = self.kinds.iter().find(|k| k.id.get_ref() == id);
        own.or_else(|| self.kinds.iter().find(|k| k.once.iter().any(|o| o == id)))
    }

    /// Slot by id.
    pub fn slot(&self, id: &str) -> Option<&Slot> {
        self.slots.iter().find(|s| s.id.get_ref() == id)
    }

    /// The kinds that fit in a slot, the likeliest first.
    pub fn fitting(&self, slot: &str) -> Vec<&Kind> {
        let mut all: Vec<&Kind> = self.kinds.iter().filter(|k| k.fits(slot)).collect();
        all.sort_by(|a, b| b.share.total_cmp(&a.share));
        all
    }
}
