//! On a tablet: what was looked at stays readable without a connection, what is typed waits, and another person finds none of it.
use crate::support::House;
use crate::support::screen::{Person, until};
use std::time::Duration;
use thirtyfour::prelude::*;
use velvet_dial_core::case::Case;
use velvet_dial_testkit::Browser;

/// Paths of the pages that the browser keeps; none where it was just leaving the page that was asked.
async fn kept(driver: &WebDriver) -> Option<Vec<String>> {
    let text = "const done = arguments[0]; caches.open('vd-pages').then((pages) => pages.keys()).then((all) => done(all.map((one) => new URL(one.url).pathname)))";
    serde_json::from_value(driver.execute_async(text, vec![]).await.ok()?.json().clone()).ok()
}

#[tokio::test]
async fn what_was_looked_at_is_readable_without_a_connection() {
    let mut house = House::begin().await;
    let base = format!("http://{}", house.web);
    let browser = Browser::start().await;
    let me = Person { driver: browser.driver.clone() };
    me.driver.set_script_timeout(Duration::from_secs(3)).await.unwrap();
    me.sign_in(&base).await;
    me.driver.goto(format!("{base}/jobs/8/run")).await.unwrap();
    until("the page is kept", async || kept(&me.driver).await.is_some_and(|pages| pages.contains(&"/jobs/8/run".to_owned()))).await;
    let ines = crate::support::person::Person::at(&base).entering_as("ines", "brass needle").await;
    // A server that has only just begun may fail once or twice: its connections to the database are those of before.
    let readings = async || {
        let answer = ines.get("/jobs/8/case.json").await;
        if answer.status().is_success() { answer.json::<Case>().await.unwrap().readings.len() } else { 0 }
    };
    let before = readings().await;
    // Gone, as behind a lift: the page is there with its time, and takes what is typed. Nothing is on its way any more when the server ends.
    tokio::time::sleep(Duration::from_secs(2)).await;
    house.kill().await;
    me.driver.goto(format!("{base}/jobs/8/run")).await.unwrap();
    me.sees("No connection. This is how it stood on").await;
    me.driver.find(By::Id("reading-rpm")).await.unwrap().focus().await.unwrap();
    me.reading("800", "91", "71").await;
    me.sees("What you sent is kept here").await;
    // A page that nobody looked at says so.
    me.driver.goto(format!("{base}/jobs/7/trace")).await.unwrap();
    me.sees("was not looked at on this device lately").await;
    // A tablet may end the application meanwhile: what waits is on the device and not in the page.
    let before_it = me.driver.window().await.unwrap();
    let again = me.driver.new_tab().await.unwrap();
    me.driver.switch_to_window(before_it).await.unwrap();
    me.driver.close_window().await.unwrap();
    me.driver.switch_to_window(again).await.unwrap();
    me.driver.goto(format!("{base}/jobs/8/run")).await.unwrap();
    me.sees("No connection. This is how it stood on").await;
    me.sees("What you sent is kept here").await;
    house.start();
    // It is sent, and the page is as it is now, by itself.
    until("the reading arrives", async || readings().await > before).await;
    until("the page is asked for anew", async || !me.text().await.contains("This is how it stood on")).await;
    // Signed out, nothing is left to read for the next.
    me.menu("Sign out").await;
    until("nothing is kept", async || kept(&me.driver).await.is_some_and(|pages| pages.iter().all(|path| path == "/kept-for"))).await;
    // It can be installed.
    let manifest: serde_json::Value =
        serde_json::from_slice(&reqwest::get(format!("{base}/assets/app.webmanifest")).await.unwrap().bytes().await.unwrap()).unwrap();
    for icon in manifest["icons"].as_array().unwrap() {
        assert!(reqwest::get(format!("{base}{}", icon["src"].as_str().unwrap())).await.unwrap().status().is_success(), "{icon}");
    }
}
