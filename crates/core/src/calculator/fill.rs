//! First fill and top-up: what to pour before the start, and what the filter takes after it.
//!
//! Relation: volumes add. The first fill stops short of full by a tenth of a litre for each litre (at most half a litre), so that it can be brought
//! up to the mark and never has to be drained; what an empty filter takes is poured after the first start. Ranges are those of the input.
use super::{CalculatorError, hold, none, together};
use crate::field;
use crate::message;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What the sheet says and what was drained.
#[derive(Debug, Clone, Copy, PartialEq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Fill {
    /// Capacity with filter by the sheet, litres, 0.2 to 60.
    pub capacity_l: f64,
    /// What the filter holds, litres, 0 to 5.
    pub filter_l: f64,
    /// The filter was filled before it was fitted.
    #[serde(default)]
    pub filter_filled: bool,
    /// Oil that stayed in galleries, head and cooler, litres, 0 to 10; nothing after a rebuild.
    #[serde(default = "none")]
    pub left_in_l: f64,
    /// Volume emptied by the work beside what the sheet's oil change empties (cooler, hoses, galleries of a rebuilt engine), litres, 0 to 10.
    #[serde(default = "none")]
    pub emptied_too_l: f64,
}

/// What to pour.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Filled {
    /// Before the first start, litres.
    pub first_l: f64,
    /// After it, litres: to be poured in steps, on the stick.
    pub top_up_l: f64,
    /// Together, litres.
    pub total_l: f64,
}

/// What to pour before the first start and after it.
///
/// # Errors
/// [`CalculatorError`] outside the ranges, and when filter or what was left in is more than the whole.
///
/// ```
/// # use velvet_dial_core::calculator::{Fill, fill};
/// let job = Fill { capacity_l: 4.5, filter_l: 0.4, filter_filled: false, left_in_l: 0.0, emptied_too_l: 0.0 };
/// assert!((fill(&job).unwrap().first_l - 3.65).abs() < 1e-9);
/// assert!(fill(&Fill { left_in_l: 5.0, ..job }).is_err());
/// ```
pub fn fill(job: &Fill) -> Result<Filled, CalculatorError> {
    let capacity = hold(&field::CAPACITY, job.capacity_l)?;
    let filter = hold(&field::FILTER_VOLUME, job.filter_l)?;
    let left_in = hold(&field::LEFT_IN, job.left_in_l)?;
    let emptied_too = hold(&field::LEFT_IN, job.emptied_too_l)?;
    let total_l = capacity + emptied_too - left_in;
    if total_l <= filter {
        return Err(together(message!("calculator-fill", capacity = capacity, left = left_in, filter = filter)));
    }
    let after_start = if job.filter_filled { 0.0 } else { filter } + emptied_too;
    let short = (0.1 * capacity).min(0.5);
    // What is in a filled filter need not be poured.
    let poured_l = if job.filter_filled { total_l - filter } else { total_l };
    let top_up_l = (after_start + short).min(poured_l);
    Ok(Filled { first_l: poured_l - top_up_l, top_up_l, total_l: poured_l })
}
