//! What waits for a foreman on a job: shown to everybody, answered by those who have the right.
use crate::http::{Failure, form};
use crate::job::prove;
use crate::job::{JobContext, Sent};
use crate::ui::show;
use crate::ui::words::describe;
use actix_web::HttpResponse;
use actix_web::web;
use uuid::Uuid;
use velvet_dial_core::stage::Stage;
use velvet_dial_core::unit::Units;
use velvet_dial_store::jobs::{self, Body, ForemanRequest, Happened, Job};
use velvet_dial_store::{StoreError, Viewer};

/// Something that waits.
pub struct WaitingCard {
    pub id: String,
    pub who: String,
    pub what: String,
    pub when: String,
    /// The right that is missing, in words.
    pub right: &'static str,
    /// The viewer may say yes to it.
    pub may_grant: bool,
    /// It is the viewer's own.
    pub own: bool,
}

/// Lays it out.
pub fn card(request: &ForemanRequest, viewer: &Viewer, job: &Job, unit: Units) -> WaitingCard {
    WaitingCard {
        id: request.id.to_string(),
        who: request.by_name.clone(),
        what: describe(&request.body, unit),
        when: show::moment(request.asked_at, &job.zone),
        right: request.right.label(),
        may_grant: viewer.role.may_do(request.right),
        own: request.by == viewer.user,
    }
}

/// Writes what was asked for, or says no to it. Who asked may take it back.
pub async fn settle(context: JobContext, path: web::Path<(i64, Uuid)>, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let (db, viewer) = (&context.app.db, &context.viewer);
    let stage = Stage::parse(form.get("stage").map_or("", String::as_str)).unwrap_or(Stage::Trace);
    let sent = Sent::of(&form);
    let request = match jobs::foreman_request(db, viewer, path.1).await {
        Ok(request) if request.number == context.number => request,
        Ok(_) => return Err(StoreError::NotFound.into()),
        // Somebody else was quicker: the screen shows what stands.
        Err(StoreError::NotFound) => return context.back_to(stage, sent.seen()).await,
        Err(error) => return Err(error.into()),
    };
    if form.get("answer").is_none_or(|answer| answer != "yes") {
        jobs::settle_request(db, viewer, &request, false).await?;
        return context.back_to(stage, sent.seen()).await;
    }
    if !viewer.role.may_do(request.right) {
        return Err(StoreError::NotAllowed(request.right).into());
    }
    let (key, supersedes) = (request.id.to_string(), request.supersedes.map(|id| id.to_string()).unwrap_or_default());
    // What somebody else wrote meanwhile stands in the way: the form that says so brings its key along.
    let supersedes = if sent.supersedes.is_empty() { supersedes.as_str() } else { sent.supersedes };
    let granted = Sent { key: &key, supersedes, ..sent };
    let answer = match request.body.clone() {
        Body::Closed { found } => prove::close_with(&context, granted, found, Some(&request.by_name)).await?,
        body => {
            // What is allowed for some minutes is allowed from the yes on.
            let at = (!matches!(body, Body::Overruled { .. })).then_some(request.happened_at);
            let happened = Happened { happened_at: at, time_reason: String::new() };
            let action = format!("requests/{}", request.id);
            let fields = vec![("answer".to_owned(), "yes".to_owned()), ("stage".to_owned(), stage.id().to_owned())];
            context.write_for(stage, granted, (body, happened, Some(&request.by_name)), &action, fields).await?
        }
    };
    if !answer.status().is_success() && !answer.status().is_redirection() {
        return Ok(answer);
    }
    jobs::settle_request(db, viewer, &request, true).await?;
    // The screen was drawn while it still waited.
    if answer.headers().contains_key("hx-redirect") || answer.status().is_redirection() {
        return Ok(answer);
    }
    context.back_to(stage, sent.seen()).await
}
