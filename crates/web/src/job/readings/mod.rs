//! Takes a reading, before or after, typed or from a capture's hold.
pub mod capture;
pub mod view;

use crate::http::Failure;
use crate::http::Slip;
use crate::job::Drawn;
use crate::job::shell::Ask;
use crate::job::shell::Shell;
use crate::job::{Desk, Sent};
use crate::ui::show;
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::web::{self, ServiceConfig, get, post};
use askama::Template;
use serde::Deserialize;
use uuid::Uuid;
use velvet_dial_core::case::{Phase, Reading};
use velvet_dial_core::field::{self, FieldError};
use velvet_dial_core::stage::Stage;
use velvet_dial_core::unit::{Gear, Pressure};
use velvet_dial_store::jobs::{self, Body, Job, TakenReading};
use view::ReadingsWork;

/// A reading as it was typed.
#[derive(Deserialize, Default)]
#[serde(default)]
pub struct Typed {
    rpm: String,
    oil_temp_c: String,
    estimated: String,
    gear: String,
    pressure: String,
    spread: String,
    gauge: String,
    unit: String,
    phase: String,
    capture: String,
    from_s: String,
    to_s: String,
    key: String,
    seen: String,
    supersedes: String,
}

const FORM: &str = "reading";

/// Writes a reading.
pub async fn take(desk: Desk, form: web::Form<Typed>) -> Result<HttpResponse, Failure> {
    let form = form.into_inner();
    let job = desk.job().await?;
    let phase = if form.phase == "after" { Phase::After } else { Phase::Before };
    let stage = if phase == Phase::After { Stage::Prove } else { Stage::Readings };
    let mut slip = kept(&form);
    let Some(taken) = check(&form, phase, &job, &mut slip) else {
        let ask = Ask { seen: form.seen.parse().ok(), slip, ..Ask::default() };
        return desk.answer(stage, ask, StatusCode::UNPROCESSABLE_ENTITY).await;
    };
    let from_capture = taken.capture;
    if let Some((capture, ..)) = from_capture
        && !jobs::has_capture(&desk.app.db, &desk.viewer, desk.number, capture).await?
    {
        return Err(Failure::Form("a recorded run of another job".to_owned()));
    }
    let sent = Sent { key: &form.key, seen: &form.seen, supersedes: &form.supersedes };
    let answer = desk.write(stage, sent, Body::Reading(taken), "reading", fields(&form)).await?;
    match from_capture {
        // Back to the run, where the next hold waits.
        Some((capture, ..)) if !answer.status().is_client_error() => Ok(desk.to(&format!("/jobs/{}/captures/{capture}", desk.number))),
        _ => Ok(answer),
    }
}

/// The form of a reading to be corrected, as it was typed once.
pub fn filled(job: &Job, entry: &str, unit: Pressure) -> Slip {
    let found = job.live().find(|live| live.id.to_string() == entry);
    let Some(Body::Reading(taken)) = found.map(|live| &live.body) else {
        return Slip::default();
    };
    let reading = &taken.reading;
    let mut slip = Slip::of(FORM);
    slip.keep("rpm", &show::plain(reading.rpm));
    slip.keep("oil_temp_c", &show::plain(reading.oil_temp_c));
    slip.keep("estimated", if reading.oil_temp_estimated { "yes" } else { "" });
    slip.keep("gear", reading.gear.id());
    slip.keep("pressure", &show::plain(reading.kpa / unit.kpa()));
    slip.keep("spread", &show::plain(reading.spread_kpa / unit.kpa()));
    slip.keep("gauge", reading.instrument.as_deref().unwrap_or(""));
    slip.keep("supersedes", entry);
    slip
}

/// What a person typed, by field.
fn typed(form: &Typed) -> [(&'static str, &str); 7] {
    [
        ("rpm", &form.rpm),
        ("oil_temp_c", &form.oil_temp_c),
        ("estimated", &form.estimated),
        ("gear", &form.gear),
        ("pressure", &form.pressure),
        ("spread", &form.spread),
        ("gauge", &form.gauge),
    ]
}

fn kept(form: &Typed) -> Slip {
    let mut slip = Slip::of(FORM);
    for (field, value) in typed(form).into_iter().chain([("supersedes", form.supersedes.as_str())]) {
        slip.keep(field, value);
    }
    slip
}

fn fields(form: &Typed) -> Vec<(String, String)> {
    let beside = [("unit", form.unit.as_str()), ("phase", form.phase.as_str())];
    typed(form).into_iter().chain(beside).map(|(name, value)| (name.to_owned(), value.to_owned())).collect()
}

/// The reading, when every field is right; else the slip says what is not.
fn check(form: &Typed, phase: Phase, job: &Job, slip: &mut Slip) -> Option<TakenReading> {
    let unit = Pressure::parse(&form.unit).ok_or_else(|| FieldError::Unit { typed: form.unit.chars().take(12).collect() });
    let unit = slip.take("pressure", unit)?;
    let rpm = slip.take("rpm", field::RPM.parse(&form.rpm));
    let oil_temp_c = slip.take("oil_temp_c", field::OIL_TEMP.parse(&form.oil_temp_c));
    let kpa = slip.take("pressure", field::PRESSURE.parse_pressure(&form.pressure, unit));
    // Left empty, the needle stood still.
    let spread = if form.spread.trim().is_empty() { Ok(0.0) } else { field::SPREAD.parse_pressure(&form.spread, unit) };
    let spread_kpa = slip.take("spread", spread);
    let gear = Gear::ALL.iter().find(|(_, id, _)| *id == form.gear).map_or(Gear::Neutral, |(gear, ..)| *gear);
    let gauge = job.gauges.iter().find(|gauge| gauge.name == form.gauge);
    if gauge.is_none() && !form.gauge.is_empty() {
        slip.wrong("gauge", "This gauge is not among the shop's; choose one of the list, or add it in the library.");
    }
    if let (Some(gauge), Some(kpa)) = (gauge, kpa)
        && kpa > gauge.gauge.full_scale_kpa
    {
        slip.wrong(
            "pressure",
            format!(
                "{} is more than the full scale of “{}”, {}. Check number, unit and gauge.",
                show::pressure(kpa, unit),
                gauge.name,
                show::pressure(gauge.gauge.full_scale_kpa, unit)
            ),
        );
    }
    if !slip.is_clean() {
        return None;
    }
    let reading = Reading {
        oil_temp_estimated: !form.estimated.is_empty(),
        gear,
        spread_kpa: spread_kpa?,
        instrument: gauge.map(|gauge| gauge.name.clone()),
        phase,
        ..Reading::of(rpm?, oil_temp_c?, kpa?)
    };
    let capture = match (Uuid::parse_str(&form.capture), form.from_s.parse(), form.to_s.parse()) {
        (Ok(id), Ok(from), Ok(to)) => Some((id, from, to)),
        _ => None,
    };
    Some(TakenReading { reading, gauge: gauge.map(|gauge| gauge.id), capture })
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config
        .route("/jobs/{number}/reading", post().to(take))
        .route("/jobs/{number}/captures", post().to(capture::upload))
        .route("/jobs/{number}/captures/{id}", get().to(capture::show))
        .route("/jobs/{number}/captures/{id}/mapping", post().to(capture::map));
}

#[derive(Template)]
#[template(path = "job/readings/readings.html")]
struct Surface<'a> {
    bench: &'a Shell,
    work: ReadingsWork,
}

/// Draws the screen.
pub fn draw(drawn: &Drawn) -> askama::Result<String> {
    Surface { bench: drawn.shell, work: view::work(drawn.assessed, drawn.shell.unit, drawn.captures, false) }.render()
}
