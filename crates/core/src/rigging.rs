//! The gauge is fitted so that it can be believed: the steps of the rig, and what their answers say to the trace.
use crate::instrument::Instrument;
use serde::Deserialize;
use std::sync::LazyLock;

/// A step of the rig.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Step {
    /// Its word.
    pub id: String,
    /// What is asked.
    pub ask: String,
    /// How it is done.
    pub how: String,
    /// What the hand minds; empty where there is nothing.
    pub caution: String,
    /// What skipping it leaves open.
    pub skipped: String,
    /// Taps, as `word=label`.
    answers: Vec<String>,
    /// The pressure shown is asked for.
    #[serde(default)]
    pub value: bool,
    /// The gauge is asked for.
    #[serde(default)]
    pub gauge: bool,
}

/// The answer that says a step was left out.
pub const SKIPPED: &str = "skipped";

impl Step {
    /// Its taps: word and label.
    pub fn answers(&self) -> impl Iterator<Item = (&str, &str)> {
        self.answers.iter().filter_map(|answer| answer.split_once('='))
    }

    /// What an answer is called; none for an answer that is none.
    pub fn label(&self, answer: &str) -> Option<&str> {
        if answer == SKIPPED { Some("Skipped") } else { self.answers().find(|(word, _)| *word == answer).map(|(_, label)| label) }
    }
}

#[derive(Deserialize)]
struct Table {
    step: Vec<Step>,
}

static STEPS: LazyLock<Vec<Step>> = LazyLock::new(|| {
    // OK because the file is compiled in, and a test reads it.
    toml::from_str::<Table>(include_str!("../knowledge/rig.toml")).map(|table| table.step).unwrap_or_default()
});

/// The steps, in the order of the hand.
pub fn steps() -> &'static [Step] {
    &STEPS
}

/// A step by its word.
pub fn step(id: &str) -> Option<&'static Step> {
    STEPS.iter().find(|step| step.id == id)
}

/// True when these answers leave a gauge fitted.
///
/// ```
/// # use velvet_dial_core::rigging::fitted;
/// assert!(fitted([("port", "skipped"), ("fit", "done")].into_iter()));
/// assert!(!fitted([("port", "done"), ("fit", "skipped")].into_iter()));
/// ```
pub fn fitted<'a>(mut answers: impl Iterator<Item = (&'a str, &'a str)>) -> bool {
    answers.any(|answer| answer == ("fit", "done"))
}

/// What a zero that was read says of the gauge, as an outcome of the check `gauge_zero`: off when it is beyond what the gauge's own class and graduation allow.
///
/// ```
/// # use velvet_dial_core::{instrument::Instrument, rigging::zero_outcome};
/// let gauge = Instrument { full_scale_kpa: 1000.0, class_percent: 1.6, graduation_kpa: 20.0, ..Instrument::default() };
/// assert_eq!(zero_outcome(8.0, &gauge), "at_zero");
/// assert_eq!(zero_outcome(40.0, &gauge), "off");
/// ```
pub fn zero_outcome(zero_kpa: f64, gauge: &Instrument) -> &'static str {
    if zero_kpa.abs() <= gauge.allowed_kpa() { "at_zero" } else { "off" }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::knowledge::knowledge;
    use std::collections::HashSet;

    #[test]
    fn the_steps_hold_together() {
        let ids: HashSet<&str> = steps().iter().map(|step| step.id.as_str()).collect();
        assert!(ids.len() == steps().len() && ids.len() >= 8);
        for word in ["port", "fit", "route", "bleed", "zero", "peak", "sender", "leaks"] {
            assert!(ids.contains(word), "{word}");
        }
        for step in steps() {
            assert!(
                step.answers().count() >= 1 && step.answers().all(|(word, label)| !word.is_empty() && !label.is_empty() && word != SKIPPED),
                "{}",
                step.id
            );
            assert!(!step.ask.is_empty() && !step.how.is_empty() && !step.skipped.is_empty(), "{}", step.id);
            assert_eq!(step.label(SKIPPED), Some("Skipped"));
            assert_eq!(step.label("tarot"), None);
        }
        let check = knowledge().check("gauge_zero").map(|check| check.outcomes.len());
        assert_eq!(check, Some(2));
        for zero in [-60.0, -20.0, 0.0, 26.0, 27.0, 400.0] {
            let gauge = Instrument { full_scale_kpa: 1000.0, class_percent: 1.6, graduation_kpa: 20.0, ..Instrument::default() };
            let outcome = zero_outcome(zero, &gauge);
            assert!(knowledge().check("gauge_zero").is_some_and(|check| check.outcome(outcome).is_some()));
            assert_eq!(outcome == "off", f64::abs(zero) > 26.0, "{zero}");
        }
    }
}
