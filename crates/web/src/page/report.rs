//! The report: for the customer in plain words, for a warranty with every number; and the case file.
use super::Chrome;
use crate::diagnosis::assess;
use crate::error::Failure;
use crate::show;
use crate::stage::Desk;
use crate::workbench::{self, Ask, CompareWork, Line, ReadingRow, ReadingsWork, Stage, Work, Workbench};
use actix_web::HttpResponse;
use actix_web::http::header;
use askama::Template;
use velvet_dial_core::case::Phase;
use velvet_dial_core::limits::Decision;
use velvet_dial_core::trace::knowledge::knowledge;
use velvet_dial_store::jobs;

#[derive(Template)]
#[template(path = "page/report.html")]
struct Page {
    chrome: Chrome,
    shop: String,
    opened: String,
    bench: Workbench,
    compare: Box<CompareWork>,
    prove: Box<ReadingsWork>,
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
    let job = desk.job().await?;
    let kept = jobs::captures(&desk.app.db, &desk.viewer, desk.number).await?;
    let captures = kept.iter().map(|c| (c.name.clone(), c.digest.chars().take(16).collect(), c.also_in.clone())).collect();
    let assessed = assess(desk.app.clone(), job).await?;
    let unit = desk.liking.unit;
    let lay = |stage| workbench::build(&assessed, stage, desk.liking, &desk.viewer, Ask::default());
    let (Work::Compare(compare), Work::Prove(prove)) = (lay(Stage::Compare).work, lay(Stage::Prove).work) else {
        return Err(Failure::NoPage);
    };
    let know = knowledge();
    let repairs = assessed
        .job
        .live()
        .filter_map(|entry| match &entry.body {
            jobs::Body::Repair(repair) => {
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
    let mut found = workbench::lines(&assessed.job, unit);
    found.reverse();
    let page = Page {
        chrome: Chrome::of(&desk.viewer, desk.liking, format!("{} · Report", assessed.job.head.vehicle.tag)),
        shop: velvet_dial_store::accounts::shop_name(&desk.app.db, &desk.viewer).await?,
        opened: show::day(assessed.job.head.opened_at),
        bench: lay(Stage::Prove),
        compare,
        prove,
        before: workbench::rows(&assessed, unit, Phase::Before),
        after: workbench::rows(&assessed, unit, Phase::After),
        plain: plain(&assessed),
        repairs,
        instruments,
        found,
        captures,
    };
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(page.render()?))
}

/// What was wrong, how it is known, whether it is proven.
fn plain(assessed: &crate::diagnosis::Assessed) -> Vec<String> {
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
