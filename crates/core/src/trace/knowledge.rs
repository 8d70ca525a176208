//! What the tracer knows, from the knowledge files: causes, checks with their outcome tables, circumstances.
//!
//! The files are compiled in. [`faults`] says what is wrong with them; the test keeps that list empty and the program refuses to
//! start when it is not, so nothing downstream checks again.

use crate::circuit::Fault;
use serde::Deserialize;
use std::sync::LazyLock;

/// How a cause bears on the number the gauge shows.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Reading {
    /// The gauge shows what is there.
    True,
    /// The gauge or its line shows something else.
    Distorted,
    /// Whatever else it may be.
    Anything,
}

/// A cause as the knowledge file has it.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Cause {
    /// The product's word for it.
    pub id: String,
    /// The part it belongs to.
    pub group: String,
    /// On a screen.
    pub name: String,
    /// Share among complaints.
    pub prior: f64,
    /// What it does to the circuit.
    pub fault: Fault,
    /// What it does to the reading.
    pub reading: Reading,
    /// It holds only while every measured point conforms.
    pub conforms: bool,
    /// What the pressures do.
    pub shape: String,
    /// The act that mends it.
    pub put_right: String,
    /// The caution at that act.
    pub mind: String,
    /// Why this prior.
    pub reason: String,
}

/// One row of an outcome table.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Row {
    /// Cause, empty in `usual`.
    #[serde(default)]
    pub cause: String,
    /// Probability of each outcome, in their order.
    pub p: Vec<f64>,
    /// Why.
    pub reason: String,
}

/// What must be open before a check.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Deserialize, Default)]
#[serde(rename_all = "snake_case")]
pub enum Access {
    /// Nothing.
    #[default]
    Outside,
    /// The sump is off.
    Sump,
    /// The engine is out.
    EngineOut,
}

/// One possible outcome.
#[derive(Debug, Clone)]
pub struct Outcome {
    /// The product's word.
    pub id: String,
    /// On a button.
    pub label: String,
}

/// A check with its price and its outcome table.
#[derive(Debug, Clone)]
pub struct Check {
    /// The product's word.
    pub id: String,
    /// What is asked.
    pub ask: String,
    /// How it is done, with the caution where the hand is.
    pub how: String,
    /// Working minutes, without opening.
    pub minutes: f64,
    /// What must be open first.
    pub access: Access,
    /// The engine runs meanwhile.
    pub running: bool,
    /// What can come of it.
    pub outcomes: Vec<Outcome>,
    /// Why the table is as it is for causes without a row.
    pub usual: Row,
    /// Rows for single causes.
    pub rows: Vec<Row>,
    /// `table[cause][outcome]`, for every cause.
    table: Vec<Vec<f64>>,
}

impl Check {
    /// P(outcome | cause) by index; nothing is impossible, so an index out of range counts as one in a thousand.
    pub fn likelihood(&self, cause: usize, outcome: usize) -> f64 {
        self.table.get(cause).and_then(|row| row.get(outcome)).copied().unwrap_or(1e-3)
    }

    /// Index of an outcome by its word.
    pub fn outcome(&self, id: &str) -> Option<usize> {
        self.outcomes.iter().position(|outcome| outcome.id == id)
    }

    /// Why this outcome speaks as it does for a cause.
    pub fn reason(&self, cause: &str) -> &str {
        self.rows.iter().find(|row| row.cause == cause).map_or(&self.usual.reason, |row| &row.reason)
    }
}

/// A row of a circumstance.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Told {
    /// Cause.
    pub cause: String,
    /// How often it is told with that cause.
    pub p: f64,
    /// Why.
    pub reason: String,
}

/// Something said or seen at intake.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Circumstance {
    /// The product's word.
    pub id: String,
    /// On a screen.
    pub label: String,
    /// The heading it stands under.
    pub ask: String,
    /// How often it is told with any cause.
    pub usual: f64,
    /// Causes with which it is told more or less often.
    pub rows: Vec<Told>,
}

impl Circumstance {
    /// P(told | cause).
    pub fn likelihood(&self, cause: &str) -> f64 {
        self.rows.iter().find(|row| row.cause == cause).map_or(self.usual, |row| row.p)
    }

    /// Why it speaks as it does for a cause.
    pub fn reason(&self, cause: &str) -> &str {
        self.rows.iter().find(|row| row.cause == cause).map_or("told about as often with this as with any other", |row| &row.reason)
    }
}

/// All of it.
#[derive(Debug)]
pub struct Knowledge {
    /// Every cause, in the order of the file.
    pub causes: Vec<Cause>,
    /// Every check, in the order of the file.
    pub checks: Vec<Check>,
    /// Every circumstance, in the order of the file.
    pub circumstances: Vec<Circumstance>,
    /// Minutes to take the sump off.
    pub sump_minutes: f64,
    /// Minutes to take the engine out.
    pub engine_out_minutes: f64,
    complaints: Vec<String>,
}

impl Knowledge {
    /// Index of a cause.
    pub fn cause(&self, id: &str) -> Option<usize> {
        self.causes.iter().position(|cause| cause.id == id)
    }

    /// A check by its word.
    pub fn check(&self, id: &str) -> Option<&Check> {
        self.checks.iter().find(|check| check.id == id)
    }

    /// A circumstance by its word.
    pub fn circumstance(&self, id: &str) -> Option<&Circumstance> {
        self.circumstances.iter().find(|circumstance| circumstance.id == id)
    }

    /// Minutes that opening costs on top of a check.
    pub fn opening_minutes(&self, access: Access) -> f64 {
        match access {
            Access::Outside => 0.0,
            Access::Sump => self.sump_minutes,
            Access::EngineOut => self.engine_out_minutes,
        }
    }
}

#[derive(Deserialize)]
struct CauseFile {
    cause: Vec<Cause>,
}
#[derive(Deserialize)]
struct CircumstanceFile {
    circumstance: Vec<Circumstance>,
}
#[derive(Deserialize)]
struct Opening {
    minutes: f64,
}
#[derive(Deserialize)]
struct AccessTable {
    sump: Opening,
    engine_out: Opening,
}
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct RawCheck {
    id: String,
    ask: String,
    how: String,
    minutes: f64,
    #[serde(default)]
    access: Access,
    #[serde(default)]
    running: bool,
    outcomes: Vec<String>,
    usual: Row,
    #[serde(default)]
    rows: Vec<Row>,
}
#[derive(Deserialize)]
struct CheckFile {
    access: AccessTable,
    check: Vec<RawCheck>,
}

static KNOWLEDGE: LazyLock<Knowledge> = LazyLock::new(load);

/// The compiled-in knowledge.
pub fn knowledge() -> &'static Knowledge {
    &KNOWLEDGE
}

/// What is wrong with the knowledge files: empty when all is well.
pub fn faults() -> Vec<String> {
    let know = knowledge();
    let mut found = know.complaints.clone();
    let mut sums = |what: &str, p: &[f64], outcomes: usize, reason: &str| {
        if p.len() != outcomes || (p.iter().sum::<f64>() - 1.0).abs() > 1e-9 {
            found.push(format!("{what}: {} probabilities for {outcomes} outcomes, summing to {}", p.len(), p.iter().sum::<f64>()));
        }
        if p.iter().any(|p| !(0.0005..=1.0).contains(p)) {
            found.push(format!("{what}: a probability outside 0.0005 to 1"));
        }
        if reason.trim().is_empty() {
            found.push(format!("{what}: no reason given"));
        }
    };
    for check in &know.checks {
        sums(&format!("{} usual", check.id), &check.usual.p, check.outcomes.len(), &check.usual.reason);
        for row in &check.rows {
            sums(&format!("{} {}", check.id, row.cause), &row.p, check.outcomes.len(), &row.reason);
        }
    }
    for circumstance in &know.circumstances {
        for row in &circumstance.rows {
            sums(&format!("{} {}", circumstance.id, row.cause), &[row.p, 1.0 - row.p], 2, &row.reason);
        }
    }
    let named = know.checks.iter().flat_map(|c| c.rows.iter().map(|r| (&c.id, &r.cause)));
    let told = know.circumstances.iter().flat_map(|c| c.rows.iter().map(|r| (&c.id, &r.cause)));
    for (place, cause) in named.chain(told) {
        if know.cause(cause).is_none() {
            found.push(format!("{place}: a row for “{cause}”, which is no cause"));
        }
    }
    found
}

fn load() -> Knowledge {
    let mut complaints = Vec::new();
    let mut parse = |what: &str, error: toml::de::Error| complaints.push(format!("{what}: {error}"));
    let causes = toml::from_str::<CauseFile>(include_str!("../../knowledge/causes.toml")).map(|file| file.cause).unwrap_or_else(|error| {
        parse("causes.toml", error);
        Vec::new()
    });
    let circumstances = toml::from_str::<CircumstanceFile>(include_str!("../../knowledge/circumstances.toml"))
        .map(|file| file.circumstance)
        .unwrap_or_else(|error| {
            parse("circumstances.toml", error);
            Vec::new()
        });
    let (checks, sump_minutes, engine_out_minutes) = match toml::from_str::<CheckFile>(include_str!("../../knowledge/checks.toml")) {
        Ok(file) => {
            let checks = file.check.into_iter().map(|raw| expand(raw, &causes)).collect();
            (checks, file.access.sump.minutes, file.access.engine_out.minutes)
        }
        Err(error) => {
            parse("checks.toml", error);
            (Vec::new(), 0.0, 0.0)
        }
    };
    let total: f64 = causes.iter().map(|cause| cause.prior).sum();
    let causes = causes.into_iter().map(|cause| Cause { prior: cause.prior / total, ..cause }).collect();
    Knowledge { causes, checks, circumstances, sump_minutes, engine_out_minutes, complaints }
}

fn expand(raw: RawCheck, causes: &[Cause]) -> Check {
    let outcomes = raw
        .outcomes
        .iter()
        .map(|text| {
            let (id, label) = text.split_once('=').unwrap_or((text, text));
            Outcome { id: id.to_owned(), label: label.to_owned() }
        })
        .collect::<Vec<_>>();
    // What is not on the list may do anything: halfway between the usual row and chance.
    let even = 1.0 / outcomes.len() as f64;
    let table = causes
        .iter()
        .map(|cause| match raw.rows.iter().find(|row| row.cause == cause.id) {
            Some(row) => row.p.clone(),
            None if cause.reading == Reading::Anything => raw.usual.p.iter().map(|p| 0.5 * (p + even)).collect(),
            None => raw.usual.p.clone(),
        })
        .collect();
    Check {
        id: raw.id,
        ask: raw.ask,
        how: raw.how,
        minutes: raw.minutes,
        access: raw.access,
        running: raw.running,
        outcomes,
        usual: raw.usual,
        rows: raw.rows,
        table,
    }
}
