//! The slow sweep: the speed at which pressure stops rising, and whether it falls again.
//!
//! Pressure over speed of all hot running, middled in steps of speed, is laid over two straight lines that meet; where they meet is the knee. Least squares over every
//! place where they could. Up and down of a sweep are both in it, so a gauge that lags is off by nothing to the first order.
use super::run::Run;
use super::smooth::quantile;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What the sweep shows.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Sweep {
    /// Pressure stops rising at this speed, turns a minute; null when it rises to the end.
    pub knee_rpm: Option<f64>,
    /// Rise before the knee, kPa a thousand turns.
    pub rise_kpa: f64,
    /// Rise after it; below zero it falls again, as where a pump starves.
    pub rise_after_kpa: Option<f64>,
}

/// Running within this of the hottest oil is hot, K.
const HOT_K: f64 = 12.0;
/// Steps of speed, turns a minute, and how many there must be.
const STEP_RPM: f64 = 100.0;
const LEAST_STEPS: usize = 9;
/// After the knee pressure rises by at most this share of before.
const FLAT: f64 = 0.4;
/// Two lines leave at most this share of what one line leaves.
const BETTER: f64 = 0.5;
const RUNNING_RPM: f64 = 400.0;
/// The rise before is at least so much, kPa a thousand turns: below it there is nothing to bend.
const LEAST_RISE_KPA: f64 = 15.0;

/// The sweep of the hot running; none when speed was not recorded or hardly changed.
pub(super) fn sweep(run: &Run) -> Option<Sweep> {
    let hottest = {
        let mut temps: Vec<f64> = run.oil_temp_c.iter().copied().filter(|temp| temp.is_finite()).collect();
        quantile(&mut temps, 0.98)
    };
    let hot = |row: usize| hottest.is_none_or(|hottest| run.oil_temp_c.get(row).is_some_and(|temp| *temp > hottest - HOT_K));
    let mut steps: Vec<Vec<f64>> = Vec::new();
    for (row, (rpm, kpa)) in run.rpm.iter().zip(&run.kpa).enumerate() {
        if !(RUNNING_RPM..12_000.0).contains(rpm) || !hot(row) {
            continue;
        }
        let step = (rpm / STEP_RPM) as usize;
        if steps.len() <= step {
            steps.resize(step + 1, Vec::new());
        }
        if let Some(step) = steps.get_mut(step) {
            step.push(*kpa);
        }
    }
    let points: Vec<(f64, f64)> = steps
        .iter_mut()
        .enumerate()
        .filter(|(_, step)| step.len() >= 2)
        .filter_map(|(at, step)| quantile(step, 0.5).map(|kpa| ((at as f64 + 0.5) * STEP_RPM, kpa)))
        .collect();
    if points.len() < LEAST_STEPS {
        return None;
    }
    let whole = fit(&points, None)?;
    let (first, last) = (points.first()?.0, points.last()?.0);
    let mut best: Option<(f64, Fit)> = None;
    let mut knee = first + 2.5 * STEP_RPM;
    while knee <= last - 2.5 * STEP_RPM {
        if let Some(fit) = fit(&points, Some(knee))
            && best.is_none_or(|(_, before)| fit.left < before.left)
        {
            best = Some((knee, fit));
        }
        knee += 0.1 * STEP_RPM;
    }
    let bent = best
        .filter(|(_, bent)| bent.left < BETTER * whole.left && bent.before * 1000.0 > LEAST_RISE_KPA && bent.after < FLAT * bent.before);
    Some(match bent {
        Some((knee, fit)) => Sweep { knee_rpm: Some(knee), rise_kpa: 1000.0 * fit.before, rise_after_kpa: Some(1000.0 * fit.after) },
        None => Sweep { knee_rpm: None, rise_kpa: 1000.0 * whole.before, rise_after_kpa: None },
    })
}

#[derive(Debug, Clone, Copy)]
struct Fit {
    before: f64,
    after: f64,
    /// Sum of squares that is left.
    left: f64,
}

/// Least squares of one straight line, or of two that meet at the knee: p = a + b·n + c·max(n − knee, 0).
fn fit(points: &[(f64, f64)], knee: Option<f64>) -> Option<Fit> {
    let row = |rpm: f64| [1.0, rpm / 1000.0, knee.map_or(0.0, |knee| (rpm - knee).max(0.0) / 1000.0)];
    let size = if knee.is_some() { 3 } else { 2 };
    let mut normal = [[0.0; 4]; 3];
    for (rpm, kpa) in points {
        let x = row(*rpm);
        for (equation, xi) in normal.iter_mut().zip(x) {
            for (place, xj) in equation.iter_mut().zip(x) {
                *place += xi * xj;
            }
            if let Some(last) = equation.last_mut() {
                *last += xi * kpa;
            }
        }
    }
    let [a, b, c] = solve(normal, size)?;
    let left = points
        .iter()
        .map(|(rpm, kpa)| {
            let [x0, x1, x2] = row(*rpm);
            (a * x0 + b * x1 + c * x2 - kpa).powi(2)
        })
        .sum();
    Some(Fit { before: b / 1000.0, after: (b + c) / 1000.0, left })
}

/// Gauss with the greatest pivot, of two or three equations.
fn solve(mut m: [[f64; 4]; 3], size: usize) -> Option<[f64; 3]> {
    let get = |m: &[[f64; 4]; 3], row: usize, column: usize| m.get(row).and_then(|row| row.get(column)).copied().unwrap_or_default();
    for pivot in 0..size {
        let best = (pivot..size).max_by(|a, b| get(&m, *a, pivot).abs().total_cmp(&get(&m, *b, pivot).abs()))?;
        m.swap(pivot, best);
        let top = *m.get(pivot)?;
        let head = top.get(pivot).copied().filter(|head| head.abs() > 1e-12)?;
        for (at, row) in m.iter_mut().enumerate().take(size) {
            let share = row.get(pivot).copied().unwrap_or_default() / head;
            if at != pivot {
                row.iter_mut().zip(top).for_each(|(place, above)| *place -= share * above);
            }
        }
    }
    Some(std::array::from_fn(|at| if at < size { get(&m, at, 3) / get(&m, at, at) } else { 0.0 }))
}
