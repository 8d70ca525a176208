//! One's own account: where one is signed in, and the password.
use super::second_factor;
use crate::http::form::{FieldView, Form, Kind, Question, Sent};
use crate::http::{Failure, FormState, SESSION, SignedIn};
use crate::state::App;
use crate::ui::{Chrome, DisplayPreferences, show};
use actix_web::http::StatusCode;
use actix_web::http::header::LOCATION;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use uuid::Uuid;
use velvet_dial_core::rights::Role;
use velvet_dial_store::accounts::{self, Token, password};

static PASSWORD: Form = Form {
    name: "password",
    asks: &[
        Question::new("old", "Password until now", "", Kind::Secret),
        Question::new("new", "New password", "at least ten characters, for example four words", Kind::Secret),
    ],
};

static PIN: Form = Form {
    name: "pin",
    asks: &[Question::new("old", "Password", "", Kind::Secret), Question::new("pin", "PIN", "four to eight digits", Kind::Secret)],
};

static FACTOR: Form = Form { name: "factor", asks: &[Question::new("code", "Code", "of the phone, or a recovery code", Kind::Text(40))] };

/// Somewhere one is signed in.
struct Session {
    id: String,
    agent: String,
    address: String,
    since: String,
    this: bool,
}

#[derive(Template)]
#[template(path = "account/me.html")]
struct Page {
    chrome: Chrome,
    name: String,
    role: &'static str,
    owner: bool,
    sessions: Vec<Session>,
    fields: Vec<FieldView>,
    pin_fields: Vec<FieldView>,
    has_pin: bool,
    /// Recovery codes that are left, where there is a second factor.
    codes_left: Option<usize>,
    factor_fields: Vec<FieldView>,
    /// What was changed by the form before.
    changed: &'static str,
}

pub fn held(request: &HttpRequest) -> Token {
    Token::from_cookie(request.cookie(SESSION).map(|cookie| cookie.value().to_owned()).unwrap_or_default().as_str())
}

async fn page(
    (app, who, request): (&App, &SignedIn, &HttpRequest),
    preferences: DisplayPreferences,
    form_state: &FormState,
    changed: &'static str,
) -> Result<HttpResponse, Failure> {
    let viewer = &who.0;
    let sessions = accounts::sessions(&app.db, viewer, &held(request)).await?;
    let session = |one: accounts::OpenSession| Session {
        id: one.id.to_string(),
        agent: browser(&one.agent),
        address: one.address,
        since: show::moment(one.since, &viewer.zone),
        this: one.this,
    };
    let status = if form_state.is_clean() { StatusCode::OK } else { StatusCode::UNPROCESSABLE_ENTITY };
    let page = Page {
        chrome: Chrome::of(viewer, preferences, "My account"),
        name: viewer.shown_name.clone(),
        role: viewer.role.label(),
        owner: viewer.role == Role::Owner,
        sessions: sessions.into_iter().map(session).collect(),
        fields: PASSWORD.draw(form_state, preferences.unit, |_| Vec::new()),
        pin_fields: PIN.draw(form_state, preferences.unit, |_| Vec::new()),
        has_pin: accounts::has_pin(&app.db, viewer).await?,
        codes_left: accounts::second_factor(&app.db, viewer).await?.map(|factor| factor.codes_left),
        factor_fields: FACTOR.draw(form_state, preferences.unit, |_| Vec::new()),
        changed,
    };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

/// What a browser calls itself, shortly: its last words name it, those in brackets its device.
fn browser(agent: &str) -> String {
    let device = agent.split_once('(').and_then(|(_, rest)| rest.split_once(')')).map_or("", |(device, _)| device);
    let device = device.split(';').next().unwrap_or_default().trim();
    let name = agent.rsplit(' ').find(|word| !word.starts_with("Safari/") && word.contains('/')).unwrap_or(agent);
    let name = name.split('/').next().unwrap_or_default();
    [name, device].into_iter().filter(|word| !word.is_empty()).collect::<Vec<_>>().join(", ")
}

/// Shows it.
pub async fn show_page(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    request: HttpRequest,
) -> Result<HttpResponse, Failure> {
    page((&app, &who, &request), preferences, &FormState::of(PASSWORD.name), "").await
}

/// Ends one session.
pub async fn end(app: web::Data<App>, who: SignedIn, path: web::Path<Uuid>) -> Result<HttpResponse, Failure> {
    accounts::end_session(&app.db, &who.0, *path).await?;
    Ok(HttpResponse::SeeOther().insert_header((LOCATION, "/me")).finish())
}

/// Changes the password.
pub async fn change_password(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    request: HttpRequest,
    form: web::Form<Sent>,
) -> Result<HttpResponse, Failure> {
    let mut form_state = FormState::of(PASSWORD.name);
    let typed = |name: &str| form.get(name).map_or("", String::as_str);
    if let Some(seconds) = accounts::wait_s(&app.db, &who.0.user.to_string(), "own password").await? {
        form_state.wrong("old", format!("Too many tries. Wait {seconds} seconds, then try again."));
    } else if let Some(complaint) = password::complaint(typed("new"), &[&who.0.shown_name]) {
        form_state.wrong("new", complaint);
    } else if !accounts::change_password(&app.db, &who.0, &held(&request), (typed("old"), typed("new"))).await? {
        form_state.wrong("old", "This is not your password until now. Capitals count.");
    }
    let changed = if form_state.is_clean() { "password" } else { "" };
    page((&app, &who, &request), preferences, &form_state, changed).await
}

/// Sets a PIN for the shop's tablets; the password says that it is one's own.
pub async fn set_pin(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    request: HttpRequest,
    form: web::Form<Sent>,
) -> Result<HttpResponse, Failure> {
    let mut form_state = FormState::of(PIN.name);
    let typed = |name: &str| form.get(name).map_or("", |text| text.trim());
    if let Some(seconds) = accounts::wait_s(&app.db, &who.0.user.to_string(), "own password").await? {
        form_state.wrong("old", format!("Too many tries. Wait {seconds} seconds, then try again."));
    } else if let Some(complaint) = accounts::pin_complaint(typed("pin")) {
        form_state.wrong("pin", complaint);
    } else if !accounts::set_pin(&app.db, &who.0, (form.get("old").map_or("", String::as_str), typed("pin"))).await? {
        form_state.wrong("old", "This is not your password. Capitals count.");
    }
    let changed = if form_state.is_clean() { "pin" } else { "" };
    page((&app, &who, &request), preferences, &form_state, changed).await
}

/// Goes without a second factor, where the code is right.
pub async fn remove_second_factor(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    request: HttpRequest,
    form: web::Form<Sent>,
) -> Result<HttpResponse, Failure> {
    let mut form_state = FormState::of(FACTOR.name);
    if let Some(why) = second_factor::remove(&app, &who, form.get("code").map_or("", String::as_str)).await? {
        form_state.wrong("code", why);
    }
    let changed = if form_state.is_clean() { "factor" } else { "" };
    page((&app, &who, &request), preferences, &form_state, changed).await
}

#[cfg(test)]
mod tests {
    use super::browser;

    #[test]
    fn a_browser_is_named_shortly() {
        let tablet = "Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Someone/120.0 Safari/537.36";
        assert_eq!(browser(tablet), "Someone, X11");
        assert_eq!(browser("curl/8.5"), "curl");
        assert_eq!(browser(""), "");
    }
}
