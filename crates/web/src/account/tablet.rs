//! Shared tablets: the page on which people change by a PIN, and the one on which an owner enrols this browser or takes one out.
use super::sign_in::let_in;
use crate::http::form::{FieldView, Form, Kind, Question, Read, Sent};
use crate::http::{Failure, FormState, SESSION, SignedIn, TABLET, address, agent, came_from};
use crate::state::App;
use crate::ui::{Chrome, DisplayPreferences, Place, show};
use actix_web::cookie::{Cookie, SameSite, time};
use actix_web::http::StatusCode;
use actix_web::http::header::LOCATION;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use uuid::Uuid;
use velvet_dial_store::accounts::{self, ByPin, Tablet, Token};

static ENROL: Form = Form {
    name: "tablet",
    asks: &[Question::new(
        "name",
        "Name",
        "to know it by, for example bay two",
        Kind::Needed(60, "nothing typed yet; a lost one is taken out by it."),
    )],
};

/// A tablet in the list.
struct Row {
    id: String,
    name: String,
    since: String,
    this: bool,
}

#[derive(Template)]
#[template(path = "account/tablets.html")]
struct TabletsPage {
    chrome: Chrome,
    rows: Vec<Row>,
    /// This browser is one.
    this: bool,
    fields: Vec<FieldView>,
}

#[derive(Template)]
#[template(path = "account/change_person.html")]
struct ChangePage {
    chrome: Chrome,
    tablet: String,
    people: Vec<(Uuid, String)>,
    /// Who was tapped.
    chosen: Option<(Uuid, String)>,
    problem: String,
    back: String,
}

/// Where to go afterwards.
#[derive(Deserialize, Default)]
#[serde(default)]
pub struct Back {
    back: String,
}

async fn this_tablet(app: &App, request: &HttpRequest) -> Result<Option<Tablet>, Failure> {
    match request.cookie(TABLET) {
        Some(held) => Ok(accounts::tablet_of(&app.db, held.value()).await?),
        None => Ok(None),
    }
}

async fn tablets_page(
    (app, who, request): (&App, &SignedIn, &HttpRequest),
    preferences: DisplayPreferences,
    form_state: &FormState,
) -> Result<HttpResponse, Failure> {
    let viewer = &who.0;
    let this = this_tablet(app, request).await?.filter(|tablet| tablet.shop == viewer.shop).map(|tablet| tablet.id);
    let row = |tablet: Tablet| Row {
        this: Some(tablet.id) == this,
        id: tablet.id.to_string(),
        name: tablet.name,
        since: show::moment_with_year(tablet.enrolled_at, &viewer.zone),
    };
    let page = TabletsPage {
        chrome: Chrome::of(viewer, preferences, "Shared tablets").at(Place::Settings),
        rows: accounts::tablets(&app.db, viewer).await?.into_iter().map(row).collect(),
        this: this.is_some(),
        fields: ENROL.draw(form_state, preferences.unit, |_| Vec::new()),
    };
    let status = if form_state.is_clean() { StatusCode::OK } else { StatusCode::UNPROCESSABLE_ENTITY };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

/// Shows the shop's tablets.
pub async fn tablets(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    request: HttpRequest,
) -> Result<HttpResponse, Failure> {
    tablets_page((&app, &who, &request), preferences, &FormState::of(ENROL.name)).await
}

/// Enrols this browser.
pub async fn enrol(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    request: HttpRequest,
    form: web::Form<Sent>,
) -> Result<HttpResponse, Failure> {
    let mut typed = Read::of(&ENROL, &form, preferences.unit);
    let name = typed.text("name");
    if !typed.form_state.is_clean() {
        return tablets_page((&app, &who, &request), preferences, &typed.form_state).await;
    }
    let token = accounts::enrol(&app.db, &who.0, &name).await?;
    let cookie = Cookie::build(TABLET, token)
        .path("/")
        .http_only(true)
        .same_site(SameSite::Lax)
        .secure(app.serving.secure_cookies)
        .max_age(time::Duration::days(365))
        .finish();
    Ok(HttpResponse::SeeOther().cookie(cookie).insert_header((LOCATION, "/tablets")).finish())
}

/// Takes one out.
pub async fn unenrol(app: web::Data<App>, who: SignedIn, path: web::Path<Uuid>) -> Result<HttpResponse, Failure> {
    accounts::unenrol(&app.db, &who.0, *path).await?;
    Ok(HttpResponse::SeeOther().insert_header((LOCATION, "/tablets")).finish())
}

fn change_page(
    preferences: DisplayPreferences,
    (tablet, people, chosen): (&Tablet, Vec<(Uuid, String)>, Option<Uuid>),
    (problem, back): (String, String),
    status: StatusCode,
) -> Result<HttpResponse, Failure> {
    let chosen = chosen.and_then(|id| people.iter().find(|(one, _)| *one == id).cloned());
    let chrome = Chrome::bare("Change person").lit(preferences);
    let page = ChangePage { chrome, tablet: tablet.name.clone(), people, chosen, problem, back };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

/// The people, to be tapped.
pub async fn people(
    app: web::Data<App>,
    preferences: DisplayPreferences,
    request: HttpRequest,
    asked: web::Query<Back>,
) -> Result<HttpResponse, Failure> {
    let Some(tablet) = this_tablet(&app, &request).await? else { return Err(Failure::NoPage) };
    let people = accounts::people_of_tablet(&app.db, &tablet).await?;
    // The next one goes on where the one before them was.
    let before = came_from(&request);
    let back = match asked.into_inner().back {
        back if back.is_empty() && !before.starts_with("/tablet") && !before.starts_with("/sign-in") => before,
        back => back,
    };
    change_page(preferences, (&tablet, people, None), (String::new(), back), StatusCode::OK)
}

/// The PIN of who was tapped.
pub async fn ask_pin(
    app: web::Data<App>,
    preferences: DisplayPreferences,
    request: HttpRequest,
    path: web::Path<Uuid>,
    asked: web::Query<Back>,
) -> Result<HttpResponse, Failure> {
    let Some(tablet) = this_tablet(&app, &request).await? else { return Err(Failure::NoPage) };
    let people = accounts::people_of_tablet(&app.db, &tablet).await?;
    change_page(preferences, (&tablet, people, Some(*path)), (String::new(), asked.into_inner().back), StatusCode::OK)
}

/// Changes the person: who was signed in on it by PIN is out.
pub async fn change(
    app: web::Data<App>,
    preferences: DisplayPreferences,
    request: HttpRequest,
    path: web::Path<Uuid>,
    form: web::Form<Sent>,
) -> Result<HttpResponse, Failure> {
    let Some(tablet) = this_tablet(&app, &request).await? else { return Err(Failure::NoPage) };
    let text = |name: &str| form.get(name).cloned().unwrap_or_default();
    let (pin, back) = (text("pin"), text("back"));
    let from = address(&request, &app);
    let problem = match accounts::by_pin(&app.db, &tablet, *path, pin.trim(), agent(&request), &from).await? {
        ByPin::In(token) => {
            if let Some(held) = request.cookie(SESSION) {
                accounts::sign_out(&app.db, &Token::from_cookie(held.value()), false).await?;
            }
            return let_in(&app, &token, if super::sign_in::leads_home(&back) { &back } else { "/" });
        }
        ByPin::Wrong => {
            tracing::warn!(tablet = %tablet.id, "a PIN was refused");
            "This is not the PIN. Try again, or sign in with the password.".to_owned()
        }
        ByPin::Wait(seconds) => format!("Too many tries. Wait {seconds} seconds, or sign in with the password."),
    };
    let people = accounts::people_of_tablet(&app.db, &tablet).await?;
    change_page(preferences, (&tablet, people, Some(*path)), (problem, back), StatusCode::UNPROCESSABLE_ENTITY)
}
