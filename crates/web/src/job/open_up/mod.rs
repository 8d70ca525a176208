//! Open up: what the opening takes and the customer's yes to it, then what lies behind it in the order of the bench, the crank's journals along the oil, and the figures that are taken.
mod crank;
mod figures;
mod link;
mod plan;
mod talk;

use crate::http::Failure;
use crate::http::form::Sent as Query;
use crate::job::cards::{self, CheckCard};
use crate::job::frame::PageFrame;
use crate::job::notes::{self, KeptNote};
use crate::job::opening::{self, Yes, may_be_open};
use crate::job::{Assessed, JobContext, Screen, ScreenData};
use crate::state::ShopContext;
use crate::ui::count;
use crate::ui::words::describe;
use actix_web::web::{ServiceConfig, get, post};
use askama::Template;
use crank::CrankWork;
use figures::FigureForm;
use link::LinkWork;
use plan::PlanWork;
use talk::Talk;
pub use talk::{ask_to_talk, stops, talked};
use velvet_dial_core::calculator::{Screen as PickupScreen, Starving, starving};
use velvet_dial_core::circuit::nominal::HOT_C;
use velvet_dial_core::knowledge::{Check, knowledge};
use velvet_dial_core::opened::{self, Crank, Explained, Plan, UnexpectedFinding};
use velvet_dial_core::stage::Stage;
use velvet_dial_core::unit::Units;
use velvet_dial_store::jobs::{self, EngineNote, Job, Link};

/// What is worked out for the screen off the threads that serve.
pub struct Worked {
    plan: Plan,
    crank: Crank,
    explained: Option<Explained>,
    /// Findings that do not fit and were not talked over.
    unexpected_findings: Vec<UnexpectedFinding>,
    /// When a pump behind the screen as it was measured starves.
    starving: Option<Starving>,
}

/// Works it out.
fn worked(assessed: &Assessed, shop_context: &ShopContext) -> Worked {
    let (case, now) = (&assessed.case, &assessed.now);
    let crank = opened::crank(&case.engine, &case.strip_down);
    let screen =
        case.strip_down.screen.map(|screen| PickupScreen { engine: case.engine.clone(), open_share: screen.open_share, oil_temp_c: HOT_C });
    let plan = opened::plan(case, now, shop_context.shop.labour_rate);
    Worked {
        unexpected_findings: talk::open(assessed, &plan),
        plan,
        explained: opened::explained(case, now, &assessed.tracer, &crank),
        // OK because the card and the share were held to their ranges when they were taken.
        starving: screen.and_then(|screen| starving(&screen).ok()),
        crank,
    }
}

#[derive(Template)]
#[template(path = "job/open_up/open_up.html")]
struct Surface<'a> {
    frame: &'a PageFrame,
    /// Said where neither plan nor opening is due.
    quiet: bool,
    /// What stops the job until it is talked over.
    talk: Option<Talk>,
    talked: Vec<String>,
    plan: PlanWork,
    /// How long openings of this family took beside the card's minutes; empty while nobody said.
    pace: String,
    /// What other jobs left with this engine.
    kept: Vec<KeptNote>,
    yes: Yes,
    link: LinkWork,
    /// It may be open: what lies behind it can be noted.
    open: bool,
    looks: Vec<Look>,
    /// The first look that nobody took.
    next_look: Option<&'static str>,
    crank: CrankWork,
    figures: Vec<FigureForm>,
    /// Figures that were taken after the repair, in words.
    after: Vec<String>,
}

/// A look behind the opening.
struct Look {
    card: CheckCard,
    /// What the figures say, where nobody tapped.
    counted: Option<&'static str>,
}

impl Look {
    fn is_taken(&self) -> bool {
        self.card.answer.is_some() || self.card.put_off.is_some() || self.counted.is_some()
    }
}

/// What the screen shows beside the job.
pub struct Lists {
    /// Links sent to the customer.
    links: Vec<Link>,
    /// Notes that are kept with the engine.
    engine_notes: Vec<EngineNote>,
}

/// The screen.
pub struct OpenUp;

impl Screen for OpenUp {
    const STAGE: Stage = Stage::OpenUp;
    type Loaded = Lists;
    type Computed = Worked;

    async fn load(context: &JobContext, job: &Job) -> Result<Lists, Failure> {
        let (db, viewer) = (&context.app.db, &context.viewer);
        let (links, engine_notes) =
            tokio::try_join!(jobs::links(db, viewer, context.number), jobs::engine_notes(db, viewer, job.head.engine))?;
        Ok(Lists { links, engine_notes })
    }

    fn compute(assessed: &Assessed, shop_context: &ShopContext, _: &Query, _: Units) -> Worked {
        worked(assessed, shop_context)
    }

    fn draw(data: &ScreenData, lists: &Lists, worked: &Worked) -> askama::Result<String> {
        draw(data, lists, worked)
    }
}

fn draw(data: &ScreenData, lists: &Lists, worked: &Worked) -> askama::Result<String> {
    let assessed = data.assessed;
    let (looks, money) = (looks(data, worked), data.money());
    Surface {
        frame: data.frame,
        quiet: worked.plan.openings.is_empty() && !may_be_open(&assessed.job),
        talk: talk::work(&worked.unexpected_findings, &data.frame.form_state, data.frame.unit, money),
        talked: talked(&assessed.job, data.frame.unit),
        plan: plan::work(&worked.plan, money, &assessed.job),
        pace: pace(assessed),
        kept: notes::kept(&lists.engine_notes, assessed.job.head.number, &assessed.job.zone),
        yes: opening::yes(data, plan::up_to(&worked.plan)),
        link: link::work(data, &lists.links, &worked.plan),
        open: may_be_open(&assessed.job),
        next_look: looks.iter().find(|look| !look.is_taken()).map(|look| look.card.id),
        looks,
        crank: crank::work(data, worked),
        figures: figures::forms(data, worked),
        after: assessed.job.figures_after().into_iter().map(|entry| describe(&entry.body, data.frame.unit)).collect(),
    }
    .render()
}

/// “Openings of this family took 1.3 times the planned minutes here (4 jobs).”
fn pace(assessed: &Assessed) -> String {
    let took = assessed.case.memory.as_ref().map(|memory| memory.took).filter(|took| took.jobs > 0);
    took.map_or_else(String::new, |took| {
        let jobs = count(took.jobs as usize, "job");
        format!("Openings of this family took {:.1} times the card's minutes here ({jobs}).", took.times())
    })
}

/// What lies behind the openings of the plan, and what was found behind one, in the order of the bench.
fn looks(data: &ScreenData, worked: &Worked) -> Vec<Look> {
    let card = &data.assessed.case.engine;
    let figures = data.assessed.case.strip_down.outcomes(card.cylinders);
    let planned = |check: &str| worked.plan.openings.iter().any(|opening| opening.looks.iter().any(|look| look.check.id == check));
    let found = |check: &str| data.assessed.job.live().any(|entry| entry.body.subject().as_deref() == Some(&format!("check {check}")));
    let mut behind: Vec<_> = knowledge()
        .checks
        .iter()
        .filter(|check| {
            let counted = figures.iter().any(|(id, _)| *id == check.id);
            check.opens(card) && (planned(&check.id) || found(&check.id) || counted)
        })
        .collect();
    behind.sort_by(|a, b| a.access(card).cmp(&b.access(card)).then(a.order.total_cmp(&b.order)));
    let look = |check: &&'static Check| {
        let card = cards::card(data.assessed, &check.id, data.frame.unit)?;
        let counted = figures.iter().find(|(id, _)| *id == check.id).filter(|_| card.answer.is_none());
        let counted =
            counted.and_then(|(_, outcome)| check.outcomes.iter().find(|known| known.id == *outcome)).map(|known| known.label.as_str());
        Some(Look { card, counted })
    };
    behind.iter().filter_map(look).collect()
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config
        .route("/jobs/{number}/crank", post().to(crank::said))
        .route("/jobs/{number}/journal", post().to(crank::journal))
        .route("/jobs/{number}/open-up/print", get().to(crank::print))
        .route("/jobs/{number}/talked", post().to(talk::said))
        .route("/jobs/{number}/link", post().to(link::make))
        .route("/jobs/{number}/link/reply", post().to(link::reply))
        .route("/jobs/{number}/link/revoke", post().to(link::revoke))
        .route("/jobs/{number}/measured", post().to(figures::measured));
}
