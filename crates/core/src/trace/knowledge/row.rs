//! Rows of the knowledge files: how often an outcome is found, or a circumstance told, with each state.
use super::Needs;
use serde::Deserialize;

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
    /// Material it uses up, in the shop's money.
    pub material: f64,
    /// Place on the oil's way, from the sump (0) to the sender's port (8).
    pub along: u8,
    /// What must be open first.
    pub access: Access,
    /// The part of the layout it needs.
    pub needs: Option<Needs>,
    /// The engine runs meanwhile.
    pub running: bool,
    /// What can come of it.
    pub outcomes: Vec<Outcome>,
    /// Why the table is as it is for causes without a row.
    pub usual: Row,
    /// Rows for single causes.
    pub rows: Vec<Row>,
    /// `table[state][outcome]`, for every state.
    pub(super) table: Vec<Vec<f64>>,
    /// Outcomes that the safety rules answer with a stop.
    pub(super) stops: Vec<bool>,
}

impl Check {
    /// P(outcome | state); nothing is impossible, so an index out of range counts as one in a thousand.
    pub fn likelihood(&self, state: usize, outcome: usize) -> f64 {
        self.table.get(state).and_then(|row| row.get(outcome)).copied().unwrap_or(1e-3)
    }

    /// Index of an outcome by its word.
    pub fn outcome(&self, id: &str) -> Option<usize> {
        self.outcomes.iter().position(|outcome| outcome.id == id)
    }

    /// True when this outcome alone stops the engine.
    pub fn stops(&self, outcome: usize) -> bool {
        self.stops.get(outcome).copied().unwrap_or(false)
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
    /// Why that often.
    pub reason: String,
    /// Causes with which it is told more or less often.
    pub rows: Vec<Told>,
    /// P(told | state).
    #[serde(skip)]
    pub(super) table: Vec<f64>,
}

impl Circumstance {
    /// P(told | state).
    pub fn likelihood(&self, state: usize) -> f64 {
        self.table.get(state).copied().unwrap_or(self.usual)
    }

    /// P(told | cause) as its row says.
    pub(super) fn row(&self, cause: &str) -> f64 {
        self.rows.iter().find(|row| row.cause == cause).map_or(self.usual, |row| row.p)
    }

    /// Why it speaks as it does for a cause.
    pub fn reason(&self, cause: &str) -> &str {
        self.rows.iter().find(|row| row.cause == cause).map_or(&self.reason, |row| &row.reason)
    }
}
