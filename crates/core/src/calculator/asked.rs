//! What a calculator asks, read off its own schema, so that a screen asks what the calculator takes and nothing else; what was typed as its input; and its answer in words.
use super::Calculator;
use crate::field::Field;
use crate::unit::{Temperature, Units, figures, first_upper};
use chrono::NaiveDateTime;
use serde_json::{Map, Value, json};
use std::collections::HashMap;

/// How a question is answered.
#[derive(Debug, Clone, PartialEq)]
pub enum Asks {
    /// A number.
    Number,
    /// Yes or no.
    Tick,
    /// Yes, no or not known.
    Maybe,
    /// One of these words.
    Word(Vec<String>),
    /// A text.
    Text,
    /// An engine of the library.
    Engine,
    /// A gauge of the shop; the ordinary one where none is chosen.
    Gauge,
    /// All gauges of the shop: not asked.
    Gauges,
    /// Numbers with commas or spaces between.
    Numbers,
    /// A line each, of these columns.
    Rows(Vec<Question>),
}

/// A question.
#[derive(Debug, Clone, PartialEq)]
pub struct Question {
    /// The calculator's word.
    pub name: String,
    /// On a screen.
    pub label: String,
    /// What else is said of it: range, and what holds without it.
    pub hint: String,
    /// Its unit; empty for none.
    pub unit: &'static str,
    /// It must be answered.
    pub needed: bool,
    /// How.
    pub asks: Asks,
}

/// What is at hand beside what is typed, as JSON.
#[derive(Debug, Clone, Default)]
pub struct AtHand {
    /// The engine that was chosen.
    pub engine: Option<Value>,
    /// The gauge that was chosen.
    pub gauge: Option<Value>,
    /// All gauges of the shop.
    pub gauges: Vec<Value>,
}

/// Units by the end of a name, the longer ends first.
const UNITS: [(&str, &str); 21] = [
    ("_n_mm", "N/mm"),
    ("_l_min", "l/min"),
    ("_mm2_s", "mm²/s"),
    ("_temp_c", "°C"),
    ("_percent", "%"),
    ("_minutes", "min"),
    ("_kpa", "kPa"),
    ("_rpm", "rpm"),
    ("_deg", "°"),
    ("_mm", "mm"),
    ("_hz", "Hz"),
    ("_c", "°C"),
    ("_l", "l"),
    ("_s", "s"),
    ("_v", "V"),
    ("_n", "N"),
    ("minutes", "min"),
    ("volts", "V"),
    ("seconds", "s"),
    ("kpa", "kPa"),
    ("rpm", "rpm"),
];

/// A name without its unit, and the unit.
fn parted(name: &str) -> (&str, &'static str) {
    UNITS
        .iter()
        .find_map(|(end, unit)| name.strip_suffix(end).map(|stem| (if end.starts_with('_') { stem } else { name }, *unit)))
        .unwrap_or((name, ""))
}

/// What it asks, in the order of its schema's needed and optional properties.
pub fn questions(calculator: &Calculator) -> Vec<Question> {
    let schema = calculator.schema().to_value();
    of_object(&schema, &schema)
}

fn of_object(object: &Value, whole: &Value) -> Vec<Question> {
    let needed: Vec<&str> = object["required"].as_array().into_iter().flatten().filter_map(Value::as_str).collect();
    let properties = object["properties"].as_object();
    let mut questions: Vec<Question> = properties
        .into_iter()
        .flatten()
        .map(|(name, property)| of_property(name, property, needed.contains(&name.as_str()), whole))
        .collect();
    // What must be answered comes first, else in the order that the calculator's author gave it.
    questions.sort_by_key(|question| !question.needed);
    questions
}

fn of_property(name: &str, property: &Value, needed: bool, whole: &Value) -> Question {
    let described = property["description"].as_str().unwrap_or(name).trim_end_matches('.').replace('`', "");
    let (label, hint) = described.split_once([',', ';', ':', '(']).unwrap_or((&described, ""));
    let (_, unit) = parted(name);
    let hint = hint.trim().trim_end_matches(')');
    // The unit stands beside it already.
    let hint = hint
        .strip_prefix(unit)
        .filter(|rest| rest.starts_with([',', ':', ';']))
        .map_or(hint, |rest| rest.trim_start_matches([',', ':', ';', ' ']));
    let asks = asks(name, property, whole);
    let how = match &asks {
        Asks::Rows(columns) => {
            let columns: Vec<String> = columns.iter().map(|column| column.label.to_lowercase()).collect();
            format!("a line each: {}, with commas between", columns.join(", "))
        }
        Asks::Numbers => "with spaces between".to_owned(),
        _ => String::new(),
    };
    let hint = [hint, &how].into_iter().filter(|part| !part.is_empty()).collect::<Vec<_>>().join("; ");
    Question { name: name.to_owned(), label: label.trim().to_owned(), hint, unit, needed, asks }
}

fn asks(name: &str, property: &Value, whole: &Value) -> Asks {
    let target = |property: &Value| -> Option<Value> {
        let reference = property["$ref"].as_str().or_else(|| property["anyOf"].as_array()?.iter().find_map(|one| one["$ref"].as_str()))?;
        whole["$defs"].get(reference.strip_prefix("#/$defs/")?).cloned()
    };
    let is = |kind: &str| property["type"] == kind || property["type"].as_array().is_some_and(|all| all.iter().any(|one| one == kind));
    match name {
        "engine" => return Asks::Engine,
        "gauge" => return Asks::Gauge,
        "gauges" => return Asks::Gauges,
        _ => {}
    }
    if let Some(words) = target(property).map(|target| words(&target)).filter(|words| !words.is_empty()) {
        return Asks::Word(words);
    }
    if is("array") {
        return match target(&property["items"]) {
            Some(item) => Asks::Rows(of_object(&item, whole)),
            None => Asks::Numbers,
        };
    }
    if is("boolean") {
        return if is("null") { Asks::Maybe } else { Asks::Tick };
    }
    if is("number") || is("integer") { Asks::Number } else { Asks::Text }
}

fn words(target: &Value) -> Vec<String> {
    let own = target["enum"].as_array().into_iter().flatten().filter_map(Value::as_str);
    let of_each = target["oneOf"].as_array().into_iter().flatten().filter_map(|one| one["const"].as_str());
    own.chain(of_each).map(str::to_owned).collect()
}

/// A number as it was typed: decimal commas and units as everywhere; without a unit it is in the one that is liked.
fn number(question: &Question, typed: &str, liked: Units) -> Result<Value, String> {
    let field = Field { key: "", label: "This figure", min: -1e12, max: 1e12, unit: question.unit };
    let bare = typed.trim().ends_with(|letter: char| letter.is_ascii_digit() || matches!(letter, '.' | ','));
    let said = match question.unit {
        "kPa" if bare => format!("{typed} {}", liked.label()),
        "°C" if bare && liked.temperature == Temperature::Fahrenheit => format!("{typed} f"),
        _ => typed.to_owned(),
    };
    let value = field.parse(&said).map_err(|_| format!("{}: “{}” is not a number.", question.label, typed.trim()))?;
    Ok(json!(value))
}

fn answered(question: &Question, typed: &str, at_hand: &AtHand, liked: Units) -> Result<Option<Value>, String> {
    let typed = typed.trim();
    let some = |value: Value| Ok(Some(value));
    match &question.asks {
        Asks::Engine => at_hand.engine.clone().map_or_else(|| Err("Choose the engine.".to_owned()), some),
        Asks::Gauge => Ok(at_hand.gauge.clone()),
        Asks::Gauges => some(Value::Array(at_hand.gauges.clone())),
        Asks::Tick => some(json!(!typed.is_empty())),
        _ if typed.is_empty() => {
            if question.needed {
                Err(format!("{}: nothing typed yet.", question.label))
            } else {
                Ok(None)
            }
        }
        Asks::Number => number(question, typed, liked).map(Some),
        Asks::Maybe => some(json!(typed == "yes")),
        Asks::Word(words) if words.iter().any(|word| word == typed) => some(json!(typed)),
        Asks::Word(_) => Err(format!("{}: choose one of the list.", question.label)),
        Asks::Text => some(json!(typed)),
        Asks::Numbers => {
            let parts = typed.split([';', ' ', '\n']).map(|part| part.trim_end_matches(',')).filter(|part| !part.is_empty());
            parts.map(|part| number(question, part, liked)).collect::<Result<Vec<_>, _>>().map(|all| Some(Value::Array(all)))
        }
        Asks::Rows(columns) => typed
            .lines()
            .filter(|line| !line.trim().is_empty())
            .map(|line| row(columns, line, liked))
            .collect::<Result<Vec<_>, _>>()
            .map(|all| Some(Value::Array(all))),
    }
}

/// “190; 60”, or with commas where no semicolon stands in the line.
fn row(columns: &[Question], line: &str, liked: Units) -> Result<Value, String> {
    let cells: Vec<&str> = line.split(if line.contains(';') { ';' } else { ',' }).collect();
    let mut object = Map::new();
    for (place, column) in columns.iter().enumerate() {
        let told = answered(column, cells.get(place).copied().unwrap_or(""), &AtHand::default(), liked)?;
        object.extend(told.map(|told| (column.name.clone(), told)));
    }
    Ok(Value::Object(object))
}

/// The calculator's input of what was typed, as JSON.
///
/// # Errors
/// For each question that is wrongly answered, its name and a sentence.
pub fn input(
    calculator: &Calculator,
    typed: &HashMap<String, String>,
    at_hand: &AtHand,
    liked: Units,
) -> Result<String, Vec<(String, String)>> {
    let (mut object, mut wrong) = (Map::new(), Vec::new());
    for question in questions(calculator) {
        let text = typed.get(&question.name).map_or("", String::as_str);
        match answered(&question, text, at_hand, liked) {
            Ok(value) => object.extend(value.map(|value| (question.name.clone(), value))),
            Err(sentence) => wrong.push((question.name, sentence)),
        }
    }
    if wrong.is_empty() { Ok(Value::Object(object).to_string()) } else { Err(wrong) }
}

/// A line of an answer.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Line {
    /// What it is.
    pub label: String,
    /// What came out.
    pub text: String,
}

/// An answer in words, in the units that are liked.
pub fn told(answer: &Value, liked: Units) -> Vec<Line> {
    let mut lines = Vec::new();
    match answer {
        Value::Object(object) => object.iter().for_each(|(name, value)| told_one(name, value, liked, &mut lines)),
        Value::Array(all) => all.iter().enumerate().for_each(|(place, one)| {
            lines.push(Line { label: format!("{}", place + 1), text: in_a_row(one, liked) });
        }),
        other => lines.push(Line { label: "Answer".to_owned(), text: plain("", other, liked) }),
    }
    lines
}

fn told_one(name: &str, value: &Value, liked: Units, lines: &mut Vec<Line>) {
    let label = match parted(name).0 {
        "u" => "Standard uncertainty".to_owned(),
        stem => first_upper(&stem.replace('_', " ")),
    };
    match value {
        Value::Null => {}
        Value::Array(all) if all.is_empty() => {}
        Value::Array(all) => all.iter().enumerate().for_each(|(place, one)| {
            lines.push(Line { label: if place == 0 { label.clone() } else { String::new() }, text: in_a_row(one, liked) });
        }),
        _ => lines.push(Line { label, text: plain(name, value, liked) }),
    }
}

fn in_a_row(value: &Value, liked: Units) -> String {
    let Value::Object(object) = value else { return plain("", value, liked) };
    let parts = object.iter().filter(|(_, value)| !value.is_null() && !value.is_array() && !value.is_object());
    let part = |(name, value): (&String, &Value)| match value {
        Value::String(text) => said(text),
        _ => format!("{} {}", parted(name).0.replace('_', " "), plain(name, value, liked)),
    };
    parts.map(part).collect::<Vec<_>>().join(" · ")
}

fn plain(name: &str, value: &Value, liked: Units) -> String {
    let (_, unit) = parted(name);
    match value {
        Value::Bool(so) => (if *so { "yes" } else { "no" }).to_owned(),
        Value::String(text) => said(text),
        Value::Number(number) => {
            let value = number.as_f64().unwrap_or(f64::NAN);
            match unit {
                "kPa" => liked.with_unit(value),
                "°C" => liked.temp(value),
                unit => format!("{} {unit}", figures(value)).trim_end().to_owned(),
            }
        }
        other => other.to_string(),
    }
}

/// A word, or a moment as it is said.
fn said(text: &str) -> String {
    text.parse::<NaiveDateTime>().map_or_else(|_| text.replace('_', " "), |at| at.format("%Y-%m-%d %H:%M").to_string())
}
