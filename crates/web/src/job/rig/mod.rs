//! Rig: the gauge is chosen and fitted so that it can be believed; every step is stamped, skipping one too.
pub mod chooser;
mod drawing;
mod way;

use crate::http::form::{self, Choice, Form, Kind, Question, Read};
use crate::http::{Failure, FormState};
use crate::job::assess::Assessed;
use crate::job::frame::{PageFrame, ScreenRequest};
use crate::job::{JobContext, Screen, ScreenData, Sent};
use crate::state::ShopContext;
use crate::ui::field::FieldView as Field;
use crate::ui::show;
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::web::{self, ServiceConfig, get, post};
use askama::Template;
use chooser::{Chooser, Expected, chooser};
use velvet_dial_core::rigging::{self, SKIPPED};
use velvet_dial_core::stage::Stage;
use velvet_dial_core::unit::Units;
use velvet_dial_core::{field, rigging::zero_outcome};
use velvet_dial_store::jobs::{Body, Job, RigStep};
use velvet_dial_store::library::{self, ShopAdapter};
use velvet_dial_store::rigs;

/// A step's answer.
static FORM: Form = Form {
    name: "rig",
    asks: &[
        Question::new("step", "", "", Kind::Hidden),
        Question::new("answer", "", "", Kind::Hidden),
        Question::new("zero", "It shows", "", Kind::PressureOrNone(&field::ZERO)),
        Question::new("gauge", "Which gauge", "", Kind::Choice),
    ],
};

/// Writes a step.
pub async fn step(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let sent = Sent::of(&form);
    let mut typed = Read::of(&FORM, &form, context.preferences.unit);
    let (id, answer) = (typed.raw("step"), typed.raw("answer"));
    let step = rigging::step(id).filter(|step| step.label(answer).is_some());
    let step = step.ok_or_else(|| Failure::Form("this step or answer is not on the list".to_owned()))?;
    let taken = answer != SKIPPED;
    let zero_kpa = if step.value && taken { typed.number("zero") } else { None };
    if step.value && taken && zero_kpa.is_none() && typed.form_state.is_clean() {
        typed.form_state.wrong("zero", "Type what the gauge shows with its line open; zero is a figure too. Or skip the step.");
    }
    let mut gauge = None;
    if step.gauge && taken {
        let chosen = typed.raw("gauge");
        let job = context.job().await?;
        gauge = job.gauges.iter().find(|gauge| gauge.id.to_string() == chosen).map(|gauge| gauge.id);
        if gauge.is_none() && !chosen.is_empty() {
            typed.form_state.wrong("gauge", "This gauge is not among the shop's; choose one of the list, or add it in the library.");
        }
    }
    if !typed.form_state.is_clean() {
        let ask = ScreenRequest { seen: sent.seen(), form_state: typed.form_state, ..ScreenRequest::default() };
        return context.answer(Stage::Rig, ask, StatusCode::UNPROCESSABLE_ENTITY).await;
    }
    let body = Body::Rig(RigStep { step: id.to_owned(), answer: answer.to_owned(), zero_kpa, gauge });
    context.write(Stage::Rig, sent, body, "rig", typed.fields()).await
}

/// Its address.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/jobs/{number}/rig", post().to(step)).route("/jobs/{number}/rig/adapter.pdf", get().to(drawing::adapter));
}

/// A step on the screen.
pub struct StepCard {
    pub id: &'static str,
    pub place: usize,
    pub ask: &'static str,
    pub how: &'static str,
    pub caution: &'static str,
    /// What skipping it leaves open.
    pub skipped: &'static str,
    pub answers: Vec<(&'static str, &'static str)>,
    pub fields: Vec<Field>,
    pub done: Option<Done>,
    /// The first that is not answered.
    pub now: bool,
    pub supersedes: String,
}

/// What was answered, by whom, when.
pub struct Done {
    pub said: String,
    pub who: String,
    pub when: String,
    pub skipped: bool,
    /// What it says of the gauge; empty where it says nothing.
    pub weighs: String,
}

#[derive(Template)]
#[template(path = "job/rig/rig.html")]
struct Surface<'a> {
    frame: &'a PageFrame,
    steps: Vec<StepCard>,
    chooser: Option<Chooser>,
    fitted: bool,
    thread: String,
    links: Vec<Link>,
    ways: Vec<way::Way>,
}

/// A rig that may be linked.
pub struct Link {
    pub id: String,
    pub name: String,
    /// Assigned to this job.
    pub here: bool,
    /// Or to another.
    pub elsewhere: Option<i64>,
}

/// What the screen shows beside the job.
pub struct Hardware {
    rigs: Vec<velvet_dial_store::rigs::Rig>,
    adapters: Vec<ShopAdapter>,
}

/// The screen.
pub struct Rig;

impl Screen for Rig {
    const STAGE: Stage = Stage::Rig;
    type Loaded = Hardware;
    type Computed = Expected;

    async fn load(context: &JobContext, _: &Job) -> Result<Hardware, Failure> {
        let (db, viewer) = (&context.app.db, &context.viewer);
        let (rigs, adapters) = tokio::try_join!(rigs::rigs(db, viewer), library::adapters(db, viewer))?;
        Ok(Hardware { rigs, adapters })
    }

    fn compute(assessed: &Assessed, _: &ShopContext, _: &form::Sent, _: Units) -> Expected {
        chooser::expected(assessed)
    }

    fn draw(data: &ScreenData, hardware: &Hardware, expected: &Expected) -> askama::Result<String> {
        draw(data, hardware, expected)
    }
}

fn draw(data: &ScreenData, hardware: &Hardware, expected: &Expected) -> askama::Result<String> {
    let unit = data.frame.unit;
    let chooser = chooser(data.assessed, expected, unit);
    let fitted = data.assessed.case.bench.is_some_and(|bench| bench.gauge_fitted == Some(true));
    let thread = data.assessed.case.engine.port_thread.clone().unwrap_or_default();
    let here = |rig: &velvet_dial_store::rigs::Rig| rig.job == Some(data.frame.number);
    let links = hardware
        .rigs
        .iter()
        .map(|rig| Link { id: rig.id.to_string(), name: rig.name.clone(), here: here(rig), elsewhere: rig.job.filter(|_| !here(rig)) })
        .collect();
    Surface {
        frame: data.frame,
        links,
        ways: way::ways(data, &hardware.adapters),
        steps: steps(data.assessed, &data.frame.form_state, unit),
        chooser,
        fitted,
        thread,
    }
    .render()
}

fn steps(assessed: &Assessed, form_state: &FormState, unit: Units) -> Vec<StepCard> {
    let job = &assessed.job;
    let answered = |id: &str| {
        job.live().find_map(|entry| match &entry.body {
            Body::Rig(done) if done.step == id => Some((entry, done)),
            _ => None,
        })
    };
    let first = rigging::steps().iter().find(|step| answered(&step.id).is_none()).map(|step| step.id.as_str());
    let gauges = || {
        let ordinary = Choice { id: String::new(), label: "ordinary workshop gauge".to_owned() };
        std::iter::once(ordinary)
            .chain(job.gauges.iter().map(|gauge| Choice { id: gauge.id.to_string(), label: gauge.name.clone() }))
            .collect()
    };
    let gauge_of = |key: uuid::Uuid| job.gauges.iter().find(|gauge| gauge.id == key);
    let fitted = job.fitted_gauge().map(|gauge| gauge.gauge.clone()).unwrap_or_default();
    rigging::steps()
        .iter()
        .enumerate()
        .map(|(place, step)| {
            let live = answered(&step.id);
            let typed = if form_state.form == FORM.name && form_state.typed(FORM.name, "step") == step.id {
                form_state.clone()
            } else {
                FormState::default()
            };
            let wanted = |field: &Field| match field.name {
                "zero" => step.value,
                "gauge" => step.gauge,
                _ => false,
            };
            let fields = FORM.draw(&typed, unit, |_| gauges()).into_iter().filter(wanted).collect();
            let done = live.map(|(entry, done)| Done {
                said: match (done.zero_kpa, done.gauge.and_then(gauge_of)) {
                    (Some(zero), _) => show::pressure(zero, unit),
                    (None, Some(gauge)) => gauge.name.clone(),
                    _ => step.label(&done.answer).unwrap_or(&done.answer).to_owned(),
                },
                who: entry.author_name.clone(),
                when: show::moment(entry.written_at, &job.zone),
                skipped: done.answer == SKIPPED,
                weighs: done.zero_kpa.map_or_else(String::new, |zero| match zero_outcome(zero, &fitted) {
                    "off" => "Off by more than its class allows: weighed against the gauge. Zero it, or take another.".to_owned(),
                    _ => "Within what its class allows.".to_owned(),
                }),
            });
            StepCard {
                id: &step.id,
                place: place + 1,
                ask: &step.ask,
                how: &step.how,
                caution: &step.caution,
                skipped: &step.skipped,
                answers: step.answers().collect(),
                fields,
                supersedes: live.map(|(entry, _)| entry.id.to_string()).unwrap_or_default(),
                done,
                now: first == Some(step.id.as_str()),
            }
        })
        .collect()
}
