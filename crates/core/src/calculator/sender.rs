//! Volts to pressure, and the pressure at which a lamp lights.
//!
//! Transducer: p = full scale·(U − U0)/(U_high − U_low); on a ratiometric one the volts are those of a supply of 5 V and go with the supply. The zero measured with the
//! line open takes the place of the stated one. Lamp: an idle near the switch's opening pressure flickers; pressure near idle goes about in proportion to speed.
use super::{CalculatorError, hold, together};
use crate::field;
use crate::message;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A transducer's signal.
#[derive(Debug, Clone, Copy, PartialEq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Transducer {
    /// Signal, V, 0 to 30.
    pub volts: f64,
    /// Supply measured, V.
    pub supply_v: f64,
    /// Signal at no pressure by its sheet, V.
    pub low_v: f64,
    /// Signal at full scale by its sheet, V.
    pub high_v: f64,
    /// Full scale, kPa.
    pub full_scale_kpa: f64,
    /// Its volts go with its supply, and its sheet's are for 5 V.
    #[serde(default)]
    pub ratiometric: bool,
    /// Signal measured with the line open, V.
    #[serde(default)]
    pub zero_v: Option<f64>,
}

/// What it reads.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Reads {
    /// Pressure, kPa.
    pub kpa: f64,
    /// How far its zero is off by its sheet, kPa.
    pub zero_off_kpa: f64,
    /// What is odd about the signal.
    pub mind: Option<String>,
}

/// Pressure from volts.
///
/// # Errors
/// [`CalculatorError`] outside the ranges, and when the span is not one.
pub fn transducer(signal: &Transducer) -> Result<Reads, CalculatorError> {
    let volts = hold(&field::VOLTS, signal.volts)?;
    let supply = hold(&field::VOLTS, signal.supply_v)?;
    let (low, high) = (hold(&field::VOLTS, signal.low_v)?, hold(&field::VOLTS, signal.high_v)?);
    let full = hold(&field::FULL_SCALE, signal.full_scale_kpa)?;
    if high <= low {
        return Err(together(message!("calculator-signal", low = low, high = high)));
    }
    if signal.ratiometric && supply < 1.0 {
        return Err(together(message!("calculator-supply", supply = supply)));
    }
    let scale = if signal.ratiometric { supply / 5.0 } else { 1.0 };
    let stated = low * scale;
    let zero = signal.zero_v.map(|zero| hold(&field::VOLTS, zero)).transpose()?.unwrap_or(stated);
    let per_volt = full / ((high - low) * scale);
    let kpa = per_volt * (volts - zero);
    let mind = if volts < 0.5 * stated {
        Some("The signal is under its own zero: a wire is open or the supply is missing.".to_owned())
    } else if kpa > 1.02 * full {
        Some("Over its full scale: it reads no more, and may be overloaded.".to_owned())
    } else if kpa < -0.02 * full {
        Some("Less than no pressure: zero it again with the line open.".to_owned())
    } else {
        None
    };
    Ok(Reads { kpa, zero_off_kpa: per_volt * (zero - stated), mind })
}

/// A lamp switch and an idle.
#[derive(Debug, Clone, Copy, PartialEq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct LampSwitch {
    /// Pressure at which it opens, kPa.
    pub opens_kpa: f64,
    /// How far that differs from switch to switch, kPa either side.
    pub spread_kpa: f64,
    /// Idle speed, turns a minute.
    pub idle_rpm: f64,
    /// Pressure read there, kPa.
    pub idle_kpa: f64,
}

/// When it lights.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Lights {
    /// The lamp is surely on at this idle.
    pub surely_on: bool,
    /// The lamp is surely off at this idle.
    pub surely_off: bool,
    /// Speed under which it lights on this engine as it is, turns a minute.
    pub lights_under_rpm: f64,
}

/// At which idle a lamp lights.
///
/// # Errors
/// [`CalculatorError`] outside the ranges, and for an idle without pressure.
pub fn lamp_switch(switch: &LampSwitch) -> Result<Lights, CalculatorError> {
    let opens = hold(&field::PRESSURE, switch.opens_kpa)?;
    let spread = hold(&field::SPREAD, switch.spread_kpa)?;
    let idle_rpm = hold(&field::IDLE, switch.idle_rpm)?;
    let idle_kpa = hold(&field::PRESSURE, switch.idle_kpa)?;
    if idle_kpa <= 0.0 {
        return Err(together(message!("calculator-idle-without-pressure")));
    }
    Ok(Lights {
        surely_on: idle_kpa < opens - spread,
        surely_off: idle_kpa > opens + spread,
        lights_under_rpm: idle_rpm * opens / idle_kpa,
    })
}
