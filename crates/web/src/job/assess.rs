//! A job handed to the core, off the threads that serve.
use crate::http::Failure;
use crate::job::bench;
use crate::state::App;
use crate::ui::show;
use actix_web::web;
use chrono::{DateTime, SubsecRound, TimeDelta, Utc};
use std::sync::Arc;
use velvet_dial_core::case::{Case, Phase};
use velvet_dial_core::diagnosis::{Diagnosis, Setting, diagnose};
use velvet_dial_core::knowledge::{Cause, fingerprint, knowledge};
use velvet_dial_core::limits::Decision;
use velvet_dial_core::trace::{Exclusion, Proposal, Strategy, Tracer, leader_of, ordered};
use velvet_dial_store::Viewer;
use velvet_dial_store::jobs::{self, Job, Judged};

/// What is known of a job.
pub struct Assessed {
    /// The job.
    pub job: Arc<Job>,
    /// The case of what holds now.
    pub case: Case,
    /// What is known.
    pub now: Arc<Diagnosis>,
    /// What can be done from here, in the order that was chosen for this job.
    pub next: Vec<Proposal>,
    /// Odds as they were when the asker last looked, else before the last entry, in the knowledge's order.
    pub before: Vec<f64>,
    /// The engine's samples, for curves.
    pub tracer: Arc<Tracer>,
}

impl Assessed {
    /// Causes to choose from, with what stands in the list: the most probable first and its figure; where the suspects are covered, along the oil and bare.
    pub fn to_choose(&self) -> Vec<(&'static Cause, String)> {
        let know = knowledge();
        if bench::is_covered(&self.job) {
            return know.causes.iter().map(|cause| (cause, cause.name.clone())).collect();
        }
        let label = |index: usize| {
            let cause = know.causes.get(index)?;
            Some((cause, format!("{} ({})", cause.name, show::percent(self.now.posterior.of(index)))))
        };
        self.now.posterior.ranked().into_iter().filter_map(label).collect()
    }
}

/// Diagnoses a job as it stands, and as it stood when `seen` was its last entry, or one entry ago. What was worked out before is kept: most often what stands now was
/// worked out for nobody yet, and what stood before for whoever wrote the last entry.
pub async fn assess(app: web::Data<App>, job: impl Into<Arc<Job>>, seen: Option<i32>) -> Result<Assessed, Failure> {
    let job = job.into();
    let shared = app.clone();
    app.work.out(move || work_out(&shared, job, seen)).await?
}

fn work_out(app: &App, job: Arc<Job>, seen: Option<i32>) -> Result<Assessed, Failure> {
    let case = job.case();
    let tracer = app.kept.tracer(&case)?;
    let minute = this_minute();
    let asked = |case: &Case, exclusions: &[Exclusion]| diagnosed(app, &tracer, (case, exclusions), minute);
    let (earlier, struck_then) = job.case_at(seen.filter(|seen| *seen < job.seq()).unwrap_or(job.seq() - 1));
    // Earlier before later: it is the one that is kept already.
    let before = asked(&earlier, &struck_then).posterior.present.clone();
    let now = asked(&case, &job.exclusions());
    app.kept.put_back(&case, &tracer);
    let next = match job.order() {
        Strategy::MostUseful => now.next.clone(),
        order => ordered(order, knowledge(), &now.posterior.states, &now.situation(&case), usual(&now)),
    };
    Ok(Assessed { job, case, now, next, before, tracer })
}

/// Diagnoses a job as it stands, for who does not ask what it was before; half the work.
pub async fn now(app: web::Data<App>, job: Arc<Job>) -> Result<(Case, Arc<Diagnosis>), Failure> {
    let shared = app.clone();
    let work = move || {
        let case = job.case();
        let tracer = shared.kept.tracer(&case)?;
        let now = diagnosed(&shared, &tracer, (&case, &job.exclusions()), this_minute());
        shared.kept.put_back(&case, &tracer);
        Ok::<_, Failure>((case, now))
    };
    app.work.out(work).await?
}

fn diagnosed(app: &App, tracer: &Tracer, (case, exclusions): (&Case, &[Exclusion]), minute: DateTime<Utc>) -> Arc<Diagnosis> {
    let of = || diagnose(case, tracer, &Setting { now: Some(minute), exclusions, ..Setting::default() });
    app.kept.diagnosis(question(case, exclusions, minute), of)
}

/// The case in full is the key, and what it is judged by. The moment counts only where something was overruled for a time: then the answer holds for its minute.
fn question(case: &Case, exclusions: &[Exclusion], minute: DateTime<Utc>) -> String {
    let until = case.acts.iter().any(|act| act.minutes.is_some()).then_some(minute);
    serde_json::to_string(&(fingerprint(), until, exclusions, case)).unwrap_or_default()
}

/// This engine's usual failure: what leads before anything is found.
pub fn usual(now: &Diagnosis) -> usize {
    leader_of(&now.priors).unwrap_or(0)
}

/// The end of this minute: what was overruled a moment ago holds at once, and ends rather early than late.
fn this_minute() -> DateTime<Utc> {
    let now = Utc::now().trunc_subsecs(0);
    now + TimeDelta::seconds(60 - now.timestamp().rem_euclid(60))
}

/// Tells the board what the diagnosis says, when it does not know.
pub async fn tell_the_board(app: &App, viewer: &Viewer, job: &Job, (case, now): (&Case, &Diagnosis)) -> Result<(), Failure> {
    if !job.unjudged() {
        return Ok(());
    }
    Ok(jobs::judged(&app.db, viewer, job.head.id, &judged(case, now, job.seq())).await?)
}

/// What a diagnosis says of a job whose last entry is `seq`.
pub fn judged(case: &Case, now: &Diagnosis, seq: i32) -> Judged {
    let again = case.readings.iter().any(|reading| reading.phase == Phase::After);
    let verdict = if again && now.proof.overall != Decision::NotMeasured { &now.proof } else { &now.verdict };
    let leader = now.posterior.ranked().first().copied().filter(|_| !now.findings.is_empty());
    let leader = leader.and_then(|index| knowledge().causes.get(index).map(|cause| (cause.id.clone(), now.posterior.of(index))));
    Judged { seq, verdict: verdict.overall, leader }
}
