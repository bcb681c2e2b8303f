//! Demonstration data: a repair shop on the market square of a small harbour town in a wet October.
//! Everything goes in through the same checks as the page's own entries.

use crate::App;
use crate::auth;
use crate::error::ApiError;
use crate::work::{self, Sent};
use spannung_core::job::entry::{Body, Fate, Outcome, ReadingResult, WaitKind};
use spannung_core::job::{Role, gate};
use spannung_store::people::{Customer, Person};
use time::macros::datetime;
use time::{Duration, OffsetDateTime};
use uuid::Uuid;

/// Shop time at which the demonstration starts.
pub const START: OffsetDateTime = datetime!(2028-10-17 09:20 UTC);
/// Password of everybody in the demonstration.
pub const PASSWORD: &str = "salt-and-copper";
/// The people: name and role.
pub const PEOPLE: [(&str, Role); 4] = [
    ("Ilse Dorn", Role::Owner),
    ("Pavo Renk", Role::Technician),
    ("Signe Lorr", Role::Specialist),
    ("Tomke Aal", Role::Trainee),
];
/// Setting that keeps the offset of the shop's clock, in seconds.
pub const OFFSET: &str = "clock_offset_seconds";

struct Script<'a> {
    app: &'a App,
    job: Uuid,
    at: OffsetDateTime,
    by: &'static str,
    role: Role,
    n: u128,
}

impl Script<'_> {
    /// Append one entry, a minute after the last.
    async fn add(&mut self, body: Body) -> Result<(), ApiError> {
        self.at += Duration::seconds(70);
        self.n += 1;
        let head = work::load(self.app, self.job).await?.job.head;
        let sent = Sent {
            id: Uuid::from_u128(self.job.as_u128() + self.n),
            at: Some(self.at),
            based_on: Some(head),
            body,
        };
        work::append(self.app, self.job, &[sent], self.by, self.role).await
    }

    async fn open(
        &mut self,
        words: &str,
        vehicle: &str,
        frame: Option<&str>,
        promised_hours: Option<i64>,
    ) -> Result<(), ApiError> {
        self.app.store.open_job(self.job).await?;
        self.add(Body::Opened {
            words: words.into(),
            volts_class: 48,
            drive: "geared-hub".into(),
            seconds: 48.0,
        })
        .await?;
        let (symptoms, risks) = self.app.catalogue.hear(words);
        for (risk, _) in risks {
            self.add(Body::Risk {
                risk,
                yes: Some(true),
            })
            .await?;
        }
        for (symptom, _) in symptoms {
            self.add(Body::Symptom {
                symptom,
                yes: Some(true),
                by_customer: true,
            })
            .await?;
        }
        self.add(Body::Vehicle {
            name: vehicle.into(),
            frame_number: frame.map(Into::into),
            controller: None,
        })
        .await?;
        if let Some(hours) = promised_hours {
            self.add(Body::Terms {
                promised: Some(START + Duration::hours(hours)),
                value_cents: Some(90_000),
                limit_cents: Some(15_000),
            })
            .await?;
        }
        Ok(())
    }

    async fn customer(&mut self, name: &str, contact: &str) -> Result<(), ApiError> {
        let id = Uuid::from_u128(self.job.as_u128() + 0xffff);
        self.app
            .store
            .put_customer(&Customer {
                id,
                name: name.into(),
                contact: contact.into(),
            })
            .await?;
        self.add(Body::Customer { customer: id }).await
    }

    async fn pack(&mut self, sticker: &str) -> Result<(), ApiError> {
        let (pack, sticker) = self.app.store.pack_by_sticker(sticker).await?;
        self.add(Body::Pack { pack, sticker }).await
    }

    async fn gate(&mut self, answers: &[(&str, &str, Option<&str>)]) -> Result<(), ApiError> {
        for (check, answer, typed) in answers {
            self.add(Body::Gate {
                check: (*check).into(),
                answer: (*answer).into(),
                typed: typed.map(Into::into),
            })
            .await?;
        }
        Ok(())
    }

    async fn clear_gate(&mut self, volts: &str) -> Result<(), ApiError> {
        self.gate(&[
            ("shape", "flat", None),
            ("leak", "none", None),
            ("heat", "cool", None),
            ("fall", "none", None),
            ("water", "dry", None),
            ("floor", "above", Some(volts)),
            ("smell", "none", None),
            ("wheel", "up", None),
            ("off", "reach", None),
        ])
        .await?;
        debug_assert_eq!(
            gate::standing(
                &self.app.catalogue,
                &work::load(self.app, self.job).await?.job
            ),
            gate::Standing::Open
        );
        Ok(())
    }

    /// Bring the vehicle to what the test asks, confirm its preconditions, take it.
    async fn take(&mut self, test: &str, value: &str) -> Result<(), ApiError> {
        let job = work::load(self.app, self.job).await?.job;
        let id = test.to_string();
        let card = work::weigh(self.app, job, self.role, move |w| w.card_of(&id))
            .await?
            .ok_or_else(|| ApiError::not_found("test"))?;
        if card.state.iter().any(|s| !s.ok) {
            self.add(Body::State {
                state: card.as_asked.clone(),
            })
            .await?;
        }
        for need in card.needs.iter().filter(|n| !n.confirmed) {
            self.add(Body::Confirmed {
                need: need.id.clone(),
            })
            .await?;
        }
        let minutes = (card.minutes * 10.0).round() / 10.0;
        if card.kind == "check" {
            self.add(Body::Check {
                test: test.into(),
                outcome: value.into(),
                minutes,
            })
            .await
        } else {
            self.add(Body::Reading {
                test: test.into(),
                result: ReadingResult::Figure,
                typed: value.into(),
                minutes,
                insisted: false,
            })
            .await
        }
    }

    async fn takes(&mut self, list: &[(&str, &str)]) -> Result<(), ApiError> {
        for (test, value) in list {
            self.take(test, value).await?;
        }
        Ok(())
    }
}

fn script(app: &App, k: u128, by: usize, hours_ago: i64) -> Script<'_> {
    Script {
        app,
        job: Uuid::from_u128(0x5a00_0000_0000_4000_8000_0000_0000_0000 + k * 0x10_0000),
        at: START - Duration::hours(hours_ago),
        by: PEOPLE[by].0,
        role: PEOPLE[by].1,
        n: 0,
    }
}

/// Load people and jobs into an empty database. Does nothing when there are people already.
///
/// # Errors
/// The database does not answer, or an entry of the story does not fit (a test proves it does).
pub async fn seed(app: &App) -> Result<(), ApiError> {
    if app.store.people_count().await? > 0 {
        return Ok(());
    }
    let offset = START - OffsetDateTime::now_utc();
    app.store
        .set_setting(OFFSET, &offset.whole_seconds().to_string())
        .await?;
    let hash = tokio::task::spawn_blocking(|| auth::hash_password(PASSWORD))
        .await
        .map_err(|_| ApiError::internal("hash"))??;
    for (k, (name, role)) in PEOPLE.iter().enumerate() {
        app.store
            .add_person(
                &Person {
                    id: Uuid::from_u128(0x9e00 + k as u128),
                    name: (*name).into(),
                    role: *role,
                },
                &hash,
            )
            .await?;
    }

    // closed: a throttle torn off at a kerb
    let mut s = script(app, 1, 1, 98);
    s.open(
        "Throttle does nothing since it fell over at the kerb. Pedalling still helps.",
        "Ferry steward's bike",
        Some("FS-2207"),
        None,
    )
    .await?;
    s.customer("Hanno Pries", "steward@ferry.example").await?;
    s.pack("K-31").await?;
    s.clear_gate("52.4").await?;
    s.takes(&[
        ("fm-display", "lit"),
        ("fm-brake-sign", "off"),
        ("fm-throttle", "home"),
        ("t-thr-idle", "0.02"),
        ("v.throttle.1.d", "4.84"),
    ])
    .await?;
    s.add(Body::Part {
        old: Some("Thumb throttle, lead torn at the bar".into()),
        fate: Some(Fate::Recycled),
        new: Some("Thumb throttle, 3 wires, 5 V".into()),
        class: Some("throttle".into()),
        minutes: 22.0,
        price_cents: Some(2_400),
    })
    .await?;
    s.add(Body::Close {
        outcome: Outcome::Repaired,
        class: Some("throttle".into()),
        cause_confirmed: true,
        words: "New throttle fitted; lead tied with slack for steering.".into(),
        shown: None,
    })
    .await?;

    // closed: nothing found
    let mut s = script(app, 2, 3, 74);
    s.open(
        "Sometimes no help from the pedals, the riders say.",
        "Harbour school loan 2",
        Some("HS-0002"),
        None,
    )
    .await?;
    s.pack("K-12").await?;
    s.clear_gate("53.1").await?;
    s.takes(&[
        ("fm-level", "set"),
        ("fm-display", "lit"),
        ("t-pedal-run", "works"),
        ("t-pedal", "0.06..4.85"),
    ])
    .await?;
    s.add(Body::Close {
        outcome: Outcome::NoFaultFound,
        class: None,
        cause_confirmed: false,
        words: "Works in the shop. Level was explained to the riders.".into(),
        shown: None,
    })
    .await?;

    // the pack stands in quarantine
    let mut s = script(app, 3, 2, 20);
    s.open(
        "Dark since the flood tide stood in the shed, the battery was under water.",
        "Lighthouse post bike",
        Some("LH-77"),
        None,
    )
    .await?;
    s.customer("Meret Ohl", "0700 555 0134").await?;
    s.pack("K-08").await?;
    s.gate(&[
        ("shape", "flat", None),
        ("leak", "none", None),
        ("heat", "cool", None),
        ("fall", "none", None),
        ("water", "inside", None),
    ])
    .await?;
    for step in ["out", "outdoors", "watch", "tag"] {
        s.add(Body::Quarantine { step: step.into() }).await?;
    }
    s.add(Body::Wait {
        wait: WaitKind::Rest,
        what: "Pack K-08 watched in the sand bay".into(),
        until: Some(START + Duration::hours(27)),
    })
    .await?;

    // waits for a part: gears
    let mut s = script(app, 4, 1, 46);
    s.open(
        "Motor whines but hardly pulls, slips with crates on board.",
        "Chandler's long bike",
        Some("CH-410"),
        Some(56),
    )
    .await?;
    s.customer("Otto Brame", "rope@chandler.example").await?;
    s.pack("K-22").await?;
    s.clear_gate("51.0").await?;
    s.takes(&[
        ("fm-display", "lit"),
        ("t-spin-both", "free"),
        ("t-hold", "slips"),
        ("t-listen", "drive"),
        ("t-hub", "gears"),
    ])
    .await?;
    s.add(Body::Wait {
        wait: WaitKind::Part,
        what: "Planet gear set, three of 36 teeth".into(),
        until: Some(START + Duration::hours(49)),
    })
    .await?;

    // waits for the customer's word
    let mut s = script(app, 5, 1, 30);
    s.open(
        "Battery empties after half the round, range is half of last year.",
        "Café tray bike",
        None,
        None,
    )
    .await?;
    s.customer("Lene Vast", "0700 555 0178").await?;
    s.pack("K-17").await?;
    s.clear_gate("50.6").await?;
    s.takes(&[("fm-gauge", "charged"), ("t-pack-load", "44.6")])
        .await?;
    s.add(Body::Wait {
        wait: WaitKind::Customer,
        what: "New pack or go on with half the range".into(),
        until: None,
    })
    .await?;

    // on the bench, promised today: the one to do next
    let mut s = script(app, 6, 1, 3);
    s.open(
        "One jerk, then nothing. Since the salt rain on Saturday.",
        "Market courier 3, yellow lid",
        Some("MC-0311"),
        Some(5),
    )
    .await?;
    s.customer("Market couriers, Jorun Sand", "desk@couriers.example")
        .await?;
    s.pack("K-05").await?;
    s.clear_gate("51.8").await?;
    s.takes(&[
        ("fm-display", "lit"),
        ("fm-brake-sign", "off"),
        ("fm-code", "hall"),
        ("fm-plugs", "seated"),
        ("fm-spin", "free"),
        ("t-hall-5v", "4.83"),
        ("t-hall-a", "0.07..4.82"),
    ])
    .await?;

    // on the bench, promised tomorrow
    let mut s = script(app, 7, 1, 2);
    s.open(
        "Display on but it does not drive at all since it fell at the market.",
        "Bread round, tall basket",
        Some("BR-19"),
        Some(27),
    )
    .await?;
    s.pack("K-27").await?;
    s.clear_gate("52.9").await?;
    s.takes(&[("fm-display", "lit"), ("fm-brake-sign", "on")])
        .await?;

    // gate half asked
    let mut s = script(app, 8, 3, 1);
    s.open(
        "Completely dead after the wet night, no light at all.",
        "Net loft errand bike",
        None,
        Some(31),
    )
    .await?;
    s.pack("K-30").await?;
    s.gate(&[
        ("shape", "flat", None),
        ("leak", "none", None),
        ("heat", "cool", None),
    ])
    .await?;

    // in repair
    let mut s = script(app, 9, 2, 5);
    s.open(
        "Only the headlight is dead, and the wheel wobbles.",
        "Smokehouse delivery bike",
        Some("SM-6"),
        None,
    )
    .await?;
    s.pack("K-14").await?;
    s.clear_gate("49.7").await?;
    s.takes(&[
        ("t-lamp", "dark"),
        ("v.lamp.1.d", "49.2"),
        ("t-lamp-bench", "dark"),
        ("t-true", "runs-out"),
    ])
    .await?;
    s.add(Body::Part {
        old: Some("Front lamp, water behind the glass".into()),
        fate: Some(Fate::Recycled),
        new: Some("Front lamp, 48 V".into()),
        class: Some("lamp".into()),
        minutes: 10.0,
        price_cents: Some(1_900),
    })
    .await?;
    Ok(())
}
