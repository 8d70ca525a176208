//! A second factor: setting it up, and the code at the door.
use super::me::held;
use super::sign_in::leads_home;
use crate::http::form::{FieldView, Form, Kind, Question, Sent};
use crate::http::{Failure, FormState, SignedIn};
use crate::state::App;
use crate::ui::{Chrome, DisplayPreferences};
use actix_web::http::StatusCode;
use actix_web::http::header::LOCATION;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use velvet_dial_store::accounts::{self, Passed, SetUp};

static CODE: Form = Form { name: "code", asks: &[Question::new("code", "Code", "six digits, as the phone shows them", Kind::Text(40))] };

const WRONG: &str = "This code is not right. A code of the phone holds for half a minute and counts once; check the phone's clock.";

#[derive(Template)]
#[template(path = "account/second_factor.html")]
struct SetUpPage {
    chrome: Chrome,
    /// What the phone is given; none once it counts.
    set_up: Option<SetUp>,
    /// The code for its camera, drawn.
    picture: String,
    fields: Vec<FieldView>,
    /// The recovery codes, once.
    codes: Vec<String>,
}

fn back() -> HttpResponse {
    HttpResponse::SeeOther().insert_header((LOCATION, "/me#second-factor")).finish()
}

async fn shop_name(app: &App, who: &SignedIn) -> Result<String, Failure> {
    Ok(accounts::shop(&app.db, &who.0).await?.name)
}

fn page(
    who: &SignedIn,
    preferences: DisplayPreferences,
    set_up: Option<SetUp>,
    codes: Vec<String>,
    form_state: &FormState,
) -> Result<HttpResponse, Failure> {
    let status = if form_state.is_clean() { StatusCode::OK } else { StatusCode::UNPROCESSABLE_ENTITY };
    let page = SetUpPage {
        chrome: Chrome::of(&who.0, preferences, "Second factor"),
        picture: set_up.as_ref().and_then(|set_up| velvet_dial_report::code(&set_up.uri)).unwrap_or_default(),
        set_up,
        fields: CODE.draw(form_state, preferences.unit, |_| Vec::new()),
        codes,
    };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

/// Gives the phone its secret.
pub async fn begin(app: web::Data<App>, who: SignedIn, preferences: DisplayPreferences) -> Result<HttpResponse, Failure> {
    match accounts::begin_second_factor(&app.db, &who.0, &shop_name(&app, &who).await?).await? {
        Some(set_up) => page(&who, preferences, Some(set_up), Vec::new(), &FormState::of(CODE.name)),
        None => Ok(back()),
    }
}

/// Makes it count: the recovery codes are in this answer alone.
pub async fn confirm(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    request: HttpRequest,
    form: web::Form<Sent>,
) -> Result<HttpResponse, Failure> {
    let typed = form.get("code").map_or("", String::as_str);
    let mut form_state = FormState::of(CODE.name);
    if let Some(codes) = accounts::confirm_second_factor(&app.db, &who.0, &held(&request), typed).await? {
        return page(&who, preferences, None, codes, &form_state);
    }
    match accounts::second_factor_again(&app.db, &who.0, &shop_name(&app, &who).await?).await? {
        Some(set_up) => {
            form_state.wrong("code", WRONG);
            page(&who, preferences, Some(set_up), Vec::new(), &form_state)
        }
        None => Ok(back()),
    }
}

/// Goes without from now on; why not, where the code is not right.
pub async fn remove(app: &App, who: &SignedIn, typed: &str) -> Result<Option<String>, Failure> {
    Ok(refused(accounts::remove_second_factor(&app.db, &who.0, typed).await?))
}

fn refused(passed: Passed) -> Option<String> {
    match passed {
        Passed::In => None,
        Passed::Wrong | Passed::Nobody => Some(WRONG.to_owned()),
        Passed::Wait(seconds) => Some(format!("Too many tries. Wait {seconds} seconds, then try again.")),
    }
}

#[derive(Template)]
#[template(path = "account/code.html")]
struct CodePage {
    chrome: Chrome,
    back: String,
    problem: String,
}

/// Where to go afterwards, and the code.
#[derive(Deserialize, Default)]
#[serde(default)]
pub struct Typed {
    back: String,
    code: String,
}

fn code_page(preferences: DisplayPreferences, back: String, problem: String) -> Result<HttpResponse, Failure> {
    let status = if problem.is_empty() { StatusCode::OK } else { StatusCode::UNPROCESSABLE_ENTITY };
    let page = CodePage { chrome: Chrome::bare("Code").lit(preferences), back, problem };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

/// Asks for the code.
pub async fn ask(preferences: DisplayPreferences, query: web::Query<Typed>) -> Result<HttpResponse, Failure> {
    code_page(preferences, query.into_inner().back, String::new())
}

/// Lets in who has the phone, or a recovery code.
pub async fn enter(
    app: web::Data<App>,
    preferences: DisplayPreferences,
    request: HttpRequest,
    form: web::Form<Typed>,
) -> Result<HttpResponse, Failure> {
    let Typed { back, code } = form.into_inner();
    match accounts::pass_code(&app.db, &held(&request), &code).await? {
        Passed::Nobody => Ok(HttpResponse::SeeOther().insert_header((LOCATION, "/sign-in")).finish()),
        passed => match refused(passed) {
            Some(problem) => {
                tracing::warn!("a second factor was refused");
                code_page(preferences, back, problem)
            }
            None => {
                let to = if leads_home(&back) { back } else { "/".to_owned() };
                Ok(HttpResponse::SeeOther().insert_header((LOCATION, to)).finish())
            }
        },
    }
}
