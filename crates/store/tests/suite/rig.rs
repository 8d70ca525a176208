//! On a real MariaDB: the steps of the rig in the ledger, what they say to the trace, and who was quicker.
use uuid::Uuid;
use velvet_dial_core::case::Reading;
use velvet_dial_core::circuit::Card;
use velvet_dial_core::instrument::Instrument;
use velvet_dial_core::rigging;
use velvet_dial_core::rights::Role;
use velvet_dial_core::stage::{Stage, where_it_is};
use velvet_dial_store::accounts::NewUser;
use velvet_dial_store::jobs::{self, Body, Job, Opening, RigStep, TakenReading, Write, Written};
use velvet_dial_store::{Connection, Viewer, accounts, library};
use velvet_dial_testkit::fresh_database;

struct Bay {
    db: Connection,
    one: Viewer,
    two: Viewer,
    wide: Uuid,
    fine: Uuid,
    job: i64,
}

async fn bay() -> Bay {
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    let shop = accounts::add_shop(&db, "alpha").await.unwrap();
    let one = accounts::add_user(&db, shop, &NewUser::of(Role::Owner, "one", "One", "a long password")).await.unwrap().unwrap();
    let two = accounts::add_user(&db, shop, &NewUser::of(Role::Owner, "two", "Two", "a long password")).await.unwrap().unwrap();
    let engine = library::add_engine(&db, &one, "Quayside", &Card::of(2.0, 4, 750.0, "5W-30")).await.unwrap().unwrap();
    let gauge = |full_scale_kpa: f64, class_percent: f64, graduation_kpa: f64| Instrument {
        full_scale_kpa,
        class_percent,
        graduation_kpa,
        ..Instrument::default()
    };
    let wide = library::add_gauge(&db, &one, "wide", &gauge(1600.0, 2.5, 50.0)).await.unwrap().unwrap();
    let fine = library::add_gauge(&db, &one, "fine", &gauge(250.0, 1.0, 5.0)).await.unwrap().unwrap();
    let opening = Opening { tag: "TUG 4", description: "", engine, complaint: "low", submit_key: "k", scene: None, at: None };
    let job = jobs::open(&db, &one, &opening).await.unwrap();
    Bay { db, one, two, wide, fine, job }
}

impl Bay {
    async fn say(&self, who: &Viewer, body: Body, supersedes: Option<Uuid>, key: &str) -> Written {
        jobs::write(&self.db, who, self.job, &Write::of(body, key).in_place_of(supersedes)).await.unwrap()
    }

    async fn step(&self, step: &str, answer: &str, zero_kpa: Option<f64>, gauge: Option<Uuid>) -> Written {
        let body = Body::Rig(RigStep { step: step.into(), answer: answer.into(), zero_kpa, gauge });
        self.say(&self.one, body, None, &format!("{step}{answer}")).await
    }

    async fn load(&self) -> Job {
        jobs::load(&self.db, &self.one, self.job).await.unwrap()
    }
}

fn id(written: &Written) -> Uuid {
    match written {
        Written::Stands(id) | Written::StoodAlready(id) => *id,
        Written::Overtaken { by } => panic!("overtaken by {by:?}"),
    }
}

fn zero(job: &Job) -> Vec<String> {
    job.case().evidence.into_iter().filter(|found| found.check == "gauge_zero").map(|found| found.outcome).collect()
}

fn fitted(job: &Job) -> bool {
    job.case().bench.is_some_and(|bench| bench.gauge_fitted == Some(true))
}

/// The same figure at rest is nothing to a wide gauge and a fault of a fine one; without a fitted gauge the ordinary one is meant.
#[tokio::test]
async fn a_zero_is_weighed_by_the_gauge_that_was_fitted() {
    for (gauge, zero_kpa, outcome) in [
        (Some("wide"), 30.0, "at_zero"),
        (Some("fine"), 30.0, "off"),
        (Some("fine"), -4.0, "at_zero"),
        (None, 30.0, "at_zero"),
        (None, -60.0, "off"),
    ] {
        let bay = bay().await;
        let key = gauge.map(|name| if name == "wide" { bay.wide } else { bay.fine });
        bay.step("fit", "done", None, key).await;
        bay.step("zero", "done", Some(zero_kpa), None).await;
        assert_eq!(zero(&bay.load().await), [outcome], "{gauge:?} at {zero_kpa}");
    }
    let bay = bay().await;
    bay.step("zero", "skipped", None, None).await;
    assert_eq!(zero(&bay.load().await), [""; 0], "what was skipped says nothing");
}

#[tokio::test]
async fn the_bench_knows_a_gauge_is_fitted_as_long_as_it_is() {
    let bay = bay().await;
    assert!(!fitted(&bay.load().await));
    for step in ["port", "route", "bleed"] {
        bay.step(step, "done", None, None).await;
    }
    assert!(!fitted(&bay.load().await), "steps round it fit nothing");
    let fit = id(&bay.step("fit", "done", None, Some(bay.fine)).await);
    let job = bay.load().await;
    assert!(fitted(&job) && where_it_is(&job.case()) == Stage::Run, "then the readings come");
    // The other says that it came off again; the first finds that out before anything is replaced.
    let off = Body::Rig(RigStep { step: "fit".into(), answer: rigging::SKIPPED.into(), zero_kpa: None, gauge: None });
    id(&bay.say(&bay.two, off.clone(), Some(fit), "off").await);
    assert!(!fitted(&bay.load().await));
    let again = Body::Rig(RigStep { step: "fit".into(), answer: "done".into(), zero_kpa: None, gauge: Some(bay.wide) });
    assert!(
        matches!(bay.say(&bay.one, again.clone(), Some(fit), "mine").await, Written::Overtaken { by } if by.author_name == "Two" && by.body == off)
    );
    assert!(
        matches!(bay.say(&bay.one, again, None, "new").await, Written::Overtaken { .. }),
        "a step is answered once, or replaced knowingly"
    );
    // A step takes the place of its own kind alone.
    let port = bay.load().await.live().find(|entry| matches!(&entry.body, Body::Rig(done) if done.step == "port")).unwrap().id;
    let wrong = Write::of(off, "wrong").in_place_of(Some(port));
    assert!(jobs::write(&bay.db, &bay.one, bay.job, &wrong).await.is_err());
    let taken_back = Body::Withdrawn { reason: "slipped".into() };
    id(&bay.say(&bay.one, taken_back, Some(port), "back").await);
    assert_eq!(
        bay.load().await.live().filter(|entry| matches!(entry.body, Body::Rig(_))).count(),
        3,
        "route, bleed and what became of the fitting"
    );
    assert!(bay.load().await.entries.iter().any(|entry| entry.id == port), "and the old one stays readable");
}

/// A needle at its end, a slope and a speed by hand come back as they were written, and an older program's reading without them still means a value on the level.
#[tokio::test]
async fn what_a_reading_says_beside_its_number_is_kept() {
    use velvet_dial_core::case::{Shows, Slope, SpeedHeld};
    let bay = bay().await;
    let reading = Reading {
        shows: Some(Shows::UnderFirstMark),
        slope: Some(Slope::NoseUp),
        speed_held: Some(SpeedHeld::ByHand),
        hold_s: Some(600.0),
        ..Reading::of(750.0, 95.0, 5.0)
    };
    bay.say(
        &bay.one,
        Body::Reading(TakenReading { reading: reading.clone(), gauge: Some(bay.fine), capture: None, held: None }),
        None,
        "r",
    )
    .await;
    let older = "INSERT INTO entries (id, job_id, seq, kind, body, author_id, written_at, supersedes, submit_key) SELECT UNHEX(REPLACE(UUID(), '-', '')), job_id, 2, 'reading',
        '{\"v\":1,\"kind\":\"reading\",\"reading\":{\"rpm\":800,\"oil_temp_c\":95,\"kpa\":60,\"spread_kpa\":2},\"gauge\":null,\"capture\":null}', author_id, NOW(6), NULL, 'older'
        FROM entries WHERE seq = 1";
    sea_orm::ConnectionTrait::execute_unprepared(&bay.db, older).await.unwrap();
    let readings = bay.load().await.case().readings;
    let said = readings.first().unwrap();
    assert_eq!(
        (said.shown(), said.slope, said.speed_held, said.hold_s),
        (Shows::UnderFirstMark, reading.slope, reading.speed_held, reading.hold_s)
    );
    assert_eq!(said.instrument.as_deref(), Some("fine"), "by its key");
    assert!(readings.get(1).is_some_and(|older| older.shown() == Shows::Value && older.slope.is_none() && older.kpa == 60.0));
}
