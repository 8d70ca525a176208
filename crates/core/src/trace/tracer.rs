//! The draws of an engine and what they say to its readings.
//!
//! A scrambled Sobol sequence (Owen scrambling; Burley 2020) draws healthy engines of this card; each cause harms all of them alike, so
//! causes are compared on the same engines. Likelihood of a reading: Student t with 4 degrees of freedom about the drawn pressure, its scale
//! the reading's doubt and 5 % of the pressure for what the circuit model leaves out. Heavy tails, so that one odd reading does not decide alone.
use super::knowledge::{Cause, Knowledge, Reading as Bears, knowledge};
use crate::circuit::nominal::{self, DIMENSIONS, Unknowns};
use crate::circuit::{Card, Circuit, Fault, PointOfSpec, Port, Working};
use crate::oil::{self, Oil, OilError};
use rayon::prelude::*;
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

/// Draws for each cause.
const DRAWS: usize = 2048;
/// Draws for local slopes and ratios, the first of the same sequence.
const LOCAL_DRAWS: usize = 64;
/// Operating points kept before the store is emptied: far more than a job has.
const KEPT_POINTS: usize = 48;
const SEED: u32 = 0x0e1d_1a17;
const MODEL_SHARE: f64 = 0.05;
const MODEL_FLOOR_KPA: f64 = 2.0;

/// A reading as the tracer sees it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bearing {
    /// Speed and oil temperature.
    pub at: Working,
    /// Pressure, kPa.
    pub kpa: f64,
    /// Standard uncertainty, kPa.
    pub u_kpa: f64,
}

/// What the circuit says about the neighbourhood of a reading.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Local {
    /// Slope in temperature, kPa/K.
    pub kpa_per_k: f64,
    /// Slope in speed, kPa per turn a minute.
    pub kpa_per_rpm: f64,
    /// Pressure at the other point over that at the reading.
    pub ratio: f64,
    /// Standard deviation of that ratio over what the engine may be.
    pub ratio_sd: f64,
}

/// What the readings together say: log-likelihood of each cause, and the weight of each of its draws.
#[derive(Debug, Clone)]
pub struct Pressures {
    /// Natural logarithm, by cause; all zero without readings.
    pub log_likelihood: Vec<f64>,
    weights: Vec<Vec<f64>>,
}

type Grid = Arc<Vec<f32>>;

/// An engine's hypotheses. Cheap to ask again at a point it knows.
#[derive(Debug)]
pub struct Tracer {
    card: Card,
    spec: Vec<PointOfSpec>,
    oil: Oil,
    know: &'static Knowledge,
    /// The distinct faults of the causes.
    faults: Vec<Fault>,
    healthy: Vec<Circuit>,
    severity: Vec<f64>,
    aside: Vec<f64>,
    kept: Mutex<HashMap<(i64, i64), Grid>>,
}

impl Tracer {
    /// The hypotheses for an engine.
    ///
    /// # Errors
    /// [`OilError`] when the card's grade is not known.
    pub fn new(card: &Card, spec: &[PointOfSpec]) -> Result<Self, OilError> {
        let oil = oil::typical(&card.oil_grade)?;
        let unit = |draw: usize, dimension: usize| f64::from(sobol_burley::sample(draw as u32, dimension as u32, SEED));
        let healthy = (0..DRAWS)
            .map(|draw| {
                let numbers: [f64; DIMENSIONS] = std::array::from_fn(|dimension| unit(draw, dimension));
                nominal::circuit(card, spec, oil, &Unknowns::from_unit(&numbers, card.relief_opens_kpa.is_some()))
            })
            .collect();
        let know = knowledge();
        let mut faults: Vec<Fault> = know.causes.iter().map(|cause| cause.fault).collect();
        faults.dedup();
        faults.sort_by_key(|fault| *fault as u8);
        faults.dedup();
        Ok(Self {
            card: card.clone(),
            spec: spec.to_vec(),
            oil,
            know,
            faults,
            healthy,
            severity: (0..DRAWS).map(|draw| unit(draw, DIMENSIONS)).collect(),
            aside: (0..DRAWS).map(|draw| unit(draw, DIMENSIONS + 1)).collect(),
            kept: Mutex::new(HashMap::new()),
        })
    }

    /// The engine this is for.
    pub fn card(&self) -> &Card {
        &self.card
    }

    /// True when this was made for the same engine and limits.
    pub fn is_for(&self, card: &Card, spec: &[PointOfSpec]) -> bool {
        self.card == *card && self.spec == spec
    }

    /// The typical healthy engine of this card.
    pub fn typical(&self) -> Circuit {
        nominal::circuit(&self.card, &self.spec, self.oil, &Unknowns::typical())
    }

    /// Port pressures in kPa of every draw of every fault at a point: computed once, then kept.
    fn grid(&self, at: Working) -> Grid {
        // A tenth of a degree and one turn a minute: far finer than anything a technician holds.
        let key = (at.rpm.round() as i64, (at.oil_temp_c * 10.0).round() as i64);
        if let Some(grid) = self.kept.lock().unwrap_or_else(PoisonError::into_inner).get(&key) {
            return Arc::clone(grid);
        }
        let grid: Grid = Arc::new(
            self.faults
                .par_iter()
                .flat_map(|fault| {
                    self.healthy.par_iter().zip(&self.severity).map(|(healthy, severity)| fault.port_kpa(healthy, *severity, at) as f32)
                })
                .collect(),
        );
        let mut kept = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        if kept.len() >= KEPT_POINTS {
            kept.clear();
        }
        kept.insert(key, Arc::clone(&grid));
        grid
    }

    fn of_fault<'a>(&self, grid: &'a [f32], fault: Fault) -> &'a [f32] {
        let start = self.faults.iter().position(|f| *f == fault).unwrap_or(0) * DRAWS;
        grid.get(start..start + DRAWS).unwrap_or_default()
    }

    /// What the gauge would show of a drawn pressure under a cause, and the extra scale of its doubt, kPa.
    fn shown(&self, cause: &Cause, draw: usize, kpa: f64) -> (f64, f64) {
        let severity = self.severity.get(draw).copied().unwrap_or(0.5);
        let aside = self.aside.get(draw).copied().unwrap_or(0.5);
        match cause.reading {
            Bears::True => (kpa, 0.0),
            // A tube bent by overload reads up to 60 kPa off at rest, and with 0.55 to 1.25 of the true slope.
            Bears::Distorted => ((kpa * (0.55 + 0.7 * severity) + 120.0 * (aside - 0.5)).max(0.0), 0.0),
            Bears::Anything => (kpa * (0.6 * nominal::normal_quantile(severity) - 0.4).exp(), 0.35 * kpa),
        }
    }

    /// Weighs all readings together.
    pub fn pressures(&self, readings: &[Bearing]) -> Pressures {
        if readings.is_empty() {
            return Pressures { log_likelihood: vec![0.0; self.know.causes.len()], weights: Vec::new() };
        }
        let grids: Vec<Grid> = readings.iter().map(|reading| self.grid(reading.at)).collect();
        let (log_likelihood, weights) = self
            .know
            .causes
            .par_iter()
            .map(|cause| {
                let drawn: Vec<&[f32]> = grids.iter().map(|grid| self.of_fault(grid, cause.fault)).collect();
                let logs: Vec<f64> = (0..DRAWS)
                    .map(|draw| {
                        readings
                            .iter()
                            .zip(&drawn)
                            .map(|(reading, kpa)| {
                                let kpa = f64::from(kpa.get(draw).copied().unwrap_or_default());
                                let (shown, extra) = self.shown(cause, draw, kpa);
                                log_student(reading, shown, extra)
                            })
                            .sum()
                    })
                    .collect();
                normalise(&logs)
            })
            .unzip();
        Pressures { log_likelihood, weights }
    }

    /// Slopes at a reading and the ratio from there to another point, over all causes weighted by how well each draw fits it.
    pub fn local(&self, reading: &Bearing, to: Working) -> Local {
        let at = reading.at;
        let warmer = Working { oil_temp_c: at.oil_temp_c + 4.0, ..at };
        let faster = Working { rpm: at.rpm + 40.0, ..at };
        let sums = self
            .faults
            .par_iter()
            .map(|fault| {
                let mut sum = [0.0; 5];
                for (healthy, severity) in self.healthy.iter().zip(&self.severity).take(LOCAL_DRAWS) {
                    let mut harmed = healthy.clone();
                    fault.apply(&mut harmed, *severity);
                    let here = harmed.port_kpa(at).max(0.1);
                    let weight = log_student(reading, here, 0.1 * here).exp();
                    let ratio = if to == at { 1.0 } else { harmed.port_kpa(to) / here };
                    let warm = (harmed.port_kpa(warmer) - here) / 4.0;
                    let fast = (harmed.port_kpa(faster) - here) / 40.0;
                    for (total, part) in sum.iter_mut().zip([1.0, ratio, ratio * ratio, warm, fast]) {
                        *total += weight * part;
                    }
                }
                sum
            })
            .reduce(|| [0.0; 5], |a, b| std::array::from_fn(|i| a.get(i).unwrap_or(&0.0) + b.get(i).unwrap_or(&0.0)));
        let [weight, ratio, squares, warm, fast] = sums.map(|sum| sum / sums.first().copied().unwrap_or(1.0).max(f64::MIN_POSITIVE));
        if weight < 0.5 {
            // No draw is anywhere near: fall back on the typical engine, and say so by a wide doubt.
            let typical = self.typical();
            let here = typical.port_kpa(at).max(0.1);
            return Local { kpa_per_k: 0.0, kpa_per_rpm: 0.0, ratio: typical.port_kpa(to) / here, ratio_sd: 0.2 };
        }
        Local { kpa_per_k: warm, kpa_per_rpm: fast, ratio, ratio_sd: (squares - ratio * ratio).max(0.0).sqrt() }
    }

    /// The curve a cause would draw: for each speed the mean pressure in kPa over its draws as the readings weigh them.
    pub fn curve(&self, cause: usize, pressures: &Pressures, speeds: &[f64], oil_temp_c: f64) -> Vec<f64> {
        let Some(what) = self.know.causes.get(cause) else {
            return Vec::new();
        };
        let even = vec![1.0; LOCAL_DRAWS];
        let weights = pressures.weights.get(cause).unwrap_or(&even);
        let mut best: Vec<(usize, f64)> = weights.iter().copied().enumerate().collect();
        best.sort_by(|a, b| b.1.total_cmp(&a.1));
        best.truncate(LOCAL_DRAWS);
        let total: f64 = best.iter().map(|(_, weight)| weight).sum::<f64>().max(f64::MIN_POSITIVE);
        let harmed: Vec<(usize, f64, Circuit)> = best
            .iter()
            .filter_map(|(draw, weight)| {
                let mut circuit = self.healthy.get(*draw)?.clone();
                what.fault.apply(&mut circuit, *self.severity.get(*draw)?);
                Some((*draw, weight / total, circuit))
            })
            .collect();
        speeds
            .par_iter()
            .map(|rpm| {
                harmed
                    .iter()
                    .map(|(draw, weight, circuit)| weight * self.shown(what, *draw, circuit.port_kpa(Working { rpm: *rpm, oil_temp_c })).0)
                    .sum()
            })
            .collect()
    }

    /// Where the gauge of this engine sits.
    pub fn port(&self) -> Port {
        self.card.layout.port
    }
}

/// ln of the Student t density (ν = 4) of a reading about `shown_kpa`.
fn log_student(reading: &Bearing, shown_kpa: f64, extra_kpa: f64) -> f64 {
    const NU: f64 = 4.0;
    // ln of Γ(5/2)/(√(4π)·Γ(2)).
    const LN_NORM: f64 = -0.980_829_253_011_726_2;
    let model = MODEL_SHARE * shown_kpa + MODEL_FLOOR_KPA;
    let scale_2 = reading.u_kpa * reading.u_kpa + model * model + extra_kpa * extra_kpa;
    let z_2 = (reading.kpa - shown_kpa).powi(2) / scale_2;
    LN_NORM - 0.5 * scale_2.ln() - 0.5 * (NU + 1.0) * (z_2 / NU).ln_1p()
}

/// ln of the mean of exp(logs), and the weights that sum to one.
fn normalise(logs: &[f64]) -> (f64, Vec<f64>) {
    let most = logs.iter().copied().fold(f64::NEG_INFINITY, f64::max);
    let raw: Vec<f64> = logs.iter().map(|log| (log - most).exp()).collect();
    let sum: f64 = raw.iter().sum();
    (most + (sum / logs.len() as f64).ln(), raw.into_iter().map(|weight| weight / sum).collect())
}
