//! Two oils mixed, or fuel in oil: the viscosity of the mixture and the grade it is then nearest to.
//!
//! Relation: the Refutas blending index of [`crate::oil`], by mass share; valid as that is. Checked against its ends: a share of nothing is the oil itself.
use super::{CalculatorError, hold, together};
use crate::message;
use crate::oil::{Fuel, blend_mm2_s};
use crate::{field, oil};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// An oil and what is in it.
#[derive(Debug, Clone, PartialEq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Mixture {
    /// Grade of the oil.
    pub grade: String,
    /// Grade of the other oil; or give `fuel`.
    #[serde(default)]
    pub other_grade: Option<String>,
    /// `petrol` or `diesel` in it; or give `other_grade`.
    #[serde(default)]
    pub fuel: Option<crate::circuit::Burns>,
    /// Share of the other by mass, 0 to 1; of fuel at most 0.4.
    pub other_share: f64,
    /// Oil temperature, °C.
    pub oil_temp_c: f64,
}

/// The mixture.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Mixed {
    /// Kinematic viscosity at the temperature, mm²/s.
    pub nu_mm2_s: f64,
    /// Of the oil alone, mm²/s.
    pub alone_mm2_s: f64,
    /// How far it has gone from that, percent.
    pub change_percent: f64,
    /// What a hot idle in proportion to viscosity would lose or gain, percent: the most it can be.
    pub idle_percent: f64,
}

/// The viscosity of a mixture.
///
/// # Errors
/// [`CalculatorError`] outside the ranges, for unknown grades, and without exactly one thing that is mixed in.
pub fn mixture(mixed: &Mixture) -> Result<Mixed, CalculatorError> {
    let share = hold(&field::SHARE, mixed.other_share)?;
    let temp = hold(&field::OIL_TEMP, mixed.oil_temp_c)?;
    let told = |error: oil::OilError| together(message!("calculator-oil", error = error.to_string()));
    let base = oil::typical(&mixed.grade).map_err(told)?;
    let alone = base.nu_mm2_s(temp).map_err(told)?;
    let nu = match (&mixed.other_grade, mixed.fuel) {
        (Some(other), None) => blend_mm2_s(alone, oil::typical(other).and_then(|other| other.nu_mm2_s(temp)).map_err(told)?, share),
        (None, Some(fuel)) => {
            let fuel = if fuel == crate::circuit::Burns::Diesel { Fuel::Diesel } else { Fuel::Petrol };
            base.diluted(fuel, share).and_then(|thin| thin.nu_mm2_s(temp)).map_err(told)?
        }
        _ => return Err(together(message!("calculator-mixture"))),
    };
    let change_percent = 100.0 * (nu / alone - 1.0);
    Ok(Mixed { nu_mm2_s: nu, alone_mm2_s: alone, change_percent, idle_percent: change_percent })
}
