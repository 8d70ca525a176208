//! The compare stage: each point of the sheet, what was read there, and what would decide an undecided one.
use crate::job::Drawn;
use crate::job::assess::Assessed;
use crate::ui::show;
use crate::ui::words::{limit_words, point_name, sheet_name};
use askama::Template;
use velvet_dial_core::case::{Basis, JudgedPoint};
use velvet_dial_core::limits::Decision;
use velvet_dial_core::unit::Units;

/// Each point of the sheet against what was read there.
pub struct CompareWork {
    pub overall: &'static str,
    pub overall_word: &'static str,
    /// What the verdict means and what to do about it.
    pub sentence: String,
    pub points: Vec<PointRow>,
    /// The revision in force, and the others.
    pub source: String,
    pub others: Vec<String>,
    pub rule_of_thumb: bool,
}

/// A line of the sheet.
pub struct PointRow {
    pub place: String,
    pub limit: String,
    pub measured: String,
    pub doubt: String,
    pub decision: &'static str,
    pub word: &'static str,
    pub odds: String,
    /// What would decide it.
    pub advice: String,
    pub budget: Vec<Item>,
}

/// An item of the doubt.
pub struct Item {
    pub from: &'static str,
    pub much: String,
}

#[derive(Template)]
#[template(path = "job/compare/compare.html")]
struct Surface {
    work: CompareWork,
}

/// Draws the screen.
pub fn draw(drawn: &Drawn) -> askama::Result<String> {
    Surface { work: work(drawn.assessed, drawn.shell.unit) }.render()
}

/// What lies on the surface, for the screen and for the report.
pub fn work(assessed: &Assessed, unit: Units) -> CompareWork {
    let verdict = &assessed.now.verdict;
    let in_force = assessed.job.sheet();
    let others = assessed
        .job
        .engine
        .sheets
        .iter()
        .filter(|sheet| Some(*sheet) != in_force)
        .map(|sheet| {
            let points: Vec<String> =
                sheet.points.iter().map(|p| format!("{:.0} rpm {}", p.rpm, limit_words(p.min_kpa, p.max_kpa, unit))).collect();
            format!(
                "{}{}: {}",
                sheet.source,
                sheet.in_force_from.map(|from| format!(" (from {from})")).unwrap_or_default(),
                points.join("; ")
            )
        })
        .collect();
    let source = in_force.map(sheet_name).unwrap_or_default();
    CompareWork {
        overall: verdict.overall.id(),
        overall_word: verdict.overall.word(),
        sentence: sentence(assessed),
        points: verdict.points.iter().map(|judged| row(assessed, judged, unit)).collect(),
        source,
        others,
        rule_of_thumb: verdict.basis == Basis::RuleOfThumb,
    }
}

fn sentence(assessed: &Assessed) -> String {
    let verdict = &assessed.now.verdict;
    let missing = verdict.missing().count();
    match verdict.overall {
        Decision::Below => "Surely too low, whatever this gauge can be wrong by. Trace it.".to_owned(),
        Decision::Above => "Surely too high. Do not rev it cold; trace it: the relief comes first.".to_owned(),
        Decision::Undecided => "This gauge cannot tell. See below what would decide it before anything is taken apart.".to_owned(),
        Decision::Within => "Every point of the sheet is surely within. If the dash says otherwise, the dash is the fault.".to_owned(),
        Decision::NotMeasured if verdict.points.is_empty() || missing == verdict.points.len() => {
            "Nothing to compare yet: take the hot readings the sheet names.".to_owned()
        }
        Decision::NotMeasured => format!("What was read is within; {missing} of {} points are still to be read.", verdict.points.len()),
    }
}

fn row(assessed: &Assessed, judged: &JudgedPoint, unit: Units) -> PointRow {
    let reading = judged.reading.as_ref();
    PointRow {
        place: point_name(&assessed.case.engine, &judged.point, unit),
        limit: limit_words(judged.point.min_kpa, judged.point.max_kpa, unit),
        measured: reading.map_or_else(String::new, |r| show::pressure(r.measured_kpa, unit)),
        doubt: reading.map_or_else(String::new, |r| show::plus_minus(r.u_kpa(), unit)),
        decision: judged.decision().id(),
        word: judged.decision().word(),
        odds: reading.map_or_else(String::new, |r| show::percent(r.probability_conforms)),
        advice: advice(assessed, judged, unit),
        budget: reading.map_or_else(Vec::new, |r| {
            r.budget.items.iter().map(|item| Item { from: item.from, much: show::plus_minus(item.u_kpa, unit) }).collect()
        }),
    }
}

/// What would decide an undecided point: a gauge of the shop that is fine enough, else the one to look for.
fn advice(assessed: &Assessed, judged: &JudgedPoint, unit: Units) -> String {
    let Some(reading) = judged.reading.as_ref().filter(|_| judged.decision() == Decision::Undecided) else {
        return String::new();
    };
    let fine = assessed
        .job
        .gauges
        .iter()
        .filter(|gauge| reading.deciding_full_scale_kpa(gauge.gauge.class_percent).is_some_and(|most| gauge.gauge.full_scale_kpa <= most))
        .max_by(|a, b| a.gauge.full_scale_kpa.total_cmp(&b.gauge.full_scale_kpa));
    if let Some(gauge) = fine {
        return format!("“{}” would decide it: read the same point with it.", gauge.name);
    }
    match reading.deciding_full_scale_kpa(1.0) {
        Some(full_scale) => {
            format!("A class 1.0 gauge of {} full scale or less would decide it.", show::pressure((full_scale / 10.0).floor() * 10.0, unit))
        }
        None => reading.budget.largest().map_or_else(String::new, |item| {
            format!("It lies on the limit: the {} weighs most; hold steadier, hotter, and read again.", item.from)
        }),
    }
}
