//! Steady holds: stretches where speed and oil temperature stood still long enough to read the gauge.
use super::read::{Capture, Sample};
use std::collections::VecDeque;

/// A stretch that may be taken as a reading.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Hold {
    /// Start, s.
    pub from_s: f64,
    /// End, s.
    pub to_s: f64,
    /// Mean speed, turns a minute.
    pub rpm: f64,
    /// Mean oil temperature, °C.
    pub oil_temp_c: f64,
    /// Mean pressure, kPa.
    pub kpa: f64,
    /// Half of the range that nine tenths of the pressure samples lie in, kPa.
    pub spread_kpa: f64,
}

/// Shortest hold, s: two turns of attention at a needle.
const LEAST_S: f64 = 5.0;
/// Speed may move by this in all, turns a minute or share of the speed, whichever is more.
const SPEED_BAND_RPM: f64 = 70.0;
const SPEED_BAND_SHARE: f64 = 0.04;
/// Oil temperature may move by this in all, K.
const TEMP_BAND_K: f64 = 3.0;
/// Under this the engine stands or cranks.
const RUNNING_RPM: f64 = 300.0;

/// All holds of a run, in the order of time, none overlapping.
///
/// One pass with a window that grows while speed and temperature stay inside their bands: when a sample breaks a band, a window long enough is a
/// hold and the next begins there; a shorter one lets go of its oldest sample.
pub fn holds(capture: &Capture) -> Vec<Hold> {
    let samples = &capture.samples;
    let mut found = Vec::new();
    let mut window = Window::default();
    for (right, sample) in samples.iter().enumerate() {
        while !window.is_empty() && !window.takes(sample) {
            if window.seconds(samples, right) >= LEAST_S {
                found.extend(samples.get(window.left..right).and_then(summary));
                window = Window { left: right, ..Window::default() };
            } else {
                window.let_go();
            }
        }
        window.push(right, sample);
    }
    if window.seconds(samples, samples.len()) >= LEAST_S {
        found.extend(samples.get(window.left..).and_then(summary));
    }
    found
}

/// Extremes of speed and temperature over a sliding window, as monotone queues of (index, value).
#[derive(Debug, Default)]
struct Window {
    left: usize,
    end: usize,
    queues: [VecDeque<(usize, f64)>; 4],
}

impl Window {
    fn is_empty(&self) -> bool {
        self.left >= self.end
    }

    fn keys(sample: &Sample) -> [f64; 4] {
        // Each queue keeps the greatest of its key, so the least is the greatest of the negative.
        [sample.rpm, -sample.rpm, sample.oil_temp_c, -sample.oil_temp_c]
    }

    fn takes(&self, sample: &Sample) -> bool {
        let [fast, slow, warm, cool] = Self::keys(sample);
        let front = |queue: &VecDeque<(usize, f64)>, new: f64| queue.front().map_or(new, |(_, old)| old.max(new));
        let [q_fast, q_slow, q_warm, q_cool] = &self.queues;
        let (most, least) = (front(q_fast, fast), -front(q_slow, slow));
        let steady = most - least <= SPEED_BAND_RPM.max(SPEED_BAND_SHARE * most) && least >= RUNNING_RPM;
        steady && front(q_warm, warm) + front(q_cool, cool) <= TEMP_BAND_K
    }

    fn push(&mut self, index: usize, sample: &Sample) {
        if self.is_empty() {
            self.left = index;
        }
        self.end = index + 1;
        for (queue, key) in self.queues.iter_mut().zip(Self::keys(sample)) {
            while queue.back().is_some_and(|(_, old)| *old <= key) {
                queue.pop_back();
            }
            queue.push_back((index, key));
        }
    }

    fn let_go(&mut self) {
        self.left += 1;
        for queue in &mut self.queues {
            while queue.front().is_some_and(|(index, _)| *index < self.left) {
                queue.pop_front();
            }
        }
    }

    fn seconds(&self, samples: &[Sample], end: usize) -> f64 {
        let first = samples.get(self.left);
        let last = end.checked_sub(1).and_then(|last| samples.get(last));
        first.zip(last).map_or(0.0, |(first, last)| if first.rpm >= RUNNING_RPM { last.time_s - first.time_s } else { 0.0 })
    }
}

fn summary(samples: &[Sample]) -> Option<Hold> {
    let (first, last) = (samples.first()?, samples.last()?);
    let n = samples.len() as f64;
    let mean = |of: fn(&Sample) -> f64| samples.iter().map(of).sum::<f64>() / n;
    let mut kpa: Vec<f64> = samples.iter().map(|s| s.kpa).collect();
    kpa.sort_by(f64::total_cmp);
    let quantile = |q: f64| kpa.get(((n - 1.0) * q).round() as usize).copied().unwrap_or_default();
    Some(Hold {
        from_s: first.time_s,
        to_s: last.time_s,
        rpm: mean(|s| s.rpm),
        oil_temp_c: mean(|s| s.oil_temp_c),
        kpa: mean(|s| s.kpa),
        spread_kpa: 0.5 * (quantile(0.95) - quantile(0.05)),
    })
}
