//! The search for the device states of some circuits that are solved side by side: every device looks at the volts of a round,
//! until none wants another state.

use super::device::{Device, Linear, LinearKind, Sees};
use super::eliminate::Equations;
use super::fixes::HEALTHY;
use super::order::Plan;
use super::{Circuit, Extra, Lane, MAX_FLIPS, MAX_ROUNDS, Moment};
use std::ops::Index;
use std::sync::Arc;

/// What hangs together.
#[derive(Debug, PartialEq)]
pub struct Islands {
    /// By point: the first of its island.
    of: Vec<usize>,
    /// The first of each.
    pub(super) roots: Vec<usize>,
}

impl Islands {
    /// By point, its island.
    pub fn each(&self) -> impl Iterator<Item = usize> {
        self.of.iter().copied()
    }
}

impl Index<usize> for Islands {
    type Output = usize;

    fn index(&self, node: usize) -> &usize {
        &self.of[node]
    }
}

/// How far it is: by element, lane by lane.
pub(super) struct Search<const L: usize> {
    pub g: Vec<[f64; L]>,
    pub amps: Vec<[f64; L]>,
    pub kind: Vec<[LinearKind; L]>,
    pub devices: Vec<[Device; L]>,
    flips: Vec<[u8; L]>,
    /// By lane; none while the elements that conduct are others than they were found for.
    pub islands: [Option<Arc<Islands>>; L],
    pub hiccup: [bool; L],
    pub rounds: [usize; L],
    settled: [bool; L],
}

impl<const L: usize> Search<L> {
    /// Where it begins: switched off, or as the lanes were solved before.
    pub fn begin(lanes: &[Lane<'_>; L], moment: &Moment) -> Self {
        let first = &lanes[0];
        let elements = &first.circuit.elements;
        let mut search = match first.near {
            Some(near) if near.abreast.lanes == L => {
                let before = &near.abreast;
                Self::new(
                    before.g.as_chunks().0.to_vec(),
                    before.amps.as_chunks().0.to_vec(),
                    before.kinds.as_chunks().0.to_vec(),
                    before.devices.as_chunks().0.to_vec(),
                )
            }
            _ => {
                let devices = elements.iter().map(|e| Device::at_first(&e.part));
                let devices: Vec<Device> = devices.collect();
                let linear = |(k, device): (usize, &Device)| {
                    first.circuit.linear(k, *device, moment, first.draw)
                };
                let linear: Vec<Linear> = devices.iter().enumerate().map(linear).collect();
                Self::new(
                    linear.iter().map(|l| [l.g; L]).collect(),
                    linear.iter().map(|l| [l.amps; L]).collect(),
                    linear.iter().map(|l| [l.kind; L]).collect(),
                    devices.iter().map(|d| [*d; L]).collect(),
                )
            }
        };
        for (l, lane) in lanes.iter().enumerate() {
            search.begin_lane(l, lane, first, moment);
        }
        search
    }

    fn new(
        g: Vec<[f64; L]>,
        amps: Vec<[f64; L]>,
        kind: Vec<[LinearKind; L]>,
        devices: Vec<[Device; L]>,
    ) -> Self {
        Self {
            flips: vec![[0; L]; devices.len()],
            g,
            amps,
            kind,
            devices,
            islands: [const { None }; L],
            hiccup: [false; L],
            rounds: [0; L],
            settled: [false; L],
        }
    }

    /// One lane, where the first was put for all: but for what a fault does in either they are alike.
    fn begin_lane(&mut self, l: usize, lane: &Lane<'_>, first: &Lane<'_>, moment: &Moment) {
        let (c, draw) = (lane.circuit, lane.draw);
        match (lane.near, first.near) {
            (None, None) => {
                if l == 0 {
                    return;
                }
                if std::ptr::eq(draw, first.draw) || draw.values == first.draw.values {
                    let touched = c.touched.iter().chain(&first.circuit.touched);
                    for &k in touched {
                        self.put(k, l, c.linear(k, self.devices[k][l], moment, draw));
                    }
                } else {
                    for k in 0..self.devices.len() {
                        self.put(k, l, c.linear(k, self.devices[k][l], moment, draw));
                    }
                }
            }
            (Some(near), Some(other))
                if Arc::ptr_eq(&near.abreast, &other.abreast) && near.lane == l && !near.hiccup =>
            {
                self.islands[l] = Some(Arc::clone(&near.island));
            }
            (near, _) => {
                for k in 0..self.devices.len() {
                    let at_first = || Device::at_first(&c.elements[k].part);
                    let settled = near.filter(|s| !s.hiccup);
                    self.devices[k][l] = settled.map_or_else(at_first, |s| s.device(k));
                    self.put(k, l, c.linear(k, self.devices[k][l], moment, draw));
                }
            }
        }
    }

    fn put(&mut self, k: usize, lane: usize, linear: Linear) {
        self.g[k][lane] = linear.g;
        self.amps[k][lane] = linear.amps;
        self.kind[k][lane] = linear.kind;
    }

    fn linear(&self, k: usize, lane: usize) -> Linear {
        Linear {
            g: self.g[k][lane],
            amps: self.amps[k][lane],
            kind: self.kind[k][lane],
        }
    }

    /// Go on until every lane is settled; factors and volts then.
    pub fn settle(
        &mut self,
        lanes: &[Lane<'_>; L],
        moment: &Moment,
        extras: &[Extra],
    ) -> Equations<L> {
        let circuit = lanes[0].circuit;
        self.join(circuit.plan(), extras);
        let base = Equations::of(circuit, self, extras);
        let mut equations = Equations::default();
        loop {
            equations.with_devices(&base, circuit, self);
            equations.solve(circuit.plan());
            for (l, lane) in lanes.iter().enumerate() {
                if !self.settled[l] {
                    self.look(l, lane, &equations.x, moment);
                }
            }
            if self.settled == [true; L] {
                return equations;
            }
            self.join(circuit.plan(), extras);
        }
    }

    /// Find the islands of the lanes of which they are not known.
    fn join(&mut self, plan: &Plan, extras: &[Extra]) {
        for l in 0..L {
            // a meter may join two
            let met = |islands: &Arc<Islands>| {
                let apart = |extra: &Extra| match *extra {
                    Extra::Load(x, y, _) | Extra::Inject(x, y, _, _) => islands[x] != islands[y],
                };
                extras.iter().any(apart)
            };
            if self.islands[l].as_ref().is_some_and(|known| !met(known)) {
                continue;
            }
            let alike = |other: &usize| self.kind.iter().all(|kind| kind[*other] == kind[l]);
            let beside = (0..l)
                .find(alike)
                .and_then(|other| self.islands[other].clone());
            let anew = || Arc::new(islands(plan, |k| self.kind[k][l], extras));
            self.islands[l] = Some(beside.unwrap_or_else(anew));
        }
    }

    /// Let every device of a lane look at the volts of a round; settled when none wants another state.
    fn look(&mut self, l: usize, lane: &Lane<'_>, x: &[[f64; L]], moment: &Moment) {
        let c = lane.circuit;
        self.rounds[l] += 1;
        let (mut changed, mut joins) = (false, true);
        let islands = self.islands[l].take().expect("known");
        let sees = Sees {
            volts: |node: usize| x[node][l],
            island: &islands.of,
        };
        for &k in &c.plan().active {
            if self.flips[k][l] > MAX_FLIPS {
                continue;
            }
            let before = (self.devices[k][l], self.linear(k, l));
            let next = c.next(k, before, &sees, moment, lane.draw);
            if next == before.0 {
                continue;
            }
            changed = true;
            self.flips[k][l] += 1;
            self.devices[k][l] = next;
            if self.flips[k][l] > MAX_FLIPS {
                self.devices[k][l] = Device::Off;
                self.hiccup[l] = true;
            }
            let linear = c.linear(k, self.devices[k][l], moment, lane.draw);
            joins &= linear.kind == before.1.kind;
            self.put(k, l, linear);
        }
        self.hiccup[l] |= self.rounds[l] >= MAX_ROUNDS;
        self.settled[l] = !changed || self.rounds[l] >= MAX_ROUNDS;
        if self.settled[l] || joins {
            self.islands[l] = Some(islands);
        }
    }
}

impl Circuit {
    /// The elements that its fault touches.
    pub(super) fn touched(fixes: &[super::fixes::Fix]) -> Vec<usize> {
        let each = fixes.iter().enumerate();
        let touched = each.filter(|(_, fix)| **fix != HEALTHY);
        touched.map(|(k, _)| k).collect()
    }
}

/// Islands of the nodes: those that conducting elements join.
fn islands(plan: &Plan, kind: impl Fn(usize) -> LinearKind, extras: &[Extra]) -> Islands {
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
    let mut of: Vec<usize> = (0..plan.n).collect();
    for (k, &[a, b, c]) in plan.ends.iter().enumerate() {
        match kind(k) {
            LinearKind::Off => {}
            LinearKind::TwoPole | LinearKind::Constant => union(&mut of, a, b),
            LinearKind::Regulate => {
                union(&mut of, a, b);
                union(&mut of, b, c);
            }
            LinearKind::Ratio | LinearKind::Pull => union(&mut of, b, c),
        }
    }
    for extra in extras {
        match *extra {
            Extra::Load(x, y, _) | Extra::Inject(x, y, _, _) => union(&mut of, x, y),
        }
    }
    for i in 0..of.len() {
        of[i] = root(&mut of, i);
    }
    let roots = (0..of.len()).filter(|i| of[*i] == *i).collect();
    Islands { of, roots }
}
