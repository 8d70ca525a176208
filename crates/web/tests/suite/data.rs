//! What becomes of the shop's data: everything as a file and nobody else's, how long customers are kept, how the backups go, and what is counted.
use crate::support::person::Person;
use crate::support::{ines, run_by};
use flate2::read::GzDecoder;
use reqwest::StatusCode;
use std::collections::BTreeMap;
use std::io::Read;
use std::sync::Arc;
use velvet_dial_core::case::Case;
use velvet_dial_core::library_import;
use velvet_dial_core::rights::Role;
use velvet_dial_store::accounts::{self, NewUser};
use velvet_dial_web::state::{App, BackupState, Backups, Serving};

const PASSWORD: &str = "heron valve gravel";

fn files(archive: &[u8]) -> BTreeMap<String, Vec<u8>> {
    let mut tar = tar::Archive::new(GzDecoder::new(archive));
    let file = |entry: std::io::Result<tar::Entry<'_, GzDecoder<&[u8]>>>| {
        let (mut entry, mut bytes) = (entry.unwrap(), Vec::new());
        entry.read_to_end(&mut bytes).unwrap();
        (entry.path().unwrap().to_str().unwrap().to_owned(), bytes)
    };
    tar.entries().unwrap().map(file).collect()
}

#[tokio::test]
async fn everything_of_a_shop_leaves_as_open_files_and_nothing_of_another() {
    let (base, db) = crate::support::start_with().await;
    let (_, run) = crate::support::recorded(&db, 9).await;
    let owner = Person::at(&base).entering_as("ines", "brass needle").await;
    let all = files(&owner.bytes("/data/export.tar.gz").await);
    let text = |name: &str| String::from_utf8(all[name].clone()).unwrap();
    // What is read back is what the screens have.
    let case: Case = serde_json::from_str(&text("jobs/9/case.json")).unwrap();
    let shown: Case = serde_json::from_slice(&owner.bytes("/jobs/9/case.json").await).unwrap();
    // The shop's experience stands in its other jobs, and is not said again with each.
    assert_eq!(case, Case { memory: None, ..shown });
    let job = velvet_dial_store::jobs::load(&db, &ines(&db).await, 9).await.unwrap();
    assert_eq!(text("jobs/9/history.jsonl").lines().count(), job.entries.len());
    assert_eq!(all["engines.json"], owner.bytes("/library/saved/json").await);
    assert!(library_import::read(&all["engines.json"]).unwrap().bad.is_empty());
    assert!(text(&format!("jobs/9/runs/{run}.csv")).lines().count() > 300);
    assert!(all.contains_key("jobs/1/report.json") && text("people.json").contains("\"Pia\"") && !text("people.json").contains("argon2"));
    // Every kind of file is said in the text that goes along.
    let said = text("README.txt");
    for name in all.keys().filter(|name| *name != "README.txt") {
        let kind = name.split('/').rev().find(|part| part.contains('.') || *part == "photos" || *part == "runs").unwrap();
        assert!(said.contains(kind) || name.contains("/photos/") || name.contains("/runs/"), "{name}");
    }
    // Another shop of the same server has its own alone.
    let other = accounts::shop_named(&db, "Other side").await.unwrap();
    accounts::add_user(&db, other, &NewUser::of(Role::Owner, "olga", "Olga", PASSWORD)).await.unwrap().unwrap();
    let olga = Person::at(&base).entering_as("olga", PASSWORD).await;
    let theirs = files(&olga.bytes("/data/export.tar.gz").await);
    assert!(theirs.keys().all(|name| !name.starts_with("jobs/")), "{:?}", theirs.keys());
    assert!(theirs.values().all(|bytes| !String::from_utf8_lossy(bytes).contains("Ines")));
}

#[tokio::test]
async fn an_owner_says_how_long_customers_are_kept_and_sees_how_the_backups_go() {
    let (_, db) = crate::support::start_with().await;
    let backups = Arc::<Backups>::default();
    let app = App::new(db.clone(), Serving { demo: true, backups: Arc::clone(&backups), ..Serving::default() });
    let base = run_by(app, None);
    let owner = Person::at(&base).entering_as("ines", "brass needle").await;
    let technician = Person::at(&base).entering_as("odd", "brass needle").await;
    assert!(owner.page("/data").await.contains("takes no backups by itself"));
    for (typed, why) in [("0", "1 to 600 months"), ("long", "is not a number")] {
        let refused = owner.post("/data", &[("months", typed)]).await;
        assert_eq!(refused.status(), StatusCode::UNPROCESSABLE_ENTITY);
        let page = refused.text().await.unwrap();
        assert!(page.contains(why) && page.contains(&format!("value=\"{typed}\"")), "{typed}: {page}");
    }
    assert_eq!(owner.post("/data", &[("months", "24")]).await.status(), StatusCode::SEE_OTHER);
    assert!(owner.page("/data").await.contains("value=\"24\""));
    assert!(owner.page("/audit").await.contains("Customers are kept: as long as the job → 24 months"));

    let now = chrono::Utc::now();
    let state = |days: i64, failed: Option<&str>| BackupState {
        folder: "/mnt/backups".to_owned(),
        taken: Some((now - chrono::TimeDelta::days(days), 2_500_000)),
        failed: failed.map(str::to_owned),
        since: now,
    };
    for (days, failed, late) in [(0, None, false), (2, None, false), (3, None, true), (0, Some("no room is left"), true)] {
        backups.set(state(days, failed));
        let page = owner.page("/data").await;
        assert!(page.contains("2.5 MB") && page.contains("/mnt/backups") && page.contains(failed.unwrap_or("Backups")));
        assert_eq!(owner.page("/").await.contains("<b>No backup:</b>"), late, "{days} {failed:?}");
        assert!(!technician.page("/").await.contains("<b>No backup:</b>"));
    }
    // Each answer names its line in the log.
    let answer = owner.get("/data").await;
    assert!(answer.headers()["x-request-id"].to_str().unwrap().len() > 30);
}
