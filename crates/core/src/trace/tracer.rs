//! What an engine's draws say to its readings.
//!
//! Likelihood of a reading: Student t with 4 degrees of freedom about the drawn pressure, its scale the reading's doubt and what differs from one reading to the
//! next without a cause, 3.5 % of the pressure and 2 kPa. Heavy tails, so that one odd reading does not decide alone. A needle under its first mark or against
//! its stop says on which side of a mark the pressure stood, and weighs by that tail. What a gauge is off it is off at every reading, and what the model
//! is off it is off smoothly: both are drawn with the engine and not counted once a reading. A small share of readings has an error that nobody thought of. A
//! state's likelihood is the mean over the draws of its severity band, each weighted by how likely such a job is to stand in the shop.
//!
//! How sure that mean is, the draws say themselves: with weights w their number is worth (Σw)²/Σw² even ones (Kish, *Survey Sampling*, 1965). Where a
//! hypothesis's share of the odds hangs by more than [`SHARE_SD`] on which draws were made, the next stage of draws is made for it; and only there.
use super::draws::{Assumed, Draws, FIRST, Grid, Near, Noted, STAGES, TWISTS, harm_of};
use super::knowledge::{BANDS, Cause, Hypothesis, Knowledge, Link, SLIGHT_UNDER, ShownAs, knowledge};
use crate::case::Shows;
use crate::circuit::nominal::{self, Unknowns};
use crate::circuit::{Card, Circuit, Fault, PointOfSpec, Port, Working};
use crate::limits;
use crate::oil::{self, Oil, OilError};
use rayon::prelude::*;
use statrs::distribution::{ContinuousCDF, Normal};
use std::sync::{Arc, Mutex, PoisonError};

const MODEL_SHARE: f64 = 0.035;
const MODEL_FLOOR_KPA: f64 = 2.0;
/// What an estimate of the oil's temperature differs by from one reading to the next beside what the run shares, as a share of the pressure.
const ESTIMATE_SHARE: f64 = 0.10;
/// A draw less likely than this share of the likeliest of its hypothesis is ruled out; heavy tails keep a later reading from calling it back.
const RULED_OUT: f32 = 3e-4;
/// A hypothesis without any draw left keeps this, so that no later fact is spoken against by an impossibility.
const LEAST_LIKELY: f64 = 1e-4;
/// Standard deviation that a hypothesis's share of the odds may have from one set of draws to another.
const SHARE_SD: f64 = 0.012;
/// A hypothesis of less than this share is drawn as if it had as much, since what is found later may raise it, unless it has less than the least.
const SHARE_AT_LEAST: f64 = 0.03;
const SHARE_NEGLIGIBLE: f64 = 1e-4;
/// Share of readings that are off by an error nobody modelled, and its scale as a share of the pressure.
const UNMODELLED: f64 = 0.03;
const UNMODELLED_SCALE: f64 = 0.35;
/// What a vehicle's own display is off where its sender is good, as a share and kPa; and the least share of the pressure that one with a bad sender or wire shows.
const SENDER_SHARE: f64 = 0.12;
const SENDER_KPA: f64 = 15.0;
const LEAST_SHOWN: f64 = 0.05;
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

/// What the readings together say: log-likelihood of each state, and the weight of each draw of each hypothesis.
#[derive(Debug, Clone)]
pub struct Pressures {
    /// Natural logarithm, by state; all zero without readings.
    pub log_likelihood: Vec<f64>,
    /// By hypothesis, what is left of its draws; their weights sum to one.
    pub(super) left: Arc<Vec<Vec<LeftDraw>>>,
    readings: Vec<Bearing>,
}

/// A draw that the readings leave.
#[derive(Debug, Clone, Copy)]
pub(super) struct LeftDraw {
    pub draw: usize,
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
        let left = self.left.iter().map(|draws| size_of_val(draws.as_slice()));
        left.sum::<usize>() + size_of_val(self.log_likelihood.as_slice()) + size_of_val(self.readings.as_slice())
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

/// The draws of a hypothesis that the readings so far leave.
#[derive(Debug, Clone)]
struct Likely {
    /// Each with the likelihood of its twists over the greatest of the first stage.
    draws: Vec<(u32, [f32; TWISTS])>,
    /// Logarithm of that greatest, reading by reading.
    most: Vec<f64>,
    /// How many stages were drawn.
    stages: usize,
}

/// Log-likelihood of a hypothesis's bands, what is left of its draws, how many even ones those are worth, and by how many stages of draws.
#[derive(Debug, Clone)]
struct Weighed {
    stages: usize,
    bands: [f64; BANDS],
    left: Vec<LeftDraw>,
    worth: f64,
}

/// Readings, and what they leave of every hypothesis.
type Run = (Vec<Bearing>, Vec<Arc<Likely>>);

/// Memory that runs of readings may take, bytes: a dozen of some length. The last one is kept in any case; one reading alone leaves most draws.
const RUN_BYTES: usize = 4 << 20;

/// What is the same for all hypotheses at a reading, over a range of draws.
struct Read<'a> {
    reading: &'a Bearing,
    grid: Arc<Grid>,
    begin: usize,
    /// By draw and twist: the factor of the discrepancy, and what the gauge adds, kPa.
    beside: Vec<([f32; TWISTS], [f32; TWISTS])>,
}

impl Read<'_> {
    fn hot_and_slow(&self) -> f64 {
        self.reading.at.oil_temp_c / self.reading.at.rpm.max(100.0)
    }
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
        Self::assuming(oil, card, spec, Assumed::default())
    }

    /// The hypotheses for an engine under other assumptions than the product's, for the examiner who has to find those.
    pub fn assuming(oil: Oil, card: &Card, spec: &[PointOfSpec], assumed: Assumed) -> Self {
        let know = knowledge();
        let draws = Draws::new(card, spec, oil, know, assumed);
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
        let hot_c = nominal::hot_c(&self.card, &self.spec);
        nominal::circuit(&self.card, self.oil, &Unknowns { hot_c, ..Unknowns::typical() })
    }

    /// Where the gauge of this engine sits.
    pub fn port(&self) -> Port {
        self.card.layout.port
    }

    /// What is believed of the healthy engine at a point before anything is read: pressures at the port, kPa, at shares of 5, 50 and 95 %.
    pub fn expected_kpa(&self, at: Working) -> [f64; 3] {
        let factors = self.draws.discrepancy(at);
        let mut all: Vec<(f64, f64)> =
            self.draws.healthy().enumerate().map(|(draw, (circuit, weight))| (circuit.port_kpa(at) * factors(draw)[0], weight)).collect();
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
        let mut likely = self.kept(readings);
        let grids = self.draws.noticed_grids();
        let priors = self.know.state_priors(&self.know.priors(&self.card.layout));
        let mut weighed = self.drawn(readings, &mut likely, 1, (0..self.know.hypotheses.len()).collect(), &grids);
        // Which hypotheses have how many draws follows from these readings alone, not from those that were weighed on the way to them.
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
            let nothing = Arc::new(Likely { draws: Vec::new(), most: Vec::new(), stages: 0 });
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

    /// Weighs some hypotheses with so many stages of draws, and keeps in `likely` what is left of those.
    fn drawn(
        &self,
        readings: &[Bearing],
        likely: &mut [Arc<Likely>],
        stages: usize,
        places: Vec<usize>,
        grids: &[Arc<Grid>; 3],
    ) -> Vec<Weighed> {
        // What the kept draws have not yet seen, and what new ones have to.
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

    fn reads<'a>(&self, readings: &'a [Bearing], draws: std::ops::Range<usize>) -> Vec<Read<'a>> {
        let read = |reading: &'a Bearing| {
            let noted = Noted { at: reading.at, temp_estimated: reading.temp_estimated, speed_by_hand: reading.speed_by_hand };
            let (factor, off) = (self.draws.discrepancy(reading.at), self.draws.gauge_off(&reading.gauge));
            let beside = draws
                .clone()
                .into_par_iter()
                .map(|draw| (factor(draw).map(|factor| factor as f32), off(draw).map(|off| (off * reading.common_kpa) as f32)))
                .collect();
            Read { reading, grid: self.draws.grid(noted), begin: draws.start, beside }
        };
        readings.iter().map(read).collect()
    }

    /// Reading by reading, so that a draw the readings so far rule out need not be solved at the next.
    fn reweigh(&self, hypothesis: &Hypothesis, likely: &mut Likely, reads: &[Read]) {
        let place = self.draws.place(harm_of(self.know, hypothesis));
        for read in reads {
            let mut greatest = f32::MIN_POSITIVE;
            for (draw, likelihood) in &mut likely.draws {
                self.see((hypothesis, place), read, *draw as usize, likelihood);
                if (*draw as usize) < FIRST {
                    greatest = likelihood.iter().copied().fold(greatest, f32::max);
                }
            }
            likely.draws.iter_mut().for_each(|(_, likelihood)| likelihood.iter_mut().for_each(|one| *one /= greatest));
            likely.draws.retain(|(_, likelihood)| likelihood.iter().any(|one| *one > RULED_OUT));
            likely.draws.shrink_to_fit();
            likely.most.push(f64::from(greatest).ln());
        }
    }

    /// Draws more, each through all readings until one rules it out.
    fn extend(&self, hypothesis: &Hypothesis, likely: &mut Likely, reads: &[Read], draws: std::ops::Range<usize>) {
        likely.stages += 1;
        if likely.stages == 1 {
            likely.draws = draws.map(|draw| (draw as u32, [1.0; TWISTS])).collect();
            return self.reweigh(hypothesis, likely, reads);
        }
        let place = self.draws.place(harm_of(self.know, hypothesis));
        // What is hot and slow tells most of them apart: it comes first.
        let mut reads: Vec<(&Read, f32)> = reads.iter().zip(&likely.most).map(|(read, most)| (read, most.exp() as f32)).collect();
        reads.sort_by(|(a, _), (b, _)| b.hot_and_slow().total_cmp(&a.hot_and_slow()));
        for draw in draws {
            let mut likelihood = [1.0; TWISTS];
            let left = reads.iter().all(|(read, most)| {
                self.see((hypothesis, place), read, draw, &mut likelihood);
                likelihood.iter_mut().for_each(|one| *one /= most);
                likelihood.iter().any(|one| *one > RULED_OUT)
            });
            if left {
                likely.draws.push((draw as u32, likelihood));
            }
        }
    }

    /// A draw sees a reading.
    fn see(&self, (hypothesis, place): (&Hypothesis, usize), read: &Read, draw: usize, likelihood: &mut [f32; TWISTS]) {
        let kpa = self.draws.kpa(&read.grid, place, draw);
        let Some((factors, offs)) = draw.checked_sub(read.begin).and_then(|place| read.beside.get(place)) else { return };
        let cause = self.know.causes.get(hypothesis.first);
        let own_word = read.reading.vehicles_own;
        let lies = own_word && cause.is_some_and(Cause::is_the_displays);
        let shown = |kpa: f64| {
            let (kpa, extra) = cause.map_or((kpa, 0.0), |cause| self.shown(cause, draw, kpa));
            // A bad sender or wire shows some share of the pressure, the same at every reading; a good one errs as senders do.
            let kpa = if lies { kpa * (LEAST_SHOWN + self.draws.severity(draw)) } else { kpa };
            (kpa, if own_word { extra.hypot(SENDER_SHARE * kpa + SENDER_KPA) } else { extra })
        };
        let unmodelled = UNMODELLED * student(read.reading, shown(kpa).0, UNMODELLED_SCALE * kpa.max(read.reading.kpa));
        for ((one, factor), off) in likelihood.iter_mut().zip(factors).zip(offs) {
            let (kpa, extra) = shown(kpa * f64::from(*factor));
            *one *= ((1.0 - UNMODELLED) * student(read.reading, kpa + f64::from(*off), extra) + unmodelled) as f32;
        }
    }

    /// ln of the likelihood of each band of a hypothesis by its first so many stages of draws, and what is left of those.
    ///
    /// How much a draw weighs before any reading also says how many of the jobs with this cause have it slight, which the states' priors leave to
    /// the widths of the bands.
    fn by_band(&self, hypothesis: &Hypothesis, likely: &Likely, grids: &[Arc<Grid>; 3], stages: usize) -> Weighed {
        let draws = until(stages);
        let place = self.draws.place(harm_of(self.know, hypothesis));
        let [mut slight, mut marked] = [0.0; BANDS];
        let mut squares = 0.0;
        let mut left = Vec::with_capacity(likely.draws.len());
        for (draw, likelihood) in
            likely.draws.iter().map(|(draw, likelihood)| (*draw as usize, likelihood)).filter(|(draw, _)| *draw < draws)
        {
            let fits = f64::from(likelihood.iter().sum::<f32>()) / TWISTS as f64;
            let weight = fits * self.draws.before_reading(grids, place, draw);
            *(if self.draws.severity(draw) < SLIGHT_UNDER { &mut slight } else { &mut marked }) += weight;
            squares += weight * weight;
            let twist = likelihood.iter().enumerate().max_by(|a, b| a.1.total_cmp(b.1)).map_or(0, |(twist, _)| twist);
            left.push(LeftDraw { draw, twist, weight });
        }
        let all = (draws as f64 * self.draws.mean_before_reading(place)).max(f64::MIN_POSITIVE);
        let sum = (slight + marked).max(f64::MIN_POSITIVE);
        left.iter_mut().for_each(|left| left.weight /= sum);
        let log_scale: f64 = likely.most.iter().sum();
        let band = |sum: f64, width: f64| log_scale + (sum / all / width).max(LEAST_LIKELY / FIRST as f64).ln();
        let bands = [band(slight, SLIGHT_UNDER), band(marked, 1.0 - SLIGHT_UNDER)];
        Weighed { stages, bands, left, worth: sum * sum / squares.max(f64::MIN_POSITIVE) }
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
                let left = pressures.left.get(index).unwrap_or(&none);
                [true, false].map(|slight| {
                    self.few(left, slight)
                        .into_iter()
                        .map(|(draw, twist)| {
                            let kpa = self.draws.kpa(&grid, place, draw) * factors(draw).get(twist).copied().unwrap_or(1.0);
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

    /// A few draws of a band with a twist of each, chosen evenly by weight; the first of the band where the readings leave none.
    fn few(&self, left: &[LeftDraw], slight: bool) -> Vec<(usize, usize)> {
        let of_band = |draw: usize| (self.draws.severity(draw) < SLIGHT_UNDER) == slight;
        let band: Vec<&LeftDraw> = left.iter().filter(|left| of_band(left.draw)).collect();
        let sum: f64 = band.iter().map(|left| left.weight).sum();
        if sum <= 0.0 {
            return (0..FIRST).filter(|draw| of_band(*draw)).take(AHEAD_DRAWS).map(|draw| (draw, 0)).collect();
        }
        let step = sum / AHEAD_DRAWS as f64;
        let mut next = 0.5 * step;
        let mut passed = 0.0;
        let mut few = Vec::with_capacity(AHEAD_DRAWS);
        for left in band {
            passed += left.weight;
            while next < passed && few.len() < AHEAD_DRAWS {
                few.push((left.draw, left.twist));
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
        let of_harm = self.draws.place((Fault::None, Fault::None));
        let left = pressures.left.get(place).map(Vec::as_slice).unwrap_or_default();
        let keeps = |point: &PointOfSpec| {
            let at = Working { rpm: point.rpm, oil_temp_c: point.oil_temp_c };
            let (grid, factors) = (self.draws.grid(at.into()), self.draws.discrepancy(at));
            let of_draw = |left: &LeftDraw| {
                let kpa = self.draws.kpa(&grid, of_harm, left.draw) * factors(left.draw).get(left.twist).copied().unwrap_or(1.0);
                let spread = MODEL_SHARE * kpa + MODEL_FLOOR_KPA;
                left.weight * limits::decide(kpa, spread, point.min_kpa, point.max_kpa).0
            };
            left.iter().map(of_draw).sum::<f64>()
        };
        points.iter().map(keeps).collect()
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

    /// What the model is off at a point, with each twist of a draw.
    pub(super) fn discrepancy(&self, at: Working) -> impl Fn(usize) -> [f64; TWISTS] + use<'_> {
        self.draws.discrepancy(at)
    }
}

fn run_bytes((_, likely): &Run) -> usize {
    likely.iter().map(|likely| size_of_val(likely.draws.as_slice())).sum()
}

/// How many draws so many stages have.
fn until(stages: usize) -> usize {
    stages.checked_sub(1).and_then(|last| STAGES.get(last)).copied().unwrap_or(0)
}

/// The hypotheses whose share of the odds hangs on which draws were made, of those that have had so many stages.
fn unsure(weighed: &[Weighed], priors: &[f64], stages: usize) -> Vec<usize> {
    let most = weighed.iter().flat_map(|weighed| weighed.bands).fold(f64::NEG_INFINITY, f64::max);
    let share = |(place, weighed): (usize, &Weighed)| -> f64 {
        let of_bands = weighed.bands.iter().enumerate();
        of_bands.map(|(band, log)| priors.get(place * BANDS + band).copied().unwrap_or(0.0) * (log - most).exp()).sum()
    };
    let shares: Vec<f64> = weighed.iter().enumerate().map(share).collect();
    let all: f64 = shares.iter().sum();
    let unsure = |(place, share): (usize, &f64)| {
        let weighed = weighed.get(place)?;
        let p = share / all;
        let as_if = p.max(SHARE_AT_LEAST);
        (weighed.stages == stages && p >= SHARE_NEGLIGIBLE && as_if * (1.0 - as_if) > SHARE_SD * weighed.worth.sqrt()).then_some(place)
    };
    shares.iter().enumerate().filter_map(unsure).collect()
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
