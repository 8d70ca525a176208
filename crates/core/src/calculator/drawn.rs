//! Engines drawn from a card, for figures that no card settles: the middle, and the range that nine in ten engines of this card keep to.
use super::CalculatorError;
use crate::circuit::nominal::{self, DIMENSIONS, Unknowns};
use crate::circuit::{Card, Circuit};
use crate::oil;

/// Healthy engines of a card, drawn by a scrambled Sobol sequence.
pub(super) fn engines(card: &Card, count: u32) -> Result<Vec<Circuit>, CalculatorError> {
    crate::case::check_card(card).map_err(|error| CalculatorError::Input { path: error.path, message: error.message })?;
    let oil = oil::typical(&card.oil_grade)
        .map_err(|error| CalculatorError::Input { path: "engine.oil_grade".into(), message: error.to_string() })?;
    let one = |draw: u32| {
        let numbers: [f64; DIMENSIONS] = std::array::from_fn(|dimension| f64::from(sobol_burley::sample(draw, dimension as u32, 1)));
        nominal::circuit(card, oil, &Unknowns::from_unit(&numbers, card))
    };
    Ok((0..count).map(one).collect())
}

/// What one in twenty is under, half are, and nineteen in twenty are.
pub(super) fn range(mut all: Vec<f64>) -> [f64; 3] {
    all.sort_by(f64::total_cmp);
    let last = all.len().saturating_sub(1) as f64;
    [0.05, 0.5, 0.95].map(|share| all.get((share * last).round() as usize).copied().unwrap_or(f64::INFINITY))
}
