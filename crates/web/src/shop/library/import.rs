//! The library as a file: taken out as CSV and JSON, brought in by a dry run that says what would change, then by a tap.
use crate::http::guard::large_form;
use crate::http::upload::read_whole;
use crate::http::{Failure, SignedIn};
use crate::state::App;
use crate::ui::count;
use crate::ui::{Chrome, DisplayPreferences, Place};
use actix_multipart::Multipart;
use actix_web::http::StatusCode;
use actix_web::http::header::{CONTENT_DISPOSITION, ContentType};
use actix_web::web::{self, ServiceConfig, get, post};
use actix_web::{HttpResponse, mime};
use askama::Template;
use serde::Deserialize;
use velvet_dial_core::library_import::{self, Bad, LibraryEngine, MOST_BYTES, Step};
use velvet_dial_core::unit::Units;
use velvet_dial_store::{Viewer, jobs, library};

/// What the dry run says.
struct Dry {
    /// The file, sent once more when it is taken in.
    text: String,
    adds: Vec<String>,
    left: Vec<String>,
    /// Limits that look as if they were in another unit.
    questions: Vec<String>,
    /// Sheets that would no longer be in force, and what would be different.
    overrides: Vec<String>,
    bad: Vec<Bad>,
}

#[derive(Template)]
#[template(path = "shop/library/import.html")]
struct Page {
    chrome: Chrome,
    problem: String,
    dry: Option<Dry>,
    columns: String,
}

/// What stands in the library.
async fn stands(app: &App, viewer: &Viewer) -> Result<Vec<LibraryEngine>, Failure> {
    Ok(library::engines(&app.db, viewer).await?.iter().map(library::Engine::in_file).collect())
}

fn page(viewer: &Viewer, preferences: DisplayPreferences, problem: String, dry: Option<Dry>) -> Result<HttpResponse, Failure> {
    let status = if problem.is_empty() { StatusCode::OK } else { StatusCode::UNPROCESSABLE_ENTITY };
    let page = Page {
        chrome: Chrome::of(viewer, preferences, "Library file").at(Place::Engines),
        problem,
        dry,
        columns: library_import::COLUMNS.join(", "),
    };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

/// Shows the form.
async fn form(who: SignedIn, preferences: DisplayPreferences) -> Result<HttpResponse, Failure> {
    page(&who.0, preferences, String::new(), None)
}

/// Says what taking a file in would do; nothing is written.
async fn dry_run(app: web::Data<App>, who: SignedIn, preferences: DisplayPreferences, form: Multipart) -> Result<HttpResponse, Failure> {
    let bytes = read_whole(form, MOST_BYTES).await?;
    let stands = stands(&app, &who.0).await?;
    match app.work.out(move || library_import::read(&bytes).map(|read| dry(&bytes, &read, &stands, preferences.unit))).await? {
        Ok(dry) => page(&who.0, preferences, String::new(), Some(dry)),
        Err(error) => page(&who.0, preferences, format!("Nothing was taken: {error}."), None),
    }
}

fn dry(bytes: &[u8], read: &library_import::Read, stands: &[LibraryEngine], unit: Units) -> Dry {
    let (mut adds, mut left) = (Vec::new(), Vec::new());
    let steps = library_import::plan(read, stands, unit);
    let (questions, overrides) = (library_import::questions(&steps, unit), library_import::overridden(&steps));
    for step in steps {
        match step {
            Step::Engine(engine) => adds.push(format!("Engine {}, sheet with {}", engine.name, count(engine.sheets.len(), "revision"))),
            Step::Revision(new) => {
                let from = new.sheet.in_force_from.map(|day| format!(", in force from {day}")).unwrap_or_default();
                adds.push(format!("{}: revision “{}”{from}, {}", new.engine, new.sheet.source, count(new.sheet.points.len(), "point")));
            }
            Step::OtherCard(name) => {
                left.push(format!("{name} is already here with another card. Nothing is changed; change it by hand if the file is right"))
            }
            Step::Same(what) => left.push(format!("{what} is already here")),
        }
    }
    Dry { text: String::from_utf8_lossy(bytes).into_owned(), adds, left, questions, overrides, bad: read.bad.clone() }
}

#[derive(Deserialize)]
struct Text {
    text: String,
    /// The limits in question are as the sheets say.
    sure: Option<String>,
}

const LIMITS_FIRST: &str = "Nothing was imported: some limits look wrong. Check them against the sheet, then tick the box below the list.";
const SHEETS_FIRST: &str =
    "Nothing was imported: the file would replace sheets that are here. Check what would change, then tick the box below the list.";

/// Takes the good rows of a file in; read and laid beside what stands once more.
async fn take(app: web::Data<App>, who: SignedIn, preferences: DisplayPreferences, form: web::Form<Text>) -> Result<HttpResponse, Failure> {
    let read = match library_import::read(form.text.as_bytes()) {
        Ok(read) => read,
        Err(error) => return page(&who.0, preferences, format!("Nothing was taken: {error}."), None),
    };
    let engines = library::engines(&app.db, &who.0).await?;
    let stands: Vec<LibraryEngine> = engines.iter().map(library::Engine::in_file).collect();
    let steps = library_import::plan(&read, &stands, preferences.unit);
    let unsure = match () {
        () if !library_import::questions(&steps, preferences.unit).is_empty() => Some(LIMITS_FIRST),
        () if !library_import::overridden(&steps).is_empty() => Some(SHEETS_FIRST),
        () => None,
    };
    if let Some(why) = unsure.filter(|_| form.sure.is_none()) {
        return page(&who.0, preferences, why.to_owned(), Some(dry(form.text.as_bytes(), &read, &stands, preferences.unit)));
    }
    for step in steps {
        match step {
            Step::Engine(engine) => {
                // A name that somebody took meanwhile is left to them.
                let mut sheets = engine.sheets.iter();
                let id = library::add_engine_with(&app.db, &who.0, (&engine.name, &engine.card), sheets.next()).await?;
                if let Some(id) = id {
                    for sheet in sheets {
                        library::revise_sheet(&app.db, &who.0, id, sheet, None).await?;
                    }
                }
            }
            Step::Revision(new) => {
                if let Some(engine) = engines.iter().find(|engine| engine.name == new.engine) {
                    library::revise_sheet(&app.db, &who.0, engine.id, &new.sheet, None).await?;
                }
            }
            Step::OtherCard(_) | Step::Same(_) => {}
        }
    }
    Ok(HttpResponse::SeeOther().insert_header(("location", "/library")).finish())
}

/// The library as a file.
async fn file(app: web::Data<App>, who: SignedIn, path: web::Path<String>) -> Result<HttpResponse, Failure> {
    let stands = stands(&app, &who.0).await?;
    let (kind, bytes) = match path.as_str() {
        "csv" => (mime::TEXT_CSV_UTF_8, library_import::to_csv(&stands).map_err(|error| Failure::Form(error.to_string()))?),
        "json" => (mime::APPLICATION_JSON, library_import::to_json(&stands).into_bytes()),
        _ => return Err(Failure::NoPage),
    };
    let name = format!("attachment; filename=\"library.{path}\"");
    Ok(HttpResponse::Ok().insert_header(ContentType(kind)).insert_header((CONTENT_DISPOSITION, name)).body(bytes))
}

/// Which open jobs on an engine a revision would give another verdict: number, plate, what it is and what it would be.
pub async fn turned(
    app: &web::Data<App>,
    viewer: &Viewer,
    engine: &library::Engine,
    sheet: &velvet_dial_core::limits::Sheet,
    corrects: Option<uuid::Uuid>,
) -> Result<Vec<String>, Failure> {
    let mut sheets: Vec<_> =
        engine.revisions.iter().filter(|known| !known.corrected && Some(known.id) != corrects).map(|known| known.sheet.clone()).collect();
    sheets.push(sheet.clone());
    let open = jobs::open_on(&app.db, viewer, engine.id).await?;
    let shared = app.clone();
    let work = move || {
        let told = |job: &jobs::Job| {
            let (case, day) = (job.case(), job.zone.day(job.head.opened_at));
            let tracer = shared.kept.tracer(&case).ok()?;
            let now = velvet_dial_core::diagnosis::by_sheet(&case, case.spec.as_ref(), &tracer);
            let then = velvet_dial_core::diagnosis::by_sheet(&case, velvet_dial_core::limits::in_force(&sheets, day), &tracer);
            (now != then).then(|| format!("job {}, {}: {} would be {}", job.head.number, job.head.vehicle.tag, now.word(), then.word()))
        };
        open.iter().filter_map(told).collect()
    };
    Ok(app.work.out(work).await?)
}

/// Addresses.
pub fn routes(config: &mut ServiceConfig) {
    config
        .route("/library/file", get().to(form))
        .route("/library/file", post().to(dry_run))
        .service(web::resource("/library/file/take").app_data(large_form(4 * MOST_BYTES)).route(post().to(take)))
        .route("/library/saved/{kind}", get().to(file));
}
