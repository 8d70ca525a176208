//! Somebody who is new: the owner of a first shop, by the code of its first day, or one who was invited, by their link.
use super::sign_in::let_in;
use crate::http::form::{FieldView, Form, Kind, Question, Read, Sent};
use crate::http::{Failure, FormState, SESSION, address, agent};
use crate::state::App;
use crate::ui::{Chrome, DisplayPreferences};
use actix_web::http::StatusCode;
use actix_web::http::header::LOCATION;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use velvet_dial_core::rights::Role;
use velvet_dial_core::unit::Pressure;
use velvet_dial_store::accounts::{self, Invitation, Joined, NewUser, Shop, Token, password};

const SIGN_IN: Question = Question::new(
    "sign_in",
    "Sign-in name",
    "short, what you type each morning",
    Kind::Needed(60, "choose one, for example your first name."),
);
const PASSWORD: Question = Question::new("password", "Password", "at least ten characters, for example four words", Kind::Secret);

/// The first shop and its owner.
static FIRST: Form = Form {
    name: "first",
    asks: &[
        Question::new(
            "code",
            "Code",
            "as the server printed it when it started",
            Kind::Needed(40, "the server printed it when it started: three groups of four."),
        ),
        Question::new("shop", "Shop", "as the report names it", Kind::Needed(120, "nothing typed yet; the report names it.")),
        Question::new("shown_name", "Your name", "as others see it", Kind::Needed(120, "nothing typed yet; it stands at what you write.")),
        SIGN_IN,
        PASSWORD,
    ],
};
/// One who was invited.
static JOIN: Form = Form { name: "join", asks: &[SIGN_IN, PASSWORD] };

const TAKEN: &str = "Sign-in name: somebody has this name already. Choose another.";

#[derive(Template)]
#[template(path = "account/first_shop.html")]
struct FirstPage {
    chrome: Chrome,
    fields: Vec<FieldView>,
}

#[derive(Template)]
#[template(path = "account/join.html")]
struct JoinPage {
    chrome: Chrome,
    invitation: Option<Invitation>,
    token: String,
    /// What is said where it cannot be used.
    told: String,
    fields: Vec<FieldView>,
}

fn fields(form: &Form, form_state: &FormState) -> Vec<FieldView> {
    form.draw(form_state, Pressure::Kpa.into(), |_| Vec::new())
}

/// Name and password of somebody new, where both will do.
fn credentials(typed: &mut Read<'_>, sent: &Sent, names: &[&str]) -> Option<(String, String)> {
    let sign_in = accounts::normal_name(&typed.text("sign_in"));
    let password = sent.get("password").cloned().unwrap_or_default();
    let names: Vec<&str> = names.iter().copied().chain([sign_in.as_str()]).collect();
    if let Some(complaint) = password::complaint(&password, &names) {
        typed.form_state.wrong("password", complaint);
    }
    typed.form_state.is_clean().then_some((sign_in, password))
}

fn first_page(preferences: DisplayPreferences, form_state: &FormState, status: StatusCode) -> Result<HttpResponse, Failure> {
    let page = FirstPage { chrome: Chrome::bare("First day").lit(preferences), fields: fields(&FIRST, form_state) };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

/// The form for the first shop, while nobody can sign in; else the way to its path.
pub async fn first(app: web::Data<App>, preferences: DisplayPreferences, request: HttpRequest) -> Result<HttpResponse, Failure> {
    if !app.first_code.is_open() {
        let to = if request.cookie(SESSION).is_some() { "/first-day/path" } else { "/sign-in?back=/first-day/path" };
        return Ok(HttpResponse::SeeOther().insert_header((LOCATION, to)).finish());
    }
    first_page(preferences, &FormState::of(FIRST.name), StatusCode::OK)
}

/// Sets up the first shop and lets its owner in.
pub async fn set_up(
    app: web::Data<App>,
    preferences: DisplayPreferences,
    request: HttpRequest,
    form: web::Form<Sent>,
) -> Result<HttpResponse, Failure> {
    let mut typed = Read::of(&FIRST, &form, Pressure::Kpa.into());
    let (code, shop, shown_name) = (typed.text("code"), typed.text("shop"), typed.text("shown_name"));
    let credentials = credentials(&mut typed, &form, &[&shop, &shown_name]);
    let from = address(&request, &app);
    if let Some(seconds) = accounts::wait_s(&app.db, "first day", &from).await? {
        typed.form_state.wrong("code", format!("Too many tries. Wait {seconds} seconds, then try again."));
        return first_page(preferences, &typed.form_state, StatusCode::TOO_MANY_REQUESTS);
    }
    let Some((sign_in, password)) = credentials else {
        return first_page(preferences, &typed.form_state, StatusCode::UNPROCESSABLE_ENTITY);
    };
    let Some(taken) = app.first_code.take(&code) else {
        tracing::warn!(address = %from, "a first day was refused: not the code");
        typed.form_state.wrong("code", "Code: this is not the one that the server printed when it last started. Copy it from there.");
        return first_page(preferences, &typed.form_state, StatusCode::UNPROCESSABLE_ENTITY);
    };
    let says = Shop { name: shop, learns: true, ..Shop::default() };
    let owner = NewUser::of(Role::Owner, &sign_in, &shown_name, &password);
    let Some(viewer) = accounts::first_shop(&app.db, &says, &owner).await? else {
        // Somebody was set up by another way meanwhile: the code opens nothing any more.
        taken.use_up();
        return Ok(HttpResponse::SeeOther().insert_header((LOCATION, "/sign-in")).finish());
    };
    taken.use_up();
    let token = accounts::open_for(&app.db, viewer.user, agent(&request), &from).await?;
    let_in(&app, &token, "/first-day/path")
}

fn join_page(
    preferences: DisplayPreferences,
    (token, invitation): (String, Option<Invitation>),
    told: String,
    form_state: &FormState,
    status: StatusCode,
) -> Result<HttpResponse, Failure> {
    let page = JoinPage { chrome: Chrome::bare("Invitation").lit(preferences), invitation, token, told, fields: fields(&JOIN, form_state) };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

/// What is said of a link that opens nothing; guessing at links is slowed down.
async fn not_valid(app: &App, request: &HttpRequest, preferences: DisplayPreferences, token: String) -> Result<HttpResponse, Failure> {
    let (told, status) = match accounts::link_wait_s(&app.db, &address(request, app)).await? {
        Some(seconds) => (format!("Too many tries from here. Wait {seconds} seconds, then try again."), StatusCode::TOO_MANY_REQUESTS),
        None => {
            let told = "This link is not valid: it was used or withdrawn, or its week is over. Ask the shop for a new one.";
            (told.to_owned(), StatusCode::NOT_FOUND)
        }
    };
    join_page(preferences, (token, None), told, &FormState::of(JOIN.name), status)
}

/// Shows who is invited, to what.
pub async fn invited(
    app: web::Data<App>,
    preferences: DisplayPreferences,
    request: HttpRequest,
    token: web::Path<String>,
) -> Result<HttpResponse, Failure> {
    let token = token.into_inner();
    match accounts::invited(&app.db, &token).await? {
        Some(invitation) => join_page(preferences, (token, Some(invitation)), String::new(), &FormState::of(JOIN.name), StatusCode::OK),
        None => not_valid(&app, &request, preferences, token).await,
    }
}

/// Lets in who was invited.
pub async fn join(
    app: web::Data<App>,
    preferences: DisplayPreferences,
    request: HttpRequest,
    token: web::Path<String>,
    form: web::Form<Sent>,
) -> Result<HttpResponse, Failure> {
    let token = token.into_inner();
    let Some(invitation) = accounts::invited(&app.db, &token).await? else { return not_valid(&app, &request, preferences, token).await };
    let mut typed = Read::of(&JOIN, &form, Pressure::Kpa.into());
    if let Some((sign_in, password)) = credentials(&mut typed, &form, &[&invitation.shop, &invitation.shown_name]) {
        match accounts::join(&app.db, &token, &sign_in, &password).await? {
            Joined::In(viewer) => {
                let token: Token = accounts::open_for(&app.db, viewer.user, agent(&request), &address(&request, &app)).await?;
                return let_in(&app, &token, "/");
            }
            Joined::NameTaken => typed.form_state.wrong("sign_in", TAKEN),
            Joined::Over => return not_valid(&app, &request, preferences, token).await,
        }
    }
    join_page(preferences, (token, Some(invitation)), String::new(), &typed.form_state, StatusCode::UNPROCESSABLE_ENTITY)
}
