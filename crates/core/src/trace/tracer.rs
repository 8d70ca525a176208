//! What an engine's draws say to its readings.
//!
//! Likelihood of a reading: Student t with 4 degrees of freedom about the drawn pressure, its scale the reading's doubt and what the
//! circuit model leaves out, 5 % of the pressure and 2 kPa. Heavy tails, so that one odd reading does not decide alone. What a gauge is off it is
//! off at every reading, so that part is drawn with the engine and not counted once a reading. A state's
//! likelihood is the mean over the draws of its severity band, each weighted by how likely such a job is to stand in the shop.
use super::draws::{DRAWS, Draws, Grid, Harm, Near, harm_of};
use super::knowledge::{BANDS, Cause, Knowledge, Reading as Bears, SLIGHT_UNDER, knowledge};
use crate::circuit::nominal::{self, Unknowns};
use crate::circuit::{Card, Circuit, PointOfSpec, Port, Working};
use crate::oil::{self, Oil, OilError};
use rayon::prelude::*;

const MODEL_SHARE: f64 = 0.05;
const MODEL_FLOOR_KPA: f64 = 2.0;
/// Draws that make a curve.
const CURVE_DRAWS: usize = 64;

/// A reading as the tracer sees it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bearing {
    /// Speed and oil temperature.
    pub at: Working,
    /// Pressure, kPa.
    pub kpa: f64,
    /// Standard uncertainty, kPa, without `common_kpa`.
    pub u_kpa: f64,
    /// Which gauge it was read on, by number.
    pub gauge: usize,
    /// Half width of the error that all readings of this gauge share, kPa.
    pub common_kpa: f64,
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

/// What the readings together say: log-likelihood of each state, and the weight of each draw of each hypothesis.
#[derive(Debug, Clone)]
pub struct Pressures {
    /// Natural logarithm, by state; all zero without readings.
    pub log_likelihood: Vec<f64>,
    weights: Vec<Vec<f64>>,
}

/// An engine's hypotheses. Cheap to ask again at a point it knows.
#[derive(Debug)]
pub struct Tracer {
    card: Card,
    spec: Vec<PointOfSpec>,
    oil: Oil,
    know: &'static Knowledge,
    draws: Draws,
}

impl Tracer {
    /// The hypotheses for an engine.
    ///
    /// # Errors
    /// [`OilError`] when the card's grade is not known.
    pub fn new(card: &Card, spec: &[PointOfSpec]) -> Result<Self, OilError> {
        let oil = oil::typical(&card.oil_grade)?;
        let know = knowledge();
        Ok(Self { card: card.clone(), spec: spec.to_vec(), oil, know, draws: Draws::new(card, spec, oil, know) })
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

    /// Where the gauge of this engine sits.
    pub fn port(&self) -> Port {
        self.card.layout.port
    }

    /// What the gauge would show of a drawn pressure under a cause, and the extra scale of its doubt, kPa.
    fn shown(&self, cause: &Cause, draw: usize, kpa: f64) -> (f64, f64) {
        match cause.reading {
            Bears::True => (kpa, 0.0),
            // A tube bent by overload reads up to 60 kPa off at rest, and with 0.55 to 1.25 of the true slope.
            Bears::Distorted => ((kpa * (0.55 + 0.7 * self.draws.severity(draw)) + 120.0 * (self.draws.aside(draw) - 0.5)).max(0.0), 0.0),
            Bears::Anything => (kpa * (0.6 * nominal::normal_quantile(self.draws.severity(draw)) - 0.4).exp(), 0.35 * kpa),
        }
    }

    /// Weighs all readings together.
    pub fn pressures(&self, readings: &[Bearing]) -> Pressures {
        if readings.is_empty() {
            return Pressures { log_likelihood: vec![0.0; self.know.states()], weights: Vec::new() };
        }
        let grids: Vec<Grid> = readings.iter().map(|reading| self.draws.grid(reading.at)).collect();
        let came = self.draws.came();
        let hypotheses: Vec<([f64; BANDS], Vec<f64>)> = self
            .know
            .hypotheses
            .par_iter()
            .map(|hypothesis| {
                let harm = harm_of(self.know, hypothesis);
                let drawn: Vec<&[f32]> = grids.iter().map(|grid| self.draws.of_harm(grid, harm)).collect();
                let cause = self.know.causes.get(hypothesis.first);
                let shown = |draw: usize, kpa: f64| cause.map_or((kpa, 0.0), |cause| self.shown(cause, draw, kpa));
                let off = |draw: usize, reading: &Bearing| reading.common_kpa * self.draws.gauge_off(draw, reading.gauge);
                let logs: Vec<f64> = (0..DRAWS)
                    .map(|draw| {
                        log_likelihood(readings, &drawn, draw, |reading, kpa| {
                            let (kpa, extra) = shown(draw, kpa);
                            (kpa + off(draw, reading), extra)
                        })
                    })
                    .collect();
                self.by_band(&logs, self.draws.of_harm(came, harm))
            })
            .collect();
        let log_likelihood = hypotheses.iter().flat_map(|(bands, _)| *bands).collect();
        Pressures { log_likelihood, weights: hypotheses.into_iter().map(|(_, weights)| weights).collect() }
    }

    /// ln of the likelihood of each band, and all draws' weights, which sum to one. `came` is how much each draw weighs before the readings; it
    /// also says how many of the jobs with this cause have it slight, which the states' priors leave to the widths of the bands.
    fn by_band(&self, logs: &[f64], came: &[f32]) -> ([f64; BANDS], Vec<f64>) {
        let most = logs.iter().copied().fold(f64::NEG_INFINITY, f64::max);
        let weights: Vec<f64> = logs.iter().zip(came).map(|(log, came)| f64::from(*came) * (log - most).exp()).collect();
        let all: f64 = came.iter().copied().map(f64::from).sum::<f64>().max(f64::MIN_POSITIVE);
        let mut sums = [0.0; BANDS];
        for (draw, weight) in weights.iter().enumerate() {
            let [slight, marked] = &mut sums;
            *(if self.draws.severity(draw) < SLIGHT_UNDER { slight } else { marked }) += weight;
        }
        let [slight, marked] = sums;
        let bands = [slight / SLIGHT_UNDER, marked / (1.0 - SLIGHT_UNDER)].map(|sum| most + (sum / all).max(f64::MIN_POSITIVE).ln());
        let sum: f64 = weights.iter().sum::<f64>().max(f64::MIN_POSITIVE);
        (bands, weights.into_iter().map(|weight| weight / sum).collect())
    }

    /// Slopes at a reading and the ratio from there to another point, over all causes weighted by how well each draw fits it.
    pub fn local(&self, reading: &Bearing, to: Working) -> Local {
        let typical = |at: Working| self.typical().port_kpa(at).max(0.1);
        weighted(reading, &self.draws.near(reading.at, to), || typical(to) / typical(reading.at))
    }

    /// As [`Tracer::local`], to a point at which the oil has also changed to `oil_share` of its viscosity.
    pub fn projected(&self, reading: &Bearing, to: Working, oil_share: f64) -> Local {
        let then = |circuit: &Circuit| {
            let mut changed = circuit.clone();
            changed.oil = changed.oil.scaled(oil_share);
            changed.port_kpa(to)
        };
        let near = self.draws.around(reading.at, |circuit, here| then(circuit) / here);
        weighted(reading, &near, || then(&self.typical()) / self.typical().port_kpa(reading.at).max(0.1))
    }

    /// The curve a cause would draw: for each speed the mean pressure in kPa over its draws as the readings weigh them.
    pub fn curve(&self, cause: usize, pressures: &Pressures, speeds: &[f64], oil_temp_c: f64) -> Vec<f64> {
        let Some(what) = self.know.causes.get(cause) else {
            return Vec::new();
        };
        // Every cause alone stands among the hypotheses at its own index.
        let even = vec![1.0; CURVE_DRAWS];
        let weights = pressures.weights.get(cause).unwrap_or(&even);
        let mut best: Vec<(usize, f64)> = weights.iter().copied().enumerate().collect();
        best.sort_by(|a, b| b.1.total_cmp(&a.1));
        best.truncate(CURVE_DRAWS);
        let total: f64 = best.iter().map(|(_, weight)| weight).sum::<f64>().max(f64::MIN_POSITIVE);
        let harm: Harm = (what.fault, crate::circuit::Fault::None);
        let harmed: Vec<(usize, f64, Circuit)> =
            best.iter().filter_map(|(draw, weight)| Some((*draw, weight / total, self.draws.harmed(harm, *draw)?))).collect();
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
}

/// Means over the neighbourhoods, each weighted by how well it fits the reading.
fn weighted(reading: &Bearing, near: &[Near], fallback_ratio: impl Fn() -> f64) -> Local {
    let mut sums = [0.0; 5];
    for one in near {
        let weight = student(reading, one.here_kpa, 0.1 * one.here_kpa);
        for (sum, part) in sums.iter_mut().zip([1.0, one.ratio, one.ratio * one.ratio, one.kpa_per_k, one.kpa_per_rpm]) {
            *sum += weight * part;
        }
    }
    let [all, ..] = sums;
    // A draw that fits perfectly weighs about 4 here: density times pressure, with a scale of a tenth of the pressure.
    if all * reading.kpa.max(1.0) < 0.5 {
        // No draw is anywhere near: fall back on the typical engine, and say so by a wide doubt.
        return Local { kpa_per_k: 0.0, kpa_per_rpm: 0.0, ratio: fallback_ratio(), ratio_sd: 0.2 };
    }
    let [_, ratio, squares, warm, fast] = sums.map(|sum| sum / all);
    Local { kpa_per_k: warm, kpa_per_rpm: fast, ratio, ratio_sd: (squares - ratio * ratio).max(0.0).sqrt() }
}

const NU: f64 = 4.0;
/// Γ(5/2)/(√(4π)·Γ(2)).
const STUDENT_NORM: f64 = 0.375;
/// Readings whose densities are multiplied before a logarithm is taken: their product stays far inside the range of an f64.
const TOGETHER: usize = 8;

/// The Student t density (ν = 4) of a reading about `shown_kpa`, 1/kPa.
fn student(reading: &Bearing, shown_kpa: f64, extra_kpa: f64) -> f64 {
    let model = MODEL_SHARE * shown_kpa + MODEL_FLOOR_KPA;
    let scale_2 = reading.u_kpa * reading.u_kpa + model * model + extra_kpa * extra_kpa;
    let tail = 1.0 + (reading.kpa - shown_kpa).powi(2) / (scale_2 * NU);
    // tail^−5/2 / scale.
    STUDENT_NORM / ((tail * tail) * (tail * scale_2).sqrt())
}

/// ln of the density of all readings under one draw.
fn log_likelihood(readings: &[Bearing], drawn: &[&[f32]], draw: usize, shown: impl Fn(&Bearing, f64) -> (f64, f64)) -> f64 {
    readings
        .chunks(TOGETHER)
        .zip(drawn.chunks(TOGETHER))
        .map(|(readings, drawn)| {
            let product: f64 = readings
                .iter()
                .zip(drawn)
                .map(|(reading, kpa)| {
                    let (kpa, extra) = shown(reading, f64::from(kpa.get(draw).copied().unwrap_or_default()));
                    student(reading, kpa, extra)
                })
                .product();
            product.max(f64::MIN_POSITIVE).ln()
        })
        .sum()
}
