//! From put right to paper: the timetable, the crank before the start, the proof in part, what it was, what the shop learns of it, and the report as a page and as a PDF that say the same.
use crate::support::person::Person as Asker;
use crate::support::screen::Person;
use crate::support::{ines, start_with};
use reqwest::StatusCode;
use std::io::Write;
use std::process::{Command, Stdio};
use thirtyfour::prelude::*;
use velvet_dial_core::signing::{SealError, public_keys, report_of_pages, verify};
use velvet_dial_store::jobs::{self, Body, Opening};
use velvet_dial_store::{accounts, library};

/// What a PDF says, its words alone.
pub fn words_of_pdf(pdf: &[u8]) -> Vec<String> {
    let mut reader = Command::new("pdftotext").args(["-raw", "-", "-"]).stdin(Stdio::piped()).stdout(Stdio::piped()).spawn().unwrap();
    reader.stdin.take().unwrap().write_all(pdf).unwrap();
    words(&String::from_utf8(reader.wait_with_output().unwrap().stdout).unwrap())
}

/// Words of a text, whatever stands between them.
fn words(text: &str) -> Vec<String> {
    text.split(|letter: char| !letter.is_alphanumeric()).filter(|word| !word.is_empty()).map(str::to_owned).collect()
}

/// What a page says between its head and its foot, without its pictures.
fn words_of_page(page: &str) -> Vec<String> {
    let main =
        page.split("<header class=\"flex").nth(1).unwrap().split("id=\"follow-up\"").next().unwrap().split("</main>").next().unwrap();
    let (mut text, mut depth, mut svg) = (String::new(), 0, false);
    for part in main.split_inclusive(['<', '>']) {
        svg = (svg || part.starts_with("svg")) && !part.starts_with("/svg");
        if depth == 0 && !svg {
            text.push_str(part.trim_end_matches('<'));
        }
        depth = i32::from(part.ends_with('<'));
        text.push(' ');
    }
    let text = text.replace("&#38;", "&").replace("&#39;", "'").replace("&#34;", "\"").replace("&#60;", "<").replace("&#62;", ">");
    words(text.split_once('>').unwrap().1)
}

/// Every word of the page stands on the paper as often as there, for both readers and on both sheets; and what the customer reads is less.
#[tokio::test]
async fn the_paper_says_what_the_page_says() {
    let me = Asker::signed_in().await;
    let photo = include_bytes!("support/eight.jpg").to_vec();
    assert_eq!(me.photo(8, "level", photo).await.status(), StatusCode::SEE_OTHER);
    let mut lengths = Vec::new();
    for number in [1, 8, 10] {
        for reader in ["full", "customer"] {
            let page = words_of_page(&me.page(&format!("/jobs/{number}/report?reader={reader}")).await);
            for letter in [false, true] {
                let pdf = me.bytes(&format!("/jobs/{number}/report.pdf?reader={reader}&letter={letter}")).await;
                assert!(pdf.starts_with(b"%PDF-") && pdf.len() < 3_000_000);
                let paper = words_of_pdf(&pdf);
                let count = |all: &[String], word: &String| all.iter().filter(|other| *other == word).count();
                // A hash broken over two lines stands in parts.
                let missing: Vec<String> = page
                    .iter()
                    .filter(|word| word.len() < 40)
                    .collect::<std::collections::BTreeSet<_>>()
                    .into_iter()
                    .filter(|word| count(&paper, word) < count(&page, word))
                    .map(|word| format!("{word}: {} of {}", count(&paper, word), count(&page, word)))
                    .collect();
                assert_eq!(missing, Vec::<String>::new(), "job {number}, {reader}: {}\n{}", paper.join(" "), page.join(" "));
            }
            lengths.push(page.len());
        }
    }
    assert!(lengths.chunks(2).all(|pair| matches!(pair, [full, customer] if customer < full)), "{lengths:?}");
    // What is signed holds for whoever has the public key.
    let data = me.bytes("/jobs/1/report.json").await;
    let keys = public_keys(&me.page("/report-key.pem").await).unwrap();
    assert_eq!(verify(&data).unwrap().signed_by.as_ref(), keys.first());
    // The file that the customer holds carries the report, and its pages are those that were signed.
    let mut pdf = me.bytes("/jobs/1/report.pdf?reader=customer").await;
    let (carried, by) = report_of_pages(&pdf).unwrap();
    assert!(carried == data.as_slice() && Some(&by) == keys.first());
    for place in [200, pdf.len() / 2, pdf.len() - 20] {
        pdf[place] ^= 1;
        assert_eq!(report_of_pages(&pdf).map(|_| ()), Err(SealError::Pages), "byte {place}");
        pdf[place] ^= 1;
    }
    // A draft says that it is one, and nobody has signed it.
    let draft = verify(&me.bytes("/jobs/8/report.json").await).unwrap();
    assert!(draft.draft && draft.signed_by.is_none());
    assert!(me.page("/jobs/8/report").await.contains("nobody has signed it"));
    assert_eq!(report_of_pages(&me.bytes("/jobs/8/report.pdf").await).map(|_| ()), Err(SealError::NoPages));
    // By the code on the paper anybody sees what was signed, and nothing of the customer or the plate.
    let record: serde_json::Value = serde_json::from_slice(&data).unwrap();
    let of = |name: &str| record["papers"][name].as_str().unwrap();
    let shown = me.page(&format!("/check?code={}", of("code").to_lowercase().replace('-', " "))).await;
    assert!(shown.contains(record["seal"]["document"].as_str().unwrap()) && !shown.contains(of("tag")), "{shown}");
    assert_eq!(me.get("/check/AAAA-BBBB-CCCC-DDDD").await.status(), StatusCode::NOT_FOUND);
    assert_eq!(me.get("/jobs/1/report?reader=neighbour").await.status(), StatusCode::NOT_FOUND);
}

/// A hand-over that was, one in the hour that the clocks leave out, and a coming back before it: each is told, nothing typed is lost, and nothing is written.
#[tokio::test]
async fn a_promise_that_cannot_be_is_told() {
    let (base, db) = start_with().await;
    let me = Asker::at(&base).entering_as("ines", "brass needle").await;
    let who = ines(&db).await;
    let house = accounts::shop(&db, &who).await.unwrap();
    let zone = |name: &str| accounts::Shop { zone: velvet_dial_store::zone::Zone::named(name).unwrap(), ..house.clone() };
    accounts::change_shop(&db, &who, &zone("Europe/Lisbon")).await.unwrap();
    let me = me.entering_as("ines", "brass needle").await;
    // The clocks of Lisbon go forward on the last Sunday of March, from one to two.
    let march = |year: i32| {
        (25..=31)
            .map(|day| chrono::NaiveDate::from_ymd_opt(year, 3, day).unwrap())
            .find(|day| day.to_string().len() == 10 && chrono::Datelike::weekday(day) == chrono::Weekday::Sun)
            .unwrap()
    };
    let now = chrono::Utc::now();
    let year = chrono::Datelike::year(&now);
    let gap = [year, year + 1].map(march).into_iter().find(|day| *day > now.date_naive()).unwrap();
    let in_days = |days: i64| (now + chrono::TimeDelta::days(days)).format("%Y-%m-%dT16:00").to_string();
    let usual = [("parts_at", ""), ("cool", "40"), ("drain", "30"), ("soak", "0"), ("cure", "60"), ("key", "k"), ("seen", "")];
    let cases = [
        (in_days(-2), String::new(), "has passed already"),
        (format!("{gap}T01:30"), String::new(), "The clocks go forward that night"),
        (in_days(500), String::new(), "more than a year ahead"),
        ("tomorrow".to_owned(), String::new(), "write day and hour as"),
        (String::new(), String::new(), "nothing typed yet"),
        (in_days(4), in_days(3), "not before it was handed over"),
    ];
    for (hand_over, recheck, told) in &cases {
        let form: Vec<(&str, &str)> =
            usual.into_iter().chain([("hand_over", hand_over.as_str()), ("recheck_at", recheck.as_str())]).collect();
        let answer = me.post("/jobs/9/promise", &form).await;
        assert_eq!(answer.status(), StatusCode::UNPROCESSABLE_ENTITY, "{hand_over}");
        let page = answer.text().await.unwrap();
        assert!(page.contains(told) && page.contains(&format!("value=\"{hand_over}\"")), "{hand_over} {recheck}");
    }
    assert!(!me.page("/jobs/9/trace").await.contains("Hand-over promised"));
    // One that can be is laid out, and stands in a calendar with each task at its moment.
    let form: Vec<(&str, &str)> = usual.into_iter().chain([("hand_over", cases[5].0.as_str()), ("recheck_at", "")]).collect();
    let mut form = form;
    let back = in_days(18);
    form.last_mut().unwrap().1 = &back;
    assert_eq!(me.post("/jobs/9/promise", &form).await.status(), StatusCode::SEE_OTHER);
    let page = me.page("/jobs/9/put-right").await;
    assert!(page.contains("Begin by") && page.contains("Sealant cures") && page.contains("Comes back"));
    let calendar = me.page("/jobs/9/timetable.ics").await;
    let parsed: icalendar::Calendar = calendar.parse().unwrap();
    assert!(parsed.components.len() > 6 && calendar.contains("SUMMARY:FORK 5: hand-over"), "{calendar}");
    assert!(
        calendar.contains(&format!("DTSTART:{}T160000Z", &in_days(4)[..10].replace('-', ""))) || calendar.contains("T150000Z"),
        "{calendar}"
    );
    // Another clock on the wall: the moment stays, and it is said what it was promised as.
    accounts::change_shop(&db, &who, &zone("Asia/Tokyo")).await.unwrap();
    let me = me.entering_as("ines", "brass needle").await;
    assert!(me.page("/jobs/9/put-right").await.contains("by another clock"));
}

/// Put right, cranked, read at one point of two: proven in part, with what is missing; closed with what it was, and learnt from unless it is only supposed or comes back.
#[tokio::test]
async fn from_the_crank_to_a_proof_in_part_and_what_the_shop_learns() {
    let (browser, me, base) = Person::at_the_shop().await;
    let driver = &browser.driver;
    let at = async |path: &str| driver.goto(format!("{base}{path}")).await.unwrap();
    at("/jobs/9/put-right?cause=pump_worn").await;
    me.sees("Torque by").await;
    me.fill("repair-done", "New pump").await;
    me.press("Save repair").await;
    me.sees("Repaired: Oil pump worn").await;
    at("/jobs/9/prove").await;
    me.sees("Crank first").await;
    assert_eq!(browser.axe().await, Vec::<String>::new());
    me.press("Pressure shows").await;
    me.sees("Cranked without fuel after the repair: pressure shows").await;
    driver.find(By::Id("reading-rpm")).await.unwrap().click().await.unwrap();
    me.reading("780", "92", "168").await;
    me.sees("proven in part").await;
    me.sees("is on the sheet and was not read").await;
    driver.find(By::Css("#closing-took")).await.unwrap().send_keys("190").await.unwrap();
    me.press("Close").await;
    me.sees("proven in part").await;
    at("/learnt").await;
    me.sees("Shop experience").await;
    me.sees("Oil pump worn").await;
    me.sees("Time for opening").await;
    assert_eq!(browser.axe().await, Vec::<String>::new());
    browser.quit().await;
}

/// A closing counts, one that is only supposed does not, and one that came back with the same is taken out again; a shop that does not learn begins with the table's odds.
#[tokio::test]
async fn the_shop_learns_what_is_known_and_unlearns_what_came_back() {
    let (base, db) = start_with().await;
    let me = Asker::at(&base).entering_as("ines", "brass needle").await;
    let who = ines(&db).await;
    let engine = library::engines(&db, &who).await.unwrap().into_iter().find(|engine| engine.name.starts_with("Pebble")).unwrap();
    let counted = async || {
        let learnt = jobs::learnt(&db, &who).await.unwrap();
        let own = learnt.into_iter().find(|learnt| learnt.engines.contains(&engine.id));
        own.map_or((0, 0), |own| (own.memory.closed.get("sender").copied().unwrap_or(0), own.came_back))
    };
    let before = counted().await;
    let opened = async |complaint: &str| {
        let opening =
            Opening { tag: "NURSE 9", description: "", engine: engine.id, complaint, submit_key: complaint, scene: None, at: None };
        jobs::open(&db, &who, &opening).await.unwrap()
    };
    let first = opened("Lamp at idle").await;
    let close = async |number: i64, cause: &str, known: &str| {
        me.post(&format!("/jobs/{number}/close"), &[("key", "c"), ("cause", cause), ("known", known), ("took", "")]).await
    };
    let refused = close(first, "sender", "").await;
    assert_eq!(refused.status(), StatusCode::UNPROCESSABLE_ENTITY);
    assert!(refused.text().await.unwrap().contains("How is it known?"));
    assert_eq!(close(first, "sunspots", "seen").await.status(), StatusCode::UNPROCESSABLE_ENTITY);
    close(first, "sender", "supposed").await;
    assert_eq!(counted().await, before, "a supposition is kept and not learnt from");
    me.post(&format!("/jobs/{first}/reopen"), &[("key", "r"), ("reason", "The sender was cut open")]).await;
    close(first, "sender", "seen").await;
    assert_eq!(counted().await, (before.0 + 1, before.1));
    // Back with the same: it is said at the intake, told in the report, and no longer counted; something else brings it back.
    let second = opened("Lamp at idle again").await;
    assert!(me.page(&format!("/jobs/{second}/intake")).await.contains("This vehicle was here before"));
    let answer = async |same: &str, seen: &str| {
        me.post(&format!("/jobs/{second}/came-back"), &[("key", same), ("same", same), ("seen", seen), ("supersedes", seen)]).await
    };
    // What a job is judged with is kept for a while; it follows at once all the same.
    let judged_with = async || {
        let case: serde_json::Value = serde_json::from_str(&me.page(&format!("/jobs/{second}/case.json")).await).unwrap();
        case["memory"]["closed"]["sender"].as_u64().unwrap_or(0)
    };
    let on_the_board = format!("back after job {first}");
    assert!(judged_with().await == u64::from(before.0) + 1 && !me.page("/").await.contains(&on_the_board));
    answer("true", "").await;
    assert_eq!(counted().await, (before.0, before.1 + 1));
    assert!(judged_with().await == u64::from(before.0) && me.page("/").await.contains(&on_the_board));
    assert!(me.page(&format!("/jobs/{second}/report")).await.contains(&format!("It came back: job {first}")));
    let job = jobs::load(&db, &who, second).await.unwrap();
    let said = job.live().find(|entry| matches!(entry.body, Body::Comeback { .. })).unwrap().id.to_string();
    answer("false", &said).await;
    assert_eq!(counted().await, (before.0 + 1, before.1));
    assert!(judged_with().await == u64::from(before.0) + 1 && !me.page("/").await.contains(&on_the_board));
    // The odds that a new job of the engine begins with, with what was learnt and without.
    let memory = async || me.page(&format!("/jobs/{second}/case.json")).await.contains("\"memory\":{");
    assert!(memory().await && me.page(&format!("/jobs/{second}/trace")).await.contains("with a known cause"));
    me.post("/learnt", &[("learns", "false")]).await;
    assert!(!memory().await && me.page("/learnt").await.contains("Not used."));
}

/// A photo whose upload breaks off in the middle is told, and nothing of it stays.
#[tokio::test]
async fn a_photo_that_breaks_off_leaves_nothing() {
    let me = Asker::signed_in().await;
    let photo: &[u8] = include_bytes!("support/eight.jpg");
    let head = "--cut\r\nContent-Disposition: form-data; name=\"photo\"; filename=\"sump.jpg\"\r\nContent-Type: image/jpeg\r\n\r\n";
    let body = [head.as_bytes(), photo.split_at(photo.len() / 2).0].concat();
    let request = me.ask(me.client.post(format!("{}/jobs/9/photos", me.base)));
    let answer = request.header("content-type", "multipart/form-data; boundary=cut").body(body).send().await.unwrap();
    assert!(answer.status().is_client_error(), "{}", answer.status());
    assert!(answer.text().await.unwrap().contains("The upload was cut off"));
    assert!(!me.page("/jobs/9/report").await.contains("/photos/"));
    assert_eq!(me.photo(9, "level", photo.to_vec()).await.status(), StatusCode::SEE_OTHER, "sent once more it is taken");
    assert!(me.page("/jobs/9/report").await.contains("/photos/"));
}

/// What somebody types to break a page or a PDF is printed as it was typed, and nothing after it is lost.
#[tokio::test]
async fn hostile_text_is_printed_as_it_was_typed() {
    let me = Asker::signed_in().await;
    let long = "W".repeat(150);
    let hostile = format!(
        "endobj %%EOF stream (\\050) <</Type /Catalog>> <script>alert(1)</script> {{{{137*139}}}} \\input{{x}} \u{202e}gnp.exe ﷽ 👩‍🔧 {long} end"
    );
    for number in [9, 10] {
        let note = [("words", hostile.as_str()), ("report", "yes"), ("key", "hostile"), ("seen", "0"), ("stage", "look")];
        me.post(&format!("/jobs/{number}/notes"), &note).await;
    }
    let details = [("tag", "TUG 7"), ("complaint", hostile.as_str()), ("description", "a (b) <c>"), ("key", "d"), ("seen", "0")];
    let page = me.page("/jobs/9/intake").await;
    let engine = page.split("name=\"engine\"").nth(1).unwrap().split("</select>").next().unwrap();
    let engine = engine.split("<option value=\"").find(|option| option.contains("selected")).unwrap().get(..36).unwrap();
    let fields: Vec<(&str, &str)> = details.iter().copied().chain([("engine", engine)]).collect();
    assert_eq!(me.post("/jobs/9/details", &fields).await.status(), StatusCode::SEE_OTHER);
    for reader in ["full", "customer"] {
        let paper = words_of_pdf(&me.bytes(&format!("/jobs/9/report.pdf?reader={reader}")).await);
        for word in ["endobj", "EOF", "Catalog", "script", "alert", "137", "input", "end"] {
            assert!(paper.iter().any(|there| there == word), "{reader}: {word} is not on the paper");
        }
        let printed: usize = paper.iter().filter(|word| word.chars().all(|letter| letter == 'W')).map(String::len).sum();
        assert!(printed >= 150, "{reader}: of a long word {printed} letters are printed");
        assert!(!paper.iter().any(|word| word == "19043"), "nothing typed is worked out");
    }
}
