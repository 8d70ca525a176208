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
pub use row::{Access, Check, Circumstance, Outcome, Row, Told};
pub use state::{BANDS, Hypothesis, Link, SLIGHT_UNDER};

use crate::circuit::{Cooler, Fault, Layout, PumpDrive, PumpKind, Rockers};
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
    fn of(self, drive: PumpDrive) -> f64 {
        match drive {
            PumpDrive::Crank => self.crank,
            PumpDrive::Chain => self.chain,
            PumpDrive::Belt => self.belt,
            PumpDrive::Shaft => self.shaft,
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
    pub reading: Reading,
    /// It holds only while every measured point conforms.
    pub conforms: bool,
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
    sump: Opening,
    engine_out: Opening,
    complaints: Vec<String>,
}

/// What an opening costs.
#[derive(Debug, Clone, Copy, Default, Deserialize)]
struct Opening {
    minutes: f64,
    material: f64,
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
        self.opening(access).minutes
    }

    /// Material that opening costs on top of a check, in the shop's money.
    pub fn opening_material(&self, access: Access) -> f64 {
        self.opening(access).material
    }

    fn opening(&self, access: Access) -> Opening {
        match access {
            Access::Outside => Opening::default(),
            Access::Sump => self.sump,
            Access::EngineOut => self.engine_out,
        }
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
