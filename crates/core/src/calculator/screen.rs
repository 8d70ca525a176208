//! A screen's open share to the speed at which the pump starves.
//!
//! Relation: the suction side of [`crate::circuit`] (Bernoulli for line and screen, a floor of 35 kPa absolute at the inlet), on engines drawn from
//! the card: pump size and suction losses are not on it, so the answer is a middle with the range that nine in ten engines of this card keep to. The
//! speed at which the floor is first reached is found to 10 rpm. Source and limits of the relations are those of the circuit's files.
use super::drawn::{engines, range};
use super::{CalculatorError, hold};
use crate::circuit::{Card, Circuit, Working};
use crate::field;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// An engine, how much of its screen is open, and how hot its oil is.
#[derive(Debug, Clone, PartialEq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Screen {
    /// The engine's card, as in a case file.
    pub engine: Card,
    /// Share of the screen that lets light through, 0.005 to 1.
    pub open_share: f64,
    /// Oil temperature, °C, −20 to 150.
    pub oil_temp_c: f64,
}

/// When it starves, none where it does not up to a tenth over its rated speed.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Starving {
    /// On the middle engine of this card, turns a minute.
    pub starves_at_rpm: Option<f64>,
    /// One engine in twenty starves below this, turns a minute.
    pub early_rpm: Option<f64>,
    /// One in twenty above this, or never.
    pub late_rpm: Option<f64>,
    /// Rated speed of the card, turns a minute: the pump and its suction are sized for it.
    pub rated_rpm: f64,
}

const ENGINES: u32 = 128;
/// Speeds looked at, over the rated one.
const FASTEST: f64 = 1.1;
const FINE_RPM: f64 = 10.0;

/// The speed at which a pump behind this screen starves.
///
/// # Errors
/// [`CalculatorError`] outside the ranges, for an unknown grade of oil, and for a card that no case file would be taken with.
///
/// ```
/// # use velvet_dial_core::calculator::Calculator;
/// let screen = Calculator::named("screen").unwrap();
/// let out = screen.run(screen.example).unwrap();
/// assert!(out["starves_at_rpm"].as_f64().unwrap() < 5000.0);
/// assert!(screen.run(&screen.example.replace("0.08", "0")).is_err());
/// ```
pub fn starving(screen: &Screen) -> Result<Starving, CalculatorError> {
    let open = hold(&field::OPEN_SHARE, screen.open_share)?;
    let oil_temp_c = hold(&field::OIL_TEMP, screen.oil_temp_c)?;
    let rated_rpm = screen.engine.rated_rpm();
    let fastest_rpm = FASTEST * rated_rpm;
    let starts = |circuit: Circuit| starts_at(circuit, fastest_rpm, (open, oil_temp_c));
    let speeds = engines(&screen.engine, ENGINES)?.into_iter().map(starts).collect();
    let [early_rpm, starves_at_rpm, late_rpm] = range(speeds).map(|rpm| Some(rpm).filter(|rpm| *rpm <= fastest_rpm));
    Ok(Starving { starves_at_rpm, early_rpm, late_rpm, rated_rpm })
}

fn starts_at(mut circuit: Circuit, fastest_rpm: f64, (open, oil_temp_c): (f64, f64)) -> f64 {
    circuit.suction.screen_m2 *= open;
    let starves = |rpm: f64| circuit.solve(Working { rpm, oil_temp_c }).drawn.starving;
    let (mut low, mut high) = (0.0, fastest_rpm);
    if !starves(high) {
        return f64::INFINITY;
    }
    while high - low > FINE_RPM {
        let middle = 0.5 * (low + high);
        if starves(middle) { high = middle } else { low = middle }
    }
    high
}
