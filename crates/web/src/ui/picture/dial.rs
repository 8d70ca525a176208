//! The dial: scale in the chosen unit, the limit's band at this speed and temperature, the needle with its doubt as a sector.
use super::{at, multiples, numeral, round_step};
use velvet_dial_core::limits::COVERAGE;
use velvet_dial_core::unit::Units;

/// Angles run clockwise from twelve o'clock, degrees: the scale is open at the bottom, where the number stands.
const FROM: f64 = -128.0;
const TO: f64 = 128.0;
const CENTRE: (f64, f64) = (150.0, 146.0);
const SCALE_R: f64 = 112.0;

/// One mark of the scale.
pub struct Tick {
    pub x1: String,
    pub y1: String,
    pub x2: String,
    pub y2: String,
    /// Numeral and its place, on long marks.
    pub numeral: Option<(String, String, String)>,
}

/// What the template draws.
pub struct Dial {
    pub ticks: Vec<Tick>,
    pub rim: String,
    /// The band that conforms.
    pub allowed: Option<String>,
    pub needle: String,
    pub doubt: String,
    pub number: String,
    pub unit: &'static str,
    /// Under the number: what it is a reading of.
    pub caption: String,
    pub decision: &'static str,
    pub word: &'static str,
}

/// What the dial shows.
pub struct Shown {
    pub kpa: f64,
    pub u_kpa: f64,
    pub min_kpa: Option<f64>,
    pub max_kpa: Option<f64>,
    /// The scale reaches at least this far, so that the needle does not jump between readings of a job.
    pub reach_kpa: f64,
}

fn point(angle: f64, radius: f64) -> (f64, f64) {
    let (sin, cos) = angle.to_radians().sin_cos();
    (CENTRE.0 + radius * sin, CENTRE.1 - radius * cos)
}

fn arc(from: f64, to: f64, radius: f64) -> String {
    let ((x1, y1), (x2, y2)) = (point(from, radius), point(to, radius));
    let large = u8::from(to - from > 180.0);
    format!("M{x1:.1} {y1:.1}A{radius} {radius} 0 {large} 1 {x2:.1} {y2:.1}")
}

/// The dial of a reading.
pub fn dial(shown: &Shown, unit: Units, caption: String, decision: &'static str, word: &'static str) -> Dial {
    let most = [Some(shown.kpa + COVERAGE * shown.u_kpa), shown.min_kpa, shown.max_kpa, Some(shown.reach_kpa)]
        .into_iter()
        .flatten()
        .fold(0.0, f64::max);
    let reach = 1.08 * most / unit.kpa();
    let step = round_step(reach, 6.0);
    let end = (reach / step).ceil() * step;
    let angle = |kpa: f64| (FROM + (TO - FROM) * (kpa / unit.kpa() / end)).clamp(FROM, TO);
    let small = step / 5.0;
    let ticks = multiples(small, end)
        .enumerate()
        .map(|(i, value)| {
            let long = i % 5 == 0;
            let here = angle(value * unit.kpa());
            let (outer, inner) = (point(here, SCALE_R), point(here, if long { SCALE_R - 15.0 } else { SCALE_R - 8.0 }));
            let numeral = long.then(|| {
                let (x, y) = point(here, SCALE_R - 33.0);
                let text = numeral(value, step);
                (text, at(x), at(y + 6.0))
            });
            Tick { x1: at(outer.0), y1: at(outer.1), x2: at(inner.0), y2: at(inner.1), numeral }
        })
        .collect();
    let allowed = (shown.min_kpa.is_some() || shown.max_kpa.is_some())
        .then(|| arc(shown.min_kpa.map_or(FROM, angle), shown.max_kpa.map_or(TO, angle), SCALE_R + 10.0));
    let here = angle(shown.kpa);
    let (low, high) = (angle((shown.kpa - COVERAGE * shown.u_kpa).max(0.0)), angle(shown.kpa + COVERAGE * shown.u_kpa));
    let sector = |radius: f64| {
        let ((x1, y1), (x2, y2)) = (point(low, radius), point(high, radius));
        format!("M{:.1} {:.1}L{x1:.1} {y1:.1}A{radius} {radius} 0 0 1 {x2:.1} {y2:.1}Z", CENTRE.0, CENTRE.1)
    };
    let needle = [point(here, SCALE_R - 4.0), point(here + 90.0, 4.5), point(here + 180.0, 20.0), point(here - 90.0, 4.5)];
    Dial {
        ticks,
        rim: arc(FROM, TO, SCALE_R),
        allowed,
        needle: super::polyline(needle.into_iter()),
        doubt: sector(SCALE_R - 2.0),
        number: unit.show(shown.kpa),
        unit: unit.label(),
        caption,
        decision,
        word,
    }
}
