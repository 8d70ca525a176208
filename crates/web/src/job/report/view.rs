//! A record as the report shows it: in a unit, by the shop's clock, with the year.
use crate::job::pairs::{Pair, Said, pairs};
use crate::job::prove;
use crate::ui::picture::map::{self, Map, Scene};
use crate::ui::show;
use crate::ui::words::{flag_class, limit_words, reading_place, sheet_name};
use chrono::{DateTime, Utc};
use velvet_dial_core::case::Phase;
use velvet_dial_core::flag::Word;
use velvet_dial_core::record::{self, ReadingSaid, Record};
use velvet_dial_core::unit::Units;
use velvet_dial_store::zone::Zone;

/// What the page shows.
pub struct Report {
    pub shop: String,
    pub number: i64,
    pub opened: String,
    pub closed: String,
    pub tag: String,
    pub description: String,
    pub engine: String,
    pub complaint: String,
    pub customer: String,
    pub odometer: String,
    pub on_it: String,
    /// The flag, when it is not at rest.
    pub flag: Option<Flag>,
    pub plain: Vec<String>,
    pub repairs: Vec<Repair>,
    pub pairs: Vec<Pair>,
    pub source: String,
    pub rule_of_thumb: bool,
    pub verdict: Said,
    /// How far it is proven, as a shape and a word.
    pub proven: Option<(&'static str, &'static str)>,
    pub map: Map,
    pub readings: Vec<Reading>,
    pub instruments: Vec<String>,
    pub recordings: Vec<Recording>,
    pub photos: Vec<Photo>,
    pub log: Vec<Line>,
    pub knowledge: String,
    /// Head of the ledger, hash of the case, hash of the report.
    pub seal: Option<[String; 3]>,
}

pub struct Flag {
    pub class: &'static str,
    pub word: &'static str,
    pub why: String,
    pub instead: String,
}

pub struct Repair {
    pub cause: String,
    pub done: String,
    pub follow_up: String,
    pub who: String,
}

pub struct Reading {
    pub phase: &'static str,
    pub place: String,
    pub read: String,
    pub doubt: String,
    pub limit: String,
    pub said: Said,
    pub who: String,
}

/// A photo that holds.
pub struct Photo {
    pub id: String,
    pub says: String,
}

pub struct Recording {
    pub name: String,
    pub digest: String,
    pub also_in: Vec<i64>,
}

pub struct Line {
    pub what: String,
    pub who: String,
    pub struck: bool,
    pub reason: String,
}

/// Lays it out.
pub fn report(record: &Record, unit: Units) -> Report {
    let papers = &record.papers;
    let zone = Zone::named(&papers.zone).unwrap_or_default();
    let when = |at: DateTime<Utc>| show::moment_with_year(at.naive_utc(), &zone);
    let day = |at: DateTime<Utc>| show::day(at.naive_utc(), &zone);
    Report {
        shop: papers.shop.clone(),
        number: papers.number,
        opened: day(papers.opened_at),
        closed: papers.closed_at.map(day).unwrap_or_default(),
        tag: papers.tag.clone(),
        description: papers.description.clone(),
        engine: papers.engine.clone(),
        complaint: papers.complaint.clone(),
        customer: papers.customer.clone(),
        odometer: papers.odometer_km.map(|km| format!("{km:.0} km")).unwrap_or_default(),
        on_it: papers.on_it.clone(),
        flag: (record.flag.word != Word::MayRun).then(|| Flag {
            class: flag_class(record.flag.word),
            word: record.flag.word.label(),
            why: record.flag.why.clone(),
            instead: record.flag.instead.clone(),
        }),
        plain: record.plain.clone(),
        repairs: record
            .repairs
            .iter()
            .map(|repair| Repair {
                cause: repair.cause.clone(),
                done: repair.done.clone(),
                follow_up: repair.follow_up.clone(),
                who: format!("{}, {}", repair.who, when(repair.at)),
            })
            .collect(),
        pairs: pairs(&record.points, unit),
        source: record.case.spec.as_ref().map(sheet_name).unwrap_or_default(),
        rule_of_thumb: record.rule_of_thumb,
        verdict: Said::new(String::new(), record.verdict),
        proven: record.proven.as_ref().map(|proof| (prove::shape(&proof.word), proof.word.label())),
        map: map::map(&scene(record), unit),
        readings: readings(record, unit, when),
        instruments: instruments(record, unit),
        recordings: record
            .recordings
            .iter()
            .map(|run| Recording { name: run.name.clone(), digest: run.digest.chars().take(16).collect(), also_in: run.also_in.clone() })
            .collect(),
        photos: record
            .log
            .iter()
            .filter(|line| !line.struck)
            .filter_map(|line| line.photo.clone().map(|id| Photo { id, says: format!("{} ({}, {})", line.what, line.who, when(line.at)) }))
            .collect(),
        log: record
            .log
            .iter()
            .map(|line| Line {
                what: told(line, unit),
                who: format!("{}, {}", line.who, when(line.at)),
                struck: line.struck,
                reason: line.reason.clone(),
            })
            .collect(),
        knowledge: record.knowledge.clone(),
        seal: record.seal.as_ref().map(|seal| [seal.head.clone(), seal.case.clone(), seal.document.clone()]),
    }
}

/// A line of the ledger; older records do not say which sentences have figures, but a reading's always had.
fn told(line: &record::Line, unit: Units) -> String {
    let what = if line.figures || line.kpa.is_some() { unit.said(&line.what) } else { line.what.clone() };
    line.kpa.map_or_else(|| what.clone(), |kpa| format!("{} {what}", show::pressure(kpa, unit)))
}

fn readings(record: &Record, unit: Units, when: impl Fn(DateTime<Utc>) -> String) -> Vec<Reading> {
    let of = |taken: &ReadingSaid| {
        let reading = record.case.readings.get(taken.reading)?;
        let mut said = Said::new(String::new(), taken.judged.decision);
        if taken.point.is_none() {
            said.word = "no limit";
        }
        Some(Reading {
            phase: if reading.phase == Phase::After { "after" } else { "before" },
            place: reading_place(reading, unit),
            read: show::pressure(reading.kpa, unit),
            doubt: show::plus_minus(taken.judged.u_kpa, unit),
            limit: taken.point.map_or_else(|| "no limit here".to_owned(), |p| limit_words(p.min_kpa, p.max_kpa, unit)),
            said,
            who: format!("{}, {}", taken.who, when(taken.at)),
        })
    };
    let mut readings: Vec<Reading> = record.readings.iter().filter_map(of).collect();
    readings.sort_by_key(|reading| reading.phase == "after");
    readings
}

/// The gauges that were used.
fn instruments(record: &Record, unit: Units) -> Vec<String> {
    let used = |name: &str| record.case.readings.iter().any(|reading| reading.instrument.as_deref() == Some(name));
    let words = |(name, gauge): (&String, &velvet_dial_core::instrument::Instrument)| {
        let mut calibrated = gauge.calibrated_on.map_or_else(|| "no calibration on record".to_owned(), |day| format!("calibrated {day}"));
        let said = [("certificate", &gauge.certificate), ("serial", &gauge.serial)];
        for (what, said) in said.into_iter().filter_map(|(what, said)| said.as_ref().map(|said| (what, said))) {
            calibrated += &format!(", {what} {said}");
        }
        let read =
            || record.case.readings.iter().filter(|reading| reading.instrument.as_deref() == Some(name)).filter_map(|reading| reading.at);
        if read().any(|at| gauge.overdue(at.date_naive())) {
            calibrated += ", overdue when it was read: its class is counted half as wide again";
        }
        let (scale, class) = (show::pressure(gauge.full_scale_kpa, unit), show::plain(gauge.class_percent));
        format!("{name}: {scale} full scale, class {class}, {calibrated}")
    };
    record.case.instruments.iter().filter(|(name, _)| used(name)).map(words).collect()
}

fn scene(record: &Record) -> Scene {
    let others = record.other_sheets.iter().map(|sheet| (sheet, false));
    let sheets = others.chain(record.case.spec.iter().map(|sheet| (sheet, true)));
    let readings = record.readings.iter().filter_map(|taken| Some((record.case.readings.get(taken.reading)?, taken.judged.u_kpa, false)));
    Scene::of(sheets, readings, record.curves.clone())
}
