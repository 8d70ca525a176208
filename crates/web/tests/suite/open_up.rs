//! Opened up: what is proposed and answered by a link, the journals before a real browser down to a condemned bearing, and every figure and link that is refused.
use crate::support::person::Person as Asker;
use crate::support::screen::{Person, until};
use crate::support::{ines, start_with};
use futures_util::future::join_all;
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
    me.sees("Get the customer's approval first").await;
    me.sees("Still out of sight then").await;
    assert_eq!(browser.axe().await, Vec::<String>::new());

    // The customer reads what is proposed on a device of their own, and says yes with their name.
    driver.find(By::XPath("//summary[contains(., 'Ask by link')]")).await.unwrap().click().await.unwrap();
    me.fill("link-words", "The cooler can wait.").await;
    me.press("Make the link").await;
    me.sees("It is shown only once").await;
    let address = driver.find(By::Id("link-address")).await.unwrap().prop("value").await.unwrap().unwrap();
    let other = Browser::start().await;
    let customer = Person { driver: other.driver.clone() };
    other.driver.goto(&address).await.unwrap();
    customer.sees("What the shop proposes").await;
    customer.sees("The cooler can wait.").await;
    assert!(!customer.text().await.contains("Sign out") && other.axe().await.is_empty());
    customer.press("Approve the work").await;
    customer.sees("write your name").await;
    customer.fill("answer-name", "Lysander Quill").await;
    customer.press("Approve the work").await;
    customer.sees("The shop has your answer").await;
    other.quit().await;

    // Now it may be opened: the furthest journal first, by tap, by figure, and by the width of its print.
    at("/jobs/9/open-up").await;
    me.sees("Approved: Lysander Quill, by the link sent to them, up to").await;
    me.fill("crank-new_mm", "0.04").await;
    me.fill("crank-limit_mm", "0.03").await;
    driver.find(By::Css("form[action$='/crank'] button")).await.unwrap().click().await.unwrap();
    me.sees("the other way round").await;
    me.fill("crank-limit_mm", "0.08").await;
    driver.find(By::Css("form[action$='/crank'] button")).await.unwrap().click().await.unwrap();
    me.sees("Saved: Crank by the sheet").await;
    let leader = async || driver.find(By::Css(".drawer .suspect")).await.unwrap().attr("id").await.unwrap().unwrap();
    assert_eq!(leader().await, "suspect-pump_worn");
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
    driver.find(By::XPath("//button[contains(., 'Save this width for Rod 3')]")).await.unwrap().click().await.unwrap();
    me.sees("Saved: Rod 3: 0.049 mm").await;
    assert_eq!(browser.axe().await, Vec::<String>::new());
    // A pickup was expected and the crank was found: nothing is put right before that is talked over.
    me.sees("Stop and talk: it does not fit").await;
    at("/jobs/9/put-right").await;
    driver.find(By::Css(".steps .btn")).await.unwrap().click().await.unwrap();
    me.sees("Talk to the customer first").await;
    me.press("They say: go on").await;
    me.sees("nobody named yet").await;
    me.fill("talk-who", "Lysander Quill").await;
    me.press("They say: go on").await;
    me.sees("Talked about “Plastic clearance strip on one main and one rod: Surface damaged”: go on, Lysander Quill").await;
    at("/jobs/9/put-right").await;
    driver.find(By::Css(".steps .btn")).await.unwrap().click().await.unwrap();
    me.sees("Saved: Done: Every journal measured in two places").await;
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
    assert!(held.text().await.unwrap().contains("approval first"));
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

/// A link holds once, for its days, until a newer one, the closing of its job or a tap ends it; guessing is slowed down, and what was said is in the job history.
#[tokio::test]
async fn a_link_that_expired_was_withdrawn_answered_or_never_made_says_so() {
    let (base, db) = start_with().await;
    let (who, stranger) = (ines(&db).await, Asker::at(&base));
    let proposal = Proposal { shop: "Quayside".to_owned(), says: vec!["Sump off.".to_owned()], up_to: Some(640.0), ..Proposal::default() };
    let made = async |days| jobs::make_link(&db, &who, 9, &proposal, days).await.unwrap();
    // A new link ends the one before.
    let (older, open) = (made(3).await, made(3).await);
    let invalid = "ab".repeat(32);
    for (token, status, sentence) in
        [(&older, StatusCode::GONE, "This link has expired"), (&invalid, StatusCode::NOT_FOUND, "This link is not valid")]
    {
        let page = stranger.get(&format!("/yes/{token}")).await;
        assert_eq!(
            (&page.headers()["referrer-policy"], &page.headers()["cache-control"]),
            (&"same-origin".parse().unwrap(), &"no-store".parse().unwrap())
        );
        assert!(page.status() == status && page.text().await.unwrap().contains(sentence), "{sentence}");
        let answer = stranger.post(&format!("/yes/{token}"), &[("name", "A"), ("say", "yes")]).await;
        assert_eq!(answer.status(), status, "{sentence}");
    }
    // Guessing is slowed down; whoever holds a valid link is not.
    let mut slowed = false;
    for _ in 0..40 {
        slowed |= stranger.get(&format!("/yes/{}", "cd".repeat(32))).await.status() == StatusCode::TOO_MANY_REQUESTS;
    }
    assert!(slowed, "guessing is slowed down");
    assert_eq!(stranger.get(&format!("/yes/{open}")).await.status(), StatusCode::OK);
    // Twelve questions at once: five are written.
    let name = || "Lysander Quill".to_owned();
    let asked: Vec<Answer> = (0..12).map(|i| Answer::Question { name: name(), words: format!("Question {i}") }).collect();
    let answered = join_all(asked.iter().map(|question| jobs::answer_link(&db, &open, question))).await;
    let written = answered.into_iter().filter(|answered| *answered.as_ref().unwrap() == Some(Answered::Written)).count();
    assert!((1..=5).contains(&written), "{written}");
    let said = async || {
        let job = jobs::load(&db, &who, 9).await.unwrap();
        let count = |kind: &str| job.live().filter(|entry| entry.body.kind() == kind).count();
        (count("customer"), count("agreed"))
    };
    assert_eq!(said().await, (written, 0));
    // Yes and no at once: one of them is written and thanked for.
    let (yes, no) = (Answer::Yes { name: name() }, Answer::No { name: name(), words: "Too dear".to_owned() });
    let (first, second) = tokio::join!(jobs::answer_link(&db, &open, &yes), jobs::answer_link(&db, &open, &no));
    let outcomes = [first.unwrap(), second.unwrap()];
    assert_eq!(outcomes.iter().filter(|outcome| **outcome == Some(Answered::Written)).count(), 1, "{outcomes:?}");
    let (customer, agreed) = said().await;
    assert_eq!(customer + agreed, written + 1);
    // The newest word stands: a no after a yes takes the approval back.
    assert_eq!(jobs::answer_link(&db, &made(3).await, &yes).await.unwrap(), Some(Answered::Written));
    assert_eq!(said().await.1, 1);
    assert_eq!(jobs::answer_link(&db, &made(3).await, &no).await.unwrap(), Some(Answered::Written));
    assert_eq!(said().await.1, 0);
    // It has run out, or was withdrawn.
    let over = made(-1).await;
    assert_eq!(jobs::answer_link(&db, &over, &yes).await.unwrap(), Some(Answered::Not(LinkState::Expired)));
    let withdrawn = made(3).await;
    let id = jobs::links(&db, &who, 9).await.unwrap().iter().find(|link| link.state == LinkState::Open).unwrap().id;
    jobs::revoke_link(&db, &who, 9, id).await.unwrap();
    assert_eq!(jobs::answer_link(&db, &withdrawn, &yes).await.unwrap(), Some(Answered::Not(LinkState::Revoked)));
}

/// Closing a job ends its links for good, and a no stands on the screen until somebody says yes.
#[tokio::test]
async fn a_closed_job_has_no_link_and_a_no_is_not_gone_on_with() {
    let (base, db) = start_with().await;
    let (who, person) = (ines(&db).await, Asker::at(&base).entering_as("ines", "brass needle").await);
    let proposal = Proposal { says: vec!["Sump off.".to_owned()], ..Proposal::default() };
    let made = async || jobs::make_link(&db, &who, 9, &proposal, 3).await.unwrap();
    let no = Answer::No { name: "Lysander Quill".to_owned(), words: String::new() };
    assert_eq!(jobs::answer_link(&db, &made().await, &no).await.unwrap(), Some(Answered::Written));
    assert!(person.page("/jobs/9/open-up").await.contains("Do not go on: close up what is open"));
    let repair = [("key", "repair"), ("cause", "sender"), ("done", "new sender")];
    let refused = person.post("/jobs/9/repair", &repair).await;
    assert_eq!(refused.status(), StatusCode::UNPROCESSABLE_ENTITY);
    assert!(refused.text().await.unwrap().contains("write down their new approval first"));
    let open = made().await;
    assert_eq!(person.post("/jobs/9/close", &[("key", "closing")]).await.status(), StatusCode::SEE_OTHER);
    assert_eq!(jobs::answer_link(&db, &open, &no).await.unwrap(), Some(Answered::Not(LinkState::Revoked)));
    let closing = jobs::load(&db, &who, 9).await.unwrap().live().find(|entry| entry.body.kind() == "closed").unwrap().id.to_string();
    let again = [("key", "again"), ("supersedes", closing.as_str()), ("reason", "one more look")];
    assert_eq!(person.post("/jobs/9/reopen", &again).await.status(), StatusCode::SEE_OTHER);
    assert_eq!(jobs::answer_link(&db, &open, &no).await.unwrap(), Some(Answered::Not(LinkState::Revoked)), "it does not come back");
}

/// A question by the link is answered on the page of the link, once, and both stay in the job history.
#[tokio::test]
async fn a_customers_question_is_answered_where_they_asked_it() {
    let (base, db) = start_with().await;
    let (who, stranger) = (ines(&db).await, Asker::at(&base));
    let me = Asker::at(&base).entering_as("ines", "brass needle").await;
    let proposal = Proposal { shop: "Skerry Lane".to_owned(), says: vec!["Sump off.".to_owned()], ..Proposal::default() };
    let token = jobs::make_link(&db, &who, 9, &proposal, 3).await.unwrap();
    let ask = [("name", "Lysander Quill"), ("words", "How long does it take?"), ("say", "question")];
    assert_eq!(stranger.post(&format!("/yes/{token}"), &ask).await.status(), StatusCode::OK);
    let customers = async || stranger.page(&format!("/yes/{token}")).await;
    assert!(customers().await.contains("How long does it take?") && customers().await.contains("Not answered yet"));
    let page = me.page("/jobs/9/open-up").await;
    let form = page.split("action=\"/jobs/9/link/reply\"").nth(1).unwrap().split("</form>").next().unwrap();
    assert!(form.contains("How long does it take?"));
    let question = form.split("name=\"question\"").nth(1).unwrap().split("value=\"").nth(1).unwrap().get(..36).unwrap().to_owned();
    let reply = async |question: &str, words: &str, key: &str| {
        me.post("/jobs/9/link/reply", &[("question", question), ("words", words), ("key", key), ("seen", "999")]).await
    };
    let empty = reply(&question, " ", "a").await;
    assert!(empty.status() == StatusCode::UNPROCESSABLE_ENTITY && empty.text().await.unwrap().contains("write your answer"));
    assert_eq!(reply(&uuid::Uuid::nil().to_string(), "x", "b").await.status(), StatusCode::BAD_REQUEST);
    assert_eq!(reply(&question, "Two days, with the parts.", "c").await.status(), StatusCode::SEE_OTHER);
    assert!(customers().await.contains("Two days, with the parts.") && !customers().await.contains("Not answered yet"));
    assert!(!me.page("/jobs/9/open-up").await.contains("link/reply"), "it is asked for once");
    assert!(me.page("/jobs/9/trace").await.contains("Answer to the customer"));
}
