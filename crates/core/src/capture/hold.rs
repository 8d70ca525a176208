//! Steady holds: stretches where speed and oil temperature stood still long enough to read the gauge.
//!
//! One pass with a window that grows while speed and temperature stay inside their bands: when a moment breaks a band, a window long enough is a hold and the next begins
//! there; a shorter one lets go of its oldest moment. Speed and temperature are looked at without their noise. A stretch at one speed during which the oil goes on warming is
//! a warm-up and no hold, until it slows down. Where speed was not recorded, the pressure itself has to stand still.
use super::coarse::{Coarse, coarse};
use super::run::Run;
use super::smooth::{quantile, smooth};
use rayon::prelude::*;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::VecDeque;
use std::ops::Range;

/// A stretch that may be taken as a reading.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Hold {
    /// Start, s.
    pub from_s: f64,
    /// End, s.
    pub to_s: f64,
    /// Mean speed, turns a minute; null when it was not recorded.
    pub rpm: Option<f64>,
    /// Mean oil temperature, °C; null when it was not recorded.
    pub oil_temp_c: Option<f64>,
    /// Mean pressure, kPa.
    pub kpa: f64,
    /// Half of the range that nine tenths of the pressures lie in, kPa.
    pub spread_kpa: f64,
    /// How fast the pressure drifted, kPa a second.
    pub slope_kpa_s: f64,
    /// Pressures it is the mean of.
    pub count: usize,
}

/// Shortest hold, s: two turns of attention at a needle.
const LEAST_S: f64 = 5.0;
/// Speed may move by this in all, turns a minute or share of the speed, whichever is more.
const SPEED_BAND_RPM: f64 = 70.0;
const SPEED_BAND_SHARE: f64 = 0.04;
/// Oil temperature may move by this in all, K.
const TEMP_BAND_K: f64 = 3.0;
/// Oil that warms faster is still warming up, K a second.
const WARMING_K_S: f64 = 4.0 / 60.0;
/// Under this the engine stands or cranks.
const RUNNING_RPM: f64 = 300.0;
/// Speed is looked at over so long, s, and temperature.
const LOOK_S: f64 = 0.6;
const LOOK_TEMP_S: f64 = 3.0;
/// Without speed, pressure may move by this share, or by so much, kPa.
const PRESSURE_BAND_SHARE: f64 = 0.05;
const PRESSURE_BAND_KPA: f64 = 10.0;
/// A hand holds a speed to this, turns a minute or share.
const TRIM_RPM: f64 = 15.0;
const TRIM_SHARE: f64 = 0.008;
/// Pressure that moves by more of itself over a stretch drifts.
const DRIFTS_SHARE: f64 = 0.08;
const STANDING_KPA: f64 = 5.0;
/// A gap is longer than so many rows, and at least so long, s.
const GAP_ROWS: f64 = 6.0;
const GAP_LEAST_S: f64 = 0.5;
/// After a change of speed the gauge follows: at most this share of a hold is left out for it.
const MOST_SETTLING: f64 = 0.4;

/// The step between rows beyond which something is missing, s.
pub(super) fn gap_s(run: &Run) -> f64 {
    let some = run.time_s.len().div_ceil(100_000).max(1);
    let mut steps: Vec<f64> = run.time_s.array_windows().step_by(some).map(|[a, b]| b - a).collect();
    (GAP_ROWS * quantile(&mut steps, 0.5).unwrap_or(0.0)).max(GAP_LEAST_S)
}

/// All holds of a run, in the order of time, none overlapping.
pub fn holds(run: &Run) -> Vec<Hold> {
    holds_of(run, &coarse(run))
}

/// The same, with the run's steps at hand.
pub(super) fn holds_of(whole: &Run, coarse: &Coarse) -> Vec<Hold> {
    let run = &coarse.run;
    let steady = if run.rpm.is_empty() { smooth(&run.time_s, &run.kpa, 2.0 * LOOK_S) } else { smooth(&run.time_s, &run.rpm, LOOK_S) };
    let temp = smooth(&run.time_s, &run.oil_temp_c, LOOK_TEMP_S);
    let by_speed = !run.rpm.is_empty();
    let gap = gap_s(run);
    let mut found: Vec<(usize, usize)> = Vec::new();
    let mut window = Window::default();
    let time = |row: usize| run.time_s.get(row).copied().unwrap_or_default();
    let long = |window: &Window| window.end > window.left && time(window.end - 1) - time(window.left) >= LEAST_S;
    for (row, value) in steady.iter().copied().enumerate() {
        let moment = Moment { steady: value, temp: temp.get(row).copied().filter(|temp| temp.is_finite()) };
        let apart = row > 0 && time(row) - time(row - 1) > gap;
        let stands = value.is_finite() && (!by_speed || value >= RUNNING_RPM);
        if apart || !stands {
            if long(&window) {
                found.push((window.left, window.end));
            }
            window = Window::at(row);
            if !stands {
                window = Window::at(row + 1);
                continue;
            }
        }
        while !window.is_empty() && !window.takes(moment, by_speed) {
            if long(&window) {
                found.push((window.left, window.end));
                window = Window::at(row);
            } else {
                window.let_go();
            }
        }
        window.push(row, moment);
    }
    if long(&window) {
        found.push((window.left, window.end));
    }
    let windows = merged(run, &steady, &found, gap);
    settled(run, &steady, &windows)
        .into_par_iter()
        .filter_map(|(from, to)| {
            let (from, to) = (*coarse.rows.get(from)?, *coarse.rows.get(to)?);
            summary(whole, settles(whole, from, to), to)
        })
        .collect()
}

/// From when on speed and temperature have stood within a hold's bands up to the last moment, s; none where they have not.
pub fn standing(run: &Run) -> Option<f64> {
    let by_speed = !run.rpm.is_empty();
    let steady = if by_speed { smooth(&run.time_s, &run.rpm, LOOK_S) } else { smooth(&run.time_s, &run.kpa, 2.0 * LOOK_S) };
    let temp = smooth(&run.time_s, &run.oil_temp_c, LOOK_TEMP_S);
    let gap = gap_s(run);
    let mut window = Window::default();
    let mut after: Option<f64> = None;
    let mut from = None;
    for row in (0..run.time_s.len()).rev() {
        let (time, value) = (run.time_s.get(row).copied()?, steady.get(row).copied()?);
        let moment = Moment { steady: value, temp: temp.get(row).copied().filter(|temp| temp.is_finite()) };
        let apart = after.is_some_and(|after| after - time > gap);
        // The window grows backwards; only its extremes are asked for, and they do not know a direction.
        if apart || !value.is_finite() || (by_speed && value < RUNNING_RPM) || !(window.is_empty() || window.takes(moment, by_speed)) {
            break;
        }
        window.widen(moment);
        (after, from) = (Some(time), Some(time));
    }
    from
}

/// Windows that touch are one where both run at one speed and the oil hardly moves over both: what parted them was the way up to the speed.
fn merged(run: &Run, steady: &[f64], found: &[(usize, usize)], longest: f64) -> Vec<(usize, usize)> {
    let mean = |channel: &[f64], (from, to): (usize, usize)| {
        let some = channel.get(from..to).into_iter().flatten().filter(|value| value.is_finite());
        let (sum, count) = some.fold((0.0, 0.0), |(sum, count), value| (sum + value, count + 1.0));
        if count > 0.0 { sum / count } else { 0.0 }
    };
    let mut merged: Vec<(usize, usize)> = Vec::with_capacity(found.len());
    for window in found {
        let joins = merged.last().copied().filter(|last| {
            let (before, after) = (mean(steady, *last), mean(steady, *window));
            let gap = run.time_s.get(window.0).zip(run.time_s.get(last.1.saturating_sub(1))).map_or(f64::MAX, |(b, a)| b - a);
            // The means lie in the middle of both, so half of a band apart is a whole band from end to end.
            let cool = (mean(&run.oil_temp_c, *last) - mean(&run.oil_temp_c, *window)).abs();
            window.0.saturating_sub(last.1) <= 1
                && gap <= longest
                && (before - after).abs() <= (0.015 * before).max(30.0)
                && cool <= 0.5 * TEMP_BAND_K
        });
        match (joins, merged.last_mut()) {
            (Some(_), Some(last)) => last.1 = window.1,
            _ => merged.push(*window),
        }
    }
    merged
}

/// The windows that are holds: those of one long warm-up fall away.
fn settled(run: &Run, steady: &[f64], found: &[(usize, usize)]) -> Vec<(usize, usize)> {
    let mut holds = Vec::with_capacity(found.len());
    for (place, (from, to)) in found.iter().enumerate() {
        let near = |other: Option<&(usize, usize)>, apart: fn(usize, usize, usize, usize) -> usize| {
            other.is_some_and(|(other_from, other_to)| {
                let alike =
                    steady.get(*from).zip(steady.get(*other_from)).is_some_and(|(a, b)| (a - b).abs() <= SPEED_BAND_RPM.max(0.06 * a));
                alike && apart(*from, *to, *other_from, *other_to) <= 3
            })
        };
        // Cut from its neighbour by the temperature alone.
        let goes_on = near(place.checked_sub(1).and_then(|before| found.get(before)), |from, _, _, other_to| from.saturating_sub(other_to))
            || near(found.get(place + 1), |_, to, other_from, _| other_from.saturating_sub(to));
        let seconds = run.time_s.get(to - 1).zip(run.time_s.get(*from)).map_or(1.0, |(b, a)| b - a);
        let rise = slope(run.time_s.get(*from..*to), run.oil_temp_c.get(*from..*to));
        if goes_on && rise.is_some_and(|slope| slope.abs() > WARMING_K_S) {
            continue;
        }
        let fall = slope(run.time_s.get(*from..*to), run.kpa.get(*from..*to)).unwrap_or(0.0) * seconds;
        let kpa = summary(run, *from, *to).map_or(0.0, |hold| hold.kpa);
        // Where nobody recorded the oil, a pressure that drifts away tells that it warms.
        if run.oil_temp_c.is_empty() && fall.abs() > DRIFTS_SHARE * kpa.abs() && fall.abs() > PRESSURE_BAND_KPA {
            continue;
        }
        // Where nobody recorded the speed, no pressure at all is an engine that stands.
        if run.rpm.is_empty() && kpa < STANDING_KPA {
            continue;
        }
        let (start, end) = trimmed(steady, *from, *to);
        let left = run.time_s.get(end - 1).zip(run.time_s.get(start)).map_or(0.0, |(b, a)| b - a);
        holds.push(if left >= LEAST_S { (start, end) } else { (*from, *to) });
    }
    holds
}

/// A window without the way up to its speed and the way off it: at either end what lies beside the middle by more than a hand does is left out.
fn trimmed(steady: &[f64], from: usize, to: usize) -> (usize, usize) {
    let values = steady.get(from..to).unwrap_or_default();
    let mut sorted = values.to_vec();
    let Some(middle) = quantile(&mut sorted, 0.5) else { return (from, to) };
    let beside = |value: &&f64| (**value - middle).abs() > TRIM_RPM.max(TRIM_SHARE * middle);
    let most = values.len() / 5;
    let front = values.iter().take(most).take_while(beside).count();
    let back = values.iter().rev().take(most).take_while(beside).count();
    (from + front, to - back)
}

/// The first row from which the pressure is where it stays.
fn settles(run: &Run, from: usize, to: usize) -> usize {
    let seconds = run.time_s.get(to.saturating_sub(1)).zip(run.time_s.get(from)).map_or(0.0, |(b, a)| b - a);
    let kpa = run.kpa.get(from..to).unwrap_or_default();
    let mut half: Vec<f64> = kpa.get(kpa.len() / 2..).unwrap_or_default().to_vec();
    let Some(middle) = quantile(&mut half, 0.5) else { return from };
    let spread = 0.5 * (quantile(&mut half, 0.95).unwrap_or(middle) - quantile(&mut half, 0.05).unwrap_or(middle));
    let band = spread.max(0.015 * middle.abs()).max(1.0);
    let most = from + ((to - from) as f64 * MOST_SETTLING.min((seconds - LEAST_S).max(0.0) / seconds.max(1e-9) + 0.1)) as usize;
    let calm = smooth(run.time_s.get(from..to).unwrap_or_default(), kpa, 0.4);
    let settled = calm.iter().position(|value| (value - middle).abs() <= band).unwrap_or(0);
    (from + settled).min(most)
}

/// What is steady, without its noise, and the temperature beside it.
#[derive(Debug, Clone, Copy)]
struct Moment {
    steady: f64,
    temp: Option<f64>,
}

/// Extremes of both over a sliding window, as monotone queues of (row, value).
#[derive(Debug, Default)]
struct Window {
    left: usize,
    end: usize,
    queues: [VecDeque<(usize, f64)>; 4],
}

impl Window {
    fn at(row: usize) -> Self {
        Self { left: row, end: row, ..Self::default() }
    }

    fn is_empty(&self) -> bool {
        self.left >= self.end
    }

    /// Each queue keeps the greatest of its key, so the least is the greatest of the negative.
    fn keys(moment: Moment) -> [Option<f64>; 4] {
        [Some(moment.steady), Some(-moment.steady), moment.temp, moment.temp.map(|temp| -temp)]
    }

    fn takes(&self, moment: Moment, by_speed: bool) -> bool {
        let [most, least, warm, cool] = Self::keys(moment);
        let front = |queue: &VecDeque<(usize, f64)>, new: Option<f64>| match (queue.front(), new) {
            (Some((_, old)), Some(new)) => Some(old.max(new)),
            (Some((_, old)), None) => Some(*old),
            (None, new) => new,
        };
        let [q_most, q_least, q_warm, q_cool] = &self.queues;
        let (most, least) = (front(q_most, most).unwrap_or_default(), -front(q_least, least).unwrap_or_default());
        let band = if by_speed { SPEED_BAND_RPM.max(SPEED_BAND_SHARE * most) } else { PRESSURE_BAND_KPA.max(PRESSURE_BAND_SHARE * most) };
        let moved = front(q_warm, warm).zip(front(q_cool, cool)).map_or(0.0, |(warm, cool)| warm + cool);
        most - least <= band && moved <= TEMP_BAND_K
    }

    fn push(&mut self, row: usize, moment: Moment) {
        if self.is_empty() {
            *self = Self::at(row);
        }
        self.end = row + 1;
        for (queue, key) in self.queues.iter_mut().zip(Self::keys(moment)) {
            let Some(key) = key else { continue };
            while queue.back().is_some_and(|(_, old)| *old <= key) {
                queue.pop_back();
            }
            queue.push_back((row, key));
        }
    }

    /// Takes a moment for good: nothing is let go any more.
    fn widen(&mut self, moment: Moment) {
        self.end = self.left + 1;
        for (queue, key) in self.queues.iter_mut().zip(Self::keys(moment)) {
            if let Some(key) = key
                && queue.front().is_none_or(|(_, most)| key > *most)
            {
                *queue = VecDeque::from([(0, key)]);
            }
        }
    }

    fn let_go(&mut self) {
        self.left += 1;
        for queue in &mut self.queues {
            while queue.front().is_some_and(|(row, _)| *row < self.left) {
                queue.pop_front();
            }
        }
    }
}

/// What a stretch of rows says as a reading.
pub fn summary(run: &Run, from: usize, to: usize) -> Option<Hold> {
    let time = run.time_s.get(from..to)?;
    let kpa = run.kpa.get(from..to)?;
    let (first, last) = (time.first()?, time.last()?);
    let mut sorted = kpa.to_vec();
    let (low, high) = (quantile(&mut sorted, 0.05)?, quantile(&mut sorted, 0.95)?);
    Some(Hold {
        from_s: *first,
        to_s: *last,
        rpm: mean(run.rpm.get(from..to)),
        oil_temp_c: mean(run.oil_temp_c.get(from..to)),
        kpa: mean(Some(kpa))?,
        spread_kpa: 0.5 * (high - low),
        slope_kpa_s: slope(Some(time), Some(kpa)).unwrap_or(0.0),
        count: kpa.len(),
    })
}

/// The mean of what is known of some values.
fn mean(values: Option<&[f64]>) -> Option<f64> {
    let some = values?.iter().filter(|value| value.is_finite());
    let (sum, count) = some.fold((0.0, 0u32), |(sum, count), value| (sum + value, count + 1));
    (count > 0).then(|| sum / f64::from(count))
}

/// The rows between two times, both among them.
fn rows(run: &Run, from_s: f64, to_s: f64) -> Range<usize> {
    run.time_s.partition_point(|time| *time < from_s)..run.time_s.partition_point(|time| *time <= to_s)
}

/// The hold between two times, as a person drags it; none where there are no two rows.
pub fn between(run: &Run, from_s: f64, to_s: f64) -> Option<Hold> {
    let rows = rows(run, from_s, to_s);
    (rows.len() >= 2).then(|| summary(run, rows.start, rows.end)).flatten()
}

/// What the vehicle's own signal said between two times, kPa; none where it was not recorded.
pub fn dash_between(run: &Run, from_s: f64, to_s: f64) -> Option<f64> {
    mean(run.dash_kpa.get(rows(run, from_s, to_s)))
}

/// The straight line through a stretch by least squares: its slope a second.
pub(super) fn slope(time_s: Option<&[f64]>, values: Option<&[f64]>) -> Option<f64> {
    let points = || time_s.into_iter().flatten().zip(values.into_iter().flatten()).filter(|(_, value)| value.is_finite());
    let (count, time, value) = points().fold((0.0, 0.0, 0.0), |(n, t, v), (time, value)| (n + 1.0, t + time, v + value));
    if count < 3.0 {
        return None;
    }
    let (time, value) = (time / count, value / count);
    let (over, under) = points().fold((0.0, 0.0), |(over, under), (t, v)| (over + (t - time) * (v - value), under + (t - time).powi(2)));
    (under > 0.0).then(|| over / under)
}
