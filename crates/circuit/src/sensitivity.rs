//! How a reading moves with the value of every element, from the factors that solved it.
//!
//! With G·v = i and a reading y = wᵀv, dy/dp = λᵀ(di/dp − dG/dp·v) where Gᵀλ = w: one substitution with the transposed
//! factors tells the slope of one reading with all elements (the adjoint of a linear network; Director and Rohrer 1969).
//! For the ohms seen between two points, y = wᵀG⁻¹w, v is G⁻¹w and the sources are at rest. Devices stay in the state in
//! which they were found: near a switching point the slope holds on one side only.

use crate::netlist::{NodeId, Part};
use crate::solve::{Circuit, Linear, LinearKind, Plan, Solution, substitute};

/// What a reading weighs of the node voltages.
pub type Weights<'a> = &'a [(NodeId, f64)];

/// What a slope is taken of.
#[derive(Debug, Clone, Copy)]
enum Of<'a> {
    /// Volts of the solved state: sources take part.
    Volts(&'a [f64]),
    /// What an ampere between the tips raises: sources rest.
    Ohms(&'a [[f64; 1]]),
}

impl Of<'_> {
    fn at(self, node: NodeId) -> f64 {
        match self {
            Self::Volts(v) => v[node],
            Self::Ohms(z) => z[node][0],
        }
    }

    fn sources(self) -> f64 {
        match self {
            Self::Volts(_) => 1.0,
            Self::Ohms(_) => 0.0,
        }
    }
}

impl Circuit {
    /// Slopes of a reading in volts, Σ weight·v: for each element that moves it, (element, dy/d ln of its value, dy/d ln of
    /// the ohms that the fault adds to it; dy/d ratio where the fault holds a ratio). Gives what an ampere that is spread as
    /// the weights raises the reading by: between two tips, the ohms of [`Self::source_ohms`].
    pub fn slopes(
        &self,
        s: &Solution,
        weights: Weights<'_>,
        add: &mut impl FnMut(usize, f64, f64),
    ) -> f64 {
        let lambda = self.adjoint(s, weights);
        self.each(s, &lambda, Of::Volts(&s.volts), add);
        weights.iter().map(|(node, w)| w * lambda[*node]).sum()
    }

    /// Slopes of [`Self::amps`] through a two-pole element, as [`Self::slopes`].
    pub fn amp_slopes(&self, s: &Solution, element: usize, add: &mut impl FnMut(usize, f64, f64)) {
        let e = &self.elements[element];
        let l = s.conducts(element);
        if l.kind != LinearKind::TwoPole {
            return;
        }
        self.slopes(s, &[(e.a, l.g), (e.b, -l.g)], add);
        // and what the element itself lets through
        let volts = s.volts[e.a] - s.volts[e.b];
        let added = (self.added_ohms(element) * l.g).min(1.0);
        if matches!(e.part, Part::Resistor { .. } | Part::Switch { .. }) {
            let itself = -l.g * volts;
            add(element, itself * (1.0 - added), itself * added);
        }
    }

    /// Slopes of [`Self::source_ohms`], as [`Self::slopes`]; none across islands.
    pub fn ohm_slopes(
        &self,
        s: &Solution,
        a: NodeId,
        b: NodeId,
        add: &mut impl FnMut(usize, f64, f64),
    ) {
        if s.island[a] != s.island[b] {
            return;
        }
        let mut z = vec![[0.0]; self.plan().n];
        z[a][0] += 1.0;
        z[b][0] -= 1.0;
        let factor = |p: u32| [s.factor(p)];
        substitute(self.plan(), factor, &mut z, 0..self.plan().pivots.len());
        let lambda = self.adjoint(s, &[(a, 1.0), (b, -1.0)]);
        self.each(s, &lambda, Of::Ohms(&z), add);
    }

    /// Solve with the transposed factors.
    fn adjoint(&self, s: &Solution, weights: Weights<'_>) -> Vec<f64> {
        let plan: &Plan = self.plan();
        let mut x = vec![0.0; plan.n];
        for (node, weight) in weights {
            x[*node] += weight;
        }
        for pivot in &plan.pivots {
            let k = pivot.node as usize;
            if x[k] == 0.0 {
                continue;
            }
            x[k] /= s.factor(pivot.diagonal);
            let v = x[k];
            for c in plan.coupled(pivot) {
                x[c.node as usize] -= s.factor(c.column) * v;
            }
        }
        for pivot in plan.pivots.iter().rev() {
            let coupled = plan.coupled(pivot).iter();
            let later: f64 = coupled.map(|c| s.factor(c.row) * x[c.node as usize]).sum();
            x[pivot.node as usize] -= later;
        }
        x
    }

    fn each(
        &self,
        s: &Solution,
        lambda: &[f64],
        of: Of<'_>,
        add: &mut impl FnMut(usize, f64, f64),
    ) {
        for (k, e) in self.elements.iter().enumerate() {
            let Linear { g, amps, kind } = s.conducts(k);
            if kind == LinearKind::Off {
                continue;
            }
            let (across, pull) = (of.at(e.a) - of.at(e.b), lambda[e.a] - lambda[e.b]);
            let (value, series) = match (&e.part, kind) {
                (Part::Resistor { .. } | Part::Switch { .. } | Part::Relay { .. }, _) => {
                    let moved = g * across * pull;
                    // of the ohms that conduct, the fault's own
                    let added = (self.added_ohms(k) * g).min(1.0);
                    (moved * (1.0 - added), moved * added)
                }
                (Part::Source { .. } | Part::Diode { .. }, _) => {
                    let added = (self.added_ohms(k) * g).min(1.0);
                    let through = g * across + amps * of.sources();
                    (-amps * pull * of.sources(), through * pull * added)
                }
                (Part::Regulator { draws, .. }, LinearKind::Regulate) => {
                    let fed = draws * lambda[e.a] + (1.0 - draws) * lambda[e.c];
                    (amps * (lambda[e.b] - fed) * of.sources(), 0.0)
                }
                (Part::Ratio { .. }, _) => {
                    let ratio = amps;
                    let whole = g * (of.at(e.a) - of.at(e.c)) * (lambda[e.b] - lambda[e.c]);
                    (
                        ratio * whole,
                        if self.stuck(k).is_some() { whole } else { 0.0 },
                    )
                }
                (Part::OpenCollector { .. }, _) => {
                    let down = of.at(e.b) - of.at(e.c);
                    (g * down * (lambda[e.b] - lambda[e.c]), 0.0)
                }
                _ => continue,
            };
            if value != 0.0 || series != 0.0 {
                add(k, value, series);
            }
        }
    }
}
