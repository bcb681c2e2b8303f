//! One simulated job, from the complaint to the proved repair.

use crate::policy::{Lists, Point, Policy, decide};
use spannung_circuit::{FaultCase, Netlist};
use spannung_core::diagnosis::choose::{self, Situation};
use spannung_core::diagnosis::explain;
use spannung_core::diagnosis::plan::{Action, PROVE_MINUTES, Prices};
use spannung_core::diagnosis::repertoire::Probe;
use spannung_core::diagnosis::{Answer, Belief, Course, Evidence, Item, Kind, Model, Test};
use spannung_sim::{Errors, Vehicle};
use std::collections::{BTreeMap, BTreeSet};
use std::iter;

/// Tests after which a job counts as never finished.
const MOST_TESTS: usize = 80;
/// Repairs after which a job counts as never finished.
const MOST_REPAIRS: usize = 8;
/// Highest risk that the simulated technician takes.
const RISK_LIMIT: u8 = 4;
/// Where more parts meet than this, those at one side of the point are not near those at the other.
const RAIL: usize = 4;
/// Making sure that a vehicle is built otherwise.
const LOOK_MINUTES: f64 = 3.0;
/// A vehicle that is referred takes so long in the end: somebody else finds it.
const REFERRED_MINUTES: f64 = 120.0;

/// How the job is played.
#[derive(Debug, Clone)]
pub struct Setting {
    /// Who decides.
    pub policy: Policy,
    /// How hands and instruments err.
    pub errors: Errors,
    /// Prices of the shop.
    pub prices: Prices,
    /// After a repair that did not end the complaint: pairs of faults are opened (true), or the class is only put
    /// down (false).
    pub pairs: bool,
}

/// How it went.
#[derive(Debug, Clone)]
pub struct Played {
    /// Keys of the true faults.
    pub truth: Vec<String>,
    /// Their repair classes.
    pub classes: Vec<String>,
    /// What the owner told.
    pub told: Vec<String>,
    /// Minutes of everything.
    pub minutes: f64,
    /// Minutes that the right repairs alone take.
    pub least: f64,
    /// Repairs that cured nothing and cost a part.
    pub wrong_parts: usize,
    /// Was the first repair a right one?
    pub first_right: bool,
    /// Did the first repair cure it? What no test tells apart counts as right above, not here.
    pub first_cured: bool,
    /// Share that was stated for the first repair's class.
    pub stated: f64,
    /// The same among the faults of the catalogue alone, as they are drawn here: of what is outside it, and of nothing
    /// being wrong, no job is played that could prove the rest of the share.
    pub stated_known: f64,
    /// Repair classes in the order in which they were done.
    pub repaired: Vec<String>,
    /// Tests taken before a part was changed.
    pub before_a_part: Vec<String>,
    /// Parts changed before it was recognised that the vehicle is built otherwise.
    pub recognised: Option<usize>,
    /// Did it end with the vehicle working?
    pub finished: bool,
    /// Was it referred as outside the drawing?
    pub referred: bool,
    /// Tests done.
    pub tests: usize,
    /// Tests of which no likely answer could change anything.
    pub idle: usize,
    /// What was done, one line each.
    pub trail: Vec<String>,
}

/// Pairs of points that put a load or a current on the circuit.
pub fn pairs(model: &Model) -> Vec<(usize, usize)> {
    let probes = model.tests.iter().filter_map(|t| match &t.kind {
        Kind::Probe(p) => Some((p.pair.red, p.pair.black)),
        Kind::Procedure { .. } => None,
    });
    probes.collect()
}

/// The pairs of a model's tests on a vehicle whose points stand in other places, as far as it has them.
pub fn pairs_on(model: &Model, net: &Netlist) -> Vec<(usize, usize)> {
    let there = |n: usize| net.find(&model.net.nodes[n]);
    let each = pairs(model).into_iter();
    each.filter_map(|(red, black)| Some((there(red)?, there(black)?)))
        .collect()
}

/// A probe of a model on a vehicle whose points stand in other places; none where it has no such point.
fn on(model: &Model, vehicle: &Vehicle, probe: &Probe) -> Option<Probe> {
    let there = |n: usize| vehicle.net().find(&model.net.nodes[n]);
    let mut here = probe.clone();
    (here.pair.red, here.pair.black) = (there(probe.pair.red)?, there(probe.pair.black)?);
    if let Some(e) = probe.element {
        here.element = Some(vehicle.net().element(&model.net.elements[e].id)?);
    }
    Some(here)
}

/// Whoever comes with his tips to a pin that there is not, or is to look at what there is not, looks what stands there instead:
/// the model of the vehicle as it is, if that is one of the ways to build it.
fn not_there(
    model: &Model,
    full: &Model,
    vehicle: &Vehicle,
    test: usize,
    looked_at: &dyn Fn(&Model, &str) -> Option<Model>,
) -> Option<Model> {
    let test = &model.tests[test];
    let there = match &test.kind {
        Kind::Probe(probe) => on(model, vehicle, probe).is_some(),
        Kind::Procedure { .. } => full.tests.iter().any(|t| t.id == test.id),
    };
    if there {
        return None;
    }
    model.ways.iter().find_map(|w| looked_at(model, &w.id))
}

/// Do a test on the simulated vehicle.
pub fn answer(model: &Model, vehicle: &mut Vehicle, test: usize, situation: &Situation) -> Answer {
    let state = model.tests[test].state.bring(&situation.state);
    match &model.tests[test].kind {
        Kind::Procedure {
            sign,
            outcomes,
            places,
            ..
        } => {
            let values: Vec<String> = outcomes.iter().map(|o| o.0.clone()).collect();
            let value = vehicle.look(sign, &values, &state);
            let place = match value {
                0 => None,
                found => vehicle.where_seen(sign, &values[found], places),
            };
            Answer::Outcome(value, place)
        }
        Kind::Probe(p) => {
            let Some(p) = on(model, vehicle, p) else {
                return Answer::CannotReach;
            };
            let d = if p.groups {
                vehicle.groups(&state)
            } else {
                vehicle.measure(p.mode, &p.pair, p.shunt_ohms, p.element, &p.moments(&state))
            };
            if d.low.is_infinite() {
                Answer::OverRange
            } else {
                Answer::Figure {
                    low: d.low,
                    high: d.high,
                }
            }
        }
    }
}

/// A test that was done, as evidence; where it leaves the vehicle.
pub fn taken(model: &Model, test: usize, answer: Answer, situation: &mut Situation) -> Evidence {
    let spec = &model.tests[test];
    situation.closed.insert(spec.id.clone());
    situation.closed.extend(model.says(test, &answer));
    situation.opened.insert(spec.access.clone());
    situation.state = spec.state.bring(&situation.state);
    Evidence {
        entry: spec.id.clone(),
        item: Item::Test {
            test,
            answer,
            taken_in: None,
        },
    }
}

/// Controls that the last look found standing wrong, by sign and value: put right once something else is done than looking at
/// controls.
#[derive(Default)]
struct Found(BTreeMap<String, String>);

impl Found {
    fn put_right(&mut self, vehicle: &mut Vehicle) {
        for (sign, value) in std::mem::take(&mut self.0) {
            vehicle.mend(|c| c.signs.get(&sign) == Some(&value));
        }
    }

    /// What a look at a control found.
    fn look(&mut self, spec: &Test, answer: &Answer) {
        if let (Kind::Procedure { sign, outcomes, .. }, Answer::Outcome(k, _)) =
            (&spec.kind, answer)
        {
            match *k {
                0 => self.0.remove(sign),
                k => self.0.insert(sign.clone(), outcomes[k].0.clone()),
            };
        }
    }
}

/// Minutes of a class's repair, with the access that is not yet open.
fn repair_minutes(model: &Model, class: usize, situation: &Situation) -> f64 {
    let c = &model.classes[class];
    c.minutes + choose::access_minutes(model, &c.access, situation)
}

/// Two cases that no test tells apart: every predicted outcome distribution agrees.
pub fn alike(model: &Model, a: usize, b: usize) -> bool {
    model.rows.iter().all(|rows| {
        let apart = rows.row(a).iter().zip(rows.row(b));
        apart.map(|(x, y)| (x - y).abs()).sum::<f64>() < 0.25
    })
}

/// Would somebody who had taken every reading once name the right class first? What cannot be parted by any test sets
/// the ceiling of first repairs that are right. None when the owner notices nothing.
pub fn told_apart(model: &Model, truth: &FaultCase, errors: Errors, seed: u64) -> Option<bool> {
    let case = vec![truth.clone()];
    let mut vehicle = Vehicle::new(
        &model.profile,
        &model.net,
        case,
        &pairs(model),
        errors,
        seed,
    );
    let told = vehicle.complaint();
    if told.is_empty() {
        return None;
    }
    let mut evidence = complaint(&told);
    let situation = Situation::default();
    for (test, spec) in model.tests.iter().enumerate() {
        if spec.risk <= RISK_LIMIT {
            let answer = answer(model, &mut vehicle, test, &situation);
            evidence.push(Evidence {
                entry: spec.id.clone(),
                item: Item::Test {
                    test,
                    answer,
                    taken_in: None,
                },
            });
        }
    }
    let classes = Belief::of(model, &evidence).classes(model);
    let first = (0..classes.len()).max_by(|a, b| classes[*a].total_cmp(&classes[*b]))?;
    let right = |k: usize| {
        let members = &model.classes[first].members;
        members.iter().any(|m| *m == k || alike(model, k, *m))
    };
    let k = model.cases.iter().position(|c| c.key == truth.key)?;
    Some(class_of(model, truth) == Some(first) || right(k))
}

/// What the owner told, as evidence.
fn complaint(told: &[String]) -> Vec<Evidence> {
    let each = told.iter().map(|id| Evidence {
        entry: id.clone(),
        item: Item::Symptom {
            id: id.clone(),
            yes: true,
            customer: true,
        },
    });
    each.collect()
}

/// Share of a class among the faults of the catalogue.
fn known_share(model: &Model, belief: &Belief, class: usize) -> f64 {
    let cases = &belief.shares[..model.listed];
    let mine: f64 = model.classes.get(class).map_or(0.0, |c| {
        let members = c.members.iter();
        members.filter_map(|m| cases.get(*m)).sum()
    });
    mine / cases.iter().sum::<f64>().max(1e-300)
}

/// An answer to a look as another model of the same vehicle has it: the place by its name.
fn same_place(then: &Test, now: &Test, answer: &Answer) -> Answer {
    let places = |t: &Test| match &t.kind {
        Kind::Procedure { places, .. } => places.clone(),
        Kind::Probe(_) => Vec::new(),
    };
    match answer {
        Answer::Outcome(k, Some(place)) => {
            let (then, now) = (places(then), places(now));
            let named = then.get(*place);
            let place = named.and_then(|name| now.iter().position(|p| p == name));
            Answer::Outcome(*k, place)
        }
        other => other.clone(),
    }
}

/// Evidence as another model of the same vehicle has it, by the names of tests, classes and cases.
fn carried_over(old: &Model, new: &Model, evidence: &[Evidence]) -> Vec<Evidence> {
    let each = evidence.iter().filter_map(|e| {
        let item = match &e.item {
            Item::Test { test, answer, .. } => {
                let then = &old.tests[*test];
                let test = new.tests.iter().position(|t| t.id == then.id)?;
                Item::Test {
                    test,
                    answer: same_place(then, &new.tests[test], answer),
                    taken_in: None,
                }
            }
            Item::NotBuilt { case } => Item::NotBuilt {
                case: new
                    .cases
                    .iter()
                    .position(|c| c.key == old.cases[*case].key)?,
            },
            Item::Failed { class, still } => Item::Failed {
                class: new.class(&old.classes[*class].id)?,
                still: still.clone(),
            },
            Item::ByHand { class, out } => Item::ByHand {
                class: new.class(&old.classes[*class].id)?,
                out: *out,
            },
            other => other.clone(),
        };
        Some(Evidence {
            entry: e.entry.clone(),
            item,
        })
    });
    each.collect()
}

/// Shares that move by less than this change nothing that is done next; answers less likely than that are not counted on.
const IDLE_MOVE: f64 = 0.05;
const IDLE_CHANCE: f64 = 0.02;

/// Can no answer that is to be counted on change who leads, or move a share?
fn idle(model: &Model, belief: &Belief, test: usize) -> bool {
    let first = |shares: &[f64]| {
        let all = shares.iter().enumerate();
        all.max_by(|a, b| a.1.total_cmp(b.1)).map(|(k, _)| k)
    };
    let now = belief.classes(model);
    let bands = explain::bands(model, belief, test);
    let mut likely = bands.iter().filter(|b| b.chance > IDLE_CHANCE);
    likely.all(|b| {
        let still = |(a, n): (&f64, &f64)| (a - n).abs() < IDLE_MOVE;
        first(&b.after) == first(&now) && b.after.iter().zip(&now).all(still)
    })
}

/// How a line of the trail begins that only gives reasons.
pub const BECAUSE: &str = "because ";

/// What speaks loudest for a class and against it, for the trail: log odds.
pub fn because(model: &Model, belief: &Belief, evidence: &[Evidence], class: usize) -> String {
    let name = |(item, weight): &(usize, f64)| {
        let of = match &evidence[*item].item {
            Item::Test { test, .. } => model.tests[*test].id.as_str(),
            _ => evidence[*item].entry.as_str(),
        };
        format!("{of} {weight:+.1}")
    };
    let reasons = explain::reasons(model, belief, class);
    let loud: Vec<String> = reasons.iter().take(MOST_REASONS).map(name).collect();
    loud.join(", ")
}

/// Readings named as reasons.
const MOST_REASONS: usize = 12;

/// The leading suspects, for the trail.
pub fn leading(model: &Model, belief: &Belief) -> String {
    let classes = belief.classes(model);
    let (nothing, outside) = belief.others(model);
    let named = model.classes.iter().map(|c| c.id.as_str()).zip(classes);
    let mut all: Vec<(&str, f64)> = named
        .chain([("nothing", nothing), ("outside", outside)])
        .collect();
    all.sort_by(|a, b| b.1.total_cmp(&a.1));
    let first = all.iter().take(4).map(|(id, p)| format!("{id} {p:.2}"));
    first.collect::<Vec<_>>().join(", ")
}

/// Class of a case by its key, in the full model.
pub fn class_of(model: &Model, case: &FaultCase) -> Option<usize> {
    let k = model.cases.iter().position(|c| c.key == case.key)?;
    model.hypotheses[k].class
}

/// Classes whose repair cures a case. For one that stands in no catalogue, those that have a fault at the same part or
/// the same point: whoever renews or mends that cures it.
pub fn cures(model: &Model, case: &FaultCase) -> Vec<usize> {
    if let Some(class) = class_of(model, case) {
        return vec![class];
    }
    let ends = |e: usize| [model.net.elements[e].a, model.net.elements[e].b];
    let meets = |n: usize| {
        let each = 0..model.net.elements.len();
        each.filter(|e| ends(*e).contains(&n)).count()
    };
    // points of a fault, but not the rails, where everything meets; a part between two rails is known by itself
    let at = |part: Option<usize>, ends: [usize; 2]| {
        let part = part.map(|e| (true, e));
        part.into_iter().chain(ends.map(|n| (false, n)))
    };
    let places = |c: &FaultCase| -> BTreeSet<(bool, usize)> {
        let effects = c.effects.iter();
        let each = effects.flat_map(|e| at(e.element(), e.ends(&model.net)));
        each.filter(|(part, n)| *part || meets(*n) <= RAIL)
            .collect()
    };
    let mine = places(case);
    let touches = |h: &usize| {
        let listed = model.listed().get(*h);
        listed.is_some_and(|known| !places(known).is_disjoint(&mine))
    };
    (0..model.classes.len())
        .filter(|c| model.classes[*c].members.iter().any(touches))
        .collect()
}

/// Play it. `known` is what the engine believes; `full` has every fault of the catalogue, to tell the class of a truth
/// that `known` may lack. None when the owner notices nothing and does not come.
pub fn play(
    known: &Model,
    full: &Model,
    lists: &Lists,
    truth: &[FaultCase],
    setting: &Setting,
    seed: u64,
) -> Option<Played> {
    let mut vehicle = Vehicle::new(
        &full.profile,
        &full.net,
        truth.to_vec(),
        &pairs(full),
        setting.errors,
        seed,
    );
    let told = vehicle.complaint();
    if told.is_empty() {
        return None;
    }
    Some(play_on(
        known,
        full,
        lists,
        vehicle,
        told,
        setting,
        &|_, _| None,
    ))
}

/// Play a job on a vehicle that stands there, with what its owner told. On a sound one, handing it back is the right end,
/// and whatever is repaired before is wrong. `looked_at` says what is known of it after somebody made sure that it is built in
/// a certain way: none when it is not.
pub fn play_on(
    known: &Model,
    full: &Model,
    lists: &Lists,
    vehicle: Vehicle,
    told: Vec<String>,
    setting: &Setting,
    looked_at: &dyn Fn(&Model, &str) -> Option<Model>,
) -> Played {
    play_after(known, full, lists, vehicle, told, setting, looked_at, &[])
}

/// As [`play_on`], with some tests taken before anybody decides.
#[allow(clippy::too_many_arguments)] // what a job is played with
pub fn play_after(
    known: &Model,
    full: &Model,
    lists: &Lists,
    mut vehicle: Vehicle,
    told: Vec<String>,
    setting: &Setting,
    looked_at: &dyn Fn(&Model, &str) -> Option<Model>,
    first: &[usize],
) -> Played {
    let truth: Vec<FaultCase> = vehicle.truth().to_vec();
    let truth = truth.as_slice();
    let mut open: Vec<Vec<usize>> = truth.iter().map(|c| cures(full, c)).collect();
    let listed = |known: &Model, told: &[String]| match setting.policy {
        Policy::Swap => lists.swaps(full),
        other => lists.tests(known, told, other),
    };
    let mut list = listed(known, &told);
    let mut place = 0;
    let mut evidence = complaint(&told);
    let mut situation = Situation {
        risk_limit: RISK_LIMIT,
        ..Situation::default()
    };
    let mut played = Played {
        truth: truth.iter().map(|c| c.key.clone()).collect(),
        classes: open
            .iter()
            .flatten()
            .map(|c| full.classes[*c].id.clone())
            .collect(),
        told,
        minutes: 0.0,
        least: {
            let fresh = Situation::default();
            let cheapest = |of: &Vec<usize>| {
                let each = of.iter().map(|c| (*c, repair_minutes(full, *c, &fresh)));
                each.min_by(|a, b| a.1.total_cmp(&b.1))
            };
            let needed: BTreeMap<usize, f64> = open.iter().filter_map(cheapest).collect();
            needed.values().map(|m| m + PROVE_MINUTES).sum()
        },
        wrong_parts: 0,
        first_right: false,
        first_cured: false,
        stated: 0.0,
        stated_known: 0.0,
        repaired: Vec::new(),
        before_a_part: Vec::new(),
        recognised: None,
        finished: false,
        referred: false,
        tests: 0,
        idle: 0,
        trail: Vec::new(),
    };
    let mut told_ever: BTreeSet<String> = played.told.iter().cloned().collect();
    let mut repairs = 0;
    let mut parts = 0;
    let mut corrected: Option<Model> = None;
    let mut found = Found::default();
    for test in first {
        if let Some(new) = not_there(known, full, &vehicle, *test, looked_at) {
            played.recognised = Some(0);
            corrected = Some(new);
        }
        let a = answer(known, &mut vehicle, *test, &situation);
        played.before_a_part.push(known.tests[*test].id.clone());
        played
            .trail
            .push(format!("{} first {a:?}", known.tests[*test].id));
        evidence.push(taken(known, *test, a, &mut situation));
    }
    if let Some(new) = &corrected {
        evidence = carried_over(known, new, &evidence);
    }
    let begun = corrected.as_ref().unwrap_or(known);
    let mut course = Course::new(begun);
    let mut belief = course.after(begun, &evidence).clone();
    while played.tests < MOST_TESTS
        && repairs
            < MOST_REPAIRS.max(if setting.policy == Policy::Swap {
                200
            } else {
                0
            })
    {
        let known = corrected.as_ref().unwrap_or(known);
        let (action, candidate) = decide(
            setting.policy,
            Point {
                model: known,
                belief: &belief,
                evidence: &evidence,
                situation: &situation,
                prices: &setting.prices,
            },
            &list,
            &mut place,
        );
        match action {
            Action::Test(test) | Action::Ask(test, _) => {
                let spec = &known.tests[test];
                // a list goes on as it was printed
                let engine = setting.policy == Policy::Engine;
                let missing = || not_there(known, full, &vehicle, test, looked_at);
                if let Some(new) = engine.then(missing).flatten() {
                    played.minutes += LOOK_MINUTES;
                    played.recognised.get_or_insert(parts);
                    played.trail.push(format!("{}: no such point", spec.id));
                    evidence = carried_over(known, &new, &evidence);
                    course = Course::new(&new);
                    belief = course.after(&new, &evidence).clone();
                    list = listed(&new, &played.told);
                    corrected = Some(new);
                    continue;
                }
                if !spec.control {
                    found.put_right(&mut vehicle);
                }
                let a = answer(known, &mut vehicle, test, &situation);
                if spec.control {
                    found.look(spec, &a);
                }
                if parts == 0 && a != Answer::CannotReach {
                    played.before_a_part.push(spec.id.clone());
                }
                played.minutes += candidate.as_ref().map_or(0.0, |c| c.minutes);
                played.tests += 1;
                let idles = setting.policy == Policy::Engine && idle(known, &belief, test);
                played.idle += usize::from(idles);
                played.trail.push(format!(
                    "{} {:.0} min {a:?}{}",
                    spec.id,
                    candidate.as_ref().map_or(0.0, |c| c.minutes),
                    if idles { " changes nothing" } else { "" }
                ));
                evidence.push(taken(known, test, a, &mut situation));
                belief = course.after(known, &evidence).clone();
            }
            Action::Repair(class) | Action::Decline(class) => {
                repairs += 1;
                found.put_right(&mut vehicle);
                let model = if setting.policy == Policy::Swap {
                    full
                } else {
                    known
                };
                played.minutes += repair_minutes(model, class, &situation) + PROVE_MINUTES;
                situation.opened.insert(model.classes[class].access.clone());
                let id = &model.classes[class].id;
                played.repaired.push(id.clone());
                parts += usize::from(model.classes[class].band != "0");
                let cured = |of: &Vec<usize>| of.iter().any(|c| &full.classes[*c].id == id);
                let right = open.iter().any(cured);
                let share = belief.classes(known).get(class).copied().unwrap_or(0.0);
                played
                    .trail
                    .push(format!("repair {id} at {share:.2}: {right}"));
                played.trail.push(format!(
                    "{BECAUSE}{} of {}",
                    because(known, &belief, &evidence, class),
                    leading(known, &belief)
                ));
                if repairs == 1 {
                    played.stated = share;
                    played.first_cured = right;
                    played.stated_known = known_share(known, &belief, class);
                    played.first_right = right
                        || truth.iter().any(|t| {
                            let k = full.cases.iter().position(|c| c.key == t.key);
                            let mine = full.class(id).map(|c| full.classes[c].members.clone());
                            k.zip(mine)
                                .is_some_and(|(k, m)| m.iter().any(|x| alike(full, k, *x)))
                        });
                }
                if right {
                    open.retain(|of| !cured(of));
                    vehicle.mend(|c| cured(&cures(full, c)));
                    if open.is_empty() {
                        played.finished = true;
                        return played;
                    }
                } else if model.classes[class].band != "0" {
                    played.wrong_parts += 1;
                }
                // it is tried out: nothing left that the owner would notice ends the job; where nothing was wrong, nothing
                // was cured
                let shows = vehicle.complaint();
                if shows.is_empty() {
                    played.finished = !truth.is_empty();
                    return played;
                }
                // something still shows: what was read before may be read again
                if setting.policy != Policy::Swap {
                    let still = played.told.iter().map(|s| (s.clone(), shows.contains(s)));
                    evidence.push(Evidence {
                        entry: format!("failed {id}"),
                        item: if setting.pairs {
                            Item::Failed {
                                class,
                                still: still.collect(),
                            }
                        } else {
                            Item::ByHand { class, out: true }
                        },
                    });
                    let new = shows.iter().filter(|s| !told_ever.contains(*s));
                    let seen = new.map(|id| Evidence {
                        entry: id.clone(),
                        item: Item::Symptom {
                            id: id.clone(),
                            yes: true,
                            customer: false,
                        },
                    });
                    evidence.extend(seen);
                    told_ever.extend(shows);
                    if setting.pairs {
                        situation.closed.retain(|id| {
                            let test = known.tests.iter().position(|t| &t.id == id);
                            test.is_none_or(|t| !choose::moved_by(known, class, t))
                        });
                    }
                    belief = course.after(known, &evidence).clone();
                }
            }
            Action::Built(case) => {
                // whoever looks at a component sees which of all kinds it is
                let seen: Vec<usize> = iter::once(case).chain(known.other_kinds(case)).collect();
                played.minutes += LOOK_MINUTES;
                let found = seen.iter().find_map(|c| {
                    let id = &known.cases[*c].x;
                    Some((id, looked_at(known, id)?))
                });
                let asked = &known.cases[case].x;
                played.trail.push(match &found {
                    Some((id, _)) if *id != asked => format!("looked, {asked}: it is {id}"),
                    other => format!("looked whether it is built {asked}: {}", other.is_some()),
                });
                let new = found.map(|(_, model)| model);
                match new {
                    Some(new) => {
                        played.recognised.get_or_insert(parts);
                        evidence = carried_over(known, &new, &evidence);
                        course = Course::new(&new);
                        belief = course.after(&new, &evidence).clone();
                        list = listed(&new, &played.told);
                        corrected = Some(new);
                    }
                    None => {
                        evidence.extend(seen.into_iter().map(|case| Evidence {
                            entry: format!("not {}", known.cases[case].x),
                            item: Item::NotBuilt { case },
                        }));
                        belief = course.after(known, &evidence).clone();
                    }
                }
            }
            Action::HandBack => {
                played.minutes += 10.0;
                if open.is_empty() {
                    played.finished = true;
                    return played;
                }
                // it comes back, and goes elsewhere
                played.minutes += REFERRED_MINUTES;
                played
                    .trail
                    .push(format!("handed back: {}", leading(known, &belief)));
                played.referred = true;
                return played;
            }
            Action::Refer => {
                played.minutes += REFERRED_MINUTES;
                played.referred = true;
                played
                    .trail
                    .push(format!("referred: {}", leading(known, &belief)));
                return played;
            }
        }
    }
    // given up: somebody else finds it
    played.minutes += REFERRED_MINUTES;
    played
}
