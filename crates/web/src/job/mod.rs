//! A job: what all its screens stand on, and one folder a screen.
//!
//! An act has one shape: extract, load, check what was typed, write one entry, show the screen again.
mod assess;
mod cards;
mod check;
mod compare;
mod context;
mod frame;
mod happened;
mod intake;
mod lines;
mod live;
mod look;
mod next_step;
mod notes;
mod open_up;
mod opening;
mod pairs;
mod photo;
mod prove;
mod put_right;
mod record;
mod report;
mod rig;
mod run;
mod trace;
mod withdraw;
mod worked;

use crate::http::Failure;
use crate::http::form::Sent as Query;
use crate::state::ShopContext;
use actix_web::HttpResponse;
use actix_web::web::{self, ServiceConfig, get};
use assess::Assessed;
pub(crate) use assess::judged;
use context::{JobContext, Sent};
use frame::{PageFrame, ScreenRequest};
pub use record::log_until;
pub(crate) use record::{ClosingError, closing, record, recordings};
use uuid::Uuid;
use velvet_dial_core::opened::Schedule;
use velvet_dial_core::stage::{Stage, where_it_is};
use velvet_dial_store::accounts::Person;
use velvet_dial_store::jobs::{Before, EngineNote, File, Link, Similar};
use velvet_dial_store::library::ShopAdapter;

/// What a screen is drawn from.
pub struct ScreenData<'a> {
    pub assessed: &'a Assessed,
    pub frame: &'a PageFrame,
    pub captures: &'a [File],
    /// Those of the shop, for the screen that asks who is on it.
    pub people: &'a [Person],
    /// Engines of the shop, for the screen on which a job can be moved to another.
    pub engines: &'a [(Uuid, String)],
    /// The pressures that the engine may show, for the screen that chooses a gauge.
    pub expected: Option<&'a rig::chooser::Expected>,
    /// Rigs of the shop, and what they recorded here, for the screens of rig and run.
    pub rigs: &'a live::Rigs,
    /// Closed jobs that are like it, for the screen that traces.
    pub similar: &'a [Similar],
    /// What the address asks beside the screen.
    pub query: &'a Query,
    /// What was worked out, for the screen that compares.
    pub compared: Option<&'a compare::Worked>,
    /// The shop, and what it learnt.
    pub shop_context: &'a ShopContext,
    /// The job before on this vehicle, for the screen of the intake.
    pub before: Option<&'a Before>,
    /// Links sent to the customer, for the screen that opens up.
    pub links: &'a [Link],
    /// Notes that are kept with the engine, for the screen that opens up.
    pub engine_notes: &'a [EngineNote],
    /// What was worked out, for the screen that opens up.
    pub opened: Option<&'a open_up::Worked>,
    /// What is left until the hand-over that was promised, for the screen that puts right.
    pub scheduled: Option<&'a Schedule>,
    /// What lies in the drawer, for the screen that fits a gauge.
    pub adapters: &'a [ShopAdapter],
}

/// The screen of a stage.
fn surface(stage: Stage) -> fn(&ScreenData) -> askama::Result<String> {
    match stage {
        Stage::Intake => intake::draw,
        Stage::Look => look::draw,
        Stage::Rig => rig::draw,
        Stage::Run => run::draw,
        Stage::Compare => compare::draw,
        Stage::Trace => trace::draw,
        Stage::OpenUp => open_up::draw,
        Stage::PutRight => put_right::draw,
        Stage::Prove => prove::draw,
    }
}

/// Sends the asker to the stage the job is at.
async fn show_where_it_is(context: JobContext) -> Result<HttpResponse, Failure> {
    let job = context.job().await?;
    Ok(context.to(&format!("/jobs/{}/{}", context.number, where_it_is(&job.case()).id())))
}

/// Shows a stage.
async fn show(context: JobContext, path: web::Path<(i64, String)>, query: web::Query<Query>) -> Result<HttpResponse, Failure> {
    let stage = Stage::parse(&path.1).ok_or(Failure::NoPage)?;
    if path.1 != stage.id() {
        // An address of before leads on, for those who may see the job.
        context.job().await?;
        return Ok(context.to(&format!("/jobs/{}/{}", context.number, stage.id())));
    }
    let query = query.into_inner();
    let mut ask = ScreenRequest::default();
    if let Some(correct) = query.get("correct").filter(|entry| !entry.is_empty()) {
        ask.form_state = run::filled(&context.job().await?, correct, context.preferences.unit);
    }
    context.answer(stage, ScreenRequest { query, ..ask }, actix_web::http::StatusCode::OK).await
}

/// Addresses of all of them.
pub fn routes(config: &mut ServiceConfig) {
    config
        .route("/jobs/{number}", get().to(show_where_it_is))
        .configure(report::routes)
        .configure(intake::routes)
        .configure(check::routes)
        .configure(happened::routes)
        .configure(photo::routes)
        .configure(notes::routes)
        .configure(rig::routes)
        .configure(live::routes)
        .configure(run::routes)
        .configure(compare::routes)
        .configure(trace::routes)
        .configure(worked::routes)
        .configure(withdraw::routes)
        .configure(opening::routes)
        .configure(open_up::routes)
        .configure(put_right::routes)
        .configure(prove::routes)
        .route("/jobs/{number}/{stage}", get().to(show));
}
