//! A library of engines and their sheets as a file: CSV, a row a line of a sheet, and JSON; read with every bad row told, and laid beside what stands already before anything is taken in.
//!
//! CSV: the columns of [`COLUMNS`], in any order, comma or semicolon between them, the first row naming them. Rows of one engine repeat its name; its card is that of its first row, and
//! every later row must agree with it or leave the card's columns empty. Rows of one engine with the same source and first day are one revision. A row without a speed is an engine without a
//! sheet. JSON is [`LibraryFile`] to the letter, and holds the whole card.
use crate::case::check_card;
use crate::circuit::Card;
use crate::count::count;
use crate::field;
use crate::json;
use crate::limits::{Point, Sheet, limit_words, questionable};
use crate::unit::{Gear, Units};
use chrono::NaiveDate;
use csv::{ReaderBuilder, StringRecord, WriterBuilder};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use thiserror::Error;

/// The value of `format`.
pub const FORMAT: &str = "velvet-dial.library/1";
/// The columns of a CSV file.
pub const COLUMNS: [&str; 14] = [
    "engine",
    "displacement_l",
    "cylinders",
    "idle_rpm",
    "oil_grade",
    "relief_opens_kpa",
    "rated_rpm",
    "source",
    "in_force_from",
    "rpm",
    "oil_temp_c",
    "gear",
    "min_kpa",
    "max_kpa",
];
/// Rows of a file, and bytes.
const MOST_ROWS: usize = 20_000;
/// Bytes of a file.
pub const MOST_BYTES: usize = 4 << 20;

/// An engine with its sheets.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct LibraryEngine {
    /// Its name.
    pub name: String,
    /// Its card.
    pub card: Card,
    /// Its sheets.
    #[serde(default)]
    pub sheets: Vec<Sheet>,
}

/// A file.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct LibraryFile {
    /// Always [`FORMAT`].
    pub format: String,
    /// Engines.
    pub engines: Vec<LibraryEngine>,
}

/// A row that is not taken, and why.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Bad {
    /// Its place in the file, the head being 1; of JSON the place of the engine from 1.
    pub row: usize,
    /// What is wrong and what would be right.
    pub why: String,
}

/// Why a file cannot be read at all.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum ImportError {
    /// Too large.
    #[error("the file is larger than 4 MB; cut it in parts")]
    TooLarge,
    /// Not text.
    #[error("this is no text in UTF-8; save it as CSV or JSON in UTF-8")]
    NotText,
    /// A head that misses a column.
    #[error(
        "the first row must name the columns; “{0}” is missing. Needed are engine, displacement_l, cylinders, idle_rpm, oil_grade, rpm, oil_temp_c, and min_kpa or max_kpa"
    )]
    Column(&'static str),
    /// No JSON of ours.
    #[error("this is no library file: {0}")]
    Json(String),
}

/// What a file says, as far as it can be taken.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Read {
    /// The engines.
    pub engines: Vec<LibraryEngine>,
    /// What is wrong with the others.
    pub bad: Vec<Bad>,
}

/// Reads a file, CSV or JSON by its first letter.
///
/// # Errors
/// [`ImportError`] where nothing of it can be read.
pub fn read(bytes: &[u8]) -> Result<Read, ImportError> {
    if bytes.len() > MOST_BYTES {
        return Err(ImportError::TooLarge);
    }
    let text = std::str::from_utf8(bytes).map_err(|_| ImportError::NotText)?.trim_start_matches('\u{feff}');
    if text.trim_start().starts_with('{') { of_json(text) } else { of_csv(text) }
}

fn of_json(text: &str) -> Result<Read, ImportError> {
    let shelf: LibraryFile = json::read(text.as_bytes()).map_err(|refused| ImportError::Json(refused.plain()))?;
    if shelf.format != FORMAT {
        return Err(ImportError::Json(format!("its format is “{}”, and {FORMAT} is read here", shelf.format)));
    }
    let mut read = Read::default();
    for (place, engine) in shelf.engines.into_iter().enumerate() {
        let bad = |why: String| Bad { row: place + 1, why };
        let wrong = check_card(&engine.card).err().map(|error| format!("{}: {}", error.path, error.message));
        let points = engine.sheets.iter().flat_map(|sheet| &sheet.points);
        let wrong = wrong.or_else(|| points.filter_map(|point| checked(point).err()).next());
        match wrong.or_else(|| name_of(&engine.name).err()) {
            Some(why) => read.bad.push(bad(why)),
            None if read.engines.iter().any(|known| known.name == engine.name) => {
                read.bad.push(bad(format!("{} is in the file twice", engine.name)))
            }
            None => read.engines.push(engine),
        }
    }
    Ok(read)
}

fn of_csv(text: &str) -> Result<Read, ImportError> {
    let head = text.lines().next().unwrap_or_default();
    let delimiter = if head.matches(';').count() > head.matches(',').count() { b';' } else { b',' };
    let mut rows = ReaderBuilder::new().delimiter(delimiter).flexible(true).trim(csv::Trim::All).from_reader(text.as_bytes());
    let head: HashMap<String, usize> = rows
        .headers()
        .map_err(|error| ImportError::Json(error.to_string()))?
        .iter()
        .enumerate()
        .map(|(place, name)| (name.to_lowercase(), place))
        .collect();
    for needed in ["engine", "displacement_l", "cylinders", "idle_rpm", "oil_grade", "rpm", "oil_temp_c"] {
        if !head.contains_key(needed) {
            return Err(ImportError::Column(needed));
        }
    }
    if !head.contains_key("min_kpa") && !head.contains_key("max_kpa") {
        return Err(ImportError::Column("min_kpa"));
    }
    let mut read = Read::default();
    for (place, record) in rows.records().enumerate().take(MOST_ROWS) {
        // The head is row 1.
        let row = place + 2;
        let took = record
            .map_err(|error| format!("this row cannot be read: {error}"))
            .and_then(|record| take(&mut read, &Cells { head: &head, record: &record }));
        if let Err(why) = took {
            read.bad.push(Bad { row, why });
        }
    }
    Ok(read)
}

struct Cells<'a> {
    head: &'a HashMap<String, usize>,
    record: &'a StringRecord,
}

impl Cells<'_> {
    fn text(&self, name: &str) -> &str {
        self.head.get(name).and_then(|place| self.record.get(*place)).unwrap_or("")
    }

    fn number(&self, field: &field::Field, name: &str) -> Result<Option<f64>, String> {
        let typed = self.text(name);
        if typed.is_empty() { Ok(None) } else { field.parse(typed).map(Some).map_err(|error| error.to_string()) }
    }
}

fn name_of(typed: &str) -> Result<String, String> {
    match field::text("Engine", typed, 120) {
        Ok(name) if name.is_empty() => Err("Engine: empty. Every row names its engine".to_owned()),
        Ok(name) => Ok(name),
        Err(error) => Err(error.to_string()),
    }
}

fn take(read: &mut Read, cells: &Cells) -> Result<(), String> {
    let name = name_of(cells.text("engine"))?;
    let known = read.engines.iter().position(|engine| engine.name == name);
    let card = card(cells, known.and_then(|place| read.engines.get(place)).map(|engine| &engine.card))?;
    let point = point(cells)?;
    let source = field::text("Source", cells.text("source"), 200).map_err(|error| error.to_string())?;
    let in_force_from = match cells.text("in_force_from") {
        "" => None,
        day => Some(
            day.parse::<NaiveDate>()
                .map_err(|_| format!("In force from: “{day}” is no day; write year-month-day, for example 2025-03-01"))?,
        ),
    };
    let place = known.unwrap_or_else(|| {
        read.engines.push(LibraryEngine { name, card, sheets: Vec::new() });
        read.engines.len() - 1
    });
    let Some((engine, point)) = read.engines.get_mut(place).zip(point) else { return Ok(()) };
    match engine.sheets.iter_mut().find(|sheet| sheet.source == source && sheet.in_force_from == in_force_from) {
        Some(sheet) if sheet.points.contains(&point) => return Err("this line of the sheet is in the file already".to_owned()),
        Some(sheet) => sheet.points.push(point),
        None => engine.sheets.push(Sheet { source, in_force_from, points: vec![point], ..Sheet::default() }),
    }
    Ok(())
}

fn card(cells: &Cells, known: Option<&Card>) -> Result<Card, String> {
    let needed = |field: &field::Field, name: &str| {
        cells.number(field, name)?.ok_or_else(|| format!("{}: empty. The first row of an engine needs it", field.label))
    };
    let said = ["displacement_l", "cylinders", "idle_rpm", "oil_grade"].iter().any(|name| !cells.text(name).is_empty());
    if let Some(known) = known.filter(|_| !said) {
        return Ok(known.clone());
    }
    let cylinders = needed(&field::CYLINDERS, "cylinders")?;
    let card = Card {
        relief_opens_kpa: cells.number(&field::RELIEF, "relief_opens_kpa")?,
        rated_rpm: cells.number(&field::RATED, "rated_rpm")?,
        ..Card::of(
            needed(&field::DISPLACEMENT, "displacement_l")?,
            cylinders.round() as u32,
            needed(&field::IDLE, "idle_rpm")?,
            cells.text("oil_grade"),
        )
    };
    if cylinders.fract() != 0.0 {
        return Err("Cylinders: a whole number, 1 to 16".to_owned());
    }
    check_card(&card).map_err(|error| error.message)?;
    match known {
        Some(known) if *known != card => {
            Err("its card is another than in the engine's first row; make them alike, or leave the card's columns empty".to_owned())
        }
        _ => Ok(card),
    }
}

fn point(cells: &Cells) -> Result<Option<Point>, String> {
    let rpm = cells.number(&field::RPM, "rpm")?;
    let Some(rpm) = rpm else {
        let stray = ["oil_temp_c", "min_kpa", "max_kpa"].iter().find(|name| !cells.text(name).is_empty());
        return stray.map_or(Ok(None), |name| Err(format!("{name} is there without a speed")));
    };
    let oil_temp_c = cells.number(&field::OIL_TEMP, "oil_temp_c")?.ok_or("Oil temperature: empty")?;
    let gear = match cells.text("gear") {
        "" => Gear::Neutral,
        typed => Gear::ALL
            .iter()
            .find(|(_, id, _)| *id == typed)
            .map(|(gear, ..)| *gear)
            .ok_or_else(|| format!("Gear: “{typed}” is not a gear; use neutral or drive"))?,
    };
    let point = Point {
        rpm,
        oil_temp_c,
        gear,
        min_kpa: cells.number(&field::PRESSURE, "min_kpa")?,
        max_kpa: cells.number(&field::PRESSURE, "max_kpa")?,
    };
    checked(&point)?;
    Ok(Some(point))
}

fn checked(point: &Point) -> Result<(), String> {
    match (point.min_kpa, point.max_kpa) {
        (None, None) => Err("a line of a sheet needs a least or a most pressure".to_owned()),
        (Some(least), Some(most)) if least > most => Err(format!("the least pressure, {least} kPa, is more than the most, {most} kPa")),
        _ => Ok(()),
    }
}

/// What taking a file in would do to an engine.
#[derive(Debug, Clone, PartialEq)]
pub enum Step {
    /// It is new, with so many revisions.
    Engine(Box<LibraryEngine>),
    /// It is here; this revision of its sheet is new.
    Revision(Box<NewRevision>),
    /// It is here with another card, which stays as it is.
    OtherCard(String),
    /// It is here, word for word.
    Same(String),
}

/// A revision that a file would add to an engine.
#[derive(Debug, Clone, PartialEq)]
pub struct NewRevision {
    /// The engine's name.
    pub engine: String,
    /// The sheet.
    pub sheet: Sheet,
    /// Which sheet would no longer be in force from its day on, and what would be different: a sentence each. Empty where none has the same first day.
    pub overrides: Vec<String>,
}

/// What a sheet would be judged by instead of the one that has the same first day.
fn overrides(sheet: &Sheet, known: &[Sheet], units: Units) -> Vec<String> {
    // Of several with one first day the last is in force.
    let Some(here) = known.iter().rev().find(|other| other.in_force_from == sheet.in_force_from) else { return Vec::new() };
    let day = here.in_force_from.map_or_else(|| "without a date".to_owned(), |day| format!("in force from {day}"));
    let source = if here.source == sheet.source { "the same source".to_owned() } else { format!("source “{}”", here.source) };
    let limits = |point: &Point| limit_words(point.min_kpa, point.max_kpa, units);
    let at = |point: &Point| point.words(units);
    let same_point = |one: &Point, other: &Point| (one.rpm, one.oil_temp_c, one.gear) == (other.rpm, other.oil_temp_c, other.gear);
    let mut says = vec![format!(
        "it replaces the sheet {day}, {source}: {} here, {} in the file",
        count(here.points.len(), "point"),
        count(sheet.points.len(), "point")
    )];
    for point in &here.points {
        match sheet.points.iter().find(|other| same_point(point, other)) {
            None => says.push(format!("{}: {} here, no point in the file", at(point), limits(point))),
            Some(other) if other != point => says.push(format!("{}: {} here, {} in the file", at(point), limits(point), limits(other))),
            Some(_) => {}
        }
    }
    says
}

/// What importing would do to what is here already. Nothing that is here is changed: a card is changed by hand, and a revision is added and never overwritten.
pub fn plan(read: &Read, stands: &[LibraryEngine], units: Units) -> Vec<Step> {
    let mut steps = Vec::new();
    for engine in &read.engines {
        let Some(known) = stands.iter().find(|known| known.name.eq_ignore_ascii_case(&engine.name)) else {
            steps.push(Step::Engine(Box::new(engine.clone())));
            continue;
        };
        if alike(&known.card) != alike(&engine.card) {
            steps.push(Step::OtherCard(known.name.clone()));
        }
        for sheet in &engine.sheets {
            let same = known.sheets.iter().any(|other| {
                // A row of CSV has no room for torques: without any it says nothing of them.
                let torques = sheet.torques.is_empty() || other.torques == sheet.torques;
                let besides = sheet.besides.is_silent() || other.besides == sheet.besides;
                other.in_force_from == sheet.in_force_from && other.points == sheet.points && torques && besides
            });
            steps.push(if same {
                Step::Same(format!("{}: {}", known.name, sheet.source))
            } else {
                Step::Revision(Box::new(NewRevision {
                    engine: known.name.clone(),
                    sheet: sheet.clone(),
                    overrides: overrides(sheet, &known.sheets, units),
                }))
            });
        }
        if engine.sheets.is_empty() && alike(&known.card) == alike(&engine.card) {
            steps.push(Step::Same(known.name.clone()));
        }
    }
    steps
}

/// The limits that a form would question, of everything that importing would add: whose they are, and why.
pub fn questions(steps: &[Step], units: Units) -> Vec<String> {
    let added: Vec<(&str, &Sheet)> = steps
        .iter()
        .flat_map(|step| match step {
            Step::Engine(engine) => engine.sheets.iter().map(|sheet| (engine.name.as_str(), sheet)).collect(),
            Step::Revision(new) => vec![(new.engine.as_str(), &new.sheet)],
            Step::OtherCard(_) | Step::Same(_) => Vec::new(),
        })
        .collect();
    let points = added.into_iter().flat_map(|(name, sheet)| sheet.points.iter().map(move |point| (name, sheet, point)));
    points.filter_map(|(name, sheet, point)| Some(format!("{name}, “{}”: {}", sheet.source, questionable(point, units)?))).collect()
}

/// What importing would put out of force, a line each.
pub fn overridden(steps: &[Step]) -> Vec<String> {
    let new = steps.iter().filter_map(|step| if let Step::Revision(new) = step { Some(new) } else { None });
    new.flat_map(|new| new.overrides.iter().map(|said| format!("{}, “{}”: {said}", new.engine, new.sheet.source))).collect()
}

/// What a CSV row can say of a card.
fn alike(card: &Card) -> (u64, u32, u64, &str) {
    (card.displacement_l.to_bits(), card.cylinders, card.idle_rpm.to_bits(), &card.oil_grade)
}

/// As CSV.
///
/// # Errors
/// When the writer fails, which in memory it does not.
pub fn to_csv(engines: &[LibraryEngine]) -> Result<Vec<u8>, csv::Error> {
    let mut writer = WriterBuilder::new().from_writer(Vec::new());
    writer.write_record(COLUMNS)?;
    let some = |value: Option<f64>| value.map(|value| value.to_string()).unwrap_or_default();
    for engine in engines {
        let card = &engine.card;
        let own = [
            engine.name.clone(),
            card.displacement_l.to_string(),
            card.cylinders.to_string(),
            card.idle_rpm.to_string(),
            card.oil_grade.clone(),
            some(card.relief_opens_kpa),
            some(card.rated_rpm),
        ];
        if engine.sheets.iter().all(|sheet| sheet.points.is_empty()) {
            writer.write_record(own.iter().map(String::as_str).chain([""; 7]))?;
        }
        for sheet in &engine.sheets {
            let day = sheet.in_force_from.map(|day| day.to_string()).unwrap_or_default();
            for point in &sheet.points {
                let line = [
                    point.rpm.to_string(),
                    point.oil_temp_c.to_string(),
                    point.gear.id().to_owned(),
                    some(point.min_kpa),
                    some(point.max_kpa),
                ];
                writer.write_record(own.iter().chain([&sheet.source, &day]).chain(&line))?;
            }
        }
    }
    writer.into_inner().map_err(|error| error.into_error().into())
}

/// As JSON, with the whole cards.
pub fn to_json(engines: &[LibraryEngine]) -> String {
    serde_json::to_string_pretty(&LibraryFile { format: FORMAT.to_owned(), engines: engines.to_vec() }).unwrap_or_default()
}
