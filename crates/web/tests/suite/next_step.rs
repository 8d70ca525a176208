//! One next step on every screen: the script opens on the point that the panel proposes, a stop asks for nothing that runs the engine, and after a repair the recheck comes.
use crate::support::person::Person;
use reqwest::StatusCode;

/// What a page proposes next: its title, and where its button leads.
fn proposed(page: &str) -> (String, String) {
    let card = page.split("id=\"lead-next\"").nth(1).expect("a step is proposed").split("</section>").next().unwrap();
    let title = card.split("<h3 class=\"my-1\">").nth(1).unwrap().split('<').next().unwrap().to_owned();
    let to = card.split("href=\"").nth(1).map_or("", |rest| rest.split('"').next().unwrap());
    (title, to.to_owned())
}

/// The point that the script stands on.
fn now(page: &str) -> String {
    let before = page.split("script-now\"").next().unwrap();
    before.rsplit("?point=").next().unwrap().split('"').next().unwrap().to_owned()
}

#[tokio::test]
async fn panel_and_script_name_the_same_point_and_a_fact_moves_both() {
    let me = Person::signed_in().await;
    let (title, to) = proposed(&me.page("/jobs/9/compare").await);
    let run = me.page("/jobs/9/run").await;
    assert_eq!(to, format!("/jobs/9/run?point={}", now(&run)), "{title}");
    assert_eq!(proposed(&run).0, title, "the same on its own screen");
    assert!(run.contains(title.strip_prefix("Read: ").unwrap()));
}

#[tokio::test]
async fn where_the_engine_must_not_run_nothing_asks_for_it_and_a_reading_all_the_same_is_answered() {
    let me = Person::signed_in().await;
    for (told, key) in [("knock", "a"), ("lamp_on", "b")] {
        let fields = [("circumstance", told), ("told", "true"), ("key", key), ("seen", "999")];
        assert_eq!(me.post("/jobs/9/circumstance", &fields).await.status(), StatusCode::SEE_OTHER);
    }
    for stage in ["intake", "look", "rig", "run", "compare", "trace", "open-up"] {
        let page = me.page(&format!("/jobs/9/{stage}")).await;
        assert!(page.contains("Do not run"), "{stage}");
        for asks in ["Start it", "Hold 3000 rpm", "Warm it up", "Let it warm", "Raise the speed"] {
            assert!(!page.contains(asks), "{stage} says “{asks}”");
        }
    }
    assert!(!me.page("/jobs/9/run").await.contains("Stop the engine now"));
    let reading = [("rpm", "780"), ("oil_temp_c", "95"), ("pressure", "60"), ("unit", "kPa"), ("key", "c"), ("seen", "999")];
    assert_eq!(me.post("/jobs/9/reading", &reading).await.status(), StatusCode::SEE_OTHER, "it is kept");
    let page = me.page("/jobs/9/run").await;
    assert!(page.contains("Stop the engine now.") && page.contains("taken although the engine must not run"));
    assert_eq!(page.matches("taken although the engine must not run").count(), 2, "the notice, and that reading alone");
}

#[tokio::test]
async fn after_a_repair_the_recheck_comes_and_then_the_closing() {
    let me = Person::signed_in().await;
    let repair = [("cause", "oil_thin"), ("done", "Oil of the right grade filled"), ("key", "a"), ("seen", "999")];
    assert_eq!(me.post("/jobs/9/repair", &repair).await.status(), StatusCode::SEE_OTHER);
    for stage in ["intake", "compare", "trace", "put-right"] {
        let (title, to) = proposed(&me.page(&format!("/jobs/9/{stage}")).await);
        assert!(to.starts_with("/jobs/9/prove"), "{stage}: {title} leads to {to}");
        assert!(title.starts_with("Recheck: ") || title == "Crank it first", "{stage}: {title}");
    }
    for (rpm, kpa, key) in [("780", "150", "b"), ("2000", "320", "c"), ("3000", "420", "d"), ("780", "150", "e")] {
        let read =
            [("rpm", rpm), ("oil_temp_c", "99"), ("pressure", kpa), ("unit", "kPa"), ("phase", "after"), ("key", key), ("seen", "999")];
        assert_eq!(me.post("/jobs/9/reading", &read).await.status(), StatusCode::SEE_OTHER);
    }
    assert_eq!(proposed(&me.page("/jobs/9/trace").await), ("Close the job".to_owned(), "/jobs/9/prove#closing".to_owned()));
    // Closing without proof asks for a reason, where the page asks it.
    let page = me.page("/jobs/8/prove").await;
    assert!(page.contains("name=\"without_proof\""));
    let close = [("cause", ""), ("known", ""), ("without_proof", ""), ("key", "f")];
    let refused = me.post("/jobs/8/close", &close).await;
    assert_eq!(refused.status(), StatusCode::UNPROCESSABLE_ENTITY);
    assert!(refused.text().await.unwrap().contains("Say in a few words why you close the job without proof"));
    let close = [("cause", ""), ("known", ""), ("without_proof", "The customer took it away"), ("key", "g")];
    assert_eq!(me.post("/jobs/8/close", &close).await.status(), StatusCode::SEE_OTHER);
    assert!(me.page("/jobs/8/trace").await.contains("without proof: The customer took it away"));
}
