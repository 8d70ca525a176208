//! Jobs: which there are, opening one, what is known of it, its report.
use super::answer::{self, Done};
use super::caller::{Called, CalledAtJob};
use super::problem::ApiFailure;
use super::shapes::{JobView, JobsPage, NewJob, ProgramView};
use crate::http::Failure;
use crate::job::{self, ReportQuery};
use actix_web::http::StatusCode;
use actix_web::web::{self, Bytes};
use actix_web::{HttpRequest, HttpResponse};
use chrono::{DateTime, Utc};
use serde::Deserialize;
use velvet_dial_core::case;
use velvet_dial_store::StoreError;
use velvet_dial_store::jobs::{self, Listing, Opening};
use velvet_dial_store::library;

/// Things on a page, where nothing is said, and at most.
pub const USUAL: u64 = 50;
/// See [`USUAL`].
pub const MOST: u64 = 200;

/// Who the program is here.
pub async fn me(request: HttpRequest, called: Called) -> Result<HttpResponse, ApiFailure> {
    let program = called.caller.program;
    let view = ProgramView { name: program.name, role: program.role, scopes: program.scopes, own_jobs_only: program.own_jobs_only };
    answer::found(&request, &view)
}

/// Which jobs are asked for.
#[derive(Debug, Default, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct JobsQuery {
    state: String,
    changed_since: Option<DateTime<Utc>>,
    after: i64,
    limit: Option<u64>,
}

/// How many, within what a page holds.
pub fn held(limit: Option<u64>) -> u64 {
    limit.unwrap_or(USUAL).clamp(1, MOST)
}

/// A page of the jobs.
pub async fn list(request: HttpRequest, called: Called, query: web::Query<JobsQuery>) -> Result<HttpResponse, ApiFailure> {
    let closed = match query.state.as_str() {
        "" | "all" => None,
        "open" => Some(false),
        "closed" => Some(true),
        _ => return Err(ApiFailure::at("state", "it is “open”, “closed” or “all”")),
    };
    let limit = held(query.limit);
    let listing = Listing {
        closed,
        changed_since: query.changed_since.map(|at| at.naive_utc()),
        opened_by: called.caller.opened_by(),
        after: query.after,
        limit: limit + 1,
    };
    let mut rows = jobs::listed(&called.app.db, &called.caller.viewer, &listing).await?;
    let more = rows.len() as u64 > limit;
    rows.truncate(limit as usize);
    let next = rows.last().filter(|_| more).map(|row| row.number);
    answer::found(&request, &JobsPage { jobs: rows.into_iter().map(JobView::of).collect(), next })
}

/// One job.
pub async fn one(request: HttpRequest, at: CalledAtJob) -> Result<HttpResponse, ApiFailure> {
    let row = jobs::row(&at.context.app.db, &at.context.viewer, at.context.number).await?;
    answer::found(&request, &JobView::of(row))
}

/// A text that is needed, without spaces round it.
pub fn needed(path: &str, text: &str, most: usize) -> Result<String, ApiFailure> {
    let text = text.trim();
    match text.chars().count() {
        0 => Err(ApiFailure::at(path, "it is empty")),
        letters if letters > most => Err(ApiFailure::at(path, format!("{letters} letters are too many; at most {most}"))),
        _ => Ok(text.to_owned()),
    }
}

/// Opens a job.
pub async fn open(request: HttpRequest, called: Called, body: Bytes) -> Result<HttpResponse, ApiFailure> {
    let new: NewJob = case::read(&body)?;
    let (tag, complaint) = (needed("tag", &new.tag, 40)?, needed("complaint", &new.complaint, 300)?);
    let vehicle: String = new.vehicle.trim().chars().take(200).collect();
    let (db, viewer) = (&called.app.db, &called.caller.viewer);
    match library::engine(db, viewer, new.engine).await {
        Err(StoreError::NotFound) => {
            return Err(ApiFailure::at("engine", "the shop has no engine with this key; “GET /api/v1/engines” lists them"));
        }
        found => _ = found?,
    }
    answer::once(&request, &called, &body, |key| async move {
        let opening = Opening {
            tag: &tag,
            description: &vehicle,
            engine: new.engine,
            complaint: &complaint,
            submit_key: &key,
            scene: None,
            at: None,
        };
        let number = jobs::open(db, viewer, &opening).await?;
        Done::of(StatusCode::CREATED, &JobView::of(jobs::row(db, viewer, number).await?))
    })
    .await
}

/// What is known of a job.
pub async fn diagnosis(request: HttpRequest, at: CalledAtJob) -> Result<HttpResponse, ApiFailure> {
    answer::found(&request, &job::diagnosis(&at.context).await?)
}

/// The job in the open case format.
pub async fn case_file(request: HttpRequest, at: CalledAtJob) -> Result<HttpResponse, ApiFailure> {
    answer::found(&request, &at.context.job().await?.case())
}

const BROKEN: &str = "report_changed";

/// The report as data, byte by byte as it was signed.
pub async fn report(request: HttpRequest, at: CalledAtJob) -> Result<HttpResponse, ApiFailure> {
    match job::report_text(&at.context).await? {
        Ok((text, signed)) => {
            let mut answer = answer::found_as(&request, "application/json", text.into_bytes())?;
            let name = actix_web::http::header::HeaderName::from_static("report-signed");
            let said = actix_web::http::header::HeaderValue::from_static(if signed { "true" } else { "false" });
            answer.headers_mut().insert(name, said);
            Ok(answer)
        }
        Err(broken) => Err(ApiFailure::conflict(BROKEN, broken)),
    }
}

/// The report on paper.
pub async fn paper(at: CalledAtJob, query: web::Query<ReportQuery>) -> Result<HttpResponse, ApiFailure> {
    let answer = job::report_paper(at.context, query).await?;
    match answer.status() {
        StatusCode::CONFLICT => Err(ApiFailure::conflict(BROKEN, "The report is not what was signed, so it is not given out.")),
        _ => Ok(answer),
    }
}

/// The public keys that the shop's reports are checked with.
pub async fn report_key(request: HttpRequest, called: Called) -> Result<HttpResponse, ApiFailure> {
    let keys = called.app.serving.keys.as_ref().ok_or(Failure::NoPage)?;
    let key = keys.public_of_shop(called.caller.viewer.shop).map_err(|error| Failure::NotSigned(error.to_string()))?;
    answer::found_as(&request, "application/x-pem-file", key.into_bytes())
}
