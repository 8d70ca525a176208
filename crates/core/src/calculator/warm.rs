//! A warm reading to what it will show hot, and the seconds until pressure shows.
//!
//! Both on engines drawn from the card, so the answer is a middle with the range that nine in ten engines of this card keep to: the circuit of [`crate::circuit`],
//! carried from the one temperature to the other by the ratio of its pressures; and its start, empty volume over delivered flow. Source and limits are those of its files.
use super::drawn::{engines, range};
use super::{CalculatorError, hold, together};
use crate::circuit::{self, Card, Circuit, Dry, Working};
use crate::field;
use crate::message;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A reading before the oil is hot.
#[derive(Debug, Clone, PartialEq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Warm {
    /// The engine's card, as in a case file.
    pub engine: Card,
    /// Speed held, turns a minute.
    pub rpm: f64,
    /// Oil temperature now, °C.
    pub oil_temp_c: f64,
    /// Pressure read, kPa.
    pub kpa: f64,
    /// Oil temperature asked about, °C.
    pub to_c: f64,
}

/// What to expect there.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Expected {
    /// Middle, kPa.
    pub kpa: f64,
    /// One engine in twenty shows less, kPa.
    pub low_kpa: f64,
    /// One in twenty more, kPa.
    pub high_kpa: f64,
}

const ENGINES: u32 = 256;

/// The pressure to expect at another oil temperature.
///
/// # Errors
/// [`CalculatorError`] outside the ranges, and for a card that no case file would be taken with.
pub fn warm(reading: &Warm) -> Result<Expected, CalculatorError> {
    let rpm = hold(&field::RPM, reading.rpm)?;
    let (from, to) = (hold(&field::OIL_TEMP, reading.oil_temp_c)?, hold(&field::OIL_TEMP, reading.to_c)?);
    let kpa = hold(&field::PRESSURE, reading.kpa)?;
    let engines = engines(&reading.engine, ENGINES)?;
    let ratio = |circuit: &Circuit| {
        let at = |oil_temp_c: f64| circuit.port_kpa(Working { rpm, oil_temp_c }).max(0.1);
        (at(from), at(to) / at(from))
    };
    // Engines that read anything like this one say how it goes on; where none does, all of them do.
    let all: Vec<(f64, f64)> = engines.iter().map(ratio).collect();
    let like: Vec<f64> = all.iter().filter(|(here, _)| (here / kpa.max(1.0)).ln().abs() < 0.35).map(|(_, ratio)| kpa * ratio).collect();
    let [low_kpa, middle, high_kpa] = range(if like.len() < 10 { all.iter().map(|(_, ratio)| kpa * ratio).collect() } else { like });
    Ok(Expected { kpa: middle, low_kpa, high_kpa })
}

/// A start.
#[derive(Debug, Clone, PartialEq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Build {
    /// The engine's card, as in a case file.
    pub engine: Card,
    /// Speed, turns a minute: 250 or so when it is cranked.
    pub rpm: f64,
    /// Oil temperature, °C.
    pub oil_temp_c: f64,
    /// What is empty after the pump: filter, cooler, gallery, l, 0 to 5.
    pub empty_l: f64,
    /// What is empty before the pump, l, 0 to 5.
    #[serde(default)]
    pub suction_empty_l: f64,
}

/// How long it takes.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct BuildTime {
    /// Middle, s.
    pub seconds: f64,
    /// One engine in twenty takes longer than this, s.
    pub late_s: f64,
    /// Longer than the six seconds after which a start with fuel is broken off: crank without fuel, or prime it first.
    pub crank_without_fuel: bool,
}

const BROKEN_OFF_S: f64 = 6.0;

/// Seconds until pressure shows.
///
/// # Errors
/// [`CalculatorError`] outside the ranges, for a card that no case file would be taken with, and when nothing turns.
pub fn build(start: &Build) -> Result<BuildTime, CalculatorError> {
    let rpm = hold(&field::RPM, start.rpm)?;
    let oil_temp_c = hold(&field::OIL_TEMP, start.oil_temp_c)?;
    let after_pump_m3 = 1e-3 * hold(&field::FILTER_VOLUME, start.empty_l)?;
    let suction_m3 = 1e-3 * hold(&field::FILTER_VOLUME, start.suction_empty_l)?;
    if rpm <= 0.0 {
        return Err(together(message!("calculator-standing")));
    }
    let dry = Dry { after_pump_m3, suction_m3 };
    let seconds = |circuit: &Circuit| match circuit.build_time(Working { rpm, oil_temp_c }, dry) {
        circuit::Build::After(seconds) => seconds,
        circuit::Build::Never => 60.0,
    };
    let [_, middle, late_s] = range(engines(&start.engine, ENGINES)?.iter().map(seconds).collect());
    Ok(BuildTime { seconds: middle, late_s, crank_without_fuel: late_s > BROKEN_OFF_S })
}
