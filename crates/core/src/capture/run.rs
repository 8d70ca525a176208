//! A run as channels on one clock.

use crate::message::Message;

/// A run, column by column, in the order of time. A channel that was not recorded is empty; a moment at which one says nothing is not a number.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Run {
    /// Seconds from the file's own zero.
    pub time_s: Vec<f64>,
    /// Pressure, kPa. Negative values are kept: they tell of the zero.
    pub kpa: Vec<f64>,
    /// Speed, turns a minute.
    pub rpm: Vec<f64>,
    /// Oil temperature, °C.
    pub oil_temp_c: Vec<f64>,
    /// The vehicle's own pressure, kPa.
    pub dash_kpa: Vec<f64>,
    /// Pulses a turn that speed was worked out with.
    pub pulses_per_turn: Option<f64>,
    /// What was left out or taken for granted, in sentences.
    pub notes: Vec<Message>,
}
