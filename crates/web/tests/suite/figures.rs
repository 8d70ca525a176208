//! Figures of the shop, and what shops tell each other.
use crate::support::person::Person;
use crate::support::{ines, serving};
use actix_web::web::Data;
use reqwest::StatusCode;
use std::time::Duration;
use velvet_dial_core::experience::Memory;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::pooled::OutcomesFile;
use velvet_dial_core::signing::Signer;
use velvet_dial_store::jobs::{self, Body, Write};
use velvet_dial_store::{Connection, figures};
use velvet_dial_web::state::App;

/// Works out what is missing, as a server does that runs.
async fn worked_out(db: &Connection) {
    let app = Data::new(App::new(db.clone(), serving()));
    let working = tokio::spawn(async move { velvet_dial_web::work_out_outcomes(&app).await });
    while figures::next_missing(db).await.unwrap().is_some() {
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    working.abort();
}

#[tokio::test]
async fn every_closed_job_is_counted_once_with_what_was_said_before_it_was_opened() {
    let (base, db) = crate::support::start_with().await;
    let viewer = ines(&db).await;
    let (none, all) = figures::closed(&db, &viewer, None).await.unwrap();
    assert!(none.is_empty() && all > 1);
    let person = Person::at(&base).entering_as("ines", "brass needle").await;
    assert!(person.page("/figures?months=0").await.contains(&format!("0 of {all} closed jobs are worked out")));
    worked_out(&db).await;
    let (rows, all) = figures::closed(&db, &viewer, None).await.unwrap();
    assert_eq!(rows.len() as u64, all);
    for row in &rows {
        let of = &row.outcome;
        let (cause, probability) = of.said.clone().unwrap();
        assert!((0.0..=1.0).contains(&probability) && knowledge().cause(&cause).is_some());
        if let Some(of_cause) = of.cause_probability {
            // The leading cause is the one with the highest figure.
            assert!(of_cause <= probability && (of_cause == probability || Some(&cause) != of.cause.as_ref()), "{row:?}");
        }
    }
    // By then nothing was known but what was written before the engine was opened.
    let sure = rows.iter().filter(|row| row.outcome.cause_probability.is_some_and(|p| p > 0.999)).count();
    assert!(sure < rows.len(), "no job was told from its repair");
    let page = person.page("/figures?months=0").await;
    assert!(page.contains("Did what it said come true?") && !page.contains("are worked out"));
    let csv = String::from_utf8(person.bytes("/figures.csv?months=0").await).unwrap();
    assert_eq!(csv.lines().count(), rows.len() + 1);
    for number in rows.iter().map(|row| row.number) {
        let job = jobs::load(&db, &viewer, number).await.unwrap();
        assert!(!csv.contains(&job.head.vehicle.tag) && !csv.contains(&job.head.complaint), "{csv}");
    }
    // A job that is opened again is no closed job, and closed anew it is worked out anew.
    let number = rows.first().unwrap().number;
    let closing = jobs::load(&db, &viewer, number).await.unwrap().closing().unwrap().id;
    let reopened = Write::of(Body::Reopened { reason: "the lamp is on again".to_owned() }, "again").in_place_of(Some(closing));
    jobs::write(&db, &viewer, number, &reopened).await.unwrap();
    assert_eq!(figures::closed(&db, &viewer, None).await.unwrap().0.len(), rows.len() - 1);
}

async fn imported(person: &Person, file: &OutcomesFile) -> (StatusCode, String) {
    let answer = person.upload("/learnt/others", "outcomes.json", serde_json::to_vec(file).unwrap()).await.unwrap();
    (answer.status(), answer.text().await.unwrap())
}

#[tokio::test]
async fn what_another_shop_found_counts_with_its_name_until_it_is_withdrawn() {
    let (base, db) = crate::support::start_with().await;
    let viewer = ines(&db).await;
    let person = Person::at(&base).entering_as("ines", "brass needle").await;
    let job = jobs::load(&db, &viewer, 9).await.unwrap();
    let family = job.engine.card.family.clone().unwrap();
    let day = chrono::Utc::now().date_naive();
    let made = |shop: &str, jobs: u32, seed: u8| {
        let found = Memory { family: family.clone(), closed: [("relief_open".to_owned(), jobs)].into(), ..Memory::default() };
        let none_here = Memory { family: "No such family".to_owned(), ..found.clone() };
        OutcomesFile::signed(shop, day, vec![found, none_here], &Signer::of_seed(&[seed; 32]))
    };
    let cause = knowledge().causes.iter().find(|cause| cause.id == "relief_open").unwrap().name.clone();
    let counts = async || {
        let job = jobs::load(&db, &viewer, 9).await.unwrap();
        job.known_patterns
            .iter()
            .filter(|known| known.source.starts_with("Outcomes of"))
            .map(|known| known.source.clone())
            .collect::<Vec<_>>()
    };
    let (status, page) = imported(&person, &made("Harbour Motors", 12, 7)).await;
    assert!(status == StatusCode::OK && page.contains("12 of 12 jobs") && page.contains(&cause), "{page}");
    assert!(page.contains("the shop has no engine of this family"));
    assert_eq!(counts().await.len(), 1);
    // A newer file of the same shop takes the place of the older.
    let (status, _) = imported(&person, &made("Harbour Motors", 15, 7)).await;
    assert_eq!((status, counts().await.len()), (StatusCode::OK, 1));
    assert!(counts().await[0].contains("15 of 15 jobs"));
    // Another shop of the same name is another shop.
    let key = Signer::of_seed(&[7; 32]).key();
    let (_, page) = imported(&person, &made("Harbour Motors", 3, 8)).await;
    assert!(page.contains("has a known pattern already") && counts().await.len() == 1 && page.contains(&key[..8]), "{page}");
    let source = format!("Outcomes of Harbour Motors (key {})", &key[..8]);
    let withdrawn = person.post("/learnt/others/withdraw", &[("source", &source)]).await;
    assert_eq!((withdrawn.status(), counts().await.len()), (StatusCode::SEE_OTHER, 0));
    // What was changed on the way, what is no such file, and the shop's own.
    let mut changed = made("Harbour Motors", 12, 7);
    changed.families[0].closed.insert("pump_worn".to_owned(), 9);
    let unknown = OutcomesFile::signed(
        "Harbour Motors",
        day,
        vec![Memory { family: family.clone(), closed: [("purple".to_owned(), 1)].into(), ..Memory::default() }],
        &Signer::of_seed(&[7; 32]),
    );
    let own: OutcomesFile = serde_json::from_slice(&person.bytes("/figures/outcomes.json").await).unwrap();
    for (file, why) in [(&changed, "it was changed since"), (&unknown, "no cause known here"), (&own, "your own shop")] {
        let (status, page) = imported(&person, file).await;
        assert!(status == StatusCode::UNPROCESSABLE_ENTITY && page.contains(why), "{why}");
    }
    let text = String::from_utf8(person.bytes("/figures/outcomes.json").await).unwrap();
    assert!(OutcomesFile::read(text.as_bytes(), knowledge()).is_ok() && !text.contains("FORK") && !text.contains("Ines"));
    assert_eq!(counts().await.len(), 0);
}
