//! Flow through a restrictor, and the leak each journal takes.
//!
//! Restrictor: a sharp-edged bore passes Q = Cd·A·√(2Δp/ρ) with Cd = 0.62 (ISO 5167-2 for large Reynolds number), so d = √(4Q/(π·Cd·√(2Δp/ρ))). A bore longer than
//! it is wide passes less; one under 0.8 mm is blocked by the first dirt. Journals: at one pressure and oil each leaks as the cube of its clearance (Cameron, *Basic Lubrication
//! Theory*, ch. 7), and what a pump with little slip delivers is shared, so pressure goes as the inverse of all leaks together. Checked by properties.
use super::{CalculatorError, hold, together};
use crate::message;
use crate::message::typed;
use crate::{field, oil};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::f64::consts::PI;

/// What is to pass, and between which pressures.
#[derive(Debug, Clone, PartialEq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Restrictor {
    /// Flow wanted, l/min, 0.01 to 100.
    pub flow_l_min: f64,
    /// Pressure before it, kPa.
    pub before_kpa: f64,
    /// Pressure behind it, kPa, less than before.
    pub behind_kpa: f64,
    /// Grade of the oil.
    pub oil_grade: String,
    /// Oil temperature, °C.
    pub oil_temp_c: f64,
}

/// The bore.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Restricts {
    /// Bore, mm.
    pub bore_mm: f64,
    /// It is so small that the first dirt blocks it.
    pub blocks_easily: bool,
}

const CD: f64 = 0.62;
/// A smaller bore is blocked by the first dirt, mm.
pub const LEAST_BORE_MM: f64 = 0.8;

/// The bore that passes a flow.
///
/// # Errors
/// [`CalculatorError`] outside the ranges, for an unknown grade, and when the pressure does not fall.
pub fn restrictor(wanted: &Restrictor) -> Result<Restricts, CalculatorError> {
    let flow = hold(&field::FLOW, wanted.flow_l_min)?;
    let before = hold(&field::PRESSURE, wanted.before_kpa)?;
    let behind = hold(&field::PRESSURE, wanted.behind_kpa)?;
    let temp = hold(&field::OIL_TEMP, wanted.oil_temp_c)?;
    if behind >= before {
        return Err(together(message!("calculator-restrictor", behind = typed(behind), before = typed(before))));
    }
    let oil = oil::typical(&wanted.oil_grade).map_err(|error| together(message!("calculator-oil", error = error.to_string())))?;
    let speed = (2.0 * 1e3 * (before - behind) / oil.density_kg_m3(temp)).sqrt();
    let bore_mm = 1e3 * (4.0 * flow / 60_000.0 / (PI * CD * speed)).sqrt();
    Ok(Restricts { bore_mm, blocks_easily: bore_mm < LEAST_BORE_MM })
}

/// Clearances measured, journal by journal, in the oil's order.
#[derive(Debug, Clone, PartialEq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct JournalMap {
    /// Clearance of a new bearing by the sheet, mm, 0.005 to 0.5.
    pub new_mm: f64,
    /// Most the sheet allows, mm.
    pub limit_mm: f64,
    /// Pressure read hot at idle, kPa.
    pub kpa: f64,
    /// Share of a sound engine's oil that goes elsewhere (head, turbocharger), 0 to 0.9; 0.3 where it is not known.
    #[serde(default = "third")]
    pub other_share: f64,
    /// Clearances, mm, 1 to 40 of them.
    pub clearances_mm: Vec<f64>,
}

fn third() -> f64 {
    0.3
}

/// One journal.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Journal {
    /// Its place in the list, from 1.
    pub journal: usize,
    /// How many times as much it leaks as a new one.
    pub leak_ratio: f64,
    /// Its share of what all journals leak, percent.
    pub share_percent: f64,
    /// Over the sheet's limit.
    pub over_limit: bool,
}

/// The map.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Bearings {
    /// Journal by journal.
    pub journals: Vec<Journal>,
    /// Pressure to expect hot at idle with those over the limit renewed, kPa.
    pub with_bad_renewed_kpa: f64,
    /// With all renewed, kPa.
    pub with_all_renewed_kpa: f64,
}

const MOST_JOURNALS: usize = 40;

/// What each journal takes, and what renewing gives back.
///
/// # Errors
/// [`CalculatorError`] outside the ranges, without a journal or with too many, and when the limit is under the new clearance.
pub fn journal_map(map: &JournalMap) -> Result<Bearings, CalculatorError> {
    let new = hold(&field::CLEARANCE, map.new_mm)?;
    let limit = hold(&field::CLEARANCE, map.limit_mm)?;
    let kpa = hold(&field::PRESSURE, map.kpa)?;
    let other = hold(&field::OTHER_SHARE, map.other_share)?;
    if limit < new {
        return Err(together(message!("calculator-limit-under-new", limit = limit, new = new)));
    }
    if map.clearances_mm.is_empty() || map.clearances_mm.len() > MOST_JOURNALS {
        return Err(together(message!("calculator-journals", given = map.clearances_mm.len(), most = MOST_JOURNALS)));
    }
    let mut ratios = Vec::new();
    for clearance in &map.clearances_mm {
        ratios.push(((hold(&field::CLEARANCE, *clearance)? / new).powi(3), *clearance > limit));
    }
    let count = ratios.len() as f64;
    let all: f64 = ratios.iter().map(|(ratio, _)| ratio).sum();
    let kept: f64 = ratios.iter().map(|(ratio, bad)| if *bad { 1.0 } else { *ratio }).sum();
    // In new bearings' leaks: what goes elsewhere is a share of what a sound engine takes.
    let elsewhere = count * other / (1.0 - other);
    let with = |leak: f64| kpa * (all + elsewhere) / (leak + elsewhere);
    let journals = ratios
        .iter()
        .enumerate()
        .map(|(place, (ratio, over_limit))| Journal {
            journal: place + 1,
            leak_ratio: *ratio,
            share_percent: 100.0 * ratio / all,
            over_limit: *over_limit,
        })
        .collect();
    Ok(Bearings { journals, with_bad_renewed_kpa: with(kept), with_all_renewed_kpa: with(count) })
}
