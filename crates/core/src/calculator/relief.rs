//! Relief valve: the spring's force over the plunger's area.
//!
//! Relation: p = k·(L_free − L_fitted)/(π d²/4), Hooke's law over the area the pressure acts on; a turn of the adjuster changes L_fitted by its
//! pitch, a shim by its thickness. Exact for a spring in its straight range and a plunger that pressure meets on its whole face; a stepped plunger
//! needs its own area. Checked against p·A = k·x worked by hand and against the inverse (`tests/calculator.rs`).
use super::{CalculatorError, hold, none, together};
use crate::field;
use crate::message;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::f64::consts::PI;

/// A relief valve as it is measured on the bench.
#[derive(Debug, Clone, PartialEq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ReliefValve {
    /// Spring rate, N/mm, 0.1 to 100.
    pub rate_n_mm: f64,
    /// Free length of the spring, mm, 5 to 200.
    pub free_mm: f64,
    /// Length of the spring fitted, valve shut, mm, 5 to 200 and less than free.
    pub fitted_mm: f64,
    /// Diameter of the plunger's face, mm, 3 to 60.
    pub plunger_mm: f64,
    /// Pitch of the adjuster's thread, mm, 0.3 to 3; without it there is none.
    #[serde(default)]
    pub pitch_mm: Option<f64>,
    /// Shim put under the spring, mm, 0 to 10.
    #[serde(default = "none")]
    pub shim_mm: f64,
    /// Length of the spring with all its coils together, mm, 5 to 200; without it the spring is never told to be solid.
    #[serde(default)]
    pub solid_mm: Option<f64>,
    /// Pressure at which the force on the plunger is asked, kPa; the opening pressure without it.
    #[serde(default)]
    pub at_kpa: Option<f64>,
    /// Opening pressure wanted, kPa; answered by turns and by a shim.
    #[serde(default)]
    pub wanted_kpa: Option<f64>,
}

/// What it does.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Opens {
    /// Opening pressure with the shim, kPa.
    pub opens_kpa: f64,
    /// Without it, kPa.
    pub without_shim_kpa: f64,
    /// Change for one turn of the adjuster, kPa.
    pub per_turn_kpa: Option<f64>,
    /// Change for a millimetre of shim, kPa.
    pub per_mm_kpa: f64,
    /// Force on the plunger at the pressure asked, N.
    pub force_n: f64,
    /// Turns to the pressure wanted, to the half turn; in is positive. None where no adjuster goes so far.
    pub turns_to_wanted: Option<f64>,
    /// Shim to the pressure wanted beside what is in, mm; negative when it must come out.
    pub shim_to_wanted_mm: Option<f64>,
    /// What the hand minds, in sentences.
    pub mind: Vec<String>,
}

/// Turns that an adjuster has at most.
const MOST_TURNS: f64 = 8.0;
/// A valve set up by more than this share of what it was is set up to hide something.
const HIDES: f64 = 0.1;

/// Opening pressure, the effect of adjuster and shim, and the force on the plunger.
///
/// # Errors
/// [`CalculatorError`] outside the ranges of the input, and when the fitted spring is not shorter than the free one.
///
/// ```
/// # use velvet_dial_core::calculator::{ReliefValve, relief};
/// let valve = ReliefValve { rate_n_mm: 6.0, free_mm: 62.0, fitted_mm: 50.0, plunger_mm: 14.0, pitch_mm: None, shim_mm: 0.0, solid_mm: None, at_kpa: None, wanted_kpa: None };
/// assert!((relief(&valve).unwrap().opens_kpa - 467.7).abs() < 0.1);
/// assert!(relief(&ReliefValve { fitted_mm: 70.0, ..valve }).is_err());
/// ```
pub fn relief(valve: &ReliefValve) -> Result<Opens, CalculatorError> {
    let rate = hold(&field::SPRING_RATE, valve.rate_n_mm)?;
    let free = hold(&field::SPRING_LENGTH, valve.free_mm)?;
    let fitted = hold(&field::SPRING_LENGTH, valve.fitted_mm)?;
    let plunger = hold(&field::PLUNGER, valve.plunger_mm)?;
    let shim = hold(&field::SHIM, valve.shim_mm)?;
    let pitch = valve.pitch_mm.map(|pitch| hold(&field::PITCH, pitch)).transpose()?;
    if fitted >= free {
        return Err(together(message!("calculator-spring-longer", free = free, fitted = fitted)));
    }
    if shim >= fitted {
        return Err(together(message!("calculator-shim", shim = shim, fitted = fitted)));
    }
    // N/mm² is MPa; a thousand of them a GPa, so 1e3 gives kPa.
    let area_mm2 = PI * plunger * plunger / 4.0;
    let per_mm_kpa = 1e3 * rate / area_mm2;
    let without_shim_kpa = per_mm_kpa * (free - fitted);
    let opens_kpa = without_shim_kpa + per_mm_kpa * shim;
    let at_kpa = valve.at_kpa.map(|kpa| hold(&field::PRESSURE, kpa)).transpose()?.unwrap_or(opens_kpa);
    let wanted = valve.wanted_kpa.map(|kpa| hold(&field::PRESSURE, kpa)).transpose()?;
    let solid = valve.solid_mm.map(|solid| hold(&field::SPRING_LENGTH, solid)).transpose()?;
    if let Some(solid) = solid
        && solid >= fitted
    {
        return Err(together(message!("calculator-spring-solid", fitted = fitted, solid = solid)));
    }
    if wanted.is_some_and(|wanted| wanted <= 0.0) {
        return Err(together(message!("calculator-opens-at-nothing")));
    }
    let per_turn_kpa = pitch.map(|pitch| per_mm_kpa * pitch);
    let turns = wanted.zip(per_turn_kpa).map(|(wanted, per_turn)| (2.0 * (wanted - opens_kpa) / per_turn).round() / 2.0 + 0.0);
    let more_mm = wanted.map(|wanted| (wanted - opens_kpa) / per_mm_kpa);
    let mut mind = Vec::new();
    if turns.is_some_and(|turns| turns.abs() > MOST_TURNS) {
        mind.push(format!(
            "No adjuster has the turns for that ({:.0}): this is another spring, or another fault.",
            turns.unwrap_or_default()
        ));
    }
    // What is left of the spring when the plunger has lifted by a tenth of its diameter must be more than its coils.
    let lift = 0.1 * plunger;
    if solid.is_some_and(|solid| fitted - shim - more_mm.unwrap_or(0.0) - lift <= solid) {
        mind.push("The spring would be solid before the plunger has lifted: the valve does not open.".to_owned());
    }
    if wanted.unwrap_or(opens_kpa) > (1.0 + HIDES) * without_shim_kpa {
        mind.push(
            "This sets it higher than the spring alone does. Never use it to hide wear; a cooler behind it may get too little oil."
                .to_owned(),
        );
    }
    Ok(Opens {
        opens_kpa,
        without_shim_kpa,
        per_turn_kpa,
        per_mm_kpa,
        force_n: 1e-3 * at_kpa * area_mm2,
        turns_to_wanted: turns.filter(|turns| turns.abs() <= MOST_TURNS),
        shim_to_wanted_mm: more_mm,
        mind,
    })
}
