//! What is known of an engine family: entered with its source, and taken back.
use super::engine::home;
use super::form::PATTERN;
use super::{Editing, page};
use crate::http::form::{Read, Sent};
use crate::http::{Failure, FormState, SignedIn};
use crate::state::App;
use crate::ui::{DisplayPreferences, show};
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use uuid::Uuid;
use velvet_dial_core::experience::KnownPattern;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_store::library::{self, Entered};

/// The form of a pattern that is not entered yet.
pub fn empty(family: &str) -> FormState {
    let mut form_state = FormState::of(PATTERN.name);
    form_state.keep("family", family);
    form_state.keep("times", "3");
    form_state
}

/// Enters a pattern.
pub async fn add(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    form: web::Form<Sent>,
) -> Result<HttpResponse, Failure> {
    let mut read = Read::of(&PATTERN, &form, preferences.unit);
    let family = read.raw("family").trim().to_owned();
    let (times, cases) = (read.number("times"), read.number("cases").map(|cases| cases.round() as u32));
    let source = read.text("source");
    let cause = knowledge().cause(read.raw("cause")).and_then(|index| knowledge().causes.get(index)).ok_or(Failure::NoPage)?;
    if let Some(times) = times.filter(|_| read.form_state.is_clean()) {
        let pattern = KnownPattern { cause: cause.id.clone(), times, cases, source };
        if times > pattern.most() {
            let most = show::plain(pattern.most());
            read.form_state.wrong(
                "times",
                format!("How many times as likely: {most} at most, unless it was counted in more cases. Say in how many it was counted."),
            );
            let editing = Editing { pattern: Some(read.form_state), ..Editing::default() };
            return page(&app, &who.0, preferences, editing, StatusCode::UNPROCESSABLE_ENTITY).await;
        }
        let wrong = match library::add_pattern(&app.db, &who.0, &family, &pattern).await? {
            Entered::Stands => return Ok(home(&PATTERN, &form, preferences)),
            Entered::NoFamily => "No engine of the library is of this family by now. Give one its family first.",
            Entered::Twice => "This family has a pattern of this cause already. Take that one back first, so that it does not count twice.",
        };
        read.form_state.wrong("cause", wrong);
    }
    let editing = Editing { pattern: Some(read.form_state), ..Editing::default() };
    page(&app, &who.0, preferences, editing, StatusCode::UNPROCESSABLE_ENTITY).await
}

/// Takes one back.
pub async fn retire(app: web::Data<App>, who: SignedIn, path: web::Path<Uuid>) -> Result<HttpResponse, Failure> {
    library::retire_pattern(&app.db, &who.0, *path).await?;
    Ok(HttpResponse::SeeOther().insert_header(("location", "/library")).finish())
}
