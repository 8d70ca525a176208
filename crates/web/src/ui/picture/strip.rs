//! The run strip of a recorded run: pressure, speed and oil temperature over time, holds marked.
use super::{at, multiples, numeral, polyline, round_step};
use velvet_dial_core::capture::Level;
use velvet_dial_core::unit::{Pressure, Units};

const WIDTH: f64 = 1100.0;
const HEIGHT: f64 = 300.0;
const LEFT: f64 = 52.0;
const TOP: f64 = 22.0;
const BOTTOM: f64 = 36.0;
pub struct Band {
    pub number: usize,
    pub x: String,
    pub width: String,
    pub label_x: String,
}

/// What the template draws.
pub struct Strip {
    pub pressure: String,
    pub speed: String,
    pub temperature: String,
    pub bands: Vec<Band>,
    /// Marked moments.
    pub marks: Vec<String>,
    pub x_labels: Vec<(String, String)>,
    pub y_labels: Vec<(String, String)>,
    pub unit: &'static str,
    pub most_rpm: String,
}

/// Lays a run's steps out, each with its least and most pressure, so that no peak is lost; speed and temperature on their own scales, told beside. Holds are from when to when, s.
pub fn strip(levels: &[Level], holds: &[(f64, f64)], marks: &[f64], unit: Units) -> Strip {
    let (start, end) = (levels.first().map_or(0.0, |level| level.time_s), levels.last().map_or(1.0, |level| level.time_s));
    let span = (end - start).max(1e-6);
    let most = |of: &dyn Fn(&Level) -> f64| levels.iter().map(of).filter(|value| value.is_finite()).fold(1.0, f64::max);
    let kpa_most = most(&|level| level.kpa[2]);
    let step = round_step(1.08 * kpa_most / unit.kpa(), 5.0);
    let top = (1.08 * kpa_most / unit.kpa() / step).ceil() * step;
    let rpm_top = (most(&|level| level.rpm) * 1.1 / 500.0).ceil() * 500.0;
    let x = |time: f64| LEFT + (WIDTH - LEFT - 10.0) * (time - start) / span;
    let up = |share: f64| HEIGHT - BOTTOM - (HEIGHT - TOP - BOTTOM) * share.clamp(0.0, 1.0);
    let line = |of: &dyn Fn(&Level) -> f64, whole: f64| {
        polyline(
            levels
                .iter()
                .map(|level| (level.time_s, of(level)))
                .filter(|(_, value)| value.is_finite())
                .map(|(time, value)| (x(time), up(value / whole))),
        )
    };
    let ends = |level: &Level| [level.kpa[0], level.kpa[2]].map(|kpa| (x(level.time_s), up(kpa / (top * unit.kpa()))));
    let bands = holds
        .iter()
        .enumerate()
        .map(|(i, (from, to))| Band {
            number: i + 1,
            x: at(x(*from)),
            width: at((x(*to) - x(*from)).max(2.0)),
            label_x: at(0.5 * (x(*from) + x(*to))),
        })
        .collect();
    let time_step = round_step(span, 8.0);
    Strip {
        pressure: polyline(levels.iter().flat_map(ends)),
        speed: line(&|level| level.rpm, rpm_top),
        temperature: line(&|level| level.oil_temp_c, 150.0),
        bands,
        marks: marks.iter().map(|time| at(x(*time))).collect(),
        x_labels: multiples(time_step, span).map(|t| (format!("{t:.0} s"), at(x(start + t)))).collect(),
        y_labels: multiples(step, top).map(|value| (numeral(value, step), at(up(value / top)))).collect(),
        unit: unit.label(),
        most_rpm: format!("{rpm_top:.0}"),
    }
}

/// A step as the canvas draws it, live and recorded: time, least, mean and greatest pressure, speed, oil, dash, each as it is liked; nothing where it was not measured.
pub fn row(level: &Level, unit: Units) -> [Option<f64>; 7] {
    let rounded = |value: f64, parts: f64| Some((value * parts).round() / parts).filter(|value| value.is_finite());
    let pressure = |kpa: f64| rounded(kpa / unit.kpa(), if *unit == Pressure::Bar { 1000.0 } else { 10.0 });
    let [least, mean, most] = level.kpa;
    [
        rounded(level.time_s, 1000.0),
        pressure(least),
        pressure(mean),
        pressure(most),
        rounded(level.rpm, 1.0),
        rounded(unit.temperature.of_c(level.oil_temp_c), 10.0),
        pressure(level.dash_kpa),
    ]
}
