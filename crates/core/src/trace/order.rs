//! Four schools of what to check first, and what each may be expected to cost until the cause is certain.
//!
//! *Most told per minute* is the product's own. The others are the trade's: *known pattern first* (a quick check of this engine's usual
//! failure, then the cheap ones), *cheapest first* (easy outside things before anything is opened), *along the oil* (from the sump to the
//! far end, so that nothing is skipped). All four skip what can tell nothing any more.
//!
//! The price of an order: jobs are drawn from the present odds, each check's outcome is drawn from its table, and the order is followed until
//! its end; minutes and money are means over these jobs, opening counted once.
use super::knowledge::{Check, Knowledge};
use super::next::{Bench, ENOUGH, Opened, Proposal, after, leader_of, proposals, stop};
use crate::choice::choice;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::collections::HashMap;

choice! {
    /// A school of what to check first.
    Order {
        /// Most expected information a minute.
        MostTold = "most_told": "most told per minute",
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
    /// One cause is certain enough, or no check left tells anything.
    Certain,
    /// As before, or nothing left to learn is worth its minutes.
    GoodEnough,
}

/// What an order may be expected to cost.
#[derive(Debug, Clone, PartialEq, serde::Serialize)]
pub struct Plan {
    /// The order.
    pub order: Order,
    /// Minutes until its end.
    pub minutes: f64,
    /// The same as money.
    pub money: f64,
    /// Share of jobs in which one cause became certain enough.
    pub reached: f64,
    /// Share of jobs in which the cause acted on was the true one.
    pub right: f64,
    /// The first checks, each after the most probable outcome of the one before.
    pub first: Vec<&'static str>,
}

/// Jobs drawn for a plan.
const JOBS: usize = 240;
/// Checks named of a plan.
const NAMED: usize = 6;
/// Checks of the known pattern are outside ones of at most so many minutes.
const QUICK_MINUTES: f64 = 15.0;

/// The checks left, in a school's order; `usual` is this engine's usual failure, by index.
pub fn in_order(order: Order, know: &'static Knowledge, states: &[f64], bench: &Bench, usual: usize) -> Vec<Proposal> {
    let mut left = proposals(know, states, bench);
    let key = |proposal: &Proposal| match order {
        Order::MostTold => 0.0,
        Order::CheapestFirst => proposal.minutes,
        Order::AlongTheOil => 10_000.0 * know.check(proposal.check).map_or(0.0, |check| f64::from(check.along)) + proposal.minutes,
        // A known pattern's check counts only when it can speak for it: else it waits among the others by its minutes.
        Order::KnownPattern if proposal.minutes <= QUICK_MINUTES => {
            -know.check(proposal.check).map_or(0.0, |check| tells(know, check, usual)) / proposal.minutes
        }
        Order::KnownPattern => proposal.minutes,
    };
    // The sort keeps the order of equals, so the default order is the one they come in.
    left.sort_by(|a, b| key(a).total_cmp(&key(b)));
    left
}

/// How well a check can speak for a cause: ln of the best odds any outcome gives it against the usual, 0 when it has no row.
fn tells(know: &Knowledge, check: &Check, cause: usize) -> f64 {
    let Some(row) = know.causes.get(cause).and_then(|cause| check.rows.iter().find(|row| row.cause == cause.id)) else {
        return 0.0;
    };
    row.p.iter().zip(&check.usual.p).map(|(p, usual)| p * (p / usual).ln()).sum::<f64>().max(0.0)
}

/// One step of a walk: what to check next, or the cause that is certain.
#[derive(Clone, Copy)]
enum Step {
    Check(&'static Check),
    Certain(usize),
    Left(usize),
}

/// What an order may be expected to cost from here.
pub fn plan((order, until): (Order, Until), know: &'static Knowledge, states: &[f64], bench: &Bench, usual: usize) -> Plan {
    // The same jobs for every order, so that they are compared on equal luck.
    let mut rng = ChaCha8Rng::seed_from_u64(1);
    // Walks share their first steps: each is thought out once.
    let mut thought: HashMap<Vec<(usize, usize)>, Step> = HashMap::new();
    let mut sums = [0.0; 4];
    for _ in 0..JOBS {
        let truth = pick(states, rng.random());
        let mut walk = Walk::new(states, bench);
        let mut luck = ChaCha8Rng::from_rng(&mut rng);
        let certain = loop {
            let step = *thought.entry(walk.path.clone()).or_insert_with(|| walk.step((order, until), know, usual));
            match step {
                Step::Check(check) => {
                    let row: Vec<f64> = (0..check.outcomes.len()).map(|outcome| check.likelihood(truth, outcome)).collect();
                    walk.take(know, check, pick(&row, luck.random()));
                }
                Step::Certain(cause) => break (cause, 1.0),
                Step::Left(cause) => break (cause, 0.0),
            }
        };
        let right = know.hypothesis(truth).is_some_and(|hypothesis| hypothesis.holds(certain.0));
        for (sum, part) in sums.iter_mut().zip([walk.minutes, walk.money, certain.1, f64::from(u8::from(right))]) {
            *sum += part;
        }
    }
    let [minutes, money, reached, right] = sums.map(|sum| sum / JOBS as f64);
    Plan { order, minutes, money, reached, right, first: likely_path((order, until), know, states, bench, usual) }
}

/// The checks of an order when each comes out as is most probable.
fn likely_path((order, until): (Order, Until), know: &'static Knowledge, states: &[f64], bench: &Bench, usual: usize) -> Vec<&'static str> {
    let mut walk = Walk::new(states, bench);
    let mut named = Vec::new();
    while named.len() < NAMED
        && let Step::Check(check) = walk.step((order, until), know, usual)
    {
        named.push(check.id.as_str());
        let chances: Vec<f64> = (0..check.outcomes.len()).map(|outcome| after(&walk.states, check, outcome).1).collect();
        let likely = leader_of(&chances).unwrap_or(0);
        walk.take(know, check, likely);
    }
    named
}

/// A job on its way: the odds, what is done and what it has cost.
pub(crate) struct Walk<'a> {
    pub(crate) states: Vec<f64>,
    bench: Bench<'a>,
    done: Vec<&'a str>,
    opened: Opened,
    may_run: bool,
    path: Vec<(usize, usize)>,
    /// Minutes so far.
    pub(crate) minutes: f64,
    /// Money so far.
    pub(crate) money: f64,
}

impl<'a> Walk<'a> {
    pub(crate) fn new(states: &[f64], bench: &Bench<'a>) -> Self {
        Self {
            states: states.to_vec(),
            bench: *bench,
            done: bench.done.to_vec(),
            opened: Opened::default(),
            may_run: bench.may_run,
            path: Vec::new(),
            minutes: 0.0,
            money: 0.0,
        }
    }

    /// The next check of a school, or `None` when one cause is certain or nothing is left; with the leading cause.
    pub(crate) fn next(&self, order: (Order, Until), know: &'static Knowledge, usual: usize) -> (Option<&'static Check>, usize, bool) {
        match self.step(order, know, usual) {
            Step::Check(check) => (Some(check), 0, false),
            Step::Certain(cause) => (None, cause, true),
            Step::Left(cause) => (None, cause, false),
        }
    }

    fn step(&self, (order, until): (Order, Until), know: &'static Knowledge, usual: usize) -> Step {
        let causes = know.fold(&self.states);
        let leader = leader_of(&causes).unwrap_or(0);
        let certainty = causes.get(leader).copied().unwrap_or(0.0);
        if certainty >= ENOUGH {
            return Step::Certain(leader);
        }
        let bench = Bench { done: &self.done, may_run: self.may_run, ..self.bench };
        let left = in_order(order, know, &self.states, &bench, usual);
        if until == Until::GoodEnough && stop(know, certainty, &left).is_some() {
            return Step::Left(leader);
        }
        left.first().and_then(|proposal| know.check(proposal.check)).map_or(Step::Left(leader), Step::Check)
    }

    /// Mended in vain: the cause is out.
    pub(crate) fn strike(&mut self, know: &Knowledge, cause: usize) {
        let kept = |(state, p): (usize, &f64)| if know.hypothesis(state).is_some_and(|h| h.holds(cause)) { 0.0 } else { *p };
        let states: Vec<f64> = self.states.iter().enumerate().map(kept).collect();
        let sum: f64 = states.iter().sum();
        self.states = states.into_iter().map(|p| p / sum.max(f64::MIN_POSITIVE)).collect();
    }

    /// Does a check: pays for it, and weighs its outcome.
    pub(crate) fn take(&mut self, know: &'static Knowledge, check: &'static Check, outcome: usize) {
        let opened = if self.done.is_empty() { self.opened } else { Opened::by(know, &self.done) };
        let (opening_minutes, opening_material) = opened.due(know, check.access);
        let minutes = check.minutes + opening_minutes;
        self.minutes += minutes;
        self.money += know.money(minutes, check.material + opening_material);
        self.opened = opened.and(check.access);
        self.states = after(&self.states, check, outcome).0;
        self.may_run &= !check.stops(outcome);
        self.done.push(&check.id);
        let index = know.checks.iter().position(|known| known.id == check.id).unwrap_or(0);
        self.path.push((index, outcome));
    }
}

/// The index that a number in 0..1 falls on when weights are laid end to end.
pub(crate) fn pick(weights: &[f64], u: f64) -> usize {
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
