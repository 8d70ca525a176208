//! The next check: what each one left may be expected to tell, for its minutes.
//!
//! Expected information of a check = entropy now − Σ over outcomes P(outcome)·entropy then, in bits over the causes (Lindley 1956). Per
//! minute, with the price of opening added for checks behind a closed sump, once: when one such check is done the rest are cheap.
use super::knowledge::{Access, Check, Knowledge};
use super::weigh::{Posterior, entropy_bits};

/// A check worth doing.
#[derive(Debug, Clone, PartialEq)]
pub struct Proposal {
    /// Its word.
    pub check: &'static str,
    /// Minutes with what must be opened for it.
    pub minutes: f64,
    /// Of these, minutes of opening.
    pub opening_minutes: f64,
    /// Expected information, bits.
    pub gain_bits: f64,
    /// The outcome that would move the ranking most, by index, and the cause that would then lead.
    pub turns: Option<(usize, usize)>,
    /// For each outcome: how probable it is now.
    pub outcome_probability: Vec<f64>,
}

/// Information under which a check is not worth proposing, bits.
const WORTH_BITS: f64 = 0.005;
/// Certainty at which one acts.
pub const ENOUGH: f64 = 0.9;

/// Checks not yet done, best told per minute first; those that need a running engine are withheld when it may not run.
pub fn next_checks(know: &'static Knowledge, now: &Posterior, done: &[&str], may_run: bool) -> Vec<Proposal> {
    let opened = opened(know, done);
    let before = entropy_bits(&now.probability);
    let mut proposals: Vec<Proposal> = know
        .checks
        .iter()
        .filter(|check| !done.contains(&check.id.as_str()) && (may_run || !check.running))
        .map(|check| propose(know, now, before, check, opened))
        .filter(|proposal| proposal.gain_bits > WORTH_BITS)
        .collect();
    proposals.sort_by(|a, b| (b.gain_bits / b.minutes).total_cmp(&(a.gain_bits / a.minutes)));
    proposals
}

/// The leading cause when it is certain enough to act on.
pub fn settled(now: &Posterior) -> Option<usize> {
    now.ranked().first().copied().filter(|leader| now.of(*leader) >= ENOUGH)
}

fn opened(know: &Knowledge, done: &[&str]) -> (bool, bool) {
    let any = |access| done.iter().filter_map(|id| know.check(id)).any(|check| check.access == access);
    (any(Access::Sump), any(Access::EngineOut))
}

fn propose(know: &Knowledge, now: &Posterior, before: f64, check: &'static Check, (sump, engine): (bool, bool)) -> Proposal {
    let paid = match check.access {
        Access::Outside => true,
        Access::Sump => sump || engine,
        Access::EngineOut => engine,
    };
    let opening_minutes = if paid { 0.0 } else { know.opening_minutes(check.access) };
    let leader = now.ranked().first().copied();
    let mut expected = 0.0;
    let mut turns: Option<(usize, usize, f64)> = None;
    let mut outcome_probability = Vec::with_capacity(check.outcomes.len());
    for outcome in 0..check.outcomes.len() {
        let joint: Vec<f64> = now.probability.iter().enumerate().map(|(cause, p)| p * check.likelihood(cause, outcome)).collect();
        let chance: f64 = joint.iter().sum();
        outcome_probability.push(chance);
        if chance <= 0.0 {
            continue;
        }
        let then: Vec<f64> = joint.iter().map(|p| p / chance).collect();
        expected += chance * entropy_bits(&then);
        let new = then.iter().enumerate().max_by(|a, b| a.1.total_cmp(b.1)).map(|(cause, _)| cause);
        if let Some(new) = new.filter(|new| Some(*new) != leader && turns.is_none_or(|(_, _, most)| chance > most)) {
            turns = Some((outcome, new, chance));
        }
    }
    Proposal {
        check: &check.id,
        minutes: check.minutes + opening_minutes,
        opening_minutes,
        gain_bits: (before - expected).max(0.0),
        turns: turns.map(|(outcome, cause, _)| (outcome, cause)),
        outcome_probability,
    }
}
