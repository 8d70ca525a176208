//! Whether it may be acted on: what is proposed to be opened, cut or renewed on odds alone is not, and an engine that keeps its sheet is left alone.
use super::{Basis, Verdict};
use crate::case::{Act, Case, Deed, Evidence};
use crate::knowledge::{Cause, Check, Knowledge};
use crate::limits::Decision;
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

/// A part that is seen or measured at fault is put right at once when it is found so with its cause so often, and so many times as often as otherwise; and when
/// that takes no longer than this, parts in it, or the engine is open for it, or the cause is this probable as well.
const MEND_OFTEN: f64 = 0.6;
const MEND_TIMES: f64 = 7.0;
const MEND_MINUTES: f64 = 90.0;
const MEND_PROBABLE: f64 = 0.6;
/// What was seen may have been ruled out since: under this probability it is not mended.
const MEND_LEAST: f64 = 0.05;

/// What was seen shows a cause: it is among the outcomes that are found so many times as often with it as otherwise, and one of those is found so often with it.
/// A valve held open is seen as a stuck plunger or as grit on its seat: each shows it, together they are what one finds. Not so where the table has no row of its own for it.
fn speaks(know: &Knowledge, entry: &Evidence, cause: &Cause, (often, times): (f64, f64)) -> bool {
    let Some(check) = know.check(&entry.check) else { return false };
    let Some(row) = check.rows.iter().find(|row| row.cause == cause.id) else { return false };
    let shows =
        |outcome: usize| row.p.get(outcome).zip(check.usual.p.get(outcome)).is_some_and(|(with, otherwise)| *with >= times * otherwise);
    let all: f64 = row.p.iter().enumerate().filter(|(outcome, _)| shows(*outcome)).map(|(_, share)| share).sum();
    all >= often && entry.seen().filter_map(|outcome| check.outcome(outcome)).any(shows)
}

/// A fault that was itself seen and was not put right yet: it is put right now, and the gauge says afterwards whether it was all.
pub(super) fn mend_now(know: &Knowledge, case: &Case, posterior: &Posterior) -> Option<usize> {
    let mended = |cause: &Cause| {
        let of_it = |act: &Act| act.act == Deed::Repair && act.cause.as_deref() == Some(&cause.id);
        case.acts.iter().any(|act| of_it(act) || (act.act == Deed::Fill && cause.id == "oil_low"))
    };
    let quick = |cause: &Cause| cause.repair_minutes + know.worth_in_minutes(cause.parts) <= MEND_MINUTES;
    let worth_it =
        |index: usize, cause: &Cause, check: &Check| posterior.of(index) >= MEND_PROBABLE || quick(cause) || check.opens(&case.engine);
    let seen = |index: usize, cause: &Cause| {
        let looked = |entry: &Evidence| know.check(&entry.check).is_some_and(|check| check.look && worth_it(index, cause, check));
        case.weighed_evidence().any(|entry| looked(entry) && speaks(know, entry, cause, (MEND_OFTEN, MEND_TIMES)))
    };
    let all = know.causes.iter().enumerate().filter(|(index, cause)| !mended(cause) && seen(*index, cause)).map(|(index, _)| index);
    let stands = |index: &usize| posterior.of(*index) >= MEND_LEAST;
    all.filter(stands).max_by(|a, b| posterior.of(*a).total_cmp(&posterior.of(*b)))
}

/// A knock was heard or metal was seen, and nobody has measured every journal good or put bearings right since.
pub(super) fn damage(know: &Knowledge, case: &Case) -> bool {
    let found = |entry: &Evidence| entry.keys().any(|key| know.is_damage(&key));
    let told = || case.circumstances.iter().any(|told| know.is_damage(told)) || case.weighed_evidence().any(found);
    let measured = || case.weighed_evidence().any(|entry| entry.check == "journal_map" && entry.saw("even"));
    let repaired = || {
        let of_bearings = |id: &str| know.cause(id).and_then(|index| know.causes.get(index)).is_some_and(|cause| cause.group == "bearings");
        case.acts.iter().any(|act| act.act == Deed::Repair && act.cause.as_deref().is_some_and(of_bearings))
    };
    told() && !measured() && !repaired()
}

/// A cause may be acted on: it is cheap, or a reading that is believed speaks for it, or what was seen is itself the proof.
pub(super) fn may_act(know: &Knowledge, case: &Case, cause: usize, read: bool) -> bool {
    let Some(cause) = know.causes.get(cause) else { return false };
    let seen = || case.weighed_evidence().any(|entry| speaks(know, entry, cause, (SEEN_OFTEN, SEEN_TIMES)));
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
    (enough, read, in_spec, mend_now): (Option<Enough>, bool, bool, Option<usize>),
) -> Option<Enough> {
    if enough != Some(Enough::Certain) && mend_now.is_some() {
        return Some(Enough::Seen);
    }
    if in_spec {
        return Some(Enough::InSpec);
    }
    enough.filter(|enough| *enough == Enough::NothingLeft || posterior.leader().is_some_and(|leader| may_act(know, case, leader, read)))
}
