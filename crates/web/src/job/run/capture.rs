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
use velvet_dial_core::capture::{self, Analysis, CaptureError, Hold, UNDERSTOOD};
use velvet_dial_core::circuit::Card;
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
const TOO_LARGE: &str = "The file is larger than 8 MB. Cut the run to the part that matters, or record fewer samples a second.";

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
            TOO_LARGE
        }),
    );
    let readable = upload.as_ref().and_then(|upload| slip.take("file", capture::table(&upload.file.data).map(drop)));
    let (Some(upload), Some(_)) = (upload, readable) else {
        return desk.answer(Stage::Run, Ask { slip, ..Ask::default() }, StatusCode::UNPROCESSABLE_ENTITY).await;
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
    /// In the words of a map; none when pressure or time have no column, or two quantities share one.
    fn map(&self) -> Option<String> {
        let place = |column: &str| column.parse::<usize>().ok().map(|at| at + 1);
        let said = [
            ("time", place(&self.time), self.time_unit.as_str()),
            ("pressure", place(&self.pressure), self.pressure_unit.as_str()),
            ("speed", place(&self.speed), "rpm"),
            ("oil_temp", place(&self.oil_temp), self.oil_temp_unit.as_str()),
        ];
        let mut taken: Vec<usize> = said.iter().filter_map(|(_, at, _)| *at).collect();
        taken.sort_unstable();
        let apart = taken.array_windows().all(|[a, b]| a != b);
        let enough = place(&self.time).is_some() && place(&self.pressure).is_some();
        let parts: Vec<String> = said.iter().filter_map(|(what, at, unit)| at.map(|at| format!("{what}={at}:{unit}"))).collect();
        (apart && enough).then(|| parts.join(","))
    }
}

/// Keeps how the columns are named and shows the run.
pub async fn map(desk: Desk, path: web::Path<(i64, Uuid)>, form: web::Form<Named>) -> Result<HttpResponse, Failure> {
    let named = form.into_inner();
    if named.map().is_none() {
        let kept = jobs::capture(&desk.app.db, &desk.viewer, desk.number, path.1).await?;
        let problem = "Time and pressure need a column, and each quantity one of its own.".to_owned();
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
    /// Asked for when it was not recorded.
    pub rpm: Option<String>,
    /// Likewise.
    pub oil_temp_c: Option<String>,
    pub pressure: String,
    pub spread: String,
    pub from_s: String,
    pub to_s: String,
    pub taken: bool,
}

/// What the page shows of a run.
pub enum Found {
    /// Understood.
    Run { strip: Strip, offers: Vec<Offer>, facts: Vec<Fact>, notes: Vec<String>, seconds: String, samples: usize },
    /// The header does not say it all.
    Ask { columns: Vec<(usize, String)>, first: Vec<String>, named: Named, missing: Vec<&'static str>, problem: String },
    /// It cannot be read.
    Bad { sentence: String },
}

/// One thing that a run tells beside its holds.
pub struct Fact {
    pub what: &'static str,
    pub told: String,
}

#[derive(Template)]
#[template(path = "job/run/capture.html")]
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
    let (bytes, mapping, card) = (kept.bytes.clone(), kept.mapping.clone(), job.engine.card.clone());
    let found = desk.app.work.out(move || found(&bytes, mapping.as_deref(), &card, wrong, &taken, unit)).await?;
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

fn found(bytes: &[u8], mapping: Option<&str>, card: &Card, wrong: Option<(Named, String)>, taken: &[(f64, f64)], unit: Pressure) -> Found {
    let bad = |error: &CaptureError| Found::Bad { sentence: error.to_string() };
    let table = match capture::table(bytes) {
        Ok(table) => table,
        Err(error) => return bad(&error),
    };
    let named: Option<Named> = mapping.and_then(|text| serde_json::from_str(text).ok());
    let map = named.as_ref().and_then(Named::map);
    let ask = |named: Named, problem: String, missing: Vec<&'static str>| Found::Ask {
        columns: table.header.iter().cloned().enumerate().collect(),
        first: table.first.clone(),
        named,
        missing,
        problem,
    };
    let understood = capture::mapping(&table, map.as_deref());
    if let Some((named, problem)) = wrong {
        let missing = if let Err(CaptureError::Unnamed { missing, .. }) = &understood { missing.clone() } else { Vec::new() };
        return ask(named, problem, missing.into_iter().map(capture::Quantity::label).collect());
    }
    let read = understood.and_then(|mapping| capture::read(&table, &mapping));
    let run = match read {
        Ok(run) => run,
        Err(CaptureError::Unnamed { missing, .. }) => {
            return ask(named.unwrap_or_default(), String::new(), missing.into_iter().map(capture::Quantity::label).collect());
        }
        Err(error) if map.is_some() => return ask(named.unwrap_or_default(), error.to_string(), Vec::new()),
        Err(error) => return bad(&error),
    };
    let told = capture::analysed(&run, Some(card));
    let offers = told.holds.iter().enumerate().map(|(place, hold)| offer(place + 1, hold, taken, unit)).collect();
    Found::Run {
        strip: strip::strip(&run, &told.holds, unit),
        offers,
        facts: facts(&told, unit),
        seconds: format!("{:.0}", told.to_s - told.from_s),
        samples: told.samples,
        notes: told.notes,
    }
}

fn offer(number: usize, hold: &Hold, taken: &[(f64, f64)], unit: Pressure) -> Offer {
    let place = [hold.rpm.map(|rpm| format!("{rpm:.0} rpm")), hold.oil_temp_c.map(|temp| format!("{temp:.0} °C"))];
    Offer {
        number,
        span: format!("{:.0} to {:.0} s", hold.from_s, hold.to_s),
        place: place.into_iter().flatten().collect::<Vec<_>>().join(" · "),
        read: format!("{} ± {}", show::pressure(hold.kpa, unit), unit.show(hold.spread_kpa)),
        rpm: hold.rpm.map(|rpm| format!("{rpm:.0}")),
        oil_temp_c: hold.oil_temp_c.map(|temp| format!("{temp:.1}")),
        pressure: format!("{:.2}", hold.kpa.max(0.0)),
        spread: format!("{:.2}", hold.spread_kpa),
        from_s: format!("{:.2}", hold.from_s),
        to_s: format!("{:.2}", hold.to_s),
        taken: taken.iter().any(|(from, to)| (from - hold.from_s).abs() < 0.01 && (to - hold.to_s).abs() < 0.01),
    }
}

/// What a run tells beside its holds, in the order of the run.
fn facts(told: &Analysis, unit: Pressure) -> Vec<Fact> {
    let kpa = |kpa: f64| show::pressure(kpa, unit);
    let said = [
        ("At rest", told.zero_kpa.map(|zero| format!("{} with the engine standing", kpa(zero)))),
        ("Start", told.build_time_s.map(|seconds| format!("pressure shows after {seconds:.1} s"))),
        ("Cold peak", told.cold_peak_kpa.map(kpa)),
        ("Warm-up", told.warm_up.as_ref().map(|warm| warm.says.clone())),
        (
            "Sweep",
            told.sweep.map(|sweep| match sweep.knee_rpm {
                Some(knee) => format!("stops rising at {knee:.0} rpm"),
                None => "rises to the end".to_owned(),
            }),
        ),
        ("Needle", told.needle.as_ref().map(|needle| format!("± {}. {}", kpa(needle.size_kpa), needle.points_to))),
        ("Dash", told.dash_needle.as_ref().map(|needle| format!("± {}. {}", kpa(needle.size_kpa), needle.points_to))),
    ];
    said.into_iter().filter_map(|(what, told)| told.map(|told| Fact { what, told })).collect()
}
