//! The samples of an engine: healthy circuits of its card, each harmed by every hypothesis, and what the gauge would show.
//!
//! A scrambled Sobol sequence (Owen scrambling; Burley 2020) samples healthy engines; each hypothesis harms all of them alike, so causes are compared on the
//! same engines. The samples come in stages, each as many as all before it: a hypothesis has the first, and more only while its share of the odds is
//! less certain than may be seen ([`super::tracer`]). Pressures at an operating point are solved once and kept, as are the slopes about it.
//!
//! What is sampled with the engine beside its parts: how far speed and oil temperature were from what was noted (each sample is solved at its own point), how
//! far every gauge is off, and the discrepancy between this model and any real engine, a smooth error of level, slope in speed and cold-to-hot twist (Kennedy
//! and O'Hagan, *J. R. Statist. Soc. B* 63, 2001; Brynjarsdóttir and O'Hagan, *Inverse Problems* 30, 2014). Gauge and discrepancy ask nothing of the circuit, so
//! each sample is tried with [`TWISTS`] of them: as if there were so many times the samples.
//!
//! A sample weighs by two things known before anything is read. Its *prior weight*: a sheet's limits are floors set anywhere from a sixth to nine tenths of
//! what a good engine shows, and engines at half their rated speed mostly show 320 kPa hot; paper alone never moves the odds of two samples by more than
//! [`PAPER`]. Its *selection weight*: a job comes in because something was noticed, so an engine that a slight fault leaves as it was seldom stands in the shop.
use crate::circuit::nominal::{self, DIMENSIONS, Unknowns, normal_quantile};
use crate::circuit::{Card, Circuit, Fault, PointOfSpec, SoundState, Working, harm};
use crate::knowledge::{Hypothesis, Knowledge};
use crate::oil::Oil;
use rayon::prelude::*;
use std::borrow::Cow;
use std::sync::atomic::{AtomicU32, Ordering::Relaxed};
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

/// Samples of a hypothesis, stage by stage. With [`TWISTS`] of each they end where the sequence does, at 65,536.
pub(super) const STAGES: [usize; 5] = [256, 512, 1024, 2048, 4096];
/// The circuits of the first so many are kept; those of later samples are made again when they are asked for, else forty engines would not fit into a server's memory.
const CIRCUITS_KEPT: usize = 1024;
/// Samples of the first stage, which every hypothesis has.
pub(super) const FIRST: usize = STAGES[0];
/// Gauges and discrepancies that each sample is tried with.
pub(super) const TWISTS: usize = 8;
/// Samples for local slopes and ratios, the first of the same sequence.
const LOCAL_DRAWS: usize = 32;
/// Operating points kept, beside those at which a fault is noticed: as many as a plan looks at. Each takes 70 kB and what more samples are asked for, until the tracer rests.
const KEPT_POINTS: usize = 32;
/// Ways from a point to another kept; each takes some 40 kB.
const KEPT_WAYS: usize = 24;
/// Most that limits on paper move the odds of two samples.
const PAPER: f64 = 2.2;
/// Share of the healthy pressure that a maker prints as its least: anywhere between, with soft ends (standard deviations of the logarithm).
const PRINTED: (f64, f64) = (1.0 / 6.0, 0.9);
const PRINTED_SOFT: (f64, f64) = (0.5, 0.1);
/// Healthy pressure hot at half the rated speed, kPa, and its standard deviation of the logarithm as far as the parts do not settle it.
const HALF_SPEED_KPA: f64 = 320.0;
const HALF_SPEED_SD_LN: f64 = 0.45;
/// The points of the run at which a fault would be noticed are cold idle, hot idle, and half the rated speed hot.
const COLD_C: f64 = 20.0;
/// A change of pressure, as a logarithm, that nobody sees, and one that everybody does.
const UNSEEN: f64 = 0.1;
const SEEN: f64 = 0.4;
/// Share of jobs that come in by another way: a drop in a bend, a noise, a puddle, a service.
const ANYWAY: f64 = 0.15;
/// A cause keeps its whole share among complaints when at least this share of its faults would be noticed on this engine.
const NOTICED_SHARE: f64 = 0.4;
/// Discrepancy: standard deviations of level, of slope for each e-fold of speed, and of twist for each 60 K. Set by calibration on the tuned rivals.
const LEVEL: f64 = 0.05;
const SLOPE: f64 = 0.03;
const TWIST: f64 = 0.05;
/// Speed held by a counter and by hand, half widths as shares.
const SPEED_MEASURED: f64 = 0.01;
const SPEED_BY_HAND: f64 = 0.03;
/// Oil temperature by a probe, half width; and how much colder than estimated the oil may be, since it lags the coolant, K. An estimate of cold oil
/// is the day's temperature, which everybody knows.
const PROBE_K: f64 = 3.0;
const ESTIMATED_K: f64 = 12.0;
const ESTIMATED_FROM_C: f64 = 40.0;

/// What every sample follows from.
const SEED: u32 = 0x0e1d_1a17;

/// Faults of a hypothesis; the second is [`Fault::None`] when there is one cause alone.
pub(super) type Harm = (Fault, Fault);

/// An operating point as it was noted, and how well.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Noted {
    pub at: Working,
    pub temp_estimated: bool,
    pub speed_by_hand: bool,
}

impl From<Working> for Noted {
    fn from(at: Working) -> Self {
        Self { at, temp_estimated: false, speed_by_hand: false }
    }
}

/// The stage of a sample and its place there.
fn staged(sample: usize) -> (usize, usize) {
    let stage = STAGES.iter().position(|end| sample < *end).unwrap_or(STAGES.len() - 1);
    (stage, sample - begin(stage))
}

/// The first sample of a stage.
fn begin(stage: usize) -> usize {
    stage.checked_sub(1).and_then(|before| STAGES.get(before)).copied().unwrap_or(0)
}

/// Something of every sample, made a stage at a time when the first of the stage is asked for.
#[derive(Debug)]
struct Staged<T>([OnceLock<Box<[T]>>; STAGES.len()]);

impl<T> Default for Staged<T> {
    fn default() -> Self {
        Self(Default::default())
    }
}

impl<T> Staged<T> {
    fn get(&self, sample: usize, make: impl FnOnce(std::ops::Range<usize>) -> Box<[T]>) -> Option<&T> {
        let (stage, place) = staged(sample);
        self.0.get(stage)?.get_or_init(|| make(begin(stage)..STAGES.get(stage).copied().unwrap_or(0))).get(place)
    }

    fn bytes(&self) -> usize {
        self.0.iter().filter_map(OnceLock::get).map(|made| size_of_val(&**made)).sum()
    }
}

/// Port pressures at a point, by harm and sample. Each is solved when it is first asked for: most samples are ruled out by the readings before.
#[derive(Debug)]
pub(super) struct Grid {
    at: Noted,
    /// By sample: the sound engine, beside which a harmed one is solved; let go when the tracer rests.
    sound: Staged<OnceLock<SoundState>>,
    /// By harm: bits of an f32 in kPa; NaN while unsolved. Two threads that solve the same one write the same.
    kpa: Arc<Vec<Staged<AtomicU32>>>,
}

impl Grid {
    fn new(noted: Noted, harms: usize) -> Self {
        Self { at: key(noted).1, sound: Staged::default(), kpa: Arc::new((0..harms).map(|_| Staged::default()).collect()) }
    }

    fn bytes(&self) -> usize {
        self.sound.bytes() + self.kpa.iter().map(|harm| size_of_val(harm) + harm.bytes()).sum::<usize>()
    }
}

/// A healthy engine and what goes with it.
#[derive(Debug)]
struct Sample {
    /// Of the first [`CIRCUITS_KEPT`] alone.
    circuit: Option<Box<Circuit>>,
    /// By what is on paper, before any reading; worked out when it is first asked for.
    prior_weight: OnceLock<f64>,
    /// Severity of the first and of the second fault.
    severity: [f64; 2],
    /// A number in 0..1 for what no part of the circuit explains.
    latent_offset: f64,
    /// How far the run's thermometer is off, −1 to 1, and how far the oil lags an estimate, 0 to 1.
    thermometer: [f64; 2],
    /// Level, slope and twist of the discrepancy, as logarithms.
    twists: [[f32; 3]; TWISTS],
}

type PointKey = (i64, i64, bool, bool);
/// What was made for a key, the one unused for longest first.
type Store<K, V> = Mutex<Vec<(K, Arc<V>)>>;

/// What is known about one sample at a point and on the way from there to another.
#[derive(Debug, Clone, Copy)]
pub(super) struct Near {
    pub here_kpa: f64,
    pub ratio: f64,
    pub kpa_per_k: f64,
    pub kpa_per_rpm: f64,
}

/// What the samples of an engine follow from.
#[derive(Debug)]
struct Recipe {
    card: Card,
    spec: Vec<PointOfSpec>,
    oil: Oil,
    hot_c: f64,
    half_rpm: f64,
    /// How many times the smooth error of the model is what the product uses.
    discrepancy: f64,
    seed: u32,
}

#[derive(Debug)]
pub(super) struct Samples {
    recipe: Recipe,
    sampled: Staged<Sample>,
    /// Distinct harms, and of each how many of its faults would be noticed.
    harms: Vec<Harm>,
    noticed_share: Vec<f64>,
    mean_weight: f64,
    noticed_at: [(Working, f64); 3],
    /// The grids of `noticed_at`, which every weighing needs.
    noticed: Mutex<[Arc<Grid>; 3]>,
    kept: Store<PointKey, Grid>,
    near: Store<(PointKey, PointKey), Vec<Near>>,
}

/// A tenth of a degree and one turn a minute: far finer than anything a technician holds. Points are kept and solved as rounded, so that what is kept
/// does not hang on which of two neighbours came first.
fn key(noted: Noted) -> (PointKey, Noted) {
    let (rpm, tenths) = (noted.at.rpm.round(), (noted.at.oil_temp_c * 10.0).round());
    let rounded = Noted { at: Working { rpm, oil_temp_c: 0.1 * tenths }, ..noted };
    ((rpm as i64, tenths as i64, noted.temp_estimated, noted.speed_by_hand), rounded)
}

/// Returns what is kept under `key`, or makes and keeps it; the one unused for longest makes room. The lock is never held while it is made.
fn kept_or<K: Eq, V>(store: &Store<K, V>, most: usize, key: K, make: impl FnOnce() -> V) -> Arc<V> {
    let used = |store: &mut Vec<(K, Arc<V>)>| {
        let place = store.iter().position(|(known, _)| *known == key)?;
        let found = store.remove(place);
        let kept = Arc::clone(&found.1);
        store.push(found);
        Some(kept)
    };
    if let Some(kept) = used(&mut store.lock().unwrap_or_else(PoisonError::into_inner)) {
        return kept;
    }
    let made = Arc::new(make());
    let mut store = store.lock().unwrap_or_else(PoisonError::into_inner);
    // Two who ask at once may both make it, and share the first.
    if let Some(kept) = used(&mut store) {
        return kept;
    }
    if store.len() >= most {
        store.remove(0);
    }
    store.push((key, Arc::clone(&made)));
    made
}

/// Tells the samples of a thing with a name from those of another: FNV-1a (Fowler, Noll, Vo), written out so that a record's figures come out the same whatever
/// the standard library hashes with.
fn seed_of(kind: &str, name: &[u8], seed: u32) -> u32 {
    let all = kind.bytes().chain([0]).chain(name.iter().copied());
    all.fold(0x811c_9dc5 ^ seed, |hash, byte| (hash ^ u32::from(byte)).wrapping_mul(0x0100_0193))
}

/// The same for an operating point as it was noted.
fn seed_of_point((rpm, tenths, estimated, by_hand): PointKey, seed: u32) -> u32 {
    let name: Vec<u8> = rpm.to_le_bytes().into_iter().chain(tenths.to_le_bytes()).chain([u8::from(estimated), u8::from(by_hand)]).collect();
    seed_of("speed", &name, seed)
}

/// Places of the numbers of a sample that follow those of its circuit.
const SEVERITY: usize = DIMENSIONS;
const LATENT: usize = DIMENSIONS + 2;
const THERMOMETER: usize = DIMENSIONS + 3;
const NUMBERS: usize = DIMENSIONS + 5;

impl Recipe {
    /// The numbers in 0..1 that a sample is made of.
    fn numbers(&self, sample: usize) -> impl Fn(usize) -> f64 + use<> {
        let seed = self.seed;
        let numbers: [[f32; 4]; NUMBERS.div_ceil(4)] =
            std::array::from_fn(|four| sobol_burley::sample_4d(sample as u32, four as u32, seed));
        move |place: usize| numbers.as_flattened().get(place).map_or(0.5, |u| f64::from(*u))
    }

    /// The healthy engine of a sample.
    fn circuit(&self, sample: usize) -> Circuit {
        let unknowns = Unknowns { hot_c: self.hot_c, ..Unknowns::from_unit(&std::array::from_fn(self.numbers(sample)), &self.card) };
        nominal::circuit(&self.card, self.oil, &unknowns)
    }

    fn sampled(&self, sample: usize) -> Sample {
        let unit = self.numbers(sample);
        let of_twists = seed_of("twists", &[], self.seed);
        let twist = |twist: usize| {
            let [level, slope, twist, _] = sobol_burley::sample_4d((sample * TWISTS + twist) as u32, 0, of_twists);
            [(LEVEL, level), (SLOPE, slope), (TWIST, twist)].map(|(sd, u)| (self.discrepancy * sd * normal_quantile(f64::from(u))) as f32)
        };
        Sample {
            circuit: (sample < CIRCUITS_KEPT).then(|| Box::new(self.circuit(sample))),
            prior_weight: OnceLock::new(),
            severity: [unit(SEVERITY), unit(SEVERITY + 1)],
            latent_offset: unit(LATENT),
            thermometer: [2.0 * unit(THERMOMETER) - 1.0, unit(THERMOMETER + 1)],
            twists: std::array::from_fn(twist),
        }
    }

    /// Weight of a healthy engine by what is on paper and by what engines mostly show at half their rated speed.
    fn prior_weight(&self, circuit: &Circuit) -> f64 {
        let misses = |far: f64, soft: f64| 0.5 * (far.max(0.0) / soft).powi(2);
        let mut off = 0.0;
        for point in &self.spec {
            let kpa = circuit.port_kpa(Working { rpm: point.rpm, oil_temp_c: point.oil_temp_c }).max(1.0);
            if let Some(min) = point.min_kpa {
                let printed = (min.max(1.0) / kpa).ln();
                off += misses(printed - PRINTED.1.ln(), PRINTED_SOFT.1) + misses(PRINTED.0.ln() - printed, PRINTED_SOFT.0);
            }
            if let Some(max) = point.max_kpa {
                off += misses((kpa / max.max(1.0)).ln(), PRINTED_SOFT.1);
            }
        }
        let paper = 1.0 / PAPER + (1.0 - 1.0 / PAPER) * (-off).exp();
        let half = (circuit.port_kpa(Working { rpm: self.half_rpm, oil_temp_c: self.hot_c }).max(1.0) / HALF_SPEED_KPA).ln();
        paper * (-0.5 * (half / HALF_SPEED_SD_LN).powi(2)).exp()
    }
}

/// How far the model is believed to be off, as a multiple of what the product uses, and what the samples follow from.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Assumed {
    /// A multiple of the smooth error.
    pub discrepancy: f64,
    /// Another seed gives other samples of the same engine.
    pub seed: u32,
}

impl Default for Assumed {
    fn default() -> Self {
        Self { discrepancy: 1.0, seed: SEED }
    }
}

impl Samples {
    pub(super) fn new(card: &Card, spec: &[PointOfSpec], oil: Oil, know: &Knowledge, assumed: Assumed) -> Self {
        let mut harms: Vec<Harm> = know.hypotheses.iter().map(|hypothesis| harm_of(know, hypothesis)).collect();
        harms.sort();
        harms.dedup();
        let half_rpm = (0.5 * card.rated_rpm()).max(1.3 * card.idle_rpm);
        let hot_c = nominal::hot_c(card, spec);
        let at = |rpm: f64, oil_temp_c: f64| {
            let point = Working { rpm, oil_temp_c };
            (point, least_kpa(spec, point))
        };
        let noticed_at = [at(card.idle_rpm, COLD_C), at(card.idle_rpm, hot_c), at(half_rpm, hot_c)];
        let Assumed { discrepancy, seed } = assumed;
        let mut samples = Self {
            noticed: Mutex::new(noticed_at.map(|(at, _)| Arc::new(Grid::new(at.into(), harms.len())))),
            recipe: Recipe { card: card.clone(), spec: spec.to_vec(), oil, hot_c, half_rpm, discrepancy, seed },
            sampled: Staged::default(),
            mean_weight: 1.0,
            noticed_share: Vec::new(),
            harms,
            noticed_at,
            kept: Mutex::default(),
            near: Mutex::default(),
        };
        let weights: Vec<f64> = (0..FIRST).into_par_iter().map(|sample| samples.weight(sample)).collect();
        let all: f64 = weights.iter().sum();
        samples.mean_weight = all / FIRST as f64;
        let grids = samples.noticed_grids();
        let share = |place: usize| {
            let noticed = weights.iter().enumerate().map(|(sample, weight)| weight * samples.selection_weight(&grids, place, sample));
            noticed.sum::<f64>() / all.max(f64::MIN_POSITIVE)
        };
        samples.noticed_share = (0..samples.harms.len()).into_par_iter().map(share).collect();
        samples
    }

    /// Roughly the memory these samples and what is kept of them take.
    pub(super) fn bytes(&self) -> usize {
        let kept = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        let near = self.near.lock().unwrap_or_else(PoisonError::into_inner);
        let noticed = self.noticed.lock().unwrap_or_else(PoisonError::into_inner);
        let grids = noticed.iter().chain(kept.iter().map(|(_, grid)| grid)).map(|grid| grid.bytes());
        let circuits = until_kept(&self.sampled) * size_of::<Circuit>();
        self.sampled.bytes() + circuits + grids.sum::<usize>() + near.iter().map(|(_, near)| size_of_val(near.as_slice())).sum::<usize>()
    }

    /// Lets go what is only needed while a reading is weighed. What is solved stays solved.
    pub(super) fn rest(&self) {
        self.kept.lock().unwrap_or_else(PoisonError::into_inner).clear();
        let mut noticed = self.noticed.lock().unwrap_or_else(PoisonError::into_inner);
        for grid in noticed.iter_mut() {
            *grid = Arc::new(Grid { at: grid.at, sound: Staged::default(), kpa: Arc::clone(&grid.kpa) });
        }
    }

    fn sampled(&self, sample: usize) -> Option<&Sample> {
        self.sampled.get(sample, |samples| samples.into_par_iter().map(|sample| self.recipe.sampled(sample)).collect())
    }

    /// The healthy engine of a sample.
    fn sound(&self, sample: usize) -> Option<Cow<'_, Circuit>> {
        let kept = self.sampled(sample)?.circuit.as_deref();
        Some(kept.map_or_else(|| Cow::Owned(self.recipe.circuit(sample)), Cow::Borrowed))
    }

    fn weight(&self, sample: usize) -> f64 {
        let weight = || self.sound(sample).map_or(0.0, |circuit| self.recipe.prior_weight(&circuit));
        self.sampled(sample).map_or(0.0, |sampled| *sampled.prior_weight.get_or_init(weight))
    }

    /// Severity of the first fault of a sample.
    pub(super) fn severity(&self, sample: usize) -> f64 {
        self.sampled(sample).map_or(0.5, |sampled| sampled.severity[0])
    }

    /// Grids of the points at which a fault is noticed.
    pub(super) fn noticed_grids(&self) -> [Arc<Grid>; 3] {
        self.noticed.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// How likely a sample with this harm is to be brought in, from [`ANYWAY`] to 1.
    fn selection_weight(&self, grids: &[Arc<Grid>; 3], place: usize, sample: usize) -> f64 {
        let quiet = self.place((Fault::None, Fault::None));
        if place == quiet {
            return 1.0;
        }
        let mut off = 0.0f64;
        for (grid, (_, least)) in grids.iter().zip(self.noticed_at) {
            let (now, sound) = (self.kpa(grid, place, sample), self.kpa(grid, quiet, sample));
            let change = (now.max(1.0) / sound.max(1.0)).ln().abs();
            off = off.max(if now < least { 1.0 } else { ((change - UNSEEN) / (SEEN - UNSEEN)).clamp(0.0, 1.0) });
        }
        ANYWAY + (1.0 - ANYWAY) * off
    }

    /// What a sample of a harm weighs before any reading: by paper, and by whether it would be brought in.
    pub(super) fn before_reading(&self, grids: &[Arc<Grid>; 3], place: usize, sample: usize) -> f64 {
        self.weight(sample) * self.selection_weight(grids, place, sample)
    }

    /// What a sample of a harm weighs before any reading in the mean. A cause that leaves the pressures alone weighs more than its samples: it keeps only its
    /// share among those that come in by another way.
    pub(super) fn mean_before_reading(&self, place: usize) -> f64 {
        self.mean_weight * self.noticed_share.get(place).copied().unwrap_or(1.0).max(NOTICED_SHARE)
    }

    /// A number in 0..1 that belongs to the sample and to nothing in the circuit.
    pub(super) fn latent_offset(&self, sample: usize) -> f64 {
        self.sampled(sample).map_or(0.5, |sampled| sampled.latent_offset)
    }

    /// How far a gauge is off with each twist of a sample, of its common half width; a gauge is known by its name, not by its place among others.
    pub(super) fn gauge_off(&self, gauge: &str) -> impl Fn(usize) -> [f64; TWISTS] + use<> {
        let seed = seed_of("gauge", gauge.as_bytes(), self.recipe.seed);
        move |sample| std::array::from_fn(|twist| 2.0 * f64::from(sobol_burley::sample((sample * TWISTS + twist) as u32, 0, seed)) - 1.0)
    }

    /// What this model is off on a real engine at a point, as a factor, with each twist of a sample.
    pub(super) fn discrepancy(&self, at: Working) -> impl Fn(usize) -> [f64; TWISTS] + use<'_> {
        let (speed, warm) = ((at.rpm.max(100.0) / self.recipe.half_rpm).ln(), (at.oil_temp_c - 70.0) / 60.0);
        move |sample| {
            self.sampled(sample).map_or([1.0; TWISTS], |sampled| {
                sampled.twists.map(|twist| {
                    let [level, slope, twist] = twist.map(f64::from);
                    (level + slope * speed + twist * warm).exp()
                })
            })
        }
    }

    /// Where a sample really stood when a point was noted.
    fn stood(&self, key: PointKey, noted: Noted, sample: usize) -> Working {
        let [thermometer, lag] = self.sampled(sample).map_or([0.0; 2], |sampled| sampled.thermometer);
        let held = if noted.speed_by_hand { SPEED_BY_HAND } else { SPEED_MEASURED };
        let rpm = noted.at.rpm
            * (1.0 + held * (2.0 * f64::from(sobol_burley::sample(sample as u32, 0, seed_of_point(key, self.recipe.seed))) - 1.0));
        let lags = if noted.temp_estimated && noted.at.oil_temp_c >= ESTIMATED_FROM_C { ESTIMATED_K * lag } else { 0.0 };
        Working { rpm, oil_temp_c: noted.at.oil_temp_c + PROBE_K * thermometer - lags }
    }

    /// The engine of a sample, harmed.
    pub(super) fn harmed(&self, by: Harm, sample: usize) -> Option<Circuit> {
        self.harm(by, sample, self.sound(sample)?.into_owned())
    }

    fn harm(&self, (first, second): Harm, sample: usize, mut circuit: Circuit) -> Option<Circuit> {
        let [a, b] = self.sampled(sample)?.severity;
        harm(&mut circuit, &[(first, a), (second, b)]);
        Some(circuit)
    }

    /// The grid of a point, made once and kept.
    pub(super) fn grid(&self, noted: Noted) -> Arc<Grid> {
        let place = self.noticed_at.iter().position(|(at, _)| key(noted).0 == key((*at).into()).0);
        match place.and_then(|place| self.noticed_grids().get(place).cloned()) {
            Some(grid) => grid,
            None => kept_or(&self.kept, KEPT_POINTS, key(noted).0, || Grid::new(noted, self.harms.len())),
        }
    }

    /// The place of a harm among the harms.
    pub(super) fn place(&self, harm: Harm) -> usize {
        self.harms.binary_search(&harm).unwrap_or(0)
    }

    /// Port pressure of a sample harmed by the harm at `place`, kPa.
    pub(super) fn kpa(&self, grid: &Grid, place: usize, sample: usize) -> f64 {
        let unsolved = |samples: std::ops::Range<usize>| samples.map(|_| AtomicU32::new(f32::NAN.to_bits())).collect();
        let Some(kept) = grid.kpa.get(place).and_then(|of_harm| of_harm.get(sample, unsolved)) else { return 0.0 };
        let known = f32::from_bits(kept.load(Relaxed));
        if !known.is_nan() {
            return f64::from(known);
        }
        let solve = || {
            let sound = &*self.sound(sample)?;
            let harmed = self.harm(*self.harms.get(place)?, sample, sound.clone())?;
            let beside = grid.sound.get(sample, |samples| samples.map(|_| OnceLock::new()).collect())?.get_or_init(|| {
                let (key, noted) = key(grid.at);
                sound.beside(self.stood(key, noted, sample))
            });
            Some(harmed.port_kpa_beside(sound, beside) as f32)
        };
        let solved = solve().unwrap_or(0.0);
        kept.store(solved.to_bits(), Relaxed);
        f64::from(solved)
    }

    /// Slopes at a point and ratios from there to another, for the first samples of every harm.
    pub(super) fn near(&self, at: Working, to: Working) -> Arc<Vec<Near>> {
        let ((from, at), (end, to)) = (key(at.into()), key(to.into()));
        kept_or(&self.near, KEPT_WAYS, (from, end), || {
            self.around(at.at, |circuit, here| if to.at == at.at { 1.0 } else { circuit.port_kpa(to.at) / here })
        })
    }

    /// As [`Samples::near`], with any question to the harmed circuit in place of the ratio; not kept.
    pub(super) fn around(&self, at: Working, ratio: impl Fn(&Circuit, f64) -> f64 + Sync) -> Vec<Near> {
        const WARMER_K: f64 = 4.0;
        const FASTER_RPM: f64 = 40.0;
        let warmer = Working { oil_temp_c: at.oil_temp_c + WARMER_K, ..at };
        let faster = Working { rpm: at.rpm + FASTER_RPM, ..at };
        let sound: Vec<(&Circuit, [SoundState; 3])> = (0..LOCAL_DRAWS)
            .filter_map(|sample| self.sampled(sample)?.circuit.as_deref())
            .map(|circuit| (circuit, [at, warmer, faster].map(|point| circuit.beside(point))))
            .collect();
        self.harms
            .par_iter()
            .flat_map_iter(|harm| {
                sound.iter().enumerate().filter_map(|(sample, sound)| Some((sound, self.harmed(*harm, sample)?))).map(
                    |((sound, [here, warm, fast]), circuit)| {
                        let here_kpa = circuit.port_kpa_beside(sound, here).max(0.1);
                        Near {
                            here_kpa,
                            ratio: ratio(&circuit, here_kpa),
                            kpa_per_k: (circuit.port_kpa_beside(sound, warm) - here_kpa) / WARMER_K,
                            kpa_per_rpm: (circuit.port_kpa_beside(sound, fast) - here_kpa) / FASTER_RPM,
                        }
                    },
                )
            })
            .collect()
    }

    /// Healthy engines of the first three stages with their weights, for whoever asks what is believed before anything is read.
    pub(super) fn healthy(&self) -> impl Iterator<Item = (&Circuit, f64)> {
        let [_, _, third, ..] = STAGES;
        (0..third).filter_map(|sample| Some((self.sampled(sample)?.circuit.as_deref()?, self.weight(sample))))
    }
}

/// The sheet's least pressure near a point, 0 where it names none.
fn least_kpa(spec: &[PointOfSpec], at: Working) -> f64 {
    spec.iter()
        .filter(|point| (point.rpm / at.rpm - 1.0).abs() < 0.15 && (point.oil_temp_c - at.oil_temp_c).abs() < 25.0)
        .filter_map(|point| point.min_kpa)
        .fold(0.0, f64::max)
}

/// How many circuits are kept of what was sampled so far.
fn until_kept(sampled: &Staged<Sample>) -> usize {
    sampled.0.iter().filter_map(OnceLock::get).map(|made| made.len()).sum::<usize>().min(CIRCUITS_KEPT)
}

/// The faults of a hypothesis.
pub(super) fn harm_of(know: &Knowledge, hypothesis: &Hypothesis) -> Harm {
    let fault = |cause: usize| know.causes.get(cause).map_or(Fault::None, |cause| cause.fault);
    (fault(hypothesis.first), hypothesis.second.map_or(Fault::None, fault))
}
