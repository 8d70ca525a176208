//! The board: every job of the shop, where it is, and whether the engine may run.
use crate::http::Failure;
use crate::http::SignedIn;
use crate::shop::first_day;
use crate::state::App;
use crate::ui::DisplayPreferences;
use crate::ui::show;
use crate::ui::words::{describe, flag_class};
use crate::ui::{Chrome, Place};
use actix_web::web::{self, Bytes, ServiceConfig, get};
use actix_web::{Error, HttpResponse};
use askama::Template;
use chrono::{TimeDelta, Utc};
use futures_util::stream::unfold;
use serde::Deserialize;
use std::time::Duration;
use tokio::time::{Instant, sleep};
use velvet_dial_core::flag::Word;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::limits::Decision;
use velvet_dial_core::rights::Right;
use velvet_dial_core::stage::Stage;
use velvet_dial_store::accounts::FirstDay;
use velvet_dial_store::jobs::{self, Board, Sieve, Waits};
use velvet_dial_store::{Viewer, accounts, practice};

/// Open jobs a page.
const LISTED: u64 = 60;

/// Which page of the open jobs, from 1, which of them, or what is looked for.
#[derive(Deserialize, Default)]
#[serde(default)]
struct BoardQuery {
    page: u64,
    q: String,
    stage: String,
    flag: String,
    who: String,
    /// Untouched for so many days.
    days: String,
    /// What it waits for.
    waits: String,
}

/// What a job can wait for, with the word in the address and the label.
const WAITS: [(Waits, &str, &str); 3] = [
    (Waits::ForCustomer, "customer", "waits for the customer"),
    (Waits::Promised, "promised", "hand-over promised"),
    (Waits::CameBack, "back", "came back"),
];

impl BoardQuery {
    fn sieve(&self) -> Sieve {
        Sieve {
            stage: Stage::parse(&self.stage),
            flag: Word::ALL.into_iter().find(|(_, id)| *id == self.flag).map(|(word, _)| word),
            who: Some(self.who.clone()).filter(|who| !who.is_empty()),
            waits: WAITS.into_iter().find(|(_, id, _)| *id == self.waits).map(|(waits, ..)| waits),
            untouched_since: self.days.parse::<i64>().ok().map(|days| Utc::now().naive_utc() - TimeDelta::days(days.clamp(0, 9999))),
        }
    }

    /// The same address but for its page.
    fn rest(&self) -> String {
        let said = [
            ("q", &self.q),
            ("stage", &self.stage),
            ("flag", &self.flag),
            ("who", &self.who),
            ("days", &self.days),
            ("waits", &self.waits),
        ];
        said.iter().filter(|(_, value)| !value.is_empty()).map(|(name, value)| format!("&{name}={}", show::query_escape(value))).collect()
    }
}

/// A choice of the sieve.
pub struct Pick {
    pub id: String,
    pub label: String,
    pub here: bool,
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
    /// The job before, of a vehicle that came back with the same.
    pub back_after: Option<i64>,
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
    /// What is looked for, and what was found; none where nothing is.
    q: String,
    found: Option<Vec<Row>>,
    sieved: bool,
    rest: String,
    stages: Vec<Pick>,
    flags: Vec<Pick>,
    people: Vec<Pick>,
    days: Vec<Pick>,
    waits: Vec<Pick>,
    /// The viewer has opened no job yet and begun no scene.
    is_new: bool,
    /// Steps of the first day that are done, of all, while the shop is on its path.
    first_day: Option<(usize, usize)>,
    /// What waits for a foreman.
    requests: Vec<Request>,
    /// Whoever runs the shop should look after the backups.
    backup_is_late: bool,
}

/// Something that waits for a foreman.
struct Request {
    number: i64,
    tag: String,
    what: String,
    who: String,
    when: String,
}

/// How many stages the pipe has.
pub fn steps() -> usize {
    Stage::ALL.len()
}

/// Shows the board.
async fn board(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    asked: web::Query<BoardQuery>,
) -> Result<HttpResponse, Failure> {
    let viewer = &who.0;
    let page = asked.page.max(1);
    let sieve = asked.sieve();
    let looks = !asked.q.trim().is_empty();
    let shown = async {
        if looks {
            let (found, all_open) = tokio::try_join!(jobs::found(&app.db, viewer, &asked.q, &sieve), jobs::all_open(&app.db, viewer))?;
            return Ok((Board { open: Vec::new(), all_open, closed: Vec::new() }, Some(found)));
        }
        Ok((jobs::board(&app.db, viewer, &sieve, page - 1, LISTED).await?, None))
    };
    let on_path = async {
        let leads = viewer.role.may_do(Right::RunShop);
        if leads { accounts::on_first_day(&app.db, viewer).await } else { Ok(FirstDay::default()) }
    };
    let waiting = async { if viewer.role.answers_for_others() { jobs::foreman_requests(&app.db, viewer).await } else { Ok(Vec::new()) } };
    let ((found, looked), people, is_new, has, waiting) =
        tokio::try_join!(shown, accounts::colleagues(&app.db, viewer), practice::has_begun_nothing(&app.db, viewer), on_path, waiting)?;
    let steps = first_day::steps(has);
    let picks = |any: &str, all: Vec<(String, String)>, here: &str| -> Vec<Pick> {
        std::iter::once((String::new(), any.to_owned())).chain(all).map(|(id, label)| Pick { here: id == here, id, label }).collect()
    };
    let plain = |pairs: &[(&str, &str)]| pairs.iter().map(|(id, label)| ((*id).to_owned(), (*label).to_owned())).collect::<Vec<_>>();
    let row = |job: &jobs::Row| row(job, viewer, preferences);
    let page = Page {
        chrome: Chrome::of(viewer, preferences, "Board").at(Place::Board),
        shop: accounts::shop(&app.db, viewer).await?.name,
        open: found.open.iter().map(row).collect(),
        all_open: found.all_open,
        newer: (page > 1).then(|| page - 1),
        older: (page.saturating_mul(LISTED) < found.all_open).then_some(page + 1),
        closed: found.closed.iter().map(row).collect(),
        q: asked.q.clone(),
        is_new,
        backup_is_late: viewer.role.may_do(Right::RunShop) && app.serving.backups.state().is_some_and(|state| state.is_late(Utc::now())),
        first_day: has.on_it.then(|| (steps.iter().filter(|step| step.done).count(), steps.len())),
        requests: waiting
            .into_iter()
            .map(|request| Request {
                number: request.number,
                tag: request.tag,
                what: describe(&request.body, preferences.unit),
                who: request.by_name,
                when: show::moment(request.asked_at, &viewer.zone),
            })
            .collect(),
        found: looked.map(|found| found.iter().map(row).collect()),
        sieved: sieve != Sieve::default(),
        rest: asked.rest(),
        stages: picks(
            "any stage",
            Stage::ALL.iter().map(|stage| (stage.id().to_owned(), stage.title().to_owned())).collect(),
            &asked.stage,
        ),
        flags: picks(
            "may run or not",
            Word::ALL.iter().map(|(word, id)| ((*id).to_owned(), word.label().to_owned())).collect(),
            &asked.flag,
        ),
        people: picks(
            "anybody on it",
            people.into_iter().map(|person| (person.shown_name.clone(), person.shown_name)).collect(),
            &asked.who,
        ),
        waits: picks("all jobs", WAITS.iter().map(|(_, id, label)| ((*id).to_owned(), (*label).to_owned())).collect(), &asked.waits),
        days: picks(
            "touched or not",
            plain(&[("1", "untouched for a day"), ("3", "untouched for three days"), ("7", "untouched for a week")]),
            &asked.days,
        ),
    };
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(page.render()?))
}

fn row(job: &jobs::Row, viewer: &Viewer, preferences: DisplayPreferences) -> Row {
    let leader = job.leader.as_ref().and_then(|(id, odds)| {
        let cause = knowledge().cause(id).and_then(|index| knowledge().causes.get(index))?;
        Some(format!("{} {}", show::percent(*odds), cause.name))
    });
    let last = job.last.as_ref().map_or_else(|| "Nothing written yet".to_owned(), |body| describe(body, preferences.unit));
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
        back_after: job.back_after,
        last,
        when: if job.last_by.is_empty() { when } else { format!("{}, {when}", job.last_by) },
    }
}

/// The board is looked at again for changes after so long, and a stream lasts so long at most: a browser connects again by itself.
const EVERY: Duration = Duration::from_secs(5);
const LONGEST: Duration = Duration::from_secs(600);

/// Says as a stream of events when something was written in the shop.
async fn changes(app: web::Data<App>, who: SignedIn) -> Result<HttpResponse, Failure> {
    let seen = jobs::last_written(&app.db, &who.0).await?;
    let ends = Instant::now() + LONGEST;
    let events = unfold((app, who.0, seen), move |(app, viewer, seen)| async move {
        if Instant::now() > ends {
            return None;
        }
        sleep(EVERY).await;
        let now = jobs::last_written(&app.db, &viewer).await.unwrap_or(seen);
        // A comment keeps the connection alive where nothing changed.
        let text = if now == seen { ": no change\n\n" } else { "data: changed\n\n" };
        Some((Ok::<Bytes, Error>(Bytes::from_static(text.as_bytes())), (app, viewer, now)))
    });
    Ok(crate::http::events(events))
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/", get().to(board)).route("/jobs", get().to(board)).route("/board/changes", get().to(changes));
}
