//! The board: every job of the shop, where it is, and whether the engine may run.
use crate::http::Failure;
use crate::http::SignedIn;
use crate::state::App;
use crate::ui::Chrome;
use crate::ui::Liking;
use crate::ui::show;
use crate::ui::words::{describe, flag_class};
use actix_web::HttpResponse;
use actix_web::web::{self, ServiceConfig, get};
use askama::Template;
use serde::Deserialize;
use velvet_dial_core::flag::Word;
use velvet_dial_core::limits::Decision;
use velvet_dial_core::stage::Stage;
use velvet_dial_core::trace::knowledge::knowledge;
use velvet_dial_store::{Viewer, accounts, jobs};

/// Open jobs a page.
const LISTED: u64 = 60;

/// Which page of the open jobs, from 1.
#[derive(Deserialize)]
struct Asked {
    #[serde(default)]
    page: u64,
}

/// One job.
pub struct Row {
    pub number: i64,
    pub tag: String,
    pub description: String,
    pub complaint: String,
    pub stage_title: &'static str,
    /// How many of the stages are behind it, for the pipe.
    pub along: usize,
    /// Unless it may run.
    pub flag: Option<Flag>,
    /// Once something was measured.
    pub verdict: Option<Verdict>,
    /// The cause that leads, with its odds.
    pub leader: String,
    pub on_it: String,
    pub last: String,
    pub when: String,
}

pub struct Flag {
    pub class: &'static str,
    pub word: &'static str,
}

pub struct Verdict {
    pub id: &'static str,
    pub word: &'static str,
}

#[derive(Template)]
#[template(path = "shop/board/board.html")]
struct Page {
    chrome: Chrome,
    shop: String,
    open: Vec<Row>,
    all_open: u64,
    /// Pages of open jobs beside this one.
    newer: Option<u64>,
    older: Option<u64>,
    closed: Vec<Row>,
}

impl Page {
    /// How many stages the pipe has.
    fn stages(&self) -> usize {
        Stage::ALL.len()
    }

    /// How a stage of the pipe is drawn.
    fn shade(&self, step: &usize, along: &usize) -> &'static str {
        if step < along { "pipe-done" } else { "pipe-rest" }
    }
}

/// Shows the board.
async fn board(app: web::Data<App>, who: SignedIn, liking: Liking, asked: web::Query<Asked>) -> Result<HttpResponse, Failure> {
    let viewer = &who.0;
    let page = asked.page.max(1);
    let found = jobs::board(&app.db, viewer, page - 1, LISTED).await?;
    let row = |job: &jobs::Row| row(job, viewer, liking);
    let page = Page {
        chrome: Chrome::of(viewer, liking, "Board"),
        shop: accounts::shop(&app.db, viewer).await?.name,
        open: found.open.iter().map(row).collect(),
        all_open: found.all_open,
        newer: (page > 1).then(|| page - 1),
        older: (page.saturating_mul(LISTED) < found.all_open).then_some(page + 1),
        closed: found.closed.iter().map(row).collect(),
    };
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(page.render()?))
}

fn row(job: &jobs::Row, viewer: &Viewer, liking: Liking) -> Row {
    let leader = job.leader.as_ref().and_then(|(id, odds)| {
        let cause = knowledge().cause(id).and_then(|index| knowledge().causes.get(index))?;
        Some(format!("{} {}", show::percent(*odds), cause.name))
    });
    let last = job.last.as_ref().map_or_else(|| "Nothing written yet".to_owned(), |body| describe(body, liking.unit));
    let when = show::moment(job.last_at, &viewer.zone);
    Row {
        number: job.number,
        tag: job.tag.clone(),
        description: job.description.clone(),
        complaint: job.complaint.clone(),
        stage_title: job.stage.title(),
        along: job.stage.place(),
        flag: (job.flag != Word::MayRun).then(|| Flag { class: flag_class(job.flag), word: job.flag.label() }),
        verdict: job.verdict.filter(|verdict| *verdict != Decision::NotMeasured).map(|v| Verdict { id: v.id(), word: v.word() }),
        leader: leader.unwrap_or_default(),
        on_it: job.on_it.clone().unwrap_or_default(),
        last,
        when: if job.last_by.is_empty() { when } else { format!("{}, {when}", job.last_by) },
    }
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/", get().to(board)).route("/jobs", get().to(board));
}
