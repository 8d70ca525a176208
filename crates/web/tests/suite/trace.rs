//! The trace before a real browser: why a suspect stands where it stands, a cause struck out that comes back with its fact, orders, one's own choice, a leader overturned.
use crate::support::screen::{Person, until};
use thirtyfour::prelude::*;

struct Screen {
    person: Person,
    base: String,
}

impl Screen {
    async fn at(&self, path: &str) {
        self.person.driver.goto(format!("{}{path}", self.base)).await.unwrap();
    }

    /// The suspects in full view, as they stand.
    async fn suspects(&self) -> Vec<String> {
        let rows = self.person.driver.find_all(By::Css(".suspect-list > .suspect-row")).await.unwrap_or_default();
        let mut ids = Vec::new();
        for row in rows {
            ids.extend(row.attr("id").await.ok().flatten());
        }
        ids
    }

    async fn open(&self, css: &str) {
        let summary = self.person.driver.find(By::Css(format!("{css} > summary"))).await.unwrap();
        summary.scroll_into_view().await.unwrap();
        summary.click().await.unwrap();
    }
}

#[tokio::test]
async fn a_suspect_says_why_is_struck_out_on_a_fact_and_comes_back_with_it() {
    let (browser, person, base) = Person::at_the_shop().await;
    let screen = Screen { person, base };
    let (me, driver) = (&screen.person, &browser.driver);
    screen.at("/jobs/9/trace").await;
    me.sees("The oil system is not OK").await;
    me.sees("What would most likely overturn it").await;
    me.sees("came first, and led to").await;
    assert!(screen.suspects().await.contains(&"suspect-bearings_crank".to_owned()));

    // In words, then in figures; a part of the picture opens what touches it.
    screen.open("#suspect-bearings_crank").await;
    until("why", || async { driver.find(By::Css("#suspect-bearings_crank .why")).await.is_ok() }).await;
    assert!(me.text().await.contains("to one"), "in words");
    screen.open("#suspect-bearings_crank .why details:nth-of-type(1)").await;
    me.sees("Natural log").await;
    driver.find(By::Css(".route a[aria-label^='Pickup']")).await.unwrap().send_keys(Key::Enter + "").await.unwrap();
    me.sees("Light through the screen").await;
    assert_eq!(browser.axe().await, Vec::<String>::new());

    // Struck out on a fact, it is gone from the list; when the fact falls, it is back and says so.
    screen.open("#suspect-bearings_crank .why details:nth-of-type(2)").await;
    driver.find(By::Css("#because-bearings_crank option[value='oil_look=clean']")).await.unwrap().click().await.unwrap();
    driver
        .find(By::XPath("//details[@id='suspect-bearings_crank']//button[contains(., 'Rule out')]"))
        .await
        .unwrap()
        .click()
        .await
        .unwrap();
    me.sees("because of “Feel, smell and look of the oil: Clean”").await;
    assert!(!screen.suspects().await.contains(&"suspect-bearings_crank".to_owned()));
    screen.at("/jobs/9/look").await;
    driver.find(By::XPath("//section[@id='check-oil_look']//summary")).await.unwrap().click().await.unwrap();
    driver.find(By::Css("#check-oil_look button[value='sludge']")).await.unwrap().click().await.unwrap();
    me.sees("Saved: Feel, smell and look of the oil: Sludge").await;
    screen.at("/jobs/9/trace").await;
    me.sees("is back: “Feel, smell and look of the oil: Clean” does not stand any more").await;
    assert!(screen.suspects().await.contains(&"suspect-bearings_crank".to_owned()));
    me.press("Noted").await;
    until("noted", || async { !me.text().await.contains("is back:") }).await;
    browser.quit().await;
}

#[tokio::test]
async fn the_next_step_follows_the_order_that_is_chosen_and_ones_own_choice_has_its_price() {
    let (browser, person, base) = Person::at_the_shop().await;
    let screen = Screen { person, base };
    let (me, driver) = (&screen.person, &browser.driver);
    screen.at("/jobs/9/trace").await;

    // Each order with what it may be expected to cost; another is chosen by a tap and taken back by one.
    screen.open(".drawer details:first-of-type").await;
    me.sees("right in").await;
    me.press("cheapest first").await;
    me.sees("Strategy: cheapest first").await;
    let minutes = async || {
        let first = driver.find(By::Css(".drawer .card .eyebrow")).await.unwrap().text().await.unwrap();
        first.split(" · ").find_map(|part| part.strip_suffix(" min").and_then(|minutes| minutes.parse::<u32>().ok()))
    };
    assert!(minutes().await.is_some_and(|minutes| minutes <= 3), "{:?}", minutes().await);
    me.press("Undo").await;
    me.sees("Strategy: most useful per minute").await;

    // The part that it always is: its odds, its proof, its price.
    screen.open(".drawer > details:last-of-type").await;
    driver.find(By::Css("#pattern-cause option[value='pump_worn']")).await.unwrap().click().await.unwrap();
    me.press("Save usual cause").await;
    me.sees("What would prove it").await;
    me.sees("in vain with the comeback").await;

    // One's own choice with its price, and the leader overturned by it.
    let before = screen.suspects().await;
    screen.at("/jobs/9/trace?instead=oil_grade").await;
    me.sees("Your choice").await;
    driver.find(By::Css("#check-oil_grade-next button[value='thinner']")).await.unwrap().click().await.unwrap();
    until("another leads", || async { screen.suspects().await.first() != before.first() }).await;
    assert_eq!(screen.suspects().await.first().unwrap(), "suspect-oil_thin");
    assert_eq!(browser.axe().await, Vec::<String>::new());
    browser.quit().await;
}
