//! Takes in a recorded run as it comes, shows it with its strip and its holds, or says what is wrong with it.
use super::named::Named;
use super::source::{FILES, RIGS, Source};
use super::told::{RunAnalysis, told};
use crate::http::form::{self, Form, Kind, Question, Read};
use crate::http::{Failure, FormState};
use crate::job::frame::ScreenRequest;
use crate::job::{JobContext, Sent};
use crate::ui::count;
use crate::ui::words::describe;
use crate::ui::{Chrome, show};
use actix_multipart::Multipart;
use actix_web::http::StatusCode;
use actix_web::web::Bytes;
use actix_web::{HttpResponse, web};
use askama::Template;
use futures_util::{Stream, TryStreamExt};
use uuid::Uuid;
use velvet_dial_core::capture::{self, CaptureError, MOST_BYTES, UNDERSTOOD};
use velvet_dial_core::stage::Stage;
use velvet_dial_store::jobs::{self, Body, Incoming};

/// The name of the upload's form, and of its one field.
const FORM: &str = "capture";
const FIELD: &str = "file";
/// Why an upload is withdrawn.
static WITHDRAW: Form = Form {
    name: "upload",
    asks: &[Question::new("reason", "Why", "", Kind::Needed(300, "say in a few words why, for example “recorded on another vehicle”."))],
};
/// Whether a file is text with rows of numbers shows within so much of it.
const LOOK: usize = 256 << 10;

/// Keeps the file as it comes, a part at a time; one that is no text or too large is refused beside its field, and nothing of it stays.
pub async fn upload(context: JobContext, mut form: Multipart) -> Result<HttpResponse, Failure> {
    if !context.app.serving.has_room() {
        return Err(Failure::DiskFull);
    }
    let broke = |error: actix_multipart::MultipartError| Failure::Upload(error.to_string());
    while let Some(mut field) = form.try_next().await.map_err(broke)? {
        if field.name() != Some(FIELD) {
            continue;
        }
        let name = field.content_disposition().and_then(|told| told.get_filename()).unwrap_or("run.csv");
        let name: String = name.chars().filter(|c| !c.is_control()).take(120).collect();
        return match keep_file(&context, &name, &mut field).await? {
            Ok(id) => Ok(context.to(&format!("/jobs/{}/{FILES}/{id}", context.number))),
            Err(refused) => {
                let mut form_state = FormState::of(FORM);
                form_state.wrong(FIELD, refused.to_string());
                context.answer(Stage::Run, ScreenRequest { form_state, ..ScreenRequest::default() }, StatusCode::UNPROCESSABLE_ENTITY).await
            }
        };
    }
    Err(Failure::Upload("no file in the form".to_owned()))
}

/// Keeps a file as it comes; its key, or why nothing of it was kept.
pub async fn keep_file<E: ToString>(
    context: &JobContext,
    name: &str,
    file: impl Stream<Item = Result<Bytes, E>> + Unpin,
) -> Result<Result<Uuid, CaptureError>, Failure> {
    let mut incoming = Incoming::begin(&context.app.db, &context.viewer, context.number, name).await?;
    match receive(context, file, &mut incoming).await {
        Ok(None) => Ok(Ok(incoming.keep(&context.app.db, &context.viewer).await?)),
        Ok(Some(refused)) => {
            incoming.forget(&context.app.db).await?;
            Ok(Err(refused))
        }
        Err(failure) => {
            incoming.forget(&context.app.db).await?;
            Err(failure)
        }
    }
}

/// Takes the file to its end. What is refused on the way is read on, up to a measure, and thrown away: a browser that is cut off while it sends shows no answer.
async fn receive<E: ToString>(
    context: &JobContext,
    mut file: impl Stream<Item = Result<Bytes, E>> + Unpin,
    incoming: &mut Incoming,
) -> Result<Option<CaptureError>, Failure> {
    let mut head: Vec<u8> = Vec::new();
    let (mut looked, mut wrong, mut thrown) = (false, None, 0);
    while let Some(bytes) = file.try_next().await.map_err(|error| Failure::Upload(error.to_string()))? {
        if wrong.is_some() {
            thrown += bytes.len();
            if thrown > MOST_BYTES {
                break;
            }
            continue;
        }
        if incoming.size() as usize + bytes.len() > MOST_BYTES {
            wrong = Some(CaptureError::TooLarge);
            continue;
        }
        if !looked {
            head.extend_from_slice(&bytes);
            looked = head.len() >= LOOK;
            if looked {
                wrong = refused(context, std::mem::take(&mut head)).await?;
            }
        }
        incoming.take(&context.app.db, &bytes).await?;
    }
    if looked || wrong.is_some() { Ok(wrong) } else { refused(context, head).await }
}

async fn refused(context: &JobContext, head: Vec<u8>) -> Result<Option<CaptureError>, Failure> {
    Ok(context.app.work.out(move || capture::table(&head).err()).await?)
}

/// Withdraws an upload: the file is kept, and no reading is taken from it any more. One that readings were taken from keeps them until they are withdrawn.
pub async fn withdraw(context: JobContext, path: web::Path<(i64, Uuid)>, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let (sent, mut typed) = (Sent::of(&form), Read::of(&WITHDRAW, &form, context.preferences.unit));
    let reason = typed.text("reason");
    let files = jobs::captures(&context.app.db, &context.viewer, context.number).await?;
    let Some(file) = files.into_iter().find(|file| file.id == path.1) else { return Err(Failure::NoPage) };
    if context.job().await?.reads_from(file.id) {
        typed.form_state.wrong("reason", "Readings were taken from this run. Withdraw those readings first, then the upload.");
    }
    if !typed.form_state.is_clean() {
        let ask = ScreenRequest { seen: sent.seen(), form_state: typed.form_state, ..ScreenRequest::default() };
        return context.answer(Stage::Run, ask, StatusCode::UNPROCESSABLE_ENTITY).await;
    }
    let action = format!("captures/{}/withdraw", file.id);
    context.write(Stage::Run, sent, Body::UploadWithdrawn { capture: file.id, name: file.name, reason }, &action, typed.fields()).await
}

/// Keeps how the columns are named and shows the run.
pub async fn map(context: JobContext, path: web::Path<(i64, Uuid)>, form: web::Form<Named>) -> Result<HttpResponse, Failure> {
    let named = form.into_inner();
    if named.map().is_none() {
        let source = Source::of(&context, FILES, path.1).await?;
        let problem = "Time and pressure need a column, and each quantity one of its own.".to_owned();
        return page(&context, source, path.1, Some((named, problem))).await;
    }
    let text = serde_json::to_string(&named).map_err(|error| Failure::Form(error.to_string()))?;
    jobs::set_mapping(&context.app.db, &context.viewer, context.number, path.1, &text).await?;
    Ok(context.to(&format!("/jobs/{}/{FILES}/{}", context.number, path.1)))
}

/// Shows a file.
pub async fn show(context: JobContext, path: web::Path<(i64, Uuid)>) -> Result<HttpResponse, Failure> {
    let source = Source::of(&context, FILES, path.1).await?;
    page(&context, source, path.1, None).await
}

/// Shows what a rig recorded; what it tells is asked for by the page, since an hour takes a moment.
pub async fn show_recorded(context: JobContext, path: web::Path<(i64, Uuid)>) -> Result<HttpResponse, Failure> {
    let source = Source::of(&context, RIGS, path.1).await?;
    page(&context, source, path.1, None).await
}

/// What the page shows of a run.
enum Found {
    /// Understood.
    Run { told: Box<RunAnalysis> },
    /// What it tells comes later.
    Later,
    /// The header does not say it all.
    Ask { columns: Vec<(usize, String)>, first: Vec<String>, named: Box<Named>, missing: Vec<&'static str>, problem: String },
    /// It cannot be read.
    Bad { sentence: String },
}

impl Found {
    /// There is a run to be drawn.
    fn drawn(&self) -> bool {
        matches!(self, Self::Run { .. } | Self::Later)
    }
}

#[derive(Template)]
#[template(path = "job/run/capture.html")]
struct Page {
    chrome: Chrome,
    number: i64,
    kind: &'static str,
    id: String,
    tag: String,
    name: String,
    /// What tells it from others: a file's digest, or by which rig and when.
    sign: String,
    also_in: Vec<i64>,
    /// It was withdrawn from this job, in words.
    withdrawn: Option<String>,
    found: Found,
    understood: &'static str,
    unit: &'static str,
}

async fn page(context: &JobContext, source: Source, id: Uuid, wrong: Option<(Named, String)>) -> Result<HttpResponse, Failure> {
    let job = context.job().await?;
    let status = if wrong.is_some() { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::OK };
    let found = match &source {
        Source::Rig(_) => Found::Later,
        Source::File { mapping, .. } => {
            let read = if wrong.is_some() { None } else { Some(source.whole(context).await?) };
            match read {
                Some(Ok(run)) => Found::Run { told: Box::new(told(context, &job, &source, id, run).await?) },
                Some(Err(error)) => ask(context, id, mapping.as_deref(), None, Some(error)).await?,
                None => ask(context, id, mapping.as_deref(), wrong, None).await?,
            }
        }
    };
    let withdrawn = job.upload_withdrawn(id).map(|entry| describe(&entry.body, context.preferences.unit));
    let tag = job.head.vehicle.tag.clone();
    let (kind, name, sign, also_in) = match source {
        Source::File { file, .. } => {
            (FILES, file.name, format!("fingerprint {}", file.digest.chars().take(16).collect::<String>()), file.also_in)
        }
        Source::Rig(recorded) => {
            let lost = if recorded.lost > 0 { format!(", {} that the data logger could not send", recorded.lost) } else { String::new() };
            let sign = format!("{} recorded{lost}", count(recorded.samples as usize, "sample"));
            (RIGS, format!("{}, {}", recorded.rig, show::moment_with_year(recorded.started_at, &job.zone)), sign, Vec::new())
        }
    };
    let page = Page {
        chrome: Chrome::of(&context.viewer, context.preferences, format!("{tag} · run {name}")),
        number: context.number,
        kind,
        id: id.to_string(),
        tag,
        name,
        sign,
        also_in,
        withdrawn,
        found,
        understood: UNDERSTOOD,
        unit: context.preferences.unit.label(),
    };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

/// What is asked of a file that is not understood, or why nothing can be.
async fn ask(
    context: &JobContext,
    id: Uuid,
    mapping: Option<&str>,
    wrong: Option<(Named, String)>,
    error: Option<CaptureError>,
) -> Result<Found, Failure> {
    let named: Option<Named> = mapping.and_then(|text| serde_json::from_str(text).ok());
    let mapped = named.as_ref().is_some_and(|named| named.map().is_some());
    let (named, problem) = match (wrong, &error) {
        (Some(wrong), _) => wrong,
        (None, Some(CaptureError::Unnamed { .. }) | None) => (named.unwrap_or_default(), String::new()),
        (None, Some(error)) if mapped => (named.unwrap_or_default(), error.to_string()),
        (None, Some(error)) => return Ok(Found::Bad { sentence: error.to_string() }),
    };
    let bytes = jobs::capture_bytes(&context.app.db, id).await?;
    let look = move || {
        let table = match capture::table(&bytes) {
            Ok(table) => table,
            Err(error) => return Found::Bad { sentence: error.to_string() },
        };
        let missing = match capture::mapping(&table, None) {
            Err(CaptureError::Unnamed { missing, .. }) => missing.into_iter().map(capture::Quantity::label).collect(),
            _ => Vec::new(),
        };
        Found::Ask {
            columns: table.header.iter().cloned().enumerate().collect(),
            first: table.first.clone(),
            named: Box::new(named),
            missing,
            problem,
        }
    };
    Ok(context.app.work.out(look).await?)
}
