//! The linear equations of some circuits side by side, G·v = i: put together, factored in the order of the plan, solved.

use super::device::LinearKind;
use super::order::Plan;
use super::search::Search;
use super::{Circuit, Extra};

/// Conductances, place by place of the plan, and currents, node by node; after [`Self::solve`] factors and volts.
pub(super) struct Equations<const L: usize> {
    pub a: Vec<[f64; L]>,
    pub x: Vec<[f64; L]>,
}

impl<const L: usize> Equations<L> {
    /// Of what conducts as the devices stand, with a tie to 0 V in each island.
    pub fn of(circuit: &Circuit, search: &Search<L>, extras: &[Extra]) -> Self {
        let plan = circuit.plan();
        let mut equations = Self {
            a: vec![[0.0; L]; plan.nnz],
            x: vec![[0.0; L]; plan.n],
        };
        for k in 0..plan.ends.len() {
            equations.stamp(circuit, search, k);
        }
        let at = |i: usize, j: usize| circuit.at(i, j);
        let Self { a, x } = &mut equations;
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
        for (lane, islands) in search.islands.iter().enumerate() {
            let roots = islands.iter().flat_map(|i| &i.roots);
            for &root in roots {
                a[at(root, root)][lane] += 1.0;
            }
        }
        equations
    }

    /// An element of every lane.
    fn stamp(&mut self, circuit: &Circuit, search: &Search<L>, k: usize) {
        let plan = circuit.plan();
        let (kinds, g, amps) = (&search.kind[k], &search.g[k], &search.amps[k]);
        if *kinds == [LinearKind::Off; L] {
            return;
        }
        let stamp = plan.stamps[k];
        let [ea, eb, ec] = plan.ends[k];
        if ea == eb && eb == ec {
            return;
        }
        // what is off has no siemens and no amps
        let plain = |kind: &LinearKind| matches!(kind, LinearKind::TwoPole | LinearKind::Off);
        if kinds.iter().all(plain) {
            let mut add = |place: u32, sign: f64| {
                let own = &mut self.a[place as usize];
                for (own, g) in own.iter_mut().zip(g) {
                    *own += sign * g;
                }
            };
            add(stamp[0], 1.0);
            add(stamp[1], 1.0);
            add(stamp[2], -1.0);
            add(stamp[3], -1.0);
            if *amps != [0.0; L] {
                for (own, amps) in self.x[ea].iter_mut().zip(amps) {
                    *own -= amps;
                }
                for (own, amps) in self.x[eb].iter_mut().zip(amps) {
                    *own += amps;
                }
            }
            return;
        }
        let at = |i: usize, j: usize| circuit.at(i, j);
        for lane in 0..L {
            let (g, amps) = (g[lane], amps[lane]);
            let mut add = |p: usize, g: f64| self.a[p][lane] += g;
            let mut drive = |node: usize, amps: f64| self.x[node][lane] += amps;
            match kinds[lane] {
                LinearKind::Off => {}
                LinearKind::TwoPole => {
                    add(stamp[0] as usize, g);
                    add(stamp[1] as usize, g);
                    add(stamp[2] as usize, -g);
                    add(stamp[3] as usize, -g);
                    drive(ea, -amps);
                    drive(eb, amps);
                }
                LinearKind::Constant => {
                    drive(ea, -amps);
                    drive(eb, amps);
                }
                LinearKind::Regulate => {
                    let input = circuit.elements[k].draws();
                    let ground = 1.0 - input;
                    add(at(eb, eb), g);
                    add(at(eb, ec), -g);
                    add(at(ea, ec), input * g);
                    add(at(ea, eb), -input * g);
                    add(at(ec, ec), ground * g);
                    add(at(ec, eb), -ground * g);
                    drive(eb, amps);
                    drive(ea, -input * amps);
                    drive(ec, -ground * amps);
                }
                LinearKind::Ratio => {
                    let ratio = amps;
                    add(at(eb, eb), g);
                    add(at(eb, ec), -g * (1.0 - ratio));
                    add(at(eb, ea), -g * ratio);
                    add(at(ec, eb), -g);
                    add(at(ec, ec), g * (1.0 - ratio));
                    add(at(ec, ea), g * ratio);
                }
                LinearKind::Pull => {
                    add(at(eb, eb), g);
                    add(at(ec, ec), g);
                    add(at(eb, ec), -g);
                    add(at(ec, eb), -g);
                }
            }
        }
    }

    /// Factor, and solve.
    pub fn solve(&mut self, plan: &Plan) {
        let a = &mut self.a;
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
        let Self { a, x } = self;
        substitute(plan, |p| a[p as usize], x, 0..plan.pivots.len());
    }
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
