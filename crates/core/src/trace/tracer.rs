//! What an engine's draws say to its readings.
//!
//! Likelihood of a reading: Student t with 4 degrees of freedom about the drawn pressure, its scale the reading's doubt and what differs from one reading to the
//! next without a cause, 3.5 % of the pressure and 2 kPa. Heavy tails, so that one odd reading does not decide alone. A needle under its first mark or against
//! its stop says on which side of a mark the pressure stood, and weighs by that tail. What a gauge is off it is off at every reading, and what the model
//! is off it is off smoothly: both are drawn with the engine and not counted once a reading. A state's likelihood is the mean over the draws of its severity
//! band, each weighted by how likely such a job is to stand in the shop.
use super::draws::{DRAWS, Draws, Grid, Near, Noted, harm_of};
use super::knowledge::{BANDS, Cause, Hypothesis, Knowledge, SLIGHT_UNDER, ShownAs, knowledge};
use crate::case::Shows;
use crate::circuit::nominal::{self, Unknowns};
use crate::circuit::{Card, Circuit, Fault, PointOfSpec, Port, Working};
use crate::oil::{self, Oil, OilError};
use rayon::prelude::*;
use statrs::distribution::{ContinuousCDF, Normal};
use std::sync::{Arc, Mutex, PoisonError};

const MODEL_SHARE: f64 = 0.035;
const MODEL_FLOOR_KPA: f64 = 2.0;
/// What an estimate of the oil's temperature differs by from one reading to the next beside what the run shares, as a share of the pressure.
const ESTIMATE_SHARE: f64 = 0.10;
/// A draw less likely than this share of the likeliest of its hypothesis is ruled out; heavy tails keep a later reading from calling it back.
const RULED_OUT: f64 = 3e-4;
/// A hypothesis without any draw left keeps this, so that no later fact is spoken against by an impossibility.
const LEAST_LIKELY: f64 = 1e-4;
/// Draws that stand for all while nothing is read.
const UNREAD_DRAWS: u32 = 192;
/// Draws of a state that say what a reading not yet taken would show.
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
        Self { at, temp_estimated: false, speed_by_hand: false, kpa, shows: Shows::Value, u_kpa, gauge: "".into(), common_kpa: 0.0 }
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

/// What the readings together say: log-likelihood of each state, and the weight of each draw of each hypothesis.
#[derive(Debug, Clone)]
pub struct Pressures {
    /// Natural logarithm, by state; all zero without readings.
    pub log_likelihood: Vec<f64>,
    /// By hypothesis, draws with their weights, which sum to one.
    pub(super) weights: Arc<Vec<Vec<(u32, f64)>>>,
    readings: Vec<Bearing>,
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
        let weights = self.weights.iter().map(|draws| size_of_val(draws.as_slice()));
        weights.sum::<usize>() + size_of_val(self.log_likelihood.as_slice()) + size_of_val(self.readings.as_slice())
    }
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

/// The draws of a hypothesis that the readings so far leave, each with its likelihood over the greatest, whose logarithm is `log_scale`.
#[derive(Debug, Clone)]
struct Likely {
    draws: Vec<(u32, f64)>,
    log_scale: f64,
}

/// Log-likelihood of a hypothesis's bands, and the weights of its draws.
type Weighed = ([f64; BANDS], Vec<(u32, f64)>);

/// Readings, and what they leave of every hypothesis.
type Run = (Vec<Bearing>, Arc<Vec<Likely>>);

/// Memory that runs of readings may take, bytes: a dozen of some length. The last one is kept in any case; one reading alone leaves most draws.
const RUN_BYTES: usize = 1 << 20;

/// What is the same for all hypotheses at a reading.
struct Read<'a> {
    reading: &'a Bearing,
    grid: Arc<Grid>,
    /// By draw: the factor of the discrepancy, and what the gauge adds, kPa.
    factor: Vec<f64>,
    off_kpa: Vec<f64>,
}

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
        Self::doubting(oil, card, spec, 1.0)
    }

    /// The hypotheses for an engine of which the model is believed to be off by so much: 1 is what the product uses, and other values are for the
    /// examiner, who has to find that 1.
    pub fn doubting(oil: Oil, card: &Card, spec: &[PointOfSpec], discrepancy: f64) -> Self {
        let know = knowledge();
        let draws = Draws::new(card, spec, oil, know, discrepancy);
        Self {
            card: card.clone(),
            spec: spec.to_vec(),
            oil,
            know,
            draws,
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
        self.draws.bytes() + weighed.iter().map(run_bytes).sum::<usize>()
    }

    /// Lets go what is needed only while something is weighed; what the readings so far have said is kept, so that one more still only re-weights.
    pub fn rest(&self) {
        self.draws.rest();
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
        nominal::circuit(&self.card, self.oil, &Unknowns::typical())
    }

    /// Where the gauge of this engine sits.
    pub fn port(&self) -> Port {
        self.card.layout.port
    }

    /// What is believed of the healthy engine at a point before anything is read: pressures at the port, kPa, at shares of 5, 50 and 95 %.
    pub fn expected_kpa(&self, at: Working) -> [f64; 3] {
        let factors = self.draws.discrepancy(at);
        let mut all: Vec<(f64, f64)> =
            self.draws.healthy().zip(factors).map(|((circuit, weight), factor)| (circuit.port_kpa(at) * factor, weight)).collect();
        all.sort_by(|a, b| a.0.total_cmp(&b.0));
        [0.05, 0.5, 0.95].map(|share| quantile(&all, share))
    }

    /// What the gauge would show of a drawn pressure under a cause, and the extra scale of its doubt, kPa.
    pub(super) fn shown(&self, cause: &Cause, draw: usize, kpa: f64) -> (f64, f64) {
        match cause.reading {
            ShownAs::True => (kpa, 0.0),
            // A tube bent by overload reads up to 60 kPa off at rest, and with 0.55 to 1.25 of the true slope.
            ShownAs::Distorted => {
                ((kpa * (0.55 + 0.7 * self.draws.severity(draw)) + 120.0 * (self.draws.latent_offset(draw) - 0.5)).max(0.0), 0.0)
            }
            ShownAs::Anything => (kpa * (0.6 * nominal::normal_quantile(self.draws.severity(draw)) - 0.4).exp(), 0.22 * kpa),
        }
    }

    /// Weighs all readings together. What readings weighed before have said is kept, so that one more only re-weights.
    pub fn pressures(&self, readings: &[Bearing]) -> Pressures {
        let likely = self.likely(readings);
        let grids = self.draws.noticed_grids();
        let hypotheses: Vec<Weighed> = self
            .know
            .hypotheses
            .par_iter()
            .zip(likely.par_iter())
            .map(|(hypothesis, likely)| self.by_band(hypothesis, likely, &grids))
            .collect();
        let log_likelihood =
            if readings.is_empty() { vec![0.0; self.know.states()] } else { hypotheses.iter().flat_map(|(bands, _)| *bands).collect() };
        let weights = Arc::new(hypotheses.into_iter().map(|(_, weights)| weights).collect());
        Pressures { log_likelihood, weights, readings: readings.to_vec() }
    }

    /// For each hypothesis the draws the readings leave, from the longest run of readings that is kept.
    fn likely(&self, readings: &[Bearing]) -> Arc<Vec<Likely>> {
        let kept = {
            let mut weighed = self.weighed.lock().unwrap_or_else(PoisonError::into_inner);
            let longest = (0..weighed.len()).filter(|run| {
                weighed.get(*run).is_some_and(|(known, _)| known.is_empty() == readings.is_empty() && readings.starts_with(known))
            });
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
        let read: Vec<Read> = new
            .iter()
            .map(|reading| Read {
                reading,
                grid: self.draws.grid(Noted {
                    at: reading.at,
                    temp_estimated: reading.temp_estimated,
                    speed_by_hand: reading.speed_by_hand,
                }),
                factor: self.draws.discrepancy(reading.at),
                off_kpa: self.draws.gauge_off(&reading.gauge).into_iter().map(|off| off * reading.common_kpa).collect(),
            })
            .collect();
        let weigh = |(index, hypothesis): (usize, &Hypothesis)| {
            // Before anything is read all draws are alike, and a few stand for them.
            let count = if readings.is_empty() { UNREAD_DRAWS } else { DRAWS as u32 };
            let every = || Likely { draws: (0..count).map(|draw| (draw, 1.0)).collect(), log_scale: 0.0 };
            let before = begun.as_ref().and_then(|likely| likely.get(index)).cloned().unwrap_or_else(every);
            self.reweighted(hypothesis, before, &read)
        };
        let likely: Arc<Vec<Likely>> = Arc::new(self.know.hypotheses.par_iter().enumerate().map(weigh).collect());
        let mut weighed = self.weighed.lock().unwrap_or_else(PoisonError::into_inner);
        weighed.push((readings.to_vec(), Arc::clone(&likely)));
        while weighed.len() > 1 && weighed.iter().map(run_bytes).sum::<usize>() > RUN_BYTES {
            weighed.remove(0);
        }
        likely
    }

    /// Reading by reading, so that a draw the readings so far rule out need not be solved at the next.
    fn reweighted(&self, hypothesis: &Hypothesis, before: Likely, readings: &[Read]) -> Likely {
        let place = self.draws.place(harm_of(self.know, hypothesis));
        let cause = self.know.causes.get(hypothesis.first);
        let Likely { mut draws, mut log_scale } = before;
        let of = |numbers: &[f64], draw: usize| numbers.get(draw).copied().unwrap_or_default();
        for read in readings {
            let mut most = f64::MIN_POSITIVE;
            for (draw, likelihood) in &mut draws {
                let draw = *draw as usize;
                let kpa = self.draws.kpa(&read.grid, place, draw) * of(&read.factor, draw);
                let (kpa, extra) = cause.map_or((kpa, 0.0), |cause| self.shown(cause, draw, kpa));
                *likelihood *= student(read.reading, kpa + of(&read.off_kpa, draw), extra);
                most = most.max(*likelihood);
            }
            draws.retain(|(_, likelihood)| *likelihood > RULED_OUT * most);
            draws.shrink_to_fit();
            draws.iter_mut().for_each(|(_, likelihood)| *likelihood /= most);
            log_scale += most.ln();
        }
        Likely { draws, log_scale }
    }

    /// ln of the likelihood of each band of a hypothesis, and the weights of its draws, which sum to one.
    ///
    /// How much a draw weighs before any reading also says how many of the jobs with this cause have it slight, which the states' priors leave to
    /// the widths of the bands.
    fn by_band(&self, hypothesis: &Hypothesis, likely: &Likely, grids: &[Arc<Grid>; 3]) -> ([f64; BANDS], Vec<(u32, f64)>) {
        let place = self.draws.place(harm_of(self.know, hypothesis));
        let [mut slight, mut marked] = [0.0; BANDS];
        let mut weights = Vec::with_capacity(likely.draws.len());
        for (draw, likelihood) in &likely.draws {
            let weight = likelihood * self.draws.before_reading(grids, place, *draw as usize);
            *(if self.draws.severity(*draw as usize) < SLIGHT_UNDER { &mut slight } else { &mut marked }) += weight;
            weights.push((*draw, weight));
        }
        let all = self.draws.all_before_reading(place).max(f64::MIN_POSITIVE);
        let sum = (slight + marked).max(f64::MIN_POSITIVE);
        weights.iter_mut().for_each(|(_, weight)| *weight /= sum);
        let band = |sum: f64, width: f64| likely.log_scale + (sum / all / width).max(LEAST_LIKELY / DRAWS as f64).ln();
        ([band(slight, SLIGHT_UNDER), band(marked, 1.0 - SLIGHT_UNDER)], weights)
    }

    /// What a reading at a point would show, as those before it weigh the draws; `u_kpa` is the doubt it would be read with. Kept.
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
        let grid = self.draws.grid(at.into());
        let factors = self.draws.discrepancy(at);
        let none = Vec::new();
        // By state: what each of a few draws would show, all of them alike in weight.
        let shown: Vec<Vec<f64>> = self
            .know
            .hypotheses
            .par_iter()
            .enumerate()
            .flat_map_iter(|(index, hypothesis)| {
                let place = self.draws.place(harm_of(self.know, hypothesis));
                let weights = pressures.weights.get(index).unwrap_or(&none);
                [true, false].map(|slight| {
                    self.few(weights, slight)
                        .into_iter()
                        .map(|draw| {
                            let kpa = self.draws.kpa(&grid, place, draw) * factors.get(draw).copied().unwrap_or(1.0);
                            self.know.causes.get(hypothesis.first).map_or(kpa, |cause| self.shown(cause, draw, kpa).0)
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
                    let one = |kpa: &f64| normal.cdf((part - kpa) / u_kpa.hypot(MODEL_SHARE * kpa + MODEL_FLOOR_KPA));
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

    /// A few draws of a band, chosen evenly by weight; the first of the band where the readings leave none.
    fn few(&self, weights: &[(u32, f64)], slight: bool) -> Vec<usize> {
        let of_band = |draw: usize| (self.draws.severity(draw) < SLIGHT_UNDER) == slight;
        let band: Vec<(usize, f64)> =
            weights.iter().map(|(draw, weight)| (*draw as usize, *weight)).filter(|(draw, _)| of_band(*draw)).collect();
        let sum: f64 = band.iter().map(|(_, weight)| weight).sum();
        if sum <= 0.0 {
            return (0..DRAWS).filter(|draw| of_band(*draw)).take(AHEAD_DRAWS).collect();
        }
        let step = sum / AHEAD_DRAWS as f64;
        let mut next = 0.5 * step;
        let mut passed = 0.0;
        let mut few = Vec::with_capacity(AHEAD_DRAWS);
        for (draw, weight) in band {
            passed += weight;
            while next < passed && few.len() < AHEAD_DRAWS {
                few.push(draw);
                next += step;
            }
        }
        few
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

    /// A cause by its index.
    pub(super) fn cause(&self, cause: usize) -> Option<&'static Cause> {
        self.know.causes.get(cause)
    }

    /// The engine of a draw with this fault.
    pub(super) fn harmed(&self, fault: Fault, draw: usize) -> Option<Circuit> {
        self.draws.harmed((fault, Fault::None), draw)
    }

    /// The healthy engines with what paper makes each weigh.
    pub(super) fn sound(&self) -> impl Iterator<Item = (&Circuit, f64)> {
        self.draws.healthy()
    }

    /// What the model is off at a point, by draw.
    pub(super) fn discrepancy(&self, at: Working) -> Vec<f64> {
        self.draws.discrepancy(at)
    }
}

fn run_bytes((_, likely): &Run) -> usize {
    likely.iter().map(|likely| size_of_val(likely.draws.as_slice())).sum()
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
/// Of a needle under its first mark or against its stop: how often it is there though the pressure is not.
const STUCK: f64 = 0.005;

/// The Student t density (ν = 4) of a reading about `shown_kpa`, 1/kPa; of one that shows a side of a mark, the probability of that side.
fn student(reading: &Bearing, shown_kpa: f64, extra_kpa: f64) -> f64 {
    let share = if reading.temp_estimated { MODEL_SHARE.hypot(ESTIMATE_SHARE) } else { MODEL_SHARE };
    let model = share * shown_kpa + MODEL_FLOOR_KPA;
    let scale_2 = reading.u_kpa * reading.u_kpa + model * model + extra_kpa * extra_kpa;
    let off = reading.kpa - shown_kpa;
    let tail = 1.0 + off * off / (scale_2 * NU);
    match reading.shows {
        // tail^−5/2 / scale.
        Shows::Value => STUDENT_NORM / ((tail * tail) * (tail * scale_2).sqrt()),
        Shows::UnderFirstMark => student_cdf(off / scale_2.sqrt()).max(STUCK),
        Shows::Pegged => student_cdf(-off / scale_2.sqrt()).max(STUCK),
    }
}

/// The distribution function of Student's t with 4 degrees of freedom, in closed form.
fn student_cdf(t: f64) -> f64 {
    let s = t * t / (4.0 + t * t);
    0.5 + 0.5 * t.signum() * s.sqrt() * (1.5 - 0.5 * s)
}
