//! What an open page says by itself: the customer answered, a gauge called stop, somebody asks a foreman.
use crate::http::{Failure, SignedIn};
use crate::state::App;
use actix_web::HttpResponse;
use actix_web::web::{self, ServiceConfig, get};
use chrono::{DateTime, SecondsFormat, TimeDelta, Utc};
use serde::{Deserialize, Serialize};
use velvet_dial_core::stage::Stage;
use velvet_dial_store::jobs::{self, Notice, NoticeKind};

/// A page that was away longer hears no more than this.
const LONGEST: TimeDelta = TimeDelta::minutes(10);

#[derive(Deserialize)]
struct Since {
    #[serde(default)]
    since: String,
}

#[derive(Serialize)]
struct Heard {
    /// What is asked with next time.
    until: String,
    notices: Vec<Said>,
}

#[derive(Serialize)]
struct Said {
    text: String,
    href: String,
    alarm: bool,
}

fn said(notice: &Notice) -> Said {
    let Notice { kind, number, tag, .. } = notice;
    let (what, at) = match kind {
        NoticeKind::Stop => ("the live gauge calls stop. Stop the engine", format!("/jobs/{number}/{}", Stage::Run.id())),
        NoticeKind::Answered => ("the customer has answered", format!("/jobs/{number}/{}", Stage::OpenUp.id())),
        NoticeKind::Question => ("the customer asks a question", format!("/jobs/{number}/{}", Stage::OpenUp.id())),
        NoticeKind::Foreman => ("a foreman is asked for a yes", "/".to_owned()),
    };
    Said { text: format!("{tag}, job {number}: {what}."), href: at, alarm: *kind == NoticeKind::Stop }
}

async fn since(app: web::Data<App>, who: SignedIn, asked: web::Query<Since>) -> Result<HttpResponse, Failure> {
    let now = Utc::now();
    let since = DateTime::parse_from_rfc3339(&asked.since).ok().map(|at| at.to_utc().max(now - LONGEST));
    let notices = match since {
        Some(since) => jobs::notices(&app.db, &who.0, since.naive_utc()).await?,
        // A page that has just been opened shows what there is by itself.
        None => Vec::new(),
    };
    let last = notices.last().map(|notice| notice.at.and_utc()).or(since).unwrap_or(now);
    let heard = Heard { until: last.to_rfc3339_opts(SecondsFormat::Micros, true), notices: notices.iter().map(said).collect() };
    Ok(HttpResponse::Ok().json(heard))
}

/// Its address.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/notices", get().to(since));
}
