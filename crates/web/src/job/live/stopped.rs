//! A stop that the live gauge called: it becomes an entry, and stays on every screen of the job until somebody says that the engine is off.
use crate::http::{Failure, form};
use crate::job::{JobContext, Sent};
use actix_web::{HttpResponse, web};
use chrono::{SubsecRound, TimeDelta, Utc};
use uuid::Uuid;
use velvet_dial_core::live::StopCall;
use velvet_dial_core::stage::Stage;
use velvet_dial_core::unit::Units;
use velvet_dial_store::StoreError;
use velvet_dial_store::jobs::{self, Body, Happened, Job, StopCalled, Write};

/// The call on a screen.
pub struct Banner {
    pub entry: String,
    pub says: String,
}

/// The call that nobody has answered yet.
pub fn banner(job: &Job, units: Units) -> Option<Banner> {
    let (entry, called) = job.open_stop_call().filter(|_| !job.closed())?;
    Some(Banner { entry: entry.id.to_string(), says: called.call().says(units) })
}

/// Writes the call, unless one that nobody has answered is there already: several people may be watching.
/// False where it is no entry.
pub(super) async fn record(context: &JobContext, run: Uuid, call: &StopCall, last_s: f64) -> Result<bool, Failure> {
    let (from_s, seconds) = call.since(last_s);
    let beyond = match call {
        StopCall::NoPressure(_) => None,
        StopCall::BeyondLine(beyond) => Some(beyond),
        // Where no speed is measured the engine may just have been shut off.
        StopCall::Lost(_) => return Ok(false),
    };
    let tenths = |value: f64| (10.0 * value).round() / 10.0;
    let called = StopCalled {
        run,
        from_s: tenths(from_s),
        seconds: tenths(seconds),
        kpa: beyond.map(|beyond| tenths(beyond.kpa)),
        rpm: beyond.and_then(|beyond| beyond.rpm).map(f64::round),
        line_kpa: beyond.and_then(|beyond| beyond.line_kpa).map(tenths),
        answered: false,
    };
    let _alone = context.app.turns.at(context.viewer.shop, context.number).await;
    let job = context.job().await?;
    if job.closed() || job.open_stop_call().is_some() {
        return Ok(!job.closed());
    }
    let ago = TimeDelta::try_milliseconds((1000.0 * seconds) as i64).unwrap_or_default();
    let happened = Happened { happened_at: Some((Utc::now() - ago).naive_utc().trunc_subsecs(6)), ..Happened::default() };
    let key = format!("stop {run} {}", called.from_s);
    jobs::write(&context.app.db, &context.viewer, context.number, &Write { happened, ..Write::of(Body::StopCall(called), &key) }).await?;
    Ok(true)
}

/// Somebody says that the engine is off.
pub async fn stopped(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let sent = Sent::of(&form);
    let stage = Stage::parse(form.get("stage").map_or("", String::as_str)).unwrap_or(Stage::Run);
    let job = context.job().await?;
    let entry = sent.supersedes()?.and_then(|key| job.entries.iter().find(|entry| entry.id == key));
    let Some(Body::StopCall(called)) = entry.map(|entry| &entry.body) else { return Err(StoreError::NotFound.into()) };
    let answered = Body::StopCall(StopCalled { answered: true, ..called.clone() });
    context.write(stage, sent, answered, "live/stopped", Vec::new()).await
}
