//! How good the tracer is on engines that are not built as it assumes: blind cases, counted honestly.
//!
//! Words: the *examiner* takes engines of another structure, each broken by a fault that only it knows ([`velvet_dial_engines`]), and hands over card, sheet and
//! readings; the tracer sees nothing else. Three levels of evidence: the four pressures alone; with what was
//! told at intake and the checks of minutes; and with what each order asks for until it is good enough. Cases come in two mixes: *equal*, every cause as
//! often as the other, for how well each is found; and *as they come in*, by the causes' own shares, pairs among them, for whether a stated certainty comes
//! true, which no tracer can promise on another mix than the one it is told.
//!
//! Five of the makers are there to tune on, and the figures that count are those of the other five. [`tune`] scores how far the model is believed to be off a real
//! engine on the five of the first kind, and says for each which value the other four would have chosen.
//!
//! Everything follows from the seed; the same options give the same figures.
mod ceiling;
mod print;
mod prior_check;
mod score;

pub use ceiling::ceiling;
pub use print::{most, tuning};
pub use prior_check::{PriorPoint, believed, believes};
pub use score::{Bin, Calibration, SoundScore, Tally};

use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rayon::prelude::*;
use score::{Stated, statements};
use serde::Serialize;
use std::collections::BTreeMap;
use velvet_dial_core::case::{Evidence, spec_points};
use velvet_dial_core::diagnosis::{Setting, diagnose};
use velvet_dial_core::knowledge::{BANDS, Hypothesis, Knowledge, knowledge};
use velvet_dial_core::oil;
use velvet_dial_core::trace::{Assumed, Next, Posterior, Situation, Strategy, Tracer, Until, Walk, pick};
use velvet_dial_core::vehicle::Vehicle;
use velvet_dial_engines::{Blind, Engine, HABITS, Habit, is_true};

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
    /// Engines drawn of every rival; each is broken once by every cause, and as many times again by what comes in.
    pub engines: usize,
    /// A pressure that has gone this far, as a share, from what the engine made when sound brings it in though it is within the sheet.
    pub noticed: f64,
    /// How far the model is believed to be off, as a multiple of what the product uses.
    pub discrepancy: f64,
    /// Count the rivals that things are tuned on in place of those that are left out for reporting.
    pub tuned_on: bool,
    /// Judge by the readings and the intake alone, and follow no order of checks: a tenth of the time.
    pub unfollowed: bool,
    /// What an hour of work costs, in the money that parts and engines are priced in: the dearer it is, the sooner a search ends.
    pub hour: f64,
    /// The tracer's own seed; its figures should not hang on it.
    pub tracer_seed: Option<u32>,
}

impl Default for Options {
    fn default() -> Self {
        Self {
            seed: 1,
            engines: 12,
            noticed: 1.0 / 3.0,
            discrepancy: 1.0,
            tuned_on: false,
            unfollowed: false,
            hour: knowledge().hour,
            tracer_seed: None,
        }
    }
}

impl Options {
    /// The seed of an engine of a rival.
    fn seed_of(&self, rival: usize, engine: usize) -> u64 {
        self.seed.wrapping_mul(1_000_003).wrapping_add((1_000 * rival + engine) as u64)
    }
}

/// Cases drawn as they come in, for every engine.
const AS_THEY_COME: usize = 24;

/// How an order fared.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize)]
pub struct OrderScore {
    /// Cases.
    pub cases: u32,
    /// One cause became certain enough.
    pub certain: u32,
    /// The cause that led in the end was the true one.
    pub right: u32,
    /// Minutes until then, all cases together.
    pub minutes: f64,
    /// Minutes until the true cause is proven by its repair: the steps, what was mended in vain, and the steps after that.
    pub to_proof: f64,
    /// Money until then, all cases together.
    pub money: f64,
    /// Checks and readings done, all cases together.
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
    /// From the pressures alone, cases below their sheet.
    pub below: Tally,
    /// How many of the cases were sound engines, and what was said of them.
    pub sound: SoundScore,
}

/// A rival's row.
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
pub struct RivalScore {
    /// Its name.
    pub name: &'static str,
    /// The thirteen, pressures alone.
    pub shown: Tally,
    /// Sound engines and those called so.
    pub sound: SoundScore,
    /// As they come in, pressures alone.
    pub calibration: Calibration,
}

/// Everything counted.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Evaluation {
    /// What it was drawn by.
    pub options: Options,
    /// By rival.
    pub rivals: Vec<RivalScore>,
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
    rival: usize,
    truth: usize,
    equal: bool,
    below: bool,
    tallies: [Tally; 2],
    sound: SoundScore,
    stated: [Vec<Stated>; 4],
    orders: [Vec<(&'static str, OrderScore)>; 2],
}

/// A rival's engine with its cases, and whether each belongs to the equal mix.
struct SampledEngine {
    rival: usize,
    cases: Vec<(Blind, bool)>,
}

impl SampledEngine {
    /// The tracer of this engine; none without a case of it.
    fn tracer(&self, assumed: Assumed) -> Option<Tracer> {
        let (Blind { case, .. }, _) = self.cases.first()?;
        let filled = oil::typical(&case.engine.oil_grade).ok()?;
        Some(Tracer::assuming(filled, &case.engine, &spec_points(case), assumed))
    }
}

/// Draws engines, asks and counts.
pub fn evaluate(options: Options) -> Evaluation {
    let know = knowledge();
    let asked = |(_, habit): &(usize, &Habit)| habit.tuned_on == options.tuned_on;
    let drawn: Vec<SampledEngine> =
        HABITS.iter().enumerate().filter(asked).flat_map(|(rival, habit)| draw(know, options, rival, habit)).collect();
    let seen: Vec<Seen> = drawn.par_iter().flat_map_iter(|engine| examine(know, options, engine)).collect();
    let mut evaluation = Evaluation {
        options,
        rivals: HABITS.iter().map(|habit| RivalScore { name: habit.name, ..RivalScore::default() }).collect(),
        causes: BTreeMap::new(),
        shown: CauseScore::default(),
        all: CauseScore::default(),
        as_they_come: CauseScore::default(),
        calibration: Default::default(),
        orders_shown: Default::default(),
        orders_as_they_come: Default::default(),
    };
    let mut stated: [Vec<Stated>; 4] = Default::default();
    let mut by_rival: Vec<Vec<Stated>> = vec![Vec::new(); HABITS.len()];
    for case in &seen {
        let id = know.hypotheses.get(case.truth).and_then(|hypothesis| know.causes.get(hypothesis.first)).map_or("", |cause| &cause.id);
        let Some(rival) = evaluation.rivals.get_mut(case.rival) else { continue };
        if case.equal {
            evaluation.causes.entry(id.to_owned()).or_default().add(case);
            evaluation.all.add(case);
            rival.sound.add(case.sound);
            if SHOWN_BY_PRESSURE.contains(&id) {
                let [pressures, _] = case.tallies;
                rival.shown.add(pressures);
                evaluation.shown.add(case);
                count_orders(&mut evaluation.orders_shown, &case.orders);
            }
        } else {
            evaluation.as_they_come.add(case);
            count_orders(&mut evaluation.orders_as_they_come, &case.orders);
            let [pressures, ..] = &case.stated;
            if let Some(of_rival) = by_rival.get_mut(case.rival) {
                of_rival.extend(pressures);
            }
            for (all, of_case) in stated.iter_mut().zip(&case.stated) {
                all.extend(of_case);
            }
        }
    }
    evaluation.calibration = stated.map(|level| Calibration::of(&level));
    for (rival, stated) in evaluation.rivals.iter_mut().zip(by_rival) {
        rival.calibration = Calibration::of(&stated);
    }
    evaluation.rivals =
        HABITS.iter().zip(evaluation.rivals).filter(|(habit, _)| habit.tuned_on == options.tuned_on).map(|(_, rival)| rival).collect();
    evaluation
}

impl CauseScore {
    fn add(&mut self, case: &Seen) {
        let [pressures, intake] = case.tallies;
        self.pressures.add(pressures);
        self.intake.add(intake);
        self.sound.add(case.sound);
        if case.below {
            self.below.add(pressures);
        }
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

/// A rival's engines with their cases. One after another, because a cause that goes unnoticed on one engine waits for the next: else what is easily
/// noticed would come in more often than its share.
fn draw(know: &Knowledge, options: Options, rival: usize, habit: &Habit) -> Vec<SampledEngine> {
    let mut waiting: Vec<usize> = Vec::new();
    let one = |engine: usize| {
        let mut rng = ChaCha8Rng::seed_from_u64(options.seed_of(rival, engine));
        let drawn = Engine::drawn(habit, &mut rng);
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
        SampledEngine { rival, cases }
    };
    (0..options.engines).map(one).collect()
}

/// All cases of one engine.
fn examine(know: &'static Knowledge, options: Options, drawn: &SampledEngine) -> Vec<Seen> {
    let assumed = Assumed { discrepancy: options.discrepancy, seed: options.tracer_seed.unwrap_or(Assumed::default().seed) };
    let Some(tracer) = drawn.tracer(assumed) else { return Vec::new() };
    drawn.cases.iter().map(|(blind, equal)| ask(know, &tracer, blind, (drawn.rival, *equal, options))).collect()
}

/// Hands a case to the tracer at every level.
fn ask(know: &'static Knowledge, tracer: &Tracer, blind: &Blind, (rival, equal, options): (usize, bool, Options)) -> Seen {
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
            told.evidence.push(Evidence::of(check, &outcome.id));
        }
    }
    let with_intake = diagnose(&told, tracer, &Setting::default());
    let cause = hypothesis.and_then(|h| know.causes.get(h.first));
    let id = cause.map_or("", |cause| cause.id.as_str());
    let sound_engine = hypothesis.is_some_and(|h| h.second.is_none()) && cause.is_some_and(|cause| cause.conforms);
    let sound = SoundScore::of(sound_engine, blind.below, bare.sound);
    let situation = Situation { hour: options.hour, ..bare.situation(&blind.case) };
    let mut orders: [Vec<(&'static str, OrderScore)>; 2] = Default::default();
    let mut end: [Vec<Stated>; 2] = Default::default();
    if !options.unfollowed && (SHOWN_BY_PRESSURE.contains(&id) || !equal) {
        for ((orders, end), clear) in orders.iter_mut().zip(&mut end).zip([true, false]) {
            for (name, order, until) in ORDERS {
                let (score, states) = follow(know, (order, until), &bare.posterior.states, &situation, &blind.answering(clear));
                if name == DEFAULT_ORDER {
                    *end = said(&Posterior::of_states(know, states));
                }
                orders.push((name, score));
            }
        }
    }
    let [clear, tables] = end;
    Seen {
        rival,
        truth: blind.truth,
        equal,
        below: blind.below,
        tallies: [tally(&bare.posterior), tally(&with_intake.posterior)],
        sound,
        stated: [said(&bare.posterior), said(&with_intake.posterior), clear, tables],
        orders,
    }
}

/// The product's own order and the trade's three, each with the product's stop rule.
const ORDERS: [(&str, Strategy, Until); 4] = [
    ("along the oil, until good enough", Strategy::AlongTheOil, Until::GoodEnough),
    ("cheapest first, until good enough", Strategy::CheapestFirst, Until::GoodEnough),
    ("known pattern first, until good enough", Strategy::KnownPattern, Until::GoodEnough),
    (DEFAULT_ORDER, Strategy::MostUseful, Until::GoodEnough),
];

/// The product's own order with its stop rule.
const DEFAULT_ORDER: &str = "most useful per minute, until good enough";

/// Most repairs in vain before a case is given up.
const GIVEN_UP: u32 = 8;

/// Follows an order on a blind case to its end, mends the leader, and goes on where that was in vain. The score is that of the first end; so are the states returned.
fn follow(
    know: &'static Knowledge,
    order: (Strategy, Until),
    states: &[f64],
    situation: &Situation,
    vehicle: &impl Vehicle,
) -> (OrderScore, Vec<f64>) {
    // The known pattern of an engine nobody has a history of: its most frequent cause.
    let priors = know.priors(&situation.card.layout);
    let usual = priors.iter().enumerate().max_by(|a, b| a.1.total_cmp(b.1)).map_or(0, |(cause, _)| cause);
    let mut walk = Walk::new(states, situation);
    let mut first: Option<(OrderScore, Vec<f64>)> = None;
    let (mut checks, mut repairs, mut in_vain) = (0, 0, 0.0);
    loop {
        let (leader, certain) = match walk.next(order, know, usual) {
            Next::Do(step, way) => {
                checks += 1;
                walk.take(know, &step, &way, vehicle.answer(&step, &situation.readings));
                continue;
            }
            Next::Certain(cause) => (cause, true),
            Next::Left(cause) => (cause, false),
        };
        let right = vehicle.is_cured_by(leader);
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

/// What a value of the discrepancy scored on a rival: the mean logarithm of what was stated of the true cause, causes as they come in, pressures alone.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Tuned {
    /// The rival.
    pub name: &'static str,
    /// Value and score.
    pub scores: Vec<(f64, f64)>,
    /// What the other rivals choose together.
    pub chosen_by_others: f64,
}

/// Values of the discrepancy that are scored, as multiples of what the product uses.
const SCORED: [f64; 5] = [0.25, 0.5, 1.0, 1.5, 2.0];

/// Scores values of the discrepancy on every rival, and chooses for each by the others.
pub fn tune(options: Options) -> Vec<Tuned> {
    let know = knowledge();
    let score = |rival: usize, habit: &Habit, discrepancy: f64| {
        let drawn = draw(know, options, rival, habit);
        let logs: Vec<f64> = drawn.par_iter().flat_map_iter(|engine| log_scores(know, engine, discrepancy)).collect();
        logs.iter().sum::<f64>() / logs.len().max(1) as f64
    };
    let tuned: Vec<(usize, &Habit)> = HABITS.iter().enumerate().filter(|(_, habit)| habit.tuned_on).collect();
    let scores: Vec<Vec<f64>> = tuned.iter().map(|(rival, habit)| SCORED.map(|value| score(*rival, habit, value)).to_vec()).collect();
    tuned
        .iter()
        .map(|(_, habit)| habit)
        .enumerate()
        .map(|(rival, habit)| {
            let of_others = |place: usize| -> f64 {
                scores.iter().enumerate().filter(|(other, _)| *other != rival).filter_map(|(_, scores)| scores.get(place)).sum()
            };
            let best = (0..SCORED.len()).max_by(|a, b| of_others(*a).total_cmp(&of_others(*b)));
            Tuned {
                name: habit.name,
                scores: SCORED.into_iter().zip(scores.get(rival).into_iter().flatten().copied()).collect(),
                chosen_by_others: best.and_then(|place| SCORED.get(place)).copied().unwrap_or(1.0),
            }
        })
        .collect()
}

fn log_scores(know: &Knowledge, drawn: &SampledEngine, discrepancy: f64) -> Vec<f64> {
    let Some(tracer) = drawn.tracer(Assumed { discrepancy, ..Assumed::default() }) else { return Vec::new() };
    drawn
        .cases
        .iter()
        .filter(|(_, equal)| !equal)
        .filter_map(|(blind, _)| {
            let hypothesis: &Hypothesis = know.hypotheses.get(blind.truth)?;
            let diagnosis = diagnose(&blind.case, &tracer, &Setting::default());
            let stated: f64 =
                (0..know.causes.len()).filter(|cause| is_true(hypothesis, *cause)).map(|cause| diagnosis.posterior.of(cause)).sum();
            Some(stated.max(1e-4).ln())
        })
        .collect()
}
