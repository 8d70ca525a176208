//! A complaint that what was measured does not explain: the condition under which it comes was not there when the gauge was read.
use super::Diagnosis;
use crate::case::{Case, Phase, Reading, Slope};
use crate::diagnosis::COLD_C;
use crate::limits::Decision;

/// Where the complaint comes, where it was not measured, and how to measure there.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Unmeasured {
    /// The circumstance.
    pub circumstance: &'static str,
    /// What to do, in a sentence.
    pub act: &'static str,
}

/// Speeds over this many times idle are at speed.
const AT_SPEED: f64 = 2.2;
/// Held for so long, a hold shows what comes after minutes, s.
const LONG_S: f64 = 60.0;

type Shown = fn(&Case, &Reading) -> bool;

/// Conditions with what measures them.
const CONDITIONS: [(Unmeasured, Shown); 7] = [
    (
        Unmeasured {
            circumstance: "on_slope",
            act: "It comes on a slope and was read on level ground: read hot idle nose up and nose down on ramps, wheels chocked.",
        },
        |_, reading| reading.slope.is_some_and(|slope| slope != Slope::Level),
    ),
    (
        Unmeasured {
            circumstance: "in_bend",
            act: "It comes in bends or under braking, which no stand shows: raise the level by the allowed half litre and see whether it stops, or read on ramps nose up and nose down.",
        },
        |_, reading| reading.slope.is_some_and(|slope| slope != Slope::Level),
    ),
    (
        Unmeasured {
            circumstance: "after_distance",
            act: "It comes after minutes or km: hold the speed of the complaint for as long, oil hot, and read at the end of it.",
        },
        |_, reading| reading.hold_s.is_some_and(|held| held >= LONG_S),
    ),
    (
        Unmeasured {
            circumstance: "lamp_at_speed",
            act: "It comes at speed and was not read there: hold two or three speeds up to that of the complaint, oil hot.",
        },
        |case, reading| reading.rpm > AT_SPEED * case.engine.idle_rpm,
    ),
    (
        Unmeasured {
            circumstance: "lamp_at_idle",
            act: "It comes at idle and was not read there hot: read hot idle, in gear with the brake held too.",
        },
        |case, reading| case.engine.idles_at(reading.rpm) && reading.oil_temp_c >= COLD_C,
    ),
    (
        Unmeasured {
            circumstance: "lamp_only_hot",
            act: "It comes only when hot and was read cold: warm it through, thirty minutes under load, and read again.",
        },
        |_, reading| reading.oil_temp_c >= COLD_C,
    ),
    (
        Unmeasured {
            circumstance: "lamp_only_cold",
            act: "It comes only when cold and was read warm: let it stand over night and read the start, with the seconds until pressure shows.",
        },
        |_, reading| reading.oil_temp_c < COLD_C,
    ),
];

/// The conditions of the complaint that were not read after a repair, by their words.
pub(super) fn not_read_again(case: &Case) -> impl Iterator<Item = &'static str> {
    let after = |shown: &Shown| {
        case.readings.iter().any(|reading| reading.phase == Phase::After && reading.set_aside.is_none() && shown(case, reading))
    };
    let told = |circumstance: &str| case.circumstances.iter().any(|told| told == circumstance);
    let missing = move |(condition, shown): &&(Unmeasured, Shown)| told(condition.circumstance) && !after(shown);
    CONDITIONS.iter().filter(missing).map(|(condition, _)| condition.circumstance)
}

/// The conditions of the complaint that were not measured, once what was measured shows nothing wrong; none while a point is outside, or nothing was read.
pub fn unmeasured(case: &Case, now: &Diagnosis) -> Vec<Unmeasured> {
    let outside = |decision: Decision| matches!(decision, Decision::Below | Decision::Above);
    let read = case.readings.iter().any(|reading| reading.set_aside.is_none());
    if !read || outside(now.verdict.overall) || now.verdict.points.iter().any(|point| outside(point.decision())) {
        return Vec::new();
    }
    let told = |unmeasured: &Unmeasured| case.circumstances.iter().any(|told| told == unmeasured.circumstance);
    let never = |shown: &Shown| !case.readings.iter().any(|reading| reading.set_aside.is_none() && shown(case, reading));
    CONDITIONS.iter().filter(|(unmeasured, shown)| told(unmeasured) && never(shown)).map(|(unmeasured, _)| *unmeasured).collect()
}
