//! The run strip of a capture: pressure, speed and oil temperature over time, holds marked.
use super::{at, multiples, polyline, round_step};
use velvet_dial_core::capture::{Capture, Hold, Sample};
use velvet_dial_core::unit::Pressure;

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
    pub x_labels: Vec<(String, String)>,
    pub y_labels: Vec<(String, String)>,
    pub unit: &'static str,
    pub most_rpm: String,
}

/// Lays a capture out; speed and temperature on their own scales, told beside.
pub fn strip(capture: &Capture, holds: &[Hold], unit: Pressure) -> Strip {
    let samples = &capture.samples;
    let (start, end) = (samples.first().map_or(0.0, |s| s.time_s), samples.last().map_or(1.0, |s| s.time_s));
    let span = (end - start).max(1e-6);
    let most = |of: fn(&Sample) -> f64| samples.iter().map(of).fold(1.0, f64::max);
    let step = round_step(1.08 * most(|s| s.kpa) / unit.kpa(), 5.0);
    let top = (1.08 * most(|s| s.kpa) / unit.kpa() / step).ceil() * step;
    let rpm_top = (most(|s| s.rpm) * 1.1 / 500.0).ceil() * 500.0;
    let x = |time: f64| LEFT + (WIDTH - LEFT - 10.0) * (time - start) / span;
    let up = |share: f64| HEIGHT - BOTTOM - (HEIGHT - TOP - BOTTOM) * share.clamp(0.0, 1.0);
    let line = |of: fn(&Sample) -> f64, whole: f64| {
        let per = samples.len().div_ceil(COLUMNS).max(1);
        polyline(samples.chunks(per).flat_map(|chunk| {
            let low = chunk.iter().min_by(|a, b| of(a).total_cmp(&of(b)));
            let high = chunk.iter().max_by(|a, b| of(a).total_cmp(&of(b)));
            let mut ends: Vec<&Sample> = low.into_iter().chain(high).collect();
            ends.sort_by(|a, b| a.time_s.total_cmp(&b.time_s));
            ends.into_iter().map(|s| (x(s.time_s), up(of(s) / whole))).collect::<Vec<_>>()
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
        pressure: line(|s| s.kpa, top * unit.kpa()),
        speed: line(|s| s.rpm, rpm_top),
        temperature: line(|s| s.oil_temp_c, 150.0),
        bands,
        x_labels: multiples(time_step, span).map(|t| (format!("{t:.0} s"), at(x(start + t)))).collect(),
        y_labels: multiples(step, top)
            .map(|value| (if step < 1.0 { format!("{value:.1}") } else { format!("{value:.0}") }, at(up(value / top))))
            .collect(),
        unit: unit.label(),
        most_rpm: format!("{rpm_top:.0}"),
    }
}
