//! Opens a job.
use crate::http::Failure;
use crate::http::SignedIn;
use crate::http::Slip;
use crate::http::form::{self, Ask, Choice, Drawn as Field, Form, Kind, Read, taken};
use crate::state::App;
use crate::ui::Liking;
use crate::ui::{Chrome, Place};
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::web::{self, ServiceConfig, get, post};
use askama::Template;
use uuid::Uuid;
use velvet_dial_store::library::Vehicle;
use velvet_dial_store::{Viewer, jobs, library};

/// What opens a job.
static FORM: Form = Form {
    name: "opening",
    asks: &[
        Ask::new("tag", "Plate or fleet number", "as on the vehicle", Kind::Needed(40, "nothing typed yet; for example “FORK 5”.")),
        Ask::new("description", "Vehicle", "in a few words", Kind::Text(200)),
        Ask::new("engine", "Engine", "", Kind::Choice),
        Ask::new("complaint", "Complaint", "what was seen, and when", Kind::Needed(300, COMPLAINT)),
    ],
};
const COMPLAINT: &str = "nothing typed yet; for example “Lamp once it is warm, and a whine from the front”.";

#[derive(Template)]
#[template(path = "shop/opening/opening.html")]
struct Page {
    chrome: Chrome,
    fields: Vec<Field>,
    /// The newest of the shop; any other is known by its plate all the same.
    vehicles: Vec<Vehicle>,
    key: Uuid,
}

/// Vehicles named under the form.
const KNOWN: u64 = 12;

async fn page(app: &App, viewer: &Viewer, liking: Liking, slip: Slip, status: StatusCode) -> Result<HttpResponse, Failure> {
    let engines = library::engine_names(&app.db, viewer).await?;
    let choices = || {
        let none = Choice { id: String::new(), label: "choose…".to_owned() };
        let all = engines.iter().map(|engine| Choice { id: engine.id.to_string(), label: engine.name.clone() });
        std::iter::once(none).chain(all).collect()
    };
    let page = Page {
        chrome: Chrome::of(viewer, liking, "New job").at(Place::NewJob),
        fields: FORM.draw(&slip, liking.unit, |_| choices()),
        vehicles: library::vehicles_like(&app.db, viewer, "", KNOWN).await?,
        key: Uuid::new_v4(),
    };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

/// Shows the form.
pub async fn show(app: web::Data<App>, who: SignedIn, liking: Liking, query: web::Query<form::Sent>) -> Result<HttpResponse, Failure> {
    let mut slip = Slip::of(FORM.name);
    // An engine that was added from here stands chosen.
    slip.keep("engine", query.get("engine").map_or("", String::as_str));
    page(&app, &who.0, liking, slip, StatusCode::OK).await
}

/// Opens the job and goes to its intake.
pub async fn open(app: web::Data<App>, who: SignedIn, liking: Liking, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let mut typed = Read::of(&FORM, &form, liking.unit);
    let (tag, description, complaint) = (typed.text("tag"), typed.text("description"), typed.text("complaint"));
    let engine = Uuid::parse_str(typed.raw("engine"));
    let engine = typed.slip.take("engine", engine.map_err(|_| "Engine: choose one of the list, or add it in the library first."));
    let (true, Some(engine)) = (typed.slip.is_clean(), engine) else {
        return page(&app, &who.0, liking, typed.slip, StatusCode::UNPROCESSABLE_ENTITY).await;
    };
    let submit_key = form.get("key").map_or("", String::as_str);
    let opening = jobs::Opening { tag: &tag, description: &description, engine, complaint: &complaint, submit_key, at: None };
    let number = jobs::open(&app.db, &who.0, &opening).await?;
    Ok(taken(FORM.name, &format!("/jobs/{number}/intake")))
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/jobs", post().to(open)).route("/jobs/new", get().to(show));
}
