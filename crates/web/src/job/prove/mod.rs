//! Prove: the same points again, and the close. After-readings are taken as all readings are.
use crate::http::Failure;
use crate::job::Drawn;
use crate::job::run::view::{self, ReadingsWork};
use crate::job::shell::Shell;
use crate::job::{Desk, record};
use actix_web::HttpResponse;
use actix_web::web::{self, ServiceConfig, post};
use askama::Template;
use serde::Deserialize;
use velvet_dial_core::case::ProofWord;
use velvet_dial_core::stage::Stage;
use velvet_dial_store::jobs::{self, Closed, Closing};

/// The button.
#[derive(Deserialize, Default)]
#[serde(default)]
pub struct Pressed {
    key: String,
}

/// Closes the job and shows its report; a job closed already stays so.
pub async fn close(desk: Desk, form: web::Form<Pressed>) -> Result<HttpResponse, Failure> {
    let form = form.into_inner();
    for _ in 0..TRIES {
        let job = desk.job().await?;
        if job.closed() {
            break;
        }
        let seq = job.seq();
        let mut record = record::of(&desk, job).await?;
        record.papers.closed_at = Some(chrono::Utc::now());
        let (record, _) = record::sealed(&desk, record).await?;
        let closing = Closing { submit_key: &form.key, seq, record: &record, at: None };
        if jobs::close(&desk.app.db, &desk.viewer, desk.number, &closing).await? == Closed::Stands {
            break;
        }
    }
    let job = desk.job().await?;
    Ok(desk.to(&if job.closed() {
        format!("/jobs/{}/report", desk.number)
    } else {
        format!("/jobs/{}/{}", desk.number, Stage::Prove.id())
    }))
}

/// Times the record is made anew because somebody writes meanwhile.
const TRIES: usize = 5;

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/jobs/{number}/close", post().to(close));
}

/// How far it is proven, as a shape.
pub fn shape(word: &ProofWord) -> &'static str {
    match word {
        ProofWord::Proven => "within",
        ProofWord::InPart => "undecided",
        ProofWord::NotProven | ProofWord::Worse => "below",
    }
}

#[derive(Template)]
#[template(path = "job/prove/prove.html")]
struct Surface<'a> {
    bench: &'a Shell,
    work: ReadingsWork,
}

/// Draws the screen.
pub fn draw(drawn: &Drawn) -> askama::Result<String> {
    Surface { bench: drawn.shell, work: view::work(drawn, true) }.render()
}
