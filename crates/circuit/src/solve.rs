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
use crate::netlist::{Element, Netlist, NodeId, Part};
use crate::state::VehicleState;
use std::sync::Arc;

/// Flips after which a device is locked off.
pub const MAX_FLIPS: u8 = 6;
const MAX_ROUNDS: usize = 80;
const NONE: u32 = u32::MAX;

#[derive(Debug, Clone, Copy, PartialEq)]
struct Fix {
    open: bool,
    series_ohms: f64,
    scale: f64,
    forced: Option<bool>,
    stuck_ratio: Option<f64>,
}

const HEALTHY: Fix = Fix {
    open: false,
    series_ohms: 0.0,
    scale: 1.0,
    forced: None,
    stuck_ratio: None,
};

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
    pub elements: Vec<Element>,
    fixes: Vec<Fix>,
    plan: Arc<Plan>,
}

/// The elimination order and the pattern of the factors; shared by circuits that differ only in
/// values.
#[derive(Debug)]
struct Plan {
    n: usize,
    order: Vec<usize>,
    /// position in the value array of (row, column), `NONE` where zero.
    pos: Vec<u32>,
    nnz: usize,
    /// for each pivot: the later nodes coupled to it
    coupled: Vec<Vec<usize>>,
    /// for each pivot: position of its diagonal, and of (row, pivot), (pivot, row) per later node
    diagonal: Vec<u32>,
    below: Vec<Vec<(u32, u32)>>,
    /// for each pivot, row-major over its later nodes: target positions (row, column)
    targets: Vec<Vec<u32>>,
    /// for each element: positions (a,a) (b,b) (a,b) (b,a)
    stamps: Vec<[u32; 4]>,
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
    factors: Vec<f64>,
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
struct Draw<'a> {
    /// Multiplier of each element's value.
    values: &'a [f64],
    /// Multiplier of the resistance a fault adds: log-normal, sigma 0.35, one draw for the fault.
    series: f64,
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

impl Circuit {
    /// Compile a netlist with the effects of a fault. `pairs` lists the node pairs across which an
    /// [`Extra`] will be put, so that the order knows them.
    pub fn compile(net: &Netlist, effects: &[Effect], pairs: &[(NodeId, NodeId)]) -> Self {
        let (elements, fixes) = faulted(net, effects);
        let plan = Arc::new(Plan::new(net.nodes.len(), &elements, pairs));
        Self {
            elements,
            fixes,
            plan,
        }
    }

    /// The same vehicle with other effects; the order is kept unless a bridge couples new nodes.
    pub fn with(&self, net: &Netlist, effects: &[Effect], pairs: &[(NodeId, NodeId)]) -> Self {
        if effects.iter().any(|e| matches!(e, Effect::Bridge(..))) {
            return Self::compile(net, effects, pairs);
        }
        let (elements, fixes) = faulted(net, effects);
        Self {
            elements,
            fixes,
            plan: Arc::clone(&self.plan),
        }
    }
    fn at(&self, i: usize, j: usize) -> usize {
        let p = self.plan.pos[i * self.plan.n + j];
        debug_assert_ne!(p, NONE, "pair not in the pattern");
        p as usize
    }

    /// Solve for a state and rotor step. `z` gives each element's deviation in units of its spread
    /// (missing = 0); bridges of the fault count as elements after the netlist's own.
    pub fn solve(&self, state: &VehicleState, step: u8, z: &[f64], extras: &[Extra]) -> Solution {
        let mut devices: Vec<Device> = self
            .elements
            .iter()
            .map(|e| match e.part {
                Part::Diode { .. } => Device::Off,
                Part::Regulator { .. } => Device::Off,
                Part::OpenCollector { .. } | Part::Ratio { .. } | Part::Relay { .. } => Device::Off,
                _ => Device::Passive,
            })
            .collect();
        let mut flips = vec![0u8; self.elements.len()];
        let mut hiccup = false;
        let mut rounds = 0;
        let values: Vec<f64> = (0..self.elements.len()).map(|k| self.value(k, z)).collect();
        let z = Draw {
            values: &values,
            series: (0.35 * z.get(self.elements.len()).copied().unwrap_or(0.0)).exp(),
        };
        let mut linear: Vec<Linear> = (0..self.elements.len())
            .map(|k| self.linear(k, devices[k], state, &z))
            .collect();
        loop {
            rounds += 1;
            let solution = self.linear_solve(&linear, extras);
            let mut changed = false;
            for k in 0..self.elements.len() {
                if devices[k] == Device::Passive || flips[k] > MAX_FLIPS {
                    continue;
                }
                let next = self.next(k, devices[k], &linear[k], &solution, state, step, &z);
                if next != devices[k] {
                    changed = true;
                    flips[k] += 1;
                    if flips[k] > MAX_FLIPS {
                        devices[k] = Device::Off;
                        hiccup = true;
                    } else {
                        devices[k] = next;
                    }
                    linear[k] = self.linear(k, devices[k], state, &z);
                }
            }
            if !changed || rounds >= MAX_ROUNDS {
                return Solution {
                    hiccup: hiccup || rounds >= MAX_ROUNDS,
                    rounds,
                    ..solution
                };
            }
        }
    }

    fn value(&self, k: usize, z: &[f64]) -> f64 {
        match z.get(k) {
            Some(z) if *z != 0.0 => (self.elements[k].spread * z).exp(),
            _ => 1.0,
        }
    }

    fn linear(&self, k: usize, device: Device, state: &VehicleState, z: &Draw<'_>) -> Linear {
        let element = &self.elements[k];
        let fix = &self.fixes[k];
        let off = Linear::default();
        if fix.open
            || element
                .plug
                .as_ref()
                .is_some_and(|p| state.apart.contains(p))
        {
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
            Part::Source { volts, ohms, when } => {
                if !when.holds(state) {
                    return off;
                }
                let g = 1.0 / (ohms + fix.series_ohms * z.series);
                two(g, -g * volts * fix.scale * z.values[k])
            }
            Part::Switch {
                ohms,
                leak_ohms,
                when,
                inverted,
            } => {
                let closed = fix.forced.unwrap_or(when.holds(state) != *inverted);
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
                let open = state.throttle == crate::state::Throttle::Full;
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
    #[allow(clippy::too_many_arguments)]
    fn next(
        &self,
        k: usize,
        device: Device,
        linear: &Linear,
        s: &Solution,
        state: &VehicleState,
        step: u8,
        z: &Draw<'_>,
    ) -> Device {
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
            Part::Relay { closes, when, .. } => {
                let closed = fix.forced.unwrap_or_else(|| {
                    when.holds(state)
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
            Part::OpenCollector {
                watches, min_volts, ..
            } => {
                let low = fix.forced.unwrap_or_else(|| watches.low(state, step));
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

    fn linear_solve(&self, linear: &[Linear], extras: &[Extra]) -> Solution {
        let n = self.plan.n;
        let mut a = vec![0.0; self.plan.nnz];
        let mut rhs = vec![0.0; n];
        let mut parent: Vec<usize> = (0..n).collect();
        fn root(parent: &mut [usize], mut x: usize) -> usize {
            while parent[x] != x {
                parent[x] = parent[parent[x]];
                x = parent[x];
            }
            x
        }
        let union = |parent: &mut Vec<usize>, x: usize, y: usize| {
            let (x, y) = (root(parent, x), root(parent, y));
            if x != y {
                let (low, high) = (x.min(y), x.max(y));
                parent[high] = low;
            }
        };
        let two_pole = |a: &mut Vec<f64>, x: usize, y: usize, g: f64| {
            a[self.at(x, x)] += g;
            a[self.at(y, y)] += g;
            a[self.at(x, y)] -= g;
            a[self.at(y, x)] -= g;
        };
        for ((e, l), stamp) in self.elements.iter().zip(linear).zip(&self.plan.stamps) {
            if !l.on || e.a == e.b && e.b == e.c {
                continue;
            }
            match l.kind {
                LinearKind::TwoPole => {
                    a[stamp[0] as usize] += l.g;
                    a[stamp[1] as usize] += l.g;
                    a[stamp[2] as usize] -= l.g;
                    a[stamp[3] as usize] -= l.g;
                    rhs[e.a] -= l.amps;
                    rhs[e.b] += l.amps;
                    union(&mut parent, e.a, e.b);
                }
                LinearKind::Constant => {
                    rhs[e.a] -= l.amps;
                    rhs[e.b] += l.amps;
                    union(&mut parent, e.a, e.b);
                }
                LinearKind::Regulate => {
                    a[self.at(e.b, e.b)] += l.g;
                    a[self.at(e.b, e.c)] -= l.g;
                    a[self.at(e.a, e.c)] += l.g;
                    a[self.at(e.a, e.b)] -= l.g;
                    rhs[e.b] += l.amps;
                    rhs[e.a] -= l.amps;
                    union(&mut parent, e.a, e.b);
                    union(&mut parent, e.b, e.c);
                }
                LinearKind::Ratio => {
                    let (g, ratio) = (l.g, l.amps);
                    a[self.at(e.b, e.b)] += g;
                    a[self.at(e.b, e.c)] -= g * (1.0 - ratio);
                    a[self.at(e.b, e.a)] -= g * ratio;
                    a[self.at(e.c, e.b)] -= g;
                    a[self.at(e.c, e.c)] += g * (1.0 - ratio);
                    a[self.at(e.c, e.a)] += g * ratio;
                    union(&mut parent, e.b, e.c);
                }
                LinearKind::Pull => {
                    two_pole(&mut a, e.b, e.c, l.g);
                    union(&mut parent, e.b, e.c);
                }
            }
        }
        for extra in extras {
            match *extra {
                Extra::Load(x, y, ohms) => {
                    two_pole(&mut a, x, y, 1.0 / ohms);
                    union(&mut parent, x, y);
                }
                Extra::Inject(x, y, volts, ohms) => {
                    two_pole(&mut a, x, y, 1.0 / ohms);
                    rhs[x] += volts / ohms;
                    rhs[y] -= volts / ohms;
                    union(&mut parent, x, y);
                }
            }
        }
        let island: Vec<usize> = (0..n).map(|i| root(&mut parent, i)).collect();
        for i in 0..n {
            if island[i] == i {
                a[self.at(i, i)] += 1.0;
            }
        }
        let plan = &*self.plan;
        for k in 0..plan.order.len() {
            let below = &plan.below[k];
            let m = below.len();
            let pivot = 1.0 / a[plan.diagonal[k] as usize];
            for (r, (row, _)) in below.iter().enumerate() {
                let p = *row as usize;
                if a[p] == 0.0 {
                    continue;
                }
                let f = a[p] * pivot;
                a[p] = f;
                for ((_, column), target) in below.iter().zip(&plan.targets[k][r * m..(r + 1) * m])
                {
                    a[*target as usize] -= f * a[*column as usize];
                }
            }
        }
        let mut solution = Solution {
            volts: rhs,
            island,
            hiccup: false,
            rounds: 1,
            factors: a,
            conducts: linear.to_vec(),
        };
        let mut volts = std::mem::take(&mut solution.volts);
        self.substitute(&solution.factors, &mut volts);
        solution.volts = volts;
        solution
    }

    fn substitute(&self, a: &[f64], x: &mut [f64]) {
        let plan = &*self.plan;
        for k in 0..plan.order.len() {
            let v = x[plan.order[k]];
            if v != 0.0 {
                for (i, (row, _)) in plan.coupled[k].iter().zip(&plan.below[k]) {
                    x[*i] -= a[*row as usize] * v;
                }
            }
        }
        for k in (0..plan.order.len()).rev() {
            let mut v = x[plan.order[k]];
            for (j, (_, column)) in plan.coupled[k].iter().zip(&plan.below[k]) {
                v -= a[*column as usize] * x[*j];
            }
            x[plan.order[k]] = v / a[plan.diagonal[k] as usize];
        }
    }

    /// Ohms seen between two nodes with all sources at rest and devices held in their present state;
    /// `None` across islands.
    pub fn source_ohms(&self, s: &Solution, a: NodeId, b: NodeId) -> Option<f64> {
        if s.island[a] != s.island[b] {
            return None;
        }
        let mut x = vec![0.0; self.plan.n];
        x[a] += 1.0;
        x[b] -= 1.0;
        self.substitute(&s.factors, &mut x);
        Some((x[a] - x[b]).max(0.0))
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

fn faulted(net: &Netlist, effects: &[Effect]) -> (Vec<Element>, Vec<Fix>) {
    let mut elements = net.elements.clone();
    let mut fixes = vec![HEALTHY; elements.len()];
    for effect in effects {
        match effect {
            Effect::Open(e) => fixes[*e].open = true,
            Effect::Series(e, ohms) => fixes[*e].series_ohms += ohms,
            Effect::Scale(e, factor) => fixes[*e].scale *= factor,
            Effect::Force(e, closed) => fixes[*e].forced = Some(*closed),
            Effect::Ratio(e, ratio) => fixes[*e].stuck_ratio = Some(*ratio),
            Effect::Bridge(a, b, ohms) => {
                elements.push(Element {
                    id: "fault-bridge".into(),
                    a: *a,
                    b: *b,
                    c: *b,
                    part: Part::Resistor { ohms: *ohms },
                    spread: 0.35,
                    plug: None,
                });
                fixes.push(HEALTHY);
            }
        }
    }
    (elements, fixes)
}

impl Plan {
    fn new(n: usize, elements: &[Element], pairs: &[(NodeId, NodeId)]) -> Self {
        let mut adjacent = vec![false; n * n];
        let mut join = |a: usize, b: usize| {
            if a != b {
                adjacent[a * n + b] = true;
                adjacent[b * n + a] = true;
            }
        };
        for e in elements {
            join(e.a, e.b);
            join(e.b, e.c);
            join(e.a, e.c);
        }
        for &(a, b) in pairs {
            join(a, b);
        }
        // Minimum degree elimination, ties by node index so that the order is always the same.
        let mut left: Vec<usize> = (0..n).collect();
        let mut order = Vec::with_capacity(n);
        let mut coupled = Vec::with_capacity(n);
        let mut alive = vec![true; n];
        while !left.is_empty() {
            let (at, &k) = left
                .iter()
                .enumerate()
                .min_by_key(|(_, k)| {
                    let row = &adjacent[**k * n..(**k + 1) * n];
                    (
                        row.iter().zip(&alive).filter(|(c, l)| **c && **l).count(),
                        **k,
                    )
                })
                .expect("not empty");
            left.swap_remove(at);
            left.sort_unstable();
            alive[k] = false;
            let later: Vec<usize> = (0..n)
                .filter(|j| alive[*j] && adjacent[k * n + j])
                .collect();
            for &i in &later {
                for &j in &later {
                    if i != j {
                        adjacent[i * n + j] = true;
                    }
                }
            }
            order.push(k);
            coupled.push(later);
        }
        let mut pos = vec![NONE; n * n];
        let mut nnz = 0;
        for i in 0..n {
            for j in 0..n {
                if i == j || adjacent[i * n + j] {
                    pos[i * n + j] = nnz;
                    nnz += 1;
                }
            }
        }
        let at = |i: usize, j: usize| pos[i * n + j];
        let stamps = elements
            .iter()
            .map(|e| [at(e.a, e.a), at(e.b, e.b), at(e.a, e.b), at(e.b, e.a)])
            .collect();
        let diagonal = order.iter().map(|k| at(*k, *k)).collect();
        let below = order
            .iter()
            .zip(&coupled)
            .map(|(k, later)| later.iter().map(|i| (at(*i, *k), at(*k, *i))).collect())
            .collect();
        let targets = coupled
            .iter()
            .map(|later: &Vec<usize>| {
                later
                    .iter()
                    .flat_map(|i| later.iter().map(move |j| at(*i, *j)))
                    .collect()
            })
            .collect();
        Self {
            n,
            order,
            pos,
            nnz: nnz as usize,
            coupled,
            diagonal,
            below,
            targets,
            stamps,
        }
    }
}
