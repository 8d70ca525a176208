//! How good the tracer is on engines that are not built as it assumes: blind cases, counted honestly.
//!
//! Words: the *examiner* draws a healthy engine of another structure ([`rival`]), breaks it ([`build`]), reads it with a real gauge and hands
//! over card, sheet and readings ([`blind`]); the tracer sees nothing else. Three levels of evidence: the four pressures alone; with what was told
//! at intake and the checks of minutes; and with the checks each order asks for until one cause is certain. Cases come in two mixes: *equal*, every
//! cause as often as the other, for how well each is found; and *as they come in*, by the causes' own shares, pairs among them, for whether a
//! stated certainty comes true, which no tracer can promise on another mix than the one it is told.
//!
//! Everything follows from the seed; the same options give the same figures.
mod blind;
mod build;
mod print;
mod rival;
mod score;

pub use score::{Bin, Calibration, Tally};

use crate::case::{Evidence, Setting, diagnose, spec_points};
use crate::trace::knowledge::{BANDS, Hypothesis, Knowledge, knowledge};
use crate::trace::{Bench, Order, Posterior, Tracer, Until, Walk, leader_of, pick};
use blind::{Blind, Engine, is_true};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rayon::prelude::*;
use score::{Stated, statements};
use serde::Serialize;
use std::collections::BTreeMap;

/// The causes that four pressures can show apart: each moves them in a way of its own on every layout. What needs a part not every engine
/// has, what acts as one of these does, and what leaves the pressure at the port alone stands in the second table.
pub const SHOWN_BY_PRESSURE: [&str; 13] = [
    "oil_low",
    "oil_thin",
    "oil_diluted",
    "screen_blocked",
    "pickup_air",
    "pump_worn",
    "relief_open",
    "relief_weak",
    "relief_shut",
    "filter_blocked",
    "gallery_leak",
    "bearings_crank",
    "within_spec",
];

/// Checks of minutes that the second level has answered.
const AT_INTAKE: [&str; 5] = ["level", "oil_look", "oil_grade", "filter_id", "leaks"];

/// How much to draw.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Options {
    /// What everything follows from.
    pub seed: u64,
    /// Engines drawn; each is broken once by every cause, and as many times again by what comes in.
    pub engines: usize,
    /// A pressure that has gone this far, as a share, from what the engine made when sound brings it in though it is within the sheet.
    pub noticed: f64,
}

impl Default for Options {
    fn default() -> Self {
        Self { seed: 1, engines: 60, noticed: 1.0 / 3.0 }
    }
}

/// Cases drawn as they come in, for every engine.
const AS_THEY_COME: usize = 24;

/// How an order of checks fared.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize)]
pub struct OrderScore {
    /// Cases.
    pub cases: u32,
    /// One cause became certain enough.
    pub certain: u32,
    /// The cause that led in the end was the true one.
    pub right: u32,
    /// Minutes of checks until then, all cases together.
    pub minutes: f64,
    /// Minutes until the true cause is proven by its repair: the checks, what was mended in vain, and the checks after that.
    pub to_proof: f64,
    /// Money until then, all cases together.
    pub money: f64,
    /// Checks done, all cases together.
    pub checks: u32,
}

/// A cause's row.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize)]
pub struct CauseScore {
    /// From the pressures alone.
    pub pressures: Tally,
    /// With intake and the checks of minutes.
    pub intake: Tally,
    /// Cases the default order was followed in, on clear answers.
    pub followed: u32,
    /// Of these, cases in which its leader was the true cause.
    pub followed_right: u32,
}

/// Everything counted.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Evaluation {
    /// What it was drawn by.
    pub options: Options,
    /// By cause, over the equal mix; a cause no engine drawn can have is missing.
    pub causes: BTreeMap<String, CauseScore>,
    /// The thirteen of [`SHOWN_BY_PRESSURE`] together.
    pub shown: CauseScore,
    /// All causes together, equal mix.
    pub all: CauseScore,
    /// All causes as they come in.
    pub as_they_come: CauseScore,
    /// As they come in: from the pressures alone, with intake, and where the default order ended on clear answers and on those of the tables.
    pub calibration: [Calibration; 4],
    /// Each order over the thirteen, equal mix, begun at the four pressures; checks answer clearly, then as the tables have it.
    pub orders_shown: [Orders; 2],
    /// Each order over all causes as they come in, likewise.
    pub orders_as_they_come: [Orders; 2],
}

/// How each order fared.
pub type Orders = BTreeMap<&'static str, OrderScore>;

/// What one case gave.
struct Seen {
    truth: usize,
    equal: bool,
    tallies: [Tally; 2],
    stated: [Vec<Stated>; 4],
    orders: [Vec<(&'static str, OrderScore)>; 2],
}

/// Draws, asks and counts.
pub fn evaluate(options: Options) -> Evaluation {
    let know = knowledge();
    let seen: Vec<Seen> = draw(know, options).par_iter().flat_map_iter(|cases| examine(know, cases)).collect();
    let mut evaluation = Evaluation {
        options,
        causes: BTreeMap::new(),
        shown: CauseScore::default(),
        all: CauseScore::default(),
        as_they_come: CauseScore::default(),
        calibration: Default::default(),
        orders_shown: Default::default(),
        orders_as_they_come: Default::default(),
    };
    let mut stated: [Vec<Stated>; 4] = Default::default();
    for case in &seen {
        let id = know.hypotheses.get(case.truth).and_then(|hypothesis| know.causes.get(hypothesis.first)).map_or("", |cause| &cause.id);
        if case.equal {
            evaluation.causes.entry(id.to_owned()).or_default().add(case);
            evaluation.all.add(case);
            if SHOWN_BY_PRESSURE.contains(&id) {
                evaluation.shown.add(case);
                count_orders(&mut evaluation.orders_shown, &case.orders);
            }
        } else {
            evaluation.as_they_come.add(case);
            count_orders(&mut evaluation.orders_as_they_come, &case.orders);
            for (all, of_case) in stated.iter_mut().zip(&case.stated) {
                all.extend(of_case);
            }
        }
    }
    evaluation.calibration = stated.map(|level| Calibration::of(&level));
    evaluation
}

impl CauseScore {
    fn add(&mut self, case: &Seen) {
        let [pressures, intake] = case.tallies;
        self.pressures.add(pressures);
        self.intake.add(intake);
        let [clear, _] = &case.orders;
        if let Some((_, score)) = clear.iter().find(|(name, _)| *name == DEFAULT_ORDER) {
            self.followed += score.cases;
            self.followed_right += score.right;
        }
    }
}

fn count_orders(sums: &mut [Orders; 2], of_case: &[Vec<(&'static str, OrderScore)>; 2]) {
    for (sums, of_case) in sums.iter_mut().zip(of_case) {
        for (order, score) in of_case {
            let sum = sums.entry(order).or_default();
            sum.cases += score.cases;
            sum.certain += score.certain;
            sum.right += score.right;
            sum.minutes += score.minutes;
            sum.to_proof += score.to_proof;
            sum.money += score.money;
            sum.checks += score.checks;
        }
    }
}

/// Engines with their cases, and whether each belongs to the equal mix. One after another, because a cause that goes unnoticed on one engine
/// waits for the next: else what is easily noticed would come in more often than its share.
fn draw(know: &Knowledge, options: Options) -> Vec<Vec<(Blind, bool)>> {
    let mut waiting: Vec<usize> = Vec::new();
    let one = |engine: usize| {
        let mut rng = ChaCha8Rng::seed_from_u64(options.seed.wrapping_mul(1_000_003).wrapping_add(engine as u64));
        let drawn = Engine::drawn(&mut rng);
        let mut cases: Vec<(Blind, bool)> = (0..know.causes.len())
            .filter_map(|cause| drawn.with(know, cause, options.noticed, &mut rng))
            .map(|blind| (blind, true))
            .collect();
        let shares = know.state_priors(&know.priors(drawn.layout()));
        waiting.extend((0..AS_THEY_COME).map(|_| pick(&shares, rng.random()) / BANDS));
        waiting.retain(|truth| {
            let blind = drawn.with(know, *truth, options.noticed, &mut rng);
            let waits = blind.is_none();
            cases.extend(blind.map(|blind| (blind, false)));
            waits
        });
        cases
    };
    (0..options.engines).map(one).collect()
}

/// All cases of one engine.
fn examine(know: &'static Knowledge, cases: &[(Blind, bool)]) -> Vec<Seen> {
    let Some((Blind { case: first, .. }, _)) = cases.first() else { return Vec::new() };
    // OK because the grades drawn are those of the oil table.
    let Ok(tracer) = Tracer::new(&first.engine, &spec_points(first)) else { return Vec::new() };
    cases.iter().map(|(blind, equal)| ask(know, &tracer, blind, *equal)).collect()
}

/// Hands a case to the tracer at every level.
fn ask(know: &'static Knowledge, tracer: &Tracer, blind: &Blind, equal: bool) -> Seen {
    let hypothesis = know.hypotheses.get(blind.truth);
    let tally = |posterior: &Posterior| hypothesis.map_or_else(Tally::default, |h| Tally::of(know, h, posterior));
    let said = |posterior: &Posterior| hypothesis.map_or_else(Vec::new, |h| statements(h, posterior));
    let bare = diagnose(&blind.case, tracer, &Setting::default());
    let mut told = blind.case.clone();
    told.circumstances.clone_from(&blind.told);
    for check in AT_INTAKE {
        let [_, answers] = &blind.answers;
        let answer = know.checks.iter().zip(answers).find(|(known, _)| known.id == check);
        if let Some(outcome) = answer.and_then(|(known, outcome)| known.outcomes.get(*outcome)) {
            told.evidence.push(Evidence { check: check.to_owned(), outcome: outcome.id.clone() });
        }
    }
    let with_intake = diagnose(&told, tracer, &Setting::default());
    let known = hypothesis.and_then(|h| know.causes.get(h.first)).is_some_and(|cause| SHOWN_BY_PRESSURE.contains(&cause.id.as_str()));
    let mut orders: [Vec<(&'static str, OrderScore)>; 2] = Default::default();
    let mut end: [Vec<Stated>; 2] = Default::default();
    if known || !equal {
        let bench = Bench { layout: &blind.case.engine.layout, done: &[], may_run: bare.may_run.allowed() };
        for ((orders, end), answers) in orders.iter_mut().zip(&mut end).zip(&blind.answers) {
            for (name, order, until) in ORDERS {
                let (score, states) = follow(know, (order, until), &bare.posterior.states, &bench, (hypothesis, answers));
                if name == DEFAULT_ORDER {
                    let probability = know.fold(&states);
                    *end = said(&Posterior { states, probability, moved: Vec::new() });
                }
                orders.push((name, score));
            }
        }
    }
    let [clear, tables] = end;
    Seen {
        truth: blind.truth,
        equal,
        tallies: [tally(&bare.posterior), tally(&with_intake.posterior)],
        stated: [said(&bare.posterior), said(&with_intake.posterior), clear, tables],
        orders,
    }
}

/// The schools as they are practised, until a cause is certain; and the product's own order and the cheapest with the product's stop rule.
const ORDERS: [(&str, Order, Until); 6] = [
    ("along the oil, until certain", Order::AlongTheOil, Until::Certain),
    ("cheapest first, until certain", Order::CheapestFirst, Until::Certain),
    ("known pattern first, until certain", Order::KnownPattern, Until::Certain),
    ("most told per minute, until certain", Order::MostTold, Until::Certain),
    ("cheapest first, until good enough", Order::CheapestFirst, Until::GoodEnough),
    (DEFAULT_ORDER, Order::MostTold, Until::GoodEnough),
];

/// The product's own order with its stop rule.
const DEFAULT_ORDER: &str = "most told per minute, until good enough";

/// Most repairs in vain before a case is given up.
const GIVEN_UP: u32 = 8;

/// Follows an order of checks on a blind case to its end, mends the leader, and goes on where that was in vain. The score is that of the first end;
/// so are the states returned.
fn follow(
    know: &'static Knowledge,
    order: (Order, Until),
    states: &[f64],
    bench: &Bench,
    (truth, answers): (Option<&Hypothesis>, &[usize]),
) -> (OrderScore, Vec<f64>) {
    // The known pattern of an engine nobody has a history of: its most frequent cause.
    let usual = leader_of(&know.priors(bench.layout)).unwrap_or(0);
    let mut walk = Walk::new(states, bench);
    let mut first: Option<(OrderScore, Vec<f64>)> = None;
    let (mut checks, mut repairs, mut in_vain) = (0, 0, 0.0);
    loop {
        let (next, leader, certain) = walk.next(order, know, usual);
        if let Some(check) = next {
            checks += 1;
            let outcome = know.checks.iter().zip(answers).find(|(known, _)| known.id == check.id).map_or(0, |(_, outcome)| *outcome);
            walk.take(know, check, outcome);
            continue;
        }
        let right = truth.is_some_and(|hypothesis| is_true(hypothesis, leader));
        let (score, end) = first.get_or_insert_with(|| {
            let ended = OrderScore {
                cases: 1,
                certain: u32::from(certain),
                right: u32::from(right),
                minutes: walk.minutes,
                to_proof: 0.0,
                money: walk.money,
                checks,
            };
            (ended, walk.states.clone())
        });
        repairs += 1;
        if right || repairs > GIVEN_UP {
            score.to_proof = walk.minutes + in_vain;
            return (*score, std::mem::take(end));
        }
        in_vain += know.causes.get(leader).map_or(0.0, |cause| cause.repair_minutes);
        walk.strike(know, leader);
    }
}
