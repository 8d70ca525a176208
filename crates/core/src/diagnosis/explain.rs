//! Everything behind a diagnosis, for whoever asks why: what `velvet-dial explain` prints.
use super::report::{NextOut, Pair, next, pairs, probability};
use super::{Decider, Diagnosis, Projected, Setting, how, project};
use crate::case::Case;
use crate::experience::Learned;
use crate::knowledge::{Knowledge, knowledge};
use crate::limits::Decision;
use crate::plausibility::NotBelieved;
use crate::trace::{BenchState, Enough, Plan, Proposal, Step, Tracer, Until, leader_of, overturn, plans};
use crate::unit::{Units, figures};
use serde::Serialize;
use std::collections::BTreeMap;

/// The explanation.
#[derive(Debug, Serialize)]
pub struct Explanation {
    id: Option<String>,
    sound: f64,
    bench: BenchState,
    readings: Vec<ReadingWhy>,
    not_believed: Vec<NotBelieved>,
    causes: Vec<CauseWhy>,
    pairs: Vec<Pair>,
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
struct OverturnOut {
    #[serde(skip_serializing_if = "Option::is_none")]
    check: Option<&'static str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    reading: Option<String>,
    outcome: String,
    then_leads: &'static str,
    probability: f64,
}

#[derive(Debug, Serialize)]
struct NextWhy {
    #[serde(flatten)]
    what: NextOut,
    #[serde(skip_serializing_if = "Option::is_none")]
    how: Option<String>,
    money: f64,
    group_gain_bits: f64,
    bits_a_minute: f64,
    worth_minutes: f64,
    outcomes: BTreeMap<String, f64>,
}

/// Causes told in full.
const TOLD: usize = 6;
/// Explains a diagnosis. It also prices the four orders, which takes a moment.
pub fn explain(case: &Case, tracer: &Tracer, setting: &Setting, diagnosis: &Diagnosis) -> Explanation {
    let know = knowledge();
    let name = |cause: usize| know.causes.get(cause).map_or("", |cause| cause.id.as_str());
    let states = &diagnosis.posterior.states;
    let situation = &diagnosis.situation(case);
    let usual = leader_of(&diagnosis.priors).unwrap_or(0);
    let overturned = overturn(&diagnosis.next).map(|(step, turn)| OverturnOut {
        check: if let Step::Check(check) = step { Some(*check) } else { None },
        reading: if let Step::Reading(place) = step { situation.readings.get(*place).map(|reading| reading.name.clone()) } else { None },
        outcome: outcome_name(know, diagnosis, step, turn.outcome),
        then_leads: name(turn.cause),
        probability: probability(turn.probability),
    });
    let price = |plan: Plan| Plan {
        minutes: figures(plan.minutes),
        money: figures(plan.money),
        reached: figures(plan.reached),
        right: figures(plan.right),
        ..plan
    };
    Explanation {
        id: case.id.clone(),
        sound: probability(diagnosis.sound),
        bench: situation.state,
        not_believed: diagnosis.not_believed.clone(),
        readings: readings(case, tracer, diagnosis),
        causes: diagnosis.posterior.ranked().into_iter().take(TOLD).filter_map(|cause| cause_why(know, case, diagnosis, cause)).collect(),
        pairs: pairs(know, states),
        overturn: overturned,
        enough: diagnosis.enough,
        next: next_why(know, case, diagnosis),
        orders: plans(Until::GoodEnough, know, states, situation, usual).into_iter().map(price).collect(),
        memory: setting.memory.map_or_else(Vec::new, |memory| memory.learn(know, &know.priors(&case.engine.layout))),
        come_back: setting
            .exclusions
            .iter()
            .filter(|strike| !diagnosis.findings.iter().any(|finding| finding.key == strike.because))
            .map(|strike| format!("{}: it was ruled out because of {}, which was withdrawn", strike.cause, strike.because))
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
                measured_kpa: figures(judged.measured_kpa),
                brought: judged.brought,
                doubt_kpa: judged.budget.items.iter().map(|item| (item.from, figures(item.u_kpa))).collect(),
                u_kpa: figures(judged.u_kpa()),
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
            log_odds: figures(of(moved, index)),
            reason: why(know, case, &finding.key, &cause.id).unwrap_or(&cause.shape).to_owned(),
        })
        .collect();
    Some(CauseWhy {
        id: &cause.id,
        probability: probability(diagnosis.posterior.of(index)),
        prior: probability(of(&diagnosis.priors, index)),
        prior_reason: &cause.reason,
        shape: &cause.shape,
        moved,
    })
}

/// The reason a finding speaks as it does for a cause; none for the readings, whose reason is the cause's shape.
pub(super) fn why(know: &'static Knowledge, case: &Case, key: &str, cause: &str) -> Option<&'static str> {
    if let Some(circumstance) = know.circumstance(key) {
        return Some(circumstance.reason(cause));
    }
    let entry = case.evidence.iter().find(|entry| entry.keys().any(|found| found == key))?;
    know.check(&entry.check).map(|check| check.reason(cause))
}

/// An outcome in words: a check's own, a reading's as the pressures it lies between.
fn outcome_name(know: &'static Knowledge, diagnosis: &Diagnosis, step: &Step, outcome: usize) -> String {
    match step {
        Step::Check(check) => know.check(check).and_then(|check| check.outcomes.get(outcome)).map_or_else(String::new, |o| o.id.clone()),
        Step::Reading(place) => {
            let (low, high) = diagnosis.takeable.get(*place).map_or((None, None), |reading| reading.part(outcome));
            let whole = |kpa: f64| figures(kpa).round();
            match (low.map(whole), high.map(whole)) {
                (Some(low), Some(high)) => format!("{low} to {high} kPa"),
                (Some(low), None) => format!("over {low} kPa"),
                (None, Some(high)) => format!("under {high} kPa"),
                (None, None) => String::new(),
            }
        }
        Step::Bench(..) => String::new(),
    }
}

fn next_why(know: &'static Knowledge, case: &Case, diagnosis: &Diagnosis) -> Vec<NextWhy> {
    let why = |proposal: &Proposal| NextWhy {
        what: next(&diagnosis.takeable, proposal),
        how: proposal.check().and_then(|check| know.check(check)).map(|check| how(case, check, Units::default())),
        money: figures(proposal.money),
        group_gain_bits: figures(proposal.group_gain_bits),
        bits_a_minute: figures(proposal.bits_a_minute),
        worth_minutes: figures(proposal.worth_minutes),
        outcomes: proposal
            .outcome_probability
            .iter()
            .enumerate()
            .map(|(outcome, p)| (outcome_name(know, diagnosis, &proposal.step, outcome), probability(*p)))
            .collect(),
    };
    diagnosis.next.iter().map(why).collect()
}
