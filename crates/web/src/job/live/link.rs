//! Assigns one of the shop's rigs to the job, or lets it go.
use crate::http::Failure;
use crate::job::JobContext;
use actix_web::{HttpResponse, web};
use serde::Deserialize;
use uuid::Uuid;
use velvet_dial_core::stage::Stage;
use velvet_dial_store::rigs;

#[derive(Deserialize)]
pub struct Chosen {
    /// Key of the rig; empty to let go of the one that is assigned.
    #[serde(default)]
    rig: String,
}

/// Does it; a rig that was linked elsewhere comes back here by itself.
pub async fn link(context: JobContext, form: web::Form<Chosen>) -> Result<HttpResponse, Failure> {
    let chosen = if form.rig.is_empty() { None } else { Some(Uuid::parse_str(&form.rig).map_err(|_| Failure::NoPage)?) };
    context.job().await?;
    let all = rigs::rigs(&context.app.db, &context.viewer).await?;
    if let Some(chosen) = chosen {
        rigs::assign(&context.app.db, &context.viewer, chosen, Some(context.number)).await?;
        context.app.hub.end(chosen, "this data logger was linked to another job; connect again");
    }
    // One rig a job: the one before is free again.
    for rig in all.iter().filter(|rig| rig.job == Some(context.number) && Some(rig.id) != chosen) {
        rigs::assign(&context.app.db, &context.viewer, rig.id, None).await?;
        context.app.hub.end(rig.id, "this data logger was unlinked from its job; link it and connect again");
    }
    let to = if chosen.is_some() { Stage::Run } else { Stage::Rig };
    Ok(context.to(&format!("/jobs/{}/{}", context.number, to.id())))
}
