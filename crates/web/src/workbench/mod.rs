//! The workbench as its templates print it: what is known of a job, in the words and units of the one who looks.
//!
//! Built anew for every answer from the job and its diagnosis; nothing here is kept, nothing here computes what the core could.
mod checks;
mod compare;
mod ledger;
mod readings;
mod slip;
mod stations;
mod suspects;

pub use checks::{CheckCard, Lead, NextCard, card};
pub use compare::{CompareWork, ledger_limits, point_name};
pub use ledger::{Line, describe, lines};
pub use readings::{ReadingRow, ReadingsWork, rows};
pub use slip::Slip;
pub use stations::{Stage, Station, where_it_is};
pub use suspects::{Group, Suspects};

use crate::diagnosis::Assessed;
use crate::show;
use crate::visitor::Liking;
use uuid::Uuid;
use velvet_dial_core::flag::Word;
use velvet_dial_core::trace::Step;
use velvet_dial_core::trace::knowledge::{Access, knowledge};
use velvet_dial_core::unit::Pressure;
use velvet_dial_store::Viewer;
use velvet_dial_store::jobs::{Entry, Kept};

/// Everything the workbench shows.
pub struct Workbench {
    pub number: i64,
    pub tag: String,
    pub description: String,
    pub engine: String,
    pub complaint: String,
    pub stage: Stage,
    pub stations: Vec<Station>,
    pub flag: Flag,
    pub unit: Pressure,
    /// Key of every form of this answer: sent twice, it is written once.
    pub key: Uuid,
    /// Last entry this answer knows of.
    pub seen: i32,
    pub suspects: Suspects,
    pub next: Option<NextCard>,
    /// Steps after the next one.
    pub then: Vec<(String, String)>,
    pub settled: Option<Settled>,
    /// What others wrote since the writer last looked.
    pub news: Vec<Line>,
    pub clash: Option<Clash>,
    pub slip: Slip,
    pub work: Work,
    pub closed: bool,
}

/// May it run.
pub struct Flag {
    pub class: &'static str,
    pub word: &'static str,
    pub why: &'static str,
    pub instead: &'static str,
    /// The one test a person has overruled it for, and until when.
    pub overruled: Option<String>,
}

/// The cause that is certain enough to act on.
pub struct Settled {
    pub name: String,
    pub percent: String,
    pub put_right: String,
}

/// Somebody else was quicker at the same thing.
pub struct Clash {
    pub who: String,
    pub when: String,
    /// What stands.
    pub stands: String,
    /// What was sent now.
    pub sent: String,
    /// Address and fields that would put what was sent in its place.
    pub action: String,
    pub fields: Vec<(String, String)>,
}

/// What lies on the work surface.
pub enum Work {
    Intake(Vec<IntakeGroup>),
    Look(Vec<CheckCard>),
    Readings(Box<ReadingsWork>),
    Compare(Box<CompareWork>),
    Trace(TraceWork),
    PutRight(PutRightWork),
    Prove(Box<ReadingsWork>),
}

/// Circumstances under one heading.
pub struct IntakeGroup {
    pub heading: &'static str,
    pub ticks: Vec<Tick>,
}

/// One circumstance.
pub struct Tick {
    pub id: &'static str,
    pub label: &'static str,
    pub told: bool,
    /// The entry a change would supersede.
    pub supersedes: String,
}

/// Evidence and what is left to check.
pub struct TraceWork {
    pub todo: Vec<CheckCard>,
    pub done: Vec<CheckCard>,
    /// Names of the leading suspects, then what each finding did to each of them.
    pub columns: Vec<String>,
    pub moves: Vec<(String, Vec<Move>)>,
    pub withheld: usize,
    pub ledger: Vec<Line>,
}

/// How far a finding moved a suspect.
pub struct Move {
    pub text: String,
    pub class: &'static str,
}

/// What was put right, and what to propose.
pub struct PutRightWork {
    /// Causes to choose from, most probable first.
    pub causes: Vec<(String, String, bool)>,
    pub proposal: Option<(String, String, String)>,
    pub done: Vec<(Line, String, String)>,
}

/// What the asker brought along.
#[derive(Default)]
pub struct Ask {
    /// Last entry the asker's page knew of; none on a first look.
    pub seen: Option<i32>,
    pub slip: Slip,
    pub clash: Option<Clash>,
    pub captures: Vec<Kept>,
}

/// Lays the workbench out.
pub fn build(assessed: &Assessed, stage: Stage, liking: Liking, viewer: &Viewer, ask: Ask) -> Workbench {
    let job = &assessed.job;
    let unit = liking.unit;
    let news = ask.seen.map_or(Vec::new(), |seen| {
        let others: Vec<&Entry> = job.entries.iter().filter(|e| e.seq > seen && e.author != viewer.user).collect();
        others.into_iter().map(|entry| ledger::line(job, entry, unit)).collect()
    });
    let next = assessed.now.next.first().and_then(|proposal| checks::next(assessed, proposal));
    // One reading at a time: what the others would tell is known only when that one is taken.
    let mut readings = 0;
    let then = assessed
        .now
        .next
        .iter()
        .filter(|proposal| {
            readings += usize::from(matches!(proposal.step, Step::Reading(_)));
            !matches!(proposal.step, Step::Reading(_)) || readings == 1
        })
        .skip(1)
        .take(3)
        .map(|proposal| (checks::name(assessed, &proposal.step), show::minutes(proposal.minutes)))
        .collect();
    let settled = assessed.now.settled.and_then(|index| {
        let cause = knowledge().causes.get(index)?;
        let percent = show::percent(assessed.now.posterior.of(index));
        Some(Settled { name: cause.name.clone(), percent, put_right: cause.put_right.clone() })
    });
    Workbench {
        number: job.head.number,
        tag: job.head.vehicle.tag.clone(),
        description: job.head.vehicle.description.clone(),
        engine: job.engine.name.clone(),
        complaint: job.head.complaint.clone(),
        stage,
        stations: stations::stations(assessed, stage, unit),
        flag: flag(&assessed.now.flag),
        unit,
        key: Uuid::new_v4(),
        seen: job.seq(),
        suspects: suspects::suspects(assessed),
        next,
        then,
        settled,
        news,
        clash: ask.clash,
        work: work(assessed, stage, unit, &ask.captures),
        slip: ask.slip,
        closed: job.closed(),
    }
}

pub fn flag(flag: &velvet_dial_core::flag::Flag) -> Flag {
    let class = match flag.word {
        Word::MayRun => "flag-yes",
        Word::CrankFirst => "flag-crank",
        Word::DoNotRun => "flag-no",
    };
    let overruled = flag.overruled.as_ref().map(|test| {
        let ask = knowledge().check(&test.check).map_or(test.check.as_str(), |check| check.ask.as_str());
        format!("Overruled for “{ask}” alone, until {}.", show::moment(test.until.naive_utc()))
    });
    Flag { class, word: flag.word.label(), why: flag.why.unwrap_or_default(), instead: flag.instead.unwrap_or_default(), overruled }
}

fn work(assessed: &Assessed, stage: Stage, unit: Pressure, captures: &[Kept]) -> Work {
    match stage {
        Stage::Intake => Work::Intake(intake(assessed)),
        Stage::Look => Work::Look(checks::quick(assessed)),
        Stage::Readings => Work::Readings(Box::new(readings::work(assessed, unit, captures, false))),
        Stage::Compare => Work::Compare(Box::new(compare::work(assessed, unit))),
        Stage::Trace => Work::Trace(trace(assessed, unit)),
        Stage::PutRight => Work::PutRight(put_right(assessed, unit)),
        Stage::Prove => Work::Prove(Box::new(readings::work(assessed, unit, captures, true))),
    }
}

fn intake(assessed: &Assessed) -> Vec<IntakeGroup> {
    let mut groups: Vec<IntakeGroup> = Vec::new();
    for circumstance in &knowledge().circumstances {
        let subject = format!("circumstance {}", circumstance.id);
        let live = assessed.job.live().find(|entry| entry.body.subject().as_ref() == Some(&subject));
        let tick = Tick {
            id: &circumstance.id,
            label: &circumstance.label,
            told: assessed.case.circumstances.contains(&circumstance.id),
            supersedes: live.map(|entry| entry.id.to_string()).unwrap_or_default(),
        };
        match groups.iter_mut().find(|group| group.heading == circumstance.ask) {
            Some(group) => group.ticks.push(tick),
            None => groups.push(IntakeGroup { heading: &circumstance.ask, ticks: vec![tick] }),
        }
    }
    groups
}

/// Columns of the table of moves: as many suspects as fit.
const SUSPECTS_EXPLAINED: usize = 3;
/// Log-odds under which a finding did not move a suspect.
const MOVED: f64 = 0.1;

fn trace(assessed: &Assessed, unit: Pressure) -> TraceWork {
    let know = knowledge();
    let leaders: Vec<usize> = assessed.now.posterior.ranked().into_iter().take(SUSPECTS_EXPLAINED).collect();
    let columns = leaders.iter().filter_map(|index| know.causes.get(*index)).map(|cause| cause.name.clone()).collect();
    let moves = assessed
        .now
        .findings
        .iter()
        .zip(&assessed.now.posterior.moved)
        .map(|(finding, moved)| {
            let cells = leaders
                .iter()
                .map(|index| {
                    let by = moved.get(*index).copied().unwrap_or_default();
                    if by.abs() < MOVED {
                        Move { text: "no change".to_owned(), class: "soft" }
                    } else if by > 0.0 {
                        Move { text: format!("× {} for", show::plain(round_factor(by.exp()))), class: "is-within" }
                    } else {
                        Move { text: format!("× {} against", show::plain(round_factor((-by).exp()))), class: "is-below" }
                    }
                })
                .collect();
            (finding.label.clone(), cells)
        })
        .collect();
    let answered = |id: &str| assessed.case.evidence.iter().any(|e| e.check == id);
    let withheld = if assessed.now.flag.allowed() { 0 } else { know.checks.iter().filter(|c| c.running() && !answered(&c.id)).count() };
    let steps = assessed.now.next.iter().skip(1).flat_map(|proposal| match &proposal.step {
        Step::Bench(_, behind) => behind.as_slice(),
        step => std::slice::from_ref(step),
    });
    TraceWork {
        // The first one stands beside already, under the suspects.
        todo: steps.filter_map(|step| if let Step::Check(check) = step { checks::card(assessed, check) } else { None }).collect(),
        done: assessed.case.evidence.iter().filter_map(|e| checks::card(assessed, &e.check)).collect(),
        columns,
        moves,
        withheld,
        ledger: lines(&assessed.job, unit),
    }
}

/// Odds are told to one or two figures: nobody weighs 13.7 against 14.
fn round_factor(factor: f64) -> f64 {
    if factor >= 100.0 {
        100.0
    } else if factor >= 10.0 {
        factor.round()
    } else {
        (factor * 10.0).round() / 10.0
    }
}

fn put_right(assessed: &Assessed, unit: Pressure) -> PutRightWork {
    let know = knowledge();
    let ranked = assessed.now.posterior.ranked();
    let leader = ranked.first().and_then(|index| know.causes.get(*index));
    let causes = ranked
        .iter()
        .filter_map(|index| know.causes.get(*index).map(|cause| (cause, *index)))
        .map(|(cause, index)| (cause.id.clone(), format!("{} ({})", cause.name, show::percent(assessed.now.posterior.of(index))), false))
        .collect();
    let done = assessed
        .job
        .live()
        .filter_map(|entry| match &entry.body {
            velvet_dial_store::jobs::Body::Repair(repair) => {
                Some((ledger::line(&assessed.job, entry, unit), repair.done.clone(), repair.follow_up.clone()))
            }
            _ => None,
        })
        .collect();
    PutRightWork { causes, proposal: leader.map(|cause| (cause.name.clone(), cause.put_right.clone(), cause.mind.clone())), done }
}

/// What must be open first, in words; nothing for outside checks.
pub fn access_words(access: Access) -> &'static str {
    match access {
        Access::Outside => "",
        Access::Cover => "front cover off",
        Access::Sump => "sump off",
        Access::EngineOut => "engine out",
    }
}
