//! The Bench: state and model put together into what the page shows. Texts, bands, expected values
//! and orders come from here; the page only draws.

use crate::catalogue::{Catalogue, fnv};
use crate::diagnosis::belief::Belief;
use crate::diagnosis::choose::{self, Candidate, Situation};
use crate::diagnosis::column::Column;
use crate::diagnosis::evidence::{Answer, Evidence, Item, TakenIn};
use crate::diagnosis::explain;
use crate::diagnosis::hypothesis::Suspicion;
use crate::diagnosis::model::Model;
use crate::diagnosis::plan::{self, Action, Forecast, Plan, Prices};
use crate::diagnosis::repertoire::{self, Kind, Test};
use crate::error::{Code, CoreError};
use crate::job::entry;
use crate::job::entry::{Body, ReadingResult, Role};
use crate::job::gate::{self, Standing};
use crate::job::state::{FailedRepair, Job, RiskTold, Ruled, SymptomTold, Taken, state_words};
use crate::job::view::{
    Bench, FaultShare, OtherTest, PlanView, Reason, SegmentShare, Skipped, Suspect, Tile, TryView,
};
use crate::reading::{self, Figure, Unit};
use spannung_circuit::state::VehicleState;
use std::collections::BTreeSet;
use std::sync::Arc;

/// Gives the predictions of a test in a state; the caller keeps them.
pub type ColumnIn<'a> = &'a mut dyn FnMut(usize, &VehicleState) -> Option<Arc<Column>>;

/// A job with its evidence weighed: what every view starts from.
pub struct Weighed<'a> {
    /// Catalogue.
    pub catalogue: &'a Catalogue,
    /// Model of this profile.
    pub model: &'a Model,
    /// Job.
    pub job: &'a Job,
    /// Role of who looks.
    pub role: Role,
    /// Evidence in order.
    pub evidence: Vec<Evidence>,
    /// Belief.
    pub belief: Belief,
    /// Situation.
    pub situation: Situation,
    /// Gate.
    pub standing: Standing,
}

/// Did a state meet what the test asks for?
fn as_asked(test: &Test, state: &VehicleState) -> bool {
    test.state.missing(state).is_empty()
}

/// The plug that is apart and causes what was seen, when it is a code that the set-up itself brings.
fn caused_by_set_up<'a>(model: &'a Model, taken: &Taken, test: usize) -> Option<&'a str> {
    let Kind::Procedure { sign, .. } = &model.tests[test].kind else {
        return None;
    };
    let mut codes = model.profile.family.codes_apart(&taken.state);
    let found = codes.find(|(_, code)| sign == "code" && *code == taken.typed);
    found.map(|(plug, _)| plug.name.as_str())
}

fn answer_of(model: &Model, taken: &Taken, test: usize) -> Answer {
    match (&model.tests[test].kind, taken.result) {
        _ if caused_by_set_up(model, taken, test).is_some() => Answer::CannotTell,
        (Kind::Procedure { outcomes, .. }, _) => {
            let found = outcomes.iter().position(|o| o.0 == taken.typed);
            found.map_or(Answer::CannotTell, Answer::Outcome)
        }
        (_, Some(ReadingResult::Nothing)) => Answer::Nothing,
        (_, Some(ReadingResult::NotSteady)) => Answer::NotSteady,
        (_, Some(ReadingResult::Figure)) => match taken.figure {
            Some(f) if f.over_range => Answer::OverRange,
            Some(f) => Answer::Figure {
                low: f.low,
                high: f.high,
            },
            None => Answer::CannotReach,
        },
        _ => Answer::CannotReach,
    }
}

impl<'a> Weighed<'a> {
    /// Weigh a job's evidence.
    pub fn new(
        catalogue: &'a Catalogue,
        model: &'a Model,
        job: &'a Job,
        role: Role,
        column_in: ColumnIn<'_>,
    ) -> Self {
        let mut evidence = Vec::new();
        for RiskTold {
            risk: id,
            yes,
            entry,
        } in &job.risks
        {
            if let Some(yes) = yes {
                evidence.push(Evidence {
                    entry: entry.to_string(),
                    item: Item::Risk {
                        id: id.clone(),
                        yes: *yes,
                    },
                });
            }
        }
        for told in &job.symptoms {
            let SymptomTold {
                symptom: id,
                yes,
                by_customer: customer,
                entry,
            } = told;
            if let Some(yes) = yes {
                evidence.push(Evidence {
                    entry: entry.to_string(),
                    item: Item::Symptom {
                        id: id.clone(),
                        yes: *yes,
                        customer: *customer,
                    },
                });
            }
        }
        let mut failed = job.failed.iter().peekable();
        let note_failed = |evidence: &mut Vec<Evidence>, failed: &FailedRepair| {
            if let Some(class) = model.class(&failed.class) {
                evidence.push(Evidence {
                    entry: failed.entry.to_string(),
                    item: Item::Failed {
                        class,
                        still: failed.still.clone(),
                    },
                });
            }
        };
        for taken in job.taken.iter().filter(|t| !t.voided) {
            while let Some(failed) = failed.next_if(|f| f.seq < taken.seq) {
                note_failed(&mut evidence, failed);
            }
            let Some(test) = repertoire::find(&model.tests, &taken.test) else {
                continue;
            };
            let spec = &model.tests[test];
            let other_state = match &spec.kind {
                Kind::Probe(_) if !as_asked(spec, &taken.state) => column_in(test, &taken.state),
                _ => None,
            };
            let taken_in = other_state.map(|column| TakenIn {
                state: taken.state.clone(),
                column,
            });
            evidence.push(Evidence {
                entry: taken.entry.to_string(),
                item: Item::Test {
                    test,
                    answer: answer_of(model, taken, test),
                    taken_in,
                },
            });
        }
        for failed in failed {
            note_failed(&mut evidence, failed);
        }
        for (class, Ruled { out, entry, .. }) in &job.by_hand {
            if job.failed.iter().any(|f| &f.class == class) {
                continue;
            }
            if let Some(class) = model.class(class) {
                evidence.push(Evidence {
                    entry: entry.to_string(),
                    item: Item::ByHand { class, out: *out },
                });
            }
        }
        let belief = Belief::of(model, &evidence);
        let standing = gate::standing(catalogue, job);
        // after a repair that did not end the complaint, what the mended fault may have hidden is read again
        let hidden = |t: &Taken| {
            let later = job.failed.iter().filter(|f| f.seq > t.seq);
            let mut classes = later.filter_map(|f| model.class(&f.class));
            repertoire::find(&model.tests, &t.test)
                .is_some_and(|k| classes.any(|c| choose::moved_by(model, c, k)))
        };
        let done = job
            .taken
            .iter()
            .filter(|t| !t.voided && !hidden(t))
            .map(|t| t.test.clone());
        let closed: BTreeSet<String> = done.chain(job.skipped.keys().cloned()).collect();
        let opened = job
            .taken
            .iter()
            .filter(|t| !t.voided && t.result != Some(ReadingResult::CannotReach))
            .filter_map(|t| repertoire::find(&model.tests, &t.test))
            .map(|k| model.tests[k].access.clone())
            .collect();
        let told = |id: &str| job.told(id);
        let situation = Situation {
            state: job.state.clone(),
            opened,
            closed,
            risk_limit: role.risk_limit(model.profile.family.full_volts()),
            // with a pack in quarantine only work without it is proposed; before the gate is open the
            // probe that follows it is shown, and stays blocked
            allowed: (standing == Standing::Quarantined).then(|| {
                let free = model.tests.iter().filter(|t| !gate::uses_pack(t));
                free.map(|t| t.id.clone()).collect()
            }),
            no_ride: catalogue
                .symptoms
                .iter()
                .any(|s| s.no_ride && told(s.id.get_ref())),
        };
        Self {
            catalogue,
            model,
            job,
            role,
            evidence,
            belief,
            situation,
            standing,
        }
    }

    /// The whole Bench in a shop of usual prices.
    pub fn bench(&self) -> Bench {
        self.bench_at(&Prices::default())
    }

    /// Minutes and money to the end of the job, played on from here. Takes a second or so: it never holds up the
    /// suspects. The same evidence plays the same jobs.
    pub fn forecast(&self, prices: &Prices) -> Forecast {
        let seed = fnv(self.evidence.iter().flat_map(|e| e.entry.bytes()));
        plan::forecast(self.model, &self.belief, &self.situation, prices, seed)
    }

    /// The verdict of the plan in words.
    fn verdict(&self, plan: &Plan, prices: &Prices) -> PlanView {
        let m = self.model;
        let class = |k: usize| m.classes[k].name.to_lowercase();
        let now = plan.now.minutes;
        let chance = |action: Action| {
            let found = plan.now.order.iter().find(|t| t.action == action);
            found.map_or(0.0, |t| t.chance * 100.0)
        };
        let (act, words, test) = match plan.action {
            Action::Test(_) => {
                let after = plan.after.map_or(now, |a| a.1);
                let words = if after < now {
                    format!(
                        "Measure first: trying the repairs now is expected to take {now:.0} min with parts, after one more test {after:.0} min."
                    )
                } else {
                    "Measure first: no repair is likely enough yet to change a part for it.".into()
                };
                ("measure", words, None)
            }
            Action::Again(k) => (
                "again",
                format!(
                    "Take “{}” again: {}",
                    m.tests[k].name,
                    if self.job.failed.is_empty() {
                        "the whole suspicion hangs on this one reading, and a slip of the tips looks like a fault."
                    } else {
                        "the repair did not end the complaint. Gone, there was a second fault; still there, it was another."
                    }
                ),
                Some(m.tests[k].id.clone()),
            ),
            Action::Repair(k) => (
                "repair",
                format!(
                    "Mend it: no test is worth its minutes any more against {} at {:.0} %.",
                    class(k),
                    chance(plan.action)
                ),
                None,
            ),
            Action::Decline(k) => (
                "decline",
                format!(
                    "Ask before going on: {} at {:.0} % costs more than the owner's limit or the vehicle's value.",
                    class(k),
                    chance(plan.action)
                ),
                None,
            ),
            Action::HandBack => (
                "hand-back",
                "Everything read is as it should be: see the fault happen, or hand it back as sound.".into(),
                None,
            ),
            Action::Refer => (
                "refer",
                "Nothing left here is worth its minutes: refer it, or check the drawing against the vehicle.".into(),
                None,
            ),
        };
        let order = plan.now.order.iter().take(5).map(|t| {
            let k = match t.action {
                Action::Repair(k) | Action::Decline(k) => Some(k),
                _ => None,
            };
            TryView {
                class: k.map(|k| m.classes[k].id.clone()),
                name: k.map_or_else(
                    || "Sound: hand it back".into(),
                    |k| m.classes[k].name.clone(),
                ),
                percent: (t.chance * 100.0).round() as u32,
                minutes: t.minutes,
                part_cents: k.map_or(0, |k| {
                    prices.bands.get(&m.classes[k].band).copied().unwrap_or(0)
                }),
            }
        });
        PlanView {
            act: act.into(),
            words,
            test,
            order: order.collect(),
            minutes_now: now,
        }
    }

    /// The whole Bench.
    pub fn bench_at(&self, prices: &Prices) -> Bench {
        let m = self.model;
        let ranked = choose::rank(m, &self.belief, &self.situation);
        let first = choose::first_minute(m, &self.belief, &self.situation, &ranked);
        let shares = self.belief.classes(m);
        let probes = ranked
            .iter()
            .filter(|c| m.tests[c.test].first_minute.is_none());
        let plan = plan::plan(
            m,
            &self.belief,
            &self.evidence,
            &self.situation,
            prices,
            &ranked,
        );
        let again = match plan.action {
            Action::Again(test) => Some(self.candidate(test)),
            _ => None,
        };
        let best = again
            .as_ref()
            .or_else(|| first.first())
            .or_else(|| ranked.first());
        let next = (self.standing != Standing::Stopped)
            .then(|| best.map(|c| self.card(c)))
            .flatten();
        let (suspects, nothing_percent, outside_percent, segments) = self.suspects(&shares);
        let repair = match plan.action {
            Action::Repair(class) => Some(m.classes[class].id.clone()),
            _ => None,
        };
        let first_done = self
            .job
            .taken
            .iter()
            .filter(|t| !t.voided)
            .filter(|t| {
                repertoire::find(&m.tests, &t.test)
                    .is_some_and(|k| m.tests[k].first_minute.is_some())
            })
            .count();
        let cautions = self
            .job
            .symptoms
            .iter()
            .filter(|s| s.yes == Some(true))
            .filter_map(|s| self.catalogue.symptom(&s.symptom)?.caution.clone())
            .collect();
        Bench {
            standing: self.standing,
            controls: self.controls(),
            others: probes
                .filter(|c| next.as_ref().is_none_or(|n| n.test != m.tests[c.test].id))
                .take(4)
                .map(|c| OtherTest {
                    test: m.tests[c.test].id.clone(),
                    name: m.tests[c.test].name.clone(),
                    minutes: c.minutes,
                })
                .collect(),
            next,
            first_minute_done: first_done,
            first_minute_left: first.len(),
            minutes_to_go: self.to_go(&shares, &ranked),
            suspects,
            nothing_percent,
            outside_percent,
            segments,
            evidence: self.tiles(),
            repair,
            verdict: self.verdict(&plan, prices),
            minutes_spent: self.job.minutes,
            advice: self.advice(outside_percent),
            cautions,
            skipped: self
                .job
                .skipped
                .iter()
                .map(|(test, reason)| Skipped {
                    name: repertoire::find(&m.tests, test)
                        .map_or_else(|| test.clone(), |k| m.tests[k].name.clone()),
                    reason: reason.clone(),
                })
                .collect(),
        }
    }

    fn advice(&self, outside_percent: u32) -> Option<String> {
        if let Some(item) = explain::surprising(&self.belief) {
            let name = self.item_name(item);
            return Some(format!("“{name}” does not fit the rest. Take it again."));
        }
        if outside_percent > 20 {
            return Some(
                "Check the drawing against the vehicle: no single fault explains the readings."
                    .into(),
            );
        }
        let (nothing, _) = self.belief.others(self.model);
        (nothing > 0.5).then(|| "Everything read so far is as it should be. Try to see the fault happen before a part is changed.".into())
    }

    fn item_name(&self, item: usize) -> String {
        match &self.evidence[item].item {
            Item::Symptom { id, yes, .. } => {
                let name = self
                    .catalogue
                    .symptom(id)
                    .map_or(id.clone(), |s| s.name.clone());
                if *yes {
                    name
                } else {
                    format!("Not: {}", name.to_lowercase())
                }
            }
            Item::Risk { id, yes } => {
                let risk = self.catalogue.risks.iter().find(|r| &r.id == id);
                let name = risk.map_or(id.clone(), |r| r.name.clone());
                if *yes {
                    name
                } else {
                    format!("Not: {}", name.to_lowercase())
                }
            }
            Item::Failed { class, .. } => {
                format!(
                    "{}: mended, and it still shows",
                    self.model.classes[*class].name
                )
            }
            Item::ByHand { out, .. } => {
                if *out {
                    "Ruled out by hand".into()
                } else {
                    "Ruled in by hand".into()
                }
            }
            Item::Test { test, answer, .. } => {
                let t = &self.model.tests[*test];
                format!("{}: {}", t.name, self.answer_text(t, answer))
            }
        }
    }

    fn answer_text(&self, test: &Test, answer: &Answer) -> String {
        match (answer, &test.kind) {
            (Answer::Outcome(k), Kind::Procedure { outcomes, .. }) => {
                outcomes.get(*k).map_or(String::new(), |o| o.1.clone())
            }
            (Answer::Figure { low, high }, Kind::Probe(p)) => {
                if (low - high).abs() < 1e-12 {
                    reading::show_text(*low, p.unit())
                } else {
                    reading::show_range(*low, *high, p.unit())
                }
            }
            (Answer::OverRange, _) => "OL".into(),
            (Answer::Nothing, _) => "reads nothing".into(),
            (Answer::NotSteady, _) => "not steady".into(),
            _ => "could not be told".into(),
        }
    }

    #[allow(clippy::type_complexity)]
    fn suspects(&self, shares: &[f64]) -> (Vec<Suspect>, u32, u32, Vec<SegmentShare>) {
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
        all.push(nothing);
        all.push(outside);
        let percents = round_to_100(&all);
        let tested = self.job.taken.iter().any(|t| !t.voided);
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
                    "cleared"
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
                    name: class.name.clone(),
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

    /// Minutes to go: repair minutes over the suspects, plus the probing that is left (entropy over
    /// the classes against the rate of the best tests). A first estimate, not a simulated forecast.
    fn to_go(&self, shares: &[f64], ranked: &[Candidate]) -> [f64; 3] {
        let m = self.model;
        let bits: f64 = shares
            .iter()
            .filter(|p| **p > 1e-6)
            .map(|p| -p * p.log2())
            .sum();
        let rate = ranked.iter().take(3).map(Candidate::rate).sum::<f64>()
            / ranked.len().clamp(1, 3) as f64;
        let probing = if rate > 0.0 {
            (bits / rate * 0.6).min(60.0)
        } else {
            0.0
        };
        let mut repairs: Vec<(f64, f64)> = m
            .classes
            .iter()
            .zip(shares)
            .map(|(c, p)| (c.minutes, *p))
            .collect();
        repairs.sort_by(|a, b| a.0.total_cmp(&b.0));
        let total: f64 = repairs.iter().map(|r| r.1).sum();
        let at = |q: f64| {
            let mut sum = 0.0;
            for (minutes, p) in &repairs {
                sum += p;
                if sum >= q * total {
                    return *minutes;
                }
            }
            repairs.last().map_or(0.0, |r| r.0)
        };
        [
            at(0.1) + probing * 0.4,
            at(0.5) + probing,
            at(0.9) + probing * 1.8,
        ]
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

    fn tiles(&self) -> Vec<Tile> {
        let m = self.model;
        let surprising = explain::surprising(&self.belief).map(|i| self.evidence[i].entry.clone());
        self.job
            .taken
            .iter()
            .enumerate()
            .map(|(k, t)| {
                let index = repertoire::find(&m.tests, &t.test);
                let name = index.map_or_else(|| t.test.clone(), |i| m.tests[i].name.clone());
                let (value, mark, words) = match index {
                    Some(i) => self.judge(i, t),
                    None => (t.typed.clone(), "none", String::new()),
                };
                let differs = index.is_some_and(|i| {
                    matches!(m.tests[i].kind, Kind::Probe(_)) && !as_asked(&m.tests[i], &t.state)
                });
                Tile {
                    entry: t.entry,
                    number: k + 1,
                    test: t.test.clone(),
                    name,
                    value,
                    mark: mark.into(),
                    words,
                    state: if differs {
                        state_words(&t.state)
                    } else {
                        String::new()
                    },
                    voided: t.voided,
                    surprising: surprising.as_deref() == Some(&t.entry.to_string()),
                    by: t.by.clone(),
                    at: t.at,
                }
            })
            .collect()
    }

    /// Value, mark and words of a taken reading.
    pub fn judge(&self, test: usize, taken: &Taken) -> (String, &'static str, String) {
        let spec = &self.model.tests[test];
        match (&spec.kind, taken.result) {
            (Kind::Procedure { outcomes, .. }, _) => {
                let place = outcomes.iter().position(|o| o.0 == taken.typed);
                if let Some((plug, k)) = caused_by_set_up(self.model, taken, test).zip(place) {
                    let words = format!("from the {} apart", plug.to_lowercase());
                    return (outcomes[k].1.clone(), "none", words);
                }
                match place {
                    Some(0) => (outcomes[0].1.clone(), "expected", String::new()),
                    Some(k) => (outcomes[k].1.clone(), "off", String::new()),
                    None => ("cannot tell".into(), "none", String::new()),
                }
            }
            (_, Some(ReadingResult::NotSteady)) => ("not steady".into(), "unsteady", String::new()),
            (_, Some(ReadingResult::Nothing)) => {
                ("nothing".into(), "nothing", "reads nothing".into())
            }
            (_, Some(ReadingResult::CannotReach)) => ("not reached".into(), "none", String::new()),
            (Kind::Probe(p), _) => {
                let Some(f) = taken.figure else {
                    return (taken.typed.clone(), "none", String::new());
                };
                let value = typed_text(&taken.typed, f, p.unit());
                let expected = if as_asked(spec, &taken.state) {
                    explain::expected(self.model, test)
                } else {
                    self.evidence
                        .iter()
                        .find(|e| e.entry == taken.entry.to_string())
                        .and_then(|e| match &e.item {
                            Item::Test {
                                taken_in: Some(taken),
                                ..
                            } => match &*taken.column {
                                Column::Figures {
                                    scale,
                                    healthy,
                                    dims,
                                    ..
                                } => Some(explain::expected_of(p, *scale, healthy, *dims)),
                                Column::Outcomes { .. } => None,
                            },
                            _ => None,
                        })
                };
                match expected {
                    Some(e) if e.holds(f.low, f.high) => (value, "expected", String::new()),
                    Some(e) => {
                        let words = if e.changes
                            && (f.high - f.low).abs() < 0.2 * (e.high.1 - e.low.0).abs()
                        {
                            if f.low > e.low.1 {
                                "stays high"
                            } else {
                                "stays low"
                            }
                        } else if f.over_range {
                            "open"
                        } else if f.high < e.low.0 || f.high < e.high.0 {
                            "low"
                        } else {
                            "high"
                        };
                        (value, "off", words.into())
                    }
                    None => (value, "none", String::new()),
                }
            }
        }
    }

    /// Is this figure more than anything could show here?
    ///
    /// # Errors
    /// The sentence for the field, with the figure that may have been meant.
    pub fn improbable(&self, test: usize, figure: Figure) -> Result<(), CoreError> {
        let m = self.model;
        let (
            Kind::Probe(p),
            Column::Figures {
                scale,
                cases,
                healthy,
                dims,
                ..
            },
        ) = (&m.tests[test].kind, &*m.columns[test])
        else {
            return Ok(());
        };
        if figure.over_range {
            return Ok(());
        }
        let absurd = |message: String| Err(CoreError::entry(Code::AbsurdReading, "typed", message));
        let shown = reading::show_text(figure.high, p.unit());
        if p.unit() == Unit::Ohms {
            return if figure.low < -0.5 {
                absurd(format!("{shown} cannot be: ohms are never below zero."))
            } else {
                Ok(())
            };
        }
        let d = dims - 1;
        let top = |x: &crate::diagnosis::scale::Prediction| {
            (x.mean[d] + 4.0 * x.spread[d] + (0.15 * x.slope[d]).abs())
                .abs()
                .max(x.mean[0].abs())
        };
        let most = cases.iter().map(top).fold(top(healthy), f64::max).max(0.05);
        let size = figure.high.abs().max(figure.low.abs());
        if size <= 1.3 * most + 4.0 * scale.instrument(most) {
            return Ok(());
        }
        let meant = [10.0, 100.0, 1000.0]
            .iter()
            .map(|f| figure.high / f)
            .find(|v| {
                explain::expected(m, test).is_some_and(|e| {
                    v.abs() <= most * 1.05 && (e.holds(*v, *v) || (e.changes && *v <= e.high.1))
                })
            });
        let hint = meant.map_or_else(
            || format!("At most {} can be.", reading::show_text(most, p.unit())),
            |v| format!("{}?", reading::show_text(v, p.unit())),
        );
        let typed = meant.map(|v| reading::typed(v, p.unit()));
        absurd(format!("{shown} cannot be here. {hint}")).map_err(|e| e.suggesting(typed))
    }

    /// Is the test known, may this person do it now, are its preconditions confirmed, is the figure
    /// possible?
    ///
    /// # Errors
    /// A sentence with a code.
    pub fn admit(&self, body: &Body) -> Result<(), CoreError> {
        let (id, probe) = match body {
            Body::Reading(entry::Reading { test, .. }) => (test, true),
            Body::Check(entry::Check { test, .. }) => (test, false),
            Body::Skip(entry::Skip { test, .. }) => {
                return match repertoire::find(&self.model.tests, test) {
                    Some(_) => Ok(()),
                    None => Err(CoreError::entry(
                        Code::UnknownTest,
                        "test",
                        format!("This vehicle has no test “{test}”."),
                    )),
                };
            }
            _ => return Ok(()),
        };
        let Some(k) = repertoire::find(&self.model.tests, id) else {
            return Err(CoreError::entry(
                Code::UnknownTest,
                "test",
                format!("This vehicle has no test “{id}”."),
            ));
        };
        let test = &self.model.tests[k];
        match (&test.kind, probe) {
            (Kind::Probe(_), false) => {
                return Err(CoreError::entry(
                    Code::NotACheck,
                    "test",
                    format!("“{}” is read with a meter.", test.name),
                ));
            }
            (Kind::Procedure { .. }, true) => {
                return Err(CoreError::entry(
                    Code::NotAProbe,
                    "test",
                    format!("“{}” is answered, not measured.", test.name),
                ));
            }
            _ => {}
        }
        if let Some(reason) = self.blocked(test) {
            let code = if self.standing == Standing::Open {
                Code::NotAllowed
            } else {
                Code::GateClosed
            };
            return Err(CoreError::entry(code, "test", reason));
        }
        let reached = !matches!(
            body,
            Body::Reading(entry::Reading {
                result: ReadingResult::CannotReach,
                ..
            })
        );
        if let Some(need) = test
            .needs
            .iter()
            .find(|n| !self.job.confirmed.contains_key(*n))
            .filter(|_| reached)
        {
            let ask = self
                .catalogue
                .need(need)
                .map_or(need.clone(), |n| n.ask.clone());
            return Err(CoreError::entry(
                Code::NeedOpen,
                "test",
                format!("Confirm first: {ask}"),
            ));
        }
        match body {
            Body::Check(entry::Check { outcome, .. }) => {
                if let Kind::Procedure { outcomes, .. } = &test.kind
                    && outcome != "cannot-tell"
                    && !outcomes.iter().any(|o| &o.0 == outcome)
                {
                    return Err(CoreError::entry(
                        Code::UnknownOutcome,
                        "outcome",
                        format!("“{outcome}” is no answer to {}.", test.name),
                    ));
                }
                Ok(())
            }
            Body::Reading(entry::Reading {
                result: ReadingResult::Figure,
                typed,
                insisted,
                ..
            }) if !insisted => {
                let unit = match &test.kind {
                    Kind::Probe(p) => p.unit(),
                    Kind::Procedure { .. } => return Ok(()),
                };
                let figure = reading::parse(typed, Some(unit))
                    .map_err(|e| CoreError::entry(Code::BadReading, "typed", e.to_string()))?;
                self.improbable(k, figure)
            }
            _ => Ok(()),
        }
    }
}

/// The figure as the meter gave it, with its unit.
fn typed_text(typed: &str, figure: Figure, unit: Unit) -> String {
    if figure.over_range {
        return "OL".into();
    }
    let bare = typed.trim().replace(',', ".").replace('-', "\u{2212}");
    let plain = bare
        .trim_start_matches('\u{2212}')
        .chars()
        .all(|c| c.is_ascii_digit() || c == '.');
    if plain && !bare.contains("..") {
        format!("{bare} {}", unit.symbol())
    } else if (figure.low - figure.high).abs() < 1e-12 {
        reading::show_text(figure.low, unit)
    } else {
        reading::show_range(figure.low, figure.high, unit)
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
mod tests_of_rounding {
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
