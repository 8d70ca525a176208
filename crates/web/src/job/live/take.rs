//! Takes a hold from what a rig recorded: not what the browser says it saw, but what is kept of that stretch.
use crate::http::Failure;
use crate::http::form::{self, Form, Kind, Question, Read};
use crate::job::frame::ScreenRequest;
use crate::job::run::source::Source;
use crate::job::{JobContext, Sent};
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use std::time::Duration;
use tokio::time::sleep;
use uuid::Uuid;
use velvet_dial_core::capture::{self, Hold};
use velvet_dial_core::case::{Phase, Reading};
use velvet_dial_core::field;
use velvet_dial_core::script::script;
use velvet_dial_core::stage::Stage;
use velvet_dial_rig::said::{Can, Key, ToRig};
use velvet_dial_store::jobs::{Body, Held, Job, TakenReading};
use velvet_dial_store::rigs::{self, Recorded};

/// What a hold is.
static FORM: Form = Form {
    name: "hold",
    asks: &[
        Question::new("run", "", "", Kind::Hidden),
        Question::new("from_s", "", "", Kind::Hidden),
        Question::new("to_s", "", "", Kind::Hidden),
        Question::new("point", "", "", Kind::Hidden),
        Question::new("phase", "", "", Kind::Hidden),
        Question::new("rpm", "Speed", "rpm", Kind::NumberOrNone(&field::RPM)),
        Question::new("oil_temp_c", "Oil", "°C", Kind::NumberOrNone(&field::OIL_TEMP)),
    ],
};

/// A second is kept within this after it was measured, or something is wrong.
const KEPT_WITHIN: Duration = Duration::from_secs(5);
const LOOKS_EVERY: Duration = Duration::from_millis(150);
const SHORTEST_S: f64 = 1.0;
const LONGEST_S: f64 = 600.0;

/// Writes the hold as a reading.
pub async fn take(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let job = context.job().await?;
    let sent = Sent::of(&form);
    let mut typed = Read::of(&FORM, &form, context.preferences.unit);
    let phase = if typed.raw("phase") == "after" { Phase::After } else { Phase::Before };
    let stage = if phase == Phase::After { Stage::Prove } else { Stage::Run };
    let no_hold = || Failure::Form("a steady reading without its run and times".to_owned());
    let run = Uuid::parse_str(typed.raw("run")).map_err(|_| no_hold())?;
    let (Ok(from_s), Ok(to_s)) = (typed.raw("from_s").parse::<f64>(), typed.raw("to_s").parse::<f64>()) else { return Err(no_hold()) };
    if !(SHORTEST_S..=LONGEST_S).contains(&(to_s - from_s)) || from_s < 0.0 {
        return Err(no_hold());
    }
    let Some((hold, dash_kpa, recorded)) = kept(&context, run, (from_s, to_s)).await? else {
        typed
            .form_state
            .wrong("run", "This part of the run was not saved: the connection was lost or the database is slow. Hold the speed once more.");
        return context
            .answer(
                stage,
                ScreenRequest { seen: sent.seen(), form_state: typed.form_state, ..ScreenRequest::default() },
                StatusCode::UNPROCESSABLE_ENTITY,
            )
            .await;
    };
    let (rpm, oil_temp_c) = (hold.rpm.or_else(|| typed.number("rpm")), hold.oil_temp_c.or_else(|| typed.number("oil_temp_c")));
    for (name, value) in [("rpm", rpm), ("oil_temp_c", oil_temp_c)] {
        if value.is_none() && typed.form_state.is_clean() {
            typed.form_state.wrong(name, "The data logger does not measure this. Type it, then record the reading.");
        }
    }
    let (Some(rpm), Some(oil_temp_c), true) = (rpm, oil_temp_c, typed.form_state.is_clean()) else {
        return context
            .answer(
                stage,
                ScreenRequest { seen: sent.seen(), form_state: typed.form_state, ..ScreenRequest::default() },
                StatusCode::UNPROCESSABLE_ENTITY,
            )
            .await;
    };
    let case = job.case();
    let point = script(&case, phase).into_iter().find(|point| point.id == typed.raw("point"));
    let gauge = recorded.gauge.and_then(|key| job.gauges.iter().find(|gauge| gauge.id == key));
    let reading = Reading {
        gear: point.as_ref().map(|point| point.gear).unwrap_or_default(),
        slope: point.as_ref().and_then(|point| point.slope),
        spread_kpa: (100.0 * hold.spread_kpa).round() / 100.0,
        hold_s: Some((10.0 * (hold.to_s - hold.from_s)).round() / 10.0),
        instrument: gauge.map(|gauge| gauge.name.clone()),
        phase,
        ..Reading::of(rpm.round(), (10.0 * oil_temp_c).round() / 10.0, ((100.0 * hold.kpa).round() / 100.0).max(0.0))
    };
    // Two pages see the same hold at the same moment: one after the other, it is taken once.
    let _alone = context.app.turns.at(context.viewer.shop, context.number).await;
    if taken_already(&context.job().await?, run, (from_s, to_s)) {
        return context.answer(stage, ScreenRequest { seen: sent.seen(), ..ScreenRequest::default() }, StatusCode::OK).await;
    }
    let held = Held { count: hold.count as u32, slope_kpa_s: (1e4 * hold.slope_kpa_s).round() / 1e4, dash_kpa };
    let taken = TakenReading { reading, gauge: gauge.map(|gauge| gauge.id), capture: Some((run, from_s, to_s)), held: Some(held) };
    let body = Body::Reading(taken);
    let answer = context.write(stage, sent, body, "live/take", typed.fields()).await?;
    // Whoever stands at the rig sees that it was taken.
    let linked = context.app.hub.of_job(context.viewer.shop, context.number).filter(|linked| linked.can.contains(&Can::Show));
    if let Some(linked) = linked.filter(|_| !answer.status().is_client_error()) {
        linked.say(ToRig::Show(Key::Hold));
    }
    Ok(answer)
}

/// True when a reading stands that was taken from the same stretch, or from part of it.
fn taken_already(job: &Job, run: Uuid, (from_s, to_s): (f64, f64)) -> bool {
    job.live().any(|entry| match &entry.body {
        Body::Reading(TakenReading { capture: Some((other, from, to)), .. }) => *other == run && *from < to_s && from_s < *to,
        _ => false,
    })
}

/// The stretch as it is kept, waited for while it is on its way.
async fn kept(context: &JobContext, run: Uuid, (from_s, to_s): (f64, f64)) -> Result<Option<(Hold, Option<f64>, Recorded)>, Failure> {
    let mut waited = Duration::ZERO;
    loop {
        let recorded = rigs::recorded(&context.app.db, &context.viewer, context.number, run).await?;
        if recorded.span_us.is_some_and(|(_, last)| last >= recorded.clock().at_us(to_s)) {
            let source = Source::Rig(recorded);
            let run = source.stretch(context, from_s, to_s).await?;
            let hold = move || {
                let dash_kpa = capture::dash_between(&run, from_s, to_s).map(|kpa| kpa.round().max(0.0));
                capture::between(&run, from_s, to_s).map(|hold| (hold, dash_kpa))
            };
            let hold = context.app.work.out(hold).await?;
            return Ok(hold.zip(source.recorded()).map(|((hold, dash_kpa), recorded)| (hold, dash_kpa, recorded)));
        }
        if waited > KEPT_WITHIN {
            return Ok(None);
        }
        sleep(LOOKS_EVERY).await;
        waited += LOOKS_EVERY;
    }
}
