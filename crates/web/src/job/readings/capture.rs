//! Keeps a recorded run, shows it with its holds, or says what is wrong with it.
use crate::http::Failure;
use crate::http::Slip;
use crate::job::Desk;
use crate::job::shell::Ask;
use crate::ui::Chrome;
use crate::ui::picture::strip::{self, Strip};
use crate::ui::show;
use actix_multipart::form::MultipartForm;
use actix_multipart::form::bytes::Bytes;
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use serde::{Deserialize, Serialize};
use uuid::Uuid;
use velvet_dial_core::capture::{self, BadRow, CaptureError, Column, Mapping, Quantity, TempUnit, TimeUnit, UNDERSTOOD};
use velvet_dial_core::stage::Stage;
use velvet_dial_core::unit::Pressure;
use velvet_dial_store::jobs::{self, Body, Kept};

/// The upload.
#[derive(MultipartForm)]
pub struct Upload {
    #[multipart(limit = "8MiB")]
    file: Bytes,
}

const FORM: &str = "capture";

/// Keeps the file, whatever is in it, and shows it; one that is no text or too large is refused beside its field.
pub async fn upload(desk: Desk, form: Result<MultipartForm<Upload>, actix_web::Error>) -> Result<HttpResponse, Failure> {
    if !desk.app.serving.has_room() {
        return Err(Failure::DiskFull);
    }
    let mut slip = Slip::of(FORM);
    let upload = slip.take(
        "file",
        form.map_err(|error| {
            tracing::info!(%error, "an upload was refused");
            CaptureError::TooLarge
        }),
    );
    let readable = upload.as_ref().and_then(|upload| slip.take("file", capture::table(&upload.file.data)));
    let (Some(upload), Some(_)) = (upload, readable) else {
        return desk.answer(Stage::Readings, Ask { slip, ..Ask::default() }, StatusCode::UNPROCESSABLE_ENTITY).await;
    };
    let name = upload.file.file_name.clone().unwrap_or_else(|| "run.csv".to_owned());
    let name: String = name.chars().filter(|c| !c.is_control()).take(120).collect();
    let id = jobs::add_capture(&desk.app.db, &desk.viewer, desk.number, &name, &upload.file.data).await?;
    Ok(desk.to(&format!("/jobs/{}/captures/{id}", desk.number)))
}

/// Columns as a person named them, as they are kept.
#[derive(Debug, Clone, Default, Serialize, Deserialize, PartialEq, Eq)]
#[serde(default)]
pub struct Named {
    time: String,
    time_unit: String,
    pressure: String,
    pressure_unit: String,
    speed: String,
    oil_temp: String,
    oil_temp_unit: String,
}

impl Named {
    fn mapping(&self) -> Option<Mapping> {
        let mapping = Mapping {
            time: Column { at: self.time.parse().ok()?, unit: TimeUnit::parse(&self.time_unit)? },
            pressure: Column { at: self.pressure.parse().ok()?, unit: Pressure::parse(&self.pressure_unit)? },
            speed: self.speed.parse().ok()?,
            oil_temp: Column { at: self.oil_temp.parse().ok()?, unit: TempUnit::parse(&self.oil_temp_unit)? },
        };
        let mut columns = [mapping.time.at, mapping.pressure.at, mapping.speed, mapping.oil_temp.at];
        columns.sort_unstable();
        columns.array_windows().all(|[a, b]| a != b).then_some(mapping)
    }
}

/// Keeps how the columns are named and shows the run.
pub async fn map(desk: Desk, path: web::Path<(i64, Uuid)>, form: web::Form<Named>) -> Result<HttpResponse, Failure> {
    let named = form.into_inner();
    if named.mapping().is_none() {
        let kept = jobs::capture(&desk.app.db, &desk.viewer, desk.number, path.1).await?;
        let problem = "Each of the four needs a column of its own, and time, pressure and temperature their unit.".to_owned();
        return page(&desk, kept, Some((named, problem))).await;
    }
    let text = serde_json::to_string(&named).map_err(|error| Failure::Form(error.to_string()))?;
    jobs::set_mapping(&desk.app.db, &desk.viewer, desk.number, path.1, &text).await?;
    Ok(desk.to(&format!("/jobs/{}/captures/{}", desk.number, path.1)))
}

/// Shows a kept run.
pub async fn show(desk: Desk, path: web::Path<(i64, Uuid)>) -> Result<HttpResponse, Failure> {
    let kept = jobs::capture(&desk.app.db, &desk.viewer, desk.number, path.1).await?;
    page(&desk, kept, None).await
}

/// A hold on offer.
pub struct Offer {
    pub number: usize,
    pub span: String,
    pub place: String,
    pub read: String,
    pub rpm: String,
    pub oil_temp_c: String,
    pub pressure: String,
    pub spread: String,
    pub from_s: String,
    pub to_s: String,
    pub taken: bool,
}

/// What the page shows of a run.
pub enum Found {
    /// Understood.
    Run { strip: Strip, offers: Vec<Offer>, seconds: String, samples: usize },
    /// The header does not say it all.
    Ask { columns: Vec<(usize, String)>, first: Vec<String>, named: Named, missing: Vec<&'static str>, problem: String },
    /// Some rows are bad.
    Bad { rows: Vec<BadRow>, total: usize, sentence: String },
}

#[derive(Template)]
#[template(path = "job/readings/capture.html")]
struct Page {
    chrome: Chrome,
    number: i64,
    id: String,
    tag: String,
    name: String,
    digest: String,
    also_in: Vec<i64>,
    found: Found,
    understood: &'static str,
    gauges: Vec<String>,
    /// The one used last in this job.
    gauge: String,
    key: Uuid,
    seen: i32,
    repaired: bool,
}

async fn page(desk: &Desk, kept: Kept, wrong: Option<(Named, String)>) -> Result<HttpResponse, Failure> {
    let job = desk.job().await?;
    let taken: Vec<(f64, f64)> = job
        .live()
        .filter_map(|entry| match &entry.body {
            Body::Reading(taken) => taken.capture.filter(|(id, ..)| *id == kept.file.id).map(|(_, from, to)| (from, to)),
            _ => None,
        })
        .collect();
    let status = if wrong.is_some() { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::OK };
    let unit = desk.liking.unit;
    let (bytes, mapping) = (kept.bytes.clone(), kept.mapping.clone());
    let found = desk.app.work.out(move || found(&bytes, mapping.as_deref(), wrong, &taken, unit)).await?;
    let page = Page {
        chrome: Chrome::of(&desk.viewer, desk.liking, format!("{} · run {}", job.head.vehicle.tag, kept.file.name)),
        number: desk.number,
        id: kept.file.id.to_string(),
        tag: job.head.vehicle.tag.clone(),
        name: kept.file.name,
        digest: kept.file.digest.chars().take(16).collect(),
        also_in: kept.file.also_in,
        found,
        understood: UNDERSTOOD,
        gauges: job.gauges.iter().map(|gauge| gauge.name.clone()).collect(),
        gauge: job.case().readings.iter().filter_map(|r| r.instrument.clone()).next_back().unwrap_or_default(),
        key: Uuid::new_v4(),
        seen: job.seq(),
        repaired: job.repair().is_some(),
    };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

fn found(bytes: &[u8], mapping: Option<&str>, wrong: Option<(Named, String)>, taken: &[(f64, f64)], unit: Pressure) -> Found {
    let bad = |error: &CaptureError| match error {
        CaptureError::Rows { told, total } => Found::Bad { rows: told.clone(), total: *total, sentence: error.to_string() },
        other => Found::Bad { rows: Vec::new(), total: 0, sentence: other.to_string() },
    };
    let table = match capture::table(bytes) {
        Ok(table) => table,
        Err(error) => return bad(&error),
    };
    let named: Option<Named> = mapping.and_then(|text| serde_json::from_str(text).ok());
    let guess = match named.as_ref().and_then(Named::mapping) {
        Some(mapping) => Ok(mapping),
        None => capture::guess(&table.header),
    };
    let mapping = match (wrong, guess) {
        (None, Ok(mapping)) => mapping,
        (wrong, guess) => {
            let (named, problem) = wrong.unwrap_or_default();
            let missing = guess.err().unwrap_or_default().into_iter().map(quantity).collect();
            let first = table.rows.first().map(|(_, cells)| cells.clone()).unwrap_or_default();
            return Found::Ask { columns: table.header.into_iter().enumerate().collect(), first, named, missing, problem };
        }
    };
    let run = match capture::read(&table, &mapping) {
        Ok(run) => run,
        Err(error) => return bad(&error),
    };
    let holds = capture::holds(&run);
    let offers = holds
        .iter()
        .enumerate()
        .map(|(i, hold)| Offer {
            number: i + 1,
            span: format!("{:.0} to {:.0} s", hold.from_s, hold.to_s),
            place: format!("{:.0} rpm · {:.0} °C", hold.rpm, hold.oil_temp_c),
            read: format!("{} ± {}", show::pressure(hold.kpa, unit), unit.show(hold.spread_kpa)),
            rpm: format!("{:.0}", hold.rpm),
            oil_temp_c: format!("{:.1}", hold.oil_temp_c),
            pressure: format!("{:.2}", hold.kpa),
            spread: format!("{:.2}", hold.spread_kpa),
            from_s: format!("{:.2}", hold.from_s),
            to_s: format!("{:.2}", hold.to_s),
            taken: taken.iter().any(|(from, to)| (from - hold.from_s).abs() < 0.01 && (to - hold.to_s).abs() < 0.01),
        })
        .collect();
    let seconds = run.samples.last().zip(run.samples.first()).map_or(0.0, |(last, first)| last.time_s - first.time_s);
    Found::Run { strip: strip::strip(&run, &holds, unit), offers, seconds: format!("{seconds:.0}"), samples: run.samples.len() }
}

fn quantity(quantity: Quantity) -> &'static str {
    match quantity {
        Quantity::Time => "time with its unit",
        Quantity::Pressure => "pressure with its unit",
        Quantity::Speed => "engine speed",
        Quantity::OilTemp => "oil temperature with its unit",
    }
}
