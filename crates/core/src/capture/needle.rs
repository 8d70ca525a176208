//! How the needle moves: how far, how fast, with the engine or by itself, and what that points to.
//!
//! Each hot hold is laid on an even clock, its drift taken off, and its power spectrum taken (Hann window; Welch 1967 without overlap). A line in it that stands out is a
//! rate; over holds at different speeds a rate that grows with the engine is an order of it, one that stays is the line's or the valve's own.
use super::hold::{Hold, slope};
use super::run::Run;
use super::smooth::{median, quantile};
use rayon::prelude::*;
use realfft::RealFftPlanner;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// How the needle moves.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Motion {
    /// It stands.
    Steady,
    /// Slowly to and fro.
    Sway,
    /// Fast.
    Flutter,
    /// From one place to another at once.
    Jumping,
}

impl Motion {
    /// The outcome of the check “needle” that it is.
    pub fn outcome(self) -> &'static str {
        match self {
            Self::Steady => "steady",
            Self::Sway => "sway",
            Self::Flutter => "flutter",
            Self::Jumping => "jumping",
        }
    }
}

/// How sure that is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Sure {
    /// One hold, or a weak line.
    Hint,
    /// A clear line in one hold, or two holds that agree.
    Fair,
    /// Holds at different speeds agree.
    Good,
}

/// The needle in one hold.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Moves {
    /// Start of the hold, s.
    pub from_s: f64,
    /// Speed, turns a minute.
    pub rpm: Option<f64>,
    /// Half of the range that nine tenths of it lie in, drift aside, kPa.
    pub size_kpa: f64,
    /// The rate that stands out, a second.
    pub rate_hz: Option<f64>,
    /// The same in turns of the engine.
    pub order: Option<f64>,
    /// Share of the motion at that rate.
    pub share: f64,
}

/// The needle over the run.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Needle {
    /// How it moves where it moves most.
    pub kind: Motion,
    /// How far there, kPa.
    pub size_kpa: f64,
    /// The rate that stands out there, a second.
    pub rate_hz: Option<f64>,
    /// In turns of the engine, when it goes with the engine.
    pub order: Option<f64>,
    /// What it points to, in a sentence.
    pub points_to: String,
    /// How sure that is.
    pub sure: Sure,
    /// Hold by hold.
    pub holds: Vec<Moves>,
}

/// Under this the needle stands: kPa, or share of the pressure.
const STANDS_KPA: f64 = 2.5;
const STANDS_SHARE: f64 = 0.03;
/// Slower is a sway.
const SWAY_HZ: f64 = 0.8;
/// A line holds at least this share of the motion.
const LINE_SHARE: f64 = 0.25;
/// Slower than so many swings in a hold is drift.
const LEAST_SWINGS: f64 = 2.5;
/// Rates within this are one.
const ALIKE: f64 = 0.08;
/// Samples a hold needs, and a second.
const LEAST_COUNT: usize = 40;
const LEAST_RATE_HZ: f64 = 4.0;
/// Steps that a hold is laid on at most: a needle moves some tens of times a second.
const MOST_STEPS: usize = 4096;
/// A jump crosses so many times the usual step within one row.
const JUMP: f64 = 12.0;

/// The needle over the holds of a run; none when it was recorded too coarsely.
pub(super) fn needle(run: &Run, holds: &[Hold]) -> Option<Needle> {
    let moves: Vec<(Moves, bool)> =
        holds.par_iter().map_init(RealFftPlanner::<f64>::new, |planner, hold| in_hold(run, hold, planner)).flatten().collect();
    let pressure = |moves: &Moves| holds.iter().find(|hold| hold.from_s == moves.from_s).map_or(0.0, |hold| hold.kpa);
    // It moves most where it moves most for what may be called standing there.
    let for_its_place = |moves: &Moves| moves.size_kpa / STANDS_KPA.max(STANDS_SHARE * pressure(moves));
    let (most, jumps) = *moves.iter().max_by(|(a, _), (b, _)| for_its_place(a).total_cmp(&for_its_place(b)))?;
    let lines: Vec<Moves> = moves.iter().map(|(moves, _)| *moves).filter(|moves| moves.rate_hz.is_some()).collect();
    let (order, with_engine, sure) = follows(&lines, &most);
    let stands = for_its_place(&most) < 1.0;
    let kind = match most.rate_hz {
        _ if stands => Motion::Steady,
        _ if jumps => Motion::Jumping,
        Some(rate) if rate < SWAY_HZ => Motion::Sway,
        _ => Motion::Flutter,
    };
    let points_to = points_to(kind, most.rate_hz, order.filter(|_| with_engine), sure);
    let holds = moves.into_iter().map(|(moves, _)| moves).collect();
    Some(Needle { kind, size_kpa: most.size_kpa, rate_hz: most.rate_hz, order: order.filter(|_| with_engine), points_to, sure, holds })
}

/// Whether a rate follows the engine, by holds at different speeds: its order, whether it does, how sure.
fn follows(lines: &[Moves], most: &Moves) -> (Option<f64>, bool, Sure) {
    let Some((rate, order)) = most.rate_hz.zip(most.order) else {
        return (None, false, if most.rate_hz.is_some() { Sure::Fair } else { Sure::Hint });
    };
    let others: Vec<(f64, f64)> = lines
        .iter()
        .filter(|other| other.rpm.zip(most.rpm).is_some_and(|(a, b)| (a / b - 1.0).abs() > 0.15))
        .filter_map(|other| other.rate_hz.zip(other.order))
        .collect();
    let orders = others.iter().filter(|(_, other)| (other / order - 1.0).abs() < ALIKE).count();
    let rates = others.iter().filter(|(other, _)| (other / rate - 1.0).abs() < ALIKE).count();
    match (orders, rates) {
        (orders, rates) if orders > rates => (Some(order), true, if orders > 1 { Sure::Good } else { Sure::Fair }),
        (orders, rates) if rates > orders => (Some(order), false, if rates > 1 { Sure::Good } else { Sure::Fair }),
        _ => {
            // One speed alone: near a half turn or a whole one it may go with the engine.
            let near = [0.5, 1.0, 2.0].iter().any(|whole| (order / whole - 1.0).abs() < 0.03);
            (Some(order), near, Sure::Hint)
        }
    }
}

fn points_to(kind: Motion, rate: Option<f64>, order: Option<f64>, sure: Sure) -> String {
    let perhaps = if sure == Sure::Hint { "Perhaps: " } else { "" };
    match (kind, rate, order) {
        (Motion::Steady, ..) => "The needle is still.".to_owned(),
        (Motion::Jumping, ..) => "It jumps from place to place as no oil does: plug, supply or wiring of the sensor.".to_owned(),
        (Motion::Sway, ..) => "Slow sway: air that is drawn in at times (level, pickup joint), or a relief valve that hunts.".to_owned(),
        (Motion::Flutter, Some(_), Some(order)) if (order - 0.5).abs() < 0.06 => {
            format!("{perhaps}once in two turns, so it goes with the cam: cam bearings, rockers or what the cam drives.")
        }
        (Motion::Flutter, Some(_), Some(order)) if (order - 1.0).abs() < 0.1 => {
            format!("{perhaps}once a turn: the pump's drive or gear, or one journal of the crank.")
        }
        (Motion::Flutter, Some(_), Some(order)) => {
            format!("{perhaps}{order:.1} times a turn: it goes with the engine, as a pump's teeth do. Calm the gauge before it is read.")
        }
        (Motion::Flutter, Some(rate), None) => {
            format!(
                "{perhaps}{rate:.1} times a second at any speed, so not the engine: air in the gauge's line (bleed it), or a relief valve that chatters."
            )
        }
        (Motion::Flutter, None, _) => {
            "Flutter of no one rate: air in the oil or in the line. Bleed the line, then look at level and froth.".to_owned()
        }
    }
}

/// The needle in one hold, and whether it jumps; none when the hold was recorded too coarsely.
fn in_hold(run: &Run, hold: &Hold, planner: &mut RealFftPlanner<f64>) -> Option<(Moves, bool)> {
    let from = run.time_s.partition_point(|time| *time < hold.from_s);
    let to = run.time_s.partition_point(|time| *time <= hold.to_s);
    let (time, kpa) = (run.time_s.get(from..to)?, run.kpa.get(from..to)?);
    let seconds = hold.to_s - hold.from_s;
    let rate = (time.len() as f64 - 1.0) / seconds;
    if time.len() < LEAST_COUNT || rate < LEAST_RATE_HZ {
        return None;
    }
    let drift = slope(Some(time), Some(kpa)).unwrap_or(0.0);
    let middle = 0.5 * (hold.from_s + hold.to_s);
    // On an even clock, without drift: by the line between rows, or by the mean of the rows that share a step where they are many.
    let count = (1usize << time.len().ilog2()).min(MOST_STEPS);
    let step_s = seconds / count as f64;
    let mut row = 0;
    let even: Vec<f64> = (0..count)
        .map(|place| {
            let at = hold.from_s + step_s * (place as f64 + 0.5);
            let (mut sum, mut many) = (0.0, 0u32);
            while let Some((_, value)) = time.get(row).zip(kpa.get(row)).filter(|(time, _)| **time < at + 0.5 * step_s) {
                sum += value;
                many += 1;
                row += 1;
            }
            let shown = if many > 0 { sum / f64::from(many) } else { between_rows(time, kpa, row, at) };
            shown - hold.kpa - drift * (at - middle)
        })
        .collect();
    let rate = 1.0 / step_s;
    let mut sorted = even.clone();
    let size_kpa = 0.5 * (quantile(&mut sorted, 0.95)? - quantile(&mut sorted, 0.05)?);
    // A jump is between two rows, however many there are.
    let steps: Vec<f64> = kpa.array_windows().map(|[a, b]| (b - a).abs()).collect();
    let usual = median(steps.iter().copied())?.max(0.05 * size_kpa).max(1e-3);
    let jumps = steps.iter().filter(|step| **step > JUMP * usual && **step > size_kpa).count();
    let line = line(&even, rate, planner).filter(|(hz, share)| *share >= LINE_SHARE && hz * seconds >= LEAST_SWINGS);
    let order = line.zip(hold.rpm).map(|((hz, _), rpm)| hz / (rpm / 60.0));
    let moves = Moves {
        from_s: hold.from_s,
        rpm: hold.rpm,
        size_kpa,
        rate_hz: line.map(|(hz, _)| hz),
        order,
        share: line.map_or(0.0, |(_, share)| share),
    };
    Some((moves, jumps >= 3 && jumps * 50 < steps.len() * 10))
}

/// The pressure at a moment on the line between the rows before and after it.
fn between_rows(time: &[f64], kpa: &[f64], row: usize, at: f64) -> f64 {
    let of = |row: usize| time.get(row).copied().zip(kpa.get(row).copied());
    match (row.checked_sub(1).and_then(of), of(row)) {
        (Some((t0, k0)), Some((t1, k1))) if t1 > t0 => k0 + (k1 - k0) * ((at - t0) / (t1 - t0)).clamp(0.0, 1.0),
        (Some((_, kpa)), _) | (None, Some((_, kpa))) => kpa,
        (None, None) => 0.0,
    }
}

/// The rate that stands out in a signal on an even clock, and its share of the power.
fn line(even: &[f64], rate_hz: f64, planner: &mut RealFftPlanner<f64>) -> Option<(f64, f64)> {
    let count = even.len();
    let mut input: Vec<f64> = even
        .iter()
        .enumerate()
        .map(|(place, value)| value * 0.5 * (1.0 - (std::f64::consts::TAU * place as f64 / count as f64).cos()))
        .collect();
    let transform = planner.plan_fft_forward(count);
    let mut output = transform.make_output_vec();
    transform.process(&mut input, &mut output).ok()?;
    let power: Vec<f64> = output.iter().map(|bin| bin.norm_sqr()).collect();
    let all: f64 = power.iter().skip(1).sum();
    let best = (1..power.len().saturating_sub(1)).max_by(|a, b| power.get(*a).unwrap_or(&0.0).total_cmp(power.get(*b).unwrap_or(&0.0)))?;
    let at = |bin: usize| power.get(bin).copied().unwrap_or_default();
    let near: f64 = (best.saturating_sub(2).max(1)..=best + 2).map(at).sum();
    // Between bins by the neighbours' weight.
    let (low, mid, high) = (at(best.saturating_sub(1)).sqrt(), at(best).sqrt(), at(best + 1).sqrt());
    let shift = if low + mid + high > 0.0 { (high - low) / (low + mid + high) } else { 0.0 };
    (all > 0.0).then(|| ((best as f64 + shift) * rate_hz / count as f64, near / all))
}
