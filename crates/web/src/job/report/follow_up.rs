//! What is found after a job was closed: the first filter cut open, the level after some days. It is signed, stands beside the report, and leaves the report as it is.
use super::{Reader, page};
use crate::http::Failure;
use crate::http::form::{self, Choice, Form, Kind, Question, Read};
use crate::job::{JobContext, Sent, happened};
use crate::ui::words::{flag_class, followed_up};
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::web;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::safety::{Word, stops};
use velvet_dial_core::stage::FOLLOW_UP;
use velvet_dial_report::{Block, Span, Tone};
use velvet_dial_store::jobs::{self, Body, FollowUp, Job, Write};

/// What was found, and in which words.
pub static FORM: Form = Form {
    name: "follow_up",
    asks: &[
        Question::new("found", "What was found", "after the closing", Kind::Choice),
        Question::new("words", "In your words", "if there is more to say", Kind::Lines(600)),
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
pub fn rows(job: &Job) -> Vec<Row> {
    let of = |entry: &jobs::Entry| {
        let Body::FollowUp(found) = &entry.body else { return None };
        Some(Row {
            says: followed_up(found),
            who: format!("{}, {}", entry.author_name, happened::when(entry, &job.zone)),
            stops: stops(&found.check, &found.outcome),
            signed: found.signed.is_some() && found.holds(),
        })
    };
    job.live().filter_map(of).collect()
}

/// What stands first on page and paper where a follow-up means that the engine must not run.
pub fn warning(rows: &[Row]) -> Option<Block> {
    let found = rows.iter().find(|row| row.stops)?;
    let spans = vec![
        Span::new(Tone::Strong, "Do not run the engine."),
        Span::new(Tone::Plain, format!("Found after the closing: {}.", found.says)),
    ];
    Some(Block::Notice { spans, class: flag_class(Word::DoNotRun) })
}

/// The follow-ups on paper, before what the report rests on; the page has them beside their form.
pub fn on_paper(rows: &[Row]) -> Vec<Block> {
    if rows.is_empty() {
        return Vec::new();
    }
    let heading = Block::Heading { text: "After the closing".to_owned() };
    let about = "Written down after the report was signed. The signed report does not say it.".to_owned();
    let row = |row: &Row| {
        let signed = if row.signed { ", signed by the shop" } else { "" };
        let said = vec![Span::new(Tone::Strong, &row.says), Span::new(Tone::Soft, format!("({}{signed})", row.who))];
        Block::Text { spans: said, large: false }
    };
    [heading, Block::Small { text: about }].into_iter().chain(rows.iter().map(row)).collect()
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
pub async fn add(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let mut typed = Read::of(&FORM, &form, context.preferences.unit);
    let words = typed.text("words");
    let found = typed.raw("found").to_owned();
    let (check, outcome) = found.split_once('=').unwrap_or_default();
    let known = found.is_empty() || (FOLLOW_UP.contains(&check) && knowledge().found(check, outcome).is_some());
    if !known {
        typed.form_state.wrong("found", "Choose one of the findings on the list.");
    }
    if found.is_empty() && words.is_empty() {
        typed.form_state.wrong("words", "Nothing typed yet: choose what was found, or say it in words.");
    }
    let job = context.job().await?;
    if !job.closed() && typed.form_state.is_clean() {
        typed.form_state.wrong("words", "The job is open again: write this down on its screens.");
    }
    if !typed.form_state.is_clean() {
        return page(context, Reader::Full, typed.form_state, StatusCode::UNPROCESSABLE_ENTITY).await;
    }
    let report = job.record.as_ref().and_then(|record| record.seal.as_ref()).map(|seal| seal.document.clone()).unwrap_or_default();
    let mut body = FollowUp { check: check.to_owned(), outcome: outcome.to_owned(), words, report, signed: None };
    if let Some(keys) = &context.app.serving.keys {
        let signer = keys.of_shop(context.viewer.shop).map_err(|error| Failure::NotSigned(error.to_string()))?;
        body.signed = Some(signer.sign(&body.hash()));
    }
    let sent = Sent::of(&form);
    let write = Write { happened: sent.happened(&context.viewer), ..Write::of(Body::FollowUp(body), sent.key) };
    jobs::write(&context.app.db, &context.viewer, context.number, &write).await?;
    Ok(context.to(&format!("/jobs/{}/report#follow-up", context.number)))
}
