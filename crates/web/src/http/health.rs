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
