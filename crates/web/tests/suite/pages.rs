//! Every page of the demo shop, and what the browser does when a connection, a session or a form fails on the way.
use crate::support::person;
use crate::support::screen::{Person, until};
use std::io::Read;
use thirtyfour::prelude::*;
use velvet_dial_core::stage::Stage;
use velvet_dial_store::accounts::{self, Credentials};
use velvet_dial_testkit::Browser;

/// Jobs of the demo shop.
const JOBS: std::ops::RangeInclusive<u32> = 1..=9;

/// Every page of a job.
fn of_job(number: u32) -> impl Iterator<Item = String> {
    let pages = Stage::ALL.into_iter().map(Stage::id).chain(["report"]);
    pages.map(move |page| format!("/jobs/{number}/{page}"))
}

#[tokio::test]
async fn every_page_answers_with_one_title_and_no_empty_place() {
    let me = person::Person::signed_in().await;
    let paths = JOBS.flat_map(of_job).chain(["/".to_owned(), "/library".to_owned(), "/jobs/new".to_owned()]);
    for path in paths {
        let page = me.page(&path).await;
        assert_eq!(page.matches("<h1").count(), 1, "{path}");
        assert!(page.contains("<title>") && page.contains("lang=\"en\"") && page.contains("<main"), "{path}");
        for hole in ["{{", "{%", "NaN", "Some(", "inf kPa"] {
            assert!(!page.contains(hole), "{path} shows {hole}");
        }
    }
    for number in JOBS {
        let record: serde_json::Value = serde_json::from_str(&me.page(&format!("/jobs/{number}/report.json")).await).unwrap();
        assert_eq!(record["format"], "velvet-dial.report/3");
        let held = velvet_dial_core::signing::verify(me.page(&format!("/jobs/{number}/report.json")).await.as_bytes());
        assert!(held.as_ref().is_ok_and(|held| held.figures && held.unchained == 0), "{number}: {held:?}");
        assert_eq!(record["readings"].as_array().unwrap().len(), record["case"]["readings"].as_array().unwrap().len());
    }
}

/// Over a slow line a page is its packed bytes: at most so many of each.
#[tokio::test]
async fn no_page_grows_unseen() {
    let me = person::Person::signed_in().await;
    let most = |path: &str| match path.rsplit('/').next() {
        Some("run") => 9_200,
        // The bands of the map, and everything that is known of every suspect; a later page is to stay under 30 kB.
        Some("compare") => 10_500,
        // With what each result of the proposal would change.
        Some("trace") => 10_900,
        // Each step with its reason, a drawing of each result, and the price of every cause that may be behind it.
        Some("open-up") => 13_500,
        // With the readings it asks what the job was, among all causes.
        Some("prove") => 9_800,
        // Every reading, picture, entry and hash.
        Some("report") => 10_000,
        // The steps of a crank's repair are the longest.
        Some("put-right") => 9_500,
        Some("library") => 8_000,
        // With the notes of the job at the foot of each.
        _ => 8_500,
    };
    let mut over = Vec::new();
    for path in JOBS.flat_map(of_job).chain(["/".to_owned(), "/library".to_owned(), "/jobs/new".to_owned()]) {
        let request = me.ask(me.client.get(format!("{}{path}", me.base))).header("accept-encoding", "gzip");
        let answer = request.send().await.unwrap();
        assert_eq!(answer.headers().get("vary").unwrap(), "accept-encoding", "{path}");
        let packed = answer.headers().get("content-encoding").is_some_and(|how| how == "gzip");
        let bytes = answer.bytes().await.unwrap();
        let mut page = String::new();
        flate2::read::GzDecoder::new(&*bytes).read_to_string(&mut page).unwrap();
        assert!(packed && page.trim_end().ends_with("</html>"), "{path} is a whole page when it is unpacked");
        if bytes.len() > most(&path) {
            over.push(format!("{path}: {} of {}", bytes.len(), most(&path)));
        }
    }
    assert!(over.is_empty(), "{}", over.join("\n"));
    let plain = me.ask(me.client.get(format!("{}/jobs/9/trace", me.base))).send().await.unwrap();
    assert!(plain.headers().get("content-encoding").is_none(), "who does not ask for it gets it plain");
}

/// What each job of the demo shop says at a glance: whoever changes it sees the change here.
#[tokio::test]
async fn the_demo_shop_at_a_glance() {
    let me = person::Person::signed_in().await;
    let mut told = Vec::new();
    for number in JOBS {
        let page = me.page(&format!("/jobs/{number}/compare")).await;
        let after = |mark: &str, end: &str| {
            let rest = page.split(mark).nth(1).unwrap_or_else(|| panic!("job {number} has no {mark}"));
            rest.split(end).next().unwrap().rsplit('>').next().unwrap().trim().to_owned()
        };
        told.push(format!(
            "{number} {} · {} · {}",
            after("<b class=\"wide text-lg mr-2\">", "</b>"),
            after("id=\"flag\"", "</span>"),
            after("id=\"suspect-", "\"")
        ));
    }
    insta::assert_snapshot!(told.join("\n"), @"
    1 VET 2 · May run · filter_wrong
    2 LIB 1 · May run · sender
    3 SWEEP 1 · May run · oil_thin
    4 SWEEP 1 · Do not run · oil_diluted
    5 TUG 2 · Do not run · bearings_crank
    6 MOWER 4 · May run · relief_heavy
    7 BUS 2 · May run · sender
    8 NURSE 3 · May run · oil_diluted
    9 FORK 5 · May run · pump_worn
    ");
}

/// The words of a page without its marks.
fn words(page: &str) -> String {
    let text = page.split('<').filter_map(|part| part.split_once('>')).map(|(_, text)| text).collect::<Vec<_>>().join(" ");
    text.replace("&gt;", ">")
        .replace("&lt;", "<")
        .replace("&#62;", ">")
        .replace("&#60;", "<")
        .split_whitespace()
        .collect::<Vec<_>>()
        .join(" ")
}

/// The probability that stands behind a name: at once, in brackets, after a comma, or after what moved it.
fn figure_after(text: &str) -> Option<String> {
    let mut words = text.trim_start_matches([' ', '(', ',', '”']).split(' ').peekable();
    if words.peek() == Some(&"known,") {
        words.by_ref().take(3).for_each(drop);
    }
    if matches!(words.peek(), Some(&("up" | "down"))) {
        words.by_ref().take(2).for_each(drop);
    }
    if matches!(words.peek(), Some(&("leads" | "with"))) {
        words.by_ref().take(2).for_each(drop);
    }
    let side = words.next_if(|word| matches!(*word, ">" | "<"));
    let number = words.next()?;
    let percent = words.next()?.starts_with('%') && number.parse::<u32>().is_ok();
    percent.then(|| format!("{}{number} %", side.map_or_else(String::new, |side| format!("{side} "))))
}

/// One cause, one figure: on every screen of every job of the demo shop, and in what a program reads of it.
#[tokio::test]
async fn one_cause_has_one_figure_on_every_screen() {
    use velvet_dial_core::knowledge::knowledge;
    let me = person::Person::signed_in().await;
    let mut compared = 0;
    for number in JOBS {
        let trace = words(&me.page(&format!("/jobs/{number}/trace")).await);
        let suspects = trace.split("tap one to see why").nth(1).unwrap();
        let record: serde_json::Value = serde_json::from_str(&me.page(&format!("/jobs/{number}/report.json")).await).unwrap();
        let mut pages = Vec::new();
        for path in of_job(number) {
            let text = words(&me.page(&path).await);
            pages.push((path, text));
        }
        for cause in &knowledge().causes {
            let Some(figure) = suspects.split(&cause.name).nth(1).and_then(figure_after) else { continue };
            for (path, text) in &pages {
                for other in text.split(&cause.name).skip(1).filter_map(figure_after) {
                    assert_eq!(other, figure, "{path}: {}", cause.name);
                    compared += 1;
                }
            }
            let read = record["causes"].as_array().unwrap().iter().find(|read| read["id"] == cause.id.as_str());
            if let Some(p) = read.and_then(|read| read["probability"].as_f64()) {
                assert_eq!(velvet_dial_core::unit::percent(p), figure, "report.json of {number}: {}", cause.name);
                compared += 1;
            }
        }
    }
    assert!(compared > 300, "{compared} figures compared");
}

#[tokio::test]
async fn every_kind_of_page_is_accessible() {
    let base = crate::support::start().await;
    let browser = Browser::start().await;
    let me = Person { driver: browser.driver.clone() };
    me.driver.cdp().send_raw("Page.setBypassCSP", serde_json::json!({ "enabled": true })).await.unwrap();
    let mut found = Vec::new();
    let look = async |path: &str| {
        me.driver.goto(format!("{base}{path}")).await.unwrap();
        browser.axe().await.into_iter().map(|line| format!("{path}: {line}")).collect::<Vec<_>>()
    };
    found.extend(look("/sign-in").await);
    me.sign_in(&base).await;
    found.extend(browser.axe().await);
    // The others are looked at by day and night, on their side and upright, elsewhere.
    for path in ["/no/such", "/jobs/1/prove", "/jobs/7/compare", "/programs", "/figures", "/learnt", "/jobs/9/card", "/me", "/sign-in/code"]
    {
        found.extend(look(path).await);
    }
    // Forms that are filled in, and one that was refused.
    let first = |query: &str| format!("main a[href*='{query}=']");
    for (page, query) in [("library", "engine"), ("gauges", "gauge"), ("library", "revise")] {
        me.driver.goto(format!("{base}/{page}")).await.unwrap();
        me.driver.find(By::Css(first(query))).await.unwrap().click().await.unwrap();
        found.extend(browser.axe().await.into_iter().map(|line| format!("/{page}?{query}: {line}")));
    }
    me.driver.goto(format!("{base}/jobs/new")).await.unwrap();
    me.press("Open the job").await;
    me.sees("nothing typed yet").await;
    found.extend(browser.axe().await.into_iter().map(|line| format!("refused: {line}")));
    me.menu("Night").await;
    found.extend(look("/jobs/9/trace").await);
    assert!(found.is_empty(), "{}", found.join("\n"));
    browser.quit().await;
}

/// A session that ends while a tap is on its way: the tap waits, whoever it was signs in, and it is written. Nobody else sends it.
#[tokio::test]
async fn what_was_sent_after_the_session_ended_is_written_after_the_next_sign_in() {
    let (base, db) = crate::support::start_with().await;
    let browser = Browser::start().await;
    let me = Person { driver: browser.driver.clone() };
    me.sign_in(&base).await;
    me.driver.goto(format!("{base}/jobs/8/intake")).await.unwrap();
    // Every session of hers is ended from elsewhere.
    let credentials = Credentials { name: "ines", password: "brass needle", agent: "", address: "", demo: true };
    let other = accounts::sign_in(&db, &credentials).await.unwrap().unwrap();
    accounts::sign_out(&db, &other, true).await.unwrap();
    me.press("Whine").await;
    me.sees("Sign in").await;
    until("the sign-in page", || async { me.driver.current_url().await.is_ok_and(|url| url.as_str().contains("/sign-in")) }).await;
    // Another hand signs in first: what waits is not theirs.
    me.enter_as("odd").await;
    me.sees("What was seen").await;
    let told = || me.driver.find(By::Css("#tick-whine[aria-pressed='true']"));
    assert!(told().await.is_err());
    me.menu("Sign out").await;
    me.sign_in(&base).await;
    me.driver.goto(format!("{base}/jobs/8/intake")).await.unwrap();
    until("it is written", || async { told().await.is_ok() }).await;
    me.driver.goto(format!("{base}/jobs/8/trace")).await.unwrap();
    assert!(me.driver.source().await.unwrap().contains("Reported: Whine"));
    browser.quit().await;
}

/// Lost on the way and then refused: it comes back to its form with what was typed and what is wrong. Taps behind it wait their turn.
#[tokio::test]
async fn what_is_refused_after_a_lost_connection_comes_back_to_its_form() {
    let (browser, me, base) = Person::at_the_shop().await;
    me.reads_without_a_connection(&base, "99999").await;
    me.sees("Pressure: 99999 is too high").await;
    let kept = me.driver.find(By::Id("reading-pressure")).await.unwrap().prop("value").await.unwrap();
    assert_eq!(kept.as_deref(), Some("99999"));
    // Mended and sent, and one slip undone by a tap.
    me.fill("reading-pressure", "131").await;
    me.keys(Key::Enter + "").await;
    me.sees("1 reading").await;
    me.press("Undo").await;
    me.sees("fit the gauge").await;
    browser.quit().await;
}

/// What the server fails at again and again is set aside with what was typed, and what was sent after it is saved.
#[tokio::test]
async fn what_always_fails_is_set_aside_and_holds_up_nothing() {
    let (browser, me, base) = Person::at_the_shop().await;
    me.driver.goto(format!("{base}/jobs/8/run")).await.unwrap();
    me.offline(true).await;
    me.driver.find(By::Id("reading-rpm")).await.unwrap().focus().await.unwrap();
    me.reading("800", "91", "131").await;
    me.sees("No connection. What you sent is kept here").await;
    me.fill("reading-pressure", "142").await;
    me.keys(Key::Enter + "").await;
    let fails = "const real = window.fetch;
        window.fetch = (to, how) => String(how?.body).includes('=131&') ? Promise.resolve(new Response('', { status: 500 })) : real(to, how);";
    me.driver.execute(fails, vec![]).await.unwrap();
    me.offline(false).await;
    me.sees("The server could not save this after 3 tries").await;
    me.sees("pressure 131").await;
    me.press("I have read this").await;
    me.driver.goto(format!("{base}/jobs/8/trace")).await.unwrap();
    until("the other is saved", || async {
        me.driver.source().await.is_ok_and(|page| page.contains("142 kPa") && !page.contains("131 kPa"))
    })
    .await;
    browser.quit().await;
}

/// What one person typed is not shown to the next on the same tablet, and a draft is gone once its form was taken.
#[tokio::test]
async fn drafts_belong_to_who_typed_them_and_end_with_their_form() {
    let (browser, me, base) = Person::at_the_shop().await;
    let complaint = async || {
        me.driver.goto(format!("{base}/jobs/new")).await.unwrap();
        let field = me.driver.find(By::Id("opening-complaint")).await.unwrap();
        // Drafts are put back when the page is ready.
        until("the page is ready", || async {
            me.driver.execute("return document.readyState", vec![]).await.is_ok_and(|state| state.json() == "complete")
        })
        .await;
        field.prop("value").await.unwrap().unwrap_or_default()
    };
    complaint().await;
    me.fill("opening-complaint", "Said in confidence").await;
    assert_eq!(complaint().await, "Said in confidence");
    me.menu("Sign out").await;
    me.sees("Password").await;
    me.enter_as("odd").await;
    me.sees("Skerry Lane Workshop").await;
    assert_eq!(complaint().await, "");
    me.menu("Sign out").await;
    me.sign_in(&base).await;
    assert_eq!(complaint().await, "Said in confidence");
    me.fill("opening-tag", "CART 1").await;
    me.driver.find(By::Id("opening-engine")).await.unwrap().send_keys("Quayside").await.unwrap();
    me.press("Open the job").await;
    me.sees("What was seen").await;
    assert_eq!(complaint().await, "", "taken, it is a draft no more");
    browser.quit().await;
}
