//! A check as a card: what is asked, how it is done, why it, and a button for each outcome.
use super::assess::Assessed;
use super::happened;
use super::opening::waits_for_yes;
use crate::ui::picture::looks;
use crate::ui::show;
use crate::ui::words::{access_words, reading_to_take};
use velvet_dial_core::case::Phase;
use velvet_dial_core::diagnosis::how;
use velvet_dial_core::knowledge::{Check, Outcome, knowledge};
use velvet_dial_core::stage::{QUICK, RECHECK};
use velvet_dial_core::trace::{BY_HAND, Effect, Proposal, Step, effects};
use velvet_dial_core::unit::Units;
use velvet_dial_store::jobs::{Body, Entry, Job};

/// One check.
pub struct CheckCard {
    pub id: &'static str,
    pub ask: &'static str,
    /// With what it means for this engine.
    pub how: String,
    pub minutes: String,
    /// “sump off”, when that must be done for it.
    pub opening: &'static str,
    pub running: bool,
    /// It opens the engine, and nobody said yes to that.
    pub waits: bool,
    /// Why this one, in a sentence; empty when it is already answered.
    pub why: String,
    pub outcomes: Vec<Choice>,
    /// Several of them may be ticked.
    pub several: bool,
    /// What each result would change, a line each; only where the trace asks for it.
    pub effects: Vec<String>,
    /// What was found, by whom, when: after a repair, what was found since.
    pub answer: Option<Answer>,
    /// What was found before the repair, once there is one.
    pub before: Option<Answer>,
    /// It was put off.
    pub put_off: Option<PutOff>,
    /// Photos of what was found.
    pub photos: Vec<Seen>,
    /// Where to look, drawn; none where nothing is seen.
    pub place: Option<String>,
}

impl CheckCard {
    /// What the same look may have found besides: none where it takes one answer, or found nothing.
    pub fn more(&self) -> Vec<&Choice> {
        let Some(answer) = self.answer.as_ref().filter(|_| self.several) else { return Vec::new() };
        let nothing = self.outcomes.first().is_none_or(|nothing| answer.found.iter().any(|found| found == nothing.id));
        if nothing {
            return Vec::new();
        }
        self.outcomes.iter().skip(1).filter(|choice| answer.found.iter().all(|found| found != choice.id)).collect()
    }
}

/// Who put a check off.
pub struct PutOff {
    pub entry: String,
    pub said: &'static str,
    pub who: String,
    pub when: String,
}

/// A photo in a row.
pub struct Seen {
    pub id: String,
    pub words: String,
}

/// One outcome.
pub struct Choice {
    pub id: &'static str,
    pub label: &'static str,
    /// How likely it is now.
    pub odds: Option<String>,
    /// What it looks like, drawn; none where it is not seen.
    pub picture: Option<String>,
}

/// What was found.
pub struct Answer {
    pub entry: String,
    pub label: String,
    /// What was thought at first, where it was changed since.
    pub first: Option<String>,
    /// The outcomes, by their words.
    pub found: Vec<String>,
    pub who: String,
    /// When it was found.
    pub when: String,
}

/// The card of a check.
pub fn card(assessed: &Assessed, id: &str, unit: Units) -> Option<CheckCard> {
    let know = knowledge();
    let check = know.check(id)?;
    let proposal = assessed.next.iter().find(|proposal| proposal.check() == Some(check.id.as_str()));
    let found = |of: Phase| {
        let (entry, found) = assessed.job.live().find_map(|entry| match &entry.body {
            Body::Evidence { check: found, phase, .. } if *found == check.id && *phase == of => {
                Some((entry, entry.body.outcomes().map(str::to_owned).collect::<Vec<_>>()))
            }
            _ => None,
        })?;
        let label = check.labels(entry.body.outcomes());
        Some(Answer {
            entry: entry.id.to_string(),
            first: first_thought(assessed, check, entry).filter(|first| *first != label),
            label,
            found,
            who: entry.author_name.clone(),
            when: happened::when(entry, &assessed.job.zone),
        })
    };
    let repaired = assessed.job.repair().is_some();
    let phase = if repaired { Phase::After } else { Phase::Before };
    let (answer, before) = (found(phase), repaired.then(|| found(Phase::Before)).flatten());
    let outcomes = check
        .outcomes
        .iter()
        .enumerate()
        .map(|(i, outcome)| Choice {
            id: &outcome.id,
            label: &outcome.label,
            odds: proposal.and_then(|p| p.outcome_probability.get(i)).map(|p| show::percent(*p)),
            picture: looks::result(&check.id, &outcome.id),
        })
        .collect();
    let why = proposal.map(|proposal| why(assessed, proposal)).unwrap_or_default();
    let engine = &assessed.case.engine;
    let minutes = show::minutes(check.minutes_on(engine));
    let way = assessed.now.situation(&assessed.case).way_to_check(check).unwrap_or_default();
    let opening = if way.iter().any(|step| step.opens()) { access_words(check.access(engine)) } else { "" };
    let put_off = assessed.job.live().find_map(|entry| match &entry.body {
        Body::PutOff { check: put, cannot, phase: of } if *put == check.id && *of == phase => Some(PutOff {
            entry: entry.id.to_string(),
            said: if *cannot { "Cannot be done here" } else { "Not now" },
            who: entry.author_name.clone(),
            when: show::moment(entry.written_at, &assessed.job.zone),
        }),
        _ => None,
    });
    Some(CheckCard {
        id: &check.id,
        ask: &check.ask,
        how: how(&assessed.case, check, unit),
        several: check.several,
        minutes,
        opening,
        running: check.running(engine),
        waits: waits_for_yes(&assessed.job, check),
        why,
        outcomes,
        effects: Vec::new(),
        answer,
        before,
        put_off,
        photos: photos(&assessed.job, &check.id),
        place: looks::place(&check.id),
    })
}

/// What was found at first, where the answer that holds replaced another.
fn first_thought(assessed: &Assessed, check: &Check, entry: &Entry) -> Option<String> {
    let replaced = |entry: &Entry| assessed.job.entries.iter().find(|other| Some(other.id) == entry.supersedes);
    let mut first = replaced(entry)?;
    while let Some(earlier) = replaced(first) {
        first = earlier;
    }
    match &first.body {
        Body::Evidence { check: of, .. } if *of == check.id => Some(check.labels(first.body.outcomes())),
        _ => None,
    }
}

/// The photos of a check's finding, oldest first.
fn photos(job: &Job, check: &str) -> Vec<Seen> {
    let of = |entry: &Entry| match &entry.body {
        Body::Photo(shown) if shown.of == check => Some(Seen { id: shown.photo.to_string(), words: shown.words.clone() }),
        _ => None,
    };
    job.live().filter_map(of).collect()
}

/// What each result of a proposed check would change: “Low: Oil level too low 12 → 68 %, Worn pump 20 → 9 %.”
pub(super) fn effects_of(assessed: &Assessed, check: &str) -> Vec<String> {
    let know = knowledge();
    let proposed = assessed.next.iter().any(|proposal| proposal.check() == Some(check));
    let Some(check) = know.check(check).filter(|_| proposed) else { return Vec::new() };
    let line = |(outcome, effect): (&Outcome, Effect)| {
        let moved = effect.moved.iter().filter_map(|(cause, now, then)| {
            let name = &know.causes.get(*cause)?.name;
            Some(format!("{name} {} → {}", show::percent(*now), show::percent(*then)))
        });
        format!("{}: {}", outcome.label, moved.collect::<Vec<_>>().join(", "))
    };
    check.outcomes.iter().zip(effects(know, &assessed.now.posterior.states, check)).map(line).collect()
}

/// What this check would part from what, or which outcome would turn the ranking over.
pub(super) fn why(assessed: &Assessed, proposal: &Proposal) -> String {
    let know = knowledge();
    let name = |index: usize| know.causes.get(index).map_or("", |cause| cause.name.as_str());
    let leader = assessed.now.posterior.ranked().first().copied().unwrap_or_default();
    if proposal.check() == Some(BY_HAND) && assessed.now.situation(&assessed.case).damage {
        return "A knock was heard or metal was seen: feel whether the crank turns freely before anything else is done.".to_owned();
    }
    match (proposal.turns, proposal.check().and_then(|check| know.check(check))) {
        (Some(turn), Some(check)) => {
            let label = check.outcomes.get(turn.outcome).map_or("", |o| o.label.as_str());
            format!("“{label}” would put “{}” in front.", name(turn.cause))
        }
        (Some(turn), None) => format!("What it shows may put “{}” in front.", name(turn.cause)),
        (None, _) => {
            format!("No single result puts another cause clearly in front of “{}”; it makes it more or less probable.", name(leader))
        }
    }
}

/// What a step is called.
pub(super) fn name(assessed: &Assessed, step: &Step) -> String {
    match step {
        Step::Check(check) => knowledge().check(check).map_or_else(String::new, |check| check.ask.clone()),
        Step::Reading(place) => assessed
            .now
            .takeable
            .get(*place)
            .map_or_else(String::new, |reading| format!("Read: {}", reading_to_take(&assessed.case.engine, reading))),
        Step::Bench(step, _) => step.label().to_owned(),
    }
}

/// One reading at a time, since what the others would tell is known only when that one is taken; then the others.
pub(super) fn one_reading_at_a_time(next: &[Proposal]) -> (Vec<&Proposal>, Vec<&Proposal>) {
    let mut readings = 0;
    next.iter().partition(|proposal| {
        let reading = matches!(proposal.step, Step::Reading(_));
        readings += usize::from(reading);
        !reading || readings == 1
    })
}

/// The checks that are made again after a repair, answered or not. What they would say of the cause was asked before it.
pub(super) fn recheck(assessed: &Assessed, unit: Units) -> Vec<CheckCard> {
    RECHECK.iter().filter_map(|id| card(assessed, id, unit)).map(|card| CheckCard { why: String::new(), ..card }).collect()
}

/// The quick checks, answered or not.
pub(super) fn quick(assessed: &Assessed, unit: Units) -> Vec<CheckCard> {
    QUICK.iter().filter_map(|id| card(assessed, id, unit)).collect()
}
