//! The suspects with their shares, and what the rest of the job will take.

use super::Weighed;
use crate::diagnosis::choose;
use crate::diagnosis::evidence::Item;
use crate::diagnosis::explain;
use crate::diagnosis::hypothesis::Suspicion;
use crate::job::view::{FaultShare, Reason, SegmentShare, Suspect};

/// Share of a segment's faults that readings would have shown, from which the segment counts as measured.
const MEASURED: f64 = 0.5;

/// Share of a class in one of two drives from which it is called by it.
const MOSTLY: f64 = 0.75;

impl Weighed<'_> {
    /// Segments that were measured: readings and looks at one place taken so far would have shown at least half of what
    /// breaks there, by its frequency. What shows when it is switched on is no measurement: it makes much unlikely at once.
    fn looked_at(&self, weights: &[f64]) -> Vec<bool> {
        let m = self.model;
        let taken: Vec<usize> = self
            .evidence
            .iter()
            .filter_map(|e| match &e.item {
                Item::Test { test, .. } if m.tests[*test].first_minute.is_none() => Some(*test),
                _ => None,
            })
            .collect();
        let segments = &m.profile.family.segments;
        let mut shown = vec![0.0; segments.len()];
        for (k, h) in m.hypotheses.iter().enumerate() {
            let Suspicion::Case(case) = &h.kind else {
                continue;
            };
            let place = segments.iter().position(|s| s.id == m.cases[*case].segment);
            if let Some(place) = place
                && taken.iter().any(|t| choose::moves(m, k, *t))
            {
                shown[place] += h.weight;
            }
        }
        let enough = |(shown, all): (&f64, &f64)| *all > 0.0 && shown / all >= MEASURED;
        shown.iter().zip(weights).map(enough).collect()
    }

    /// On a vehicle with two drives, the one that most of a class lies in: the same act at another place.
    fn which_drive(&self, members: &[usize]) -> &'static str {
        let m = self.model;
        if !m.profile.family.has("second-drive") {
            return "";
        }
        let mut of = [0.0; 3];
        for h in members {
            let share = self.belief.shares[*h];
            let side = match &m.hypotheses[*h].kind {
                Suspicion::Case(k) => m.side_of(*k),
                _ => None,
            };
            of[side.map_or(2, usize::from)] += share;
        }
        let all: f64 = of.iter().sum();
        match of.map(|share| share >= MOSTLY * all) {
            [true, ..] => ", first drive",
            [_, true, _] => ", second drive",
            _ => "",
        }
    }

    #[allow(clippy::type_complexity)]
    pub(super) fn suspects(&self, shares: &[f64]) -> (Vec<Suspect>, u32, u32, Vec<SegmentShare>) {
        let m = self.model;
        let (nothing, outside) = self.belief.others(m);
        let family = &m.profile.family;
        let mut by_segment = vec![0.0; family.segments.len()];
        let mut before = vec![0.0; family.segments.len()];
        let place = |segment: &str| family.segments.iter().position(|s| s.id == segment);
        for (h, p) in m.hypotheses.iter().zip(&self.belief.shares) {
            let segment = match &h.kind {
                Suspicion::Case(k) => &m.cases[*k].segment,
                Suspicion::Other => &m.classes[h.class.unwrap_or(0)].segment,
                _ => continue,
            };
            if let Some(k) = place(segment) {
                by_segment[k] += p;
                before[k] += h.weight;
            }
        }
        let mut all = by_segment.clone();
        all.push(self.belief.built(m));
        all.push(nothing);
        all.push(outside);
        let percents = round_to_100(&all);
        let tested = self.job.taken.iter().any(|t| !t.voided);
        let looked_at = self.looked_at(&before);
        let segments = family
            .segments
            .iter()
            .enumerate()
            .map(|(k, s)| SegmentShare {
                id: s.id.clone(),
                name: s.name.clone(),
                share: by_segment[k],
                percent: percents[k],
                status: if by_segment[k] >= 0.02 {
                    "suspected"
                } else if tested && by_segment[k] < before[k] * 0.5 {
                    if looked_at[k] { "cleared" } else { "unlikely" }
                } else {
                    "unlooked"
                }
                .into(),
            })
            .collect();
        let mut order: Vec<usize> = (0..shares.len()).collect();
        order.sort_by(|a, b| shares[*b].total_cmp(&shares[*a]).then(a.cmp(b)));
        let trail = &self.belief.trail;
        let last = if trail.len() >= 2 {
            &trail[trail.len() - 2]
        } else {
            &trail[0]
        };
        let list = order
            .iter()
            .take_while(|c| shares[**c] >= 0.005)
            .take(12)
            .enumerate()
            .map(|(k, &c)| {
                let class = &m.classes[c];
                let reasons = explain::reasons(m, &self.belief, c);
                let reason = reasons.iter().find(|r| r.1 > 0.0).map_or_else(
                    || "Common, nothing speaks against it".into(),
                    |r| self.item_name(r.0),
                );
                let total = shares[c].max(1e-12);
                let mut faults: Vec<FaultShare> = class
                    .members
                    .iter()
                    .map(|h| FaultShare {
                        name: m.cases[*h].name.clone(),
                        share: self.belief.shares[*h] / total,
                    })
                    .collect();
                // the levels of one fault are one line
                faults.sort_by(|a, b| a.name.cmp(&b.name));
                faults.dedup_by(|a, b| {
                    let same = a.name == b.name;
                    if same {
                        b.share += a.share;
                    }
                    same
                });
                faults.sort_by(|a, b| b.share.total_cmp(&a.share));
                faults.truncate(4);
                Suspect {
                    rank: k + 1,
                    class: class.id.clone(),
                    name: format!("{}{}", class.name, self.which_drive(&class.members)),
                    act: class.act.clone(),
                    share: shares[c],
                    percent: (shares[c] * 100.0).round() as u32,
                    reason,
                    change: ((shares[c] - last[c]) * 100.0).round() as i32,
                    minutes: class.minutes,
                    band: class.band.clone(),
                    by_hand: self.job.by_hand.get(&class.id).map(|b| b.out),
                    faults,
                    reasons: reasons
                        .iter()
                        .take(6)
                        .map(|(i, w)| Reason {
                            text: self.item_name(*i),
                            weight: *w,
                        })
                        .collect(),
                }
            })
            .collect();
        (
            list,
            percents[percents.len() - 2],
            percents[percents.len() - 1],
            segments,
        )
    }

    /// Price of the parts still to come, cents without tax: 10 %, likely, 90 %, over what the suspects
    /// would need by their price band.
    pub fn parts_to_go(&self, bands: &crate::desks::money::Bands) -> [i64; 3] {
        let shares = self.belief.classes(self.model);
        let mut priced: Vec<(i64, f64)> = self
            .model
            .classes
            .iter()
            .zip(&shares)
            .map(|(c, p)| (bands.get(&c.band).copied().unwrap_or(0), *p))
            .collect();
        priced.sort_by_key(|p| p.0);
        let total: f64 = priced.iter().map(|p| p.1).sum();
        [0.1, 0.5, 0.9].map(|q| {
            let mut sum = 0.0;
            let found = priced.iter().find(|(_, p)| {
                sum += p;
                sum >= q * total
            });
            found.map_or(0, |f| f.0)
        })
    }
}

/// Whole per cent that add up to 100 (largest remainders; ties to the earlier).
pub fn round_to_100(shares: &[f64]) -> Vec<u32> {
    let sum: f64 = shares.iter().sum();
    if sum <= 0.0 {
        return vec![0; shares.len()];
    }
    let exact: Vec<f64> = shares.iter().map(|s| s / sum * 100.0).collect();
    let mut out: Vec<u32> = exact.iter().map(|e| e.floor() as u32).collect();
    let missing = 100usize.saturating_sub(out.iter().sum::<u32>() as usize);
    let mut order: Vec<usize> = (0..shares.len()).collect();
    order.sort_by(|a, b| {
        (exact[*b] - exact[*b].floor())
            .total_cmp(&(exact[*a] - exact[*a].floor()))
            .then(a.cmp(b))
    });
    for k in order.into_iter().take(missing) {
        out[k] += 1;
    }
    out
}

#[cfg(test)]
mod tests {
    use super::round_to_100;

    #[test]
    fn percents_add_up() {
        for shares in [
            vec![1.0 / 3.0; 3],
            vec![0.005; 200],
            vec![0.999, 0.001],
            vec![0.146, 0.274, 0.58],
        ] {
            assert_eq!(round_to_100(&shares).iter().sum::<u32>(), 100);
        }
    }
}
