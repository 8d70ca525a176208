//! On a real MariaDB: who may link, and that a second is kept once, whoever sends it.
use uuid::Uuid;
use velvet_dial_core::circuit::Card;
use velvet_dial_core::instrument::Instrument;
use velvet_dial_core::rights::Role;
use velvet_dial_rig::chunk::{self, Chunk};
use velvet_dial_rig::proof::Proof;
use velvet_dial_rig::recorder::{Admitted, Hello, Refused, Sink};
use velvet_dial_rig::said::{Channel, Kind, Sample};
use velvet_dial_store::accounts::NewUser;
use velvet_dial_store::jobs::{self, Opening};
use velvet_dial_store::rigs::{self, Keeper};
use velvet_dial_store::{Connection, StoreError, Viewer, accounts, library};
use velvet_dial_testkit::fresh_database;

struct Bay {
    db: Connection,
    one: Viewer,
    stranger: Viewer,
    rig: Uuid,
    token: String,
    jobs: [i64; 2],
}

async fn bay() -> Bay {
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    let shop = accounts::add_shop(&db, "alpha").await.unwrap();
    let one = accounts::add_user(&db, shop, &NewUser::of(Role::Owner, "one", "One", "a long password")).await.unwrap().unwrap();
    let other = accounts::add_shop(&db, "beta").await.unwrap();
    let stranger = accounts::add_user(&db, other, &NewUser::of(Role::Owner, "two", "Two", "a long password")).await.unwrap().unwrap();
    let engine = library::add_engine(&db, &one, "Quayside", &Card::of(2.0, 4, 750.0, "5W-30")).await.unwrap().unwrap();
    let gauge = library::add_gauge(&db, &one, "green", &Instrument::default()).await.unwrap().unwrap();
    let open = async |tag: &str| {
        let opening = Opening { tag, description: "", engine, complaint: "low", submit_key: tag, scene: None, at: None };
        jobs::open(&db, &one, &opening).await.unwrap()
    };
    let jobs = [open("TUG 4").await, open("TUG 5").await];
    let (rig, token) = rigs::pair(&db, &one, "green", Some(gauge)).await.unwrap().unwrap();
    assert!(rigs::pair(&db, &one, "green", None).await.unwrap().is_none(), "a name is one rig's");
    Bay { db, one, stranger, rig, token, jobs }
}

const CHANNELS: [Channel; 2] =
    [Channel { kind: Kind::Pressure { kpa: 1.0 }, rate_hz: 100.0 }, Channel { kind: Kind::Speed { per_turn: None }, rate_hz: 100.0 }];

impl Bay {
    async fn calls(&self, name: &str, token: &str, boot: u64) -> Result<Admitted, Refused> {
        let hello = Hello { name: name.into(), proof: Proof::Token(token.into()), boot, channels: CHANNELS.to_vec(), can: Vec::new() };
        Keeper::new(self.db.clone(), None).admit(&hello).await
    }

    async fn keeps(&self, admitted: &Admitted, numbers: std::ops::Range<u64>) -> Result<(), Refused> {
        let mut chunk = Chunk::from(numbers.start);
        numbers
            .for_each(|seq| chunk.push(&CHANNELS, &Sample { seq, us: 5_000_000 + seq * 10_000, values: vec![100.0 + seq as f64, 800.0] }));
        Keeper::new(self.db.clone(), None).keep(admitted, &chunk).await
    }

    async fn kept(&self, job: i64, admitted: &Admitted) -> Vec<f64> {
        let run = rigs::recorded(&self.db, &self.one, job, admitted.run).await.unwrap();
        let chunks = rigs::chunks(&self.db, run.id, 0, u64::MAX).await.unwrap();
        chunk::run(&chunks, &run.channels, run.clock().zero_us()).kpa
    }
}

fn says(refused: Result<impl std::fmt::Debug, Refused>, what: &str) {
    match refused {
        Err(Refused::No(why)) => assert!(why.contains(what), "{why}"),
        other => panic!("wanted a refusal with “{what}”: {other:?}"),
    }
}

#[tokio::test]
async fn a_rig_is_let_in_by_its_name_token_and_job_alone() {
    let bay = bay().await;
    let [first, second] = bay.jobs;
    says(bay.calls("green", "0123", 1).await, "no data logger is paired");
    says(bay.calls("red", &bay.token, 1).await, "no data logger is paired");
    says(bay.calls("green", &bay.token, 1).await, "linked to no open job");
    let refused = |result: Result<(), StoreError>| assert!(matches!(result, Err(StoreError::NotFound)), "{result:?}");
    refused(rigs::assign(&bay.db, &bay.stranger, bay.rig, None).await);
    refused(rigs::unpair(&bay.db, &bay.stranger, bay.rig).await);
    refused(rigs::pair_again(&bay.db, &bay.stranger, bay.rig).await.map(drop));
    assert!(rigs::rigs(&bay.db, &bay.stranger).await.unwrap().is_empty());
    rigs::assign(&bay.db, &bay.one, bay.rig, Some(first)).await.unwrap();
    let admitted = bay.calls("green", &bay.token, 1).await.unwrap();
    assert_eq!((admitted.job, admitted.next, admitted.first_us), (first, 0, None));
    refused(rigs::recorded(&bay.db, &bay.stranger, first, admitted.run).await.map(drop));
    // Sent to another job it keeps nothing more here, and goes on counting there.
    bay.keeps(&admitted, 0..100).await.unwrap();
    rigs::assign(&bay.db, &bay.one, bay.rig, Some(second)).await.unwrap();
    says(bay.keeps(&admitted, 100..200).await, "linked to another job");
    let there = bay.calls("green", &bay.token, 1).await.unwrap();
    assert_eq!((there.job, there.next), (second, 100));
    bay.keeps(&there, 100..150).await.unwrap();
    // And back: what lay between belongs to the other.
    rigs::assign(&bay.db, &bay.one, bay.rig, Some(first)).await.unwrap();
    let back = bay.calls("green", &bay.token, 1).await.unwrap();
    assert_eq!((back.run, back.next), (admitted.run, 150));
    bay.keeps(&back, 150..160).await.unwrap();
    assert_eq!((bay.kept(first, &back).await.len(), bay.kept(second, &there).await.len()), (110, 50));
    // A new token shuts the old one out; unpaired it is let in no more, and its runs stay.
    let token = rigs::pair_again(&bay.db, &bay.one, bay.rig).await.unwrap();
    says(bay.calls("green", &bay.token, 1).await, "no data logger is paired");
    bay.calls("green", &token, 2).await.unwrap();
    rigs::unpair(&bay.db, &bay.one, bay.rig).await.unwrap();
    says(bay.calls("green", &token, 2).await, "no data logger is paired");
    says(bay.keeps(&back, 160..170).await, "linked to another job");
    assert_eq!(rigs::runs(&bay.db, &bay.one, first).await.unwrap().len(), 1);
    assert!(rigs::pair(&bay.db, &bay.one, "green", None).await.unwrap().is_some(), "its name is free again");
}

/// A moment is marked at the rig or on a screen; what is marked belongs to one job, and a closed one keeps its marks as they are.
#[tokio::test]
async fn moments_are_marked_and_another_gauge_is_another_run() {
    let bay = bay().await;
    let job = bay.jobs[0];
    rigs::assign(&bay.db, &bay.one, bay.rig, Some(job)).await.unwrap();
    let admitted = bay.calls("green", &bay.token, 1).await.unwrap();
    bay.keeps(&admitted, 0..100).await.unwrap();
    // Marks alone are kept without a second of samples, and move nothing on.
    let alone = Chunk { marks: vec![5_400_000, 5_600_000], ..Chunk::from(100) };
    Keeper::new(bay.db.clone(), None).keep(&admitted, &alone).await.unwrap();
    bay.keeps(&admitted, 100..120).await.unwrap();
    rigs::mark(&bay.db, &bay.one, job, admitted.run, 5_500_000, "whine").await.unwrap();
    let run = rigs::recorded(&bay.db, &bay.one, job, admitted.run).await.unwrap();
    let told = async || -> Vec<(f64, String, Option<String>)> {
        rigs::marks(&bay.db, &run).await.unwrap().into_iter().map(|mark| (mark.at_s, mark.note, mark.who)).collect()
    };
    let at_rig = |at_s: f64| (at_s, String::new(), None);
    assert_eq!(told().await, [at_rig(0.4), (0.5, "whine".to_owned(), Some("One".to_owned())), at_rig(0.6)]);
    let marks = rigs::marks(&bay.db, &run).await.unwrap();
    let refused = |result: Result<(), StoreError>| assert!(matches!(result, Err(StoreError::NotFound)), "{result:?}");
    refused(rigs::mark(&bay.db, &bay.stranger, job, admitted.run, 1, "").await);
    refused(rigs::mark(&bay.db, &bay.one, bay.jobs[1], admitted.run, 1, "").await);
    refused(rigs::set_mark(&bay.db, &bay.one, job, Uuid::nil(), marks[0].id, None).await);
    rigs::set_mark(&bay.db, &bay.one, job, run.id, marks[0].id, Some("knock")).await.unwrap();
    rigs::set_mark(&bay.db, &bay.one, job, run.id, marks[2].id, None).await.unwrap();
    assert_eq!(told().await[0].1, "knock");
    assert_eq!(told().await.len(), 2);
    // Another gauge: the run that has begun keeps its own, and the rig is let in when it is restarted.
    rigs::set_gauge(&bay.db, &bay.one, bay.rig, None).await.unwrap();
    refused(rigs::set_gauge(&bay.db, &bay.stranger, bay.rig, None).await);
    says(bay.calls("green", &bay.token, 1).await, "restart it");
    let fresh = bay.calls("green", &bay.token, 2).await.unwrap();
    assert!(fresh.run != admitted.run && fresh.next == 0);
    sea_orm::ConnectionTrait::execute_unprepared(&bay.db, "UPDATE jobs SET closed_at = '2026-11-25'").await.unwrap();
    assert!(matches!(rigs::mark(&bay.db, &bay.one, job, admitted.run, 1, "").await, Err(StoreError::Closed)));
    assert!(matches!(rigs::set_mark(&bay.db, &bay.one, job, run.id, marks[0].id, None).await, Err(StoreError::Closed)));
}

#[tokio::test]
async fn of_two_connections_one_keeps_and_the_other_is_told() {
    let bay = bay().await;
    let job = bay.jobs[0];
    rigs::assign(&bay.db, &bay.one, bay.rig, Some(job)).await.unwrap();
    let old = bay.calls("green", &bay.token, 7).await.unwrap();
    bay.keeps(&old, 0..100).await.unwrap();
    // A second connection of the same start goes on where the first stands; whichever keeps first from there has it, however long its piece.
    let new = bay.calls("green", &bay.token, 7).await.unwrap();
    assert_eq!((new.run, new.next, new.first_us, new.last_us), (old.run, 100, Some(5_000_000), Some(5_990_000)));
    let (a, b) = tokio::join!(bay.keeps(&old, 100..180), bay.keeps(&new, 100..150));
    assert!(a.is_ok() != b.is_ok(), "{a:?} {b:?}");
    says(if a.is_ok() { b } else { a }, "another connection");
    let again = bay.calls("green", &bay.token, 7).await.unwrap();
    Keeper::new(bay.db.clone(), None).keep(&again, &Chunk::gone(again.next, again.next + 20)).await.unwrap();
    says(bay.keeps(&again, again.next..again.next + 5).await, "another connection");
    bay.keeps(&again, again.next + 20..again.next + 60).await.unwrap();
    let kept = bay.kept(job, &again).await;
    let wanted: Vec<f64> = (0..again.next).chain(again.next + 20..again.next + 60).map(|seq| 100.0 + seq as f64).collect();
    assert_eq!(kept, wanted, "each once, in order");
    let run = rigs::recorded(&bay.db, &bay.one, job, again.run).await.unwrap();
    assert_eq!((run.samples, run.lost), (again.next + 40, 20));
    let peaks = rigs::peaks(&bay.db, run.id, 0, u64::MAX).await.unwrap();
    assert_eq!((peaks.len(), peaks[0].columns[0].least, peaks[0].columns[0].most), (3, 100.0, 199.0));
    // A job that was closed meanwhile takes nothing more.
    sea_orm::ConnectionTrait::execute_unprepared(&bay.db, "UPDATE jobs SET closed_at = '2026-11-25'").await.unwrap();
    says(bay.keeps(&again, again.next + 60..again.next + 70).await, "the job is closed");
    says(bay.calls("green", &bay.token, 7).await, "linked to no open job");
    // A stretch is found by its time.
    let some = rigs::chunks(&bay.db, run.id, 5_000_000, 5_500_000).await.unwrap();
    assert_eq!(some.len(), 1);
}
