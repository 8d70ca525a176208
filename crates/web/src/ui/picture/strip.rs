//! The run strip of a capture: pressure, speed and oil temperature over time, holds marked.
use super::{at, multiples, numeral, polyline, round_step};
use velvet_dial_core::capture::{Hold, Level, Run};
use velvet_dial_core::unit::{Pressure, Units};

const WIDTH: f64 = 1100.0;
const HEIGHT: f64 = 300.0;
const LEFT: f64 = 52.0;
const TOP: f64 = 22.0;
const BOTTOM: f64 = 36.0;
/// Columns of the picture; each shows the least and the most of its samples, so that no peak is lost.
const COLUMNS: usize = 520;

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

/// Lays a run out; speed and temperature on their own scales, told beside.
pub fn strip(run: &Run, holds: &[Hold], marks: &[f64], unit: Units) -> Strip {
    let (start, end) = (run.time_s.first().copied().unwrap_or(0.0), run.time_s.last().copied().unwrap_or(1.0));
    let span = (end - start).max(1e-6);
    let most = |channel: &[f64]| channel.iter().copied().filter(|value| value.is_finite()).fold(1.0, f64::max);
    let step = round_step(1.08 * most(&run.kpa) / unit.kpa(), 5.0);
    let top = (1.08 * most(&run.kpa) / unit.kpa() / step).ceil() * step;
    let rpm_top = (most(&run.rpm) * 1.1 / 500.0).ceil() * 500.0;
    let x = |time: f64| LEFT + (WIDTH - LEFT - 10.0) * (time - start) / span;
    let up = |share: f64| HEIGHT - BOTTOM - (HEIGHT - TOP - BOTTOM) * share.clamp(0.0, 1.0);
    let line = |channel: &[f64], whole: f64| {
        let per = run.time_s.len().div_ceil(COLUMNS).max(1);
        polyline(run.time_s.chunks(per).zip(channel.chunks(per)).flat_map(|(times, values)| {
            let said = || times.iter().copied().zip(values.iter().copied()).filter(|(_, value)| value.is_finite());
            let low = said().min_by(|(_, a), (_, b)| a.total_cmp(b));
            let high = said().max_by(|(_, a), (_, b)| a.total_cmp(b));
            let mut ends: Vec<(f64, f64)> = low.into_iter().chain(high).collect();
            ends.sort_by(|(a, _), (b, _)| a.total_cmp(b));
            ends.into_iter().map(|(time, value)| (x(time), up(value / whole))).collect::<Vec<_>>()
        }))
    };
    let bands = holds
        .iter()
        .enumerate()
        .map(|(i, hold)| Band {
            number: i + 1,
            x: at(x(hold.from_s)),
            width: at((x(hold.to_s) - x(hold.from_s)).max(2.0)),
            label_x: at(0.5 * (x(hold.from_s) + x(hold.to_s))),
        })
        .collect();
    let time_step = round_step(span, 8.0);
    Strip {
        pressure: line(&run.kpa, top * unit.kpa()),
        speed: line(&run.rpm, rpm_top),
        temperature: line(&run.oil_temp_c, 150.0),
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
