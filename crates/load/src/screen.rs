//! What a real browser makes of it: from a tap to what is to be seen.
use crate::Told;
use crate::person::PASSWORD;
use std::time::{Duration, Instant};
use thirtyfour::prelude::*;
use tokio::time::sleep;
use velvet_dial_testkit::Browser;

/// Looks at a strip, and closer looks.
const LOOKS: usize = 12;
/// Nothing takes so long.
const PATIENCE: Duration = Duration::from_secs(60);

/// A browser in which `person-0` is signed in.
pub async fn signed_in(base: &str) -> Told<Browser> {
    let browser = Browser::start().await;
    browser.driver.goto(format!("{base}/sign-in")).await?;
    browser.driver.find(By::Name("name")).await?.send_keys("person-0").await?;
    browser.driver.find(By::Name("password")).await?.send_keys(PASSWORD).await?;
    browser.driver.find(By::Css("main button")).await?.click().await?;
    until(async || Ok(!browser.driver.current_url().await?.path().starts_with("/sign-in"))).await?;
    Ok(browser)
}

/// Waits for something on the page.
pub async fn until(so: impl AsyncFn() -> Told<bool>) -> Told<()> {
    let start = Instant::now();
    while !so().await? {
        if start.elapsed() > PATIENCE {
            return Err("the page does not come to it".into());
        }
        sleep(Duration::from_millis(10)).await;
    }
    Ok(())
}

/// The strip of a run: from the beginning of its page's loading to its first paint, and from the tap on *Closer* to the finer steps.
pub async fn strip(base: &str, run: &str) -> Told<()> {
    const CLOSER: &str = "const done = arguments[arguments.length - 1]; const box = document.querySelector('[data-strip]'); const begun = performance.now();
        new MutationObserver((_, watch) => { watch.disconnect(); requestAnimationFrame(() => done(performance.now() - begun)); }).observe(box, { attributes: true, attributeFilter: ['data-zoomed'] });
        document.getElementById('strip-closer').click();";
    let browser = signed_in(base).await?;
    let (mut paints, mut zooms) = (Vec::new(), Vec::new());
    for _ in 0..LOOKS {
        browser.driver.goto(format!("{base}{run}")).await?;
        let drawn = async || Ok(browser.driver.find(By::Css("[data-strip]")).await?.attr("data-drawn").await?);
        until(async || drawn().await.map(|at: Option<String>| at.is_some())).await?;
        paints.push(drawn().await?.and_then(|at| at.parse::<f64>().ok()).ok_or("no time")?);
        for _ in 0..4 {
            zooms.push(browser.driver.execute_async(CLOSER, vec![]).await?.convert::<f64>()?);
        }
    }
    browser.quit().await;
    println!("strip of an hour in the browser: first paint {}, a zoom {}", told(&mut paints), told(&mut zooms));
    Ok(())
}

/// The middle, p95 and the most of some milliseconds.
pub fn told(ms: &mut [f64]) -> String {
    ms.sort_by(f64::total_cmp);
    let at = |share: f64| ms.get((share * ms.len().saturating_sub(1) as f64).round() as usize).copied().unwrap_or(f64::NAN);
    format!("p50 {:.0} ms, p95 {:.0} ms, most {:.0} ms", at(0.5), at(0.95), at(1.0))
}
