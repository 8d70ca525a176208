//! Takes a reading, before or after, typed or from a capture's hold.
pub mod capture;
mod named;
pub mod source;
mod strip;
mod told;
pub mod view;

use crate::http::Failure;
use crate::http::FormState;
use crate::http::form::{self, Form, Kind, Question, Read};
use crate::job::frame::PageFrame;
use crate::job::frame::ScreenRequest;
use crate::job::live::Rigs;
use crate::job::{JobContext, ScreenData, Sent};
use crate::ui::show;
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::web::{self, ServiceConfig, get, post};
use askama::Template;
use uuid::Uuid;
use velvet_dial_core::case::{Phase, Reading, Shows, Slope, SpeedHeld};
use velvet_dial_core::field::{self, FieldError};
use velvet_dial_core::stage::Stage;
use velvet_dial_core::unit::{Gear, Units, first_upper};
use velvet_dial_store::jobs::{self, Body, File, Job, TakenReading};
use velvet_dial_store::library::{self, Gauge};
use velvet_dial_store::rigs;
use view::ReadingsWork;

/// What a reading is.
pub static FORM: Form = Form {
    name: "reading",
    asks: &[
        Question::new("rpm", "Speed", "rpm", Kind::Number(&field::RPM)),
        Question::new("oil_temp_c", "Oil", "°C", Kind::Number(&field::OIL_TEMP)),
        Question::new("pressure", "Pressure", "", Kind::Pressure(&field::PRESSURE)),
        Question::new("spread", "Needle swing ±", "", Kind::PressureOrNone(&field::SPREAD)),
        Question::new("gauge", "Gauge", "", Kind::Choice),
        Question::new("gear", "Gear", "", Kind::Choice),
        Question::new("estimated", "oil temperature estimated", "", Kind::Tick),
        Question::new("shows", "The needle is", "", Kind::Choice),
        Question::new("slope", "The vehicle is", "", Kind::Choice),
        Question::new("speed_held", "Speed", "", Kind::Choice),
        Question::new("hold_s", "Held for", "s", Kind::NumberOrNone(&field::HOLD)),
        Question::new("phase", "", "", Kind::Hidden),
        Question::new("supersedes", "", "", Kind::Hidden),
        Question::new("capture", "", "", Kind::Hidden),
        Question::new("from_s", "", "", Kind::Hidden),
        Question::new("to_s", "", "", Kind::Hidden),
    ],
};

/// Writes a reading.
pub async fn take(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let gauges = library::gauges(&context.app.db, &context.viewer).await?;
    let sent = Sent::of(&form);
    let mut typed = Read::of(&FORM, &form, context.preferences.unit);
    let phase = if typed.raw("phase") == "after" { Phase::After } else { Phase::Before };
    let stage = if phase == Phase::After { Stage::Prove } else { Stage::Run };
    let Some(taken) = check(&mut typed, &form, phase, &gauges) else {
        let ask = ScreenRequest { seen: sent.seen.parse().ok(), form_state: typed.form_state, ..ScreenRequest::default() };
        return context.answer(stage, ask, StatusCode::UNPROCESSABLE_ENTITY).await;
    };
    let from_capture = taken.capture;
    let mut of_rig = false;
    if let Some((capture, ..)) = from_capture
        && !jobs::has_capture(&context.app.db, &context.viewer, context.number, capture).await?
    {
        of_rig = true;
        let recorded = rigs::recorded(&context.app.db, &context.viewer, context.number, capture).await;
        recorded.map_err(|_| Failure::Form("a recorded run of another job".to_owned()))?;
    }
    if let Some((run, ..)) = from_capture
        && context.job().await?.upload_withdrawn(run).is_some()
    {
        return Err(Failure::Form("a recorded run that was withdrawn from this job".to_owned()));
    }
    let answer = context.write(stage, sent, Body::Reading(taken), "reading", typed.fields()).await?;
    match from_capture {
        // Back to the run, where the next hold waits.
        Some((capture, ..)) if !answer.status().is_client_error() => {
            let kind = if of_rig { source::RIGS } else { source::FILES };
            Ok(context.to(&format!("/jobs/{}/{kind}/{capture}", context.number)))
        }
        _ => Ok(answer),
    }
}

/// The form of a reading to be corrected, as it was typed once.
pub fn filled(job: &Job, entry: &str, unit: Units) -> FormState {
    let found = job.live().find(|live| live.id.to_string() == entry);
    let Some(Body::Reading(taken)) = found.map(|live| &live.body) else {
        return FormState::default();
    };
    let reading = &taken.reading;
    let mut form_state = FormState::of(FORM.name);
    form_state.keep("rpm", &show::plain(reading.rpm));
    form_state.keep("oil_temp_c", &show::plain(unit.temperature.of_c(reading.oil_temp_c)));
    form_state.keep("estimated", if reading.oil_temp_estimated { "yes" } else { "" });
    form_state.keep("gear", reading.gear.id());
    form_state.keep("pressure", &show::typed(reading.kpa, unit));
    form_state.keep("spread", &show::typed(reading.spread_kpa, unit));
    form_state.keep("gauge", reading.instrument.as_deref().unwrap_or(""));
    form_state.keep("shows", reading.shows.unwrap_or(Shows::Value).id());
    form_state.keep("slope", reading.slope.unwrap_or(Slope::Level).id());
    form_state.keep("speed_held", reading.speed_held.unwrap_or(SpeedHeld::Measured).id());
    form_state.keep("hold_s", &reading.hold_s.map(show::plain).unwrap_or_default());
    form_state.keep("supersedes", entry);
    form_state
}

/// The reading, when every field is right; else the form_state says what is not.
fn check(typed: &mut Read<'_>, form: &form::Sent, phase: Phase, gauges: &[Gauge]) -> Option<TakenReading> {
    if let Some(unit) = form.get("unit").filter(|unit| Units::parse(unit).is_none()) {
        // Never taken in another unit than it was typed in.
        typed.form_state.wrong("pressure", FieldError::Unit { typed: unit.chars().take(12).collect() }.to_string());
        return None;
    }
    let shows = typed.choice("shows", Shows::ALL).unwrap_or(Shows::Value);
    let named = typed.raw("gauge");
    let gauge = gauges.iter().find(|gauge| gauge.name == named);
    let scale = gauge.map(|gauge| gauge.gauge.clone()).unwrap_or_default();
    // Under the first mark or against the stop, the gauge's own mark is the figure where none was typed.
    let mark = match shows {
        Shows::UnderFirstMark => Some(scale.graduation_kpa),
        Shows::Pegged => Some(scale.full_scale_kpa),
        Shows::Value => None,
        // What a lamp says is on which side of its switch the pressure is, whatever was typed.
        Shows::LampOn | Shows::LampOut => scale.lamp_opens_kpa(),
    };
    let mark = mark.filter(|_| shows.is_of_a_lamp() || typed.raw("pressure").trim().is_empty());
    let (rpm, oil_temp_c, kpa) = (typed.number("rpm"), typed.number("oil_temp_c"), mark.or_else(|| typed.number("pressure")));
    let (slope, speed_held, hold_s) =
        (typed.choice("slope", Slope::ALL), typed.choice("speed_held", SpeedHeld::ALL), typed.number("hold_s"));
    // Left empty, the needle stood still.
    let spread_kpa = typed.number("spread").unwrap_or(0.0);
    let gear = typed.choice("gear", Gear::ALL).unwrap_or(Gear::Neutral);
    if gauge.is_none() && !named.is_empty() {
        typed.form_state.wrong("gauge", "This gauge is not among the shop's; choose one of the list, or add it in the library.");
    }
    if let Some(why) = rpm.and_then(|rpm| shows.refused_by(&scale, rpm)) {
        typed.form_state.wrong(if scale.lamp_opens_kpa().is_some() { "shows" } else { "gauge" }, format!("{}.", first_upper(&why)));
    }
    if let (Some(gauge), Some(kpa)) = (gauge, kpa)
        && kpa > gauge.gauge.full_scale_kpa
    {
        let (read, scale) = (show::pressure(kpa, typed.unit()), show::pressure(gauge.gauge.full_scale_kpa, typed.unit()));
        let sentence = format!("{read} is more than the full scale of “{}”, {scale}. Check number, unit and gauge.", gauge.name);
        typed.form_state.wrong("pressure", sentence);
    }
    if !typed.form_state.is_clean() {
        return None;
    }
    let reading = Reading {
        oil_temp_estimated: typed.ticked("estimated"),
        gear,
        spread_kpa,
        instrument: gauge.map(|gauge| gauge.name.clone()),
        phase,
        shows: Some(shows).filter(|shows| *shows != Shows::Value),
        slope: slope.filter(|slope| *slope != Slope::Level),
        speed_held: speed_held.filter(|held| *held != SpeedHeld::Measured),
        hold_s,
        ..Reading::of(rpm?, oil_temp_c?, kpa?)
    };
    let capture = match (Uuid::parse_str(typed.raw("capture")), typed.raw("from_s").parse(), typed.raw("to_s").parse()) {
        (Ok(id), Ok(from), Ok(to)) => Some((id, from, to)),
        _ => None,
    };
    Some(TakenReading { reading, gauge: gauge.map(|gauge| gauge.id), capture, held: None })
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config
        .route("/jobs/{number}/reading", post().to(take))
        .route("/jobs/{number}/captures", post().to(capture::upload))
        .route("/jobs/{number}/captures/{id}", get().to(capture::show))
        .route("/jobs/{number}/captures/{id}/mapping", post().to(capture::map))
        .route("/jobs/{number}/captures/{id}/withdraw", post().to(capture::withdraw))
        .route("/jobs/{number}/runs/{id}", get().to(capture::show_recorded))
        .route("/jobs/{number}/runs/{id}/told", get().to(told::fragment))
        .route("/jobs/{number}/{kind:captures|runs}/{id}/strip", get().to(strip::steps))
        .route("/jobs/{number}/{kind:captures|runs}/{id}/hold", get().to(told::hold))
        .route("/jobs/{number}/{kind:captures|runs}/{id}/saved/{file}", get().to(strip::saved));
}

#[derive(Template)]
#[template(path = "job/run/run.html")]
struct Surface<'a> {
    frame: &'a PageFrame,
    work: ReadingsWork,
}

/// Draws the screen of the readings before a repair.
pub fn draw(data: &ScreenData, recordings: &(Vec<File>, Rigs)) -> askama::Result<String> {
    Surface { frame: data.frame, work: view::work(data, recordings, false) }.render()
}
