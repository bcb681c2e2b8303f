//! This vehicle beside its family: every figure with what is usual, what it is here and where that is known from.

use super::has::SlotView;
use super::standstill::StandstillView;
use super::{Job, gate};
use crate::catalogue::Catalogue;
use serde::Serialize;
use spannung_circuit::alteration;
use spannung_circuit::family::Motor;
use spannung_circuit::variant;
use spannung_circuit::{Change, Family, KnownFrom, Profile};
use utoipa::ToSchema;

/// The vehicle's profile.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct ProfileView {
    /// Newest sequence it was worked out from.
    pub head: i64,
    /// Name of the family.
    pub family: String,
    /// What it has, slot by slot.
    pub has: Vec<SlotView>,
    /// Why it would not drive as it is put together here, with nothing broken.
    pub standstill: Option<StandstillView>,
    /// Cells.
    pub pack: CellsView,
    /// Figures of labels.
    pub figures: Vec<FigureView>,
    /// Strands with their wires.
    pub strands: Vec<StrandView>,
    /// Halls, where the motor has them.
    pub halls: Option<HallsView>,
    /// What can have been done to it.
    pub alterations: Vec<AlterationView>,
    /// How it may be built otherwise than the drawing.
    pub built: Vec<BuiltWayView>,
}

/// Cells of the pack.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct CellsView {
    /// Groups in series.
    pub groups: usize,
    /// Of them usually.
    pub usual_groups: usize,
    /// Chemistry key.
    pub chemistry: String,
    /// What it can be made of: key and name. Only its own where no other fits.
    pub chemistries: Vec<Named>,
    /// Cells side by side, if noted.
    pub parallel: Option<u16>,
    /// Ah.
    pub amp_hours: f64,
    /// Volts when full.
    pub full_volts: f64,
    /// Volts below which nothing is switched on or charged.
    pub floor_volts: f64,
    /// Where it is known from; none when it is the family's.
    pub source: Option<KnownFrom>,
    /// Was it changed here?
    pub changed: bool,
}

/// A key with its name.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Named {
    /// Key.
    pub id: String,
    /// Name.
    pub name: String,
}

/// A figure of a label.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct FigureView {
    /// Id.
    pub id: String,
    /// Name.
    pub name: String,
    /// Unit.
    pub unit: String,
    /// Usual value.
    pub usual: f64,
    /// Value here.
    pub value: f64,
    /// Least that is accepted.
    pub least: f64,
    /// Most that is accepted.
    pub most: f64,
    /// Do predictions follow it, or is it only noted?
    pub predicts: bool,
    /// Where it is known from.
    pub source: Option<KnownFrom>,
    /// Was it said here?
    pub changed: bool,
    /// What is wrong with it beside the rest of the vehicle.
    pub caution: Option<String>,
}

/// A strand's wires.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct StrandView {
    /// Id.
    pub id: String,
    /// Name.
    pub name: String,
    /// Copper cross-section, mm².
    pub mm2: f64,
    /// Usual cross-section, mm².
    pub usual_mm2: f64,
    /// Pins in the order of the family's wires.
    pub pins: Vec<u8>,
    /// What each of them carries.
    pub functions: Vec<String>,
    /// Where the cross-section is known from.
    pub source: Option<KnownFrom>,
    /// Was it changed here?
    pub changed: bool,
}

/// The motor's halls.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct HallsView {
    /// Electrical degrees between them.
    pub degrees: u16,
    /// Where that is known from.
    pub source: Option<KnownFrom>,
}

/// A known way to build such a vehicle otherwise.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct BuiltWayView {
    /// Id.
    pub id: String,
    /// Name.
    pub name: String,
    /// Slot of the component with which it is listed.
    pub slot: String,
    /// What reads otherwise then.
    pub changes: String,
    /// How to make sure of it.
    pub how: String,
    /// Is this one built so?
    pub present: bool,
    /// Where it is known from.
    pub source: Option<KnownFrom>,
}

/// Something an owner or an earlier shop may have done.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct AlterationView {
    /// Id.
    pub id: String,
    /// Name.
    pub name: String,
    /// Found on it?
    pub present: bool,
    /// Slot of the component that it is done to.
    pub slot: String,
    /// What it changes.
    pub changes: String,
    /// What has to be said about it.
    pub caution: String,
    /// Where it is known from.
    pub source: Option<KnownFrom>,
}

/// A charger that ends over this share of the full pack, or under that one, is not its own.
const CHARGER_MOST: f64 = 1.01;
const CHARGER_LEAST: f64 = 0.96;

/// What a charger of these volts does to a pack that is full at those.
fn charger_caution(volts: f64, full: f64) -> Option<String> {
    let does = if volts > full * CHARGER_MOST {
        "this one over-charges it. Do not connect it"
    } else if volts < full * CHARGER_LEAST {
        "this one never fills it"
    } else {
        return None;
    };
    Some(format!(
        "Not this pack's charger: its own ends at {full:.1} V, and {does}."
    ))
}

impl Job {
    /// The vehicle as it is: its family with what is different here.
    pub fn profile(&self, catalogue: &Catalogue) -> Option<Profile> {
        let family = self.begun(catalogue)?;
        Profile::new(family, &self.differences()).ok()
    }

    /// Its family with what is different here, pack and limits with it; none without a wiring model.
    pub fn own_family(&self, catalogue: &Catalogue) -> Option<Family> {
        self.profile(catalogue).map(|p| p.family)
    }

    /// The last change that a rule picks, with its source.
    fn last_change(&self, pick: impl Fn(&Change) -> bool) -> Option<Option<KnownFrom>> {
        let mut noted = self.changes.iter().rev();
        noted.find(|c| pick(&c.change)).map(|c| c.source)
    }

    /// The profile as it is shown; none without a wiring model.
    pub fn profile_view(&self, catalogue: &Catalogue) -> Option<ProfileView> {
        let usual = self.family(catalogue)?;
        let own = self.profile(catalogue)?;
        let cells = &own.family.cells;
        let pack = self.last_change(|c| matches!(c, Change::Pack { .. }));
        let known = alteration::chemistries().unwrap_or_default();
        let chemistries = if known.contains_key(&usual.cells.chemistry) {
            let named = known.iter().map(|(id, c)| Named {
                id: id.clone(),
                name: c.name.clone(),
            });
            named.collect()
        } else {
            vec![Named {
                id: cells.chemistry.clone(),
                name: "lead-acid".into(),
            }]
        };
        let parallel = self.changes.iter().rev().find_map(|c| match &c.change {
            Change::Pack { parallel, .. } => *parallel,
            _ => None,
        });
        let full = gate::limits(catalogue, self).full;
        let figures = usual
            .figures
            .iter()
            .zip(&own.family.figures)
            .map(|(f, now)| {
                let id = f.id.get_ref();
                let said = self
                    .last_change(|c| matches!(c, Change::Figure { figure, .. } if figure == id));
                FigureView {
                    id: id.clone(),
                    name: f.name.clone(),
                    unit: f.unit.clone(),
                    usual: f.usual,
                    value: now.usual,
                    least: f.least,
                    most: f.most,
                    predicts: !(f.sets.is_empty() && f.divides.is_empty()),
                    source: said.flatten(),
                    changed: said.is_some(),
                    caution: (id == "charger")
                        .then(|| charger_caution(now.usual, full))
                        .flatten(),
                }
            });
        let strands = usual
            .strands
            .iter()
            .zip(&own.family.strands)
            .map(|(s, now)| {
                let id = s.id.get_ref();
                let said =
                    self.last_change(|c| matches!(c, Change::Gauge { strand, .. } if strand == id));
                StrandView {
                    id: id.clone(),
                    name: s.name.clone(),
                    mm2: now.mm2(),
                    usual_mm2: s.mm2(),
                    pins: now.wires.iter().map(|w| w.pin).collect(),
                    functions: now.wires.iter().map(|w| w.function.clone()).collect(),
                    source: said.flatten(),
                    changed: said.is_some(),
                }
            });
        let fits = |a: &&crate::catalogue::Altered| {
            a.circuit.as_ref().is_some_and(|c| usual.fits(&c.fits))
        };
        let offered = |a: &&crate::catalogue::Altered| {
            let swap = a.circuit.as_ref().is_some_and(|c| c.swap);
            !swap || own.alterations.contains(a.id.get_ref())
        };
        let listed = catalogue.alterations.iter().filter(fits).filter(offered);
        let alterations = listed.map(|a| {
            let id = a.id.get_ref();
            let said =
                self.last_change(|c| matches!(c, Change::Alteration { id: x, .. } if x == id));
            let circuit = a.circuit.as_ref();
            AlterationView {
                id: id.clone(),
                name: a.name().into(),
                slot: circuit.map_or_else(String::new, |c| c.slot.clone()),
                changes: circuit.map_or_else(String::new, |c| c.changes.clone()),
                present: own.alterations.contains(id),
                caution: a.caution.clone(),
                source: said.flatten(),
            }
        });
        let ways = variant::variants().unwrap_or_default();
        let kept = |v: &&variant::Variant| v.kind.is_none() || own.built.contains(v.id.get_ref());
        let built = ways.iter().filter(|v| v.fits(usual)).filter(kept).map(|v| {
            let id = v.id.get_ref();
            let said =
                self.last_change(|c| matches!(c, Change::Built { variant } if variant == id));
            BuiltWayView {
                id: id.clone(),
                name: v.name.clone(),
                slot: v.slot.clone(),
                changes: v.changes.clone(),
                how: v.how.clone(),
                present: own.built.contains(id),
                source: said.flatten(),
            }
        });
        Some(ProfileView {
            head: self.head,
            family: usual.name.clone(),
            pack: CellsView {
                groups: cells.groups,
                usual_groups: usual.cells.groups,
                chemistry: cells.chemistry.clone(),
                chemistries,
                parallel,
                amp_hours: cells.amp_hours,
                full_volts: own.family.full_volts(),
                floor_volts: own.family.floor_volts(),
                source: pack.flatten(),
                changed: pack.is_some(),
            },
            figures: figures.collect(),
            strands: strands.collect(),
            halls: (usual.motor == Motor::SixStep).then(|| HallsView {
                degrees: if own.halls_60 { 60 } else { 120 },
                source: self
                    .last_change(|c| matches!(c, Change::HallSpacing { .. }))
                    .flatten(),
            }),
            alterations: alterations.collect(),
            built: built.collect(),
            has: self.has(catalogue),
            standstill: self.standstill(catalogue),
        })
    }
}
