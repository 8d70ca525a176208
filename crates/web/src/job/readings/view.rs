//! The readings stage, before and after: the form, what was taken, dial, map and captures.
use crate::job::assess::Assessed;
use crate::job::compare::ledger_limits;
use crate::ui::picture::dial::{self, Dial, Shown};
use crate::ui::picture::map::{self, Ghost, Map, Mark, SPEEDS, Scene};
use crate::ui::show;
use crate::ui::words::{decision_id, limit_words, point_name};
use velvet_dial_core::case::{JudgedReading, Phase};
use velvet_dial_core::limits::Decision;
use velvet_dial_core::trace::knowledge::knowledge;
use velvet_dial_core::unit::Pressure;
use velvet_dial_store::jobs::{Body, Entry, Kept, TakenReading};

/// What lies on the surface.
pub struct ReadingsWork {
    pub after: bool,
    pub rows: Vec<ReadingRow>,
    pub dial: Option<Dial>,
    pub map: Map,
    /// Lines of the sheet not yet read.
    pub missing: Vec<String>,
    pub gauges: Vec<(String, String)>,
    /// Name of the gauge used last, for the form.
    pub gauge: String,
    pub captures: Vec<(String, String, String)>,
    pub has_sheet: bool,
    /// Before and after at each point of the sheet.
    pub pairs: Vec<Pair>,
    /// Every point reads within after the repair.
    pub proven: bool,
    pub repaired: bool,
}

/// A reading taken.
pub struct ReadingRow {
    pub entry: String,
    pub place: String,
    pub read: String,
    pub doubt: String,
    pub limit: String,
    pub decision: &'static str,
    pub word: &'static str,
    pub who: String,
    pub when: String,
    pub note: String,
}

/// A point before and after.
pub struct Pair {
    pub place: String,
    pub limit: String,
    pub before: Option<(String, &'static str, &'static str)>,
    pub after: Option<(String, &'static str, &'static str)>,
}

/// Oil under this is cold: its marks are hollow and its curves dotted.
const COLD_C: f64 = 60.0;
/// Curves drawn.
const GHOSTS: usize = 4;

/// The readings of a phase as rows, the last one first.
pub fn rows(assessed: &Assessed, unit: Pressure, phase: Phase) -> Vec<ReadingRow> {
    let mut rows: Vec<ReadingRow> = taken(assessed)
        .filter(|(_, taken, _)| taken.reading.phase == phase)
        .map(|(entry, taken, judged)| row(entry, taken, judged, unit))
        .collect();
    rows.reverse();
    rows
}

fn taken(assessed: &Assessed) -> impl Iterator<Item = (&Entry, &TakenReading, &JudgedReading)> {
    assessed.job.reading_entries().zip(&assessed.now.readings).filter_map(|(entry, judged)| match &entry.body {
        Body::Reading(taken) => Some((entry, taken, judged)),
        _ => None,
    })
}

fn row(entry: &Entry, taken: &TakenReading, judged: &JudgedReading, unit: Pressure) -> ReadingRow {
    let r = &taken.reading;
    let estimated = if r.oil_temp_estimated { " est." } else { "" };
    let brought =
        if judged.brought { format!("{} at the sheet's point", show::pressure(judged.measured_kpa, unit)) } else { String::new() };
    let from = taken.capture.map(|(_, from, to)| format!("capture {from:.0}–{to:.0} s")).unwrap_or_default();
    let note: Vec<String> = [brought, from].into_iter().filter(|text| !text.is_empty()).collect();
    ReadingRow {
        entry: entry.id.to_string(),
        place: format!("{:.0} rpm · {:.0} °C{estimated} · {}", r.rpm, r.oil_temp_c, r.gear.label()),
        read: show::pressure(r.kpa, unit),
        doubt: show::plus_minus(judged.u_kpa(), unit),
        limit: judged.point.map_or_else(|| "no limit here".to_owned(), |p| limit_words(p.min_kpa, p.max_kpa, unit)),
        decision: decision_id(judged.decision),
        word: if judged.point.is_none() { "no limit" } else { judged.decision.word() },
        who: entry.author_name.clone(),
        when: show::moment(entry.written_at),
        note: note.join(" · "),
    }
}

/// What lies on the surface, before or after.
pub fn work(assessed: &Assessed, unit: Pressure, captures: &[Kept], after: bool) -> ReadingsWork {
    let phase = if after { Phase::After } else { Phase::Before };
    let job = &assessed.job;
    let last = taken(assessed).filter(|(_, taken, _)| taken.reading.phase == phase).last();
    let reach = assessed.case.readings.iter().map(|r| r.kpa).chain(assessed.case.engine.relief_opens_kpa).fold(0.0, f64::max);
    let dial = last.map(|(_, taken, judged)| {
        let shown = Shown {
            kpa: taken.reading.kpa,
            u_kpa: judged.u_kpa(),
            min_kpa: judged.point.and_then(|p| p.min_kpa),
            max_kpa: judged.point.and_then(|p| p.max_kpa),
            reach_kpa: reach,
        };
        let caption = format!("{:.0} rpm, {:.0} °C", taken.reading.rpm, taken.reading.oil_temp_c);
        let word = if judged.point.is_none() { "no limit here" } else { judged.decision.word() };
        dial::dial(&shown, unit, caption, decision_id(judged.decision), word)
    });
    let verdict = if after { &assessed.now.proof } else { &assessed.now.verdict };
    let gauge = taken(assessed).filter_map(|(_, taken, _)| taken.reading.instrument.clone()).last().unwrap_or_default();
    ReadingsWork {
        after,
        rows: rows(assessed, unit, phase),
        dial,
        map: map::map(&scene(assessed), unit),
        missing: verdict.missing().map(|point| point_name(&assessed.case.engine, point)).collect(),
        gauges: job.gauges.iter().map(|g| (g.name.clone(), format!("{} · class {}", g.name, show::plain(g.gauge.class_percent)))).collect(),
        gauge,
        captures: captures.iter().map(|c| (c.id.to_string(), c.name.clone(), show::moment(c.uploaded_at))).collect(),
        has_sheet: job.sheet().is_some(),
        pairs: pairs(assessed, unit),
        proven: assessed.now.proof.overall == Decision::Within,
        repaired: job.repair().is_some(),
    }
}

fn pairs(assessed: &Assessed, unit: Pressure) -> Vec<Pair> {
    let say = |judged: &JudgedReading| (show::pressure(judged.measured_kpa, unit), decision_id(judged.decision), judged.decision.word());
    let (before, after) = (&assessed.now.verdict, &assessed.now.proof);
    let points = if before.points.len() >= after.points.len() { &before.points } else { &after.points };
    points
        .iter()
        .map(|judged| {
            let of = |points: &[velvet_dial_core::case::JudgedPoint]| {
                points.iter().find(|p| p.point == judged.point).and_then(|p| p.reading.as_ref()).map(say)
            };
            Pair {
                place: point_name(&assessed.case.engine, &judged.point),
                limit: limit_words(judged.point.min_kpa, judged.point.max_kpa, unit),
                before: of(&before.points),
                after: of(&after.points),
            }
        })
        .collect()
}

fn scene(assessed: &Assessed) -> Scene {
    let marks = taken(assessed)
        .map(|(_, taken, judged)| Mark {
            rpm: taken.reading.rpm,
            kpa: taken.reading.kpa,
            u_kpa: judged.u_kpa(),
            cold: taken.reading.oil_temp_c < COLD_C,
            after: taken.reading.phase == Phase::After,
            oil_temp_c: taken.reading.oil_temp_c,
        })
        .collect();
    let before = || assessed.case.readings.iter().filter(|r| r.phase == Phase::Before);
    let mean = |cold: bool| {
        let temps: Vec<f64> = before().map(|r| r.oil_temp_c).filter(|t| (*t < COLD_C) == cold).collect();
        (!temps.is_empty()).then(|| temps.iter().sum::<f64>() / temps.len() as f64)
    };
    let leaders: Vec<usize> = assessed.now.posterior.ranked().into_iter().take(GHOSTS).collect();
    let mut ghosts = Vec::new();
    for (cold, temp) in [(false, mean(false).or((mean(true).is_none()).then_some(100.0))), (true, mean(true))] {
        let Some(temp) = temp else { continue };
        for index in &leaders {
            if let Some(cause) = knowledge().causes.get(*index) {
                ghosts.push(Ghost {
                    cause: cause.id.clone(),
                    name: cause.name.clone(),
                    cold,
                    kpa: assessed.tracer.curve(*index, &assessed.now.pressures, &SPEEDS, temp),
                });
            }
        }
    }
    Scene { limits: ledger_limits(assessed), marks, ghosts, rpm_reach: 3000.0 }
}
