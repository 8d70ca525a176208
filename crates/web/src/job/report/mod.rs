//! The report: for the customer in plain words, for a warranty with every number; and the case file.
use crate::http::{Failure, Slip};
use crate::job::assess::{Assessed, assess};
use crate::job::compare::{self, CompareWork};
use crate::job::lines::{self, Line};
use crate::job::readings::view::{self, ReadingRow, ReadingsWork};
use crate::job::shell::{Ask, Shell, shell};
use crate::job::{Desk, Sent};
use crate::ui::{Chrome, show};
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::http::header;
use actix_web::web::{self, ServiceConfig, get, post};
use askama::Template;
use serde::Deserialize;
use velvet_dial_core::case::Phase;
use velvet_dial_core::field;
use velvet_dial_core::limits::Decision;
use velvet_dial_core::stage::Stage;
use velvet_dial_core::trace::knowledge::knowledge;
use velvet_dial_store::jobs::{self, Body};

#[derive(Template)]
#[template(path = "job/report/report.html")]
struct Page {
    chrome: Chrome,
    shop: String,
    opened: String,
    bench: Shell,
    compare: CompareWork,
    prove: ReadingsWork,
    before: Vec<ReadingRow>,
    after: Vec<ReadingRow>,
    /// Plain words for the customer, a sentence each.
    plain: Vec<String>,
    repairs: Vec<(String, String, String, String)>,
    instruments: Vec<String>,
    found: Vec<Line>,
    /// Captures, and other jobs that hold the same bytes.
    captures: Vec<(String, String, Vec<i64>)>,
}

/// Shows the report.
pub async fn show(desk: Desk) -> Result<HttpResponse, Failure> {
    page(desk, Slip::default(), StatusCode::OK).await
}

async fn page(desk: Desk, slip: Slip, status: StatusCode) -> Result<HttpResponse, Failure> {
    let job = desk.job().await?;
    let kept = jobs::captures(&desk.app.db, &desk.viewer, desk.number).await?;
    let captures = kept.iter().map(|c| (c.name.clone(), c.digest.chars().take(16).collect(), c.also_in.clone())).collect();
    let assessed = assess(desk.app.clone(), job).await?;
    let unit = desk.liking.unit;
    let know = knowledge();
    let repairs = assessed
        .job
        .live()
        .filter_map(|entry| match &entry.body {
            Body::Repair(repair) => {
                let cause = repair.cause.as_ref().and_then(|id| know.cause(id)).and_then(|i| know.causes.get(i));
                let name = cause.map_or("Not a cause of the list", |c| c.name.as_str()).to_owned();
                Some((
                    name,
                    repair.done.clone(),
                    repair.follow_up.clone(),
                    format!("{}, {}", entry.author_name, show::moment(entry.written_at)),
                ))
            }
            _ => None,
        })
        .collect();
    let used: Vec<&str> = assessed.case.readings.iter().filter_map(|r| r.instrument.as_deref()).collect();
    let instruments = assessed
        .job
        .gauges
        .iter()
        .filter(|gauge| used.contains(&gauge.name.as_str()))
        .map(|gauge| {
            let calibrated =
                gauge.gauge.calibrated_on.map_or_else(|| "no calibration on record".to_owned(), |day| format!("calibrated {day}"));
            format!(
                "{}: {} full scale, class {}, {calibrated}",
                gauge.name,
                show::pressure(gauge.gauge.full_scale_kpa, unit),
                show::plain(gauge.gauge.class_percent)
            )
        })
        .collect();
    let mut found = lines::lines(&assessed.job, unit);
    found.reverse();
    let page = Page {
        chrome: Chrome::of(&desk.viewer, desk.liking, format!("{} · Report", assessed.job.head.vehicle.tag)),
        shop: velvet_dial_store::accounts::shop_name(&desk.app.db, &desk.viewer).await?,
        opened: show::day(assessed.job.head.opened_at),
        bench: shell(&assessed, Stage::Prove, desk.liking, &desk.viewer, Ask { slip, ..Ask::default() }),
        compare: compare::work(&assessed, unit),
        prove: view::work(&assessed, unit, &[], true),
        before: view::rows(&assessed, unit, Phase::Before),
        after: view::rows(&assessed, unit, Phase::After),
        plain: plain(&assessed),
        repairs,
        instruments,
        found,
        captures,
    };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

/// What was wrong, how it is known, whether it is proven.
fn plain(assessed: &Assessed) -> Vec<String> {
    let know = knowledge();
    let verdict = match assessed.now.verdict.overall {
        Decision::Below => "The oil pressure was measured with a test gauge and was too low.",
        Decision::Above => "The oil pressure was measured with a test gauge and was too high.",
        Decision::Within => "The oil pressure was measured with a test gauge and is as it should be.",
        Decision::Undecided => "The oil pressure was measured with a test gauge and lies so near its limit that this gauge cannot tell.",
        Decision::NotMeasured => "The oil pressure has not yet been measured at every point the sheet names.",
    };
    let mut plain = vec![verdict.to_owned()];
    let repaired = assessed.job.repair();
    let named = repaired.and_then(|r| r.cause.as_ref()).and_then(|id| know.cause(id));
    let leader = assessed.now.posterior.ranked().first().copied();
    if let Some(cause) = named.or(leader).and_then(|i| know.causes.get(i).map(|c| (i, c))) {
        let odds = show::percent(assessed.now.posterior.of(cause.0));
        plain.push(match (named.is_some(), assessed.now.findings.is_empty()) {
            (true, _) => format!(
                "What was wrong: {}. The measurements and checks alone gave it {odds}; it was then found when it was put right.",
                cause.1.name.to_lowercase()
            ),
            (false, false) => format!("Most likely so far: {} ({odds}). Nothing has been put right yet.", cause.1.name.to_lowercase()),
            (false, true) => "Nothing has been found out yet.".to_owned(),
        });
    }
    if repaired.is_some() {
        plain.push(
            match assessed.now.proof.overall {
                Decision::Within => "After the repair every point of the sheet was read again and is within its limit.",
                Decision::NotMeasured => "After the repair not every point of the sheet has been read again: the proof is still missing.",
                Decision::Undecided => {
                    "After the repair a reading lies so near its limit that the gauge cannot tell: the proof is still missing."
                }
                Decision::Below | Decision::Above => "After the repair a point is still outside its limit: this is not mended yet.",
            }
            .to_owned(),
        );
    }
    plain
}

/// The job in the open case format.
pub async fn case_file(desk: Desk) -> Result<HttpResponse, Failure> {
    let job = desk.job().await?;
    let name = format!("attachment; filename=\"job-{}.json\"", job.head.number);
    Ok(HttpResponse::Ok().insert_header((header::CONTENT_DISPOSITION, name)).json(job.case()))
}

/// Why a closed job is opened again.
#[derive(Deserialize, Default)]
#[serde(default)]
pub struct Reopening {
    reason: String,
    key: String,
    seen: String,
}

/// Opens a closed job again: an entry in the place of its closing. One that is open already stays so.
pub async fn reopen(desk: Desk, form: web::Form<Reopening>) -> Result<HttpResponse, Failure> {
    let form = form.into_inner();
    let mut slip = Slip::of("reopen");
    slip.keep("reason", &form.reason);
    let reason = slip.take("reason", field::text("Reason", &form.reason, 300)).unwrap_or_default();
    if reason.is_empty() && slip.is_clean() {
        slip.wrong("reason", "Reason: say in a few words why it is opened again; the report will tell it.");
    }
    if !slip.is_clean() {
        return page(desk, slip, StatusCode::UNPROCESSABLE_ENTITY).await;
    }
    let job = desk.job().await?;
    let Some(closing) = job.live().find(|entry| matches!(entry.body, Body::Closed {})) else {
        return Ok(desk.to(&format!("/jobs/{}", desk.number)));
    };
    let closing = closing.id.to_string();
    let sent = Sent { key: &form.key, seen: &form.seen, supersedes: &closing };
    desk.write(Stage::Prove, sent, Body::Reopened { reason }, "reopen", Vec::new()).await
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config
        .route("/jobs/{number}/report", get().to(show))
        .route("/jobs/{number}/reopen", post().to(reopen))
        .route("/jobs/{number}/case.json", get().to(case_file));
}
