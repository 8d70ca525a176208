//! By keys alone and by the browser's own buttons: stations, sheet of keys, suspects, units, night, the way back, a second tab.
use crate::support::screen::{Person, until};
use thirtyfour::prelude::*;
use velvet_dial_core::calculator::ALL;
use velvet_dial_core::stage::Stage;

async fn heading(me: &Person) -> String {
    match me.driver.find(By::Css("main h1")).await {
        Ok(found) => found.text().await.unwrap_or_default(),
        Err(_) => String::new(),
    }
}

async fn at(me: &Person, path: &str) {
    until(path, || async { me.driver.current_url().await.is_ok_and(|url| url.path() == path) }).await;
}

#[tokio::test]
async fn every_station_is_reached_by_its_digit_and_the_way_back_shows_the_job_as_it_is() {
    let (browser, me, base) = Person::at_the_shop().await;
    me.driver.goto(format!("{base}/jobs/8/intake")).await.unwrap();
    let mut headings = Vec::new();
    for (place, stage) in Stage::ALL.iter().enumerate() {
        me.keys((place + 1).to_string()).await;
        at(&me, &format!("/jobs/8/{}", stage.id())).await;
        let here = me.driver.find_all(By::Css("nav [aria-current='step']")).await.unwrap();
        assert_eq!(here.len(), 1, "one station is where one is");
        headings.push(heading(&me).await);
    }
    let mut told = headings.clone();
    told.dedup();
    assert_eq!(told, headings, "each station has a heading of its own");

    // The sheet of keys opens and closes by keys, and a letter typed in a field is a letter.
    me.keys("?").await;
    until("the sheet of keys", || async { me.driver.find(By::Css("dialog#shortcuts[open]")).await.is_ok() }).await;
    me.keys(Key::Escape + "").await;
    until("no sheet of keys", || async { me.driver.find(By::Css("dialog#shortcuts[open]")).await.is_err() }).await;
    me.driver.goto(format!("{base}/jobs/8/run")).await.unwrap();
    me.driver.find(By::Id("reading-rpm")).await.unwrap().focus().await.unwrap();
    me.keys("1?").await;
    assert_eq!(me.driver.find(By::Id("reading-rpm")).await.unwrap().prop("value").await.unwrap().as_deref(), Some("1?"));
    assert!(me.driver.find(By::Css("dialog#shortcuts[open]")).await.is_err());

    // What is written is there when one comes back, by the browser's own button and in another tab.
    me.driver.goto(format!("{base}/jobs/8/look")).await.unwrap();
    let first = me.driver.window().await.unwrap();
    let second = me.driver.new_tab().await.unwrap();
    me.driver.switch_to_window(second).await.unwrap();
    me.driver.goto(format!("{base}/jobs/8/trace?instead=needle")).await.unwrap();
    me.driver.switch_to_window(first.clone()).await.unwrap();
    me.press("Seeps").await;
    me.sees("2 of 6 looked at").await;
    me.driver.goto(format!("{base}/jobs/8/compare")).await.unwrap();
    me.driver.back().await.unwrap();
    me.sees("2 of 6 looked at").await;
    let tabs = me.driver.windows().await.unwrap();
    me.driver.switch_to_window(tabs.iter().find(|tab| **tab != first).unwrap().clone()).await.unwrap();
    me.press("Steady").await;
    me.sees("2 of 6 looked at").await;
    browser.quit().await;
}

#[tokio::test]
async fn a_switch_of_unit_or_light_goes_with_the_person_and_changes_what_is_shown_alone() {
    let (browser, me, base) = Person::at_the_shop().await;
    me.driver.goto(format!("{base}/jobs/8/run")).await.unwrap();
    me.driver.find(By::Id("reading-rpm")).await.unwrap().focus().await.unwrap();
    me.reading("780", "98", "60").await;
    me.sees("1 reading").await;
    for (unit, shown) in [("bar", "0.60"), ("psi", "8.7"), ("kPa", "60")] {
        me.press(unit).await;
        until(unit, || async {
            me.text().await.contains(shown)
                && me.driver.find(By::XPath(format!("//button[@aria-pressed='true'][normalize-space(.)='{unit}']"))).await.is_ok()
        })
        .await;
        let hint = me.driver.find(By::Css("label[for='reading-pressure']")).await.unwrap().text().await.unwrap();
        assert!(hint.contains(unit), "the empty field asks in {unit} too: {hint}");
    }
    me.menu("Night").await;
    until("night", || async { me.driver.find(By::Css("html[data-theme='night']")).await.is_ok() }).await;
    me.driver.goto(format!("{base}/")).await.unwrap();
    assert!(me.driver.find(By::Css("html[data-theme='night']")).await.is_ok(), "it goes along");

    // A suspect is brought forward by a tap, one at a time, and says so to who cannot see it.
    me.driver.goto(format!("{base}/jobs/8/compare")).await.unwrap();
    let pressed = async || me.driver.find_all(By::Css("aside [aria-pressed='true']")).await.unwrap().len();
    let suspects = me.driver.find_all(By::Css("aside [id^='suspect-']")).await.unwrap();
    assert!(suspects.len() > 1 && pressed().await == 0);
    for suspect in suspects.iter().take(2) {
        suspect.click().await.unwrap();
        until("brought forward", || async {
            pressed().await == 1 && suspect.attr("aria-pressed").await.unwrap().as_deref() == Some("true")
        })
        .await;
    }
    suspects[1].click().await.unwrap();
    until("none in front", || async { pressed().await == 0 }).await;
    browser.quit().await;
}

/// On a tablet upright and on a phone nothing runs over the edge, the pipe stands where one is, and leader and next check are a tap away at the bottom.
#[tokio::test]
async fn on_a_narrow_screen_everything_is_within_a_thumbs_reach() {
    let (browser, me, base) = Person::at_the_shop().await;
    me.begins().await;
    let number = async |script: &str| me.driver.execute(script, vec![]).await.unwrap().json().as_f64().unwrap_or(f64::NAN);
    for (width, height) in [(820, 1180), (400, 800)] {
        let metrics = serde_json::json!({ "width": width, "height": height, "deviceScaleFactor": 1, "mobile": false });
        me.driver.cdp().send_raw("Emulation.setDeviceMetricsOverride", metrics).await.unwrap();
        let fits = async |path: &str| {
            me.driver.goto(format!("{base}{path}")).await.unwrap();
            let over = number("return document.documentElement.scrollWidth - window.innerWidth").await;
            assert!(over <= 0.0, "{path} runs {over} px over {width}");
        };
        for page in ["", "library", "gauges", "rigs", "calculators", "learnt", "thread", "jobs/new", "jobs/9/report"] {
            fits(&format!("/{page}")).await;
        }
        for calculator in ALL {
            fits(&format!("/calculators/{}", calculator.name)).await;
        }
        for stage in Stage::ALL {
            fits(&format!("/jobs/9/{}", stage.id())).await;
            let off = "const here = document.querySelector('.station-here').getBoundingClientRect(); return Math.max(-here.left, here.right - window.innerWidth)";
            assert!(number(off).await <= 1.0, "{} at {width}: the pipe stands elsewhere", stage.id());
            let bar = "const bar = document.querySelector('.peek').getBoundingClientRect(); return window.innerHeight - bar.bottom";
            assert!(number(bar).await.abs() < 4.0, "{} at {width}: nothing is pinned at the bottom", stage.id());
        }
        let suspects = async || me.driver.find(By::Css("aside [id^='suspect-']")).await.unwrap().is_displayed().await.unwrap();
        assert!(!suspects().await);
        me.driver.find(By::Css(".peek")).await.unwrap().click().await.unwrap();
        until("the suspects", || async { suspects().await }).await;
        assert_eq!(me.driver.find(By::Css(".peek")).await.unwrap().attr("aria-expanded").await.unwrap().as_deref(), Some("true"));
        me.driver.find(By::Css(".peek")).await.unwrap().click().await.unwrap();
        until("no suspects", || async { !suspects().await }).await;
    }
    browser.quit().await;
}
