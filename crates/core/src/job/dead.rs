//! Measured dead first. After a sign of a power fault (burnt, popped, melted, dragging, a second fuse) the battery and the
//! key stay off until the readings of `data/gate.toml` are as they should be. Readings alone clear it: no answer, no later
//! "no" and no repair by itself does.

use crate::catalogue::{Catalogue, DeadSpec};
use crate::job::entry::vocabulary::ReadOn;
use crate::job::state::{Job, Mark, PointTaken, Taken};
use crate::reading::{Figure, Unit};
use serde::Serialize;
use spannung_circuit::state::Battery;
use utoipa::ToSchema;

/// What told of a power fault last.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PowerFault {
    /// Where in the log: readings before it clear nothing.
    pub seq: i64,
    /// In words.
    pub why: String,
}

impl Job {
    /// Something told of a power fault: from here on the dead readings count.
    pub(in crate::job) fn power_fault(&mut self, mark: &Mark, why: String) {
        self.power_fault = Some(PowerFault { seq: mark.seq, why });
    }
}

/// How a dead reading stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum DeadStanding {
    /// Not taken, or not all of it.
    Open,
    /// As it should be.
    Right,
    /// Not as it should be: mended first, then taken again.
    Wrong,
}

/// A dead reading as it stands.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct DeadReading {
    /// Id.
    pub id: String,
    /// Name.
    pub name: String,
    /// Limit in words.
    pub limit: String,
    /// How it is done.
    pub how: String,
    /// How it stands.
    pub standing: DeadStanding,
    /// What was read, in order.
    pub shown: Vec<String>,
    /// Tests or points it takes.
    pub of: usize,
    /// Test of the Bench to take next; none without a wiring model and when it is as it should.
    pub test: Option<String>,
    /// Point to take, where there is no wiring model.
    pub point: Option<String>,
    /// Unit of the point.
    pub unit: Option<Unit>,
}

/// The lock and what opens it.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct DeadFirst {
    /// What told of a power fault.
    pub why: String,
    /// What it means.
    pub caution: String,
    /// Readings in the order they are taken.
    pub readings: Vec<DeadReading>,
}

/// The dead readings of this vehicle, when something told of a power fault; none without such a sign.
pub fn readings(catalogue: &Catalogue, job: &Job) -> Vec<DeadReading> {
    let Some(fault) = &job.power_fault else {
        return Vec::new();
    };
    let family = job.family(catalogue);
    let asked = catalogue.dead.iter().filter(|d| match family {
        Some(f) => !d.tests.is_empty() && f.fits(&d.fits),
        None => d.point.is_some(),
    });
    asked
        .map(|d| {
            let renewed = job
                .parts
                .iter()
                .filter(|p| p.class.as_ref().is_none_or(|c| d.renewed_by.contains(c)));
            // a part put in since is not the one that was measured
            let since = renewed.map(|p| p.mark.seq).fold(fault.seq, i64::max);
            reading(job, d, since, family.is_some())
        })
        .collect()
}

/// The lock, while it holds: some dead reading is not as it should.
pub fn first(catalogue: &Catalogue, job: &Job) -> Option<DeadFirst> {
    let fault = job.power_fault.as_ref()?;
    let readings = readings(catalogue, job);
    // a vehicle of which nothing is asked stays locked rather than opening by itself
    let holds = readings.is_empty() || readings.iter().any(|r| r.standing != DeadStanding::Right);
    holds.then(|| DeadFirst {
        why: fault.why.clone(),
        caution: catalogue.power_fault.caution.clone(),
        readings,
    })
}

/// Is nothing to be switched on?
pub fn locked(catalogue: &Catalogue, job: &Job) -> bool {
    first(catalogue, job).is_some()
}

fn reading(job: &Job, spec: &DeadSpec, since: i64, modelled: bool) -> DeadReading {
    let figures: Vec<Option<Figure>> = if modelled {
        let last = |test: &String| {
            let mut taken = job.taken.iter().rev();
            let dead = |t: &&Taken| {
                &t.test == test && !t.voided && t.seq > since && t.state.battery == Battery::Out
            };
            taken.find(dead).and_then(|t| t.figure)
        };
        spec.tests.iter().map(last).collect()
    } else {
        let mut taken = job.points.iter().rev();
        let dead = |p: &&PointTaken| {
            spec.point.as_ref() == Some(&p.point)
                && p.on == ReadOn::This
                && p.unit == Unit::Ohms
                && !p.voided
                && p.mark.seq > since
        };
        vec![taken.find(dead).and_then(|p| p.figure)]
    };
    let taken: Vec<Figure> = figures.iter().copied().flatten().collect();
    let wrong = !taken.iter().all(|f| within(spec, *f)) || !alike(spec, &taken);
    let standing = if wrong {
        DeadStanding::Wrong
    } else if taken.len() < figures.len() {
        DeadStanding::Open
    } else {
        DeadStanding::Right
    };
    let open = |f: &Option<Figure>| f.is_none_or(|f| !within(spec, f));
    let next = figures.iter().position(open).or_else(|| wrong.then_some(0));
    DeadReading {
        id: spec.id.get_ref().clone(),
        name: spec.name.clone(),
        limit: spec.limit.clone(),
        how: spec.how.clone(),
        standing,
        shown: taken.iter().map(Figure::shown).collect(),
        of: figures.len(),
        test: next
            .and_then(|k| spec.tests.get(k))
            .filter(|_| modelled)
            .cloned(),
        point: spec.point.clone().filter(|_| !modelled),
        unit: (!modelled).then_some(Unit::Ohms),
    }
}

fn within(spec: &DeadSpec, figure: Figure) -> bool {
    let low = spec
        .least
        .is_none_or(|least| figure.over_range || figure.low >= least);
    let high = spec
        .most
        .is_none_or(|most| !figure.over_range && figure.high <= most);
    low && high
}

fn alike(spec: &DeadSpec, figures: &[Figure]) -> bool {
    let Some(share) = spec.alike else {
        return true;
    };
    let low = figures.iter().map(|f| f.low).fold(f64::INFINITY, f64::min);
    let high = figures
        .iter()
        .map(|f| f.high)
        .fold(f64::NEG_INFINITY, f64::max);
    // nothing taken, or nothing to compare
    high <= low || high - low <= share * (high + low) / 2.0
}
