//! May it run, before and after it is put right: the rules of `knowledge/safety.toml`.
use crate::case::{Case, Phase};
use serde::Deserialize;
use std::sync::LazyLock;

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Rule {
    #[serde(default)]
    circumstances: Vec<String>,
    #[serde(default)]
    outcomes: Vec<String>,
    below_kpa: Option<f64>,
    #[serde(default)]
    at_least_rpm: f64,
    why: String,
    instead: String,
}

#[derive(Debug, Deserialize)]
struct Rules {
    stop: Vec<Rule>,
}

static RULES: LazyLock<Result<Rules, toml::de::Error>> = LazyLock::new(|| toml::from_str(include_str!("../../knowledge/safety.toml")));

/// What is wrong with the safety file; `None` when all is well. The program does not start otherwise.
pub fn fault() -> Option<String> {
    RULES.as_ref().err().map(ToString::to_string)
}

/// Whether the engine may be started.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum MayRun {
    /// Nothing speaks against it.
    Yes,
    /// It must not.
    No {
        /// Why, in a sentence.
        why: &'static str,
        /// What to do instead.
        instead: &'static str,
    },
    /// It was stopped and has been put right: crank it without fuel until pressure shows, then it may.
    CrankFirst {
        /// Why it was stopped.
        why: &'static str,
    },
}

impl MayRun {
    /// False only when it must not.
    pub fn allowed(&self) -> bool {
        !matches!(self, Self::No { .. })
    }
}

/// The flag for a case. `put_right` is true once a repair stands in the job.
pub fn may_run(case: &Case, put_right: bool) -> MayRun {
    let rules = RULES.as_ref().map(|rules| rules.stop.as_slice()).unwrap_or_default();
    let Some(rule) = rules.iter().find(|rule| holds(rule, case)) else {
        return MayRun::Yes;
    };
    if !put_right {
        return MayRun::No { why: &rule.why, instead: &rule.instead };
    }
    let proven = case.readings.iter().any(|r| r.phase == Phase::After && rules.iter().all(|rule| !too_low(rule, r.rpm, r.kpa)));
    if proven { MayRun::Yes } else { MayRun::CrankFirst { why: &rule.why } }
}

/// True when this outcome of a check alone means that the engine must not run.
pub fn stops(check: &str, outcome: &str) -> bool {
    let key = format!("{check}={outcome}");
    RULES.as_ref().is_ok_and(|rules| rules.stop.iter().any(|rule| rule.outcomes.contains(&key)))
}

fn too_low(rule: &Rule, rpm: f64, kpa: f64) -> bool {
    rule.below_kpa.is_some_and(|limit| kpa < limit && rpm >= rule.at_least_rpm)
}

fn holds(rule: &Rule, case: &Case) -> bool {
    let told = !rule.circumstances.is_empty() && rule.circumstances.iter().all(|c| case.circumstances.contains(c));
    let found = case.evidence.iter().any(|e| rule.outcomes.contains(&format!("{}={}", e.check, e.outcome)));
    let read = case.readings.iter().any(|r| r.phase == Phase::Before && too_low(rule, r.rpm, r.kpa));
    told || found || read
}
