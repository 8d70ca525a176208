//! Two servers on one database: what one writes the other shows at once, and no form is written twice.
use crate::support::person::Person;
use crate::support::{beside, start_with};
use reqwest::StatusCode;
use serde_json::Value;

async fn readings(person: &Person) -> usize {
    let case: Value = person.get("/jobs/9/case.json").await.json().await.unwrap();
    case.get("readings").and_then(Value::as_array).map_or(0, Vec::len)
}

#[tokio::test]
async fn what_one_server_writes_the_other_shows_and_nothing_is_written_twice() {
    let (base, db) = start_with().await;
    let (one, other) = (Person::at(&base), Person::at(&beside(&db)));
    // Signed in at one, known to both.
    let one = one.entering_as("ines", "brass needle").await;
    let other = Person { cookie: one.cookie.clone(), ..other };
    let before = readings(&other).await;
    let reading = [
        ("rpm", "780"),
        ("oil_temp_c", "97"),
        ("pressure", "64"),
        ("unit", "kPa"),
        ("phase", "before"),
        ("gear", "neutral"),
        ("key", "one-form"),
        ("seen", "0"),
    ];
    // The same form by both at once, as a browser that lost its connection sends it again by another way.
    let (first, again) = tokio::join!(one.post("/jobs/9/reading", &reading), other.post("/jobs/9/reading", &reading));
    assert_eq!((first.status(), again.status()), (StatusCode::SEE_OTHER, StatusCode::SEE_OTHER));
    assert_eq!((readings(&one).await, readings(&other).await), (before + 1, before + 1));
    // One finding, told otherwise by both: the second sees the first before anything is replaced.
    let finding = |outcome: &'static str, key: &'static str| [("check", "noise"), ("outcome", outcome), ("key", key), ("seen", "0")];
    let (quiet, rattle) = (finding("none", "a"), finding("rattle", "b"));
    let (first, second) = tokio::join!(one.post("/jobs/9/evidence", &quiet), other.post("/jobs/9/evidence", &rattle));
    let mut statuses = [first.status(), second.status()];
    statuses.sort();
    assert_eq!(statuses, [StatusCode::SEE_OTHER, StatusCode::CONFLICT]);
    // What was answered is shown by both, and the board of both is of one mind.
    let (here, there) = (one.page("/jobs/9/case.json").await, other.page("/jobs/9/case.json").await);
    assert_eq!(here, there);
    // Signed out at one, unknown to the other.
    one.post("/sign-out", &[]).await;
    assert_eq!(other.get("/").await.status(), StatusCode::SEE_OTHER);
}
