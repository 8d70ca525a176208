//! Pictures of what a calculator worked out, each to scale: a relief valve in section, a gauging strip beside its printed scale, a sump on a slope.
use super::at;
use serde_json::Value;

/// A picture.
pub enum Picture {
    Relief(Relief),
    Strip(Strip),
    Sump(Sump),
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
pub fn picture(name: &str, input: &str, answer: &Value) -> Option<Picture> {
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
        _ => None,
    }
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
