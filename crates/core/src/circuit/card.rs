//! The engine's card: what a technician has, in the words of the case file.
use crate::choice::choice;
use serde::{Deserialize, Serialize};

/// What an engine takes for each litre of displacement, where the card does not say, l.
const FILL_L_PER_L: f64 = 2.2;
/// Letters of how an engine is kept from firing.
pub const MOST_NO_START: usize = 120;

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
    pub relief_access: Option<PartAccess>,
    /// Where the pump is reached from; behind the front cover where the crank drives it, else in the sump, where it is not known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub pump_access: Option<PartAccess>,
    /// Where the pump's drive is reached from; where the pump is where it is not known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub drive_access: Option<PartAccess>,
    /// Where the piston jets are reached from; from below, by sight only, where it is not known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub jets_access: Option<PartAccess>,
    /// Whether the engine can run with its rocker cover off; it is only cranked where it is not known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub top_open: Option<TopOpen>,
    /// What cools it; water where it is not known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub cooling: Option<Cooling>,
    /// How this engine is kept from firing while it is cranked, in the shop's words, at most 120 letters.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub no_start: Option<String>,
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
            pump_access: None,
            drive_access: None,
            jets_access: None,
            top_open: None,
            cooling: None,
            no_start: None,
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

    /// Where the relief plunger is reached from.
    pub fn relief_from(&self) -> PartAccess {
        self.relief_access.unwrap_or(PartAccess::Outside)
    }

    /// Where the pump is reached from: one on the crank's nose sits behind the front cover.
    pub fn pump_from(&self) -> PartAccess {
        let usual = if self.layout.pump_drive == Some(PumpDrive::Crank) { PartAccess::Cover } else { PartAccess::InSump };
        self.pump_access.unwrap_or(usual)
    }

    /// Where the pump's drive is reached from.
    pub fn drive_from(&self) -> PartAccess {
        self.drive_access.unwrap_or_else(|| self.pump_from())
    }

    /// Where the piston jets are reached from.
    pub fn jets_from(&self) -> PartAccess {
        self.jets_access.unwrap_or(PartAccess::InSump)
    }

    /// Where the cam bearings are reached from: under the rocker cover where the cam is in the head.
    pub fn cams_from(&self) -> PartAccess {
        if self.layout.cam == Some(CamPlace::InHead) { PartAccess::Outside } else { PartAccess::EngineOut }
    }

    /// What goes in with a new filter, litres: as stated, else as engines of this size mostly take.
    pub fn fill_l(&self) -> f64 {
        self.fill_l.unwrap_or(FILL_L_PER_L * self.displacement_l)
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
    /// What turns the pump, where it is known.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub pump_drive: Option<PumpDrive>,
    /// Where the cam sits, where it is known.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub cam: Option<CamPlace>,
    /// How the cam bearings are fed; either where it is not known.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub cam_feed: Option<CamFeed>,
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
            pump_drive: None,
            cam: None,
            cam_feed: None,
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
    /// Where a part is reached from.
    PartAccess {
        /// From the outside.
        Outside = "outside": "from the outside",
        /// In the filter housing, which is outside too.
        FilterHousing = "filter_housing": "in the filter housing",
        /// Behind the front cover.
        Cover = "cover": "behind the front cover",
        /// In the sump.
        InSump = "in_sump": "in the sump",
        /// Only with the engine out and the crank or the cam out of it.
        EngineOut = "engine_out": "with the engine out",
    }
}
choice! {
    /// Whether an engine can run with its rocker cover off.
    TopOpen {
        /// No oil gets onto the exhaust or a belt.
        Runs = "runs": "yes, no oil reaches exhaust or belt",
        /// Oil would get onto the exhaust or a belt.
        Cranked = "cranked": "no, only cranked",
        /// The cover does not come off without taking other parts off.
        Closed = "closed": "the cover does not come off by itself",
    }
}
choice! {
    /// What cools an engine.
    Cooling {
        /// Water.
        Water = "water": "water",
        /// Air.
        Air = "air": "air",
    }
}
choice! {
    /// Where the cam sits.
    CamPlace {
        /// In the block.
        InBlock = "in_block": "in the block",
        /// In the head.
        InHead = "in_head": "in the head",
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
