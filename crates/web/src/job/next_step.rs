//! The one next step of a job, the same on every screen: a check, a reading, a move of the bench, the recheck after a repair, or to stop here.
//!
//! The planner proposes; the script says which point of the run that is. After a repair only the recheck is proposed. Where the engine must not run, nothing is proposed that needs it running: the planner
//! has no way there.
use super::assess::Assessed;
use super::cards::{self, CheckCard, name, why};
use crate::ui::show;
use velvet_dial_core::case::Phase;
use velvet_dial_core::diagnosis::COLD_C;
use velvet_dial_core::diagnosis::{ProofWord, proof};
use velvet_dial_core::flag::Word;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::script::{self, Point};
use velvet_dial_core::trace::{Enough, Move, Proposal, Step};
use velvet_dial_core::unit::Units;
use velvet_dial_store::jobs::Body;

/// What to do next.
pub enum NextCard {
    /// A check to be answered here.
    Check(Box<CheckCard>),
    /// What is done at another stage.
    Lead(Lead),
}

/// A reading, a move of the bench, the recheck.
pub struct Lead {
    pub title: String,
    /// How long it takes; empty where that is not known.
    pub minutes: String,
    pub why: String,
    /// What lies behind it, in order.
    pub behind: Vec<String>,
    /// It opens the engine, so the customer's approval comes first.
    pub opens: bool,
    /// Where it is done.
    pub stage: &'static str,
    /// The rest of the address: a point of the script, a place on the page.
    pub at: String,
    pub act: &'static str,
}

/// Steps named behind a move.
const NAMED_BEHIND: usize = 4;

/// What the planner proposes: nothing once something was repaired, since only the recheck comes then.
pub(super) fn proposed(assessed: &Assessed) -> &[Proposal] {
    if assessed.job.repair().is_some() { &[] } else { &assessed.next }
}

/// The next step; none where nothing is proposed.
pub(super) fn next_step(assessed: &Assessed, unit: Units) -> Option<NextCard> {
    if assessed.job.repair().is_some() {
        return Some(NextCard::Lead(recheck(assessed)));
    }
    let first = assessed.next.first();
    if first.is_none() && matches!(assessed.now.enough, Some(Enough::InSpec)) {
        return Some(NextCard::Lead(Lead {
            title: "Stop here: the pressure is good".to_owned(),
            minutes: String::new(),
            why:
                "Every point of the sheet is within its limits. Check the sender, its wiring and the complaint itself. Then close the job."
                    .to_owned(),
            behind: Vec::new(),
            opens: false,
            stage: "prove",
            at: "#closing".to_owned(),
            act: "Close the job",
        }));
    }
    of_proposal(assessed, first?, unit)
}

/// The card of a proposal.
pub(super) fn of_proposal(assessed: &Assessed, proposal: &Proposal, unit: Units) -> Option<NextCard> {
    let lead = |behind: Vec<String>, (stage, at, act): (&'static str, String, &'static str)| Lead {
        title: name(assessed, &proposal.step),
        minutes: show::minutes(proposal.minutes),
        why: if behind.is_empty() { why(assessed, proposal) } else { String::new() },
        behind,
        opens: stage == "open-up",
        stage,
        at,
        act,
    };
    match &proposal.step {
        Step::Check(check) => cards::card(assessed, check, unit).map(|card| NextCard::Check(Box::new(card))),
        Step::Reading(_) => Some(NextCard::Lead(match point_now(assessed) {
            Some(point) if point.is_cold() => cold(&point, proposal.minutes),
            Some(point) if wanted(assessed, &point) => {
                let at = format!("?point={}", point.id);
                Lead { title: format!("Read: {}", point.title), ..lead(Vec::new(), ("run", at, "Take this reading")) }
            }
            // Not a point of the script: it says itself what is read.
            _ => lead(Vec::new(), ("run", String::new(), "Go to the readings")),
        })),
        Step::Bench(step, behind) => {
            let mut behind: Vec<&Step> = behind.iter().take(NAMED_BEHIND).collect();
            // What lies behind an opening is looked at in the order that destroys nothing.
            let place =
                |step: &&Step| if let Step::Check(id) = step { knowledge().check(id).map_or(0.0, |check| check.order) } else { 0.0 };
            if step.opens() {
                behind.sort_by(|a, b| place(a).total_cmp(&place(b)));
            }
            let behind: Vec<String> = behind.into_iter().map(|step| name(assessed, step)).collect();
            let point = point_now(assessed);
            if let (Move::WarmUp, Some(point)) = (step, point.as_ref().filter(|point| point.is_cold())) {
                return Some(NextCard::Lead(Lead { behind, ..cold(point, proposal.minutes) }));
            }
            Some(NextCard::Lead(lead(behind, way(*step, point.as_ref()))))
        }
    }
}

/// A point that can be read only while the engine is cold: it comes before anything that warms it.
fn cold(point: &Point, minutes: f64) -> Lead {
    Lead {
        title: format!("Read: {}", point.title),
        minutes: show::minutes(minutes),
        why: "The engine is cold only once a day. Take the cold points first, then warm it up.".to_owned(),
        behind: Vec::new(),
        opens: false,
        stage: "run",
        at: format!("?point={}", point.id),
        act: "Go to this point",
    }
}

/// Where a move of the bench is made.
fn way(step: Move, point: Option<&Point>) -> (&'static str, String, &'static str) {
    match step {
        Move::FitGauge => ("rig", String::new(), "Fit the gauge"),
        Move::CoverOff | Move::OpenSump | Move::EngineOut => ("open-up", String::new(), "Plan the opening"),
        Move::EngineIn | Move::CloseSump | Move::Fill => ("put-right", String::new(), "Go to the repair"),
        Move::WarmUp => ("run", point.map_or_else(String::new, |point| format!("?point={}", point.id)), "Go to the readings"),
    }
}

/// The point of the run that is next before a repair: the one that the planner proposes, else the script's. None where all are done.
pub(super) fn point_now(assessed: &Assessed) -> Option<Point> {
    let points = script::script(&assessed.case, Phase::Before);
    let hot = taken_hot(assessed, Phase::Before);
    let next = script::now(&points, hot).cloned();
    // What can be read cold only is not put off for anything.
    if next.as_ref().is_some_and(Point::is_cold) {
        return next;
    }
    points.into_iter().find(|point| !point.done && wanted(assessed, point)).or(next)
}

/// Something was read hot.
pub(super) fn taken_hot(assessed: &Assessed, phase: Phase) -> bool {
    assessed.job.live().any(|entry| match &entry.body {
        Body::Reading(taken) => taken.reading.phase == phase && taken.reading.oil_temp_c >= COLD_C,
        _ => false,
    })
}

/// True for the point that the planner proposes first among all readings.
pub(super) fn wanted(assessed: &Assessed, point: &Point) -> bool {
    let first = assessed.next.iter().find_map(|proposal| match &proposal.step {
        Step::Reading(place) => assessed.now.takeable.get(*place),
        _ => None,
    });
    first.is_some_and(|reading| {
        let hot = reading.at.oil_temp_c >= COLD_C;
        point.rpm.is_some_and(|rpm| (rpm - reading.at.rpm).abs() < 0.05 * rpm)
            && point.gear == reading.gear
            && hot != (point.id == "cold-idle")
    })
}

/// After a repair: what the recheck still needs.
fn recheck(assessed: &Assessed) -> Lead {
    let lead = |title: String, why: &str, at: String, act: &'static str| Lead {
        title,
        minutes: String::new(),
        why: why.to_owned(),
        behind: Vec::new(),
        opens: false,
        stage: "prove",
        at,
        act,
    };
    let flag = &assessed.now.flag;
    match flag.word {
        Word::DoNotRun => {
            return lead("Do not run the engine".to_owned(), flag.instead.unwrap_or_default(), String::new(), "Go to the recheck");
        }
        Word::CrankFirst => {
            let why = "It was repaired after a stop. Crank it without fuel or ignition until the gauge shows pressure.";
            return lead("Crank it first".to_owned(), why, "#crank".to_owned(), "Go to the recheck");
        }
        Word::FillFirst => {
            return lead("Fill it with oil".to_owned(), flag.instead.unwrap_or_default(), String::new(), "Go to the recheck");
        }
        Word::MayRun => {}
    }
    let proven = proof(&assessed.case, &assessed.now).is_some_and(|proof| proof.word == ProofWord::Proven);
    let points = script::script(&assessed.case, Phase::After);
    match script::now(&points, taken_hot(assessed, Phase::After)).filter(|_| !proven) {
        Some(point) => {
            let why = "Only readings after the repair prove it: same points, same gauge, hot.";
            lead(format!("Recheck: {}", point.title), why, format!("?point={}", point.id), "Recheck it")
        }
        None if proven => lead("Close the job".to_owned(), "The repair is proven.", "#closing".to_owned(), "Close the job"),
        None => lead(
            "Close the job".to_owned(),
            "All points are read again. See what is not proven, then close it.",
            "#closing".to_owned(),
            "Close the job",
        ),
    }
}
