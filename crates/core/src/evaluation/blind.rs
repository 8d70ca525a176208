//! A blind case: what a technician would have on paper of an engine whose fault only the examiner knows.
use super::build::{Made, between, break_it, healthy, port_kpa, scatter};
use crate::case::{Case, FORMAT, Phase, Reading};
use crate::circuit::{Fault, Layout};
use crate::instrument::{Instrument, Kind};
use crate::trace::knowledge::{BANDS, Check, Hypothesis, Knowledge, Link, Reading as Bears, SLIGHT_UNDER};
use crate::trace::pick;
use crate::unit::Gear;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

/// An engine with its four points of the run: cold idle, hot idle, 2000, 3000.
#[derive(Debug, Clone)]
pub(super) struct Engine {
    made: Made,
    points: [(f64, f64); 4],
    gauge: Instrument,
}

/// A case and its secret.
#[derive(Debug, Clone)]
pub(super) struct Blind {
    pub case: Case,
    /// The hypothesis it was drawn from, by index.
    pub truth: usize,
    /// What every check would answer, by check: as the fault shows it, and as the tables have it.
    pub answers: [Vec<usize>; 2],
    /// What was told at intake.
    pub told: Vec<String>,
}

/// Share of wrong answers on top of what the checks themselves miss.
pub(super) const WRONG: f64 = 0.05;
/// An outcome counts as what a fault shows when it is at least this share as frequent as the most frequent one.
const SHOWS: f64 = 0.5;
/// How far the examiner's tables stray from the tracer's: standard deviation of the logarithm of every entry.
const STRAY: f64 = 0.5;
/// Severities tried until a fault is bad enough to be complained of.
const TRIES: usize = 12;

impl Engine {
    pub fn drawn(rng: &mut ChaCha8Rng) -> Self {
        let made = healthy(rng);
        let idle = made.card.idle_rpm;
        let cold = between(rng, 8.0, 28.0).round();
        let hot = between(rng, 92.0, 106.0);
        let mut near_hot = |rpm: f64| (rpm, (hot + between(rng, -3.0, 5.0)).round());
        let points = [(idle + 80.0, cold), near_hot(idle), near_hot(2000.0), near_hot(3000.0)];
        let class_percent = if rng.random() { 1.0 } else { 1.6 };
        let gauge = Instrument { kind: Kind::Bourdon, full_scale_kpa: 1000.0, class_percent, graduation_kpa: 20.0, calibrated_on: None };
        Self { made, points, gauge }
    }

    pub fn layout(&self) -> &Layout {
        &self.made.card.layout
    }

    /// The case of this engine with a hypothesis of the tracer's behind it; `None` when nothing about it would be complained of.
    pub fn with(&self, know: &Knowledge, truth: usize, noticed: f64, rng: &mut ChaCha8Rng) -> Option<Blind> {
        let hypothesis = know.hypotheses.get(truth)?;
        let cause = know.causes.get(hypothesis.first)?;
        let layout = &self.made.card.layout;
        if cause.needs.is_some_and(|part| !part.is_in(layout)) {
            return None;
        }
        let faults: Vec<Fault> = [Some(hypothesis.first), hypothesis.second]
            .into_iter()
            .flatten()
            .filter_map(|cause| know.causes.get(cause))
            .map(|cause| cause.fault)
            .collect();
        let sound = self.points.map(|(rpm, temp)| port_kpa(&self.made.engine, layout, rpm, temp));
        let quiet = faults.iter().all(|fault| *fault == Fault::None);
        for _ in 0..TRIES {
            let severity: f64 = rng.random();
            let mut engine = self.made.engine.clone();
            for fault in &faults {
                break_it(&mut engine, *fault, severity, rng);
            }
            let true_kpa = self.points.map(|(rpm, temp)| port_kpa(&engine, layout, rpm, temp));
            if quiet || self.noticed(noticed, &sound, &true_kpa) {
                let readings = self.read(cause.reading, &true_kpa, rng);
                let state = BANDS * truth + usize::from(severity >= SLIGHT_UNDER);
                return Some(Blind {
                    case: Case {
                        format: FORMAT.to_owned(),
                        id: None,
                        engine: self.made.card.clone(),
                        spec: Some(self.made.sheet.clone()),
                        instruments: [("g".to_owned(), self.gauge.clone())].into(),
                        readings,
                        evidence: Vec::new(),
                        circumstances: Vec::new(),
                    },
                    truth,
                    answers: [true, false].map(|clear| {
                        know.checks.iter().enumerate().map(|(index, check)| answer(check, index, state, clear, rng)).collect()
                    }),
                    told: told(know, state, rng),
                });
            }
        }
        None
    }

    /// Somebody complains: a hot pressure under the sheet, or any that has gone so far, as a share, from what this engine made when sound.
    fn noticed(&self, share: f64, sound: &[f64; 4], now: &[f64; 4]) -> bool {
        let limit = |rpm: f64| self.made.sheet.points.iter().find(|p| p.rpm == rpm).and_then(|p| p.min_kpa).unwrap_or(0.0);
        self.points
            .iter()
            .zip(sound.iter().zip(now))
            .any(|((rpm, temp), (sound, now))| (now / sound.max(1.0) - 1.0).abs() > share || (*temp > 80.0 && *now < limit(*rpm)))
    }

    /// The four readings off a real gauge: class, graduation, needle, a probe and a tachometer that are a little off.
    fn read(&self, bears: Bears, true_kpa: &[f64; 4], rng: &mut ChaCha8Rng) -> Vec<Reading> {
        let class = self.gauge.class_percent / 100.0 * self.gauge.full_scale_kpa * between(rng, -1.0, 1.0);
        // A lying gauge: off at rest, or with a wrong slope.
        let (offset, slope) = match bears {
            Bears::Distorted if rng.random() => (between(rng, 20.0, 80.0) * if rng.random() { 1.0 } else { -1.0 }, 1.0),
            Bears::Distorted => (0.0, between(rng, 0.55, 0.85)),
            _ => (0.0, 1.0),
        };
        let mut readings = Vec::new();
        for ((rpm, temp), kpa) in self.points.iter().zip(true_kpa) {
            let strange = if bears == Bears::Anything { (0.5 * scatter(rng)).exp() } else { 1.0 };
            let held = 1.0 + 0.01 * scatter(rng);
            let shown = (kpa * slope * strange * held + offset + class * between(rng, 0.6, 1.0)).max(0.0);
            let step = 0.5 * self.gauge.graduation_kpa;
            readings.push(Reading {
                rpm: *rpm,
                oil_temp_c: *temp,
                oil_temp_estimated: false,
                gear: Gear::Neutral,
                kpa: (shown / step).round() * step,
                spread_kpa: (0.01 * kpa).round(),
                instrument: Some("g".to_owned()),
                phase: Phase::Before,
            });
        }
        readings
    }
}

/// An entry of the examiner's own tables: the tracer's, strayed from by a factor that belongs to this entry and stays the same.
fn strayed(p: f64, place: (usize, usize, usize)) -> f64 {
    let (table, state, outcome) = place;
    let mut own = ChaCha8Rng::seed_from_u64(((table * 4096 + state / BANDS) * 64 + outcome) as u64);
    p * (STRAY * scatter(&mut own)).exp()
}

/// A check's answer. `clear`: an outcome that the fault is known to show, but for [`WRONG`] of the answers; else a draw from the examiner's whole
/// table, in which sound parts are mistaken and broken ones missed, and [`WRONG`] on top of that.
fn answer(check: &Check, index: usize, state: usize, clear: bool, rng: &mut ChaCha8Rng) -> usize {
    let outcomes = check.outcomes.len();
    let mut row: Vec<f64> = (0..outcomes).map(|outcome| strayed(check.likelihood(state, outcome), (index, state, outcome))).collect();
    if clear {
        let most = row.iter().copied().fold(0.0, f64::max);
        row.iter_mut().filter(|p| **p < SHOWS * most).for_each(|p| *p = 0.0);
    }
    let right = pick(&row, rng.random());
    if rng.random::<f64>() < WRONG { (right + rng.random_range(1..outcomes.max(2))) % outcomes } else { right }
}

fn told(know: &Knowledge, state: usize, rng: &mut ChaCha8Rng) -> Vec<String> {
    let mut told = Vec::new();
    for (index, circumstance) in know.circumstances.iter().enumerate() {
        let p = circumstance.likelihood(state);
        let yes = strayed(p, (1000 + index, state, 0));
        let no = strayed(1.0 - p, (1000 + index, state, 1));
        if rng.random::<f64>() < yes / (yes + no) {
            told.push(circumstance.id.clone());
        }
    }
    told
}

/// True when a cause counts as the true one of a hypothesis: what came first of a linked pair, either of two that met.
pub(super) fn is_true(hypothesis: &Hypothesis, cause: usize) -> bool {
    match hypothesis.link {
        Link::Together => hypothesis.holds(cause),
        _ => hypothesis.first == cause,
    }
}
