//! Readings that could be taken: the points of the sheet, else those of the trade's run, that nobody has taken yet.
use crate::case::{Case, OilIs, Phase, Reading, Slope};
use crate::circuit::{Card, Working};
use crate::trace::{BenchState, HOT_FROM_C, Pressures, Takeable, Tracer};
use crate::unit::Gear;

/// Readings proposed at most.
const MOST: usize = 5;
/// Cold oil of a start in the workshop, °C.
const COLD_C: f64 = 20.0;
/// A point is taken by a reading within this share of its speed, and of like warmth.
const TAKEN_SHARE: f64 = 0.1;
/// A held speed in the middle of the run, and one past it: shares of the rated speed.
const HELD_SHARES: [f64; 2] = [0.33, 0.5];

/// What could still be read, in the order of a run.
pub(super) fn takeable(
    case: &Case,
    tracer: &Tracer,
    pressures: &Pressures,
    state: BenchState,
    weighed: impl Fn(usize) -> bool,
) -> Vec<Takeable> {
    let idle_rpm = case.engine.idle_rpm;
    let hot_c =
        case.spec.iter().flat_map(|sheet| &sheet.points).map(|point| point.oil_temp_c).find(|temp| *temp >= HOT_FROM_C).unwrap_or(95.0);
    let mut points: Vec<(f64, f64, Gear)> = Vec::new();
    if state.oil == OilIs::Cold {
        points.push((idle_rpm, COLD_C, Gear::Neutral));
    }
    points.push((idle_rpm, hot_c, Gear::Neutral));
    let named = case.spec.iter().flat_map(|sheet| &sheet.points).map(|point| (point.rpm, point.oil_temp_c, point.gear));
    points.extend(named);
    let rated = case.engine.rated_rpm();
    points.extend(HELD_SHARES.map(|share| ((share * rated / 100.0).round() * 100.0, hot_c, Gear::Neutral)));
    let warm = |temp: f64| temp >= HOT_FROM_C;
    let alike =
        |a: (f64, f64, Gear), b: (f64, f64, Gear)| (a.0 / b.0.max(1.0) - 1.0).abs() <= TAKEN_SHARE && warm(a.1) == warm(b.1) && a.2 == b.2;
    let taken = |point: (f64, f64, Gear)| {
        let of = |reading: &Reading| (reading.rpm, reading.oil_temp_c, reading.gear);
        // What the dash said is still to be read on a gauge.
        let usable = |(index, reading): &(usize, &Reading)| {
            reading.phase == Phase::Before && weighed(*index) && !case.gauge(reading).is_vehicles_own()
        };
        case.readings.iter().enumerate().filter(usable).any(|(_, reading)| alike(of(reading), point))
    };
    let mut wanted: Vec<(f64, f64, Gear)> = Vec::new();
    for point in points {
        if point.0 > 0.0 && !taken(point) && wanted.iter().all(|known| !alike(*known, point)) {
            wanted.push(point);
        }
    }
    let doubt = case
        .readings
        .last()
        .map_or_else(|| crate::instrument::Instrument::default().own_u_kpa(), |reading| case.gauge(reading).own_u_kpa());
    wanted
        .into_iter()
        .take(MOST)
        .map(|(rpm, oil_temp_c, gear)| {
            let at = Working { rpm, oil_temp_c };
            Takeable { name: name(&case.engine, at, gear), at, gear, slope: Slope::Level, ahead: tracer.ahead(pressures, at, doubt) }
        })
        .collect()
}

fn name(card: &Card, at: Working, gear: Gear) -> String {
    let warm = if at.oil_temp_c >= HOT_FROM_C { "hot" } else { "cold" };
    let place = if card.idles_at(at.rpm) { "idle".to_owned() } else { format!("{:.0} held", at.rpm) };
    let gear = if gear == Gear::Drive { ", in gear" } else { "" };
    format!("{warm} {place}{gear}")
}
