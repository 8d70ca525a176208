//! A stand-in's starter and throttle.
use crate::http::Failure;
use crate::job::JobContext;
use actix_web::{HttpResponse, web};
use serde::Deserialize;
use velvet_dial_rig::said::{Can, ToRig};

#[derive(Deserialize)]
pub struct Hand {
    #[serde(default)]
    throttle: Option<f64>,
    #[serde(default)]
    starter: Option<String>,
}

/// Passes it on; a rig on an engine has no such hand.
pub async fn hand(context: JobContext, form: web::Form<Hand>) -> Result<HttpResponse, Failure> {
    context.job().await?;
    let linked = context.app.hub.of_job(context.viewer.shop, context.number).filter(|linked| linked.can.contains(&Can::Drive));
    let linked = linked.ok_or_else(|| Failure::Form("a hand where no stand-in is linked".to_owned()))?;
    let asked = match (form.throttle, form.starter.as_deref()) {
        (Some(share), _) if (0.0..=1.0).contains(&share) => ToRig::Throttle(share),
        (None, Some("on")) => ToRig::Starter(true),
        (None, Some("off")) => ToRig::Starter(false),
        _ => return Err(Failure::Form("a throttle beyond its stops".to_owned())),
    };
    if linked.say(asked) { Ok(HttpResponse::NoContent().finish()) } else { Ok(HttpResponse::ServiceUnavailable().finish()) }
}
