//! What the tracer knows, from the knowledge files: causes, pairs of causes, checks with their outcome tables, circumstances.
//!
//! The files are compiled in. [`faults`] says what is wrong with them; the test keeps that list empty and the program refuses to
//! start when it is not, so nothing downstream checks again.
//!
//! Words: a *hypothesis* is a cause alone or a pair of causes; a *state* is a hypothesis with its severity in one of [`BANDS`]
//! bands (slight, marked). Bayes' rule runs over states, people are told causes; [`Knowledge::fold`] goes from the one to the other.
mod faults;
mod load;
mod row;
mod state;

pub use faults::faults;
pub use row::{Access, Check, Circumstance, CircumstanceRow, Engine, Outcome, Reached, Row, Sump};
pub use state::{BANDS, Hypothesis, Link, SLIGHT_UNDER};

use crate::circuit::{Card, Cooler, Fault, Layout, PumpDrive, PumpKind, Rockers};
use serde::Deserialize;
use std::sync::LazyLock;

/// How a cause bears on the number the gauge shows.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum ShownAs {
    /// The gauge shows what is there.
    True,
    /// The gauge or its line shows something else.
    Distorted,
    /// Whatever else it may be.
    Anything,
}

/// A part of the layout that a cause or a check needs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Needs {
    /// A pump of controlled displacement.
    ControlledPump,
    /// An oil cooler.
    Cooler,
    /// A rocker shaft.
    RockerShaft,
    /// Anything fed behind a restrictor in the head.
    HeadFeed,
    /// Hydraulic valve control.
    ValveControl,
    /// Piston-cooling jets.
    PistonJets,
    /// A turbocharger.
    Turbo,
    /// A belt that runs in oil.
    BeltInOil,
}

impl Needs {
    /// True when the layout has it.
    pub fn is_in(self, layout: &Layout) -> bool {
        match self {
            Self::ControlledPump => layout.pump == PumpKind::Controlled,
            Self::Cooler => layout.cooler != Cooler::None,
            Self::RockerShaft => layout.rockers == Rockers::Shaft,
            Self::HeadFeed => layout.rockers != Rockers::None,
            Self::ValveControl => layout.valve_control,
            Self::PistonJets => layout.piston_jets,
            Self::Turbo => layout.turbo,
            Self::BeltInOil => layout.pump_drive == Some(PumpDrive::Belt),
        }
    }
}

/// A factor for each drive of the pump.
#[derive(Debug, Clone, Copy, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ByDrive {
    crank: f64,
    chain: f64,
    belt: f64,
    shaft: f64,
}

impl Default for ByDrive {
    fn default() -> Self {
        Self { crank: 1.0, chain: 1.0, belt: 1.0, shaft: 1.0 }
    }
}

impl ByDrive {
    fn of(self, drive: Option<PumpDrive>) -> f64 {
        match drive {
            // Most pumps sit on the crank.
            Some(PumpDrive::Crank) | None => self.crank,
            Some(PumpDrive::Chain) => self.chain,
            Some(PumpDrive::Belt) => self.belt,
            Some(PumpDrive::Shaft) => self.shaft,
        }
    }
}

/// What is left of a prior when the card does not have the part: a card is filled in by people.
const WITHOUT_THE_PART: f64 = 0.03;

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
    pub reading: ShownAs,
    /// The circuit is sound with it: it holds only while every measured point conforms.
    pub conforms: bool,
    /// The pressure at the port hardly shows it: with it the sheet is kept as often as without a fault.
    #[serde(default)]
    pub hidden: bool,
    /// Certainty at which one acts on it.
    #[serde(default = "usual_certainty")]
    pub act_at: f64,
    /// How often an engine handed back with it is ruined before it comes in again.
    #[serde(default)]
    pub ruins: f64,
    /// The part of the layout it needs.
    #[serde(default)]
    pub needs: Option<Needs>,
    /// How much more or less often it comes with each drive of the pump; as often with all where it is left out.
    #[serde(default)]
    pub by_drive: ByDrive,
    /// Minutes to put it right.
    pub repair_minutes: f64,
    /// Parts to put it right, in the shop's money.
    pub parts: f64,
    /// What the pressures do.
    pub shape: String,
    /// The act that mends it.
    pub put_right: String,
    /// The caution at that act.
    pub mind: String,
    /// Why this prior.
    pub reason: String,
}

impl Cause {
    /// Sender or wiring: what the vehicle shows is wrong, and the pressure never was.
    pub fn is_the_displays(&self) -> bool {
        self.group == "indication" && self.conforms
    }
}

fn usual_certainty() -> f64 {
    0.9
}

/// All of it.
#[derive(Debug)]
pub struct Knowledge {
    /// Every cause, in the order of the file.
    pub causes: Vec<Cause>,
    /// Every cause alone, in the same order, then the pairs.
    pub hypotheses: Vec<Hypothesis>,
    /// Every check, in the order of the file.
    pub checks: Vec<Check>,
    /// Every circumstance, in the order of the file.
    pub circumstances: Vec<Circumstance>,
    /// What an hour of work costs, in the shop's money.
    pub hour: f64,
    /// What moving the bench from one state to another costs.
    pub moves: Moves,
    /// Findings that say that metal has touched metal, by their keys.
    pub(crate) damage: Vec<String>,
    /// Findings that are two sides of one fact, as patterns of their keys.
    pub(crate) twins: Vec<[String; 2]>,
    /// Weight of the one of two such findings that tells less.
    pub(crate) twin_share: f64,
    /// By cause: which group of parts it is of, in the order they first stand in the file.
    group_of: Vec<usize>,
    openings: Openings,
    complaints: Vec<String>,
}

/// Minutes of work, and material in the shop's money.
#[derive(Debug, Clone, Copy, Default, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Price {
    /// Minutes.
    pub minutes: f64,
    /// Material.
    pub material: f64,
}

impl std::ops::Add for Price {
    type Output = Self;
    fn add(self, other: Self) -> Self {
        Self { minutes: self.minutes + other.minutes, material: self.material + other.material }
    }
}

/// What moving the bench costs.
#[derive(Debug, Clone, Copy, Default, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Moves {
    /// Port freed, adapter and gauge fitted, bled, zeroed.
    pub fit_gauge: Price,
    /// Run or driven until the oil is hot.
    pub warm_up: Price,
    /// Sump back on, filled.
    pub close_sump: Price,
    /// Engine back in.
    pub engine_in: Price,
    /// Oil into a drained engine.
    pub fill: Price,
}

#[derive(Debug, Clone, Copy, Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct Openings {
    cover: Price,
    sump: Price,
    engine_out: Price,
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

    /// A check and one of its outcomes by their words.
    pub fn found(&self, check: &str, outcome: &str) -> Option<(&Check, &Outcome)> {
        let check = self.check(check)?;
        Some((check, check.outcomes.get(check.outcome(outcome)?)?))
    }

    /// A circumstance by its word.
    pub fn circumstance(&self, id: &str) -> Option<&Circumstance> {
        self.circumstances.iter().find(|circumstance| circumstance.id == id)
    }

    /// A check, by its word, that lies behind an opening of this engine.
    pub fn opens(&self, check: &str, card: &Card) -> bool {
        self.check(check).is_some_and(|check| check.opens(card))
    }

    /// What opening costs on an ordinary engine.
    pub fn usual_opening(&self, access: Access) -> Price {
        match access {
            Access::Outside => Price::default(),
            Access::Cover => self.openings.cover,
            Access::Sump => self.openings.sump,
            Access::EngineOut => self.openings.engine_out,
        }
    }

    /// What opening costs on this engine, on top of the check that needs it.
    pub fn opening(&self, access: Access, card: &Card) -> Price {
        let usual = self.usual_opening(access);
        let said = match access {
            Access::Outside => None,
            Access::Cover => card.cover_off_minutes,
            Access::Sump => card.sump_off_minutes,
            Access::EngineOut => card.engine_out_minutes,
        };
        Price { minutes: said.unwrap_or(usual.minutes), ..usual }
    }

    /// A finding, by its key, that says that metal has touched metal.
    pub fn is_damage(&self, key: &str) -> bool {
        self.damage.iter().any(|known| known == key)
    }

    /// Work and material as money.
    pub fn money(&self, minutes: f64, material: f64) -> f64 {
        minutes / 60.0 * self.hour + material
    }

    /// Money as minutes of work.
    pub fn worth_in_minutes(&self, money: f64) -> f64 {
        money / self.hour * 60.0
    }

    /// Priors of the causes for an engine laid out like this; they sum to one.
    pub fn priors(&self, layout: &Layout) -> Vec<f64> {
        let fits = |cause: &Cause| cause.needs.is_none_or(|part| part.is_in(layout));
        let weight = |cause: &Cause| cause.prior * cause.by_drive.of(layout.pump_drive) * if fits(cause) { 1.0 } else { WITHOUT_THE_PART };
        let raw: Vec<f64> = self.causes.iter().map(weight).collect();
        let total: f64 = raw.iter().sum();
        raw.into_iter().map(|prior| prior / total).collect()
    }
}

static KNOWLEDGE: LazyLock<Knowledge> = LazyLock::new(load::load);

/// The compiled-in knowledge.
pub fn knowledge() -> &'static Knowledge {
    &KNOWLEDGE
}

/// Tells one state of the knowledge from another: 16 hexadecimal digits, the same as long as none of its files changes.
pub fn fingerprint() -> &'static str {
    static FINGERPRINT: LazyLock<String> = LazyLock::new(load::fingerprint);
    &FINGERPRINT
}
