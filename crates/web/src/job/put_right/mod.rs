//! Put right: what to propose, and what was done.
use crate::http::Failure;
use crate::http::Slip;
use crate::job::Drawn;
use crate::job::assess::Assessed;
use crate::job::lines::{self, Line};
use crate::job::shell::Ask;
use crate::job::shell::Shell;
use crate::job::{Desk, Sent};
use crate::ui::show;
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::web::{self, ServiceConfig, post};
use askama::Template;
use serde::Deserialize;
use velvet_dial_core::field;
use velvet_dial_core::stage::Stage;
use velvet_dial_core::trace::knowledge::knowledge;
use velvet_dial_core::unit::Pressure;
use velvet_dial_store::jobs::{Body, Repair};

/// The repair as it was typed.
#[derive(Deserialize, Default)]
#[serde(default)]
pub struct Typed {
    cause: String,
    done: String,
    follow_up: String,
    key: String,
    seen: String,
    supersedes: String,
}

/// Writes the repair.
pub async fn record(desk: Desk, form: web::Form<Typed>) -> Result<HttpResponse, Failure> {
    let form = form.into_inner();
    let mut slip = Slip::of("repair");
    slip.keep("cause", &form.cause);
    slip.keep("done", &form.done);
    slip.keep("follow_up", &form.follow_up);
    let done = slip.take("done", field::text("What was done", &form.done, 2000)).unwrap_or_default();
    let follow_up = slip.take("follow_up", field::text("What may follow", &form.follow_up, 2000)).unwrap_or_default();
    if done.is_empty() && slip.is_clean() {
        slip.wrong("done", "What was done: a sentence for the report, for example “New pickup seal, flange bolt first, bracket last”.");
    }
    if !form.cause.is_empty() && knowledge().cause(&form.cause).is_none() {
        slip.wrong("cause", "Choose one of the causes on the list.");
    }
    if !slip.is_clean() {
        let ask = Ask { seen: form.seen.parse().ok(), slip, ..Ask::default() };
        return desk.answer(Stage::PutRight, ask, StatusCode::UNPROCESSABLE_ENTITY).await;
    }
    let cause = Some(form.cause.clone()).filter(|cause| !cause.is_empty());
    let sent = Sent { key: &form.key, seen: &form.seen, supersedes: &form.supersedes };
    let fields =
        vec![("cause".to_owned(), form.cause.clone()), ("done".to_owned(), done.clone()), ("follow_up".to_owned(), follow_up.clone())];
    desk.write(Stage::PutRight, sent, Body::Repair(Repair { cause, done, follow_up }), "repair", fields).await
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/jobs/{number}/repair", post().to(record));
}

#[derive(Template)]
#[template(path = "job/put_right/put_right.html")]
struct Surface<'a> {
    bench: &'a Shell,
    work: PutRightWork,
}

/// Draws the screen.
pub fn draw(drawn: &Drawn) -> askama::Result<String> {
    Surface { bench: drawn.shell, work: put_right(drawn.assessed, drawn.shell.unit) }.render()
}

/// What was put right, and what to propose.
pub struct PutRightWork {
    /// Causes to choose from, most probable first.
    pub causes: Vec<(String, String, bool)>,
    pub proposal: Option<(String, String, String)>,
    pub done: Vec<(Line, String, String)>,
}

fn put_right(assessed: &Assessed, unit: Pressure) -> PutRightWork {
    let know = knowledge();
    let ranked = assessed.now.posterior.ranked();
    let leader = ranked.first().and_then(|index| know.causes.get(*index));
    let causes = ranked
        .iter()
        .filter_map(|index| know.causes.get(*index).map(|cause| (cause, *index)))
        .map(|(cause, index)| (cause.id.clone(), format!("{} ({})", cause.name, show::percent(assessed.now.posterior.of(index))), false))
        .collect();
    let done = assessed
        .job
        .live()
        .filter_map(|entry| match &entry.body {
            Body::Repair(repair) => Some((lines::line(&assessed.job, entry, unit), repair.done.clone(), repair.follow_up.clone())),
            _ => None,
        })
        .collect();
    PutRightWork { causes, proposal: leader.map(|cause| (cause.name.clone(), cause.put_right.clone(), cause.mind.clone())), done }
}
