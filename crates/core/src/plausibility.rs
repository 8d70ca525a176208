//! Which readings can be believed: what no engine does, what a second gauge contradicts, what was taken off zero.
//!
//! A reading that is not believed stays readable and stops the engine like any other; it is not weighed. What is looked for, in this order, since each later
//! test looks only at what the earlier ones left:
//! a needle off zero with the line open; two gauges that disagree at one point; a reading that others on the same gauge at the same point do not repeat; the same pressure at idle and at speed, neither near nothing nor both cold
//! on the relief; a fall with revs on one gauge that another gauge does not see. What the vehicle says of itself is not looked at: that it is other than the test
//! gauge says is what sender and wiring are known by.
use crate::case::{Case, Deed, Reading, Shows};
use crate::instrument::Sensitivity;
use serde::Serialize;

/// A reading that is not believed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct NotBelieved {
    /// Its place among the case's readings.
    pub reading: usize,
    /// Why, in a sentence.
    pub why: String,
    /// What to take again, in a sentence.
    pub again: &'static str,
}

/// Readings within this share of one speed, and this of one oil temperature, are of one point.
const SAME_SHARE: f64 = 0.08;
const SAME_K: f64 = 10.0;
/// Two gauges at one point disagree beyond this many standard uncertainties of their difference.
const DISAGREE: f64 = 3.0;
/// How far the engine itself may have moved between two readings of one point, as a share.
const MOVED: f64 = 0.06;
/// Readings of one point repeat when they are this alike, as a share.
const REPEATS: f64 = 0.25;
/// Pressures this alike at idle and at this many times its speed are one and the same needle. No relief holds so level over such a range.
const SAME_NEEDLE: f64 = 0.02;
const FAR_FASTER: f64 = 1.8;
/// Under this there is nothing to tell apart, kPa.
const NOTHING_KPA: f64 = 20.0;
/// Both colder than this may both stand on the relief, °C.
const COLD_C: f64 = 60.0;
/// A fall or a rise with revs by this factor is one.
const FALLS: f64 = 0.8;

/// The readings that cannot be believed, each once, in their order. Those set aside by a person are not looked at.
pub fn not_believed(case: &Case) -> Vec<NotBelieved> {
    let mut found: Vec<NotBelieved> = Vec::new();
    let add = |told: Vec<NotBelieved>, found: &mut Vec<NotBelieved>| {
        for one in told {
            if found.iter().all(|known| known.reading != one.reading) {
                found.push(one);
            }
        }
    };
    for test in [off_zero, two_gauges, does_not_repeat, stuck_needle, falls_on_one_gauge] {
        let left: Vec<(usize, &Reading)> = case
            .readings
            .iter()
            .enumerate()
            .filter(|(index, reading)| reading.set_aside.is_none() && found.iter().all(|known| known.reading != *index))
            .filter(|(_, reading)| !case.gauge(reading).is_vehicles_own())
            .collect();
        add(test(case, &left), &mut found);
    }
    found.sort_by_key(|told| told.reading);
    found
}

fn name(reading: &Reading) -> &str {
    reading.instrument.as_deref().unwrap_or("the gauge")
}

fn same_point(a: &Reading, b: &Reading) -> bool {
    (a.rpm / b.rpm.max(1.0) - 1.0).abs() <= SAME_SHARE
        && (a.oil_temp_c - b.oil_temp_c).abs() <= SAME_K
        && a.gear == b.gear
        && a.phase == b.phase
        && a.slope == b.slope
}

/// The gauge that stood off zero is the one in use then: the last one read before that was found, or the last of all where nobody knows when.
fn off_zero(case: &Case, left: &[(usize, &Reading)]) -> Vec<NotBelieved> {
    let Some(found) = case.weighed_evidence().find(|entry| entry.check == "gauge_zero" && entry.saw("off")) else {
        return Vec::new();
    };
    let then = |reading: &Reading| found.at.is_none() || reading.at.is_none() || reading.moment() <= found.at;
    let Some((_, last)) = left.iter().rev().find(|(_, reading)| then(reading)) else { return Vec::new() };
    left.iter()
        .filter(|(_, reading)| reading.instrument == last.instrument && then(reading))
        .map(|(index, reading)| NotBelieved {
            reading: *index,
            why: format!("{} stood off zero with its line open.", sentence(name(reading))),
            again: "Zero it or take another gauge, and read the same points again.",
        })
        .collect()
}

fn sentence(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map(|first| first.to_uppercase().chain(letters).collect()).unwrap_or_default()
}

/// Of two gauges that disagree the coarser one is not believed; of two alike the one that was read first, since the second was brought to check it.
fn two_gauges(case: &Case, left: &[(usize, &Reading)]) -> Vec<NotBelieved> {
    let own = |reading: &Reading| {
        case.gauge(reading).doubt(reading.spread_kpa, reading.rpm, reading.oil_temp_estimated, Sensitivity::default()).total_kpa()
    };
    let value = |reading: &Reading| reading.shown() == Shows::Value;
    let mut found = Vec::new();
    for (place, (first, a)) in left.iter().enumerate() {
        for (second, b) in left.iter().skip(place + 1) {
            if a.instrument == b.instrument || !same_point(a, b) || !value(a) || !value(b) {
                continue;
            }
            let u = own(a).hypot(own(b)).hypot(MOVED * a.kpa.max(b.kpa));
            if (a.kpa - b.kpa).abs() <= DISAGREE * u {
                continue;
            }
            let (index, not, other) = if own(b) > own(a) { (*second, b, a) } else { (*first, a, b) };
            found.push(NotBelieved {
                reading: index,
                why: format!("{} and {} disagree at the same point by more than both can be wrong.", sentence(name(not)), name(other)),
                again: "Read that point on both again, one after the other, or on a third gauge.",
            });
        }
    }
    found
}

/// Of three and more readings of one point on one gauge those are believed that agree with most of them, where at least two agree and the others are far off.
fn does_not_repeat(case: &Case, left: &[(usize, &Reading)]) -> Vec<NotBelieved> {
    let alike = |a: &Reading, b: &Reading| (a.kpa - b.kpa).abs() <= REPEATS * a.kpa.max(b.kpa).max(NOTHING_KPA);
    let mut found = Vec::new();
    for (index, one) in left {
        let of_point = |(_, other): &&(usize, &Reading)| {
            other.instrument == one.instrument
                && same_point(one, other)
                && other.shown() == Shows::Value
                && !repaired_between(case, one, other)
        };
        let point: Vec<&Reading> = left.iter().filter(of_point).map(|(_, reading)| *reading).collect();
        let agree = |reading: &Reading| point.iter().filter(|other| alike(reading, other)).count();
        let most = point.iter().map(|reading| agree(reading)).max().unwrap_or(0);
        if point.len() >= 3 && most >= 2 && agree(one) < most && one.shown() == Shows::Value {
            found.push(NotBelieved {
                reading: *index,
                why: format!(
                    "{} did not repeat it: {most} other readings of this point agree, and this one is far from them.",
                    sentence(name(one))
                ),
                again: "Hold the speed until the needle is still, and read it again.",
            });
        }
    }
    found
}

/// A peak that was not cleared, or a line with its valve shut: the later of two that are alike is not believed.
fn stuck_needle(case: &Case, left: &[(usize, &Reading)]) -> Vec<NotBelieved> {
    let idle = |reading: &Reading| case.engine.idles_at(reading.rpm);
    let mut found = Vec::new();
    for (place, (_, a)) in left.iter().enumerate() {
        for (second, b) in left.iter().skip(place + 1) {
            let alike = a.instrument == b.instrument && a.phase == b.phase && (a.kpa / b.kpa.max(1.0) - 1.0).abs() <= SAME_NEEDLE;
            let apart = idle(a) != idle(b) && a.rpm.max(b.rpm) >= FAR_FASTER * a.rpm.min(b.rpm);
            let cold = a.oil_temp_c < COLD_C && b.oil_temp_c < COLD_C;
            let value = a.shown() == Shows::Value && b.shown() == Shows::Value;
            // Cold at idle and hot at speed may both stand on the relief as well; hot at idle and equal at any speed may not.
            let hot_idle = [a, b].into_iter().any(|reading| idle(reading) && reading.oil_temp_c >= COLD_C);
            if alike && apart && !cold && hot_idle && value && a.kpa > NOTHING_KPA && !repaired_between(case, a, b) {
                found.push(NotBelieved {
                    reading: *second,
                    why: format!("{} shows the same at idle and at speed: a held peak, or its line is shut.", sentence(name(b))),
                    again: "Clear the peak, open the line, and read idle and speed again.",
                });
            }
        }
    }
    found
}

/// Another engine stood under the needle: a repair is known to lie between two readings, so that what is alike is alike by chance.
fn repaired_between(case: &Case, a: &Reading, b: &Reading) -> bool {
    let Some((a, b)) = a.at.zip(b.at) else { return false };
    case.acts.iter().any(|act| act.act == Deed::Repair && act.at.is_some_and(|at| a.min(b) < at && at < a.max(b)))
}

/// What falls with revs on one gauge and not on another did not fall in the engine.
fn falls_on_one_gauge(_: &Case, left: &[(usize, &Reading)]) -> Vec<NotBelieved> {
    let mut found = Vec::new();
    let steps = |falls: bool| {
        left.iter().flat_map(move |slow| left.iter().map(move |fast| (*slow, *fast))).filter(move |((_, slow), (_, fast))| {
            let pair = slow.instrument == fast.instrument && slow.phase == fast.phase && (slow.oil_temp_c - fast.oil_temp_c).abs() <= 15.0;
            pair && fast.rpm > 1.15 * slow.rpm && if falls { fast.kpa < FALLS * slow.kpa } else { fast.kpa >= slow.kpa }
        })
    };
    for ((_, slow), (index, fast)) in steps(true) {
        let contradicted = steps(false).find(|((_, other_slow), (_, other_fast))| {
            other_fast.instrument != fast.instrument
                && other_slow.rpm <= 1.1 * slow.rpm
                && other_fast.rpm >= 0.9 * fast.rpm
                && other_slow.phase == slow.phase
        });
        if let Some(((_, other), _)) = contradicted {
            found.push(NotBelieved {
                reading: index,
                why: format!("It falls with revs on {} and not on {}.", name(fast), name(other)),
                again: "Read that speed on both gauges at the same moment.",
            });
        }
    }
    found
}
