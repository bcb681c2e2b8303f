//! Two faults on one vehicle, when a repair did not end the complaint.
//!
//! What is left then is (a) another fault alone, with all readings so far speaking of it, and (b) a fault of the
//! repaired class, now mended, beside a second fault: readings taken before the repair speak of both. Of two faults the
//! one that moves a reading decides it. Where both do, the likely pairs are solved as one circuit, once per model; for
//! the others the mean of both stands. Of what was told, what is gone came from the mended fault alone, and what shows
//! still comes from the second.

use crate::diagnosis::column::Column;
use crate::diagnosis::evidence::{BY_HAND, Evidence, Item};
use crate::diagnosis::figure::{Figure, MISPROBE, SHOWS};
use crate::diagnosis::filter::Shared;
use crate::diagnosis::forward::Forward;
use crate::diagnosis::hypothesis::{Hypothesis, Suspicion};
use crate::diagnosis::model::{Model, Pairs};
use crate::diagnosis::repertoire::Kind;
use crate::diagnosis::scale::Prediction;
use spannung_circuit::{FaultCase, VehicleState};
use std::collections::{BTreeMap, HashMap};
use std::sync::PoisonError;

/// Log weight of a class whose repair was done twice and did not help.
const TWICE: f64 = 40.0;
/// Two independent faults on one vehicle, against one.
const PAIR: f64 = 0.03;
/// Faults of the repaired class that pairs are opened for, the likeliest.
const PAIRED: usize = 4;
/// Chance that a fault which is not mended stops showing what was told of it.
const GONE: f64 = 0.05;
/// Log-likelihoods closer than this to those of a sound vehicle: the fault does not move this reading.
const STILL: f64 = 0.1;
/// Pairs that are solved as one circuit at the most.
const SOLVED: usize = 256;
/// How far below the likeliest (natural log) a pair may be and still be solved, if it read just what was read: farther
/// off it could not matter, whatever it reads.
const NEAR: f64 = 6.0;

impl Pairs {
    /// Predictions of some pairs at a probe in a state; none for looks.
    fn read(
        &self,
        model: &Model,
        test: usize,
        state: &VehicleState,
        pairs: &[[usize; 2]],
    ) -> Option<Vec<Prediction>> {
        let Kind::Probe(probe) = &model.tests[test].kind else {
            return None;
        };
        let mut known = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let known = known.entry((test, state.clone())).or_default();
        let new = pairs.iter().filter(|p| !known.contains_key(*p));
        let new: Vec<[usize; 2]> = new.copied().collect();
        if !new.is_empty() {
            let forward = Forward::new(
                &model.profile.family,
                &model.net,
                &[(probe.clone(), state.clone())],
            );
            let both = |[r, g]: &[usize; 2]| FaultCase {
                effects: [*r, *g]
                    .iter()
                    .flat_map(|k| model.cases[*k].effects.clone())
                    .collect(),
                ..model.cases[*g].clone()
            };
            let cases: Vec<FaultCase> = new.iter().map(both).collect();
            let solved = forward.cases(&cases.iter().collect::<Vec<_>>(), &forward.healthy(), None);
            let each = new.iter().zip(solved);
            known.extend(each.map(|(pair, (row, _))| (*pair, row[0])));
        }
        Some(pairs.iter().map(|p| known[p]).collect())
    }
}

/// A repair that did not end the complaint.
pub(super) struct Failed<'a> {
    pub model: &'a Model,
    /// Class that was repaired.
    pub class: usize,
    /// It was done before.
    pub again: bool,
    /// Of what was told: does it show still?
    pub still: &'a BTreeMap<String, bool>,
    /// What was found before.
    pub before: &'a [Evidence],
    /// Its log-likelihoods by hypothesis.
    pub items: &'a [Vec<f64>],
    /// What is known of what a vehicle shares before anything is read.
    pub shared: Shared,
}

/// A figure read before the repair.
struct Read<'a> {
    item: usize,
    test: usize,
    state: VehicleState,
    column: &'a Column,
    figure: Figure,
}

impl Read<'_> {
    /// Prediction of a case that moves the reading.
    fn moved(&self, case: usize) -> Option<Prediction> {
        match self.column {
            Column::Figures { readings, .. } => readings.moved(case).copied(),
            Column::Outcomes { .. } => None,
        }
    }

    fn healthy(&self) -> Prediction {
        match self.column {
            Column::Figures { readings, .. } => readings.healthy,
            Column::Outcomes { .. } => Prediction::default(),
        }
    }
}

/// A mended fault beside a second one, by hypothesis.
#[derive(Clone, Copy)]
struct Pair {
    mended: usize,
    second: usize,
    log: f64,
}

impl<'a> Failed<'a> {
    /// Log-likelihood of one item of before under a mended fault and a second one.
    fn both(&self, item: &Item, of_mended: f64, of_second: f64, sound: f64) -> f64 {
        match item {
            // told symptoms add up: a yes is explained by either, a no needs both silent
            Item::Symptom { id, yes: true, .. } => match self.still.get(id) {
                Some(true) => of_second,
                Some(false) => of_mended + (-of_second.exp()).ln_1p().max(GONE.ln()),
                None => of_mended.max(of_second),
            },
            Item::Symptom { .. } => of_mended.min(of_second),
            Item::Test { .. } if (of_mended - sound).abs() < STILL => of_second,
            Item::Test { .. } if (of_second - sound).abs() < STILL => of_mended,
            Item::Test { .. } => ((of_mended.exp() + of_second.exp()) / 2.0).ln(),
            Item::Risk { .. } => of_mended + of_second,
            Item::ByHand { .. } | Item::NotBuilt { .. } | Item::Failed { .. } => of_second,
        }
    }

    fn hypothesis(&self, h: usize) -> &'a Hypothesis {
        &self.model.hypotheses[h]
    }

    fn is_mended(&self, h: usize) -> bool {
        self.hypothesis(h).class == Some(self.class)
    }

    fn sound(&self) -> usize {
        let nothing = |h: &Hypothesis| h.kind == Suspicion::Nothing;
        self.model.hypotheses.iter().position(nothing).unwrap_or(0)
    }

    /// Log-weight to add per hypothesis, given the weights so far.
    pub fn weigh(&self, log: &[f64]) -> Vec<f64> {
        let total: f64 = self.model.hypotheses.iter().map(|h| h.weight).sum();
        let prior = |h: usize| (self.hypothesis(h).weight / total).max(1e-300).ln();
        // all on the scale on which the log of a hypothesis is its prior and its items
        let own: f64 = self.items.iter().map(|i| i[0]).sum();
        let offset = log.first().map_or(0.0, |l| l - own - prior(0));
        // nobody botches the same repair twice
        let down = if self.again { TWICE } else { BY_HAND };
        // one fault that is not mended goes on showing what it showed
        let gone = self.still.values().filter(|yes| !**yes).count() as f64 * GONE.ln();
        let now: Vec<f64> = log.iter().map(|l| l - offset).collect();
        let alone = |h: usize| now[h] + gone - if self.is_mended(h) { down } else { 0.0 };
        let alone: Vec<f64> = (0..log.len()).map(alone).collect();

        let mut mended: Vec<usize> = (0..log.len()).filter(|h| self.is_mended(*h)).collect();
        mended.sort_by(|a, b| log[*b].total_cmp(&log[*a]).then(a.cmp(b)));
        mended.truncate(PAIRED);
        let fault = |h: &usize| {
            let kind = &self.hypothesis(*h).kind;
            !self.is_mended(*h) && matches!(kind, Suspicion::Case(_) | Suspicion::Other)
        };
        let sound = self.sound();
        let joint = |r: usize, g: usize| -> f64 {
            let each = self.before.iter().zip(self.items);
            each.map(|(e, i)| self.both(&e.item, i[r], i[g], i[sound]))
                .sum()
        };
        let mut pairs: Vec<Pair> = Vec::new();
        for second in (0..log.len()).filter(fault) {
            pairs.extend(mended.iter().map(|&mended| Pair {
                mended,
                second,
                log: prior(mended) + prior(second) + PAIR.ln() + joint(mended, second),
            }));
        }
        self.solve(&mut pairs, &alone);

        // from the heaviest down, so that no weight is lost to rounding
        let mut tops = alone.clone();
        for p in &pairs {
            tops[p.second] = tops[p.second].max(p.log);
        }
        let mut sums: Vec<f64> = alone
            .iter()
            .zip(&tops)
            .map(|(l, t)| (l - t).exp())
            .collect();
        for p in &pairs {
            sums[p.second] += (p.log - tops[p.second]).exp();
        }
        let each = tops.iter().zip(&sums).zip(&now);
        each.map(|((top, sum), now)| top + sum.ln() - now).collect()
    }

    /// Put the likely pairs right by what both faults together read.
    fn solve(&self, pairs: &mut [Pair], alone: &[f64]) {
        // a third fault is not looked for
        let repaired = |e: &Evidence| matches!(e.item, Item::Failed { .. });
        if self.before.iter().any(repaired) {
            return;
        }
        let read = self.read();
        let sound = self.sound();
        let known = |h: usize| matches!(self.hypothesis(h).kind, Suspicion::Case(_));
        let mean = |p: &Pair, r: &Read<'_>| {
            let (i, e) = (&self.items[r.item], &self.before[r.item]);
            self.both(&e.item, i[p.mended], i[p.second], i[sound])
        };
        let shared =
            |p: &Pair, r: &Read<'_>| r.moved(p.mended).is_some() && r.moved(p.second).is_some();
        let best = pairs.iter().map(|p| p.log).chain(alone.iter().copied());
        let best = best.fold(f64::MIN, f64::max);
        let mut likely: Vec<(f64, usize)> = Vec::new();
        for (k, p) in pairs.iter().enumerate() {
            if !known(p.mended) || !known(p.second) {
                continue;
            }
            let gain = |r: &Read<'_>| (r.figure.peak().ln() - mean(p, r)).max(0.0);
            let gains: Vec<f64> = read.iter().filter(|r| shared(p, r)).map(gain).collect();
            let at_best = p.log + gains.iter().sum::<f64>();
            if !gains.is_empty() && at_best > best - NEAR {
                likely.push((at_best, k));
            }
        }
        likely.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
        likely.truncate(SOLVED);
        let mut together: HashMap<(usize, [usize; 2]), Prediction> = HashMap::new();
        for r in &read {
            let cases = |(_, k): &(f64, usize)| {
                let p = &pairs[*k];
                shared(p, r).then_some([p.mended, p.second])
            };
            let both: Vec<[usize; 2]> = likely.iter().filter_map(cases).collect();
            if both.is_empty() {
                continue;
            }
            let solved = self.model.pairs.read(self.model, r.test, &r.state, &both);
            for (pair, p) in both.iter().zip(solved.unwrap_or_default()) {
                together.insert((r.item, *pair), p);
            }
        }
        for (_, k) in likely {
            let p = &mut pairs[k];
            let cases = [p.mended, p.second];
            let mut shared = self.shared.clone();
            for r in &read {
                let exact = together.get(&(r.item, cases)).copied();
                let exact = self.exact(r, cases, exact, &mut shared);
                p.log += exact - mean(p, r);
            }
        }
    }

    /// The figures read before.
    fn read(&self) -> Vec<Read<'a>> {
        let rest = VehicleState::default();
        let each = self.before.iter().enumerate();
        let each = each.filter_map(|(item, e)| {
            let Item::Test {
                test,
                answer,
                taken_in,
            } = &e.item
            else {
                return None;
            };
            let (column, state) = match taken_in {
                Some(t) => (&*t.column, t.state.clone()),
                None => (
                    &*self.model.columns[*test],
                    self.model.tests[*test].state.bring(&rest),
                ),
            };
            Some(Read {
                item,
                test: *test,
                state,
                column,
                figure: Figure::of(column, answer)?,
            })
        });
        each.collect()
    }

    /// Log-likelihood of a figure under two cases; `together` is what they read where both move it.
    fn exact(
        &self,
        read: &Read<'_>,
        [r, g]: [usize; 2],
        together: Option<Prediction>,
        shared: &mut Shared,
    ) -> f64 {
        let healthy = read.healthy();
        let (of_r, of_g) = (read.moved(r), read.moved(g));
        let both = together.or(of_r).or(of_g).unwrap_or(healthy);
        let shows = |case: usize, yes: bool| match (self.model.cases[case].intermittent, yes) {
            (true, true) => SHOWS,
            (true, false) => 1.0 - SHOWS,
            (false, yes) => f64::from(yes),
        };
        let undrawn = read.figure.undrawn(self.model.pack_volts());
        let before = shared.clone();
        let mut total =
            shows(r, true) * shows(g, true) * shared.density(&read.figure, &both, undrawn);
        let one_or_none = [
            (shows(r, true) * shows(g, false), of_r),
            (shows(r, false) * shows(g, true), of_g),
            (shows(r, false) * shows(g, false), None),
        ];
        for (chance, p) in one_or_none {
            if chance > 0.0 {
                let p = p.unwrap_or(healthy);
                total += chance * before.clone().density(&read.figure, &p, undrawn);
            }
        }
        let like = (1.0 - MISPROBE) * total + MISPROBE * read.figure.slip();
        like.max(1e-30).ln()
    }
}
