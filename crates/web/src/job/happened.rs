//! When something happened, where that is not when it was written down: shown beside it, and corrected with a reason.
use crate::http::Failure;
use crate::http::form::{self, Form, Kind, Question, Read};
use crate::job::frame::ScreenRequest;
use crate::job::{JobContext, Sent};
use crate::ui::show;
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::web::{self, ServiceConfig, post};
use chrono::{NaiveDateTime, TimeDelta, Utc};
use velvet_dial_core::stage::Stage;
use velvet_dial_store::jobs::{Body, Entry, Happened, Job};
use velvet_dial_store::zone::Zone;

/// When it was, and why that was written down wrong.
static FORM: Form = Form {
    name: "happened",
    asks: &[
        Question::new("at", "When it happened", "by the shop's clock", Kind::Moment),
        Question::new(
            "reason",
            "Why the time is corrected",
            "",
            Kind::Needed(300, "say in a few words why the time was wrong; others will read it."),
        ),
        Question::new("entry", "", "", Kind::Hidden),
    ],
};

/// A job may be written up a little while after the vehicle came.
const BEFORE_OPENING: TimeDelta = TimeDelta::days(1);
/// What was written within this time was written as it happened.
const AT_ONCE: TimeDelta = TimeDelta::minutes(1);

/// When an entry happened, and when it was written down where that was later.
pub fn when(entry: &Entry, zone: &Zone) -> String {
    let happened = show::moment(entry.happened_at, zone);
    if (entry.written_at - entry.happened_at).abs() < AT_ONCE {
        return happened;
    }
    format!("{happened}, written down {}", show::moment(entry.written_at, zone))
}

/// Only what the engine showed, and what was done to it, has a time that anything goes by.
pub fn has_time(body: &Body) -> bool {
    matches!(
        body,
        Body::Reading(_)
            | Body::Evidence { .. }
            | Body::Repair(_)
            | Body::Cranked { .. }
            | Body::Filled {}
            | Body::Journal { .. }
            | Body::Measured { .. }
    )
}

/// Corrects when something happened; what it says stays.
async fn correct(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let job = context.job().await?;
    let mut sent = Sent::of(&form);
    let mut typed = Read::of(&FORM, &form, context.preferences.unit);
    let (at, reason) = (typed.moment("at", &job.zone), typed.text("reason"));
    if sent.supersedes.is_empty() {
        sent.supersedes = typed.raw("entry");
    }
    let wanted = sent.supersedes()?;
    let Some(entry) = job.live().find(|entry| Some(entry.id) == wanted && has_time(&entry.body)) else {
        return context.answer(Stage::Trace, ScreenRequest { seen: sent.seen(), ..ScreenRequest::default() }, StatusCode::CONFLICT).await;
    };
    let at = at.map(|at| at.naive_utc());
    if typed.form_state.is_clean()
        && let Some(wrong) = refused(&job, at, Utc::now().naive_utc())
    {
        typed.form_state.wrong("at", wrong);
    }
    if !typed.form_state.is_clean() {
        let ask = ScreenRequest { seen: sent.seen(), form_state: typed.form_state, ..ScreenRequest::default() };
        return context.answer(Stage::Trace, ask, StatusCode::UNPROCESSABLE_ENTITY).await;
    }
    let happened = Happened { happened_at: at, time_reason: reason };
    context.write_with(Stage::Trace, sent, (entry.body.clone(), happened), "happened", typed.fields()).await
}

/// Why a time cannot be; none where it can.
pub fn refused(job: &Job, at: Option<NaiveDateTime>, now: NaiveDateTime) -> Option<String> {
    match at {
        None => Some("Enter the day and hour at which it happened.".to_owned()),
        Some(at) if at > now => Some("That time has not come yet; enter when it happened.".to_owned()),
        Some(at) if at < job.head.opened_at - BEFORE_OPENING => Some(format!(
            "That is long before the job was opened ({}); enter when it happened.",
            show::moment_with_year(job.head.opened_at, &job.zone)
        )),
        Some(_) => None,
    }
}

/// Its address.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/jobs/{number}/happened", post().to(correct));
}
