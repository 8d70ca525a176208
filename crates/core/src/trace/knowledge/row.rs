//! Rows of the knowledge files: how often an outcome is found, or a circumstance told, with each state.
use super::Needs;
use crate::circuit::{BlowAccess, Card, ReliefAccess};
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

/// What must be open before a check, the further the dearer.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
pub enum Access {
    /// Nothing.
    #[default]
    Outside,
    /// The front cover is off.
    Cover,
    /// The sump is off.
    Sump,
    /// The engine is out.
    EngineOut,
}

/// The same as the knowledge file has it: the card may have to say.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, Default)]
#[serde(rename_all = "snake_case")]
pub(super) enum Reached {
    #[default]
    Outside,
    Sump,
    EngineOut,
    /// Where the card has the relief plunger.
    Relief,
    /// Where the card lets the gallery be blown through.
    Blow,
}

/// What the engine does meanwhile.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Engine {
    /// It runs.
    Running,
    /// It stands.
    Stopped,
    /// It is cranked with fuel or ignition disabled.
    Cranked,
}

/// How the sump must stand.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Sump {
    /// On, with oil in it.
    Filled,
    /// On.
    On,
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
    pub(super) reached: Reached,
    /// Material for each litre of displacement, in the shop's money.
    pub material_per_l: f64,
    /// Minutes for each litre of displacement over two.
    pub minutes_per_l: f64,
    /// The part of the layout it needs.
    pub needs: Option<Needs>,
    /// What the engine does meanwhile; either where there is none.
    pub engine: Option<Engine>,
    /// Its result is the part itself, seen or measured, and not what the engine answers to a test.
    pub look: bool,
    /// The test gauge must be fitted.
    pub gauge: bool,
    /// The oil must be hot.
    pub hot: bool,
    /// How the sump must stand; either where there is none.
    pub sump: Option<Sump>,
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
    /// On some engine something must be open first.
    pub fn may_open(&self) -> bool {
        self.reached != Reached::Outside
    }

    /// On this engine something must be open first.
    pub fn opens(&self, card: &Card) -> bool {
        self.access(card) != Access::Outside
    }

    /// What must be open first on this engine.
    pub fn access(&self, card: &Card) -> Access {
        match self.reached {
            Reached::Outside => Access::Outside,
            Reached::Sump => Access::Sump,
            Reached::EngineOut => Access::EngineOut,
            Reached::Relief => match card.relief_access {
                Some(ReliefAccess::InSump) => Access::Sump,
                Some(ReliefAccess::Cover) => Access::Cover,
                Some(ReliefAccess::Outside) | None => Access::Outside,
            },
            Reached::Blow if card.blow_access == Some(BlowAccess::Outside) => Access::Outside,
            Reached::Blow => Access::Sump,
        }
    }

    /// Working minutes on this engine, without opening.
    pub fn minutes_on(&self, card: &Card) -> f64 {
        self.minutes + self.minutes_per_l * (card.displacement_l - 2.0).max(0.0)
    }

    /// Material on this engine, in the shop's money.
    pub fn material_on(&self, card: &Card) -> f64 {
        self.material + self.material_per_l * card.displacement_l
    }

    /// The engine runs meanwhile.
    pub fn running(&self) -> bool {
        self.engine == Some(Engine::Running)
    }

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
    /// What is asked once it is told; none where it speaks for itself.
    #[serde(default)]
    pub hint: Option<String>,
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
