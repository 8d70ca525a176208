//! What was found before a repair stays what it was: the same check made again stands beside it, and a corrected entry keeps its time.
use crate::support::person::Person;
use chrono::{TimeDelta, Utc};
use reqwest::StatusCode;
use serde_json::Value;

async fn case(me: &Person, job: u32) -> Value {
    serde_json::from_str(&me.page(&format!("/jobs/{job}/case.json")).await).unwrap()
}

/// The key of the entry that a check's form would replace.
fn replaced(page: &str, check: &str) -> Option<String> {
    let form = page.split("/evidence\"").find(|part| part.contains(&format!("name=\"check\" value=\"{check}\"")))?;
    Some(form.split("name=\"supersedes\" value=\"").nth(1)?.split('"').next()?.to_owned())
}

#[tokio::test]
async fn a_check_after_the_repair_stands_beside_the_one_before() {
    let me = Person::signed_in().await;
    let found = async |outcome: &str, key: &str, more: &[(&str, &str)]| {
        let form: Vec<(&str, &str)> =
            [("check", "noise"), ("outcome", outcome), ("stage", "prove"), ("key", key)].into_iter().chain(more.iter().copied()).collect();
        me.post("/jobs/7/evidence", &form).await.status()
    };
    let noises = async || -> Vec<(String, String)> {
        let case = case(&me, 7).await;
        let of = case["evidence"].as_array().unwrap().iter().filter(|entry| entry["check"] == "noise");
        of.map(|entry| (entry["outcome"].as_str().unwrap().to_owned(), entry["phase"].as_str().unwrap_or("before").to_owned())).collect()
    };
    let pair = |outcome: &str, phase: &str| (outcome.to_owned(), phase.to_owned());
    if noises().await.is_empty() {
        assert_eq!(found("deep_knock", "n1", &[]).await, StatusCode::SEE_OTHER);
    }
    let before = noises().await;
    let repair = [("cause", "bearings_crank"), ("done", "New bearings"), ("key", "r1")];
    assert_eq!(me.post("/jobs/7/repair", &repair).await.status(), StatusCode::SEE_OTHER);
    let page = me.page("/jobs/7/prove").await;
    assert!(page.contains("Check again after the repair") && page.contains("Before the repair:"));
    assert_eq!(found("none", "n2", &[]).await, StatusCode::SEE_OTHER);
    assert_eq!(noises().await, [before.clone(), vec![pair("none", "after")]].concat());
    // A page from before the repair still names the finding before: it is not replaced unless that is asked for.
    let after = replaced(&me.page("/jobs/7/prove").await, "noise").unwrap();
    assert_eq!(found("rattle", "n3", &[("supersedes", &after)]).await, StatusCode::SEE_OTHER);
    assert_eq!(noises().await, [before.clone(), vec![pair("rattle", "after")]].concat());
    let report = me.page("/jobs/7/report?reader=customer").await;
    assert!(report.contains("After the repair") && report.contains("not checked"), "{report}");
}

/// What was done while the connection was away counts from when it was done, and never from before the session.
#[tokio::test]
async fn what_waited_counts_from_when_it_was_typed() {
    let me = Person::signed_in().await;
    let at = async |check: &str, waited: &str| {
        let form = [("check", check), ("outcome", "none"), ("stage", "look"), ("key", check), ("waited", waited)];
        assert_eq!(me.post("/jobs/9/evidence", &form).await.status(), StatusCode::SEE_OTHER);
        let case = case(&me, 9).await;
        let entry = case["evidence"].as_array().unwrap().iter().find(|entry| entry["check"] == check).unwrap().clone();
        entry["at"].as_str().unwrap().parse::<chrono::DateTime<Utc>>().unwrap()
    };
    let began = Utc::now();
    let at_once = at("codes", "2").await;
    assert!(at_once > began - TimeDelta::seconds(1));
    for waited in ["100000000", "1e300", "nonsense", "-50", "inf"] {
        let form = [("check", "leaks"), ("outcome", "none"), ("stage", "look"), ("key", waited), ("waited", waited)];
        let status = me.post("/jobs/9/evidence", &form).await.status();
        assert!(!status.is_server_error(), "{waited}: {status}");
    }
    let times = case(&me, 9).await["evidence"].to_string();
    assert!(!times.contains("1970") && !times.contains("20250"), "{times}");
}

/// A wrong time is corrected with a reason; what cannot be is told, and what was typed is kept.
#[tokio::test]
async fn a_wrong_time_is_corrected_with_a_reason() {
    let me = Person::signed_in().await;
    let repair = [("cause", "screen_blocked"), ("done", "Screen cleaned"), ("key", "r1")];
    assert_eq!(me.post("/jobs/9/repair", &repair).await.status(), StatusCode::SEE_OTHER);
    let page = me.page("/jobs/9/trace").await;
    // The last form of the list: of the oldest entry that has a time.
    let form = page.rsplit("/happened\"").next().unwrap();
    let entry = form.split("name=\"entry\" value=\"").nth(1).unwrap().split('"').next().unwrap().to_owned();
    let wall = |days: i64| (Utc::now() + TimeDelta::days(days)).format("%Y-%m-%dT%H:%M").to_string();
    for (at, reason, told) in [
        (wall(2), "typed late", "That time has not come yet"),
        (wall(-4000), "typed late", "long before the job was opened"),
        (String::new(), "typed late", "Enter the day and hour"),
        ("yesterday".to_owned(), "typed late", "write day and hour as"),
        (wall(0), "", "why the time was wrong"),
    ] {
        let answer = me.post("/jobs/9/happened", &[("entry", &entry), ("at", &at), ("reason", reason), ("key", "k")]).await;
        assert_eq!(answer.status(), StatusCode::UNPROCESSABLE_ENTITY, "{at} {reason}");
        let page = answer.text().await.unwrap();
        assert!(page.contains(told), "{at} {reason}");
    }
    let earlier = (Utc::now() - TimeDelta::hours(1)).format("%Y-%m-%dT%H:%M").to_string();
    let right = [("entry", entry.as_str()), ("at", &earlier), ("reason", "typed after lunch"), ("key", "k")];
    assert_eq!(me.post("/jobs/9/happened", &right).await.status(), StatusCode::SEE_OTHER);
    let page = me.page("/jobs/9/trace").await;
    assert!(page.contains("written down") && page.contains("time corrected: typed after lunch"));
    assert_eq!(
        me.post("/jobs/9/happened", &[("entry", "nonsense"), ("at", &earlier), ("reason", "x"), ("key", "k")]).await.status(),
        StatusCode::BAD_REQUEST
    );
}
