//! The gauge register: what each gauge is, whether its calibration is due, what it showed beside a second one, and the adapters in the drawer.
mod form;

use crate::http::form::{Choice, Form, Kind, Question, Read, Sent, taken};
use crate::http::{Failure, FormState, SignedIn};
use crate::state::App;
use crate::ui::field::FieldView as Field;
use crate::ui::{Chrome, DisplayPreferences, Place, show, words};
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::web::{self, ServiceConfig, get, post};
use askama::Template;
use chrono::{NaiveDate, TimeDelta, Utc};
use form::GaugeForm;
use serde::Deserialize;
use uuid::Uuid;
use velvet_dial_core::adapter::{Adapter, End, Piece, Ring};
use velvet_dial_core::field;
use velvet_dial_core::thread::threads;
use velvet_dial_core::unit::Units;
use velvet_dial_store::Viewer;
use velvet_dial_store::library::{self, Gauge, GaugeCheck};

/// An adapter.
static ADAPTER: Form = Form {
    name: "adapter",
    asks: &[
        Question::new("name", "Adapter", "a name to find it by", Kind::Needed(120, "nothing typed yet.")),
        Question::new("one", "One end", "", Kind::Choice),
        Question::new("one_side", "It is", "", Kind::Choice),
        Question::new("other", "Other end", "", Kind::Choice),
        Question::new("other_side", "It is", "", Kind::Choice),
        Question::new("piece", "What it is", "", Kind::Choice),
        Question::new("length_mm", "Length", "mm, of a hose", Kind::NumberOrNone(&field::HOSE)),
        Question::new("bore_mm", "Bore", "mm, of a hose or coupling", Kind::NumberOrNone(&field::BORE)),
        Question::new("ring", "Sealing ring", "", Kind::Choice),
        Question::new("shuts", "closes by itself when disconnected", "", Kind::Tick),
    ],
};

/// What a gauge showed beside a second one.
static BESIDE: Form = Form {
    name: "beside",
    asks: &[
        Question::new("gauge", "", "", Kind::Hidden),
        Question::new("beside", "Second gauge", "", Kind::Needed(120, "nothing typed yet.")),
        Question::new("reads", "This one shows", "", Kind::Pressure(&field::PRESSURE)),
        Question::new("second", "The second shows", "", Kind::Pressure(&field::PRESSURE)),
    ],
};

const SIDES: &[(bool, &str, &str)] = &[(true, "male", "male, goes in"), (false, "female", "female, goes over")];
/// A calibration that is due within this is told.
const SOON: TimeDelta = TimeDelta::days(30);

/// A gauge in the register.
pub struct Row {
    pub id: String,
    pub name: String,
    pub what: String,
    pub papers: String,
    pub due: Due,
    pub checks: Vec<GaugeComparison>,
    /// The form of a check beside a second one.
    pub fields: Vec<Field>,
    pub open: bool,
}

/// Whether its calibration is due.
pub struct Due {
    pub shape: &'static str,
    pub word: String,
}

/// A check beside a second gauge.
pub struct GaugeComparison {
    pub said: String,
    pub agrees: bool,
    pub who: String,
}

/// An adapter of the drawer.
pub struct PieceRow {
    pub id: String,
    pub name: String,
    pub ends: String,
    /// What the hand minds with it.
    pub minds: String,
}

#[derive(Template)]
#[template(path = "shop/gauges/gauges.html")]
struct Page {
    chrome: Chrome,
    unit: Units,
    rows: Vec<Row>,
    pieces: Vec<PieceRow>,
    fields: Vec<Field>,
    form: GaugeForm,
    /// What was changed before on the gauge that is changed, a line each.
    history: Vec<String>,
}

/// What is being typed.
struct Typed {
    /// The unit of the form that came back.
    unit: Units,
    /// A gauge; none for a new one.
    gauge: Option<(Option<Uuid>, FormState)>,
    /// An adapter, or a comparison with a second gauge.
    other: FormState,
}

async fn page(app: &App, who: &Viewer, preferences: DisplayPreferences, typed: Typed) -> Result<HttpResponse, Failure> {
    let Typed { unit, gauge, other: form_state } = typed;
    let gauges = library::gauges(&app.db, who).await?;
    let mut checks = library::gauge_checks(&app.db, who).await?;
    let adapters = library::adapters(&app.db, who).await?;
    let changing = gauge.as_ref().and_then(|(id, _)| gauges.iter().find(|known| Some(known.id) == *id));
    let history = match changing {
        Some(gauge) => form::history(app, who, gauge, unit).await?,
        None => Vec::new(),
    };
    let today = who.zone.day(Utc::now().naive_utc());
    let clean = form_state.is_clean() && gauge.as_ref().is_none_or(|(_, form_state)| form_state.is_clean());
    let status = if clean { StatusCode::OK } else { StatusCode::UNPROCESSABLE_ENTITY };
    let rows =
        gauges.iter().map(|gauge| row(gauge, &checks.remove(&gauge.id).unwrap_or_default(), who, (today, &form_state, unit))).collect();
    let page = Page {
        chrome: Chrome::of(who, preferences, "Gauges and adapters").at(Place::Gauges),
        unit,
        rows,
        pieces: adapters
            .into_iter()
            .map(|adapter| PieceRow {
                id: adapter.id.to_string(),
                minds: adapter.adapter.minds().join(" · "),
                ends: adapter.adapter.words(),
                name: adapter.name,
            })
            .collect(),
        fields: ADAPTER.draw(&form_state, unit, choices),
        form: form::laid_out(gauge, unit),
        history,
    };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

fn choices(name: &str) -> Vec<Choice> {
    match name {
        "one_side" | "other_side" => Choice::all(SIDES),
        "piece" => Choice::all(Piece::ALL),
        "ring" => Choice::all(Ring::ALL),
        _ => threads().iter().map(|thread| Choice { id: thread.name.clone(), label: thread.name.clone() }).collect(),
    }
}

fn row(gauge: &Gauge, checks: &[GaugeCheck], who: &Viewer, (today, form_state, unit): (NaiveDate, &FormState, Units)) -> Row {
    let card = &gauge.gauge;
    let here = form_state.typed(BESIDE.name, "gauge") == gauge.id.to_string();
    let typed = if here { form_state.clone() } else { FormState::default() };
    let papers = [
        card.serial.as_ref().map(|serial| format!("serial {serial}")),
        card.certificate.as_ref().map(|number| format!("certificate {number}")),
        card.calibrated_on.map(|day| format!("calibrated {day}")),
        card.thread.as_ref().map(|thread| format!("male {thread}")),
    ];
    Row {
        id: gauge.id.to_string(),
        name: gauge.name.clone(),
        what: words::gauge(card, unit),
        papers: papers.into_iter().flatten().collect::<Vec<_>>().join(" · "),
        due: match card.due_on {
            None => Due { shape: "not_measured", word: "no due date".to_owned() },
            Some(due) if due < today => Due { shape: "below", word: format!("overdue since {due}") },
            Some(due) if due < today + SOON => Due { shape: "undecided", word: format!("due {due}") },
            Some(due) => Due { shape: "within", word: format!("good until {due}") },
        },
        checks: checks.iter().map(|check| beside(gauge, check, who, unit)).collect(),
        fields: BESIDE.draw(&typed, unit, |_| Vec::new()).into_iter().filter(|field| field.name != "gauge").collect(),
        open: here && !form_state.is_clean(),
    }
}

/// Two gauges agree when they differ by no more than the class and half a mark of the one allow.
fn beside(gauge: &Gauge, check: &GaugeCheck, who: &Viewer, unit: Units) -> GaugeComparison {
    GaugeComparison {
        said: format!("{} where {} showed {}", show::pressure(check.reads_kpa, unit), check.beside, show::pressure(check.beside_kpa, unit)),
        agrees: (check.reads_kpa - check.beside_kpa).abs() <= gauge.gauge.allowed_kpa(),
        who: format!("{}, {}", check.who, show::moment_with_year(check.at, &who.zone)),
    }
}

/// What the address asks for.
#[derive(Deserialize, Default)]
#[serde(default)]
struct GaugesQuery {
    /// A gauge that is changed.
    gauge: String,
}

/// Shows the gauges, with the form of the one that is changed.
async fn show_all(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    asked: web::Query<GaugesQuery>,
) -> Result<HttpResponse, Failure> {
    let mut typed = Typed { unit: preferences.unit, gauge: None, other: FormState::default() };
    if let Ok(id) = Uuid::parse_str(&asked.gauge) {
        let gauges = library::gauges(&app.db, &who.0).await?;
        let gauge = gauges.iter().find(|gauge| gauge.id == id).ok_or(Failure::NoPage)?;
        typed.gauge = Some((Some(id), form::of(gauge, preferences.unit)));
    }
    page(&app, &who.0, preferences, typed).await
}

/// Notes what a gauge showed beside a second one.
pub async fn check(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    path: web::Path<Uuid>,
    form: web::Form<Sent>,
) -> Result<HttpResponse, Failure> {
    let gauges = library::gauges(&app.db, &who.0).await?;
    if !gauges.iter().any(|gauge| gauge.id == *path) {
        return Err(Failure::NoPage);
    }
    let mut typed = Read::of(&BESIDE, &form, preferences.unit);
    let beside = typed.text("beside");
    if let (Some(reads), Some(second), true) = (typed.number("reads"), typed.number("second"), typed.form_state.is_clean()) {
        library::add_gauge_check(&app.db, &who.0, *path, &beside, (reads, second)).await?;
        return Ok(taken(BESIDE.name, "/gauges"));
    }
    typed.form_state.keep("gauge", &path.to_string());
    let unit = typed.unit();
    page(&app, &who.0, preferences, Typed { unit, gauge: None, other: typed.form_state }).await
}

/// Adds an adapter.
pub async fn add(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    form: web::Form<Sent>,
) -> Result<HttpResponse, Failure> {
    let mut typed = Read::of(&ADAPTER, &form, preferences.unit);
    let name = typed.text("name");
    let end = |typed: &Read<'_>, thread: &str, side: &str| {
        let thread = threads().iter().find(|known| known.name == typed.raw(thread))?;
        Some(End { thread: thread.name.clone(), male: typed.choice(side, SIDES)? })
    };
    let ends = end(&typed, "one", "one_side").zip(end(&typed, "other", "other_side"));
    let Some((one, other)) = ends else { return Err(Failure::Form("this thread is not on the list".to_owned())) };
    let adapter = Adapter {
        piece: typed.choice("piece", Piece::ALL).unwrap_or(Piece::Solid),
        length_mm: typed.number("length_mm"),
        bore_mm: typed.number("bore_mm"),
        shuts: typed.ticked("shuts"),
        ring: typed.choice("ring", Ring::ALL).unwrap_or(Ring::None),
        ..Adapter::of(one, other)
    };
    if typed.form_state.is_clean() {
        if library::add_adapter(&app.db, &who.0, &name, &adapter).await? {
            return Ok(taken(ADAPTER.name, "/gauges#adapters"));
        }
        typed.form_state.wrong("name", "Adapter: one of this name is in the list already. Choose another name.");
    }
    page(&app, &who.0, preferences, Typed { unit: preferences.unit, gauge: None, other: typed.form_state }).await
}

/// Takes one out of the drawer.
pub async fn remove(app: web::Data<App>, who: SignedIn, path: web::Path<Uuid>) -> Result<HttpResponse, Failure> {
    library::remove_adapter(&app.db, &who.0, *path).await?;
    Ok(taken(ADAPTER.name, "/gauges#adapters"))
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config
        .route("/gauges", get().to(show_all))
        .route("/gauges", post().to(form::add))
        .route("/gauges/{gauge}", post().to(form::change))
        .route("/gauges/{gauge}/beside", post().to(check))
        .route("/adapters", post().to(add))
        .route("/adapters/{adapter}/remove", post().to(remove));
}
