//! Five grades of scenes, and what each may hold.
use serde::{Deserialize, Serialize};

/// A grade, from the first day to what fools an old hand.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Grade {
    /// One plain fault that a quick look or the gauge shows.
    First,
    /// One fault, of any kind.
    Second,
    /// One fault, or none, and a history that misleads.
    Third,
    /// Also faults that led to another, and looks that can be mistaken.
    Fourth,
    /// Also two faults that have nothing to do with each other, and a gauge that is off.
    Fifth,
}

/// What a grade draws from, as shares.
#[derive(Debug, Clone, Copy)]
pub struct Mix {
    /// Scenes whose oil system is OK.
    pub no_fault: f64,
    /// Scenes of a pair in which one fault led to the other.
    pub linked: f64,
    /// Scenes of two faults that have nothing to do with each other.
    pub together: f64,
    /// Scenes with a gauge that is off.
    pub gauge_off: f64,
    /// Scenes in which the shop has an old sheet in the place of the one in force.
    pub old_sheet: f64,
    /// Things that the customer says and that have nothing to do with the fault.
    pub misleading: usize,
    /// A look shows what is there; else it can be mistaken or overlooked, as in a real shop.
    pub clear: bool,
    /// Minutes in which it should be proven.
    pub budget_minutes: f64,
}

impl Grade {
    /// All of them, the easiest first.
    pub const ALL: [Self; 5] = [Self::First, Self::Second, Self::Third, Self::Fourth, Self::Fifth];

    /// By its place, from 0.
    pub fn at(place: u8) -> Option<Self> {
        Self::ALL.get(usize::from(place)).copied()
    }

    /// As it is said.
    pub fn label(self) -> &'static str {
        match self {
            Self::First => "first",
            Self::Second => "second",
            Self::Third => "third",
            Self::Fourth => "fourth",
            Self::Fifth => "fifth",
        }
    }

    /// What it draws from.
    pub fn mix(self) -> Mix {
        let base = Mix {
            no_fault: 0.0,
            linked: 0.0,
            together: 0.0,
            gauge_off: 0.0,
            old_sheet: 0.0,
            misleading: 0,
            clear: true,
            budget_minutes: 240.0,
        };
        match self {
            Self::First => base,
            Self::Second => Mix { budget_minutes: 360.0, ..base },
            Self::Third => Mix { no_fault: 0.1, old_sheet: 0.1, misleading: 2, budget_minutes: 480.0, ..base },
            Self::Fourth => Mix { no_fault: 0.1, linked: 0.3, old_sheet: 0.15, misleading: 2, clear: false, budget_minutes: 720.0, ..base },
            Self::Fifth => Mix {
                no_fault: 0.05,
                linked: 0.25,
                together: 0.25,
                gauge_off: 0.25,
                old_sheet: 0.2,
                misleading: 3,
                clear: false,
                budget_minutes: 960.0,
            },
        }
    }

    /// A cause that a first scene may have: found in minutes, or plain on the gauge.
    pub(crate) fn may_have(self, cause: &str) -> bool {
        const PLAIN: [&str; 9] =
            ["sender", "wiring", "oil_low", "oil_thin", "oil_diluted", "filter_blocked", "filter_wrong", "relief_open", "external_leak"];
        match self {
            Self::First => PLAIN.contains(&cause),
            _ => !["within_spec", "something_else", "test_gauge"].contains(&cause),
        }
    }
}
