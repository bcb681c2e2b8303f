//! What every fault case reads and shows: solved, or taken over from the model before a change.

use crate::catalogue::Catalogue;
use crate::cores::share_out;
use crate::diagnosis::forward::{Forward, Looks};
use crate::diagnosis::kept::Kept;
use crate::diagnosis::repertoire::Probe;
use crate::diagnosis::scale::Prediction;
use crate::diagnosis::signs::{Asked, Seen};
use spannung_circuit::behaviour::{At, Known, Scene};
use spannung_circuit::{Circuit, FaultCase, Netlist, Profile, Solution, VehicleState};
use std::rc::Rc;

/// A vehicle of which every case is to be solved.
pub(super) struct Vehicle<'a> {
    pub catalogue: &'a Catalogue,
    pub profile: &'a Profile,
    pub net: &'a Netlist,
    pub cases: &'a [FaultCase],
    pub probes: &'a [(Probe, VehicleState)],
    pub forward: &'a Forward<'a>,
    /// Predictions of the probes on a sound vehicle.
    pub sound: &'a [Prediction],
    pub asked: &'a Asked,
}

/// The probes at which a change moves what a sound vehicle reads, and new ones.
pub(super) struct Moved<'a> {
    /// Places among all probes.
    pub probes: Vec<usize>,
    pub forward: Forward<'a>,
}

impl Moved<'_> {
    /// What a sound vehicle reads at them.
    pub fn sound(&self, all: &[Prediction]) -> Vec<Prediction> {
        self.probes.iter().map(|p| all[*p]).collect()
    }
}

/// What one case reads.
enum Row {
    /// All probes.
    All(Vec<Prediction>),
    /// Those that the change moves; the others as before.
    Moved(Vec<Prediction>),
    /// As before, and what the change moves as a sound vehicle does.
    Still,
}

/// What all cases read and show.
pub(super) struct Solved<'a> {
    vehicle: &'a Vehicle<'a>,
    kept: Option<&'a Kept<'a>>,
    /// Per probe: its place among those that the change moves.
    moved: Vec<Option<usize>>,
    rows: Vec<Row>,
    /// Signs, by case.
    pub signs: Vec<Seen>,
}

impl Solved<'_> {
    /// What a case reads at a probe.
    pub fn read(&self, case: usize, probe: usize) -> Prediction {
        match (&self.rows[case], self.moved[probe], self.kept) {
            (Row::All(row), _, _) => row[probe],
            (Row::Moved(row), Some(place), _) => row[place],
            (Row::Still, None, Some(kept)) | (Row::Moved(_), None, Some(kept)) => {
                kept.read(case, probe)
            }
            (Row::Still, ..) | (Row::Moved(_), None, None) => self.vehicle.sound[probe],
        }
    }

    /// What all cases read at a probe.
    pub fn column(&self, probe: usize) -> impl Iterator<Item = Prediction> {
        (0..self.rows.len()).map(move |k| self.read(k, probe))
    }
}

/// Cases that are solved in the same way, by place.
#[derive(Default)]
struct Ways {
    /// Nothing is known of them.
    anew: Vec<usize>,
    /// They sit on or beside what changed.
    beside: Vec<usize>,
    /// They touch a reading that the change moves.
    moved: Vec<usize>,
    /// The change does not reach them.
    still: Vec<usize>,
}

impl<'a> Vehicle<'a> {
    /// All cases; every core takes its share.
    pub fn solve(&'a self, kept: Option<(&'a Kept<'a>, &Moved<'_>)>) -> Solved<'a> {
        let share = |places: &[usize]| match kept {
            Some((kept, moved)) => self.again(places, kept, moved),
            None => self.anew(places),
        };
        // dealt out in turn: the cases beside a changed wire stand together
        let (rows, signs) = share_out(self.cases.len(), share).into_iter().unzip();
        let place = |p: usize| kept.and_then(|(_, m)| m.probes.iter().position(|m| *m == p));
        Solved {
            vehicle: self,
            kept: kept.map(|k| k.0),
            moved: (0..self.probes.len()).map(place).collect(),
            rows,
            signs,
        }
    }

    fn cases(&self, places: &[usize]) -> Vec<&FaultCase> {
        places.iter().map(|k| &self.cases[*k]).collect()
    }

    /// What some cases read, and what is seen of those that are `wanted`, by their places among them.
    fn read_and_look(
        &self,
        places: &[usize],
        forward: &Forward<'_>,
        sound: &[Prediction],
        wanted: &dyn Fn(usize, &[Prediction]) -> bool,
    ) -> Vec<(Vec<Prediction>, Option<Seen>)> {
        let look = |scene: &Scene<'_>| self.asked.look(self.catalogue, scene);
        let whole = Scene::of(self.profile, self.net, &self.forward.circuit, None);
        look(&whole);
        let whole = whole.into_known();
        let states: Vec<At> = whole.places.keys().cloned().collect();
        let cases = self.cases(places);
        let look = |k: usize, circuit: &Circuit, solved: Vec<Rc<Solution>>| {
            // one that shows only by itself has the circuit of a sound vehicle
            let (circuit, solved) = match cases[k].effects.is_empty() {
                true => (&self.forward.circuit, whole.solved.clone()),
                false => (circuit, solved),
            };
            let scene = Scene::of(self.profile, self.net, circuit, Some(cases[k]));
            let places = Rc::clone(&whole.places);
            look(&scene.knowing(Known { places, solved }))
        };
        let looks = Looks {
            states: &states,
            wanted,
            look: &look,
        };
        forward.cases(&cases, sound, Some(&looks))
    }

    fn anew(&self, places: &[usize]) -> Vec<(usize, (Row, Seen))> {
        let solved = self.read_and_look(places, self.forward, self.sound, &|_, _| true);
        let each = places.iter().zip(solved);
        each.filter_map(|(k, (row, seen))| Some((*k, (Row::All(row), seen?))))
            .collect()
    }

    /// What the change does not reach is taken over, and of the rest what it does not move far. A reading that the
    /// change does not move on a sound vehicle is taken not to move under a fault that sits elsewhere either.
    fn again(
        &self,
        places: &[usize],
        kept: &Kept<'_>,
        moved: &Moved<'_>,
    ) -> Vec<(usize, (Row, Seen))> {
        let mut ways = Ways::default();
        for &k in places {
            let way = match (kept.known[k], kept.reached[k]) {
                (Some(old), false) if kept.signs && !kept.touches(old, &moved.probes) => {
                    &mut ways.still
                }
                (Some(_), false) => &mut ways.moved,
                (Some(_), true) => &mut ways.beside,
                _ => &mut ways.anew,
            };
            way.push(k);
        }
        let mut out = self.anew(&ways.anew);

        // no point reads otherwise than before or than on a sound vehicle, as it did: nothing is seen otherwise
        let same = |k: usize, row: &[Prediction]| {
            let mut each = self.probes.iter().zip(row).enumerate();
            each.all(|(p, (probe, now))| {
                let then = kept.own(k, p).unwrap_or(&self.sound[p]);
                probe.0.scale().same(then, now)
            })
        };
        let then = |k: usize| kept.seen(self.catalogue, k, &self.cases[k]);
        let before = |k: usize| then(k).filter(|_| kept.signs);
        let other = |at: usize, row: &[Prediction]| !(kept.signs && same(ways.beside[at], row));
        let solved = self.read_and_look(&ways.beside, self.forward, self.sound, &other);
        for (&k, (mut row, seen)) in ways.beside.iter().zip(solved) {
            let seen = seen.or_else(|| before(k));
            // what reads the same is as before, so that columns can be taken over
            for (p, now) in row.iter_mut().enumerate() {
                let then = kept.read(k, p);
                if kept.known(p).is_some() && self.probes[p].0.scale().same(&then, now) {
                    *now = then;
                }
            }
            out.extend(seen.map(|seen| (k, (Row::All(row), seen))));
        }

        let sound = moved.sound(self.sound);
        let other = |at: usize, _: &[Prediction]| before(ways.moved[at]).is_none();
        let solved = self.read_and_look(&ways.moved, &moved.forward, &sound, &other);
        for (&k, (row, seen)) in ways.moved.iter().zip(solved) {
            let seen = seen.or_else(|| before(k));
            out.extend(seen.map(|seen| (k, (Row::Moved(row), seen))));
        }

        for k in ways.still {
            let seen = then(k);
            let seen = seen.unwrap_or_else(|| Seen::clone(&kept.old.sound));
            out.push((k, (Row::Still, seen)));
        }
        out
    }
}
