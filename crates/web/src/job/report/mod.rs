//! The report: for the customer in plain words, for a warranty with every number; and the case file.
mod view;

use crate::http::form::{self, Ask, Drawn as Field, Form, Kind, Read};
use crate::http::{Failure, Slip};
use crate::job::{Desk, Sent, record};
use crate::ui::Chrome;
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::http::header;
use actix_web::web::{self, ServiceConfig, get, post};
use askama::Template;
use uuid::Uuid;
use velvet_dial_core::stage::Stage;
use velvet_dial_store::jobs::Body;
use view::Report;

#[derive(Template)]
#[template(path = "job/report/report.html")]
struct Page {
    chrome: Chrome,
    report: Report,
    closed: bool,
    /// It was closed before closings kept what they stood on.
    made_anew: bool,
    /// The ledger is not what it was.
    broken: Option<String>,
    key: Uuid,
    seen: i32,
    reopen: Vec<Field>,
}

impl Page {
    /// The reopening was not taken.
    fn refused(&self) -> bool {
        self.reopen.iter().any(|field| field.problem.is_some())
    }
}

/// Shows the report.
pub async fn show(desk: Desk) -> Result<HttpResponse, Failure> {
    page(desk, Slip::default(), StatusCode::OK).await
}

async fn page(desk: Desk, slip: Slip, status: StatusCode) -> Result<HttpResponse, Failure> {
    let job = desk.job().await?;
    let (seen, closed, made_anew) = (job.seq(), job.closed(), job.closed() && job.record.is_none());
    let (record, broken) = record::sealed(&desk, record::of(&desk, job).await?).await?;
    let page = Page {
        broken: broken.map(|error| error.to_string()),
        chrome: Chrome::of(&desk.viewer, desk.liking, format!("{} · Report", record.papers.tag)),
        report: view::report(&record, desk.liking.unit),
        closed,
        made_anew,
        key: Uuid::new_v4(),
        seen,
        reopen: REOPEN.draw(&slip, desk.liking.unit, |_| Vec::new()),
    };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

/// The job in the open case format; of a closed one as it stood then.
pub async fn case_file(desk: Desk) -> Result<HttpResponse, Failure> {
    let job = desk.job().await?;
    let name = format!("attachment; filename=\"job-{}.json\"", job.head.number);
    Ok(HttpResponse::Ok().insert_header((header::CONTENT_DISPOSITION, name)).json(job.case()))
}

/// The report as data: what the page is drawn from.
pub async fn data(desk: Desk) -> Result<HttpResponse, Failure> {
    let job = desk.job().await?;
    let name = format!("attachment; filename=\"report-{}.json\"", job.head.number);
    let (record, _) = record::sealed(&desk, record::of(&desk, job).await?).await?;
    Ok(HttpResponse::Ok().insert_header((header::CONTENT_DISPOSITION, name)).json(record))
}

/// Why a closed job is opened again.
static REOPEN: Form = Form {
    name: "reopen",
    asks: &[Ask::new(
        "reason",
        "Reason",
        "the report tells it",
        Kind::Needed(300, "say in a few words why it is opened again; the report will tell it."),
    )],
};

/// Opens a closed job again: an entry in the place of its closing. One that is open already stays so.
pub async fn reopen(desk: Desk, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let mut typed = Read::of(&REOPEN, &form, desk.liking.unit);
    let reason = typed.text("reason");
    if !typed.slip.is_clean() {
        return page(desk, typed.slip, StatusCode::UNPROCESSABLE_ENTITY).await;
    }
    let job = desk.job().await?;
    let Some(closing) = job.closing() else {
        return Ok(desk.to(&format!("/jobs/{}", desk.number)));
    };
    let closing = closing.id.to_string();
    let sent = Sent { supersedes: &closing, ..Sent::of(&form) };
    desk.write(Stage::Prove, sent, Body::Reopened { reason }, "reopen", Vec::new()).await
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config
        .route("/jobs/{number}/report", get().to(show))
        .route("/jobs/{number}/reopen", post().to(reopen))
        .route("/jobs/{number}/report.json", get().to(data))
        .route("/jobs/{number}/case.json", get().to(case_file));
}
