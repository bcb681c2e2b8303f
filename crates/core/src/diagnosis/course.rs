//! Evidence → likelihood → shares, item after item.
//!
//! Every hypothesis filters what the vehicle shares, what each net has for itself and which nets are not as drawn
//! ([`filter`](super::filter)); how faults read that the catalogue does not hold is [`unknown`](super::unknown)'s, what is
//! left after a repair that did not help [`pairs`](super::pairs)'. A course keeps all of it, so that the next reading is
//! taken in from where the last one ended.

use crate::catalogue::fnv;
use crate::diagnosis::belief::{Belief, WayHeld, class_shares};
use crate::diagnosis::chosen::Chosen;
use crate::diagnosis::column::Column;
use crate::diagnosis::evidence::{Answer, BY_HAND, Evidence, Item, TakenIn, answers_of};
use crate::diagnosis::figure::{Figure, MISPROBE, SHOWS};
use crate::diagnosis::filter::{Filter, Reading, Shared};
use crate::diagnosis::hypothesis::{Hypothesis, Suspicion};
use crate::diagnosis::model::{Model, Rate};
use crate::diagnosis::nets::{Place, UNDRAWN};
use crate::diagnosis::pairs::Failed;
use crate::diagnosis::signs::SHOWS_OTHERWISE;
use crate::diagnosis::unknown::Unknown;
use spannung_circuit::FaultCase;
use std::collections::BTreeMap;

fn normalise(log: &[f64]) -> Vec<f64> {
    let top = log.iter().copied().fold(f64::MIN, f64::max);
    let raw: Vec<f64> = log.iter().map(|l| (l - top).exp()).collect();
    let sum: f64 = raw.iter().sum();
    raw.iter().map(|r| r / sum).collect()
}

/// What is known of the vehicle under each case, and with nothing wrong. A case that reads as a sound vehicle at all that
/// was read so far has none of its own.
#[derive(Debug, Clone)]
struct Filters {
    cases: Vec<Option<Box<Filter>>>,
    healthy: Filter,
}

impl Filters {
    fn new(model: &Model) -> Self {
        Self {
            cases: vec![None; model.cases.len()],
            healthy: Filter::new(&model.variances, &model.nets.undrawn),
        }
    }

    /// After a repair.
    fn anew(&mut self, model: &Model) {
        let own = self.cases.iter_mut().flatten().map(AsMut::as_mut);
        own.chain([&mut self.healthy])
            .for_each(|f| f.anew(&model.variances));
    }
}

/// The evidence of a job as it comes, and what is believed after it.
#[derive(Debug, Clone)]
pub struct Course {
    evidence: Vec<Evidence>,
    belief: Belief,
    /// Log weight of each hypothesis.
    log: Vec<f64>,
    filters: Filters,
    /// Per item, what it is worth out of the blue.
    floors: Vec<f64>,
    /// Per class, how often it was repaired.
    mended: Vec<u32>,
    /// Controls that the last look found standing wrong, with what it saw: they are looked at once more before they are put
    /// right, which is when something else is done.
    found: BTreeMap<usize, usize>,
    /// Hypotheses of controls that stood wrong, were found so and put right: what comes after is read without them.
    righted: Vec<bool>,
    chosen: Chosen,
    sound: usize,
}

impl Course {
    /// Nothing told yet.
    pub fn new(model: &Model) -> Self {
        let weight = |h: &Hypothesis| h.weight.max(1e-300).ln();
        let log: Vec<f64> = model.hypotheses.iter().map(weight).collect();
        let shares = normalise(&log);
        let nothing = |h: &Hypothesis| h.kind == Suspicion::Nothing;
        Self {
            evidence: Vec::new(),
            belief: Belief {
                trail: vec![class_shares(model, &shares)],
                shares,
                items: Vec::new(),
                unexplained: Vec::new(),
                unknown: Unknown::new(model),
                chosen: Vec::new(),
                ways: Vec::new(),
            },
            filters: Filters::new(model),
            floors: Vec::new(),
            mended: vec![0; model.classes.len()],
            found: BTreeMap::new(),
            righted: vec![false; log.len()],
            chosen: Chosen::new(model),
            sound: model.hypotheses.iter().position(nothing).unwrap_or(0),
            log,
        }
    }

    /// Number of items taken in.
    pub fn len(&self) -> usize {
        self.evidence.len()
    }

    /// Was nothing taken in yet?
    pub fn is_empty(&self) -> bool {
        self.evidence.is_empty()
    }

    /// Is what was taken in the beginning of some evidence?
    pub fn is_before(&self, evidence: &[Evidence]) -> bool {
        evidence.starts_with(&self.evidence)
    }

    /// About how many bytes it takes up.
    pub fn bytes(&self) -> usize {
        let own = self.filters.cases.iter().flatten().count() * self.filters.healthy.bytes();
        own + self.belief.items.len() * self.log.len() * size_of::<f64>()
    }

    /// What is believed after some evidence. What begins like the evidence before goes on from there; anything else
    /// begins anew.
    pub fn after(&mut self, model: &Model, evidence: &[Evidence]) -> &Belief {
        if !self.is_before(evidence) {
            *self = Self::new(model);
        }
        for e in &evidence[self.evidence.len()..] {
            self.take(model, e);
        }
        let below = |(item, floor): (&Vec<f64>, &f64)| -> f64 {
            let each = item.iter().zip(&self.belief.shares);
            let out_of_the_blue = each.filter(|(l, _)| l.exp() <= *floor);
            out_of_the_blue.map(|(_, p)| p).sum()
        };
        let unexplained = self.belief.items.iter().zip(&self.floors).map(below);
        self.belief.unexplained = unexplained.collect();
        let (chosen, explained) = self.chosen.on_a_sound_one();
        for k in explained {
            self.belief.unexplained[k] = 0.0;
        }
        self.belief.chosen = chosen;
        self.belief.ways = self.ways(model);
        &self.belief
    }

    /// What was repaired, or put right, shows and reads as sound from then on, unless the repair was botched.
    fn mend(&self, model: &Model, like: &[f64]) -> Vec<f64> {
        let sound = like[self.sound];
        let now = |(k, l): (usize, &f64)| match model.hypotheses[k].class {
            Some(c) if self.mended[c] == 1 => BOTCHED * l + (1.0 - BOTCHED) * sound,
            Some(c) if self.mended[c] > 1 => sound,
            _ if self.righted[k] => sound,
            _ => *l,
        };
        let each = like.iter().enumerate().map(now);
        each.map(|l| l.max(1e-30).ln()).collect()
    }

    /// The share of each way to build the vehicle: with nothing to repair, and beside the faults.
    fn ways(&self, model: &Model) -> Vec<WayHeld> {
        let mut faults = vec![0.0; model.cases.len()];
        let mut alone = vec![0.0; model.cases.len()];
        for (h, share) in model.hypotheses.iter().zip(&self.belief.shares) {
            match h.kind {
                Suspicion::Case(k) => faults[k] = *share,
                Suspicion::Built(k) => alone[k] = *share,
                _ => {}
            }
        }
        let beside: BTreeMap<usize, f64> = self.chosen.ways(&faults).into_iter().collect();
        let first = model.cases.len() - model.ways.len();
        (first..model.cases.len())
            .map(|case| WayHeld {
                case,
                alone: alone[case],
                beside: beside.get(&case).copied().unwrap_or(0.0),
            })
            .collect()
    }

    fn take(&mut self, model: &Model, e: &Evidence) {
        let n = model.hypotheses.len();
        let mut floor = 0.0;
        let item: Vec<f64> = match &e.item {
            Item::Symptom { id, yes, customer } => {
                let like = symptom(model, id, *yes, *customer, &mut self.belief.unknown);
                self.mend(model, &like)
            }
            Item::Risk { id, yes } => risk(model, id, *yes, &mut self.belief.unknown),
            Item::NotBuilt { case } => {
                let beside = self.chosen.rule_out(*case);
                let each = model.hypotheses.iter();
                each.map(|h| match h.kind {
                    Suspicion::Built(k) if k == *case => -LOOKED_AT,
                    Suspicion::Case(k) => beside[k],
                    _ => 0.0,
                })
                .collect()
            }
            Item::ByHand { class, out } => (0..n)
                .map(|h| {
                    let mine = model.hypotheses[h].class == Some(*class);
                    if mine == *out { -BY_HAND } else { 0.0 }
                })
                .collect(),
            Item::Failed { class, still } => {
                self.put_right(model);
                self.mended[*class] += 1;
                // charged for the repair, or ridden to try it: the pack's charge is not known any more
                self.filters.anew(model);
                let failed = Failed {
                    model,
                    class: *class,
                    again: self.mended[*class] > 1,
                    still,
                    before: &self.evidence,
                    items: &self.belief.items,
                    shared: Shared::new(&model.variances),
                };
                failed.weigh(&self.log)
            }
            Item::Test {
                test,
                answer,
                taken_in,
            } => {
                let at = At::of(model, self.evidence.len(), *test, taken_in.as_ref());
                let mut learns = Learns {
                    filters: &mut self.filters,
                    chosen: &mut self.chosen,
                    unknown: &mut self.belief.unknown,
                };
                let (like, dust) = match answer {
                    Answer::Outcome(k, place) => {
                        let earlier = looks_before(&self.evidence, *test);
                        let seen = (*k, *place);
                        (
                            look_likelihood(model, &at, seen, &earlier, &mut learns),
                            0.0,
                        )
                    }
                    _ => figure_likelihood(model, &at, answer, &mut learns),
                };
                floor = dust;
                if model.tests[*test].control {
                    self.find(model, *test, answer);
                } else {
                    self.put_right(model);
                }
                self.mend(model, &like)
            }
        };
        for (l, i) in self.log.iter_mut().zip(&item) {
            *l += i;
        }
        self.belief.shares = normalise(&self.log);
        let classes = class_shares(model, &self.belief.shares);
        self.belief.trail.push(classes);
        self.belief.items.push(item);
        self.floors.push(floor);
        self.evidence.push(e.clone());
    }

    /// What a look at a control found.
    fn find(&mut self, model: &Model, test: usize, answer: &Answer) {
        match answer {
            Answer::Outcome(k, _) if stands_wrong(model, test, *k) => self.found.insert(test, *k),
            _ => self.found.remove(&test),
        };
    }

    /// What was found standing wrong is put right: that it works from then on speaks for it.
    fn put_right(&mut self, model: &Model) {
        for (test, k) in std::mem::take(&mut self.found) {
            let Column::Outcomes { cases, .. } = &*model.columns[test] else {
                continue;
            };
            for (h, righted) in model.hypotheses.iter().zip(&mut self.righted) {
                if let Suspicion::Case(case) = h.kind {
                    *righted |= cases[case][k] > STOOD_WRONG;
                }
            }
        }
    }
}

/// Does this answer to a look say that a control stands as it hardly ever does on a sound vehicle?
pub(super) fn stands_wrong(model: &Model, test: usize, answer: usize) -> bool {
    let Column::Outcomes { healthy, .. } = &*model.columns[test] else {
        return false;
    };
    model.tests[test].control && healthy.get(answer).is_some_and(|p| *p <= STOOD_WRONG)
}

/// A control test whose answer a case gives more often than this is about that case; one that a sound vehicle gives less often
/// says that it stands wrong.
const STOOD_WRONG: f64 = 0.5;
/// Log weight of a way to build the vehicle that somebody looked for and did not find.
const LOOKED_AT: f64 = 14.0;
/// Repairs that leave the fault as it was.
const BOTCHED: f64 = 0.02;
fn symptom(model: &Model, id: &str, yes: bool, customer: bool, unknown: &mut Unknown) -> Vec<f64> {
    let Some(column) = model.symptoms.get(id) else {
        return vec![1.0; model.hypotheses.len()];
    };
    let Rate {
        base,
        leak,
        reliability,
    } = model.symptom_base[id];
    let r = if customer { reliability } else { 0.97 };
    let told = |p: f64| {
        let p = r * p + (1.0 - r) * leak;
        if yes { p } else { 1.0 - p }
    };
    let cases: Vec<f64> = column.iter().map(|p| told(*p)).collect();
    unknown.read(model, &cases, told(base), None)
}

fn risk(model: &Model, id: &str, yes: bool, unknown: &mut Unknown) -> Vec<f64> {
    let rate = model.risk_rate.get(id).copied().unwrap_or(0.0);
    let of = |case: usize| {
        let k = model.risk[case].get(id).copied().unwrap_or(1.0);
        let base = 1.0 + rate * (k - 1.0);
        if yes { k / base } else { 1.0 / base }
    };
    let cases: Vec<f64> = (0..model.cases.len()).map(of).collect();
    let like = unknown.read(model, &cases, 1.0, None);
    like.iter().map(|l| l.ln()).collect()
}

/// What a look showed, and where.
type Seen = (usize, Option<usize>);

/// What a look showed before, since something was last mended.
fn looks_before(evidence: &[Evidence], test: usize) -> Vec<Seen> {
    let seen = answers_of(evidence, test).filter_map(|answer| match answer {
        Answer::Outcome(k, place) => Some((*k, *place)),
        _ => None,
    });
    seen.collect()
}

/// Likelihood of an answer to a look, given the answers before: as what is there is seen, each time anew; or the sign shows so
/// on this vehicle at every look. A row holds both.
fn look(row: &[f64], answer: usize, earlier: &[Seen]) -> f64 {
    let any = SHOWS_OTHERWISE / row.len() as f64;
    let Some((first, _)) = earlier.first() else {
        return row[answer];
    };
    let seen = |k: usize| {
        row.get(k)
            .map_or(0.0, |p| (p - any) / (1.0 - SHOWS_OTHERWISE))
    };
    let same = |to: usize| {
        if earlier.iter().all(|(k, _)| *k == to) {
            any
        } else {
            0.0
        }
    };
    let drawn = (1.0 - SHOWS_OTHERWISE) * earlier.iter().map(|(k, _)| seen(*k)).product::<f64>();
    (drawn * seen(answer) + same(answer)) / (drawn + same(*first)).max(1e-300)
}

/// What learns from a test.
struct Learns<'a> {
    filters: &'a mut Filters,
    chosen: &'a mut Chosen,
    unknown: &'a mut Unknown,
}

/// A test as it was taken.
pub(super) struct At<'a> {
    pub column: &'a Column,
    /// Which of the evidence it is.
    pub evidence: usize,
    place: Place,
    /// Tells readings apart that can be repeated.
    key: u64,
}

impl<'a> At<'a> {
    fn of(model: &'a Model, evidence: usize, test: usize, taken_in: Option<&'a TakenIn>) -> Self {
        let state = taken_in.map_or_else(String::new, |t| format!("{:?}", t.state));
        Self {
            column: taken_in.map_or(&*model.columns[test], |t| &t.column),
            evidence,
            place: model.nets.places[test].unwrap_or_default(),
            key: fnv(state.bytes().chain(test.to_le_bytes())),
        }
    }
}

/// Likelihood of a look's answer under each hypothesis, after the answers to the same look before.
fn look_likelihood(
    model: &Model,
    at: &At<'_>,
    seen: Seen,
    earlier: &[Seen],
    learns: &mut Learns<'_>,
) -> Vec<f64> {
    let Column::Outcomes {
        cases,
        healthy,
        places,
    } = at.column
    else {
        return vec![1.0; model.hypotheses.len()];
    };
    let (answer, place) = seen;
    if answer >= healthy.len() {
        return vec![1.0; model.hypotheses.len()];
    }
    let any = 1.0 / healthy.len() as f64;
    let look = |row: &[f64]| look(row, answer, earlier);
    // what is seen at the same place once more was real or imagined there before
    let place = place.filter(|p| *p < places.count && !earlier.contains(&seen));
    let worth = places.count as f64;
    let at_place = |(case, row): (usize, &Vec<f64>)| {
        let there = |p| worth * places.chance(case, p, row[answer], healthy[answer]);
        look(row) * place.map_or(1.0, there)
    };
    let mut values: Vec<f64> = cases.iter().enumerate().map(at_place).collect();
    let mut sound = look(healthy);
    let chosen = &mut learns.chosen;
    chosen.take(model, at, &mut values, &mut sound);
    learns.unknown.read(model, &values, sound, Some(any))
}

/// Likelihood of what a meter showed under each hypothesis, and what a slip of the tips or a net that is not as drawn is worth.
fn figure_likelihood(
    model: &Model,
    at: &At<'_>,
    answer: &Answer,
    learns: &mut Learns<'_>,
) -> (Vec<f64>, f64) {
    let flat = || (vec![1.0; model.hypotheses.len()], 0.0);
    match (at.column, answer) {
        (_, Answer::CannotReach | Answer::CannotTell) => flat(),
        (Column::Outcomes { .. }, _) => flat(),
        (Column::Figures { .. }, Answer::NotSteady) => {
            let shaky = |c: &FaultCase| if c.intermittent { 0.5 } else { 0.05 };
            let values: Vec<f64> = model.cases.iter().map(shaky).collect();
            (learns.unknown.read(model, &values, 0.05, Some(0.2)), 0.0)
        }
        (Column::Figures { readings, .. }, answer) => {
            let Some(figure) = Figure::of(at.column, answer) else {
                return flat();
            };
            let reading = Reading {
                figure: &figure,
                place: at.place,
                key: at.key,
                undrawn: figure.undrawn(model.pack_volts()),
                slip: figure.slip(),
            };
            let filters = &mut *learns.filters;
            let before = filters.healthy.clone();
            let mut sound = filters.healthy.take(&reading, &readings.healthy, None);
            let each = model.cases.iter().zip(&mut filters.cases).enumerate();
            let mut values: Vec<f64> = each
                .map(|(k, (case, own))| {
                    let moved = readings.moved(k);
                    if moved.is_none() && own.is_none() {
                        return sound;
                    }
                    let rests = (case.intermittent && moved.is_some())
                        .then_some((&readings.healthy, SHOWS));
                    let filter = own.get_or_insert_with(|| Box::new(before.clone()));
                    filter.take(&reading, readings.of(k), rests)
                })
                .collect();
            let chosen = &mut learns.chosen;
            chosen.take(model, at, &mut values, &mut sound);
            let unknown = &mut learns.unknown;
            let like = unknown.read(model, &values, sound, Some(reading.undrawn));
            let dust = (1.0 - MISPROBE) * UNDRAWN * reading.undrawn + MISPROBE * reading.slip;
            (like, 1.5 * dust)
        }
    }
}
