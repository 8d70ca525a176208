//! The pressure map: speed across, pressure up; limits at their temperature, readings with whiskers, the healthy engine's band, and the bands that suspects would draw.
//!
//! Names of bands stand in a column of their own at the right, each led to the end of its curve. A reading's figure stands where it covers neither a reading nor another figure, or
//! is left out.
use super::{at, multiples, numeral, polyline, round_step};
use velvet_dial_core::case::{Phase, Reading, Slope};
use velvet_dial_core::diagnosis::WHAT_IF;
use velvet_dial_core::diagnosis::{COLD_C, Curve, SPEEDS};
use velvet_dial_core::limits::{COVERAGE, Sheet};
use velvet_dial_core::unit::{Gear, Units};

/// A limit of a revision at a speed.
pub struct Limit {
    pub rpm: f64,
    pub oil_temp_c: f64,
    pub min_kpa: Option<f64>,
    pub max_kpa: Option<f64>,
    /// Of the revision in force.
    pub in_force: bool,
    pub in_gear: bool,
}

/// A reading.
pub struct Mark {
    pub rpm: f64,
    pub kpa: f64,
    pub u_kpa: f64,
    pub cold: bool,
    pub after: bool,
    pub oil_temp_c: f64,
    pub in_gear: bool,
    pub slope: Slope,
    /// Why it is not believed, or was set apart; struck through.
    pub apart: bool,
}

/// Where a reading would stand if something were otherwise.
pub struct Carried {
    /// The reading's own place.
    pub from: (f64, f64),
    pub rpm: f64,
    pub kpa: f64,
    pub u_kpa: f64,
}

/// Everything to be drawn.
pub struct Scene {
    pub limits: Vec<Limit>,
    pub marks: Vec<Mark>,
    /// The healthy engine's curves and those that suspects would draw.
    pub curves: Vec<Curve>,
    /// Readings carried elsewhere.
    pub carried: Vec<Carried>,
    /// The right edge is at least here.
    pub rpm_reach: f64,
}

/// The right edge is at least here, rpm.
const REACH_RPM: f64 = 3000.0;

impl Scene {
    /// Of sheets, each in force or not, and of readings, each with its doubt, kPa, and whether it is set apart.
    pub fn of<'a>(
        sheets: impl Iterator<Item = (&'a Sheet, bool)>,
        readings: impl Iterator<Item = (&'a Reading, f64, bool)>,
        curves: Vec<Curve>,
    ) -> Self {
        let limits = sheets.flat_map(|(sheet, in_force)| {
            sheet.points.iter().map(move |point| Limit {
                rpm: point.rpm,
                oil_temp_c: point.oil_temp_c,
                min_kpa: point.min_kpa,
                max_kpa: point.max_kpa,
                in_force,
                in_gear: point.gear == Gear::Drive,
            })
        });
        let marks = readings.map(|(reading, u_kpa, apart)| Mark {
            rpm: reading.rpm,
            kpa: reading.kpa,
            u_kpa,
            cold: reading.oil_temp_c < COLD_C,
            after: reading.phase == Phase::After,
            oil_temp_c: reading.oil_temp_c,
            in_gear: reading.gear == Gear::Drive,
            slope: reading.slope.unwrap_or(Slope::Level),
            apart: apart || reading.set_aside.is_some(),
        });
        Self { limits: limits.collect(), marks: marks.collect(), curves, carried: Vec::new(), rpm_reach: REACH_RPM }
    }
}

pub const WIDTH: f64 = 780.0;
pub const HEIGHT: f64 = 430.0;
const LEFT: f64 = 52.0;
/// The column of names.
const RIGHT: f64 = 196.0;
/// Letters of a name on one line of it.
const ON_A_LINE: usize = 25;
const TOP: f64 = 14.0;
const BOTTOM: f64 = 40.0;
const NAME_HEIGHT: f64 = 17.0;
/// A letter of the narrow type is so wide, at most.
const LETTER: f64 = 7.6;

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
    /// At which temperature, of the revision in force, written once a speed.
    pub label: Option<Label>,
}
pub struct MarkDrawn {
    pub class: &'static str,
    /// Its outline: round, square in gear, a wedge on a slope.
    pub path: String,
    pub x: String,
    pub low: String,
    pub high: String,
    pub label: Option<(Label, &'static str)>,
    pub title: String,
    /// A line through it, when it is set apart.
    pub apart: Option<String>,
}
pub struct GhostDrawn {
    pub cause: String,
    pub class: &'static str,
    pub points: String,
    /// The band's outline; empty for one without.
    pub band: String,
    /// Only the first curve of a cause carries its name, led to the curve's end by a line.
    pub label: Option<Name>,
}
/// A curve's name, in as many lines as it takes.
pub struct Name {
    pub lines: Vec<Label>,
    pub lead: String,
}
pub struct CarriedDrawn {
    pub x: String,
    pub y: String,
    pub low: String,
    pub high: String,
    pub way: String,
    pub title: String,
}

/// What the template draws.
pub struct Map {
    pub x_labels: Vec<Label>,
    pub y_labels: Vec<Label>,
    pub limits: Vec<LimitLine>,
    pub marks: Vec<MarkDrawn>,
    pub ghosts: Vec<GhostDrawn>,
    pub carried: Vec<CarriedDrawn>,
    pub unit: &'static str,
    /// The right end of the plot.
    pub right: String,
    /// A touched suspect's band comes forward; where nothing is touched, as on paper, the picture is free of a page's script.
    pub touched: bool,
}

impl Map {
    /// As it stands where nothing is touched.
    pub fn still(self) -> Self {
        Self { touched: false, ..self }
    }
}

/// The scales of a map.
struct Scales {
    rpm_end: f64,
    kpa_end: f64,
}

impl Scales {
    fn x(&self, rpm: f64) -> f64 {
        LEFT + (WIDTH - LEFT - RIGHT) * rpm / self.rpm_end
    }

    fn y(&self, kpa: f64) -> f64 {
        HEIGHT - BOTTOM - (HEIGHT - TOP - BOTTOM) * (kpa / self.kpa_end).clamp(0.0, 1.0)
    }
}

/// Lays the scene out.
pub fn map(scene: &Scene, unit: Units) -> Map {
    let rpms = scene.marks.iter().map(|m| m.rpm).chain(scene.limits.iter().map(|l| l.rpm)).chain(scene.carried.iter().map(|c| c.rpm));
    let rpm_end = (rpms.fold(scene.rpm_reach, f64::max) * 1.1 / 500.0).ceil() * 500.0;
    let from_marks = scene.marks.iter().map(|m| m.kpa + COVERAGE * m.u_kpa).chain(scene.carried.iter().map(|c| c.kpa + COVERAGE * c.u_kpa));
    let from_limits = scene.limits.iter().flat_map(|l| [l.min_kpa, l.max_kpa]).flatten();
    let within = |curve: &Curve| curve.kpa.iter().zip(SPEEDS).filter(|(_, rpm)| *rpm <= rpm_end).map(|(kpa, _)| *kpa).fold(0.0, f64::max);
    let kpa_most = from_marks.chain(from_limits).chain(scene.curves.iter().map(within)).fold(200.0, f64::max);
    let step = round_step(1.06 * kpa_most / unit.kpa(), 6.0);
    let end = (1.06 * kpa_most / unit.kpa() / step).ceil() * step;
    let scales = Scales { rpm_end, kpa_end: end * unit.kpa() };

    let rpm_step = if rpm_end > 3600.0 { 1000.0 } else { 500.0 };
    let x_labels =
        multiples(rpm_step, rpm_end).map(|rpm| Label { text: format!("{rpm:.0}"), x: at(scales.x(rpm)), y: at(HEIGHT - BOTTOM) });
    let y_labels = multiples(step, end).map(|value| {
        let text = numeral(value, step);
        Label { text, x: at(LEFT - 8.0), y: at(scales.y(value * unit.kpa())) }
    });
    Map {
        x_labels: x_labels.collect(),
        y_labels: y_labels.collect(),
        limits: limits(scene, &scales, unit),
        marks: marks(scene, &scales, unit),
        ghosts: ghosts(scene, &scales),
        carried: carried(scene, &scales, unit),
        unit: unit.label(),
        right: at(WIDTH - RIGHT),
        touched: true,
    }
}

fn limits(scene: &Scene, scales: &Scales, unit: Units) -> Vec<LimitLine> {
    let half = 0.035 * scales.rpm_end;
    let mut drawn = Vec::new();
    for limit in &scene.limits {
        let class = match (limit.in_force, limit.in_gear) {
            (true, false) => "limit",
            (true, true) => "limit limit-gear",
            (false, _) => "limit-old",
        };
        let (x1, x2) = (scales.x((limit.rpm - half).max(0.0)), scales.x(limit.rpm + half));
        let sides = limit.min_kpa.map(|k| (k, true)).into_iter().chain(limit.max_kpa.map(|k| (k, false)));
        for (index, (kpa, refused_below)) in sides.enumerate() {
            let y = scales.y(kpa);
            let (top, bottom) = if refused_below { (y, HEIGHT - BOTTOM) } else { (TOP, y) };
            let out = (limit.in_force && !limit.in_gear).then(|| (at(x1), at(top), at(x2 - x1), at((bottom - top).max(0.0))));
            let text = if limit.in_gear { format!("in gear, {}", unit.temp(limit.oil_temp_c)) } else { unit.temp(limit.oil_temp_c) };
            let label_y = if refused_below { HEIGHT - BOTTOM - 5.0 } else { TOP + 12.0 };
            let label = (limit.in_force && !limit.in_gear && index == 0).then(|| Label { text, x: at(0.5 * (x1 + x2)), y: at(label_y) });
            drawn.push(LimitLine { class, x1: at(x1), x2: at(x2), y: at(y), out, label });
        }
    }
    drawn
}

/// A box on the picture: left, top, right, bottom.
type Area = [f64; 4];

fn meet(a: &Area, b: &Area) -> bool {
    a[0] < b[2] && b[0] < a[2] && a[1] < b[3] && b[1] < a[3]
}

fn marks(scene: &Scene, scales: &Scales, unit: Units) -> Vec<MarkDrawn> {
    let place = |mark: &Mark| (scales.x(mark.rpm), scales.y(mark.kpa));
    let mut taken: Vec<Area> = scene.marks.iter().map(place).map(|(x, y)| [x - 8.0, y - 8.0, x + 8.0, y + 8.0]).collect();
    let mut drawn = Vec::new();
    for mark in &scene.marks {
        let (x, y) = place(mark);
        let class = match (mark.after, mark.cold) {
            (true, _) => "mark mark-after",
            (false, true) => "mark mark-cold",
            (false, false) => "mark",
        };
        let path = match (mark.slope, mark.in_gear) {
            (Slope::NoseUp, _) => format!("M{:.1} {:.1}l7 12h-14z", x, y - 8.0),
            (Slope::NoseDown, _) => format!("M{:.1} {:.1}l7 -12h-14z", x, y + 8.0),
            (Slope::Level, true) => format!("M{:.1} {:.1}h11v11h-11z", x - 5.5, y - 5.5),
            (Slope::Level, false) => format!("M{:.1} {:.1}a5.5 5.5 0 1 1 11 0a5.5 5.5 0 1 1 -11 0z", x - 5.5, y),
        };
        let text = unit.show(mark.kpa);
        let wide = LETTER * text.chars().count() as f64 + 4.0;
        let spots = [
            (9.0, -7.0, "start"),
            (-9.0, -7.0, "end"),
            (9.0, 18.0, "start"),
            (-9.0, 18.0, "end"),
            (12.0, 5.0, "start"),
            (-12.0, 5.0, "end"),
        ];
        let area = |(dx, dy, anchor): (f64, f64, &str)| {
            let left = if anchor == "start" { x + dx } else { x + dx - wide };
            [left, y + dy - 13.0, left + wide, y + dy + 3.0]
        };
        let fits = |spot: &(f64, f64, &str)| {
            let own = area(*spot);
            own[0] > LEFT
                && own[2] < WIDTH - RIGHT + 20.0
                && own[1] > 0.0
                && own[3] < HEIGHT - BOTTOM
                && !taken.iter().any(|other| meet(&own, other))
        };
        let spot = spots.into_iter().find(fits);
        taken.extend(spot.map(area));
        let label = spot.map(|(dx, dy, anchor)| (Label { text, x: at(x + dx), y: at(y + dy) }, anchor));
        let beside = [(mark.in_gear, ", in gear"), (mark.slope != Slope::Level, ", on a slope"), (mark.apart, ", not believed")];
        let beside: String = beside.into_iter().filter(|(so, _)| *so).map(|(_, says)| says).collect();
        drawn.push(MarkDrawn {
            class,
            path,
            x: at(x),
            low: at(scales.y((mark.kpa - COVERAGE * mark.u_kpa).max(0.0))),
            high: at(scales.y(mark.kpa + COVERAGE * mark.u_kpa)),
            label,
            title: format!("{:.0} rpm, {}: {} {}{beside}", mark.rpm, unit.temp(mark.oil_temp_c), unit.show(mark.kpa), unit.label()),
            apart: mark.apart.then(|| format!("M{:.1} {:.1}l18 -18", x - 9.0, y + 9.0)),
        });
    }
    drawn
}

fn ghosts(scene: &Scene, scales: &Scales) -> Vec<GhostDrawn> {
    let seen = || SPEEDS.iter().enumerate().filter(|(_, rpm)| **rpm <= scales.rpm_end);
    let ends: Vec<(f64, f64)> = scene
        .curves
        .iter()
        .map(|curve| {
            seen().next_back().map_or((LEFT, TOP), |(i, rpm)| (scales.x(*rpm), scales.y(curve.kpa.get(i).copied().unwrap_or(0.0))))
        })
        .collect();
    // Names from top to bottom by where their curves end, none nearer to the next than a line.
    let mut order: Vec<usize> = (0..scene.curves.len()).filter(|i| scene.curves.get(*i).is_some_and(|curve| !curve.cold)).collect();
    order.sort_by(|a, b| ends.get(*a).map_or(0.0, |end| end.1).total_cmp(&ends.get(*b).map_or(0.0, |end| end.1)));
    let mut heights = vec![0.0; scene.curves.len()];
    let mut next = TOP + 10.0;
    let names: Vec<Vec<String>> = scene.curves.iter().map(|curve| on_lines(&curve.name)).collect();
    let tall = |index: usize| NAME_HEIGHT * names.get(index).map_or(1, Vec::len) as f64;
    for (place, index) in order.iter().enumerate() {
        // What is still to come needs its lines too.
        let to_come: f64 = order.iter().skip(place).map(|index| tall(*index)).sum();
        let most = HEIGHT - BOTTOM + NAME_HEIGHT - to_come;
        let y = ends.get(*index).map_or(next, |end| end.1 + 5.0).max(next).min(most.max(next));
        if let Some(height) = heights.get_mut(*index) {
            *height = y;
        }
        next = y + tall(*index);
    }
    let one = |(index, curve): (usize, &Curve)| {
        let line = |value: &dyn Fn(usize) -> Option<f64>| -> Vec<(f64, f64)> {
            seen().filter_map(|(i, rpm)| value(i).map(|kpa| (scales.x(*rpm), scales.y(kpa)))).collect()
        };
        let middle = line(&|i| curve.kpa.get(i).copied());
        let (low, high) = (line(&|i| curve.band.get(i).map(|band| band[0])), line(&|i| curve.band.get(i).map(|band| band[1])));
        let class = match (curve.is_healthy(), curve.cold) {
            _ if curve.cause == WHAT_IF => "what-if",
            (true, false) => "healthy",
            (true, true) => "healthy healthy-cold",
            (false, false) => "ghost",
            (false, true) => "ghost ghost-cold",
        };
        let label = (!curve.cold).then(|| {
            let (end, y) = (ends.get(index).copied().unwrap_or_default(), heights.get(index).copied().unwrap_or_default());
            let x = WIDTH - RIGHT + 22.0;
            let line = |(place, text): (usize, &String)| Label { text: text.clone(), x: at(x), y: at(y + NAME_HEIGHT * place as f64) };
            let lines = names.get(index).map_or_else(Vec::new, |lines| lines.iter().enumerate().map(line).collect());
            Name { lines, lead: format!("M{:.1} {:.1}L{:.1} {:.1}", end.0 + 2.0, end.1, x - 4.0, y - 5.0) }
        });
        GhostDrawn {
            cause: curve.cause.clone(),
            class,
            points: polyline(middle.into_iter()),
            band: polyline(low.into_iter().chain(high.into_iter().rev())),
            label,
        }
    };
    scene.curves.iter().enumerate().map(one).collect()
}

/// A name in lines that the column holds.
fn on_lines(name: &str) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    for word in name.split(' ') {
        match lines.last_mut() {
            Some(line) if line.chars().count() + 1 + word.chars().count() <= ON_A_LINE => {
                line.push(' ');
                line.push_str(word);
            }
            _ => lines.push(word.to_owned()),
        }
    }
    lines
}

fn carried(scene: &Scene, scales: &Scales, unit: Units) -> Vec<CarriedDrawn> {
    let one = |carried: &Carried| {
        let (x, y) = (scales.x(carried.rpm), scales.y(carried.kpa));
        CarriedDrawn {
            x: at(x),
            y: at(y),
            low: at(scales.y((carried.kpa - COVERAGE * carried.u_kpa).max(0.0))),
            high: at(scales.y(carried.kpa + COVERAGE * carried.u_kpa)),
            way: format!("M{:.1} {:.1}L{x:.1} {y:.1}", scales.x(carried.from.0), scales.y(carried.from.1)),
            title: format!("it would be {} {} at {:.0} rpm", unit.show(carried.kpa), unit.label(), carried.rpm),
        }
    };
    scene.carried.iter().map(one).collect()
}
