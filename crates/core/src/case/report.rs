//! What `velvet-dial diagnose` prints of a case, key for key.
use super::{Case, Diagnosis};
use crate::limits::Decision;
use crate::repair::MayRun;
use crate::trace::knowledge::knowledge;
use crate::unit::Gear;
use serde::Serialize;

/// One line of output.
#[derive(Debug, Serialize)]
pub struct Report {
    id: Option<String>,
    verdict: VerdictOut,
    causes: Vec<CauseOut>,
    next: Vec<NextOut>,
    stop: StopOut,
}

#[derive(Debug, Serialize)]
struct VerdictOut {
    overall: Decision,
    points: Vec<PointOut>,
}

#[derive(Debug, Serialize)]
struct PointOut {
    rpm: f64,
    oil_temp_c: f64,
    gear: Gear,
    measured_kpa: Option<f64>,
    brought_from_c: Option<f64>,
    u_kpa: Option<f64>,
    min_kpa: Option<f64>,
    max_kpa: Option<f64>,
    probability_conforms: Option<f64>,
    decision: Decision,
}

#[derive(Debug, Serialize)]
struct CauseOut {
    id: &'static str,
    group: &'static str,
    probability: f64,
}

#[derive(Debug, Serialize)]
struct NextOut {
    check: &'static str,
    minutes: f64,
    gain_bits: f64,
}

#[derive(Debug, Serialize)]
struct StopOut {
    run_engine: bool,
    why: Option<&'static str>,
}

/// Most checks listed.
const NEXT_LISTED: usize = 5;

/// The output for a diagnosed case.
pub fn report(case: &Case, diagnosis: &Diagnosis) -> Report {
    let points = diagnosis
        .verdict
        .points
        .iter()
        .map(|judged| {
            let reading = judged.reading.as_ref();
            PointOut {
                rpm: judged.point.rpm,
                oil_temp_c: judged.point.oil_temp_c,
                gear: judged.point.gear,
                measured_kpa: reading.map(|r| r.measured_kpa),
                brought_from_c: reading.filter(|r| r.brought).and_then(|r| case.readings.get(r.reading)).map(|r| r.oil_temp_c),
                u_kpa: reading.map(|r| r.u_kpa()),
                min_kpa: judged.point.min_kpa,
                max_kpa: judged.point.max_kpa,
                probability_conforms: reading.map(|r| r.probability_conforms),
                decision: judged.decision(),
            }
        })
        .collect();
    let causes = diagnosis
        .posterior
        .ranked()
        .into_iter()
        .filter_map(|index| {
            let cause = knowledge().causes.get(index)?;
            Some(CauseOut { id: &cause.id, group: &cause.group, probability: diagnosis.posterior.of(index) })
        })
        .collect();
    let next = diagnosis
        .next
        .iter()
        .take(NEXT_LISTED)
        .map(|proposal| NextOut { check: proposal.check, minutes: proposal.minutes, gain_bits: proposal.gain_bits })
        .collect();
    let why = match diagnosis.may_run {
        MayRun::No { why, .. } | MayRun::CrankFirst { why } => Some(why),
        MayRun::Yes => None,
    };
    Report {
        id: case.id.clone(),
        verdict: VerdictOut { overall: diagnosis.verdict.overall, points },
        causes,
        next,
        stop: StopOut { run_engine: diagnosis.may_run.allowed(), why },
    }
}
