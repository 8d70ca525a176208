//! Other programs that work with the shop: their tokens, what these open, and where they hear of what happens.
use crate::http::form::{Choice, FieldView, Form, Kind, Question, Read, Sent};
use crate::http::{Failure, FormState, SignedIn};
use crate::state::App;
use crate::ui::{Chrome, DisplayPreferences, Place, show, times};
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::http::header::LOCATION;
use actix_web::web::{self, ServiceConfig, get, post};
use askama::Template;
use uuid::Uuid;
use velvet_dial_core::rights::{Role, Scope};
use velvet_dial_store::Viewer;
use velvet_dial_store::programs::{self, Delivery, NewProgram, Program};

const fn scope(scope: Scope) -> Question {
    Question::new(scope.id(), scope.label(), "", Kind::Tick)
}

static LET_IN: Form = Form {
    name: "program",
    asks: &[
        Question::new("name", "Name", "as the history shows it", Kind::Needed(120, "nothing typed yet; for example “Fleet office”.")),
        Question::new("role", "Role", "see Roles in the settings", Kind::Choice),
        scope(Scope::ReadJobs),
        scope(Scope::WriteJobs),
        scope(Scope::ReadCustomers),
        scope(Scope::ReadReports),
        scope(Scope::ReadLibrary),
        scope(Scope::WriteLibrary),
        scope(Scope::ReadPractice),
        Question::new("own_jobs_only", "Only jobs that it opened itself", "", Kind::Tick),
    ],
};

static HOOK: Form = Form {
    name: "hook",
    asks: &[Question::new("url", "Address", "such as https://fleet.example/events; empty for none", Kind::Text(500))],
};

/// What a program can be; an owner's role is for people.
const ROLES: [Role; 4] = [Role::Reader, Role::Apprentice, Role::Technician, Role::Foreman];

/// A program in the list.
struct Row {
    id: String,
    name: String,
    role: &'static str,
    may: String,
    used: String,
}

#[derive(Template)]
#[template(path = "shop/programs/programs.html")]
struct Page {
    chrome: Chrome,
    rows: Vec<Row>,
    /// Name and token of a program that was just let in.
    made: Option<(String, String)>,
    who: Vec<FieldView>,
    may: Vec<FieldView>,
    problem: &'static str,
}

fn roles() -> Vec<Choice> {
    ROLES.iter().map(|role| Choice { id: role.id().to_owned(), label: role.label().to_owned() }).collect()
}

fn row(program: Program, viewer: &Viewer) -> Row {
    let scopes: Vec<&str> = program.scopes.iter().map(|scope| scope.label()).collect();
    let own = if program.own_jobs_only { "; only jobs that it opened itself" } else { "" };
    Row {
        id: program.id.to_string(),
        name: program.name,
        role: program.role.label(),
        may: format!("{}{own}", scopes.join("; ")),
        used: program.last_used_at.map_or_else(|| "never".to_owned(), |at| show::moment_with_year(at, &viewer.zone)),
    }
}

async fn page(
    (app, who, preferences): (&App, &SignedIn, DisplayPreferences),
    form_state: &FormState,
    made: Option<(String, String)>,
    problem: &'static str,
) -> Result<HttpResponse, Failure> {
    let all = programs::all(&app.db, &who.0).await?;
    let mut who_it_is = LET_IN.draw(form_state, preferences.unit, |_| roles());
    let may = who_it_is.split_off(2);
    let page = Page {
        chrome: Chrome::of(&who.0, preferences, "Other programs").at(Place::Settings),
        rows: all.into_iter().map(|program| row(program, &who.0)).collect(),
        made,
        who: who_it_is,
        may,
        problem,
    };
    let status = if form_state.is_clean() && problem.is_empty() { StatusCode::OK } else { StatusCode::UNPROCESSABLE_ENTITY };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

fn blank() -> FormState {
    let mut form_state = FormState::of(LET_IN.name);
    form_state.keep("role", Role::Reader.id());
    form_state.keep(Scope::ReadJobs.id(), "yes");
    form_state
}

async fn show_page(app: web::Data<App>, who: SignedIn, preferences: DisplayPreferences) -> Result<HttpResponse, Failure> {
    page((&app, &who, preferences), &blank(), None, "").await
}

/// Lets a program in: its token is in this answer alone.
async fn let_in(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    form: web::Form<Sent>,
) -> Result<HttpResponse, Failure> {
    let mut typed = Read::of(&LET_IN, &form, preferences.unit);
    let name = typed.text("name");
    let role = Role::parse(typed.raw("role")).filter(|role| ROLES.contains(role));
    if role.is_none() {
        typed.form_state.wrong("role", "Choose what it will be.");
    }
    let scopes: Vec<Scope> = Scope::ALL.iter().map(|(scope, ..)| *scope).filter(|scope| typed.ticked(scope.id())).collect();
    let own_jobs_only = typed.ticked("own_jobs_only");
    let lacks = role.and_then(|role| scopes.iter().find(|scope| !role.may_do(scope.right())));
    let problem = match lacks {
        _ if scopes.is_empty() => "Tick at least one thing that the program may do.",
        Some(_) => "This role may not do all that is ticked. Choose another role, or tick less. Roles shows who may do what.",
        None => "",
    };
    let Some(role) = role.filter(|_| typed.form_state.is_clean() && problem.is_empty()) else {
        return page((&app, &who, preferences), &typed.form_state, None, problem).await;
    };
    let token = programs::add(&app.db, &who.0, &NewProgram { name: &name, role, scopes: &scopes, own_jobs_only }).await?;
    page((&app, &who, preferences), &blank(), Some((name, token)), "").await
}

async fn lock_out(app: web::Data<App>, who: SignedIn, path: web::Path<Uuid>) -> Result<HttpResponse, Failure> {
    programs::revoke(&app.db, &who.0, *path).await?;
    Ok(to("/programs"))
}

fn to(address: &str) -> HttpResponse {
    HttpResponse::SeeOther().insert_header((LOCATION, address)).finish()
}

/// An event in the list of what was sent.
struct Event {
    id: String,
    kind: String,
    when: String,
    /// It arrived.
    arrived: bool,
    how: String,
    /// It may be sent again by hand.
    again: bool,
}

#[derive(Template)]
#[template(path = "shop/programs/events.html")]
struct EventsPage {
    chrome: Chrome,
    id: String,
    name: String,
    fields: Vec<FieldView>,
    /// The secret of an address that was just saved.
    secret: Option<String>,
    sends: bool,
    events: Vec<Event>,
}

fn event(delivery: Delivery, viewer: &Viewer) -> Event {
    let at = |moment| show::moment(moment, &viewer.zone);
    let tried = format!("tried {}", times(delivery.tries.unsigned_abs() as usize));
    let how = match (delivery.delivered_at, delivery.next_try_at) {
        (Some(arrived), _) => format!("arrived {}, {}", at(arrived), delivery.answer),
        (None, Some(_)) if delivery.tries == 0 => "is being sent".to_owned(),
        (None, Some(next)) => format!("{tried}: {}; next {}", delivery.answer, at(next)),
        (None, None) => format!("{tried}, {}", delivery.answer),
    };
    Event {
        id: delivery.id.to_string(),
        kind: delivery.kind,
        when: at(delivery.made_at),
        arrived: delivery.delivered_at.is_some(),
        how,
        again: delivery.delivered_at.is_none() && delivery.tries > 0,
    }
}

async fn events_page(
    (app, who, preferences): (&App, &SignedIn, DisplayPreferences),
    id: Uuid,
    form_state: Option<FormState>,
    secret: Option<String>,
) -> Result<HttpResponse, Failure> {
    let viewer = &who.0;
    let program = programs::one(&app.db, viewer, id).await?;
    let deliveries = programs::deliveries(&app.db, viewer, id).await?;
    let status = if form_state.is_some() { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::OK };
    let form_state = form_state.unwrap_or_else(|| {
        let mut kept = FormState::of(HOOK.name);
        kept.keep("url", program.hook_url.as_deref().unwrap_or_default());
        kept
    });
    let page = EventsPage {
        chrome: Chrome::of(viewer, preferences, format!("Events for {}", program.name)).at(Place::Settings),
        id: id.to_string(),
        sends: program.hook_url.is_some(),
        name: program.name,
        fields: HOOK.draw(&form_state, preferences.unit, |_| Vec::new()),
        secret,
        events: deliveries.into_iter().map(|delivery| event(delivery, viewer)).collect(),
    };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

async fn show_events(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    path: web::Path<Uuid>,
) -> Result<HttpResponse, Failure> {
    events_page((&app, &who, preferences), *path, None, None).await
}

/// Saves where events are sent: the secret is in this answer alone.
async fn set_hook(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    path: web::Path<Uuid>,
    form: web::Form<Sent>,
) -> Result<HttpResponse, Failure> {
    let mut typed = Read::of(&HOOK, &form, preferences.unit);
    let url = typed.text("url");
    let parsed = url::Url::parse(&url).ok();
    let is_good = parsed.is_some_and(|url| matches!(url.scheme(), "http" | "https") && url.host().is_some() && url.username().is_empty());
    if !url.is_empty() && !is_good {
        typed
            .form_state
            .wrong("url", "This is no address of a web server. It begins with https:// or http://, such as https://fleet.example/events.");
        return events_page((&app, &who, preferences), *path, Some(typed.form_state), None).await;
    }
    let secret = programs::set_hook(&app.db, &who.0, *path, &url).await?;
    events_page((&app, &who, preferences), *path, None, secret).await
}

async fn send_again(app: web::Data<App>, who: SignedIn, path: web::Path<(Uuid, Uuid)>) -> Result<HttpResponse, Failure> {
    let (program, event) = path.into_inner();
    programs::send_again(&app.db, &who.0, program, event).await?;
    Ok(to(&format!("/programs/{program}")))
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config
        .route("/programs", get().to(show_page))
        .route("/programs", post().to(let_in))
        .route("/programs/{program}", get().to(show_events))
        .route("/programs/{program}", post().to(set_hook))
        .route("/programs/{program}/lock-out", post().to(lock_out))
        .route("/programs/{program}/events/{event}/again", post().to(send_again));
}
