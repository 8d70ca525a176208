//! On a real MariaDB: a shop sees its own things alone, a ledger is only added to, and a write sent twice is written once.
use velvet_dial_core::case::{Phase, Reading};
use velvet_dial_core::circuit::Card;
use velvet_dial_core::limits::{Point, Sheet};
use velvet_dial_core::rights::Role;
use velvet_dial_core::unit::Gear;
use velvet_dial_store::accounts::Credentials;
use velvet_dial_store::accounts::NewUser;
use velvet_dial_store::jobs::{self, Body, Found, Opening, Repair, TakenReading, Write, Written};
use velvet_dial_store::{Connection, StoreError, Viewer, accounts, library};
use velvet_dial_testkit::{HOSTILE, fresh_database};

async fn shop(db: &Connection, name: &str) -> (Viewer, Viewer, uuid::Uuid) {
    let shop = accounts::add_shop(db, name).await.unwrap();
    let one =
        accounts::add_user(db, shop, &NewUser::of(Role::Owner, &format!("{name}-one"), "One", "a long password")).await.unwrap().unwrap();
    let two =
        accounts::add_user(db, shop, &NewUser::of(Role::Owner, &format!("{name}-two"), "Two", "a long password")).await.unwrap().unwrap();
    let card = Card::of(2.0, 4, 750.0, "5W-30");
    let engine = library::add_engine(db, &one, "Quayside", &card).await.unwrap().unwrap();
    (one, two, engine)
}

async fn job(db: &Connection, who: &Viewer, engine: uuid::Uuid) -> i64 {
    let opening = Opening { tag: "TUG 4", description: "Tug", engine, complaint: HOSTILE, submit_key: "k", scene: None, at: None };
    jobs::open(db, who, &opening).await.unwrap()
}

async fn enter(db: &Connection, name: &str, password: &str, agent: &str) -> Result<Option<accounts::Token>, StoreError> {
    accounts::sign_in(db, &Credentials { name, password, agent, address: "10.0.0.1", demo: false }).await
}

async fn say(db: &Connection, who: &Viewer, number: i64, body: Body, supersedes: Option<uuid::Uuid>, key: &str) -> Written {
    jobs::write(db, who, number, &Write::of(body, key).in_place_of(supersedes)).await.unwrap()
}

fn level(outcome: &str) -> Body {
    Body::evidence("level", outcome, Phase::Before)
}

fn id(written: &Written) -> uuid::Uuid {
    match written {
        Written::Stands(id) | Written::StoodAlready(id) => *id,
        Written::Overtaken { by } => panic!("overtaken by {by:?}"),
    }
}

#[tokio::test]
async fn sessions_open_close_and_tell_nobody_anything() {
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    let (one, _, _) = shop(&db, "alpha").await;
    // The database holds an accent for nothing; a name does not.
    for (name, password) in [
        ("alpha-one", "wrong"),
        ("nobody", "a long password"),
        ("alpha-one", ""),
        ("' OR 1=1 -- ", "x"),
        ("\u{e1}lpha-one", "a long password"),
        ("alpha -one", "a long password"),
    ] {
        assert!(enter(&db, name, password, "test").await.unwrap().is_none());
    }
    let here = enter(&db, "alpha-one", "a long password", "test").await.unwrap().unwrap();
    let there = enter(&db, "alpha-one", "a long password", HOSTILE).await.unwrap().unwrap();
    assert!(!format!("{here:?}").contains(here.expose()));
    let viewer = accounts::viewer_of(&db, &here, false).await.unwrap().unwrap();
    assert!(viewer.since >= one.since, "the session is younger than the account");
    assert_eq!(Viewer { since: one.since, ..viewer }, one);
    accounts::sign_out(&db, &here, false).await.unwrap();
    assert_eq!(accounts::viewer_of(&db, &here, false).await.unwrap(), None);
    assert!(accounts::viewer_of(&db, &there, false).await.unwrap().is_some());
    accounts::sign_out(&db, &there, true).await.unwrap();
    assert_eq!(accounts::viewer_of(&db, &there, false).await.unwrap(), None);
    assert!(
        accounts::add_user(&db, one.shop, &NewUser::of(Role::Owner, "alpha-one", "x", "a long password")).await.unwrap().is_none(),
        "a name is given once"
    );
}

#[tokio::test]
async fn another_shop_sees_and_touches_nothing() {
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    let (one, _, engine) = shop(&db, "alpha").await;
    let (stranger, _, _) = shop(&db, "beta").await;
    let number = job(&db, &one, engine).await;
    let capture = jobs::add_capture(&db, &one, number, "run.csv", b"bytes").await.unwrap();
    let refused = |result: Result<(), StoreError>| assert!(matches!(result, Err(StoreError::NotFound)), "{result:?}");
    refused(jobs::load(&db, &stranger, number).await.map(drop));
    refused(jobs::capture_head(&db, &stranger, number, capture).await.map(drop));
    refused(jobs::photo(&db, &stranger, number, capture, true).await.map(drop));
    refused(jobs::add_capture(&db, &stranger, number, "x", b"x").await.map(drop));
    refused(jobs::set_mapping(&db, &stranger, number, capture, "{}").await);
    refused(jobs::write(&db, &stranger, number, &Write::of(level("ok"), "k")).await.map(drop));
    refused(library::engine(&db, &stranger, engine).await.map(drop));
    let sheet = Sheet { source: String::new(), in_force_from: None, points: vec![], ..Sheet::default() };
    refused(library::add_sheet(&db, &stranger, engine, &sheet, None).await.map(drop));
    refused(library::revise_sheet(&db, &stranger, engine, &sheet, None).await.map(drop));
    refused(library::change_engine(&db, &stranger, engine, "Mine", &Card::of(2.0, 4, 750.0, "5W-30")).await.map(drop));
    let opening = Opening { tag: "X", description: "", engine, complaint: "", submit_key: "s", scene: None, at: None };
    refused(jobs::open(&db, &stranger, &opening).await.map(drop));
    assert!(
        jobs::board(&db, &stranger, &jobs::Sieve::default(), 0, 100).await.unwrap()
            == jobs::Board { open: vec![], all_open: 0, closed: vec![] }
    );
    assert!(library::vehicles_like(&db, &stranger, "", 9).await.unwrap().is_empty());
    assert!(jobs::load(&db, &one, number).await.unwrap().entries.is_empty());
}

#[tokio::test]
async fn a_form_sent_twice_is_written_once_and_typed_anew_is_not_lost() {
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    let (one, two, engine) = shop(&db, "alpha").await;
    let number = job(&db, &one, engine).await;
    assert_eq!(job(&db, &one, engine).await, number, "the same form opens the same job");
    let first = say(&db, &one, number, level("ok"), None, "form").await;
    // A double tap on two connections at the same moment, many times over.
    let (a, b, c) = tokio::join!(
        say(&db, &one, number, level("ok"), None, "form"),
        say(&db, &one, number, level("ok"), None, "form"),
        say(
            &db,
            &two,
            number,
            Body::Repair(Repair { cause: None, done: HOSTILE.into(), follow_up: String::new(), stopgap: false }),
            None,
            "other"
        ),
    );
    assert_eq!((id(&a), id(&b)), (id(&first), id(&first)));
    assert!(matches!(c, Written::Stands(_)));
    // The back button: the same form's key, something else typed.
    let reading = |kpa: f64| {
        let reading = Reading::of(750.0, 98.0, kpa);
        Body::Reading(TakenReading { reading, gauge: None, capture: None, held: None })
    };
    for kpa in [60.0, 62.0, 60.0, 62.0] {
        say(&db, &one, number, reading(kpa), None, "back").await;
    }
    let job = jobs::load(&db, &one, number).await.unwrap();
    assert_eq!(job.entries.iter().map(|e| e.seq).collect::<Vec<_>>(), [1, 2, 3, 4], "one level, one repair, two readings");
    assert_eq!(job.case().readings.len(), 2);
    assert_eq!(job.head.complaint, HOSTILE, "what was typed comes back to the letter");
}

#[tokio::test]
async fn two_people_at_one_job_lose_nothing() {
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    let (one, two, engine) = shop(&db, "alpha").await;
    let number = job(&db, &one, engine).await;
    let first = id(&say(&db, &one, number, level("ok"), None, "a").await);
    // The other did not see it: told, and nothing written.
    let Written::Overtaken { by } = say(&db, &two, number, level("low"), None, "b").await else { panic!("written over") };
    assert_eq!((by.id, by.author_name.as_str()), (first, "One"));
    let second = id(&say(&db, &two, number, level("low"), Some(first), "b").await);
    // The first corrects the entry that is no longer the last.
    let Written::Overtaken { by } = say(&db, &one, number, level("high"), Some(first), "c").await else { panic!("written over") };
    assert_eq!(by.id, second);
    say(&db, &one, number, Body::Withdrawn { reason: "dipped on a slope".into() }, Some(second), "d").await;
    let job = jobs::load(&db, &one, number).await.unwrap();
    assert_eq!(job.entries.len(), 3, "all of it stays readable");
    assert!(job.case().evidence.is_empty() && job.case_at(2).0.evidence.first().unwrap().outcome == "low");
    assert!(matches!(say(&db, &one, number, level("ok"), None, "e").await, Written::Stands(_)), "after a withdrawal the place is free");
    // Fifty entries at once: numbered without gaps, none lost.
    let writes = (0..50).map(|i| {
        let (db, who) = (db.clone(), if i % 2 == 0 { one.clone() } else { two.clone() });
        tokio::spawn(async move {
            let body = Body::Repair(Repair { cause: None, done: format!("act {i}"), follow_up: String::new(), stopgap: false });
            jobs::write(&db, &who, number, &Write::of(body, &format!("w{i}"))).await.unwrap()
        })
    });
    for write in writes.collect::<Vec<_>>() {
        assert!(matches!(write.await.unwrap(), Written::Stands(_)));
    }
    let seqs: Vec<i32> = jobs::load(&db, &one, number).await.unwrap().entries.iter().map(|e| e.seq).collect();
    assert_eq!(seqs, (1..=54).collect::<Vec<_>>());
}

#[tokio::test]
async fn the_sheet_in_force_on_the_day_is_the_one_that_judges() {
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    let (one, _, engine) = shop(&db, "alpha").await;
    for (source, from, min) in [("rev A", "2001-01-01", 120.0), ("rev B", "2020-01-01", 100.0), ("rev C", "2999-01-01", 80.0)] {
        let points = vec![Point { rpm: 750.0, oil_temp_c: 100.0, gear: Gear::Neutral, min_kpa: Some(min), max_kpa: None }];
        let sheet = Sheet { source: source.into(), in_force_from: Some(from.parse().unwrap()), points, ..Sheet::default() };
        library::add_sheet(&db, &one, engine, &sheet, None).await.unwrap();
    }
    let number = job(&db, &one, engine).await;
    let job = jobs::load(&db, &one, number).await.unwrap();
    assert_eq!(job.sheet().unwrap().source, "rev B");
    assert_eq!(job.engine.sheets.len(), 3, "the others stay readable");
}

#[tokio::test]
async fn a_capture_is_kept_byte_for_byte_and_known_again_on_another_job() {
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    let (one, _, engine) = shop(&db, "alpha").await;
    let number = job(&db, &one, engine).await;
    let bytes: Vec<u8> = (0..3_000_000u32).map(|i| (i % 251) as u8).collect();
    let id = jobs::add_capture(&db, &one, number, HOSTILE, &bytes).await.unwrap();
    assert_eq!(jobs::add_capture(&db, &one, number, "again.csv", &bytes).await.unwrap(), id);
    let opening = Opening { tag: "TUG 5", description: "", engine, complaint: "x", submit_key: "k2", scene: None, at: None };
    let other = jobs::open(&db, &one, &opening).await.unwrap();
    jobs::add_capture(&db, &one, other, "copied.csv", &bytes).await.unwrap();
    let (file, mapping) = jobs::capture_head(&db, &one, number, id).await.unwrap();
    assert!(jobs::capture_bytes(&db, id).await.unwrap() == bytes && file.also_in == [other] && mapping.is_none());
    // It lies in parts well under what the database takes at once, and one that broke off leaves none.
    let mut broken = jobs::Incoming::begin(&db, &one, number, "broken.csv").await.unwrap();
    broken.take(&db, &bytes).await.unwrap();
    broken.forget(&db).await.unwrap();
    jobs::forget_parts(&db).await.unwrap();
    let parts = "SELECT CAST(COUNT(*) AS SIGNED) AS parts, CAST(MAX(LENGTH(bytes)) AS SIGNED) AS most FROM capture_parts";
    let sql = sea_orm::Statement::from_string(sea_orm::DbBackend::MySql, parts);
    let row = sea_orm::ConnectionTrait::query_one_raw(&db, sql).await.unwrap().unwrap();
    assert_eq!((row.try_get::<i64>("", "parts").unwrap(), row.try_get::<i64>("", "most").unwrap()), (6, 1 << 20));
}

#[tokio::test]
async fn a_row_that_cannot_be_read_is_shown_as_such_and_breaks_nothing() {
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    let (one, _, engine) = shop(&db, "alpha").await;
    let number = job(&db, &one, engine).await;
    let first = id(&say(&db, &one, number, level("ok"), None, "a").await);
    let told = id(&say(&db, &one, number, Body::Circumstance { circumstance: "knock".into(), told: true }, None, "b").await);
    // A later version's kind, half a body, and what an earlier version let through as null.
    let run = |sql: String| {
        let db = &db;
        async move { sea_orm::ConnectionTrait::execute_unprepared(db, &sql).await.unwrap() }
    };
    for damaged in [r#"{"v":7,"kind":"thermogram","file":"x"}"#, r#"{"kind":"evi"#, r#"{"kind":"reading","reading":{"rpm":null}}"#, ""] {
        run(format!("update entries set body = '{damaged}' where seq = 2")).await;
        let held = jobs::load(&db, &one, number).await.unwrap();
        assert!(matches!(held.entries[1].body, Body::Unreadable { .. }), "{damaged}");
        assert_eq!(held.case().evidence.len(), 1, "the others hold");
        // It can be written beside, corrected and withdrawn like any other.
        let again = say(&db, &one, number, level("low"), Some(first), "c").await;
        assert!(matches!(again, Written::Stands(_) | Written::StoodAlready(_)));
    }
    let gone = say(&db, &one, number, Body::Withdrawn { reason: "damaged".into() }, Some(told), "d").await;
    assert!(matches!(gone, Written::Stands(_)));
    assert_eq!(jobs::load(&db, &one, number).await.unwrap().live().count(), 1);
}

#[tokio::test]
async fn what_cannot_be_read_back_is_never_written_and_a_closed_job_takes_its_reopening_alone() {
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    let (one, two, engine) = shop(&db, "alpha").await;
    let number = job(&db, &one, engine).await;
    let write = |body: Body, supersedes, key: &'static str| {
        let (db, one) = (&db, &one);
        async move { jobs::write(db, one, number, &Write::of(body, key).in_place_of(supersedes)).await }
    };
    let taken = |kpa: f64, capture| TakenReading { reading: Reading::of(750.0, 98.0, kpa), gauge: None, capture, held: None };
    for (place, bad) in [
        taken(f64::NAN, None),
        taken(f64::INFINITY, None),
        taken(60.0, Some((uuid::Uuid::nil(), f64::NAN, 3.0))),
        taken(60.0, Some((uuid::Uuid::nil(), 1.0, f64::NEG_INFINITY))),
    ]
    .into_iter()
    .enumerate()
    {
        let refused = write(Body::Reading(bad), None, "nan").await;
        assert!(matches!(refused, Err(StoreError::CannotBeKept)), "{place}: {refused:?}");
    }
    let unreadable = Body::Unreadable { kind: "x".into(), why: "y".into() };
    assert!(matches!(write(unreadable, None, "u").await, Err(StoreError::CannotBeKept)));
    assert!(jobs::load(&db, &one, number).await.unwrap().entries.is_empty());

    // Any number of any unit comes back to the last digit.
    let before = 60u32;
    for place in 1..=before {
        let psi = Body::Reading(taken(6.894757293168361 * f64::from(place) / 7.0, None));
        assert!(matches!(write(psi, None, "psi").await, Ok(Written::Stands(_))), "{place}");
    }
    write(Body::Reading(taken(60.0, None)), None, "r").await.unwrap();
    let closing = id(&say(&db, &one, number, Body::Closed { found: Found::default() }, None, "close").await);
    assert!(jobs::load(&db, &one, number).await.unwrap().closed());
    for body in [level("ok"), Body::Reading(taken(70.0, None)), Body::Withdrawn { reason: "no".into() }] {
        assert!(matches!(write(body, None, "late").await, Err(StoreError::Closed)));
    }
    // Sent again, what stood already still stands.
    assert!(matches!(write(Body::Closed { found: Found::default() }, None, "close").await, Ok(Written::StoodAlready(_))));
    say(&db, &two, number, Body::Reopened { reason: "came back".into() }, Some(closing), "open").await;
    let open = jobs::load(&db, &one, number).await.unwrap();
    assert!(!open.closed() && open.entries.len() as u32 == before + 3, "closing and reopening both stay readable");
    say(&db, &one, number, level("low"), None, "more").await;
    say(&db, &one, number, Body::Closed { found: Found::default() }, None, "close again").await;
    assert!(jobs::load(&db, &one, number).await.unwrap().closed());
}

#[tokio::test]
async fn the_board_shows_every_open_job_in_as_many_queries_for_one_as_for_many() {
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    let (one, _, engine) = shop(&db, "alpha").await;
    let mut numbers = Vec::new();
    for place in 0..7 {
        let (tag, key) = (format!("TUG {place}"), format!("k{place}"));
        let opening = Opening { tag: &tag, description: "Tug", engine, complaint: "low", submit_key: &key, scene: None, at: None };
        numbers.push(jobs::open(&db, &one, &opening).await.unwrap());
    }
    let say = |number: i64, body: Body, supersedes, key: &'static str| {
        let (db, one) = (&db, &one);
        async move { say(db, one, number, body, supersedes, key).await }
    };
    say(numbers[2], level("low"), None, "a").await;
    let closing = id(&say(numbers[2], Body::Closed { found: Found::default() }, None, "b").await);
    say(numbers[5], Body::Closed { found: Found::default() }, None, "c").await;
    let seen = async |page| {
        let board = jobs::board(&db, &one, &jobs::Sieve::default(), page, 3).await.unwrap();
        let told = |rows: &[jobs::Row]| rows.iter().map(|row| row.number).collect::<Vec<_>>();
        (told(&board.open), board.all_open, told(&board.closed))
    };
    let of = |places: &[usize]| places.iter().map(|place| numbers[*place]).collect::<Vec<_>>();
    assert_eq!(seen(0).await, (of(&[6, 4, 3]), 5, of(&[5, 2])));
    assert_eq!(seen(1).await, (of(&[1, 0]), 5, of(&[5, 2])));
    assert_eq!(seen(9).await.0, of(&[]));
    say(numbers[2], Body::Reopened { reason: "again".into() }, Some(closing), "d").await;
    assert_eq!(seen(0).await, (of(&[6, 4, 3]), 6, of(&[5])));
    assert_eq!(seen(1).await.0, of(&[2, 1, 0]));
    // What the board shows of a job is what the job shows of itself.
    let board = jobs::board(&db, &one, &jobs::Sieve::default(), 1, 3).await.unwrap();
    let (row, job) = (&board.open[0], jobs::load(&db, &one, numbers[2]).await.unwrap());
    assert_eq!(row.stage, velvet_dial_core::stage::where_it_is(&job.case()));
    assert_eq!((row.last.as_ref(), row.last_by.as_str()), (job.entries.last().map(|entry| &entry.body), "One"));
}

#[tokio::test]
async fn plates_are_compared_as_a_person_compares_them() {
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    let (one, _, _) = shop(&db, "alpha").await;
    let of = async |tag: &str, description: &str| library::vehicle_tagged(&db, &one, tag, description).await.unwrap();
    let first = of("TUG 4", "Baggage tug").await;
    for alike in ["tug 4", "TUG4", " Tug  4 "] {
        assert_eq!(of(alike, "").await, first, "{alike}");
    }
    for other in ["TÜG 4", "TUG 4B", "TUĠ 4", "ТUG 4"] {
        assert_ne!(of(other, "Another").await.id, first.id, "{other}: no letter is taken for another");
    }
    assert_eq!(of("TUG 4", "Baggage tug, electric start").await.description, "Baggage tug, electric start", "a new description is taken");
    assert_eq!(library::vehicles_like(&db, &one, "", 9).await.unwrap().len(), 5);
    assert_eq!(library::vehicles_like(&db, &one, "tug 4", 9).await.unwrap().len(), 2, "TUG 4 and TUG 4B");
    assert_ne!(accounts::shop_named(&db, "Skerry").await.unwrap(), accounts::shop_named(&db, "Skérry").await.unwrap());
}

/// Two servers start at once, and one that was cut short in the middle of its changes starts again: what was written before is still there.
#[tokio::test]
async fn tables_are_changed_by_one_server_at_a_time_and_a_half_done_change_is_finished() {
    let url = fresh_database().await;
    let open = || velvet_dial_store::open(&url);
    let (db, b, c, d) = tokio::join!(open(), open(), open(), open());
    assert!(b.is_ok() && c.is_ok() && d.is_ok());
    let db = db.unwrap();
    let (one, _, engine) = shop(&db, "alpha").await;
    let number = job(&db, &one, engine).await;
    say(&db, &one, number, Body::Closed { found: Found::default() }, None, "close").await;
    for undone in [
        "ALTER TABLE vehicles ADD UNIQUE INDEX shop_id (shop_id, tag), DROP INDEX vehicles_by_key",
        "UPDATE vehicles SET tag_key = NULL",
        "UPDATE jobs SET closed_at = NULL",
        "ALTER TABLE captures DROP INDEX captures_by_digest",
        "ALTER TABLE jobs DROP COLUMN closed_at, DROP INDEX jobs_on_the_board, ADD INDEX beside (shop_id)",
    ] {
        for sql in [undone, "DELETE FROM seaql_migrations WHERE version NOT LIKE '%first'"] {
            sea_orm::ConnectionTrait::execute_unprepared(&db, sql).await.unwrap();
        }
        let again = velvet_dial_store::open(&url).await.unwrap();
        let board = jobs::board(&again, &one, &jobs::Sieve::default(), 0, 9).await.unwrap();
        assert_eq!((board.all_open, board.closed.len()), (0, 1), "{undone}");
        assert_eq!(library::vehicle_tagged(&again, &one, "tug4", "").await.unwrap().tag, "TUG 4", "{undone}");
    }
}

/// Entries are chained as they are written; what is changed behind the program's back is found by its place. An entry without a hash is not believed, but for the one time at which
/// those of before hashes were kept are given theirs.
#[tokio::test]
async fn a_ledger_changed_behind_the_programs_back_is_told() {
    use velvet_dial_core::signing::{SealError, head};
    let url = fresh_database().await;
    let db = velvet_dial_store::open(&url).await.unwrap();
    let (one, _, engine) = shop(&db, "seal").await;
    let number = job(&db, &one, engine).await;
    let sql = async |sql: &str| sea_orm::ConnectionTrait::execute_unprepared(&db, sql).await.unwrap();
    let checked = async || {
        let (job, entries) = jobs::chain(&db, &one, number).await.unwrap();
        head(&job.to_string(), &entries)
    };
    let mut last = id(&say(&db, &one, number, level("ok"), None, "a").await);
    for (key, outcome) in [("b", "low"), ("c", "high")] {
        last = id(&say(&db, &one, number, level(outcome), Some(last), key).await);
    }
    let stood = checked().await.unwrap();
    let (_, entries) = jobs::chain(&db, &one, number).await.unwrap();
    assert_eq!((entries.len(), &entries[2].chain), (3, &stood));
    for (meddled, mended, seq) in [
        ("SET body = REPLACE(body, '\"ok\"', '\"no\"') WHERE seq = 1", "SET body = REPLACE(body, '\"no\"', '\"ok\"') WHERE seq = 1", 1),
        ("SET body = REPLACE(body, 'low', 'lol') WHERE seq = 2", "SET body = REPLACE(body, 'lol', 'low') WHERE seq = 2", 2),
        ("SET written_at = written_at + INTERVAL 1 HOUR WHERE seq = 3", "SET written_at = written_at - INTERVAL 1 HOUR WHERE seq = 3", 3),
        ("SET seq = 4 WHERE seq = 3", "SET seq = 3 WHERE seq = 4", 4),
    ] {
        sql(&format!("UPDATE entries {meddled}")).await;
        assert_eq!(checked().await, Err(SealError::Chain { seq }), "{meddled}");
        sql(&format!("UPDATE entries {mended}")).await;
        assert_eq!(checked().await.as_ref(), Ok(&stood));
    }
    sql("UPDATE entries SET chain = NULL").await;
    assert_eq!(checked().await, Err(SealError::Unchained { seq: 1 }));
    sql("DELETE FROM seaql_migrations WHERE version LIKE '%_proof'").await;
    velvet_dial_store::open(&url).await.unwrap();
    assert_eq!(checked().await, Ok(stood), "given its hash once, as the tables are brought up to date");
}

#[tokio::test]
async fn what_is_out_of_range_or_unknown_is_refused_whoever_sends_it() {
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    let (one, _, engine) = shop(&db, "alpha").await;
    let number = job(&db, &one, engine).await;
    let body = |kind: &str, rest: serde_json::Value| {
        let mut whole = serde_json::json!({ "kind": kind });
        whole.as_object_mut().unwrap().extend(rest.as_object().unwrap().clone());
        serde_json::from_value::<Body>(whole.clone()).unwrap_or_else(|error| panic!("{whole}: {error}"))
    };
    let reading = |rpm: f64, oil_temp_c: f64, kpa: f64, spread_kpa: f64| {
        let reading = serde_json::json!({ "rpm": rpm, "oil_temp_c": oil_temp_c, "kpa": kpa, "spread_kpa": spread_kpa });
        body("reading", serde_json::json!({ "reading": reading, "gauge": null, "capture": null }))
    };
    let before = jobs::load(&db, &one, number).await.unwrap().entries.len();
    let wrong = [
        (reading(20_000.0, 95.0, 120.0, 0.0), "Speed"),
        (reading(800.0, 300.0, 120.0, 0.0), "Oil temperature"),
        (reading(800.0, 95.0, 9000.0, 0.0), "Pressure"),
        (reading(800.0, 95.0, 120.0, 700.0), "Needle"),
        (body("evidence", serde_json::json!({ "check": "level", "outcome": "purple" })), "purple"),
        (body("evidence", serde_json::json!({ "check": "divining", "outcome": "ok" })), "divining"),
        (body("evidence", serde_json::json!({ "check": "level", "outcome": "ok", "also": ["purple"] })), "purple"),
        (body("put_off", serde_json::json!({ "check": "divining", "cannot": true })), "divining"),
        (body("struck", serde_json::json!({ "cause": "gremlins", "because": "level=ok" })), "gremlins"),
        (body("pattern", serde_json::json!({ "cause": "gremlins" })), "gremlins"),
        (body("order", serde_json::json!({ "order": "by_the_moon" })), "by_the_moon"),
        (body("agreed", serde_json::json!({ "who": "x", "how": "by phone", "up_to": -5.0 })), "Up to"),
        (body("crank", serde_json::json!({ "said": { "mains": 99 } })), "Main bearings"),
        (body("crank", serde_json::json!({ "said": { "new_mm": 0.06, "limit_mm": 0.03 } })), "other way round"),
        (body("journal", serde_json::json!({ "said": { "kind": "main", "number": 1, "clearance_mm": 4.0 } })), "Clearance"),
        (body("closed", serde_json::json!({ "found": { "cause": "gremlins" } })), "gremlins"),
        (body("closed", serde_json::json!({ "found": { "took_min": 0.0 } })), "It took"),
    ];
    for (place, (body, word)) in wrong.into_iter().enumerate() {
        let said = jobs::write(&db, &one, number, &Write::of(body, &format!("wrong-{place}"))).await;
        assert!(matches!(&said, Err(error @ StoreError::Refused(_)) if error.to_string().contains(word)), "{word}: {said:?}");
    }
    assert_eq!(jobs::load(&db, &one, number).await.unwrap().entries.len(), before, "nothing of it is written");
    say(&db, &one, number, reading(800.0, 95.0, 120.0, 5.0), None, "right").await;
}
