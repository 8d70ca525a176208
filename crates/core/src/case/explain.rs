//! Everything behind a diagnosis, for whoever asks why: what `velvet-dial explain` prints.
use super::{Case, Decider, Diagnosis, Projected, Setting, project};
use crate::limits::Decision;
use crate::trace::knowledge::{Knowledge, knowledge};
use crate::trace::{Bench, Enough, Learned, Order, Plan, Tracer, Until, leader_of, overturn, plan};
use serde::Serialize;
use std::collections::BTreeMap;

/// The explanation.
#[derive(Debug, Serialize)]
pub struct Explanation {
    id: Option<String>,
    readings: Vec<ReadingWhy>,
    causes: Vec<CauseWhy>,
    pairs: Vec<PairOut>,
    overturn: Option<OverturnOut>,
    enough: Option<Enough>,
    next: Vec<NextWhy>,
    orders: Vec<Plan>,
    memory: Vec<Learned>,
    come_back: Vec<String>,
}

#[derive(Debug, Serialize)]
struct ReadingWhy {
    reading: usize,
    measured_kpa: f64,
    brought: bool,
    doubt_kpa: BTreeMap<&'static str, f64>,
    u_kpa: f64,
    decision: Decision,
    deciders: Vec<Decider>,
    projected: Vec<Projected>,
}

#[derive(Debug, Serialize)]
struct CauseWhy {
    id: &'static str,
    probability: f64,
    prior: f64,
    prior_reason: &'static str,
    shape: &'static str,
    moved: Vec<Moved>,
}

/// What a finding did to a cause.
#[derive(Debug, Serialize)]
struct Moved {
    finding: String,
    log_odds: f64,
    reason: String,
}

#[derive(Debug, Serialize)]
struct PairOut {
    first: &'static str,
    second: &'static str,
    link: crate::trace::knowledge::Link,
    probability: f64,
    reason: &'static str,
}

#[derive(Debug, Serialize)]
struct OverturnOut {
    check: &'static str,
    outcome: &'static str,
    then_leads: &'static str,
    probability: f64,
}

#[derive(Debug, Serialize)]
struct NextWhy {
    check: &'static str,
    how: &'static str,
    minutes: f64,
    of_which_opening: f64,
    money: f64,
    gain_bits: f64,
    group_gain_bits: f64,
    bits_a_minute: f64,
    worth_minutes: f64,
    outcomes: BTreeMap<&'static str, f64>,
}

/// Causes told in full.
const TOLD: usize = 6;
/// Pairs at least this probable are named.
const LEAST_PAIR: f64 = 0.01;

/// Explains a diagnosis. It also prices the four orders, which takes a moment.
pub fn explain(case: &Case, tracer: &Tracer, setting: &Setting, diagnosis: &Diagnosis) -> Explanation {
    let know = knowledge();
    let name = |cause: usize| know.causes.get(cause).map_or("", |cause| cause.id.as_str());
    let states = &diagnosis.posterior.states;
    let done: Vec<&str> = case.evidence.iter().map(|entry| entry.check.as_str()).collect();
    let bench = Bench { layout: &case.engine.layout, done: &done, may_run: diagnosis.may_run.allowed() };
    let usual = leader_of(&diagnosis.priors).unwrap_or(0);
    let overturned = overturn(&diagnosis.next).and_then(|(check, turn)| {
        let outcome = know.check(check)?.outcomes.get(turn.outcome)?;
        Some(OverturnOut { check, outcome: &outcome.id, then_leads: name(turn.cause), probability: turn.probability })
    });
    Explanation {
        id: case.id.clone(),
        readings: readings(case, tracer, diagnosis),
        causes: diagnosis.posterior.ranked().into_iter().take(TOLD).filter_map(|cause| cause_why(know, case, diagnosis, cause)).collect(),
        pairs: pairs(know, states),
        overturn: overturned,
        enough: diagnosis.enough,
        next: next(know, diagnosis),
        orders: Order::ALL.iter().map(|(order, ..)| plan((*order, Until::Certain), know, states, &bench, usual)).collect(),
        memory: setting.memory.map_or_else(Vec::new, |memory| memory.learn(know, &know.priors(&case.engine.layout))),
        come_back: setting
            .strikes
            .iter()
            .filter(|strike| !diagnosis.findings.iter().any(|finding| finding.key == strike.because))
            .map(|strike| format!("{}: it was struck out because of {}, which does not stand any more", strike.cause, strike.because))
            .collect(),
    }
}

fn of(numbers: &[f64], index: usize) -> f64 {
    numbers.get(index).copied().unwrap_or(0.0)
}

fn readings(case: &Case, tracer: &Tracer, diagnosis: &Diagnosis) -> Vec<ReadingWhy> {
    diagnosis
        .readings
        .iter()
        .map(|judged| {
            let estimated = case.readings.get(judged.reading).is_some_and(|reading| reading.oil_temp_estimated);
            let stands_for =
                diagnosis.verdict.points.iter().find(|point| point.reading.as_ref().is_some_and(|r| r.reading == judged.reading));
            ReadingWhy {
                reading: judged.reading,
                measured_kpa: judged.measured_kpa,
                brought: judged.brought,
                doubt_kpa: judged.budget.items.iter().map(|item| (item.from, item.u_kpa)).collect(),
                u_kpa: judged.u_kpa(),
                decision: judged.decision,
                deciders: judged.deciders(estimated),
                projected: stands_for.map_or_else(Vec::new, |point| project(case, point, tracer)),
            }
        })
        .collect()
}

fn cause_why(know: &'static Knowledge, case: &Case, diagnosis: &Diagnosis, index: usize) -> Option<CauseWhy> {
    let cause = know.causes.get(index)?;
    let moved = diagnosis
        .findings
        .iter()
        .zip(&diagnosis.posterior.moved)
        .map(|(finding, moved)| Moved {
            finding: finding.key.clone(),
            log_odds: of(moved, index),
            reason: why(know, case, &finding.key, &cause.id).unwrap_or(&cause.shape).to_owned(),
        })
        .collect();
    Some(CauseWhy {
        id: &cause.id,
        probability: diagnosis.posterior.of(index),
        prior: of(&diagnosis.priors, index),
        prior_reason: &cause.reason,
        shape: &cause.shape,
        moved,
    })
}

/// The reason a finding speaks as it does for a cause; none for the readings, whose reason is the cause's shape.
fn why(know: &'static Knowledge, case: &Case, key: &str, cause: &str) -> Option<&'static str> {
    if let Some(circumstance) = know.circumstance(key) {
        return Some(circumstance.reason(cause));
    }
    let entry = case.evidence.iter().find(|entry| key == format!("{}={}", entry.check, entry.outcome))?;
    know.check(&entry.check).map(|check| check.reason(cause))
}

fn pairs(know: &'static Knowledge, states: &[f64]) -> Vec<PairOut> {
    let name = |cause: usize| know.causes.get(cause).map_or("", |cause| cause.id.as_str());
    let mut pairs: Vec<PairOut> = know
        .hypotheses
        .iter()
        .zip(states.chunks(crate::trace::knowledge::BANDS))
        .filter_map(|(hypothesis, bands)| {
            let probability: f64 = bands.iter().sum();
            let second = hypothesis.second.filter(|_| probability >= LEAST_PAIR)?;
            Some(PairOut {
                first: name(hypothesis.first),
                second: name(second),
                link: hypothesis.link,
                probability,
                reason: &hypothesis.reason,
            })
        })
        .collect();
    pairs.sort_by(|a, b| b.probability.total_cmp(&a.probability));
    pairs
}

fn next(know: &'static Knowledge, diagnosis: &Diagnosis) -> Vec<NextWhy> {
    diagnosis
        .next
        .iter()
        .filter_map(|proposal| {
            let check = know.check(proposal.check)?;
            Some(NextWhy {
                check: proposal.check,
                how: &check.how,
                minutes: proposal.minutes,
                of_which_opening: proposal.opening_minutes,
                money: proposal.money,
                gain_bits: proposal.gain_bits,
                group_gain_bits: proposal.group_gain_bits,
                bits_a_minute: proposal.bits_a_minute,
                worth_minutes: proposal.worth_minutes,
                outcomes: check
                    .outcomes
                    .iter()
                    .map(|outcome| outcome.id.as_str())
                    .zip(proposal.outcome_probability.iter().copied())
                    .collect(),
            })
        })
        .collect()
}
