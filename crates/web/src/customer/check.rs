//! Whoever holds a printed report looks up here, by its code, what was signed. Nothing of the customer is shown; guessing is slowed down by address.
use super::put_off;
use crate::http::Failure;
use crate::http::address;
use crate::state::App;
use crate::ui::{Chrome, DisplayPreferences, show};
use actix_web::http::StatusCode;
use actix_web::web::{self, ServiceConfig, get};
use actix_web::{HttpRequest, HttpResponse};
use askama::Template;
use serde::Deserialize;
use velvet_dial_core::limits::Decision;
use velvet_dial_core::record::{self, Record};
use velvet_dial_core::signing;
use velvet_dial_core::signing::Depth;
use velvet_dial_core::unit::Units;
use velvet_dial_store::jobs;
use velvet_dial_store::zone::Zone;

#[derive(Template)]
#[template(path = "customer/check.html")]
struct Page {
    chrome: Chrome,
    code: String,
    /// What is wrong, or to be done.
    told: String,
    found: Option<Found>,
}

/// What was signed.
struct Found {
    shop: String,
    job: i64,
    closed: String,
    engine: String,
    /// A sentence each: verdict, what was repaired, how far that is proven.
    says: Vec<String>,
    /// Each point of the sheet: where, before, after.
    points: Vec<[String; 3]>,
    report: String,
    key: String,
    /// The job was opened again since.
    reopened: bool,
}

const NONE: &str = "No report has this code. Type all sixteen letters and digits as they stand on the report.";
const BROKEN: &str = "The shop's copy of this report is not what was signed. Do not rely on the paper: ask the shop.";

/// What is typed.
#[derive(Deserialize)]
struct Typed {
    #[serde(default)]
    code: String,
}

/// In capitals and in groups of four, however it was typed.
fn tidy(code: &str) -> String {
    let letters: Vec<char> = code.chars().filter(char::is_ascii_alphanumeric).map(|letter| letter.to_ascii_uppercase()).take(16).collect();
    letters.chunks(4).map(String::from_iter).collect::<Vec<_>>().join("-")
}

async fn ask(
    app: web::Data<App>,
    preferences: DisplayPreferences,
    request: HttpRequest,
    typed: web::Query<Typed>,
) -> Result<HttpResponse, Failure> {
    if typed.code.trim().is_empty() {
        return page(preferences, String::new(), String::new(), None, StatusCode::OK);
    }
    look(app, preferences, request, &typed.code).await
}

async fn by_code(
    app: web::Data<App>,
    preferences: DisplayPreferences,
    request: HttpRequest,
    code: web::Path<String>,
) -> Result<HttpResponse, Failure> {
    look(app, preferences, request, &code).await
}

async fn look(app: web::Data<App>, preferences: DisplayPreferences, request: HttpRequest, code: &str) -> Result<HttpResponse, Failure> {
    let code = tidy(code);
    let Some((shop, text, stands)) = jobs::record_by_code(&app.db, &code).await? else {
        if let Some(told) = put_off(&app, &request).await? {
            return page(preferences, code, told, None, StatusCode::TOO_MANY_REQUESTS);
        }
        tracing::warn!(address = %address(&request, &app), "a report's code that no report has");
        return page(preferences, code, NONE.to_owned(), None, StatusCode::NOT_FOUND);
    };
    let signed = signing::verified(text.as_bytes(), Depth::Seal).ok().and_then(|(record, verified)| Some((record, verified.signed_by?)));
    let Some((record, key)) = signed.filter(|(_, key)| app.serving.keys.as_ref().is_some_and(|keys| keys.is_of_shop(shop.id, key))) else {
        return page(preferences, code, BROKEN.to_owned(), None, StatusCode::CONFLICT);
    };
    page(preferences, code, String::new(), Some(found(&record, shop.name, key, stands)), StatusCode::OK)
}

fn found(record: &Record, shop: String, key: String, stands: bool) -> Found {
    let zone = Zone::named(&record.papers.zone).unwrap_or_default();
    let units = Units::default();
    let said = |judged: Option<record::Judged>| {
        judged.map_or_else(
            || "not read".to_owned(),
            |judged| format!("{} {}, {}", units.show(judged.measured_kpa), units.label(), judged.decision.word()),
        )
    };
    let repairs = record.repairs.iter().filter(|repair| repair.in_vain.is_none()).map(|repair| format!("Repaired: {}.", repair.cause));
    let proof = record.proven.iter().map(|proof| format!("After the repair: {}.", proof.word.label()));
    let before = match record.verdict {
        Decision::Below => "Before the repair the pressure was below its limit.",
        Decision::Above => "Before the repair the pressure was above its limit.",
        Decision::Within => "Before the repair the pressure was within its limits.",
        Decision::Undecided => "Before the repair the pressure was so near its limit that the gauge could not decide.",
        Decision::NotMeasured => "Before the repair the pressure was not measured at every point.",
    };
    Found {
        shop,
        job: record.papers.number,
        closed: record.papers.closed_at.map(|at| show::day(at.naive_utc(), &zone)).unwrap_or_default(),
        engine: record.papers.engine.clone(),
        says: std::iter::once(before.to_owned()).chain(repairs).chain(proof).collect(),
        points: record
            .points
            .iter()
            .map(|line| [format!("{:.0} rpm, {:.0} °C", line.point.rpm, line.point.oil_temp_c), said(line.before), said(line.after)])
            .collect(),
        report: record.seal.as_ref().map(|seal| seal.document.clone()).unwrap_or_default(),
        key,
        reopened: !stands,
    }
}

fn page(
    preferences: DisplayPreferences,
    code: String,
    told: String,
    found: Option<Found>,
    status: StatusCode,
) -> Result<HttpResponse, Failure> {
    let chrome = Chrome::bare("Check a report").lit(preferences);
    let page = Page { chrome, code, told, found };
    Ok(HttpResponse::build(status)
        .content_type("text/html; charset=utf-8")
        .insert_header(("cache-control", "no-store"))
        .body(page.render()?))
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/check", get().to(ask)).route("/check/{code}", get().to(by_code));
}
