//! On a tablet: what was looked at stays readable without a connection, what is typed waits, and another person finds none of it.
use crate::support::House;
use crate::support::screen::{Person, until};
use std::time::Duration;
use thirtyfour::prelude::*;
use velvet_dial_testkit::Browser;

async fn script(driver: &WebDriver, text: &str) -> serde_json::Value {
    driver.execute_async(text, vec![]).await.unwrap().json().clone()
}

/// Paths of the pages that the browser keeps.
async fn kept(driver: &WebDriver) -> Vec<String> {
    let text = "const done = arguments[0]; caches.open('vd-pages').then((pages) => pages.keys()).then((all) => done(all.map((one) => new URL(one.url).pathname)))";
    serde_json::from_value(script(driver, text).await).unwrap()
}

#[tokio::test]
async fn what_was_looked_at_is_readable_without_a_connection() {
    let mut house = House::begin().await;
    let base = format!("http://{}", house.web);
    let browser = Browser::start().await;
    let me = Person { driver: browser.driver.clone() };
    me.sign_in(&base).await;
    me.driver.goto(format!("{base}/jobs/8/run")).await.unwrap();
    until("the page is kept", async || kept(&me.driver).await.contains(&"/jobs/8/run".to_owned())).await;
    // Gone, as behind a lift: the page is there with its time, and takes what is typed. Nothing is on its way any more when the server ends.
    tokio::time::sleep(Duration::from_secs(2)).await;
    house.kill().await;
    me.driver.goto(format!("{base}/jobs/8/run")).await.unwrap();
    me.sees("No connection. This is how it stood on").await;
    me.driver.find(By::Id("reading-rpm")).await.unwrap().focus().await.unwrap();
    me.reading("800", "91", "71").await;
    me.sees("What you sent is kept here").await;
    let before = velvet_dial_store::jobs::load(&house.db, &crate::support::ines(&house.db).await, 8).await.unwrap().entries.len();
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
    until("the reading arrives", async || {
        velvet_dial_store::jobs::load(&house.db, &crate::support::ines(&house.db).await, 8).await.unwrap().entries.len() > before
    })
    .await;
    until("the page is asked for anew", async || !me.text().await.contains("This is how it stood on")).await;
    // Signed out, nothing is left to read for the next.
    me.menu("Sign out").await;
    until("nothing is kept", async || kept(&me.driver).await.iter().all(|path| path == "/kept-for")).await;
    // It can be installed.
    let manifest: serde_json::Value =
        serde_json::from_slice(&reqwest::get(format!("{base}/assets/app.webmanifest")).await.unwrap().bytes().await.unwrap()).unwrap();
    for icon in manifest["icons"].as_array().unwrap() {
        assert!(reqwest::get(format!("{base}{}", icon["src"].as_str().unwrap())).await.unwrap().status().is_success(), "{icon}");
    }
}
