//! Dash or module against the test gauge: is the fault in the indication?
//!
//! Relation: the difference over its doubt. Both are limits of error (rectangular, a/√3; JCGM 100, 4.3.7); a difference over twice the combined
//! standard uncertainty is not chance (95 %). A dash sender is good to a tenth of its reading and 15 kPa where its sheet says nothing. The outcome is the word
//! of the check `module_compare`. Checked by properties (`tests/calculator.rs`).
use super::{CalculatorError, hold, together};
use crate::field;
use crate::instrument::Instrument;
use crate::message;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Pairs read at the same moment, and the test gauge.
#[derive(Debug, Clone, PartialEq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Dash {
    /// The test gauge; the ordinary workshop gauge without it.
    #[serde(default)]
    pub gauge: Instrument,
    /// Dash or module's error, percent of its reading; 10 where its sheet says nothing.
    #[serde(default = "ten")]
    pub dash_percent: f64,
    /// The last mark of the dash, kPa: at it the needle cannot show more.
    #[serde(default)]
    pub dash_full_scale_kpa: Option<f64>,
    /// One or more pairs, at idle and at 2000.
    pub pairs: Vec<Pair>,
    /// The dash jumped while the test gauge stood still.
    #[serde(default)]
    pub jumped: bool,
}

fn ten() -> f64 {
    10.0
}

/// Both at the same moment.
#[derive(Debug, Clone, Copy, PartialEq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Pair {
    /// Test gauge, kPa.
    pub gauge_kpa: f64,
    /// Dash or module, kPa.
    pub dash_kpa: f64,
}

/// What the comparison says.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Agreement {
    /// They agree within what both can tell.
    Agrees,
    /// The dash reads low: the fault is in the indication.
    ReadsLow,
    /// The dash reads high: it hides a low pressure.
    ReadsHigh,
    /// The dash jumps.
    Jumps,
}

/// The comparison.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Compared {
    /// What it says, in the words of `module_compare`; `reads_high` is no outcome there.
    pub outcome: Agreement,
    /// Dash less gauge at the pair that disagrees most, kPa.
    pub difference_kpa: f64,
    /// Standard uncertainty of that difference, kPa.
    pub u_kpa: f64,
}

const DASH_FLOOR_KPA: f64 = 15.0;
const NOT_CHANCE: f64 = 2.0;

/// Whether dash and test gauge agree.
///
/// # Errors
/// [`CalculatorError`] outside the ranges and without a pair.
///
/// ```
/// # use velvet_dial_core::calculator::Calculator;
/// let dash = Calculator::named("dash").unwrap();
/// assert_eq!(dash.run(dash.example).unwrap()["outcome"], "reads_low");
/// assert!(dash.run(r#"{ "pairs": [] }"#).is_err());
/// ```
pub fn compare(dash: &Dash) -> Result<Compared, CalculatorError> {
    let percent = hold(&field::DASH_PERCENT, dash.dash_percent)?;
    hold(&field::FULL_SCALE, dash.gauge.full_scale_kpa)?;
    hold(&field::CLASS, dash.gauge.class_percent)?;
    hold(&field::GRADUATION, dash.gauge.graduation_kpa)?;
    let own = dash.gauge.own_u_kpa();
    let top = dash.dash_full_scale_kpa.map(|kpa| hold(&field::FULL_SCALE, kpa)).transpose()?;
    let mut worst: Option<(f64, f64)> = None;
    for pair in &dash.pairs {
        let gauge = hold(&field::PRESSURE, pair.gauge_kpa)?;
        let shown = hold(&field::PRESSURE, pair.dash_kpa)?;
        // A dash at its last mark says only that the pressure is no less.
        let pegged = top.is_some_and(|top| shown >= 0.98 * top);
        let gauge = if pegged { gauge.min(shown) } else { gauge };
        let u = own.hypot((percent / 100.0 * gauge.max(shown) + DASH_FLOOR_KPA) / 3f64.sqrt());
        if worst.is_none_or(|(difference, of)| (shown - gauge).abs() / u > difference.abs() / of) {
            worst = Some((shown - gauge, u));
        }
    }
    let (difference_kpa, u_kpa) = worst.ok_or_else(|| together(message!("calculator-nothing-to-compare")))?;
    let outcome = match difference_kpa / u_kpa {
        _ if dash.jumped => Agreement::Jumps,
        far if far < -NOT_CHANCE => Agreement::ReadsLow,
        far if far > NOT_CHANCE => Agreement::ReadsHigh,
        _ => Agreement::Agrees,
    };
    Ok(Compared { outcome, difference_kpa, u_kpa })
}
