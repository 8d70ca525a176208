//! What an engine's draws say to its readings.
//!
//! Likelihood of a reading: Student t with 4 degrees of freedom about the drawn pressure, its scale the reading's doubt and what the
//! circuit model leaves out, 5 % of the pressure and 2 kPa. Heavy tails, so that one odd reading does not decide alone. What a gauge is off it is
//! off at every reading, so that part is drawn with the engine and not counted once a reading. A state's
//! likelihood is the mean over the draws of its severity band, each weighted by how likely such a job is to stand in the shop.
use super::draws::{DRAWS, Draws, Grid, Harm, Near, harm_of};
use super::knowledge::{BANDS, Cause, Hypothesis, Knowledge, Reading as Bears, SLIGHT_UNDER, knowledge};
use crate::circuit::nominal::{self, Unknowns};
use crate::circuit::{Card, Circuit, PointOfSpec, Port, Working};
use crate::oil::{self, Oil, OilError};
use rayon::prelude::*;
use std::sync::{Arc, Mutex, PoisonError};

const MODEL_SHARE: f64 = 0.05;
const MODEL_FLOOR_KPA: f64 = 2.0;
/// A draw less likely than this share of the likeliest of its hypothesis is ruled out; heavy tails keep a later reading from calling it back.
const RULED_OUT: f64 = 1e-4;
/// A draw that weighs less before any reading is not looked at.
const NEVER: f32 = 1e-6;
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
    weighed: Mutex<Vec<Run>>,
}

/// The draws of a hypothesis that the readings so far leave, each with its likelihood over the greatest, whose logarithm is `log_scale`.
#[derive(Debug, Clone)]
struct Likely {
    draws: Vec<(u32, f64)>,
    log_scale: f64,
}

/// Readings, and what they leave of every hypothesis.
type Run = (Vec<Bearing>, Arc<Vec<Likely>>);

/// Runs of readings kept.
const KEPT_RUNS: usize = 4;

impl Tracer {
    /// The hypotheses for an engine.
    ///
    /// # Errors
    /// [`OilError`] when the card's grade is not known.
    pub fn new(card: &Card, spec: &[PointOfSpec]) -> Result<Self, OilError> {
        Ok(Self::filled_with(oil::typical(&card.oil_grade)?, card, spec))
    }

    /// The hypotheses for an engine filled with an oil whose data sheet is at hand.
    pub fn filled_with(oil: Oil, card: &Card, spec: &[PointOfSpec]) -> Self {
        let know = knowledge();
        let draws = Draws::new(card, spec, oil, know);
        Self { card: card.clone(), spec: spec.to_vec(), oil, know, draws, weighed: Mutex::default() }
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

    /// Weighs all readings together. What readings weighed before have said is kept, so that one more only re-weights.
    pub fn pressures(&self, readings: &[Bearing]) -> Pressures {
        if readings.is_empty() {
            return Pressures { log_likelihood: vec![0.0; self.know.states()], weights: Vec::new() };
        }
        let likely = self.likely(readings);
        let hypotheses: Vec<([f64; BANDS], Vec<f64>)> =
            self.know.hypotheses.iter().zip(likely.iter()).map(|(hypothesis, likely)| self.by_band(hypothesis, likely)).collect();
        let log_likelihood = hypotheses.iter().flat_map(|(bands, _)| *bands).collect();
        Pressures { log_likelihood, weights: hypotheses.into_iter().map(|(_, weights)| weights).collect() }
    }

    /// For each hypothesis the draws the readings leave, from the longest run of readings that is kept.
    fn likely(&self, readings: &[Bearing]) -> Arc<Vec<Likely>> {
        let kept = {
            let mut weighed = self.weighed.lock().unwrap_or_else(PoisonError::into_inner);
            let longest = (0..weighed.len()).filter(|run| weighed.get(*run).is_some_and(|(known, _)| readings.starts_with(known)));
            let longest = longest.max_by_key(|run| weighed.get(*run).map_or(0, |(known, _)| known.len()));
            longest.map(|run| {
                // What was used goes to the end: the run unused for longest makes room.
                let run = weighed.remove(run);
                let kept = (run.0.len(), Arc::clone(&run.1));
                weighed.push(run);
                kept
            })
        };
        let (known, begun) = kept.map_or((0, None), |(known, likely)| (known, Some(likely)));
        let new = readings.get(known..).unwrap_or_default();
        if let Some(likely) = begun.as_ref().filter(|_| new.is_empty()) {
            return Arc::clone(likely);
        }
        let grids: Vec<Arc<Grid>> = new.iter().map(|reading| self.draws.grid(reading.at)).collect();
        let weigh = |(index, hypothesis): (usize, &Hypothesis)| {
            let before = begun.as_ref().and_then(|likely| likely.get(index)).cloned().unwrap_or_else(|| self.unread(hypothesis));
            self.reweighted(hypothesis, before, new, &grids)
        };
        let likely: Arc<Vec<Likely>> = Arc::new(self.know.hypotheses.par_iter().enumerate().map(weigh).collect());
        let mut weighed = self.weighed.lock().unwrap_or_else(PoisonError::into_inner);
        if weighed.len() >= KEPT_RUNS {
            weighed.remove(0);
        }
        weighed.push((readings.to_vec(), Arc::clone(&likely)));
        likely
    }

    /// Every draw of a hypothesis that may stand in the shop at all.
    fn unread(&self, hypothesis: &Hypothesis) -> Likely {
        let came = self.draws.came_with(self.draws.place(harm_of(self.know, hypothesis)));
        let draws = came.iter().enumerate().filter(|(_, came)| **came > NEVER).map(|(draw, _)| (draw as u32, 1.0)).collect();
        Likely { draws, log_scale: 0.0 }
    }

    /// Reading by reading, so that a draw the readings so far rule out need not be solved at the next.
    fn reweighted(&self, hypothesis: &Hypothesis, before: Likely, readings: &[Bearing], grids: &[Arc<Grid>]) -> Likely {
        let place = self.draws.place(harm_of(self.know, hypothesis));
        let cause = self.know.causes.get(hypothesis.first);
        let Likely { mut draws, mut log_scale } = before;
        for (reading, grid) in readings.iter().zip(grids) {
            let mut most = f64::MIN_POSITIVE;
            for (draw, likelihood) in &mut draws {
                let draw = *draw as usize;
                let kpa = self.draws.kpa(grid, place, draw);
                let (kpa, extra) = cause.map_or((kpa, 0.0), |cause| self.shown(cause, draw, kpa));
                *likelihood *= student(reading, kpa + reading.common_kpa * self.draws.gauge_off(draw, reading.gauge), extra);
                most = most.max(*likelihood);
            }
            draws.retain(|(_, likelihood)| *likelihood > RULED_OUT * most);
            draws.iter_mut().for_each(|(_, likelihood)| *likelihood /= most);
            log_scale += most.ln();
        }
        Likely { draws, log_scale }
    }

    /// ln of the likelihood of each band of a hypothesis, and the weights of its draws, which sum to one.
    ///
    /// How much a draw weighs before any reading also says how many of the jobs with this cause have it slight, which the states' priors leave to
    /// the widths of the bands.
    fn by_band(&self, hypothesis: &Hypothesis, likely: &Likely) -> ([f64; BANDS], Vec<f64>) {
        let came = self.draws.came_with(self.draws.place(harm_of(self.know, hypothesis)));
        let mut weights = vec![0.0; DRAWS];
        let [mut slight, mut marked] = [0.0; BANDS];
        for (draw, likelihood) in &likely.draws {
            let draw = *draw as usize;
            let weight = likelihood * came.get(draw).copied().map_or(0.0, f64::from);
            *(if self.draws.severity(draw) < SLIGHT_UNDER { &mut slight } else { &mut marked }) += weight;
            if let Some(place) = weights.get_mut(draw) {
                *place = weight;
            }
        }
        let all: f64 = came.iter().copied().map(f64::from).sum::<f64>().max(f64::MIN_POSITIVE);
        let sum = (slight + marked).max(f64::MIN_POSITIVE);
        weights.iter_mut().for_each(|weight| *weight /= sum);
        // A band without any draw left keeps what was ruled out, so that no later fact is spoken against by an impossibility.
        let band = |sum: f64, width: f64| likely.log_scale + (sum / all / width).max(RULED_OUT).ln();
        ([band(slight, SLIGHT_UNDER), band(marked, 1.0 - SLIGHT_UNDER)], weights)
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
/// The Student t density (ν = 4) of a reading about `shown_kpa`, 1/kPa.
fn student(reading: &Bearing, shown_kpa: f64, extra_kpa: f64) -> f64 {
    let model = MODEL_SHARE * shown_kpa + MODEL_FLOOR_KPA;
    let scale_2 = reading.u_kpa * reading.u_kpa + model * model + extra_kpa * extra_kpa;
    let tail = 1.0 + (reading.kpa - shown_kpa).powi(2) / (scale_2 * NU);
    // tail^−5/2 / scale.
    STUDENT_NORM / ((tail * tail) * (tail * scale_2).sqrt())
}
