//! Somebody before a screen.
use std::time::{Duration, Instant};
use thirtyfour::prelude::*;
use velvet_dial_testkit::Browser;

/// Waits until something is so, however slow the machine is, to a limit.
pub async fn until<F: Future<Output = bool>>(what: &str, so: impl Fn() -> F) {
    let start = Instant::now();
    while !so().await {
        assert!(start.elapsed() < Duration::from_secs(40), "never: {what}");
        tokio::time::sleep(Duration::from_millis(40)).await;
    }
}

/// A person before the screen.
pub struct Person {
    pub driver: WebDriver,
}

impl Person {
    pub async fn sees(&self, text: &str) {
        until(text, || async { self.text().await.contains(text) }).await;
    }

    pub async fn text(&self) -> String {
        match self.driver.find(By::Tag("body")).await {
            Ok(body) => body.text().await.unwrap_or_default(),
            Err(_) => String::new(),
        }
    }

    /// Presses what carries this text.
    pub async fn press(&self, text: &str) {
        let path = format!("//*[self::button or self::a][contains(normalize-space(.), '{text}')]");
        let start = Instant::now();
        loop {
            if let Ok(found) = self.driver.find(By::XPath(path.clone())).await
                && found.scroll_into_view().await.is_ok()
                && found.click().await.is_ok()
            {
                return;
            }
            assert!(start.elapsed() < Duration::from_secs(40), "nothing to press: {text}");
        }
    }

    /// Presses a button of the menu.
    pub async fn menu(&self, text: &str) {
        if self.driver.find(By::Css("#menu[open]")).await.is_err() {
            self.driver.find(By::Css("#menu > summary")).await.unwrap().click().await.unwrap();
        }
        self.press(text).await;
    }

    /// Has read what stands before the first job, and is back where they were.
    pub async fn begins(&self) {
        self.press("I have read this").await;
        until("the first notice is gone", || async { !self.text().await.contains("I have read this") }).await;
    }

    pub async fn fill(&self, id: &str, text: &str) {
        let field = self.driver.find(By::Id(id)).await.unwrap();
        field.clear().await.unwrap();
        field.send_keys(text).await.unwrap();
    }

    /// Keys to wherever the cursor is.
    pub async fn keys(&self, keys: impl Into<TypingData>) {
        self.driver.active_element().await.unwrap().send_keys(keys).await.unwrap();
    }

    /// Fills in the sign-in that stands before them.
    pub async fn enter_as(&self, name: &str) {
        self.fill("name", name).await;
        self.fill("password", "brass needle").await;
        self.press("Sign in").await;
    }

    /// Loses the connection, or finds it again.
    pub async fn offline(&self, offline: bool) {
        let how = serde_json::json!({ "offline": offline, "latency": 0, "downloadThroughput": -1, "uploadThroughput": -1 });
        self.driver.cdp().send_raw("Network.enable", serde_json::json!({})).await.unwrap();
        self.driver.cdp().send_raw("Network.emulateNetworkConditions", how).await.unwrap();
    }

    /// Types a reading of this pressure into job 8 while the connection is away, and finds the connection again.
    pub async fn reads_without_a_connection(&self, base: &str, kpa: &str) {
        self.driver.goto(format!("{base}/jobs/8/run")).await.unwrap();
        self.offline(true).await;
        self.driver.find(By::Id("reading-rpm")).await.unwrap().focus().await.unwrap();
        self.reading("800", "91", kpa).await;
        self.sees("No connection. What you sent is kept here").await;
        self.offline(false).await;
    }

    /// Somebody at a browser of their own on the demo shop, signed in, with its address.
    pub async fn at_the_shop() -> (Browser, Self, String) {
        let base = super::start().await;
        let browser = Browser::start().await;
        let me = Self { driver: browser.driver.clone() };
        me.sign_in(&base).await;
        (browser, me, base)
    }

    pub async fn sign_in(&self, base: &str) {
        self.driver.goto(format!("{base}/sign-in")).await.unwrap();
        self.enter_as("ines").await;
        self.sees("Skerry Lane Workshop").await;
    }

    /// A reading by keyboard alone, from the first field, which has the cursor.
    pub async fn reading(&self, rpm: &str, oil: &str, pressure: &str) {
        until("the first field has the cursor, empty", || async {
            let Ok(field) = self.driver.active_element().await else { return false };
            field.id().await.ok().flatten().as_deref() == Some("reading-rpm")
                && field.prop("value").await.ok().flatten().as_deref() == Some("")
        })
        .await;
        self.keys(rpm.to_owned() + Key::Tab).await;
        self.keys(oil.to_owned() + Key::Tab).await;
        self.keys(pressure.to_owned() + Key::Enter).await;
    }

    pub async fn leader(&self) -> String {
        self.driver.find(By::Css("aside [id^='suspect-']")).await.unwrap().id().await.unwrap().unwrap()
    }
}
