//! The tracer of an engine: what its samples say of readings taken, of readings not yet taken, of limits, and of the neighbourhood of a reading.
//!
//! How readings weigh the samples is [`super::weighing`]; what is asked afterwards is answered here from what they left.
use super::samples::{Assumed, FIRST, Near, Samples, TWISTS, harm_of};
use super::weighing::{Run, model_kpa, run_bytes, student};
use crate::case::Shows;
use crate::circuit::nominal::{self, Unknowns};
use crate::circuit::{Card, Circuit, Fault, PointOfSpec, Port, Working};
use crate::knowledge::{Cause, Hypothesis, Knowledge, Link, SLIGHT_UNDER, ShownAs, knowledge};
use crate::limits;
use crate::oil::{self, Oil, OilError};
use rayon::prelude::*;
use statrs::distribution::{ContinuousCDF, Normal};
use std::sync::{Arc, Mutex, PoisonError};

/// Samples of a state that say what a reading not yet taken would show.
const AHEAD_DRAWS: usize = 8;
/// Where the outcomes of such a reading are parted, as shares of what all states expect.
const AHEAD_PARTS: [f64; 4] = [0.12, 0.38, 0.62, 0.88];

/// A reading as the tracer sees it.
#[derive(Debug, Clone, PartialEq)]
pub struct Bearing {
    /// Speed and oil temperature.
    pub at: Working,
    /// The temperature was estimated.
    pub temp_estimated: bool,
    /// The speed was held by hand.
    pub speed_by_hand: bool,
    /// Pressure, kPa.
    pub kpa: f64,
    /// What the needle said.
    pub shows: Shows,
    /// It is what the vehicle itself says, with the error of its sender and wiring.
    pub vehicles_own: bool,
    /// Standard uncertainty, kPa, without `common_kpa`, temperature and speed.
    pub u_kpa: f64,
    /// Which gauge it was read on, by name.
    pub gauge: Arc<str>,
    /// Half width of the error that all readings of this gauge share, kPa.
    pub common_kpa: f64,
}

impl Bearing {
    /// A value read at a point, without anything its gauge's readings share.
    pub fn at(at: Working, kpa: f64, u_kpa: f64) -> Self {
        Self {
            at,
            temp_estimated: false,
            speed_by_hand: false,
            kpa,
            shows: Shows::Value,
            vehicles_own: false,
            u_kpa,
            gauge: "".into(),
            common_kpa: 0.0,
        }
    }
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

/// What the readings together say: log-likelihood of each state, and the weight of each sample of each hypothesis.
#[derive(Debug, Clone)]
pub struct Pressures {
    /// Natural logarithm, by state; all zero without readings.
    pub log_likelihood: Vec<f64>,
    /// By hypothesis, what is left of its samples; their weights sum to one.
    pub(super) left: Arc<Vec<Vec<LeftDraw>>>,
    pub(super) readings: Vec<Bearing>,
}

/// A sample that the readings leave.
#[derive(Debug, Clone, Copy)]
pub(super) struct LeftDraw {
    pub sample: usize,
    /// Which of its twists fits best.
    pub twist: usize,
    pub weight: f64,
}

/// What a reading not yet taken may show: its parts, and how probable each is with every state.
#[derive(Debug, Clone, PartialEq)]
pub struct Ahead {
    /// Pressures between the outcomes, kPa, rising.
    pub parts_kpa: Vec<f64>,
    /// `table[state][outcome]`.
    pub table: Vec<Vec<f64>>,
}

impl Pressures {
    /// Roughly the memory these take.
    pub fn bytes(&self) -> usize {
        let left = self.left.iter().map(|samples| size_of_val(samples.as_slice()));
        left.sum::<usize>() + size_of_val(self.log_likelihood.as_slice()) + size_of_val(self.readings.as_slice())
    }
}

/// An engine's hypotheses. Cheap to ask again at a point it knows.
#[derive(Debug)]
pub struct Tracer {
    pub(super) card: Card,
    spec: Vec<PointOfSpec>,
    oil: Oil,
    pub(super) know: &'static Knowledge,
    pub(super) samples: Samples,
    pub(super) weighed: Mutex<Vec<Run>>,
    ahead: Mutex<Vec<(AheadKey, Arc<Ahead>)>>,
    healthy: Mutex<Vec<HealthyBands>>,
}

/// Bands of the healthy engine over some speeds at an oil temperature: they stand whatever is read, so a few are kept.
type HealthyBands = (Vec<f64>, f64, Vec<[f64; 3]>);
/// Of those so many.
const KEPT_HEALTHY: usize = 4;

type AheadKey = (Vec<Bearing>, [i64; 3]);
/// Readings ahead kept.
const KEPT_AHEAD: usize = 48;

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
        Self::assuming(oil, card, spec, Assumed::default())
    }

    /// The hypotheses for an engine under other assumptions than the product's, for the examiner who has to find those.
    pub fn assuming(oil: Oil, card: &Card, spec: &[PointOfSpec], assumed: Assumed) -> Self {
        let know = knowledge();
        let samples = Samples::new(card, spec, oil, know, assumed);
        Self {
            card: card.clone(),
            spec: spec.to_vec(),
            oil,
            know,
            samples,
            weighed: Mutex::default(),
            ahead: Mutex::default(),
            healthy: Mutex::default(),
        }
    }

    /// The band of the healthy engine at each speed, kPa.
    pub fn healthy_bands(&self, speeds: &[f64], oil_temp_c: f64) -> Vec<[f64; 3]> {
        let kept = || self.healthy.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((.., bands)) = kept().iter().find(|(of, temp, _)| of == speeds && *temp == oil_temp_c) {
            return bands.clone();
        }
        let bands = self.healthy().bands(speeds, oil_temp_c);
        let mut all = kept();
        all.truncate(KEPT_HEALTHY - 1);
        all.insert(0, (speeds.to_vec(), oil_temp_c, bands.clone()));
        bands
    }

    /// Roughly the memory this takes: it grows with the points that are asked for.
    pub fn bytes(&self) -> usize {
        let weighed = self.weighed.lock().unwrap_or_else(PoisonError::into_inner);
        self.samples.bytes() + weighed.iter().map(run_bytes).sum::<usize>()
    }

    /// Lets go what is needed only while something is weighed; what the readings so far have said is kept, so that one more still only re-weights.
    pub fn rest(&self) {
        self.samples.rest();
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
        let hot_c = nominal::hot_c(&self.card, &self.spec);
        nominal::circuit(&self.card, self.oil, &Unknowns { hot_c, ..Unknowns::typical() })
    }

    /// Where the gauge of this engine sits.
    pub fn port(&self) -> Port {
        self.card.layout.port
    }

    /// What is believed of the healthy engine at a point before anything is read: pressures at the port, kPa, at shares of 5, 50 and 95 %.
    pub fn expected_kpa(&self, at: Working) -> [f64; 3] {
        let factors = self.samples.discrepancy(at);
        let mut all: Vec<(f64, f64)> = self
            .samples
            .healthy()
            .enumerate()
            .map(|(sample, (circuit, weight))| (circuit.port_kpa(at) * factors(sample)[0], weight))
            .collect();
        all.sort_by(|a, b| a.0.total_cmp(&b.0));
        [0.05, 0.5, 0.95].map(|share| quantile(&all, share))
    }

    /// What the gauge would show of a drawn pressure under a cause, and the extra scale of its doubt, kPa.
    pub(super) fn shown(&self, cause: &Cause, sample: usize, kpa: f64) -> (f64, f64) {
        match cause.reading {
            ShownAs::True => (kpa, 0.0),
            // A tube bent by overload reads up to 60 kPa off at rest, and with 0.55 to 1.25 of the true slope.
            ShownAs::Distorted => {
                ((kpa * (0.55 + 0.7 * self.samples.severity(sample)) + 120.0 * (self.samples.latent_offset(sample) - 0.5)).max(0.0), 0.0)
            }
            ShownAs::Anything => (kpa * (0.6 * nominal::normal_quantile(self.samples.severity(sample)) - 0.4).exp(), 0.22 * kpa),
        }
    }

    /// What a reading at a point would show, as those before it weigh the samples; `u_kpa` is the doubt it would be read with. Kept.
    pub fn ahead(&self, pressures: &Pressures, at: Working, u_kpa: f64) -> Arc<Ahead> {
        let key = (pressures.readings.clone(), [at.rpm.round() as i64, at.oil_temp_c.round() as i64, u_kpa.round() as i64]);
        let known = self
            .ahead
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .iter()
            .find(|(known, _)| *known == key)
            .map(|(_, kept)| Arc::clone(kept));
        if let Some(kept) = known {
            return kept;
        }
        let made = Arc::new(self.looked_ahead(pressures, at, u_kpa));
        let mut kept = self.ahead.lock().unwrap_or_else(PoisonError::into_inner);
        if kept.len() >= KEPT_AHEAD {
            kept.remove(0);
        }
        kept.push((key, Arc::clone(&made)));
        made
    }

    fn looked_ahead(&self, pressures: &Pressures, at: Working, u_kpa: f64) -> Ahead {
        let grid = self.samples.grid(at.into());
        let factors = self.samples.discrepancy(at);
        let none = Vec::new();
        // By state: what each of a few samples would show, all of them alike in weight.
        let shown: Vec<Vec<f64>> = self
            .know
            .hypotheses
            .par_iter()
            .enumerate()
            .flat_map_iter(|(index, hypothesis)| {
                let place = self.samples.place(harm_of(self.know, hypothesis));
                let left = pressures.left.get(index).unwrap_or(&none);
                [true, false].map(|slight| {
                    self.few(left, slight)
                        .into_iter()
                        .map(|(sample, twist)| {
                            let kpa = self.samples.kpa(&grid, place, sample) * factors(sample).get(twist).copied().unwrap_or(1.0);
                            self.know.causes.get(hypothesis.first).map_or(kpa, |cause| self.shown(cause, sample, kpa).0)
                        })
                        .collect::<Vec<f64>>()
                })
            })
            .collect();
        let priors = self.know.state_priors(&self.know.priors(&self.card.layout));
        let most = pressures.log_likelihood.iter().copied().fold(f64::NEG_INFINITY, f64::max);
        let mut all: Vec<(f64, f64)> = shown
            .iter()
            .zip(priors.iter().zip(&pressures.log_likelihood))
            .flat_map(|(shown, (prior, log))| shown.iter().map(move |kpa| (*kpa, prior * (log - most).exp() / shown.len().max(1) as f64)))
            .collect();
        all.sort_by(|a, b| a.0.total_cmp(&b.0));
        let parts_kpa: Vec<f64> = AHEAD_PARTS.iter().map(|share| quantile(&all, *share)).collect();
        let normal = Normal::standard();
        let table = shown
            .iter()
            .map(|shown| {
                let under = |part: f64| -> f64 {
                    let one = |kpa: &f64| normal.cdf((part - kpa) / u_kpa.hypot(model_kpa(*kpa)));
                    shown.iter().map(one).sum::<f64>() / shown.len().max(1) as f64
                };
                let mut last = 0.0;
                let mut row: Vec<f64> = parts_kpa
                    .iter()
                    .map(|part| {
                        let now = under(*part);
                        let share = now - last;
                        last = now;
                        share
                    })
                    .collect();
                row.push(1.0 - last);
                // A reading can be misread: no part is impossible.
                row.iter_mut().for_each(|p| *p = 0.95 * p.max(0.0) + 0.05 / (AHEAD_PARTS.len() + 1) as f64);
                row
            })
            .collect();
        Ahead { parts_kpa, table }
    }

    /// A few samples of a band with a twist of each, chosen evenly by weight; the first of the band where the readings leave none.
    fn few(&self, left: &[LeftDraw], slight: bool) -> Vec<(usize, usize)> {
        let of_band = |sample: usize| (self.samples.severity(sample) < SLIGHT_UNDER) == slight;
        let band: Vec<&LeftDraw> = left.iter().filter(|left| of_band(left.sample)).collect();
        let sum: f64 = band.iter().map(|left| left.weight).sum();
        if sum <= 0.0 {
            return (0..FIRST).filter(|sample| of_band(*sample)).take(AHEAD_DRAWS).map(|sample| (sample, 0)).collect();
        }
        let step = sum / AHEAD_DRAWS as f64;
        let mut next = 0.5 * step;
        let mut passed = 0.0;
        let mut few = Vec::with_capacity(AHEAD_DRAWS);
        for left in band {
            passed += left.weight;
            while next < passed && few.len() < AHEAD_DRAWS {
                few.push((left.sample, left.twist));
                next += step;
            }
        }
        few
    }

    /// How probable it is that a sound engine which the readings leave keeps each of these limits, from the pressures it would have there.
    pub fn keeps(&self, pressures: &Pressures, points: &[PointOfSpec]) -> Vec<f64> {
        let sound =
            |hypothesis: &Hypothesis| hypothesis.link == Link::Alone && harm_of(self.know, hypothesis) == (Fault::None, Fault::None);
        let Some(place) = self.know.hypotheses.iter().position(sound) else { return vec![0.5; points.len()] };
        let of_harm = self.samples.place((Fault::None, Fault::None));
        let left = pressures.left.get(place).map(Vec::as_slice).unwrap_or_default();
        let keeps = |point: &PointOfSpec| {
            let at = Working { rpm: point.rpm, oil_temp_c: point.oil_temp_c };
            let (grid, factors) = (self.samples.grid(at.into()), self.samples.discrepancy(at));
            let of_draw = |left: &LeftDraw| {
                let kpa = self.samples.kpa(&grid, of_harm, left.sample) * factors(left.sample).get(left.twist).copied().unwrap_or(1.0);
                left.weight * limits::decide(kpa, model_kpa(kpa), point.min_kpa, point.max_kpa).0
            };
            left.iter().map(of_draw).sum::<f64>()
        };
        points.iter().map(keeps).collect()
    }

    /// Slopes at a reading and the ratio from there to another point, over all causes weighted by how well each sample fits it.
    pub fn local(&self, reading: &Bearing, to: Working) -> Local {
        let typical = |at: Working| self.typical().port_kpa(at).max(0.1);
        weighted(reading, &self.samples.near(reading.at, to), || typical(to) / typical(reading.at))
    }

    /// As [`Tracer::local`], to a point at which the oil has also changed to `oil_share` of its viscosity.
    pub fn projected(&self, reading: &Bearing, to: Working, oil_share: f64) -> Local {
        let then = |circuit: &Circuit| {
            let mut changed = circuit.clone();
            changed.oil = changed.oil.scaled(oil_share);
            changed.port_kpa(to)
        };
        let near = self.samples.around(reading.at, |circuit, here| then(circuit) / here);
        weighted(reading, &near, || then(&self.typical()) / self.typical().port_kpa(reading.at).max(0.1))
    }

    /// A cause by its index.
    pub(super) fn cause(&self, cause: usize) -> Option<&'static Cause> {
        self.know.causes.get(cause)
    }

    /// The engine of a sample with this fault.
    pub(super) fn harmed(&self, fault: Fault, sample: usize) -> Option<Circuit> {
        self.samples.harmed((fault, Fault::None), sample)
    }

    /// The healthy engines with what paper makes each weigh.
    pub(super) fn sound(&self) -> impl Iterator<Item = (&Circuit, f64)> {
        self.samples.healthy()
    }

    /// What the model is off at a point, with each twist of a sample.
    pub(super) fn discrepancy(&self, at: Working) -> impl Fn(usize) -> [f64; TWISTS] + use<'_> {
        self.samples.discrepancy(at)
    }
}

/// The value under which a share of the weight lies, of values in rising order.
pub(super) fn quantile(rising: &[(f64, f64)], share: f64) -> f64 {
    let all: f64 = rising.iter().map(|(_, weight)| weight).sum();
    let mut passed = 0.0;
    for (value, weight) in rising {
        passed += weight;
        if passed >= share * all {
            return *value;
        }
    }
    rising.last().map_or(0.0, |(value, _)| *value)
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
    // A sample that fits perfectly weighs about 4 here: density times pressure, with a scale of a tenth of the pressure.
    if all * reading.kpa.max(1.0) < 0.5 {
        // No sample is anywhere near: fall back on the typical engine, and say so by a wide doubt.
        return Local { kpa_per_k: 0.0, kpa_per_rpm: 0.0, ratio: fallback_ratio(), ratio_sd: 0.2 };
    }
    let [_, ratio, squares, warm, fast] = sums.map(|sum| sum / all);
    Local { kpa_per_k: warm, kpa_per_rpm: fast, ratio, ratio_sd: (squares - ratio * ratio).max(0.0).sqrt() }
}
