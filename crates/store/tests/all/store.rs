//! Every query against a real PostgreSQL, each test with a database of its own.

use crate::common::put;
use spannung_core::job::danger::{Happened, Stop};
use spannung_core::job::entry;
use spannung_core::job::{Body, Role, chain};
use spannung_store::audit::Doer;
use spannung_store::card::Card;
use spannung_store::job::{Append, NewDanger, NewEntry};
use spannung_store::people::{Customer, Person};
use spannung_store::session::NewSession;
use spannung_store::{Store, StoreError};
use sqlx::PgPool;
use time::{Duration, OffsetDateTime};
use uuid::Uuid;

fn opened() -> Body {
    Body::Opened(entry::Opened {
        words: "Dead".into(),
        volts_class: 48,
        drive: "geared-hub".into(),
        seconds: 0.0,
        from_job: None,
    })
}

fn note(text: &str) -> Body {
    Body::Note(entry::Note { text: text.into() })
}

fn entry(body: Body) -> NewEntry {
    NewEntry {
        id: Uuid::new_v4(),
        at: OffsetDateTime::UNIX_EPOCH,
        by: "Ada".into(),
        by_id: None,
        body,
        pack: None,
    }
}

#[sqlx::test]
async fn people_sign_in_and_out(pool: PgPool) {
    let store = Store::on(pool);
    let person = Person {
        id: Uuid::new_v4(),
        name: "Ada Quill".into(),
        role: Role::Specialist,
    };
    assert_eq!(store.people_count().await.unwrap(), 0);
    store.add_person(&person, "hash").await.unwrap();
    let twin = Person {
        id: Uuid::new_v4(),
        name: "ada quill".into(),
        role: Role::Owner,
    };
    assert!(matches!(
        store.add_person(&twin, "x").await,
        Err(StoreError::Taken(_))
    ));
    let (found, hash) = store.person_by_name("ADA QUILL").await.unwrap().unwrap();
    assert_eq!((found, hash.as_str()), (person.clone(), "hash"));
    assert!(store.person_by_name("nobody").await.unwrap().is_none());

    let now = OffsetDateTime::now_utc();
    let idle = Duration::minutes(30);
    let begin = async |token: &[u8]| {
        let new = NewSession {
            token_hash: token,
            person: person.id,
            now,
            lasts: Duration::hours(1),
            device: "Tablet",
            address: "127.0.0.1",
        };
        store.begin_session(&new).await.unwrap();
    };
    begin(b"token").await;
    let later = now + Duration::minutes(20);
    let (found, row) = store.session(b"token", later, idle).await.unwrap().unwrap();
    assert_eq!((found, row.device.as_str()), (person.clone(), "Tablet"));
    let idle_too_long = now + Duration::minutes(31);
    assert_eq!(
        store.session(b"token", idle_too_long, idle).await.unwrap(),
        None
    );
    store.touch_session(row.id, later).await.unwrap();
    assert!(
        store
            .session(b"token", idle_too_long, idle)
            .await
            .unwrap()
            .is_some()
    );
    let over = now + Duration::minutes(61);
    store.touch_session(row.id, over).await.unwrap();
    assert_eq!(store.session(b"token", over, idle).await.unwrap(), None);
    assert_eq!(store.session(b"other", now, idle).await.unwrap(), None);
    // a person sees and ends their own, nobody else's
    begin(b"second").await;
    let all = store.sessions(person.id, later, idle).await.unwrap();
    assert_eq!(all.len(), 2);
    assert!(matches!(
        store.end_session_of(Uuid::new_v4(), all[0].id).await,
        Err(StoreError::NotFound(_))
    ));
    store.end_session_of(person.id, row.id).await.unwrap();
    assert_eq!(store.session(b"token", later, idle).await.unwrap(), None);
    store.end_session(b"second", now).await.unwrap();
    assert_eq!(store.session(b"second", now, idle).await.unwrap(), None);
    // disabled and let in again: nothing of before works
    store.set_code(person.id, Some("code")).await.unwrap();
    begin(b"third").await;
    let owner = Person {
        id: Uuid::new_v4(),
        name: "Ilse".into(),
        role: Role::Owner,
    };
    store.add_person(&owner, "h").await.unwrap();
    store.change_person(&person, true).await.unwrap();
    store.change_person(&person, false).await.unwrap();
    assert_eq!(store.session(b"third", now, idle).await.unwrap(), None);
    let (_, hash) = store.person_by_name("Ada Quill").await.unwrap().unwrap();
    assert_eq!(hash, "!");
    assert_eq!(
        store
            .person_with_code("Ada Quill")
            .await
            .unwrap()
            .unwrap()
            .1,
        None
    );
}

#[sqlx::test]
async fn attempts_are_counted_before_and_all_of_them(pool: PgPool) {
    let store = Store::on(pool);
    let now = OffsetDateTime::now_utc();
    let since = now - Duration::minutes(15);
    let old = now - Duration::hours(1);
    store
        .count_attempt("ada", "1.2.3.4", old, old)
        .await
        .unwrap();
    // a clock that ran ahead locks nobody when it is set back
    let ahead = now + Duration::hours(5);
    store
        .count_attempt("ada", "1.2.3.4", ahead, since)
        .await
        .unwrap();
    assert_eq!(
        store
            .count_attempt("ada", "1.2.3.4", now, since)
            .await
            .unwrap(),
        (1, 1)
    );
    assert_eq!(
        store
            .count_attempt("bea", "1.2.3.4", now, since)
            .await
            .unwrap(),
        (1, 2)
    );
    let many: Vec<_> = (0..20)
        .map(|_| {
            let store = store.clone();
            tokio::spawn(
                async move { store.count_attempt("cleo", "", now, since).await.unwrap().0 },
            )
        })
        .collect();
    let mut seen = Vec::new();
    for one in many {
        seen.push(one.await.unwrap());
    }
    seen.sort_unstable();
    assert_eq!(
        seen,
        (1..=20).collect::<Vec<i64>>(),
        "each sees another count"
    );
    store.forget_attempts("ada").await.unwrap();
    assert_eq!(
        store.count_attempt("ada", "", now, since).await.unwrap().0,
        1
    );
}

#[sqlx::test]
async fn a_second_factor_waits_for_its_first_code_and_each_step_is_used_once(pool: PgPool) {
    let store = Store::on(pool);
    let person = Person {
        id: Uuid::new_v4(),
        name: "Ada Quill".into(),
        role: Role::Owner,
    };
    store.add_person(&person, "hash").await.unwrap();
    store.want_factor(person.id, b"secret").await.unwrap();
    let factor = store.factor(person.id).await.unwrap();
    assert_eq!(
        (factor.used, factor.wanted.as_deref()),
        (None, Some(&b"secret"[..]))
    );
    store.set_factor(person.id, true).await.unwrap();
    let factor = store.factor(person.id).await.unwrap();
    assert_eq!(
        (factor.used.as_deref(), factor.wanted),
        (Some(&b"secret"[..]), None)
    );
    assert!(store.use_step(person.id, 70).await.unwrap());
    assert!(!store.use_step(person.id, 70).await.unwrap(), "used");
    assert!(!store.use_step(person.id, 69).await.unwrap(), "older");
    store.reset_person(person.id).await.unwrap();
    assert_eq!(store.factor(person.id).await.unwrap().used, None);
}

#[sqlx::test]
async fn the_audit_log_is_only_added_to(pool: PgPool) {
    let store = Store::on(pool.clone());
    let now = OffsetDateTime::now_utc();
    for k in 0..3 {
        let about = format!("{k}\0{}", "x".repeat(400));
        store
            .audit(
                now,
                Doer::Named("Ada"),
                "127.0.0.1",
                "sign-in refused",
                &about,
            )
            .await
            .unwrap();
    }
    let lines = store.audited(i64::MAX, 2).await.unwrap();
    assert_eq!(lines.len(), 2);
    assert!(lines[0].about.starts_with("2x") && lines[0].about.len() == 200);
    assert_eq!(store.audited(lines[1].seq, 10).await.unwrap().len(), 1);
    for change in ["DELETE FROM audit", "UPDATE audit SET what = ''"] {
        assert!(sqlx::query(change).execute(&pool).await.is_err());
    }
}

#[sqlx::test]
async fn a_customer_can_be_erased_and_the_job_stays(pool: PgPool) {
    let store = Store::on(pool);
    let customer = Customer {
        id: Uuid::new_v4(),
        name: "Cleo".into(),
        contact: "0700".into(),
    };
    store
        .put_customer(&customer, "Ada", OffsetDateTime::UNIX_EPOCH)
        .await
        .unwrap();
    let job = store.open_job(Uuid::new_v4()).await.unwrap();
    let body = Body::Customer(entry::Customer {
        customer: customer.id,
    });
    put(
        &store,
        job.id,
        0,
        &[entry(opened()), entry(body)],
        &Card::default(),
    )
    .await
    .unwrap();
    assert_eq!(
        store.job(job.id).await.unwrap().customer_id,
        Some(customer.id)
    );
    assert_eq!(
        store.customer(customer.id).await.unwrap(),
        Some(customer.clone())
    );
    let moved = Customer {
        contact: "0701".into(),
        ..customer.clone()
    };
    for _ in 0..2 {
        store
            .put_customer(&moved, "Bea", OffsetDateTime::UNIX_EPOCH)
            .await
            .unwrap();
    }
    let before = store.customer_before(customer.id).await.unwrap();
    assert_eq!(before.len(), 1, "the same again is no change");
    assert_eq!(
        (before[0].contact.as_str(), before[0].by_name.as_str()),
        ("0700", "Bea")
    );
    store.erase_customer(customer.id).await.unwrap();
    assert!(store.customer_before(customer.id).await.unwrap().is_empty());
    assert_eq!(store.customer(customer.id).await.unwrap(), None);
    assert!(matches!(
        store.erase_customer(customer.id).await,
        Err(StoreError::NotFound(_))
    ));
    let entries = store.entries(job.id).await.unwrap().entries;
    assert_eq!(entries.len(), 2);
    assert!(!serde_json::to_string(&entries).unwrap().contains("Cleo"));
}

#[sqlx::test]
async fn sending_twice_is_once_and_a_stale_head_is_told(pool: PgPool) {
    let store = Store::on(pool);
    let job = store.open_job(Uuid::new_v4()).await.unwrap();
    assert_eq!(store.open_job(job.id).await.unwrap().number, job.number);
    assert!(
        store.on_rack("technician").await.unwrap().is_empty(),
        "a job without entries hangs nowhere"
    );
    let first = [entry(opened()), entry(note("a"))];
    let head = put(&store, job.id, 0, &first, &Card::default())
        .await
        .unwrap();
    assert_eq!(
        put(&store, job.id, 0, &first, &Card::default())
            .await
            .unwrap(),
        head,
        "the same again changes nothing"
    );
    assert!(matches!(
        put(&store, job.id, 0, &[entry(note("b"))], &Card::default()).await,
        Err(StoreError::Moved)
    ));
    put(&store, job.id, head, &[entry(note("b"))], &Card::default())
        .await
        .unwrap();
    let entries = store.entries(job.id).await.unwrap().entries;
    assert_eq!(entries.len(), 3);
    assert!(entries.windows(2).all(|w| w[0].seq < w[1].seq));
    let other = store.open_job(Uuid::new_v4()).await.unwrap();
    assert!(matches!(
        put(&store, other.id, 0, &first, &Card::default()).await,
        Err(StoreError::ForeignEntry)
    ));
    assert_eq!(store.on_rack("technician").await.unwrap().len(), 1);
}

#[sqlx::test]
async fn the_log_refuses_to_be_changed(pool: PgPool) {
    let store = Store::on(pool.clone());
    let job = store.open_job(Uuid::new_v4()).await.unwrap();
    put(&store, job.id, 0, &[entry(opened())], &Card::default())
        .await
        .unwrap();
    assert!(
        sqlx::query("UPDATE entry SET by_name = 'x'")
            .execute(&pool)
            .await
            .is_err()
    );
    assert!(
        sqlx::query("DELETE FROM entry")
            .execute(&pool)
            .await
            .is_err()
    );
    assert_eq!(store.entries(job.id).await.unwrap().entries.len(), 1);
}

fn stop(entry: Uuid) -> Stop {
    Stop {
        entry,
        from: "water".into(),
        order: "Do not switch on".into(),
        reason: "Water inside a pack.".into(),
        clearable: true,
        at: OffsetDateTime::UNIX_EPOCH,
        by: "Ada".into(),
    }
}

#[sqlx::test]
async fn dangers_are_kept_with_the_pack_whatever_becomes_of_their_entry(pool: PgPool) {
    let store = Store::on(pool.clone());
    let (pack, sticker) = store.pack_by_sticker("K-1").await.unwrap();
    assert_eq!(store.pack_by_sticker("k-1").await.unwrap(), (pack, sticker));
    let a = store.open_job(Uuid::new_v4()).await.unwrap();
    let b = store.open_job(Uuid::new_v4()).await.unwrap();
    let on = entry(Body::Pack(entry::Pack {
        pack,
        sticker: "K-1".into(),
        known: false,
    }));
    let finding = NewEntry {
        pack: Some(pack),
        ..entry(Body::Gate(entry::Gate {
            check: "water".into(),
            answer: "inside".into(),
            typed: None,
            explained: None,
        }))
    };
    let danger = NewDanger {
        pack,
        since: finding.id,
        stop: stop(finding.id),
    };
    let head = store
        .append(&Append {
            job: a.id,
            seen: 0,
            pack_seen: Some(0),
            entries: &[entry(opened()), on, finding.clone()],
            dangers: std::slice::from_ref(&danger),
            card: &Card::default(),
        })
        .await
        .unwrap();
    assert_eq!(store.job(a.id).await.unwrap().pack_head, head);
    let brought = store.brought(b.id, &[pack]).await.unwrap();
    assert_eq!(brought.len(), 1);
    assert_eq!((brought[0].seq, brought[0].entry), (head, finding.id));
    assert_eq!(brought[0].what, Happened::Found(danger.stop.clone()));
    assert_eq!(
        store.brought(a.id, &[pack]).await.unwrap(),
        brought,
        "its own count as they were judged"
    );
    assert!(store.brought(b.id, &[]).await.unwrap().is_empty());
    assert_eq!(store.pack_history(pack).await.unwrap()[0].0, a.number);
    let past = store.pack_past(pack, Some(b.id)).await.unwrap().unwrap();
    assert_eq!((past.jobs, past.number, past.dangers), (1, a.number, 1));
    assert_eq!(store.pack_past(pack, Some(a.id)).await.unwrap(), None);
    let void = Body::Void(entry::Void {
        entry: finding.id,
        reason: "x".into(),
    });
    put(&store, a.id, head, &[entry(void)], &Card::default())
        .await
        .unwrap();
    assert_eq!(store.brought(b.id, &[pack]).await.unwrap().len(), 1);
    for change in ["DELETE FROM danger", "UPDATE danger SET seq = 0"] {
        assert!(sqlx::query(change).execute(&pool).await.is_err());
    }
}

#[sqlx::test]
async fn who_decides_on_an_old_standing_of_the_pack_is_told(pool: PgPool) {
    let store = Store::on(pool);
    let (pack, _) = store.pack_by_sticker("K-1").await.unwrap();
    let on = || {
        entry(Body::Pack(entry::Pack {
            pack,
            sticker: "K-1".into(),
            known: true,
        }))
    };
    let mut heads = Vec::new();
    let mut jobs = Vec::new();
    for _ in 0..2 {
        let job = store.open_job(Uuid::new_v4()).await.unwrap();
        let first = [entry(opened()), on()];
        heads.push(
            put(&store, job.id, 0, &first, &Card::default())
                .await
                .unwrap(),
        );
        jobs.push(job);
    }
    let seen = store.job(jobs[1].id).await.unwrap().pack_head;
    let step = |step: &str| NewEntry {
        pack: Some(pack),
        ..entry(Body::Quarantine(entry::Quarantine { step: step.into() }))
    };
    put(
        &store,
        jobs[0].id,
        heads[0],
        &[step("out")],
        &Card::default(),
    )
    .await
    .unwrap();
    let clearance = NewEntry {
        pack: Some(pack),
        ..entry(Body::Clearance(entry::Clearance {
            text: "measured and dried".into(),
        }))
    };
    let late = Append {
        job: jobs[1].id,
        seen: heads[1],
        pack_seen: Some(seen),
        entries: std::slice::from_ref(&clearance),
        dangers: &[],
        card: &Card::default(),
    };
    assert!(matches!(store.append(&late).await, Err(StoreError::Moved)));
    let now = store.job(jobs[1].id).await.unwrap().pack_head;
    assert!(now > seen);
    let looked = Append {
        pack_seen: Some(now),
        ..late
    };
    store.append(&looked).await.unwrap();
}

#[sqlx::test]
async fn what_cannot_be_stored_is_no_outage(pool: PgPool) {
    let store = Store::on(pool.clone());
    let job = store.open_job(Uuid::new_v4()).await.unwrap();
    let unknown = Body::Pack(entry::Pack {
        pack: Uuid::new_v4(),
        sticker: "K-9".into(),
        known: false,
    });
    let refused = |r: Result<i64, StoreError>| match r {
        Err(StoreError::Rejected { code, .. }) => code,
        other => panic!("{other:?}"),
    };
    let first = [entry(opened()), entry(unknown)];
    let reply = put(&store, job.id, 0, &first, &Card::default()).await;
    assert_eq!(refused(reply), "unknown-reference");
    let nul = [entry(opened()), entry(note("a\0b"))];
    let reply = put(&store, job.id, 0, &nul, &Card::default()).await;
    assert_eq!(refused(reply), "bad-value");
    assert!(
        store.entries(job.id).await.unwrap().entries.is_empty(),
        "all or nothing"
    );
    // an entry of a newer program is kept apart from those that read
    put(&store, job.id, 0, &[entry(opened())], &Card::default())
        .await
        .unwrap();
    sqlx::query(
        "INSERT INTO entry (id, job_id, at, by_name, body) VALUES ($1, $2, now(), 'Ada', $3)",
    )
    .bind(Uuid::new_v4())
    .bind(job.id)
    .bind(serde_json::json!({"kind": "hologram"}))
    .execute(&pool)
    .await
    .unwrap();
    let log = store.entries(job.id).await.unwrap();
    assert_eq!((log.entries.len(), log.unread.len()), (1, 1));
    assert!(
        log.unread[0].why.contains("hologram"),
        "{}",
        log.unread[0].why
    );
    pool.close().await;
    assert!(matches!(
        store.entries(job.id).await,
        Err(StoreError::Unavailable(_))
    ));
}

#[sqlx::test]
async fn every_entry_is_chained_to_the_one_before(pool: PgPool) {
    let store = Store::on(pool.clone());
    let job = store.open_job(Uuid::new_v4()).await.unwrap();
    let head = put(
        &store,
        job.id,
        0,
        &[entry(opened()), entry(note("a"))],
        &Card::default(),
    )
    .await
    .unwrap();
    let minutes = Body::Minutes(entry::Minutes {
        minutes: 0.1 + 0.2,
        what: "“quoted” ü\n2".into(),
    });
    put(&store, job.id, head, &[entry(minutes)], &Card::default())
        .await
        .unwrap();
    let entries = store.entries(job.id).await.unwrap().entries;
    let mut before = Vec::new();
    for (e, kept) in entries.iter().zip(store.chain(job.id).await.unwrap()) {
        before = chain::link(&before, e);
        assert_eq!(kept.as_ref(), Some(&before), "{e:?}");
    }
    // a hash is given once, to an entry that has none, and nothing else goes along with it
    for change in [
        "UPDATE entry SET chain = '\\x00'",
        "UPDATE entry SET chain = NULL",
    ] {
        assert!(sqlx::query(change).execute(&pool).await.is_err());
    }
}

#[sqlx::test]
async fn closing_takes_a_job_off_the_rack(pool: PgPool) {
    let store = Store::on(pool);
    let job = store.open_job(Uuid::new_v4()).await.unwrap();
    let close = Body::Close(entry::Close {
        outcome: spannung_core::job::Outcome::Declined,
        class: None,
        cause_confirmed: false,
        words: String::new(),
        watch: String::new(),
        recheck: None,
        shown: None,
        terms: None,
    });
    put(
        &store,
        job.id,
        0,
        &[entry(opened()), entry(close)],
        &Card::default(),
    )
    .await
    .unwrap();
    assert!(store.on_rack("technician").await.unwrap().is_empty());
    assert!(store.job(job.id).await.unwrap().closed);
}

#[sqlx::test]
async fn settings_and_ping(pool: PgPool) {
    let store = Store::on(pool);
    store.ping().await.unwrap();
    assert_eq!(store.setting("k").await.unwrap(), None);
    store.set_setting("k", "1").await.unwrap();
    store.set_setting("k", "2").await.unwrap();
    assert_eq!(store.setting("k").await.unwrap().as_deref(), Some("2"));
}
