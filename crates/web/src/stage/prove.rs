//! Closes a job. Its after-readings are taken as all readings are.
use super::{Desk, Sent};
use crate::error::Failure;
use crate::workbench::Stage;
use actix_web::{HttpResponse, web};
use serde::Deserialize;
use uuid::Uuid;
use velvet_dial_store::jobs::{self, Body, Write};

/// The button.
#[derive(Deserialize, Default)]
#[serde(default)]
pub struct Closing {
    key: String,
    seen: String,
    supersedes: String,
}

/// Closes the job and shows its report; a job closed already stays so.
pub async fn close(desk: Desk, form: web::Form<Closing>) -> Result<HttpResponse, Failure> {
    let form = form.into_inner();
    let sent = Sent { key: &form.key, seen: &form.seen, supersedes: &form.supersedes };
    let write = Write { body: Body::Closed {}, supersedes: Uuid::parse_str(sent.supersedes).ok(), submit_key: sent.key, at: None };
    jobs::write(&desk.app.db, &desk.viewer, desk.number, &write).await?;
    let job = desk.job().await?;
    Ok(desk.to(&if job.closed() {
        format!("/jobs/{}/report", desk.number)
    } else {
        format!("/jobs/{}/{}", desk.number, Stage::Prove.id())
    }))
}
