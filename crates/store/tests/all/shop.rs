//! The queries of the shop's own things against a real PostgreSQL: cards and search, bundles, settings,
//! photos, sheets, people and their links, live updates.

use crate::common::put;
use serde_json::json;
use spannung_circuit::Change;
use spannung_core::job::entry;
use spannung_core::job::entry::SheetPoint;
use spannung_core::job::{Body, Role};
use spannung_core::reading::Unit;
use spannung_store::build::KeptBuild;
use spannung_store::card::Card;
use spannung_store::import::Incoming;
use spannung_store::job::NewEntry;
use spannung_store::people::{Customer, Person};
use spannung_store::session::NewSession;
use spannung_store::shop::{Photo, Sheet};
use spannung_store::watch::Heard;
use spannung_store::{Store, StoreError};
use sqlx::PgPool;
use time::{Duration, OffsetDateTime};
use uuid::Uuid;

const THEN: OffsetDateTime = OffsetDateTime::UNIX_EPOCH;

fn note(text: &str) -> NewEntry {
    NewEntry {
        id: Uuid::new_v4(),
        at: THEN,
        by: "Ada".into(),
        by_id: None,
        body: Body::Note(entry::Note { text: text.into() }),
        pack: None,
    }
}

fn card(vehicle: &str, frame_number: &str) -> Card {
    Card {
        vehicle: vehicle.into(),
        frame_number: frame_number.into(),
        words: "Dead since the rain".into(),
        ..Card::default()
    }
}

/// A job with one note and this card.
async fn job(store: &Store, card: &Card) -> Uuid {
    let id = store.open_job(Uuid::new_v4()).await.unwrap().id;
    put(store, id, 0, &[note("x")], card).await.unwrap();
    id
}

fn person(name: &str, role: Role) -> Person {
    Person {
        id: Uuid::new_v4(),
        name: name.into(),
        role,
    }
}

fn photo(job: Uuid) -> Photo {
    Photo {
        id: Uuid::new_v4(),
        job_id: job,
        at: THEN,
        by_name: "Ada".into(),
        width: 8,
        height: 6,
        picture: vec![1, 2, 3],
        small: vec![9],
    }
}

fn begun(person: Uuid, now: OffsetDateTime) -> NewSession<'static> {
    NewSession {
        token_hash: b"t",
        person,
        now,
        lasts: Duration::HOUR,
        device: "",
        address: "",
    }
}

#[sqlx::test]
async fn jobs_are_found_by_every_word_anywhere_on_their_card(pool: PgPool) {
    let store = Store::on(pool);
    let a = job(&store, &card("Harbour tray bike", "FN-12")).await;
    let b = job(&store, &card("Ferry tray bike", "FN-77")).await;
    let customer = Customer {
        id: Uuid::new_v4(),
        name: "Cleo Marsh".into(),
        contact: String::new(),
    };
    store.put_customer(&customer, "Ada", THEN).await.unwrap();
    let head = store.job(b).await.unwrap().head;
    let entry = NewEntry {
        body: Body::Customer(entry::Customer {
            customer: customer.id,
        }),
        ..note("")
    };
    put(&store, b, head, &[entry], &card("Ferry tray bike", "FN-77"))
        .await
        .unwrap();
    let find = async |words: &str| -> Vec<Uuid> {
        let found = store.find_jobs(words, None, 10).await.unwrap();
        found.iter().map(|f| f.id).collect()
    };
    assert_eq!(find("TRAY bike").await, [b, a], "newest first");
    assert_eq!(find("bike 12").await, [a]);
    assert_eq!(find("marsh rain").await, [b]);
    assert_eq!(find("harbour marsh").await, [] as [Uuid; 0]);
    assert_eq!(find("100 % _").await, [] as [Uuid; 0], "no pattern signs");
    assert_eq!(store.find_jobs("", None, 1).await.unwrap().len(), 1);
    let number = store.job(a).await.unwrap().number;
    assert_eq!(find(&format!("{number:04}")).await, [a]);

    assert_eq!(
        store.found(b).await.unwrap().customer.as_deref(),
        Some("Cleo Marsh")
    );
    store.erase_customer(customer.id).await.unwrap();
    assert_eq!(store.found(b).await.unwrap().customer, None);
    assert!(matches!(
        store.found(Uuid::new_v4()).await,
        Err(StoreError::NotFound(_))
    ));
}

#[sqlx::test]
async fn the_same_vehicle_is_known_by_frame_number_before_name(pool: PgPool) {
    let store = Store::on(pool);
    let a = job(&store, &card("Blue loan bike", "FN-1")).await;
    let b = job(&store, &card("blue loan bike", "fn-1")).await;
    let other_frame = job(&store, &card("Blue loan bike", "FN-2")).await;
    let no_frame = job(&store, &card("Blue loan bike", "")).await;
    let same = async |of: Uuid, vehicle: &str, frame: &str| -> Vec<Uuid> {
        let found = store.same_vehicle(of, vehicle, frame).await.unwrap();
        found.iter().map(|f| f.id).collect()
    };
    assert_eq!(same(b, "whatever", "FN-1").await, [a]);
    assert_eq!(
        same(other_frame, "Blue loan bike", "FN-2").await,
        [no_frame],
        "another frame number is another vehicle; none may be the same"
    );
    assert_eq!(
        same(no_frame, "BLUE LOAN BIKE", "").await,
        [other_frame, b, a]
    );
    assert_eq!(same(a, "", "").await, [] as [Uuid; 0]);
}

#[sqlx::test]
async fn a_recheck_is_due_until_a_job_comes_from_it(pool: PgPool) {
    let store = Store::on(pool);
    let due = |days: i64| Card {
        recheck_by: Some(THEN + Duration::days(days)),
        ..card("Tray bike", "")
    };
    let late = job(&store, &due(20)).await;
    let soon = job(&store, &due(5)).await;
    job(&store, &card("Tray bike", "")).await;
    let rechecks = async || -> Vec<Uuid> {
        let found = store.rechecks().await.unwrap();
        found.iter().map(|f| f.id).collect()
    };
    assert_eq!(rechecks().await, [soon, late]);
    let from = Card {
        from_job: Some(soon),
        ..card("Tray bike", "")
    };
    job(&store, &from).await;
    assert_eq!(rechecks().await, [late]);
}

#[sqlx::test]
async fn cards_with_a_date_and_jobs_without_a_card(pool: PgPool) {
    let store = Store::on(pool.clone());
    let promised = Card {
        promised: Some(THEN),
        ..card("A", "")
    };
    let waits = Card {
        waits_until: Some(THEN),
        ..card("B", "")
    };
    let (a, b) = (job(&store, &promised).await, job(&store, &waits).await);
    let c = job(&store, &card("C", "")).await;
    let dated: Vec<Uuid> = store.dated().await.unwrap().iter().map(|f| f.id).collect();
    assert_eq!(dated, [a, b]);
    sqlx::query("DELETE FROM job_card WHERE job_id = $1")
        .bind(c)
        .execute(&pool)
        .await
        .unwrap();
    assert_eq!(store.without_card().await.unwrap(), [c]);
    store.put_card(c, &promised).await.unwrap();
    assert_eq!(store.without_card().await.unwrap(), [] as [Uuid; 0]);
    assert_eq!(store.found(c).await.unwrap().card, promised);
    assert!(store.put_card(Uuid::new_v4(), &promised).await.is_err());
}

#[sqlx::test]
async fn a_bundle_comes_in_whole_or_not_at_all(pool: PgPool) {
    let store = Store::on(pool);
    let id = Uuid::new_v4();
    let pack = Uuid::new_v4();
    let (first, second) = (note("one"), note("two"));
    let incoming = Incoming {
        id,
        number: 900,
        clash_with: None,
        entries: vec![first.clone(), second.clone()],
        packs: vec![(pack, "K-4".into())],
        photos: vec![photo(id)],
        dangers: Vec::new(),
        card: card("Tray bike", "FN-9"),
    };
    assert!(!store.known(id, &[first.id]).await.unwrap());
    store.bring_in(&incoming, "Bea", THEN).await.unwrap();
    assert!(store.known(id, &[]).await.unwrap());
    assert!(store.known(Uuid::new_v4(), &[first.id]).await.unwrap());
    let picture = incoming.photos[0].id;
    assert!(store.known(Uuid::new_v4(), &[picture]).await.unwrap());
    let row = store.job(id).await.unwrap();
    assert_eq!(row.number, 900, "a free number is kept");
    let texts: Vec<Uuid> = store
        .entries(id)
        .await
        .unwrap()
        .entries
        .iter()
        .map(|e| e.id)
        .collect();
    assert_eq!(texts, [first.id, second.id]);
    let import = store.import_of(id).await.unwrap().unwrap();
    assert_eq!((import.by_name.as_str(), import.number), ("Bea", 900));
    assert_eq!(store.photos(id).await.unwrap(), incoming.photos);

    // the shop's own numbers go on as if it were not there, and step over it; a taken one is replaced,
    // a taken sticker says so, and no number from elsewhere uses the shop's own up
    let own = store.open_job(Uuid::new_v4()).await.unwrap();
    assert_eq!(own.number, 401);
    assert_eq!(store.import_of(own.id).await.unwrap(), None);
    let clash = Incoming {
        id: Uuid::new_v4(),
        clash_with: Some(id),
        entries: vec![note("three")],
        packs: vec![(Uuid::new_v4(), "k-4".into())],
        photos: Vec::new(),
        ..incoming.clone()
    };
    store.bring_in(&clash, "Bea", THEN).await.unwrap();
    assert_eq!(store.job(clash.id).await.unwrap().number, 402);
    let import = store.import_of(clash.id).await.unwrap().unwrap();
    assert_eq!((import.number, import.clash_with), (900, Some(id)));
    assert_eq!(store.pack_by_sticker("K-4").await.unwrap().0, pack);

    // an entry that is known already: nothing of the bundle stays
    let again = Incoming {
        id: Uuid::new_v4(),
        entries: vec![note("four"), second],
        photos: Vec::new(),
        ..incoming
    };
    assert!(store.bring_in(&again, "Bea", THEN).await.is_err());
    assert!(matches!(
        store.job(again.id).await,
        Err(StoreError::NotFound(_))
    ));
    assert!(!store.known(again.id, &[again.entries[0].id]).await.unwrap());
}

#[sqlx::test]
async fn settings_keep_their_history(pool: PgPool) {
    let store = Store::on(pool);
    assert_eq!(store.shop().await.unwrap(), None);
    assert!(store.knows_zone("Europe/Lisbon").await.unwrap());
    assert!(store.knows_zone("UTC").await.unwrap());
    assert!(!store.knows_zone("Europe/Atlantis").await.unwrap());
    store
        .set_shop(THEN, "Ilse", &json!({"rate": 1}))
        .await
        .unwrap();
    store
        .set_shop(THEN, "Ilse", &json!({"rate": 2}))
        .await
        .unwrap();
    assert_eq!(store.shop().await.unwrap(), Some(json!({"rate": 2})));
    let history = store.shop_history().await.unwrap();
    let rates: Vec<_> = history.iter().map(|r| r.body.0["rate"].clone()).collect();
    assert_eq!(rates, [json!(2), json!(1)], "newest first");
}

#[sqlx::test]
async fn a_picture_belongs_to_one_job_and_twice_is_once(pool: PgPool) {
    let store = Store::on(pool);
    let a = job(&store, &card("A", "")).await;
    let b = job(&store, &card("B", "")).await;
    let p = photo(a);
    store.put_photo(&p).await.unwrap();
    store.put_photo(&p).await.unwrap();
    assert_eq!(store.photos(a).await.unwrap(), std::slice::from_ref(&p));
    assert_eq!(store.photo(a, p.id, false).await.unwrap(), [1, 2, 3]);
    assert_eq!(store.photo(a, p.id, true).await.unwrap(), [9]);
    assert!(matches!(
        store.photo(b, p.id, true).await,
        Err(StoreError::NotFound(_))
    ));
    let stolen = Photo {
        job_id: b,
        ..p.clone()
    };
    assert!(matches!(
        store.put_photo(&stolen).await,
        Err(StoreError::ForeignEntry)
    ));
    assert!(store.put_photo(&photo(Uuid::new_v4())).await.is_err());
}

#[sqlx::test]
async fn sheets_are_found_by_name_and_renewed_by_id(pool: PgPool) {
    let store = Store::on(pool);
    let job_id = job(&store, &card("A", "")).await;
    let sheet = |name: &str, expected: &str, at: OffsetDateTime| Sheet {
        id: Uuid::new_v4(),
        name: name.into(),
        job_id,
        at,
        by_name: "Ada".into(),
        points: vec![SheetPoint {
            point: "Key switch, red".into(),
            unit: Unit::Volts,
            expected: expected.into(),
        }],
    };
    let old = sheet("Twelve-volt quad", "12.6", THEN);
    let new = sheet("Chain scooter", "36", THEN + Duration::HOUR);
    store.put_sheet(&old).await.unwrap();
    store.put_sheet(&new).await.unwrap();
    assert_eq!(store.sheets("").await.unwrap(), [new.clone(), old.clone()]);
    assert_eq!(
        store.sheets(" QUAD ").await.unwrap(),
        std::slice::from_ref(&old)
    );
    let renewed = Sheet {
        points: Vec::new(),
        at: THEN + Duration::DAY,
        ..old
    };
    store.put_sheet(&renewed).await.unwrap();
    assert_eq!(store.sheets("").await.unwrap(), [renewed, new]);
}

#[sqlx::test]
async fn people_are_changed_disabled_and_one_owner_stays(pool: PgPool) {
    let store = Store::on(pool);
    let (ilse, tomke) = (person("Ilse", Role::Owner), person("Tomke", Role::Trainee));
    store.add_person(&ilse, "h").await.unwrap();
    store.add_person(&tomke, "h").await.unwrap();
    let now = OffsetDateTime::now_utc();
    store.begin_session(&begun(tomke.id, now)).await.unwrap();
    store
        .set_calendar(tomke.id, Some(b"calendar"))
        .await
        .unwrap();
    assert_eq!(
        store.calendar_person(b"calendar").await.unwrap(),
        Some(tomke.clone())
    );

    let technician = Person {
        role: Role::Technician,
        ..tomke.clone()
    };
    store.change_person(&technician, false).await.unwrap();
    assert_eq!(
        store
            .session(b"t", now, Duration::HOUR)
            .await
            .unwrap()
            .map(|s| s.0),
        Some(technician.clone()),
        "a new role holds at once"
    );
    assert!(matches!(
        store
            .change_person(
                &Person {
                    name: "ILSE".into(),
                    ..tomke.clone()
                },
                false
            )
            .await,
        Err(StoreError::Taken(_))
    ));
    let lowered = Person {
        role: Role::Technician,
        ..ilse.clone()
    };
    for (who, disabled) in [(&lowered, false), (&ilse, true)] {
        assert!(matches!(
            store.change_person(who, disabled).await,
            Err(StoreError::LastOwner)
        ));
    }
    assert!(matches!(
        store
            .change_person(&person("Nobody", Role::Owner), false)
            .await,
        Err(StoreError::NotFound(_))
    ));

    store.change_person(&technician, true).await.unwrap();
    assert_eq!(
        store
            .session(b"t", now, Duration::HOUR)
            .await
            .unwrap()
            .map(|s| s.0),
        None
    );
    assert_eq!(store.calendar_person(b"calendar").await.unwrap(), None);
    assert!(store.person_by_name("Tomke").await.unwrap().is_none());
    assert!(store.person_with_code("Tomke").await.unwrap().is_none());
    let all = store.people().await.unwrap();
    assert_eq!(all, [(ilse, false, false), (technician, true, false)]);
}

#[sqlx::test]
async fn codes_and_passwords_are_set_and_taken_away(pool: PgPool) {
    let store = Store::on(pool);
    let pavo = person("Pavo", Role::Technician);
    store.add_person(&pavo, "old").await.unwrap();
    let code = async || store.person_with_code("pavo").await.unwrap().unwrap().1;
    assert_eq!(code().await, None);
    store.set_code(pavo.id, Some("hash")).await.unwrap();
    assert_eq!(code().await.as_deref(), Some("hash"));
    assert!(store.people().await.unwrap()[0].2);
    store.set_code(pavo.id, None).await.unwrap();
    assert_eq!(code().await, None);
    let now = OffsetDateTime::now_utc();
    store.begin_session(&begun(pavo.id, now)).await.unwrap();
    store.set_password(pavo.id, "new").await.unwrap();
    assert_eq!(
        store
            .session(b"t", now, Duration::HOUR)
            .await
            .unwrap()
            .map(|s| s.0),
        None,
        "a new password ends old sessions"
    );
    assert_eq!(
        store.person_by_name("Pavo").await.unwrap().unwrap().1,
        "new"
    );
    for refused in [
        store.set_code(Uuid::new_v4(), None).await,
        store.set_password(Uuid::new_v4(), "x").await,
    ] {
        assert!(matches!(refused, Err(StoreError::NotFound(_))));
    }
}

#[sqlx::test]
async fn a_one_time_link_works_once_and_a_newer_one_ends_it(pool: PgPool) {
    let store = Store::on(pool);
    let pavo = person("Pavo", Role::Technician);
    store.add_person(&pavo, "h").await.unwrap();
    let now = OffsetDateTime::now_utc();
    let later = now + Duration::HOUR;
    store.invite(b"first owner", None, later).await.unwrap();
    store.invite(b"b", Some(pavo.id), later).await.unwrap();
    store.invite(b"old", Some(pavo.id), now).await.unwrap();
    store.invite(b"a", Some(pavo.id), later).await.unwrap();
    assert_eq!(store.invited(b"first owner", now).await.unwrap(), None);
    assert_eq!(store.invited(b"a", now).await.unwrap(), Some(pavo));
    let gone = async |token: &[u8]| {
        matches!(
            store.invited(token, now).await,
            Err(StoreError::NotFound(_))
        )
    };
    assert!(gone(b"old").await && gone(b"never").await && gone(b"b").await);
    store.use_invitation(b"a", now).await.unwrap();
    assert!(gone(b"a").await);
    assert!(!gone(b"first owner").await);
    for used in [&b"a"[..], b"b", b"old", b"never"] {
        assert!(store.use_invitation(used, now).await.is_err());
    }
}

#[sqlx::test]
async fn a_calendar_link_is_one_a_person_and_revocable(pool: PgPool) {
    let store = Store::on(pool);
    let pavo = person("Pavo", Role::Technician);
    store.add_person(&pavo, "h").await.unwrap();
    store.set_calendar(pavo.id, Some(b"one")).await.unwrap();
    store.set_calendar(pavo.id, Some(b"two")).await.unwrap();
    assert_eq!(store.calendar_person(b"one").await.unwrap(), None);
    assert_eq!(
        store.calendar_person(b"two").await.unwrap(),
        Some(pavo.clone())
    );
    store.set_calendar(pavo.id, None).await.unwrap();
    assert_eq!(store.calendar_person(b"two").await.unwrap(), None);
}

#[sqlx::test]
async fn whoever_listens_hears_of_an_append(pool: PgPool) {
    let store = Store::on(pool);
    let id = store.open_job(Uuid::new_v4()).await.unwrap().id;
    let mut watch = store.watch().await.unwrap();
    let head = put(&store, id, 0, &[note("x")], &Card::default())
        .await
        .unwrap();
    assert_eq!(watch.next().await.unwrap(), Heard::Append(id, head));
    store.beat().await.unwrap();
    assert_eq!(watch.next().await.unwrap(), Heard::Beat);
}

/// One name once, whoever keeps it; what was kept is never written over.
#[sqlx::test]
async fn a_build_is_kept_once_under_a_name(pool: PgPool) {
    let store = Store::on(pool);
    let id = job(&store, &card("A", "")).await;
    let build = |name: &str, changes: Vec<Change>| KeptBuild {
        id: Uuid::new_v4(),
        name: name.into(),
        job_id: id,
        at: OffsetDateTime::UNIX_EPOCH,
        by_name: "Pavo".into(),
        volts_class: 48,
        drive: "geared-hub".into(),
        changes,
    };
    let lever = Change::Likely {
        slot: "brake-left".into(),
        kind: Some("lever-that-opens".into()),
    };
    let first = build("Sluice trike", vec![lever]);
    assert!(store.put_build(&first).await.unwrap());
    // sent again, it is the same
    assert!(store.put_build(&first).await.unwrap());
    assert!(
        !store
            .put_build(&build("SLUICE trike", vec![]))
            .await
            .unwrap()
    );
    let renamed = KeptBuild {
        name: "Another".into(),
        ..first.clone()
    };
    assert!(!store.put_build(&renamed).await.unwrap());
    assert_eq!(store.builds().await.unwrap(), std::slice::from_ref(&first));
    let gone = store.drop_build(first.id).await.unwrap();
    assert_eq!(gone.as_deref(), Some("Sluice trike"));
    assert_eq!(store.drop_build(first.id).await.unwrap(), None);
    // of a job that is not there nothing is kept
    let lost = KeptBuild {
        job_id: Uuid::new_v4(),
        ..first
    };
    assert!(store.put_build(&lost).await.is_err());
}

#[sqlx::test]
async fn emptied_is_empty_and_begins_anew(pool: PgPool) {
    let store = Store::on(pool);
    store
        .add_person(&person("Ilse", Role::Owner), "h")
        .await
        .unwrap();
    let id = job(&store, &card("A", "")).await;
    let first = store.job(id).await.unwrap().number;
    store.put_photo(&photo(id)).await.unwrap();
    let build = KeptBuild {
        id,
        name: "A".into(),
        job_id: id,
        at: OffsetDateTime::UNIX_EPOCH,
        by_name: "Ilse".into(),
        volts_class: 48,
        drive: "mid".into(),
        changes: Vec::new(),
    };
    assert!(store.put_build(&build).await.unwrap());
    store.empty().await.unwrap();
    assert_eq!(store.builds().await.unwrap(), []);
    assert_eq!(store.people_count().await.unwrap(), 0);
    assert_eq!(store.find_jobs("", None, 10).await.unwrap(), []);
    assert_eq!(store.open_job(id).await.unwrap().number, first);
}
