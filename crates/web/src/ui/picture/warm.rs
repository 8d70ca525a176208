//! The warm-up: idle pressure over oil temperature as it was read, beside what the oil's thinning alone explains from the coldest reading on.
use super::{at, multiples, numeral, polyline, round_step};
use velvet_dial_core::capture::{LeftOver, points_to};
use velvet_dial_core::unit::Units;

const WIDTH: f64 = 620.0;
const HEIGHT: f64 = 250.0;
const LEFT: f64 = 52.0;
const RIGHT: f64 = 16.0;
const TOP: f64 = 12.0;
const BOTTOM: f64 = 38.0;

/// What the template draws.
pub struct Warm {
    pub x_labels: Vec<(String, String)>,
    pub y_labels: Vec<(String, String)>,
    pub band: String,
    pub line: String,
    /// Place, what it says, and where its figure stands.
    pub marks: Vec<(String, String, String, String)>,
    pub unit: &'static str,
    pub degree: &'static str,
    /// What it says.
    pub says: String,
}

/// Lays it out; temperatures rise.
pub fn warm(read: &[(f64, f64)], thinning: &[(f64, [f64; 3])], unit: Units) -> Warm {
    let temps = || read.iter().map(|(temp, _)| *temp).chain(thinning.iter().map(|(temp, _)| *temp));
    let (low, high) = (temps().fold(f64::INFINITY, f64::min), temps().fold(f64::NEG_INFINITY, f64::max));
    let span = (high - low).max(1.0);
    let most = read.iter().map(|(_, kpa)| *kpa).chain(thinning.iter().map(|(_, [.., top])| *top)).fold(1.0, f64::max);
    let step = round_step(1.06 * most / unit.kpa(), 5.0);
    let end = (1.06 * most / unit.kpa() / step).ceil() * step;
    let x = |temp: f64| LEFT + (WIDTH - LEFT - RIGHT) * (0.04 + 0.92 * (temp - low) / span);
    let y = |kpa: f64| HEIGHT - BOTTOM - (HEIGHT - TOP - BOTTOM) * (kpa / unit.kpa() / end).clamp(0.0, 1.0);
    let marks = read.iter().map(|(temp, kpa)| {
        let says = format!("{} at {}", unit.show(*kpa), unit.temp(*temp));
        (at(x(*temp)), at(y(*kpa)), says, at(y(*kpa) - 10.0))
    });
    let (first, last) = (read.first().copied().unwrap_or((low, 1.0)), read.last().copied().unwrap_or((high, 1.0)));
    let explained = thinning.last().map_or(1.0, |(_, [_, middle, _])| middle / first.1.max(0.1));
    let measured = last.1 / first.1.max(0.1);
    let left = match points_to(measured / explained.max(1e-6)) {
        LeftOver::Clearance => "What is left over points to clearance, or to oil that thins more than its grade.",
        LeftOver::Held => {
            "It falls less than it should: look for a relief valve at its limit, thicker oil or a peak pointer that was not reset."
        }
        LeftOver::Nothing => "The oil's own thinning explains it.",
    };
    let wide = |pick: usize| thinning.iter().map(move |(temp, band)| (x(*temp), y(band.get(pick).copied().unwrap_or(0.0))));
    let band: Vec<(f64, f64)> = wide(0).chain(wide(2).collect::<Vec<_>>().into_iter().rev()).collect();
    Warm {
        x_labels: thinning.iter().step_by(2).map(|(temp, _)| (format!("{:.0}", unit.temperature.of_c(*temp)), at(x(*temp)))).collect(),
        y_labels: multiples(step, end).map(|value| (numeral(value, step), at(y(value * unit.kpa())))).collect(),
        band: polyline(band.into_iter()),
        line: polyline(wide(1)),
        marks: marks.collect(),
        unit: unit.label(),
        degree: unit.temperature.label(),
        says: format!(
            "Idle falls to {:.0} % of its cold pressure; thinning alone makes it {:.0} %. {left}",
            100.0 * measured,
            100.0 * explained
        ),
    }
}
