//! What is done on the practice bench: a check, a run with a look at the gauge, help that is bought.
use super::{price, scene};
use crate::http::form;
use crate::http::{Failure, FormState};
use crate::job::assess::assess;
use crate::job::bench::Walk;
use crate::job::context::{JobContext, Sent};
use crate::job::frame::ScreenRequest;
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::web::{self, ServiceConfig, post};
use chrono::Utc;
use velvet_dial_core::field;
use velvet_dial_core::flag::flag;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::limits::Sheet;
use velvet_dial_core::stage::Stage;
use velvet_dial_practice::hints::{HINT_MONEY, LOOK_MONEY, MOST_HINTS, SHEET_MONEY};
use velvet_dial_store::jobs::{Body, Help, Job, Suspects};
use velvet_dial_store::library;

const TURNS_NO_MORE: &str = "The engine does not turn any more. Hand it back, or put in another crank: repair the crank bearings.";

/// The job, where it is a scene that was not handed back.
async fn open_scene(context: &JobContext) -> Result<Job, Failure> {
    let job = context.job().await?;
    match &job.head.scene {
        Some(scene) if scene.ended_at.is_none() => Ok(job),
        _ => Err(Failure::Form("this is no scene of the practice bench, or it was handed back".to_owned())),
    }
}

fn turns(job: &Job) -> bool {
    scene(job).is_none_or(|scene| scene.now(&Walk::through(job, &scene).condition).turns())
}

/// Does a check on the bench, or runs the engine and shows the gauge.
async fn do_it(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let text = |name: &str| form.get(name).map_or("", |text| text.trim());
    let stage = Stage::parse(text("stage")).unwrap_or(Stage::Look);
    let sent = Sent::of(&form);
    let job = open_scene(&context).await?;
    let now = flag(&job.case(), Some(Utc::now()));
    let body = match text("check") {
        "" => {
            let unit = context.preferences.unit;
            let mut form_state = FormState::of("bench");
            for name in ["rpm", "oil"] {
                form_state.keep(name, text(name));
            }
            let rpm = form_state.take("rpm", field::RPM.parse(text("rpm")));
            let oil = form_state.take("oil", field::OIL_TEMP.parse_temp(text("oil"), unit.temperature));
            if !turns(&job) {
                form_state.wrong("rpm", TURNS_NO_MORE);
            }
            let (Some(rpm), Some(oil), true) = (rpm, oil, form_state.is_clean()) else {
                let ask = ScreenRequest { seen: sent.seen(), form_state, ..ScreenRequest::default() };
                return context.answer(stage, ask, StatusCode::UNPROCESSABLE_ENTITY).await;
            };
            let (minutes, money) = price::of_reading(&job, oil);
            Body::Sensed { check: String::new(), at: Some((rpm, oil)), minutes, money, forbidden: !now.one_reading() }
        }
        id => {
            let check = knowledge().check(id).ok_or_else(|| Failure::Form("this check is not on the list".to_owned()))?;
            let runs = check.running(&job.engine.card);
            if runs && !turns(&job) {
                return Err(Failure::Form(TURNS_NO_MORE.to_owned()));
            }
            let assessed = assess(context.app.clone(), job, None).await?;
            let situation = assessed.now.situation(&assessed.case);
            let way = situation.way_to_check(check).map_or_else(Default::default, |way| situation.price(knowledge(), &way));
            let card = &assessed.case.engine;
            let minutes = way.minutes + check.minutes_on(card);
            let money = knowledge().money(minutes, way.material + check.material_on(card));
            Body::Sensed { check: id.to_owned(), at: None, minutes, money, forbidden: runs && !now.allowed() }
        }
    };
    let fields = vec![("stage".to_owned(), stage.id().to_owned()), ("check".to_owned(), text("check").to_owned())];
    context.write(stage, sent, body, "bench", fields).await
}

/// Buys a hint, one look at the suspects, or the maker's word on the sheet.
async fn help(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let text = |name: &str| form.get(name).map_or("", |text| text.trim());
    let stage = Stage::parse(text("stage")).unwrap_or(Stage::Look);
    let job = open_scene(&context).await?;
    let suspects = job.head.scene.as_ref().map(|scene| scene.begun.given.suspects);
    let bought = job.entries.iter().filter(|entry| matches!(entry.body, Body::Helped { help: Help::Hint, .. })).count();
    let (help, money) = match text("help") {
        "hint" if bought < MOST_HINTS => (Help::Hint, HINT_MONEY),
        "suspects" if suspects == Some(Suspects::AtAPrice) => (Help::Suspects, LOOK_MONEY),
        "sheet" => {
            // The one in force is the engine's from now on; asked once more, it is there already.
            let asked = job.entries.iter().any(|entry| matches!(entry.body, Body::Helped { help: Help::Sheet, .. }));
            if !asked && let Some(sheet) = scene(&job).and_then(|scene| scene.sheet_in_force().cloned()) {
                let sheet = Sheet { in_force_from: Some(job.zone.day(job.head.opened_at)), ..sheet };
                library::add_sheet(&context.app.db, &context.viewer, job.head.engine, &sheet, None).await?;
            }
            (Help::Sheet, SHEET_MONEY)
        }
        _ => return Err(Failure::Form("there is no such help on this scene".to_owned())),
    };
    let fields = vec![("stage".to_owned(), stage.id().to_owned()), ("help".to_owned(), text("help").to_owned())];
    context.write(stage, Sent::of(&form), Body::Helped { help, money }, "bench/help", fields).await
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/jobs/{number}/bench", post().to(do_it)).route("/jobs/{number}/bench/help", post().to(help));
}
