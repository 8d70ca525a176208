//! A whole job by what is on the screen, in a real browser, and what a lost connection and a second tab do to it.
use crate::support::screen::{Person, until};
use thirtyfour::prelude::*;

#[tokio::test]
async fn a_whole_job_from_sign_in_to_report() {
    let (browser, me, _) = Person::at_the_shop().await;
    me.sees("The maker's manual, your local rules and licensed practice come first").await;
    me.begins().await;
    me.menu("Night").await;
    me.press("New job").await;
    me.fill("opening-tag", "CART 12").await;
    me.fill("opening-complaint", "Lamp once it is warm, and it whines").await;
    me.press("Open the job").await;
    me.sees("Engine: choose one of the list").await;
    let engine = me.driver.find(By::Id("opening-engine")).await.unwrap();
    engine.send_keys("Quayside").await.unwrap();
    me.press("Open the job").await;

    me.sees("What was seen, and what was done?").await;
    for tick in ["Lamp only when hot", "Whine"] {
        me.press(tick).await;
        until(tick, || async {
            let path = format!("//button[contains(., '{tick}')][@aria-pressed='true']");
            me.driver.find(By::XPath(path)).await.is_ok()
        })
        .await;
    }
    me.sees("2 symptoms").await;
    me.press("Next: look first").await;
    me.press("Between the marks").await;
    me.sees("1 of 6 looked at").await;
    me.press("Next: fit the gauge").await;

    me.sees("Fit a gauge you can trust").await;
    me.press("Found").await;
    me.sees("1 of 8 done").await;
    me.press("Fitted").await;
    me.sees("2 of 8 done").await;
    me.press("Next: take the readings").await;

    me.sees("Take the first reading").await;
    me.driver.find(By::Id("reading-rpm")).await.unwrap().focus().await.unwrap();
    me.reading("780", "98,5", "9000").await;
    me.sees("Pressure: 9000 is too high; enter 0 to 2500 kPa.").await;
    assert_eq!(me.driver.find(By::Id("reading-oil_temp_c")).await.unwrap().prop("value").await.unwrap().as_deref(), Some("98,5"));
    me.fill("reading-pressure", "66").await;
    me.keys(Key::Enter + "").await;
    me.sees("1 reading").await;
    me.sees("below").await;
    me.reading("2000", "99", "170").await;
    me.sees("2 readings").await;
    me.reading("3000", "101", "262").await;
    me.sees("3 readings").await;
    assert_eq!(me.leader().await, "suspect-pump_worn", "good cold, low hot, better with revs, and it whines");
    me.sees("hot idle").await;
    me.press("Compare").await;
    me.sees("Too low, and by more than this gauge can be wrong.").await;

    // A tap on a check's outcome moves the ranking, here against the leader.
    me.press("Trace").await;
    me.sees("tap one to see why").await;
    let odds = me.driver.find(By::Id("suspect-pump_worn")).await.unwrap().text().await.unwrap();
    me.press("Grade in it against the sheet").await;
    me.sees("Your choice").await;
    me.press("Thinner").await;
    until("the odds move", || async {
        let now = me.driver.find(By::Id("suspect-pump_worn")).await.unwrap().text().await.unwrap_or_default();
        now != odds && now.contains("down")
    })
    .await;

    me.press("Repair").await;
    me.sees("Repair").await;
    me.press("Save repair").await;
    me.sees("What was done: a sentence for the report").await;
    me.driver.find(By::Id("repair-cause")).await.unwrap().send_keys("Oil pump").await.unwrap();
    me.fill("repair-done", "New pump, filled before it was fitted; pickup flange first, bracket last.").await;
    me.press("Save repair").await;
    me.sees("recorded").await;
    me.press("Next: recheck it hot").await;
    me.sees("not proven").await;
    me.driver.find(By::Id("reading-rpm")).await.unwrap().focus().await.unwrap();
    for (rpm, oil, pressure) in [("780", "98", "182"), ("2000", "100", "418"), ("3000", "101", "446")] {
        me.reading(rpm, oil, pressure).await;
        me.sees(&format!("{pressure} kPa")).await;
    }
    me.sees("Close the job").await;
    me.press("Close the job").await;
    me.sees("Oil pressure report").await;
    let report = me.text().await;
    for part in [
        "CART 12",
        "too low",
        "pump",
        "every point was read again, as it was read before, and is within its limit: it is proven",
        "Quayside sheet 12, rev C",
        "Before",
        "After",
        "66 kPa",
        "182 kPa",
        "licensed practice",
    ] {
        assert!(report.contains(part), "the report lacks “{part}”");
    }
    browser.quit().await;
}

#[tokio::test]
async fn a_capture_becomes_readings() {
    let (browser, me, base) = Person::at_the_shop().await;
    me.driver.goto(format!("{base}/jobs/8/run")).await.unwrap();
    let run = concat!(env!("CARGO_MANIFEST_DIR"), "/demo/run-fork5.csv");
    me.driver.find(By::Id("capture-file")).await.unwrap().send_keys(run).await.unwrap();
    me.driver.find(By::Css("#captures > summary")).await.unwrap().click().await.unwrap();
    me.press("Import").await;
    me.sees("Steady readings found").await;
    me.sees("The same recording is in job 9").await;
    me.press("Record steady reading").await;
    me.sees("taken").await;
    me.press("Back to the readings").await;
    me.sees("capture 7–31 s").await;
    browser.quit().await;
}

#[tokio::test]
async fn a_lost_connection_keeps_what_was_sent_and_sends_it_again() {
    let (browser, me, base) = Person::at_the_shop().await;
    me.reads_without_a_connection(&base, "131").await;
    me.sees("1 reading").await;
    me.driver.refresh().await.unwrap();
    me.sees("1 reading").await;
    assert_eq!(me.driver.find_all(By::Css("#work table tbody tr")).await.unwrap().len(), 1, "sent again, written once");
    // Half a reading outlives a reload.
    me.fill("reading-rpm", "2500").await;
    me.driver.refresh().await.unwrap();
    until("the draft is back", || async {
        let field = me.driver.find(By::Id("reading-rpm")).await;
        match field {
            Ok(field) => field.prop("value").await.ok().flatten().as_deref() == Some("2500"),
            Err(_) => false,
        }
    })
    .await;
    browser.quit().await;
}
