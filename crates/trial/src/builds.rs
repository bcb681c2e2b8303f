//! Jobs on random builds: vehicles put together from components that go together, of which the intake assumes some wrongly.

use crate::job::{Played, Setting, pairs_on, play_after};
use crate::policy::{Lists, Policy};
use crate::score::{extra, mean};
use crate::worlds::{ERRORS, share};
use spannung_circuit::{FaultCase, Profile};
use spannung_core::CoreError;
use spannung_core::catalogue::Catalogue;
use spannung_core::cores::share_out;
use spannung_core::diagnosis::Model;
use spannung_core::diagnosis::column::Column;
use spannung_core::diagnosis::plan::Prices;
use spannung_core::diagnosis::ways::BUILT;
use spannung_sim::builds::{Comes, Guest};

/// A job on a random build.
#[derive(Debug, Clone)]
pub struct Job {
    /// What the intake assumed wrongly.
    pub wrong: Option<String>,
    /// Does anything read otherwise with it?
    pub modelled: bool,
    /// Was something read, before a part was changed, that reads otherwise with it, broken as the vehicle is?
    pub read: bool,
    /// Played by the engine after the points were read that tell it from what was assumed.
    pub shown: Option<Played>,
    /// Repair class of the wrong join.
    pub crossed: Option<String>,
    /// How the vehicle was put together.
    pub built: String,
    /// Played by the engine.
    pub engine: Played,
    /// Played by the checklist of the complaint.
    pub checklist: Played,
}

impl Job {
    /// Was what the intake assumed wrongly recognised before a part was changed?
    pub fn recognised(&self) -> bool {
        self.engine.recognised == Some(0)
    }

    /// Did anything before a part was changed speak of it: a reading, the look of its card, a pin that there is not?
    pub fn met(&self) -> bool {
        self.read || self.engine.recognised.is_some()
    }

    /// Was the wrong join put right?
    pub fn uncrossed(&self) -> bool {
        let class = self.crossed.as_ref();
        class.is_some_and(|c| self.engine.repaired.contains(c))
    }
}

/// Which vehicles come in.
#[derive(Debug, Clone, Copy)]
pub struct Work {
    /// How many with a fault.
    pub jobs: usize,
    /// How many more of which the intake assumes a component wrongly.
    pub wrong: usize,
    /// How many with nothing wrong but what the intake assumed.
    pub sound: usize,
    /// First seed.
    pub seed: u64,
}

/// What became of them.
#[derive(Debug, Clone, Default)]
pub struct Outcome {
    /// With a fault.
    pub faulty: Vec<Job>,
    /// More of which a component was assumed wrongly, to learn how often that is recognised.
    pub wrong: Vec<Job>,
    /// With nothing wrong.
    pub sound: Vec<Played>,
}

/// Seeds tried for one that comes.
const TRIES: u64 = 40;

/// Tests taken that tell a way to build a vehicle from the drawing.
const TELLING: usize = 2;

/// A reading that differs by more than so many deviations of the instrument, or an answer by this chance, differs.
const DEVIATIONS: f64 = 3.0;
const CHANCE: f64 = 0.3;

/// A vehicle as the intake knows it and as it is, with what is wrong with it.
struct Both<'a> {
    known: &'a Model,
    real: &'a Model,
    faults: &'a [FaultCase],
}

impl Both<'_> {
    /// Does a test read otherwise on the vehicle as it is than on the one that the intake knows, broken as it is? On a dead
    /// vehicle a lever of another kind reads nothing as well.
    fn differ(&self, test: usize) -> bool {
        let id = &self.known.tests[test].id;
        let Some(there) = self.real.tests.iter().position(|t| &t.id == id) else {
            return true;
        };
        self.faults.iter().all(|fault| {
            let case = |m: &Model| m.cases.iter().position(|c| c.key == fault.key);
            let (Some(then), Some(now)) = (case(self.known), case(self.real)) else {
                return true;
            };
            match (&*self.known.columns[test], &*self.real.columns[there]) {
                (
                    Column::Figures {
                        scale,
                        dims,
                        readings: a,
                        ..
                    },
                    Column::Figures { readings: b, .. },
                ) => (0..*dims).any(|d| {
                    let (a, b) = (a.of(then).mean[d], b.of(now).mean[d]);
                    (a - b).abs() > DEVIATIONS * scale.instrument(a)
                }),
                (Column::Outcomes { cases: a, .. }, Column::Outcomes { cases: b, .. }) => {
                    let mut each = a[then].iter().zip(&b[now]);
                    each.any(|(a, b)| (a - b).abs() > CHANCE)
                }
                _ => true,
            }
        })
    }
}

/// The tests that tell best whether a vehicle is built in a certain way, of those that can tell it on this one.
fn telling(both: &Both<'_>, case: usize) -> Vec<usize> {
    let model = both.known;
    let apart = |t: usize| -> f64 {
        let rows = &model.rows[t];
        let built = rows.row(case).iter().zip(&rows.healthy);
        built.map(|(a, b)| (a - b).abs()).sum()
    };
    let mut all: Vec<(usize, f64)> = (0..model.tests.len()).map(|t| (t, apart(t))).collect();
    all.sort_by(|a, b| b.1.total_cmp(&a.1));
    let apart = all.iter().filter(|t| t.1 > 1.0 && both.differ(t.0));
    apart.take(TELLING).map(|t| t.0).collect()
}

struct Shop<'a> {
    catalogue: &'a Catalogue,
    lists: &'a Lists,
}

impl Shop<'_> {
    fn play(&self, guest: &Guest, comes: Comes) -> Result<Job, CoreError> {
        let sound = comes == Comes::Sound;
        let build = &guest.build;
        let model = |profile: &Profile| Model::build(self.catalogue, profile);
        let known = model(&build.known)?;
        let own = build
            .wrong
            .as_ref()
            .map(|_| model(&build.real))
            .transpose()?;
        let full = own.as_ref().unwrap_or(&known);
        let mut pairs = pairs_on(&known, &build.net);
        pairs.extend(pairs_on(full, &build.net));
        let play = |policy, first: &[usize]| {
            let setting = Setting {
                policy,
                errors: ERRORS,
                prices: Prices::default(),
                pairs: true,
            };
            let looked_at = |_: &Model, id: &str| {
                let so = build.wrong.as_deref() == Some(id);
                so.then(|| full.clone())
            };
            let (vehicle, told) = guest.vehicle(sound, &pairs, ERRORS);
            play_after(
                &known, full, self.lists, vehicle, told, &setting, &looked_at, first,
            )
        };
        let class = |key: &String| {
            let k = full.cases.iter().position(|c| &c.key == key)?;
            Some(full.classes[full.hypotheses[k].class?].id.clone())
        };
        let told = build.told.iter().map(|c| format!("{c:?}"));
        let built = std::iter::once(build.family.id.clone()).chain(told);
        let engine = play(Policy::Engine, &[]);
        let way = build.wrong.as_ref().and_then(|w| {
            let key = format!("{BUILT}:{w}");
            known.cases.iter().position(|c| c.key == key)
        });
        let both = Both {
            known: &known,
            real: full,
            faults: if sound { &[] } else { &guest.faults },
        };
        let moves = |case: usize, id: &String| {
            let test = known.tests.iter().position(|t| &t.id == id);
            test.is_some_and(|t| known.moves(t, case) && both.differ(t))
        };
        let read = way.is_some_and(|case| engine.before_a_part.iter().any(|id| moves(case, id)));
        Ok(Job {
            wrong: build.wrong.clone(),
            modelled: way.is_some(),
            read,
            shown: way
                .filter(|_| !sound)
                .map(|case| telling(&both, case))
                .filter(|first| !first.is_empty())
                .map(|first| play(Policy::Engine, &first)),
            crossed: guest.crossed.as_ref().and_then(class),
            built: built.collect::<Vec<_>>().join(", "),
            // how it compares is told by those that come as they do
            checklist: match comes {
                Comes::Faulty => play(Policy::Complaint, &[]),
                Comes::AssumedWrongly | Comes::Sound => engine.clone(),
            },
            engine,
        })
    }

    /// Who comes is settled first, so that the figures do not depend on the number of cores.
    fn guests(&self, wanted: usize, comes: Comes, first: u64) -> Result<Vec<Guest>, CoreError> {
        let mut out = Vec::new();
        for seed in (first..).take(wanted * TRIES as usize) {
            if out.len() == wanted {
                break;
            }
            out.extend(Guest::of(seed, comes, ERRORS)?);
        }
        Ok(out)
    }

    fn many(&self, wanted: usize, comes: Comes, first: u64) -> Result<Vec<Job>, CoreError> {
        let guests = self.guests(wanted, comes, first)?;
        let each = share_out(guests.len(), |places| {
            let job = |k: &usize| (*k, self.play(&guests[*k], comes));
            places.iter().map(job).collect::<Vec<_>>()
        });
        each.into_iter().collect()
    }
}

/// Play them.
///
/// # Errors
/// Data files that do not read, a build without a model.
pub fn play(catalogue: &Catalogue, lists: &Lists, work: Work) -> Result<Outcome, CoreError> {
    let shop = Shop { catalogue, lists };
    let sound = shop.many(work.sound, Comes::Sound, work.seed + 1_000_000)?;
    Ok(Outcome {
        faulty: shop.many(work.jobs, Comes::Faulty, work.seed)?,
        wrong: shop.many(work.wrong, Comes::AssumedWrongly, work.seed + 2_000_000)?,
        sound: sound.into_iter().map(|j| j.engine).collect(),
    })
}

/// Head of the table of [`Outcome::rows`].
pub const HEAD: &str = "| vehicles | jobs | ÷ checklist | wrong parts | first right | finished | extra min | recognised | tests |\n| --- | ---: | ---: | ---: | ---: | ---: | ---: | ---: | ---: |";

impl Outcome {
    fn row(name: &str, jobs: &[&Job], found: Option<f64>) -> String {
        let engine: Vec<Played> = jobs.iter().map(|j| j.engine.clone()).collect();
        let list: Vec<Played> = jobs.iter().map(|j| j.checklist.clone()).collect();
        format!(
            "| {name} | {} | {:.3} | {:.3} | {:.3} | {:.3} | {:.1} | {} | {:.1} |",
            jobs.len(),
            mean(&engine, extra) / mean(&list, extra).max(1e-9),
            mean(&engine, |j| j.wrong_parts as f64),
            share(&engine, |j| j.first_right),
            share(&engine, |j| j.finished),
            mean(&engine, extra),
            found.map_or_else(|| "–".into(), |f| format!("{f:.3}")),
            mean(&engine, |j| j.tests as f64),
        )
    }

    /// Jobs on vehicles of which the intake assumes a component wrongly.
    fn assumed_wrongly(&self) -> Vec<&Job> {
        let all = self.faulty.iter().chain(&self.wrong);
        all.filter(|j| j.wrong.is_some()).collect()
    }

    /// Share of wrongly assumed components that were recognised before a part was changed, of those that anything spoke of.
    pub fn recognised(&self) -> f64 {
        let mut met = self.assumed_wrongly();
        met.retain(|j| j.met());
        part(&met, Job::recognised)
    }

    /// The same, of all whose points were read first.
    pub fn shown(&self) -> f64 {
        let all = self.assumed_wrongly();
        let shown: Vec<&Played> = all.iter().filter_map(|j| j.shown.as_ref()).collect();
        let seen = shown.iter().filter(|p| p.recognised == Some(0));
        seen.count() as f64 / shown.len().max(1) as f64
    }

    /// Share of wrong joins that were put right.
    pub fn uncrossed(&self) -> f64 {
        let wrong: Vec<&Job> = self.faulty.iter().filter(|j| j.crossed.is_some()).collect();
        part(&wrong, Job::uncrossed)
    }

    /// Share of sound vehicles of another make on which a repair was done.
    pub fn blamed(&self) -> f64 {
        share(&self.sound, |j| j.stated > 0.0)
    }

    /// Rows: all, as assumed, wrongly assumed, with a wrong join.
    pub fn rows(&self) -> Vec<String> {
        let all: Vec<&Job> = self.faulty.iter().collect();
        let of = |holds: &dyn Fn(&Job) -> bool| -> Vec<&Job> {
            all.iter().copied().filter(|j| holds(j)).collect()
        };
        let plain = of(&|j| j.wrong.is_none() && j.crossed.is_none());
        let wrong = of(&|j| j.wrong.is_some());
        let more = self.assumed_wrongly();
        let shown = more.iter().filter(|j| j.shown.is_some()).count();
        let met = more.iter().filter(|j| j.met()).count();
        let read: Vec<&Job> = more.iter().copied().filter(|j| j.read).collect();
        let crossed = of(&|j| j.crossed.is_some());
        let seen = |name: &str, jobs: usize, found: f64| {
            format!("| {name} | {jobs} | | | | | | {found:.3} | |")
        };
        vec![
            Self::row("all", &all, None),
            Self::row("as assumed", &plain, None),
            Self::row(
                "one component wrongly assumed",
                &wrong,
                Some(part(&wrong, Job::recognised)),
            ),
            Self::row("with a wrong join", &crossed, Some(self.uncrossed())),
            seen(
                "one component wrongly assumed, and more of them",
                more.len(),
                part(&more, Job::recognised),
            ),
            seen(
                "of these, a reading or a card's look met it",
                met,
                self.recognised(),
            ),
            seen(
                "of these, a reading met it",
                read.len(),
                part(&read, Job::recognised),
            ),
            seen("of these, its points read first", shown, self.shown()),
        ]
    }

    /// The worst jobs, most extra minutes first.
    pub fn worst(&self) -> Vec<&Job> {
        let mut all: Vec<&Job> = self.faulty.iter().collect();
        all.sort_by(|a, b| extra(&b.engine).total_cmp(&extra(&a.engine)));
        all
    }
}

fn part(jobs: &[&Job], holds: impl Fn(&Job) -> bool) -> f64 {
    jobs.iter().filter(|j| holds(j)).count() as f64 / jobs.len().max(1) as f64
}
