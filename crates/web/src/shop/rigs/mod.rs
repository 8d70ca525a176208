//! The shop's rigs: paired by a token that is shown once, where each is, and how to reach the server.
use crate::http::form::{self, Choice, Form, Kind, Question, Read};
use crate::http::{Failure, SignedIn};
use crate::state::App;
use crate::ui::field::FieldView as Field;
use crate::ui::{Chrome, DisplayPreferences, Place, show};
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::web::{self, ServiceConfig, get, post};
use askama::Template;
use serde::Deserialize;
use uuid::Uuid;
use velvet_dial_store::library;
use velvet_dial_store::rigs::{self, Rig};

/// A rig to be paired.
static FORM: Form = Form {
    name: "pairing",
    asks: &[
        Question::new("name", "Name of the data logger", "one word, as typed into the data logger", Kind::Needed(40, "nothing typed yet.")),
        Question::new("gauge", "It reads with", "", Kind::Choice),
    ],
};

/// A rig in the list.
pub struct Row {
    pub id: String,
    pub name: String,
    /// Key of its gauge; empty for one that is not in the list.
    pub gauge: String,
    pub state: String,
    pub on: bool,
    pub job: Option<i64>,
}

/// What is shown once after a pairing.
pub struct Paired {
    pub name: String,
    pub token: String,
}

#[derive(Template)]
#[template(path = "shop/rigs/rigs.html")]
struct Page {
    chrome: Chrome,
    rows: Vec<Row>,
    gauges: Vec<Choice>,
    fields: Vec<Field>,
    paired: Option<Paired>,
    /// Where rigs call; empty where the server listens for none.
    address: String,
}

async fn page(
    app: &App,
    who: &SignedIn,
    preferences: DisplayPreferences,
    form_state: crate::http::FormState,
    paired: Option<Paired>,
) -> Result<HttpResponse, Failure> {
    let gauges = library::gauges(&app.db, &who.0).await?;
    let rows = rigs::rigs(&app.db, &who.0).await?.into_iter().map(|rig| row(app, who, rig)).collect();
    let choices = |_: &str| -> Vec<Choice> {
        let none = Choice { id: String::new(), label: "a gauge that is not in the list".to_owned() };
        std::iter::once(none).chain(gauges.iter().map(|gauge| Choice { id: gauge.id.to_string(), label: gauge.name.clone() })).collect()
    };
    let status = if form_state.is_clean() { StatusCode::OK } else { StatusCode::UNPROCESSABLE_ENTITY };
    let page = Page {
        chrome: Chrome::of(&who.0, preferences, "Rigs").at(Place::Loggers),
        rows,
        gauges: choices("gauge"),
        fields: FORM.draw(&form_state, preferences.unit, choices),
        paired,
        address: app.serving.rigs_at.map(|at| at.to_string()).unwrap_or_default(),
    };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

fn row(app: &App, who: &SignedIn, rig: Rig) -> Row {
    let linked = app.hub.rig(rig.id).filter(|linked| linked.told().on);
    let state = match (&linked, rig.seen_at) {
        (Some(_), _) => "linked now".to_owned(),
        (None, Some(at)) => format!("last called {}", show::moment(at, &who.0.zone)),
        (None, None) => "never called yet".to_owned(),
    };
    Row {
        id: rig.id.to_string(),
        name: rig.name,
        gauge: rig.gauge.map(|gauge| gauge.to_string()).unwrap_or_default(),
        state,
        on: linked.is_some(),
        job: rig.job,
    }
}

/// Shows them.
pub async fn show(app: web::Data<App>, who: SignedIn, preferences: DisplayPreferences) -> Result<HttpResponse, Failure> {
    page(&app, &who, preferences, crate::http::FormState::default(), None).await
}

/// Pairs one: its token is in this answer alone.
pub async fn pair(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    form: web::Form<form::Sent>,
) -> Result<HttpResponse, Failure> {
    let mut typed = Read::of(&FORM, &form, preferences.unit);
    let name = typed.text("name");
    if name.contains(char::is_whitespace) {
        typed.form_state.wrong("name", "Name of the data logger: one word without spaces, for example green-cart.");
    }
    let gauge = Uuid::parse_str(typed.raw("gauge")).ok();
    if typed.form_state.is_clean() {
        if let Some((_, token)) = rigs::pair(&app.db, &who.0, &name, gauge).await? {
            return page(&app, &who, preferences, crate::http::FormState::default(), Some(Paired { name, token })).await;
        }
        typed.form_state.wrong("name", "Name of the data logger: one with this name is paired already. Unpair it, or choose another name.");
    }
    page(&app, &who, preferences, typed.form_state, None).await
}

/// Gives one a new token.
pub async fn pair_again(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    path: web::Path<Uuid>,
) -> Result<HttpResponse, Failure> {
    let token = rigs::pair_again(&app.db, &who.0, *path).await?;
    app.hub.end(*path, "this data logger has a new token; pair it again");
    let name = rigs::rigs(&app.db, &who.0).await?.into_iter().find(|rig| rig.id == *path).map(|rig| rig.name).unwrap_or_default();
    page(&app, &who, preferences, crate::http::FormState::default(), Some(Paired { name, token })).await
}

/// The gauge that one reads with.
#[derive(Deserialize)]
pub struct Fitted {
    #[serde(default)]
    gauge: String,
}

/// Gives one another gauge; it is let in again as soon as it is restarted.
pub async fn gauge(app: web::Data<App>, who: SignedIn, path: web::Path<Uuid>, form: web::Form<Fitted>) -> Result<HttpResponse, Failure> {
    let gauge = if form.gauge.is_empty() { None } else { Some(Uuid::parse_str(&form.gauge).map_err(|_| Failure::NoPage)?) };
    rigs::set_gauge(&app.db, &who.0, *path, gauge).await?;
    app.hub.end(*path, "the gauge of this data logger was changed; restart it, which begins a new run");
    Ok(form::taken(FORM.name, "/rigs"))
}

/// Lets one in no more.
pub async fn unpair(app: web::Data<App>, who: SignedIn, path: web::Path<Uuid>) -> Result<HttpResponse, Failure> {
    rigs::unpair(&app.db, &who.0, *path).await?;
    app.hub.end(*path, "this data logger was unpaired; pair it on the page “Data loggers”");
    Ok(form::taken(FORM.name, "/rigs"))
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config
        .route("/rigs", get().to(show))
        .route("/rigs", post().to(pair))
        .route("/rigs/{rig}/token", post().to(pair_again))
        .route("/rigs/{rig}/gauge", post().to(gauge))
        .route("/rigs/{rig}/unpair", post().to(unpair));
}
