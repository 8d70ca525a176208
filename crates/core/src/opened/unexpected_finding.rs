//! A finding that does not fit what was expected when the customer said yes: the job stops for a talk before anything is put right.
//!
//! A finding behind an opening, or after the yes, does not fit when it was improbable by everything else that is known and another cause leads because of it, or when it is one of those that mean
//! dear damage (metal, coolant, fuel, a damaged face) and was no more probable than one in four. Fitting a part and hoping is the costliest mistake of all.
use super::plan::{Plan, cost_of};
use crate::case::Case;
use crate::diagnosis::Diagnosis;
use crate::knowledge::{Cause, Check, knowledge};
use crate::trace::{Finding, weigh};
use chrono::{DateTime, Utc};

/// What was found, what was expected, and what it costs either way, in the shop's money.
#[derive(Debug, Clone)]
pub struct UnexpectedFinding {
    /// The finding's key, as `check=outcome`.
    pub key: String,
    /// The finding in words.
    pub label: String,
    /// How probable it was by all else that is known.
    pub probability: f64,
    /// What led without it.
    pub expected: &'static Cause,
    /// What leads with it.
    pub leads: &'static Cause,
    /// How probable that is now.
    pub odds: f64,
    /// Going on as was agreed.
    pub expected_money: f64,
    /// What now leads, put right.
    pub leads_money: f64,
    /// Closed again and nothing mended.
    pub stop_money: f64,
}

/// Less probable than this, a finding that turns the ranking over does not fit.
const UNEXPECTED: f64 = 0.15;
/// And one that means dear damage.
const DEAR_UNEXPECTED: f64 = 0.25;
/// Outcomes that mean it.
const DEAR: [&str; 8] = ["bearing_metal", "light_metal", "ferrous", "coolant", "fuel", "damaged", "broken", "far_end_bad"];

/// The findings that do not fit, in the order they were weighed; `agreed_at` is when the customer said yes.
pub fn unexpected_findings(case: &Case, now: &Diagnosis, plan: &Plan, agreed_at: Option<DateTime<Utc>>) -> Vec<UnexpectedFinding> {
    let know = knowledge();
    let Some(leads) = named(now.posterior.leader()) else { return Vec::new() };
    let after_the_yes = |check: &Check, at: Option<DateTime<Utc>>| {
        check.opens(&case.engine) || at.zip(agreed_at).is_some_and(|(found, agreed)| found > agreed)
    };
    let one = |(entry, seen): (&crate::case::Evidence, &str)| {
        let check = know.check(&entry.check).filter(|check| after_the_yes(check, entry.at))?;
        let outcome = check.outcome(seen)?;
        let key = format!("{}={seen}", entry.check);
        let label = now.findings.iter().find(|finding| finding.key == key)?.label.clone();
        let others: Vec<Finding> = now.findings.iter().filter(|finding| finding.key != key).cloned().collect();
        let without = weigh(know, &now.priors, &others);
        let probability: f64 = without.states.iter().enumerate().map(|(state, p)| p * check.likelihood(state, outcome)).sum();
        let expected = named(without.leader())?;
        let turned = expected.id != leads.id && probability < UNEXPECTED;
        let dear = DEAR.contains(&seen) && probability < DEAR_UNEXPECTED;
        (turned || dear).then(|| UnexpectedFinding {
            key,
            label,
            probability,
            expected,
            leads,
            odds: know.cause(&leads.id).map_or(0.0, |index| now.posterior.of(index)),
            expected_money: cost_of(case, plan, expected),
            leads_money: cost_of(case, plan, leads),
            stop_money: plan.stop_money(),
        })
    };
    case.weighed_evidence().flat_map(|entry| entry.seen().map(move |seen| (entry, seen))).filter_map(one).collect()
}

fn named(cause: Option<usize>) -> Option<&'static Cause> {
    knowledge().causes.get(cause?)
}
