//! A gauge, read and written as a form.
use super::{Typed, page};
use crate::http::form::{Ask, Choice, Drawn, Form, Kind as Answer, Read, Sent, taken};
use crate::http::{Failure, SignedIn, Slip};
use crate::state::App;
use crate::ui::{Liking, show};
use actix_web::{HttpResponse, web};
use uuid::Uuid;
use velvet_dial_core::calculator::threads;
use velvet_dial_core::field;
use velvet_dial_core::instrument::{Instrument, Kind};
use velvet_dial_core::unit::Units;
use velvet_dial_store::library::{self, Gauge};

/// A gauge.
pub static GAUGE: Form = Form {
    name: "gauge",
    asks: &[
        Ask::new("name", "Gauge", "a name to find it by", Answer::Needed(120, "nothing typed yet; readings name it.")),
        Ask::new("kind", "Kind", "", Answer::Choice),
        Ask::new("full_scale", "Full scale", "", Answer::PressureOrNone(&field::FULL_SCALE)),
        Ask::new("class_percent", "Accuracy class", "% of full scale", Answer::NumberOrNone(&field::CLASS)),
        Ask::new("graduation", "Mark every", "", Answer::PressureOrNone(&field::GRADUATION)),
        Ask::new("opens", "Lamp switch opens at", "", Answer::PressureOrNone(&field::LAMP_OPENS)),
        Ask::new("armed_from_rpm", "Warning armed from", "rpm, if only above some speed", Answer::NumberOrNone(&field::RPM)),
        Ask::new("calibrated_on", "Calibrated on", "year-month-day", Answer::Day),
        Ask::new("due_on", "Due again on", "year-month-day", Answer::Day),
        Ask::new("serial", "Serial number", "", Answer::Text(60)),
        Ask::new("certificate", "Certificate", "its number", Answer::Text(60)),
        Ask::new("thread", "Its own thread", "male", Answer::Choice),
    ],
};

/// The form of a gauge as it stands.
pub fn of(gauge: &Gauge, unit: Units) -> Slip {
    let mut slip = Slip::of(GAUGE.name);
    let card = &gauge.gauge;
    slip.keep("name", &gauge.name);
    slip.keep("kind", card.kind.id());
    slip.keep("full_scale", &show::typed(card.full_scale_kpa, unit));
    slip.keep("class_percent", &show::plain(card.class_percent));
    slip.keep("graduation", &show::typed(card.graduation_kpa, unit));
    slip.keep("opens", &card.opens_kpa.map(|kpa| show::typed(kpa, unit)).unwrap_or_default());
    slip.keep("armed_from_rpm", &card.armed_from_rpm.map(show::plain).unwrap_or_default());
    for (name, day) in [("calibrated_on", card.calibrated_on), ("due_on", card.due_on)] {
        slip.keep(name, &day.map(|day| day.to_string()).unwrap_or_default());
    }
    for (name, said) in [("serial", &card.serial), ("certificate", &card.certificate), ("thread", &card.thread)] {
        slip.keep(name, said.as_deref().unwrap_or_default());
    }
    slip
}

fn read(read: &mut Read<'_>) -> Option<(String, Instrument)> {
    let name = read.text("name");
    let kind = read.choice("kind", Kind::ALL).unwrap_or(Kind::Bourdon);
    let (full_scale_kpa, class_percent, graduation_kpa) =
        (read.number("full_scale"), read.number("class_percent"), read.number("graduation"));
    let (opens_kpa, armed_from_rpm) = (read.number("opens"), read.number("armed_from_rpm"));
    let is_lamp = kind == Kind::LampSwitch;
    if is_lamp && opens_kpa.is_none() {
        read.slip.wrong(
            "opens",
            "Lamp switch opens at: enter the pressure at which the lamp goes out; it is stamped on the switch or on the sheet.",
        );
    }
    for (name, label, value) in [
        ("full_scale", "Full scale", full_scale_kpa),
        ("class_percent", "Accuracy class", class_percent),
        ("graduation", "Mark every", graduation_kpa),
    ] {
        if value.is_none() && !is_lamp && read.raw(name).trim().is_empty() {
            read.slip.wrong(name, format!("{label}: nothing typed yet; a gauge needs it to know how far it may be off."));
        }
    }
    let (calibrated_on, due_on) = (read.day("calibrated_on"), read.day("due_on"));
    let said = |text: String| Some(text).filter(|text| !text.is_empty());
    let (serial, certificate) = (said(read.text("serial")), said(read.text("certificate")));
    let thread = threads().iter().find(|thread| thread.name == read.raw("thread")).map(|thread| thread.name.clone());
    if let (Some(calibrated), Some(due)) = (calibrated_on, due_on)
        && due <= calibrated
    {
        read.slip.wrong("due_on", "Due on: a day before its calibration; enter the day by which it is to be calibrated again.");
    }
    if let (Some(scale), Some(mark)) = (full_scale_kpa, graduation_kpa)
        && mark > scale / 2.0
        && !is_lamp
    {
        read.slip.wrong("graduation", "Mark every: more than half the full scale; enter the step between two marks.");
    }
    // A lamp switch has neither scale nor class.
    let ordinary = is_lamp.then(Instrument::default);
    let ordinary = ordinary.as_ref();
    let gauge = Instrument {
        kind,
        full_scale_kpa: full_scale_kpa.or(ordinary.map(|gauge| gauge.full_scale_kpa))?,
        class_percent: class_percent.or(ordinary.map(|gauge| gauge.class_percent))?,
        graduation_kpa: graduation_kpa.or(ordinary.map(|gauge| gauge.graduation_kpa))?,
        calibrated_on,
        due_on,
        serial,
        certificate,
        thread,
        opens_kpa: opens_kpa.filter(|_| is_lamp),
        armed_from_rpm: armed_from_rpm.filter(|_| is_lamp),
    };
    read.slip.is_clean().then_some((name, gauge))
}

const NAME_TAKEN: &str = "Gauge: this name is already used. Choose another name.";

/// Adds a gauge.
pub async fn add(app: web::Data<App>, who: SignedIn, liking: Liking, form: web::Form<Sent>) -> Result<HttpResponse, Failure> {
    let mut typed = Read::of(&GAUGE, &form, liking.unit);
    if let Some((name, gauge)) = read(&mut typed) {
        if library::add_gauge(&app.db, &who.0, &name, &gauge).await?.is_some() {
            return Ok(taken(&draft(typed.unit()), "/gauges"));
        }
        typed.slip.wrong("name", NAME_TAKEN);
    }
    again(&app, &who, liking, None, typed).await
}

/// Changes a gauge.
pub async fn change(
    app: web::Data<App>,
    who: SignedIn,
    liking: Liking,
    path: web::Path<Uuid>,
    form: web::Form<Sent>,
) -> Result<HttpResponse, Failure> {
    let mut typed = Read::of(&GAUGE, &form, liking.unit);
    if let Some((name, gauge)) = read(&mut typed) {
        if library::change_gauge(&app.db, &who.0, *path, &name, &gauge).await? {
            return Ok(taken(&draft(typed.unit()), "/gauges"));
        }
        typed.slip.wrong("name", NAME_TAKEN);
    }
    again(&app, &who, liking, Some(*path), typed).await
}

async fn again(app: &App, who: &SignedIn, liking: Liking, gauge: Option<Uuid>, typed: Read<'_>) -> Result<HttpResponse, Failure> {
    let unit = typed.unit();
    page(app, &who.0, liking, Typed { unit, gauge: Some((gauge, typed.slip)), other: Slip::default() }).await
}

/// The name that a browser keeps what is typed under.
fn draft(unit: Units) -> String {
    format!("gauge-{}", unit.sent())
}

/// The form of a gauge on the page.
pub struct GaugeForm {
    pub action: String,
    pub title: String,
    pub button: &'static str,
    pub fields: Vec<Drawn>,
    pub open: bool,
}

/// Lays it out: for a new gauge, or for one that is changed.
pub fn laid_out(editing: Option<(Option<Uuid>, Slip)>, unit: Units) -> GaugeForm {
    let open = editing.is_some();
    let (id, slip) = editing.unwrap_or_default();
    let fields = GAUGE.draw(&slip, unit, choices);
    let (action, title, button) = match id {
        Some(id) => (format!("/gauges/{id}"), format!("Change {}", slip.typed(GAUGE.name, "name")), "Save gauge"),
        None => ("/gauges".to_owned(), "Add a gauge".to_owned(), "Add gauge"),
    };
    GaugeForm { action, title, button, fields, open }
}

fn choices(name: &str) -> Vec<Choice> {
    match name {
        "kind" => Choice::all(Kind::ALL),
        _ => {
            let unknown = Choice { id: String::new(), label: "not known".to_owned() };
            let known = threads().iter().map(|thread| Choice { id: thread.name.clone(), label: thread.name.clone() });
            std::iter::once(unknown).chain(known).collect()
        }
    }
}
