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
use velvet_dial_core::flag;
use velvet_dial_core::stage::where_it_is;
use velvet_dial_store::{accounts, jobs};

/// Jobs listed.
const LISTED: u64 = 60;

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
    closed: Vec<Row>,
}

/// Shows the board.
pub async fn show(app: web::Data<App>, who: SignedIn, liking: Liking) -> Result<HttpResponse, Failure> {
    let viewer = &who.0;
    let (mut open, mut closed) = (Vec::new(), Vec::new());
    for head in jobs::list(&app.db, viewer, LISTED).await? {
        let job = jobs::load(&app.db, viewer, head.number).await?;
        let case = job.case();
        let stage = where_it_is(&case);
        let last = job.entries.last();
        let row = Row {
            number: head.number,
            tag: head.vehicle.tag,
            description: head.vehicle.description,
            complaint: head.complaint,
            stage_title: if job.closed() { "Closed" } else { stage.title() },
            along: stage.place(),
            flag: words::flag(&flag::flag(&case, Some(chrono::Utc::now()))),
            last: last.map(|entry| describe(&entry.body, liking.unit)).unwrap_or_else(|| "Nothing written yet".to_owned()),
            when: show::moment(last.map_or(head.opened_at, |entry| entry.written_at)),
        };
        if job.closed() { closed.push(row) } else { open.push(row) }
    }
    let page = Page { chrome: Chrome::of(viewer, liking, "Board"), shop: accounts::shop_name(&app.db, viewer).await?, open, closed };
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(page.render()?))
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/", get().to(show)).route("/jobs", get().to(show));
}
