//! Whether it may be acted on: what is proposed to be opened, cut or renewed on odds alone is not, and an engine that keeps its sheet is left alone.
use super::{Basis, Case, Verdict};
use crate::limits::Decision;
use crate::trace::knowledge::Knowledge;
use crate::trace::{Enough, Posterior, Proposal, Step};

/// An engine that keeps its sheet is left alone from this probability on that its oil system is OK.
const LEFT_ALONE: f64 = 0.5;
/// What was seen is itself the proof of a cause when it is so often seen with it, and so many times as often as otherwise.
const SEEN_OFTEN: f64 = 0.3;
const SEEN_TIMES: f64 = 6.0;
/// Parts that are put right without an opening: acting on them needs no gauge.
const WITHOUT_A_GAUGE: [&str; 3] = ["indication", "oil", "none"];
/// A check from outside that destroys what it looks at.
const CUTS: &str = "filter_cut";

/// A cause may be acted on: it is cheap, or a reading that is believed speaks for it, or what was seen is itself the proof.
pub(super) fn may_act(know: &Knowledge, case: &Case, cause: usize, read: bool) -> bool {
    let Some(cause) = know.causes.get(cause) else { return false };
    let seen = || {
        case.weighed_evidence().any(|entry| {
            let Some(check) = know.check(&entry.check) else { return false };
            let Some(outcome) = check.outcome(&entry.outcome) else { return false };
            let row = check.rows.iter().find(|row| row.cause == cause.id);
            let usual = check.usual.p.get(outcome).copied().unwrap_or(1.0);
            row.and_then(|row| row.p.get(outcome)).is_some_and(|p| *p >= SEEN_OFTEN && *p >= SEEN_TIMES * usual)
        })
    };
    read || WITHOUT_A_GAUGE.contains(&cause.group.as_str()) || seen()
}

/// Every point of the sheet is kept, and the oil system is more probably OK than not.
pub(super) fn in_spec(verdict: &Verdict, sound: f64) -> bool {
    verdict.basis == Basis::Sheet && verdict.overall == Decision::Within && sound > LEFT_ALONE
}

/// What is left to propose on an engine that is left alone: nothing that opens or cuts.
pub(super) fn leaves_alone(proposal: &Proposal) -> bool {
    match &proposal.step {
        Step::Check(check) => *check != CUTS,
        Step::Reading(_) => true,
        Step::Bench(step, _) => !step.opens(),
    }
}

/// Good enough to act, and why, as the verdict and what was read allow it.
pub(super) fn enough(
    know: &Knowledge,
    case: &Case,
    posterior: &Posterior,
    (enough, read, in_spec): (Option<Enough>, bool, bool),
) -> Option<Enough> {
    if in_spec {
        return Some(Enough::InSpec);
    }
    enough.filter(|enough| *enough == Enough::NothingLeft || posterior.leader().is_some_and(|leader| may_act(know, case, leader, read)))
}
