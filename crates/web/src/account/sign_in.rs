//! In and out.
use crate::http::Failure;
use crate::http::{SESSION, address, agent};
use crate::state::App;
use crate::ui::Chrome;
use crate::ui::DisplayPreferences;
use crate::ui::show;
use actix_web::cookie::{Cookie, SameSite, time};
use actix_web::http::{StatusCode, header};
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use velvet_dial_store::accounts::{self, Credentials, SESSION_HOURS, Token};

#[derive(Template)]
#[template(path = "account/sign_in.html")]
struct Page {
    chrome: Chrome,
    name: String,
    back: String,
    problem: String,
    demo: bool,
    /// Nobody can sign in yet.
    first_day: bool,
}

/// Where to go afterwards.
#[derive(Deserialize)]
pub struct Back {
    #[serde(default)]
    back: String,
}

/// The form.
#[derive(Deserialize, Default)]
#[serde(default)]
pub struct Typed {
    name: String,
    password: String,
    back: String,
}

fn page(
    app: &App,
    preferences: DisplayPreferences,
    name: String,
    back: String,
    problem: String,
    status: StatusCode,
) -> Result<HttpResponse, Failure> {
    let chrome = Chrome::bare("Sign in").lit(preferences);
    let page = Page { chrome, name, back, problem, demo: app.serving.demo, first_day: app.first_code.is_open() };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

/// Shows the form.
pub async fn show(app: web::Data<App>, preferences: DisplayPreferences, query: web::Query<Back>) -> Result<HttpResponse, Failure> {
    page(&app, preferences, String::new(), query.into_inner().back, String::new(), StatusCode::OK)
}

/// Lets in who knows the password.
pub async fn enter(
    app: web::Data<App>,
    preferences: DisplayPreferences,
    request: HttpRequest,
    form: web::Form<Typed>,
) -> Result<HttpResponse, Failure> {
    let form = form.into_inner();
    let address = address(&request, &app);
    if let Some(seconds) = accounts::wait_s(&app.db, &form.name, &address).await? {
        tracing::warn!(%address, "a sign-in was put off: too many tries");
        let problem = format!("Too many tries. Wait {seconds} seconds, then try again.");
        return page(&app, preferences, form.name, form.back, problem, StatusCode::TOO_MANY_REQUESTS);
    }
    let credentials =
        Credentials { name: &form.name, password: &form.password, agent: agent(&request), address: &address, demo: app.serving.demo };
    let Some(token) = accounts::sign_in(&app.db, &credentials).await? else {
        tracing::warn!(%address, "a sign-in was refused");
        let problem = "Name and password do not belong together. Check both; capitals count in the password.".to_owned();
        return page(&app, preferences, form.name, form.back, problem, StatusCode::UNPROCESSABLE_ENTITY);
    };
    let to = if leads_home(&form.back) { form.back } else { "/".to_owned() };
    if accounts::awaits_code(&app.db, &token).await? {
        return let_in(&app, &token, &format!("/sign-in/code?back={}", show::query_escape(&to)));
    }
    let_in(&app, &token, &to)
}

/// Gives the browser its session, and sends it on.
pub fn let_in(app: &App, token: &Token, to: &str) -> Result<HttpResponse, Failure> {
    let mut response = HttpResponse::SeeOther().insert_header((header::LOCATION, to)).finish();
    response.add_cookie(&cookie(app, token.expose().to_owned(), time::Duration::hours(SESSION_HOURS)))?;
    Ok(response)
}

/// Ends the session.
pub async fn leave(app: web::Data<App>, request: HttpRequest) -> Result<HttpResponse, Failure> {
    if let Some(held) = request.cookie(SESSION) {
        accounts::sign_out(&app.db, &Token::from_cookie(held.value()), false).await?;
    }
    let mut response = HttpResponse::SeeOther().insert_header((header::LOCATION, "/sign-in")).finish();
    response.add_cookie(&cookie(&app, String::new(), time::Duration::ZERO))?;
    Ok(response)
}

/// A path on this site, not an address elsewhere in disguise.
pub fn leads_home(back: &str) -> bool {
    back.starts_with('/') && !back.starts_with("//") && !back.contains('\\') && back.chars().all(|c| c.is_ascii_graphic())
}

fn cookie(app: &App, value: String, age: time::Duration) -> Cookie<'static> {
    Cookie::build(SESSION, value)
        .path("/")
        .http_only(true)
        .same_site(SameSite::Lax)
        .secure(app.serving.secure_cookies)
        .max_age(age)
        .finish()
}
