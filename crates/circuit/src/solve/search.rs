//! The search for the device states of some circuits that are solved side by side: every device looks at the volts of a round,
//! until none wants another state.

use super::device::{Device, Linear, LinearKind, Sees};
use super::eliminate::Equations;
use super::order::Plan;
use super::{Extra, Lane, MAX_FLIPS, MAX_ROUNDS, Moment};
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
        loop {
            let mut equations = Equations::of(circuit, self, extras);
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
        // a meter may join two
        let met = |islands: &Arc<Islands>| {
            let apart = |extra: &Extra| match *extra {
                Extra::Load(x, y, _) | Extra::Inject(x, y, _, _) => islands[x] != islands[y],
            };
            extras.iter().any(apart)
        };
        let known = self.islands.each_ref();
        let known = known.map(|known| known.as_ref().is_some_and(|known| !met(known)));
        if known == [true; L] {
            return;
        }
        // what conducts in every lane is joined once for all
        let mut all = Joined::new(plan.n);
        let mut others = Vec::new();
        for (k, kinds) in self.kind.iter().enumerate() {
            if *kinds == [kinds[0]; L] {
                all.element(plan.ends[k], kinds[0]);
            } else {
                others.push(k);
            }
        }
        for extra in extras {
            match *extra {
                Extra::Load(x, y, _) | Extra::Inject(x, y, _, _) => all.union(x, y),
            }
        }
        for l in (0..L).filter(|l| !known[*l]) {
            let alike = |other: &usize| {
                let mut each = others.iter().map(|k| &self.kind[*k]);
                each.all(|kinds| kinds[*other] == kinds[l])
            };
            let beside = (0..l)
                .find(alike)
                .and_then(|other| self.islands[other].clone());
            let anew = || {
                let mut joined = all.clone();
                for &k in &others {
                    joined.element(plan.ends[k], self.kind[k][l]);
                }
                Arc::new(joined.islands())
            };
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

/// Points that conducting elements join: each names one of its island with a lower number, the lowest itself.
#[derive(Clone)]
struct Joined(Vec<usize>);

impl Joined {
    fn new(points: usize) -> Self {
        Self((0..points).collect())
    }

    fn root(&mut self, mut x: usize) -> usize {
        let parent = &mut self.0;
        while parent[x] != x {
            parent[x] = parent[parent[x]];
            x = parent[x];
        }
        x
    }

    fn union(&mut self, x: usize, y: usize) {
        let (x, y) = (self.root(x), self.root(y));
        if x != y {
            self.0[x.max(y)] = x.min(y);
        }
    }

    fn element(&mut self, [a, b, c]: [usize; 3], kind: LinearKind) {
        match kind {
            LinearKind::Off => {}
            LinearKind::TwoPole | LinearKind::Constant => self.union(a, b),
            LinearKind::Regulate => {
                self.union(a, b);
                self.union(b, c);
            }
            LinearKind::Ratio | LinearKind::Pull => self.union(b, c),
        }
    }

    fn islands(mut self) -> Islands {
        for i in 0..self.0.len() {
            self.0[i] = self.root(i);
        }
        let of = self.0;
        let roots = (0..of.len()).filter(|i| of[*i] == *i).collect();
        Islands { of, roots }
    }
}
