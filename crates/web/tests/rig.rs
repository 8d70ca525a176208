//! The rig: every step is stamped and weighed, what is wrong is said beside its field; the thread is told from what starts in it; the gauge from what it cannot tell.
#![expect(clippy::unwrap_used, reason = "a test stops where it cannot go on")]
mod support;
use reqwest::StatusCode;
use serde_json::Value;
use support::person::{Person, location};
use velvet_dial_core::rigging::{self, SKIPPED};

async fn answer(person: &Person, job: u32, form: &[(&str, &str)]) -> StatusCode {
    person.post(&format!("/jobs/{job}/rig"), form).await.status()
}

async fn case(person: &Person, job: u32) -> Value {
    serde_json::from_str(&person.page(&format!("/jobs/{job}/case.json")).await).unwrap()
}

#[tokio::test]
async fn every_step_is_stamped_skipping_too_and_the_zero_is_weighed() {
    let me = Person::signed_in().await;
    assert_eq!(location(me.get("/jobs/8/readings").await.headers()), "/jobs/8/run", "an address of before leads on");
    assert!(case(&me, 8).await.get("bench").is_none());
    for (place, step) in rigging::steps().iter().enumerate() {
        let first = step.answers().next().unwrap().0;
        // Steps without a figure are skipped by turns: each is an answer.
        let said = if place % 3 == 0 && step.id != "fit" { SKIPPED } else { first };
        let key = format!("k{place}");
        let mut form = vec![("step", step.id.as_str()), ("answer", said), ("key", key.as_str()), ("unit", "bar")];
        if step.value {
            form.push(("zero", "0.04"));
        }
        assert_eq!(answer(&me, 8, &form).await, StatusCode::SEE_OTHER, "{}", step.id);
        assert_eq!(answer(&me, 8, &form).await, StatusCode::SEE_OTHER, "sent twice it is written once");
    }
    let page = me.page("/jobs/8/rig").await;
    assert!(page.contains("8 of 8 done") && page.contains("Go on: take the readings") && page.contains("Within what its class allows"));
    let skipped = rigging::step("port").unwrap();
    assert!(page.contains(&skipped.skipped), "what is left open is said");
    let told = case(&me, 8).await;
    assert_eq!(told["bench"]["gauge_fitted"], true);
    let zero = |told: &Value| {
        told["evidence"]
            .as_array()
            .unwrap()
            .iter()
            .filter(|found| found["check"] == "gauge_zero")
            .map(|found| found["outcome"].clone())
            .collect::<Vec<_>>()
    };
    assert_eq!(zero(&told), ["at_zero"]);
    assert_eq!(me.page("/jobs/8/trace").await.matches("Zero, line open: 4 kPa").count(), 1, "once in the ledger");

    // Another figure takes the place of the first, and one beyond the gauge's class speaks against the gauge.
    let doubt = async || {
        let page = me.page("/jobs/8/rig").await;
        page.split("id=\"suspect-test_gauge\"").nth(1).map(|rest| rest.split("</b>").next().unwrap().rsplit('>').next().unwrap().to_owned())
    };
    let before = doubt().await;
    let entry = page.split("id=\"rig-zero\"").nth(1).unwrap().split("name=\"supersedes\" value=\"").nth(1).unwrap().get(..36).unwrap();
    assert_eq!(
        answer(&me, 8, &[("step", "zero"), ("answer", "done"), ("zero", "-12 psi"), ("key", "again"), ("supersedes", entry)]).await,
        StatusCode::SEE_OTHER
    );
    assert_eq!(zero(&case(&me, 8).await), ["off"]);
    assert!(me.page("/jobs/8/rig").await.contains("Off by more than its class allows"));
    assert!(doubt().await.is_some() && doubt().await != before, "{before:?}");
}

#[tokio::test]
async fn what_is_wrong_with_a_step_is_said_and_nothing_is_written() {
    let me = Person::signed_in().await;
    let written = me.page("/jobs/8/case.json").await;
    for (form, status, sentence) in [
        (vec![("step", "zero"), ("answer", "done"), ("zero", "")], StatusCode::UNPROCESSABLE_ENTITY, "nought is a figure too"),
        (vec![("step", "zero"), ("answer", "done"), ("zero", "low")], StatusCode::UNPROCESSABLE_ENTITY, "“low” is not a number"),
        (vec![("step", "zero"), ("answer", "done"), ("zero", "9 bar")], StatusCode::UNPROCESSABLE_ENTITY, "too high"),
        (
            vec![("step", "fit"), ("answer", "done"), ("gauge", "00000000-0000-0000-0000-000000000000")],
            StatusCode::UNPROCESSABLE_ENTITY,
            "not among the shop",
        ),
        (vec![("step", "tarot"), ("answer", "done")], StatusCode::BAD_REQUEST, "Form not understood"),
        (vec![("step", "port"), ("answer", "purple")], StatusCode::BAD_REQUEST, "Form not understood"),
    ] {
        let answer = me.post("/jobs/8/rig", &form).await;
        let (found, text) = (answer.status(), answer.text().await.unwrap());
        assert_eq!(found, status, "{form:?}");
        assert!(text.contains(sentence), "{form:?}: {sentence}");
    }
    assert_eq!(me.page("/jobs/8/case.json").await, written);
}

/// What the chooser proposes for each job of the demo shop follows its engine and its sheet.
#[tokio::test]
async fn a_gauge_is_proposed_by_what_it_cannot_tell() {
    let me = Person::signed_in().await;
    for job in 1..=9 {
        let page = me.page(&format!("/jobs/{job}/rig")).await;
        let says = page.split("Which gauge</h2>").nth(1).unwrap().split("</b>").next().unwrap().rsplit('>').next().unwrap();
        assert!(
            says.contains("Big brass") || says.contains("Blue case") || says.contains("Small brass") || says.contains("transducer"),
            "{job}: {says}"
        );
        assert!(page.contains("Blind below") && page.contains("overloaded cold"), "{job} names the gauge that the cold start would bend");
    }
    let bar = me.post("/liking", &[("unit", "bar")]).await;
    assert_eq!(bar.status(), StatusCode::SEE_OTHER);
}

#[tokio::test]
async fn a_thread_is_told_from_what_starts_in_it() {
    let me = Person::signed_in().await;
    for (query, contains, not) in [
        ("", "What sits in the port now", "Likely threads"),
        ("diameter=10.2&turns=27&taper=unsure&side=plug&housing=aluminium&back=8", "1/8 pipe 60° tapered, 27 turns", "None of the table"),
        ("diameter=10.2&turns=27", "binds after 3 turns", "> 99"),
        ("diameter=0.4+in&turns=27", "1/8 pipe 60° tapered, 27 turns", "None of the table"),
        ("diameter=33", "None of the table is near", "Not 1/8"),
        ("diameter=10&pitch=1&back=8", "Back to the rig", "None of the table"),
    ] {
        let page = me.page(&format!("/thread?{query}")).await;
        assert!(page.contains(contains) && !page.contains(not), "{query}");
    }
    for (query, sentence) in [
        ("diameter=wide", "“wide” is not a number"),
        ("diameter=400", "too high"),
        ("diameter=10&pitch=1&turns=27", "enter one of the two"),
        ("diameter=10&pitch=12+bar", "is not a number"),
    ] {
        let answer = me.get(&format!("/thread?{query}")).await;
        assert_eq!(answer.status(), StatusCode::UNPROCESSABLE_ENTITY, "{query}");
        assert!(answer.text().await.unwrap().contains(sentence), "{query}: {sentence}");
    }
}
