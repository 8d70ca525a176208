//! The stop rules of `knowledge/safety.toml`, read once.
use serde::{Deserialize, Serialize};
use std::sync::LazyLock;

/// The word of the flag, the strictest last.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Word {
    /// Nothing speaks against it.
    MayRun,
    /// The oil level is under the mark and nothing else was found: it is filled first.
    FillFirst,
    /// Turned with fuel or ignition disabled, until pressure shows.
    CrankFirst,
    /// It must not.
    DoNotRun,
}

impl Word {
    /// Every word, with its word in data.
    pub const ALL: [(Self, &'static str); 4] =
        [(Self::MayRun, "may_run"), (Self::FillFirst, "fill_first"), (Self::CrankFirst, "crank_first"), (Self::DoNotRun, "do_not_run")];

    /// The word in data.
    pub fn id(self) -> &'static str {
        Self::ALL.iter().find(|(word, _)| *word == self).map_or("", |(_, id)| id)
    }

    /// On a screen.
    pub fn label(self) -> &'static str {
        match self {
            Self::MayRun => "May run",
            Self::FillFirst => "Fill first",
            Self::CrankFirst => "Crank first",
            Self::DoNotRun => "Do not run",
        }
    }
}

/// What lifts a rule to *crank first*.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct Answers {
    pub groups: Vec<String>,
    pub causes: Vec<String>,
    pub checks: Vec<String>,
}

/// A rule.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct Rule {
    pub id: String,
    pub flag: Word,
    #[serde(default = "usually")]
    pub may_crank: bool,
    pub all: Vec<Vec<String>>,
    #[serde(default)]
    pub without: Vec<String>,
    pub why: String,
    pub instead: String,
    pub answered_by: Answers,
}

impl Rule {
    /// It goes by a reading of which the gauge cannot tell whether it is below its limit.
    pub fn asks_what_decides(&self) -> bool {
        self.all.iter().flatten().any(|fact| fact == "reading:undecided")
    }
}

fn usually() -> bool {
    true
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Rules {
    stop: Vec<Rule>,
}

static RULES: LazyLock<Result<Rules, toml::de::Error>> = LazyLock::new(|| toml::from_str(include_str!("../knowledge/safety.toml")));

/// The rules, in the order of the file; none when the file is broken, which [`fault`] tells and the program refuses to start on.
pub(crate) fn rules() -> &'static [Rule] {
    RULES.as_ref().map(|rules| rules.stop.as_slice()).unwrap_or_default()
}

/// What is wrong with the safety file; `None` when all is well. The program does not start otherwise.
pub fn fault() -> Option<String> {
    RULES.as_ref().err().map(ToString::to_string)
}

/// True when this outcome of a check alone means that the engine must not run, whatever else is known. A low level is filled in minutes and stops nothing else.
pub fn stops(check: &str, outcome: &str) -> bool {
    let key = format!("{check}={outcome}");
    rules().iter().any(|rule| rule.flag >= Word::CrankFirst && rule.all.len() == 1 && rule.all.iter().all(|any| any.contains(&key)))
}
