//! Demonstration data: a repair shop on the market square of a small harbour town in a wet October.
//! Everything goes in through the same checks as the page's own entries.

use crate::App;
use crate::append::{self, Sent};
use crate::auth;
use crate::clock::Clock;
use crate::error::ApiError;
use crate::shop::Shop;
use crate::work;
use spannung_core::hearing;
use spannung_core::job::entry;
use spannung_core::job::entry::{Body, Outcome, ProofResult, ReadOn, ReadingResult};
use spannung_core::job::{Role, gate, items, proof};
use spannung_core::reading::Unit;
use spannung_store::people::{Customer, Person};
use spannung_store::shop::Photo;
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
/// Short codes for changing over at the tablet, in the order of the people.
pub const CODES: [&str; 4] = ["4071", "2518", "9316", "6602"];
/// Setting that keeps the offset of the shop's clock, in seconds.
pub const OFFSET: &str = "clock_offset_seconds";
/// Setting that says whether the story is being told (`yes`) or was told to its end (`done`).
const LOADING: &str = "demo_loading";

mod picture;
mod story;

struct Script<'a> {
    app: &'a App,
    job: Uuid,
    at: OffsetDateTime,
    by: Person,
    n: u128,
}

impl Script<'_> {
    /// Append one entry, as much later than the last as such work takes.
    async fn add(&mut self, body: impl Into<Body>) -> Result<(), ApiError> {
        let body = body.into();
        let seconds = match &body {
            Body::Part(part) => part.minutes * 60.0,
            _ => usual_seconds(&body),
        };
        self.add_after(seconds, body).await
    }

    /// Append one entry so many seconds after the last.
    async fn add_after(&mut self, seconds: f64, body: impl Into<Body>) -> Result<(), ApiError> {
        self.at += Duration::seconds_f64(seconds);
        self.n += 1;
        let head = work::load(self.app, self.job).await?.job.head;
        let sent = Sent {
            id: Uuid::from_u128(self.job.as_u128() + self.n),
            at: Some(self.at),
            based_on: Some(head),
            knows: Vec::new(),
            body: body.into(),
        };
        let then = App {
            clock: Clock::Frozen(self.at),
            ..self.app.clone()
        };
        append::append(&then, self.job, &[sent], &self.by).await?;
        Ok(())
    }

    /// The person's clock runs, or pauses.
    async fn clock(&mut self, run: bool) -> Result<(), ApiError> {
        self.add(entry::Clock { run }).await
    }

    async fn open_as(
        &mut self,
        words: &str,
        volts_class: u16,
        drive: &str,
        from_job: Option<Uuid>,
    ) -> Result<(), ApiError> {
        self.app.store.open_job(self.job).await?;
        self.add(entry::Opened {
            words: words.into(),
            volts_class,
            drive: drive.into(),
            seconds: 48.0,
            from_job,
        })
        .await?;
        self.clock(true).await
    }

    async fn open(
        &mut self,
        words: &str,
        vehicle: &str,
        frame: Option<&str>,
        promised_hours: Option<i64>,
    ) -> Result<(), ApiError> {
        self.open_as(words, 48, "geared-hub", None).await?;
        let catalogue = std::sync::Arc::clone(&self.app.catalogue);
        let family = catalogue.family(48, "geared-hub");
        for heard in hearing::hear(&catalogue, words, family) {
            let yes = Some(heard.yes);
            if catalogue.symptom(&heard.id).is_some() {
                self.add(entry::Symptom {
                    symptom: heard.id,
                    yes,
                    by_customer: true,
                })
                .await?;
            } else {
                self.add(entry::Risk {
                    risk: heard.id,
                    yes,
                })
                .await?;
            }
        }
        self.add(entry::Vehicle {
            name: vehicle.into(),
            frame_number: frame.map(Into::into),
            controller: None,
        })
        .await?;
        if let Some(hours) = promised_hours {
            self.add(entry::Terms {
                promised: Some(START + Duration::hours(hours)),
                value_cents: Some(90_000),
                limit_cents: Some(15_000),
                stop_loss_minutes: Some(90.0),
                set: Vec::new(),
            })
            .await?;
        }
        Ok(())
    }

    async fn customer(&mut self, name: &str, contact: &str) -> Result<(), ApiError> {
        let id = Uuid::from_u128(self.job.as_u128() + 0xffff);
        self.app
            .store
            .put_customer(
                &Customer {
                    id,
                    name: name.into(),
                    contact: contact.into(),
                },
                &self.by.name,
                self.at,
            )
            .await?;
        self.add(entry::Customer { customer: id }).await
    }

    async fn pack(&mut self, sticker: &str) -> Result<(), ApiError> {
        let (pack, sticker) = self.app.store.pack_by_sticker(sticker).await?;
        self.add(entry::Pack {
            pack,
            sticker,
            known: true,
        })
        .await
    }

    async fn gate(&mut self, answers: &[(&str, &str, Option<&str>)]) -> Result<(), ApiError> {
        for (check, answer, typed) in answers {
            self.add(entry::Gate {
                explained: None,
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
        let card = work::weigh(self.app, job, self.by.role, move |w| w.card_of(&id))
            .await?
            .ok_or_else(|| ApiError::not_found("test"))?;
        if card.state.iter().any(|s| !s.ok) {
            self.add(entry::State {
                state: card.as_asked.clone(),
            })
            .await?;
        }
        for need in card.needs.iter().filter(|n| !n.confirmed) {
            self.add(entry::Confirmed {
                need: need.id.clone(),
            })
            .await?;
        }
        let body: Body = if card.kind == "check" {
            entry::Check {
                test: test.into(),
                outcome: value.into(),
                place: None,
                minutes: 0.0,
            }
            .into()
        } else {
            entry::Reading {
                test: test.into(),
                result: ReadingResult::Figure,
                typed: value.into(),
                minutes: 0.0,
                insisted: false,
            }
            .into()
        };
        self.add_after(card.minutes * 60.0, body).await
    }

    /// A check of the proof, with its precondition confirmed.
    async fn prove(&mut self, check: &str, typed: &str, words: &str) -> Result<(), ApiError> {
        let job = work::load(self.app, self.job).await?.job;
        let spec = self.app.catalogue.proof.find(check);
        let need = spec.and_then(|c| c.need.clone());
        if !job.gate.contains_key("smell") {
            self.gate(&[("smell", "none", None)]).await?;
        }
        if let Some(need) = need.filter(|n| !job.confirmed.contains_key(n)) {
            self.add(entry::Confirmed { need }).await?;
        }
        let passed = entry::Proof {
            check: check.into(),
            result: ProofResult::Pass,
            typed: typed.into(),
            words: words.into(),
            still: std::collections::BTreeMap::new(),
            minutes: 0.0,
        };
        self.add_after(spec.map_or(1.0, |c| c.minutes) * 60.0, passed)
            .await
    }

    /// Every check that is still open, passed with a figure well inside its limits, in their order.
    async fn prove_all(&mut self) -> Result<(), ApiError> {
        let job = work::load(self.app, self.job).await?.job;
        let opened = work::opened(self.app, &job, self.by.role).await?;
        let rows = proof::rows(&self.app.catalogue, &job, &opened, None);
        let open = |r: &proof::ProofRow| r.standing != proof::CheckStanding::Passed;
        for row in rows.into_iter().filter(open) {
            let figure = match (row.low, row.high) {
                (Some(low), Some(high)) => low + 0.4 * (high - low),
                (Some(low), None) => low.abs() * 20.0 + 0.5,
                (None, Some(high)) => high * 0.6,
                (None, None) => 0.0,
            };
            let typed = row.unit.map_or(String::new(), |_| {
                format!("{figure:.2}")
                    .trim_end_matches('0')
                    .trim_end_matches('.')
                    .into()
            });
            self.prove(&row.check, &typed, "").await?;
        }
        Ok(())
    }

    /// What opening destroyed is renewed.
    async fn renew(&mut self, how: &str) -> Result<(), ApiError> {
        let job = work::load(self.app, self.job).await?.job;
        let opened = work::opened(self.app, &job, self.by.role).await?;
        for item in items::items(&self.app.catalogue, &job, &opened) {
            if item.standing == items::ItemStanding::Open && !item.by_state {
                self.add(entry::CloseItem {
                    item: item.key,
                    how: how.into(),
                })
                .await?;
            }
        }
        Ok(())
    }

    async fn point(
        &mut self,
        point: &str,
        unit: Unit,
        on: ReadOn,
        typed: &str,
    ) -> Result<(), ApiError> {
        self.add(entry::PointReading {
            point: point.into(),
            unit,
            on,
            result: ReadingResult::Figure,
            typed: typed.into(),
            minutes: 0.0,
        })
        .await
    }

    async fn photo(&mut self, caption: &str, salts: u32) -> Result<(), ApiError> {
        let id = Uuid::from_u128(self.job.as_u128() + 0xf000 + self.n);
        let drawn = tokio::task::spawn_blocking(move || picture::plug(salts))
            .await
            .map_err(ApiError::internal("picture"))?;
        let (kept, small) = drawn.map_err(ApiError::internal("picture"))?;
        self.app
            .store
            .put_photo(&Photo {
                id,
                job_id: self.job,
                at: self.at,
                by_name: self.by.name.clone(),
                width: kept.width,
                height: kept.height,
                picture: kept.jpeg,
                small: small.jpeg,
            })
            .await?;
        self.add(entry::Photo {
            photo: id,
            of: None,
            caption: caption.into(),
        })
        .await
    }

    async fn close(
        &mut self,
        outcome: Outcome,
        class: Option<&str>,
        words: &str,
        watch: &str,
        recheck: Option<spannung_core::job::entry::Recheck>,
    ) -> Result<(), ApiError> {
        self.add(entry::Close {
            outcome,
            class: class.map(Into::into),
            cause_confirmed: class.is_some(),
            words: words.into(),
            watch: watch.into(),
            recheck,
            shown: None,
            terms: None,
        })
        .await
    }

    async fn takes(&mut self, list: &[(&str, &str)]) -> Result<(), ApiError> {
        for (test, value) in list {
            self.take(test, value).await?;
        }
        Ok(())
    }
}

/// How long an entry takes to come about, seconds, where it does not say so itself.
fn usual_seconds(body: &Body) -> f64 {
    match body {
        Body::Opened(_) => 140.0,
        Body::PointReading(_) => 95.0,
        Body::Gate(_) | Body::Vehicle(_) | Body::Customer(_) => 25.0,
        Body::State(_) => 20.0,
        Body::Symptom(_) | Body::Risk(_) | Body::Confirmed(_) | Body::Clock(_) => 8.0,
        _ => 50.0,
    }
}

/// Somebody of the demonstration.
fn person(k: usize) -> Person {
    Person {
        id: Uuid::from_u128(0x9e00 + k as u128),
        name: PEOPLE[k].0.into(),
        role: PEOPLE[k].1,
    }
}

fn script(app: &App, k: u128, by: usize, hours_ago: i64) -> Script<'_> {
    Script {
        app,
        job: Uuid::from_u128(0x5a00_0000_0000_4000_8000_0000_0000_0000 + k * 0x10_0000),
        at: START - Duration::hours(hours_ago),
        by: person(by),
        n: 0,
    }
}

/// Load people and jobs into an empty database. Does nothing when there are people already.
///
/// # Errors
/// The database does not answer, or an entry of the story does not fit (a test proves it does).
pub async fn seed(app: &App) -> Result<(), ApiError> {
    if app.store.setting(LOADING).await?.as_deref() == Some("yes") {
        // ended in the middle the last time: nobody has worked with it, so it is told from the start
        app.store.empty().await?;
    }
    if app.store.people_count().await? > 0 {
        return Ok(());
    }
    app.store.set_setting(LOADING, "yes").await?;
    let offset = START - OffsetDateTime::now_utc();
    app.store
        .set_setting(OFFSET, &offset.whole_seconds().to_string())
        .await?;
    let hash = tokio::task::spawn_blocking(|| auth::hash_password(PASSWORD))
        .await
        .map_err(ApiError::internal("hash"))??;
    let mut code_hashes = Vec::new();
    for code in CODES {
        code_hashes.push(auth::hashed(app, code.into()).await?);
    }
    for (k, code) in code_hashes.iter().enumerate() {
        app.store.add_person(&person(k), &hash).await?;
        app.store.set_code(person(k).id, Some(code)).await?;
    }

    let shop = Shop {
        name: "Tidewheel repairs".into(),
        address: "Market square 4, Grauhafen".into(),
        ..Shop::default()
    };
    let body = serde_json::to_value(&shop).map_err(ApiError::internal("settings"))?;
    app.store
        .set_shop(START - Duration::days(60), PEOPLE[0].0, &body)
        .await?;
    // told as if it were the moment at which the shop's clock begins
    let then = App {
        clock: Clock::Frozen(START),
        ..app.clone()
    };
    story::tell(&then).await?;
    app.store.set_setting(LOADING, "done").await?;
    Ok(())
}
