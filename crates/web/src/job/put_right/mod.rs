//! Put right: what to propose, its steps in the order of the hand, and what was done.
mod calendar;
pub mod steps;
mod timetable;

use crate::http::Failure;
use crate::http::form::{self, Choice, FieldView as Field, Form, Kind, Question, Read};
use crate::job::frame::PageFrame;
use crate::job::frame::ScreenRequest;
use crate::job::lines::{self, Line};
use crate::job::open_up::talked;
use crate::job::{Assessed, JobContext, Screen, ScreenData, Sent};
use crate::state::ShopContext;
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::web::{self, ServiceConfig, get, post};
use askama::Template;
use chrono::Utc;
use steps::Steps;
use timetable::{Left, Timetable};
use velvet_dial_core::knowledge::{Cause, knowledge};
use velvet_dial_core::opened::{Found, debris};
use velvet_dial_core::stage::Stage;
use velvet_dial_core::start_up::StartUp;
use velvet_dial_core::trace::{Move, Step};
use velvet_dial_core::unit::{Units, first_upper};
use velvet_dial_store::jobs::{Body, Job, Repair};

/// What a repair is.
static FORM: Form = Form {
    name: "repair",
    asks: &[
        Question::new("cause", "What it was", "", Kind::Choice),
        Question::new("done", "What was done", "for the report", Kind::NeededLines(2000, DONE)),
        Question::new(
            "stopgap",
            "This is a stopgap: it hides the fault (thicker oil, a shim, a heavier spring)",
            "the report names it so",
            Kind::Tick,
        ),
        Question::new("follow_up", "What may follow, what to check again", "if anything", Kind::Lines(2000)),
    ],
};
const DONE: &str = "a sentence for the report, for example “New pickup seal, flange bolt first, bracket last”.";

/// Writes the repair.
pub async fn record(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let sent = Sent::of(&form);
    let mut typed = Read::of(&FORM, &form, context.preferences.unit);
    let (done, follow_up) = (typed.text("done"), typed.text("follow_up"));
    let stopgap = typed.ticked("stopgap");
    let cause = Some(typed.raw("cause").to_owned()).filter(|cause| !cause.is_empty());
    if cause.as_ref().is_some_and(|cause| knowledge().cause(cause).is_none()) {
        typed.form_state.wrong("cause", "Choose one of the causes on the list.");
    }
    if !typed.form_state.is_clean() {
        let ask = ScreenRequest { seen: sent.seen(), form_state: typed.form_state, ..ScreenRequest::default() };
        return context.answer(Stage::PutRight, ask, StatusCode::UNPROCESSABLE_ENTITY).await;
    }
    context.write(Stage::PutRight, sent, Body::Repair(Repair { cause, done, follow_up, stopgap }), "repair", typed.fields()).await
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config
        .route("/jobs/{number}/repair", post().to(record))
        .route("/jobs/{number}/done", post().to(steps::tick))
        .route("/jobs/{number}/promise", post().to(timetable::promise))
        .route("/jobs/{number}/timetable.ics", get().to(timetable::calendar));
}

#[derive(Template)]
#[template(path = "job/put_right/put_right.html")]
struct Surface<'a> {
    frame: &'a PageFrame,
    work: PutRightWork,
}

/// The screen.
pub struct PutRight;

impl Screen for PutRight {
    const STAGE: Stage = Stage::PutRight;
    type Loaded = ();
    type Computed = Left;

    async fn load(_: &JobContext, _: &Job) -> Result<(), Failure> {
        Ok(())
    }

    fn compute(assessed: &Assessed, shop_context: &ShopContext, _: &form::Sent, _: Units) -> Left {
        timetable::left(assessed, shop_context, Utc::now())
    }

    fn draw(data: &ScreenData, (): &(), left: &Left) -> askama::Result<String> {
        Surface { frame: data.frame, work: put_right(data, left) }.render()
    }
}

/// What was put right, and what to propose.
pub struct PutRightWork {
    pub fields: Vec<Field>,
    pub proposal: Option<Proposal>,
    /// It is to be closed and filled before anything else is checked: seconds that cranking may take until pressure shows.
    pub close_up: Option<f64>,
    pub steps: Option<Steps>,
    pub timetable: Timetable,
    /// Debris that was found, where it came from and where it went.
    pub debris: Vec<DebrisCard>,
    /// What was talked over with the customer.
    pub talked: Vec<String>,
    pub done: Vec<Done>,
}

/// Debris that was found.
pub struct DebrisCard {
    pub title: String,
    pub from: &'static str,
    pub went: &'static [String],
    pub mended: bool,
}

/// What was found before the repair.
pub fn debris_cards(data: &ScreenData) -> Vec<DebrisCard> {
    let card = |found: Found| DebrisCard {
        title: first_upper(&found.debris.name),
        from: &found.debris.from,
        went: &found.debris.went,
        mended: found.source_mended,
    };
    debris(&data.assessed.case).into_iter().map(card).collect()
}

/// For the leading suspect.
pub struct Proposal {
    pub cause: &'static str,
    pub act: &'static str,
    pub mind: &'static str,
}

/// A repair that was recorded.
pub struct Done {
    pub line: Line,
    pub done: String,
    pub follow_up: String,
}

fn put_right(data: &ScreenData, left: &Left) -> PutRightWork {
    let assessed = data.assessed;
    let to_choose = assessed.to_choose();
    let leader = to_choose.first().map(|(cause, _)| *cause);
    let none = Choice { id: String::new(), label: "none of these".to_owned() };
    let choice = |(cause, label): &(&Cause, String)| Choice { id: cause.id.clone(), label: label.clone() };
    let causes = || to_choose.iter().map(choice).chain([none.clone()]).collect();
    let mut fields = FORM.draw(&data.frame.form_state, data.frame.unit, |_| causes());
    // On a fresh form the leading suspect is the likeliest.
    if data.frame.form_state.form != FORM.name
        && let (Some(field), Some(leader)) = (fields.first_mut(), leader)
    {
        field.value.clone_from(&leader.id);
    }
    let done = assessed.job.live().filter_map(|entry| match &entry.body {
        Body::Repair(repair) => Some(Done {
            line: lines::line(&assessed.job, entry, data.frame.unit),
            done: repair.done.clone(),
            follow_up: repair.follow_up.clone(),
        }),
        _ => None,
    });
    let steps = steps::steps(data);
    if data.frame.form_state.form != FORM.name
        && let Some(steps) = &steps
    {
        for field in &mut fields {
            match field.name {
                "cause" => steps.cause.clone_into(&mut field.value),
                "done" if steps.ticked > 0 => field.value.clone_from(&steps.done),
                _ => {}
            }
        }
    }
    let closes = |step: &Step| matches!(step, Step::Bench(Move::CloseSump | Move::EngineIn | Move::Fill, _));
    let close_up =
        assessed.next.first().filter(|proposal| closes(&proposal.step) && assessed.job.repair().is_none() && !assessed.job.closed());
    PutRightWork {
        close_up: close_up.map(|_| StartUp::of(&assessed.case).stop_s),
        fields,
        steps,
        timetable: timetable::timetable(data, left),
        debris: debris_cards(data),
        talked: talked(&assessed.job, data.frame.unit),
        proposal: leader.map(|cause| Proposal { cause: &cause.name, act: &cause.put_right, mind: &cause.mind }),
        done: done.collect(),
    }
}
