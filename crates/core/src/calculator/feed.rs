//! The bore of a home-made feed's restrictor, from the gauge before and after a trial.
//!
//! Nobody knows the flow of such a feed, but the gauge does: with the feed shut the bearings' leaks alone hold the gallery at P₀, with the bore that is in it at P₁. At one held speed, one oil
//! temperature and under the relief's pressure a pump delivers the same, a bearing takes in proportion to pressure and a bore in proportion to its area and the root of pressure, so
//! d₂² = d₁²·(P₀ − P₂)/(P₀ − P₁)·√(P₁/P₂) for a wanted P₂. Good while the relief valve is shut at all three and the head's own pressure is small beside the gallery's. Checked by properties.
use super::{CalculatorError, LEAST_BORE_MM, hold, together};
use crate::field;
use crate::message;
use crate::message::typed;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What the gauge read with the feed open and shut, and what is wanted.
#[derive(Debug, Clone, Copy, PartialEq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct FeedTrial {
    /// Bore that is in the feed now, mm, 0.3 to 20.
    pub bore_mm: f64,
    /// Pressure with that bore, kPa.
    pub open_kpa: f64,
    /// Pressure with the feed crimped or shut off, same speed and oil temperature, kPa.
    pub shut_kpa: f64,
    /// Pressure wanted at that speed and oil temperature, between the two, kPa.
    pub wanted_kpa: f64,
}

/// The bore that follows.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct FeedBore {
    /// Bore, mm.
    pub bore_mm: f64,
    /// How much less the feed takes then, percent.
    pub takes_less_percent: f64,
    /// It is so small that the first dirt blocks it: then the head is at risk.
    pub blocks_easily: bool,
}

/// The bore of the restrictor that gives the wanted pressure.
///
/// # Errors
/// [`CalculatorError`] outside the ranges, and where the three pressures do not rise from open to wanted to shut.
pub fn feed_bore(trial: &FeedTrial) -> Result<FeedBore, CalculatorError> {
    let bore = hold(&field::BORE, trial.bore_mm)?;
    let open = hold(&field::PRESSURE, trial.open_kpa)?;
    let shut = hold(&field::PRESSURE, trial.shut_kpa)?;
    let wanted = hold(&field::PRESSURE, trial.wanted_kpa)?;
    if !(open > 0.0 && open < wanted && wanted < shut) {
        return Err(together(message!("calculator-feed", open = typed(open), wanted = typed(wanted), shut = typed(shut))));
    }
    let bore_mm = bore * ((shut - wanted) / (shut - open) * (open / wanted).sqrt()).sqrt();
    let takes = (shut - wanted) / (shut - open);
    Ok(FeedBore { bore_mm, takes_less_percent: 100.0 * (1.0 - takes), blocks_easily: bore_mm < LEAST_BORE_MM })
}
