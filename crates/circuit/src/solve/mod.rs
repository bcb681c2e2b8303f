//! Nodal analysis with piecewise-linear devices.
//!
//! Every source stands behind a resistance, so the equations need node voltages only: G·v = i.
//! Opens are removals, not huge resistances. Each electrical island (union-find over the conducting
//! elements) is tied to 0 V at one node by 1 S: no current flows through the tie because every
//! element returns what it takes, so the tie is exact. The matrix is factored without pivoting in a
//! fixed minimum-degree order (it is diagonally dominant but for the controlled sources, whose
//! outputs carry their own conductance). Device states are iterated to a fixed point; a device that
//! flips more than [`MAX_FLIPS`] times is locked and the solution marked as hiccup.

mod device;
mod eliminate;
mod fixes;
mod order;
mod search;

use crate::fault::Effect;
use crate::netlist::{Element, Netlist, NodeId, Part};
use crate::state::{Throttle, VehicleState};
use device::Device;
pub(crate) use device::{Linear, LinearKind};
pub(crate) use eliminate::substitute;
use fixes::{Fix, HEALTHY, faulted, fix, touched};
use order::NONE;
pub(crate) use order::Plan;
pub use search::Islands;
use search::Search;
use std::sync::Arc;

/// Flips after which a device is locked off.
pub const MAX_FLIPS: u8 = 6;
const MAX_ROUNDS: usize = 80;
/// Ohms from which two points are apart.
const APART: f64 = 1e9;

/// Something put on the circuit for one measurement.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Extra {
    /// A resistor across two nodes, ohms.
    Load(NodeId, NodeId, f64),
    /// A source behind a resistance (diode range of a meter): plus, minus, volts, ohms.
    Inject(NodeId, NodeId, f64, f64),
}

/// A netlist with a fault in it, ordered for solving. Compile once, solve for many states.
#[derive(Debug, Clone)]
pub struct Circuit {
    /// Elements, fault bridges appended.
    pub elements: Arc<[Element]>,
    fixes: Vec<Fix>,
    /// The elements that a fault touches.
    touched: Vec<usize>,
    plan: Arc<Plan>,
}

/// Node voltages of one state, with the factors kept for source-resistance questions.
#[derive(Debug, Clone)]
pub struct Solution {
    /// Volts of each node against its own island's tie.
    pub volts: Vec<f64>,
    /// Island of each node; voltages compare within an island only.
    pub island: Arc<Islands>,
    /// Some device could not settle (a regulator that starts and drops out again and again).
    pub hiccup: bool,
    /// Number of linear solves it took.
    pub rounds: usize,
    /// What it was solved with, and its own lane of it.
    abreast: Arc<Abreast>,
    lane: usize,
}

/// Circuits solved side by side: by place or element, lane by lane.
#[derive(Debug)]
struct Abreast {
    lanes: usize,
    factors: Vec<f64>,
    g: Vec<f64>,
    amps: Vec<f64>,
    kinds: Vec<LinearKind>,
    devices: Vec<Device>,
}

/// Component values of one draw.
#[derive(Debug, Clone)]
pub struct Draw {
    /// Multiplier of each element's value.
    values: Vec<f64>,
    /// Multiplier of the resistance a fault adds: log-normal, sigma 0.35, one draw for the fault.
    series: f64,
}

/// One of several circuits of one vehicle that are solved side by side: the same elements and order, other values.
#[derive(Debug, Clone, Copy)]
pub struct Lane<'a> {
    /// Circuit.
    pub circuit: &'a Circuit,
    /// Its component values.
    pub draw: &'a Draw,
    /// The same circuit with these values in the same state, before a meter is put on it: where the search begins. Without it
    /// everything begins switched off, as a vehicle does.
    pub near: Option<&'a Solution>,
}

/// What a vehicle state and rotor step mean for each element of a netlist: two that mean the same are solved alike.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Moment {
    /// Is its plug joined?
    joined: Vec<bool>,
    /// Does its condition hold, is the throttle it is in held open, does the line it watches ask it to pull low?
    holds: Vec<bool>,
}

impl Moment {
    /// Of the elements of a netlist or a circuit. What a fault bridges is always joined: a netlist's moment is its
    /// circuits', with whatever fault.
    pub fn of(elements: &[Element], state: &VehicleState, step: u8) -> Self {
        let joined = |e: &Element| e.plug.as_ref().is_none_or(|p| !state.apart.contains(p));
        let holds = |e: &Element| match &e.part {
            Part::Source { when, .. } | Part::Switch { when, .. } | Part::Relay { when, .. } => {
                when.holds(state)
            }
            Part::Ratio { .. } => state.throttle == Throttle::Full,
            Part::OpenCollector { watches, .. } => watches.low(state, step),
            _ => true,
        };
        Self {
            joined: elements.iter().map(joined).collect(),
            holds: elements.iter().map(holds).collect(),
        }
    }

    fn joined(&self, k: usize) -> bool {
        self.joined.get(k).copied().unwrap_or(true)
    }
}

/// Room for the question of ohms between two nodes, asked again and again.
#[derive(Debug, Default)]
pub struct Room<const L: usize> {
    x: Vec<[f64; L]>,
    path: Vec<usize>,
}

impl Solution {
    pub(crate) fn factor(&self, place: u32) -> f64 {
        self.abreast.factors[self.at(place as usize)]
    }

    /// What an element conducts.
    pub(crate) fn conducts(&self, element: usize) -> Linear {
        let (at, all) = (self.at(element), &*self.abreast);
        Linear {
            g: all.g[at],
            amps: all.amps[at],
            kind: all.kinds[at],
        }
    }

    fn device(&self, element: usize) -> Device {
        self.abreast.devices[self.at(element)]
    }

    fn at(&self, place: usize) -> usize {
        place * self.abreast.lanes + self.lane
    }
}

impl Circuit {
    /// Compile a netlist with the effects of a fault. `pairs` lists the node pairs across which an
    /// [`Extra`] will be put, so that the order knows them.
    pub fn compile(net: &Netlist, effects: &[Effect], pairs: &[(NodeId, NodeId)]) -> Self {
        let (elements, fixes) = faulted(net, effects);
        let plan = Arc::new(Plan::new(net.nodes.len(), &elements, pairs));
        Self {
            elements: elements.into(),
            touched: touched(&fixes),
            fixes,
            plan,
        }
    }

    /// This sound vehicle several times, each with effects of its own, in one order, so that all of them can be solved side
    /// by side. Where a bridge couples new nodes every circuit has the bridges of all, and only its own conduct.
    pub fn together(
        &self,
        net: &Netlist,
        effects: &[&[Effect]],
        pairs: &[(NodeId, NodeId)],
    ) -> Vec<Self> {
        let bridge = |e: &&Effect| matches!(e, Effect::Bridge(..));
        let all = effects.iter().flat_map(|e| e.iter());
        let bridges: Vec<Effect> = all.filter(bridge).cloned().collect();
        let every = if bridges.is_empty() {
            self.clone()
        } else {
            Self::compile(net, &bridges, pairs)
        };
        let own = net.elements.len();
        let mut next = own;
        let mut one = |effects: &&[Effect]| {
            let mut fixes = every.fixes.clone();
            fixes[own..].iter_mut().for_each(|f| f.open = true);
            for effect in *effects {
                if bridge(&effect) {
                    fixes[next] = HEALTHY;
                    next += 1;
                } else {
                    fix(&mut fixes, effect);
                }
            }
            Self {
                elements: Arc::clone(&every.elements),
                touched: touched(&fixes),
                fixes,
                plan: Arc::clone(&every.plan),
            }
        };
        effects.iter().map(&mut one).collect()
    }

    /// Can it be solved side by side with another?
    fn goes_with(&self, other: &Self) -> bool {
        Arc::ptr_eq(&self.plan, &other.plan)
    }

    pub(crate) fn plan(&self) -> &Plan {
        &self.plan
    }

    /// Ohms that the fault adds to an element.
    pub(crate) fn added_ohms(&self, k: usize) -> f64 {
        self.fixes[k].series_ohms
    }

    /// Ratio of its supply at which the fault holds an element's output.
    pub fn stuck(&self, k: usize) -> Option<f64> {
        self.fixes[k].stuck_ratio
    }

    /// Does the fault set an element's own value?
    pub fn drifted(&self, k: usize) -> bool {
        self.fixes[k].scale != 1.0
    }

    fn at(&self, i: usize, j: usize) -> usize {
        let p = self.plan.pos[i * self.plan.n + j];
        debug_assert_ne!(p, NONE, "pair not in the pattern");
        p as usize
    }

    /// Solve for a state and rotor step. `z` gives each element's deviation in units of its spread
    /// (missing = 0); bridges of the fault count as elements after the netlist's own, and the last one is the
    /// deviation of the resistance a fault adds.
    pub fn solve(&self, state: &VehicleState, step: u8, z: &[f64], extras: &[Extra]) -> Solution {
        self.solve_drawn(state, step, &self.draw(z), extras, None)
    }

    /// Component values of a draw: `z` as for [`Self::solve`].
    pub fn draw(&self, z: &[f64]) -> Draw {
        Draw {
            values: (0..self.elements.len()).map(|k| self.value(k, z)).collect(),
            series: (0.35 * z.get(self.elements.len()).copied().unwrap_or(0.0)).exp(),
        }
    }

    /// As [`Self::solve`], with the values of a draw made before and a search that begins at another solution.
    pub fn solve_drawn(
        &self,
        state: &VehicleState,
        step: u8,
        draw: &Draw,
        extras: &[Extra],
        near: Option<&Solution>,
    ) -> Solution {
        let lane = Lane {
            circuit: self,
            draw,
            near,
        };
        let moment = Moment::of(&self.elements, state, step);
        let [solution] = Self::solve_lanes([lane], &moment, extras);
        solution
    }

    /// Solve several circuits side by side: the places of the elimination are looked up once for all of them. Each
    /// comes out as if it had been solved alone. They must share an order: come from one [`Self::compile`] by [`Self::together`].
    pub fn solve_lanes<const L: usize>(
        lanes: [Lane<'_>; L],
        moment: &Moment,
        extras: &[Extra],
    ) -> [Solution; L] {
        debug_assert!(lanes.iter().all(|l| l.circuit.goes_with(lanes[0].circuit)));
        let mut search = Search::begin(&lanes, moment);
        let equations = search.settle(&lanes, moment, extras);
        let abreast = Arc::new(Abreast {
            lanes: L,
            factors: equations.a.into_flattened(),
            g: search.g.into_flattened(),
            amps: search.amps.into_flattened(),
            kinds: search.kind.into_flattened(),
            devices: search.devices.into_flattened(),
        });
        let mut islands = search.islands.into_iter().flatten();
        std::array::from_fn(|lane| Solution {
            volts: equations.x.iter().map(|v| v[lane]).collect(),
            island: islands.next().expect("settled"),
            hiccup: search.hiccup[lane],
            rounds: search.rounds[lane],
            abreast: Arc::clone(&abreast),
            lane,
        })
    }

    fn value(&self, k: usize, z: &[f64]) -> f64 {
        match z.get(k) {
            Some(z) if *z != 0.0 => (self.elements[k].spread * z).exp(),
            _ => 1.0,
        }
    }

    /// Places in the order that two nodes depend on: each is coupled to later ones only, the first of which (its parent
    /// in the elimination tree) is coupled to all the rest.
    fn path(&self, a: NodeId, b: NodeId, path: &mut Vec<usize>) {
        let plan = &*self.plan;
        let (mut i, mut j) = (plan.place[a], plan.place[b]);
        path.clear();
        while i != NONE || j != NONE {
            let k = i.min(j);
            path.push(k as usize);
            let up = plan.pivots[k as usize].parent;
            if i == k {
                i = up;
            }
            if j == k {
                j = up;
            }
        }
    }

    /// Ohms seen between two nodes with all sources at rest and devices held in their present state;
    /// `None` across islands.
    pub fn source_ohms(&self, s: &Solution, a: NodeId, b: NodeId) -> Option<f64> {
        let factor = |p: u32| [s.factor(p)];
        let [ohms] = self.ohms_between([s], factor, [a, b], &mut Room::default());
        ohms
    }

    /// The same of some circuits that were solved side by side, each as if it were alone. `room` is kept from one call to the
    /// next.
    pub fn source_ohms_abreast<const L: usize>(
        &self,
        solved: [&Solution; L],
        a: NodeId,
        b: NodeId,
        room: &mut Room<L>,
    ) -> [Option<f64>; L] {
        let abreast = &solved[0].abreast;
        let mut lanes = solved.iter().enumerate();
        let together =
            |(l, s): (usize, &&Solution)| Arc::ptr_eq(&s.abreast, abreast) && s.lane == l;
        if abreast.lanes == L && lanes.all(together) {
            let (places, _) = abreast.factors.as_chunks::<L>();
            let factor = |p: u32| places[p as usize];
            self.ohms_between(solved, factor, [a, b], room)
        } else {
            solved.map(|s| self.source_ohms(s, a, b))
        }
    }

    fn ohms_between<const L: usize>(
        &self,
        solved: [&Solution; L],
        factor: impl Fn(u32) -> [f64; L],
        [a, b]: [NodeId; 2],
        room: &mut Room<L>,
    ) -> [Option<f64>; L] {
        let joined = solved.map(|s| s.island[a] == s.island[b]);
        if joined == [false; L] {
            return [None; L];
        }
        self.path(a, b, &mut room.path);
        let x = &mut room.x;
        x.resize(self.plan.n, [0.0; L]);
        x[a] = x[a].map(|v| v + 1.0);
        x[b] = x[b].map(|v| v - 1.0);
        substitute(&self.plan, factor, x, room.path.iter().copied());
        let ohms = std::array::from_fn(|l| joined[l].then(|| (x[a][l] - x[b][l]).max(0.0)));
        for place in &room.path {
            x[self.plan.pivots[*place].node as usize] = [0.0; L];
        }
        ohms
    }

    /// Ohms of a two-pole element as it conducts; up to [`APART`].
    pub fn own_ohms(&self, s: &Solution, element: usize) -> f64 {
        let l = s.conducts(element);
        match l.kind {
            LinearKind::TwoPole => (1.0 / l.g).min(APART),
            _ => APART,
        }
    }

    /// Ohms that the rest of the circuit has between the ends of an element; up to [`APART`].
    pub fn ohms_apart(&self, s: &Solution, element: usize) -> f64 {
        let e = &self.elements[element];
        let own = self.own_ohms(s, element);
        let ohms = self.source_ohms(s, e.a, e.b).unwrap_or(APART);
        (ohms / (1.0 - ohms / own).max(1e-9)).min(APART)
    }

    /// Amps through a two-pole element from `a` to `b`.
    pub fn amps(&self, s: &Solution, element: usize) -> f64 {
        let e = &self.elements[element];
        let l = s.conducts(element);
        if l.kind == LinearKind::TwoPole {
            l.g * (s.volts[e.a] - s.volts[e.b]) + l.amps
        } else {
            0.0
        }
    }
}
