//! The people of the shop: what they are, who is invited, and the table of who may do what.
use crate::http::form::{Choice, FieldView, Form, Kind, Question, Read, Sent};
use crate::http::{Failure, FormState, SignedIn, origin};
use crate::state::App;
use crate::ui::{Chrome, DisplayPreferences, Place, show};
use actix_web::http::StatusCode;
use actix_web::http::header::LOCATION;
use actix_web::web::{self, ServiceConfig, get, post};
use actix_web::{HttpRequest, HttpResponse};
use askama::Template;
use uuid::Uuid;
use velvet_dial_core::rights::{Right, Role};
use velvet_dial_store::accounts::{self, Changed, INVITATION_DAYS};

static INVITE: Form = Form {
    name: "invite",
    asks: &[
        Question::new("shown_name", "Name", "as others see it", Kind::Needed(120, "nothing typed yet; it stands at what they write.")),
        Question::new("role", "Role", "", Kind::Choice),
    ],
};

const LAST_OWNER: &str = "A shop needs an owner. Make somebody else owner first.";

/// Somebody of the shop.
struct Row {
    id: String,
    name: String,
    sign_in: String,
    role: &'static str,
    /// It is the viewer.
    own: bool,
    second_factor: bool,
}

/// Somebody who was invited and has not come yet.
struct Invited {
    id: String,
    name: String,
    role: &'static str,
    until: String,
}

/// An invitation that was just made.
struct Made {
    name: String,
    address: String,
}

#[derive(Template)]
#[template(path = "shop/people/people.html")]
struct Page {
    chrome: Chrome,
    rows: Vec<Row>,
    roles: Vec<Choice>,
    invited: Vec<Invited>,
    made: Option<Made>,
    fields: Vec<FieldView>,
    problem: &'static str,
    days: i64,
}

#[derive(Template)]
#[template(path = "shop/people/roles.html")]
struct RolesPage {
    chrome: Chrome,
    roles: Vec<&'static str>,
    rows: Vec<RightRow>,
}

/// A right, and what each role may do with it.
struct RightRow {
    right: &'static str,
    grants: Vec<&'static str>,
}

async fn page(
    (app, who, preferences): (&App, &SignedIn, DisplayPreferences),
    form_state: &FormState,
    made: Option<Made>,
    problem: &'static str,
) -> Result<HttpResponse, Failure> {
    let viewer = &who.0;
    let db = &app.db;
    let (people, invited, protected) =
        tokio::try_join!(accounts::colleagues(db, viewer), accounts::invitations(db, viewer), accounts::with_second_factor(db, viewer))?;
    let row = |person: accounts::Person| Row {
        own: person.id == viewer.user,
        second_factor: protected.contains(&person.id),
        id: person.id.to_string(),
        name: person.shown_name,
        sign_in: person.sign_in,
        role: person.role.id(),
    };
    let waits = |one: accounts::Invitation| Invited {
        id: one.id.to_string(),
        name: one.shown_name,
        role: one.role.label(),
        until: show::moment(one.expires_at, &viewer.zone),
    };
    let roles = Choice::all(Role::ALL);
    let page = Page {
        chrome: Chrome::of(viewer, preferences, "People").at(Place::Settings),
        rows: people.into_iter().map(row).collect(),
        invited: invited.into_iter().map(waits).collect(),
        made,
        fields: INVITE.draw(form_state, preferences.unit, |_| roles.clone()),
        roles: roles.clone(),
        problem,
        days: INVITATION_DAYS,
    };
    let status = if form_state.is_clean() && problem.is_empty() { StatusCode::OK } else { StatusCode::UNPROCESSABLE_ENTITY };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

fn blank() -> FormState {
    let mut form_state = FormState::of(INVITE.name);
    form_state.keep("role", Role::Technician.id());
    form_state
}

async fn show_page(app: web::Data<App>, who: SignedIn, preferences: DisplayPreferences) -> Result<HttpResponse, Failure> {
    page((&app, &who, preferences), &blank(), None, "").await
}

/// Invites somebody: the link is in this answer alone.
async fn invite(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    request: HttpRequest,
    form: web::Form<Sent>,
) -> Result<HttpResponse, Failure> {
    let mut typed = Read::of(&INVITE, &form, preferences.unit);
    let (name, role) = (typed.text("shown_name"), typed.choice("role", Role::ALL));
    if role.is_none() {
        typed.form_state.wrong("role", "Choose what they will be.");
    }
    let Some(role) = role.filter(|_| typed.form_state.is_clean()) else {
        return page((&app, &who, preferences), &typed.form_state, None, "").await;
    };
    let token = accounts::invite(&app.db, &who.0, &name, role).await?;
    let made = Made { name, address: format!("{}/join/{token}", origin(&request, &app)) };
    page((&app, &who, preferences), &blank(), Some(made), "").await
}

async fn take_back(app: web::Data<App>, who: SignedIn, path: web::Path<Uuid>) -> Result<HttpResponse, Failure> {
    accounts::take_back_invitation(&app.db, &who.0, *path).await?;
    Ok(back())
}

fn back() -> HttpResponse {
    HttpResponse::SeeOther().insert_header((LOCATION, "/people")).finish()
}

async fn change(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    path: web::Path<Uuid>,
    form: web::Form<Sent>,
) -> Result<HttpResponse, Failure> {
    let changed = match form.get("do").map(String::as_str) {
        Some("remove") => accounts::remove_person(&app.db, &who.0, *path).await?,
        _ => {
            let role = form.get("role").and_then(|word| Role::parse(word));
            let role = role.ok_or_else(|| Failure::Form("a role that there is not".to_owned()))?;
            accounts::change_role(&app.db, &who.0, *path, role).await?
        }
    };
    match changed {
        Changed::Done => Ok(back()),
        Changed::LastOwner => page((&app, &who, preferences), &blank(), None, LAST_OWNER).await,
    }
}

async fn roles(who: SignedIn, preferences: DisplayPreferences) -> Result<HttpResponse, Failure> {
    let row = |(right, _, label): &(Right, &str, &'static str)| RightRow {
        right: label,
        grants: Role::ALL.iter().map(|(role, ..)| role.may(*right).label()).collect(),
    };
    let page = RolesPage {
        chrome: Chrome::of(&who.0, preferences, "Who may do what").at(Place::Settings),
        roles: Role::ALL.iter().map(|(.., label)| *label).collect(),
        rows: Right::ALL.iter().map(row).collect(),
    };
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(page.render()?))
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config
        .route("/people", get().to(show_page))
        .route("/people", post().to(invite))
        .route("/people/{person}", post().to(change))
        .route("/people/invitations/{invitation}/take-back", post().to(take_back))
        .route("/roles", get().to(roles));
}
