//! Nodal analysis with piecewise-linear devices.
//!
//! Every source stands behind a resistance, so the equations need node voltages only: G·v = i.
//! Opens are removals, not huge resistances. Each electrical island (union-find over the conducting
//! elements) is tied to 0 V at one node by 1 S: no current flows through the tie because every
//! element returns what it takes, so the tie is exact. The matrix is factored without pivoting in a
//! fixed minimum-degree order (it is diagonally dominant but for the controlled sources, whose
//! outputs carry their own conductance). Device states are iterated to a fixed point; a device that
//! flips more than [`MAX_FLIPS`] times is locked and the solution marked as hiccup.

use crate::fault::Effect;
use crate::fixes::{Fix, HEALTHY, faulted, fix};
use crate::netlist::{Element, Netlist, NodeId, Part};
use crate::order::{NONE, Plan};
use crate::state::{Throttle, VehicleState};
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
    plan: Arc<Plan>,
}

/// Node voltages of one state, with the factors kept for source-resistance questions.
#[derive(Debug, Clone)]
pub struct Solution {
    /// Volts of each node against its own island's tie.
    pub volts: Vec<f64>,
    /// Island of each node; voltages compare within an island only.
    pub island: Vec<usize>,
    /// Some device could not settle (a regulator that starts and drops out again and again).
    pub hiccup: bool,
    /// Number of linear solves it took.
    pub rounds: usize,
    /// Factors of all lanes it was solved with, place by place, and its own lane.
    factors: Arc<Vec<f64>>,
    lanes: usize,
    lane: usize,
    devices: Vec<Device>,
    pub(crate) conducts: Vec<Linear>,
}

/// Linear stand-in of an element in its present device state: current a→b is
/// `g·(va − vb) + source_amps`.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub(crate) struct Linear {
    pub(crate) on: bool,
    pub(crate) g: f64,
    pub(crate) amps: f64,
    pub(crate) kind: LinearKind,
}

#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub(crate) enum LinearKind {
    #[default]
    TwoPole,
    /// i(a→b) = g·(volts − (vb − vc)), amps = g·volts
    Regulate,
    /// constant current a→b
    Constant,
    /// i(b→c) = g·(vb − vc − ratio·(va − vc)); ratio in `amps`
    Ratio,
    /// i(b→c) = g·(vb − vc)
    Pull,
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
    /// A solution of the same circuit in the same state with other values: its device states are where the search
    /// begins. Without it everything begins switched off, as a vehicle does.
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

/// How far the search for the device states of one lane is.
struct Search {
    devices: Vec<Device>,
    flips: Vec<u8>,
    linear: Vec<Linear>,
    volts: Vec<f64>,
    island: Vec<usize>,
    hiccup: bool,
    rounds: usize,
    settled: bool,
}

#[derive(Debug, Clone, Copy, PartialEq)]
enum Device {
    Passive,
    Off,
    On,
    Regulate,
    Limit,
    Dropout,
}

impl Solution {
    pub(crate) fn factor(&self, place: u32) -> f64 {
        self.factors[place as usize * self.lanes + self.lane]
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
                fixes,
                ..every.clone()
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
    /// comes out as if it had been solved alone. They must come from one [`Self::compile`] by [`Self::with`].
    pub fn solve_lanes<const L: usize>(
        lanes: [Lane<'_>; L],
        moment: &Moment,
        extras: &[Extra],
    ) -> [Solution; L] {
        debug_assert!(lanes.iter().all(|l| l.circuit.goes_with(lanes[0].circuit)));
        let first = &lanes[0];
        let begun = first.begin(moment, extras);
        let beside = |lane: &Lane<'_>| {
            let plain = lane.near.is_none() && first.near.is_none();
            plain && lane.draw.values == first.draw.values
        };
        let mut search = lanes.map(|lane| match beside(&lane) {
            true => lane.begin_beside(first, &begun, moment),
            false => lane.begin(moment, extras),
        });
        let mut a: Vec<[f64; L]> = Vec::new();
        let mut x: Vec<[f64; L]> = Vec::new();
        loop {
            for (k, lane) in lanes.iter().enumerate() {
                let (before, rest) = search.split_at_mut(k);
                let s = &mut rest[0];
                if !s.island.is_empty() {
                    continue;
                }
                match before.last().filter(|other| other.joins_as(s)) {
                    Some(other) => s.island.clone_from(&other.island),
                    None => lane.circuit.islands(&s.linear, extras, &mut s.island),
                }
            }
            linear_solve(lanes[0].circuit, &search, extras, &mut a, &mut x);
            for (k, (lane, s)) in lanes.iter().zip(&mut search).enumerate() {
                if !s.settled {
                    s.volts.clear();
                    s.volts.extend(x.iter().map(|v| v[k]));
                    lane.look(s, moment);
                }
            }
            if search.iter().all(|s| s.settled) {
                break;
            }
        }
        let factors = Arc::new(a.into_flattened());
        let mut lane = 0;
        search.map(|s| {
            lane += 1;
            Solution {
                volts: s.volts,
                island: s.island,
                hiccup: s.hiccup,
                rounds: s.rounds,
                factors: Arc::clone(&factors),
                lanes: L,
                lane: lane - 1,
                devices: s.devices,
                conducts: s.linear,
            }
        })
    }

    fn value(&self, k: usize, z: &[f64]) -> f64 {
        match z.get(k) {
            Some(z) if *z != 0.0 => (self.elements[k].spread * z).exp(),
            _ => 1.0,
        }
    }

    fn linear(&self, k: usize, device: Device, moment: &Moment, z: &Draw) -> Linear {
        let element = &self.elements[k];
        let fix = &self.fixes[k];
        let off = Linear::default();
        if fix.open || !moment.joined(k) {
            return off;
        }
        let two = |g: f64, amps: f64| Linear {
            on: true,
            g,
            amps,
            kind: LinearKind::TwoPole,
        };
        match &element.part {
            Part::Resistor { ohms } => two(
                1.0 / (ohms * fix.scale * z.values[k] + fix.series_ohms * z.series),
                0.0,
            ),
            Part::Source { volts, ohms, .. } => {
                if !moment.holds[k] {
                    return off;
                }
                let g = 1.0 / (ohms + fix.series_ohms * z.series);
                two(g, -g * volts * fix.scale * z.values[k])
            }
            Part::Switch {
                ohms,
                leak_ohms,
                inverted,
                ..
            } => {
                let closed = fix.forced.unwrap_or(moment.holds[k] != *inverted);
                if closed {
                    two(
                        1.0 / (ohms * fix.scale * z.values[k] + fix.series_ohms * z.series),
                        0.0,
                    )
                } else if leak_ohms.is_finite() {
                    two(1.0 / (leak_ohms * z.values[k]), 0.0)
                } else {
                    off
                }
            }
            Part::Relay { ohms, .. } => match device {
                Device::On => two(
                    1.0 / (ohms * fix.scale * z.values[k] + fix.series_ohms * z.series),
                    0.0,
                ),
                _ => off,
            },
            Part::Diode { volts, ohms } => match device {
                Device::On => {
                    let g = 1.0 / (ohms + fix.series_ohms * z.series);
                    two(g, -g * volts * z.values[k])
                }
                _ => off,
            },
            Part::Regulator {
                volts,
                limit_amps,
                dropout_volts,
                ..
            } => {
                let g = 20.0;
                match device {
                    Device::Regulate => Linear {
                        on: true,
                        g,
                        amps: g * volts * fix.scale * z.values[k],
                        kind: LinearKind::Regulate,
                    },
                    Device::Limit => Linear {
                        on: true,
                        g: 0.0,
                        amps: *limit_amps,
                        kind: LinearKind::Constant,
                    },
                    Device::Dropout => two(g, -g * dropout_volts),
                    _ => off,
                }
            }
            Part::Ratio {
                idle, full, ohms, ..
            } => {
                let open = moment.holds[k];
                let ratio = fix.stuck_ratio.unwrap_or(if open { *full } else { *idle });
                let ratio = ratio * fix.scale * z.values[k];
                Linear {
                    on: true,
                    g: 1.0 / (ohms + fix.series_ohms * z.series),
                    amps: if device == Device::On { ratio } else { 0.0 },
                    kind: LinearKind::Ratio,
                }
            }
            Part::OpenCollector { ohms, .. } => match device {
                Device::On => Linear {
                    on: true,
                    g: 1.0 / (ohms * z.values[k]),
                    amps: 0.0,
                    kind: LinearKind::Pull,
                },
                _ => off,
            },
        }
    }

    /// The device state that the present solution asks for.
    fn next(&self, k: usize, s: &Search, moment: &Moment, z: &Draw) -> Device {
        let (device, linear) = (s.devices[k], &s.linear[k]);
        let e = &self.elements[k];
        let fix = &self.fixes[k];
        if fix.open {
            return Device::Off;
        }
        let same = |a: usize, b: usize| s.island[a] == s.island[b];
        match &e.part {
            Part::Diode { volts, .. } => {
                if device == Device::On {
                    let amps = linear.g * (s.volts[e.a] - s.volts[e.b]) + linear.amps;
                    if amps < -1e-12 {
                        Device::Off
                    } else {
                        Device::On
                    }
                } else if same(e.a, e.b) && s.volts[e.a] - s.volts[e.b] > volts * z.values[k] + 1e-9
                {
                    Device::On
                } else {
                    Device::Off
                }
            }
            Part::Regulator {
                volts,
                limit_amps,
                dropout_volts,
                on_volts,
                off_volts,
                ..
            } => {
                if fix.forced == Some(false) || !same(e.a, e.c) {
                    return Device::Off;
                }
                let input = s.volts[e.a] - s.volts[e.c];
                let set = volts * fix.scale * z.values[k];
                if device == Device::Off {
                    return if input > *on_volts {
                        Device::Regulate
                    } else {
                        Device::Off
                    };
                }
                if input < *off_volts {
                    return Device::Off;
                }
                let output = s.volts[e.b] - s.volts[e.c];
                match device {
                    Device::Regulate => {
                        if linear.amps - linear.g * output > *limit_amps {
                            Device::Limit
                        } else if input - output < *dropout_volts {
                            Device::Dropout
                        } else {
                            Device::Regulate
                        }
                    }
                    Device::Limit if output > set => Device::Regulate,
                    Device::Dropout => {
                        let amps = linear.g * (s.volts[e.a] - s.volts[e.b]) + linear.amps;
                        if output > set + 1e-9 {
                            Device::Regulate
                        } else if amps > *limit_amps {
                            Device::Limit
                        } else {
                            Device::Dropout
                        }
                    }
                    other => other,
                }
            }
            Part::Relay { closes, .. } => {
                let closed = fix.forced.unwrap_or_else(|| {
                    moment.holds[k]
                        && closes.iter().all(|l| {
                            let volts = if same(l.plus, l.minus) {
                                s.volts[l.plus] - s.volts[l.minus]
                            } else {
                                0.0
                            };
                            (volts > l.volts) == l.above
                        })
                });
                if closed { Device::On } else { Device::Off }
            }
            Part::Ratio { min_volts, .. } => {
                let powered = same(e.a, e.c) && s.volts[e.a] - s.volts[e.c] >= *min_volts;
                if powered { Device::On } else { Device::Off }
            }
            Part::OpenCollector { min_volts, .. } => {
                let low = fix.forced.unwrap_or(moment.holds[k]);
                let powered = fix.forced == Some(true)
                    || (same(e.a, e.c) && s.volts[e.a] - s.volts[e.c] >= *min_volts);
                if low && powered {
                    Device::On
                } else {
                    Device::Off
                }
            }
            _ => Device::Passive,
        }
    }

    /// Islands of the nodes: those that conducting elements join.
    fn islands(&self, linear: &[Linear], extras: &[Extra], parent: &mut Vec<usize>) {
        fn root(parent: &mut [usize], mut x: usize) -> usize {
            while parent[x] != x {
                parent[x] = parent[parent[x]];
                x = parent[x];
            }
            x
        }
        fn union(parent: &mut [usize], x: usize, y: usize) {
            let (x, y) = (root(parent, x), root(parent, y));
            if x != y {
                parent[x.max(y)] = x.min(y);
            }
        }
        parent.clear();
        parent.extend(0..self.plan.n);
        for (e, l) in self.elements.iter().zip(linear) {
            if !l.on {
                continue;
            }
            match l.kind {
                LinearKind::TwoPole | LinearKind::Constant => union(parent, e.a, e.b),
                LinearKind::Regulate => {
                    union(parent, e.a, e.b);
                    union(parent, e.b, e.c);
                }
                LinearKind::Ratio | LinearKind::Pull => union(parent, e.b, e.c),
            }
        }
        for extra in extras {
            match *extra {
                Extra::Load(x, y, _) | Extra::Inject(x, y, _, _) => union(parent, x, y),
            }
        }
        for i in 0..parent.len() {
            parent[i] = root(parent, i);
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
        let factors = &solved[0].factors;
        let mut lanes = solved.iter().enumerate();
        if lanes.all(|(l, s)| Arc::ptr_eq(&s.factors, factors) && s.lanes == L && s.lane == l) {
            let (places, _) = factors.as_chunks::<L>();
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
        let l = &s.conducts[element];
        match l.kind {
            LinearKind::TwoPole if l.on => (1.0 / l.g).min(APART),
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
        let l = &s.conducts[element];
        if l.on && l.kind == LinearKind::TwoPole {
            l.g * (s.volts[e.a] - s.volts[e.b]) + l.amps
        } else {
            0.0
        }
    }
}

impl Lane<'_> {
    fn begin(&self, moment: &Moment, extras: &[Extra]) -> Search {
        let c = self.circuit;
        let off = |e: &Element| match e.part {
            Part::Resistor { .. } | Part::Source { .. } | Part::Switch { .. } => Device::Passive,
            _ => Device::Off,
        };
        let devices: Vec<Device> = match self.near {
            Some(s) if !s.hiccup => s.devices.clone(),
            _ => c.elements.iter().map(off).collect(),
        };
        let linear: Vec<Linear> = (0..c.elements.len())
            .map(|k| c.linear(k, devices[k], moment, self.draw))
            .collect();
        // the same elements conduct: the same islands
        let same = |s: &&Solution| {
            let mut each = s.conducts.iter().zip(&linear);
            extras.is_empty() && each.all(|(x, y)| x.joins(*y))
        };
        let near = self.near.filter(same);
        Search {
            island: near.map_or_else(Vec::new, |s| s.island.clone()),
            ..Search::new(devices, linear)
        }
    }

    /// As [`Self::begin`], with everything off: as the lane beside it, but for what a fault does in either.
    fn begin_beside(&self, other: &Lane<'_>, begun: &Search, moment: &Moment) -> Search {
        let (c, o) = (self.circuit, other.circuit);
        let mut linear = begun.linear.clone();
        for (k, linear) in linear.iter_mut().enumerate() {
            if c.fixes[k] != HEALTHY || o.fixes[k] != HEALTHY {
                *linear = c.linear(k, begun.devices[k], moment, self.draw);
            }
        }
        Search::new(begun.devices.clone(), linear)
    }

    /// Let every device look at the voltages of a round; settled when none wants another state.
    fn look(&self, s: &mut Search, moment: &Moment) {
        let c = self.circuit;
        s.rounds += 1;
        let (mut changed, mut joins) = (false, true);
        for &k in &c.plan.active {
            if s.flips[k] > MAX_FLIPS {
                continue;
            }
            let next = c.next(k, s, moment, self.draw);
            if next == s.devices[k] {
                continue;
            }
            changed = true;
            s.flips[k] += 1;
            s.devices[k] = next;
            if s.flips[k] > MAX_FLIPS {
                s.devices[k] = Device::Off;
                s.hiccup = true;
            }
            let linear = c.linear(k, s.devices[k], moment, self.draw);
            joins &= linear.joins(s.linear[k]);
            s.linear[k] = linear;
        }
        s.hiccup |= s.rounds >= MAX_ROUNDS;
        s.settled = !changed || s.rounds >= MAX_ROUNDS;
        if !s.settled && !joins {
            s.island.clear();
        }
    }
}

impl Search {
    fn new(devices: Vec<Device>, linear: Vec<Linear>) -> Self {
        Self {
            flips: vec![0; devices.len()],
            devices,
            linear,
            volts: Vec::new(),
            island: Vec::new(),
            hiccup: false,
            rounds: 0,
            settled: false,
        }
    }

    /// Do the same elements conduct, so that the islands are the same?
    fn joins_as(&self, other: &Self) -> bool {
        let mut each = self.linear.iter().zip(&other.linear);
        each.all(|(x, y)| x.joins(*y))
    }
}

impl Linear {
    /// Does it join the same nodes to one island as another?
    fn joins(self, other: Self) -> bool {
        self.on == other.on && self.kind == other.kind
    }
}

/// One linear solve of every lane: factors into `a`, volts into `x`.
fn linear_solve<const L: usize>(
    circuit: &Circuit,
    search: &[Search; L],
    extras: &[Extra],
    a: &mut Vec<[f64; L]>,
    x: &mut Vec<[f64; L]>,
) {
    let plan = &*circuit.plan;
    a.clear();
    a.resize(plan.nnz, [0.0; L]);
    x.clear();
    x.resize(plan.n, [0.0; L]);
    let at = |i: usize, j: usize| circuit.at(i, j);
    for (k, (e, stamp)) in circuit.elements.iter().zip(&plan.stamps).enumerate() {
        if e.a == e.b && e.b == e.c {
            continue;
        }
        for (lane, s) in search.iter().enumerate() {
            let l = &s.linear[k];
            if !l.on {
                continue;
            }
            let mut add = |p: usize, g: f64| a[p][lane] += g;
            let mut drive = |node: usize, amps: f64| x[node][lane] += amps;
            match l.kind {
                LinearKind::TwoPole => {
                    add(stamp[0] as usize, l.g);
                    add(stamp[1] as usize, l.g);
                    add(stamp[2] as usize, -l.g);
                    add(stamp[3] as usize, -l.g);
                    if l.amps != 0.0 {
                        drive(e.a, -l.amps);
                        drive(e.b, l.amps);
                    }
                }
                LinearKind::Constant => {
                    drive(e.a, -l.amps);
                    drive(e.b, l.amps);
                }
                LinearKind::Regulate => {
                    let input = e.draws();
                    let ground = 1.0 - input;
                    add(at(e.b, e.b), l.g);
                    add(at(e.b, e.c), -l.g);
                    add(at(e.a, e.c), input * l.g);
                    add(at(e.a, e.b), -input * l.g);
                    add(at(e.c, e.c), ground * l.g);
                    add(at(e.c, e.b), -ground * l.g);
                    drive(e.b, l.amps);
                    drive(e.a, -input * l.amps);
                    drive(e.c, -ground * l.amps);
                }
                LinearKind::Ratio => {
                    let (g, ratio) = (l.g, l.amps);
                    add(at(e.b, e.b), g);
                    add(at(e.b, e.c), -g * (1.0 - ratio));
                    add(at(e.b, e.a), -g * ratio);
                    add(at(e.c, e.b), -g);
                    add(at(e.c, e.c), g * (1.0 - ratio));
                    add(at(e.c, e.a), g * ratio);
                }
                LinearKind::Pull => {
                    add(at(e.b, e.b), l.g);
                    add(at(e.c, e.c), l.g);
                    add(at(e.b, e.c), -l.g);
                    add(at(e.c, e.b), -l.g);
                }
            }
        }
    }
    for extra in extras {
        let (p, q, ohms, amps) = match *extra {
            Extra::Load(p, q, ohms) => (p, q, ohms, 0.0),
            Extra::Inject(p, q, volts, ohms) => (p, q, ohms, volts / ohms),
        };
        for lane in 0..L {
            a[at(p, p)][lane] += 1.0 / ohms;
            a[at(q, q)][lane] += 1.0 / ohms;
            a[at(p, q)][lane] -= 1.0 / ohms;
            a[at(q, p)][lane] -= 1.0 / ohms;
            x[p][lane] += amps;
            x[q][lane] -= amps;
        }
    }
    for (lane, s) in search.iter().enumerate() {
        for (i, own) in s.island.iter().enumerate() {
            if *own == i {
                a[at(i, i)][lane] += 1.0;
            }
        }
    }
    for pivot in &plan.pivots {
        let coupled = plan.coupled(pivot);
        let inverse = a[pivot.diagonal as usize].map(|d| 1.0 / d);
        let targets = &plan.targets[pivot.targets as usize..];
        for (c, targets) in coupled
            .iter()
            .zip(targets.chunks_exact(coupled.len().max(1)))
        {
            let row = a[c.row as usize];
            if row == [0.0; L] {
                continue;
            }
            let f: [f64; L] = std::array::from_fn(|l| row[l] * inverse[l]);
            a[c.row as usize] = f;
            for (other, target) in coupled.iter().zip(targets) {
                let column = a[other.column as usize];
                for (t, (f, c)) in a[*target as usize].iter_mut().zip(f.iter().zip(&column)) {
                    *t -= f * c;
                }
            }
        }
    }
    substitute(plan, |p| a[p as usize], x, 0..plan.pivots.len());
}

/// Solve with factors for the right-hand side in `x`, over some places of the order, ascending: all, or those that
/// what is asked for depends on.
pub(crate) fn substitute<const L: usize>(
    plan: &Plan,
    a: impl Fn(u32) -> [f64; L],
    x: &mut [[f64; L]],
    places: impl DoubleEndedIterator<Item = usize> + Clone,
) {
    for k in places.clone() {
        let pivot = &plan.pivots[k];
        let v = x[pivot.node as usize];
        if v != [0.0; L] {
            for c in plan.coupled(pivot) {
                let row = a(c.row);
                for (x, (r, v)) in x[c.node as usize].iter_mut().zip(row.iter().zip(&v)) {
                    *x -= r * v;
                }
            }
        }
    }
    for k in places.rev() {
        let pivot = &plan.pivots[k];
        let mut v = x[pivot.node as usize];
        for c in plan.coupled(pivot) {
            let (column, other) = (a(c.column), x[c.node as usize]);
            for (v, (a, x)) in v.iter_mut().zip(column.iter().zip(&other)) {
                *v -= a * x;
            }
        }
        let diagonal = a(pivot.diagonal);
        x[pivot.node as usize] = std::array::from_fn(|l| v[l] / diagonal[l]);
    }
}
