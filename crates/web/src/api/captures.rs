//! Recorded runs of a job, byte for byte.
use super::answer;
use super::caller::CalledAtJob;
use super::jobs::needed;
use super::problem::ApiFailure;
use super::shapes::{CaptureView, Made};
use crate::http::Failure;
use crate::job::keep_file;
use actix_web::web::{self, Payload};
use actix_web::{HttpRequest, HttpResponse};
use serde::Deserialize;
use uuid::Uuid;
use velvet_dial_store::StoreError;
use velvet_dial_store::jobs;

/// The recorded runs of a job.
pub async fn list(request: HttpRequest, at: CalledAtJob) -> Result<HttpResponse, ApiFailure> {
    let context = &at.context;
    let (job, files) =
        tokio::try_join!(context.job(), async { Ok(jobs::captures(&context.app.db, &context.viewer, context.number).await?) })?;
    let view = |file: jobs::File| CaptureView {
        withdrawn: job.upload_withdrawn(file.id).is_some(),
        id: file.id,
        name: file.name,
        sha256: file.digest,
        uploaded_at: file.uploaded_at.and_utc(),
    };
    answer::found(&request, &files.into_iter().map(view).collect::<Vec<_>>())
}

/// How a file is called.
#[derive(Debug, Default, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct Name {
    name: String,
}

/// Keeps a recorded run as it comes. The same bytes at the same job are kept once, so it may be sent again.
pub async fn add(at: CalledAtJob, name: web::Query<Name>, file: Payload) -> Result<HttpResponse, ApiFailure> {
    let context = &at.context;
    if !context.app.serving.has_room() {
        return Err(Failure::DiskFull.into());
    }
    let name = needed("name", if name.name.is_empty() { "run.csv" } else { &name.name }, 120)?;
    let job = context.job().await?;
    if job.closed() {
        return Err(StoreError::Closed.into());
    }
    match keep_file(context, &name, file).await? {
        Ok(id) => Ok(HttpResponse::Created().json(Made { id })),
        Err(refused) => Err(ApiFailure::at(".", refused.to_string())),
    }
}

/// A recorded run as it came.
pub async fn one(request: HttpRequest, at: CalledAtJob, path: web::Path<(i64, Uuid)>) -> Result<HttpResponse, ApiFailure> {
    let context = &at.context;
    let (file, _) = jobs::capture_head(&context.app.db, &context.viewer, context.number, path.1).await?;
    answer::found_as(&request, "text/csv; charset=utf-8", jobs::capture_bytes(&context.app.db, file.id).await?)
}
