//! The next step: what each check, reading and move of the bench may be expected to tell for its price, and when nothing left is worth its price.
//!
//! Expected information of a step = entropy now − Σ over outcomes P(outcome)·entropy then, in bits over the causes (Lindley, *Ann. Math. Stat.* 27, 1956), and
//! the same over the groups of parts. A reading's outcomes are what the draws expect of it. Its worth in minutes is the fall in expected loss of acting
//! (Raiffa and Schlaifer, *Applied Statistical Decision Theory*, 1961, expected value of sample information): acting on a wrong cause costs its repair in vain, a
//! comeback, and the engine where what is really wrong ruins it meanwhile. A move of the bench (a gauge fitted, a sump off) is paid once: what lies
//! behind it is one proposal, worth what the best of it tells together for the price of all.
use super::bench::{Move, Situation, Takeable};
use super::weigh::{Posterior, entropy_bits};
use crate::knowledge::{Check, Knowledge};

/// What a proposal is.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Step {
    /// A check.
    Check(&'static str),
    /// A reading, by its place among those that can be taken.
    Reading(usize),
    /// A move of the bench, and the steps behind it in their order.
    Bench(Move, Vec<Step>),
}

/// A step worth doing.
#[derive(Debug, Clone, PartialEq)]
pub struct Proposal {
    /// What.
    pub step: Step,
    /// Minutes from the present state.
    pub minutes: f64,
    /// Of these, minutes of moving the bench.
    pub opening_minutes: f64,
    /// Work and material, in the shop's money.
    pub money: f64,
    /// Expected information about the cause, bits; of a move, that of the best behind it together.
    pub gain_bits: f64,
    /// Expected bits a minute: what the default order goes by.
    pub bits_a_minute: f64,
    /// Expected information about the group, bits.
    pub group_gain_bits: f64,
    /// Minutes that acting after it may be expected to save over acting now, before its own price.
    pub worth_minutes: f64,
    /// Its own price, material too, in minutes of work.
    pub cost_minutes: f64,
    /// The most probable outcome that would turn the ranking over.
    pub turns: Option<Turn>,
    /// For each outcome: how probable it is now; none for a move.
    pub outcome_probability: Vec<f64>,
}

/// A single result that would put another cause in front.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Turn {
    /// Outcome, by index.
    pub outcome: usize,
    /// The cause that would lead, by index.
    pub cause: usize,
    /// How probable the outcome is.
    pub probability: f64,
}

impl Proposal {
    /// Minutes that it may be expected to save over what it costs; below nothing it costs more than it saves.
    pub fn saves_minutes(&self) -> f64 {
        self.worth_minutes - self.cost_minutes
    }

    /// It may be expected to save more than it costs.
    pub fn pays(&self) -> bool {
        self.worth_minutes > self.cost_minutes
    }

    /// The check it is, if it is one.
    pub fn check(&self) -> Option<&'static str> {
        if let Step::Check(check) = self.step { Some(check) } else { None }
    }
}

/// Information under which a step is not worth proposing, bits.
const WORTH_BITS: f64 = 0.005;
/// What going to a step and noting it costs beside its own minutes, for the order alone: else what takes one minute always comes first.
const TURN_TO_IT_MINUTES: f64 = 2.0;
/// A result puts another cause in front when that one is then this much more probable than the old one: nearer than that nobody can say.
const CLEARLY: f64 = 0.02;
/// The check that comes first after a knock or metal.
pub const BY_HAND: &str = "turn_by_hand";
/// So many steps are tried in pairs where none of them pays by itself.
const PAIRED: usize = 5;
/// Outcomes less probable than this are passed over when pairs are tried.
const PAIRED_LEAST: f64 = 0.02;
/// A check of the named pattern comes first when it takes no longer than this.
pub(super) const QUICK_MINUTES: f64 = 15.0;
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
    /// Everything that can be done is done.
    NothingLeft,
    /// Every point of the sheet is kept: nothing is opened or cut.
    InSpec,
    /// A part was seen or measured at fault: it is put right whatever else there may be.
    Seen,
}

/// A check or a reading with its way.
#[derive(Debug, Clone)]
pub(super) struct Single {
    pub step: Step,
    pub way: Vec<Move>,
    pub own_minutes: f64,
    own_material: f64,
    gain_bits: f64,
    group_gain_bits: f64,
    pub worth_minutes: f64,
    turns: Option<Turn>,
    outcome_probability: Vec<f64>,
}

impl Single {
    /// Expected bits a minute once the bench stands as it must.
    pub fn bits_a_minute(&self) -> f64 {
        self.gain_bits / (self.own_minutes + TURN_TO_IT_MINUTES)
    }
}

/// Every check and reading that can be done and tells something.
pub(super) fn singles(know: &'static Knowledge, states: &[f64], situation: &Situation) -> Vec<Single> {
    let (causes, leader) = (know.fold(states), leader_of(&know.present(states)));
    let now = [entropy_bits(&causes), entropy_bits(&know.by_group(&causes)), loss_minutes(know, situation, &causes)];
    let checks = know.checks.iter().filter_map(|check| {
        let way = situation.way_to_check(check)?;
        let own = (check.minutes_on(situation.card), check.material_on(situation.card));
        let row = |state: usize, outcome: usize| check.likelihood(state, outcome);
        Some(single(know, situation, (states, leader, now), Step::Check(&check.id), way, own, check.outcomes.len(), row))
    });
    let readings = situation.readings.iter().enumerate().filter_map(|(place, reading)| {
        let way = situation.way_to_reading(reading)?;
        let outcomes = reading.ahead.parts_kpa.len() + 1;
        let row = |state: usize, outcome: usize| likelihood(reading, state, outcome);
        Some(single(know, situation, (states, leader, now), Step::Reading(place), way, (Takeable::MINUTES, 0.0), outcomes, row))
    });
    // After a knock or metal it is turned by hand whatever that tells.
    let wanted = |single: &Single| situation.damage && single.step == Step::Check(BY_HAND);
    checks.chain(readings).filter(|single| single.gain_bits > WORTH_BITS || wanted(single)).collect()
}

/// P(outcome | state) of a step; a move of the bench shows nothing.
pub(super) fn chance(know: &Knowledge, situation: &Situation, step: &Step, state: usize, outcome: usize) -> f64 {
    match step {
        Step::Check(check) => know.check(check).map_or(1e-3, |check| check.likelihood(state, outcome)),
        Step::Reading(place) => situation.readings.get(*place).map_or(1e-3, |reading| likelihood(reading, state, outcome)),
        Step::Bench(..) => 1.0,
    }
}

/// P(outcome | state) of a reading not yet taken.
fn likelihood(reading: &Takeable, state: usize, outcome: usize) -> f64 {
    reading.ahead.table.get(state).and_then(|row| row.get(outcome)).copied().unwrap_or(1e-3)
}

#[expect(clippy::too_many_arguments, reason = "one place, two callers; a struct of these would be built to be taken apart")]
fn single(
    know: &Knowledge,
    situation: &Situation,
    (states, leader, [bits, group_bits, loss]): (&[f64], Option<usize>, [f64; 3]),
    step: Step,
    way: Vec<Move>,
    (own_minutes, own_material): (f64, f64),
    outcomes: usize,
    row: impl Fn(usize, usize) -> f64,
) -> Single {
    let mut left = [0.0; 3];
    let mut turns: Option<Turn> = None;
    let mut outcome_probability = Vec::with_capacity(outcomes);
    for outcome in 0..outcomes {
        let (then, chance) = after(states, |state| row(state, outcome));
        outcome_probability.push(chance);
        let causes = know.fold(&then);
        let parts = [entropy_bits(&causes), entropy_bits(&know.by_group(&causes)), loss_minutes(know, situation, &causes)];
        for (sum, part) in left.iter_mut().zip(parts) {
            *sum += chance * part;
        }
        if turns.is_some_and(|turn| chance <= turn.probability) {
            continue;
        }
        let present = know.present(&then);
        let of = |cause: Option<usize>| cause.and_then(|cause| present.get(cause)).copied().unwrap_or(0.0);
        if let Some(cause) = leader_of(&present).filter(|new| Some(*new) != leader && of(Some(*new)) > of(leader) + CLEARLY) {
            turns = Some(Turn { outcome, cause, probability: chance });
        }
    }
    let [bits_left, group_left, loss_left] = left;
    Single {
        step,
        way,
        own_minutes,
        own_material,
        gain_bits: (bits - bits_left).max(0.0),
        group_gain_bits: (group_bits - group_left).max(0.0),
        worth_minutes: (loss - loss_left).max(0.0),
        turns,
        outcome_probability,
    }
}

/// What can be done: what may be expected to save more than it costs, most useful per minute first, then what only tells, likewise; with a named pattern, its quick
/// check before all.
pub fn next_steps(know: &'static Knowledge, now: &Posterior, situation: &Situation) -> Vec<Proposal> {
    proposals(know, &now.states, situation)
}

pub(super) fn proposals(know: &'static Knowledge, states: &[f64], situation: &Situation) -> Vec<Proposal> {
    let singles = singles(know, states, situation);
    let mut proposals: Vec<Proposal> =
        singles.iter().filter(|single| single.way.is_empty()).map(|single| alone(know, situation, single)).collect();
    let mut moves: Vec<Move> = singles.iter().filter_map(|single| single.way.first().copied()).collect();
    moves.sort();
    moves.dedup();
    let causes = know.fold(states);
    let open = (entropy_bits(&causes), entropy_bits(&know.by_group(&causes)));
    proposals.extend(moves.into_iter().map(|step| together(know, situation, step, (&singles, open))));
    if certain(know, &know.present(states)).is_none() && !proposals.iter().any(Proposal::pays) {
        pay_together(know, states, situation, (&singles, &mut proposals));
    }
    // What may be expected to save more than it costs comes before what only tells.
    proposals.sort_by(|a, b| b.pays().cmp(&a.pays()).then(b.bits_a_minute.total_cmp(&a.bits_a_minute)));
    if situation.damage && situation.open_first {
        to_front(&mut proposals, |step| matches!(step, Step::Bench(Move::OpenSump, _)));
    }
    if situation.damage {
        to_front(&mut proposals, |step| *step == Step::Check(BY_HAND));
    }
    if let Some(check) = pattern_check(know, situation) {
        to_front(&mut proposals, |step| *step == Step::Check(check));
    }
    proposals
}

/// The first step that is wanted comes before all others.
fn to_front(proposals: &mut Vec<Proposal>, wanted: impl Fn(&Step) -> bool) {
    if let Some(place) = proposals.iter().position(|proposal| wanted(&proposal.step)) {
        let first = proposals.remove(place);
        proposals.insert(0, first);
    }
}

/// Where no step pays by itself two may: one tells what the other leaves open. The first of the best two that do is worth what both save together, less the price
/// of the second.
fn pay_together(know: &'static Knowledge, states: &[f64], situation: &Situation, (singles, proposals): (&[Single], &mut [Proposal])) {
    let loss = loss_minutes(know, situation, &know.fold(states));
    let own = |single: &Single| single.own_minutes + situation.in_minutes(single.own_material);
    let way = |way: &[Move]| {
        let price = situation.price(know, way);
        price.minutes + situation.in_minutes(price.material)
    };
    let mut near: Vec<&Single> = singles.iter().collect();
    let worth = |single: &Single| single.worth_minutes / (own(single) + way(&single.way) + TURN_TO_IT_MINUTES);
    near.sort_by(|a, b| worth(b).total_cmp(&worth(a)));
    near.truncate(PAIRED);
    let mut best: Option<(f64, &Single)> = None;
    for (place, one) in near.iter().enumerate() {
        let after_one: Vec<(Vec<f64>, f64)> = (0..one.outcome_probability.len())
            .map(|outcome| after(states, |state| chance(know, situation, &one.step, state, outcome)))
            .filter(|(_, p)| *p > PAIRED_LEAST)
            .collect();
        for other in near.iter().skip(place + 1) {
            let mut left = 0.0;
            let mut seen = 0.0;
            for (then, p) in &after_one {
                for outcome in 0..other.outcome_probability.len() {
                    let (both, q) = after(then, |state| chance(know, situation, &other.step, state, outcome));
                    if p * q > PAIRED_LEAST * PAIRED_LEAST {
                        left += p * q * loss_minutes(know, situation, &know.fold(&both));
                        seen += p * q;
                    }
                }
            }
            let mut gone = one.way.clone();
            gone.extend(other.way.iter().filter(|step| !one.way.contains(step)));
            // What was passed over is as open as before.
            let saved = seen * loss - left - own(one) - own(other) - way(&gone);
            if saved > 0.0 && best.is_none_or(|(most, _)| saved > most) {
                best = Some((saved, if worth(one) >= worth(other) { one } else { other }));
            }
        }
    }
    let Some((saved, first)) = best else { return };
    let leads = |proposal: &&mut Proposal| match &proposal.step {
        Step::Bench(step, behind) => first.way.first() == Some(step) && behind.contains(&first.step),
        step => first.way.is_empty() && *step == first.step,
    };
    if let Some(proposal) = proposals.iter_mut().find(leads) {
        proposal.worth_minutes = proposal.cost_minutes + saved;
        if let Step::Bench(_, behind) = &mut proposal.step {
            behind.sort_by_key(|step| *step != first.step);
        }
    }
}

/// A step by itself with all of its way in its price, as a list shows it.
pub(super) fn with_way(know: &Knowledge, situation: &Situation, single: &Single) -> Proposal {
    let way = situation.price(know, &single.way);
    let step = alone(know, situation, single);
    Proposal {
        cost_minutes: step.cost_minutes + way.minutes + situation.in_minutes(way.material),
        minutes: step.minutes + way.minutes,
        opening_minutes: way.minutes,
        money: step.money + know.money(way.minutes, way.material),
        ..step
    }
}

fn alone(know: &Knowledge, situation: &Situation, single: &Single) -> Proposal {
    Proposal {
        step: single.step.clone(),
        minutes: single.own_minutes,
        opening_minutes: 0.0,
        money: know.money(single.own_minutes, single.own_material),
        gain_bits: single.gain_bits,
        bits_a_minute: single.bits_a_minute(),
        group_gain_bits: single.group_gain_bits,
        worth_minutes: single.worth_minutes,
        cost_minutes: single.own_minutes + situation.in_minutes(single.own_material),
        turns: single.turns,
        outcome_probability: single.outcome_probability.clone(),
    }
}

/// What lies behind a move, the best first, as one proposal: as much of it as makes the most bits a minute together.
fn together(know: &Knowledge, situation: &Situation, step: Move, (singles, open): (&[Single], (f64, f64))) -> Proposal {
    let mut behind: Vec<&Single> = singles.iter().filter(|single| single.way.first() == Some(&step)).collect();
    let alone = |single: &Single| single.gain_bits / (single.own_minutes + TURN_TO_IT_MINUTES + situation.price(know, &single.way).minutes);
    behind.sort_by(|a, b| alone(b).total_cmp(&alone(a)));
    // What two steps tell overlaps, and no number of them tells more than is open.
    let (all_bits, all_group_bits) = open;
    let (mut gone, mut bits, mut group_bits, mut own, mut best) = (vec![step], 0.0, 0.0, 0.0, 0.0);
    let mut surplus = 0.0;
    for single in &behind {
        gone.extend(single.way.iter().filter(|step| !gone.contains(step)).copied().collect::<Vec<_>>());
        bits = f64::min(bits + single.gain_bits, all_bits);
        group_bits = f64::min(group_bits + single.group_gain_bits, all_group_bits);
        own += single.own_minutes + TURN_TO_IT_MINUTES;
        best = f64::max(best, bits / (situation.price(know, &gone).minutes + own));
        let pays = single.worth_minutes - single.own_minutes - situation.in_minutes(single.own_material);
        surplus += f64::max(pays, 0.0);
    }
    let price = situation.price(know, &[step]);
    let further = situation.price(know, &gone).minutes - price.minutes;
    Proposal {
        step: Step::Bench(step, behind.iter().map(|single| single.step.clone()).collect()),
        minutes: price.minutes,
        opening_minutes: price.minutes,
        money: know.money(price.minutes, price.material),
        gain_bits: bits,
        bits_a_minute: best,
        group_gain_bits: group_bits,
        worth_minutes: (surplus - further).max(0.0),
        cost_minutes: price.minutes + situation.in_minutes(price.material),
        turns: None,
        outcome_probability: Vec::new(),
    }
}

/// The quick check of the pattern a person named, unless it is done: looked at once, before all.
pub(super) fn pattern_check(know: &'static Knowledge, situation: &Situation) -> Option<&'static str> {
    let pattern = situation.pattern?;
    let quick = |check: &&Check| {
        check.minutes_on(situation.card) <= QUICK_MINUTES
            && check.access(situation.card) == crate::knowledge::Access::Outside
            && tells(know, check, pattern) > 0.0
    };
    let best = know.checks.iter().filter(quick).max_by(|a, b| tells(know, a, pattern).total_cmp(&tells(know, b, pattern)))?;
    let here = situation.way_to_check(best).is_some_and(|way| way.is_empty());
    here.then_some(best.id.as_str())
}

/// How well a check can speak for a cause: expected log-odds against the usual, 0 when it has no row.
pub(super) fn tells(know: &Knowledge, check: &Check, cause: usize) -> f64 {
    let Some(row) = know.causes.get(cause).and_then(|cause| check.rows.iter().find(|row| row.cause == cause.id)) else {
        return 0.0;
    };
    row.p.iter().zip(&check.usual.p).map(|(p, usual)| p * (p / usual).ln()).sum::<f64>().max(0.0)
}

/// Whether to act now on the leader, and why; `None` while learning pays.
pub fn enough(know: &Knowledge, now: &Posterior, proposals: &[Proposal]) -> Option<Enough> {
    stop(know, &now.present, proposals)
}

pub(super) fn stop(know: &Knowledge, present: &[f64], proposals: &[Proposal]) -> Option<Enough> {
    if certain(know, present).is_some() {
        return Some(Enough::Certain);
    }
    if proposals.is_empty() {
        return Some(Enough::NothingLeft);
    }
    (!proposals.iter().any(Proposal::pays)).then_some(Enough::NothingWorthIt)
}

/// The leading cause when it stands at the certainty at which one acts on it.
pub(super) fn certain(know: &Knowledge, present: &[f64]) -> Option<usize> {
    leader_of(present).filter(|leader| {
        let at = know.causes.get(*leader).map_or(1.0, |cause| cause.act_at);
        present.get(*leader).is_some_and(|p| *p >= at)
    })
}

/// The leading cause when it is certain enough to act on.
pub fn settled(know: &Knowledge, now: &Posterior) -> Option<usize> {
    certain(know, &now.present)
}

/// What acting on a cause now costs when it is not the one: its work and parts in vain and the comeback, minutes, and its parts alone, in the shop's money.
pub fn price_if_wrong(know: &Knowledge, cause: usize) -> Option<(f64, f64)> {
    know.causes.get(cause).map(|cause| (cause.repair_minutes + COMEBACK_MINUTES, cause.parts))
}

/// The check that speaks best for a cause, of those that can be done from here, with what it asks to be opened; none where nothing is left that can.
pub fn proof_of(know: &'static Knowledge, situation: &Situation, cause: usize) -> Option<&'static str> {
    proof_among(know, situation, cause, |_| true)
}

/// The same among some checks only, for example those behind one opening.
pub fn proof_among(know: &'static Knowledge, situation: &Situation, cause: usize, among: impl Fn(&Check) -> bool) -> Option<&'static str> {
    let speaks = |check: &&Check| among(check) && situation.way_to_check(check).is_some() && tells(know, check, cause) > 0.0;
    let price = |check: &Check| {
        let way = situation.way_to_check(check).unwrap_or_default();
        TURN_TO_IT_MINUTES + check.minutes_on(situation.card) + situation.price(know, &way).minutes
    };
    let best =
        know.checks.iter().filter(speaks).max_by(|a, b| (tells(know, a, cause) / price(a)).total_cmp(&(tells(know, b, cause) / price(b))));
    best.map(|check| check.id.as_str())
}

/// The single result, among all that can be had from here, that would most probably turn the ranking over.
pub fn overturn(proposals: &[Proposal]) -> Option<(&Step, Turn)> {
    proposals
        .iter()
        .filter_map(|proposal| proposal.turns.map(|turn| (&proposal.step, turn)))
        .max_by(|a, b| a.1.probability.total_cmp(&b.1.probability))
}

/// What an outcome of a check would change.
#[derive(Debug, Clone, PartialEq)]
pub struct Effect {
    /// How probable the outcome is.
    pub probability: f64,
    /// The causes that it would move most: by index, with their probability now and then.
    pub moved: Vec<(usize, f64, f64)>,
}

/// Causes named for an outcome, and how far the second must move to be named.
const MOVED_NAMED: usize = 2;
const MOVED_LEAST: f64 = 0.03;

/// What each outcome of a check would change, in their order.
pub fn effects(know: &'static Knowledge, states: &[f64], check: &Check) -> Vec<Effect> {
    let now = know.present(states);
    let effect = |outcome: usize| {
        let (then, probability) = after(states, |state| check.likelihood(state, outcome));
        let then = know.present(&then);
        let mut moved: Vec<(usize, f64, f64)> =
            now.iter().zip(&then).enumerate().map(|(cause, (now, then))| (cause, *now, *then)).collect();
        moved.sort_by(|a, b| (b.2 - b.1).abs().total_cmp(&(a.2 - a.1).abs()));
        let far = |place: usize, of: &(usize, f64, f64)| place == 0 || (of.2 - of.1).abs() >= MOVED_LEAST;
        let named = moved.into_iter().take(MOVED_NAMED).enumerate().filter(|(place, of)| far(*place, of)).map(|(_, of)| of);
        Effect { probability, moved: named.collect() }
    };
    (0..check.outcomes.len()).map(effect).collect()
}

/// States after an outcome and the outcome's probability.
pub(super) fn after(states: &[f64], row: impl Fn(usize) -> f64) -> (Vec<f64>, f64) {
    let joint: Vec<f64> = states.iter().enumerate().map(|(state, p)| p * row(state)).collect();
    let chance: f64 = joint.iter().sum();
    let scale = chance.max(f64::MIN_POSITIVE);
    (joint.into_iter().map(|p| p / scale).collect(), chance)
}

/// Expected minutes lost by acting on what is known: causes are mended one after another until the right one is met, in the order that wastes least, most
/// probability per minute first (Smith, *Naval Research Logistics Quarterly* 3, 1956). Each that was not it costs its repair, a comeback, and what the cause
/// that is still there does to the engine until it comes back; the right one costs nothing in vain.
fn loss_minutes(know: &Knowledge, situation: &Situation, causes: &[f64]) -> f64 {
    let engine = situation.in_minutes(situation.card.worth());
    let mut turn: Vec<(f64, f64, f64)> = know
        .causes
        .iter()
        .zip(causes)
        .map(|(cause, p)| (*p, cause.repair_minutes + situation.in_minutes(cause.parts) + COMEBACK_MINUTES, p * cause.ruins))
        .collect();
    turn.sort_by(|a, b| (b.0 / b.1).total_cmp(&(a.0 / a.1)));
    let mut still_there: f64 = turn.iter().map(|(p, ..)| p).sum();
    let mut ruined: f64 = turn.iter().map(|(.., ruins)| ruins).sum();
    let mut lost = 0.0;
    for (index, (p, in_vain, ruins)) in turn.into_iter().enumerate() {
        still_there -= p;
        ruined -= ruins;
        lost += in_vain * still_there.max(0.0);
        // It is handed back once in vain; after that it is not driven until it is found.
        if index == 0 {
            lost += engine * ruined.max(0.0);
        }
    }
    lost
}

/// The most probable of some causes, by index.
pub fn leader_of(causes: &[f64]) -> Option<usize> {
    causes.iter().enumerate().max_by(|a, b| a.1.total_cmp(b.1)).map(|(cause, _)| cause)
}
