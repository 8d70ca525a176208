//! The card that hangs in the vehicle: plate, job number, and a code that leads to the job.
use crate::http::{Failure, origin};
use crate::job::JobContext;
use crate::ui::Chrome;
use crate::ui::show;
use actix_web::web::{ServiceConfig, get};
use actix_web::{HttpRequest, HttpResponse};
use askama::Template;

#[derive(Template)]
#[template(path = "job/card/card.html")]
struct Page {
    chrome: Chrome,
    number: i64,
    tag: String,
    description: String,
    complaint: String,
    opened: String,
    /// The code, drawn.
    code: String,
    address: String,
}

/// Shows the card, ready to print.
async fn show(context: JobContext, request: HttpRequest) -> Result<HttpResponse, Failure> {
    let job = context.job().await?;
    let address = format!("{}/jobs/{}", origin(&request, &context.app), context.number);
    let page = Page {
        chrome: Chrome::of(&context.viewer, context.preferences, format!("{} · Job card", job.head.vehicle.tag)),
        number: context.number,
        opened: show::moment_with_year(job.head.opened_at, &job.zone),
        tag: job.head.vehicle.tag,
        description: job.head.vehicle.description,
        complaint: job.head.complaint,
        code: velvet_dial_report::code(&address).ok_or(Failure::NoPage)?,
        address,
    };
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(page.render()?))
}

/// Its address.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/jobs/{number}/card", get().to(show));
}
