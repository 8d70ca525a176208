//! Counting: how often the true cause stood where, and whether what was stated came true.
use serde::Serialize;
use velvet_dial_core::knowledge::{Hypothesis, Knowledge};
use velvet_dial_core::trace::Posterior;
use velvet_dial_engines::is_true;

/// How often the true cause stood where, over some cases.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize)]
pub struct Tally {
    /// Cases.
    pub cases: u32,
    /// The true cause stood first.
    pub first: u32,
    /// It stood among the first three.
    pub first_three: u32,
    /// Its group stood first.
    pub group_first: u32,
    /// Its group stood among the first two.
    pub group_first_two: u32,
}

impl Tally {
    /// A share of the cases, 0 to 1; 0 when there are none.
    pub fn share(&self, count: u32) -> f64 {
        if self.cases == 0 { 0.0 } else { f64::from(count) / f64::from(self.cases) }
    }

    pub(crate) fn add(&mut self, other: Self) {
        self.cases += other.cases;
        self.first += other.first;
        self.first_three += other.first_three;
        self.group_first += other.group_first;
        self.group_first_two += other.group_first_two;
    }

    /// One case.
    pub(crate) fn of(know: &Knowledge, hypothesis: &Hypothesis, posterior: &Posterior) -> Self {
        let ranked = posterior.ranked();
        let place = ranked.iter().position(|cause| is_true(hypothesis, *cause)).unwrap_or(usize::MAX);
        let mut groups: Vec<(&str, f64)> = know.groups().into_iter().map(|name| (name, know.any_of(&posterior.states, name))).collect();
        groups.sort_by(|a, b| b.1.total_cmp(&a.1));
        let of_truth =
            |group: &str| know.causes.iter().enumerate().any(|(index, cause)| cause.group == group && is_true(hypothesis, index));
        let group_place = groups.iter().position(|(group, _)| of_truth(group)).unwrap_or(usize::MAX);
        let when = |yes: bool| u32::from(yes);
        Self {
            cases: 1,
            first: when(place == 0),
            first_three: when(place < 3),
            group_first: when(group_place == 0),
            group_first_two: when(group_place < 2),
        }
    }
}

/// What was stated with some certainty, and how often it came true.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize)]
pub struct Bin {
    /// Statements.
    pub stated: u32,
    /// Mean certainty stated.
    pub mean: f64,
    /// Share that came true.
    pub came_true: f64,
}

/// Stated certainty against what came true, in tenths.
#[derive(Debug, Clone, PartialEq, Serialize, Default)]
pub struct Calibration {
    /// From 0–10 % to 90–100 %.
    pub bins: [Bin; 10],
}

/// A statement that a cause is present: its certainty, and whether it came true.
pub(crate) type Stated = (f64, f64);

/// What is stated of every cause given at least this certainty counts; below it the table would only count what nobody says.
const STATED_FROM: f64 = 0.02;

pub(crate) fn statements(hypothesis: &Hypothesis, posterior: &Posterior) -> Vec<Stated> {
    let all = posterior.present.iter().enumerate().filter(|(_, p)| **p >= STATED_FROM);
    all.map(|(cause, p)| (*p, if hypothesis.holds(cause) { 1.0 } else { 0.0 })).collect()
}

impl Calibration {
    pub(crate) fn of(statements: &[Stated]) -> Self {
        let bin = |tenth: usize| {
            let of: Vec<&Stated> = statements.iter().filter(|(p, _)| ((p * 10.0) as usize).min(9) == tenth).collect();
            let count = of.len().max(1) as f64;
            Bin {
                stated: of.len() as u32,
                mean: of.iter().map(|(p, _)| p).sum::<f64>() / count,
                came_true: of.iter().map(|(_, came)| came).sum::<f64>() / count,
            }
        };
        Self { bins: std::array::from_fn(bin) }
    }

    /// The widest gap between stated and observed over bins of at least `least` statements, and the mean gap weighted by statements; in points.
    pub fn gaps(&self, least: u32) -> (f64, f64) {
        let gap = |bin: &Bin| 100.0 * (bin.mean - bin.came_true).abs();
        let widest = self.bins.iter().filter(|bin| bin.stated >= least).map(gap).fold(0.0, f64::max);
        let all: f64 = self.bins.iter().map(|bin| f64::from(bin.stated)).sum();
        (widest, self.bins.iter().map(|bin| f64::from(bin.stated) * gap(bin)).sum::<f64>() / all.max(1.0))
    }
}

/// Sound engines whose every reading is within, and those called sound; faulty engines below their sheet, and those called sound.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize)]
pub struct SoundScore {
    /// Sound engines.
    pub sound: u32,
    /// Of these, called sound: over one half.
    pub called: u32,
    /// Of these, given under one in twenty.
    pub condemned: u32,
    /// Faulty engines below their sheet.
    pub below: u32,
    /// Of these, called sound.
    pub missed: u32,
    /// Faulty engines that keep their sheet.
    pub within: u32,
    /// Of these, called sound.
    pub within_called: u32,
}

impl SoundScore {
    pub(crate) fn of(sound_engine: bool, below: bool, sound: f64) -> Self {
        let when = |yes: bool| u32::from(yes);
        let faulty_below = !sound_engine && below;
        Self {
            sound: when(sound_engine),
            called: when(sound_engine && sound > 0.5),
            condemned: when(sound_engine && sound < 0.05),
            below: when(faulty_below),
            missed: when(faulty_below && sound > 0.5),
            within: when(!sound_engine && !below),
            within_called: when(!sound_engine && !below && sound > 0.5),
        }
    }

    pub(crate) fn add(&mut self, other: Self) {
        self.sound += other.sound;
        self.called += other.called;
        self.condemned += other.condemned;
        self.below += other.below;
        self.missed += other.missed;
        self.within += other.within;
        self.within_called += other.within_called;
    }
}
