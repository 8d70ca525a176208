//! Takes an entry back; it stays readable, struck through, with the reason. A slip of the finger is taken back by one tap for a minute.
use crate::http::Failure;
use crate::http::form::{self, Form, Kind, Question, Read};
use crate::job::context::UNDO;
use crate::job::frame::ScreenRequest;
use crate::job::{JobContext, Sent};
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
        Question::new("reason", "Reason", "", Kind::Needed(300, "say in a few words why it is withdrawn; others will read it.")),
        Question::new("entry", "", "", Kind::Hidden),
        Question::new("stage", "", "", Kind::Hidden),
    ],
};

/// Writes the withdrawal.
pub async fn withdraw(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let mut sent = Sent::of(&form);
    let mut typed = Read::of(&FORM, &form, context.preferences.unit);
    let stage = Stage::parse(typed.raw("stage")).unwrap_or(Stage::Trace);
    let reason = typed.text("reason");
    if !typed.form_state.is_clean() {
        let ask = ScreenRequest { seen: sent.seen(), form_state: typed.form_state, ..ScreenRequest::default() };
        return context.answer(stage, ask, StatusCode::UNPROCESSABLE_ENTITY).await;
    }
    if sent.supersedes.is_empty() {
        sent.supersedes = typed.raw("entry");
    }
    context.write(stage, sent, Body::Withdrawn { reason }, "withdraw", typed.fields()).await
}

/// How long a tap is undone by one.
const AT_ONCE: TimeDelta = TimeDelta::seconds(60);
/// A slow connection does not count against it.
const SLACK: TimeDelta = TimeDelta::seconds(60);
pub(super) const UNDONE: &str = "undone at once";

/// Seconds for which a fresh entry can still be undone.
pub fn left_s(entry: &Entry, now: NaiveDateTime) -> i64 {
    (AT_ONCE - (now - entry.written_at)).num_seconds().max(1)
}

/// The entry that its writer may still undo: the last one, while it is fresh.
pub fn fresh(job: &Job, who: Uuid, now: NaiveDateTime) -> Option<&Entry> {
    let last = job.entries.last().filter(|last| last.author == who && now - last.written_at < AT_ONCE)?;
    let kind = matches!(
        last.body,
        Body::Circumstance { .. }
            | Body::Replaced { .. }
            | Body::UploadWithdrawn { .. }
            | Body::Evidence { .. }
            | Body::PutOff { .. }
            | Body::Photo(_)
            | Body::Note(_)
            | Body::Rig(_)
            | Body::Reading(_)
            | Body::Particulars(_)
            | Body::Struck { .. }
            | Body::Order { .. }
            | Body::Pattern { .. }
            | Body::Agreed { .. }
            | Body::Crank { .. }
            | Body::Done { .. }
            | Body::Talked { .. }
            | Body::Journal { .. }
            | Body::Measured { .. }
            | Body::Worked { .. }
            | Body::Promised { .. }
            | Body::Cranked { .. }
            | Body::Filled {}
            | Body::Comeback { .. }
    );
    (kind && !job.closed()).then_some(last)
}

/// Undoes what the asker has just written: brings back what it replaced, or withdraws it.
pub async fn undo(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let sent = Sent::of(&form);
    let stage = Stage::parse(form.get("stage").map_or("", String::as_str)).unwrap_or(Stage::Trace);
    let job = context.job().await?;
    let supersedes = sent.supersedes()?;
    let own = |entry: &&Entry| {
        Some(entry.id) == supersedes && entry.author == context.viewer.user && Utc::now().naive_utc() - entry.written_at < AT_ONCE + SLACK
    };
    let Some(entry) = job.live().find(own) else {
        // Too late, or done by somebody else meanwhile: the screen shows what stands.
        return context.answer(stage, ScreenRequest { seen: sent.seen(), ..ScreenRequest::default() }, StatusCode::OK).await;
    };
    let body = job.said_before(entry.id).cloned().unwrap_or_else(|| Body::Withdrawn { reason: UNDONE.to_owned() });
    context.write(stage, sent, body, UNDO, vec![("stage".to_owned(), stage.id().to_owned())]).await
}

/// Their addresses.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/jobs/{number}/withdraw", post().to(withdraw)).route("/jobs/{number}/undo", post().to(undo));
}

#[cfg(test)]
mod tests {
    use super::*;
    use velvet_dial_core::case::{Phase, Reading};
    use velvet_dial_core::circuit::Card;
    use velvet_dial_store::jobs::{Found, Head, Particulars, Repair, TakenReading};
    use velvet_dial_store::library::Engine;

    fn job(entries: Vec<Entry>) -> Job {
        let at = "2026-11-25T08:00:00".parse().unwrap_or_default();
        let card = Card::of(2.0, 4, 750.0, "5W-30");
        let engine = Engine { id: Uuid::nil(), name: String::new(), card, sheets: Vec::new(), revisions: Vec::new() };
        let head = Head { number: 1, opened_at: at, ..Head::default() };
        Job {
            head,
            engine,
            known_patterns: Vec::new(),
            memory: None,
            gauges: Vec::new(),
            entries,
            zone: Default::default(),
            record: None,
            judged_seq: None,
        }
    }

    fn entry(seq: i32, body: Body, author: u128, second: i64) -> Entry {
        let start: NaiveDateTime = "2026-11-25T08:00:00".parse().unwrap_or_default();
        let written_at = start + TimeDelta::seconds(second);
        let id = Uuid::from_u128(seq as u128);
        Entry {
            id,
            seq,
            body,
            author: Uuid::from_u128(author),
            author_name: String::new(),
            written_at,
            happened_at: written_at,
            time_reason: String::new(),
            supersedes: None,
        }
    }

    /// What may be undone: the last entry, one's own, for a minute, and nothing that is an undoing or ends a job.
    #[test]
    fn one_tap_undoes_ones_own_last_word_for_a_minute() {
        let now: NaiveDateTime = "2026-11-25T08:01:00".parse().unwrap_or_default();
        let found = || Body::evidence("level", "ok", Phase::Before);
        let reading = Body::Reading(TakenReading { reading: Reading::of(750.0, 98.0, 60.0), gauge: None, capture: None, held: None });
        for (body, author, second, may) in [
            (found(), 1, 30, true),
            (found(), 2, 30, false),
            (found(), 1, 0, false),
            (reading, 1, 59, true),
            (Body::Circumstance { circumstance: "knock".into(), told: false }, 1, 59, true),
            (Body::Particulars(Particulars::default()), 1, 59, true),
            (Body::Repair(Repair { cause: None, done: "x".into(), follow_up: String::new(), stopgap: false }), 1, 59, false),
            (Body::Withdrawn { reason: "x".into() }, 1, 59, false),
            (Body::Closed { found: Found::default() }, 1, 59, false),
            (Body::Reopened { reason: "x".into() }, 1, 59, false),
        ] {
            let told = format!("{body:?} by {author} at {second}");
            let job = job(vec![entry(1, found(), 1, 10), entry(2, body, author, second)]);
            assert_eq!(fresh(&job, Uuid::from_u128(1), now).map(|entry| entry.seq), may.then_some(2), "{told}");
        }
        assert!(fresh(&job(Vec::new()), Uuid::from_u128(1), now).is_none());
    }
}
