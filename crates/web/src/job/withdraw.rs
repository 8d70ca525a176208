//! Takes an entry back; it stays readable, struck through, with the reason.
use crate::http::Failure;
use crate::http::Slip;
use crate::job::shell::Ask;
use crate::job::{Desk, Sent};
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::web::{self, ServiceConfig, post};
use serde::Deserialize;
use velvet_dial_core::field;
use velvet_dial_core::stage::Stage;
use velvet_dial_store::jobs::Body;

/// Which, and why.
#[derive(Deserialize, Default)]
#[serde(default)]
pub struct Withdrawal {
    entry: String,
    reason: String,
    stage: String,
    key: String,
    seen: String,
    supersedes: String,
}

/// Writes the withdrawal.
pub async fn withdraw(desk: Desk, form: web::Form<Withdrawal>) -> Result<HttpResponse, Failure> {
    let form = form.into_inner();
    let stage = Stage::parse(&form.stage).unwrap_or(Stage::Trace);
    let mut slip = Slip::of("withdraw");
    slip.keep("reason", &form.reason);
    let reason = slip.take("reason", field::text("Reason", &form.reason, 300)).filter(|reason| !reason.is_empty());
    let Some(reason) = reason else {
        if slip.is_clean() {
            slip.wrong("reason", "Reason: say in a few words why it no longer holds; others will read it.");
        }
        let ask = Ask { seen: form.seen.parse().ok(), slip, ..Ask::default() };
        return desk.answer(stage, ask, StatusCode::UNPROCESSABLE_ENTITY).await;
    };
    let supersedes = if form.supersedes.is_empty() { &form.entry } else { &form.supersedes };
    let sent = Sent { key: &form.key, seen: &form.seen, supersedes };
    let fields = vec![("reason".to_owned(), reason.clone()), ("stage".to_owned(), stage.id().to_owned())];
    desk.write(stage, sent, Body::Withdrawn { reason }, "withdraw", fields).await
}

/// Its address.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/jobs/{number}/withdraw", post().to(withdraw));
}
