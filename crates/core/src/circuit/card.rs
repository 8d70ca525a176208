//! The engine's card: what a technician has, in the words of the case file.
use crate::choice::choice;
use serde::{Deserialize, Serialize};

/// An engine as its card describes it. Ranges are those of [`crate::field`].
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Card {
    /// Displacement, litres, 0.1 to 20.
    pub displacement_l: f64,
    /// Cylinders, 1 to 16.
    pub cylinders: u32,
    /// Idle speed, turns a minute, 300 to 2000.
    pub idle_rpm: f64,
    /// Grade on the sheet, for example `5W-30`.
    pub oil_grade: String,
    /// Pressure at which the relief valve opens, kPa, if it is known.
    #[serde(default)]
    pub relief_opens_kpa: Option<f64>,
    /// How the circuit is laid out.
    #[serde(default)]
    pub layout: Layout,
}

/// Layout flags; each default is the most common one.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Layout {
    /// Where the gauge is fitted.
    pub port: Port,
    /// Fixed or controlled displacement.
    pub pump: Pump,
    /// What turns the pump.
    pub pump_drive: PumpDrive,
    /// How the cam bearings are fed.
    pub cam_feed: CamFeed,
    /// What the head feeds.
    pub rockers: Rockers,
    /// Piston-cooling jets are fitted.
    pub piston_jets: bool,
    /// Pressure at which the jets open, kPa; 180 where not given.
    pub jets_open_kpa: Option<f64>,
    /// A turbocharger is fed.
    pub turbo: bool,
    /// Hydraulic valve control is fed.
    pub valve_control: bool,
    /// Oil cooler in the main flow.
    pub cooler: Cooler,
}

impl Default for Layout {
    fn default() -> Self {
        Self {
            port: Port::AfterFilter,
            pump: Pump::Fixed,
            pump_drive: PumpDrive::Crank,
            cam_feed: CamFeed::Restricted,
            rockers: Rockers::Lifters,
            piston_jets: false,
            jets_open_kpa: None,
            turbo: false,
            valve_control: false,
            cooler: Cooler::None,
        }
    }
}

choice! {
    /// Where the gauge sits on the oil's way.
    Port {
        /// Between pump and filter.
        BeforeFilter = "before_filter": "before the filter",
        /// In the main gallery.
        AfterFilter = "after_filter": "after the filter",
        /// Far along the gallery.
        GalleryEnd = "gallery_end": "far end of the gallery",
        /// In the head, behind its restrictor.
        Head = "head": "in the head",
    }
}
choice! {
    /// Kind of pump.
    Pump {
        /// Fixed displacement.
        Fixed = "fixed": "fixed displacement",
        /// Controlled displacement.
        Controlled = "controlled": "controlled displacement",
    }
}
choice! {
    /// What turns the pump.
    PumpDrive {
        /// On the crankshaft.
        Crank = "crank": "on the crank",
        /// By chain.
        Chain = "chain": "chain",
        /// By belt.
        Belt = "belt": "belt",
        /// By shaft.
        Shaft = "shaft": "shaft",
    }
}
choice! {
    /// How the cam bearings are fed.
    CamFeed {
        /// Straight from the gallery.
        Straight = "straight": "straight from the gallery",
        /// Behind a restrictor.
        Restricted = "restricted": "behind a restrictor",
    }
}
choice! {
    /// What the head feeds.
    Rockers {
        /// Nothing.
        None = "none": "none",
        /// Hydraulic lifters.
        Lifters = "lifters": "hydraulic lifters",
        /// A rocker shaft.
        Shaft = "shaft": "rocker shaft",
    }
}
choice! {
    /// Oil cooler.
    Cooler {
        /// None.
        None = "none": "none",
        /// Always in the flow.
        Plain = "plain": "always in the flow",
        /// Behind a thermostat.
        Thermostat = "thermostat": "behind a thermostat",
    }
}

/// The lowest hot pressure the sheet asks for at a speed: all that calibration needs of it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PointOfSpec {
    /// Speed, turns a minute.
    pub rpm: f64,
    /// Oil temperature, °C.
    pub oil_temp_c: f64,
    /// Least pressure, kPa.
    pub min_kpa: Option<f64>,
    /// Most pressure, kPa.
    pub max_kpa: Option<f64>,
}
