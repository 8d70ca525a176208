//! Prove: the same points again, and the close. After-readings are taken as all readings are.
use crate::http::Failure;
use crate::job::Drawn;
use crate::job::readings::view::{self, ReadingsWork};
use crate::job::shell::Shell;
use crate::job::{Desk, Sent};
use actix_web::HttpResponse;
use actix_web::web::{self, ServiceConfig, post};
use askama::Template;
use serde::Deserialize;
use velvet_dial_core::stage::Stage;
use velvet_dial_store::jobs::{self, Body, Write};

/// The button.
#[derive(Deserialize, Default)]
#[serde(default)]
pub struct Closing {
    key: String,
    seen: String,
    supersedes: String,
}

/// Closes the job and shows its report; a job closed already stays so.
pub async fn close(desk: Desk, form: web::Form<Closing>) -> Result<HttpResponse, Failure> {
    let form = form.into_inner();
    let sent = Sent { key: &form.key, seen: &form.seen, supersedes: &form.supersedes };
    let write = Write { body: Body::Closed {}, supersedes: sent.supersedes()?, submit_key: sent.key, at: None };
    jobs::write(&desk.app.db, &desk.viewer, desk.number, &write).await?;
    let job = desk.job().await?;
    Ok(desk.to(&if job.closed() {
        format!("/jobs/{}/report", desk.number)
    } else {
        format!("/jobs/{}/{}", desk.number, Stage::Prove.id())
    }))
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/jobs/{number}/close", post().to(close));
}

#[derive(Template)]
#[template(path = "job/prove/prove.html")]
struct Surface<'a> {
    bench: &'a Shell,
    work: ReadingsWork,
}

/// Draws the screen.
pub fn draw(drawn: &Drawn) -> askama::Result<String> {
    Surface { bench: drawn.shell, work: view::work(drawn.assessed, drawn.shell.unit, drawn.captures, true) }.render()
}
