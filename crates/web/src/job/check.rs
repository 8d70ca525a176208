//! Takes the outcome of a check, from any stage.
use crate::http::Failure;
use crate::job::opening::{self, waits_for_yes};
use crate::job::{Desk, Sent};
use actix_web::HttpResponse;
use actix_web::web::{self, ServiceConfig, post};
use serde::Deserialize;
use velvet_dial_core::stage::Stage;
use velvet_dial_core::trace::knowledge::knowledge;
use velvet_dial_store::jobs::Body;

/// One tap.
#[derive(Deserialize)]
pub struct Outcome {
    check: String,
    outcome: String,
    #[serde(default)]
    stage: String,
    #[serde(default)]
    key: String,
    #[serde(default)]
    seen: String,
    #[serde(default)]
    supersedes: String,
}

/// Answers that put a check off: whether it cannot be done here at all.
const PUT_OFF: [(&str, bool); 2] = [("not_now", false), ("cannot", true)];

/// Writes the outcome.
pub async fn answer(desk: Desk, form: web::Form<Outcome>) -> Result<HttpResponse, Failure> {
    let form = form.into_inner();
    let check = knowledge().check(&form.check);
    let put_off = PUT_OFF.iter().find(|(word, ..)| *word == form.outcome).map(|(_, cannot)| *cannot);
    if !check.is_some_and(|check| put_off.is_some() || check.outcome(&form.outcome).is_some()) {
        return Err(Failure::Form("a check or an outcome that is none".to_owned()));
    }
    let sent = Sent { key: &form.key, seen: &form.seen, supersedes: &form.supersedes };
    // Most checks open no engine: for them nothing is asked.
    if let Some(check) = check.filter(|check| put_off.is_none() && check.may_open())
        && waits_for_yes(&desk.job().await?, check)
    {
        return opening::refused(&desk, sent).await;
    }
    let stage = Stage::parse(&form.stage).unwrap_or(Stage::Trace);
    let fields = vec![
        ("check".to_owned(), form.check.clone()),
        ("outcome".to_owned(), form.outcome.clone()),
        ("stage".to_owned(), stage.id().to_owned()),
    ];
    let body = match put_off {
        Some(cannot) => Body::PutOff { check: form.check.clone(), cannot },
        None => Body::Evidence { check: form.check.clone(), outcome: form.outcome.clone() },
    };
    desk.write(stage, sent, body, "evidence", fields).await
}

/// Its address.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/jobs/{number}/evidence", post().to(answer));
}
