//! Engines with their sheets, and gauges.
use super::answer::{self, Done};
use super::caller::Called;
use super::jobs::needed;
use super::problem::ApiFailure;
use super::shapes::{EngineView, GaugeView, Made, NewGauge};
use actix_web::http::StatusCode;
use actix_web::web::{self, Bytes};
use actix_web::{HttpRequest, HttpResponse};
use uuid::Uuid;
use velvet_dial_core::case;
use velvet_dial_core::library_import::{self, LibraryEngine};
use velvet_dial_core::limits::Sheet;
use velvet_dial_store::library::{self, Engine};

fn view(engine: Engine) -> EngineView {
    EngineView { id: engine.id, name: engine.name, card: engine.card, sheets: engine.sheets }
}

/// The engines of the shop.
pub async fn engines(request: HttpRequest, called: Called) -> Result<HttpResponse, ApiFailure> {
    let all = library::engines(&called.app.db, &called.caller.viewer).await?;
    answer::found(&request, &all.into_iter().map(view).collect::<Vec<_>>())
}

/// One of them.
pub async fn engine(request: HttpRequest, called: Called, id: web::Path<Uuid>) -> Result<HttpResponse, ApiFailure> {
    answer::found(&request, &view(library::engine(&called.app.db, &called.caller.viewer, *id).await?))
}

/// Refuses what a file of engines would be refused for.
fn checked(engine: &LibraryEngine) -> Result<(), ApiFailure> {
    let file = library_import::to_json(std::slice::from_ref(engine));
    let read = library_import::read(file.as_bytes()).map_err(|error| ApiFailure::at(".", error.to_string()))?;
    if read.bad.is_empty() {
        return Ok(());
    }
    Err(ApiFailure::Invalid(read.bad.into_iter().map(|bad| case::CaseError { path: ".".to_owned(), message: bad.why }).collect()))
}

/// Adds an engine with its sheets.
pub async fn add_engine(request: HttpRequest, called: Called, body: Bytes) -> Result<HttpResponse, ApiFailure> {
    let mut new: LibraryEngine = case::read(&body)?;
    new.name = needed("name", &new.name, 120)?;
    checked(&new)?;
    let (db, viewer) = (&called.app.db, &called.caller.viewer);
    answer::once(&request, &called, &body, |_| async move {
        let (first, later) = new.sheets.split_first().map_or((None, &[][..]), |(first, later)| (Some(first), later));
        let Some(id) = library::add_engine_with(db, viewer, (&new.name, &new.card), first).await? else {
            return Err(ApiFailure::conflict("name_taken", "The shop has an engine of this name already."));
        };
        for sheet in later {
            library::add_sheet(db, viewer, id, sheet, None).await?;
        }
        Done::of(StatusCode::CREATED, &Made { id })
    })
    .await
}

/// Adds a sheet to an engine; from its first day it is the one in force.
pub async fn add_sheet(request: HttpRequest, called: Called, id: web::Path<Uuid>, body: Bytes) -> Result<HttpResponse, ApiFailure> {
    let sheet: Sheet = case::read(&body)?;
    let (db, viewer, id) = (&called.app.db, &called.caller.viewer, *id);
    let engine = library::engine(db, viewer, id).await?;
    checked(&LibraryEngine { name: engine.name, card: engine.card, sheets: vec![sheet.clone()] })?;
    answer::once(&request, &called, &body, |_| async move {
        library::revise_sheet(db, viewer, id, &sheet, None).await?;
        Done::of(StatusCode::CREATED, &view(library::engine(db, viewer, id).await?))
    })
    .await
}

/// The gauges of the shop.
pub async fn gauges(request: HttpRequest, called: Called) -> Result<HttpResponse, ApiFailure> {
    let all = library::gauges(&called.app.db, &called.caller.viewer).await?;
    let view = |gauge: library::Gauge| GaugeView { id: gauge.id, name: gauge.name, gauge: gauge.gauge };
    answer::found(&request, &all.into_iter().map(view).collect::<Vec<_>>())
}

/// Adds a gauge.
pub async fn add_gauge(request: HttpRequest, called: Called, body: Bytes) -> Result<HttpResponse, ApiFailure> {
    let NewGauge { name, gauge } = case::read(&body)?;
    let name = needed("name", &name, 120)?;
    case::check_gauge("gauge", &gauge)?;
    let (db, viewer) = (&called.app.db, &called.caller.viewer);
    answer::once(&request, &called, &body, |_| async move {
        match library::add_gauge(db, viewer, &name, &gauge).await? {
            Some(id) => Done::of(StatusCode::CREATED, &Made { id }),
            None => Err(ApiFailure::conflict("name_taken", "The shop has a gauge of this name already.")),
        }
    })
    .await
}
