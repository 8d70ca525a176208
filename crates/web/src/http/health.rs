//! Is it well: for whatever watches over the machine.
use super::Failure;
use crate::state::App;
use actix_web::{HttpResponse, web};

/// 200 when the database answers, else 503.
pub async fn check(app: web::Data<App>) -> HttpResponse {
    if velvet_dial_store::healthy(&app.db).await {
        HttpResponse::Ok().content_type("text/plain").body("ok\n")
    } else {
        HttpResponse::ServiceUnavailable().content_type("text/plain").body("the database does not answer\n")
    }
}

/// The certificate that tablets trust, where the server made its own.
pub async fn authority(app: web::Data<App>) -> Result<HttpResponse, Failure> {
    let pem = app.serving.authority.as_ref().ok_or(Failure::NoPage)?;
    let name = "attachment; filename=\"velvet-dial-authority.pem\"";
    Ok(HttpResponse::Ok().content_type("application/x-pem-file").insert_header(("content-disposition", name)).body(pem.to_string()))
}

/// 200 when people can work: the database answers, and its disk has room. Else 503 with what is wrong, a line each.
pub async fn ready(app: web::Data<App>) -> HttpResponse {
    let mut wrong = Vec::new();
    if !velvet_dial_store::healthy(&app.db).await {
        wrong.push("the database does not answer");
    }
    if !app.serving.has_room() {
        wrong.push("the database's disk is nearly full: no photo or run is kept");
    }
    if wrong.is_empty() {
        HttpResponse::Ok().content_type("text/plain").body("ready\n")
    } else {
        HttpResponse::ServiceUnavailable().content_type("text/plain").body(format!("{}\n", wrong.join("\n")))
    }
}
