//! The engine's card: what a technician has, in the words of the case file.
use crate::choice::choice;
use serde::{Deserialize, Serialize};

/// An engine as its card describes it. Ranges are those of [`crate::field`].
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Card {
    /// Displacement, litres, 0.1 to 60.
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
    /// Speed at which the engine gives its rated power, turns a minute, 500 to 10 000; from size, fuel and idle where it is not known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rated_rpm: Option<f64>,
    /// What it burns; either where it is not known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fuel: Option<Burns>,
    /// Where the relief plunger is reached from; from the outside where it is not known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub relief_access: Option<ReliefAccess>,
    /// Which pressure opens the relief; either where it is not known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub relief_senses: Option<ReliefSenses>,
    /// Minutes to take the sump off, 10 to 3000; 120 where it is not known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sump_off_minutes: Option<f64>,
    /// Minutes to take the front cover off, 10 to 3000; 90 where it is not known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub cover_off_minutes: Option<f64>,
    /// Minutes to take the engine out, 60 to 6000; 600 where it is not known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub engine_out_minutes: Option<f64>,
    /// Thread of the port that the gauge goes into, in the words of the thread list.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub port_thread: Option<String>,
    /// From where the gallery can be blown through; with the sump off where it is not known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub blow_access: Option<BlowAccess>,
    /// What the engine is worth to its owner, in the shop's money; from its size where it is not known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub worth: Option<f64>,
    /// Family of the engine, in the shop's words: known patterns and closed jobs are counted by it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub family: Option<String>,
    /// Oil that goes in with a new filter, litres, 0.3 to 400.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fill_l: Option<f64>,
    /// Of it in the filter, litres, 0.02 to 20.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub filter_l: Option<f64>,
    /// How the circuit is laid out.
    #[serde(default)]
    pub layout: Layout,
}

impl Card {
    /// A card that states only what every card must, with the most common layout.
    pub fn of(displacement_l: f64, cylinders: u32, idle_rpm: f64, oil_grade: &str) -> Self {
        Self {
            displacement_l,
            cylinders,
            idle_rpm,
            oil_grade: oil_grade.to_owned(),
            relief_opens_kpa: None,
            rated_rpm: None,
            fuel: None,
            relief_access: None,
            relief_senses: None,
            sump_off_minutes: None,
            cover_off_minutes: None,
            engine_out_minutes: None,
            port_thread: None,
            blow_access: None,
            worth: None,
            family: None,
            fill_l: None,
            filter_l: None,
            layout: Layout::default(),
        }
    }

    /// A speed at which this engine idles, in gear or with a raised idle too: up to a quarter over the card's.
    pub fn idles_at(&self, rpm: f64) -> bool {
        rpm <= 1.25 * self.idle_rpm
    }

    /// Rated speed, turns a minute: as stated, else as engines of this size, fuel and idle mostly have it, from small petrol engines at 6500 to
    /// trucks at 2100 and slow marine engines at two and a half times their idle.
    pub fn rated_rpm(&self) -> f64 {
        let litres = self.displacement_l;
        let petrol = 6500.0 * litres.max(0.5).powf(-0.18);
        let diesel = 4500.0 * (litres.max(0.8) / 2.0).powf(-0.37);
        let usual = match self.fuel {
            Some(Burns::Petrol) => petrol,
            Some(Burns::Diesel) => diesel,
            None if litres > 5.0 => diesel,
            None => (petrol * diesel).sqrt(),
        };
        let slow = litres > 6.0 && self.idle_rpm < 500.0;
        self.rated_rpm.unwrap_or(if slow { 2.5 * self.idle_rpm } else { usual.max(2.2 * self.idle_rpm) })
    }

    /// What the engine is worth to its owner, in the shop's money.
    pub fn worth(&self) -> f64 {
        self.worth.unwrap_or(1500.0 + 1500.0 * self.displacement_l)
    }
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
    /// How the whole head is supplied; either where it is not known.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub head_feed: Option<HeadFeed>,
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
            head_feed: None,
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
    /// How the whole head is supplied.
    HeadFeed {
        /// Behind a restrictor.
        Restricted = "restricted": "behind a restrictor",
        /// Straight from the gallery.
        Straight = "straight": "straight from the gallery",
    }
}
choice! {
    /// What an engine burns.
    Burns {
        /// Petrol.
        Petrol = "petrol": "petrol",
        /// Diesel.
        Diesel = "diesel": "diesel",
    }
}
choice! {
    /// Where the relief plunger is reached from.
    ReliefAccess {
        /// A cap on the outside.
        Outside = "outside": "cap on the outside",
        /// Behind the front cover.
        Cover = "cover": "behind the front cover",
        /// In the sump.
        InSump = "in_sump": "in the sump",
    }
}
choice! {
    /// Which pressure opens the relief.
    ReliefSenses {
        /// The pump's outlet.
        Pump = "pump": "pump outlet",
        /// The main gallery.
        Gallery = "gallery": "main gallery",
    }
}
choice! {
    /// From where the gallery can be blown through.
    BlowAccess {
        /// With the sump off.
        Sump = "sump": "with the sump off",
        /// By a pipe on the outside.
        Outside = "outside": "by a pipe on the outside",
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
