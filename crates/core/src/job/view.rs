//! What the Bench shows, as data: texts, bands, expected values and orders are decided before they
//! get here; the page only draws them.

use crate::diagnosis::explain::BandKind;
use crate::job::gate::Standing;
use crate::job::map::MapStrand;
use crate::reading::Unit;
use serde::{Deserialize, Serialize};
use spannung_circuit::Change;
use spannung_circuit::state::VehicleState;
use utoipa::ToSchema;
use uuid::Uuid;

/// A suspect: a repair class with its share.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Suspect {
    /// Rank from 1.
    pub rank: usize,
    /// Class id.
    pub class: String,
    /// Name.
    pub name: String,
    /// What would be done.
    pub act: String,
    /// Share, 0 to 1.
    pub share: f64,
    /// Share in whole per cent.
    pub percent: u32,
    /// Strongest evidence, at most about 40 letters.
    pub reason: String,
    /// Change since the last reading, per cent points.
    pub change: i32,
    /// Repair minutes without access.
    pub minutes: f64,
    /// Price band of the part.
    pub band: String,
    /// Ruled out (true) or in (false) by hand.
    pub by_hand: Option<bool>,
    /// Its faults, likeliest first: name and share.
    pub faults: Vec<FaultShare>,
    /// What each reading did: text and signed weight (natural log of odds).
    pub reasons: Vec<Reason>,
}

/// A fault within a suspect.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct FaultShare {
    /// Name.
    pub name: String,
    /// Share of the suspect, 0 to 1.
    pub share: f64,
}

/// What one piece of evidence did to a suspect.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Reason {
    /// The evidence, in words.
    pub text: String,
    /// Natural log of the odds it moved; above 0 speaks for the suspect.
    pub weight: f64,
}

/// A test passed over.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Skipped {
    /// Name of the test.
    pub name: String,
    /// Why.
    pub reason: String,
}

/// A segment of the strip.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct SegmentShare {
    /// Id.
    pub id: String,
    /// Name.
    pub name: String,
    /// Share, 0 to 1.
    pub share: f64,
    /// Whole per cent; all segments and the two last lines add up to 100.
    pub percent: u32,
    /// `suspected`; `cleared`: measured, and as it should be; `unlikely`: not measured, what was taken elsewhere speaks against
    /// it; `unlooked`.
    pub status: String,
}

/// An outcome band before the reading.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct BandView {
    /// Kind.
    pub kind: BandKind,
    /// Two words.
    pub name: String,
    /// Lower bound, SI.
    pub from: Option<f64>,
    /// Upper bound, SI.
    pub to: Option<f64>,
    /// Lower bound as shown.
    pub from_text: Option<String>,
    /// Upper bound as shown.
    pub to_text: Option<String>,
    /// What it would make of the suspects.
    pub effect: String,
    /// Where a look can find it, asked for after the answer.
    pub places: Vec<PlaceView>,
    /// Value of the sign, for checks.
    pub value: Option<String>,
}

/// Why a test is proposed: what each of its outcomes would make of the suspects.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct TestWhy {
    /// In a sentence: what it tells, against what it takes.
    pub words: String,
    /// Chance of each band now, per cent.
    pub chances: Vec<u32>,
    /// The suspects that it moves, the likeliest first.
    pub suspects: Vec<WhySuspect>,
}

/// A suspect before and after each outcome of a test.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct WhySuspect {
    /// Name.
    pub name: String,
    /// Share now, per cent.
    pub now: u32,
    /// Share after each band, per cent.
    pub after: Vec<u32>,
}

/// A pin of the face in the card.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct FacePin {
    /// Number.
    pub pin: u8,
    /// Colour code, none for an empty pin.
    pub code: Option<String>,
    /// Colour code on the device's half, where it is another one.
    pub lead_code: Option<String>,
    /// Function.
    pub function: Option<String>,
}

/// The connector face of the next probe.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct FaceView {
    /// Plug id.
    pub plug: String,
    /// Name.
    pub name: String,
    /// `round` or `flat`.
    pub shape: String,
    /// Pins.
    pub pins: Vec<FacePin>,
    /// Red tip.
    pub red: Option<u8>,
    /// Black tip.
    pub black: Option<u8>,
    /// Joined, probed from behind.
    pub joined: bool,
    /// Harness half or device half.
    pub harness_half: bool,
}

/// One thing that must be true before the test.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct StateNeed {
    /// State field.
    pub field: String,
    /// In words: “Battery in”.
    pub text: String,
    /// True now.
    pub ok: bool,
}

/// A precondition on the card.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct NeedView {
    /// Id.
    pub id: String,
    /// Question.
    pub ask: String,
    /// Caution.
    pub caution: String,
    /// Confirmed and holding.
    pub confirmed: bool,
}

/// The keyed card: a test with all a person needs to do it.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Card {
    /// Test id.
    pub test: String,
    /// Name.
    pub name: String,
    /// Why or how.
    pub why: String,
    /// `probe` or `check`.
    pub kind: String,
    /// What a check looks at.
    pub sign: Option<String>,
    /// Why it is proposed.
    pub explained: TestWhy,
    /// What the display may show by itself while the vehicle stands as asked: expected, not chased.
    pub set_up: Option<String>,
    /// First-minute check.
    pub first_minute: bool,
    /// Words of the red tip: `8`, or a place.
    pub red: String,
    /// Words of the black tip.
    pub black: String,
    /// What it is, with wire codes.
    pub what: String,
    /// Meter setting.
    pub meter: String,
    /// Unit of the figure.
    pub unit: Option<Unit>,
    /// Expected, in words.
    pub expected: String,
    /// Lower and upper bound expected (lowest figure), SI.
    pub expected_low: Option<f64>,
    /// Upper bound.
    pub expected_high: Option<f64>,
    /// A lowest and highest figure is read.
    pub changes: bool,
    /// Bands or answers.
    pub bands: Vec<BandView>,
    /// Face of the plug that the red tip stands on, or of both tips.
    pub face: Option<FaceView>,
    /// Face of the plug that the black tip stands on, when it is another.
    pub black_face: Option<FaceView>,
    /// State needed.
    pub state: Vec<StateNeed>,
    /// The state as asked.
    pub as_asked: VehicleState,
    /// Preconditions.
    pub needs: Vec<NeedView>,
    /// Minutes in all.
    pub minutes: f64,
    /// What has to be opened first.
    pub opens: Option<String>,
    /// What opening destroys.
    pub destroys: Option<String>,
    /// Risk.
    pub risk: u8,
    /// Why it cannot be done now.
    pub blocked: Option<String>,
    /// Expected information, bits.
    pub gain: f64,
}

/// A place where a look can find what it finds.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct PlaceView {
    /// Strand.
    pub strand: String,
    /// What hangs on it.
    pub name: String,
    /// What it would do, seen there.
    pub effect: String,
}

/// A tile of the evidence strip.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Tile {
    /// Entry.
    pub entry: Uuid,
    /// Number in order.
    pub number: usize,
    /// Test.
    pub test: String,
    /// Name.
    pub name: String,
    /// Value as shown.
    pub value: String,
    /// `expected`, `off`, `unsteady`, `nothing`, `none`.
    pub mark: String,
    /// One or two words.
    pub words: String,
    /// State it was taken in, where it differs from the test's own.
    pub state: String,
    /// Struck out.
    pub voided: bool,
    /// Does not fit what else is known: to be taken again.
    pub surprising: bool,
    /// Who.
    pub by: String,
    /// When, RFC 3339.
    #[serde(with = "time::serde::rfc3339")]
    pub at: time::OffsetDateTime,
}

/// How a job would stand with a change of its vehicle that is only tried.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct IfSo {
    /// Suspects by share.
    pub suspects: Vec<Suspect>,
    /// The likeliest way in which it may be built otherwise all the same, per cent.
    pub built_percent: u32,
    /// Nothing wrong, per cent.
    pub nothing_percent: u32,
    /// Something the drawing does not hold, per cent.
    pub outside_percent: u32,
    /// What was read, judged against the changed drawing.
    pub evidence: Vec<Tile>,
    /// The strand that was asked for, as it would be drawn and read.
    pub strand: Option<MapStrand>,
}

/// Another test worth doing.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct OtherTest {
    /// Test.
    pub test: String,
    /// Name.
    pub name: String,
    /// Minutes.
    pub minutes: f64,
}

/// What to do now, by the expected cost of each.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct PlanView {
    /// `measure`, `again`, `witness`, `built`, `repair`, `decline`, `hand-back` or `refer`.
    pub act: String,
    /// One sentence: what, and why.
    pub words: String,
    /// The test to be taken again, or first, when the act is `again` or `witness`.
    pub test: Option<String>,
    /// Repairs in the order of chance to cost, with what they cost.
    pub order: Vec<TryView>,
    /// Minutes expected when the repairs were tried in this order now, parts as minutes of labour.
    pub minutes_now: f64,
}

/// A way in which the vehicle may be built otherwise.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct BuiltView {
    /// Key under which it is ruled out by hand.
    pub key: String,
    /// What is noted when it is.
    pub changes: Vec<Change>,
    /// Name.
    pub name: String,
    /// The component that is drawn; none where only a wiring differs.
    pub drawn: Option<BuiltPart>,
    /// The component that seems to stand there.
    pub seems: Option<BuiltPart>,
    /// How to make sure of it.
    pub how: String,
    /// Share, per cent.
    pub percent: u32,
    /// Does it lead, so that it is asked about now?
    pub leads: bool,
    /// Do the readings speak for it? If not it is asked about for the sake of what is done next.
    pub likely: bool,
    /// Readings that tell it from the drawing.
    pub lines: Vec<BuiltLine>,
    /// The other kinds that may stand there, which the same look tells; the likeliest first.
    pub others: Vec<OtherKind>,
}

/// Yet another kind that may stand in a place.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct OtherKind {
    /// Key under which it is ruled out by hand.
    pub key: String,
    /// What is noted when it is.
    pub changes: Vec<Change>,
    /// Name.
    pub name: String,
}

/// A component on either side.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct BuiltPart {
    /// Name of its kind.
    pub name: String,
    /// Key shape that it is drawn with.
    pub drawing: String,
}

/// A reading as the drawing has it and as it would be.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct BuiltLine {
    /// Test.
    pub name: String,
    /// What was read.
    pub reads: String,
    /// What the drawing says.
    pub drawn: String,
    /// Does it read so?
    pub as_drawn: bool,
    /// What it would be.
    pub seems: String,
    /// Does it read so?
    pub as_seems: bool,
    /// What pulls the line up and down as it is drawn, where it is read.
    pub drawn_line: LineView,
    /// The same as it seems.
    pub seems_line: LineView,
}

/// A line as a small circuit: what pulls it up, the point, what pulls it down.
#[derive(Debug, Clone, Default, PartialEq, Serialize, ToSchema)]
pub struct LineView {
    /// What pulls it up.
    pub up: Option<PullView>,
    /// What pulls it down.
    pub down: Option<PullView>,
}

/// What pulls a line.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct PullView {
    /// `resistor`, `contact`, `sensor` or `output`.
    pub shape: String,
    /// Does it conduct as the vehicle stands?
    pub closed: bool,
    /// Volts at its far end.
    pub volts: String,
}

/// One repair in the order of trying.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct TryView {
    /// Repair class; none for handing back as sound.
    pub class: Option<String>,
    /// What is done.
    pub name: String,
    /// Chance, per cent.
    pub percent: u32,
    /// Minutes with access and proof.
    pub minutes: f64,
    /// Part, cents without tax.
    pub part_cents: i64,
}

/// Where the rider's controls stand, asked in one card before anything is opened: a sound vehicle is taken apart
/// when a switch stands wrong.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Controls {
    /// One each, in the order people look.
    pub items: Vec<ControlItem>,
    /// Minutes for all.
    pub minutes: f64,
    /// Does the vehicle stand so that all can be looked at?
    pub stands: bool,
    /// How it would stand.
    pub as_asked: VehicleState,
}

/// One control.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct ControlItem {
    /// Check.
    pub test: String,
    /// Sign that is looked at.
    pub sign: String,
    /// Name.
    pub name: String,
    /// What is looked at.
    pub how: String,
    /// Minutes.
    pub minutes: f64,
    /// Ways it can stand, as it should be first.
    pub values: Vec<ControlValue>,
}

/// A way a control can stand.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct ControlValue {
    /// Value of its sign.
    pub value: String,
    /// In words.
    pub name: String,
}

/// The Bench.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Bench {
    /// Gate.
    pub standing: Standing,
    /// Where the controls stand, when that is asked before the card.
    pub controls: Option<Controls>,
    /// The card: first-minute check or probe.
    pub next: Option<Card>,
    /// First-minute checks done and still to ask.
    pub first_minute_done: usize,
    /// Still to ask.
    pub first_minute_left: usize,
    /// Suspects by share, those of 0.5 % and more.
    pub suspects: Vec<Suspect>,
    /// The likeliest way in which it may be built otherwise than the drawing, nothing to repair.
    pub built: Option<BuiltView>,
    /// Nothing wrong, per cent.
    pub nothing_percent: u32,
    /// Something this drawing does not hold, per cent.
    pub outside_percent: u32,
    /// Strip.
    pub segments: Vec<SegmentShare>,
    /// Evidence.
    pub evidence: Vec<Tile>,
    /// Others.
    pub others: Vec<OtherTest>,
    /// The readings point to one repair: class to propose.
    pub repair: Option<String>,
    /// What the plan says, and why.
    pub verdict: PlanView,
    /// Minutes spent.
    pub minutes_spent: f64,
    /// Minutes to go: 10 %, likely, 90 %.
    pub minutes_to_go: [f64; 3],
    /// What to say when nothing fits.
    pub advice: Option<String>,
    /// Cautions of the symptoms told.
    pub cautions: Vec<String>,
    /// Tests passed over, with the reason.
    pub skipped: Vec<Skipped>,
}
