//! What `velvet-dial diagnose` prints of a case, key for key.
use super::Diagnosis;
use crate::case::{Case, Slope};
use crate::flag::{Overruled, Word};
use crate::knowledge::{BANDS, Knowledge, Link, knowledge};
use crate::limits::Decision;
use crate::plausibility::NotBelieved;
use crate::trace::{Move, Proposal, Step, Takeable};
use crate::unit::{Gear, figures};
use serde::Serialize;

/// One line of output.
#[derive(Debug, Serialize)]
pub struct Report {
    id: Option<String>,
    sound: f64,
    verdict: VerdictOut,
    causes: Vec<CauseOut>,
    pairs: Vec<Pair>,
    settled: Option<SettledOut>,
    next: Vec<NextOut>,
    stop: StopOut,
    not_believed: Vec<NotBelieved>,
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
    present: f64,
}

/// Two causes that are there together.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Pair {
    /// The one that came first, where one led to the other.
    pub first: &'static str,
    /// The other.
    pub second: &'static str,
    /// How they belong together.
    pub link: Link,
    /// How probable.
    pub probability: f64,
    /// Why they may come together.
    pub reason: &'static str,
}

#[derive(Debug, Serialize)]
struct SettledOut {
    cause: &'static str,
    probability: f64,
    why: String,
}

/// A step worth doing.
#[derive(Debug, Serialize)]
pub(super) struct NextOut {
    kind: &'static str,
    #[serde(skip_serializing_if = "Option::is_none")]
    check: Option<&'static str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    reading: Option<ReadingOut>,
    #[serde(skip_serializing_if = "Option::is_none")]
    state: Option<Move>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    checks: Vec<&'static str>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    readings: Vec<ReadingOut>,
    minutes: f64,
    opening_minutes: f64,
    gain_bits: f64,
}

#[derive(Debug, Serialize)]
struct ReadingOut {
    name: String,
    rpm: f64,
    oil_temp_c: f64,
    gear: Gear,
    slope: Slope,
}

#[derive(Debug, Serialize)]
struct StopOut {
    run_engine: bool,
    flag: Word,
    why: Option<&'static str>,
    instead: Option<&'static str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    overruled: Option<Overruled>,
}

/// Most steps listed.
const NEXT_LISTED: usize = 5;
/// Pairs at least this probable are named.
const LEAST_PAIR: f64 = 0.01;

/// The output for a diagnosed case.
pub fn report(case: &Case, diagnosis: &Diagnosis) -> Report {
    let know = knowledge();
    let states = &diagnosis.posterior.states;
    Report {
        id: case.id.clone(),
        sound: probability(diagnosis.sound),
        verdict: VerdictOut { overall: diagnosis.verdict.overall, points: points(case, diagnosis) },
        causes: causes(know, diagnosis),
        pairs: pairs(know, states),
        settled: diagnosis.settled.and_then(|cause| settled(know, diagnosis, cause)).or_else(|| mend_now(know, diagnosis)),
        next: diagnosis.next.iter().take(NEXT_LISTED).map(|proposal| next(&diagnosis.takeable, proposal)).collect(),
        stop: StopOut {
            run_engine: diagnosis.flag.allowed(),
            flag: diagnosis.flag.word,
            why: diagnosis.flag.why,
            instead: diagnosis.flag.instead,
            overruled: diagnosis.flag.overruled.clone(),
        },
        not_believed: diagnosis.not_believed.clone(),
    }
}

/// A probability as it is printed: finer than a millionth nobody can say.
pub(super) fn probability(p: f64) -> f64 {
    (p * 1e6).round() / 1e6
}

fn points(case: &Case, diagnosis: &Diagnosis) -> Vec<PointOut> {
    let point = |judged: &super::JudgedPoint| {
        let reading = judged.reading.as_ref();
        PointOut {
            rpm: judged.point.rpm,
            oil_temp_c: judged.point.oil_temp_c,
            gear: judged.point.gear,
            measured_kpa: reading.map(|r| figures(r.measured_kpa)),
            brought_from_c: reading.filter(|r| r.brought).and_then(|r| case.readings.get(r.reading)).map(|r| r.oil_temp_c),
            u_kpa: reading.map(|r| figures(r.u_kpa())),
            min_kpa: judged.point.min_kpa,
            max_kpa: judged.point.max_kpa,
            probability_conforms: reading.map(|r| probability(r.probability_conforms)),
            decision: judged.decision(),
        }
    };
    diagnosis.verdict.points.iter().map(point).collect()
}

/// Every cause, the one that most probably came first before the others; what rounding leaves over goes to the first, so that they sum to one.
fn causes(know: &'static Knowledge, diagnosis: &Diagnosis) -> Vec<CauseOut> {
    let posterior = &diagnosis.posterior;
    let mut causes: Vec<CauseOut> = know
        .causes
        .iter()
        .zip(&posterior.came_first)
        .enumerate()
        .map(|(index, (cause, came_first))| CauseOut {
            id: &cause.id,
            group: &cause.group,
            probability: probability(*came_first),
            present: probability(posterior.of(index)),
        })
        .collect();
    causes.sort_by(|a, b| b.probability.total_cmp(&a.probability));
    let rest: f64 = causes.iter().skip(1).map(|cause| cause.probability).sum();
    if let Some(first) = causes.first_mut() {
        first.probability = 1.0 - rest;
    }
    causes
}

/// Pairs worth naming, most probable first.
pub fn pairs(know: &'static Knowledge, states: &[f64]) -> Vec<Pair> {
    let name = |cause: usize| know.causes.get(cause).map_or("", |cause| cause.id.as_str());
    let mut pairs: Vec<Pair> = know
        .hypotheses
        .iter()
        .zip(states.chunks(BANDS))
        .filter_map(|(hypothesis, bands)| {
            let sum: f64 = bands.iter().sum();
            let second = hypothesis.second.filter(|_| sum >= LEAST_PAIR)?;
            Some(Pair {
                first: name(hypothesis.first),
                second: name(second),
                link: hypothesis.link,
                probability: probability(sum),
                reason: &hypothesis.reason,
            })
        })
        .collect();
    pairs.sort_by(|a, b| b.probability.total_cmp(&a.probability));
    pairs
}

fn settled(know: &'static Knowledge, diagnosis: &Diagnosis, index: usize) -> Option<SettledOut> {
    let cause = know.causes.get(index)?;
    let p = diagnosis.posterior.of(index);
    let why = format!(
        "{} stands at {:.0} % and is acted on from {:.0} %: being wrong costs {:.0} minutes of work{}.",
        cause.name,
        100.0 * p,
        100.0 * cause.act_at,
        cause.repair_minutes,
        if cause.parts > 0.0 { " and its parts" } else { "" }
    );
    Some(SettledOut { cause: &cause.id, probability: probability(p), why })
}

/// What was itself seen and is mended in minutes.
fn mend_now(know: &'static Knowledge, diagnosis: &Diagnosis) -> Option<SettledOut> {
    let index = diagnosis.mend_now?;
    let cause = know.causes.get(index)?;
    let why = format!(
        "{} was seen, and takes {:.0} minutes to repair. Do it now, then read again: there may be more.",
        cause.name, cause.repair_minutes
    );
    Some(SettledOut { cause: &cause.id, probability: probability(diagnosis.posterior.of(index)), why })
}

/// A proposal as it is printed.
pub(super) fn next(takeable: &[Takeable], proposal: &Proposal) -> NextOut {
    let reading = |place: &usize| {
        let reading = takeable.get(*place)?;
        let (rpm, oil_temp_c) = (reading.at.rpm, reading.at.oil_temp_c);
        Some(ReadingOut { name: reading.name.clone(), rpm, oil_temp_c, gear: reading.gear, slope: reading.slope })
    };
    let mut out = NextOut {
        kind: "check",
        check: None,
        reading: None,
        state: None,
        checks: Vec::new(),
        readings: Vec::new(),
        minutes: figures(proposal.minutes),
        opening_minutes: figures(proposal.opening_minutes),
        gain_bits: figures(proposal.gain_bits),
    };
    match &proposal.step {
        Step::Check(check) => out.check = Some(check),
        Step::Reading(place) => (out.kind, out.reading) = ("reading", reading(place)),
        Step::Bench(state, behind) => {
            (out.kind, out.state) = ("bench", Some(*state));
            for step in behind {
                match step {
                    Step::Check(check) => out.checks.push(check),
                    Step::Reading(place) => out.readings.extend(reading(place)),
                    Step::Bench(..) => {}
                }
            }
        }
    }
    out
}
