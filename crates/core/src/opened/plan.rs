//! What an opening takes, before a bolt is loosened: what is opened, what is looked at behind it and in which order, what cannot be seen even then, what must lie ready, and what it costs to
//! go on and to stop.
//!
//! What is opened is what the trace proposes to open, or what putting the leading cause right opens, the deeper of the two. Behind it the looks that the diagnosis needs are
//! counted; the others that this engine has are options, since it is open only once. Minutes are the card's where it has them, else the knowledge's; a repair's minutes hold its own opening and closing, so of them the rest is counted.
//! Money is work at the shop's hour and material, in the shop's money.
use super::repair::{opening_said, repair_of};
use crate::case::{Case, EngineIs, SumpIs};
use crate::circuit::Card;
use crate::diagnosis::Diagnosis;
use crate::knowledge::{Access, BANDS, Cause, Check, Knowledge, Price, knowledge};
use crate::trace::{Move, Step, proof_among, proof_of};

/// A cause so probable is reckoned with in the estimate.
const RECKONED: f64 = 0.1;
/// Cranking, warming up and reading the failed points again, minutes.
pub(super) const PROVING_MINUTES: f64 = 45.0;
/// Least that is left of a repair beside its opening, minutes.
const LEAST_REPAIR_MINUTES: f64 = 15.0;

/// A look behind an opening.
#[derive(Debug, Clone)]
pub struct Look {
    /// The check.
    pub check: &'static Check,
    /// Minutes on this engine.
    pub minutes: f64,
    /// The diagnosis needs it, to find the cause or to prove one that is probable. Others are options while it is open.
    pub needed: bool,
    /// It is only done when an earlier look says so, and not counted before.
    pub waits: bool,
}

impl Look {
    /// The estimate and the timetable count it.
    pub fn counts(&self) -> bool {
        self.needed && !self.waits
    }
}

/// One opening.
#[derive(Debug, Clone)]
pub struct Opening {
    /// How far.
    pub access: Access,
    /// The move.
    pub step: Move,
    /// Minutes until it is open.
    pub minutes: f64,
    /// Material it uses up.
    pub material: f64,
    /// It is open already.
    pub done: bool,
    /// What is looked at behind it, in the order of the bench: nothing is wiped before it was seen.
    pub looks: Vec<Look>,
}

/// What one cause, or two together, would cost from here.
#[derive(Debug, Clone)]
pub struct Cost {
    /// The cause.
    pub cause: &'static Cause,
    /// The one that mostly stands beside it, because one led to the other or both are common: both are put right.
    pub second: Option<&'static Cause>,
    /// How probable it is that the first is present.
    pub probability: f64,
    /// Minutes of putting it right beside opening and closing.
    pub minutes: f64,
    /// Parts.
    pub parts: f64,
    /// All in all from here to the hand-over, minutes.
    pub all_minutes: f64,
    /// The same in money, parts and material in it.
    pub all_money: f64,
}

/// The plan.
#[derive(Debug, Clone)]
pub struct Plan {
    /// What is opened, in its order; empty where nothing has to be.
    pub openings: Vec<Opening>,
    /// The trace says that it is time: it proposes an opening first, or good enough stands on a cause that needs one.
    pub due: bool,
    /// What cannot be seen even then, with the probability of the causes that only it would prove.
    pub beyond: Vec<(&'static Check, Access, f64)>,
    /// What the openings leave out of sight, in words.
    pub cannot: Vec<&'static str>,
    /// What lies ready.
    pub hand: Vec<&'static str>,
    /// What each probable cause costs, likeliest first.
    pub costs: Vec<Cost>,
    /// What was spent on checks so far, minutes.
    pub spent_minutes: f64,
    /// Closing it again without mending, minutes and material.
    pub closing: (f64, f64),
    /// What an hour costs.
    pub hour: f64,
}

impl Cost {
    /// The cause, and the one with it.
    pub fn causes(&self) -> impl Iterator<Item = &'static Cause> + use<> {
        std::iter::once(self.cause).chain(self.second)
    }
}

impl Plan {
    /// Opening and looking, minutes.
    pub fn looking_minutes(&self) -> f64 {
        let of = |opening: &Opening| {
            opening.looks.iter().filter(|look| look.counts()).map(|look| look.minutes).sum::<f64>()
                + if opening.done { 0.0 } else { opening.minutes }
        };
        self.openings.iter().map(of).sum()
    }

    /// Material of the openings.
    pub fn material(&self) -> f64 {
        self.openings.iter().filter(|opening| !opening.done).map(|opening| opening.material).sum()
    }

    /// Opened, looked at, closed again and nothing mended, in money.
    pub fn stop_money(&self) -> f64 {
        self.money(self.looking_minutes() + self.closing.0, self.material() + self.closing.1)
    }

    fn money(&self, minutes: f64, material: f64) -> f64 {
        minutes / 60.0 * self.hour + material
    }
}

/// The plan of an opening; `hour` is what the shop takes for an hour, the knowledge's where it does not say.
pub fn plan(case: &Case, now: &Diagnosis, hour: Option<f64>) -> Plan {
    let know = knowledge();
    let card = &case.engine;
    // Of an engine that is more probably sound than not nothing is opened.
    let sound = now.sound >= 0.5;
    // Once it is open, going further in is reckoned with only when that comes first.
    let among = if open_now(now) == Access::Outside { now.next.len() } else { 1 };
    let proposed = now.next.iter().take(among).filter(|_| !sound).find_map(|proposal| match &proposal.step {
        Step::Bench(step, behind) if step.opens() => Some((*step, behind)),
        _ => None,
    });
    let first_opens = !sound && matches!(now.next.first().map(|proposal| &proposal.step), Some(Step::Bench(step, _)) if step.opens());
    let ranked = now.posterior.ranked();
    let leader = ranked.iter().filter(|_| !sound).filter_map(|index| know.causes.get(*index)).find(|cause| cause.group != "none");
    let for_repair = leader.and_then(|cause| repair_of(&cause.id)).map_or(Access::Outside, |repair| repair.access(card));
    let settled = now.settled.and_then(|index| know.causes.get(index));
    let needs_it = settled.and_then(|cause| repair_of(&cause.id)).is_some_and(|repair| repair.access(card) != Access::Outside);
    let deepest = proposed.map_or(Access::Outside, |(step, _)| access_of(step)).max(for_repair).max(open_now(now));
    // Causes that the estimate counts with.
    let counted: Vec<usize> = ranked.iter().copied().filter(|index| now.posterior.of(*index) >= RECKONED).collect();
    let asked =
        |check: &Check| proposed.is_some_and(|(_, behind)| behind.iter().any(|step| matches!(step, Step::Check(id) if *id == check.id)));
    let openings: Vec<Opening> = opened_for(deepest).into_iter().map(|access| opening(case, now, access, &asked, &counted)).collect();
    let closing = openings.iter().fold((0.0, 0.0), |sum, opening| {
        let price = closing_price(know, opening.access, opening.minutes);
        (sum.0 + price.minutes, sum.1 + price.material)
    });
    let mut plan = Plan {
        due: first_opens || needs_it || open_now(now) != Access::Outside,
        beyond: beyond(case, now, deepest),
        cannot: openings
            .last()
            .and_then(|last| opening_said(last.access))
            .map(|said| said.cannot.as_str())
            .filter(|said| !said.is_empty())
            .into_iter()
            .collect(),
        hand: Vec::new(),
        costs: Vec::new(),
        spent_minutes: case.weighed_evidence().filter_map(|entry| know.check(&entry.check)).map(|check| check.minutes_on(card)).sum(),
        closing,
        hour: hour.unwrap_or(know.hour),
        openings,
    };
    for index in now.posterior.ranked() {
        let Some(cause) = know.causes.get(index).filter(|cause| cause.group != "none") else { continue };
        let present = now.posterior.of(index);
        if !plan.costs.is_empty() && present < RECKONED {
            break;
        }
        // What led to worn bearings is put right with them, where that is how they mostly come.
        let second = companion(know, &now.posterior.states, index).filter(|(_, p)| *p > 0.5 * present).map(|(second, _)| second);
        if !plan.costs.iter().any(|cost| cost.second.is_some() && cost.causes().any(|known| known.id == cause.id)) {
            let cost = cost(know, card, &plan, (cause, second), present);
            plan.costs.push(cost);
        }
    }
    let of_openings = plan.openings.iter().filter_map(|opening| opening_said(opening.access)).flat_map(|said| said.hand.iter());
    let of_causes = plan.costs.iter().flat_map(Cost::causes).filter_map(|cause| repair_of(&cause.id)).flat_map(|repair| repair.hand.iter());
    for thing in of_openings.chain(of_causes) {
        if !plan.hand.contains(&thing.as_str()) {
            plan.hand.push(thing);
        }
    }
    plan
}

/// The cause that most probably stands beside another, and how probable it is that both are present.
fn companion(know: &'static Knowledge, states: &[f64], cause: usize) -> Option<(&'static Cause, f64)> {
    let pairs = know.hypotheses.iter().zip(states.chunks(BANDS)).filter(|(hypothesis, _)| hypothesis.holds(cause));
    let beside = pairs.filter_map(|(hypothesis, bands)| {
        let second = hypothesis.second?;
        let other = know.causes.get(if hypothesis.first == cause { second } else { hypothesis.first })?;
        Some((other, bands.iter().sum::<f64>()))
    });
    beside.max_by(|a, b| a.1.total_cmp(&b.1))
}

/// Closing one opening that took so many minutes.
fn closing_price(know: &Knowledge, access: Access, minutes: f64) -> Price {
    match access {
        Access::EngineOut => know.moves.engine_in,
        Access::Sump => know.moves.close_sump,
        // What was taken off goes back on in the same time.
        Access::Cover => Price { minutes, material: 0.0 },
        Access::Outside => Price::default(),
    }
}

fn access_of(step: Move) -> Access {
    match step {
        Move::CoverOff => Access::Cover,
        Move::OpenSump => Access::Sump,
        Move::EngineOut => Access::EngineOut,
        _ => Access::Outside,
    }
}

fn open_now(now: &Diagnosis) -> Access {
    let bench = now.bench;
    match () {
        () if bench.engine == EngineIs::Out => Access::EngineOut,
        () if bench.sump == SumpIs::Off => Access::Sump,
        () if bench.cover_off => Access::Cover,
        () => Access::Outside,
    }
}

/// What is opened on the way so deep: an engine is out before its sump comes off, and the front cover is no way to the sump.
fn opened_for(deepest: Access) -> Vec<Access> {
    match deepest {
        Access::Outside => Vec::new(),
        Access::EngineOut => vec![Access::EngineOut, Access::Sump],
        one => vec![one],
    }
}

/// An opening with its looks: needed are those that the trace asks for behind it, and what proves there each cause that the estimate counts with.
fn opening(case: &Case, now: &Diagnosis, access: Access, asked: &dyn Fn(&Check) -> bool, counted: &[usize]) -> Opening {
    let know = knowledge();
    let card = &case.engine;
    let situation = now.situation(case);
    let (step, done) = match access {
        Access::EngineOut => (Move::EngineOut, now.bench.engine == EngineIs::Out),
        Access::Sump => (Move::OpenSump, now.bench.sump == SumpIs::Off),
        _ => (Move::CoverOff, now.bench.cover_off),
    };
    let price = know.opening(access, card);
    let behind = |check: &Check| check.access(card) == access;
    let proofs: Vec<&str> = counted.iter().filter_map(|index| proof_among(know, &situation, *index, behind)).collect();
    let needed = |check: &Check| asked(check) || proofs.contains(&check.id.as_str());
    let mut looks: Vec<Look> = know
        .checks
        .iter()
        .filter(|check| behind(check) && situation.way_to_check(check).is_some())
        .map(|check| Look { check, minutes: check.minutes_on(card), needed: needed(check), waits: waits(case, check) })
        .collect();
    looks.sort_by(|a, b| a.check.order.total_cmp(&b.check.order));
    Opening { access, step, minutes: price.minutes * case.times(), material: price.material, done, looks }
}

/// Every journal is measured only when the strip on one of each kind was not in its limits.
fn waits(case: &Case, check: &Check) -> bool {
    const THE_MAP: &str = "journal_map";
    const AFTER: (&str, &str) = ("strip_gauge", "in_limits");
    check.id == THE_MAP && !case.weighed_evidence().any(|entry| entry.check == AFTER.0 && !entry.saw(AFTER.1))
}

/// What is seen only further in.
fn beyond(case: &Case, now: &Diagnosis, deepest: Access) -> Vec<(&'static Check, Access, f64)> {
    let know = knowledge();
    let deeper = |check: &&'static Check| check.access(&case.engine) > deepest && now.situation(case).way_to_check(check).is_some();
    let only = |check: &'static Check| {
        let situation = now.situation(case);
        know.any(&now.posterior.states, |index| proof_of(know, &situation, index) == Some(check.id.as_str()))
    };
    let mut found: Vec<_> = know.checks.iter().filter(deeper).map(|check| (check, check.access(&case.engine), only(check))).collect();
    found.sort_by(|a, b| b.2.total_cmp(&a.2));
    found
}

/// Minutes that a whole job of a cause is planned with by the card's own times, every opening that it needs still to do.
pub fn minutes_of(card: &Card, cause: &'static Cause) -> f64 {
    let know = knowledge();
    let access = repair_of(&cause.id).map_or(Access::Outside, |repair| repair.access(card));
    let there_and_back = |access: Access| {
        let minutes = know.opening(access, card).minutes;
        minutes + closing_price(know, access, minutes).minutes
    };
    opened_for(access).into_iter().map(there_and_back).sum::<f64>() + repair_minutes(know, card, cause) + PROVING_MINUTES
}

/// What putting a cause right costs from here, in the shop's money: with what it led to, where that is what is reckoned with.
pub(super) fn cost_of(case: &Case, plan: &Plan, cause: &'static Cause) -> f64 {
    let reckoned = plan.costs.iter().find(|cost| cost.cause.id == cause.id).map(|cost| cost.all_money);
    reckoned.unwrap_or_else(|| cost(knowledge(), &case.engine, plan, (cause, None), 0.0).all_money)
}

fn cost(know: &Knowledge, card: &Card, plan: &Plan, (cause, second): (&'static Cause, Option<&'static Cause>), probability: f64) -> Cost {
    let of = |cause: &'static Cause| repair_minutes(know, card, cause);
    let minutes = of(cause) + second.map_or(0.0, of);
    let parts = cause.parts + second.map_or(0.0, |second| second.parts);
    let all_minutes = plan.looking_minutes() + minutes + plan.closing.0 + PROVING_MINUTES;
    let all_money = plan.money(all_minutes, plan.material() + plan.closing.1 + parts);
    Cost { cause, second, probability, minutes, parts, all_minutes, all_money }
}

/// Minutes of a repair beside opening and closing.
fn repair_minutes(know: &Knowledge, card: &Card, cause: &'static Cause) -> f64 {
    // The minutes of a repair are those of an ordinary engine, its opening and closing in them.
    let ordinary = Card::of(card.displacement_l, card.cylinders, card.idle_rpm, &card.oil_grade);
    let access = repair_of(&cause.id).map_or(Access::Outside, |repair| repair.access(&ordinary));
    let opened = know.usual_opening(access).minutes;
    let usual = match access {
        Access::Outside | Access::Cover => 2.0 * opened,
        Access::Sump => opened + know.moves.close_sump.minutes,
        Access::EngineOut => opened + know.moves.engine_in.minutes,
    };
    if access == Access::Outside { cause.repair_minutes } else { (cause.repair_minutes - usual).max(LEAST_REPAIR_MINUTES) }
}
