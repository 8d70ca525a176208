//! The next check: what each one left may be expected to tell for its price, and when nothing left is worth its price.
//!
//! Expected information of a check = entropy now − Σ over outcomes P(outcome)·entropy then, in bits over the causes (Lindley, *Ann. Math.
//! Stat.* 27, 1956), and the same over the groups of parts. Its worth in minutes is the fall in expected loss of acting on the leader
//! (Raiffa and Schlaifer, *Applied Statistical Decision Theory*, 1961, expected value of sample information): acting on a wrong cause
//! costs its repair in vain and a comeback. Opening is paid once: when one check behind a closed sump is done the rest are cheap, so the price of
//! opening is spread over the best of what it gives access to, both for the order and for whether learning still pays.
use super::knowledge::{Access, Check, Knowledge};
use super::weigh::{Posterior, entropy_bits};
use crate::circuit::Layout;

/// A check worth doing.
#[derive(Debug, Clone, PartialEq)]
pub struct Proposal {
    /// Its word.
    pub check: &'static str,
    /// Minutes with what must be opened for it.
    pub minutes: f64,
    /// Of these, minutes of opening.
    pub opening_minutes: f64,
    /// Work and material, with opening, in the shop's money.
    pub money: f64,
    /// Its own material, in the shop's money.
    pub material: f64,
    /// Expected information about the cause, bits.
    pub gain_bits: f64,
    /// Expected bits a minute, the minutes of opening spread over the best checks behind it: what the default order goes by.
    pub bits_a_minute: f64,
    /// Expected information about the group, bits.
    pub group_gain_bits: f64,
    /// Minutes that acting after it may be expected to save over acting now, before its own price.
    pub worth_minutes: f64,
    /// The most probable outcome that would put another cause in front, that cause, and the outcome's probability.
    pub turns: Option<Turn>,
    /// For each outcome: how probable it is now.
    pub outcome_probability: Vec<f64>,
}

/// A single result that would turn the ranking over.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Turn {
    /// Outcome, by index.
    pub outcome: usize,
    /// The cause that would lead, by index.
    pub cause: usize,
    /// How probable the outcome is.
    pub probability: f64,
}

/// What stands around a choice of the next check.
#[derive(Debug, Clone, Copy)]
pub struct Bench<'a> {
    /// The engine's layout.
    pub layout: &'a Layout,
    /// Checks already done.
    pub done: &'a [&'a str],
    /// The engine may run.
    pub may_run: bool,
}

/// Information under which a check is not worth proposing, bits.
pub(super) const WORTH_BITS: f64 = 0.005;
/// Certainty at which one acts.
pub const ENOUGH: f64 = 0.9;
/// What acting on the wrong cause costs beside its repair: recovering it, a second intake and run, the search begun anew.
const COMEBACK_MINUTES: f64 = 240.0;

/// Good enough to act.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Enough {
    /// The leader is certain enough.
    Certain,
    /// Less certain, but nothing left to learn is worth its minutes.
    NothingWorthIt,
    /// Every check that can be done is done.
    NothingLeft,
}

/// What may be opened without paying again.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub(super) struct Opened {
    sump: bool,
    engine_out: bool,
}

impl Opened {
    pub(super) fn by(know: &Knowledge, done: &[&str]) -> Self {
        done.iter().filter_map(|id| know.check(id)).fold(Self::default(), |opened, check| opened.and(check.access))
    }

    pub(super) fn and(self, access: Access) -> Self {
        Self { sump: self.sump || access != Access::Outside, engine_out: self.engine_out || access == Access::EngineOut }
    }

    /// Minutes and material of opening that a check still has to pay.
    pub(super) fn due(self, know: &Knowledge, access: Access) -> (f64, f64) {
        let paid = match access {
            Access::Outside => true,
            Access::Sump => self.sump,
            Access::EngineOut => self.engine_out,
        };
        if paid { (0.0, 0.0) } else { (know.opening_minutes(access), know.opening_material(access)) }
    }
}

/// True when a check can be done at all: not done yet, its part is fitted, and the engine may run if it must.
pub(super) fn possible(check: &Check, bench: &Bench) -> bool {
    !bench.done.contains(&check.id.as_str()) && (bench.may_run || !check.running) && check.needs.is_none_or(|part| part.is_in(bench.layout))
}

/// Checks that can be done and tell something, most told per minute first.
pub fn next_checks(know: &'static Knowledge, now: &Posterior, bench: &Bench) -> Vec<Proposal> {
    proposals(know, &now.states, bench)
}

pub(super) fn proposals(know: &'static Knowledge, states: &[f64], bench: &Bench) -> Vec<Proposal> {
    let opened = Opened::by(know, bench.done);
    let mut proposals: Vec<Proposal> = know
        .checks
        .iter()
        .filter(|check| possible(check, bench))
        .map(|check| propose(know, states, check, opened))
        .filter(|proposal| proposal.gain_bits > WORTH_BITS)
        .collect();
    share_opening(know, &mut proposals);
    let alone = |proposal: &Proposal| proposal.gain_bits / proposal.own_minutes();
    proposals.sort_by(|a, b| b.bits_a_minute.total_cmp(&a.bits_a_minute).then(alone(b).total_cmp(&alone(a))));
    proposals
}

impl Proposal {
    /// Minutes without what must be opened.
    pub fn own_minutes(&self) -> f64 {
        self.minutes - self.opening_minutes
    }

    /// True when what must be opened for `other` lets this one be done as well.
    fn is_behind(&self, other: &Self) -> bool {
        self.opening_minutes > 0.0 && self.opening_minutes <= other.opening_minutes
    }
}

/// Spreads the minutes of an opening over the best checks behind it: as many as make the most bits a minute together.
fn share_opening(know: &Knowledge, proposals: &mut [Proposal]) {
    let shared: Vec<f64> = proposals
        .iter()
        .map(|proposal| {
            let mut behind: Vec<&Proposal> = proposals.iter().filter(|other| other.is_behind(proposal)).collect();
            behind.sort_by(|a, b| (b.gain_bits / b.own_minutes()).total_cmp(&(a.gain_bits / a.own_minutes())));
            // What two checks tell overlaps, and no number of them tells more than all there is to know.
            let all_bits = f64::log2(know.causes.len() as f64);
            let (mut bits, mut minutes, mut best) = (0.0, proposal.opening_minutes, 0.0);
            for other in behind {
                bits = f64::min(bits + other.gain_bits, all_bits);
                minutes += other.own_minutes();
                best = f64::max(best, bits / minutes);
            }
            best
        })
        .collect();
    for (proposal, shared) in proposals.iter_mut().zip(shared) {
        let alone = proposal.gain_bits / proposal.own_minutes();
        proposal.bits_a_minute = if proposal.opening_minutes > 0.0 { alone.min(shared) } else { alone };
    }
}

/// Whether to act now on the leader, and why; `None` while learning pays.
pub fn enough(know: &Knowledge, now: &Posterior, proposals: &[Proposal]) -> Option<Enough> {
    let leader = now.leader()?;
    stop(know, now.of(leader), proposals)
}

pub(super) fn stop(know: &Knowledge, certainty: f64, proposals: &[Proposal]) -> Option<Enough> {
    if certainty >= ENOUGH {
        return Some(Enough::Certain);
    }
    if proposals.is_empty() {
        return Some(Enough::NothingLeft);
    }
    let pays = |proposal: &Proposal| {
        if proposal.opening_minutes == 0.0 {
            return proposal.worth_minutes > know.worth_in_minutes(proposal.money);
        }
        // Opening pays when the checks behind it are worth it together.
        let opening = proposal.money - know.money(proposal.own_minutes(), proposal.material);
        let surplus = |other: &Proposal| other.worth_minutes - know.worth_in_minutes(know.money(other.own_minutes(), other.material));
        let together: f64 = proposals.iter().filter(|other| other.is_behind(proposal)).map(|other| surplus(other).max(0.0)).sum();
        together > know.worth_in_minutes(opening)
    };
    (!proposals.iter().any(pays)).then_some(Enough::NothingWorthIt)
}

/// The leading cause when it is certain enough to act on.
pub fn settled(now: &Posterior) -> Option<usize> {
    now.leader().filter(|leader| now.of(*leader) >= ENOUGH)
}

/// The single result, among all checks left, that would most probably turn the ranking over: its check and what it turns.
pub fn overturn(proposals: &[Proposal]) -> Option<(&'static str, Turn)> {
    proposals
        .iter()
        .filter_map(|proposal| proposal.turns.map(|turn| (proposal.check, turn)))
        .max_by(|a, b| a.1.probability.total_cmp(&b.1.probability))
}

/// States after an outcome and the outcome's probability.
pub(super) fn after(states: &[f64], check: &Check, outcome: usize) -> (Vec<f64>, f64) {
    let joint: Vec<f64> = states.iter().enumerate().map(|(state, p)| p * check.likelihood(state, outcome)).collect();
    let chance: f64 = joint.iter().sum();
    let scale = chance.max(f64::MIN_POSITIVE);
    (joint.into_iter().map(|p| p / scale).collect(), chance)
}

/// Expected minutes lost by acting on what is known: causes are mended one after another until the right one is met, in the order that wastes
/// least, most probability per minute first (Smith, *Naval Research Logistics Quarterly* 3, 1956). Each that was not it costs its repair and a
/// comeback; the right one costs nothing in vain.
fn loss_minutes(know: &Knowledge, causes: &[f64]) -> f64 {
    let mut turn: Vec<(f64, f64)> = know
        .causes
        .iter()
        .zip(causes)
        .map(|(cause, p)| (*p, cause.repair_minutes + know.worth_in_minutes(cause.parts) + COMEBACK_MINUTES))
        .collect();
    turn.sort_by(|a, b| (b.0 / b.1).total_cmp(&(a.0 / a.1)));
    let mut still_there: f64 = turn.iter().map(|(p, _)| p).sum();
    let mut lost = 0.0;
    for (p, in_vain) in turn {
        still_there -= p;
        lost += in_vain * still_there.max(0.0);
    }
    lost
}

fn by_group(know: &Knowledge, causes: &[f64]) -> Vec<f64> {
    know.by_group(causes).into_iter().map(|(_, p)| p).collect()
}

/// The most probable of some causes, by index.
pub(crate) fn leader_of(causes: &[f64]) -> Option<usize> {
    causes.iter().enumerate().max_by(|a, b| a.1.total_cmp(b.1)).map(|(cause, _)| cause)
}

pub(super) fn propose(know: &Knowledge, states: &[f64], check: &'static Check, opened: Opened) -> Proposal {
    let causes = know.fold(states);
    let leader = leader_of(&causes);
    let (opening_minutes, opening_material) = opened.due(know, check.access);
    let minutes = check.minutes + opening_minutes;
    let mut left = [0.0; 3];
    let mut turns: Option<Turn> = None;
    let mut outcome_probability = Vec::with_capacity(check.outcomes.len());
    for outcome in 0..check.outcomes.len() {
        let (then, chance) = after(states, check, outcome);
        outcome_probability.push(chance);
        let causes = know.fold(&then);
        let parts = [entropy_bits(&causes), entropy_bits(&by_group(know, &causes)), loss_minutes(know, &causes)];
        for (sum, part) in left.iter_mut().zip(parts) {
            *sum += chance * part;
        }
        if let Some(cause) = leader_of(&causes).filter(|new| Some(*new) != leader)
            && turns.is_none_or(|turn| chance > turn.probability)
        {
            turns = Some(Turn { outcome, cause, probability: chance });
        }
    }
    let [cause_bits, group_bits, loss] = left;
    Proposal {
        check: &check.id,
        minutes,
        opening_minutes,
        money: know.money(minutes, check.material + opening_material),
        material: check.material,
        bits_a_minute: 0.0,
        gain_bits: (entropy_bits(&causes) - cause_bits).max(0.0),
        group_gain_bits: (entropy_bits(&by_group(know, &causes)) - group_bits).max(0.0),
        worth_minutes: (loss_minutes(know, &causes) - loss).max(0.0),
        turns,
        outcome_probability,
    }
}
