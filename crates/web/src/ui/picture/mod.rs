//! Geometry of the drawings: numbers in, coordinates out; the SVG itself is in the templates beside.
pub mod clock;
pub mod dial;
pub mod journals;
pub mod lanes;
pub mod looks;
pub mod map;
pub mod route;
pub mod scales;
pub mod strip;
#[cfg(test)]
mod tests;
pub mod threads;
pub mod warm;
pub mod worked;

/// A round step that cuts `span` into at most `most` parts.
fn round_step(span: f64, most: f64) -> f64 {
    let raw = (span / most).max(1e-9);
    let decade = 10f64.powf(raw.log10().floor());
    let steps = [1.0, 2.0, 2.5, 5.0, 10.0];
    steps.into_iter().map(|step| step * decade).find(|step| *step >= raw * 0.999).unwrap_or(10.0 * decade)
}

/// Multiples of `step` from 0 to `end`.
fn multiples(step: f64, end: f64) -> impl Iterator<Item = f64> {
    let count = (end / step + 1e-6).floor() as usize;
    (0..=count).map(move |i| i as f64 * step)
}

/// A numeral of a scale whose marks stand `step` apart.
fn numeral(value: f64, step: f64) -> String {
    if step < 1.0 { format!("{value:.1}") } else { format!("{value:.0}") }
}

/// A coordinate as SVG likes it.
fn at(value: f64) -> String {
    format!("{value:.1}")
}

fn polyline(points: impl Iterator<Item = (f64, f64)>) -> String {
    points.map(|(x, y)| format!("{x:.1},{y:.1}")).collect::<Vec<_>>().join(" ")
}
