//! The order in which nodes are eliminated, worked out once per netlist: places of the factors, and of everything that
//! the solver looks up.

use crate::netlist::{Element, NodeId, Part};

/// No place.
pub(crate) const NONE: u32 = u32::MAX;

/// The elimination order and the pattern of the factors; shared by circuits that differ only in
/// values.
#[derive(Debug)]
pub(crate) struct Plan {
    pub(crate) n: usize,
    pub(crate) pivots: Vec<Pivot>,
    /// place of each node in the order
    pub(crate) place: Vec<u32>,
    /// points of each element
    pub(crate) ends: Vec<[usize; 3]>,
    /// elements whose device state is searched for
    pub(crate) active: Vec<usize>,
    /// position in the value array of (row, column), `NONE` where zero.
    pub(crate) pos: Vec<u32>,
    pub(crate) nnz: usize,
    /// of all pivots one after the other: what each is coupled to
    coupled: Vec<Coupled>,
    /// of all pivots one after the other, row-major over the later nodes of each: positions (row, column)
    pub(crate) targets: Vec<u32>,
    /// for each element: positions (a,a) (b,b) (a,b) (b,a)
    pub(crate) stamps: Vec<[u32; 4]>,
}

/// One step of the elimination.
#[derive(Debug)]
pub(crate) struct Pivot {
    pub(crate) node: u32,
    /// position of its diagonal
    pub(crate) diagonal: u32,
    /// place of the first later node coupled to it, `NONE` at a root
    pub(crate) parent: u32,
    /// where its part of `coupled` begins, and how long it is
    start: u32,
    count: u32,
    /// where its part of `targets` begins
    pub(crate) targets: u32,
}

/// A later node coupled to a pivot, with the positions (node, pivot) and (pivot, node).
#[derive(Debug)]
pub(crate) struct Coupled {
    pub(crate) node: u32,
    pub(crate) row: u32,
    pub(crate) column: u32,
}

impl Plan {
    pub(crate) fn coupled(&self, pivot: &Pivot) -> &[Coupled] {
        &self.coupled[pivot.start as usize..(pivot.start + pivot.count) as usize]
    }
}

impl Plan {
    pub(crate) fn new(n: usize, elements: &[Element], pairs: &[(NodeId, NodeId)]) -> Self {
        // neighbours as bits, so that counting them is cheap: a bridging fault asks for an order of its own
        let words = n.div_ceil(64);
        let mut adjacent = vec![0u64; n * words];
        let mut join = |a: usize, b: usize| {
            if a != b {
                adjacent[a * words + b / 64] |= 1 << (b % 64);
                adjacent[b * words + a / 64] |= 1 << (a % 64);
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
        let mut alive = vec![0u64; words];
        for k in 0..n {
            alive[k / 64] |= 1 << (k % 64);
        }
        let mut pattern = adjacent.clone();
        let mut order: Vec<usize> = Vec::with_capacity(n);
        let mut later: Vec<Vec<usize>> = Vec::with_capacity(n);
        let mut left: Vec<usize> = (0..n).collect();
        while !left.is_empty() {
            let degree = |k: usize| -> u32 {
                let row = &pattern[k * words..(k + 1) * words];
                row.iter()
                    .zip(&alive)
                    .map(|(x, l)| (x & l).count_ones())
                    .sum()
            };
            let (at, k) = left
                .iter()
                .copied()
                .enumerate()
                .min_by_key(|(_, k)| (degree(*k), *k))
                .expect("not empty");
            left.remove(at);
            alive[k / 64] &= !(1 << (k % 64));
            let row: Vec<u64> = (0..words)
                .map(|w| pattern[k * words + w] & alive[w])
                .collect();
            let coupled: Vec<usize> = (0..n)
                .filter(|j| row[j / 64] >> (j % 64) & 1 == 1)
                .collect();
            for &i in &coupled {
                for (w, bits) in row.iter().enumerate() {
                    pattern[i * words + w] |= bits;
                }
                pattern[i * words + i / 64] &= !(1 << (i % 64));
            }
            order.push(k);
            later.push(coupled);
        }
        let mut pos = vec![NONE; n * n];
        let mut nnz = 0;
        for i in 0..n {
            for j in 0..n {
                if i == j || pattern[i * words + j / 64] >> (j % 64) & 1 == 1 {
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
        let mut place = vec![NONE; n];
        for (k, node) in order.iter().enumerate() {
            place[*node] = k as u32;
        }
        let passive = |e: &Element| {
            matches!(
                e.part,
                Part::Resistor { .. } | Part::Source { .. } | Part::Switch { .. }
            )
        };
        let active = (0..elements.len()).filter(|k| !passive(&elements[*k]));
        let active = active.collect();
        let mut plan = Self {
            n,
            pivots: Vec::with_capacity(n),
            ends: elements.iter().map(|e| [e.a, e.b, e.c]).collect(),
            active,
            nnz: nnz as usize,
            coupled: Vec::new(),
            targets: Vec::new(),
            stamps,
            place: Vec::new(),
            pos: Vec::new(),
        };
        for (&k, later) in order.iter().zip(&later) {
            plan.pivots.push(Pivot {
                node: k as u32,
                diagonal: at(k, k),
                parent: later.iter().map(|i| place[*i]).min().unwrap_or(NONE),
                start: plan.coupled.len() as u32,
                count: later.len() as u32,
                targets: plan.targets.len() as u32,
            });
            for &i in later {
                plan.coupled.push(Coupled {
                    node: i as u32,
                    row: at(i, k),
                    column: at(k, i),
                });
                plan.targets.extend(later.iter().map(|j| at(i, *j)));
            }
        }
        Self { place, pos, ..plan }
    }
}
