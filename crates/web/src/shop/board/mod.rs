//! The board: every job of the shop, where it is, and whether the engine may run.
use crate::http::Failure;
use crate::http::SignedIn;
use crate::state::App;
use crate::ui::Chrome;
use crate::ui::Liking;
use crate::ui::show;
use crate::ui::words::{self, Flag, describe};
use actix_web::HttpResponse;
use actix_web::web::{self, ServiceConfig, get};
use askama::Template;
use serde::Deserialize;
use velvet_dial_core::flag;
use velvet_dial_core::stage::{Stage, where_it_is};
use velvet_dial_store::{accounts, jobs};

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
    pub flag: Flag,
    pub last: String,
    pub when: String,
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
}

/// Shows the board.
async fn board(app: web::Data<App>, who: SignedIn, liking: Liking, asked: web::Query<Asked>) -> Result<HttpResponse, Failure> {
    let viewer = &who.0;
    let page = asked.page.max(1);
    let found = jobs::board(&app.db, viewer, page - 1, LISTED).await?;
    let row = |job: &jobs::Job| row(job, liking);
    let page = Page {
        chrome: Chrome::of(viewer, liking, "Board"),
        shop: accounts::shop_name(&app.db, viewer).await?,
        open: found.open.iter().map(row).collect(),
        all_open: found.all_open,
        newer: (page > 1).then(|| page - 1),
        older: (page.saturating_mul(LISTED) < found.all_open).then_some(page + 1),
        closed: found.closed.iter().map(row).collect(),
    };
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(page.render()?))
}

fn row(job: &jobs::Job, liking: Liking) -> Row {
    let case = job.case();
    let stage = where_it_is(&case);
    let last = job.entries.last();
    Row {
        number: job.head.number,
        tag: job.head.vehicle.tag.clone(),
        description: job.head.vehicle.description.clone(),
        complaint: job.head.complaint.clone(),
        stage_title: stage.title(),
        along: stage.place(),
        flag: words::flag(&flag::flag(&case, Some(chrono::Utc::now()))),
        last: last.map_or_else(|| "Nothing written yet".to_owned(), |entry| describe(&entry.body, liking.unit)),
        when: show::moment(last.map_or(job.head.opened_at, |entry| entry.written_at)),
    }
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/", get().to(board)).route("/jobs", get().to(board));
}
