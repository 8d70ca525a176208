//! Engines with their sheets, and gauges: what a job needs to stand on.
use crate::http::Failure;
use crate::http::SignedIn;
use crate::http::Slip;
use crate::state::App;
use crate::ui::Chrome;
use crate::ui::Liking;
use crate::ui::show;
use actix_web::HttpResponse;
use actix_web::http::{StatusCode, header};
use actix_web::web::{self, ServiceConfig, get, post};
use askama::Template;
use chrono::NaiveDate;
use std::collections::HashMap;
use velvet_dial_core::circuit::{Card, Cooler, Layout, Port, PumpDrive, Rockers};
use velvet_dial_core::field::{self, Field};
use velvet_dial_core::instrument::{Instrument, Kind};
use velvet_dial_core::limits::{Point, Sheet};
use velvet_dial_core::oil;
use velvet_dial_core::unit::{Gear, Pressure};
use velvet_dial_store::{Viewer, library};

/// An engine in a line.
pub struct EngineRow {
    pub name: String,
    pub card: String,
    pub sheets: Vec<String>,
}

/// Lines of a sheet that the form has room for.
const SHEET_LINES: [usize; 4] = [1, 2, 3, 4];
/// Field names of those lines.
const LINE_FIELDS: [[&str; 4]; 4] = [
    ["rpm1", "temp1", "min1", "max1"],
    ["rpm2", "temp2", "min2", "max2"],
    ["rpm3", "temp3", "min3", "max3"],
    ["rpm4", "temp4", "min4", "max4"],
];

#[derive(Template)]
#[template(path = "shop/library/library.html")]
struct Page {
    chrome: Chrome,
    engines: Vec<EngineRow>,
    gauges: Vec<(String, String)>,
    grades: Vec<String>,
    slip: Slip,
    lines: Vec<(usize, [&'static str; 4])>,
}

impl Page {
    fn ports(&self) -> &'static [(Port, &'static str, &'static str)] {
        Port::ALL
    }
    fn drives(&self) -> &'static [(PumpDrive, &'static str, &'static str)] {
        PumpDrive::ALL
    }
    fn rockers(&self) -> &'static [(Rockers, &'static str, &'static str)] {
        Rockers::ALL
    }
    fn kinds(&self) -> &'static [(Kind, &'static str, &'static str)] {
        Kind::ALL
    }
}

async fn page(app: &App, viewer: &Viewer, liking: Liking, slip: Slip, status: StatusCode) -> Result<HttpResponse, Failure> {
    let mut engines = Vec::new();
    for (id, name) in library::engines(&app.db, viewer).await? {
        let engine = library::engine(&app.db, viewer, id).await?;
        let card = &engine.card;
        engines.push(EngineRow {
            name,
            card: format!(
                "{} l, {} cylinders, idle {:.0} rpm, {}, gauge {}",
                show::plain(card.displacement_l),
                card.cylinders,
                card.idle_rpm,
                card.oil_grade,
                card.layout.port.label()
            ),
            sheets: engine
                .sheets
                .iter()
                .map(|sheet| {
                    format!(
                        "{}{}, {} points",
                        sheet.source,
                        sheet.in_force_from.map(|from| format!(", from {from}")).unwrap_or_default(),
                        sheet.points.len()
                    )
                })
                .collect(),
        });
    }
    let unit = liking.unit;
    let gauges = library::gauges(&app.db, viewer).await?;
    let gauges = gauges
        .into_iter()
        .map(|g| {
            (
                g.name,
                format!(
                    "{}, {} full scale, class {}, marks every {}",
                    g.gauge.kind.label(),
                    show::pressure(g.gauge.full_scale_kpa, unit),
                    show::plain(g.gauge.class_percent),
                    show::pressure(g.gauge.graduation_kpa, unit)
                ),
            )
        })
        .collect();
    let page = Page {
        chrome: Chrome::of(viewer, liking, "Library"),
        engines,
        gauges,
        grades: oil::grades().iter().map(|grade| grade.grade.clone()).collect(),
        slip,
        lines: SHEET_LINES.into_iter().zip(LINE_FIELDS).collect(),
    };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

/// Shows what the shop has.
pub async fn show(app: web::Data<App>, who: SignedIn, liking: Liking) -> Result<HttpResponse, Failure> {
    page(&app, &who.0, liking, Slip::default(), StatusCode::OK).await
}

type Form = HashMap<String, String>;

/// Fields as they were typed, each kept on the slip as it is read.
struct Reader<'a> {
    form: &'a Form,
    slip: Slip,
    unit: Pressure,
}

impl Reader<'_> {
    fn text(&mut self, name: &'static str) -> String {
        let typed = self.form.get(name).cloned().unwrap_or_default();
        self.slip.keep(name, &typed);
        typed
    }

    fn number(&mut self, name: &'static str, field: &Field) -> Option<f64> {
        let typed = self.text(name);
        self.slip.take(name, field.parse(&typed))
    }

    fn pressure(&mut self, name: &'static str, field: &Field) -> Option<f64> {
        let typed = self.text(name);
        self.slip.take(name, field.parse_pressure(&typed, self.unit))
    }

    /// A pressure that may be left empty.
    fn pressure_or_none(&mut self, name: &'static str, field: &Field) -> Option<f64> {
        if self.text(name).trim().is_empty() { None } else { self.pressure(name, field) }
    }

    fn day(&mut self, name: &'static str) -> Option<NaiveDate> {
        let typed = self.text(name);
        if typed.trim().is_empty() {
            return None;
        }
        self.slip.take(name, typed.trim().parse::<NaiveDate>().map_err(|_| "Day: write it as year-month-day, for example 2026-03-01."))
    }

    fn named(&mut self, name: &'static str, label: &'static str, limit: usize) -> String {
        let typed = self.text(name);
        let text = self.slip.take(name, field::text(label, &typed, limit)).unwrap_or_default();
        if text.is_empty() {
            self.slip.wrong(name, format!("{label}: nothing typed yet; it is how you find it again."));
        }
        text
    }
}

fn one_of<T: Copy>(all: &[(T, &str, &str)], id: &str, default: T) -> T {
    all.iter().find(|(_, known, _)| *known == id).map_or(default, |(value, ..)| *value)
}

/// The unit that the form's pressures were typed in: it travels with the form, whatever the switch says when it arrives.
fn unit_of(form: &Form, liking: Liking) -> Pressure {
    form.get("unit").and_then(|unit| Pressure::parse(unit)).unwrap_or(liking.unit)
}

/// Adds an engine with the first revision of its sheet.
pub async fn add_engine(app: web::Data<App>, who: SignedIn, liking: Liking, form: web::Form<Form>) -> Result<HttpResponse, Failure> {
    let mut read = Reader { form: &form, slip: Slip::of("engine"), unit: unit_of(&form, liking) };
    let name = read.named("name", "Engine", 120);
    let displacement_l = read.number("displacement_l", &field::DISPLACEMENT);
    let cylinders = read.number("cylinders", &field::CYLINDERS);
    if cylinders.is_some_and(|cylinders| cylinders.fract() != 0.0) {
        read.slip.wrong("cylinders", "Cylinders: a whole number, 1 to 16.");
    }
    let idle_rpm = read.number("idle_rpm", &field::IDLE);
    let oil_grade = read.text("oil_grade");
    read.slip.take("oil_grade", oil::typical(&oil_grade));
    let relief_opens_kpa = read.pressure_or_none("relief", &field::RELIEF);
    let layout = Layout {
        port: one_of(Port::ALL, &read.text("port"), Port::AfterFilter),
        pump_drive: one_of(PumpDrive::ALL, &read.text("pump_drive"), PumpDrive::Crank),
        rockers: one_of(Rockers::ALL, &read.text("rockers"), Rockers::Lifters),
        piston_jets: !read.text("piston_jets").is_empty(),
        turbo: !read.text("turbo").is_empty(),
        cooler: if read.text("cooler").is_empty() { Cooler::None } else { Cooler::Plain },
        ..Layout::default()
    };
    let sheet = sheet(&mut read);
    let (Some(displacement_l), Some(cylinders), Some(idle_rpm), true) = (displacement_l, cylinders, idle_rpm, read.slip.is_clean()) else {
        return page(&app, &who.0, liking, read.slip, StatusCode::UNPROCESSABLE_ENTITY).await;
    };
    let card = Card { relief_opens_kpa, layout, ..Card::of(displacement_l, cylinders.round() as u32, idle_rpm, &oil_grade) };
    if library::add_engine_with(&app.db, &who.0, (&name, &card), sheet.as_ref()).await?.is_none() {
        read.slip.wrong("name", "Engine: this name stands in the library already; give this one another.");
        return page(&app, &who.0, liking, read.slip, StatusCode::UNPROCESSABLE_ENTITY).await;
    }
    Ok(HttpResponse::SeeOther().insert_header((header::LOCATION, "/library")).finish())
}

/// The sheet, when any of its lines was filled in.
fn sheet(read: &mut Reader<'_>) -> Option<Sheet> {
    let source = read.text("source");
    let in_force_from = read.day("in_force_from");
    let mut points = Vec::new();
    for [rpm, temp, min, max] in LINE_FIELDS {
        if [rpm, temp, min, max].iter().all(|name| read.text(name).trim().is_empty()) {
            continue;
        }
        let (rpm_value, temp_value) = (read.number(rpm, &field::RPM), read.number(temp, &field::OIL_TEMP));
        let (min_kpa, max_kpa) = (read.pressure_or_none(min, &field::PRESSURE), read.pressure_or_none(max, &field::PRESSURE));
        match (min_kpa, max_kpa) {
            (None, None) if read.slip.is_clean() => read.slip.wrong(min, "A line of a sheet needs a least or a most pressure."),
            (Some(least), Some(most)) if least > most => read.slip.wrong(min, "The least pressure is more than the most; exchange them."),
            _ => {}
        }
        if let (Some(rpm), Some(oil_temp_c)) = (rpm_value, temp_value) {
            points.push(Point { rpm, oil_temp_c, gear: Gear::Neutral, min_kpa, max_kpa });
        }
    }
    if !points.is_empty() && source.trim().is_empty() {
        read.slip.wrong("source", "Sheet: say where the limits stand, for example “sheet 12, rev C”.");
    }
    let source = read.slip.take("source", field::text("Sheet", &source, 200)).unwrap_or_default();
    (!points.is_empty()).then_some(Sheet { source, in_force_from, points })
}

/// Adds a gauge.
pub async fn add_gauge(app: web::Data<App>, who: SignedIn, liking: Liking, form: web::Form<Form>) -> Result<HttpResponse, Failure> {
    let mut read = Reader { form: &form, slip: Slip::of("gauge"), unit: unit_of(&form, liking) };
    let name = read.named("name", "Gauge", 80);
    let kind = one_of(Kind::ALL, &read.text("kind"), Kind::Bourdon);
    let full_scale_kpa = read.pressure("full_scale", &field::FULL_SCALE);
    let class_percent = read.number("class_percent", &field::CLASS);
    let graduation_kpa = read.pressure("graduation", &field::GRADUATION);
    let calibrated_on = read.day("calibrated_on");
    let (Some(full_scale_kpa), Some(class_percent), Some(graduation_kpa), true) =
        (full_scale_kpa, class_percent, graduation_kpa, read.slip.is_clean())
    else {
        return page(&app, &who.0, liking, read.slip, StatusCode::UNPROCESSABLE_ENTITY).await;
    };
    let gauge = Instrument { kind, full_scale_kpa, class_percent, graduation_kpa, calibrated_on };
    if library::add_gauge(&app.db, &who.0, &name, &gauge).await?.is_none() {
        read.slip.wrong("name", "Gauge: this name stands in the library already; give this one another.");
        return page(&app, &who.0, liking, read.slip, StatusCode::UNPROCESSABLE_ENTITY).await;
    }
    Ok(HttpResponse::SeeOther().insert_header((header::LOCATION, "/library")).finish())
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config
        .route("/library", get().to(show))
        .route("/library/engines", post().to(add_engine))
        .route("/library/gauges", post().to(add_gauge));
}
