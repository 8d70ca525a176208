//! Makes a record of a diagnosed case.
use super::{CauseSaid, Curve, FlagSaid, Judged, Line, PointSaid, ReadingSaid, Record, Recording, RepairSaid, plain};
use crate::case::{Basis, Case, Diagnosis, JudgedPoint, JudgedReading, Phase, Verdict, proof};
use crate::limits::{Point, Sheet};
use crate::trace::knowledge::{Cause, fingerprint, knowledge};
use crate::trace::{Known, Tracer};
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};

/// Speeds at which curves are computed, rpm.
pub const SPEEDS: [f64; 13] = [500.0, 650.0, 800.0, 1000.0, 1250.0, 1500.0, 1800.0, 2200.0, 2600.0, 3000.0, 3500.0, 4000.0, 4500.0];
/// Oil under this is cold: its curves are drawn apart, °C.
pub const COLD_C: f64 = 60.0;
/// Suspects' curves drawn, and how probable one must be.
const CURVES: usize = 4;
const LEAST_CURVE: f64 = 0.05;
/// Causes listed.
const CAUSES: usize = 6;

/// Whose job it is: what no case says.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Papers {
    /// The shop.
    pub shop: String,
    /// Zone of its clock.
    pub zone: String,
    /// The job's number.
    pub number: i64,
    /// When it was opened.
    pub opened_at: DateTime<Utc>,
    /// When it was closed.
    pub closed_at: Option<DateTime<Utc>>,
    /// Plate or fleet number.
    pub tag: String,
    /// What the vehicle is.
    pub description: String,
    /// Name of the engine.
    pub engine: String,
    /// What the customer said.
    pub complaint: String,
    /// Who the customer is; empty when nobody said.
    pub customer: String,
    /// Odometer, km.
    pub odometer_km: Option<f64>,
    /// Who is on it; empty when nobody is.
    pub on_it: String,
    /// The job before on this vehicle, where it came back with the same.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub came_back_of: Option<i64>,
    /// When it comes back to be looked at.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub recheck_at: Option<DateTime<Utc>>,
    /// The code printed on it, by which whoever holds the paper finds what was signed; empty on a draft and in older records.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub code: String,
}

/// Who took a reading of the case, in the case's order.
#[derive(Debug, Clone, PartialEq)]
pub struct Taken {
    /// Who.
    pub who: String,
    /// When.
    pub at: DateTime<Utc>,
    /// The recorded run it was taken from, from when to when in it, s.
    pub of_run: Option<(String, f64, f64)>,
}

/// What the ledger adds to a case.
#[derive(Debug, Clone, PartialEq)]
pub struct Ledger {
    /// Whose job it is.
    pub papers: Papers,
    /// Other revisions of the sheet.
    pub other_sheets: Vec<Sheet>,
    /// The readings.
    pub taken: Vec<Taken>,
    /// What was put right.
    pub repairs: Vec<RepairSaid>,
    /// How the technician says that the cause is known; none while nobody said.
    pub known: Option<Known>,
    /// Recorded runs.
    pub recordings: Vec<Recording>,
    /// Every entry, oldest first.
    pub log: Vec<Line>,
}

/// The record of a case as it was diagnosed.
pub fn record(case: &Case, now: &Diagnosis, tracer: &Tracer, ledger: Ledger) -> Record {
    let know = knowledge();
    let leaders: Vec<usize> = now.posterior.ranked();
    let causes = leaders.iter().take(CAUSES).filter_map(|index| {
        let cause = know.causes.get(*index)?;
        let (id, name, group) = (cause.id.clone(), cause.name.clone(), cause.group.clone());
        Some(CauseSaid { id, name, group, probability: now.posterior.of(*index) })
    });
    let proven = proof(case, now);
    Record {
        format: super::FORMAT.to_owned(),
        software: super::SOFTWARE.to_owned(),
        core: super::CORE.to_owned(),
        knowledge: fingerprint().to_owned(),
        plain: plain::sentences(case, now, &ledger.repairs, ledger.known, proven.as_ref()),
        known: ledger.known,
        proven,
        papers: ledger.papers,
        case: case.clone(),
        other_sheets: ledger.other_sheets,
        flag: FlagSaid {
            word: now.flag.word,
            why: now.flag.why.unwrap_or_default().to_owned(),
            instead: now.flag.instead.unwrap_or_default().to_owned(),
        },
        rule_of_thumb: now.verdict.basis == Basis::RuleOfThumb,
        verdict: now.verdict.overall,
        proof: now.proof.overall,
        points: points(case, now),
        readings: now.readings.iter().zip(ledger.taken).filter_map(|(judged, taken)| reading(case, judged, taken)).collect(),
        causes: causes.collect(),
        sound: now.sound,
        repairs: ledger.repairs,
        curves: curves(case, now, tracer).to_vec(),
        recordings: ledger.recordings,
        log: ledger.log,
        seal: None,
        personal: None,
    }
}

fn said(judged: &JudgedReading) -> Judged {
    Judged {
        measured_kpa: judged.measured_kpa,
        u_kpa: judged.u_kpa(),
        probability_conforms: judged.probability_conforms,
        decision: judged.decision,
    }
}

/// Each line of the sheet with what was read there before and after.
pub fn points(case: &Case, now: &Diagnosis) -> Vec<PointSaid> {
    // By the rule of thumb a side has lines only where it was read.
    let longer = if now.verdict.points.len() >= now.proof.points.len() { &now.verdict } else { &now.proof };
    let at = |side: &Verdict, line: Point| {
        side.points.iter().find(|judged| judged.point == line).and_then(|judged| judged.reading.as_ref()).map(said)
    };
    let line = |judged: &JudgedPoint| PointSaid {
        point: judged.point,
        idle: case.engine.idles_at(judged.point.rpm),
        before: at(&now.verdict, judged.point),
        after: at(&now.proof, judged.point),
    };
    longer.points.iter().map(line).collect()
}

fn reading(case: &Case, judged: &JudgedReading, taken: Taken) -> Option<ReadingSaid> {
    let reading = case.readings.get(judged.reading)?;
    Some(ReadingSaid {
        reading: judged.reading,
        gear: reading.gear,
        point: judged.point,
        brought: judged.brought,
        judged: said(judged),
        who: taken.who,
        at: taken.at,
        of_run: taken.of_run.as_ref().map(|(_, from, to)| (*from, *to)),
        run: taken.of_run.map(|(run, ..)| run),
    })
}

/// What the healthy engine and the leading causes would show at the temperatures of the readings before, hot and cold. A cause under which the circuit is sound has no
/// curve of its own: the healthy band is its. Once it is put right and read again, the healthy band stands alone. Worked out once for a diagnosis.
pub fn curves<'a>(case: &Case, now: &'a Diagnosis, tracer: &Tracer) -> &'a [Curve] {
    now.curves.get_or_init(|| solved(case, now, tracer))
}

fn solved(case: &Case, now: &Diagnosis, tracer: &Tracer) -> Vec<Curve> {
    // To the degree: the healthy engine's is then seldom worked out anew as a reading more moves the mean.
    let mean = |cold: bool| {
        let temps: Vec<f64> = case.readings.iter().map(|reading| reading.oil_temp_c).filter(|temp| (*temp < COLD_C) == cold).collect();
        (!temps.is_empty()).then(|| (temps.iter().sum::<f64>() / temps.len() as f64).round())
    };
    let hot = mean(false).or_else(|| mean(true).is_none().then_some(100.0));
    let know = knowledge();
    let proven = case.readings.iter().any(|reading| reading.phase == Phase::After);
    // A curve is named by its cause, so only the causes that are listed have one.
    let suspects = now.posterior.ranked().into_iter().take(CAUSES).filter(|index| !proven && now.posterior.of(*index) >= LEAST_CURVE);
    let suspects: Vec<(usize, &Cause)> = suspects.filter_map(|index| know.causes.get(index).map(|cause| (index, cause))).collect();
    let mut curves = Vec::new();
    for (cold, temp) in [(false, hot), (true, mean(true))] {
        let Some(temp) = temp else { continue };
        curves.push(Curve::of((Curve::HEALTHY, "Healthy"), &tracer.healthy_bands(&SPEEDS, temp), cold));
        for (index, cause) in suspects.iter().filter(|(_, cause)| !cause.conforms).take(CURVES) {
            curves.extend(
                tracer.left(*index, &now.pressures).map(|left| Curve::of((&cause.id, &cause.name), &left.bands(&SPEEDS, temp), cold)),
            );
        }
    }
    curves
}
