//! Pictures of what a calculator worked out, each to scale: a relief valve in section, a clearance strip beside its printed scale, a sump on a slope, a bore beside the smallest that
//! stays open; and what can be laid on one scale as lanes: gauges, dash against gauge, when a pump starves, a plan on the clock.
use super::lanes::{Lane, Lanes, Scene, Span, lanes};
use super::{at, multiples, numeral, round_step};
use chrono::{NaiveDateTime, TimeDelta};
use serde_json::Value;
use velvet_dial_core::calculator::LEAST_BORE_MM;
use velvet_dial_core::unit::Units;

/// A picture.
pub enum Picture {
    Relief(Relief),
    Strip(Strip),
    Sump(Sump),
    Bore(Bore),
    Lanes(Lanes),
}

/// A bore beside the smallest that does not block at once.
pub struct Bore {
    pub radius: String,
    pub least: String,
    pub says: String,
    pub least_says: String,
    pub blocks: bool,
}

/// A relief valve, its spring free beside it fitted.
pub struct Relief {
    /// The spring fitted, and free.
    pub fitted: String,
    pub free: String,
    pub fitted_mm: String,
    pub free_mm: String,
    /// Of the plunger.
    pub left: String,
    pub width: String,
    pub spring_y: String,
    pub shim: String,
}

/// A print beside the scale's marks.
pub struct Strip {
    /// Its width at either end, as an outline.
    pub print: String,
    pub says: String,
}

/// A sump from the side.
pub struct Sump {
    pub turn: String,
    pub walls: String,
    pub oil: String,
    pub joint_x: String,
    pub joint_y: String,
    pub covered: bool,
}

/// The picture of a calculator's answer, of those that have one.
pub fn picture(name: &str, input: &str, answer: &Value, unit: Units) -> Option<Picture> {
    let input: Value = serde_json::from_str(input).ok()?;
    let of = |key: &str| input.get(key)?.as_f64();
    match name {
        "relief" => relief(of("free_mm")?, of("fitted_mm")?, of("plunger_mm")?, of("shim_mm").unwrap_or(0.0)).map(Picture::Relief),
        "strip" => Some(Picture::Strip(strip(of("width_mm")?, of("other_end_mm")))),
        "tilt" => {
            let box_mm = (of("length_mm")?, of("depth_mm")?);
            let oil = (answer.get("front_mm")?.as_f64()?, answer.get("rear_mm")?.as_f64()?);
            let joint = (of("joint_from_front_mm")?, of("joint_height_mm")?);
            Some(Picture::Sump(sump(box_mm, oil, joint, of("slope_deg")?, answer.get("covered")?.as_bool()?)))
        }
        "restrictor" => Some(Picture::Bore(bore(answer.get("bore_mm")?.as_f64()?, answer.get("blocks_easily")?.as_bool()?))),
        "dash" => dash(&input, answer, unit).map(|scene| Picture::Lanes(lanes(scene))),
        "gauge" => gauges(&input, answer, unit).map(|scene| Picture::Lanes(lanes(scene))),
        "screen" => starving(answer).map(|scene| Picture::Lanes(lanes(scene))),
        "timetable" => plan(answer).map(|scene| Picture::Lanes(lanes(scene))),
        _ => None,
    }
}

fn bore(bore_mm: f64, blocks: bool) -> Bore {
    // The larger of both fills the picture.
    let scale = 76.0 / bore_mm.max(LEAST_BORE_MM);
    Bore {
        radius: at(bore_mm * scale),
        least: at(LEAST_BORE_MM * scale),
        least_says: format!("{LEAST_BORE_MM} mm: less is blocked soon"),
        says: format!("{bore_mm:.2} mm, {:.0} times its size", 2.0 * scale),
        blocks,
    }
}

/// Round places on a scale of pressures, in the liked unit; the unit stands at its beginning.
fn pressure_ticks(most_kpa: f64, unit: Units) -> Vec<(f64, String)> {
    let most = most_kpa / unit.kpa();
    let step = round_step(most, 6.0);
    let tick = |value: f64| (value * unit.kpa(), if value == 0.0 { format!("0 {}", unit.label()) } else { numeral(value, step) });
    multiples(step, most).map(tick).collect()
}

fn dash(input: &Value, answer: &Value, unit: Units) -> Option<Scene> {
    let u_kpa = answer.get("u_kpa")?.as_f64()?;
    let of = |pair: &Value, key: &str| pair.get(key).and_then(Value::as_f64);
    let pairs: Vec<(f64, f64)> =
        input.get("pairs")?.as_array()?.iter().filter_map(|pair| of(pair, "gauge_kpa").zip(of(pair, "dash_kpa"))).collect();
    let most = pairs.iter().fold(0.0, |most: f64, (gauge, dash)| most.max(*gauge).max(*dash)) + 2.5 * u_kpa;
    let lane = |(gauge, dash): &(f64, f64)| Lane {
        name: format!("gauge {}, dash {}", unit.show(*gauge), unit.show(*dash)),
        spans: vec![Span { from: (gauge - 2.0 * u_kpa).max(0.0), to: gauge + 2.0 * u_kpa, class: "lane-soft" }],
        marks: vec![(*gauge, "lane-gauge"), (*dash, if (dash - gauge).abs() > 2.0 * u_kpa { "lane-off" } else { "lane-dash" })],
    };
    Some(Scene {
        says: "Dash against test gauge: the shade is where a dash that agrees may stand, the tall mark the gauge, the dot the dash"
            .to_owned(),
        reach: (0.0, most),
        ticks: pressure_ticks(most, unit),
        lines: Vec::new(),
        lanes: pairs.iter().map(lane).collect(),
    })
}

fn gauges(input: &Value, answer: &Value, unit: Units) -> Option<Scene> {
    let of = |key: &str| input.get(key).and_then(Value::as_f64);
    let (least, working, cold) = (of("least_kpa")?, of("working_kpa")?, of("cold_peak_kpa")?);
    let given = input.get("gauges")?.as_array()?;
    let full = |name: &Value| given.iter().find(|gauge| gauge.get("name") == Some(name))?.get("full_scale_kpa")?.as_f64();
    let lane = |suited: &Value| {
        let (name, blind) = (suited.get("name")?, suited.get("blind_below_kpa")?.as_f64()?);
        let full = full(name)?;
        let spans = vec![Span { from: 0.0, to: blind, class: "lane-alarm" }, Span { from: blind, to: full, class: "lane-good" }];
        Some(Lane { name: name.as_str()?.to_owned(), spans, marks: Vec::new() })
    };
    let drawn: Vec<Lane> = answer.get("gauges")?.as_array()?.iter().filter_map(lane).collect();
    let most = drawn.iter().flat_map(|lane| &lane.spans).fold(cold, |most, span| most.max(span.to));
    Some(Scene {
        says: "The scale of each gauge: where it is blind in red, where it can be read in green, and what it meets on this job".to_owned(),
        reach: (0.0, 1.04 * most),
        ticks: pressure_ticks(most, unit),
        lines: vec![(least, "least limit".to_owned()), (working, "hot".to_owned()), (cold, "cold peak".to_owned())],
        lanes: drawn,
    })
}

fn starving(answer: &Value) -> Option<Scene> {
    let of = |key: &str| answer.get(key).and_then(Value::as_f64);
    let rated = of("rated_rpm")?;
    let most = 1.1 * rated;
    let early = of("early_rpm").unwrap_or(most);
    let starves = of("starves_at_rpm");
    let lane = Lane {
        name: starves
            .map_or_else(|| "does not starve up to a tenth over its rated speed".to_owned(), |rpm| format!("starves from {rpm:.0} rpm")),
        spans: vec![
            Span { from: 0.0, to: early, class: "lane-good" },
            Span { from: early, to: of("late_rpm").unwrap_or(most), class: "lane-soft" },
            Span { from: of("late_rpm").unwrap_or(most), to: most, class: "lane-alarm" },
        ],
        marks: starves.map(|rpm| (rpm, "lane-gauge")).into_iter().collect(),
    };
    let ticks = (0..=(most / 1000.0) as u32).map(|i| (1000.0 * f64::from(i), if i == 0 { "0 rpm".to_owned() } else { format!("{i}000") }));
    Some(Scene {
        says: "Speeds at which the pump is fed in green, may starve in the shade, and starves in red".to_owned(),
        reach: (0.0, most),
        ticks: ticks.collect(),
        lines: vec![(rated, "rated speed".to_owned())],
        lanes: vec![lane],
    })
}

/// Steps of a plan that are drawn; the rest stand in the list.
const MOST_STEPS: usize = 14;

fn plan(answer: &Value) -> Option<Scene> {
    let moment = |step: &Value, key: &str| step.get(key)?.as_str()?.parse::<NaiveDateTime>().ok();
    let steps: Vec<(String, NaiveDateTime, NaiveDateTime, bool)> = answer
        .get("steps")?
        .as_array()?
        .iter()
        .take(MOST_STEPS)
        .filter_map(|step| {
            let name = step.get("name")?.as_str()?.to_owned();
            Some((name, moment(step, "begins")?, moment(step, "ends")?, step.get("unattended")?.as_bool()?))
        })
        .collect();
    let begin = steps.iter().map(|step| step.1).min()?;
    let end = steps.iter().map(|step| step.2).max()?;
    let hours = |at: NaiveDateTime| (at - begin).as_seconds_f64() / 3600.0;
    let lane = |(name, from, to, unattended): &(String, NaiveDateTime, NaiveDateTime, bool)| Lane {
        name: format!("{name}, {} to {}", from.format("%-d %b %H:%M"), to.format("%H:%M")),
        spans: vec![Span { from: hours(*from), to: hours(*to), class: if *unattended { "lane-soft" } else { "lane-good" } }],
        marks: Vec::new(),
    };
    // Midnights, no more of them than can be read.
    let days = ((end - begin).num_days() / 6).max(0) + 1;
    let mut midnight = begin.date().and_hms_opt(0, 0, 0)? + TimeDelta::days(1);
    let mut ticks = vec![(0.0, begin.format("%-d %b").to_string())];
    while midnight < end {
        ticks.push((hours(midnight), midnight.format("%-d %b").to_string()));
        midnight += TimeDelta::days(days);
    }
    Some(Scene {
        says: "The plan on the clock: work in green, what needs nobody in the shade".to_owned(),
        reach: (0.0, hours(end).max(1.0)),
        // Two days that begin close to one another would cover one another.
        ticks: ticks.iter().enumerate().filter(|(i, tick)| *i == 0 || tick.0 > 0.14 * hours(end)).map(|(_, tick)| tick.clone()).collect(),
        lines: Vec::new(),
        lanes: steps.iter().map(lane).collect(),
    })
}

/// A spring as a zigzag from its seat up.
fn spring(x: f64, from: f64, length: f64, wide: f64) -> String {
    const TURNS: usize = 9;
    let step = length / TURNS as f64;
    let points = (0..=TURNS).map(|turn| {
        let side = if turn % 2 == 0 { -0.5 } else { 0.5 };
        format!("{:.1},{:.1}", x + side * wide, from - step * turn as f64)
    });
    points.collect::<Vec<_>>().join(" ")
}

fn relief(free_mm: f64, fitted_mm: f64, plunger_mm: f64, shim_mm: f64) -> Option<Relief> {
    let most = free_mm.max(fitted_mm) + shim_mm;
    // Both lengths fit the picture, and the plunger keeps the same scale.
    let scale = (150.0 / most).min(170.0 / (2.4 * plunger_mm));
    let wide = plunger_mm * scale;
    scale.is_finite().then(|| Relief {
        fitted: spring(110.0, 176.0, (fitted_mm - shim_mm) * scale, 0.8 * wide),
        free: spring(300.0, 206.0, free_mm * scale, 0.8 * wide),
        fitted_mm: format!("{fitted_mm} mm fitted"),
        free_mm: format!("{free_mm} mm free"),
        left: at(110.0 - 0.5 * wide),
        width: at(wide),
        spring_y: at(176.0 - fitted_mm * scale),
        shim: at(shim_mm * scale),
    })
}

/// A print so wide stands so wide in the picture, per millimetre.
const PER_MM: f64 = 44.0;

fn strip(width_mm: f64, other_mm: Option<f64>) -> Strip {
    let (near, far) = (0.5 * PER_MM * width_mm, 0.5 * PER_MM * other_mm.unwrap_or(width_mm));
    let other = other_mm.map_or_else(String::new, |other| format!(", {other} mm at the other end"));
    Strip {
        print: format!("30,{:.1} 390,{:.1} 390,{:.1} 30,{:.1}", 90.0 - near, 90.0 - far, 90.0 + far, 90.0 + near),
        says: format!("{width_mm} mm wide{other}, eleven times its size"),
    }
}

fn sump((length, depth): (f64, f64), (front, rear): (f64, f64), (joint_x, joint_y): (f64, f64), slope_deg: f64, covered: bool) -> Sump {
    let scale = (320.0 / length).min(140.0 / depth);
    let (left, floor) = (210.0 - 0.5 * length * scale, 190.0);
    let place = |x: f64, up: f64| format!("{:.1},{:.1}", left + x * scale, floor - up.clamp(0.0, depth) * scale);
    Sump {
        // Nose up turns the front, which is at the left, upwards.
        turn: format!("rotate({:.1} 210 120)", slope_deg.clamp(-45.0, 45.0)),
        walls: format!("{} {} {} {}", place(0.0, depth), place(0.0, 0.0), place(length, 0.0), place(length, depth)),
        oil: format!("{} {} {} {}", place(0.0, 0.0), place(0.0, front), place(length, rear), place(length, 0.0)),
        joint_x: at(left + joint_x * scale),
        joint_y: at(floor - joint_y * scale),
        covered,
    }
}
