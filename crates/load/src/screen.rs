//! What a real browser makes of it: from a tap to what is to be seen.
use crate::Done;
use crate::person::PASSWORD;
use crate::server::Shared;
use std::time::{Duration, Instant};
use thirtyfour::prelude::*;
use tokio::time::sleep;
use velvet_dial_testkit::Browser;

/// Looks at a strip, and closer looks.
const LOOKS: usize = 12;
/// Taps of one at a browser: readings, and journals with their clearance.
const TAPS: usize = 200;
const JOURNALS: usize = 60;
/// Nothing takes so long.
const PATIENCE: Duration = Duration::from_secs(60);

/// A browser in which `person-0` is signed in.
pub async fn signed_in(base: &str) -> Done<Browser> {
    let browser = Browser::start().await;
    browser.driver.goto(format!("{base}/sign-in")).await?;
    browser.driver.find(By::Name("name")).await?.send_keys("person-0").await?;
    browser.driver.find(By::Name("password")).await?.send_keys(PASSWORD).await?;
    browser.driver.find(By::Css("main button")).await?.click().await?;
    until(async || Ok(!browser.driver.current_url().await?.path().starts_with("/sign-in"))).await?;
    Ok(browser)
}

/// Waits for something on the page.
pub async fn until(so: impl AsyncFn() -> Done<bool>) -> Done<()> {
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
pub async fn strip(base: &str, run: &str) -> Done<()> {
    const CLOSER: &str = "const done = arguments[arguments.length - 1]; const box = document.querySelector('[data-strip]'); const begun = performance.now();
        new MutationObserver((_, watch) => { watch.disconnect(); requestAnimationFrame(() => done(performance.now() - begun)); }).observe(box, { attributes: true, attributeFilter: ['data-zoomed'] });
        document.getElementById('strip-closer').click();";
    let browser = signed_in(base).await?;
    let shared = Shared::begin();
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
    println!("strip of an hour in the browser: first paint {}, a zoom {}; {}", told(&mut paints), told(&mut zooms), shared.told());
    Ok(())
}

/// Taps, boards and searches as somebody at the browser sees them: from the tap to the frame in which the new suspects stand, from the address to the page that is there. The taps are
/// shared among some jobs, each opened first: no job has two hundred readings.
pub async fn taps(base: &str, jobs: &[u64], words: &str) -> Done<()> {
    const TAP: &str = "const done = arguments[arguments.length - 1]; const form = document.querySelector('form[data-draft^=reading], form:has(#reading-rpm)');
        form.elements.rpm.value = '780'; form.elements.oil_temp_c.value = '98'; form.elements.pressure.value = arguments[0]; const begun = performance.now();
        const drawn = new MessageChannel(); const since = () => performance.now() - begun; let frame = 0;
        drawn.port1.onmessage = () => done([frame, since()]);
        document.addEventListener('htmx:after:swap', () => requestAnimationFrame(() => { frame = since(); drawn.port2.postMessage(0); }), { once: true });
        form.requestSubmit();";
    // What lies behind an opening is noted after the customer's yes.
    const YES: &str = "const said = new URLSearchParams({ key: crypto.randomUUID(), who: 'The owner', how: 'by phone', up_to: '' });
        const done = arguments[arguments.length - 1]; fetch(arguments[0], { method: 'POST', body: said }).then((answer) => done(answer.status));";
    const JOURNAL: &str = "const done = arguments[arguments.length - 1]; const form = document.querySelector('form[id^=journal-form-]');
        form.elements.clearance_mm.value = arguments[0]; const begun = performance.now(); const drawn = new MessageChannel();
        drawn.port1.onmessage = () => done(performance.now() - begun);
        document.addEventListener('htmx:after:swap', () => requestAnimationFrame(() => drawn.port2.postMessage(0)), { once: true });
        form.querySelector('button[name]').click();";
    const LOADED: &str = "const told = performance.getEntriesByType('navigation')[0]; return told.domContentLoadedEventEnd;";
    const WEIGHT: &str = "const all = [...performance.getEntriesByType('navigation'), ...performance.getEntriesByType('resource')]; return all.reduce((sum, one) => sum + one.transferSize, 0) / 1024;";
    let browser = signed_in(base).await?;
    let driver = &browser.driver;
    let shared = Shared::begin();
    let (first, later) = jobs.split_first().ok_or("no job")?;
    driver.goto(format!("{base}/jobs/{first}/run")).await?;
    let heavy: f64 = driver.execute(WEIGHT, vec![]).await?.convert()?;
    driver.goto(format!("{base}/jobs/{first}/trace")).await?;
    let light: f64 = driver.execute(WEIGHT, vec![]).await?.convert()?;
    let (mut took, mut drawn) = (Vec::new(), Vec::new());
    for job in later {
        driver.goto(format!("{base}/jobs/{job}/run")).await?;
        for tap in 0..TAPS / later.len().max(1) {
            let kpa = format!("{:.1}", 60.0 + tap as f64 * 0.1);
            let [frame, laid_out]: [f64; 2] = driver.execute_async(TAP, vec![kpa.into()]).await?.convert()?;
            took.push(frame);
            drawn.push(laid_out);
        }
    }
    let mut journals = Vec::new();
    for job in later {
        driver.goto(format!("{base}/jobs/{job}/open-up")).await?;
        driver.execute_async(YES, vec![format!("/jobs/{job}/agreed").into()]).await?;
        driver.goto(format!("{base}/jobs/{job}/open-up")).await?;
        for tap in 0..JOURNALS / later.len().max(1) {
            let mm = format!("{:.3}", 0.04 + 0.003 * tap as f64);
            journals.push(driver.execute_async(JOURNAL, vec![mm.into()]).await?.convert::<f64>()?);
        }
    }
    let mut pages = Vec::new();
    for path in ["/".to_owned(), format!("/?q={words}")] {
        let mut loads = Vec::new();
        for _ in 0..TAPS / 5 {
            driver.goto(format!("{base}{path}")).await?;
            loads.push(driver.execute(LOADED, vec![]).await?.convert::<f64>()?);
        }
        pages.push(told(&mut loads));
    }
    browser.quit().await;
    println!("in the browser, {} taps to the new suspects: {} (asked: p95 under 100)", took.len(), told(&mut took));
    println!("    and until that frame was laid out and painted: {}", told(&mut drawn));
    println!("in the browser, {} taps in the bearing map: {} (asked: p95 under 100)", journals.len(), told(&mut journals));
    println!(
        "in the browser, board: {} (asked: 150); search: {} (asked: 200)",
        pages.first().map_or("", |page| page),
        pages.last().map_or("", |page| page)
    );
    println!("over the wire, first page of a job {heavy:.0} kB (asked: 250), a later one {light:.0} kB (asked: 30)");
    println!("meanwhile {}", shared.told());
    Ok(())
}

/// The middle, p95 and the most of some milliseconds.
pub fn told(ms: &mut [f64]) -> String {
    ms.sort_by(f64::total_cmp);
    let at = |share: f64| ms.get((share * ms.len().saturating_sub(1) as f64).round() as usize).copied().unwrap_or(f64::NAN);
    format!("p50 {:6.1} ms, p95 {:6.1} ms, most {:6.1} ms", at(0.5), at(0.95), at(1.0))
}
