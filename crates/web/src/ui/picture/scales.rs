//! Gauges over the pressures of a job: each as its scale from nought to full, the part it is blind in hatched, the pressures that are expected as bands behind all.
use super::{at, multiples, numeral, round_step};
use velvet_dial_core::unit::Units;

/// A gauge.
pub struct Scale {
    pub name: String,
    pub full_scale_kpa: f64,
    pub blind_kpa: f64,
    pub proposed: bool,
}

/// Pressures that are expected.
pub struct Band {
    pub name: String,
    pub low_kpa: f64,
    pub high_kpa: f64,
}

pub struct Bar {
    pub name: String,
    pub y: String,
    pub text_y: String,
    pub width: String,
    pub blind: String,
    pub class: &'static str,
}

pub struct Behind {
    pub name: String,
    pub x: String,
    pub width: String,
    pub text_x: String,
    pub text_y: String,
}

/// What the template draws.
pub struct Scales {
    pub bars: Vec<Bar>,
    pub bands: Vec<Behind>,
    pub limit_x: String,
    pub labels: Vec<(String, String)>,
    pub height: String,
    pub foot: String,
    /// Height of the bands behind.
    pub deep: String,
    pub unit: &'static str,
}

pub const WIDTH: f64 = 660.0;
const LEFT: f64 = 14.0;
const RIGHT: f64 = 20.0;
const TOP: f64 = 62.0;
const ROW: f64 = 46.0;
/// A name of a band is about so wide a letter.
const LETTER: f64 = 7.2;

/// Lays gauges and pressures out; names of bands stand on lines of their own where they would meet.
pub fn scales(gauges: &[Scale], bands: &[Band], limit_kpa: f64, unit: Units) -> Scales {
    let most = gauges.iter().map(|gauge| gauge.full_scale_kpa).chain(bands.iter().map(|band| band.high_kpa)).fold(100.0, f64::max);
    let step = round_step(most / unit.kpa(), 8.0);
    let x = |kpa: f64| LEFT + (WIDTH - LEFT - RIGHT) * (kpa / most).clamp(0.0, 1.0);
    let foot = TOP + ROW * gauges.len() as f64;
    let mut ends = [f64::NEG_INFINITY; 3];
    let bands = bands
        .iter()
        .map(|band| {
            let (from, to) = (x(band.low_kpa), x(band.high_kpa));
            let wide = LETTER * band.name.chars().count() as f64;
            let text_x = from.min(WIDTH - RIGHT - wide).max(LEFT);
            let line = ends.iter().position(|end| text_x > end + 6.0).unwrap_or(ends.len() - 1);
            if let Some(end) = ends.get_mut(line) {
                *end = text_x + wide;
            }
            Behind {
                name: band.name.clone(),
                x: at(from),
                width: at((to - from).max(2.0)),
                text_x: at(text_x),
                text_y: at(16.0 + 17.0 * line as f64),
            }
        })
        .collect();
    let bars = gauges
        .iter()
        .enumerate()
        .map(|(row, gauge)| {
            let y = TOP + ROW * row as f64;
            Bar {
                name: gauge.name.clone(),
                y: at(y + 22.0),
                text_y: at(y + 16.0),
                width: at(x(gauge.full_scale_kpa) - LEFT),
                blind: at(x(gauge.blind_kpa) - LEFT),
                class: if gauge.proposed { "scale-bar scale-chosen" } else { "scale-bar" },
            }
        })
        .collect();
    let labels = multiples(step, most / unit.kpa()).map(|value| (numeral(value, step), at(x(value * unit.kpa())))).collect();
    const HEAD: f64 = 54.0;
    Scales {
        deep: at(foot + 2.0 - HEAD),
        bars,
        bands,
        limit_x: at(x(limit_kpa)),
        labels,
        height: at(foot + 34.0),
        foot: at(foot + 6.0),
        unit: unit.label(),
    }
}
