//! Makes a record of a diagnosed case.
use super::{CauseSaid, FlagSaid, Judged, Line, PointSaid, ReadingSaid, Record, Recording, RepairSaid, plain};
use crate::case::Case;
use crate::diagnosis::{Basis, Diagnosis, JudgedPoint, JudgedReading, Verdict, curves, proof};
use crate::experience::Known;
use crate::knowledge::{fingerprint, knowledge};
use crate::limits::{Point, Sheet};
use crate::trace::Tracer;
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};

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
