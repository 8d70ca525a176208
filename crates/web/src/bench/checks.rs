//! A check as a card: what is asked, how it is done, why it, and a button for each outcome.
use super::access_words;
use super::stations::QUICK;
use crate::diagnosis::Assessed;
use crate::show;
use velvet_dial_core::trace::knowledge::knowledge;
use velvet_dial_store::jobs::Body;

/// One check.
pub struct CheckCard {
    pub id: &'static str,
    pub ask: &'static str,
    pub how: &'static str,
    pub minutes: String,
    /// “sump off”, when that must be done for it.
    pub opening: &'static str,
    pub running: bool,
    /// Why this one, in a sentence; empty when it is already answered.
    pub why: String,
    pub outcomes: Vec<Choice>,
    /// What was found, by whom, when.
    pub answer: Option<Answer>,
}

/// One outcome.
pub struct Choice {
    pub id: &'static str,
    pub label: &'static str,
    /// How likely it is now.
    pub odds: Option<String>,
}

/// What was found.
pub struct Answer {
    pub entry: String,
    pub outcome: &'static str,
    pub label: &'static str,
    pub who: String,
    pub when: String,
}

/// The card of a check.
pub fn card(assessed: &Assessed, id: &str) -> Option<CheckCard> {
    let know = knowledge();
    let check = know.check(id)?;
    let proposal = assessed.now.next.iter().find(|proposal| proposal.check == check.id);
    let live = assessed.job.live().find_map(|entry| match &entry.body {
        Body::Evidence { check: found, outcome } if *found == check.id => Some((entry, outcome)),
        _ => None,
    });
    let answer = live.and_then(|(entry, outcome)| {
        let outcome = check.outcomes.iter().find(|o| o.id == *outcome)?;
        Some(Answer {
            entry: entry.id.to_string(),
            outcome: &outcome.id,
            label: &outcome.label,
            who: entry.author_name.clone(),
            when: show::moment(entry.written_at),
        })
    });
    let outcomes = check
        .outcomes
        .iter()
        .enumerate()
        .map(|(i, outcome)| Choice {
            id: &outcome.id,
            label: &outcome.label,
            odds: proposal.and_then(|p| p.outcome_probability.get(i)).map(|p| show::percent(*p)),
        })
        .collect();
    let why = proposal.map(|proposal| why(assessed, proposal)).unwrap_or_default();
    let minutes = show::minutes(proposal.map_or(check.minutes, |p| p.minutes));
    let opening = if proposal.is_some_and(|p| p.opening_minutes > 0.0) { access_words(check.access) } else { "" };
    Some(CheckCard { id: &check.id, ask: &check.ask, how: &check.how, minutes, opening, running: check.running, why, outcomes, answer })
}

/// What this check would part from what, or which outcome would turn the ranking over.
fn why(assessed: &Assessed, proposal: &velvet_dial_core::trace::Proposal) -> String {
    let know = knowledge();
    let name = |index: usize| know.causes.get(index).map_or("", |cause| cause.name.as_str());
    let leader = assessed.now.posterior.ranked().first().copied().unwrap_or_default();
    match proposal.turns {
        Some(turn) => {
            let label = know.check(proposal.check).and_then(|check| check.outcomes.get(turn.outcome)).map_or("", |o| o.label.as_str());
            format!("“{label}” would put “{}” in front.", name(turn.cause))
        }
        None => format!("No outcome turns the ranking over; it firms up or weakens “{}”.", name(leader)),
    }
}

/// The quick checks, answered or not.
pub(super) fn quick(assessed: &Assessed) -> Vec<CheckCard> {
    QUICK.iter().filter_map(|id| card(assessed, id)).collect()
}
