//! A headless Chromium under ChromeDriver.
use std::path::Path;
use std::time::{Duration, Instant};
use tempfile::TempDir;
use thirtyfour::prelude::*;
use velvet_dial_services::{child_supervisor::Leashed, free_port};

/// A browser with an empty profile; quit it with [`Browser::quit`], or drop it and its driver ends it.
pub struct Browser {
    /// The session.
    pub driver: WebDriver,
    _chromedriver: Leashed,
    _profile: TempDir,
}

impl Browser {
    /// Starts ChromeDriver and a Chromium of 1280×800.
    pub async fn start() -> Self {
        let port = free_port().unwrap();
        let profile = tempfile::Builder::new().prefix("vd-browser-").tempdir().unwrap();
        let log = profile.path().join("chromedriver.log");
        let chromedriver = Leashed::start(Path::new("/usr/bin/chromedriver"), &[format!("--port={port}")], &log, None).unwrap();
        let mut capabilities = DesiredCapabilities::chrome();
        capabilities.set_binary("/usr/bin/chromium").unwrap();
        for argument in [
            "--headless",
            "--no-sandbox",
            "--disable-gpu",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--hide-scrollbars",
            "--force-device-scale-factor=1",
            "--window-size=1280,800",
        ] {
            capabilities.add_arg(argument).unwrap();
        }
        capabilities.add_arg(&format!("--user-data-dir={}", profile.path().join("profile").display())).unwrap();
        let address = format!("http://127.0.0.1:{port}");
        let start = Instant::now();
        let driver = loop {
            match WebDriver::new(&address, capabilities.clone()).await {
                Ok(driver) => break driver,
                Err(error) => assert!(start.elapsed() < Duration::from_secs(60), "no browser: {error}"),
            }
        };
        Self { driver, _chromedriver: chromedriver, _profile: profile }
    }

    /// What axe-core finds wrong with the page that stands: a line a rule, with the first place.
    pub async fn axe(&self) -> Vec<String> {
        const AXE: &str = include_str!("../vendor/axe-4.14.1.min.js");
        const RUN: &str = "const done = arguments[arguments.length - 1];
            axe.run({ runOnly: ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa', 'best-practice'] }).then((found) =>
                done(found.violations.map((rule) => `${rule.id} x${rule.nodes.length}, first ${rule.nodes[0].target.join(' ')}`)));";
        self.driver.execute(AXE, vec![]).await.unwrap();
        let found = self.driver.execute_async(RUN, vec![]).await.unwrap();
        found.convert().unwrap()
    }

    /// Ends the browser in order.
    pub async fn quit(self) {
        self.driver.clone().quit().await.unwrap();
    }
}

impl Drop for Browser {
    /// Where a test fails: the session's own way out would wait two minutes for a connection that nobody serves any more. Its driver's end is the browser's.
    fn drop(&mut self) {
        _ = self.driver.clone().leak();
    }
}
