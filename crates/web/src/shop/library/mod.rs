//! Engines with their sheets, gauges, and the shop itself: what a job needs to stand on.
mod card;
mod engine;
mod form;
mod import;
mod paper;
mod pattern;
mod sheet;

use crate::http::form::FieldView;
use crate::http::{Failure, FormState, SignedIn};
use crate::state::App;
use crate::ui::{Chrome, DisplayPreferences, Place};
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::web::{self, ServiceConfig, get, post};
use askama::Template;
use card::Family;
use form::{ENGINE, PATTERN, SHEET, choices};
use serde::Deserialize;
use sheet::Line;
use uuid::Uuid;
use velvet_dial_core::unit::Units;
use velvet_dial_store::Viewer;
use velvet_dial_store::library;

/// The engine's form, with its sheet's when it is new.
pub struct EngineForm {
    pub action: String,
    pub fields: Vec<FieldView>,
    pub sheet: Option<SheetForm>,
    pub open: bool,
    pub title: String,
    pub button: &'static str,
}

/// The form of a sheet.
pub struct SheetForm {
    pub action: String,
    pub title: String,
    pub corrects: String,
    pub fields: Vec<FieldView>,
    pub lines: Vec<Line>,
    /// Open jobs whose verdict it turns: told before it is taken in.
    pub turns: Vec<String>,
}

/// Lines of a sheet that are open at once; the rest unfolds.
const FIRST_LINES: usize = 3;

impl SheetForm {
    pub fn first_lines(&self) -> impl Iterator<Item = &Line> {
        self.lines.iter().take(FIRST_LINES)
    }

    pub fn more_lines(&self) -> impl Iterator<Item = &Line> {
        self.lines.iter().skip(FIRST_LINES)
    }

    /// Something is typed in one of those that unfold.
    pub fn more_open(&self) -> bool {
        self.more_lines().any(|line| !line.problems.is_empty() || line.cells.iter().any(|cell| !cell.value.is_empty()))
    }
}

/// The form of a known pattern.
pub struct PatternForm {
    pub family: String,
    pub fields: Vec<FieldView>,
}

#[derive(Template)]
#[template(path = "shop/library/library.html")]
struct Page {
    chrome: Chrome,
    /// The unit that the forms' pressures are typed in.
    unit: Units,
    families: Vec<Family>,
    /// A known pattern that is typed.
    pattern: Option<PatternForm>,
    /// Why a page was not kept, and of which revision it was.
    paper: Option<(String, String)>,
    for_a_job: bool,
    engine: EngineForm,
    /// What was changed before on the engine that is changed, a line each.
    history: Vec<String>,
    sheet: Option<SheetForm>,
}

/// What is being typed.
#[derive(Default)]
pub struct Editing {
    /// The unit of the form that came back.
    unit: Option<Units>,
    /// An engine; none for a new one.
    engine: Option<(Option<Uuid>, FormState)>,
    /// The sheet of a new engine.
    new_sheet: Option<FormState>,
    /// Of which engine, the revision it corrects, and what is typed.
    sheet: Option<(Uuid, Option<Uuid>, FormState)>,
    /// A known pattern.
    pattern: Option<FormState>,
    /// What was changed before on the engine that is changed.
    history: Vec<String>,
    /// A revision whose page was not kept, and why.
    paper: Option<(Uuid, String)>,
    /// Open jobs whose verdict the sheet turns.
    turns: Vec<String>,
    /// A job is being opened, and waits for the new engine.
    for_a_job: bool,
}

async fn page(
    app: &App,
    viewer: &Viewer,
    preferences: DisplayPreferences,
    editing: Editing,
    status: StatusCode,
) -> Result<HttpResponse, Failure> {
    let engines = library::engines(&app.db, viewer).await?;
    let mut pages = library::pages(&app.db, viewer).await?;
    // A form that comes back keeps the unit it was typed in.
    let unit = editing.unit.unwrap_or(preferences.unit);
    let named = |id: Uuid| engines.iter().find(|engine| engine.id == id).map(|engine| engine.name.clone()).unwrap_or_default();
    let sheet = editing.sheet.map(|(engine, corrects, form_state)| SheetForm {
        action: format!("/library/engines/{engine}/sheets"),
        title: format!("{} of {}", if corrects.is_some() { "Correct a sheet" } else { "Enter a revision" }, named(engine)),
        corrects: corrects.map(|id| id.to_string()).unwrap_or_default(),
        fields: SHEET.draw(&form_state, unit, choices),
        lines: sheet::lines(&form_state, unit),
        turns: editing.turns,
    });
    let page = Page {
        chrome: Chrome::of(viewer, preferences, "Engines").at(Place::Engines),
        unit,
        for_a_job: editing.for_a_job,
        engine: engine_form(editing.engine, editing.new_sheet, unit, named),
        sheet,
        history: editing.history,
        families: card::families(&engines, &library::patterns(&app.db, viewer).await?, &mut pages, (preferences.unit, &viewer.zone)),
        pattern: editing.pattern.map(|form_state| PatternForm {
            family: form_state.typed(PATTERN.name, "family").to_owned(),
            fields: PATTERN.draw(&form_state, unit, choices),
        }),
        paper: editing.paper.map(|(id, why)| (id.to_string(), why)),
    };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

fn engine_form(
    editing: Option<(Option<Uuid>, FormState)>,
    sheet: Option<FormState>,
    unit: Units,
    named: impl Fn(Uuid) -> String,
) -> EngineForm {
    let open = editing.is_some();
    let (id, form_state) = editing.unwrap_or_else(|| (None, engine::empty()));
    let fields = ENGINE.draw(&form_state, unit, choices);
    if let Some(id) = id {
        let (action, title) = (format!("/library/engines/{id}"), format!("Change {}", named(id)));
        return EngineForm { action, fields, sheet: None, open, title, button: "Keep the change" };
    }
    let form_state = sheet.unwrap_or_default();
    let sheet = SheetForm {
        action: String::new(),
        title: String::new(),
        corrects: String::new(),
        fields: SHEET.draw(&form_state, unit, choices),
        lines: sheet::lines(&form_state, unit),
        turns: Vec::new(),
    };
    let action = "/library/engines".to_owned();
    EngineForm { action, fields, sheet: Some(sheet), open, title: "Add an engine".to_owned(), button: "Add this engine" }
}

/// What is to be changed.
#[derive(Deserialize, Default)]
#[serde(default)]
pub struct LibraryQuery {
    engine: String,
    /// An engine that gets a revision, and the revision that is corrected.
    revise: String,
    corrects: String,
    /// A family of which something is known.
    pattern: String,
    /// “job” where one is being opened and waits.
    back: String,
}

/// Shows what the shop has, with the form that was asked for.
pub async fn show(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    asked: web::Query<LibraryQuery>,
) -> Result<HttpResponse, Failure> {
    let key = |text: &str| Uuid::parse_str(text).ok();
    let mut editing = Editing { for_a_job: asked.back == "job", ..Editing::default() };
    if editing.for_a_job {
        editing.engine = Some((None, engine::empty()));
    }
    if let Some(id) = key(&asked.engine) {
        let engine = library::engine(&app.db, &who.0, id).await?;
        editing.history = engine::history(&app, &who.0, &engine, preferences.unit).await?;
        editing.engine = Some((Some(id), engine::of(&engine, preferences.unit)));
    }
    if !asked.pattern.is_empty() {
        editing.pattern = Some(pattern::empty(&asked.pattern));
    }
    if let Some(id) = key(&asked.revise) {
        let engine = library::engine(&app.db, &who.0, id).await?;
        let corrects = key(&asked.corrects);
        let from = engine.revisions.iter().rev().find(|revision| corrects.is_none_or(|corrected| revision.id == corrected));
        if from.is_some_and(|revision| revision.sheet.points.len() > form::LINES) {
            return Err(Failure::Form("a sheet of more lines than the form has".to_owned()));
        }
        let mut form_state = from.map_or_else(|| FormState::of(SHEET.name), |revision| sheet::of(&revision.sheet, preferences.unit));
        if corrects.is_none() {
            // A new revision has a first day of its own.
            form_state.keep("in_force_from", "");
        }
        editing.sheet = Some((id, corrects, form_state));
    }
    page(&app, &who.0, preferences, editing, StatusCode::OK).await
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config
        .route("/library", get().to(show))
        .route("/library/engines", post().to(engine::add))
        .route("/library/engines/{engine}", post().to(engine::change))
        .route("/library/engines/{engine}/sheets", post().to(sheet::revise))
        .route("/library/patterns", post().to(pattern::add))
        .route("/library/patterns/{pattern}/retire", post().to(pattern::retire))
        .route("/library/sheets/{sheet}/pages", post().to(paper::add))
        .route("/library/pages/{page}/{size}", get().to(paper::show))
        .configure(import::routes);
}
