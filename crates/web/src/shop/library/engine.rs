//! An engine's card, read and written as a form.
use super::form::{ENGINE, choices};
use super::{Editing, page, sheet};
use crate::http::form::{Form, Read, Sent, changed, taken};
use crate::http::{Failure, FormState, SignedIn};
use crate::state::App;
use crate::ui::{DisplayPreferences, show};
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use uuid::Uuid;
use velvet_dial_core::case::check_card;
use velvet_dial_core::circuit::{
    BlowAccess, Burns, CamFeed, CamPlace, Card, Cooler, Cooling, HeadFeed, Layout, PartAccess, Port, PumpDrive, PumpKind, ReliefSenses,
    Rockers, TopOpen,
};
use velvet_dial_core::oil;
use velvet_dial_core::unit::Units;
use velvet_dial_store::Viewer;
use velvet_dial_store::library::{self, Engine};

/// The form of a new engine.
pub fn empty() -> FormState {
    let mut form_state = filled("", &Card::of(0.0, 0, 0.0, "5W-30"), Units::default());
    for number in ["displacement_l", "cylinders", "idle_rpm"] {
        form_state.keep(number, "");
    }
    form_state
}

/// The form of an engine as it stands.
pub fn of(engine: &Engine, unit: Units) -> FormState {
    let mut form_state = filled(&engine.name, &engine.card, unit);
    form_state.keep("saw", &library::state_of(&engine.name, &engine.card).unwrap_or_default());
    form_state
}

/// What was changed of its card, by whom and when: a line each change, the last one first.
pub async fn history(app: &App, viewer: &Viewer, engine: &Engine, unit: Units) -> Result<Vec<String>, Failure> {
    let earlier = library::earlier::<Card>(&app.db, viewer, engine.id).await?;
    let now = filled(&engine.name, &engine.card, unit);
    Ok(changed(&ENGINE, (&earlier, now), |name, card| filled(name, card, unit), &viewer.zone, choices))
}

fn filled(name: &str, card: &Card, unit: Units) -> FormState {
    let mut form_state = FormState::of(ENGINE.name);
    let layout = &card.layout;
    let number = |value: Option<f64>| value.map(show::plain).unwrap_or_default();
    let pressure = |kpa: Option<f64>| kpa.map(|kpa| show::typed(kpa, unit)).unwrap_or_default();
    let tick = |yes: bool| if yes { "yes" } else { "" };
    for (field, value) in [
        ("name", name),
        ("oil_grade", &card.oil_grade),
        ("port", layout.port.id()),
        ("pump", layout.pump.id()),
        ("pump_drive", layout.pump_drive.map_or("", PumpDrive::id)),
        ("cam", layout.cam.map_or("", CamPlace::id)),
        ("cam_feed", layout.cam_feed.map_or("", CamFeed::id)),
        ("head_feed", layout.head_feed.map_or("", HeadFeed::id)),
        ("rockers", layout.rockers.id()),
        ("cooler", layout.cooler.id()),
        ("turbo", tick(layout.turbo)),
        ("piston_jets", tick(layout.piston_jets)),
        ("valve_control", tick(layout.valve_control)),
        ("relief_access", card.relief_access.map_or("", PartAccess::id)),
        ("pump_access", card.pump_access.map_or("", PartAccess::id)),
        ("drive_access", card.drive_access.map_or("", PartAccess::id)),
        ("jets_access", card.jets_access.map_or("", PartAccess::id)),
        ("top_open", card.top_open.map_or("", TopOpen::id)),
        ("cooling", card.cooling.map_or("", Cooling::id)),
        ("no_start", card.no_start.as_deref().unwrap_or("")),
        ("relief_senses", card.relief_senses.map_or("", ReliefSenses::id)),
        ("blow_access", card.blow_access.map_or("", BlowAccess::id)),
        ("fuel", card.fuel.map_or("", Burns::id)),
        ("port_thread", card.port_thread.as_deref().unwrap_or("")),
        ("displacement_l", &show::plain(card.displacement_l)),
        ("cylinders", &card.cylinders.to_string()),
        ("idle_rpm", &show::plain(card.idle_rpm)),
        ("rated_rpm", &number(card.rated_rpm)),
        ("relief_opens_kpa", &pressure(card.relief_opens_kpa)),
        ("jets_open_kpa", &pressure(layout.jets_open_kpa)),
        ("sump_off_minutes", &number(card.sump_off_minutes)),
        ("cover_off_minutes", &number(card.cover_off_minutes)),
        ("engine_out_minutes", &number(card.engine_out_minutes)),
        ("worth", &number(card.worth)),
        ("family", card.family.as_deref().unwrap_or("")),
        ("fill_l", &number(card.fill_l)),
        ("filter_l", &number(card.filter_l)),
    ] {
        form_state.keep(field, value);
    }
    form_state
}

/// Name and card, when everything is right; else the form_state says what is not.
fn read(read: &mut Read<'_>) -> Option<(String, Card)> {
    let name = read.text("name");
    let displacement_l = read.number("displacement_l");
    let cylinders = read.number("cylinders");
    if cylinders.is_some_and(|cylinders| cylinders.fract() != 0.0) {
        read.form_state.wrong("cylinders", "Cylinders: a whole number, 1 to 16.");
    }
    let idle_rpm = read.number("idle_rpm");
    read.form_state.take("oil_grade", oil::typical(read.raw("oil_grade")));
    let usual = Layout::default();
    let layout = Layout {
        port: read.choice("port", Port::ALL).unwrap_or(usual.port),
        pump: read.choice("pump", PumpKind::ALL).unwrap_or(usual.pump),
        pump_drive: read.choice("pump_drive", PumpDrive::ALL),
        cam: read.choice("cam", CamPlace::ALL),
        cam_feed: read.choice("cam_feed", CamFeed::ALL),
        head_feed: read.choice("head_feed", HeadFeed::ALL),
        rockers: read.choice("rockers", Rockers::ALL).unwrap_or(usual.rockers),
        piston_jets: read.ticked("piston_jets"),
        jets_open_kpa: read.number("jets_open_kpa"),
        turbo: read.ticked("turbo"),
        valve_control: read.ticked("valve_control"),
        cooler: read.choice("cooler", Cooler::ALL).unwrap_or(usual.cooler),
    };
    let card = Card {
        relief_opens_kpa: read.number("relief_opens_kpa"),
        rated_rpm: read.number("rated_rpm"),
        fuel: read.choice("fuel", Burns::ALL),
        relief_access: read.choice("relief_access", PartAccess::ALL),
        pump_access: read.choice("pump_access", PartAccess::ALL),
        drive_access: read.choice("drive_access", PartAccess::ALL),
        jets_access: read.choice("jets_access", PartAccess::ALL),
        top_open: read.choice("top_open", TopOpen::ALL),
        cooling: read.choice("cooling", Cooling::ALL),
        no_start: Some(read.text("no_start")).filter(|said| !said.is_empty()),
        relief_senses: read.choice("relief_senses", ReliefSenses::ALL),
        sump_off_minutes: read.number("sump_off_minutes"),
        cover_off_minutes: read.number("cover_off_minutes"),
        engine_out_minutes: read.number("engine_out_minutes"),
        port_thread: Some(read.raw("port_thread").to_owned()).filter(|thread| !thread.is_empty()),
        blow_access: read.choice("blow_access", BlowAccess::ALL),
        worth: read.number("worth"),
        family: Some(read.text("family")).filter(|family| !family.is_empty()),
        fill_l: read.number("fill_l"),
        filter_l: read.number("filter_l"),
        layout,
        ..Card::of(displacement_l?, cylinders?.round() as u32, idle_rpm?, read.raw("oil_grade"))
    };
    if !read.form_state.is_clean() {
        return None;
    }
    // What no field alone can say: a rated speed under the idle, a grade or a thread that is none.
    if let Err(error) = check_card(&card) {
        let field = error.path.rsplit('.').next().unwrap_or_default();
        read.form_state.wrong(field, error.message);
    }
    read.form_state.is_clean().then_some((name, card))
}

const NAME_TAKEN: &str = "Engine: this name is already used. Choose another name.";

/// Adds an engine with the first revision of its sheet.
pub async fn add(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    form: web::Form<Sent>,
) -> Result<HttpResponse, Failure> {
    let mut typed = Read::of(&ENGINE, &form, preferences.unit);
    let engine = read(&mut typed);
    let sheet = sheet::read(&form, preferences.unit);
    let for_a_job = form.get("back").is_some_and(|back| back == "job");
    let again = |engine: FormState, sheet: FormState| Editing {
        unit: Some(typed.unit()),
        engine: Some((None, engine)),
        new_sheet: Some(sheet),
        for_a_job,
        ..Editing::default()
    };
    let (Some((name, card)), Ok(sheet)) = (engine, &sheet) else {
        let sheet = sheet.map_or_else(|form_state| form_state, |read| read.form_state);
        return page(&app, &who.0, preferences, again(typed.form_state.clone(), sheet), StatusCode::UNPROCESSABLE_ENTITY).await;
    };
    let Some(id) = library::add_engine_with(&app.db, &who.0, (&name, &card), sheet.sheet.as_ref()).await? else {
        let mut form_state = typed.form_state.clone();
        form_state.wrong("name", NAME_TAKEN);
        return page(&app, &who.0, preferences, again(form_state, sheet.form_state.clone()), StatusCode::UNPROCESSABLE_ENTITY).await;
    };
    if for_a_job {
        return Ok(taken(&draft(&ENGINE, &form, preferences), &format!("/jobs/new?engine={id}")));
    }
    Ok(home(&ENGINE, &form, preferences))
}

/// Changes an engine's name and card.
pub async fn change(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    path: web::Path<Uuid>,
    form: web::Form<Sent>,
) -> Result<HttpResponse, Failure> {
    let mut typed = Read::of(&ENGINE, &form, preferences.unit);
    if let Some((name, card)) = read(&mut typed) {
        let now = library::engine(&app.db, &who.0, *path).await?;
        let state = library::state_of(&now.name, &now.card)?;
        let saw = form.get("saw").map_or("", String::as_str);
        if !saw.is_empty() && saw != state && state != library::state_of(&name, &card)? {
            let last = library::earlier::<Card>(&app.db, &who.0, *path).await?.pop();
            let by = last.map_or("Somebody".to_owned(), |last| format!("{} (at {})", last.by, show::moment(last.until, &who.0.zone)));
            typed.form_state.wrong("name", format!("{by} changed this engine after you opened it. What you typed is kept here, and nothing was saved. Save again to put yours in its place."));
            // Whoever sends it once more has been told.
            typed.form_state.keep("saw", &state);
            let editing = Editing { unit: Some(typed.unit()), engine: Some((Some(*path), typed.form_state)), ..Editing::default() };
            return page(&app, &who.0, preferences, editing, StatusCode::CONFLICT).await;
        }
        if library::change_engine(&app.db, &who.0, *path, &name, &card).await? {
            return Ok(home(&ENGINE, &form, preferences));
        }
        typed.form_state.wrong("name", NAME_TAKEN);
    }
    let editing = Editing { unit: Some(typed.unit()), engine: Some((Some(*path), typed.form_state)), ..Editing::default() };
    page(&app, &who.0, preferences, editing, StatusCode::UNPROCESSABLE_ENTITY).await
}

/// Back to the list; the draft of the form, which is kept by unit, was taken.
pub(super) fn home(of: &Form, form: &Sent, preferences: DisplayPreferences) -> HttpResponse {
    taken(&draft(of, form, preferences), "/library")
}

/// The name of the form's draft, which is kept by unit.
fn draft(of: &Form, form: &Sent, preferences: DisplayPreferences) -> String {
    let unit = form.get("unit").and_then(|unit| Units::parse(unit)).unwrap_or(preferences.unit);
    format!("{}-{}", of.name, unit.label())
}
