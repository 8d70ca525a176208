//! The calculators: each asks by its own schema, answers as a figure changes, carries its figures in its address, and is kept in a job by a tap.
use crate::http::{Failure, SignedIn, form};
use crate::state::App;
use crate::ui::picture::worked::{self, Picture};
use crate::ui::{Chrome, DisplayPreferences, Place};
use actix_web::HttpResponse;
use actix_web::web::{self, ServiceConfig, get};
use askama::Template;
use velvet_dial_core::calculator::asked::{self, Asks, AtHand, Line};
use velvet_dial_core::calculator::{ALL, Calculator};
use velvet_dial_core::unit::Units;
use velvet_dial_store::library::{self, Engine};

/// A calculator in the list.
pub struct Listed {
    name: &'static str,
    title: &'static str,
    says: &'static str,
}

#[derive(Template)]
#[template(path = "shop/calculators/list.html")]
struct List {
    chrome: Chrome,
    groups: Vec<Group>,
}

/// A question as it is drawn.
struct QuestionView {
    name: String,
    label: String,
    hint: String,
    value: String,
    problem: String,
    needed: bool,
    how: How,
}

/// How it is answered.
enum How {
    Number,
    Line,
    Lines,
    Tick,
    Select(Vec<(String, String)>),
}

#[derive(Template)]
#[template(path = "shop/calculators/one.html")]
struct One {
    chrome: Chrome,
    name: &'static str,
    title: &'static str,
    says: &'static str,
    questions: Vec<QuestionView>,
    answer: Answer,
    /// The job that it may be kept in.
    job: String,
}

#[derive(Template)]
#[template(path = "shop/calculators/answer.html")]
struct Answer {
    lines: Vec<Line>,
    problem: String,
    picture: Option<Picture>,
    /// What a job would keep of it.
    kept: Option<Kept>,
}

struct Kept {
    job: String,
    key: uuid::Uuid,
    calculator: &'static str,
    typed: String,
}

/// What stands before the colon or comma of what it answers.
fn title(calculator: &Calculator) -> (&'static str, &'static str) {
    calculator.answers.split_once([':', ',']).map_or((calculator.answers, ""), |(title, says)| (title, says.trim()))
}

/// Calculators by the stage of a job that they belong to, with the word of its drawing.
const GROUPS: [(&str, &str, &[&str]); 6] = [
    ("rig", "Gauge setup", &["gauge", "thread", "transducer", "lamp"]),
    ("run", "Run", &["build", "pulses", "warm"]),
    ("compare", "Compare", &["dash"]),
    ("trace", "Trace", &["tilt", "screen", "feed_bore"]),
    ("open-up", "Open up", &["strip", "journals", "relief"]),
    ("put-right", "Repair", &["fill", "mixture", "restrictor", "timetable"]),
];

/// A stage with its calculators.
pub struct Group {
    /// The word of its drawing.
    pub drawing: String,
    pub title: &'static str,
    pub all: Vec<Listed>,
}

async fn list(SignedIn(viewer): SignedIn, preferences: DisplayPreferences) -> Result<HttpResponse, Failure> {
    let listed = |calculator: &'static Calculator| {
        let (title, says) = title(calculator);
        Listed { name: calculator.name, title, says }
    };
    let group = |(drawing, title, names): (&'static str, &'static str, &[&str])| Group {
        drawing: drawing.to_owned(),
        title,
        all: names.iter().filter_map(|name| Calculator::named(name)).map(listed).collect(),
    };
    // What belongs to no stage is listed last, so that a new one is never lost.
    let placed = |calculator: &&Calculator| GROUPS.iter().any(|(.., names)| names.contains(&calculator.name));
    let rest: Vec<Listed> = ALL.iter().filter(|calculator| !placed(calculator)).map(listed).collect();
    let rest = (!rest.is_empty()).then_some(Group { drawing: "report".to_owned(), title: "Others", all: rest });
    let all = GROUPS.into_iter().map(group).chain(rest);
    let page = List { chrome: Chrome::of(&viewer, preferences, "Calculators").at(Place::Calculators), groups: all.collect() };
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(page.render()?))
}

/// Shows one with what its address carries; for htmx its answer alone.
async fn one(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    path: web::Path<String>,
    query: web::Query<form::Sent>,
) -> Result<HttpResponse, Failure> {
    let calculator = Calculator::named(&path).ok_or(Failure::NoPage)?;
    let sent = query.into_inner();
    let engines = library::engines(&app.db, &who.0).await?;
    let gauges = library::gauges(&app.db, &who.0).await?;
    let unit = Units::parse(sent.get("unit").map_or("", String::as_str)).unwrap_or(preferences.unit);
    let at_hand = AtHand {
        engine: chosen(&engines, sent.get("engine")).and_then(|engine| serde_json::to_value(&engine.card).ok()),
        gauge: gauges.iter().find(|gauge| Some(&gauge.name) == sent.get("gauge")).and_then(|gauge| serde_json::to_value(&gauge.gauge).ok()),
        gauges: gauges
            .iter()
            .map(|gauge| {
                let (card, name) = (&gauge.gauge, &gauge.name);
                serde_json::json!({ "name": name, "full_scale_kpa": card.full_scale_kpa, "class_percent": card.class_percent, "graduation_kpa": card.graduation_kpa })
            })
            .collect(),
    };
    let questions = asked::questions(calculator);
    let began = questions.iter().any(|question| sent.get(&question.name).is_some_and(|typed| !typed.trim().is_empty()));
    let read = asked::input(calculator, &sent, &at_hand, unit);
    let wrong: Vec<(String, String)> = if began { read.clone().err().unwrap_or_default() } else { Vec::new() };
    let ran = read.ok().filter(|_| began).map(|input| (calculator.run(&input), input));
    let job = sent.get("job").cloned().unwrap_or_default();
    let answer = match &ran {
        Some((Ok(value), input)) => Answer {
            lines: asked::told(value, preferences.unit),
            problem: String::new(),
            picture: worked::picture(calculator.name, input, value, preferences.unit),
            kept: Some(&job).filter(|job| job.parse::<i64>().is_ok()).map(|job| Kept {
                job: job.clone(),
                key: uuid::Uuid::new_v4(),
                calculator: calculator.name,
                typed: input.clone(),
            }),
        },
        Some((Err(error), _)) => Answer { lines: Vec::new(), problem: error.words(preferences.unit), picture: None, kept: None },
        // What was typed wrongly comes before what is still missing.
        None => Answer {
            lines: Vec::new(),
            problem: wrong
                .iter()
                .find(|(name, _)| sent.get(name).is_some_and(|typed| !typed.trim().is_empty()))
                .or(wrong.first())
                .map(|(_, told)| told.clone())
                .unwrap_or_default(),
            picture: None,
            kept: None,
        },
    };
    if preferences.fragment {
        return Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(answer.render()?));
    }
    let drawn = questions.into_iter().filter(|question| question.asks != Asks::Gauges).map(|question| QuestionView {
        value: sent.get(&question.name).cloned().unwrap_or_default(),
        problem: wrong.iter().find(|(name, _)| *name == question.name).map(|(_, told)| told.clone()).unwrap_or_default(),
        hint: hint(&question.hint, question.unit, unit),
        how: how(&question.asks, &engines, &gauges),
        name: question.name,
        label: question.label,
        needed: question.needed,
    });
    let (title, says) = title(calculator);
    let page = One {
        chrome: Chrome::of(&who.0, preferences, title).at(Place::Calculators),
        name: calculator.name,
        title,
        says,
        questions: drawn.collect(),
        answer,
        job,
    };
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(page.render()?))
}

fn chosen<'a>(engines: &'a [Engine], id: Option<&String>) -> Option<&'a Engine> {
    engines.iter().find(|engine| Some(&engine.id.to_string()) == id)
}

/// The unit that is liked, then what else is said; the unit that the description names itself is left out.
fn hint(hint: &str, unit: &'static str, liked: Units) -> String {
    const NAMED: [&str; 6] = ["litres", "turns a minute", "degrees", "seconds", "minutes", "percent"];
    let shown = match unit {
        "kPa" => liked.label(),
        "°C" => liked.temperature.label(),
        unit => unit,
    };
    let told = |part: &&str| !part.is_empty() && *part != unit && !NAMED.contains(part);
    let rest = hint.split([',', ';']).map(str::trim).filter(told);
    std::iter::once(shown).filter(|shown| !shown.is_empty()).chain(rest).collect::<Vec<_>>().join(", ")
}

fn how(asks: &Asks, engines: &[Engine], gauges: &[velvet_dial_store::library::Gauge]) -> How {
    let none = |label: &str| (String::new(), label.to_owned());
    match asks {
        Asks::Number => How::Number,
        Asks::Tick => How::Tick,
        Asks::Maybe => How::Select(vec![none("cannot be calculated"), ("yes".into(), "yes".into()), ("no".into(), "no".into())]),
        Asks::Word(words) => How::Select(words.iter().map(|word| (word.clone(), word.replace('_', " "))).collect()),
        Asks::Engine => How::Select(
            std::iter::once(none("choose one")).chain(engines.iter().map(|engine| (engine.id.to_string(), engine.name.clone()))).collect(),
        ),
        Asks::Gauge => How::Select(
            std::iter::once(none("an ordinary one")).chain(gauges.iter().map(|gauge| (gauge.name.clone(), gauge.name.clone()))).collect(),
        ),
        Asks::Numbers | Asks::Text | Asks::Gauges => How::Line,
        Asks::Rows(_) => How::Lines,
    }
}

/// Addresses.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/calculators", get().to(list)).route("/calculators/{name}", get().to(one));
}
