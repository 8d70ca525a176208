//! The report: for the customer in plain words, for a warranty with every number, as a page, on paper and as data; and the case file.
mod follow_up;
mod lay;
mod pictures;

use crate::http::form::{self, FieldView as Field, Form, Kind, Question, Read};
use crate::http::{Failure, FormState, SignedIn};
use crate::job::{JobContext, Sent, record};
use crate::state::App;
use crate::ui::Chrome;
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::http::header;
use actix_web::web::{self, ServiceConfig, get, post};
use askama::Template;
use chrono::Datelike;
use serde::Deserialize;
use std::collections::HashMap;
use uuid::Uuid;
use velvet_dial_core::record::{self as core_record, Record};
use velvet_dial_core::signing;
use velvet_dial_core::signing::{SealError, Signer};
use velvet_dial_core::stage::Stage;
use velvet_dial_report::{Attached, Block, Document, Paper, PaperError, Tone, pdf};
use velvet_dial_store::jobs::{self, Body};

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
pub struct ReportQuery {
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
    state: State,
    /// The job history or the kept report is not what it was.
    broken: Option<String>,
    key: Uuid,
    seen: i32,
    reopen: Vec<Field>,
    /// What was found after the closing, and the form for more.
    follow_ups: Vec<follow_up::Row>,
    follow_up: Vec<Field>,
}

impl Page {
    fn closed(&self) -> bool {
        self.state != State::Draft
    }

    /// A form was not taken.
    fn refused(&self, form: &[Field]) -> bool {
        form.iter().any(|field| field.problem.is_some())
    }
}

/// Shows the report.
pub async fn show(context: JobContext, asked: web::Query<ReportQuery>) -> Result<HttpResponse, Failure> {
    page(context, asked.reader, FormState::default(), StatusCode::OK).await
}

async fn page(context: JobContext, reader: Reader, form_state: FormState, status: StatusCode) -> Result<HttpResponse, Failure> {
    let served = served(&context).await?;
    page_of(context, served, reader, form_state, status).await
}

async fn page_of(
    context: JobContext,
    served: Served,
    reader: Reader,
    form_state: FormState,
    status: StatusCode,
) -> Result<HttpResponse, Failure> {
    let Served { record, broken, state, seen, follow_ups, .. } = served;
    let page = Page {
        chrome: Chrome::of(&context.viewer, context.preferences, format!("{} · Report", record.papers.tag)).helped_by("report"),
        number: context.number,
        full: reader == Reader::Full,
        signs: context.app.serving.keys.is_some(),
        document: document(&context, &record, reader, &follow_ups).await?,
        state,
        broken,
        key: Uuid::new_v4(),
        seen,
        reopen: REOPEN.draw(&form_state, context.preferences.unit, |_| Vec::new()),
        follow_ups,
        follow_up: follow_up::FORM.draw(&form_state, context.preferences.unit, |_| follow_up::choices()),
    };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

/// How far a report is proven to be what it was.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum State {
    /// The job is open.
    Draft,
    /// Signed as the job was closed.
    Signed,
    /// Closed before reports were signed, or on a server without a key.
    Unsigned,
    /// Closed before closings kept what they stood on.
    NotKept,
}

/// A report as it is shown and given out.
struct Served {
    record: Record,
    /// The kept text; none of a draft.
    text: Option<String>,
    /// Why it is not what it was.
    broken: Option<String>,
    state: State,
    seen: i32,
    follow_ups: Vec<follow_up::Row>,
}

async fn served(context: &JobContext) -> Result<Served, Failure> {
    let job = context.job().await?;
    let (seen, follow_ups) = (job.seq(), follow_up::rows(&job));
    if let Some(kept) = record::kept(context, &job).await? {
        let state = if kept.signed { State::Signed } else { State::Unsigned };
        return Ok(Served { record: kept.record, text: Some(kept.text), broken: kept.broken, state, seen, follow_ups });
    }
    let state = if job.closed() { State::NotKept } else { State::Draft };
    let (record, broken) = record::draft(&context.app.db, &context.viewer, record::of(context, job, None).await?).await?;
    Ok(Served { record, text: None, broken, state, seen, follow_ups })
}

async fn document(context: &JobContext, record: &Record, reader: Reader, follow_ups: &[follow_up::Row]) -> Result<Document, Failure> {
    let drawings = lay::Drawings {
        map: pictures::map(record, context.preferences.unit)?,
        strips: if reader == Reader::Full { pictures::strips(context, record).await? } else { Vec::new() },
        code: check_at(context, record).and_then(|text| velvet_dial_report::code(&text)),
    };
    let mut document = lay::document(record, reader, context.preferences.unit, drawings);
    document.blocks.splice(0..0, follow_up::warning(follow_ups));
    Ok(document)
}

/// What the code on a report says: where its signature is looked up, or its hashes where it has no code.
fn check_at(context: &JobContext, record: &Record) -> Option<String> {
    let code = &record.papers.code;
    match context.app.serving.public_url.as_ref().filter(|_| !code.is_empty()) {
        Some(url) => Some(format!("{url}/check/{code}")),
        None => record.seal.as_ref().map(core_record::Seal::in_a_line),
    }
}

/// The report on paper; one that is not what was signed is not given out.
pub async fn paper(context: JobContext, asked: web::Query<ReportQuery>) -> Result<HttpResponse, Failure> {
    let served = served(&context).await?;
    if served.broken.is_some() {
        return page_of(context, served, asked.reader, FormState::default(), StatusCode::CONFLICT).await;
    }
    let mut document = document(&context, &served.record, asked.reader, &served.follow_ups).await?;
    let last = document.blocks.iter().rposition(|block| matches!(block, Block::Heading { .. })).unwrap_or(document.blocks.len());
    document.blocks.splice(last..last, follow_up::on_paper(&served.follow_ups));
    let mut photos = Vec::new();
    for block in &mut document.blocks {
        match block {
            Block::Picture(picture) => picture.svg = pictures::on_paper(&picture.svg),
            Block::Photos { photos: of_block } => photos.extend(of_block),
            _ => {}
        }
    }
    let turn = context.app.work.heavy_turn().await?;
    let ids: Vec<Uuid> = photos.iter().filter_map(|photo| photo.id.parse().ok()).collect();
    let kept = jobs::photos(&context.app.db, &context.viewer, context.number, &ids).await?;
    let kept: HashMap<String, Vec<u8>> = kept.into_iter().map(|(id, jpeg)| (id.to_string(), jpeg)).collect();
    for photo in photos {
        photo.jpeg = kept.get(&photo.id).cloned().ok_or(Failure::NoPage)?;
    }
    let size = if asked.letter { Paper::Letter } else { Paper::A4 };
    let bytes = match served.text.filter(|_| served.state == State::Signed).zip(context.app.serving.keys.as_ref()) {
        Some((text, keys)) => {
            let signer = keys.of_shop(context.viewer.shop).map_err(|error| Failure::NotSigned(error.to_string()))?;
            let record = served.record;
            let made = move || signed_pdf(&document, size, (&record, text), &signer);
            context.app.work.heavy(turn, made).await??.map_err(|error| Failure::NotSigned(error.to_string()))?
        }
        None => context.app.work.heavy(turn, move || pdf(&document, size, &[])).await??,
    };
    let reader = if asked.reader == Reader::Customer { "customer-" } else { "" };
    let name = format!("attachment; filename=\"report-{reader}{}.pdf\"", context.number);
    Ok(HttpResponse::Ok().content_type("application/pdf").insert_header((header::CONTENT_DISPOSITION, name)).body(bytes))
}

/// The job in the open case format; of a closed one as it stood then.
pub async fn case_file(context: JobContext) -> Result<HttpResponse, Failure> {
    let job = context.job().await?;
    let name = format!("attachment; filename=\"job-{}.json\"", job.head.number);
    Ok(HttpResponse::Ok().insert_header((header::CONTENT_DISPOSITION, name)).json(job.case()))
}

/// The report as data, and whether it is signed; or why it is not what it was.
pub async fn text(context: &JobContext) -> Result<Result<(String, bool), String>, Failure> {
    let Served { record, text, broken, state, .. } = served(context).await?;
    if let Some(broken) = broken {
        return Ok(Err(broken));
    }
    let text = match text {
        Some(text) => text,
        None => serde_json::to_string(&record).map_err(|error| Failure::Form(error.to_string()))?,
    };
    Ok(Ok((text, state == State::Signed)))
}

/// The report as data: a closed job's byte by byte as it was signed, an open one's as a draft.
pub async fn data(context: JobContext) -> Result<HttpResponse, Failure> {
    let served = served(&context).await?;
    if served.broken.is_some() {
        return page_of(context, served, Reader::Full, FormState::default(), StatusCode::CONFLICT).await;
    }
    let name = format!("attachment; filename=\"report-{}.json\"", context.number);
    let mut given = HttpResponse::Ok();
    given.insert_header((header::CONTENT_DISPOSITION, name));
    Ok(match served.text {
        Some(text) => given.content_type("application/json").body(text),
        None => given.json(served.record),
    })
}

/// The PDF of a signed report, which carries the report and a signed slip of its pages.
fn signed_pdf(
    document: &Document,
    size: Paper,
    (record, text): (&Record, String),
    signer: &Signer,
) -> Result<Result<Vec<u8>, SealError>, PaperError> {
    let day = record.papers.closed_at.unwrap_or(record.papers.opened_at).date_naive();
    let on = (u16::try_from(day.year()).unwrap_or_default(), day.month() as u8, day.day() as u8);
    let of = |name, mime_type, about, bytes| Attached { name, mime_type, about, bytes, on };
    let attached = [
        of("report.json", "application/json", "The signed report as data", text.into_bytes()),
        of("pages.txt", "text/plain", "Which pages belong to the report", signing::blank_slip().into_bytes()),
    ];
    let mut file = pdf(document, size, &attached)?;
    let [report, _] = &attached;
    let hash = record.seal.as_ref().map(|seal| seal.document.as_str()).unwrap_or_default();
    Ok(signing::sign_pages(&mut file, &report.bytes, hash, signer).map(|()| file))
}

/// The public keys that the shop's reports are checked with, the one in use first.
pub async fn public_key(app: web::Data<App>, SignedIn(viewer): SignedIn) -> Result<HttpResponse, Failure> {
    let keys = app.serving.keys.as_ref().ok_or(Failure::NoPage)?;
    let key = keys.public_of_shop(viewer.shop).map_err(|error| Failure::NotSigned(error.to_string()))?;
    let name = "attachment; filename=\"report-key.pem\"";
    Ok(HttpResponse::Ok().content_type("application/x-pem-file").insert_header((header::CONTENT_DISPOSITION, name)).body(key))
}

/// Why a closed job is opened again.
static REOPEN: Form = Form {
    name: "reopen",
    asks: &[Question::new(
        "reason",
        "Reason",
        "it goes into the report",
        Kind::Needed(300, "say in a few words why it is opened again. The reason goes into the report."),
    )],
};

/// Opens a closed job again: an entry in the place of its closing. One that is open already stays so.
pub async fn reopen(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let mut typed = Read::of(&REOPEN, &form, context.preferences.unit);
    let reason = typed.text("reason");
    if !typed.form_state.is_clean() {
        return page(context, Reader::Full, typed.form_state, StatusCode::UNPROCESSABLE_ENTITY).await;
    }
    let job = context.job().await?;
    let Some(closing) = job.closing() else {
        return Ok(context.to(&format!("/jobs/{}", context.number)));
    };
    let closing = closing.id.to_string();
    let sent = Sent { supersedes: &closing, ..Sent::of(&form) };
    context.write(Stage::Prove, sent, Body::Reopened { reason }, "reopen", Vec::new()).await
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config
        .route("/jobs/{number}/report", get().to(show))
        .route("/jobs/{number}/reopen", post().to(reopen))
        .route("/jobs/{number}/follow-up", post().to(follow_up::add))
        .route("/jobs/{number}/report.json", get().to(data))
        .route("/jobs/{number}/report.pdf", get().to(paper))
        .route("/report-key.pem", get().to(public_key))
        .route("/jobs/{number}/case.json", get().to(case_file));
}
