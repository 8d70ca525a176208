//! What a gauge can tell: the doubt of one reading, item by item.
//!
//! Source: JCGM 100:2008 (GUM). Gauge class and half a graduation are limits of error, so rectangular: a/√3 (4.3.7). The items are
//! independent and add in quadrature (5.1.2). Temperature and speed enter by the circuit's own sensitivities.
use crate::choice::choice;
use serde::{Deserialize, Serialize};

choice! {
    /// Kind of instrument.
    Kind {
        /// Bourdon tube with a needle.
        Bourdon = "bourdon": "needle gauge",
        /// Digital gauge.
        Digital = "digital": "digital gauge",
        /// Transducer on a rig.
        Transducer = "transducer": "transducer",
        /// What the vehicle itself says: its error is that of sender and wiring.
        Vehicle = "vehicle": "the vehicle's own display (dash or module)",
        /// The vehicle's own lamp or buzzer: a switch that opens at one pressure.
        LampSwitch = "lamp_switch": "the vehicle's own lamp or warning switch",
    }
}

/// A gauge as its card and its calibration describe it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Instrument {
    /// Kind.
    #[serde(default = "bourdon")]
    pub kind: Kind,
    /// Full scale, kPa.
    pub full_scale_kpa: f64,
    /// Class, percent of full scale.
    pub class_percent: f64,
    /// Smallest graduation, kPa.
    pub graduation_kpa: f64,
    /// Day of the last calibration.
    #[serde(default)]
    pub calibrated_on: Option<chrono::NaiveDate>,
    /// Day by which it is to be calibrated again.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub due_on: Option<chrono::NaiveDate>,
    /// Its serial number.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub serial: Option<String>,
    /// Number of its last certificate.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub certificate: Option<String>,
    /// Thread of its own, male, in the words of the thread list.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub thread: Option<String>,
    /// Of a lamp switch: the pressure at which it opens and the lamp goes out, kPa, 5 to 400. Its scale, class and graduation say nothing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub opens_kpa: Option<f64>,
    /// Of a warning that is armed only above some speed: that speed, turns a minute.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub armed_from_rpm: Option<f64>,
}

fn bourdon() -> Kind {
    Kind::Bourdon
}

impl Default for Instrument {
    /// The ordinary workshop gauge that is assumed when none is named: 0 to 1000 kPa, class 2.5, marks every 20 kPa.
    fn default() -> Self {
        Self {
            kind: Kind::Bourdon,
            full_scale_kpa: 1000.0,
            class_percent: 2.5,
            graduation_kpa: 20.0,
            calibrated_on: None,
            due_on: None,
            serial: None,
            certificate: None,
            thread: None,
            opens_kpa: None,
            armed_from_rpm: None,
        }
    }
}

/// How the port pressure answers to the two things that are never held exactly.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Sensitivity {
    /// kPa per K of oil temperature.
    pub kpa_per_k: f64,
    /// kPa per turn a minute.
    pub kpa_per_rpm: f64,
}

/// One item of a doubt.
#[derive(Debug, Clone, PartialEq)]
pub struct Item {
    /// Where it comes from.
    pub from: &'static str,
    /// Standard uncertainty, kPa.
    pub u_kpa: f64,
}

/// The whole doubt of a reading.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Budget {
    /// Item by item.
    pub items: Vec<Item>,
}

/// Standard uncertainty of an oil temperature read with a probe, K.
pub const TEMP_READ_U_K: f64 = 1.5;
/// Of one estimated from running time and fan cycles, K.
pub const TEMP_ESTIMATED_U_K: f64 = 6.0;

/// Names of the items of a doubt.
pub(crate) const CLASS: &str = "gauge class";
pub(crate) const GRADUATION: &str = "graduation";
pub(crate) const MOVEMENT: &str = "needle movement";
pub(crate) const TEMPERATURE: &str = "oil temperature";
/// Share of a gauge's error that is the same at every reading of a run: most of it is a shift or a wrong slope, the rest wanders along the scale.
const COMMON_SHARE: f64 = 0.8;

impl Budget {
    /// Combined standard uncertainty, kPa.
    pub fn total_kpa(&self) -> f64 {
        self.items.iter().map(|item| item.u_kpa * item.u_kpa).sum::<f64>().sqrt()
    }

    /// The same without the part of the gauge's class that all its readings share, kPa.
    pub fn without_common_kpa(&self) -> f64 {
        let of_class = |item: &Item| if item.from == CLASS { (1.0 - COMMON_SHARE * COMMON_SHARE).sqrt() } else { 1.0 };
        self.items.iter().map(|item| (of_class(item) * item.u_kpa).powi(2)).sum::<f64>().sqrt()
    }

    /// Adds an item.
    pub fn add(&mut self, from: &'static str, u_kpa: f64) {
        self.items.push(Item { from, u_kpa: u_kpa.abs() });
    }

    /// The item that weighs most.
    pub fn largest(&self) -> Option<&Item> {
        self.items.iter().max_by(|a, b| a.u_kpa.total_cmp(&b.u_kpa))
    }
}

/// Most lamp switches open at about this pressure, kPa.
const LAMP_OPENS_KPA: f64 = 40.0;
/// A gauge that is overdue may have left its class: nobody has looked since. Until somebody does, its class counts half as wide again (an assumption, and told as one).
const OVERDUE: f64 = 1.5;

impl Instrument {
    /// What its own class and half a graduation allow it to be off, kPa.
    pub fn allowed_kpa(&self) -> f64 {
        self.class_percent / 100.0 * self.full_scale_kpa + 0.5 * self.graduation_kpa
    }

    /// It is no test gauge: it says what sender and wiring let it say, and proves nothing about the oil.
    pub fn is_vehicles_own(&self) -> bool {
        matches!(self.kind, Kind::Vehicle | Kind::LampSwitch)
    }

    /// The pressure at which a lamp switch opens, kPa; none of a gauge.
    pub fn lamp_opens_kpa(&self) -> Option<f64> {
        (self.kind == Kind::LampSwitch).then(|| self.opens_kpa.unwrap_or(LAMP_OPENS_KPA))
    }

    /// True when its calibration was due before this day.
    pub fn overdue(&self, on: chrono::NaiveDate) -> bool {
        self.due_on.is_some_and(|due| due < on)
    }

    /// The gauge as it counts on a day: of one that is overdue the class is wider.
    pub fn on(mut self, day: Option<chrono::NaiveDate>) -> Self {
        if day.is_some_and(|day| self.overdue(day)) {
            self.class_percent *= OVERDUE;
        }
        self
    }

    /// What the gauge alone cannot tell, class and graduation, as a standard uncertainty in kPa.
    pub fn own_u_kpa(&self) -> f64 {
        self.doubt(0.0, 0.0, false, Sensitivity::default()).total_kpa()
    }

    /// Half width of the error that all readings of a run share, kPa.
    pub fn common_kpa(&self) -> f64 {
        COMMON_SHARE * self.full_scale_kpa * self.class_percent / 100.0
    }

    /// The doubt of a reading on this gauge: class, graduation, the needle's movement, temperature and speed.
    ///
    /// `spread_kpa` is how far the needle moved either side during the hold; `rpm` the speed held, known to 1 % and at best 10 rpm.
    pub fn doubt(&self, spread_kpa: f64, rpm: f64, temp_estimated: bool, sensitivity: Sensitivity) -> Budget {
        let rectangular = |half_width: f64| half_width / 3f64.sqrt();
        let mut budget = Budget::default();
        budget.add(CLASS, rectangular(self.full_scale_kpa * self.class_percent / 100.0));
        budget.add(GRADUATION, rectangular(0.5 * self.graduation_kpa));
        budget.add(MOVEMENT, rectangular(spread_kpa));
        let u_temp = if temp_estimated { TEMP_ESTIMATED_U_K } else { TEMP_READ_U_K };
        budget.add(TEMPERATURE, u_temp * sensitivity.kpa_per_k);
        budget.add("engine speed", rectangular((0.01 * rpm).max(10.0)) * sensitivity.kpa_per_rpm);
        budget
    }
}
