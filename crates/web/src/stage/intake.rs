//! Ticks and clears what was said or seen.
use super::{Desk, Sent};
use crate::error::Failure;
use crate::workbench::Stage;
use actix_web::{HttpResponse, web};
use serde::Deserialize;
use velvet_dial_core::trace::knowledge::knowledge;
use velvet_dial_store::jobs::Body;

/// One tick.
#[derive(Deserialize)]
pub struct Tell {
    circumstance: String,
    told: bool,
    #[serde(default)]
    key: String,
    #[serde(default)]
    seen: String,
    #[serde(default)]
    supersedes: String,
}

/// Writes a tick or its taking back.
pub async fn tell(desk: Desk, form: web::Form<Tell>) -> Result<HttpResponse, Failure> {
    let form = form.into_inner();
    if knowledge().circumstance(&form.circumstance).is_none() {
        return Err(Failure::Form("a circumstance that is none".to_owned()));
    }
    let sent = Sent { key: &form.key, seen: &form.seen, supersedes: &form.supersedes };
    let fields = vec![("circumstance".to_owned(), form.circumstance.clone()), ("told".to_owned(), form.told.to_string())];
    let body = Body::Circumstance { circumstance: form.circumstance.clone(), told: form.told };
    desk.write(Stage::Intake, sent, body, "circumstance", fields).await
}
