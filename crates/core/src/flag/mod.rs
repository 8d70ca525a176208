//! May it run: a small state machine over what was found and done, in the order of time.
//!
//! Words: a *fact* is a circumstance, an outcome or what a reading says against the engine's stop lines. A *rule* of `knowledge/safety.toml` is
//! *found* when its facts are, *answered* by a repair or a check that it names, and *lifted* by the first reading clear of the stop lines after that. What a repair
//! answered is lifted only by a reading of the phase after: one that was taken to find the fault says nothing of the repair, whenever it is corrected. Found, the
//! engine must not run; answered, it is cranked first. A new fact finds the rule again, after a repair as well as before. A rule that says *fill first* is
//! lifted by a right level at once. One that asks for a reading that decides is lifted by no reading that is undecided itself.
//!
//! A person may overrule the word for one named test of some minutes: the word stays, the test is told beside it, and it ends by itself or by the next
//! thing that stops.
mod ledger;
mod lines;

pub use crate::safety::Word;
pub use lines::StopLines;

use crate::case::Case;
use crate::plausibility;
use crate::safety::{Rule, rules};
use chrono::{DateTime, TimeDelta, Utc};
use ledger::{Event, events};
use serde::Serialize;

/// The flag overruled for one test.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Overruled {
    /// The one test.
    pub check: String,
    /// When the flag goes back by itself.
    pub until: DateTime<Utc>,
    /// Why, in the person's words.
    pub reason: Option<String>,
}

/// Whether the engine may be started.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Flag {
    /// The word.
    pub word: Word,
    /// Why, in a sentence; none when it may run.
    pub why: Option<&'static str>,
    /// What to do instead; none when it may run.
    pub instead: Option<&'static str>,
    /// The rule that speaks, by its id.
    pub rule: Option<&'static str>,
    /// It may be cranked without fuel.
    pub may_crank: bool,
    /// A crank without fuel has shown pressure: one reading may be taken near idle.
    pub cranked: bool,
    /// A person has overruled it for one test.
    pub overruled: Option<Overruled>,
}

impl Flag {
    /// True when it may run as it stands.
    pub fn allowed(&self) -> bool {
        self.word == Word::MayRun
    }

    /// True when one reading near idle may be taken.
    pub fn one_reading(&self) -> bool {
        self.allowed() || (self.word == Word::CrankFirst && self.cranked)
    }
}

const CRANKED: &str =
    "Pressure showed when it was cranked: start it, take one reading near idle, and shut it off if it is not clear of the limit.";
const CRANK: &str =
    "Crank with fuel or ignition disabled and the gauge fitted until pressure shows. Crank for ten seconds at most, then rest the starter.";

/// Where a rule stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Standing {
    /// Not found, or lifted.
    Quiet,
    Found,
    Answered,
}

/// The flag of a case. `now` is the moment it is asked for; without it an overruling is over.
pub fn flag(case: &Case, now: Option<DateTime<Utc>>) -> Flag {
    let not_believed = plausibility::not_believed(case);
    let events = events(case, |index| !not_believed.iter().any(|told| told.reading == index));
    // A finding that stops after the overruling ends it.
    let mut stopped_since = false;
    let mut overruled = None;
    let mut cranked = false;
    let mut standing: Vec<Walk> = rules().iter().map(Walk::new).collect();
    let mut good = None;
    for event in &events {
        match event {
            Event::Read { says, believed: true, .. } => good = Some(says.clear() && !says.below_limit),
            Event::Read { .. } => {}
            Event::Found(fact) if fact == "crank_no_fuel=shows" || fact == "crank_no_fuel=slow" => cranked = true,
            Event::Overruled(act) => {
                overruled = act.check.clone().zip(act.at.zip(act.minutes)).map(|(check, (at, minutes))| {
                    let until = at + TimeDelta::seconds((60.0 * minutes) as i64);
                    (at, Overruled { check, until, reason: act.reason.clone() })
                });
                stopped_since = false;
            }
            Event::Found(_) | Event::Repaired { .. } => {}
        }
        for walk in &mut standing {
            if walk.meets(event) {
                stopped_since = true;
                cranked = false;
            }
        }
        if matches!(event, Event::Repaired { .. }) {
            cranked = false;
        }
    }
    let silent = |rule: &Rule| good == Some(true) && rule.without.iter().any(|fact| fact == "reading:good");
    let word_of = |walk: &Walk| match walk.standing {
        Standing::Quiet => Word::MayRun,
        _ if silent(walk.rule) => Word::MayRun,
        Standing::Found => walk.rule.flag,
        Standing::Answered => Word::CrankFirst,
    };
    let strictest = standing.iter().map(|walk| (word_of(walk), walk)).rev().max_by_key(|(word, _)| *word);
    let Some((word, walk)) = strictest.filter(|(word, _)| *word != Word::MayRun) else {
        return Flag { word: Word::MayRun, why: None, instead: None, rule: None, may_crank: true, cranked: false, overruled: None };
    };
    let instead = match (word, walk.standing) {
        (Word::CrankFirst, _) if cranked => CRANKED,
        (Word::CrankFirst, Standing::Answered) => CRANK,
        _ => &walk.rule.instead,
    };
    let stands = |walk: &Walk| walk.standing == Standing::Found && word_of(walk) != Word::MayRun;
    let may_crank = standing.iter().all(|walk| walk.rule.may_crank || !stands(walk));
    let overruled =
        overruled.filter(|(at, test)| !stopped_since && now.is_some_and(|now| *at <= now && now < test.until)).map(|(_, test)| test);
    Flag { word, why: Some(&walk.rule.why), instead: Some(instead), rule: Some(&walk.rule.id), may_crank, cranked, overruled }
}

/// A rule on its way through the events.
struct Walk {
    rule: &'static Rule,
    standing: Standing,
    /// For each of the rule's lists, whether one of its facts stands unanswered.
    live: Vec<bool>,
    /// Only a repair answered it: readings from before it lift nothing.
    repaired: bool,
}

impl Walk {
    fn new(rule: &'static Rule) -> Self {
        Self { rule, standing: Standing::Quiet, live: vec![false; rule.all.len()], repaired: false }
    }

    /// Takes the next event; true when it finds the rule.
    fn meets(&mut self, event: &Event) -> bool {
        match event {
            Event::Found(fact) => {
                if self.answered_by(fact) {
                    self.answer(false);
                }
                self.fact(fact)
            }
            Event::Read { says, believed, after } => {
                let mut found = false;
                for fact in says.facts() {
                    found |= self.fact(fact);
                }
                let decides = !self.rule.asks_what_decides() || says.decided();
                let lifts = *believed && says.clear() && decides && (*after || !self.repaired);
                if !found && lifts && self.standing == Standing::Answered {
                    self.standing = Standing::Quiet;
                }
                found
            }
            Event::Repaired { cause, group } => {
                let answers = &self.rule.answered_by;
                if answers.groups.iter().any(|known| known == group) || answers.causes.iter().any(|known| known == cause) {
                    self.answer(true);
                }
                false
            }
            Event::Overruled(_) => false,
        }
    }

    fn answered_by(&self, fact: &str) -> bool {
        self.rule.answered_by.checks.iter().any(|check| check == fact || (check == "crank_no_fuel=shows" && fact == "crank_no_fuel=slow"))
    }

    fn answer(&mut self, repaired: bool) {
        self.live.fill(false);
        match self.standing {
            // There is nothing to crank for: the oil was low, and is no longer.
            _ if self.rule.flag == Word::FillFirst => self.standing = Standing::Quiet,
            Standing::Found => (self.standing, self.repaired) = (Standing::Answered, repaired),
            // A check that the rule names answers it whatever was repaired.
            Standing::Answered => self.repaired &= repaired,
            Standing::Quiet => {}
        }
    }

    fn fact(&mut self, fact: &str) -> bool {
        let mut named = false;
        for (live, any) in self.live.iter_mut().zip(&self.rule.all) {
            if any.iter().any(|known| known == fact) {
                (*live, named) = (true, true);
            }
        }
        let found = named && self.live.iter().all(|live| *live);
        if found {
            self.standing = Standing::Found;
        }
        found
    }
}
