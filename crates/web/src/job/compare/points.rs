//! Each line of the sheet: in a sentence with margin and doubt, in figures, and what would decide it.
use crate::job::assess::Assessed;
use crate::ui::count;
use crate::ui::show;
use crate::ui::words::point_name;
use velvet_dial_core::diagnosis::{JudgedPoint, JudgedReading};
use velvet_dial_core::limits::limit_words;
use velvet_dial_core::limits::{COVERAGE, Decision};
use velvet_dial_core::unit::Units;

/// A line of the sheet.
pub struct PointRow {
    pub place: String,
    /// The verdict in a sentence.
    pub sentence: String,
    pub limit: String,
    pub measured: String,
    pub margin: String,
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

/// The sheet as a whole.
pub fn overall(assessed: &Assessed) -> String {
    let verdict = &assessed.now.verdict;
    let missing = verdict.missing().count();
    match verdict.overall {
        Decision::Below => "Too low, and by more than this gauge can be wrong. Trace it.".to_owned(),
        Decision::Above => {
            "Too high, and by more than this gauge can be wrong. Do not rev it cold; trace it: the relief comes first.".to_owned()
        }
        Decision::Undecided => {
            "This gauge is not fine enough to decide. See below what would decide it, before you take anything apart.".to_owned()
        }
        Decision::Within => {
            "Every point of the sheet is within its limits. If the dash says otherwise, look at sender and wiring.".to_owned()
        }
        Decision::NotMeasured if verdict.points.is_empty() || missing == verdict.points.len() => {
            "Nothing to compare yet: take the hot readings the sheet names.".to_owned()
        }
        Decision::NotMeasured => {
            format!("The points that were read are within. Still to read: {missing} of {}.", count(verdict.points.len(), "point"))
        }
    }
}

/// How far it is from the nearer limit, kPa: above nothing it is on the right side.
fn margin_kpa(judged: &JudgedPoint, measured_kpa: f64) -> Option<(f64, f64)> {
    let under = judged.point.min_kpa.map(|min| (measured_kpa - min, min));
    let over = judged.point.max_kpa.map(|max| (max - measured_kpa, max));
    under.into_iter().chain(over).min_by(|a, b| a.0.total_cmp(&b.0))
}

pub fn row(assessed: &Assessed, judged: &JudgedPoint, unit: Units) -> PointRow {
    let reading = judged.reading.as_ref();
    let margin = reading.and_then(|reading| margin_kpa(judged, reading.measured_kpa));
    PointRow {
        place: point_name(&assessed.case.engine, &judged.point, unit),
        sentence: reading.map_or_else(|| "Not read yet.".to_owned(), |reading| sentence(judged, reading, unit)),
        limit: limit_words(judged.point.min_kpa, judged.point.max_kpa, unit),
        measured: reading.map_or_else(String::new, |r| show::pressure(r.measured_kpa, unit)),
        margin: margin.map_or_else(String::new, |(margin, _)| {
            format!("{}{} {}", if margin < 0.0 { "−" } else { "+" }, unit.show(margin.abs()), unit.label())
        }),
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

/// “58 kPa where at least 100 kPa is asked: 42 kPa short, and the gauge can be wrong by 24. Below the limit: > 99 % sure.”
fn sentence(judged: &JudgedPoint, reading: &JudgedReading, unit: Units) -> String {
    let asked = limit_words(judged.point.min_kpa, judged.point.max_kpa, unit);
    let brought = if reading.brought { ", brought to the sheet's speed and temperature," } else { "" };
    let measured = show::pressure(reading.measured_kpa, unit);
    if let Some(ceiling_kpa) = reading.over_ceiling_kpa {
        let ceiling = show::pressure(ceiling_kpa, unit);
        return format!(
            "{measured}{brought}: the sheet names no maximum, but filters and coolers are not built for more than about {ceiling}. Too high."
        );
    }
    let Some((margin, limit)) = margin_kpa(judged, reading.measured_kpa) else { return format!("{measured}{brought}; no limit here.") };
    let far = show::pressure(margin.abs(), unit);
    let side = match (margin < 0.0, Some(limit) == judged.point.min_kpa) {
        (true, true) => format!("{far} short"),
        (true, false) => format!("{far} too much"),
        (false, true) => format!("{far} above the least"),
        (false, false) => format!("{far} under the most"),
    };
    let doubt = format!("{} {}", unit.show(COVERAGE * reading.u_kpa()), unit.label());
    let (kept, missed) = (show::percent(reading.probability_conforms), show::percent(1.0 - reading.probability_conforms));
    let end = match reading.decision {
        Decision::Below => format!("Below the limit: {missed} sure."),
        Decision::Above => format!("Above the limit: {missed} sure."),
        Decision::Within if margin < 4.0 * reading.u_kpa() => {
            format!("Within the limit: {kept} sure, and a bare pass. See where it would be on a hot day.")
        }
        Decision::Within => format!("Within the limit: {kept} sure."),
        Decision::Undecided => format!("That is too near the limit to decide. Probability that it is within: {kept}."),
        Decision::NotMeasured => String::new(),
    };
    format!("{measured}{brought} where {asked} is required: {side}, and the reading can be wrong by {doubt}. {end}")
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
            format!("It is right at the limit. The largest uncertainty is {}. Hold it steadier and hotter, and read again.", item.from)
        }),
    }
}
