//! Every field of every form refuses what it cannot take: beside itself, with a sentence, and with what was typed. The screens drive it, so a new form is in it.
use crate::house::typed;
use crate::support::person::Person;
use crate::support::start_with;
use reqwest::StatusCode;
use std::collections::BTreeSet;
use velvet_dial_core::calculator::ALL;

/// Where forms are: the demo's jobs in every stage, and the shop's pages.
const PAGES: [&str; 20] = [
    "/jobs/new",
    "/library",
    "/gauges",
    "/rigs",
    "/settings",
    "/ways",
    "/jobs/9/intake",
    "/jobs/9/look",
    "/jobs/9/rig",
    "/jobs/9/run",
    "/jobs/9/compare",
    "/jobs/9/open-up",
    "/jobs/9/put-right",
    "/jobs/9/prove",
    "/jobs/5/run",
    "/jobs/5/open-up",
    "/jobs/5/put-right",
    "/jobs/5/prove",
    "/jobs/7/open-up",
    "/jobs/7/prove",
];

/// What is typed where neither number, day nor moment is meant; none for a field that takes any text. A day is known by the hint of its label.
fn nonsense(form: &str, tag: &str) -> Option<&'static str> {
    let id = tag.split("id=\"").nth(1).and_then(|rest| rest.split('"').next()).unwrap_or_default();
    let label = form.split(&format!("for=\"{id}\"")).nth(1).and_then(|rest| rest.split("</label>").next()).unwrap_or_default();
    let typed = ["inputmode=\"decimal\"", "inputmode=\"numeric\"", "type=\"datetime-local\""].iter().any(|kind| tag.contains(kind));
    (typed || label.contains("year-month-day")).then_some("sixty-ish")
}

#[tokio::test]
async fn every_number_and_day_of_every_form_is_refused_beside_its_field_and_kept() {
    let (base, _db) = start_with().await;
    let me = Person::at(&base).entering_as("ines", "brass needle").await;
    let (mut seen, mut wrong) = (BTreeSet::new(), Vec::new());
    for path in PAGES {
        let page = me.page(path).await;
        for form in page.split("<form").skip(1).filter_map(|rest| rest.split("</form>").next()) {
            let head = form.split('>').next().unwrap();
            let action = head.split("action=\"").nth(1).and_then(|rest| rest.split('"').next()).unwrap_or_default();
            if !head.contains("method=\"post\"") || head.contains("multipart") {
                continue;
            }
            let mut fields = typed(form);
            // As a browser sends the button that was pressed.
            let button =
                form.split("<button").skip(1).map(|tag| tag.split('>').next().unwrap_or_default()).find(|tag| tag.contains(" name="));
            let of =
                |tag: &str, what: &str| tag.split(&format!(" {what}=\"")).nth(1).and_then(|rest| rest.split('"').next()).map(str::to_owned);
            fields.extend(button.and_then(|tag| of(tag, "name").zip(of(tag, "value"))));
            for tag in form.split("<input").skip(1).filter_map(|rest| rest.split('>').next()) {
                let name = tag.split(" name=\"").nth(1).and_then(|rest| rest.split('"').next()).unwrap_or_default();
                let Some(bad) = nonsense(form, tag).filter(|_| seen.insert(format!("{action} {name}"))) else { continue };
                let sent: Vec<(&str, &str)> =
                    fields.iter().map(|(field, value)| (field.as_str(), if field == name { bad } else { value.as_str() })).collect();
                let answer = me.post(action, &sent).await;
                let (status, text) = (answer.status(), answer.text().await.unwrap());
                // The field itself is marked, and holds what was typed.
                let kept = text.split("<input").any(|tag| {
                    let tag = tag.split('>').next().unwrap_or_default();
                    tag.contains(&format!(" name=\"{name}\"")) && tag.contains(&format!("value=\"{bad}\"")) && tag.contains("aria-invalid")
                });
                if status != StatusCode::UNPROCESSABLE_ENTITY || !kept {
                    wrong.push(format!("{path}: {action} {name}: {status}, kept: {kept}"));
                }
            }
        }
    }
    assert!(seen.len() > 60, "{} fields were tried: {seen:?}", seen.len());
    assert_eq!(wrong, Vec::<String>::new());
}

/// Every calculator has its page, says what a number cannot be, and keeps it.
#[tokio::test]
async fn every_calculators_page_says_what_a_number_cannot_be() {
    let (base, _db) = start_with().await;
    let me = Person::at(&base).entering_as("ines", "brass needle").await;
    let (mut tried, mut wrong) = (0, Vec::new());
    for calculator in ALL {
        let path = format!("/calculators/{}", calculator.name);
        let page = me.page(&path).await;
        assert!(page.contains("<h1>") && page.contains("Calculate"), "{path}");
        let form = page.split("id=\"figures\"").nth(1).unwrap().split("</form>").next().unwrap();
        let numbers = form.split("<input").skip(1).filter(|tag| tag.split('>').next().unwrap_or_default().contains("decimal"));
        for tag in numbers {
            let name = tag.split(" name=\"").nth(1).unwrap().split('"').next().unwrap();
            let told = me.page(&format!("{path}?{name}=sixty-ish")).await;
            tried += 1;
            if !told.contains("value=\"sixty-ish\"") || !told.contains("is not a number") {
                wrong.push(format!("{path} {name}"));
            }
        }
    }
    assert!(tried > 40 && wrong.is_empty(), "{tried}: {wrong:?}");
}
