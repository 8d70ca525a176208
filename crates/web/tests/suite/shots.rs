//! The pictures of docs/screenshots, from the demo shop: `cargo xtask shots`.
#![expect(clippy::unwrap_used, reason = "a picture that cannot be taken stops the round")]
use std::path::Path;
use thirtyfour::prelude::*;
use velvet_dial_core::circuit::Fault;
use velvet_dial_rig::standin::{self, Plan};
use velvet_dial_store::{library, rigs};
use velvet_dial_testkit::Browser;

/// The demo's rig, linked as the command links it.
async fn standin(house: &crate::support::House) {
    let who = crate::support::ines(&house.db).await;
    let rig = rigs::rigs(&house.db, &who).await.unwrap().remove(0);
    let token = rigs::pair_again(&house.db, &who, rig.id).await.unwrap();
    let card = library::engines(&house.db, &who).await.unwrap().into_iter().find(|engine| engine.name.starts_with("Pebble")).unwrap().card;
    let fault = Some((Fault::ReliefWeak, 0.8));
    let plan = Plan {
        to: house.rigs.to_string(),
        name: rig.name,
        token,
        trusted: None,
        card,
        fault,
        rate_hz: 100.0,
        warms: 20.0,
        air_c: 18.0,
        odd: Vec::new(),
        module: true,
        seed: 1,
    };
    tokio::spawn(standin::run(plan));
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
#[ignore = "takes pictures for people; run by cargo xtask shots"]
async fn every_main_view() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/screenshots");
    let house = crate::support::House::begin().await;
    let base = format!("http://{}", house.web);
    standin(&house).await;
    let browser = Browser::start().await;
    let driver = &browser.driver;
    let press = async |xpath: &str| driver.find(By::XPath(xpath.to_owned())).await.unwrap().click().await.unwrap();
    let shot = async |name: &str, path: &str| {
        driver.goto(format!("{base}{path}")).await.unwrap();
        driver.screenshot(&folder.join(format!("{name}.png"))).await.unwrap();
    };
    // The window is wider than what it shows; the picture is to be 1280×800.
    let inner: i64 = driver.execute("return window.innerHeight", vec![]).await.unwrap().convert().unwrap();
    driver.set_window_rect(0, 0, 1280, (1600 - inner) as u32).await.unwrap();
    driver.goto(format!("{base}/sign-in")).await.unwrap();
    driver.find(By::Id("name")).await.unwrap().send_keys("ines").await.unwrap();
    driver.find(By::Id("password")).await.unwrap().send_keys("brass needle" + Key::Enter).await.unwrap();
    driver.query(By::XPath("//button[contains(., 'I have read')]")).first().await.unwrap().click().await.unwrap();
    driver.query(By::XPath("//h1[contains(., 'Skerry')]")).first().await.unwrap();
    for (name, path) in [
        ("board", "/"),
        ("intake", "/jobs/9/intake"),
        ("look", "/jobs/9/look"),
        ("rig", "/jobs/8/rig"),
        ("thread", "/thread?diameter=10.2&turns=27&housing=aluminium"),
        ("run", "/jobs/9/run"),
        ("compare-undecided", "/jobs/7/compare"),
        ("trace", "/jobs/9/trace"),
        ("open-up", "/jobs/9/open-up"),
        ("bearing-map", "/jobs/5/open-up#journal"),
        ("put-right", "/jobs/6/put-right"),
        ("prove", "/jobs/1/prove"),
        ("report", "/jobs/1/report"),
        ("library", "/library"),
        (
            "calculator",
            "/calculators/tilt?length_mm=400&width_mm=220&depth_mm=120&oil_l=4&slope_deg=10&joint_from_front_mm=90&joint_height_mm=60",
        ),
    ] {
        shot(name, path).await;
    }
    driver.goto(format!("{base}/jobs/9/run")).await.unwrap();
    press("//details[@id='captures']/summary").await;
    press("//a[contains(@href, '/captures/')]").await;
    driver.query(By::XPath("//h2[contains(., 'teady readings found')]")).first().await.unwrap();
    driver.screenshot(&folder.join("capture.png")).await.unwrap();
    driver.goto(format!("{base}/practice")).await.unwrap();
    press("//button[@name='begin'][@value='lesson-1']").await;
    driver.query(By::Css("#bench")).first().await.unwrap();
    let at = driver.current_url().await.unwrap().to_string();
    driver.goto(at.replace("/intake", "/run")).await.unwrap();
    press("//button[contains(., 'look at the gauge')]").await;
    driver.query(By::Css(".bench-dial")).first().await.unwrap();
    driver.screenshot(&folder.join("practice.png")).await.unwrap();
    // The rig warms up while the others are taken; then hot idle stands.
    driver.goto(format!("{base}/jobs/10/run")).await.unwrap();
    press("//button[contains(., 'Start')]").await;
    tokio::time::sleep(std::time::Duration::from_secs(32)).await;
    let show = "document.getElementById('live').scrollIntoView(); document.getElementById('live-throttle').value = 0;";
    driver.execute(show, vec![]).await.unwrap();
    driver.screenshot(&folder.join("live.png")).await.unwrap();
    driver.goto(format!("{base}/jobs/9/run")).await.unwrap();
    press("//details[@id='menu']/summary").await;
    press("//button[contains(., 'Night')]").await;
    driver.query(By::Css("[data-theme='night']")).first().await.unwrap();
    press("//button[@id='suspect-bearings_crank']").await;
    driver.screenshot(&folder.join("run-night.png")).await.unwrap();
    browser.quit().await;
}
