//! Sump on a slope: where the oil stands at the pickup's joint.
//!
//! Relation: the sump as a box of length, width and depth; its oil as a prism under a level plane, which in the sump's own frame is inclined by
//! the slope. The plane's height is found from the oil's volume, which falls monotonically with it, by bisection to a thousandth of a millimetre.
//! Nose-up is positive and sends oil to the rear. Valid to 45° and for a box; a stepped sump is judged by its deep part. Checked against the volume
//! it started from and against the level sump, where depth = volume/(length·width) (`tests/calculator.rs`).
use super::{CalculatorError, hold, together};
use crate::field;
use crate::message;
use crate::message::number;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A sump, its oil, its pickup joint and the slope it stands on.
#[derive(Debug, Clone, Copy, PartialEq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Sump {
    /// Length along the vehicle, mm, 50 to 1500.
    pub length_mm: f64,
    /// Width, mm, 50 to 1500.
    pub width_mm: f64,
    /// Depth, mm, 50 to 1500.
    pub depth_mm: f64,
    /// Oil in it, litres, 0.2 to 60.
    pub oil_l: f64,
    /// Slope, degrees, nose-up positive, −45 to 45.
    pub slope_deg: f64,
    /// Distance of the joint from the sump's front wall, mm.
    pub joint_from_front_mm: f64,
    /// Height of the joint over the sump's floor, mm.
    pub joint_height_mm: f64,
}

/// A way to tilt the vehicle.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Way {
    /// Nose up.
    NoseUp,
    /// Nose down.
    NoseDown,
}

/// Where the oil stands.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Covered {
    /// Oil over the joint, mm; negative when it is bare.
    pub over_joint_mm: f64,
    /// The joint is under oil.
    pub covered: bool,
    /// The oil stands against the sump's roof: the crank dips in, and what a level box says of it is the least.
    pub against_roof: bool,
    /// Height of the oil at the front wall, mm; 0 when it does not reach it.
    pub front_mm: f64,
    /// Height of the oil at the rear wall, mm.
    pub rear_mm: f64,
    /// Which way puts more oil over the joint; none when it sits in the middle.
    pub deeper: Option<Way>,
    /// The slope nearest to level that changes covered to bare or bare to covered, degrees; none within 45.
    pub turns_at_deg: Option<f64>,
}

/// Steepest slope looked at, tenths of a degree.
const STEEPEST_TENTHS: i32 = 450;

/// Oil over the pickup's joint on a slope, and which way covers it.
///
/// # Errors
/// [`CalculatorError`] outside the ranges, when the oil does not fit, and when the joint lies outside the sump.
///
/// ```
/// # use velvet_dial_core::calculator::{Sump, Way, tilt};
/// let sump = Sump { length_mm: 400.0, width_mm: 220.0, depth_mm: 120.0, oil_l: 4.0, slope_deg: 0.0, joint_from_front_mm: 90.0, joint_height_mm: 60.0 };
/// let level = tilt(&sump).unwrap();
/// assert!(!level.covered && level.deeper == Some(Way::NoseDown));
/// assert!(tilt(&Sump { slope_deg: -12.0, ..sump }).unwrap().covered);
/// assert!(tilt(&Sump { oil_l: 30.0, ..sump }).is_err());
/// ```
pub fn tilt(sump: &Sump) -> Result<Covered, CalculatorError> {
    let length = hold(&field::SUMP, sump.length_mm)?;
    let width = hold(&field::SUMP, sump.width_mm)?;
    let depth = hold(&field::SUMP, sump.depth_mm)?;
    let oil = hold(&field::CAPACITY, sump.oil_l)?;
    let slope = hold(&field::SLOPE, sump.slope_deg)?;
    let section = 1e6 * oil / width;
    if section > length * depth {
        let holds = length * depth * width / 1e6;
        return Err(together(message!(
            "calculator-sump",
            length = length,
            width = width,
            depth = depth,
            holds = number(holds, 1),
            oil = oil
        )));
    }
    let (x, z) = (sump.joint_from_front_mm, sump.joint_height_mm);
    if !(0.0..=length).contains(&x) || !(0.0..=depth).contains(&z) {
        return Err(together(message!("calculator-joint", length = length, depth = depth)));
    }
    let over = |slope_deg: f64| Plane::of(section, length, depth, slope_deg).height(x).min(depth) - z;
    let plane = Plane::of(section, length, depth, slope);
    let over_joint_mm = over(slope);
    let covered = over_joint_mm > 0.0;
    let lean = over(1.0) - over(-1.0);
    let deeper = if lean.abs() < 1e-6 { None } else { Some(if lean > 0.0 { Way::NoseUp } else { Way::NoseDown }) };
    let is_covered_level = over(0.0) > 0.0;
    let first =
        |sign: f64| (1..=STEEPEST_TENTHS).map(|step| sign * 0.1 * f64::from(step)).find(|slope| (over(*slope) > 0.0) != is_covered_level);
    let turns_at_deg = [first(1.0), first(-1.0)].into_iter().flatten().min_by(|a, b| a.abs().total_cmp(&b.abs()));
    Ok(Covered {
        over_joint_mm,
        covered,
        against_roof: plane.height(0.0).max(plane.height(length)) > depth,
        front_mm: plane.height(0.0).clamp(0.0, depth),
        rear_mm: plane.height(length).clamp(0.0, depth),
        deeper,
        turns_at_deg,
    })
}

/// The oil's surface in the sump's frame: its height at the front wall, and its rise per mm to the rear.
struct Plane {
    front: f64,
    rise: f64,
}

impl Plane {
    fn of(section: f64, length: f64, depth: f64, slope_deg: f64) -> Self {
        let rise = slope_deg.to_radians().tan();
        let (mut low, mut high) = (-length * rise.abs() - depth, length * rise.abs() + 2.0 * depth);
        while high - low > 1e-3 {
            let front = 0.5 * (low + high);
            if (Self { front, rise }).section(length, depth) < section {
                low = front;
            } else {
                high = front;
            }
        }
        Self { front: 0.5 * (low + high), rise }
    }

    fn height(&self, x: f64) -> f64 {
        self.front + self.rise * x
    }

    /// Area under the surface inside the box: the line is cut at floor and lid, and each piece is a trapezium.
    fn section(&self, length: f64, depth: f64) -> f64 {
        let mut cuts = vec![0.0, length];
        if self.rise.abs() > 1e-12 {
            cuts.extend([-self.front / self.rise, (depth - self.front) / self.rise].into_iter().filter(|x| *x > 0.0 && *x < length));
        }
        cuts.sort_by(f64::total_cmp);
        let height = |x: f64| self.height(x).clamp(0.0, depth);
        cuts.windows(2).map(|pair| if let [a, b] = pair { 0.5 * (height(*a) + height(*b)) * (b - a) } else { 0.0 }).sum()
    }
}
