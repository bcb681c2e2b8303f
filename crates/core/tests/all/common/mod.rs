//! What the tests of this crate share: the catalogue, a model of a family, told symptoms, and a job written entry by
//! entry.

pub mod samples;

use spannung_circuit::build::Shelf;
use spannung_circuit::{Change, Family, Profile};
use spannung_core::catalogue::Catalogue;
use spannung_core::diagnosis::column::Column;
use spannung_core::diagnosis::{Answer, Evidence, Item, Model};
use spannung_core::job::danger::OnPack;
use spannung_core::job::entry;
use spannung_core::job::entry::{Body, Logged, Outcome, ReadingResult, Role};
use spannung_core::job::gate::{self, Standing};
use spannung_core::job::{Job, admit};
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};
use time::OffsetDateTime;
use uuid::Uuid;

pub fn catalogue() -> &'static Catalogue {
    static C: OnceLock<Catalogue> = OnceLock::new();
    C.get_or_init(|| Catalogue::shipped().unwrap())
}

/// A family that ships.
pub fn family(id: &str) -> &'static Family {
    let all = &catalogue().families;
    all.iter().find(|f| f.id == id).unwrap()
}

/// The model of an unchanged vehicle, made anew.
pub fn fresh_model(id: &str) -> Model {
    Model::build(catalogue(), &Profile::new(family(id), &[]).unwrap()).unwrap()
}

/// The same, made once for all tests.
pub fn model(id: &str) -> &'static Model {
    static MODELS: Mutex<BTreeMap<String, Arc<OnceLock<&'static Model>>>> =
        Mutex::new(BTreeMap::new());
    let place = {
        let mut models = MODELS.lock().unwrap_or_else(PoisonError::into_inner);
        Arc::clone(models.entry(id.into()).or_default())
    };
    place.get_or_init(|| Box::leak(Box::new(fresh_model(id))))
}

/// Models of all families that ship.
pub fn models() -> impl Iterator<Item = &'static Model> {
    catalogue().families.iter().map(|f| model(&f.id))
}

/// For every component kind that no ready build has, a model of the first ready build that takes it, with it in place.
pub fn with_every_kind() -> &'static [Model] {
    static MODELS: OnceLock<Vec<Model>> = OnceLock::new();
    MODELS.get_or_init(|| {
        let families = &catalogue().families;
        let ready = |kind: &str| {
            let mut all = families.iter().flat_map(|f| &f.build.components);
            all.any(|c| c.kind == kind)
        };
        let with = |slot: &str, kind: &str| {
            let swap = Change::Component {
                slot: slot.into(),
                kind: Some(kind.into()),
            };
            let takes = |f| Profile::new(f, std::slice::from_ref(&swap)).ok();
            let profile = families.iter().find_map(takes);
            let profile = profile.unwrap_or_else(|| panic!("{kind} goes nowhere"));
            Model::build(catalogue(), &profile).unwrap()
        };
        let shelf = Shelf::shipped().unwrap();
        let fits = shelf.slots.iter().flat_map(|slot| {
            let kinds = shelf.fitting(slot.id.get_ref()).into_iter();
            kinds.map(move |kind| (slot.id.get_ref(), kind.id.get_ref()))
        });
        fits.filter(|(_, kind)| !ready(kind))
            .map(|(slot, kind)| with(slot, kind))
            .collect()
    })
}

/// A symptom that the customer told.
pub fn told(id: &str) -> Evidence {
    Evidence {
        entry: id.into(),
        item: Item::Symptom {
            id: id.into(),
            yes: true,
            customer: true,
        },
    }
}

/// A test with what it showed.
pub fn test_item(test: usize, answer: Answer) -> Evidence {
    Evidence {
        entry: test.to_string(),
        item: Item::Test {
            test,
            answer,
            taken_in: None,
        },
    }
}

/// What a vehicle shows at a test, sound or with a fault case.
pub fn shows(model: &Model, test: usize, fault: Option<usize>) -> Answer {
    match &*model.columns[test] {
        Column::Figures {
            scale, readings, ..
        } => {
            let p = fault.map_or(&readings.healthy, |k| readings.of(k));
            Answer::Figure {
                low: scale.from(p.mean[0]),
                high: scale.from(p.mean[1]),
            }
        }
        Column::Outcomes { .. } => Answer::Outcome(0, None),
    }
}

#[derive(Default)]
/// A log that is written entry by entry.
pub struct Log {
    pub entries: Vec<Logged>,
    pub brought: Vec<OnPack>,
}

impl Log {
    pub fn opened() -> Self {
        Self::of(48, "geared-hub")
    }
    /// A job on a vehicle of this class and drive.
    pub fn of(volts_class: u16, drive: &str) -> Self {
        let mut log = Self::default();
        log.add(Body::Opened(entry::Opened {
            words: "Dead".into(),
            volts_class,
            drive: drive.into(),
            seconds: 0.0,
            from_job: None,
        }));
        log
    }
    pub fn with_pack() -> Self {
        let mut log = Self::opened();
        log.put_on();
        log
    }
    /// A job on a vehicle of this family: what its volts and drive begin with, or told to be like it.
    pub fn of_family(family: &Family) -> Self {
        let road = &catalogue().road;
        let first = catalogue().family(family.volts_class, &family.drive);
        if first.is_some_and(|f| f.id == family.id) {
            return Self::of(family.volts_class, &family.drive);
        }
        let near = road.iter().find(|r| r.drive == family.drive).unwrap();
        let mut log = Self::of(near.volts, &near.drive);
        log.add(Body::Change(entry::Change {
            change: spannung_circuit::Change::Kind {
                family: family.id.clone(),
            },
            source: None,
        }));
        log
    }
    /// The same with its pack named.
    pub fn on(id: &str) -> Self {
        let mut log = Self::of_family(family(id));
        log.put_on();
        log
    }
    fn put_on(&mut self) {
        self.add(Body::Pack(entry::Pack {
            pack: Uuid::from_u128(1),
            sticker: "K-1".into(),
            known: false,
        }));
    }
    pub fn add(&mut self, body: Body) -> Uuid {
        let id = Uuid::from_u128(1000 + self.entries.len() as u128);
        self.entries.push(Logged {
            id,
            seq: self.entries.len() as i64 + 1,
            at: OffsetDateTime::UNIX_EPOCH,
            by: "Ada".into(),
            by_id: None,
            body,
        });
        id
    }
    /// As [`Self::add`], by somebody at a minute of the day.
    pub fn at(&mut self, minute: i64, by: &str, body: Body) -> Uuid {
        let id = self.add(body);
        let last = self.entries.last_mut().unwrap();
        last.at += time::Duration::minutes(minute);
        last.by = by.into();
        id
    }
    pub fn job(&self) -> Job {
        Job::fold(catalogue(), &self.entries, &self.brought)
    }
    pub fn standing(&self) -> Standing {
        gate::standing(catalogue(), &self.job())
    }
    pub fn refuses(&self, body: &Body, role: Role) -> Option<&'static str> {
        match admit::admit(catalogue(), &self.job(), body, role) {
            Err(spannung_core::CoreError::Entry { code, .. }) => Some(code.word()),
            _ => None,
        }
    }
    pub fn clear_gate(&mut self) {
        for (check, answer, typed) in CLEAR {
            self.add(gate(check, answer, typed));
        }
    }
    /// Name the vehicle and its owner.
    pub fn name_it(&mut self) {
        self.add(Body::Vehicle(entry::Vehicle {
            name: "Net loft bike".into(),
            frame_number: None,
            controller: None,
        }));
        self.add(Body::Customer(entry::Customer {
            customer: Uuid::from_u128(7),
        }));
    }
    /// The sentence with which it is refused.
    pub fn sentence(&self, body: &Body) -> Option<String> {
        let refused = admit::admit(catalogue(), &self.job(), body, Role::Technician).err()?;
        Some(refused.to_string())
    }
}

/// Answers that close every contact of the gate.
pub const CLEAR: [(&str, &str, Option<&str>); 9] = [
    ("shape", "flat", None),
    ("leak", "none", None),
    ("heat", "cool", None),
    ("fall", "none", None),
    ("water", "dry", None),
    ("floor", "above", Some("51.0")),
    ("smell", "none", None),
    ("wheel", "up", None),
    ("off", "reach", None),
];

pub fn gate(check: &str, answer: &str, typed: Option<&str>) -> Body {
    Body::Gate(entry::Gate {
        check: check.into(),
        answer: answer.into(),
        typed: typed.map(Into::into),
        explained: None,
    })
}

pub fn reading(test: &str, typed: &str) -> Body {
    Body::Reading(entry::Reading {
        test: test.into(),
        result: ReadingResult::Figure,
        typed: typed.into(),
        minutes: 1.0,
        insisted: false,
    })
}

pub fn close(outcome: Outcome) -> Body {
    Body::Close(entry::Close {
        outcome,
        class: None,
        cause_confirmed: false,
        words: String::new(),
        watch: String::new(),
        recheck: None,
        shown: None,
        terms: None,
    })
}
