//! The thread finder: caliper and pitch gauge to likely threads, how each seals, and what would start in it and then bind.
use crate::http::form::{self, Choice, Form, Kind, Question, Read};
use crate::http::{Failure, SignedIn};
use crate::ui::field::FieldView as Field;
use crate::ui::picture::threads::{self, Threads};
use crate::ui::{Chrome, DisplayPreferences, Place, show};
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::web::{self, ServiceConfig, get};
use askama::Template;
use velvet_dial_core::calculator::{Match, Origin, Stamp, ThreadMeasured, which};
use velvet_dial_core::field;

/// What was measured; all but the diameter may be unsure.
static FORM: Form = Form {
    name: "thread",
    asks: &[
        Question::new("diameter", "Diameter", "mm, or with in behind it", Kind::Number(&field::THREAD_DIAMETER)),
        Question::new("pitch", "Pitch", "mm, if known", Kind::NumberOrNone(&field::PITCH)),
        Question::new("turns", "Turns an inch", "if known", Kind::NumberOrNone(&field::TURNS_PER_INCH)),
        Question::new("taper", "Tapered", "", Kind::Choice),
        Question::new("side", "Measured on", "", Kind::Choice),
        Question::new("stamp", "Stamped on it", "", Kind::Choice),
        Question::new("origin", "Made for engines of", "", Kind::Choice),
        Question::new("housing", "Housing", "", Kind::Choice),
        Question::new("back", "", "", Kind::Hidden),
    ],
};

const TAPERS: &[(Option<bool>, &str, &str)] =
    &[(None, "unsure", "unsure"), (Some(true), "yes", "it narrows"), (Some(false), "no", "straight")];
const SIDES: &[(bool, &str, &str)] = &[(false, "plug", "plug or sender, outside"), (true, "port", "port, its bore")];
const HOUSINGS: &[(Housing, &str, &str)] =
    &[(Housing::Unsure, "unsure", "unsure"), (Housing::Aluminium, "aluminium", "aluminium"), (Housing::Iron, "iron", "iron or steel")];

#[derive(Debug, Clone, Copy, PartialEq)]
enum Housing {
    Unsure,
    Aluminium,
    Iron,
}

impl Housing {
    /// What the hand minds when it tightens.
    fn caution(self) -> &'static str {
        match self {
            Self::Aluminium | Self::Unsure => {
                "In aluminium a tapered thread takes little torque and splits the housing when forced: by hand, then a turn and a half at most. The maker's figure comes first."
            }
            Self::Iron => "Iron forgives more, the adapter does not: by hand, then as the maker's figure says.",
        }
    }
}

/// A thread it may be.
pub struct Likely {
    pub name: &'static str,
    pub odds: String,
    pub size: String,
    pub seals: &'static str,
    pub lookalikes: Vec<Lookalike>,
}

/// What it is mistaken for.
pub struct Lookalike {
    pub name: &'static str,
    pub warning: String,
}

#[derive(Template)]
#[template(path = "shop/thread/thread.html")]
struct Page {
    chrome: Chrome,
    fields: Vec<Field>,
    /// None before anything was measured.
    found: Option<Vec<Likely>>,
    threads: Option<Threads>,
    caution: &'static str,
    problem: Option<String>,
    back: Option<i64>,
}

/// Shows the finder with what its address carries.
async fn page(SignedIn(viewer): SignedIn, preferences: DisplayPreferences, query: web::Query<form::Sent>) -> Result<HttpResponse, Failure> {
    let sent = query.into_inner();
    let asked = sent.get("diameter").is_some_and(|diameter| !diameter.trim().is_empty());
    let mut typed = Read::of(&FORM, &sent, preferences.unit);
    let (housing, mut problem, mut found) = (typed.choice("housing", HOUSINGS).unwrap_or(Housing::Unsure), None, None);
    if asked {
        let measured = typed.number("diameter").map(|diameter_mm| ThreadMeasured {
            diameter_mm,
            pitch_mm: typed.number("pitch"),
            turns_per_inch: typed.number("turns"),
            tapered: typed.choice("taper", TAPERS).flatten(),
            female: typed.choice("side", SIDES).unwrap_or(false),
            stamp: typed.choice("stamp", Stamp::ALL),
            origin: typed.choice("origin", Origin::ALL),
        });
        match measured.filter(|_| typed.form_state.is_clean()).map(|measured| which(&measured)) {
            Some(Ok(matches)) => found = Some(matches),
            Some(Err(error)) => problem = Some(error.to_string()),
            None => {}
        }
    }
    let threads = found.as_ref().and_then(|all| all.first()).and_then(|best| threads::pair(best, worst(best)?));
    let status = if asked && found.is_none() { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::OK };
    let choices = |name: &str| match name {
        "taper" => Choice::all(TAPERS),
        "side" => Choice::all(SIDES),
        "stamp" => Choice::all_or_unknown(Stamp::ALL),
        "origin" => Choice::all_or_unknown(Origin::ALL),
        _ => Choice::all(HOUSINGS),
    };
    let page = Page {
        chrome: Chrome::of(&viewer, preferences, "Thread finder").at(Place::Calculators),
        fields: FORM.draw(&typed.form_state, preferences.unit, choices),
        found: found.map(|all| likely(&all)),
        threads,
        caution: housing.caution(),
        problem,
        back: typed.raw("back").parse().ok(),
    };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

/// The lookalike that does most harm: one that starts and then binds.
fn worst(best: &Match) -> Option<&velvet_dial_core::calculator::Lookalike> {
    best.lookalikes.iter().find(|other| other.binds_after_turns.is_some()).or(best.lookalikes.first())
}

/// Left for a thread that the table does not hold, and for a measure taken wrong.
const NONE_OF_THESE: f64 = 0.05;

/// Odds by how far each is off what was measured, as errors of measuring fall.
fn likely(all: &[Match]) -> Vec<Likely> {
    let weight = |found: &Match| (-0.5 * found.off * found.off).exp();
    let sum: f64 = NONE_OF_THESE + all.iter().map(weight).sum::<f64>();
    all.iter()
        .map(|found| Likely {
            name: found.name,
            odds: show::percent(weight(found) / sum),
            size: format!("{:.2} mm · {:.3} mm pitch · {:.1} turns an inch", found.diameter_mm, found.pitch_mm, found.turns_per_inch),
            seals: found.seals,
            lookalikes: found.lookalikes.iter().map(|other| Lookalike { name: other.name, warning: other.warning.clone() }).collect(),
        })
        .collect()
}

/// Its address.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/thread", get().to(page));
}
