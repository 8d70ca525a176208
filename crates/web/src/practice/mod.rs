//! The practice bench: its list of scenes, the beginning of one, and what it was worth when it is handed back.
mod list;
mod marked;
mod played;
mod task;
mod timeline;

use crate::http::upload::read_part;
use crate::http::{Failure, SignedIn, form};
use crate::job::bench;
use crate::state::App;
use crate::ui::{Chrome, DisplayPreferences, Place};
use actix_multipart::Multipart;
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::http::header::{CONTENT_DISPOSITION, LOCATION};
use actix_web::web::{self, ServiceConfig, get, post};
use askama::Template;
use futures_util::TryStreamExt;
use uuid::Uuid;
use velvet_dial_practice::course::{course, lesson};
use velvet_dial_practice::grade::Grade;
use velvet_dial_practice::run_file::RunFile;
use velvet_dial_practice::stock;
use velvet_dial_practice::written::Written;
use velvet_dial_store::jobs::{Given, Job, SceneBegun, Suspects};
use velvet_dial_store::practice::{self, Begin};
use velvet_dial_store::{StoreError, Viewer, jobs};

/// What stands on the vehicle, and what the customer says, where nobody wrote it; by the scene's seed.
const VEHICLES: [(&str, &str); 8] = [
    ("LARCH", "Van"),
    ("ROWAN", "Forklift"),
    ("ALDER", "Tractor"),
    ("HAZEL", "Saloon"),
    ("ASPEN", "Pickup"),
    ("MAPLE", "Boat"),
    ("CEDAR", "Generator"),
    ("BIRCH", "Minibus"),
];
const SAYS: [&str; 4] = [
    "Something is wrong with the oil pressure. Please find out what.",
    "The oil lamp worries me. Can I still drive it?",
    "My neighbour says it is the pump. Is it?",
    "It was never like this before. What does it need?",
];
/// A scene's file holds at most this, bytes.
const MOST_BYTES: usize = 64 * 1024;

fn to(address: &str) -> HttpResponse {
    HttpResponse::SeeOther().insert_header((LOCATION, address)).finish()
}

/// Whether the suspects are seen, as a form says it.
fn suspects(form: &form::Sent) -> Suspects {
    match form.get("suspects").map(String::as_str) {
        Some("at_a_price") => Suspects::AtAPrice,
        Some("covered") => Suspects::Covered,
        _ => Suspects::Open,
    }
}

/// A scene of the course.
fn of_lesson(place: u8, suspects: Suspects) -> Option<SceneBegun> {
    let written = lesson(place)?;
    Some(of_written(written, Some(place), suspects))
}

/// A scene that somebody wrote.
fn of_written(written: &Written, lesson: Option<u8>, suspects: Suspects) -> SceneBegun {
    let grade = Grade::ALL.iter().position(|grade| *grade == written.grade).unwrap_or_default() as u8;
    SceneBegun { seed: written.seed, grade, given: Given { written: Some(written.text()), lesson, suspects }, task: None }
}

/// A proven scene of a grade that nobody of the shop has had, as long as there is one. Which one follows from the form, so that the same form sent twice begins one scene.
fn of_stock(place: u8, had: &[practice::Row], key: &str, suspects: Suspects) -> Option<SceneBegun> {
    let seeds = stock::seeds(Grade::at(place)?);
    let is_had = |seed: &u64| had.iter().any(|row| row.scene.begun.grade == place && row.scene.begun.seed == *seed);
    let fresh: Vec<u64> = seeds.iter().copied().filter(|seed| !is_had(seed)).collect();
    let from = if fresh.is_empty() { seeds } else { fresh.as_slice() };
    let at = Uuid::parse_str(key).map_or(0, |key| (key.as_u128() % from.len().max(1) as u128) as usize);
    Some(SceneBegun { seed: *from.get(at)?, grade: place, given: Given { suspects, ..Given::default() }, task: None })
}

/// What a form wants begun: “lesson-3”, “grade-0”.
fn wanted(what: &str, had: &[practice::Row], key: &str, suspects: Suspects) -> Option<SceneBegun> {
    match what.split_once('-') {
        Some(("lesson", place)) => of_lesson(place.parse().ok()?, suspects),
        Some(("grade", place)) => of_stock(place.parse().ok()?, had, key, suspects),
        _ => None,
    }
}

/// Begins a scene at the bench; the number of its job.
async fn begin_it(app: &App, bench: &Viewer, begun: SceneBegun, key: &str) -> Result<i64, Failure> {
    let of = begun.clone();
    let scene = app.work.out(move || bench::scene_of(&of)).await?.ok_or(Failure::NoPage)?;
    let (word, vehicle) = VEHICLES.get((begun.seed % VEHICLES.len() as u64) as usize).copied().unwrap_or_default();
    let says = SAYS.get((begun.seed / 7 % SAYS.len() as u64) as usize).copied().unwrap_or_default();
    let count = practice::scenes(&app.db, bench).await?.len();
    let tag = format!("{word} {}", count + 1);
    let written = begun.given.written.as_deref().and_then(|text| Written::read(text).ok());
    let words = match &written {
        Some(written) => (tag.as_str(), written.customer.vehicle.as_str(), written.customer.says.as_str()),
        None => (tag.as_str(), vehicle, says),
    };
    Ok(practice::begin(&app.db, bench, &Begin { scene: begun, words, brief: &scene.brief(), key }).await?)
}

/// Begins what a form wants.
async fn begin(app: web::Data<App>, who: SignedIn, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let bench = practice::at_the_bench(&app.db, &who.0).await?;
    let key = form.get("key").map_or("", String::as_str);
    let had = practice::scenes(&app.db, &bench).await?;
    let begun = wanted(form.get("begin").map_or("", String::as_str), &had, key, suspects(&form));
    let begun = begun.ok_or_else(|| Failure::Form("this scene is not on the list".to_owned()))?;
    let number = begin_it(&app, &bench, begun, key).await?;
    Ok(to(&format!("/jobs/{number}/intake")))
}

/// Begins a scene from a file: one that somebody wrote, or the run of somebody else.
async fn begin_file(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    mut form: Multipart,
) -> Result<HttpResponse, Failure> {
    let broke = |error: actix_multipart::MultipartError| Failure::Upload(error.to_string());
    let (mut bytes, mut key): (Vec<u8>, Vec<u8>) = (Vec::new(), Vec::new());
    while let Some(mut field) = form.try_next().await.map_err(broke)? {
        let into = if field.name() == Some("key") { &mut key } else { &mut bytes };
        read_part(&mut field, into, MOST_BYTES).await?;
    }
    let bench = practice::at_the_bench(&app.db, &who.0).await?;
    let begun = app.work.out(move || of_file(&bytes)).await?;
    match begun {
        Ok(begun) => {
            // What comes without a key, as from a program, is a scene of its own.
            let key = if key.is_empty() { Uuid::new_v4().to_string() } else { String::from_utf8_lossy(&key).into_owned() };
            let number = begin_it(&app, &bench, begun, &key).await?;
            Ok(to(&format!("/jobs/{number}/intake")))
        }
        Err(wrong) => list::page(&app, &who.0, preferences, wrong, StatusCode::UNPROCESSABLE_ENTITY).await,
    }
}

/// The scene of a file, or what is wrong with it.
fn of_file(bytes: &[u8]) -> Result<SceneBegun, Vec<String>> {
    if bytes.len() > MOST_BYTES {
        return Err(vec![format!("A scene's file holds at most {} kB.", MOST_BYTES / 1024)]);
    }
    let text = std::str::from_utf8(bytes).map_err(|_| vec!["This file is no text.".to_owned()])?;
    if text.trim().is_empty() {
        return Err(vec!["Choose a file first.".to_owned()]);
    }
    if text.trim_start().starts_with('{') {
        let run = RunFile::read(text).map_err(|why| vec![why])?;
        return match &run.written {
            Some(text) => of_toml(text),
            None => {
                run.scene().ok_or_else(|| vec!["Its scene cannot be made by this version any more.".to_owned()])?;
                let grade = Grade::ALL.iter().position(|grade| *grade == run.grade).unwrap_or_default() as u8;
                Ok(SceneBegun { seed: run.seed, grade, ..SceneBegun::default() })
            }
        };
    }
    of_toml(text)
}

fn of_toml(text: &str) -> Result<SceneBegun, Vec<String>> {
    let written = Written::read(text)?;
    written.solvable().map_err(|why| vec![why])?;
    Ok(of_written(&written, None, Suspects::Open))
}

/// Ends a scene: what came of it is kept, and nothing more is taken.
pub async fn finish(app: &App, bench: &Viewer, number: i64) -> Result<(), Failure> {
    let job = jobs::load(&app.db, bench, number).await?;
    let scene = job.head.scene.as_ref().ok_or(StoreError::NotFound)?;
    if scene.ended_at.is_some() {
        return Ok(());
    }
    let summary = app.work.out(move || marked::summary(&job)).await?.ok_or(Failure::NoPage)?;
    let result = serde_json::to_string(&summary).map_err(|error| Failure::Form(error.to_string()))?;
    Ok(practice::hand_back(&app.db, bench, number, &result).await?)
}

async fn hand_back(app: web::Data<App>, who: SignedIn, number: web::Path<i64>) -> Result<HttpResponse, Failure> {
    let bench = practice::viewer_of_job(&app.db, &who.0, *number).await?;
    finish(&app, &bench, *number).await?;
    Ok(to(&format!("/practice/{number}")))
}

/// A job whose scene was handed back; none where it was not. What was hidden is for those alone who looked for it, and for the person who set it to them.
async fn ended(app: &App, who: &Viewer, number: i64) -> Result<Option<Job>, Failure> {
    let bench = practice::viewer_of_job(&app.db, who, number).await?;
    let job = jobs::load(&app.db, &bench, number).await?;
    let scene = job.head.scene.as_ref().ok_or(StoreError::NotFound)?;
    if job.head.opened_by != who.user {
        let task = practice::task(&app.db, &bench, scene.begun.task.ok_or(StoreError::NotFound)?).await?;
        if task.set_by != who.user {
            return Err(StoreError::NotFound.into());
        }
    }
    Ok(Some(scene.ended_at.is_some()).filter(|ended| *ended).map(|_| job))
}

/// What was found, what was hidden, and what that is worth.
async fn marks(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    number: web::Path<i64>,
) -> Result<HttpResponse, Failure> {
    let Some(job) = ended(&app, &who.0, *number).await? else { return Ok(to(&format!("/jobs/{number}"))) };
    let unit = preferences.unit;
    let told = app.work.out(move || marked::marked(&job, unit)).await?.ok_or(Failure::NoPage)?;
    let page = marked::Page { chrome: Chrome::of(&who.0, preferences, "Practice: marks").at(Place::Practice), told };
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(page.render()?))
}

/// The scene and the way through it, as a file.
async fn run_file(app: web::Data<App>, who: SignedIn, number: web::Path<i64>) -> Result<HttpResponse, Failure> {
    let Some(job) = ended(&app, &who.0, *number).await? else { return Ok(to(&format!("/jobs/{number}"))) };
    let file = app.work.out(move || marked::run_file(&job)).await?.ok_or(Failure::NoPage)?;
    let name = format!("attachment; filename=\"practice-{number}.json\"");
    Ok(HttpResponse::Ok().insert_header((CONTENT_DISPOSITION, name)).json(file))
}

async fn show_list(app: web::Data<App>, who: SignedIn, preferences: DisplayPreferences) -> Result<HttpResponse, Failure> {
    list::page(&app, &who.0, preferences, Vec::new(), StatusCode::OK).await
}

/// Takes what a person handed back out of every list.
async fn clear(app: web::Data<App>, who: SignedIn) -> Result<HttpResponse, Failure> {
    let bench = practice::at_the_bench(&app.db, &who.0).await?;
    practice::clear(&app.db, &bench).await?;
    Ok(to("/practice"))
}

/// The scenes of the course, with their places from 1.
fn lessons() -> impl Iterator<Item = (u8, &'static Written)> {
    (1u8..).zip(course())
}

/// A key of a form that follows from others, so that the same ones begin one scene.
fn key_of(parts: &[&str]) -> String {
    velvet_dial_core::hex::hash_of_parts(parts.iter().copied()).chars().take(32).collect()
}

/// The scene that something was begun with, as it is named in a list.
fn title_of(begun: &SceneBegun) -> String {
    let written = begun.given.written.as_deref().and_then(|text| Written::read(text).ok());
    written.map_or_else(|| bench::name_of(begun), |written| written.title)
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config
        .route("/practice", get().to(show_list))
        .route("/practice", post().to(begin))
        .route("/practice/file", post().to(begin_file))
        .route("/practice/clear", post().to(clear))
        .route("/practice/tasks", post().to(task::set))
        .route("/practice/tasks/{task}", get().to(task::show))
        .route("/practice/tasks/{task}/table.csv", get().to(task::csv))
        .route("/practice/tasks/{task}/begin", post().to(task::begin))
        .route("/practice/tasks/{task}/again", post().to(task::again))
        .route("/practice/{number}/hand-back", post().to(hand_back))
        .route("/practice/{number}/run.json", get().to(run_file))
        .route("/practice/{number}", get().to(marks));
}
