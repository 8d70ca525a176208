//! A stop, an approval and a proof hold: what must not be got round by a form sent late, twice or by two people.
use crate::paper::words_of_pdf;
use crate::support::person::Person as Asker;
use crate::support::{ines, start_with};
use reqwest::StatusCode;
use velvet_dial_core::signing::verify;
use velvet_dial_store::jobs::{self, Body};
use velvet_dial_store::library;

/// A level under the mark is filled first, and nothing else; work over the approved amount waits for a new approval; what was withdrawn does not come back by a form sent once more.
#[tokio::test]
async fn what_stops_is_lifted_by_what_it_names_and_money_is_asked_for_again() {
    let (base, db) = start_with().await;
    let (me, who) = (Asker::at(&base).entering_as("ines", "brass needle").await, ines(&db).await);
    let says = async |path: &str, form: &[(&str, &str)], status: StatusCode, told: &str| {
        let answer = me.post(path, form).await;
        let (is, page) = (answer.status(), answer.text().await.unwrap());
        assert!(is == status && page.contains(told), "{path} {form:?}: {is}, without “{told}”");
    };
    let job = jobs::load(&db, &who, 10).await.unwrap();
    let answered = job.live().find(|entry| matches!(&entry.body, Body::Evidence { check, .. } if check == "level"));
    let answered = answered.map(|entry| entry.id.to_string()).unwrap_or_default();
    let level = [("check", "level"), ("outcome", "low"), ("stage", "look"), ("key", "low"), ("supersedes", answered.as_str())];
    says("/jobs/10/evidence", &level, StatusCode::SEE_OTHER, "").await;
    let page = me.page("/jobs/10/look").await;
    assert!(page.contains("Fill first") && page.contains("The oil level is under the mark") && page.contains("Filled, the level is right"));
    says("/jobs/10/filled", &[("stage", "look"), ("key", "f")], StatusCode::SEE_OTHER, "").await;
    assert!(!me.page("/jobs/10/look").await.contains("Fill first"));

    // The same form once more, after its entry was withdrawn, asks; it writes nothing by itself.
    let job = jobs::load(&db, &who, 10).await.unwrap();
    let filled = job.entries.last().unwrap().id.to_string();
    let withdraw = [("supersedes", filled.as_str()), ("reason", "it was another car"), ("stage", "look"), ("key", "w")];
    says("/jobs/10/withdraw", &withdraw, StatusCode::SEE_OTHER, "").await;
    let before = jobs::load(&db, &who, 10).await.unwrap().seq();
    says("/jobs/10/filled", &[("stage", "look"), ("key", "f")], StatusCode::CONFLICT, "Oil filled to the mark").await;
    assert_eq!(jobs::load(&db, &who, 10).await.unwrap().seq(), before);

    // A repair that costs more than was approved.
    let agreed = [("who", "The tug's owner"), ("how", "by phone"), ("up_to", "10"), ("key", "a"), ("stage", "open_up")];
    says("/jobs/9/agreed", &agreed, StatusCode::SEE_OTHER, "").await;
    let repair = [("cause", "pump_worn"), ("done", "New pump"), ("key", "r"), ("stage", "put_right")];
    says("/jobs/9/repair", &repair, StatusCode::UNPROCESSABLE_ENTITY, "approved up to 10").await;
    assert!(me.page("/jobs/9/open-up").await.contains("Ask them again"));
    let job = jobs::load(&db, &who, 9).await.unwrap();
    let entry = job.live().find(|entry| matches!(entry.body, Body::Agreed { .. })).unwrap().id.to_string();
    let more = [("who", "The tug's owner"), ("up_to", "90000"), ("key", "b"), ("supersedes", entry.as_str()), ("stage", "open_up")];
    says("/jobs/9/agreed", &more, StatusCode::SEE_OTHER, "").await;
    says("/jobs/9/repair", &[&repair[..], &[("stopgap", "yes")]].concat(), StatusCode::SEE_OTHER, "").await;
    // A stopgap is named as one.
    let report = me.page("/jobs/9/report").await;
    assert!(report.contains("Stopgap: Oil pump worn") && report.contains("A stopgap was used: New pump."));

    // A photo of more points than are taken.
    let mut large = std::io::Cursor::new(Vec::new());
    image::GrayImage::new(8000, 6300).write_to(&mut large, image::ImageFormat::Png).unwrap();
    let answer = me.photo(8, "level", large.into_inner()).await;
    assert_eq!(answer.status(), StatusCode::UNPROCESSABLE_ENTITY);
    let told = answer.text().await.unwrap();
    assert!(told.contains("more than 50 megapixels"), "{told}");
}

/// Two people close one job, change one engine, correct one sheet: the second is told, keeps what they typed, and overwrites nothing unseen. What is found after the closing stands beside the report.
#[tokio::test]
async fn the_second_of_two_is_told_and_a_follow_up_leaves_the_report_as_it_is() {
    let (base, db) = start_with().await;
    let (me, who) = (Asker::at(&base).entering_as("ines", "brass needle").await, ines(&db).await);
    let other = Asker::at(&base).entering_as("odd", "brass needle").await;
    let first = other.post("/jobs/9/close", &[("cause", "pickup_air"), ("known", "seen"), ("key", "o")]).await;
    assert_eq!(first.status(), StatusCode::SEE_OTHER);
    let second = me.post("/jobs/9/close", &[("cause", "pump_worn"), ("known", "seen"), ("key", "i")]).await;
    assert_eq!(second.status(), StatusCode::CONFLICT);
    assert!(second.text().await.unwrap().contains("Odd closed this job at"));

    let signed = me.bytes("/jobs/9/report.json").await;
    assert!(verify(&signed).unwrap().signed_by.is_some());
    let nothing = me.post("/jobs/9/follow-up", &[("found", ""), ("words", ""), ("key", "n")]).await;
    assert_eq!(nothing.status(), StatusCode::UNPROCESSABLE_ENTITY);
    let open = me.post("/jobs/8/follow-up", &[("found", "filter_cut=clean"), ("key", "n")]).await;
    assert!(open.status() == StatusCode::UNPROCESSABLE_ENTITY && open.text().await.unwrap().contains("The job is open again"));
    let metal = [("found", "filter_cut=bearing_metal"), ("words", "Cut open after a week"), ("key", "m")];
    assert_eq!(me.post("/jobs/9/follow-up", &metal).await.status(), StatusCode::SEE_OTHER);
    let page = me.page("/jobs/9/report").await;
    assert!(
        page.contains("Cut open after a week") && page.contains(", signed") && page.contains("Do not run the engine. Call the customer")
    );
    assert!(page.contains("Found after the closing: Filter cut open"), "it stands first");
    let paper = words_of_pdf(&me.bytes("/jobs/9/report.pdf?reader=customer").await).join(" ");
    assert!(paper.contains("Found after the closing") && paper.contains("Cut open after a week"), "{paper}");
    assert_eq!(me.bytes("/jobs/9/report.json").await, signed, "the signed report is what it was");

    let engine = library::engines(&db, &who).await.unwrap().remove(0);
    let form = me.page(&format!("/library?engine={}", engine.id)).await;
    let value = |name: &str| {
        let at = form.split(&format!("name=\"{name}\"")).nth(1).unwrap_or_default();
        at.split("value=\"").nth(1).unwrap_or_default().split('"').next().unwrap_or_default().to_owned()
    };
    let saw = value("saw");
    assert_eq!(saw.len(), 64, "{saw}");
    let card = |name: &'static str| {
        let mut fields: Vec<(String, String)> = vec![("name".to_owned(), name.to_owned()), ("saw".to_owned(), saw.clone())];
        for number in ["displacement_l", "cylinders", "idle_rpm"] {
            fields.push((number.to_owned(), value(number)));
        }
        fields.push(("oil_grade".to_owned(), engine.card.oil_grade.clone()));
        fields
    };
    let change = async |by: &Asker, name: &'static str| {
        let fields = card(name);
        let form: Vec<(&str, &str)> = fields.iter().map(|(name, value)| (name.as_str(), value.as_str())).collect();
        let answer = by.post(&format!("/library/engines/{}", engine.id), &form).await;
        (answer.status(), answer.text().await.unwrap())
    };
    assert_eq!(change(&other, "Changed by Odd").await.0, StatusCode::SEE_OTHER);
    let (status, told) = change(&me, "Changed by Ines").await;
    assert!(
        status == StatusCode::CONFLICT && told.contains("changed this engine after you opened it") && told.contains("Changed by Ines"),
        "{status}"
    );
    assert_eq!(library::engine(&db, &who, engine.id).await.unwrap().name, "Changed by Odd");
}
