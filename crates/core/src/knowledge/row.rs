//! Rows of the knowledge files: how often an outcome is found, or a circumstance told, with each state.
use super::Needs;
use crate::circuit::{BlowAccess, Card, PartAccess, TopOpen};
use crate::unit::first_lower;
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

impl Access {
    /// The word that the knowledge files and stored steps have for it; empty where nothing is opened.
    pub fn id(self) -> &'static str {
        match self {
            Self::Outside => "",
            Self::Cover => "cover",
            Self::Sump => "sump",
            Self::EngineOut => "engine_out",
        }
    }
}

impl From<PartAccess> for Access {
    fn from(part: PartAccess) -> Self {
        match part {
            PartAccess::Outside | PartAccess::FilterHousing => Self::Outside,
            PartAccess::Cover => Self::Cover,
            PartAccess::InSump => Self::Sump,
            PartAccess::EngineOut => Self::EngineOut,
        }
    }
}

/// What must be open as the knowledge files have it: of most parts the card says where they sit.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, Default)]
#[serde(rename_all = "snake_case")]
pub enum Reached {
    /// Nothing.
    #[default]
    Outside,
    /// The front cover.
    Cover,
    /// The sump.
    Sump,
    /// The engine is out.
    EngineOut,
    /// Where the card has the relief plunger.
    Relief,
    /// Where the card has the pump.
    Pump,
    /// Where the card has the pump's drive.
    Drive,
    /// Where the card has the piston jets.
    Jets,
    /// Where the cam sits.
    Cams,
    /// Where the card lets the gallery be blown through.
    Blow,
}

impl Reached {
    /// What must be open first on this engine.
    pub fn on(self, card: &Card) -> Access {
        match self {
            Self::Outside => Access::Outside,
            Self::Cover => Access::Cover,
            Self::Sump => Access::Sump,
            Self::EngineOut => Access::EngineOut,
            Self::Relief => card.relief_from().into(),
            Self::Pump => card.pump_from().into(),
            Self::Drive => card.drive_from().into(),
            Self::Jets => card.jets_from().into(),
            Self::Cams => card.cams_from().into(),
            Self::Blow if card.blow_access == Some(BlowAccess::Outside) => Access::Outside,
            Self::Blow => Access::Sump,
        }
    }
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
    /// Its top is open: it runs or is cranked, as the card says.
    Top,
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
    /// How it is done, with the caution where the hand is; what follows the engine stands in braces ([`crate::diagnosis::how`]).
    pub how: String,
    /// Working minutes, without opening.
    pub minutes: f64,
    /// Material it uses up, in the shop's money.
    pub material: f64,
    /// Place on the oil's way, from the sump (0) to the sender's port (8).
    pub along: u8,
    pub(super) reached: Reached,
    /// Behind one opening it comes before others at the same place where this is lower; `along` where it is left out.
    pub order: f64,
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
    /// It is done only after these: of each, check and outcomes of which one was found.
    pub after: Vec<(String, Vec<String>)>,
    /// Why it comes where it comes behind its opening; empty where that follows from its price.
    pub(super) here: String,
    /// One look may have several outcomes at once; the first of the list says that there is nothing.
    pub several: bool,
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
        self.reached.on(card)
    }

    /// What the engine does meanwhile on this engine: with the rocker cover off it runs only where no oil gets onto the exhaust.
    pub fn engine_on(&self, card: &Card) -> Option<Engine> {
        match self.engine {
            Some(Engine::Top) if card.top_open == Some(TopOpen::Runs) => Some(Engine::Running),
            Some(Engine::Top) => Some(Engine::Cranked),
            said => said,
        }
    }

    /// It can be done on this engine: a rocker cover that does not come off by itself is not taken off for a look.
    pub fn fits(&self, card: &Card) -> bool {
        self.engine != Some(Engine::Top) || card.top_open != Some(TopOpen::Closed)
    }

    /// What must be open first, as the knowledge has it.
    pub fn reached(&self) -> Reached {
        self.reached
    }

    /// Why it comes where it comes.
    pub fn why_here(&self) -> String {
        match self.reached {
            _ if !self.here.is_empty() => self.here.clone(),
            Reached::Outside if !self.gauge => {
                format!("{:.0} minutes from outside, without a gauge: before anything is fitted or opened", self.minutes)
            }
            Reached::Outside => format!("{:.0} minutes with the gauge on: before anything is opened", self.minutes),
            _ => "once it lies open, in the order of the oil".to_owned(),
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
    pub fn running(&self, card: &Card) -> bool {
        self.engine_on(card) == Some(Engine::Running)
    }

    /// P(outcome | state); nothing is impossible, so an index out of range counts as one in a thousand.
    pub fn likelihood(&self, state: usize, outcome: usize) -> f64 {
        self.table.get(state).and_then(|row| row.get(outcome)).copied().unwrap_or(1e-3)
    }

    /// Index of an outcome by its word.
    pub fn outcome(&self, id: &str) -> Option<usize> {
        self.outcomes.iter().position(|outcome| outcome.id == id)
    }

    /// Why these outcomes of one look do not go together; none where they do.
    pub fn refuses_together(&self, seen: &[&str]) -> Option<String> {
        let nothing = self.outcomes.first().map_or("", |outcome| outcome.id.as_str());
        match seen {
            [] | [_] => None,
            _ if !self.several => Some(format!("{} has one outcome; {} were given", self.id, seen.len())),
            _ if seen.contains(&nothing) => Some(format!("“{nothing}” cannot stand beside another outcome of {}", self.id)),
            _ => None,
        }
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
pub struct CircumstanceRow {
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
    /// The part that it says was replaced before this visit.
    #[serde(default)]
    pub part: Option<String>,
    /// It speaks as this other one does, which has its figures.
    #[serde(default)]
    pub like: Option<String>,
    /// How often it is told with any cause.
    #[serde(default)]
    pub usual: f64,
    /// Why that often.
    #[serde(default)]
    pub reason: String,
    /// Causes with which it is told more or less often.
    #[serde(default)]
    pub rows: Vec<CircumstanceRow>,
    /// P(told | state).
    #[serde(skip)]
    pub(super) table: Vec<f64>,
}

impl Check {
    /// "Carbon, bearing metal": outcomes of one look, by their labels.
    pub fn labels<'a>(&self, outcomes: impl Iterator<Item = &'a str>) -> String {
        let label =
            |id: &str| self.outcomes.iter().find(|outcome| outcome.id == id).map_or_else(|| id.to_owned(), |outcome| outcome.label.clone());
        let labels: Vec<String> =
            outcomes.enumerate().map(|(nth, id)| if nth == 0 { label(id) } else { first_lower(&label(id)) }).collect();
        labels.join(", ")
    }
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
