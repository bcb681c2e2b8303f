//! Which known faults are near a repair class: what an unknown fault there may look like.

use crate::diagnosis::hypothesis::{Class, Hypothesis};
use spannung_circuit::FaultCase;
use std::collections::BTreeMap;

/// Kinds of nearness: the class itself, its strand, its segment, the vehicle.
pub(super) const KINDS: usize = 4;
/// Group of what stands on no strand: nothing is near by it.
pub(super) const NOWHERE: usize = 0;

/// Which known faults are near a class, and how near.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Near {
    /// Groups of each case.
    pub(super) cases: Vec<[usize; KINDS]>,
    /// Groups of each class.
    pub(super) classes: Vec<[usize; KINDS]>,
    /// Number of groups.
    pub(super) groups: usize,
}

impl Near {
    /// Groups of a vehicle's cases: a class stands where its first known fault stands.
    pub fn of(cases: &[FaultCase], hypotheses: &[Hypothesis], classes: &[Class]) -> Self {
        let mut index: BTreeMap<(u8, &str), usize> = BTreeMap::new();
        let mut group = |kind: u8, name| {
            let next = index.len() + 1;
            *index.entry((kind, name)).or_insert(next)
        };
        let each = cases.iter().zip(hypotheses).map(|(case, h)| {
            let class = h.class.map_or("", |c| classes[c].id.as_str());
            let strand = case.strand.as_deref();
            [
                group(0, class),
                strand.map_or(NOWHERE, |s| group(1, s)),
                group(2, &case.segment),
                group(3, ""),
            ]
        });
        let near: Vec<[usize; KINDS]> = each.collect();
        let stands = |c: &Class| c.members.first().map_or([0; KINDS], |m| near[*m]);
        Self {
            classes: classes.iter().map(stands).collect(),
            groups: index.len() + 1,
            cases: near,
        }
    }
}
