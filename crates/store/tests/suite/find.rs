//! On a real MariaDB: jobs are found by number, plate and words, sieved by where they are, and closed ones that are like one are told with what they turned out to be.
use uuid::Uuid;
use velvet_dial_core::case::Phase;
use velvet_dial_core::circuit::Card;
use velvet_dial_core::flag::Word;
use velvet_dial_core::opened::Promise;
use velvet_dial_core::rights::Role;
use velvet_dial_core::stage::Stage;
use velvet_dial_store::accounts::NewUser;
use velvet_dial_store::jobs::{self, Body, Found, Opening, Repair, Sieve, Waits, Write};
use velvet_dial_store::{Connection, Viewer, accounts, library};
use velvet_dial_testkit::fresh_database;

async fn opened(db: &Connection, who: &Viewer, engine: Uuid, tag: &str, complaint: &str) -> i64 {
    jobs::open(db, who, &Opening { tag, description: "van", engine, complaint, submit_key: tag, scene: None, at: None }).await.unwrap()
}

async fn says(db: &Connection, who: &Viewer, job: i64, body: Body) {
    let key = format!("{body:?}");
    jobs::write(db, who, job, &Write::of(body, &key)).await.unwrap();
}

#[tokio::test]
async fn jobs_are_found_sieved_and_told_of_their_like() {
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    let shop = accounts::add_shop(&db, "alpha").await.unwrap();
    let one = accounts::add_user(&db, shop, &NewUser::of(Role::Owner, "one", "One", "a long password")).await.unwrap().unwrap();
    let other = accounts::add_shop(&db, "beta").await.unwrap();
    let stranger = accounts::add_user(&db, other, &NewUser::of(Role::Owner, "two", "Two", "a long password")).await.unwrap().unwrap();
    let quay = library::add_engine(&db, &one, "Quayside", &Card::of(2.0, 4, 750.0, "5W-30")).await.unwrap().unwrap();
    let tern = library::add_engine(&db, &one, "Tern", &Card::of(1.2, 3, 800.0, "5W-30")).await.unwrap().unwrap();
    let first = opened(&db, &one, quay, "TUG 4", "Lamp at stops since the sump was off").await;
    let second = opened(&db, &one, tern, "BUS 2", "Buzzer on the hill road").await;
    let third = opened(&db, &one, quay, "TUG 5", "Lamp flickers at stops").await;
    let evidence = |check: &str, outcome: &str| Body::evidence(check, outcome, Phase::Before);
    says(&db, &one, first, evidence("oil_look", "sludge")).await;
    says(&db, &one, second, evidence("noise", "deep_knock")).await;
    says(&db, &one, second, Body::Circumstance { circumstance: "lamp_on".into(), told: true }).await;

    let numbers = async |typed: &str| -> Vec<i64> {
        jobs::found(&db, &one, typed, &Sieve::default()).await.unwrap().iter().map(|row| row.number).collect()
    };
    for (typed, wanted) in [
        ("sludge", vec![first]),
        ("Quay lamp", vec![third, first]),
        ("bus", vec![second]),
        ("tug", vec![third, first]),
        ("hill ROAD", vec![second]),
        ("lamp nowhere", vec![]),
        ("   ", vec![]),
        ("% _ + - ( \" *", vec![]),
    ] {
        assert_eq!(numbers(typed).await, wanted, "{typed}");
    }
    assert_eq!(numbers(&second.to_string()).await, [second]);
    assert_eq!(numbers(&format!("job {first}")).await, [first]);
    assert!(jobs::found(&db, &stranger, "lamp", &Sieve::default()).await.unwrap().is_empty(), "each shop finds its own");

    // By where they are and whether they may run.
    let sieved = async |sieve: Sieve| -> Vec<i64> {
        let board = jobs::board(&db, &one, &sieve, 0, 10).await.unwrap();
        assert_eq!(board.all_open as usize, board.open.len());
        board.open.iter().map(|row| row.number).collect()
    };
    assert_eq!(sieved(Sieve { flag: Some(Word::DoNotRun), ..Sieve::default() }).await, [second]);
    let mut staged = 0;
    for stage in Stage::ALL {
        staged += sieved(Sieve { stage: Some(stage), ..Sieve::default() }).await.len();
    }
    assert_eq!(staged, 3, "each at one");
    assert!(sieved(Sieve { who: Some("Nobody".into()), ..Sieve::default() }).await.is_empty());
    assert!(sieved(Sieve { untouched_since: "2020-01-01T00:00:00".parse().ok(), ..Sieve::default() }).await.is_empty());
    assert_eq!(sieved(Sieve::default()).await, [third, second, first]);
    // By what they wait for; a search goes through the same sieve.
    for waits in [Waits::ForCustomer, Waits::Promised, Waits::CameBack] {
        assert!(sieved(Sieve { waits: Some(waits), ..Sieve::default() }).await.is_empty());
    }
    let promise: Promise = serde_json::from_str(r#"{ "hand_over": "2026-12-01T16:00:00Z", "said": "Tuesday at four" }"#).unwrap();
    says(&db, &one, third, Body::Promised { promise }).await;
    let promised = Sieve { waits: Some(Waits::Promised), ..Sieve::default() };
    assert_eq!(sieved(promised.clone()).await, [third]);
    let found = jobs::found(&db, &one, "lamp", &promised).await.unwrap();
    assert_eq!(found.iter().map(|row| row.number).collect::<Vec<_>>(), [third]);

    // What was put right is told of its like once the job is closed, and not before.
    let job = jobs::load(&db, &one, third).await.unwrap();
    says(
        &db,
        &one,
        first,
        Body::Repair(Repair { cause: Some("pickup_air".into()), done: "new seal".into(), follow_up: String::new(), stopgap: false }),
    )
    .await;
    assert!(jobs::similar(&db, &one, &job).await.unwrap().is_empty());
    for (number, cause) in [(second, "relief_weak")] {
        says(
            &db,
            &one,
            number,
            Body::Repair(Repair { cause: Some(cause.into()), done: "spring".into(), follow_up: String::new(), stopgap: false }),
        )
        .await;
    }
    for (number, cause) in [(first, "pickup_air"), (second, "relief_weak")] {
        let found = Found { cause: Some(cause.into()), known: Some(velvet_dial_core::experience::Known::Seen), ..Found::default() };
        says(&db, &one, number, Body::Closed { found }).await;
    }
    let like = jobs::similar(&db, &one, &job).await.unwrap();
    let told: Vec<(i64, &str, bool)> = like.iter().map(|one| (one.number, one.cause.as_str(), one.same_engine)).collect();
    assert_eq!(told, [(first, "pickup_air", true)], "no word in common with the other");
    assert!(jobs::similar(&db, &stranger, &job).await.unwrap().is_empty());
    assert_eq!(numbers("seal").await, [first], "closed ones are found too");
}
