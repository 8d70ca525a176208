//! Pulses to engine speed.
//!
//! Relation: n = 60·f/z with z pulses a turn of the crank. A four-stroke's ignition gives half a pulse a turn for each cylinder seen by the pickup;
//! a toothed wheel gives its teeth less the gap, counted over whole turns. A counter over a gate of t seconds is out by up to one pulse, so the
//! speed is known to 60/(z·t). Exact.
use super::{CalculatorError, hold, together};
use crate::field;
use crate::message;
use crate::message::number;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A pulse signal.
#[derive(Debug, Clone, Copy, PartialEq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Pulses {
    /// Pulses a second, 0 to 100 000.
    pub hz: f64,
    /// Pulses a turn of the crank, 0.5 to 400: 0.5 on one cylinder's ignition lead, 2 on a four-cylinder's, 58 on a wheel of 60 less 2.
    pub pulses_per_turn: f64,
    /// Time counted over, s, 0.01 to 10.
    #[serde(default = "one_second")]
    pub gate_s: f64,
}

fn one_second() -> f64 {
    1.0
}

/// The speed.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Speed {
    /// Turns a minute.
    pub rpm: f64,
    /// How finely the count can tell it, turns a minute.
    pub resolution_rpm: f64,
}

/// Faster than any engine this is for turns, turns a minute.
const MOST_RPM: f64 = 12_000.0;

/// Engine speed from a pulse signal.
///
/// # Errors
/// [`CalculatorError`] outside the ranges of the input.
///
/// ```
/// # use velvet_dial_core::calculator::{Pulses, speed};
/// let signal = Pulses { hz: 725.0, pulses_per_turn: 58.0, gate_s: 1.0 };
/// assert_eq!(speed(&signal).unwrap().rpm, 750.0);
/// assert!(speed(&Pulses { pulses_per_turn: 0.0, ..signal }).is_err());
/// ```
pub fn speed(signal: &Pulses) -> Result<Speed, CalculatorError> {
    let hz = hold(&field::PULSE_RATE, signal.hz)?;
    let per_turn = hold(&field::PULSES_PER_TURN, signal.pulses_per_turn)?;
    let gate = hold(&field::GATE, signal.gate_s)?;
    let rpm = 60.0 * hz / per_turn;
    if rpm > MOST_RPM {
        return Err(together(message!("calculator-speed", speed = number(rpm, 0), pulses = per_turn, rate = hz)));
    }
    Ok(Speed { rpm, resolution_rpm: 60.0 / (per_turn * gate) })
}
