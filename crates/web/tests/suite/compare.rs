//! Compare and the library before a real browser: a revision that turns a verdict, an undecided reading settled by a better gauge, what if, a reading set apart, a library file, a calculator.
use crate::support::screen::{Person, until};
use thirtyfour::prelude::*;

async fn chosen(driver: &WebDriver, select: &str, value: &str) {
    driver.find(By::XPath(format!("//select[@name='{select}']/option[contains(., '{value}')]"))).await.unwrap().click().await.unwrap();
}

#[tokio::test]
async fn a_better_gauge_settles_it_a_revision_turns_it_and_a_reading_is_set_apart() {
    let (browser, me, base) = Person::at_the_shop().await;
    let driver = &browser.driver;
    me.begins().await;
    let at = async |path: &str| driver.goto(format!("{base}{path}")).await.unwrap();

    // Undecided on a wide gauge; read once more on a fine one it is decided.
    at("/jobs/7/compare").await;
    me.sees("That is too near the limit to decide").await;
    me.sees("What would decide it").await;
    assert_eq!(browser.axe().await, Vec::<String>::new());
    at("/jobs/7/run").await;
    me.fill("reading-rpm", "780").await;
    me.fill("reading-oil_temp_c", "98").await;
    me.fill("reading-pressure", "128").await;
    chosen(driver, "gauge", "Small brass").await;
    me.press("Save reading").await;
    me.sees("Saved: 128 kPa").await;
    at("/jobs/7/compare").await;
    until("decided", || async { !me.text().await.contains("That is too near the limit to decide") }).await;
    me.sees("Every point of the sheet is within its limits").await;

    // Set apart it counts no more, stays readable, and counts again by a tap.
    driver.find(By::XPath("//summary[contains(., 'All readings are used')]")).await.unwrap().click().await.unwrap();
    let why = driver.find(By::XPath("//form[contains(., '128 kPa')]//input[@name='why']")).await.unwrap();
    why.scroll_into_view().await.unwrap();
    why.send_keys("read in the wrong gear" + Key::Enter).await.unwrap();
    me.sees("That is too near the limit to decide").await;
    me.sees("read in the wrong gear").await;
    me.press("Use it again").await;
    me.sees("Every point of the sheet is within its limits").await;

    // What if: in the address, told in words, drawn, and nothing of it written.
    at("/jobs/9/compare?carried=hot_day&relief=1,2%20bar&fault=mended").await;
    me.sees("With the leading fault mended, the relief opening 120 kPa later").await;
    me.sees("Filter and cooler then get").await;
    me.sees("At 780 rpm and 112 °C it would show").await;
    assert!(driver.find(By::Css(".map polyline.what-if")).await.is_ok() && driver.find(By::Css(".map .carried")).await.is_ok());
    me.sees("2 readings").await;
    at("/jobs/9/compare?relief=lots").await;
    assert_eq!(
        driver.find(By::Id("if-relief")).await.unwrap().prop("value").await.unwrap().as_deref(),
        Some("lots"),
        "what was typed stays"
    );

    // A revision tells whose verdict it turns before it is taken in; then it does.
    at("/library").await;
    driver
        .find(By::XPath("//article[contains(., 'Quayside 2.0 diesel')]//a[contains(., 'New revision')]"))
        .await
        .unwrap()
        .click()
        .await
        .unwrap();
    me.fill("sheet-source", "Quayside sheet 12, rev D").await;
    me.fill("sheet-in_force_from", "2026-01-01").await;
    me.fill("sheet-min1", "15").await;
    me.press("Save sheet").await;
    me.sees("It changes the verdict of open jobs").await;
    me.sees("FORK 5: below would be").await;
    // What was typed stands there, and nothing is entered yet.
    assert_eq!(driver.find(By::Id("sheet-min1")).await.unwrap().prop("value").await.unwrap().as_deref(), Some("15"));
    assert!(!me.text().await.contains("rev D, from"));
    me.press("Save it all the same").await;
    me.sees("Quayside sheet 12, rev D").await;
    at("/jobs/9/compare").await;
    me.sees("The points that were read are within").await;
    me.sees("Another revision, for comparison only. Quayside sheet 12, rev C").await;
    browser.quit().await;
}

#[tokio::test]
async fn a_library_file_is_tried_before_it_is_taken_and_a_calculator_carries_its_figures_into_a_job() {
    let (browser, me, base) = Person::at_the_shop().await;
    let driver = &browser.driver;
    me.begins().await;
    let at = async |path: &str| driver.goto(format!("{base}{path}")).await.unwrap();

    let file = tempfile::Builder::new().suffix(".csv").tempfile().unwrap();
    let head = "engine,displacement_l,cylinders,idle_rpm,oil_grade,source,in_force_from,rpm,oil_temp_c,min_kpa,max_kpa";
    let rows = "Heron 1.9,1.9,4,800,5W-30,Heron 3,2024-01-01,800,100,90,\nHeron 1.9,,,,,Heron 3,2024-01-01,2500,100,250,550\nHeron 1.9,,,,,Heron 3,soon,3000,100,250,\n,1,4,800,5W-30,,,800,100,90,";
    std::fs::write(file.path(), format!("{head}\n{rows}\n")).unwrap();
    let tried = async || {
        at("/library/file").await;
        driver.find(By::Name("file")).await.unwrap().send_keys(file.path().to_str().unwrap()).await.unwrap();
        me.press("Check the file").await;
    };
    tried().await;
    me.sees("Engine Heron 1.9, sheet with 1 revision").await;
    me.sees("Rows with mistakes: 2").await;
    me.sees("Every row names its engine").await;
    assert_eq!(browser.axe().await, Vec::<String>::new());
    at("/library").await;
    assert!(!me.text().await.contains("Heron 1.9"), "a dry run writes nothing");
    tried().await;
    me.press("Import the good rows").await;
    me.sees("Heron 1.9").await;
    // A sheet in bar where kPa are meant is asked about, and waits for the tick.
    std::fs::write(file.path(), format!("{head}\nHeron 2.2,2.2,4,800,5W-30,Heron 4,2024-01-01,800,100,0.9,\n")).unwrap();
    tried().await;
    me.sees("Check these limits first").await;
    assert_eq!(browser.axe().await, Vec::<String>::new());
    me.press("Import all").await;
    me.sees("Nothing was imported: some limits look wrong").await;
    driver.find(By::Name("sure")).await.unwrap().click().await.unwrap();
    me.press("Import all").await;
    me.sees("Heron 2.2").await;

    // From a new job to a new engine and back: what was typed waits, and the engine stands chosen.
    at("/jobs/new").await;
    me.fill("opening-tag", "HERON 1").await;
    me.fill("opening-complaint", "Lamp at idle").await;
    me.press("Add it").await;
    for (id, typed) in
        [("engine-name", "Heron 2.4"), ("engine-displacement_l", "2.4"), ("engine-cylinders", "4"), ("engine-idle_rpm", "780")]
    {
        me.fill(id, typed).await;
    }
    me.press("Add this engine").await;
    me.sees("New job").await;
    until("what was typed", || async {
        driver.find(By::Id("opening-tag")).await.unwrap().prop("value").await.unwrap().as_deref() == Some("HERON 1")
    })
    .await;
    me.press("Open the job").await;
    me.sees("Heron 2.4").await;

    // Found by words and by the beginning of a plate; sieved by where it is.
    at("/?q=heron").await;
    me.sees("Found for “heron”").await;
    me.sees("HERON 1").await;
    at("/?q=quux").await;
    me.sees("Nothing found for “quux”").await;
    at("/?flag=do_not_run").await;
    assert!(!me.text().await.contains("HERON 1"), "it may run");

    // A calculator answers as one types, carries its figures in its address, and is kept in the job.
    at("/calculators/fill?job=9").await;
    me.fill("q-capacity_l", "4,5").await;
    me.fill("q-filter_l", "0.4").await;
    me.fill("q-left_in_l", "0.3").await;
    me.sees("3.35 l").await;
    assert!(driver.current_url().await.unwrap().query().unwrap_or_default().contains("capacity_l=4%2C5"));
    assert_eq!(browser.axe().await, Vec::<String>::new());
    me.press("Keep it in job 9").await;
    me.sees("Trace the cause").await;
    assert!(driver.source().await.unwrap().contains("first 3.35 l"), "it stands in the ledger");
    for page in [
        "/calculators",
        "/calculators/relief?rate_n_mm=6&free_mm=62&fitted_mm=50&plunger_mm=14",
        "/calculators/tilt?length_mm=400&width_mm=220&depth_mm=120&oil_l=4&slope_deg=10&joint_from_front_mm=90&joint_height_mm=60",
        "/calculators/strip?wire_mm=0.4&width_mm=1.8",
    ] {
        at(page).await;
        assert_eq!(browser.axe().await, Vec::<String>::new(), "{page}");
        assert!(page == "/calculators" || driver.find(By::Css(".worked-picture")).await.is_ok(), "{page}");
    }
    browser.quit().await;
}
