//! In which ways this vehicle may be built otherwise than it is drawn, as long as nobody looked: another component where
//! one is only assumed, and what makers choose apart from that ([`variant`]). Nothing of it is a fault.

use crate::build::{Build, Kind, Shelf, Slot};
use crate::change::Change;
use crate::error::CircuitError;
use crate::family::Family;
use crate::netlist::Netlist;
use crate::profile::Profile;
use crate::variant::{self, Variant};

/// One way.
#[derive(Debug, Clone)]
pub struct Way {
    /// Id: that of a variant, or `slot=kind`.
    pub id: String,
    /// Name.
    pub name: String,
    /// The one look that tells.
    pub look: String,
    /// Of vehicles like this one, how many are built so (workshop estimate).
    pub share: f64,
    /// What is noted when it is built so.
    pub changes: Vec<Change>,
    /// Strands of the component that is another one.
    pub strands: Vec<String>,
    /// The vehicle then.
    pub profile: Profile,
    /// Its circuit, laid over that of the vehicle as drawn.
    pub net: Netlist,
}

/// Of vehicles of which a component is only assumed, how many have another one there: the nearest family is a good guess.
const GUESSED_WRONG: f64 = 0.15;

/// Is this the id of a way to build a vehicle?
pub fn known(id: &str) -> bool {
    let variant = || variant::variants().is_ok_and(|all| all.iter().any(|v| v.id.get_ref() == id));
    let fits = |(slot, kind): (&str, &str)| {
        let shelf = Shelf::shipped().ok();
        shelf.is_some_and(|s| s.kind(kind).is_some_and(|k| k.fits(slot)))
    };
    id.split_once('=').map_or_else(variant, fits)
}

/// A slot, and that of its twin where the same stands in both.
pub fn with_twin(build: &Build, slot: &Slot) -> Vec<String> {
    let id = slot.id.get_ref();
    let kind = |slot: &str| build.in_slot(slot).map(|c| c.kind.clone());
    let twin = slot.twin.iter().filter(|t| kind(t) == kind(id));
    std::iter::once(id).chain(twin).cloned().collect()
}

/// What is noted when this kind stands in all of these slots.
pub fn swaps(slots: &[String], kind: &str) -> Vec<Change> {
    let one = |slot: &String| Change::Component {
        slot: slot.clone(),
        kind: Some(kind.into()),
    };
    slots.iter().map(one).collect()
}

/// A kind that goes together with the rest of a build.
pub struct Fits<'a> {
    /// The kind.
    pub kind: &'a Kind,
    /// Of those that do, how much is of this kind.
    pub share: f64,
    /// The vehicle with it.
    pub family: Family,
}

/// The kinds that go together with the rest of a build when each stands in all of these slots, the likeliest first.
pub fn fitting<'a>(build: &Build, slots: &[String], shelf: &'a Shelf) -> Vec<Fits<'a>> {
    let goes = |kind: &'a Kind| {
        let mut tried = build.clone();
        for slot in slots {
            tried.swap(slot, Some(kind.id.get_ref()), shelf).ok()?;
        }
        let family = tried.family(shelf).ok()?;
        Some(Fits {
            kind,
            share: kind.share,
            family,
        })
    };
    let all = slots.iter().take(1).flat_map(|s| shelf.fitting(s));
    let mut all: Vec<Fits<'a>> = all.filter_map(goes).collect();
    let whole: f64 = all.iter().map(|k| k.share).sum();
    all.iter_mut().for_each(|k| k.share /= whole.max(1e-9));
    all
}

/// What nobody has told yet of a vehicle, so that it may be built otherwise there.
enum Open {
    /// What makers choose.
    Variant(&'static Variant),
    /// The component in a slot.
    Slot(&'static Slot),
}

/// What is open of a vehicle.
fn open(profile: &Profile) -> Result<Vec<Open>, CircuitError> {
    let may = |v: &&Variant| {
        v.kind.is_none() && v.fits(&profile.family) && !profile.built.contains(v.id.get_ref())
    };
    let told = &profile.family.build.told;
    let assumed = |s: &&Slot| s.hidden && !told.contains(s.id.get_ref());
    let variants = variant::variants()?.iter().filter(may);
    let slots = Shelf::shipped()?.slots.iter().filter(assumed);
    let all = variants.map(Open::Variant).chain(slots.map(Open::Slot));
    Ok(all.collect())
}

/// The ways that are open for a vehicle with this circuit.
///
/// # Errors
/// A table that does not read, a circuit that does not build.
pub fn ways(profile: &Profile, net: &Netlist) -> Result<Vec<Way>, CircuitError> {
    let each = open(profile)?;
    let each = each.iter().map(|one| one.ways(profile, net));
    Ok(each.collect::<Result<Vec<_>, _>>()?.concat())
}

impl Open {
    /// The ways to build it there.
    fn ways(&self, profile: &Profile, net: &Netlist) -> Result<Vec<Way>, CircuitError> {
        match self {
            Self::Variant(variant) => Ok(vec![chosen(variant, profile)?]),
            Self::Slot(slot) => components(slot, profile, net),
        }
    }
}

fn chosen(variant: &Variant, profile: &Profile) -> Result<Way, CircuitError> {
    let id = variant.id.get_ref();
    let change = Change::Built {
        variant: id.clone(),
    };
    let profile = profile.with(&change)?;
    Ok(Way {
        id: id.clone(),
        name: variant.name.clone(),
        look: variant.how.clone(),
        share: variant.share,
        changes: vec![change],
        strands: Vec::new(),
        net: profile.netlist()?,
        profile,
    })
}

/// Other components where one is only assumed.
fn components(slot: &Slot, profile: &Profile, net: &Netlist) -> Result<Vec<Way>, CircuitError> {
    let shelf = Shelf::shipped()?;
    let build = &profile.family.build;
    let Some(there) = build.in_slot(slot.id.get_ref()) else {
        return Ok(Vec::new());
    };
    let slots = with_twin(build, slot);
    let own = shelf.kind(&there.kind);
    let strands = |id: &String| own.zip(shelf.slot(id)).map(|(k, slot)| k.strands_in(slot));
    let strands: Vec<String> = slots.iter().filter_map(strands).flatten().collect();
    let fits = fitting(build, &slots, shelf);
    let other = |f: &&Fits<'_>| *f.kind.id.get_ref() != there.kind;
    let others: f64 = fits.iter().filter(other).map(|f| f.share).sum();
    let mut out = Vec::new();
    for Fits {
        kind,
        share,
        family,
    } in fits
    {
        let id = kind.id.get_ref();
        // how the drive looks was told
        let seen = own.and_then(|k| k.drive.as_ref());
        if *id == there.kind || kind.drive.as_ref() != seen {
            continue;
        }
        // what was noted of the vehicle stays noted
        let Ok(other) = profile.on(family) else {
            continue;
        };
        out.push(Way {
            id: format!("{}={id}", slot.id.get_ref()),
            name: kind.name.clone(),
            look: kind.look.clone(),
            share: GUESSED_WRONG * share / others.max(1e-9),
            changes: swaps(&slots, id),
            strands: strands.clone(),
            net: other.netlist()?.laid_over(net),
            profile: other,
        });
    }
    Ok(out)
}
