//! Takes an entry back; it stays readable, struck through, with the reason. A slip of the finger is taken back by one tap for a minute.
use crate::http::Failure;
use crate::http::form::{self, Ask, Form, Kind, Read};
use crate::job::shell::Ask as Asked;
use crate::job::{Desk, Sent};
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::web::{self, ServiceConfig, post};
use chrono::{NaiveDateTime, TimeDelta, Utc};
use uuid::Uuid;
use velvet_dial_core::stage::Stage;
use velvet_dial_store::jobs::{Body, Entry, Job};

/// Which, and why.
static FORM: Form = Form {
    name: "withdraw",
    asks: &[
        Ask::new("reason", "Reason", "", Kind::Needed(300, "say in a few words why it no longer holds; others will read it.")),
        Ask::new("entry", "", "", Kind::Hidden),
        Ask::new("stage", "", "", Kind::Hidden),
    ],
};

/// Writes the withdrawal.
pub async fn withdraw(desk: Desk, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let mut sent = Sent::of(&form);
    let mut typed = Read::of(&FORM, &form, desk.liking.unit);
    let stage = Stage::parse(typed.raw("stage")).unwrap_or(Stage::Trace);
    let reason = typed.text("reason");
    if !typed.slip.is_clean() {
        let ask = Asked { seen: sent.seen(), slip: typed.slip, ..Asked::default() };
        return desk.answer(stage, ask, StatusCode::UNPROCESSABLE_ENTITY).await;
    }
    if sent.supersedes.is_empty() {
        sent.supersedes = typed.raw("entry");
    }
    desk.write(stage, sent, Body::Withdrawn { reason }, "withdraw", typed.fields()).await
}

/// How long a tap is undone by one.
const AT_ONCE: TimeDelta = TimeDelta::seconds(60);
/// A slow connection does not count against it.
const SLACK: TimeDelta = TimeDelta::seconds(60);
const UNDONE: &str = "undone at once";

/// The entry that its writer may still undo: the last one, while it is fresh.
pub fn fresh(job: &Job, who: Uuid, now: NaiveDateTime) -> Option<&Entry> {
    let last = job.entries.last().filter(|last| last.author == who && now - last.written_at < AT_ONCE)?;
    let kind = matches!(last.body, Body::Circumstance { .. } | Body::Evidence { .. } | Body::Reading(_) | Body::Particulars(_));
    (kind && !job.closed()).then_some(last)
}

/// Undoes what the asker has just written: brings back what it replaced, or withdraws it.
pub async fn undo(desk: Desk, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let sent = Sent::of(&form);
    let stage = Stage::parse(form.get("stage").map_or("", String::as_str)).unwrap_or(Stage::Trace);
    let job = desk.job().await?;
    let supersedes = sent.supersedes()?;
    let own = |entry: &&Entry| {
        Some(entry.id) == supersedes && entry.author == desk.viewer.user && Utc::now().naive_utc() - entry.written_at < AT_ONCE + SLACK
    };
    let Some(entry) = job.live().find(own) else {
        // Too late, or done by somebody else meanwhile: the screen shows what stands.
        return desk.answer(stage, Asked { seen: sent.seen(), ..Asked::default() }, StatusCode::OK).await;
    };
    let body = job.said_before(entry.id).cloned().unwrap_or_else(|| Body::Withdrawn { reason: UNDONE.to_owned() });
    desk.write(stage, sent, body, "undo", vec![("stage".to_owned(), stage.id().to_owned())]).await
}

/// Their addresses.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/jobs/{number}/withdraw", post().to(withdraw)).route("/jobs/{number}/undo", post().to(undo));
}
