//! The sheet: what the pressure should be, which revision is in force, and what a reading says against it.
//!
//! The verdict follows JCGM 106:2012 (7.4, 8.3): the probability that the true value conforms, from a normal distribution about the
//! reading; under 5 % it is *below* or *above*, over 95 % *within*, between *undecided*.
use crate::circuit::PointOfSpec;
use crate::message;
use crate::message::{number, pressure, typed};
use crate::unit::{Gear, Units};
use chrono::NaiveDate;
use serde::{Deserialize, Serialize};
use statrs::distribution::{ContinuousCDF, Normal};

/// One line of a sheet.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Point {
    /// Engine speed, turns a minute.
    pub rpm: f64,
    /// Oil temperature, °C.
    pub oil_temp_c: f64,
    /// Gear.
    #[serde(default)]
    pub gear: Gear,
    /// Least pressure, kPa.
    #[serde(default)]
    pub min_kpa: Option<f64>,
    /// Most pressure, kPa.
    #[serde(default)]
    pub max_kpa: Option<f64>,
}

impl From<&Point> for PointOfSpec {
    fn from(point: &Point) -> Self {
        Self { rpm: point.rpm, oil_temp_c: point.oil_temp_c, min_kpa: point.min_kpa, max_kpa: point.max_kpa }
    }
}

/// What a sheet says beside its limits, and the limit that the shop itself works to.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Besides {
    /// Pressure shows within so long after a start, s, 0.5 to 60.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub build_s: Option<f64>,
    /// Most pressure that may be lost over the filter, kPa.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub filter_drop_kpa: Option<f64>,
    /// Least hot-idle pressure that the shop itself hands an engine back with, kPa: told beside the sheet, judged by nobody.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub working_idle_kpa: Option<f64>,
    /// What was taken where the sheet is silent, a line each.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub remarks: Vec<String>,
}

impl Besides {
    /// It says nothing.
    pub fn is_silent(&self) -> bool {
        *self == Self::default()
    }
}

/// One revision of the limits.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Sheet {
    /// Where it stands, for example `sheet 12, rev C`.
    #[serde(default)]
    pub source: String,
    /// First day it holds.
    #[serde(default)]
    pub in_force_from: Option<NaiveDate>,
    /// Its lines.
    pub points: Vec<Point>,
    /// What else it says.
    #[serde(default, skip_serializing_if = "Besides::is_silent")]
    pub besides: Besides,
    /// Torques as it says them, a line each: shown where the bolt is tightened, and counted with by nobody.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub torques: Vec<String>,
}

/// The revision in force on a day: the latest whose first day is not after it. One without a date has always been in force.
pub fn in_force(sheets: &[Sheet], on: NaiveDate) -> Option<&Sheet> {
    sheets.iter().filter(|sheet| sheet.in_force_from.is_none_or(|from| from <= on)).max_by_key(|sheet| sheet.in_force_from)
}

/// “at least 100 kPa”.
pub fn limit_words(min_kpa: Option<f64>, max_kpa: Option<f64>, units: Units) -> String {
    match (min_kpa, max_kpa) {
        (Some(min), Some(max)) => format!("{} to {}", units.show(min), units.with_unit(max)),
        (Some(min), None) => format!("at least {}", units.with_unit(min)),
        (None, Some(max)) => format!("at most {}", units.with_unit(max)),
        (None, None) => "no limit".to_owned(),
    }
}

impl Point {
    /// “750 rpm at 100 °C, in gear”.
    pub fn words(&self, units: Units) -> String {
        let gear = if self.gear == Gear::Drive { ", in gear" } else { "" };
        format!("{:.0} rpm at {}{gear}", self.rpm, units.temp(self.oil_temp_c))
    }
}

/// Why a limit is questioned when it is entered: it lies far from what sheets ask, as one does that stands in another unit. None when nothing is strange.
///
/// Sheets ask for some 20 to 200 kPa at hot idle and 100 to 600 kPa at speed, and allow at most 250 to 1000 kPa; what is questioned here lies beyond half and
/// one and a half of that.
pub fn questionable(point: &Point, units: Units) -> Option<String> {
    let least = match point.rpm {
        idle if idle < 1200.0 => 10.0..=350.0,
        middle if middle < 2500.0 => 40.0..=700.0,
        _ => 80.0..=900.0,
    };
    let most = 200.0..=1500.0;
    let bar = |kpa: f64| format!("{:.1} bar", kpa / 100.0);
    let strange = |which: &str, limit: Option<f64>, usual: std::ops::RangeInclusive<f64>| {
        let kpa = limit.filter(|kpa| !usual.contains(kpa))?;
        let (from, to) = (*usual.start(), *usual.end());
        let says = message!(
            "sheet-limit-is-strange",
            which = which,
            limit = typed(kpa),
            speed = number(point.rpm, 0),
            from = pressure(from),
            to = pressure(to),
            from_other = bar(from),
            to_other = bar(to)
        );
        Some(says.words(units))
    };
    strange("least", point.min_kpa, least).or_else(|| strange("most", point.max_kpa, most))
}

/// What can be said of a point, at the verdict's own certainty.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Decision {
    /// Under the least pressure.
    Below,
    /// Between the limits.
    Within,
    /// Over the most pressure.
    Above,
    /// The reading's doubt straddles a limit.
    Undecided,
    /// No reading at this speed, temperature and gear.
    NotMeasured,
}

impl Decision {
    /// Every decision, with its word in data.
    pub const ALL: [(Self, &'static str); 5] = [
        (Self::Below, "below"),
        (Self::Within, "within"),
        (Self::Above, "above"),
        (Self::Undecided, "undecided"),
        (Self::NotMeasured, "not_measured"),
    ];

    /// The word in data.
    pub fn id(self) -> &'static str {
        Self::ALL.iter().find(|(decision, _)| *decision == self).map_or("", |(_, id)| id)
    }

    /// The word on a screen.
    pub fn word(self) -> &'static str {
        match self {
            Self::Below => "below",
            Self::Within => "within",
            Self::Above => "above",
            Self::Undecided => "undecided",
            Self::NotMeasured => "not measured",
        }
    }
}

/// Probability under which a reading does not conform, and over whose complement it does.
pub const DOUBT_ALLOWED: f64 = 0.05;
/// Standard uncertainties either side of a reading beyond which the verdict allows nothing: those of [`DOUBT_ALLOWED`] on each side. Every “±” shows as much.
pub const COVERAGE: f64 = 1.645;

/// Probabilities that the true value is under the least and over the most pressure.
pub fn probabilities(measured_kpa: f64, u_kpa: f64, min_kpa: Option<f64>, max_kpa: Option<f64>) -> (f64, f64) {
    let normal = Normal::standard();
    let u = u_kpa.max(1e-9);
    let under = min_kpa.map_or(0.0, |min| normal.cdf((min - measured_kpa) / u));
    let over = max_kpa.map_or(0.0, |max| normal.sf((max - measured_kpa) / u));
    (under, over)
}

/// Probability of conforming, and the decision it gives.
///
/// ```
/// # use velvet_dial_core::limits::{decide, Decision};
/// assert_eq!(decide(62.0, 10.0, Some(100.0), None).1, Decision::Below);
/// assert_eq!(decide(96.0, 10.0, Some(100.0), None).1, Decision::Undecided);
/// ```
pub fn decide(measured_kpa: f64, u_kpa: f64, min_kpa: Option<f64>, max_kpa: Option<f64>) -> (f64, Decision) {
    let (under, over) = probabilities(measured_kpa, u_kpa, min_kpa, max_kpa);
    let conforms = (1.0 - under - over).clamp(0.0, 1.0);
    let decision = if conforms > 1.0 - DOUBT_ALLOWED {
        Decision::Within
    } else if conforms < DOUBT_ALLOWED {
        if under >= over { Decision::Below } else { Decision::Above }
    } else {
        Decision::Undecided
    };
    (conforms, decision)
}

/// The whole sheet's decision from its points': the worst that was found, and *within* only when every point was measured.
pub fn overall(decisions: impl IntoIterator<Item = Decision>) -> Decision {
    let all: Vec<_> = decisions.into_iter().collect();
    [Decision::Below, Decision::Above, Decision::Undecided, Decision::NotMeasured]
        .into_iter()
        .find(|worst| all.contains(worst))
        .unwrap_or(if all.is_empty() { Decision::NotMeasured } else { Decision::Within })
}

/// The standard uncertainty that would decide a reading as it stands, kPa; `None` when it lies on the limit.
pub fn deciding_u_kpa(measured_kpa: f64, min_kpa: Option<f64>, max_kpa: Option<f64>) -> Option<f64> {
    [min_kpa, max_kpa]
        .into_iter()
        .flatten()
        .map(|limit| (measured_kpa - limit).abs() / COVERAGE)
        .min_by(f64::total_cmp)
        .filter(|u| *u > 0.1)
}
