//! A job handed to the core, off the threads that serve.
use crate::http::Failure;
use crate::state::App;
use actix_web::web;
use std::sync::Arc;
use velvet_dial_core::case::{Case, Diagnosis, Setting, diagnose};
use velvet_dial_core::trace::Tracer;
use velvet_dial_store::jobs::Job;

/// What is known of a job.
pub struct Assessed {
    /// The job.
    pub job: Arc<Job>,
    /// The case of what holds now.
    pub case: Case,
    /// What is known.
    pub now: Diagnosis,
    /// Odds before the last entry, in the knowledge's order.
    pub before: Vec<f64>,
    /// The engine's draws, for curves.
    pub tracer: Arc<Tracer>,
}

/// Diagnoses a job as it stands, and as it stood one entry ago.
pub async fn assess(app: web::Data<App>, job: Job) -> Result<Assessed, Failure> {
    let job = Arc::new(job);
    web::block(move || {
        let case = job.case();
        let tracer = app.tracer(&case)?;
        let setting = Setting { now: Some(chrono::Utc::now()), ..Setting::default() };
        let now = diagnose(&case, &tracer, &setting);
        let earlier = job.case_at(job.seq() - 1);
        let before =
            if earlier == case { now.posterior.probability.clone() } else { diagnose(&earlier, &tracer, &setting).posterior.probability };
        Ok(Assessed { job, case, now, before, tracer })
    })
    .await?
}
