//! How readings weigh the samples of an engine, stage by stage.
//!
//! Likelihood of a reading: Student t with 4 degrees of freedom about the drawn pressure, its scale the reading's doubt and what differs from one reading to the
//! next without a cause, 3.5 % of the pressure and 2 kPa. Heavy tails, so that one odd reading does not decide alone. A needle under its first mark or against
//! its stop says on which side of a mark the pressure stood, and weighs by that tail. What a gauge is off it is off at every reading, and what the model
//! is off it is off smoothly: both are drawn with the engine and not counted once a reading. A small share of readings has an error that nobody thought of. A
//! state's likelihood is the mean over the samples of its severity band, each weighted by how likely such a job is to stand in the shop.
//!
//! How sure that mean is, the samples say themselves: with weights w their number is worth (Σw)²/Σw² even ones (Kish, *Survey Sampling*, 1965). Where a
//! hypothesis's share of the odds hangs by more than [`SHARE_SD`] on which samples were made, the next stage of samples is made for it; and only there.
use super::samples::{FIRST, Grid, Noted, STAGES, TWISTS, harm_of};
use super::tracer::{Bearing, LeftDraw, Pressures, Tracer};
use crate::case::Shows;
use crate::knowledge::{BANDS, Cause, Hypothesis, SLIGHT_UNDER};
use rayon::prelude::*;
use std::sync::{Arc, PoisonError};

const MODEL_SHARE: f64 = 0.035;
const MODEL_FLOOR_KPA: f64 = 2.0;
/// What an estimate of the oil's temperature differs by from one reading to the next beside what the run shares, as a share of the pressure.
const ESTIMATE_SHARE: f64 = 0.10;
/// A sample less likely than this share of the likeliest of its hypothesis is ruled out; heavy tails keep a later reading from calling it back.
const RULED_OUT: f32 = 3e-4;
/// A hypothesis without any sample left keeps this, so that no later fact is spoken against by an impossibility.
const LEAST_LIKELY: f64 = 1e-4;
/// Standard deviation that a hypothesis's share of the odds may have from one set of samples to another.
const SHARE_SD: f64 = 0.012;
/// A hypothesis of less than this share is drawn as if it had as much, since what is found later may raise it, unless it has less than the least.
const SHARE_AT_LEAST: f64 = 0.03;
/// By how many stages it has had, the least share that a hypothesis needs for one more: the last stages are dear.
const LEAST_SHARES: [f64; STAGES.len()] = [3e-4, 3e-4, 5e-3, 0.03, 1.0];
/// Share of readings that are off by an error nobody modelled, and its scale as a share of the pressure.
const UNMODELLED: f64 = 0.03;
const UNMODELLED_SCALE: f64 = 0.35;
/// What a vehicle's own display is off where its sender is good, as a share and kPa; and the least share of the pressure that one with a bad sender or wire shows.
const SENDER_SHARE: f64 = 0.2;
const SENDER_KPA: f64 = 20.0;
const LEAST_SHOWN: f64 = 0.05;

/// The samples of a hypothesis that the readings so far leave.
#[derive(Debug, Clone)]
pub(super) struct Likely {
    /// Each with the likelihood of its twists over the greatest of the first stage.
    samples: Vec<(u32, [f32; TWISTS])>,
    /// Logarithm of that greatest, reading by reading.
    most: Vec<f64>,
    /// How many stages were drawn.
    stages: usize,
}

/// Log-likelihood of a hypothesis's bands, what is left of its samples, how many even ones those are worth, and by how many stages of samples.
#[derive(Debug, Clone)]
struct Weighed {
    stages: usize,
    bands: [f64; BANDS],
    left: Vec<LeftDraw>,
    worth: f64,
}

/// Readings, and what they leave of every hypothesis.
pub(super) type Run = (Vec<Bearing>, Vec<Arc<Likely>>);

/// Memory that runs of readings may take, bytes: a few of some length. The last one is kept in any case; one reading alone leaves most samples.
const RUN_BYTES: usize = 1 << 20;

/// What is the same for all hypotheses at a reading, over a range of samples.
struct Read<'a> {
    reading: &'a Bearing,
    grid: Arc<Grid>,
    begin: usize,
    /// By sample and twist: the factor of the discrepancy, and what the gauge adds, kPa.
    beside: Vec<([f32; TWISTS], [f32; TWISTS])>,
}

impl Read<'_> {
    fn hot_and_slow(&self) -> f64 {
        self.reading.at.oil_temp_c / self.reading.at.rpm.max(100.0)
    }
}

impl Tracer {
    /// Weighs all readings together. What readings weighed before have said is kept, so that one more only re-weights.
    pub fn pressures(&self, readings: &[Bearing]) -> Pressures {
        let mut likely = self.kept(readings);
        let grids = self.samples.noticed_grids();
        let priors = self.know.state_priors(&self.know.priors(&self.card.layout));
        let mut weighed = self.drawn(readings, &mut likely, 1, (0..self.know.hypotheses.len()).collect(), &grids);
        // Which hypotheses have how many samples follows from these readings alone, not from those that were weighed on the way to them.
        for stages in 2..=STAGES.len() {
            if readings.is_empty() {
                break;
            }
            let more = unsure(&weighed, &priors, stages - 1);
            if more.is_empty() {
                break;
            }
            let again = self.drawn(readings, &mut likely, stages, more.clone(), &grids);
            for (place, again) in more.into_iter().zip(again) {
                if let Some(weighed) = weighed.get_mut(place) {
                    *weighed = again;
                }
            }
        }
        self.keep(readings, likely);
        let log_likelihood =
            if readings.is_empty() { vec![0.0; self.know.states()] } else { weighed.iter().flat_map(|weighed| weighed.bands).collect() };
        let left = Arc::new(weighed.into_iter().map(|weighed| weighed.left).collect());
        Pressures { log_likelihood, left, readings: readings.to_vec() }
    }

    /// What the longest run of readings that is kept has left of each hypothesis.
    fn kept(&self, readings: &[Bearing]) -> Vec<Arc<Likely>> {
        let mut weighed = self.weighed.lock().unwrap_or_else(PoisonError::into_inner);
        let longest = (0..weighed.len()).filter(|run| weighed.get(*run).is_some_and(|(known, _)| readings.starts_with(known)));
        let longest = longest.max_by_key(|run| weighed.get(*run).map_or(0, |(known, _)| known.len()));
        let Some(run) = longest else {
            let nothing = Arc::new(Likely { samples: Vec::new(), most: Vec::new(), stages: 0 });
            return vec![nothing; self.know.hypotheses.len()];
        };
        // What was used goes to the end: the run unused for longest makes room.
        let run = weighed.remove(run);
        let likely = run.1.clone();
        weighed.push(run);
        likely
    }

    fn keep(&self, readings: &[Bearing], likely: Vec<Arc<Likely>>) {
        let mut weighed = self.weighed.lock().unwrap_or_else(PoisonError::into_inner);
        weighed.retain(|(known, _)| known != readings);
        weighed.push((readings.to_vec(), likely));
        while weighed.len() > 1 && weighed.iter().map(run_bytes).sum::<usize>() > RUN_BYTES {
            weighed.remove(0);
        }
    }

    /// Weighs some hypotheses with so many stages of samples, and keeps in `likely` what is left of those.
    fn drawn(
        &self,
        readings: &[Bearing],
        likely: &mut [Arc<Likely>],
        stages: usize,
        places: Vec<usize>,
        grids: &[Arc<Grid>; 3],
    ) -> Vec<Weighed> {
        // What the kept samples have not yet seen, and what new ones have to.
        let known = likely.first().map_or(0, |likely| likely.most.len());
        let drawn = places.iter().filter_map(|place| likely.get(*place)).map(|likely| likely.stages).max().unwrap_or(0);
        let of_kept = self.reads(readings.get(known..).unwrap_or_default(), 0..until(drawn));
        let fewer = |likely: &Arc<Likely>| likely.stages < stages;
        let new = if places.iter().filter_map(|place| likely.get(*place)).any(fewer) { until(stages - 1)..until(stages) } else { 0..0 };
        let of_new = self.reads(readings, new.clone());
        let one = |place: usize| {
            let mut now = likely.get(place).cloned()?;
            let hypothesis = self.know.hypotheses.get(place)?;
            if now.stages > 0 && now.most.len() < readings.len() {
                self.reweigh(hypothesis, Arc::make_mut(&mut now), &of_kept);
            }
            if now.stages < stages {
                self.extend(hypothesis, Arc::make_mut(&mut now), &of_new, new.clone());
            }
            let weighed = self.by_band(hypothesis, &now, grids, stages);
            Some((place, now, weighed))
        };
        let made: Vec<(usize, Arc<Likely>, Weighed)> = places.into_par_iter().filter_map(one).collect();
        made.into_iter()
            .map(|(place, now, weighed)| {
                if let Some(kept) = likely.get_mut(place) {
                    *kept = now;
                }
                weighed
            })
            .collect()
    }

    fn reads<'a>(&self, readings: &'a [Bearing], samples: std::ops::Range<usize>) -> Vec<Read<'a>> {
        let read = |reading: &'a Bearing| {
            let noted = Noted { at: reading.at, temp_estimated: reading.temp_estimated, speed_by_hand: reading.speed_by_hand };
            let (factor, off) = (self.samples.discrepancy(reading.at), self.samples.gauge_off(&reading.gauge));
            let beside = samples
                .clone()
                .into_par_iter()
                .map(|sample| (factor(sample).map(|factor| factor as f32), off(sample).map(|off| (off * reading.common_kpa) as f32)))
                .collect();
            Read { reading, grid: self.samples.grid(noted), begin: samples.start, beside }
        };
        readings.iter().map(read).collect()
    }

    /// Reading by reading, so that a sample the readings so far rule out need not be solved at the next.
    fn reweigh(&self, hypothesis: &Hypothesis, likely: &mut Likely, reads: &[Read]) {
        let place = self.samples.place(harm_of(self.know, hypothesis));
        for read in reads {
            let mut greatest = f32::MIN_POSITIVE;
            for (sample, likelihood) in &mut likely.samples {
                self.see((hypothesis, place), read, *sample as usize, likelihood);
                if (*sample as usize) < FIRST {
                    greatest = likelihood.iter().copied().fold(greatest, f32::max);
                }
            }
            likely.samples.iter_mut().for_each(|(_, likelihood)| likelihood.iter_mut().for_each(|one| *one /= greatest));
            likely.samples.retain(|(_, likelihood)| likelihood.iter().any(|one| *one > RULED_OUT));
            likely.samples.shrink_to_fit();
            likely.most.push(f64::from(greatest).ln());
        }
    }

    /// Samples more, each through all readings until one rules it out.
    fn extend(&self, hypothesis: &Hypothesis, likely: &mut Likely, reads: &[Read], samples: std::ops::Range<usize>) {
        likely.stages += 1;
        if likely.stages == 1 {
            likely.samples = samples.map(|sample| (sample as u32, [1.0; TWISTS])).collect();
            return self.reweigh(hypothesis, likely, reads);
        }
        let place = self.samples.place(harm_of(self.know, hypothesis));
        // What is hot and slow tells most of them apart: it comes first.
        let mut reads: Vec<(&Read, f32)> = reads.iter().zip(&likely.most).map(|(read, most)| (read, most.exp() as f32)).collect();
        reads.sort_by(|(a, _), (b, _)| b.hot_and_slow().total_cmp(&a.hot_and_slow()));
        for sample in samples {
            let mut likelihood = [1.0; TWISTS];
            let left = reads.iter().all(|(read, most)| {
                self.see((hypothesis, place), read, sample, &mut likelihood);
                likelihood.iter_mut().for_each(|one| *one /= most);
                likelihood.iter().any(|one| *one > RULED_OUT)
            });
            if left {
                likely.samples.push((sample as u32, likelihood));
            }
        }
    }

    /// A sample sees a reading.
    fn see(&self, (hypothesis, place): (&Hypothesis, usize), read: &Read, sample: usize, likelihood: &mut [f32; TWISTS]) {
        let kpa = self.samples.kpa(&read.grid, place, sample);
        let Some((factors, offs)) = sample.checked_sub(read.begin).and_then(|place| read.beside.get(place)) else { return };
        let cause = self.know.causes.get(hypothesis.first);
        let own_word = read.reading.vehicles_own;
        let lies = own_word && cause.is_some_and(Cause::is_the_displays);
        let shown = |kpa: f64| {
            let (kpa, extra) = cause.map_or((kpa, 0.0), |cause| self.shown(cause, sample, kpa));
            // A bad sender or wire shows some share of the pressure, the same at every reading; a good one errs as senders do.
            let kpa = if lies { kpa * (LEAST_SHOWN + self.samples.severity(sample)) } else { kpa };
            (kpa, if own_word { extra.hypot(SENDER_SHARE * kpa + SENDER_KPA) } else { extra })
        };
        let unmodelled = UNMODELLED * student(read.reading, shown(kpa).0, UNMODELLED_SCALE * kpa.max(read.reading.kpa));
        for ((one, factor), off) in likelihood.iter_mut().zip(factors).zip(offs) {
            let (kpa, extra) = shown(kpa * f64::from(*factor));
            *one *= ((1.0 - UNMODELLED) * student(read.reading, kpa + f64::from(*off), extra) + unmodelled) as f32;
        }
    }

    /// ln of the likelihood of each band of a hypothesis by its first so many stages of samples, and what is left of those.
    ///
    /// How much a sample weighs before any reading also says how many of the jobs with this cause have it slight, which the states' priors leave to
    /// the widths of the bands.
    fn by_band(&self, hypothesis: &Hypothesis, likely: &Likely, grids: &[Arc<Grid>; 3], stages: usize) -> Weighed {
        let samples = until(stages);
        let place = self.samples.place(harm_of(self.know, hypothesis));
        let [mut slight, mut marked] = [0.0; BANDS];
        let mut squares = 0.0;
        let mut left = Vec::with_capacity(likely.samples.len());
        for (sample, likelihood) in
            likely.samples.iter().map(|(sample, likelihood)| (*sample as usize, likelihood)).filter(|(sample, _)| *sample < samples)
        {
            let fits = f64::from(likelihood.iter().sum::<f32>()) / TWISTS as f64;
            let weight = fits * self.samples.before_reading(grids, place, sample);
            *(if self.samples.severity(sample) < SLIGHT_UNDER { &mut slight } else { &mut marked }) += weight;
            squares += weight * weight;
            let twist = likelihood.iter().enumerate().max_by(|a, b| a.1.total_cmp(b.1)).map_or(0, |(twist, _)| twist);
            left.push(LeftDraw { sample, twist, weight });
        }
        let all = (samples as f64 * self.samples.mean_before_reading(place)).max(f64::MIN_POSITIVE);
        let sum = (slight + marked).max(f64::MIN_POSITIVE);
        left.iter_mut().for_each(|left| left.weight /= sum);
        let log_scale: f64 = likely.most.iter().sum();
        let band = |sum: f64, width: f64| log_scale + (sum / all / width).max(LEAST_LIKELY / FIRST as f64).ln();
        let bands = [band(slight, SLIGHT_UNDER), band(marked, 1.0 - SLIGHT_UNDER)];
        Weighed { stages, bands, left, worth: sum * sum / squares.max(f64::MIN_POSITIVE) }
    }
}

pub(super) fn run_bytes((_, likely): &Run) -> usize {
    likely.iter().map(|likely| size_of_val(likely.samples.as_slice())).sum()
}

/// How many samples so many stages have.
fn until(stages: usize) -> usize {
    stages.checked_sub(1).and_then(|last| STAGES.get(last)).copied().unwrap_or(0)
}

/// The hypotheses whose share of the odds hangs on which samples were made, of those that have had so many stages.
fn unsure(weighed: &[Weighed], priors: &[f64], stages: usize) -> Vec<usize> {
    let most = weighed.iter().flat_map(|weighed| weighed.bands).fold(f64::NEG_INFINITY, f64::max);
    let share = |(place, weighed): (usize, &Weighed)| -> f64 {
        let of_bands = weighed.bands.iter().enumerate();
        of_bands.map(|(band, log)| priors.get(place * BANDS + band).copied().unwrap_or(0.0) * (log - most).exp()).sum()
    };
    let shares: Vec<f64> = weighed.iter().enumerate().map(share).collect();
    let all: f64 = shares.iter().sum();
    let least = stages.checked_sub(1).and_then(|last| LEAST_SHARES.get(last)).copied().unwrap_or(1.0);
    let unsure = |(place, share): (usize, &f64)| {
        let weighed = weighed.get(place)?;
        let p = share / all;
        let as_if = p.max(SHARE_AT_LEAST);
        (weighed.stages == stages && p >= least && as_if * (1.0 - as_if) > SHARE_SD * weighed.worth.sqrt()).then_some(place)
    };
    shares.iter().enumerate().filter_map(unsure).collect()
}

const NU: f64 = 4.0;

/// Γ(5/2)/(√(4π)·Γ(2)).
const STUDENT_NORM: f64 = 0.375;

/// Of a needle under its first mark or against its stop: how often it is there though the pressure is not.
const STUCK: f64 = 0.005;

/// What one reading of a pressure differs by from the next without a cause, kPa.
pub(super) fn model_kpa(kpa: f64) -> f64 {
    MODEL_SHARE * kpa + MODEL_FLOOR_KPA
}

/// The Student t density (ν = 4) of a reading about `shown_kpa`, 1/kPa; of one that shows a side of a mark, the probability of that side.
pub(super) fn student(reading: &Bearing, shown_kpa: f64, extra_kpa: f64) -> f64 {
    let share = if reading.temp_estimated { MODEL_SHARE.hypot(ESTIMATE_SHARE) } else { MODEL_SHARE };
    let model = share * shown_kpa + MODEL_FLOOR_KPA;
    let scale_2 = reading.u_kpa * reading.u_kpa + model * model + extra_kpa * extra_kpa;
    let off = reading.kpa - shown_kpa;
    let tail = 1.0 + off * off / (scale_2 * NU);
    match reading.shows {
        // tail^−5/2 / scale.
        Shows::Value => STUDENT_NORM / ((tail * tail) * (tail * scale_2).sqrt()),
        Shows::UnderFirstMark | Shows::LampOn => student_cdf(off / scale_2.sqrt()).max(STUCK),
        Shows::Pegged | Shows::LampOut => student_cdf(-off / scale_2.sqrt()).max(STUCK),
    }
}

/// The distribution function of Student's t with 4 degrees of freedom, in closed form.
fn student_cdf(t: f64) -> f64 {
    let s = t * t / (4.0 + t * t);
    0.5 + 0.5 * t.signum() * s.sqrt() * (1.5 - 0.5 * s)
}
