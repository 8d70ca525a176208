//! A sheet, read and written as a form: its head and its lines.
use super::engine::home;
use super::form::{LINES, SHEET, choices, line};
use super::import::turned;
use super::{Editing, page};
use crate::http::form::{Choice, Read, Sent};
use crate::http::{Failure, FormState, SignedIn};
use crate::state::App;
use crate::ui::count;
use crate::ui::{DisplayPreferences, show};
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use uuid::Uuid;
use velvet_dial_core::field;
use velvet_dial_core::limits::{Besides, Point, Sheet, questionable};
use velvet_dial_core::unit::{Gear, Units};
use velvet_dial_store::library::{self, Revision};

/// A line as it is drawn.
pub struct Line {
    pub cells: Vec<Cell>,
    pub gear: String,
    pub gear_value: String,
    pub gears: Vec<Choice>,
    /// Every sentence about it.
    pub problems: Vec<String>,
}

/// A number of a line.
pub struct Cell {
    pub name: String,
    pub label: &'static str,
    pub hint: &'static str,
    pub value: String,
    pub bad: bool,
}

/// The lines of a form.
pub fn lines(form_state: &FormState, unit: Units) -> Vec<Line> {
    (1..=LINES)
        .map(|place| {
            let [rpm, temp, gear, min, max] = line(place);
            let cells = [
                (rpm, "Speed", "rpm"),
                (temp, "Oil", unit.temperature.label()),
                (min, "At least", unit.label()),
                (max, "At most", unit.label()),
            ];
            let problems = cells.iter().filter_map(|(name, ..)| form_state.problem(SHEET.name, name)).map(str::to_owned).collect();
            let cells = cells
                .into_iter()
                .map(|(name, label, hint)| Cell {
                    value: form_state.typed(SHEET.name, &name).to_owned(),
                    bad: form_state.problem(SHEET.name, &name).is_some(),
                    name,
                    label,
                    hint,
                })
                .collect();
            Line { cells, gear_value: form_state.typed(SHEET.name, &gear).to_owned(), gear, gears: choices("gear"), problems }
        })
        .collect()
}

/// The form of a revision as it stands.
pub fn of(revision: &Sheet, unit: Units) -> FormState {
    let mut form_state = FormState::of(SHEET.name);
    form_state.keep("source", &revision.source);
    form_state.keep("in_force_from", &revision.in_force_from.map(|day| day.to_string()).unwrap_or_default());
    form_state.keep("torques", &revision.torques.join("\n"));
    let besides = &revision.besides;
    form_state.keep("build_s", &besides.build_s.map(show::plain).unwrap_or_default());
    for (name, kpa) in [("filter_drop", besides.filter_drop_kpa), ("working_idle", besides.working_idle_kpa)] {
        form_state.keep(name, &kpa.map(|kpa| show::typed(kpa, unit)).unwrap_or_default());
    }
    for (place, point) in revision.points.iter().enumerate() {
        let [rpm, temp, gear, min, max] = line(place + 1);
        let pressure = |kpa: Option<f64>| kpa.map(|kpa| show::typed(kpa, unit)).unwrap_or_default();
        form_state.keep(&rpm, &show::plain(point.rpm));
        form_state.keep(&temp, &show::plain(unit.temperature.of_c(point.oil_temp_c)));
        form_state.keep(&gear, point.gear.id());
        form_state.keep(&min, &pressure(point.min_kpa));
        form_state.keep(&max, &pressure(point.max_kpa));
    }
    form_state
}

/// A sheet that was read, and what was typed.
pub struct Typed {
    pub sheet: Option<Sheet>,
    pub form_state: FormState,
}

/// The sheet, when any of its lines was filled in and all is right; the form_state says what is not.
pub fn read(form: &Sent, liked: Units) -> Result<Typed, FormState> {
    let mut read = Read::of(&SHEET, form, liked);
    let (source, in_force_from, unit) = (read.text("source"), read.day("in_force_from"), read.unit());
    let sure = read.ticked("sure");
    let torques = read.text("torques").lines().map(str::trim).filter(|line| !line.is_empty()).map(str::to_owned).collect();
    let (build_s, filter_drop_kpa, working_idle_kpa) = (read.number("build_s"), read.number("filter_drop"), read.number("working_idle"));
    let (mut points, mut remarks) = (Vec::new(), Vec::new());
    for place in 1..=LINES {
        points.extend(one_line(&mut read.form_state, form, (place, &mut remarks), unit, sure));
    }
    let besides = Besides { build_s, filter_drop_kpa, working_idle_kpa, remarks };
    if !read.form_state.is_clean() {
        return Err(read.form_state);
    }
    let sheet = (!points.is_empty()).then_some(Sheet { source, in_force_from, points, besides, torques });
    Ok(Typed { sheet, form_state: read.form_state })
}

/// A sheet may say “idle” or “a fast idle”; a limit needs the speed that is meant.
const SPEED_IN_WORDS: &str = "Speed: type the number. Where the sheet says idle, it is this engine's idle speed; where it says a fast idle, the speed that its text or the maker's manual gives for that.";

/// Oil temperature of a limit that names none, °C: makers who say none mean an engine that was driven warm.
const NOT_SAID_C: f64 = 90.0;

/// “350 ± 50” as least and most.
fn with_tolerance(typed: &str) -> Option<(&str, &str)> {
    typed.split_once('±').or_else(|| typed.split_once("+/-")).map(|(nominal, tolerance)| (nominal.trim(), tolerance.trim()))
}

fn one_line(
    form_state: &mut FormState,
    form: &Sent,
    (place, remarks): (usize, &mut Vec<String>),
    unit: Units,
    sure: bool,
) -> Option<Point> {
    let names = line(place);
    let typed = |name: &str| form.get(name).map_or("", |text| text.trim());
    for name in &names {
        form_state.keep(name, form.get(name).map_or("", String::as_str));
    }
    let [rpm, temp, gear, min, max] = &names;
    if [rpm, temp, min, max].iter().all(|name| typed(name).is_empty()) {
        return None;
    }
    let rpm_value = match typed(rpm) {
        words if words.is_empty() || words.chars().any(char::is_alphabetic) && field::RPM.parse(words).is_err() => {
            form_state.wrong(rpm, SPEED_IN_WORDS);
            None
        }
        number => form_state.take(rpm, field::RPM.parse(number)),
    };
    let temp_value = if typed(temp).is_empty() {
        remarks.push(format!("The sheet names no oil temperature for line {place}: taken as hot, {NOT_SAID_C:.0} °C."));
        Some(NOT_SAID_C)
    } else {
        form_state.take(temp, field::OIL_TEMP.parse_temp(typed(temp), unit.temperature).map(|temp| (10.0 * temp).round() / 10.0))
    };
    let mut pressure = |name: &str, typed: &str| {
        if typed.is_empty() { Ok(None) } else { form_state.take(name, field::PRESSURE.parse_pressure(typed, *unit)).map(Some).ok_or(()) }
    };
    let (min_kpa, max_kpa) = match with_tolerance(typed(min)).filter(|_| typed(max).is_empty()) {
        Some((nominal, tolerance)) => {
            let (Ok(nominal), Ok(tolerance)) = (pressure(min, nominal), pressure(min, tolerance)) else { return None };
            (nominal.zip(tolerance).map(|(kpa, off)| (kpa - off).max(0.0)), nominal.zip(tolerance).map(|(kpa, off)| kpa + off))
        }
        None => {
            let (Ok(least), Ok(most)) = (pressure(min, typed(min)), pressure(max, typed(max))) else { return None };
            (least, most)
        }
    };
    match (min_kpa, max_kpa) {
        (None, None) => form_state.wrong(min, "A line of a sheet needs a least or a most pressure."),
        (Some(least), Some(most)) if least > most => form_state.wrong(min, "The least pressure is more than the most; exchange them."),
        _ => {}
    }
    let gear = Gear::ALL.iter().find(|(_, id, _)| *id == typed(gear)).map_or(Gear::Neutral, |(gear, ..)| *gear);
    let point = Point { rpm: rpm_value?, oil_temp_c: temp_value?, gear, min_kpa, max_kpa };
    if let Some(question) = questionable(&point, unit).filter(|_| !sure) {
        form_state.wrong(min, format!("{question} If the sheet says so, tick “the sheet says exactly this” and send it once more."));
    }
    Some(point)
}

/// Enters a revision of an engine's sheet, or corrects one.
pub async fn revise(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    path: web::Path<Uuid>,
    form: web::Form<Sent>,
) -> Result<HttpResponse, Failure> {
    let corrects = form.get("corrects").filter(|key| !key.is_empty());
    let corrects = corrects
        .map(|key| Uuid::parse_str(key).map_err(|_| Failure::Form("the sheet it refers to does not exist".to_owned())))
        .transpose()?;
    let form_state = match read(&form, preferences.unit) {
        Ok(Typed { sheet: Some(sheet), mut form_state }) => {
            let dated = |engine: &library::Engine| engine.sheets.iter().any(|known| known.in_force_from.is_some());
            let undated = corrects.is_none() && sheet.in_force_from.is_none() && dated(&library::engine(&app.db, &who.0, *path).await?);
            let engine = library::engine(&app.db, &who.0, *path).await?;
            let turns =
                if undated || form.contains_key("told") { Vec::new() } else { turned(&app, &who.0, &engine, &sheet, corrects).await? };
            if !turns.is_empty() {
                // Nothing is wrong with it; whoever enters it hears first what it does.
                let unit = form.get("unit").and_then(|unit| Units::parse(unit));
                let editing = Editing { unit, sheet: Some((*path, corrects, form_state)), turns, ..Editing::default() };
                return page(&app, &who.0, preferences, editing, StatusCode::OK).await;
            }
            if engine.revisions.iter().any(|revision| Some(revision.id) == corrects && revision.corrected) {
                form_state.wrong("source", "Somebody corrected this revision after you opened it. What you typed is kept here, and nothing was saved. Leave this form and correct the newer one.");
                let unit = form.get("unit").and_then(|unit| Units::parse(unit));
                let editing = Editing { unit, sheet: Some((*path, corrects, form_state)), ..Editing::default() };
                return page(&app, &who.0, preferences, editing, StatusCode::CONFLICT).await;
            }
            if !undated {
                library::revise_sheet(&app.db, &who.0, *path, &sheet, corrects).await?;
                return Ok(home(&SHEET, &form, preferences));
            }
            form_state.wrong(
                "in_force_from",
                "In force from: a revision needs its first day, or it would never count beside those that have one.",
            );
            form_state
        }
        Ok(Typed { mut form_state, .. }) => {
            form_state.wrong("rpm1", "Nothing typed yet: a sheet needs at least one line.");
            form_state
        }
        Err(form_state) => form_state,
    };
    let unit = form.get("unit").and_then(|unit| Units::parse(unit));
    let editing = Editing { unit, sheet: Some((*path, corrects, form_state)), ..Editing::default() };
    page(&app, &who.0, preferences, editing, StatusCode::UNPROCESSABLE_ENTITY).await
}

/// A revision in a line.
pub fn words(revision: &Revision) -> String {
    let from = revision.sheet.in_force_from.map(|from| format!(", from {from}")).unwrap_or_default();
    format!("{}{from}, {}", source(&revision.sheet), count(revision.sheet.points.len(), "point"))
}

/// Where a sheet comes from.
pub fn source(sheet: &Sheet) -> &str {
    if sheet.source.is_empty() { "sheet without a name" } else { &sheet.source }
}
