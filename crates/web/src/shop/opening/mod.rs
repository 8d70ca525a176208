//! Opens a job.
use crate::http::Failure;
use crate::http::FormState;
use crate::http::SignedIn;
use crate::http::form::{self, Choice, FieldView as Field, Form, Kind, Question, Read, taken};
use crate::state::App;
use crate::ui::DisplayPreferences;
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
        Question::new("tag", "Plate or fleet number", "as on the vehicle", Kind::Needed(40, "nothing typed yet; for example “FORK 5”.")),
        Question::new("description", "Vehicle", "in a few words", Kind::Text(200)),
        Question::new("engine", "Engine", "", Kind::Choice),
        Question::new("complaint", "Complaint", "what was seen, and when", Kind::Needed(300, COMPLAINT)),
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

async fn page(
    app: &App,
    viewer: &Viewer,
    preferences: DisplayPreferences,
    form_state: FormState,
    status: StatusCode,
) -> Result<HttpResponse, Failure> {
    let engines = library::engine_names(&app.db, viewer).await?;
    let choices = || {
        let none = Choice { id: String::new(), label: "choose…".to_owned() };
        let all = engines.iter().map(|engine| Choice { id: engine.id.to_string(), label: engine.name.clone() });
        std::iter::once(none).chain(all).collect()
    };
    let page = Page {
        chrome: Chrome::of(viewer, preferences, "New job").at(Place::NewJob),
        fields: FORM.draw(&form_state, preferences.unit, |_| choices()),
        vehicles: library::vehicles_like(&app.db, viewer, "", KNOWN).await?,
        key: Uuid::new_v4(),
    };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

/// Shows the form.
pub async fn show(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    query: web::Query<form::Sent>,
) -> Result<HttpResponse, Failure> {
    let mut form_state = FormState::of(FORM.name);
    // An engine that was added from here stands chosen.
    form_state.keep("engine", query.get("engine").map_or("", String::as_str));
    page(&app, &who.0, preferences, form_state, StatusCode::OK).await
}

/// Opens the job and goes to its intake.
pub async fn open(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    form: web::Form<form::Sent>,
) -> Result<HttpResponse, Failure> {
    let mut typed = Read::of(&FORM, &form, preferences.unit);
    let (tag, description, complaint) = (typed.text("tag"), typed.text("description"), typed.text("complaint"));
    let engine = Uuid::parse_str(typed.raw("engine"));
    let engine = typed.form_state.take("engine", engine.map_err(|_| "Engine: choose one of the list, or add it in the library first."));
    let (true, Some(engine)) = (typed.form_state.is_clean(), engine) else {
        return page(&app, &who.0, preferences, typed.form_state, StatusCode::UNPROCESSABLE_ENTITY).await;
    };
    let submit_key = form.get("key").map_or("", String::as_str);
    let opening = jobs::Opening { tag: &tag, description: &description, engine, complaint: &complaint, submit_key, scene: None, at: None };
    let number = jobs::open(&app.db, &who.0, &opening).await?;
    Ok(taken(FORM.name, &format!("/jobs/{number}/intake")))
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/jobs", post().to(open)).route("/jobs/new", get().to(show));
}
