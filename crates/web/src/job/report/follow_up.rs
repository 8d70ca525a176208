//! What is found after a job was closed: the first filter cut open, the level after some days. It is signed, stands beside the report, and leaves the report as it is.
use super::{Reader, page};
use crate::http::Failure;
use crate::http::form::{self, Ask, Choice, Form, Kind, Read};
use crate::job::{Desk, Sent, happened};
use crate::ui::words::describe;
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::web;
use velvet_dial_core::flag::stops;
use velvet_dial_core::stage::FOLLOW_UP;
use velvet_dial_core::trace::knowledge::knowledge;
use velvet_dial_core::unit::Units;
use velvet_dial_store::jobs::{self, Body, FollowUp, Job, Write};

/// What was found, and in which words.
pub static FORM: Form = Form {
    name: "follow_up",
    asks: &[
        Ask::new("found", "What was found", "after the closing", Kind::Choice),
        Ask::new("words", "In your words", "if there is more to say", Kind::Lines(600)),
    ],
};

/// A follow-up on the page.
pub struct Row {
    pub says: String,
    pub who: String,
    /// It means that the engine must not run.
    pub stops: bool,
    pub signed: bool,
}

/// Those of a job that count.
pub fn rows(job: &Job, unit: Units) -> Vec<Row> {
    let of = |entry: &jobs::Entry| {
        let Body::FollowUp(found) = &entry.body else { return None };
        Some(Row {
            says: describe(&entry.body, unit),
            who: format!("{}, {}", entry.author_name, happened::when(entry, &job.zone)),
            stops: stops(&found.check, &found.outcome),
            signed: found.signed.is_some() && found.holds(),
        })
    };
    job.live().filter_map(of).collect()
}

/// Every outcome of the checks that come later, and none.
pub fn choices() -> Vec<Choice> {
    let none = Choice { id: String::new(), label: "something else, in words".to_owned() };
    let of =
        |id: &&str| {
            let check = knowledge().check(id)?;
            Some(check.outcomes.iter().map(move |outcome| Choice {
                id: format!("{}={}", check.id, outcome.id),
                label: format!("{}: {}", check.ask, outcome.label),
            }))
        };
    FOLLOW_UP.iter().filter_map(of).flatten().chain([none]).collect()
}

/// Writes one.
pub async fn add(desk: Desk, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let mut typed = Read::of(&FORM, &form, desk.liking.unit);
    let words = typed.text("words");
    let found = typed.raw("found").to_owned();
    let (check, outcome) = found.split_once('=').unwrap_or_default();
    let known = found.is_empty() || (FOLLOW_UP.contains(&check) && knowledge().found(check, outcome).is_some());
    if !known {
        typed.slip.wrong("found", "Choose one of the findings on the list.");
    }
    if found.is_empty() && words.is_empty() {
        typed.slip.wrong("words", "Nothing typed yet: choose what was found, or say it in words.");
    }
    let job = desk.job().await?;
    if !job.closed() && typed.slip.is_clean() {
        typed.slip.wrong("words", "The job is open again: write this down on its screens.");
    }
    if !typed.slip.is_clean() {
        return page(desk, Reader::Full, typed.slip, StatusCode::UNPROCESSABLE_ENTITY).await;
    }
    let report = job.record.as_ref().and_then(|record| record.seal.as_ref()).map(|seal| seal.document.clone()).unwrap_or_default();
    let mut body = FollowUp { check: check.to_owned(), outcome: outcome.to_owned(), words, report, signed: None };
    if let Some(keys) = &desk.app.serving.keys {
        let signer = keys.of_shop(desk.viewer.shop).map_err(|error| Failure::NotSigned(error.to_string()))?;
        body.signed = Some(signer.sign(&body.hash()));
    }
    let sent = Sent::of(&form);
    let write = Write { happened: sent.happened(&desk.viewer), ..Write::of(Body::FollowUp(body), sent.key) };
    jobs::write(&desk.app.db, &desk.viewer, desk.number, &write).await?;
    Ok(desk.to(&format!("/jobs/{}/report#follow-up", desk.number)))
}
