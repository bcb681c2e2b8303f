//! The Bench: state and model put together into what the page shows. Texts, bands, expected values
//! and orders come from here; the page only draws.

mod admit;
mod built;
mod suspects;
mod taken;
mod tiles;
mod verdict;

use self::taken::{answer_of, as_asked};
use crate::catalogue::{Catalogue, fnv};
use crate::diagnosis::belief::Belief;
use crate::diagnosis::choose::{self, Situation};
use crate::diagnosis::column::Column;
use crate::diagnosis::evidence::{Answer, Evidence, Item, TakenIn, since_mended};
use crate::diagnosis::explain;
use crate::diagnosis::model::Model;
use crate::diagnosis::plan::{self, Action, Forecast, Prices, Why};
use crate::diagnosis::repertoire::{self, Kind};
use crate::job::dead::{self, DeadFirst, DeadStanding};
use crate::job::entry::{ReadingResult, Role};
use crate::job::gate::{self, Standing};
use crate::job::map;
use crate::job::proof;
use crate::job::state::{FailedRepair, Job, RiskTold, Ruled, SymptomTold, Taken};
use crate::job::view::{Bench, IfSo, OtherTest, Skipped};
use crate::reading::{self, Unit};
use spannung_circuit::state::VehicleState;
use std::collections::BTreeSet;
use std::sync::Arc;

/// What the caller keeps beside a model.
pub trait Beside {
    /// Predictions of a test in a state that is not its own.
    fn column(&mut self, test: usize, state: &VehicleState) -> Option<Arc<Column>>;

    /// What is believed after some evidence: worked out from the start, unless something of it is kept.
    fn belief(&mut self, model: &Model, evidence: &[Evidence]) -> Belief {
        Belief::of(model, evidence)
    }
}

impl<F: FnMut(usize, &VehicleState) -> Option<Arc<Column>>> Beside for F {
    fn column(&mut self, test: usize, state: &VehicleState) -> Option<Arc<Column>> {
        self(test, state)
    }
}

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

/// The test whose reading the gate takes.
const PACK_AT_REST: &str = "t-pack-voc";
const FLOOR: &str = "floor";

/// What the pack read at the gate: its rest reading, taken once.
fn at_gate(model: &Model, job: &Job) -> Option<Evidence> {
    let typed = job.gate.get(FLOOR)?.typed.as_deref()?;
    let figure = reading::parse(typed, Some(Unit::Volts)).ok()?;
    let test = repertoire::find(&model.tests, PACK_AT_REST)?;
    Some(Evidence {
        entry: FLOOR.into(),
        item: Item::Test {
            test,
            answer: Answer::Figure {
                low: figure.low,
                high: figure.high,
            },
            taken_in: None,
        },
    })
}

impl<'a> Weighed<'a> {
    /// Weigh a job's evidence.
    pub fn new(
        catalogue: &'a Catalogue,
        model: &'a Model,
        job: &'a Job,
        role: Role,
        beside: &mut dyn Beside,
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
        evidence.extend(at_gate(model, job));
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
                Kind::Probe(_) if !as_asked(spec, &taken.state) => {
                    beside.column(test, &taken.state)
                }
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
            // a way to build it is ruled out under its case's key
            let way = model.cases.iter().position(|c| &c.key == class);
            if let Some(case) = way.filter(|_| *out) {
                evidence.push(Evidence {
                    entry: entry.to_string(),
                    item: Item::NotBuilt { case },
                });
            }
            if let Some(class) = model.class(class) {
                evidence.push(Evidence {
                    entry: entry.to_string(),
                    item: Item::ByHand { class, out: *out },
                });
            }
        }
        let belief = beside.belief(model, &evidence);
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
        let read = at_gate(model, job).map(|_| PACK_AT_REST.to_string());
        let said = since_mended(&evidence).iter().flat_map(|e| match &e.item {
            Item::Test { test, answer, .. } => model.says(*test, answer),
            _ => Vec::new(),
        });
        let done = done.chain(read).chain(said);
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
            passed: job.skipped.keys().cloned().collect(),
            risk_limit: role.risk_limit(model.profile.family.full_volts()),
            // with a pack in quarantine only work without it is proposed; before the gate is open the
            // probe that follows it is shown, and stays blocked
            allowed: matches!(standing, Standing::Quarantined | Standing::DeadFirst).then(|| {
                let free = model.tests.iter().filter(|t| gate::allows(standing, t));
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

    /// The dead reading to take next, while one is still to be taken.
    fn dead_next(&self, first: &DeadFirst) -> Option<usize> {
        let mut open = first.readings.iter();
        let next = open.find(|r| r.standing == DeadStanding::Open)?;
        repertoire::find(&self.model.tests, next.test.as_ref()?)
    }

    /// How the job stands, short: for a change that is only tried.
    pub fn if_so(&self, strand: Option<&str>) -> IfSo {
        let shares = self.belief.classes(self.model);
        let (suspects, nothing_percent, outside_percent, _) = self.suspects(&shares);
        let drawn = strand.map(|id| (id, map::map(self, None)));
        IfSo {
            suspects,
            built_percent: self.built(None).map_or(0, |b| b.percent),
            nothing_percent,
            outside_percent,
            evidence: self.tiles(),
            strand: drawn.and_then(|(id, map)| map.strands.into_iter().find(|s| s.id == id)),
        }
    }

    /// The tests that show the repaired part, where no other check of the proof says whether it helped.
    pub fn again(&self) -> Vec<proof::ReadAgain> {
        let repaired = proof::again(self.catalogue, self.job);
        let Some(class) = repaired.and_then(|c| self.model.class(c)) else {
            return Vec::new();
        };
        let named = |test: usize| {
            let spec = &self.model.tests[test];
            proof::ReadAgain {
                test: spec.id.clone(),
                name: spec.name.clone(),
                expected: explain::sound(self.model, test),
            }
        };
        let tests = choose::showing(self.model, class);
        tests.into_iter().map(named).collect()
    }

    /// Minutes and money to the end of the job, played on from here. Takes a second or so: it never holds up the
    /// suspects. The same evidence plays the same jobs.
    pub fn forecast(&self, prices: &Prices) -> Forecast {
        let seed = fnv(self.evidence.iter().flat_map(|e| e.entry.bytes()));
        plan::forecast(self.model, &self.belief, &self.situation, prices, seed)
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
        let mut plan = plan::plan(
            m,
            &self.belief,
            &self.evidence,
            &self.situation,
            prices,
            &ranked,
        );
        // a locked vehicle is measured dead before anything else
        let dead_first =
            dead::first(self.catalogue, self.job).filter(|_| self.standing == Standing::DeadFirst);
        if let Some(test) = dead_first.as_ref().and_then(|d| self.dead_next(d)) {
            plan.action = Action::Ask(test, Why::Dead);
        }
        let again = match plan.action {
            Action::Ask(test, _) => Some(self.candidate(test)),
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
            minutes_to_go: plan::estimate(m, &self.belief, &self.situation, prices, &ranked),
            built: self.built(match plan.action {
                Action::Built(way) => Some(way),
                _ => None,
            }),
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
}
