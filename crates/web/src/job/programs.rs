//! A job for other programs: the same guard, the same job history and the same diagnosis as for people, without a screen.
use super::JobContext;
use super::assess;
use super::guard::{self, Waits};
use super::report;
use crate::http::Failure;
use std::sync::Arc;
use uuid::Uuid;
use velvet_dial_core::diagnosis::{Report, report as report_of};
use velvet_dial_core::rights::Grant;
use velvet_dial_store::StoreError;
use velvet_dial_store::jobs::{self, Entry, Write, Written};

pub use report::text as report_text;

/// What became of an entry.
pub enum Added {
    /// It was written, as this entry.
    New(Uuid),
    /// It was written before.
    Already(Uuid),
    /// It waits for a foreman.
    AsksForeman,
    /// Somebody has written another thing in that place meanwhile.
    Overtaken(Box<Entry>),
    /// Something comes first, in words.
    Waits(String),
}

/// Writes an entry as a person's handler does.
pub async fn add(context: &JobContext, write: &Write<'_>) -> Result<Added, Failure> {
    match guard::waits(context, &write.body).await? {
        Some(Waits::Approval(why)) => return Ok(Added::Waits(why)),
        Some(Waits::Talk) => {
            let why = "A finding does not fit what was agreed. Somebody of the shop has to talk it over with the customer first.";
            return Ok(Added::Waits(why.to_owned()));
        }
        None => {}
    }
    match jobs::write_and_load(&context.app.db, &context.viewer, context.number, write).await {
        Err(StoreError::NotAllowed(right)) if context.viewer.role.may(right) == Grant::Asks => {
            jobs::ask_foreman(&context.app.db, &context.viewer, context.number, right, write).await?;
            Ok(Added::AsksForeman)
        }
        Err(error) => Err(error.into()),
        Ok((Written::Stands(id), _)) => Ok(Added::New(id)),
        Ok((Written::StoodAlready(id), _)) => Ok(Added::Already(id)),
        Ok((Written::Overtaken { by }, _)) => Ok(Added::Overtaken(by)),
    }
}

/// What is known of the job now, as `velvet-dial diagnose` prints it.
pub async fn diagnosis(context: &JobContext) -> Result<Report, Failure> {
    let job = Arc::new(context.job().await?);
    let (case, now) = assess::now(context.app.clone(), job.clone()).await?;
    assess::tell_the_board(&context.app, &context.viewer, &job, (&case, &now)).await?;
    Ok(report_of(&case, &now))
}
