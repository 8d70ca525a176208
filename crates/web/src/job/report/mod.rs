//! The report: for the customer in plain words, for a warranty with every number, as a page, on paper and as data; and the case file.
mod lay;
mod pictures;

use crate::http::form::{self, Ask, Drawn as Field, Form, Kind, Read};
use crate::http::{Failure, SignedIn, Slip};
use crate::job::{Desk, Sent, record};
use crate::state::App;
use crate::ui::Chrome;
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::http::header;
use actix_web::web::{self, ServiceConfig, get, post};
use askama::Template;
use serde::Deserialize;
use std::collections::HashMap;
use uuid::Uuid;
use velvet_dial_core::record::{self as core_record, Record, SealError};
use velvet_dial_core::stage::Stage;
use velvet_dial_report::{Block, Document, Paper, Tone, pdf};
use velvet_dial_store::jobs::{self, Body, Job};

/// Who reads it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Reader {
    /// The customer: what was found, done and proven.
    Customer,
    /// A warranty, an insurer, the foreman: with every figure and entry.
    #[default]
    Full,
}

/// What the address asks.
#[derive(Debug, Clone, Copy, Default, Deserialize)]
#[serde(default)]
pub struct Asked {
    /// Who reads it.
    reader: Reader,
    /// On a sheet of Letter; else of A4.
    letter: bool,
}

#[derive(Template)]
#[template(path = "job/report/report.html")]
struct Page {
    chrome: Chrome,
    document: Document,
    number: i64,
    full: bool,
    /// Reports are signed here.
    signs: bool,
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
pub async fn show(desk: Desk, asked: web::Query<Asked>) -> Result<HttpResponse, Failure> {
    page(desk, asked.reader, Slip::default(), StatusCode::OK).await
}

async fn page(desk: Desk, reader: Reader, slip: Slip, status: StatusCode) -> Result<HttpResponse, Failure> {
    let job = desk.job().await?;
    let (seen, closed, made_anew) = (job.seq(), job.closed(), job.closed() && job.record.is_none());
    let (record, broken) = sealed(&desk, job).await?;
    let page = Page {
        broken: broken.map(|error| error.to_string()),
        chrome: Chrome::of(&desk.viewer, desk.liking, format!("{} · Report", record.papers.tag)),
        number: desk.number,
        full: reader == Reader::Full,
        signs: desk.app.serving.signer.is_some(),
        document: document(&desk, &record, reader).await?,
        closed,
        made_anew,
        key: Uuid::new_v4(),
        seen,
        reopen: REOPEN.draw(&slip, desk.liking.unit, |_| Vec::new()),
    };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

/// The record with its seal, signed by the server's key where it has one; and why there is none where the ledger was changed.
async fn sealed(desk: &Desk, job: Job) -> Result<(Record, Option<SealError>), Failure> {
    let (mut record, broken) = record::sealed(desk, record::of(desk, job).await?).await?;
    if let Some(signer) = &desk.app.serving.signer {
        core_record::sign(&mut record, signer);
    }
    Ok((record, broken))
}

async fn document(desk: &Desk, record: &Record, reader: Reader) -> Result<Document, Failure> {
    let drawn = lay::Drawn {
        map: pictures::map(record, desk.liking.unit)?,
        strips: if reader == Reader::Full { pictures::strips(desk, record).await? } else { Vec::new() },
        code: record.seal.as_ref().and_then(|seal| velvet_dial_report::code(&seal.in_a_line())),
    };
    Ok(lay::document(record, reader, desk.liking.unit, drawn))
}

/// The report on paper.
pub async fn paper(desk: Desk, asked: web::Query<Asked>) -> Result<HttpResponse, Failure> {
    let job = desk.job().await?;
    let (record, _) = sealed(&desk, job).await?;
    let mut document = document(&desk, &record, asked.reader).await?;
    let mut photos = Vec::new();
    for block in &mut document.blocks {
        match block {
            Block::Picture(picture) => picture.svg = pictures::on_paper(&picture.svg),
            Block::Photos { photos: of_block } => photos.extend(of_block),
            _ => {}
        }
    }
    let ids: Vec<Uuid> = photos.iter().filter_map(|photo| photo.id.parse().ok()).collect();
    let kept = jobs::photos(&desk.app.db, &desk.viewer, desk.number, &ids).await?;
    let kept: HashMap<String, Vec<u8>> = kept.into_iter().map(|(id, jpeg)| (id.to_string(), jpeg)).collect();
    for photo in photos {
        photo.jpeg = kept.get(&photo.id).cloned().ok_or(Failure::NoPage)?;
    }
    let size = if asked.letter { Paper::Letter } else { Paper::A4 };
    let bytes = desk.app.work.out(move || pdf(&document, size)).await??;
    let reader = if asked.reader == Reader::Customer { "customer-" } else { "" };
    let name = format!("attachment; filename=\"report-{reader}{}.pdf\"", desk.number);
    Ok(HttpResponse::Ok().content_type("application/pdf").insert_header((header::CONTENT_DISPOSITION, name)).body(bytes))
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
    let (record, _) = sealed(&desk, job).await?;
    Ok(HttpResponse::Ok().insert_header((header::CONTENT_DISPOSITION, name)).json(record))
}

/// The public key that reports are checked with.
pub async fn public_key(app: web::Data<App>, _: SignedIn) -> Result<HttpResponse, Failure> {
    let key = app.serving.signer.as_ref().and_then(|signer| signer.public_pem().ok()).ok_or(Failure::NoPage)?;
    let name = "attachment; filename=\"report-key.pem\"";
    Ok(HttpResponse::Ok().content_type("application/x-pem-file").insert_header((header::CONTENT_DISPOSITION, name)).body(key))
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
        return page(desk, Reader::Full, typed.slip, StatusCode::UNPROCESSABLE_ENTITY).await;
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
        .route("/jobs/{number}/report.pdf", get().to(paper))
        .route("/report-key.pem", get().to(public_key))
        .route("/jobs/{number}/case.json", get().to(case_file));
}
