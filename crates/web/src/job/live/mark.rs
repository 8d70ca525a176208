//! Marks a moment of the run that is recorded just now, says later what it was, or takes it away.
use crate::http::Failure;
use crate::job::JobContext;
use crate::job::run::source::RIGS;
use actix_web::{HttpResponse, web};
use serde::Deserialize;
use uuid::Uuid;
use velvet_dial_rig::said::{Can, Key, ToRig};
use velvet_dial_store::rigs;

/// Letters of a note.
const MOST: usize = 120;

#[derive(Deserialize)]
pub struct Noted {
    #[serde(default)]
    note: String,
    #[serde(default)]
    away: Option<String>,
}

impl Noted {
    fn short(&self) -> String {
        self.note.trim().chars().filter(|letter| !letter.is_control()).take(MOST).collect()
    }
}

/// Marks this moment; whoever stands at the rig sees it.
pub async fn mark(context: JobContext, form: web::Form<Noted>) -> Result<HttpResponse, Failure> {
    context.job().await?;
    let linked = context.app.hub.of_job(context.viewer.shop, context.number);
    let Some((linked, at_us)) = linked.and_then(|linked| linked.mark().map(|at_us| (linked, at_us))) else {
        return Err(Failure::Form("a mark where no data logger records, or one too many".to_owned()));
    };
    rigs::mark(&context.app.db, &context.viewer, context.number, linked.run, at_us, &form.short()).await?;
    if linked.can.contains(&Can::Show) {
        linked.say(ToRig::Show(Key::Mark));
    }
    Ok(HttpResponse::NoContent().finish())
}

/// What is said of a mark on the page of its run.
pub async fn set(context: JobContext, path: web::Path<(i64, Uuid, Uuid)>, form: web::Form<Noted>) -> Result<HttpResponse, Failure> {
    let note = form.short();
    let said = if form.away.is_some() { None } else { Some(note.as_str()) };
    rigs::set_mark(&context.app.db, &context.viewer, context.number, path.1, path.2, said).await?;
    Ok(context.to(&format!("/jobs/{}/{RIGS}/{}", context.number, path.1)))
}
