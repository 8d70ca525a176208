//! The stages of a job: one file an act, all of one shape — extract, load, check what was typed, write, show the workbench again.
pub mod capture;
pub mod check;
mod desk;
pub mod intake;
pub mod prove;
pub mod put_right;
pub mod readings;
pub mod withdraw;

use crate::error::Failure;
use crate::workbench::{Ask, Stage, where_it_is};
use actix_web::{HttpResponse, web};
pub use desk::{Desk, Sent};
use serde::Deserialize;

/// Sends the asker to the stage the job is at.
pub async fn show_where_it_is(desk: Desk) -> Result<HttpResponse, Failure> {
    let job = desk.job().await?;
    Ok(desk.to(&format!("/jobs/{}/{}", desk.number, where_it_is(&job).id())))
}

/// Which reading is to be corrected.
#[derive(Deserialize)]
pub struct Correcting {
    #[serde(default)]
    correct: String,
}

/// Shows a stage.
pub async fn show(desk: Desk, path: web::Path<(i64, String)>, query: web::Query<Correcting>) -> Result<HttpResponse, Failure> {
    let stage = Stage::parse(&path.1).ok_or(Failure::NoPage)?;
    let mut ask = Ask::default();
    if !query.correct.is_empty() {
        ask.slip = readings::filled(&desk.job().await?, &query.correct, desk.liking.unit);
    }
    desk.answer(stage, ask, actix_web::http::StatusCode::OK).await
}
