//! Opens a job.
use crate::http::Failure;
use crate::http::SignedIn;
use crate::http::Slip;
use crate::state::App;
use crate::ui::Chrome;
use crate::ui::Liking;
use actix_web::HttpResponse;
use actix_web::http::{StatusCode, header};
use actix_web::web::{self, ServiceConfig, get, post};
use askama::Template;
use serde::Deserialize;
use uuid::Uuid;
use velvet_dial_core::field;
use velvet_dial_store::{Viewer, jobs, library};

/// The form.
#[derive(Deserialize, Default)]
#[serde(default)]
pub struct Typed {
    tag: String,
    description: String,
    engine: String,
    complaint: String,
    key: String,
}

#[derive(Template)]
#[template(path = "shop/opening/opening.html")]
struct Page {
    chrome: Chrome,
    engines: Vec<(String, String)>,
    vehicles: Vec<(String, String)>,
    slip: Slip,
    key: Uuid,
}

const FORM: &str = "opening";

async fn page(app: &App, viewer: &Viewer, liking: Liking, slip: Slip, status: StatusCode) -> Result<HttpResponse, Failure> {
    let engines = library::engines(&app.db, viewer).await?.into_iter().map(|(id, name)| (id.to_string(), name)).collect();
    let vehicles = library::vehicles(&app.db, viewer).await?.into_iter().map(|v| (v.tag, v.description)).collect();
    let page = Page { chrome: Chrome::of(viewer, liking, "New job"), engines, vehicles, slip, key: Uuid::new_v4() };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

/// Shows the form.
pub async fn show(app: web::Data<App>, who: SignedIn, liking: Liking) -> Result<HttpResponse, Failure> {
    page(&app, &who.0, liking, Slip::default(), StatusCode::OK).await
}

/// A text that must be there.
fn needed(slip: &mut Slip, name: &'static str, label: &'static str, typed: &str, limit: usize, example: &str) -> String {
    slip.keep(name, typed);
    let text = slip.take(name, field::text(label, typed, limit)).unwrap_or_default();
    if text.is_empty() && slip.problem(FORM, name).is_none() {
        slip.wrong(name, format!("{label}: nothing typed yet; for example “{example}”."));
    }
    text
}

/// Opens the job and goes to its intake.
pub async fn open(app: web::Data<App>, who: SignedIn, liking: Liking, form: web::Form<Typed>) -> Result<HttpResponse, Failure> {
    let form = form.into_inner();
    let mut slip = Slip::of(FORM);
    let tag = needed(&mut slip, "tag", "Plate or fleet number", &form.tag, 40, "TUG 4");
    let complaint = needed(&mut slip, "complaint", "Complaint", &form.complaint, 300, "Lamp at stops since the sump was off");
    slip.keep("description", &form.description);
    let description = slip.take("description", field::text("Vehicle", &form.description, 200)).unwrap_or_default();
    slip.keep("engine", &form.engine);
    let engine =
        slip.take("engine", Uuid::parse_str(&form.engine).map_err(|_| "Engine: choose one of the list, or add it in the library first."));
    let (true, Some(engine)) = (slip.is_clean(), engine) else {
        return page(&app, &who.0, liking, slip, StatusCode::UNPROCESSABLE_ENTITY).await;
    };
    let opening = jobs::Opening { tag: &tag, description: &description, engine, complaint: &complaint, submit_key: &form.key, at: None };
    let number = jobs::open(&app.db, &who.0, &opening).await?;
    Ok(HttpResponse::SeeOther().insert_header((header::LOCATION, format!("/jobs/{number}/intake"))).finish())
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/jobs", post().to(open)).route("/jobs/new", get().to(show));
}
