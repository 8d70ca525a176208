//! Every screen before axe-core, and whether anything moves while it comes: by day and by night, on its side and upright.
use crate::support::screen::{Person, until};
use thirtyfour::prelude::*;
use velvet_dial_core::stage::Stage;

/// What moved without a hand while a page came, as browsers count it (the share of the screen times the share of its height), and which things moved.
const MOVED: &str = "const done = arguments[arguments.length - 1]; let moved = 0; const things = [];
    new PerformanceObserver((all) => { for (const one of all.getEntries()) if (!one.hadRecentInput) {
        moved += one.value;
        for (const { node, previousRect, currentRect } of one.sources ?? [])
            things.push(`${node?.nodeName} ${node?.className ?? ''} from ${previousRect.top} to ${currentRect.top}`);
    } }).observe({ type: 'layout-shift', buffered: true });
    setTimeout(() => done([moved, things.join('; ')]), 60);";

#[tokio::test]
async fn no_screen_shuts_anybody_out_by_day_or_night_on_its_side_or_upright() {
    let (browser, me, base) = Person::at_the_shop().await;
    let driver = &browser.driver;
    me.begins().await;
    let stages = |job: u32| Stage::ALL.into_iter().map(move |stage| format!("/jobs/{job}/{}", stage.id()));
    let shop = [
        "/",
        "/?q=tug",
        "/jobs/new",
        "/library",
        "/library/file",
        "/gauges",
        "/rigs",
        "/practice",
        "/thread",
        "/calculators",
        "/calculators/gauge",
        "/jobs/1/report",
    ];
    let pages: Vec<String> =
        stages(9).chain(stages(5)).chain(shop.map(str::to_owned)).chain(["/jobs/9/compare?carried=all&relief=100".to_owned()]).collect();
    let mut found = Vec::new();
    for night in [false, true] {
        if night {
            driver.goto(format!("{base}/")).await.unwrap();
            me.menu("Night").await;
            until("night", || async { driver.find(By::Css("html[data-theme='night']")).await.is_ok() }).await;
        }
        // Colours do not hang on the width.
        let sizes = [(1280, 800), (820, 1180)];
        for (width, height) in sizes.into_iter().take(if night { 1 } else { 2 }) {
            let metrics = serde_json::json!({ "width": width, "height": height, "deviceScaleFactor": 1, "mobile": false });
            driver.cdp().send_raw("Emulation.setDeviceMetricsOverride", metrics).await.unwrap();
            for page in &pages {
                driver.goto(format!("{base}{page}")).await.unwrap();
                let (moved, things) = driver.execute_async(MOVED, vec![]).await.unwrap().convert::<(f64, String)>().unwrap();
                if moved > 0.02 {
                    found.push(format!("{page} at {width}: what stood there moved by {moved:.3}: {things}"));
                }
                found.extend(
                    browser
                        .axe()
                        .await
                        .into_iter()
                        .map(|rule| format!("{page} at {width}{}: {rule}", if night { " by night" } else { "" })),
                );
            }
        }
    }
    assert!(found.is_empty(), "{}", found.join("\n"));
    browser.quit().await;
}
