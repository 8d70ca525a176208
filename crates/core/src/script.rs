//! The run as a script: the same points every time, from cold to hot and back, in the order that a warm-up allows.
//!
//! The points come from the engine's sheet (its speeds, its gear), from the complaint (a slope, a distance, an idle in gear) and from what is always asked: a cold start, the
//! cold idle that shows the relief valve at work, hot idle before and after the held speeds.
use crate::case::{Case, Phase, Reading, Slope};
use crate::circuit::Card;
use crate::limits;
use crate::start_up::StartUp;
use crate::unit::Gear;

/// One point of the run.
#[derive(Debug, Clone, PartialEq)]
pub struct Point {
    /// Its word in an address.
    pub id: String,
    /// On the screen.
    pub title: String,
    /// What to do.
    pub act: String,
    /// What the hand minds; empty where there is nothing.
    pub caution: &'static str,
    /// Speed to hold, turns a minute; none where nothing is read.
    pub rpm: Option<f64>,
    /// Gear to read it in.
    pub gear: Gear,
    /// The oil temperatures that it is read at, least and most, °C; none where it is not read at any.
    pub oil_c: Option<(f64, f64)>,
    /// Slope to read it on.
    pub slope: Option<Slope>,
    /// The check that this point answers, in place of a reading.
    pub check: Option<&'static str>,
    /// It is answered.
    pub done: bool,
}

impl Point {
    /// How long it is held, s: cold oil warms while one looks at it, and a relief valve shows within a few seconds.
    pub fn hold_s(&self) -> f64 {
        if self.id == "cold-idle" { 3.0 } else { 10.0 }
    }

    /// It can be done only while the engine is cold.
    pub fn is_cold(&self) -> bool {
        matches!(self.id.as_str(), "cold-start" | "cold-idle")
    }

    /// True where a hold answers it: a speed to stand at, and no check in its place.
    pub fn is_held(&self) -> bool {
        self.rpm.is_some() && self.check.is_none() && self.id != "distance"
    }
}

/// How far a speed may lie from a point's and still be it, turns a minute.
pub fn near_rpm(wanted_rpm: f64) -> f64 {
    NEAR_RPM.max(NEAR_SHARE * wanted_rpm)
}

/// Oil below this is cold, °C.
pub const COLD_C: f64 = 50.0;
/// And hot from this on, °C.
const HOT_C: f64 = 75.0;
/// A hot point is taken so much short of the sheet's temperature, K.
const SHORT_K: f64 = 8.0;
/// A reading belongs to a speed within this share, or so many turns a minute.
const NEAR_SHARE: f64 = 0.06;
const NEAR_RPM: f64 = 90.0;
/// Held speeds where no sheet names any, turns a minute.
const USUAL_RPM: [f64; 2] = [2000.0, 3000.0];
/// Up to this share of the rated speed they are held; a slower engine is held at its own share of it, to the next fifty.
const USUAL_SHARE: f64 = 0.7;
const SLOW_SHARE: f64 = 0.6;
const STEP_RPM: f64 = 50.0;
/// Minutes at speed that stand for the distance of a complaint.
const DISTANCE_S: f64 = 600.0;

/// The points of a run in their order, before or after the repair.
pub fn script(case: &Case, phase: Phase) -> Vec<Point> {
    let idle = case.engine.idle_rpm;
    let taken: Vec<&Reading> = case.readings.iter().filter(|reading| reading.phase == phase && reading.set_aside.is_none()).collect();
    let level = |reading: &Reading| reading.slope.is_none_or(|slope| slope == Slope::Level);
    let near = |reading: &Reading, rpm: f64| (reading.rpm - rpm).abs() <= near_rpm(rpm);
    let hot = |reading: &Reading| reading.oil_temp_c >= HOT_C;
    let told = |word: &str| case.circumstances.iter().any(|told| told == word);
    let answered = |check: &str| case.evidence.iter().any(|found| found.check == check);
    let found = |done: bool, of: Point| Point { done, ..of };
    let mut points = Vec::new();
    // As hot as the sheet's idle or nearly so: a reading is brought the rest of the way.
    let sheet = case.spec.as_ref().map_or(&[][..], |sheet| sheet.points.as_slice());
    let asked_c = sheet.iter().filter(|point| point.oil_temp_c >= HOT_C).map(|point| point.oil_temp_c).fold(f64::INFINITY, f64::min);
    let hot_c = if asked_c.is_finite() { (asked_c - SHORT_K).max(HOT_C) } else { HOT_C };
    let point = |id: &str, title: String, act: String, rpm: f64| Point {
        id: id.to_owned(),
        title,
        act,
        caution: "",
        rpm: Some(rpm),
        gear: Gear::Neutral,
        oil_c: Some((hot_c, f64::MAX)),
        slope: None,
        check: None,
        done: false,
    };

    if phase == Phase::Before {
        let act =
            format!("Engine cold. Start it and count: how many seconds until the needle leaves its rest? {}", StartUp::of(case).says());
        let start = Point { rpm: None, oil_c: None, check: Some("build_time"), ..point("cold-start", "Cold start".to_owned(), act, idle) };
        points.push(found(answered("build_time"), start));
        let act = "As soon as it idles: the cold pressure shows the relief valve at work, or stuck.".to_owned();
        let cold = taken.iter().any(|reading| reading.oil_temp_c < COLD_C && reading.rpm < 1.6 * idle);
        let at = Point { oil_c: Some((f64::MIN, COLD_C)), ..point("cold-idle", "Cold idle".to_owned(), act, idle) };
        points.push(found(cold, at));
        let act = "Let it warm until the pressure stops falling. Coolant is not oil: oil lags it by many minutes. Measure it with a probe in the dipstick tube.".to_owned();
        points.push(found(taken.iter().any(|reading| hot(reading)), point("warm-up", "Warm-up".to_owned(), act, idle)));
    }
    let at_idle = |reading: &&&Reading| hot(reading) && near(reading, idle) && reading.gear == Gear::Neutral && level(reading);
    let act = format!(
        "Neutral, nothing switched on, about {idle:.0} rpm. Wait for the needle, then note speed, oil and pressure, and how far it moves."
    );
    points.push(found(taken.iter().any(|reading| at_idle(&reading)), point("hot-idle", "Hot idle".to_owned(), act, idle)));

    if sheet.iter().any(|point| point.gear == Gear::Drive) || told("lamp_at_idle") {
        let act = "Brake held, in gear: idle is lower there, and so is the pressure.".to_owned();
        let in_gear = Point {
            gear: Gear::Drive,
            caution: "Wheels chocked, brake held by a second person or by the foot, nobody before the vehicle.",
            ..point("in-gear", "Idle in gear".to_owned(), act, idle)
        };
        points.push(found(taken.iter().any(|reading| hot(reading) && reading.gear == Gear::Drive), in_gear));
    }
    let speeds = held_speeds(&case.engine, sheet);
    for rpm in &speeds {
        let act = format!("Hold {rpm:.0} rpm until the needle is still, ten seconds or more. Do not read while it climbs.");
        let held = Point {
            caution: "Keep hands, hose and sleeves off belts and fan.",
            ..point(&format!("held-{rpm:.0}"), format!("{rpm:.0} rpm held"), act, *rpm)
        };
        points.push(found(taken.iter().any(|reading| hot(reading) && near(reading, *rpm) && level(reading)), held));
    }
    if phase == Phase::Before {
        let act =
            "Raise the speed slowly and let it down again. Does the needle stand, sway, flutter, or fall as the revs rise?".to_owned();
        let sweep = Point { rpm: None, oil_c: None, check: Some("needle"), ..point("sweep", "Slow sweep".to_owned(), act, idle) };
        points.push(found(answered("needle"), sweep));
    }
    let held = taken.iter().position(|reading| hot(reading) && speeds.iter().any(|rpm| near(reading, *rpm)));
    let again = held.is_some_and(|place| taken.iter().skip(place + 1).any(|reading| at_idle(&reading)));
    let act = "Once more, the same gauge: does it repeat? A figure that does not come back is no figure.".to_owned();
    points.push(found(again, point("idle-again", "Back to hot idle".to_owned(), act, idle)));

    if told("on_slope") || told("in_bend") {
        for (slope, id, title) in [(Slope::NoseUp, "nose-up", "Nose up"), (Slope::NoseDown, "nose-down", "Nose down")] {
            let act = "On ramps, hot idle: a joint or a screen out of the oil shows now.".to_owned();
            let tilted = Point {
                slope: Some(slope),
                caution: "Chocks on both sides; nobody under or before it.",
                ..point(id, title.to_owned(), act, idle)
            };
            points.push(found(taken.iter().any(|reading| reading.slope == Some(slope)), tilted));
        }
    }
    if told("after_distance") {
        let rpm = speeds.last().copied().unwrap_or(2.5 * idle);
        let act = format!("Ten minutes at {rpm:.0} rpm, or the road test of the distance that brings it: then read at once.");
        let long = taken.iter().any(|reading| reading.hold_s.is_some_and(|held| held >= DISTANCE_S));
        points.push(found(long, point("distance", "The complaint's distance".to_owned(), act, rpm)));
    }
    points
}

/// The speeds that a run holds: the sheet's, else the usual ones, none of them near or over the engine's rated speed.
fn held_speeds(card: &Card, sheet: &[limits::Point]) -> Vec<f64> {
    let over = |rpm: f64| card.rated_rpm.is_some_and(|rated| rpm > 1.02 * rated);
    let mut speeds: Vec<f64> = sheet.iter().map(|point| point.rpm).filter(|rpm| *rpm > 1.3 * card.idle_rpm && !over(*rpm)).collect();
    if speeds.is_empty() {
        speeds.extend(USUAL_RPM.iter().filter(|rpm| **rpm <= USUAL_SHARE * card.rated_rpm()));
    }
    if speeds.is_empty() {
        speeds.push(hold_rpm(card));
    }
    speeds.sort_by(f64::total_cmp);
    speeds.dedup_by(|a, b| (*a - *b).abs() < NEAR_RPM);
    speeds
}

/// A speed at which this engine is held to watch or compare something: the usual one, on slow engines a share of their rated speed.
pub fn hold_rpm(card: &Card) -> f64 {
    let [usual, _] = USUAL_RPM;
    let slow = (SLOW_SHARE * card.rated_rpm() / STEP_RPM).round() * STEP_RPM;
    if usual <= USUAL_SHARE * card.rated_rpm() { usual } else { slow.max(1.3 * card.idle_rpm) }
}

/// The point to do now: the first that is not answered, of those that still can be (nothing cold once the oil is hot).
pub fn now(points: &[Point], is_hot: bool) -> Option<&Point> {
    let too_late = |point: &&Point| is_hot && point.is_cold();
    points.iter().filter(|point| !point.done).find(|point| !too_late(point))
}
