//! The practice bench: its list of scenes, the beginning of one, and what it was worth when it is handed back.
mod marked;

use crate::http::{Failure, SignedIn, form};
use crate::state::App;
use crate::ui::{Chrome, DisplayPreferences, Place, count, show};
use actix_web::HttpResponse;
use actix_web::http::header::LOCATION;
use actix_web::web::{self, ServiceConfig, get, post};
use askama::Template;
use uuid::Uuid;
use velvet_dial_core::unit::first_upper;
use velvet_dial_practice::grade::Grade;
use velvet_dial_practice::scene::Scene;
use velvet_dial_practice::stock;
use velvet_dial_store::practice::{self, Begin};
use velvet_dial_store::{StoreError, jobs};

/// A scene in the list.
struct Row {
    number: i64,
    tag: String,
    complaint: String,
    grade: &'static str,
    state: String,
    ended: bool,
    who: String,
    when: String,
}

/// A grade to begin at.
struct GradeCard {
    place: usize,
    name: String,
    what: &'static str,
    budget: String,
}

#[derive(Template)]
#[template(path = "practice/practice.html")]
struct Page {
    chrome: Chrome,
    grades: Vec<GradeCard>,
    rows: Vec<Row>,
    key: Uuid,
}

fn what(grade: Grade) -> &'static str {
    match grade {
        Grade::First => "One plain fault. A quick look or the gauge shows it.",
        Grade::Second => "One fault of any kind. The gauge narrows it down.",
        Grade::Third => "One fault, or none at all. The customer says things that have nothing to do with it.",
        Grade::Fourth => "A fault may have led to another, and a look can be mistaken.",
        Grade::Fifth => "Also two faults at once, and a gauge that is off.",
    }
}

async fn list(app: web::Data<App>, who: SignedIn, preferences: DisplayPreferences) -> Result<HttpResponse, Failure> {
    let viewer = &who.0;
    let bench = practice::at_the_bench(&app.db, viewer).await?;
    let row = |row: practice::Row| Row {
        number: row.number,
        tag: row.tag,
        complaint: row.complaint,
        grade: Grade::ALL.get(usize::from(row.scene.grade)).map_or("", |grade| grade.label()),
        state: match row.scene.ended_at {
            Some(at) => format!("handed back {}", show::moment(at, &viewer.zone)),
            None => count(row.entries as usize, "entry|entries"),
        },
        ended: row.scene.ended_at.is_some(),
        who: row.who,
        when: show::moment(row.began_at, &viewer.zone),
    };
    let page = Page {
        chrome: Chrome::of(viewer, preferences, "Practice").at(Place::Practice),
        grades: Grade::ALL
            .iter()
            .enumerate()
            .map(|(place, grade)| GradeCard {
                place,
                name: first_upper(grade.label()),
                what: what(*grade),
                budget: show::minutes(grade.mix().budget_minutes),
            })
            .collect(),
        rows: practice::scenes(&app.db, &bench).await?.into_iter().map(row).collect(),
        key: Uuid::new_v4(),
    };
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(page.render()?))
}

/// What stands on the vehicle, and what the customer says; by the scene's seed.
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

/// Begins a scene that nobody of the shop has had, as long as there is one.
async fn begin(app: web::Data<App>, who: SignedIn, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let bench = practice::at_the_bench(&app.db, &who.0).await?;
    let place = form.get("grade").and_then(|grade| grade.parse::<u8>().ok()).unwrap_or(u8::MAX);
    let grade = *Grade::ALL.get(usize::from(place)).ok_or_else(|| Failure::Form("this grade is not on the list".to_owned()))?;
    let had = practice::scenes(&app.db, &bench).await?;
    let key = form.get("key").map_or("", String::as_str);
    let seeds = stock::seeds(grade);
    let fresh = seeds.iter().filter(|seed| !had.iter().any(|row| row.scene.grade == place && row.scene.seed == **seed));
    let fresh: Vec<u64> = fresh.copied().collect();
    let from = if fresh.is_empty() { seeds } else { fresh.as_slice() };
    // Which one follows from the form, so that the same form sent twice begins one scene.
    let at = Uuid::parse_str(key).map_or(0, |key| (key.as_u128() % from.len().max(1) as u128) as usize);
    let seed = *from.get(at).ok_or(Failure::NoPage)?;
    let scene = app.work.out(move || Scene::drawn(seed, grade)).await?.ok_or(Failure::NoPage)?;
    let (word, vehicle) = VEHICLES.get((seed % VEHICLES.len() as u64) as usize).copied().unwrap_or_default();
    let says = SAYS.get((seed / 7 % SAYS.len() as u64) as usize).copied().unwrap_or_default();
    let tag = format!("{word} {}", had.len() + 1);
    let begun =
        practice::begin(&app.db, &bench, &Begin { scene: (seed, place), words: (&tag, vehicle, says), brief: &scene.brief(), key }).await?;
    Ok(HttpResponse::SeeOther().insert_header((LOCATION, format!("/jobs/{begun}/intake"))).finish())
}

/// The person at the bench, and the scene.
async fn own(app: &App, who: &SignedIn, number: i64) -> Result<(velvet_dial_store::Viewer, jobs::Job), Failure> {
    let bench = practice::viewer_of_job(&app.db, &who.0, number).await?;
    let job = jobs::load(&app.db, &bench, number).await?;
    if job.head.scene.is_none() {
        return Err(Failure::Store(StoreError::NotFound));
    }
    Ok((bench, job))
}

async fn hand_back(app: web::Data<App>, who: SignedIn, number: web::Path<i64>) -> Result<HttpResponse, Failure> {
    let (bench, job) = own(&app, &who, *number).await?;
    practice::hand_back(&app.db, &bench, job.head.number).await?;
    Ok(HttpResponse::SeeOther().insert_header((LOCATION, format!("/practice/{number}"))).finish())
}

/// What was found, what was hidden, and what that is worth.
async fn marked(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    number: web::Path<i64>,
) -> Result<HttpResponse, Failure> {
    let (_, job) = own(&app, &who, *number).await?;
    if job.head.scene.is_none_or(|scene| scene.ended_at.is_none()) {
        return Ok(HttpResponse::SeeOther().insert_header((LOCATION, format!("/jobs/{number}"))).finish());
    }
    let unit = preferences.unit;
    let told = app.work.out(move || marked::marked(&job, unit)).await?.ok_or(Failure::NoPage)?;
    let page = marked::Page { chrome: Chrome::of(&who.0, preferences, "Practice: marks").at(Place::Practice), told };
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(page.render()?))
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config
        .route("/practice", get().to(list))
        .route("/practice", post().to(begin))
        .route("/practice/{number}/hand-back", post().to(hand_back))
        .route("/practice/{number}", get().to(marked));
}
