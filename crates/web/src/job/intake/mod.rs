//! Intake: what was seen and done, ticked and cleared.
use crate::http::Failure;
use crate::job::Drawn;
use crate::job::assess::Assessed;
use crate::job::shell::Shell;
use crate::job::{Desk, Sent};
use actix_web::HttpResponse;
use actix_web::web::{self, ServiceConfig, post};
use askama::Template;
use serde::Deserialize;
use velvet_dial_core::stage::Stage;
use velvet_dial_core::trace::knowledge::knowledge;
use velvet_dial_store::jobs::Body;

/// One tick.
#[derive(Deserialize)]
pub struct Tell {
    circumstance: String,
    told: bool,
    #[serde(default)]
    key: String,
    #[serde(default)]
    seen: String,
    #[serde(default)]
    supersedes: String,
}

/// Writes a tick or its taking back.
pub async fn tell(desk: Desk, form: web::Form<Tell>) -> Result<HttpResponse, Failure> {
    let form = form.into_inner();
    if knowledge().circumstance(&form.circumstance).is_none() {
        return Err(Failure::Form("a circumstance that is none".to_owned()));
    }
    let sent = Sent { key: &form.key, seen: &form.seen, supersedes: &form.supersedes };
    let fields = vec![("circumstance".to_owned(), form.circumstance.clone()), ("told".to_owned(), form.told.to_string())];
    let body = Body::Circumstance { circumstance: form.circumstance.clone(), told: form.told };
    desk.write(Stage::Intake, sent, body, "circumstance", fields).await
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/jobs/{number}/circumstance", post().to(tell));
}

#[derive(Template)]
#[template(path = "job/intake/intake.html")]
struct Surface<'a> {
    bench: &'a Shell,
    groups: Vec<IntakeGroup>,
}

/// Draws the screen.
pub fn draw(drawn: &Drawn) -> askama::Result<String> {
    Surface { bench: drawn.shell, groups: intake(drawn.assessed) }.render()
}

/// Circumstances under one heading.
pub struct IntakeGroup {
    pub heading: &'static str,
    pub ticks: Vec<Tick>,
}

/// One circumstance.
pub struct Tick {
    pub id: &'static str,
    pub label: &'static str,
    pub told: bool,
    /// The entry a change would supersede.
    pub supersedes: String,
}

fn intake(assessed: &Assessed) -> Vec<IntakeGroup> {
    let mut groups: Vec<IntakeGroup> = Vec::new();
    for circumstance in &knowledge().circumstances {
        let subject = format!("circumstance {}", circumstance.id);
        let live = assessed.job.live().find(|entry| entry.body.subject().as_ref() == Some(&subject));
        let tick = Tick {
            id: &circumstance.id,
            label: &circumstance.label,
            told: assessed.case.circumstances.contains(&circumstance.id),
            supersedes: live.map(|entry| entry.id.to_string()).unwrap_or_default(),
        };
        match groups.iter_mut().find(|group| group.heading == circumstance.ask) {
            Some(group) => group.ticks.push(tick),
            None => groups.push(IntakeGroup { heading: &circumstance.ask, ticks: vec![tick] }),
        }
    }
    groups
}
