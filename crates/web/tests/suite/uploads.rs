//! A recorded run that was uploaded to the wrong job is withdrawn with a reason, and can be used again.
use crate::support::person::{Person, location};
use reqwest::StatusCode;

#[tokio::test]
async fn a_run_of_another_vehicle_is_withdrawn_and_used_again() {
    let me = Person::signed_in().await;
    let run = std::fs::read(concat!(env!("CARGO_MANIFEST_DIR"), "/demo/run-fork5.csv")).unwrap();
    let put = me.upload("/jobs/8/captures", "run-fork5.csv", run).await.unwrap();
    let at = location(put.headers()).to_owned();
    let id = at.rsplit('/').next().unwrap().to_owned();
    assert!(me.page("/jobs/9/run").await.contains("Recorded runs") && me.page(&at).await.contains("The same recording is in job 9"));
    let withdraw = |reason: &'static str, key: &'static str| [("reason", reason), ("key", key), ("seen", "999"), ("stage", "run")];
    let to = format!("{at}/withdraw");
    let why = me.post(&to, &withdraw("", "a")).await;
    assert_eq!(why.status(), StatusCode::UNPROCESSABLE_ENTITY);
    assert!(why.text().await.unwrap().contains("say in a few words why"));
    assert_eq!(me.post(&to, &withdraw("recorded on the forklift", "b")).await.status(), StatusCode::SEE_OTHER);
    let said = "Upload “run-fork5.csv” withdrawn: recorded on the forklift";
    assert!(
        me.page("/jobs/8/run").await.contains(said) && me.page(&at).await.contains(said) && me.page("/jobs/8/report").await.contains(said)
    );
    // The job that it belongs to is no longer told that another one has it, and nothing is read from it here.
    let theirs = me.page("/jobs/9/run").await;
    let theirs = theirs.split("/captures/").nth(1).unwrap().get(..36).unwrap().to_owned();
    assert!(!me.page(&format!("/jobs/9/captures/{theirs}")).await.contains("The same recording is in job 8"));
    let reading = |key: &'static str| {
        [
            ("rpm", "780"),
            ("oil_temp_c", "97"),
            ("pressure", "60"),
            ("unit", "kPa"),
            ("phase", "before"),
            ("capture", id.as_str()),
            ("from_s", "7"),
            ("to_s", "31"),
            ("key", key),
            ("seen", "999"),
        ]
    };
    assert_eq!(me.post("/jobs/8/reading", &reading("c")).await.status(), StatusCode::BAD_REQUEST);
    // Used again it is read from, and then it is not withdrawn before its reading is.
    let page = me.page("/jobs/8/run").await;
    let entry = page.rsplit_once(said).unwrap().0.rsplit("name=\"entry\" value=\"").next().unwrap().get(..36).unwrap().to_owned();
    let again =
        [("entry", entry.as_str()), ("reason", "it belongs to this job after all"), ("key", "d"), ("seen", "999"), ("stage", "run")];
    assert_eq!(me.post("/jobs/8/withdraw", &again).await.status(), StatusCode::SEE_OTHER);
    assert_eq!(me.post("/jobs/8/reading", &reading("e")).await.status(), StatusCode::SEE_OTHER);
    let read_from = me.post(&to, &withdraw("recorded on the forklift", "f")).await;
    assert!(
        read_from.status() == StatusCode::UNPROCESSABLE_ENTITY && read_from.text().await.unwrap().contains("Withdraw those readings first")
    );
}
