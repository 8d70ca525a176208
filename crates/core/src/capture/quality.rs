//! Whether the recording itself can be believed: gaps, a signal at its stop, a zero that is off or has moved.
use super::hold::gap_s;
use super::run::Run;
use super::smooth::{median, smooth};
use crate::message;
use crate::message::{Message, number, pressure};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A stretch in which nothing was recorded.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Gap {
    /// Last moment before it, s.
    pub from_s: f64,
    /// First moment after it, s.
    pub to_s: f64,
}

/// Stretches in which nothing was recorded.
pub(super) fn gaps(run: &Run) -> Vec<Gap> {
    let longest = gap_s(run);
    run.time_s.array_windows().filter(|[a, b]| b - a > longest).map(|[a, b]| Gap { from_s: *a, to_s: *b }).collect()
}

/// A pressure is below nothing when it is so over this, s: noise alone is not.
const CALM_S: f64 = 0.5;
/// Under this the engine stands, turns a minute.
const STANDING_RPM: f64 = 30.0;
/// The line is empty so long after the engine stopped, and its oil runs back, s.
const EMPTIED_S: f64 = 4.0;
/// A stretch of standing is at least so long to tell a zero, s.
const LEAST_S: f64 = 0.5;
/// Beyond this it is no zero but pressure left in the line, kPa.
const MOST_ZERO_KPA: f64 = 60.0;
/// A zero moves by less than this without a word, kPa.
const STILL_KPA: f64 = 3.0;

/// What the gauge says with the engine standing.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub(super) struct Zero {
    /// Before the first start, kPa.
    pub before_kpa: Option<f64>,
    /// After the last stop, kPa.
    pub after_kpa: Option<f64>,
}

/// The zero before the start and after the stop.
pub(super) fn zero(run: &Run) -> Zero {
    if run.rpm.is_empty() {
        // Without speed, a flat stretch near nought at either end is the best there is.
        let end = run.time_s.last().copied().unwrap_or_default();
        let start = run.time_s.first().copied().unwrap_or_default();
        return Zero { before_kpa: flat(run, start, start + 1.0), after_kpa: flat(run, end - 1.0, end) };
    }
    let turns = |row: &usize| run.rpm.get(*row).is_some_and(|rpm| rpm.is_finite() && *rpm > STANDING_RPM);
    let rows = 0..run.time_s.len();
    let time = |row: usize| run.time_s.get(row).copied().unwrap_or_default();
    let start = run.time_s.first().copied().unwrap_or_default();
    let end = run.time_s.last().copied().unwrap_or_default();
    let first = rows.clone().find(turns).map_or(end, time);
    let last = rows.rev().find(turns).map_or(start, time);
    let before_kpa = (first - start >= LEAST_S).then(|| flat(run, start, first - 0.1)).flatten();
    let after_kpa =
        (end - last >= EMPTIED_S + LEAST_S).then(|| flat(run, end - LEAST_S.max(0.5 * (end - last - EMPTIED_S)), end)).flatten();
    Zero { before_kpa, after_kpa }
}

/// The middle of a stretch that stands still near nought.
fn flat(run: &Run, from_s: f64, to_s: f64) -> Option<f64> {
    let from = run.time_s.partition_point(|time| *time < from_s);
    let to = run.time_s.partition_point(|time| *time <= to_s);
    let kpa = run.kpa.get(from..to).filter(|kpa| kpa.len() >= 2)?;
    let (low, high) = kpa.iter().fold((f64::MAX, f64::MIN), |(low, high), value| (low.min(*value), high.max(*value)));
    let middle = median(kpa.iter().copied())?;
    (middle.abs() <= MOST_ZERO_KPA && high - low <= 20.0).then_some(middle)
}

/// Sentences about the zero.
pub(super) fn about_zero(zero: Zero) -> Vec<Message> {
    let mut told = Vec::new();
    let stands = zero.before_kpa.or(zero.after_kpa);
    if let (Some(before), Some(after)) = (zero.before_kpa, zero.after_kpa)
        && (after - before).abs() > STILL_KPA
    {
        told.push(message!("run-zero-moved", before = pressure(before), after = pressure(after)));
    } else if let Some(zero) = stands.filter(|zero| zero.abs() > STILL_KPA) {
        told.push(message!("run-zero-off", zero = pressure(zero)));
    }
    told
}

/// A signal that stays at its greatest value as no pressure does has left its range.
pub(super) fn clipped(run: &Run) -> Option<(f64, f64)> {
    let most = run.kpa.iter().copied().fold(f64::MIN, f64::max);
    if most < 50.0 {
        return None;
    }
    let (mut at_most, mut longest, mut since) = (0.0, 0.0f64, None::<f64>);
    let mut near = 0usize;
    for (kpa, time) in run.kpa.iter().zip(&run.time_s) {
        if (most - kpa).abs() <= 1e-9 * most.abs() {
            let start = *since.get_or_insert(*time);
            at_most += 1.0;
            longest = longest.max(time - start);
        } else {
            since = None;
            near += usize::from(*kpa > 0.99 * most);
        }
    }
    // A resting signal is quantised too: what is clipped has nothing a little below it.
    (at_most >= 5.0 && longest >= 0.3 && (near as f64) < 0.5 * at_most).then_some((most, longest))
}

/// Sentences about the recording as a whole.
pub(super) fn about(run: &Run, steps: &Run, gaps: &[Gap], dead: bool) -> Vec<Message> {
    let mut told = Vec::new();
    if !gaps.is_empty() {
        let missing: f64 = gaps.iter().map(|gap| gap.to_s - gap.from_s).sum();
        told.push(message!("run-gaps", gaps = gaps.len(), seconds = number(missing, 1)));
    }
    if let Some((most, seconds)) = clipped(run) {
        told.push(message!("run-at-its-stop", pressure = pressure(most), seconds = number(seconds, 1)));
    }
    let first = run.kpa.first().copied().unwrap_or_default();
    if dead {
        told.push(message!("run-never-moves", pressure = pressure(first)));
    }
    let least = smooth(&steps.time_s, &steps.kpa, CALM_S).into_iter().fold(f64::MAX, f64::min);
    if least < -STILL_KPA {
        told.push(message!("run-below-zero", pressure = pressure(least)));
    }
    told
}

/// True when the pressure never moves at all.
pub(super) fn dead(run: &Run) -> bool {
    let first = run.kpa.first().copied().unwrap_or_default();
    run.kpa.len() > 2 && run.kpa.iter().all(|kpa| (kpa - first).abs() < 1e-9)
}
