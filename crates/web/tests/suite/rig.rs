//! The rig and the run: every step is stamped and weighed, what is wrong is said beside its field; the thread is told from what starts in it; the gauge from what it cannot tell.
use crate::support::person::{Person, location};
use reqwest::StatusCode;
use serde_json::Value;
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
        let said = if place % 3 == 0 && step.id != "fit" && !step.value { SKIPPED } else { first };
        let key = format!("k{place}");
        let mut form = vec![("step", step.id.as_str()), ("answer", said), ("key", key.as_str()), ("unit", "bar")];
        if step.value {
            form.push(("zero", "0.04"));
        }
        assert_eq!(answer(&me, 8, &form).await, StatusCode::SEE_OTHER, "{}", step.id);
        assert_eq!(answer(&me, 8, &form).await, StatusCode::SEE_OTHER, "sent twice it is written once");
    }
    let page = me.page("/jobs/8/rig").await;
    assert!(page.contains("8 of 8 done") && page.contains("Next: take the readings") && page.contains("Within what its class allows"));
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
        (vec![("step", "zero"), ("answer", "done"), ("zero", "")], StatusCode::UNPROCESSABLE_ENTITY, "zero is a figure too"),
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
            ["Big brass", "Blue case", "Small brass", "Green cart", "transducer"].iter().any(|name| says.contains(name)),
            "{job}: {says}"
        );
        assert!(page.contains("Blind below") && page.contains("overloaded cold"), "{job} names the gauge that the cold start would bend");
    }
    let bar = me.post("/preferences", &[("unit", "bar")]).await;
    assert_eq!(bar.status(), StatusCode::SEE_OTHER);
}

/// Somebody who likes °F sees and types °F wherever a temperature stands; what is kept is °C, and a unit behind the figure goes before the switch.
#[tokio::test]
async fn temperatures_are_shown_and_typed_in_the_unit_that_is_liked() {
    let me = Person::signed_in().await;
    let mut warm = Person { cookie: format!("{}; vd_temperature=f", me.cookie), ..Person::at(&me.base) };
    let cookie = me.post("/preferences", &[("temperature", "f")]).await.headers()["set-cookie"].to_str().unwrap().to_owned();
    assert!(cookie.starts_with("vd_temperature=f"));
    for (typed, kept) in [("208.4", 98.0), ("97 °C", 97.0), ("205 F", 96.1)] {
        let form = [("rpm", "1500"), ("oil_temp_c", typed), ("pressure", "150"), ("unit", "kPa f"), ("key", typed)];
        assert_eq!(warm.post("/jobs/8/reading", &form).await.status(), StatusCode::SEE_OTHER, "{typed}");
        assert_eq!(case(&warm, 8).await["readings"].as_array().unwrap().last().unwrap()["oil_temp_c"], kept, "{typed}");
    }
    let page = warm.page("/jobs/8/run").await;
    assert!(page.contains("1500 rpm · 208 °F · neutral") && page.contains("value=\"kPa f\"") && !page.contains("98 °C"));
    let entry = page.split("?correct=").nth(1).unwrap().get(..36).unwrap().to_owned();
    assert!(warm.page(&format!("/jobs/8/run?correct={entry}")).await.contains("value=\"204.98\""), "96.1 °C as it is typed");
    for place in ["compare", "trace", "report", "prove"] {
        assert!(!warm.page(&format!("/jobs/8/{place}")).await.split("How it went").next().unwrap().contains(" °C"), "{place}");
    }
    let wrong =
        warm.post("/jobs/8/reading", &[("rpm", "1500"), ("oil_temp_c", "900"), ("pressure", "150"), ("unit", "kPa f"), ("key", "w")]).await;
    assert!(wrong.text().await.unwrap().contains("°F"));
    warm.cookie.clone_from(&me.cookie);
    assert!(warm.page("/jobs/8/run").await.contains("1500 rpm · 98 °C · neutral"));
}

#[tokio::test]
async fn a_thread_is_told_from_what_starts_in_it() {
    let me = Person::signed_in().await;
    for (query, contains, not) in [
        ("", "What sits in the port now", "Likely threads"),
        ("diameter=10.2&turns=27&taper=unsure&side=plug&housing=aluminium&back=8", "1/8 pipe 60° tapered, 27 turns", "No known thread"),
        ("diameter=10.2&turns=27", "binds after 3 turns", "> 99"),
        ("diameter=0.4+in&turns=27", "1/8 pipe 60° tapered, 27 turns", "No known thread"),
        ("diameter=33", "No known thread is near", "Not 1/8"),
        ("diameter=10&pitch=1&back=8", "Back to the gauge setup", "No known thread"),
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

/// A needle under its first mark or against its stop is a reading too: its mark is the gauge's own where none is typed, and it is weighed as that.
#[tokio::test]
async fn the_run_is_walked_point_by_point_and_a_needle_at_its_end_is_a_reading() {
    let me = Person::signed_in().await;
    let page = me.page("/jobs/8/run").await;
    assert!(page.contains("Point 1 of 7") && page.contains("None after 6 s: stop the engine at once"));
    let chosen = me.page("/jobs/8/run?point=hot-idle").await;
    assert!(chosen.contains("Point 4 of 7") && chosen.contains("Wait for the needle"));
    assert!(me.page("/jobs/8/run?point=tarot").await.contains("Point 1 of 7"), "a point that is none is no trouble");
    // Gear and slope follow a point that was chosen, and never the script by itself.
    let gear = |page: &str| {
        page.split("name=\"gear\"").nth(1).unwrap().split("selected>").nth(1).map(|rest| rest.split('<').next().unwrap().to_owned())
    };
    assert_eq!(
        me.post("/jobs/8/circumstance", &[("circumstance", "lamp_at_idle"), ("told", "true"), ("key", "lamp")]).await.status(),
        StatusCode::SEE_OTHER
    );
    assert_eq!(gear(&me.page("/jobs/8/run?point=in-gear").await).as_deref(), Some("in gear"));
    assert_eq!(gear(&me.page("/jobs/8/run").await).filter(|gear| gear != "neutral"), None);
    let gauge = ("gauge", "Blue case, 10 bar");
    for (place, more, read) in [
        (0, vec![("shows", "under_first_mark")], "under 20 kPa"),
        (1, vec![("shows", "pegged")], "over 1000 kPa"),
        (
            2,
            vec![("shows", "pegged"), ("pressure", "9 bar"), ("slope", "nose_up"), ("speed_held", "by_hand"), ("hold_s", "2 min")],
            "over 900 kPa",
        ),
    ] {
        let key = format!("n{place}");
        let rpm = format!("{}", 800 + 500 * place);
        let form: Vec<(&str, &str)> =
            [("rpm", rpm.as_str()), ("oil_temp_c", "203 °F"), ("unit", "kPa"), ("key", &key), gauge].into_iter().chain(more).collect();
        assert_eq!(me.post("/jobs/8/reading", &form).await.status(), StatusCode::SEE_OTHER, "{form:?}");
        assert!(me.page("/jobs/8/run").await.contains(read), "{read}");
    }
    let told = case(&me, 8).await;
    let readings = told["readings"].as_array().unwrap();
    assert_eq!(
        (&readings[0]["shows"], &readings[1]["kpa"], &readings[2]["hold_s"]),
        (&"under_first_mark".into(), &1000.0.into(), &120.0.into())
    );
    assert_eq!((&readings[2]["slope"], &readings[2]["speed_held"]), (&"nose_up".into(), &"by_hand".into()));
    assert!((readings[0]["oil_temp_c"].as_f64().unwrap() - 95.0).abs() < 1e-9 && readings[0].get("slope").is_none());
    let refused = me.post("/jobs/8/reading", &[("rpm", "800"), ("oil_temp_c", "95"), ("key", "x"), gauge]).await;
    assert_eq!(refused.status(), StatusCode::UNPROCESSABLE_ENTITY, "a value has to be typed");
    // To correct one brings back what was said of it.
    let entry = me.page("/jobs/8/run").await.split("?correct=").nth(1).unwrap().get(..36).unwrap().to_owned();
    let form = me.page(&format!("/jobs/8/run?correct={entry}")).await;
    assert!(
        form.contains("<option value=\"pegged\" selected>")
            && form.contains("<option value=\"nose_up\" selected>")
            && form.contains("value=\"120\"")
    );
}

/// Two at one rig: the second is shown what the first said before anything is replaced, and a tap is undone by one.
#[tokio::test]
async fn two_at_one_rig_lose_nothing_and_a_tap_is_undone() {
    let (base, _) = crate::support::start_with().await;
    let ines = Person::at(&base).entering_as("ines", "brass needle").await;
    let odd = Person::at(&base).entering_as("odd", "brass needle").await;
    let fragment = async |who: &Person, path: &str, form: &[(&str, &str)]| {
        let request = who.ask(who.client.post(format!("{base}/jobs/8/{path}"))).header("hx-request", "true").form(form);
        let answer = request.send().await.unwrap();
        (answer.status(), answer.text().await.unwrap())
    };
    let (status, bench) = fragment(&ines, "rig", &[("step", "sender"), ("answer", "teed"), ("key", "a"), ("seen", "1")]).await;
    assert!(status == StatusCode::OK && bench.contains("Undo") && bench.contains("Teed in") && !bench.contains("<html"));
    let (status, clash) = fragment(&odd, "rig", &[("step", "sender"), ("answer", "plugged"), ("key", "b"), ("seen", "1")]).await;
    assert_eq!(status, StatusCode::CONFLICT);
    assert!(
        clash.contains("Ines saved something else first") && clash.contains("teed in") && clash.contains("plugged off"),
        "both are shown"
    );
    let replaces = clash
        .split("Replace it with mine")
        .next()
        .unwrap()
        .rsplit("name=\"supersedes\" value=\"")
        .next()
        .unwrap()
        .get(..36)
        .unwrap()
        .to_owned();
    let (status, _) = fragment(&odd, "rig", &[("step", "sender"), ("answer", "plugged"), ("key", "c"), ("supersedes", &replaces)]).await;
    assert_eq!(status, StatusCode::OK);
    let page = odd.page("/jobs/8/rig").await;
    assert!(page.contains("Plugged off") && page.contains("1 of 8 done"));
    let last = odd.page("/jobs/8/trace").await.matches("Sender: plugged off or teed in").count();
    assert!(last >= 2, "both stand in the ledger");
}
