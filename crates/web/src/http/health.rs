//! Is it well: for whatever watches over the machine.
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
