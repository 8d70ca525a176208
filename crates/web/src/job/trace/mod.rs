//! Trace: whether the circuit is sound, the suspects and why, what to do next, and the ledger.
mod acts;
mod list;
mod next;
mod part;
mod why;

use crate::http::Failure;
use crate::http::form::Sent as Query;
use crate::job::frame::PageFrame;
use crate::job::lines::{Line, lines};
use crate::job::{Assessed, JobContext, Screen, ScreenData};
use crate::state::ShopContext;
use crate::ui::count;
use crate::ui::picture::route::{self, Route};
use crate::ui::words::cause_name;
use actix_web::web::{ServiceConfig, get, post};
use askama::Template;
use list::List;
use velvet_dial_core::experience::{Memory, OWN_JOBS};
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::stage::Stage;
use velvet_dial_core::unit::Units;
use velvet_dial_store::jobs::{self, Job, Similar};

/// What lies on the surface.
struct Work {
    list: List,
    route: Route,
    /// What the pressures of the route are those of.
    route_says: String,
    withheld: usize,
    similar: Vec<Like>,
    /// What this shop's own closed jobs of the family say; none where it learnt nothing.
    memory: Option<String>,
    ledger: Vec<Line>,
}

#[derive(Template)]
#[template(path = "job/trace/trace.html")]
struct Surface<'a> {
    frame: &'a PageFrame,
    work: Work,
}

/// A closed job that is like it.
struct Like {
    number: i64,
    complaint: String,
    cause: String,
    says: &'static str,
}

fn like(found: &Similar) -> Like {
    Like {
        number: found.number,
        complaint: found.complaint.clone(),
        cause: cause_name(&found.cause).to_owned(),
        says: if found.same_engine { "same engine" } else { "like words" },
    }
}

/// “This shop closed 6 jobs on Quayside with a known cause: pickup screen blocked 3, …”.
fn remembered(memory: &Memory) -> String {
    let mut causes: Vec<(&String, &u32)> = memory.closed.iter().collect();
    causes.sort_by_key(|(_, jobs)| std::cmp::Reverse(**jobs));
    let causes: Vec<String> =
        causes.into_iter().take(4).map(|(cause, jobs)| format!("{} {jobs}", cause_name(cause).to_lowercase())).collect();
    let times = memory.took.times();
    let pace = if memory.took.jobs > 0 {
        format!(" Time for opening: {times:.2} times the card's minutes ({}).", count(memory.took.jobs as usize, "job"))
    } else {
        String::new()
    };
    format!(
        "This shop closed {} on {} with a known cause: {}. The typical frequency counts like {OWN_JOBS:.0} jobs.{pace}",
        count(memory.jobs() as usize, "job"),
        memory.family,
        causes.join(", ")
    )
}

/// The screen.
pub struct Trace;

impl Screen for Trace {
    const STAGE: Stage = Stage::Trace;
    const LONG: bool = false;
    type Loaded = Vec<Similar>;
    type Computed = ();

    async fn load(context: &JobContext, job: &Job) -> Result<Vec<Similar>, Failure> {
        Ok(jobs::similar(&context.app.db, &context.viewer, job).await?)
    }

    fn compute(_: &Assessed, _: &ShopContext, _: &Query, _: Units) {}

    fn draw(data: &ScreenData, similar: &Vec<Similar>, (): &()) -> askama::Result<String> {
        draw(data, similar)
    }

    fn panel(data: &ScreenData) -> askama::Result<String> {
        next::panel(data)
    }
}

fn draw(data: &ScreenData, similar: &[Similar]) -> askama::Result<String> {
    let (assessed, unit) = (data.assessed, data.frame.unit);
    let answered = |id: &str| assessed.case.evidence.iter().any(|e| e.check == id);
    let running = knowledge().checks.iter().filter(|check| check.running(&assessed.case.engine) && !answered(&check.id));
    let (parts, says) = part::parts(assessed, unit);
    let work = Work {
        list: list::list(assessed, unit),
        route: route::route(&parts, unit),
        route_says: says,
        withheld: if assessed.now.flag.allowed() { 0 } else { running.count() },
        similar: similar.iter().map(like).collect(),
        memory: assessed.case.memory.as_ref().map(remembered),
        ledger: lines(&assessed.job, unit),
    };
    Surface { frame: data.frame, work }.render()
}

/// Addresses.
pub fn routes(config: &mut ServiceConfig) {
    config
        .route("/jobs/{number}/why/{cause}", get().to(why::fragment))
        .route("/jobs/{number}/part/{part}", get().to(part::fragment))
        .route("/jobs/{number}/orders", get().to(next::prices))
        .route("/jobs/{number}/strike", post().to(acts::strike))
        .route("/jobs/{number}/order", post().to(acts::order))
        .route("/jobs/{number}/pattern", post().to(acts::pattern));
}
