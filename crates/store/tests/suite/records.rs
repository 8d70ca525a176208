//! On a real MariaDB: what a closing stood on stays, what is edited stays readable, summaries follow the ledger, guessing is slowed down for all servers.
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use sea_orm::ConnectionTrait;
use std::collections::HashSet;
use velvet_dial_core::case::{Phase, Reading, spec_points};
use velvet_dial_core::circuit::Card;
use velvet_dial_core::diagnosis::{Setting, diagnose};
use velvet_dial_core::instrument::Instrument;
use velvet_dial_core::limits::{Point, Sheet};
use velvet_dial_core::record::{Ledger, Papers, Record, record};
use velvet_dial_core::rights::Role;
use velvet_dial_core::trace::Tracer;
use velvet_dial_core::unit::Gear;
use velvet_dial_store::accounts::NewUser;
use velvet_dial_store::accounts::{self, Credentials};
use velvet_dial_store::jobs::{self, Body, Closed, Closing, Found, Judged, Opening, Particulars, TakenReading, Write, Written};
use velvet_dial_store::zone::Zone;
use velvet_dial_store::{Connection, DatabaseRole, StoreError, Viewer, library, open_as};
use velvet_dial_testkit::fresh_database;

async fn shop(db: &Connection, name: &str) -> (Viewer, uuid::Uuid) {
    let shop = accounts::add_shop(db, name).await.unwrap();
    let one =
        accounts::add_user(db, shop, &NewUser::of(Role::Owner, &format!("{name}-one"), "One", "a long password")).await.unwrap().unwrap();
    let engine = library::add_engine(db, &one, "Quayside", &Card::of(2.0, 4, 750.0, "5W-30")).await.unwrap().unwrap();
    library::add_gauge(db, &one, "Brass", &Instrument::default()).await.unwrap();
    library::revise_sheet(db, &one, engine, &sheet("rev A", "2020-01-01", 100.0), None).await.unwrap();
    (one, engine)
}

fn sheet(source: &str, from: &str, min: f64) -> Sheet {
    let point = Point { rpm: 750.0, oil_temp_c: 100.0, gear: Gear::Neutral, min_kpa: Some(min), max_kpa: None };
    Sheet { source: source.into(), in_force_from: Some(from.parse().unwrap()), points: vec![point], ..Sheet::default() }
}

async fn open(db: &Connection, who: &Viewer, engine: uuid::Uuid, tag: &str) -> i64 {
    let opening = Opening { tag, description: "Tug", engine, complaint: "low", submit_key: tag, scene: None, at: None };
    jobs::open(db, who, &opening).await.unwrap()
}

fn reading(kpa: f64) -> Body {
    let reading = Reading { instrument: Some("Brass".into()), ..Reading::of(750.0, 98.0, kpa) };
    Body::Reading(TakenReading { reading, gauge: None, capture: None, held: None })
}

async fn write(db: &Connection, who: &Viewer, job: i64, body: Body, key: &str) -> Written {
    jobs::write(db, who, job, &Write::of(body, key)).await.unwrap()
}

fn record_of(job: &jobs::Job) -> Record {
    let case = job.case();
    let tracer = Tracer::new(&case.engine, &spec_points(&case)).unwrap();
    let now = diagnose(&case, &tracer, &Setting::default());
    let papers = Papers {
        shop: "alpha".into(),
        zone: "UTC".into(),
        number: job.head.number,
        opened_at: job.head.opened_at.and_utc(),
        closed_at: None,
        tag: job.head.vehicle.tag.clone(),
        description: String::new(),
        engine: job.engine.name.clone(),
        complaint: String::new(),
        customer: String::new(),
        odometer_km: None,
        on_it: String::new(),
        came_back_of: None,
        recheck_at: None,
        code: String::new(),
    };
    let (taken, repairs, recordings, log) = (Vec::new(), Vec::new(), Vec::new(), Vec::new());
    let ledger = Ledger { papers, other_sheets: Vec::new(), taken, repairs, known: None, recordings, log };
    record(&case, &now, &tracer, ledger)
}

#[tokio::test]
async fn a_closed_job_stands_on_what_it_was_closed_with_whatever_is_changed_later() {
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    let (one, engine) = shop(&db, "alpha").await;
    let (closed, still_open) = (open(&db, &one, engine, "TUG 4").await, open(&db, &one, engine, "TUG 5").await);
    for job in [closed, still_open] {
        write(&db, &one, job, reading(62.0), "r").await;
    }
    let job = jobs::load(&db, &one, closed).await.unwrap();
    let record = record_of(&job);
    // Somebody writes between the making of the record and the closing: it is made anew.
    write(&db, &one, closed, Body::evidence("level", "ok", Phase::Before), "late").await;
    let close = async |record: &Record, seq| {
        let closing = Closing { submit_key: "close", seq, record, found: Found::default(), at: None, asked_by: None };
        jobs::close(&db, &one, closed, &closing).await.unwrap()
    };
    assert_eq!(close(&record, job.seq()).await, Closed::Moved);
    let job = jobs::load(&db, &one, closed).await.unwrap();
    assert!(!job.closed() && job.record.is_none());
    let record = record_of(&job);
    assert_eq!(close(&record, job.seq()).await, Closed::Stands);
    assert_eq!(close(&record, job.seq()).await, Closed::Stands, "sent twice, closed once");
    let kept = jobs::load(&db, &one, closed).await.unwrap();
    assert_eq!(kept.record.as_ref(), Some(&record), "read back as it was made");

    // Everything it stands on is changed.
    let card = Card { relief_opens_kpa: Some(333.0), ..Card::of(3.3, 6, 600.0, "0W-20") };
    assert!(library::change_engine(&db, &one, engine, "Quayside II", &card).await.unwrap());
    let wrong = library::engine(&db, &one, engine).await.unwrap().revisions[0].id;
    library::revise_sheet(&db, &one, engine, &sheet("rev A, mended", "2020-01-01", 40.0), Some(wrong)).await.unwrap();
    let gauge = library::gauges(&db, &one).await.unwrap().remove(0);
    let finer = Instrument { class_percent: 0.25, ..Instrument::default() };
    assert!(library::change_gauge(&db, &one, gauge.id, "Brass", &finer).await.unwrap());

    let after = jobs::load(&db, &one, closed).await.unwrap();
    assert_eq!((after.case(), &after.engine.name, after.sheet()), (kept.case(), &kept.engine.name, kept.sheet()));
    let open = jobs::load(&db, &one, still_open).await.unwrap();
    assert_eq!((open.engine.card.clone(), open.sheet().unwrap().source.as_str()), (card, "rev A, mended"), "an open one follows");
    assert_eq!(open.gauges[0].gauge.class_percent, 0.25);
    // A gauge keeps its readings under another name, and what it was stays on record.
    let taken = TakenReading {
        reading: Reading { instrument: Some("Brass".into()), ..Reading::of(3000.0, 99.0, 300.0) },
        gauge: Some(gauge.id),
        capture: None,
        held: None,
    };
    write(&db, &one, still_open, Body::Reading(taken), "by key").await;
    assert!(library::change_gauge(&db, &one, gauge.id, "Old brass", &finer).await.unwrap());
    let named = jobs::load(&db, &one, still_open).await.unwrap().case();
    let gauges: Vec<_> = named.readings.iter().filter_map(|reading| reading.instrument.clone()).collect();
    assert!(gauges.contains(&"Old brass".to_owned()) && named.instruments.contains_key("Old brass"), "{gauges:?}");
    let kept = "SELECT COUNT(*) AS many FROM formers";
    let row = db.query_one_raw(sea_orm::Statement::from_string(sea_orm::DbBackend::MySql, kept)).await.unwrap();
    assert_eq!(row.unwrap().try_get::<i64>("", "many").unwrap(), 3, "a card and a gauge twice");

    // Opened again, it is judged by what the library says by now.
    let closing = after.closing().unwrap().id;
    let reopen = Write::of(Body::Reopened { reason: "x".into() }, "o").in_place_of(Some(closing));
    jobs::write(&db, &one, closed, &reopen).await.unwrap();
    assert_eq!(jobs::load(&db, &one, closed).await.unwrap().engine.name, "Quayside II");
}

#[tokio::test]
async fn of_two_sheets_of_one_day_the_later_counts_and_the_day_is_the_shops() {
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    let (one, engine) = shop(&db, "alpha").await;
    library::revise_sheet(&db, &one, engine, &sheet("rev A again", "2020-01-01", 90.0), None).await.unwrap();
    library::revise_sheet(&db, &one, engine, &sheet("rev B", "2026-05-02", 80.0), None).await.unwrap();
    // 14:00 UTC on the first of May is the second in the far east, and still the first in the far west.
    let at = Some("2026-05-01T14:00:00".parse().unwrap());
    let opening = Opening { tag: "TUG 4", description: "", engine, complaint: "low", submit_key: "k", scene: None, at };
    let number = jobs::open(&db, &one, &opening).await.unwrap();
    for (zone, source) in [("UTC", "rev A again"), ("Pacific/Auckland", "rev B"), ("America/Anchorage", "rev A again")] {
        let says = accounts::Shop { name: "alpha".into(), zone: Zone::named(zone).unwrap(), ..accounts::Shop::default() };
        accounts::change_shop(&db, &one, &says).await.unwrap();
        let there = Viewer { zone: accounts::shop(&db, &one).await.unwrap().zone, ..one.clone() };
        assert_eq!(jobs::load(&db, &there, number).await.unwrap().sheet().unwrap().source, source, "{zone}");
    }
    assert!(Zone::named("Atlantis/Centre").is_none() && Zone::named("").is_none());
}

/// Writers, corrections, withdrawals, replays and stale pages in any order: whatever comes of it holds together, and the board says what the ledger says.
#[tokio::test]
async fn any_interleaving_leaves_a_ledger_that_holds_together_and_a_board_that_knows() {
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    let (one, engine) = shop(&db, "alpha").await;
    let two = accounts::add_user(&db, one.shop, &NewUser::of(Role::Owner, "alpha-two", "Two", "a long password")).await.unwrap().unwrap();
    for seed in 0..4u64 {
        let number = open(&db, &one, engine, &format!("TUG {seed}")).await;
        let writers = (0..6u64).map(|writer| {
            let (db, who) = (db.clone(), if writer % 2 == 0 { one.clone() } else { two.clone() });
            tokio::spawn(async move {
                let mut luck = ChaCha8Rng::seed_from_u64(100 * seed + writer);
                let mut sent: Vec<(Body, Option<uuid::Uuid>, String)> = Vec::new();
                let mut handed_back = Vec::new();
                for turn in 0..14 {
                    let seen = jobs::load(&db, &who, number).await.unwrap();
                    let any = |luck: &mut ChaCha8Rng| (!seen.entries.is_empty()).then(|| luck.random_range(0..seen.entries.len()));
                    let place = any(&mut luck).map(|place| seen.entries[place].id);
                    let (body, supersedes) = match luck.random_range(0..7) {
                        0 => (Body::Circumstance { circumstance: "knock".into(), told: luck.random() }, None),
                        1 => (Body::evidence("level", "low", Phase::Before), place),
                        2 => (Body::Withdrawn { reason: "no".into() }, place),
                        3 => (reading(f64::from(luck.random_range(20..300))), place),
                        4 if !sent.is_empty() => {
                            // Sent again, as a lost answer or a back button does.
                            let (body, supersedes, key) = sent[luck.random_range(0..sent.len())].clone();
                            let again = Write::of(body, &key).in_place_of(supersedes);
                            let answer = jobs::write(&db, &who, number, &again).await;
                            assert!(!matches!(answer, Ok(Written::Stands(_))), "written twice");
                            continue;
                        }
                        _ => (reading(f64::from(luck.random_range(20..300))), None),
                    };
                    let key = format!("{seed} {writer} {turn}");
                    let write = Write::of(body.clone(), &key).in_place_of(supersedes);
                    match jobs::write_and_load(&db, &who, number, &write).await {
                        Ok((Written::Stands(id), Some(job))) => {
                            assert!(job.entries.last().is_some_and(|last| last.id == id && last.body == body));
                            handed_back.push(job.entries);
                            sent.push((body, supersedes, key));
                        }
                        Ok((Written::Overtaken { .. }, None)) | Err(StoreError::CannotBeKept) => {}
                        other => panic!("{other:?}"),
                    }
                }
                (sent.len(), handed_back)
            })
        });
        let (mut stands, mut handed_back) = (0, Vec::new());
        for writer in writers.collect::<Vec<_>>() {
            let (sent, jobs) = writer.await.unwrap();
            stands += sent;
            handed_back.extend(jobs);
        }
        let job = jobs::load(&db, &one, number).await.unwrap();
        assert_eq!(job.entries.len(), stands, "seed {seed}: what was acknowledged stands, once");
        assert!(job.entries.iter().zip(1..).all(|(entry, seq)| entry.seq == seq));
        assert!(handed_back.iter().all(|then| job.entries.starts_with(then)), "what a writer is shown is the ledger up to their own entry");
        let replaced: Vec<_> = job.entries.iter().filter_map(|entry| entry.supersedes).collect();
        assert_eq!(replaced.iter().collect::<HashSet<_>>().len(), replaced.len(), "one heir each");
        let subjects: Vec<_> = job.live().filter_map(|entry| entry.body.subject()).collect();
        assert_eq!(subjects.iter().collect::<HashSet<_>>().len(), subjects.len(), "seed {seed}: of one thing one word holds");
    }
    let before = jobs::board(&db, &one, &jobs::Sieve::default(), 0, 10).await.unwrap();
    for row in &before.open {
        let job = jobs::load(&db, &one, row.number).await.unwrap();
        assert_eq!(row.stage, velvet_dial_core::stage::where_it_is(&job.case()));
        assert_eq!(row.flag, velvet_dial_core::flag::flag(&job.case(), None).word);
        assert_eq!(row.last.as_ref(), job.entries.last().map(|entry| &entry.body));
    }
    assert_eq!(jobs::rebuild(&db, &one).await.unwrap(), 4);
    assert_eq!(jobs::board(&db, &one, &jobs::Sieve::default(), 0, 10).await.unwrap(), before, "made anew, it says the same");
}

/// A diagnosis is noted for the entry it was made of, and no longer than that entry is the last.
#[tokio::test]
async fn verdict_and_leader_are_known_until_something_is_written_or_changed() {
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    let (one, engine) = shop(&db, "alpha").await;
    let number = open(&db, &one, engine, "TUG 4").await;
    let row = async || jobs::board(&db, &one, &jobs::Sieve::default(), 0, 9).await.unwrap().open.remove(0);
    let note = async |seq: i32| {
        let id = jobs::load(&db, &one, number).await.unwrap().head.id;
        let judged = Judged { seq, verdict: velvet_dial_core::limits::Decision::Below, leader: Some(("relief_open".into(), 0.5)) };
        jobs::judged(&db, &one, id, &judged).await.unwrap();
    };
    write(&db, &one, number, reading(62.0), "r").await;
    assert_eq!((row().await.verdict, row().await.leader), (None, None));
    note(0).await;
    assert_eq!(row().await.leader, None, "of an entry that is not the last any more");
    note(1).await;
    assert_eq!(row().await.leader, Some(("relief_open".into(), 0.5)));
    assert!(!jobs::load(&db, &one, number).await.unwrap().unjudged());
    // A start of the same program leaves it; one of another state may say another word.
    jobs::retell(&db).await.unwrap();
    assert_eq!(row().await.leader, Some(("relief_open".into(), 0.5)));
    db.execute_unprepared("UPDATE summaries SET told_by = 'another', flag = 'do_not_run'").await.unwrap();
    jobs::retell(&db).await.unwrap();
    let told = row().await;
    assert!(told.leader.is_none() && told.flag == velvet_dial_core::flag::Word::MayRun, "{told:?}");
    note(1).await;
    library::revise_sheet(&db, &one, engine, &sheet("rev B", "2021-01-01", 50.0), None).await.unwrap();
    assert_eq!(row().await.leader, None, "another sheet may say something else");
    note(1).await;
    write(&db, &one, number, reading(70.0), "s").await;
    assert_eq!(row().await.verdict, None);
    // An older server beside this one writes an entry and no summary: the board makes it good.
    let sql = "INSERT INTO entries (id, job_id, seq, kind, body, author_id, written_at, supersedes, submit_key) SELECT UNHEX(REPLACE(UUID(), '-', '')), job_id, 3, 'circumstance', '{\"kind\":\"circumstance\",\"circumstance\":\"knock\",\"told\":true}',
        author_id, NOW(6), NULL, 'older' FROM entries WHERE seq = 2";
    db.execute_unprepared(sql).await.unwrap();
    assert!(matches!(row().await.last, Some(Body::Circumstance { .. })));
}

#[tokio::test]
async fn guessing_is_slowed_down_for_all_servers_and_a_stranger_locks_nobody_out() {
    let url = fresh_database().await;
    let (db, other) = (velvet_dial_store::open(&url).await.unwrap(), velvet_dial_store::open(&url).await.unwrap());
    shop(&db, "alpha").await;
    let wait = async |db: &Connection, name: &str, address: &str| accounts::wait_s(db, name, address).await.unwrap();
    for turn in 0..5 {
        assert_eq!(wait(if turn % 2 == 0 { &db } else { &other }, " Alpha-ONE ", "1.1.1.1").await, None);
    }
    assert!(wait(&other, "alpha-one", "1.1.1.1").await.is_some_and(|seconds| seconds <= 11), "five at once, whichever server is asked");
    assert_eq!(wait(&db, "alpha-two", "1.1.1.1").await, None, "another name");
    assert_eq!(wait(&db, "alpha-one", "2.2.2.2").await, None, "another address");
    // A whole network tries one name; who has been here before is not kept waiting.
    let home = Credentials { name: "alpha-one", password: "a long password", agent: "", address: "9.9.9.9", demo: false };
    accounts::sign_in(&db, &home).await.unwrap().unwrap();
    let mut refused = 0;
    for host in 0..60 {
        refused += usize::from(wait(&db, "alpha-one", &format!("3.3.3.{host}")).await.is_some());
    }
    assert!(refused >= 5, "{refused} of 60");
    assert_eq!(wait(&db, "alpha-one", "9.9.9.9").await, None);
    // At once from one address, by both servers: never more than twenty.
    let tries = (0..40).map(|name| {
        let db = if name % 2 == 0 { db.clone() } else { other.clone() };
        tokio::spawn(async move { accounts::wait_s(&db, &format!("n{name}"), "4.4.4.4").await.unwrap().is_none() })
    });
    let mut taken = 0;
    for one in tries.collect::<Vec<_>>() {
        taken += usize::from(one.await.unwrap());
    }
    assert!((20..=21).contains(&taken), "{taken} tries at once");
    assert_eq!(accounts::purge(&db).await.unwrap().0, 0, "a session of today is remembered");
}

#[tokio::test]
async fn demo_people_and_those_removed_are_let_in_nowhere_else() {
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    let shop = accounts::add_shop(&db, "alpha").await.unwrap();
    accounts::add_demo_user(&db, shop, &NewUser::of(Role::Owner, "ines", "Ines", "a long password")).await.unwrap().unwrap();
    accounts::add_user(&db, shop, &NewUser::of(Role::Owner, "mo", "Mo", "a long password")).await.unwrap().unwrap();
    let enter = async |name: &str, password: &str, demo: bool| {
        accounts::sign_in(&db, &Credentials { name, password, agent: "", address: "1.1.1.1", demo }).await.unwrap()
    };
    assert!(enter("ines", "a long password", false).await.is_none());
    let token = enter("ines", "a long password", true).await.unwrap();
    assert!(accounts::viewer_of(&db, &token, true).await.unwrap().is_some());
    assert!(accounts::viewer_of(&db, &token, false).await.unwrap().is_none(), "a session of the demo opens nothing where it is not served");
    let token = enter("mo", "a long password", false).await.unwrap();
    assert!(accounts::set_password(&db, "MO", "another long one").await.unwrap());
    assert!(accounts::viewer_of(&db, &token, false).await.unwrap().is_none(), "every session is over");
    let token = enter("mo", "another long one", false).await.unwrap();
    assert!(accounts::remove_user(&db, "mo").await.unwrap() && !accounts::remove_user(&db, "mo").await.unwrap());
    assert!(accounts::viewer_of(&db, &token, false).await.unwrap().is_none());
    assert!(enter("mo", "another long one", false).await.is_none());
    assert_eq!(accounts::everybody(&db).await.unwrap().iter().filter(|person| person.removed).count(), 1);
}

#[tokio::test]
async fn a_job_holds_so_much_and_no_more() {
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    let (one, engine) = shop(&db, "alpha").await;
    let number = open(&db, &one, engine, "TUG 4").await;
    jobs::add_capture(&db, &one, number, "first.csv", b"x").await.unwrap();
    // As if it were all but as large as it may be.
    let almost = format!("UPDATE captures SET size = {}", jobs::MOST_OF_JOB - 1000);
    db.execute_unprepared(&almost).await.unwrap();
    jobs::add_capture(&db, &one, number, "small.csv", &[b'y'; 1000]).await.unwrap();
    let refused = jobs::add_capture(&db, &one, number, "more.csv", b"z").await.unwrap_err();
    assert!(matches!(refused, StoreError::Full { whose: "job", most_mb: 256 }), "{refused}");
    assert_eq!(jobs::captures(&db, &one, number).await.unwrap().len(), 2);
}

/// The user that the server serves as reads and adds entries, records and seals, and can neither change nor delete them; the one that removes a customer takes what is kept of them, and
/// changes nothing else. All else that they need works.
#[tokio::test]
async fn nobody_but_the_owner_can_change_what_was_written() {
    let url = fresh_database().await;
    let of = |user: &str| url.replacen("mysql://velvet_dial:", &format!("mysql://{user}:"), 1);
    let db = open_as(&url, &of("velvet_dial_server"), "velvet_dial_server", DatabaseRole::Server).await.unwrap();
    let (one, engine) = shop(&db, "alpha").await;
    let number = open(&db, &one, engine, "TUG 4").await;
    write(&db, &one, number, reading(62.0), "r").await;
    let named = Body::Particulars(Particulars { customer: "Lysander Quill".into(), ..Particulars::default() });
    write(&db, &one, number, named, "p").await;
    let job = jobs::load(&db, &one, number).await.unwrap();
    let mut record = record_of(&job);
    record.take_out_personal("ab".repeat(16));
    let closing = Closing { submit_key: "close", seq: job.seq(), record: &record, found: Found::default(), at: None, asked_by: None };
    assert!(matches!(jobs::remove_customer(&db, &one, number, "too early").await, Err(StoreError::Open)));
    assert_eq!(jobs::close(&db, &one, number, &closing).await.unwrap(), Closed::Stands);
    assert!(velvet_dial_store::seals::seal(&db).await.unwrap().is_some());
    let written =
        ["UPDATE entries SET body = ''", "DELETE FROM entries", "DELETE FROM records", "DELETE FROM sealed_heads", "DROP TABLE entries"];
    let refused = async |db: &Connection, sql: &str| {
        let refused = db.execute_unprepared(sql).await.unwrap_err().to_string();
        assert!(refused.contains("command denied"), "{sql}: {refused}");
    };
    for sql in written.into_iter().chain(["UPDATE entries SET personal = NULL", "UPDATE records SET body = ''"]) {
        refused(&db, sql).await;
    }
    db.execute_unprepared("UPDATE summaries SET seq = -1").await.unwrap();

    let remover = open_as(&url, &of("velvet_dial_remover"), "velvet_dial_remover", DatabaseRole::Remover).await.unwrap();
    for sql in written.into_iter().chain(["UPDATE records SET code = NULL", "UPDATE users SET sign_in = ''", "DELETE FROM jobs"]) {
        refused(&remover, sql).await;
    }
    assert_eq!(jobs::found(&db, &one, "Lysander", &jobs::Sieve::default()).await.unwrap().len(), 1);
    // A shop that keeps customers for a year keeps this one until then.
    jobs::keep_months(&db, &one, Some(12)).await.unwrap();
    let past = async |days: i64| {
        let past = jobs::past_keeping(&remover, (chrono::Utc::now() + chrono::TimeDelta::days(days)).naive_utc()).await.unwrap();
        past.into_iter().map(|(owner, number, months)| (owner.shop, number, months)).collect::<Vec<_>>()
    };
    assert_eq!((past(360).await, past(370).await), (vec![], vec![(one.shop, number, 12)]));
    jobs::remove_customer(&remover, &one, number, "they asked for it").await.unwrap();
    assert!(
        !jobs::names_customer(&db, &one, number).await.unwrap()
            && jobs::found(&db, &one, "Lysander", &jobs::Sieve::default()).await.unwrap().is_empty()
    );
    let job = jobs::load(&db, &one, number).await.unwrap();
    assert!(job.customer_removed() && job.particulars().customer == "(removed)");
    assert_eq!(jobs::changed_words(&db, &one, number).await.unwrap(), None);
    assert_eq!(past(370).await, vec![]);
}
