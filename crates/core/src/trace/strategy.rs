//! Four strategies, and what each may be expected to cost until it is good enough to act.
//!
//! *Most told per minute* is the product's own. The others are the trade's: *known pattern first* (a quick check of this engine's usual
//! failure, then the cheap ones), *cheapest first* (easy outside things before anything is opened), *along the oil* (from the sump to the
//! far end, so that nothing is skipped). All four skip what can tell nothing any more, and none proposes what cannot be done from where the bench stands
//! without paying for the way.
//!
//! The price of an order: jobs are drawn from the present odds, each outcome is drawn from its table, and the order is followed until its end; minutes and
//! money are means over these jobs, every move of the bench paid when it is made.
use super::bench::{Move, Situation};
use super::next::{
    Proposal, QUICK_MINUTES, Single, Step, after, certain, chance, leader_of, pattern_check, proposals, singles, stop, tells, with_way,
};
use crate::choice::choice;
use crate::knowledge::Knowledge;
use crate::safety;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rayon::prelude::*;
use std::collections::HashMap;

choice! {
    /// What is checked first.
    Strategy {
        /// Most expected information a minute. Its stored word is older than its name.
        #[serde(rename = "most_told")]
        MostUseful = "most_told": "most useful per minute",
        /// The usual failure if checking it is quick, then cheapest first.
        KnownPattern = "known_pattern": "known pattern first",
        /// The least minutes first.
        CheapestFirst = "cheapest_first": "cheapest first",
        /// From the sump to the far end.
        AlongTheOil = "along_the_oil": "along the oil",
    }
}

/// How long an order is followed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Until {
    /// One cause is certain enough, or nothing left tells anything.
    Certain,
    /// As before, or nothing left to learn is worth its minutes.
    GoodEnough,
}

/// What an order may be expected to cost.
#[derive(Debug, Clone, PartialEq, serde::Serialize)]
pub struct Plan {
    /// The order.
    pub order: Strategy,
    /// Minutes until its end.
    pub minutes: f64,
    /// The same as money.
    pub money: f64,
    /// Share of jobs in which one cause became certain enough.
    pub reached: f64,
    /// Share of jobs in which the cause acted on was the true one.
    pub right: f64,
    /// The first steps, each after the most probable outcome of the one before: checks by their word, readings by their name.
    pub first: Vec<String>,
}

/// Jobs drawn for a plan.
const JOBS: usize = 160;
/// Steps named of a plan.
const NAMED: usize = 6;
/// Readings are taken at the sender's end of the oil's way.
const ALONG_READING: f64 = 8.0;

/// What can be done, in the order of a strategy, each with its way in its price.
pub fn ordered(order: Strategy, know: &'static Knowledge, states: &[f64], situation: &Situation, usual: usize) -> Vec<Proposal> {
    if order == Strategy::MostUseful {
        return proposals(know, states, situation);
    }
    in_order(order, know, states, situation, usual).iter().map(|single| with_way(know, situation, single)).collect()
}

/// What is left, in the order of a strategy, each step by itself with its way in its minutes; `usual` is this engine's usual failure, by index.
pub(super) fn in_order(order: Strategy, know: &'static Knowledge, states: &[f64], situation: &Situation, usual: usize) -> Vec<Single> {
    let mut left = singles(know, states, situation);
    let usual = situation.pattern.unwrap_or(usual);
    let named = pattern_check(know, situation);
    let check = |single: &Single| if let Step::Check(check) = single.step { know.check(check) } else { None };
    let minutes = |single: &Single| single.own_minutes + situation.price(know, &single.way).minutes;
    let key = |single: &Single| match order {
        _ if named.is_some_and(|named| single.step == Step::Check(named)) => f64::NEG_INFINITY,
        Strategy::MostUseful | Strategy::CheapestFirst => minutes(single),
        Strategy::AlongTheOil => 10_000.0 * check(single).map_or(ALONG_READING, |check| f64::from(check.along)) + minutes(single),
        // A known pattern's check counts only when it can speak for it: else it waits among the others by its minutes.
        Strategy::KnownPattern if minutes(single) <= QUICK_MINUTES => {
            let speaks = check(single).map_or(0.0, |check| tells(know, check, usual));
            if speaks > 0.0 { -speaks / minutes(single) } else { minutes(single) }
        }
        Strategy::KnownPattern => minutes(single),
    };
    left.sort_by(|a, b| key(a).total_cmp(&key(b)));
    left
}

/// What to do next on a walk: a check or a reading with its way, or why nothing.
#[derive(Debug, Clone, PartialEq)]
pub enum Next {
    /// Go this way and do this.
    Do(Step, Vec<Move>),
    /// One cause, by index, is certain enough to act on.
    Certain(usize),
    /// None is, and nothing left is worth it; the leader.
    Left(usize),
}

/// What each order may be expected to cost from here, worked out side by side.
pub fn plans(until: Until, know: &'static Knowledge, states: &[f64], situation: &Situation, usual: usize) -> Vec<Plan> {
    Strategy::ALL.par_iter().map(|(order, ..)| plan((*order, until), know, states, situation, usual)).collect()
}

/// What an order may be expected to cost from here.
pub fn plan((order, until): (Strategy, Until), know: &'static Knowledge, states: &[f64], situation: &Situation, usual: usize) -> Plan {
    // The same jobs for every order, so that they are compared on equal luck.
    let mut rng = ChaCha8Rng::seed_from_u64(1);
    // Walks share their first steps: each is thought out once.
    let mut thought: HashMap<Vec<(Step, usize)>, Next> = HashMap::new();
    let mut sums = [0.0; 4];
    for _ in 0..JOBS {
        let truth = pick(states, rng.random());
        let mut walk = Walk::new(states, situation);
        let mut luck = ChaCha8Rng::from_rng(&mut rng);
        let end = loop {
            let next = thought.entry(walk.path.clone()).or_insert_with(|| walk.next((order, until), know, usual)).clone();
            match next {
                Next::Do(step, way) => {
                    let row = walk.row(know, &step, truth);
                    walk.take(know, &step, &way, pick(&row, luck.random()));
                }
                Next::Certain(cause) => break (cause, 1.0),
                Next::Left(cause) => break (cause, 0.0),
            }
        };
        let right = know.hypothesis(truth).is_some_and(|hypothesis| hypothesis.holds(end.0));
        for (sum, part) in sums.iter_mut().zip([walk.minutes, walk.money, end.1, f64::from(u8::from(right))]) {
            *sum += part;
        }
    }
    let [minutes, money, reached, right] = sums.map(|sum| sum / JOBS as f64);
    Plan { order, minutes, money, reached, right, first: likely_path((order, until), know, states, situation, usual) }
}

/// The steps of an order when each comes out as is most probable.
fn likely_path(order: (Strategy, Until), know: &'static Knowledge, states: &[f64], situation: &Situation, usual: usize) -> Vec<String> {
    let mut walk = Walk::new(states, situation);
    let mut named = Vec::new();
    while named.len() < NAMED
        && let Next::Do(step, way) = walk.next(order, know, usual)
    {
        named.push(match &step {
            Step::Reading(place) => situation.readings.get(*place).map_or_else(String::new, |reading| reading.name.clone()),
            Step::Check(check) => (*check).to_owned(),
            Step::Bench(..) => String::new(),
        });
        let chances: Vec<f64> = (0..walk.outcomes(know, &step))
            .map(|outcome| after(&walk.states, |state| walk.chance(know, &step, state, outcome)).1)
            .collect();
        walk.take(know, &step, &way, leader_of(&chances).unwrap_or(0));
    }
    named
}

/// A job on its way: the odds, what is done and what it has cost.
#[derive(Debug, Clone)]
pub struct Walk<'a> {
    /// The odds of the states.
    pub states: Vec<f64>,
    situation: Situation<'a>,
    path: Vec<(Step, usize)>,
    /// Minutes so far.
    pub minutes: f64,
    /// Money so far.
    pub money: f64,
}

impl<'a> Walk<'a> {
    /// A job that begins at these odds in this situation.
    pub fn new(states: &[f64], situation: &Situation<'a>) -> Self {
        Self { states: states.to_vec(), situation: situation.clone(), path: Vec::new(), minutes: 0.0, money: 0.0 }
    }

    /// The next step of a method.
    pub fn next(&self, (order, until): (Strategy, Until), know: &'static Knowledge, usual: usize) -> Next {
        let present = know.present(&self.states);
        let leader = leader_of(&present).unwrap_or(0);
        if certain(know, &present).is_some() {
            return Next::Certain(leader);
        }
        let best = proposals(know, &self.states, &self.situation);
        if until == Until::GoodEnough && stop(know, &present, &best).is_some() {
            return Next::Left(leader);
        }
        let first = |proposals: Vec<Proposal>| {
            proposals.into_iter().next().and_then(|proposal| match proposal.step {
                Step::Bench(_, behind) => behind.into_iter().next(),
                step => Some(step),
            })
        };
        let step = match order {
            Strategy::MostUseful => first(best),
            _ => in_order(order, know, &self.states, &self.situation, usual).into_iter().next().map(|single| single.step),
        };
        step.and_then(|step| self.way(know, &step).map(|way| Next::Do(step, way))).unwrap_or(Next::Left(leader))
    }

    /// The moves that lead to a step; none where there is no way to it, or it is a move itself.
    pub fn way(&self, know: &Knowledge, step: &Step) -> Option<Vec<Move>> {
        match step {
            Step::Check(check) => know.check(check).and_then(|check| self.situation.way_to_check(check)),
            Step::Reading(place) => self.situation.readings.get(*place).and_then(|reading| self.situation.way_to_reading(reading)),
            Step::Bench(..) => None,
        }
    }

    /// What can be done from here, the most useful per minute first; a move stands for what is behind it.
    pub fn proposals(&self, know: &'static Knowledge) -> Vec<Proposal> {
        proposals(know, &self.states, &self.situation)
    }

    /// The readings that can be taken; one that was taken tells nothing more.
    pub fn readings(&self) -> &[super::bench::Takeable] {
        &self.situation.readings
    }

    /// How many outcomes a step has.
    pub fn outcomes(&self, know: &Knowledge, step: &Step) -> usize {
        match step {
            Step::Check(check) => know.check(check).map_or(0, |check| check.outcomes.len()),
            Step::Reading(place) => self.situation.readings.get(*place).map_or(0, |reading| reading.ahead.parts_kpa.len() + 1),
            Step::Bench(..) => 0,
        }
    }

    fn chance(&self, know: &Knowledge, step: &Step, state: usize, outcome: usize) -> f64 {
        chance(know, &self.situation, step, state, outcome)
    }

    fn row(&self, know: &Knowledge, step: &Step, state: usize) -> Vec<f64> {
        (0..self.outcomes(know, step)).map(|outcome| self.chance(know, step, state, outcome)).collect()
    }

    /// Mended in vain: the cause is out.
    pub fn strike(&mut self, know: &Knowledge, cause: usize) {
        let kept = |(state, p): (usize, &f64)| if know.hypothesis(state).is_some_and(|h| h.holds(cause)) { 0.0 } else { *p };
        let states: Vec<f64> = self.states.iter().enumerate().map(kept).collect();
        let sum: f64 = states.iter().sum();
        self.states = states.into_iter().map(|p| p / sum.max(f64::MIN_POSITIVE)).collect();
    }

    /// Goes a way and does a step: pays for both, and weighs the outcome.
    pub fn take(&mut self, know: &'static Knowledge, step: &Step, way: &[Move], outcome: usize) {
        let moved = self.situation.price(know, way);
        self.situation = self.situation.clone().gone(way);
        let card = self.situation.card;
        let (minutes, material) = match step {
            Step::Check(check) => know.check(check).map_or((0.0, 0.0), |check| (check.minutes_on(card), check.material_on(card))),
            _ => (super::bench::Takeable::MINUTES, 0.0),
        };
        self.minutes += moved.minutes + minutes;
        self.money += know.money(moved.minutes + minutes, moved.material + material);
        self.states = after(&self.states, |state| self.chance(know, step, state, outcome)).0;
        match step {
            Step::Check(check) => {
                self.situation.done.push(check);
                self.situation.damage |= know
                    .check(check)
                    .and_then(|check| check.outcomes.get(outcome))
                    .is_some_and(|outcome| know.is_damage(&format!("{check}={}", outcome.id)));
                let stops = know
                    .check(check)
                    .and_then(|check| check.outcomes.get(outcome))
                    .is_some_and(|outcome| safety::stops(check, &outcome.id));
                self.situation.allowed.run &= !stops;
                self.situation.allowed.one_reading &= !stops;
            }
            // A reading taken tells no more when it is taken again at once: its table says nothing from now on.
            Step::Reading(place) => {
                if let Some(reading) = self.situation.readings.get_mut(*place) {
                    let blank = super::tracer::Ahead { parts_kpa: Vec::new(), table: vec![vec![1.0]; know.states()] };
                    reading.ahead = std::sync::Arc::new(blank);
                }
            }
            Step::Bench(..) => {}
        }
        self.path.push((step.clone(), outcome));
    }
}

/// The index that a number in 0..1 falls on when weights are laid end to end.
pub fn pick(weights: &[f64], u: f64) -> usize {
    let total: f64 = weights.iter().sum();
    let mut left = u * total;
    for (index, weight) in weights.iter().enumerate() {
        left -= weight;
        if left < 0.0 {
            return index;
        }
    }
    weights.len().saturating_sub(1)
}
