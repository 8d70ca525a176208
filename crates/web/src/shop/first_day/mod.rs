//! The path of a shop's first day: what it needs before its first job, what it has of that, and what comes next. It can be left and found again.
use crate::http::{Failure, SignedIn};
use crate::state::App;
use crate::ui::{Chrome, DisplayPreferences, Place};
use actix_web::HttpResponse;
use actix_web::http::header::LOCATION;
use actix_web::web::{self, ServiceConfig, get, post};
use askama::Template;
use velvet_dial_store::accounts::{self, FirstDay};

/// A step of the path.
pub struct Step {
    pub title: &'static str,
    pub says: &'static str,
    pub done: bool,
    /// It comes next.
    pub next: bool,
    /// Where it is done, each with its label.
    pub ways: &'static [(&'static str, &'static str)],
}

/// The steps, with what the shop has.
pub fn steps(has: FirstDay) -> Vec<Step> {
    let step = |title, says, done, ways| Step { title, says, done, next: false, ways };
    let mut steps = vec![
        step(
            "Hours, money, clock",
            "Times on screens, hand-over times and estimates go by them.",
            has.settings,
            &[("/settings", "Set them")],
        ),
        step(
            "Test gauges",
            "Range, class and graduation stand on the dial; readings are judged by them.",
            has.gauge,
            &[("/gauges", "Add a gauge")],
        ),
        step(
            "Adapters",
            "What lies in the drawer: the way from port to gauge follows from it.",
            has.adapter,
            &[("/gauges#adapters", "Add an adapter")],
        ),
        step(
            "First engine",
            "Its card and its oil pressure sheet, from the maker's manual.",
            has.engine,
            &[("/library#engine", "Type it in"), ("/library/file", "From a file")],
        ),
        step("People", "Invite them by a link, each with a role.", has.people, &[("/people#invite", "Invite somebody")]),
        step(
            "First job",
            "No vehicle is here yet? Practise on one that cannot be broken.",
            has.job,
            &[("/jobs/new", "Open a job"), ("/practice", "Practise")],
        ),
    ];
    if let Some(next) = steps.iter_mut().find(|step| !step.done) {
        next.next = true;
    }
    steps
}

#[derive(Template)]
#[template(path = "shop/first_day/path.html")]
struct Page {
    chrome: Chrome,
    steps: Vec<Step>,
    on_it: bool,
}

async fn path(app: web::Data<App>, who: SignedIn, preferences: DisplayPreferences) -> Result<HttpResponse, Failure> {
    let has = accounts::on_first_day(&app.db, &who.0).await?;
    let page = Page { chrome: Chrome::of(&who.0, preferences, "First day").at(Place::Settings), steps: steps(has), on_it: has.on_it };
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(page.render()?))
}

async fn over(app: web::Data<App>, who: SignedIn) -> Result<HttpResponse, Failure> {
    accounts::end_first_day(&app.db, &who.0).await?;
    Ok(HttpResponse::SeeOther().insert_header((LOCATION, "/")).finish())
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/first-day/path", get().to(path)).route("/first-day/over", post().to(over));
}
