//! A job: what all its screens stand on, and one folder a screen.
//!
//! An act has one shape: extract, load, check what was typed, write one entry, show the screen again.
mod assess;
pub(crate) mod bench;
mod card;
mod cards;
mod check;
mod compare;
mod context;
mod frame;
mod guard;
mod happened;
mod intake;
mod lines;
mod live;
mod look;
mod next_step;
mod notes;
mod open_up;
mod opening;
mod outcome;
mod overrule;
mod pairs;
mod photo;
mod programs;
mod prove;
mod put_right;
mod readings;
mod record;
mod report;
mod rig;
mod run;
mod screen;
mod trace;
mod withdraw;
mod worked;

use crate::http::Failure;
use crate::http::form::Sent as Query;
use actix_web::HttpResponse;
use actix_web::web::{self, ServiceConfig, get, post};
use assess::Assessed;
pub(crate) use assess::judged;
pub(crate) use context::JobContext;
use context::Sent;
use frame::ScreenRequest;
pub(crate) use happened::refused as refused_time;
pub use outcome::work_out_outcomes;
pub(crate) use programs::{Added, add, diagnosis, report_text};
pub use record::log_until;
pub(crate) use record::{ClosingError, closing, record, recordings};
pub(crate) use report::ReportQuery;
pub(crate) use report::paper as report_paper;
pub(crate) use run::capture::keep_file;
use screen::{Screen, ScreenData};
use velvet_dial_core::stage::{Stage, where_it_is};

/// Sends the asker to the stage the job is at.
async fn show_where_it_is(context: JobContext) -> Result<HttpResponse, Failure> {
    let job = context.job().await?;
    Ok(context.to(&format!("/jobs/{}/{}", context.number, where_it_is(&job.case()).id())))
}

/// Shows a stage.
async fn show(context: JobContext, path: web::Path<(i64, String)>, query: web::Query<Query>) -> Result<HttpResponse, Failure> {
    let stage = Stage::parse(&path.1).ok_or(Failure::NoPage)?;
    if path.1 != stage.id() {
        // An address of before leads on, for those who may see the job.
        context.job().await?;
        return Ok(context.to(&format!("/jobs/{}/{}", context.number, stage.id())));
    }
    let query = query.into_inner();
    let mut ask = ScreenRequest::default();
    if let Some(correct) = query.get("correct").filter(|entry| !entry.is_empty()) {
        ask.form_state = run::filled(&context.job().await?, correct, context.preferences.unit);
    }
    context.answer(stage, ScreenRequest { query, ..ask }, actix_web::http::StatusCode::OK).await
}

/// Addresses of all of them.
pub fn routes(config: &mut ServiceConfig) {
    config
        .route("/jobs/{number}", get().to(show_where_it_is))
        .route("/jobs/{number}/requests/{id}", post().to(frame::settle))
        .configure(report::routes)
        .configure(card::routes)
        .configure(intake::routes)
        .configure(check::routes)
        .configure(bench::routes)
        .configure(happened::routes)
        .configure(photo::routes)
        .configure(notes::routes)
        .configure(rig::routes)
        .configure(live::routes)
        .configure(run::routes)
        .configure(compare::routes)
        .configure(trace::routes)
        .configure(worked::routes)
        .configure(withdraw::routes)
        .configure(overrule::routes)
        .configure(opening::routes)
        .configure(open_up::routes)
        .configure(put_right::routes)
        .configure(prove::routes)
        .route("/jobs/{number}/{stage}", get().to(show));
}
