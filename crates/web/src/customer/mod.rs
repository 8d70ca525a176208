//! Pages without signing in: checking a printed report ([`check`]), and the customer's: what is proposed, and yes, no or a question, by a link and without signing in. Guessing is slowed down by address; what is logged leaves the token out.
mod check;

use crate::http::form::{self, FieldView as Field, Form, Kind, Question, Read};
use crate::http::{Failure, FormState, address};
use crate::state::App;
use crate::ui::{Chrome, DisplayPreferences};
use actix_web::http::StatusCode;
use actix_web::web::{self, ServiceConfig, get, post};
use actix_web::{HttpRequest, HttpResponse};
use askama::Template;
use velvet_dial_core::unit::Pressure;
use velvet_dial_store::accounts;
use velvet_dial_store::jobs::{self, Answer, Answered, CustomerQuestion, Link, LinkState};

/// What the customer says.
static ANSWER: Form = Form {
    name: "answer",
    asks: &[
        Question::new("name", "Your name", "", Kind::Needed(80, "write your name, so that the shop knows who answered.")),
        Question::new("words", "A question, or why not", "if you like", Kind::Lines(500)),
    ],
};

#[derive(Template)]
#[template(path = "customer/customer.html")]
struct Page {
    chrome: Chrome,
    link: Option<Link>,
    /// What is said where it cannot be answered, or was.
    told: String,
    token: String,
    up_to: String,
    /// What the customer asked, with the shop's answers.
    questions: Vec<CustomerQuestion>,
    fields: Vec<Field>,
}

fn cannot(state: LinkState) -> &'static str {
    match state {
        LinkState::Open => "",
        LinkState::Answered => "Thank you. The shop has your answer. To change it, call the shop.",
        LinkState::Expired => "This link has expired. Ask the shop for a new one.",
        LinkState::Revoked => {
            "This link has expired: the shop has sent a newer one, withdrawn it or finished the job. Call the shop if you want to answer."
        }
    }
}

const NONE: &str = "This link is not valid. Check that you copied all of it, or ask the shop for a new one.";

fn page(
    preferences: DisplayPreferences,
    token: String,
    link: Option<Link>,
    told: String,
    (questions, fields): (Vec<CustomerQuestion>, Vec<Field>),
    status: StatusCode,
) -> Result<HttpResponse, Failure> {
    let up_to =
        link.as_ref().and_then(|link| link.proposal.up_to.map(|up_to| format!("{up_to:.0} {}", link.proposal.money))).unwrap_or_default();
    let chrome = Chrome::bare("Your vehicle").lit(preferences);
    let page = Page { chrome, link, told, token, up_to: up_to.trim().to_owned(), questions, fields };
    Ok(HttpResponse::build(status)
        .content_type("text/html; charset=utf-8")
        .insert_header(("cache-control", "no-store"))
        .body(page.render()?))
}

/// Guessing is slowed down: too many links from one address that are not valid. A valid link always opens.
async fn put_off(app: &App, request: &HttpRequest) -> Result<Option<String>, Failure> {
    let from = address(request, app);
    let Some(seconds) = accounts::link_wait_s(&app.db, &from).await? else { return Ok(None) };
    tracing::warn!(address = %from, "a customer's link was put off: too many tries");
    Ok(Some(format!("Too many tries from here. Wait {seconds} seconds, then try again.")))
}

/// What is said of a token that no link has.
async fn not_valid(app: &App, request: &HttpRequest, preferences: DisplayPreferences, token: String) -> Result<HttpResponse, Failure> {
    if let Some(told) = put_off(app, request).await? {
        return page(preferences, token, None, told, (Vec::new(), Vec::new()), StatusCode::TOO_MANY_REQUESTS);
    }
    tracing::warn!(address = %address(request, app), "a customer's link that is not valid");
    page(preferences, token, None, NONE.to_owned(), (Vec::new(), Vec::new()), StatusCode::NOT_FOUND)
}

fn fields(form_state: &FormState) -> Vec<Field> {
    ANSWER.draw(form_state, Pressure::Kpa.into(), |_| Vec::new())
}

/// Shows what is proposed.
async fn show(
    app: web::Data<App>,
    preferences: DisplayPreferences,
    request: HttpRequest,
    token: web::Path<String>,
) -> Result<HttpResponse, Failure> {
    let token = token.into_inner();
    let Some(link) = jobs::link_of(&app.db, &token).await? else { return not_valid(&app, &request, preferences, token).await };
    tracing::info!(link = %link.id, state = ?link.state, "a customer's link was opened");
    let told = cannot(link.state).to_owned();
    let status = if link.state == LinkState::Open || link.state == LinkState::Answered { StatusCode::OK } else { StatusCode::GONE };
    let questions = jobs::questions_of(&app.db, &token).await?;
    page(preferences, token, Some(link), told, (questions, fields(&FormState::default())), status)
}

/// Takes the answer.
async fn answer(
    app: web::Data<App>,
    preferences: DisplayPreferences,
    request: HttpRequest,
    token: web::Path<String>,
    form: web::Form<form::Sent>,
) -> Result<HttpResponse, Failure> {
    let token = token.into_inner();
    let mut typed = Read::of(&ANSWER, &form, Pressure::Kpa.into());
    let (name, words) = (typed.text("name"), typed.text("words"));
    let said = match form.get("say").map(String::as_str) {
        Some("yes") => Some(Answer::Yes { name }),
        Some("no") => Some(Answer::No { name, words }),
        Some("question") => {
            if words.is_empty() {
                typed.form_state.wrong("words", "No question typed yet: write it here, and the shop will answer you.");
            }
            Some(Answer::Question { name, words })
        }
        _ => None,
    };
    let Some(said) = said else { return Err(Failure::Form("this answer is not approve, decline or ask".to_owned())) };
    if !typed.form_state.is_clean() {
        let Some(link) = jobs::link_of(&app.db, &token).await? else { return not_valid(&app, &request, preferences, token).await };
        let questions = jobs::questions_of(&app.db, &token).await?;
        let form = (questions, fields(&typed.form_state));
        return page(preferences, token, Some(link), String::new(), form, StatusCode::UNPROCESSABLE_ENTITY);
    }
    let what = match said {
        Answer::Question { .. } => "question",
        Answer::Yes { .. } => "yes",
        Answer::No { .. } => "no",
    };
    let Some(answered) = jobs::answer_link(&app.db, &token, &said).await? else {
        return not_valid(&app, &request, preferences, token).await;
    };
    tracing::info!(address = %address(&request, &app), answer = what, became = ?answered, "a customer answered by a link");
    let link = jobs::link_of(&app.db, &token).await?;
    let (told, status) = match answered {
        Answered::Written if what == "question" => {
            ("The shop has your question. The answer will appear on this page. You can still approve or decline here.", StatusCode::OK)
        }
        Answered::Written => (cannot(LinkState::Answered), StatusCode::OK),
        Answered::TooMany => ("So many questions are better asked by phone: call the shop.", StatusCode::UNPROCESSABLE_ENTITY),
        Answered::Busy => ("Your answer was not saved. Try again in a minute, or call the shop.", StatusCode::SERVICE_UNAVAILABLE),
        Answered::Not(state) => (cannot(state), StatusCode::GONE),
    };
    let questions = jobs::questions_of(&app.db, &token).await?;
    page(preferences, token, link, told.to_owned(), (questions, fields(&FormState::default())), status)
}

/// Its address.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/yes/{token}", get().to(show)).route("/yes/{token}", post().to(answer)).configure(check::routes);
}
