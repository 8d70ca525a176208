//! Records what was put right.
use super::{Desk, Sent};
use crate::error::Failure;
use crate::workbench::{Ask, Slip, Stage};
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use serde::Deserialize;
use velvet_dial_core::field;
use velvet_dial_core::trace::knowledge::knowledge;
use velvet_dial_store::jobs::{Body, Repair};

/// The repair as it was typed.
#[derive(Deserialize, Default)]
#[serde(default)]
pub struct Typed {
    cause: String,
    done: String,
    follow_up: String,
    key: String,
    seen: String,
    supersedes: String,
}

/// Writes the repair.
pub async fn record(desk: Desk, form: web::Form<Typed>) -> Result<HttpResponse, Failure> {
    let form = form.into_inner();
    let mut slip = Slip::of("repair");
    slip.keep("cause", &form.cause);
    slip.keep("done", &form.done);
    slip.keep("follow_up", &form.follow_up);
    let done = slip.take("done", field::text("What was done", &form.done, 2000)).unwrap_or_default();
    let follow_up = slip.take("follow_up", field::text("What may follow", &form.follow_up, 2000)).unwrap_or_default();
    if done.is_empty() && slip.is_clean() {
        slip.wrong("done", "What was done: a sentence for the report, for example “New pickup seal, flange bolt first, bracket last”.");
    }
    if !form.cause.is_empty() && knowledge().cause(&form.cause).is_none() {
        slip.wrong("cause", "Choose one of the causes on the list.");
    }
    if !slip.is_clean() {
        let ask = Ask { seen: form.seen.parse().ok(), slip, ..Ask::default() };
        return desk.answer(Stage::PutRight, ask, StatusCode::UNPROCESSABLE_ENTITY).await;
    }
    let cause = Some(form.cause.clone()).filter(|cause| !cause.is_empty());
    let sent = Sent { key: &form.key, seen: &form.seen, supersedes: &form.supersedes };
    let fields =
        vec![("cause".to_owned(), form.cause.clone()), ("done".to_owned(), done.clone()), ("follow_up".to_owned(), follow_up.clone())];
    desk.write(Stage::PutRight, sent, Body::Repair(Repair { cause, done, follow_up }), "repair", fields).await
}
