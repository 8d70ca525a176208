//! A gauge, read and written as a form.
use super::{Typed, page};
use crate::http::form::{Choice, FieldView, Form, Kind as Answer, Question, Read, Sent, changed, taken};
use crate::http::{Failure, FormState, SignedIn};
use crate::state::App;
use crate::ui::{DisplayPreferences, show};
use actix_web::{HttpResponse, web};
use uuid::Uuid;
use velvet_dial_core::field;
use velvet_dial_core::instrument::{Instrument, Kind};
use velvet_dial_core::thread::threads;
use velvet_dial_core::unit::Units;
use velvet_dial_store::Viewer;
use velvet_dial_store::library::{self, Gauge};

/// A gauge.
pub static GAUGE: Form = Form {
    name: "gauge",
    asks: &[
        Question::new("name", "Gauge", "a name to find it by", Answer::Needed(120, "nothing typed yet; readings name it.")),
        Question::new("kind", "Kind", "", Answer::Choice),
        Question::new("full_scale", "Full scale", "", Answer::PressureOrNone(&field::FULL_SCALE)),
        Question::new("class_percent", "Accuracy class", "% of full scale", Answer::NumberOrNone(&field::CLASS)),
        Question::new("graduation", "Mark every", "", Answer::PressureOrNone(&field::GRADUATION)),
        Question::new("opens", "Lamp switch opens at", "", Answer::PressureOrNone(&field::LAMP_OPENS)),
        Question::new("armed_from_rpm", "Warning armed from", "rpm, if only above some speed", Answer::NumberOrNone(&field::RPM)),
        Question::new("calibrated_on", "Calibrated on", "year-month-day", Answer::Day),
        Question::new("due_on", "Due again on", "year-month-day", Answer::Day),
        Question::new("serial", "Serial number", "", Answer::Text(60)),
        Question::new("certificate", "Certificate", "its number", Answer::Text(60)),
        Question::new("thread", "Its own thread", "male", Answer::Choice),
    ],
};

/// The form of a gauge as it stands.
pub fn of(gauge: &Gauge, unit: Units) -> FormState {
    let mut form_state = FormState::of(GAUGE.name);
    let card = &gauge.gauge;
    form_state.keep("name", &gauge.name);
    form_state.keep("kind", card.kind.id());
    form_state.keep("full_scale", &show::typed(card.full_scale_kpa, unit));
    form_state.keep("class_percent", &show::plain(card.class_percent));
    form_state.keep("graduation", &show::typed(card.graduation_kpa, unit));
    form_state.keep("opens", &card.opens_kpa.map(|kpa| show::typed(kpa, unit)).unwrap_or_default());
    form_state.keep("armed_from_rpm", &card.armed_from_rpm.map(show::plain).unwrap_or_default());
    for (name, day) in [("calibrated_on", card.calibrated_on), ("due_on", card.due_on)] {
        form_state.keep(name, &day.map(|day| day.to_string()).unwrap_or_default());
    }
    for (name, said) in [("serial", &card.serial), ("certificate", &card.certificate), ("thread", &card.thread)] {
        form_state.keep(name, said.as_deref().unwrap_or_default());
    }
    form_state
}

/// What was changed of it, by whom and when: a line each change, the last one first.
pub async fn history(app: &App, viewer: &Viewer, gauge: &Gauge, unit: Units) -> Result<Vec<String>, Failure> {
    let earlier = library::earlier::<Instrument>(&app.db, viewer, gauge.id).await?;
    let filled = |name: &str, was: &Instrument| of(&Gauge { id: gauge.id, name: name.to_owned(), gauge: was.clone() }, unit);
    Ok(changed(&GAUGE, (&earlier, of(gauge, unit)), filled, &viewer.zone, choices))
}

fn read(read: &mut Read<'_>) -> Option<(String, Instrument)> {
    let name = read.text("name");
    let kind = read.choice("kind", Kind::ALL).unwrap_or(Kind::Bourdon);
    let (full_scale_kpa, class_percent, graduation_kpa) =
        (read.number("full_scale"), read.number("class_percent"), read.number("graduation"));
    let (opens_kpa, armed_from_rpm) = (read.number("opens"), read.number("armed_from_rpm"));
    let is_lamp = kind == Kind::LampSwitch;
    if is_lamp && opens_kpa.is_none() {
        read.form_state.wrong(
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
            read.form_state.wrong(name, format!("{label}: nothing typed yet; a gauge needs it to know how far it may be off."));
        }
    }
    let (calibrated_on, due_on) = (read.day("calibrated_on"), read.day("due_on"));
    let said = |text: String| Some(text).filter(|text| !text.is_empty());
    let (serial, certificate) = (said(read.text("serial")), said(read.text("certificate")));
    let thread = threads().iter().find(|thread| thread.name == read.raw("thread")).map(|thread| thread.name.clone());
    if let (Some(calibrated), Some(due)) = (calibrated_on, due_on)
        && due <= calibrated
    {
        read.form_state.wrong("due_on", "Due on: a day before its calibration; enter the day by which it is to be calibrated again.");
    }
    if let (Some(scale), Some(mark)) = (full_scale_kpa, graduation_kpa)
        && mark > scale / 2.0
        && !is_lamp
    {
        read.form_state.wrong("graduation", "Mark every: more than half the full scale; enter the step between two marks.");
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
    read.form_state.is_clean().then_some((name, gauge))
}

const NAME_TAKEN: &str = "Gauge: this name is already used. Choose another name.";

/// Adds a gauge.
pub async fn add(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    form: web::Form<Sent>,
) -> Result<HttpResponse, Failure> {
    let mut typed = Read::of(&GAUGE, &form, preferences.unit);
    if let Some((name, gauge)) = read(&mut typed) {
        if library::add_gauge(&app.db, &who.0, &name, &gauge).await?.is_some() {
            return Ok(taken(&draft(typed.unit()), "/gauges"));
        }
        typed.form_state.wrong("name", NAME_TAKEN);
    }
    again(&app, &who, preferences, None, typed).await
}

/// Changes a gauge.
pub async fn change(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    path: web::Path<Uuid>,
    form: web::Form<Sent>,
) -> Result<HttpResponse, Failure> {
    let mut typed = Read::of(&GAUGE, &form, preferences.unit);
    if let Some((name, gauge)) = read(&mut typed) {
        if library::change_gauge(&app.db, &who.0, *path, &name, &gauge).await? {
            return Ok(taken(&draft(typed.unit()), "/gauges"));
        }
        typed.form_state.wrong("name", NAME_TAKEN);
    }
    again(&app, &who, preferences, Some(*path), typed).await
}

async fn again(
    app: &App,
    who: &SignedIn,
    preferences: DisplayPreferences,
    gauge: Option<Uuid>,
    typed: Read<'_>,
) -> Result<HttpResponse, Failure> {
    let unit = typed.unit();
    page(app, &who.0, preferences, Typed { unit, gauge: Some((gauge, typed.form_state)), other: FormState::default() }).await
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
    pub fields: Vec<FieldView>,
    pub open: bool,
}

/// Lays it out: for a new gauge, or for one that is changed.
pub fn laid_out(editing: Option<(Option<Uuid>, FormState)>, unit: Units) -> GaugeForm {
    let open = editing.is_some();
    let (id, form_state) = editing.unwrap_or_default();
    let fields = GAUGE.draw(&form_state, unit, choices);
    let (action, title, button) = match id {
        Some(id) => (format!("/gauges/{id}"), format!("Change {}", form_state.typed(GAUGE.name, "name")), "Save gauge"),
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
