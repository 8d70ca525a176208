//! A bare pass told as one: where a point would stand on the hottest day, in gear, at the end of the oil's life, and with all three at once.
//!
//! The reading is carried to the changed state by the ratio of the drawn engines that fit it ([`Tracer::projected`]), with the spread of that
//! ratio as doubt. What is assumed: a hot day under load warms the sump by 12 K over the sheet's temperature; an idle held in gear is 80 rpm lower;
//! oil at the end of its interval has lost 15 % of its viscosity to shear and fuel (most makers condemn it between 20 and 25 %).
use super::JudgedPoint;
use crate::case::Case;
use crate::circuit::Working;
use crate::limits::{self, Decision};
use crate::trace::{Bearing, Tracer};
use serde::Serialize;

/// What changes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Change {
    /// The sump is 12 K hotter.
    HotDay,
    /// The idle is 80 rpm lower, held in gear.
    InGear,
    /// The oil has lost 15 % of its viscosity.
    OldOil,
    /// All three.
    AllAtOnce,
}

/// A point carried to a changed state.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Projected {
    /// What changed.
    pub change: Change,
    /// Speed it would be read at, turns a minute.
    pub rpm: f64,
    /// Oil temperature it would be read at, °C.
    pub oil_temp_c: f64,
    /// The pressure there, kPa.
    pub kpa: f64,
    /// Its standard uncertainty, kPa.
    pub u_kpa: f64,
    /// Probability that it still conforms to the same limits.
    pub probability_conforms: f64,
    /// What that says.
    pub decision: Decision,
}

const HOT_DAY_K: f64 = 12.0;
const IN_GEAR_RPM: f64 = 80.0;
const OLD_OIL: f64 = 0.85;

/// A measured point of the sheet under each change; empty when it was not measured. In gear only near idle: elsewhere gear changes nothing.
pub fn project(case: &Case, judged: &JudgedPoint, tracer: &Tracer) -> Vec<Projected> {
    let Some(reading) = &judged.reading else { return Vec::new() };
    let point = judged.point;
    let at_idle = point.rpm <= 1.4 * case.engine.idle_rpm && point.gear == crate::unit::Gear::Neutral;
    // Judged at the sheet's own point already, so that is where it is carried from.
    let from = Bearing::at(Working { rpm: point.rpm, oil_temp_c: point.oil_temp_c }, reading.measured_kpa, reading.u_kpa());
    [
        (Change::HotDay, true, false, false),
        (Change::InGear, false, true, false),
        (Change::OldOil, false, false, true),
        (Change::AllAtOnce, true, true, true),
    ]
    .into_iter()
    .filter(|(change, ..)| at_idle || *change != Change::InGear)
    .map(|(change, hot, gear, old)| {
        let to = Working {
            rpm: point.rpm - if gear && at_idle { IN_GEAR_RPM } else { 0.0 },
            oil_temp_c: (point.oil_temp_c + if hot { HOT_DAY_K } else { 0.0 }).min(*crate::oil::TEMP_RANGE_C.end()),
        };
        let local = tracer.projected(&from, to, if old { OLD_OIL } else { 1.0 });
        let kpa = from.kpa * local.ratio;
        let u_kpa = (from.u_kpa * local.ratio).hypot(from.kpa * local.ratio_sd);
        let (probability_conforms, decision) = limits::decide(kpa, u_kpa, point.min_kpa, point.max_kpa);
        Projected { change, rpm: to.rpm, oil_temp_c: to.oil_temp_c, kpa, u_kpa, probability_conforms, decision }
    })
    .collect()
}
