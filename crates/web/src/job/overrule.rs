//! A stop is overruled for one named test of some minutes: by those who have the right, with the reason. The stop stays, and ends the test's time by itself.
use crate::http::form::{self, Choice, FieldView, Form, Kind, Question, Read};
use crate::http::{Failure, FormState};
use crate::job::assess::Assessed;
use crate::job::frame::ScreenRequest;
use crate::job::{JobContext, Sent};
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::web::{self, ServiceConfig, get, post};
use askama::Template;
use uuid::Uuid;
use velvet_dial_core::circuit::Card;
use velvet_dial_core::field;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::rights::{Grant, Right};
use velvet_dial_core::stage::Stage;
use velvet_dial_core::unit::Units;
use velvet_dial_store::Viewer;
use velvet_dial_store::jobs::Body;

static FORM: Form = Form {
    name: "overrule",
    asks: &[
        Question::new("test", "The one test", "", Kind::Choice),
        Question::number(&field::OVERRULED),
        Question::new(
            "reason",
            "Why",
            "kept in the job history",
            Kind::Needed(300, "say in a few words why the engine has to run for it; others will read it."),
        ),
    ],
};

/// Stages that look and read: there a test may need the engine to run.
const OFFERED: [Stage; 4] = [Stage::Look, Stage::Run, Stage::Compare, Stage::Trace];

/// Tests that need a running engine.
fn tests(card: &Card) -> Vec<Choice> {
    let none = Choice { id: String::new(), label: "choose".to_owned() };
    let running = knowledge().checks.iter().filter(|check| check.running(card));
    std::iter::once(none).chain(running.map(|check| Choice { id: check.id.clone(), label: check.ask.clone() })).collect()
}

/// The form, while the engine must not run and the viewer may overrule that or ask for it: empty until somebody unfolds it, or it was sent.
pub fn fields(stage: Stage, assessed: &Assessed, viewer: &Viewer, form_state: &FormState, unit: Units) -> Option<Vec<FieldView>> {
    let flag = &assessed.now.flag;
    let may = OFFERED.contains(&stage)
        && viewer.role.may(Right::Overrule) != Grant::No
        && !assessed.job.closed()
        && assessed.job.head.scene.is_none();
    let draw = || FORM.draw(form_state, unit, |_| tests(&assessed.case.engine));
    let typed = form_state.form == FORM.name;
    (may && !flag.allowed() && flag.overruled.is_none()).then(|| if typed { draw() } else { Vec::new() })
}

#[derive(Template)]
#[template(path = "job/overrule.html")]
struct Unfolded {
    number: i64,
    key: Uuid,
    seen: i32,
    stage: &'static str,
    fields: Vec<FieldView>,
}

/// The form as it is unfolded.
async fn unfold(context: JobContext, query: web::Query<form::Sent>) -> Result<HttpResponse, Failure> {
    let job = context.job().await?;
    let stage = query.get("stage").and_then(|id| Stage::parse(id)).unwrap_or(Stage::Trace);
    let fields = FORM.draw(&FormState::of(FORM.name), context.preferences.unit, |_| tests(&job.engine.card));
    let form = Unfolded { number: context.number, key: Uuid::new_v4(), seen: job.seq(), stage: stage.id(), fields };
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(form.render()?))
}

async fn overrule(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let sent = Sent::of(&form);
    let stage = Stage::parse(form.get("stage").map_or("", String::as_str)).unwrap_or(Stage::Trace);
    let mut typed = Read::of(&FORM, &form, context.preferences.unit);
    let (minutes, reason) = (typed.number(field::OVERRULED.key), typed.text("reason"));
    let check = typed.raw("test").to_owned();
    let job = context.job().await?;
    if !knowledge().check(&check).is_some_and(|known| known.running(&job.engine.card)) {
        typed.form_state.wrong("test", "Choose the one test that the engine has to run for.");
    }
    let Some(minutes) = minutes.filter(|_| typed.form_state.is_clean()) else {
        let ask = ScreenRequest { seen: sent.seen(), form_state: typed.form_state, ..ScreenRequest::default() };
        return context.answer(stage, ask, StatusCode::UNPROCESSABLE_ENTITY).await;
    };
    context.write(stage, sent, Body::Overruled { check, minutes, reason }, "overrule", typed.fields()).await
}

/// Its address.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/jobs/{number}/overrule", get().to(unfold)).route("/jobs/{number}/overrule", post().to(overrule));
}
