//! Takes the outcome of a check, from any stage.
use crate::http::Failure;
use crate::job::{JobContext, Sent, bench};
use actix_web::HttpResponse;
use actix_web::web::{self, ServiceConfig, post};
use serde::Deserialize;
use velvet_dial_core::case::Phase;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::stage::Stage;
use velvet_dial_store::jobs::{self, Body, Job};

/// One tap.
#[derive(Deserialize)]
pub struct Outcome {
    check: String,
    outcome: String,
    #[serde(default)]
    stage: String,
    #[serde(default)]
    key: String,
    #[serde(default)]
    seen: String,
    #[serde(default)]
    supersedes: String,
    #[serde(default)]
    waited: String,
    /// It was seen beside what the answer says already.
    #[serde(default)]
    beside: bool,
    /// It was typed wrongly: the outcome is changed where it stands, before the repair or after it.
    #[serde(default)]
    correct: bool,
}

/// Answers that put a check off: whether it cannot be done here at all.
const PUT_OFF: [(&str, bool); 2] = [("not_now", false), ("cannot", true)];

/// Writes the outcome.
pub async fn answer(context: JobContext, form: web::Form<Outcome>) -> Result<HttpResponse, Failure> {
    let form = form.into_inner();
    let check = knowledge().check(&form.check);
    let put_off = PUT_OFF.iter().find(|(word, ..)| *word == form.outcome).map(|(_, cannot)| *cannot);
    if !check.is_some_and(|check| put_off.is_some() || check.outcome(&form.outcome).is_some()) {
        return Err(Failure::Form("this check or result is not on the list".to_owned()));
    }
    // On the practice bench nobody enters what they have not looked at.
    if context.at_bench && put_off.is_none() && !form.correct && !bench::was_done(&context.job().await?, &form.check) {
        return Err(Failure::Form("on the practice bench a check is done before its result is entered".to_owned()));
    }
    let mut sent = Sent { key: &form.key, seen: &form.seen, supersedes: &form.supersedes, waited: &form.waited };
    // Most jobs are not repaired yet: for them the job is not loaded.
    let mut phase = Phase::Before;
    let mut seen = Vec::new();
    if form.beside || jobs::was_repaired(&context.app.db, &context.viewer, context.number).await? {
        let job = context.job().await?;
        // After a repair the same check is another finding: it stands beside the one before, which says what it was. A finding before is changed only where that is asked for.
        let replaced = sent.supersedes()?.and_then(|id| job.entries.iter().find(|entry| entry.id == id)).map(|entry| entry.body.phase());
        seen = if form.beside { seen_already(&job, &sent)? } else { Vec::new() };
        phase = match (job.repair().is_some(), replaced) {
            (true, Some(Phase::Before)) if !form.correct && !form.beside => {
                sent.supersedes = "";
                Phase::After
            }
            (_, Some(replaced)) => replaced,
            (true, None) => Phase::After,
            (false, None) => Phase::Before,
        };
    }
    let stage = Stage::parse(&form.stage).unwrap_or(Stage::Trace);
    let mut fields = vec![
        ("check".to_owned(), form.check.clone()),
        ("outcome".to_owned(), form.outcome.clone()),
        ("stage".to_owned(), stage.id().to_owned()),
    ];
    let body = match put_off {
        Some(cannot) => Body::PutOff { check: form.check.clone(), cannot, phase },
        None => {
            let added = Some(form.outcome.clone()).filter(|outcome| !seen.contains(outcome));
            let mut all = seen.into_iter().chain(added);
            Body::Evidence { check: form.check.clone(), outcome: all.next().unwrap_or_default(), also: all.collect(), phase }
        }
    };
    let all: Vec<&str> = body.outcomes().collect();
    if let Some(why) = check.and_then(|check| check.refuses_together(&all)) {
        return Err(Failure::Form(why));
    }
    if form.beside {
        fields.push(("beside".to_owned(), "true".to_owned()));
    }
    if form.correct {
        fields.push(("correct".to_owned(), "true".to_owned()));
    }
    context.write(stage, sent, body, "evidence", fields).await
}

/// What the answer that stands found already.
fn seen_already(job: &Job, sent: &Sent<'_>) -> Result<Vec<String>, Failure> {
    let stands = sent.supersedes()?;
    // Sent once more it is the same answer again: what it stood on may be superseded by then, by itself.
    let entry = job.entries.iter().find(|entry| Some(entry.id) == stands);
    Ok(match entry.map(|entry| &entry.body) {
        Some(body) => body.outcomes().map(str::to_owned).collect(),
        None => Vec::new(),
    })
}

/// Its address.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/jobs/{number}/evidence", post().to(answer));
}
