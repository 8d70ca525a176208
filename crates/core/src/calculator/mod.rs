//! What a technician works out beside the job: small pure functions, each in a file with its relation, units, limits and source.
//!
//! Every calculator takes one described input and gives one described output, so a screen, a test and the command line call the same thing;
//! [`ALL`] is their list. Ranges stand in [`crate::field`]; a value outside is an error that says what would be right.
pub mod asked;
mod dash;
mod drawn;
mod feed;
mod fill;
mod flow;
mod gauge;
mod mixture;
mod pulses;
mod relief;
mod screen;
mod sender;
mod strip;
mod thread;
mod tilt;
mod timetable;
mod warm;

pub use dash::{Agreement, Compared, Dash, Pair, compare};
pub use feed::{FeedBore, FeedTrial, feed_bore};
pub use fill::{Fill, Filled, fill};
pub use flow::{Bearings, Journal, JournalMap, LEAST_BORE_MM, Restrictor, Restricts, journal_map, restrictor};
pub use gauge::{Candidate, Choice, GaugeChoice, Suited, choose};
pub use mixture::{Mixed, Mixture, mixture};
pub use pulses::{Pulses, Speed, speed};
pub use relief::{Opens, ReliefValve, relief};
pub use screen::{Screen, Starving, starving};
pub use sender::{LampSwitch, Lights, Reads, Transducer, lamp_switch, transducer};
pub use strip::{Gap, Print, Strip, strip};
pub use thread::{Lookalike, Match, Origin, Stamp, ThreadMeasured, which};
pub use tilt::{Covered, Sump, Way, tilt};
pub use timetable::{Planned, Step, Task, Timetable, timetable};

pub use warm::{Build, BuildTime, Expected, Warm, build, warm};

use crate::field::{Field, FieldError};
use crate::json;
use crate::message::Message;
use crate::unit::{Units, figures};
use serde::Serialize;
use serde::de::DeserializeOwned;
use thiserror::Error;

/// Why a figure could not be worked out.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum CalculatorError {
    /// A number out of its range.
    #[error(transparent)]
    Field(#[from] FieldError),
    /// Numbers that are each in range and do not go together; the sentence says what would.
    #[error("{0}")]
    Together(Message),
    /// Input that is not what this calculator takes.
    #[error("{path}: {message}")]
    Input {
        /// Where.
        path: String,
        /// What is wrong.
        message: String,
    },
}

impl CalculatorError {
    /// In words, with its figures in these units.
    pub fn words(&self, units: Units) -> String {
        if let Self::Together(message) = self { message.words(units) } else { self.to_string() }
    }
}

/// A calculator by name, for the command line and for tests over all of them.
#[derive(Debug, Clone, Copy)]
pub struct Calculator {
    /// Its word.
    pub name: &'static str,
    /// What it answers, in a line.
    pub answers: &'static str,
    /// An input that works, as JSON.
    pub example: &'static str,
    run: fn(&str) -> Result<serde_json::Value, CalculatorError>,
    describe: fn() -> schemars::Schema,
}

impl Calculator {
    /// The output as JSON for an input as JSON.
    ///
    /// # Errors
    /// [`CalculatorError`] when the input is not this calculator's, out of range, or does not go together.
    ///
    /// ```
    /// # use velvet_dial_core::calculator::Calculator;
    /// let pulses = Calculator::named("pulses").unwrap();
    /// assert_eq!(pulses.run(r#"{ "hz": 100, "pulses_per_turn": 2 }"#).unwrap()["rpm"], 3000.0);
    /// assert!(pulses.run(r#"{ "hz": -1, "pulses_per_turn": 2 }"#).is_err());
    /// ```
    pub fn run(&self, input: &str) -> Result<serde_json::Value, CalculatorError> {
        (self.run)(input)
    }

    /// The JSON Schema of its input.
    pub fn schema(&self) -> schemars::Schema {
        (self.describe)()
    }

    /// The calculator of this name.
    pub fn named(name: &str) -> Option<&'static Self> {
        ALL.iter().find(|calculator| calculator.name == name)
    }
}

macro_rules! calculators {
    ($($name:literal, $answers:literal, $example:literal, $input:ty => $function:path;)+) => {
        /// Every calculator.
        pub const ALL: &[Calculator] = &[$(Calculator {
            name: $name,
            answers: $answers,
            example: $example,
            run: |input| answer(input, $function),
            describe: || schemars::schema_for!($input),
        }),+];
    };
}

calculators! {
    "relief", "Relief valve: opening pressure, what a turn or a shim does, force on the plunger",
        r#"{ "rate_n_mm": 6, "free_mm": 62, "fitted_mm": 50, "plunger_mm": 14, "pitch_mm": 1.5, "shim_mm": 1, "wanted_kpa": 500 }"#, ReliefValve => relief;
    "strip", "Plastic clearance strip: clearance, taper, and how much more it leaks than new",
        r#"{ "wire_mm": 0.4, "width_mm": 1.8, "other_end_mm": 1.6, "new_mm": 0.04 }"#, Strip => strip;
    "tilt", "Sump on a slope: is the pickup's joint under oil, and which way covers it",
        r#"{ "length_mm": 400, "width_mm": 220, "depth_mm": 120, "oil_l": 4, "slope_deg": 10, "joint_from_front_mm": 90, "joint_height_mm": 60 }"#, Sump => tilt;
    "pulses", "Pulses to engine speed", r#"{ "hz": 100, "pulses_per_turn": 2, "gate_s": 0.5 }"#, Pulses => speed;
    "gauge", "Which gauge of the shop for this job, cold and hot",
        r#"{ "least_kpa": 100, "working_kpa": 400, "cold_peak_kpa": 700, "gauges": [ { "name": "narrow", "full_scale_kpa": 600, "class_percent": 1.0, "graduation_kpa": 10 } ] }"#, GaugeChoice => choose;
    "dash", "Dash or module against the test gauge", r#"{ "pairs": [ { "gauge_kpa": 190, "dash_kpa": 60 }, { "gauge_kpa": 380, "dash_kpa": 120 } ] }"#, Dash => compare;
    "thread", "Which thread this is, and what it is mistaken for",
        r#"{ "diameter_mm": 10.2, "turns_per_inch": 27, "tapered": true }"#, ThreadMeasured => which;
    "fill", "First fill and top-up", r#"{ "capacity_l": 4.5, "filter_l": 0.4, "left_in_l": 0.3 }"#, Fill => fill;
    "timetable", "The repair against the clock, backwards from the hand-over",
        r#"{ "hand_over": "2026-03-06T16:00:00", "tasks": [ { "name": "Sump on", "minutes": 60 }, { "name": "Sealant cures", "minutes": 720, "unattended": true }, { "name": "Fill and prove", "minutes": 90 } ] }"#, Timetable => timetable;
    "warm", "A warm reading to what it will show hot",
        r#"{ "engine": { "displacement_l": 2.0, "cylinders": 4, "idle_rpm": 750, "oil_grade": "5W-30" }, "rpm": 750, "oil_temp_c": 70, "kpa": 190, "to_c": 100 }"#, Warm => warm;
    "build", "Seconds until pressure shows, from what is empty",
        r#"{ "engine": { "displacement_l": 2.0, "cylinders": 4, "idle_rpm": 750, "oil_grade": "5W-30" }, "rpm": 250, "oil_temp_c": 15, "empty_l": 0.4, "suction_empty_l": 0.05 }"#, Build => build;
    "restrictor", "Bore of a restrictor for a wanted flow",
        r#"{ "flow_l_min": 2.0, "before_kpa": 300, "behind_kpa": 120, "oil_grade": "5W-30", "oil_temp_c": 100 }"#, Restrictor => restrictor;
    "feed_bore", "Restrictor of a home-made feed, from the gauge with the feed open and shut",
        r#"{ "bore_mm": 3.0, "open_kpa": 150, "shut_kpa": 260, "wanted_kpa": 220 }"#, FeedTrial => feed_bore;
    "journals", "Journal map: the share of the leak each journal takes, and what renewing the bad ones gives back",
        r#"{ "new_mm": 0.04, "limit_mm": 0.07, "kpa": 60, "other_share": 0.3, "clearances_mm": [0.045, 0.05, 0.09, 0.06] }"#, JournalMap => journal_map;
    "transducer", "Volts to pressure", r#"{ "volts": 1.3, "supply_v": 5.0, "low_v": 0.5, "high_v": 4.5, "full_scale_kpa": 1000, "ratiometric": true, "zero_v": 0.51 }"#, Transducer => transducer;
    "lamp", "Lamp switch: at which idle it lights", r#"{ "opens_kpa": 40, "spread_kpa": 12, "idle_rpm": 750, "idle_kpa": 62 }"#, LampSwitch => lamp_switch;
    "mixture", "Two oils, or fuel in oil, to viscosity", r#"{ "grade": "5W-30", "other_grade": "15W-40", "other_share": 0.3, "oil_temp_c": 100 }"#, Mixture => mixture;
    "screen", "Screen's open share to the speed at which the pump starves",
        r#"{ "engine": { "displacement_l": 2.0, "cylinders": 4, "idle_rpm": 750, "oil_grade": "5W-30" }, "open_share": 0.08, "oil_temp_c": 90 }"#, Screen => starving;
}

fn answer<I: DeserializeOwned, O: Serialize>(
    input: &str,
    function: fn(&I) -> Result<O, CalculatorError>,
) -> Result<serde_json::Value, CalculatorError> {
    let not_taken = |path: String, message: String| CalculatorError::Input { path, message };
    let read: I = json::read(input.as_bytes()).map_err(|refused| not_taken(refused.path.clone(), refused.plain()))?;
    let mut answer = serde_json::to_value(function(&read)?).map_err(|error| not_taken(".".into(), error.to_string()))?;
    round(&mut answer);
    Ok(answer)
}

/// Every number of an answer to four figures: what is finer nobody measured.
fn round(value: &mut serde_json::Value) {
    match value {
        serde_json::Value::Number(number) if number.is_f64() => {
            if let Some(rounded) = number.as_f64().map(figures).and_then(serde_json::Number::from_f64) {
                *number = rounded;
            }
        }
        serde_json::Value::Array(list) => list.iter_mut().for_each(round),
        serde_json::Value::Object(object) => object.values_mut().for_each(round),
        _ => {}
    }
}

fn hold(field: &Field, value: f64) -> Result<f64, CalculatorError> {
    Ok(field.hold(value)?)
}

fn together(sentence: Message) -> CalculatorError {
    CalculatorError::Together(sentence)
}

/// For inputs that default to nothing added.
fn none() -> f64 {
    0.0
}

/// A length of pipe thread is measured in turns to an inch of 25.4 mm.
const INCH_MM: f64 = 25.4;
