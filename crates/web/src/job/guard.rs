//! What an entry waits for before it may be written: the customer's approval to open the engine, a talk with them, a new approval where it costs more than they approved.
//!
//! Every entry of a handler passes here (`JobContext::write`), so a new handler, or a door for other programs, cannot forget it.
use super::context::{JobContext, Sent};
use super::open_up::{ask_to_talk, stops};
use super::opening::{self, YES_FIRST, may_be_open, waits_for_yes};
use super::put_right::steps::of_an_opening;
use crate::http::Failure;
use actix_web::HttpResponse;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_store::jobs::Body;

/// What comes first.
pub enum Waits {
    /// The customer's approval, with what is said of it.
    Approval(String),
    /// A talk with them: what was found does not fit.
    Talk,
}

/// What this entry waits for; none where it may be written.
pub async fn waits(context: &JobContext, body: &Body) -> Result<Option<Waits>, Failure> {
    let approval = || Waits::Approval(YES_FIRST.to_owned());
    Ok(match body {
        Body::Evidence { check, .. } => match knowledge().check(check).filter(|check| check.may_open()) {
            Some(check) => waits_for_yes(&context.job().await?, check).then(approval),
            // Most checks open no engine: for them the job is not loaded.
            None => None,
        },
        Body::Journal { .. } | Body::Measured { .. } => (!may_be_open(&context.job().await?)).then(approval),
        Body::Done { cause, step } if of_an_opening(cause, step) => (!may_be_open(&context.job().await?)).then(approval),
        Body::Done { cause, .. } => stops(context, Some(cause)).await?,
        Body::Repair(repair) => stops(context, repair.cause.as_deref()).await?,
        _ => None,
    })
}

/// The screen that asks for it.
pub async fn ask(context: &JobContext, sent: Sent<'_>, waits: Waits) -> Result<HttpResponse, Failure> {
    match waits {
        Waits::Approval(why) => opening::refused(context, sent, &why).await,
        Waits::Talk => ask_to_talk(context, sent).await,
    }
}
