//! Five ways that people work, played through a scene, so that marks can be held against what every foreman knows.
use crate::condition::Condition;
use crate::play::{Act, Choice, Did, Played, worth};
use crate::scene::Scene;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use serde::Serialize;
use std::collections::BTreeMap;
use velvet_dial_core::case::{Case, spec_points};
use velvet_dial_core::diagnosis::{Diagnosis, Setting, diagnose};
use velvet_dial_core::knowledge::{Knowledge, knowledge};
use velvet_dial_core::trace::{Move, Next, Proposal, Step, Strategy, Tracer, Until, Walk, leader_of};
use velvet_dial_core::vehicle::Vehicle;

/// A way to work.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Bot {
    /// What is most useful per minute.
    Planner,
    /// What takes the least minutes.
    CheapestFirst,
    /// From the sump to the far end.
    AlongTheOil,
    /// Whatever comes to hand.
    Random,
    /// Parts in the order in which they usually are it, and nothing measured.
    PartsCannon,
}

/// Most repairs before a scene is given up.
const GIVEN_UP: usize = 8;
/// Most checks before somebody who checks at random acts.
const AT_RANDOM: usize = 12;
/// The run before anything is traced: gauge fitted, warm-up, the sheet's points, minutes.
const RUN_MINUTES: f64 = 45.0;
/// The readings after a repair, minutes.
const RECHECK_MINUTES: f64 = 30.0;

impl Bot {
    /// All of them, as the marks should order them.
    pub const ALL: [Self; 5] = [Self::Planner, Self::CheapestFirst, Self::AlongTheOil, Self::Random, Self::PartsCannon];

    /// As it is said.
    pub fn label(self) -> &'static str {
        match self {
            Self::Planner => "planner",
            Self::CheapestFirst => "cheapest first",
            Self::AlongTheOil => "along the oil",
            Self::Random => "random",
            Self::PartsCannon => "parts cannon",
        }
    }

    fn strategy(self) -> Strategy {
        match self {
            Self::CheapestFirst => Strategy::CheapestFirst,
            Self::AlongTheOil => Strategy::AlongTheOil,
            _ => Strategy::MostUseful,
        }
    }
}

/// A scene with what its readings say, which all bots share.
pub struct Ready<'a> {
    scene: &'a Scene,
    case: Case,
    /// With readings and what the customer says.
    now: Diagnosis,
    /// With what the customer says alone.
    unread: Diagnosis,
}

impl<'a> Ready<'a> {
    /// Reads a scene; none where its oil is of no known grade.
    pub fn of(scene: &'a Scene) -> Option<Self> {
        let case = scene.read();
        let brief = scene.brief();
        let tracer = Tracer::new(&case.engine, &spec_points(&case)).ok()?;
        let judged = |case: &Case| diagnose(case, &tracer, &Setting::default());
        let (now, unread) = (judged(&case), judged(&brief));
        Some(Self { scene, case, now, unread })
    }

    /// Plays it.
    pub fn played(&self, bot: Bot) -> Played {
        if bot == Bot::PartsCannon { self.parts() } else { self.traced(bot) }
    }

    fn traced(&self, bot: Bot) -> Played {
        let know = knowledge();
        let situation = self.now.situation(&self.case);
        let mut walk = Walk::new(&self.now.posterior.states, &situation);
        let mut rng = ChaCha8Rng::seed_from_u64(self.scene.seed);
        let mut played = Played::default();
        played.acts.push(act(Did::Run, RUN_MINUTES, know.money(RUN_MINUTES, 0.0), None));
        let priors = know.priors(&self.case.engine.layout);
        let usual = leader_of(&priors).unwrap_or(0);
        let mut taken = 0;
        let mut condition = Condition::default();
        loop {
            let proposals = walk.proposals(know);
            let next = match bot {
                Bot::Random => at_random(know, &walk, &proposals, taken, &mut rng),
                _ => walk.next((bot.strategy(), Until::GoodEnough), know, usual),
            };
            match next {
                Next::Do(step, way) => {
                    taken += 1;
                    let (worth, _) = worth(&proposals, |one| *one == step);
                    let before = (walk.minutes, walk.money);
                    let did = match &step {
                        Step::Reading(place) => {
                            Did::Reading(situation.readings.get(*place).map_or_else(String::new, |one| one.name.clone()))
                        }
                        Step::Check(check) => Did::Check((*check).to_owned()),
                        Step::Bench(..) => Did::Run,
                    };
                    walk.take(know, &step, &way, self.scene.now(&condition).answer(&step, walk.readings()));
                    played.acts.push(act(did, walk.minutes - before.0, walk.money - before.1, Some(worth)));
                }
                Next::Certain(cause) | Next::Left(cause) => {
                    let probability = know.present(&walk.states).get(cause).copied().unwrap_or_default();
                    if self.repair(&mut played, &mut condition, cause, probability) || played.choices.len() >= GIVEN_UP {
                        return played;
                    }
                    walk.strike(know, cause);
                }
            }
        }
    }

    /// Sender, filter and pump, and then whatever usually is it; the engine is run after each to see whether the lamp stays out.
    fn parts(&self) -> Played {
        let know = knowledge();
        let priors = know.priors(&self.case.engine.layout);
        let mut order: Vec<usize> = ["sender", "filter_blocked", "pump_worn"].iter().filter_map(|id| know.cause(id)).collect();
        let mut usual: Vec<usize> = (0..priors.len()).collect();
        usual.sort_by(|a, b| priors.get(*b).unwrap_or(&0.0).total_cmp(priors.get(*a).unwrap_or(&0.0)));
        let repairable = |cause: &usize| know.causes.get(*cause).is_some_and(|cause| cause.parts > 0.0 && !cause.conforms);
        let rest: Vec<usize> = usual.into_iter().filter(repairable).filter(|cause| !order.contains(cause)).collect();
        order.extend(rest);
        let (mut played, mut condition) = (Played::default(), Condition::default());
        for cause in order.into_iter().take(GIVEN_UP) {
            let probability = self.unread.posterior.of(cause);
            if self.repair(&mut played, &mut condition, cause, probability) {
                break;
            }
        }
        played
    }

    /// Repairs a cause and reads again; true where the complaint is gone.
    fn repair(&self, played: &mut Played, condition: &mut Condition, cause: usize, probability: f64) -> bool {
        let know = knowledge();
        let Some(row) = know.causes.get(cause) else { return true };
        let right = self.scene.holds(cause);
        condition.repair(cause);
        played.cured = self.scene.now(condition).is_cured();
        played.choices.push(Choice { cause: row.id.clone(), probability, act_at: row.act_at, right, at_minutes: played.minutes() });
        played.acts.push(act(Did::Repair(row.id.clone()), row.repair_minutes, know.money(row.repair_minutes, row.parts), None));
        // Who measured before measures after; who did not looks at the lamp.
        if played.measured_first() {
            played.acts.push(act(Did::Recheck, RECHECK_MINUTES, know.money(RECHECK_MINUTES, 0.0), None));
        }
        played.cured
    }
}

fn act(did: Did, minutes: f64, money: f64, worth: Option<f64>) -> Act {
    Act { did, minutes, money, worth }
}

/// Any step that there is a way to; after a dozen, or when nothing is left, the leader.
fn at_random(know: &'static Knowledge, walk: &Walk, proposals: &[Proposal], taken: usize, rng: &mut ChaCha8Rng) -> Next {
    let present = know.present(&walk.states);
    let leader = leader_of(&present).unwrap_or(0);
    if know.causes.get(leader).zip(present.get(leader)).is_some_and(|(cause, p)| *p >= cause.act_at) {
        return Next::Certain(leader);
    }
    let steps: Vec<(Step, Vec<Move>)> = proposals
        .iter()
        .flat_map(|one| match &one.step {
            Step::Bench(_, behind) => behind.clone(),
            step => vec![step.clone()],
        })
        .filter_map(|step| walk.way(know, &step).map(|way| (step, way)))
        .collect();
    if taken >= AT_RANDOM || steps.is_empty() {
        return Next::Left(leader);
    }
    let (step, way) = steps.get(rng.random_range(0..steps.len())).cloned().unwrap_or_else(|| (Step::Reading(0), Vec::new()));
    Next::Do(step, way)
}

/// What every bot did.
pub fn all(scene: &Scene) -> Option<BTreeMap<Bot, Played>> {
    let ready = Ready::of(scene)?;
    Some(Bot::ALL.into_iter().map(|bot| (bot, ready.played(bot))).collect())
}
