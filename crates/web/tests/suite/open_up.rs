//! Opened up: what is proposed and answered by a link, the journals before a real browser down to a condemned bearing, and every figure and link that is refused.
use crate::support::person::Person as Asker;
use crate::support::screen::{Person, until};
use crate::support::{ines, start_with};
use reqwest::StatusCode;
use thirtyfour::prelude::*;
use velvet_dial_store::jobs::{self, Answer, Answered, LinkState, Proposal};
use velvet_dial_testkit::Browser;

#[tokio::test]
async fn from_the_customers_yes_by_the_link_to_a_condemned_bearing() {
    let (browser, me, base) = Person::at_the_shop().await;
    let driver = &browser.driver;
    let at = async |path: &str| driver.goto(format!("{base}{path}")).await.unwrap();
    at("/jobs/9/open-up").await;
    me.sees("The customer's yes comes first").await;
    me.sees("Not seen even then").await;
    assert_eq!(browser.axe().await, Vec::<String>::new());

    // The customer reads what is proposed on a device of their own, and says yes with their name.
    driver.find(By::XPath("//summary[contains(., 'Ask by a link')]")).await.unwrap().click().await.unwrap();
    me.fill("link-words", "The cooler can wait.").await;
    me.press("Make the link").await;
    me.sees("it is shown this once").await;
    let address = driver.find(By::Id("link-address")).await.unwrap().prop("value").await.unwrap().unwrap();
    let other = Browser::start().await;
    let customer = Person { driver: other.driver.clone() };
    other.driver.goto(&address).await.unwrap();
    customer.sees("What is proposed").await;
    customer.sees("The cooler can wait.").await;
    assert!(!customer.text().await.contains("Sign out") && other.axe().await.is_empty());
    customer.press("Yes, go on").await;
    customer.sees("write your name").await;
    customer.fill("answer-name", "Lysander Quill").await;
    customer.press("Yes, go on").await;
    customer.sees("your answer is with the shop").await;
    other.quit().await;

    // Now it may be opened: the furthest journal first, by tap, by figure, and by the width of its print.
    at("/jobs/9/open-up").await;
    me.sees("Yes to opening it: Lysander Quill, by the link sent to them, up to").await;
    me.fill("crank-new_mm", "0.04").await;
    me.fill("crank-limit_mm", "0.03").await;
    driver.find(By::Css("form[action$='/crank'] button")).await.unwrap().click().await.unwrap();
    me.sees("the other way round").await;
    me.fill("crank-limit_mm", "0.08").await;
    driver.find(By::Css("form[action$='/crank'] button")).await.unwrap().click().await.unwrap();
    me.sees("Written: Crank by the sheet").await;
    let leader = async || driver.find(By::Css(".drawer .suspect")).await.unwrap().attr("id").await.unwrap().unwrap();
    assert_eq!(leader().await, "suspect-pickup_air");
    for (journal, mm, condition) in [("main-5", "0.12", "scored"), ("rod-4", "0.11", "grey"), ("main-4", "0.1", "grey")] {
        me.fill(&format!("journal-clearance_mm-{journal}"), mm).await;
        driver.find(By::Css(format!("#journal-form-{journal} button[value='{condition}']"))).await.unwrap().click().await.unwrap();
        until("the next journal", || async { driver.find(By::Id(format!("journal-form-{journal}"))).await.is_err() }).await;
    }
    me.sees("The crank leaks").await;
    me.sees("bad ones renewed it should read").await;
    assert_eq!(leader().await, "suspect-bearings_crank");
    let bad = driver.find_all(By::Css(".journals .journal-bad")).await.unwrap().len();
    assert_eq!(bad, 3, "one scored and three over the sheet's limit");
    me.sees("Do not run").await;
    driver.find(By::XPath("//button[contains(., 'Note this width for Rod 3')]")).await.unwrap().click().await.unwrap();
    me.sees("Written: Rod 3: 0.049 mm").await;
    assert_eq!(browser.axe().await, Vec::<String>::new());
    // A pickup was expected and the crank was found: nothing is put right before that is talked over.
    me.sees("Stop and talk: it does not fit").await;
    at("/jobs/9/put-right").await;
    driver.find(By::Css(".steps .btn")).await.unwrap().click().await.unwrap();
    me.sees("Stop and talk first").await;
    me.press("They say: go on").await;
    me.sees("nobody named yet").await;
    me.fill("talk-who", "Lysander Quill").await;
    me.press("They say: go on").await;
    me.sees("Talked over “Gauging strip on one main and one rod: Surface damaged”: go on, Lysander Quill").await;
    at("/jobs/9/put-right").await;
    driver.find(By::Css(".steps .btn")).await.unwrap().click().await.unwrap();
    me.sees("Written: Done: Every journal measured in two places").await;
    let done = driver.find(By::Id("repair-done")).await.unwrap().prop("value").await.unwrap().unwrap();
    assert!(done.starts_with("Every journal measured"), "what was ticked is what was done: {done}");
    at("/jobs/9/open-up").await;
    assert!(driver.find(By::Css("#look-strip_gauge")).await.unwrap().text().await.unwrap().contains("by the figures"));
    browser.quit().await;
}

/// Figures before the yes wait for it; those that cannot be are told with what would be right, and what was typed stays.
#[tokio::test]
async fn a_figure_waits_for_the_yes_and_a_wrong_one_keeps_what_was_typed() {
    let me = Asker::signed_in().await;
    let journal = |mm: &'static str, key: &'static str| [("journal", "rod-1"), ("clearance_mm", mm), ("key", key), ("seen", "999")];
    let held = me.post("/jobs/9/journal", &journal("0.05", "a")).await;
    assert_eq!(held.status(), StatusCode::UNPROCESSABLE_ENTITY);
    assert!(held.text().await.unwrap().contains("yes comes first"));
    let nobody = me.post("/jobs/9/agreed", &[("who", ""), ("seen", "999")]).await.text().await.unwrap();
    assert!(nobody.contains("Nobody named yet"));
    let lots = me.post("/jobs/9/agreed", &[("who", "Lysander Quill"), ("up_to", "lots"), ("seen", "999")]).await.text().await.unwrap();
    assert!(lots.contains("is not a number") && lots.contains("value=\"lots\""));
    me.post("/jobs/9/agreed", &[("who", "Lysander Quill"), ("up_to", "640"), ("key", "yes"), ("seen", "999")]).await;
    type Typed = &'static [(&'static str, &'static str)];
    let refused: [(&str, Typed, &str); 5] = [
        ("journal", &[("journal", "rod-1"), ("clearance_mm", "1.5")], "0.005 to 0.5 mm"),
        ("journal", &[("journal", "rod-1"), ("wire_mm", "0.4"), ("width_mm", "0.3")], "narrower than its wire"),
        ("journal", &[("journal", "rod-1"), ("clearance_mm", "")], "Nothing is noted yet"),
        ("measured", &[("part", "spring"), ("free_mm", "44"), ("sheet_mm", "48"), ("fitted_mm", "46")], "longer than it lies free"),
        ("measured", &[("part", "screen"), ("open_share", "40")], "0.005 to 1"),
    ];
    for (act, fields, sentence) in refused {
        let form: Vec<(&str, &str)> = fields.iter().copied().chain([("key", "b"), ("seen", "999")]).collect();
        let answer = me.post(&format!("/jobs/9/{act}"), &form).await;
        let (status, text) = (answer.status(), answer.text().await.unwrap());
        assert!(status == StatusCode::UNPROCESSABLE_ENTITY && text.contains(sentence), "{act} {fields:?}: {status}");
        let typed = fields.last().unwrap().1;
        assert!(typed.is_empty() || text.contains(&format!("value=\"{typed}\"")), "{typed} is gone");
    }
    assert_eq!(me.post("/jobs/9/journal", &[("journal", "rod-77"), ("key", "c")]).await.status(), StatusCode::BAD_REQUEST);
    assert_eq!(me.post("/jobs/9/journal", &journal("0.05", "d")).await.status(), StatusCode::SEE_OTHER);
    let case: serde_json::Value = me.get("/jobs/9/case.json").await.json().await.unwrap();
    assert_eq!(case["strip_down"]["journals"][0]["clearance_mm"], 0.05);
}

/// A link holds once, for its days, until it is called back; whoever guesses is told nothing and put off; what was said stands in the ledger.
#[tokio::test]
async fn a_link_that_is_over_called_back_answered_or_none_says_so() {
    let (base, db) = start_with().await;
    let (who, stranger) = (ines(&db).await, Asker::at(&base));
    let proposal = Proposal { shop: "Quayside".to_owned(), says: vec!["Sump off.".to_owned()], up_to: Some(640.0), ..Proposal::default() };
    let made = async |days| jobs::make_link(&db, &who, 9, &proposal, days).await.unwrap().unwrap();
    let (over, called_back, open) = (made(-1).await, made(3).await, made(3).await);
    let newest = jobs::links(&db, &who, 9).await.unwrap();
    let id = newest.iter().rfind(|link| link.state == LinkState::Open).unwrap().id;
    jobs::revoke_link(&db, &who, 9, id).await.unwrap();
    for (token, status, sentence) in [
        (&over, StatusCode::GONE, "This link is over"),
        (&called_back, StatusCode::GONE, "called this link back"),
        (&"ab".repeat(32), StatusCode::NOT_FOUND, "leads nowhere"),
    ] {
        let page = stranger.get(&format!("/yes/{token}")).await;
        assert_eq!(
            (&page.headers()["referrer-policy"], &page.headers()["cache-control"]),
            (&"same-origin".parse().unwrap(), &"no-store".parse().unwrap())
        );
        assert!(page.status() == status && page.text().await.unwrap().contains(sentence), "{sentence}");
        let answer = stranger.post(&format!("/yes/{token}"), &[("name", "A"), ("say", "yes")]).await;
        assert_eq!(answer.status(), status, "{sentence}");
    }
    let ask = [("name", "Lysander Quill"), ("words", "Is the tug needed on Friday?"), ("say", "question")];
    for _ in 0..5 {
        assert_eq!(stranger.post(&format!("/yes/{open}"), &ask).await.status(), StatusCode::OK);
    }
    assert_eq!(stranger.post(&format!("/yes/{open}"), &ask).await.status(), StatusCode::UNPROCESSABLE_ENTITY, "so many are asked by phone");
    let no = Answer::No { name: "Lysander Quill".to_owned(), words: "Too dear".to_owned() };
    assert_eq!(jobs::answer_link(&db, &open, &no).await.unwrap(), Some(Answered::Written));
    assert_eq!(stranger.post(&format!("/yes/{open}"), &[("name", "A"), ("say", "yes")]).await.status(), StatusCode::GONE, "said is said");
    let job = jobs::load(&db, &who, 9).await.unwrap();
    let said: Vec<&str> = job.live().filter(|entry| entry.body.kind() == "customer").map(|entry| entry.author_name.as_str()).collect();
    assert_eq!((said.len(), said[0]), (6, "Ines"));
    assert!(!job.live().any(|entry| entry.body.kind() == "agreed"));
    let mut put_off = None;
    for _ in 0..40 {
        let guess = stranger.get(&format!("/yes/{}", "cd".repeat(32))).await;
        put_off = Some(guess.status()).filter(|status| *status == StatusCode::TOO_MANY_REQUESTS);
        if put_off.is_some() {
            break;
        }
    }
    assert_eq!(put_off, Some(StatusCode::TOO_MANY_REQUESTS), "guessing is slowed down");
}
