//! What was done to the engine, and in which state it stands: the parts of a case that the flag and the planner go by.
use crate::choice::choice;
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};

choice! {
    /// Something done to the engine.
    Deed {
        /// A cause was put right.
        Repair = "repair": "put right",
        /// Cranked with fuel or ignition disabled, gauge fitted.
        Crank = "crank": "cranked without fuel",
        /// The relief or another setting was adjusted.
        Adjust = "adjust": "adjusted",
        /// Closed again and filled with oil.
        Refill = "refill": "closed and filled",
        /// Oil filled to the mark, and the level checked.
        Fill = "fill": "filled to the mark",
        /// A person overrules the flag for one named test.
        Overrule = "overrule": "flag overruled for one test",
        /// The live gauge called a stop: the engine ran below its stop line, or without pressure.
        StopCall = "stop_call": "stop called by the live gauge",
    }
}

choice! {
    /// What a crank without fuel showed; the outcomes of the check `crank_no_fuel`.
    Cranked {
        /// Pressure shows.
        Shows = "shows": "pressure shows",
        /// It comes slowly.
        Slow = "slow": "comes slowly",
        /// None.
        None = "none": "none",
    }
}

/// An act, in the order it was done where it has a time.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Act {
    /// What was done.
    pub act: Deed,
    /// The cause a repair put right; a repair of something not on the list without it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub cause: Option<String>,
    /// A repair that hides the fault and does not remove it: thicker oil, a shim, a heavier spring.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub stopgap: bool,
    /// What a crank showed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub outcome: Option<Cranked>,
    /// The one test that the flag is overruled for; of a stop called at a start, `build_time`, of one called for too much pressure, `relief_plunger`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub check: Option<String>,
    /// For how long it is overruled, minutes, 1 to 60.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub minutes: Option<f64>,
    /// Why it is overruled.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub reason: Option<String>,
    /// When.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at: Option<DateTime<Utc>>,
}

impl Act {
    /// An act of a kind, with nothing else known of it.
    pub fn of(act: Deed) -> Self {
        Self { act, cause: None, stopgap: false, outcome: None, check: None, minutes: None, reason: None, at: None }
    }
}

choice! {
    /// How warm the oil is.
    OilIs {
        /// As after a night.
        Cold = "cold": "cold",
        /// At working temperature.
        Hot = "hot": "hot",
    }
}
choice! {
    /// How the sump stands.
    SumpIs {
        /// On, with oil in it.
        Closed = "closed": "closed",
        /// On, drained.
        Drained = "drained": "drained",
        /// Off.
        Off = "off": "off",
    }
}
choice! {
    /// Where the engine is.
    EngineIs {
        /// In the vehicle.
        In = "in": "in",
        /// Out of it.
        Out = "out": "out",
    }
}

/// The state of the bench as a person says it; what is left out is derived from readings, checks and acts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct BenchSaid {
    /// Oil.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub oil: Option<OilIs>,
    /// The test gauge is fitted.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub gauge_fitted: Option<bool>,
    /// Sump.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub sump: Option<SumpIs>,
    /// Engine.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub engine: Option<EngineIs>,
}
