//! What a closed job came to: what was said before its engine was opened, beside what it turned out to be.
//!
//! The shop's own experience is left out of it: by now it knows this very job.
use crate::http::Failure;
use crate::state::App;
use actix_web::web;
use std::time::Duration;
use velvet_dial_core::case::Effect;
use velvet_dial_core::circuit::Card;
use velvet_dial_core::diagnosis::{Setting, diagnose};
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_store::figures::{self, Outcome};
use velvet_dial_store::jobs::{self, Body, Job};

/// Nothing is missing: it is looked again after so long.
const REST: Duration = Duration::from_secs(30);
/// Between two jobs, so that whoever works is not held up.
const BREATH: Duration = Duration::from_millis(200);

/// Works out what is missing, one job after the other, for as long as the server runs; never returns.
pub async fn work_out_outcomes(app: &web::Data<App>) {
    loop {
        match next(app).await {
            Ok(true) => tokio::time::sleep(BREATH).await,
            Ok(false) => tokio::time::sleep(REST).await,
            Err(error) => {
                tracing::warn!(%error, "what a closed job came to could not be worked out; it is tried again");
                tokio::time::sleep(REST).await;
            }
        }
    }
}

/// Works out one; false where none is missing.
pub async fn next(app: &web::Data<App>) -> Result<bool, Failure> {
    let Some((viewer, number, id, closed_at)) = figures::next_missing(&app.db).await? else { return Ok(false) };
    let shared = app.clone();
    let worked_out = async {
        let job = jobs::load(&app.db, &viewer, number).await?;
        app.work.behind(move || outcome(&shared, &job)).await?
    };
    // One that cannot be worked out holds up no other: it is kept with nothing said.
    let outcome = match worked_out.await {
        Ok(outcome) => outcome,
        Err(error) => {
            tracing::warn!(%error, job = number, "what a closed job came to could not be worked out");
            Outcome::default()
        }
    };
    figures::keep(&app.db, viewer.shop, (id, closed_at), &outcome).await?;
    Ok(true)
}

fn outcome(app: &App, job: &Job) -> Result<Outcome, Failure> {
    let found = job.closing().and_then(|entry| if let Body::Closed { found } = &entry.body { Some(found.clone()) } else { None });
    let found = found.unwrap_or_default();
    let family = job.engine.card.family.clone().filter(|family| !family.trim().is_empty());
    let mut outcome = Outcome {
        family: family.unwrap_or_else(|| job.engine.name.clone()),
        cause: found.cause,
        known: found.known.map(|known| known.id().to_owned()),
        took_min: found.took_min,
        planned_min: found.planned_min,
        in_vain: in_vain(job),
        ..Outcome::default()
    };
    let opened = job.entries.iter().find(|entry| opens_engine(&entry.body, &job.engine.card)).map_or(job.seq(), |entry| entry.seq);
    let mut before = job.until(opened - 1);
    before.memory = None;
    let case = before.case();
    if case.readings.is_empty() && case.evidence.is_empty() {
        return Ok(outcome);
    }
    let tracer = app.kept.tracer(&case)?;
    let said = diagnose(&case, &tracer, &Setting { exclusions: &before.exclusions(), ..Setting::default() });
    app.kept.put_back(&case, &tracer);
    let know = knowledge();
    outcome.said = said
        .posterior
        .ranked()
        .first()
        .and_then(|index| know.causes.get(*index).map(|cause| (cause.id.clone(), said.posterior.of(*index))));
    outcome.cause_probability = outcome.cause.as_deref().and_then(|cause| know.cause(cause)).map(|index| said.posterior.of(index));
    Ok(outcome)
}

/// It needed the engine open, or the repair had begun.
fn opens_engine(body: &Body, card: &Card) -> bool {
    match body {
        Body::Journal { .. } | Body::Measured { .. } | Body::Done { .. } | Body::Repair(_) => true,
        Body::Evidence { check, .. } => knowledge().opens(check, card),
        _ => false,
    }
}

/// What was fitted before this visit and changed nothing that lasted, and what was repaired here and did not help, by their words.
fn in_vain(job: &Job) -> Vec<String> {
    let fitted = job.live().filter_map(|entry| match &entry.body {
        Body::Replaced { part } if matches!(part.effect, Some(Effect::NoChange | Effect::BetterForAWhile)) => {
            Some(part.circumstance.clone())
        }
        _ => None,
    });
    let repaired = job.record.iter().flat_map(|record| &record.repairs).filter(|repair| repair.in_vain.is_some());
    fitted.chain(repaired.filter_map(|repair| repair.id.clone())).collect()
}
