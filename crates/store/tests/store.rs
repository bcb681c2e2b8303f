//! Every query against a real PostgreSQL, each test with a database of its own.

#![allow(clippy::unwrap_used)] // a test that panics says where

use spannung_core::job::{Body, Role};
use spannung_store::card::Card;
use spannung_store::job::NewEntry;
use spannung_store::people::{Customer, Person};
use spannung_store::{Store, StoreError};
use sqlx::PgPool;
use time::{Duration, OffsetDateTime};
use uuid::Uuid;

fn opened() -> Body {
    Body::Opened {
        words: "Dead".into(),
        volts_class: 48,
        drive: "geared-hub".into(),
        seconds: 0.0,
        from_job: None,
    }
}

fn note(text: &str) -> Body {
    Body::Note { text: text.into() }
}

fn entry(body: Body) -> NewEntry {
    NewEntry {
        id: Uuid::new_v4(),
        at: OffsetDateTime::UNIX_EPOCH,
        by: "Ada".into(),
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
    store
        .begin_session(b"token", person.id, now + Duration::hours(1))
        .await
        .unwrap();
    assert_eq!(store.session(b"token", now).await.unwrap(), Some(person));
    assert_eq!(
        store
            .session(b"token", now + Duration::hours(2))
            .await
            .unwrap(),
        None
    );
    assert_eq!(store.session(b"other", now).await.unwrap(), None);
    store.end_session(b"token", now).await.unwrap();
    assert_eq!(store.session(b"token", now).await.unwrap(), None);
}

#[sqlx::test]
async fn failures_count_by_account_and_address_and_grow_old(pool: PgPool) {
    let store = Store::on(pool);
    let now = OffsetDateTime::now_utc();
    let old = now - Duration::hours(1);
    store.note_failure("Ada", "1.2.3.4", old).await.unwrap();
    store.note_failure("Ada", "1.2.3.4", now).await.unwrap();
    store.note_failure("Bea", "1.2.3.4", now).await.unwrap();
    let since = now - Duration::minutes(15);
    assert_eq!(
        store.failures("ADA", "1.2.3.4", since).await.unwrap(),
        (1, 2)
    );
    store.forget_failures("ada").await.unwrap();
    assert_eq!(
        store.failures("Ada", "9.9.9.9", since).await.unwrap(),
        (0, 0)
    );
}

#[sqlx::test]
async fn a_customer_can_be_erased_and_the_job_stays(pool: PgPool) {
    let store = Store::on(pool);
    let customer = Customer {
        id: Uuid::new_v4(),
        name: "Cleo".into(),
        contact: "0700".into(),
    };
    store.put_customer(&customer).await.unwrap();
    let job = store.open_job(Uuid::new_v4()).await.unwrap();
    let body = Body::Customer {
        customer: customer.id,
    };
    store
        .append(job.id, 0, &[entry(opened()), entry(body)], &Card::default())
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
    store.erase_customer(customer.id).await.unwrap();
    assert_eq!(store.customer(customer.id).await.unwrap(), None);
    assert!(matches!(
        store.erase_customer(customer.id).await,
        Err(StoreError::NotFound(_))
    ));
    let entries = store.entries(job.id).await.unwrap();
    assert_eq!(entries.len(), 2);
    assert!(!serde_json::to_string(&entries).unwrap().contains("Cleo"));
}

#[sqlx::test]
async fn sending_twice_is_once_and_a_stale_head_is_told(pool: PgPool) {
    let store = Store::on(pool);
    let job = store.open_job(Uuid::new_v4()).await.unwrap();
    assert_eq!(store.open_job(job.id).await.unwrap().number, job.number);
    assert!(
        store.jobs().await.unwrap().is_empty(),
        "a job without entries hangs nowhere"
    );
    let first = [entry(opened()), entry(note("a"))];
    let head = store
        .append(job.id, 0, &first, &Card::default())
        .await
        .unwrap();
    assert_eq!(
        store
            .append(job.id, 0, &first, &Card::default())
            .await
            .unwrap(),
        head,
        "the same again changes nothing"
    );
    assert!(matches!(
        store
            .append(job.id, 0, &[entry(note("b"))], &Card::default())
            .await,
        Err(StoreError::Moved)
    ));
    store
        .append(job.id, head, &[entry(note("b"))], &Card::default())
        .await
        .unwrap();
    let entries = store.entries(job.id).await.unwrap();
    assert_eq!(entries.len(), 3);
    assert!(entries.windows(2).all(|w| w[0].seq < w[1].seq));
    let other = store.open_job(Uuid::new_v4()).await.unwrap();
    assert!(matches!(
        store.append(other.id, 0, &first, &Card::default()).await,
        Err(StoreError::ForeignEntry)
    ));
    assert_eq!(store.jobs().await.unwrap().len(), 1);
}

#[sqlx::test]
async fn the_log_refuses_to_be_changed(pool: PgPool) {
    let store = Store::on(pool.clone());
    let job = store.open_job(Uuid::new_v4()).await.unwrap();
    store
        .append(job.id, 0, &[entry(opened())], &Card::default())
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
    assert_eq!(store.entries(job.id).await.unwrap().len(), 1);
}

#[sqlx::test]
async fn findings_follow_the_pack_into_other_jobs_unless_struck_out(pool: PgPool) {
    let store = Store::on(pool);
    let (pack, sticker) = store.pack_by_sticker("K-1").await.unwrap();
    assert_eq!(store.pack_by_sticker("k-1").await.unwrap(), (pack, sticker));
    let a = store.open_job(Uuid::new_v4()).await.unwrap();
    let b = store.open_job(Uuid::new_v4()).await.unwrap();
    let finding = NewEntry {
        pack: Some(pack),
        ..entry(Body::Gate {
            check: "water".into(),
            answer: "inside".into(),
            typed: None,
        })
    };
    let head = store
        .append(
            a.id,
            0,
            &[entry(opened()), finding.clone()],
            &Card::default(),
        )
        .await
        .unwrap();
    assert_eq!(store.brought(b.id, &[pack]).await.unwrap().len(), 1);
    assert!(
        store.brought(a.id, &[pack]).await.unwrap().is_empty(),
        "its own are in its log"
    );
    assert!(store.brought(b.id, &[]).await.unwrap().is_empty());
    assert_eq!(store.pack_history(pack).await.unwrap()[0].0, a.number);
    let void = Body::Void {
        entry: finding.id,
        reason: "x".into(),
    };
    store
        .append(a.id, head, &[entry(void)], &Card::default())
        .await
        .unwrap();
    assert!(store.brought(b.id, &[pack]).await.unwrap().is_empty());
}

#[sqlx::test]
async fn closing_takes_a_job_off_the_rack(pool: PgPool) {
    let store = Store::on(pool);
    let job = store.open_job(Uuid::new_v4()).await.unwrap();
    let close = Body::Close {
        outcome: spannung_core::job::Outcome::Declined,
        class: None,
        cause_confirmed: false,
        words: String::new(),
        watch: String::new(),
        recheck: None,
        shown: None,
        terms: None,
    };
    store
        .append(
            job.id,
            0,
            &[entry(opened()), entry(close)],
            &Card::default(),
        )
        .await
        .unwrap();
    assert!(store.jobs().await.unwrap().is_empty());
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
