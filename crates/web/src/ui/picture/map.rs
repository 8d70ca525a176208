//! The pressure map: speed across, pressure up; limits, readings with whiskers, and the curves that suspects would draw.
use super::{at, multiples, numeral, polyline, round_step};
use velvet_dial_core::case::{Phase, Reading};
use velvet_dial_core::limits::Sheet;
use velvet_dial_core::record::{COLD_C, Curve, SPEEDS};
use velvet_dial_core::unit::{Gear, Units};

/// A limit of a revision at a speed.
pub struct Limit {
    pub rpm: f64,
    pub min_kpa: Option<f64>,
    pub max_kpa: Option<f64>,
    /// Of the revision in force.
    pub in_force: bool,
}

/// A reading.
pub struct Mark {
    pub rpm: f64,
    pub kpa: f64,
    pub u_kpa: f64,
    pub cold: bool,
    pub after: bool,
    pub oil_temp_c: f64,
}

/// Everything to be drawn.
pub struct Scene {
    pub limits: Vec<Limit>,
    pub marks: Vec<Mark>,
    /// Curves that suspects would draw.
    pub ghosts: Vec<Curve>,
    /// The right edge is at least here.
    pub rpm_reach: f64,
}

/// The right edge is at least here, rpm.
const REACH_RPM: f64 = 3000.0;

impl Scene {
    /// Of sheets, each in force or not, and of readings, each with its doubt, kPa.
    pub fn of<'a>(
        sheets: impl Iterator<Item = (&'a Sheet, bool)>,
        readings: impl Iterator<Item = (&'a Reading, f64)>,
        ghosts: Vec<Curve>,
    ) -> Self {
        let limits = sheets.flat_map(|(sheet, in_force)| {
            let neutral = sheet.points.iter().filter(|point| point.gear == Gear::Neutral);
            neutral.map(move |point| Limit { rpm: point.rpm, min_kpa: point.min_kpa, max_kpa: point.max_kpa, in_force })
        });
        let marks = readings.map(|(reading, u_kpa)| Mark {
            rpm: reading.rpm,
            kpa: reading.kpa,
            u_kpa,
            cold: reading.oil_temp_c < COLD_C,
            after: reading.phase == Phase::After,
            oil_temp_c: reading.oil_temp_c,
        });
        Self { limits: limits.collect(), marks: marks.collect(), ghosts, rpm_reach: REACH_RPM }
    }
}

const WIDTH: f64 = 660.0;
const HEIGHT: f64 = 320.0;
const LEFT: f64 = 52.0;
const RIGHT: f64 = 18.0;
const TOP: f64 = 14.0;
const BOTTOM: f64 = 40.0;

pub struct Label {
    pub text: String,
    pub x: String,
    pub y: String,
}
pub struct LimitLine {
    pub class: &'static str,
    pub x1: String,
    pub x2: String,
    pub y: String,
    /// The refused side, as a box; of the revision in force only.
    pub out: Option<(String, String, String, String)>,
}
pub struct MarkDrawn {
    pub class: &'static str,
    pub x: String,
    pub y: String,
    pub low: String,
    pub high: String,
    pub label: Label,
    pub title: String,
}
pub struct GhostDrawn {
    pub cause: String,
    pub cold: bool,
    pub points: String,
    /// Only the first curve of a cause carries its name.
    pub label: Option<Label>,
}

/// What the template draws.
pub struct Map {
    pub x_labels: Vec<Label>,
    pub y_labels: Vec<Label>,
    pub limits: Vec<LimitLine>,
    pub marks: Vec<MarkDrawn>,
    pub ghosts: Vec<GhostDrawn>,
    pub unit: &'static str,
}

/// Lays the scene out.
pub fn map(scene: &Scene, unit: Units) -> Map {
    let rpm_most = scene.marks.iter().map(|m| m.rpm).chain(scene.limits.iter().map(|l| l.rpm)).fold(scene.rpm_reach, f64::max);
    let rpm_end = (rpm_most * 1.1 / 500.0).ceil() * 500.0;
    let from_marks = scene.marks.iter().map(|m| m.kpa + 2.0 * m.u_kpa);
    let from_limits = scene.limits.iter().flat_map(|l| [l.min_kpa, l.max_kpa]).flatten();
    let from_ghosts = scene.ghosts.iter().flat_map(|g| g.kpa.iter().zip(SPEEDS).filter(|(_, rpm)| *rpm <= rpm_end).map(|(kpa, _)| *kpa));
    let kpa_most = from_marks.chain(from_limits).chain(from_ghosts).fold(200.0, f64::max);
    let step = round_step(1.06 * kpa_most / unit.kpa(), 6.0);
    let end = (1.06 * kpa_most / unit.kpa() / step).ceil() * step;
    let x = |rpm: f64| LEFT + (WIDTH - LEFT - RIGHT) * rpm / rpm_end;
    let y = |kpa: f64| HEIGHT - BOTTOM - (HEIGHT - TOP - BOTTOM) * (kpa / unit.kpa() / end).clamp(0.0, 1.0);

    let rpm_step = if rpm_end > 3600.0 { 1000.0 } else { 500.0 };
    let x_labels =
        multiples(rpm_step, rpm_end).map(|rpm| Label { text: format!("{rpm:.0}"), x: at(x(rpm)), y: at(HEIGHT - BOTTOM) }).collect();
    let y_labels = multiples(step, end)
        .map(|value| {
            let text = numeral(value, step);
            Label { text, x: at(LEFT - 8.0), y: at(y(value * unit.kpa())) }
        })
        .collect();

    let half = 0.035 * rpm_end;
    let mut limits = Vec::new();
    for limit in &scene.limits {
        let class = if limit.in_force { "limit" } else { "limit-old" };
        let (x1, x2) = (x((limit.rpm - half).max(0.0)), x(limit.rpm + half));
        for (kpa, refused_below) in limit.min_kpa.map(|k| (k, true)).into_iter().chain(limit.max_kpa.map(|k| (k, false))) {
            let (top, bottom) = if refused_below { (y(kpa), HEIGHT - BOTTOM) } else { (TOP, y(kpa)) };
            let out = limit.in_force.then(|| (at(x1), at(top), at(x2 - x1), at((bottom - top).max(0.0))));
            limits.push(LimitLine { class, x1: at(x1), x2: at(x2), y: at(y(kpa)), out });
        }
    }

    let marks = scene
        .marks
        .iter()
        .map(|mark| {
            let class = match (mark.after, mark.cold) {
                (true, _) => "mark mark-after",
                (false, true) => "mark mark-cold",
                (false, false) => "mark",
            };
            let label = Label { text: unit.show(mark.kpa), x: at(x(mark.rpm) + 9.0), y: at(y(mark.kpa) - 7.0) };
            let title = format!("{:.0} rpm, {}: {} {}", mark.rpm, unit.temp(mark.oil_temp_c), unit.show(mark.kpa), unit.label());
            MarkDrawn {
                class,
                x: at(x(mark.rpm)),
                y: at(y(mark.kpa)),
                low: at(y((mark.kpa - 2.0 * mark.u_kpa).max(0.0))),
                high: at(y(mark.kpa + 2.0 * mark.u_kpa)),
                label,
                title,
            }
        })
        .collect();

    let mut taken: Vec<f64> = Vec::new();
    let ghosts = scene
        .ghosts
        .iter()
        .map(|ghost| {
            let points: Vec<(f64, f64)> =
                SPEEDS.iter().zip(&ghost.kpa).filter(|(rpm, _)| **rpm <= rpm_end).map(|(rpm, kpa)| (x(*rpm), y(*kpa))).collect();
            let label = points.last().filter(|_| !ghost.cold).map(|(end_x, end_y)| {
                // Names stand at the right end, one under the other where curves meet.
                let mut place = (end_y - 6.0).max(TOP + 10.0);
                while taken.iter().any(|other| (other - place).abs() < 15.0) {
                    place += 15.0;
                }
                taken.push(place);
                Label { text: ghost.name.clone(), x: at(*end_x - 2.0), y: at(place) }
            });
            GhostDrawn { cause: ghost.cause.clone(), cold: ghost.cold, points: polyline(points.into_iter()), label }
        })
        .collect();
    Map { x_labels, y_labels, limits, marks, ghosts, unit: unit.label() }
}
